//! Tokens: what a line is made of, for merging finer than lines.
//!
//! The cut is one that the languages at hand have in common: words, numbers with units, punctuation, and the
//! delimiters of markup and of template languages. It needs no grammar, so it is as good on a template
//! language nobody has seen as on a known one.

/// What sort of thing a token is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum TokenKind {
    /// A word, a number with its unit, an identifier.
    Word,
    /// A delimiter or one character of punctuation.
    Mark,
}

/// One token with the blanks before it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Token<'a> {
    /// Blanks and line ends before the token.
    pub lead: &'a [u8],
    /// The token itself. Empty only for the last token of a text that ends in blanks.
    pub text: &'a [u8],
    /// What sort of token it is.
    pub kind: TokenKind,
}

/// Delimiters of more than one character, longest first.
const MARKS: [&[u8]; 22] = [
    b"<!--", b"{{{", b"}}}", b"-->", b"<?=", b"{{-", b"-}}", b"{%-", b"-%}", b"{{", b"}}", b"{%", b"%}", b"{#",
    b"#}", b"<?", b"?>", b"</", b"/>", b"<%", b"%>", b"=>",
];

/// What a byte is to the cut: most are told by one look.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Class {
    /// White space.
    Space,
    /// Part of a word wherever it stands.
    Word,
    /// May begin a word, join two parts of one, or begin a longer mark: `#`, `@`, `.`, `-`, `%`.
    Sign,
    /// A mark that may begin a delimiter of more than one character.
    Longer,
    /// A mark by itself.
    Mark,
}

const CLASSES: [Class; 256] = {
    let mut classes = [Class::Mark; 256];
    let mut byte = 0;
    while byte < 256 {
        classes[byte] = match byte as u8 {
            b' ' | b'\t' | b'\n' | b'\r' | 0x0B | 0x0C => Class::Space,
            b'0'..=b'9' | b'A'..=b'Z' | b'a'..=b'z' | b'_' | b'$' | 0x80.. => Class::Word,
            b'#' | b'@' | b'.' | b'-' | b'%' => Class::Sign,
            b'<' | b'{' | b'}' | b'/' | b'?' | b'=' => Class::Longer,
            _ => Class::Mark,
        };
        byte += 1;
    }
    classes
};

fn class(byte: u8) -> Class {
    CLASSES[usize::from(byte)]
}

fn is_word_byte(byte: u8) -> bool {
    class(byte) == Class::Word
}

/// Cuts a text into tokens. Joining all leads and texts gives the text back.
pub fn tokens(text: &[u8]) -> Tokens<'_> {
    Tokens { text, at: 0 }
}

/// The tokens of a text, in order; see [`tokens`].
#[derive(Debug, Clone)]
pub struct Tokens<'a> {
    text: &'a [u8],
    at: usize,
}

impl<'a> Iterator for Tokens<'a> {
    type Item = Token<'a>;

    fn next(&mut self) -> Option<Token<'a>> {
        let (text, lead_start) = (self.text, self.at);
        if lead_start == text.len() {
            return None;
        }
        let mut start = lead_start;
        while start < text.len() && class(text[start]) == Class::Space {
            start += 1;
        }
        let (end, kind) = match text.get(start).map(|byte| class(*byte)) {
            None => (start, TokenKind::Mark),
            Some(Class::Word) => (word_end(text, start + 1), TokenKind::Word),
            Some(Class::Sign) => match behind_sign(text, start) {
                Some(first) => (word_end(text, first + 1), TokenKind::Word),
                None => (start + mark_len(&text[start..]), TokenKind::Mark),
            },
            Some(Class::Longer) => (start + mark_len(&text[start..]), TokenKind::Mark),
            Some(Class::Mark | Class::Space) => (start + 1, TokenKind::Mark),
        };
        self.at = end;
        Some(Token { lead: &text[lead_start..start], text: &text[start..end], kind })
    }
}

/// Returns how long the mark is that a text begins with.
fn mark_len(text: &[u8]) -> usize {
    // Most marks stand alone: a longer one has another mark behind its first.
    if !text.get(1).is_some_and(u8::is_ascii_punctuation) {
        return 1;
    }
    MARKS.iter().find(|m| text.starts_with(m)).map_or(1, |m| m.len())
}

/// Returns where the word goes on behind the sign at `i` that belongs to it: `#fff`, `.5`, `--gap`, `-1px`, `-.5`,
/// `@media`.
fn behind_sign(text: &[u8], i: usize) -> Option<usize> {
    let is_digit = |at: usize| text.get(at).is_some_and(u8::is_ascii_digit);
    let begins = || !text[..i].last().is_some_and(|b| is_word_byte(*b));
    let first = match text[i] {
        b'#' | b'@' => i + 1,
        b'.' | b'-' if is_digit(i + 1) && begins() => i + 1,
        b'-' if text[i..].starts_with(b"--") => i + 2,
        b'-' if text.get(i + 1) == Some(&b'.') && is_digit(i + 2) && begins() => i + 2,
        _ => return None,
    };
    text.get(first).is_some_and(|b| is_word_byte(*b)).then_some(first)
}

/// Returns where a word ends of which everything before `end` is part.
fn word_end(text: &[u8], mut end: usize) -> usize {
    while let Some(&byte) = text.get(end) {
        let is_word = |at: usize| text.get(at).is_some_and(|b| is_word_byte(*b));
        let joins = match class(byte) {
            Class::Word => true,
            Class::Sign => match byte {
                // `block--modifier` is one word.
                b'-' => is_word(end + 1) || text[end..].starts_with(b"--") && is_word(end + 2),
                // `1.5` and `2.6.1` are one word, `a.b` is three tokens.
                b'.' => text[end - 1].is_ascii_digit() && text.get(end + 1).is_some_and(u8::is_ascii_digit),
                b'%' => text[end - 1].is_ascii_digit() && text.get(end + 1) != Some(&b'}'),
                _ => false,
            },
            _ => false,
        };
        if !joins {
            break;
        }
        end += 1;
    }
    end
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn cut(text: &str) -> Vec<&str> {
        tokens(text.as_bytes()).map(|t| std::str::from_utf8(t.text).unwrap()).collect()
    }

    #[test]
    fn words_numbers_and_delimiters() {
        assert_eq!(
            cut("<a href=\"x\">{{ t.name }}</a>"),
            ["<", "a", "href", "=", "\"", "x", "\"", ">", "{{", "t", ".", "name", "}}", "</", "a", ">"]
        );
        assert_eq!(cut("margin: -1.5em 20% #fa0"), ["margin", ":", "-1.5em", "20%", "#fa0"]);
        assert_eq!(cut("{% if x-y %}"), ["{%", "if", "x-y", "%}"]);
    }

    proptest! {
        #[test]
        fn tokens_joined_give_the_text(text in "[a-z0-9.%{}<>/?#\\- \\n\"é]{0,40}") {
            let joined: Vec<u8> = tokens(text.as_bytes()).flat_map(|t| [t.lead, t.text].concat()).collect();
            prop_assert_eq!(joined, text.into_bytes());
        }
    }
}
