//! `daxle verify`: proof that every change is accounted for.

use std::path::{Path, PathBuf};

use daxle_core::carry::account::{Account, FORMAT, FORMAT_VERSION, Theme};
use daxle_core::carry::{Evidence, verify};
use daxle_core::theme::Tree;
use daxle_files::{FolderTree, Trouble};

use super::Ended;
use super::carry::{beside, write_account};
use crate::args::{Format, Global, VerifyArgs};
use crate::children;
use crate::config::{self, Config};
use crate::console::{Console, Failure};
use crate::show::{self, wire};
use crate::stock::{self, Place};
use crate::themes::{Opening, Source};

pub(crate) fn run(args: &VerifyArgs, global: &Global, console: &Console) -> Result<Ended, Failure> {
    let config = config::read(global)?;
    let account_path = args.account.clone().unwrap_or_else(|| beside(&args.dir, "account.json"));
    if !args.dir.exists() {
        return Err(Trouble::new(format!("there is no result at {}", args.dir.display()))
            .hint("name the folder that `daxle carry --out` made")
            .into());
    }
    let account = read_account(&account_path)?;
    let single = (args.dir.is_file()).then(|| account.files.first().map(|f| f.path.clone()).unwrap_or_default());
    let open = |role: &str, theme: &Theme, given: Option<&PathBuf>| -> Result<Source, Failure> {
        source(args, &config, role, theme, given, &account_path, single.as_deref())
    };
    let site = open("site", &account.themes.site, args.site.as_ref())?;
    // A child's base and release are put together again from what its overrides shadow.
    let parts = match (&account.child, &site) {
        (Some(record), Source::Theme(child)) => {
            Some(children::assemble(&child.tree, record, &config.stock()?, &config.layout)?)
        }
        _ => None,
    };
    let three: [Source; 2];
    let trees: [&dyn Tree; 3] = match &parts {
        Some(parts) => [&parts.base, &parts.site, &parts.release],
        None => {
            let base = open("base", &account.themes.base, args.base.as_ref())?;
            three = [base, open("release", &account.themes.release, args.release.as_ref())?];
            [three[0].tree(), site.tree(), three[1].tree()]
        }
    };
    let result: Box<dyn Tree> = match &single {
        Some(name) => {
            let bytes = std::fs::read(&args.dir).map_err(|e| Trouble::io("read", &args.dir, &e))?;
            Box::new(daxle_core::theme::MemoryTree::new([(name.clone(), bytes)]))
        }
        None => Box::new(FolderTree::read(&args.dir, args.bounds.link_rule(), args.bounds.limits())?),
    };
    let evidence = Evidence { base: trees[0], site: trees[1], release: trees[2], result: result.as_ref() };
    let proof = verify(&account, &evidence)?;
    if proof.account != account {
        write_account(&account_path, &proof.account)?;
    }
    if global.format == Format::Json {
        console.json(&wire::Verification::new(&proof))?;
    } else {
        console.result(&show::verify::text(&proof, &args.dir))?;
    }
    Ok(Ended::open_if(!proof.findings.is_empty() || proof.account.totals.open > 0))
}

/// Reads an account and checks that this Daxle understands it.
fn read_account(path: &Path) -> Result<Account, Trouble> {
    let text = std::fs::read(path).map_err(|e| {
        Trouble::io("read the account", path, &e).hint("it stands beside the result; name it with --account")
    })?;
    #[derive(serde::Deserialize)]
    struct Head {
        format: String,
        format_version: u32,
    }
    let broken = |e: serde_json::Error| {
        Trouble::new(format!("{} is no account", path.display()))
            .why(e.to_string())
            .hint("carry again to get a new one")
    };
    let head: Head = serde_json::from_slice(&text).map_err(broken)?;
    if head.format != FORMAT || head.format_version > FORMAT_VERSION {
        return Err(Trouble::new(format!("{} was written by a newer Daxle", path.display()))
            .why(format!(
                "its format is {} {}, this one reads {FORMAT} {FORMAT_VERSION}",
                head.format, head.format_version
            ))
            .hint("use that Daxle, or carry again"));
    }
    serde_json::from_slice(&text).map_err(broken)
}

fn source(
    args: &VerifyArgs,
    config: &Config,
    role: &str,
    theme: &Theme,
    given: Option<&PathBuf>,
    account: &Path,
    single: Option<&str>,
) -> Result<Source, Failure> {
    let folder = account.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let placed = match given {
        Some(given) => stock::locate(given, theme.inside.as_deref(), theme.name.as_deref(), config)?,
        None => Place { path: folder.join(&theme.source), inside: theme.inside.clone() },
    };
    let path = placed.path;
    if !path.exists() {
        return Err(Trouble::new(format!("the {role} is no longer at {}", path.display()))
            .hint(format!("say where it is now with --{role}"))
            .into());
    }
    let opening = Opening { layout: &config.layout, bounds: &args.bounds, inside: placed.inside.as_deref() };
    Ok(opening.open(&path, None, single)?)
}
