//! The result as it grows, and where each of its lines comes from.

use std::ops::Range;

use super::{Dialect, Leave, MergeOptions};
use crate::text::{LineEnd, split_lines};

/// Which lines of the three versions a line of the result stands for; none for what was merged by words or is a
/// question.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(crate) struct Source {
    pub(crate) base: Option<usize>,
    pub(crate) site: Option<usize>,
    pub(crate) release: Option<usize>,
}

impl Source {
    pub(crate) fn of_site(line: usize) -> Self {
        Source { site: Some(line), ..Source::default() }
    }

    pub(crate) fn of_release(line: usize) -> Self {
        Source { release: Some(line), ..Source::default() }
    }

    /// The source within the whole of one within parts that begin at these lines of base, site and release.
    pub(crate) fn shifted(self, [base, site, release]: [usize; 3]) -> Self {
        Source {
            base: self.base.map(|k| k + base),
            site: self.site.map(|k| k + site),
            release: self.release.map(|k| k + release),
        }
    }
}

/// The result as it grows. A line's end is written when the next line comes, so that the last line's is known.
pub(crate) struct Out {
    bytes: Vec<u8>,
    /// Where each line so far comes from.
    pub(crate) sources: Vec<Source>,
    line_end: LineEnd,
    pending: Option<LineEnd>,
}

impl Out {
    pub(crate) fn new(line_end: LineEnd) -> Self {
        Out { bytes: Vec::new(), sources: Vec::new(), line_end, pending: None }
    }

    /// How many lines there are.
    pub(crate) fn lines(&self) -> usize {
        self.sources.len()
    }

    /// Adds a line with its own end; one that has none ends as the release's lines mostly do.
    pub(crate) fn line(&mut self, content: &[u8], end: LineEnd, source: Source) {
        self.flush();
        self.bytes.extend_from_slice(content);
        self.sources.push(source);
        self.pending = Some(if end == LineEnd::None { self.line_end } else { end });
    }

    /// Ends the last line with a mark that parts it from the next, in place of a bracket that opens a rule.
    pub(crate) fn go_on(&mut self, mark: u8) {
        if self.bytes.ends_with(b"{") {
            self.bytes.pop();
            self.bytes.truncate(self.bytes.trim_ascii_end().len());
        }
        self.bytes.push(mark);
    }

    /// Adds lines that stand for no single line of a version.
    pub(crate) fn text(&mut self, text: &[u8]) {
        for line in split_lines(text) {
            self.line(line.content, LineEnd::None, Source::default());
        }
    }

    /// Adds an open spot and returns its lines: the base's text and the two sides' between markers, or one side's.
    pub(crate) fn question(
        &mut self,
        [base, site, release]: [&[u8]; 3],
        dialect: &Dialect,
        options: &MergeOptions,
    ) -> Range<usize> {
        let from = self.lines();
        match options.leave {
            Leave::Markers if dialect.markers => {
                self.marker("<<<<<<< site");
                self.text(site);
                self.marker("||||||| base");
                self.text(base);
                self.marker("=======");
                self.text(release);
                self.marker(format!(">>>>>>> release {}", options.release_label).trim_end());
            }
            Leave::Release => self.text(release),
            _ => self.text(site),
        }
        from..self.lines()
    }

    /// Adds a line of a question that is no version's.
    fn marker(&mut self, label: &str) {
        self.line(label.as_bytes(), LineEnd::None, Source::default());
    }

    fn flush(&mut self) {
        if let Some(end) = self.pending.take() {
            self.bytes.extend_from_slice(end.bytes());
        }
    }

    /// Returns the text and the sources of its lines. A blank last line has an end in any case: it would be none
    /// otherwise.
    pub(crate) fn finish(mut self, final_newline: bool) -> (Vec<u8>, Vec<Source>) {
        if final_newline || self.bytes.last().is_none_or(|byte| *byte == b'\n') {
            self.flush();
        }
        (self.bytes, self.sources)
    }
}
