//! Proving an account against a result, without asking the merge.
//!
//! This module shares nothing with the merge beyond reading text. It counts words: in a result where every
//! change of both sides was made once, each word stands as often as `site + release - base` says. Then it looks
//! each site change up in the neighbourhood it belongs to, and reads every file in its own format.

mod values;
mod words;

use std::collections::{BTreeMap, HashMap, HashSet};

use serde::{Deserialize, Serialize};

use crate::carry::account::{Account, Blob, Decision, FileRecord, Source, Stands, State, Totals};
use crate::carry::checks::check;
use crate::carry::markers::{BASE, OPEN, blocks, same_lines};
use crate::carry::settle::content;
use crate::carry::valid::well_formed;
use crate::carry::values::keyed_values;
use crate::catalog::Catalog;
use crate::changes::What;
use crate::merge::{Outcome, Reason};
use crate::text::{Line, Text, split_lines};
use crate::theme::{Digest, Kind, ReadError, Tree};

/// What is wrong.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[non_exhaustive]
pub enum FindingKind {
    /// The outcomes do not add up to all the changes.
    TotalsWrong,
    /// A file that should be in the result is not.
    FileMissing,
    /// A file in the result comes from neither side.
    FileUnexpected,
    /// A file that the site left alone differs from the release.
    FileDiffers,
    /// A site change is not in the result.
    ChangeMissing,
    /// A site change stands at a place where its surroundings are not.
    ChangeMisplaced,
    /// Words stand in the result more often than both sides put them there.
    WordsTooMany,
    /// Words of the release are missing, and no site change took them out.
    ReleaseMissing,
    /// A conflict marker that belongs to no open decision.
    MarkerLeft,
    /// The file cannot be read in its own format.
    NotWellFormed,
    /// Brackets or tags balance in all three versions, but not in the result.
    Unbalanced,
    /// A file names another that is not in the result.
    ReferenceLost,
    /// A translation lacks a placeholder of its message.
    PlaceholderLost,
    /// A compiled catalog says otherwise than the catalog beside it.
    CompiledStale,
    /// An override stands as it was, though its vendor file changed.
    OverrideStale,
    /// The parent that a child theme names is nowhere to be found.
    ParentMissing,
}

/// Since when something is wrong.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Since {
    /// The carry brought it in, or somebody who edited its result.
    #[default]
    Carry,
    /// The site's copy had it already.
    Site,
    /// The release came with it.
    Release,
}

/// One thing that the proof found.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Finding {
    /// What is wrong.
    pub kind: FindingKind,
    /// The file.
    pub path: String,
    /// The line in the result, from 1, where there is one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub line: Option<usize>,
    /// The site change it is about.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub change: Option<String>,
    /// Since when it is so.
    pub since: Since,
    /// What it means.
    pub means: String,
    /// How to mend it.
    pub mend: String,
}

/// What a verification came to.
#[derive(Debug, Clone, PartialEq)]
pub struct Proof {
    /// What is wrong; empty when all is proved.
    pub findings: Vec<Finding>,
    /// The account, brought up to what the result shows now.
    pub account: Account,
    /// How many decisions were found taken by editing the file.
    pub newly_settled: usize,
    /// How many files of the result were compared.
    pub files: usize,
    /// How many site changes were looked up.
    pub changes: usize,
}

/// The four trees that a proof looks at.
pub struct Evidence<'a> {
    /// The base.
    pub base: &'a dyn Tree,
    /// The site theme.
    pub site: &'a dyn Tree,
    /// The release.
    pub release: &'a dyn Tree,
    /// The result.
    pub result: &'a dyn Tree,
}

