//! Which line of a side is which line of the base.

use std::cell::OnceCell;
use std::collections::{HashMap, HashSet};
use std::iter::successors;
use std::ops::Range;

use super::balance::depth_of;
use super::ops::{ALIKE, named};
use super::respelled::in_any_spelling;
use crate::diff::sketch::WordBag;
use crate::diff::{Edit, Interner, LineShape, diff, part, slide};
use crate::text::key::{Blanks, is_weak, line_key};
use crate::text::{Form, Line, split_lines};

/// Longer lines, in bytes, are not looked into for what they open.
const LONG: usize = 1000;

/// One version of a text, cut into lines with their keys.
pub(crate) struct Side<'a> {
    pub(crate) lines: Vec<Line<'a>>,
    pub(crate) keys: Vec<u32>,
    pub(crate) form: Form,
    pub(crate) blanks: Blanks,
    /// The line that opens the block of each line.
    openers: OnceCell<Vec<Option<usize>>>,
}

impl<'a> Side<'a> {
    pub(crate) fn new(body: &'a [u8], blanks: Blanks, interner: &mut Interner<'a>) -> Self {
        let lines = split_lines(body);
        let form = Form::of(&lines);
        Self::of_lines(lines, form, blanks, interner)
    }

    /// A later version of a text. What it added may be indented by another unit, but where most lines are those of the
    /// text, to the blank, the unit is the text's.
    pub(crate) fn later(body: &'a [u8], base: &Side<'_>, blanks: Blanks, interner: &mut Interner<'a>) -> Self {
        let lines = split_lines(body);
        let mut form = Form::of(&lines);
        if form.unit != base.form.unit {
            let known: HashSet<&[u8]> = base.lines.iter().map(|line| line.content).collect();
            // One blank is how comments go on, and tells nothing.
            let tells = |line: &&Line<'_>| !line.is_blank() && !matches!(line.indent(), b"" | b" ");
            let indented: Vec<&Line<'_>> = lines.iter().filter(tells).collect();
            let same = indented.iter().filter(|line| known.contains(line.content)).count();
            if same * 2 >= indented.len() {
                form = Form { unit: base.form.unit, unit_known: base.form.unit_known, ..form };
            }
        }
        Self::of_lines(lines, form, blanks, interner)
    }

    fn of_lines(lines: Vec<Line<'a>>, form: Form, blanks: Blanks, interner: &mut Interner<'a>) -> Self {
        let keys = lines.iter().map(|l| interner.number(line_key(l, blanks, &form))).collect();
        Side { lines, keys, form, blanks, openers: OnceCell::new() }
    }

    /// The part of this side between two lines, with the form of the whole.
    pub(crate) fn part(&self, range: Range<usize>) -> Side<'a> {
        let (lines, keys) = (self.lines[range.clone()].to_vec(), self.keys[range].to_vec());
        Side { lines, keys, form: self.form, blanks: self.blanks, openers: OnceCell::new() }
    }

    /// The same lines, told apart by other keys.
    pub(crate) fn with_keys(&self, keys: Vec<u32>) -> Side<'a> {
        Side {
            lines: self.lines.clone(),
            keys,
            form: self.form,
            blanks: self.blanks,
            openers: self.openers.clone(),
        }
    }

    /// How far a line is indented, in columns.
    pub(crate) fn width(&self, at: usize) -> usize {
        self.lines[at].width()
    }

    /// The lines that open the blocks that a line stands in, the innermost first: the nearest above that are indented
    /// less, each. The end of a tag that is wrapped over lines opens none: its first line does.
    pub(crate) fn blocks(&self, at: usize) -> impl Iterator<Item = usize> {
        let openers = self.openers.get_or_init(|| self.find_openers());
        let from = at.saturating_sub(BLOCK);
        successors(openers[at], |k| openers[*k]).take_while(move |k| *k >= from)
    }

    fn find_openers(&self) -> Vec<Option<usize>> {
        // The lines that may open a block, each indented deeper than the one before.
        let mut open: Vec<(usize, usize)> = Vec::new();
        let opener = |(at, line): (usize, &Line<'_>)| {
            let width = line.width();
            let outer = open.partition_point(|(_, outer)| *outer < width);
            let opener = outer.checked_sub(1).map(|k| open[k].0);
            if !matches!(line.trimmed(), b"" | b">") {
                open.truncate(outer);
                open.push((at, width));
            }
            opener
        };
        self.lines.iter().enumerate().map(opener).collect()
    }

    /// The key of the line that opens the innermost block that a line stands in.
    pub(crate) fn block(&self, at: usize) -> Option<u32> {
        self.blocks(at).next().map(|k| self.keys[k])
    }

    fn shape(&self, at: usize) -> LineShape {
        let line = &self.lines[at];
        let trimmed = line.trimmed();
        let width = self.width(at);
        let closes = matches!(trimmed.first(), Some(b'}' | b')' | b']')) || trimmed.starts_with(b"</");
        LineShape { indent: (!trimmed.is_empty()).then_some(width), opens: opens(trimmed), closes }
    }
}

