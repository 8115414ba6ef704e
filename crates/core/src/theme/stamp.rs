//! Stamps: a version mark in the head of a file, by which vendors and sites note what an override was made from.

use std::ops::Range;

use super::Version;
use crate::text::split_lines;

/// Lines of a file that are looked at.
const HEAD: usize = 20;

/// A stamp in a file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Stamp {
    /// The version as written.
    pub version: String,
    /// The bytes that hold it.
    pub span: Range<usize>,
    /// The line, from 0.
    pub line: usize,
}

/// Finds a file's stamp: by the layout's pattern (`{# name {version} #}`), or without one the first comment line
/// in the head of the file that names one version.
pub fn find_stamp(text: &[u8], pattern: Option<&str>) -> Option<Stamp> {
    let lines = split_lines(text);
    let mut offset = 0;
    let mut in_comment = false;
    for (number, line) in lines.iter().take(HEAD).enumerate() {
        let content = line.content;
        let opens = COMMENTS.iter().any(|(open, _)| contains(content, open));
        let closes = COMMENTS.iter().any(|(_, close)| contains(content, close));
        let found = match pattern {
            Some(pattern) => by_pattern(content, pattern),
            None if in_comment || opens || starts_comment(line.trimmed()) => only_version(content),
            None => None,
        };
        if let Some(at) = found {
            let version = String::from_utf8_lossy(&content[at.clone()]).into_owned();
            return Some(Stamp { version, span: offset + at.start..offset + at.end, line: number });
        }
        in_comment = (in_comment || opens) && !closes;
        offset += content.len() + line.end.bytes().len();
    }
    None
}

/// Finds the pattern that most stamps of a theme share: the stamp's line with `{version}` in place of the version;
/// `None` where fewer than three files share one. The theme's own short name becomes `{name}`.
pub fn stamp_pattern<'t>(texts: impl Iterator<Item = &'t [u8]>, name: Option<&str>) -> Option<String> {
    let mut seen: std::collections::BTreeMap<String, usize> = std::collections::BTreeMap::new();
    for text in texts {
        let Some(stamp) = find_stamp(text, None) else { continue };
        let line = split_lines(text)[stamp.line].trimmed().to_vec();
        let mut line = String::from_utf8_lossy(&line).replacen(&stamp.version, "{version}", 1);
        if let Some(name) = name.filter(|n| !n.is_empty()) {
            line = line.replacen(name, "{name}", 1);
        }
        *seen.entry(line).or_default() += 1;
    }
    let (line, count) = seen.into_iter().max_by_key(|(_, n)| *n)?;
    (count >= 3).then_some(line)
}

/// Writes another version into a text's stamp.
pub fn with_stamp(text: &[u8], stamp: &Stamp, version: &str) -> Vec<u8> {
    [&text[..stamp.span.start], version.as_bytes(), &text[stamp.span.end..]].concat()
}

const COMMENTS: [(&[u8], &[u8]); 5] =
    [(b"/*", b"*/"), (b"<!--", b"-->"), (b"{#", b"#}"), (b"{{!", b"}}"), (b"<%--", b"--%>")];

fn starts_comment(line: &[u8]) -> bool {
    [b"//".as_slice(), b"#", b";", b"--", b"%"].iter().any(|mark| line.starts_with(mark))
}

fn contains(text: &[u8], part: &[u8]) -> bool {
    text.windows(part.len()).any(|w| w == part)
}

/// What stands in the place of `{version}` in a line that has the rest of the pattern. `{name}` stands for any word.
fn by_pattern(line: &[u8], pattern: &str) -> Option<Range<usize>> {
    let (before, after) = pattern.split_once("{version}")?;
    let (before, after) = (before.trim_start().as_bytes(), after.trim().as_bytes());
    (0..line.len()).find_map(|start| {
        let start = start + matched(before, &line[start..])?;
        let found = versions(&line[start..]).next().filter(|v| v.start == 0)?;
        matched(after, line[start + found.end..].trim_ascii_start())?;
        Some(start..start + found.end)
    })
}

