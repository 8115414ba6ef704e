//! A change set: the site's changes in open formats, apart from the theme.
//!
//! * `changes.json`: the index: which base, every change with id and note, every file with digests
//! * `edits.diff`: all text edits as one unified diff, which any patch program applies to the base with `-p1`
//! * `files/`: added and replaced files, as they are
//! * `settings/`: for people and programs, changed settings as JSON Patch (RFC 6902)
//! * `words/`: for people and programs, changed words as PO
//!
//! The index, the diff and the files give the site back byte for byte; the other two say the same once more.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use super::patch::{FilePatch, PatchError, apply, parse};
use crate::carry::account::Theme;
use crate::catalog::Catalog;
use crate::changes::unified::unified;
use crate::changes::{ChangeId, Origin, Survey, What};
use crate::text::Text;
use crate::theme::{Digest, Kind, Layout, ReadError, Tree};

/// What the `format` field says.
pub const FORMAT: &str = "daxle-changes";
/// The version of the format.
pub const FORMAT_VERSION: u32 = 1;
/// The names of the parts.
pub const INDEX: &str = "changes.json";
const DIFF: &str = "edits.diff";
const FILES: &str = "files/";

/// The index of a change set.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Index {
    /// Always `daxle-changes`.
    pub format: String,
    /// Version of the format.
    pub format_version: u32,
    /// The release that the changes are made on.
    pub base: Theme,
    /// The site that they were taken from.
    pub site: Theme,
    /// Every change.
    pub changes: Vec<Listed>,
    /// Every file that differs.
    pub files: Vec<FileEntry>,
}

/// A change.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Listed {
    /// Its id.
    pub id: ChangeId,
    /// Path in the site.
    pub path: String,
    /// What the file is.
    pub kind: Kind,
    /// What sort of change it is.
    pub what: What,
    /// Where it comes from.
    pub origin: Origin,
    /// The note that somebody gave it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub note: Option<String>,
}

/// A file that differs between base and site.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct FileEntry {
    /// Path in the theme.
    pub path: String,
    /// Where the site's content is.
    pub stored: Stored,
    /// BLAKE3 digest of the base's file; nothing where it has none.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub base_digest: Option<String>,
    /// BLAKE3 digest of the site's file; nothing where it has none.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub site_digest: Option<String>,
}

/// Where the content of a file is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Stored {
    /// In the diff.
    Diff,
    /// Under `files/`.
    File,
    /// Nowhere: the site took the file out.
    Deleted,
}

/// A part of a change set, to be written.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Part {
    /// These bytes.
    Bytes(Vec<u8>),
    /// The site's file at this index.
    SiteFile(usize),
}

