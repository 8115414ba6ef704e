//! Turning direct edits into a child theme, and proving that parent and child come to the site.

use std::collections::BTreeMap;

use super::style;
use crate::catalog::Catalog;
use crate::formats::tree;
use crate::text::Text;
use crate::theme::{Kind, Layout, ReadError, Tree};

/// What a separation gives.
#[derive(Debug, Default)]
pub struct Separated {
    /// The files of the child theme.
    pub child: BTreeMap<String, Piece>,
    /// The base as it has to be beneath the child: files with other bytes, or that go. Where it is empty, the child says
    /// everything.
    pub beneath: BTreeMap<String, Option<Vec<u8>>>,
    /// What the child cannot express: path and reason.
    pub unsaid: Vec<(String, String)>,
    /// What is worth a look: path and what it is.
    pub remarks: Vec<(String, String)>,
}

/// A file of a child theme.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Piece {
    /// These bytes.
    Bytes(Vec<u8>),
    /// The site's file at this index.
    SiteFile(usize),
}

/// Splits a site into its base and a child theme, by the layout's rules. `card` is the theme's identity file: it stays
/// the parent's.
///
/// # Errors
///
/// When a file cannot be read.
pub fn separate(
    base: &dyn Tree,
    site: &dyn Tree,
    layout: &Layout,
    card: Option<&str>,
    explain: bool,
) -> Result<Separated, ReadError> {
    let mut out = Separated::default();
    for (k, entry) in site.entries().iter().enumerate() {
        let path = entry.path.as_str();
        let old = base.find(path);
        if old.is_some_and(|b| base.entries()[b].digest == entry.digest) {
            continue;
        }
        let kind = kind_of(layout, site, k);
        let Some(b) = old else {
            // In a child of its own an added file is as good as in the theme.
            out.child.insert(child_path(layout, path), Piece::SiteFile(k));
            continue;
        };
        if card == Some(path) {
            out.leave(path, site.read(k)?, "it says who the parent is; the child has a card of its own");
        } else if layout.child.adds.contains(&kind) {
            out.add(path, kind, &base.read(b)?, &site.read(k)?, explain);
            if !out.child.contains_key(path)
                && !out.beneath.contains_key(path)
                && !same_file(path, kind, base, b, site, k)?
            {
                out.leave(path, site.read(k)?, "the change is none that the file's format knows of");
            }
        } else if layout.child.replaces.contains(&kind) {
            out.child.insert(child_path(layout, path), Piece::SiteFile(k));
        } else {
            out.leave(path, site.read(k)?, "children cannot replace files of this kind");
        }
    }
    for entry in base.entries().iter().filter(|e| site.find(&e.path).is_none()) {
        out.beneath.insert(entry.path.clone(), None);
        out.unsaid.push((entry.path.clone(), "a child cannot take a file of its parent away".into()));
    }
    Ok(out)
}

fn kind_of(layout: &Layout, tree: &dyn Tree, k: usize) -> Kind {
    let path = &tree.entries()[k].path;
    let head = if tree.entries()[k].size < 1 << 16 { tree.read(k).unwrap_or_default() } else { Vec::new() };
    layout.kind(path, &head[..head.len().min(512)])
}

/// Where a vendor's file is overridden in a child.
fn child_path(layout: &Layout, path: &str) -> String {
    let mapping = layout.overrides.iter().find(|m| m.of.is_none());
    mapping.map_or_else(|| path.to_string(), |m| m.child_path(path))
}

fn texts<'t>(a: &'t [u8], b: &'t [u8]) -> Option<(String, String)> {
    let text = |bytes: &'t [u8]| String::from_utf8(Text::decode(bytes)?.body.into_owned()).ok();
    Some((text(a)?, text(b)?))
}

impl Separated {
    /// Leaves a file to what lies beneath the child.
    fn leave(&mut self, path: &str, bytes: Vec<u8>, why: &str) {
        self.beneath.insert(path.to_string(), Some(bytes));
        self.unsaid.push((path.to_string(), why.to_string()));
    }

    /// A file that a child adds to: only what the site has otherwise.
    fn add(&mut self, path: &str, kind: Kind, base: &[u8], site: &[u8], explain: bool) {
        let sheet = kind == Kind::Style && path.to_ascii_lowercase().ends_with(".css");
        if sheet && let Some((before, after)) = texts(base, site) {
            match style::split(&before, &after, explain) {
                Some(split) => {
                    if !split.child.is_empty() {
                        self.child.insert(path.to_string(), Piece::Bytes(split.child.into_bytes()));
                    }
                    if let Some(bytes) = split.base {
                        self.beneath.insert(path.to_string(), Some(bytes));
                    }
                    self.unsaid.extend(split.unsaid.into_iter().map(|why| (path.to_string(), why)));
                    self.remarks.extend(split.remarks.into_iter().map(|what| (path.to_string(), what)));
                }
                None => self.leave(path, site.to_vec(), "rules after the parent's could not come to the same"),
            }
            return;
        }
        if kind == Kind::Settings
            && let (Some(old), Some(new)) = (tree::read(path, base), tree::read(path, site))
        {
            match tree::difference(&old, &new, "") {
                Ok(None) => {}
                Ok(Some(only)) => {
                    let text = tree::write(path, &only).map(String::into_bytes);
                    let fits =
                        |t: &Vec<u8>| tree::read(path, t).is_some_and(|c| tree::laid_over(&old, &c).same(&new));
                    match text.filter(fits) {
                        Some(text) => _ = self.child.insert(path.to_string(), Piece::Bytes(text)),
                        None => self.leave(path, site.to_vec(), "its values cannot be written apart"),
                    }
                }
                Err(gone) => {
                    self.leave(path, site.to_vec(), &format!("{gone} was taken out, and a child only adds"));
                }
            }
            return;
        }
        if kind == Kind::Catalog
            && let (Ok(old), Ok(new)) = (Catalog::parse(base), Catalog::parse(site))
        {
            let there = entries(&new);
            if let Some(gone) = old.messages.iter().find(|m| !m.obsolete && !there.contains_key(&m.key())) {
                let id = String::from_utf8_lossy(&gone.id).into_owned();
                self.leave(
                    path,
                    site.to_vec(),
                    &format!("the message {id:?} was taken out, and a child only adds"),
                );
                return;
            }
            let words = crate::catalog::changed_words(&old, &new);
            if !words.is_empty() {
                self.child.insert(path.to_string(), Piece::Bytes(words));
            }
            return;
        }
        self.leave(path, site.to_vec(), "nothing can be added to a file of this format");
    }
}

