//! What the commands write as JSON (`docs/account-format.md`); apart from the core's types, so that a change
//! there cannot change the format.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use daxle_core::carry::account::{Account, Blob, Decision, DefaultRecord, Lines, Theme, Totals, VendorChange};
use daxle_core::carry::{Drift, Finding, Proof};
use daxle_core::changes::{ChangeId, Origin, Survey, What};
use daxle_core::theme::{Jump, Kind, changelog::Notes};
use daxle_files::{OldCopy, Placed};
use serde::Serialize;

/// A survey.
#[derive(Serialize)]
pub(crate) struct SurveyReport {
    format: &'static str,
    format_version: u32,
    base: Theme,
    site: Theme,
    changed_files: usize,
    untouched_files: usize,
    changes: Vec<SurveyChange>,
}

#[derive(Serialize)]
struct SurveyChange {
    id: ChangeId,
    path: String,
    kind: Kind,
    what: What,
    origin: Origin,
    #[serde(skip_serializing_if = "Option::is_none")]
    base_path: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    base: Option<Lines>,
    #[serde(skip_serializing_if = "Option::is_none")]
    site: Option<Lines>,
    #[serde(skip_serializing_if = "Option::is_none")]
    removed: Option<Blob>,
    #[serde(skip_serializing_if = "Option::is_none")]
    added: Option<Blob>,
    #[serde(skip_serializing_if = "Option::is_none")]
    size: Option<u64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    note: Option<String>,
}

impl SurveyReport {
    pub(crate) fn new(base: Theme, site: Theme, survey: &Survey, notes: &BTreeMap<ChangeId, String>) -> Self {
        let changes = survey.files.iter().flat_map(|file| {
            file.changes.iter().map(|c| SurveyChange {
                id: c.id.clone(),
                path: c.path.clone(),
                kind: c.kind,
                what: c.what,
                origin: c.origin,
                base_path: file.base_path.clone().filter(|p| *p != c.path),
                base: c.base.as_ref().map(Lines::from),
                site: c.site.as_ref().map(Lines::from),
                removed: c.base.as_ref().map(|_| Blob::of(&c.removed)),
                added: c.site.as_ref().map(|_| Blob::of(&c.added)),
                size: matches!(c.what, What::Added | What::Replaced).then_some(c.size),
                note: notes.get(&c.id).cloned(),
            })
        });
        SurveyReport {
            format: "daxle-survey",
            format_version: 1,
            base,
            site,
            changed_files: survey.files.len(),
            untouched_files: survey.untouched,
            changes: changes.collect(),
        }
    }
}

/// A forecast: an account in short.
#[derive(Serialize)]
pub(crate) struct Forecast<'a> {
    format: &'static str,
    format_version: u32,
    base: &'a Theme,
    site: &'a Theme,
    release: &'a Theme,
    jump: Option<Jump>,
    totals: Totals,
    files: Vec<ForecastFile<'a>>,
    decisions: &'a [Decision],
    vendor: &'a [VendorChange],
    notes: &'a [Notes],
    #[serde(skip_serializing_if = "<[DefaultRecord]>::is_empty")]
    defaults: &'a [DefaultRecord],
}

#[derive(Serialize)]
struct ForecastFile<'a> {
    path: &'a str,
    totals: Totals,
}

impl<'a> Forecast<'a> {
    pub(crate) fn new(account: &'a Account) -> Self {
        let files = daxle_core::carry::account::by_file(&account.changes);
        Forecast {
            format: "daxle-forecast",
            format_version: 1,
            base: &account.themes.base,
            site: &account.themes.site,
            release: &account.themes.release,
            jump: account.jump,
            totals: account.totals,
            files: files.into_iter().map(|(path, totals)| ForecastFile { path, totals }).collect(),
            decisions: &account.decisions,
            vendor: &account.vendor,
            notes: &account.notes,
            defaults: &account.defaults,
        }
    }
}

