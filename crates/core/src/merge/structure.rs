//! Languages in which indentation is meaning: blocks are held together by it alone.
//!
//! Lines are lined up with their level first, so that a line is not taken for its twin in another block. Where that
//! leaves questions, they are lined up blind to it, as in all other languages: a block that a side wrapped and
//! indented is then the same block, deeper. Either way a result counts only when each of its lines stands in the block
//! that it stood in: in that of the side that put it there, or that moved it, and beneath whatever a side wrapped
//! around it.

use std::collections::{BTreeSet, HashSet};
use std::ops::Range;

mod astray;
mod colons;
mod heads;
mod tree;

use super::align::line_edits;
use super::checked::Versions;
use super::fewest::{fewest, tries_for};
use super::lines::MergedLines;
use super::out::Source;
use super::{Dialect, EditFate, MergeOptions, Outcome, Reason, Step, Trust};
use crate::diff::{Edit, kept_pairs};
use crate::text::key::{Blanks, is_weak};
use crate::text::{Line, split_lines};
pub(super) use astray::Levels;

/// Merges three versions of a text in which indentation is meaning.
pub(crate) fn merge_indented(
    [base, site, release]: [&[u8]; 3],
    dialect: &Dialect,
    options: &MergeOptions,
) -> MergedLines {
    let versions = [base, site, release];
    let lined_up = Versions::new(versions, dialect, options);
    let by_level = lined_up.merge(&[]);
    let judged = !is_torn(versions);
    let levels = Levels::of(versions);
    let astray =
        |merged: &MergedLines| if judged { levels.lines_out_of_place(merged, dialect) } else { Vec::new() };
    let of_level = astray(&by_level);
    let not_gone = deleted_but_there(&by_level, versions);
    let sound = of_level.is_empty() && not_gone.is_empty();
    let by_words = merged_at_another_level(&by_level, [base, site]);
    if sound && (by_level.decisions.is_empty() && by_words == 0 || options.trust == Trust::Strict) {
        return by_level;
    }
    // Edits are told and looked for among all lines: with too many of both, all of them are questions.
    let affordable = by_level.edits.len().saturating_mul(by_level.sources.len()) <= LOOKED_AT;
    if options.trust != Trust::Strict && affordable && (judged || by_words > 0) {
        let blind = Dialect { blanks: Blanks::AreForm, ..*dialect };
        let blindly = Versions::new(versions, &blind, options).merge(&[]);
        let left = |merged: &MergedLines| (merged.decisions.len(), merged_at_another_level(merged, [base, site]));
        if (!sound || left(&blindly) < left(&by_level)) && astray(&blindly).is_empty() {
            return told_by_level(blindly, base, site);
        }
    }
    // What is asked about already cannot be asked about again.
    if sound || by_level.edits.iter().all(|edit| edit.outcome == Outcome::Open) {
        return by_level;
    }
    let ask = |edits: &BTreeSet<usize>| {
        let reasons: Vec<_> = edits.iter().map(|k| (*k, Reason::Doubtful)).collect();
        lined_up.merge(&reasons)
    };
    // The edits nearest to the lines that went astray are questions; if that does not mend it, as few of all as do.
    if affordable {
        let mut asked = BTreeSet::new();
        let mut doubted = &edits_beside(&by_level, &of_level) | &not_gone;
        for _ in 0..ROUNDS {
            if doubted.is_subset(&asked) {
                break;
            }
            asked.append(&mut doubted);
            let merged = ask(&asked);
            let still = astray(&merged);
            if still.is_empty() {
                return merged;
            }
            doubted = edits_beside(&merged, &still);
        }
    }
    let all: BTreeSet<usize> = (0..by_level.edits.len()).collect();
    let merged = ask(&all);
    if !affordable {
        return merged;
    }
    // What goes astray even so is no edit's fault; but what is beside it stays a question.
    let source = |merged: &MergedLines, line: usize| {
        let Source { base, site, release } = merged.sources[line];
        (base, site, release)
    };
    let lost = astray(&merged);
    let mut known: HashSet<_> = lost.iter().map(|line| source(&merged, *line)).collect();
    known.remove(&(None, None, None));
    let beside = nearest_edits(&merged, &lost, |_| true);
    fewest((merged, all), &beside, tries_for(versions), |edits| {
        let merged = ask(edits);
        let sound = astray(&merged).into_iter().all(|line| known.contains(&source(&merged, line)))
            && deleted_but_there(&merged, versions).is_empty();
        sound.then_some(merged)
    })
}

