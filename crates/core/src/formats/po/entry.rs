//! The entries of a catalog with their places in the text.

use std::collections::HashMap;
use std::ops::Range;

use super::header;
use crate::catalog::{Catalog, Charset, Message, PluralRule};

/// Context (which may be empty and then differs from none) and id.
pub(super) type Key = (Option<Vec<u8>>, Vec<u8>);

/// A message of a catalog with its place in the text.
#[derive(Debug, Clone)]
pub(super) struct Entry {
    /// From the first comment to the end of the last string, line end included.
    pub(super) span: Range<usize>,
    pub(super) key: Key,
    /// Lines before `msgctxt` or `msgid`.
    pub(super) comments: Vec<Vec<u8>>,
    /// From the keyword of the context or id to the first translation.
    pub(super) head: Range<usize>,
    /// The plural's id; there is a translation for each plural form then.
    pub(super) plural: Option<Vec<u8>>,
    /// The translations: each with its whole lines, and its text.
    pub(super) forms: Vec<(Range<usize>, Vec<u8>)>,
}

impl Entry {
    fn of(message: Message) -> Option<Self> {
        Some(Entry {
            span: message.span?,
            key: (message.context, message.id),
            comments: message.comments,
            head: message.head,
            plural: message.plural,
            forms: message.forms.into_iter().zip(message.texts).collect(),
        })
    }

    pub(super) fn is_header(&self) -> bool {
        self.key == (None, Vec::new())
    }

    pub(super) fn is_fuzzy(&self) -> bool {
        self.comments.iter().any(|c| is_fuzzy_line(c))
    }

    pub(super) fn texts(&self) -> Vec<&[u8]> {
        self.forms.iter().map(|(_, text)| text.as_slice()).collect()
    }

    pub(super) fn is_translated(&self) -> bool {
        self.forms.iter().any(|(_, text)| !text.is_empty())
    }

    pub(super) fn translations(&self) -> Range<usize> {
        let start = self.forms.first().map_or(self.head.end, |f| f.0.start);
        start..self.forms.last().map_or(start, |f| f.0.end)
    }

    /// Where its comments stand, if it has any.
    pub(super) fn commented(&self) -> Option<Range<usize>> {
        Some(self.span.start..self.head.start).filter(|lines| !lines.is_empty())
    }

    /// What tells the entry from others, as a text.
    pub(super) fn pointer(&self) -> String {
        let text = |t: &[u8]| String::from_utf8_lossy(t).into_owned();
        format!("{:?}\0{}", self.key.0.as_deref().map(text), text(&self.key.1))
    }
}

/// Tells whether a line of flags says that the translation is unsure.
pub(super) fn is_fuzzy_line(line: &[u8]) -> bool {
    line.starts_with(b"#,") && line[2..].split(|b| *b == b',').any(|f| f.trim_ascii() == b"fuzzy")
}

/// A version of a catalog.
pub(super) struct Side<'a> {
    pub(super) text: &'a [u8],
    /// Those in use, in order.
    pub(super) entries: Vec<Entry>,
    /// Those that are commented out.
    pub(super) obsolete: Vec<Entry>,
    by_key: HashMap<Key, usize>,
    /// The line end of the text.
    pub(super) line_end: &'static [u8],
}

impl<'a> Side<'a> {
    /// Reads a catalog; `None` where it is none, or repeats an entry.
    pub(super) fn new(text: &'a [u8]) -> Option<Self> {
        let catalog = Catalog::of_text(text.to_vec(), Charset::default()).ok()?;
        let line_end = catalog.line_end();
        let (obsolete, used): (Vec<Message>, Vec<Message>) = catalog.messages.into_iter().partition(|m| m.obsolete);
        let [entries, obsolete] =
            [used, obsolete].map(|m| m.into_iter().map(Entry::of).collect::<Option<Vec<_>>>());
        let (entries, obsolete) = (entries?, obsolete?);
        let by_key = entries.iter().enumerate().map(|(k, e)| (e.key.clone(), k)).collect();
        Some(Side { text, entries, obsolete, by_key, line_end })
    }

    /// The entry of the same key.
    pub(super) fn find(&self, entry: &Entry) -> Option<&Entry> {
        self.place(entry).map(|k| &self.entries[k])
    }

    /// Which entry has the same key.
    pub(super) fn place(&self, entry: &Entry) -> Option<usize> {
        self.by_key.get(&entry.key).copied()
    }

    /// Where comments stand before an entry that are of none, behind what is obsolete.
    pub(super) fn loose(&self, entry: usize) -> Option<Range<usize>> {
        let start = entry.checked_sub(1).map_or(0, |before| self.entries[before].span.end);
        let gap = &self.text[start..self.entries[entry].span.start];
        let mut at = start;
        let mut found: Option<Range<usize>> = None;
        for line in gap.split_inclusive(|byte| *byte == b'\n') {
            let words = line.trim_ascii();
            if words.starts_with(b"#~") {
                found = None;
            } else if words.starts_with(b"#") {
                found = Some(found.map_or(at, |lines| lines.start)..at + line.len());
            }
            at += line.len();
        }
        found
    }

    /// Lines of another text with the line ends of this one.
    pub(super) fn with_ends(&self, lines: &[u8]) -> Vec<u8> {
        let end = self.line_end;
        crate::text::split_lines(lines).iter().flat_map(|l| [l.content, end].concat()).collect()
    }

    /// The rule by which the language counts.
    pub(super) fn plural_rule(&self) -> Option<PluralRule> {
        let entry = self.entries.iter().find(|e| e.is_header())?;
        header::plural_rule(&header::fields(self.text, entry))
    }
}
