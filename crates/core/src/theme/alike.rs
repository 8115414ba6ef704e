//! Renamed files that were changed, too: found by sketches of their lines and what their names say.

use std::collections::{BTreeMap, HashMap, HashSet};

use super::kind::extension;
use super::names::{Names, closeness, file_name, likeness_of_names, stem};
use super::{ReadError, Tree};
use crate::diff::sketch::{Overlap, Sketch, SketchIndex};

/// Two files this alike under different names are one renamed file.
const RENAMED: f32 = 0.5;
/// Whatever of it many files have, if they are this much alike.
const SAME: f32 = 0.9;
/// If they have so much in common of what few files have, at least.
const RENAMED_BY_WEIGHT: f32 = 0.4;
/// So are two of which one has this much of the other, counting what few files have, if they share some lines and no
/// other file comes near.
const CONTAINED: f32 = 0.5;
const SHARED_LINES: usize = 3;
/// With file names of which one is in the other, this much in common is enough.
const NAMESAKES: f32 = 0.15;
/// With the same file name, which no other file has, so much is enough, whatever comes near.
const ONE_NAME: f32 = 0.05;
/// What the same file name adds to a score.
const BY_NAME: f32 = 0.3;
/// What share of a score a file in quite another folder loses.
const BY_FOLDER: f32 = 0.2;
/// Of a file that has so many times more of its lines in one that stayed, a new file has only some likeness.
const TAKEN_IN: usize = 2;
/// How near another file may come: its score as a share of the best.
const RIVAL: f32 = 0.7;
/// Files that stayed and are looked at for lines that many have.
const SAMPLE: usize = 200;
/// Candidates that are looked at for each file.
const CANDIDATES: usize = 8;
/// Larger files are not sketched.
const SKETCH_LIMIT: u64 = 8 << 20;

/// How many files have a line: of those that are new, and of a sample of those that stayed. What all files of a kind
/// begin with says nothing about which of them is which.
struct Common([HashMap<u64, usize>; 2]);

impl Common {
    fn of(tree: &dyn Tree, rest: &[usize], new: &[Sketch]) -> Result<Self, ReadError> {
        let mut counts: [HashMap<u64, usize>; 2] = Default::default();
        let sampled = rest.iter().step_by(rest.len().div_ceil(SAMPLE).max(1));
        let sampled = sampled.map(|k| Ok(Sketch::of(&tree.read(*k)?))).collect::<Result<Vec<_>, ReadError>>()?;
        for (counts, sketches) in counts.iter_mut().zip([&sampled[..], new]) {
            for hash in sketches.iter().flat_map(Sketch::hashes) {
                *counts.entry(*hash).or_default() += 1;
            }
        }
        Ok(Common(counts))
    }

    fn count(&self, hash: u64) -> usize {
        self.0.iter().map(|counts| counts.get(&hash).copied().unwrap_or(0)).max().unwrap_or(0)
    }
}

/// An old and a new file that may be one.
struct Candidate {
    old: usize,
    new: usize,
    overlap: Overlap,
    score: f32,
    is_sure: bool,
    /// If no other comes near.
    is_likely: bool,
    /// The only old and the only new file of their name, one above the other.
    is_namesake: bool,
    /// The paths say it, too: how near the names are.
    named_after: Option<i64>,
}

impl Candidate {
    fn of(
        [names, new_names]: [&Names; 2],
        (old, i): (&dyn Tree, usize),
        (new, j): (&dyn Tree, usize),
        overlap: Overlap,
    ) -> Self {
        let (before, after) = (&old.entries()[i], &new.entries()[j]);
        let (a, b) = (file_name(&before.path), file_name(&after.path));
        let (a_stem, b_stem) = (stem(&a), stem(&b));
        let (short, long) = if a_stem.len() < b_stem.len() { (a_stem, b_stem) } else { (b_stem, a_stem) };
        let akin = long.contains(&short) && names.is_telling(&a) && names.is_telling(&b);
        let by_name = match (a == b, akin) {
            (true, true) => BY_NAME,
            (true, false) => BY_NAME * 0.2,
            (_, true) => BY_NAME * 0.6 * short.len() as f32 / long.len().max(1) as f32,
            _ => 0.0,
        };
        let by_folder = 1.0 - BY_FOLDER * (1.0 - closeness(&before.path, &after.path));
        let Overlap { lines, alike, alike_by_weight, contained } = overlap;
        let in_it = contained >= CONTAINED && (lines >= SHARED_LINES || akin);
        let is_namesake = a == b
            && [names, new_names].iter().all(|names| names.count(&a) == 1)
            && closeness(&before.path, &after.path) == 1.0
            && lines >= SHARED_LINES
            && alike >= ONE_NAME;
        Candidate {
            old: i,
            new: j,
            overlap,
            score: ((alike + alike_by_weight + contained) / 2.0 + by_name) * by_folder,
            is_sure: is_namesake || alike >= SAME || alike >= RENAMED && alike_by_weight >= RENAMED_BY_WEIGHT,
            is_likely: in_it || akin && alike_by_weight.max(contained / 2.0) >= NAMESAKES,
            is_namesake,
            named_after: likeness_of_names(&before.path, &after.path),
        }
    }
}

