//! A merge to the letter: a second opinion.
//!
//! Lining lines up blind to white space finds what was only indented anew. Where little stands between the changes of
//! the two sides (closers, blank lines, a few equal ones), it can also take a line for its like, or leave a choice. If
//! every byte counts and the changes of the two sides still do not touch, they can be done as they are, with no
//! cleverness at all; where it is sure, too, which lines of the release are those of the base, that is what was meant.

use std::collections::HashSet;
use std::ops::Range;

use super::align::{From, Homes, Repeated, Side, Weak, align, line_edits};
use super::lines::MergedLines;
use super::out::{Out, Source};
use super::text::Landmarks;
use super::{Dialect, EditFate, Outcome};
use crate::diff::{Edit, Interner, kept_pairs};
use crate::text::key::Blanks;

/// Merges three versions to the letter. Returns `None` where changes of the two sides touch, where both may have put
/// in the same, where a change may belong to other lines of the release, or where the result is not `wanted`.
pub(crate) fn merge_literally(
    [base, site, release]: [&[u8]; 3],
    dialect: &Dialect,
    wanted: impl Fn(&MergedLines) -> bool,
) -> Option<MergedLines> {
    let mut interner = Interner::new();
    let mut side = |body| Side::new(body, Blanks::AreContent, &mut interner);
    let (b, s, r) = (side(base), side(site), side(release));
    let weak = Weak::of(&[&b, &s, &r]);
    let site_edits = align(&b, &s, &weak, From::Front);
    let release_edits = align(&b, &r, &weak, From::Front);
    let literal = Literal { base: &b, site: &s, release: &r, weak: &weak, site_edits, release_edits };
    if literal.touch() || literal.put_in_alike() {
        return None;
    }
    let merged = literal.merged(line_edits(base, site, dialect.blanks));
    (wanted(&merged) && literal.sure()).then_some(merged)
}

/// How many lines of the base may stand between insertions that may be the same.
const NEAR: usize = 10;

struct Literal<'s, 'a> {
    base: &'s Side<'a>,
    site: &'s Side<'a>,
    release: &'s Side<'a>,
    weak: &'s Weak,
    site_edits: Vec<Edit>,
    release_edits: Vec<Edit>,
}

