//! The result of a carry: its account, its files, and the three themes that it came from, opened when needed.

use std::cell::OnceCell;
use std::path::{Path, PathBuf};

use daxle_core::carry::account::{Account, FORMAT, FORMAT_VERSION, Theme};
use daxle_core::carry::settle::{Put, Puts, Side};
use daxle_core::carry::{Evidence, Finding, FindingKind, Proof, Since, verify, walk};
use daxle_core::catalog::{ByteOrder, Catalog, compile};
use daxle_core::theme::{Digest, MemoryTree, ReadError, Tree, read_identity};
use daxle_files::{Edit, FolderTree, Trouble, edit_files, is_inside, read_under, write_file};

use crate::args::CarriedArgs;
use crate::changesets;
use crate::children::{self, Assembled};
use crate::config::Config;
use crate::console::Failure;
use crate::exports;
use crate::stock::{self, Place};
use crate::themes::{Opening, Source};

/// The result of a carry.
pub(crate) struct Carried<'a> {
    args: &'a CarriedArgs,
    config: &'a Config,
    pub(crate) account_path: PathBuf,
    pub(crate) account: Account,
    /// The name of the file, for the carry of a single one.
    single: Option<String>,
    sides: OnceCell<Sides>,
    result: OnceCell<Box<dyn Tree>>,
}

/// The three themes of a carry.
struct Sides {
    site: Source,
    /// Base and release, but for a child theme.
    others: Option<[Source; 2]>,
    /// What a child's base and release were put together from.
    parts: Option<Assembled>,
}

impl<'a> Carried<'a> {
    /// Reads the account of a result.
    pub(crate) fn open(args: &'a CarriedArgs, config: &'a Config) -> Result<Self, Trouble> {
        let account_path = args.account.clone().unwrap_or_else(|| beside(&args.dir, "account.json"));
        if !args.dir.exists() {
            return Err(Trouble::new(format!("there is no result at {}", args.dir.display()))
                .hint("name the folder that `daxle carry --out` made"));
        }
        let account = read_account(&account_path)?;
        let first = || account.files.first().map(|f| f.path.clone()).unwrap_or_default();
        let single = args.dir.is_file().then(first);
        let (sides, result) = (OnceCell::new(), OnceCell::new());
        Ok(Carried { args, config, account_path, account, single, sides, result })
    }

    pub(crate) fn dir(&self) -> &Path {
        &self.args.dir
    }

    /// Proves the account, and takes down what was settled by editing the files.
    pub(crate) fn prove(&mut self) -> Result<Proof, Failure> {
        let mut proof = verify(&self.account, &self.evidence()?)?;
        proof.findings.extend(self.parent()?);
        if !self.config.layout.walk.is_empty() {
            let (site, release) = (self.tree(Side::Site)?, self.tree(Side::Release)?);
            proof.account.walk = walk(&proof.account, site, release, &self.config.layout);
        }
        if proof.account != self.account {
            self.account = proof.account.clone();
            self.save()?;
        }
        Ok(proof)
    }

    /// A parent that is neither in stock nor beside the site or the result.
    fn parent(&self) -> Result<Option<Finding>, Trouble> {
        let identity = read_identity(self.result()?, &self.config.layout);
        let Some(parent) = identity.parent else { return Ok(None) };
        let stocked = self.config.stock().is_ok_and(|stock| stock.of(&parent).next().is_some());
        let near = |path: &Path| path.canonicalize().ok()?.parent().map(|p| p.join(&parent).is_dir());
        let site = self.account_path.with_file_name("").join(&self.account.themes.site.source);
        if stocked || near(&self.args.dir) == Some(true) || near(&site) == Some(true) {
            return Ok(None);
        }
        let site = read_identity(self.tree(Side::Site)?, &self.config.layout);
        Ok(Some(Finding {
            kind: FindingKind::ParentMissing,
            path: identity.file.unwrap_or_default(),
            line: None,
            change: None,
            since: if site.parent.as_ref() == Some(&parent) { Since::Site } else { Since::Carry },
            means: format!("its parent {parent} is neither in stock nor beside it"),
            mend: "add the parent's releases to the stock, or name the right parent".into(),
        }))
    }

    /// The result as a folder.
    pub(crate) fn files(&self) -> Result<FolderTree, Trouble> {
        if self.single.is_some() {
            return Err(Trouble::new(format!("{} is a single file", self.args.dir.display()))
                .hint("copy it to where it belongs"));
        }
        FolderTree::read(&self.args.dir, self.args.bounds.link_rule(), self.args.bounds.limits())
    }

    /// The short name of the carried theme: its folder's name.
    pub(crate) fn name(&self, files: &FolderTree) -> String {
        let identity = read_identity(files, &self.config.layout);
        let themes = &self.account.themes;
        let known = identity.name.or_else(|| themes.release.name.clone()).or_else(|| themes.site.name.clone());
        let folder = || self.args.dir.canonicalize().ok()?.file_name().map(|n| n.to_string_lossy().into_owned());
        known.or_else(folder).unwrap_or_else(|| "theme".into())
    }

