//! Child themes: which vendor file an override shadows, which release its text comes from, and what it needs.

mod chain;
mod new;

pub use chain::{ChainError, chain};
pub use new::{Naming, NewChild, name_fault, new_child, repoint};

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use crate::stock::{FilePrint, Print};
use crate::theme::{Layout, OverrideMapping, Version};

/// The releases of one vendor theme, oldest first.
#[derive(Debug, Clone)]
pub struct Vendor<'a> {
    /// The theme's short name.
    pub name: &'a str,
    /// Versions as written, and what the releases hold.
    pub releases: Vec<(&'a str, &'a Print)>,
    /// The release that runs now, or is to be carried to: an index into the releases.
    pub current: usize,
    /// It is a companion: overrides of it stand where the layout maps them, not under its own paths.
    pub companion: bool,
}

/// How an override stands to its vendor file.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum State {
    /// Its stamp names a release whose changes are not in it.
    StampedNotMerged,
    /// The vendor changed the file since.
    Stale,
    /// The vendor dropped or renamed the file.
    Orphaned,
    /// No release has a file that it could come from.
    Unknown,
    /// It is a vendor's file as it was: it can be replaced or dropped.
    Needless,
    /// The vendor did not change the file since.
    Current,
}

impl State {
    /// Returns the state in a few words.
    pub fn words(self) -> &'static str {
        match self {
            State::StampedNotMerged => "stamped, not merged",
            State::Stale => "stale",
            State::Orphaned => "orphaned",
            State::Unknown => "unknown base",
            State::Needless => "needless",
            State::Current => "current",
        }
    }

    /// Tells whether somebody has to do something.
    pub fn needs_work(self) -> bool {
        self != State::Current
    }
}

/// One override of a child theme.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Override {
    /// Its path in the child.
    pub path: String,
    /// Short name of the theme or companion that it overrides.
    pub vendor: String,
    /// The vendor file's path in the release that the text comes from.
    pub vendor_path: String,
    /// The version in its stamp.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub stamp: Option<String>,
    /// The releases that the text comes from: all that have the same vendor file, oldest first.
    pub from: Vec<String>,
    /// How it stands.
    pub state: State,
    /// Lines that the vendor changed between then and the current release.
    pub vendor_lines: usize,
    /// Lines that the site changed.
    pub site_lines: usize,
    /// The vendor file's path in the current release, if it is another.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub now: Option<String>,
    /// The current release.
    pub current: String,
}

/// A path in the child can be an override of two vendor files.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{path} fits two vendor files: {first} and {second}")]
pub struct TwoFiles {
    /// The child's path.
    pub path: String,
    /// One vendor file, with its theme.
    pub first: String,
    /// The other.
    pub second: String,
}

/// Files less alike than this have nothing to do with each other.
const ALIKE: f32 = 0.3;
/// Less alike than this, a file of a kind that is added to holds only what the site has otherwise.
const WHOLE: f32 = 0.6;
/// A file of another name this alike is the renamed one.
const RENAMED: f32 = 0.5;

/// Finds folders of a child theme in which it overrides other vendor components: where the rest of the paths, and
/// the text, is a companion's. `vendors` are short names with their releases.
pub fn propose_mappings(child: &Print, vendors: &[(&str, Vec<&Print>)]) -> Vec<OverrideMapping> {
    let mut votes: BTreeMap<(String, &str), usize> = BTreeMap::new();
    for file in &child.files {
        for (k, _) in file.path.match_indices('/') {
            let (folder, inner) = (&file.path[..=k], &file.path[k + 1..]);
            let alike = |print: &&Print| print.find(inner).is_some_and(|f| file.similarity(f) >= ALIKE);
            for (name, releases) in vendors {
                if releases.iter().any(alike) {
                    *votes.entry((folder.to_string(), name)).or_default() += 1;
                }
            }
        }
    }
    let mut out: Vec<OverrideMapping> = Vec::new();
    let mut ranked: Vec<_> = votes.into_iter().collect();
    ranked.sort_by(|a, b| b.1.cmp(&a.1).then(a.0.0.len().cmp(&b.0.0.len())).then(a.0.cmp(&b.0)));
    for ((folder, name), _) in ranked {
        let path = format!("{folder}{{path}}");
        if !out.iter().any(|m| m.of.as_deref() == Some(name) || m.path == path) {
            out.push(OverrideMapping { path, of: Some(name.to_string()) });
        }
    }
    out
}

