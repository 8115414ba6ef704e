//! Which release a copy comes from: prints of releases, and ranking them by how much of a copy they explain.
//!
//! A [`Print`] holds what the comparison needs of a release (digests, and a number for every line), so that no
//! archive has to be read again. A copy that a site edited differs from its own release in the edits alone, and
//! from every other release in the edits and in what the vendor changed: the nearest release is the one.

use serde::{Deserialize, Serialize};

use crate::text::{Text, split_lines};
use crate::theme::{Digest, Layout, ReadError, Tree, find_stamp};

/// What is known of one file of a release without reading it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FilePrint {
    /// Path from the theme's root.
    pub path: String,
    /// Digest of the bytes.
    pub digest: Digest,
    /// The stamp in its head.
    pub stamp: Option<String>,
    /// A number for every line that is not blank, blind to indentation, the stamp's line left out; sorted. Empty
    /// for binary files.
    pub lines: Vec<u32>,
}

/// What is known of a theme without reading it. Files are sorted by path.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Print {
    /// The files.
    pub files: Vec<FilePrint>,
}

/// How well a release explains a copy.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Fit {
    /// The release, as an index into the list that was ranked.
    pub release: usize,
    /// Files that are the same, byte for byte.
    pub identical: usize,
    /// Files of the same path with other content.
    pub similar: usize,
    /// Files of the release that the copy lacks.
    pub missing: usize,
    /// Files that only the copy has.
    pub own: usize,
    /// How many lines differ (a binary file counts as one).
    pub differing: usize,
    /// The share of the copy's lines that stand in the release, from 0 to 1.
    pub explained: f32,
}

/// A number for a line: FNV-1a (Fowler, Noll, Vo), 32 bits.
fn line_number(line: &[u8]) -> u32 {
    line.iter().fold(0x811C_9DC5, |hash, byte| (hash ^ u32::from(*byte)).wrapping_mul(0x0100_0193))
}

/// Numbers the lines of a text; empty for binary content.
pub fn line_numbers(bytes: &[u8], stamp: Option<usize>) -> Vec<u32> {
    let Some(text) = Text::decode(bytes) else { return Vec::new() };
    let lines = split_lines(&text.body);
    let solid = lines.iter().enumerate().filter(|(k, l)| !l.is_blank() && Some(*k) != stamp);
    let mut numbers: Vec<u32> = solid.map(|(_, l)| line_number(l.trimmed())).collect();
    numbers.sort_unstable();
    numbers
}

impl FilePrint {
    /// Prints one file.
    pub fn of(path: &str, digest: Digest, bytes: Option<&[u8]>, layout: &Layout) -> Self {
        let stamp = bytes.and_then(|b| find_stamp(b, layout.stamp.as_deref()));
        let lines = bytes.map(|b| line_numbers(b, stamp.as_ref().map(|s| s.line))).unwrap_or_default();
        FilePrint { path: path.to_string(), digest, stamp: stamp.map(|s| s.version), lines }
    }

    /// How many lines count as this file's.
    fn weight(&self) -> usize {
        self.lines.len().max(1)
    }

    /// How many lines were taken out and put in between this file and another: the larger of the two.
    pub fn distance(&self, other: &FilePrint) -> usize {
        if self.digest == other.digest {
            return 0;
        }
        if self.lines.is_empty() || other.lines.is_empty() {
            return self.weight().max(other.weight());
        }
        let common = common(&self.lines, &other.lines);
        (self.lines.len() - common).max(other.lines.len() - common)
    }

    /// How alike the lines of two files are, from 0 to 1.
    pub fn similarity(&self, other: &FilePrint) -> f32 {
        1.0 - self.distance(other) as f32 / self.weight().max(other.weight()) as f32
    }
}

/// How many numbers two sorted lists share.
fn common(a: &[u32], b: &[u32]) -> usize {
    let (mut i, mut j, mut n) = (0, 0, 0);
    while i < a.len() && j < b.len() {
        match a[i].cmp(&b[j]) {
            std::cmp::Ordering::Less => i += 1,
            std::cmp::Ordering::Greater => j += 1,
            std::cmp::Ordering::Equal => (i, j, n) = (i + 1, j + 1, n + 1),
        }
    }
    n
}

