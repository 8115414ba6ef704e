//! JSON (RFC 8259), with comments and trailing commas as many tools allow: merging by key.
//!
//! The three versions are compared as values, and the site's changes are worked into the release's text: where
//! the site changed nothing the release's bytes stand, order, indentation, comments and literals included. Arrays
//! of objects merge by an identity key, arrays of unique scalars as ordered sets; other arrays that both changed
//! are one value.

use super::homes::{Plan, names_that_stay, plan};
use super::keyed::{KeyedMerge, Refit, Rules};

mod document;
mod merger;
mod moved;

pub(crate) use document::tree;
use document::{Doc, Parser, by_pointer, comments_arrived, comments_stayed, unique_keys};
use merger::Merger;
use moved::{forget, keys, lost, pointer_of, rehome};

/// Merges three versions of a JSON document; `None` where one of them cannot be read or repeats a key.
pub(crate) fn merge(base: &[u8], site: &[u8], release: &[u8], rules: &Rules) -> Option<KeyedMerge> {
    let mut nodes = [Parser::document(base)?, Parser::document(site)?, Parser::document(release)?];
    if !nodes.iter().all(unique_keys) {
        return None;
    }
    let docs = [base, site, release].map(|text| Doc { text });
    let of = |k: usize| keys(docs[k], &nodes[k]);
    let mut plan =
        if lost(&nodes[0], &nodes[2]) { plan(&of(0), &of(1), &of(2), rules.bold) } else { Plan::default() };
    plan.homes.retain(|home| {
        let mut moved = [nodes[0].clone(), nodes[1].clone()];
        let all = moved.iter_mut().all(|node| rehome(node, home));
        if all {
            let [base, site] = moved;
            (nodes[0], nodes[1]) = (base, site);
        }
        all
    });
    if lost(&nodes[0], &nodes[1]) || lost(&nodes[0], &nodes[2]) {
        let of = |k: usize| keys(docs[k], &nodes[k]);
        let stay = names_that_stay(&of(0), &of(1), &of(2));
        stay.iter().for_each(|(list, names)| forget(&mut nodes[0], list, names, base));
    }
    let mut merger = Merger {
        base: docs[0],
        site: docs[1],
        release: docs[2],
        refit: Refit::new(site, release),
        rules,
        homes: plan.homes.iter().map(|h| pointer_of(&h.to)).collect(),
        hints: plan.hints.into_iter().map(|(path, hint)| (pointer_of(&path), hint)).collect(),
        changes: Vec::new(),
        beyond: false,
        renamed: false,
    };
    let root = merger.value("", Some(&nodes[0]), &nodes[1], &nodes[2]).into_owned();
    let span = &nodes[2].span;
    let text = [&release[..span.start], &root, &release[span.end..]].concat();
    // The text must hold what was decided, or it is not to be trusted.
    let result = Parser::document(&text)?;
    if merger.beyond || !comments_arrived(base, site, &text) || !comments_stayed(site, release, &text) {
        return None;
    }
    let places = by_pointer(&result);
    for change in &mut merger.changes {
        // What is within an array is where the array is.
        let mut pointer = change.pointer.as_str();
        while !pointer.is_empty() && !places.contains_key(pointer) {
            pointer = &pointer[..pointer.rfind('\0').unwrap_or(0)];
        }
        change.result = places.get(pointer).cloned();
    }
    Some(KeyedMerge { bytes: text, changes: merger.changes, rewritten: false, renamed: merger.renamed })
}

#[cfg(test)]
mod tests {
    use super::document::comments;
    use super::*;
    use crate::merge::Outcome;
    use proptest::prelude::*;

    fn merged(base: &str, site: &str, release: &str) -> (String, Vec<(String, Outcome)>) {
        let merge = merge(base.as_bytes(), site.as_bytes(), release.as_bytes(), &Rules::default()).unwrap();
        let list = merge.changes.iter().map(|c| (c.pointer.replace('\0', "/"), c.outcome)).collect();
        (String::from_utf8(merge.bytes).unwrap(), list)
    }

