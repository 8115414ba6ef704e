//! Gettext catalogs (PO and POT): merging by entry.
//!
//! An entry is known by its context and message id. The site's wording wins where the site changed it, the
//! vendor's where only the vendor did; comments and the fields of the header merge by themselves. Order, the lines that
//! references name, dates and wrapping are the release's; untouched entries are the release's bytes. Format: GNU gettext
//! manual, "The Format of PO Files".

mod comments;
mod entry;
mod header;

use std::borrow::Cow;
use std::collections::HashMap;
use std::ops::Range;

use self::comments::{Comments, Rewritten, flagged};
use self::entry::{Entry, Side};
use self::header::Headers;
use super::keyed::{KeyChange, KeyedMerge};
use crate::catalog::Nearest;
use crate::merge::{Outcome, Reason, Step};

/// Which new message of the release, with a translation of its own, a dropped one most likely became.
fn took_its_place(gone: &Entry, base: &Side<'_>, release: &Side<'_>) -> Option<String> {
    let mut index = Nearest::default();
    let new: Vec<&Entry> = release.entries.iter().filter(|r| base.find(r).is_none() && !r.is_header()).collect();
    new.iter().for_each(|r| index.add(&r.key.1));
    let (k, _) = index.find(&gone.key.1)?;
    let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
    let said = new[k].forms.first().map(|f| text(&f.1)).unwrap_or_default();
    Some(format!("the release reworded it: \"{}\" is \"{said}\" there", text(&new[k].key.1)))
}

