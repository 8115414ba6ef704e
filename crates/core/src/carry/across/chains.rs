//! Lines of a file that stand together in another place, and what that says.

use std::collections::{HashMap, HashSet};
use std::ops::Range;

use crate::diff::longest_increasing;
use crate::diff::sketch::WordBag;
use crate::merge::ALIKE;
use crate::text::Line;
use crate::text::key::is_weak;

/// Lines in a row that may be new or gone within a stretch.
const HOLE: usize = 8;
/// Chains that a line is tried to lengthen, at most: repetitive files have very many.
const TRIED: usize = 32;
/// How far a chain goes on over lines that were there.
const FAR: usize = 32;
/// How far around a change a home is compared with others.
pub(super) const AROUND: usize = 8;
/// How far from a change lines are next to it.
const NEXT: usize = 3;
/// How many words are enough to tell a home, where one line, two lines, or more have them.
const ENOUGH_WORDS: [usize; 3] = [14, 10, 6];
/// A chain this long tells by its length as well, not only by its share of what was lost around a change.
const LONG: usize = 8;
/// Where the name tells which file a part came from, or the lines go on in one place, so many times fewer lines speak
/// for another.
const KIN: usize = 3;
/// How often lines are looked for between others that are in order.
const DEPTH: usize = 8;
/// How many lines, and what share of the lost ones in percent, tell that a file was put into another.
pub(super) const WHOLE: usize = 4;
const WHOLE_SHARE: usize = 25;

/// A line of the base, and the one at its home that it is.
pub(super) type FromTo = (usize, usize);

/// What a place has to say for being the home of a change.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Claim {
    /// It is the home, and no other place is.
    Clear,
    /// It has all the lines as they were, but the change's own file has each of them in another form.
    Contested,
    /// Too little.
    None,
}

/// Lines of a file that stand in the same order in an added place, with small holes.
pub(super) struct Chain {
    /// The index of the place's file among the additions.
    pub(super) file: usize,
    /// The name of that file says that it came from this one.
    pub(super) is_kin: bool,
    /// Its lines stood in that file's own old one, too: it is no home, but may say that another is none.
    pub(super) is_kept: bool,
    /// That file is written in another language.
    pub(super) is_foreign: bool,
    /// It has a good part of all lines that the file lost: the file was put there.
    pub(super) has_much: bool,
    /// The lines: where they were, and where they are.
    pub(super) pairs: Vec<FromTo>,
    /// Those that could as well be others, where they were: very many files have them, or their home had one before.
    pub(super) vague: Vec<usize>,
}

