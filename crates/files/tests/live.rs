//! A live theme after interruptions: what the journal says is finished or dropped, and nothing is lost.

use std::fs;
use std::path::Path;

use daxle_core::theme::Tree;
use daxle_files::{Deed, FolderTree, Limits, LinkRule, Live, Origin, Stage};

fn write(root: &Path, path: &str, text: &str) {
    let full = root.join(path);
    fs::create_dir_all(full.parent().unwrap()).unwrap();
    fs::write(full, text).unwrap();
}

fn read(root: &Path) -> Vec<(String, String)> {
    let tree = FolderTree::read(root, LinkRule::Keep, Limits::default()).unwrap();
    tree.entries().iter().map(|e| (e.path.clone(), fs::read_to_string(root.join(&e.path)).unwrap())).collect()
}

fn nothing(_: &str) -> bool {
    false
}

/// A live theme `www/t`, and a result `new`.
fn stage() -> tempfile::TempDir {
    let dir = tempfile::tempdir().unwrap();
    write(dir.path(), "www/t/a.txt", "old");
    write(dir.path(), "new/a.txt", "new");
    write(dir.path(), "new/b/c.txt", "more");
    dir
}

fn place(dir: &Path, at: &str) {
    let (live, _) = Live::open(&dir.join("www/t"), true).unwrap();
    let new = FolderTree::read(&dir.join("new"), LinkRule::Refuse, Limits::default()).unwrap();
    live.put(&Origin::Result(&new), &nothing, None, at, Some("me".into())).unwrap();
}

#[test]
fn what_was_begun_and_not_exchanged_is_dropped() {
    let dir = stage();
    place(dir.path(), "2026-01-01T00:00:00Z");
    let store = dir.path().join("www/.t.backups");
    // As if the program had died with the next copy ready and nothing exchanged.
    let journal = fs::read_to_string(store.join("journal.jsonl")).unwrap();
    let begun = journal.lines().next().unwrap().replace("00-00-00Z", "00-00-09Z");
    let begun = begun.split(",\"mark\"").next().unwrap().to_string() + ",\"mark\":1}";
    fs::write(store.join("journal.jsonl"), format!("{journal}{begun}\n")).unwrap();
    write(&store, "next-2026-01-01T00-00-09Z/a.txt", "half");
    let live_before = read(&dir.path().join("www/t"));

    let (live, said) = Live::open(&dir.path().join("www/t"), true).unwrap();
    assert!(said.unwrap().contains("had changed nothing"));
    assert_eq!(read(live.at()), live_before);
    assert!(!store.join("next-2026-01-01T00-00-09Z").exists());
    assert_eq!(live.journal().pop().unwrap().state, Stage::Dropped);
    assert_eq!(live.copies().len(), 1);
}

#[test]
fn what_was_exchanged_is_finished() {
    let dir = stage();
    place(dir.path(), "2026-01-01T00:00:00Z");
    let store = dir.path().join("www/.t.backups");
    // As if it had died right after the exchange: the old copy still has the place of the new one.
    let journal = fs::read_to_string(store.join("journal.jsonl")).unwrap();
    fs::write(store.join("journal.jsonl"), journal.lines().next().unwrap().to_string() + "\n{\"what\":\"pl")
        .unwrap();
    fs::rename(store.join("2026-01-01T00-00-00Z"), store.join("next-2026-01-01T00-00-00Z")).unwrap();

    let (live, said) = Live::open(&dir.path().join("www/t"), true).unwrap();
    assert!(said.unwrap().contains("finished"));
    let copies = live.copies();
    assert_eq!((copies.len(), copies[0].next), (1, true));
    assert_eq!(read(&copies[0].path), [("a.txt".into(), "old".into())]);
    live.put(&Origin::Copy(&copies[0]), &nothing, None, "2026-01-01T00:00:05Z", None).unwrap();
    assert_eq!(read(live.at()), [("a.txt".into(), "old".into())]);
    assert!(live.copies().iter().all(|c| !c.next), "there is nothing before it");
}

#[test]
fn only_one_command_works_on_a_live_theme() {
    let dir = stage();
    let at = dir.path().join("www/t");
    let (first, _) = Live::open(&at, true).unwrap();
    let second = Live::open(&at, true).unwrap_err();
    assert!(second.to_string().contains("another command"), "{second}");
    assert!(Live::open(&at, false).is_ok(), "looking is always possible");
    drop(first);
    assert!(Live::open(&at, true).is_ok());
    assert!(Live::open(&dir.path().join("none"), true).is_err());
}

#[test]
fn what_is_the_sites_own_comes_along_as_it_is_now() {
    let dir = stage();
    let at = dir.path().join("www/t");
    write(&at, "uploads/x.jpg", "picture");
    write(dir.path(), "new/uploads/x.jpg", "an old picture");
    write(dir.path(), "new/uploads/gone.jpg", "was taken out since");
    let owned = |path: &str| path.starts_with("uploads/");
    let (live, _) = Live::open(&at, true).unwrap();
    let new = FolderTree::read(&dir.path().join("new"), LinkRule::Refuse, Limits::default()).unwrap();
    let placed = live.put(&Origin::Result(&new), &owned, None, "2026-01-01T00:00:00Z", None).unwrap();
    assert_eq!(placed.owned, 1);
    let now = read(&at);
    assert!(now.contains(&("uploads/x.jpg".into(), "picture".into())) && now.len() == 3, "{now:?}");

    // Two copies of one second have two names; a sweep takes one out, and the journal says so.
    live.put(&Origin::Result(&new), &owned, None, "2026-01-01T00:00:00Z", None).unwrap();
    let names: Vec<String> = live.copies().into_iter().map(|c| c.name).collect();
    assert_eq!(names, ["2026-01-01T00-00-00Z-2", "2026-01-01T00-00-00Z"]);
    live.sweep(&live.copies()[0], "2026-01-02T00:00:00Z", None).unwrap();
    assert_eq!(live.copies().len(), 1);
    assert_eq!(live.journal().pop().unwrap().what, Deed::Sweep);
    assert!(live.copies()[0].next, "the way back is the older one now");
}

#[cfg(unix)]
#[test]
fn links_of_the_sites_own_stay_links() {
    let dir = stage();
    let at = dir.path().join("www/t");
    write(dir.path(), "elsewhere/y.txt", "far");
    std::os::unix::fs::symlink(dir.path().join("elsewhere"), at.join("uploads")).unwrap();
    let owned = |path: &str| path.starts_with("uploads");
    let (live, _) = Live::open(&at, true).unwrap();
    let new = FolderTree::read(&dir.path().join("new"), LinkRule::Refuse, Limits::default()).unwrap();
    let zip = dir.path().join("b.zip");
    let refused = live.put(&Origin::Result(&new), &owned, Some(&zip), "2026-01-01T00:00:00Z", None).unwrap_err();
    assert!(refused.to_string().contains("an archive would lose"), "{refused}");
    live.put(&Origin::Result(&new), &owned, None, "2026-01-01T00:00:00Z", None).unwrap();
    assert!(at.join("uploads").is_symlink() && at.join("uploads/y.txt").is_file());
}
