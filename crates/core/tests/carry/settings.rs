//! Settings beyond one key: defaults that are held, keys that moved, values that the release does not allow.

use daxle_core::carry::CarryOptions;
use daxle_core::carry::account::Account;
use daxle_core::merge::{Outcome, Reason, Step, Trust};

use crate::proved::proved;

/// Carries one settings file; nothing may be found wrong with the result.
fn carried(layout: &str, trust: Trust, path: &'static str, texts: [&str; 3]) -> (Account, String) {
    let options = CarryOptions { trust, ..CarryOptions::default() };
    let (account, files, findings) = proved(layout, options, texts.map(|t| vec![(path, t.into())]));
    let result = String::from_utf8(files[path].clone()).unwrap();
    assert_eq!(findings, [], "{result}");
    (account, result)
}

fn merged(path: &'static str, base: &str, site: &str, release: &str) -> (Account, String) {
    carried("", Trust::Normal, path, [base, site, release])
}

#[test]
fn defaults_follow_or_are_held_and_are_listed_either_way() {
    let (base, release) = ("{\"a\": 1, \"b\": {\"c\": 2}}", "{\"a\": 5, \"b\": {\"c\": 6, \"new\": 0}}");
    let site = "{\"a\": 1, \"b\": {\"c\": 2}, \"own\": true}";
    let hold = "[settings]\nunchanged = 'hold'\n";
    let (account, text) = merged("s.json", base, site, release);
    assert_eq!(text, "{\"a\": 5, \"b\": {\"c\": 6, \"new\": 0}, \"own\": true}");
    assert_eq!(
        account.defaults.iter().map(|d| (d.key.as_str(), d.held)).collect::<Vec<_>>(),
        [("a", false), ("b.c", false)]
    );
    let (account, text) = carried(hold, Trust::Normal, "s.json", [base, site, release]);
    assert_eq!(text, "{\"a\": 1, \"b\": {\"c\": 2, \"new\": 0}, \"own\": true}");
    assert!(account.defaults.iter().all(|d| d.held) && account.defaults.len() == 2);
    // A file that the site left alone is held as well.
    let (_, text) =
        carried(hold, Trust::Normal, "s.yaml", ["a: 1\nb: x\n", "a: 1\nb: x\n", "b: y\nn: 0\na: 2 # two\n"]);
    assert_eq!(text, "b: x\nn: 0\na: 1 # two\n");
}

#[test]
fn a_key_follows_to_its_new_section() {
    let (account, text) = merged(
        "s.json",
        "{\"logo\": 20, \"head\": {\"tall\": true, \"colour\": \"red\", \"pad\": 4}}",
        "{\"logo\": 44, \"head\": {\"tall\": true, \"colour\": \"own\", \"pad\": 4}}",
        "{\"brand\": {\"logo\": 20}, \"header\": {\"tall\": true, \"colour\": \"red\", \"pad\": 8}}",
    );
    assert_eq!(text, "{\"brand\": {\"logo\": 44}, \"header\": {\"tall\": true, \"colour\": \"own\", \"pad\": 8}}");
    assert!(account.decisions.is_empty() && account.changes.iter().all(|c| c.step == Some(Step::RenamedKey)));
    let (_, text) = merged(
        "s.toml",
        "[head]\ntall = true\ncolour = 'red'\npad = 4\n",
        "[head]\ntall = true\ncolour = 'own'\npad = 4\n",
        "[header]\npad = 8 # more\ntall = true\ncolour = 'red'\n",
    );
    assert_eq!(text, "[header]\npad = 8 # more\ntall = true\ncolour = 'own'\n");
}

#[test]
fn what_may_have_been_renamed_is_suggested_and_taken_when_told() {
    let texts = [
        "{\"a\": 1, \"link_colour\": \"#00f\"}",
        "{\"a\": 1, \"link_colour\": \"#0f0\"}",
        "{\"a\": 1, \"links_colour\": \"#00f\"}",
    ];
    let (account, text) = carried("", Trust::Normal, "s.json", texts);
    assert_eq!(account.decisions[0].reason, Reason::KeyGone);
    assert!(
        account.decisions[0].suggestion.as_ref().unwrap().contains("links_colour: same value, similar name"),
        "{text}"
    );
    let (account, text) = carried("", Trust::Bold, "s.json", texts);
    assert_eq!((text.as_str(), account.decisions.len()), ("{\"a\": 1, \"links_colour\": \"#0f0\"}", 0));
}

