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

fn is_word_byte(byte: u8) -> bool {
    byte.is_ascii_alphanumeric() || byte == b'_' || byte == b'$' || byte >= 0x80
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
        while start < text.len() && (text[start].is_ascii_whitespace() || text[start] == 0x0B) {
            start += 1;
        }
        let (end, kind) = if start == text.len() {
            (start, TokenKind::Mark)
        } else if let Some(end) = word_end(text, start) {
            (end, TokenKind::Word)
        } else {
            (start + mark_len(&text[start..]), TokenKind::Mark)
        };
        self.at = end;
        Some(Token { lead: &text[lead_start..start], text: &text[start..end], kind })
    }
}

/// Returns how long the mark is that a text begins with.
fn mark_len(text: &[u8]) -> usize {
    // Most marks stand alone: only these bytes begin a longer one, and only before another mark.
    let longer = matches!(text[0], b'<' | b'{' | b'}' | b'-' | b'%' | b'#' | b'/' | b'?' | b'=')
        && text.get(1).is_some_and(u8::is_ascii_punctuation);
    if !longer {
        return 1;
    }
    MARKS.iter().find(|m| text.starts_with(m)).map_or(1, |m| m.len())
}

/// Returns where the word that begins at `i` ends, if one begins there.
fn word_end(text: &[u8], i: usize) -> Option<usize> {
    let first = text[i];
    // `#fff`, `.5`, `--gap`, `-1px`, `-.5`, `@media`: the sign belongs to the word.
    let after_sign = match first {
        b'#' | b'@' => i + 1,
        b'.' | b'-'
            if text.get(i + 1).is_some_and(u8::is_ascii_digit)
                && !text[..i].last().is_some_and(|b| is_word_byte(*b)) =>
        {
            i + 1
        }
        b'-' if text[i..].starts_with(b"--") => i + 2,
        b'-' if text.get(i + 1) == Some(&b'.')
            && text.get(i + 2).is_some_and(u8::is_ascii_digit)
            && !text[..i].last().is_some_and(|b| is_word_byte(*b)) =>
        {
            i + 2
        }
        _ => i,
    };
    if !text.get(after_sign).is_some_and(|b| is_word_byte(*b)) {
        return None;
    }
    let mut end = after_sign;
    while end < text.len() {
        let next_is_word = text.get(end + 1).is_some_and(|b| is_word_byte(*b));
        let joins = match text[end] {
            // `block--modifier` is one word.
            b'-' => {
                next_is_word
                    || text[end..].starts_with(b"--") && text.get(end + 2).is_some_and(|b| is_word_byte(*b))
            }
            // `1.5` and `2.6.1` are one word, `a.b` is three tokens.
            b'.' => text[end - 1].is_ascii_digit() && text.get(end + 1).is_some_and(u8::is_ascii_digit),
            b'%' => text[end - 1].is_ascii_digit() && text.get(end + 1) != Some(&b'}'),
            byte => is_word_byte(byte),
        };
        if !joins {
            break;
        }
        end += 1;
    }
    Some(end)
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
