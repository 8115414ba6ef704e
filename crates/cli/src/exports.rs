//! Settings exported from a running site, in place of the file in its theme.

use std::path::{Path, PathBuf};

use daxle_core::carry::account::{Account, StandIn};
use daxle_core::carry::well_formed;
use daxle_core::settings::{SettingsFile, is_settings_file, laid_over, overlap};
use daxle_core::theme::{Kind, Layout, MemoryTree, Tree};
use daxle_files::{OpenOptions, Trouble, copy_theme, open_theme, write_file};

use crate::themes::{Source, relative};

/// An export that stands in for a file of the site's.
#[derive(Debug, Clone)]
pub(crate) struct Export {
    /// The file in the theme.
    pub(crate) path: String,
    file: PathBuf,
    /// The digest of the theme's own file.
    digest: String,
}

/// Lays exports over the site's files. Each is a file, or `PATH=FILE` to say what it stands in for.
pub(crate) fn exchange(site: Source, given: &[String], layout: &Layout) -> Result<(Source, Vec<Export>), Trouble> {
    if given.is_empty() {
        return Ok((site, Vec::new()));
    }
    let mut files = Vec::new();
    let mut exports = Vec::new();
    for word in given {
        let (path, file) = match word.split_once('=').filter(|_| !Path::new(word).exists()) {
            Some((path, file)) => (Some(path), Path::new(file)),
            None => (None, Path::new(word.as_str())),
        };
        let bytes = std::fs::read(file).map_err(|e| Trouble::io("read", file, &e))?;
        let name = file.file_name().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default();
        let export = SettingsFile { path: &name, bytes: &bytes };
        let tree = site.tree();
        let path = path.map_or_else(|| meant(tree, export), |p| Ok(p.to_string()));
        let path = path.map_err(|why| {
            Trouble::new(format!("it is not clear which file {} stands in for", file.display()))
                .why(why)
                .hint("say so: --settings PATH=FILE, with the path in the theme")
        })?;
        let index = tree.find(&path).ok_or_else(|| {
            Trouble::new(format!("the site's theme has no {path}")).hint("name a settings file of it: PATH=FILE")
        })?;
        let own = tree.read(index).map_err(|e| Trouble::new(e.to_string()))?;
        let laid = laid_over(SettingsFile { path: &path, bytes: &own }, export).ok_or_else(|| {
            let fault = place_of_fault(&name, &bytes).map(|place| format!("{}: {place}", file.display()));
            let fault = fault.or_else(|| Some(format!("{path}: {}", place_of_fault(&path, &own)?)));
            let other = || "one of them is in no known format, or holds what the other's format cannot".to_string();
            Trouble::new(format!("{} cannot be laid over {path}", file.display()))
                .why(fault.unwrap_or_else(other))
                .hint("export it as JSON, YAML, TOML or INI")
        })?;
        exports.push(Export {
            path: path.clone(),
            file: file.to_path_buf(),
            digest: tree.entries()[index].digest.hex(),
        });
        files.push((path, laid));
    }
    let exchanged = match site {
        Source::File(tree) => {
            let path = tree.entries()[0].path.clone();
            let bytes = files.into_iter().find(|(p, _)| *p == path).map(|(_, b)| b).unwrap_or_default();
            Source::File(MemoryTree::new([(path, bytes)]))
        }
        Source::Theme(opened) => {
            let dir = tempfile::Builder::new().prefix("daxle-").tempdir();
            let dir = dir.map_err(|e| Trouble::io("make a folder in", &std::env::temp_dir(), &e))?;
            copy_theme(&opened.tree, dir.path(), &|_| true)?;
            for (path, bytes) in &files {
                write_file(&dir.path().join(path), bytes)?;
            }
            let mut exchanged = open_theme(dir.path(), layout, &OpenOptions::default())?;
            exchanged.folder_name.clone_from(&opened.folder_name);
            exchanged.inside.clone_from(&opened.inside);
            exchanged.hold(dir);
            Source::Theme(Box::new(exchanged))
        }
    };
    Ok((exchanged, exports))
}

/// Where a settings file is not well-formed, and what is wrong there.
pub(crate) fn place_of_fault(path: &str, bytes: &[u8]) -> Option<String> {
    let (line, what) = well_formed(path, Kind::Settings, bytes)?;
    Some(format!("line {line}: {what}"))
}

/// The settings file that has the most of an export's keys.
fn meant(tree: &dyn Tree, export: SettingsFile<'_>) -> Result<String, String> {
    let mut found: Vec<(usize, &str)> = Vec::new();
    let mut all = 0;
    for (k, entry) in tree.entries().iter().enumerate().filter(|(_, e)| is_settings_file(&e.path) && !e.binary) {
        let Ok(bytes) = tree.read(k) else { continue };
        if let Some((shared, of)) = overlap(SettingsFile { path: &entry.path, bytes: &bytes }, export) {
            all = of;
            found.push((shared, &entry.path));
        }
    }
    found.sort_by_key(|(shared, path)| (std::cmp::Reverse(*shared), *path));
    match &found[..] {
        [(most, path), rest @ ..] if 2 * most > all && rest.first().is_none_or(|(next, _)| next < most) => {
            Ok((*path).to_string())
        }
        [(most, path), (next, other), ..] if most == next && 2 * most > all => {
            Err(format!("{path} and {other} have as many of its keys"))
        }
        _ => Err("no settings file of the theme has most of its keys".into()),
    }
}

/// Notes exports in an account: where they lie, and that the files on the site's disk are other ones.
pub(crate) fn record(account: &mut Account, exports: &[Export], account_path: &Path) {
    for export in exports {
        let source = relative(&export.file, account_path);
        account.themes.site.settings.push(StandIn { path: export.path.clone(), source });
        let mine = |f: &&mut daxle_core::carry::account::FileRecord| {
            f.site_path.as_deref().unwrap_or(&f.path) == export.path
        };
        if let Some(file) = account.files.iter_mut().find(mine) {
            file.site_digest = Some(export.digest.clone());
        }
    }
}

/// The exports that an account names, as they are given.
pub(crate) fn recorded(stand_ins: &[StandIn], account_path: &Path) -> Vec<String> {
    let folder = account_path.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
    stand_ins.iter().map(|s| format!("{}={}", s.path, folder.join(&s.source).display())).collect()
}
