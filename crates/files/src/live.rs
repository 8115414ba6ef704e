//! A theme where the site runs: put in place in one step, with the old copies kept beside it and a way back.
//!
//! Beside the live folder `NAME` lies `.NAME.backups`: the old copies, each under the time at which it was replaced,
//! and `journal.jsonl`, which says who did what when. A new copy is built there whole, and then the two folders' names
//! are exchanged. Whatever interrupts that, the journal tells the next command how far it came.

use std::fs::{self, File};
use std::io::Write;
use std::path::{Path, PathBuf};

use daxle_core::theme::Tree;
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use walkdir::WalkDir;

use crate::building::{exchange, parent_of, umask_by};
use crate::folder::{executable, make_link};
use crate::{FolderTree, Trouble, ZipEntry, write_file, write_zip};

/// One line of the journal.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct JournalEntry {
    /// What was done.
    pub what: Deed,
    /// How far it came.
    pub state: Stage,
    /// The name of the copy that was live before; for a sweep, of the one that was removed.
    pub copy: String,
    /// When (RFC 3339, in UTC).
    pub at: String,
    /// Who: the user's name, where the system tells.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub who: Option<String>,
    /// The result that was placed, or the copy that was gone back to.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub from: Option<String>,
    /// The archive that the old copy was packed into.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub archive: Option<PathBuf>,
    /// What tells the new folder from the old one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub mark: Option<u64>,
}

/// What can be done to a live theme.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Deed {
    /// A result was placed.
    Place,
    /// An old copy was put back.
    Rollback,
    /// An old copy was removed.
    Sweep,
}

/// How far a deed came.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Stage {
    /// The new copy is whole; the names are about to be exchanged.
    Begun,
    /// All is done.
    Done,
    /// It was interrupted before anything changed.
    Dropped,
}

/// An old copy of a live theme.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct OldCopy {
    /// Its name: the time at which it was replaced.
    pub name: String,
    /// Where it is: a folder, or an archive.
    pub path: PathBuf,
    /// A rollback goes back to it next.
    pub next: bool,
    /// Its size in bytes.
    pub bytes: u64,
    /// What replaced it.
    pub replaced_by: Option<String>,
}

/// A theme where the site runs. While this exists, no other command changes it.
#[derive(Debug)]
pub struct Live {
    at: PathBuf,
    store: PathBuf,
    name: String,
    _lock: Option<File>,
}

/// What the new copy is made from.
pub enum Origin<'a> {
    /// A result.
    Result(&'a FolderTree),
    /// An old copy, by its name.
    Copy(&'a OldCopy),
}

/// What a placement or rollback did.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Placed {
    /// The old copy.
    pub kept: PathBuf,
    /// Files of the site's own that came along.
    pub owned: usize,
    /// Files whose owner could not be kept.
    pub owner_lost: usize,
}

const JOURNAL: &str = "journal.jsonl";

impl Live {
    /// Opens a live theme, and finishes or drops what was interrupted. With `write` nobody else may change it until
    /// this is gone; without, nothing is touched.
    ///
    /// # Errors
    ///
    /// When there is no folder, or another command is at work on it.
    pub fn open(at: &Path, write: bool) -> Result<(Self, Option<String>), Trouble> {
        let missing = fs::symlink_metadata(at).is_err();
        // Where names cannot be exchanged, an interruption may leave none for an instant.
        let full = if missing {
            parent_of(at).canonicalize().map(|p| p.join(at.file_name().unwrap_or_default()))
        } else {
            at.canonicalize()
        };
        let full = full.map_err(|e| Trouble::io("open", at, &e))?;
        let name = full.file_name().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default();
        let store = parent_of(&full).join(format!(".{name}.backups"));
        if (missing && !store.exists()) || (!missing && !full.is_dir()) || name.is_empty() {
            return Err(Trouble::new(format!("there is no live theme at {}", at.display()))
                .hint("name the folder of the theme on the site with --at"));
        }
        let mut live = Live { at: full, store, name, _lock: None };
        if !write {
            return Ok((live, None));
        }
        fs::create_dir_all(&live.store).map_err(|e| Trouble::io("make the folder", &live.store, &e))?;
        let path = live.store.join("lock");
        let lock = File::options().create(true).append(true).open(&path);
        let lock = lock.map_err(|e| Trouble::io("open", &path, &e))?;
        if lock.try_lock().is_err() {
            return Err(Trouble::new(format!("another command is at work on {}", live.at.display()))
                .hint("wait until it has ended"));
        }
        live._lock = Some(lock);
        let said = live.recover()?;
        if !live.at.is_dir() {
            return Err(Trouble::new(format!("there is no live theme at {}", at.display()))
                .hint("name the folder of the theme on the site with --at"));
        }
        Ok((live, said))
    }

