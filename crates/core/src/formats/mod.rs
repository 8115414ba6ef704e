//! One table from kind to merger, with text as the fallback.
//!
//! A new file language is a module here and a line in [`merge_file`].

mod json;
mod keyed;
mod po;

use crate::merge::{Leave, MergeOptions, TextMerge, Trust, line_edits, merge_text};
use crate::text::{Encoding, Text};
use crate::theme::{Kind, dialect_of};

/// Merges three versions of a format's bytes by key; `None` where one of them cannot be read.
type ByKey = fn(&[u8], &[u8], &[u8]) -> Option<keyed::KeyedMerge>;

/// The formats that merge by key, by file extension.
const BY_KEY: [(&str, ByKey); 4] =
    [("json", json::merge), ("jsonc", json::merge), ("po", po::merge), ("pot", po::merge)];

/// Merges three versions of a file by its kind.
///
/// Returns `None` where the file can only be taken whole: it is binary, or cannot be written in its encoding.
pub fn merge_file(
    path: &str,
    kind: Kind,
    base: &[u8],
    site: &[u8],
    release: &[u8],
    options: &MergeOptions,
) -> Option<TextMerge> {
    let dialect = dialect_of(path, kind, site);
    let extension = path.rsplit_once('.').map_or("", |(_, e)| e);
    let by_key = BY_KEY.iter().find(|(e, _)| e.eq_ignore_ascii_case(extension)).map(|(_, merge)| merge);
    let plain = base == site || base == release || site == release;
    // The site's side stands at an open key; to have the other's, lines are taken.
    if let (Some(by_key), false, true, true) =
        (by_key, plain, options.trust != Trust::Strict, options.leave != Leave::Release)
        && let Some(merged) = merge_by_key(*by_key, base, site, release, &dialect)
    {
        return Some(merged);
    }
    merge_text(base, site, release, &dialect, options)
}

fn merge_by_key(
    merge: ByKey,
    base: &[u8],
    site: &[u8],
    release: &[u8],
    dialect: &crate::merge::Dialect,
) -> Option<TextMerge> {
    let (b, s, r) = (Text::decode(base)?, Text::decode(site)?, Text::decode(release)?);
    let unicode = |t: &Text<'_>| t.encoding != Encoding::SingleByte;
    if !unicode(&b) || !unicode(&s) || !unicode(&r) {
        return None;
    }
    let merged = merge(&b.body, &s.body, &r.body)?;
    let edits = line_edits(&b.body, &s.body, dialect.blanks);
    let mut merged = merged.into_text(edits, &b.body, &s.body, &r.body);
    merged.bytes = Text::encode(merged.bytes, r.encoding)?;
    Some(merged)
}
