//! Child themes: their vendors from stock, and the three themes that a carry of their overrides works on.

use std::collections::{BTreeMap, HashMap};
use std::path::{Path, PathBuf};

use daxle_core::carry::account::ChildRecord;
use daxle_core::child::{Override, State, Vendor, chain, overrides};
use daxle_core::stock::Print;
use daxle_core::theme::{Identity, Layout, Tree, Version, find_stamp, with_stamp};
use daxle_files::{
    FolderTree, Limits, LinkRule, OpenOptions, Opened, Release, Stock, Trouble, open_all, open_theme, write_file,
};
use tempfile::TempDir;

use crate::config::Config;
use crate::show::count;
use crate::stock;

/// The vendors of a child theme, with every release in stock.
pub(crate) struct Vendors {
    pub(crate) stock: Stock,
    /// Short names: the ancestors, nearest first, then the companions.
    names: Vec<String>,
    companions: usize,
    releases: HashMap<String, Vec<(Release, Print)>>,
    /// The release of each that is carried to, as an index.
    current: HashMap<String, usize>,
}

/// Finds the vendors of a child theme in stock. `wanted` are the releases that were named; of the others the newest
/// counts.
pub(crate) fn vendors(identity: &Identity, wanted: &[PathBuf], config: &Config) -> Result<Vendors, Trouble> {
    let name = identity.name.as_deref().unwrap_or("the child theme");
    let Some(parent) = identity.parent.as_deref() else {
        return Err(Trouble::new(format!("{name} names no parent, so it is no child theme")).hint(
            "its parent's short name belongs on its identity card; [layout.identity] in daxle.toml says where",
        ));
    };
    let stock = config.stock()?;
    let parent_of = |name: &str| stock.of(name).next_back().map(|r| r.parent.clone());
    let mut names = chain(name, parent, parent_of).map_err(|e| {
        let known: Vec<&str> = stock.releases().iter().map(|r| r.name.as_str()).collect();
        let near = known.iter().min_by_key(|k| strsim::damerau_levenshtein(k, parent));
        let near = near.filter(|k| strsim::damerau_levenshtein(k, parent) <= 2);
        let hint = match near {
            Some(near) => format!("did you mean {near}? Otherwise add its releases with `daxle stock add FILE`"),
            None => "add the parent's releases with `daxle stock add FILE`, or mend the identity card".to_string(),
        };
        Trouble::new(format!("the parents of {name} cannot be told")).why(e.to_string()).hint(hint)
    })?;
    let ancestors = names.len();
    for mapping in &config.layout.overrides {
        if let Some(of) = &mapping.of
            && !names.contains(of)
        {
            names.push(of.clone());
        }
    }
    let mut releases = HashMap::new();
    let mut current = HashMap::new();
    names.retain(|n| stock.of(n).next().is_some());
    for name in &names {
        let list = stock.of(name).map(|r| Ok((r.clone(), stock.print(r)?))).collect::<Result<Vec<_>, Trouble>>()?;
        current.insert(name.clone(), list.len() - 1);
        releases.insert(name.clone(), list);
    }
    let companions = names.len().saturating_sub(ancestors);
    let mut vendors = Vendors { stock, names, companions, releases, current };
    for given in wanted {
        vendors.aim(given, config)?;
    }
    Ok(vendors)
}

impl Vendors {
    /// Sets the release that is carried to: `NAME@VERSION`, `VERSION`, or a package whose release is in stock.
    fn aim(&mut self, given: &Path, config: &Config) -> Result<(), Trouble> {
        let labels: Vec<(Option<String>, String)> = match stock::label(given) {
            Some((name, version)) => vec![(name.map(String::from), version.to_string())],
            None => open_all(given, &config.layout, &OpenOptions::default())?
                .into_iter()
                .filter(|o| o.identity.name.as_ref().is_some_and(|n| self.names.contains(n)))
                .filter_map(|o| Some((Some(o.identity.name?), o.identity.version?)))
                .collect(),
        };
        let fits = |name: &str, version: &str| {
            let wanted = Version::parse(version);
            self.releases[name].iter().position(|(r, _)| Version::parse(&r.version) == wanted)
        };
        let mut found = Vec::new();
        for (name, version) in &labels {
            let of: Vec<&String> =
                self.names.iter().filter(|n| name.as_ref().is_none_or(|name| name == *n)).collect();
            // Without a name the nearest ancestor that has the version is meant.
            found.extend(of.iter().find_map(|n| Some(((*n).clone(), fits(n, version)?))));
        }
        if found.is_empty() {
            let known: Vec<String> =
                self.names.iter().flat_map(|n| &self.releases[n]).map(|(r, _)| r.label()).collect();
            return Err(Trouble::new(format!(
                "{} is no release in stock that this child theme builds on",
                given.display()
            ))
            .hint(format!("add it with `daxle stock add FILE`; there are {}", known.join(", "))));
        }
        self.current.extend(found);
        Ok(())
    }

