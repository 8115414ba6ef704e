//! Which changes of both sides are done, and in which order.

use std::ops::Range;

use super::{Item, Version, is_tag_change, merge_strings};
use crate::diff::Edit;
use crate::merge::Dialect;
use crate::merge::lists::{First, beside_entry, ends_list, goes_on_in_next_line, in_order, is_separator};
use crate::merge::slots::Slots;
use crate::merge::tags::merge_tags;

/// Tells whether an edit turns one end of a bracketed list into that of another sort: `array(` into `[`, `)` into `]`.
/// What stands within the brackets is no part of it.
fn swaps_brackets(old: &[Item<'_>], new: &[Item<'_>]) -> bool {
    let (Some((before, others)), Some((after, put))) = (old.split_last(), new.split_last()) else { return false };
    let both_among = |brackets: [&[u8]; 3]| [before, after].iter().all(|item| brackets.contains(&item.text));
    let opens = both_among([b"(", b"[", b"{"]) && others.len().max(put.len()) <= 1;
    let closes = both_among([b")", b"]", b"}"]) && others.iter().chain(put).all(|item| item.text == b",");
    before.text != after.text && (opens || closes)
}

/// Tells whether an edit puts a remark of its own, and no more, at the end of a line: it is no part of any value there.
/// What it adds to a remark is part of that.
fn is_remark_at_the_end(base: &Version<'_>, old: &Range<usize>, put: &[Item<'_>]) -> bool {
    let begins = || old.start.checked_sub(1).is_none_or(|before| base.items[before].remark.is_none());
    let ends_line =
        || base.items.get(old.start).is_none_or(|next| next.text.is_empty() || next.lead.contains(&b'\n'));
    let is_remark = || !put.is_empty() && put.iter().all(|item| item.remark.is_some());
    old.is_empty() && is_remark() && begins() && ends_line()
}

/// What is done at one edit of the site or the release.
pub(super) enum Plan {
    /// Take the release's edit `r`; the site made the same, or none.
    Release(usize),
    /// Take the site's edit `s`.
    Site(usize),
    /// A tag or a quoted text that both changed, merged; the site's edit and the release's.
    Merged(Vec<u8>, usize, usize),
}

