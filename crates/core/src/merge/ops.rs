//! Edits broken into operations on base lines and gaps, and which operations of the two sides clash.

use std::collections::HashMap;
use std::ops::Range;

mod blocks;

use self::blocks::Blocks;
use super::Dialect;
use super::align::{From, Side, Weak, align};
use super::balance::{depth_of, never_below};
use super::recut::{Cut, Part, recut};
use crate::diff::sketch::WordBag;
use crate::diff::{Edit, Interner};
use crate::text::Line;
use crate::text::key::Blanks;
use crate::text::token::{TokenKind, tokens};

/// Where a base line went on one side.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Link {
    /// It is this line, but for white space.
    Kept(usize),
    /// It became this line.
    Changed(usize),
    /// It is gone.
    Gone,
}

impl Link {
    pub(crate) fn line(self) -> Option<usize> {
        match self {
            Link::Kept(j) | Link::Changed(j) => Some(j),
            Link::Gone => None,
        }
    }
}

/// What an operation does.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum OpKind {
    /// One base line became one line with most of its words.
    Change,
    /// Base lines were taken out, and nothing put there.
    Delete,
    /// Lines were put into a gap.
    Insert,
    /// Base lines were replaced by other lines; which became which is not known.
    Rewrite,
}

/// One operation of one side.
#[derive(Debug, Clone)]
pub(crate) struct Op {
    pub(crate) kind: OpKind,
    /// Base lines; for an insertion the gap, as an empty range.
    pub(crate) base: Range<usize>,
    /// Lines of the side.
    pub(crate) side: Range<usize>,
    /// Which of the side's edits it is part of.
    pub(crate) edit: usize,
    /// The pairing of a changed line had a close second choice.
    pub(crate) doubt: bool,
    /// Lines that were only cut at other places: what stands beside them stands beside the same words.
    pub(crate) form: bool,
    /// How far an insertion or deletion could as well stand: a block that ends like the lines before it begins
    /// may be taken for one that begins there.
    pub(crate) reach: Range<usize>,
}

/// Operations are looked at for meeting others at most this many lines away.
pub(crate) const FAR: usize = 40;

/// Returns how far an edit could be slid, as base lines.
fn reach(base: &[u32], side: &[u32], old: &Range<usize>, new: &Range<usize>) -> Range<usize> {
    let (keys, range) = if old.is_empty() { (side, new) } else { (base, old) };
    if range.is_empty() || (!old.is_empty() && !new.is_empty()) {
        return old.clone();
    }
    let (start, end) = (range.start, range.end);
    let up = (1..=start.min(FAR).min(old.start)).take_while(|n| keys[start - n] == keys[end - n]).count();
    let room = (keys.len() - end).min(base.len() - old.end).min(FAR);
    let down = (0..room).take_while(|n| keys[start + n] == keys[end + n]).count();
    old.start - up..old.end + down
}

/// Leaves out of an insertion's reach where nobody would cut: a block that opens and closes what it has is not
/// taken for one that begins by closing, and past blank lines alone its order with another stays the same.
fn sensible(side: &Side<'_>, block: &Range<usize>, gap: usize, reach: Range<usize>, markup: bool) -> Range<usize> {
    let (mut up, mut down) = (gap - reach.start, reach.end - gap);
    if up == 0 && down == 0 {
        return reach;
    }
    let depths: Vec<(i64, i64)> =
        side.lines[block.start - up..block.end + down].iter().map(|l| depth_of(l.trimmed(), markup)).collect();
    let first = up;
    let whole = |from: usize| never_below(&depths[from..from + block.len()]);
    if whole(first) {
        while up > 0 && !whole(first - up) {
            up -= 1;
        }
        while down > 0 && !whole(first + down) {
            down -= 1;
        }
    }
    let blank = |lines: Range<usize>| side.lines[lines].iter().all(crate::text::Line::is_blank);
    if blank(block.start - up..block.start) {
        up = 0;
    }
    if blank(block.end..block.end + down) {
        down = 0;
    }
    gap - up..gap + down
}

