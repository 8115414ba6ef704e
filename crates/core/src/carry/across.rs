//! Following changes into other files.
//!
//! A vendor moves a block of a page into a part of its own, or splits a file. The stretch is then deleted in one
//! file and added in another; a site change in it would be a question although its home is plain to see. Where
//! most of the stretch's telling lines stand in one place that the release added, in order, and in no other, the
//! stretch is merged there as a small file of its own.

use std::collections::HashMap;
use std::ops::Range;

use super::file::{FileResult, Triple};
use super::run::Inputs;
use crate::changes::{ChangeId, FileChange, What};
use crate::diff::Edit;
use crate::diff::sketch::WordBag;
use crate::merge::{MergeOptions, Outcome, Reason, line_edits, merge_text};
use crate::text::key::is_weak;
use crate::text::{Line, Text, split_lines};
use crate::theme::{ReadError, dialect_of};

/// A stretch that found its home in another file.
pub(crate) struct Follow {
    /// The file (index of its triple) that the stretch was in.
    pub(crate) from: usize,
    /// Lines of the site's file that went, and the base's lines to put in their place.
    pub(crate) site: Range<usize>,
    pub(crate) base_text: Vec<u8>,
    /// The file (index of its triple) that has it now.
    pub(crate) to: usize,
    /// Lines of the release's file there, and what they become.
    pub(crate) window: Range<usize>,
    pub(crate) merged: Vec<u8>,
    /// The changes that went along.
    pub(crate) changes: Vec<ChangeId>,
}

/// Tells whether a file's result has questions that another file may answer.
pub(crate) fn may_be_elsewhere(result: &FileResult) -> bool {
    result.decisions.iter().any(|d| {
        matches!(d.reason, Reason::ReleaseDeleted | Reason::BothChanged | Reason::PlaceOpen | Reason::SiteDeleted)
            && d.base.bytes().is_some_and(|b| !b.is_empty())
    })
}

/// A line that occurs more often among the release's additions tells nothing about a home.
const TOO_COMMON: usize = 4;
/// Lines in a row that may be new or gone within a stretch.
const HOLE: usize = 4;
/// Lines of context taken around a change in a file that is gone.
const CONTEXT: usize = 8;

/// The lines that the release added, wherever.
struct Additions {
    /// The triple of each file and its release text.
    files: Vec<(usize, Vec<u8>)>,
    /// Where each telling line was added: file and line.
    places: HashMap<Vec<u8>, Vec<(usize, usize)>>,
}

impl Additions {
    fn collect(inputs: &Inputs<'_>, triples: &[Triple]) -> Result<Self, ReadError> {
        let mut additions = Additions { files: Vec::new(), places: HashMap::new() };
        for (k, triple) in triples.iter().enumerate() {
            let Some(r) = triple.release else { continue };
            let entry = &inputs.release.entries()[r];
            let base = triple.base.map(|b| &inputs.base.entries()[b]);
            if entry.binary || entry.size > 4 << 20 || base.is_some_and(|b| b.digest == entry.digest || b.binary) {
                continue;
            }
            let bytes = inputs.release.read(r)?;
            let Some(text) = Text::decode(&bytes) else { continue };
            let before = triple.base.map(|b| inputs.base.read(b)).transpose()?;
            let before = before.as_deref().and_then(Text::decode).map(|t| t.body.into_owned()).unwrap_or_default();
            let dialect = dialect_of(&entry.path, inputs.layout.kind(&entry.path, &bytes), &bytes);
            let file = additions.files.len();
            let lines = split_lines(&text.body);
            for edit in line_edits(&before, &text.body, dialect.blanks) {
                for j in edit.new {
                    let line = lines[j].trimmed();
                    if !is_weak(line) {
                        additions.places.entry(line.to_vec()).or_default().push((file, j));
                    }
                }
            }
            additions.files.push((k, text.body.into_owned()));
        }
        Ok(additions)
    }

