//! What blocks the lines of an edit stand in: a line has no later form in another block than its own.

use std::collections::{BTreeSet, HashSet};
use std::ops::Range;

use super::{BARELY_ALIKE, MovedKeys};
use crate::diff::Edit;
use crate::diff::sketch::WordBag;
use crate::merge::align::{Side, Weak};

/// The lines that open the blocks around each line of an edit, the innermost first.
pub(super) struct Blocks<'a> {
    base: &'a Side<'a>,
    side: &'a Side<'a>,
    of_base: Vec<Vec<usize>>,
    of_side: Vec<Vec<usize>>,
    /// Blocks of base and side that the edit begins and that have nothing in common, by the lines that open them.
    strangers: HashSet<(usize, usize)>,
}

impl<'a> Blocks<'a> {
    /// `None` for one line in place of one: that stands where it stood.
    pub(super) fn of(base: &'a Side<'a>, side: &'a Side<'a>, edit: &Edit, weak: &Weak) -> Option<Self> {
        if edit.old.len() * edit.new.len() < 2 {
            return None;
        }
        let around = |side: &Side<'_>, lines: &Range<usize>| -> Vec<Vec<usize>> {
            lines.clone().map(|at| side.blocks(at).collect()).collect()
        };
        let (of_base, of_side) = (around(base, &edit.old), around(side, &edit.new));
        let mut blocks = Blocks { base, side, of_base, of_side, strangers: HashSet::new() };
        blocks.strangers = blocks.strangers(edit, weak);
        Some(blocks)
    }

    fn strangers(&self, edit: &Edit, weak: &Weak) -> HashSet<(usize, usize)> {
        let begun = |around: &[Vec<usize>], lines: &Range<usize>| -> BTreeSet<usize> {
            around.iter().filter_map(|around| around.first().copied()).filter(|at| lines.contains(at)).collect()
        };
        let (of_base, of_side) = (begun(&self.of_base, &edit.old), begun(&self.of_side, &edit.new));
        // What stands in both as it is makes them one block, also behind the edit.
        let mut known = HashSet::new();
        for (i, own) in edit.old.clone().zip(&self.of_base) {
            let same = edit.new.clone().zip(&self.of_side).filter(|(j, _)| self.side.keys[*j] == self.base.keys[i]);
            if !weak.is(self.base.keys[i]) {
                known.extend(same.filter_map(|(_, other)| own.first().copied().zip(other.first().copied())));
            }
        }
        let goes_on = self.base.keys.get(edit.old.end).is_some_and(|key| !weak.is(*key));
        if goes_on && edit.new.end < self.side.keys.len() {
            known.extend(self.base.blocks(edit.old.end).next().zip(self.side.blocks(edit.new.end).next()));
        }
        let words = |side: &Side<'_>, at: usize| WordBag::of(side.lines[at].trimmed());
        let mut out = HashSet::new();
        for own in of_base {
            let opener = words(self.base, own);
            let unlike = |other: &usize| opener.similarity(&words(self.side, *other)) < BARELY_ALIKE;
            out.extend(of_side.iter().copied().filter(unlike).map(|other| (own, other)));
        }
        out.difference(&known).copied().collect()
    }

    /// Tells whether a line of the edit (counted from its first) is in the block of the other's line.
    pub(super) fn is_same(&self, i: usize, j: usize) -> bool {
        let key = |side: &Side<'_>, around: &[usize]| around.first().map(|at| side.keys[*at]);
        let own = key(self.base, &self.of_base[i]);
        own.is_none() || own == key(self.side, &self.of_side[j])
    }

    /// Tells whether a line of the edit is in another block than the other's line: its own is still there, or the two
    /// have nothing in common. A block around the other is no other block. What they give a value to is then not the same
    /// thing, whatever its name.
    pub(super) fn are_apart(&self, i: usize, j: usize, moved: &MovedKeys) -> bool {
        let openers = self.of_base[i].first().zip(self.of_side[j].first());
        openers.is_some_and(|(own, other)| {
            moved.stays(self.base.keys[*own]) || self.strangers.contains(&(*own, *other))
        }) && self.are_others(i, j)
    }

    /// Tells whether neither line is in the block of the other, or in one around that.
    fn are_others(&self, i: usize, j: usize) -> bool {
        let keys = |side: &Side<'_>, around: &[usize]| around.iter().map(|at| side.keys[*at]).collect::<Vec<_>>();
        let (own, other) = (keys(self.base, &self.of_base[i]), keys(self.side, &self.of_side[j]));
        let block = own.first().zip(other.first());
        block.is_some_and(|(block, another)| !other.contains(block) && !own.contains(another))
    }
}
