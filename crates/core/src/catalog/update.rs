//! Bringing a catalog up to its template. What is new comes in empty, or with the nearest old translation marked as
//! unsure; what is gone becomes obsolete. Untouched messages keep their bytes.

use std::collections::{HashMap, HashSet};

use super::write::Style;
use super::{Catalog, Message, Nearest};

/// What bringing a catalog up to a template came to.
#[derive(Debug, Clone, Default)]
pub struct Updated {
    /// The catalog, in its own charset.
    pub bytes: Vec<u8>,
    /// The ids of messages that came in without a translation.
    pub new: Vec<String>,
    /// Messages that came in with the translation of another.
    pub reworded: Vec<Reworded>,
    /// The ids of messages that the template has no more.
    pub obsolete: Vec<String>,
    /// Obsolete messages that the template has again.
    pub revived: usize,
}

/// A message that came in with the translation of the nearest old one.
#[derive(Debug, Clone, PartialEq, serde::Serialize)]
pub struct Reworded {
    /// The id now.
    pub id: String,
    /// The id before.
    pub before: String,
    /// How alike they are, from 0 to 1.
    pub similarity: f64,
}

pub(super) fn shown(text: &[u8]) -> String {
    String::from_utf8_lossy(text).into_owned()
}

/// A catalog of the messages that one has otherwise than another, with its header; empty where there are none.
pub(crate) fn changed_words(old: &Catalog, new: &Catalog) -> Vec<u8> {
    let before: HashMap<_, _> = old.messages.iter().filter(|m| !m.obsolete).map(|m| (m.key(), m)).collect();
    let differs = |m: &&Message| {
        !m.is_header()
            && !m.obsolete
            && before.get(&m.key()).is_none_or(|b| b.texts != m.texts || b.is_fuzzy() != m.is_fuzzy())
    };
    let changed: Vec<_> = new.messages.iter().filter(differs).collect();
    let header = new.header().filter(|h| !changed.is_empty() || old.header().is_none_or(|b| b.texts != h.texts));
    let mut out = Vec::new();
    for message in header.into_iter().chain(changed) {
        if !out.is_empty() {
            out.extend_from_slice(new.line_end());
        }
        out.extend_from_slice(new.source_of(message).unwrap_or_default());
        if !out.ends_with(b"\n") {
            out.extend_from_slice(new.line_end());
        }
    }
    new.charset.encode(&out).unwrap_or(out)
}

/// Brings a catalog up to a template. Messages that the template lacks become obsolete, but for those that `own`
/// keeps: they stay after the message that they followed. `None` where the template has letters that the catalog's
/// charset has not.
pub fn update(mine: &Catalog, pot: &Catalog, own: &dyn Fn(&Message) -> bool) -> Option<Updated> {
    let mut work = Update::new(mine, pot);
    let wanted: HashSet<_> = pot.messages.iter().filter(|m| !m.obsolete).map(Message::key).collect();
    // The site's own, by the message of the template that they follow.
    let mut following: HashMap<Option<super::po::Key<'_>>, Vec<&Message>> = HashMap::new();
    let mut last = None;
    let mut dropped = Vec::new();
    for message in mine.messages.iter().filter(|m| !m.obsolete) {
        if wanted.contains(&message.key()) || message.is_header() {
            last = Some(message.key());
        } else if own(message) {
            following.entry(last).or_default().push(message);
        } else {
            dropped.push(message);
        }
    }
    work.header();
    let header = mine.header().map(Message::key);
    for message in following.remove(&header).unwrap_or_default() {
        work.as_is(message);
    }
    for message in pot.messages.iter().filter(|m| !m.obsolete && !m.is_header()) {
        work.message(message);
        for own in following.remove(&Some(message.key())).unwrap_or_default() {
            work.as_is(own);
        }
    }
    for message in following.remove(&None).unwrap_or_default() {
        work.as_is(message);
    }
    for message in dropped {
        work.drop(message);
    }
    work.finish()
}

