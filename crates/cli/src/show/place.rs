//! Placing, going back and sweeping as text.

use std::fmt::Write;
use std::path::Path;

use daxle_core::carry::Drift;
use daxle_core::theme::Tree;
use daxle_files::{FolderTree, OldCopy, Placed};

use super::{count, size_words, style};
use crate::console::harmless;

/// Files are listed up to here.
const LISTED: usize = 20;

/// What changed in the live theme since.
pub(crate) fn drift(drifted: &[(String, Drift)]) -> String {
    let mut out = String::new();
    for (path, drift) in drifted.iter().take(LISTED) {
        let _ = writeln!(out, "  {:<8} {}", drift.word(), harmless(path));
    }
    if drifted.len() > LISTED {
        let _ = writeln!(out, "  … {}", count(drifted.len() - LISTED, "more file"));
    }
    out
}

/// What a placement would stop at.
pub(crate) fn refused(live: &Path, against: &[(String, String)], drifted: &[(String, Drift)]) -> String {
    let (t, e, f) = (style::TITLE, style::ERROR, style::FAINT);
    let mut out = String::new();
    let _ = writeln!(out, "{t}Would not be placed{t:#} at {}\n", live.display());
    for (what, hint) in against {
        let _ = writeln!(out, "  {e}{what}{e:#}\n      {f}{hint}{f:#}");
    }
    if !drifted.is_empty() {
        let _ = write!(out, "\n{}", drift(drifted));
    }
    out
}

/// What a placement would do.
pub(crate) fn would(
    live: &Path,
    from: &Path,
    new: &FolderTree,
    old: &FolderTree,
    archive: Option<&Path>,
) -> String {
    let (mut added, mut changed) = (0, 0);
    for entry in new.entries() {
        match old.find(&entry.path) {
            None => added += 1,
            Some(k) if old.entries()[k].digest != entry.digest => changed += 1,
            Some(_) => {}
        }
    }
    let removed = old.entries().iter().filter(|e| new.find(&e.path).is_none()).count();
    let kept = match archive {
        Some(archive) => archive.display().to_string(),
        None => "a folder beside it".into(),
    };
    let t = style::TITLE;
    format!(
        "{t}Would place{t:#} {} at {}\n\n  {added} new, {changed} changed, {removed} not in it any more\n  \
         the old copy would be kept in {kept}\n",
        from.display(),
        live.display()
    )
}

/// What was done; `back` for a rollback.
pub(crate) fn done(live: &Path, what: &str, placed: &Placed, back: bool) -> String {
    let (t, f, w) = (style::TITLE, style::FAINT, style::WARNING);
    let mut out = format!("{t}Done:{t:#} {what} at {}\n\n", live.display());
    let _ = writeln!(out, "  the old copy is in {}", placed.kept.display());
    if placed.owned > 0 {
        let _ = writeln!(out, "  {} of the site's own came along", count(placed.owned, "file"));
    }
    if placed.owner_lost > 0 {
        let lost = count(placed.owner_lost, "file");
        let _ = writeln!(
            out,
            "  {w}{lost} could not keep the owner{w:#}: give it to them as the system's administrator"
        );
    }
    let copy = placed.kept.file_name().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default();
    let to = if back { format!(" --to {copy}") } else { String::new() };
    let _ = writeln!(out, "  {f}to go back: daxle rollback --at {}{to}{f:#}", live.display());
    out
}

/// The old copies.
pub(crate) fn copies(live: &Path, gone: &[&OldCopy], kept: &[&OldCopy], dry_run: bool) -> String {
    let (t, g, f) = (style::TITLE, style::GOOD, style::FAINT);
    let mut out = String::new();
    let line = |out: &mut String, copy: &OldCopy| {
        let next = if copy.next { format!("  {g}a rollback goes here{g:#}") } else { String::new() };
        let by = copy.replaced_by.as_deref().map(|by| format!("  {f}replaced by {}{f:#}", harmless(by)));
        let size = size_words(copy.bytes);
        let _ = writeln!(out, "  {}  {size:>10}{}{next}", copy.name, by.unwrap_or_default());
    };
    if !gone.is_empty() {
        let _ = writeln!(out, "{t}{}{t:#}", if dry_run { "Would be removed" } else { "Removed" });
        gone.iter().for_each(|copy| line(&mut out, copy));
        out.push('\n');
    }
    let _ = writeln!(out, "{t}Old copies{t:#} of {}", live.display());
    if kept.is_empty() {
        let _ = writeln!(out, "  none");
    }
    kept.iter().for_each(|copy| line(&mut out, copy));
    if gone.is_empty() && !kept.is_empty() {
        let _ = writeln!(out, "\n  {f}remove some with --remove COPY, or all but the newest N with --keep N{f:#}");
    }
    out
}
