//! Items of three versions whose names do not tell which is which: the names are what changed.

use std::collections::HashMap;
use std::ops::Range;

/// The names of the items that base, site and release have, each once in a version.
pub(crate) struct Names<'n> {
    lists: [Vec<&'n str>; 3],
    places: [HashMap<&'n str, usize>; 3],
}

/// An item of the base that neither side has any more, and what each side has in its place.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Replaced {
    pub(crate) base: usize,
    pub(crate) site: Option<usize>,
    pub(crate) release: Option<usize>,
}

const BASE: usize = 0;
const SITE: usize = 1;
const RELEASE: usize = 2;

impl<'n> Names<'n> {
    /// The names in the order of each version: base, site, release.
    pub(crate) fn new(lists: [Vec<&'n str>; 3]) -> Self {
        let places = lists.each_ref().map(|list| list.iter().enumerate().map(|(k, name)| (*name, k)).collect());
        Names { lists, places }
    }

    /// The same of lists of names.
    pub(crate) fn of(lists: [&'n [String]; 3]) -> Self {
        Names::new(lists.map(|list| list.iter().map(String::as_str).collect()))
    }

    /// The items of one version that the two others lack.
    fn only(&self, version: usize) -> Vec<usize> {
        let others = [(version + 1) % 3, (version + 2) % 3];
        let lacking = |name: &str| others.iter().all(|other| !self.places[*other].contains_key(name));
        self.lists[version].iter().enumerate().filter(|(_, name)| lacking(name)).map(|(k, _)| k).collect()
    }

    /// The stretches of the versions between items that all three have, in one order.
    fn stretches(&self) -> Vec<[Range<usize>; 3]> {
        let mut from = [0; 3];
        let mut out = Vec::new();
        for (b, name) in self.lists[BASE].iter().enumerate() {
            if let (Some(s), Some(r)) = (self.places[SITE].get(name), self.places[RELEASE].get(name))
                && from[SITE] <= *s
                && from[RELEASE] <= *r
            {
                let to = [b, *s, *r];
                out.push(std::array::from_fn(|k| from[k]..to[k]));
                from = to.map(|k| k + 1);
            }
        }
        out.push(std::array::from_fn(|k| from[k]..self.lists[k].len()));
        out
    }

    /// Finds the items that both sides took out or changed where at least one has another in their place. By their
    /// names alone they would be so many items that went and came, and both sides' would stand beside each other.
    ///
    /// `None` where it cannot be told which item has taken which one's place.
    pub(crate) fn replaced(&self) -> Option<Vec<Replaced>> {
        let gone = self.only(BASE);
        if gone.is_empty() {
            return Some(Vec::new());
        }
        let (site, release) = (self.only(SITE), self.only(RELEASE));
        let mut out = Vec::new();
        for [base_at, site_at, release_at] in self.stretches() {
            let (went, own, theirs) =
                (within(&gone, &base_at), within(&site, &site_at), within(&release, &release_at));
            if went.is_empty() || (own.is_empty() && theirs.is_empty()) {
                continue;
            }
            if [own, theirs].into_iter().any(|list| !list.is_empty() && list.len() != went.len()) {
                return None;
            }
            out.extend(went.iter().enumerate().map(|(k, base)| Replaced {
                base: *base,
                site: own.get(k).copied(),
                release: theirs.get(k).copied(),
            }));
        }
        Some(out)
    }

    /// Tells whether both sides took out or changed one item, and at least one has another in its place.
    pub(crate) fn collide(&self) -> bool {
        self.replaced().is_none_or(|list| !list.is_empty())
    }

    /// By item that the site alone has: the item of the release whose place it took.
    pub(crate) fn in_place(&self) -> HashMap<usize, usize> {
        self.replaced_by_one(SITE).into_iter().map(|[_, site, release]| (site, release)).collect()
    }

    /// Finds the items that one side alone replaced: their places in base, site and release.
    pub(crate) fn replaced_by_either(&self) -> Vec<[usize; 3]> {
        [SITE, RELEASE].into_iter().flat_map(|side| self.replaced_by_one(side)).collect()
    }

    fn replaced_by_one(&self, side: usize) -> Vec<[usize; 3]> {
        let own = self.only(side);
        let mut out = Vec::new();
        if own.is_empty() {
            return out;
        }
        let other = SITE + RELEASE - side;
        for stretch in self.stretches() {
            let own = within(&own, &stretch[side]);
            let base = stretch[BASE].clone().filter(|b| !self.places[side].contains_key(self.lists[BASE][*b]));
            let stayed = |b: usize| Some((b, *self.places[other].get(self.lists[BASE][b])?));
            let went: Vec<(usize, usize)> = base.filter_map(stayed).collect();
            if own.len() == went.len() {
                out.extend(own.iter().zip(went).map(|(own, (base, stayed))| {
                    let mut places = [base; 3];
                    (places[side], places[other]) = (*own, stayed);
                    places
                }));
            }
        }
        out
    }

    /// Tells whether both sides gave a key another name, each its own: neither has an item of the base any more, and
    /// each has a new one that may be it ([`New::may_be`]). `parts` tells what the item at a place of a version holds: 0
    /// is the base, 1 the site, 2 the release.
    pub(crate) fn renamed_by_both(&self, parts: impl Fn(usize, usize) -> Vec<String>) -> bool {
        let gone = self.only(BASE);
        if gone.is_empty() {
            return false;
        }
        let [own, theirs] = [SITE, RELEASE].map(|version| New::of(self, version, &parts));
        gone.into_iter().any(|b| {
            let (name, was) = (self.lists[BASE][b], parts(BASE, b));
            own.may_be(name, &was) && theirs.may_be(name, &was)
        })
    }

    /// Tells whether the site seems to have given one of some items of the base another name. `parts` as in
    /// [`Names::renamed_by_both`].
    pub(crate) fn renamed_by_site(&self, gone: &[String], parts: impl Fn(usize, usize) -> Vec<String>) -> bool {
        if gone.is_empty() {
            return false;
        }
        let own = New::of(self, SITE, &parts);
        let mut places = gone.iter().filter_map(|name| self.places[BASE].get(name.as_str()));
        places.any(|b| own.may_be(self.lists[BASE][*b], &parts(BASE, *b)))
    }
}

/// Those of some places, in their order, that are within a stretch.
fn within<'p>(places: &'p [usize], stretch: &Range<usize>) -> &'p [usize] {
    let [from, to] = [stretch.start, stretch.end].map(|end| places.partition_point(|at| *at < end));
    &places[from..to]
}

