//! A tag of markup, cut into its attributes.

use std::collections::BTreeMap;

use super::LONGEST;
use super::code_tags::{block_step, is_else, template_end};

/// One attribute (or other piece) of a tag.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Piece<'a> {
    /// Blanks before it.
    pub(crate) lead: &'a [u8],
    /// The whole piece as written: `class="a b"`, `hidden`, `{{ attributes }}`.
    pub(crate) text: &'a [u8],
    /// The attribute's name; for other pieces their whole text.
    pub(crate) name: &'a [u8],
    /// The value with its quotes, if there is one.
    pub(crate) value: Option<&'a [u8]>,
    /// What it is known by in the other versions: its name in lower case, and more where that stands several times.
    pub(crate) key: Vec<u8>,
}

impl<'a> Piece<'a> {
    pub(in crate::merge) fn new(lead: &'a [u8], text: &'a [u8], name: &'a [u8], value: Option<&'a [u8]>) -> Self {
        Piece { lead, text, name, value, key: name.to_ascii_lowercase() }
    }
}

/// A tag cut into its name, its pieces and its end.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Tag<'a> {
    pub(crate) name: &'a [u8],
    pub(crate) pieces: Vec<Piece<'a>>,
    /// Blanks before the closing `>` or `/>`.
    pub(crate) end_lead: &'a [u8],
    pub(crate) end: &'a [u8],
}

pub(super) fn blanks(text: &[u8], mut i: usize) -> usize {
    while text.get(i).is_some_and(u8::is_ascii_whitespace) {
        i += 1;
    }
    i
}

/// Returns where the tag that begins at `i` (at its `<`) ends, behind its `>`; `None` if no whole tag is there.
pub(crate) fn tag_end(text: &[u8], i: usize) -> Option<usize> {
    if text.get(i) != Some(&b'<') || !text.get(i + 1)?.is_ascii_alphabetic() {
        return None;
    }
    let mut at = i + 1;
    while at < text.len() {
        if let Some(end) = template_end(text, at) {
            at = end;
            continue;
        }
        match text[at] {
            b'>' => return Some(at + 1),
            b'<' => return None,
            b'"' | b'\'' => at = quoted_end(text, at)?,
            _ => at += 1,
        }
    }
    None
}

/// A whole tag with its values in double quotes, where that is the same; `None` where they are already.
pub(in crate::merge) fn in_double_quotes(tag: &[u8]) -> Option<Vec<u8>> {
    let mut out: Option<Vec<u8>> = None;
    let mut at = 0;
    while at < tag.len() {
        let end = match tag[at] {
            b'"' | b'\'' => quoted_end(tag, at)?,
            _ => template_end(tag, at).unwrap_or(at + 1),
        };
        if tag[at] == b'\'' && !tag[at..end].contains(&b'"') {
            let out = out.get_or_insert_with(|| tag.to_vec());
            (out[at], out[end - 1]) = (b'"', b'"');
        }
        at = end;
    }
    out
}

/// Returns the end of a quoted value that begins at `i`; template tags within may hold the same quotes.
pub(in crate::merge) fn quoted_end(text: &[u8], i: usize) -> Option<usize> {
    let quote = text[i];
    let mut at = i + 1;
    while at < text.len() {
        if let Some(end) = template_end(text, at) {
            at = end;
        } else if text[at] == quote {
            return Some(at + 1);
        } else {
            at += 1;
        }
    }
    None
}

impl<'a> Tag<'a> {
    /// Cuts a whole tag, `<name …>`.
    pub(crate) fn parse(text: &'a [u8]) -> Option<Self> {
        let inner = text.strip_prefix(b"<")?.strip_suffix(b">")?;
        let name_len =
            inner.iter().take_while(|b| b.is_ascii_alphanumeric() || matches!(b, b'-' | b':' | b'_')).count();
        let mut tag = Tag { name: &inner[..name_len], pieces: Vec::new(), end_lead: b"", end: b">" };
        let mut at = name_len;
        loop {
            let start = blanks(inner, at);
            let lead = &inner[at..start];
            if start == inner.len() || &inner[start..] == b"/" {
                tag.end_lead = lead;
                tag.end = &text[1 + start..];
                return Some(tag);
            }
            let (end, name_end, value) = piece_end(inner, start)?;
            let (text, name) = (&inner[start..end], &inner[start..name_end]);
            tag.pieces.push(Piece::new(lead, text, name, value.map(|v| &inner[v..end])));
            at = end;
        }
    }

