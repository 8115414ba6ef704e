//! What one side put at a place that the structure of the file tells, merged apart from the rest.
//!
//! Where the other side rewrote the lines beside an insertion, its place is open. At the end of the file it is not: what
//! was put behind all lines stays behind all lines, whatever became of the last of them. No more is it at the edges of
//! a page's head and body, where snippets go.

use std::collections::HashSet;
use std::ops::Range;

use memchr::memchr_iter;

use super::align::line_edits;
use super::balance::{Balance, balance, nests};
use super::lines::MergedLines;
use super::out::{Out, Source};
use super::second::{closes, is_better, out_of_place};
use super::tags::tag_end;
use super::{Dialect, EditFate, MergeOptions, Outcome, Step};
use crate::diff::Edit;
use crate::text::key::{Blanks, is_weak};
use crate::text::{Form, Line, LineEnd, split_lines};

/// Merges with what one side put at such places apart, where that was asked about and it leaves less to a person.
pub(super) fn merged_with_parts_apart(
    merged: &MergedLines,
    versions: [&[u8]; 3],
    dialect: &Dialect,
    options: &MergeOptions,
    merge: impl Fn([&[u8]; 3]) -> MergedLines,
) -> Option<MergedLines> {
    if merged.decisions.is_empty() || !options.doubted.is_empty() {
        return None;
    }
    let texts = versions.map(Text::of);
    [Owner::Site, Owner::Release].into_iter().find_map(|owner| {
        let parts = Part::all(&texts, owner, dialect);
        let asked: Vec<&Part> = parts.iter().filter(|part| part.is_asked_about(merged)).collect();
        if asked.is_empty() {
            return None;
        }
        let rest = texts[owner as usize].without(&asked);
        let mut without = versions;
        without[owner as usize] = &rest;
        let found = asked.iter().try_fold(merge(without), |merged, part| part.put_into(merged, &texts))?;
        let fits = out_of_place(&found, versions, dialect).is_empty() && closes(&found, versions, dialect);
        (fits && is_better(&found, merged)).then_some(found)
    })
}

/// A text and its lines.
struct Text<'a> {
    bytes: &'a [u8],
    lines: Vec<Line<'a>>,
}

impl<'a> Text<'a> {
    fn of(bytes: &'a [u8]) -> Self {
        Text { bytes, lines: split_lines(bytes) }
    }

    /// Which line holds a byte.
    fn line_of(&self, at: usize) -> usize {
        let ends = self.lines.iter().scan(0, |end, line| {
            *end += length(line);
            Some(*end)
        });
        ends.take_while(|end| *end <= at).count()
    }

    /// The text without some parts of it.
    fn without(&self, parts: &[&Part]) -> Vec<u8> {
        let stays = |k: &usize| !parts.iter().any(|part| part.lines.contains(k));
        let lines = (0..self.lines.len()).filter(stays).map(|k| &self.lines[k]);
        lines.flat_map(|line| [line.content, line.end.bytes()].concat()).collect()
    }
}

fn length(line: &Line<'_>) -> usize {
    line.content.len() + line.end.bytes().len()
}

/// Whose lines they are: the place of its text among base, site and release.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Owner {
    Site = 1,
    Release = 2,
}

/// A place that is the same whatever stands around it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Place {
    /// Behind a page's only tag of this name.
    Behind(&'static [u8]),
    /// Before a page's only tag of this name.
    Before(&'static [u8]),
    FileEnds,
}

impl Place {
    /// In the order in which they stand.
    const ALL: [Place; 5] = [
        Place::Behind(b"<head"),
        Place::Before(b"</head"),
        Place::Behind(b"<body"),
        Place::Before(b"</body"),
        Place::FileEnds,
    ];

    /// Before which line of a text it is; `None` where the tag is not there, stands twice, or shares its lines with
    /// others.
    fn gap(self, text: &Text<'_>) -> Option<usize> {
        let blank = |text: &[u8]| text.trim_ascii().is_empty();
        match self {
            Place::FileEnds => Some(text.lines.len()),
            Place::Before(tag) => {
                let at = only(text.bytes, tag)?;
                let gap = text.line_of(at);
                text.lines[gap].trimmed().to_ascii_lowercase().starts_with(tag).then_some(gap)
            }
            Place::Behind(tag) => {
                let end = tag_end(text.bytes, only(text.bytes, tag)?)?;
                let last = text.line_of(end - 1);
                let line_end: usize = text.lines[..=last].iter().map(length).sum();
                blank(&text.bytes[end..line_end]).then_some(last + 1)
            }
        }
    }

    /// How the line is indented in which its tag begins.
    fn indent<'a>(self, text: &Text<'a>) -> &'a [u8] {
        let at = match self {
            Place::Behind(tag) | Place::Before(tag) => only(text.bytes, tag),
            Place::FileEnds => None,
        };
        at.map_or(b"", |at| text.lines[text.line_of(at)].indent())
    }

    /// Tells whether lines of a text that has the place before its line `gap` stand here, or are parted from here by
    /// blank lines alone.
    fn holds(self, text: &Text<'_>, gap: usize, lines: &Range<usize>) -> bool {
        let between = match self {
            Place::FileEnds => return lines.end == gap,
            Place::Behind(_) => gap..lines.start,
            Place::Before(_) => lines.end..gap,
        };
        text.lines.get(between).is_some_and(|lines| lines.iter().all(Line::is_blank))
    }

    fn step(self) -> Step {
        if self == Place::FileEnds { Step::Neighbour } else { Step::Snippet }
    }
}

