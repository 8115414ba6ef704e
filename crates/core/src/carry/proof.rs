//! Proving an account against a result, without asking the merge.
//!
//! This module shares nothing with the merge beyond reading text. It counts words: in a result where every
//! change of both sides was made once, each word stands as often as `site + release - base` says. Then it looks
//! each site change up in the neighbourhood it belongs to, and reads every file in its own format.

use std::collections::{BTreeMap, HashMap, HashSet};
use std::ops::Range;

use serde::{Deserialize, Serialize};

use super::account::{Account, ChangeRecord, Decision, FileRecord, Source, Stands, State, Totals};
use super::checks::check;
use super::markers::{BASE, Block, OPEN, blocks, joined, same_lines};
use super::settle::content;
use super::valid::well_formed;
use super::values::keyed_values;
use crate::catalog::Catalog;
use crate::changes::What;
use crate::merge::{Outcome, Reason, Step};
use crate::text::token::{TokenKind, tokens};
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

/// Of how many copies of a line the surroundings are looked at.
const COPIES: usize = 100;

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
            let Some(index) = evidence.result.find(path) else { continue };
            let digest = evidence.result.entries()[index].digest.hex();
            let record = self.account.files.iter().find(|f| f.path == *path);
            let untouched = record.is_some_and(|f| f.digest.as_deref() == Some(digest.as_str()));
            if untouched {
                still_open.extend(decisions.iter().filter(|d| d.state == State::Open).map(|d| d.id.clone()));
                continue;
            }
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
                let stands = if decision.stands == Stands::Site { &decision.site } else { &decision.release };
                let standing = stands.bytes().is_some_and(|text| {
                    let text = text.trim_ascii();
                    !text.is_empty() && body.windows(text.len()).any(|w| w == text)
                });
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
            self.look_up_added(file, s.as_deref().unwrap_or_default(), &bytes);
        } else if let (Source::Merged, Some(r)) = (file.from, r) {
            let (b, s) = (b.unwrap_or_default(), s.unwrap_or_default());
            let decode = |bytes: &[u8]| Text::decode(bytes).map(|t| t.body.into_owned());
            if let Some(mut values) =
                [&b, &s, &r, &bytes].map(|t| keyed_values(&file.path, t)).into_iter().collect::<Option<Vec<_>>>()
            {
                forget_unsure(&bytes, &mut values);
                self.values(file, &values);
            } else if let (Some(b), Some(s), Some(r), Some(x)) =
                (decode(&b), decode(&s), decode(&r), decode(&bytes))
            {
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

    /// Counts words, and looks every site change up in its neighbourhood.
    fn words(
        &mut self,
        file: &FileRecord,
        base: &[u8],
        site: &[u8],
        release: &[u8],
        result: &[u8],
        recorded: bool,
    ) {
        let site_path = file.site_path.as_deref().unwrap_or(&file.path);
        let edited: Vec<&ChangeRecord> = self.account.changes.iter().filter(|c| c.what == What::Edited).collect();
        let own = |c: &ChangeRecord| c.path == site_path;
        let here = |c: &ChangeRecord| c.result_path.as_deref() == Some(&file.path);
        // Changes that came from other files, and changes that went to others.
        let came: Vec<&ChangeRecord> = edited.iter().copied().filter(|c| here(c) && !own(c)).collect();
        let changes: Vec<ChangeRecord> = edited.iter().copied().filter(|c| own(c)).cloned().collect();
        let texts = |blob: fn(&ChangeRecord) -> &Option<super::account::Blob>| -> Vec<u8> {
            came.iter().filter_map(|c| blob(c).as_ref().and_then(super::account::Blob::bytes)).flatten().collect()
        };
        // A file that is not done keeps the site's stamp: there too the release's counts.
        let stamped = |c: &ChangeRecord| c.step == Some(Step::Stamp);
        let result = &changes
            .iter()
            .filter(|c| stamped(c) && c.outcome == Outcome::Kept)
            .filter_map(|c| Some((c.result?.range(), c.release?.range())))
            .fold(result.to_vec(), |result, (at, from)| exchanged(&result, &at, release, &from));
        let base = &[base, b"\n", &texts(|c| &c.removed)].concat();
        let site = &[site, b"\n", &texts(|c| &c.added)].concat();
        let (base_lines, site_lines, result_lines) = (split_lines(base), split_lines(site), split_lines(result));
        // What was in the release already, and what is open, is taken out of the site's account; at an open spot
        // the release's text stands for the result's.
        let lines = |c: &ChangeRecord| Some((c.site?.range(), c.base?.range()));
        let elsewhere = |c: &&ChangeRecord| {
            c.outcome == Outcome::Already || stamped(c) || (c.outcome != Outcome::Open && !here(c))
        };
        let already = changes.iter().filter(elsewhere).filter_map(lines);
        let open: Vec<Decision> = self
            .account
            .decisions
            .iter()
            .filter(|d| d.path == file.path && d.state != State::Edited)
            .cloned()
            .collect();
        self.answers(file, &result_lines, recorded);
        let mut spots: Vec<_> =
            open.iter().filter_map(|d| Some((d.site_lines?.range(), d.base_lines?.range()))).collect();
        // Where the question is put beside the change (a line that was doubled), the change itself is open too.
        let asked = changes.iter().filter(|c| open.iter().any(|d| c.decision.as_ref() == Some(&d.id)));
        for (site, base) in asked.filter_map(lines) {
            let apart = |(s, b): &(Range<usize>, Range<usize>)| {
                (site.start >= s.end || site.end <= s.start) && (base.start >= b.end || base.end <= b.start)
            };
            if spots.iter().all(apart) {
                spots.push((site, base));
            }
        }
        let effective = reverted(&base_lines, &site_lines, already.chain(spots));
        let (found, _) = blocks(&result_lines);
        let plain =
            if recorded { settled_for_release(&result_lines, &open) } else { resolved(&result_lines, &found) };
        let counts = [base, &effective, release, &plain].map(count_words);
        if recorded {
            self.count(file, &counts, &changes);
        }
        let plain_lines = split_lines(&plain);
        let already: Vec<&ChangeRecord> =
            changes.iter().filter(|c| c.outcome == Outcome::Already && here(c)).collect();
        if !already.is_empty() {
            self.gone(file, &already, &base_lines, &split_lines(release));
        }
        let carried = |c: &&ChangeRecord| matches!(c.outcome, Outcome::Kept | Outcome::Fitted | Outcome::Moved);
        let answered = |c: &ChangeRecord| {
            c.decision.as_ref().is_some_and(|id| open.iter().any(|d| d.id == *id && d.state == State::Settled))
        };
        let wanted = |c: &&ChangeRecord| here(c) && !answered(c);
        let looked_up: Vec<ChangeRecord> = changes.iter().filter(carried).filter(wanted).cloned().collect();
        for change in &looked_up {
            self.look_up(file, change, &site_lines, &plain_lines, &counts);
        }
        let bracket = |text: &[u8]| brackets(text);
        let (b, s, r, x) = (bracket(base), bracket(&effective), bracket(release), bracket(&plain));
        if b == s && b == r && x != b {
            self.find(
                FindingKind::Unbalanced,
                &file.path,
                None,
                "brackets balance in all three versions, but not in the result",
                "look at the fitted changes in this file",
            );
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

    /// Each value of a settings file is the one that the two sides' changes make it.
    fn values(&mut self, file: &FileRecord, values: &[BTreeMap<String, String>]) {
        let [base, site, release, result] = values else { return };
        let written = self.account.decisions.iter().any(|d| {
            d.path == file.path && d.answer.as_ref().is_some_and(|a| a.take == super::account::Take::Text)
        });
        // A value of another type says the same when only its quotes differ.
        let plain = |v: Option<&String>| v.map(|v| v.trim_matches('"').to_string());
        let held: HashSet<String> =
            self.account.defaults.iter().filter(|d| d.held && d.path == file.path).map(|d| d.key.clone()).collect();
        let retyped = self
            .account
            .changes
            .iter()
            .any(|c| c.step == Some(Step::Retyped) && c.result_path.as_deref() == Some(file.path.as_str()));
        let paths: std::collections::BTreeSet<&String> = values.iter().flat_map(BTreeMap::keys).collect();
        for path in paths {
            let (b, s, r, x) = (base.get(path), site.get(path), release.get(path), result.get(path));
            let shown = path.replace('\0', ".");
            let is_held = held.contains(shown.trim_start_matches('.')) && x == s;
            if is_held || (retyped && plain(x) == plain(s)) {
                continue;
            }
            let show = |v: Option<&String>| v.map_or("nothing".to_string(), |v| format!("`{v}`"));
            // What one side emptied and the other added to is no value of its own.
            let empty = |v: Option<&String>| v.is_some_and(|v| v == "{}" || v == "[]");
            let inner = if path.is_empty() { String::new() } else { format!("{path}\0") };
            let filled = x.is_none()
                && (empty(s) || empty(r))
                && result.range(inner.clone()..).any(|(p, _)| p.starts_with(&inner));
            // What both emptied is looked at key by key.
            if filled || empty(x) {
                continue;
            }
            // A renamed key holds the value that the site set under the old one.
            let set = |x: &String| site.iter().any(|(p, v)| v == x && base.get(p) != Some(v));
            if s == b && x != r && !x.is_some_and(set) {
                let means = format!("{shown} is {}, the release has {}", show(x), show(r));
                self.find(FindingKind::ReleaseMissing, &file.path, None, &means, "take the release's value");
            } else if s != b && r == b && x != s {
                let means = format!("{shown} is {}, the site set {}", show(x), show(s));
                self.find(FindingKind::ChangeMissing, &file.path, None, &means, "put the site's value back");
            } else if s != b && r.is_some() && x != s && x != r && !is_list(s) && !written {
                let means = format!("{shown} is {}: neither the site's nor the release's value", show(x));
                self.find(FindingKind::WordsTooMany, &file.path, None, &means, "take one side's value");
            }
        }
    }

    /// Each word stands as often as the changes of both sides add up to.
    fn count(
        &mut self,
        file: &FileRecord,
        [base, site, release, result]: &[HashMap<&[u8], i64>; 4],
        changes: &[ChangeRecord],
    ) {
        let get = |m: &HashMap<&[u8], i64>, w: &[u8]| m.get(w).copied().unwrap_or(0);
        let words: std::collections::BTreeSet<&[u8]> =
            [base, site, release, result].iter().flat_map(|m| m.keys().copied()).collect();
        let (mut few, mut many): (Vec<String>, Vec<String>) = (Vec::new(), Vec::new());
        for word in words {
            let (b, s, r, x) = (get(base, word), get(site, word), get(release, word), get(result, word));
            let (ds, dr) = (s - b, r - b);
            let sum = b + ds + dr;
            // Where both sides did the like, it may have been the same.
            let once = if ds.signum() == dr.signum() { b + if ds.abs() > dr.abs() { ds } else { dr } } else { sum };
            let (low, high) = (sum.min(once), sum.max(once));
            if low <= x && x <= high {
                continue;
            }
            let shown = String::from_utf8_lossy(word).into_owned();
            if x < low { few.push(shown) } else { many.push(shown) }
        }
        let list = |words: &[String]| {
            let mut text = words.iter().take(6).map(|w| format!("`{w}`")).collect::<Vec<_>>().join(", ");
            if words.len() > 6 {
                text += ", …";
            }
            text
        };
        if !few.is_empty() {
            let of_site = changes.iter().find(|c| {
                let added = c.added.as_ref().and_then(super::account::Blob::bytes).unwrap_or_default();
                let added: HashSet<Vec<u8>> = tokens(&added).map(|t| t.text.to_vec()).collect();
                few.iter().any(|w| w.bytes().any(|b| b.is_ascii_alphanumeric()) && added.contains(w.as_bytes()))
            });
            let (kind, means) = match of_site {
                Some(_) => (FindingKind::ChangeMissing, "words that the site put in are missing"),
                None => (
                    FindingKind::ReleaseMissing,
                    "words of the release are missing, and no site change took them out",
                ),
            };
            self.find(
                kind,
                &file.path,
                None,
                &format!("{means}: {}", list(&few)),
                "compare the file with site and release",
            );
            if let (Some(change), Some(last)) = (of_site, self.findings.last_mut()) {
                last.change = Some(change.id.to_string());
            }
        }
        if !many.is_empty() {
            self.find(
                FindingKind::WordsTooMany,
                &file.path,
                None,
                &format!("words stand more often than both sides put them there: {}", list(&many)),
                "look for a change that was made twice, or text that should have gone",
            );
        }
    }

    /// What the site took out, and passes for taken out by the release too, does not stand there beside the lines that it
    /// stood beside.
    fn gone(&mut self, file: &FileRecord, already: &[&ChangeRecord], base: &[Line<'_>], release: &[Line<'_>]) {
        let telling = |l: &&Line<'_>| l.trimmed().iter().filter(|b| b.is_ascii_alphanumeric()).count() >= 4;
        let beside = |lines: &[Line<'_>], k: usize| -> [Vec<u8>; 2] {
            let text = |l: Option<&Line<'_>>| l.map_or(Vec::new(), |l| l.trimmed().to_vec());
            let before = lines[..k].iter().rev().find(telling);
            [text(before), text(lines[k + 1..].iter().find(telling))]
        };
        let mut in_base: HashMap<&[u8], usize> = HashMap::new();
        for line in base {
            *in_base.entry(line.trimmed()).or_default() += 1;
        }
        let mut in_release: HashMap<&[u8], Vec<usize>> = HashMap::new();
        for (k, line) in release.iter().enumerate() {
            in_release.entry(line.trimmed()).or_default().push(k);
        }
        for change in already {
            let Some(at) = change.base.map(|l| l.range()).filter(|r| r.end <= base.len()) else { continue };
            let added = change.added.as_ref().and_then(super::account::Blob::bytes).unwrap_or_default();
            let added: HashSet<Vec<u8>> = split_lines(&added).iter().map(|l| l.trimmed().to_vec()).collect();
            let stands = |k: usize| {
                let line = base[k].trimmed();
                let copies = in_release.get(line).filter(|copies| copies.len() >= in_base[line])?;
                let [before, after] = beside(base, k);
                let same_place = |j: &&usize| {
                    let [b, a] = beside(release, **j);
                    !before.is_empty() && b == before || !after.is_empty() && a == after
                };
                copies.iter().take(COPIES).find(same_place).copied()
            };
            let taken_out = |k: &usize| telling(&&base[*k]) && !added.contains(base[*k].trimmed());
            if let Some(found) = at.filter(taken_out).find_map(stands) {
                let means = "the site took this line out, and the release has it still";
                self.find(
                    FindingKind::ChangeMissing,
                    &file.path,
                    Some(found + 1),
                    means,
                    "take the line out again",
                );
                if let Some(last) = self.findings.last_mut() {
                    last.change = Some(change.id.to_string());
                }
            }
        }
    }

    /// A change's words stand in the result, in the neighbourhood they belong to.
    fn look_up(
        &mut self,
        file: &FileRecord,
        change: &ChangeRecord,
        site: &[Line<'_>],
        result: &[Line<'_>],
        [_, _, _, counts]: &[HashMap<&[u8], i64>; 4],
    ) {
        let Some(at) = change.site.map(|l| l.range()).filter(|r| r.end <= site.len()) else { return };
        let added: Vec<&Line<'_>> = site[at.clone()].iter().filter(|l| !l.is_blank()).collect();
        // A version stamp is the release's; only the words say so.
        if added.is_empty() || change.step == Some(Step::Stamp) {
            return;
        }
        let missing = added
            .iter()
            .flat_map(|l| tokens(l.content))
            .find(|t| t.kind == TokenKind::Word && !counts.contains_key(t.text));
        let word = missing.map(|t| String::from_utf8_lossy(t.text).into_owned());
        let report = |proof: &mut Proof, kind, line, means: &str, mend: &str| {
            proof.find(kind, &file.path, line, means, mend);
            if let Some(last) = proof.findings.last_mut() {
                last.change = Some(change.id.to_string());
            }
        };
        if let Some(word) = word.filter(|_| change.step != Some(Step::Words)) {
            report(
                self,
                FindingKind::ChangeMissing,
                None,
                &format!("`{word}`, which the site put in, is missing"),
                "put the change back",
            );
            return;
        }
        // The place: where most of the site's neighbouring lines stand around the change.
        let around = |lines: &[Line<'_>], range: &Range<usize>| -> Vec<Vec<u8>> {
            let telling = |l: &&Line<'_>| l.trimmed().iter().filter(|b| b.is_ascii_alphanumeric()).count() >= 4;
            let before = lines[..range.start.min(lines.len())].iter().rev().filter(telling).take(4);
            let after = lines[range.end.min(lines.len())..].iter().filter(telling).take(4);
            before.chain(after).map(|l| l.trimmed().to_vec()).collect()
        };
        let wanted = around(site, &at);
        let first = added[0].trimmed();
        let places: Vec<usize> = (0..result.len()).filter(|k| result[*k].trimmed() == first).collect();
        let score = |k: usize| {
            let here = around(result, &(k..(k + at.len()).min(result.len())));
            wanted.iter().filter(|w| here.contains(w)).count()
        };
        let Some(best) = places.iter().map(|k| (score(*k), *k)).max() else { return };
        // An unchanged twin of what the site replaced, in the very surroundings, says it went to the wrong one.
        let removed = change.removed.as_ref().and_then(super::account::Blob::bytes).unwrap_or_default();
        let removed_lines = split_lines(&removed);
        let telling = removed_lines.iter().find(|l| !l.is_blank());
        let twin = telling.and_then(|l| {
            (0..result.len())
                .filter(|k| result[*k].trimmed() == l.trimmed() && l.trimmed() != first)
                .map(|k| (score(k), k))
                .max()
        });
        if let Some((_, line)) = twin.filter(|(s, _)| *s > best.0 && *s * 2 >= wanted.len()) {
            report(
                self,
                FindingKind::ChangeMisplaced,
                Some(best.1 + 1),
                &format!("the change stands here, but its surroundings are at line {}", line + 1),
                "move the change to where its surroundings are",
            );
        }
    }
}

/// Takes messages out of a result's values that stand in none of the three catalogs, and say nothing yet that anybody
/// is sure of: they came with the template of the release.
fn forget_unsure(result: &[u8], values: &mut [BTreeMap<String, String>]) {
    let [base, site, release, values] = values else { return };
    let Ok(catalog) = Catalog::parse(result) else { return };
    let unsure = catalog.messages.iter().filter(|m| !m.obsolete && (m.is_fuzzy() || !m.is_translated()));
    let written = |id: &[u8]| {
        let id = String::from_utf8_lossy(id);
        format!("msgid{}", id.replace('\\', "\\\\").replace('"', "\\\"").replace('\n', "\\n"))
    };
    let unsure: HashSet<String> = unsure.map(|m| written(&m.id)).collect();
    let known = |key: &String| base.contains_key(key) || site.contains_key(key) || release.contains_key(key);
    values.retain(|key, _| known(key) || !key.find("msgid").is_some_and(|at| unsure.contains(&key[at..])));
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

/// A list may be merged item by item, and then be neither side's.
fn is_list(value: Option<&String>) -> bool {
    value.is_some_and(|v| v.starts_with('['))
}

/// A text with some lines of another in place of its own.
fn exchanged(text: &[u8], at: &Range<usize>, other: &[u8], from: &Range<usize>) -> Vec<u8> {
    let (lines, others) = (split_lines(text), split_lines(other));
    if at.end > lines.len() || from.end > others.len() {
        return text.to_vec();
    }
    [joined(&lines[..at.start]), joined(&others[from.clone()]), joined(&lines[at.end..])].concat()
}

/// The site's text with the base's in place of some spots.
fn reverted(
    base: &[Line<'_>],
    site: &[Line<'_>],
    spots: impl Iterator<Item = (Range<usize>, Range<usize>)>,
) -> Vec<u8> {
    let mut spots: Vec<(Range<usize>, Range<usize>)> =
        spots.filter(|(s, b)| s.end <= site.len() && b.end <= base.len()).collect();
    spots.sort_by_key(|(s, b)| (s.start, b.start));
    let mut out = Vec::new();
    let mut at = 0;
    for (s, b) in spots {
        out.extend(joined(&site[at.min(s.start)..s.start]));
        out.extend(joined(&base[b]));
        at = at.max(s.end);
    }
    out.extend(joined(&site[at..]));
    out
}

/// The result with the release's side at every open spot, by the lines that the account names.
fn settled_for_release(lines: &[Line<'_>], open: &[Decision]) -> Vec<u8> {
    let mut spots: Vec<(Range<usize>, Vec<u8>)> = open
        .iter()
        .filter_map(|d| Some((d.result?.range(), d.release.bytes()?)))
        .filter(|(r, _)| r.end <= lines.len())
        .collect();
    spots.sort_by_key(|(r, _)| r.start);
    let mut out = Vec::new();
    let mut at = 0;
    for (range, text) in spots {
        out.extend(joined(&lines[at.min(range.start)..range.start]));
        out.extend(joined(&split_lines(&text)));
        at = at.max(range.end);
    }
    out.extend(joined(&lines[at..]));
    out
}

/// The result with the release's side in place of every conflict block.
fn resolved(lines: &[Line<'_>], blocks: &[Block]) -> Vec<u8> {
    let mut out = Vec::new();
    let mut at = 0;
    for block in blocks {
        out.extend(joined(&lines[at..block.all.start]));
        out.extend(joined(&lines[block.release.clone()]));
        at = block.all.end;
    }
    out.extend(joined(&lines[at..]));
    out
}

fn count_words(text: &[u8]) -> HashMap<&[u8], i64> {
    let mut counts: HashMap<&[u8], i64> = HashMap::new();
    for token in tokens(text) {
        if !token.text.is_empty() {
            *counts.entry(token.text).or_default() += 1;
        }
    }
    counts
}

/// How far round, square and curly brackets are from balancing.
fn brackets(text: &[u8]) -> [i64; 3] {
    let mut counts = [0i64; 3];
    for byte in text {
        match byte {
            b'(' => counts[0] += 1,
            b')' => counts[0] -= 1,
            b'[' => counts[1] += 1,
            b']' => counts[1] -= 1,
            b'{' => counts[2] += 1,
            b'}' => counts[2] -= 1,
            _ => {}
        }
    }
    counts
}