/// Messages whose id the release reworded under a wording of the site's: the site's entry by the release's, which
/// has no translation yet.
fn reworded(base: &Side<'_>, site: &Side<'_>, release: &Side<'_>) -> HashMap<usize, usize> {
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

/// What becomes of one entry of the release.
enum Fate<'a> {
    Text(Cow<'a, [u8]>),
    Gone,
}

/// Merges three versions of a catalog; `None` where one of them cannot be read or repeats an entry.
pub(crate) fn merge(base: &[u8], site: &[u8], release: &[u8]) -> Option<KeyedMerge> {
    let (base, site, release) = (Side::new(base)?, Side::new(site)?, Side::new(release)?);
    if release.entries.is_empty() || site.entries.is_empty() {
        return None;
    }
    let mut changes: Vec<KeyChange> = Vec::new();
    let mut pieces: Vec<(Option<usize>, Fate<'_>)> = Vec::new();
    let reworded = reworded(&base, &site, &release);
    let rules = (site.plural_rule(), release.plural_rule());
    let counts_anew = matches!(rules, (Some(site), Some(release)) if !site.counts_like(&release));
    let rewritten = Rewritten::between(&base, &site);
    let sides = Sides { base: &base, site: &site, release: &release, counts_anew, rewritten };
    for (k, entry) in release.entries.iter().enumerate() {
        let (b, s) = (base.find(entry), site.find(entry));
        if let Some(before) = reworded.get(&k).map(|s| &site.entries[*s]) {
            changes.push(KeyChange {
                step: Some(Step::RenamedKey),
                ..change(entry, base.find(before), Some(before), Some(entry), Outcome::Moved, None)
            });
            pieces.push((Some(k), Fate::Text(Cow::Owned(as_reworded(&site, before, &release, entry)))));
            continue;
        }
        pieces.push((Some(k), sides.entry([b, s], entry, &mut changes)));
    }
    // What only the site has stays, after the entry that it followed; what the release dropped under a change of
    // the site's becomes obsolete.
    let mut obsolete: Vec<u8> = Vec::new();
    let end = release.line_end();
    let renamed = renamed_by_both([&base, &site, &release]);
    let mut inserted: HashMap<usize, Vec<u8>> = HashMap::new();
    for (k, entry) in site.entries.iter().enumerate() {
        if release.find(entry).is_some() || reworded.values().any(|s| *s == k) {
            continue;
        }
        let b = base.find(entry);
        match b {
            Some(b) if b.texts() == entry.texts() => {}
            Some(_) => {
                changes.push(KeyChange {
                    hint: took_its_place(entry, &base, &release),
                    ..change(entry, b, Some(entry), None, Outcome::Open, Some(Reason::KeyGone))
                });
                for line in site.text[entry.head.start..entry.span.end].split(|b| *b == b'\n') {
                    let line = line.trim_ascii();
                    if !line.is_empty() {
                        obsolete.extend([b"#~ ", line, end].concat());
                    }
                }
                obsolete.extend_from_slice(end);
            }
            None => {
                changes.push(match renamed.get(&k) {
                    None => change(entry, None, Some(entry), None, Outcome::Kept, None),
                    Some([old, new]) => {
                        let whole = |e: &Entry| Some(e.span.clone());
                        let [base, site, release] = [whole(old), whole(entry), whole(new)];
                        let asked = change(
                            entry,
                            Some(old),
                            Some(entry),
                            Some(new),
                            Outcome::Open,
                            Some(Reason::BothChanged),
                        );
                        KeyChange { base, site, release, ..asked }
                    }
                });
                let before = site.entries[..k].iter().rev().find_map(|e| release.place(e));
                let text = site.text[entry.span.clone()].split(|b| *b == b'\n').map(<[u8]>::trim_ascii_end);
                let mut text = text.collect::<Vec<_>>().join(end);
                if !text.ends_with(end) {
                    text.extend_from_slice(end);
                }
                let place = inserted.entry(before.map_or(0, |b| b + 1)).or_default();
                place.extend_from_slice(end);
                place.extend(text);
            }
        }
    }
    let is_renamed = |e: &Entry| renamed.values().any(|[old, _]| std::ptr::eq(*old, e));
    let gone = |e: &&Entry| site.find(e).is_none() && release.find(e).is_none() && !is_renamed(e);
    for entry in base.entries.iter().filter(gone) {
        changes.push(change(entry, Some(entry), None, None, Outcome::Already, None));
    }

    let loose = sides.loose(&mut changes);
    let mut out = Vec::with_capacity(release.text.len() + 1024);
    let mut at = 0;
    for (k, fate) in &pieces {
        let Some(k) = k else { continue };
        let span = &release.entries[*k].span;
        match fate {
            Fate::Text(text) => {
                match loose.get(k) {
                    None => out.extend_from_slice(&release.text[at..span.start]),
                    Some((lines, own)) => {
                        out.extend_from_slice(&release.text[at..lines.start]);
                        out.extend_from_slice(own);
                        out.extend_from_slice(&release.text[lines.end..span.start]);
                    }
                }
                if *k == 0
                    && let Some(text) = inserted.get(&0)
                {
                    out.extend_from_slice(text);
                }
                out.extend_from_slice(text);
                if text.last() != Some(&b'\n') && (inserted.contains_key(&(k + 1)) || *k + 1 < pieces.len()) {
                    out.extend_from_slice(end);
                }
            }
            Fate::Gone => {
                // The blank line before goes along.
                let gap = &release.text[at..span.start];
                out.extend_from_slice(gap.strip_suffix(end).unwrap_or(gap));
            }
        }
        at = span.end;
        if let Some(text) = inserted.get(&(k + 1)) {
            out.extend_from_slice(text);
        }
    }
    out.extend_from_slice(&release.text[at..]);
    if !obsolete.is_empty() {
        if out.last() != Some(&b'\n') {
            out.extend_from_slice(end);
        }
        out.extend_from_slice(end);
        obsolete.truncate(obsolete.len() - end.len());
        out.extend(obsolete);
    }

    let result = Side::new(&out)?;
    let mut places: HashMap<String, Range<usize>> = HashMap::new();
    for (k, entry) in result.entries.iter().enumerate() {
        places.insert(entry.pointer(), entry.translations());
        places.extend(entry.commented().map(|lines| (comments_of(entry), lines)));
        places.extend(result.loose(k).map(|lines| (loose_before(entry), lines)));
        if entry.is_header() {
            let fields = header::fields(&out, entry).into_iter();
            places.extend(fields.map(|field| (header::pointer(entry, &field), field.span)));
        }
    }
    for change in &mut changes {
        change.result = places.get(&change.pointer).cloned();
    }
    drop(result);
    Some(KeyedMerge { bytes: out, changes, rewritten: false })
}

fn change(
    entry: &Entry,
    base: Option<&Entry>,
    site: Option<&Entry>,
    release: Option<&Entry>,
    outcome: Outcome,
    reason: Option<Reason>,
) -> KeyChange {
    let span = |e: Option<&Entry>| e.map(Entry::translations);
    KeyChange {
        pointer: entry.pointer(),
        base: span(base),
        // An entry that only the site has counts with all of its lines.
        site: if base.is_none() { site.map(|e| e.span.clone()) } else { span(site) },
        release: span(release),
        result: None,
        outcome,
        step: None,
        reason,
        hint: None,
    }
}

/// The pointer of an entry's comments.
fn comments_of(entry: &Entry) -> String {
    entry.pointer() + "\0#"
}

/// The pointer of the comments that stand before an entry and are of none.
fn loose_before(entry: &Entry) -> String {
    entry.pointer() + "\0# "
}

/// Messages of which both sides changed the id, each to another: the site's entry by what it was and what it is in the
/// release.
fn renamed_by_both<'e>([base, site, release]: [&'e Side<'_>; 3]) -> HashMap<usize, [&'e Entry; 2]> {
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

/// The three versions, and what tells how to merge an entry.
struct Sides<'s, 'a> {
    base: &'s Side<'a>,
    site: &'s Side<'a>,
    release: &'s Side<'a>,
    /// The release has another rule for plural forms.
    counts_anew: bool,
    rewritten: Rewritten,
}

impl<'a> Sides<'_, 'a> {
    /// Merges one entry that the release has.
    fn entry(&self, [b, s]: [Option<&Entry>; 2], r: &Entry, changes: &mut Vec<KeyChange>) -> Fate<'a> {
        let Sides { base, site, release, .. } = *self;
        let kept = Fate::Text(Cow::Borrowed(&release.text[r.span.clone()]));
        let Some(s) = s else {
            let Some(b) = b else { return kept };
            // The site took the entry out.
            let same = b.texts() == r.texts();
            let (outcome, reason) =
                if same { (Outcome::Kept, None) } else { (Outcome::Open, Some(Reason::SiteDeleted)) };
            changes.push(change(r, Some(b), None, Some(r), outcome, reason));
            return if same { Fate::Gone } else { kept };
        };
        let commented = comments::merge(b, s, r, &self.rewritten);
        if let Some(Comments { collided, .. }) = commented {
            let (outcome, reason) = asked_if(collided, Reason::BothChanged);
            let [base, site, release] = [b.and_then(Entry::commented), s.commented(), r.commented()];
            let whole = change(r, b, Some(s), Some(r), outcome, reason);
            changes.push(KeyChange { pointer: comments_of(r), base, site, release, ..whole });
        }
        let comments = commented.as_ref().map_or(&r.comments, |merged| &merged.lines);
        let worded = match b.filter(|_| r.is_header()) {
            Some(b) => {
                let fields = Headers { sides: [base, site, release], entries: [b, s, r] }.merge(changes);
                fields.map(|fields| (r.is_fuzzy(), [&release.text[r.head.clone()], &fields].concat()))
            }
            None if r.is_header() => None,
            None => self.wording(b, s, r, changes),
        };
        if worded.is_none() && commented.is_none() {
            return kept;
        }
        let (fuzzy, strings) =
            worded.unwrap_or_else(|| (r.is_fuzzy(), release.text[r.head.start..r.span.end].to_vec()));
        Fate::Text(Cow::Owned(commented_with(&flagged(comments, fuzzy), &strings, release)))
    }

    /// The strings of an entry, and whether they are marked as unsure; `None` where the site changed nothing there.
    fn wording(
        &self,
        b: Option<&Entry>,
        s: &Entry,
        r: &Entry,
        changes: &mut Vec<KeyChange>,
    ) -> Option<(bool, Vec<u8>)> {
        let (site, release) = (self.site, self.release);
        let spoke = b.map_or(s.is_translated(), |b| b.texts() != s.texts());
        let marked = b.is_some_and(|b| b.is_fuzzy() != s.is_fuzzy());
        let counted = b.is_some_and(|b| b.plural != s.plural && r.plural != s.plural);
        if !spoke && !marked && !counted {
            return None;
        }
        if s.texts() == r.texts() && !marked && !counted {
            changes.push(change(r, b, Some(s), Some(r), Outcome::Already, None));
            return None;
        }
        // Forms that were written for another rule are for other numbers, and one without a number is for all of them.
        let recounted = self.counts_anew && spoke && (r.forms.len() > 1 || s.forms.len() > 1);
        let forms_fit = s.plural.is_some() == r.plural.is_some();
        let other_plural = counted && b.is_some_and(|b| b.plural != r.plural);
        let mut collided = recounted || spoke && !forms_fit || other_plural;
        let text_of = |e: Option<&Entry>, k: usize| {
            e.and_then(|e| e.forms.get(k)).map_or_else(Vec::new, |(_, text)| text.clone())
        };
        let mut strings = match counted && forms_fit {
            true => release.with_ends(&site.text[s.head.clone()]),
            false => release.text[r.head.clone()].to_vec(),
        };
        for (k, (lines, text)) in r.forms.iter().enumerate() {
            let (bt, st) = (text_of(b, k), text_of(Some(s), k));
            let from_site = if st == bt || st == *text || !spoke {
                false
            } else {
                collided |= *text != bt && !text.is_empty() && !(b.is_none() && st.is_empty());
                !st.is_empty() || text == &bt
            };
            match s.forms.get(k).filter(|_| from_site) {
                Some((own, _)) => {
                    strings.extend(as_form(&site.text[own.clone()], &release.text[lines.clone()], release));
                }
                None => strings.extend_from_slice(&release.text[lines.clone()]),
            }
        }
        let fuzzy = if collided {
            true
        } else if spoke || marked {
            s.is_fuzzy()
        } else {
            r.is_fuzzy()
        };
        let reason = if recounted { Reason::PluralRule } else { Reason::BothChanged };
        let (outcome, reason) = asked_if(collided, reason);
        let whole = change(r, b, Some(s), Some(r), outcome, reason);
        changes.push(match counted {
            // Its id is part of the question.
            true => {
                let of = |e: &Entry| e.head.start..e.translations().end;
                KeyChange { base: b.map(of), site: Some(of(s)), release: Some(of(r)), ..whole }
            }
            false => whole,
        });
        Some((fuzzy, strings))
    }

    /// Merges the comments that stand before entries and are of none: where the release has them, and what stands there
    /// instead.
    fn loose(&self, changes: &mut Vec<KeyChange>) -> HashMap<usize, (Range<usize>, Vec<u8>)> {
        let mut out = HashMap::new();
        for (k, entry) in self.release.entries.iter().enumerate() {
            let (Some(b), Some(s)) = (self.base.place(entry), self.site.place(entry)) else { continue };
            let [base, site, release] = [self.base.loose(b), self.site.loose(s), self.release.loose(k)];
            let said = |side: &Side<'_>, lines: &Option<Range<usize>>| -> Vec<Vec<u8>> {
                let text = lines.clone().map_or(&b""[..], |lines| &side.text[lines]);
                text.split(|byte| *byte == b'\n').map(|line| line.trim_ascii().to_vec()).collect()
            };
            let [b, s, r] = [said(self.base, &base), said(self.site, &site), said(self.release, &release)];
            if s == b || s == r {
                continue;
            }
            let (outcome, reason) =
                asked_if(r != b, if site.is_some() { Reason::BothChanged } else { Reason::SiteDeleted });
            let place = release.clone().unwrap_or(entry.span.start..entry.span.start);
            if site.is_some() || r == b {
                let mut own = self.release.with_ends(site.clone().map_or(&b""[..], |lines| &self.site.text[lines]));
                if release.is_none() {
                    own.extend_from_slice(self.release.line_end());
                }
                out.insert(k, (place, own));
            }
            let whole = change(entry, None, None, None, outcome, reason);
            changes.push(KeyChange { pointer: loose_before(entry), base, site, release, ..whole });
        }
        out
    }
}

