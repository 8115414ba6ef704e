//! `daxle survey`: every change that the site made.

use daxle_core::changes::{FileChange, What, survey, unified};
use daxle_core::theme::Tree;

use super::Ended;
use crate::args::{Format, Global, SurveyArgs};
use crate::config;
use crate::console::{Console, Failure};
use crate::show::{self, wire};
use crate::themes::{self, Pair};

pub(crate) fn run(args: &SurveyArgs, global: &Global, console: &Console) -> Result<Ended, Failure> {
    let layout = config::layout(global.config.as_deref())?;
    let pair = themes::open_pair(&args.sources, &layout)?;
    let found = survey(pair.base.tree(), pair.site.tree(), &layout)?;
    let base = pair.base.describe(args.sources.base.display().to_string());
    let site = pair.site.describe(args.sources.site.display().to_string());
    if global.format == Format::Json {
        console.json(&wire::SurveyReport::new(base, site, &found))?;
        return Ok(Ended::Clean);
    }
    let out = show::survey::text(&base, &site, &found);
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
