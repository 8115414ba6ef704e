//! Following a stretch that one side moved within the file.
//!
//! To a line comparison a moved block is a deletion here and an insertion there. Taking the deletion at its word
//! would drop the other side's change in the block, or bring back a block that the other side deleted. So
//! before anything is called deleted, it is looked for among the same side's insertions: one clear home, or
//! the question goes to a person.

use std::collections::{BTreeMap, HashMap, HashSet};
use std::ops::Range;

use super::align::{Side, Weak};
use super::ops::ALIKE;
use crate::diff::Edit;
use crate::diff::sketch::WordBag;
use crate::text::Line;

/// A stretch of the base that one side took out here and put in there.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct MovedStretch {
    /// Lines of the base.
    pub(crate) base: Range<usize>,
    /// Where they stand on the side that moved them.
    pub(crate) side: Range<usize>,
}

/// Lines in a row that may be new or gone within a moved stretch.
const HOLE: usize = 4;
/// Lines at a stretch's old place that are looked at.
const LOOK_ALIKES: usize = 64;
/// How far from a line its neighbours tell which of two places it is at.
const BESIDE: usize = 3;
/// Lines by which a line may change places although there are others like it.
const NEARBY: usize = 8;

/// Finds the stretches that `mover` moved and in which the other side made changes.
pub(crate) fn moved_stretches(
    base: &Side<'_>,
    mover: &Side<'_>,
    edits: &[Edit],
    other_edits: &[Edit],
    weak: &Weak,
) -> Vec<MovedStretch> {
    let needed = |e: &Edit| {
        // Edits are in order, so the first that does not end before this one is the nearest.
        let near = other_edits.partition_point(|o| o.old.end < e.old.start);
        !e.old.is_empty() && other_edits.get(near).is_some_and(|o| o.old.start <= e.old.end)
    };
    if !edits.iter().any(needed) {
        return Vec::new();
    }
    let size = base.keys.iter().chain(&mover.keys).max().map_or(0, |m| *m as usize + 1);
    let mut added = vec![(0u32, 0usize); size];
    for edit in edits {
        for j in edit.new.clone() {
            let entry = &mut added[mover.keys[j] as usize];
            *entry = (entry.0 + 1, j);
        }
    }
    let mut deleted = vec![0u32; size];
    for edit in edits {
        for i in edit.old.clone() {
            deleted[base.keys[i] as usize] += 1;
        }
    }
    let count = |side: &Side<'_>| {
        let mut counts = vec![0u32; size];
        side.keys.iter().for_each(|k| counts[*k as usize] += 1);
        counts
    };
    let (in_base, in_mover) = (count(base), count(mover));
    let once = |key: u32| in_base[key as usize] == 1 && in_mover[key as usize] == 1;
    let added_lines = by_first_word(mover, edits);
    // Where they end on the mover's side, by where they begin there.
    let mut taken: BTreeMap<usize, usize> = BTreeMap::new();
    let mut out: Vec<MovedStretch> = Vec::new();
    for edit in edits.iter().filter(|e| needed(e)) {
        let pairs: Vec<(usize, usize)> = edit
            .old
            .clone()
            .filter(|i| {
                let key = base.keys[*i];
                !weak.is(key) && added[key as usize].0 == 1 && deleted[key as usize] == 1
            })
            .map(|i| (i, added[base.keys[i] as usize].1))
            .filter(|(_, j)| !edit.new.contains(j) || edit.new.len() > edit.old.len() + HOLE)
            .collect();
        for run in runs(&pairs) {
            let stretch = grow(base, mover, edit, edits, &run);
            let free =
                taken.range(..stretch.side.end).next_back().is_none_or(|(_, end)| *end <= stretch.side.start);
            if free
                && !replaced_in_place(base, mover, edit, &run)
                && !is_beside_its_twin(mover, edits, &run)
                && (trusted(base, &stretch, &run, weak)
                    || unmistakable(&stretch, &run, [base, mover], weak, &once)
                    || at_home(base, mover, &run, weak, &|key| once(key) || nearby(edits, &run)))
                && !has_neighbours_elsewhere([base, mover], &added_lines, &run)
            {
                taken.insert(stretch.side.start, stretch.side.end);
                out.push(stretch);
            }
        }
    }
    out
}

