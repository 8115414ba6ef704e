//! The brackets of code, but for those in its strings, remarks and regular expressions.
//!
//! The lexical rules are those that scripts, styles and most languages with braces share: quotes end on their line,
//! backquotes hold pieces of code (`${ … }`), a slash where a value is expected begins a regular expression.

use super::Dialect;
use super::enclosed::Opener;
use super::tokens::string_end;
use crate::text::{Line, split_lines};

/// What is open where the lines of code begin.
pub(super) struct Brackets {
    /// The innermost bracket at each line, behind the closing ones that it begins with.
    pub(super) around: Vec<Option<Opener>>,
    /// How many close none of their kind, or are not closed, in order; the ends of remarks among them.
    pub(super) unpaired: u64,
}

/// The kinds of braces: a block of statements, the members of a class, the members of a value.
const BLOCK: u8 = b'{';
const CLASS: u8 = b'c';
const VALUE: u8 = b'v';
/// A text within backquotes, and a remark.
const BACKQUOTED: u8 = b'`';
const REMARK: u8 = b'*';

impl Brackets {
    /// Reads code, by its language: in a script a slash may begin a regular expression, and braces hold different things.
    pub(super) fn of_code(text: &[u8], dialect: &Dialect) -> Option<Self> {
        Brackets::of(text, dialect.declarations)
    }

    /// Reads code that is not torn.
    pub(super) fn of_whole(text: &[u8], dialect: &Dialect) -> Option<Self> {
        let is_code = dialect.strings && !dialect.markup;
        is_code.then(|| Brackets::of_code(text, dialect))?.filter(|brackets| brackets.unpaired == 0)
    }

    /// Reads code; `None` where a string or a remark does not end, so that this is not code of the kind known here.
    fn of(text: &[u8], is_style: bool) -> Option<Self> {
        let mut lines = Lines::of(text);
        let mut open: Vec<Opener> = Vec::new();
        let mut unpaired = 0;
        // The last byte that is no white space and in no remark, and where it stands.
        let mut last = (b';', 0);
        let mut at = 0;
        while let Some(&byte) = text.get(at) {
            lines.reach(at, &open);
            let rest = &text[at..];
            let opener = |kind: u8| Opener { kind, line: lines.last() };
            let end = match byte {
                b'`' => {
                    open.push(opener(BACKQUOTED));
                    backquoted_end(text, at + 1, &mut open, &mut lines)?
                }
                b'}' if open.last().is_some_and(|o| o.kind == BACKQUOTED) => {
                    backquoted_end(text, at + 1, &mut open, &mut lines)?
                }
                b'"' | b'\'' => string_end(text, at)?,
                b'/' if rest.starts_with(b"/*") => {
                    let end = at + 4 + rest.get(2..)?.windows(2).position(|two| two == b"*/")?;
                    open.push(opener(REMARK));
                    lines.reach(end - 1, &open);
                    open.pop();
                    at = end;
                    continue;
                }
                b'*' if rest.starts_with(b"*/") => {
                    unpaired += 1;
                    at + 2
                }
                b'/' if rest.starts_with(b"//") && is_apart(text, at) => {
                    at += line_len(rest);
                    continue;
                }
                b'/' if !is_style && begins_value(text, last) => regex_end(text, at + 1).unwrap_or(at + 1),
                b'{' if is_style => {
                    open.push(opener(BLOCK));
                    at + 1
                }
                b'{' => {
                    open.push(opener(brace_kind(text, at, last)));
                    at + 1
                }
                b'(' | b'[' => {
                    open.push(opener(byte));
                    at + 1
                }
                b')' | b']' | b'}' => {
                    let closes = |kind: u8| match kind {
                        b'(' => byte == b')',
                        b'[' => byte == b']',
                        _ => byte == b'}',
                    };
                    match open.last() {
                        Some(opener) if closes(opener.kind) => _ = open.pop(),
                        _ => unpaired += 1,
                    }
                    at + 1
                }
                b'\\' => at + 2,
                _ => at + 1,
            };
            if !byte.is_ascii_whitespace() {
                last = (byte, at);
            }
            at = end;
        }
        unpaired += open.len() as u64;
        Some(Brackets { around: lines.finish(&open), unpaired })
    }
}

/// The lines of a text, and what is open where each begins.
struct Lines {
    /// Where each begins, behind white space and closing brackets.
    starts: Vec<usize>,
    around: Vec<Option<Opener>>,
}

impl Lines {
    fn of(text: &[u8]) -> Self {
        let mut from = 0;
        let start = |line: &Line<'_>| {
            let lead = line.content.iter().take_while(|byte| b" \t})]".contains(byte)).count();
            let start = from + lead;
            from += line.content.len() + line.end.bytes().len();
            start
        };
        Lines { starts: split_lines(text).iter().map(start).collect(), around: Vec::new() }
    }

    /// The line that was reached last.
    fn last(&self) -> usize {
        self.around.len().saturating_sub(1)
    }

    /// Takes what is open for all lines that begin up to a place.
    fn reach(&mut self, at: usize, open: &[Opener]) {
        while self.starts.get(self.around.len()).is_some_and(|start| *start <= at) {
            self.around.push(open.last().copied());
        }
    }

    fn finish(mut self, open: &[Opener]) -> Vec<Option<Opener>> {
        self.reach(usize::MAX, open);
        self.around
    }
}

