//! Entries that are commented out. Nothing uses them, but they are where a translator looks for the words of a message
//! that may come again: what the site did to them stays.

use std::collections::HashMap;
use std::ops::Range;

use super::entry::{Entry, Key, Side};
use super::{Sides, asked_if, change};
use crate::formats::keyed::KeyChange;
use crate::merge::{Outcome, Reason};

/// The pointer of an entry that is commented out.
pub(super) fn commented_out(entry: &Entry) -> String {
    entry.pointer() + "\0#~"
}

/// The entries of a version that are commented out, by key; `None` where it has one twice.
fn by_key<'e>(side: &'e Side<'_>) -> Option<HashMap<&'e Key, &'e Entry>> {
    let entries: HashMap<&Key, &Entry> = side.obsolete.iter().map(|entry| (&entry.key, entry)).collect();
    (entries.len() == side.obsolete.len()).then_some(entries)
}

/// Tells whether two entries say the same.
fn same(a: &Entry, b: &Entry) -> bool {
    a.texts() == b.texts() && a.plural == b.plural && a.comments == b.comments
}

impl Sides<'_, '_> {
    /// Does in a result what the site did to entries that are commented out; the result has those of the release. `None`
    /// where a version has one twice.
    pub(super) fn obsolete(&self, result: Vec<u8>, changes: &mut Vec<KeyChange>) -> Option<Vec<u8>> {
        let mut pairs = self.base.obsolete.iter().zip(&self.site.obsolete);
        let count = [self.base, self.site].map(|side| side.obsolete.len());
        if count[0] == count[1] && pairs.all(|(a, b)| a.key == b.key && same(a, b)) {
            return Some(result);
        }
        let there = Side::new(&result)?;
        let [before, own, new, at] =
            [by_key(self.base)?, by_key(self.site)?, by_key(self.release)?, by_key(&there)?];
        let mut spots: Vec<(Range<usize>, Vec<u8>)> = Vec::new();
        let mut put_behind = Vec::new();
        for entry in &self.site.obsolete {
            let old = before.get(&entry.key).copied();
            if old.is_some_and(|old| same(old, entry)) {
                continue;
            }
            let theirs = new.get(&entry.key).copied();
            let text = self.release.with_ends(&self.site.text[entry.span.clone()]);
            if old.is_none() && self.base.find(entry).is_some() {
                // The site itself commented it out: that it is not in use any more is told already.
                if there.find(entry).is_none() && !at.contains_key(&entry.key) {
                    put_behind.push(text);
                }
                continue;
            }
            let (outcome, reason) = match (theirs, at.get(&entry.key)) {
                (Some(theirs), _) if same(theirs, entry) => (Outcome::Already, None),
                (Some(theirs), Some(place)) => {
                    spots.push((place.span.clone(), text));
                    asked_if(!old.is_some_and(|old| same(old, theirs)), Reason::BothChanged)
                }
                // The release has the message again.
                _ if there.find(entry).is_some() => (Outcome::Open, Some(Reason::BothChanged)),
                _ => {
                    put_behind.push(text);
                    (Outcome::Kept, None)
                }
            };
            let whole = change(entry, old, Some(entry), theirs, outcome, reason);
            let [base, release] = [old, theirs].map(|e| e.map(|e| e.span.clone()));
            let site = Some(entry.span.clone());
            changes.push(KeyChange { pointer: commented_out(entry), base, site, release, ..whole });
        }
        for entry in self.base.obsolete.iter().filter(|entry| !own.contains_key(&entry.key)) {
            let theirs = new.get(&entry.key).copied();
            // In use again, it may not stand there twice.
            let is_used = there.find(entry).is_some();
            let (outcome, reason) = match (theirs, at.get(&entry.key)) {
                (Some(theirs), Some(place)) if is_used || same(theirs, entry) => {
                    spots.push((place.span.clone(), Vec::new()));
                    (Outcome::Kept, None)
                }
                (Some(_), _) => (Outcome::Open, Some(Reason::SiteDeleted)),
                (None, _) => (Outcome::Already, None),
            };
            if self.site.find(entry).is_none() {
                let whole = change(entry, Some(entry), None, theirs, outcome, reason);
                let (base, release) = (Some(entry.span.clone()), theirs.map(|e| e.span.clone()));
                changes.push(KeyChange { pointer: commented_out(entry), base, release, ..whole });
            }
        }
        Some(spliced(&there, spots, &put_behind))
    }
}

