//! Which line of an edit became which.

use std::collections::HashMap;
use std::ops::Range;

use super::blocks::Blocks;
use super::moved::MovedKeys;
use crate::diff::Edit;
use crate::diff::sketch::WordBag;
use crate::merge::align::{Side, Weak};
use crate::text::token::{TokenKind, tokens};

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

/// A line of the base and the line of the side that it became.
pub(super) struct Pair {
    pub(super) base: usize,
    pub(super) side: usize,
    /// They are the same, but for white space.
    pub(super) equal: bool,
    /// There was a close second choice.
    pub(super) doubt: bool,
}

/// Pairs changed lines of one edit with their old selves: in order, each at most once, by words in common.
pub(super) fn pair_lines(
    base: &Side<'_>,
    side: &Side<'_>,
    edit: &Edit,
    weak: &Weak,
    moved: &MovedKeys,
) -> Vec<Pair> {
    let (n, m) = (edit.old.len(), edit.new.len());
    if n == 0 || m == 0 || n * m > PAIRING_LIMIT {
        return Vec::new();
    }
    // A minified file: whether its words are alike shows when they are merged.
    let long = |s: &Side<'_>, at: usize| s.lines[at].content.len() > LONG_LINE;
    if n == 1 && m == 1 && long(base, edit.old.start) && long(side, edit.new.start) {
        return vec![Pair { base: edit.old.start, side: edit.new.start, equal: false, doubt: false }];
    }
    let candidates = Candidates::of(base, side, edit, weak, moved);
    if candidates.are_rewrapped() {
        return Vec::new();
    }
    let pairs = candidates.best_pairs();
    candidates.all_in_place(&pairs).unwrap_or(pairs)
}

/// The lines of an edit, and how well each old one goes with each new one. Lines are counted from the edit's first.
struct Candidates<'a> {
    base: &'a Side<'a>,
    side: &'a Side<'a>,
    edit: &'a Edit,
    weak: &'a Weak,
    moved: &'a MovedKeys,
    bags: [Vec<WordBag>; 2],
    names: Names<'a>,
    blocks: Option<Blocks<'a>>,
    /// Per old line and new line: how alike they are, or 0 where one did not become the other.
    table: Vec<f32>,
}

