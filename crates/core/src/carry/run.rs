//! The whole theme.

use std::borrow::Cow;
use std::collections::{BTreeMap, HashMap, HashSet};
use std::sync::Mutex;
use std::sync::atomic::{AtomicUsize, Ordering};

use rayon::prelude::*;

use super::account::{Account, ChangeRecord, FORMAT, FORMAT_VERSION, Remark, Themes, Totals};
use super::across::{Contested, Doubt, Follow, Found, Spot, follow, replace_lines};
use super::doubts;
use super::file::{FileResult, Instead, Triple, carry_file, result_path};
use super::onward::onward;
use super::words::Compiled;
use super::{Content, Sink};
use crate::changes::{ChangeId, FileChange, survey_pairs};
use crate::merge::{Leave, MergeOptions, Outcome, Trust};
use crate::theme::changelog::Notes;
use crate::theme::{Kind, Layout, Pair, ReadError, Tree, Version, pair};

/// How a carry is to be done.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, serde::Serialize, serde::Deserialize)]
#[serde(default)]
pub struct CarryOptions {
    /// How much may be done without asking.
    pub trust: Trust,
    /// What stands at an open spot.
    pub leave: Leave,
    /// Keep the site's white-space changes even where it reformatted whole files.
    pub keep_blanks: bool,
}

/// The three themes of a carry and what is known about them.
pub struct Inputs<'a> {
    /// The release that the site started from.
    pub base: &'a dyn Tree,
    /// The site's copy.
    pub site: &'a dyn Tree,
    /// The new release.
    pub release: &'a dyn Tree,
    /// The site's layout.
    pub layout: &'a Layout,
    /// What the account says of the three.
    pub themes: Themes,
    /// The vendor's notes between the versions.
    pub vendor_notes: Vec<Notes>,
    /// Notes that somebody gave to changes.
    pub notes_on: BTreeMap<ChangeId, String>,
    /// Called with the number of files done and of all files, from several threads.
    pub progress: &'a (dyn Fn(usize, usize) + Sync),
    /// The path of a file that has none; never shown.
    #[doc(hidden)]
    pub unnamed: String,
}

