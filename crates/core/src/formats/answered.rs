//! Questions about values, answered through the inputs: a side's value is exchanged, and the file merged again. So the
//! answer comes out in the file's own form.

use std::ops::Range;

use crate::diff::Edit;
use crate::merge::line_edits;
use crate::text::key::Blanks;
use crate::text::split_lines;

/// One answered question about a value: where it stands in base and site, and what it is there.
pub(crate) struct Answered<'a> {
    pub(crate) base_lines: Range<usize>,
    pub(crate) site_lines: Range<usize>,
    pub(crate) base: &'a [u8],
    pub(crate) site: &'a [u8],
    pub(crate) release: &'a [u8],
    pub(crate) answer: Value<'a>,
}

/// What a value is to be.
#[derive(Clone, Copy)]
pub(crate) enum Value<'a> {
    /// The site's.
    Site,
    /// The release's.
    Release,
    /// Another one.
    Text(&'a [u8]),
}

/// Works answers into base and site, so that neither asks when they are merged with the release; where the site's side
/// stands at an open spot, a text of its own does. `None` where a value is not found.
pub(crate) fn worked_in(base: &[u8], site: &[u8], mut answers: Vec<Answered<'_>>) -> Option<[Vec<u8>; 2]> {
    let (mut base, mut site) = (base.to_vec(), site.to_vec());
    // From the end, so that the lines of the others stay true.
    answers.sort_by_key(|a| std::cmp::Reverse((a.site_lines.start, a.base_lines.start)));
    for answered in answers {
        let release = answered.release;
        match (answered.answer, answered.site.is_empty()) {
            (Value::Site, false) => {}
            // What the site took out stays out where the release did nothing to it,
            (Value::Site, true) => base = put_in(&base, &answered.base_lines, answered.base, release)?,
            // and comes back where the release has it anew.
            (Value::Release, true) => base = put_in(&base, &answered.base_lines, answered.base, b"")?,
            (Value::Text(_), true) => return None,
            (Value::Release | Value::Text(_), false) => {
                let new = match answered.answer {
                    Value::Text(text) => text,
                    _ if release.is_empty() => answered.base,
                    _ => release,
                };
                site = put_in(&site, &answered.site_lines, answered.site, new)?;
            }
        }
    }
    Some([base, site])
}

/// Exchanges some words within lines of a text.
fn put_in(text: &[u8], lines: &Range<usize>, old: &[u8], new: &[u8]) -> Option<Vec<u8>> {
    let span = bytes_of(text, lines)?;
    let first = text[span.clone()].windows(old.len().max(1)).position(|w| w == old)?;
    let start = span.start + first;
    let mut end = start + old.len();
    if new.is_empty() {
        // A value that goes takes the comma behind it along; a last comma is read all the same.
        let rest = text[end..].iter().take_while(|b| b.is_ascii_whitespace()).count();
        if text.get(end + rest) == Some(&b',') {
            end += rest + 1;
        }
    }
    Some([&text[..start], new, &text[end..]].concat())
}

/// The bytes of some lines.
pub(crate) fn bytes_of(text: &[u8], lines: &Range<usize>) -> Option<Range<usize>> {
    let all = split_lines(text);
    if lines.end > all.len() {
        return None;
    }
    let width = |l: &crate::text::Line<'_>| l.content.len() + l.end.bytes().len();
    let start: usize = all[..lines.start].iter().map(width).sum();
    let size: usize = all[lines.clone()].iter().map(width).sum();
    Some(start..start + size)
}

/// Where lines of one text are in another.
pub(crate) struct Moved(Vec<Edit>);

impl Moved {
    pub(crate) fn between(old: &[u8], new: &[u8]) -> Self {
        Moved(line_edits(old, new, Blanks::AreContent))
    }

    pub(crate) fn lines(&self, lines: &Range<usize>) -> Range<usize> {
        let start = self.at(lines.start, false);
        start..if lines.is_empty() { start } else { self.at(lines.end, true).max(start) }
    }

    fn at(&self, line: usize, end: bool) -> usize {
        let before = self.0.partition_point(|e| e.old.start < line);
        match before.checked_sub(1).map(|k| &self.0[k]) {
            None => line,
            Some(e) if e.old.end <= line => line - e.old.end + e.new.end,
            Some(e) if end => e.new.end,
            Some(e) => e.new.start + (line - e.old.start).min(e.new.len()),
        }
    }
}
