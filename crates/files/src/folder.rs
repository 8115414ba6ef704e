//! A theme in a folder.

use std::fs::{self, File, Permissions};
use std::io::{self, Read, Write};
use std::path::{Path, PathBuf};

use daxle_core::theme::{Digest, Entry, ReadError, Tree};
use rayon::prelude::*;
use walkdir::WalkDir;

use crate::safe::link_fault;
use crate::{Limits, Trouble};

/// What is done with symbolic links in a theme.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum LinkRule {
    /// A link is an error: it may lead anywhere.
    #[default]
    Refuse,
    /// Links are left out.
    Skip,
    /// Links that lead to a place inside the theme are carried as links; others are an error.
    Keep,
}

/// A theme in a folder: its files are listed and digested once, and read when asked for.
#[derive(Debug)]
pub struct FolderTree {
    root: PathBuf,
    entries: Vec<Entry>,
    stored: Vec<Stored>,
}

/// How a file of a theme is stored.
#[derive(Debug, Clone, PartialEq, Eq)]
enum Stored {
    /// A file with its permissions.
    File(Permissions),
    /// A link, by where it leads. To the core its content is that text.
    Link(String),
}

/// Folders of version control are not part of a theme.
const NOT_THEME: [&str; 3] = [".git", ".hg", ".svn"];
/// Larger files are digested in pieces.
const WHOLE: u64 = 1 << 20;
/// Larger files are copied by the system, which may share their blocks.
const COPIED_WHOLE: u64 = 64 << 10;

impl FolderTree {
    /// Lists and digests the files of a folder, in parallel.
    ///
    /// # Errors
    ///
    /// When a file cannot be read, has a name that is not UTF-8, is neither file nor folder, or is a link that
    /// the rule refuses; or when there are too many.
    pub fn read(root: &Path, links: LinkRule, limits: Limits) -> Result<Self, Trouble> {
        let mut paths: Vec<String> = Vec::new();
        let walk = WalkDir::new(root).follow_links(false).into_iter().filter_entry(|e| {
            e.depth() == 0 || !(e.file_type().is_dir() && NOT_THEME.iter().any(|n| e.file_name() == *n))
        });
        for item in walk {
            let item = item.map_err(|e| {
                let path = e.path().unwrap_or(root).to_path_buf();
                match e.io_error() {
                    Some(io) => Trouble::io("read", &path, io),
                    None => Trouble::new(format!("could not read {}", path.display())).why(e.to_string()),
                }
            })?;
            let kind = item.file_type();
            if kind.is_dir() {
                continue;
            }
            if kind.is_symlink() {
                match links {
                    LinkRule::Skip => continue,
                    LinkRule::Keep => {}
                    LinkRule::Refuse => {
                        return Err(Trouble::new(format!("{} is a symbolic link", item.path().display())).hint(
                            "replace it by the file, or keep links with --links keep, or leave them out with \
                             --links skip",
                        ));
                    }
                }
            } else if !kind.is_file() {
                return Err(Trouble::new(format!("{} is neither a file nor a folder", item.path().display()))
                    .hint("take it out of the theme"));
            }
            let inner = item.path().strip_prefix(root).unwrap_or(item.path());
            let Some(name) = inner.to_str() else {
                return Err(
                    Trouble::new(format!("the name of {} is not UTF-8", inner.display())).hint("rename the file")
                );
            };
            paths.push(name.replace(std::path::MAIN_SEPARATOR, "/"));
            if paths.len() > limits.files {
                return Err(Trouble::new(format!("{} holds more than {} files", root.display(), limits.files))
                    .hint("is it the theme's own folder? If so, raise the limit with --max-files"));
            }
        }
        paths.sort();
        let read = paths
            .into_par_iter()
            .map(|path| {
                let full = root.join(&path);
                if links == LinkRule::Keep && full.is_symlink() {
                    return link(&full, path);
                }
                file(&full, path).map_err(|e| Trouble::io("read", &full, &e))
            })
            .collect::<Result<Vec<_>, Trouble>>()?;
        let (entries, stored) = read.into_iter().unzip();
        Ok(FolderTree { root: root.to_path_buf(), entries, stored })
    }

    /// Returns the folder.
    pub fn root(&self) -> &Path {
        &self.root
    }

    /// Returns where the file at an index lies.
    pub fn locate(&self, index: usize) -> PathBuf {
        self.root.join(&self.entries[index].path)
    }

    /// Returns the permissions of the file at an index; `None` for a link.
    pub fn permissions(&self, index: usize) -> Option<&Permissions> {
        match &self.stored[index] {
            Stored::File(permissions) => Some(permissions),
            Stored::Link(_) => None,
        }
    }

    /// Tells whether the file at an index may be executed.
    pub fn is_executable(&self, index: usize) -> bool {
        self.permissions(index).is_some_and(executable)
    }

