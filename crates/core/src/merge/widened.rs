//! Questions whose answers would tear the text: they are asked about together with the lines around them.
//!
//! A question is about as few lines as can be. What one side has there may be of no use without what it has next to it:
//! a handler without the `try` that the release took out, a first line of a function without its block. Such a question
//! is widened, from one line that all versions have to another, until either side's lines hold together there.

use std::ops::Range;

use super::balance::{Balance, balance, nests, unpaired};
use super::brackets::unpaired_in_code;
use super::lines::MergedLines;
use super::out::{Out, Source};
use super::structure::tear;
use super::{Dialect, EditFate, MergeOptions, Outcome, Reason, TextDecision};
use crate::text::Form;
use crate::text::key::Blanks;
use crate::text::{Line, LineEnd, joined, split_lines};

/// How many questions are widened at most.
const ROUNDS: usize = 16;
/// How many of them may be to blame for one tear.
const SUSPECTS: usize = 3;
/// How often a question is widened to either side.
const STEPS: usize = 4;
/// Lines that a question may get more.
const LINES: usize = 100;
/// Bytes of results that are looked at.
const LOOKED_AT: usize = 20_000_000;

/// Widens the questions of a merge that tear it where one side is taken in all of them, if the versions are not torn and
/// that mends it.
pub(super) fn widened(
    mut merged: MergedLines,
    versions: [&[u8]; 3],
    dialect: &Dialect,
    options: &MergeOptions,
) -> MergedLines {
    if merged.decisions.is_empty() {
        return merged;
    }
    let whole = Whole::of(versions, dialect);
    let lines = versions.map(split_lines);
    let mut left = LOOKED_AT / merged.bytes.len().max(1);
    for by_site in [true, false] {
        for _ in 0..ROUNDS {
            let placed = merged.with_side(by_site);
            let tears = whole.tears(&placed.bytes);
            if tears == 0 {
                break;
            }
            let suspects = match whole.torn_at(&placed.bytes) {
                Some(line) => nearest(&placed.spots, line),
                None => uneven(&merged.decisions, dialect),
            };
            let wider = |asked: usize| {
                let mut best: Option<(u64, MergedLines)> = None;
                for stretch in stretches(&merged, asked) {
                    let least = best.as_ref().map_or(tears, |(least, _)| *least);
                    left = left.saturating_sub(1);
                    if least == 0 || left == 0 {
                        break;
                    }
                    let Some(stretch) = Stretch::of(&merged, stretch, &lines) else { continue };
                    let wider = stretch.asked(&merged, dialect, options);
                    let tears = whole.tears(&wider.with_side(by_site).bytes);
                    if tears < least {
                        best = Some((tears, wider));
                    }
                }
                best.map(|(_, wider)| wider)
            };
            let wider = suspects.into_iter().find_map(wider);
            let Some(wider) = wider else { break };
            merged = wider;
        }
    }
    merged
}

