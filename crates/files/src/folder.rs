//! A theme in a folder.

use std::fs::File;
use std::io::Read;
use std::path::{Path, PathBuf};

use daxle_core::theme::{Digest, Entry, ReadError, Tree};
use rayon::prelude::*;
use walkdir::WalkDir;

use crate::{Limits, Trouble};

/// What is done with symbolic links in a theme.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum LinkRule {
    /// A link is an error: it may lead anywhere.
    #[default]
    Refuse,
    /// Links are left out.
    Skip,
}

/// A theme in a folder: its files are listed and digested once, and read when asked for.
#[derive(Debug)]
pub struct FolderTree {
    root: PathBuf,
    entries: Vec<Entry>,
}

/// Folders of version control are not part of a theme.
const NOT_THEME: [&str; 3] = [".git", ".hg", ".svn"];
/// Larger files are digested in pieces.
const WHOLE: u64 = 1 << 20;

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
                if links == LinkRule::Skip {
                    continue;
                }
                return Err(Trouble::new(format!("{} is a symbolic link", item.path().display()))
                    .hint("replace it by the file, or leave links out with --links skip"));
            }
            if !kind.is_file() {
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
        let entries = paths
            .into_par_iter()
            .map(|path| {
                let full = root.join(&path);
                entry(&full, path).map_err(|e| Trouble::io("read", &full, &e))
            })
            .collect::<Result<Vec<_>, Trouble>>()?;
        Ok(FolderTree { root: root.to_path_buf(), entries })
    }

    /// Returns the folder.
    pub fn root(&self) -> &Path {
        &self.root
    }

    /// Returns where the file at an index lies.
    pub fn locate(&self, index: usize) -> PathBuf {
        self.root.join(&self.entries[index].path)
    }
}

/// Digests a file; large ones in pieces, so that no asset is ever in memory.
fn entry(full: &Path, path: String) -> std::io::Result<Entry> {
    let mut file = File::open(full)?;
    let size = file.metadata()?.len();
    if size <= WHOLE {
        let mut bytes = Vec::with_capacity(size as usize + 1);
        file.read_to_end(&mut bytes)?;
        let binary = daxle_core::text::is_binary(&bytes);
        return Ok(Entry { path, size: bytes.len() as u64, digest: Digest::of(&bytes), binary });
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
    Ok(Entry { path, size: total, digest: Digest(*hasher.finalize().as_bytes()), binary })
}

impl Tree for FolderTree {
    fn entries(&self) -> &[Entry] {
        &self.entries
    }

    fn read(&self, index: usize) -> Result<Vec<u8>, ReadError> {
        let full = self.locate(index);
        std::fs::read(&full).map_err(|e| ReadError { path: full.display().to_string(), why: e.to_string() })
    }
}
