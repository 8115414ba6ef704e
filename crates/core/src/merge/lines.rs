//! The walk over the base that does both sides' operations.

use std::borrow::Cow;
use std::collections::BTreeMap;
use std::ops::Range;

use super::align::{From, Homes, Repeated, Side, Weak, align};
use super::gaps::{Edge, Gap, Union, edge, whole};
use super::moves::{MovedStretch, moved_stretches};
use super::ops::{ALIKE, BARELY_ALIKE, FAR, Link, Meeting, MovedKeys, Op, OpKind, Ops, meet};
use super::out::{Out, Source};
use super::space::{Forms, Reformatted};
use super::tokens::merge_tokens;
use super::{Dialect, EditFate, Leave, MergeOptions, Outcome, Reason, Step, TextDecision, Trust};
use crate::diff::Edit;
use crate::diff::sketch::WordBag;
use crate::text::{Line, LineEnd, split_lines};

/// What a merge of lines works under.
#[derive(Clone, Copy)]
pub(crate) struct Context<'c> {
    pub(crate) dialect: &'c Dialect,
    pub(crate) options: &'c MergeOptions,
    pub(crate) weak: &'c Weak,
    /// From which end the release is lined up.
    pub(crate) from: From,
    /// Site edits that are to be asked about, with the reason.
    pub(crate) asked: &'c [(usize, Reason)],
    /// Stretches that one side moved are followed.
    pub(crate) follow_moves: bool,
    /// The merge is of a stretch inside of a larger merge: how that one's sides are written.
    pub(crate) nested: Option<Reformatted>,
}

/// The result of merging lines.
#[derive(Default)]
pub(crate) struct MergedLines {
    pub(crate) bytes: Vec<u8>,
    /// Where each line of the result comes from.
    pub(crate) sources: Vec<Source>,
    pub(crate) edits: Vec<EditFate>,
    pub(crate) decisions: Vec<TextDecision>,
    pub(crate) space_lines: usize,
    pub(crate) space_follows_release: bool,
}

/// Merges three versions, line by line.
pub(crate) fn merge_lines(
    base: &Side<'_>,
    site: &Side<'_>,
    release: &Side<'_>,
    context: Context<'_>,
) -> MergedLines {
    let site_edits = align(base, site, context.weak, From::Front);
    let release_edits = align(base, release, context.weak, context.from);
    let strict = context.options.trust == Trust::Strict;
    let site_touched = touching(&site_edits, &release_edits);
    let release_touched = touching(&release_edits, &site_edits);
    let markup = (!strict).then_some(context.dialect.markup);
    let site_ops = Ops::new(base, site, &site_edits, context.weak, markup, |k| !strict && site_touched[k]);
    let release_ops =
        Ops::new(base, release, &release_edits, context.weak, markup, |k| !strict && release_touched[k]);
    let forms =
        Forms::new(base, site, release, &site_ops, &release_ops, context.options.keep_blanks, context.nested);
    let mut walk = Walk {
        base,
        site,
        release,
        context,
        site_edits: &site_edits,
        site_touched,
        site_ops: &site_ops,
        release_ops: &release_ops,
        forms: &forms,
        site_moved: MovedKeys::new(base, site, &site_edits),
        release_moved: MovedKeys::new(base, release, &release_edits),
        from_site_moves: Vec::new(),
        from_release_moves: Vec::new(),
        site_absorbed: vec![false; site_edits.len()],
        release_absorbed: vec![false; release_edits.len()],
        same_lines: BTreeMap::new(),
        unions: BTreeMap::new(),
        twins: BTreeMap::new(),
        out: Out::new(release.form.line_end),
        fates: vec![FateNotes::default(); site_edits.len()],
        decisions: Vec::new(),
        space_lines: 0,
    };
    if !strict && context.nested.is_none() && context.follow_moves {
        walk.follow_moves(&release_edits);
    }
    walk.run();
    // A moved stretch whose place was settled otherwise never got its turn: then it is no move to follow.
    if context.follow_moves && walk.fates.iter().any(|f| f.outcome.is_none()) {
        return merge_lines(base, site, release, Context { follow_moves: false, ..context });
    }
    walk.finish()
}

/// Which edits have one of the other side touching them.
fn touching(own: &[Edit], other: &[Edit]) -> Vec<bool> {
    let mut from = 0;
    own.iter()
        .map(|e| {
            while other.get(from).is_some_and(|o| o.old.end < e.old.start) {
                from += 1;
            }
            other.get(from).is_some_and(|o| o.old.start <= e.old.end)
        })
        .collect()
}

/// From so many lines of the release on, a few changes of the site are asked about one by one.
const LONG: usize = 12;
/// Lines that are compared at most to find their places.
const LOOKED_AT: usize = 20_000;

/// A stretch whose merge stands in place of some lines of a side.
struct Replaced {
    lines: Range<usize>,
    /// Where they stood in the base.
    base: Range<usize>,
    merged: MergedLines,
    /// Where the nested merge's base and site begin in the whole.
    origin: (usize, usize),
    /// Where its release begins.
    release_from: usize,
    /// The outer site edit of each nested edit.
    edits: Vec<Option<usize>>,
    step: Step,
}

/// Where a change of the site is asked about within what the release put in place of a stretch.
struct Spot {
    /// The site's operation.
    op: usize,
    /// The release's lines that stand for it.
    place: Range<usize>,
    /// The release has nothing like what the site deleted.
    gone: bool,
}

/// A stretch of the base that is a question.
#[derive(Debug, Clone)]
struct Region {
    base: Range<usize>,
    site: Vec<usize>,
    release: Vec<usize>,
    reason: Reason,
    doubt: bool,
    /// The question is only about this line of the release: where it moved what the site deleted.
    moved_to: Option<usize>,
}

