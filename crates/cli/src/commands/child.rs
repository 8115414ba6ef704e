//! `daxle child`: looking after a child theme.

use std::path::{Path, PathBuf};

use super::Ended;
use crate::args::{Bounds, ChildArgs, ChildCommand, Format, Global};
use crate::children;
use crate::config;
use crate::console::{Console, Failure};
use crate::show;
use crate::themes::Opening;

pub(crate) fn run(args: &ChildArgs, global: &Global, console: &Console) -> Result<Ended, Failure> {
    match &args.what {
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