/// One side's operations on the base.
pub(crate) struct Ops {
    pub(crate) links: Vec<Link>,
    pub(crate) ops: Vec<Op>,
    /// Per gap: the side's lines that stand in it.
    gaps: Vec<Range<usize>>,
}

impl Ops {
    /// Breaks a side's edits into operations. Only edits that `touched` says the other side touches are broken
    /// finely; the others are one operation each. Where the dialect is known, insertions reach only where people would
    /// put them, and lines that were only cut at other places are known.
    pub(crate) fn new(
        base: &Side<'_>,
        side: &Side<'_>,
        edits: &[Edit],
        weak: &Weak,
        dialect: Option<&Dialect>,
        touched: impl Fn(usize) -> bool,
    ) -> Self {
        let n = base.lines.len();
        let mut links = vec![Link::Gone; n];
        for (i, j) in crate::diff::kept_pairs(edits, n) {
            links[i] = Link::Kept(j);
        }
        let mut ops = Vec::new();
        let mut gaps = vec![0..0; n + 1];
        let mut moved = None;
        for (k, edit) in edits.iter().enumerate() {
            let parts = match dialect.filter(|_| touched(k)) {
                Some(dialect) => recut(base, side, edit, weak, dialect),
                None => vec![Part::whole(edit)],
            };
            for Part { edit, cut } in parts {
                let form = cut == Cut::Elsewhere;
                let mut pairs = if form && edit.old.len().max(edit.new.len()) == 1 {
                    vec![Pair { base: edit.old.start, side: edit.new.start, equal: false, doubt: false }]
                } else if touched(k) && cut == Cut::Unknown {
                    let moved = moved.get_or_insert_with(|| MovedKeys::new(base, side, edits));
                    pair_lines(base, side, &edit, weak, moved)
                } else {
                    Vec::new()
                };
                for pair in pairs.iter_mut().filter(|pair| !pair.equal && !form) {
                    pair.doubt |= has_rival_beside([base, side], edits, k, pair);
                }
                let (mut i, mut j) = (edit.old.start, edit.new.start);
                for pair in pairs.iter().map(Some).chain([None]) {
                    let (to_i, to_j) = pair.map_or((edit.old.end, edit.new.end), |p| (p.base, p.side));
                    if let Some(kind) = kind_of(i..to_i, j..to_j) {
                        let reach = reach(&base.keys, &side.keys, &(i..to_i), &(j..to_j));
                        let reach = match dialect.filter(|_| kind == OpKind::Insert) {
                            Some(dialect) => sensible(side, &(j..to_j), i, reach, dialect.markup),
                            None => reach,
                        };
                        ops.push(Op { kind, base: i..to_i, side: j..to_j, edit: k, doubt: false, form, reach });
                        gaps[i] = j..to_j;
                    }
                    if let Some(pair) = pair {
                        links[pair.base] =
                            if pair.equal { Link::Kept(pair.side) } else { Link::Changed(pair.side) };
                        if !pair.equal {
                            ops.push(Op {
                                kind: OpKind::Change,
                                base: pair.base..pair.base + 1,
                                side: pair.side..pair.side + 1,
                                edit: k,
                                doubt: pair.doubt,
                                form: false,
                                reach: pair.base..pair.base + 1,
                            });
                        }
                        (i, j) = (pair.base + 1, pair.side + 1);
                    }
                }
            }
        }
        // Gaps without insertions: an empty range where the gap falls in the side.
        let mut at = 0;
        for g in 0..=n {
            if g > 0
                && let Some(j) = links[g - 1].line()
            {
                at = j + 1;
            }
            if gaps[g].is_empty() {
                gaps[g] = at..at;
            } else {
                at = gaps[g].end;
            }
        }
        Ops { links, ops, gaps }
    }

    /// The rewrite that a base line is part of: its new lines stand in the gap before the first line.
    pub(crate) fn rewrite_of(&self, line: usize) -> Option<&Op> {
        let at = self.ops.partition_point(|op| op.base.end <= line);
        self.ops.get(at).filter(|op| op.kind == OpKind::Rewrite && op.base.contains(&line))
    }

