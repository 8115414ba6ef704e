//! Edits broken into operations on base lines and gaps, and which operations of the two sides clash.

mod blocks;
mod breaking;
mod moved;
mod pairing;
mod reach;

use std::ops::Range;

use super::Dialect;
use super::align::{From, Side, Weak, align};
use crate::diff::{Edit, Interner};
use crate::text::Line;
use crate::text::key::Blanks;
pub(crate) use breaking::Changes;
use breaking::{Breaking, Broken};
pub(crate) use moved::MovedKeys;
use pairing::pair_lines;
pub(crate) use pairing::{ALIKE, BARELY_ALIKE, named};
pub(crate) use reach::FAR;

/// Where a base line went on one side.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Link {
    /// It is this line, but for white space.
    Kept(usize),
    /// It became this line.
    Changed(usize),
    /// It is gone.
    Gone,
}

impl Link {
    pub(crate) fn line(self) -> Option<usize> {
        match self {
            Link::Kept(j) | Link::Changed(j) => Some(j),
            Link::Gone => None,
        }
    }
}

/// What an operation does.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum OpKind {
    /// One base line became one line with most of its words.
    Change,
    /// Base lines were taken out, and nothing put there.
    Delete,
    /// Lines were put into a gap.
    Insert,
    /// Base lines were replaced by other lines; which became which is not known.
    Rewrite,
}

/// One operation of one side.
#[derive(Debug, Clone)]
pub(crate) struct Op {
    pub(crate) kind: OpKind,
    /// Base lines; for an insertion the gap, as an empty range.
    pub(crate) base: Range<usize>,
    /// Lines of the side.
    pub(crate) side: Range<usize>,
    /// Which of the side's edits it is part of.
    pub(crate) edit: usize,
    /// The pairing of a changed line had a close second choice.
    pub(crate) doubt: bool,
    /// Lines that were only cut at other places: what stands beside them stands beside the same words.
    pub(crate) form: bool,
    /// How far an insertion or deletion could as well stand: a block that ends like the lines before it begins
    /// may be taken for one that begins there.
    pub(crate) reach: Range<usize>,
}

/// One side's operations on the base.
pub(crate) struct Ops {
    pub(crate) links: Vec<Link>,
    pub(crate) ops: Vec<Op>,
    /// Edits that take over what the other side put in beside the lines that they replace.
    pub(crate) taken_over: Vec<usize>,
    /// Per gap: the side's lines that stand in it.
    gaps: Vec<Range<usize>>,
}

impl Ops {
    /// Breaks a side's edits into operations. Only edits that `touched` says the other side touches are broken
    /// finely; the others are one operation each. Where the dialect is known, insertions reach only where people would
    /// put them, and lines that were only cut at other places are known; where the other side is, what it put in beside
    /// lines that this one replaced is known in the replacement.
    pub(crate) fn new(
        base: &Side<'_>,
        own: Changes<'_, '_>,
        other: Option<Changes<'_, '_>>,
        weak: &Weak,
        dialect: Option<&Dialect>,
        touched: impl Fn(usize) -> bool,
    ) -> Self {
        let n = base.lines.len();
        let mut links = vec![Link::Gone; n];
        for (i, j) in crate::diff::kept_pairs(own.edits, n) {
            links[i] = Link::Kept(j);
        }
        let (mut ops, mut taken_over) = (Vec::new(), Vec::new());
        let breaking = Breaking { base, own, weak, dialect };
        for (k, edit) in own.edits.iter().enumerate() {
            let fine = touched(k);
            let apart = other.filter(|_| fine).and_then(|other| breaking.taken_over(k, edit, other));
            taken_over.extend(apart.is_some().then_some(k));
            let parts = apart.map_or_else(|| vec![breaking.broken(k, edit, fine)], Vec::from);
            for Broken { ops: more, kept } in parts {
                for (i, j) in kept {
                    links[i] = Link::Kept(j);
                }
                for op in more.iter().filter(|op| op.kind == OpKind::Change) {
                    links[op.base.start] = Link::Changed(op.side.start);
                }
                ops.extend(more);
            }
        }
        let mut gaps = vec![0..0; n + 1];
        for op in ops.iter().filter(|op| matches!(op.kind, OpKind::Insert | OpKind::Rewrite)) {
            gaps[op.base.start] = op.side.clone();
        }
        // Gaps without insertions: an empty range where the gap falls in the side.
        let mut at = 0;
        for g in 0..=n {
            if g > 0
                && let Some(j) = links[g - 1].line()
            {
                at = j + 1;
            }
            if gaps[g].is_empty() {
                gaps[g] = at..at;
            } else {
                at = gaps[g].end;
            }
        }
        Ops { links, ops, taken_over, gaps }
    }

    /// The rewrite that a base line is part of: its new lines stand in the gap before the first line.
    pub(crate) fn rewrite_of(&self, line: usize) -> Option<&Op> {
        let at = self.ops.partition_point(|op| op.base.end <= line);
        self.ops.get(at).filter(|op| op.kind == OpKind::Rewrite && op.base.contains(&line))
    }