/// Tells whether two versions of a file that a child adds to say the same.
fn same_file(
    path: &str,
    kind: Kind,
    base: &dyn Tree,
    b: usize,
    site: &dyn Tree,
    s: usize,
) -> Result<bool, ReadError> {
    Ok(same_meaning(path, kind, &base.read(b)?, &site.read(s)?))
}

fn same_meaning(path: &str, kind: Kind, a: &[u8], b: &[u8]) -> bool {
    if a == b {
        return true;
    }
    match kind {
        Kind::Style => texts(a, b).and_then(|(a, b)| style::same(&a, &b)) == Some(true),
        Kind::Settings => tree::read(path, a).zip(tree::read(path, b)).is_some_and(|(a, b)| a.same(&b)),
        Kind::Catalog => match (Catalog::parse(a), Catalog::parse(b)) {
            (Ok(a), Ok(b)) => entries(&a) == entries(&b),
            _ => false,
        },
        _ => false,
    }
}

/// What a catalog says.
type Entries<'c> = BTreeMap<(Option<&'c [u8]>, &'c [u8]), (&'c [Vec<u8>], bool)>;

fn entries(catalog: &Catalog) -> Entries<'_> {
    catalog.messages.iter().filter(|m| !m.obsolete).map(|m| (m.key(), (m.texts.as_slice(), m.is_fuzzy()))).collect()
}

/// Lists the files in which a child laid over its parent does not come to the site. `card` is the child's own identity
/// file and what else it has for itself alone.
///
/// # Errors
///
/// When a file cannot be read.
pub fn differences(
    parent: &dyn Tree,
    child: &dyn Tree,
    site: &dyn Tree,
    layout: &Layout,
    own: &[&str],
) -> Result<Vec<(String, String)>, ReadError> {
    let mut out = Vec::new();
    for (k, entry) in site.entries().iter().enumerate() {
        let path = entry.path.as_str();
        let kind = kind_of(layout, site, k);
        let in_child =
            child.find(&child_path(layout, path)).or_else(|| child.find(path)).filter(|_| !own.contains(&path));
        let wanted = site.read(k)?;
        let fits = match (in_child, parent.find(path)) {
            (Some(c), Some(p)) if layout.child.adds.contains(&kind) => {
                added(path, kind, &parent.read(p)?, &child.read(c)?, &wanted)
            }
            (Some(c), _) => child.entries()[c].digest == entry.digest,
            (None, Some(p)) => {
                parent.entries()[p].digest == entry.digest
                    || (layout.child.adds.contains(&kind) && same_meaning(path, kind, &parent.read(p)?, &wanted))
            }
            (None, None) => own.contains(&path),
        };
        if !fits {
            let why =
                if in_child.is_some() { "parent and child come to something else" } else { "the child lacks it" };
            out.push((path.to_string(), why.to_string()));
        }
    }
    for entry in parent.entries().iter().filter(|e| site.find(&e.path).is_none()) {
        out.push((entry.path.clone(), "the site does not have this file of the parent's".to_string()));
    }
    for entry in child.entries() {
        let path = entry.path.as_str();
        let known = site.entries().iter().any(|e| child_path(layout, &e.path) == path || e.path == path);
        if !known && !own.contains(&path) {
            out.push((path.to_string(), "the site does not have this file of the child's".to_string()));
        }
    }
    Ok(out)
}

/// Tells whether a child's file added to its parent's says what the site's says.
fn added(path: &str, kind: Kind, parent: &[u8], child: &[u8], site: &[u8]) -> bool {
    match kind {
        Kind::Style => {
            let both = [parent, b"\n", child].concat();
            same_meaning(path, kind, &both, site)
        }
        Kind::Settings => {
            let read = |bytes: &[u8]| tree::read(path, bytes);
            match (read(parent), read(child), read(site)) {
                (Some(p), Some(c), Some(s)) => tree::laid_over(&p, &c).same(&s),
                _ => child == site,
            }
        }
        Kind::Catalog => match (Catalog::parse(parent), Catalog::parse(child), Catalog::parse(site)) {
            (Ok(p), Ok(c), Ok(s)) => {
                let mut all = entries(&p);
                all.extend(entries(&c));
                all == entries(&s)
            }
            _ => child == site,
        },
        _ => child == site,
    }
}
