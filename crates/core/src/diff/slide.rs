//! Moving the edges of edits to where people would cut.
//!
//! An insertion whose first item equals the item after it can as well stand one further down; the scripts are
//! equally short, but only one of them starts where a block starts. Each such edit goes where its two edges
//! fall on blank lines and low indentation, and on no line that opens something.

use std::cmp::Ordering;
use std::ops::Range;

use super::Edit;

/// What the choice of a cut looks at in a line.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct LineShape {
    /// Width of the indentation in columns, or `None` for a blank line.
    pub indent: Option<usize>,
    /// The line opens something that it does not close (`{`, `} else {`, `<div>`).
    pub opens: bool,
    /// The line closes something (`}`, `</div>`, `endif`).
    pub closes: bool,
}

/// How far an edit is slid at most.
const FAR: usize = 200;

/// Slides pure insertions and deletions to their best place. Where one can be slid against another edit, the two are
/// one if fewer lines are then kept for lines that are written otherwise; two insertions or two deletions are as well if
/// there are only `weak` symbols between them.
///
/// `old_shape` and `new_shape` describe the line at an index; `same` tells whether two lines with equal symbols
/// are also written alike.
pub fn slide(
    edits: &mut Vec<Edit>,
    old: &[u32],
    new: &[u32],
    weak: impl Fn(u32) -> bool,
    old_shape: impl Fn(usize) -> LineShape,
    new_shape: impl Fn(usize) -> LineShape,
    same: impl Fn(usize, usize) -> bool,
) {
    join(edits, old, new, &weak, &same);
    let mut opened = Opened::default();
    for k in 0..edits.len() {
        let floor = k.checked_sub(1).map_or((0, 0), |p| (edits[p].old.end + 1, edits[p].new.end + 1));
        let ceiling = edits.get(k + 1).map_or((old.len() + 1, new.len() + 1), |n| (n.old.start, n.new.start));
        let edit = &mut edits[k];
        if edit.old.is_empty() && !edit.new.is_empty() {
            let room = (edit.old.start.saturating_sub(floor.0), ceiling.0.saturating_sub(edit.old.start + 1));
            let at = edit.old.start;
            let alike = |i: usize, on: isize| same(at.saturating_add_signed(on), i);
            let opener = opened.closed_by(&edit.new, &new_shape);
            let by = best_shift(new, edit.new.clone(), room, &new_shape, alike, opener);
            *edit = edit.shifted(by);
            opened.and(&edit.new, edit.new.end < new.len(), &new_shape);
        } else if edit.new.is_empty() && !edit.old.is_empty() {
            let room = (edit.new.start.saturating_sub(floor.1), ceiling.1.saturating_sub(edit.new.start + 1));
            let at = edit.new.start;
            let alike = |i: usize, on: isize| same(i, at.saturating_add_signed(on));
            let by = best_shift(old, edit.old.clone(), room, &old_shape, alike, None);
            *edit = edit.shifted(by);
        }
    }
}

/// How far the insertions are indented that a single inserted line further down may close.
#[derive(Debug, Default)]
pub(super) struct Opened(Vec<usize>);

impl Opened {
    /// Returns how far what a group of lines closes is indented, if it is one line that closes something.
    pub(super) fn closed_by(&self, group: &Range<usize>, shape: &impl Fn(usize) -> LineShape) -> Option<usize> {
        self.0.last().copied().filter(|_| group.len() == 1 && shape(group.start).closes)
    }

    /// Takes note of a group of lines: of what one closes, or else of what one leaves open. That is the first, if none
    /// closes it, or the last, if the line behind the group, where there is one, stands deeper.
    pub(super) fn and(&mut self, group: &Range<usize>, behind: bool, shape: &impl Fn(usize) -> LineShape) {
        if self.closed_by(group, shape).is_some() {
            self.0.pop();
        }
        let Some(first) = shape(group.start).indent else { return };
        let ends = |line: LineShape| line.closes && line.indent.is_some_and(|indent| indent <= first);
        let last = shape(group.end - 1);
        if !group.clone().any(|line| ends(shape(line))) {
            self.0.push(first);
        } else if behind && !last.closes && last.indent.is_some() && shape(group.end).indent > last.indent {
            self.0.extend(last.indent);
        }
    }
}

/// Makes a replacement of an insertion and a deletion where sliding one of them brings it against the other: of
/// several like items one became another, wherever the shortest script has it.
pub(crate) fn join_replacements(edits: &mut Vec<Edit>, old: &[u32], new: &[u32]) {
    join_each(edits, |first, second| {
        let is_replaced =
            first.old.is_empty() && second.new.is_empty() || first.new.is_empty() && second.old.is_empty();
        is_replaced.then(|| joined_with(first, second, old, new, |_| true)).flatten()
    });
}

