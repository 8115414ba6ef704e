//! Writing messages as PO, wrapped as catalogs are.

use super::{Catalog, Message};

/// The column that lines stay within, quotes included (GNU gettext's page width).
const WIDTH: usize = 79;

/// How the strings of a catalog are written.
#[derive(Debug, Clone, Copy)]
pub(super) struct Style {
    pub(super) end: &'static [u8],
    /// Strings are broken into lines that fit a page.
    wrapped: bool,
}

impl Style {
    /// The style of a text: it is not wrapped where any string is longer than wrapping would leave it.
    pub(super) fn of(text: &[u8]) -> Self {
        let long = |line: &[u8]| {
            let letters = line.iter().filter(|b| **b & 0xC0 != 0x80).count();
            line.first() != Some(&b'#') && letters > WIDTH + 6 && line.iter().filter(|b| **b == b' ').count() > 4
        };
        let wrapped = !text.split(|b| *b == b'\n').any(long);
        let crlf = text.windows(2).any(|w| w == b"\r\n");
        Style { end: if crlf { b"\r\n" } else { b"\n" }, wrapped }
    }

    /// Writes a keyword with its string.
    pub(super) fn string(&self, keyword: &str, text: &[u8], out: &mut Vec<u8>) {
        let whole = escaped(text);
        let columns = |text: &[u8]| text.iter().filter(|b| **b & 0xC0 != 0x80).count();
        let inner_end = text.iter().rposition(|b| *b == b'\n').is_some_and(|at| at + 1 < text.len())
            || text.iter().filter(|b| **b == b'\n').count() > 1;
        let fits = !self.wrapped || keyword.len() + 3 + columns(&whole) <= WIDTH;
        out.extend_from_slice(keyword.as_bytes());
        if fits && !inner_end {
            out.extend([b" \"", &whole[..], b"\"", self.end].concat());
            return;
        }
        out.extend([b" \"\"", self.end].concat());
        for line in text.split_inclusive(|b| *b == b'\n') {
            let line = escaped(line);
            let mut piece: Vec<u8> = Vec::new();
            for word in line.split_inclusive(|b| *b == b' ') {
                if self.wrapped && !piece.is_empty() && columns(&piece) + columns(word) + 2 > WIDTH {
                    out.extend([b"\"", &piece[..], b"\"", self.end].concat());
                    piece.clear();
                }
                piece.extend_from_slice(word);
            }
            out.extend([b"\"", &piece[..], b"\"", self.end].concat());
        }
    }

    /// Writes the context and id of a message, each keyword behind a prefix.
    pub(super) fn head(&self, message: &Message, prefix: &str, out: &mut Vec<u8>) {
        if let Some(context) = &message.context {
            self.string(&format!("{prefix}msgctxt"), context, out);
        }
        self.string(&format!("{prefix}msgid"), &message.id, out);
        if let Some(plural) = &message.plural {
            self.string(&format!("{prefix}msgid_plural"), plural, out);
        }
    }

    /// Writes the translations of a message.
    pub(super) fn texts(&self, texts: &[Vec<u8>], plural: bool, out: &mut Vec<u8>) {
        for (k, text) in texts.iter().enumerate() {
            let keyword = if plural { format!("msgstr[{k}]") } else { "msgstr".into() };
            self.string(&keyword, text, out);
        }
    }
}

/// Writes all messages anew, as UTF-8.
pub fn write(catalog: &Catalog) -> Vec<u8> {
    let style = Style { end: b"\n", wrapped: true };
    let mut out = Vec::new();
    for message in &catalog.messages {
        if !out.is_empty() {
            out.push(b'\n');
        }
        for comment in &message.comments {
            out.extend([comment, &b"\n"[..]].concat());
        }
        style.head(message, "", &mut out);
        style.texts(&message.texts, message.plural.is_some(), &mut out);
    }
    out
}

fn escaped(text: &[u8]) -> Vec<u8> {
    let mut out = Vec::with_capacity(text.len());
    for byte in text {
        match byte {
            b'\n' => out.extend(b"\\n"),
            b'\t' => out.extend(b"\\t"),
            b'\r' => out.extend(b"\\r"),
            b'"' => out.extend(b"\\\""),
            b'\\' => out.extend(b"\\\\"),
            7 => out.extend(b"\\a"),
            8 => out.extend(b"\\b"),
            11 => out.extend(b"\\v"),
            12 => out.extend(b"\\f"),
            byte if *byte < 32 || *byte == 127 => out.extend(format!("\\{byte:03o}").bytes()),
            byte => out.push(*byte),
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn long_texts_are_wrapped_as_in_the_catalog() {
        let text = "word ".repeat(30);
        let lines = |like: &str| {
            let mut out = Vec::new();
            Style::of(like.as_bytes()).string("msgstr", text.as_bytes(), &mut out);
            out.split(|b| *b == b'\n').map(<[u8]>::len).collect::<Vec<_>>()
        };
        assert_eq!(lines("msgid \"a\"\n"), [9, 77, 77, 0]);
        assert_eq!(lines(&format!("msgid \"{text}\"\n")).len(), 2);
    }

    proptest! {
        #[test]
        fn what_is_written_is_read_back(texts in proptest::collection::vec("(a| |word |\n|\"|\\\\|\t|\u{1}|ł){0,60}", 1..4)) {
            let message = Message {
                context: Some(b"c".to_vec()),
                id: b"one\ntwo".to_vec(),
                plural: (texts.len() > 1).then(|| b"many".to_vec()),
                texts: texts.iter().map(|t| t.clone().into_bytes()).collect(),
                ..Message::default()
            };
            let text = write(&Catalog::made(vec![message.clone()], super::super::Charset::default()));
            let back = Catalog::parse(&text).unwrap();
            prop_assert_eq!(&back.messages[0].texts, &message.texts);
            prop_assert_eq!(&back.messages[0].id, &message.id);
        }
    }
}
