//! What one side put at the very end of a file, merged apart from the rest.
//!
//! Where the other side rewrote the lines beside an insertion, its place is open. At the end of the file it is not: what
//! was put behind all lines stays behind all lines, whatever became of the last of them.

use std::collections::HashSet;
use std::ops::Range;

use super::align::line_edits;
use super::balance::{Balance, balance, nests};
use super::lines::MergedLines;
use super::out::{Out, Source};
use super::second::{closes, is_better, out_of_place};
use super::{Dialect, EditFate, MergeOptions, Outcome, Step};
use crate::text::key::{Blanks, is_weak};
use crate::text::{Form, Line, LineEnd, split_lines};

/// Merges with what one side put at the end of the file apart, where that was asked about and it leaves less to a
/// person.
pub(super) fn merged_with_the_end_apart(
    merged: &MergedLines,
    versions: [&[u8]; 3],
    dialect: &Dialect,
    options: &MergeOptions,
    merge: impl Fn([&[u8]; 3]) -> MergedLines,
) -> Option<MergedLines> {
    if merged.decisions.is_empty() || !options.doubted.is_empty() {
        return None;
    }
    [Owner::Site, Owner::Release].into_iter().find_map(|owner| {
        let end = End::of(versions, owner, dialect).filter(|end| end.is_asked_about(merged))?;
        let found = end.put_behind(merge(end.versions_without()));
        let fits = out_of_place(&found, versions, dialect).is_empty() && closes(&found, versions, dialect);
        (fits && is_better(&found, merged)).then_some(found)
    })
}

/// Whose lines they are: the place of its text among base, site and release.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Owner {
    Site = 1,
    Release = 2,
}

/// Lines that one side put behind the last line of the base.
struct End<'a> {
    versions: [&'a [u8]; 3],
    owner: Owner,
    /// Which lines of the owner they are.
    lines: Range<usize>,
    /// Where in its text they begin.
    at: usize,
}

impl<'a> End<'a> {
    /// `None` where the side put nothing there that stands for itself: it closes or goes on with what is above, was only
    /// moved there, or the other side may have put the same in.
    fn of(versions: [&'a [u8]; 3], owner: Owner, dialect: &Dialect) -> Option<Self> {
        let [base, site, release] = versions.map(split_lines);
        let (own, other) = if owner == Owner::Site { (&site, &release) } else { (&release, &site) };
        let text = versions[owner as usize];
        let edits = line_edits(versions[0], text, dialect.blanks);
        let lines = edits.last().filter(|edit| edit.old == (base.len()..base.len()))?.new.clone();
        let (rest, put) = own.split_at(lines.start);
        let at = rest.iter().map(|line| line.content.len() + line.end.bytes().len()).sum();

        let first = put.iter().find(|line| !line.is_blank())?;
        let outermost = base.iter().filter(|line| !line.is_blank()).map(Line::width).min()?;
        let goes_on = first.width() > outermost || dialect.blanks == Blanks::IndentIsMeaning && !put[0].is_blank();
        // Which of two like lines was put in, and is the last, is open.
        let last = put.last()?.trimmed();
        let repeats = !is_weak(last) && rest.last().is_some_and(|line| line.trimmed() == last);
        let is_closed = balance(&text[at..], dialect.markup) == Balance::default() && nests(&text[at..]);
        if goes_on || repeats || !is_closed {
            return None;
        }
        let [before, kept, others] = [&base, rest, other].map(telling_lines);
        let is_new =
            |line: &&[u8]| if before.contains(line) { kept.contains(line) } else { !others.contains(line) };
        telling_lines(put).iter().all(is_new).then_some(End { versions, owner, lines, at })
    }

    /// Tells whether a question holds some of the lines.
    fn is_asked_about(&self, merged: &MergedLines) -> bool {
        merged.decisions.iter().any(|asked| {
            let lines = if self.owner == Owner::Site { &asked.site } else { &asked.release };
            !lines.is_empty() && lines.end > self.lines.start
        })
    }

    /// Base, site and release without the lines.
    fn versions_without(&self) -> [&'a [u8]; 3] {
        let mut versions = self.versions;
        versions[self.owner as usize] = &versions[self.owner as usize][..self.at];
        versions
    }

    /// Adds the lines to a merge that was made without them.
    fn put_behind(&self, merged: MergedLines) -> MergedLines {
        let [base, own, release] = [0, self.owner as usize, 2].map(|k| split_lines(self.versions[k]));
        let mut out = Out::new(Form::of(&release).line_end);
        for (line, source) in split_lines(&merged.bytes).into_iter().zip(merged.sources) {
            out.line(line.content, line.end, source);
        }
        let from = out.lines();
        for line in self.lines.clone() {
            let source = if self.owner == Owner::Site { Source::of_site(line) } else { Source::of_release(line) };
            out.line(own[line].content, LineEnd::None, source);
        }
        let result = from..out.lines();
        let mut edits = merged.edits;
        if self.owner == Owner::Site {
            let [base, release] = [&base, &release].map(|side| side.len()..side.len());
            let (outcome, step) = (Outcome::Fitted, Some(Step::Neighbour));
            edits.push(EditFate { base, site: self.lines.clone(), release, result, outcome, step });
        }
        let (bytes, sources) = out.finish(own.last().is_some_and(|line| line.end != LineEnd::None));
        MergedLines { bytes, sources, edits, ..merged }
    }
}

/// What stands in some lines, but for lines that are much alike anywhere.
fn telling_lines<'a>(lines: &[Line<'a>]) -> HashSet<&'a [u8]> {
    lines.iter().map(Line::trimmed).filter(|line| !is_weak(line)).collect()
}