/// Adds the messages of a template that a catalog has not, behind its own, and touches nothing else. `None` where none is
/// missing, or the catalog's charset has not all of the letters.
pub fn with_missing(mine: &Catalog, pot: &Catalog) -> Option<Updated> {
    let known: HashSet<_> = mine.messages.iter().map(Message::key).collect();
    let wanted = pot.messages.iter().filter(|m| !m.obsolete && !m.is_header());
    let missing: Vec<&Message> = wanted.filter(|m| !known.contains(&m.key())).collect();
    let mut work = Update::new(mine, pot);
    let first_obsolete = mine.messages.iter().find(|m| m.obsolete).and_then(|m| m.span.clone());
    let (front, back) = mine.text().split_at(first_obsolete.map_or(mine.text().len(), |s| s.start));
    let body = front.trim_ascii_end();
    work.out.extend_from_slice(body);
    work.out.extend_from_slice(work.style.end);
    missing.iter().for_each(|m| work.new_message(m));
    if !back.is_empty() {
        work.part();
        work.out.extend_from_slice(back);
    }
    work.updated.bytes = mine.charset.encode(&work.out)?;
    (!missing.is_empty()).then_some(work.updated)
}

/// Takes the mark of what is unsure, and the previous message that goes with it, off the messages that stand at some
/// lines, which count from 0.
pub(crate) fn made_sure(text: &[u8], lines: &[usize]) -> Vec<u8> {
    let Ok(catalog) = Catalog::of_text(text.to_vec(), super::Charset::default()) else { return text.to_vec() };
    let end = catalog.line_end();
    let starts: Vec<usize> = std::iter::once(0)
        .chain(text.iter().enumerate().filter(|(_, b)| **b == b'\n').map(|(n, _)| n + 1))
        .collect();
    let settled: Vec<usize> = lines.iter().filter_map(|line| starts.get(*line).copied()).collect();
    let mut out = Vec::with_capacity(text.len());
    let mut at = 0;
    for message in catalog.messages.iter().filter(|m| !m.obsolete && m.is_fuzzy()) {
        let Some(span) = message.span.as_ref().filter(|span| settled.iter().any(|at| span.contains(at))) else {
            continue;
        };
        out.extend_from_slice(&text[at..span.start]);
        for comment in message.comments.iter().filter(|c| kind(c) != b'|') {
            if let Some(line) = without_the_mark(comment) {
                out.extend([&line[..], end].concat());
            }
        }
        at = message.head.start;
    }
    out.extend_from_slice(&text[at..]);
    out
}

/// A comment without the fuzzy flag; nothing where that was all it had.
fn without_the_mark(comment: &[u8]) -> Option<Vec<u8>> {
    let Some(flags) = comment.strip_prefix(b"#,") else { return Some(comment.to_vec()) };
    let all: Vec<&[u8]> = flags.split(|b| *b == b',').map(<[u8]>::trim_ascii).collect();
    let rest: Vec<&[u8]> = all.iter().copied().filter(|f| *f != b"fuzzy").collect();
    match rest.len() {
        0 => None,
        n if n == all.len() => Some(comment.to_vec()),
        _ => Some([b"#, ", &rest.join(&b", "[..])[..]].concat()),
    }
}

struct Update<'a> {
    mine: &'a Catalog,
    pot: &'a Catalog,
    style: Style,
    by_key: HashMap<super::po::Key<'a>, &'a Message>,
    obsolete: HashMap<super::po::Key<'a>, &'a Message>,
    /// Translated messages of the catalog, for the nearest.
    known: Vec<&'a Message>,
    nearest: Option<Nearest>,
    /// Obsolete messages that are in use again, or whose translation went to another message.
    used: HashSet<super::po::Key<'a>>,
    out: Vec<u8>,
    updated: Updated,
}