    /// Tells whether the side put lines, other than blank ones, above a base line that it kept, or changed the line
    /// there.
    pub(crate) fn puts_above(&self, base: &[Line<'_>], side: &[Line<'_>], line: usize) -> bool {
        let above = (0..line).rev().find(|i| !base[*i].is_blank());
        let put = above.map_or(0, |i| i + 1)..=line;
        put.into_iter().any(|gap| side[self.gap(gap)].iter().any(|l| !l.is_blank()))
            || above.is_some_and(|i| matches!(self.links[i], Link::Changed(_)))
    }

    /// Tells whether the side put a line there: it is none that the base has.
    pub(crate) fn puts(&self, side_line: usize) -> bool {
        let at = self.ops.partition_point(|op| op.side.end <= side_line);
        self.ops.get(at).is_some_and(|op| op.kind != OpKind::Change && op.side.contains(&side_line))
    }

    /// Returns the side's lines in a gap.
    pub(crate) fn gap(&self, g: usize) -> Range<usize> {
        self.gaps[g].clone()
    }

    /// Returns the side's lines that stand for a stretch of the base. `at_start` and `at_end` say whether the
    /// insertions in the gaps at its two ends belong to it.
    pub(crate) fn span(&self, base: &Range<usize>, at_start: bool, at_end: bool) -> Range<usize> {
        let start = if at_start { self.gaps[base.start].start } else { self.gaps[base.start].end };
        let end = if at_end { self.gaps[base.end].end } else { self.gaps[base.end].start };
        start..end.max(start)
    }
}

/// Returns the line edits between two texts, and, within those that `near` picks, the lines of the old text that
/// became other lines with most of their words.
pub(crate) fn changed_lines(
    old: &[u8],
    new: &[u8],
    blanks: Blanks,
    near: impl Fn(&Edit) -> bool,
) -> (Vec<Edit>, Vec<usize>) {
    let mut interner = Interner::new();
    let old = Side::new(old, blanks, &mut interner);
    let new = Side::later(new, &old, blanks, &mut interner);
    let weak = Weak::of(&[&old, &new]);
    let edits = align(&old, &new, &weak, From::Front);
    let moved = MovedKeys::new(&old, &new, &edits);
    let pairs = edits.iter().filter(|edit| near(edit)).flat_map(|edit| pair_lines(&old, &new, edit, &weak, &moved));
    let changed = pairs.filter(|pair| !pair.equal).map(|pair| pair.base).collect();
    (edits, changed)
}

