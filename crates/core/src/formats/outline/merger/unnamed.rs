//! Lists whose items nothing names: they are told by what they say.

use std::borrow::Cow;
use std::collections::{HashMap, HashSet};

use super::{Merger, common};
use crate::formats::keyed::Rules;
use crate::formats::lists::{Names, Replaced};
use crate::formats::matched::{self, Told};
use crate::formats::outline::item::{Body, Item, Outline};

/// A list whose items nothing names, and the names that they were given.
pub(in crate::formats::outline) struct Unnamed {
    list: Vec<String>,
    /// What the site's items say.
    own: HashSet<String>,
    /// What each of the release's items says, and the name that it was given.
    theirs: Vec<(String, String)>,
}

impl Unnamed {
    /// Gives the items of the result the same names: those of the release's as it has them; those that say what neither
    /// side said are the ones that both changed, in the release's order.
    pub(in crate::formats::outline) fn name_again(&self, result: &mut Outline) {
        let Some(Body::List(items)) = result.body_at(&self.list) else { return };
        let theirs: HashMap<&str, &str> =
            self.theirs.iter().map(|(value, name)| (value.as_str(), name.as_str())).collect();
        let values: Vec<String> = items.iter().map(|item| item.body.canonical()).collect();
        let there: HashSet<&str> = values.iter().map(String::as_str).collect();
        let is_there = |(value, name): &&(String, String)| {
            there.contains(value.as_str()) || there.contains(name.as_str()) || !self.own.contains(name)
        };
        let mut both = self.theirs.iter().filter(|item| !is_there(item)).map(|(_, name)| name);
        for (item, value) in items.iter_mut().zip(&values) {
            let name = match theirs.get(value.as_str()) {
                Some(name) => name,
                None if self.own.contains(value) => continue,
                None => both.next().map_or(value.as_str(), String::as_str),
            };
            item.name = name.to_string();
        }
    }
}

impl Merger<'_> {
    /// The items of three lists, with one name for an item that both sides changed, and for one of which a side changed
    /// the value and the other a comment: the site's where it has one. `None` where it cannot be told which became
    /// which, or the site gave those it kept another order.
    pub(super) fn told_apart<'l>(&mut self, at: &[String], lists: [&'l [Item]; 3]) -> Option<[Cow<'l, [Item]>; 3]> {
        let mut out = lists.map(Cow::Borrowed);
        if !have_names(lists, self.rules) {
            let told = lists.map(|list| list.iter().map(|item| told(item, self.rules)).collect::<Vec<_>>());
            let names = matched::names([&told[0], &told[1], &told[2]])?;
            out = self.named_as_the_sites(at, lists, &names).map(Cow::Owned);
        }
        let [base, site, _] = &out;
        if common(base, site) != common(site, base) {
            return None;
        }
        let lists = out.clone();
        let lists = lists.each_ref().map(|list| &list[..]);
        let names = Names::new(lists.map(|list| list.iter().map(|item| item.name.as_str()).collect()));
        let mut name_alike = |places: [Option<usize>; 3]| {
            let [_, s, r] = places;
            let name = s.map(|s| &lists[1][s].name).or(r.map(|r| &lists[2][r].name))?;
            for (list, at) in out.iter_mut().zip(places) {
                if let Some(at) = at {
                    list.to_mut()[at].name.clone_from(name);
                }
            }
            Some(())
        };
        for Replaced { base, site, release } in names.replaced()? {
            name_alike([Some(base), site, release])?;
        }
        for [b, s, r] in names.replaced_by_either() {
            let [base, site, release] = [&lists[0][b], &lists[1][s], &lists[2][r]];
            let is_value = |item: &Item| matches!(item.body, Body::Leaf(_));
            let commented = self.comments_of_its_own(base, site) || self.comments_of_the_releases(base, release);
            if [base, site, release].into_iter().all(is_value) && commented {
                name_alike([Some(b), Some(s), Some(r)])?;
            }
        }
        Some(out)
    }

    /// The items of three lists that nothing names, with `names` that tell which is which; each has the name of the site's
    /// item where there is one, so that it is found again.
    pub(super) fn named_as_the_sites(
        &mut self,
        at: &[String],
        lists: [&[Item]; 3],
        names: &[Vec<String>; 3],
    ) -> [Vec<Item>; 3] {
        let of_site: HashMap<&String, &Item> = names[1].iter().zip(lists[1]).collect();
        let mut out = lists.map(<[Item]>::to_vec);
        for (list, names) in out.iter_mut().zip(names) {
            for (item, name) in list.iter_mut().zip(names) {
                item.name = of_site.get(name).map_or(name, |own| &own.name).clone();
            }
        }
        self.unnamed.push(Unnamed {
            list: at.to_vec(),
            own: lists[1].iter().map(|item| item.body.canonical()).collect(),
            theirs: out[2].iter().map(|item| (item.body.canonical(), item.name.clone())).collect(),
        });
        out
    }
}

/// Tells whether the items of three lists have names of their own, each another.
fn have_names(lists: [&[Item]; 3], rules: &Rules) -> bool {
    let all = || lists.into_iter().flatten();
    let leaves = all().all(|i| matches!(i.body, Body::Leaf(_)));
    let identified = all().all(|i| match &i.body {
        Body::Map(items) => items.iter().any(|i| rules.identity().any(|key| key == i.name)),
        _ => false,
    });
    let distinct = |list: &[Item]| list.iter().map(|i| &i.name).collect::<HashSet<_>>().len() == list.len();
    (leaves || identified) && lists.into_iter().all(distinct)
}

fn told(item: &Item, rules: &Rules) -> Told {
    Told { value: item.body.canonical(), parts: item.body.parts(rules) }
}
