//! Items of lists that nothing names: which of one version is which of another.

use std::collections::{HashMap, HashSet};
use std::ops::Range;

use crate::diff::longest_increasing;

/// An item of a list, as it compares.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Told {
    /// All that it says.
    pub(crate) value: String,
    /// The same, part by part: what a group's keys say.
    pub(crate) parts: Vec<String>,
}

/// So many pairs of items between two that stayed are compared at most.
const MOST_PAIRS: usize = 4096;

/// Gives the items of base, site and release names, each once in a version: one name to an item that a side changed,
/// wherever it is. An item is another one changed where it stands between the same neighbours and has at least half of
/// its parts, and no other there is as like it.
///
/// `None` where the items cannot be told apart: one stands twice, the site gave them another order, it cannot be said
/// which became which, or both put in ones that are much alike.
pub(crate) fn names(lists: [&[Told]; 3]) -> Option<[Vec<String>; 3]> {
    let places = lists.map(|list| list.iter().enumerate().map(|(k, item)| (item.value.as_str(), k)));
    let places: [HashMap<&str, usize>; 3] = places.map(Iterator::collect);
    if places.iter().zip(lists).any(|(places, list)| places.len() != list.len()) {
        return None;
    }
    let mut names = lists.map(|list| list.iter().map(|item| item.value.clone()).collect::<Vec<_>>());
    let [base, ..] = lists;
    for side in [1, 2] {
        for (b, k) in changed([base, lists[side]], [&places[0], &places[side]], side == 1)? {
            names[side][k].clone_from(&base[b].value);
        }
    }
    let before: HashSet<&str> = names[0].iter().map(String::as_str).collect();
    let [own, theirs] = [1, 2].map(|side| {
        let is_new = |(k, _): &(usize, &Told)| !before.contains(names[side][*k].as_str());
        lists[side].iter().enumerate().filter(is_new).map(|(_, item)| item).collect::<Vec<_>>()
    });
    let mut pairs = own.iter().flat_map(|own| theirs.iter().map(move |theirs| (own, theirs)));
    let twice =
        own.len() * theirs.len() > MOST_PAIRS || pairs.any(|(own, theirs)| own != theirs && alike(own, theirs));
    (!twice).then_some(names)
}

/// The items of the base that a side changed, each with the one that it became.
fn changed(
    [base, side]: [&[Told]; 2],
    [in_base, in_side]: [&HashMap<&str, usize>; 2],
    in_order: bool,
) -> Option<Vec<(usize, usize)>> {
    let stayed: Vec<(usize, usize)> =
        base.iter().enumerate().filter_map(|(b, item)| Some((b, *in_side.get(item.value.as_str())?))).collect();
    let steady = longest_increasing(&stayed);
    if in_order && steady.len() != stayed.len() {
        return None;
    }
    let mut out = Vec::new();
    let mut from = (0, 0);
    for to in steady.into_iter().chain([(base.len(), side.len())]) {
        let only = |range: Range<usize>, list: &[Told], other: &HashMap<&str, usize>| -> Vec<usize> {
            range.filter(|k| !other.contains_key(list[*k].value.as_str())).collect()
        };
        let (gone, new) = (only(from.0..to.0, base, in_side), only(from.1..to.1, side, in_base));
        if gone.len() * new.len() > MOST_PAIRS {
            return None;
        }
        let found = out.len();
        for b in &gone {
            let Some(k) = most_alike(&base[*b], side, &new).ok()? else { continue };
            // It must be the one that is most like that, too.
            if most_alike(&side[k], base, &gone).ok()? == Some(*b) {
                out.push((*b, k));
            }
        }
        if in_order && !out[found..].is_sorted_by_key(|(_, k)| *k) {
            return None;
        }
        from = (to.0 + 1, to.1 + 1);
    }
    Some(out)
}

/// Two items are as like another.
struct Unsure;

/// Which of some items is most like one, if any is.
fn most_alike(item: &Told, list: &[Told], among: &[usize]) -> Result<Option<usize>, Unsure> {
    let mut best: Option<(usize, usize)> = None;
    let mut tied = false;
    for k in among.iter().copied().filter(|k| alike(item, &list[*k])) {
        let common = common(item, &list[k]);
        let most = best.map_or(0, |(common, _)| common);
        tied = common == most || tied && common < most;
        if common > most {
            best = Some((common, k));
        }
    }
    if tied { Err(Unsure) } else { Ok(best.map(|(_, k)| k)) }
}

/// Tells whether two items have at least half of their parts in common.
fn alike(a: &Told, b: &Told) -> bool {
    let common = common(a, b);
    common > 0 && 2 * common >= a.parts.len().max(b.parts.len())
}

fn common(a: &Told, b: &Told) -> usize {
    a.parts.iter().filter(|part| b.parts.contains(part)).count()
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Items of letters, their parts: `ab cd` is two items of two parts.
    fn told(list: &str) -> Vec<Told> {
        let parts = |item: &str| item.chars().map(String::from).collect();
        list.split_whitespace().map(|item| Told { value: item.into(), parts: parts(item) }).collect()
    }

    fn named(base: &str, site: &str, release: &str) -> Option<[String; 3]> {
        let lists = [base, site, release].map(told);
        Some(names([&lists[0], &lists[1], &lists[2]])?.map(|names| names.join(" ")))
    }

    fn is(base: &str, site: &str, release: &str) -> Option<[String; 3]> {
        Some([base, site, release].map(String::from))
    }

    #[test]
    fn an_item_that_a_side_changed_has_the_name_that_it_had() {
        assert_eq!(named("abc def", "abx def", "abc dey"), is("abc def", "abc def", "abc def"));
        assert_eq!(named("abc def", "abx def", "abc ghi def"), is("abc def", "abc def", "abc ghi def"));
        assert_eq!(named("abc", "abx", "ayc"), is("abc", "abc", "abc"), "both changed it");
        assert_eq!(named("abc def", "ghi def", "abc"), is("abc def", "ghi def", "abc"), "another in its place");
        assert_eq!(
            named("abc def ghi jkl", "abx def ghi jkl", "jkl abc dey ghi"),
            is("abc def ghi jkl", "abc def ghi jkl", "jkl abc def ghi")
        );
    }

    #[test]
    fn what_cannot_be_told_apart_has_no_names() {
        for [base, site, release] in [
            ["abc abc", "abc", "abc"],
            ["abc def", "def abc", "abc def"],
            ["abc", "abx aby", "abc"],
            ["abc abd", "abx", "abc abd"],
            ["abc", "abc xyz", "abc xyw"],
        ] {
            assert_eq!(named(base, site, release), None, "{base} | {site} | {release}");
        }
        assert_eq!(named("abc", "abc xyz", "abc xyz"), is("abc", "abc xyz", "abc xyz"), "both put the same in");
    }
}
