//! One file of a carry: what the three versions give.

mod questions;
mod rules;
mod three;

use std::ops::Range;

pub(crate) use self::questions::decision;
use super::Content;
use super::account::{
    Blob, ChangeRecord, Decision, DefaultRecord, FileRecord, Followed, Lines, Remark, Source, Stands, VendorChange,
};
use super::defaults::{Values, defaults};
use super::run::{CarryOptions, Inputs};
use super::words::own_language;
use crate::changes::{Change, ChangeId, FileChange, What};
use crate::formats::merge_file;
use crate::merge::{Leave, MergeOptions, Outcome, Reason, Step, Trust};
use crate::theme::{Digest, Entry, Kind, ReadError, Tree, dialect_of};

/// A file in the three themes, as indices into their entries.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub(crate) struct Triple {
    pub(crate) base: Option<usize>,
    pub(crate) site: Option<usize>,
    pub(crate) release: Option<usize>,
}

/// What a file came to.
#[derive(Debug, Default)]
pub(crate) struct FileResult {
    pub(crate) path: String,
    pub(crate) content: Option<Content>,
    /// The file is in the result (also when its content has been handed over).
    pub(crate) in_result: bool,
    pub(crate) aside: Option<Content>,
    pub(crate) changes: Vec<ChangeRecord>,
    pub(crate) decisions: Vec<Decision>,
    pub(crate) record: Option<FileRecord>,
    pub(crate) vendor: Option<VendorChange>,
    pub(crate) remarks: Vec<Remark>,
    pub(crate) defaults: Vec<DefaultRecord>,
    /// The release's changes in it that were made in other files.
    pub(crate) followed: Vec<Followed>,
}

/// What stands in for a file's site or release text after a stretch was followed into another file.
#[derive(Debug, Default)]
pub(crate) struct Instead {
    /// The site's text, with the base's lines where changes went elsewhere.
    pub(crate) site: Option<Vec<u8>>,
    /// The release's text, with changes from elsewhere made in it.
    pub(crate) release: Option<Vec<u8>>,
    /// The changes that went elsewhere, with the path they went to.
    pub(crate) moved: Vec<(ChangeId, String)>,
    /// Lines of the base whose changes are to be asked about.
    pub(crate) doubted: Vec<Range<usize>>,
}

/// Returns the path that a file has in the result.
///
/// A name is three-way as well: the side that gave the file another one has its way, unless the release has
/// another file there.
pub(crate) fn result_path<'i>(inputs: &'i Inputs<'_>, triple: &Triple) -> &'i str {
    let entry = |tree: &'i dyn Tree, k: Option<usize>| k.map(|k| tree.entries()[k].path.as_str());
    let (base, site, release) =
        (entry(inputs.base, triple.base), entry(inputs.site, triple.site), entry(inputs.release, triple.release));
    let free = |path: &str| inputs.release.find(path).is_none();
    match (base, site, release) {
        (Some(b), Some(s), Some(r)) if r == b && (s == b || free(s)) => s,
        (_, _, Some(r)) => r,
        (_, Some(s), _) => s,
        (b, _, _) => b.unwrap_or(""),
    }
}

/// Works one file out. `touched` holds the site's changes in it, if it made any.
pub(crate) fn carry_file(
    inputs: &Inputs<'_>,
    options: &CarryOptions,
    triple: &Triple,
    touched: Option<&FileChange>,
    instead: &Instead,
) -> Result<FileResult, ReadError> {
    let work = Work::new(inputs, options, triple, touched, instead);
    let Some(touched) = touched else {
        return work.untouched();
    };
    if instead.site.is_none() && instead.release.is_some() && triple.base.is_none() {
        return work.both_added(touched);
    }
    let mut result = match (triple.base, triple.site, triple.release) {
        (Some(_), None, Some(_)) => work.site_deleted(touched),
        (Some(_), None, None) => Ok(work.finish(touched, Outcome::Already, None, None, Source::Nowhere)),
        (Some(_), Some(_), None) => work.release_deleted(touched),
        (Some(_), Some(_), Some(_)) => work.all_three(touched),
        (None, Some(_), Some(_)) => work.both_added(touched),
        (_, site, _) => work.only_the_sites(touched, site),
    }?;
    result.in_result = result.content.is_some();
    Ok(result)
}