/// A change set cannot be used.
#[derive(Debug, thiserror::Error)]
pub enum SetError {
    /// A part cannot be read.
    #[error("{part} {why}")]
    Part {
        /// The part.
        part: String,
        /// What is wrong with it.
        why: String,
    },
    /// It was made from another base.
    #[error("the change set was made from {made}, and {path} is another in this base")]
    OtherBase {
        /// Title and version of the base that it was made from.
        made: String,
        /// The first file that differs.
        path: String,
    },
    /// A file could not be read.
    #[error(transparent)]
    Read(#[from] ReadError),
}

/// Takes the changes out of a site: the parts of a change set by path.
///
/// # Errors
///
/// When a file cannot be read.
pub fn separate(
    base: &dyn Tree,
    site: &dyn Tree,
    survey: &Survey,
    themes: [Theme; 2],
    notes: &BTreeMap<ChangeId, String>,
    layout: &Layout,
) -> Result<BTreeMap<String, Part>, ReadError> {
    let mut parts = BTreeMap::new();
    let mut diff = Vec::new();
    let mut files = Vec::new();
    let mut paths: Vec<&str> = base.entries().iter().chain(site.entries()).map(|e| e.path.as_str()).collect();
    paths.sort_unstable();
    paths.dedup();
    for path in paths {
        let (b, s) = (base.find(path), site.find(path));
        let digest = |tree: &dyn Tree, k: Option<usize>| k.map(|k| tree.entries()[k].digest);
        let (base_digest, site_digest) = (digest(base, b), digest(site, s));
        if base_digest == site_digest {
            continue;
        }
        let read = |tree: &dyn Tree, k: Option<usize>| k.map(|k| tree.read(k)).transpose();
        let plain = |tree: &dyn Tree, k: Option<usize>| k.is_none_or(|k| is_plain(tree, k));
        let stored = match s {
            None if !plain(base, b) => Stored::Deleted,
            Some(k) if b.is_none() || !plain(base, b) || !plain(site, s) => {
                parts.insert(format!("{FILES}{path}"), Part::SiteFile(k));
                Stored::File
            }
            _ => {
                let (old, new) = (read(base, b)?, read(site, s)?);
                let name =
                    |side: &str, there: bool| if there { format!("{side}/{path}") } else { "/dev/null".into() };
                let (old_name, new_name) = (name("base", b.is_some()), name("site", s.is_some()));
                let (old, new) = (old.unwrap_or_default(), new.unwrap_or_default());
                let text = unified(&old_name, &new_name, &old, &new);
                if text.is_empty() || path.contains(['\n', '\t']) {
                    // An empty file that goes leaves no trace in a diff.
                    match s {
                        Some(k) => {
                            parts.insert(format!("{FILES}{path}"), Part::SiteFile(k));
                            Stored::File
                        }
                        None => Stored::Deleted,
                    }
                } else {
                    diff.extend(text);
                    let kind = layout.kind(path, &new[..new.len().min(512)]);
                    said_again(path, kind, &old, &new, &mut parts);
                    if s.is_some() { Stored::Diff } else { Stored::Deleted }
                }
            }
        };
        let hex = |digest: Option<Digest>| digest.map(|d| d.hex());
        files.push(FileEntry {
            path: path.to_string(),
            stored,
            base_digest: hex(base_digest),
            site_digest: hex(site_digest),
        });
    }
    let [base_theme, site_theme] = themes;
    let listed = survey.files.iter().flat_map(|f| &f.changes).map(|c| Listed {
        id: c.id.clone(),
        path: c.path.clone(),
        kind: c.kind,
        what: c.what,
        origin: c.origin,
        note: notes.get(&c.id).cloned(),
    });
    let index = Index {
        format: FORMAT.into(),
        format_version: FORMAT_VERSION,
        base: base_theme,
        site: site_theme,
        changes: listed.collect(),
        files,
    };
    let mut text = serde_json::to_vec_pretty(&index).unwrap_or_default();
    text.push(b'\n');
    parts.insert(INDEX.into(), Part::Bytes(text));
    if !diff.is_empty() {
        parts.insert(DIFF.into(), Part::Bytes(diff));
    }
    Ok(parts)
}

/// Text that a diff of lines can hold.
fn is_plain(tree: &dyn Tree, index: usize) -> bool {
    let entry = &tree.entries()[index];
    !entry.binary
        && entry.size <= 16 << 20
        && tree.read(index).is_ok_and(|b| Text::decode(&b).is_some() && !b.contains(&0))
}

/// Changed settings as JSON Patch, and changed words as PO.
fn said_again(path: &str, kind: Kind, old: &[u8], new: &[u8], parts: &mut BTreeMap<String, Part>) {
    if kind == Kind::Settings
        && let (Some(old), Some(new)) =
            (crate::formats::tree::read(path, old), crate::formats::tree::read(path, new))
    {
        let mut operations = Vec::new();
        crate::formats::tree::json_patch(&old.to_json(), &new.to_json(), "", &mut operations);
        if !operations.is_empty() {
            let mut text = serde_json::to_vec_pretty(&operations).unwrap_or_default();
            text.push(b'\n');
            parts.insert(format!("settings/{path}.patch.json"), Part::Bytes(text));
        }
    }
    if kind == Kind::Catalog
        && let (Ok(old), Ok(new)) = (Catalog::parse(old), Catalog::parse(new))
    {
        let bytes = crate::catalog::changed_words(&old, &new);
        if !bytes.is_empty() {
            parts.insert(format!("words/{path}"), Part::Bytes(bytes));
        }
    }
}

/// A change set that was read.
#[derive(Debug, Clone)]
pub struct ChangeSet {
    /// Its index.
    pub index: Index,
    patches: BTreeMap<String, FilePatch>,
}

/// What a change set makes of a base.
#[derive(Debug, Default)]
pub struct Applied {
    /// Files by path: new bytes, or nothing where the file goes. All others are the base's.
    pub files: BTreeMap<String, Option<Vec<u8>>>,
    /// Files that are not what they were when the change set was made: somebody has edited it since.
    pub edited: Vec<String>,
}

impl ChangeSet {
    /// Reads a change set from its folder.
    ///
    /// # Errors
    ///
    /// When a part is missing, cannot be read, or names a path outside of the theme.
    pub fn read(folder: &dyn Tree) -> Result<Self, SetError> {
        let part = |part: &str, why: String| SetError::Part { part: part.to_string(), why };
        let bytes = folder.read_path(INDEX).ok_or_else(|| part(INDEX, "is missing".into()))?;
        let index: Index = serde_json::from_slice(&bytes).map_err(|e| part(INDEX, format!("is no index: {e}")))?;
        if index.format != FORMAT || index.format_version > FORMAT_VERSION {
            return Err(part(INDEX, "was written by a newer Daxle".into()));
        }
        let diff = folder.read_path(DIFF).unwrap_or_default();
        let fault = |e: PatchError| part(DIFF, e.to_string());
        let mut patches = BTreeMap::new();
        for patch in parse(&diff).map_err(fault)? {
            let Some(path) = patch.new.clone().or_else(|| patch.old.clone()) else { continue };
            patches.insert(path, patch);
        }
        let named = index.files.iter().map(|f| f.path.as_str()).chain(patches.keys().map(String::as_str));
        let outside =
            |p: &&str| p.is_empty() || p.starts_with(['/', '\\']) || p.split(['/', '\\']).any(|s| s == "..");
        if let Some(path) = named.into_iter().find(outside) {
            return Err(part(INDEX, format!("names {path}, which leads out of the theme")));
        }
        Ok(ChangeSet { index, patches })
    }

