//! How far an edit could as well stand.

use std::ops::Range;

use crate::merge::align::Side;
use crate::merge::balance::{depth_of, never_below};
use crate::text::Line;

/// Operations are looked at for meeting others at most this many lines away.
pub(crate) const FAR: usize = 40;

/// Returns how far an edit could be slid, as base lines.
pub(super) fn reach(base: &[u32], side: &[u32], old: &Range<usize>, new: &Range<usize>) -> Range<usize> {
    let (keys, range) = if old.is_empty() { (side, new) } else { (base, old) };
    if range.is_empty() || (!old.is_empty() && !new.is_empty()) {
        return old.clone();
    }
    let (start, end) = (range.start, range.end);
    let up = (1..=start.min(FAR).min(old.start)).take_while(|n| keys[start - n] == keys[end - n]).count();
    let room = (keys.len() - end).min(base.len() - old.end).min(FAR);
    let down = (0..room).take_while(|n| keys[start + n] == keys[end + n]).count();
    old.start - up..old.end + down
}

/// Leaves out of an insertion's reach where nobody would cut: a block that opens and closes what it has is not
/// taken for one that begins by closing, and past blank lines alone its order with another stays the same.
pub(super) fn sensible(
    side: &Side<'_>,
    block: &Range<usize>,
    gap: usize,
    reach: Range<usize>,
    markup: bool,
) -> Range<usize> {
    let (mut up, mut down) = (gap - reach.start, reach.end - gap);
    if up == 0 && down == 0 {
        return reach;
    }
    let depths: Vec<(i64, i64)> =
        side.lines[block.start - up..block.end + down].iter().map(|l| depth_of(l.trimmed(), markup)).collect();
    let first = up;
    let whole = |from: usize| never_below(&depths[from..from + block.len()]);
    if whole(first) {
        while up > 0 && !whole(first - up) {
            up -= 1;
        }
        while down > 0 && !whole(first + down) {
            down -= 1;
        }
    }
    let blank = |lines: Range<usize>| side.lines[lines].iter().all(Line::is_blank);
    if blank(block.start - up..block.start) {
        up = 0;
    }
    if blank(block.end..block.end + down) {
        down = 0;
    }
    gap - up..gap + down
}