/// Tells whether a line opens a block, an element or a bracket last of all, and does not close it.
fn opens(trimmed: &[u8]) -> bool {
    let may_open = matches!(trimmed.last(), Some(b'{' | b'(' | b'[' | b'>' | b'}')) && trimmed.len() <= LONG;
    may_open && {
        let (dip, net) = depth_of(trimmed, trimmed.starts_with(b"<"));
        net > dip
    }
}

/// Which symbols are too weak to line files up by.
pub(crate) struct Weak(Vec<bool>);

impl Weak {
    pub(crate) fn of(sides: &[&Side<'_>]) -> Self {
        let size = sides.iter().flat_map(|s| &s.keys).max().map_or(0, |m| *m as usize + 1);
        let mut weak = vec![false; size];
        for side in sides {
            for (line, key) in side.lines.iter().zip(&side.keys) {
                weak[*key as usize] = is_weak(line.trimmed());
            }
        }
        Weak(weak)
    }

    pub(crate) fn is(&self, key: u32) -> bool {
        self.0[key as usize]
    }
}

/// Which symbols stand more than once in one of several versions.
pub(crate) struct Repeated(Vec<bool>);

impl Repeated {
    pub(crate) fn of(sides: &[&Side<'_>]) -> Self {
        let size = sides.iter().flat_map(|s| &s.keys).max().map_or(0, |m| *m as usize + 1);
        let mut repeated = vec![false; size];
        for side in sides {
            let mut seen = vec![false; size];
            for key in &side.keys {
                repeated[*key as usize] |= std::mem::replace(&mut seen[*key as usize], true);
            }
        }
        Repeated(repeated)
    }

    pub(crate) fn has(&self, key: u32) -> bool {
        self.0[key as usize]
    }
}

/// Where the lines stand of which one version has several, and which lines both versions have.
pub(crate) struct Homes {
    /// Where the side has them.
    repeated: HashMap<u32, Vec<usize>>,
    /// Where the base has them.
    repeated_before: HashMap<u32, Vec<usize>>,
    /// Where the base has each line of which no version has several.
    landmarks: HashMap<u32, usize>,
    in_base: HashSet<u32>,
    in_side: HashSet<u32>,
}

/// How many look-alikes of a line are looked at, and how far up its block's first line is sought.
const LOOK_ALIKES: usize = 64;
const BLOCK: usize = 400;
/// How far around a line others keep it company.
const COMPANY: usize = 10;

impl Homes {
    pub(crate) fn of(base: &Side<'_>, side: &Side<'_>, repeated: &Repeated) -> Self {
        let known = |side: &Side<'_>| -> HashSet<u32> { side.keys.iter().copied().collect() };
        let (in_base, in_side) = (known(base), known(side));
        let in_both = |key: &u32| in_base.contains(key) && in_side.contains(key);
        let places = |side: &Side<'_>| {
            let mut places: HashMap<u32, Vec<usize>> = HashMap::new();
            for (at, key) in side.keys.iter().enumerate().filter(|(_, key)| repeated.has(**key) && in_both(key)) {
                let list = places.entry(*key).or_default();
                if list.len() < LOOK_ALIKES {
                    list.push(at);
                }
            }
            places
        };
        let single = base.keys.iter().enumerate().filter(|(_, key)| !repeated.has(**key) && in_side.contains(key));
        Homes {
            repeated: places(side),
            repeated_before: places(base),
            landmarks: single.map(|(at, key)| (*key, at)).collect(),
            in_base,
            in_side,
        }
    }