/// Where a text has a tag of this name (given with what opens it, in small letters), if it has just one.
fn only(text: &[u8], tag: &[u8]) -> Option<usize> {
    let ends = |at: usize| text.get(at).is_none_or(|byte| !byte.is_ascii_alphanumeric() && *byte != b'-');
    let named = |at: usize| text.get(at..at + tag.len()).is_some_and(|found| found.eq_ignore_ascii_case(tag));
    let mut found = memchr_iter(b'<', text).filter(|at| named(*at) && ends(*at + tag.len()));
    found.next().filter(|_| found.next().is_none())
}

/// Lines that one side put at such a place.
struct Part {
    place: Place,
    owner: Owner,
    /// Before which line of the base.
    gap: usize,
    /// Which lines of the owner they are.
    lines: Range<usize>,
}

impl Part {
    /// All that a side put at such places, in order.
    fn all(texts: &[Text<'_>; 3], owner: Owner, dialect: &Dialect) -> Vec<Part> {
        let [base, own] = [0, owner as usize].map(|k| &texts[k]);
        let other = &texts[if owner == Owner::Site { Owner::Release } else { Owner::Site } as usize];
        let edits = line_edits(base.bytes, own.bytes, dialect.blanks);
        let at = |place: Place| {
            let [in_base, in_own, _] = [place.gap(base)?, place.gap(own)?, place.gap(other)?];
            let is_here = |edit: &&Edit| {
                edit.old.is_empty() && place.holds(base, in_base, &edit.old) && place.holds(own, in_own, &edit.new)
            };
            let edit = edits.iter().find(is_here)?;
            let part = Part { place, owner, gap: edit.old.start, lines: edit.new.clone() };
            part.stands_for_itself(base, own, other, dialect).then_some(part)
        };
        let places = Place::ALL.into_iter().filter(|place| dialect.markup || *place == Place::FileEnds);
        let mut parts: Vec<Part> = places.rev().filter_map(at).collect();
        // What stands alone in a head or body is both behind its opening and before its end: it goes to the end.
        parts.dedup_by(|before, behind| before.lines == behind.lines);
        parts.reverse();
        parts
    }

    /// Tells whether the lines neither close nor go on with what is above, were not only moved there, and the other side
    /// put none of the same in.
    fn stands_for_itself(&self, base: &Text<'_>, own: &Text<'_>, other: &Text<'_>, dialect: &Dialect) -> bool {
        let put = &own.lines[self.lines.clone()];
        let is_closed = {
            let text: Vec<u8> = put.iter().flat_map(|line| [line.content, b"\n"].concat()).collect();
            balance(&text, dialect.markup) == Balance::default() && nests(&text)
        };
        let Some(first) = put.iter().find(|line| !line.is_blank()).filter(|_| is_closed) else { return false };
        if self.place == Place::FileEnds {
            let outermost = base.lines.iter().filter(|line| !line.is_blank()).map(Line::width).min();
            let by_indent = dialect.blanks == Blanks::IndentIsMeaning && !put[0].is_blank();
            let goes_on = outermost.is_none_or(|outermost| first.width() > outermost) || by_indent;
            // Which of two like lines was put in, and is the last, is open.
            let above = self.lines.start.checked_sub(1).map(|above| own.lines[above].trimmed());
            let repeats = |line: &Line<'_>| !is_weak(line.trimmed()) && above == Some(line.trimmed());
            if goes_on || put.last().is_some_and(repeats) {
                return false;
            }
        }
        let rest = own.lines[..self.lines.start].iter().chain(&own.lines[self.lines.end..]);
        let [before, kept, others] = [telling_lines(&base.lines), telling_lines(rest), telling_lines(&other.lines)];
        let is_new =
            |line: &&[u8]| if before.contains(line) { kept.contains(line) } else { !others.contains(line) };
        telling_lines(put).iter().all(is_new)
    }

    /// Tells whether a question holds some of the lines.
    fn is_asked_about(&self, merged: &MergedLines) -> bool {
        merged.decisions.iter().any(|asked| {
            let lines = if self.owner == Owner::Site { &asked.site } else { &asked.release };
            lines.start < self.lines.end && self.lines.start < lines.end
        })
    }

    /// Puts the lines into a merge that was made without them; `None` where the place is not there, or within a question.
    fn put_into(&self, merged: MergedLines, texts: &[Text<'_>; 3]) -> Option<MergedLines> {
        let [own, release] = [self.owner as usize, 2].map(|k| &texts[k]);
        let result = Text::of(&merged.bytes);
        let at = self.place.gap(&result)?;
        if merged.decisions.iter().any(|asked| asked.result.start < at && at < asked.result.end) {
            return None;
        }
        let put = self.lines.len();
        let (in_result, in_own) = (Shift { from: at, by: put }, Shift { from: self.lines.start, by: put });

        let of_owner = if self.owner == Owner::Site { Source::of_site } else { Source::of_release };
        let mut sources = merged.sources.into_iter().map(|mut source| {
            let line = if self.owner == Owner::Site { &mut source.site } else { &mut source.release };
            *line = line.map(|line| in_own.line(line));
            source
        });
        let mut out = Out::new(Form::of(&release.lines).line_end);
        for (line, source) in result.lines[..at].iter().zip(sources.by_ref()) {
            out.line(line.content, line.end, source);
        }
        let (stood, stands) = (self.place.indent(own), self.place.indent(&result));
        let is_deep = |line: &Line<'_>| line.is_blank() || line.content.starts_with(stood);
        let follows = own.lines[self.lines.clone()].iter().all(is_deep);
        for line in self.lines.clone() {
            let content = own.lines[line].content;
            let inner = content.strip_prefix(stood).filter(|_| follows && !own.lines[line].is_blank());
            let deep = inner.map(|inner| [stands, inner].concat());
            out.line(deep.as_deref().unwrap_or(content), LineEnd::None, of_owner(line));
        }
        for (line, source) in result.lines[at..].iter().zip(sources) {
            out.line(line.content, line.end, source);
        }
        let last = if at == result.lines.len() { own.lines.last() } else { result.lines.last() };
        let (bytes, sources) = out.finish(last.is_some_and(|line| line.end != LineEnd::None));

        let (mut edits, mut decisions, mut formed) = (merged.edits, merged.decisions, merged.formed);
        let mut shared = merged.shared;
        let shift = |site: &mut Range<usize>, release: &mut Range<usize>, result: &mut Range<usize>| {
            in_result.range(result);
            in_own.range(if self.owner == Owner::Site { site } else { release });
        };
        edits.iter_mut().for_each(|e| shift(&mut e.site, &mut e.release, &mut e.result));
        decisions.iter_mut().for_each(|d| shift(&mut d.site, &mut d.release, &mut d.result));
        formed.iter_mut().for_each(|f| shift(&mut f.site, &mut f.release, &mut f.result));
        if self.owner == Owner::Site {
            shared.iter_mut().for_each(|shared| in_own.range(&mut shared.site));
            let k = edits.partition_point(|edit| (edit.base.start, edit.base.end) < (self.gap, self.gap));
            let later = Shift { from: k, by: 1 };
            for edit in decisions.iter_mut().flat_map(|asked| asked.edits.iter_mut().chain(&mut asked.with)) {
                *edit = later.line(*edit);
            }
            shared.iter_mut().for_each(|shared| shared.edit = later.line(shared.edit));
            let gap = self.place.gap(release)?;
            edits.insert(
                k,
                EditFate {
                    base: self.gap..self.gap,
                    site: self.lines.clone(),
                    release: gap..gap,
                    result: at..at + put,
                    outcome: Outcome::Fitted,
                    step: Some(self.place.step()),
                },
            );
        }
        Some(MergedLines { bytes, sources, edits, decisions, formed, shared, ..merged })
    }
}

/// How lines are counted once others were put in before one of them.
struct Shift {
    from: usize,
    by: usize,
}

impl Shift {
    fn line(&self, k: usize) -> usize {
        if k < self.from { k } else { k + self.by }
    }

    fn range(&self, lines: &mut Range<usize>) {
        let end = if lines.end > self.from { lines.end + self.by } else { lines.end };
        *lines = self.line(lines.start).min(end)..end;
    }
}

/// What stands in some lines, but for lines that are much alike anywhere.
fn telling_lines<'a, 'l>(lines: impl IntoIterator<Item = &'l Line<'a>>) -> HashSet<&'a [u8]>
where
    'a: 'l,
{
    lines.into_iter().map(Line::trimmed).filter(|line| !is_weak(line)).collect()
}
