//! Languages in which indentation is meaning: blocks are held together by it alone.
//!
//! Lines are lined up with their level first, so that a line is not taken for its twin in another block. Where that
//! leaves questions, they are lined up blind to it, as in all other languages: a block that a side wrapped and
//! indented is then the same block, deeper. Either way a result counts only when each of its lines stands in the block
//! that it stood in: in that of the side that put it there, or that moved it, and beneath whatever a side wrapped
//! around it.

use std::collections::{BTreeSet, HashMap, HashSet};
use std::ops::Range;

mod colons;
mod heads;

use super::align::line_edits;
use super::balance::nests;
use super::checked::Versions;
use super::enclosed::{Surroundings, statements};
use super::fewest::{fewest, tries_for};
use super::lines::MergedLines;
use super::out::Source;
use super::placed::Placed;
use super::{Dialect, EditFate, MergeOptions, Outcome, Reason, Step, Trust};
use crate::diff::{Edit, kept_pairs};
use crate::text::key::Blanks;
use crate::text::{Line, split_lines};

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
    let astray =
        |merged: &MergedLines| if judged { lines_out_of_place(merged, versions, dialect) } else { Vec::new() };
    let of_level = astray(&by_level);
    let not_gone = deleted_but_there(&by_level, versions);
    let sound = of_level.is_empty() && not_gone.is_empty();
    if sound && (by_level.decisions.is_empty() || options.trust == Trust::Strict) {
        return by_level;
    }
    // Edits are told and looked for among all lines: with too many of both, all of them are questions.
    let affordable = by_level.edits.len().saturating_mul(by_level.sources.len()) <= LOOKED_AT;
    if options.trust != Trust::Strict && affordable && judged {
        let blind = Dialect { blanks: Blanks::AreForm, ..*dialect };
        let blindly = Versions::new(versions, &blind, options).merge(&[]);
        let fewer = !sound || blindly.decisions.len() < by_level.decisions.len();
        if fewer && astray(&blindly).is_empty() {
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
/// Lines before and behind that are looked at for a line's neighbours in its block.
const NEAR: usize = 200;

/// One version's lines: which line opens the block that each stands in.
struct Tree {
    parents: Vec<Option<usize>>,
    /// Lines that end a block and stand at the level of none that is open.
    ragged: HashSet<usize>,
    /// Tabs and spaces both indent.
    mixed: bool,
}

impl Tree {
    fn of(text: &[u8]) -> Self {
        Tree::with(text, Vec::new())
    }

    /// The tree of a text; `statements` tells which line each goes on with, if it does.
    fn with(text: &[u8], statements: Vec<Option<usize>>) -> Self {
        let lines = split_lines(text);
        let mut parents = vec![None; lines.len()];
        let (mut tabs, mut spaces) = (false, false);
        let mut ragged = HashSet::new();
        // The open blocks: how far their first lines are indented, and which those are.
        let mut open: Vec<(usize, usize)> = Vec::new();
        for (at, line) in lines.iter().enumerate().filter(|(_, line)| !line.is_blank()) {
            let indent = line.indent();
            tabs |= indent.contains(&b'\t');
            spaces |= indent.starts_with(b"  ");
            if let Some(first) = statements.get(at).copied().flatten() {
                parents[at] = parents[first];
                continue;
            }
            let width = line.width();
            let mut level = None;
            while open.last().is_some_and(|(outer, _)| *outer >= width) {
                level = open.pop().map(|(level, _)| level);
            }
            if level.is_some_and(|level| level != width) {
                ragged.insert(at);
            }
            parents[at] = open.last().map(|(_, parent)| *parent);
            open.push((width, at));
        }
        Tree { parents, ragged, mixed: tabs && spaces }
    }

    /// Which lines open a block.
    fn opens(&self) -> Vec<bool> {
        let mut opens = vec![false; self.parents.len()];
        self.parents.iter().flatten().for_each(|line| opens[*line] = true);
        opens
    }

    /// The blocks around a line, the innermost first. A last line that is empty and has no end is no line of the text,
    /// and in none.
    fn around(&self, line: usize) -> impl Iterator<Item = usize> {
        let parent = |line: usize| self.parents.get(line).copied().flatten();
        std::iter::successors(parent(line), move |at| parent(*at))
    }
}

/// The lines of a result that do not stand in the block, or the brackets, that they stood in.
pub(crate) fn lines_out_of_place(merged: &MergedLines, versions: [&[u8]; 3], dialect: &Dialect) -> Vec<usize> {
    let astray = lines_astray(merged, versions);
    if astray.is_empty() { Surroundings::of(versions, dialect).out_of(merged) } else { astray }
}

fn lines_astray(merged: &MergedLines, versions: [&[u8]; 3]) -> Vec<usize> {
    let [base, _, release] = versions;
    let of_answer = |placed: Placed| {
        let astray = astray_in(&placed, versions);
        match (!astray.is_empty()).then(|| heads::put_back(&placed, versions)).flatten() {
            Some((placed, site)) if astray_in(&placed, [base, &site, release]).is_empty() => Vec::new(),
            _ => astray.into_iter().map(|at| placed.lines[at]).collect(),
        }
    };
    let mut astray: Vec<usize> = merged.answered().into_iter().flat_map(of_answer).collect();
    astray.sort_unstable();
    astray.dedup();
    astray
}

/// The lines of a result with an answer that are astray: by indentation alone, and where what begins within brackets
/// goes on with its statement, however far it is indented. Where the versions hold together it does, too.
fn astray_in(placed: &Placed, versions: [&[u8]; 3]) -> Vec<usize> {
    let [base, site, release] = versions;
    let texts = [base, site, release, &placed.bytes];
    let astray = astray_among(placed, versions, texts.map(Tree::of));
    let statements = match texts.map(colons::continued) {
        [Ok(_), Ok(_), Ok(_), Err(line)] => return if astray.is_empty() { vec![line] } else { astray },
        _ if astray.is_empty() => return astray,
        [Ok(base), Ok(site), Ok(release), Ok(result)] => [base, site, release, result],
        _ if texts.into_iter().all(nests) => texts.map(statements),
        _ => return astray,
    };
    if statements.iter().flatten().all(Option::is_none) {
        return astray;
    }
    let [base, site, release, result] = statements;
    let trees = [(texts[0], base), (texts[1], site), (texts[2], release), (texts[3], result)];
    astray_among(placed, versions, trees.map(|(text, statements)| Tree::with(text, statements)))
}

/// The lines of a result that are astray by the trees of base, site, release and result.
fn astray_among(
    Placed { bytes, sources, asked, spots, .. }: &Placed,
    versions: [&[u8]; 3],
    [base, site, release, result]: [Tree; 4],
) -> Vec<usize> {
    let lines = split_lines(bytes);
    // Of lines that were merged by words over several nothing is known.
    let unknown = |at: &usize| sources[*at] == Source::default() && !asked[*at] && !lines[*at].is_blank();
    let unknown: Vec<usize> = (0..lines.len()).filter(unknown).collect();
    if !unknown.is_empty() {
        return unknown;
    }
    if result.mixed && !release.mixed && !(site.mixed || base.mixed) {
        return (0..lines.len()).collect();
    }
    let sources = with_counterparts(sources, versions);
    let homes = |pick: fn(&Source) -> Option<usize>| -> HashMap<usize, usize> {
        sources.iter().enumerate().filter_map(|(at, source)| Some((pick(source)?, at))).collect()
    };
    let (of_base, of_site, of_release) = (homes(|s| s.base), homes(|s| s.site), homes(|s| s.release));
    let common = |at: &usize| sources[*at].site.is_some() && sources[*at].release.is_some();
    // The blocks around a line in one version, as lines of the result.
    let around = |tree: &Tree, line: usize, homes: &HashMap<usize, usize>| -> Vec<usize> {
        tree.around(line).filter_map(|k| homes.get(&k).copied()).collect()
    };
    let own = |around: &[usize], by_site: bool| -> HashSet<usize> {
        let only = |at: &&usize| {
            let source = sources[**at];
            if by_site { source.release.is_none() } else { source.site.is_none() }
        };
        around.iter().filter(only).copied().collect()
    };
    let nearest = |around: &[usize]| around.iter().copied().find(common);
    // Whether the nearest line that both have, before or behind a line in the same block of its version, stands in
    // this block of the result.
    let moved_along = |tree: &Tree, line: Option<usize>, homes: &HashMap<usize, usize>, block, got| {
        let Some(line) = line else { return false };
        let along = |k: usize| {
            let at = homes.get(&k).copied().filter(common)?;
            let here: Vec<usize> = result.around(at).collect();
            (nearest(&around(tree, k, homes)) == block).then(|| nearest(&here) == got)
        };
        let before = (line.saturating_sub(NEAR)..line).rev().find_map(along);
        let behind = (line + 1..(line + 1 + NEAR).min(tree.parents.len())).find_map(along);
        before == Some(true) || behind == Some(true)
    };
    let is_asked_between = |from: usize, to: usize| {
        spots.get(spots.partition_point(|spot| *spot < from)).is_some_and(|spot| *spot <= to)
    };
    // A line that opens no block wherever it stands.
    let versions_open = [&base, &site, &release].map(Tree::opens);
    let opens_none = |at: usize| {
        let Source { base, site, release } = sources[at];
        let opens =
            |(opens, line): (&Vec<bool>, Option<usize>)| line.is_some_and(|line| opens.get(line) == Some(&true));
        !versions_open.iter().zip([base, site, release]).any(opens)
    };
    // A line that a side put in and that opens a block there.
    let result_opens = result.opens();
    let was_put_to_open = |at: usize| {
        let Source { base, site, release } = sources[at];
        let opens = |(opens, line): (&Vec<bool>, Option<usize>)| line.and_then(|line| opens.get(line).copied());
        let [_, by_site, by_release] = &versions_open;
        let mut known = [(by_site, site), (by_release, release)].into_iter().filter_map(opens).peekable();
        base.is_none() && known.peek().is_some() && known.all(|opens| opens)
    };
    let at_home = |at: usize| {
        let source = sources[at];
        let ragged = |tree: &Tree, line: Option<usize>| line.is_some_and(|line| tree.ragged.contains(&line));
        if result.ragged.contains(&at) && !ragged(&site, source.site) && !ragged(&release, source.release) {
            return false;
        }
        if result.parents[at].is_some_and(&opens_none) || !result_opens[at] && was_put_to_open(at) {
            return false;
        }
        let here: Vec<usize> = result.around(at).collect();
        let by_site = source.site.map(|k| around(&site, k, &of_site));
        let by_release = source.release.map(|k| around(&release, k, &of_release));
        let by_base = source.base.map(|k| around(&base, k, &of_base));
        // What a side put around it is around it, and nothing else of that side.
        let beneath = |around: &Option<Vec<usize>>, by_site: bool| {
            around.as_ref().is_none_or(|around| own(around, by_site) == own(&here, by_site))
        };
        if !beneath(&by_site, true) || !beneath(&by_release, false) {
            return false;
        }
        let got = nearest(&here);
        match (by_site.as_deref().map(nearest), by_release.as_deref().map(nearest), by_base.as_deref().map(nearest))
        {
            // Below a question it is where the answer puts it.
            (Some(s), Some(r), Some(_)) if is_asked_between(got.unwrap_or(0), at) => got == s || got == r,
            (Some(s), Some(r), Some(b)) => {
                let moved_by_one = if s == b { Some(r) } else { Some(s).filter(|s| r == b || *s == r) };
                moved_by_one == Some(got)
            }
            (Some(s), Some(r), None) => got == s || got == r,
            // It stands where the other side put its neighbours in that block.
            (Some(s), None, _) => got == s || moved_along(&site, source.site, &of_site, s, got),
            (None, Some(r), _) => got == r || moved_along(&release, source.release, &of_release, r, got),
            (None, None, _) => true,
        }
    };
    (0..lines.len()).filter(|at| !lines[*at].is_blank() && !asked[*at] && !at_home(*at)).collect()
}

/// Where the lines of a result come from, as far as blocks are concerned: a line that one side put in the place of
/// another, at the same level, opens the block that the other opened.
fn with_counterparts(sources: &[Source], versions: [&[u8]; 3]) -> Vec<Source> {
    let [base, site, release] = versions.map(split_lines);
    let edits = [versions[1], versions[2]].map(|side| line_edits(versions[0], side, Blanks::IndentIsMeaning));
    let links =
        [&edits[0], &edits[1]].map(|edits| kept_pairs(edits, base.len()).collect::<HashMap<usize, usize>>());
    let replaced = |edits: &[Edit], side: &[Line<'_>]| -> HashMap<usize, usize> {
        let pairs =
            edits.iter().filter(|e| e.old.len() == e.new.len()).flat_map(|e| e.new.clone().zip(e.old.clone()));
        pairs.filter(|(new, old)| side[*new].indent() == base[*old].indent()).collect()
    };
    let (of_site, of_release) = (replaced(&edits[0], &site), replaced(&edits[1], &release));
    let counterpart = |source: &Source| match *source {
        Source { base: None, site: None, release: Some(new) } => of_release
            .get(&new)
            .and_then(|old| Some(Source { base: Some(*old), site: Some(*links[0].get(old)?), ..*source })),
        Source { base: None, site: Some(new), release: None } => of_site
            .get(&new)
            .and_then(|old| Some(Source { base: Some(*old), release: Some(*links[1].get(old)?), ..*source })),
        _ => None,
    };
    sources.iter().map(|source| counterpart(source).unwrap_or(*source)).collect()
}

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
