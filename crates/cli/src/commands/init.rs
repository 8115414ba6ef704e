//! `daxle init`: a proposal for the site's `daxle.toml`.

use std::collections::{BTreeMap, HashMap};
use std::fmt::Write as _;
use std::io::{IsTerminal, Write as _};
use std::path::{Path, PathBuf};

use daxle_core::child::propose_mappings;
use daxle_core::stock::Print;
use daxle_core::theme::{IdentityFormat, IdentityReader, Kind, Layout, Tree, find_reader, kind_of, stamp_pattern};
use daxle_files::{Trouble, write_file};

use super::Ended;
use crate::args::{Global, InitArgs};
use crate::config;
use crate::console::{Console, Failure};
use crate::themes::{Opening, Source};

pub(crate) fn run(args: &InitArgs, global: &Global, console: &Console) -> Result<Ended, Failure> {
    let out = args.out.clone().unwrap_or_else(|| PathBuf::from(config::NAME));
    if out.exists() {
        return Err(Trouble::new(format!("{} is there already", out.display()))
            .hint("change it by hand, or write the proposal elsewhere with --out")
            .into());
    }
    let Some(site_at) = args.site.clone().or_else(|| args.child.clone()) else {
        return Err(Trouble::new("there is nothing to look at")
            .hint("name the site's copy of the theme with --site, and a child theme with --child")
            .into());
    };
    let layout = Layout::default();
    let opening = Opening { layout: &layout, bounds: &args.bounds, inside: None };
    let site = opening.open(&site_at, None, None)?;
    let child = match &args.child {
        Some(path) if *path != site_at => Some(opening.open(path, None, None)?),
        _ => None,
    };
    // Whatever is in stock may be overridden by the child.
    let stock = config::read(global)?.stock()?;
    let mut prints: HashMap<String, Vec<Print>> = HashMap::new();
    for release in stock.releases() {
        prints.entry(release.name.clone()).or_default().push(stock.print(release)?);
    }
    let mut text =
        String::from("# How this site is laid out: a proposal by `daxle init`. Correct what is wrong.\n");
    kinds(&mut text, site.tree());
    identity(&mut text, site.tree());
    let child_tree = child.as_ref().map_or_else(|| args.child.as_ref().map(|_| site.tree()), |c| Some(c.tree()));
    overrides(&mut text, child_tree, &prints, &layout, &[&site, child.as_ref().unwrap_or(&site)])?;
    stamps(&mut text, site.tree(), site.identity().name.as_deref())?;
    walk(&mut text, site.tree());
    place_of_stock(&mut text, stock.dir(), &out);
    // What is proposed must be readable, or it is no proposal.
    Layout::parse(&text).map_err(|e| Trouble::new("the proposal came out unreadable").why(e.to_string()))?;

    if !args.yes && std::io::stdin().is_terminal() && std::io::stderr().is_terminal() {
        console.say(&text);
        if !agreed(&out)? {
            console.say("nothing was written");
            return Ok(Ended::Clean);
        }
    }
    write_file(&out, text.as_bytes())?;
    console.say(&format!("wrote {}; look it through, then go on with `daxle survey`", out.display()));
    Ok(Ended::Clean)
}

/// Asks on the terminal.
fn agreed(out: &Path) -> Result<bool, Failure> {
    let mut err = std::io::stderr().lock();
    write!(err, "Write this to {}? [Y/n] ", out.display())?;
    err.flush()?;
    let mut answer = String::new();
    std::io::stdin().read_line(&mut answer)?;
    Ok(matches!(answer.trim().to_ascii_lowercase().as_str(), "" | "y" | "yes"))
}

/// The kinds of what is there, by top folder and extension.
fn kinds(text: &mut String, tree: &dyn Tree) {
    let mut found: BTreeMap<String, BTreeMap<Kind, usize>> = BTreeMap::new();
    for (k, entry) in tree.entries().iter().enumerate() {
        let Some((stem, extension)) = entry.path.rsplit_once('.') else { continue };
        let bytes =
            if entry.binary || entry.size > 1 << 20 { Vec::new() } else { tree.read(k).unwrap_or_default() };
        let glob = match stem.split_once('/') {
            Some((folder, _)) => format!("{folder}/**/*.{extension}"),
            None => continue,
        };
        *found.entry(glob).or_default().entry(kind_of(&entry.path, &bytes)).or_default() += 1;
    }
    text.push_str("\n# What the files are: template, style, script, code, settings, catalog, font, picture, document, other.\n");
    text.push_str("[layout.kinds]\n");
    for (glob, kinds) in found {
        let Some((kind, n)) = kinds.iter().max_by_key(|(_, n)| **n) else { continue };
        let mixed = if kinds.len() > 1 { "  # not all of them" } else { "" };
        let _ = writeln!(text, "{} = {}  # {n} here{mixed}", quoted(&glob), quoted(kind.word()));
    }
}