/// How much of a text a part of a pattern takes, from its beginning.
fn matched(part: &[u8], text: &[u8]) -> Option<usize> {
    const NAME: &[u8] = b"{name}";
    let Some(at) = part.windows(NAME.len()).position(|w| w == NAME) else {
        return text.starts_with(part).then_some(part.len());
    };
    if !text.starts_with(&part[..at]) {
        return None;
    }
    let word = text[at..].iter().take_while(|b| b.is_ascii_alphanumeric() || matches!(b, b'-' | b'_')).count();
    let rest = (word > 0).then(|| matched(&part[at + NAME.len()..], &text[at + word..]))??;
    Some(at + word + rest)
}

/// The one version that a line names.
fn only_version(line: &[u8]) -> Option<Range<usize>> {
    let mut found = versions(line);
    match (found.next(), found.next()) {
        (Some(only), None) => Some(only),
        _ => None,
    }
}

/// The words of a line that are versions of two numbers or more.
fn versions(line: &[u8]) -> impl Iterator<Item = Range<usize>> {
    let part = |b: &u8| b.is_ascii_alphanumeric() || matches!(b, b'.' | b'-' | b'+' | b'_');
    let mut at = 0;
    std::iter::from_fn(move || {
        while at < line.len() {
            let skip = line[at..].iter().position(part)?;
            let start = at + skip;
            let len = line[start..].iter().take_while(|b| part(b)).count();
            at = start + len;
            let word = &line[start..at];
            let v = usize::from(word.len() > 1 && matches!(word[0], b'v' | b'V') && word[1].is_ascii_digit());
            let end = word.iter().rposition(u8::is_ascii_alphanumeric).map_or(0, |p| p + 1);
            let text = std::str::from_utf8(&word[v..end.max(v)]).unwrap_or("");
            let numbers = text.split(['-', '+']).next().unwrap_or("");
            let dotted = numbers.contains('.')
                && numbers
                    .split('.')
                    .all(|n| !n.is_empty() && n.len() < 6 && n.bytes().all(|b| b.is_ascii_digit()));
            if dotted && Version::parse(text).is_some() {
                return Some(start + v..start + end);
            }
        }
        None
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn stamp(text: &str, pattern: Option<&str>) -> Option<String> {
        find_stamp(text.as_bytes(), pattern).map(|s| s.version)
    }

    #[test]
    fn stamps_stand_in_comments_of_the_head() {
        for (text, expected) in [
            ("{# lanternfold 2.6.1 #}\n<p>", Some("2.6.1")),
            ("/*\n * Template part\n * @version 3.0.0-rc1\n */\n", Some("3.0.0-rc1")),
            ("<!-- v1.4 -->\n", Some("1.4")),
            ("# for 2.0 and 2.1\n", None),
            ("<p>2.6.1</p>\n", None),
            ("// costs 3 pounds\n", None),
        ] {
            assert_eq!(stamp(text, None).as_deref(), expected, "{text}");
        }
        let far = format!("{}{{# x 1.0 #}}\n", "<p>\n".repeat(HEAD));
        assert_eq!(stamp(&far, None), None);
    }

    #[test]
    fn a_pattern_says_which_mark_it_is() {
        let text = "{# since 1.0 #}\n{# lanternfold 2.7.0 #}\n";
        assert_eq!(stamp(text, Some("{# lanternfold {version} #}")).as_deref(), Some("2.7.0"));
        assert_eq!(stamp("<b> {# penny-gate 1.4 #}", Some("{# {name} {version} #}")).as_deref(), Some("1.4"));
        assert_eq!(stamp("{# lanternfold 2.7.0 or so #}", Some("{# lanternfold {version} #}")), None);
    }

    #[test]
    fn the_pattern_that_stamps_share() {
        let files = ["{# x 1.0 #}\n", "{# x 1.1 #}\na", "/* y 2.0 */", "  {# x 1.0 #}\n", "none"];
        let all = || files.iter().map(|f| f.as_bytes());
        assert_eq!(stamp_pattern(all(), None).as_deref(), Some("{# x {version} #}"));
        assert_eq!(stamp_pattern(all(), Some("x")).as_deref(), Some("{# {name} {version} #}"));
        assert_eq!(stamp_pattern(all().take(2), None), None);
    }

    #[test]
    fn another_version_is_written_in_its_place() {
        let text = b"{# x 2.6.1 #}\r\n<p>2.6.1</p>";
        let found = find_stamp(text, None).unwrap();
        assert_eq!(with_stamp(text, &found, "3.0.0"), b"{# x 3.0.0 #}\r\n<p>2.6.1</p>");
    }
}
