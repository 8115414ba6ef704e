//! A survey as text.

use std::collections::BTreeMap;
use std::fmt::Write;
use std::path::Path;

use daxle_core::carry::account::Theme;
use daxle_core::changes::{Change, ChangeId, Survey, What};
use daxle_core::theme::Kind;

use super::{count, size_words, style};
use crate::console::harmless;

pub(crate) fn text(
    base: &Theme,
    site: &Theme,
    survey: &Survey,
    notes: &BTreeMap<ChangeId, String>,
    since: Option<&Path>,
) -> String {
    let (t, f) = (style::TITLE, style::FAINT);
    let mut out = String::new();
    let total = survey.changes().count();
    let _ = writeln!(
        out,
        "{t}{}{t:#}: the site {} made {} in {}{}; {} untouched\n",
        harmless(&base.label()),
        harmless(&site.source),
        count(total, "change"),
        count(survey.files.len(), "file"),
        since.map(|s| format!(" after the carry of {}", s.display())).unwrap_or_default(),
        count(survey.untouched, "file"),
    );
    for file in &survey.files {
        let _ = writeln!(out, "{t}{}{t:#}  {f}{}{f:#}", harmless(&file.path), file.kind);
        for change in &file.changes {
            let _ = writeln!(out, "  {f}{}{f:#}  {}", change.id, line(change));
            if let Some(note) = notes.get(&change.id) {
                let n = style::NOTE;
                let _ = writeln!(out, "              {n}note: {}{n:#}", harmless(note));
            }
        }
    }
    if total > 0 {
        let _ = writeln!(out, "\n{}", totals(survey));
    }
    out
}

/// One change in words.
fn line(change: &Change) -> String {
    let mut words = match change.what {
        What::Edited => {
            let at = change.site.as_ref().map_or(0, |s| s.start + 1);
            let (minus, plus) = (change.lines_removed(), change.lines_added());
            let size = match (minus, plus) {
                (0, n) => format!("{} put in", count(n, "line")),
                (n, 0) => format!("{} taken out", count(n, "line")),
                (a, b) if a == b => format!("{} changed", count(a, "line")),
                (a, b) => format!("{} became {b}", count(a, "line")),
            };
            format!("line {at:<5} {size}")
        }
        What::Added => format!("added file, {}", size_words(change.size)),
        What::Deleted => "file deleted".into(),
        What::Renamed => format!("renamed from {}", harmless(change.from.as_deref().unwrap_or(""))),
        What::Replaced => format!("replaced, now {}", size_words(change.size)),
        What::Whitespace => "white space only".to_string(),
        _ => change.what.word().into(),
    };
    let origin = change.origin.words();
    if !origin.is_empty() && origin != "added file" {
        let l = style::LOOK;
        let _ = write!(words, "  {l}{origin}{l:#}");
    }
    words
}

/// How many changes of which sort in which kind of file.
fn totals(survey: &Survey) -> String {
    let mut table: BTreeMap<Kind, BTreeMap<What, usize>> = BTreeMap::new();
    for change in survey.changes() {
        *table.entry(change.kind).or_default().entry(change.what).or_default() += 1;
    }
    let mut out = String::new();
    for (kind, row) in table {
        let parts: Vec<String> = row.iter().map(|(what, n)| format!("{n} {}", what.word())).collect();
        let _ = writeln!(out, "{:<10} {}", kind.word(), parts.join(", "));
    }
    out.truncate(out.trim_end().len());
    out.push('\n');
    out
}
