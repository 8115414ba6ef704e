//! Themes on disk: opening, building aside, swapping, cleaning up.

use std::fs;
use std::path::{Path, PathBuf};

use daxle_core::carry::{Content, Sink};
use daxle_core::theme::{Layout, Tree};
use daxle_files::{
    Added, Building, Edit, FolderTree, Limits, LinkRule, OpenOptions, Opened, Stock, ZipEntry, open_all,
    open_theme, write_file, write_zip,
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
fn what_lies_packed_in_a_site_is_not_taken_for_the_site() {
    let dir = tempfile::tempdir().unwrap();
    let entry = |path: &str, text: &str| ZipEntry { path: path.into(), bytes: text.into(), executable: false };
    let card = "name = \"lamp\"\nversion = \"1.0\"\n";
    let lamp = write_zip(vec![entry("page.html", "x"), entry("themecard.toml", card)]).unwrap();
    let open = |folder: &str| open_theme(&dir.path().join(folder), &Layout::default(), &OpenOptions::default());
    // An archive that was unpacked beside itself: the files may have been changed since.
    write_file(&dir.path().join("beside/lamp-1.0.zip"), &lamp).unwrap();
    for (path, text) in [("page.html", "mine"), ("themecard.toml", card), ("own.css", "")] {
        write_file(&dir.path().join("beside/lamp").join(path), text.as_bytes()).unwrap();
    }
    let opened = open("beside").unwrap();
    assert_eq!((opened.inside.as_deref(), opened.tree.entries().len()), (Some("lamp"), 3));
    // A theme that says nothing of itself, with something packed that comes with it.
    for (folder, packed) in [("quiet", write_zip(vec![entry("tide.js", "")]).unwrap()), ("named", lamp)] {
        write_file(&dir.path().join(folder).join("extras/tide.zip"), &packed).unwrap();
        for path in ["page.html", "mill.html", "mill.css"] {
            write_file(&dir.path().join(folder).join(path), b"").unwrap();
        }
    }
    assert_eq!(["quiet", "named"].map(|folder| open(folder).unwrap().tree.entries().len()), [4, 4]);
}

#[test]
fn a_theme_begins_where_the_others_of_its_family_do() {
    let dir = tempfile::tempdir().unwrap();
    for path in ["page.html", "css/a.css"] {
        write_file(&dir.path().join("one/lamp").join(path), b"x").unwrap();
    }
    let source = dir.path().join("one");
    let open = |options: &OpenOptions<'_>| open_theme(&source, &Layout::default(), options).unwrap();
    let paths = |opened: &Opened| opened.tree.entries().iter().map(|e| e.path.clone()).collect::<Vec<_>>();
    let (inner, outer) = (["css/a.css", "page.html"], ["lamp/css/a.css", "lamp/page.html"]);
    assert_eq!(paths(&open(&OpenOptions::default())), inner);
    for family in [inner, outer] {
        let like = family.map(String::from);
        let opened = open(&OpenOptions { like: Some(&like), ..OpenOptions::default() });
        assert_eq!(paths(&opened), family);
        // It is found again without the others.
        let again = open(&OpenOptions { inside: opened.inside.as_deref(), ..OpenOptions::default() });
        assert_eq!(paths(&again), family);
    }
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

/// A package with a theme, its sample child, and documentation.
fn package(version: &str) -> Vec<u8> {
    let entry = |path: &str, text: &str| ZipEntry { path: path.into(), bytes: text.into(), executable: false };
    let card = |name: &str, rest: &str| format!("name = \"{name}\"\nversion = \"{version}\"\n{rest}");
    let theme =
        write_zip(vec![entry("lamp/themecard.toml", &card("lamp", "")), entry("lamp/page.html", version)]).unwrap();
    let child = card("kid", "parent = \"lamp\"\n[requires]\ngate = \"2\"\n");
    write_zip(vec![
        entry("docs/readme.txt", "read me"),
        ZipEntry { path: "lamp.zip".into(), bytes: theme, executable: false },
        entry("samples/kid/themecard.toml", &child),
        entry("samples/kid/own.css", "p {}"),
    ])
    .unwrap()
}

#[test]
fn every_theme_in_a_package_is_found() {
    let dir = tempfile::tempdir().unwrap();
    let path = dir.path().join("lamp.zip");
    write_file(&path, &package("1.0")).unwrap();
    let found = open_all(&path, &Layout::default(), &OpenOptions::default()).unwrap();
    let named: Vec<(Option<&str>, Option<&str>)> =
        found.iter().map(|o| (o.identity.name.as_deref(), o.inside.as_deref())).collect();
    assert_eq!(named, [(Some("kid"), Some("samples/kid")), (Some("lamp"), Some("lamp.zip"))]);
    assert_eq!(found[0].identity.requires["gate"], "2");
}

#[test]
fn a_stock_keeps_packages_and_what_is_in_them() {
    let dir = tempfile::tempdir().unwrap();
    let mut stock = Stock::open(&dir.path().join("stock")).unwrap();
    assert!(stock.releases().is_empty() && !stock.dir().exists(), "looking leaves nothing behind");
    let (layout, options) = (Layout::default(), OpenOptions::default());
    for version in ["1.10", "1.9", "2.0-rc1", "2.0"] {
        let path = dir.path().join(format!("lamp-{version}.zip"));
        write_file(&path, &package(version)).unwrap();
        let added = stock.add(&path, &layout, &options, None, None).unwrap();
        assert!(added.iter().all(|a| matches!(a, Added::New { .. })), "{added:?}");
    }
    // Oldest first, by the meaning of the version; and the same for whoever opens it next.
    let again = Stock::open(stock.dir()).unwrap();
    assert_eq!(again.releases(), stock.releases());
    let versions: Vec<&str> = again.of("lamp").map(|r| r.version.as_str()).collect();
    assert_eq!(versions, ["1.9", "1.10", "2.0-rc1", "2.0"]);
    let last = again.of("lamp").next_back().unwrap();
    let print = again.print(last).unwrap();
    assert_eq!(print.files.iter().map(|f| f.path.as_str()).collect::<Vec<_>>(), ["page.html", "themecard.toml"]);
    let inside = OpenOptions { inside: last.inside.as_deref(), ..options };
    let opened = open_theme(&again.archive(last), &layout, &inside).unwrap();
    assert_eq!(opened.tree.read_path("page.html").unwrap(), b"2.0");
    // A package goes with the last release out of it.
    let archive = again.archive(last);
    stock.remove(&["lamp@2.0".to_string()].into()).unwrap();
    assert!(archive.exists(), "the sample child is in it too");
    stock.remove(&["kid@2.0".to_string()].into()).unwrap();
    assert!(!archive.exists());
}

#[cfg(unix)]
#[test]
fn modes_and_links_are_carried() {
    use std::os::unix::fs::{PermissionsExt, symlink};
    let dir = tempfile::tempdir().unwrap();
    let site = theme(dir.path(), "site", &[("a", "x")]);
    theme(dir.path(), "release", &[("run.sh", "#!"), ("open.txt", "y"), ("deep/b", "z")]);
    let release = dir.path().join("release");
    for (name, mode) in [("run.sh", 0o755), ("open.txt", 0o666), ("deep/b", 0o600)] {
        fs::set_permissions(release.join(name), fs::Permissions::from_mode(mode)).unwrap();
    }
    symlink("../open.txt", release.join("deep/link")).unwrap();
    let kept = FolderTree::read(&release, LinkRule::Keep, Limits::default()).unwrap();
    let out = dir.path().join("out");
    let building = Building::begin(&out, &dir.path().join("aside"), false, &site, &kept).unwrap();
    for (k, entry) in kept.entries().iter().enumerate() {
        building.put(&entry.path, &Content::Release(k)).unwrap();
    }
    let like = kept.find("run.sh");
    building.put("merged.sh", &Content::Merged(b"both".to_vec(), like)).unwrap();
    let merged = building.read("merged.sh").unwrap().unwrap();
    let edits = [
        ("merged.sh".to_string(), Edit::Bytes([&merged[..], b"!"].concat())),
        ("deep/copy".to_string(), Edit::Copy(&kept, like.unwrap())),
        ("deep/b".to_string(), Edit::Remove),
    ];
    building.change(&edits).unwrap();
    assert_eq!(building.read("deep/b").unwrap(), None);
    building.finish().unwrap();
    let mode = |name: &str| fs::metadata(out.join(name)).unwrap().permissions().mode() & 0o777;
    assert_eq!(
        (mode("run.sh"), mode("open.txt"), mode("deep/copy"), mode("merged.sh")),
        (0o755, 0o666, 0o755, 0o755)
    );
    assert_eq!(fs::read_link(out.join("deep/link")).unwrap().to_str(), Some("../open.txt"));
    assert_eq!(fs::read(out.join("merged.sh")).unwrap(), b"both!");
}
