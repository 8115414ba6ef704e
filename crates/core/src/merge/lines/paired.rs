//! Changes of one side that open and close one another (the two ends of a wrap, a block's new brace and its end): where
//! one of them is a question, so is the other, or taking the other side there would leave a bracket or tag open.

use std::collections::{BTreeMap, HashMap, HashSet};
use std::ops::Range;

use super::{MergedLines, Walk, lines_of};
use crate::merge::align::Side;
use crate::merge::balance::{Balance, balance, bracket_pairs, nests, tags_nest};
use crate::merge::ops::{Link, OpKind};
use crate::text::of_each;

/// An operation, or a part of a deletion, that is asked about for what it opens or closes.
#[derive(Debug, Clone)]
pub(crate) struct Paired {
    /// The side whose operation it is.
    pub(super) by_site: bool,
    pub(super) op: usize,
    pub(super) base: Range<usize>,
    /// The site's edits of the question that it goes with.
    pub(super) edits: Vec<usize>,
}

/// A stretch that is left as a question as a whole, with the operations of site and release in it.
#[derive(Debug, Clone)]
pub(super) struct Asked {
    pub(super) base: Range<usize>,
    pub(super) ops: [Vec<usize>; 2],
    pub(super) edits: Vec<usize>,
}

/// An operation, or the part of a deletion, that is done or asked about as a whole.
struct Piece {
    by_site: bool,
    op: usize,
    base: Range<usize>,
    side: Range<usize>,
    /// The question that it is in.
    question: Option<usize>,
}

/// The brackets of a text that open and close one another, on different lines.
pub(super) type BracketPairs = Vec<(Spot, Spot)>;

/// The place of a bracket.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub(super) struct Spot {
    line: usize,
    /// So many bytes, blanks not counted, stand before it on the line.
    column: usize,
}

/// What hangs together.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
enum Node {
    /// A piece, by its number.
    Piece(usize),
    /// What both did alike, by its number.
    Alike(usize),
    /// A line of the base that both took out.
    Gone(usize),
    /// A bracket on a line that a side kept, by its place in the base. From one end of a wrap the way to the other may
    /// lead over such lines.
    Kept { by_site: bool, at: Spot },
}

/// What the lines of the base and of a side belong to, where the side did not keep them.
#[derive(Default)]
struct Owners {
    base: HashMap<usize, Node>,
    side: HashMap<usize, Node>,
}

impl Owners {
    fn add(&mut self, node: Node, base: Range<usize>, side: Range<usize>) {
        self.base.extend(base.map(|line| (line, node)));
        self.side.extend(side.map(|line| (line, node)));
    }
}

/// Which pieces hang together.
#[derive(Default)]
struct Bonds(BTreeMap<Node, Vec<Node>>);

impl Bonds {
    /// Ties what opens to what closes it, where that was not so in the base, or was so there and is no more.
    fn tie(&mut self, in_base: impl Iterator<Item = [Node; 2]>, in_side: impl Iterator<Item = [Node; 2]>) {
        let mut shared: BTreeMap<[Node; 2], i64> = BTreeMap::new();
        for ([a, b], n) in in_base.map(|pair| (pair, -1)).chain(in_side.map(|pair| (pair, 1))) {
            *shared.entry([a.min(b), a.max(b)]).or_default() += n;
        }
        for ([a, b], _) in shared.into_iter().filter(|([a, b], n)| a != b && *n != 0) {
            self.0.entry(a).or_default().push(b);
            self.0.entry(b).or_default().push(a);
        }
    }

    /// The pieces in no question that hang together with one that is in a question, each with the question.
    fn drawn_in(&self, pieces: &[Piece]) -> BTreeMap<usize, usize> {
        let asked = pieces.iter().enumerate().filter_map(|(k, piece)| Some((Node::Piece(k), piece.question?)));
        let mut waiting: Vec<(Node, usize)> = asked.collect();
        let mut seen: HashSet<Node> = waiting.iter().map(|(node, _)| *node).collect();
        let mut drawn = BTreeMap::new();
        while let Some((node, question)) = waiting.pop() {
            for other in self.0.get(&node).into_iter().flatten() {
                if seen.insert(*other) {
                    if let Node::Piece(k) = other {
                        drawn.insert(*k, question);
                    }
                    waiting.push((*other, question));
                }
            }
        }
        drawn
    }
}

