//! One file of a carry: what the three versions give.

use std::collections::HashMap;
use std::ops::Range;

use super::Content;
use super::account::{
    Blob, ChangeRecord, Decision, DefaultRecord, FileRecord, Lines, Remark, Source, Stands, State, Theme,
    VendorChange,
};
use super::defaults::{Values, defaults, dropped_names};
use super::run::{CarryOptions, Inputs};
use super::valid::well_formed;
use super::words::{completed, own_language};
use crate::changes::{Change, ChangeId, FileChange, What};
use crate::formats::{is_by_key, is_settings, merge_file};
use crate::merge::{Leave, MergeOptions, Outcome, Reason, SettingsRules, Step, TextDecision, TextMerge, Trust};
use crate::text::split_lines;
use crate::theme::{
    Digest, Entry, Kind, ReadError, SettingsLayout, Stamp, Tree, Version, dialect_of, find_stamp, own_card,
    with_stamp,
};

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

    /// Tells whether the file holds settings with the vendor's defaults: a theme's card is its identity, and the
    /// release's.
    fn has_defaults(&self) -> bool {
        is_settings(&self.path) && !self.is_card()
    }

    /// Tells whether the file says who the theme is.
    fn is_card(&self) -> bool {
        let ruled = self.inputs.layout.identity.iter().any(|reader| reader.file == self.path);
        ruled || self.path == own_card().file
    }

    /// What the layout says of the file's settings.
    fn settings_layout(&self) -> SettingsLayout {
        let layout = self.inputs.layout.settings(&self.path);
        SettingsLayout { hold: layout.hold && self.has_defaults(), ..layout }
    }

    /// How the file is merged by key, as the layout says.
    fn settings_rules(&self) -> Result<SettingsRules, ReadError> {
        let layout = self.settings_layout();
        let release = self.inputs.release;
        let allowed = match layout.allowed.and_then(|path| Some((release.find(&path)?, path))) {
            Some((k, path)) => Some((path, release.read(k)?)),
            None => None,
        };
        Ok(SettingsRules { hold: layout.hold, identity: layout.identity, allowed })
    }

    /// The site's text of the file.
    fn site_text(&self) -> Result<Vec<u8>, ReadError> {
        self.instead.site.clone().map_or_else(|| self.read(self.inputs.site, self.triple.site), Ok)
    }

    /// The release's text of the file.
    fn release_text(&self) -> Result<Vec<u8>, ReadError> {
        self.instead.release.clone().map_or_else(|| self.read(self.inputs.release, self.triple.release), Ok)
    }

    /// Lines of the text that was merged, in the site's file: there the base's lines stand for what went into another.
    fn lines_of_site(&self, touched: &FileChange, lines: &Range<usize>) -> Range<usize> {
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

    /// The rules of the layout for the file, where it has some.
    fn told_rules(&self) -> Option<SettingsRules> {
        let layout = self.settings_layout();
        let rules = SettingsRules { hold: layout.hold, identity: layout.identity, allowed: None };
        (is_settings(&self.path) && rules != SettingsRules::default()).then_some(rules)
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

    fn blob(&self, tree: &dyn Tree, index: Option<usize>) -> Result<Blob, ReadError> {
        let Some(index) = index else { return Ok(Blob::Missing { missing: true }) };
        let entry = &tree.entries()[index];
        if entry.binary || entry.size > 1 << 20 {
            return Ok(Blob::File { size: entry.size, digest: entry.digest.hex() });
        }
        Ok(Blob::of(&tree.read(index)?))
    }

    /// The file as a whole is a question.
    fn ask(&self, touched: &FileChange, reason: Reason, content: Option<Content>) -> Result<FileResult, ReadError> {
        let (from, stands) = match &content {
            Some(Content::Site(_)) => (Source::Site, Stands::Site),
            Some(Content::Release(_)) => (Source::Release, Stands::Release),
            Some(Content::Merged(..)) => (Source::Merged, Stands::Markers),
            None if self.site.is_none() => (Source::Nowhere, Stands::Site),
            None => (Source::Nowhere, Stands::Release),
        };
        let aside = match (&content, self.triple.release, self.triple.site) {
            (Some(Content::Site(_)), Some(r), _) => Some(Content::Release(r)),
            (Some(Content::Release(_)), _, Some(s)) => Some(Content::Site(s)),
            _ => None,
        };
        let mut result = self.finish(touched, Outcome::Open, None, content, from);
        let blobs = [
            self.blob(self.inputs.base, self.triple.base)?,
            self.blob(self.inputs.site, self.triple.site)?,
            self.blob(self.inputs.release, self.triple.release)?,
        ];
        // What went into another file is done.
        let stay = touched.changes.iter().filter(|c| self.moved_to(&c.id).is_none()).map(|c| c.id.clone());
        let mut decision = decision(&self.path, reason, stands, None, blobs, stay);
        decision.suggestion = suggestion(self.kind, &decision);
        for (change, of) in result.changes.iter_mut().zip(&touched.changes) {
            match self.moved_to(&change.id) {
                Some(home) => *change = self.moved(of, home),
                None => change.decision = Some(decision.id.clone()),
            }
        }
        result.decisions.push(decision);
        result.aside = aside;
        Ok(result)
    }

    /// A file that only the site has: as it is, but for a language that the release has new words for.
    fn only_the_sites(&self, touched: &FileChange, site: Option<usize>) -> Result<FileResult, ReadError> {
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
        if self.base.map(|e| e.digest) == self.release.map(|e| e.digest) {
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

    /// Asks about the file as a whole, with the site's standing meanwhile (or the release's, if that is told).
    fn ask_whole(&self, touched: &FileChange, reason: Reason) -> Result<FileResult, ReadError> {
        let content = match self.options.leave {
            Leave::Release => self.triple.release.map(Content::Release),
            _ => self.triple.site.map(Content::Site),
        };
        self.ask(touched, reason, content)
    }

    fn merge_options(&self) -> Result<MergeOptions, ReadError> {
        Ok(MergeOptions {
            trust: self.options.trust,
            leave: self.options.leave,
            keep_blanks: self.options.keep_blanks,
            release_label: self.inputs.themes.release.version.clone().unwrap_or_default(),
            settings: if is_settings(&self.path) { self.settings_rules()? } else { SettingsRules::default() },
            doubted: self.instead.doubted.clone(),
        })
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

    /// Stamps never conflict: where the site gave the file another version stamp than base and release have, its text
    /// is merged with the base's. Returns the change, and the stamp that the site wrote.
    fn unstamp(&self, touched: &FileChange, texts: &mut [Vec<u8>; 3]) -> Option<(ChangeId, String)> {
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
    fn merged(
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
        let defaults = values.as_ref().map(|v| defaults(&self.path, v, held)).unwrap_or_default();
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
        let is_stamp = |c: &Change| stamp.is_some_and(|(id, _)| *id == c.id);
        let here = |c: &Change| c.what == What::Edited && self.moved_to(&c.id).is_none() && !is_stamp(c);
        let at: Vec<usize> = (0..touched.changes.len()).filter(|k| here(&touched.changes[*k])).collect();
        if at.len() != merge.edits.len() {
            // The merge told the changes otherwise than the survey: nobody knows what became of which.
            return self.ask_whole(touched, Reason::Doubtful);
        }
        let mut fates = merge.edits.iter();
        for change in &touched.changes {
            if let (What::Edited, Some(home)) = (change.what, self.moved_to(&change.id)) {
                result.changes.push(self.moved(change, home));
                continue;
            }
            let mut record = match change.what {
                What::Edited if is_stamp(change) => {
                    let complete = merge.decisions.is_empty();
                    let outcome = if complete { Outcome::Fitted } else { Outcome::Kept };
                    let mut record = self.change(change, outcome, Some(Step::Stamp));
                    let theirs = find_stamp(&texts[2], pattern);
                    record.release = theirs.map(|s| Lines::from(&(s.line..s.line + 1)));
                    record.result = stamped.as_ref().map(|s| Lines::from(&(s.line..s.line + 1)));
                    record
                }
                What::Edited => match fates.next() {
                    Some(fate) => {
                        let mut record = self.change(change, fate.outcome, fate.step);
                        record.release = Some(Lines::from(&fate.release));
                        record.result = Some(Lines::from(&fate.result));
                        record
                    }
                    None => self.change(change, Outcome::Open, None),
                },
                What::Whitespace if merge.space_follows_release => {
                    self.change(change, Outcome::Fitted, Some(Step::ReleaseForm))
                }
                _ => self.change(change, Outcome::Kept, None),
            };
            record.result_path = Some(self.path.clone());
            result.changes.push(record);
        }
        let mut seen = HashMap::new();
        for open in &merge.decisions {
            let mut hanging: Vec<usize> = open.edits.iter().filter_map(|e| at.get(*e)).copied().collect();
            if hanging.is_empty() {
                // A question that a moved stretch raised by itself hangs on the change nearest to it.
                let far = |k: &usize| {
                    let own = touched.changes[*k].site.as_ref().map_or(usize::MAX, |lines| lines.start);
                    own.abs_diff(open.site.start)
                };
                hanging.extend(at.iter().copied().min_by_key(far));
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
        for (k, other) in going_together(&merge.decisions) {
            result.decisions[k].with = Some(result.decisions[other].id.clone());
        }
        result.record = Some(self.record(Source::Merged, Some(Digest::of(&merge.bytes))));
        result.content = Some(Content::Merged(merge.bytes, self.triple.release));
        Ok(result)
    }
}

/// Which questions go with which other ones. One that goes with none itself is the one that is meant, where several hang
/// on the same edit.
fn going_together(questions: &[TextDecision]) -> Vec<(usize, usize)> {
    let (own, paired): (Vec<usize>, Vec<usize>) = (0..questions.len()).partition(|k| questions[*k].with.is_empty());
    let mut asked_in: HashMap<usize, usize> = HashMap::new();
    for k in own.iter().chain(&paired) {
        questions[*k].edits.iter().for_each(|edit| _ = asked_in.entry(*edit).or_insert(*k));
    }
    let other =
        |k: usize| questions[k].with.iter().find_map(|edit| asked_in.get(edit)).filter(|other| **other != k);
    paired.into_iter().filter_map(|k| Some((k, *other(k)?))).collect()
}

/// A question, still open.
pub(crate) fn decision(
    path: &str,
    reason: Reason,
    stands: Stands,
    result: Option<&Range<usize>>,
    [base, site, release]: [Blob; 3],
    changes: impl Iterator<Item = ChangeId>,
) -> Decision {
    let mut hasher = blake3::Hasher::new();
    hasher.update(path.as_bytes());
    for blob in [&base, &site, &release] {
        // The wire form of a blob tells text, bytes and missing files apart.
        hasher.update(serde_json::to_string(blob).unwrap_or_default().as_bytes());
    }
    Decision {
        id: format!("d{}", &hasher.finalize().to_hex()[..9]),
        path: path.to_string(),
        reason,
        state: State::Open,
        stands,
        result: result.map(Lines::from),
        base_lines: None,
        site_lines: None,
        base,
        site,
        release,
        changes: changes.collect(),
        with: None,
        suggestion: None,
        answer: None,
    }
}

/// What most likely is to be done, where one answer suggests itself.
fn suggestion(kind: Kind, decision: &Decision) -> Option<String> {
    let text = match (kind, decision.reason) {
        (Kind::Style, Reason::ReleaseDeleted) => {
            "keep the site's declarations in a rule of its own at the end, if the element is still there"
        }
        (Kind::Settings, Reason::KeyGone) => {
            "see whether the release has the setting under another name; else drop it"
        }
        (Kind::Catalog, Reason::KeyGone) => {
            "the text is no longer shown; keep the wording for a reworded one, or drop it"
        }
        (_, Reason::ReleaseDeleted) if decision.result.is_none() => {
            "see which file took its place in the release, and make the change there"
        }
        (Kind::Picture | Kind::Font, Reason::BothReplaced) => {
            "keep the site's, and look at the release's beside it"
        }
        _ => return None,
    };
    Some(text.to_string())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn questions_go_with_the_one_that_goes_with_none() {
        let question = |edits: &[usize], with: &[usize]| TextDecision {
            reason: if with.is_empty() { Reason::BothChanged } else { Reason::Paired },
            base: 0..0,
            site: 0..0,
            release: 0..0,
            result: 0..0,
            edits: edits.to_vec(),
            with: with.to_vec(),
            base_text: Vec::new(),
            site_text: Vec::new(),
            release_text: Vec::new(),
            hint: None,
        };
        // What the release did hangs on the edit of the question that it goes with; what the site did, on its own.
        let list = [question(&[4], &[4]), question(&[4], &[4]), question(&[4], &[]), question(&[7], &[4])];
        assert_eq!(going_together(&list), [(0, 2), (1, 2), (3, 2)]);
        assert_eq!(going_together(&[question(&[4], &[4]), question(&[9], &[])]), []);
    }
}
