//! A result as it is with an answer, to be looked at.

use super::TextDecision;
use super::lines::MergedLines;
use super::out::Source;
use crate::text::{joined, split_lines};

/// A result with one side's text in all its questions.
pub(crate) struct Placed {
    pub(crate) bytes: Vec<u8>,
    /// Where each line comes from.
    pub(crate) sources: Vec<Source>,
    /// Which lines are part of a question.
    pub(crate) asked: Vec<bool>,
    /// Which line of the result each is; of a question's, the first.
    pub(crate) lines: Vec<usize>,
    /// Before which lines the questions stand.
    pub(crate) spots: Vec<usize>,
}

impl MergedLines {
    /// The results that answers can give: with the site's side in all questions, and with the release's; one where
    /// there are none.
    pub(crate) fn answered(&self) -> Vec<Placed> {
        let sides = if self.decisions.is_empty() { &[true][..] } else { &[true, false] };
        sides.iter().map(|by_site| self.with_side(*by_site)).collect()
    }

    pub(crate) fn with_side(&self, by_site: bool) -> Placed {
        let lines = split_lines(&self.bytes);
        let mut placed = Placed {
            bytes: Vec::new(),
            sources: Vec::new(),
            asked: Vec::new(),
            lines: Vec::new(),
            spots: Vec::new(),
        };
        let kept = |placed: &mut Placed, from: usize, to: usize| {
            placed.bytes.extend(joined(&lines[from..to]));
            placed.sources.extend((from..to).map(|at| self.sources.get(at).copied().unwrap_or_default()));
            placed.asked.extend((from..to).map(|_| false));
            placed.lines.extend(from..to);
        };
        let mut at = 0;
        for asked in &self.decisions {
            // An open spot at the end of a file may have nothing standing there.
            let (from, to) = (asked.result.start.clamp(at, lines.len()), asked.result.end.clamp(at, lines.len()));
            kept(&mut placed, at, from);
            let TextDecision { site, release, site_text, release_text, .. } = asked;
            let (text, own) = if by_site { (site_text, site) } else { (release_text, release) };
            placed.spots.push(placed.lines.len());
            let count = split_lines(text).len();
            let source = |line: usize| match by_site {
                _ if count != own.len() => Source::default(),
                true => Source::of_site(own.start + line),
                false => Source::of_release(own.start + line),
            };
            placed.bytes.extend(text);
            placed.sources.extend((0..count).map(source));
            placed.asked.extend((0..count).map(|_| true));
            placed.lines.extend((0..count).map(|_| from));
            at = to;
        }
        kept(&mut placed, at, lines.len());
        placed
    }
}
