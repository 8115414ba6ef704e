//! Questions about lines that a site deleted in one file and that the release seems to have in another.
//!
//! Whether they are the same lines is not sure, so they are not taken out; but they must not come back without a word.
//! The question stands where they are now.

use std::ops::Range;

use super::Content;
use super::account::{Blob, Decision, Lines, Remark, Source, Stands};
use super::across::{Doubt, replace_lines};
use super::file::{FileResult, decision};
use super::markers::{BASE, CLOSE, MIDDLE, OPEN};
use super::run::{CarryOptions, Inputs};
use crate::merge::{Leave, Reason};
use crate::text::{Text, split_lines};
use crate::theme::{Digest, dialect_of};

const SAME: &str = "where they were before: see whether they are the same";

/// Puts the question into the result of the file that seems to have the lines. Returns its id; `None` where they
/// cannot be found there, or stand in another question.
pub(super) fn ask(
    inputs: &Inputs<'_>,
    options: &CarryOptions,
    result: &mut FileResult,
    doubt: &Doubt,
) -> Option<String> {
    let Some(Content::Merged(bytes, origin)) = &result.content else { return None };
    let at = place(bytes, doubt)?;
    // A question about the whole text is about them, too.
    let is_whole = |d: &&mut Decision| d.result.is_none() && d.reason != Reason::BothRenamed;
    if let Some(whole) = result.decisions.iter_mut().find(is_whole) {
        whole.changes.push(doubt.change.clone());
        whole.suggestion.get_or_insert_with(|| format!("the site deleted lines of this file {SAME}"));
        return Some(whole.id.clone());
    }
    let taken = |lines: Option<Lines>| lines.is_some_and(|l| l.range().start < at.end && at.start < l.range().end);
    if result.decisions.iter().any(|d| taken(d.result)) {
        return None;
    }
    let dialect = dialect_of(&result.path, inputs.layout.kind(&result.path, bytes), bytes);
    let version = inputs.themes.release.version.as_deref().unwrap_or_default();
    let (stands, text) = match options.leave {
        Leave::Site => (Stands::Site, Vec::new()),
        Leave::Markers if dialect.markers => {
            let close = [CLOSE, b" ", version.as_bytes()].concat().trim_ascii_end().to_vec();
            let lines = [OPEN, BASE, &doubt.text, MIDDLE, &doubt.text, &close];
            (Stands::Markers, lines.map(|part| [part.trim_ascii_end(), b"\n"].concat()).concat())
        }
        _ => (Stands::Release, doubt.text.clone()),
    };
    let there = at.start..at.start + split_lines(&text).len();
    let bytes =
        if stands == Stands::Release { bytes.clone() } else { replace_lines(bytes, &mut [(at.clone(), text)])? };
    let blobs = [&doubt.text[..], b"", &doubt.text].map(Blob::of);
    let ids = std::iter::once(doubt.change.clone());
    let mut asked = decision(&result.path, Reason::SiteDeleted, stands, Some(&there), blobs, ids);
    asked.suggestion = Some(format!("the site deleted these lines {SAME}"));
    if result.decisions.iter().any(|d| d.id == asked.id) {
        return None;
    }
    for lines in result.decisions.iter_mut().filter_map(|d| d.result.as_mut()) {
        if lines.range().start >= at.end {
            lines.line = lines.line + there.len() - at.len();
        }
    }
    result.record.as_mut().into_iter().for_each(|record| {
        record.from = Source::Merged;
        record.digest = Some(Digest::of(&bytes).hex());
    });
    result.content = Some(Content::Merged(bytes, *origin));
    let id = asked.id.clone();
    result.decisions.push(asked);
    result.decisions.sort_by_key(|d| d.result.map(|lines| lines.line));
    Some(id)
}

/// Says what could not be asked.
pub(super) fn remark(path: &str, from: &str, doubt: &Doubt) -> Remark {
    let line = doubt.lines.start + 1;
    let text = format!("the site deleted lines in {from} that the release seems to have here (its line {line})");
    Remark { path: path.to_string(), text }
}

/// Finds the lines in a result, as near as can be to where the release has them.
fn place(bytes: &[u8], doubt: &Doubt) -> Option<Range<usize>> {
    let decoded = Text::decode(bytes)?;
    let (lines, wanted) = (split_lines(&decoded.body), split_lines(&doubt.text));
    let is_at = |at: &usize| {
        lines[*at..].len() >= wanted.len()
            && lines[*at..].iter().zip(&wanted).all(|(a, b)| a.trimmed() == b.trimmed())
    };
    let at = (0..lines.len()).filter(is_at).min_by_key(|at| at.abs_diff(doubt.lines.start))?;
    Some(at..at + wanted.len())
}
