//! Languages in which a colon opens a block: what goes on over several lines, and what holds together.
//!
//! The rules are those of the lexical analysis of such a language: a block is deeper than the line that opens it, a line
//! that opens none is followed by none that is deeper, and where a block ends the line below is as deep as one of those
//! around it. Within brackets and strings of several lines indentation says nothing. A decorator stands above what it is
//! for.

use crate::text::split_lines;

/// Which line each goes on with, for lines that begin within a statement. Of a text that does not hold together, being in
/// another language or torn, it is the line that cannot stand where it does.
pub(super) fn continued(text: &[u8]) -> Result<Vec<Option<usize>>, usize> {
    let mut goes_on = Vec::new();
    let mut scan = Scan::default();
    let mut levels = Levels::default();
    let mut first = None;
    for (at, line) in split_lines(text).iter().enumerate() {
        let code = line.trimmed();
        goes_on.push(first);
        if first.is_none() {
            if code.is_empty() || code.starts_with(b"#") {
                continue;
            }
            levels.enter(line.width(), code).ok_or(at)?;
        } else if !scan.brackets.is_empty() && scan.string.is_none() && begins_block(code) {
            return Err(at);
        }
        scan.read(code).ok_or(at)?;
        first = scan.is_within().then(|| first.unwrap_or(at));
        if first.is_none() {
            levels.opens = scan.last == b':';
        }
    }
    let last = goes_on.len().saturating_sub(1);
    if first.is_none() && levels.end() { Ok(goes_on) } else { Err(last) }
}

/// The blocks that are open, and the statement that was read last.
struct Levels<'a> {
    /// How far each is indented, and the first word of its last statement.
    open: Vec<(usize, &'a [u8])>,
    /// The last statement opens a block.
    opens: bool,
}

impl Default for Levels<'_> {
    fn default() -> Self {
        Levels { open: Vec::new(), opens: true }
    }
}

impl<'a> Levels<'a> {
    /// Takes a statement of so much indentation; `None` where it cannot stand there.
    fn enter(&mut self, width: usize, code: &'a [u8]) -> Option<()> {
        let word = first_word(code);
        if self.opens {
            let deeper = self.open.last().is_none_or(|(outer, _)| *outer < width);
            return (deeper && may_follow(word, b"")).then(|| self.open.push((width, word)));
        }
        while self.open.last().is_some_and(|(level, _)| *level > width) {
            let (_, last) = self.open.pop()?;
            may_follow(b"", last).then_some(())?;
        }
        let (level, last) = self.open.last_mut()?;
        let fits = *level == width && may_follow(word, last);
        *last = word;
        fits.then_some(())
    }

    /// Tells whether the text may end here.
    fn end(&self) -> bool {
        (self.open.is_empty() || !self.opens) && self.open.iter().all(|(_, last)| may_follow(b"", last))
    }
}

/// The word that a statement begins with, or the mark of a decorator.
fn first_word(code: &[u8]) -> &[u8] {
    let letters = code.iter().take_while(|byte| byte.is_ascii_alphanumeric() || **byte == b'_').count();
    if code.starts_with(DECORATOR) { DECORATOR } else { &code[..letters] }
}

const DECORATOR: &[u8] = b"@";

/// Tells whether a line begins a block, and so stands within no brackets.
fn begins_block(code: &[u8]) -> bool {
    const WORDS: [&[u8]; 9] = [b"if", b"elif", b"else", b"for", b"while", b"with", b"try", b"def", b"class"];
    code.ends_with(b":") && WORDS.contains(&first_word(code))
}

/// Tells whether a statement that begins with a word may stand below one that begins with another, in one block.
fn may_follow(word: &[u8], before: &[u8]) -> bool {
    match word {
        b"def" | b"class" | b"async" | DECORATOR if before == DECORATOR => true,
        b"elif" => matches!(before, b"if" | b"elif"),
        b"else" => matches!(before, b"if" | b"elif" | b"for" | b"while" | b"async" | b"except"),
        b"except" => matches!(before, b"try" | b"except"),
        b"finally" => matches!(before, b"try" | b"except" | b"else"),
        _ => !matches!(before, b"try" | DECORATOR),
    }
}

/// An opening bracket with nothing before it that is called.
const GROUP: u8 = b'g';

