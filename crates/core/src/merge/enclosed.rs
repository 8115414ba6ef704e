//! What a line stands in: a member of an object is none of a call, and a page does not go on within a piece of code.
//!
//! What a side put in stands in the result in the block that it stood in, if both sides have that, in a bracket of its
//! kind, or in one that the other side put around it and its neighbours. Where that is not so, the text may close all
//! that it opens and say nothing that its language knows.

use std::collections::HashMap;

use super::balance::{each_bracket, nests};
use super::brackets::Brackets;
use super::checked::Versions;
use super::islands::{in_turn, islands, remarks};
use super::lines::MergedLines;
use super::ops::ALIKE;
use super::out::Source;
use super::placed::Placed;
use super::structure::edits_beside;
use super::{Dialect, MergeOptions, Reason, Trust};
use crate::diff::sketch::WordBag;
use crate::text::{Line, of_each, split_lines};

/// Lines before and behind that are looked at for a line's neighbours in its block.
const NEAR: usize = 200;
/// How often more edits are asked about before the rest is let be.
const ROUNDS: usize = 4;

/// What is open where a line begins: a bracket, a remark, a piece of code.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Opener {
    pub(super) kind: u8,
    pub(super) line: usize,
}

/// Merges three versions of a text in which brackets hold blocks together; the edits beside lines that come to stand in
/// something else than they did are questions, where asking mends that.
pub(crate) fn merge_enclosed(versions: [&[u8]; 3], dialect: &Dialect, options: &MergeOptions) -> MergedLines {
    let lined_up = Versions::new(versions, dialect, options);
    let mut merged = lined_up.merge(&[]);
    if options.trust == Trust::Strict {
        return merged;
    }
    let surroundings = Surroundings::of(versions, dialect);
    let mut asked: Vec<(usize, Reason)> = Vec::new();
    let mut astray = surroundings.out_of(&merged);
    for _ in 0..ROUNDS {
        let more = edits_beside(&merged, &astray);
        if more.is_empty() {
            break;
        }
        asked.extend(more.into_iter().map(|edit| (edit, Reason::Doubtful)));
        let with_more = lined_up.merge(&asked);
        let still = surroundings.out_of(&with_more);
        // Questions that mend nothing are none.
        if still.len() >= astray.len() {
            break;
        }
        (merged, astray) = (with_more, still);
    }
    merged
}

/// What the lines of a text stand in, as far as its versions tell.
pub(crate) struct Surroundings<'a> {
    sides: Vec<Sides<'a>>,
}

impl<'a> Surroundings<'a> {
    pub(crate) fn of(versions: [&'a [u8]; 3], dialect: &'a Dialect) -> Self {
        let of_code = || versions.into_iter().all(|text| text.starts_with(b"<?"));
        let of = |what: What| {
            let [(_, base), (in_site, site), (in_release, release)] =
                of_each(versions, |text| what.of(text, dialect));
            let texts = || [versions[1], versions[2]].map(split_lines);
            (base && site && release).then(|| Sides {
                texts: texts(),
                openers: [in_site, in_release],
                what,
                dialect,
            })
        };
        let mut sides = Vec::new();
        if !dialect.markup {
            let code = dialect.strings.then(|| of(What::Code)).flatten();
            sides.extend(code.or_else(|| of(What::Brackets)));
            sides.extend(dialect.strings.then(|| of(What::Remarks)).flatten());
        }
        if dialect.markup || of_code() {
            sides.extend(of(What::Islands));
        }
        Surroundings { sides }
    }

    /// The lines of a result that do not stand, whichever side is taken in its questions, in the brackets that they
    /// stood in, or not in the remark, script or piece of code within markup. None where that cannot be told.
    pub(crate) fn out_of(&self, merged: &MergedLines) -> Vec<usize> {
        let answered = if self.sides.is_empty() { Vec::new() } else { merged.answered() };
        let out_of =
            |sides: &Sides<'_>| answered.iter().flat_map(|placed| sides.out_of(placed)).collect::<Vec<_>>();
        let mut astray: Vec<usize> = self.sides.iter().flat_map(out_of).collect();
        astray.sort_unstable();
        astray.dedup();
        astray
    }
}

/// What a line can stand in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum What {
    /// The brackets of code.
    Code,
    /// Brackets of a text of which no more is known.
    Brackets,
    Remarks,
    /// Remarks, scripts and pieces of code within markup.
    Islands,
}

impl What {
    /// What the lines of a text stand in, and whether that is closed in order.
    fn of(self, text: &[u8], dialect: &Dialect) -> (Vec<Option<Opener>>, bool) {
        match self {
            What::Code => Brackets::of_code(text, dialect)
                .map_or_else(Default::default, |brackets| (brackets.around, brackets.unpaired == 0)),
            What::Brackets => (innermost(text), nests(text)),
            What::Remarks => remarks(text),
            What::Islands => (islands(text).0, in_turn(text)),
        }
    }

    /// Brackets that do not close in order tell nothing of a result.
    fn tells_of_torn(self) -> bool {
        matches!(self, What::Remarks | What::Islands)
    }

    /// A side may have put brackets around lines of the other.
    fn wraps(self) -> bool {
        matches!(self, What::Code | What::Brackets)
    }
}

/// The two sides, and what their lines stand in.
struct Sides<'a> {
    texts: [Vec<Line<'a>>; 2],
    openers: [Vec<Option<Opener>>; 2],
    what: What,
    dialect: &'a Dialect,
}

