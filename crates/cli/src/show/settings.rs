//! Settings as text and as JSON.

use std::fmt::Write;
use std::path::Path;

use daxle_core::settings::{Carried, Differences, Fate};
use serde::Serialize;
use serde_json::{Map, Value};

use super::{count, style};
use crate::console::harmless;

/// Values longer than this are cut in a table.
const WIDEST: usize = 36;

fn cut(text: &str, width: usize) -> String {
    let line = text.replace('\n', " ");
    if line.chars().count() <= width {
        return harmless(&line);
    }
    harmless(&line.chars().take(width - 1).chain(['…']).collect::<String>())
}

/// The settings that differ, by file.
pub(crate) fn table(files: &[(String, Differences)]) -> String {
    let (t, f, g) = (style::TITLE, style::FAINT, style::GOOD);
    if files.is_empty() {
        return "no setting differs from the vendor's\n".into();
    }
    let mut out = String::new();
    for (k, (path, found)) in files.iter().enumerate() {
        let gap = if k > 0 { "\n" } else { "" };
        let _ =
            writeln!(out, "{gap}{t}{}{t:#}  {f}{}{f:#}", harmless(path), count(found.settings.len(), "setting"));
        let width = |of: &dyn Fn(&daxle_core::settings::Difference) -> usize| {
            found.settings.iter().map(of).max().unwrap_or(0)
        };
        let name = width(&|d| d.pointer.chars().count()).clamp(8, 48);
        let before = width(&|d| d.before.as_deref().map_or(0, |b| b.chars().count())).clamp(8, WIDEST);
        let _ = writeln!(out, "  {f}{:<name$}  {:<before$}  site's{f:#}", "setting", "vendor's");
        for row in &found.settings {
            let value = |v: &Option<String>, none: &str| v.as_ref().map_or(none.to_string(), |v| cut(v, WIDEST));
            let _ = writeln!(
                out,
                "  {:<name$}  {:<before$}  {g}{}{g:#}",
                cut(&row.pointer, 48),
                value(&row.before, "–"),
                value(&row.after, "taken out")
            );
        }
    }
    out
}

/// One patch for each file.
pub(crate) fn by_path(files: &[(String, Differences)], patch: impl Fn(&Differences) -> Value) -> Value {
    match files {
        // For a single file it is the document itself.
        [(path, only)] if !path.contains('/') => patch(only),
        files => files.iter().map(|(path, found)| (path.clone(), patch(found))).collect::<Map<_, _>>().into(),
    }
}

/// What became of settings that were carried to another file.
pub(crate) fn moved(out: &Path, settings: &[Carried]) -> String {
    let (t, f, g, l, o) = (style::TITLE, style::FAINT, style::GOOD, style::LOOK, style::OPEN);
    let mut text = format!("{t}Moved{t:#} into {}\n\n", harmless(&out.display().to_string()));
    let width = settings.iter().map(|s| s.pointer.chars().count()).max().unwrap_or(0).clamp(8, 48);
    for setting in settings {
        let (s, word, more) = match &setting.fate {
            Fate::Added => (g, "added", String::new()),
            Fate::Replaced { before } => (l, "replaced", format!("  was {}", cut(before, WIDEST))),
            Fate::Already => (f, "already", String::new()),
            Fate::Unfit { why } => (o, "left out", format!("  {}", harmless(why))),
        };
        let name = cut(&setting.pointer, 48);
        let _ =
            writeln!(text, "  {s}{word:<8}{s:#}  {name:<width$}  {}{f}{more}{f:#}", cut(&setting.value, WIDEST));
    }
    if settings.is_empty() {
        text += "  nothing differs\n";
    }
    text
}

/// Differences as JSON.
#[derive(Serialize)]
pub(crate) struct Report<'a> {
    format: &'static str,
    format_version: u32,
    files: Vec<ReportFile<'a>>,
}

#[derive(Serialize)]
struct ReportFile<'a> {
    path: &'a str,
    #[serde(flatten)]
    found: &'a Differences,
}

impl<'a> Report<'a> {
    pub(crate) fn new(files: &'a [(String, Differences)]) -> Self {
        let files = files.iter().map(|(path, found)| ReportFile { path, found }).collect();
        Report { format: "daxle-settings", format_version: 1, files }
    }
}

/// Moved settings as JSON.
#[derive(Serialize)]
pub(crate) struct MoveReport<'a> {
    format: &'static str,
    format_version: u32,
    out: &'a Path,
    settings: &'a [Carried],
}

impl<'a> MoveReport<'a> {
    pub(crate) fn new(out: &'a Path, settings: &'a [Carried]) -> Self {
        MoveReport { format: "daxle-settings-move", format_version: 1, out, settings }
    }
}