/// Proves an account against a result.
///
/// # Errors
///
/// When a file cannot be read.
pub fn verify(account: &Account, evidence: &Evidence<'_>) -> Result<Proof, ReadError> {
    let mut proof = Proof {
        findings: Vec::new(),
        account: account.clone(),
        newly_settled: 0,
        files: evidence.result.entries().len(),
        changes: account.changes.len(),
    };
    if !account.totals.adds_up() || account.totals != Totals::of(&account.changes) {
        proof.find(
            FindingKind::TotalsWrong,
            "",
            None,
            "the outcomes do not add up to all the changes",
            "carry again",
        );
    }
    proof.files(evidence);
    proof.markers(evidence)?;
    let files: Vec<FileRecord> = account.files.clone();
    for file in &files {
        proof.file(file, evidence)?;
    }
    proof.findings.extend(check(account, evidence)?);
    proof.account.totals = Totals::of(&proof.account.changes);
    proof.findings.sort_by(|a, b| (&a.path, a.line).cmp(&(&b.path, b.line)));
    Ok(proof)
}

impl Proof {
    /// The findings that the carry brought in; the others were there before.
    pub fn new_findings(&self) -> impl Iterator<Item = &Finding> {
        self.findings.iter().filter(|f| f.since == Since::Carry)
    }

    fn find(&mut self, kind: FindingKind, path: &str, line: Option<usize>, means: &str, mend: &str) {
        self.findings.push(Finding {
            kind,
            path: path.to_string(),
            line,
            change: None,
            since: Since::Carry,
            means: means.to_string(),
            mend: mend.to_string(),
        });
    }

    /// Every file of the result has a reason to be there, and every file that should be there is.
    fn files(&mut self, evidence: &Evidence<'_>) {
        let records: HashMap<&str, &FileRecord> = self.account.files.iter().map(|f| (f.path.as_str(), f)).collect();
        let taken: HashSet<&str> =
            self.account.files.iter().map(|f| f.release_path.as_deref().unwrap_or(&f.path)).collect();
        let mut expected: BTreeMap<&str, Option<Digest>> = BTreeMap::new();
        for entry in evidence.release.entries() {
            if !taken.contains(entry.path.as_str()) {
                expected.insert(&entry.path, Some(entry.digest));
            }
        }
        for file in self.account.files.iter().filter(|f| f.from != Source::Nowhere) {
            expected.insert(&file.path, None);
        }
        let mut found = Vec::new();
        for (path, digest) in &expected {
            match evidence.result.find(path).map(|k| evidence.result.entries()[k].digest) {
                None => found.push((FindingKind::FileMissing, path.to_string())),
                Some(now) if digest.is_some_and(|d| d != now) => {
                    found.push((FindingKind::FileDiffers, path.to_string()));
                }
                Some(_) => {}
            }
        }
        for entry in evidence.result.entries() {
            let path = entry.path.as_str();
            let settled_away = records.get(path).is_some_and(|f| f.from == Source::Nowhere);
            if !expected.contains_key(path) && !settled_away {
                found.push((FindingKind::FileUnexpected, path.to_string()));
            }
        }
        for (kind, path) in found {
            // A whole file that was a question may have been taken out by hand.
            let asked = self.account.decisions.iter().any(|d| d.path == path && d.result.is_none());
            match kind {
                FindingKind::FileMissing if asked => {}
                FindingKind::FileMissing => {
                    self.find(kind, &path, None, "the file is not in the result", "carry again, or put it back");
                }
                FindingKind::FileDiffers => self.find(
                    kind,
                    &path,
                    None,
                    "the site did not change this file, yet it is not the release's",
                    "take the release's file, or note why it was edited",
                ),
                _ => self.find(
                    kind,
                    &path,
                    None,
                    "the file comes from neither the site nor the release",
                    "remove it",
                ),
            }
        }
    }

