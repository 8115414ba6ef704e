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

#[cfg(test)]
mod tests {
    use super::*;
    use crate::theme::{Digest, MemoryTree};

    #[test]
    fn what_changed_since_is_told_by_account_and_base() {
        let base = MemoryTree::new([("kept.txt", "1"), ("edited.txt", "1"), ("gone.txt", "1"), ("cache/x", "1")]);
        let theme = serde_json::json!({"source": "", "title": null, "name": null, "version": null, "files": 0});
        let file = |path: &str, site: Option<&str>| {
            serde_json::json!({
                "path": path, "kind": "other", "from": "merged", "digest": null,
                "site_digest": site.map(|s| Digest::of(s.as_bytes()).hex()),
            })
        };
        let account: Account = serde_json::from_value(serde_json::json!({
            "format": "daxle-account", "format_version": 1, "jump": null,
            "themes": {"base": theme, "site": theme, "release": theme},
            "totals": {"changes": 0, "kept": 0, "fitted": 0, "moved": 0, "already": 0, "open": 0, "dropped": 0},
            "changes": [], "decisions": [], "vendor": [],
            "files": [file("edited.txt", Some("2")), file("gone.txt", None), file("own.txt", Some("3"))],
        }))
        .unwrap();
        let of = |files: &[(&str, &str)]| {
            let live = MemoryTree::new(files.iter().map(|(p, t)| (p.to_string(), t.to_string())));
            drift(&account, &base, &live, |path| path.starts_with("cache/"))
        };
        assert_eq!(of(&[("kept.txt", "1"), ("edited.txt", "2"), ("own.txt", "3"), ("cache/new", "9")]), []);
        let found = of(&[("kept.txt", "9"), ("edited.txt", "1"), ("gone.txt", "1")]);
        let words: Vec<(&str, &str)> = found.iter().map(|(p, d)| (p.as_str(), d.word())).collect();
        assert_eq!(
            words,
            [("edited.txt", "changed"), ("gone.txt", "added"), ("kept.txt", "changed"), ("own.txt", "removed")]
        );
    }
}