fn identity(text: &mut String, tree: &dyn Tree) {
    text.push_str("\n# Where a theme says who it is.\n");
    let Some((reader, identity)) = find_reader(tree) else {
        text.push_str("# None was found; the theme goes by its folder's name, its version is unknown.\n");
        text.push_str("# [layout.identity]\n# file = \"themecard.toml\"\n# format = \"toml\"\n# name = \"name\"\n# version = \"version\"\n");
        return;
    };
    let format = match reader.format {
        IdentityFormat::Toml => "toml",
        IdentityFormat::Json => "json",
        IdentityFormat::Yaml => "yaml",
        IdentityFormat::Comment => "comment",
    };
    let _ = writeln!(text, "[layout.identity]\nfile = {}\nformat = {}", quoted(&reader.file), quoted(format));
    let IdentityReader { title, name, version, parent, parent_version, requires, .. } = reader;
    let rows = [
        ("title", title, identity.title),
        ("name", name, identity.name),
        ("version", version, identity.version),
        ("parent", parent, identity.parent),
        ("parent_version", parent_version, identity.parent_version),
    ];
    for (field, key, value) in rows {
        let Some(key) = key else { continue };
        let said = value.map_or("not said here".to_string(), |v| format!("here: {}", v.replace(['\n', '\r'], " ")));
        let _ = writeln!(text, "{field} = {}  # {said}", quoted(&key));
    }
    if let Some(requires) = requires.filter(|_| matches!(format, "toml" | "json")) {
        let _ = writeln!(text, "requires = {}", quoted(&requires));
    }
}

fn overrides(
    text: &mut String,
    child: Option<&dyn Tree>,
    prints: &HashMap<String, Vec<Print>>,
    layout: &Layout,
    own: &[&Source],
) -> Result<(), Failure> {
    text.push_str(
        "\n# Where a child theme overrides a companion's files. Its parent's stand under their own paths.\n",
    );
    let own: Vec<String> = own.iter().flat_map(|s| [s.identity().name, s.identity().parent]).flatten().collect();
    let mut vendors: Vec<(&str, Vec<&Print>)> = prints
        .iter()
        .filter(|(name, _)| !own.contains(name))
        .map(|(name, list)| (name.as_str(), list.iter().collect()))
        .collect();
    vendors.sort_by_key(|(name, _)| *name);
    let found = match child {
        Some(tree) => propose_mappings(&Print::of(tree, layout)?, &vendors),
        None => Vec::new(),
    };
    for mapping in &found {
        let of = mapping.of.as_deref().unwrap_or_default();
        let _ = writeln!(text, "[[layout.overrides]]\npath = {}\nof = {}", quoted(&mapping.path), quoted(of));
    }
    if found.is_empty() {
        text.push_str("# [[layout.overrides]]\n# path = \"custom/{path}\"\n# of = \"companion\"\n");
    }
    Ok(())
}

fn stamps(text: &mut String, tree: &dyn Tree, name: Option<&str>) -> Result<(), Failure> {
    let entries = tree.entries().iter().enumerate().filter(|(_, e)| !e.binary && e.size < 1 << 20);
    let texts = entries.map(|(k, _)| tree.read(k)).collect::<Result<Vec<_>, _>>()?;
    let Some(pattern) = stamp_pattern(texts.iter().map(Vec::as_slice), name) else { return Ok(()) };
    // A key of [layout] itself has to stand before the tables below it.
    let table = format!(
        "\n# The line by which files are stamped with a version.\n[layout]\nstamp = {}\n",
        quoted(&pattern)
    );
    let head = text.find("\n# What the files are").unwrap_or(text.len());
    text.insert_str(head, &table);
    Ok(())
}

fn walk(text: &mut String, tree: &dyn Tree) {
    let first = tree.entries().iter().find(|e| kind_of(&e.path, b"") == Kind::Template);
    let example = first.map_or("templates/*", |e| e.path.as_str());
    text.push_str("\n# Areas of the site to look at before going live, and the files that make them.\n");
    let _ =
        writeln!(text, "# [[walk]]\n# name = \"Start page\"\n# files = [{}]\n# pages = [\"/\"]", quoted(example));
}

fn place_of_stock(text: &mut String, stock: &Path, out: &Path) {
    text.push_str("\n# Where the untouched releases are kept.\n");
    let near = stock.is_dir();
    let path = crate::themes::relative(stock, out);
    if near && !path.starts_with('/') && !path.starts_with("..") {
        let _ = writeln!(text, "[stock]\npath = {}", quoted(&path));
    } else {
        text.push_str("# [stock]\n# path = \"stock\"\n");
    }
}

/// A TOML string.
fn quoted(text: &str) -> String {
    toml_edit::Value::from(text).to_string()
}
