//! Where lines that left a file stand now.

use std::collections::{HashMap, HashSet};
use std::hash::BuildHasher;
use std::ops::Range;

use foldhash::fast::FixedState;
use rayon::prelude::*;

use super::super::file::Triple;
use super::super::run::Inputs;
use super::{SIZE_LIMIT, body};
use crate::diff::longest_increasing;
use crate::diff::sketch::WordBag;
use crate::merge::line_edits;
use crate::text::key::is_weak;
use crate::text::{Line, split_lines};
use crate::theme::{ReadError, dialect_of};

/// A line that occurs more often among the release's additions tells nothing about a home.
const TOO_COMMON: usize = 4;
/// Lines in a row that may be new or gone within a stretch.
const HOLE: usize = 8;
/// Chains that a line is tried to lengthen, at most: repetitive files have very many.
const TRIED: usize = 32;
/// Chains of one file that are looked at, the longest.
const CHAINS: usize = 256;
/// How far around a change a home is compared with others.
const AROUND: usize = 8;
/// How far from a change lines are next to it.
const NEXT: usize = 3;
/// How many words are enough to tell a home, where one line, two lines, or more have them.
const ENOUGH_WORDS: [usize; 3] = [14, 10, 6];
/// A chain this long tells by its length as well, not only by its share of what was lost around a change.
const LONG: usize = 8;
/// How many lines, and what share of the lost ones in percent, tell that a file was put into another.
const WHOLE: usize = 4;
const WHOLE_SHARE: usize = 25;

/// A line's hash, blind to indentation.
pub(super) fn hash(trimmed: &[u8]) -> u64 {
    FixedState::with_seed(13).hash_one(trimmed)
}

/// A file of the release with lines that its base does not have.
pub(super) struct Added {
    /// The index of its triple.
    pub(super) triple: usize,
    pub(super) body: Vec<u8>,
}

/// A line that is wanted: its hash, and where it stands.
type Wanted = (u64, usize);

/// The lines that the release added, wherever, as far as they are wanted.
pub(super) struct Additions {
    pub(super) files: Vec<Added>,
    /// Where each line was added: file and line.
    places: HashMap<u64, Vec<(usize, usize)>, FixedState>,
}

impl Additions {
    /// Looks through all files that the release changed or added for the lines with the wanted hashes.
    pub(super) fn collect(
        inputs: &Inputs<'_>,
        triples: &[Triple],
        wanted: &HashSet<u64>,
    ) -> Result<Self, ReadError> {
        let found = (0..triples.len())
            .into_par_iter()
            .map(|k| wanted_lines(inputs, triples, k, wanted))
            .collect::<Result<Vec<_>, ReadError>>()?;
        let mut additions = Additions { files: Vec::new(), places: HashMap::default() };
        for (added, lines) in found.into_iter().flatten() {
            for (hash, j) in lines {
                additions.places.entry(hash).or_default().push((additions.files.len(), j));
            }
            additions.files.push(added);
        }
        Ok(additions)
    }

    /// The chains that lines form among the additions, longest first.
    pub(super) fn chains(&self, lost: &[(usize, &[u8])]) -> Vec<Chain> {
        let mut by_file: HashMap<usize, Vec<(usize, usize)>> = HashMap::new();
        for (i, line) in lost.iter().filter(|(_, line)| !is_weak(line)) {
            let places = self.places.get(&hash(line)).filter(|p| p.len() <= TOO_COMMON);
            for (file, j) in places.into_iter().flatten() {
                by_file.entry(*file).or_default().push((*i, *j));
            }
        }
        let telling: Vec<usize> = lost.iter().filter(|(_, line)| !is_weak(line)).map(|(i, _)| *i).collect();
        let mut out: Vec<Chain> = by_file
            .into_iter()
            .flat_map(|(file, pairs)| {
                let whole = whole(&pairs, &telling).into_iter();
                whole.chain(chains(&pairs)).map(move |pairs| Chain { file, pairs })
            })
            .collect();
        out.sort_by(|a, b| b.pairs.len().cmp(&a.pairs.len()).then((a.file, a.pairs[0]).cmp(&(b.file, b.pairs[0]))));
        out.truncate(CHAINS);
        out
    }
}

