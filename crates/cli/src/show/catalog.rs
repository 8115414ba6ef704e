//! Catalogs as text and as JSON.

use std::fmt::Write;
use std::path::Path;

use daxle_core::catalog::{Misfit, Reworded, Stats};
use daxle_core::formats::{Collision, Synced};
use serde::Serialize;

use super::{count, style};
use crate::commands::catalog::Counted;
use crate::console::harmless;

/// How many messages of a sort are shown.
const SHOWN: usize = 12;

/// A message's id on one line, cut where it is long.
fn quoted(id: &str) -> String {
    let line: String = id.chars().take(60).collect();
    let cut = if line.len() < id.len() { "…" } else { "" };
    format!("{:?}", line + cut)
}

fn stats_line(stats: Stats) -> String {
    let (g, l, o, f) = (style::GOOD, style::LOOK, style::OPEN, style::FAINT);
    let mut out = format!("{}: {g}{} translated{g:#}", count(stats.messages, "message"), stats.translated);
    for (n, word, s) in [(stats.fuzzy, "fuzzy", l), (stats.empty, "empty", o), (stats.obsolete, "obsolete", f)] {
        if n > 0 {
            let _ = write!(out, ", {s}{n} {word}{s:#}");
        }
    }
    out
}

fn list(out: &mut String, title: &str, ids: impl ExactSizeIterator<Item = String>) {
    let (t, f, total) = (style::TITLE, style::FAINT, ids.len());
    if total == 0 {
        return;
    }
    let _ = writeln!(out, "\n{t}{title}{t:#}  {f}{total}{f:#}");
    for line in ids.take(SHOWN) {
        let _ = writeln!(out, "  {}", harmless(&line));
    }
    if total > SHOWN {
        let _ = writeln!(out, "  {f}… and {} more{f:#}", total - SHOWN);
    }
}

fn misfit_lines(misfits: &[Misfit]) -> impl ExactSizeIterator<Item = String> {
    misfits.iter().map(|m| format!("line {}: {}: {}", m.line, quoted(&m.id), m.what))
}

/// What bringing a catalog up to a release came to.
pub(crate) fn synced(synced: &Synced, out: &Path) -> String {
    let (t, o) = (style::TITLE, style::OPEN);
    let mut text = format!("{t}Synced{t:#} {}\n\n", harmless(&out.display().to_string()));
    let _ = writeln!(text, "  {}", stats_line(synced.stats));
    if synced.kept > 0 {
        let _ = writeln!(text, "  {} of the site's kept", count(synced.kept, "wording"));
    }
    list(&mut text, "New, without a translation", synced.new.iter().map(|id| quoted(id)));
    list(
        &mut text,
        "Reworded: the old translation stands, marked as fuzzy",
        synced.reworded.iter().map(|r| format!("{}  was {}", quoted(&r.id), quoted(&r.before))),
    );
    list(&mut text, "No more in use", synced.obsolete.iter().map(|id| quoted(id)));
    if !synced.collisions.is_empty() {
        let _ = writeln!(text, "\n{o}Open{o:#}");
    }
    for open in &synced.collisions {
        let name = if open.id.is_empty() { "the header".into() } else { quoted(&open.id) };
        let _ = writeln!(text, "  {}  {}", harmless(&name), open.reason.words());
        for (side, lines) in [("site", &open.site), ("release", &open.release)] {
            for line in lines.lines() {
                let _ = writeln!(text, "      {side:<8}{}", harmless(line));
            }
        }
    }
    list(&mut text, "To look at", misfit_lines(&synced.misfits));
    text
}

/// A compiled catalog.
pub(crate) fn compiled(file: &Path, out: &Path, stats: Stats, misfits: &[Misfit]) -> String {
    let t = style::TITLE;
    let shown = |path: &Path| harmless(&path.display().to_string());
    let mut text = format!("{t}Compiled{t:#} {} to {}\n\n  {}\n", shown(file), shown(out), stats_line(stats));
    list(&mut text, "To look at", misfit_lines(misfits));
    text
}

