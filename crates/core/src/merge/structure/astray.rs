//! Which lines of a result do not stand in the block, or the brackets, that they stood in.

use std::cell::OnceCell;
use std::collections::{HashMap, HashSet};

use super::tree::Tree;
use super::{colons, heads};
use crate::diff::{Edit, kept_pairs};
use crate::merge::Dialect;
use crate::merge::align::line_edits;
use crate::merge::balance::nests;
use crate::merge::enclosed::{Surroundings, statements};
use crate::merge::lines::MergedLines;
use crate::merge::out::Source;
use crate::merge::placed::Placed;
use crate::text::key::Blanks;
use crate::text::{Line, split_lines};

/// Lines before and behind that are looked at for a line's neighbours in its block.
const NEAR: usize = 200;

/// Three versions of a text in which indentation is meaning, and the blocks that their lines stand in.
pub(crate) struct Levels<'a> {
    versions: [&'a [u8]; 3],
    trees: [Tree; 3],
    /// Which line each goes on with, where the version holds together.
    continued: OnceCell<[Result<Vec<Option<usize>>, usize>; 3]>,
    counterparts: OnceCell<Counterparts>,
}

impl<'a> Levels<'a> {
    pub(crate) fn of(versions: [&'a [u8]; 3]) -> Self {
        let trees = versions.map(Tree::of);
        Levels { versions, trees, continued: OnceCell::new(), counterparts: OnceCell::new() }
    }

    /// The lines of a result that do not stand in the block, or the brackets, that they stood in, whichever side is taken
    /// in its questions.
    pub(crate) fn lines_out_of_place(&self, merged: &MergedLines, dialect: &Dialect) -> Vec<usize> {
        let of_answer = |placed: Placed| {
            let astray = self.astray_in(&placed);
            match (!astray.is_empty()).then(|| heads::put_back(&placed, self.versions)).flatten() {
                Some((placed, site)) if self.with_site(&site).astray_in(&placed).is_empty() => Vec::new(),
                _ => astray.into_iter().map(|at| placed.lines[at]).collect(),
            }
        };
        let mut astray: Vec<usize> = merged.answered().into_iter().flat_map(of_answer).collect();
        astray.sort_unstable();
        astray.dedup();
        if astray.is_empty() { Surroundings::of(self.versions, dialect).out_of(merged) } else { astray }
    }

    fn with_site<'s>(&self, site: &'s [u8]) -> Levels<'s>
    where
        'a: 's,
    {
        let [base, _, release] = self.versions;
        Levels::of([base, site, release])
    }

    /// The lines of a result with an answer that are astray: by indentation alone, and where what begins within brackets
    /// goes on with its statement, however far it is indented. Where the versions hold together it does, too.
    fn astray_in(&self, placed: &Placed) -> Vec<usize> {
        let astray = self.astray_among(placed, self.trees.each_ref(), &Tree::of(&placed.bytes));
        let continued = self.continued.get_or_init(|| self.versions.map(colons::continued));
        let [base, site, release] = self.versions;
        let statements = match (continued, colons::continued(&placed.bytes)) {
            ([Ok(_), Ok(_), Ok(_)], Err(line)) => return if astray.is_empty() { vec![line] } else { astray },
            _ if astray.is_empty() => return astray,
            ([Ok(base), Ok(site), Ok(release)], Ok(result)) => {
                [base.clone(), site.clone(), release.clone(), result]
            }
            _ => {
                let texts = [base, site, release, &placed.bytes];
                if !texts.into_iter().all(nests) {
                    return astray;
                }
                texts.map(statements)
            }
        };
        if statements.iter().flatten().all(Option::is_none) {
            return astray;
        }
        let [of_base, of_site, of_release, of_result] = statements;
        let trees = [Tree::with(base, of_base), Tree::with(site, of_site), Tree::with(release, of_release)];
        self.astray_among(placed, trees.each_ref(), &Tree::with(&placed.bytes, of_result))
    }