    /// The live folder.
    pub fn at(&self) -> &Path {
        &self.at
    }

    /// Where the old copies and the journal are.
    pub fn store(&self) -> &Path {
        &self.store
    }

    /// The journal, oldest first; lines that cannot be read are left out.
    pub fn journal(&self) -> Vec<JournalEntry> {
        let text = fs::read_to_string(self.store.join(JOURNAL)).unwrap_or_default();
        text.lines().filter_map(|line| serde_json::from_str(line).ok()).collect()
    }

    fn write_down(&self, entry: &JournalEntry) -> Result<(), Trouble> {
        let path = self.store.join(JOURNAL);
        let failed = |e: &std::io::Error| Trouble::io("write the journal", &path, e);
        let mut line = serde_json::to_string(entry).map_err(|e| failed(&e.into()))?;
        // A line that was cut short by an interruption stays alone.
        let whole = fs::read(&path).map_or(true, |text| text.is_empty() || text.ends_with(b"\n"));
        line = format!("{}{line}\n", if whole { "" } else { "\n" });
        let mut file = File::options().create(true).append(true).open(&path).map_err(|e| failed(&e))?;
        file.write_all(line.as_bytes()).and_then(|()| file.sync_all()).map_err(|e| failed(&e))
    }

    fn staging(&self, copy: &str) -> PathBuf {
        self.store.join(format!("next-{copy}"))
    }

    /// Finishes what was exchanged already, drops what was not, and says so.
    fn recover(&self) -> Result<Option<String>, Trouble> {
        let mut said = None;
        if let Some(last) = self.journal().pop().filter(|e| e.state == Stage::Begun) {
            let staging = self.staging(&last.copy);
            let away = staging.with_extension("old");
            if !self.at.exists() && away.exists() {
                fs::rename(&away, &self.at).map_err(|e| Trouble::io("put back", &self.at, &e))?;
            }
            let exchanged = !staging.exists() || mark(&self.at) == last.mark;
            if exchanged {
                self.keep(&last)?;
                said = Some(format!("finished what was interrupted at {}", last.at));
            } else {
                self.write_down(&JournalEntry { state: Stage::Dropped, ..last.clone() })?;
                said = Some(format!("what was interrupted at {} had changed nothing", last.at));
            }
        }
        let list = fs::read_dir(&self.store).map_err(|e| Trouble::io("read", &self.store, &e))?;
        for entry in list.flatten().filter(|e| e.file_name().to_string_lossy().starts_with("next-")) {
            fs::remove_dir_all(entry.path()).map_err(|e| Trouble::io("remove", &entry.path(), &e))?;
        }
        Ok(said)
    }

    /// Gives the old copy, which has the place of the new one now, its name, and writes that all is done.
    fn keep(&self, entry: &JournalEntry) -> Result<PathBuf, Trouble> {
        let staging = self.staging(&entry.copy);
        let kept = match &entry.archive {
            Some(archive) => {
                if staging.exists() {
                    pack_folder(&staging, &self.name, archive)?;
                    fs::remove_dir_all(&staging).map_err(|e| Trouble::io("remove", &staging, &e))?;
                }
                archive.clone()
            }
            None => {
                let kept = self.store.join(&entry.copy);
                if staging.exists() {
                    fs::rename(&staging, &kept).map_err(|e| Trouble::io("keep the old copy at", &kept, &e))?;
                }
                kept
            }
        };
        self.write_down(&JournalEntry { state: Stage::Done, ..entry.clone() })?;
        Ok(kept)
    }

