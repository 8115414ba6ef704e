//! How the operations of the two sides meet, and which stretches are questions.

use std::collections::BTreeSet;
use std::ops::Range;

use super::Walk;
use super::followed::Replaced;
use crate::merge::align::{Homes, Repeated, Side};
use crate::merge::gaps::{Edge, Gap, Union, edge, in_no_order, whole};
use crate::merge::ops::{FAR, Link, Meeting, Op, OpKind, Ops, meet};
use crate::merge::statements::merge_by_statements;
use crate::merge::tokens::merge_tokens;
use crate::merge::{Reason, Trust};
use crate::text::Line;

/// Lines below a gap in which the first that is not blank is looked for.
const NEAR: usize = 8;
/// Lines above a gap in which the bracket is looked for that it is in.
const BRACKET: usize = 400;

/// A stretch of the base that is a question.
#[derive(Debug, Clone)]
pub(super) struct Region {
    pub(super) base: Range<usize>,
    pub(super) site: Vec<usize>,
    pub(super) release: Vec<usize>,
    pub(super) reason: Reason,
    pub(super) doubt: bool,
    /// The question is only about this line of the release: where it moved what the site deleted.
    pub(super) moved_to: Option<usize>,
    /// Edits of the site that hang on it though they are elsewhere.
    pub(super) with: Vec<usize>,
}

impl Region {
    /// Makes one question of two, by the reason of this one.
    fn take_in(&mut self, other: Region) {
        self.base = self.base.start.min(other.base.start)..self.base.end.max(other.base.end);
        self.site.extend(other.site);
        self.release.extend(other.release);
        self.with.extend(other.with);
        if matches!(self.reason, Reason::Paired | Reason::Unbalanced) {
            self.reason = other.reason;
        }
        self.doubt |= other.doubt;
        self.moved_to = self.moved_to.filter(|line| other.moved_to == Some(*line));
    }
}

fn lies_within(inner: &Range<usize>, outer: &Range<usize>) -> bool {
    let overlaps = inner.start < outer.end && outer.start < inner.end;
    overlaps && outer.start <= inner.start && inner.end <= outer.end
}