    /// Tells whether a line of the base was lined up with a look-alike: one in another block, or one in other company.
    pub(crate) fn is_mistaken(
        &self,
        base: &Side<'_>,
        side: &Side<'_>,
        weak: &Weak,
        (from, to): (usize, usize),
    ) -> bool {
        self.astray(base, side, from, to)
            || self.is_of_another_rule(base, side, (from, to))
            || self.has_rival_at_home(base, side, (from, to))
            || self.is_in_one_heir_of_several(base, side, (from, to))
            || self.has_better_company(base, side, weak, (from, to))
    }

    /// Tells whether a declaration of the base was lined up with one of another rule, though its own is still there and
    /// the other is neither in it nor around it, and neither's selector has all words of the other's (as where a rule was
    /// divided).
    pub(crate) fn is_of_another_rule(&self, base: &Side<'_>, side: &Side<'_>, (from, to): (usize, usize)) -> bool {
        let line = base.lines[from].trimmed();
        if !line.ends_with(b";")
            || named(line).is_none_or(|name| !line[name.len()..].trim_ascii_start().starts_with(b":"))
        {
            return false;
        }
        let Some((own, other)) = base.blocks(from).next().zip(side.blocks(to).next()) else { return false };
        let words = |side: &Side<'_>, at: usize| WordBag::of(side.lines[at].trimmed());
        self.landmarks.contains_key(&base.keys[own])
            && !side.blocks(to).any(|k| side.keys[k] == base.keys[own])
            && !base.blocks(from).any(|k| base.keys[k] == side.keys[other])
            && !words(base, own).includes_or_is_in(&words(side, other))
    }

    /// Tells whether the lines that a change of the base is about were lined up with look-alikes: one of those that it
    /// replaced, or of an insertion all that are beside it. `is_mistaken` tells it of a line, if the line tells anything.
    pub(crate) fn changed_at_look_alikes(old: &Range<usize>, is_mistaken: impl Fn(usize) -> Option<bool>) -> bool {
        if !old.is_empty() {
            return old.clone().any(|line| is_mistaken(line) == Some(true));
        }
        let mut beside =
            [old.start.checked_sub(1), Some(old.start)].into_iter().flatten().filter_map(is_mistaken).peekable();
        beside.peek().is_some() && beside.all(|mistaken| mistaken)
    }

    /// Tells whether a rule that is one line of the base was lined up with one in a new block, next to which the side put
    /// a rule for the same into the block that it stood in: it may have become that one.
    fn has_rival_at_home(&self, base: &Side<'_>, side: &Side<'_>, (from, to): (usize, usize)) -> bool {
        let home = base.block(from);
        let Some(own) = selector_of_line(base.lines[from].trimmed()) else { return false };
        if side.block(to).is_none_or(|block| Some(block) == home || self.in_base.contains(&block)) {
            return false;
        }
        let near = to.saturating_sub(COMPANY)..(to + COMPANY + 1).min(side.keys.len());
        near.filter(|at| !self.in_base.contains(&side.keys[*at]) && side.block(*at) == home)
            .any(|at| selector_of_line(side.lines[at].trimmed()) == Some(own))
    }

    /// Tells whether the block of a line has another first line on the side, and more blocks with such a line were put in
    /// there than went, one of them with no less of the words of the old first line: which of them the block became is
    /// open.
    fn is_in_one_heir_of_several(&self, base: &Side<'_>, side: &Side<'_>, (from, to): (usize, usize)) -> bool {
        let key = base.keys[from];
        let Some(alike) = self.repeated.get(&key).filter(|homes| homes.len() > 1) else { return false };
        let is_gone = |own: usize| !self.in_side.contains(&base.keys[own]);
        let is_new = |heir: usize| !self.in_base.contains(&side.keys[heir]);
        // The first block from within that has another first line.
        let mut blocks = base.blocks(from).zip(side.blocks(to)).enumerate();
        let renamed = blocks.find(|(_, (own, heir))| base.keys[*own] != side.keys[*heir]);
        let Some((depth, (own, heir))) = renamed.filter(|(_, (own, heir))| is_gone(*own) && is_new(*heir)) else {
            return false;
        };
        let within: Vec<u32> = base.blocks(from).take(depth).map(|k| base.keys[k]).collect();
        let is_within = |side: &Side<'_>, at: usize| {
            side.blocks(at).take(depth).map(|k| side.keys[k]).eq(within.iter().copied())
        };
        let block_of = |side: &Side<'_>, at: usize| side.blocks(at).nth(depth).filter(|_| is_within(side, at));
        let heirs: Vec<usize> =
            alike.iter().filter_map(|at| block_of(side, *at)).filter(|at| is_new(*at)).collect();
        let alike_before = self.repeated_before.get(&key).into_iter().flatten();
        let went = alike_before.filter_map(|at| block_of(base, *at)).filter(|at| is_gone(*at)).count();
        let words = |side: &Side<'_>, at: usize| WordBag::of(side.lines[at].trimmed());
        let opener = words(base, own);
        let shared = opener.similarity(&words(side, heir));
        heirs.len() > went
            && heirs.into_iter().any(|other| other != heir && opener.similarity(&words(side, other)) >= shared)
    }

