//! Which file of one tree is which of another: by path, by bytes, by content.
//!
//! Renames are found by sketches over an index, so the work is linear in the number of files.

use std::collections::{BTreeMap, HashMap, HashSet};

use unicode_normalization::UnicodeNormalization;

use super::kind::extension;
use super::{Digest, Entry, ReadError, Tree};
use crate::diff::sketch::{Overlap, Sketch, SketchIndex};

/// A file in two trees; one side may be missing.
#[derive(Debug, Clone, PartialEq)]
pub struct Pair {
    /// Index in the old tree.
    pub old: Option<usize>,
    /// Index in the new tree.
    pub new: Option<usize>,
    /// The file has another path in the new tree.
    pub renamed: bool,
    /// How alike the two are, from 0 to 1 (1 where only the path tells).
    pub similarity: f32,
}

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
/// A file name that a theme uses this often at most says something.
const TELLING: usize = 3;
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

/// Pairs the files of two trees. Sorted by the old path, then the new.
///
/// # Errors
///
/// When a file that is needed for finding renames cannot be read.
pub fn pair(old: &dyn Tree, new: &dyn Tree) -> Result<Vec<Pair>, ReadError> {
    let (old_entries, new_entries) = (old.entries(), new.entries());
    let mut pairs: Vec<Pair> = Vec::with_capacity(old_entries.len());
    let (mut old_left, mut new_left) = (Vec::new(), Vec::new());
    let (mut i, mut j) = (0, 0);
    while i < old_entries.len() || j < new_entries.len() {
        let order = match (old_entries.get(i), new_entries.get(j)) {
            (Some(a), Some(b)) => a.path.cmp(&b.path),
            (Some(_), None) => std::cmp::Ordering::Less,
            _ => std::cmp::Ordering::Greater,
        };
        match order {
            std::cmp::Ordering::Less => {
                old_left.push(i);
                i += 1;
            }
            std::cmp::Ordering::Greater => {
                new_left.push(j);
                j += 1;
            }
            std::cmp::Ordering::Equal => {
                pairs.push(Pair { old: Some(i), new: Some(j), renamed: false, similarity: 1.0 });
                (i, j) = (i + 1, j + 1);
            }
        }
    }
    let renamed = |i: usize, j: usize, similarity| Pair { old: Some(i), new: Some(j), renamed: true, similarity };

    // The same name in another Unicode form or another case.
    let form = |e: &Entry| e.path.nfc().collect::<String>();
    let folded = |e: &Entry| form(e).to_lowercase();
    for key in [&form as &dyn Fn(&Entry) -> String, &folded] {
        match_by(
            &mut old_left,
            &mut new_left,
            |i| key(&old_entries[i]),
            |j| key(&new_entries[j]),
            |i, j| {
                pairs.push(renamed(i, j, 1.0));
            },
        );
    }
    same_bytes(old_entries, new_entries, &mut old_left, &mut new_left, |i, j| pairs.push(renamed(i, j, 1.0)));
    let filled = |e: &Entry| e.size > 0;
    match_by(
        &mut old_left,
        &mut new_left,
        |i| filled(&old_entries[i]).then_some(old_entries[i].digest).ok_or(i),
        |j| filled(&new_entries[j]).then_some(new_entries[j].digest).ok_or(old_entries.len() + j),
        |i, j| pairs.push(renamed(i, j, 1.0)),
    );
    // Alike in content.
    let found = alike(old, new, &old_left, &new_left)?;
    let (olds, news): (HashSet<usize>, HashSet<usize>) = found.iter().map(|(i, j, _)| (*i, *j)).unzip();
    old_left.retain(|i| !olds.contains(i));
    new_left.retain(|j| !news.contains(j));
    pairs.extend(found.into_iter().map(|(i, j, similarity)| renamed(i, j, similarity)));
    pairs.extend(old_left.iter().map(|i| Pair { old: Some(*i), new: None, renamed: false, similarity: 0.0 }));
    pairs.extend(new_left.iter().map(|j| Pair { old: None, new: Some(*j), renamed: false, similarity: 0.0 }));
    pairs.sort_by_key(|p| (p.old.is_none(), p.old, p.new));
    Ok(pairs)
}

/// Pairs what has the same key and is alone with it on both sides (or comes in the same order).
fn match_by<K: Ord>(
    old: &mut Vec<usize>,
    new: &mut Vec<usize>,
    old_key: impl Fn(usize) -> K,
    new_key: impl Fn(usize) -> K,
    mut found: impl FnMut(usize, usize),
) {
    let mut by_key: BTreeMap<K, Vec<usize>> = BTreeMap::new();
    for j in new.iter().rev() {
        by_key.entry(new_key(*j)).or_default().push(*j);
    }
    let mut taken = HashSet::new();
    old.retain(|i| match by_key.get_mut(&old_key(*i)).and_then(Vec::pop) {
        Some(j) => {
            found(*i, j);
            taken.insert(j);
            false
        }
        None => true,
    });
    new.retain(|j| !taken.contains(j));
}