/// A file whose content was put together otherwise: all of the site's changes in it came out one way.
pub(crate) fn put_together(
    inputs: &Inputs<'_>,
    options: &CarryOptions,
    triple: &Triple,
    touched: &FileChange,
    bytes: Vec<u8>,
    (outcome, step): (Outcome, Step),
) -> FileResult {
    let instead = Instead::default();
    let work = Work::new(inputs, options, triple, Some(touched), &instead);
    let content = Some(Content::Merged(bytes, triple.release));
    let result = work.finish(touched, outcome, Some(step), content, Source::Merged);
    FileResult { in_result: true, ..result }
}

struct Work<'a> {
    inputs: &'a Inputs<'a>,
    options: &'a CarryOptions,
    triple: &'a Triple,
    base: Option<&'a Entry>,
    site: Option<&'a Entry>,
    release: Option<&'a Entry>,
    kind: Kind,
    path: String,
    instead: &'a Instead,
}

impl<'a> Work<'a> {
    fn new(
        inputs: &'a Inputs<'a>,
        options: &'a CarryOptions,
        triple: &'a Triple,
        touched: Option<&FileChange>,
        instead: &'a Instead,
    ) -> Self {
        let entry = |tree: &'a dyn Tree, k: Option<usize>| k.map(|k| &tree.entries()[k]);
        let (base, site, release) = (
            entry(inputs.base, triple.base),
            entry(inputs.site, triple.site),
            entry(inputs.release, triple.release),
        );
        let path = result_path(inputs, triple);
        Work {
            inputs,
            options,
            triple,
            base,
            site,
            release,
            kind: touched.map_or(Kind::Other, |t| t.kind),
            path: path.to_string(),
            instead,
        }
    }

    /// The site left the file alone: it follows the release, also out of the theme.
    fn untouched(&self) -> Result<FileResult, ReadError> {
        let mut merged = self.instead.release.clone();
        let mut defaults = Vec::new();
        let changed = matches!((self.base, self.release), (Some(b), Some(r)) if b.digest != r.digest && !r.binary);
        if changed && self.site.is_some() && self.has_defaults() && merged.is_none() {
            let base = self.read(self.inputs.base, self.triple.base)?;
            let release = self.read(self.inputs.release, self.triple.release)?;
            let rules = self.settings_layout();
            let values = Values::read(&self.path, [&base, &base, &release]);
            defaults = values.map(|v| self::defaults(&self.path, &v, rules.hold)).unwrap_or_default();
            if rules.hold && !defaults.is_empty() && self.options.trust != Trust::Strict {
                let options = self.merge_options()?;
                merged = merge_file(&self.path, Kind::Settings, &base, &base, &release, &options).map(|m| m.bytes);
            }
        }
        let content = match &merged {
            Some(bytes) => Some(Content::Merged(bytes.clone(), self.triple.release)),
            None => self.triple.release.map(Content::Release),
        };
        let record = merged.as_ref().map(|b| self.record(Source::Merged, Some(Digest::of(b))));
        Ok(FileResult {
            path: self.release_path(),
            in_result: content.is_some(),
            content,
            record,
            defaults,
            ..FileResult::default()
        })
    }

    /// The site's text of the file.
    fn site_text(&self) -> Result<Vec<u8>, ReadError> {
        self.instead.site.clone().map_or_else(|| self.read(self.inputs.site, self.triple.site), Ok)
    }

    /// The release's text of the file.
    fn release_text(&self) -> Result<Vec<u8>, ReadError> {
        self.instead.release.clone().map_or_else(|| self.read(self.inputs.release, self.triple.release), Ok)
    }

    /// Where a change went, if it went into another file.
    fn moved_to(&self, id: &ChangeId) -> Option<&str> {
        self.instead.moved.iter().find(|(moved, _)| moved == id).map(|(_, path)| path.as_str())
    }

    fn release_path(&self) -> String {
        self.release.map_or_else(|| self.path.clone(), |r| r.path.clone())
    }

    fn read(&self, tree: &dyn Tree, index: Option<usize>) -> Result<Vec<u8>, ReadError> {
        index.map_or(Ok(Vec::new()), |k| tree.read(k))
    }

    /// The vendor took the file away or gave it another name.
    fn vendor(&self) -> Option<VendorChange> {
        let base = self.base?;
        match self.release {
            None => Some(VendorChange { path: base.path.clone(), to: None }),
            Some(r) if r.path != base.path => {
                Some(VendorChange { path: base.path.clone(), to: Some(r.path.clone()) })
            }
            Some(_) => None,
        }
    }

