//! Keys: what a line is compared by.
//!
//! A key is blind to what is form and not content. Two lines with equal keys are the same line; if their bytes
//! differ, that is a white-space change and is settled on its own (see `merge::space`).

use std::borrow::Cow;

use super::line::{is_blank_byte, trim_blanks};
use super::{Form, Line};

/// What white space means in a file.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Blanks {
    /// Indentation and the width of inner blanks are form.
    #[default]
    AreForm,
    /// Indentation is structure: the key keeps its level, and is blind only to the unit it is written in.
    IndentIsMeaning,
    /// Every byte counts, but for the line end.
    AreContent,
}

/// Returns the key of a line.
///
/// Under [`Blanks::AreForm`] the key has no indentation and no trailing blanks, and inner runs of blanks
/// outside double quotes are one space.
pub fn line_key<'a>(line: &Line<'a>, blanks: Blanks, form: &Form) -> Cow<'a, [u8]> {
    match blanks {
        Blanks::AreContent => Cow::Borrowed(line.content),
        Blanks::AreForm => squeeze(trim_blanks(line.content)),
        Blanks::IndentIsMeaning => {
            let text = trim_blanks(line.content);
            if text.is_empty() {
                return Cow::Borrowed(text);
            }
            let indent = form.measure(line.indent());
            // A level is one NUL, which text cannot contain, and alignment is spaces.
            let mut key = vec![0; indent.levels];
            key.extend(std::iter::repeat_n(b' ', indent.rest));
            key.extend_from_slice(text);
            Cow::Owned(key)
        }
    }
}

/// Collapses runs of blanks outside double quotes to one space.
fn squeeze(text: &[u8]) -> Cow<'_, [u8]> {
    let needs = text
        .iter()
        .zip(text.iter().skip(1))
        .any(|(a, b)| *a == b'\t' || *a == 0x0C || (is_blank_byte(*a) && is_blank_byte(*b)));
    if !needs {
        return Cow::Borrowed(text);
    }
    let mut out = Vec::with_capacity(text.len());
    let (mut quoted, mut blank) = (false, false);
    for &byte in text {
        if byte == b'"' {
            quoted = !quoted;
        }
        if is_blank_byte(byte) && !quoted {
            if !blank {
                out.push(b' ');
            }
            blank = true;
        } else {
            out.push(byte);
            blank = false;
        }
    }
    Cow::Owned(out)
}

/// Tells whether a key says too little to line files up by it: blank lines, lone braces, bare closing tags.
pub fn is_weak(key: &[u8]) -> bool {
    let key = key.trim_ascii();
    if key.starts_with(b"</") {
        return true;
    }
    let solid = key.iter().filter(|b| b.is_ascii_alphanumeric() || **b >= 0x80).count();
    solid < 3 || matches!(key, b"else" | b"else:" | b"end" | b"endif" | b"endif;" | b"} else {")
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::text::split_lines;

    fn key(line: &str, blanks: Blanks) -> Vec<u8> {
        let lines = split_lines(line.as_bytes());
        line_key(&lines[0], blanks, &Form::of(&lines)).into_owned()
    }

    #[test]
    fn the_key_is_blind_to_form_but_not_to_strings() {
        assert_eq!(key("\t a  =\tb;  \r\n", Blanks::AreForm), b"a = b;");
        assert_eq!(key("a = \"x  y\"", Blanks::AreForm), b"a = \"x  y\"");
        assert_ne!(key("  a: 1", Blanks::IndentIsMeaning), key("a: 1", Blanks::IndentIsMeaning));
        assert_eq!(key("a  b", Blanks::AreContent), b"a  b");
    }

    #[test]
    fn closing_lines_are_weak() {
        for weak in ["", "}", "});", "</div>", "} else {", "*/"] {
            assert!(is_weak(weak.as_bytes()), "{weak}");
        }
        assert!(!is_weak(b"color: red;"));
    }
}
