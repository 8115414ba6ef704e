//! Gettext catalogs (PO and POT): merging by entry.
//!
//! An entry is known by its context and message id. The site's wording wins where the site changed it, the
//! vendor's where only the vendor did. Order, references, flags, dates and wrapping are the release's; untouched
//! entries are the release's bytes. Format: GNU gettext manual, "The Format of PO Files".

use std::borrow::Cow;
use std::collections::HashMap;
use std::ops::Range;

use super::keyed::{KeyChange, KeyedMerge};
use crate::catalog::{Catalog, Charset, Message, Nearest, PluralRule};
use crate::merge::{Outcome, Reason, Step};

/// A message of a catalog with its place in the text.
#[derive(Debug, Clone)]
struct Entry {
    /// From the first comment to the end of the last string, line end included.
    span: Range<usize>,
    /// Context (which may be empty and then differs from none) and id.
    key: (Option<Vec<u8>>, Vec<u8>),
    /// Lines before `msgctxt` or `msgid`.
    comments: Vec<Vec<u8>>,
    /// From the keyword of the context or id to the first translation.
    head: Range<usize>,
    /// There is a translation for each plural form.
    counted: bool,
    /// The translations: each with its whole lines, and its text.
    forms: Vec<(Range<usize>, Vec<u8>)>,
}

impl Entry {
    fn of(message: Message) -> Option<Self> {
        Some(Entry {
            span: message.span?,
            key: (message.context, message.id),
            comments: message.comments,
            head: message.head,
            counted: message.plural.is_some(),
            forms: message.forms.into_iter().zip(message.texts).collect(),
        })
    }

    fn is_header(&self) -> bool {
        self.key == (None, Vec::new())
    }

    fn is_fuzzy(&self) -> bool {
        self.comments.iter().any(|c| is_fuzzy_line(c))
    }

    fn texts(&self) -> Vec<&[u8]> {
        self.forms.iter().map(|(_, text)| text.as_slice()).collect()
    }

    fn is_translated(&self) -> bool {
        self.forms.iter().any(|(_, text)| !text.is_empty())
    }

    /// The translators' own comments.
    fn notes(&self) -> Vec<&[u8]> {
        self.comments.iter().map(Vec::as_slice).filter(|c| is_note(c)).collect()
    }

    fn translations(&self) -> Range<usize> {
        let start = self.forms.first().map_or(self.head.end, |f| f.0.start);
        start..self.forms.last().map_or(start, |f| f.0.end)
    }
}

fn is_note(line: &[u8]) -> bool {
    line.first() == Some(&b'#') && !matches!(line.get(1), Some(b'.' | b':' | b',' | b'|' | b'~'))
}

fn is_fuzzy_line(line: &[u8]) -> bool {
    line.starts_with(b"#,") && line[2..].split(|b| *b == b',').any(|f| f.trim_ascii() == b"fuzzy")
}

/// Reads a catalog; `None` where it is none. Obsolete entries are left in the text between entries.
fn parse(text: &[u8]) -> Option<Vec<Entry>> {
    let catalog = Catalog::of_text(text.to_vec(), Charset::default()).ok()?;
    catalog.messages.into_iter().filter(|m| !m.obsolete).map(Entry::of).collect()
}

/// Header fields that say when, by what and in what letters the file was written: the release's, without a question.
const HOUSEKEEPING: [&[u8]; 8] = [
    b"Content-Type",
    b"Content-Transfer-Encoding",
    b"POT-Creation-Date",
    b"PO-Revision-Date",
    b"Last-Translator",
    b"X-Generator",
    b"Project-Id-Version",
    b"Report-Msgid-Bugs-To",
];

struct Side<'a> {
    text: &'a [u8],
    entries: Vec<Entry>,
    by_key: HashMap<(Option<Vec<u8>>, Vec<u8>), usize>,
}

impl<'a> Side<'a> {
    fn new(text: &'a [u8]) -> Option<Self> {
        let entries = parse(text)?;
        let by_key = entries.iter().enumerate().map(|(k, e)| (e.key.clone(), k)).collect();
        Some(Side { text, entries, by_key })
    }

