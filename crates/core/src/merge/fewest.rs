//! As few questions as are needed: what a check of the whole result finds is mended by asking, but not about everything.

use std::collections::BTreeSet;

use super::lines::MergedLines;

/// How often fewer questions are tried, and how many bytes at most are merged in all that.
const MOST_TRIES: usize = 32;
const MOST_TRIED: usize = 4 << 20;

/// How often three versions of a text may be merged anew with fewer questions.
pub(super) fn tries_for(versions: [&[u8]; 3]) -> usize {
    let bytes: usize = versions.into_iter().map(<[u8]>::len).sum();
    MOST_TRIES.min(MOST_TRIED / bytes.max(1))
}

/// Asks about fewer and fewer edits, as long as that gives a merge: without a half of them first, and then without ever
/// smaller parts; those in `kept` stay. This is the first half of the minimizing delta debugging of A. Zeller and
/// R. Hildebrandt, "Simplifying and Isolating Failure-Inducing Input" (IEEE Transactions on Software Engineering 28(2),
/// 2002). `tries` says how often `ask` may be called.
pub(super) fn fewest(
    (mut merged, asked): (MergedLines, BTreeSet<usize>),
    kept: &BTreeSet<usize>,
    mut tries: usize,
    ask: impl Fn(&BTreeSet<usize>) -> Option<MergedLines>,
) -> MergedLines {
    let mut others: Vec<usize> = asked.difference(kept).copied().collect();
    let mut size = others.len() + 1;
    while size > 1 && tries > 0 {
        size = size.div_ceil(2);
        let mut at = 0;
        while at < others.len() && tries > 0 {
            tries -= 1;
            let end = (at + size).min(others.len());
            let fewer = [&others[..at], &others[end..]].concat();
            match ask(&fewer.iter().chain(kept).copied().collect()) {
                Some(better) => (merged, others) = (better, fewer),
                None => at = end,
            }
        }
    }
    merged
}

#[cfg(test)]
mod tests {
    use std::cell::RefCell;

    use super::*;
    use crate::merge::checked::Versions;
    use crate::merge::{Dialect, MergeOptions};

    #[test]
    fn only_what_must_be_asked_is_and_what_was_to_stay() {
        let (dialect, options) = (Dialect::default(), MergeOptions::default());
        let merge = || Versions::new([b""; 3], &dialect, &options).merge(&[]);
        let found = |needed: &[usize], kept: &[usize], tries: usize| {
            let accepted = RefCell::new((0..20).collect());
            let ask = |edits: &BTreeSet<usize>| {
                let holds = needed.iter().all(|edit| edits.contains(edit));
                holds.then(|| *accepted.borrow_mut() = edits.clone())?;
                Some(merge())
            };
            fewest((merge(), (0..20).collect()), &kept.iter().copied().collect(), tries, ask);
            accepted.into_inner().into_iter().collect::<Vec<usize>>()
        };
        assert_eq!(found(&[3, 4, 17], &[9], 100), [3, 4, 9, 17]);
        assert_eq!(found(&[], &[9], 100), [9]);
        assert_eq!(found(&[13], &[], 1).len(), 9, "as far as it may be tried");
        assert_eq!(found(&[3], &[], 0).len(), 20);
    }
}
