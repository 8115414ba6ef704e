//! A stretch that is a question: merged by words after all, asked about in small, or left open as a whole.

use std::ops::Range;

use super::followed::Replaced;
use super::paired::Asked;
use super::regions::Region;
use super::{Context, Formed, Walk, lines_of};
use crate::diff::Edit;
use crate::diff::sketch::WordBag;
use crate::merge::align::Side;
use crate::merge::balance::balance;
use crate::merge::ops::{ALIKE, BARELY_ALIKE, Op, OpKind, Ops};
use crate::merge::out::Source;
use crate::merge::recut::{same_but_form, with_closers};
use crate::merge::tokens::{WrittenLine, merge_stretch, respells_what_changed};
use crate::merge::{Outcome, Reason, Step, TextDecision, Trust};
use crate::text::key::Blanks;
use crate::text::{Line, LineEnd, split_lines};

/// Stretches of more lines are merged by words only where one side has the same words.
const SMALL: usize = 200;
/// From so many lines of the release on, a few changes of the site are asked about one by one.
const LONG: usize = 12;
/// With so many edits of nothing but form a file was put through a formatter.
const REFORMATTED: usize = 5;
/// So many lines behind a question are looked at for what closes it.
const CLOSING: usize = 8;
/// Lines that are compared at most to find their places.
const LOOKED_AT: usize = 20_000;

/// Where a change of the site is asked about within what the release put in place of a stretch.
struct Spot {
    /// The site's operation.
    op: usize,
    /// The release's lines that stand for it.
    place: Range<usize>,
    /// The release has nothing like what the site deleted.
    gone: bool,
}

/// The operations that reach a line of the base or stand behind it.
fn reaching(ops: &[Op], from: usize) -> impl Iterator<Item = (usize, &Op)> {
    ops.iter().enumerate().skip(ops.partition_point(|op| op.base.end < from))
}

/// The operations that begin within some lines of the base.
fn beginning_in<'o>(ops: &'o [Op], lines: &Range<usize>) -> impl Iterator<Item = (usize, &'o Op)> {
    let (from, to) = (lines.start, lines.end);
    reaching(ops, from)
        .skip_while(move |(_, op)| op.base.start < from)
        .take_while(move |(_, op)| op.base.start < to)
}