    /// Tells whether the side put lines, other than blank ones, above a base line that it kept, or changed the line
    /// there.
    pub(crate) fn puts_above(&self, base: &[Line<'_>], side: &[Line<'_>], line: usize) -> bool {
        let above = (0..line).rev().find(|i| !base[*i].is_blank());
        let put = above.map_or(0, |i| i + 1)..=line;
        put.into_iter().any(|gap| side[self.gap(gap)].iter().any(|l| !l.is_blank()))
            || above.is_some_and(|i| matches!(self.links[i], Link::Changed(_)))
    }

    /// Tells whether the side put a line there: it is none that the base has.
    pub(crate) fn puts(&self, side_line: usize) -> bool {
        let at = self.ops.partition_point(|op| op.side.end <= side_line);
        self.ops.get(at).is_some_and(|op| op.kind != OpKind::Change && op.side.contains(&side_line))
    }

    /// Returns the side's lines in a gap.
    pub(crate) fn gap(&self, g: usize) -> Range<usize> {
        self.gaps[g].clone()
    }

    /// Returns the side's lines that stand for a stretch of the base. `at_start` and `at_end` say whether the
    /// insertions in the gaps at its two ends belong to it.
    pub(crate) fn span(&self, base: &Range<usize>, at_start: bool, at_end: bool) -> Range<usize> {
        let start = if at_start { self.gaps[base.start].start } else { self.gaps[base.start].end };
        let end = if at_end { self.gaps[base.end].end } else { self.gaps[base.end].start };
        start..end.max(start)
    }
}

/// Returns the line edits between two texts, and, within those that `near` picks, the lines of the old text that
/// became other lines with most of their words.
pub(crate) fn changed_lines(
    old: &[u8],
    new: &[u8],
    blanks: Blanks,
    near: impl Fn(&Edit) -> bool,
) -> (Vec<Edit>, Vec<usize>) {
    let mut interner = Interner::new();
    let old = Side::new(old, blanks, &mut interner);
    let new = Side::later(new, &old, blanks, &mut interner);
    let weak = Weak::of(&[&old, &new]);
    let edits = align(&old, &new, &weak, From::Front);
    let moved = MovedKeys::new(&old, &new, &edits);
    let pairs = edits.iter().filter(|edit| near(edit)).flat_map(|edit| pair_lines(&old, &new, edit, &weak, &moved));
    let changed = pairs.filter(|pair| !pair.equal).map(|pair| pair.base).collect();
    (edits, changed)
}

/// How two operations of the two sides stand to each other.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Meeting {
    /// They have nothing to do with each other.
    Apart,
    /// Both changed the same line.
    SameLine,
    /// Both inserted into the same gap.
    SameGap,
    /// Both deleted; the deletions overlap.
    BothDelete,
    /// Both did the very same.
    Same,
    /// Both cannot be done.
    Clash,
}

/// Tells how an operation of the site and one of the release meet.
///
/// `equal` compares the lines they put in place.
pub(crate) fn meet(site: &Op, release: &Op, equal: impl Fn() -> bool) -> Meeting {
    use OpKind::{Change, Delete, Insert, Rewrite};
    let (a, b) = (&site.base, &release.base);
    let overlap = a.start < b.end && b.start < a.end;
    let touch = a.start <= b.end && b.start <= a.end;
    let doubt = site.doubt || release.doubt;
    let form = site.form || release.form;
    if a == b && site.kind == release.kind && equal() {
        return Meeting::Same;
    }
    match (site.kind, release.kind) {
        (Change, Change) if overlap => Meeting::SameLine,
        (Delete, Delete) if overlap => Meeting::BothDelete,
        (Insert, Insert) if a == b => Meeting::SameGap,
        // Two insertions that could stand at each other's place: their order is open.
        (Insert, Insert) if site.reach.start <= release.reach.end && release.reach.start <= site.reach.end => {
            Meeting::Clash
        }
        (Insert, Delete) | (Delete, Insert) => {
            // At the edge of a deletion an insertion has a living neighbour; inside it has none.
            let (gap, gone) = if site.kind == Insert { (a.start, b) } else { (b.start, a) };
            if gone.start < gap && gap < gone.end { Meeting::Clash } else { Meeting::Apart }
        }
        (Insert, Rewrite) | (Rewrite, Insert) if touch && (overlap || !form) => Meeting::Clash,
        // Beside a line whose counterpart is doubtful the place of an insertion is open; a change of a line that
        // the other side kept is not.
        (Insert, Change) | (Change, Insert) if touch && doubt => Meeting::Clash,
        _ if overlap => Meeting::Clash,
        // Where a deletion took one of several twins out, the other side may have changed that one.
        (Change | Rewrite, Delete) if release.reach.start <= a.start && a.end <= release.reach.end => {
            Meeting::Clash
        }
        (Delete, Change | Rewrite) if site.reach.start <= b.start && b.end <= site.reach.end => Meeting::Clash,
        _ => Meeting::Apart,
    }
}
