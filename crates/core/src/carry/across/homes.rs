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
use crate::theme::{ReadError, are_namesakes, dialect_of, extension};

/// A line that occurs more often among the release's additions tells nothing about a home.
const TOO_COMMON: usize = 4;
/// A line that occurs more often in all that the release changed, added there or not, does not tell a home alone.
const EVERYWHERE: usize = 12;
/// Of a line with more places than these not even namesakes are looked for.
const KIN_PLACES: usize = 256;
/// Lines in a row that may be new or gone within a stretch.
const HOLE: usize = 8;
/// Chains that a line is tried to lengthen, at most: repetitive files have very many.
const TRIED: usize = 32;
/// Chains of one file that are looked at, the longest.
const CHAINS: usize = 256;
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
    pub(super) path: String,
    pub(super) body: Vec<u8>,
    /// No file of the old release became it.
    is_new: bool,
    /// Lines that it had before and has more than once now, by hash.
    twins: HashSet<u64>,
}

impl Added {
    /// Tells whether it is a new file whose name says that it came from another.
    fn is_kin(&self, path: &str) -> bool {
        self.is_new && self.is_written_as(path) && are_namesakes(&self.path, path)
    }

    /// Tells whether it is written in the same language as another: a sheet and what it was compiled to have the
    /// same lines.
    fn is_written_as(&self, path: &str) -> bool {
        extension(&self.path) == extension(path)
    }
}

/// How often lines occur, by hash.
type Counts = HashMap<u64, usize, FixedState>;

/// A line that is wanted: its hash, and where it stands.
type Wanted = (u64, usize);

/// The lines that the release added, wherever, as far as they are wanted.
pub(super) struct Additions {
    pub(super) files: Vec<Added>,
    /// Where each line was added: file and line.
    places: HashMap<u64, Vec<(usize, usize)>, FixedState>,
    /// How often each occurs in all that the release changed, added or not.
    counts: Counts,
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
        let mut additions = Additions { files: Vec::new(), places: HashMap::default(), counts: Counts::default() };
        for Looked { added, lines, all } in found.into_iter().flatten() {
            for hash in all {
                *additions.counts.entry(hash).or_default() += 1;
            }
            for (hash, j) in &lines {
                additions.places.entry(*hash).or_default().push((additions.files.len(), *j));
            }
            if !lines.is_empty() {
                additions.files.push(added);
            }
        }
        Ok(additions)
    }

    /// The chains that lines of a file form among the additions, longest first. A line that is too common counts
    /// only where the name of the file speaks for it.
    pub(super) fn chains(&self, path: &str, base: &[Line<'_>], lost: &[(usize, &[u8])]) -> Vec<Chain> {
        let mut kin: HashMap<usize, bool> = HashMap::new();
        let mut is_kin = |file: usize| *kin.entry(file).or_insert_with(|| self.files[file].is_kin(path));
        let mut by_file: HashMap<usize, Vec<(usize, usize)>> = HashMap::new();
        for (i, line) in lost.iter().filter(|(_, line)| !is_weak(line)) {
            let Some(places) = self.places.get(&hash(line)).filter(|places| places.len() <= KIN_PLACES) else {
                continue;
            };
            let common = places.len() > TOO_COMMON;
            let speaking: Vec<&(usize, usize)> =
                places.iter().filter(|(file, _)| !common || is_kin(*file)).collect();
            if speaking.len() <= TOO_COMMON {
                for (file, j) in speaking {
                    by_file.entry(*file).or_default().push((*i, *j));
                }
            }
        }
        let telling: Vec<usize> = lost.iter().filter(|(_, line)| !is_weak(line)).map(|(i, _)| *i).collect();
        let mut out: Vec<Chain> = by_file
            .into_iter()
            .flat_map(|(file, pairs)| {
                let whole = whole(&pairs, &telling).into_iter();
                let is_kin = is_kin(file);
                let is_foreign = !self.files[file].is_written_as(path);
                let is_vague = |(i, _): &&(usize, usize)| {
                    let hash = hash(lost[lost.partition_point(|(line, _)| line < i)].1);
                    self.files[file].twins.contains(&hash) || !is_kin && self.counts[&hash] > EVERYWHERE
                };
                let home = split_lines(&self.files[file].body);
                let chain = |mut pairs: Vec<(usize, usize)>| {
                    go_on(&mut pairs, base, &home, &telling);
                    let vague = pairs.iter().filter(is_vague).map(|(i, _)| *i).collect();
                    Chain { file, is_kin, is_foreign, pairs, vague }
                };
                whole.chain(chains(&pairs)).map(chain).collect::<Vec<_>>()
            })
            .collect();
        out.sort_by(|a, b| b.pairs.len().cmp(&a.pairs.len()).then((a.file, a.pairs[0]).cmp(&(b.file, b.pairs[0]))));
        out.truncate(CHAINS);
        out
    }
}