impl<'a> Update<'a> {
    fn new(mine: &'a Catalog, pot: &'a Catalog) -> Self {
        let of = |obsolete: bool| {
            mine.messages.iter().filter(move |m| m.obsolete == obsolete).map(|m| (m.key(), m)).collect()
        };
        Update {
            mine,
            pot,
            style: Style::of(mine.text()),
            by_key: of(false),
            obsolete: of(true),
            known: Vec::new(),
            nearest: None,
            used: HashSet::new(),
            out: Vec::new(),
            updated: Updated::default(),
        }
    }

    /// A blank line between messages.
    fn part(&mut self) {
        if !self.out.is_empty() {
            self.out.extend_from_slice(self.style.end);
        }
    }

    fn as_is(&mut self, message: &Message) {
        self.part();
        self.out.extend_from_slice(self.mine.source_of(message).unwrap_or_default());
        self.end_line();
    }

    fn end_line(&mut self) {
        if !self.out.ends_with(b"\n") {
            self.out.extend_from_slice(self.style.end);
        }
    }

    /// Writes lines of one of the catalogs with this one's line ends.
    fn lines(&mut self, lines: &[u8]) {
        for line in lines_of(lines) {
            self.out.extend_from_slice(line);
            self.out.extend_from_slice(self.style.end);
        }
    }

    /// The catalog's own header, with the date of the template.
    fn header(&mut self) {
        let Some(mine) = self.mine.header() else {
            if let Some(header) = self.pot.header() {
                let source = self.pot.source_of(header).unwrap_or_default().to_vec();
                self.lines(&source);
            }
            return;
        };
        // A header that stands further on comes first: what stood before it has its place by the template.
        let before = self.mine.messages.iter().find_map(|m| m.span.as_ref()).map_or(0, |s| s.start);
        self.out.extend_from_slice(&self.mine.text()[..before]);
        let source = self.mine.source_of(mine).unwrap_or_default();
        const DATE: &str = "POT-Creation-Date";
        let dates = (self.mine.field(DATE), self.pot.field(DATE));
        let mut source = source.to_vec();
        if let (Some(old), Some(new)) = dates
            && let Some(at) = find(&source, DATE.as_bytes())
            && let Some(found) = find(&source[at..], old.as_bytes()).filter(|_| !old.is_empty())
        {
            source.splice(at + found..at + found + old.len(), new.bytes());
        }
        self.out.extend(source);
        self.end_line();
    }

    /// One message of the template.
    fn message(&mut self, wanted: &'a Message) {
        let key = wanted.key();
        let (found, revived) = match (self.by_key.get(&key), self.obsolete.get(&key)) {
            (Some(found), _) => (Some(*found), false),
            (None, Some(found)) => (Some(*found), true),
            (None, None) => (None, false),
        };
        let Some(found) = found else { return self.new_message(wanted) };
        if !revived && found.plural == wanted.plural && same_comments(found, wanted) {
            return self.as_is(found);
        }
        if revived {
            self.updated.revived += 1;
            self.used.insert(found.key());
        }
        // One that has plural forms now, or none any more, needs another translation.
        let counted = found.plural.is_some() != wanted.plural.is_some();
        let texts = self.texts(found, wanted);
        let fuzzy = found.is_fuzzy() || (counted && found.is_translated());
        let previous =
            if counted && found.is_translated() { self.previous(found) } else { previous_of(found, fuzzy) };
        let same = !revived && found.texts == texts;
        self.write(wanted, &notes(found), fuzzy, &previous, same.then_some(found), &texts);
    }

    fn new_message(&mut self, wanted: &'a Message) {
        let near = self.nearest(wanted);
        match near {
            Some((found, score)) => {
                let texts = self.texts(found, wanted);
                let previous = self.previous(found);
                self.write(wanted, &notes(found), true, &previous, None, &texts);
                self.used.insert(found.key());
                let (id, before) = (shown(&wanted.id), shown(&found.id));
                self.updated.reworded.push(Reworded { id, before, similarity: score });
            }
            None => {
                let texts = vec![Vec::new(); self.form_count(wanted)];
                self.write(wanted, &[], false, &[], None, &texts);
                self.updated.new.push(shown(&wanted.id));
            }
        }
    }