/// How many of the site's changes are lines at another level that were merged word by word, as if they were others: what
/// the release put between them is at the level that it had.
fn merged_at_another_level(merged: &MergedLines, [base, site]: [&[u8]; 2]) -> usize {
    let fitted = |edit: &&EditFate| matches!(edit.step, Some(Step::Words | Step::Neighbour)) && edit.base.len() > 1;
    let mut fitted = merged.edits.iter().filter(fitted).peekable();
    if fitted.peek().is_none() {
        return 0;
    }
    let (base, site) = (split_lines(base), split_lines(site));
    let shifted = |edit: &&EditFate| {
        let moved: HashSet<&[u8]> = site[edit.site.clone()].iter().map(Line::trimmed).collect();
        base[edit.base.clone()].iter().any(|line| !is_weak(line.trimmed()) && moved.contains(line.trimmed()))
    };
    fitted.filter(shifted).count()
}

/// Tells whether a side holds its blocks together no more, so that none of its lines can be told to stand in the wrong one.
pub(super) fn is_torn([base, site, release]: [&[u8]; 3]) -> bool {
    let holds = |text: &[u8]| colons::continued(text).is_ok();
    !(holds(site) && holds(release)) && holds(base)
}

/// The line of a text at which it holds together no more, where a colon opens a block and indentation is meaning.
pub(crate) fn tear(text: &[u8]) -> Option<usize> {
    colons::continued(text).err()
}

/// The site edits that stand in the result where some lines do, or nearest to them.
pub(super) fn edits_beside(merged: &MergedLines, lines: &[usize]) -> BTreeSet<usize> {
    nearest_edits(merged, lines, |edit| edit.outcome != Outcome::Open)
}

/// The edits of some sort that stand in the result where some lines do, or nearest to them.
fn nearest_edits(merged: &MergedLines, lines: &[usize], fits: impl Fn(&EditFate) -> bool) -> BTreeSet<usize> {
    let distance = |k: &usize, line: usize| {
        let at = &merged.edits[*k].result;
        line.saturating_sub(at.end).max(at.start.saturating_sub(line))
    };
    let fitting: Vec<usize> = (0..merged.edits.len()).filter(|k| fits(&merged.edits[*k])).collect();
    let nearest = |line: &usize| fitting.iter().copied().min_by_key(|k| distance(k, *line));
    lines.iter().filter_map(nearest).collect()
}

/// The site edits that pass for done by the release, though lines that they take out stand there still, at another
/// level.
fn deleted_but_there(merged: &MergedLines, [base, site, release]: [&[u8]; 3]) -> BTreeSet<usize> {
    let suspect = |e: &EditFate| e.outcome == Outcome::Already && !e.base.is_empty();
    if !merged.edits.iter().any(suspect) {
        return BTreeSet::new();
    }
    let (base_lines, site_lines) = (split_lines(base), split_lines(site));
    let mut kept = vec![false; base_lines.len()];
    for (line, _) in kept_pairs(&line_edits(base, release, Blanks::AreForm), base_lines.len()) {
        kept[line] = true;
    }
    let taken_out = |line: usize, e: &EditFate| {
        let line = &base_lines[line];
        !line.is_blank() && site_lines[e.site.clone()].iter().all(|own| own.trimmed() != line.trimmed())
    };
    let not_gone = |e: &EditFate| suspect(e) && e.base.clone().any(|line| kept[line] && taken_out(line, e));
    (0..merged.edits.len()).filter(|k| not_gone(&merged.edits[*k])).collect()
}

