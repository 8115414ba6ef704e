//! Lining two sequences up at symbols that are unique on both sides, recursively, before Myers fills the gaps.
//!
//! The idea is Bram Cohen's patience diff: the longest increasing subsequence over common unique symbols.
//! Unlike there, weak symbols cannot anchor, and a gap without anchors goes to Myers. Equal ends
//! are not trimmed before anchors are sought: the tail of a file may be the twin of the one that moved away.

use super::{Marks, myers};

/// How often gaps are searched for anchors again before Myers takes over.
const DEPTH: usize = 6;

/// Compares two sequences and marks the items that are not kept.
pub(crate) fn compare(old: &[u32], new: &[u32], weak: &impl Fn(u32) -> bool, marks: &mut Marks) {
    let size = old.iter().chain(new).max().map_or(0, |m| *m as usize + 1);
    let mut scratch = Scratch { old: vec![Seen::default(); size], new: vec![Seen::default(); size], round: 0 };
    between(old, new, (0, old.len()), (0, new.len()), weak, marks, DEPTH, &mut scratch);
}

/// Where a symbol stands in a range, valid for one round.
#[derive(Clone, Copy, Default)]
struct Seen {
    round: u32,
    at: u32,
    times: u32,
}

struct Scratch {
    old: Vec<Seen>,
    new: Vec<Seen>,
    round: u32,
}

#[expect(clippy::too_many_arguments, reason = "one recursion over two sequences and their ranges")]
fn between(
    old: &[u32],
    new: &[u32],
    (i0, i1): (usize, usize),
    (j0, j1): (usize, usize),
    weak: &impl Fn(u32) -> bool,
    marks: &mut Marks,
    depth: usize,
    scratch: &mut Scratch,
) {
    // Most gaps between anchors are equal throughout.
    if old[i0..i1] == new[j0..j1] {
        return;
    }
    if i0 == i1 || j0 == j1 {
        marks.old[i0..i1].fill(true);
        marks.new[j0..j1].fill(true);
        return;
    }
    let anchors = if depth == 0 { Vec::new() } else { anchors(old, new, (i0, i1), (j0, j1), weak, scratch) };
    if anchors.is_empty() {
        myers::compare(old, new, (i0, i1), (j0, j1), marks);
        return;
    }
    let (mut i, mut j) = (i0, j0);
    for (next_i, next_j) in anchors.into_iter().chain([(i1, j1)]) {
        between(old, new, (i, next_i), (j, next_j), weak, marks, depth - 1, scratch);
        (i, j) = ((next_i + 1).min(i1), (next_j + 1).min(j1));
    }
}

/// Returns the longest chain of symbols unique on both sides, in order on both.
fn anchors(
    old: &[u32],
    new: &[u32],
    (i0, i1): (usize, usize),
    (j0, j1): (usize, usize),
    weak: &impl Fn(u32) -> bool,
    scratch: &mut Scratch,
) -> Vec<(usize, usize)> {
    scratch.round += 1;
    let round = scratch.round;
    count(&mut scratch.old, &old[i0..i1], i0, round);
    count(&mut scratch.new, &new[j0..j1], j0, round);
    let pairs: Vec<(usize, usize)> = (i0..i1)
        .filter_map(|i| {
            let (a, b) = (scratch.old[old[i] as usize], scratch.new[old[i] as usize]);
            (a.times == 1 && b.times == 1 && b.round == round && !weak(old[i])).then_some((i, b.at as usize))
        })
        .collect();
    longest_increasing(&pairs)
}

fn count(seen: &mut [Seen], symbols: &[u32], offset: usize, round: u32) {
    for (k, symbol) in symbols.iter().enumerate() {
        let entry = &mut seen[*symbol as usize];
        let times = if entry.round == round { entry.times + 1 } else { 1 };
        *entry = Seen { round, at: (offset + k) as u32, times };
    }
}

/// Returns the longest subsequence of pairs (already in order of `.0`) that is increasing in `.1`.
pub(crate) fn longest_increasing(pairs: &[(usize, usize)]) -> Vec<(usize, usize)> {
    // `tails[k]` is the pair that ends the best chain of length k + 1 found so far.
    let mut tails: Vec<usize> = Vec::new();
    let mut before: Vec<Option<usize>> = Vec::with_capacity(pairs.len());
    for (k, pair) in pairs.iter().enumerate() {
        let length = tails.partition_point(|t| pairs[*t].1 < pair.1);
        before.push(length.checked_sub(1).map(|l| tails[l]));
        if length == tails.len() {
            tails.push(k);
        } else {
            tails[length] = k;
        }
    }
    let mut chain = Vec::with_capacity(tails.len());
    let mut at = tails.last().copied();
    while let Some(k) = at {
        chain.push(pairs[k]);
        at = before[k];
    }
    chain.reverse();
    chain
}
