//! `daxle place`, `rollback` and `sweep`: a result where the site runs, the way back, and the old copies.

use std::path::Path;

use daxle_core::carry::drift;
use daxle_core::carry::settle::Side;
use daxle_core::theme::Tree;
use daxle_files::{FolderTree, Live, OldCopy, Origin, Trouble};

use super::Ended;
use crate::args::{Format, Global, PlaceArgs, RollbackArgs, SweepArgs};
use crate::carried::Carried;
use crate::config;
use crate::console::{Console, Failure};
use crate::show::{self, count, wire};

pub(crate) fn place(args: &PlaceArgs, global: &Global, console: &Console) -> Result<Ended, Failure> {
    let config = config::read_for(global, &args.carried.dir)?;
    let mut carried = Carried::open(&args.carried, &config)?;
    let live = open(&args.at, !args.dry_run, console)?;
    let files = carried.files()?;
    apart(live.at(), carried.dir())?;
    let proof = carried.prove()?;
    let bounds = &args.carried.bounds;
    let now = FolderTree::read(live.at(), bounds.link_rule(), bounds.limits())?;
    let owned = |path: &str| config.layout.is_owned(path);
    if same(&files, &now, owned) {
        console.say(&format!("{} is live at {} already", carried.dir().display(), live.at().display()));
        return Ok(Ended::Clean);
    }
    let drifted = drift(&carried.account, carried.tree(Side::Base)?, &now, owned);
    let mut against = Vec::new();
    let open = carried.account.totals.open;
    if open > 0 {
        against.push((
            format!("{} open", show::are(open, "change")),
            format!("answer them with `daxle settle {}`", carried.dir().display()),
        ));
    }
    let found = proof.new_findings().count();
    if found > 0 {
        against.push((
            format!("verify finds {}", count(found, "fault")),
            format!("look at them with `daxle verify {}`", carried.dir().display()),
        ));
    }
    if !drifted.is_empty() {
        against.push((
            format!("{} changed in the live theme since the carry read it", count(drifted.len(), "file")),
            "carry again with --site as it is now: that takes the changes in".into(),
        ));
    }
    let report = wire::Placement::new("place", args.dry_run, live.at(), &drifted);
    if !against.is_empty() && !args.anyway {
        if !args.dry_run {
            console.say(show::place::drift(&drifted).trim_end());
            let (what, hint) = against.swap_remove(against.len() - 1);
            let others: Vec<String> = against.into_iter().map(|(what, _)| what).collect();
            let what = others.into_iter().chain([what]).collect::<Vec<_>>().join("; ");
            return Err(Trouble::new(format!("{} was not changed", live.at().display()))
                .why(what)
                .hint(format!("{hint}, or place --anyway"))
                .into());
        }
        if global.format == Format::Json {
            console.json(&report.against(against.iter().map(|(what, _)| what.clone()).collect()))?;
        } else {
            console.result(&show::place::refused(live.at(), &against, &drifted))?;
        }
        return Ok(Ended::Open);
    }
    if args.dry_run {
        if global.format == Format::Json {
            console.json(&report)?;
        } else {
            console.result(&show::place::would(
                live.at(),
                carried.dir(),
                &files,
                &now,
                args.backup_to.as_deref(),
            ))?;
        }
        return Ok(Ended::Clean);
    }
    let placed = live.put(&Origin::Result(&files), &owned, args.backup_to.as_deref(), &time(), who())?;
    if global.format == Format::Json {
        console.json(&report.done(&placed))?;
    } else {
        console.result(&show::place::done(
            live.at(),
            &format!("{} is live", carried.dir().display()),
            &placed,
            false,
        ))?;
        console.result(&show::walk::text(&carried.account, "To walk through now"))?;
    }
    Ok(Ended::Clean)
}

