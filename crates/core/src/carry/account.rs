//! The account: the list of all site changes with what became of each, as it is written to JSON.
//!
//! These structs are the wire format (`docs/account-format.md`): within a format version fields and words are
//! added, never renamed or removed.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use super::run::CarryOptions;
use super::walk::Area;
use crate::changes::{ChangeId, Origin, What};
use crate::child::Override;
use crate::merge::{Outcome, Reason, SettingsRules, Step};
use crate::theme::changelog::Notes;
use crate::theme::{Identity, Jump, Kind};

/// The version of the format that this Daxle writes.
pub const FORMAT_VERSION: u32 = 1;
/// What the `format` field says.
pub const FORMAT: &str = "daxle-account";

/// What became of every site change.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Account {
    /// Always `daxle-account`.
    pub format: String,
    /// Version of the format.
    pub format_version: u32,
    /// The three themes.
    pub themes: Themes,
    /// How big the step from base to release is, where both versions are known.
    pub jump: Option<Jump>,
    /// How many changes came out how; the outcomes add up to `changes`.
    pub totals: Totals,
    /// Every site change.
    pub changes: Vec<ChangeRecord>,
    /// Everything that a person must decide, or has decided.
    pub decisions: Vec<Decision>,
    /// The files of the result that are not simply the release's.
    pub files: Vec<FileRecord>,
    /// What the vendor removed or renamed under the site's changes.
    pub vendor: Vec<VendorChange>,
    /// The vendor's notes between the two versions.
    #[serde(default)]
    pub notes: Vec<Notes>,
    /// Things to know that are no decision.
    #[serde(default)]
    pub remarks: Vec<Remark>,
    /// Settings that the site left alone and the release changed.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub defaults: Vec<DefaultRecord>,
    /// Changes of the release that were made in files that the site had put their lines into.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub followed: Vec<Followed>,
    /// The areas of the site to walk through before the result goes live.
    #[serde(default)]
    pub walk: Vec<Area>,
    /// How the carry was done.
    #[serde(default)]
    pub options: CarryOptions,
    /// For a child theme, its overrides: the base and the release were put together from what they shadow.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub child: Option<ChildRecord>,
}

/// What a child theme's carry was put together from.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
pub struct ChildRecord {
    /// The overrides, as they stood before.
    pub overrides: Vec<Override>,
    /// Overrides that were left out because they equal a vendor's file.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub pruned: Vec<String>,
}

/// A change of the release at lines that the site had put into a file of its own.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Followed {
    /// Path in the result of the file that the release changed.
    pub path: String,
    /// Path in the result of the file that has the change.
    pub to: String,
    /// Lines of the release's file.
    pub release: Lines,
    /// The text that the release took out.
    pub removed: Blob,
    /// The text that the release put in.
    pub added: Blob,
}

/// The three themes of a carry.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
pub struct Themes {
    /// The release that the site started from.
    pub base: Theme,
    /// The site's copy.
    pub site: Theme,
    /// The new release.
    pub release: Theme,
}

/// One of the three themes.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize)]
pub struct Theme {
    /// Where it was read from, as given or relative to the account.
    pub source: String,
    /// Where in the source it was found, if not at the top.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub inside: Option<String>,
    /// Title that people see.
    pub title: Option<String>,
    /// Short name.
    pub name: Option<String>,
    /// Version as written.
    pub version: Option<String>,
    /// How many files it has.
    pub files: usize,
    /// Settings exported from the running site that stood in for files of the theme.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub settings: Vec<StandIn>,
}

/// A file of exported settings that stood in for one of the theme.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct StandIn {
    /// The file in the theme.
    pub path: String,
    /// Where the export was read from, relative to the account.
    pub source: String,
}

impl Theme {
    /// Describes a theme.
    pub fn new(source: String, inside: Option<String>, identity: &Identity, files: usize) -> Self {
        Theme {
            source,
            inside,
            title: identity.title.clone(),
            name: identity.name.clone(),
            version: identity.version.clone(),
            files,
            settings: Vec::new(),
        }
    }

