//! The brackets of code, but for those in its strings, remarks and regular expressions.
//!
//! The lexical rules are those that scripts, styles and most languages with braces share: quotes end on their line,
//! backquotes hold pieces of code (`${ … }`), a slash where a value is expected begins a regular expression.

/// Counts the brackets of code that close none of their kind, or are not closed, in order; `None` where a string or a
/// remark does not end, so that this is not code of the kind known here.
pub(super) fn unpaired_in_code(text: &[u8], slashes_divide: bool) -> Option<u64> {
    let mut open: Vec<u8> = Vec::new();
    let mut astray = 0;
    // The last byte that is no white space and in no remark, and where the word begins that it may end.
    let mut last = (b';', 0);
    let mut at = 0;
    while let Some(&byte) = text.get(at) {
        let rest = &text[at..];
        let end = match byte {
            b'`' => {
                let (end, code) = template_end(text, at + 1)?;
                open.extend(code.then_some(b'`'));
                end
            }
            b'}' if open.last() == Some(&b'`') => {
                let (end, code) = template_end(text, at + 1)?;
                open.truncate(open.len() - usize::from(!code));
                end
            }
            b'"' | b'\'' => string_end(text, at + 1, byte)?,
            b'/' if rest.starts_with(b"/*") => {
                at += 4 + rest.get(2..)?.windows(2).position(|two| two == b"*/")?;
                continue;
            }
            b'/' if rest.starts_with(b"//") && is_apart(text, at) => {
                at += line_len(rest);
                continue;
            }
            b'/' if !slashes_divide && begins_value(text, last) => regex_end(text, at + 1).unwrap_or(at + 1),
            b'(' | b'[' | b'{' => {
                open.push(byte);
                at + 1
            }
            b')' | b']' | b'}' => {
                let pair =
                    matches!((open.last(), byte), (Some(b'('), b')') | (Some(b'['), b']') | (Some(b'{'), b'}'));
                if pair {
                    open.pop();
                } else {
                    astray += 1;
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
    Some(astray + open.len() as u64)
}

fn line_len(text: &[u8]) -> usize {
    text.iter().position(|byte| b"\r\n".contains(byte)).unwrap_or(text.len())
}

/// Where a string ends that ends in its line.
fn string_end(text: &[u8], from: usize, quote: u8) -> Option<usize> {
    let mut at = from;
    loop {
        match *text.get(at)? {
            b'\\' => at += if text.get(at + 1..at + 3) == Some(b"\r\n") { 3 } else { 2 },
            b'\r' | b'\n' => return None,
            byte if byte == quote => return Some(at + 1),
            _ => at += 1,
        }
    }
}

/// Where the text within backquotes ends, and whether a piece of code begins there.
fn template_end(text: &[u8], from: usize) -> Option<(usize, bool)> {
    let mut at = from;
    loop {
        match *text.get(at)? {
            b'\\' => at += 2,
            b'`' => return Some((at + 1, false)),
            b'$' if text.get(at + 1) == Some(&b'{') => return Some((at + 2, true)),
            _ => at += 1,
        }
    }
}

/// Where a regular expression ends, in its line.
fn regex_end(text: &[u8], from: usize) -> Option<usize> {
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
        let start =
            text[..at].iter().rposition(|byte| !byte.is_ascii_alphanumeric()).map_or(0, |before| before + 1);
        return WORDS.contains(&&text[start..=at]);
    }
    b"(,=:[!&|?{;+-*%~^".contains(&last)
}

#[cfg(test)]
mod tests {
    use super::unpaired_in_code;

    #[test]
    fn brackets_in_strings_remarks_and_regular_expressions_are_none() {
        let of_script = |text: &str| unpaired_in_code(text.as_bytes(), false);
        for text in [
            "f('(', \"]\\\"{\", `}${g({a: `(`})}(`); // (\n/* [ */ h();",
            "x = /[/(]\\)/.test(y) / 2; return /\\(/;\n",
            "a = b / (c) / d;",
            "load('//host/(').then(/* ) */ () => { a['{'] });",
        ] {
            assert_eq!(of_script(text), Some(0), "{text}");
        }
        assert_eq!(of_script("f(a]; }"), Some(3));
        assert_eq!(of_script("f(`${g(1}`)"), None);
        assert_eq!(of_script("it's {"), None);
        assert_eq!(of_script("/* {"), None);
        assert_eq!(unpaired_in_code(b"a { b: url(//x/y); font: 1em/(2) a; } // {\n", true), Some(0));
    }
}