    /// The vendors as the core sees them.
    fn list(&self) -> Vec<Vendor<'_>> {
        let ancestors = self.names.len() - self.companions;
        let vendor = |(k, name): (usize, &String)| {
            let list = &self.releases[name];
            Vendor {
                name: self.names[k].as_str(),
                releases: list.iter().map(|(r, p)| (r.version.as_str(), p)).collect(),
                current: self.current[name],
                companion: k >= ancestors,
            }
        };
        self.names.iter().enumerate().map(vendor).collect()
    }

    /// Lists a child's overrides.
    pub(crate) fn overrides(
        &self,
        child: &dyn Tree,
        identity: &Identity,
        layout: &Layout,
    ) -> Result<Vec<Override>, Trouble> {
        let print = Print::of(child, layout).map_err(|e| Trouble::new(e.to_string()))?;
        overrides(&print, identity.file.as_deref(), &self.list(), layout).map_err(|e| {
            Trouble::new(e.to_string()).hint("[[layout.overrides]] in daxle.toml must tell the two apart")
        })
    }

    /// The releases that are carried to.
    pub(crate) fn current(&self) -> Vec<&Release> {
        self.names.iter().map(|n| &self.releases[n][self.current[n]].0).collect()
    }

    /// In which order to update, and what does not go together.
    pub(crate) fn order(&self, child: &str) -> (Vec<String>, Vec<String>) {
        let current = self.current();
        let mut warnings = Vec::new();
        for release in &current {
            for (name, lowest) in &release.requires {
                let other = current.iter().find(|r| r.name == *name);
                match other {
                    Some(other) if Version::parse(&other.version) < Version::parse(lowest) => {
                        warnings.push(format!(
                            "{} needs {name} {lowest} or newer, and {} is what is carried to",
                            release.label(),
                            other.label()
                        ));
                    }
                    Some(_) => {}
                    None => warnings
                        .push(format!("{} needs {name} {lowest} or newer, which is not in stock", release.label())),
                }
            }
        }
        // What needs nothing of the others comes first; those that need each other go together.
        let needs = |r: &Release, other: &Release| r.requires.contains_key(&other.name);
        let mut left: Vec<&Release> = current.iter().rev().copied().collect();
        let mut steps: Vec<String> = Vec::new();
        while !left.is_empty() {
            let free: Vec<&Release> =
                left.iter().copied().filter(|r| !left.iter().any(|o| o.name != r.name && needs(r, o))).collect();
            let step = if free.is_empty() { left.clone() } else { free };
            let mut labels: Vec<String> = step.iter().map(|r| r.label()).collect();
            labels.sort();
            let together = if step.len() > 1 && step.iter().any(|r| step.iter().any(|o| needs(r, o))) {
                " (they need each other: in one go)"
            } else {
                ""
            };
            steps.push(format!("{}{together}", labels.join(" and ")));
            left.retain(|r| !step.iter().any(|s| s.name == r.name));
        }
        steps.push(child.to_string());
        (steps, warnings)
    }
}

/// The three themes of a child's carry: for each override the vendor file that it came from, and the one that is now.
pub(crate) struct Assembled {
    pub(crate) base: FolderTree,
    pub(crate) site: FolderTree,
    pub(crate) release: FolderTree,
    /// The stamps of the site's overrides, by path, where they were set to the base's for the merge.
    pub(crate) stamps: BTreeMap<String, String>,
    _dirs: Vec<TempDir>,
}

