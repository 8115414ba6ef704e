//! The stock as text and as JSON.

use std::fmt::Write;

use daxle_core::stock::{Fit, Print};
use daxle_files::{Added, Release, Stock};
use serde::Serialize;

use super::{count, size_words, style};
use crate::console::harmless;
use crate::stock::{Match, margin};

pub(crate) fn added(list: &[Added]) -> String {
    let mut out = String::new();
    let (g, o, f) = (style::GOOD, style::OPEN, style::FAINT);
    for item in list {
        let (word, release) = match item {
            Added::New { release } => (format!("{g}added{g:#}  "), release),
            Added::Known { release } => (format!("{f}known{f:#}  "), release),
            Added::Differs { release, .. } => (format!("{o}differs{o:#}"), release),
        };
        let inside = release.inside.as_deref().map(|i| format!("  {f}{}{f:#}", harmless(i))).unwrap_or_default();
        let _ = writeln!(
            out,
            "  {word}  {}  {}, from {}{inside}",
            harmless(&release.label()),
            count(release.files, "file"),
            harmless(&release.source)
        );
        if let Added::Differs { release, kept } = item {
            let _ = writeln!(
                out,
                "           {} is in stock from {} with other content, and stays as it is; take it out with\n           \
                 `daxle stock remove {}` to put this one in its place",
                harmless(&release.label()),
                harmless(kept),
                harmless(&release.label())
            );
        }
    }
    out
}

fn row(out: &mut String, release: &Release) {
    let f = style::FAINT;
    let parent = release.parent.as_deref().map(|p| format!("  child of {}", harmless(p))).unwrap_or_default();
    let requires: Vec<String> = release.requires.iter().map(|(n, v)| format!("{n} {v}")).collect();
    let requires = if requires.is_empty() { String::new() } else { format!("  with {}", requires.join(", ")) };
    let _ = writeln!(
        out,
        "  {:<10}  {:>10}  {:>9}  {f}{}{f:#}{parent}{}",
        harmless(&release.version),
        count(release.files, "file"),
        size_words(release.bytes),
        harmless(&release.source),
        harmless(&requires),
    );
}

pub(crate) fn theme(stock: &Stock, name: &str) -> String {
    let t = style::TITLE;
    let mut out = String::new();
    let title = stock.of(name).filter_map(|r| r.title.as_deref()).next_back();
    let title = title.filter(|t| *t != name).map(|t| format!("  {}", harmless(t))).unwrap_or_default();
    let _ = writeln!(out, "{t}{}{t:#}{title}", harmless(name));
    for release in stock.of(name) {
        row(&mut out, release);
    }
    out
}

pub(crate) fn list(stock: &Stock) -> String {
    if stock.releases().is_empty() {
        return format!(
            "nothing in stock at {}; add packages with `daxle stock add FILE`\n",
            stock.dir().display()
        );
    }
    let mut names: Vec<&str> = stock.releases().iter().map(|r| r.name.as_str()).collect();
    names.dedup();
    names.iter().map(|name| theme(stock, name)).collect()
}

pub(crate) fn release(stock: &Stock, release: &Release, print: &Print) -> String {
    let (t, f) = (style::TITLE, style::FAINT);
    let mut out = String::new();
    let _ = writeln!(
        out,
        "{t}{}{t:#}  {}, {}",
        harmless(&release.label()),
        count(release.files, "file"),
        size_words(release.bytes)
    );
    let _ = writeln!(out, "  package  {}", stock.archive(release).display());
    if let Some(inside) = &release.inside {
        let _ = writeln!(out, "  inside   {}", harmless(inside));
    }
    out.push('\n');
    for file in &print.files {
        let stamp = file.stamp.as_deref().map(|s| format!("  {f}stamp {}{f:#}", harmless(s))).unwrap_or_default();
        let _ = writeln!(out, "  {}{stamp}", harmless(&file.path));
    }
    out
}