    /// Writes the account.
    pub(crate) fn save(&self) -> Result<(), Failure> {
        write_account(&self.account_path, &self.account)
    }

    /// Opens what the account says that the carry was made from.
    fn sides(&self) -> Result<&Sides, Trouble> {
        if let Some(sides) = self.sides.get() {
            return Ok(sides);
        }
        let themes = &self.account.themes;
        let place = self.place("site", &themes.site, self.args.site.as_ref())?;
        let site = if changesets::is_one(&place.path) {
            let base = self.source("base", &themes.base, self.args.base.as_ref())?;
            let Source::Theme(base) = &base else {
                return Err(Trouble::new("a change set is made on a theme"));
            };
            let opened = changesets::open(&place.path, &base.tree, &self.config.layout, &|_| {})?;
            Source::Theme(Box::new(opened))
        } else {
            self.source("site", &themes.site, self.args.site.as_ref())?
        };
        let given = exports::recorded(&themes.site.settings, &self.account_path);
        let (site, _) = exports::exchange(site, &given, &self.config.layout)?;
        let parts = match (&self.account.child, &site) {
            (Some(record), Source::Theme(child)) => {
                Some(children::assemble(&child.tree, record, &self.config.stock()?, &self.config.layout)?)
            }
            _ => None,
        };
        let others = match &parts {
            Some(_) => None,
            None => Some([
                self.source("base", &themes.base, self.args.base.as_ref())?,
                self.source("release", &themes.release, self.args.release.as_ref())?,
            ]),
        };
        Ok(self.sides.get_or_init(|| Sides { site, others, parts }))
    }

    /// The theme of a side.
    pub(crate) fn tree(&self, side: Side) -> Result<&dyn Tree, Trouble> {
        if side == Side::Result {
            return self.result();
        }
        let sides = self.sides()?;
        Ok(match (side, &sides.parts, &sides.others) {
            (Side::Base, Some(parts), _) => &parts.base,
            (Side::Site, Some(parts), _) => &parts.site,
            (_, Some(parts), _) => &parts.release,
            (Side::Base, None, Some(others)) => others[0].tree(),
            (Side::Release, None, Some(others)) => others[1].tree(),
            _ => sides.site.tree(),
        })
    }

    /// The folder of a side, for copies with their permissions.
    fn folder(&self, side: Side) -> Result<Option<&FolderTree>, Trouble> {
        let sides = self.sides()?;
        Ok(match (side, &sides.parts, &sides.others) {
            (Side::Base, Some(parts), _) => Some(&parts.base),
            (Side::Site, Some(parts), _) => Some(&parts.site),
            (Side::Release, Some(parts), _) => Some(&parts.release),
            (Side::Base, None, Some([Source::Theme(opened), _]))
            | (Side::Release, None, Some([_, Source::Theme(opened)])) => Some(&opened.tree),
            (Side::Site, None, _) => match &sides.site {
                Source::Theme(opened) => Some(&opened.tree),
                Source::File(_) => None,
            },
            _ => None,
        })
    }

    /// The result as it lies there now.
    fn result(&self) -> Result<&dyn Tree, Trouble> {
        if let Some(tree) = self.result.get() {
            return Ok(tree.as_ref());
        }
        let tree: Box<dyn Tree> = match &self.single {
            Some(name) => {
                let bytes = std::fs::read(&self.args.dir).map_err(|e| Trouble::io("read", &self.args.dir, &e))?;
                Box::new(MemoryTree::new([(name.clone(), bytes)]))
            }
            None => {
                let bounds = &self.args.bounds;
                Box::new(FolderTree::read(&self.args.dir, bounds.link_rule(), bounds.limits())?)
            }
        };
        Ok(self.result.get_or_init(|| tree).as_ref())
    }

