//! Two texts side by side: lines that belong together in one row, with the words that differ marked.

use std::borrow::Cow;
use std::ops::Range;

use crate::diff::{Interner, diff, kept_pairs};
use crate::merge::line_edits;
use crate::text::key::Blanks;
use crate::text::split_lines;
use crate::text::token::tokens;

/// A stretch of a line.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Part {
    /// Its bytes.
    pub text: Vec<u8>,
    /// The other side does not have it.
    pub differs: bool,
}

/// A line on one side.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Cell {
    /// Its number, from 0.
    pub line: usize,
    /// Its stretches; joined they are the line without its end.
    pub parts: Vec<Part>,
}

/// Lines that belong together.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Row {
    /// The line of the old text; `None` where the new one has no counterpart.
    pub old: Option<Cell>,
    /// The line of the new text.
    pub new: Option<Cell>,
    /// The two are the same.
    pub same: bool,
}

/// Of lines less alike than this, in words that both have, no words are marked.
const ALIKE: f64 = 0.34;
/// In larger stretches lines are paired in order.
const PAIRED: usize = 64;

/// Lays two texts side by side.
///
/// ```
/// use daxle_core::changes::beside;
///
/// let rows = beside(b"a\ncolor: red\n", b"a\ncolor: blue\n");
/// assert!(rows[0].same && !rows[1].same);
/// assert_eq!(rows[1].new.as_ref().unwrap().parts.last().unwrap().text, b"blue");
/// ```
pub fn beside(old: &[u8], new: &[u8]) -> Vec<Row> {
    let edits = line_edits(old, new, Blanks::AreContent);
    let (old, new): (Vec<&[u8]>, Vec<&[u8]>) = (
        split_lines(old).iter().map(|l| l.content).collect(),
        split_lines(new).iter().map(|l| l.content).collect(),
    );
    let mut rows = Vec::new();
    let (mut i, mut j) = (0, 0);
    for edit in edits {
        rows.extend((i..edit.old.start).zip(j..).map(|(i, j)| kept(&old, &new, i, j)));
        changed(&old, &new, &edit.old, &edit.new, &mut rows);
        (i, j) = (edit.old.end, edit.new.end);
    }
    rows.extend((i..old.len()).zip(j..).map(|(i, j)| kept(&old, &new, i, j)));
    rows
}

fn whole(line: usize, text: &[u8], differs: bool) -> Option<Cell> {
    Some(Cell { line, parts: vec![Part { text: text.to_vec(), differs }] })
}

fn kept(old: &[&[u8]], new: &[&[u8]], i: usize, j: usize) -> Row {
    Row { old: whole(i, old[i], false), new: whole(j, new[j], false), same: true }
}

/// Pairs the lines of a stretch that differs: those most alike, in order.
fn changed(old: &[&[u8]], new: &[&[u8]], a: &Range<usize>, b: &Range<usize>, rows: &mut Vec<Row>) {
    let mut pairs: Vec<(usize, usize)> = Vec::new();
    if a.len() <= PAIRED && b.len() <= PAIRED {
        // The best total likeness of lines paired in order; `best[i][j]` is that of what lies behind both.
        let likeness: Vec<Vec<f64>> =
            a.clone().map(|i| b.clone().map(|j| alike(old[i], new[j])).collect()).collect();
        let mut best = vec![vec![0.0; b.len() + 1]; a.len() + 1];
        for i in (0..a.len()).rev() {
            for j in (0..b.len()).rev() {
                let paired = if likeness[i][j] >= ALIKE { likeness[i][j] + best[i + 1][j + 1] } else { 0.0 };
                best[i][j] = f64::max(paired, f64::max(best[i + 1][j], best[i][j + 1]));
            }
        }
        let (mut i, mut j) = (0, 0);
        while i < a.len() && j < b.len() {
            if likeness[i][j] >= ALIKE && best[i][j] <= likeness[i][j] + best[i + 1][j + 1] {
                pairs.push((a.start + i, b.start + j));
                (i, j) = (i + 1, j + 1);
            } else if best[i + 1][j] >= best[i][j + 1] {
                i += 1;
            } else {
                j += 1;
            }
        }
    } else {
        pairs.extend(a.clone().zip(b.clone()));
    }
    let (mut i, mut j) = (a.start, b.start);
    for (x, y) in pairs.into_iter().chain([(a.end, b.end)]) {
        // What has no counterpart fills the rows before, side by side.
        let rest = (x - i).max(y - j);
        for k in 0..rest {
            rows.push(Row {
                old: (i + k < x).then(|| whole(i + k, old[i + k], true)).flatten(),
                new: (j + k < y).then(|| whole(j + k, new[j + k], true)).flatten(),
                same: false,
            });
        }
        if x < a.end && y < b.end {
            let (left, right) = words(old[x], new[y]);
            rows.push(Row {
                old: Some(Cell { line: x, parts: left }),
                new: Some(Cell { line: y, parts: right }),
                same: false,
            });
        }
        (i, j) = ((x + 1).min(a.end), (y + 1).min(b.end));
    }
}

