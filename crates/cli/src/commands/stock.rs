//! `daxle stock`: untouched releases, and which one a copy came from.

use std::collections::BTreeSet;
use std::path::Path;

use daxle_core::theme::Tree;
use daxle_files::{Added, OpenOptions, Release, Stock, Trouble};

use super::Ended;
use crate::args::{Bounds, Format, Global, StockArgs, StockCommand};
use crate::config::{self, Config};
use crate::console::{Console, Failure};
use crate::progress::Progress;
use crate::show;
use crate::stock;
use crate::themes::Opening;

pub(crate) fn run(args: &StockArgs, global: &Global, console: &Console) -> Result<Ended, Failure> {
    let config = config::read(global)?;
    let mut stock = config.stock()?;
    let json = global.format == Format::Json;
    match &args.what {
        StockCommand::Add { files, name, version, inside, bounds } => {
            let options = OpenOptions {
                inside: inside.as_deref(),
                links: bounds.link_rule(),
                limits: bounds.limits(),
                like: None,
            };
            let progress = Progress::new(console, "adding");
            let mut added = Vec::new();
            for (k, file) in files.iter().enumerate() {
                added.extend(stock.add(file, &config.layout, &options, name.as_deref(), version.as_deref())?);
                progress.at(k + 1, files.len());
            }
            drop(progress);
            if json {
                console.json(&show::stock::AddedReport::new(&added))?;
            } else {
                console.result(&show::stock::added(&added))?;
            }
            Ok(Ended::open_if(added.iter().any(|a| matches!(a, Added::Differs { .. }))))
        }
        StockCommand::List => {
            if json {
                console.json(&show::stock::ListReport::new(stock.releases()))?;
            } else {
                console.result(&show::stock::list(&stock))?;
            }
            Ok(Ended::Clean)
        }
        StockCommand::Show { release } => show_release(&stock, release, json, console),
        StockCommand::Match { site, top, bounds } => rank(&stock, site, *top, bounds, &config, json, console),
        StockCommand::Remove { releases } => {
            let mut labels = BTreeSet::new();
            for label in releases {
                labels.insert(one(&stock, label)?.label());
            }
            let gone = stock.remove(&labels)?;
            if json {
                console.json(&show::stock::ListReport::new(&gone))?;
            } else {
                let labels: Vec<String> = gone.iter().map(Release::label).collect();
                console.say(&format!("taken out of {}: {}", stock.dir().display(), labels.join(", ")));
            }
            Ok(Ended::Clean)
        }
    }
}

/// The one release that a label names.
fn one<'s>(stock: &'s Stock, label: &str) -> Result<&'s Release, Trouble> {
    match label.rsplit_once('@') {
        Some((name, version)) => stock::find(stock, Some(name), version, None),
        None => stock::find(stock, None, label, None),
    }
}

fn show_release(stock: &Stock, label: &str, json: bool, console: &Console) -> Result<Ended, Failure> {
    let all: Vec<Release> = stock.of(label).cloned().collect();
    if !all.is_empty() {
        if json {
            console.json(&show::stock::ListReport::new(&all))?;
        } else {
            console.result(&show::stock::theme(stock, label))?;
        }
        return Ok(Ended::Clean);
    }
    let release = one(stock, label)?;
    let print = stock.print(release)?;
    if json {
        console.json(&show::stock::ReleaseReport::new(release, &print))?;
    } else {
        console.result(&show::stock::release(stock, release, &print))?;
    }
    Ok(Ended::Clean)
}

fn rank(
    stock: &Stock,
    site: &Path,
    top: usize,
    bounds: &Bounds,
    config: &Config,
    json: bool,
    console: &Console,
) -> Result<Ended, Failure> {
    let opening = Opening { layout: &config.layout, bounds, inside: None };
    let opened = opening.open(site, None, None)?;
    let tree: &dyn Tree = opened.tree();
    let found = stock::ranked(stock, tree, &opened.identity(), config)?;
    let claim = stock::claim(&found, &opened.identity());
    if json {
        console.json(&show::stock::MatchReport::new(&found, claim, top))?;
    } else {
        console.result(&show::stock::matched(&found, claim.as_deref(), top))?;
    }
    Ok(Ended::Clean)
}
