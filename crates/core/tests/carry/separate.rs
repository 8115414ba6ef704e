//! What is taken out of a site gives the site back: as a change set byte for byte, as a child theme in what it says.

use std::collections::BTreeMap;

use daxle_core::carry::account::Theme;
use daxle_core::changes::survey;
use daxle_core::separate::changeset::{ChangeSet, INDEX, Part, SetError, separate};
use daxle_core::separate::child::{self, Piece};
use daxle_core::theme::{Layout, MemoryTree, Tree};
use proptest::prelude::*;

use crate::laws::files;
use crate::settle::themes;
use crate::{Files, theme};

fn tree(files: &Files) -> MemoryTree {
    MemoryTree::new(files.clone())
}

/// The change set of a site, as its folder.
fn change_set(base: &MemoryTree, site: &MemoryTree) -> BTreeMap<String, Vec<u8>> {
    let layout = Layout::default();
    let found = survey(base, site, &layout).unwrap();
    let named = || Theme { title: Some("Base".into()), version: Some("1.0".into()), ..Theme::default() };
    let parts = separate(base, site, &found, [named(), named()], &BTreeMap::new(), &layout).unwrap();
    let bytes = |part| match part {
        Part::Bytes(bytes) => bytes,
        Part::SiteFile(k) => site.read(k).unwrap(),
    };
    parts.into_iter().map(|(path, part)| (path, bytes(part))).collect()
}

fn applied(set: &BTreeMap<String, Vec<u8>>, base: &MemoryTree) -> Result<BTreeMap<String, Vec<u8>>, SetError> {
    let folder = MemoryTree::new(set.clone());
    let applied = ChangeSet::read(&folder)?.apply(&folder, base)?;
    assert!(applied.edited.is_empty(), "{:?}", applied.edited);
    let mut out: BTreeMap<String, Vec<u8>> =
        base.entries().iter().map(|e| (e.path.clone(), base.read_path(&e.path).unwrap())).collect();
    for (path, bytes) in applied.files {
        match bytes {
            Some(bytes) => _ = out.insert(path, bytes),
            None => _ = out.remove(&path),
        }
    }
    Ok(out)
}

fn plain(tree: &MemoryTree) -> BTreeMap<String, Vec<u8>> {
    tree.entries().iter().map(|e| (e.path.clone(), tree.read_path(&e.path).unwrap())).collect()
}

/// Splits a site into parent and child, and lists where the two do not come to it.
fn child_of(
    base: &MemoryTree,
    site: &MemoryTree,
    fault: impl Fn(&mut BTreeMap<String, Vec<u8>>),
) -> Vec<(String, String)> {
    let layout = Layout::default();
    let split = child::separate(base, site, &layout, None, true).unwrap();
    let mut parent = plain(base);
    for (path, bytes) in split.beneath {
        match bytes {
            Some(bytes) => _ = parent.insert(path, bytes),
            None => _ = parent.remove(&path),
        }
    }
    let bytes = |piece| match piece {
        Piece::Bytes(bytes) => bytes,
        Piece::SiteFile(k) => site.read(k).unwrap(),
    };
    let mut child: BTreeMap<String, Vec<u8>> = split.child.into_iter().map(|(p, c)| (p, bytes(c))).collect();
    fault(&mut child);
    child::differences(&MemoryTree::new(parent), &MemoryTree::new(child), site, &layout, &[]).unwrap()
}

#[test]
fn bytes_of_every_sort_come_back() {
    let base = MemoryTree::new([
        ("a.css", &b"one\r\ntwo\r\nlast"[..]),
        ("b.bin", b"\0one"),
        ("empty.txt", b""),
        ("gone.html", b"x\n"),
        ("gone.bin", b"\0y"),
        ("latin.txt", b"caf\xE9\n"),
        ("wide.txt", b"\xFF\xFEa\0\n\0"),
    ]);
    let site = MemoryTree::new([
        ("a.css", &b"one\r\n2\n\nlast\n"[..]),
        ("b.bin", b"\0two"),
        ("new/empty.txt", b""),
        ("latin.txt", b"caf\xE9 \xFF"),
        ("wide.txt", b"\xFF\xFEb\0\n\0"),
    ]);
    let set = change_set(&base, &site);
    assert!(String::from_utf8_lossy(&set["edits.diff"]).contains("--- base/a.css\n+++ site/a.css\n"));
    assert_eq!(applied(&set, &base).unwrap(), plain(&site));
}