/// What becomes of a change that is a question where both sides made it.
fn asked_if(collided: bool, reason: Reason) -> (Outcome, Option<Reason>) {
    if collided { (Outcome::Open, Some(reason)) } else { (Outcome::Kept, None) }
}

/// An entry of comment lines and strings.
fn commented_with(comments: &[Vec<u8>], strings: &[u8], release: &Side<'_>) -> Vec<u8> {
    let mut text: Vec<u8> = comments.iter().flat_map(|line| [line, release.line_end()].concat()).collect();
    text.extend_from_slice(strings);
    text
}

/// The release's entry with the wording that the site gave to the one that it took the place of, marked as unsure.
fn as_reworded(site: &Side<'_>, before: &Entry, release: &Side<'_>, entry: &Entry) -> Vec<u8> {
    let notes = comments::merge(None, before, entry, &Rewritten::none());
    let mut comments = flagged(notes.as_ref().map_or(&entry.comments, |merged| &merged.lines), true);
    for line in release.with_ends(&site.text[before.head.clone()]).split(|byte| *byte == b'\n') {
        let line = line.trim_ascii_end();
        comments.extend((!line.is_empty()).then(|| [b"#| ", line].concat()));
    }
    let mut strings = release.text[entry.head.clone()].to_vec();
    for ((own, _), (lines, _)) in before.forms.iter().zip(&entry.forms) {
        strings.extend(as_form(&site.text[own.clone()], &release.text[lines.clone()], release));
    }
    commented_with(&comments, &strings, release)
}

