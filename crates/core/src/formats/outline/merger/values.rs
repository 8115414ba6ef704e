//! One value that the site has, worked into the release's, and the remarks around and within it.

use std::ops::Range;

use super::splices::{Splice, trimmed};
use super::{Beyond, Merger};
use crate::formats::flow::remarks;
use crate::formats::keyed::{KeyChange, converted};
use crate::formats::outline::item::{Body, Item, by_names, solid};
use crate::merge::{Dialect, Insertions, MergeOptions, Outcome, Reason, Step, merge_text};

impl Merger<'_> {
    /// Merges the comments and blanks before an item; order and blanks are the release's.
    pub(super) fn lines(
        &mut self,
        at: &[String],
        b: Range<usize>,
        s: Range<usize>,
        r: Range<usize>,
    ) -> Result<(), Beyond> {
        let (base, site, release) =
            (solid(&self.base[b.clone()]), solid(&self.site[s.clone()]), solid(&self.release[r.clone()]));
        if self.comments_are_form || base == site {
            return Ok(());
        }
        let outcome = if site == release {
            Outcome::Already
        } else {
            let texts = [&self.base[b.clone()], &self.site[s.clone()], &self.release[r.clone()]];
            let dialect = Dialect { insertions: Insertions::Members, ..Dialect::default() };
            let merged =
                merge_text(texts[0], texts[1], texts[2], &dialect, &MergeOptions::default()).ok_or(Beyond)?;
            if !merged.decisions.is_empty() {
                // Comments that only went are no loss.
                let only_less = site.iter().all(|line| base.contains(line));
                return if only_less { Ok(()) } else { Err(Beyond) };
            }
            let mut bytes = merged.bytes;
            if !bytes.is_empty() && !bytes.ends_with(b"\n") {
                if r.end == self.release.len() {
                    if !self.release.ends_with(b"\n") && r.is_empty() {
                        bytes.insert(0, b'\n');
                    }
                } else {
                    bytes.push(b'\n');
                }
            }
            self.splices.push(Splice { at: r.clone(), bytes });
            Outcome::Kept
        };
        self.changes.push((
            at.to_vec(),
            KeyChange {
                pointer: String::new(),
                base: Some(b),
                site: Some(s),
                release: Some(r),
                result: None,
                outcome,
                step: None,
                reason: None,
                hint: None,
            },
        ));
        Ok(())
    }

    /// Merges the comment behind a value.
    pub(super) fn after(&mut self, b: &Item, s: &Item, r: &Item) -> Result<(), Beyond> {
        let [base, site, release] =
            [(self.base, b), (self.site, s), (self.release, r)].map(|(text, i)| text[i.after.clone()].trim_ascii());
        // A comment that only went is no loss; where the release has another, that one stands.
        if self.comments_are_form || base == site || site == release || (site.is_empty() && base != release) {
            return Ok(());
        }
        if base != release && !release.is_empty() {
            return Err(Beyond);
        }
        self.splices.push(Splice { at: r.after.clone(), bytes: self.site[s.after.clone()].to_vec() });
        Ok(())
    }

    /// Merges a value that site and release both have.
    pub(super) fn value(&mut self, at: &[String], b: Option<&Item>, s: &Item, r: &Item) -> Result<(), Beyond> {
        let [base, site, release] = [b, Some(s), Some(r)].map(|i| i.map(|i| i.body.canonical()));
        if let (Body::Map(si), Body::Map(ri)) = (&s.body, &r.body) {
            let none = Vec::new();
            let bi = match b.map(|b| &b.body) {
                Some(Body::Map(items)) => items,
                _ => &none,
            };
            // Also where no value differs: comments are within.
            return self.items(at, bi, si, ri, false);
        }
        let items = (b, Some(s), Some(r));
        let comments = || b.is_some_and(|b| self.comments_of_its_own(b, s) || self.remarked(b, r));
        if let (Some(Body::List(bi)), Body::List(si), Body::List(ri)) = (b.map(|b| &b.body), &s.body, &r.body)
            && (base != site && site != release && base != release || comments())
            && !(self.rules.hold && base == site)
            && let Some([bi, si, ri]) = self.told_apart(at, [bi, si, ri])
        {
            return self.items(at, &bi, &si, &ri, false);
        }
        if base == site {
            // Held at what it was, or the release's.
            return match b {
                _ if self.rules.hold && site != release => self.replace(s, r),
                Some(b) => self.remarks(at, b, s, r),
                None => Ok(()),
            };
        }
        if site == release {
            self.note(at, items, Outcome::Already, None, None);
            return Ok(());
        }
        if base == release && !b.is_some_and(|b| self.remarked(b, r)) {
            self.note(at, items, Outcome::Kept, None, None);
        } else if let Some(merged) = b.and_then(|b| self.within(at, b, s, r).or_else(|| self.with_remarks(b, s, r)))
        {
            self.note(at, items, Outcome::Kept, Some(Step::ByKey), None);
            self.splices.push(merged);
            return Ok(());
        } else {
            let sort = |body: &Body| match body {
                Body::Map(_) => 0,
                Body::List(_) => 1,
                Body::Leaf(text) => 2 + u8::from(text.starts_with('"')),
            };
            let retyped = b.is_some_and(|b| sort(&b.body) != sort(&r.body));
            let literal =
                |text: &[u8], i: &Item| String::from_utf8_lossy(text[i.value.clone()].trim_ascii()).into_owned();
            let as_theirs =
                if retyped { converted(&literal(self.site, s), &literal(self.release, r)) } else { None };
            if let (true, Some(text)) = (self.rules.bold, &as_theirs) {
                self.note(at, items, Outcome::Fitted, Some(Step::Retyped), None);
                self.splices.push(Splice { at: trimmed(self.release, &r.value), bytes: text.clone().into_bytes() });
                return Ok(());
            }
            let reason = if retyped { Reason::Retyped } else { Reason::BothChanged };
            self.note(at, items, Outcome::Open, None, Some(reason));
            if let Some((_, last)) = self.changes.last_mut() {
                last.hint = as_theirs.map(|t| format!("as the type that the release has: {t}"));
            }
        }
        self.replace(s, r)
    }

    /// Merges a value that all three write within brackets, item by item.
    pub(super) fn within(&self, at: &[String], b: &Item, s: &Item, r: &Item) -> Option<Splice> {
        let flow = self.flow?;
        let forgotten = self.stay.get(&by_names(at)).cloned().unwrap_or_default();
        let part = |text: &'_ [u8], i: &Item| {
            matches!(i.body, Body::Leaf(_)).then(|| text[trimmed(text, &i.value)].to_vec())
        };
        let bytes = flow.merge(&part(self.base, b)?, &part(self.site, s)?, &part(self.release, r)?, &forgotten)?;
        Some(Splice { at: trimmed(self.release, &r.value), bytes })
    }

    /// Merges the comments in a value within brackets that the site left alone.
    pub(super) fn remarks(&mut self, at: &[String], b: &Item, s: &Item, r: &Item) -> Result<(), Beyond> {
        let [base, site, release] = [(self.base, b), (self.site, s), (self.release, r)]
            .map(|(text, i)| bracketed(text, i).map(remarks).unwrap_or_default());
        if self.comments_are_form || base == site || site == release {
            return Ok(());
        }
        let merged = self.with_remarks(b, s, r).ok_or(Beyond)?;
        self.note(at, (Some(b), Some(s), Some(r)), Outcome::Kept, Some(Step::ByKey), None);
        self.splices.push(merged);
        Ok(())
    }

    /// Merges a value that all three write within brackets, comments and all, by its lines, where that is right by its
    /// items.
    pub(super) fn with_remarks(&self, b: &Item, s: &Item, r: &Item) -> Option<Splice> {
        let flow = self.flow?;
        let [base, site, release] =
            [bracketed(self.base, b)?, bracketed(self.site, s)?, bracketed(self.release, r)?];
        let right = flow.merge_bare([base, site, release])?;
        let merged = merge_text(base, site, release, &Dialect::default(), &MergeOptions::default())?;
        let is_right = merged.decisions.is_empty() && flow.same(&merged.bytes, &right)?;
        is_right.then(|| Splice { at: trimmed(self.release, &r.value), bytes: merged.bytes })
    }
}

/// A value without items of its own that is written within brackets; `None` for any other.
fn bracketed<'t>(text: &'t [u8], item: &Item) -> Option<&'t [u8]> {
    let value = text[item.value.clone()].trim_ascii();
    (matches!(item.body, Body::Leaf(_)) && matches!(value.first(), Some(b'[' | b'{'))).then_some(value)
}
