//! `daxle carry`: the new release with the site's changes in it, and the account beside it.

use std::path::{Path, PathBuf};
use std::sync::Mutex;

use daxle_core::carry::account::{Account, Decision, Remark, State, Theme, Themes};
use daxle_core::carry::settle::{Put, Settling, Side};
use daxle_core::carry::{CarryOptions, Content, Inputs, Sink, Stop, best_way, carry, carry_through, walk};
use daxle_core::theme::{Digest, ReadError, Tree, find_stamp, with_stamp};
use daxle_files::{Building, Edit, FolderTree, Trouble, write_file};

use super::Ended;
use crate::answers::Answers;
use crate::args::{CarryArgs, Format, Global, Sources};
use crate::carried::{beside, write_account};
use crate::children;
use crate::config::{self, Config};
use crate::console::{Console, Failure};
use crate::exports;
use crate::notes::Notes;
use crate::progress::Progress;
use crate::show::{self, count};
use crate::stock;
use crate::themes::{self, Site, Source};

pub(crate) fn run(args: &CarryArgs, global: &Global, console: &Console) -> Result<Ended, Failure> {
    let config = config::read(global)?;
    let job = Job { args, config: &config, console };
    if !args.child.is_empty() {
        return job.together(global);
    }
    let others: Vec<&Path> = args.release.iter().map(PathBuf::as_path).collect();
    let site = Site::open(&args.sources, &others, &config)?;
    let account_path = args.account.clone().unwrap_or_else(|| beside(&args.out, "account.json"));
    let account = if args.sources.base.is_none() && site.identity().parent.is_some() {
        let mut account = job.child(&site.site, &args.sources.site, &args.out, &account_path)?;
        if !site.exports.is_empty() {
            exports::record(&mut account, &site.exports, &account_path);
            write_account(&account_path, &account)?;
        }
        account
    } else {
        let [release] = &args.release[..] else {
            return Err(Trouble::new("a theme is carried into one release")
                .hint("give --release once; several are for a child theme and its companions")
                .into());
        };
        job.theme(site, release, &args.out, &account_path)?
    };
    if global.format == Format::Json {
        console.json(&account)?;
    } else {
        console.result(&show::carry::text(&account, &args.out, &account_path))?;
    }
    Ok(Ended::open_if(account.totals.open > 0))
}

/// One call of the command.
struct Job<'a> {
    args: &'a CarryArgs,
    config: &'a Config,
    console: &'a Console,
}