    /// Tells whether each piece has a key of its own.
    pub(in crate::merge) fn is_set(&self) -> bool {
        let mut keys: Vec<&[u8]> = self.pieces.iter().map(|p| p.key.as_slice()).collect();
        keys.sort_unstable();
        keys.len() <= LONGEST && keys.windows(2).all(|w| w[0] != w[1])
    }

    pub(super) fn find(&self, key: &[u8]) -> Option<&Piece<'a>> {
        self.pieces.iter().find(|p| p.key == key)
    }

    /// Names each piece by the template block that it stands in, too.
    pub(super) fn name_by_block(&mut self) {
        let mut open: Vec<Vec<u8>> = Vec::new();
        for piece in &mut self.pieces {
            let is_template = template_end(piece.text, 0) == Some(piece.text.len());
            let step = if is_template { block_step(piece.text) } else { 0 };
            let block = open.last().cloned().unwrap_or_default();
            piece.key = [block.as_slice(), b"\0", &piece.key].concat();
            if step > 0 {
                open.push(piece.key.clone());
            } else if step < 0 {
                open.pop();
            } else if is_template && is_else(piece.text) && open.pop().is_some() {
                open.push(piece.key.clone());
            }
        }
    }

    /// Numbers the pieces of one key.
    pub(super) fn number(&mut self) {
        let mut seen: BTreeMap<Vec<u8>, u32> = BTreeMap::new();
        for piece in &mut self.pieces {
            let count = seen.entry(piece.key.clone()).or_default();
            piece.key.extend(count.to_be_bytes());
            *count += 1;
        }
    }

    /// How often each key stands here.
    pub(super) fn counts(&self) -> BTreeMap<&[u8], usize> {
        let mut counts = BTreeMap::new();
        self.pieces.iter().for_each(|piece| *counts.entry(piece.key.as_slice()).or_default() += 1);
        counts
    }
}

/// Returns the end of the piece at `i`, the end of its name, and the start of its value.
fn piece_end(text: &[u8], i: usize) -> Option<(usize, usize, Option<usize>)> {
    // `{{ name }}="value"` is an attribute whose name is put in; any other template tag stands for itself.
    if let Some(end) = template_end(text, i).filter(|end| text.get(*end) != Some(&b'=')) {
        return Some((end, end, None));
    }
    let mut at = i;
    while at < text.len() && !text[at].is_ascii_whitespace() && text[at] != b'=' {
        at = match text[at] {
            b'"' | b'\'' => quoted_end(text, at)?,
            _ => template_end(text, at).unwrap_or(at + 1),
        };
    }
    let name_end = at;
    let equals = blanks(text, at);
    if text.get(equals) != Some(&b'=') || name_end == i {
        return (name_end > i).then_some((name_end, name_end, None));
    }
    let value = blanks(text, equals + 1);
    let mut end = value;
    match text.get(value) {
        Some(b'"' | b'\'') => end = quoted_end(text, value)?,
        _ => {
            while end < text.len() && !text[end].is_ascii_whitespace() {
                end = template_end(text, end).unwrap_or(end + 1);
            }
        }
    }
    Some((end, name_end, Some(value)))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn template_tags_may_hold_quotes_and_angles() {
        let tag = b"<a title=\"{{ t(\"x > y\") }}\" {{ rest }}>";
        assert_eq!(tag_end(tag, 0), Some(tag.len()));
        assert_eq!(Tag::parse(tag).unwrap().pieces.len(), 2);
        let tag = b"<a class=\"a\"{{{ if x }}}{{ name }}=\"{{ value }}\"{{{ end }}}>";
        let names: Vec<&[u8]> = Tag::parse(tag).unwrap().pieces.iter().map(|p| p.name).collect();
        assert_eq!(names, [b"class".as_slice(), b"{{{ if x }}}", b"{{ name }}", b"{{{ end }}}"]);
        assert_eq!(tag_end(b"<a href=\"x", 0), None);
    }
}