/// What tells a torn result from versions that are whole.
enum Whole<'d> {
    /// The blocks hold together by colons and levels.
    ByLevel,
    /// The brackets of code are closed in order.
    ByCode(&'d Dialect),
    /// Brackets and tags are closed as often as in all versions; or also in order.
    ByCount { counts: [Balance; 3], in_order: bool, dialect: &'d Dialect },
    /// Nothing does.
    Unknown,
}

impl<'d> Whole<'d> {
    fn of(versions: [&[u8]; 3], dialect: &'d Dialect) -> Self {
        let [_, site, release] = versions;
        match dialect.blanks {
            Blanks::IndentIsMeaning if tear(site).is_none() && tear(release).is_none() => Whole::ByLevel,
            Blanks::IndentIsMeaning => Whole::Unknown,
            _ if dialect.strings
                && !dialect.markup
                && versions.iter().all(|text| in_code(text, dialect) == Some(0)) =>
            {
                Whole::ByCode(dialect)
            }
            _ => Whole::ByCount {
                counts: versions.map(|text| balance(text, dialect.markup)),
                in_order: versions.into_iter().all(nests),
                dialect,
            },
        }
    }

    /// How far a text is torn: what is not closed or not opened; or the lines from the first that cannot stand where it
    /// does.
    fn tears(&self, text: &[u8]) -> u64 {
        match self {
            Whole::ByLevel => tear(text).map_or(0, |line| (split_lines(text).len() + 1 - line) as u64),
            Whole::ByCode(dialect) => in_code(text, dialect).unwrap_or(u64::MAX),
            Whole::ByCount { counts, in_order, dialect } => {
                let out_of_order = if *in_order { unpaired(text) } else { 0 };
                balance(text, dialect.markup).distance_from(counts) + out_of_order
            }
            Whole::Unknown => 0,
        }
    }

    /// The line at which it is torn, where that is known.
    fn torn_at(&self, text: &[u8]) -> Option<usize> {
        if let Whole::ByLevel = self { tear(text) } else { None }
    }
}

/// How many brackets of code are not closed or not opened, if that can be told.
fn in_code(text: &[u8], dialect: &Dialect) -> Option<u64> {
    unpaired_in_code(text, dialect.declarations)
}

/// The questions nearest to a line of a result with answers, of which it is known before which lines they stand.
fn nearest(spots: &[usize], line: usize) -> Vec<usize> {
    let mut order: Vec<usize> = (0..spots.len()).collect();
    order.sort_by_key(|asked| spots[*asked].abs_diff(line));
    order.truncate(SUSPECTS);
    order
}

/// The questions of which one side leaves more open than the other.
fn uneven(decisions: &[TextDecision], dialect: &Dialect) -> Vec<usize> {
    let open = |text: &[u8]| balance(text, dialect.markup);
    let is_uneven = |asked: &usize| open(&decisions[*asked].site_text) != open(&decisions[*asked].release_text);
    (0..decisions.len()).filter(is_uneven).collect()
}

/// Where a question can begin and end, the nearest lines first: behind and before lines that all versions have, as lines
/// of the result.
fn stretches(merged: &MergedLines, asked: usize) -> Vec<Range<usize>> {
    let own = &merged.decisions[asked].result;
    let count = merged.sources.len();
    let kept = |at: usize| merged.sources.get(at).and_then(Kept::of);
    // Beyond a run of kept lines something was taken out, put in, or is asked about.
    let goes_on = |above: usize| kept(above).zip(kept(above + 1)).is_some_and(|(a, b)| a.next() == b);
    let nearest = own.start.saturating_sub(LINES);
    let above = |line: usize| (nearest..line).rev().find(|at| kept(*at).is_some()).map_or(0, |at| at + 1);
    let further_up = |start: usize| {
        let run = (nearest..start.saturating_sub(1)).rev().take_while(|at| goes_on(*at)).count();
        above((start - 1).saturating_sub(run))
    };
    let furthest = count.min(own.end + LINES);
    let below = |line: usize| (line..furthest).find(|at| kept(*at).is_some()).unwrap_or(count);
    let further_down = |end: usize| {
        let run = (end..furthest).take_while(|at| goes_on(*at)).count();
        below((end + run + 1).min(count))
    };
    let ends = |first: usize, last: usize, next: &dyn Fn(usize) -> usize| -> Vec<usize> {
        std::iter::successors(Some(first), |at| (*at != last).then(|| next(*at))).take(STEPS).collect()
    };
    let starts = ends(above(own.start), 0, &further_up);
    let ends = ends(below(own.end), count, &further_down);
    let mut found: Vec<Range<usize>> =
        starts.iter().flat_map(|start| ends.iter().map(move |end| *start..*end)).collect();
    found.retain(|stretch| stretch.len() <= own.len() + LINES);
    found.sort_by_key(|stretch| (stretch.len(), stretch.start));
    found.dedup();
    found
}

/// A line that all versions have.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
struct Kept([usize; 3]);

impl Kept {
    fn of(source: &Source) -> Option<Self> {
        Some(Kept([source.base?, source.site?, source.release?]))
    }

    fn next(self) -> Self {
        Kept(self.0.map(|line| line + 1))
    }
}

/// A stretch of a result between lines that all versions have, and what the versions have there.
struct Stretch<'l, 'a> {
    result: Range<usize>,
    lines: [&'l [Line<'a>]; 3],
    ranges: [Range<usize>; 3],
    /// The site's edits and the questions in it.
    edits: Vec<usize>,
    asked: Range<usize>,
}

