//! Whether a live theme is still the copy that a carry started from.

use std::collections::{BTreeMap, HashSet};

use serde::{Deserialize, Serialize};

use super::account::Account;
use crate::theme::Tree;

/// What happened to a file since.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Drift {
    /// It has other content.
    Changed,
    /// It is new.
    Added,
    /// It is gone.
    Removed,
}

impl Drift {
    /// Returns the word for it.
    pub fn word(self) -> &'static str {
        match self {
            Drift::Changed => "changed",
            Drift::Added => "added",
            Drift::Removed => "removed",
        }
    }
}

/// Lists how a live theme differs from the site's copy as the carry read it: by the account where the site had touched a
/// file, by the base where it had not. `owned` names what is no part of the theme.
pub fn drift(
    account: &Account,
    base: &dyn Tree,
    live: &dyn Tree,
    owned: impl Fn(&str) -> bool,
) -> Vec<(String, Drift)> {
    let touched: HashSet<&str> = account.files.iter().map(|f| f.base_path.as_deref().unwrap_or(&f.path)).collect();
    let mut expected: BTreeMap<&str, String> = BTreeMap::new();
    for entry in base.entries().iter().filter(|e| !touched.contains(e.path.as_str())) {
        expected.insert(&entry.path, entry.digest.hex());
    }
    for file in &account.files {
        if let Some(digest) = &file.site_digest {
            expected.insert(file.site_path.as_deref().unwrap_or(&file.path), digest.clone());
        }
    }
    let mut out: BTreeMap<String, Drift> = BTreeMap::new();
    for entry in live.entries().iter().filter(|e| !owned(&e.path)) {
        match expected.remove(entry.path.as_str()) {
            Some(digest) if digest == entry.digest.hex() => {}
            Some(_) => _ = out.insert(entry.path.clone(), Drift::Changed),
            None => _ = out.insert(entry.path.clone(), Drift::Added),
        }
    }
    let gone = expected.into_keys().filter(|path| !owned(path));
    out.extend(gone.map(|path| (path.to_string(), Drift::Removed)));
    out.into_iter().collect()
}
