//! Similarity: of two lines by their words, of two files by sketches.

use std::collections::{HashMap, HashSet};
use std::hash::BuildHasher;

use foldhash::fast::FixedState;

use crate::text::token::{TokenKind, tokens};

/// A line's words, hashed and sorted, ready to be compared with others.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct WordBag {
    words: Vec<u32>,
    marks: Vec<u32>,
}

impl WordBag {
    /// Reads the words of a text. Words also count by their parts (`nav-link` as `nav` and `link`).
    pub fn of(text: &[u8]) -> Self {
        let hasher = FixedState::with_seed(7);
        let (mut words, mut marks) = (Vec::new(), Vec::new());
        for token in tokens(text) {
            let hash = hasher.hash_one(token.text) as u32;
            match token.kind {
                TokenKind::Word => words.push(hash),
                TokenKind::Mark => marks.push(hash),
            }
        }
        words.sort_unstable();
        marks.sort_unstable();
        WordBag { words, marks }
    }

    /// Returns how alike two texts are, from 0 (nothing in common) to 1 (the same words).
    ///
    /// The Dice coefficient over the multisets of tokens; punctuation counts a quarter of a word.
    pub fn similarity(&self, other: &WordBag) -> f32 {
        let words = common(&self.words, &other.words) as f32;
        let marks = common(&self.marks, &other.marks) as f32;
        let size =
            (self.words.len() + other.words.len()) as f32 + (self.marks.len() + other.marks.len()) as f32 / 4.0;
        if size == 0.0 { 1.0 } else { 2.0 * (words + marks / 4.0) / size }
    }

    /// Tells whether two texts have the same words, whatever marks stand between them.
    pub fn same_words(&self, other: &WordBag) -> bool {
        self.words == other.words && !self.words.is_empty()
    }

    /// Tells whether one of two texts has all words of the other.
    pub fn includes_or_is_in(&self, other: &WordBag) -> bool {
        common(&self.words, &other.words) == self.words.len().min(other.words.len())
    }

    /// Returns the number of words.
    pub fn word_count(&self) -> usize {
        self.words.len()
    }
}

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

/// How many hashes a file's sketch holds at most.
const SKETCH: usize = 256;

/// A small sample of a file's lines that tells how much two files have in common.
///
/// Bottom-k sketch: the k smallest hashes of the set of lines. Source: Cohen and Kaplan, "Summarizing data
/// using bottom-k sketches", PODC 2007.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Sketch {
    hashes: Vec<u64>,
    lines: usize,
}

impl Sketch {
    /// Sketches a text; lines are taken blind to indentation, and lines that say little are left out.
    pub fn of(text: &[u8]) -> Self {
        Self::of_hashes(line_hashes(text))
    }

    /// Sketches those lines of a text that an older one does not have.
    pub fn of_added(old: &[u8], new: &[u8]) -> Self {
        let known: HashSet<u64, FixedState> = line_hashes(old).collect();
        Self::of_hashes(line_hashes(new).filter(|hash| !known.contains(hash)))
    }

    fn of_hashes(hashes: impl Iterator<Item = u64>) -> Self {
        let mut hashes: Vec<u64> = hashes.collect();
        hashes.sort_unstable();
        hashes.dedup();
        let lines = hashes.len();
        hashes.truncate(SKETCH);
        Sketch { hashes, lines }
    }

    /// Returns the sampled hashes, smallest first.
    pub fn hashes(&self) -> &[u64] {
        &self.hashes
    }

    /// Returns how alike two files are, from 0 (no line in common) to 1 (the same lines): the Dice coefficient.
    pub fn similarity(&self, other: &Sketch) -> f32 {
        self.overlap(other, |_| 1.0).alike
    }

    /// Returns what two files have in common. `weight` is what a line counts for, by its hash.
    pub fn overlap(&self, other: &Sketch, weight: impl Fn(u64) -> f32) -> Overlap {
        if self.lines == 0 || other.lines == 0 {
            return Overlap::default();
        }
        // Both sketches are complete below the smaller of their largest hashes.
        let bound = match (self.lines > SKETCH, other.lines > SKETCH) {
            (false, false) => u64::MAX,
            (true, false) => *self.hashes.last().unwrap_or(&u64::MAX),
            (false, true) => *other.hashes.last().unwrap_or(&u64::MAX),
            (true, true) => self.hashes[SKETCH - 1].min(other.hashes[SKETCH - 1]),
        };
        let below = |s: &Sketch| s.hashes.partition_point(|h| *h <= bound);
        let (a, b) = (&self.hashes[..below(self)], &other.hashes[..below(other)]);
        let (mut i, mut j, mut both, mut shared) = (0, 0, 0usize, 0.0);
        while i < a.len() && j < b.len() {
            match a[i].cmp(&b[j]) {
                std::cmp::Ordering::Less => i += 1,
                std::cmp::Ordering::Greater => j += 1,
                std::cmp::Ordering::Equal => {
                    shared += weight(a[i]);
                    (i, j, both) = (i + 1, j + 1, both + 1);
                }
            }
        }
        let whole = |hashes: &[u64]| hashes.iter().map(|h| weight(*h)).sum::<f32>();
        let (whole_a, whole_b) = (whole(a), whole(b));
        Overlap {
            lines: both,
            alike: 2.0 * both as f32 / (a.len() + b.len()).max(1) as f32,
            alike_by_weight: 2.0 * shared / (whole_a + whole_b).max(f32::MIN_POSITIVE),
            contained: shared / whole_a.min(whole_b).max(f32::MIN_POSITIVE),
        }
    }
}