    /// Returns title and version, or the source where they are unknown.
    pub fn label(&self) -> String {
        let name = self.title.as_deref().or(self.name.as_deref()).unwrap_or(&self.source);
        match &self.version {
            Some(version) => format!("{name} {version}"),
            None => name.to_string(),
        }
    }
}

/// Outcomes, counted.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[allow(missing_docs, reason = "one field per outcome, named like it")]
pub struct Totals {
    /// All changes.
    pub changes: usize,
    pub kept: usize,
    pub fitted: usize,
    pub moved: usize,
    pub already: usize,
    pub open: usize,
    pub dropped: usize,
}

impl Totals {
    /// Counts the outcomes of changes.
    pub fn of(changes: &[ChangeRecord]) -> Self {
        let mut totals = Totals { changes: changes.len(), ..Totals::default() };
        for change in changes {
            *match change.outcome {
                Outcome::Kept => &mut totals.kept,
                Outcome::Fitted => &mut totals.fitted,
                Outcome::Moved => &mut totals.moved,
                Outcome::Already => &mut totals.already,
                Outcome::Open => &mut totals.open,
                Outcome::Dropped => &mut totals.dropped,
            } += 1;
        }
        totals
    }

    /// Returns the count of one outcome.
    pub fn get(&self, outcome: Outcome) -> usize {
        match outcome {
            Outcome::Kept => self.kept,
            Outcome::Fitted => self.fitted,
            Outcome::Moved => self.moved,
            Outcome::Already => self.already,
            Outcome::Open => self.open,
            Outcome::Dropped => self.dropped,
        }
    }

    /// Tells whether the outcomes add up to all the changes.
    pub fn adds_up(&self) -> bool {
        Outcome::ALL.iter().map(|o| self.get(*o)).sum::<usize>() == self.changes
    }
}

/// Some lines of a file: the first line, counted from 1, and how many.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Lines {
    /// The first line, from 1; for no lines, the line before which they would stand.
    pub line: usize,
    /// How many lines.
    pub count: usize,
}

impl From<&std::ops::Range<usize>> for Lines {
    fn from(range: &std::ops::Range<usize>) -> Self {
        Lines { line: range.start + 1, count: range.len() }
    }
}

impl Lines {
    /// Returns the range, from 0.
    pub fn range(&self) -> std::ops::Range<usize> {
        let start = self.line.saturating_sub(1);
        start..start + self.count
    }
}

/// File content: as text where it is UTF-8, else as base64 of its bytes, or only its size and digest.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(untagged)]
pub enum Blob {
    /// UTF-8 text.
    Text {
        /// The text.
        text: String,
    },
    /// Other bytes.
    Bytes {
        /// The bytes in base64 (RFC 4648, with padding).
        bytes: String,
    },
    /// A binary file, not copied into the account.
    File {
        /// Size in bytes.
        size: u64,
        /// BLAKE3 digest in hexadecimal digits.
        digest: String,
    },
    /// There is no such file.
    Missing {
        /// Always true.
        missing: bool,
    },
}

impl Blob {
    /// Wraps text or other bytes.
    pub fn of(bytes: &[u8]) -> Self {
        match std::str::from_utf8(bytes) {
            Ok(text) => Blob::Text { text: text.to_string() },
            Err(_) => Blob::Bytes { bytes: base64(bytes) },
        }
    }

    /// Returns the bytes, where the blob holds them.
    pub fn bytes(&self) -> Option<Vec<u8>> {
        match self {
            Blob::Text { text } => Some(text.clone().into_bytes()),
            Blob::Bytes { bytes } => unbase64(bytes),
            Blob::File { .. } | Blob::Missing { .. } => None,
        }
    }
}

const ALPHABET: &[u8; 64] = b"ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";

