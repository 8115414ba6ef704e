//! The nearest known message to a new one: an index by words and letters, so that each look-up meets only messages
//! that share something rare.
//!
//! Similarity is Dice's coefficient over groups of three letters (L. R. Dice, "Measures of the Amount of Ecologic
//! Association Between Species", 1945), which is blind to the order of sentences and forgiving about endings.

use std::collections::HashMap;

/// Below this similarity, messages have nothing to do with each other.
const LEAST: f64 = 0.6;
/// Features that more messages than this have tell nothing.
const COMMON: usize = 120;
/// How many of its rarest features find the candidates for a message.
const LOOKED_UP: usize = 6;

/// Finds the nearest among some messages.
#[derive(Debug, Default)]
pub struct Nearest {
    /// The messages that have a feature.
    by_feature: HashMap<u64, Vec<u32>>,
    grams: Vec<Vec<u64>>,
}

impl Nearest {
    /// Takes a message in, by its index: they count from 0.
    pub fn add(&mut self, text: &[u8]) {
        let index = self.grams.len() as u32;
        for feature in features(text) {
            let list = self.by_feature.entry(feature).or_default();
            // One more shows that it is common.
            if list.len() <= COMMON {
                list.push(index);
            }
        }
        self.grams.push(grams(text));
    }

    /// The nearest message and how alike it is, from 0 to 1; the first of equals. `None` where nothing is near.
    pub fn find(&self, text: &[u8]) -> Option<(usize, f64)> {
        let mut lists: Vec<(usize, u64, &Vec<u32>)> = features(text)
            .into_iter()
            .filter_map(|f| self.by_feature.get(&f).map(|list| (list.len(), f, list)))
            .filter(|(count, ..)| *count <= COMMON)
            .collect();
        lists.sort_unstable_by_key(|(count, feature, _)| (*count, *feature));
        let mut candidates: Vec<u32> =
            lists.iter().take(LOOKED_UP).flat_map(|(.., list)| list.iter().copied()).collect();
        candidates.sort_unstable();
        candidates.dedup();
        let own = grams(text);
        let mut best: Option<(usize, f64)> = None;
        for k in candidates {
            let other = &self.grams[k as usize];
            let longest_common = own.len().min(other.len());
            let most = 2.0 * longest_common as f64 / (own.len() + other.len()).max(1) as f64;
            if most < LEAST || best.is_some_and(|(_, score)| most <= score) {
                continue;
            }
            let score = dice(&own, other);
            if score >= LEAST && best.is_none_or(|(_, found)| score > found) {
                best = Some((k as usize, score));
            }
        }
        best
    }
}

/// How alike two messages are, from 0 to 1.
pub fn similarity(a: &[u8], b: &[u8]) -> f64 {
    dice(&grams(a), &grams(b))
}

/// The share of groups that two sorted lists have in common.
fn dice(a: &[u64], b: &[u64]) -> f64 {
    let (mut i, mut j, mut common) = (0, 0, 0usize);
    while i < a.len() && j < b.len() {
        match a[i].cmp(&b[j]) {
            std::cmp::Ordering::Less => i += 1,
            std::cmp::Ordering::Greater => j += 1,
            std::cmp::Ordering::Equal => (i, j, common) = (i + 1, j + 1, common + 1),
        }
    }
    if a.is_empty() && b.is_empty() { 1.0 } else { 2.0 * common as f64 / (a.len() + b.len()) as f64 }
}

/// The text in small letters, with one blank between words and around.
fn plain(text: &[u8]) -> Vec<char> {
    let mut out = vec![' '];
    for letter in String::from_utf8_lossy(text).chars().flat_map(char::to_lowercase) {
        match letter.is_whitespace() {
            true if out.last() == Some(&' ') => {}
            true => out.push(' '),
            false => out.push(letter),
        }
    }
    if out.last() != Some(&' ') {
        out.push(' ');
    }
    out
}

fn number(letters: &[char]) -> u64 {
    letters.iter().fold(0xcbf2_9ce4_8422_2325, |hash, c| (hash ^ *c as u64).wrapping_mul(0x0100_0000_01b3))
}

/// All groups of three letters, sorted.
fn grams(text: &[u8]) -> Vec<u64> {
    let mut out: Vec<u64> = plain(text).windows(3).map(number).collect();
    out.sort_unstable();
    out
}

/// What finds a message: its words; for short ones, and where words are not parted, groups of letters too.
fn features(text: &[u8]) -> Vec<u64> {
    let letters = plain(text);
    let words = letters.split(|c| !c.is_alphanumeric()).filter(|w| !w.is_empty());
    let mut out: Vec<u64> = words.clone().map(number).collect();
    if letters.len() <= 40 || words.clone().any(|w| w.len() > 24) {
        out.extend(letters.windows(4).map(number));
    }
    out.sort_unstable();
    out.dedup();
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_reworded_message_is_found_and_a_stranger_is_not() {
        let mut index = Nearest::default();
        for text in ["Read more", "Opening hours of the mill", "No exhibits found.", "Tickets", "保存する内容"]
        {
            index.add(text.as_bytes());
        }
        let near = |text: &str| index.find(text.as_bytes()).map(|(k, _)| k);
        assert_eq!(near("Read more …"), Some(0));
        assert_eq!(near("Opening times of the mill"), Some(1));
        assert_eq!(near("no exhibit found"), Some(2));
        assert_eq!(near("Ticket"), Some(3));
        assert_eq!(near("保存した内容"), None, "half of the letters are other ones");
        assert_eq!(near("保存する内容。"), Some(4));
        assert_eq!(near("Directions"), None);
        assert_eq!(near(""), None);
        assert!(similarity(b"a b", b"A  b") > 0.99);
    }
}
