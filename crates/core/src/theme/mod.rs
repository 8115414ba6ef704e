//! A theme: a tree of files with kinds, an identity and a version.
//!
//! The core never touches a file system: it sees a theme through the trait [`Tree`], which gives the list of
//! files with their digests and reads one when asked. A web service, an editor plug-in or a test can bring its
//! own; [`MemoryTree`] is the simplest one.

mod alike;
pub mod changelog;
mod identity;
mod kind;
mod layout;
mod names;
mod pairing;
mod stamp;
mod version;

pub use identity::{Identity, find_reader, own_card, read_identity};
pub(crate) use kind::extension;
pub use kind::{Kind, dialect_of, kind_of};
pub use layout::{
    ChildRules, IdentityFormat, IdentityReader, Layout, LayoutError, OverrideMapping, SettingsLayout, WalkArea,
};
pub(crate) use names::OldFiles;
pub use pairing::{Pair, pair};
pub use stamp::{Stamp, find_stamp, stamp_pattern, with_stamp};
pub use version::{Jump, Version};

use std::fmt;

use crate::text;

/// The BLAKE3 digest of a file's bytes.
#[derive(Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Digest(pub [u8; 32]);

impl Digest {
    /// Digests bytes.
    pub fn of(bytes: &[u8]) -> Self {
        Digest(*blake3::hash(bytes).as_bytes())
    }

    /// Returns the digest as 64 hexadecimal digits.
    pub fn hex(&self) -> String {
        blake3::Hash::from_bytes(self.0).to_hex().to_string()
    }
}

impl Digest {
    /// Reads a digest from its 64 hexadecimal digits.
    pub fn from_hex(hex: &str) -> Option<Self> {
        blake3::Hash::from_hex(hex).ok().map(|hash| Digest(*hash.as_bytes()))
    }
}

impl fmt::Debug for Digest {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.hex()[..12])
    }
}

/// One file of a theme.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Entry {
    /// Path from the theme's root, with `/` between its parts.
    pub path: String,
    /// Size in bytes.
    pub size: u64,
    /// Digest of the bytes.
    pub digest: Digest,
    /// The content is binary.
    pub binary: bool,
}

/// A theme's file could not be read.
#[derive(Debug, thiserror::Error)]
#[error("could not read {path}: {why}")]
pub struct ReadError {
    /// Path within the theme.
    pub path: String,
    /// What went wrong.
    pub why: String,
}

/// A theme's files, as the core sees them.
pub trait Tree: Sync {
    /// Returns the files, sorted by path (by bytes), each path once.
    fn entries(&self) -> &[Entry];

    /// Reads the file at an index into [`Tree::entries`].
    ///
    /// # Errors
    ///
    /// When the file is gone or cannot be read.
    fn read(&self, index: usize) -> Result<Vec<u8>, ReadError>;

    /// Finds a file by its path.
    fn find(&self, path: &str) -> Option<usize> {
        self.entries().binary_search_by(|e| e.path.as_str().cmp(path)).ok()
    }

    /// Reads a file by its path; `None` where there is none or it cannot be read.
    fn read_path(&self, path: &str) -> Option<Vec<u8>> {
        self.read(self.find(path)?).ok()
    }
}

/// A theme in memory.
#[derive(Debug, Clone, Default)]
pub struct MemoryTree {
    entries: Vec<Entry>,
    files: Vec<Vec<u8>>,
}

impl MemoryTree {
    /// Builds a theme from paths and bytes. A path that comes twice keeps its last bytes.
    pub fn new<P: Into<String>, B: Into<Vec<u8>>>(files: impl IntoIterator<Item = (P, B)>) -> Self {
        let sorted: std::collections::BTreeMap<String, Vec<u8>> =
            files.into_iter().map(|(p, b)| (p.into(), b.into())).collect();
        let mut tree = MemoryTree::default();
        for (path, bytes) in sorted {
            tree.entries.push(Entry {
                path,
                size: bytes.len() as u64,
                digest: Digest::of(&bytes),
                binary: text::is_binary(&bytes),
            });
            tree.files.push(bytes);
        }
        tree
    }
}

impl Tree for MemoryTree {
    fn entries(&self) -> &[Entry] {
        &self.entries
    }

    fn read(&self, index: usize) -> Result<Vec<u8>, ReadError> {
        Ok(self.files[index].clone())
    }
}