    fn record(&self, from: Source, digest: Option<Digest>) -> FileRecord {
        let other = |e: Option<&Entry>| e.map(|e| e.path.clone()).filter(|p| *p != self.path);
        FileRecord {
            path: self.path.clone(),
            base_path: other(self.base),
            site_path: other(self.site),
            release_path: other(self.release),
            kind: self.kind,
            from,
            digest: digest.map(|d| d.hex()),
            site_digest: self.site.map(|e| e.digest.hex()),
            settings: self.told_rules(),
        }
    }

    fn change(&self, change: &Change, outcome: Outcome, step: Option<Step>) -> ChangeRecord {
        ChangeRecord {
            id: change.id.clone(),
            path: change.path.clone(),
            kind: change.kind,
            what: change.what,
            origin: change.origin,
            outcome,
            step,
            note: self.inputs.notes_on.get(&change.id).cloned(),
            base_path: self.base.map(|b| b.path.clone()).filter(|p| *p != change.path),
            result_path: None,
            base: change.base.as_ref().map(Lines::from),
            site: change.site.as_ref().map(Lines::from),
            release: None,
            result: None,
            removed: change.base.as_ref().map(|_| Blob::of(&change.removed)),
            added: change.site.as_ref().map(|_| Blob::of(&change.added)),
            decision: None,
        }
    }

    /// A change that went into another file.
    fn moved(&self, change: &Change, home: &str) -> ChangeRecord {
        let result_path = Some(home.to_string());
        ChangeRecord { result_path, ..self.change(change, Outcome::Moved, Some(Step::MovedAcross)) }
    }

    /// The file as a whole came out one way.
    fn finish(
        &self,
        touched: &FileChange,
        outcome: Outcome,
        step: Option<Step>,
        content: Option<Content>,
        from: Source,
    ) -> FileResult {
        let digest = match &content {
            Some(Content::Release(_)) => self.release.map(|e| e.digest),
            Some(Content::Site(_)) => self.site.map(|e| e.digest),
            Some(Content::Merged(bytes, _)) => Some(Digest::of(bytes)),
            None => None,
        };
        let mut changes: Vec<ChangeRecord> =
            touched.changes.iter().map(|c| self.change(c, outcome, step)).collect();
        if content.is_some() {
            for change in &mut changes {
                change.result_path = Some(self.path.clone());
                if from == Source::Site {
                    change.result = change.site;
                }
            }
        }
        FileResult {
            path: self.path.clone(),
            content,
            changes,
            record: Some(self.record(from, digest)),
            vendor: self.vendor(),
            ..FileResult::default()
        }
    }

    /// A file that only the site has: as it is, but for a language that the release has new words for.
    fn only_the_sites(&self, touched: &FileChange, site: Option<usize>) -> Result<FileResult, ReadError> {
        if let Some(bytes) = &self.instead.site {
            let content = Some(Content::Merged(bytes.clone(), None));
            return Ok(self.finish(touched, Outcome::Fitted, Some(Step::SiteMoved), content, Source::Merged));
        }
        let as_is = || self.finish(touched, Outcome::Kept, None, site.map(Content::Site), Source::Site);
        let Some(index) = site.filter(|_| self.options.trust != Trust::Strict) else { return Ok(as_is()) };
        let Some(own) = own_language(self.inputs, &self.path, index)? else { return Ok(as_is()) };
        let mut result = match own.bytes {
            Some(bytes) => {
                let content = Some(Content::Merged(bytes, None));
                self.finish(touched, Outcome::Fitted, Some(Step::Template), content, Source::Merged)
            }
            None => as_is(),
        };
        result.remarks.extend(own.remark);
        Ok(result)
    }

    fn site_deleted(&self, touched: &FileChange) -> Result<FileResult, ReadError> {
        // What the release changed may all have gone where the site put the lines.
        let as_before = match &self.instead.release {
            Some(release) => *release == self.read(self.inputs.base, self.triple.base)?,
            None => self.base.map(|e| e.digest) == self.release.map(|e| e.digest),
        };
        if as_before {
            return Ok(self.finish(touched, Outcome::Kept, None, None, Source::Nowhere));
        }
        let content =
            if self.options.leave == Leave::Site { None } else { self.triple.release.map(Content::Release) };
        self.ask(touched, Reason::SiteDeleted, content)
    }