impl Chain {
    /// Tells whether the chain has enough words to be no chance.
    pub(super) fn is_telling(&self, base: &[Line<'_>]) -> bool {
        let words: usize = self.pairs.iter().map(|(i, _)| WordBag::of(base[*i].trimmed()).word_count()).sum();
        words >= ENOUGH_WORDS[self.pairs.len().min(ENOUGH_WORDS.len()) - 1]
    }

    /// The stretch of the base, and the lines at its home, as far as they are alike beyond the chain's own lines. Where
    /// the file was put there as a whole, the first and last lines that the home has instead of its own go with it:
    /// `added` are all that were added to the home.
    pub(super) fn reach(
        &self,
        base: &[Line<'_>],
        home: &[Line<'_>],
        added: Option<&[Range<usize>]>,
    ) -> (Range<usize>, Range<usize>) {
        let (mut i0, mut j0) = self.pairs[0];
        let (mut i1, mut j1) = self.pairs.last().map_or((i0, j0), |(i, j)| (i + 1, j + 1));
        while i0 > 0 && j0 > 0 && base[i0 - 1].trimmed() == home[j0 - 1].trimmed() {
            (i0, j0) = (i0 - 1, j0 - 1);
        }
        while i1 < base.len() && j1 < home.len() && base[i1].trimmed() == home[j1].trimmed() {
            (i1, j1) = (i1 + 1, j1 + 1);
        }
        if let Some(added) = added.filter(|_| self.has_much) {
            let block = added.partition_point(|lines| lines.end <= j0);
            let block = added.get(block).filter(|lines| lines.start <= j0).cloned().unwrap_or(j0..j0);
            let solid = |i: &usize| !base[*i].is_blank();
            let above = j0.saturating_sub(HOLE).max(block.start)..j0;
            if let Some(first) = (0..i0.min(HOLE)).find(solid).and_then(|i| most_alike(&base[i], home, above)) {
                (i0, j0) = (0, first);
            }
            let below = j1..(j1 + HOLE).min(block.end).max(j1);
            let last = (i1.max(base.len().saturating_sub(HOLE))..base.len()).rev().find(solid);
            if let Some(last) = last.and_then(|i| most_alike(&base[i], home, below)) {
                (i1, j1) = (base.len(), last + 1);
            }
        }
        (i0..i1, j0..j1)
    }

    /// Returns what the place has to say for being the home of a change: clear is a home whose chain has most of the lost
    /// lines around it, while no other has nearly as many, and the change's own file (index `own_file`) has neither
    /// those next to it nor as many of them in another form (`changed`).
    pub(super) fn claim(
        &self,
        change: &Range<usize>,
        lost: &[(usize, &[u8])],
        all: &[Chain],
        own_file: Option<usize>,
        changed: &[usize],
    ) -> Claim {
        let within = |far: usize| change.start.saturating_sub(far)..change.end + far;
        let around = within(AROUND);
        let own = self.lines_in(&around);
        let against = |other: &Chain| {
            let lines = other.lines_apart(self, &around);
            let has_fewer = lines < own;
            let is_part = other.file == self.file && other.len() * KIN <= self.len();
            let is_less_kin = self.is_kin && !other.is_kin && other.len() <= self.len() * KIN;
            let has_more = |one: &Chain, other: &Chain| one.has_much && !other.has_much;
            let is_less = has_more(self, other) && (self.is_kin || !other.is_kin);
            let is_foreign = other.is_foreign && !self.is_foreign;
            match lines {
                _ if self.is_twin(other, &within(NEXT)) => lines,
                _ if is_part || is_foreign || is_less_kin || is_less && has_fewer => lines / KIN,
                _ if has_more(other, self) => lines * 2,
                _ => lines,
            }
        };
        let may_be_another = |other: &&Chain| !other.is_kept || other.file != self.file;
        let rival = all.iter().filter(may_be_another).map(against).max().unwrap_or(0);
        let lines = self.pairs_in(&around);
        let sure = self.has_much || lines.iter().any(|(i, _)| self.vague.binary_search(i).is_err());
        let stays = all.iter().any(|other| Some(other.file) == own_file && other.lines_in(&within(NEXT)) > 0);
        let from = lost.partition_point(|(i, _)| *i < around.start);
        let near = lost[from..].iter().take_while(|(i, _)| *i < around.end);
        let gone = near.filter(|(_, line)| !is_weak(line)).count();
        let changed = lines.iter().filter(|(i, _)| changed.binary_search(i).is_ok()).count();
        // A block of which every line stands at the other place went there, if what is in its place is another.
        let is_all = own >= WHOLE && own == gone;
        let went = is_all && changed * 4 <= own * 3;
        let stays_changed = !went && changed * 2 >= own;
        let long = self.pairs.len() >= LONG;
        let has_most = own * if long { 3 } else { 2 } >= gone || self.has_much || self.is_heir(change, all);
        // What a file with its name or much of it has beside the change, in whatever form, speaks against one with neither.
        let is_likely = |chain: &Chain| chain.is_kin || chain.has_much;
        let likelier = |other: &Chain| other.file != self.file && is_likely(other) && other.lines_in(&around) > 0;
        let is_outdone = !is_likely(self) && all.iter().any(likelier);
        let has_no_rival = !is_outdone && (own > rival * 2 || is_all && own > rival);
        match !stays && sure && has_no_rival && has_most {
            true if !stays_changed => Claim::Clear,
            true if is_all => Claim::Contested,
            _ => Claim::None,
        }
    }

    /// Tells whether the home is a new file named after the chain's, which may have reworked the lines: it has some
    /// beside a change, and no other file has more.
    fn is_heir(&self, change: &Range<usize>, all: &[Chain]) -> bool {
        let is_first = || all.iter().all(|other| other.file == self.file || other.len() <= self.len());
        self.is_kin && self.has_near(change) && is_first()
    }

    /// How many lines the chain has.
    pub(super) fn len(&self) -> usize {
        self.pairs.len()
    }

    /// Where the lines of a range are: those that the chain has, or, where they are too weak for a chain, those that
    /// stand there next to its lines, or at the end of both files.
    pub(super) fn lines_of(
        &self,
        range: &Range<usize>,
        base: &[Line<'_>],
        home: &[Line<'_>],
    ) -> Option<Range<usize>> {
        let mut own = self.pairs_in(range).iter().map(|(_, j)| *j);
        if let Some(first) = own.next() {
            return Some(first..own.next_back().unwrap_or(first) + 1);
        }
        let next = self.pairs.partition_point(|(i, _)| *i < range.start);
        let before = next.checked_sub(1).map(|k| self.pairs[k]);
        let end = |lines: &[Line<'_>]| lines.iter().rposition(|line| !line.is_blank()).map_or(0, |last| last + 1);
        let behind = self.pairs.get(next).copied().unwrap_or_else(|| (end(base).max(range.end), end(home)));
        let down = before.and_then(|(i, j)| {
            let there = |k: usize| home.get(j + k - i).is_some_and(|line| line.trimmed() == base[k].trimmed());
            (i..range.end).all(there).then(|| j + range.start - i..j + range.end - i)
        });
        let up = || {
            let (i, j) = behind;
            let there = |k: usize| (j + k).checked_sub(i).is_some_and(|at| home[at].trimmed() == base[k].trimmed());
            (range.start..i).all(there).then(|| j + range.start - i..j + range.end - i)
        };
        down.or_else(up)
    }

    /// Tells whether the chain has lines of a range and next to it, two at least.
    pub(super) fn has_near(&self, range: &Range<usize>) -> bool {
        self.lines_in(&(range.start.saturating_sub(NEXT)..range.end + NEXT)) >= 2
    }

    /// Tells whether another chain has as many lines of a range elsewhere in the home, where this chain has none: the
    /// release may have made two of one.
    fn is_twin(&self, other: &Chain, range: &Range<usize>) -> bool {
        let is_free = |(_, j): &&FromTo| self.pairs.binary_search_by_key(j, |(_, own)| *own).is_err();
        let own = self.lines_in(range);
        own > 0 && other.file == self.file && other.pairs_in(range).iter().filter(is_free).count() >= own
    }

    /// How many lines of a range the chain has at other places than another chain.
    fn lines_apart(&self, other: &Chain, range: &Range<usize>) -> usize {
        let own = self.pairs_in(range);
        own.iter().filter(|pair| self.file != other.file || other.pairs.binary_search(pair).is_err()).count()
    }

    fn lines_in(&self, range: &Range<usize>) -> usize {
        self.pairs_in(range).len()
    }

    /// The pairs of the lines in a range.
    fn pairs_in(&self, range: &Range<usize>) -> &[FromTo] {
        let below = |at: usize| self.pairs.partition_point(|(i, _)| *i < at);
        &self.pairs[below(range.start)..below(range.end)]
    }
}

/// Which of some lines of a home a line became, if one is like it.
fn most_alike(line: &Line<'_>, home: &[Line<'_>], within: Range<usize>) -> Option<usize> {
    let words = WordBag::of(line.trimmed());
    let alike = |j: usize| (words.similarity(&WordBag::of(home[j].trimmed())), j);
    let best = within.map(alike).max_by(|a, b| a.0.total_cmp(&b.0))?;
    (best.0 >= ALIKE).then_some(best.1)
}

/// Lengthens a chain by the lines next to it that are the same there, though they were not added: of two like blocks,
/// the one that goes on as before may be the moved one.
pub(super) fn go_on(pairs: &mut Vec<FromTo>, base: &[Line<'_>], home: &[Line<'_>], telling: &[usize]) {
    let (first, last) = (pairs[0], *pairs.last().unwrap_or(&pairs[0]));
    let alike = |(i, j): &FromTo| base[*i].trimmed() == home[*j].trimmed();
    let tells = |(i, _): &FromTo| telling.binary_search(i).is_ok();
    let up = (1..=first.0.min(first.1).min(FAR)).map(|n| (first.0 - n, first.1 - n)).take_while(alike);
    let mut all: Vec<FromTo> = up.filter(tells).collect();
    all.reverse();
    all.append(pairs);
    let room = (base.len() - last.0).min(home.len() - last.1).min(FAR);
    all.extend((1..room).map(|n| (last.0 + n, last.1 + n)).take_while(alike).filter(tells));
    *pairs = all;
}

/// Strings the pairs of a file (in order of the base) together, whatever the holes, where it has a good part of what
/// was lost: one file was put into the other, and reworked.
pub(super) fn whole(pairs: &[FromTo], telling: &[usize]) -> Option<Vec<FromTo>> {
    let anchors = without_strays(in_order(pairs), pairs);
    let (first, last) = (anchors.first()?.0, anchors.last()?.0);
    let below = |at: usize| telling.partition_point(|i| *i < at);
    let lost = below(last + 1) - below(first);
    let has_part = anchors.len() >= WHOLE && anchors.len() * 100 >= lost * WHOLE_SHARE;
    has_part.then(|| filled(pairs, anchors, DEPTH))
}

/// Anchors without the few at either end that are far from all others at home, but not where they were, while more of
/// the lines beside them have a place with the others: what was put in has lines like them.
fn without_strays(mut anchors: Vec<FromTo>, pairs: &[FromTo]) -> Vec<FromTo> {
    let is_near = |(a, b): (FromTo, FromTo)| a.0 < b.0 && a.1 < b.1 && b.1 - a.1 <= b.0 - a.0 + FAR;
    let gaps: Vec<usize> = (1..anchors.len()).filter(|k| !is_near((anchors[k - 1], anchors[*k]))).collect();
    let has_others = |strays: Range<usize>, main: FromTo| {
        let lines = anchors[strays.start].0.saturating_sub(AROUND)..anchors[strays.end - 1].0 + AROUND;
        // On the strays' own side of the others.
        let with_main =
            |pair: FromTo| if strays.start == 0 { is_near((pair, main)) } else { is_near((main, pair)) };
        let beside = pairs.iter().copied().filter(|pair| lines.contains(&pair.0) && with_main(*pair));
        beside.map(|(i, _)| i).collect::<HashSet<_>>().len() > strays.len()
    };
    let first = gaps.iter().copied().take_while(|k| *k < WHOLE).filter(|k| has_others(0..*k, anchors[*k])).last();
    let all = anchors.len();
    let behind = gaps.iter().copied().rev().take_while(|k| all - k < WHOLE);
    let last = behind.filter(|k| has_others(*k..all, anchors[k - 1])).last();
    anchors.truncate(last.unwrap_or(all));
    anchors.drain(..first.unwrap_or(0).min(anchors.len()));
    anchors
}

/// Takes the lines at either end that are apart from the others at home, but not where they were, for those next to the
/// others, if all of them are there: the home had such lines before, and the comparison took the new ones for them.
/// `is_twin` tells of a line of the base whether its home had one before and has more now.
pub(super) fn next_to_others(
    pairs: &mut [FromTo],
    base: &[Line<'_>],
    home: &[Line<'_>],
    is_twin: impl Fn(usize) -> bool,
) {
    let is_apart = |k: &usize| pairs[*k].1 - pairs[k - 1].1 > pairs[*k].0 - pairs[k - 1].0 + HOLE;
    let all = pairs.len();
    let above = pairs.iter().take_while(|(i, _)| is_twin(*i)).count();
    if above == all {
        return;
    }
    let below = pairs.iter().rev().take_while(|(i, _)| is_twin(*i)).count();
    let first = (1..all.min(above + 1)).rev().find(is_apart);
    let last = ((all - below).max(1)..all).find(is_apart);
    let alike = |line: usize, j: &usize| home[*j].trimmed() == base[line].trimmed();
    let place = |line: usize, (i, j): FromTo| match line < i {
        true => (j.saturating_sub(i - line + HOLE)..j).rev().find(|j| alike(line, j)),
        false => (j + 1..home.len().min(j + line - i + HOLE + 1)).find(|j| alike(line, j)),
    };
    // From the others outwards.
    let placed = |strays: &mut dyn Iterator<Item = &FromTo>, beside: FromTo| -> Option<Vec<FromTo>> {
        let next = |beside: &mut FromTo, stray: &FromTo| {
            *beside = (stray.0, place(stray.0, *beside)?);
            Some(*beside)
        };
        let mut at = beside;
        strays.map(|stray| next(&mut at, stray)).collect()
    };
    let upwards = first.and_then(|k| placed(&mut pairs[..k].iter().rev(), pairs[k]));
    let downwards = last.and_then(|k| placed(&mut pairs[k..].iter(), pairs[k - 1]));
    let put = |(pair, near): (&mut FromTo, FromTo)| *pair = near;
    pairs.iter_mut().zip(upwards.into_iter().flatten().rev()).for_each(put);
    pairs.iter_mut().rev().zip(downwards.into_iter().flatten().rev()).for_each(put);
}

/// The most pairs that stand in order, of those whose lines have no other place and are no other's.
fn in_order(pairs: &[FromTo]) -> Vec<FromTo> {
    let (mut old, mut new) = (HashMap::<usize, usize>::new(), HashMap::<usize, usize>::new());
    for (i, j) in pairs {
        *old.entry(*i).or_default() += 1;
        *new.entry(*j).or_default() += 1;
    }
    let alone: Vec<FromTo> = pairs.iter().copied().filter(|(i, j)| old[i] == 1 && new[j] == 1).collect();
    longest_increasing(&alone)
}

/// Adds the pairs between others that are in order, too: those that are alone there.
fn filled(pairs: &[FromTo], anchors: Vec<FromTo>, depth: usize) -> Vec<FromTo> {
    if depth == 0 {
        return anchors;
    }
    let mut out: Vec<FromTo> = Vec::with_capacity(anchors.len());
    for (i, j) in anchors {
        if let Some((above_i, above_j)) = out.last().copied() {
            let from = pairs.partition_point(|pair| pair.0 <= above_i);
            let to = pairs.partition_point(|pair| pair.0 < i);
            let between: Vec<FromTo> =
                pairs[from..to].iter().copied().filter(|pair| above_j < pair.1 && pair.1 < j).collect();
            let anchors = in_order(&between);
            if !anchors.is_empty() {
                out.extend(filled(&between, anchors, depth - 1));
            }
        }
        out.push((i, j));
    }
    out
}

/// Cuts pairs (in order of the base) into chains that go on in order, with small holes.
pub(super) fn chains(pairs: &[FromTo]) -> Vec<Vec<FromTo>> {
    let mut out: Vec<Vec<FromTo>> = Vec::new();
    for pair in pairs {
        let fits = |chain: &&mut Vec<FromTo>| {
            chain.last().is_some_and(|(i, j)| {
                pair.0 > *i && pair.1 > *j && pair.0 - i <= HOLE + 1 && pair.1 - j <= HOLE + 1
            })
        };
        match out.iter_mut().rev().take(TRIED).find(fits) {
            Some(chain) => chain.push(*pair),
            None => out.push(vec![*pair]),
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::text::split_lines;

    #[test]
    fn another_file_with_as_much_beside_a_change_speaks_against_a_home() {
        let text: Vec<String> = (0..10).map(|n| format!("line number {n}")).collect();
        let lost: Vec<(usize, &[u8])> = text.iter().map(|line| line.as_bytes()).enumerate().collect();
        let chain = |file, lines: &[usize]| Chain {
            file,
            is_kin: false,
            is_kept: false,
            is_foreign: false,
            has_much: false,
            pairs: lines.iter().map(|i| (*i, i + 40)).collect(),
            vague: Vec::new(),
        };
        let claim = |rival: Chain| {
            let home = Chain { has_much: true, ..chain(0, &[2, 3, 6, 7]) };
            let all = [home, rival];
            all[0].claim(&(3..3), &lost, &all, None, &[])
        };
        assert_eq!(claim(chain(1, &[2, 3])), Claim::Clear);
        assert_eq!(claim(chain(1, &[2, 3, 4, 6])), Claim::None, "whatever the home has of the rest");
        let kept = |file| Chain { is_kin: true, is_kept: true, ..chain(file, &[2, 3, 6]) };
        assert_eq!(claim(kept(1)), Claim::None, "a file named after the change's own");
        assert_eq!(claim(kept(0)), Claim::Clear);
        let named = || Chain { is_kin: true, ..chain(1, &[2]) };
        let all = [chain(0, &[2, 3, 4, 6, 7]), named()];
        assert_eq!(
            all[0].claim(&(3..3), &lost, &all, None, &[]),
            Claim::None,
            "whatever form its lines have there"
        );
        let all = [chain(0, &[2, 3, 4, 6, 7]), chain(1, &[2])];
        assert_eq!(all[0].claim(&(3..3), &lost, &all, None, &[]), Claim::Clear);
    }

    #[test]
    fn a_line_of_the_other_file_does_not_begin_the_place_of_this_one() {
        let body = (10..20).map(|i| (i, 100 + i));
        let telling: Vec<usize> = (0..20).collect();
        let begins = |head: &[FromTo]| {
            let mut pairs: Vec<FromTo> = head.iter().copied().chain(body.clone()).collect();
            pairs.sort_unstable();
            whole(&pairs, &telling).unwrap()[0]
        };
        // Both files begin with the same lines; of the seventh only the other one has the old form.
        let twice: Vec<FromTo> = (0..6).flat_map(|i| [(i, i), (i, 100 + i)]).collect();
        assert_eq!(begins(&[twice.as_slice(), &[(6, 6)]].concat()), (10, 110));
        assert_eq!(begins(&[(6, 6)]), (6, 6), "what was put in may be long");
    }

    #[test]
    fn lines_that_the_home_had_too_are_those_next_to_the_others() {
        let base = split_lines(b"a\nb\n1\n2\n3\nz\n");
        let other = "-\n".repeat(20);
        let text = format!("a\nb\n{other}a\n\nb\n1\n2\n3\nz\n{other}z\n");
        let home = split_lines(text.as_bytes());
        let placed = |is_twin: fn(usize) -> bool| {
            let mut pairs = [(0, 0), (1, 1), (2, 25), (3, 26), (4, 27), (5, 49)];
            next_to_others(&mut pairs, &base, &home, is_twin);
            pairs.map(|(_, j)| j)
        };
        assert_eq!(placed(|i| !(2..5).contains(&i)), [22, 24, 25, 26, 27, 28]);
        assert_eq!(placed(|i| i < 1), [0, 1, 25, 26, 27, 49], "a line that it had not is its own");
    }
}