    /// The lines of a result that are astray by the trees of the versions and its own.
    fn astray_among(&self, placed: &Placed, trees: [&Tree; 3], result: &Tree) -> Vec<usize> {
        let lines = split_lines(&placed.bytes);
        // Of lines that were merged by words over several nothing is known.
        let is_unknown =
            |at: &usize| placed.sources[*at] == Source::default() && !placed.asked[*at] && !lines[*at].is_blank();
        let unknown: Vec<usize> = (0..lines.len()).filter(is_unknown).collect();
        if !unknown.is_empty() {
            return unknown;
        }
        let [base, site, release] = trees;
        if result.mixed && !release.mixed && !(site.mixed || base.mixed) {
            return (0..lines.len()).collect();
        }
        let counterparts = self.counterparts.get_or_init(|| Counterparts::of(self.versions));
        let standing = Standing::new(placed, counterparts.of_all(&placed.sources), trees, result);
        let is_astray = |at: &usize| !lines[*at].is_blank() && !placed.asked[*at] && !standing.at_home(*at);
        (0..lines.len()).filter(is_astray).collect()
    }
}

/// One of the three versions, by its place among them.
type Version = usize;
const BASE: Version = 0;
const SITE: Version = 1;
const RELEASE: Version = 2;

/// Where a line of the result stood in each version.
fn lines_of(source: &Source) -> [Option<usize>; 3] {
    [source.base, source.site, source.release]
}

/// The lines of a result and the blocks around them, there and in the versions.
struct Standing<'p> {
    placed: &'p Placed,
    sources: Vec<Source>,
    trees: [&'p Tree; 3],
    result: &'p Tree,
    /// Where the lines of each version stand in the result.
    homes: [HashMap<usize, usize>; 3],
    /// Which lines of each version open a block.
    opens: [Vec<bool>; 3],
    result_opens: Vec<bool>,
}

impl<'p> Standing<'p> {
    fn new(placed: &'p Placed, sources: Vec<Source>, trees: [&'p Tree; 3], result: &'p Tree) -> Self {
        let homes = [BASE, SITE, RELEASE].map(|version| {
            let line = |source: &Source| lines_of(source)[version];
            sources.iter().enumerate().filter_map(|(at, source)| Some((line(source)?, at))).collect()
        });
        let opens = trees.map(Tree::opens);
        Standing { placed, sources, trees, result, homes, opens, result_opens: result.opens() }
    }

    /// Both sides have the line.
    fn is_common(&self, at: usize) -> bool {
        self.sources[at].site.is_some() && self.sources[at].release.is_some()
    }

    /// The blocks around a line of a version, the innermost first, as lines of the result.
    fn around(&self, version: Version, line: usize) -> Vec<usize> {
        self.trees[version].around(line).filter_map(|k| self.homes[version].get(&k).copied()).collect()
    }

    /// The innermost of some blocks that both sides have.
    fn nearest(&self, around: &[usize]) -> Option<usize> {
        around.iter().copied().find(|at| self.is_common(*at))
    }

    /// Those of some blocks that the other side does not have.
    fn only_of(&self, version: Version, around: &[usize]) -> HashSet<usize> {
        let other = if version == SITE { RELEASE } else { SITE };
        around.iter().copied().filter(|at| lines_of(&self.sources[*at])[other].is_none()).collect()
    }

    /// Tells whether the nearest line that both have, before or behind a line in the same block of its version, stands in
    /// the block of the result in which that line came to stand.
    fn moved_along(&self, version: Version, line: usize, [block, got]: [Option<usize>; 2]) -> bool {
        let along = |k: usize| {
            let at = self.homes[version].get(&k).copied().filter(|at| self.is_common(*at))?;
            let here: Vec<usize> = self.result.around(at).collect();
            (self.nearest(&self.around(version, k)) == block).then(|| self.nearest(&here) == got)
        };
        let before = (line.saturating_sub(NEAR)..line).rev().find_map(along);
        let behind = (line + 1..(line + 1 + NEAR).min(self.trees[version].parents.len())).find_map(along);
        before == Some(true) || behind == Some(true)
    }

    fn is_asked_between(&self, from: usize, to: usize) -> bool {
        let spots = &self.placed.spots;
        spots.get(spots.partition_point(|spot| *spot < from)).is_some_and(|spot| *spot <= to)
    }

    /// Tells whether the line opens no block in any version.
    fn opens_none(&self, at: usize) -> bool {
        let opens =
            |(opens, line): (&Vec<bool>, Option<usize>)| line.is_some_and(|line| opens.get(line) == Some(&true));
        !self.opens.iter().zip(lines_of(&self.sources[at])).any(opens)
    }

    /// Tells whether a side put in the line and it opens a block there.
    fn was_put_to_open(&self, at: usize) -> bool {
        let lines = lines_of(&self.sources[at]);
        let of_side = |version: Version| self.opens[version].get(lines[version]?).copied();
        let mut known = [SITE, RELEASE].into_iter().filter_map(of_side).peekable();
        lines[BASE].is_none() && known.peek().is_some() && known.all(|opens| opens)
    }

    /// Tells whether the line ends a block and stands at the level of none, as it does on neither side.
    fn is_ragged(&self, at: usize) -> bool {
        let lines = lines_of(&self.sources[at]);
        let was = |version: Version| lines[version].is_some_and(|line| self.trees[version].ragged.contains(&line));
        self.result.ragged.contains(&at) && !was(SITE) && !was(RELEASE)
    }

    /// Tells whether a line of the result stands in the block that it stood in.
    fn at_home(&self, at: usize) -> bool {
        let beneath_none = self.result.parents[at].is_some_and(|parent| self.opens_none(parent));
        if self.is_ragged(at) || beneath_none || !self.result_opens[at] && self.was_put_to_open(at) {
            return false;
        }
        let lines = lines_of(&self.sources[at]);
        let here: Vec<usize> = self.result.around(at).collect();
        let around = [BASE, SITE, RELEASE].map(|version| lines[version].map(|line| self.around(version, line)));
        // What a side put around it is around it, and nothing else of that side.
        let beneath = |version: Version| {
            let was = around[version].as_ref();
            was.is_none_or(|was| self.only_of(version, was) == self.only_of(version, &here))
        };
        if !beneath(SITE) || !beneath(RELEASE) {
            return false;
        }
        let got = self.nearest(&here);
        let [in_base, in_site, in_release] =
            around.each_ref().map(|around| around.as_ref().map(|around| self.nearest(around)));
        // It may stand where the other side put its neighbours in that block.
        let along = |version: Version, block| {
            got == block || lines[version].is_some_and(|line| self.moved_along(version, line, [block, got]))
        };
        match (in_site, in_release, in_base) {
            // Below a question it is where the answer puts it.
            (Some(s), Some(r), Some(_)) if self.is_asked_between(got.unwrap_or(0), at) => got == s || got == r,
            (Some(s), Some(r), Some(b)) => {
                let moved_by_one = if s == b { Some(r) } else { Some(s).filter(|s| r == b || *s == r) };
                moved_by_one == Some(got)
            }
            (Some(s), Some(r), None) => got == s || got == r,
            (Some(s), None, _) => along(SITE, s),
            (None, Some(r), _) => along(RELEASE, r),
            (None, None, _) => true,
        }
    }
}

