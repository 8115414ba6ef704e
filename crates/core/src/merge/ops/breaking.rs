//! How one side's edits are broken into operations.

use std::ops::Range;

use super::pairing::{Pair, has_rival_beside, pair_lines};
use super::reach::{reach, sensible};
use super::{MovedKeys, Op, OpKind};
use crate::diff::Edit;
use crate::merge::Dialect;
use crate::merge::align::{Side, Weak};
use crate::merge::recut::{Cut, Part, recut};

/// One side's version, and what it changed and moved.
#[derive(Clone, Copy)]
pub(crate) struct Changes<'o, 'a> {
    pub(crate) side: &'o Side<'a>,
    pub(crate) edits: &'o [Edit],
    pub(crate) moved: &'o MovedKeys,
}

impl Changes<'_, '_> {
    /// Takes a replacement by the other side apart where it begins or ends, line for line, with what this one put in before
    /// or behind the replaced lines: both sides put those in, and the rest is what the replaced ones became. `None` where it
    /// has nothing of the kind, or where this side may have put it in place of such a line.
    fn apart_in(self, [base, side]: [&Side<'_>; 2], edit: &Edit, weak: &Weak) -> Option<[Edit; 3]> {
        let Edit { old, new } = edit;
        let stays = |line: usize| !weak.is(base.keys[line]) && self.moved.stays(base.keys[line]);
        if new.is_empty() || !old.clone().any(stays) {
            return None;
        }
        let put_in = |gap: usize| {
            let at = self.edits.partition_point(|e| e.old.end < gap);
            let is_put_in = |e: &&Edit| e.old == (gap..gap);
            let put = &self.side.keys[self.edits.get(at).filter(is_put_in)?.new.clone()];
            put.iter().any(|key| !weak.is(*key)).then_some(put)
        };
        let before = put_in(old.start).filter(|put| side.keys[new.clone()].starts_with(put));
        let from = new.start + before.map_or(0, <[u32]>::len);
        let behind = put_in(old.end).filter(|put| side.keys[from..new.end].ends_with(put));
        let to = new.end - behind.map_or(0, <[u32]>::len);
        (before.is_some() || behind.is_some()).then(|| {
            [
                Edit { old: old.start..old.start, new: new.start..from },
                Edit { old: old.clone(), new: from..to },
                Edit { old: old.end..old.end, new: to..new.end },
            ]
        })
    }
}

/// What breaks a side's edits into operations.
pub(super) struct Breaking<'b, 'a> {
    pub(super) base: &'b Side<'a>,
    pub(super) own: Changes<'b, 'a>,
    pub(super) weak: &'b Weak,
    pub(super) dialect: Option<&'b Dialect>,
}

/// An edit, or a part of one, in operations, and the base lines in it that were kept, with the side's lines.
pub(super) struct Broken {
    pub(super) ops: Vec<Op>,
    pub(super) kept: Vec<(usize, usize)>,
}

impl Breaking<'_, '_> {
    /// Breaks what belongs to the `k`-th edit, finely if it is to be.
    pub(super) fn broken(&self, k: usize, edit: &Edit, fine: bool) -> Broken {
        let Breaking { base, own: Changes { side, edits, moved }, weak, dialect } = *self;
        let is_blank = |i: usize| base.lines[i].is_blank();
        let parts = match dialect.filter(|_| fine) {
            Some(dialect) => recut(base, side, edit, weak, dialect),
            None => vec![Part::whole(edit)],
        };
        let mut broken = Broken { ops: Vec::new(), kept: Vec::new() };
        for Part { edit, cut } in parts {
            let form = cut == Cut::Elsewhere;
            let mut pairs = if form && edit.old.len().max(edit.new.len()) == 1 {
                vec![Pair { base: edit.old.start, side: edit.new.start, equal: false, doubt: false }]
            } else if fine && cut == Cut::Unknown {
                pair_lines(base, side, &edit, weak, moved)
            } else {
                Vec::new()
            };
            for pair in pairs.iter_mut().filter(|pair| !pair.equal && !form) {
                let lines = (pair.base, pair.side);
                pair.doubt |= has_rival_beside([base, side], edits, k, lines, is_blank);
            }
            let (mut i, mut j) = (edit.old.start, edit.new.start);
            for pair in pairs.iter().map(Some).chain([None]) {
                let (to_i, to_j) = pair.map_or((edit.old.end, edit.new.end), |p| (p.base, p.side));
                if let Some(kind) = kind_of(i..to_i, j..to_j) {
                    let reach = reach(&base.keys, &side.keys, &(i..to_i), &(j..to_j));
                    let reach = match dialect.filter(|_| kind == OpKind::Insert) {
                        Some(dialect) => sensible(side, &(j..to_j), i, reach, dialect.markup),
                        None => reach,
                    };
                    // One line in place of one may be merged by words, too.
                    let one_for_one = kind == OpKind::Rewrite && (i + 1, j + 1) == (to_i, to_j);
                    let is_weak = |i: usize| is_blank(i) || weak.is(base.keys[i]);
                    let doubt =
                        one_for_one && fine && !form && has_rival_beside([base, side], edits, k, (i, j), is_weak);
                    broken.ops.push(Op { kind, base: i..to_i, side: j..to_j, edit: k, doubt, form, reach });
                }
                if let Some(pair) = pair {
                    let (lines, change) = (pair.base..pair.base + 1, pair.side..pair.side + 1);
                    if pair.equal {
                        broken.kept.push((pair.base, pair.side));
                    } else {
                        broken.ops.push(Op {
                            kind: OpKind::Change,
                            base: lines.clone(),
                            side: change,
                            edit: k,
                            doubt: pair.doubt,
                            form: false,
                            reach: lines,
                        });
                    }
                    (i, j) = (pair.base + 1, pair.side + 1);
                }
            }
        }
        broken
    }

    /// Breaks an edit that takes over what the other side put in beside it; `None` where that does not say what became of
    /// the other lines.
    pub(super) fn taken_over(&self, k: usize, edit: &Edit, other: Changes<'_, '_>) -> Option<[Broken; 3]> {
        let [before, own, behind] = other.apart_in([self.base, self.own.side], edit, self.weak)?;
        let own = self.broken(k, &own, true);
        let is_told = own.ops.iter().all(|op| matches!(op.kind, OpKind::Change | OpKind::Delete));
        is_told.then(|| {
            let [before, behind] = [before, behind].map(|edit| self.broken(k, &edit, true));
            [before, own, behind]
        })
    }
}

fn kind_of(base: Range<usize>, side: Range<usize>) -> Option<OpKind> {
    match (base.is_empty(), side.is_empty()) {
        (true, true) => None,
        (true, false) => Some(OpKind::Insert),
        (false, true) => Some(OpKind::Delete),
        (false, false) => Some(OpKind::Rewrite),
    }
}
