//! Settings that the site left alone and the release changed, and names in the site's own that the release dropped.

use std::collections::{BTreeMap, BTreeSet};

use super::account::{DefaultRecord, Remark};
use super::lists::{is_list, unaccounted, words_in};
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

/// Lists the values that the site left alone and the release changed.
pub(super) fn defaults(path: &str, Values([base, site, release]): &Values, held: bool) -> Vec<DefaultRecord> {
    let left_alone = base.iter().filter(|(key, value)| site.get(*key) == Some(*value));
    left_alone
        .filter_map(|(key, before)| {
            let after = release.get(key).filter(|after| *after != before)?;
            Some(DefaultRecord {
                path: path.to_string(),
                key: shown(key),
                before: before.clone(),
                after: after.clone(),
                held,
            })
        })
        .collect()
}

/// Lists what was held of lists that both changed: the words that stand in the result for those of the release, as the
/// values that the items are of have no names.
pub(super) fn held_in_lists(
    path: &str,
    Values([base, site, release]): &Values,
    result: &[u8],
) -> Vec<DefaultRecord> {
    let result = keyed_values(path, result).unwrap_or_default();
    let lists = base.keys().filter_map(|key| {
        let versions = [base, site, release, &result].map(|values| values.get(key).filter(|v| is_list(Some(v))));
        let [Some(_), Some(own), Some(after), Some(now)] = versions else { return None };
        let held = unaccounted(versions, false);
        let all = base.get(key) != Some(own) && !held.is_empty() && unaccounted(versions, true).is_empty();
        let words = |value: &str| words_in(value).filter(|word| held.contains(word)).collect::<Vec<_>>().join(" ");
        let (before, after) = (words(now), words(after));
        all.then(|| DefaultRecord { path: path.to_string(), key: shown(key), before, after, held: true })
    });
    lists.collect()
}

/// A key as it is shown: with dots between its names.
fn shown(key: &str) -> String {
    key.trim_start_matches('\0').replace('\0', ".")
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
                found.insert(format!("{} names {word:?}", shown(key)));
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
    fn what_is_held_of_a_list_that_both_changed_is_told_in_words() {
        let list = |items: &str| format!("{{\"l\": [{items}]}}").into_bytes();
        let texts = ["\"a\", \"b\"", "\"a\", \"own\"", "\"new\", \"b\""].map(list);
        let values = Values::read("s.json", texts.each_ref().map(Vec::as_slice)).unwrap();
        let told = |result: &str| {
            let found = held_in_lists("s.json", &values, &list(result));
            found.into_iter().map(|d| (d.key, d.before, d.after)).collect::<Vec<_>>()
        };
        assert_eq!(told("\"a\", \"own\""), [("l".to_string(), "a".to_string(), "new".to_string())]);
        assert_eq!(told("\"new\", \"own\""), [], "nothing was held");
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
