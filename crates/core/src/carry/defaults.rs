//! Settings that the site left alone and the release changed, and names in the site's own that the release dropped.

use std::collections::{BTreeMap, BTreeSet};

use super::account::{DefaultRecord, Remark};
use super::values::keyed_values;

/// How many names a remark names.
const NAMED: usize = 6;
/// Shorter words may be anything.
const LEAST: usize = 3;

/// The values of base, site and release by their paths.
pub(super) struct Values([BTreeMap<String, String>; 3]);

impl Values {
    /// Reads three versions of a file; `None` where one of them cannot be read.
    pub(super) fn read(path: &str, texts: [&[u8]; 3]) -> Option<Self> {
        let [base, site, release] = texts.map(|text| keyed_values(path, text));
        Some(Values([base?, site?, release?]))
    }
}

/// Lists the values that the site left alone and the release changed; where these are `held`, also the lists that both
/// changed, as of the items in them the same may be true.
pub(super) fn defaults(path: &str, Values([base, site, release]): &Values, held: bool) -> Vec<DefaultRecord> {
    let is_list = |value: Option<&String>| value.is_some_and(|value| value.starts_with('['));
    let left_alone = |(key, value): &(&String, &String)| {
        site.get(*key) == Some(*value)
            || held && is_list(Some(value)) && is_list(site.get(*key)) && site.get(*key) != release.get(*key)
    };
    base.iter()
        .filter(left_alone)
        .filter_map(|(key, before)| {
            let after = release.get(key).filter(|after| *after != before)?;
            Some(DefaultRecord {
                path: path.to_string(),
                key: key.trim_start_matches('\0').replace('\0', "."),
                before: before.clone(),
                after: after.clone(),
                held,
            })
        })
        .collect()
}

/// Points out values of the site's own that name a key or an item which the release dropped.
pub(super) fn dropped_names(path: &str, Values([base, site, release]): &Values) -> Option<Remark> {
    let (before, after) = (names(base), names(release));
    let dropped: BTreeSet<&str> = before.difference(&after).copied().collect();
    if dropped.is_empty() {
        return None;
    }
    let kept = names(site);
    let own = site.iter().filter(|(key, value)| base.get(*key) != Some(*value));
    let mut found = BTreeSet::new();
    for (key, value) in own {
        // A list may name several.
        for word in value.split(['[', ']', ',']).map(|w| w.trim().trim_matches('"')) {
            let own_name = kept.contains(word) && !before.contains(word);
            if word.len() >= LEAST && dropped.contains(word) && !own_name {
                found.insert(format!("{} names {word:?}", key.trim_start_matches('\0').replace('\0', ".")));
            }
        }
    }
    let list: Vec<&str> = found.iter().take(NAMED).map(String::as_str).collect();
    let text = format!("the release dropped what the site's own settings name: {}", list.join("; "));
    (!found.is_empty()).then(|| Remark { path: path.to_string(), text })
}

/// The names of all keys and of items with an identity.
fn names(values: &BTreeMap<String, String>) -> BTreeSet<&str> {
    values
        .keys()
        .flat_map(|key| key.split('\0'))
        .map(|name| name.trim_matches('"'))
        .filter(|n| !n.is_empty())
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn defaults_that_changed_under_the_site_are_listed() {
        let values = Values::read(
            "s.json",
            [
                b"{\"a\": {\"x\": 1, \"y\": 2}}",
                b"{\"a\": {\"x\": 1, \"y\": 9}}",
                b"{\"a\": {\"x\": 5, \"y\": 6}, \"n\": 0}",
            ],
        );
        let found = defaults("s.json", &values.unwrap(), true);
        let list: Vec<_> =
            found.iter().map(|d| (d.key.as_str(), d.before.as_str(), d.after.as_str(), d.held)).collect();
        assert_eq!(list, [("a.x", "1", "5", true)]);
    }

    #[test]
    fn a_list_that_both_changed_may_have_items_that_are_held() {
        let texts: [&[u8]; 3] = [b"{\"l\": [1, 2]}", b"{\"l\": [1, 3]}", b"{\"l\": [4, 2]}"];
        let values = Values::read("s.json", texts).unwrap();
        let keys = |held| defaults("s.json", &values, held).into_iter().map(|d| d.key).collect::<Vec<_>>();
        assert_eq!((keys(true), keys(false)), (vec!["l".to_string()], vec![]));
    }

    #[test]
    fn names_that_the_release_dropped_are_pointed_out() {
        let values = Values::read(
            "s.json",
            [
                b"{\"menus\": {\"promo\": {\"x\": 1}}, \"order\": [\"a\"]}",
                b"{\"menus\": {\"promo\": {\"x\": 1}}, \"order\": [\"a\", \"promo\"], \"own\": {\"menu\": \"promo\"}}",
                b"{\"menus\": {\"top\": {\"x\": 1}}, \"order\": [\"a\"]}",
            ],
        );
        let text = dropped_names("s.json", &values.unwrap()).unwrap().text;
        assert!(text.ends_with("order names \"promo\"; own.menu names \"promo\""), "{text}");
    }
}
