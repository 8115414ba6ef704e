//! Separations and their proof as text.

use std::fmt::Write;
use std::path::Path;

use serde::Serialize;

use super::{count, part, style};
use crate::carried::beside;
use crate::commands::separate::{Record, Said};
use crate::console::harmless;

fn lines(list: &[Said]) -> String {
    list.iter().map(|s| format!("  {}: {}\n", harmless(&s.path), harmless(&s.what))).collect()
}

/// What was separated.
pub(crate) fn text(record: &Record, into: &Path) -> String {
    let (t, f) = (style::TITLE, style::FAINT);
    let form = match record.form.as_str() {
        "changes" => "a change set",
        "overlay" => "an overlay",
        _ => "a child theme",
    };
    let mut out = format!(
        "{t}Separated{t:#} the site's changes from {} as {form}\n\n  {} in {}\n",
        harmless(&record.base.label()),
        count(record.files, "file"),
        into.display()
    );
    if !record.unsaid.is_empty() {
        out += &part("What a child cannot express", &lines(&record.unsaid));
        let _ = writeln!(out, "  {f}left as a change set on the parent in {}{f:#}", beside(into, "rest").display());
    }
    out += &part("Worth a look", &lines(&record.remarks));
    let _ = writeln!(out, "\n  {f}to prove it: daxle verify {}{f:#}", into.display());
    out
}

/// What its proof came to.
pub(crate) fn proved(record: &Record, dir: &Path, found: &[(String, String)]) -> String {
    let (t, g, e) = (style::TITLE, style::GOOD, style::ERROR);
    let mut out = format!("{t}Verified{t:#} {}\n\n", dir.display());
    if found.is_empty() {
        let with = match (record.form.as_str(), record.unsaid.is_empty()) {
            ("child", true) => "parent and child",
            ("child", false) => "parent, child and the rest beside it",
            _ => "the base with these changes",
        };
        let _ = writeln!(out, "  {g}{with} come to the site{g:#}, in every file");
    }
    for (path, what) in found {
        let _ = writeln!(out, "  {e}found{e:#} {}  {what}", harmless(path));
    }
    out
}

/// The proof as JSON.
#[derive(Serialize)]
pub(crate) struct Proved<'a> {
    format: &'static str,
    format_version: u32,
    form: &'a str,
    proved: bool,
    findings: Vec<Found<'a>>,
}

#[derive(Serialize)]
struct Found<'a> {
    path: &'a str,
    means: &'a str,
}

impl<'a> Proved<'a> {
    pub(crate) fn new(record: &'a Record, found: &'a [(String, String)]) -> Self {
        Proved {
            format: "daxle-separation-proof",
            format_version: 1,
            form: &record.form,
            proved: found.is_empty(),
            findings: found.iter().map(|(path, means)| Found { path, means }).collect(),
        }
    }
}