/// The items that one side alone has.
struct New<'n> {
    /// Their names, and how many parts they have.
    items: Vec<(&'n str, usize)>,
    by_part: HashMap<String, Vec<usize>>,
}

impl<'n> New<'n> {
    fn of(names: &Names<'n>, version: usize, parts: impl Fn(usize, usize) -> Vec<String>) -> Self {
        let mut new = New { items: Vec::new(), by_part: HashMap::new() };
        for at in names.only(version) {
            let (k, parts) = (new.items.len(), parts(version, at));
            new.items.push((names.lists[version][at], parts.len()));
            parts.into_iter().for_each(|part| new.by_part.entry(part).or_default().push(k));
        }
        new
    }

    /// Tells whether one may be an item that had another name: its name is like that, or it holds the same (of a group
    /// at least half), and that says much.
    fn may_be(&self, name: &str, was: &[String]) -> bool {
        self.items.iter().take(MOST_PLACES).any(|(new, _)| alike(name, new)) || self.holds(was)
    }

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

#[cfg(test)]
mod tests {
    use super::*;

    fn names<'n>(base: &'n str, site: &'n str, release: &'n str) -> Names<'n> {
        Names::new([base, site, release].map(|list| list.split_whitespace().collect()))
    }

    fn of(base: &str, site: &str, release: &str) -> Option<Vec<Replaced>> {
        names(base, site, release).replaced()
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
            let names = lists.each_ref().map(|list| list.iter().map(|(name, _)| name.as_str()).collect());
            Names::new(names)
                .renamed_by_both(|version, k| lists[version][k].1.split('+').map(String::from).collect())
        };
        assert!(both("own=a-long-value", "new=a-long-value a=1"));
        assert!(both("a=1 sizes=2", "new-size=2 a=1"));
        assert!(both("own=x+y+long-value", "new=x+long-value+z"));
        assert!(!both("a=1 own=2", "a=1 new=2"), "values by chance");
        assert!(both("a=1 sizes=2", "sized=3"), "names so much alike are none");
        assert!(!both("a=1 sizes=2", "size=2 sized=2") && !both("sizes=2", "sizes=2"));
    }

    #[test]
    fn an_item_that_one_side_replaced_is_found_in_all_three() {
        let of = |base, site, release| names(base, site, release).replaced_by_either();
        assert!(of("a b c", "x a own more c", "a b c").is_empty(), "which of the two it became is open");
        assert_eq!(of("a b c d", "a own c d", "a b c x new"), [[1, 1, 1]]);
        assert_eq!(of("a b c d", "a own c d", "y a b c new"), [[1, 1, 2], [3, 3, 4]]);
    }

    #[test]
    fn what_the_site_put_in_the_place_of_another_stands_there() {
        let of = |base, site, release| {
            let mut found: Vec<(usize, usize)> = names(base, site, release).in_place().into_iter().collect();
            found.sort_unstable();
            found
        };
        assert_eq!(of("a b c", "a own c", "a new b c"), [(1, 2)]);
        assert_eq!(of("a b c", "a c own", "a b new c"), []);
        assert_eq!(of("a b c d", "a x y d", "d a c b"), [(1, 3), (2, 2)]);
    }
}
