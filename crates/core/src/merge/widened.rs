//! Questions whose answers would tear the text: they are asked about together with the lines around them.
//!
//! A question is about as few lines as can be. What one side has there may be of no use without what it has next to it:
//! a handler without the `try` that the release took out, a first line of a function without its block. Such a question
//! is widened, from one line that all versions have to another, until either side's lines hold together there.

use std::ops::Range;

use super::balance::{Balance, balance, nests, unpaired};
use super::brackets::Brackets;
use super::enclosed::Opener;
use super::lines::MergedLines;
use super::out::{Out, Source};
use super::structure::tear;
use super::{Dialect, EditFate, MergeOptions, Outcome, Reason, TextDecision};
use crate::text::key::Blanks;
use crate::text::{Form, Line, LineEnd, joined, split_lines};

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
            let Tears { count, suspects } = whole.tears(&merged, by_site);
            let kept = kept_lines(&merged, &lines);
            let wider = |asked: usize| {
                let mut best: Option<(u64, MergedLines)> = None;
                for stretch in stretches(&kept, &merged.decisions[asked].result) {
                    let least = best.as_ref().map_or(count, |(least, _)| *least);
                    left = left.saturating_sub(1);
                    if least == 0 || left == 0 {
                        break;
                    }
                    let Some(stretch) = Stretch::of(&merged, &kept, stretch, &lines) else { continue };
                    let wider = stretch.asked(&merged, dialect, options);
                    let Tears { count, .. } = whole.tears(&wider, by_site);
                    if count < least {
                        best = Some((count, wider));
                    }
                }
                best.map(|(_, wider)| wider)
            };
            let Some(wider) = suspects.into_iter().find_map(wider) else { break };
            merged = wider;
        }
    }
    merged
}

/// What tells a torn result from versions that are whole.
enum Whole<'d> {
    /// The blocks hold together by colons and levels.
    ByLevel,
    /// The brackets of code are closed in order, and its lines stand in what they stood in.
    ByCode { sides: [Brackets; 2], dialect: &'d Dialect },
    /// Brackets and tags are closed as often as in all versions; or also in order.
    ByCount { counts: [Balance; 3], in_order: bool, dialect: &'d Dialect },
    /// Nothing does.
    Unknown,
}

/// How far a result is torn where one side is taken in all questions, and which of them may be to blame.
#[derive(Default)]
struct Tears {
    /// What is not closed or not opened, or stands in something else; or the lines from the first that cannot stand where
    /// it does.
    count: u64,
    suspects: Vec<usize>,
}

impl<'d> Whole<'d> {
    fn of(versions: [&[u8]; 3], dialect: &'d Dialect) -> Self {
        let [base, site, release] = versions;
        if dialect.blanks == Blanks::IndentIsMeaning {
            let holds = tear(site).is_none() && tear(release).is_none();
            return if holds { Whole::ByLevel } else { Whole::Unknown };
        }
        let code = |text: &[u8]| Brackets::of_whole(text, dialect);
        if let (Some(_), Some(site), Some(release)) = (code(base), code(site), code(release)) {
            return Whole::ByCode { sides: [site, release], dialect };
        }
        let counts = versions.map(|text| balance(text, dialect.markup));
        Whole::ByCount { counts, in_order: versions.into_iter().all(nests), dialect }
    }

    fn tears(&self, merged: &MergedLines, by_site: bool) -> Tears {
        let placed = merged.with_side(by_site);
        let text = &placed.bytes;
        match self {
            Whole::ByLevel => tear(text).map_or_else(Tears::default, |line| Tears {
                count: (split_lines(text).len() + 1 - line) as u64,
                suspects: nearest(&placed.spots, line),
            }),
            Whole::ByCode { sides, dialect } => {
                let Some(brackets) = Brackets::of_code(text, dialect) else {
                    return Tears { count: u64::MAX, suspects: uneven(&merged.decisions, dialect) };
                };
                let own = |source: &Source| if by_site { (0, source.site) } else { (1, source.release) };
                let kind = |around: &[Option<Opener>], line: usize| around.get(line).map(|o| o.map(|o| o.kind));
                let is_elsewhere = |at: &usize| {
                    let (side, line) = own(&placed.sources[*at]);
                    placed.asked[*at]
                        && line.is_some_and(|line| kind(&sides[side].around, line) != kind(&brackets.around, *at))
                };
                let elsewhere: Vec<usize> = (0..placed.sources.len()).filter(is_elsewhere).collect();
                let mut suspects =
                    if brackets.unpaired > 0 { uneven(&merged.decisions, dialect) } else { Vec::new() };
                suspects.extend(elsewhere.iter().map(|at| placed.spots.partition_point(|spot| spot <= at) - 1));
                suspects.sort_unstable();
                suspects.dedup();
                Tears { count: brackets.unpaired + elsewhere.len() as u64, suspects }
            }
            Whole::ByCount { counts, in_order, dialect } => {
                let out_of_order = if *in_order { unpaired(text) } else { 0 };
                let count = balance(text, dialect.markup).distance_from(counts) + out_of_order;
                let suspects = if count > 0 { uneven(&merged.decisions, dialect) } else { Vec::new() };
                Tears { count, suspects }
            }
            Whole::Unknown => Tears::default(),
        }
    }
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
    let unpaired = |text: &[u8]| Brackets::of_code(text, dialect).map(|brackets| brackets.unpaired);
    let open = |text: &[u8]| (balance(text, dialect.markup), unpaired(text));
    let is_uneven = |asked: &usize| open(&decisions[*asked].site_text) != open(&decisions[*asked].release_text);
    (0..decisions.len()).filter(is_uneven).collect()
}

/// Where a question can begin and end, the nearest lines first: behind and before lines that all versions have, as lines
/// of the result.
fn stretches(kept: &[Option<Kept>], own: &Range<usize>) -> Vec<Range<usize>> {
    let count = kept.len();
    let kept = |at: usize| kept.get(at).copied().flatten();
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
    fn next(self) -> Self {
        Kept(self.0.map(|line| line + 1))
    }
}

/// The lines of a result that all versions have, but for white space.
fn kept_lines(merged: &MergedLines, [base, site, release]: &[Vec<Line<'_>>; 3]) -> Vec<Option<Kept>> {
    let kept = |source: &Source| {
        let kept = [source.base?, source.site?, source.release?];
        let line = base.get(kept[0])?.trimmed();
        (site.get(kept[1])?.trimmed() == line && release.get(kept[2])?.trimmed() == line).then_some(Kept(kept))
    };
    merged.sources.iter().map(kept).collect()
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
    fn of(
        merged: &MergedLines,
        kept: &[Option<Kept>],
        result: Range<usize>,
        versions: &'l [Vec<Line<'a>>; 3],
    ) -> Option<Self> {
        let kept = |at: usize| kept.get(at).copied().flatten();
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
        // A last line that is empty and has no end is no line of the text.
        let write = |out: &mut Out, range: Range<usize>| {
            for (at, line) in lines.iter().enumerate().take(range.end).skip(range.start) {
                out.line(line.content, line.end, merged.sources.get(at).copied().unwrap_or_default());
            }
        };
        let [base_text, site_text, release_text] = self.lines.map(joined);
        write(&mut out, 0..self.result.start);
        let result = out.question([&base_text, &site_text, &release_text], dialect, options);
        write(&mut out, self.result.end..lines.len());
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
        let shared = merged.shared.clone();
        MergedLines { bytes, sources, edits, decisions, formed: Vec::new(), shared, ..*merged }
    }
}