/// Tells whether the side put in another line that may be what one of the base became, in an edit next to that one with
/// nothing but blank lines between: which of the two it is, is open.
fn has_rival_beside([base, side]: [&Side<'_>; 2], edits: &[Edit], k: usize, pair: &Pair) -> bool {
    let beside = [k.checked_sub(1), Some(k + 1)].into_iter().flatten();
    let put_beside = beside.filter_map(|other| {
        let put = edits.get(other).filter(|put| put.old.is_empty() && put.new.len() <= SMALL_INSERTION)?;
        let (first, last) = (&edits[other.min(k)], &edits[other.max(k)]);
        base.lines[first.old.end..last.old.start].iter().all(Line::is_blank).then_some(put)
    });
    let mut lines = put_beside.flat_map(|put| put.new.clone()).peekable();
    if lines.peek().is_none() {
        return false;
    }
    let old = WordBag::of(base.lines[pair.base].trimmed());
    let like = |j: usize| old.similarity(&WordBag::of(side.lines[j].trimmed()));
    let own = like(pair.side);
    lines.any(|j| {
        let alike = like(j);
        side.keys[j] == side.keys[pair.side] || alike >= ALIKE && alike + CLOSE > own
    })
}

fn kind_of(base: Range<usize>, side: Range<usize>) -> Option<OpKind> {
    match (base.is_empty(), side.is_empty()) {
        (true, true) => None,
        (true, false) => Some(OpKind::Insert),
        (false, true) => Some(OpKind::Delete),
        (false, false) => Some(OpKind::Rewrite),
    }
}

/// What a side did with lines, by key.
pub(crate) struct MovedKeys {
    /// Those that it both deleted and inserted: they moved, and no look-alike may take their place.
    moved: Vec<bool>,
    /// Those that stand once in the base and once in the side.
    stay: Vec<bool>,
}

impl MovedKeys {
    /// Tells whether a line with this key moved.
    pub(crate) fn has(&self, key: u32) -> bool {
        self.moved.get(key as usize).copied().unwrap_or(false)
    }

    /// Tells whether base and side have one line with this key each.
    fn stays(&self, key: u32) -> bool {
        self.stay.get(key as usize).copied().unwrap_or(false)
    }

    pub(crate) fn new(base: &Side<'_>, side: &Side<'_>, edits: &[Edit]) -> Self {
        let size = base.keys.iter().chain(&side.keys).max().map_or(0, |m| *m as usize + 1);
        let (mut deleted, mut both) = (vec![false; size], vec![false; size]);
        for edit in edits {
            for i in edit.old.clone() {
                deleted[base.keys[i] as usize] = true;
            }
        }
        for edit in edits {
            for j in edit.new.clone() {
                let key = side.keys[j] as usize;
                both[key] = deleted[key];
            }
        }
        let times = [base, side].map(|version| {
            let mut times = vec![0u32; size];
            version.keys.iter().for_each(|key| times[*key as usize] += 1);
            times
        });
        let stay = times[0].iter().zip(&times[1]).map(|times| times == (&1, &1)).collect();
        MovedKeys { moved: both, stay }
    }
}

struct Pair {
    base: usize,
    side: usize,
    equal: bool,
    doubt: bool,
}

/// One line for one line of so many bytes is one that changed, without counting its words.
const LONG_LINE: usize = 64 << 10;
/// Larger stretches are not paired line by line: the table would cost too much and tell too little.
const PAIRING_LIMIT: usize = 120 * 120;
/// From this similarity on, one line is taken for the other's later form.
pub(crate) const ALIKE: f32 = 0.5;
/// Where there is no rival, this much will do; below it a line is not even asked to be another's later form.
pub(crate) const BARELY_ALIKE: f32 = 0.34;
/// Lines that give a value to the same name are alike by so much at least.
const NAMED: f32 = 0.9;
/// Several lines as a whole are alike by so much, if they were only cut at other places and a few words changed.
const REWRAPPED: f32 = 0.85;
/// So many lines put in beside a changed one are compared with what it was.
const SMALL_INSERTION: usize = 100;
/// A second candidate this close makes a pairing doubtful.
const CLOSE: f32 = 0.1;

/// Pairs changed lines of one edit with their old selves: in order, each at most once, by words in common.
fn pair_lines(base: &Side<'_>, side: &Side<'_>, edit: &Edit, weak: &Weak, moved: &MovedKeys) -> Vec<Pair> {
    let (n, m) = (edit.old.len(), edit.new.len());
    if n == 0 || m == 0 || n * m > PAIRING_LIMIT {
        return Vec::new();
    }
    // A minified file: whether its words are alike shows when they are merged.
    let long = |s: &Side<'_>, at: usize| s.lines[at].content.len() > LONG_LINE;
    if n == 1 && m == 1 && long(base, edit.old.start) && long(side, edit.new.start) {
        return vec![Pair { base: edit.old.start, side: edit.new.start, equal: false, doubt: false }];
    }
    let bags = |s: &Side<'_>, range: &Range<usize>| -> Vec<WordBag> {
        range.clone().map(|i| WordBag::of(s.lines[i].trimmed())).collect()
    };
    let (base_bags, side_bags) = (bags(base, &edit.old), bags(side, &edit.new));
    let names = Names::of(base, side, edit);
    let blocks = Blocks::of(base, side, edit, weak);
    let score = |i: usize, j: usize| -> f32 {
        let (a, b) = (base.keys[edit.old.start + i], side.keys[edit.new.start + j]);
        if a == b {
            return if weak.is(a) { 0.2 } else { 1.0 };
        }
        if moved.has(a) && !weak.is(a) || moved.has(b) && !weak.is(b) {
            return 0.0;
        }
        if weak.is(a) || weak.is(b) {
            let closes = |s: &Side<'_>, at: usize| s.lines[at].trimmed().starts_with(b"</");
            let renamed_closer = n == 1 && m == 1 && closes(base, edit.old.start) && closes(side, edit.new.start);
            return if renamed_closer { 0.6 } else { 0.0 };
        }
        let alike = match names.relation(i, j) {
            Some(true) if blocks.as_ref().is_some_and(|blocks| blocks.are_apart(i, j, moved)) => return 0.0,
            Some(true) => return base_bags[i].similarity(&side_bags[j]).max(NAMED),
            Some(false) => return 0.0,
            None => base_bags[i].similarity(&side_bags[j]),
        };
        // One line for one line has no rival: less will do, or the same marks around other words.
        let alone = n == 1 && m == 1;
        let same_marks =
            || marks(base.lines[edit.old.start].trimmed()) == marks(side.lines[edit.new.start].trimmed());
        match alike {
            _ if alike >= if alone { BARELY_ALIKE } else { ALIKE } => alike,
            _ if alone && same_marks() => BARELY_ALIKE,
            _ => 0.0,
        }
    };
    let table: Vec<f32> = (0..n * m).map(|k| score(k / m, k % m)).collect();
    if rewrapped(base, side, edit, &table) {
        return Vec::new();
    }
    // best[i][j]: the best total over the first i base and j side lines.
    let width = m + 1;
    let mut best = vec![0f32; (n + 1) * width];
    for i in 1..=n {
        for j in 1..=m {
            let paired = table[(i - 1) * m + j - 1];
            let with = if paired > 0.0 { best[(i - 1) * width + j - 1] + paired } else { 0.0 };
            best[i * width + j] = with.max(best[(i - 1) * width + j]).max(best[i * width + j - 1]);
        }
    }
    let in_its_block = |p: usize, q: usize| blocks.as_ref().is_none_or(|blocks| blocks.is_same(p, q));
    let mut pairs: Vec<Pair> = Vec::new();
    let (mut i, mut j) = (n, m);
    while i > 0 && j > 0 {
        let here = best[i * width + j];
        if here == best[(i - 1) * width + j] {
            i -= 1;
        } else if here == best[i * width + j - 1] {
            j -= 1;
        } else {
            (i, j) = (i - 1, j - 1);
            let own = table[i * m + j];
            // Where every word of one is in the other, what has not all of them is no rival; nor is a line of another
            // block to one in its own.
            let includes = |p: usize, q: usize| base_bags[p].includes_or_is_in(&side_bags[q]);
            let (stays, whole) = (in_its_block(i, j), includes(i, j));
            let rivals = |p: usize, q: usize| (!stays || in_its_block(p, q)) && (!whole || includes(p, q));
            let others = (0..m).filter(|q| *q != j).map(|q| (i, q));
            let rival = others
                .chain((0..n).filter(|p| *p != i).map(|p| (p, j)))
                .filter(|(p, q)| table[p * m + q] + CLOSE > own && rivals(*p, *q))
                .map(|(p, q)| table[p * m + q])
                .fold(0f32, f32::max);
            pairs.push(Pair {
                base: edit.old.start + i,
                side: edit.new.start + j,
                equal: base.keys[edit.old.start + i] == side.keys[edit.new.start + j],
                doubt: own < 1.0 && rival + CLOSE > own,
            });
        }
    }
    pairs.reverse();
    // One word says little: without a neighbour that is paired as well, or its block, it may stand anywhere.
    let known: Vec<(usize, usize)> = pairs.iter().map(|pair| (pair.base, pair.side)).collect();
    for pair in pairs.iter_mut().filter(|pair| !pair.equal && n.max(m) > 1) {
        let (i, j) = (pair.base - edit.old.start, pair.side - edit.new.start);
        let of_a_word = base_bags[i].word_count().max(side_bags[j].word_count()) < 2;
        let above = (i, j) == (0, 0) || known.iter().any(|(p, q)| (p + 1, q + 1) == (pair.base, pair.side));
        let below = (i + 1, j + 1) == (n, m) || known.contains(&(pair.base + 1, pair.side + 1));
        pair.doubt |= of_a_word && !above && !below && !in_its_block(i, j);
    }
    // As many lines as before, each with its counterpart in the same place: the order settles what words leave
    // open. Where most are told by their words, a few may be by the name that they give a value to.
    let in_place = |pair: &Pair| pair.base - edit.old.start == pair.side - edit.new.start;
    if n == m && 2 * pairs.len() >= n && pairs.iter().all(in_place) {
        let names_the_same = |i: usize, j: usize| {
            let stays = |key: u32| !weak.is(key) && !moved.has(key);
            let own = named(base.lines[i].trimmed());
            stays(base.keys[i]) && stays(side.keys[j]) && own.is_some() && own == named(side.lines[j].trimmed())
        };
        let paired = |i: usize| pairs.iter().any(|p| p.base == i);
        let places = || edit.old.clone().zip(edit.new.clone());
        if places().all(|(i, j)| paired(i) || names_the_same(i, j)) {
            let in_order = |(i, j)| Pair { base: i, side: j, equal: base.keys[i] == side.keys[j], doubt: false };
            return places().map(in_order).collect();
        }
    }
    pairs
}