impl<'a> Inputs<'a> {
    /// Returns three trees (base, site, release) as inputs, of which no more is known.
    pub fn new([base, site, release]: [&'a dyn Tree; 3], layout: &'a Layout) -> Self {
        Inputs {
            base,
            site,
            release,
            layout,
            themes: Themes::default(),
            vendor_notes: Vec::new(),
            notes_on: BTreeMap::new(),
            progress: &|_, _| {},
            unnamed: String::new(),
        }
    }
}

/// Carries all site changes into the release: hands the files of the result to `sink`, and returns the account.
///
/// The account does not depend on the number of threads.
///
/// # Errors
///
/// When a file cannot be read, or the sink cannot take one.
pub fn carry(inputs: &Inputs<'_>, options: &CarryOptions, sink: &dyn Sink) -> Result<Account, ReadError> {
    let (site, release) = rayon::join(|| pair(inputs.base, inputs.site), || pair(inputs.base, inputs.release));
    let (site, release) = (site?, release?);
    let changes = survey_pairs(inputs.base, inputs.site, inputs.layout, &site)?;
    let by_path: HashMap<&str, &FileChange> = changes.files.iter().map(|f| (f.path.as_str(), f)).collect();
    let triples = triples(inputs, &site, &release);
    let compiled = Compiled::of(inputs);
    let done = AtomicUsize::new(0);
    let total = triples.len();
    let paths = Mutex::new(HashSet::new());
    let put = |result: &mut FileResult| -> Result<(), ReadError> {
        if let Some(content) = result.content.take() {
            let first = paths.lock().is_ok_and(|mut p| p.insert(result.path.clone()));
            if !first {
                let why = "two files of the result would have this path".to_string();
                return Err(ReadError { path: result.path.clone(), why });
            }
            sink.put(&result.path, &content)?;
        }
        if let Some(aside) = result.aside.take() {
            sink.put_aside(&result.path, &aside)?;
        }
        Ok(())
    };
    let mut results: Vec<FileResult> = triples
        .par_iter()
        .map(|triple| {
            let touched = touched(inputs, triple, &by_path);
            let mut result = carry_file(inputs, options, triple, touched, &Instead::default())?;
            // What may come out otherwise when other files are known waits; everything else leaves memory now.
            let was_merged = touched.is_some() && matches!(result.content, None | Some(Content::Merged(..)));
            if !was_merged && result.decisions.is_empty() && !compiled.waits(&result.path) {
                put(&mut result)?;
            }
            (inputs.progress)(done.fetch_add(1, Ordering::Relaxed) + 1, total);
            Ok(result)
        })
        .collect::<Result<_, ReadError>>()?;
    if options.trust != Trust::Strict {
        follow_across(inputs, options, &triples, &by_path, &mut results, sink)?;
        compiled.rewrite(inputs, options, &triples, &by_path, &mut results)?;
    }
    for result in &mut results {
        put(result)?;
    }
    results.sort_by(|a, b| a.path.cmp(&b.path));
    Ok(Account { options: *options, ..account(inputs, results) })
}

/// Takes changes along that the release moved into other files, and works those files out again.
fn follow_across(
    inputs: &Inputs<'_>,
    options: &CarryOptions,
    triples: &[Triple],
    by_path: &HashMap<&str, &FileChange>,
    results: &mut [FileResult],
    sink: &dyn Sink,
) -> Result<(), ReadError> {
    let touched_files: Vec<(usize, &FileChange)> =
        (0..triples.len()).filter_map(|k| Some((k, touched(inputs, &triples[k], by_path)?))).collect();
    let merging = MergeOptions { trust: options.trust, ..MergeOptions::default() };
    let Found { mut follows, mut doubts, contested } = follow(inputs, &merging, triples, &touched_files)?;
    // Only what would pass for done is asked: lines that the site deleted, and the release as well it seems.
    let would_pass = |doubt: &Doubt| {
        let is_it = |c: &ChangeRecord| c.id == doubt.change && c.outcome == Outcome::Already;
        results[doubt.from].changes.iter().any(is_it)
    };
    doubts.retain(would_pass);
    let work_out = |(k, instead): (&usize, &Instead)| {
        carry_file(inputs, options, &triples[*k], touched(inputs, &triples[*k], by_path), instead).map(|r| (*k, r))
    };
    let worked = loop {
        let instead = instead_of(inputs, triples, &follows, &contested, &doubts)?;
        let worked: BTreeMap<usize, FileResult> = instead.iter().map(work_out).collect::<Result<_, _>>()?;
        // What does not arrive is asked where it was.
        let mut staying = Vec::new();
        for follow in std::mem::take(&mut follows) {
            let home = &worked[&follow.to];
            let arrived = follow.has_arrived(&text_of(inputs, home)?, &home.decisions);
            if arrived { &mut follows } else { &mut staying }.push(follow);
        }
        if staying.is_empty() {
            break worked;
        }
        doubts.extend(staying.into_iter().flat_map(Follow::into_doubts).filter(would_pass));
    };
    let taken = worked.keys().copied().collect();
    let of_triple = |triple: &Triple| touched(inputs, triple, by_path);
    let onward = onward(inputs, options, triples, of_triple, results, &taken)?;
    // A file that was written already is written again; one that waited goes the usual way.
    let mut again = Vec::new();
    for (k, result) in worked.into_iter().chain(onward) {
        if results[k].content.is_none() {
            again.push(k);
        }
        results[k] = result;
    }
    for Contested { from, change, path, line, .. } in contested {
        let FileResult { changes, decisions, .. } = &mut results[from];
        let asked = changes.iter().find(|c| c.id == change).and_then(|c| c.decision.as_ref());
        if let Some(decision) = decisions.iter_mut().find(|d| Some(&d.id) == asked) {
            let line = line + 1;
            decision.suggestion = Some(format!(
                "{path} has the lines of before now, from line {line} on: see where the change belongs"
            ));
        }
    }
    // Only now, as each file's changes are what they are to be.
    for doubt in &doubts {
        let asked = doubts::ask(inputs, options, &mut results[doubt.to], doubt);
        let mut changes = results[doubt.from].changes.iter_mut();
        if let (Some(id), Some(change)) = (asked, changes.find(|c| c.id == doubt.change)) {
            change.outcome = Outcome::Open;
            change.step = None;
            change.decision = Some(id);
        } else {
            let remark = doubts::remark(&results[doubt.to].path, &results[doubt.from].path, doubt);
            results[doubt.to].remarks.push(remark);
        }
    }
    for k in again {
        if let Some(content) = results[k].content.take() {
            sink.put(&results[k].path, &content)?;
        }
    }
    Ok(())
}

/// The text of a file that has not been handed over; nothing where it is not in the result.
fn text_of<'r>(inputs: &Inputs<'_>, file: &'r FileResult) -> Result<Cow<'r, [u8]>, ReadError> {
    Ok(match &file.content {
        Some(Content::Merged(bytes, _)) => bytes.into(),
        Some(Content::Site(k)) => inputs.site.read(*k)?.into(),
        Some(Content::Release(k)) => inputs.release.read(*k)?.into(),
        None => Cow::default(),
    })
}

/// What files are made of once changes went into others.
fn instead_of(
    inputs: &Inputs<'_>,
    triples: &[Triple],
    follows: &[Follow],
    contested: &[Contested],
    doubts: &[Doubt],
) -> Result<BTreeMap<usize, Instead>, ReadError> {
    let mut instead: BTreeMap<usize, Instead> = BTreeMap::new();
    let mut spots: BTreeMap<(usize, bool), Vec<Spot>> = BTreeMap::new();
    for follow in follows {
        let home = result_path(inputs, &triples[follow.to]).to_string();
        let here = instead.entry(follow.from).or_default();
        here.moved.extend(follow.changes.iter().map(|id| (id.clone(), home.clone())));
        spots.entry((follow.from, true)).or_default().extend(follow.site.clone());
        spots.entry((follow.to, false)).or_default().push(follow.window.clone());
    }
    for ((k, of_site), mut list) in spots {
        let (tree, index) =
            if of_site { (inputs.site, triples[k].site) } else { (inputs.release, triples[k].release) };
        let Some(index) = index else { continue };
        let text = replace_lines(&tree.read(index)?, &mut list);
        let entry = instead.entry(k).or_default();
        if of_site { entry.site = text } else { entry.release = text }
    }
    for Contested { from, lines, .. } in contested {
        instead.entry(*from).or_default().doubted.push(lines.clone());
    }
    for doubt in doubts {
        let entry = instead.entry(doubt.to).or_default();
        if let (None, Some(r)) = (&entry.release, triples[doubt.to].release) {
            entry.release = Some(inputs.release.read(r)?);
        }
    }
    Ok(instead)
}

/// The site's changes in a file, if it made any.
pub(super) fn touched<'c>(
    inputs: &Inputs<'_>,
    triple: &Triple,
    by_path: &HashMap<&str, &'c FileChange>,
) -> Option<&'c FileChange> {
    let path = match (triple.site, triple.base) {
        (Some(k), _) => &inputs.site.entries()[k].path,
        (None, Some(k)) => &inputs.base.entries()[k].path,
        (None, None) => return None,
    };
    by_path.get(path.as_str()).copied()
}

