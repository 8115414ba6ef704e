//! Working the site's changes into the release's lines, item by item.
//!
//! * [`values`]: what becomes of one value, and of the remarks with it
//! * [`splices`]: what is put into the release's text, and where
//! * [`unnamed`]: lists whose items nothing names

mod splices;
mod unnamed;
mod values;

use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};

use super::item::{Body, Item, Outline, by_name};
use crate::formats::flow::Flow;
use crate::formats::homes::Path;
use crate::formats::keyed::{KeyChange, Refit, Rules};
use crate::formats::lists::Names;
use crate::merge::{Outcome, Reason, Step};
use splices::Splice;
pub(super) use unnamed::Unnamed;

pub(super) struct Merger<'a> {
    pub(super) base: &'a [u8],
    pub(super) site: &'a [u8],
    pub(super) release: &'a [u8],
    /// How the site's lines are written in the release.
    pub(super) refit: Refit,
    /// The site's file lost all its comments to a tool: they are form then.
    pub(super) comments_are_form: bool,
    pub(super) rules: &'a Rules,
    pub(super) flow: Option<Flow>,
    /// Where keys are that the release renamed or moved.
    pub(super) homes: Vec<Path>,
    /// By path of a dropped key: what may have taken its place.
    pub(super) hints: BTreeMap<Path, String>,
    /// Names that lists in the base forget, as their keys stay.
    pub(super) stay: BTreeMap<Path, BTreeSet<String>>,
    /// The site seems to have renamed what the release changed.
    pub(super) renamed: bool,
    /// The release changed comments before what the site took out: they stay.
    pub(super) comments_left: bool,
    /// The lists whose items nothing names, the outer before the inner.
    pub(super) unnamed: Vec<Unnamed>,
    pub(super) splices: Vec<Splice>,
    pub(super) changes: Vec<(Vec<String>, KeyChange)>,
}

/// What a change cannot be worked into the release's lines for; then lines and words decide.
pub(super) struct Beyond;

