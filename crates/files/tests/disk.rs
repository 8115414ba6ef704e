//! Themes on disk: opening, building aside, swapping, cleaning up.

use std::fs;
use std::path::{Path, PathBuf};

use daxle_core::carry::{Content, Sink};
use daxle_core::theme::{Layout, Tree};
use daxle_files::{
    Building, FolderTree, Limits, LinkRule, OpenOptions, ZipEntry, open_theme, write_file, write_zip,
};

fn theme(dir: &Path, name: &str, files: &[(&str, &str)]) -> FolderTree {
    for (path, text) in files {
        let full = dir.join(name).join(path);
        fs::create_dir_all(full.parent().unwrap()).unwrap();
        fs::write(full, text).unwrap();
    }
    FolderTree::read(&dir.join(name), LinkRule::Refuse, Limits::default()).unwrap()
}

fn names(dir: &Path) -> Vec<String> {
    let mut list: Vec<String> =
        fs::read_dir(dir).unwrap().map(|e| e.unwrap().file_name().to_string_lossy().into_owned()).collect();
    list.sort();
    list
}

#[test]
fn a_folder_is_listed_sorted_without_version_control() {
    let dir = tempfile::tempdir().unwrap();
    let tree = theme(dir.path(), "t", &[("b/x.css", "x"), ("a.html", "y"), (".git/config", "no"), ("b.png", "\0")]);
    let list: Vec<(&str, bool)> = tree.entries().iter().map(|e| (e.path.as_str(), e.binary)).collect();
    assert_eq!(list, [("a.html", false), ("b.png", true), ("b/x.css", false)]);
    assert_eq!(tree.read(0).unwrap(), b"y");
}

#[test]
fn large_files_are_digested_in_pieces_like_small_ones() {
    let dir = tempfile::tempdir().unwrap();
    let large: String = "0123456789abcdef".repeat(200_000);
    let tree = theme(dir.path(), "t", &[("large.txt", &large)]);
    assert_eq!(tree.entries()[0].digest, daxle_core::theme::Digest::of(large.as_bytes()));
    assert_eq!(tree.entries()[0].size, large.len() as u64);
}

#[test]
fn a_result_appears_whole_or_not_at_all() {
    let dir = tempfile::tempdir().unwrap();
    let (site, release) = (
        theme(dir.path(), "site", &[("a", "site's")]),
        theme(dir.path(), "release", &[("a", "release's"), ("b/c", "x")]),
    );
    let (out, aside) = (dir.path().join("out"), dir.path().join("out.aside"));
    {
        let building = Building::begin(&out, &aside, false, &site, &release).unwrap();
        building.put("a", &Content::Site(0)).unwrap();
        // Something went wrong: it is dropped unfinished.
    }
    assert_eq!(names(dir.path()), ["release", "site"]);
    let building = Building::begin(&out, &aside, false, &site, &release).unwrap();
    building.put("a", &Content::Site(0)).unwrap();
    building.put("b/c", &Content::Release(1)).unwrap();
    building.put("d", &Content::Merged(b"merged".to_vec(), None)).unwrap();
    building.put_aside("a", &Content::Release(0)).unwrap();
    assert!(!out.exists(), "nothing is in place before the end");
    building.finish().unwrap();
    assert_eq!(names(dir.path()), ["out", "out.aside", "release", "site"]);
    let read = |p: PathBuf| fs::read_to_string(p).unwrap();
    assert_eq!(
        (read(out.join("a")), read(out.join("b/c")), read(out.join("d"))),
        ("site's".into(), "x".into(), "merged".into())
    );
    assert_eq!(read(aside.join("a")), "release's");
}

#[test]
fn an_old_result_is_exchanged_in_one_step() {
    let dir = tempfile::tempdir().unwrap();
    let (site, release) = (theme(dir.path(), "site", &[("a", "1")]), theme(dir.path(), "release", &[("a", "2")]));
    let (out, aside) = (dir.path().join("out"), dir.path().join("out.aside"));
    fs::create_dir_all(out.join("old")).unwrap();
    assert!(Building::begin(&out, &aside, false, &site, &release).unwrap_err().to_string().contains("not empty"));
    let building = Building::begin(&out, &aside, true, &site, &release).unwrap();
    building.put("a", &Content::Release(0)).unwrap();
    assert_eq!(names(&out), ["old"]);
    building.finish().unwrap();
    assert_eq!(names(&out), ["a"]);
    assert_eq!(names(dir.path()), ["out", "release", "site"]);
}

#[test]
fn a_theme_is_found_in_a_package_by_what_it_shares_with_the_site() {
    let dir = tempfile::tempdir().unwrap();
    let entry = |path: &str, text: &str| ZipEntry { path: path.into(), bytes: text.into(), executable: false };
    let inner = write_zip(vec![entry("lamp/page.html", "x"), entry("lamp/css/a.css", "y")]).unwrap();
    let child = write_zip(vec![entry("lamp-child/own.css", "z")]).unwrap();
    let package = write_zip(vec![
        entry("lamp-2.0/readme.txt", "docs"),
        ZipEntry { path: "lamp-2.0/lamp.zip".into(), bytes: inner, executable: false },
        ZipEntry { path: "lamp-2.0/lamp-child.zip".into(), bytes: child, executable: false },
    ])
    .unwrap();
    let path = dir.path().join("lamp-2.0.zip");
    write_file(&path, &package).unwrap();
    let like = ["page.html".to_string(), "css/a.css".to_string()];
    let options = OpenOptions { like: Some(&like), ..OpenOptions::default() };
    let opened = open_theme(&path, &Layout::default(), &options).unwrap();
    assert_eq!(opened.inside.as_deref(), Some("lamp-2.0/lamp.zip"));
    assert_eq!(opened.tree.entries().len(), 2);
    let named = OpenOptions { inside: Some("lamp-2.0/lamp-child.zip"), ..OpenOptions::default() };
    assert_eq!(open_theme(&path, &Layout::default(), &named).unwrap().tree.entries()[0].path, "own.css");
}

#[test]
fn a_missing_path_names_the_nearest() {
    let dir = tempfile::tempdir().unwrap();
    fs::create_dir(dir.path().join("lanternfold")).unwrap();
    let error =
        open_theme(&dir.path().join("lanternfodl"), &Layout::default(), &OpenOptions::default()).unwrap_err();
    assert!(error.hinted().unwrap().contains("lanternfold"), "{error:?}");
}

#[test]
fn a_file_is_replaced_whole_and_keeps_its_mode() {
    let dir = tempfile::tempdir().unwrap();
    let path = dir.path().join("deep/er/x.json");
    write_file(&path, b"one").unwrap();
    write_file(&path, b"two").unwrap();
    assert_eq!(fs::read(&path).unwrap(), b"two");
    assert_eq!(names(path.parent().unwrap()), ["x.json"]);
}