/// The lines of one file that the release added to it and that are wanted, by hash.
fn wanted_lines(
    inputs: &Inputs<'_>,
    triples: &[Triple],
    k: usize,
    wanted: &HashSet<u64>,
) -> Result<Option<(Added, Vec<Wanted>)>, ReadError> {
    let Triple { base, site, release: Some(r) } = triples[k] else { return Ok(None) };
    let entry = &inputs.release.entries()[r];
    let before = base.map(|b| &inputs.base.entries()[b]);
    let own = site.map(|s| &inputs.site.entries()[s]);
    let known = [before, own].into_iter().flatten().any(|e| e.digest == entry.digest || e.binary);
    if entry.binary || entry.size > SIZE_LIMIT || known {
        return Ok(None);
    }
    let bytes = inputs.release.read(r)?;
    let Some(text) = body(&bytes) else { return Ok(None) };
    let lines = split_lines(&text);
    let mut found: Vec<Wanted> = lines
        .iter()
        .enumerate()
        .filter(|(_, line)| !is_weak(line.trimmed()))
        .map(|(j, line)| (hash(line.trimmed()), j))
        .filter(|(hash, _)| wanted.contains(hash))
        .collect();
    if found.is_empty() {
        return Ok(None);
    }
    let dialect = dialect_of(&entry.path, inputs.layout.kind(&entry.path, &bytes), &bytes);
    let before = base.map(|b| inputs.base.read(b)).transpose()?.and_then(|b| body(&b)).unwrap_or_default();
    let edits = line_edits(&before, &text, dialect.blanks);
    found.retain(|(_, j)| {
        let next = edits.partition_point(|e| e.new.end <= *j);
        edits.get(next).is_some_and(|e| e.new.contains(j))
    });
    if let Some(own) = site.map(|s| inputs.site.read(s)).transpose()?.and_then(|own| body(&own)) {
        // What the site put there as well has come with it.
        let own_lines = split_lines(&own);
        let added = line_edits(&before, &own, dialect.blanks).into_iter().flat_map(|e| e.new);
        let added: HashSet<u64> = added.map(|j| hash(own_lines[j].trimmed())).collect();
        found.retain(|(hash, _)| !added.contains(hash));
    }
    drop(lines);
    Ok((!found.is_empty()).then_some((Added { triple: k, body: text }, found)))
}

/// Lines of a file that stand in the same order in an added place, with small holes.
pub(super) struct Chain {
    /// The index of the place's file in [`Additions::files`].
    pub(super) file: usize,
    /// The lines: where they were, and where they are.
    pairs: Vec<(usize, usize)>,
}

