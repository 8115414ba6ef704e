//! Where lines that left a file stand now.

use std::collections::{HashMap, HashSet};
use std::hash::BuildHasher;
use std::ops::Range;

use foldhash::fast::FixedState;
use rayon::prelude::*;

use super::super::file::Triple;
use super::super::run::Inputs;
use super::chains::{Chain, FromTo, WHOLE, chains, go_on, next_to_others, whole};
use super::{SIZE_LIMIT, body};
use crate::merge::line_edits;
use crate::text::key::is_weak;
use crate::text::{Line, split_lines};
use crate::theme::{Entry, OldFiles, ReadError, dialect_of, extension};

/// A line that occurs more often among the release's additions tells nothing about a home.
const TOO_COMMON: usize = 4;
/// A line that occurs more often in all that the release changed, added there or not, does not tell a home alone.
const EVERYWHERE: usize = 12;
/// Of a line with more places than these not even namesakes are looked for.
const KIN_PLACES: usize = 256;
/// Chains of one file that are looked at, the longest.
const CHAINS: usize = 256;
/// One in so many of all lines that a file lost tell that it was put there where they stand in order.
const MUCH: usize = 3;

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
    /// Its lines that the base does not have, in order.
    pub(super) added: Vec<Range<usize>>,
}

impl Added {
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
    /// Where each stands in a file that another became: it may have come from that one, or from elsewhere.
    unsure: HashMap<u64, Vec<(usize, usize)>, FixedState>,
    /// How often each occurs in all that the release changed, added or not.
    counts: Counts,
    /// In how many other files that the release changed it stood before.
    before: Counts,
    /// The files of the base, by whose names a new one may tell where it came from.
    old_files: OldFiles,
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
        let mut additions = Additions {
            files: Vec::new(),
            places: HashMap::default(),
            unsure: HashMap::default(),
            counts: Counts::default(),
            before: Counts::default(),
            old_files: OldFiles::of(inputs.base),
        };
        for Looked { added, lines, unsure, all, before } in found.into_iter().flatten() {
            let count = |counts: &mut Counts, hash| *counts.entry(hash).or_default() += 1;
            all.into_iter().for_each(|hash| count(&mut additions.counts, hash));
            before.into_iter().for_each(|hash| count(&mut additions.before, hash));
            let file = additions.files.len();
            lines.iter().for_each(|(hash, j)| additions.places.entry(*hash).or_default().push((file, *j)));
            unsure.iter().for_each(|(hash, j)| additions.unsure.entry(*hash).or_default().push((file, *j)));
            additions.files.extend(added.filter(|_| !lines.is_empty() || !unsure.is_empty()));
        }
        Ok(additions)
    }

    /// Where a line was added, or may have come to: the file and the line, each. Not all of very many are told.
    pub(super) fn places(&self, trimmed: &[u8]) -> impl Iterator<Item = &(usize, usize)> {
        let hash = hash(trimmed);
        [&self.places, &self.unsure]
            .into_iter()
            .filter_map(move |places| places.get(&hash))
            .flatten()
            .take(KIN_PLACES)
    }

    /// The chains that lines of a file form in files that are named after it, but were others before.
    fn kept_chains(&self, path: &str, lost: &[(usize, &[u8])]) -> Vec<Chain> {
        let mut by_file: HashMap<usize, Vec<FromTo>> = HashMap::new();
        for (i, line) in lost.iter().filter(|(_, line)| !is_weak(line)) {
            let places = self.unsure.get(&hash(line)).filter(|places| places.len() <= TOO_COMMON);
            for (file, j) in places.into_iter().flatten() {
                by_file.entry(*file).or_default().push((*i, *j));
            }
        }
        by_file.retain(|file, _| self.is_named_after(&self.files[*file], path));
        let kept = |file, pairs| Chain {
            file,
            is_kin: true,
            is_kept: true,
            is_foreign: false,
            has_much: false,
            pairs,
            vague: Vec::new(),
        };
        let of_file = |(file, pairs): (usize, Vec<FromTo>)| chains(&pairs).into_iter().map(move |c| kept(file, c));
        by_file.into_iter().flat_map(of_file).collect()
    }

    /// Tells whether a file's name says that it came from the old file at a path.
    fn is_named_after(&self, added: &Added, path: &str) -> bool {
        added.is_written_as(path) && self.old_files.is_named_after(&added.path, path)
    }

    /// The chains that lines of a file form among the additions, longest first. A line that is too common counts
    /// only where the name of the file speaks for it.
    pub(super) fn chains(&self, path: &str, base: &[Line<'_>], lost: &[(usize, &[u8])]) -> Vec<Chain> {
        let mut kin: HashMap<usize, bool> = HashMap::new();
        let mut is_kin = |file: usize| {
            let added = &self.files[file];
            *kin.entry(file).or_insert_with(|| added.is_new && self.is_named_after(added, path))
        };
        let mut by_file: HashMap<usize, Vec<FromTo>> = HashMap::new();
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
        // Lines that many files had say nothing about where this one went.
        let is_own = |i: &usize| {
            let line = lost[lost.partition_point(|(line, _)| line < i)].1;
            self.before.get(&hash(line)).is_none_or(|files| *files <= TOO_COMMON)
        };
        let own = telling.iter().copied().filter(is_own).count();
        let mut out: Vec<Chain> = by_file
            .into_iter()
            .flat_map(|(file, pairs)| {
                let home = split_lines(&self.files[file].body);
                let hash_of = |i: usize| hash(lost[lost.partition_point(|(line, _)| *line < i)].1);
                let is_twin = |i: usize| self.files[file].twins.contains(&hash_of(i));
                let mut whole = whole(&pairs, &telling);
                whole.iter_mut().for_each(|whole| next_to_others(whole, base, &home, is_twin));
                let is_kin = is_kin(file);
                let is_foreign = !self.files[file].is_written_as(path);
                let is_vague =
                    |(i, _): &&(usize, usize)| is_twin(*i) || !is_kin && self.counts[&hash_of(*i)] > EVERYWHERE;
                let chain = |mut pairs: Vec<(usize, usize)>| {
                    go_on(&mut pairs, base, &home, &telling);
                    let (vague, sure): (Vec<_>, Vec<_>) = pairs.iter().partition(is_vague);
                    let found = sure.iter().filter(|(i, _)| is_own(i)).count();
                    let has_much = found >= WHOLE && found * MUCH >= own;
                    let vague = vague.into_iter().map(|(i, _)| i).collect();
                    Chain { file, is_kin, is_kept: false, is_foreign, has_much, pairs, vague }
                };
                whole.into_iter().chain(chains(&pairs)).map(chain).collect::<Vec<_>>()
            })
            .collect();
        out.extend(self.kept_chains(path, lost));
        out.sort_by(|a, b| b.pairs.len().cmp(&a.pairs.len()).then((a.file, a.pairs[0]).cmp(&(b.file, b.pairs[0]))));
        out.truncate(CHAINS);
        out
    }
}