/// A translation of the site's in place of one of the release's: which form it is is for that to say.
fn as_form(own: &[u8], in_place_of: &[u8], release: &Side<'_>) -> Vec<u8> {
    let (before, after) = (keyword(own), keyword(in_place_of));
    let text = release.with_ends(own);
    if before.trim_ascii() == after.trim_ascii() { text } else { [after, &text[before.len()..]].concat() }
}

/// What stands before the text of a translation: `msgstr`, or `msgstr[n]`.
fn keyword(lines: &[u8]) -> &[u8] {
    &lines[..lines.iter().position(|byte| *byte == b'"').unwrap_or(0)]
}

#[cfg(test)]
mod tests {
    use super::*;

    const HEAD: &str = "msgid \"\"\nmsgstr \"\"\n\"Language: pl\\n\"\n\"PO-Revision-Date: 1\\n\"\n";

    fn catalog(entries: &str) -> String {
        format!("{HEAD}\n{entries}")
    }

    fn merged(base: &str, site: &str, release: &str) -> (String, Vec<Outcome>) {
        let merge = merge(base.as_bytes(), site.as_bytes(), release.as_bytes()).unwrap();
        (String::from_utf8(merge.bytes).unwrap(), merge.changes.iter().map(|c| c.outcome).collect())
    }

