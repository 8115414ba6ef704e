//! Bytes to lines to tokens: what the core knows about text before it compares any of it.
//!
//! A theme's text keeps its bytes. [`Text`] takes the encoding off (and puts it back on), [`Line`] cuts the
//! rest into lines with their ends, [`Form`] tells how a file is written (line end, indentation, final
//! newline), and [`key`] gives each line the key that it is compared by, blind to white space,
//! and [`Spelling`] each word the one that it is compared by.

mod at_once;
mod form;
pub mod key;
mod line;
mod spelling;
pub mod token;

pub(crate) use at_once::{both, of_each};
pub use form::{Form, Indent, IndentUnit};
pub(crate) use line::joined;
pub use line::{Line, LineEnd, split_lines};
pub use spelling::Spelling;

use std::borrow::Cow;

/// How the bytes of a text file are encoded.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Encoding {
    /// UTF-8 without a byte order mark.
    Utf8,
    /// UTF-8 after a byte order mark.
    Utf8Bom,
    /// UTF-16, little endian, after a byte order mark.
    Utf16Le,
    /// UTF-16, big endian, after a byte order mark.
    Utf16Be,
    /// Some single-byte encoding; its bytes are carried through untouched.
    SingleByte,
}

/// A decoded text file: its encoding, and its body without a byte order mark.
///
/// The body is UTF-8 for every encoding but [`Encoding::SingleByte`], where it is the bytes as found.
#[derive(Debug, Clone)]
pub struct Text<'a> {
    /// How the file is encoded.
    pub encoding: Encoding,
    /// The body, without a byte order mark.
    pub body: Cow<'a, [u8]>,
}

/// How many leading bytes are looked at to tell binary from text.
const SNIFFED: usize = 64 * 1024;

impl<'a> Text<'a> {
    /// Decodes a file; `None` when it is binary: a NUL byte near the front, or UTF-16 that does not decode.
    pub fn decode(bytes: &'a [u8]) -> Option<Self> {
        if let Some(rest) = bytes.strip_prefix(b"\xEF\xBB\xBF") {
            return (!has_nul(rest)).then_some(Text { encoding: Encoding::Utf8Bom, body: rest.into() });
        }
        for (mark, encoding) in [(b"\xFF\xFE", Encoding::Utf16Le), (b"\xFE\xFF", Encoding::Utf16Be)] {
            if let Some(rest) = bytes.strip_prefix(mark) {
                let body = utf16_to_utf8(rest, encoding)?;
                return (!body.contains(&0)).then_some(Text { encoding, body: body.into() });
            }
        }
        if has_nul(bytes) {
            return None;
        }
        let encoding = if std::str::from_utf8(bytes).is_ok() { Encoding::Utf8 } else { Encoding::SingleByte };
        Some(Text { encoding, body: bytes.into() })
    }

    /// Encodes a body as a file again: the inverse of [`Text::decode`].
    ///
    /// `None` when the body cannot be written in the encoding (bytes that are not UTF-8, in a Unicode file).
    pub fn encode(body: Vec<u8>, encoding: Encoding) -> Option<Vec<u8>> {
        match encoding {
            Encoding::SingleByte => Some(body),
            Encoding::Utf8 => std::str::from_utf8(&body).is_ok().then_some(body),
            Encoding::Utf8Bom => {
                std::str::from_utf8(&body).ok()?;
                Some([b"\xEF\xBB\xBF".as_slice(), &body].concat())
            }
            Encoding::Utf16Le | Encoding::Utf16Be => {
                let text = std::str::from_utf8(&body).ok()?;
                let mut out = Vec::with_capacity(body.len() * 2 + 2);
                for unit in std::iter::once(0xFEFF).chain(text.encode_utf16()) {
                    let pair = if encoding == Encoding::Utf16Le { unit.to_le_bytes() } else { unit.to_be_bytes() };
                    out.extend_from_slice(&pair);
                }
                Some(out)
            }
        }
    }
}

/// Tells whether a file is binary, from its leading bytes.
pub fn is_binary(head: &[u8]) -> bool {
    if head.starts_with(b"\xFF\xFE") || head.starts_with(b"\xFE\xFF") {
        // The head may end inside a surrogate pair; the first units are enough to tell.
        return head.len() > 2 && head[2..].chunks_exact(2).take(512).any(|pair| pair == [0, 0]);
    }
    has_nul(head)
}

fn has_nul(bytes: &[u8]) -> bool {
    bytes[..bytes.len().min(SNIFFED)].contains(&0)
}

fn utf16_to_utf8(bytes: &[u8], encoding: Encoding) -> Option<Vec<u8>> {
    if !bytes.len().is_multiple_of(2) {
        return None;
    }
    let units = bytes.chunks_exact(2).map(|pair| {
        let pair = [pair[0], pair[1]];
        if encoding == Encoding::Utf16Le { u16::from_le_bytes(pair) } else { u16::from_be_bytes(pair) }
    });
    let text: Result<String, _> = char::decode_utf16(units).collect();
    Some(text.ok()?.into_bytes())
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn binary_is_told_from_text() {
        assert!(Text::decode(b"\x89PNG\r\n\x1a\n\0\0\0\rIHDR").is_none());
        assert!(Text::decode(b"\xFF\xFEa").is_none(), "half a UTF-16 unit");
        assert!(Text::decode(b"\xFF\xFE\x00\xD8").is_none(), "a lone surrogate");
        assert_eq!(Text::decode(b"caf\xE9").unwrap().encoding, Encoding::SingleByte);
        assert_eq!(Text::decode(b"").unwrap().encoding, Encoding::Utf8);
    }

    #[test]
    fn a_body_that_does_not_fit_its_encoding_is_refused() {
        assert_eq!(Text::encode(b"caf\xE9".to_vec(), Encoding::Utf8), None);
        assert_eq!(Text::encode(b"caf\xE9".to_vec(), Encoding::Utf16Be), None);
    }

    proptest! {
        #[test]
        fn decode_then_encode_gives_the_file_back(text in "[a-zé𝄞\\r\\n \\t]{0,40}") {
            for encoding in [Encoding::Utf8, Encoding::Utf8Bom, Encoding::Utf16Le, Encoding::Utf16Be] {
                let file = Text::encode(text.clone().into_bytes(), encoding).unwrap();
                let read = Text::decode(&file).unwrap();
                prop_assert_eq!(read.encoding, encoding);
                prop_assert_eq!(Text::encode(read.body.into_owned(), encoding).unwrap(), file);
            }
        }
    }
}