impl Job<'_> {
    /// Carries an edited parent, and the child themes beside it.
    fn together(&self, global: &Global) -> Result<Ended, Failure> {
        let folder = |path: &Path| path.file_name().map(|n| self.args.out.join(n)).unwrap_or_default();
        let mut accounts = Vec::new();
        let sources = &self.args.sources;
        let site = Site::open(sources, &[], self.config)?;
        let mine = |r: &&PathBuf| {
            let name = stock::label(r).and_then(|(name, _)| name.map(String::from));
            name.is_none() || name == site.identity().name
        };
        let release = self.args.release.iter().find(mine).unwrap_or(&self.args.release[0]).clone();
        // What a child lacks is told before anything is written.
        let mut children = Vec::new();
        for path in &self.args.child {
            let child =
                Sources { site: path.clone(), base: None, inside: None, settings: Vec::new(), ..sources.clone() };
            let child = Site::open(&child, &[], self.config)?.site;
            children::vendors(&child.identity(), &self.args.release, self.config)?;
            children.push(child);
        }
        let out = folder(&sources.site);
        let account_path = beside(&out, "account.json");
        accounts.push((self.theme(site, &release, &out, &account_path)?, out, account_path));
        for (path, child) in self.args.child.iter().zip(&children) {
            let out = folder(path);
            let account_path = beside(&out, "account.json");
            accounts.push((self.child(child, path, &out, &account_path)?, out, account_path));
        }
        if global.format == Format::Json {
            console_json(self.console, &accounts)?;
        } else {
            for (k, (account, out, path)) in accounts.iter().enumerate() {
                self.console.result(&format!(
                    "{}{}",
                    if k > 0 { "\n" } else { "" },
                    show::carry::text(account, out, path)
                ))?;
            }
        }
        Ok(Ended::open_if(accounts.iter().any(|(a, ..)| a.totals.open > 0)))
    }

    /// Carries a theme, or a single file.
    fn theme(&self, site: Site<'_>, release: &Path, out: &Path, account_path: &Path) -> Result<Account, Failure> {
        let (args, config) = (self.args, self.config);
        let site_at = args.sources.site.clone();
        let three = site.with_release(release, self.console)?;
        self.apart(
            out,
            account_path,
            &[("base", &three.pair.base_at), ("site", &site_at), ("release", &three.release_at)],
        )?;
        let mut notes = Notes::read(config, &site_at)?;
        let progress = Progress::new(self.console, "carrying");
        let inputs = Inputs {
            base: three.pair.base.tree(),
            site: three.pair.site.tree(),
            release: three.release.tree(),
            layout: &config.layout,
            themes: three.describe(&site_at, Some(account_path)),
            vendor_notes: three.vendor_notes(),
            notes_on: notes.by_change(),
            progress: &|done, all| progress.at(done, all),
            unnamed: String::new(),
        };
        let options = CarryOptions::from(&args.merging);
        let opened =
            if args.through.is_empty() { Vec::new() } else { three.stops(&args.through, &args.sources, config)? };
        let stops = self.way(&args.through, &opened, &inputs, &options)?;
        let mut account = match (&three.pair.site, &three.release) {
            (Source::Theme(site), Source::Theme(release)) => {
                let aside = beside(out, "aside");
                let building = Building::begin(out, &aside, args.replace, &site.tree, &release.tree)?;
                let mut account = carry_through(&inputs, &stops, &options, &building)?;
                let trees = [&inputs.base, &inputs.site, &inputs.release];
                self.remember(&mut account, &building, trees.map(|t| *t), [&site.tree, &release.tree], &site_at)?;
                account.walk = walk(&account, inputs.site, inputs.release, &config.layout);
                building.finish()?;
                account
            }
            _ => one_file(args, &inputs, &options)?,
        };
        drop(progress);
        exports::record(&mut account, &three.pair.exports, account_path);
        write_account(account_path, &account)?;
        if account.changes.iter().any(|c| c.note.is_some()) && out.is_dir() {
            let result = FolderTree::read(out, args.sources.bounds.link_rule(), args.sources.bounds.limits())?;
            if notes.follow(&account, three.release.tree(), &result, &config.layout)? {
                notes.save()?;
            }
        }
        Ok(account)
    }

    /// The releases to step through: all that were named, or of those in stock the ones that leave least to decide.
    fn way<'s>(
        &self,
        named: &[String],
        opened: &'s [(String, Source, PathBuf)],
        inputs: &Inputs<'_>,
        options: &CarryOptions,
    ) -> Result<Vec<Stop<'s>>, Failure> {
        let stops = || {
            opened.iter().map(|(_, source, at)| Stop {
                tree: source.tree(),
                theme: source.describe(at.display().to_string()),
            })
        };
        if named != ["auto"] {
            return Ok(stops().collect());
        }
        if opened.is_empty() {
            self.console.say("no release in stock lies between base and release: going straight");
            return Ok(Vec::new());
        }
        let (way, open, direct) = best_way(inputs, &stops().collect::<Vec<_>>(), options)?;
        let versions: Vec<&str> = way.iter().map(|k| opened[*k].0.as_str()).collect();
        self.console.say(&if way.is_empty() {
            format!("going straight: no way through {} leaves less to decide", count(opened.len(), "release"))
        } else {
            format!(
                "going through {}: {} open, {} fewer than the direct jump leaves",
                versions.join(", "),
                count(open, "decision"),
                direct - open
            )
        });
        Ok(stops().enumerate().filter(|(k, _)| way.contains(k)).map(|(_, stop)| stop).collect())
    }

    /// Carries the overrides of a child theme, each with the base that it came from.
    fn child(&self, site: &Source, site_at: &Path, out: &Path, account_path: &Path) -> Result<Account, Failure> {
        let (args, config) = (self.args, self.config);
        let Source::Theme(opened) = site else {
            return Err(Trouble::new("a child theme is a folder or an archive").into());
        };
        self.apart(out, account_path, &[("child theme", site_at)])?;
        let vendors = children::vendors(&opened.identity, &args.release, config)?;
        let found = vendors.overrides(&opened.tree, &opened.identity, &config.layout)?;
        let record = children::record(found, args.prune);
        let parts = children::assemble(&opened.tree, &record, &vendors.stock, &config.layout)?;
        let notes = Notes::read(config, site_at)?;
        let progress = Progress::new(self.console, "carrying");
        let stocked = |files: usize, version: Option<String>| Theme {
            source: themes::relative(vendors.stock.dir(), account_path),
            inside: None,
            title: None,
            name: opened.identity.parent.clone(),
            version,
            files,
            settings: Vec::new(),
        };
        let newest = vendors.current().first().map(|r| r.version.clone());
        let inputs = Inputs {
            base: &parts.base,
            site: &parts.site,
            release: &parts.release,
            layout: &config.layout,
            themes: Themes {
                base: stocked(parts.base.entries().len(), None),
                site: site.describe(themes::relative(site_at, account_path)),
                release: stocked(parts.release.entries().len(), newest),
            },
            vendor_notes: Vec::new(),
            notes_on: notes.by_change(),
            progress: &|done, all| progress.at(done, all),
            unnamed: String::new(),
        };
        let aside = beside(out, "aside");
        let building = Building::begin(out, &aside, args.replace, &parts.site, &parts.release)?;
        let mut account = carry(&inputs, &CarryOptions::from(&args.merging), &building)?;
        drop(progress);
        // An override gets the new stamp only when nothing in it is open.
        for decision in &account.decisions {
            let site_path =
                account.files.iter().find(|f| f.path == decision.path).and_then(|f| f.site_path.as_ref());
            let Some(stamp) = parts.stamps.get(site_path.unwrap_or(&decision.path)).or_else(|| {
                record.overrides.iter().find(|o| o.path == decision.path).and_then(|o| o.stamp.as_ref())
            }) else {
                continue;
            };
            let pattern = config.layout.stamp.as_deref();
            let Some(bytes) = building.read(&decision.path)? else { continue };
            let Some(found) = find_stamp(&bytes, pattern) else { continue };
            let bytes = with_stamp(&bytes, &found, stamp);
            if let Some(file) = account.files.iter_mut().find(|f| f.path == decision.path) {
                file.digest = Some(Digest::of(&bytes).hex());
            }
            building.change(&[(decision.path.clone(), Edit::Bytes(bytes))])?;
        }
        account.child = Some(record.clone());
        let trees: [&dyn Tree; 3] = [&parts.base, &parts.site, &parts.release];
        self.remember(&mut account, &building, trees, [&parts.site, &parts.release], site_at)?;
        account.walk = walk(&account, &parts.site, &parts.release, &config.layout);
        building.finish()?;
        for (path, text) in children::remarks(&record, &parts.stamps) {
            account.remarks.push(Remark { path, text });
        }
        write_account(account_path, &account)?;
        let (order, warnings) = vendors.order(opened.identity.name.as_deref().unwrap_or("the child theme"));
        for warning in warnings {
            self.console.warn(&warning);
        }
        if vendors.current().len() > 1 {
            self.console.say(&format!("update in this order: {}", order.join(", then ")));
        }
        Ok(account)
    }

    /// Gives the answers that were given before: the same three contents are not asked about again.
    fn remember(
        &self,
        account: &mut Account,
        building: &Building<'_>,
        [base, site, release]: [&dyn Tree; 3],
        [site_files, release_files]: [&FolderTree; 2],
        site_at: &Path,
    ) -> Result<(), Failure> {
        if self.args.ask_again {
            return Ok(());
        }
        let answers = Answers::read(&self.args.memory, self.config, site_at)?;
        let read = |side: Side, path: &str| {
            let tree = match side {
                Side::Result => return building.read(path),
                Side::Base => base,
                Side::Site => site,
                Side::Release => release,
            };
            tree.find(path).map(|k| tree.read(k)).transpose()
        };
        let settling = Settling { read: &read, stamp: self.config.layout.stamp.as_deref() };
        let open: Vec<Decision> = account.decisions.iter().filter(|d| d.state == State::Open).cloned().collect();
        for decision in open {
            let Some(answer) = answers.memory.recall(&decision) else { continue };
            // An answer that does not fit here leaves the question open.
            let Ok(puts) = settling.settle(account, &decision.id, answer) else { continue };
            let edits = puts.into_iter().map(|(path, put)| {
                let edit = match put {
                    Put::Bytes(bytes) => Edit::Bytes(bytes),
                    Put::Nothing => Edit::Remove,
                    Put::Copy(side, name) => {
                        let tree = if side == Side::Site { site_files } else { release_files };
                        tree.find(&name).map_or(Edit::Remove, |k| Edit::Copy(tree, k))
                    }
                };
                (path, edit)
            });
            building.change(&edits.collect::<Vec<_>>())?;
        }
        Ok(())
    }

    /// The result must not lie in an input, nor an input in it, nor the account in the result.
    fn apart(&self, out: &Path, account_path: &Path, inputs: &[(&str, &Path)]) -> Result<(), Trouble> {
        if account_path.starts_with(out) {
            return Err(Trouble::new("the account would lie inside the result")
                .hint("a theme holds nothing of Daxle: name another place with --account"));
        }
        apart(out, inputs)
    }
}

fn console_json(console: &Console, accounts: &[(Account, PathBuf, PathBuf)]) -> Result<(), Failure> {
    console.json(&accounts.iter().map(|(account, ..)| account).collect::<Vec<_>>())
}

fn apart(out: &Path, inputs: &[(&str, &Path)]) -> Result<(), Trouble> {
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
