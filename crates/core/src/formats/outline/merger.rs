//! Working the site's changes into the release's lines, item by item.

use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};
use std::ops::Range;

use super::item::{Body, Item, Outline, by_name, by_names, is_comment, solid};
use super::line_start;
use crate::formats::flow::{Flow, remarks};
use crate::formats::homes::Path;
use crate::formats::keyed::{KeyChange, Refit, Rules, converted};
use crate::formats::lists::{Names, Replaced};
use crate::formats::matched::{self, Told};
use crate::merge::{Dialect, Insertions, MergeOptions, Outcome, Reason, Step, merge_text};

/// A change of the release's text: these bytes in place of those.
pub(super) struct Splice {
    at: Range<usize>,
    bytes: Vec<u8>,
}

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

/// A list whose items nothing names, and the names that they were given.
pub(super) struct Unnamed {
    list: Vec<String>,
    /// What the site's items say.
    own: HashSet<String>,
    /// What each of the release's items says, and the name that it was given.
    theirs: Vec<(String, String)>,
}

impl Unnamed {
    /// Gives the items of the result the same names: those of the release's as it has them; those that say what neither
    /// side said are the ones that both changed, in the release's order.
    pub(super) fn name_again(&self, result: &mut Outline) {
        let Some(Body::List(items)) = result.body_at(&self.list) else { return };
        let theirs: HashMap<&str, &str> =
            self.theirs.iter().map(|(value, name)| (value.as_str(), name.as_str())).collect();
        let values: Vec<String> = items.iter().map(|item| item.body.canonical()).collect();
        let there: HashSet<&str> = values.iter().map(String::as_str).collect();
        let is_there = |(value, name): &&(String, String)| {
            there.contains(value.as_str()) || there.contains(name.as_str()) || !self.own.contains(name)
        };
        let mut both = self.theirs.iter().filter(|item| !is_there(item)).map(|(_, name)| name);
        for (item, value) in items.iter_mut().zip(&values) {
            let name = match theirs.get(value.as_str()) {
                Some(name) => name,
                None if self.own.contains(value) => continue,
                None => both.next().map_or(value.as_str(), String::as_str),
            };
            item.name = name.to_string();
        }
    }
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