/// The hashes of a text's lines, blind to indentation, without those that say little.
fn line_hashes(text: &[u8]) -> impl Iterator<Item = u64> {
    let hasher = FixedState::with_seed(11);
    text.split(|b| *b == b'\n' || *b == b'\r')
        .map(<[u8]>::trim_ascii)
        .filter(|l| l.iter().filter(|b| b.is_ascii_alphanumeric() || **b >= 0x80).count() >= 3)
        .map(move |l| hasher.hash_one(l))
}

/// What two files have in common.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Overlap {
    /// How many lines, of those that were sampled.
    pub lines: usize,
    /// The Dice coefficient of their lines, from 0 to 1.
    pub alike: f32,
    /// The same by the weight of the lines.
    pub alike_by_weight: f32,
    /// How much of the smaller one is in the other, by the weight of its lines, from 0 to 1.
    pub contained: f32,
}

impl Overlap {
    /// Which share of all the lines of both files they have in common, from 0 to 1: the Jaccard index.
    pub fn of_both(&self) -> f32 {
        self.alike / (2.0 - self.alike)
    }
}

/// An index that finds the most similar sketch without comparing all pairs.
#[derive(Debug, Default)]
pub struct SketchIndex {
    sketches: Vec<Sketch>,
    by_hash: HashMap<u64, Vec<u32>, FixedState>,
}

/// A line in more files than this tells nothing about which of them is meant.
const TOO_COMMON: usize = 24;

impl SketchIndex {
    /// Builds the index over a list of sketches.
    pub fn new(sketches: Vec<Sketch>) -> Self {
        let mut by_hash: HashMap<u64, Vec<u32>, FixedState> = HashMap::default();
        for (k, sketch) in sketches.iter().enumerate() {
            for hash in &sketch.hashes {
                by_hash.entry(*hash).or_default().push(k as u32);
            }
        }
        SketchIndex { sketches, by_hash }
    }

    /// Returns the indices of the candidates that share lines with a sketch, each with what they have in common, the
    /// best first (ties by index). The more of the index's files have a line, and the more others by `others`, the
    /// less it counts.
    pub fn candidates(&self, sketch: &Sketch, others: impl Fn(u64) -> usize) -> Vec<(usize, Overlap)> {
        let mut found: Vec<u32> = sketch
            .hashes
            .iter()
            .filter_map(|h| self.by_hash.get(h))
            .filter(|list| list.len() <= TOO_COMMON)
            .flatten()
            .copied()
            .collect();
        found.sort_unstable();
        found.dedup();
        let weight = |hash: u64| 1.0 / self.by_hash.get(&hash).map_or(1, Vec::len).max(others(hash)).max(1) as f32;
        let overlap = |k: u32| self.sketches[k as usize].overlap(sketch, weight);
        let mut scored: Vec<(usize, Overlap)> = found.into_iter().map(|k| (k as usize, overlap(k))).collect();
        let rank = |overlap: &Overlap| overlap.alike + overlap.contained;
        scored.sort_by(|a, b| rank(&b.1).total_cmp(&rank(&a.1)).then(a.0.cmp(&b.0)));
        scored
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn similarity_grows_with_common_words() {
        let bag = |t: &str| WordBag::of(t.as_bytes());
        let link = bag("<a class=\"nav\" href=\"/\">Home</a>");
        let close = link.similarity(&bag("<a class=\"nav\" href=\"/start\">Home</a>"));
        let far = link.similarity(&bag("<p>Opening hours</p>"));
        assert!(close > 0.8 && far < 0.4, "{close} {far}");
    }

    #[test]
    fn the_index_finds_the_renamed_file() {
        let file = |n: usize| (0..400).map(|l| format!("line {l} of file {n}\n")).collect::<String>();
        let index = SketchIndex::new((0..50).map(|n| Sketch::of(file(n).as_bytes())).collect());
        let edited = file(17).replace("line 3 ", "changed 3 ");
        let found = index.candidates(&Sketch::of(edited.as_bytes()), |_| 0);
        assert_eq!(found[0].0, 17);
        assert!(found[0].1.alike > 0.95);
    }
}