/// Makes one edit of two where sliding one of them brings it against the other.
fn join(
    edits: &mut Vec<Edit>,
    old: &[u32],
    new: &[u32],
    weak: &impl Fn(u32) -> bool,
    same: &impl Fn(usize, usize) -> bool,
) {
    join_each(edits, |first, second| {
        let gap = first.old.end..second.old.start;
        let unlike = |(i, j): (usize, usize)| (0..gap.len()).filter(|k| !same(i + k, j + k)).count();
        // Of two insertions, or two deletions, the whole is one again, and can be slid on.
        let alike = first.old.is_empty() && second.old.is_empty() || first.new.is_empty() && second.new.is_empty();
        let is_weak = || old[gap.clone()].iter().all(|symbol| weak(*symbol));
        joined_with(first, second, old, new, |to| match unlike(to).cmp(&unlike((first.old.end, first.new.end))) {
            Ordering::Less => true,
            Ordering::Equal => alike && is_weak(),
            Ordering::Greater => false,
        })
    });
}

/// Puts what `whole` makes of two neighbouring edits in their place, and goes on with that.
fn join_each(edits: &mut Vec<Edit>, whole: impl Fn(&Edit, &Edit) -> Option<Edit>) {
    let mut joined: Vec<Edit> = Vec::with_capacity(edits.len());
    for edit in edits.drain(..) {
        let mut edit = edit;
        while let Some(whole) = joined.last().and_then(|before| whole(before, &edit)) {
            joined.pop();
            edit = whole;
        }
        joined.push(edit);
    }
    *edits = joined;
}

/// Returns two neighbouring edits as one, if one of them can be slid over the kept items between, and it `is_better` that
/// these are kept at the other place.
fn joined_with(
    first: &Edit,
    second: &Edit,
    old: &[u32],
    new: &[u32],
    is_better: impl Fn((usize, usize)) -> bool,
) -> Option<Edit> {
    let gap = second.old.start - first.old.end;
    if gap > FAR {
        return None;
    }
    let is_pure = |edit: &Edit| edit.old.is_empty() || edit.new.is_empty();
    // Slid up, the gap's items are kept behind both edits; slid down, before both.
    let behind = || (second.old.end - gap, second.new.end - gap);
    let before = (first.old.start, first.new.start);
    let there = |(i, j): (usize, usize)| old[i..i + gap] == new[j..j + gap];
    if is_pure(second) && there(behind()) && is_better(behind()) {
        return Some(Edit {
            old: first.old.start..second.old.end - gap,
            new: first.new.start..second.new.end - gap,
        });
    }
    if is_pure(first) && there(before) && is_better(before) {
        return Some(Edit { old: before.0 + gap..second.old.end, new: before.1 + gap..second.new.end });
    }
    None
}

/// Returns by how much a group of items is best moved; `room` is how far up and down it may go.
///
/// `alike(i, on)` tells whether item `i` is written as its partner `on` items after the group's place on the
/// other side; `opener` is the indentation of what the group closes.
pub(super) fn best_shift(
    items: &[u32],
    Range { start, end }: Range<usize>,
    room: (usize, usize),
    shape: &impl Fn(usize) -> LineShape,
    alike: impl Fn(usize, isize) -> bool,
    opener: Option<usize>,
) -> isize {
    let up = (1..=room.0.min(FAR).min(start)).take_while(|n| items[start - n] == items[end - n]).count();
    let down =
        (0..room.1.min(FAR).min(items.len() - end)).take_while(|n| items[start + n] == items[end + n]).count();
    if up == 0 && down == 0 {
        return 0;
    }
    let (up, down) = (up as isize, down as isize);
    // Partners on the other side stand before the group up to the shift, and after it from there on.
    let written_otherwise = |from: usize, on: isize| !alike(from.saturating_add_signed(on), on) as usize;
    let mut unlike: usize = (-up..down).map(|on| written_otherwise(end, on)).sum();
    let mut best = None;
    for by in -up..=down {
        if by > -up {
            unlike += written_otherwise(start, by - 1);
            unlike -= written_otherwise(end, by - 1);
        }
        let (start, end) = (start.saturating_add_signed(by), end.saturating_add_signed(by));
        let is_astray = opener.is_some_and(|indent| shape(start).indent != Some(indent));
        let cost = 20 * unlike
            + 200 * usize::from(is_astray)
            + cut_cost(items.len(), start, shape)
            + cut_cost(items.len(), end, shape);
        // Last among equals: an appended block stands after its like.
        if best.is_none_or(|(least, _)| cost <= least) {
            best = Some((cost, by));
        }
    }
    best.map_or(0, |(_, by)| by)
}