/// What stands on the two sides in the place of a line of the base, and where the base's lines are.
struct Counterparts {
    /// Which line of the base each line of the site, and of the release, was put in place of, at the same level.
    replaced: [HashMap<usize, usize>; 2],
    /// Where site and release kept each line of the base.
    kept: [HashMap<usize, usize>; 2],
}

impl Counterparts {
    fn of([base, site, release]: [&[u8]; 3]) -> Self {
        let edits = [site, release].map(|side| line_edits(base, side, Blanks::IndentIsMeaning));
        let [base, site, release] = [base, site, release].map(split_lines);
        let replaced = |edits: &[Edit], side: &[Line<'_>]| -> HashMap<usize, usize> {
            let even = edits.iter().filter(|e| e.old.len() == e.new.len());
            let pairs = even.flat_map(|e| e.new.clone().zip(e.old.clone()));
            pairs.filter(|(new, old)| side[*new].indent() == base[*old].indent()).collect()
        };
        Counterparts {
            replaced: [replaced(&edits[0], &site), replaced(&edits[1], &release)],
            kept: edits.each_ref().map(|edits| kept_pairs(edits, base.len()).collect()),
        }
    }

    /// Where the lines of a result come from, as far as blocks are concerned: a line that one side put in the place of
    /// another, at the same level, opens the block that the other opened.
    fn of_all(&self, sources: &[Source]) -> Vec<Source> {
        let [in_site, in_release] = &self.kept;
        let counterpart = |source: &Source| match *source {
            Source { base: None, site: None, release: Some(new) } => {
                let old = *self.replaced[1].get(&new)?;
                Some(Source { base: Some(old), site: Some(*in_site.get(&old)?), ..*source })
            }
            Source { base: None, site: Some(new), release: None } => {
                let old = *self.replaced[0].get(&new)?;
                Some(Source { base: Some(old), release: Some(*in_release.get(&old)?), ..*source })
            }
            _ => None,
        };
        sources.iter().map(|source| counterpart(source).unwrap_or(*source)).collect()
    }
}