    /// Decisions that somebody took by editing the file; markers that belong to none.
    fn markers(&mut self, evidence: &Evidence<'_>) -> Result<(), ReadError> {
        let mut still_open: HashSet<String> = HashSet::new();
        let mut by_path: BTreeMap<String, Vec<Decision>> = BTreeMap::new();
        for decision in &self.account.decisions {
            by_path.entry(decision.path.clone()).or_default().push(decision.clone());
        }
        for (path, decisions) in &by_path {
            let record = self.account.files.iter().find(|f| f.path == *path);
            let index = evidence.result.find(path);
            let untouched = match index.map(|k| evidence.result.entries()[k].digest.hex()) {
                Some(digest) => record.is_some_and(|f| f.digest.as_deref() == Some(digest.as_str())),
                None => record.is_some_and(|f| f.from == Source::Nowhere),
            };
            if untouched {
                still_open.extend(decisions.iter().filter(|d| d.state == State::Open).map(|d| d.id.clone()));
                continue;
            }
            let Some(index) = index else { continue };
            let bytes = evidence.result.read(index)?;
            let body = Text::decode(&bytes).map(|t| t.body.into_owned()).unwrap_or_default();
            let lines = split_lines(&body);
            let (found, _) = blocks(&lines);
            let mut free: Vec<bool> = vec![true; found.len()];
            for decision in decisions.iter().filter(|d| d.state == State::Open && d.stands == Stands::Markers) {
                let parts =
                    [&decision.site, &decision.base, &decision.release].map(|b| b.bytes().unwrap_or_default());
                let here = found.iter().enumerate().position(|(k, block)| {
                    free[k]
                        && same_lines(&lines[block.site.clone()], &parts[0])
                        && same_lines(&lines[block.base.clone()], &parts[1])
                        && same_lines(&lines[block.release.clone()], &parts[2])
                });
                // An edited block that still has its markers is not settled either.
                let here = here.or_else(|| (0..found.len()).find(|k| free[*k] && decision.result.is_none()));
                if let Some(k) = here {
                    free[k] = false;
                    still_open.insert(decision.id.clone());
                }
            }
            // A name is not settled by editing what is in the file.
            let names = decisions.iter().filter(|d| d.state == State::Open && d.reason == Reason::BothRenamed);
            still_open.extend(names.map(|d| d.id.clone()));
            // A side that stands and was not changed is still a question.
            for decision in decisions.iter().filter(|d| d.state == State::Open && d.stands != Stands::Markers) {
                let (stands, other) = match decision.stands {
                    Stands::Site => (&decision.site, &decision.release),
                    _ => (&decision.release, &decision.site),
                };
                let is_there = |side: &Blob| {
                    let text = side.bytes().unwrap_or_default();
                    let text = text.trim_ascii();
                    (!text.is_empty()).then(|| body.windows(text.len()).any(|w| w == text))
                };
                // Of nothing it cannot be told whether it stands: of the other side's text it can.
                let standing = is_there(stands).unwrap_or_else(|| !is_there(other).unwrap_or(false));
                if decision.result.is_some() && standing {
                    still_open.insert(decision.id.clone());
                }
            }
        }
        for decision in &mut self.account.decisions {
            if decision.state == State::Open && !still_open.contains(&decision.id) {
                decision.state = State::Edited;
                self.newly_settled += 1;
            }
        }
        for entry in evidence.result.entries().iter().filter(|e| !e.binary && e.size < 16 << 20) {
            let Some(record) = self.account.files.iter().find(|f| f.path == entry.path) else { continue };
            if record.from != Source::Merged {
                continue;
            }
            let Some(bytes) = evidence.result.read_path(&entry.path) else { continue };
            let Some(text) = Text::decode(&bytes) else { continue };
            let lines = split_lines(&text.body);
            let (found, mut stray) = blocks(&lines);
            let open = self
                .account
                .decisions
                .iter()
                .filter(|d| d.path == entry.path && d.state == State::Open && d.stands == Stands::Markers);
            let extra = found.len().saturating_sub(open.count());
            stray.extend(found.iter().rev().take(extra).map(|b| b.all.start));
            // The inputs may hold such lines as content.
            let content = [evidence.site, evidence.release].iter().any(|tree| {
                tree.read_path(&entry.path).is_some_and(|b| b.windows(OPEN.len()).any(|w| w == OPEN || w == BASE))
            });
            for line in stray.into_iter().filter(|_| !content) {
                self.find(
                    FindingKind::MarkerLeft,
                    &entry.path,
                    Some(line + 1),
                    "a conflict marker stands here without an open decision",
                    "finish the edit and remove the marker",
                );
            }
        }
        Ok(())
    }

