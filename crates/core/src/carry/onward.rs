//! The release's changes at lines that the site put into files of its own.
//!
//! A site that moves a block of a page into a part, or splits a file, has deleted what the release goes on changing. It
//! is the mirror of what [`super::across`] does, and found the same way with the sides in each other's place: where
//! the lines around a change of the release stand in one new file of the site's and no other, it is made there.

use std::collections::{BTreeMap, BTreeSet};

use super::account::{Blob, Followed, Lines};
use super::across::{Follow, Spot, follow, replace_lines};
use super::file::{FileResult, Instead, Triple, carry_file, result_path};
use super::run::{CarryOptions, Inputs};
use crate::changes::{FileChange, file_change};
use crate::merge::MergeOptions;
use crate::text::{Encoding, Text};
use crate::theme::{Kind, Pair, ReadError};

/// Works out again what the release's changes in other files belong to: both the files that the site took the lines from
/// and those that it put them into, by their index. `taken` names files that changes moved to or from already.
pub(super) fn onward<'c>(
    inputs: &Inputs<'_>,
    options: &CarryOptions,
    triples: &[Triple],
    touched_by: impl Fn(&Triple) -> Option<&'c FileChange>,
    results: &[FileResult],
    taken: &BTreeSet<usize>,
) -> Result<BTreeMap<usize, FileResult>, ReadError> {
    let is_part = |t: &Triple| {
        let own = t.site.map(|s| &inputs.site.entries()[s]);
        t.base.is_none() && t.release.is_none() && own.is_some_and(|entry| !entry.binary)
    };
    let mut again = BTreeMap::new();
    if !triples.iter().any(is_part) {
        return Ok(again);
    }
    let mut vendors: Vec<(usize, FileChange)> = Vec::new();
    for (k, triple) in triples.iter().enumerate().filter(|(k, _)| !taken.contains(k)) {
        // What is merged by key has no lines to follow.
        let by_lines = |own: &FileChange| !matches!(own.kind, Kind::Settings | Kind::Catalog);
        if touched_by(triple).is_some_and(by_lines) {
            vendors.extend(release_change(inputs, triple)?.map(|change| (k, change)));
        }
    }
    let swapped = Inputs::new([inputs.base, inputs.release, inputs.site], inputs.layout);
    let sides = |t: &Triple| Triple { base: t.base, site: t.release, release: t.site };
    let swapped_triples: Vec<Triple> = triples.iter().map(sides).collect();
    let merging = MergeOptions { trust: options.trust, ..MergeOptions::default() };
    let changes: Vec<(usize, &FileChange)> = vendors.iter().map(|(k, change)| (*k, change)).collect();
    let mut follows = follow(&swapped, &merging, &swapped_triples, &changes)?.follows;
    follows.retain(|follow| is_part(&triples[follow.to]) && !taken.contains(&follow.to));

    let mut by_origin: BTreeMap<usize, Vec<Follow>> = BTreeMap::new();
    for follow in follows {
        by_origin.entry(follow.from).or_default().push(follow);
    }
    let mut windows: BTreeMap<usize, Vec<Spot>> = BTreeMap::new();
    let work_out =
        |k: usize, instead: &Instead| carry_file(inputs, options, &triples[k], touched_by(&triples[k]), instead);
    // A file in another encoding may have no letters for what the release says.
    let is_single = |bytes: &[u8]| Text::decode(bytes).is_some_and(|t| t.encoding == Encoding::SingleByte);
    let can_say = |follow: &Follow, release: &[u8]| -> Result<bool, ReadError> {
        let own = triples[follow.to].site.map(|s| inputs.site.read(s)).transpose()?.unwrap_or_default();
        Ok(follow.added.iter().all(|lines| lines.is_ascii()) || is_single(&own) == is_single(release))
    };
    for (k, follows) in by_origin {
        let Some(release) = triples[k].release.map(|r| inputs.release.read(r)).transpose()? else { continue };
        let can = follows.iter().try_fold(true, |all, follow| can_say(follow, &release).map(|can| all && can))?;
        if !can {
            continue;
        }
        let mut spots: Vec<Spot> = follows.iter().flat_map(|follow| follow.site.clone()).collect();
        let Some(without) = replace_lines(&release, &mut spots) else { continue };
        let mut result = work_out(k, &Instead { release: Some(without), ..Instead::default() })?;
        // Nothing is gained where more is asked than before.
        if result.decisions.len() > results[k].decisions.len() {
            continue;
        }
        result.followed = follows.iter().flat_map(|follow| told(inputs, triples, follow)).collect();
        again.insert(k, result);
        for follow in follows {
            windows.entry(follow.to).or_default().push(follow.window);
        }
    }
    for (k, mut spots) in windows {
        let Some(own) = triples[k].site.map(|s| inputs.site.read(s)).transpose()? else { continue };
        let site = replace_lines(&own, &mut spots);
        again.insert(k, work_out(k, &Instead { site, ..Instead::default() })?);
    }
    Ok(again)
}

/// What the release changed in a file.
fn release_change(inputs: &Inputs<'_>, triple: &Triple) -> Result<Option<FileChange>, ReadError> {
    let (Some(b), Some(r)) = (triple.base, triple.release) else { return Ok(None) };
    let renamed = inputs.base.entries()[b].path != inputs.release.entries()[r].path;
    let pair = Pair { old: Some(b), new: Some(r), renamed, similarity: 1.0 };
    file_change(inputs.base, inputs.release, inputs.layout, &pair)
}

/// What the account says of the changes that went along.
fn told(inputs: &Inputs<'_>, triples: &[Triple], follow: &Follow) -> Vec<Followed> {
    let path = result_path(inputs, &triples[follow.from]).to_string();
    let to = result_path(inputs, &triples[follow.to]).to_string();
    let spots = follow.site.iter().zip(&follow.added);
    let followed = |((lines, removed), added): (&Spot, &Vec<u8>)| Followed {
        path: path.clone(),
        to: to.clone(),
        release: Lines::from(lines),
        removed: Blob::of(removed),
        added: Blob::of(added),
    };
    spots.map(followed).collect()
}
