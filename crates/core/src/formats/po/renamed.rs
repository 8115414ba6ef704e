//! Messages that came under another id.

use std::collections::HashMap;

use super::entry::{Entry, Side};
use crate::catalog::Nearest;

/// The messages that the release put in.
pub(super) struct NewMessages<'e> {
    entries: Vec<&'e Entry>,
    nearest: Nearest,
}

impl<'e> NewMessages<'e> {
    pub(super) fn of(base: &Side<'_>, release: &'e Side<'_>) -> Self {
        let is_new = |entry: &&Entry| base.find(entry).is_none() && !entry.is_header();
        let entries: Vec<&Entry> = release.entries.iter().filter(is_new).collect();
        let mut nearest = Nearest::default();
        entries.iter().for_each(|entry| nearest.add(&entry.key.1));
        NewMessages { entries, nearest }
    }

    /// Which of them, with a translation of its own, a dropped one most likely became.
    pub(super) fn in_place_of(&self, gone: &Entry) -> Option<String> {
        let new = self.entries[self.nearest.find(&gone.key.1)?.0];
        let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
        let said = new.forms.first().map(|f| text(&f.1)).unwrap_or_default();
        Some(format!("the release reworded it: \"{}\" is \"{said}\" there", text(&new.key.1)))
    }
}

/// Messages whose id the release reworded under a wording of the site's: the site's entry by the release's, which
/// has no translation yet.
pub(super) fn reworded(base: &Side<'_>, site: &Side<'_>, release: &Side<'_>) -> HashMap<usize, usize> {
    let dropped = |s: &(usize, &Entry)| {
        let entry = s.1;
        let changed = base.find(entry).is_some_and(|b| b.texts() != entry.texts());
        changed && entry.is_translated() && release.find(entry).is_none()
    };
    let dropped: Vec<(usize, &Entry)> = site.entries.iter().enumerate().filter(dropped).collect();
    let mut out = HashMap::new();
    if dropped.is_empty() {
        return out;
    }
    let new = |r: &(usize, &Entry)| {
        !r.1.is_translated() && base.find(r.1).is_none() && site.find(r.1).is_none() && !r.1.is_header()
    };
    let new: Vec<(usize, &Entry)> = release.entries.iter().enumerate().filter(new).collect();
    let mut index = Nearest::default();
    new.iter().for_each(|(_, r)| index.add(&r.key.1));
    for (k, entry) in dropped {
        if let Some((home, _)) = index.find(&entry.key.1)
            && new[home].1.forms.len() == entry.forms.len()
            && new[home].1.key.0 == entry.key.0
        {
            out.entry(new[home].0).or_insert(k);
        }
    }
    out
}

/// Messages of which both sides changed the id, each to another: the site's entry by what it was and what it is in the
/// release.
pub(super) fn renamed_by_both<'e>([base, site, release]: [&'e Side<'_>; 3]) -> HashMap<usize, [&'e Entry; 2]> {
    let by_id = |side: &'e Side<'_>| -> HashMap<&[u8], usize> {
        let new = side.entries.iter().enumerate().filter(|(_, e)| base.find(e).is_none());
        new.map(|(k, e)| (e.key.1.as_slice(), k)).collect()
    };
    let ids = [by_id(site), by_id(release)];
    // What has the id in another context, or stands behind the entry before, or before the one behind, and is none of the
    // base's.
    let in_place_of = |which: usize, k: usize| -> Option<usize> {
        let side = [site, release][which];
        let before = k.checked_sub(1).and_then(|k| side.place(&base.entries[k])).map(|at| at + 1);
        let behind = || base.entries.get(k + 1).and_then(|e| side.place(e)).and_then(|at| at.checked_sub(1));
        let is_new = |at: &usize| side.entries.get(*at).is_some_and(|e| base.find(e).is_none());
        let same_id = ids[which].get(base.entries[k].key.1.as_slice()).copied();
        same_id.or_else(|| before.filter(is_new)).or_else(|| behind().filter(is_new))
    };
    let mut out = HashMap::new();
    for (k, entry) in base.entries.iter().enumerate() {
        if site.find(entry).is_none()
            && release.find(entry).is_none()
            && let (Some(own), Some(new)) = (in_place_of(0, k), in_place_of(1, k))
            && release.find(&site.entries[own]).is_none()
            && site.find(&release.entries[new]).is_none()
        {
            out.insert(own, [entry, &release.entries[new]]);
        }
    }
    out
}