#[test]
fn a_retyped_value_is_asked_with_its_new_writing() {
    let texts = ["{\"w\": \"10\"}", "{\"w\": \"12\"}", "{\"w\": 10}"];
    let (account, _) = carried("", Trust::Normal, "s.json", texts);
    assert_eq!(account.decisions[0].reason, Reason::Retyped);
    assert_eq!(account.decisions[0].suggestion.as_deref(), Some("as the type that the release has: 12"));
    let (account, text) = carried("", Trust::Bold, "s.json", texts);
    assert_eq!((text.as_str(), account.changes[0].step), ("{\"w\": 12}", Some(Step::Retyped)));
}

#[test]
fn what_the_release_does_not_allow_is_asked() {
    let layout = "[[settings.files]]\npath = 'config/data.json'\nallowed = 'config/schema.json'\n";
    let schema = |sides: &str| format!("{{\"properties\": {{\"side\": {{\"enum\": [{sides}]}}}}}}").into_bytes();
    let theme =
        |data: &str, sides: &str| vec![("config/data.json", data.into()), ("config/schema.json", schema(sides))];
    let both = "\"left\", \"top\"";
    let (account, files, findings) = proved(
        layout,
        CarryOptions::default(),
        [
            theme("{\"side\": \"left\"}", both),
            theme("{\"side\": \"top\"}", both),
            theme("{\"side\": \"left\"}", "\"left\""),
        ],
    );
    assert_eq!(account.decisions[0].suggestion.as_deref(), Some("side: the release allows \"left\""));
    assert_eq!((files["config/data.json"].as_slice(), findings.len()), (&b"{\"side\": \"top\"}"[..], 0));
}

#[test]
fn lists_within_brackets_merge_item_by_item() {
    let (account, text) = merged(
        "s.yaml",
        "t: [a, b]\nu: {x: 1, y: 2}\n",
        "t: [a, b, own]\nu: {x: 9, y: 2}\n",
        "t: [ a, c, b ] # all\nu: {x: 1, y: 3}\n",
    );
    assert_eq!(text, "t: [ a, c, b, own ] # all\nu: {x: 9, y: 3}\n");
    assert!(account.decisions.is_empty());
    let (_, text) = merged(
        "s.toml",
        "t = ['a']\nz = 1\n",
        "t = ['a', 'own']\nz = 1\n",
        "z = 2\nt = [\n  \"a\",\n  \"b\",\n]\n",
    );
    assert_eq!(text, "z = 2\nt = [\n  \"a\",\n  'own',\n  \"b\",\n]\n");
}

#[test]
fn documents_of_one_file_merge_each_for_itself() {
    let (account, text) = merged(
        "s.yaml",
        "---\na: 1\nb: 2\n---\na: 3\n",
        "---\na: 9\nb: 2\n---\na: 3\nown: 1\n",
        "---\nb: 5\na: 1\n--- # second\na: 4\n",
    );
    assert_eq!(text, "---\nb: 5\na: 9\n--- # second\na: 4\nown: 1\n");
    assert!(account.decisions.is_empty());
}

#[test]
fn items_are_known_by_what_the_layout_says() {
    let texts = [
        "{\"l\": [{\"ref\": 1, \"v\": 1}, {\"ref\": 2, \"v\": 2}]}",
        "{\"l\": [{\"ref\": 1, \"v\": 9}, {\"ref\": 2, \"v\": 2}]}",
        "{\"l\": [{\"ref\": 2, \"v\": 5}, {\"ref\": 1, \"v\": 1, \"w\": 1, \"x\": 1, \"y\": 1}]}",
    ];
    let (account, _) = carried("", Trust::Normal, "s.json", texts);
    assert_eq!(account.decisions.len(), 1);
    let (account, text) = carried("[settings]\nidentity = ['ref']\n", Trust::Normal, "s.json", texts);
    assert_eq!(
        (text.as_str(), account.decisions.len()),
        ("{\"l\": [{\"ref\": 2, \"v\": 5}, {\"ref\": 1, \"v\": 9, \"w\": 1, \"x\": 1, \"y\": 1}]}", 0)
    );
    assert_eq!(account.changes[0].outcome, Outcome::Kept);
}
