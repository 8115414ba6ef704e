//! One catalog, brought up to a release and its template.

use std::collections::HashSet;

use serde::Serialize;

use super::po;
use crate::catalog::{
    self, ByteOrder, Catalog, Charset, Message, Misfit, Reworded, Stats, misfits, read_mo, stats,
};
use crate::merge::{Outcome, Reason};

/// The catalogs that are brought together. PO, POT or MO.
#[derive(Debug, Clone, Copy)]
pub struct CatalogSides<'a> {
    /// The site's.
    pub site: &'a [u8],
    /// The one that the site started from.
    pub base: Option<&'a [u8]>,
    /// The release's.
    pub release: Option<&'a [u8]>,
    /// The release's template.
    pub pot: Option<&'a [u8]>,
}

/// A catalog that was brought up to a release.
#[derive(Debug, Clone)]
pub struct Synced {
    /// The catalog.
    pub bytes: Vec<u8>,
    /// What it came to.
    pub stats: Stats,
    /// Wordings of the site's that were kept.
    pub kept: usize,
    /// Messages that a person must decide; the site's wording stands, marked as fuzzy.
    pub collisions: Vec<Collision>,
    /// Ids of messages that are new and have no translation.
    pub new: Vec<String>,
    /// Messages that came in with the translation of the nearest old one, marked as fuzzy.
    pub reworded: Vec<Reworded>,
    /// Ids of messages that are no more in use.
    pub obsolete: Vec<String>,
    /// Translations that do not fit their message.
    pub misfits: Vec<Misfit>,
}

/// A message that site and release both changed.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Collision {
    /// The message's id.
    pub id: String,
    /// Why it is asked.
    pub reason: Reason,
    /// The lines of the translation in the base.
    pub base: String,
    /// The same of the site.
    pub site: String,
    /// The same of the release.
    pub release: String,
}

/// Why catalogs cannot be brought together.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum SyncFault {
    /// One cannot be read: which, and what is wrong.
    #[error("{1}")]
    Unreadable(Side, String),
    /// The result has letters that its charset has not.
    #[error("the charset that its header names has not all of the letters")]
    Letters,
}

/// Which of the catalogs.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Side {
    /// The one that the site started from.
    Base,
    /// The site's.
    Site,
    /// The release's.
    Release,
    /// The release's template.
    Template,
}

/// Merges the site's catalog with the release's message by message, and brings the result up to the template.
///
/// Without a base, whatever site and release say differently is asked, and what the template lacks becomes obsolete.
///
/// ```
/// use daxle_core::formats::{CatalogSides, sync_catalog};
///
/// let synced = sync_catalog(CatalogSides {
///     site: b"msgid \"Tickets\"\nmsgstr \"Karten\"\n",
///     base: None,
///     release: None,
///     pot: Some(b"msgid \"Your tickets\"\nmsgstr \"\"\n"),
/// })
/// .unwrap();
/// assert_eq!(synced.reworded[0].before, "Tickets");
/// assert!(synced.bytes.starts_with(b"#, fuzzy\n#| msgid \"Tickets\"\n"));
/// ```
///
/// # Errors
///
/// When a catalog cannot be read, or the result cannot be written in its charset.
pub fn sync_catalog(sides: CatalogSides<'_>) -> Result<Synced, SyncFault> {
    let read = |bytes: Option<&[u8]>, side| bytes.map(|b| text_of(b, side)).transpose();
    let (site, base) = (text_of(sides.site, Side::Site)?, read(sides.base, Side::Base)?);
    let (release, template) = (read(sides.release, Side::Release)?, read(sides.pot, Side::Template)?);
    let (mut kept, mut collisions) = (0, Vec::new());
    let mut bytes = match &release {
        None => site.charset.encode(site.text()).ok_or(SyncFault::Letters)?,
        Some(release) => {
            let before = base.as_ref().map_or(&b""[..], Catalog::text);
            let merged = po::merge(before, site.text(), release.text());
            let merged = merged.ok_or(SyncFault::Unreadable(Side::Site, "it has no messages".into()))?;
            let part = |text: &[u8], span: &Option<std::ops::Range<usize>>| {
                span.clone().and_then(|s| text.get(s)).map_or(String::new(), shown)
            };
            for change in &merged.changes {
                let (id, of_wording) = po::told_by(&change.pointer);
                match (change.outcome, change.reason) {
                    (Outcome::Open, Some(reason)) => collisions.push(Collision {
                        id: id.to_string(),
                        reason,
                        base: part(before, &change.base),
                        site: part(site.text(), &change.site),
                        release: part(release.text(), &change.release),
                    }),
                    (Outcome::Already, _) => {}
                    _ => kept += usize::from(of_wording),
                }
            }
            release.charset.encode(&merged.bytes).ok_or(SyncFault::Letters)?
        }
    };
    let (mut new, mut reworded, mut obsolete) = (Vec::new(), Vec::new(), Vec::new());
    if let Some(template) = &template {
        let merged = parsed(&bytes, Side::Site)?;
        let known: HashSet<_> = base.iter().flat_map(|b| &b.messages).map(Message::key).collect();
        let own = |m: &Message| base.is_some() && !known.contains(&m.key());
        let updated = catalog::update(&merged, template, &own).ok_or(SyncFault::Letters)?;
        (bytes, new, reworded, obsolete) = (updated.bytes, updated.new, updated.reworded, updated.obsolete);
    }
    let result = parsed(&bytes, Side::Site)?;
    if release.is_some() && template.is_none() {
        let before: HashSet<_> = site.messages.iter().map(Message::key).collect();
        let empty = result.messages.iter().filter(|m| !m.obsolete && !m.is_translated() && !m.is_header());
        new.extend(empty.filter(|m| !before.contains(&m.key())).map(|m| shown(&m.id)));
    }
    Ok(Synced {
        stats: stats(&result, base.as_ref()),
        misfits: misfits(&result),
        bytes,
        kept,
        collisions,
        new,
        reworded,
        obsolete,
    })
}

fn shown(text: &[u8]) -> String {
    String::from_utf8_lossy(text).into_owned()
}

fn parsed(bytes: &[u8], side: Side) -> Result<Catalog, SyncFault> {
    Catalog::parse(bytes).map_err(|fault| SyncFault::Unreadable(side, fault.to_string()))
}

/// Reads a catalog, compiled or not.
fn text_of(bytes: &[u8], side: Side) -> Result<Catalog, SyncFault> {
    if ByteOrder::of(bytes).is_none() {
        return parsed(bytes, side);
    }
    let compiled = read_mo(bytes).map_err(|fault| SyncFault::Unreadable(side, fault.to_string()))?;
    let charset: Charset = compiled.charset;
    parsed(&charset.encode(&catalog::write(&compiled)).ok_or(SyncFault::Letters)?, side)
}
