//! A child theme's overrides as text and as JSON.

use std::fmt::Write;
use std::path::Path;

use daxle_core::carry::account::Theme;
use daxle_core::child::{Naming, NewChild, Override, State};
use daxle_files::Release;
use serde::Serialize;

use super::{count, style};
use crate::console::harmless;

fn state_style(state: State) -> anstyle::Style {
    match state {
        State::Current => style::GOOD,
        State::Needless => style::LOOK,
        _ => style::OPEN,
    }
}

pub(crate) fn overrides(child: &Theme, current: &[&Release], list: &[Override]) -> String {
    let (t, f) = (style::TITLE, style::FAINT);
    let mut out = String::new();
    let labels: Vec<String> = current.iter().map(|r| r.label()).collect();
    let _ = writeln!(
        out,
        "{t}{}{t:#}: {} of {}\n",
        harmless(&child.label()),
        count(list.len(), "override"),
        harmless(&labels.join(", "))
    );
    if list.is_empty() {
        return out;
    }
    let cell = |text: &str, width: usize| format!("{text:<width$}");
    let widest = |text: fn(&Override) -> String, least: usize| {
        list.iter().map(|o| text(o).chars().count()).max().unwrap_or(0).clamp(least, 48)
    };
    let (path_width, from_width) = (widest(|o| o.path.clone(), 8), widest(from, 10));
    let _ = writeln!(
        out,
        "  {f}{} {} {} {} {:>6} {:>6}{f:#}",
        cell("state", 20),
        cell("override", path_width),
        cell("stamp", 7),
        cell("text is from", from_width.max(12)),
        "vendor",
        "site"
    );
    for found in list {
        let s = state_style(found.state);
        let _ = writeln!(
            out,
            "  {s}{}{s:#} {} {} {} {:>6} {:>6}",
            cell(found.state.words(), 20),
            cell(&harmless(&found.path), path_width),
            cell(&harmless(found.stamp.as_deref().unwrap_or("none")), 7),
            cell(&harmless(&from(found)), from_width.max(12)),
            found.vendor_lines,
            found.site_lines
        );
    }
    let _ = writeln!(out, "\n  {f}vendor, site: lines that each changed since{f:#}");
    let work: Vec<String> = list.iter().filter_map(advice).collect();
    if !work.is_empty() {
        let _ = writeln!(out, "\n{t}To do{t:#}");
        for line in work {
            let _ = writeln!(out, "  [ ] {}", harmless(&line));
        }
    }
    out
}

fn from(found: &Override) -> String {
    let versions = match &found.from[..] {
        [] => return "unknown".into(),
        [one] => one.clone(),
        [first, .., last] => format!("{first} to {last}"),
    };
    format!("{} {versions}", found.vendor)
}

/// What to do about an override.
fn advice(found: &Override) -> Option<String> {
    let path = &found.path;
    let last = found.from.last().map_or("", String::as_str);
    match found.state {
        State::Current => None,
        State::StampedNotMerged => Some(format!(
            "{path}: the stamp says {}, the text is from {last}; carry merges the {} that it lacks",
            found.stamp.as_deref().unwrap_or(""),
            count(found.vendor_lines, "line")
        )),
        State::Stale => Some(format!(
            "{path}: the vendor changed {} since {last}; carry merges them",
            count(found.vendor_lines, "line")
        )),
        State::Orphaned => Some(match &found.now {
            Some(now) => format!("{path}: the vendor renamed the file to {now}; carry takes the override along"),
            None => format!(
                "{path}: {} {} has no such file any more; see where its text went",
                found.vendor, found.current
            ),
        }),
        State::Unknown => Some(format!("{path}: no release in stock is like it; add the one it was made from")),
        State::Needless => Some(format!("{path}: equals the vendor's file; drop it (carry --prune does)")),
    }
}