impl Print {
    /// Prints a theme, reading every text in it once.
    ///
    /// # Errors
    ///
    /// When a file cannot be read.
    pub fn of(tree: &dyn Tree, layout: &Layout) -> Result<Self, ReadError> {
        use rayon::prelude::*;
        let files = tree.entries().par_iter().enumerate().map(|(k, entry)| {
            let bytes = if entry.binary { None } else { Some(tree.read(k)?) };
            Ok(FilePrint::of(&entry.path, entry.digest, bytes.as_deref(), layout))
        });
        Ok(Print { files: files.collect::<Result<_, ReadError>>()? })
    }

    /// Finds a file by its path.
    pub fn find(&self, path: &str) -> Option<&FilePrint> {
        self.files.binary_search_by(|f| f.path.as_str().cmp(path)).ok().map(|k| &self.files[k])
    }

    /// Tells how well a release explains this copy.
    fn fit(&self, index: usize, release: &Print) -> Fit {
        let mut fit =
            Fit { release: index, identical: 0, similar: 0, missing: 0, own: 0, differing: 0, explained: 0.0 };
        let (mut explained, mut all) = (0, 0);
        for file in &self.files {
            all += file.weight();
            match release.find(&file.path) {
                Some(other) if other.digest == file.digest => {
                    fit.identical += 1;
                    explained += file.weight();
                }
                Some(other) => {
                    fit.similar += 1;
                    fit.differing += file.distance(other);
                    explained += common(&file.lines, &other.lines);
                }
                None => {
                    fit.own += 1;
                    fit.differing += file.weight();
                }
            }
        }
        for file in release.files.iter().filter(|f| self.find(&f.path).is_none()) {
            fit.missing += 1;
            fit.differing += file.weight();
        }
        fit.explained = explained as f32 / all.max(1) as f32;
        fit
    }
}

/// Ranks releases by how few lines differ between them and a copy, best first; of equals, the order given.
pub fn rank(site: &Print, releases: &[&Print]) -> Vec<Fit> {
    use rayon::prelude::*;
    let mut fits: Vec<Fit> = releases.par_iter().enumerate().map(|(k, release)| site.fit(k, release)).collect();
    fits.sort_by_key(|f| (f.differing, f.release));
    fits
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::theme::MemoryTree;
    use proptest::prelude::*;

    /// A theme of which a release changed one line of one file.
    fn release(version: usize) -> MemoryTree {
        MemoryTree::new((0..20).map(|f| {
            let text: String = (0..10)
                .map(|l| {
                    let changed = (0..=version).rev().find(|v| v % 20 == f && v % 10 == l).unwrap_or(0);
                    format!("line {l} of {f} as of {changed}\n")
                })
                .collect();
            (format!("part-{f}.html"), format!("{{# t {version}.0 #}}\n{text}"))
        }))
    }

    proptest! {
        #[test]
        fn a_copy_with_half_its_files_edited_finds_its_release(version in 0..30usize, seed in 0..1000usize) {
            let mut files: Vec<(String, Vec<u8>)> = Vec::new();
            let own = release(version);
            for (k, entry) in own.entries().iter().enumerate() {
                let mut bytes = own.read(k).unwrap();
                if (k + seed) % 2 == 0 {
                    bytes.extend(format!("own line {seed}\n").bytes());
                }
                files.push((entry.path.clone(), bytes));
            }
            let layout = Layout::default();
            let prints: Vec<Print> = (0..30).map(|v| Print::of(&release(v), &layout).unwrap()).collect();
            let site = Print::of(&MemoryTree::new(files), &layout).unwrap();
            let fits = rank(&site, &prints.iter().collect::<Vec<_>>());
            prop_assert_eq!(fits[0].release, version);
            prop_assert!(fits[0].differing < fits[1].differing);
        }
    }

    #[test]
    fn a_fit_counts_files() {
        let layout = Layout::default();
        let print = |files: &[(&str, &str)]| Print::of(&MemoryTree::new(files.to_vec()), &layout).unwrap();
        let site = print(&[("a", "one\ntwo\n"), ("b", "same\n"), ("own", "x\n")]);
        let fit = rank(&site, &[&print(&[("a", "one\n2\n3\n"), ("b", "same\n"), ("gone", "y\nz\n")])])[0];
        assert_eq!((fit.identical, fit.similar, fit.missing, fit.own, fit.differing), (1, 1, 1, 1, 2 + 2 + 1));
        assert!((fit.explained - 0.5).abs() < 0.01, "{}", fit.explained);
    }
}