/// A text with some entries written anew or taken out, each with the blank line before it, and others behind the last.
fn spliced(side: &Side<'_>, mut spots: Vec<(Range<usize>, Vec<u8>)>, put_behind: &[Vec<u8>]) -> Vec<u8> {
    let end = side.line_end;
    let mut out = Vec::with_capacity(side.text.len());
    let mut at = 0;
    spots.sort_by_key(|(span, _)| span.start);
    for (span, text) in spots {
        let kept = &side.text[at..span.start];
        let parted = text.is_empty() && kept.ends_with(&[end, end].concat());
        out.extend_from_slice(if parted { &kept[..kept.len() - end.len()] } else { kept });
        out.extend(text);
        at = span.end;
    }
    out.extend_from_slice(&side.text[at..]);
    for text in put_behind {
        if !out.ends_with(end) {
            out.extend_from_slice(end);
        }
        out.extend_from_slice(end);
        out.extend_from_slice(text);
    }
    out
}

#[cfg(test)]
mod tests {
    use super::super::merge;
    use crate::merge::Outcome;

    const HEAD: &str = "msgid \"\"\nmsgstr \"\"\n\"Language: de\\n\"\n";

    fn catalog(entries: &[&str]) -> String {
        entries.iter().fold(HEAD.to_owned(), |text, entry| text + "\n" + entry)
    }

    #[test]
    fn an_entry_that_the_site_commented_out_is_commented_out() {
        let (used, other) = ("msgid \"A\"\nmsgstr \"a\"\n", "msgid \"B\"\nmsgstr \"b\"\n");
        let out = "#~ msgid \"A\"\n#~ msgstr \"a\"\n";
        let [base, site] = [catalog(&[used, other]), catalog(&[other, out])];
        for (release, expected) in [
            (base.clone(), site.clone()),
            (base.replace("\"b\"", "\"c\""), site.replace("\"b\"", "\"c\"")),
            (site.clone(), site.clone()),
        ] {
            let merged = merge(base.as_bytes(), site.as_bytes(), release.as_bytes()).expect("catalogs");
            assert_eq!(String::from_utf8(merged.bytes).expect("UTF-8"), expected);
            assert!(merged.changes.iter().all(|change| change.outcome != Outcome::Open));
        }
    }

    #[test]
    fn what_the_site_did_to_entries_that_are_commented_out_stays() {
        let [one, two, own] =
            ["Eins", "Zwei", "Eigen"].map(|text| format!("#~ msgid \"A{text}\"\n#~ msgstr \"{text}\"\n"));
        let worded = one.replace("\"Eins", "\"Ein");
        let used = one.replace("#~ ", "");
        let base = [one.as_str(), &two];
        for (site, release, expected, outcomes) in [
            (vec![&worded, &two], vec![&one, &two], vec![&worded, &two], vec![Outcome::Kept]),
            (vec![&worded, &two], vec![&two], vec![&two, &worded], vec![Outcome::Kept]),
            (vec![&worded, &two], vec![&worded, &two], vec![&worded, &two], vec![Outcome::Already]),
            (vec![&two], vec![&one, &two], vec![&two], vec![Outcome::Kept]),
            (vec![&one, &two, &own], vec![&one], vec![&one, &own], vec![Outcome::Kept]),
            (vec![&worded], vec![&used], vec![&used], vec![Outcome::Open, Outcome::Already]),
            (vec![&used, &two], vec![&one, &two], vec![&used, &two], vec![Outcome::Kept]),
        ] {
            let text = |entries: &[&String]| catalog(&entries.iter().map(|e| e.as_str()).collect::<Vec<_>>());
            let merged = merge(catalog(&base).as_bytes(), text(&site).as_bytes(), text(&release).as_bytes())
                .expect("catalogs");
            assert_eq!(String::from_utf8(merged.bytes).expect("UTF-8"), text(&expected));
            assert_eq!(merged.changes.iter().map(|c| c.outcome).collect::<Vec<_>>(), outcomes);
        }
    }
}