/// Tells whether what a side put into a gap opens a block of the line below, which the side indented deeper.
fn opens_block(
    base: &Side<'_>,
    (side, ops): (&Side<'_>, &Ops),
    op: &Op,
    deeper: impl Fn(&Line<'_>, &Line<'_>) -> bool,
) -> bool {
    let Some(opener) = op.side.clone().rev().find(|j| !side.lines[*j].is_blank()) else { return false };
    let below = (op.base.start..base.lines.len()).take(NEAR).find(|i| !base.lines[*i].is_blank());
    below
        .and_then(|i| Some((i, ops.links[i].line()?)))
        .is_some_and(|(i, j)| side.width(opener) < side.width(j) && deeper(&base.lines[i], &side.lines[j]))
}

impl Walk<'_, '_> {
    /// Finds out how the operations of the two sides meet, and which stretches are questions.
    pub(super) fn regions(&mut self) -> Vec<Region> {
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
                let equal = || self.put_the_same(&site.side, &release.side);
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
                let goes_with = || site.kind == OpKind::Insert && self.goes_with(&site, &release);
                if touch && meeting == Meeting::Apart && release.kind == OpKind::Delete && goes_with() {
                    meeting = Meeting::Clash;
                }
                if touch && meeting == Meeting::Apart && !strict && self.at_odds(&site, &release) {
                    meeting = Meeting::Clash;
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
        self.whole_tags(&mut regions);
        let homes = Homes::of(self.base, self.release, &repeated);
        for s in 0..self.site_ops.ops.len() {
            if !strict
                && (self.rootless(self.site_op(s), &repeated) || self.at_look_alikes(self.site_op(s), &homes))
            {
                let base = self.site_op(s).base.clone();
                regions.push(Region {
                    base,
                    site: vec![s],
                    release: Vec::new(),
                    reason: Reason::Doubtful,
                    doubt: true,
                    moved_to: None,
                    with: Vec::new(),
                });
            }
        }
        if !strict {
            self.doubled = self.doubled();
        }
        regions.extend(self.doubled.asked.keys().map(|s| Region {
            base: self.site_op(*s).base.clone(),
            site: vec![*s],
            release: Vec::new(),
            reason: Reason::PutTwice,
            doubt: true,
            moved_to: None,
            with: Vec::new(),
        }));
        for (edit, reason) in self.context.asked {
            let before = |edit: usize| self.site_ops.ops.partition_point(|op| op.edit < edit);
            let ops: Vec<usize> = (before(*edit)..before(edit + 1)).collect();
            // What the release did too is asked about with it: then it is no question.
            let twins = ops.iter().filter_map(|op| self.twins.get(op).copied()).collect();
            regions.push(Region {
                base: self.site_edits[*edit].old.clone(),
                site: ops,
                release: twins,
                reason: *reason,
                doubt: true,
                moved_to: None,
                with: Vec::new(),
            });
        }
        regions.extend(self.context.paired.iter().map(|paired| {
            let ops = |own: bool| if own { vec![paired.op] } else { Vec::new() };
            Region {
                base: paired.base.clone(),
                site: ops(paired.by_site),
                release: ops(!paired.by_site),
                reason: Reason::Paired,
                doubt: true,
                moved_to: None,
                with: paired.edits.clone(),
            }
        }));
        self.grow(regions)
    }

    /// Tells whether both sides have the same lines, but for white space.
    pub(super) fn same_keys(&self, site: &Range<usize>, release: &Range<usize>) -> bool {
        self.site.keys[site.clone()] == self.release.keys[release.clone()]
    }

    /// Tells whether both sides put the same lines in place. Lone braces and closing tags stand in every block: they
    /// are the same only as deep.
    pub(super) fn put_the_same(&self, site: &Range<usize>, release: &Range<usize>) -> bool {
        let telling = |s: usize| !self.site.lines[s].is_blank() && !self.context.weak.is(self.site.keys[s]);
        let as_deep = |(s, r): (usize, usize)| {
            let (s, r) = (&self.site.lines[s], &self.release.lines[r]);
            s.is_blank()
                || self.forms.site.measure(s.indent()).levels == self.forms.release.measure(r.indent()).levels
        };
        self.same_keys(site, release)
            && (site.clone().any(telling) || site.clone().zip(release.clone()).all(as_deep))
    }

    /// Finds what looks like deleted by both, but moved on one side: dropping the other's deletion would bring it
    /// back. Only a line that stands once in each version is known to be the same line at its other place; what
    /// is asked about is that place.
    fn brought_back(&self, s: usize, r: usize, lines: Range<usize>, repeated: &Repeated) -> Option<Region> {
        let key = |i: &usize| self.base.keys[*i];
        let moved = |i: &usize| self.site_moved.has(key(i)) || self.release_moved.has(key(i));
        let known = |i: &usize| !self.base.lines[*i].is_blank() && !repeated.has(key(i));
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
            Some(Region {
                base,
                site: vec![site],
                release: vec![release],
                reason,
                doubt: true,
                moved_to,
                with: Vec::new(),
            })
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

    /// Tells whether the lines that a site's operation is about were lined up with look-alikes of the release: in another
    /// block, while the block that they stood in has its own, or in other company, or may as well be those beside them.
    fn at_look_alikes(&self, op: &Op, homes: &Homes) -> bool {
        if self.site_absorbed[op.edit] {
            return false;
        }
        if self.open_choices[op.edit] {
            return true;
        }
        let astray = |i: usize| match self.release_ops.links.get(i) {
            Some(Link::Kept(r)) if !self.context.weak.is(self.base.keys[i]) => {
                Some(homes.is_mistaken(self.base, self.release, self.context.weak, (i, *r)))
            }
            _ => None,
        };
        Homes::changed_at_look_alikes(&op.base, astray)
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
            with: Vec::new(),
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
        if from == to {
            return inner.clone();
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
            // What lies within a region that is whole already adds nothing to it.
            if let Some(last) = out.last_mut().filter(|last| lies_within(&region.base, &last.base)) {
                last.take_in(region);
                continue;
            }
            let (mut site, mut release) = (BTreeSet::from_iter(region.site), BTreeSet::from_iter(region.release));
            loop {
                let before = region.base.clone();
                let absorb =
                    |ops: &[Op], absorbed: &[bool], members: &mut BTreeSet<usize>, base: &mut Range<usize>| {
                        let first = ops.partition_point(|o| o.base.end < base.start);
                        for (k, op) in ops.iter().enumerate().skip(first) {
                            if op.base.start > base.end {
                                break;
                            }
                            let reaches_in = op.base.start < base.end && base.start < op.base.end;
                            if reaches_in && !absorbed[op.edit] && members.insert(k) {
                                // A deletion is done line by line: what of it lies outside is no question.
                                if op.kind != OpKind::Delete {
                                    *base = base.start.min(op.base.start)..base.end.max(op.base.end);
                                }
                            }
                        }
                    };
                absorb(&self.site_ops.ops, &self.site_absorbed, &mut site, &mut region.base);
                absorb(&self.release_ops.ops, &self.release_absorbed, &mut release, &mut region.base);
                if region.base == before {
                    break;
                }
            }
            (region.site, region.release) = (site.into_iter().collect(), release.into_iter().collect());
            while let Some(last) = out.last() {
                let shares = region.site.iter().any(|k| last.site.contains(k))
                    || region.release.iter().any(|k| last.release.contains(k));
                let overlaps = region.base.start < last.base.end && last.base.start < region.base.end;
                // A question about where a line went may share an operation with one far from it.
                let touches = region.base.start <= last.base.end && last.base.start <= region.base.end;
                if !(overlaps || shares && touches) {
                    break;
                }
                let mut last = out.pop().unwrap_or_else(|| region.clone());
                last.take_in(region);
                region = last;
            }
            out.push(region);
        }
        for region in &mut out {
            for list in [&mut region.site, &mut region.release] {
                list.sort_unstable();
                list.dedup();
            }
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
        let texts @ [base, own, new] = [b.trimmed(), s.trimmed(), r.trimmed()];
        let dialect = self.context.dialect;
        let merged = merge_by_statements(texts, dialect, self.context.options)
            .or_else(|| merge_tokens(base, own, new, dialect))?;
        let shift = self.forms.site_shift(b, s);
        let line = crate::text::Line { content: r.content, end: r.end };
        let indent = self.forms.shifted(&line, shift);
        let width = indent.iter().take_while(|b| matches!(b, b' ' | b'\t')).count();
        Some([&indent[..width], &merged, self.forms.trail(b, s, r)].concat())
    }

    /// Tells whether the place of an insertion beside lines that the other side replaced, or changed in a way that leaves
    /// in doubt which they are, is plain all the same: it is one end of a wrap of the lines on its other side. Beside
    /// replaced lines it is plain at the end of the file as well, and where a blank line stands between.
    /// Else what is inserted must close all that it opens. Blank lines, and what is in no order with what was replaced,
    /// may stand anywhere, but not within a wrap that was put around the lines beside it.
    fn set_apart(&self, site: &Op, release: &Op) -> bool {
        let (insertion, side, replaced) = match (site.kind, release.kind) {
            (OpKind::Insert, OpKind::Rewrite | OpKind::Change) => (site, self.site, release),
            (OpKind::Rewrite | OpKind::Change, OpKind::Insert) => (release, self.release, site),
            _ => return false,
        };
        let lines = &side.lines[insertion.side.clone()];
        let gap = insertion.base.start;
        let wraps = match gap {
            _ if gap == replaced.base.end => Edge::Opens,
            _ if gap == replaced.base.start => Edge::Closes,
            _ => return false,
        };
        let is_rewrite = replaced.kind == OpKind::Rewrite;
        if is_rewrite && lines.iter().all(Line::is_blank) {
            return true;
        }
        let other = if site.kind == OpKind::Insert { self.release } else { self.site };
        let (old, new) = (&self.base.lines[replaced.base.clone()], &other.lines[replaced.side.clone()]);
        // Right behind the opening of a wrap that came with what was replaced, or before its end, it would stand within.
        let is_edge = |lines: &[Line<'_>]| {
            let mut solid = lines.iter().filter(|line| !line.is_blank());
            let nearest = if wraps == Edge::Opens { solid.next_back() } else { solid.next() };
            nearest.is_some_and(|line| edge(std::slice::from_ref(line), self.context.dialect) == Some(wraps))
        };
        if is_edge(new) && !is_edge(old) {
            return false;
        }
        if edge(lines, self.context.dialect) == Some(wraps) {
            return true;
        }
        if !is_rewrite {
            return false;
        }
        let in_no_order = |with| in_no_order(lines, with, self.bracket_around(gap), self.context.dialect);
        if in_no_order(old) && in_no_order(new) {
            return true;
        }
        let blank = |line: Option<&Line<'_>>| line.is_some_and(Line::is_blank);
        let apart = match wraps {
            Edge::Opens => gap == self.base.lines.len() || blank(lines.first()),
            Edge::Closes => blank(lines.last()),
        };
        // What the release put in stands beside what the site rewrote, unless it may as well begin within or hangs on it.
        let reach = &insertion.reach;
        let within = reach.start < replaced.base.end && replaced.base.start < reach.end;
        let beside = site.kind == OpKind::Rewrite && !within && !self.hangs_on(insertion, replaced);
        let solid = lines.iter().any(|l| !l.is_blank());
        let opens = wraps == Edge::Opens
            && if site.kind == OpKind::Insert { self.site_opens(site) } else { self.release_opens(release) };
        ((apart || beside) && solid || opens) && whole(lines, self.context.dialect)
    }

    /// Tells whether an insertion of the site at the edge of a deletion is written against the lines that are gone, and
    /// a blank line, or the end of the file, parts both from what stays.
    fn goes_with(&self, site: &Op, release: &Op) -> bool {
        let (gap, gone, own) = (site.base.start, &release.base, &self.site.lines[site.side.clone()]);
        let blank =
            |lines: &[Line<'_>], at: Option<usize>| at.and_then(|at| lines.get(at)).is_none_or(Line::is_blank);
        let base = |at: Option<usize>| blank(&self.base.lines, at);
        let (first, last) = (blank(own, Some(0)), blank(own, own.len().checked_sub(1)));
        if gap == gone.start {
            let below = base(Some(gone.end)) || base(gone.end.checked_sub(1));
            !last && !base(Some(gap)) && (first || base(gap.checked_sub(1))) && below
        } else {
            let above = base(gone.start.checked_sub(1)) || base(Some(gone.start));
            gap == gone.end && !first && !base(gap.checked_sub(1)) && (last || base(Some(gap))) && above
        }
    }

    /// Tells whether an insertion of the site opens a block by indentation alone: the line below it, and none of its
    /// own, stands deeper since.
    pub(super) fn site_opens(&self, op: &Op) -> bool {
        let deeper = |base: &Line<'_>, line: &Line<'_>| self.forms.site_shift(base, line) > 0;
        opens_block(self.base, (self.site, self.site_ops), op, deeper)
    }

    fn release_opens(&self, op: &Op) -> bool {
        let deeper = |base: &Line<'_>, line: &Line<'_>| self.forms.release_shift(base, line) > 0;
        opens_block(self.base, (self.release, self.release_ops), op, deeper)
    }

    fn unite(&self, site: &Op, release: &Op) -> Union {
        let g = site.base.start;
        if self.same_keys(&site.side, &release.side) && !self.put_the_same(&site.side, &release.side) {
            return Union::Ask;
        }
        Gap {
            site: &self.site.lines[site.side.clone()],
            site_keys: &self.site.keys[site.side.clone()],
            release: &self.release.lines[release.side.clone()],
            release_keys: &self.release.keys[release.side.clone()],
            site_opens: self.site_opens(site),
            release_opens: self.release_opens(release),
            both_go_on: [(self.site, &site.side), (self.release, &release.side)].iter().all(|(side, put)| {
                put.start.checked_sub(1).is_some_and(|above| side.lines[above].trimmed().ends_with(b","))
            }),
            within: self.bracket_around(g),
            before: g.checked_sub(1).map(|i| &self.base.lines[i]),
            after: self.base.lines.get(g),
        }
        .unite(self.context.dialect, self.context.options.trust)
    }

    /// The bracket that a gap of the base is in, as far as can be seen.
    fn bracket_around(&self, g: usize) -> Option<u8> {
        let mut closed = 0;
        let above = self.base.lines[g.saturating_sub(BRACKET)..g].iter().rev();
        above.flat_map(|line| line.trimmed().iter().rev()).copied().find(|byte| {
            closed += i64::from(matches!(byte, b')' | b']' | b'}')) - i64::from(matches!(byte, b'(' | b'[' | b'{'));
            closed < 0
        })
    }
}