impl Merger<'_> {
    pub(super) fn document(&mut self, b: &Outline, s: &Outline, r: &Outline) -> Result<(), Beyond> {
        if b.body.canonical() != s.body.canonical() && s.body.canonical() != r.body.canonical() {
            match (&b.body, &s.body, &r.body) {
                (Body::Map(bi), Body::Map(si), Body::Map(ri)) => self.items(&[], bi, si, ri, true)?,
                (Body::List(bi), Body::List(si), Body::List(ri)) => {
                    let [bi, si, ri] = self.told_apart(&[], [bi, si, ri]).ok_or(Beyond)?;
                    self.items(&[], &bi, &si, &ri, true)?;
                }
                _ => return Err(Beyond),
            }
        } else if let (Body::Map(bi), Body::Map(si), Body::Map(ri)) = (&b.body, &s.body, &r.body) {
            // No value is in question; comments may be.
            self.items(&[], bi, si, ri, true)?;
        }
        self.lines(&[], b.tail.clone(), s.tail.clone(), r.tail.clone())
    }

    fn note(
        &mut self,
        pointer: &[String],
        items: (Option<&Item>, Option<&Item>, Option<&Item>),
        outcome: Outcome,
        step: Option<Step>,
        reason: Option<Reason>,
    ) {
        let span = |i: Option<&Item>| i.map(|i| i.start..i.value.end);
        let whole = |i: Option<&Item>, alone: bool| {
            i.map(|i| if alone { i.lead.start..i.value.end } else { i.start..i.value.end })
        };
        let (b, s, r) = items;
        let moved = self.homes.iter().any(|home| pointer.starts_with(home));
        let (outcome, step) = match outcome {
            Outcome::Kept if moved && step.is_none() => (Outcome::Fitted, Some(Step::RenamedKey)),
            _ => (outcome, step),
        };
        let hint = self.hints.get(pointer).filter(|_| reason == Some(Reason::KeyGone)).cloned();
        let change = KeyChange {
            pointer: pointer.join("\0") + "\0",
            // A key that came or went took its comments along.
            base: whole(b, s.is_none()),
            site: whole(s, b.is_none()),
            release: span(r),
            result: None,
            outcome,
            step,
            reason,
            hint,
        };
        self.changes.push((pointer.to_vec(), change));
    }

    /// Merges the items under one key, in the release's order.
    fn items(
        &mut self,
        pointer: &[String],
        base: &[Item],
        site: &[Item],
        release: &[Item],
        root: bool,
    ) -> Result<(), Beyond> {
        let (bases, sites, releases) = (by_name(base), by_name(site), by_name(release));
        let versions = [base, site, release];
        let names = Names::new(versions.map(|list| list.iter().map(|i| i.name.as_str()).collect()));
        // What nothing else names is named by what the site has.
        let are_values = site.iter().all(|i| i.name == i.body.canonical());
        let rules = self.rules;
        let parts = |of: usize, k: usize| versions[of][k].body.parts(rules);
        if names.renamed_by_both(parts) {
            return Err(Beyond);
        }
        let in_place = if are_values { names.in_place() } else { HashMap::new() };
        let child = |name: &str| -> Vec<String> { pointer.iter().cloned().chain([name.to_string()]).collect() };
        let mut taken_out = Vec::new();
        for r in release {
            let at = child(&r.name);
            match (bases.get(r.name.as_str()).copied(), sites.get(r.name.as_str()).copied()) {
                (b, Some(s)) => {
                    if let Some(b) = b {
                        self.lines(&at, b.lead.clone(), s.lead.clone(), r.lead.clone())?;
                        self.after(b, s, r)?;
                    }
                    self.value(&at, b, s, r)?;
                }
                (Some(b), None) if self.untouched(b, r) => {
                    self.note(&at, (Some(b), None, Some(r)), Outcome::Kept, None, None);
                    self.delete(b, r)?;
                }
                (Some(b), None) => {
                    taken_out.push(b.name.clone());
                    self.note(&at, (Some(b), None, Some(r)), Outcome::Open, None, Some(Reason::SiteDeleted));
                }
                (None, None) => {}
            }
        }
        self.renamed |= names.renamed_by_site(&taken_out, parts);
        let mut before = None;
        for (k, s) in site.iter().enumerate() {
            if let Some(r) = releases.get(s.name.as_str()).copied() {
                before = Some(r.end);
                continue;
            }
            let at = child(&s.name);
            let b = bases.get(s.name.as_str()).copied();
            let commented = b.is_some_and(|b| self.comments_of_its_own(b, s));
            match b {
                Some(b) if b.body.canonical() == s.body.canonical() && !commented => continue,
                Some(b) => {
                    self.note(&at, (Some(b), Some(s), None), Outcome::Open, None, Some(Reason::KeyGone));
                    if let Some((_, change)) = self.changes.last_mut().filter(|_| commented) {
                        (change.base, change.site) = (Some(b.lead.start..b.end), Some(s.lead.start..s.end));
                    }
                }
                None => self.note(&at, (None, Some(s), None), Outcome::Kept, None, None),
            }
            before = in_place.get(&k).map(|r| release[*r].end).or(before);
            let after = match before {
                Some(_) => None,
                None => site[k + 1..].iter().find_map(|n| releases.get(n.name.as_str()).copied()),
            };
            let place = self.place(s, release, before, after, root).ok_or(Beyond)?;
            before = Some(place);
            self.insert(s, release, place)?;
        }
        for b in base.iter().filter(|b| {
            sites.get(b.name.as_str()).copied().is_none() && releases.get(b.name.as_str()).copied().is_none()
        }) {
            self.note(&child(&b.name), (Some(b), None, None), Outcome::Already, Some(Step::BothDeleted), None);
        }
        Ok(())
    }

    /// Tells whether the site put comments before, into or behind an item of the base.
    fn comments_of_its_own(&self, base: &Item, site: &Item) -> bool {
        !self.comments_are_form && has_more(&site.comments(self.site), base.comments(self.base))
    }

    /// Tells whether the release put comments before, into or behind an item.
    fn comments_of_the_releases(&self, base: &Item, release: &Item) -> bool {
        has_more(&release.comments(self.release), base.comments(self.base))
    }

    /// Tells whether the release put comments into the value of an item.
    fn remarked(&self, base: &Item, release: &Item) -> bool {
        has_more(&release.comments_of_value(self.release), base.comments_of_value(self.base))
    }

    /// Tells whether an item is as it was in the base, comments and all.
    fn untouched(&self, base: &Item, release: &Item) -> bool {
        let behind = release.comment_behind(self.release);
        base.body.canonical() == release.body.canonical()
            && !self.remarked(base, release)
            && (behind.is_none() || behind == base.comment_behind(self.base))
    }
}

/// Tells whether there are comments that were not there before.
fn has_more(comments: &[&[u8]], before: Vec<&[u8]>) -> bool {
    let before: HashSet<&[u8]> = before.into_iter().collect();
    comments.iter().any(|comment| !before.contains(comment))
}

/// Tells whether the keys that two documents have stand in one order.
pub(super) fn in_order(base: &Body, site: &Body) -> bool {
    let (Body::Map(base), Body::Map(site)) = (base, site) else { return true };
    common(base, site) == common(site, base)
}

/// The names of items, in their order, that others have, too.
fn common<'i>(items: &'i [Item], others: &[Item]) -> Vec<&'i String> {
    let others: HashSet<&String> = others.iter().map(|i| &i.name).collect();
    items.iter().map(|i| &i.name).filter(|name| others.contains(name)).collect()
}
