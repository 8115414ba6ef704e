//! The charset that a catalog's header names (GNU gettext manual, "Header Entry"; names by the WHATWG Encoding
//! Standard).

use encoding_rs::Encoding;

/// The charset of a catalog. Within Daxle, catalogs are UTF-8.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Charset(&'static Encoding);

impl Default for Charset {
    fn default() -> Self {
        Charset(encoding_rs::UTF_8)
    }
}

impl Charset {
    /// Reads the charset that the header of a catalog names; `None` for one that is not known. A template that leaves
    /// it open (`charset=CHARSET`) is UTF-8.
    pub fn of_header(text: &[u8]) -> Option<Self> {
        let head = &text[..text.len().min(1 << 14)];
        let named = head.windows(8).position(|w| w.eq_ignore_ascii_case(b"charset="));
        let Some(at) = named else { return Some(Charset::default()) };
        let rest = &head[at + 8..];
        let length = rest.iter().take_while(|b| b.is_ascii_alphanumeric() || b"-_:.".contains(b)).count();
        let label = &rest[..length];
        if label.is_empty() || label == b"CHARSET" {
            return Some(Charset::default());
        }
        Encoding::for_label(label).map(Charset)
    }

    /// Tells whether it is UTF-8.
    pub fn is_utf8(self) -> bool {
        self.0 == encoding_rs::UTF_8
    }

    /// Decodes to UTF-8; `None` where encoding again would not give the same bytes. Bytes that claim to be UTF-8 are
    /// left as they are.
    pub fn decode(self, bytes: &[u8]) -> Option<Vec<u8>> {
        if self.is_utf8() {
            return Some(bytes.to_vec());
        }
        let text = self.0.decode_without_bom_handling_and_without_replacement(bytes)?.into_owned().into_bytes();
        (self.encode(&text).as_deref() == Some(bytes)).then_some(text)
    }

    /// Encodes UTF-8; `None` where the charset has no such letter.
    pub fn encode(self, text: &[u8]) -> Option<Vec<u8>> {
        if self.is_utf8() {
            return Some(text.to_vec());
        }
        let (bytes, _, lost) = self.0.encode(std::str::from_utf8(text).ok()?);
        (!lost).then(|| bytes.into_owned())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_header_names_the_charset() {
        let header = |name: &str| {
            format!("msgid \"\"\nmsgstr \"Content-Type: text/plain; charset={name}\\n\"\n\nmsgid \"a\"\nmsgstr \"")
        };
        let latin = [header("ISO-8859-2").as_bytes(), b"\xb1\"\n"].concat();
        let charset = Charset::of_header(&latin).unwrap();
        let text = charset.decode(&latin).unwrap();
        assert!(text.ends_with("ą\"\n".as_bytes()));
        assert_eq!(charset.encode(&text).unwrap(), latin);
        assert_eq!(charset.encode("€".as_bytes()), None);
        assert!(Charset::of_header(header("CHARSET").as_bytes()).unwrap().is_utf8());
        assert_eq!(Charset::of_header(header("no-such").as_bytes()), None);
        // A backslash may be the second half of a letter.
        let sjis = Charset::of_header(header("Shift_JIS").as_bytes()).unwrap();
        assert_eq!(sjis.decode(b"\x95\x5c").unwrap(), "表".as_bytes());
    }
}