/// What is open behind the lines that were read.
#[derive(Default)]
struct Scan {
    brackets: Vec<u8>,
    /// The quotes of a string, one or three.
    string: Option<(u8, usize)>,
    /// The line goes on behind its end.
    joined: bool,
    /// The last byte that is no white space and in no remark.
    last: u8,
}

impl Scan {
    fn is_within(&self) -> bool {
        self.joined || self.string.is_some() || !self.brackets.is_empty()
    }

    /// Reads a line, without the white space around it; `None` where it ends what is not open, leaves a string open that
    /// has to end in it, or gives a value to something within a list or a set.
    fn read(&mut self, code: &[u8]) -> Option<()> {
        (self.joined, self.last) = (false, b' ');
        let mut at = 0;
        while let Some(&byte) = code.get(at) {
            let quotes = if code[at..].starts_with(&[byte; 3]) { 3 } else { 1 };
            let mut len = 1;
            match (self.string, byte) {
                (_, b'\\') => {
                    self.joined = at + 1 == code.len();
                    len = 2;
                }
                (Some((quote, n)), _) if quote == byte && quotes >= n => (self.string, len) = (None, n),
                (Some(_), _) => {}
                (None, b'#') => break,
                (None, b'"' | b'\'') => (self.string, len) = (Some((byte, quotes)), quotes),
                (None, b'(') => {
                    let is_call = self.last.is_ascii_alphanumeric() || b"_)]".contains(&self.last);
                    self.brackets.push(if is_call { b'(' } else { GROUP });
                }
                (None, b'[' | b'{') => self.brackets.push(byte),
                (None, b')' | b']' | b'}') => {
                    let pair = (self.brackets.pop()?, byte);
                    matches!(pair, (b'(' | GROUP, b')') | (b'[', b']') | (b'{', b'}')).then_some(())?;
                }
                (None, b'=') if matches!(self.brackets.last(), Some(b'[' | b'{' | &GROUP)) => {
                    let part_of = |byte: Option<&u8>| byte.is_some_and(|byte| b"=!<>:".contains(byte));
                    let compares = part_of(code.get(at + 1)) || at > 0 && part_of(code.get(at - 1));
                    (compares || code.windows(6).any(|word| word == b"lambda")).then_some(())?;
                }
                _ => {}
            }
            if !byte.is_ascii_whitespace() {
                self.last = byte;
            }
            at += len;
        }
        let is_cut = self.string.is_some_and(|(_, n)| n == 1) && !self.joined;
        (!is_cut).then_some(())
    }
}

#[cfg(test)]
mod tests {
    use super::continued;

    #[test]
    fn what_begins_within_a_statement_goes_on_with_it() {
        let text = "def a(b,\n  c):\n    '''It's\n  d'''\n    e = [ # (\n\n]; f = \"(\\\"\"\n    g = 1 \\\n  + 2\n";
        let expected = [None, Some(0), None, Some(2), None, Some(4), Some(4), None, Some(7)];
        assert_eq!(continued(text.as_bytes()), Ok(expected.to_vec()));
    }

    #[test]
    fn a_text_that_holds_together_is_told_from_a_torn_one() {
        let whole = [
            "",
            "a\n\nb # c:\n",
            "if a:\n  b\n# c\nelse:\n  d\n\ne\n",
            "a = [\nb == c, lambda d=1: d, (e := f), g(h=1)]\n",
            "a = (b(c)(d=1) +\n(e[0](\nf=1)))\n",
            "try:\n    a\nexcept B: c\nelse:\n\td\n",
            "@a\n@b(c,\nd)\nasync def e(): f\n",
        ];
        for text in whole {
            assert!(continued(text.as_bytes()).is_ok(), "{text}");
        }
        let torn = [
            "a\n  b\n",
            "if a:\nb\n",
            "if a:\n    b\n  c\n",
            "def a():\n",
            "a = (\n",
            "a = b)\n",
            "a = (]\n",
            "a(\n  if b:\n    c)\n",
            "a = {\n  b = c\n}\n",
            "a = (\nb = c\n)\n",
            "'''a\n",
            "a = 'b\n",
            "if a:\n  b\nc\nelse:\n  d\n",
            "try:\n  a\nb\n",
            "def f():\n  try:\n    a\nb\n",
            "@a\nb\ndef f(): c\n",
            "if a:\n  @b\ndef f(): c\n",
        ];
        for text in torn {
            assert!(continued(text.as_bytes()).is_err(), "{text}");
        }
    }
}
