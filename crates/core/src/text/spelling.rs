//! Words that say the same in another spelling: numbers and colours as formatters write them.
//!
//! `.5em` is `0.50em`, `0px` is `0`, and `#FFF` is `#ffffff` (CSS Values and Units 3, sections 5 and 6; CSS Color 4,
//! section 5.2). A release whose vendor put a formatter to work has a new spelling on every other line; to what the
//! site changed there it is no change.

use std::borrow::Cow;

/// Which words of a language have several spellings.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Spelling {
    /// None that is known: every letter counts.
    #[default]
    One,
    /// Fractions, with a zero before the point or without.
    Numbers,
    /// The values of style sheets: numbers, lengths that are zero, colours in hexadecimal digits.
    Values,
}

impl Spelling {
    /// Returns a word as it is spelled shortest: what it is compared by.
    pub fn plain(self, word: &[u8]) -> Cow<'_, [u8]> {
        if !matches!(word.first(), Some(b'0'..=b'9' | b'.' | b'-' | b'#')) {
            return Cow::Borrowed(word);
        }
        let plain = match self {
            Spelling::One => None,
            Spelling::Numbers => Number::parse(word).and_then(|number| number.without_zero()),
            Spelling::Values => match word.strip_prefix(b"#") {
                Some(digits) => colour(digits),
                None => Number::parse(word).filter(|number| !number.is_plain()).map(|number| number.shortest()),
            },
        };
        plain.filter(|plain| plain != word).map_or(Cow::Borrowed(word), Cow::Owned)
    }
}

/// Units of length: a length of zero needs none.
const LENGTHS: [&[u8]; 15] =
    [b"px", b"em", b"rem", b"ex", b"ch", b"lh", b"vh", b"vw", b"vmin", b"vmax", b"cm", b"mm", b"in", b"pt", b"pc"];

/// A decimal number with its unit.
struct Number<'a> {
    minus: bool,
    whole: &'a [u8],
    /// The digits behind the point.
    fraction: &'a [u8],
    unit: &'a [u8],
}

impl<'a> Number<'a> {
    fn parse(word: &'a [u8]) -> Option<Self> {
        let (minus, rest) = word.strip_prefix(b"-").map_or((false, word), |rest| (true, rest));
        let (whole, rest) = digits(rest);
        let (fraction, unit) = rest.strip_prefix(b".").map_or((&b""[..], rest), digits);
        let digits = if rest.starts_with(b".") { fraction } else { whole };
        let is_unit = unit == b"%" || unit.iter().all(u8::is_ascii_alphabetic);
        (!digits.is_empty() && is_unit).then_some(Number { minus, whole, fraction, unit })
    }

    /// Tells at one look of most numbers that they are spelled shortest.
    fn is_plain(&self) -> bool {
        let is_whole = self.fraction.is_empty() && self.whole.first().is_some_and(|digit| *digit != b'0');
        is_whole && self.unit.iter().all(|byte| !byte.is_ascii_uppercase())
    }

    /// The number as it is, but for a lone zero before the point.
    fn without_zero(&self) -> Option<Vec<u8>> {
        let fits = !self.fraction.is_empty() && self.unit.is_empty() && self.whole == b"0";
        fits.then(|| [self.sign(), b".", self.fraction].concat())
    }

    fn shortest(&self) -> Vec<u8> {
        let zeros_before = self.whole.iter().take_while(|digit| **digit == b'0').count();
        let zeros_behind = self.fraction.iter().rev().take_while(|digit| **digit == b'0').count();
        let (whole, fraction) = (&self.whole[zeros_before..], &self.fraction[..self.fraction.len() - zeros_behind]);
        let unit = self.unit.to_ascii_lowercase();
        if fraction.is_empty() && whole.is_empty() {
            let unit = if LENGTHS.contains(&unit.as_slice()) { &b""[..] } else { &unit };
            return [b"0", unit].concat();
        }
        let point: &[u8] = if fraction.is_empty() { b"" } else { b"." };
        [self.sign(), whole, point, fraction, &unit].concat()
    }

    fn sign(&self) -> &'static [u8] {
        if self.minus { b"-" } else { b"" }
    }
}

/// The digits that a text begins with, and the rest.
fn digits(text: &[u8]) -> (&[u8], &[u8]) {
    text.split_at(text.iter().take_while(|byte| byte.is_ascii_digit()).count())
}

/// A colour in small digits, one for each of its parts where that is enough; the number sign goes with it.
fn colour(digits: &[u8]) -> Option<Vec<u8>> {
    let is_colour = matches!(digits.len(), 3 | 4 | 6 | 8) && digits.iter().all(u8::is_ascii_hexdigit);
    let small = is_colour.then(|| digits.to_ascii_lowercase())?;
    let doubled = small.len() >= 6 && small.chunks(2).all(|pair| pair[0] == pair[1]);
    let digits = if doubled { small.iter().step_by(2).copied().collect() } else { small };
    Some([b"#", &digits[..]].concat())
}

#[cfg(test)]
mod tests {
    use super::*;

    fn alike(spelling: Spelling, a: &str, b: &str) -> bool {
        spelling.plain(a.as_bytes()) == spelling.plain(b.as_bytes())
    }

    #[test]
    fn values_of_styles_are_alike_in_any_spelling() {
        let same = [
            (".5em", "0.50em"),
            ("-.5", "-0.5"),
            ("2.0px", "2PX"),
            ("0em", "0"),
            ("#FFF", "#ffffff"),
            ("#AbCd", "#aabbccdd"),
        ];
        for (a, b) in same {
            assert!(alike(Spelling::Values, a, b), "{a} and {b}");
        }
        let other = [
            ("0s", "0"),
            ("0%", "0"),
            ("10px", "1px"),
            (".5em", ".05em"),
            ("-1px", "1px"),
            ("1.2.0", "1.2"),
            ("#fff", "#fffff"),
            ("#Main", "#main"),
            ("Red", "red"),
        ];
        for (a, b) in other {
            assert!(!alike(Spelling::Values, a, b), "{a} and {b}");
        }
    }

    #[test]
    fn numbers_of_scripts_differ_where_more_than_a_zero_before_the_point_does() {
        assert!(alike(Spelling::Numbers, "0.25", ".25"));
        for (a, b) in [("1.0", "1"), ("1.10", "1.1"), ("0.5em", ".5em"), ("#FFF", "#fff"), ("00.5", ".5")] {
            assert!(!alike(Spelling::Numbers, a, b), "{a} and {b}");
        }
        assert!(!alike(Spelling::One, "0.25", ".25"));
    }
}