#[test]
fn what_is_wrong_with_a_change_set_is_named() {
    let (base, site) = (tree(&theme(&[("a.txt", "1\n2\n")])), tree(&theme(&[("a.txt", "1\n3\n")])));
    let set = change_set(&base, &site);
    let other = applied(&set, &tree(&theme(&[("a.txt", "9\n")]))).unwrap_err().to_string();
    assert!(other.contains("Base 1.0") && other.contains("a.txt"), "{other}");
    let broken = |part: &str, old: &str, new: &str| {
        let mut set = set.clone();
        let text = String::from_utf8(set[part].clone()).unwrap().replace(old, new);
        set.insert(part.into(), text.into_bytes());
        applied(&set, &base).unwrap_err().to_string()
    };
    assert!(broken("edits.diff", "-2", "-7").contains("line 2 of the base is not `7`"));
    assert!(broken("edits.diff", "@@ -1", "nonsense").contains("edits.diff line 3"));
    assert!(broken(INDEX, "a.txt", "../a.txt").contains("leads out of the theme"));
    assert!(broken(INDEX, "{", "").contains("no index"));
}

#[test]
fn a_rule_a_key_an_entry_or_a_file_that_the_child_lacks_is_found() {
    let po = |text: &str| {
        format!("msgid \"\"\nmsgstr \"\"\n\nmsgid \"a\"\nmsgstr \"{text}\"\n\nmsgid \"b\"\nmsgstr \"c\"\n")
    };
    let make = |n: u8, word: &str| {
        tree(&theme(&[
            ("a.css", &format!("a {{\n  top: {n}px;\n}}\n\nb {{\n  left: 0;\n}}\n")),
            ("s.json", &format!("{{\"a\": {n}, \"b\": 1}}")),
            ("de.po", &po(word)),
            ("page.html", &format!("<p>{word}</p>\n")),
        ]))
    };
    let (base, site) = (make(1, "x"), make(2, "y"));
    assert_eq!(child_of(&base, &site, |_| {}), []);
    for (path, old, new) in
        [("a.css", "2px", "3px"), ("s.json", "\"a\"", "\"z\""), ("de.po", "msgstr \"y\"", "msgstr \"z\"")]
    {
        let found = child_of(&base, &site, |child| {
            let text = String::from_utf8(child[path].clone()).unwrap();
            assert!(text.contains(old) && !text.contains("left") && !text.contains("\"b\""), "{text}");
            child.insert(path.into(), text.replace(old, new).into_bytes());
        });
        assert!(found.iter().any(|(p, _)| p == path), "{path}: {found:?}");
    }
    let found = child_of(&base, &site, |child| _ = child.remove("page.html"));
    assert_eq!(found.len(), 1);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]

    #[test]
    fn separate_then_apply_gives_the_site(base in files(), site in files(), [other, own, _] in themes()) {
        for (base, site) in [(tree(&base), tree(&site)), (tree(&other), tree(&own)), (tree(&base), tree(&own))] {
            prop_assert_eq!(applied(&change_set(&base, &site), &base).unwrap(), plain(&site));
            prop_assert_eq!(child_of(&base, &site, |_| {}), []);
        }
    }
}

/// What the child and the rest of a site come to, for one file.
fn split_one(path: &str, base: &str, site: &str) -> (Option<String>, Option<String>, Vec<String>) {
    let (base, site) = (tree(&theme(&[(path, base)])), tree(&theme(&[(path, site)])));
    let split = child::separate(&base, &site, &Layout::default(), None, false).unwrap();
    let text = |bytes: &[u8]| String::from_utf8(bytes.to_vec()).unwrap();
    let child = split.child.get(path).map(|piece| match piece {
        Piece::Bytes(bytes) => text(bytes),
        Piece::SiteFile(k) => text(&site.read(*k).unwrap()),
    });
    let beneath = split.beneath.get(path).map(|b| b.as_deref().map(text).unwrap_or_default());
    (child, beneath, split.unsaid.into_iter().map(|(_, why)| why).collect())
}

