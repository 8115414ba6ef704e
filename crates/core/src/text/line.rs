//! Lines and their ends.

use memchr::memchr2_iter;

/// How a line ends.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum LineEnd {
    /// `\n`
    Lf,
    /// `\r\n`
    CrLf,
    /// A lone `\r`
    Cr,
    /// The end of the file, without a line end.
    None,
}

impl LineEnd {
    /// Returns the bytes of the line end.
    pub fn bytes(self) -> &'static [u8] {
        match self {
            LineEnd::Lf => b"\n",
            LineEnd::CrLf => b"\r\n",
            LineEnd::Cr => b"\r",
            LineEnd::None => b"",
        }
    }
}

/// One line of a text: its content without the line end, and the line end.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Line<'a> {
    /// The line without its end.
    pub content: &'a [u8],
    /// How the line ends.
    pub end: LineEnd,
}

impl<'a> Line<'a> {
    /// Returns the leading blanks (spaces and tabs).
    pub fn indent(&self) -> &'a [u8] {
        let n = self.content.iter().take_while(|b| is_blank_byte(**b)).count();
        &self.content[..n]
    }

    /// Returns how far the line is indented, in columns; a tab counts as four.
    pub fn width(&self) -> usize {
        self.indent().iter().map(|byte| if *byte == b'\t' { 4 } else { 1 }).sum()
    }

    /// Returns the line without leading and trailing blanks.
    pub fn trimmed(&self) -> &'a [u8] {
        trim_blanks(self.content)
    }

    /// Returns the trailing blanks; none of a blank line, which is all indentation.
    pub fn trail(&self) -> &'a [u8] {
        &self.content[self.indent().len() + self.trimmed().len()..]
    }

    /// Tells whether the line holds nothing but blanks.
    pub fn is_blank(&self) -> bool {
        self.content.iter().all(|b| is_blank_byte(*b))
    }
}

pub(crate) fn is_blank_byte(byte: u8) -> bool {
    matches!(byte, b' ' | b'\t' | 0x0C)
}

/// Returns `bytes` without leading and trailing blanks.
pub(crate) fn trim_blanks(bytes: &[u8]) -> &[u8] {
    let start = bytes.iter().take_while(|b| is_blank_byte(**b)).count();
    let end = bytes[start..].iter().rev().take_while(|b| is_blank_byte(**b)).count();
    &bytes[start..bytes.len() - end]
}

/// The text of lines, each ended by one line feed.
pub(crate) fn joined(lines: &[Line<'_>]) -> Vec<u8> {
    let mut out = Vec::new();
    for line in lines {
        out.extend_from_slice(line.content);
        out.push(b'\n');
    }
    out
}

/// Cuts a body into lines at `\n`, `\r\n` and lone `\r`.
///
/// Only the last line can lack an end; an empty body has no lines. Joining all contents and ends gives the
/// body back.
pub fn split_lines(body: &[u8]) -> Vec<Line<'_>> {
    let mut lines = Vec::with_capacity(body.len() / 32 + 1);
    let mut start = 0;
    for at in memchr2_iter(b'\n', b'\r', body) {
        // The line feed of an end that a return began.
        if at < start {
            continue;
        }
        let end = match (body[at], body.get(at + 1)) {
            (b'\n', _) => LineEnd::Lf,
            (_, Some(b'\n')) => LineEnd::CrLf,
            _ => LineEnd::Cr,
        };
        lines.push(Line { content: &body[start..at], end });
        start = at + end.bytes().len();
    }
    if start < body.len() {
        lines.push(Line { content: &body[start..], end: LineEnd::None });
    }
    lines
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn all_three_line_ends_are_seen() {
        let ends: Vec<_> = split_lines(b"a\nb\r\nc\rd").iter().map(|l| l.end).collect();
        assert_eq!(ends, [LineEnd::Lf, LineEnd::CrLf, LineEnd::Cr, LineEnd::None]);
    }

    proptest! {
        #[test]
        fn lines_joined_give_the_body(body in proptest::collection::vec(prop_oneof![
            Just(b'\n'), Just(b'\r'), Just(b' '), Just(b'x')], 0..30)) {
            let joined: Vec<u8> = split_lines(&body).iter()
                .flat_map(|l| [l.content, l.end.bytes()].concat()).collect();
            prop_assert_eq!(joined, body);
        }
    }
}
