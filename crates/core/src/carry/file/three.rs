//! A text that all three themes have: what its merge came to, as records of the account.

use std::collections::HashMap;
use std::ops::Range;

use super::questions::{decision, going_together, suggestion};
use super::{FileResult, Work};
use crate::carry::Content;
use crate::carry::account::{Blob, ChangeRecord, Lines, Remark, Source, Stands, Theme};
use crate::carry::defaults::{Values, defaults, dropped_names, held_in_lists};
use crate::carry::valid::well_formed;
use crate::carry::words::completed;
use crate::changes::{Change, ChangeId, FileChange, What};
use crate::formats::is_by_key;
use crate::merge::{Leave, Outcome, Reason, Step, TextDecision, TextMerge, Trust};
use crate::text::split_lines;
use crate::theme::{Digest, Kind, ReadError, Stamp, Version, dialect_of, find_stamp, with_stamp};

impl Work<'_> {
    /// Lines of the text that was merged, in the site's file: there the base's lines stand for what went into another.
    pub(super) fn lines_of_site(&self, touched: &FileChange, lines: &Range<usize>) -> Range<usize> {
        let went = touched.changes.iter().filter(|c| self.moved_to(&c.id).is_some());
        let mut went: Vec<(Range<usize>, usize)> =
            went.filter_map(|c| Some((c.site.clone()?, c.base.as_ref()?.len()))).collect();
        went.sort_by_key(|(site, _)| site.start);
        let line = |at: usize, is_end: bool| {
            let (mut put, mut left_out) = (0, 0);
            for (site, put_here) in &went {
                let start = site.start + put - left_out;
                let end = start + put_here;
                if at < start || at == start && (is_end || *put_here > 0) {
                    break;
                }
                if at < end {
                    return if is_end { site.end } else { site.start };
                }
                (put, left_out) = (put + put_here, left_out + site.len());
            }
            at + left_out - put
        };
        line(lines.start, false)..line(lines.end, true)
    }

    /// Stamps never conflict: where the site gave the file another version stamp than base and release have, its text
    /// is merged with the base's. Returns the change, and the stamp that the site wrote.
    pub(super) fn unstamp(&self, touched: &FileChange, texts: &mut [Vec<u8>; 3]) -> Option<(ChangeId, String)> {
        let themes = &self.inputs.themes;
        let pattern = self.inputs.layout.stamp.as_deref();
        let [base, site, release] = [0, 1, 2].map(|k| find_stamp(&texts[k], pattern));
        let (base, site, release) = (base?, site?, release?);
        // A version in a comment is a stamp only where it is the theme's own.
        let is_of = |stamp: &Stamp, theme: &Theme| {
            theme
                .version
                .as_deref()
                .and_then(Version::parse)
                .is_some_and(|v| Version::parse(&stamp.version) == Some(v))
        };
        let same = site.version == base.version || site.version == release.version;
        if same || !is_of(&base, &themes.base) || !is_of(&release, &themes.release) {
            return None;
        }
        let change = touched.changes.iter().find(|c| {
            let line = |range: &Option<Range<usize>>, at: usize| *range == Some(at..at + 1);
            line(&c.base, base.line) && line(&c.site, site.line)
        })?;
        let text = with_stamp(&texts[1], &site, &base.version);
        let line = |text: &[u8], at: usize| split_lines(text).get(at).map(|l| l.trimmed().to_vec());
        if line(&text, site.line) != line(&texts[0], base.line) {
            return None;
        }
        texts[1] = text;
        Some((change.id.clone(), site.version))
    }

    /// Turns a merge of text into records. `stamp` is the change that gave the file another stamp, and that stamp.
    pub(super) fn merged(
        &self,
        touched: &FileChange,
        mut merge: TextMerge,
        texts: &[Vec<u8>; 3],
        stamp: Option<&(ChangeId, String)>,
    ) -> Result<FileResult, ReadError> {
        let pattern = self.inputs.layout.stamp.as_deref();
        let stamped = find_stamp(&merge.bytes, pattern).filter(|_| stamp.is_some());
        // The release's stamp stands for a complete merge; a file with open spots keeps the site's.
        if let (Some((_, version)), Some(found), false) = (stamp, &stamped, merge.decisions.is_empty()) {
            merge.bytes = with_stamp(&merge.bytes, found, version);
        }
        // Other kinds can hold markers; they are looked at when the result is proved.
        let checked = matches!(self.kind, Kind::Settings | Kind::Catalog);
        let sides = [&texts[0][..], &texts[1], &texts[2]];
        let held = self.settings_layout().hold;
        let values = if self.has_defaults() { Values::read(&self.path, sides) } else { None };
        let mut defaults = values.as_ref().map(|v| defaults(&self.path, v, held)).unwrap_or_default();
        if let Some(values) = values.as_ref().filter(|_| held) {
            defaults.extend(held_in_lists(&self.path, values, &merge.bytes));
        }
        let fault = |bytes: &[u8]| checked.then(|| well_formed(&self.path, self.kind, bytes)).flatten();
        if texts.iter().all(|t| fault(t).is_none()) && fault(&merge.bytes).is_some() {
            return self.ask_whole(touched, Reason::NotValid);
        }
        let mut result =
            FileResult { path: self.path.clone(), vendor: self.vendor(), defaults, ..FileResult::default() };
        // What the vendor's own catalog has not yet comes in as well.
        let strict = self.options.trust == Trust::Strict;
        if let Some(own) = if strict { None } else { completed(self.inputs, &self.path, &merge.bytes)? } {
            merge.bytes = own.bytes.unwrap_or(merge.bytes);
            result.remarks.extend(own.remark);
        }
        result.remarks.extend(values.and_then(|v| dropped_names(&self.path, &v)));
        let broken = (0..3).find(|k| fault(&texts[*k]).is_some());
        if merge.by_lines && broken.is_none() && !self.is_card() {
            let text = "merged line by line: one of the three has what cannot be merged by key".into();
            result.remarks.push(Remark { path: self.path.clone(), text });
        }
        if let Some(k) = broken {
            let (line, what) = fault(&texts[k]).unwrap_or_default();
            let side = ["base", "site", "release"][k];
            result.remarks.push(Remark {
                path: self.path.clone(),
                text: format!("the {side}'s file is not well-formed (line {line}: {what}); merged as text"),
            });
        }
        let stands = if dialect_of(&self.path, self.kind, &texts[1]).markers && self.options.leave == Leave::Markers
        {
            Stands::Markers
        } else if self.options.leave == Leave::Release {
            Stands::Release
        } else {
            Stands::Site
        };
        // What went into another file is no edit of this merge.
        let stamp = stamp.map(|(id, _)| Restamped { id, release: find_stamp(&texts[2], pattern), result: stamped });
        let is_stamp = |c: &Change| stamp.as_ref().is_some_and(|stamp| *stamp.id == c.id);
        let here = |c: &Change| c.what == What::Edited && self.moved_to(&c.id).is_none() && !is_stamp(c);
        let edits: Vec<usize> = (0..touched.changes.len()).filter(|k| here(&touched.changes[*k])).collect();
        if edits.len() != merge.edits.len() {
            // The merge told the changes otherwise than the survey: nobody knows what became of which.
            return self.ask_whole(touched, Reason::Doubtful);
        }
        result.changes = self.told(touched, &merge, stamp.as_ref());
        self.ask_about(&mut result, touched, (&merge.decisions, &edits), stands);
        result.record = Some(self.record(Source::Merged, Some(Digest::of(&merge.bytes))));
        result.content = Some(Content::Merged(merge.bytes, self.triple.release));
        Ok(result)
    }

    /// What became of each change.
    fn told(&self, touched: &FileChange, merge: &TextMerge, stamp: Option<&Restamped<'_>>) -> Vec<ChangeRecord> {
        let line = |stamp: &Option<Stamp>| stamp.as_ref().map(|s| Lines::from(&(s.line..s.line + 1)));
        let mut fates = merge.edits.iter();
        let mut told = |change: &Change| {
            if let (What::Edited, Some(home)) = (change.what, self.moved_to(&change.id)) {
                return self.moved(change, home);
            }
            let mut record = match change.what {
                What::Edited => match stamp.filter(|stamp| *stamp.id == change.id) {
                    Some(Restamped { release, result, .. }) => {
                        let complete = merge.decisions.is_empty();
                        let outcome = if complete { Outcome::Fitted } else { Outcome::Kept };
                        let record = self.change(change, outcome, Some(Step::Stamp));
                        ChangeRecord { release: line(release), result: line(result), ..record }
                    }
                    None => match fates.next() {
                        Some(fate) => {
                            let (release, result) = (Lines::from(&fate.release), Lines::from(&fate.result));
                            let record = self.change(change, fate.outcome, fate.step);
                            ChangeRecord { release: Some(release), result: Some(result), ..record }
                        }
                        None => self.change(change, Outcome::Open, None),
                    },
                },
                What::Whitespace if merge.space_follows_release => {
                    self.change(change, Outcome::Fitted, Some(Step::ReleaseForm))
                }
                _ => self.change(change, Outcome::Kept, None),
            };
            record.result_path = Some(self.path.clone());
            record
        };
        touched.changes.iter().map(&mut told).collect()
    }

    /// Adds the questions of a merge, each to the changes that hang on it. `edits` tells which change each edit is.
    fn ask_about(
        &self,
        result: &mut FileResult,
        touched: &FileChange,
        (questions, edits): (&[TextDecision], &[usize]),
        stands: Stands,
    ) {
        let mut seen = HashMap::new();
        for open in questions {
            let mut hanging: Vec<usize> = open.edits.iter().filter_map(|e| edits.get(*e)).copied().collect();
            if hanging.is_empty() {
                // A question that a moved stretch raised by itself hangs on the change nearest to it.
                let far = |k: &usize| {
                    let own = touched.changes[*k].site.as_ref().map_or(usize::MAX, |lines| lines.start);
                    own.abs_diff(open.site.start)
                };
                hanging.extend(edits.iter().copied().min_by_key(far));
            }
            let ids = hanging.iter().map(|k| touched.changes[*k].id.clone());
            let blobs = [Blob::of(&open.base_text), Blob::of(&open.site_text), Blob::of(&open.release_text)];
            // Where the site took a value out, the release's stands: it can be seen.
            let shown = stands == Stands::Site && open.site_text.is_empty() && !open.result.is_empty();
            let stands = if shown && is_by_key(&self.path) { Stands::Release } else { stands };
            let mut decision = decision(&self.path, open.reason, stands, Some(&open.result), blobs, ids);
            decision.base_lines = Some(Lines::from(&open.base));
            decision.site_lines = Some(Lines::from(&open.site));
            let nth = seen.entry(decision.id.clone()).or_insert(0);
            if *nth > 0 {
                decision.id = format!("{}-{nth}", decision.id);
            }
            *nth += 1;
            decision.suggestion = open.hint.clone().or_else(|| suggestion(self.kind, &decision));
            for k in &hanging {
                result.changes[*k].outcome = Outcome::Open;
                result.changes[*k].decision = Some(decision.id.clone());
            }
            result.decisions.push(decision);
        }
        for (k, other) in going_together(questions) {
            result.decisions[k].with = Some(result.decisions[other].id.clone());
        }
    }
}

/// The change that gave a file another stamp, and the stamps of release and result.
struct Restamped<'a> {
    id: &'a ChangeId,
    release: Option<Stamp>,
    result: Option<Stamp>,
}
