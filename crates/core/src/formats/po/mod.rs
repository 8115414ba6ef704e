//! Gettext catalogs (PO and POT): merging by entry.
//!
//! An entry is known by its context and message id. The site's wording wins where the site changed it, the
//! vendor's where only the vendor did; comments and the fields of the header merge by themselves. Order, the lines that
//! references name, dates and wrapping are the release's; untouched entries are the release's bytes. Format: GNU gettext
//! manual, "The Format of PO Files".

mod comments;
mod entry;
mod header;
mod loose;
mod obsolete;
mod renamed;
mod words;

use std::borrow::Cow;
use std::cell::LazyCell;
use std::collections::{HashMap, HashSet};
use std::ops::Range;

use self::comments::Rewritten;
use self::entry::{Entry, Side};
use self::loose::{Loose, loose_before};
use self::obsolete::commented_out;
use self::renamed::{NewMessages, renamed_by_both, reworded};
use self::words::{Fate, as_reworded};
use super::keyed::{KeyChange, KeyedMerge};
use crate::merge::{Outcome, Reason, Step};

/// Merges three versions of a catalog; `None` where one of them cannot be read or repeats an entry.
pub(crate) fn merge(base: &[u8], site: &[u8], release: &[u8]) -> Option<KeyedMerge> {
    let (base, site, release) = (Side::new(base)?, Side::new(site)?, Side::new(release)?);
    if release.entries.is_empty() || site.entries.is_empty() {
        return None;
    }
    let mut changes: Vec<KeyChange> = Vec::new();
    let mut pieces: Vec<Fate<'_>> = Vec::new();
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
            pieces.push(Fate::Text(Cow::Owned(as_reworded(&site, before, &release, entry))));
            continue;
        }
        pieces.push(sides.entry([b, s], entry, &mut changes));
    }
    let renamed = renamed_by_both([&base, &site, &release]);
    let loose = sides.loose(&mut changes);
    let own = sides.of_the_site_alone(&reworded, &renamed, &loose, &mut changes);
    let renamed: HashSet<&entry::Key> = renamed.values().map(|[old, _]| &old.key).collect();
    let gone = |e: &&Entry| site.find(e).is_none() && release.find(e).is_none() && !renamed.contains(&e.key);
    for entry in base.entries.iter().filter(gone) {
        changes.push(change(entry, Some(entry), None, None, Outcome::Already, None));
    }
    let bytes = sides.obsolete(written(&release, &pieces, &loose, own), &mut changes)?;
    find_in(&Side::new(&bytes)?, &mut changes);
    Some(KeyedMerge { bytes, changes, rewritten: false, renamed: false })
}

/// Entries that only the site has.
#[derive(Default)]
struct OfTheSite {
    /// Those that it put in: behind so many entries of the release.
    inserted: HashMap<usize, Vec<u8>>,
    /// Those that the release dropped under a change of the site's.
    obsolete: Vec<u8>,
}