impl Chain {
    /// Tells whether the chain has enough words to be no chance.
    pub(super) fn is_telling(&self, base: &[Line<'_>]) -> bool {
        let words: usize = self.pairs.iter().map(|(i, _)| WordBag::of(base[*i].trimmed()).word_count()).sum();
        words >= ENOUGH_WORDS[self.pairs.len().min(ENOUGH_WORDS.len()) - 1]
    }

    /// The stretch of the base, and the lines at its home, as far as they are alike beyond the chain's own lines.
    pub(super) fn reach(&self, base: &[Line<'_>], home: &[Line<'_>]) -> (Range<usize>, Range<usize>) {
        let (mut i0, mut j0) = self.pairs[0];
        let (mut i1, mut j1) = self.pairs.last().map_or((i0, j0), |(i, j)| (i + 1, j + 1));
        while i0 > 0 && j0 > 0 && base[i0 - 1].trimmed() == home[j0 - 1].trimmed() {
            (i0, j0) = (i0 - 1, j0 - 1);
        }
        while i1 < base.len() && j1 < home.len() && base[i1].trimmed() == home[j1].trimmed() {
            (i1, j1) = (i1 + 1, j1 + 1);
        }
        (i0..i1, j0..j1)
    }

    /// Tells whether the chain has most of the lost lines around a change, no other has nearly as many, and none in the
    /// change's own file (index `own_file`) has those next to it.
    pub(super) fn is_clear(
        &self,
        change: &Range<usize>,
        lost: &[(usize, &[u8])],
        all: &[Chain],
        own_file: Option<usize>,
    ) -> bool {
        let within = |far: usize| change.start.saturating_sub(far)..change.end + far;
        let around = within(AROUND);
        let own = self.lines_in(&around);
        let rival = all.iter().map(|other| other.lines_apart(self, &around)).max().unwrap_or(0);
        let stays = all.iter().any(|other| Some(other.file) == own_file && other.lines_in(&within(NEXT)) > 0);
        let from = lost.partition_point(|(i, _)| *i < around.start);
        let near = lost[from..].iter().take_while(|(i, _)| *i < around.end);
        let gone = near.filter(|(_, line)| !is_weak(line)).count();
        let long = self.pairs.len() >= LONG;
        !stays && own > rival * 2 && own * if long { 3 } else { 2 } >= gone
    }

    /// How many lines the chain has.
    pub(super) fn len(&self) -> usize {
        self.pairs.len()
    }

    /// Where the lines of a range are, as far as the chain has them.
    pub(super) fn lines_of(&self, range: &Range<usize>) -> Option<Range<usize>> {
        let mut own = self.pairs.iter().filter(|(i, _)| range.contains(i)).map(|(_, j)| *j);
        let first = own.next()?;
        Some(first..own.next_back().unwrap_or(first) + 1)
    }

    /// Tells whether the chain has lines of a range and next to it, two at least.
    pub(super) fn has_near(&self, range: &Range<usize>) -> bool {
        self.lines_in(&(range.start.saturating_sub(NEXT)..range.end + NEXT)) >= 2
    }

    /// How many lines of a range the chain has at other places than another chain.
    fn lines_apart(&self, other: &Chain, range: &Range<usize>) -> usize {
        let below = |at: usize| self.pairs.partition_point(|(i, _)| *i < at);
        let own = &self.pairs[below(range.start)..below(range.end)];
        own.iter().filter(|pair| self.file != other.file || other.pairs.binary_search(pair).is_err()).count()
    }

    fn lines_in(&self, range: &Range<usize>) -> usize {
        let below = |at: usize| self.pairs.partition_point(|(i, _)| *i < at);
        below(range.end) - below(range.start)
    }
}

/// Strings the pairs of a file (in order of the base) together, whatever the holes, where it has a good part of what
/// was lost: one file was put into the other, and reworked.
fn whole(pairs: &[(usize, usize)], telling: &[usize]) -> Option<Vec<(usize, usize)>> {
    let (mut old, mut new) = (HashMap::<usize, usize>::new(), HashMap::<usize, usize>::new());
    for (i, j) in pairs {
        *old.entry(*i).or_default() += 1;
        *new.entry(*j).or_default() += 1;
    }
    let alone: Vec<(usize, usize)> = pairs.iter().copied().filter(|(i, j)| old[i] == 1 && new[j] == 1).collect();
    let chain = longest_increasing(&alone);
    let (first, last) = (chain.first()?.0, chain.last()?.0);
    let below = |at: usize| telling.partition_point(|i| *i < at);
    let lost = below(last + 1) - below(first);
    (chain.len() >= WHOLE && chain.len() * 100 >= lost * WHOLE_SHARE).then_some(chain)
}

/// Cuts pairs (in order of the base) into chains that go on in order, with small holes.
fn chains(pairs: &[(usize, usize)]) -> Vec<Vec<(usize, usize)>> {
    let mut out: Vec<Vec<(usize, usize)>> = Vec::new();
    for pair in pairs {
        let fits = |chain: &&mut Vec<(usize, usize)>| {
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
