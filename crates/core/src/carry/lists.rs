//! Lists of settings that nothing names, and so are one value: what the changes of both sides make of their words.

use std::collections::{HashMap, HashSet};

/// The words of a text, in order.
pub(super) fn words_in(text: &str) -> impl Iterator<Item = String> {
    let words = text.split(|c: char| !(c.is_alphanumeric() || matches!(c, '_' | '-')));
    words.filter(|word| !word.is_empty()).map(String::from)
}

/// The words of a value that stand in it more or less often than the changes of both sides make it, or where the
/// release's may be `held` off, the site's alone.
pub(super) fn unaccounted(versions: [Option<&String>; 4], held: bool) -> HashSet<String> {
    let counts = versions.map(|value| {
        let mut counts: HashMap<String, i64> = HashMap::new();
        value.into_iter().flat_map(|value| words_in(value)).for_each(|word| *counts.entry(word).or_default() += 1);
        counts
    });
    let is_wrong = |word: &&String| {
        let [b, s, r, x] = counts.each_ref().map(|counts| counts.get(*word).copied().unwrap_or(0));
        let sum = s + r - b;
        // What both did alike may have been the same.
        let once = if s < b { s.min(r) } else { s.max(r) };
        let alike = (s - b).signum() == (r - b).signum();
        let other = match (alike, held) {
            (_, true) => s,
            (true, false) => once,
            (false, false) => sum,
        };
        x < sum.min(other) || sum.max(other) < x
    };
    let words: HashSet<&String> = counts.iter().flat_map(HashMap::keys).collect();
    words.into_iter().filter(is_wrong).cloned().collect()
}

/// A list may be merged item by item, and then be neither side's.
pub(super) fn is_list(value: Option<&String>) -> bool {
    value.is_some_and(|v| v.starts_with('['))
}