/// What the lines of an edit give values to: the names that stand once among those of their version.
struct Names<'a> {
    base: Vec<Name<'a>>,
    side: Vec<Name<'a>>,
}

/// The name that a line gives a value to, if it stands once, and whether it does in the other version too.
type Name<'a> = Option<(&'a [u8], bool)>;

impl<'a> Names<'a> {
    fn of(base: &Side<'a>, side: &Side<'a>, edit: &Edit) -> Self {
        let all = |side: &Side<'a>, lines: &Range<usize>| -> Vec<Option<&'a [u8]>> {
            side.lines[lines.clone()].iter().map(|line| named(line.trimmed())).collect()
        };
        let counted = |names: &[Option<&'a [u8]>]| {
            let mut count: HashMap<&'a [u8], usize> = HashMap::new();
            names.iter().flatten().for_each(|name| *count.entry(name).or_default() += 1);
            count
        };
        let (of_base, of_side) = (all(base, &edit.old), all(side, &edit.new));
        let (in_base, in_side) = (counted(&of_base), counted(&of_side));
        let once = |names: Vec<Option<&'a [u8]>>, own: &HashMap<_, _>, other: &HashMap<_, _>| {
            let name = |name: Option<&'a [u8]>| {
                name.filter(|name| own.get(name) == Some(&1)).map(|name| (name, other.get(name) == Some(&1)))
            };
            names.into_iter().map(name).collect()
        };
        Names { base: once(of_base, &in_base, &in_side), side: once(of_side, &in_side, &in_base) }
    }

    /// Tells whether two lines give a value to the same name; `None` where names do not tell: a line has none, or
    /// neither is in the other version.
    fn relation(&self, i: usize, j: usize) -> Option<bool> {
        let ((own, own_known), (other, other_known)) = (self.base[i]?, self.side[j]?);
        (own == other).then_some(true).or((own_known || other_known).then_some(false))
    }
}

