//! A child theme's overrides as text and as JSON.

use std::fmt::Write;

use daxle_core::carry::account::Theme;
use daxle_core::child::{Override, State};
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
