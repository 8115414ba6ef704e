//! One table from kind to merger, with text as the fallback.
//!
//! A new file language is a module here and a line in [`merge_file`].

use crate::merge::{MergeOptions, TextMerge, merge_text};
use crate::theme::{Kind, dialect_of};

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
    merge_text(base, site, release, &dialect, options)
}
