//! Comments between the entries of a catalog, which are of none of them.

use std::collections::{HashMap, HashSet};
use std::ops::Range;

use super::entry::{Entry, Side};
use super::{Sides, asked_if, change};
use crate::formats::keyed::KeyChange;
use crate::merge::Reason;

/// The pointer of the comments that stand before an entry and are of none.
pub(super) fn loose_before(entry: &Entry) -> String {
    entry.pointer() + "\0# "
}

impl Sides<'_, '_> {
    /// Merges the comments that stand before entries and are of none.
    pub(super) fn loose(&self, changes: &mut Vec<KeyChange>) -> Loose {
        let mut out = Loose::default();
        for (k, entry) in self.base.entries.iter().enumerate() {
            // Before the same entry, or before a new one behind the same.
            let place = |side: &Side<'_>| {
                let new = || match k.checked_sub(1) {
                    None => Some(0),
                    Some(before) => side.place(&self.base.entries[before]).map(|at| at + 1),
                };
                let is_new = |at: &usize| side.entries.get(*at).is_some_and(|e| self.base.find(e).is_none());
                side.place(entry).or_else(|| new().filter(is_new))
            };
            let (of_site, of_release) = (place(self.site), place(self.release));
            out.of_site.extend(of_site);
            let base = self.base.loose(k);
            let site = of_site.and_then(|at| self.site.loose(at));
            let release = of_release.and_then(|at| self.release.loose(at));
            let said = |side: &Side<'_>, lines: &Option<Range<usize>>| -> Vec<Vec<u8>> {
                let text = lines.clone().map_or(&b""[..], |lines| &side.text[lines]);
                text.split(|byte| *byte == b'\n').map(|line| line.trim_ascii().to_vec()).collect()
            };
            let [b, s, r] = [said(self.base, &base), said(self.site, &site), said(self.release, &release)];
            if of_site.is_none() || s == b || s == r {
                continue;
            }
            // What the release has no place for any more stands before the next entry that it has.
            let behind = || self.base.entries[k..].iter().find_map(|e| self.release.place(e));
            let Some(at) = of_release.or_else(behind) else { continue };
            let next = &self.release.entries[at];
            let collided = of_release.is_some() && r != b;
            let (outcome, reason) =
                asked_if(collided, if site.is_some() { Reason::BothChanged } else { Reason::SiteDeleted });
            if site.is_some() || !collided {
                let mut own = self.release.with_ends(site.clone().map_or(&b""[..], |lines| &self.site.text[lines]));
                if release.is_none() && !own.is_empty() {
                    own.extend_from_slice(self.release.line_end);
                }
                let place = release.clone().unwrap_or(next.span.start..next.span.start);
                out.instead.entry(at).or_insert((place, own));
            }
            let whole = change(next, None, None, None, outcome, reason);
            changes.push(KeyChange { pointer: loose_before(next), base, site, release, ..whole });
        }
        out
    }
}

/// The comments of no entry, merged.
#[derive(Default)]
pub(super) struct Loose {
    /// Before which entries of the release others stand: instead of what, and which.
    pub(super) instead: HashMap<usize, (Range<usize>, Vec<u8>)>,
    /// Before which entries of the site they were looked at.
    pub(super) of_site: HashSet<usize>,
}

impl Loose {
    /// What stands in a release before one of its entries, behind a place.
    pub(super) fn gap(&self, release: &Side<'_>, k: usize, from: usize) -> Vec<u8> {
        let end = release.entries[k].span.start;
        match self.instead.get(&k) {
            None => release.text[from..end].to_vec(),
            Some((lines, own)) => [&release.text[from..lines.start], own, &release.text[lines.end..end]].concat(),
        }
    }
}