    fn release_deleted(&self, touched: &FileChange) -> Result<FileResult, ReadError> {
        let edits = || touched.changes.iter().filter(|c| c.what != What::Whitespace);
        if edits().count() > 0 && edits().all(|c| self.moved_to(&c.id).is_some()) {
            // Every change found its home in another file: this one goes as the vendor wants.
            let mut result = self.finish(touched, Outcome::Moved, Some(Step::MovedAcross), None, Source::Nowhere);
            for (change, of) in result.changes.iter_mut().zip(&touched.changes) {
                if let Some(home) = self.moved_to(&of.id) {
                    *change = self.moved(of, home);
                }
            }
            return Ok(result);
        }
        let content = if self.options.leave == Leave::Release { None } else { self.triple.site.map(Content::Site) };
        self.ask(touched, Reason::ReleaseDeleted, content)
    }

    fn both_added(&self, touched: &FileChange) -> Result<FileResult, ReadError> {
        let (Some(site), Some(release)) = (self.site, self.release) else {
            return Ok(FileResult::default());
        };
        if site.digest == release.digest {
            let content = self.triple.release.map(Content::Release);
            return Ok(self.finish(touched, Outcome::Already, None, content, Source::Release));
        }
        if !site.binary && !release.binary && self.options.leave == Leave::Markers {
            let (s, r) = (
                self.read(self.inputs.site, self.triple.site)?,
                self.read(self.inputs.release, self.triple.release)?,
            );
            // Two files of their own are not to be mixed, whatever the rule of the language.
            let both = MergeOptions { trust: Trust::Strict, ..self.merge_options()? };
            if dialect_of(&self.path, self.kind, &s).markers
                && let Some(merge) = merge_file(&self.path, self.kind, b"", &s, &r, &both)
            {
                return self.ask(
                    touched,
                    Reason::BothAdded,
                    Some(Content::Merged(merge.bytes, self.triple.release)),
                );
            }
        }
        self.ask_whole(touched, Reason::BothAdded)
    }

    fn all_three(&self, touched: &FileChange) -> Result<FileResult, ReadError> {
        let (Some(b), Some(s), Some(r)) = (self.base, self.site, self.release) else {
            return Ok(FileResult::default());
        };
        let followed = (r.path != b.path).then_some(Step::Renamed);
        let as_found = self.instead.site.is_none() && self.instead.release.is_none();
        let alike = r.digest == b.digest || r.digest == s.digest || s.digest == b.digest;
        let ruled = r.digest == b.digest && self.inputs.layout.settings(&self.path).allowed.is_some();
        let mut result = if as_found && alike && !ruled {
            let (outcome, from) = match (s.digest == b.digest, r.digest == s.digest) {
                (true, _) => (Outcome::Kept, Source::Release),
                (_, true) => (Outcome::Already, Source::Release),
                _ => (Outcome::Kept, Source::Site),
            };
            let content = if from == Source::Site {
                self.triple.site.map(Content::Site)
            } else {
                self.triple.release.map(Content::Release)
            };
            self.finish(touched, outcome, None, content, from)
        } else {
            let mut texts =
                [self.read(self.inputs.base, self.triple.base)?, self.site_text()?, self.release_text()?];
            let stamp = self.unstamp(touched, &mut texts);
            let any_binary = b.binary || s.binary || r.binary;
            let merge = if any_binary {
                None
            } else {
                merge_file(&self.path, self.kind, &texts[0], &texts[1], &texts[2], &self.merge_options()?)
            };
            match merge {
                None => self.ask_whole(touched, Reason::BothReplaced)?,
                Some(mut merge) => {
                    for open in &mut merge.decisions {
                        open.site = self.lines_of_site(touched, &open.site);
                    }
                    self.merged(touched, merge, &texts, stamp.as_ref())?
                }
            }
        };
        let name_taken = s.path != b.path && self.path != s.path;
        if name_taken && let Some(change) = result.changes.iter_mut().find(|c| c.what == What::Renamed) {
            let name = |path: &str| Blob::Text { text: path.to_string() };
            let blobs = [name(&b.path), name(&s.path), name(&r.path)];
            let ids = std::iter::once(change.id.clone());
            let decision = decision(&self.path, Reason::BothRenamed, Stands::Release, None, blobs, ids);
            change.outcome = Outcome::Open;
            change.decision = Some(decision.id.clone());
            result.decisions.push(decision);
        }
        for change in &mut result.changes {
            if change.what == What::Renamed && change.outcome != Outcome::Open {
                // The new name stands whatever became of the content.
                change.outcome = if r.path == s.path { Outcome::Already } else { Outcome::Kept };
                change.step = None;
            } else if followed.is_some() && matches!(change.outcome, Outcome::Kept | Outcome::Fitted) {
                change.outcome = Outcome::Moved;
                change.step = followed;
            }
        }
        Ok(result)
    }
}