/// Joins the pairings of base with site and base with release.
fn triples(inputs: &Inputs<'_>, site: &[Pair], release: &[Pair]) -> Vec<Triple> {
    let count = inputs.base.entries().len();
    let mut triples: Vec<Triple> = (0..count).map(|k| Triple { base: Some(k), ..Triple::default() }).collect();
    let mut assign = |pairs: &[Pair], set: fn(&mut Triple, usize)| -> Vec<usize> {
        pairs
            .iter()
            .filter_map(|p| match (p.old, p.new) {
                (Some(b), Some(k)) => {
                    set(&mut triples[b], k);
                    None
                }
                (None, Some(k)) => Some(k),
                _ => None,
            })
            .collect()
    };
    let site_added = assign(site, |t, k| t.site = Some(k));
    let release_added = assign(release, |t, k| t.release = Some(k));
    // What both added under one name is one file.
    let by_path: HashMap<&str, usize> =
        release_added.iter().map(|k| (inputs.release.entries()[*k].path.as_str(), *k)).collect();
    let mut shared = HashSet::new();
    for s in site_added {
        let path = inputs.site.entries()[s].path.as_str();
        let release = by_path.get(path).copied();
        shared.extend(release);
        triples.push(Triple { base: None, site: Some(s), release });
    }
    for r in release_added.into_iter().filter(|r| !shared.contains(r)) {
        triples.push(Triple { base: None, site: None, release: Some(r) });
    }
    untangle(inputs, &mut triples);
    triples
}

