//! Items that both sides changed, where it is not their names that tell: the names are what changed.

use std::collections::HashMap;

/// An item of the base that neither side has any more, and what each side has in its place.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Replaced {
    pub(crate) base: usize,
    pub(crate) site: Option<usize>,
    pub(crate) release: Option<usize>,
}

/// Finds the items that both sides took out or changed where at least one has another in their place. By their names
/// alone they would be so many items that went and came, and both sides' would stand beside each other.
///
/// The lists hold the items' names, each once. `None` where it cannot be told which item has taken which one's place.
pub(crate) fn replaced<N: AsRef<str>>(base: &[N], site: &[N], release: &[N]) -> Option<Vec<Replaced>> {
    let [in_base, in_site, in_release] = [base, site, release].map(places);
    let lacks = |places: &HashMap<&str, usize>, name: &N| !places.contains_key(name.as_ref());
    let gone: Vec<usize> =
        (0..base.len()).filter(|k| lacks(&in_site, &base[*k]) && lacks(&in_release, &base[*k])).collect();
    if gone.is_empty() {
        return Some(Vec::new());
    }
    let new = |list: &[N], other: &HashMap<&str, usize>| -> Vec<usize> {
        (0..list.len()).filter(|k| lacks(&in_base, &list[*k]) && lacks(other, &list[*k])).collect()
    };
    let (site_new, release_new) = (new(site, &in_release), new(release, &in_site));
    let mut out = Vec::new();
    // Between items that all three have, in one order.
    let mut from = [0; 3];
    let mut anchors: Vec<[usize; 3]> = Vec::new();
    for (b, name) in base.iter().enumerate() {
        if let (Some(s), Some(r)) = (in_site.get(name.as_ref()), in_release.get(name.as_ref()))
            && anchors.last().is_none_or(|last| last[1] < *s && last[2] < *r)
        {
            anchors.push([b, *s, *r]);
        }
    }
    anchors.push([base.len(), site.len(), release.len()]);
    for to in anchors {
        let within = |list: &[usize], k: usize| -> Vec<usize> {
            list.iter().copied().filter(|at| (from[k]..to[k]).contains(at)).collect()
        };
        let [went, own, theirs] = [within(&gone, 0), within(&site_new, 1), within(&release_new, 2)];
        if !went.is_empty() && (!own.is_empty() || !theirs.is_empty()) {
            if ![&own, &theirs].into_iter().all(|list| list.is_empty() || list.len() == went.len()) {
                return None;
            }
            out.extend(went.iter().enumerate().map(|(k, base)| Replaced {
                base: *base,
                site: own.get(k).copied(),
                release: theirs.get(k).copied(),
            }));
        }
        from = to;
    }
    Some(out)
}

/// Tells whether both sides took out or changed one item, and at least one has another in its place.
pub(crate) fn collide<N: AsRef<str>>(base: &[N], site: &[N], release: &[N]) -> bool {
    replaced(base, site, release).is_none_or(|list| !list.is_empty())
}

/// Tells whether both sides gave a key another name, each its own: neither has an item of the base any more, and each has
/// a new one that may be it: its name is like the old one, or it holds the same (of a group at least half), and that says
/// much. `parts` tells what the item at a place of a version holds: 0 is the base, 1 the site, 2 the release.
pub(crate) fn renamed_by_both<N: AsRef<str>>(
    [base, site, release]: [&[N]; 3],
    parts: impl Fn(usize, usize) -> Vec<String>,
) -> bool {
    let [in_base, in_site, in_release] = [base, site, release].map(places);
    let lacks = |places: &HashMap<&str, usize>, name: &N| !places.contains_key(name.as_ref());
    let gone: Vec<usize> =
        (0..base.len()).filter(|k| lacks(&in_site, &base[*k]) && lacks(&in_release, &base[*k])).collect();
    if gone.is_empty() {
        return false;
    }
    let new = |version: usize, list: &[N], other: &HashMap<&str, usize>| {
        let mut new = New::default();
        for k in (0..list.len()).filter(|k| lacks(&in_base, &list[*k]) && lacks(other, &list[*k])) {
            new.put(list[k].as_ref(), parts(version, k));
        }
        new
    };
    let (own, theirs) = (new(1, site, &in_release), new(2, release, &in_site));
    gone.into_iter().any(|b| {
        let (name, was) = (base[b].as_ref(), parts(0, b));
        [&own, &theirs].into_iter().all(|new| new.is_named_like(name) || new.holds(&was))
    })
}

/// The items that one side alone has.
#[derive(Default)]
struct New {
    /// Their names, and how many parts they have.
    items: Vec<(String, usize)>,
    by_part: HashMap<String, Vec<usize>>,
}