    #[test]
    fn a_header_field_that_was_empty_is_filled_in() {
        let head = |team: &str, name: &str| {
            format!(
                "msgid \"\"\nmsgstr \"\"\n\"Language: pl\\n\"\n\"Language-Team:{team}\\n\"\n\"X-Name: {name}\\n\"\n"
            )
        };
        let merged =
            merge(head("", "a").as_bytes(), head(" us", "a").as_bytes(), head("", "b").as_bytes()).unwrap();
        assert_eq!(String::from_utf8(merged.bytes).unwrap(), head(" us", "b"));
    }

    #[test]
    fn wording_merges_by_entry_and_the_rest_is_the_releases() {
        let base = catalog("#: a:1\nmsgid \"A\"\nmsgstr \"a\"\n\n#: b:2\nmsgid \"B\"\nmsgstr \"b\"\n");
        let site =
            base.replace("\"b\"", "\"b own\"").replace("Date: 1", "Date: 5") + "\nmsgid \"O\"\nmsgstr \"o\"\n";
        let release =
            catalog("#: b:9\nmsgid \"B\"\nmsgstr \"b\"\n\n#: a:7\nmsgid \"A\"\nmsgstr \"\"\n\"a \"\n\"new\"\n")
                .replace("Date: 1", "Date: 9");
        let (text, outcomes) = merged(&base, &site, &release);
        let expected =
            release.replace("\"b\"", "\"b own\"").replace("own\"\n", "own\"\n\nmsgid \"O\"\nmsgstr \"o\"\n");
        assert_eq!(text, expected);
        assert_eq!(outcomes, [Outcome::Kept, Outcome::Kept]);
    }