/// Sees to it that no two files would have one path in the result: the site's file there meets the release's file
/// there, and whatever either was paired with before counts as gone or stands on its own.
fn untangle(inputs: &Inputs<'_>, triples: &mut Vec<Triple>) {
    // Each round frees at least one path.
    for _ in 0..triples.len() {
        let mut by_path: BTreeMap<&str, Vec<usize>> = BTreeMap::new();
        for (k, triple) in triples.iter().enumerate().filter(|(_, t)| t.site.is_some() || t.release.is_some()) {
            by_path.entry(result_path(inputs, triple)).or_default().push(k);
        }
        let Some((path, group)) = by_path.into_iter().find(|(_, group)| group.len() > 1) else { return };
        let sites = |k: &usize| triples[*k].site.is_some_and(|s| inputs.site.entries()[s].path == path);
        let keeper = group.iter().copied().find(sites).unwrap_or(group[0]);
        for other in group.into_iter().filter(|k| *k != keeper) {
            let taken = triples[other].release.take();
            if taken.is_none() {
                // Two site files cannot have one path; this one goes by its name in the base.
                triples[other].site = None;
                continue;
            }
            let before = std::mem::replace(&mut triples[keeper].release, taken);
            if let Some(before) = before {
                triples.push(Triple { base: None, site: None, release: Some(before) });
            }
        }
        triples.retain(|t| t.base.is_some() || t.site.is_some() || t.release.is_some());
    }
}

fn account(inputs: &Inputs<'_>, results: Vec<FileResult>) -> Account {
    let mut account = Account {
        format: FORMAT.into(),
        format_version: FORMAT_VERSION,
        themes: inputs.themes.clone(),
        jump: None,
        totals: Totals::default(),
        changes: Vec::new(),
        decisions: Vec::new(),
        files: Vec::new(),
        vendor: Vec::new(),
        notes: inputs.vendor_notes.clone(),
        remarks: Vec::new(),
        defaults: Vec::new(),
        followed: Vec::new(),
        walk: Vec::new(),
        options: CarryOptions::default(),
        child: None,
    };
    let version = |t: &super::account::Theme| t.version.as_deref().and_then(Version::parse);
    if let (Some(base), Some(release)) = (version(&inputs.themes.base), version(&inputs.themes.release)) {
        account.jump = Some(base.jump_to(&release));
    }
    let mut folded: HashMap<String, String> = HashMap::new();
    for result in results {
        if result.in_result {
            let twin = folded.insert(result.path.to_lowercase(), result.path.clone());
            if let Some(twin) = twin {
                account.remarks.push(Remark {
                    path: result.path.clone(),
                    text: format!("differs from {twin} in case only: some systems hold just one of them"),
                });
            }
        }
        account.changes.extend(result.changes);
        account.decisions.extend(result.decisions);
        account.files.extend(result.record);
        account.vendor.extend(result.vendor);
        account.remarks.extend(result.remarks);
        account.defaults.extend(result.defaults);
        account.followed.extend(result.followed);
    }
    account.vendor.sort_by(|a, b| a.path.cmp(&b.path));
    account.totals = Totals::of(&account.changes);
    twins(&mut account, |path| folded.contains_key(&path.to_lowercase()));
    account
}

/// Points out generated twins: a minified file holds none of the changes that were carried into its source.
fn twins(account: &mut Account, is_there: impl Fn(&str) -> bool) {
    let touched: HashSet<&str> =
        account.changes.iter().map(|c| c.result_path.as_deref().unwrap_or(&c.path)).collect();
    let mut remarks = Vec::new();
    for file in account.files.iter().filter(|f| touched.contains(f.path.as_str())) {
        let Some((stem, extension)) = file.path.rsplit_once('.') else { continue };
        if !matches!(file.kind, Kind::Style | Kind::Script) || stem.ends_with(".min") {
            continue;
        }
        let twin = format!("{stem}.min.{extension}");
        // A twin that the site rebuilt itself, and that came out whole, is not in question.
        let rebuilt = touched.contains(twin.as_str()) && !account.decisions.iter().any(|d| d.path == twin);
        if is_there(&twin) && is_there(&file.path) && !rebuilt {
            let text = format!("made from {}, which has changes of the site's: rebuild it from there", file.path);
            remarks.push(Remark { path: twin, text });
        }
    }
    account.remarks.extend(remarks);
}
