//! `daxle settings`: what a site set otherwise, and carrying it to another file.

use std::path::Path;

use daxle_core::settings::{Fate, MoveFault, SettingsFile, differences, is_settings_file, move_settings};
use daxle_core::theme::Kind;
use daxle_files::{Trouble, write_file};

use super::Ended;
use crate::args::{Format, Global, MoveArgs, SettingsArgs, SettingsCommand, ShowAs, ShowSettingsArgs};
use crate::config;
use crate::console::{Console, Failure};
use crate::exports::place_of_fault;
use crate::show;
use crate::themes::Site;

pub(crate) fn run(args: &SettingsArgs, global: &Global, console: &Console) -> Result<Ended, Failure> {
    match &args.what {
        SettingsCommand::Show(args) => show_differences(args, global, console),
        SettingsCommand::Move(args) => carry(args, global, console),
    }
}

fn show_differences(args: &ShowSettingsArgs, global: &Global, console: &Console) -> Result<Ended, Failure> {
    let config = config::read(global)?;
    let pair = Site::open(&args.sources, &[], &config)?.with_base(console)?;
    let (base, site) = (pair.base.tree(), pair.site.tree());
    let mut found = Vec::new();
    for (k, entry) in site.entries().iter().enumerate() {
        let Some(b) = base.find(&entry.path) else { continue };
        let theirs = &base.entries()[b];
        if entry.binary || theirs.digest == entry.digest || !is_settings_file(&entry.path) {
            continue;
        }
        let bytes = site.read(k)?;
        if config.layout.kind(&entry.path, &bytes) != Kind::Settings {
            continue;
        }
        match differences(&entry.path, &base.read(b)?, &bytes) {
            Some(list) if !list.settings.is_empty() => found.push((entry.path.clone(), list)),
            Some(_) => {}
            None => console.warn(&format!("{} cannot be read as settings on both sides", entry.path)),
        }
    }
    match (args.form, global.format) {
        (ShowAs::Table, Format::Text) => console.result(&show::settings::table(&found))?,
        (ShowAs::Table, Format::Json) => console.json(&show::settings::Report::new(&found))?,
        (ShowAs::MergePatch, _) => console.json(&show::settings::by_path(&found, |d| d.merge_patch.clone()))?,
        (ShowAs::JsonPatch, _) => {
            console.json(&show::settings::by_path(&found, |d| d.json_patch.clone().into()))?;
        }
    }
    Ok(Ended::Clean)
}

fn carry(args: &MoveArgs, global: &Global, console: &Console) -> Result<Ended, Failure> {
    let out = args.out.as_ref().unwrap_or(&args.to);
    if out.exists() && !args.replace {
        let hint = "write elsewhere with --out, or over it with --replace";
        return Err(Trouble::new(format!("{} is there already", out.display())).hint(hint).into());
    }
    let read = |path: &Path| std::fs::read(path).map_err(|e| Trouble::io("read", path, &e));
    let given = |path: &Option<std::path::PathBuf>| -> Result<Option<(String, Vec<u8>)>, Trouble> {
        path.as_deref().map(|p| Ok((p.display().to_string(), read(p)?))).transpose()
    };
    let from = (args.from.display().to_string(), read(&args.from)?);
    // A child's settings file may not be there yet.
    let to = (args.to.display().to_string(), if args.to.exists() { read(&args.to)? } else { Vec::new() });
    let (base, allowed) = (given(&args.base)?, given(&args.allowed)?);
    fn file((path, bytes): &(String, Vec<u8>)) -> SettingsFile<'_> {
        SettingsFile { path, bytes }
    }
    let moved = move_settings(file(&from), base.as_ref().map(file), file(&to), allowed.as_ref().map(file));
    let moved = moved.map_err(|fault| match fault {
        MoveFault::Unreadable(path) => {
            let all = [Some(&from), Some(&to), base.as_ref(), allowed.as_ref()];
            let bytes = all.into_iter().flatten().find(|(p, _)| *p == path).map(|(_, bytes)| bytes);
            let trouble = Trouble::new(format!("{path} is no settings file that can be read"));
            match bytes.and_then(|bytes| place_of_fault(&path, bytes)) {
                Some(place) => trouble.why(place).hint("mend it there"),
                None => trouble.hint("JSON, YAML, TOML and INI can be read, each with every key once"),
            }
        }
        MoveFault::Unwritable => Trouble::new(format!("the settings cannot be worked into {}", args.to.display()))
            .why("its format has no way to write one of the values, or its lines cannot be kept")
            .hint("write them into an empty file with --out, and join the two by hand"),
    })?;
    write_file(out, &moved.bytes)?;
    if global.format == Format::Json {
        console.json(&show::settings::MoveReport::new(out, &moved.settings))?;
    } else {
        console.result(&show::settings::moved(out, &moved.settings))?;
    }
    Ok(Ended::open_if(moved.settings.iter().any(|s| matches!(s.fate, Fate::Unfit { .. }))))
}
