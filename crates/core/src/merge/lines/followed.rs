//! Stretches that one side moved and the other changed: each is merged as a small file of its own, where it went.

use std::ops::Range;

use super::{Context, MergedLines, Walk, merge_lines};
use crate::diff::Edit;
use crate::merge::Step;
use crate::merge::align::Side;
use crate::merge::gaps::whole;
use crate::merge::moves::{MovedStretch, moved_stretches};
use crate::merge::ops::Ops;
use crate::text::Line;

/// A stretch whose merge stands in place of some lines of a side.
pub(super) struct Replaced {
    pub(super) lines: Range<usize>,
    /// Where they stood in the base.
    pub(super) base: Range<usize>,
    pub(super) merged: MergedLines,
    /// Where the nested merge's base and site begin in the whole.
    pub(super) origin: (usize, usize),
    /// Where its release begins.
    pub(super) release_from: usize,
    /// The outer site edit of each nested edit.
    pub(super) edits: Vec<Option<usize>>,
    pub(super) step: Step,
}

impl Walk<'_, '_> {
    /// Merges the stretches that one side moved and the other changed.
    pub(super) fn follow_moves(&mut self, release_edits: &[Edit]) {
        for moved in moved_stretches(self.base, self.release, release_edits, self.site_edits, self.context.weak) {
            self.follow_release(moved);
        }
        for moved in moved_stretches(self.base, self.site, self.site_edits, release_edits, self.context.weak) {
            self.follow_site(moved, release_edits);
        }
    }

    fn nested(&self) -> Context<'_> {
        Context { nested: Some(self.forms.reformatted()), asked: &[], paired: &[], ..self.context }
    }

    /// Does what the site changed in a stretch where the release moved it.
    fn follow_release(&mut self, moved: MovedStretch) {
        let absorbed = self.absorbed(self.site, self.site_edits, &moved);
        if absorbed.is_empty() {
            return;
        }
        let site_span = span_of(&moved, self.site_ops, self.site_edits, &absorbed);
        let merged = merge_lines(
            &self.base.part(moved.base.clone()),
            &self.site.part(site_span.clone()),
            &self.release.part(moved.side.clone()),
            self.nested(),
        );
        let edits = merged
            .edits
            .iter()
            .map(|e| {
                let (at, end) = (e.base.start + moved.base.start, e.base.end + moved.base.start);
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
        let (base, lines, release_from) = (moved.base, moved.side.clone(), moved.side.start);
        let step = Step::Moved;
        self.from_release_moves.push(Replaced { lines, base, merged, origin, release_from, edits, step });
    }

    /// Does what the release changed in a stretch where the site moved it.
    fn follow_site(&mut self, moved: MovedStretch, release_edits: &[Edit]) {
        let absorbed = self.absorbed(self.release, release_edits, &moved);
        let taken = near(self.site_edits, &moved).any(|k| {
            let old = &self.site_edits[k].old;
            self.site_absorbed[k] && old.start < moved.base.end && moved.base.start < old.end
        });
        if absorbed.is_empty() || taken {
            return;
        }
        let release_span = span_of(&moved, self.release_ops, release_edits, &absorbed);
        let merged = merge_lines(
            &self.base.part(moved.base.clone()),
            &self.site.part(moved.side.clone()),
            &self.release.part(release_span.clone()),
            self.nested(),
        );
        let home = self.site_edits.partition_point(|edit| edit.new.end < moved.side.end);
        let home = Some(home).filter(|k| self.site_edits.get(*k).is_some_and(|e| e.new.start <= moved.side.start));
        let edits = vec![home; merged.edits.len()];
        for k in absorbed {
            self.release_absorbed[k] = true;
        }
        let origin = (moved.base.start, moved.side.start);
        let (base, lines, release_from) = (moved.base, moved.side, release_span.start);
        let step = Step::SiteMoved;
        self.from_site_moves.push(Replaced { lines, base, merged, origin, release_from, edits, step });
    }

    /// The edits of a side that belong to a stretch that the other side moved.
    fn absorbed(&self, side: &Side<'_>, edits: &[Edit], moved: &MovedStretch) -> Vec<usize> {
        near(edits, moved).filter(|k| self.within(side, &edits[*k], moved)).collect()
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
}

/// The edits that touch the old place of a moved stretch.
fn near<'e>(edits: &'e [Edit], moved: &'e MovedStretch) -> impl Iterator<Item = usize> + 'e {
    let from = edits.partition_point(|edit| edit.old.end < moved.base.start);
    (from..edits.len()).take_while(|k| edits[*k].old.start <= moved.base.end)
}

/// The side's lines that stand for a moved stretch, with what the side put at its edges.
fn span_of(moved: &MovedStretch, ops: &Ops, edits: &[Edit], absorbed: &[usize]) -> Range<usize> {
    let put_at = |gap: usize| absorbed.iter().any(|k| edits[*k].old == (gap..gap));
    let at_start = ops.rewrite_of(moved.base.start).is_some_and(|op| op.base.start == moved.base.start)
        || put_at(moved.base.start);
    ops.span(&moved.base, at_start, put_at(moved.base.end))
}
