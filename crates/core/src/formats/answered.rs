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
                // With the base's value the site said nothing; what has none there was put in by both.
                let new = match answered.answer {
                    Value::Text(text) => text,
                    _ if answered.base.is_empty() => release,
                    _ => answered.base,
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

    /// The lines that some lines have become; for none, the place that theirs has become.
    pub(crate) fn lines(&self, lines: &Range<usize>) -> Range<usize> {
        if lines.is_empty() {
            let place = self.after(self.0.partition_point(|e| e.old.start < lines.start), lines.start, false);
            return place..place;
        }
        // What was put in right before the first line is none of them.
        let before = |e: &Edit| e.old.start < lines.start || (e.old.start == lines.start && e.old.is_empty());
        let start = self.after(self.0.partition_point(before), lines.start, false);
        start..self.after(self.0.partition_point(|e| e.old.start < lines.end), lines.end, true).max(start)
    }

    /// Where a line is after so many of the edits.
    fn after(&self, edits: usize, line: usize, end: bool) -> usize {
        match edits.checked_sub(1).map(|k| &self.0[k]) {
            None => line,
            Some(e) if e.old.end <= line => line - e.old.end + e.new.end,
            Some(e) if end => e.new.end,
            Some(e) => e.new.start + (line - e.old.start).min(e.new.len()),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn answered<'a>(sides: [&'a str; 3], line: usize, answer: Value<'a>) -> Answered<'a> {
        let [base, site, release] = sides.map(str::as_bytes);
        Answered { base_lines: line..line + 1, site_lines: line..line + 1, base, site, release, answer }
    }

    #[test]
    fn an_answer_is_worked_into_the_side_that_it_is_about() {
        let (base, site) = ("{\n\"a\": 1,\n\"b\": 2\n}\n", "{\n\"a\": 5,\n\"b\": 6\n}\n");
        let text = |[base, site]: [Vec<u8>; 2]| [base, site].map(|t| String::from_utf8(t).unwrap());
        let release = answered(["\"a\": 1", "\"a\": 5", "\"a\": 9"], 1, Value::Release);
        let own = answered(["\"b\": 2", "\"b\": 6", "\"b\": 7"], 2, Value::Text(b"\"b\": 8"));
        let out = text(worked_in(base.as_bytes(), site.as_bytes(), vec![release, own]).unwrap());
        assert_eq!(out, [base.to_string(), "{\n\"a\": 1,\n\"b\": 8\n}\n".to_string()]);
        // What the release dropped goes with it; what the site took out stays out, or comes anew.
        let dropped = answered(["\"a\": 1", "\"a\": 5", ""], 1, Value::Release);
        let out = text(worked_in(base.as_bytes(), site.as_bytes(), vec![dropped]).unwrap());
        assert!(out[1].contains("\"a\": 1,"));
        let gone = |answer| answered(["\"a\": 1", "", "\"a\": 9"], 1, answer);
        let out = text(worked_in(base.as_bytes(), b"{\n}\n", vec![gone(Value::Site)]).unwrap());
        assert!(out[0].contains("\"a\": 9,"));
        let out = text(worked_in(base.as_bytes(), b"{\n}\n", vec![gone(Value::Release)]).unwrap());
        assert_eq!(out[0], "{\n\n\"b\": 2\n}\n", "with its comma");
        assert!(worked_in(base.as_bytes(), site.as_bytes(), vec![gone(Value::Text(b"x"))]).is_none());
    }

    #[test]
    fn lines_are_followed_from_text_to_text() {
        let moved = Moved::between(b"a\nb\nc\nd\n", b"new\na\nb\nd\n");
        assert_eq!((moved.lines(&(0..1)), moved.lines(&(3..4))), (1..2, 3..4));
        assert_eq!(moved.lines(&(2..3)), 3..3, "what is gone has no lines");
        assert_eq!(moved.lines(&(4..4)), 4..4);
    }
}