pub(crate) fn rollback(args: &RollbackArgs, global: &Global, console: &Console) -> Result<Ended, Failure> {
    let config = config::read_for(global, &args.at)?;
    let live = open(&args.at, !args.dry_run, console)?;
    let copies = live.copies();
    let found = match &args.to {
        Some(name) => copies.iter().find(|c| c.name == *name),
        None => copies.iter().find(|c| c.next),
    };
    let Some(copy) = found else {
        let names: Vec<&str> = copies.iter().map(|c| c.name.as_str()).collect();
        let hint = match &names[..] {
            [] => "no old copy is kept".to_string(),
            names => format!("name one with --to: {}", names.join(", ")),
        };
        let what = match &args.to {
            Some(name) => format!("there is no copy {name}"),
            None => format!("there is nothing to go back to at {}", live.at().display()),
        };
        return Err(Trouble::new(what).hint(hint).into());
    };
    let report = wire::Placement::new("rollback", args.dry_run, live.at(), &[]);
    if args.dry_run {
        if global.format == Format::Json {
            console.json(&report)?;
        } else {
            console.result(&format!("Would go back to the copy {} at {}\n", copy.name, live.at().display()))?;
        }
        return Ok(Ended::Clean);
    }
    let owned = |path: &str| config.layout.is_owned(path);
    let placed = live.put(&Origin::Copy(copy), &owned, None, &time(), who())?;
    if global.format == Format::Json {
        console.json(&report.done(&placed))?;
    } else {
        let what = format!("the copy {} is live again", copy.name);
        console.result(&show::place::done(live.at(), &what, &placed, true))?;
    }
    Ok(Ended::Clean)
}

pub(crate) fn sweep(args: &SweepArgs, global: &Global, console: &Console) -> Result<Ended, Failure> {
    let removes = !args.dry_run && (!args.remove.is_empty() || args.keep.is_some());
    let live = open(&args.at, removes, console)?;
    let copies = live.copies();
    if let Some(unknown) = args.remove.iter().find(|name| !copies.iter().any(|c| c.name == **name)) {
        let names: Vec<&str> = copies.iter().map(|c| c.name.as_str()).collect();
        return Err(Trouble::new(format!("there is no copy {unknown}"))
            .hint(format!("there are: {}", names.join(", ")))
            .into());
    }
    let goes =
        |(k, copy): (usize, &OldCopy)| args.remove.contains(&copy.name) || args.keep.is_some_and(|keep| k >= keep);
    let (gone, kept): (Vec<_>, Vec<_>) = copies.iter().enumerate().partition(|(k, copy)| goes((*k, copy)));
    let (gone, kept): (Vec<&OldCopy>, Vec<&OldCopy>) =
        (gone.into_iter().map(|g| g.1).collect(), kept.into_iter().map(|k| k.1).collect());
    if removes {
        for copy in &gone {
            live.sweep(copy, &time(), who())?;
        }
    }
    if global.format == Format::Json {
        console.json(&wire::Copies::new(live.at(), args.dry_run, &gone, &kept))?;
    } else {
        console.result(&show::place::copies(live.at(), &gone, &kept, args.dry_run))?;
    }
    Ok(Ended::Clean)
}

fn open(at: &Path, write: bool, console: &Console) -> Result<Live, Trouble> {
    let (live, said) = Live::open(at, write)?;
    if let Some(said) = said {
        console.say(&said);
    }
    Ok(live)
}

/// The live folder and the result must not lie in each other.
fn apart(live: &Path, result: &Path) -> Result<(), Trouble> {
    let result = result.canonicalize().unwrap_or_else(|_| result.to_path_buf());
    if live.starts_with(&result) || result.starts_with(live) {
        return Err(Trouble::new(format!("the result {} and the live theme overlap", result.display()))
            .hint("carry into a folder apart from the live theme"));
    }
    Ok(())
}

/// Tells whether the live theme is the result already.
fn same(result: &FolderTree, live: &FolderTree, owned: impl Fn(&str) -> bool) -> bool {
    let of = |tree: &FolderTree| {
        let own = tree.entries().iter().filter(|e| !owned(&e.path));
        own.map(|e| (e.path.clone(), e.digest)).collect::<Vec<_>>()
    };
    of(result) == of(live)
}

/// Now, to the second (RFC 3339, in UTC).
fn time() -> String {
    let now = jiff::Timestamp::now();
    now.round(jiff::Unit::Second).unwrap_or(now).to_string()
}

/// The user's name, where the system tells.
fn who() -> Option<String> {
    ["USER", "LOGNAME", "USERNAME"].iter().find_map(|name| std::env::var(name).ok()).filter(|n| !n.is_empty())
}