    fn find(&self, entry: &Entry) -> Option<&Entry> {
        self.by_key.get(&entry.key).map(|k| &self.entries[*k])
    }

    /// The rule by which the language counts.
    fn plural_rule(&self) -> Option<PluralRule> {
        let header = self.entries.iter().find(|e| e.is_header())?;
        let field = fields(header).into_iter().find(|(key, _)| key == b"Plural-Forms")?;
        PluralRule::parse(std::str::from_utf8(field.1).ok()?)
    }
}

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
        pieces.push((Some(k), release_entry(&base, &site, &release, [b, s], entry, counts_anew, &mut changes)));
    }
    // What only the site has stays, after the entry that it followed; what the release dropped under a change of
    // the site's becomes obsolete.
    let mut obsolete: Vec<u8> = Vec::new();
    let end: &[u8] = if release.text.windows(2).any(|w| w == b"\r\n") { b"\r\n" } else { b"\n" };
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
                changes.push(change(entry, None, Some(entry), None, Outcome::Kept, None));
                let before = site.entries[..k].iter().rev().find_map(|e| release.by_key.get(&e.key)).copied();
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
    for entry in base.entries.iter().filter(|e| site.find(e).is_none() && release.find(e).is_none()) {
        changes.push(change(entry, Some(entry), None, None, Outcome::Already, None));
    }

    let mut out = Vec::with_capacity(release.text.len() + 1024);
    let mut at = 0;
    for (k, fate) in &pieces {
        let Some(k) = k else { continue };
        let span = &release.entries[*k].span;
        match fate {
            Fate::Text(text) => {
                out.extend_from_slice(&release.text[at..span.start]);
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
    let places: HashMap<Vec<u8>, Range<usize>> =
        result.entries.iter().map(|e| (pointer(e).into_bytes(), e.translations())).collect();
    for change in &mut changes {
        change.result = places.get(change.pointer.as_bytes()).cloned();
    }
    drop(result);
    Some(KeyedMerge { bytes: out, changes, rewritten: false })
}

fn pointer(entry: &Entry) -> String {
    let text = |t: &[u8]| String::from_utf8_lossy(t).into_owned();
    format!("{:?}\0{}", entry.key.0.as_deref().map(text), text(&entry.key.1))
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
        pointer: pointer(entry),
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

/// Merges one entry that the release has.
fn release_entry<'a>(
    base: &Side<'a>,
    site: &Side<'a>,
    release: &Side<'a>,
    [b, s]: [Option<&Entry>; 2],
    r: &Entry,
    counts_anew: bool,
    changes: &mut Vec<KeyChange>,
) -> Fate<'a> {
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
    if r.is_header() {
        return header(base, site, release, b, s, r, changes);
    }
    let site_spoke = b.map_or(s.is_translated(), |b| b.texts() != s.texts());
    let site_flagged = b.is_some_and(|b| b.is_fuzzy() != s.is_fuzzy());
    let site_noted = b.is_some_and(|b| b.notes() != s.notes());
    if !site_spoke && !site_flagged && !site_noted {
        return kept;
    }
    if s.texts() == r.texts() && !site_flagged && !site_noted {
        changes.push(change(r, b, Some(s), Some(r), Outcome::Already, None));
        return kept;
    }
    let empty = Vec::new();
    let text_of =
        |e: Option<&'_ Entry>, k: usize| e.and_then(|e| e.forms.get(k)).map_or(empty.clone(), |f| f.1.clone());
    // Forms that were written for another rule are for other numbers, and one without a number is for all of them.
    let recounted = counts_anew && site_spoke && (r.forms.len() > 1 || s.forms.len() > 1);
    let mut collided = recounted || site_spoke && s.counted != r.counted;
    let mut forms: Vec<u8> = Vec::new();
    for (k, (lines, text)) in r.forms.iter().enumerate() {
        let (bt, st) = (text_of(b, k), text_of(Some(s), k));
        let from_site = if st == bt || st == *text || !site_spoke {
            false
        } else {
            collided |= *text != bt && !text.is_empty() && !(b.is_none() && st.is_empty());
            !st.is_empty() || text == &bt
        };
        match s.forms.get(k).filter(|_| from_site) {
            Some((own, _)) => {
                forms.extend(as_form(&site.text[own.clone()], &release.text[lines.clone()], release.text));
            }
            None => forms.extend_from_slice(&release.text[lines.clone()]),
        }
    }
    let fuzzy = if collided {
        true
    } else if site_spoke || site_flagged {
        s.is_fuzzy()
    } else {
        r.is_fuzzy()
    };
    let (outcome, reason) = match (recounted, collided) {
        (true, _) => (Outcome::Open, Some(Reason::PluralRule)),
        (_, true) => (Outcome::Open, Some(Reason::BothChanged)),
        _ => (Outcome::Kept, None),
    };
    changes.push(change(r, b, Some(s), Some(r), outcome, reason));
    let mut text = comments(s, b, r, fuzzy, release.text);
    text.extend_from_slice(&release.text[r.head.clone()]);
    text.extend(forms);
    Fate::Text(Cow::Owned(text))
}

/// The release's entry with the wording that the site gave to the one that it took the place of, marked as unsure.
fn as_reworded(site: &Side<'_>, before: &Entry, release: &Side<'_>, entry: &Entry) -> Vec<u8> {
    let mut text = comments(before, None, entry, true, release.text);
    let previous = with_ends(&site.text[before.head.clone()], release.text);
    for line in previous.split_inclusive(|b| *b == b'\n') {
        text.extend([b"#| ", line].concat());
    }
    text.extend_from_slice(&release.text[entry.head.clone()]);
    for ((own, _), (lines, _)) in before.forms.iter().zip(&entry.forms) {
        text.extend(as_form(&site.text[own.clone()], &release.text[lines.clone()], release.text));
    }
    text
}

/// A translation of the site's in place of one of the release's: which form it is is for that to say.
fn as_form(own: &[u8], in_place_of: &[u8], release: &[u8]) -> Vec<u8> {
    let (before, after) = (keyword(own), keyword(in_place_of));
    let text = with_ends(own, release);
    if before.trim_ascii() == after.trim_ascii() { text } else { [after, &text[before.len()..]].concat() }
}

/// What stands before the text of a translation: `msgstr`, or `msgstr[n]`.
fn keyword(lines: &[u8]) -> &[u8] {
    &lines[..lines.iter().position(|byte| *byte == b'"').unwrap_or(0)]
}

/// The comments of a merged entry: the release's, with the translators' own notes merged and the fuzzy flag set.
fn comments(s: &Entry, b: Option<&Entry>, r: &Entry, fuzzy: bool, text: &[u8]) -> Vec<u8> {
    let end: &[u8] = if text.windows(2).any(|w| w == b"\r\n") { b"\r\n" } else { b"\n" };
    let mut lines: Vec<Vec<u8>> = Vec::new();
    let base_notes = b.map(Entry::notes).unwrap_or_default();
    let mut notes: Vec<&[u8]> = if s.notes() == base_notes { r.notes() } else { s.notes() };
    if s.notes() != base_notes {
        notes.extend(r.notes().into_iter().filter(|n| !s.notes().contains(n) && !base_notes.contains(n)));
    }
    lines.extend(notes.into_iter().map(<[u8]>::to_vec));
    let mut flagged = false;
    for line in r.comments.iter().filter(|c| !is_note(c)) {
        // The previous id goes with the flag.
        if line.starts_with(b"#|") && !fuzzy {
            continue;
        }
        if line.starts_with(b"#,") && is_fuzzy_line(line) != fuzzy && !flagged {
            flagged = fuzzy;
            let flags = line[2..].split(|b| *b == b',').map(<[u8]>::trim_ascii);
            let mut flags: Vec<&[u8]> = flags.filter(|f| *f != b"fuzzy" && !f.is_empty()).collect();
            if fuzzy {
                flags.insert(0, b"fuzzy");
            }
            if !flags.is_empty() {
                lines.push([b"#, ".as_slice(), &flags.join(b", ".as_slice())].concat());
            }
            continue;
        }
        flagged |= is_fuzzy_line(line);
        lines.push(line.to_vec());
    }
    if fuzzy && !flagged {
        let at = lines.iter().position(|l| l.starts_with(b"#|")).unwrap_or(lines.len());
        lines.insert(at, b"#, fuzzy".to_vec());
    }
    lines.iter().flat_map(|l| [l.as_slice(), end].concat()).collect()
}

/// Lines of one text with the line ends of another.
fn with_ends(lines: &[u8], like: &[u8]) -> Vec<u8> {
    let end: &[u8] = if like.windows(2).any(|w| w == b"\r\n") { b"\r\n" } else { b"\n" };
    crate::text::split_lines(lines).iter().flat_map(|l| [l.content, end].concat()).collect()
}

/// The fields of a header, by name.
type Fields<'f> = Vec<(&'f [u8], &'f [u8])>;

fn fields<'f>(entry: &'f Entry) -> Fields<'f> {
    let text = entry.forms.first().map_or(&b""[..], |f| &f.1);
    let lines = text.split(|b| *b == b'\n');
    let mut out = Vec::new();
    for line in lines {
        if let Some(colon) = line.iter().position(|b| *b == b':') {
            out.push((&line[..colon], line[colon + 1..].trim_ascii()));
        }
    }
    out
}

