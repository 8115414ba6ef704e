//! `daxle catalog`: looking after translations.

use std::path::{Path, PathBuf};

use daxle_core::catalog::{self, ByteOrder, Catalog, Stats, compile, misfits, read_mo, stats};
use daxle_core::formats::{CatalogSides, Side, SyncFault, sync_catalog};
use daxle_core::theme::Tree;
use daxle_files::{Trouble, write_file};

use super::Ended;
use crate::args::{Bounds, CatalogArgs, CatalogCommand, Format, Global, SyncArgs};
use crate::config;
use crate::console::{Console, Failure};
use crate::show;
use crate::themes::Opening;

pub(crate) fn run(args: &CatalogArgs, global: &Global, console: &Console) -> Result<Ended, Failure> {
    match &args.what {
        CatalogCommand::Sync(args) => sync(args, global, console),
        CatalogCommand::Compile { file, out, replace } => {
            compile_one(file, out.as_deref(), *replace, global, console)
        }
        CatalogCommand::Stats { paths, base, bounds } => count(paths, base.as_deref(), bounds, global, console),
    }
}

fn read(path: &Path) -> Result<Vec<u8>, Trouble> {
    std::fs::read(path).map_err(|e| Trouble::io("read", path, &e))
}

/// Refuses to write over something unless told.
fn free(out: &Path, replace: bool) -> Result<(), Trouble> {
    if out.exists() && !replace {
        return Err(Trouble::new(format!("{} is there already", out.display()))
            .hint("write elsewhere with --out, or over it with --replace"));
    }
    Ok(())
}

fn sync(args: &SyncArgs, global: &Global, console: &Console) -> Result<Ended, Failure> {
    args.out.as_deref().map(|out| free(out, args.replace)).transpose()?;
    let given = |path: &Option<PathBuf>| path.as_deref().map(read).transpose();
    let (site, base) = (read(&args.site)?, given(&args.base)?);
    let (release, pot) = (given(&args.release)?, given(&args.pot)?);
    let sides =
        CatalogSides { site: &site, base: base.as_deref(), release: release.as_deref(), pot: pot.as_deref() };
    let synced = sync_catalog(sides).map_err(|fault| match fault {
        SyncFault::Unreadable(side, why) => {
            let path = match side {
                Side::Base => args.base.as_ref(),
                Side::Site => Some(&args.site),
                Side::Release => args.release.as_ref(),
                Side::Template => args.pot.as_ref(),
            };
            let path = path.unwrap_or(&args.site);
            Trouble::new(format!("{} is no catalog that can be read", path.display()))
                .why(why)
                .hint("mend it there")
        }
        fault @ SyncFault::Letters => Trouble::new("the result cannot be written")
            .why(fault.to_string())
            .hint("convert the site's catalog to UTF-8, in its header too"),
    })?;
    if let Some(out) = &args.out {
        write_file(out, &synced.bytes)?;
    }
    let open = !synced.collisions.is_empty() || !synced.misfits.is_empty();
    if global.format == Format::Json {
        console.json(&show::catalog::SyncReport::new(&synced, args.out.as_deref()))?;
    } else {
        let text = show::catalog::synced(&synced, args.out.as_deref().unwrap_or(&args.site));
        match args.out {
            Some(_) => console.result(&text)?,
            None => {
                console.raw(&synced.bytes)?;
                console.say(&text);
            }
        }
    }
    Ok(Ended::open_if(open))
}

