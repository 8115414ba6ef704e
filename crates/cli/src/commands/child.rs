//! `daxle child`: looking after a child theme.

use std::io::{IsTerminal, Write};
use std::path::{Path, PathBuf};

use daxle_core::child::{NewChild, name_fault, new_child, repoint};
use daxle_core::theme::Tree;
use daxle_files::{Edit, Trouble, ZipEntry, edit_files, write_file, write_zip};

use super::Ended;
use crate::args::{Bounds, ChildArgs, ChildCommand, Format, Global, NewChildArgs};
use crate::children;
use crate::config;
use crate::console::{Console, Failure};
use crate::show;
use crate::stock;
use crate::themes::{Opening, Source, reader_of};

pub(crate) fn run(args: &ChildArgs, global: &Global, console: &Console) -> Result<Ended, Failure> {
    match &args.what {
        ChildCommand::New(args) => new(args, global, console),
        ChildCommand::Repoint { child, to, yes, bounds } => follow(child, to, *yes, bounds, global, console),
        ChildCommand::Overrides { child, release, bounds } => overrides(child, release, bounds, global, console),
    }
}

fn overrides(
    child: &Path,
    release: &[PathBuf],
    bounds: &Bounds,
    global: &Global,
    console: &Console,
) -> Result<Ended, Failure> {
    let config = config::read(global)?;
    let opening = Opening { layout: &config.layout, bounds, inside: None };
    let opened = opening.open(child, None, None)?;
    let identity = opened.identity();
    let vendors = children::vendors(&identity, release, &config)?;
    let found = vendors.overrides(opened.tree(), &identity, &config.layout)?;
    let theme = opened.describe(child.display().to_string());
    if global.format == Format::Json {
        console.json(&show::child::OverridesReport::new(&theme, &vendors.current(), &found))?;
    } else {
        console.result(&show::child::overrides(&theme, &vendors.current(), &found))?;
    }
    Ok(Ended::open_if(found.iter().any(|o| o.state.needs_work())))
}

/// Begins a child theme.
fn new(args: &NewChildArgs, global: &Global, console: &Console) -> Result<Ended, Failure> {
    let config = config::read(global)?;
    if let Some(why) = name_fault(&args.name) {
        return Err(Trouble::new(format!("{:?} is no name for a child theme", args.name))
            .why(why)
            .hint("name it as its folder is to be named; --title is what people see")
            .into());
    }
    let place = stock::locate(&args.parent, None, None, &config)?;
    if !place.path.exists() {
        return Err(Trouble::new(format!("there is no parent at {}", args.parent.display()))
            .hint("name its folder, its package, or NAME@VERSION in stock with --parent")
            .into());
    }
    let opening = Opening { layout: &config.layout, bounds: &args.bounds, inside: place.inside.as_deref() };
    let Source::Theme(parent) = opening.open(&place.path, None, None)? else {
        return Err(Trouble::new(format!("{} is no theme", args.parent.display())).into());
    };
    let parent_name = parent.identity.name.clone().unwrap_or_else(|| parent.folder_name.clone());
    if let Some(title) = parent.identity.title.as_ref().filter(|t| **t != parent_name) {
        console.say(&format!("the parent is called {title}; its folder is {parent_name}"));
    }
    if parent_name == args.name {
        return Err(Trouble::new(format!("{} is the parent's own name", args.name))
            .hint("give the child another")
            .into());
    }
    let reader = reader_of(&parent.tree, &config.layout);
    let read = |path: &Path| std::fs::read(path).map_err(|e| Trouble::io("read", path, &e));
    let asks = std::io::stdin().is_terminal() && std::io::stderr().is_terminal();
    let ask = |given: &Option<String>, what: &str| -> Result<Option<String>, Failure> {
        if given.is_some() || !asks {
            return Ok(given.clone());
        }
        let mut err = std::io::stderr().lock();
        write!(err, "{what} (may be empty): ")?;
        err.flush()?;
        let mut answer = String::new();
        std::io::stdin().read_line(&mut answer)?;
        Ok(Some(answer.trim().to_string()).filter(|a| !a.is_empty()))
    };
    let licence_file = args.licence.as_deref().map(Path::new).filter(|p| p.is_file());
    let spec = NewChild {
        name: args.name.clone(),
        title: ask(&args.title, "Title")?.unwrap_or_else(|| args.name.clone()),
        description: ask(&args.description, "Description")?,
        author: ask(&args.author, "Author")?,
        author_address: args.author_address.clone(),
        address: args.address.clone(),
        version: args.version.clone(),
        licence: args.licence.clone().filter(|_| licence_file.is_none()),
        licence_text: licence_file.map(read).transpose()?,
        preview: match &args.preview {
            Some(path) => {
                let extension = path.extension().map(|e| e.to_string_lossy().to_lowercase());
                Some((extension.unwrap_or_else(|| "png".into()), read(path)?))
            }
            None => None,
        },
        credit: args.credit.clone().map(|text| (text, args.credit_link.clone())),
        styles: args.styles.as_deref().map(read).transpose()?.map(|b| String::from_utf8_lossy(&b).into_owned()),
        parent: parent_name,
        parent_version: parent.identity.version.clone(),
    };
    let files = new_child(&spec, &reader, &config.layout);
    let out = match &args.zip {
        Some(zip) => zip.clone(),
        None => args.into.clone().unwrap_or_default().join(&args.name),
    };
    if out.exists() {
        return Err(Trouble::new(format!("{} is there already", out.display()))
            .hint("give the child another --name, or another place with --into")
            .into());
    }
    let names: Vec<String> = files.keys().cloned().collect();
    if args.zip.is_some() {
        let entry = |(path, bytes)| ZipEntry { path: format!("{}/{path}", args.name), bytes, executable: false };
        write_file(&out, &write_zip(files.into_iter().map(entry).collect())?)?;
    } else {
        // Built aside and moved into place.
        let parent = out.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
        std::fs::create_dir_all(parent).map_err(|e| Trouble::io("make the folder", parent, &e))?;
        let part = tempfile::Builder::new().prefix(".daxle-part-").tempdir_in(parent);
        let part = part.map_err(|e| Trouble::io("make a folder in", parent, &e))?;
        let inner = part.path().join(&args.name);
        for (path, bytes) in files {
            write_file(&inner.join(path), &bytes)?;
        }
        std::fs::rename(&inner, &out).map_err(|e| Trouble::io("put the child theme at", &out, &e))?;
    }
    if global.format == Format::Json {
        console.json(&show::child::NewReport::new(&out, &spec, &names))?;
    } else {
        console.result(&show::child::begun(&out, &spec, &names))?;
    }
    Ok(Ended::Clean)
}