    fn nearest(&mut self, wanted: &Message) -> Option<(&'a Message, f64)> {
        if self.nearest.is_none() {
            let mut index = Nearest::default();
            // What is in use no more is the likeliest to have been reworded.
            let known = self.mine.messages.iter().filter(|m| !m.is_header() && m.is_translated() && !m.is_fuzzy());
            self.known = known.collect();
            let wanted: HashSet<_> = self.pot.messages.iter().map(Message::key).collect();
            self.known.sort_by_key(|m| (wanted.contains(&m.key()), m.obsolete));
            self.known.iter().for_each(|m| index.add(&m.id));
            self.nearest = Some(index);
        }
        let (k, score) = self.nearest.as_ref()?.find(&wanted.id)?;
        Some((self.known[k], score))
    }

    fn form_count(&self, wanted: &Message) -> usize {
        if wanted.plural.is_none() { 1 } else { self.mine.plural_rule().map_or(2, |rule| rule.forms) }
    }

    /// The translations of one message as those of another.
    fn texts(&self, found: &Message, wanted: &Message) -> Vec<Vec<u8>> {
        match (&found.plural, &wanted.plural) {
            (None, None) => found.texts.clone(),
            (Some(_), None) => found.texts[..1].to_vec(),
            (None, Some(_)) => vec![found.texts[0].clone(); self.form_count(wanted)],
            (Some(_), Some(_)) => found.texts.clone(),
        }
    }

    /// The comments that say what the message was.
    fn previous(&self, found: &Message) -> Vec<Vec<u8>> {
        let mut text = Vec::new();
        self.style.head(found, "", &mut text);
        text.split(|b| *b == b'\n')
            .map(<[u8]>::trim_ascii)
            .filter(|l| !l.is_empty())
            .map(|l| [b"#| ", l].concat())
            .collect()
    }

    /// Writes a message: the template's comments and id, and these translations. Where they are those of `same`, its
    /// lines are taken as they are.
    fn write(
        &mut self,
        wanted: &Message,
        notes: &[Vec<u8>],
        fuzzy: bool,
        previous: &[Vec<u8>],
        same: Option<&Message>,
        texts: &[Vec<u8>],
    ) {
        self.part();
        let mut comments: Vec<Vec<u8>> = notes.to_vec();
        comments
            .extend(wanted.comments.iter().filter(|c| !is_note(c) && kind(c) != b',' && kind(c) != b'|').cloned());
        let mut flags: Vec<Vec<u8>> = wanted.flags().into_iter().filter(|f| f != b"fuzzy").collect();
        if fuzzy {
            flags.insert(0, b"fuzzy".to_vec());
        }
        if !flags.is_empty() {
            comments.push([b"#, ".as_slice(), &flags.join(&b", "[..])].concat());
        }
        comments.extend(previous.iter().cloned());
        for comment in comments {
            self.out.extend([&comment, self.style.end].concat());
        }
        let head = self.pot.text()[wanted.head.clone()].to_vec();
        self.lines(&head);
        match same {
            Some(found) => {
                for lines in &found.forms {
                    let lines = self.mine.text()[lines.clone()].to_vec();
                    self.lines(&lines);
                }
            }
            None => self.style.texts(texts, wanted.plural.is_some(), &mut self.out),
        }
    }

    /// A message that the template has no more.
    fn drop(&mut self, message: &'a Message) {
        // Its translation lives on with another message.
        if self.used.contains(&message.key()) {
            return;
        }
        self.updated.obsolete.push(shown(&message.id));
        if message.texts.iter().all(Vec::is_empty) {
            return;
        }
        self.part();
        for comment in message.comments.iter().filter(|c| is_note(c) || kind(c) == b',') {
            self.out.extend([comment, self.style.end].concat());
        }
        let source = self.mine.text()[message.head.start..message.span.as_ref().map_or(0, |s| s.end)].to_vec();
        for line in lines_of(&source) {
            self.out.extend([b"#~ ", line, self.style.end].concat());
        }
    }

