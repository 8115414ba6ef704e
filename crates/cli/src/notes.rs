//! Notes on changes: kept beside the site, in a file that people can read and put under version control.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use daxle_core::carry::account::{Account, Lines};
use daxle_core::changes::{Change, ChangeId, Survey, What, survey};
use daxle_core::theme::{Layout, Tree};
use daxle_files::{Trouble, write_file};
use toml_edit::{Array, ArrayOfTables, DocumentMut, Item, Table, value};

use crate::config::Config;
use crate::console::Failure;

/// The name of the file.
const NAME: &str = "daxle-notes.toml";
const HEAD: &str = "# Why this site changed what it changed. Kept by `daxle note`; it may be edited by hand.\n";

/// The notes of a site.
pub(crate) struct Notes {
    path: PathBuf,
    /// The file does not exist yet.
    fresh: bool,
    document: DocumentMut,
}

/// One note.
pub(crate) struct Note {
    pub(crate) ids: Vec<String>,
    pub(crate) path: String,
    pub(crate) about: String,
    pub(crate) why: String,
}

impl Notes {
    /// Reads the notes beside the configuration, or beside the site's folder; none yet is no error.
    pub(crate) fn read(config: &Config, site: &Path) -> Result<Self, Trouble> {
        let beside = || site.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new(".")).to_path_buf();
        let path = config.folder.clone().unwrap_or_else(beside).join(NAME);
        let (text, fresh) = match std::fs::read_to_string(&path) {
            Ok(text) => (text, false),
            Err(e) if e.kind() == std::io::ErrorKind::NotFound => (String::new(), true),
            Err(e) => return Err(Trouble::io("read the notes", &path, &e)),
        };
        let document = text.parse::<DocumentMut>().map_err(|e| {
            let before = &text[..e.span().map_or(0, |s| s.start).min(text.len())];
            Trouble::new(format!("{} has a mistake", path.display()))
                .why(format!("line {}: {}", before.matches('\n').count() + 1, e.message().replace('\n', ", ")))
                .hint("mend it there")
        })?;
        let fits = document.iter().all(|(key, item)| key == "note" && item.is_array_of_tables());
        if !fits {
            return Err(Trouble::new(format!("{} has a mistake", path.display()))
                .why("it may hold [[note]] tables only")
                .hint("mend it there"));
        }
        Ok(Notes { path, fresh, document })
    }

    pub(crate) fn path(&self) -> &Path {
        &self.path
    }

    fn tables(&self) -> impl Iterator<Item = &Table> {
        self.document.get("note").and_then(Item::as_array_of_tables).into_iter().flat_map(ArrayOfTables::iter)
    }

    /// All notes, in the order of the file.
    pub(crate) fn list(&self) -> Vec<Note> {
        let text = |t: &Table, key: &str| t.get(key).and_then(Item::as_str).unwrap_or_default().to_string();
        let note =
            |t: &Table| Note { ids: ids(t), path: text(t, "path"), about: text(t, "about"), why: text(t, "why") };
        self.tables().map(note).collect()
    }

    /// The notes by change.
    pub(crate) fn by_change(&self) -> BTreeMap<ChangeId, String> {
        self.list()
            .into_iter()
            .flat_map(|n| n.ids.into_iter().map(move |id| (ChangeId(id), n.why.clone())))
            .collect()
    }

    /// Gives a change a note, in place of an older one; an empty one takes it away.
    pub(crate) fn set(&mut self, change: &Change, why: &str) {
        let list = self.document.entry("note").or_insert(Item::ArrayOfTables(ArrayOfTables::new()));
        let Some(list) = list.as_array_of_tables_mut() else { return };
        let at = list.iter().position(|t| ids(t).contains(&change.id.0));
        match (at, why.is_empty()) {
            (Some(at), true) => {
                list.remove(at);
            }
            (Some(at), false) => {
                if let Some(table) = list.get_mut(at) {
                    table["why"] = value(why);
                }
            }
            (None, true) => {}
            (None, false) => {
                let mut table = Table::new();
                table["change"] = value(Array::from_iter([change.id.0.as_str()]));
                table["path"] = value(change.path.as_str());
                table["about"] = value(about(change));
                table["why"] = value(why);
                list.push(table);
            }
        }
        if list.is_empty() {
            self.document.remove("note");
        }
    }

    /// Lets the notes follow their changes into a carried theme, where their ids are others.
    pub(crate) fn follow(
        &mut self,
        account: &Account,
        release: &dyn Tree,
        result: &dyn Tree,
        layout: &Layout,
    ) -> Result<bool, Failure> {
        let found = survey(release, result, layout)?;
        let mut any = false;
        let Some(list) = self.document.get_mut("note").and_then(Item::as_array_of_tables_mut) else {
            return Ok(false);
        };
        for table in list.iter_mut() {
            let known = ids(table);
            let mut new: Vec<String> = account
                .changes
                .iter()
                .filter(|c| known.contains(&c.id.0))
                .filter_map(|c| successor(&found, c.result_path.as_deref().unwrap_or(&c.path), c.what, c.result))
                .filter(|id| !known.contains(id))
                .collect();
            new.sort();
            new.dedup();
            any |= !new.is_empty();
            table["change"] = value(known.iter().chain(&new).map(String::as_str).collect::<Array>());
        }
        Ok(any)
    }

    /// Writes the notes.
    pub(crate) fn save(&self) -> Result<(), Trouble> {
        let head = if self.fresh { HEAD } else { "" };
        write_file(&self.path, format!("{head}{}", self.document).as_bytes())
    }
}

fn ids(table: &Table) -> Vec<String> {
    match table.get("change").and_then(Item::as_value) {
        Some(toml_edit::Value::String(id)) => vec![id.value().clone()],
        Some(toml_edit::Value::Array(list)) => list.iter().filter_map(|v| v.as_str()).map(String::from).collect(),
        _ => Vec::new(),
    }
}

/// What a change is, in a few words, for a reader of the file.
fn about(change: &Change) -> String {
    let text = if change.added.is_empty() { &change.removed } else { &change.added };
    let text = String::from_utf8_lossy(text);
    let first = text.lines().map(str::trim).find(|l| !l.is_empty()).unwrap_or_default();
    let short: String = first.chars().take(80).collect();
    match change.what {
        What::Edited if change.added.is_empty() => format!("took out: {short}"),
        What::Edited => short,
        other => format!("file {}", other.word()),
    }
}

/// The change of a carried theme that stands where a change came to stand.
fn successor(found: &Survey, path: &str, what: What, result: Option<Lines>) -> Option<String> {
    let file = found.files.iter().find(|f| f.path == path)?;
    let here = |c: &&Change| match (what, &c.site, result) {
        (What::Edited, Some(lines), Some(at)) => {
            let at = at.range();
            lines.start < at.end.max(at.start + 1) && at.start < lines.end.max(lines.start + 1)
        }
        _ => c.what == what,
    };
    file.changes.iter().find(here).map(|c| c.id.0.clone())
}
