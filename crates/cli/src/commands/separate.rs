//! `daxle separate`: the site's changes in a form that lives on its own, and the proof of it.

use std::path::{Path, PathBuf};

use daxle_core::carry::account::Theme;
use daxle_core::carry::{Content, Sink};
use daxle_core::changes::survey;
use daxle_core::child::{NewChild, name_fault, new_child};
use daxle_core::separate::changeset::{self, Part};
use daxle_core::separate::child::{self, Piece};
use daxle_core::theme::Tree;
use daxle_files::{Building, FolderTree, Opened, Trouble, write_file};
use serde::{Deserialize, Serialize};

use super::Ended;
use crate::args::{CarriedArgs, Format, Global, SeparateArgs, SeparateForm};
use crate::carried::beside;
use crate::changesets::{self, OVERLAY, Overlay};
use crate::config::{self, Config};
use crate::console::{Console, Failure};
use crate::notes::Notes;
use crate::show;
use crate::themes::{self, Opening, Site, Source};

/// What stands beside a separation, for its proof.
#[derive(Debug, Serialize, Deserialize)]
pub(crate) struct Record {
    pub(crate) format: String,
    pub(crate) format_version: u32,
    pub(crate) form: String,
    pub(crate) base: Theme,
    pub(crate) site: Theme,
    /// Files that are the child's own.
    pub(crate) own: Vec<String>,
    /// What a child cannot express.
    pub(crate) unsaid: Vec<Said>,
    /// What is worth a look.
    pub(crate) remarks: Vec<Said>,
    pub(crate) files: usize,
}

/// Something about a file.
#[derive(Debug, Serialize, Deserialize)]
pub(crate) struct Said {
    pub(crate) path: String,
    pub(crate) what: String,
}

const FORMAT: &str = "daxle-separation";

pub(crate) fn run(args: &SeparateArgs, global: &Global, console: &Console) -> Result<Ended, Failure> {
    let config = config::read(global)?;
    let pair = Site::open(&args.sources, &[], &config)?.with_base(console)?;
    let (Source::Theme(base), Source::Theme(site)) = (&pair.base, &pair.site) else {
        return Err(Trouble::new("a single file is separated by a diff: `daxle survey --show`").into());
    };
    let record_path = beside(&args.into, "separation.json");
    let relative = |path: &Path| themes::relative(path, &record_path);
    let mut record = Record {
        format: FORMAT.into(),
        format_version: 1,
        form: String::new(),
        base: pair.base.describe(relative(&pair.base_at)),
        site: pair.site.describe(relative(&args.sources.site)),
        own: Vec::new(),
        unsaid: Vec::new(),
        remarks: Vec::new(),
        files: 0,
    };
    match args.form {
        SeparateForm::Changes => {
            record.form = "changes".into();
            record.files = write_changes(&args.into, base, &site.tree, &args.sources.site, &record, &config)?;
        }
        SeparateForm::Overlay => {
            record.form = "overlay".into();
            record.files = write_overlay(&args.into, &base.tree, &site.tree, &record)?;
        }
        SeparateForm::Child => {
            record.form = "child".into();
            write_child(args, base, &site.tree, &config, &mut record)?;
        }
    }
    let mut text = serde_json::to_vec_pretty(&record).map_err(std::io::Error::other)?;
    text.push(b'\n');
    write_file(&record_path, &text)?;
    if global.format == Format::Json {
        console.json(&record)?;
    } else {
        console.result(&show::separate::text(&record, &args.into))?;
    }
    Ok(Ended::Clean)
}

fn write_changes(
    into: &Path,
    base: &Opened,
    site: &FolderTree,
    site_at: &Path,
    record: &Record,
    config: &Config,
) -> Result<usize, Failure> {
    let found = survey(&base.tree, site, &config.layout)?;
    let notes = Notes::read(config, site_at)?.by_change();
    let themes = [record.base.clone(), record.site.clone()];
    let parts = changeset::separate(&base.tree, site, &found, themes, &notes, &config.layout)?;
    let building = Building::begin(into, &beside(into, "aside"), false, site, &base.tree)?;
    for (path, part) in &parts {
        let content = match part {
            Part::Bytes(bytes) => Content::Merged(bytes.clone(), None),
            Part::SiteFile(k) => Content::Site(*k),
        };
        building.put(path, &content)?;
    }
    building.finish()?;
    Ok(parts.len())
}

fn write_overlay(into: &Path, base: &FolderTree, site: &FolderTree, record: &Record) -> Result<usize, Failure> {
    let building = Building::begin(into, &beside(into, "aside"), false, site, base)?;
    let mut count = 0;
    for (k, entry) in site.entries().iter().enumerate() {
        if base.find(&entry.path).is_none_or(|b| base.entries()[b].digest != entry.digest) {
            building.put(&entry.path, &Content::Site(k))?;
            count += 1;
        }
    }
    building.finish()?;
    let gone = base.entries().iter().filter(|e| site.find(&e.path).is_none());
    let overlay = Overlay {
        format: OVERLAY.into(),
        format_version: 1,
        base: record.base.label(),
        deleted: gone.map(|e| e.path.clone()).collect(),
    };
    let text = serde_json::to_vec_pretty(&overlay).map_err(std::io::Error::other)?;
    write_file(&beside(into, "overlay.json"), &text)?;
    Ok(count)
}