/// Finds what to do where both sides wrote at one spot, if they can both have their way.
fn at_one_spot(
    [base, site, release]: [&Version<'_>; 3],
    (s, site_edit): (usize, &Edit),
    (r, release_edit): (usize, &Edit),
    dialect: &Dialect,
) -> Option<Vec<Plan>> {
    let (old, own, new) = (&site_edit.old, &site_edit.new, &release_edit.new);
    if site.keys[own.clone()] == release.keys[new.clone()] {
        return Some(vec![Plan::Release(r)]);
    }
    if old.is_empty() {
        let put = [&site.items[own.clone()], &release.items[new.clone()]];
        // What the next line begins with stands behind a remark about this one.
        let next_line = put.map(|put| put[0].lead.contains(&b'\n'));
        let first = match put.map(|put| is_remark_at_the_end(base, old, put)) {
            [true, false] if next_line[1] => First::Site,
            [true, false] => First::Release,
            [false, true] if next_line[0] => First::Release,
            [false, true] => First::Site,
            _ => in_order(&base.items, old.start, put, dialect)?,
        };
        let (own, new) = (Plan::Site(s), Plan::Release(r));
        return Some(if first == First::Site { vec![own, new] } else { vec![new, own] });
    }
    let (before, own, new) = (base.only(old)?, site.only(own)?, release.only(new)?);
    let tags = is_tag_change(base, site, site_edit) && is_tag_change(base, release, release_edit);
    let text = if tags { merge_tags(before, own, new) } else { merge_strings(before, own, new) }?;
    Some(vec![Plan::Merged(text, s, r)])
}

/// Plans which edits of both sides are done, in order; `None` where two are not clear of each other.
pub(super) fn combine(
    base: &Version<'_>,
    site: &Version<'_>,
    release: &Version<'_>,
    site_edits: &[Edit],
    release_edits: &[Edit],
    slots: &Slots,
    dialect: &Dialect,
) -> Option<Vec<Plan>> {
    let mut plan = Vec::with_capacity(site_edits.len() + release_edits.len());
    let (mut s, mut r) = (0, 0);
    // The last edit done: what the other side did next must be clear of it.
    let mut last: Option<Done<'_>> = None;
    while s < site_edits.len() || r < release_edits.len() {
        let (se, re) = (site_edits.get(s), release_edits.get(r));
        if let (Some(se), Some(re)) = (se, re)
            && se.old == re.old
            && let Some(steps) = at_one_spot([base, site, release], (s, se), (r, re), dialect)
        {
            plan.extend(steps);
            (s, r) = (s + 1, r + 1);
            last = None;
            continue;
        }
        let sites_turn = match (se, re) {
            (Some(se), Some(re)) => (se.old.start, se.old.end) <= (re.old.start, re.old.end),
            (Some(_), None) => true,
            _ => false,
        };
        let (edit, version) = if sites_turn { (&site_edits[s], site) } else { (&release_edits[r], release) };
        let apart = version.items[edit.new.clone()].iter().skip(1).any(|item| !item.lead.is_empty());
        let done = Done {
            old: edit.old.clone(),
            new: &version.items[edit.new.clone()],
            by_site: sites_turn,
            tag: is_tag_change(base, version, edit),
            brackets: swaps_brackets(&base.items[edit.old.clone()], &version.items[edit.new.clone()]),
            remark: is_remark_at_the_end(base, &edit.old, &version.items[edit.new.clone()]),
            one_part: !edit.new.is_empty() && !apart,
        };
        let clear =
            |before: &Done<'_>| done.clear_of(before, slots) || done.parted_from(before, &base.items, dialect);
        if last.as_ref().is_some_and(|before| before.by_site != done.by_site && !clear(before)) {
            return None;
        }
        plan.push(if sites_turn { Plan::Site(s) } else { Plan::Release(r) });
        last = Some(done);
        if sites_turn { s += 1 } else { r += 1 }
    }
    Some(plan)
}

/// An edit that is done.
struct Done<'v> {
    old: Range<usize>,
    /// What stands there since.
    new: &'v [Item<'v>],
    by_site: bool,
    /// Turns one tag into another.
    tag: bool,
    /// Turns the brackets around a list into others.
    brackets: bool,
    /// Puts a remark at the end of a line.
    remark: bool,
    /// Puts one part of a value, no more, in place of what was there.
    one_part: bool,
}

impl Done<'_> {
    /// Tells whether two edits of different sides sit in different slots.
    fn clear_of(&self, before: &Done<'_>, slots: &Slots) -> bool {
        let parts = self.one_part && before.one_part && slots.other_parts(&before.old, &self.old);
        let is_frame = |done: &Done<'_>| done.tag || done.brackets;
        before.old.end <= self.old.start
            && (is_frame(self)
                || is_frame(before)
                || parts
                || self.remark != before.remark
                || slots.divided(&before.old, &self.old))
    }

    /// Tells whether two edits of different sides are an entry that was changed and others put beside it.
    fn parted_from(&self, before: &Done<'_>, base: &[Item<'_>], dialect: &Dialect) -> bool {
        let beside = |put: &Done<'_>, other: &Done<'_>| {
            put.old.is_empty()
                && !other.old.is_empty()
                && beside_entry(base, (put.old.start, put.new), (&other.old, other.new), dialect)
        };
        let next_selector = dialect.declarations
            && goes_on_in_next_line(base, &self.old, self.new)
            && !before.new.iter().any(|item| item.separates() || is_separator(item));
        let ends = self.new.is_empty() && ends_list(base, &self.old) && before.old.end == self.old.start;
        let ends = ends && before.new.last().is_some_and(|item| !is_separator(item));
        before.old.end <= self.old.start && (next_selector || ends || beside(self, before) || beside(before, self))
    }
}
