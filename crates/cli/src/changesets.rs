//! Change sets and overlays in place of a site's copy: the site as they make it, put together aside.

use std::path::Path;

use daxle_core::separate::changeset::{ChangeSet, INDEX};
use daxle_core::theme::{Layout, Tree};
use daxle_files::{
    FolderTree, Limits, LinkRule, OpenOptions, Opened, Trouble, copy_theme, is_inside, open_theme, write_file,
};
use serde::{Deserialize, Serialize};
use tempfile::TempDir;

use crate::carried::beside;

/// What stands beside an overlay: what the site took out.
#[derive(Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct Overlay {
    pub(crate) format: String,
    pub(crate) format_version: u32,
    /// Name and version of the base.
    pub(crate) base: String,
    pub(crate) deleted: Vec<String>,
}

pub(crate) const OVERLAY: &str = "daxle-overlay";

/// Tells whether a folder is a change set or an overlay.
pub(crate) fn is_one(path: &Path) -> bool {
    let named = || std::fs::read_to_string(path.join(INDEX)).is_ok_and(|t| t.contains("\"daxle-changes\""));
    path.is_dir() && (beside(path, "overlay.json").is_file() || named())
}

/// The base that a change set says it was made from: `NAME@VERSION`.
pub(crate) fn made_from(path: &Path) -> Option<String> {
    let folder = FolderTree::read(path, LinkRule::Refuse, Limits::default()).ok()?;
    let base = ChangeSet::read(&folder).ok()?.index.base;
    Some(format!("{}@{}", base.name?, base.version?))
}

/// Puts together the site that a change set or overlay makes of a base.
pub(crate) fn open(path: &Path, base: &FolderTree, layout: &Layout, say: &dyn Fn(&str)) -> Result<Opened, Trouble> {
    let dir = put_together(path, base, say)?;
    let mut opened = open_theme(dir.path(), layout, &OpenOptions::default())?;
    opened.folder_name = path.file_name().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default();
    opened.inside = None;
    opened.hold(dir);
    Ok(opened)
}

/// Writes the site that a change set or overlay makes of a base into a folder of its own.
pub(crate) fn put_together(path: &Path, base: &FolderTree, say: &dyn Fn(&str)) -> Result<TempDir, Trouble> {
    let folder = FolderTree::read(path, LinkRule::Keep, Limits::default())?;
    let dir = tempfile::Builder::new().prefix("daxle-").tempdir();
    let dir = dir.map_err(|e| Trouble::io("make a folder in", &std::env::temp_dir(), &e))?;
    let beside = beside(path, "overlay.json");
    if beside.is_file() && !path.join(INDEX).is_file() {
        let text = std::fs::read(&beside).map_err(|e| Trouble::io("read", &beside, &e))?;
        let overlay: Overlay = serde_json::from_slice(&text)
            .map_err(|e| Trouble::new(format!("{} is no overlay's list", beside.display())).why(e.to_string()))?;
        if let Some(out) = overlay.deleted.iter().find(|p| !is_inside(p)) {
            return Err(Trouble::new(format!("{} names {out}, which leads out of the theme", beside.display())));
        }
        let stays = |p: &str| folder.find(p).is_none() && !overlay.deleted.iter().any(|d| d == p);
        copy_theme(base, dir.path(), &stays)?;
        copy_theme(&folder, dir.path(), &|_| true)?;
        return Ok(dir);
    }
    let wrong = |e: daxle_core::separate::changeset::SetError| {
        Trouble::new(format!("the change set {} cannot be used", path.display()))
            .why(e.to_string())
            .hint("name the base that it was made from with --base, or separate the changes again")
    };
    let set = ChangeSet::read(&folder).map_err(wrong)?;
    let applied = set.apply(&folder, base).map_err(wrong)?;
    copy_theme(base, dir.path(), &|p| !applied.files.contains_key(p))?;
    for (name, bytes) in &applied.files {
        if let Some(bytes) = bytes {
            let to = dir.path().join(name);
            write_file(&to, bytes)?;
            let like = base.find(name).and_then(|k| base.permissions(k));
            let stored = folder.find(&format!("files/{name}")).and_then(|k| folder.permissions(k));
            if let Some(permissions) = stored.or(like) {
                std::fs::set_permissions(&to, permissions.clone()).map_err(|e| Trouble::io("write", &to, &e))?;
            }
        }
    }
    if !applied.edited.is_empty() {
        say(&format!("the change set was edited since it was made: {}", applied.edited.join(", ")));
    }
    Ok(dir)
}