    fn finish(mut self) -> Option<Updated> {
        let stay: Vec<&Message> =
            self.mine.messages.iter().filter(|m| m.obsolete && !self.used.contains(&m.key())).collect();
        for message in stay {
            self.as_is(message);
        }
        self.updated.bytes = self.mine.charset.encode(&self.out)?;
        Some(self.updated)
    }
}

/// The lines of a stretch without their ends: as the reader parts them, at line feeds alone.
fn lines_of(text: &[u8]) -> impl Iterator<Item = &[u8]> {
    text.split_inclusive(|b| *b == b'\n').map(|line| {
        let end = line.iter().rposition(|b| !matches!(b, b'\n' | b'\r')).map_or(0, |at| at + 1);
        &line[..end]
    })
}

fn find(text: &[u8], words: &[u8]) -> Option<usize> {
    text.windows(words.len().max(1)).position(|w| w == words)
}

/// The letter that tells a comment's sort: `.`, `:`, `,`, `|`; a blank for a translator's note.
fn kind(comment: &[u8]) -> u8 {
    comment.get(1).copied().filter(|b| b".:,|".contains(b)).unwrap_or(b' ')
}

fn is_note(comment: &[u8]) -> bool {
    kind(comment) == b' '
}

fn notes(message: &Message) -> Vec<Vec<u8>> {
    message.comments.iter().filter(|c| is_note(c)).cloned().collect()
}

/// The previous message goes with the flag.
fn previous_of(message: &Message, fuzzy: bool) -> Vec<Vec<u8>> {
    message.comments.iter().filter(|c| fuzzy && kind(c) == b'|').cloned().collect()
}

/// Tells whether all that follows the template is as it has it.
fn same_comments(found: &Message, wanted: &Message) -> bool {
    let of = |m: &Message| -> Vec<Vec<u8>> {
        m.comments.iter().filter(|c| matches!(kind(c), b'.' | b':')).cloned().collect()
    };
    let flags = |m: &Message| m.flags().into_iter().filter(|f| f != b"fuzzy").collect::<Vec<_>>();
    of(found) == of(wanted) && flags(found) == flags(wanted)
}

#[cfg(test)]
mod tests {
    use super::*;

    const HEAD: &str = "msgid \"\"\nmsgstr \"\"\n\"Plural-Forms: nplurals=2; plural=n != 1;\\n\"\n";

    fn updated(mine: &str, pot: &str) -> (String, Updated) {
        let read = |text: &str| Catalog::parse(format!("{HEAD}\n{text}").as_bytes()).unwrap();
        let updated = update(&read(mine), &read(pot), &|m| m.id.starts_with(b"own")).unwrap();
        let text = String::from_utf8(updated.bytes.clone()).unwrap();
        (text.strip_prefix(HEAD).unwrap().trim_start().to_string(), updated)
    }

    #[test]
    fn a_catalog_that_is_up_to_date_keeps_its_bytes() {
        let mine = "# note\n#. for menus\n#: a.html:1\n#, c-format\nmsgid \"\"\n\"a %d\"\nmsgstr \"\"\n\"ein \"\n\"%d\"\n\n#~ msgid \"old\"\n#~ msgstr \"alt\"\n";
        let template = "#. for menus\n#: a.html:1\n#, c-format\nmsgid \"a %d\"\nmsgstr \"\"\n";
        assert_eq!(updated(mine, template).0, mine);
    }