/// The table of catalogs.
pub(crate) fn counted(list: &[Counted]) -> String {
    let f = style::FAINT;
    if list.is_empty() {
        return "no catalogs\n".into();
    }
    let width = list.iter().map(|c| c.path.chars().count()).max().unwrap_or(0).clamp(7, 60);
    let own = list.iter().any(|c| c.stats.own.is_some());
    let mut out = format!(
        "  {f}{:<width$} {:<8} {:>8} {:>10} {:>6} {:>6} {:>9}{}{f:#}\n",
        "catalog",
        "language",
        "messages",
        "translated",
        "fuzzy",
        "empty",
        "obsolete",
        if own { "  site's own" } else { "" }
    );
    for counted in list {
        let stats = counted.stats;
        let number = |n: usize, width: usize, s: anstyle::Style| {
            let s = if n == 0 { style::FAINT } else { s };
            format!("{s}{n:>width$}{s:#}")
        };
        let plain = anstyle::Style::new();
        let _ = writeln!(
            out,
            "  {:<width$} {:<8} {:>8} {} {} {} {}{}",
            harmless(&counted.path),
            harmless(counted.language.as_deref().unwrap_or("")),
            stats.messages,
            number(stats.translated, 10, style::GOOD),
            number(stats.fuzzy, 6, style::LOOK),
            number(stats.empty, 6, style::OPEN),
            number(stats.obsolete, 9, plain),
            stats.own.map_or(String::new(), |n| format!("  {}", number(n, 10, plain)))
        );
    }
    out
}

/// A synced catalog as JSON.
#[derive(Serialize)]
pub(crate) struct SyncReport<'a> {
    format: &'static str,
    format_version: u32,
    #[serde(skip_serializing_if = "Option::is_none")]
    out: Option<&'a Path>,
    stats: Stats,
    kept: usize,
    new: &'a [String],
    reworded: &'a [Reworded],
    obsolete: &'a [String],
    open: &'a [Collision],
    misfits: &'a [Misfit],
    /// The catalog, where no file was named for it.
    #[serde(skip_serializing_if = "Option::is_none")]
    catalog: Option<String>,
}

impl<'a> SyncReport<'a> {
    pub(crate) fn new(synced: &'a Synced, out: Option<&'a Path>) -> Self {
        let text = || String::from_utf8_lossy(&synced.bytes).into_owned();
        SyncReport {
            format: "daxle-catalog-sync",
            format_version: 1,
            out,
            stats: synced.stats,
            kept: synced.kept,
            new: &synced.new,
            reworded: &synced.reworded,
            obsolete: &synced.obsolete,
            open: &synced.collisions,
            misfits: &synced.misfits,
            catalog: out.is_none().then(text),
        }
    }
}

/// A compiled catalog as JSON.
#[derive(Serialize)]
pub(crate) struct CompileReport<'a> {
    format: &'static str,
    format_version: u32,
    out: &'a Path,
    stats: Stats,
    misfits: &'a [Misfit],
}

impl<'a> CompileReport<'a> {
    pub(crate) fn new(out: &'a Path, stats: Stats, misfits: &'a [Misfit]) -> Self {
        CompileReport { format: "daxle-catalog-compile", format_version: 1, out, stats, misfits }
    }
}

/// Counts of catalogs as JSON.
#[derive(Serialize)]
pub(crate) struct StatsReport<'a> {
    format: &'static str,
    format_version: u32,
    catalogs: Vec<StatsRow<'a>>,
}

#[derive(Serialize)]
struct StatsRow<'a> {
    path: &'a str,
    #[serde(skip_serializing_if = "Option::is_none")]
    language: Option<&'a str>,
    #[serde(flatten)]
    stats: Stats,
}

impl<'a> StatsReport<'a> {
    pub(crate) fn new(list: &'a [Counted]) -> Self {
        let row = |c: &'a Counted| StatsRow { path: &c.path, language: c.language.as_deref(), stats: c.stats };
        StatsReport { format: "daxle-catalog-stats", format_version: 1, catalogs: list.iter().map(row).collect() }
    }
}