/// Writes bytes in base64 (RFC 4648, with padding).
pub fn base64(bytes: &[u8]) -> String {
    let mut out = String::with_capacity(bytes.len() * 4 / 3 + 4);
    for chunk in bytes.chunks(3) {
        let word = chunk.iter().fold(0u32, |w, b| w << 8 | u32::from(*b)) << (8 * (3 - chunk.len()));
        for k in 0..4 {
            let digit = ALPHABET[(word >> (18 - 6 * k) & 63) as usize];
            out.push(if k <= chunk.len() { digit as char } else { '=' });
        }
    }
    out
}

fn unbase64(text: &str) -> Option<Vec<u8>> {
    let mut out = Vec::with_capacity(text.len() * 3 / 4);
    let (mut word, mut bits) = (0u32, 0);
    for byte in text.bytes().filter(|b| *b != b'=') {
        let digit = ALPHABET.iter().position(|a| *a == byte)?;
        word = word << 6 | digit as u32;
        bits += 6;
        if bits >= 8 {
            bits -= 8;
            out.push((word >> bits) as u8);
            word &= (1 << bits) - 1;
        }
    }
    Some(out)
}

/// One site change and what became of it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct ChangeRecord {
    /// Its id; opaque.
    pub id: ChangeId,
    /// Path in the site theme (in the base, for a deleted file).
    pub path: String,
    /// What the file is.
    pub kind: Kind,
    /// What sort of change it is.
    pub what: What,
    /// Where it comes from.
    pub origin: Origin,
    /// What became of it.
    pub outcome: Outcome,
    /// What was done beyond plain lines.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub step: Option<Step>,
    /// The note that somebody gave it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub note: Option<String>,
    /// Path in the base, where it differs.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub base_path: Option<String>,
    /// Path in the result, where it is in it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub result_path: Option<String>,
    /// Lines of the base.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub base: Option<Lines>,
    /// Lines of the site.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub site: Option<Lines>,
    /// Lines of the release.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub release: Option<Lines>,
    /// Lines of the result.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub result: Option<Lines>,
    /// The text that the site took out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub removed: Option<Blob>,
    /// The text that the site put in.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub added: Option<Blob>,
    /// The decision it hangs on.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub decision: Option<String>,
}

/// Whether a decision has been taken.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum State {
    /// Not yet.
    Open,
    /// Somebody edited the open spot in the file.
    Edited,
    /// Somebody gave an answer, or an earlier one was remembered.
    Settled,
}

/// Which side an answer takes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Take {
    /// The site's.
    Site,
    /// The release's.
    Release,
    /// Both, the release's first.
    Both,
    /// Both, the site's first.
    BothSiteFirst,
    /// Neither: a text that somebody wrote.
    Text,
}

impl Take {
    /// All of them.
    pub const ALL: [Take; 5] = [Take::Site, Take::Release, Take::Both, Take::BothSiteFirst, Take::Text];

    /// Returns the word for it, as it is written in files.
    pub fn word(self) -> &'static str {
        match self {
            Take::Site => "site",
            Take::Release => "release",
            Take::Both => "both",
            Take::BothSiteFirst => "both_site_first",
            Take::Text => "text",
        }
    }
}

/// The answer to a decision.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Answer {
    /// Which side it takes.
    pub take: Take,
    /// The text, where somebody wrote one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub text: Option<String>,
    /// It was given in an earlier carry.
    #[serde(default)]
    pub remembered: bool,
    /// What stood at the open spot before, to open it again.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub before: Option<Blob>,
}

impl Answer {
    /// Takes a side.
    pub fn take(take: Take) -> Self {
        Answer { take, text: None, remembered: false, before: None }
    }

    /// Puts a text in.
    pub fn text(text: impl Into<String>) -> Self {
        Answer { text: Some(text.into()), ..Answer::take(Take::Text) }
    }
}