    /// Puts a new copy in place: builds it beside the live one, brings along what is the site's own, exchanges the two
    /// in one step, and keeps the old one, packed into `archive` where one is given.
    ///
    /// # Errors
    ///
    /// When something cannot be written; then the live theme is as it was.
    pub fn put(
        &self,
        origin: &Origin<'_>,
        owned: &(dyn Fn(&str) -> bool + Sync),
        archive: Option<&Path>,
        at: &str,
        who: Option<String>,
    ) -> Result<Placed, Trouble> {
        if let Some(archive) = archive {
            fit_for_archive(&self.at, archive)?;
        }
        let copy = self.free_name(at);
        let staging = self.staging(&copy);
        let (what, from) = match origin {
            Origin::Result(tree) => (Deed::Place, tree.root().display().to_string()),
            Origin::Copy(copy) => (Deed::Rollback, copy.name.clone()),
        };
        let done = self.build(origin, &staging, owned);
        let (count, owner_lost) = done.inspect_err(|_| _ = fs::remove_dir_all(&staging))?;
        let archive = archive.map(|a| std::path::absolute(a).unwrap_or_else(|_| a.to_path_buf()));
        let entry = JournalEntry {
            what,
            state: Stage::Begun,
            copy,
            at: at.to_string(),
            who,
            from: Some(from),
            archive,
            mark: mark(&staging),
        };
        sync(&self.store);
        self.write_down(&entry)?;
        exchange(&staging, &self.at)?;
        // What came in while the copy was built.
        let late = bring(&staging, &self.at, owned)?;
        let kept = self.keep(&entry)?;
        Ok(Placed { kept, owned: count + late, owner_lost })
    }

    /// Builds the new copy; returns how many files of the site's own came along, and how many owners were lost.
    fn build(
        &self,
        origin: &Origin<'_>,
        staging: &Path,
        owned: &(dyn Fn(&str) -> bool + Sync),
    ) -> Result<(usize, usize), Trouble> {
        let _ = fs::remove_dir_all(staging);
        fs::create_dir_all(staging).map_err(|e| Trouble::io("make the folder", staging, &e))?;
        match origin {
            Origin::Result(tree) => copy_theme(tree, staging, &|path| !owned(path))?,
            Origin::Copy(copy) if copy.path.is_dir() => {
                bring(&copy.path, staging, &|path| !owned(path))?;
            }
            Origin::Copy(copy) => {
                let unpacked = crate::archive::unpack_folder(&copy.path)?;
                let inner = unpacked.path().join(&self.name);
                bring(&inner, staging, &|path| !owned(path))?;
            }
        }
        let count = bring(&self.at, staging, owned)?;
        let owner_lost = same_access(&self.at, staging, matches!(origin, Origin::Result(_)))?;
        Ok((count, owner_lost))
    }

    /// A name for the copy that is replaced now.
    fn free_name(&self, at: &str) -> String {
        let base = at.replace(':', "-");
        let used: Vec<String> = self.journal().into_iter().map(|e| e.copy).collect();
        let taken = |name: &String| used.contains(name) || self.store.join(name).exists();
        let names = std::iter::once(base.clone()).chain((2..).map(|k| format!("{base}-{k}")));
        names.into_iter().find(|name| !taken(name)).unwrap_or(base)
    }

    /// The old copies, newest first.
    pub fn copies(&self) -> Vec<OldCopy> {
        let journal = self.journal();
        let mut back: Vec<String> = Vec::new();
        for entry in journal.iter().filter(|e| e.state == Stage::Done) {
            match entry.what {
                Deed::Place => back.push(entry.copy.clone()),
                // Going back takes all copies off that are newer than the one gone back to.
                Deed::Rollback => {
                    let to = back.iter().position(|name| entry.from.as_deref() == Some(name));
                    back.truncate(to.unwrap_or(back.len()));
                }
                Deed::Sweep => back.retain(|name| *name != entry.copy),
            }
        }
        let next = back.iter().rev().find(|name| self.path_of(name, &journal).exists());
        let mut names: Vec<&String> = Vec::new();
        let swept =
            |name: &String| journal.iter().rev().find(|e| e.copy == *name).is_some_and(|e| e.what == Deed::Sweep);
        for entry in journal.iter().filter(|e| e.state == Stage::Done && e.what != Deed::Sweep) {
            if !names.contains(&&entry.copy) && !swept(&entry.copy) {
                names.push(&entry.copy);
            }
        }
        let copy = |name: &&String| {
            let path = self.path_of(name, &journal);
            let replaced_by = journal.iter().find(|e| e.copy == **name).and_then(|e| e.from.clone());
            let bytes = size_of(&path);
            path.exists().then(|| OldCopy {
                name: name.to_string(),
                bytes,
                next: Some(*name) == next,
                replaced_by,
                path,
            })
        };
        names.iter().rev().filter_map(copy).collect()
    }