/// What three versions of a text leave open of what they open.
pub(crate) struct Closing {
    pub(crate) counts: [Balance; 3],
    /// In all of them brackets close in order.
    all_nest: bool,
    /// In all of them tags and template blocks close in order, of the kinds that all of them close.
    tags_nest: bool,
    markup: bool,
}

impl Closing {
    pub(crate) fn of(versions: [&[u8]; 3], markup: bool) -> Self {
        let counted = of_each(versions, |text| (balance(text, markup), nests(text)));
        let all_nest = counted.iter().all(|(_, nests)| *nests);
        let mut closing = Closing { counts: counted.map(|(count, _)| count), all_nest, tags_nest: false, markup };
        closing.tags_nest = markup && of_each(versions, |text| closing.nest_tags(text)).iter().all(|nest| *nest);
        closing
    }

    fn nest_tags(&self, text: &[u8]) -> bool {
        tags_nest(text, |kind| self.counts.iter().all(|count| count.is_even(kind)))
    }

    /// Tells whether all that a text opens is closed in order, where that is so in all three versions.
    pub(crate) fn is_in_order(&self, text: &[u8]) -> bool {
        (!self.all_nest || nests(text)) && (!self.tags_nest || self.nest_tags(text))
    }

    /// Tells whether a merged text closes what it opens, as all three versions do, with one side or the other taken in
    /// all its questions.
    pub(crate) fn answers_close(&self, merged: &MergedLines) -> bool {
        let closes = |text: &[u8]| balance(text, self.markup).closes_like(&self.counts) && self.is_in_order(text);
        merged.answered().iter().all(|placed| closes(&placed.bytes))
    }
}

impl Walk<'_, '_> {
    /// Finds the operations that open or close what one in a question closes or opens, but for those asked about already.
    pub(super) fn paired(&self) -> Vec<Paired> {
        if self.asked.is_empty() {
            return Vec::new();
        }
        let mut alike: Vec<[Vec<usize>; 2]> = self.twins.iter().map(|(s, r)| [vec![*s], vec![*r]]).collect();
        alike.extend(self.agreed.iter().cloned());
        let mut pieces = self.pieces(true, &alike);
        pieces.extend(self.pieces(false, &alike));
        let sides = [self.base, self.site, self.release];
        let [in_base, in_site, in_release] = self.brackets.get_or_init(|| sides.map(|side| self.pairs_of(side)));
        let mut bonds = Bonds::default();
        for (by_site, in_side, ops) in [(true, in_site, self.site_ops), (false, in_release, self.release_ops)] {
            let owners = self.owners(by_site, &pieces, &alike);
            let kept_at = |line: usize, at: Spot| Node::Kept { by_site, at: Spot { line, ..at } };
            let lines = ops.links.iter().enumerate();
            let kept: HashMap<usize, usize> =
                lines.filter_map(|(i, link)| if let Link::Kept(j) = link { Some((*j, i)) } else { None }).collect();
            let stays: HashSet<usize> = kept.values().copied().collect();
            let of_base = |at: Spot| {
                let stays = || stays.contains(&at.line).then(|| kept_at(at.line, at));
                owners.base.get(&at.line).copied().or_else(stays)
            };
            let of_side = |at: Spot| {
                let stays = || kept.get(&at.line).map(|line| kept_at(*line, at));
                owners.side.get(&at.line).copied().or_else(stays)
            };
            bonds.tie(
                in_base.iter().filter_map(|(a, b)| Some([of_base(*a)?, of_base(*b)?])),
                in_side.iter().filter_map(|(a, b)| Some([of_side(*a)?, of_side(*b)?])),
            );
        }
        let found = bonds.drawn_in(&pieces).into_iter().map(|(k, question)| {
            let Piece { by_site, op, base, .. } = &pieces[k];
            Paired { by_site: *by_site, op: *op, base: base.clone(), edits: self.asked[question].edits.clone() }
        });
        let key = |paired: &Paired| (paired.by_site, paired.op, paired.base.clone());
        let known: HashSet<_> = self.context.paired.iter().map(key).collect();
        found.filter(|paired| !known.contains(&key(paired))).collect()
    }