    /// Tells whether another line of the side, equal to the one that a line of the base was lined up with, has far more
    /// of the telling lines around it that the base's has.
    fn has_better_company(
        &self,
        base: &Side<'_>,
        side: &Side<'_>,
        weak: &Weak,
        (from, to): (usize, usize),
    ) -> bool {
        let Some(homes) = self.repeated.get(&base.keys[from]).filter(|homes| homes.len() > 1) else { return false };
        let around = |keys: &[u32], at: usize| -> Vec<u32> {
            let near = at.saturating_sub(COMPANY)..(at + COMPANY + 1).min(keys.len());
            near.filter(|k| *k != at && !weak.is(keys[*k])).map(|k| keys[k]).collect()
        };
        let mut company = around(&base.keys, from);
        company.sort_unstable();
        company.dedup();
        let shared = |at: usize| {
            let near = around(&side.keys, at);
            company.iter().filter(|key| near.contains(key)).count()
        };
        let far_more = 2 * shared(to) + 1;
        far_more < company.len() && homes.iter().any(|at| *at != to && shared(*at) > far_more)
    }

    /// Tells whether a line of the base was lined up with one of the side in another block, although the side has
    /// an equal line in the block of the base's, or has the base's block, and the base had the side's: then it is
    /// the line of another block, not this one's in a block that was renamed, divided or wrapped. Where indentation alone
    /// says that a line which stands once is in a block, of what stood beside it above, it is where it was.
    fn astray(&self, base: &Side<'_>, side: &Side<'_>, from: usize, to: usize) -> bool {
        let (Some(block), other) = (base.block(from), side.block(to)) else { return false };
        if other == Some(block) {
            return false;
        }
        let mut homes = self.repeated.get(&base.keys[from]).into_iter().flatten();
        let is_home = |at: usize| side.block(at) == Some(block) && !self.is_of_another(base, side, (from, to), at);
        if homes.any(|at| is_home(*at)) {
            return true;
        }
        let known_before = other.is_some_and(|other| self.in_base.contains(&other));
        let is_beside = |at: &usize| *at < from && base.block(*at) == Some(block);
        let was_beside = || other.and_then(|other| self.landmarks.get(&other)).is_some_and(is_beside);
        known_before
            && !(self.landmarks.contains_key(&base.keys[from]) && was_beside())
            && self.in_side.contains(&block)
            && !side.blocks(to).any(|k| side.keys[k] == block)
            && !base.blocks(from).any(|k| Some(base.keys[k]) == other)
    }

    /// Tells whether a line of the side is that of another line of the base, like one that was lined up, in such a block:
    /// the same landmark stands between the two in both versions.
    fn is_of_another(&self, base: &Side<'_>, side: &Side<'_>, (from, to): (usize, usize), at: usize) -> bool {
        let (key, block) = (base.keys[from], base.block(from));
        let mark = |k: usize| self.landmarks.get(&side.keys[k]).copied();
        let (mark, behind) = match to < at {
            true => ((to..at).take(BLOCK).find_map(mark).filter(|mark| *mark > from), true),
            false => ((at..to).rev().take(BLOCK).find_map(mark).filter(|mark| *mark < from), false),
        };
        let mut others = self.repeated_before.get(&key).into_iter().flatten();
        mark.is_some_and(|mark| others.any(|other| (*other > mark) == behind && base.block(*other) == block))
    }
}

/// What the rule in a line is for, if the line is one whole rule: `.a` of `.a { order: 1; }`.
fn selector_of_line(line: &[u8]) -> Option<&[u8]> {
    let opens = line.iter().position(|byte| *byte == b'{')?;
    line.ends_with(b"}").then(|| line[..opens].trim_ascii_end()).filter(|selector| !selector.is_empty())
}

/// From which end files are lined up: the two differ only where there is a choice.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum From {
    Front,
    Back,
}