    fn path_of(&self, name: &str, journal: &[JournalEntry]) -> PathBuf {
        let archive = journal.iter().find(|e| e.copy == name).and_then(|e| e.archive.clone());
        archive.unwrap_or_else(|| self.store.join(name))
    }

    /// Removes an old copy.
    ///
    /// # Errors
    ///
    /// When it cannot be removed.
    pub fn sweep(&self, copy: &OldCopy, at: &str, who: Option<String>) -> Result<(), Trouble> {
        let removed = if copy.path.is_dir() { fs::remove_dir_all(&copy.path) } else { fs::remove_file(&copy.path) };
        removed.map_err(|e| Trouble::io("remove", &copy.path, &e))?;
        self.write_down(&JournalEntry {
            what: Deed::Sweep,
            state: Stage::Done,
            copy: copy.name.clone(),
            at: at.to_string(),
            who,
            from: None,
            archive: None,
            mark: None,
        })
    }
}

/// What tells a folder from another, whatever its name.
#[cfg(unix)]
fn mark(folder: &Path) -> Option<u64> {
    use std::os::unix::fs::MetadataExt;
    fs::metadata(folder).ok().map(|m| m.ino())
}

#[cfg(not(unix))]
fn mark(_folder: &Path) -> Option<u64> {
    None
}

/// Sees to it that what was written is on the disk.
fn sync(folder: &Path) {
    #[cfg(any(target_os = "linux", target_os = "android"))]
    if let Ok(folder) = File::open(folder) {
        // A disk that cannot do this has done what it can.
        let _ = rustix::fs::syncfs(&folder);
    }
    #[cfg(not(any(target_os = "linux", target_os = "android")))]
    let _ = folder;
}

/// Copies the files of a theme that are wanted into a folder, with their permissions.
///
/// # Errors
///
/// When a file cannot be read or written.
pub fn copy_theme(tree: &FolderTree, to: &Path, wanted: &(dyn Fn(&str) -> bool + Sync)) -> Result<(), Trouble> {
    fs::create_dir_all(to).map_err(|e| Trouble::io("make the folder", to, &e))?;
    let umask = umask_by(to);
    let files: Vec<usize> = (0..tree.entries().len()).filter(|k| wanted(&tree.entries()[*k].path)).collect();
    for folder in files.iter().filter_map(|k| Path::new(&tree.entries()[*k].path).parent()) {
        fs::create_dir_all(to.join(folder)).map_err(|e| Trouble::io("make the folder", &to.join(folder), &e))?;
    }
    files.par_iter().try_for_each(|k| {
        let target = to.join(&tree.entries()[*k].path);
        tree.copy(*k, &target, umask).map_err(|e| Trouble::io("write", &target, &e))
    })
}

/// Brings files from one folder into another: all that are wanted and that the other does not have just so, with
/// their times. Returns how many.
fn bring(from: &Path, to: &Path, wanted: &(dyn Fn(&str) -> bool + Sync)) -> Result<usize, Trouble> {
    let mut count = 0;
    for item in WalkDir::new(from).follow_links(false).sort_by_file_name() {
        let item =
            item.map_err(|e| Trouble::new(format!("could not read {}", from.display())).why(e.to_string()))?;
        let inner = item.path().strip_prefix(from).unwrap_or(item.path());
        let name = inner.to_string_lossy().replace(std::path::MAIN_SEPARATOR, "/");
        if item.file_type().is_dir() || !wanted(&name) {
            continue;
        }
        let target = to.join(inner);
        let failed = |e: std::io::Error| Trouble::io("write", &target, &e);
        let metadata = item.path().symlink_metadata().map_err(failed)?;
        if let Ok(there) = target.symlink_metadata() {
            let same = there.len() == metadata.len() && there.modified().ok() == metadata.modified().ok();
            if same || metadata.is_symlink() {
                continue;
            }
        }
        if let Some(folder) = target.parent() {
            fs::create_dir_all(folder).map_err(failed)?;
        }
        if metadata.is_symlink() {
            let link = fs::read_link(item.path()).map_err(failed)?;
            make_link(&link.to_string_lossy(), &target).map_err(failed)?;
        } else {
            fs::copy(item.path(), &target).map_err(failed)?;
            if let Ok(modified) = metadata.modified() {
                // A read-only file keeps the time of its copying.
                let _ = File::options().append(true).open(&target).and_then(|f| f.set_modified(modified));
            }
        }
        count += 1;
    }
    Ok(count)
}

