//! Lines of either side as they are written in the result.

use std::borrow::Cow;
use std::ops::Range;

use super::Walk;
use crate::merge::balance::depth_of;
use crate::merge::gaps::{Edge, edge};
use crate::merge::ops::{Link, Op, OpKind};
use crate::merge::out::Source;
use crate::merge::tokens::merge_tokens;
use crate::merge::{Outcome, Step, Trust};
use crate::text::{Line, LineEnd, split_lines};

/// Lines ahead in which a line's counterpart is looked for.
const NEAR: usize = 40;
/// Lines above the end of a wrap in which its opening is looked for.
const WRAPPED: usize = 400;

impl<'a> Walk<'a, '_> {
    /// Writes a changed line of the site with the indentation that its base line has in the release.
    pub(super) fn forms_fit_changed(&self, line: &Line<'a>, base: &Line<'a>, release: &Line<'a>) -> Cow<'a, [u8]> {
        if base.indent() == release.indent() && !self.forms.site_reformatted {
            return Cow::Borrowed(line.content);
        }
        let shift = self.forms.site_shift(base, line);
        let indent = self.forms.shifted(release, shift);
        let width = indent.iter().take_while(|b| matches!(b, b' ' | b'\t')).count();
        let own = line.indent().len();
        if indent[..width] == line.content[..own] || line.is_blank() {
            return Cow::Borrowed(line.content);
        }
        Cow::Owned([&indent[..width], &line.content[own..]].concat())
    }

    /// A changed line of the site with the blanks between words as the release has them, where it changed those.
    pub(super) fn respaced(&self, content: Cow<'a, [u8]>, base: &Line<'a>, release: &Line<'a>) -> Cow<'a, [u8]> {
        if base.trimmed() == release.trimmed() || self.context.options.trust == Trust::Strict {
            return content;
        }
        let own = Line { content: &content, end: LineEnd::None };
        let words = merge_tokens(base.trimmed(), own.trimmed(), release.trimmed(), self.context.dialect);
        match words {
            Some(words) => Cow::Owned([own.indent(), &words, self.forms.trail(base, &own, release)].concat()),
            None => content,
        }
    }

    /// Writes what the release put into a gap, or in place of lines that begin there: as deep as the site has those, or
    /// else the surroundings.
    pub(super) fn release_lines(&mut self, op: &Op) {
        let (range, g) = (op.side.clone(), op.base.start);
        let shifts = self.surrounding_shifts(g);
        let alike = || shifts.0.filter(|_| shifts.0 == shifts.1);
        let around = self.shift_of_all(&op.base).or_else(alike).unwrap_or(0);
        // What is deeper than the first of the lines in place of which it stands goes on with the block above them.
        let first = op.base.clone().map(|i| &self.base.lines[i]).find(|line| !line.is_blank());
        let floor = first.map_or(0, |line| self.forms.base.measure(line.indent()).levels);
        let mut wrap = self.wrap_ending_at(g, shifts).map(|(level, shift)| (level.max(floor), shift));
        let mut k = range.start;
        while k < range.end {
            if let Some(at) =
                self.from_release_moves.iter().position(|m| m.lines.start == k && m.lines.end <= range.end)
            {
                k = self.from_release_moves[at].lines.end;
                self.replaced(at, true);
                continue;
            }
            let line = self.release.lines[k];
            // What stands deeper than the wrap goes on with a block in it.
            wrap = wrap
                .filter(|(level, _)| line.is_blank() || self.forms.release.measure(line.indent()).levels > *level);
            let content = self.forms.shifted(&line, wrap.map_or(around, |(_, shift)| shift));
            self.out.line(&content, line.end, Source::of_release(k));
            k += 1;
        }
    }

    /// By how many levels the site indents some lines of the base, if it has all of them and indents them alike.
    fn shift_of_all(&self, lines: &Range<usize>) -> Option<isize> {
        let mut solid = lines.clone().filter(|i| !self.base.lines[*i].is_blank());
        let shift = |i: usize| {
            let line = self.site_ops.links[i].line()?;
            Some(self.forms.site_shift(&self.base.lines[i], &self.site.lines[line]))
        };
        let first = shift(solid.next()?)?;
        solid.all(|i| shift(i) == Some(first)).then_some(first)
    }

    /// By how many levels the site indents the kept lines above and below a gap. Lines that it rewrote tell nothing: there
    /// the other side of the gap does.
    fn surrounding_shifts(&self, g: usize) -> (Option<isize>, Option<isize>) {
        let shift = |i: usize| -> Option<isize> {
            let b = &self.base.lines[i];
            let j = self.site_ops.links[i].line()?;
            (!b.is_blank()).then(|| self.forms.site_shift(b, &self.site.lines[j]))
        };
        let before = (g.saturating_sub(8)..g).rev().find_map(shift);
        let after = (g..(g + 8).min(self.base.lines.len())).find_map(shift);
        let rewritten = |line: Option<usize>| line.is_some_and(|line| self.site_ops.rewrite_of(line).is_some());
        match (rewritten(g.checked_sub(1)), rewritten(Some(g))) {
            (false, true) => (before, before),
            (true, false) => (after, after),
            _ => (before, after),
        }
    }

    /// The level of the one wrap of the site that ends at a gap by indentation alone, with nothing that closes it, and by
    /// how many levels it is deeper.
    fn wrap_ending_at(&self, g: usize, (above, below): (Option<isize>, Option<isize>)) -> Option<(usize, isize)> {
        let shift = above.filter(|shift| *shift > 0 && below != above)?;
        let last = (0..g).rev().find(|i| !self.base.lines[*i].is_blank())?;
        if (last + 1..=g).any(|gap| !self.site_ops.gap(gap).is_empty()) {
            return None;
        }
        let line = self.site_ops.links[last].line()?;
        let mut openers = self.site.blocks(line).filter(|opener| self.site_ops.puts(*opener));
        let opener = openers.next().filter(|_| openers.next().is_none())?;
        Some((self.forms.site.measure(self.site.lines[opener].indent()).levels, shift))
    }

    /// Writes lines of the site into gap `g`, fitted to how the release is written there.
    pub(super) fn site_lines(&mut self, op: &Op, range: Range<usize>, g: usize, step: Option<Step>) {
        let from = self.out.lines();
        let mut refitted = false;
        // Behind the end of the file no block is open, however deep the last lines have come to stand.
        let behind_all = g == self.base.lines.len()
            && self.site.lines[range.start..].iter().any(|l| l.indent().is_empty() && !l.is_blank());
        let reference = (!behind_all)
            .then(|| {
                let by_lines = || self.own_reference(op).or_else(|| self.reference(range.clone(), g, op.base.end));
                self.opener(op).or_else(|| self.wrapped(op)).or_else(by_lines)
            })
            .flatten()
            .map(|(from, to)| self.forms.with_room(&self.site.lines[range.clone()], from, to));
        let mut j = range.start;
        let mut next = op.base.start;
        while j < range.end {
            if let Some(at) =
                self.from_site_moves.iter().position(|m| m.lines.start == j && m.lines.end <= range.end)
            {
                j = self.from_site_moves[at].lines.end;
                self.replaced(at, false);
                continue;
            }
            let line = self.site.lines[j];
            let stands_for = op.base.start + (j - op.side.start);
            let own = (stands_for < op.base.end).then(|| self.release_ops.links[stands_for].line()).flatten();
            let content = match (&reference, own) {
                // Where a tool spaced the file, each line that stands for another is spaced as that one.
                (_, Some(r)) if self.forms.site_reformatted && op.base.len() == op.side.len() => {
                    self.forms_fit_changed(&line, &self.base.lines[stands_for], &self.release.lines[r])
                }
                (Some((from, to)), _) => self.forms.fitted(&line, from, to),
                (None, _) => Cow::Borrowed(line.content),
            };
            let content = match own.filter(|_| op.base.len() == op.side.len()) {
                Some(r) => self.respaced(content, &self.base.lines[stands_for], &self.release.lines[r]),
                None => content,
            };
            let content = self.forms.ended(content);
            refitted |= content != line.content;
            // It ends as the line does that it stands for, or as most lines do.
            let end = own.map_or(LineEnd::None, |r| self.release.lines[r].end);
            let source = self.counterpart(op, j, &mut next).unwrap_or(Source::of_site(j));
            self.out.line(&content, end, source);
            if op.kind == OpKind::Insert && depth_of(line.trimmed(), self.context.dialect.markup).1 > 0 {
                self.openers.insert(j, Line { content: &content, end: LineEnd::None }.indent().to_vec());
            }
            j += 1;
        }
        let (outcome, step) = match step {
            Some(step) => (Outcome::Fitted, Some(step)),
            None if self.site_touched[op.edit] => (Outcome::Fitted, Some(Step::Neighbour)),
            None if refitted => (Outcome::Fitted, Some(Step::Space)),
            None => (Outcome::Kept, None),
        };
        let release_at = self.release_ops.gap(g).start;
        self.note(op.edit, outcome, step, from..self.out.lines(), release_at..release_at);
    }

    /// The base line that a line of a rewrite stands for, with that of the release: line for line where there are as
    /// many, else the next one with the same words.
    fn counterpart(&self, op: &Op, j: usize, next: &mut usize) -> Option<Source> {
        let base = if op.base.len() == op.side.len() {
            op.base.start + (j - op.side.start)
        } else {
            let words = self.site.lines[j].trimmed();
            (*next..op.base.end).take(NEAR).find(|i| self.base.lines[*i].trimmed() == words)?
        };
        *next = base + 1;
        let release = self.release_ops.links.get(base).filter(|_| base < op.base.end)?.line()?;
        Some(Source { base: Some(base), site: Some(j), release: Some(release) })
    }

    /// For lines that replace base lines, the first of those is the reference: its indentation as the site
    /// would write it, and as the release has it.
    fn own_reference(&self, op: &Op) -> Option<(Vec<u8>, Vec<u8>)> {
        op.base.clone().find_map(|i| {
            let (base, release) = (&self.base.lines[i], self.release_ops.links[i].line()?);
            if base.is_blank() {
                return None;
            }
            let as_site = self.forms.site.write(self.forms.base.measure(base.indent()));
            let from = if self.forms.site_unit_changed { as_site } else { base.indent().to_vec() };
            Some((from, self.release.lines[release].indent().to_vec()))
        })
    }

    /// For lines that open a wrap of the site where the wrapped lines began, the first of those is the reference.
    fn wrapped(&self, op: &Op) -> Option<(Vec<u8>, Vec<u8>)> {
        if op.kind != OpKind::Insert || !self.site_opens(op) {
            return None;
        }
        let first = (op.base.start..self.base.lines.len()).find(|i| !self.base.lines[*i].is_blank())?;
        let release = self.release_ops.links[first].line()?;
        let stood = self.base.lines[first].indent();
        let opens_there = self.site.lines[op.side.clone()].iter().any(|line| line.indent() == stood);
        opens_there.then(|| (stood.to_vec(), self.release.lines[release].indent().to_vec()))
    }

    /// For lines that close a wrap of the site, the line that opens it is the reference.
    fn opener(&self, op: &Op) -> Option<(Vec<u8>, Vec<u8>)> {
        let markup = self.context.dialect.markup;
        let above = op.side.start.saturating_sub(WRAPPED)..op.side.start;
        if self.openers.range(above.clone()).next().is_none()
            || op.kind != OpKind::Insert
            || edge(&self.site.lines[op.side.clone()], self.context.dialect) != Some(Edge::Closes)
        {
            return None;
        }
        let mut open = 0;
        let opener = above.rev().find(|j| {
            open += depth_of(self.site.lines[*j].trimmed(), markup).1;
            open > 0
        })?;
        Some((self.site.lines[opener].indent().to_vec(), self.openers.get(&opener)?.clone()))
    }

    /// Finds a line near a gap that stands on all sides, best one as deep as the lines to be fitted; returns
    /// its indentation on the site and in the result.
    fn reference(&self, range: Range<usize>, g: usize, end: usize) -> Option<(Vec<u8>, Vec<u8>)> {
        let first = self.site.lines[range].iter().find(|l| !l.is_blank())?;
        let known = |i: usize| -> Option<(usize, usize, usize)> {
            let (Link::Kept(s), Some(r)) = (self.site_ops.links[i], self.release_ops.links[i].line()) else {
                return None;
            };
            (!self.site.lines[s].is_blank()).then_some((i, s, r))
        };
        let before: Vec<_> = (g.saturating_sub(40)..g).rev().filter_map(known).take(6).collect();
        let after: Vec<_> = (end..(end + 40).min(self.base.lines.len())).filter_map(known).take(6).collect();
        let same_depth = |c: &&(usize, usize, usize)| self.site.lines[c.1].indent() == first.indent();
        // Right beside a line is nearer than across a blank one.
        let apart = g.checked_sub(1).is_none_or(|i| self.base.lines[i].is_blank());
        let (near, far) = if apart { (after.first(), before.first()) } else { (before.first(), after.first()) };
        let (i, s, r) = *near
            .filter(same_depth)
            .or_else(|| far.filter(same_depth))
            .or_else(|| before.iter().find(same_depth))
            .or_else(|| after.iter().find(same_depth))
            .or(near)
            .or(far)?;
        let (b, own, line) = (&self.base.lines[i], &self.site.lines[s], &self.release.lines[r]);
        let written = match self.release_ops.links[i] {
            Link::Kept(_) => self.forms.kept_line(i, [b, own, line]),
            _ => self.forms.shifted(line, self.forms.site_shift(b, own)),
        };
        let width = written.iter().take_while(|b| matches!(b, b' ' | b'\t')).count();
        Some((self.site.lines[s].indent().to_vec(), written[..width].to_vec()))
    }

    /// Writes a stretch that was merged on its own in place of moved lines.
    fn replaced(&mut self, at: usize, by_release: bool) {
        let list = if by_release { &mut self.from_release_moves } else { &mut self.from_site_moves };
        let moved = &mut list[at];
        let (lines, step, origin) = (moved.lines.clone(), moved.step, moved.origin);
        let merged = std::mem::take(&mut moved.merged);
        let release_from = moved.release_from;
        let edits = std::mem::take(&mut moved.edits);
        let offset = self.out.lines();
        for (line, source) in split_lines(&merged.bytes).iter().zip(&merged.sources) {
            self.out.line(line.content, LineEnd::None, source.shifted([origin.0, origin.1, release_from]));
        }
        let shifted = |r: &Range<usize>| r.start + offset..r.end + offset;
        for (fate, outer) in merged.edits.iter().zip(&edits) {
            let Some(outer) = outer else { continue };
            let outcome = match fate.outcome {
                Outcome::Open => Outcome::Open,
                Outcome::Already => Outcome::Already,
                _ => Outcome::Moved,
            };
            self.note(*outer, outcome, Some(step), shifted(&fate.result), lines.clone());
        }
        for mut decision in merged.decisions {
            decision.result = shifted(&decision.result);
            decision.base = decision.base.start + origin.0..decision.base.end + origin.0;
            decision.site = decision.site.start + origin.1..decision.site.end + origin.1;
            for known in [&mut decision.edits, &mut decision.with] {
                *known = known.iter().filter_map(|e| edits.get(*e).copied().flatten()).collect();
            }
            if by_release {
                decision.release = decision.release.start + lines.start..decision.release.end + lines.start;
            }
            self.decisions.push(decision);
        }
    }
}
