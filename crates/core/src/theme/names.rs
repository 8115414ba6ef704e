//! What the names of files say: which old file a new one may be named after.

use std::collections::BTreeMap;

use super::Tree;
use super::kind::extension;

/// A file name that a theme uses this often at most says something.
const TELLING: usize = 3;

/// How often a theme uses each file name.
pub(super) struct Names(BTreeMap<String, usize>);

impl Names {
    /// Counts the names of all files.
    pub(super) fn of(tree: &dyn Tree) -> Self {
        let mut names = BTreeMap::new();
        tree.entries().iter().for_each(|e| *names.entry(file_name(&e.path)).or_default() += 1);
        Names(names)
    }

    /// A name that stands in every folder tells nothing.
    pub(super) fn is_telling(&self, name: &str) -> bool {
        self.count(name) <= TELLING
    }

    /// How many files have a name, in lower case.
    pub(super) fn count(&self, name: &str) -> usize {
        self.0.get(name).copied().unwrap_or(0)
    }
}

/// A path's file name in lower case.
pub(super) fn file_name(path: &str) -> String {
    path.rsplit('/').next().unwrap_or(path).to_ascii_lowercase()
}

/// A path's file name without what follows its first dot, in lower case.
pub(super) fn stem(path: &str) -> String {
    let name = path.rsplit('/').next().unwrap_or(path).trim_start_matches(['_', '.']);
    name.split('.').next().unwrap_or("").to_ascii_lowercase()
}

/// How near two paths' folders are, from 0 to 1: 1 where one stands above the other.
pub(super) fn closeness(a: &str, b: &str) -> f32 {
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
pub(super) fn likeness_of_names(a: &str, b: &str) -> Option<i64> {
    let (own, other) = (stem(a), stem(b));
    let (short, long) = if own.len() < other.len() { (&own, &other) } else { (&other, &own) };
    let is_within = long.contains(short.as_str()) && (short == long || short.len() >= NAME_LENGTH);
    (closeness(a, b) == 1.0 && is_within).then(|| 2 * short.len() as i64 - long.len() as i64)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::theme::MemoryTree;

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
}