/// A question for a person.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Decision {
    /// Its id; opaque.
    pub id: String,
    /// Path in the result.
    pub path: String,
    /// Why it is asked.
    pub reason: Reason,
    /// Whether it has been taken.
    pub state: State,
    /// What stands at the open spot: markers, or one side.
    pub stands: Stands,
    /// The lines in the result at the open spot; nothing for whole files.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub result: Option<Lines>,
    /// The lines of the base that it is about; nothing for whole files.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub base_lines: Option<Lines>,
    /// The lines of the site that it is about; nothing for whole files.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub site_lines: Option<Lines>,
    /// What stood there in the base.
    pub base: Blob,
    /// What the site has.
    pub site: Blob,
    /// What the release has.
    pub release: Blob,
    /// The site changes that hang on it.
    pub changes: Vec<ChangeId>,
    /// The decision of the same file that it goes with, by its id: a side that is taken there is taken here, too.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub with: Option<String>,
    /// What a practitioner would most likely do, where one answer suggests itself.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub suggestion: Option<String>,
    /// The answer, where one was given.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub answer: Option<Answer>,
}

/// What stands at an open spot.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Stands {
    /// Three-part conflict markers.
    Markers,
    /// The site's side.
    Site,
    /// The release's side.
    Release,
}

/// A file of the result.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct FileRecord {
    /// Path in the result; for a file that is not in it, the path it would have.
    pub path: String,
    /// Path in the base, where it has one and it differs.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub base_path: Option<String>,
    /// Path in the site theme, where it has one and it differs.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub site_path: Option<String>,
    /// Path in the release, where it has one and it differs.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub release_path: Option<String>,
    /// What the file is.
    pub kind: Kind,
    /// Where its content comes from.
    pub from: Source,
    /// BLAKE3 digest of the file in the result.
    pub digest: Option<String>,
    /// BLAKE3 digest of the file in the site theme, as it was when the carry read it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub site_digest: Option<String>,
    /// How its settings were merged, where the layout says so.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub settings: Option<SettingsRules>,
}

/// A value that the site left alone and the release changed.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct DefaultRecord {
    /// The settings file, as it is in the result.
    pub path: String,
    /// The key, with dots between its names.
    pub key: String,
    /// The value that the site had; of a list that both changed, the words of it that were held.
    pub before: String,
    /// The release's value, or its words in their place.
    pub after: String,
    /// The site's stays; else it follows the release.
    pub held: bool,
}

/// Where a file's content comes from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Source {
    /// The release's file, as it is.
    Release,
    /// The site's file, as it is.
    Site,
    /// Merged from both.
    Merged,
    /// The file is not in the result.
    Nowhere,
}

/// Something the vendor did under the site's changes.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct VendorChange {
    /// Path in the base.
    pub path: String,
    /// Path in the release; nothing where the file was removed.
    pub to: Option<String>,
}

/// Something to know that is no decision.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Remark {
    /// The file it is about.
    pub path: String,
    /// What there is to know.
    pub text: String,
}

/// Counts by file.
pub fn by_file(changes: &[ChangeRecord]) -> BTreeMap<&str, Totals> {
    let mut files: BTreeMap<&str, Vec<ChangeRecord>> = BTreeMap::new();
    for change in changes {
        let path = change.result_path.as_deref().unwrap_or(&change.path);
        files.entry(path).or_default().push(change.clone());
    }
    files.into_iter().map(|(path, list)| (path, Totals::of(&list))).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn bytes_that_are_no_text_survive() {
        for bytes in [&b"caf\xE9"[..], b"\xFF", b"\xFF\xFE", b"\xFF\xFE\xFD\xFC"] {
            let blob = Blob::of(bytes);
            assert!(matches!(blob, Blob::Bytes { .. }));
            let read: Blob = serde_json::from_str(&serde_json::to_string(&blob).unwrap()).unwrap();
            assert_eq!(read.bytes().unwrap(), bytes);
        }
        assert_eq!(base64(b"\xFFab"), "/2Fi");
    }
}
