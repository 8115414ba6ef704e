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
