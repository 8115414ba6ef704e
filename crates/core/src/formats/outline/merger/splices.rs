//! What is put into the release's text, and where.

use std::ops::Range;

use super::{Beyond, Merger};
use crate::formats::outline::item::{Body, Item, is_comment, solid};
use crate::formats::outline::line_start;

/// A change of the release's text: these bytes in place of those.
pub(in crate::formats::outline) struct Splice {
    pub(super) at: Range<usize>,
    pub(super) bytes: Vec<u8>,
}

impl Merger<'_> {
    /// Where in the release a new item of the site goes: behind what it follows on the site, else before what
    /// follows it there, else behind the last.
    pub(super) fn place(
        &self,
        new: &Item,
        release: &[Item],
        before: Option<usize>,
        after: Option<&Item>,
        root: bool,
    ) -> Option<usize> {
        let last = release.last()?.end;
        let mut place = match (before, after) {
            (Some(place), _) => place,
            // The lines before the first item may be the head of the file, and belong there.
            (None, Some(next)) if root && next.start == release[0].start => next.end,
            (None, Some(next)) if next.inline => next.end,
            (None, Some(next)) => next.lead.start,
            (None, None) => last,
        };
        // Where headers part a document, what stands behind one belongs to it.
        let sections = |i: &&Item| matches!(i.body, Body::Map(_)) && self.release[i.start] == b'[';
        if root && let Some(first) = release.iter().find(sections) {
            let bare_end = release.iter().rfind(|i| !sections(i)).map_or(0, |i| i.end);
            place = if self.site[new.start] == b'[' && matches!(new.body, Body::Map(_)) {
                place.max(bare_end)
            } else {
                place.min(first.lead.start.max(bare_end))
            };
        }
        Some(place)
    }

    pub(super) fn insert(&mut self, new: &Item, siblings: &[Item], place: usize) -> Result<(), Beyond> {
        if new.inline {
            return Err(Beyond);
        }
        let start = line_start(self.site, new.start);
        let from = &self.site[start..new.start];
        let to = match siblings.first() {
            Some(first) if first.inline => vec![b' '; first.start - line_start(self.release, first.start)],
            Some(first) => self.release[line_start(self.release, first.start)..first.start].to_vec(),
            None => return Err(Beyond),
        };
        if !to.iter().chain(from).all(|b| matches!(b, b' ' | b'\t')) {
            return Err(Beyond);
        }
        // They may be the comments of this one, which the site named otherwise.
        if self.comments_left && !solid(&self.site[new.lead.clone()]).is_empty() {
            return Err(Beyond);
        }
        let raw = &self.site[new.lead.start..new.end];
        let mut bytes = to.clone();
        let width = raw.iter().take_while(|b| matches!(b, b' ' | b'\t')).count();
        // Blank lines come first where the lead has some; then the first line has no indentation to replace.
        let first_blank = matches!(raw.get(width), Some(b'\n' | b'\r'));
        if first_blank {
            bytes.clear();
        }
        bytes.extend(self.refit.write(&raw[width..], from, &to));
        let end = self.refit.line_end();
        if !bytes.ends_with(b"\n") {
            bytes.extend_from_slice(end);
        }
        if place > 0 && self.release[place - 1] != b'\n' {
            while bytes.last().is_some_and(|b| matches!(b, b'\n' | b'\r')) {
                bytes.pop();
            }
            bytes.splice(0..0, end.iter().copied());
        }
        self.splices.push(Splice { at: place..place, bytes });
        Ok(())
    }

    pub(super) fn delete(&mut self, base: &Item, release: &Item) -> Result<(), Beyond> {
        if release.inline {
            return Err(Beyond);
        }
        let lead = solid(&self.base[base.lead.clone()]);
        let own_comment = lead == solid(&self.release[release.lead.clone()]);
        self.comments_left |= !own_comment && !lead.is_empty();
        let start = if own_comment { release.lead.start } else { line_start(self.release, release.start) };
        self.splices.push(Splice { at: start..release.end, bytes: Vec::new() });
        Ok(())
    }

    /// Puts the site's value in place of the release's.
    pub(super) fn replace(&mut self, s: &Item, r: &Item) -> Result<(), Beyond> {
        let leaf = |i: &Item| matches!(i.body, Body::Leaf(_));
        let (from, to) = (indent_at(self.site, s.start), indent_at(self.release, r.start));
        let (mut sv, mut rv) = (trimmed(self.site, &s.value), trimmed(self.release, &r.value));
        if !leaf(s) || !leaf(r) {
            // A block takes the place of a value, or a value that of a block.
            if is_comment(&self.release[r.after.clone()]) || is_comment(&self.site[s.after.clone()]) {
                return Err(Beyond);
            }
            (sv, rv) = (s.value.clone(), r.value.clone());
        } else if sv.is_empty() || rv.is_empty() {
            (sv, rv) = (s.value.clone(), r.value.clone());
        }
        let mut bytes = self.refit.write(&self.site[sv], from, to);
        if self.release[r.start] == b'[' && leaf(s) != leaf(r) {
            return Err(Beyond);
        }
        if rv.start == rv.end && bytes.first().is_some_and(|b| !b.is_ascii_whitespace()) {
            bytes.insert(0, b' ');
        }
        self.splices.push(Splice { at: rv, bytes });
        Ok(())
    }

    /// The release's text with everything put in its place.
    pub(in crate::formats::outline) fn spliced(&mut self) -> Vec<u8> {
        self.splices.sort_by_key(|s| (s.at.start, s.at.end));
        let mut out = Vec::with_capacity(self.release.len() + 256);
        let mut at = 0;
        for splice in &self.splices {
            out.extend_from_slice(&self.release[at..splice.at.start.max(at)]);
            out.extend_from_slice(&splice.bytes);
            at = at.max(splice.at.end);
        }
        out.extend_from_slice(&self.release[at..]);
        out
    }
}

fn indent_at(text: &[u8], at: usize) -> &[u8] {
    let start = line_start(text, at);
    let width = text[start..].iter().take_while(|b| matches!(b, b' ' | b'\t')).count();
    &text[start..start + width]
}

/// A range without the blanks that it begins with.
pub(super) fn trimmed(text: &[u8], range: &Range<usize>) -> Range<usize> {
    let lead = text[range.clone()].iter().take_while(|b| b.is_ascii_whitespace()).count();
    range.start + lead..range.end
}