    /// Finds the one clear home of a stretch: the file, its lines, and which lines of the stretch they are.
    fn home(&self, stretch: &[Line<'_>]) -> Option<(usize, Range<usize>, Range<usize>)> {
        let telling = stretch.iter().filter(|l| !is_weak(l.trimmed())).count();
        let mut by_file: HashMap<usize, Vec<(usize, usize)>> = HashMap::new();
        for (i, line) in stretch.iter().enumerate() {
            let places = self.places.get(line.trimmed()).filter(|p| p.len() <= TOO_COMMON);
            for (file, j) in places.into_iter().flatten() {
                by_file.entry(*file).or_default().push((i, *j));
            }
        }
        let mut runs: Vec<(usize, Vec<(usize, usize)>)> = by_file
            .into_iter()
            .flat_map(|(file, pairs)| chains(&pairs).into_iter().map(move |c| (file, c)))
            .collect();
        runs.sort_by(|a, b| b.1.len().cmp(&a.1.len()).then((a.0, a.1[0]).cmp(&(b.0, b.1[0]))));
        let (file, run) = runs.first()?;
        let rival = runs.get(1).map_or(0, |r| r.1.len());
        let words: usize = run.iter().map(|(i, _)| WordBag::of(stretch[*i].trimmed()).word_count()).sum();
        let enough = run.len() * 10 >= telling * 6 && (run.len() >= 2 && words >= 6 || words >= 8);
        if !enough || rival * 2 > run.len() {
            return None;
        }
        let lines = split_lines(&self.files[*file].1);
        let (mut i0, mut j0) = run[0];
        let (mut i1, mut j1) = run.last().map(|(i, j)| (i + 1, j + 1))?;
        while i0 > 0 && j0 > 0 && stretch[i0 - 1].trimmed() == lines[j0 - 1].trimmed() {
            (i0, j0) = (i0 - 1, j0 - 1);
        }
        while i1 < stretch.len() && j1 < lines.len() && stretch[i1].trimmed() == lines[j1].trimmed() {
            (i1, j1) = (i1 + 1, j1 + 1);
        }
        Some((*file, j0..j1, i0..i1))
    }
}

/// Cuts pairs (in order of the stretch) into chains that go on in order, with small holes.
fn chains(pairs: &[(usize, usize)]) -> Vec<Vec<(usize, usize)>> {
    let mut out: Vec<Vec<(usize, usize)>> = Vec::new();
    for pair in pairs {
        let fits = |chain: &&mut Vec<(usize, usize)>| {
            chain.last().is_some_and(|(i, j)| {
                pair.0 > *i && pair.1 > *j && pair.0 - i <= HOLE + 1 && pair.1 - j <= HOLE + 1
            })
        };
        match out.iter_mut().rev().find(fits) {
            Some(chain) => chain.push(*pair),
            None => out.push(vec![*pair]),
        }
    }
    out
}

/// Finds homes in other files for the open questions of some files.
pub(crate) fn follow(
    inputs: &Inputs<'_>,
    options: &MergeOptions,
    triples: &[Triple],
    asked: &[(usize, &FileChange, &FileResult)],
) -> Result<Vec<Follow>, ReadError> {
    if asked.is_empty() {
        return Ok(Vec::new());
    }
    let additions = Additions::collect(inputs, triples)?;
    let mut out: Vec<Follow> = Vec::new();
    for (k, touched, result) in asked {
        let triple = &triples[*k];
        let (Some(b), Some(s)) = (triple.base, triple.site) else { continue };
        let (base, site) = (inputs.base.read(b)?, inputs.site.read(s)?);
        let (Some(base), Some(site)) = (Text::decode(&base), Text::decode(&site)) else { continue };
        let (base_lines, site_lines) = (split_lines(&base.body), split_lines(&site.body));
        let path = &inputs.site.entries()[s].path;
        let dialect = dialect_of(path, touched.kind, &site.body);
        let edits = line_edits(&base.body, &site.body, dialect.blanks);
        for stretch in stretches(touched, result, base_lines.len(), triple.release.is_none()) {
            let Some((file, window, part)) = additions.home(&base_lines[stretch.clone()]) else { continue };
            if additions.files[file].0 == *k {
                continue;
            }
            let base_range = stretch.start + part.start..stretch.start + part.end;
            let Some(site_range) = span(&edits, &base_range) else { continue };
            let joined = |lines: &[Line<'_>]| -> Vec<u8> {
                lines.iter().flat_map(|l| [l.content, b"\n"].concat()).collect()
            };
            let release_lines = split_lines(&additions.files[file].1);
            let (base_text, site_text, window_text) = (
                joined(&base_lines[base_range.clone()]),
                joined(&site_lines[site_range.clone()]),
                joined(&release_lines[window.clone()]),
            );
            let Some(merged) = merge_text(&base_text, &site_text, &window_text, &dialect, options) else {
                continue;
            };
            let taken = out.iter().any(|f| {
                f.to == additions.files[file].0 && f.window.start < window.end && window.start < f.window.end
            });
            let ids: Vec<ChangeId> = touched
                .changes
                .iter()
                .filter(|c| c.what == What::Edited)
                .filter(|c| c.base.as_ref().is_some_and(|r| inside(r, &base_range)))
                .map(|c| c.id.clone())
                .collect();
            let clean = merged.decisions.is_empty() && merged.edits.iter().all(|e| e.outcome != Outcome::Open);
            if ids.is_empty() || taken || !clean {
                continue;
            }
            out.push(Follow {
                from: *k,
                site: site_range,
                base_text,
                to: additions.files[file].0,
                window,
                merged: merged.bytes,
                changes: ids,
            });
        }
    }
    Ok(out)
}

/// The stretches of the base that are in question: those of the decisions, or for a file that is gone, each
/// change with its surroundings.
fn stretches(touched: &FileChange, result: &FileResult, base_len: usize, gone: bool) -> Vec<Range<usize>> {
    if !gone {
        let lines = result.decisions.iter().filter_map(|d| d.base_lines).map(|l| l.range());
        return lines.filter(|r| !r.is_empty() && r.end <= base_len).collect();
    }
    let mut out: Vec<Range<usize>> = Vec::new();
    for at in touched.changes.iter().filter_map(|c| c.base.clone()) {
        let wide = at.start.saturating_sub(CONTEXT)..(at.end + CONTEXT).min(base_len);
        match out.last_mut() {
            Some(last) if last.end >= wide.start => last.end = wide.end,
            _ => out.push(wide),
        }
    }
    out
}

/// An edit lies inside of a stretch; an insertion at its edge does not.
fn inside(edit: &Range<usize>, stretch: &Range<usize>) -> bool {
    if edit.is_empty() {
        stretch.start < edit.start && edit.start < stretch.end
    } else {
        stretch.start <= edit.start && edit.end <= stretch.end
    }
}

/// The site's lines for a stretch of the base; `None` where an edit reaches over its edge.
fn span(edits: &[Edit], base: &Range<usize>) -> Option<Range<usize>> {
    let mut start = base.start;
    let mut end = base.end;
    for edit in edits {
        let grown = |at: usize| (at + edit.new.len()).checked_sub(edit.old.len());
        if edit.old.end <= base.start {
            (start, end) = (grown(start)?, grown(end)?);
        } else if inside(&edit.old, base) {
            end = grown(end)?;
        } else if edit.old.start < base.end && base.start < edit.old.end {
            return None;
        }
    }
    Some(start..end)
}

/// Replaces some lines of a text; the line ends of the text stay.
pub(crate) fn replace_lines(text: &[u8], spots: &mut [(Range<usize>, Vec<u8>)]) -> Option<Vec<u8>> {
    let decoded = Text::decode(text)?;
    let lines = split_lines(&decoded.body);
    let end = crate::text::Form::of(&lines).line_end;
    spots.sort_by_key(|(r, _)| r.start);
    let mut out = Vec::with_capacity(text.len());
    let mut at = 0;
    for (range, new) in spots.iter() {
        for line in &lines[at..range.start] {
            out.extend_from_slice(line.content);
            out.extend_from_slice(line.end.bytes());
        }
        for line in split_lines(new) {
            out.extend_from_slice(line.content);
            out.extend_from_slice(end.bytes());
        }
        at = range.end;
    }
    for line in &lines[at..] {
        out.extend_from_slice(line.content);
        out.extend_from_slice(line.end.bytes());
    }
    Text::encode(out, decoded.encoding)
}
