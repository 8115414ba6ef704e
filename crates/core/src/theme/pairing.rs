//! Which file of one tree is which of another: by path, by bytes, by content.
//!
//! Renames of changed files are found by sketches over an index (see [`alike`]), so the work is linear in the number of
//! files.

use std::collections::{BTreeMap, HashSet};

use unicode_normalization::UnicodeNormalization;

use super::alike::alike;
use super::names::{closeness, file_name};
use super::{Digest, Entry, ReadError, Tree};

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