impl<'l, 'a> Stretch<'l, 'a> {
    /// What stands in a stretch of the result; `None` where something of it stands elsewhere, or the other way round.
    fn of(merged: &MergedLines, result: Range<usize>, versions: &'l [Vec<Line<'a>>; 3]) -> Option<Self> {
        let kept = |at: usize| merged.sources.get(at).and_then(Kept::of);
        let above = match result.start {
            0 => [0; 3],
            start => kept(start - 1)?.next().0,
        };
        let below = match result.end < merged.sources.len() {
            true => kept(result.end)?.0,
            false => versions.each_ref().map(Vec::len),
        };
        let ranges: [Range<usize>; 3] = std::array::from_fn(|side| above[side]..below[side]);
        let [of_base, of_site, of_release] = &ranges;
        let stands_here = |at: usize, source: &Source| {
            let here = result.contains(&at);
            let is = |line: Option<usize>, range: &Range<usize>| line.is_none_or(|k| range.contains(&k) == here);
            is(source.base, of_base) && is(source.site, of_site) && is(source.release, of_release)
        };
        let lies_in =
            |inner: &Range<usize>, outer: &Range<usize>| outer.start <= inner.start && inner.end <= outer.end;
        let mut edits = Vec::new();
        for (k, edit) in merged.edits.iter().enumerate() {
            match [lies_in(&edit.base, of_base), lies_in(&edit.site, of_site)] {
                [true, true] => edits.push(k),
                [false, false] => {}
                _ => return None,
            }
        }
        let is_in = |asked: &TextDecision| lies_in(&asked.result, &result);
        let first = merged.decisions.iter().position(is_in)?;
        let count = merged.decisions[first..].iter().take_while(|asked| is_in(asked)).count();
        let asked = first..first + count;
        let about_it = |d: &TextDecision| lies_in(&d.base, of_base) && d.edits.iter().all(|k| edits.contains(k));
        let fits = above.iter().zip(&below).all(|(from, to)| from <= to)
            && merged.decisions[asked.clone()].iter().all(about_it)
            && merged.sources.iter().enumerate().all(|(at, source)| stands_here(at, source));
        let lines = std::array::from_fn(|side| versions[side].get(ranges[side].clone()).unwrap_or_default());
        fits.then_some(Stretch { result, lines, ranges, edits, asked })
    }

    /// The result with the stretch as one question.
    fn asked(self, merged: &MergedLines, dialect: &Dialect, options: &MergeOptions) -> MergedLines {
        let lines = split_lines(&merged.bytes);
        let mut out = Out::new(Form::of(&lines).line_end);
        let write = |out: &mut Out, range: Range<usize>| {
            for at in range {
                out.line(lines[at].content, lines[at].end, merged.sources.get(at).copied().unwrap_or_default());
            }
        };
        let [base_text, site_text, release_text] = self.lines.map(joined);
        write(&mut out, 0..self.result.start);
        let result = out.question([&base_text, &site_text, &release_text], dialect, options);
        let behind = self.result.end.min(lines.len());
        write(&mut out, behind..lines.len());
        let final_newline = lines.last().is_some_and(|line| line.end != LineEnd::None);
        let (bytes, sources) = out.finish(final_newline);
        let shifted = |range: &Range<usize>| {
            let shift = |at: usize| if at < self.result.end { at } else { at + result.end - self.result.end };
            match range.start < self.result.start {
                true => range.clone(),
                false => shift(range.start)..shift(range.end),
            }
        };
        let [base, site, release] = self.ranges;
        let questions = &merged.decisions[self.asked.clone()];
        let own = questions.iter().find(|asked| asked.reason != Reason::Paired).unwrap_or(&questions[0]);
        let question = TextDecision {
            reason: own.reason,
            base,
            site,
            release: release.clone(),
            result: result.clone(),
            edits: self.edits.clone(),
            with: own.with.clone(),
            base_text,
            site_text,
            release_text,
            hint: None,
        };
        let moved = |d: &TextDecision| TextDecision { result: shifted(&d.result), ..d.clone() };
        let mut decisions: Vec<TextDecision> = merged.decisions[..self.asked.start].to_vec();
        decisions.push(question);
        decisions.extend(merged.decisions[self.asked.end..].iter().map(moved));
        let mut edits: Vec<EditFate> =
            merged.edits.iter().map(|edit| EditFate { result: shifted(&edit.result), ..edit.clone() }).collect();
        for k in &self.edits {
            let open = EditFate {
                release: release.clone(),
                result: result.clone(),
                outcome: Outcome::Open,
                step: None,
                ..edits[*k].clone()
            };
            edits[*k] = open;
        }
        MergedLines { bytes, sources, edits, decisions, formed: Vec::new(), ..*merged }
    }
}