#[derive(Serialize)]
pub(crate) struct OverridesReport<'a> {
    format: &'static str,
    format_version: u32,
    child: &'a Theme,
    current: Vec<String>,
    overrides: Vec<Row<'a>>,
}

#[derive(Serialize)]
struct Row<'a> {
    #[serde(flatten)]
    found: &'a Override,
    needs_work: bool,
    #[serde(skip_serializing_if = "Option::is_none")]
    to_do: Option<String>,
}

impl<'a> OverridesReport<'a> {
    pub(crate) fn new(child: &'a Theme, current: &[&Release], list: &'a [Override]) -> Self {
        let row = |found: &'a Override| Row { found, needs_work: found.state.needs_work(), to_do: advice(found) };
        OverridesReport {
            format: "daxle-overrides",
            format_version: 1,
            child,
            current: current.iter().map(|r| r.label()).collect(),
            overrides: list.iter().map(row).collect(),
        }
    }
}

/// What a new child theme is.
pub(crate) fn begun(out: &Path, child: &NewChild, files: &[String]) -> String {
    let t = style::TITLE;
    let mut text = format!("{t}Begun{t:#} {} on {}, at {}\n\n", child.name, child.parent, out.display());
    for file in files {
        let _ = writeln!(text, "  {}", harmless(file));
    }
    text
}

/// A new child theme as JSON.
#[derive(Serialize)]
pub(crate) struct NewReport<'a> {
    format: &'static str,
    format_version: u32,
    at: &'a Path,
    name: &'a str,
    parent: &'a str,
    files: &'a [String],
}

impl<'a> NewReport<'a> {
    pub(crate) fn new(at: &'a Path, child: &'a NewChild, files: &'a [String]) -> Self {
        NewReport {
            format: "daxle-new-child",
            format_version: 1,
            at,
            name: &child.name,
            parent: &child.parent,
            files,
        }
    }
}

/// Where a child names its parent, and what the new one lacks.
pub(crate) fn repointed(old: &str, new: &str, places: &[Naming], orphans: &[&str]) -> String {
    let (t, e, f, g) = (style::TITLE, style::ERROR, style::FAINT, style::GOOD);
    let mut out = format!("{t}From {old} to {new}{t:#}\n\n");
    if places.is_empty() {
        let _ = writeln!(out, "  it names {old} nowhere");
    }
    for place in places {
        let _ = writeln!(out, "  {}:{}", harmless(&place.path), place.line + 1);
        let _ = writeln!(out, "      {e}-{e:#} {}", harmless(&place.before));
        let _ = writeln!(out, "      {g}+{g:#} {}", harmless(&place.after));
    }
    if !orphans.is_empty() {
        let _ = writeln!(out, "\n{t}{new} has no file for these overrides{t:#}");
        for path in orphans {
            let _ = writeln!(out, "  {}", harmless(path));
        }
        let _ = writeln!(out, "  {f}see what took their place; `daxle carry` follows renamed files{f:#}");
    }
    out
}

/// A repointing as JSON.
#[derive(Serialize)]
pub(crate) struct Repointed<'a> {
    format: &'static str,
    format_version: u32,
    from: &'a str,
    to: &'a str,
    written: bool,
    places: Vec<PlaceReport<'a>>,
    orphans: &'a [&'a str],
}

#[derive(Serialize)]
struct PlaceReport<'a> {
    path: &'a str,
    line: usize,
    before: &'a str,
    after: &'a str,
}

impl<'a> Repointed<'a> {
    pub(crate) fn new(from: &'a str, to: &'a str, places: &'a [Naming], orphans: &'a [&'a str]) -> Self {
        let place =
            |p: &'a Naming| PlaceReport { path: &p.path, line: p.line + 1, before: &p.before, after: &p.after };
        let places = places.iter().map(place).collect();
        Repointed { format: "daxle-repointed", format_version: 1, from, to, written: false, places, orphans }
    }

    pub(crate) fn written(self, written: bool) -> Self {
        Repointed { written, ..self }
    }
}