#[test]
fn settings_of_every_format_say_only_what_the_site_changed() {
    let cases = [
        (
            "s.yaml",
            "# head\nsite:\n  title: Old\n  tags: [a, b]\nflag: yes\n",
            "# head\nsite:\n  title: \"New: one\"\n  tags: [a, b]\nflag: yes\nextra:\n  - x: 1\n",
            "site:\n  title: \"New: one\"\nextra:\n  - {x: 1}\n",
        ),
        ("s.toml", "a = 1\n[t]\nb = 'x'\nc = 2\n", "a = 1\n[t]\nb = 'y'\nc = 2\n", "[t]\nb = \"y\"\n"),
        ("s.ini", "top = 1\n[part]\na = 1\nb = 2\n", "top = 1\n[part]\na = 1\nb = 3\n", "[part]\nb = 3\n"),
        (
            "s.json",
            "{\"a\": {\"b\": 1, \"c\": 2}}",
            "{\"a\": {\"b\": 5, \"c\": 2}}",
            "{\n  \"a\": {\n    \"b\": 5\n  }\n}\n",
        ),
    ];
    for (path, base, site, wanted) in cases {
        let (child, beneath, unsaid) = split_one(path, base, site);
        assert_eq!((child.as_deref(), beneath, unsaid), (Some(wanted), None, vec![]), "{path}");
    }
}

#[test]
fn what_a_child_cannot_say_stays_beneath_it() {
    let (child, beneath, why) = split_one("s.json", "{\"a\": 1, \"b\": 2}", "{\"a\": 9}");
    assert_eq!((child, beneath.as_deref()), (None, Some("{\"a\": 9}")));
    assert!(why[0].contains("b was taken out"), "{why:?}");
    // Of a sheet only the rule that is gone stays beneath; the rest is said.
    let base = "a {\n  top: 0;\n}\n\nb {\n  left: 0;\n}\n";
    let (child, beneath, why) = split_one("a.css", base, "a {\n  top: 5px;\n}\n");
    assert_eq!(child.as_deref(), Some("a {\n  top: 5px;\n}\n"));
    assert_eq!(beneath.as_deref(), Some("a {\n  top: 0;\n}\n\n"));
    assert_eq!(why, ["the rule b was taken out"]);
    let (child, beneath, why) = split_one("lib.py", "x = 1\n", "x = 2\n");
    assert_eq!((child, beneath.as_deref()), (None, Some("x = 2\n")));
    assert!(why[0].contains("children cannot replace"), "{why:?}");
    let po = "msgid \"a\"\nmsgstr \"b\"\n\nmsgid \"c\"\nmsgstr \"d\"\n";
    let (child, _, why) = split_one("de.po", po, "msgid \"a\"\nmsgstr \"z\"\n");
    assert!(child.is_none() && why[0].contains("\"c\" was taken out"), "{why:?}");
}

#[test]
fn the_layout_says_what_a_child_can_do() {
    let rules =
        "[layout.child]\nreplaces = ['style', 'code']\nadds = []\n\n[[layout.overrides]]\npath = 'over/{path}'\n";
    let layout = Layout::parse(rules).unwrap();
    let base = tree(&theme(&[("a.css", "a { top: 0 }\n"), ("lib.py", "x = 1\n"), ("page.html", "<p>1</p>\n")]));
    let site = tree(&theme(&[("a.css", "a { top: 1px }\n"), ("lib.py", "x = 2\n"), ("page.html", "<p>2</p>\n")]));
    let split = child::separate(&base, &site, &layout, None, false).unwrap();
    assert_eq!(split.child.keys().collect::<Vec<_>>(), ["over/a.css", "over/lib.py"]);
    assert_eq!(split.beneath.keys().collect::<Vec<_>>(), ["page.html"]);
    let error = Layout::parse("[layout.child]\nreplace = []\n").unwrap_err();
    assert!(error.message.contains("did you mean `replaces`"), "{error}");
    let error = Layout::parse("[layout.child]\nadds = ['styles']\n").unwrap_err();
    assert!(error.line == 2 && error.message.contains("style"), "{error}");
}

#[test]
fn a_change_set_that_was_edited_by_hand_is_told() {
    let text = |a: u8, b: u8| {
        (0..30)
            .map(|k| {
                format!(
                    "line {k} {}\n",
                    if k == 3 {
                        a
                    } else if k == 20 {
                        b
                    } else {
                        0
                    }
                )
            })
            .collect::<String>()
    };
    let (base, site) = (tree(&theme(&[("a.txt", &text(0, 0))])), tree(&theme(&[("a.txt", &text(1, 2))])));
    let mut set = change_set(&base, &site);
    let diff = String::from_utf8(set["edits.diff"].clone()).unwrap();
    let second = diff.rfind("@@ -").unwrap();
    set.insert("edits.diff".into(), diff.as_bytes()[..second].to_vec());
    let folder = MemoryTree::new(set);
    let applied = ChangeSet::read(&folder).unwrap().apply(&folder, &base).unwrap();
    assert_eq!(applied.edited, ["a.txt"], "a hunk was taken out, and that is said");
    assert_eq!(applied.files["a.txt"].as_deref(), Some(text(1, 0).as_bytes()));
}