impl<'a> Literal<'_, 'a> {
    /// Tells whether changes of the two sides touch: no kept line stands between them, or none but closers where they
    /// are about nothing else.
    fn touch(&self) -> bool {
        let own = self.site_edits.iter().map(|edit| (edit, self.site));
        let mut edits: Vec<_> = own.chain(self.release_edits.iter().map(|edit| (edit, self.release))).collect();
        edits.sort_by_key(|(edit, _)| (edit.old.start, edit.old.end));
        let weak = |keys: &[u32]| keys.iter().all(|key| self.weak.is(*key));
        let closers = |edit: &Edit, side: &Side<'_>| {
            weak(&self.base.keys[edit.old.clone()]) && weak(&side.keys[edit.new.clone()])
        };
        edits.windows(2).any(|pair| {
            let [(first, side), (second, other)] = pair else { return false };
            let of_two = !std::ptr::eq(*side, *other);
            let apart = |from: usize, to: usize| {
                from < to && !(closers(first, side) && closers(second, other) && weak(&self.base.keys[from..to]))
            };
            of_two && !apart(first.old.end, second.old.start)
        })
    }

    /// Tells whether all that a change of the site put in, the release put in nearby.
    fn put_in_alike(&self) -> bool {
        let telling = |side: &Side<'a>, edit: &Edit| -> Vec<&'a [u8]> {
            let lines = edit.new.clone().filter(|at| !self.weak.is(side.keys[*at]));
            lines.map(|at| side.lines[at].trimmed()).collect()
        };
        self.site_edits.iter().any(|own| {
            let from = self.release_edits.partition_point(|e| e.old.end + NEAR < own.old.start);
            let near = self.release_edits[from..].iter().take_while(|e| e.old.start <= own.old.end + NEAR);
            let theirs: HashSet<&[u8]> = near.flat_map(|edit| telling(self.release, edit)).collect();
            let lines = telling(self.site, own);
            !lines.is_empty() && lines.iter().all(|line| theirs.contains(line))
        })
    }

    /// Tells whether it is known of every change of the site to which lines of the release it belongs: a landmark says
    /// so, or there is no other way to line them up and the lines are no look-alikes.
    fn sure(&self) -> bool {
        let kept = self.kept(&self.release_edits);
        let from_the_end = self.kept(&align(self.base, self.release, self.weak, From::Back));
        let homes = Homes::of(self.base, self.release, &Repeated::of(&[self.base, self.site, self.release]));
        let landmarks = Landmarks::of(self.base, self.release, self.weak);
        let mistaken = |line: usize| {
            let at = kept.get(line).copied().flatten().filter(|_| !self.weak.is(self.base.keys[line]))?;
            Some(homes.is_mistaken(self.base, self.release, self.weak, (line, at)))
        };
        self.site_edits.iter().all(|edit| {
            let above = edit.old.start.checked_sub(1);
            let below = edit.old.end;
            if landmarks.confirm(&edit.old, above.and_then(|line| kept[line]).map_or(0, |at| at + 1)) {
                return true;
            }
            let one_way = (above.into_iter().chain(edit.old.clone()).chain([below]))
                .all(|line| kept.get(line) == from_the_end.get(line));
            one_way && !Homes::changed_at_look_alikes(&edit.old, mistaken)
        })
    }

    /// Where the release has each line of the base.
    fn kept(&self, edits: &[Edit]) -> Vec<Option<usize>> {
        let mut kept = vec![None; self.base.lines.len()];
        kept_pairs(edits, kept.len()).for_each(|(line, at)| kept[line] = Some(at));
        kept
    }

    /// Does the changes of both sides; `told` are the site's as a survey tells them.
    fn merged(&self, told: Vec<Edit>) -> MergedLines {
        let mut out = Out::new(self.release.form.line_end);
        // Where the result has each line of the site, and the release each of the base; or where it would stand.
        let (mut in_result, mut in_release) = (Vec::new(), Vec::new());
        let (mut own, mut theirs) = (self.site_edits.iter().peekable(), self.release_edits.iter().peekable());
        let (mut b, mut r) = (0, 0);
        while b < self.base.lines.len() || own.peek().is_some() || theirs.peek().is_some() {
            if let Some(edit) = own.next_if(|edit| edit.old.start == b) {
                for at in edit.new.clone() {
                    in_result.push(out.lines());
                    out.line(self.site.lines[at].content, self.release.form.line_end, Source::of_site(at));
                }
                in_release.extend(r..r + edit.old.len());
                (b, r) = (edit.old.end, r + edit.old.len());
            } else if let Some(edit) = theirs.next_if(|edit| edit.old.start == b) {
                in_result.extend(edit.old.clone().map(|_| out.lines()));
                in_release.extend(edit.old.clone().map(|_| edit.new.start));
                for at in edit.new.clone() {
                    let line = self.release.lines[at];
                    out.line(line.content, line.end, Source::of_release(at));
                }
                (b, r) = (edit.old.end, edit.new.end);
            } else {
                let line = self.release.lines[r];
                let source = Source { base: Some(b), site: Some(in_result.len()), release: Some(r) };
                in_result.push(out.lines());
                in_release.push(r);
                out.line(line.content, line.end, source);
                (b, r) = (b + 1, r + 1);
            }
        }
        in_result.push(out.lines());
        in_release.push(r);
        let place = |places: &[usize], lines: &Range<usize>| {
            places[lines.start]..lines.clone().next_back().map_or(places[lines.start], |last| places[last] + 1)
        };
        let fate = |Edit { old, new }| EditFate {
            release: place(&in_release, &old),
            result: place(&in_result, &new),
            base: old,
            site: new,
            outcome: Outcome::Kept,
            step: None,
        };
        let edits = told.into_iter().map(fate).collect();
        let [of_base, of_site, of_release] =
            [self.base, self.site, self.release].map(|side| side.form.final_newline);
        let (bytes, sources) = out.finish(if of_site == of_base { of_release } else { of_site });
        MergedLines { bytes, sources, edits, ..MergedLines::default() }
    }
}