/// How many lines of each file of an index, by its place there, were put into one file that stayed, at most.
fn taken_in(
    old: &dyn Tree,
    new: &dyn Tree,
    index: &SketchIndex,
    is_wanted: impl Fn(&dyn Tree, usize) -> bool,
) -> Result<HashMap<usize, usize>, ReadError> {
    let mut most: HashMap<usize, usize> = HashMap::new();
    let before = old.entries();
    for (j, entry) in new.entries().iter().enumerate().filter(|(j, _)| is_wanted(new, *j)) {
        let Ok(i) = before.binary_search_by(|e| e.path.cmp(&entry.path)) else { continue };
        if before[i].digest == entry.digest || !is_wanted(old, i) {
            continue;
        }
        let added = Sketch::of_added(&old.read(i)?, &new.read(j)?);
        for (k, overlap) in index.candidates(&added, |_| 1) {
            let lines = most.entry(k).or_default();
            *lines = overlap.lines.max(*lines);
        }
    }
    Ok(most)
}

/// Finds pairs of alike text files, best first, each file once.
pub(super) fn alike(
    old: &dyn Tree,
    new: &dyn Tree,
    old_left: &[usize],
    new_left: &[usize],
) -> Result<Vec<(usize, usize, f32)>, ReadError> {
    let sketchable = |t: &dyn Tree, k: usize| {
        let e = &t.entries()[k];
        !e.binary && e.size > 0 && e.size <= SKETCH_LIMIT
    };
    let olds: Vec<usize> = old_left.iter().copied().filter(|k| sketchable(old, *k)).collect();
    let news: Vec<usize> = new_left.iter().copied().filter(|k| sketchable(new, *k)).collect();
    if olds.is_empty() || news.is_empty() {
        return Ok(Vec::new());
    }
    let sketches = olds.iter().map(|k| Ok(Sketch::of(&old.read(*k)?))).collect::<Result<Vec<_>, ReadError>>()?;
    let index = SketchIndex::new(sketches);
    let extension = |t: &dyn Tree, k: usize| extension(&t.entries()[k].path);
    let (names, new_names) = (Names::of(old), Names::of(new));
    let sketched = news.iter().map(|j| Ok(Sketch::of(&new.read(*j)?))).collect::<Result<Vec<_>, ReadError>>()?;
    let kinds: HashSet<String> = olds.iter().map(|k| extension(old, *k)).collect();
    let rest = (0..old.entries().len()).filter(|k| {
        old_left.binary_search(k).is_err() && sketchable(old, *k) && kinds.contains(&extension(old, *k))
    });
    let common = Common::of(old, &rest.collect::<Vec<usize>>(), &sketched)?;
    let mut scored: Vec<Candidate> = Vec::new();
    for (j, sketch) in news.into_iter().zip(&sketched) {
        for (k, overlap) in index.candidates(sketch, |hash| common.count(hash)).into_iter().take(CANDIDATES) {
            if extension(old, olds[k]) == extension(new, j) {
                scored.push(Candidate::of([&names, &new_names], (old, olds[k]), (new, j), overlap));
            }
        }
    }
    if scored.iter().any(|one| !one.is_sure) {
        let taken_in =
            taken_in(old, new, &index, |tree, k| sketchable(tree, k) && kinds.contains(&extension(tree, k)))?;
        let elsewhere: HashMap<usize, usize> = taken_in.into_iter().map(|(k, lines)| (olds[k], lines)).collect();
        let lines = |old: usize| elsewhere.get(&old).copied().unwrap_or(0);
        scored.retain(|one| one.is_sure || lines(one.old) < one.overlap.lines * TAKEN_IN);
    }
    Ok(chosen(scored))
}

/// The pairs that are sure, or likely with no other near: best first, each file once.
fn chosen(mut scored: Vec<Candidate>) -> Vec<(usize, usize, f32)> {
    scored.sort_by(|a, b| {
        let by_score = b.score.total_cmp(&a.score).then((a.old, a.new).cmp(&(b.old, b.new)));
        b.is_namesake.cmp(&a.is_namesake).then(by_score)
    });
    // Of twins that a new file may be, the one that it is named after is meant.
    let mut named: HashMap<usize, Vec<&Candidate>> = HashMap::new();
    for one in scored.iter().filter(|one| one.named_after.is_some()) {
        named.entry(one.new).or_default().push(one);
    }
    let is_twin_of_named = |one: &Candidate| {
        let is_meant = |other: &&Candidate| {
            // A file that was put together of two has no line from both.
            let is_twin = one.overlap.of_both() + other.overlap.of_both() > 1.0;
            other.named_after > one.named_after && other.score >= one.score * RIVAL && is_twin
        };
        named.get(&one.new).is_some_and(|others| others.iter().any(is_meant))
    };
    // The two best scores of each file, on either side.
    let mut best: [BTreeMap<usize, [f32; 2]>; 2] = Default::default();
    for one in &scored {
        for (best, k) in best.iter_mut().zip([one.old, one.new]) {
            let [first, second] = best.entry(k).or_default();
            *second = second.max(first.min(one.score));
            *first = first.max(one.score);
        }
    }
    let (mut used_old, mut used_new) = (HashSet::new(), HashSet::new());
    let mut found = Vec::new();
    for one in &scored {
        let others = best.iter().zip([one.old, one.new]).filter_map(|(best, k)| best.get(&k));
        let rival = others.map(|best| if best[0] == one.score { best[1] } else { best[0] }).fold(0.0, f32::max);
        let is_pair = !is_twin_of_named(one) && (one.is_sure || one.is_likely && rival < one.score * RIVAL);
        if is_pair && !used_old.contains(&one.old) && !used_new.contains(&one.new) {
            used_old.insert(one.old);
            used_new.insert(one.new);
            found.push((one.old, one.new, one.overlap.alike));
        }
    }
    found
}