/// Tells whether a line or two may as well have been changed where they stand, and be new at the other place: the mover
/// has a look-alike of them at the old place.
fn replaced_in_place(base: &Side<'_>, mover: &Side<'_>, edit: &Edit, run: &[(usize, usize)]) -> bool {
    let instead = edit.new.clone().take(LOOK_ALIKES).filter(|j| run.iter().all(|(_, to)| to != j));
    let bags: Vec<WordBag> = instead.map(|j| WordBag::of(mover.lines[j].trimmed())).collect();
    let replaced = |i: usize| {
        let own = WordBag::of(base.lines[i].trimmed());
        bags.iter().any(|bag| own.similarity(bag) >= ALIKE)
    };
    run.len() <= 2 && run.iter().any(|(i, _)| replaced(*i))
}

/// The lines that were put in, by the first word of each.
fn by_first_word<'t>(mover: &Side<'t>, edits: &[Edit]) -> HashMap<&'t [u8], Vec<usize>> {
    let mut out: HashMap<&[u8], Vec<usize>> = HashMap::new();
    for j in edits.iter().flat_map(|edit| edit.new.clone()) {
        out.entry(first_word(&mover.lines[j])).or_default().push(j);
    }
    out
}

fn first_word<'t>(line: &Line<'t>) -> &'t [u8] {
    line.trimmed().split(|b| b.is_ascii_whitespace()).next().unwrap_or_default()
}

/// Tells whether a line that was put in, and is like one or two that were taken out, has more of its neighbours than
/// the home that was found: it may have been changed there, and be new at home.
fn has_neighbours_elsewhere(
    [base, mover]: [&Side<'_>; 2],
    added: &HashMap<&[u8], Vec<usize>>,
    run: &[(usize, usize)],
) -> bool {
    let near = |side: &Side<'_>, at: usize| -> HashSet<u32> {
        let lines = at.saturating_sub(BESIDE)..(at + BESIDE + 1).min(side.lines.len());
        lines.filter(|k| *k != at && !side.lines[*k].is_blank()).map(|k| side.keys[k]).collect()
    };
    let is_elsewhere = |(i, home): (usize, usize)| {
        let neighbours = near(base, i);
        let found_at = |j: usize| near(mover, j).intersection(&neighbours).count();
        let (at_home, own) = (found_at(home), WordBag::of(base.lines[i].trimmed()));
        let is_alike = |j: usize| own.similarity(&WordBag::of(mover.lines[j].trimmed())) >= ALIKE;
        let others = added.get(first_word(&base.lines[i])).into_iter().flatten().copied();
        others.filter(|j| *j != home).take(LOOK_ALIKES).any(|j| found_at(j) > at_home && is_alike(j))
    };
    run.len() <= 2 && run.iter().copied().any(is_elsewhere)
}

/// Tells whether what was put in at a run's home stands beside lines like it, so that those may as well be the new ones:
/// which of the two moved there is anybody's guess.
fn is_beside_its_twin(mover: &Side<'_>, edits: &[Edit], run: &[(usize, usize)]) -> bool {
    let (first, last) = (run[0].1, run[run.len() - 1].1);
    let at = edits.partition_point(|e| e.new.end <= first);
    let Some(new) = edits.get(at).filter(|e| e.old.is_empty() && e.new.contains(&last)).map(|e| &e.new) else {
        return false;
    };
    let (keys, most) = (&mover.keys, new.len());
    let up = (1..=most.min(new.start)).take_while(|n| keys[new.start - n] == keys[new.end - n]).count();
    let down = (0..most.min(keys.len() - new.end)).take_while(|n| keys[new.start + n] == keys[new.end + n]).count();
    down > last - new.start || up >= new.end - first
}

