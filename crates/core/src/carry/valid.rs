//! Whether a file is well-formed in its own format, as far as that can be told without a platform.

use super::values::without_comments;
use crate::catalog::Catalog;
use crate::formats::yaml;
use crate::theme::Kind;

/// Reads a file in its own format and says what is wrong with it, with the line; `None` where it is well-formed
/// or the format is not one that is checked.
pub fn well_formed(path: &str, kind: Kind, bytes: &[u8]) -> Option<(usize, String)> {
    match kind {
        Kind::Style => return style_fault(path, bytes),
        Kind::Catalog if path.ends_with(".po") || path.ends_with(".pot") => {
            let fault = Catalog::parse(bytes).err()?;
            return Some((fault.line, format!("{}, at column {}", fault.what, fault.column)));
        }
        Kind::Settings | Kind::Catalog => {}
        _ => return None,
    }
    let text = match std::str::from_utf8(bytes) {
        Ok(text) => text.trim_start_matches('\u{feff}'),
        Err(error) => {
            let line = bytes[..error.valid_up_to()].iter().filter(|b| **b == b'\n').count() + 1;
            return Some((line, "not UTF-8".into()));
        }
    };
    let lower = path.to_ascii_lowercase();
    let json = |text: &str| serde_json::from_str::<serde::de::IgnoredAny>(text).err();
    if lower.ends_with(".json") {
        json(text).map(|e| (e.line(), e.to_string()))
    } else if lower.ends_with(".jsonc") {
        json(&without_comments(text)).map(|e| (e.line(), e.to_string()))
    } else if lower.ends_with(".yaml") || lower.ends_with(".yml") {
        yaml::fault(text)
    } else if lower.ends_with(".toml") {
        toml::from_str::<toml::Table>(text).err().map(|e| {
            let offset = e.span().map_or(0, |s| s.start).min(text.len());
            let column = text[..offset].chars().rev().take_while(|c| *c != '\n').count() + 1;
            (text[..offset].matches('\n').count() + 1, format!("{}, at column {column}", e.message().trim_end()))
        })
    } else {
        None
    }
}

/// Whether the brackets of a style sheet close, outside of comments and strings (CSS Syntax, "Consume a simple block").
/// Languages that indent have none.
fn style_fault(path: &str, bytes: &[u8]) -> Option<(usize, String)> {
    let lower = path.to_ascii_lowercase();
    if ![".css", ".scss", ".less"].iter().any(|end| lower.ends_with(end)) {
        return None;
    }
    let line_comments = !lower.ends_with(".css");
    let (mut line, mut at) = (1, 0);
    let mut open: Vec<(u8, usize)> = Vec::new();
    while at < bytes.len() {
        let rest = &bytes[at..];
        let skip = |end: &[u8]| rest[2..].windows(end.len()).position(|w| w == end).map(|k| 2 + k + end.len());
        let mut step = 1;
        match rest[0] {
            b'\\' => step = 2,
            b'/' if rest.starts_with(b"/*") => match skip(b"*/") {
                Some(length) => step = length,
                None => return Some((line, "a comment is not closed".into())),
            },
            b'/' if line_comments && rest.starts_with(b"//") && open.last().is_none_or(|o| o.0 != b'(') => {
                step = rest.iter().position(|b| *b == b'\n').unwrap_or(rest.len());
            }
            quote @ (b'"' | b'\'') => {
                let mut k = 1;
                // A string ends with its line at the latest; what is left open then is no string.
                while k < rest.len() && rest[k] != quote && rest[k] != b'\n' {
                    k += if rest[k] == b'\\' { 2 } else { 1 };
                }
                step = if rest.get(k) == Some(&quote) { k + 1 } else { 1 };
            }
            bracket @ (b'{' | b'(') => open.push((bracket, line)),
            close @ (b'}' | b')') => {
                let wanted = if close == b'}' { b'{' } else { b'(' };
                match open.pop() {
                    Some((bracket, _)) if bracket == wanted => {}
                    _ => return Some((line, format!("a `{}` closes nothing", close as char))),
                }
            }
            _ => {}
        }
        let step = step.min(rest.len());
        line += rest[..step].iter().filter(|b| **b == b'\n').count();
        at += step;
    }
    open.first().map(|(bracket, line)| (*line, format!("a `{}` is not closed", *bracket as char)))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn broken_settings_are_told_with_their_line() {
        assert_eq!(well_formed("a.json", Kind::Settings, b"{\n \"a\": 1\n}\n"), None);
        assert_eq!(well_formed("a.jsonc", Kind::Settings, b"{/* a\n */\n \"a\": 1, // b\n}\n"), None);
        assert_eq!(well_formed("a.jsonc", Kind::Settings, b"{/* a\n */\n \"a\": 1\n \"b\": 2\n}\n").unwrap().0, 4);
        assert_eq!(well_formed("a.json", Kind::Settings, b"{\n \"a\": 1\n \"b\": 2\n}\n").unwrap().0, 3);
        assert_eq!(well_formed("a.toml", Kind::Settings, b"a = 1\nb = = 2\n").unwrap().0, 2);
        assert_eq!(well_formed("a.yml", Kind::Settings, b"a: 1\nb:\n  - c\n"), None);
        assert_eq!(well_formed("a.yml", Kind::Settings, b"a: [1\nb: 2\n").unwrap().0, 2);
        assert_eq!(well_formed("a.txt", Kind::Other, b"}"), None);
    }

    #[test]
    fn styles_and_catalogs_are_read_as_well() {
        let css = |text: &str| well_formed("a.css", Kind::Style, text.as_bytes()).map(|f| f.0);
        assert_eq!(css("a { b: \"}\"; /* } */ c: url(a//b) }\n@media x { y { } }\n"), None);
        assert_eq!(css("a {\n}\n}\n"), Some(3));
        assert_eq!(css("a {\nb {\n}\n"), Some(1));
        assert_eq!(css("/* a"), Some(1));
        let scss = |text: &str| well_formed("a.scss", Kind::Style, text.as_bytes());
        assert_eq!(scss("a { // it's }\n  b: url(http://x/y) }\n"), None);
        assert_eq!(well_formed("a.po", Kind::Catalog, b"msgid \"a\"\nmsgstr \"b\n").unwrap().0, 2);
    }
}