impl<'a> Candidates<'a> {
    fn of(base: &'a Side<'a>, side: &'a Side<'a>, edit: &'a Edit, weak: &'a Weak, moved: &'a MovedKeys) -> Self {
        let bags = |s: &Side<'_>, range: &Range<usize>| -> Vec<WordBag> {
            range.clone().map(|i| WordBag::of(s.lines[i].trimmed())).collect()
        };
        let mut candidates = Candidates {
            base,
            side,
            edit,
            weak,
            moved,
            bags: [bags(base, &edit.old), bags(side, &edit.new)],
            names: Names::of(base, side, edit),
            blocks: Blocks::of(base, side, edit, weak),
            table: Vec::new(),
        };
        let (n, m) = candidates.size();
        candidates.table = (0..n * m).map(|k| candidates.score(k / m, k % m)).collect();
        candidates
    }

    fn size(&self) -> (usize, usize) {
        (self.edit.old.len(), self.edit.new.len())
    }

    fn alike(&self, i: usize, j: usize) -> f32 {
        self.table[i * self.edit.new.len() + j]
    }

    fn keys(&self, i: usize, j: usize) -> (u32, u32) {
        (self.base.keys[self.edit.old.start + i], self.side.keys[self.edit.new.start + j])
    }

    /// How sure it is that an old line became a new one, from 0 to 1.
    fn score(&self, i: usize, j: usize) -> f32 {
        let Candidates { base, side, edit, weak, moved, .. } = self;
        let (a, b) = self.keys(i, j);
        // One line for one line has no rival.
        let alone = self.size() == (1, 1);
        if a == b {
            return if weak.is(a) { 0.2 } else { 1.0 };
        }
        if moved.has(a) && !weak.is(a) || moved.has(b) && !weak.is(b) {
            return 0.0;
        }
        if weak.is(a) || weak.is(b) {
            let closes = |s: &Side<'_>, at: usize| s.lines[at].trimmed().starts_with(b"</");
            let renamed_closer = alone && closes(base, edit.old.start) && closes(side, edit.new.start);
            return if renamed_closer { 0.6 } else { 0.0 };
        }
        let words = || self.bags[0][i].similarity(&self.bags[1][j]);
        let are_apart = || self.blocks.as_ref().is_some_and(|blocks| blocks.are_apart(i, j, moved));
        let alike = match self.names.relation(i, j) {
            Some(true) if are_apart() => return 0.0,
            Some(true) => return words().max(NAMED),
            Some(false) => return 0.0,
            None if self.names.are_both_told(i, j) && are_apart() => return 0.0,
            None => words(),
        };
        // Without a rival less will do, or the same marks around other words.
        let same_marks =
            || marks(base.lines[edit.old.start].trimmed()) == marks(side.lines[edit.new.start].trimmed());
        match alike {
            _ if alike >= if alone { BARELY_ALIKE } else { ALIKE } => alike,
            _ if alone && same_marks() => BARELY_ALIKE,
            _ => 0.0,
        }
    }

    /// Tells whether the lines were cut at other places: the words as a whole are the same, or the lines of both versions
    /// are more alike as a whole than one by one.
    fn are_rewrapped(&self) -> bool {
        let (n, m) = self.size();
        if n == m {
            return false;
        }
        let joined = |s: &Side<'_>, range: &Range<usize>| -> Vec<u8> {
            s.lines[range.clone()].iter().flat_map(|l| [l.trimmed(), b" "].concat()).collect()
        };
        let (old, new) =
            (WordBag::of(&joined(self.base, &self.edit.old)), WordBag::of(&joined(self.side, &self.edit.new)));
        let alike = old.similarity(&new);
        // How like another each line of the version with fewer lines is, at best.
        let fewer = n.min(m);
        let alikes = |k: usize| (0..n.max(m)).map(move |l| if n < m { self.alike(k, l) } else { self.alike(l, k) });
        let singly = (0..fewer).map(|k| alikes(k).fold(0f32, f32::max)).sum::<f32>() / fewer as f32;
        old.same_words(&new) || (fewer == 1 || alike >= REWRAPPED) && alike > singly + 0.15
    }

    /// The pairs in order, each line at most once, that are most alike together (longest common subsequence, weighted).
    fn best_pairs(&self) -> Vec<Pair> {
        let (n, m) = self.size();
        // The best total over the first `i` old and `j` new lines.
        let width = m + 1;
        let mut best = vec![0f32; (n + 1) * width];
        for i in 1..=n {
            for j in 1..=m {
                let paired = self.alike(i - 1, j - 1);
                let with = if paired > 0.0 { best[(i - 1) * width + j - 1] + paired } else { 0.0 };
                best[i * width + j] = with.max(best[(i - 1) * width + j]).max(best[i * width + j - 1]);
            }
        }
        let mut found: Vec<(usize, usize)> = Vec::new();
        let (mut i, mut j) = (n, m);
        while i > 0 && j > 0 {
            let here = best[i * width + j];
            if here == best[(i - 1) * width + j] {
                i -= 1;
            } else if here == best[i * width + j - 1] {
                j -= 1;
            } else {
                (i, j) = (i - 1, j - 1);
                found.push((i, j));
            }
        }
        found.reverse();
        found
            .iter()
            .map(|(i, j)| self.pair(*i, *j, self.has_rival(*i, *j) || self.may_stand_anywhere(*i, *j, &found)))
            .collect()
    }

    fn pair(&self, i: usize, j: usize, doubt: bool) -> Pair {
        let (a, b) = self.keys(i, j);
        Pair { base: self.edit.old.start + i, side: self.edit.new.start + j, equal: a == b, doubt }
    }

    fn in_its_block(&self, i: usize, j: usize) -> bool {
        self.blocks.as_ref().is_none_or(|blocks| blocks.is_same(i, j))
    }

    /// Tells whether another line is about as like one of a pair. Where every word of one is in the other, what has not
    /// all of them is no rival; nor is a line of another block to one in its own.
    fn has_rival(&self, i: usize, j: usize) -> bool {
        let (n, m) = self.size();
        let own = self.alike(i, j);
        let includes = |p: usize, q: usize| self.bags[0][p].includes_or_is_in(&self.bags[1][q]);
        let (stays, whole) = (self.in_its_block(i, j), includes(i, j));
        let rivals = |p: usize, q: usize| {
            self.alike(p, q) + CLOSE > own && (!stays || self.in_its_block(p, q)) && (!whole || includes(p, q))
        };
        let mut others =
            (0..m).filter(|q| *q != j).map(|q| (i, q)).chain((0..n).filter(|p| *p != i).map(|p| (p, j)));
        own < 1.0 && others.any(|(p, q)| rivals(p, q))
    }

    /// Tells whether a changed line says little, being one word, and neither a neighbour that is paired as well nor its
    /// block holds it in its place.
    fn may_stand_anywhere(&self, i: usize, j: usize, pairs: &[(usize, usize)]) -> bool {
        let (n, m) = self.size();
        let (a, b) = self.keys(i, j);
        let of_a_word = || self.bags[0][i].word_count().max(self.bags[1][j].word_count()) < 2;
        let above = || (i, j) == (0, 0) || pairs.iter().any(|(p, q)| (p + 1, q + 1) == (i, j));
        let below = || (i + 1, j + 1) == (n, m) || pairs.contains(&(i + 1, j + 1));
        a != b && n.max(m) > 1 && of_a_word() && !above() && !below() && !self.in_its_block(i, j)
    }

    /// As many lines as before, each with its counterpart in the same place: the order settles what words leave open.
    /// Where most are told by their words, a few may be by the name that they give a value to.
    fn all_in_place(&self, pairs: &[Pair]) -> Option<Vec<Pair>> {
        let (n, m) = self.size();
        let in_place = |pair: &Pair| pair.base - self.edit.old.start == pair.side - self.edit.new.start;
        if n != m || 2 * pairs.len() < n || !pairs.iter().all(in_place) {
            return None;
        }
        let stays = |key: u32| !self.weak.is(key) && !self.moved.has(key);
        let name = |s: &Side<'a>, at: usize| named(s.lines[at].trimmed());
        let names_the_same = |k: usize| {
            let (a, b) = self.keys(k, k);
            let own = name(self.base, self.edit.old.start + k);
            stays(a) && stays(b) && own.is_some() && own == name(self.side, self.edit.new.start + k)
        };
        let is_paired = |k: usize| pairs.iter().any(|pair| pair.base == self.edit.old.start + k);
        let all = (0..n).all(|k| is_paired(k) || names_the_same(k));
        all.then(|| (0..n).map(|k| self.pair(k, k, false)).collect())
    }
}