fn write_child(
    args: &SeparateArgs,
    base: &Opened,
    site: &FolderTree,
    config: &Config,
    record: &mut Record,
) -> Result<(), Failure> {
    let parent = base.identity.name.clone().unwrap_or_else(|| base.folder_name.clone());
    let name = args.name.clone().unwrap_or_else(|| format!("{parent}-child"));
    if let Some(why) = name_fault(&name) {
        return Err(Trouble::new(format!("{name:?} is no name for a child theme")).why(why).into());
    }
    let reader = themes::reader_of(&base.tree, &config.layout);
    let split = child::separate(&base.tree, site, &config.layout, Some(&reader.file), args.explain)?;
    let spec = NewChild {
        title: format!("{} child", base.identity.title.as_deref().unwrap_or(&parent)),
        name,
        version: "1.0.0".into(),
        parent,
        parent_version: base.identity.version.clone(),
        ..NewChild::default()
    };
    let mut card = new_child(&spec, &reader, &config.layout);
    card.retain(|path, _| *path == reader.file);
    let building = Building::begin(&args.into, &beside(&args.into, "aside"), false, site, &base.tree)?;
    for (path, bytes) in card {
        building.put(&path, &Content::Merged(bytes, None))?;
        record.own.push(path);
    }
    for (path, piece) in &split.child {
        let content = match piece {
            Piece::Bytes(bytes) => Content::Merged(bytes.clone(), None),
            Piece::SiteFile(k) => Content::Site(*k),
        };
        building.put(path, &content)?;
    }
    // What the child cannot express is a change set on the parent.
    let rest = beside(&args.into, "rest");
    if !split.beneath.is_empty() {
        let dir = tempfile::tempdir().map_err(|e| Trouble::io("make a folder in", &std::env::temp_dir(), &e))?;
        daxle_files::copy_theme(&base.tree, dir.path(), &|path| !split.beneath.contains_key(path))?;
        for (path, bytes) in &split.beneath {
            if let Some(bytes) = bytes {
                write_file(&dir.path().join(path), bytes)?;
            }
        }
        let bounds = &args.sources.bounds;
        let beneath = FolderTree::read(dir.path(), bounds.link_rule(), bounds.limits())?;
        write_changes(&rest, base, &beneath, &args.sources.site, record, config)?;
    }
    building.finish()?;
    let said = |list: Vec<(String, String)>| list.into_iter().map(|(path, what)| Said { path, what }).collect();
    record.files = split.child.len() + record.own.len();
    record.unsaid = said(split.unsaid);
    record.remarks = said(split.remarks);
    Ok(())
}

/// Where the record of a separation is, if there is one.
pub(crate) fn record_of(args: &CarriedArgs) -> Option<PathBuf> {
    let path = beside(&args.dir, "separation.json");
    (args.account.is_none() && path.is_file() && !beside(&args.dir, "account.json").exists()).then_some(path)
}

/// Proves a separation: base and what was separated come to the site.
pub(crate) fn verify(
    args: &CarriedArgs,
    path: &Path,
    global: &Global,
    console: &Console,
) -> Result<Ended, Failure> {
    let config = config::read_for(global, &args.dir)?;
    let text = std::fs::read(path).map_err(|e| Trouble::io("read", path, &e))?;
    let record: Record = serde_json::from_slice(&text)
        .map_err(|e| Trouble::new(format!("{} is no separation", path.display())).why(e.to_string()))?;
    let folder = path.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let open = |role: &str, theme: &Theme, given: Option<&PathBuf>| -> Result<Box<Opened>, Failure> {
        let at = given.cloned().unwrap_or_else(|| folder.join(&theme.source));
        if !at.exists() {
            return Err(Trouble::new(format!("the {role} is no longer at {}", at.display()))
                .hint(format!("say where it is now with --{role}"))
                .into());
        }
        let opening = Opening { layout: &config.layout, bounds: &args.bounds, inside: theme.inside.as_deref() };
        match opening.open(&at, None, None)? {
            Source::Theme(opened) => Ok(opened),
            Source::File(_) => Err(Trouble::new(format!("{} is no theme", at.display())).into()),
        }
    };
    let base = open("base", &record.base, args.base.as_ref())?;
    let site = open("site", &record.site, args.site.as_ref())?;
    let read = |dir: &Path| FolderTree::read(dir, args.bounds.link_rule(), args.bounds.limits());
    let say = |text: &str| console.say(text);
    let found = if record.form == "child" {
        let rest = beside(&args.dir, "rest");
        let beneath = if rest.is_dir() { Some(changesets::put_together(&rest, &base.tree, &say)?) } else { None };
        let parent = beneath.as_ref().map(|dir| read(dir.path())).transpose()?;
        let child = read(&args.dir)?;
        let own: Vec<&str> = record.own.iter().map(String::as_str).collect();
        child::differences(parent.as_ref().unwrap_or(&base.tree), &child, &site.tree, &config.layout, &own)?
    } else {
        let dir = changesets::put_together(&args.dir, &base.tree, &say)?;
        apart(&read(dir.path())?, &site.tree)
    };
    if global.format == Format::Json {
        console.json(&show::separate::Proved::new(&record, &found))?;
    } else {
        console.result(&show::separate::proved(&record, &args.dir, &found))?;
    }
    Ok(Ended::open_if(!found.is_empty()))
}

/// The files in which two themes differ.
fn apart(made: &FolderTree, site: &FolderTree) -> Vec<(String, String)> {
    let mut out = Vec::new();
    for entry in site.entries() {
        match made.find(&entry.path) {
            None => out.push((entry.path.clone(), "it is lacking".to_string())),
            Some(k) if made.entries()[k].digest != entry.digest => {
                out.push((entry.path.clone(), "it comes out other than the site's".to_string()));
            }
            Some(_) => {}
        }
    }
    let more = made.entries().iter().filter(|e| site.find(&e.path).is_none());
    out.extend(more.map(|e| (e.path.clone(), "the site does not have it".to_string())));
    out
}