    /// Works the changes into a base. `folder` is the change set's own.
    ///
    /// # Errors
    ///
    /// When the base is another one, or a part does not fit it.
    pub fn apply(&self, folder: &dyn Tree, base: &dyn Tree) -> Result<Applied, SetError> {
        let mut out = Applied::default();
        let known: BTreeMap<&str, &FileEntry> = self.index.files.iter().map(|f| (f.path.as_str(), f)).collect();
        for entry in &self.index.files {
            let now = base.find(&entry.path).map(|k| base.entries()[k].digest.hex());
            if now != entry.base_digest {
                return Err(SetError::OtherBase { made: self.index.base.label(), path: entry.path.clone() });
            }
        }
        let mut names: Vec<&str> = known.keys().copied().chain(self.patches.keys().map(String::as_str)).collect();
        names.sort_unstable();
        names.dedup();
        for path in names {
            let stored = known.get(path).map(|f| f.stored);
            let bytes = match (stored, self.patches.get(path)) {
                (Some(Stored::File), _) => {
                    let name = format!("{FILES}{path}");
                    let why = || SetError::Part { part: name.clone(), why: "is missing".into() };
                    Some(folder.read_path(&name).ok_or_else(why)?)
                }
                (Some(Stored::Deleted), _) => None,
                (_, Some(patch)) => {
                    let old = base.find(path).map(|k| base.read(k)).transpose()?.unwrap_or_default();
                    let new = apply(&old, patch)
                        .map_err(|e| SetError::Part { part: DIFF.into(), why: format!("{e} (in {path})") })?;
                    patch.new.is_some().then_some(new)
                }
                // Somebody took the edit out of the diff: the base's file stays.
                (_, None) => base.read_path(path),
            };
            let digest = bytes.as_ref().map(|b| Digest::of(b).hex());
            if known.get(path).is_none_or(|f| f.site_digest != digest) {
                out.edited.push(path.to_string());
            }
            out.files.insert(path.to_string(), bytes);
        }
        Ok(out)
    }
}
