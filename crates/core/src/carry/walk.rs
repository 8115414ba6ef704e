//! The areas of the site whose files came out other than they were, and why.

use std::collections::{BTreeMap, HashSet};

use globset::{GlobBuilder, GlobSet, GlobSetBuilder};
use serde::{Deserialize, Serialize};

use super::account::{Account, Source};
use crate::merge::Outcome;
use crate::theme::{Layout, Tree};

/// An area to look at before the result goes live.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Area {
    /// What people call it.
    pub name: String,
    /// Pages to look at.
    pub pages: Vec<String>,
    /// The files that changed.
    pub why: Vec<Why>,
}

/// A file of an area that is not what the site has now.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Why {
    /// The file, in the result; in the site, where it is gone.
    pub path: String,
    /// What happened to it.
    pub what: WhatHappened,
    /// How many of the site's changes in it were fitted or moved.
    pub fitted: usize,
    /// How many of them are open.
    pub open: usize,
}

/// What happened to a file between the site's copy and the result.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum WhatHappened {
    /// It is new to the site.
    New,
    /// It has other content.
    Changed,
    /// It is not there any more.
    Gone,
}

impl Why {
    /// Says why in a few words.
    pub fn words(&self) -> String {
        let mut words = match self.what {
            WhatHappened::New => "new to the site".to_string(),
            WhatHappened::Changed => "changed by the release".to_string(),
            WhatHappened::Gone => "not there any more".to_string(),
        };
        if self.fitted > 0 {
            words += &format!(", {} of the site's changes fitted into it", self.fitted);
        }
        if self.open > 0 {
            words += &format!(", {} open", self.open);
        }
        words
    }
}

/// Lists the layout's areas with files that the result has otherwise than the site.
pub fn walk(account: &Account, site: &dyn Tree, release: &dyn Tree, layout: &Layout) -> Vec<Area> {
    if layout.walk.is_empty() {
        return Vec::new();
    }
    let taken: HashSet<&str> = account.files.iter().map(|f| f.release_path.as_deref().unwrap_or(&f.path)).collect();
    let mut result: BTreeMap<&str, String> = BTreeMap::new();
    for entry in release.entries().iter().filter(|e| !taken.contains(e.path.as_str())) {
        result.insert(&entry.path, entry.digest.hex());
    }
    for file in account.files.iter().filter(|f| f.from != Source::Nowhere) {
        result.insert(&file.path, file.digest.clone().unwrap_or_default());
    }
    let mut changed: Vec<(&str, WhatHappened)> = Vec::new();
    for (path, digest) in &result {
        match site.find(path).map(|k| site.entries()[k].digest.hex()) {
            None => changed.push((path, WhatHappened::New)),
            Some(before) if before != *digest => changed.push((path, WhatHappened::Changed)),
            Some(_) => {}
        }
    }
    let gone = site.entries().iter().map(|e| e.path.as_str()).filter(|p| !result.contains_key(p));
    changed.extend(gone.map(|path| (path, WhatHappened::Gone)));
    changed.sort_by_key(|(path, _)| *path);
    let mut counts: BTreeMap<&str, (usize, usize)> = BTreeMap::new();
    for change in &account.changes {
        let count = counts.entry(change.result_path.as_deref().unwrap_or(&change.path)).or_default();
        count.0 += usize::from(matches!(change.outcome, Outcome::Fitted | Outcome::Moved));
        count.1 += usize::from(change.outcome == Outcome::Open);
    }
    let areas = layout.walk.iter().map(|area| {
        let globs = globs(&area.files);
        let here = changed.iter().filter(|(path, _)| globs.is_match(path));
        let why = here.map(|(path, what)| {
            let (fitted, open) = counts.get(path).copied().unwrap_or_default();
            Why { path: path.to_string(), what: *what, fitted, open }
        });
        Area { name: area.name.clone(), pages: area.pages.clone(), why: why.collect() }
    });
    areas.filter(|area| !area.why.is_empty()).collect()
}

/// The layout has checked that these are globs.
fn globs(list: &[String]) -> GlobSet {
    let mut set = GlobSetBuilder::new();
    for glob in list.iter().filter_map(|g| GlobBuilder::new(g).literal_separator(true).build().ok()) {
        set.add(glob);
    }
    set.build().unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn reasons_read_as_sentences() {
        let why = |what, fitted, open| Why { path: "x".into(), what, fitted, open }.words();
        assert_eq!(why(WhatHappened::New, 0, 0), "new to the site");
        assert_eq!(why(WhatHappened::Gone, 0, 1), "not there any more, 1 open");
        assert_eq!(
            why(WhatHappened::Changed, 2, 1),
            "changed by the release, 2 of the site's changes fitted into it, 1 open"
        );
    }
}