    /// What the lines of base and side belong to.
    fn owners(&self, by_site: bool, pieces: &[Piece], alike: &[[Vec<usize>; 2]]) -> Owners {
        let (ops, other) =
            if by_site { (self.site_ops, self.release_ops) } else { (self.release_ops, self.site_ops) };
        let mut owners = Owners::default();
        for (k, piece) in pieces.iter().enumerate().filter(|(_, piece)| piece.by_site == by_site) {
            owners.add(Node::Piece(k), piece.base.clone(), piece.side.clone());
            let taken_out = ops.ops[piece.op].kind == OpKind::Delete && piece.question.is_none();
            for line in piece.base.clone().filter(|line| taken_out && other.links[*line] == Link::Gone) {
                owners.add(Node::Gone(line), line..line + 1, 0..0);
            }
        }
        for (k, both) in alike.iter().enumerate() {
            for op in both[usize::from(!by_site)].iter().map(|op| &ops.ops[*op]) {
                owners.add(Node::Alike(k), op.base.clone(), op.side.clone());
            }
        }
        owners
    }

    fn pairs_of(&self, side: &Side<'_>) -> BracketPairs {
        let whole = 0..side.lines.len();
        let mut ends = Vec::with_capacity(whole.len());
        let mut text = Vec::new();
        for k in whole {
            text.extend(lines_of(side, &(k..k + 1)));
            ends.push(text.len());
        }
        let solid: Vec<usize> = text
            .iter()
            .scan(0, |n, byte| {
                let before = *n;
                *n += usize::from(!byte.is_ascii_whitespace());
                Some(before)
            })
            .collect();
        let spot = |at: usize| {
            let line = ends.partition_point(|end| *end <= at);
            let start = line.checked_sub(1).map_or(0, |above| ends[above]);
            Spot { line, column: solid[at] - solid[start] }
        };
        let pairs = bracket_pairs(&text, self.context.dialect.markup);
        pairs.into_iter().map(|(a, b)| (spot(a), spot(b))).filter(|(a, b)| a.line != b.line).collect()
    }

    /// What a side did: its operations, deletions cut where a question begins or ends. What both did alike, and what is
    /// followed as a moved stretch, is left out.
    fn pieces(&self, by_site: bool, alike: &[[Vec<usize>; 2]]) -> Vec<Piece> {
        let of_side = usize::from(!by_site);
        let (ops, absorbed) =
            if by_site { (self.site_ops, &self.site_absorbed) } else { (self.release_ops, &self.release_absorbed) };
        let questions = self.asked.iter().enumerate();
        let member: HashMap<usize, usize> =
            questions.flat_map(|(q, asked)| asked.ops[of_side].iter().map(move |op| (*op, q))).collect();
        let both: HashSet<usize> = alike.iter().flat_map(|both| &both[of_side]).copied().collect();
        let own = ops.ops.iter().enumerate().filter(|(k, op)| !absorbed[op.edit] && !both.contains(k));
        own.flat_map(|(k, op)| {
            let parts = match op.kind {
                OpKind::Delete => self.cut(&op.base),
                _ => vec![(op.base.clone(), member.get(&k).copied())],
            };
            let piece = |(base, question)| Piece { by_site, op: k, base, side: op.side.clone(), question };
            parts.into_iter().map(piece).collect::<Vec<_>>()
        })
        .collect()
    }

    /// Cuts deleted lines where questions begin and end.
    fn cut(&self, base: &Range<usize>) -> Vec<(Range<usize>, Option<usize>)> {
        let mut parts = Vec::new();
        let mut at = base.start;
        let first = self.asked.partition_point(|asked| asked.base.end <= base.start);
        for (q, asked) in self.asked.iter().enumerate().skip(first).take_while(|(_, a)| a.base.start < base.end) {
            let (from, to) = (asked.base.start.max(at), asked.base.end.min(base.end));
            if from < to {
                parts.push((at..from, None));
                parts.push((from..to, Some(q)));
                at = to;
            }
        }
        parts.push((at..base.end, None));
        parts.retain(|(lines, _)| !lines.is_empty());
        parts
    }
}
