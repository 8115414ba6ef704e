//! Unified diffs (the open format of POSIX `diff -u`).

use std::io::Write;
use std::ops::Range;

use crate::diff::{Edit, Interner, diff};
use crate::text::{Line, LineEnd, Text, split_lines};

/// Lines of context around a change.
const CONTEXT: usize = 3;

/// Writes the difference between two files as a unified diff; empty where they are the same.
///
/// Lines are compared byte by byte, so the diff can be applied by any patch program. Binary files give one
/// line that says so.
pub fn unified(old_name: &str, new_name: &str, old: &[u8], new: &[u8]) -> Vec<u8> {
    if old == new {
        return Vec::new();
    }
    if Text::decode(old).is_none() || Text::decode(new).is_none() {
        return format!("Binary files {old_name} and {new_name} differ\n").into_bytes();
    }
    let lines = |body| -> Vec<Line<'_>> {
        // Only `\n` ends a line in the format; a lone `\r` is content.
        let mut out: Vec<Line<'_>> = Vec::new();
        let mut rest: &[u8] = body;
        while !rest.is_empty() {
            let end = rest.iter().position(|b| *b == b'\n');
            let (content, end_kind, next) = match end {
                Some(at) => (&rest[..at], LineEnd::Lf, at + 1),
                None => (rest, LineEnd::None, rest.len()),
            };
            out.push(Line { content, end: end_kind });
            rest = &rest[next..];
        }
        out
    };
    let (old, new) = (lines(old), lines(new));
    let mut interner = Interner::new();
    let mut number = |lines: &[Line<'_>]| -> Vec<u32> {
        lines.iter().map(|l| interner.number([l.content, l.end.bytes()].concat().into())).collect()
    };
    let (old_keys, new_keys) = (number(&old), number(&new));
    let edits = diff(&old_keys, &new_keys, |_| false);
    let mut out = Vec::new();
    // Writing to a vector cannot fail.
    let _ = writeln!(out, "--- {old_name}\n+++ {new_name}");
    for hunk in hunks(&edits) {
        write_hunk(&mut out, &old, &new, &edits[hunk]);
    }
    out
}

/// Groups edits whose contexts meet.
fn hunks(edits: &[Edit]) -> Vec<Range<usize>> {
    let mut out: Vec<Range<usize>> = Vec::new();
    for (k, edit) in edits.iter().enumerate() {
        match out.last_mut() {
            Some(last) if edit.old.start <= edits[k - 1].old.end + 2 * CONTEXT => last.end = k + 1,
            _ => out.push(k..k + 1),
        }
    }
    out
}

fn write_hunk(out: &mut Vec<u8>, old: &[Line<'_>], new: &[Line<'_>], edits: &[Edit]) {
    let (first, last) = (&edits[0], &edits[edits.len() - 1]);
    let lead = first.old.start.min(CONTEXT);
    let tail = (old.len() - last.old.end).min(CONTEXT);
    let (old_range, new_range) =
        (first.old.start - lead..last.old.end + tail, first.new.start - lead..last.new.end + tail);
    let place = |r: &Range<usize>| {
        let start = if r.is_empty() { r.start } else { r.start + 1 };
        if r.len() == 1 { start.to_string() } else { format!("{start},{}", r.len()) }
    };
    let _ = writeln!(out, "@@ -{} +{} @@", place(&old_range), place(&new_range));
    let mut at = old_range.start;
    for edit in edits {
        for line in &old[at..edit.old.start] {
            push(out, b' ', line);
        }
        for line in &old[edit.old.clone()] {
            push(out, b'-', line);
        }
        for line in &new[edit.new.clone()] {
            push(out, b'+', line);
        }
        at = edit.old.end;
    }
    for line in &old[at..old_range.end] {
        push(out, b' ', line);
    }
}

fn push(out: &mut Vec<u8>, sign: u8, line: &Line<'_>) {
    out.push(sign);
    out.extend_from_slice(line.content);
    out.push(b'\n');
    if line.end == LineEnd::None {
        out.extend_from_slice(b"\\ No newline at end of file\n");
    }
}

/// Counts the lines of a text.
pub fn line_count(bytes: &[u8]) -> usize {
    split_lines(bytes).len()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_unified_diff_as_any_patch_program_reads_it() {
        let old = "one\ntwo\nthree\nfour\nfive\nsix\nseven\neight\nnine\nten";
        let new = old.replace("two", "2").replace("ten", "ten\n");
        let text = String::from_utf8(unified("a/x", "b/x", old.as_bytes(), new.as_bytes())).unwrap();
        assert_eq!(
            text,
            "--- a/x\n+++ b/x\n@@ -1,5 +1,5 @@\n one\n-two\n+2\n three\n four\n five\n@@ -7,4 +7,4 @@\n seven\n eight\n nine\n-ten\n\\ No newline at end of file\n+ten\n"
        );
        assert!(unified("a", "b", b"x", b"x").is_empty());
        assert_eq!(unified("a", "b", b"\0", b"x"), b"Binary files a and b differ\n");
    }
}
