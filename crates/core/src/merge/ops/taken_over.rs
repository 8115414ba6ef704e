//! Replacements that take over what the other side put in beside the replaced lines.

use super::MovedKeys;
use crate::diff::Edit;
use crate::merge::align::{Side, Weak};

/// The other side's version, and what it changed and moved.
#[derive(Clone, Copy)]
pub(crate) struct Other<'o, 'a> {
    pub(crate) side: &'o Side<'a>,
    pub(crate) edits: &'o [Edit],
    pub(crate) moved: &'o MovedKeys,
}

impl Other<'_, '_> {
    /// Takes a replacement apart where it begins or ends, line for line, with what the other side put in before or behind
    /// the replaced lines: both sides put those in, and the rest is what the replaced ones became. `None` where it has
    /// nothing of the kind, or where the other side may have put it in place of such a line.
    pub(super) fn apart(self, [base, side]: [&Side<'_>; 2], edit: &Edit, weak: &Weak) -> Option<[Edit; 3]> {
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
