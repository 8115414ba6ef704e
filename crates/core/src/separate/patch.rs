//! Reading unified diffs back and applying them (POSIX `diff -u`), strictly: every line of context must be there.

/// The difference of one file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FilePatch {
    /// Path in the base; nothing for a file that is new.
    pub old: Option<String>,
    /// Path in the site; nothing for a file that goes.
    pub new: Option<String>,
    hunks: Vec<Hunk>,
}

#[derive(Debug, Clone, PartialEq, Eq)]
struct Hunk {
    /// The line of the diff that it begins at, from 1.
    at: usize,
    /// The first line in the base, from 0.
    start: usize,
    lines: Vec<(u8, Vec<u8>)>,
}

/// A diff cannot be read, or does not fit.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("line {line}: {what}")]
pub struct PatchError {
    /// Line of the diff, from 1.
    pub line: usize,
    /// What is wrong there.
    pub what: String,
}

/// Reads a diff of several files, with one folder's name before each path (`base/`, `site/`).
///
/// # Errors
///
/// When a line is no part of a diff; with its number.
pub fn parse(text: &[u8]) -> Result<Vec<FilePatch>, PatchError> {
    let lines: Vec<&[u8]> = text.split_inclusive(|b| *b == b'\n').collect();
    let fault = |k: usize, what: &str| PatchError { line: k + 1, what: what.to_string() };
    let name = |line: &[u8], k: usize| -> Result<Option<String>, PatchError> {
        let line = line[4..].strip_suffix(b"\n").unwrap_or(&line[4..]);
        let name = std::str::from_utf8(line).map_err(|_| fault(k, "the name is not UTF-8"))?;
        if name == "/dev/null" {
            return Ok(None);
        }
        let inner = name.split_once('/').map(|(_, rest)| rest).filter(|rest| !rest.is_empty());
        inner.map(|n| Some(n.to_string())).ok_or_else(|| fault(k, "a name without a folder before it"))
    };
    let mut out: Vec<FilePatch> = Vec::new();
    let mut k = 0;
    while k < lines.len() {
        if lines[k].trim_ascii().is_empty() {
            k += 1;
            continue;
        }
        if !lines[k].starts_with(b"--- ") || !lines.get(k + 1).is_some_and(|l| l.starts_with(b"+++ ")) {
            return Err(fault(k, "here `--- ` and `+++ ` lines are due"));
        }
        let mut file = FilePatch { old: name(lines[k], k)?, new: name(lines[k + 1], k + 1)?, hunks: Vec::new() };
        k += 2;
        while k < lines.len() && lines[k].starts_with(b"@@") {
            let (start, old_len, new_len) = head(lines[k]).ok_or_else(|| fault(k, "no head of a hunk"))?;
            let mut hunk = Hunk { at: k + 1, start, lines: Vec::new() };
            let (mut old, mut new) = (0, 0);
            k += 1;
            while old < old_len || new < new_len {
                let line = lines.get(k).ok_or_else(|| fault(k, "the hunk ends too early"))?;
                match line[0] {
                    b' ' => (old, new) = (old + 1, new + 1),
                    b'-' => old += 1,
                    b'+' => new += 1,
                    _ => return Err(fault(k, "a line of a hunk begins with a blank, `-` or `+`")),
                }
                let mut content = line[1..].to_vec();
                k += 1;
                if lines.get(k).is_some_and(|l| l.starts_with(b"\\")) {
                    content.pop();
                    k += 1;
                }
                hunk.lines.push((line[0], content));
            }
            if old != old_len || new != new_len {
                return Err(fault(k - 1, "the hunk has more lines than its head says"));
            }
            file.hunks.push(hunk);
        }
        out.push(file);
    }
    Ok(out)
}

/// `@@ -3,4 +3,5 @@`: where the hunk begins in the base, and how many lines it has there and in the site.
fn head(line: &[u8]) -> Option<(usize, usize, usize)> {
    let text = std::str::from_utf8(line).ok()?;
    let (old, rest) = text.strip_prefix("@@ -")?.split_once(" +")?;
    let (new, _) = rest.split_once(" @@")?;
    let range = |text: &str| -> Option<(usize, usize)> {
        match text.split_once(',') {
            Some((start, len)) => Some((start.parse().ok()?, len.parse().ok()?)),
            None => Some((text.parse().ok()?, 1)),
        }
    };
    let ((start, old_len), (_, new_len)) = (range(old)?, range(new)?);
    Some((if old_len == 0 { start } else { start.checked_sub(1)? }, old_len, new_len))
}

/// Applies a file's difference to the base's bytes.
///
/// # Errors
///
/// When a line that should be there is another; with the line of the diff.
pub fn apply(base: &[u8], patch: &FilePatch) -> Result<Vec<u8>, PatchError> {
    let lines: Vec<&[u8]> = base.split_inclusive(|b| *b == b'\n').collect();
    let mut out = Vec::with_capacity(base.len());
    let mut at = 0;
    for hunk in &patch.hunks {
        let off = |what: String| PatchError { line: hunk.at, what };
        if hunk.start < at || hunk.start > lines.len() {
            return Err(off("the hunk begins where the file has no such line".into()));
        }
        lines[at..hunk.start].iter().for_each(|line| out.extend_from_slice(line));
        at = hunk.start;
        for (sign, content) in &hunk.lines {
            if *sign != b'+' {
                if lines.get(at) != Some(&content.as_slice()) {
                    let wanted = String::from_utf8_lossy(content).trim_end().to_string();
                    return Err(off(format!("line {} of the base is not `{wanted}`", at + 1)));
                }
                at += 1;
            }
            if *sign != b'-' {
                out.extend_from_slice(content);
            }
        }
    }
    lines[at..].iter().for_each(|line| out.extend_from_slice(line));
    Ok(out)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::changes::unified::unified;
    use proptest::prelude::*;

    #[test]
    fn what_does_not_fit_is_named() {
        let diff = unified("base/a", "site/a", b"1\n2\n", b"1\n3\n");
        let patch = &parse(&diff).unwrap()[0];
        let error = apply(b"1\n9\n", patch).unwrap_err();
        assert!(error.line == 3 && error.what.contains("line 2 of the base is not `2`"), "{error}");
        assert_eq!(parse(b"nonsense\n").unwrap_err().line, 1);
        assert_eq!(parse(b"--- a/x\n+++ b/x\n@@ -1 +1 @@\n-a\n").unwrap_err().line, 5);
    }

    proptest! {
        #[test]
        fn a_diff_applied_gives_the_other_side(
            old in proptest::collection::vec("[ab\r -]{0,3}", 0..30).prop_map(|l| l.join("\n")),
            new in proptest::collection::vec("[ab\r +]{0,3}", 0..30).prop_map(|l| l.join("\n")),
        ) {
            let diff = unified("base/a", "site/a", old.as_bytes(), new.as_bytes());
            let patches = parse(&diff).unwrap();
            prop_assert_eq!(patches.len(), usize::from(old != new));
            for patch in &patches {
                prop_assert_eq!(apply(old.as_bytes(), patch).unwrap(), new.as_bytes());
            }
        }
    }
}