/// What it costs to cut before item `at`: little before a block at low indentation and after a blank line, more behind
/// what opens one.
fn cut_cost(len: usize, at: usize, shape: &impl Fn(usize) -> LineShape) -> usize {
    if at == 0 || at == len {
        return 0;
    }
    let (before, after) = (shape(at - 1), shape(at));
    let indent = after.indent.or(before.indent).unwrap_or(0);
    // Also where nothing is indented.
    let deeper = before.opens || before.indent.is_some_and(|b| after.indent.is_some_and(|a| a > b));
    let mut cost = 4 + 2 * indent.min(200);
    if before.indent.is_none() {
        cost = cost.saturating_sub(4);
    }
    if after.indent.is_none() {
        cost += 1;
    }
    if after.closes {
        cost += 12;
    }
    if deeper {
        cost += 6;
    }
    cost
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::diff::diff;

    #[test]
    fn an_inserted_block_starts_where_the_block_starts() {
        // f { x }   ->   f { x } (blank) g { x }: the shared `}` must not be split off the new block.
        let old = [1, 2, 9, 0, 7];
        let new = [1, 2, 9, 0, 3, 2, 9, 0, 7];
        let shape = |item: u32| LineShape {
            indent: match item {
                0 => None,
                2 => Some(4),
                _ => Some(0),
            },
            opens: false,
            closes: item == 9,
        };
        let mut edits = diff(&old, &new, |_| false);
        slide(&mut edits, &old, &new, |_| false, |i| shape(old[i]), |i| shape(new[i]), |_, _| true);
        assert_eq!(edits, [Edit { old: 4..4, new: 4..8 }]);
    }

    #[test]
    fn a_weak_line_between_does_not_cut_an_insertion_in_two() {
        // x } -> x { y } }: the first brace in the new text is the inserted block's.
        let (old, new) = ([1, 9, 8], [1, 5, 9, 9, 8]);
        let mut edits = vec![Edit { old: 1..1, new: 1..2 }, Edit { old: 2..2, new: 3..4 }];
        let flat = LineShape { indent: Some(0), opens: false, closes: false };
        slide(&mut edits, &old, &new, |item| item == 9, |_| flat, |_| flat, |_, _| true);
        assert_eq!(edits, [Edit { old: 1..1, new: 1..3 }]);
        // A deletion is not joined to a change above: it could not be slid to where its block starts any more.
        let (old, new) = ([1, 9, 5, 9, 8], [2, 9, 8]);
        let mut edits = vec![Edit { old: 0..1, new: 0..1 }, Edit { old: 2..4, new: 2..2 }];
        slide(&mut edits, &old, &new, |item| item == 9, |_| flat, |_| flat, |_, _| true);
        assert_eq!(edits, [Edit { old: 0..1, new: 0..1 }, Edit { old: 2..4, new: 2..2 }]);
    }

    #[test]
    fn one_of_several_like_items_became_another() {
        for (old, new, edit) in [
            ([1, 1, 2], [5, 1, 2], Edit { old: 0..1, new: 0..1 }),
            ([1, 1, 2], [1, 5, 2], Edit { old: 1..2, new: 1..2 }),
        ] {
            let mut edits = diff(&old, &new, |_| false);
            join_replacements(&mut edits, &old, &new);
            assert_eq!(edits, [edit]);
        }
        let apart = vec![Edit { old: 0..0, new: 0..1 }, Edit { old: 1..2, new: 2..2 }];
        let mut edits = apart.clone();
        join_replacements(&mut edits, &[1, 2, 3], &[5, 1, 3]);
        assert_eq!(edits, apart);
    }

    #[test]
    fn neighbouring_edits_stay_apart() {
        let (old, new) = ([5, 5, 5, 1, 5], [5, 5, 5, 5, 2, 5, 5]);
        let mut edits = diff(&old, &new, |_| false);
        let flat = LineShape { indent: Some(0), opens: false, closes: false };
        slide(&mut edits, &old, &new, |_| false, |_| flat, |_| flat, |_, _| true);
        assert!(edits.windows(2).all(|w| w[0].old.end < w[1].old.start && w[0].new.end < w[1].new.start));
    }
}