/// Cuts pairs into runs that go on in order on both sides, with small holes.
fn runs(pairs: &[(usize, usize)]) -> Vec<Vec<(usize, usize)>> {
    let mut out: Vec<Vec<(usize, usize)>> = Vec::new();
    for pair in pairs {
        match out.last_mut() {
            Some(run)
                if run
                    .last()
                    .is_some_and(|(i, j)| pair.1 > *j && pair.1 - j <= HOLE + 1 && pair.0 - i <= HOLE + 1) =>
            {
                run.push(*pair);
            }
            _ => out.push(vec![*pair]),
        }
    }
    out
}

/// Takes in the equal lines right before and after a run (its braces and blank lines).
fn grow(base: &Side<'_>, mover: &Side<'_>, edit: &Edit, edits: &[Edit], run: &[(usize, usize)]) -> MovedStretch {
    let (first, last) = (run[0], run[run.len() - 1]);
    let at = edits.partition_point(|e| e.new.end <= first.1);
    let home = edits.get(at).filter(|e| e.new.contains(&first.1)).map_or(0..mover.keys.len(), |e| e.new.clone());
    let (mut i0, mut j0, mut i1, mut j1) = (first.0, first.1, last.0 + 1, last.1 + 1);
    while i0 > edit.old.start && j0 > home.start && base.keys[i0 - 1] == mover.keys[j0 - 1] {
        (i0, j0) = (i0 - 1, j0 - 1);
    }
    while i1 < edit.old.end && j1 < home.end && base.keys[i1] == mover.keys[j1] {
        (i1, j1) = (i1 + 1, j1 + 1);
    }
    MovedStretch { base: i0..i1, side: j0..j1 }
}

/// A move is believed when most of the stretch's telling lines are found, and they tell enough.
fn trusted(base: &Side<'_>, stretch: &MovedStretch, run: &[(usize, usize)], weak: &Weak) -> bool {
    let telling = stretch.base.clone().filter(|i| !weak.is(base.keys[*i])).count();
    let words: usize = run.iter().map(|(i, _)| WordBag::of(base.lines[*i].trimmed()).word_count()).sum();
    run.len() * 10 >= telling * 6 && (run.len() >= 2 && words >= 5 || words >= 6)
}

