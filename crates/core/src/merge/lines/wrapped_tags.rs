//! Questions within a tag that is wrapped over several lines: the tag's attributes are a set, whatever line they are on.

use std::ops::Range;

use super::regions::Region;
use super::{Walk, lines_of};
use crate::merge::Trust;
use crate::merge::ops::{Op, OpKind, Ops};
use crate::merge::tags::tag_end;
use crate::merge::tokens::merge_stretch;
use crate::text::Line;

/// So many lines up the beginning of a tag is looked for, and so many lines down its end.
const LONGEST: usize = 60;

impl Walk<'_, '_> {
    /// Makes questions within a wrapped tag one about the whole tag, where that has an answer.
    pub(super) fn whole_tags(&self, regions: &mut [Region]) {
        if !self.context.dialect.markup || self.context.options.trust == Trust::Strict {
            return;
        }
        for region in regions.iter_mut().filter(|region| !region.doubt) {
            let Some(tag) = tag_around(&self.base.lines, &region.base) else { continue };
            let within = |ops: &Ops, absorbed: &[bool]| {
                let from = ops.ops.partition_point(|op| op.base.end < tag.start);
                let mut near = ops.ops[from..].iter().take_while(|op| op.base.start <= tag.end);
                near.all(|op| fits(op, &tag) && !absorbed[op.edit] || apart(op, &tag))
            };
            if !within(self.site_ops, &self.site_absorbed) || !within(self.release_ops, &self.release_absorbed) {
                continue;
            }
            let site = lines_of(self.site, &self.site_ops.span(&tag, false, false));
            let release = lines_of(self.release, &self.release_ops.span(&tag, false, false));
            let merged = merge_stretch(&lines_of(self.base, &tag), &site, &release, self.context.dialect);
            if merged.is_some() {
                region.base = tag;
            }
        }
    }
}

/// Tells whether an operation is within some lines, and puts nothing at their edges.
fn fits(op: &Op, lines: &Range<usize>) -> bool {
    let edge = op.kind == OpKind::Insert && (op.base.start == lines.start || op.base.start == lines.end);
    lines.start <= op.base.start && op.base.end <= lines.end && !edge
}

/// Tells whether an operation has nothing to do with some lines.
fn apart(op: &Op, lines: &Range<usize>) -> bool {
    op.base.end <= lines.start || lines.end <= op.base.start
}

/// The lines of the tag that some lines are in, if it is wrapped over more than one.
fn tag_around(lines: &[Line<'_>], inner: &Range<usize>) -> Option<Range<usize>> {
    let last = inner.end.max(inner.start + 1) - 1;
    (inner.start.saturating_sub(LONGEST)..inner.start + 1).rev().find_map(|first| {
        let opens = lines.get(first)?.content.iter().enumerate().rev().find(|(_, byte)| **byte == b'<')?.0;
        let below = lines[first..lines.len().min(first + LONGEST)].iter();
        let text = below.map(|line| line.content).collect::<Vec<_>>().join(b"\n".as_slice());
        let end = tag_end(&text, opens)?;
        let end = first + text[..end].iter().filter(|byte| **byte == b'\n').count();
        let around = first < end && last <= end && (!inner.is_empty() || first < inner.start);
        around.then_some(first..end + 1)
    })
}