/// Lists the overrides of a child theme, what needs work first. `vendors` are its ancestors, nearest first, and the
/// companions; `identity_file` is the child's own card, which overrides nothing.
///
/// # Errors
///
/// When a path fits vendor files of two themes by the layout's rules.
pub fn overrides(
    child: &Print,
    identity_file: Option<&str>,
    vendors: &[Vendor<'_>],
    layout: &Layout,
) -> Result<Vec<Override>, TwoFiles> {
    let mut out = Vec::new();
    for file in child.files.iter().filter(|f| Some(f.path.as_str()) != identity_file) {
        if let Some((vendor, path)) = shadowed(&file.path, vendors, layout)? {
            // A file that holds only what it adds to the vendor's shadows nothing.
            let adds = layout.child.adds.contains(&layout.kind(&file.path, b""));
            let near = |p: &Print| p.find(&path).is_some_and(|f| file.similarity(f) >= WHOLE);
            if !adds || vendor.releases.iter().any(|(_, p)| near(p)) {
                out.push(judge(file, vendor, &path));
            }
        }
    }
    out.sort_by(|a, b| (a.state, &a.path).cmp(&(b.state, &b.path)));
    Ok(out)
}

/// Finds the vendor file that a path in the child shadows, in any release: where the layout maps it, else under the
/// same path in the nearest ancestor that has it.
fn shadowed<'v, 'a>(
    path: &str,
    vendors: &'v [Vendor<'a>],
    layout: &Layout,
) -> Result<Option<(&'v Vendor<'a>, String)>, TwoFiles> {
    let has = |vendor: &Vendor<'_>, path: &str| vendor.releases.iter().any(|(_, p)| p.find(path).is_some());
    let mut found: Option<(&Vendor<'_>, String)> = None;
    for mapping in &layout.overrides {
        let Some(inner) = mapping.vendor_path(path) else { continue };
        let of = |v: &&Vendor<'_>| match &mapping.of {
            Some(name) => v.name == name,
            None => !v.companion,
        };
        let Some(vendor) = vendors.iter().filter(of).find(|v| has(v, inner)) else { continue };
        match &found {
            Some((other, first)) if other.name != vendor.name || first != inner => {
                return Err(TwoFiles {
                    path: path.to_string(),
                    first: format!("{}/{first}", other.name),
                    second: format!("{}/{inner}", vendor.name),
                });
            }
            _ => found = Some((vendor, inner.to_string())),
        }
    }
    if found.is_some() {
        return Ok(found);
    }
    let mapped = layout.overrides.iter().any(|m| m.of.is_none());
    let own_paths = vendors.iter().filter(|v| !v.companion && !mapped);
    Ok(own_paths.into_iter().find(|v| has(v, path)).map(|v| (v, path.to_string())))
}

fn judge(file: &FilePrint, vendor: &Vendor<'_>, path: &str) -> Override {
    let versions: Vec<(&str, &FilePrint)> =
        vendor.releases.iter().filter_map(|(version, print)| Some((*version, print.find(path)?))).collect();
    let semver = |v: &str| Version::parse(v);
    let stamp = file.stamp.as_deref().and_then(semver);
    // Of equally near releases the one that the stamp names.
    let best = versions
        .iter()
        .enumerate()
        .min_by_key(|(k, (version, f))| (file.distance(f), stamp.is_none() || semver(version) != stamp, *k));
    let (current_version, current) = vendor.releases[vendor.current];
    let mut found = Override {
        path: file.path.clone(),
        vendor: vendor.name.to_string(),
        vendor_path: path.to_string(),
        stamp: file.stamp.clone(),
        from: Vec::new(),
        state: State::Unknown,
        vendor_lines: 0,
        site_lines: 0,
        now: None,
        current: current_version.to_string(),
    };
    let Some((_, (_, origin))) = best else { return found };
    found.site_lines = file.distance(origin);
    if file.similarity(origin) < ALIKE && found.site_lines > 3 {
        return found;
    }
    found.from = versions.iter().filter(|(_, f)| f.distance(origin) == 0).map(|(v, _)| v.to_string()).collect();
    let Some(now) = current.find(path) else {
        found.state = State::Orphaned;
        let home = renamed_to(origin, vendor, current);
        found.vendor_lines = home.map_or(0, |h| origin.distance(h));
        found.now = home.map(|h| h.path.clone());
        return found;
    };
    found.vendor_lines = origin.distance(now);
    let newest = found.from.iter().filter_map(|v| semver(v)).max();
    found.state = if found.site_lines == 0 {
        State::Needless
    } else if found.vendor_lines == 0 {
        State::Current
    } else if stamp > newest {
        State::StampedNotMerged
    } else {
        State::Stale
    };
    found
}

