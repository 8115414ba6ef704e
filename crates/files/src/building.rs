//! Building a result aside and moving it into place in one step.

use std::collections::HashSet;
use std::fs;
use std::io::Write;
use std::path::{Path, PathBuf};
use std::sync::Mutex;

use daxle_core::carry::{Content, Sink};
use daxle_core::theme::{ReadError, Tree};

use crate::folder::create;
use crate::{FolderTree, Trouble};

/// A result that is being built beside the place it will take. If it is not finished, it leaves nothing.
#[derive(Debug)]
pub struct Building<'a> {
    out: PathBuf,
    part: PathBuf,
    aside: PathBuf,
    aside_part: PathBuf,
    replace: bool,
    site: &'a FolderTree,
    release: &'a FolderTree,
    folders: Mutex<HashSet<PathBuf>>,
    /// What the system takes away from the permissions of new files.
    umask: u32,
    finished: bool,
}

/// A change to a file of a result.
#[derive(Debug)]
pub enum Edit<'a> {
    /// It gets these bytes, and keeps its permissions.
    Bytes(Vec<u8>),
    /// It becomes a copy of a theme's file, by its index.
    Copy(&'a FolderTree, usize),
    /// It goes.
    Remove,
}

impl Edit<'_> {
    /// Makes the change; `aside` is where its new content is written first.
    fn make(&self, root: &Path, path: &str, aside: &Path) -> Result<(), Trouble> {
        let full = root.join(path);
        match self {
            Edit::Bytes(bytes) => write_through(aside, &full, bytes),
            Edit::Copy(tree, index) => {
                let bytes = tree.read(*index).map_err(|e| Trouble::new(e.to_string()))?;
                write_through(aside, &full, &bytes)?;
                match tree.permissions(*index) {
                    Some(permissions) => set_permissions(&full, permissions),
                    None => Ok(()),
                }
            }
            Edit::Remove => {
                match fs::remove_file(&full) {
                    Err(e) if e.kind() != std::io::ErrorKind::NotFound => {
                        return Err(Trouble::io("remove", &full, &e));
                    }
                    _ => {}
                }
                // Folders that hold nothing any more are no part of a theme.
                let mut folder = full.parent();
                while let Some(empty) = folder.filter(|f| *f != root && fs::remove_dir(f).is_ok()) {
                    folder = empty.parent();
                }
                Ok(())
            }
        }
    }
}