impl Sides<'_> {
    /// The lines that one side alone has and that are in something else than they were in there: in brackets of another
    /// kind, or in another block that both sides have. They may be in brackets that the other side put around them, or
    /// where it moved their neighbours.
    fn out_of(&self, placed: &Placed) -> Vec<usize> {
        let Sides { texts, openers: sides, what, dialect } = self;
        let (in_result, whole) = what.of(&placed.bytes, dialect);
        if !whole && !what.tells_of_torn() {
            return Vec::new();
        }
        let lines = split_lines(&placed.bytes);
        let line_of: [fn(&Source) -> Option<usize>; 2] = [|source| source.site, |source| source.release];
        // Where the lines of each side stand in the result.
        let homes = line_of.map(|line| -> HashMap<usize, usize> {
            placed.sources.iter().enumerate().filter_map(|(at, source)| Some((line(source)?, at))).collect()
        });
        let source = |at: usize| placed.sources.get(at).copied().unwrap_or_default();
        let at_home = |at: &usize| {
            let (side, line) = match source(*at) {
                Source { site: Some(line), release: None, .. } => (0, line),
                Source { site: None, release: Some(line), .. } => (1, line),
                _ => return true,
            };
            let of = |list: &[Option<Opener>], line: usize| list.get(line).copied().flatten();
            let (own, here) = (of(&sides[side], line), of(&in_result, *at));
            let alike = own.map(|o| o.kind) == here.map(|o| o.kind);
            let Some(block) = here.filter(|_| what.wraps()) else { return alike };
            let home = own.and_then(|o| homes[side].get(&o.line));
            if alike && home == Some(&block.line) {
                return true;
            }
            if own.is_some_and(|own| home.is_none() && self.is_in_deeper(side, own, &in_result, block, &lines)) {
                return false;
            }
            let block_of = |opener: Option<Opener>| opener.map(|o| o.line);
            let moved_along = |line: usize| {
                let at = *homes[side].get(&line).filter(|at| line_of[1 - side](&source(**at)).is_some())?;
                let as_it_was = texts[side].get(line)?.trimmed() == lines.get(at)?.trimmed();
                let beside = as_it_was && block_of(of(&sides[side], line)) == block_of(own);
                beside.then(|| of(&in_result, at).is_some_and(|o| o.line == block.line))
            };
            let before = (line.saturating_sub(NEAR)..line).rev().find_map(moved_along);
            let behind = (line + 1..line + NEAR).find_map(moved_along);
            if before == Some(true) || behind == Some(true) {
                return true;
            }
            let alone = before.is_none() && behind.is_none();
            match line_of[side](&source(block.line)) {
                // What the other side put around it is around its neighbours, too.
                None => alone,
                Some(_) => alike && home.is_none(),
            }
        };
        let known = 0..lines.len().min(placed.asked.len());
        let astray = known.filter(|at| !placed.asked[*at] && !lines[*at].is_blank() && !at_home(at));
        astray.map(|at| placed.lines[at]).collect()
    }

    /// Tells whether a line of a side, whose own block is gone, came into a deeper one of the result (`here`), of which
    /// none around it is like its own: not in place of it, but in quite another.
    fn is_in_deeper(
        &self,
        side: usize,
        own: Opener,
        in_result: &[Option<Opener>],
        here: Opener,
        lines: &[Line<'_>],
    ) -> bool {
        let depth = |list, opener| around(list, Some(opener)).count();
        let words = |list: &[Line<'_>], at: usize| WordBag::of(list.get(at).map_or(b"", Line::trimmed));
        let was = words(&self.texts[side], own.line);
        depth(in_result, here) > depth(&self.openers[side], own)
            && around(in_result, Some(here)).all(|o| was.similarity(&words(lines, o.line)) < ALIKE)
    }
}

/// An opener and those that it stands in, from the innermost.
fn around(list: &[Option<Opener>], opener: Option<Opener>) -> impl Iterator<Item = Opener> {
    std::iter::successors(opener, |opener| list.get(opener.line).copied().flatten())
}

/// Which line each that begins within brackets goes on with.
pub(super) fn statements(text: &[u8]) -> Vec<Option<usize>> {
    let mut brackets = Vec::new();
    each_bracket(text, false, |at, _, n| brackets.push((at, n)));
    let mut brackets = brackets.into_iter().peekable();
    let (mut from, mut depth, mut first) = (0, 0, None);
    let mut found = Vec::new();
    for (at, line) in split_lines(text).iter().enumerate() {
        found.push(first);
        from += line.content.len() + line.end.bytes().len();
        while let Some((_, n)) = brackets.next_if(|(at, _)| *at < from) {
            depth += n;
        }
        first = (depth > 0).then(|| first.unwrap_or(at));
    }
    found
}

/// The innermost bracket that is open at each line of a text, behind the closing ones that it begins with.
fn innermost(text: &[u8]) -> Vec<Option<Opener>> {
    let mut brackets = Vec::new();
    each_bracket(text, false, |at, kind, n| brackets.push((at, kind[0], n)));
    let mut brackets = brackets.into_iter().peekable();
    let mut open: Vec<Opener> = Vec::new();
    let mut take = |until: usize, line: usize, open: &mut Vec<Opener>| {
        while let Some((_, kind, n)) = brackets.next_if(|(at, ..)| *at < until) {
            for _ in 0..n.unsigned_abs() {
                if n > 0 { open.push(Opener { kind, line }) } else { _ = open.pop() }
            }
        }
    };
    let mut from = 0;
    let mut found = Vec::new();
    for (at, line) in split_lines(text).iter().enumerate() {
        let closers = line.content.iter().take_while(|b| b" \t})]".contains(b)).count();
        take(from + closers, at, &mut open);
        found.push(open.last().copied());
        from += line.content.len() + line.end.bytes().len();
        take(from, at, &mut open);
    }
    found
}