/// What a brace holds, by what stands before it.
fn brace_kind(text: &[u8], at: usize, (last, place): (u8, usize)) -> u8 {
    const VALUES: [&[u8]; 4] = [b"return", b"default", b"yield", b"await"];
    const CLASSES: [&[u8]; 4] = [b"class", b"interface", b"enum", b"trait"];
    match last {
        b'=' | b'(' | b',' | b'[' | b'?' | b':' | b'|' | b'&' | b'+' => VALUE,
        _ if last.is_ascii_alphanumeric() && VALUES.contains(&word_to(text, place)) => VALUE,
        _ => {
            let from = text[..at].iter().rposition(|byte| b";{}".contains(byte)).map_or(0, |before| before + 1);
            let mut words = text[from..at].split(|byte| !byte.is_ascii_alphanumeric());
            if words.any(|word| CLASSES.contains(&word)) { CLASS } else { BLOCK }
        }
    }
}

/// The word that ends at a place.
fn word_to(text: &[u8], last: usize) -> &[u8] {
    let start = text[..last].iter().rposition(|byte| !byte.is_ascii_alphanumeric()).map_or(0, |before| before + 1);
    &text[start..=last]
}

fn line_len(text: &[u8]) -> usize {
    text.iter().position(|byte| b"\r\n".contains(byte)).unwrap_or(text.len())
}

/// Where the text within backquotes ends, or a piece of code begins in it; where it ends it is not open any more.
fn backquoted_end(text: &[u8], from: usize, open: &mut Vec<Opener>, lines: &mut Lines) -> Option<usize> {
    let mut at = from;
    loop {
        match *text.get(at)? {
            b'\\' => at += 2,
            b'`' => {
                lines.reach(at, open);
                open.pop();
                return Some(at + 1);
            }
            b'$' if text.get(at + 1) == Some(&b'{') => {
                lines.reach(at, open);
                return Some(at + 2);
            }
            _ => at += 1,
        }
    }
}

/// Longer regular expressions are none.
const LONGEST: usize = 1_000;

/// Where a regular expression ends, in its line.
fn regex_end(text: &[u8], from: usize) -> Option<usize> {
    let text = &text[..text.len().min(from + LONGEST)];
    let mut in_class = false;
    let mut at = from;
    loop {
        match *text.get(at)? {
            b'\r' | b'\n' => return None,
            b'\\' => at += 1,
            b'[' => in_class = true,
            b']' => in_class = false,
            b'/' if !in_class => return Some(at + 1),
            _ => {}
        }
        at += 1;
    }
}

/// Tells whether two slashes begin a remark, and are not part of an address.
fn is_apart(text: &[u8], at: usize) -> bool {
    at.checked_sub(1).is_none_or(|before| text[before].is_ascii_whitespace() || b";,{})[]".contains(&text[before]))
}

/// Tells whether a value begins behind a byte that ends an operator or a word like `return`.
fn begins_value(text: &[u8], (last, at): (u8, usize)) -> bool {
    const WORDS: [&[u8]; 5] = [b"return", b"typeof", b"case", b"in", b"of"];
    if last.is_ascii_alphabetic() {
        WORDS.contains(&word_to(text, at))
    } else {
        b"(,=:[!&|?{;+-*%~^".contains(&last)
    }
}

#[cfg(test)]
mod tests {
    use super::Brackets;

    #[test]
    fn brackets_in_strings_remarks_and_regular_expressions_are_none() {
        let of_script = |text: &str| Some(Brackets::of(text.as_bytes(), false)?.unpaired);
        for text in [
            "f('(', \"]\\\"{\", `}${g({a: `(`})}(`); // (\n/* [ */ h();",
            "x = /[/(]\\)/.test(y) / 2; return /\\(/;\n",
            "a = b / (c) / d;",
            "load('//host/(').then(/* ) */ () => { a['{'] });",
        ] {
            assert_eq!(of_script(text), Some(0), "{text}");
        }
        assert_eq!(of_script("f(a]; }"), Some(3));
        assert_eq!(of_script("/* a */ */"), Some(1));
        assert_eq!(of_script("f(`${g(1}`)"), None);
        assert_eq!(of_script("it's {"), None);
        assert_eq!(of_script("/* {"), None);
        assert!(
            Brackets::of(b"a { b: url(//x/y); font: 1em/(2) a; } // {\n", true).is_some_and(|b| b.unpaired == 0)
        );
    }

    #[test]
    fn each_line_is_in_the_innermost_bracket_and_braces_hold_different_things() {
        let text = "class A extends B {\n  f(x) {\n    return {\n      y: z(\n        `t\n ${u(\n1)}\n`)\n    };\n  }\n}\n/*\n*/\nif (a) {\n}\n";
        let around = Brackets::of(text.as_bytes(), false).unwrap().around;
        let kinds: String = around.iter().map(|o| o.map_or('-', |o| char::from(o.kind))).collect();
        assert_eq!(kinds, "-c{v(`(`{c--*--");
        assert_eq!(around[3].map(|o| o.line), Some(2));
    }
}