/// Gives files and folders the owner that they have in the live theme (new ones, that of its folder), and the
/// permissions too, where `modes` says so. Returns how many owners could not be given.
#[cfg(unix)]
fn same_access(live: &Path, new: &Path, modes: bool) -> Result<usize, Trouble> {
    use std::os::unix::fs::{MetadataExt, lchown};
    let root = fs::metadata(live).map_err(|e| Trouble::io("read", live, &e))?;
    let mut lost = 0;
    for item in WalkDir::new(new).follow_links(false) {
        let item =
            item.map_err(|e| Trouble::new(format!("could not read {}", new.display())).why(e.to_string()))?;
        let inner = item.path().strip_prefix(new).unwrap_or(item.path());
        let there = live.join(inner).symlink_metadata().ok();
        let mine = item.path().symlink_metadata().map_err(|e| Trouble::io("read", item.path(), &e))?;
        let alike = there.as_ref().filter(|t| t.file_type() == mine.file_type());
        let (uid, gid) = alike.map_or((root.uid(), root.gid()), |t| (t.uid(), t.gid()));
        if (mine.uid(), mine.gid()) != (uid, gid) && lchown(item.path(), Some(uid), Some(gid)).is_err() {
            lost += 1;
        }
        let mode = alike.map(|t| t.permissions()).or_else(|| mine.is_dir().then(|| root.permissions()));
        if let Some(mode) =
            mode.filter(|m| (modes || mine.is_dir()) && *m != mine.permissions() && !mine.is_symlink())
        {
            fs::set_permissions(item.path(), mode)
                .map_err(|e| Trouble::io("set the permissions of", item.path(), &e))?;
        }
    }
    Ok(lost)
}

#[cfg(not(unix))]
fn same_access(_live: &Path, _new: &Path, _modes: bool) -> Result<usize, Trouble> {
    Ok(0)
}

/// An old copy in an archive must be all of it.
fn fit_for_archive(live: &Path, archive: &Path) -> Result<(), Trouble> {
    if fs::symlink_metadata(archive).is_ok() {
        return Err(Trouble::new(format!("{} is there already", archive.display()))
            .hint("name a new file with --backup-to"));
    }
    let link = WalkDir::new(live).into_iter().flatten().find(|e| e.file_type().is_symlink());
    match link {
        None => Ok(()),
        Some(link) => {
            Err(Trouble::new(format!("{} is a link, which an archive would lose", link.path().display()))
                .hint("leave out --backup-to: the old copy is kept as a folder then"))
        }
    }
}

/// Packs a folder into an archive, under a top folder's name.
fn pack_folder(folder: &Path, name: &str, archive: &Path) -> Result<(), Trouble> {
    let mut entries = Vec::new();
    for item in WalkDir::new(folder).follow_links(false) {
        let item =
            item.map_err(|e| Trouble::new(format!("could not read {}", folder.display())).why(e.to_string()))?;
        if !item.file_type().is_file() {
            continue;
        }
        let inner = item.path().strip_prefix(folder).unwrap_or(item.path()).to_string_lossy();
        let bytes = fs::read(item.path()).map_err(|e| Trouble::io("read", item.path(), &e))?;
        entries.push(ZipEntry {
            path: format!("{name}/{}", inner.replace(std::path::MAIN_SEPARATOR, "/")),
            bytes,
            executable: item.metadata().is_ok_and(|m| executable(&m.permissions())),
        });
    }
    write_file(archive, &write_zip(entries)?)
}

fn size_of(path: &Path) -> u64 {
    let files = WalkDir::new(path).into_iter().flatten().filter_map(|e| e.metadata().ok());
    files.filter(std::fs::Metadata::is_file).map(|m| m.len()).sum()
}