/// Decisions, after some were answered.
#[derive(Serialize)]
pub(crate) struct Decisions<'a> {
    format: &'static str,
    format_version: u32,
    answered: usize,
    totals: Totals,
    decisions: Vec<&'a Decision>,
}

impl<'a> Decisions<'a> {
    pub(crate) fn new(totals: Totals, decisions: Vec<&'a Decision>, answered: usize) -> Self {
        Decisions { format: "daxle-decisions", format_version: 1, answered, totals, decisions }
    }
}

/// A report.
#[derive(Serialize)]
pub(crate) struct Reported<'a> {
    format: &'static str,
    format_version: u32,
    page: &'a Path,
    bytes: usize,
    totals: Totals,
}

impl<'a> Reported<'a> {
    pub(crate) fn new(page: &'a Path, bytes: usize, totals: Totals) -> Self {
        Reported { format: "daxle-report", format_version: 1, page, bytes, totals }
    }
}

/// An archive for upload.
#[derive(Serialize)]
pub(crate) struct Packed<'a> {
    format: &'static str,
    format_version: u32,
    archive: &'a Path,
    name: &'a str,
    files: usize,
    bytes: usize,
}

impl<'a> Packed<'a> {
    pub(crate) fn new(archive: &'a Path, name: &'a str, files: usize, bytes: usize) -> Self {
        Packed { format: "daxle-packed", format_version: 1, archive, name, files, bytes }
    }
}

/// A placement or a rollback.
#[derive(Serialize)]
pub(crate) struct Placement<'a> {
    format: &'static str,
    format_version: u32,
    what: &'static str,
    dry_run: bool,
    at: &'a Path,
    done: bool,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    against: Vec<String>,
    drift: Vec<Drifted<'a>>,
    #[serde(skip_serializing_if = "Option::is_none")]
    kept: Option<PathBuf>,
    owned: usize,
    owner_lost: usize,
}

#[derive(Serialize)]
struct Drifted<'a> {
    path: &'a str,
    what: Drift,
}

impl<'a> Placement<'a> {
    pub(crate) fn new(what: &'static str, dry_run: bool, at: &'a Path, drifted: &'a [(String, Drift)]) -> Self {
        Placement {
            format: "daxle-placement",
            format_version: 1,
            what,
            dry_run,
            at,
            done: false,
            against: Vec::new(),
            drift: drifted.iter().map(|(path, what)| Drifted { path, what: *what }).collect(),
            kept: None,
            owned: 0,
            owner_lost: 0,
        }
    }

    pub(crate) fn against(self, against: Vec<String>) -> Self {
        Placement { against, ..self }
    }

    pub(crate) fn done(self, placed: &Placed) -> Self {
        let kept = Some(placed.kept.clone());
        Placement { done: true, kept, owned: placed.owned, owner_lost: placed.owner_lost, ..self }
    }
}

/// Old copies of a live theme.
#[derive(Serialize)]
pub(crate) struct Copies<'a> {
    format: &'static str,
    format_version: u32,
    at: &'a Path,
    dry_run: bool,
    removed: &'a [&'a OldCopy],
    copies: &'a [&'a OldCopy],
}

impl<'a> Copies<'a> {
    pub(crate) fn new(at: &'a Path, dry_run: bool, removed: &'a [&'a OldCopy], copies: &'a [&'a OldCopy]) -> Self {
        Copies { format: "daxle-copies", format_version: 1, at, dry_run, removed, copies }
    }
}

/// A verification.
#[derive(Serialize)]
pub(crate) struct Verification<'a> {
    format: &'static str,
    format_version: u32,
    proved: bool,
    changes: usize,
    files: usize,
    newly_settled: usize,
    totals: Totals,
    findings: &'a [Finding],
}

impl<'a> Verification<'a> {
    pub(crate) fn new(proof: &'a Proof) -> Self {
        Verification {
            format: "daxle-verification",
            format_version: 1,
            proved: proof.new_findings().next().is_none(),
            changes: proof.changes,
            files: proof.files,
            newly_settled: proof.newly_settled,
            totals: proof.account.totals,
            findings: &proof.findings,
        }
    }
}