/// What a line gives a value to, if it does: `size` of `size: 4px;`.
pub(crate) fn named(line: &[u8]) -> Option<&[u8]> {
    let mut tokens = tokens(line);
    let name = tokens.next().filter(|t| t.kind == TokenKind::Word)?;
    tokens.next().filter(|mark| matches!(mark.text, b":" | b"="))?;
    Some(name.text)
}

/// The marks of a line, with a place for each word: `size: 4px;` and `width: 2em;` have the same.
fn marks(line: &[u8]) -> Vec<&[u8]> {
    tokens(line).map(|t| if t.kind == TokenKind::Word { b"word" } else { t.text }).collect()
}

/// Tells whether the lines of an edit were cut at other places: the words as a whole are the same, or the lines of
/// both versions are more alike as a whole than one by one.
fn rewrapped(base: &Side<'_>, side: &Side<'_>, edit: &Edit, table: &[f32]) -> bool {
    if edit.old.len() == edit.new.len() {
        return false;
    }
    let joined = |s: &Side<'_>, range: &Range<usize>| -> Vec<u8> {
        s.lines[range.clone()].iter().flat_map(|l| [l.trimmed(), b" "].concat()).collect()
    };
    let (old, new) = (WordBag::of(&joined(base, &edit.old)), WordBag::of(&joined(side, &edit.new)));
    let alike = old.similarity(&new);
    // How like another each line of the version with fewer lines is, at best.
    let (n, m) = (edit.old.len(), edit.new.len());
    let of_one = |k: usize| if n < m { k * m..(k + 1) * m } else { k..n * m };
    let step = if n < m { 1 } else { m };
    let best = |k: usize| of_one(k).step_by(step).map(|at| table[at]).fold(0f32, f32::max);
    let fewer = n.min(m);
    let singly = (0..fewer).map(best).sum::<f32>() / fewer as f32;
    old.same_words(&new) || (fewer == 1 || alike >= REWRAPPED) && alike > singly + 0.15
}