    #[test]
    fn one_wording_changed_by_both_is_asked_and_marked_fuzzy() {
        let base = catalog("msgid \"A\"\nmsgstr \"a\"\n");
        let (text, outcomes) = merged(&base, &base.replace("\"a\"", "\"s\""), &base.replace("\"a\"", "\"r\""));
        assert_eq!(text, catalog("#, fuzzy\nmsgid \"A\"\nmsgstr \"s\"\n"));
        assert_eq!(outcomes, [Outcome::Open]);
    }

    #[test]
    fn plural_forms_merge_one_by_one() {
        let base =
            catalog("#, c-format\nmsgid \"%d a\"\nmsgid_plural \"%d as\"\nmsgstr[0] \"1\"\nmsgstr[1] \"2\"\n");
        let (text, outcomes) = merged(&base, &base.replace("\"1\"", "\"one\""), &base.replace("\"2\"", "\"two\""));
        assert_eq!(text, base.replace("\"1\"", "\"one\"").replace("\"2\"", "\"two\""));
        assert_eq!(outcomes, [Outcome::Kept]);
    }

    #[test]
    fn a_wording_for_all_numbers_is_asked_about_where_the_release_counts() {
        let base = catalog("msgid \"a\"\nmsgstr \"1\"\n");
        let release = catalog("msgid \"a\"\nmsgid_plural \"as\"\nmsgstr[0] \"1\"\nmsgstr[1] \"2\"\n");
        let (text, outcomes) = merged(&base, &base.replace("\"1\"", "\"own\""), &release);
        assert_eq!(text, release.replace("msgid \"a\"", "#, fuzzy\nmsgid \"a\"").replace("\"1\"", "\"own\""));
        assert_eq!(outcomes, [Outcome::Open]);
        let (text, outcomes) = merged(&release, &release.replace("\"1\"", "\"own\""), &base);
        assert_eq!(text, base.replace("msgid \"a\"", "#, fuzzy\nmsgid \"a\"").replace("\"1\"", "\"own\""));
        assert_eq!(outcomes, [Outcome::Open]);
    }

