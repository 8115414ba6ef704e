//! What merging by key has in common, whatever the format: the changes by key, and how they become the changes by
//! line that the account knows.

use std::ops::Range;

use crate::diff::Edit;
use crate::merge::{EditFate, Outcome, Reason, Step, TextDecision, TextMerge};
use crate::text::{Form, split_lines};

/// One key that the site changed, and what became of it. Spans are in bytes.
#[derive(Debug, Clone)]
pub(crate) struct KeyChange {
    /// Where the value is, in the format's own way.
    pub(crate) pointer: String,
    pub(crate) base: Option<Range<usize>>,
    pub(crate) site: Option<Range<usize>>,
    pub(crate) release: Option<Range<usize>>,
    pub(crate) result: Option<Range<usize>>,
    pub(crate) outcome: Outcome,
    pub(crate) step: Option<Step>,
    /// Why it is asked, where it is.
    pub(crate) reason: Option<Reason>,
}

/// The result of a merge by key.
#[derive(Debug, Clone)]
pub(crate) struct KeyedMerge {
    pub(crate) bytes: Vec<u8>,
    pub(crate) changes: Vec<KeyChange>,
}

/// The lines that a span of bytes touches.
fn lines_of(text: &[u8], span: &Range<usize>) -> Range<usize> {
    let line = |at: usize| text[..at.min(text.len())].iter().filter(|b| **b == b'\n').count();
    let last = span.end.saturating_sub(1).max(span.start);
    line(span.start)..line(last) + 1
}

fn meets(lines: &Range<usize>, edit: &Range<usize>) -> bool {
    lines.start < edit.end.max(edit.start + 1) && edit.start <= lines.end.saturating_sub(1)
}

impl KeyedMerge {
    /// Tells the merge in lines: each line edit of the site has the gravest outcome of the keys in it.
    pub(crate) fn into_text(self, edits: Vec<Edit>, base: &[u8], site: &[u8], release: &[u8]) -> TextMerge {
        let mut fates: Vec<EditFate> = edits
            .into_iter()
            .map(|e| EditFate {
                base: e.old,
                site: e.new,
                release: 0..0,
                result: 0..0,
                // An edit without a key in it changed the form only: commas, order, blanks.
                outcome: Outcome::Fitted,
                step: Some(Step::ReleaseForm),
            })
            .collect();
        let mut seen = vec![false; fates.len()];
        let mut decisions = Vec::new();
        for change in &self.changes {
            let site_lines = change.site.as_ref().map(|s| lines_of(site, s));
            let base_lines = change.base.as_ref().map(|b| lines_of(base, b));
            let result_lines = change.result.as_ref().map_or(0..0, |r| lines_of(&self.bytes, r));
            let mut mine = Vec::new();
            for (k, fate) in fates.iter_mut().enumerate() {
                let here = site_lines.as_ref().is_some_and(|l| !fate.site.is_empty() && meets(l, &fate.site))
                    || base_lines.as_ref().is_some_and(|l| !fate.base.is_empty() && meets(l, &fate.base));
                if !here {
                    continue;
                }
                mine.push(k);
                if !seen[k] || change.outcome.gravity() >= fate.outcome.gravity() {
                    fate.outcome = change.outcome;
                    fate.step =
                        if change.outcome == Outcome::Kept { None } else { change.step.or(Some(Step::ByKey)) };
                    fate.result = result_lines.clone();
                    fate.release = change.release.as_ref().map_or(0..0, |r| lines_of(release, r));
                }
                seen[k] = true;
            }
            if let (Some(reason), Outcome::Open) = (change.reason, change.outcome) {
                let part = |text: &[u8], span: &Option<Range<usize>>| {
                    span.clone().map(|s| text[s].to_vec()).unwrap_or_default()
                };
                decisions.push(TextDecision {
                    reason,
                    base: base_lines.unwrap_or(0..0),
                    site: site_lines.unwrap_or(0..0),
                    release: change.release.as_ref().map_or(0..0, |r| lines_of(release, r)),
                    result: result_lines,
                    edits: mine,
                    base_text: part(base, &change.base),
                    site_text: part(site, &change.site),
                    release_text: part(release, &change.release),
                });
            }
        }
        TextMerge { bytes: self.bytes, edits: fates, decisions, space_lines: 0, space_follows_release: true }
    }
}

/// The indentation unit of a text.
pub(crate) fn unit(text: &[u8]) -> Vec<u8> {
    Form::of(&split_lines(text)).unit.bytes(1)
}

/// Writes lines of one text as they would stand in another: their indentation beyond `from` goes beyond `to`, in
/// the other's unit and with its line ends.
pub(crate) fn reindent(raw: &[u8], from: &[u8], to: &[u8], from_text: &[u8], to_text: &[u8]) -> Vec<u8> {
    if !raw.contains(&b'\n') && !raw.contains(&b'\r') {
        return raw.to_vec();
    }
    let (own, other) = (Form::of(&split_lines(from_text)), Form::of(&split_lines(to_text)));
    let mut out = Vec::with_capacity(raw.len());
    let base = own.measure(from);
    for (k, line) in split_lines(raw).iter().enumerate() {
        if k == 0 || line.is_blank() {
            out.extend_from_slice(line.content);
        } else {
            let mut indent = own.measure(line.indent());
            indent.levels = indent.levels.saturating_sub(base.levels);
            out.extend_from_slice(to);
            out.extend(other.write(indent));
            out.extend_from_slice(line.trimmed());
        }
        if line.end != crate::text::LineEnd::None {
            out.extend_from_slice(other.line_end.bytes());
        }
    }
    out
}