impl Sides<'_, '_> {
    /// What only the site has stays, after the entry that it followed; what the release dropped under a change of the
    /// site's becomes obsolete.
    fn of_the_site_alone(
        &self,
        reworded: &HashMap<usize, usize>,
        renamed: &HashMap<usize, [&Entry; 2]>,
        loose: &Loose,
        changes: &mut Vec<KeyChange>,
    ) -> OfTheSite {
        let Sides { base, site, release, .. } = *self;
        let end = release.line_end;
        let whole = |e: &Entry| Some(e.span.clone());
        let new = LazyCell::new(|| NewMessages::of(base, release));
        let taken: HashSet<usize> = reworded.values().copied().collect();
        let mut own = OfTheSite::default();
        for (k, entry) in site.entries.iter().enumerate() {
            if release.find(entry).is_some() || taken.contains(&k) {
                continue;
            }
            let b = base.find(entry);
            match b {
                Some(old) => {
                    let worded = old.texts() != entry.texts() || old.plural != entry.plural;
                    let commented = comments::merge(b, entry, old, &self.rewritten).is_some();
                    if !worded && !commented {
                        continue;
                    }
                    let gone = change(entry, b, Some(entry), None, Outcome::Open, Some(Reason::KeyGone));
                    let hint = worded.then(|| new.in_place_of(entry)).flatten();
                    changes.push(match (worded, commented) {
                        (_, false) => KeyChange { hint, ..gone },
                        (false, true) => KeyChange { base: old.commented(), site: entry.commented(), ..gone },
                        (true, true) => KeyChange { base: whole(old), site: whole(entry), hint, ..gone },
                    });
                    if commented {
                        own.obsolete.extend(comments::notes(entry).iter().flat_map(|line| [line, end].concat()));
                    }
                    for line in site.text[entry.head.start..entry.span.end].split(|b| *b == b'\n') {
                        let line = line.trim_ascii();
                        if !line.is_empty() {
                            own.obsolete.extend([b"#~ ", line, end].concat());
                        }
                    }
                    own.obsolete.extend_from_slice(end);
                }
                None => {
                    changes.push(match renamed.get(&k) {
                        None => change(entry, None, Some(entry), None, Outcome::Kept, None),
                        Some([old, new]) => {
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
                    let above = site.loose(k).filter(|_| !loose.of_site.contains(&k));
                    let start = above.map_or(entry.span.start, |lines| lines.start);
                    let text = site.text[start..entry.span.end].split(|b| *b == b'\n').map(<[u8]>::trim_ascii_end);
                    let mut text = text.collect::<Vec<_>>().join(end);
                    if !text.ends_with(end) {
                        text.extend_from_slice(end);
                    }
                    let place = own.inserted.entry(before.map_or(0, |b| b + 1)).or_default();
                    place.extend_from_slice(end);
                    place.extend(text);
                }
            }
        }
        own
    }
}

/// The result: the release's text with what its entries came to, and those of the site alone.
fn written(release: &Side<'_>, pieces: &[Fate<'_>], loose: &Loose, own: OfTheSite) -> Vec<u8> {
    let OfTheSite { inserted, mut obsolete } = own;
    let end = release.line_end;
    let mut out = Vec::with_capacity(release.text.len() + 1024);
    let mut at = 0;
    for (k, fate) in pieces.iter().enumerate() {
        let span = &release.entries[k].span;
        let gap = loose.gap(release, k, at);
        match fate {
            Fate::Text(text) => {
                out.extend(gap);
                if k == 0
                    && let Some(text) = inserted.get(&0)
                {
                    out.extend_from_slice(text);
                }
                out.extend_from_slice(text);
                if text.last() != Some(&b'\n') && (inserted.contains_key(&(k + 1)) || k + 1 < pieces.len()) {
                    out.extend_from_slice(end);
                }
            }
            Fate::Gone => {
                // The blank line before goes along.
                out.extend_from_slice(gap.strip_suffix(end).unwrap_or(&gap));
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
    out
}

/// Finds in a result what became of the changes.
fn find_in(result: &Side<'_>, changes: &mut [KeyChange]) {
    let mut places: HashMap<String, Range<usize>> = HashMap::new();
    for (k, entry) in result.entries.iter().enumerate() {
        places.insert(entry.pointer(), entry.translations());
        places.extend(entry.commented().map(|lines| (comments_of(entry), lines)));
        places.extend(result.loose(k).map(|lines| (loose_before(entry), lines)));
        if entry.is_header() {
            let fields = header::fields(result.text, entry).into_iter();
            places.extend(fields.map(|field| (header::pointer(entry, &field), field.span)));
        }
    }
    places.extend(result.obsolete.iter().map(|entry| (commented_out(entry), entry.span.clone())));
    for change in changes {
        change.result = places.get(&change.pointer).cloned();
    }
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

/// The id of the message that a change is about, by its pointer, and whether it is about its wording: not about its
/// comments, or a field of the header.
pub(crate) fn told_by(pointer: &str) -> (&str, bool) {
    let mut parts = pointer.split('\0').skip(1);
    (parts.next().unwrap_or_default(), parts.next().is_none())
}

/// The pointer of an entry's comments.
fn comments_of(entry: &Entry) -> String {
    entry.pointer() + "\0#"
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

/// What becomes of a change that is a question where both sides made it.
fn asked_if(collided: bool, reason: Reason) -> (Outcome, Option<Reason>) {
    if collided { (Outcome::Open, Some(reason)) } else { (Outcome::Kept, None) }
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
    fn a_header_field_of_which_the_site_made_two_is_written_twice() {
        let head = |own: &str| format!("msgid \"\"\nmsgstr \"\"\n\"Language: pl\\n\"\n{own}");
        let (base, own) = (head("\"X-Name: a\\n\"\n"), head("\"X-Name: b\\n\"\n\"X-Name: c\\n\"\n"));
        let merged = merge(base.as_bytes(), own.as_bytes(), base.as_bytes()).unwrap();
        assert_eq!(String::from_utf8(merged.bytes).unwrap(), own);
    }

    #[test]
    fn two_header_fields_of_one_name_are_told_apart_by_their_turn() {
        let head = |own: &str| format!("msgid \"\"\nmsgstr \"\"\n\"Language: pl\\n\"\n{own}\"X-Last: z\\n\"\n");
        let both = head("\"X-Name: a\\n\"\n\"X-Name: b\\n\"\n");
        for (site, release, expected) in [
            (head(""), both.replace(": z", ": y"), head("").replace(": z", ": y")),
            (both.replace(": b", ": own"), both.replace(": a", ": new"), {
                both.replace(": b", ": own").replace(": a", ": new")
            }),
        ] {
            assert_eq!(merged(&both, &site, &release).0, expected);
        }
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
    fn a_plural_form_that_the_site_took_out_is_empty() {
        let base = catalog(
            "msgid \"a\"\nmsgid_plural \"as\"\nmsgstr[0] \"1\"\nmsgstr[1] \"\"\n\"2\"\n\nmsgid \"b\"\nmsgstr \"b\"\n",
        );
        let release = base.replace("msgstr \"b\"", "msgstr \"new\"");
        let (text, outcomes) = merged(&base, &base.replace("msgstr[1] \"\"\n\"2\"\n", ""), &release);
        assert_eq!(text, release.replace("\"\"\n\"2\"", "\"\""));
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
        // In the place of what it replaced, also where the release took out what stood above.
        let framed = format!("#\n# People:\n# A\n#\n{base}");
        let (text, _) = merged(&framed, &framed.replace("People", "Own"), &framed["#\n".len()..]);
        assert_eq!(text, framed["#\n".len()..].replace("People", "Own"));
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

#[cfg(test)]
mod laws {
    use super::*;
    use proptest::prelude::*;

    /// A catalog of every sort of line.
    fn base() -> Vec<String> {
        let mut lines = "# Team\n#\n# Year\nmsgid \"\"\nmsgstr \"\"\n\"Project: p\\n\"\n\"Team: t\\n\"\n\"Other: \"\n\"o\\n\"\n\n# loose\n"
            .to_string();
        for k in 0..6 {
            lines += &format!("\n# note {k}\n#. said {k}\n#: file{k}:{k} more{k}:{k}\n#, c-format, flag{k}\n");
            lines += &format!(
                "msgid \"id {k}\"\nmsgid_plural \"ids {k}\"\nmsgstr[0] \"one {k}\"\nmsgstr[1] \"\"\n\"more {k}\"\n"
            );
            lines += &format!("\nmsgctxt \"context {k}\"\nmsgid \"\"\n\"id {k}\"\nmsgstr \"text {k}\"\n");
        }
        lines.lines().map(String::from).collect()
    }

    /// The catalog with words put before the last letter of some lines; and those words.
    fn with_words(lines: &[String], at: &[usize], word: &str) -> (String, Vec<String>) {
        let is_said = |line: &String| line.ends_with(|c: char| c.is_ascii_alphanumeric()) || line.ends_with('"');
        let said: Vec<usize> = (0..lines.len()).filter(|k| is_said(&lines[*k])).collect();
        let mut lines = lines.to_vec();
        let mut words = Vec::new();
        for (n, at) in at.iter().enumerate() {
            let line = &mut lines[said[at % said.len()]];
            let end = line.len() - if line.ends_with("\\n\"") { 3 } else { 1 };
            // An empty string is there for the lines behind it.
            if !line.ends_with("\"\"") {
                let put = format!("{word}{n}x");
                line.insert_str(end, &put);
                words.push(put);
            }
        }
        (lines.join("\n") + "\n", words)
    }

    proptest! {
        #[test]
        fn no_word_of_either_side_is_lost(site in proptest::collection::vec(0..500usize, 1..5),
            release in proptest::collection::vec(0..500usize, 0..5), dropped in 0..12usize) {
            let lines = base();
            let (site, own) = with_words(&lines, &site, "own");
            let (mut release, new) = with_words(&lines, &release, "new");
            // The release dropped a message, or none.
            if let Some(entry) = release.split("\n\n").nth(dropped + 3).map(str::to_string) {
                release = release.replace(&format!("\n{entry}\n"), "");
            }
            let merged = merge(lines.join("\n").as_bytes(), site.as_bytes(), release.as_bytes()).unwrap();
            let open: Vec<&KeyChange> = merged.changes.iter().filter(|c| c.outcome == Outcome::Open).collect();
            let told = |text: &str, of: fn(&KeyChange) -> &Option<Range<usize>>| -> String {
                open.iter().filter_map(|c| of(c).clone()).map(|span| text[span].to_string()).collect()
            };
            let result = String::from_utf8(merged.bytes.clone()).unwrap();
            let (asked, theirs) = (told(&site, |c| &c.site), told(&release, |c| &c.release));
            for word in own.iter().filter(|word| site.contains(*word)) {
                prop_assert!(result.contains(word) || asked.contains(word), "{word} of the site\n{result}");
            }
            // What the site took out takes the release's comments along.
            let all_there = merged.changes.iter().all(|c| c.site.is_some() || c.base.is_none());
            for word in new.iter().filter(|word| all_there && release.contains(*word)) {
                prop_assert!(result.contains(word) || theirs.contains(word), "{word} of the release\n{result}");
            }
            prop_assert!(Side::new(&merged.bytes).is_some());
        }
    }
}
