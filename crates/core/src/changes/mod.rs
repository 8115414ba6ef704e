//! Site changes: finding them, naming them, showing them.
//!
//! [`survey`] compares a base with a site theme and lists every difference that the site made, by file. Each
//! change has an id that depends only on its path and content (see [`ChangeId`]), so that a note or a decision
//! finds it again.

mod beside;
mod snippet;
mod survey;
pub mod unified;

pub use beside::{Cell, Part, Row, beside, words};
pub use snippet::is_snippet;
pub use survey::{FileChange, Survey, survey, text_changes};
pub(crate) use survey::{file_change, survey_pairs};

use std::fmt;
use std::ops::Range;

use crate::theme::Kind;

/// The id of a site change: ten hexadecimal digits from a digest of the path and what was taken out and put in.
///
/// It does not depend on line numbers, on the versions, or on other changes; equal changes in one file are told
/// apart by counting.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord, serde::Serialize, serde::Deserialize)]
#[serde(transparent)]
pub struct ChangeId(pub String);

impl ChangeId {
    /// Digests a change. `nth` counts equal changes in one file, from 0.
    pub fn new(path: &str, what: What, removed: &[u8], added: &[u8], nth: usize) -> Self {
        let mut hasher = blake3::Hasher::new();
        for part in [path.as_bytes(), what.word().as_bytes(), removed, added, nth.to_string().as_bytes()] {
            hasher.update(&(part.len() as u64).to_le_bytes());
            hasher.update(part);
        }
        ChangeId(hasher.finalize().to_hex()[..10].to_string())
    }
}

impl fmt::Display for ChangeId {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(&self.0)
    }
}

/// What sort of change it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, serde::Serialize, serde::Deserialize)]
#[serde(rename_all = "snake_case")]
#[non_exhaustive]
pub enum What {
    /// Lines of a text file were changed.
    Edited,
    /// The file was added.
    Added,
    /// The file was deleted.
    Deleted,
    /// The file got another path.
    Renamed,
    /// A binary file was replaced.
    Replaced,
    /// Only white space, line ends or the encoding differ.
    Whitespace,
}

impl What {
    /// Returns the word for it.
    pub fn word(self) -> &'static str {
        match self {
            What::Edited => "edited",
            What::Added => "added",
            What::Deleted => "deleted",
            What::Renamed => "renamed",
            What::Replaced => "replaced",
            What::Whitespace => "white space",
        }
    }
}

/// Where a change comes from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, serde::Serialize, serde::Deserialize)]
#[serde(rename_all = "snake_case")]
#[non_exhaustive]
pub enum Origin {
    /// Somebody edited the file.
    Hand,
    /// The file was put there.
    AddedFile,
    /// A third party's snippet, before the end of head or body or after the opening of body.
    Snippet,
    /// A font was added, or its use.
    Font,
    /// A tool rewrote it.
    Generated,
}

impl Origin {
    /// Returns the words for it; empty for a plain hand edit.
    pub fn words(self) -> &'static str {
        match self {
            Origin::Hand => "",
            Origin::AddedFile => "added file",
            Origin::Snippet => "third-party snippet",
            Origin::Font => "font",
            Origin::Generated => "generated",
        }
    }
}

/// One difference that the site made.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Change {
    /// Its id.
    pub id: ChangeId,
    /// Path in the site theme (in the base, for a deleted file).
    pub path: String,
    /// What the file is.
    pub kind: Kind,
    /// What sort of change it is.
    pub what: What,
    /// Where it comes from.
    pub origin: Origin,
    /// Lines of the base it replaced, from 0; nothing for whole files.
    pub base: Option<Range<usize>>,
    /// Lines of the site it put there, from 0; nothing for whole files.
    pub site: Option<Range<usize>>,
    /// The text taken out.
    pub removed: Vec<u8>,
    /// The text put in.
    pub added: Vec<u8>,
    /// For a renamed file, the path in the base.
    pub from: Option<String>,
    /// Bytes of the file, for whole files.
    pub size: u64,
}

impl Change {
    /// Returns how many lines were taken out.
    pub fn lines_removed(&self) -> usize {
        self.base.as_ref().map_or(0, Range::len)
    }

    /// Returns how many lines were put in.
    pub fn lines_added(&self) -> usize {
        self.site.as_ref().map_or(0, Range::len)
    }
}