impl New {
    fn put(&mut self, name: &str, parts: Vec<String>) {
        let k = self.items.len();
        self.items.push((name.to_string(), parts.len()));
        parts.into_iter().for_each(|part| self.by_part.entry(part).or_default().push(k));
    }

    /// Tells whether one holds what an item of another name held, where that says much.
    fn holds(&self, was: &[String]) -> bool {
        if was.iter().map(String::len).sum::<usize>() < TELLING {
            return false;
        }
        let mut common: HashMap<usize, usize> = HashMap::new();
        for part in was {
            let found = self.by_part.get(part).into_iter().flatten().take(MOST_PLACES);
            found.for_each(|k| *common.entry(*k).or_default() += 1);
        }
        common.into_iter().any(|(k, common)| 2 * common >= was.len().max(self.items[k].1))
    }

    /// Tells whether one has a name like another.
    fn is_named_like(&self, name: &str) -> bool {
        self.items.iter().take(MOST_PLACES).any(|(new, _)| alike(name, new))
    }
}

/// A value that stands more often says nothing of the others.
const MOST_PLACES: usize = 50;
/// A value of so many letters is no chance.
const TELLING: usize = 8;

/// Tells whether two names have more than half of their letters in common, from either end.
fn alike(a: &str, b: &str) -> bool {
    let prefix = a.bytes().zip(b.bytes()).take_while(|(a, b)| a == b).count();
    let (a, b) = (&a.as_bytes()[prefix..], &b.as_bytes()[prefix..]);
    let suffix = a.iter().rev().zip(b.iter().rev()).take_while(|(a, b)| a == b).count();
    2 * (prefix + suffix) > prefix + a.len().min(b.len())
}

fn places<N: AsRef<str>>(list: &[N]) -> HashMap<&str, usize> {
    list.iter().enumerate().map(|(k, name)| (name.as_ref(), k)).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn of(base: &str, site: &str, release: &str) -> Option<Vec<Replaced>> {
        let [base, site, release] = [base, site, release].map(|list| list.split_whitespace().collect::<Vec<_>>());
        replaced(&base, &site, &release)
    }

    #[test]
    fn an_item_that_both_changed_is_one() {
        let is = |base, site, release| Some(vec![Replaced { base, site, release }]);
        assert_eq!(of("a b c", "a own c", "a new c"), is(1, Some(1), Some(1)));
        assert_eq!(of("a b c", "a c", "a new c"), is(1, None, Some(1)));
        assert_eq!(of("a b c", "a own c", "a c"), is(1, Some(1), None));
        assert_eq!(of("a b c d", "x a y c z d", "a n c o"), is(1, Some(2), Some(1)));
        assert_eq!(of("a b", "a own more", "a new"), None, "which of the two it became is open");
    }

    #[test]
    fn what_came_and_went_is_no_change_of_an_item() {
        for [base, site, release] in [
            ["a b c", "a own c", "a b new c"],
            ["a b c", "a c", "a c new"],
            ["a b c", "a new c", "a new c"],
            ["a b c", "a b c own", "c b a new"],
            ["", "own", "new"],
        ] {
            assert_eq!(of(base, site, release), Some(vec![]), "{base} | {site} | {release}");
        }
    }

    #[test]
    fn a_key_that_both_renamed_is_told_by_its_value() {
        let both = |site: &str, release: &str| {
            let read = |text: &str| -> Vec<(String, String)> {
                text.split_whitespace()
                    .filter_map(|p| p.split_once('='))
                    .map(|(k, v)| (k.into(), v.into()))
                    .collect()
            };
            let lists = ["a=1 size=2 b=a-long-value c=x+y+long-value", site, release].map(read);
            let names: [Vec<&str>; 3] =
                std::array::from_fn(|k| lists[k].iter().map(|(name, _)| name.as_str()).collect());
            renamed_by_both([&names[0], &names[1], &names[2]], |version, k| {
                lists[version][k].1.split('+').map(String::from).collect()
            })
        };
        assert!(both("own=a-long-value", "new=a-long-value a=1"));
        assert!(both("a=1 sizes=2", "new-size=2 a=1"));
        assert!(both("own=x+y+long-value", "new=x+long-value+z"));
        assert!(!both("a=1 own=2", "a=1 new=2"), "values by chance");
        assert!(both("a=1 sizes=2", "sized=3"), "names so much alike are none");
        assert!(!both("a=1 sizes=2", "size=2 sized=2") && !both("sizes=2", "sizes=2"));
    }
}