/// Edits times lines that are looked at at most.
const LOOKED_AT: usize = 20_000_000;
/// How often more edits are asked about before all are.
const ROUNDS: usize = 4;
/// Puts the fates of edits that were lined up blind to indentation as those of the edits that a survey tells: there a
/// line at another level is another line.
fn told_by_level(mut merged: MergedLines, base: &[u8], site: &[u8]) -> MergedLines {
    let told = line_edits(base, site, Blanks::IndentIsMeaning);
    let touches = |a: &Range<usize>, b: &Range<usize>| a.start <= b.end && b.start <= a.end;
    let meet = |edit: &Edit, fate: &EditFate| touches(&edit.old, &fate.base) && touches(&edit.new, &fate.site);
    let distance = |edit: &Edit, fate: &EditFate| edit.old.start.abs_diff(fate.base.start);
    // The told edits of each fate: those that it meets, else the nearest.
    let homes: Vec<Vec<usize>> = merged
        .edits
        .iter()
        .map(|fate| {
            let met: Vec<usize> = (0..told.len()).filter(|k| meet(&told[*k], fate)).collect();
            let nearest = (0..told.len()).min_by_key(|k| distance(&told[*k], fate));
            if met.is_empty() { nearest.into_iter().collect() } else { met }
        })
        .collect();
    let (result_lines, site_lines) = (split_lines(&merged.bytes), split_lines(site));
    let fates: Vec<EditFate> = told
        .iter()
        .enumerate()
        .map(|(k, edit)| {
            let parts: Vec<&EditFate> =
                merged.edits.iter().zip(&homes).filter(|(_, homes)| homes.contains(&k)).map(|(f, _)| f).collect();
            let of_site = |s: &Source| s.site.is_some_and(|line| edit.new.contains(&line));
            let standing: Vec<usize> =
                (0..merged.sources.len()).filter(|at| of_site(&merged.sources[*at])).collect();
            let as_written = standing.iter().all(|at| {
                // A last line that is empty and has no end is no line of the text.
                let content = |line: Option<&Line<'_>>| line.map_or(b"".to_vec(), |line| line.content.to_vec());
                let own = merged.sources[*at].site.and_then(|line| site_lines.get(line));
                content(own) == content(result_lines.get(*at))
            });
            let gravest = parts.iter().map(|f| f.outcome).max_by_key(|o| o.gravity());
            let outcome = match gravest {
                Some(Outcome::Already) if parts.iter().all(|f| f.base == edit.old && f.site == edit.new) => {
                    Outcome::Already
                }
                None | Some(Outcome::Already | Outcome::Kept) if as_written => Outcome::Kept,
                None | Some(Outcome::Already | Outcome::Kept) => Outcome::Fitted,
                Some(graver) => graver,
            };
            let step = parts.iter().find_map(|f| f.step).or((outcome == Outcome::Fitted).then_some(Step::Space));
            let release_lines = standing.iter().filter_map(|at| merged.sources[*at].release);
            EditFate {
                base: edit.old.clone(),
                site: edit.new.clone(),
                release: span(release_lines.map(|k| k..k + 1).chain(parts.iter().map(|f| f.release.clone()))),
                result: span(standing.iter().map(|k| *k..k + 1).chain(parts.iter().map(|f| f.result.clone()))),
                outcome,
                step,
            }
        })
        .collect();
    for decision in &mut merged.decisions {
        for known in [&mut decision.edits, &mut decision.with] {
            *known = known.iter().flat_map(|e| homes[*e].clone()).collect();
            known.sort_unstable();
            known.dedup();
        }
    }
    merged.edits = fates;
    merged
}

/// The smallest range with all of several in it.
fn span(ranges: impl Iterator<Item = Range<usize>>) -> Range<usize> {
    ranges.reduce(|a, b| a.start.min(b.start)..a.end.max(b.end)).unwrap_or(0..0)
}
