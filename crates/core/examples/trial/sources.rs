//! Versions of files to make cases from.

use std::fs;
use std::path::{Path, PathBuf};

/// Two neighbouring versions of a text file that changed.
pub(crate) struct Pair {
    /// The theme and the two versions.
    pub(crate) versions: String,
    pub(crate) path: String,
    pub(crate) old: String,
    pub(crate) new: String,
}

/// Finds the pairs below a folder that holds a folder for each theme, with a folder for each version in it.
pub(crate) fn pairs(dir: &Path) -> Vec<Pair> {
    let mut out = Vec::new();
    for theme in entries(dir) {
        let mut versions = entries(&theme);
        versions.sort_by_key(|v| {
            let name = v.file_name().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default();
            name.split('.').map(|p| p.parse::<u64>().unwrap_or(0)).collect::<Vec<_>>()
        });
        for versions in versions.windows(2) {
            collect(&versions[0], &versions[1], &mut out);
        }
    }
    out.sort_by(|a, b| (&a.path, &a.old, &a.new).cmp(&(&b.path, &b.old, &b.new)));
    out
}

fn entries(dir: &Path) -> Vec<PathBuf> {
    let mut list: Vec<PathBuf> = fs::read_dir(dir).into_iter().flatten().flatten().map(|e| e.path()).collect();
    list.sort();
    list
}

fn collect(old_root: &Path, new_root: &Path, out: &mut Vec<Pair>) {
    let mut todo = vec![old_root.to_owned()];
    while let Some(at) = todo.pop() {
        if at.is_dir() {
            todo.extend(entries(&at));
            continue;
        }
        let Ok(inner) = at.strip_prefix(old_root) else { continue };
        let (Ok(old), Ok(new)) = (fs::read_to_string(&at), fs::read_to_string(new_root.join(inner))) else {
            continue;
        };
        // Mixed line ends are settled by rule, not by the case's answer.
        let (old, new) = (old.replace("\r\n", "\n"), new.replace("\r\n", "\n"));
        // Nor is a last line without its end dealt out: it would be glued to what comes next.
        let ended = |text: String| if text.ends_with('\n') { text } else { text + "\n" };
        let (old, new) = if old.is_empty() { (old, new) } else { (ended(old), ended(new)) };
        let long = old.lines().any(|l| l.len() > 2000);
        if old != new && old.len() < 200_000 && !long && !old.is_empty() {
            let versions = format!("{} {}", old_root.display(), new_root.display());
            out.push(Pair { versions, path: inner.display().to_string(), old, new });
        }
    }
}
