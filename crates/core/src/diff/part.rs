//! Parting what changed from what came or went beside it.
//!
//! Where a line changed and a block behind it is gone that ends as the lines behind that one do, the shortest script may
//! take both for one change of many lines into one. It is as short to keep the lines behind the change, and to take out
//! the block as people would.

use std::ops::Range;

use super::Edit;
use super::slide::{LineShape, Opened, best_shift};

/// Of so many lines at most each is looked at.
const MANY: usize = 20;

/// Parts edits in which some items became as many others, and more came or went beside them, where those can be slid
/// away from them to a better place.
///
/// `old_shape` and `new_shape` describe the line at an index; `same` tells whether two lines with equal symbols are also
/// written alike, and `alike` whether a new line may be an old one's later form.
pub fn part(
    edits: &mut Vec<Edit>,
    old: &[u32],
    new: &[u32],
    old_shape: impl Fn(usize) -> LineShape,
    new_shape: impl Fn(usize) -> LineShape,
    same: impl Fn(usize, usize) -> bool,
    alike: impl Fn(usize, usize) -> bool,
) {
    let mut parted = Vec::with_capacity(edits.len());
    let mut opened = Opened::default();
    for (k, edit) in edits.iter().enumerate() {
        if edit.old.is_empty() {
            opened.and(&edit.new, edit.new.end < new.len(), &new_shape);
        }
        let count = edit.old.len().min(edit.new.len());
        if count == 0 || count > MANY || edit.old.len() == edit.new.len() {
            parted.push(edit.clone());
            continue;
        }
        // Between two edits one item stays.
        let above = edit.old.start - k.checked_sub(1).map_or(0, |before| edits[before].old.end + 1);
        let below = edits.get(k + 1).map_or(old.len(), |next| next.old.start - 1) - edit.old.end;
        // `at` is where the rest stands in the other version.
        let shift = |rest: Range<usize>, at: usize, room: (usize, usize)| {
            if edit.old.len() > edit.new.len() {
                best_shift(old, rest, room, &old_shape, |i, on| same(i, at.saturating_add_signed(on)), None)
            } else {
                let opener = opened.closed_by(&rest, &new_shape);
                best_shift(new, rest, room, &new_shape, |j, on| same(at.saturating_add_signed(on), j), opener)
            }
        };
        let (longer, shorter) =
            if edit.old.len() > edit.new.len() { (&edit.old, &edit.new) } else { (&edit.new, &edit.old) };
        let change_first =
            Edit { old: edit.old.start..edit.old.start + count, new: edit.new.start..edit.new.start + count };
        let change_last = Edit { old: edit.old.end - count..edit.old.end, new: edit.new.end - count..edit.new.end };
        let is_change = |edit: &Edit| edit.old.clone().zip(edit.new.clone()).all(|(i, j)| alike(i, j));
        let down = shift(longer.start + count..longer.end, shorter.end, (0, below));
        if down > 0 && is_change(&change_first) {
            let rest = Edit { old: change_first.old.end..edit.old.end, new: change_first.new.end..edit.new.end };
            if rest.old.is_empty() {
                opened.and(&rest.new, rest.new.end < new.len(), &new_shape);
            }
            parted.extend([change_first, rest.shifted(down)]);
            continue;
        }
        let up = shift(longer.start..longer.end - count, shorter.start, (above, 0));
        if up < 0 && is_change(&change_last) {
            let rest =
                Edit { old: edit.old.start..change_last.old.start, new: edit.new.start..change_last.new.start };
            if rest.old.is_empty() {
                opened.and(&rest.new, true, &new_shape);
            }
            parted.extend([rest.shifted(up), change_last]);
            continue;
        }
        parted.push(edit.clone());
    }
    *edits = parted;
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Parts an edit between texts of one letter to a line: small letters are indented, `]` is a `}` that is, `_` is a
    /// blank line, and one letter may become the next.
    fn parted(old: &str, new: &str, edit: [Range<usize>; 2]) -> Vec<[Range<usize>; 2]> {
        let shape = |letter: u8| LineShape {
            indent: (letter != b'_').then_some(if letter.is_ascii_lowercase() || letter == b']' { 2 } else { 0 }),
            opens: false,
            closes: letter == b'}' || letter == b']',
        };
        let symbols = |text: &str| text.replace(']', "}").bytes().map(u32::from).collect::<Vec<_>>();
        let [of_old, of_new] = edit;
        let mut edits = vec![Edit { old: of_old, new: of_new }];
        let (o, n) = (old.as_bytes(), new.as_bytes());
        let same = |i: usize, j: usize| o[i] == n[j];
        let alike = |i: usize, j: usize| o[i].abs_diff(n[j]) == 1;
        part(&mut edits, &symbols(old), &symbols(new), |i| shape(o[i]), |j| shape(n[j]), same, alike);
        edits.into_iter().map(|edit| [edit.old, edit.new]).collect()
    }

    #[test]
    fn a_block_is_parted_from_the_change_beside_it() {
        assert_eq!(parted("Fa}_Ga}_", "Fb}_", [1..6, 1..2]), [[1..2, 1..2], [4..8, 4..4]]);
        assert_eq!(parted("Fb}_", "Fa}_Ga}_", [1..2, 1..6]), [[1..2, 1..2], [4..4, 4..8]]);
        assert_eq!(parted("X_Fa_Fc_", "X_Fd_", [3..7, 3..4]), [[2..5, 2..2], [6..7, 3..4]]);
    }

    #[test]
    fn the_line_that_is_kept_is_the_one_that_is_written_alike() {
        assert_eq!(parted("Fa}G", "Fa]}H", [3..4, 3..5]), [[2..2, 2..3], [3..4, 4..5]]);
        assert_eq!(parted("Fa]}H", "Fa}G", [3..5, 3..4]), [[2..3, 2..2], [4..5, 3..4]]);
    }

    #[test]
    fn what_cannot_be_slid_or_is_no_change_stays() {
        assert_eq!(parted("Fa}_Ga}_", "Fy}_", [1..6, 1..2]), [[1..6, 1..2]]);
        assert_eq!(parted("FaxGc}_", "Fb}_", [1..5, 1..2]), [[1..5, 1..2]]);
        assert_eq!(parted("Fa}_", "Fb}_", [1..2, 1..2]), [[1..2, 1..2]]);
    }
}