/// Follows a renamed parent.
fn follow(
    child: &Path,
    to: &Path,
    yes: bool,
    bounds: &Bounds,
    global: &Global,
    console: &Console,
) -> Result<Ended, Failure> {
    let config = config::read(global)?;
    let opening = Opening { layout: &config.layout, bounds, inside: None };
    if !child.is_dir() {
        return Err(Trouble::new(format!("{} is no folder", child.display()))
            .hint("unpack the child theme first: it is changed in place")
            .into());
    }
    let Source::Theme(opened) = opening.open(child, None, None)? else {
        return Err(Trouble::new(format!("{} is no theme", child.display())).into());
    };
    let Some(old) = opened.identity.parent.clone() else {
        return Err(Trouble::new(format!("{} names no parent", child.display()))
            .hint("its parent's short name belongs on its identity card")
            .into());
    };
    // A short name alone means the newest release in stock.
    let named = to.to_str().filter(|t| !to.exists() && !t.contains(['/', '\\', '@']));
    let label = named.and_then(|n| config.stock().ok()?.of(n).next_back().map(daxle_files::Release::label));
    let place = match label {
        Some(label) => stock::locate(Path::new(&label), None, None, &config)?,
        None => stock::locate(to, None, None, &config)?,
    };
    if !place.path.exists() {
        return Err(Trouble::new(format!("there is no theme at {}", to.display()))
            .hint("name the parent's new folder or package, or a short name in stock, with --to")
            .into());
    }
    let opening = Opening { inside: place.inside.as_deref(), ..opening };
    let Source::Theme(parent) = opening.open(&place.path, None, None)? else {
        return Err(Trouble::new(format!("{} is no theme", to.display())).into());
    };
    let new = parent.identity.name.clone().unwrap_or_else(|| parent.folder_name.clone());
    let reader = reader_of(&opened.tree, &config.layout);
    let (places, files) = repoint(&opened.tree, &reader, &old, &new, &config.layout);
    // Overrides of the old parent, as far as its releases are in stock, that the new one has no file for.
    let overrides = children::vendors(&opened.identity, &[], &config)
        .and_then(|v| v.overrides(&opened.tree, &opened.identity, &config.layout))
        .unwrap_or_default();
    let mine = overrides.iter().filter(|o| o.vendor == old);
    let orphans: Vec<&str> =
        mine.filter(|o| parent.tree.find(&o.vendor_path).is_none()).map(|o| o.path.as_str()).collect();
    let report = show::child::Repointed::new(&old, &new, &places, &orphans);
    if global.format == Format::Text {
        console.result(&show::child::repointed(&old, &new, &places, &orphans))?;
    }
    let agreed = yes || (!places.is_empty() && asked(child)?);
    if agreed {
        let edits: Vec<(String, Edit<'_>)> = files.into_iter().map(|(p, b)| (p, Edit::Bytes(b))).collect();
        edit_files(child, &edits)?;
    }
    if global.format == Format::Json {
        console.json(&report.written(agreed && !places.is_empty()))?;
    } else if !agreed && !places.is_empty() {
        console.say("nothing was written; with --yes it is");
    }
    Ok(Ended::open_if(!orphans.is_empty() || (!agreed && !places.is_empty())))
}

/// Asks on the terminal; without one, nothing is agreed to.
fn asked(child: &Path) -> Result<bool, Failure> {
    if !std::io::stdin().is_terminal() || !std::io::stderr().is_terminal() {
        return Ok(false);
    }
    let mut err = std::io::stderr().lock();
    write!(err, "Change this in {}? [y/N] ", child.display())?;
    err.flush()?;
    let mut answer = String::new();
    std::io::stdin().read_line(&mut answer)?;
    Ok(matches!(answer.trim().to_ascii_lowercase().as_str(), "y" | "yes"))
}