    #[test]
    fn a_header_further_on_comes_first() {
        let read = |text: String| Catalog::parse(text.as_bytes()).unwrap();
        let mine = read(format!("# ours\n\nmsgid \"a\"\nmsgstr \"A\"\n\n{HEAD}"));
        let updated = update(&mine, &read(format!("{HEAD}\nmsgid \"a\"\nmsgstr \"\"\n")), &|_| false).unwrap();
        assert_eq!(String::from_utf8(updated.bytes).unwrap().matches("msgid \"a\"").count(), 1);
    }

    #[test]
    fn a_settled_wording_is_no_longer_unsure() {
        let text = "#: a.html:1\n#, fuzzy, c-format\n#| msgid \"x %d\"\nmsgid \"a %d\"\nmsgstr \"A %d\"\n\n#, fuzzy\nmsgid \"b\"\nmsgstr \"B\"\n";
        let sure = |lines: &[usize]| String::from_utf8(made_sure(text.as_bytes(), lines)).unwrap();
        assert_eq!(sure(&[4]), text.replace("#, fuzzy, c-format\n#| msgid \"x %d\"\n", "#, c-format\n"));
        assert_eq!(sure(&[8]), text.replace("#, fuzzy\nmsgid", "msgid"));
        assert_eq!(sure(&[]), text);
    }

    #[test]
    fn what_is_new_comes_in_empty_or_with_the_nearest_translation() {
        let (text, updated) = updated(
            "#: a:1\nmsgid \"Opening hours\"\nmsgstr \"Öffnungszeiten\"\n\nmsgid \"own words\"\nmsgstr \"eigene\"\n\nmsgid \"Gone\"\nmsgstr \"Weg\"\n\nmsgid \"Never said\"\nmsgstr \"\"\n",
            "#: a:9\nmsgid \"Opening hours today\"\nmsgstr \"\"\n\n#: b:1\nmsgid \"%d visitor\"\nmsgid_plural \"%d visitors\"\nmsgstr[0] \"\"\nmsgstr[1] \"\"\n",
        );
        assert_eq!(
            text,
            "msgid \"own words\"\nmsgstr \"eigene\"\n\n#: a:9\n#, fuzzy\n#| msgid \"Opening hours\"\nmsgid \"Opening hours today\"\nmsgstr \"Öffnungszeiten\"\n\n#: b:1\nmsgid \"%d visitor\"\nmsgid_plural \"%d visitors\"\nmsgstr[0] \"\"\nmsgstr[1] \"\"\n\n#~ msgid \"Gone\"\n#~ msgstr \"Weg\"\n"
        );
        assert_eq!((updated.new.len(), updated.reworded.len(), updated.obsolete.len()), (1, 1, 2));
    }

    #[test]
    fn what_is_wanted_again_comes_back_and_references_follow() {
        let (text, updated) = updated(
            "# ours\n#: a:1\nmsgid \"A\"\nmsgstr \"\"\n\"a\"\n\n#~ msgid \"B\"\n#~ msgstr \"b\"\n",
            "#: a:7\nmsgid \"A\"\nmsgstr \"\"\n\n#: b:2\nmsgid \"B\"\nmsgstr \"\"\n",
        );
        assert_eq!(text, "# ours\n#: a:7\nmsgid \"A\"\nmsgstr \"\"\n\"a\"\n\n#: b:2\nmsgid \"B\"\nmsgstr \"b\"\n");
        assert_eq!(updated.revived, 1);
    }

    #[test]
    fn a_message_that_counts_now_needs_a_look() {
        let (text, _) = updated(
            "msgid \"days\"\nmsgstr \"Tage\"\n",
            "msgid \"days\"\nmsgid_plural \"days\"\nmsgstr[0] \"\"\nmsgstr[1] \"\"\n",
        );
        assert_eq!(
            text,
            "#, fuzzy\n#| msgid \"days\"\nmsgid \"days\"\nmsgid_plural \"days\"\nmsgstr[0] \"Tage\"\nmsgstr[1] \"Tage\"\n"
        );
    }
}
