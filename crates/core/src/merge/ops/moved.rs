//! Which lines a side moved, and which stayed.

use crate::diff::Edit;
use crate::merge::align::Side;

/// What a side did with lines, by key.
pub(crate) struct MovedKeys {
    /// Those that it both deleted and inserted: they moved, and no look-alike may take their place.
    moved: Vec<bool>,
    /// Those that stand once in the base and once in the side.
    stay: Vec<bool>,
}

impl MovedKeys {
    /// Tells whether a line with this key moved.
    pub(crate) fn has(&self, key: u32) -> bool {
        self.moved.get(key as usize).copied().unwrap_or(false)
    }

    /// Tells whether base and side have one line with this key each.
    pub(super) fn stays(&self, key: u32) -> bool {
        self.stay.get(key as usize).copied().unwrap_or(false)
    }

    pub(crate) fn new(base: &Side<'_>, side: &Side<'_>, edits: &[Edit]) -> Self {
        let size = base.keys.iter().chain(&side.keys).max().map_or(0, |m| *m as usize + 1);
        let (mut deleted, mut both) = (vec![false; size], vec![false; size]);
        for edit in edits {
            for i in edit.old.clone() {
                deleted[base.keys[i] as usize] = true;
            }
        }
        for edit in edits {
            for j in edit.new.clone() {
                let key = side.keys[j] as usize;
                both[key] = deleted[key];
            }
        }
        let times = [base, side].map(|version| {
            let mut times = vec![0u32; size];
            version.keys.iter().for_each(|key| times[*key as usize] += 1);
            times
        });
        let stay = times[0].iter().zip(&times[1]).map(|times| times == (&1, &1)).collect();
        MovedKeys { moved: both, stay }
    }
}