    /// The items of three lists, with one name for an item that both sides changed, and for one of which a side changed
    /// the value and the other a comment: the site's where it has one. `None` where it cannot be told which became
    /// which, or the site gave those it kept another order.
    fn told_apart<'l>(&mut self, at: &[String], lists: [&'l [Item]; 3]) -> Option<[Cow<'l, [Item]>; 3]> {
        let mut out = lists.map(Cow::Borrowed);
        if !have_names(lists, self.rules) {
            let told = lists.map(|list| list.iter().map(|item| told(item, self.rules)).collect::<Vec<_>>());
            let names = matched::names([&told[0], &told[1], &told[2]])?;
            out = self.named_as_the_sites(at, lists, &names).map(Cow::Owned);
        }
        let [base, site, _] = &out;
        if common(base, site) != common(site, base) {
            return None;
        }
        let lists = out.clone();
        let lists = lists.each_ref().map(|list| &list[..]);
        let names = Names::new(lists.map(|list| list.iter().map(|item| item.name.as_str()).collect()));
        let mut name_alike = |places: [Option<usize>; 3]| {
            let [_, s, r] = places;
            let name = s.map(|s| &lists[1][s].name).or(r.map(|r| &lists[2][r].name))?;
            for (list, at) in out.iter_mut().zip(places) {
                if let Some(at) = at {
                    list.to_mut()[at].name.clone_from(name);
                }
            }
            Some(())
        };
        for Replaced { base, site, release } in names.replaced()? {
            name_alike([Some(base), site, release])?;
        }
        for [b, s, r] in names.replaced_by_either() {
            let [base, site, release] = [&lists[0][b], &lists[1][s], &lists[2][r]];
            let is_value = |item: &Item| matches!(item.body, Body::Leaf(_));
            let commented = self.comments_of_its_own(base, site) || self.comments_of_the_releases(base, release);
            if [base, site, release].into_iter().all(is_value) && commented {
                name_alike([Some(b), Some(s), Some(r)])?;
            }
        }
        Some(out)
    }

    /// The items of three lists that nothing names, with `names` that tell which is which; each has the name of the site's
    /// item where there is one, so that it is found again.
    fn named_as_the_sites(
        &mut self,
        at: &[String],
        lists: [&[Item]; 3],
        names: &[Vec<String>; 3],
    ) -> [Vec<Item>; 3] {
        let of_site: HashMap<&String, &Item> = names[1].iter().zip(lists[1]).collect();
        let mut out = lists.map(<[Item]>::to_vec);
        for (list, names) in out.iter_mut().zip(names) {
            for (item, name) in list.iter_mut().zip(names) {
                item.name = of_site.get(name).map_or(name, |own| &own.name).clone();
            }
        }
        self.unnamed.push(Unnamed {
            list: at.to_vec(),
            own: lists[1].iter().map(|item| item.body.canonical()).collect(),
            theirs: out[2].iter().map(|item| (item.body.canonical(), item.name.clone())).collect(),
        });
        out
    }

    /// Where in the release a new item of the site goes: behind what it follows on the site, else before what
    /// follows it there, else behind the last.
    fn place(
        &self,
        new: &Item,
        release: &[Item],
        before: Option<usize>,
        after: Option<&Item>,
        root: bool,
    ) -> Option<usize> {
        let last = release.last()?.end;
        let mut place = match (before, after) {
            (Some(place), _) => place,
            // The lines before the first item may be the head of the file, and belong there.
            (None, Some(next)) if root && next.start == release[0].start => next.end,
            (None, Some(next)) if next.inline => next.end,
            (None, Some(next)) => next.lead.start,
            (None, None) => last,
        };
        // Where headers part a document, what stands behind one belongs to it.
        let sections = |i: &&Item| matches!(i.body, Body::Map(_)) && self.release[i.start] == b'[';
        if root && let Some(first) = release.iter().find(sections) {
            let bare_end = release.iter().rfind(|i| !sections(i)).map_or(0, |i| i.end);
            place = if self.site[new.start] == b'[' && matches!(new.body, Body::Map(_)) {
                place.max(bare_end)
            } else {
                place.min(first.lead.start.max(bare_end))
            };
        }
        Some(place)
    }

    fn insert(&mut self, new: &Item, siblings: &[Item], place: usize) -> Result<(), Beyond> {
        if new.inline {
            return Err(Beyond);
        }
        let start = line_start(self.site, new.start);
        let from = &self.site[start..new.start];
        let to = match siblings.first() {
            Some(first) if first.inline => vec![b' '; first.start - line_start(self.release, first.start)],
            Some(first) => self.release[line_start(self.release, first.start)..first.start].to_vec(),
            None => return Err(Beyond),
        };
        if !to.iter().chain(from).all(|b| matches!(b, b' ' | b'\t')) {
            return Err(Beyond);
        }
        // They may be the comments of this one, which the site named otherwise.
        if self.comments_left && !solid(&self.site[new.lead.clone()]).is_empty() {
            return Err(Beyond);
        }
        let raw = &self.site[new.lead.start..new.end];
        let mut bytes = to.clone();
        let width = raw.iter().take_while(|b| matches!(b, b' ' | b'\t')).count();
        // Blank lines come first where the lead has some; then the first line has no indentation to replace.
        let first_blank = matches!(raw.get(width), Some(b'\n' | b'\r'));
        if first_blank {
            bytes.clear();
        }
        bytes.extend(self.refit.write(&raw[width..], from, &to));
        let end = self.refit.line_end();
        if !bytes.ends_with(b"\n") {
            bytes.extend_from_slice(end);
        }
        if place > 0 && self.release[place - 1] != b'\n' {
            while bytes.last().is_some_and(|b| matches!(b, b'\n' | b'\r')) {
                bytes.pop();
            }
            bytes.splice(0..0, end.iter().copied());
        }
        self.splices.push(Splice { at: place..place, bytes });
        Ok(())
    }

    fn delete(&mut self, base: &Item, release: &Item) -> Result<(), Beyond> {
        if release.inline {
            return Err(Beyond);
        }
        let lead = solid(&self.base[base.lead.clone()]);
        let own_comment = lead == solid(&self.release[release.lead.clone()]);
        self.comments_left |= !own_comment && !lead.is_empty();
        let start = if own_comment { release.lead.start } else { line_start(self.release, release.start) };
        self.splices.push(Splice { at: start..release.end, bytes: Vec::new() });
        Ok(())
    }

    /// Merges the comments and blanks before an item; order and blanks are the release's.
    fn lines(&mut self, at: &[String], b: Range<usize>, s: Range<usize>, r: Range<usize>) -> Result<(), Beyond> {
        let (base, site, release) =
            (solid(&self.base[b.clone()]), solid(&self.site[s.clone()]), solid(&self.release[r.clone()]));
        if self.comments_are_form || base == site {
            return Ok(());
        }
        let outcome = if site == release {
            Outcome::Already
        } else {
            let texts = [&self.base[b.clone()], &self.site[s.clone()], &self.release[r.clone()]];
            let dialect = Dialect { insertions: Insertions::Members, ..Dialect::default() };
            let merged =
                merge_text(texts[0], texts[1], texts[2], &dialect, &MergeOptions::default()).ok_or(Beyond)?;
            if !merged.decisions.is_empty() {
                // Comments that only went are no loss.
                let only_less = site.iter().all(|line| base.contains(line));
                return if only_less { Ok(()) } else { Err(Beyond) };
            }
            let mut bytes = merged.bytes;
            if !bytes.is_empty() && !bytes.ends_with(b"\n") {
                if r.end == self.release.len() {
                    if !self.release.ends_with(b"\n") && r.is_empty() {
                        bytes.insert(0, b'\n');
                    }
                } else {
                    bytes.push(b'\n');
                }
            }
            self.splices.push(Splice { at: r.clone(), bytes });
            Outcome::Kept
        };
        self.changes.push((
            at.to_vec(),
            KeyChange {
                pointer: String::new(),
                base: Some(b),
                site: Some(s),
                release: Some(r),
                result: None,
                outcome,
                step: None,
                reason: None,
                hint: None,
            },
        ));
        Ok(())
    }

    /// Merges the comment behind a value.
    fn after(&mut self, b: &Item, s: &Item, r: &Item) -> Result<(), Beyond> {
        let [base, site, release] =
            [(self.base, b), (self.site, s), (self.release, r)].map(|(text, i)| text[i.after.clone()].trim_ascii());
        // A comment that only went is no loss; where the release has another, that one stands.
        if self.comments_are_form || base == site || site == release || (site.is_empty() && base != release) {
            return Ok(());
        }
        if base != release && !release.is_empty() {
            return Err(Beyond);
        }
        self.splices.push(Splice { at: r.after.clone(), bytes: self.site[s.after.clone()].to_vec() });
        Ok(())
    }

    /// Merges a value that site and release both have.
    fn value(&mut self, at: &[String], b: Option<&Item>, s: &Item, r: &Item) -> Result<(), Beyond> {
        let [base, site, release] = [b, Some(s), Some(r)].map(|i| i.map(|i| i.body.canonical()));
        if let (Body::Map(si), Body::Map(ri)) = (&s.body, &r.body) {
            let none = Vec::new();
            let bi = match b.map(|b| &b.body) {
                Some(Body::Map(items)) => items,
                _ => &none,
            };
            // Also where no value differs: comments are within.
            return self.items(at, bi, si, ri, false);
        }
        let items = (b, Some(s), Some(r));
        let comments = || b.is_some_and(|b| self.comments_of_its_own(b, s) || self.remarked(b, r));
        if let (Some(Body::List(bi)), Body::List(si), Body::List(ri)) = (b.map(|b| &b.body), &s.body, &r.body)
            && (base != site && site != release && base != release || comments())
            && !(self.rules.hold && base == site)
            && let Some([bi, si, ri]) = self.told_apart(at, [bi, si, ri])
        {
            return self.items(at, &bi, &si, &ri, false);
        }
        if base == site {
            // Held at what it was, or the release's.
            return match b {
                _ if self.rules.hold && site != release => self.replace(s, r),
                Some(b) => self.remarks(at, b, s, r),
                None => Ok(()),
            };
        }
        if site == release {
            self.note(at, items, Outcome::Already, None, None);
            return Ok(());
        }
        if base == release && !b.is_some_and(|b| self.remarked(b, r)) {
            self.note(at, items, Outcome::Kept, None, None);
        } else if let Some(merged) = b.and_then(|b| self.within(at, b, s, r).or_else(|| self.with_remarks(b, s, r)))
        {
            self.note(at, items, Outcome::Kept, Some(Step::ByKey), None);
            self.splices.push(merged);
            return Ok(());
        } else {
            let sort = |body: &Body| match body {
                Body::Map(_) => 0,
                Body::List(_) => 1,
                Body::Leaf(text) => 2 + u8::from(text.starts_with('"')),
            };
            let retyped = b.is_some_and(|b| sort(&b.body) != sort(&r.body));
            let literal =
                |text: &[u8], i: &Item| String::from_utf8_lossy(text[i.value.clone()].trim_ascii()).into_owned();
            let as_theirs =
                if retyped { converted(&literal(self.site, s), &literal(self.release, r)) } else { None };
            if let (true, Some(text)) = (self.rules.bold, &as_theirs) {
                self.note(at, items, Outcome::Fitted, Some(Step::Retyped), None);
                self.splices.push(Splice { at: trimmed(self.release, &r.value), bytes: text.clone().into_bytes() });
                return Ok(());
            }
            let reason = if retyped { Reason::Retyped } else { Reason::BothChanged };
            self.note(at, items, Outcome::Open, None, Some(reason));
            if let Some((_, last)) = self.changes.last_mut() {
                last.hint = as_theirs.map(|t| format!("as the type that the release has: {t}"));
            }
        }
        self.replace(s, r)
    }

    /// Merges a value that all three write within brackets, item by item.
    fn within(&self, at: &[String], b: &Item, s: &Item, r: &Item) -> Option<Splice> {
        let flow = self.flow?;
        let forgotten = self.stay.get(&by_names(at)).cloned().unwrap_or_default();
        let part = |text: &'_ [u8], i: &Item| {
            matches!(i.body, Body::Leaf(_)).then(|| text[trimmed(text, &i.value)].to_vec())
        };
        let bytes = flow.merge(&part(self.base, b)?, &part(self.site, s)?, &part(self.release, r)?, &forgotten)?;
        Some(Splice { at: trimmed(self.release, &r.value), bytes })
    }

    /// Merges the comments in a value within brackets that the site left alone.
    fn remarks(&mut self, at: &[String], b: &Item, s: &Item, r: &Item) -> Result<(), Beyond> {
        let [base, site, release] = [(self.base, b), (self.site, s), (self.release, r)]
            .map(|(text, i)| bracketed(text, i).map(remarks).unwrap_or_default());
        if self.comments_are_form || base == site || site == release {
            return Ok(());
        }
        let merged = self.with_remarks(b, s, r).ok_or(Beyond)?;
        self.note(at, (Some(b), Some(s), Some(r)), Outcome::Kept, Some(Step::ByKey), None);
        self.splices.push(merged);
        Ok(())
    }

    /// Merges a value that all three write within brackets, comments and all, by its lines, where that is right by its
    /// items.
    fn with_remarks(&self, b: &Item, s: &Item, r: &Item) -> Option<Splice> {
        let flow = self.flow?;
        let [base, site, release] =
            [bracketed(self.base, b)?, bracketed(self.site, s)?, bracketed(self.release, r)?];
        let right = flow.merge_bare([base, site, release])?;
        let merged = merge_text(base, site, release, &Dialect::default(), &MergeOptions::default())?;
        let is_right = merged.decisions.is_empty() && flow.same(&merged.bytes, &right)?;
        is_right.then(|| Splice { at: trimmed(self.release, &r.value), bytes: merged.bytes })
    }

    /// Puts the site's value in place of the release's.
    fn replace(&mut self, s: &Item, r: &Item) -> Result<(), Beyond> {
        let leaf = |i: &Item| matches!(i.body, Body::Leaf(_));
        let (from, to) = (indent_at(self.site, s.start), indent_at(self.release, r.start));
        let (mut sv, mut rv) = (trimmed(self.site, &s.value), trimmed(self.release, &r.value));
        if !leaf(s) || !leaf(r) {
            // A block takes the place of a value, or a value that of a block.
            if is_comment(&self.release[r.after.clone()]) || is_comment(&self.site[s.after.clone()]) {
                return Err(Beyond);
            }
            (sv, rv) = (s.value.clone(), r.value.clone());
        } else if sv.is_empty() || rv.is_empty() {
            (sv, rv) = (s.value.clone(), r.value.clone());
        }
        let mut bytes = self.refit.write(&self.site[sv], from, to);
        if self.release[r.start] == b'[' && leaf(s) != leaf(r) {
            return Err(Beyond);
        }
        if rv.start == rv.end && bytes.first().is_some_and(|b| !b.is_ascii_whitespace()) {
            bytes.insert(0, b' ');
        }
        self.splices.push(Splice { at: rv, bytes });
        Ok(())
    }

    /// The release's text with everything put in its place.
    pub(super) fn spliced(&mut self) -> Vec<u8> {
        self.splices.sort_by_key(|s| (s.at.start, s.at.end));
        let mut out = Vec::with_capacity(self.release.len() + 256);
        let mut at = 0;
        for splice in &self.splices {
            out.extend_from_slice(&self.release[at..splice.at.start.max(at)]);
            out.extend_from_slice(&splice.bytes);
            at = at.max(splice.at.end);
        }
        out.extend_from_slice(&self.release[at..]);
        out
    }
}

