//! What may be the answer to a question about something that the release no longer has, or has in another spelling.

use std::ops::Range;

use super::align::{Side, Weak};
use super::lines::MergedLines;
use super::recut::same_but_form;
use super::{Dialect, Insertions, Reason, TextDecision};
use crate::diff::sketch::WordBag;
use crate::text::{Line, Spelling};

/// From this similarity on a line of the release is named as a candidate.
const CANDIDATE: f32 = 0.45;
/// How many candidates are named.
const NAMED: usize = 3;
/// Lines that are compared at most, for all questions of a file.
const LOOKED_AT: usize = 400_000;
/// So many lines of a question are looked at for another spelling.
const SHORT: usize = 40;
/// Bytes of a line that are shown.
const SHOWN: usize = 60;

/// Adds hints to the questions about what the release dropped: for a style rule, to keep what the site declared in a
/// rule of its own; else the lines of the release that are most like the site's. Tells of values that the release has as
/// they were, in another spelling.
pub(crate) fn add_hints(
    merged: &mut MergedLines,
    [base, site, release]: [&Side<'_>; 3],
    weak: &Weak,
    dialect: &Dialect,
) {
    let mut bags: Vec<WordBag> = Vec::new();
    let mut looked_at = 0;
    for decision in merged.decisions.iter_mut().filter(|d| d.hint.is_none() && d.reason == Reason::BothChanged) {
        let old = &base.lines[within(&decision.base, base.lines.len())];
        let new = &release.lines[within(&decision.release, release.lines.len())];
        let is_short = old.len().max(new.len()) <= SHORT;
        if is_short && dialect.spelling() != Spelling::One && same_but_form(old, new, dialect) {
            decision.hint = Some("the release says what was there, in another spelling".into());
        }
    }
    for decision in merged.decisions.iter_mut().filter(|d| d.hint.is_none() && d.reason == Reason::ReleaseDeleted) {
        if dialect.insertions == Insertions::Cascade {
            decision.hint = own_rule(decision, base, site, release);
        }
        looked_at += release.lines.len();
        if decision.hint.is_some() || looked_at > LOOKED_AT {
            continue;
        }
        if bags.is_empty() {
            bags = release.lines.iter().map(|line| WordBag::of(line.trimmed())).collect();
        }
        decision.hint = candidates(&changed_lines(decision, base, site), site, release, &bags, weak);
    }
}

/// The lines that the site has in place of the base's.
fn changed_lines(decision: &TextDecision, base: &Side<'_>, site: &Side<'_>) -> Vec<usize> {
    let known = &base.keys[decision.base.clone()];
    let solid = |k: &usize| !site.lines[*k].is_blank() && !known.contains(&site.keys[*k]);
    within(&decision.site, site.lines.len()).filter(solid).collect()
}

fn within(range: &Range<usize>, len: usize) -> Range<usize> {
    range.start.min(len)..range.end.min(len)
}

/// The site's declarations as a rule of their own, where the release has no rule like theirs any more.
fn own_rule(decision: &TextDecision, base: &Side<'_>, site: &Side<'_>, release: &Side<'_>) -> Option<String> {
    let changed = changed_lines(decision, base, site);
    let is_declaration = |k: &usize| {
        let line = site.lines[*k].trimmed();
        line.ends_with(b";") && line.contains(&b':')
    };
    let first = *changed.first()?;
    let mut openers: Vec<usize> = site.blocks(first).filter(|k| site.lines[*k].trimmed().ends_with(b"{")).collect();
    let innermost = *openers.first()?;
    let same_rule = |k: &usize| site.blocks(*k).next() == Some(innermost);
    if !changed.iter().all(is_declaration) || !changed.iter().all(same_rule) {
        return None;
    }
    if let Some(at) = release.keys.iter().position(|key| *key == site.keys[innermost]) {
        return Some(format!("the release still has `{}`, at line {}", text(&site.lines[innermost]), at + 1));
    }
    openers.reverse();
    let lines = openers.iter().chain(&changed).map(|k| text(&site.lines[*k]));
    let rule = lines.collect::<Vec<_>>().join(" ") + &" }".repeat(openers.len());
    Some(format!("to keep it, put it in a rule of your own at the end: {rule}"))
}

/// Names the lines of the release that are most like those that the site changed.
fn candidates(
    changed: &[usize],
    site: &Side<'_>,
    release: &Side<'_>,
    bags: &[WordBag],
    weak: &Weak,
) -> Option<String> {
    let telling = changed.iter().copied().filter(|k| !weak.is(site.keys[*k]));
    let own = telling.map(|k| WordBag::of(site.lines[k].trimmed())).max_by_key(WordBag::word_count)?;
    let mut alike: Vec<(f32, usize)> =
        bags.iter().enumerate().map(|(k, bag)| (own.similarity(bag), k)).filter(|(s, _)| *s >= CANDIDATE).collect();
    alike.sort_by(|a, b| b.0.total_cmp(&a.0).then(a.1.cmp(&b.1)));
    let named: Vec<String> =
        alike.iter().take(NAMED).map(|(_, k)| format!("line {}: {}", k + 1, text(&release.lines[*k]))).collect();
    (!named.is_empty()).then(|| format!("most like it in the release: {}", named.join(" · ")))
}

fn text(line: &Line<'_>) -> String {
    let text = String::from_utf8_lossy(line.trimmed());
    match text.char_indices().nth(SHOWN) {
        Some((end, _)) => format!("{}…", &text[..end]),
        None => text.into_owned(),
    }
}