pub(crate) fn matched(found: &Match, claim: Option<&str>, top: usize) -> String {
    let (t, f, w) = (style::TITLE, style::FAINT, style::WARNING);
    let mut out = String::new();
    let (best, _) = &found.ranked[0];
    let _ = writeln!(out, "{t}{}{t:#} {}", harmless(&best.label()), margin(found));
    if let Some(claim) = claim {
        let _ = writeln!(out, "{w}note:{w:#} {}", harmless(claim));
    }
    let _ = writeln!(
        out,
        "\n  {f}{:<24} {:>9} {:>8} {:>8} {:>8} {:>14} {:>10}{f:#}",
        "release", "identical", "similar", "missing", "own", "lines differing", "explained"
    );
    for (release, fit) in found.ranked.iter().take(top) {
        let _ = writeln!(
            out,
            "  {:<24} {:>9} {:>8} {:>8} {:>8} {:>15} {:>8.1} %",
            harmless(&release.label()),
            fit.identical,
            fit.similar,
            fit.missing,
            fit.own,
            fit.differing,
            fit.explained * 100.0
        );
    }
    if found.ranked.len() > top {
        let _ = writeln!(out, "  {f}{}{f:#}", count(found.ranked.len() - top, "more release"));
    }
    out
}

const VERSION: u32 = 1;

#[derive(Serialize)]
pub(crate) struct AddedReport<'a> {
    format: &'static str,
    format_version: u32,
    added: &'a [Added],
}

impl<'a> AddedReport<'a> {
    pub(crate) fn new(added: &'a [Added]) -> Self {
        AddedReport { format: "daxle-stock-added", format_version: VERSION, added }
    }
}

#[derive(Serialize)]
pub(crate) struct ListReport<'a> {
    format: &'static str,
    format_version: u32,
    releases: &'a [Release],
}

impl<'a> ListReport<'a> {
    pub(crate) fn new(releases: &'a [Release]) -> Self {
        ListReport { format: "daxle-stock", format_version: VERSION, releases }
    }
}

#[derive(Serialize)]
pub(crate) struct ReleaseReport<'a> {
    format: &'static str,
    format_version: u32,
    release: &'a Release,
    files: Vec<FileRow<'a>>,
}

#[derive(Serialize)]
struct FileRow<'a> {
    path: &'a str,
    digest: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    stamp: Option<&'a str>,
}

impl<'a> ReleaseReport<'a> {
    pub(crate) fn new(release: &'a Release, print: &'a Print) -> Self {
        let row = |f: &'a daxle_core::stock::FilePrint| FileRow {
            path: &f.path,
            digest: f.digest.hex(),
            stamp: f.stamp.as_deref(),
        };
        let files = print.files.iter().map(row).collect();
        ReleaseReport { format: "daxle-release", format_version: VERSION, release, files }
    }
}

#[derive(Serialize)]
pub(crate) struct MatchReport {
    format: &'static str,
    format_version: u32,
    files: usize,
    #[serde(skip_serializing_if = "Option::is_none")]
    claim: Option<String>,
    ranked: Vec<Ranked>,
}

#[derive(Serialize)]
struct Ranked {
    name: String,
    version: String,
    identical: usize,
    similar: usize,
    missing: usize,
    own: usize,
    differing: usize,
    explained: f32,
}

impl MatchReport {
    pub(crate) fn new(found: &Match, claim: Option<String>, top: usize) -> Self {
        let row = |(release, fit): &(Release, Fit)| Ranked {
            name: release.name.clone(),
            version: release.version.clone(),
            identical: fit.identical,
            similar: fit.similar,
            missing: fit.missing,
            own: fit.own,
            differing: fit.differing,
            explained: fit.explained,
        };
        let ranked = found.ranked.iter().take(top).map(row).collect();
        MatchReport { format: "daxle-match", format_version: VERSION, files: found.files, claim, ranked }
    }
}
