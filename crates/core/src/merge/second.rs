//! A second opinion: a merge to the letter may stand in place of one that left questions, or settled things otherwise.

use std::ops::Range;

use super::enclosed::Surroundings;
use super::lines::{Closing, MergedLines};
use super::literal::{Literal, Stretch, ask_about};
use super::structure::{Levels, edits_beside, is_torn};
use super::{Dialect, EditFate, MergeOptions, Outcome, Reason, Step, TextDecision};
use crate::text::key::Blanks;
use crate::text::split_lines;

/// Returns the merge to the letter where it is to stand in place of what was merged: where that has questions and this
/// has none or lighter ones, or where that settled things otherwise (in more than white space), with nothing that a merge
/// to the letter knows nothing of.
pub(super) fn second_opinion(
    merged: &MergedLines,
    versions: [&[u8]; 3],
    dialect: &Dialect,
    options: &MergeOptions,
) -> Option<MergedLines> {
    if !options.doubted.is_empty() || merged.space_follows_release {
        return None;
    }
    let settled = merged.decisions.is_empty();
    let literal = Literal::of(versions);
    let mut stretches = literal.stretches(dialect);
    if settled && stretches.iter().any(Stretch::is_of_both) {
        return None;
    }
    let doubted: Vec<&TextDecision> = merged.decisions.iter().filter(|d| d.reason == Reason::Doubtful).collect();
    let in_doubt = |lines: &Range<usize>| {
        doubted.iter().any(|asked| asked.base.start <= lines.end && lines.start <= asked.base.end)
    };
    literal.merge_each(&mut stretches, dialect, options, in_doubt);
    let merge = |stretches: &[Stretch]| {
        literal.merged(stretches, dialect, options).filter(|found| is_better(found, merged))
    };
    merge(&stretches)?;
    let deleted = |d: &TextDecision| matches!(d.reason, Reason::SiteDeleted | Reason::ReleaseDeleted);
    if merged.decisions.iter().any(deleted) || merged.edits.iter().any(|edit| edit.outcome == Outcome::Already) {
        literal.ask_about_moved(&mut stretches);
    }
    literal.ask_about_unsure(&mut stretches, dialect);
    for _ in 0..ROUNDS {
        let found = merge(&stretches)?;
        let mut doubted = unknown_to(&found, merged, settled);
        if doubted.is_empty() {
            let astray = out_of_place(&found, versions, dialect);
            if astray.is_empty() && closes(&found, versions, dialect) {
                return Some(MergedLines { space_lines: merged.space_lines, ..found });
            }
            doubted = edits_beside(&found, &astray).into_iter().map(|edit| &found.edits[edit]).collect();
        }
        if !ask_about(&mut stretches, doubted.into_iter()) {
            break;
        }
    }
    None
}

/// How often more is asked about before the first opinion stands.
const ROUNDS: usize = 4;

/// Tells whether another merge leaves less to a person than the one that was made, or, where that left nothing, it
/// settled things otherwise (in more than white space).
pub(super) fn is_better(found: &MergedLines, merged: &MergedLines) -> bool {
    match merged.decisions.is_empty() {
        true => found.decisions.is_empty() && !words(&merged.bytes).eq(words(&found.bytes)),
        false => Burden::of(found).is_lighter_than(&Burden::of(merged)),
    }
}

/// What a merge leaves to a person.
struct Burden {
    /// Questions, but for those that another one's answer goes for.
    questions: usize,
    /// Lines of base, site and release in them.
    lines: usize,
}

impl Burden {
    fn of(merged: &MergedLines) -> Self {
        let texts = merged.decisions.iter().flat_map(|d| [&d.base_text, &d.site_text, &d.release_text]);
        Burden {
            questions: merged.decisions.iter().filter(|decision| decision.reason != Reason::Paired).count(),
            lines: texts.map(|text| split_lines(text).len()).sum(),
        }
    }

    fn is_lighter_than(&self, other: &Burden) -> bool {
        let fewer = self.questions < other.questions && self.lines <= other.lines;
        self.questions == 0 || fewer || self.questions == other.questions && self.lines * 2 <= other.lines
    }
}

/// The edits that only a closer look can judge, and that a merge to the letter does not ask about: what moved, what the
/// release has elsewhere or in another form, what was put in twice.
fn unknown_to<'m>(literal: &MergedLines, merged: &'m MergedLines, settled: bool) -> Vec<&'m EditFate> {
    let asked_twice = merged.decisions.iter().filter(|decision| decision.reason == Reason::PutTwice);
    let twice = asked_twice.flat_map(|decision| decision.edits.iter().filter_map(|k| merged.edits.get(*k)));
    let is_plain = |fate: &EditFate| match fate.step {
        None | Some(Step::Neighbour | Step::Space | Step::Form | Step::Words) => fate.outcome != Outcome::Already,
        Some(_) => fate.outcome == Outcome::Open,
    };
    let is_known = |fate: &&EditFate| {
        let from = literal.edits.partition_point(|edit| edit.base.end < fate.base.start);
        let mut met = literal.edits[from..].iter().take_while(|edit| edit.base.start <= fate.base.end).peekable();
        let agrees = |edit: &EditFate| {
            edit.outcome == Outcome::Open
                || !settled && (edit.outcome, fate.outcome, fate.step) == (Outcome::Already, Outcome::Already, None)
        };
        met.peek().is_some() && met.all(agrees)
    };
    let close = merged.edits.iter().filter(|fate| !is_plain(fate)).chain(twice);
    close.filter(|fate| !is_known(fate)).collect()
}

/// The lines of a result that come to stand in something else than they did, whichever side is taken.
pub(super) fn out_of_place(found: &MergedLines, versions: [&[u8]; 3], dialect: &Dialect) -> Vec<usize> {
    match dialect.blanks {
        Blanks::IndentIsMeaning if is_torn(versions) => Vec::new(),
        Blanks::IndentIsMeaning => Levels::of(versions).lines_out_of_place(found, dialect),
        _ => Surroundings::of(versions, dialect).out_of(found),
    }
}

/// Tells whether a result closes what it opens, whichever side is taken.
pub(super) fn closes(found: &MergedLines, versions: [&[u8]; 3], dialect: &Dialect) -> bool {
    dialect.blanks == Blanks::IndentIsMeaning || Closing::of(versions, dialect.markup).answers_close(found)
}

/// The text without its white space.
fn words(text: &[u8]) -> impl Iterator<Item = u8> {
    text.iter().copied().filter(|byte| !byte.is_ascii_whitespace())
}

#[cfg(test)]
mod tests {
    use super::Burden;

    #[test]
    fn lighter_is_what_has_fewer_questions_that_are_no_longer_or_as_many_of_half_the_lines() {
        let lighter = |own: (usize, usize), other: (usize, usize)| {
            let [own, other] = [own, other].map(|(questions, lines)| Burden { questions, lines });
            own.is_lighter_than(&other)
        };
        assert!(lighter((0, 0), (1, 1)) && lighter((1, 9), (2, 9)) && lighter((2, 4), (2, 8)));
        assert!(!lighter((1, 10), (2, 9)) && !lighter((2, 5), (2, 8)) && !lighter((3, 1), (2, 8)));
    }
}