/// Tells whether the side put in another line that may be what one of the base became, in an edit next to that one with
/// nothing but lines between over which that may be, by their numbers in the base: which of the two it is, is open.
pub(super) fn has_rival_beside(
    [base, side]: [&Side<'_>; 2],
    edits: &[Edit],
    k: usize,
    (old, new): (usize, usize),
    may_be_over: impl Fn(usize) -> bool,
) -> bool {
    let beside = [k.checked_sub(1), Some(k + 1)].into_iter().flatten();
    let put_beside = beside.filter_map(|other| {
        let put = edits.get(other).filter(|put| put.old.is_empty() && put.new.len() <= SMALL_INSERTION)?;
        let (first, last) = (&edits[other.min(k)], &edits[other.max(k)]);
        (first.old.end..last.old.start).all(&may_be_over).then_some(put)
    });
    let mut lines = put_beside.flat_map(|put| put.new.clone()).peekable();
    if lines.peek().is_none() {
        return false;
    }
    let old = WordBag::of(base.lines[old].trimmed());
    let like = |j: usize| old.similarity(&WordBag::of(side.lines[j].trimmed()));
    let own = like(new);
    lines.any(|j| {
        let alike = like(j);
        side.keys[j] == side.keys[new] || alike >= ALIKE && alike + CLOSE > own
    })
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

    /// Tells whether two lines give a value to a name that stands once, each.
    fn are_both_told(&self, i: usize, j: usize) -> bool {
        self.base[i].is_some() && self.side[j].is_some()
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