fn compile_one(
    file: &Path,
    out: Option<&Path>,
    replace: bool,
    global: &Global,
    console: &Console,
) -> Result<Ended, Failure> {
    let out = out.map_or_else(|| file.with_extension("mo"), Path::to_path_buf);
    let bytes = read(file)?;
    let catalog = Catalog::parse(&bytes).map_err(|fault| {
        Trouble::new(format!("{} is no catalog that can be read", file.display()))
            .why(fault.to_string())
            .hint("mend it there")
    })?;
    free(&out, replace)?;
    // A compiled catalog that is there says in which order its platform writes numbers.
    let order = std::fs::read(&out).ok().and_then(|b| ByteOrder::of(&b)).unwrap_or_default();
    let compiled = compile(&catalog, order).ok_or_else(|| {
        Trouble::new(format!("{} cannot be compiled", file.display()))
            .why("it has letters that the charset in its header has not")
            .hint("name the charset that it is written in")
    })?;
    write_file(&out, &compiled)?;
    let found = misfits(&catalog);
    let counts = stats(&catalog, None);
    if global.format == Format::Json {
        console.json(&show::catalog::CompileReport::new(&out, counts, &found))?;
    } else {
        console.result(&show::catalog::compiled(file, &out, counts, &found))?;
    }
    Ok(Ended::open_if(!found.is_empty()))
}

/// One catalog that is counted.
pub(crate) struct Counted {
    pub(crate) path: String,
    pub(crate) language: Option<String>,
    pub(crate) stats: Stats,
}

/// The catalogs of a theme, or a single one, by path.
fn catalogs(path: &Path, bounds: &Bounds, global: &Global) -> Result<Vec<(String, Vec<u8>)>, Failure> {
    let is_catalog = |path: &str| path.ends_with(".po") || path.ends_with(".mo");
    if path.is_file() && is_catalog(&path.to_string_lossy()) {
        return Ok(vec![(path.display().to_string(), read(path)?)]);
    }
    let config = config::read(global)?;
    let opening = Opening { layout: &config.layout, bounds, inside: None };
    let opened = opening.open(path, None, None)?;
    let tree: &dyn Tree = opened.tree();
    let mut out = Vec::new();
    for (k, entry) in tree.entries().iter().enumerate().filter(|(_, e)| is_catalog(&e.path)) {
        // A compiled one beside its source says the same again.
        let source = entry.path.strip_suffix(".mo").map(|stem| format!("{stem}.po"));
        if source.is_none_or(|s| tree.find(&s).is_none()) {
            out.push((entry.path.clone(), tree.read(k)?));
        }
    }
    Ok(out)
}

fn parsed(path: &str, bytes: &[u8]) -> Result<Catalog, Trouble> {
    let unreadable = |why: String| Trouble::new(format!("{path} is no catalog that can be read")).why(why);
    match ByteOrder::of(bytes) {
        Some(_) => read_mo(bytes).map_err(|fault| unreadable(fault.to_string())),
        None => Catalog::parse(bytes).map_err(|fault| unreadable(fault.to_string())),
    }
}

fn count(
    paths: &[PathBuf],
    base: Option<&Path>,
    bounds: &Bounds,
    global: &Global,
    console: &Console,
) -> Result<Ended, Failure> {
    let bases = base.map(|b| catalogs(b, bounds, global)).transpose()?.unwrap_or_default();
    let mut counted = Vec::new();
    for path in paths {
        for (name, bytes) in catalogs(path, bounds, global)? {
            let catalog = parsed(&name, &bytes)?;
            // A single base counts for a single catalog, whatever they are called.
            let before = match &bases[..] {
                [only] if path.is_file() => Some(only),
                list => list.iter().find(|(b, _)| *b == name),
            };
            let before = before.map(|(name, bytes)| parsed(name, bytes)).transpose()?;
            let empty = catalog::Catalog::parse(b"").ok();
            let before = before.or(empty.filter(|_| base.is_some()));
            let language = catalog.field("Language").filter(|l| !l.is_empty());
            counted.push(Counted { stats: stats(&catalog, before.as_ref()), path: name, language });
        }
    }
    if global.format == Format::Json {
        console.json(&show::catalog::StatsReport::new(&counted))?;
    } else {
        console.result(&show::catalog::counted(&counted))?;
    }
    Ok(Ended::Clean)
}
