//! Whole themes, in memory: what becomes of files and changes, and whether the proof notices faults.
//!
//! * `files`: pairing, renames, deletions, additions, collisions
//! * `across`: changes that follow a stretch into another file
//! * `laws`: what must hold for any three themes
//! * `proof`: accounts against results, right and with seeded faults
//! * `onward`: changes of the release at lines that the site put elsewhere
//! * `separate`: change sets and child themes, and that they give the site back
//! * `settings`: defaults, moved keys, what a release allows
//! * `settle`: answers to decisions
//! * `survey`: what a survey finds, and what a proof accepts
//! * `through`: steps through intermediate releases
//! * `lines`: YAML, TOML and INI, case by case
//! * `values`: settings dealt out, whatever the format
//! * `said`: no word of either side is lost, in settings and in whole themes
//! * `words`: languages of the site's own, compiled catalogs
//! * `keyed`: settings by key and catalogs by entry, dealt out and brought together again

mod across;
mod files;
mod keyed;
mod laws;
mod lines;
mod onward;
mod proof;
mod proved;
mod said;
mod separate;
mod settings;
mod settle;
mod survey;
mod through;
mod values;
mod words;

use std::collections::BTreeMap;
use std::sync::Mutex;

use daxle_core::carry::account::{Account, Theme, Themes};
use daxle_core::carry::{CarryOptions, Content, Inputs, Sink, carry};
use daxle_core::merge::Outcome;
use daxle_core::theme::{Layout, MemoryTree, ReadError, Tree};

pub(crate) type Files = Vec<(String, String)>;

/// A theme from paths and texts.
pub(crate) fn theme(files: &[(&str, &str)]) -> Files {
    files.iter().map(|(p, t)| (p.to_string(), t.to_string())).collect()
}

/// What a carry gave.
pub(crate) struct Carried {
    pub(crate) account: Account,
    pub(crate) files: BTreeMap<String, String>,
    pub(crate) aside: BTreeMap<String, String>,
}

#[derive(Default)]
pub(crate) struct Collect {
    files: Mutex<BTreeMap<String, Content>>,
    aside: Mutex<BTreeMap<String, Content>>,
}

impl Sink for Collect {
    fn put(&self, path: &str, content: &Content) -> Result<(), ReadError> {
        self.files.lock().unwrap().insert(path.to_string(), content.clone());
        Ok(())
    }

    fn put_aside(&self, path: &str, content: &Content) -> Result<(), ReadError> {
        self.aside.lock().unwrap().insert(path.to_string(), content.clone());
        Ok(())
    }
}

pub(crate) fn run(base: &Files, site: &Files, release: &Files, options: CarryOptions) -> Carried {
    let tree = |f: &Files| MemoryTree::new(f.clone());
    let (base, site, release) = (tree(base), tree(site), tree(release));
    let named = |version: &str| Theme { version: Some(version.to_string()), ..Theme::default() };
    let layout = Layout::default();
    let inputs = Inputs {
        themes: Themes { base: named("1.0"), site: named("1.0"), release: named("2.0") },
        ..Inputs::new([&base, &site, &release], &layout)
    };
    let sink = Collect::default();
    let account = carry(&inputs, &options, &sink).expect("a carry in memory");
    assert!(account.totals.adds_up(), "{:?}", account.totals);
    let texts = |list| texts_of(list, &site, &release);
    Carried { account, files: texts(sink.files), aside: texts(sink.aside) }
}

/// The texts of collected files.
pub(crate) fn texts_of(
    list: Mutex<BTreeMap<String, Content>>,
    site: &MemoryTree,
    release: &MemoryTree,
) -> BTreeMap<String, String> {
    let bytes = |content: Content| match content {
        Content::Release(k) => release.read(k).unwrap(),
        Content::Site(k) => site.read(k).unwrap(),
        Content::Merged(bytes, _) => bytes,
    };
    let list = list.into_inner().unwrap();
    list.into_iter().map(|(p, c)| (p, String::from_utf8_lossy(&bytes(c)).into_owned())).collect()
}

pub(crate) fn carried(base: &[(&str, &str)], site: &[(&str, &str)], release: &[(&str, &str)]) -> Carried {
    run(&theme(base), &theme(site), &theme(release), CarryOptions::default())
}

impl Carried {
    /// Path and outcome of every change.
    pub(crate) fn outcomes(&self) -> Vec<(&str, Outcome)> {
        self.account.changes.iter().map(|c| (c.path.as_str(), c.outcome)).collect()
    }

    pub(crate) fn paths(&self) -> Vec<&str> {
        self.files.keys().map(String::as_str).collect()
    }
}