    #[test]
    fn values_are_spliced_into_the_releases_text() {
        let base = "{\n  \"a\": 1,\n  \"b\": {\"c\": \"x\"},\n  \"d\": [1, 2]\n}\n";
        let site = "{\"b\":{\"c\":\"own\"},\"a\":1,\"d\":[1,2],\"e\":{\"f\":true}}";
        let release = "{\r\n    // new\r\n    \"a\": 1.50,\r\n    \"b\": { \"c\": \"x\", \"n\": 0 }, // kept\r\n    \"d\": [ 1, 2 ]\r\n}";
        let (text, changes) = merged(base, site, release);
        assert_eq!(
            text,
            "{\r\n    // new\r\n    \"a\": 1.50,\r\n    \"b\": { \"c\": \"own\", \"n\": 0 }, // kept\r\n    \"d\": [ 1, 2 ],\r\n    \"e\":{\"f\":true}\r\n}"
        );
        assert_eq!(changes, [("/b/c".into(), Outcome::Kept), ("/e".into(), Outcome::Kept)]);
    }

    #[test]
    fn collisions_are_asked_with_the_sites_value_standing() {
        let (text, changes) = merged("{\"a\": 1, \"k\": 1}", "{\"a\": 2, \"k\": 9}", "{\"a\": 3}");
        assert_eq!(changes, [("/a".into(), Outcome::Open), ("/k".into(), Outcome::Open)]);
        assert_eq!(text, "{\"a\": 2, \"k\": 9}");
    }

    #[test]
    fn items_merge_by_identity_and_scalars_as_a_set() {
        let (text, _) = merged(
            "{\"l\": [{\"id\": 1, \"v\": 1}, {\"id\": 2, \"v\": 2}], \"s\": [\"a\", \"b\"]}",
            "{\"l\": [{\"id\": 1, \"v\": 9}, {\"id\": 2, \"v\": 2}], \"s\": [\"a\", \"own\", \"b\"]}",
            "{\"l\": [{\"id\": 3, \"v\": 3}, {\"id\": 1, \"v\": 1}, {\"id\": 2, \"v\": 5}], \"s\": [\"a\", \"b\", \"c\"]}",
        );
        assert_eq!(
            text,
            "{\"l\": [{\"id\": 3, \"v\": 3}, {\"id\": 1, \"v\": 9}, {\"id\": 2, \"v\": 5}], \"s\": [\"a\", \"own\", \"b\", \"c\"]}"
        );
        let (_, changes) = merged("{\"s\": [1, [2]]}", "{\"s\": [[2], 1]}", "{\"s\": [0, 1, [2]]}");
        assert_eq!(changes, [("/s".into(), Outcome::Open)]);
    }

    #[test]
    fn lists_that_order_an_object_stay_true_to_it() {
        let (text, changes) = merged(
            "{\"of\": {\"a\": {\"v\": 1}, \"b\": {\"v\": 1}}, \"order\": [\"a\", \"b\"]}",
            "{\"of\": {\"a\": {\"v\": 1}, \"b\": {\"v\": 9}, \"own\": {}}, \"order\": [\"a\", \"b\", \"own\"]}",
            "{\"of\": {\"a\": {\"v\": 1}, \"c\": {\"v\": 2}}, \"order\": [\"c\", \"a\"]}",
        );
        assert_eq!(
            text,
            "{\"of\": {\"a\": {\"v\": 1}, \"b\": {\"v\": 9}, \"own\": {}, \"c\": {\"v\": 2}}, \"order\": [\"c\", \"a\", \"b\", \"own\"]}"
        );
        assert_eq!(changes.iter().filter(|(_, o)| *o == Outcome::Open).count(), 1, "the release dropped b");
        // Two that stay keep their order, also where they were the last ones, and the other way round.
        let (text, _) = merged(
            "{\"of\": {\"a\": 1, \"b\": 2, \"c\": 3}, \"order\": [\"a\", \"b\", \"c\"]}",
            "{\"of\": {\"a\": 1}, \"order\": [\"a\"]}",
            "{\"of\": {\"a\": 1, \"b\": 5, \"c\": 6}, \"order\": [\"a\", \"b\", \"c\"]}",
        );
        assert_eq!(text, "{\"of\": {\"a\": 1, \"b\": 5, \"c\": 6}, \"order\": [\"a\", \"b\", \"c\"]}");
    }