/// What a file of the release has of the wanted lines.
struct Looked {
    added: Added,
    /// Those that were added to it.
    lines: Vec<Wanted>,
    /// All of them, by hash.
    all: Vec<u64>,
}

/// One file of the release that has wanted lines, and those of them that were added to it.
fn wanted_lines(
    inputs: &Inputs<'_>,
    triples: &[Triple],
    k: usize,
    wanted: &HashSet<u64>,
) -> Result<Option<Looked>, ReadError> {
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
    let all: Vec<u64> = found.iter().map(|(hash, _)| *hash).collect();
    let dialect = dialect_of(&entry.path, inputs.layout.kind(&entry.path, &bytes), &bytes);
    let before = base.map(|b| inputs.base.read(b)).transpose()?.and_then(|b| body(&b)).unwrap_or_default();
    let edits = line_edits(&before, &text, dialect.blanks);
    let mut seen = HashSet::new();
    let again: HashSet<u64> = all.iter().copied().filter(|hash| !seen.insert(*hash)).collect();
    let twins =
        split_lines(&before).iter().map(|line| hash(line.trimmed())).filter(|h| again.contains(h)).collect();
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
    let added = Added { triple: k, path: entry.path.clone(), body: text, is_new: base.is_none(), twins };
    Ok(Some(Looked { added, lines: found, all }))
}

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
    /// The index of the place's file in [`Additions::files`].
    pub(super) file: usize,
    /// The name of that file says that it came from this one.
    pub(super) is_kin: bool,
    /// That file is written in another language.
    is_foreign: bool,
    /// The lines: where they were, and where they are.
    pairs: Vec<(usize, usize)>,
    /// Those that could as well be others, where they were: very many files have them, or their home had one before.
    vague: Vec<usize>,
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
            let is_part = other.file == self.file && other.len() * KIN <= self.len();
            let is_less_kin = self.is_kin && !other.is_kin && other.len() <= self.len() * KIN;
            let is_foreign = other.is_foreign && !self.is_foreign;
            if is_part || is_less_kin || is_foreign { lines / KIN } else { lines }
        };
        let rival = all.iter().map(against).max().unwrap_or(0);
        let lines = self.pairs_in(&around);
        let sure = lines.iter().any(|(i, _)| self.vague.binary_search(i).is_err());
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
        let has_most = own * if long { 3 } else { 2 } >= gone || self.is_heir(change, all);
        let has_no_rival = own > rival * 2 || is_all && own > rival;
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
        let behind = self.pairs.get(next).copied().unwrap_or((base.len(), home.len()));
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

    /// How many lines of a range the chain has at other places than another chain.
    fn lines_apart(&self, other: &Chain, range: &Range<usize>) -> usize {
        let own = self.pairs_in(range);
        own.iter().filter(|pair| self.file != other.file || other.pairs.binary_search(pair).is_err()).count()
    }

    fn lines_in(&self, range: &Range<usize>) -> usize {
        self.pairs_in(range).len()
    }

    /// The pairs of the lines in a range.
    fn pairs_in(&self, range: &Range<usize>) -> &[(usize, usize)] {
        let below = |at: usize| self.pairs.partition_point(|(i, _)| *i < at);
        &self.pairs[below(range.start)..below(range.end)]
    }
}

/// Lengthens a chain by the lines next to it that are the same there, though they were not added: of two like blocks,
/// the one that goes on as before may be the moved one.
fn go_on(pairs: &mut Vec<(usize, usize)>, base: &[Line<'_>], home: &[Line<'_>], telling: &[usize]) {
    let (first, last) = (pairs[0], *pairs.last().unwrap_or(&pairs[0]));
    let alike = |(i, j): &(usize, usize)| base[*i].trimmed() == home[*j].trimmed();
    let tells = |(i, _): &(usize, usize)| telling.binary_search(i).is_ok();
    let up = (1..=first.0.min(first.1).min(FAR)).map(|n| (first.0 - n, first.1 - n)).take_while(alike);
    let mut all: Vec<(usize, usize)> = up.filter(tells).collect();
    all.reverse();
    all.append(pairs);
    let room = (base.len() - last.0).min(home.len() - last.1).min(FAR);
    all.extend((1..room).map(|n| (last.0 + n, last.1 + n)).take_while(alike).filter(tells));
    *pairs = all;
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