    /// Proves one file that the site touched.
    fn file(&mut self, file: &FileRecord, evidence: &Evidence<'_>) -> Result<(), ReadError> {
        let at = |tree: &dyn Tree, other: &Option<String>| tree.find(other.as_deref().unwrap_or(&file.path));
        let (base, site, release, result) = (
            at(evidence.base, &file.base_path),
            at(evidence.site, &file.site_path),
            at(evidence.release, &file.release_path),
            evidence.result.find(&file.path),
        );
        self.settle_changes(file, evidence)?;
        let Some(result) = result else { return Ok(()) };
        let entry = &evidence.result.entries()[result];
        let expected = match file.from {
            Source::Release => release.map(|k| evidence.release.entries()[k].digest),
            Source::Site => site.map(|k| evidence.site.entries()[k].digest),
            Source::Merged | Source::Nowhere => None,
        };
        let recorded = file.digest.as_deref() == Some(entry.digest.hex().as_str());
        if recorded && expected.is_some_and(|d| d != entry.digest) {
            self.find(
                FindingKind::FileDiffers,
                &file.path,
                None,
                "the file is not the one that the account says was taken",
                "carry again",
            );
        }
        if entry.binary {
            return Ok(());
        }
        let read = |tree: &dyn Tree, k: Option<usize>| k.map(|k| tree.read(k)).transpose();
        let bytes = evidence.result.read(result)?;
        let (b, s, r) = (read(evidence.base, base)?, read(evidence.site, site)?, read(evidence.release, release)?);
        self.form(file, &bytes, s.as_deref(), r.as_deref());
        let written = |d: &Decision| d.path == file.path && d.state == State::Settled && d.result.is_none();
        if file.from == Source::Merged && self.account.decisions.iter().any(written) {
            // Somebody wrote the whole file.
        } else if file.from == Source::Merged && b.is_none() && s.is_some() {
            let site = s.as_deref().unwrap_or_default();
            self.look_up_added(file, site, &bytes);
            self.look_up_followed(file, site, &bytes, recorded);
        } else if let (Source::Merged, Some(r)) = (file.from, r) {
            let (b, s) = (b.unwrap_or_default(), s.unwrap_or_default());
            let decode = |bytes: &[u8]| Text::decode(bytes).map(|t| t.body.into_owned());
            let values = [&b, &s, &r, &bytes].map(|t| keyed_values(&file.path, t));
            if let [Some(base), Some(site), Some(release), Some(result)] = values {
                let mut values = [base, site, release, result];
                values::forget_unsure(&bytes, &mut values);
                values::follow_names(&mut values);
                self.values(file, &values);
            } else if let (Some(b), Some(s), Some(r), Some(x)) =
                (decode(&b), decode(&s), decode(&r), decode(&bytes))
            {
                let r = self.without_followed(file, &r);
                self.words(file, &b, &s, &r, &x, recorded);
            }
        }
        Ok(())
    }

    /// Follows what somebody did at open spots: the change is in the result, or it was dropped.
    fn settle_changes(&mut self, file: &FileRecord, evidence: &Evidence<'_>) -> Result<(), ReadError> {
        let settled: HashSet<String> =
            self.account.decisions.iter().filter(|d| d.state == State::Edited).map(|d| d.id.clone()).collect();
        let bytes = evidence.result.find(&file.path).map(|k| evidence.result.read(k)).transpose()?;
        let present: Option<HashSet<Vec<u8>>> =
            bytes.as_ref().map(|b| split_lines(b).iter().map(|l| l.trimmed().to_vec()).collect());
        let site_digest = file
            .site_path
            .as_deref()
            .or(Some(&file.path))
            .and_then(|p| evidence.site.find(p))
            .map(|k| evidence.site.entries()[k].digest);
        for change in &mut self.account.changes {
            let mine = change.result_path.as_deref().unwrap_or(&change.path) == file.path
                || Some(change.path.as_str()) == file.site_path.as_deref();
            let decided = change.decision.as_ref().is_some_and(|d| settled.contains(d));
            if !mine || !decided || change.outcome != Outcome::Open {
                continue;
            }
            let stands = match (&change.added, &present) {
                (Some(added), Some(lines)) => {
                    let added = added.bytes().unwrap_or_default();
                    split_lines(&added).iter().filter(|l| !l.is_blank()).all(|l| lines.contains(l.trimmed()))
                }
                (None, Some(_)) if change.what == What::Deleted => false,
                (None, Some(_)) => bytes.as_ref().is_some_and(|b| Some(Digest::of(b)) == site_digest),
                (_, None) => change.what == What::Deleted,
            };
            change.outcome = if stands { Outcome::Fitted } else { Outcome::Dropped };
        }
        Ok(())
    }

