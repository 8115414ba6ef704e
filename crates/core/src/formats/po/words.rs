//! Merging one entry: its comments and its strings.

use std::borrow::Cow;

use super::comments::{self, Comments, Rewritten, flagged};
use super::entry::{Entry, Side};
use super::header::Headers;
use super::{Sides, asked_if, change, comments_of};
use crate::formats::keyed::KeyChange;
use crate::merge::{Outcome, Reason};

/// What becomes of one entry of the release.
pub(super) enum Fate<'a> {
    Text(Cow<'a, [u8]>),
    Gone,
}

impl<'a> Sides<'_, 'a> {
    /// Merges one entry that the release has.
    pub(super) fn entry(&self, [b, s]: [Option<&Entry>; 2], r: &Entry, changes: &mut Vec<KeyChange>) -> Fate<'a> {
        let Sides { base, site, release, .. } = *self;
        let kept = Fate::Text(Cow::Borrowed(&release.text[r.span.clone()]));
        let Some(s) = s else {
            let Some(b) = b else { return kept };
            // The site took the entry out.
            let same = b.texts() == r.texts();
            let (outcome, reason) =
                if same { (Outcome::Kept, None) } else { (Outcome::Open, Some(Reason::SiteDeleted)) };
            changes.push(change(r, Some(b), None, Some(r), outcome, reason));
            return if same { Fate::Gone } else { kept };
        };
        let commented = comments::merge(b, s, r, &self.rewritten);
        if let Some(Comments { collided, .. }) = commented {
            let (outcome, reason) = asked_if(collided, Reason::BothChanged);
            let [base, site, release] = [b.and_then(Entry::commented), s.commented(), r.commented()];
            let whole = change(r, b, Some(s), Some(r), outcome, reason);
            changes.push(KeyChange { pointer: comments_of(r), base, site, release, ..whole });
        }
        let comments = commented.as_ref().map_or(&r.comments, |merged| &merged.lines);
        let worded = match b.filter(|_| r.is_header()) {
            Some(b) => {
                let fields = Headers { sides: [base, site, release], entries: [b, s, r] }.merge(changes);
                fields.map(|fields| (r.is_fuzzy(), [&release.text[r.head.clone()], &fields].concat()))
            }
            None if r.is_header() => None,
            None => self.wording(b, s, r, changes),
        };
        if worded.is_none() && commented.is_none() {
            return kept;
        }
        let (fuzzy, strings) =
            worded.unwrap_or_else(|| (r.is_fuzzy(), release.text[r.head.start..r.span.end].to_vec()));
        Fate::Text(Cow::Owned(commented_with(&flagged(comments, fuzzy), &strings, release)))
    }

    /// The strings of an entry, and whether they are marked as unsure; `None` where the site changed nothing there.
    fn wording(
        &self,
        b: Option<&Entry>,
        s: &Entry,
        r: &Entry,
        changes: &mut Vec<KeyChange>,
    ) -> Option<(bool, Vec<u8>)> {
        let (site, release) = (self.site, self.release);
        let spoke = b.map_or(s.is_translated(), |b| b.texts() != s.texts());
        let marked = b.is_some_and(|b| b.is_fuzzy() != s.is_fuzzy());
        let counted = b.is_some_and(|b| b.plural != s.plural && r.plural != s.plural);
        if !spoke && !marked && !counted {
            return None;
        }
        if s.texts() == r.texts() && !marked && !counted {
            changes.push(change(r, b, Some(s), Some(r), Outcome::Already, None));
            return None;
        }
        // Forms that were written for another rule are for other numbers, and one without a number is for all of them.
        let recounted = self.counts_anew && spoke && (r.forms.len() > 1 || s.forms.len() > 1);
        let forms_fit = s.plural.is_some() == r.plural.is_some();
        let other_plural = counted && b.is_some_and(|b| b.plural != r.plural);
        let mut collided = recounted || spoke && !forms_fit || other_plural;
        let text_of = |e: Option<&Entry>, k: usize| {
            e.and_then(|e| e.forms.get(k)).map_or_else(Vec::new, |(_, text)| text.clone())
        };
        let mut strings = match counted && forms_fit {
            true => release.with_ends(&site.text[s.head.clone()]),
            false => release.text[r.head.clone()].to_vec(),
        };
        for (k, (lines, text)) in r.forms.iter().enumerate() {
            let (bt, st) = (text_of(b, k), text_of(Some(s), k));
            let from_site = if st == bt || st == *text || !spoke {
                false
            } else {
                collided |= *text != bt && !text.is_empty() && !(b.is_none() && st.is_empty());
                !st.is_empty() || text == &bt
            };
            let lines = &release.text[lines.clone()];
            match s.forms.get(k).filter(|_| from_site) {
                Some((own, _)) => strings.extend(as_form(&site.text[own.clone()], lines, release)),
                // A plural form that the site took out says nothing; without its line no catalog is valid.
                None if from_site => strings.extend([keyword(lines), b"\"\"", release.line_end].concat()),
                None => strings.extend_from_slice(lines),
            }
        }
        let fuzzy = if collided {
            true
        } else if spoke || marked {
            s.is_fuzzy()
        } else {
            r.is_fuzzy()
        };
        let reason = if recounted { Reason::PluralRule } else { Reason::BothChanged };
        let (outcome, reason) = asked_if(collided, reason);
        let whole = change(r, b, Some(s), Some(r), outcome, reason);
        changes.push(match counted {
            // Its id is part of the question.
            true => {
                let of = |e: &Entry| e.head.start..e.translations().end;
                KeyChange { base: b.map(of), site: Some(of(s)), release: Some(of(r)), ..whole }
            }
            false => whole,
        });
        Some((fuzzy, strings))
    }
}

/// An entry of comment lines and strings.
fn commented_with(comments: &[Vec<u8>], strings: &[u8], release: &Side<'_>) -> Vec<u8> {
    let mut text: Vec<u8> = comments.iter().flat_map(|line| [line, release.line_end].concat()).collect();
    text.extend_from_slice(strings);
    text
}

/// The release's entry with the wording that the site gave to the one that it took the place of, marked as unsure.
pub(super) fn as_reworded(site: &Side<'_>, before: &Entry, release: &Side<'_>, entry: &Entry) -> Vec<u8> {
    let notes = comments::merge(None, before, entry, &Rewritten::none());
    let mut comments = flagged(notes.as_ref().map_or(&entry.comments, |merged| &merged.lines), true);
    for line in release.with_ends(&site.text[before.head.clone()]).split(|byte| *byte == b'\n') {
        let line = line.trim_ascii_end();
        comments.extend((!line.is_empty()).then(|| [b"#| ", line].concat()));
    }
    let mut strings = release.text[entry.head.clone()].to_vec();
    for ((own, _), (lines, _)) in before.forms.iter().zip(&entry.forms) {
        strings.extend(as_form(&site.text[own.clone()], &release.text[lines.clone()], release));
    }
    commented_with(&comments, &strings, release)
}

/// A translation of the site's in place of one of the release's: which form it is is for that to say.
fn as_form(own: &[u8], in_place_of: &[u8], release: &Side<'_>) -> Vec<u8> {
    let (before, after) = (keyword(own), keyword(in_place_of));
    let text = release.with_ends(own);
    if before.trim_ascii() == after.trim_ascii() { text } else { [after, &text[before.len()..]].concat() }
}

/// What stands before the text of a translation: `msgstr`, or `msgstr[n]`.
fn keyword(lines: &[u8]) -> &[u8] {
    &lines[..lines.iter().position(|byte| *byte == b'"').unwrap_or(0)]
}