    #[test]
    fn a_comment_of_the_sites_is_not_dropped() {
        let (base, release) = (b"{\n \"a\": 1 // one\n}", b"{\n \"a\": 2 // one\n}");
        assert!(
            merge(base, b"{\n \"a\": 1 // ours\n}", release, &Rules::default()).is_none(),
            "lines have to decide"
        );
        assert!(merge(base, b"{\"a\":1,\"b\":\"http://x\"}", release, &Rules::default()).is_some());
        assert_eq!(comments(b"/* a */ \"// no\" // b\r\n/* c").len(), 3);
    }

    #[test]
    fn a_renamed_key_takes_the_sites_value_along() {
        let (text, changes) = merged(
            "{\"lead\": \"A house with a story.\"}",
            "{\"lead\": \"Our mill.\"}",
            "{\"intro\": \"A house with a story.\"}",
        );
        assert_eq!(text, "{\"intro\": \"Our mill.\"}");
        assert_eq!(changes, [("/intro".into(), Outcome::Fitted)]);
    }

    #[test]
    fn what_cannot_be_read_is_left_to_text() {
        for bad in ["{\"a\": 1 \"b\": 2}", "{\"a\": 1, \"a\": 2}", "", "{", "[1,]]", &"[".repeat(10_000)] {
            assert!(merge(bad.as_bytes(), b"{}", b"{}", &Rules::default()).is_none(), "{bad:.20}");
        }
        assert!(Parser::document(b"{\"a\": 1, /* c */ \"b\": [1, 2,], } // end").is_some());
    }

    fn document() -> impl Strategy<Value = serde_json::Value> {
        let leaf = prop_oneof![
            (0..4i32).prop_map(serde_json::Value::from),
            "[xy]{0,2}".prop_map(serde_json::Value::from),
            Just(serde_json::Value::Null)
        ];
        leaf.prop_recursive(3, 20, 4, |inner| {
            prop_oneof![
                proptest::collection::vec(inner.clone(), 0..4).prop_map(serde_json::Value::from),
                proptest::collection::btree_map("[abcd]", inner, 0..4)
                    .prop_map(|m| serde_json::Value::Object(m.into_iter().collect()))
            ]
        })
    }

    proptest! {
        /// The laws, in value, and byte for byte where nothing was changed.
        #[test]
        fn laws_hold_on_documents(base in document(), site in document(), release in document()) {
            let pretty = |v: &serde_json::Value| serde_json::to_string_pretty(v).unwrap().into_bytes();
            let tight = |v: &serde_json::Value| v.to_string().into_bytes();
            let (b, s, r) = (pretty(&base), tight(&site), pretty(&release));
            let read = |m: &KeyedMerge| -> serde_json::Value { serde_json::from_slice(&m.bytes).unwrap() };
            prop_assert_eq!(&merge(&b, &b, &r, &Rules::default()).unwrap().bytes, &r);
            prop_assert_eq!(&read(&merge(&b, &s, &b, &Rules::default()).unwrap()), &site);
            prop_assert_eq!(read(&merge(&b, &r, &r, &Rules::default()).unwrap()), release);
            // Whatever comes out is well-formed.
            read(&merge(&b, &s, &r, &Rules::default()).unwrap());
        }
    }
}