    /// All four themes, for a proof.
    pub(crate) fn evidence(&self) -> Result<Evidence<'_>, Trouble> {
        Ok(Evidence {
            base: self.tree(Side::Base)?,
            site: self.tree(Side::Site)?,
            release: self.tree(Side::Release)?,
            result: self.tree(Side::Result)?,
        })
    }

    /// Reads a file of a side; of the result as it lies there now.
    pub(crate) fn read(&self, side: Side, path: &str) -> Result<Option<Vec<u8>>, ReadError> {
        match (side, &self.single) {
            (Side::Result, None) => read_under(&self.args.dir, path),
            (Side::Result, Some(_)) => {
                let failed = |e: std::io::Error| ReadError { path: path.to_string(), why: e.to_string() };
                std::fs::read(&self.args.dir).map(Some).map_err(failed)
            }
            _ => {
                let failed = |e: Trouble| ReadError { path: path.to_string(), why: e.to_string() };
                let tree = self.tree(side).map_err(failed)?;
                tree.find(path).map(|k| tree.read(k)).transpose()
            }
        }
    }

    /// Writes what an answer came to into the result, and the account.
    pub(crate) fn put(&mut self, puts: &Puts) -> Result<(), Failure> {
        let mut edits = Vec::new();
        for (path, put) in puts {
            let edit = match put {
                Put::Bytes(bytes) => Edit::Bytes(bytes.clone()),
                Put::Nothing => Edit::Remove,
                Put::Copy(side, name) => match self.folder(*side)?.and_then(|t| Some((t, t.find(name)?))) {
                    Some((tree, index)) => Edit::Copy(tree, index),
                    None => Edit::Bytes(self.read(*side, name)?.unwrap_or_default()),
                },
            };
            edits.push((path.clone(), edit));
        }
        let compiled = self.compiled(&edits)?;
        let digests: Vec<(String, String)> =
            compiled.iter().map(|(path, bytes)| (path.clone(), Digest::of(bytes).hex())).collect();
        edits.extend(compiled.into_iter().map(|(path, bytes)| (path, Edit::Bytes(bytes))));
        match (&self.single, &edits[..]) {
            (Some(_), [(_, Edit::Bytes(bytes))]) => write_file(&self.args.dir, bytes)?,
            (Some(_), []) => {}
            (Some(_), _) => {
                return Err(Trouble::new("a single file cannot be taken out of the result").into());
            }
            (None, edits) => edit_files(&self.args.dir, edits)?,
        }
        for (path, digest) in digests {
            let record = self.account.files.iter_mut().find(|f| f.path == path);
            record.into_iter().for_each(|record| record.digest = Some(digest.clone()));
        }
        self.result.take();
        self.save()
    }

    /// The compiled catalogs beside those that are edited, compiled anew.
    fn compiled(&self, edits: &[(String, Edit<'_>)]) -> Result<Vec<(String, Vec<u8>)>, Failure> {
        let mut out = Vec::new();
        for (path, edit) in edits {
            let (Some(stem), Edit::Bytes(bytes), None) = (path.strip_suffix(".po"), edit, &self.single) else {
                continue;
            };
            let path = format!("{stem}.mo");
            let order = self.read(Side::Result, &path)?.and_then(|old| ByteOrder::of(&old));
            if let (Some(order), Ok(catalog)) = (order, Catalog::parse(bytes)) {
                out.extend(compile(&catalog, order).map(|bytes| (path, bytes)));
            }
        }
        Ok(out)
    }

    /// Where a theme of the account is now.
    fn place(&self, role: &str, theme: &Theme, given: Option<&PathBuf>) -> Result<Place, Trouble> {
        let folder = self.account_path.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
        let placed = match given {
            Some(given) => stock::locate(given, theme.inside.as_deref(), theme.name.as_deref(), self.config)?,
            None => Place { path: folder.join(&theme.source), inside: theme.inside.clone() },
        };
        if !placed.path.exists() {
            return Err(Trouble::new(format!("the {role} is no longer at {}", placed.path.display()))
                .hint(format!("say where it is now with --{role}")));
        }
        Ok(placed)
    }

    fn source(&self, role: &str, theme: &Theme, given: Option<&PathBuf>) -> Result<Source, Trouble> {
        let placed = self.place(role, theme, given)?;
        let opening =
            Opening { layout: &self.config.layout, bounds: &self.args.bounds, inside: placed.inside.as_deref() };
        opening.open(&placed.path, None, self.single.as_deref())
    }
}

/// Names a companion of the result: `DIR.account.json`.
pub(crate) fn beside(out: &Path, what: &str) -> PathBuf {
    // `carried/.` and `.` have a name too, once they are resolved.
    let full =
        if out.file_name().is_none() { out.canonicalize().unwrap_or_else(|_| out.into()) } else { out.into() };
    let mut name = full.file_name().map(ToOwned::to_owned).unwrap_or_default();
    name.push(".");
    name.push(what);
    full.with_file_name(name)
}

/// Writes an account.
pub(crate) fn write_account(path: &Path, account: &Account) -> Result<(), Failure> {
    let mut text = serde_json::to_vec_pretty(account).map_err(std::io::Error::other)?;
    text.push(b'\n');
    Ok(write_file(path, &text)?)
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
    let account: Account = serde_json::from_slice(&text).map_err(broken)?;
    let files = account.files.iter().map(|f| f.path.as_str());
    if let Some(path_out) = files.chain(account.decisions.iter().map(|d| d.path.as_str())).find(|p| !is_inside(p)) {
        return Err(Trouble::new(format!("{} is no account", path.display()))
            .why(format!("{path_out} leads out of the theme"))
            .hint("carry again to get a new one"));
    }
    Ok(account)
}