/// The share of words that two lines have in common, from 0 to 1.
fn alike(old: &[u8], new: &[u8]) -> f64 {
    let telling = |line: &[u8]| -> Vec<Vec<u8>> {
        let mut words: Vec<Vec<u8>> =
            tokens(line).filter(|t| !t.text.trim_ascii().is_empty()).map(|t| t.text.to_vec()).collect();
        words.sort();
        words
    };
    let (a, b) = (telling(old), telling(new));
    let (mut i, mut j, mut common) = (0, 0, 0);
    while i < a.len() && j < b.len() {
        match a[i].cmp(&b[j]) {
            std::cmp::Ordering::Less => i += 1,
            std::cmp::Ordering::Greater => j += 1,
            std::cmp::Ordering::Equal => (i, j, common) = (i + 1, j + 1, common + 1),
        }
    }
    if a.is_empty() && b.is_empty() { 1.0 } else { 2.0 * f64::from(common) / (a.len() + b.len()) as f64 }
}

/// Marks the words that two lines do not share.
pub fn words(old: &[u8], new: &[u8]) -> (Vec<Part>, Vec<Part>) {
    let (a, b) = (pieces(old), pieces(new));
    let mut interner = Interner::new();
    let (x, y): (Vec<u32>, Vec<u32>) = (
        a.iter().map(|t| interner.number(Cow::Borrowed(*t))).collect(),
        b.iter().map(|t| interner.number(Cow::Borrowed(*t))).collect(),
    );
    let edits = diff(&x, &y, |_| false);
    let (mut kept_old, mut kept_new) = (vec![false; a.len()], vec![false; b.len()]);
    for (i, j) in kept_pairs(&edits, a.len()) {
        (kept_old[i], kept_new[j]) = (true, true);
    }
    (marked(&a, &kept_old), marked(&b, &kept_new))
}

/// Tokens and what lies between them.
fn pieces(line: &[u8]) -> Vec<&[u8]> {
    tokens(line).flat_map(|t| [t.lead, t.text]).filter(|t| !t.is_empty()).collect()
}

fn marked(pieces: &[&[u8]], kept: &[bool]) -> Vec<Part> {
    let mut out: Vec<Part> = Vec::new();
    for (piece, kept) in pieces.iter().zip(kept) {
        match out.last_mut().filter(|p| p.differs != *kept) {
            Some(last) => last.text.extend_from_slice(piece),
            None => out.push(Part { text: piece.to_vec(), differs: !kept }),
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn side(rows: &[Row], of: fn(&Row) -> &Option<Cell>) -> Vec<Vec<u8>> {
        let cells: Vec<&Cell> = rows.iter().filter_map(|r| of(r).as_ref()).collect();
        assert!(cells.iter().enumerate().all(|(k, c)| c.line == k), "every line once, in order");
        cells.iter().map(|c| c.parts.iter().flat_map(|p| p.text.clone()).collect()).collect()
    }

    #[test]
    fn lines_most_alike_share_a_row() {
        let rows = beside(b"a: 1;\nwidth: 10px;\n", b"new thing\nwidth: 12px;\n");
        let last = rows.last().unwrap();
        assert_eq!((last.old.as_ref().unwrap().line, last.new.as_ref().unwrap().line), (1, 1));
        let marked: Vec<_> = last.new.iter().flat_map(|c| &c.parts).filter(|p| p.differs).collect();
        assert_eq!(marked.len(), 1);
    }

    proptest! {
        #[test]
        fn both_texts_are_there_in_order(
            old in proptest::collection::vec("[ab ]{0,4}|x: [12]px;", 0..12),
            new in proptest::collection::vec("[ab ]{0,4}|x: [12]px;", 0..12),
        ) {
            let text = |lines: &[String]| lines.iter().map(|l| format!("{l}\n")).collect::<String>().into_bytes();
            let rows = beside(&text(&old), &text(&new));
            let bytes = |lines: &[String]| lines.iter().map(|l| l.clone().into_bytes()).collect::<Vec<_>>();
            prop_assert_eq!(side(&rows, |r| &r.old), bytes(&old));
            prop_assert_eq!(side(&rows, |r| &r.new), bytes(&new));
        }
    }
}
