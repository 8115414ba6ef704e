//! `daxle survey`: every change that the site made.

use std::path::Path;

use daxle_core::changes::{FileChange, What, survey, unified};
use daxle_core::theme::Tree;
use daxle_files::Trouble;

use super::Ended;
use crate::args::{Format, Global, Sources, SurveyArgs};
use crate::config;
use crate::console::{Console, Failure};
use crate::notes::Notes;
use crate::show::{self, wire};
use crate::themes::{Pair, Site};

pub(crate) fn run(args: &SurveyArgs, global: &Global, console: &Console) -> Result<Ended, Failure> {
    let config = config::read(global)?;
    let since;
    let sources = match &args.since {
        Some(account) => {
            since = carried(account, &args.sources)?;
            &since
        }
        None => &args.sources,
    };
    let pair = Site::open(sources, &[], &config)?.with_base(console)?;
    let found = survey(pair.base.tree(), pair.site.tree(), &config.layout)?;
    let notes = Notes::read(&config, &sources.site)?.by_change();
    let base = pair.base.describe(pair.base_at.display().to_string());
    let site = pair.site.describe(sources.site.display().to_string());
    if global.format == Format::Json {
        console.json(&wire::SurveyReport::new(base, site, &found, &notes))?;
        return Ok(Ended::Clean);
    }
    let out = show::survey::text(&base, &site, &found, &notes, args.since.as_deref());
    console.result(&out)?;
    if args.show {
        let mut bytes = Vec::new();
        for file in &found.files {
            bytes.push(b'\n');
            bytes.extend(show::shown_bytes(&diff(&pair, file)?, console));
        }
        console.raw(&bytes)?;
    }
    Ok(Ended::Clean)
}

/// The sources that show what the site changed after a carry: its result is the base then.
fn carried(account: &Path, sources: &Sources) -> Result<Sources, Trouble> {
    let name = account.file_name().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default();
    let result = name.strip_suffix(".account.json").map(|stem| account.with_file_name(stem));
    if !account.is_file() {
        return Err(Trouble::new(format!("there is no account at {}", account.display()))
            .hint("`daxle carry` writes it beside its result, as DIR.account.json"));
    }
    match result.filter(|r| r.exists()) {
        Some(result) => Ok(Sources { base: Some(result), ..sources.clone() }),
        None => Err(Trouble::new(format!("the result of the carry is no longer beside {}", account.display()))
            .hint("keep the two together; or compare with the place where it is now, with --base")),
    }
}

/// The difference of one file, as a unified diff.
fn diff(pair: &Pair, file: &FileChange) -> Result<Vec<u8>, Failure> {
    let read = |tree: &dyn Tree, path: Option<&str>| -> Result<Option<Vec<u8>>, Failure> {
        Ok(path.and_then(|p| tree.find(p)).map(|k| tree.read(k)).transpose()?)
    };
    let deleted = file.changes.iter().any(|c| c.what == What::Deleted);
    let old = read(pair.base.tree(), file.base_path.as_deref())?;
    let new = if deleted { None } else { read(pair.site.tree(), Some(&file.path))? };
    let name = |side: &str, there: bool, path: &str| {
        if there { format!("{side}/{path}") } else { "/dev/null".to_string() }
    };
    Ok(unified::unified(
        &name("base", old.is_some(), file.base_path.as_deref().unwrap_or(&file.path)),
        &name("site", new.is_some(), &file.path),
        old.as_deref().unwrap_or(b""),
        new.as_deref().unwrap_or(b""),
    ))
}