/// The file of the current release that a dropped file became: the most alike of those that are new since.
fn renamed_to<'p>(origin: &FilePrint, vendor: &Vendor<'_>, current: &'p Print) -> Option<&'p FilePrint> {
    let before = vendor.releases.iter().rev().map(|(_, p)| *p).find(|p| p.find(&origin.path).is_some())?;
    current
        .files
        .iter()
        .filter(|f| before.find(&f.path).is_none())
        .map(|f| (origin.similarity(f), f))
        .filter(|(alike, _)| *alike >= RENAMED)
        .max_by(|a, b| a.0.total_cmp(&b.0).then(b.1.path.cmp(&a.1.path)))
        .map(|(_, f)| f)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::theme::MemoryTree;

    const FILE: &str = "one\ntwo\nthree\nfour\nfive\nsix\n";

    fn print(files: &[(&str, String)]) -> Print {
        let files = files.iter().map(|(p, t)| (*p, t.clone().into_bytes()));
        Print::of(&MemoryTree::new(files), &Layout::default()).unwrap()
    }

    fn stamped(version: &str, text: &str) -> String {
        format!("{{# lamp {version} #}}\n{text}")
    }

    fn states(child: &[(&str, String)], layout: &str) -> Vec<(String, State, Vec<String>)> {
        let new = FILE.replace("two", "2");
        let old =
            print(&[("a", stamped("1.0", FILE)), ("b", stamped("1.0", FILE)), ("gone", stamped("1.0", FILE))]);
        let mid =
            print(&[("a", stamped("1.1", FILE)), ("b", stamped("1.1", FILE)), ("gone", stamped("1.1", FILE))]);
        let now =
            print(&[("a", stamped("2.0", &new)), ("b", stamped("2.0", FILE)), ("here", stamped("2.0", &new))]);
        let tickets = print(&[("ticket", stamped("1.4", FILE))]);
        let vendors = [
            Vendor {
                name: "lamp",
                releases: vec![("1.0", &old), ("1.1", &mid), ("2.0", &now)],
                current: 2,
                companion: false,
            },
            Vendor { name: "gate", releases: vec![("1.4", &tickets)], current: 0, companion: true },
        ];
        let found = overrides(&print(child), Some("card"), &vendors, &Layout::parse(layout).unwrap()).unwrap();
        found.into_iter().map(|o| (o.path, o.state, o.from)).collect()
    }

    #[test]
    fn every_state_is_told_from_the_text_not_the_stamp() {
        let own = FILE.replace("five", "5");
        let from = ["1.0".to_string(), "1.1".into()].to_vec();
        let one = |path: &str, text: String| states(&[(path, text)], "").remove(0);
        assert_eq!(one("a", stamped("1.1", &own)), ("a".into(), State::Stale, from.clone()));
        assert_eq!(one("a", stamped("2.0", &own)), ("a".into(), State::StampedNotMerged, from.clone()));
        assert_eq!(one("a", own.replace("two", "2")), ("a".into(), State::Current, vec!["2.0".into()]));
        assert_eq!(one("b", stamped("0.9", FILE)).1, State::Needless);
        assert_eq!(one("gone", own), ("gone".into(), State::Orphaned, from));
        assert_eq!(one("a", "quite\nother\nlines\nhere\nand\nmore\n".into()).1, State::Unknown);
        assert!(states(&[("own", FILE.into())], "").is_empty(), "a file of the child's own");
    }

    #[test]
    fn companions_are_overridden_where_the_layout_maps_them() {
        let rule = "[[layout.overrides]]\npath = 'custom/{path}'\nof = 'gate'\n";
        let found = states(&[("custom/ticket", FILE.replace("one", "1")), ("ticket", FILE.into())], rule);
        assert_eq!(found, [("custom/ticket".into(), State::Current, vec!["1.4".into()])]);
    }

    #[test]
    fn mappings_are_proposed_from_what_is_there() {
        let gate = print(&[("ticket", FILE.into()), ("mail/a", FILE.into()), ("same", FILE.into())]);
        let child = print(&[
            ("own/gate/ticket", FILE.into()),
            ("own/gate/mail/a", FILE.replace("six", "6")),
            ("x/same", "z".into()),
        ]);
        let found = propose_mappings(&child, &[("gate", vec![&gate]), ("lamp", vec![])]);
        assert_eq!(found, [OverrideMapping { path: "own/gate/{path}".into(), of: Some("gate".into()) }]);
    }

    #[test]
    fn a_path_that_fits_two_vendor_files_is_refused() {
        let rules = "[[layout.overrides]]\npath = 'x/{path}'\nof = 'gate'\n[[layout.overrides]]\npath = '{path}et'\nof = 'gate'\n";
        let both = print(&[("ticket", FILE.into()), ("x/tick", FILE.into())]);
        let vendors = [Vendor { name: "gate", releases: vec![("1", &both)], current: 0, companion: true }];
        let layout = Layout::parse(rules).unwrap();
        let error = overrides(&print(&[("x/ticket", FILE.into())]), None, &vendors, &layout).unwrap_err();
        assert_eq!((error.first.as_str(), error.second.as_str()), ("gate/ticket", "gate/x/tick"));
    }
}
