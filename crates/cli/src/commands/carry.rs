//! `daxle carry`: the new release with the site's changes in it, and the account beside it.

use std::path::{Path, PathBuf};
use std::sync::Mutex;

use daxle_core::carry::account::Account;
use daxle_core::carry::{CarryOptions, Content, Inputs, Sink, carry};
use daxle_core::theme::ReadError;
use daxle_files::{Building, Trouble, write_file};

use super::Ended;
use crate::args::{CarryArgs, Format, Global};
use crate::config;
use crate::console::{Console, Failure};
use crate::progress::Progress;
use crate::show;
use crate::themes::{self, Source};

pub(crate) fn run(args: &CarryArgs, global: &Global, console: &Console) -> Result<Ended, Failure> {
    let layout = config::layout(global.config.as_deref())?;
    let new = &args.release.release;
    let account_path = args.account.clone().unwrap_or_else(|| beside(&args.out, "account.json"));
    apart(&args.out, &[("base", &args.sources.base), ("site", &args.sources.site), ("release", new)])?;
    if account_path.starts_with(&args.out) {
        return Err(Trouble::new("the account would lie inside the result")
            .hint("a theme holds nothing of Daxle: name another place with --account")
            .into());
    }
    let (pair, release) = themes::open_three(&args.sources, new, &layout, console)?;
    let progress = Progress::new(console, "carrying");
    let options = CarryOptions::from(&args.merging);
    let inputs = Inputs {
        base: pair.base.tree(),
        site: pair.site.tree(),
        release: release.tree(),
        layout: &layout,
        themes: themes::describe(&args.sources, new, &pair, &release, Some(&account_path)),
        vendor_notes: themes::vendor_notes(&pair, &release),
        notes_on: Default::default(),
        progress: &|done, all| progress.at(done, all),
        unnamed: String::new(),
    };
    let account = match (&pair.site, &release) {
        (Source::Theme(site), Source::Theme(release)) => {
            let aside = beside(&args.out, "aside");
            let building = Building::begin(&args.out, &aside, args.replace, &site.tree, &release.tree)?;
            let account = carry(&inputs, &options, &building)?;
            building.finish()?;
            account
        }
        _ => one_file(args, &inputs, &options)?,
    };
    drop(progress);
    write_account(&account_path, &account)?;
    if global.format == Format::Json {
        console.json(&account)?;
    } else {
        console.result(&show::carry::text(&account, &args.out, &account_path))?;
    }
    Ok(Ended::open_if(account.totals.open > 0))
}

/// Names a companion of the result: `DIR.account.json`.
pub(crate) fn beside(out: &Path, what: &str) -> PathBuf {
    let mut name = out.file_name().map(ToOwned::to_owned).unwrap_or_default();
    name.push(".");
    name.push(what);
    out.with_file_name(name)
}

/// Writes an account.
pub(crate) fn write_account(path: &Path, account: &Account) -> Result<(), Failure> {
    let mut text = serde_json::to_vec_pretty(account).map_err(std::io::Error::other)?;
    text.push(b'\n');
    Ok(write_file(path, &text)?)
}

/// The result must not lie in an input, nor an input in it.
fn apart(out: &Path, inputs: &[(&str, &PathBuf)]) -> Result<(), Trouble> {
    let full = |path: &Path| -> Option<PathBuf> {
        let parent = path.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
        path.canonicalize().ok().or_else(|| Some(parent.canonicalize().ok()?.join(path.file_name()?)))
    };
    let Some(place) = full(out) else { return Ok(()) };
    for (role, input) in inputs {
        let Some(input) = full(input) else { continue };
        if place.starts_with(&input) || input.starts_with(&place) {
            return Err(Trouble::new(format!("the result {} and the {role} overlap", out.display()))
                .why(format!("the {role} is {}", input.display()))
                .hint("name a folder apart from all three with --out"));
        }
    }
    Ok(())
}

/// Takes the one file of a carry of single files.
#[derive(Default)]
struct OneFile {
    content: Mutex<Option<Content>>,
}

impl Sink for OneFile {
    fn put(&self, path: &str, content: &Content) -> Result<(), ReadError> {
        match self.content.lock() {
            Ok(mut slot) => {
                *slot = Some(content.clone());
                Ok(())
            }
            Err(_) => Err(ReadError { path: path.into(), why: "another thread failed".into() }),
        }
    }

    fn put_aside(&self, _path: &str, _content: &Content) -> Result<(), ReadError> {
        // The three files lie where the user has them.
        Ok(())
    }
}

fn one_file(args: &CarryArgs, inputs: &Inputs<'_>, options: &CarryOptions) -> Result<Account, Failure> {
    if args.out.is_dir() {
        return Err(Trouble::new(format!("{} is a folder", args.out.display()))
            .hint("for three single files, --out names a file")
            .into());
    }
    if args.out.exists() && !args.replace {
        return Err(Trouble::new(format!("{} is there already", args.out.display()))
            .hint("name a new file, or write over it with --replace")
            .into());
    }
    let sink = OneFile::default();
    let account = carry(inputs, options, &sink)?;
    let bytes = match sink.content.into_inner().ok().flatten() {
        Some(Content::Merged(bytes, _)) => bytes,
        Some(Content::Release(k)) => inputs.release.read(k)?,
        Some(Content::Site(k)) => inputs.site.read(k)?,
        None => Vec::new(),
    };
    write_file(&args.out, &bytes)?;
    Ok(account)
}