/// So many files of the same bytes are each compared with all others; of more, the first come.
const SAME_BYTES: usize = 64;

/// Pairs files of the same bytes under other paths: of several, those with the same name, then those in near folders.
fn same_bytes(
    old: &[Entry],
    new: &[Entry],
    old_left: &mut Vec<usize>,
    new_left: &mut Vec<usize>,
    mut found: impl FnMut(usize, usize),
) {
    let by_digest = |entries: &[Entry], left: &[usize]| {
        let mut groups: BTreeMap<Digest, Vec<usize>> = BTreeMap::new();
        for k in left.iter().copied().filter(|k| entries[*k].size > 0) {
            let group = groups.entry(entries[k].digest).or_default();
            if group.len() < SAME_BYTES {
                group.push(k);
            }
        }
        groups
    };
    let news = by_digest(new, new_left);
    let (mut used_old, mut used_new) = (HashSet::new(), HashSet::new());
    for (digest, olds) in by_digest(old, old_left) {
        let Some(news) = news.get(&digest) else { continue };
        let mut all: Vec<(bool, f32, usize, usize)> = Vec::new();
        for i in &olds {
            for j in news {
                let (a, b) = (&old[*i], &new[*j]);
                all.push((file_name(&a.path) == file_name(&b.path), closeness(&a.path, &b.path), *i, *j));
            }
        }
        all.sort_by(|a, b| b.0.cmp(&a.0).then(b.1.total_cmp(&a.1)).then((a.2, a.3).cmp(&(b.2, b.3))));
        for (_, _, i, j) in all {
            if !used_old.contains(&i) && !used_new.contains(&j) {
                used_old.insert(i);
                used_new.insert(j);
                found(i, j);
            }
        }
    }
    old_left.retain(|i| !used_old.contains(i));
    new_left.retain(|j| !used_new.contains(j));
}

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

/// How often a theme uses each file name.
struct Names(BTreeMap<String, usize>);

impl Names {
    fn of(tree: &dyn Tree) -> Self {
        let mut names = BTreeMap::new();
        tree.entries().iter().for_each(|e| *names.entry(file_name(&e.path)).or_default() += 1);
        Names(names)
    }

    /// A name that stands in every folder tells nothing.
    fn is_telling(&self, name: &str) -> bool {
        self.count(name) <= TELLING
    }

    fn count(&self, name: &str) -> usize {
        self.0.get(name).copied().unwrap_or(0)
    }
}

/// A path's file name in lower case.
fn file_name(path: &str) -> String {
    path.rsplit('/').next().unwrap_or(path).to_ascii_lowercase()
}

/// A path's file name without what follows its first dot, in lower case.
fn stem(path: &str) -> String {
    let name = path.rsplit('/').next().unwrap_or(path).trim_start_matches(['_', '.']);
    name.split('.').next().unwrap_or("").to_ascii_lowercase()
}

/// How near two paths' folders are, from 0 to 1: 1 where one stands above the other.
fn closeness(a: &str, b: &str) -> f32 {
    match a.matches('/').count().min(b.matches('/').count()) {
        0 => 1.0,
        shorter => folders_of_both(a, b) as f32 / shorter as f32,
    }
}

/// How many folders two paths begin with in common.
fn folders_of_both(a: &str, b: &str) -> usize {
    let folders = |path| str::rsplit_once(path, '/').map_or("", |(folders, _)| folders).split('/');
    folders(a).zip(folders(b)).take_while(|(a, b)| a == b && !a.is_empty()).count()
}

/// A shorter name within another is chance.
const NAME_LENGTH: usize = 3;

/// The files of an old tree, for telling which of them a new one is named after.
pub(crate) struct OldFiles {
    names: Names,
    /// The path and the stem of each.
    files: Vec<(String, String)>,
}

impl OldFiles {
    /// All files of a tree.
    pub(crate) fn of(tree: &dyn Tree) -> Self {
        let files = tree.entries().iter().map(|e| (e.path.clone(), stem(&e.path))).collect();
        OldFiles { names: Names::of(tree), files }
    }

    /// Tells whether a new file's path says that it came from the old file at a path: one stands above or below the
    /// other, one's name has the other's within it, and no other file is as near. A name that stands in every folder
    /// tells of the next folder alone.
    pub(crate) fn is_named_after(&self, new: &str, old: &str) -> bool {
        let depth = |path: &str| path.matches('/').count();
        let new_name = file_name(new);
        let nearness = |path: &str| {
            let likeness = likeness_of_names(new, path)?;
            Some((likeness, new_name.contains(&file_name(path)), folders_of_both(new, path)))
        };
        let new_stem = stem(new);
        let is_near = |stem: &str| new_stem.contains(stem) || stem.contains(new_stem.as_str());
        let Some(own) = nearness(old) else { return false };
        let mut others = self.files.iter().filter(|(path, stem)| is_near(stem) && path != old);
        (self.names.is_telling(&file_name(old)) || depth(new).abs_diff(depth(old)) <= 1)
            && others.all(|(path, _)| extension(path) != extension(old) || nearness(path).is_none_or(|n| n < own))
    }
}