/// Changes files of a finished result, each in one step. New content is written beside the result first, so that a run
/// that is cut short leaves nothing in it.
///
/// # Errors
///
/// When a file cannot be written; those before it are.
pub fn edit_files(root: &Path, edits: &[(String, Edit<'_>)]) -> Result<(), Trouble> {
    let root = root.canonicalize().map_err(|e| Trouble::io("open", root, &e))?;
    let (parent, name) = (parent_of(&root), root.file_name().unwrap_or_default().to_string_lossy().into_owned());
    clear_stale(&parent, &name);
    let aside = parent.join(format!(".{name}{PART}{}", std::process::id()));
    // Where nothing can be written beside it, each file's own folder has to do.
    let _ = fs::create_dir(&aside);
    let done = edits.iter().try_for_each(|(path, edit)| edit.make(&root, path, &aside));
    let _ = fs::remove_dir_all(&aside);
    done
}

/// Reads a file of a folder; `None` where there is none.
///
/// # Errors
///
/// When the file cannot be read.
pub fn read_under(root: &Path, path: &str) -> Result<Option<Vec<u8>>, ReadError> {
    match fs::read(root.join(path)) {
        Ok(bytes) => Ok(Some(bytes)),
        Err(e) if e.kind() == std::io::ErrorKind::NotFound => Ok(None),
        Err(e) => Err(ReadError { path: path.to_string(), why: e.to_string() }),
    }
}

#[cfg(unix)]
fn set_permissions(path: &Path, permissions: &fs::Permissions) -> Result<(), Trouble> {
    fs::set_permissions(path, permissions.clone()).map_err(|e| Trouble::io("set the permissions of", path, &e))
}

#[cfg(not(unix))]
fn set_permissions(_path: &Path, _permissions: &fs::Permissions) -> Result<(), Trouble> {
    Ok(())
}

/// Names of unfinished work, behind a dot and the name of the result.
const PART: &str = ".daxle-part-";

impl<'a> Building<'a> {
    /// Begins a result at `out`; files that lose their place to others are kept in `aside`, beside it.
    ///
    /// # Errors
    ///
    /// When `out` exists and is not an empty folder (unless `replace`), or lies within an input or an input
    /// within it, or its folder cannot be written.
    pub fn begin(
        out: &Path,
        aside: &Path,
        replace: bool,
        site: &'a FolderTree,
        release: &'a FolderTree,
    ) -> Result<Self, Trouble> {
        let parent = parent_of(out);
        fs::create_dir_all(&parent).map_err(|e| Trouble::io("make the folder", &parent, &e))?;
        let parent = parent.canonicalize().map_err(|e| Trouble::io("open", &parent, &e))?;
        let Some(name) = out.file_name() else {
            return Err(Trouble::new(format!("{} cannot be a result's folder", out.display()))
                .hint("name a new folder with --out"));
        };
        let out = parent.join(name);
        if fs::symlink_metadata(&out).is_ok() {
            let empty = fs::read_dir(&out).is_ok_and(|mut list| list.next().is_none());
            if !out.is_dir() {
                return Err(Trouble::new(format!("{} is there already and is no folder", out.display()))
                    .hint("name a new folder with --out"));
            }
            if !empty && !replace {
                return Err(Trouble::new(format!("{} is there already and is not empty", out.display()))
                    .hint("name a new folder, or swap the old one for the new with --replace"));
            }
        }
        let name = name.to_string_lossy();
        clear_stale(&parent, &name);
        let part = parent.join(format!(".{name}{PART}{}", std::process::id()));
        let aside_part = parent.join(format!(".{name}{PART}aside-{}", std::process::id()));
        fs::create_dir_all(&part).map_err(|e| Trouble::io("make the folder", &part, &e))?;
        let umask = umask_by(&part);
        Ok(Building {
            out,
            part,
            aside: aside.to_path_buf(),
            aside_part,
            replace,
            site,
            release,
            folders: Mutex::new(HashSet::new()),
            umask,
            finished: false,
        })
    }

    /// Moves the result into place: `out` is the old folder until it is the new one, never half of either.
    ///
    /// # Errors
    ///
    /// When the folders cannot be exchanged; then `out` is as it was.
    pub fn finish(mut self) -> Result<(), Trouble> {
        let there = fs::read_dir(&self.out).is_ok_and(|mut list| list.next().is_some());
        if there && self.replace {
            exchange(&self.part, &self.out)?;
            // What is in `part` now is the old result.
            fs::remove_dir_all(&self.part).map_err(|e| Trouble::io("remove the old result", &self.part, &e))?;
        } else {
            fs::rename(&self.part, &self.out).map_err(|e| Trouble::io("put the result at", &self.out, &e))?;
        }
        if self.aside.exists() && self.replace {
            fs::remove_dir_all(&self.aside).map_err(|e| Trouble::io("remove", &self.aside, &e))?;
        }
        if self.aside_part.exists() {
            fs::rename(&self.aside_part, &self.aside)
                .map_err(|e| Trouble::io("put the files aside at", &self.aside, &e))?;
        }
        self.finished = true;
        Ok(())
    }

    /// Reads a file of the result that was put already; `None` where there is none.
    ///
    /// # Errors
    ///
    /// When the file cannot be read.
    pub fn read(&self, path: &str) -> Result<Option<Vec<u8>>, ReadError> {
        read_under(&self.part, path)
    }

    /// Changes files of the result that were put already.
    ///
    /// # Errors
    ///
    /// When a file cannot be read or written.
    pub fn change(&self, edits: &[(String, Edit<'_>)]) -> Result<(), Trouble> {
        edits.iter().try_for_each(|(path, edit)| edit.make(&self.part, path, &self.part))
    }

    fn write(&self, root: &Path, path: &str, content: &Content) -> Result<(), ReadError> {
        let to = root.join(path);
        let failed = |e: std::io::Error| ReadError {
            path: path.to_string(),
            why: Trouble::io("write", &self.out.join(path), &e).to_string(),
        };
        if let Some(parent) = to.parent() {
            let known = self.folders.lock().is_ok_and(|f| f.contains(parent));
            if !known {
                fs::create_dir_all(parent).map_err(failed)?;
                if let Ok(mut folders) = self.folders.lock() {
                    folders.insert(parent.to_path_buf());
                }
            }
        }
        match content {
            Content::Release(k) => self.release.copy(*k, &to, self.umask).map_err(failed),
            Content::Site(k) => self.site.copy(*k, &to, self.umask).map_err(failed),
            Content::Merged(bytes, like) => match like.and_then(|k| self.release.permissions(k)) {
                Some(permissions) => {
                    create(&to, permissions, self.umask).and_then(|mut file| file.write_all(bytes)).map_err(failed)
                }
                None => fs::write(&to, bytes).map_err(failed),
            },
        }
    }
}

impl Sink for Building<'_> {
    fn put(&self, path: &str, content: &Content) -> Result<(), ReadError> {
        self.write(&self.part, path, content)
    }

    fn put_aside(&self, path: &str, content: &Content) -> Result<(), ReadError> {
        self.write(&self.aside_part, path, content)
    }
}

impl Drop for Building<'_> {
    fn drop(&mut self) {
        if !self.finished {
            let _ = fs::remove_dir_all(&self.part);
            let _ = fs::remove_dir_all(&self.aside_part);
        }
    }
}

/// Finds what the system takes away from new permissions, by a folder that was just made.
#[cfg(unix)]
pub(crate) fn umask_by(folder: &Path) -> u32 {
    use std::os::unix::fs::PermissionsExt;
    fs::metadata(folder).map_or(0o777, |m| !m.permissions().mode() & 0o777)
}

#[cfg(not(unix))]
pub(crate) fn umask_by(_folder: &Path) -> u32 {
    0
}

pub(crate) fn parent_of(path: &Path) -> PathBuf {
    path.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new(".")).to_path_buf()
}

/// Removes what an interrupted run left: its process is gone.
fn clear_stale(parent: &Path, name: &str) {
    let prefix = format!(".{name}{PART}");
    for entry in fs::read_dir(parent).into_iter().flatten().filter_map(Result::ok) {
        let found = entry.file_name().to_string_lossy().into_owned();
        let Some(pid) = found.strip_prefix(&prefix).map(|p| p.trim_start_matches("aside-")) else { continue };
        if pid.parse::<u32>().is_ok_and(|p| p != std::process::id() && !is_running(p)) {
            tracing::info!("removing what an interrupted run left: {}", entry.path().display());
            let _ = fs::remove_dir_all(entry.path());
        }
    }
}

/// Tells whether a process runs; where that cannot be told, it does.
fn is_running(pid: u32) -> bool {
    !Path::new("/proc/self").exists() || Path::new(&format!("/proc/{pid}")).exists()
}

/// Exchanges two folders' names: in one atomic step where the system has it.
pub(crate) fn exchange(new: &Path, old: &Path) -> Result<(), Trouble> {
    #[cfg(any(target_os = "linux", target_os = "android"))]
    {
        use rustix::fs::{CWD, RenameFlags, renameat_with};
        match renameat_with(CWD, new, CWD, old, RenameFlags::EXCHANGE) {
            Ok(()) => return Ok(()),
            Err(rustix::io::Errno::INVAL | rustix::io::Errno::NOSYS | rustix::io::Errno::NOTSUP) => {}
            Err(e) => return Err(Trouble::io("exchange", old, &e.into())),
        }
    }
    // Two steps: if the second fails, the first is taken back.
    let away = new.with_extension("old");
    fs::rename(old, &away).map_err(|e| Trouble::io("move away", old, &e))?;
    if let Err(e) = fs::rename(new, old) {
        let _ = fs::rename(&away, old);
        return Err(Trouble::io("put the result at", old, &e));
    }
    fs::rename(&away, new).map_err(|e| Trouble::io("move away", &away, &e))
}

/// Writes a file beside its place and moves it there in one step.
///
/// # Errors
///
/// When the file cannot be written; then what was there is still there.
pub fn write_file(path: &Path, bytes: &[u8]) -> Result<(), Trouble> {
    write_through(&parent_of(path), path, bytes)
}

/// Writes a file in a folder on the way to its place, which is one rename from there; where it is not, beside its place.
fn write_through(folder: &Path, path: &Path, bytes: &[u8]) -> Result<(), Trouble> {
    let parent = parent_of(path);
    let failed = |e: &std::io::Error| Trouble::io("write", path, e);
    fs::create_dir_all(&parent).map_err(|e| failed(&e))?;
    let file = |folder: &Path| tempfile::Builder::new().prefix(PART).tempfile_in(folder);
    let mut file = match file(folder) {
        Err(_) if folder != parent => file(&parent).map_err(|e| failed(&e))?,
        file => file.map_err(|e| failed(&e))?,
    };
    file.write_all(bytes).map_err(|e| failed(&e))?;
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        let mode = fs::metadata(path).map_or(0o644, |m| m.permissions().mode());
        fs::set_permissions(file.path(), fs::Permissions::from_mode(mode)).map_err(|e| failed(&e))?;
    }
    match file.persist(path) {
        Err(e) if e.error.kind() == std::io::ErrorKind::CrossesDevices && folder != parent => {
            write_through(&parent, path, bytes)
        }
        done => done.map(|_| ()).map_err(|e| failed(&e.error)),
    }
}
