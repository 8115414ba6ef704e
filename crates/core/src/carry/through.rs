//! Carrying through intermediate releases, where that asks less than the direct jump.
//!
//! Each step is a carry of its own. A file with an open decision in an intermediate step does not take that step:
//! it waits as it was for the next release. So nothing is decided on the way, and what is left at the end is asked
//! once. The account tells of the site's own changes, as if there had been one step.

use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};
use std::ops::Range;
use std::sync::Mutex;

use super::account::{Account, ChangeRecord, FileRecord, Lines, Source, State, Theme, Totals};
use super::run::{CarryOptions, Inputs, carry};
use super::{Content, Nowhere, Sink};
use crate::changes::{Change, ChangeId, Survey, What, survey};
use crate::diff::Edit;
use crate::merge::{Outcome, Step, line_edits};
use crate::text::key::Blanks;
use crate::text::{Text, is_binary};
use crate::theme::{Digest, Entry, ReadError, Tree};

/// An intermediate release.
pub struct Stop<'a> {
    /// Its files.
    pub tree: &'a dyn Tree,
    /// What an account says of it.
    pub theme: Theme,
}

/// Carries through intermediate releases, in the order given; without any, this is [`carry`].
///
/// # Errors
///
/// As [`carry`].
pub fn carry_through(
    inputs: &Inputs<'_>,
    stops: &[Stop<'_>],
    options: &CarryOptions,
    sink: &dyn Sink,
) -> Result<Account, ReadError> {
    if stops.is_empty() {
        return carry(inputs, options, sink);
    }
    let mut way = Way::start(inputs);
    for stop in stops {
        way.step(inputs, stop, options)?;
    }
    let last = Inputs {
        base: &way.base,
        site: &way.site,
        release: inputs.release,
        layout: inputs.layout,
        themes: inputs.themes.clone(),
        vendor_notes: inputs.vendor_notes.clone(),
        notes_on: inputs.notes_on.clone(),
        progress: inputs.progress,
        unnamed: String::new(),
    };
    let account = carry(&last, options, &Translated { way: &way, sink })?;
    Ok(way.told(inputs, account))
}

/// Finds the way through some of the stops that leaves the fewest decisions: the direct one, each stop alone, and all
/// of them are tried; of equals the shortest. Returns indices of stops, and the number of open decisions for that
/// way and for the direct one.
///
/// # Errors
///
/// As [`carry`].
pub fn best_way(
    inputs: &Inputs<'_>,
    stops: &[Stop<'_>],
    options: &CarryOptions,
) -> Result<(Vec<usize>, usize, usize), ReadError> {
    let asked = |way: &[usize]| -> Result<usize, ReadError> {
        let some: Vec<Stop<'_>> =
            way.iter().map(|k| Stop { tree: stops[*k].tree, theme: stops[*k].theme.clone() }).collect();
        let account = carry_through(inputs, &some, options, &Nowhere)?;
        Ok(account.decisions.iter().filter(|d| d.state == State::Open).count())
    };
    let direct = asked(&[])?;
    let mut best = (Vec::new(), direct);
    let mut ways: Vec<Vec<usize>> = (0..stops.len()).map(|k| vec![k]).collect();
    if stops.len() > 1 {
        ways.push((0..stops.len()).collect());
    }
    for way in ways.into_iter().filter(|_| direct > 0) {
        let open = asked(&way)?;
        if open < best.1 {
            best = (way, open);
        }
    }
    Ok((best.0, best.1, direct))
}

/// Files of several trees as one theme.
#[derive(Default)]
struct Composite<'a> {
    entries: Vec<Entry>,
    from: Vec<From<'a>>,
}

#[derive(Clone)]
enum From<'a> {
    /// A file of the site's own copy, by its index there.
    Own(&'a dyn Tree, usize),
    Tree(&'a dyn Tree, usize),
    Bytes(Vec<u8>),
}

impl<'a> Composite<'a> {
    fn of(tree: &'a dyn Tree) -> Self {
        let from = (0..tree.entries().len()).map(|k| From::Own(tree, k)).collect();
        Composite { entries: tree.entries().to_vec(), from }
    }

    fn new(mut files: Vec<(Entry, From<'a>)>) -> Self {
        files.sort_by(|a, b| a.0.path.cmp(&b.0.path));
        let (entries, from) = files.into_iter().unzip();
        Composite { entries, from }
    }

    fn file(&self, index: usize) -> (Entry, From<'a>) {
        (self.entries[index].clone(), self.from[index].clone())
    }
}

impl Tree for Composite<'_> {
    fn entries(&self) -> &[Entry] {
        &self.entries
    }

    fn read(&self, index: usize) -> Result<Vec<u8>, ReadError> {
        match &self.from[index] {
            From::Own(tree, k) | From::Tree(tree, k) => tree.read(*k),
            From::Bytes(bytes) => Ok(bytes.clone()),
        }
    }
}

/// Keeps the files of a step.
#[derive(Default)]
struct Kept {
    files: Mutex<BTreeMap<String, Content>>,
}

impl Sink for Kept {
    fn put(&self, path: &str, content: &Content) -> Result<(), ReadError> {
        match self.files.lock() {
            Ok(mut files) => {
                files.insert(path.to_string(), content.clone());
                Ok(())
            }
            Err(_) => Err(ReadError { path: path.into(), why: "another thread failed".into() }),
        }
    }

    fn put_aside(&self, _path: &str, _content: &Content) -> Result<(), ReadError> {
        Ok(())
    }
}

/// One of the site's changes on its way.
struct Track {
    id: ChangeId,
    /// As the first carry described it: by the site's own lines.
    record: Option<ChangeRecord>,
    /// The changes that it is now.
    now: Vec<ChangeId>,
    /// The last thing that was done beyond plain lines.
    step: Option<Step>,
    /// It was form alone, which follows the release.
    form_only: bool,
    /// The path that it was last seen at.
    path: String,
}

struct Way<'a> {
    base: Composite<'a>,
    site: Composite<'a>,
    tracks: Vec<Track>,
    /// For paths that changed on the way: what they were in the base and in the site.
    base_paths: HashMap<String, String>,
    site_paths: HashMap<String, String>,
}

impl<'a> Way<'a> {
    fn start(inputs: &Inputs<'a>) -> Self {
        Way {
            base: Composite::of(inputs.base),
            site: Composite::of(inputs.site),
            tracks: Vec::new(),
            base_paths: HashMap::new(),
            site_paths: HashMap::new(),
        }
    }

    /// Takes one step, for all files that nothing is asked about.
    fn step(&mut self, inputs: &Inputs<'_>, stop: &Stop<'a>, options: &CarryOptions) -> Result<(), ReadError> {
        let kept = Kept::default();
        let mut themes = inputs.themes.clone();
        themes.release = stop.theme.clone();
        let step = Inputs {
            base: &self.base,
            site: &self.site,
            release: stop.tree,
            layout: inputs.layout,
            themes,
            vendor_notes: Vec::new(),
            notes_on: inputs.notes_on.clone(),
            progress: &|_, _| {},
            unnamed: String::new(),
        };
        let account = carry(&step, options, &kept)?;
        let waiting = waiting(&account);
        let files = kept.files.into_inner().unwrap_or_default();

        // The new site: what came out, and what waits as it was. The new base: the stop's files, but for those.
        let records: HashMap<&str, &FileRecord> = account.files.iter().map(|f| (f.path.as_str(), f)).collect();
        let path_in = |other: &Option<String>, path: &str| other.clone().unwrap_or_else(|| path.to_string());
        let mut site: Vec<(Entry, From<'a>)> = Vec::new();
        for (path, content) in files.into_iter().filter(|(p, _)| !waiting.contains(p)) {
            let (mut entry, from) = match content {
                Content::Release(k) => (stop.tree.entries()[k].clone(), From::Tree(stop.tree, k)),
                Content::Site(k) => self.site.file(k),
                Content::Merged(bytes, _) => (entry_of(&path, &bytes), From::Bytes(bytes)),
            };
            entry.path = path;
            site.push((entry, from));
        }
        let mut base: BTreeMap<String, (Entry, From<'a>)> = (0..stop.tree.entries().len())
            .map(|k| {
                let entry = stop.tree.entries()[k].clone();
                (entry.path.clone(), (entry, From::Tree(stop.tree, k)))
            })
            .collect();
        let (mut base_paths, mut site_paths) = (HashMap::new(), HashMap::new());
        for path in &waiting {
            if let Some(record) = records.get(path.as_str()) {
                base.remove(&path_in(&record.release_path, path));
            }
        }
        for path in &waiting {
            let Some(record) = records.get(path.as_str()) else { continue };
            let (base_path, site_path) = (path_in(&record.base_path, path), path_in(&record.site_path, path));
            if let Some(k) = self.base.find(&base_path) {
                if base.contains_key(&base_path) {
                    // The stop has another file there: this stop is of no use.
                    return Ok(());
                }
                base.insert(base_path, self.base.file(k));
            }
            if let Some(k) = self.site.find(&site_path) {
                if site.iter().any(|(e, _)| e.path == site_path) {
                    return Ok(());
                }
                site.push(self.site.file(k));
            }
        }
        for record in account.files.iter().filter(|f| !waiting.contains(&f.path)) {
            let (base_path, site_path) =
                (path_in(&record.base_path, &record.path), path_in(&record.site_path, &record.path));
            let release_path = path_in(&record.release_path, &record.path);
            base_paths.insert(release_path, origin(&self.base_paths, &base_path));
            site_paths.insert(record.path.clone(), origin(&self.site_paths, &site_path));
        }
        for path in &waiting {
            for map in [(&self.base_paths, &mut base_paths), (&self.site_paths, &mut site_paths)] {
                if let Some(known) = map.0.get(path) {
                    map.1.insert(path.clone(), known.clone());
                }
            }
        }
        let (base, site) = (Composite::new(base.into_values().collect()), Composite::new(site));
        let found = survey(&base, &site, inputs.layout)?;
        self.follow(&account, &waiting, &found);
        (self.base, self.site) = (base, site);
        self.base_paths.extend(base_paths);
        self.site_paths.extend(site_paths);
        Ok(())
    }

    /// Finds each change again among those of the new site.
    fn follow(&mut self, account: &Account, waiting: &BTreeSet<String>, found: &Survey) {
        if self.tracks.is_empty() {
            self.tracks = account
                .changes
                .iter()
                .map(|c| Track {
                    id: c.id.clone(),
                    record: Some(c.clone()),
                    now: vec![c.id.clone()],
                    step: None,
                    form_only: false,
                    path: c.path.clone(),
                })
                .collect();
        }
        let records: HashMap<&ChangeId, &ChangeRecord> = account.changes.iter().map(|c| (&c.id, c)).collect();
        let by_path: HashMap<&str, &[Change]> =
            found.files.iter().map(|f| (f.path.as_str(), f.changes.as_slice())).collect();
        for track in &mut self.tracks {
            let mut next: Vec<ChangeId> = Vec::new();
            for id in &track.now {
                let Some(record) = records.get(id) else { continue };
                let path = record.result_path.as_deref().unwrap_or(&record.path);
                if waiting.contains(path) || waiting.contains(&record.path) {
                    next.push(id.clone());
                    continue;
                }
                track.step = record.step.or(track.step);
                track.form_only |= record.step == Some(Step::ReleaseForm);
                if record.outcome == Outcome::Already {
                    continue;
                }
                track.path = path.to_string();
                let changes = by_path.get(path).copied().unwrap_or_default();
                next.extend(changes.iter().filter(|c| continues(record, c)).map(|c| c.id.clone()));
            }
            next.sort();
            next.dedup();
            track.now = next;
        }
    }

    /// Tells the last account of the site's own changes.
    fn told(&self, inputs: &Inputs<'_>, mut account: Account) -> Account {
        if self.tracks.is_empty() {
            return account;
        }
        let mut originals: HashMap<ChangeId, Vec<ChangeId>> = HashMap::new();
        for track in &self.tracks {
            for id in &track.now {
                originals.entry(id.clone()).or_default().push(track.id.clone());
            }
        }
        let last: HashMap<ChangeId, ChangeRecord> = account.changes.drain(..).map(|c| (c.id.clone(), c)).collect();
        let mut known: HashSet<&ChangeId> = HashSet::new();
        let mut changes: Vec<ChangeRecord> = Vec::new();
        for track in &self.tracks {
            let Some(mut record) = track.record.clone() else { continue };
            let ends: Vec<&ChangeRecord> = track.now.iter().filter_map(|id| last.get(id)).collect();
            known.extend(&track.now);
            record.note = inputs.notes_on.get(&record.id).cloned();
            let gravest = ends.iter().max_by_key(|r| r.outcome.gravity());
            match gravest {
                None => {
                    // What is no change any more is the release's own by now.
                    record.outcome = if track.form_only { Outcome::Fitted } else { Outcome::Already };
                    record.step = track.step.filter(|_| track.form_only);
                    (record.release, record.result, record.decision) = (None, None, None);
                    record.result_path = Some(track.path.clone()).filter(|p| inputs.release.find(p).is_some());
                }
                Some(end) => {
                    record.outcome = end.outcome;
                    record.step = end.step.or(track.step);
                    if record.outcome == Outcome::Kept && track.step.is_some() {
                        record.outcome = Outcome::Fitted;
                    }
                    let same = |r: &&&ChangeRecord| r.result_path == end.result_path;
                    record.result_path = end.result_path.clone();
                    record.result = joined(ends.iter().filter(same).filter_map(|r| r.result));
                    record.release = joined(ends.iter().filter(same).filter_map(|r| r.release));
                    record.decision = ends.iter().find_map(|r| r.decision.clone());
                }
            }
            changes.push(record);
        }
        // A change of the last step that goes back to none of the site's must not get lost: it stands for itself.
        let mut strays: Vec<ChangeRecord> = last.values().filter(|c| !known.contains(&c.id)).cloned().collect();
        strays.retain(|c| c.outcome == Outcome::Open);
        strays.sort_by(|a, b| a.id.cmp(&b.id));
        changes.extend(strays);
        changes.sort_by(|a, b| {
            (&a.path, a.site.map(|l| l.range().start)).cmp(&(&b.path, b.site.map(|l| l.range().start)))
        });
        account.changes = changes;
        let records: HashMap<String, FileRecord> =
            account.files.iter().map(|f| (f.path.clone(), f.clone())).collect();
        for decision in &mut account.decisions {
            let ids = decision.changes.iter().flat_map(|id| originals.get(id).cloned().unwrap_or(vec![id.clone()]));
            let mut seen = HashSet::new();
            decision.changes = ids.filter(|id| seen.insert(id.clone())).collect();
            // Lines are those of the site's own base and copy, whatever they were on the way.
            let record = records.get(&decision.path);
            let now = |other: fn(&FileRecord) -> &Option<String>| {
                record.and_then(|r| other(r).clone()).unwrap_or_else(|| decision.path.clone())
            };
            let (base_now, site_now) = (now(|r| &r.base_path), now(|r| &r.site_path));
            decision.base_lines = decision.base_lines.map(|lines| {
                let before = origin(&self.base_paths, &base_now);
                mapped(inputs.base, &before, &self.base, &base_now, lines)
            });
            decision.site_lines = decision.site_lines.map(|lines| {
                let before = origin(&self.site_paths, &site_now);
                mapped(inputs.site, &before, &self.site, &site_now, lines)
            });
        }
        self.files(inputs, &mut account);
        account.totals = Totals::of(&account.changes);
        account
    }

    /// Says of each file where it was in the site's own base and copy.
    fn files(&self, inputs: &Inputs<'_>, account: &mut Account) {
        for file in &mut account.files {
            let site_now = file.site_path.clone().unwrap_or_else(|| file.path.clone());
            let base_now = file.base_path.clone().unwrap_or_else(|| file.path.clone());
            let other = |path: String| Some(path).filter(|p| *p != file.path);
            let (base_path, site_path) = (origin(&self.base_paths, &base_now), origin(&self.site_paths, &site_now));
            if file.from == Source::Site {
                let digest = inputs.site.find(&site_path).map(|k| inputs.site.entries()[k].digest.hex());
                if digest != file.digest {
                    file.from = Source::Merged;
                }
            }
            file.base_path = other(base_path);
            file.site_path = other(site_path);
        }
        // Files in which the last step found nothing of the site's are the release's.
        let there: HashSet<String> = account.files.iter().map(|f| f.path.clone()).collect();
        let mut gone: BTreeMap<&str, &Track> = BTreeMap::new();
        for track in &self.tracks {
            gone.entry(&track.path).or_insert(track);
        }
        for (path, track) in gone.into_iter().filter(|(path, _)| !there.contains(*path)) {
            let Some(k) = inputs.release.find(path) else { continue };
            let other = |p: String| Some(p).filter(|p| p != path);
            account.files.push(FileRecord {
                path: path.to_string(),
                base_path: other(origin(&self.base_paths, path)),
                site_path: other(origin(&self.site_paths, path)),
                release_path: None,
                kind: track.record.as_ref().map_or(crate::theme::Kind::Other, |r| r.kind),
                from: Source::Release,
                digest: Some(inputs.release.entries()[k].digest.hex()),
                site_digest: None,
                settings: None,
            });
        }
        for file in &mut account.files {
            let found = inputs.site.find(file.site_path.as_deref().unwrap_or(&file.path));
            file.site_digest = found.map(|k| inputs.site.entries()[k].digest.hex());
        }
        account.files.sort_by(|a, b| a.path.cmp(&b.path));
    }
}

/// The result's paths that cannot take a step: something in them is open, or in a file that changes moved to or from.
fn waiting(account: &Account) -> BTreeSet<String> {
    let mut waiting: BTreeSet<String> = account.decisions.iter().map(|d| d.path.clone()).collect();
    waiting.extend(
        account.changes.iter().filter(|c| c.outcome == Outcome::Open).filter_map(|c| c.result_path.clone()),
    );
    let across: Vec<(&str, &str)> = account
        .changes
        .iter()
        .filter(|c| c.step == Some(Step::MovedAcross))
        .filter_map(|c| Some((c.path.as_str(), c.result_path.as_deref()?)))
        .chain(account.followed.iter().map(|f| (f.path.as_str(), f.to.as_str())))
        .collect();
    // A release's change that was made elsewhere is told of in the last step.
    waiting.extend(account.followed.iter().map(|f| f.path.clone()));
    loop {
        let before = waiting.len();
        for (from, to) in &across {
            if waiting.contains(*from) || waiting.contains(*to) {
                waiting.extend([from.to_string(), to.to_string()]);
            }
        }
        if waiting.len() == before {
            return waiting;
        }
    }
}

/// Tells whether a change of the new site is what became of one of the old.
fn continues(record: &ChangeRecord, change: &Change) -> bool {
    match (record.what, &change.site, record.result) {
        (What::Edited, Some(lines), Some(at)) => {
            let at = at.range();
            let meets = |a: &Range<usize>, b: &Range<usize>| {
                a.start < b.end.max(b.start + 1) && b.start < a.end.max(a.start + 1)
            };
            meets(lines, &at)
        }
        (What::Edited, None, _) => change.what != What::Renamed && change.what != What::Whitespace,
        (what, ..) => change.what == what,
    }
}

/// Finds the lines of an earlier text that became some lines of a later one.
fn mapped(before: &dyn Tree, before_path: &str, after: &dyn Tree, after_path: &str, lines: Lines) -> Lines {
    let text = |tree: &dyn Tree, path: &str| Some(Text::decode(&tree.read_path(path)?)?.body.into_owned());
    let (Some(old), Some(new)) = (text(before, before_path), text(after, after_path)) else { return lines };
    let range = lines.range();
    let (mut start, mut end) = (range.start as isize, range.end as isize);
    for Edit { old, new } in line_edits(&old, &new, Blanks::default()) {
        let to = old.end as isize - new.end as isize;
        // Within an edit, all of what it replaced is meant.
        if range.start >= new.end {
            start = range.start as isize + to;
        } else if range.start >= new.start {
            start = old.start as isize;
        }
        if range.end >= new.end && range.end > new.start {
            end = range.end as isize + to;
        } else if range.end > new.start {
            end = old.end as isize;
        }
        if range.end <= new.start {
            break;
        }
    }
    Lines::from(&(start.max(0) as usize..end.max(start).max(0) as usize))
}

fn joined(lines: impl Iterator<Item = Lines>) -> Option<Lines> {
    let ranges = lines.map(|l| l.range());
    ranges.reduce(|a, b| a.start.min(b.start)..a.end.max(b.end)).map(|r| Lines::from(&r))
}

fn origin(paths: &HashMap<String, String>, path: &str) -> String {
    paths.get(path).cloned().unwrap_or_else(|| path.to_string())
}

fn entry_of(path: &str, bytes: &[u8]) -> Entry {
    Entry { path: path.into(), size: bytes.len() as u64, digest: Digest::of(bytes), binary: is_binary(bytes) }
}

/// Hands on the files of the last step, by the site's own files where they are unchanged.
struct Translated<'a> {
    way: &'a Way<'a>,
    sink: &'a dyn Sink,
}

impl Translated<'_> {
    fn content(&self, content: &Content) -> Result<Content, ReadError> {
        let Content::Site(k) = content else { return Ok(content.clone()) };
        Ok(match &self.way.site.from[*k] {
            From::Own(_, index) => Content::Site(*index),
            From::Bytes(bytes) => Content::Merged(bytes.clone(), None),
            From::Tree(tree, index) => Content::Merged(tree.read(*index)?, None),
        })
    }
}

impl Sink for Translated<'_> {
    fn put(&self, path: &str, content: &Content) -> Result<(), ReadError> {
        self.sink.put(path, &self.content(content)?)
    }

    fn put_aside(&self, path: &str, content: &Content) -> Result<(), ReadError> {
        self.sink.put_aside(path, &self.content(content)?)
    }
}
