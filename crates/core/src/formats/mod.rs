//! One table from kind to merger, with text as the fallback.
//!
//! A new file language is a module here and a line in [`merge_file`].

mod ini;
mod json;
mod keyed;
mod outline;
mod po;
mod toml;
pub(crate) mod yaml;

use crate::merge::{Leave, MergeOptions, TextMerge, Trust, line_edits, merge_text};
use crate::text::{Encoding, Text};
use crate::theme::{Kind, dialect_of};

/// Merges three versions of a text by key; `None` where one of them cannot be read.
type Merger = fn(&[u8], &[u8], &[u8]) -> Option<keyed::KeyedMerge>;

/// How a format merges by key.
#[derive(Clone, Copy)]
enum ByKey {
    /// By a merger of its own.
    Own(Merger),
    /// Line by line where that proves right by key, else by outlines.
    Outline(outline::Reader),
}

/// The formats that merge by key, by file extension.
const BY_KEY: [(&str, ByKey); 11] = [
    ("json", ByKey::Own(json::merge)),
    ("jsonc", ByKey::Own(json::merge)),
    ("po", ByKey::Own(po::merge)),
    ("pot", ByKey::Own(po::merge)),
    ("yaml", ByKey::Outline(yaml::read)),
    ("yml", ByKey::Outline(yaml::read)),
    ("toml", ByKey::Outline(toml::read)),
    ("ini", ByKey::Outline(ini::read)),
    ("cfg", ByKey::Outline(ini::read)),
    ("conf", ByKey::Outline(ini::read)),
    ("properties", ByKey::Outline(ini::read)),
];

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
        && let Some(merged) = merge_by_key(*by_key, [base, site, release], &dialect, options)
    {
        return Some(merged);
    }
    merge_text(base, site, release, &dialect, options)
}

fn merge_by_key(
    by_key: ByKey,
    [base, site, release]: [&[u8]; 3],
    dialect: &crate::merge::Dialect,
    options: &MergeOptions,
) -> Option<TextMerge> {
    let (b, s, r) = (Text::decode(base)?, Text::decode(site)?, Text::decode(release)?);
    let unicode = |t: &Text<'_>| t.encoding != Encoding::SingleByte;
    if !unicode(&b) || !unicode(&s) || !unicode(&r) {
        return None;
    }
    let merged = match by_key {
        ByKey::Own(merge) => merge(&b.body, &s.body, &r.body)?,
        ByKey::Outline(reader) => {
            let merged = outline::merge(reader, &b.body, &s.body, &r.body)?;
            // Lines carry comments and blanks too; they do, wherever the keys prove them right.
            if !merged.rewritten
                && merged.changes.iter().all(|c| c.reason.is_none())
                && let Some(by_line) = merge_text(base, site, release, dialect, options)
                && by_line.decisions.is_empty()
                && let Some(text) = Text::decode(&by_line.bytes)
                && outline::same_values(reader, &text.body, &merged.bytes)
            {
                return Some(by_line);
            }
            merged
        }
    };
    let edits = line_edits(&b.body, &s.body, dialect.blanks);
    let mut merged = merged.into_text(edits, &b.body, &s.body, &r.body);
    merged.bytes = Text::encode(merged.bytes, r.encoding)?;
    Some(merged)
}