impl<'a> Walk<'a, '_> {
    /// Merges a region by words, or leaves it as a question. Returns the line of the base behind it, at most `limit`.
    pub(super) fn settle_or_ask(&mut self, region: &Region, limit: usize) -> usize {
        if self.settled_or_narrowed(region) { region.base.end } else { self.ask_whole(region, limit) }
    }

    /// The lines of both sides that stand for a region.
    fn spans(&self, region: &Region) -> [Range<usize>; 2] {
        let member_at = |ops: &[Op], members: &[usize], gap: usize| {
            members
                .iter()
                .any(|k| ops[*k].base.start == gap && (ops[*k].base.is_empty() || ops[*k].kind == OpKind::Rewrite))
        };
        let span = |side: &Ops, members: &[usize]| {
            let at_start = member_at(&side.ops, members, region.base.start);
            let at_end = member_at(&side.ops, members, region.base.end);
            side.span(&region.base, at_start, at_end)
        };
        [span(self.site_ops, &region.site), span(self.release_ops, &region.release)]
    }

    /// The edits of the site that a region is about.
    fn edits_of(&self, region: &Region) -> Vec<usize> {
        let mut edits: Vec<usize> = region.site.iter().map(|k| self.site_op(*k).edit).collect();
        edits.dedup();
        if edits.is_empty() { region.with.clone() } else { edits }
    }

    /// Merges a region, or asks about single lines of it; false where it is a question as a whole.
    fn settled_or_narrowed(&mut self, region: &Region) -> bool {
        let [site, release] = self.spans(region);
        let edits = self.edits_of(region);
        let from = self.out.lines();
        if self.put_the_same(&site, &release) {
            self.agreed.push([region.site.clone(), region.release.clone()]);
            self.release_text(release.clone());
            for edit in edits {
                self.note(edit, Outcome::Already, None, from..self.out.lines(), release.clone());
            }
            return true;
        }
        let (base_text, site_text, release_text) =
            (lines_of(self.base, &region.base), lines_of(self.site, &site), lines_of(self.release, &release));
        let small = region.base.len().max(site.len()).max(release.len()) <= SMALL;
        let only_cut = |text: &[u8]| WordBag::of(&base_text).same_words(&WordBag::of(text));
        if (small || only_cut(&release_text) || only_cut(&site_text))
            && !region.doubt
            && self.context.options.trust != Trust::Strict
            && !region.base.is_empty()
            && let Some(merged) = self.merged_by_words(region, [&site, &release])
        {
            for (line, source) in merged {
                self.out.line(&line, LineEnd::None, source);
            }
            for edit in edits {
                self.note(edit, Outcome::Fitted, Some(Step::Words), from..self.out.lines(), release.clone());
            }
            return true;
        }
        if self.settled_by_form(region, &site, &release) || self.form_only(region, &release) {
            return true;
        }
        if let (Some(line), [k]) = (region.moved_to.filter(|line| release.contains(line)), &region.site[..]) {
            let op = self.site_op(*k).clone();
            self.release_text(release.start..line);
            self.ask(region.reason, [op.base, op.side, line..line + 1], edits);
            self.release_text(line + 1..release.end);
            return true;
        }
        if let Some(spots) = self.at_edges(region, &release).or_else(|| self.narrowed(region, &release)) {
            let mut at = release.start;
            for Spot { op, place, gone } in spots {
                let op = self.site_op(op).clone();
                self.release_text(at..place.start);
                at = place.end;
                let here = self.out.lines();
                if gone || !place.is_empty() && self.put_the_same(&op.side, &place) {
                    self.release_text(place.clone());
                    let step = gone.then_some(Step::BothDeleted);
                    self.note(op.edit, Outcome::Already, step, here..self.out.lines(), place);
                } else {
                    self.ask(region.reason, [op.base, op.side, place], vec![op.edit]);
                }
            }
            self.release_text(at..release.end);
            return true;
        }
        false
    }

    /// Merges a region by its words, and returns each line with where it comes from. Lines that the site wrapped are
    /// merged as deep as the base has them, so that they and what the release put among them stand as deep as the wrap
    /// has them.
    fn merged_by_words(
        &self,
        region: &Region,
        [site, release]: [&Range<usize>; 2],
    ) -> Option<Vec<(Vec<u8>, Source)>> {
        let shifts: Vec<isize> = region.base.clone().map(|i| self.own_shift(i)).collect();
        // How deep the wrap is tells nothing about lines that are not known to be in it.
        let is_lost = |i: usize| !self.base.lines[i].is_blank() && self.site_ops.links[i].line().is_none();
        let by_level = self.context.dialect.blanks == Blanks::IndentIsMeaning;
        if by_level && shifts.iter().any(|shift| *shift != 0) && region.base.clone().any(is_lost) {
            return None;
        }
        let mut as_in_base: Vec<&[u8]> = self.site.lines[site.clone()].iter().map(|line| line.indent()).collect();
        for i in region.base.clone().filter(|i| shifts[i - region.base.start] != 0) {
            let of_site = self.site_ops.links[i].line().and_then(|j| j.checked_sub(site.start));
            if let Some(indent) = of_site.and_then(|at| as_in_base.get_mut(at)) {
                *indent = self.base.lines[i].indent();
            }
        }
        let end = |line: &Line<'a>| if line.end == LineEnd::None { b"\n" } else { line.end.bytes() };
        let lines = self.site.lines[site.clone()].iter().zip(as_in_base);
        let own: Vec<u8> = lines
            .flat_map(|(line, indent)| [indent, &line.content[line.indent().len()..], end(line)].concat())
            .collect();
        let (base_text, release_text) = (lines_of(self.base, &region.base), lines_of(self.release, release));
        let mut solid = region.base.clone().zip(&shifts).filter(|(i, _)| !self.base.lines[*i].is_blank());
        let first = solid.next().map_or(0, |(_, shift)| *shift);
        if first != 0 && own == base_text && solid.all(|(_, shift)| *shift == first) {
            let line =
                |k: usize| (self.forms.shifted(&self.release.lines[k], first).into_owned(), Source::of_release(k));
            return Some(release.clone().map(line).collect());
        }
        let merged = merge_stretch(&base_text, &own, &release_text, self.context.dialect)?;
        let shift = |lines: Range<usize>| {
            let mut shifts = [lines.start, lines.end - 1].map(|line| shifts.get(line).copied().unwrap_or(0));
            shifts.sort_by_key(|shift| shift.abs());
            shifts[0]
        };
        let origin = [region.base.start, site.start, release.start];
        let lines = split_lines(&merged.text).into_iter().zip(merged.lines);
        let line = |(line, WrittenLine { place, source }): (Line<'_>, WrittenLine)| {
            (self.forms.shifted(&line, place.map_or(0, shift)).into_owned(), source.shifted(origin))
        };
        Some(lines.map(line).collect())
    }

    /// By how many levels the site indents a line of the base, if not just as the release does.
    fn own_shift(&self, i: usize) -> isize {
        let line = |side: &Side<'a>, ops: &Ops| ops.links[i].line().map(|at| side.lines[at]);
        let base = &self.base.lines[i];
        let Some(site) = line(self.site, self.site_ops).filter(|_| !base.is_blank()) else { return 0 };
        self.forms.own_shift(i, base, &site, line(self.release, self.release_ops).as_ref())
    }

    /// Leaves a region as a question, with the lines behind it that close what it opens.
    fn ask_whole(&mut self, region: &Region, limit: usize) -> usize {
        let [mut site, mut release] = self.spans(region);
        let mut edits = self.edits_of(region);
        let mut end = region.base.end;
        let mut ops = [region.site.clone(), region.release.clone()];
        if let Some((further, spans)) = self.end_that_closes(region, [&site, &release], limit) {
            edits.extend(beginning_in(&self.site_ops.ops, &(end..further)).map(|(_, op)| op.edit));
            edits.dedup();
            for (ops, side) in ops.iter_mut().zip([self.site_ops, self.release_ops]) {
                ops.extend(beginning_in(&side.ops, &(end..further)).map(|(k, _)| k));
            }
            end = further;
            [site, release] = spans;
        }
        self.asked.push(Asked { base: region.base.start..end, ops, edits: edits.clone() });
        let asked = self.decisions.len();
        self.ask(region.reason, [region.base.start..end, site, release], edits);
        if region.reason == Reason::Paired {
            self.decisions[asked].with.clone_from(&region.with);
        }
        let elsewhere = region.site.iter().find_map(|k| self.doubled.asked.get(k));
        if let (Reason::PutTwice, Some(line)) = (region.reason, elsewhere) {
            self.decisions[asked].hint = Some(format!("the release has it at line {}", line + 1));
        }
        end
    }

    /// Where a question would end that leaves as much open on both sides, if that is not far and before `limit`, and the
    /// lines of both sides up to there: whichever side is taken, what follows has to go with it.
    fn end_that_closes(
        &self,
        region: &Region,
        [site, release]: [&Range<usize>; 2],
        limit: usize,
    ) -> Option<(usize, [Range<usize>; 2])> {
        let of =
            |side: &Side<'_>, lines: &Range<usize>| balance(&lines_of(side, lines), self.context.dialect.markup);
        let even = |[site, release]: [&Range<usize>; 2]| of(self.site, site) == of(self.release, release);
        if self.context.options.trust == Trust::Strict
            || region.base.is_empty()
            || region.reason == Reason::Paired
            || even([site, release])
        {
            return None;
        }
        let from = region.base.end;
        let last = limit.min(from + CLOSING);
        let is_moved = |moves: &[Replaced]| moves.iter().any(|m| m.base.start < last && from < m.base.end);
        if is_moved(&self.from_release_moves) || is_moved(&self.from_site_moves) {
            return None;
        }
        let is_free = |ops: &[Op], absorbed: &[bool], end: usize| {
            let cut = |op: &Op| op.base.start < end && end < op.base.end;
            !reaching(ops, from).take_while(|(_, op)| op.base.start < end).any(|(_, op)| cut(op))
                && beginning_in(ops, &(from..end)).all(|(_, op)| !absorbed[op.edit])
        };
        (from + 1..=last).find_map(|end| {
            let spans = [(self.site_ops, site), (self.release_ops, release)].map(|(ops, lines)| {
                lines.start..ops.span(&(region.base.start..end), false, false).end.max(lines.end)
            });
            let whole = is_free(&self.site_ops.ops, &self.site_absorbed, end)
                && is_free(&self.release_ops.ops, &self.release_absorbed, end);
            (whole && even([&spans[0], &spans[1]])).then_some((end, spans))
        })
    }

    /// Does what the site did where the release changed nothing but how the lines are written. Where the release goes on
    /// behind a separator that the site's lines lack, it is a question still.
    fn settled_by_form(&mut self, region: &Region, site: &Range<usize>, release: &Range<usize>) -> bool {
        let form = self.context.dialect.blanks == Blanks::AreForm && self.context.options.trust != Trust::Strict;
        let moved =
            |i: usize| self.release_moved.has(self.base.keys[i]) && !self.context.weak.is(self.base.keys[i]);
        if region.doubt || !form || self.release_is_moved(release) || region.base.clone().any(moved) {
            return false;
        }
        let (own, new) = (&self.site.lines[site.clone()], &self.release.lines[release.clone()]);
        let separator = |lines: &[Line<'_>]| lines.last()?.trimmed().last().copied().filter(|b| b";,".contains(b));
        let goes_on =
            own.iter().all(Line::is_blank) || separator(new).is_none() || separator(own) == separator(new);
        let [base_and, new_and] =
            with_closers([(&self.base.lines, region.base.clone()), (&self.release.lines, release.clone())]);
        let respelled = || {
            let (base, site) = (lines_of(self.base, &region.base), lines_of(self.site, site));
            respells_what_changed(&base, &site, &lines_of(self.release, release), self.context.dialect)
        };
        if !goes_on || !same_but_form(base_and, new_and, self.context.dialect) || respelled() {
            return false;
        }
        let from = self.out.lines();
        let (head, tail) = self.kept_ends(&region.base, site, release);
        let put = release.start + head;
        self.release_text(release.start..put);
        let replaced = (region.base.start + head).min(region.base.end - 1);
        let instead = [self.base.lines[replaced], self.release.lines[put.min(release.end - 1)]];
        self.site_text(site.start + head..site.end - tail, instead);
        self.release_text(release.end - tail..release.end);
        let result = from..self.out.lines();
        for k in &region.site {
            self.note(self.site_op(*k).edit, Outcome::Fitted, Some(Step::Form), result.clone(), release.clone());
        }
        self.formed.push(Formed {
            base: region.base.clone(),
            site: site.clone(),
            release: release.clone(),
            result,
        });
        true
    }

    /// Which edits of the site changed nothing but how lines are written, where its editor did that all over the file; a
    /// few may be meant.
    fn site_form(&self) -> &[bool] {
        self.site_form.get_or_init(|| {
            let only_written = |Edit { old, new }: &Edit| {
                let (old, new) = (&self.base.lines[old.clone()], &self.site.lines[new.clone()]);
                same_but_form(old, new, self.context.dialect)
            };
            let form: Vec<bool> = self.site_edits.iter().map(only_written).collect();
            let count = form.iter().filter(|form| **form).count();
            let all_over = count >= REFORMATTED && count * 2 >= form.len();
            if all_over { form } else { vec![false; form.len()] }
        })
    }

    /// Does what the release did where the site's editor changed nothing but how the lines are written.
    fn form_only(&mut self, region: &Region, release: &Range<usize>) -> bool {
        let form = self.context.dialect.blanks == Blanks::AreForm && self.context.options.trust != Trust::Strict;
        let only_written = |k: &usize| self.site_form()[self.site_op(*k).edit];
        if region.doubt || !form || region.site.is_empty() || !region.site.iter().all(only_written) {
            return false;
        }
        let from = self.out.lines();
        self.release_text(release.clone());
        let (base, result) = (region.base.clone(), from..self.out.lines());
        let [site, _] = self.spans(region);
        for edit in self.edits_of(region) {
            self.note(edit, Outcome::Fitted, Some(Step::ReleaseForm), result.clone(), release.clone());
        }
        self.formed.push(Formed { base, site, release: release.clone(), result });
        true
    }

    /// How many lines at the two ends of a stretch the site kept that the release has as lines, too.
    fn kept_ends(&self, base: &Range<usize>, site: &Range<usize>, release: &Range<usize>) -> (usize, usize) {
        let kept = |j: usize, i: usize, k: usize| {
            let (old, new) = (&self.base.lines[i..=i], &self.release.lines[k..=k]);
            self.site.keys[j] == self.base.keys[i] && same_but_form(old, new, self.context.dialect)
        };
        let most = site.len().min(base.len()).min(release.len());
        let at_start = |n: &usize| kept(site.start + n, base.start + n, release.start + n);
        let at_end = |n: &usize| kept(site.end - n, base.end - n, release.end - n);
        let head = (0..most).take_while(at_start).count();
        (head, (1..=most - head).take_while(at_end).count())
    }

    /// Writes lines of the site in place of others: as deep as the release has the first of those.
    fn site_text(&mut self, range: Range<usize>, [base, release]: [Line<'_>; 2]) {
        let Some(first) = self.site.lines.get(range.start).map(Line::indent) else { return };
        let stood = Some(base.indent()).filter(|indent| first.starts_with(indent)).unwrap_or(first);
        for j in range {
            let content = self.forms.fitted(&self.site.lines[j], stood, release.indent());
            self.out.line(&content, LineEnd::None, Source::of_site(j));
        }
    }

    /// What the site put in at the edges of a stretch that the release rewrote is asked about alone, each beside the line
    /// that both kept: either answer leaves what the release put here.
    fn at_edges(&self, region: &Region, release: &Range<usize>) -> Option<Vec<Spot>> {
        let spot = |op: &usize| {
            let Op { kind, base, edit, .. } = self.site_op(*op);
            let at = match base.start {
                at if at == region.base.start => release.start,
                at if at == region.base.end => release.end,
                _ => return None,
            };
            let put_in = *kind == OpKind::Insert && !self.site_absorbed[*edit];
            put_in.then_some(Spot { op: *op, place: at..at, gone: false })
        };
        let rewritten = region.reason == Reason::PlaceOpen && !region.base.is_empty() && !release.is_empty();
        if !rewritten || self.context.options.trust == Trust::Strict || self.release_is_moved(release) {
            return None;
        }
        region.site.iter().map(spot).collect()
    }

    /// Where in a long stretch that the release put here each of the site's few changes is asked about, when there
    /// is no more to ask than that: at the line that is most like the changed one, else beside its neighbour's
    /// counterpart, else at the end. The release's lines around are no question.
    fn narrowed(&self, region: &Region, release: &Range<usize>) -> Option<Vec<Spot>> {
        let own: usize = region.site.iter().map(|k| self.site_op(*k)).map(|o| o.base.len().max(o.side.len())).sum();
        let within = |k: &usize| {
            let op = self.site_op(*k);
            !self.site_absorbed[op.edit] && region.base.start <= op.base.start && op.base.end <= region.base.end
        };
        let few = own > 0 && own * 4 <= release.len() && release.len() >= LONG && own * release.len() <= LOOKED_AT;
        let strict = self.context.options.trust == Trust::Strict;
        if strict || !few || !region.site.iter().all(within) || self.release_is_moved(release) {
            return None;
        }
        let bags: Vec<WordBag> = release.clone().map(|k| WordBag::of(self.release.lines[k].trimmed())).collect();
        let most_like = |i: usize| {
            let bag = WordBag::of(self.base.lines[i].trimmed());
            let scored = bags.iter().enumerate().map(|(k, other)| (bag.similarity(other), release.start + k));
            let telling = !self.context.weak.is(self.base.keys[i]);
            scored.reduce(|a, b| if b.0 > a.0 { b } else { a }).filter(|_| telling)
        };
        let like = |i: usize, least: f32| most_like(i).filter(|(score, _)| *score >= least).map(|(_, at)| at);
        let mut at = release.start;
        let mut spots = Vec::new();
        for k in &region.site {
            let op = self.site_op(*k);
            let close = |i| like(i, ALIKE);
            let above = || (region.base.start..op.base.start).rev().take(6).find_map(close).map(|j| j + 1);
            let below = || (op.base.end..region.base.end).take(6).find_map(close);
            let own = op.base.clone().find_map(|i| like(i, BARELY_ALIKE)).filter(|j| *j >= at);
            // Whatever the answer, none of the lines that the change is about may stay behind.
            let counterparts = || op.base.clone().filter_map(|i| self.release_ops.links[i].line()).chain(own);
            let first = counterparts().min();
            if first.is_some_and(|first| first < at) {
                return None;
            }
            let place = match first {
                Some(first) => first..counterparts().max().map_or(first, |last| last + 1),
                None => {
                    let j = above().or_else(below).unwrap_or(release.end).max(at);
                    j..j
                }
            };
            // Only a line that tells something, is like none there, and went nowhere else is known to be gone.
            let known = |i: usize| {
                !self.release_moved.has(self.base.keys[i])
                    && most_like(i).is_some_and(|(score, _)| score < BARELY_ALIKE)
            };
            let gone = op.kind == OpKind::Delete && op.base.clone().all(known);
            at = place.end;
            spots.push(Spot { op: *k, place, gone });
        }
        Some(spots)
    }

    /// Tells whether a stretch of the release holds lines that are merged as a moved stretch.
    fn release_is_moved(&self, release: &Range<usize>) -> bool {
        self.from_release_moves.iter().any(|m| m.lines.start < release.end && release.start < m.lines.end)
    }

    /// Writes lines of the release as they are.
    fn release_text(&mut self, range: Range<usize>) {
        for k in range {
            let line = self.release.lines[k];
            self.out.line(line.content, line.end, Source::of_release(k));
        }
    }

    /// Leaves a stretch of the base and what the two sides have there as a question.
    fn ask(&mut self, reason: Reason, [base, site, release]: [Range<usize>; 3], edits: Vec<usize>) {
        // What both have at the two ends of the stretch is no question, if anything is.
        let asked_whole = self.same_keys(&site, &release);
        let (s, r) = (&self.site.keys[site.clone()], &self.release.keys[release.clone()]);
        let alike = |(a, b): &(&u32, &u32)| a == b && !asked_whole;
        let head = s.iter().zip(r).take_while(alike).count();
        let tail = s[head..].iter().rev().zip(r[head..].iter().rev()).take_while(alike).count();
        self.release_text(release.start..release.start + head);
        let (site_mid, release_mid) =
            (site.start + head..site.end - tail, release.start + head..release.end - tail);
        // The base's lines among them neither: else what is in a question would count them once more.
        let mut old = self.base.keys[base.clone()].iter().peekable();
        let base_head = s[..head].iter().filter(|key| old.next_if_eq(key).is_some()).count();
        let mut old = old.rev().peekable();
        let base_tail = s[s.len() - tail..].iter().rev().filter(|key| old.next_if_eq(key).is_some()).count();
        let base = base.start + base_head..base.end - base_tail;
        let [base_text, site_text, release_text] =
            [(self.base, &base), (self.site, &site_mid), (self.release, &release_mid)]
                .map(|(side, lines)| lines_of(side, lines));
        let Context { dialect, options, .. } = self.context;
        let open = self.out.question([&base_text, &site_text, &release_text], dialect, options);
        self.release_text(release.end - tail..release.end);
        for edit in &edits {
            self.note(*edit, Outcome::Open, None, open.clone(), release.clone());
        }
        self.decisions.push(TextDecision {
            hint: None,
            reason,
            base,
            site: site_mid,
            release: release_mid,
            result: open,
            edits,
            with: Vec::new(),
            base_text,
            site_text,
            release_text,
        });
    }
}