    /// Copies the file at an index, with its permissions, to a place where none is. `umask` are the permissions
    /// that the system takes away from a new file.
    pub(crate) fn copy(&self, index: usize, to: &Path, umask: u32) -> io::Result<()> {
        let permissions = match &self.stored[index] {
            Stored::Link(target) => return make_link(target, to),
            Stored::File(permissions) => permissions,
        };
        if self.entries[index].size > COPIED_WHOLE {
            return fs::copy(self.locate(index), to).map(|_| ());
        }
        let mut bytes = Vec::with_capacity(self.entries[index].size as usize + 1);
        read_whole(&mut File::open(self.locate(index))?, &mut bytes)?;
        create(to, permissions, umask)?.write_all(&bytes)
    }
}

/// Makes a new file with permissions, in one step where those are not masked.
pub(crate) fn create(to: &Path, permissions: &Permissions, umask: u32) -> io::Result<File> {
    #[cfg(unix)]
    {
        use std::os::unix::fs::{OpenOptionsExt, PermissionsExt};
        let mode = permissions.mode() & 0o777;
        let file = fs::OpenOptions::new().write(true).create(true).truncate(true).mode(mode).open(to)?;
        if mode & umask != 0 {
            file.set_permissions(Permissions::from_mode(mode))?;
        }
        Ok(file)
    }
    #[cfg(not(unix))]
    {
        let _ = umask;
        let file = File::create(to)?;
        file.set_permissions(permissions.clone())?;
        Ok(file)
    }
}

/// Tells whether permissions let anybody execute a file.
pub(crate) fn executable(permissions: &Permissions) -> bool {
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        permissions.mode() & 0o111 != 0
    }
    #[cfg(not(unix))]
    {
        let _ = permissions;
        false
    }
}

/// Makes a symbolic link.
#[cfg(unix)]
pub(crate) fn make_link(target: &str, at: &Path) -> io::Result<()> {
    std::os::unix::fs::symlink(target, at)
}

#[cfg(not(unix))]
pub(crate) fn make_link(_target: &str, _at: &Path) -> io::Result<()> {
    Err(io::Error::new(io::ErrorKind::Unsupported, "links are not kept on this system"))
}

/// Reads what is left of a small file, without asking the system for its size again.
fn read_whole(file: &mut File, bytes: &mut Vec<u8>) -> io::Result<()> {
    loop {
        let start = bytes.len();
        bytes.resize(bytes.capacity().max(start + 512), 0);
        let n = file.read(&mut bytes[start..])?;
        bytes.truncate(start + n);
        if n == 0 {
            return Ok(());
        }
        if bytes.len() == bytes.capacity() {
            bytes.reserve(bytes.len());
        }
    }
}

/// Reads a link that stays in the theme.
fn link(full: &Path, path: String) -> Result<(Entry, Stored), Trouble> {
    let target = fs::read_link(full).map_err(|e| Trouble::io("read", full, &e))?;
    let refuse = |why: &str| {
        Trouble::new(format!("the link {} is refused", full.display()))
            .why(format!("it leads to {}: {why}", target.display()))
            .hint("replace it by the file, or leave links out with --links skip")
    };
    let text = target.to_str().ok_or_else(|| refuse("its name is not UTF-8"))?;
    if let Some(why) = link_fault(&path, text) {
        return Err(refuse(why));
    }
    let (size, digest) = (text.len() as u64, Digest::of(format!("link to {text}").as_bytes()));
    Ok((Entry { path, size, digest, binary: true }, Stored::Link(text.to_string())))
}

/// Digests a file; large ones in pieces, so that no asset is ever in memory.
fn file(full: &Path, path: String) -> io::Result<(Entry, Stored)> {
    let mut file = File::open(full)?;
    let metadata = file.metadata()?;
    let (size, stored) = (metadata.len(), Stored::File(metadata.permissions()));
    if size <= WHOLE {
        let mut bytes = Vec::with_capacity(size as usize + 1);
        read_whole(&mut file, &mut bytes)?;
        let binary = daxle_core::text::is_binary(&bytes);
        return Ok((Entry { path, size: bytes.len() as u64, digest: Digest::of(&bytes), binary }, stored));
    }
    let mut hasher = blake3::Hasher::new();
    let mut buffer = vec![0; 256 << 10];
    let (mut total, mut binary) = (0u64, false);
    loop {
        let n = file.read(&mut buffer)?;
        if n == 0 {
            break;
        }
        if total == 0 {
            binary = daxle_core::text::is_binary(&buffer[..n]);
        }
        total += n as u64;
        hasher.update(&buffer[..n]);
    }
    // A text of more than this is data, not something that people edit.
    binary |= total > 64 << 20;
    Ok((Entry { path, size: total, digest: Digest(*hasher.finalize().as_bytes()), binary }, stored))
}

impl Tree for FolderTree {
    fn entries(&self) -> &[Entry] {
        &self.entries
    }

    fn read(&self, index: usize) -> Result<Vec<u8>, ReadError> {
        let full = self.locate(index);
        if let Stored::Link(target) = &self.stored[index] {
            return Ok(target.clone().into_bytes());
        }
        fs::read(&full).map_err(|e| ReadError { path: full.display().to_string(), why: e.to_string() })
    }
}