/// What is known of a site edit's fate so far.
#[derive(Debug, Clone, Default)]
struct FateNotes {
    outcome: Option<Outcome>,
    step: Option<Step>,
    result: Option<Range<usize>>,
    release: Option<Range<usize>>,
}

struct Walk<'a, 'b> {
    base: &'b Side<'a>,
    site: &'b Side<'a>,
    release: &'b Side<'a>,
    context: Context<'b>,
    site_edits: &'b [Edit],
    site_touched: Vec<bool>,
    site_ops: &'b Ops,
    release_ops: &'b Ops,
    forms: &'b Forms,
    site_moved: MovedKeys,
    release_moved: MovedKeys,
    from_site_moves: Vec<Replaced>,
    from_release_moves: Vec<Replaced>,
    site_absorbed: Vec<bool>,
    release_absorbed: Vec<bool>,
    /// Base lines that both changed, merged by words.
    same_lines: BTreeMap<usize, Vec<u8>>,
    /// Gaps into which both inserted, by rule.
    unions: BTreeMap<usize, Union>,
    /// Site operations that the release did too (by index), with what the release did.
    twins: BTreeMap<usize, usize>,
    out: Out,
    fates: Vec<FateNotes>,
    decisions: Vec<TextDecision>,
    space_lines: usize,
}

