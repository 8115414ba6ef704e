//! Comparing two sequences.
//!
//! [`diff`] works on interned symbols (see [`Interner`]), so it serves lines, tokens, keys and files alike. It
//! drops symbols that the other side lacks, lines the rest up at symbols that are unique on both sides, trims
//! equal ends of what lies between, and runs Myers' linear-space algorithm in the gaps between, with a cost cap so that no input is
//! quadratic. [`part`] then takes apart what is no one change, and [`slide`] moves the edges of edits to where people would cut.
//!
//! ```
//! use daxle_core::diff::{diff, Edit};
//!
//! let edits = diff(&[1, 2, 3], &[1, 3, 4], |_| false);
//! assert_eq!(edits, [Edit { old: 1..2, new: 1..1 }, Edit { old: 3..3, new: 2..3 }]);
//! ```

mod anchors;
mod intern;
mod myers;
mod part;
pub mod sketch;
mod slide;

pub(crate) use anchors::longest_increasing;
pub use intern::Interner;
pub use part::part;
pub(crate) use slide::join_replacements;
pub use slide::{LineShape, slide};

use std::ops::Range;

/// One difference: these old items became these new ones. At most one of the ranges is empty.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct Edit {
    /// Range in the old sequence.
    pub old: Range<usize>,
    /// Range in the new sequence.
    pub new: Range<usize>,
}

impl Edit {
    /// The edit so many items further down, or up.
    fn shifted(&self, by: isize) -> Edit {
        let moved = |at: &Range<usize>| at.start.saturating_add_signed(by)..at.end.saturating_add_signed(by);
        Edit { old: moved(&self.old), new: moved(&self.new) }
    }
}

/// What stands between two sequences, as marks: `true` for an item that the other side does not keep.
#[derive(Debug, Default)]
pub(crate) struct Marks {
    pub(crate) old: Vec<bool>,
    pub(crate) new: Vec<bool>,
}

/// Compares two sequences of symbols and returns the edits that lead from `old` to `new`, in order.
///
/// `weak` names symbols that say too little to line the sequences up by (a lone brace): they never become
/// anchors, but are matched between anchors like all others.
pub fn diff(old: &[u32], new: &[u32], weak: impl Fn(u32) -> bool) -> Vec<Edit> {
    if old == new {
        return Vec::new();
    }
    // Symbols without a counterpart are edits whatever the alignment; without them the rest is often small.
    let size = old.iter().chain(new).max().map_or(0, |m| *m as usize + 1);
    let (in_old, in_new) = (presence(old, size), presence(new, size));
    let old_at: Vec<usize> = (0..old.len()).filter(|i| in_new[old[*i] as usize]).collect();
    let new_at: Vec<usize> = (0..new.len()).filter(|i| in_old[new[*i] as usize]).collect();
    let old_rest: Vec<u32> = old_at.iter().map(|i| old[*i]).collect();
    let new_rest: Vec<u32> = new_at.iter().map(|i| new[*i]).collect();
    let mut rest = Marks { old: vec![false; old_rest.len()], new: vec![false; new_rest.len()] };
    anchors::compare(&old_rest, &new_rest, &weak, &mut rest);

    let mut marks = Marks { old: vec![true; old.len()], new: vec![true; new.len()] };
    for (i, changed) in old_at.iter().zip(&rest.old) {
        marks.old[*i] = *changed;
    }
    for (i, changed) in new_at.iter().zip(&rest.new) {
        marks.new[*i] = *changed;
    }
    edits(&marks)
}

fn presence(symbols: &[u32], size: usize) -> Vec<bool> {
    let mut seen = vec![false; size];
    for symbol in symbols {
        seen[*symbol as usize] = true;
    }
    seen
}

/// Turns marks into edits.
fn edits(marks: &Marks) -> Vec<Edit> {
    let mut out = Vec::new();
    let (mut i, mut j) = (0, 0);
    while i < marks.old.len() || j < marks.new.len() {
        let (from_i, from_j) = (i, j);
        while marks.old.get(i) == Some(&true) {
            i += 1;
        }
        while marks.new.get(j) == Some(&true) {
            j += 1;
        }
        if i > from_i || j > from_j {
            out.push(Edit { old: from_i..i, new: from_j..j });
        } else {
            i += 1;
            j += 1;
        }
    }
    out
}

/// Returns the kept pairs `(old, new)` between edits, in order.
pub fn kept_pairs(edits: &[Edit], old_len: usize) -> impl Iterator<Item = (usize, usize)> + '_ {
    let ends = edits.iter().map(|e| e.old.start).chain([old_len]);
    let starts = std::iter::once((0, 0)).chain(edits.iter().map(|e| (e.old.end, e.new.end)));
    starts.zip(ends).flat_map(|((old, new), end)| (old..end).enumerate().map(move |(k, i)| (i, new + k)))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// Rebuilds `new` from `old` and the edits.
    fn apply(old: &[u32], new: &[u32], edits: &[Edit]) -> Vec<u32> {
        let mut out = Vec::new();
        let mut at = 0;
        for edit in edits {
            out.extend_from_slice(&old[at..edit.old.start]);
            out.extend_from_slice(&new[edit.new.clone()]);
            at = edit.old.end;
        }
        out.extend_from_slice(&old[at..]);
        out
    }

    fn cost(edits: &[Edit]) -> usize {
        edits.iter().map(|e| e.old.len() + e.new.len()).sum()
    }

    /// The length of a shortest edit script, by the textbook table.
    fn shortest(old: &[u32], new: &[u32]) -> usize {
        let mut row: Vec<usize> = (0..=new.len()).collect();
        for (i, a) in old.iter().enumerate() {
            let mut diagonal = row[0];
            row[0] = i + 1;
            for (j, b) in new.iter().enumerate() {
                let above = row[j + 1];
                row[j + 1] = if a == b { diagonal } else { 1 + above.min(row[j]) };
                diagonal = above;
            }
        }
        row[new.len()]
    }

    fn sequence() -> impl Strategy<Value = Vec<u32>> {
        proptest::collection::vec(0..5u32, 0..24)
    }

    proptest! {
        #[test]
        fn the_script_leads_from_old_to_new(old in sequence(), new in sequence()) {
            let edits = diff(&old, &new, |s| s == 0);
            prop_assert_eq!(apply(&old, &new, &edits), new);
            prop_assert!(edits.windows(2).all(|w| w[0].old.end < w[1].old.start && w[0].new.end < w[1].new.start));
        }

        #[test]
        fn without_anchors_the_script_is_shortest(old in sequence(), new in sequence()) {
            prop_assert_eq!(cost(&diff(&old, &new, |_| true)), shortest(&old, &new));
        }

        #[test]
        fn kept_pairs_are_equal_and_all_there(old in sequence(), new in sequence()) {
            let edits = diff(&old, &new, |_| false);
            let pairs: Vec<_> = kept_pairs(&edits, old.len()).collect();
            prop_assert!(pairs.iter().all(|(i, j)| old[*i] == new[*j]));
            prop_assert_eq!(2 * pairs.len() + cost(&edits), old.len() + new.len());
        }
    }

    #[test]
    fn the_worst_inputs_are_capped() {
        let old: Vec<u32> = (0..40_000).map(|i| (i * i / 7) % 11).collect();
        let new: Vec<u32> = (0..40_000).map(|i| (i * i / 5) % 13 % 11).collect();
        let edits = diff(&old, &new, |_| false);
        assert_eq!(apply(&old, &new, &edits), new);
    }
}