/// A small stretch is believed to have moved, too, when all its telling lines stand once in each file, or it does as
/// a whole.
fn unmistakable(
    stretch: &MovedStretch,
    run: &[(usize, usize)],
    [base, mover]: [&Side<'_>; 2],
    weak: &Weak,
    once: &impl Fn(u32) -> bool,
) -> bool {
    let telling = stretch.base.clone().filter(|i| !weak.is(base.keys[*i])).count();
    let words: usize = run.iter().map(|(i, _)| WordBag::of(base.lines[*i].trimmed()).word_count()).sum();
    let enough = (run.len() >= 2 && words >= 3) || (stretch.base.len() >= 3 && words >= 4);
    let whole = || {
        let lines = &base.keys[stretch.base.clone()];
        let only = |side: &Side<'_>| side.keys.windows(lines.len()).filter(|keys| *keys == lines).count() == 1;
        lines == &mover.keys[stretch.side.clone()] && only(base) && only(mover)
    };
    enough && run.len() == telling && (run.iter().all(|(i, _)| once(base.keys[*i])) || whole())
}

/// Tells whether a line that was taken out here was put in again a few lines on: whatever other lines there are
/// like it, this one changed places with its neighbours.
fn nearby(edits: &[Edit], run: &[(usize, usize)]) -> bool {
    let (i, j) = run[0];
    let at = edits.partition_point(|e| e.new.end <= j);
    edits.get(at).is_some_and(|e| e.new.contains(&j) && e.old.start.abs_diff(i) <= NEARBY)
}

/// A single line that stands once in each file, or was put in again nearby, is believed to have moved when a
/// neighbour moved along: it changed places within its own block.
fn at_home(
    base: &Side<'_>,
    mover: &Side<'_>,
    run: &[(usize, usize)],
    weak: &Weak,
    once: &impl Fn(u32) -> bool,
) -> bool {
    let [(i, j)] = run else { return false };
    let key = base.keys[*i];
    let near = |at: usize, len: usize| at.saturating_sub(2)..(at + 3).min(len);
    let neighbours: Vec<u32> =
        near(*i, base.keys.len()).map(|k| base.keys[k]).filter(|k| *k != key && !weak.is(*k)).collect();
    let along = near(*j, mover.keys.len()).any(|k| neighbours.contains(&mover.keys[k]));
    along
        && base.block(*i) == mover.block(*j)
        && WordBag::of(base.lines[*i].trimmed()).word_count() >= 2
        && once(key)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::diff::Interner;
    use crate::merge::align::{From, align};
    use crate::text::key::Blanks;

    fn find(base: &str, release: &str, site: &str) -> Vec<MovedStretch> {
        let mut interner = Interner::new();
        let mut side = |t| Side::new(str::as_bytes(t), Blanks::AreForm, &mut interner);
        let (base, release, site) = (side(base), side(release), side(site));
        let weak = Weak::of(&[&base, &release, &site]);
        let edits = align(&base, &release, &weak, From::Front);
        let other = align(&base, &site, &weak, From::Front);
        moved_stretches(&base, &release, &edits, &other, &weak)
    }

    const BASE: &str =
        "head one\nbox { first thing here;\n second thing there;\n}\nmid one\nmid two\nmid three\nmid four\nend\n";
    const MOVED: &str =
        "head one\nmid one\nmid two\nmid three\nmid four\nbox { first thing here;\n second thing there;\n}\nend\n";

    #[test]
    fn a_moved_block_is_found_where_the_other_side_changed_it() {
        let site = BASE.replace("second thing", "other thing");
        let found = find(BASE, MOVED, &site);
        assert_eq!(found, [MovedStretch { base: 1..4, side: 5..8 }]);
        assert!(find(BASE, MOVED, BASE).is_empty(), "nobody changed it");
    }

    #[test]
    fn a_block_with_two_homes_is_not_followed() {
        let twice = MOVED.replace("end\n", "box { first thing here;\n second thing there;\n}\nend\n");
        assert!(find(BASE, &twice, &BASE.replace("second thing", "other thing")).is_empty());
    }

    #[test]
    fn a_line_whose_neighbours_stand_beside_another_like_it_is_not_followed() {
        let list =
            |rest: &str| format!("<div>\n<ul class=\"sail mill\" role=\"list\"{rest}>\n<li name=\"wind\">\n");
        let small = "sack\n<ul class=\"sail mill\" role=\"list\">\nflour\n";
        let kept = "mid one\nmid two\nmid three\n";
        let base = format!("head\n{}{kept}", list(""));
        let site = base.replace("sail mill", "own sail mill");
        let follows =
            |end: &str| find(&base, &format!("head\n{kept}{end}"), &site).iter().any(|m| m.base.contains(&2));
        assert!(follows(small));
        assert!(!follows(&[&list(" id=\"all\""), small].concat()));
    }

    #[test]
    fn a_small_block_is_found_where_it_stands_once_as_a_whole() {
        let rule = |selector: &str, width: &str| format!("{selector} {{\n width: {width};\n}}\n");
        let [a, b, c] = [rule(".wide", "1px"), rule(".slim", "2px"), rule(".tall", "1px")];
        let (base, moved) = (format!("{a}x\n{b}y\n{c}"), format!("{b}y\n{c}x\n{a}"));
        let found = find(&base, &moved, &base.replacen("width: 1px", "own: 1px", 1));
        assert_eq!(found, [MovedStretch { base: 0..3, side: 8..11 }], "`width: 1px` alone stands twice");
    }
}