/// Puts together the three themes. What is the child's own stands in the site's theme only.
pub(crate) fn assemble(
    child: &FolderTree,
    record: &ChildRecord,
    stock: &Stock,
    layout: &Layout,
) -> Result<Assembled, Trouble> {
    let dirs = (0..3)
        .map(|_| tempfile::Builder::new().prefix("daxle-").tempdir())
        .collect::<Result<Vec<TempDir>, _>>()
        .map_err(|e| Trouble::io("make a folder in", &std::env::temp_dir(), &e))?;
    let [base_dir, site_dir, release_dir] = [0, 1, 2].map(|k| dirs[k].path().to_path_buf());
    let mut opened: HashMap<String, Opened> = HashMap::new();
    let mut vendor_file = |name: &str, version: &str, path: &str| -> Result<Vec<u8>, Trouble> {
        let label = format!("{name}@{version}");
        if !opened.contains_key(&label) {
            let release = stock::find(stock, Some(name), version, None)?;
            let options = OpenOptions { inside: release.inside.as_deref(), ..OpenOptions::default() };
            opened.insert(label.clone(), open_theme(&stock.archive(release), layout, &options)?);
        }
        opened[&label].tree.read_path(path).ok_or_else(|| {
            Trouble::new(format!("{label} has no file {path}"))
                .hint("the stock does not fit the account: carry again")
        })
    };
    let by_path: HashMap<&str, &Override> = record.overrides.iter().map(|o| (o.path.as_str(), o)).collect();
    let mut stamps = BTreeMap::new();
    for (k, entry) in child.entries().iter().enumerate() {
        if record.pruned.contains(&entry.path) {
            continue;
        }
        let mut bytes = child.read(k).map_err(|e| Trouble::new(e.to_string()))?;
        if let Some(found) = by_path.get(entry.path.as_str())
            && let Some(version) = base_version(found)
        {
            let base = vendor_file(&found.vendor, version, &found.vendor_path)?;
            let pattern = layout.stamp.as_deref();
            if let (Some(own), Some(vendors)) = (find_stamp(&bytes, pattern), find_stamp(&base, pattern))
                && own.version != vendors.version
            {
                bytes = with_stamp(&bytes, &own, &vendors.version);
                stamps.insert(entry.path.clone(), own.version);
            }
            write_file(&base_dir.join(&entry.path), &base)?;
            if let Some((path, now)) = target(found, layout) {
                let text = vendor_file(&found.vendor, &found.current, now)?;
                write_file(&release_dir.join(path), &text)?;
            }
        }
        let to = site_dir.join(&entry.path);
        write_file(&to, &bytes)?;
        if let Some(permissions) = child.permissions(k) {
            std::fs::set_permissions(&to, permissions.clone()).map_err(|e| Trouble::io("write", &to, &e))?;
        }
    }
    let read = |dir: &Path| FolderTree::read(dir, LinkRule::Refuse, Limits::default());
    Ok(Assembled {
        base: read(&base_dir)?,
        site: read(&site_dir)?,
        release: read(&release_dir)?,
        stamps,
        _dirs: dirs,
    })
}

/// The release that an override is merged from: of equal ones the one that its stamp names, else the newest.
fn base_version(found: &Override) -> Option<&str> {
    let stamped = found.stamp.as_ref().and_then(|stamp| {
        let stamp = Version::parse(stamp);
        found.from.iter().find(|v| Version::parse(v) == stamp)
    });
    stamped.or(found.from.last()).map(String::as_str)
}

/// Where an override goes in the child, and the vendor file that it shadows now; `None` where that is gone.
fn target<'o>(found: &'o Override, layout: &Layout) -> Option<(String, &'o str)> {
    match (&found.now, found.state) {
        (Some(now), _) => {
            let mapping = layout.overrides.iter().find(|m| m.vendor_path(&found.path) == Some(&found.vendor_path));
            Some((mapping.map_or_else(|| now.clone(), |m| m.child_path(now)), now))
        }
        (None, State::Orphaned | State::Unknown) => None,
        (None, _) => Some((found.path.clone(), &found.vendor_path)),
    }
}

/// The overrides that can go, if they are to.
pub(crate) fn record(overrides: Vec<Override>, prune: bool) -> ChildRecord {
    let needless = overrides.iter().filter(|o| o.state == State::Needless && prune);
    ChildRecord { pruned: needless.map(|o| o.path.clone()).collect(), overrides }
}

/// What is worth saying of the overrides besides their merging.
pub(crate) fn remarks(record: &ChildRecord, stamps: &BTreeMap<String, String>) -> Vec<(String, String)> {
    let mut out: Vec<(String, String)> = record
        .pruned
        .iter()
        .map(|path| (path.clone(), "left out: it equals the vendor's file".to_string()))
        .collect();
    for found in &record.overrides {
        let said = match found.state {
            State::StampedNotMerged => Some(format!(
                "its stamp said {}, but its text is from {}; it lacked {} that the vendor changed",
                stamps.get(&found.path).or(found.stamp.as_ref()).map_or("", String::as_str),
                found.from.last().map_or("", String::as_str),
                count(found.vendor_lines, "line")
            )),
            State::Unknown => {
                Some("no release in stock has a file that this could come from; kept as it is".to_string())
            }
            _ => None,
        };
        out.extend(said.map(|text| (found.path.clone(), text)));
    }
    out
}