/// How two operations of the two sides stand to each other.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Meeting {
    /// They have nothing to do with each other.
    Apart,
    /// Both changed the same line.
    SameLine,
    /// Both inserted into the same gap.
    SameGap,
    /// Both deleted; the deletions overlap.
    BothDelete,
    /// Both did the very same.
    Same,
    /// Both cannot be done.
    Clash,
}

/// Tells how an operation of the site and one of the release meet.
///
/// `equal` compares the lines they put in place.
pub(crate) fn meet(site: &Op, release: &Op, equal: impl Fn() -> bool) -> Meeting {
    use OpKind::{Change, Delete, Insert, Rewrite};
    let (a, b) = (&site.base, &release.base);
    let overlap = a.start < b.end && b.start < a.end;
    let touch = a.start <= b.end && b.start <= a.end;
    let doubt = site.doubt || release.doubt;
    let form = site.form || release.form;
    if a == b && site.kind == release.kind && equal() {
        return Meeting::Same;
    }
    match (site.kind, release.kind) {
        (Change, Change) if overlap => Meeting::SameLine,
        (Delete, Delete) if overlap => Meeting::BothDelete,
        (Insert, Insert) if a == b => Meeting::SameGap,
        // Two insertions that could stand at each other's place: their order is open.
        (Insert, Insert) if site.reach.start <= release.reach.end && release.reach.start <= site.reach.end => {
            Meeting::Clash
        }
        (Insert, Delete) | (Delete, Insert) => {
            // At the edge of a deletion an insertion has a living neighbour; inside it has none.
            let (gap, gone) = if site.kind == Insert { (a.start, b) } else { (b.start, a) };
            if gone.start < gap && gap < gone.end { Meeting::Clash } else { Meeting::Apart }
        }
        (Insert, Rewrite) | (Rewrite, Insert) if touch && (overlap || !form) => Meeting::Clash,
        // Beside a line whose counterpart is doubtful the place of an insertion is open; a change of a line that
        // the other side kept is not.
        (Insert, Change) | (Change, Insert) if touch && doubt => Meeting::Clash,
        _ if overlap => Meeting::Clash,
        // Where a deletion took one of several twins out, the other side may have changed that one.
        (Change | Rewrite, Delete) if release.reach.start <= a.start && a.end <= release.reach.end => {
            Meeting::Clash
        }
        (Delete, Change | Rewrite) if site.reach.start <= b.start && b.end <= site.reach.end => Meeting::Clash,
        _ => Meeting::Apart,
    }
}