/// Tells whether there are comments that were not there before.
fn has_more(comments: &[&[u8]], before: Vec<&[u8]>) -> bool {
    let before: HashSet<&[u8]> = before.into_iter().collect();
    comments.iter().any(|comment| !before.contains(comment))
}

/// A value without items of its own that is written within brackets; `None` for any other.
fn bracketed<'t>(text: &'t [u8], item: &Item) -> Option<&'t [u8]> {
    let value = text[item.value.clone()].trim_ascii();
    (matches!(item.body, Body::Leaf(_)) && matches!(value.first(), Some(b'[' | b'{'))).then_some(value)
}

/// A range without the blanks that it begins with.
fn trimmed(text: &[u8], range: &Range<usize>) -> Range<usize> {
    let lead = text[range.clone()].iter().take_while(|b| b.is_ascii_whitespace()).count();
    range.start + lead..range.end
}

/// Tells whether the items of three lists have names of their own, each another.
fn have_names(lists: [&[Item]; 3], rules: &Rules) -> bool {
    let all = || lists.into_iter().flatten();
    let leaves = all().all(|i| matches!(i.body, Body::Leaf(_)));
    let identified = all().all(|i| match &i.body {
        Body::Map(items) => items.iter().any(|i| rules.identity().any(|key| key == i.name)),
        _ => false,
    });
    let distinct = |list: &[Item]| list.iter().map(|i| &i.name).collect::<HashSet<_>>().len() == list.len();
    (leaves || identified) && lists.into_iter().all(distinct)
}

fn told(item: &Item, rules: &Rules) -> Told {
    Told { value: item.body.canonical(), parts: item.body.parts(rules) }
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

fn indent_at(text: &[u8], at: usize) -> &[u8] {
    let start = line_start(text, at);
    let width = text[start..].iter().take_while(|b| matches!(b, b' ' | b'\t')).count();
    &text[start..start + width]
}
