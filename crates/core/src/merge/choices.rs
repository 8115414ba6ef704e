//! Blocks beside their like: where one of two came or went, it is open which of them it was.

use std::ops::Range;

use super::align::{Side, Weak};
use crate::diff::Edit;

/// How far a like is looked for.
const FAR: usize = 200;

/// Tells of each edit of the site whether it may be about another block: the release put in or took out the like of the
/// one that it is in, beside it, or the site did and the release changed the other.
pub(super) fn open_choices(
    base: &Side<'_>,
    [site, release]: [&Side<'_>; 2],
    [site_edits, release_edits]: [&[Edit]; 2],
    weak: &Weak,
) -> Vec<bool> {
    let (by_site, by_release) = (likes(base, site, site_edits, weak), likes(base, release, release_edits, weak));
    let tells = |line: &usize| !weak.is(base.keys[*line]);
    let touched = |likes: &[Option<usize>], edits: &[Edit], old: &Range<usize>| -> Option<usize> {
        if old.is_empty() {
            let above = likes.get(old.start.checked_sub(1)?).copied().flatten();
            return above.filter(|edit| likes.get(old.start) == Some(&above) && edits[*edit].old != *old);
        }
        old.clone().filter(tells).find_map(|line| likes[line])
    };
    let is_open = |edit: &Edit| touched(&by_release, release_edits, &edit.old).is_some();
    let mut open: Vec<bool> = site_edits.iter().map(is_open).collect();
    for edit in release_edits.iter().filter_map(|other| touched(&by_site, site_edits, &other.old)) {
        open[edit] = true;
    }
    open
}

/// The base's lines that are like those that a side put in or took out beside them, with the edit that did: it could as
/// well have put in or taken out these.
fn likes(base: &Side<'_>, side: &Side<'_>, edits: &[Edit], weak: &Weak) -> Vec<Option<usize>> {
    let mut likes = vec![None; base.keys.len()];
    for (k, edit) in edits.iter().enumerate() {
        let (keys, block) = match (edit.old.is_empty(), edit.new.is_empty()) {
            (true, false) => (&side.keys, &edit.new),
            (false, true) => (&base.keys, &edit.old),
            _ => continue,
        };
        let (start, end) = (block.start, block.end);
        let above = edit.old.start - k.checked_sub(1).map_or(0, |before| edits[before].old.end);
        let below = edits.get(k + 1).map_or(base.keys.len(), |next| next.old.start) - edit.old.end;
        // Slid, the block has to begin with the same telling line.
        let begins = |start: usize| keys[start..start + block.len()].iter().find(|key| !weak.is(**key));
        let own = begins(start);
        if own.is_none() {
            continue;
        }
        let up = (1..=above.min(FAR)).take_while(|n| keys[start - n] == keys[end - n]);
        let down = (1..=below.min(FAR)).take_while(|n| keys[start + n - 1] == keys[end + n - 1]);
        let far = [
            up.filter(|n| begins(start - n) == own).last().map(|far| edit.old.start - far..edit.old.start),
            down.filter(|n| begins(start + n) == own).last().map(|far| edit.old.end..edit.old.end + far),
        ];
        for lines in
            far.into_iter().flatten().filter(|lines| base.keys[lines.clone()].iter().any(|key| !weak.is(*key)))
        {
            likes[lines].fill(Some(k));
        }
    }
    likes
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::diff::Interner;
    use crate::merge::align::{From, align};
    use crate::text::key::Blanks;

    #[track_caller]
    fn open(base: &str, site: &str, release: &str) -> Vec<bool> {
        let mut interner = Interner::new();
        let [base, site, release] =
            [base, site, release].map(|text| Side::new(text.as_bytes(), Blanks::AreForm, &mut interner));
        let weak = Weak::of(&[&base, &site, &release]);
        let edits = [&site, &release].map(|side| align(&base, side, &weak, From::Front));
        open_choices(&base, [&site, &release], [&edits[0], &edits[1]], &weak)
    }

    const CARD: &str = "<div>\n  <b>card</b>\n</div>\n";

    #[test]
    fn a_change_in_one_of_two_that_are_alike_may_be_about_either() {
        let two = [CARD, CARD].concat();
        for own in [CARD.replace("card", "own"), CARD.replace("  <b>", "  <i>own</i>\n  <b>")] {
            let first = [&own, CARD].concat();
            assert_eq!(open(&two, &first, CARD), [true]);
            assert_eq!(open(CARD, &own, &two), [true]);
            assert_eq!(open(&two, CARD, &first), [true]);
            assert_eq!(open(CARD, &two, &own), [true]);
        }
    }

    #[test]
    fn a_change_beside_both_is_about_no_other() {
        let two = [CARD, CARD].concat();
        let (before, behind) = (["<p>own</p>\n", &two].concat(), [&two, "<p>own</p>\n"].concat());
        assert_eq!(open(&two, &before, CARD), [false]);
        assert_eq!(open(&two, &behind, CARD), [false]);
        assert_eq!(open(&two, CARD, CARD), [false]);
        // Only the closing lines are alike.
        let other = CARD.replace("card", "other");
        assert_eq!(
            open(&[CARD, &other].concat(), &[&CARD.replace("card", "own"), &other[..]].concat(), CARD),
            [false]
        );
    }
}