impl<'a> Walk<'a, '_> {
    /// Merges stretches that one side moved and the other changed, each as a small file of its own.
    fn follow_moves(&mut self, release_edits: &[Edit]) {
        let weak = self.context.weak;
        let nested =
            Context { nested: Some(self.forms.reformatted()), from: From::Front, asked: &[], ..self.context };
        for moved in moved_stretches(self.base, self.release, release_edits, self.site_edits, weak) {
            let inside = |k: &usize| self.within(self.site, &self.site_edits[*k], &moved);
            let absorbed: Vec<usize> = (0..self.site_edits.len()).filter(inside).collect();
            if absorbed.is_empty() {
                continue;
            }
            let site_span = span_of(&moved, self.site_ops, self.site_edits, &absorbed);
            let merged = merge_lines(
                &self.base.part(moved.base.clone()),
                &self.site.part(site_span.clone()),
                &self.release.part(moved.side.clone()),
                nested,
            );
            let edits = merged
                .edits
                .iter()
                .map(|e| {
                    let at = e.base.start + moved.base.start;
                    let end = e.base.end + moved.base.start;
                    absorbed.iter().copied().find(|k| {
                        let own = &self.site_edits[*k].old;
                        own.start <= end && at <= own.end
                    })
                })
                .collect();
            for k in absorbed {
                self.site_absorbed[k] = true;
            }
            let origin = (moved.base.start, site_span.start);
            let (lines, release_from, step) = (moved.side.clone(), moved.side.start, Step::Moved);
            let base = moved.base;
            self.from_release_moves.push(Replaced { lines, base, merged, origin, release_from, edits, step });
        }
        for moved in moved_stretches(self.base, self.site, self.site_edits, release_edits, weak) {
            let inside = |k: &usize| self.within(self.release, &release_edits[*k], &moved);
            let absorbed: Vec<usize> = (0..release_edits.len()).filter(inside).collect();
            let taken = self.site_edits.iter().enumerate().any(|(k, e)| {
                self.site_absorbed[k] && e.old.start < moved.base.end && moved.base.start < e.old.end
            });
            if absorbed.is_empty() || taken {
                continue;
            }
            let release_span = span_of(&moved, self.release_ops, release_edits, &absorbed);
            let merged = merge_lines(
                &self.base.part(moved.base.clone()),
                &self.site.part(moved.side.clone()),
                &self.release.part(release_span.clone()),
                nested,
            );
            let home =
                self.site_edits.iter().position(|e| e.new.start <= moved.side.start && moved.side.end <= e.new.end);
            let edits = merged.edits.iter().map(|_| home).collect();
            for k in absorbed {
                self.release_absorbed[k] = true;
            }
            let origin = (moved.base.start, moved.side.start);
            let (lines, release_from, step) = (moved.side, release_span.start, Step::SiteMoved);
            let base = moved.base;
            self.from_site_moves.push(Replaced { lines, base, merged, origin, release_from, edits, step });
        }
    }

    /// An edit belongs to a moved stretch when it lies within. An insertion at the stretch's edge belongs to it when
    /// it opens and closes what it has, is written against the stretch, and a blank line sets it apart from what
    /// stays.
    fn within(&self, side: &Side<'_>, edit: &Edit, moved: &MovedStretch) -> bool {
        if !edit.old.is_empty() {
            return moved.base.start <= edit.old.start && edit.old.end <= moved.base.end;
        }
        let gap = edit.old.start;
        if moved.base.start < gap && gap < moved.base.end {
            return true;
        }
        let solid = |lines: &[Line<'_>], at: Option<usize>| {
            at.and_then(|at| lines.get(at)).is_some_and(|line| !line.is_blank())
        };
        let above = solid(&self.base.lines, gap.checked_sub(1)) && solid(&side.lines, Some(edit.new.start));
        let below = solid(&self.base.lines, Some(gap)) && solid(&side.lines, edit.new.end.checked_sub(1));
        let against = gap == moved.base.start && below && !above || gap == moved.base.end && above && !below;
        against && whole(&side.lines[edit.new.clone()], self.context.dialect)
    }

    fn site_op(&self, k: usize) -> &Op {
        &self.site_ops.ops[k]
    }

    fn release_op(&self, k: usize) -> &Op {
        &self.release_ops.ops[k]
    }

    /// Finds out how the operations of the two sides meet, and which stretches are questions.
    fn regions(&mut self) -> Vec<Region> {
        let mut regions = Vec::new();
        let strict = self.context.options.trust == Trust::Strict;
        let repeated = Repeated::of(&[self.base, self.site, self.release]);
        let mut from = 0;
        for s in 0..self.site_ops.ops.len() {
            let site = self.site_op(s).clone();
            if self.site_absorbed[site.edit] {
                continue;
            }
            while self.release_ops.ops.get(from).is_some_and(|r| r.base.end + 2 * FAR < site.base.start) {
                from += 1;
            }
            for r in from..self.release_ops.ops.len() {
                let release = self.release_op(r).clone();
                if release.base.start > site.base.end + 2 * FAR {
                    break;
                }
                let near = release.reach.start <= site.reach.end && site.reach.start <= release.reach.end;
                if !near || self.release_absorbed[release.edit] {
                    continue;
                }
                let equal = || self.site.keys[site.side.clone()] == self.release.keys[release.side.clone()];
                let mut meeting = meet(&site, &release, equal);
                let touch = release.base.start <= site.base.end && site.base.start <= release.base.end;
                // Their order does not matter where the rule of the language lets both stand.
                if meeting == Meeting::Clash
                    && site.kind == OpKind::Insert
                    && release.kind == OpKind::Insert
                    && matches!(self.unite(&site, &release), Union::Both(_))
                {
                    meeting = Meeting::Apart;
                }
                if meeting == Meeting::Clash && !strict && self.set_apart(&site, &release) {
                    meeting = Meeting::Apart;
                }
                if strict && touch && !matches!(meeting, Meeting::Same) {
                    meeting = Meeting::Clash;
                }
                match meeting {
                    Meeting::Apart => {}
                    Meeting::Same if site.kind != OpKind::Delete => {
                        self.twins.insert(s, r);
                    }
                    Meeting::Same | Meeting::BothDelete => {
                        let lines = site.base.start.max(release.base.start)..site.base.end.min(release.base.end);
                        regions.extend(self.brought_back(s, r, lines, &repeated));
                    }
                    Meeting::SameLine => match self.merge_line(&site, &release) {
                        Some(line) => {
                            self.same_lines.insert(site.base.start, line);
                        }
                        None => regions.push(self.region(s, r)),
                    },
                    Meeting::SameGap => match self.unite(&site, &release) {
                        Union::Ask => regions.push(self.region(s, r)),
                        union => {
                            self.unions.insert(site.base.start, union);
                        }
                    },
                    Meeting::Clash => regions.push(self.region(s, r)),
                }
            }
        }
        let homes = Homes::of(self.base, self.release, &repeated);
        for s in 0..self.site_ops.ops.len() {
            if !strict
                && (self.rootless(self.site_op(s), &repeated) || self.in_another_block(self.site_op(s), &homes))
            {
                let base = self.site_op(s).base.clone();
                regions.push(Region {
                    base,
                    site: vec![s],
                    release: Vec::new(),
                    reason: Reason::Doubtful,
                    doubt: true,
                    moved_to: None,
                });
            }
        }
        for (edit, reason) in self.context.asked {
            let ops = (0..self.site_ops.ops.len()).filter(|k| self.site_op(*k).edit == *edit).collect::<Vec<_>>();
            regions.push(Region {
                base: self.site_edits[*edit].old.clone(),
                site: ops,
                release: Vec::new(),
                reason: *reason,
                doubt: true,
                moved_to: None,
            });
        }
        self.grow(regions)
    }

    /// Finds what looks like deleted by both, but moved on one side: dropping the other's deletion would bring it
    /// back. Only a line that stands once in each version is known to be the same line at its other place; what
    /// is asked about is that place.
    fn brought_back(&self, s: usize, r: usize, lines: Range<usize>, repeated: &Repeated) -> Option<Region> {
        let key = |i: &usize| self.base.keys[*i];
        let moved = |i: &usize| self.site_moved.has(key(i)) || self.release_moved.has(key(i));
        let known = |i: &usize| !self.context.weak.is(key(i)) && !repeated.has(key(i));
        lines.filter(|i| moved(i) && known(i)).find_map(|i| {
            let at = |side: &Side<'_>, ops: &Ops| {
                let line = side.keys.iter().position(|k| *k == key(&i))?;
                let op = ops.ops.iter().position(|o| o.kind != OpKind::Change && o.side.contains(&line))?;
                Some((op, line))
            };
            let (base, site, release, reason, moved_to) = if self.release_moved.has(key(&i)) {
                let (home, line) = at(self.release, self.release_ops)?;
                (self.release_op(home).base.clone(), s, home, Reason::SiteDeleted, Some(line))
            } else {
                let (home, _) = at(self.site, self.site_ops)?;
                (self.site_op(home).base.clone(), home, r, Reason::ReleaseDeleted, None)
            };
            Some(Region { base, site: vec![site], release: vec![release], reason, doubt: true, moved_to })
        })
    }

    /// Tells whether the site took out or changed nothing but lines that say too little (a brace, a closing tag),
    /// there are others like them, and the release kept no telling line beside them: which brace is meant is
    /// anybody's guess.
    fn rootless(&self, op: &Op, repeated: &Repeated) -> bool {
        let weak = |i: usize| self.context.weak.is(self.base.keys[i]);
        if op.kind == OpKind::Insert || self.site_absorbed[op.edit] || !op.base.clone().all(weak) {
            return false;
        }
        if op.base.clone().all(|i| !repeated.has(self.base.keys[i])) {
            return false;
        }
        let place = |i: usize| self.release_ops.links[i].line().map(|r| r as isize - i as isize);
        let Some(own) = place(op.base.start) else { return false };
        let solid = |i: &usize| !self.base.lines[*i].is_blank() && !weak(*i);
        let above = (op.base.start.saturating_sub(6)..op.base.start).rev().find(solid);
        let below = (op.base.end..(op.base.end + 6).min(self.base.lines.len())).find(solid);
        let rooted = |i: Option<usize>| i.is_some_and(|i| place(i) == Some(own));
        !rooted(above) && !rooted(below)
    }

    /// Tells whether the lines that a site's operation is about were lined up with look-alikes in another block of
    /// the release, while the block that they stood in has its own.
    fn in_another_block(&self, op: &Op, homes: &Homes) -> bool {
        if self.site_absorbed[op.edit] {
            return false;
        }
        let astray = |i: usize| match self.release_ops.links.get(i) {
            Some(Link::Kept(r)) if !self.context.weak.is(self.base.keys[i]) => {
                Some(homes.astray(self.base, self.release, i, *r))
            }
            _ => None,
        };
        if op.kind != OpKind::Insert {
            return op.base.clone().any(|i| astray(i) == Some(true));
        }
        let beside: Vec<bool> =
            [op.base.start.checked_sub(1), Some(op.base.start)].into_iter().flatten().filter_map(astray).collect();
        !beside.is_empty() && beside.iter().all(|astray| *astray)
    }

    fn region(&self, s: usize, r: usize) -> Region {
        let (site, release) = (self.site_op(s), self.release_op(r));
        let reason = match (site.kind, release.kind) {
            _ if site.doubt || release.doubt => Reason::Doubtful,
            // Not in one gap, but each could as well stand at the other's.
            (OpKind::Insert, OpKind::Insert) if site.base != release.base => Reason::Doubtful,
            (OpKind::Insert, OpKind::Insert) => Reason::BothInserted,
            (_, OpKind::Delete) => Reason::ReleaseDeleted,
            (OpKind::Delete, _) => Reason::SiteDeleted,
            (OpKind::Insert, _) | (_, OpKind::Insert) => Reason::PlaceOpen,
            _ => Reason::BothChanged,
        };
        let base = match (site.kind, release.kind) {
            (OpKind::Delete, OpKind::Delete) => None,
            (_, OpKind::Delete) => Some(self.dropped_block(&site.base, &release.base, &self.from_release_moves)),
            (OpKind::Delete, _) => Some(self.dropped_block(&release.base, &site.base, &self.from_site_moves)),
            _ => None,
        };
        let whole = site.base.start.min(release.base.start)..site.base.end.max(release.base.end);
        Region {
            base: base.unwrap_or(whole),
            site: vec![s],
            release: vec![r],
            reason,
            doubt: reason == Reason::Doubtful,
            moved_to: None,
        }
    }

    /// What of a deletion a question about some lines within it is about: the whole block that they stand in, so that
    /// it can be put back, but nothing more. What moved elsewhere is not part of it.
    fn dropped_block(&self, inner: &Range<usize>, deleted: &Range<usize>, moves: &[Replaced]) -> Range<usize> {
        let (mut from, mut to) = (deleted.start, deleted.end);
        for moved in moves.iter().map(|m| &m.base) {
            if moved.end <= inner.start {
                from = from.max(moved.end);
            } else if inner.end <= moved.start {
                to = to.min(moved.start);
            }
        }
        if inner.start < from || to < inner.end {
            return inner.start.min(deleted.start)..inner.end.max(deleted.end);
        }
        let blank = |i: usize| self.base.lines[i].is_blank();
        let within = |i: &usize| from <= *i && *i < to;
        let first = inner.start.min(to.saturating_sub(1)).max(from);
        let opener = self.base.blocks(first).filter(within).last();
        // The paragraph above it goes with it: a rule's selectors, its comment.
        let mut start = opener.unwrap_or(inner.start).min(inner.start);
        while start > from && !blank(start - 1) {
            start -= 1;
        }
        let mut end = inner.end.max(start);
        if let Some(opener) = opener {
            let depth = self.base.width(opener);
            while end < to && (blank(end) || self.base.width(end) > depth) {
                end += 1;
            }
        }
        while end < to && !blank(end) {
            end += 1;
        }
        start..end
    }

    /// Joins regions that overlap, and takes in the operations that reach into them.
    fn grow(&self, mut regions: Vec<Region>) -> Vec<Region> {
        regions.sort_by_key(|r| (r.base.start, r.base.end));
        let mut out: Vec<Region> = Vec::new();
        for mut region in regions {
            loop {
                let before = region.base.clone();
                let absorb = |ops: &[Op], absorbed: &[bool], members: &mut Vec<usize>, base: &mut Range<usize>| {
                    let first = ops.partition_point(|o| o.base.end < base.start);
                    for (k, op) in ops.iter().enumerate().skip(first) {
                        if op.base.start > base.end {
                            break;
                        }
                        let reaches_in = op.base.start < base.end && base.start < op.base.end;
                        if reaches_in && !absorbed[op.edit] && !members.contains(&k) {
                            members.push(k);
                            // A deletion is done line by line: what of it lies outside is no question.
                            if op.kind != OpKind::Delete {
                                *base = base.start.min(op.base.start)..base.end.max(op.base.end);
                            }
                        }
                    }
                };
                absorb(&self.site_ops.ops, &self.site_absorbed, &mut region.site, &mut region.base);
                absorb(&self.release_ops.ops, &self.release_absorbed, &mut region.release, &mut region.base);
                if region.base == before {
                    break;
                }
            }
            while let Some(last) = out.last() {
                let shares = region.site.iter().any(|k| last.site.contains(k))
                    || region.release.iter().any(|k| last.release.contains(k));
                let overlaps = region.base.start < last.base.end && last.base.start < region.base.end;
                // A question about where a line went may share an operation with one far from it.
                let touches = region.base.start <= last.base.end && last.base.start <= region.base.end;
                if !(overlaps || shares && touches) {
                    break;
                }
                let last = out.pop().unwrap_or_else(|| region.clone());
                region.base = last.base.start.min(region.base.start)..last.base.end.max(region.base.end);
                region.site.extend(last.site);
                region.release.extend(last.release);
                region.doubt |= last.doubt;
                region.moved_to = region.moved_to.filter(|line| last.moved_to == Some(*line));
                region.reason = last.reason;
            }
            region.site.sort_unstable();
            region.site.dedup();
            region.release.sort_unstable();
            region.release.dedup();
            out.push(region);
        }
        out
    }

    fn merge_line(&self, site: &Op, release: &Op) -> Option<Vec<u8>> {
        if site.doubt || release.doubt {
            return None;
        }
        let (b, s, r) = (
            &self.base.lines[site.base.start],
            &self.site.lines[site.side.start],
            &self.release.lines[release.side.start],
        );
        let merged = merge_tokens(b.trimmed(), s.trimmed(), r.trimmed(), self.context.dialect, false)?;
        let shift = self.forms.site_shift(b, s);
        let line = crate::text::Line { content: r.content, end: r.end };
        let indent = self.forms.shifted(&line, shift);
        let width = indent.iter().take_while(|b| matches!(b, b' ' | b'\t')).count();
        Some([&indent[..width], &merged].concat())
    }

    /// Tells whether the place of an insertion beside lines that the other side replaced is plain all the same: it is
    /// the end of the file, a blank line stands between, or it is one end of a wrap of the lines on its other side.
    /// Else what is inserted must close all that it opens.
    fn set_apart(&self, site: &Op, release: &Op) -> bool {
        let (insertion, side, replaced) = match (site.kind, release.kind) {
            (OpKind::Insert, OpKind::Rewrite) => (site, self.site, release),
            (OpKind::Rewrite, OpKind::Insert) => (release, self.release, site),
            _ => return false,
        };
        let lines = &side.lines[insertion.side.clone()];
        let gap = insertion.base.start;
        let blank = |line: Option<&Line<'_>>| line.is_some_and(Line::is_blank);
        let (apart, wraps) = if gap == replaced.base.end {
            (gap == self.base.lines.len() || blank(lines.first()), Edge::Opens)
        } else if gap == replaced.base.start {
            (blank(lines.last()), Edge::Closes)
        } else {
            return false;
        };
        let solid = lines.iter().any(|l| !l.is_blank());
        edge(lines, self.context.dialect) == Some(wraps) || apart && solid && whole(lines, self.context.dialect)
    }

    fn unite(&self, site: &Op, release: &Op) -> Union {
        let g = site.base.start;
        Gap {
            site: &self.site.lines[site.side.clone()],
            site_keys: &self.site.keys[site.side.clone()],
            release: &self.release.lines[release.side.clone()],
            release_keys: &self.release.keys[release.side.clone()],
            before: g.checked_sub(1).map(|i| &self.base.lines[i]),
            after: self.base.lines.get(g),
        }
        .unite(self.context.dialect, self.context.options.trust)
    }

    fn run(&mut self) {
        let regions = self.regions();
        let in_region = |ops: &[Op], pick: fn(&Region) -> &Vec<usize>| -> Vec<bool> {
            let mut member = vec![false; ops.len()];
            for region in &regions {
                for k in pick(region) {
                    member[*k] = true;
                }
            }
            member
        };
        let site_member = in_region(&self.site_ops.ops, |r| &r.site);
        let release_member = in_region(&self.release_ops.ops, |r| &r.release);
        let mut regions = regions.into_iter().peekable();
        let (mut s, mut r) = (0, 0);
        let mut g = 0;
        let n = self.base.lines.len();
        loop {
            self.gap(g, &mut s, &mut r, &site_member, &release_member);
            // A question in the gap may stand before one about the lines that follow.
            let here = g;
            while let Some(region) = regions.next_if(|region| region.base.start == here) {
                self.settle_or_ask(&region);
                g = g.max(region.base.end);
            }
            if g > here {
                while self.site_ops.ops.get(s).is_some_and(|o| o.base.start < g) {
                    s += 1;
                }
                while self.release_ops.ops.get(r).is_some_and(|o| o.base.start < g) {
                    r += 1;
                }
                continue;
            }
            if g == n {
                break;
            }
            self.line(g, &mut s, &mut r);
            g += 1;
        }
        debug_assert!(regions.next().is_none(), "every question has its turn");
    }

    /// Does what the two sides do in a gap: insertions, and rewrites that begin here.
    fn gap(&mut self, g: usize, s: &mut usize, r: &mut usize, site_member: &[bool], release_member: &[bool]) {
        let takes = |ops: &[Op], k: usize| {
            ops.get(k).is_some_and(|o| o.base.start == g && matches!(o.kind, OpKind::Insert | OpKind::Rewrite))
        };
        // Changes and deletions of the lines before are done.
        let done = |ops: &[Op], k: usize| ops.get(k).is_some_and(|o| o.base.start < g && o.base.end <= g);
        while done(&self.site_ops.ops, *s) {
            *s += 1;
        }
        while done(&self.release_ops.ops, *r) {
            *r += 1;
        }
        let mut site = None;
        while takes(&self.site_ops.ops, *s) {
            let op = &self.site_ops.ops[*s];
            if !site_member[*s] && !self.site_absorbed[op.edit] {
                site = Some(*s);
            }
            if op.kind == OpKind::Rewrite {
                break;
            }
            *s += 1;
        }
        let mut release = None;
        while takes(&self.release_ops.ops, *r) {
            let op = &self.release_ops.ops[*r];
            if !release_member[*r] && !self.release_absorbed[op.edit] {
                release = Some(*r);
            }
            if op.kind == OpKind::Rewrite {
                break;
            }
            *r += 1;
        }
        match (site, release) {
            (None, None) => {}
            (None, Some(r)) => {
                let range = self.release_op(r).side.clone();
                self.release_lines(range, g);
            }
            (Some(s), None) => {
                let op = self.site_op(s).clone();
                self.site_lines(&op, op.side.clone(), g, None);
            }
            (Some(s), Some(r)) => {
                let (site, release) = (self.site_op(s).clone(), self.release_op(r).clone());
                if self.twins.get(&s) == Some(&r) {
                    let from = self.out.lines();
                    self.release_lines(release.side.clone(), g);
                    self.note(site.edit, Outcome::Already, None, from..self.out.lines(), release.side);
                    return;
                }
                match self.unions.remove(&g) {
                    Some(Union::Release(step)) => {
                        let from = self.out.lines();
                        self.release_lines(release.side.clone(), g);
                        self.note(site.edit, Outcome::Already, Some(step), from..self.out.lines(), release.side);
                    }
                    Some(Union::Site(step)) => self.site_lines(&site, site.side.clone(), g, Some(step)),
                    Some(Union::Both(step)) => {
                        self.release_lines(release.side, g);
                        self.site_lines(&site, site.side.clone(), g, Some(step));
                    }
                    Some(Union::SiteFirst(step)) => {
                        self.site_lines(&site, site.side.clone(), g, Some(step));
                        self.release_lines(release.side, g);
                    }
                    // At the edge of lines that the release replaced: before what stands there now.
                    _ if site.kind == OpKind::Insert && release.kind == OpKind::Rewrite => {
                        self.site_lines(&site, site.side.clone(), g, Some(Step::Neighbour));
                        self.release_lines(release.side, g);
                    }
                    _ => {
                        // Insertions at the two edges of one another's operations: the release's first.
                        self.release_lines(release.side, g);
                        self.site_lines(&site, site.side.clone(), g, Some(Step::Neighbour));
                    }
                }
            }
        }
    }

    /// Does what the two sides do to a base line outside of all regions.
    fn line(&mut self, i: usize, s: &mut usize, r: &mut usize) {
        let at = |ops: &[Op], k: &mut usize| -> Option<usize> {
            while ops.get(*k).is_some_and(|o| o.base.end <= i) {
                *k += 1;
            }
            ops.get(*k).filter(|o| o.base.contains(&i)).map(|_| *k)
        };
        let site_op = at(&self.site_ops.ops, s).filter(|k| !self.site_absorbed[self.site_op(*k).edit]);
        let release_op = at(&self.release_ops.ops, r).filter(|k| !self.release_absorbed[self.release_op(*k).edit]);
        let site_link = self.site_ops.links[i];
        let release_link = self.release_ops.links[i];
        let site_deletes = site_op.is_some_and(|k| self.site_op(k).kind != OpKind::Change);
        let release_deletes = release_op.is_some_and(|k| self.release_op(k).kind != OpKind::Change);
        if let (Some(k), true) = (site_op, site_deletes) {
            let op = self.site_op(k).clone();
            if op.kind == OpKind::Delete {
                let (outcome, step) = if release_deletes {
                    (Outcome::Already, Some(Step::BothDeleted))
                } else if self.site_touched[op.edit] {
                    (Outcome::Fitted, Some(Step::Neighbour))
                } else {
                    (Outcome::Kept, None)
                };
                let here = self.out.lines();
                let release_at = release_link.line().map_or(0..0, |j| j..j + 1);
                self.note(op.edit, outcome, step, here..here, release_at);
            }
        }
        if site_deletes || release_deletes || release_link == Link::Gone {
            return;
        }
        let Some(k) = release_link.line() else { return };
        let from = self.out.lines();
        match (site_op, release_op) {
            (None, None) => {
                let Some(j) = site_link.line() else { return };
                let (b, own, line) = (&self.base.lines[i], &self.site.lines[j], &self.release.lines[k]);
                if own.content != b.content {
                    self.space_lines += 1;
                }
                let content = self.forms.kept_line(b, own, line);
                self.out.line(&content, line.end, Source { base: Some(i), site: Some(j), release: Some(k) });
            }
            (Some(op), None) => {
                let (edit, side) = (self.site_op(op).edit, self.site_op(op).side.clone());
                let j = side.start;
                let line = &self.site.lines[j];
                // The base line is the same line on both sides: its indentation on each is the reference.
                let reference = self.base.lines[i];
                let content = self.forms_fit_changed(line, &reference, &self.release.lines[k]);
                let content = self.forms.ended(content);
                let refitted = content != line.content;
                let source = Source { base: Some(i), site: Some(j), release: Some(k) };
                self.out.line(&content, self.release.lines[k].end, source);
                let touched = self.site_touched[edit];
                let (outcome, step) = match (refitted, touched) {
                    (_, true) => (Outcome::Fitted, Some(Step::Neighbour)),
                    (true, _) => (Outcome::Fitted, Some(Step::Space)),
                    _ => (Outcome::Kept, None),
                };
                self.note(edit, outcome, step, from..self.out.lines(), k..k + 1);
            }
            (None, Some(_)) => {
                let line = self.release.lines[k];
                let shift =
                    site_link.line().map_or(0, |j| self.forms.site_shift(&self.base.lines[i], &self.site.lines[j]));
                let content = self.forms.shifted(&line, shift);
                self.out.line(
                    &content,
                    line.end,
                    Source { base: Some(i), site: site_link.line(), release: Some(k) },
                );
            }
            (Some(op), Some(other)) => {
                let (edit, side) = (self.site_op(op).edit, self.site_op(op).side.start);
                let source = Source { base: Some(i), site: Some(side), release: Some(k) };
                if self.twins.get(&op) == Some(&other) {
                    self.out.line(self.release.lines[k].content, self.release.lines[k].end, source);
                    self.note(edit, Outcome::Already, None, from..self.out.lines(), k..k + 1);
                } else if let Some(line) = self.same_lines.get(&i) {
                    self.out.line(line, self.release.lines[k].end, source);
                    self.note(edit, Outcome::Fitted, Some(Step::Words), from..self.out.lines(), k..k + 1);
                }
            }
        }
    }

    /// Writes a changed line of the site with the indentation that its base line has in the release.
    fn forms_fit_changed(
        &self,
        line: &crate::text::Line<'a>,
        base: &crate::text::Line<'a>,
        release: &crate::text::Line<'a>,
    ) -> Cow<'a, [u8]> {
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

    /// Writes lines of the release into gap `g`, as deep as the site has the surroundings.
    fn release_lines(&mut self, range: Range<usize>, g: usize) {
        let shift = self.surrounding_shift(g);
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
            let content = self.forms.shifted(&line, shift);
            self.out.line(&content, line.end, Source::of_release(k));
            k += 1;
        }
    }

    /// By how many levels the site indents the kept lines on both sides of a gap, where they agree.
    fn surrounding_shift(&self, g: usize) -> isize {
        let shift = |i: usize| -> Option<isize> {
            let b = &self.base.lines[i];
            let j = self.site_ops.links[i].line()?;
            (!b.is_blank()).then(|| self.forms.site_shift(b, &self.site.lines[j]))
        };
        let before = (g.saturating_sub(8)..g).rev().find_map(shift);
        let after = (g..(g + 8).min(self.base.lines.len())).find_map(shift);
        match (before, after) {
            (Some(a), Some(b)) if a == b => a,
            _ => 0,
        }
    }

    /// Writes lines of the site into gap `g`, fitted to how the release is written there.
    fn site_lines(&mut self, op: &Op, range: Range<usize>, g: usize, step: Option<Step>) {
        let from = self.out.lines();
        let mut refitted = false;
        // Behind the end of the file no block is open, however deep the last lines have come to stand.
        let behind_all = g == self.base.lines.len()
            && self.site.lines[range.start..].iter().any(|l| l.indent().is_empty() && !l.is_blank());
        let reference = (!behind_all)
            .then(|| self.own_reference(op).or_else(|| self.reference(range.clone(), g, op.base.end)))
            .flatten();
        let mut j = range.start;
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
            let content = self.forms.ended(content);
            refitted |= content != line.content;
            // It ends as the line does that it stands for, or as most lines do.
            let end = own.map_or(LineEnd::None, |r| self.release.lines[r].end);
            let source = own.map_or(Source::of_site(j), |r| Source {
                base: Some(stands_for),
                site: Some(j),
                release: Some(r),
            });
            self.out.line(&content, end, source);
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
            Link::Kept(_) => self.forms.kept_line(b, own, line),
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
            decision.edits = decision.edits.iter().filter_map(|e| edits.get(*e).copied().flatten()).collect();
            if by_release {
                decision.release = decision.release.start + lines.start..decision.release.end + lines.start;
            }
            self.decisions.push(decision);
        }
    }

    /// Merges a region by words, or leaves it as a question.
    fn settle_or_ask(&mut self, region: &Region) {
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
        let site = span(self.site_ops, &region.site);
        let release = span(self.release_ops, &region.release);
        let mut edits: Vec<usize> = region.site.iter().map(|k| self.site_op(*k).edit).collect();
        edits.dedup();
        let from = self.out.lines();
        if self.site.keys[site.clone()] == self.release.keys[release.clone()] {
            self.release_text(release.clone());
            for edit in edits {
                self.note(edit, Outcome::Already, None, from..self.out.lines(), release.clone());
            }
            return;
        }
        let (base_text, site_text, release_text) =
            (lines_of(self.base, &region.base), lines_of(self.site, &site), lines_of(self.release, &release));
        let small = region.base.len().max(site.len()).max(release.len()) <= 200;
        if small
            && !region.doubt
            && self.context.options.trust != Trust::Strict
            && !region.base.is_empty()
            && let Some(merged) = merge_tokens(&base_text, &site_text, &release_text, self.context.dialect, true)
        {
            self.merged_text(&merged, [&region.base, &site, &release]);
            for edit in edits {
                self.note(edit, Outcome::Fitted, Some(Step::Words), from..self.out.lines(), release.clone());
            }
            return;
        }
        if let (Some(line), [k]) = (region.moved_to.filter(|line| release.contains(line)), &region.site[..]) {
            let op = self.site_op(*k).clone();
            self.release_text(release.start..line);
            self.ask(region.reason, [op.base, op.side, line..line + 1], edits);
            self.release_text(line + 1..release.end);
            return;
        }
        if let Some(spots) = self.narrowed(region, &release) {
            let mut at = release.start;
            for Spot { op, place, gone } in spots {
                let op = self.site_op(op).clone();
                self.release_text(at..place.start);
                at = place.end;
                let here = self.out.lines();
                let same = self.site.keys[op.side.clone()] == self.release.keys[place.clone()];
                if gone || same && !place.is_empty() {
                    self.release_text(place.clone());
                    let step = gone.then_some(Step::BothDeleted);
                    self.note(op.edit, Outcome::Already, step, here..self.out.lines(), place);
                } else {
                    self.ask(region.reason, [op.base, op.side, place], vec![op.edit]);
                }
            }
            self.release_text(at..release.end);
            return;
        }
        self.ask(region.reason, [region.base.clone(), site, release], edits);
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
            let place = own.map_or_else(
                || {
                    let j = above().or_else(below).unwrap_or(release.end).max(at);
                    j..j
                },
                |j| j..j + 1,
            );
            // Only a line that tells something, and is like none there, is known to be gone.
            let known = |i: usize| most_like(i).is_some_and(|(score, _)| score < BARELY_ALIKE);
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

    /// Writes a stretch that was merged by words; where all versions have as many lines, each stands for its own.
    fn merged_text(&mut self, merged: &[u8], [base, site, release]: [&Range<usize>; 3]) {
        let lines = split_lines(merged);
        if [base.len(), site.len(), release.len()] != [lines.len(); 3] {
            self.out.text(merged);
            return;
        }
        for (k, line) in lines.iter().enumerate() {
            let source =
                Source { base: Some(base.start + k), site: Some(site.start + k), release: Some(release.start + k) };
            self.out.line(line.content, LineEnd::None, source);
        }
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
        let base_text = lines_of(self.base, &base);
        // What both put at the two ends of the stretch is no question.
        let (s, r) = (&self.site.keys[site.clone()], &self.release.keys[release.clone()]);
        let head = s.iter().zip(r).take_while(|(a, b)| a == b).count();
        let tail = s[head..].iter().rev().zip(r[head..].iter().rev()).take_while(|(a, b)| a == b).count();
        self.release_text(release.start..release.start + head);
        let open_from = self.out.lines();
        let (site_mid, release_mid) =
            (site.start + head..site.end - tail, release.start + head..release.end - tail);
        let (site_text, release_text) = (lines_of(self.site, &site_mid), lines_of(self.release, &release_mid));
        match self.context.options.leave {
            Leave::Markers if self.context.dialect.markers => {
                self.out.marker("<<<<<<< site");
                self.out.text(&site_text);
                self.out.marker("||||||| base");
                self.out.text(&base_text);
                self.out.marker("=======");
                self.out.text(&release_text);
                self.out.marker(format!(">>>>>>> release {}", self.context.options.release_label).trim_end());
            }
            Leave::Release => self.out.text(&release_text),
            _ => self.out.text(&site_text),
        }
        let open = open_from..self.out.lines();
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
            base_text,
            site_text,
            release_text,
        });
    }

    /// Takes down what became of (a part of) a site edit; the gravest outcome stands.
    fn note(
        &mut self,
        edit: usize,
        outcome: Outcome,
        step: Option<Step>,
        result: Range<usize>,
        release: Range<usize>,
    ) {
        let fate = &mut self.fates[edit];
        if fate.outcome.is_none_or(|o| outcome.gravity() >= o.gravity()) {
            fate.outcome = Some(outcome);
            fate.step = step.or(fate.step);
        }
        let join = |old: &Option<Range<usize>>, new: Range<usize>| match old {
            Some(old) => Some(old.start.min(new.start)..old.end.max(new.end)),
            None => Some(new),
        };
        fate.result = join(&fate.result, result);
        fate.release = join(&fate.release, release);
    }

    fn finish(self) -> MergedLines {
        let (b, s, r) = (self.forms.base, self.forms.site, self.forms.release);
        let final_newline = if s.final_newline != b.final_newline { s.final_newline } else { r.final_newline };
        let edits = self
            .site_edits
            .iter()
            .zip(&self.fates)
            .map(|(edit, notes)| EditFate {
                base: edit.old.clone(),
                site: edit.new.clone(),
                release: notes.release.clone().unwrap_or(0..0),
                result: notes.result.clone().unwrap_or(0..0),
                // Every operation of every edit was noted; if one ever were not, it must not pass as done.
                outcome: notes.outcome.unwrap_or(Outcome::Open),
                step: notes.step,
            })
            .collect();
        let (bytes, sources) = self.out.finish(final_newline || self.context.nested.is_some());
        MergedLines {
            bytes,
            sources,
            edits,
            decisions: self.decisions,
            space_lines: self.space_lines,
            space_follows_release: self.forms.site_reformatted,
        }
    }
}

/// The text of some lines of a side, each with an end.
fn lines_of(side: &Side<'_>, lines: &Range<usize>) -> Vec<u8> {
    let end = |line: &Line<'_>| if line.end == LineEnd::None { b"\n".as_slice() } else { line.end.bytes() };
    side.lines[lines.clone()].iter().flat_map(|line| [line.content, end(line)].concat()).collect()
}

/// The side's lines that stand for a moved stretch, with what the side put at its edges.
fn span_of(moved: &MovedStretch, ops: &Ops, edits: &[Edit], absorbed: &[usize]) -> Range<usize> {
    let put_at = |gap: usize| absorbed.iter().any(|k| edits[*k].old == (gap..gap));
    let at_start = ops.rewrites_at(moved.base.start) || put_at(moved.base.start);
    ops.span(&moved.base, at_start, put_at(moved.base.end))
}