/// Merges the header field by field.
fn header<'a>(
    base: &Side<'a>,
    site: &Side<'a>,
    release: &Side<'a>,
    b: Option<&Entry>,
    s: &Entry,
    r: &Entry,
    changes: &mut Vec<KeyChange>,
) -> Fate<'a> {
    let kept = Fate::Text(Cow::Borrowed(&release.text[r.span.clone()]));
    let Some(b) = b else { return kept };
    let _ = (base, site);
    let (bf, sf, rf) = (fields(b), fields(s), fields(r));
    let get = |f: &Fields<'_>, key: &[u8]| f.iter().find(|(k, _)| *k == key).map(|(_, v)| v.to_vec());
    let mut text = release.text[r.span.clone()].to_vec();
    let mut touched = false;
    for (key, value) in &sf {
        let (old, new) = (get(&bf, key), get(&rf, key));
        if HOUSEKEEPING.contains(key) || old.as_deref() == Some(*value) || new.as_deref() == Some(*value) {
            continue;
        }
        touched = true;
        if new == old
            && let Some(old) = old
            && let Some(at) = text.windows(key.len() + 2).position(|w| w == [b"\"", *key, b":"].concat())
        {
            let line_end = text[at..].iter().position(|b| *b == b'\n').map_or(text.len(), |e| at + e);
            // Only a field that stands on one line can be replaced in place.
            let behind = at + key.len() + 2;
            let found = match old.is_empty() {
                true => Some(0),
                false => text[behind..line_end.max(behind)].windows(old.len()).position(|w| w == old),
            };
            if let Some(found) = found {
                let from = behind + found;
                let gap: &[u8] = if old.is_empty() { b" " } else { b"" };
                text.splice(from..from + old.len(), [gap, *value].concat());
                changes.push(change(r, Some(b), Some(s), Some(r), Outcome::Kept, None));
                continue;
            }
        }
        changes.push(change(r, Some(b), Some(s), Some(r), Outcome::Open, Some(Reason::BothChanged)));
    }
    if touched { Fate::Text(Cow::Owned(text)) } else { kept }
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
        let entries = parse(b"msgctxt \"\"\nmsgid \"A\"\nmsgstr \"\"\nmsgid \"A\"\nmsgstr \"\"\n").unwrap();
        assert_eq!(entries.len(), 2);
        assert!(parse(b"msgid \"A\"\nmsgstr \"a\"\n\nmsgid \"A\"\nmsgstr \"b\"\n").is_none(), "twice");
        assert!(parse(b"msgid \"A\nmsgstr \"a\"\n").is_none(), "an open string");
        assert!(parse(b"hello\n").is_none());
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