    #[test]
    fn a_dropped_message_with_the_sites_wording_becomes_obsolete() {
        let base = catalog("msgid \"A\"\nmsgstr \"a\"\n\nmsgid \"B\"\nmsgstr \"b\"\n");
        let (text, outcomes) =
            merged(&base, &base.replace("\"b\"", "\"own\""), &catalog("msgid \"A\"\nmsgstr \"a\"\n"));
        assert_eq!(text, catalog("msgid \"A\"\nmsgstr \"a\"\n\n#~ msgid \"B\"\n#~ msgstr \"own\"\n"));
        assert_eq!(outcomes, [Outcome::Open]);
    }

    #[test]
    fn a_reworded_message_takes_the_sites_wording_along_as_unsure() {
        let base = catalog("msgid \"Opening hours\"\nmsgstr \"Zeiten\"\n");
        let site = base.replace("Zeiten", "Wann wir mahlen");
        let release = catalog("#: a:1\nmsgid \"Opening hours today\"\nmsgstr \"\"\n");
        let (text, outcomes) = merged(&base, &site, &release);
        assert_eq!(
            text,
            catalog(
                "#: a:1\n#, fuzzy\n#| msgid \"Opening hours\"\nmsgid \"Opening hours today\"\nmsgstr \"Wann wir mahlen\"\n"
            )
        );
        assert_eq!(outcomes, [Outcome::Moved]);
        let worded = release.replace("today\"\nmsgstr \"\"", "today\"\nmsgstr \"Heute\"");
        assert_eq!(merged(&base, &site, &worded).1, [Outcome::Open], "the vendor translated it anew");
    }

    #[test]
    fn another_plural_rule_is_asked_where_the_site_worded_forms() {
        let head = |rule: &str| HEAD.to_string() + &format!("\"Plural-Forms: nplurals=2; plural={rule};\\n\"\n");
        let entry =
            |one: &str| format!("\nmsgid \"%d a\"\nmsgid_plural \"%d as\"\nmsgstr[0] \"{one}\"\nmsgstr[1] \"2\"\n");
        let (base, site) = (head("n != 1") + &entry("1"), head("n != 1") + &entry("one"));
        let (text, outcomes) = merged(&base, &site, &(head("n > 1") + &entry("1")));
        assert_eq!(outcomes, [Outcome::Open]);
        assert!(text.contains("#, fuzzy") && text.contains("\"one\"") && text.contains("n > 1"));
        assert_eq!(merged(&base, &site, &(head("(n==1 ? 0 : 1)") + &entry("1"))).1, [Outcome::Kept]);
    }

    #[test]
    fn contexts_tell_entries_apart_and_nonsense_is_refused() {
        let parse = |text| Side::new(text);
        let side = parse(b"msgctxt \"\"\nmsgid \"A\"\nmsgstr \"\"\nmsgid \"A\"\nmsgstr \"\"\n").unwrap();
        assert_eq!(side.entries.len(), 2);
        assert!(parse(b"msgid \"A\"\nmsgstr \"a\"\n\nmsgid \"A\"\nmsgstr \"b\"\n").is_none(), "twice");
        assert!(parse(b"msgid \"A\nmsgstr \"a\"\n").is_none(), "an open string");
        assert!(parse(b"hello\n").is_none());
    }