    /// The file reads in its own format, or did not before either.
    fn form(&mut self, file: &FileRecord, bytes: &[u8], site: Option<&[u8]>, release: Option<&[u8]>) {
        // Between markers both sides stand.
        if file.kind != Kind::Settings && bytes.windows(OPEN.len()).any(|w| w == OPEN) {
            return;
        }
        if let Some((line, what)) = well_formed(&file.path, file.kind, bytes) {
            let fault = |side: Option<&[u8]>| side.is_some_and(|b| well_formed(&file.path, file.kind, b).is_some());
            let since = match (fault(site), fault(release)) {
                (_, true) => Since::Release,
                (true, _) => Since::Site,
                _ => Since::Carry,
            };
            self.find(FindingKind::NotWellFormed, &file.path, Some(line), &what, "mend the file at this line");
            if let Some(last) = self.findings.last_mut() {
                last.since = since;
            }
        }
    }

    /// A file that both added: all of the site's lines are in the result.
    fn look_up_added(&mut self, file: &FileRecord, site: &[u8], bytes: &[u8]) {
        let open = self.account.decisions.iter().any(|d| d.path == file.path && d.state == State::Open);
        if let (true, Some(lost)) = (!open, lost_wording(site, bytes)) {
            let means = format!("the site's translation of {lost:?} is missing");
            self.find(FindingKind::ChangeMissing, &file.path, None, &means, "put the translation back");
        }
        let empty = bytes.iter().all(u8::is_ascii_whitespace);
        if !open && empty {
            self.find(FindingKind::ReleaseMissing, &file.path, None, "the file is empty", "take one side's file");
        }
    }

    /// What was answered stands in the file: at its spot, or after an edit anywhere.
    fn answers(&mut self, file: &FileRecord, result: &[Line<'_>], recorded: bool) {
        let settled = |d: &&Decision| d.path == file.path && d.state == State::Settled && d.result.is_some();
        let settled: Vec<Decision> = self.account.decisions.iter().filter(settled).cloned().collect();
        for decision in settled {
            let (Some(answer), Some(at)) = (&decision.answer, decision.result) else { continue };
            let Ok(wanted) = content(&decision, answer) else { continue };
            let at = if recorded { at.range().start..at.range().end.min(result.len()) } else { 0..result.len() };
            let here: HashSet<&[u8]> =
                result.get(at.clone()).unwrap_or_default().iter().map(|l| l.trimmed()).collect();
            let stands = |line: &Line<'_>| {
                // A value stands within a line of its own form.
                let words = line.trimmed();
                words.is_empty() || here.contains(words) || here.iter().any(|l| contains(l, words))
            };
            // What is merged into another form, value by value, is the values' business.
            if decision.stands == Stands::Markers && !split_lines(&wanted).iter().all(stands) {
                self.find(
                    FindingKind::ChangeMissing,
                    &file.path,
                    Some(at.start + 1),
                    &format!("what was answered to {} does not stand in the file", decision.id),
                    "settle it again",
                );
            }
        }
    }
}

/// The first message whose translation is not in the result, in use or obsolete.
fn lost_wording(site: &[u8], result: &[u8]) -> Option<String> {
    let (site, result) = (Catalog::parse(site).ok()?, Catalog::parse(result).ok()?);
    let said: HashSet<&Vec<Vec<u8>>> = result.messages.iter().map(|m| &m.texts).collect();
    let own = site.messages.iter().filter(|m| !m.is_header() && m.is_translated());
    let lost = own.into_iter().find(|m| !said.contains(&m.texts));
    lost.map(|m| String::from_utf8_lossy(&m.id).into_owned())
}

fn contains(line: &[u8], words: &[u8]) -> bool {
    line.windows(words.len()).any(|w| w == words)
}