/// Returns the edits from one side to another, at the places where people would cut.
pub(crate) fn align(old: &Side<'_>, new: &Side<'_>, weak: &Weak, from: From) -> Vec<Edit> {
    let edges = page_edges(old, new);
    let diff = |[old, new]: [&Side<'_>; 2], weak: &Weak| diff_between(&edges, [old, new], weak, from);
    let edits = diff([old, new], weak);
    let mut edits = in_any_spelling([old, new], &edits, diff).unwrap_or(edits);
    let bag = |line: &Line<'_>| WordBag::of(line.trimmed());
    let alike = |i: usize, j: usize| bag(&old.lines[i]).similarity(&bag(&new.lines[j])) >= ALIKE;
    // Blanks at the end say nothing, and a level is one in either unit.
    let same = |i: usize, j: usize| {
        let (a, b) = (&old.lines[i], &new.lines[j]);
        a.trimmed() == b.trimmed() && old.form.measure(a.indent()) == new.form.measure(b.indent())
    };
    part(&mut edits, &old.keys, &new.keys, |i| old.shape(i), |j| new.shape(j), same, alike);
    slide(&mut edits, &old.keys, &new.keys, |k| weak.is(k), |i| old.shape(i), |i| new.shape(i), same);
    edits
}

/// Compares what stands between lines of both versions that are known to be the same.
fn diff_between(known: &[(usize, usize)], [old, new]: [&Side<'_>; 2], weak: &Weak, from: From) -> Vec<Edit> {
    let mut edits = Vec::new();
    let (mut i, mut j) = (0, 0);
    for (to_i, to_j) in known.iter().copied().chain([(old.keys.len(), new.keys.len())]) {
        let part = diff_from(&old.keys[i..to_i], &new.keys[j..to_j], weak, from);
        edits.extend(
            part.into_iter()
                .map(|e| Edit { old: e.old.start + i..e.old.end + i, new: e.new.start + j..e.new.end + j }),
        );
        (i, j) = (to_i + 1, to_j + 1);
    }
    edits
}

fn diff_from(old: &[u32], new: &[u32], weak: &Weak, from: From) -> Vec<Edit> {
    if from == From::Front {
        return diff(old, new, |k| weak.is(k));
    }
    let reversed = |keys: &[u32]| keys.iter().rev().copied().collect::<Vec<_>>();
    let (n, m) = (old.len(), new.len());
    let mut edits = diff(&reversed(old), &reversed(new), |k| weak.is(k));
    edits.reverse();
    for e in &mut edits {
        *e = Edit { old: n - e.old.end..n - e.old.start, new: m - e.new.end..m - e.new.start };
    }
    edits
}

/// The lines of both versions that end the head or the body of a page: they are the same lines, however much moved
/// from one into the other.
fn page_edges(old: &Side<'_>, new: &Side<'_>) -> Vec<(usize, usize)> {
    let only = |side: &Side<'_>, tag: &[u8]| {
        let ends = |line: &Line<'_>| line.trimmed().eq_ignore_ascii_case(tag);
        let mut lines = side.lines.iter().enumerate().filter(|(_, line)| ends(line)).map(|(at, _)| at);
        lines.next().filter(|_| lines.next().is_none())
    };
    let pair = |tag: &[u8]| Some((only(old, tag)?, only(new, tag)?));
    let mut edges: Vec<(usize, usize)> = [b"</head>", b"</body>"].into_iter().filter_map(|tag| pair(tag)).collect();
    edges.retain(|(i, j)| old.keys[*i] == new.keys[*j]);
    edges.sort_unstable();
    if edges.is_sorted_by_key(|(_, j)| *j) { edges } else { Vec::new() }
}

/// Returns the line edits between two texts, blind to white space as `blanks` says.
///
/// This is the alignment that the merge itself uses, so that a survey and a carry number the same changes.
pub fn line_edits(old: &[u8], new: &[u8], blanks: Blanks) -> Vec<Edit> {
    let mut interner = Interner::new();
    let old = Side::new(old, blanks, &mut interner);
    let new = Side::later(new, &old, blanks, &mut interner);
    let weak = Weak::of(&[&old, &new]);
    align(&old, &new, &weak, From::Front)
}

/// Tells whether two files indent by different units, as far as both tell.
pub(crate) fn units_differ(a: &Form, b: &Form) -> bool {
    a.unit_known && b.unit_known && a.unit != b.unit
}