    #[test]
    fn comments_and_fields_of_the_header_merge_by_what_they_are_for() {
        let base = "# Team A\n".to_string()
            + HEAD
            + "\"Team: a\\n\"\n\n# loose\n\n# note\n#. x y\n#: a:1 b:2\n#, c-format\nmsgid \"A\"\nmsgstr \"a\"\n";
        let release = base.replace("b:2", "b:7").replace("Language: pl", "Language: pl_PL");
        // One side's change is done, whatever it is of.
        for (old, own) in [
            ("Team A", "Team B"),
            ("Team: a", "Team: b"),
            ("\"Team: a\\n\"\n", "\"Team: a\\n\"\n\"Own: b\\n\"\n"),
            ("\"Team: a\\n\"\n", ""),
            ("# loose", "# own"),
            ("# note\n", "# note\n# own\n"),
            ("#. x y", "#. own"),
            ("a:1 b", "a:1 own:4 b"),
            ("c-format", "c-format, no-wrap"),
        ] {
            let (text, outcomes) = merged(&base, &base.replace(old, own), &release);
            assert_eq!((text, outcomes), (release.replace(old, own), vec![Outcome::Kept]), "{own}");
        }
        // Both sides' are asked about, and the site's stands; but not where a tool wrote them.
        for (old, own, new) in [
            ("Team A", "Team B", "Team C"),
            ("Team: a", "Team: b", "Team: c"),
            ("Date: 1", "Date: soon", "Date: 2"),
            ("loose", "own", "new"),
            ("# note", "# own", "# new"),
            ("x y", "own", "new"),
            ("a:1", "own:1", "new:1"),
            ("c-format", "own-format", "new-format"),
            ("id \"A\"", "id \"A\"\nmsgid_plural \"own\"", "id \"A\"\nmsgid_plural \"new\""),
        ] {
            let site = base.replace(old, own);
            let (text, outcomes) = merged(&base, &site, &release.replace(old, new));
            assert_eq!(outcomes, [Outcome::Open], "{own}");
            assert_eq!(
                text.replace("#, fuzzy, ", "#, "),
                release.replace(old, own).replace("own:1 b:7", "own:1 b:2"),
                "{own}"
            );
        }
        let (text, outcomes) = merged(
            &base,
            &base.replace("Date: 1", "Date: 5").replace("a:1", "a:5"),
            &release.replace("Date: 1", "Date: 9"),
        );
        assert_eq!((text, outcomes), (release.replace("Date: 1", "Date: 9"), vec![]));
        // A file's name and the line in it are two things.
        assert_eq!(merged(&base, &base.replace("b:2", "own:2"), &release).0, release.replace("b:7", "own:7"));
    }

    #[test]
    fn references_that_a_tool_wrote_anew_are_the_releases() {
        let of = |folder: &str, line: usize| {
            catalog(
                &(0..40)
                    .map(|k| format!("#: {folder}a:{line}\nmsgid \"{k}\"\nmsgstr \"\"\n\n"))
                    .collect::<String>(),
            )
        };
        let (base, release) = (of("", 1), of("new/", 2));
        assert_eq!(merged(&base, &of("own/", 1), &release), (release, vec![]));
    }

    #[test]
    fn an_id_that_both_changed_is_asked_about() {
        let base = catalog("msgid \"A\"\nmsgstr \"a\"\n\nmsgid \"B\"\nmsgstr \"b\"\n");
        let (text, outcomes) = merged(&base, &base.replace("\"B\"", "\"own\""), &base.replace("\"B\"", "\"new\""));
        assert_eq!(text, base.replace("\"B\"", "\"own\"") + "\nmsgid \"new\"\nmsgstr \"b\"\n");
        assert_eq!(outcomes, [Outcome::Open]);
        let in_context = base.replace("msgid \"B\"", "msgctxt \"c\"\nmsgid \"B\"");
        assert_eq!(merged(&base, &base.replace("\"B\"", "\"own\""), &in_context).1, [Outcome::Open]);
    }

    #[test]
    fn laws_hold_on_catalogs() {
        let base = catalog("# note\nmsgid \"A\"\nmsgstr \"a\"\n\nmsgid \"B\"\nmsgstr \"b\"\n");
        let release = catalog(
            "msgid \"C\"\nmsgstr \"c\"\n\n# note\nmsgid \"A\"\nmsgstr \"x\"\n\n#~ msgid \"old\"\n#~ msgstr \"o\"\n",
        );
        let site = base.replace("# note", "# our note").replace("msgid \"B\"\nmsgstr \"b\"\n", "");
        assert_eq!(merged(&base, &base, &release).0, release);
        assert_eq!(merged(&base, &release, &release).0, release);
        let kept = merged(&base, &site, &base).0;
        assert_eq!(kept.trim_end(), site.trim_end());
    }
}