/// How near the names of two files are of which the paths say that one came from the other: the letters that both have,
/// less those that one has more. `None` where the paths do not say so.
fn likeness_of_names(a: &str, b: &str) -> Option<i64> {
    let (own, other) = (stem(a), stem(b));
    let (short, long) = if own.len() < other.len() { (&own, &other) } else { (&other, &own) };
    let is_within = long.contains(short.as_str()) && (short == long || short.len() >= NAME_LENGTH);
    (closeness(a, b) == 1.0 && is_within).then(|| 2 * short.len() as i64 - long.len() as i64)
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
fn alike(
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
    let mut found: Vec<(usize, usize, f32)> = Vec::new();
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
    for one in &scored {
        let others = best.iter().zip([one.old, one.new]).filter_map(|(best, k)| best.get(&k));
        let rival = others.map(|best| if best[0] == one.score { best[1] } else { best[0] }).fold(0.0, f32::max);
        if !is_twin_of_named(one) && (one.is_sure || one.is_likely && rival < one.score * RIVAL) {
            found.push((one.old, one.new, one.overlap.alike));
        }
    }
    let (mut used_old, mut used_new) = (HashSet::new(), HashSet::new());
    found.retain(|(i, j, _)| {
        let free = !used_old.contains(i) && !used_new.contains(j);
        if free {
            used_old.insert(*i);
            used_new.insert(*j);
        }
        free
    });
    Ok(found)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::theme::MemoryTree;

    fn pairs(old: &[(&str, &str)], new: &[(&str, &str)]) -> Vec<(Option<String>, Option<String>)> {
        let (old, new) = (MemoryTree::new(old.to_vec()), MemoryTree::new(new.to_vec()));
        let path = |t: &MemoryTree, k: Option<usize>| k.map(|k| t.entries()[k].path.clone());
        pair(&old, &new).unwrap().iter().map(|p| (path(&old, p.old), path(&new, p.new))).collect()
    }

    #[test]
    fn files_are_paired_by_path_bytes_and_content() {
        let long: String = (0..20).map(|n| format!("line number {n}\n")).collect();
        let changed = long.replace("number 3\n", "no 3\n");
        let found = pairs(
            &[
                ("a.txt", "same"),
                ("b.png", "bytes"),
                ("c.html", &long),
                ("gone.txt", "x y z"),
                ("Logo.svg", "<svg/>"),
            ],
            &[
                ("a.txt", "other"),
                ("img/b.png", "bytes"),
                ("d.html", &changed),
                ("new.txt", "q"),
                ("logo.svg", "<svg />"),
            ],
        );
        let some = |a: &str, b: &str| (Some(a.to_string()), Some(b.to_string()));
        assert_eq!(
            found,
            [
                some("Logo.svg", "logo.svg"),
                some("a.txt", "a.txt"),
                some("b.png", "img/b.png"),
                some("c.html", "d.html"),
                (Some("gone.txt".into()), None),
                (None, Some("new.txt".into())),
            ]
        );
    }

    #[test]
    fn a_new_file_named_after_a_gone_one_is_not_another_like_it() {
        let look: String = (0..8).map(|n| format!("line {n}\n")).collect();
        let (own, new) = (format!("{look}own 1\nown 2\n"), format!("{look}new\n"));
        for [gone, moved, to] in [
            ["skins/mist/look.css", "skins/tide/look.css", "skins/tide/shared/look.css"],
            ["skins/dark.css", "skins/darkest.css", "skins/shared/new-darkest.css"],
        ] {
            let found = pairs(&[(gone, &look), (moved, &own)], &[(to, &new)]);
            assert_eq!(found, [(Some(gone.into()), None), (Some(moved.into()), Some(to.into()))]);
        }
    }

    #[test]
    fn of_twins_those_in_near_folders_are_one_file() {
        let nav: String = (0..20).map(|n| format!("entry number {n}\n")).collect();
        let changed = nav.replace("number 3\n", "no 3\n");
        let some = |a: &str, b: &str| (Some(a.to_string()), Some(b.to_string()));
        for new in [&nav, &changed] {
            let found = pairs(
                &[("skins/mist/nav.html", &nav), ("skins/tide/nav.html", &nav)],
                &[("skins/mist/shared/new-nav.html", new), ("skins/tide/shared/nav.html", new)],
            );
            let expected = [
                some("skins/mist/nav.html", "skins/mist/shared/new-nav.html"),
                some("skins/tide/nav.html", "skins/tide/shared/nav.html"),
            ];
            assert_eq!(found, expected);
        }
    }

    #[test]
    fn a_file_that_was_put_into_another_is_not_the_new_one_of_a_like_name() {
        let lines = |of: &str, range: std::ops::Range<usize>| -> String {
            range.map(|n| format!("{of} number {n}\n")).collect()
        };
        let (gone, tools) = (lines("wheel", 0..20), lines("tool", 0..20));
        let with_it = format!("{tools}{}", lines("wheel", 0..18));
        let like = format!("{}{}", lines("wheel", 14..20), lines("gear", 0..6));
        let old = [("parts/old-wheel.txt", gone.as_str()), ("parts/tools.txt", &tools)];
        let found = pairs(&old, &[("parts/tools.txt", &with_it), ("parts/wheel.txt", &like)]);
        assert!(found.contains(&(Some("parts/old-wheel.txt".into()), None)), "{found:?}");
        let found = pairs(&old, &[("parts/tools.txt", &tools), ("parts/wheel.txt", &like)]);
        assert!(found.contains(&(Some("parts/old-wheel.txt".into()), Some("parts/wheel.txt".into()))), "{found:?}");
    }

    #[test]
    fn the_one_file_of_a_name_is_the_old_one_of_it_whatever_has_more_of_its_lines() {
        let lines = |of: &str, range: std::ops::Range<usize>| -> String {
            range.map(|n| format!("{of} number {n}\n")).collect()
        };
        let all = lines("gear", 0..40) + &lines("wheel", 0..40);
        let (gone, built) = (lines("gear", 0..40), lines("gear", 0..20) + &lines("wheel", 0..40));
        let rebuilt = lines("gear", 35..40) + &lines("cog", 0..40);
        let old = [("js/all.js", all.as_str()), ("js/gears.js", &gone)];
        let new = [("js/all.js", all.as_str()), ("js/built/gears.js", &rebuilt), ("js/every.js", &built)];
        let found = pairs(&old, &new);
        assert!(found.contains(&(Some("js/gears.js".into()), Some("js/built/gears.js".into()))), "{found:?}");
        let found = pairs(&old, &[&new[..], &[("js/old/gears.js", "nothing")]].concat());
        assert!(!found.contains(&(Some("js/gears.js".into()), Some("js/built/gears.js".into()))), "{found:?}");
    }

    #[test]
    fn a_file_is_named_after_the_nearest_of_the_old_ones() {
        let old = ["a/slider.js", "a/slider.module.js", "index.js", "b/index.js", "c/index.js", "d/index.js"];
        let old = OldFiles::of(&MemoryTree::new(old.map(|path| (path, path)).to_vec()));
        assert!(old.is_named_after("a/shared/new-slider.js", "a/slider.js"));
        assert!(!old.is_named_after("a/shared/new-slider.js", "a/slider.module.js"));
        assert!(!old.is_named_after("a/shared/new-slider.css", "a/slider.js"));
        assert!(old.is_named_after("b/shared/index.js", "b/index.js"));
        assert!(!old.is_named_after("e/f/index.js", "index.js"), "that stands in every folder");
    }

    #[test]
    fn what_all_files_begin_with_pairs_none_of_them() {
        let step = |n: usize, body: &str| {
            let path = format!("steps/{n:02}-step.py");
            (
                path,
                format!(
                    "from mill import steps\n\nclass Step(steps.Step):\n    after = []\n    tasks = [\n{body}    ]\n"
                ),
            )
        };
        let stayed: Vec<_> = (0..9).map(|n| step(n, &format!("        raise_gate({n}),\n"))).collect();
        let owned = |list: &[(String, String)]| -> Vec<(String, String)> { [&stayed[..], list].concat() };
        let (gone, came) = (step(30, "        grind(\"oats\"),\n"), step(41, "        sell_tickets(),\n"));
        let kept: String = (0..4).map(|n| format!("        sweep_floor({n}),\n")).collect();
        let (before, after) = (step(31, &kept), step(42, &kept.replace("floor(3)", "floor(3, twice)")));
        let old = MemoryTree::new(owned(&[gone, before]));
        let new = MemoryTree::new(owned(&[came, after]));
        let found = pair(&old, &new).unwrap();
        let path = |t: &MemoryTree, k: usize| t.entries()[k].path.clone();
        let renamed: Vec<_> = found
            .iter()
            .filter(|p| p.renamed)
            .filter_map(|p| Some((path(&old, p.old?), path(&new, p.new?))))
            .collect();
        assert_eq!(renamed, [("steps/31-step.py".to_string(), "steps/42-step.py".to_string())]);
    }
}