/// What a file of the release has of the wanted lines.
struct Looked {
    added: Option<Added>,
    /// Those that were added to it.
    lines: Vec<Wanted>,
    /// The others, where the file was another before.
    unsure: Vec<Wanted>,
    /// All of them, by hash.
    all: Vec<u64>,
    /// Those that it had before.
    before: HashSet<u64>,
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
    // What stood there as it is has taken nothing in; under another name it may be what a like file lost.
    let is_known = |e: &Entry| e.binary || e.digest == entry.digest && e.path == entry.path;
    let known = [before, own].into_iter().flatten().any(is_known);
    if entry.binary || entry.size > SIZE_LIMIT || known {
        return Ok(None);
    }
    let bytes = inputs.release.read(r)?;
    let Some(text) = body(&bytes) else { return Ok(None) };
    let lines = split_lines(&text);
    let found: Vec<Wanted> = lines
        .iter()
        .enumerate()
        .filter(|(_, line)| !is_weak(line.trimmed()))
        .map(|(j, line)| (hash(line.trimmed()), j))
        .filter(|(hash, _)| wanted.contains(hash))
        .collect();
    let before = base.map(|b| inputs.base.read(b)).transpose()?.and_then(|b| body(&b)).unwrap_or_default();
    let before_lines: HashSet<u64> = split_lines(&before).iter().map(|line| hash(line.trimmed())).collect();
    let had: HashSet<u64> = before_lines.intersection(wanted).copied().collect();
    if found.is_empty() {
        return Ok(Some(Looked { added: None, lines: found, unsure: Vec::new(), all: Vec::new(), before: had }));
    }
    let all: Vec<u64> = found.iter().map(|(hash, _)| *hash).collect();
    let dialect = dialect_of(&entry.path, inputs.layout.kind(&entry.path, &bytes), &bytes);
    let edits = line_edits(&before, &text, dialect.blanks);
    let mut seen = HashSet::new();
    let again: HashSet<u64> = all.iter().copied().filter(|hash| !seen.insert(*hash)).collect();
    let twins = before_lines.intersection(&again).copied().collect();
    let is_added = |(_, j): &Wanted| {
        let next = edits.partition_point(|e| e.new.end <= *j);
        edits.get(next).is_some_and(|e| e.new.contains(j))
    };
    let (mut found, kept): (Vec<Wanted>, Vec<Wanted>) = found.into_iter().partition(is_added);
    let was_another = base.is_some_and(|b| inputs.base.entries()[b].path != entry.path);
    let unsure = if was_another { kept } else { Vec::new() };
    if let Some(own) = site.map(|s| inputs.site.read(s)).transpose()?.and_then(|own| body(&own)) {
        // What the site put there as well has come with it.
        let own_lines = split_lines(&own);
        let added = line_edits(&before, &own, dialect.blanks).into_iter().flat_map(|e| e.new);
        let added: HashSet<u64> = added.map(|j| hash(own_lines[j].trimmed())).collect();
        found.retain(|(hash, _)| !added.contains(hash));
    }
    drop(lines);
    let added = edits.into_iter().map(|edit| edit.new).collect();
    let added = Added { triple: k, path: entry.path.clone(), body: text, is_new: base.is_none(), twins, added };
    Ok(Some(Looked { added: Some(added), lines: found, unsure, all, before: had }))
}
