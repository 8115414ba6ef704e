//! Merging three versions of a text file: encodings, the easy cases, and the ways to merge.

use super::align::line_edits;
use super::apart::merged_with_parts_apart;
use super::checked::Versions;
use super::enclosed::merge_enclosed;
use super::lines::MergedLines;
use super::reformed::in_the_bases_form;
use super::second::{is_better, second_opinion};
use super::structure::merge_indented;
use super::widened::widened;
use super::{Dialect, EditFate, MergeOptions, Outcome, Reason, TextMerge, Trust};
use crate::text::key::Blanks;
use crate::text::{Encoding, Text, split_lines};

/// Merges three versions of a text file.
///
/// Returns `None` when one of them is binary, or the result cannot be written in its encoding; then the files
/// can only be taken whole. Line numbers count from 0.
///
/// ```
/// use daxle_core::merge::{Dialect, MergeOptions, Outcome, merge_text};
///
/// let merged = merge_text(
///     b"one\ntwo\nthree\n",
///     b"one\n2\nthree\n",
///     b"zero\none\ntwo\nthree\n",
///     &Dialect::default(),
///     &MergeOptions::default(),
/// )
/// .unwrap();
/// assert_eq!(merged.bytes, b"zero\none\n2\nthree\n");
/// assert_eq!(merged.edits[0].outcome, Outcome::Kept);
/// ```
pub fn merge_text(
    base: &[u8],
    site: &[u8],
    release: &[u8],
    dialect: &Dialect,
    options: &MergeOptions,
) -> Option<TextMerge> {
    let (b, s, r) = (Text::decode(base)?, Text::decode(site)?, Text::decode(release)?);
    let dialect = &Dialect { respelled: options.trust == Trust::Bold, ..*dialect };
    let plain = |bytes: &[u8], outcome: Outcome| {
        let edits = line_edits(&b.body, &s.body, dialect.blanks);
        let edits = edits.into_iter().map(|e| EditFate {
            release: if outcome == Outcome::Already { e.new.clone() } else { e.old.clone() },
            result: e.new.clone(),
            base: e.old,
            site: e.new,
            outcome,
            step: None,
        });
        TextMerge { bytes: bytes.to_vec(), edits: edits.collect(), ..TextMerge::default() }
    };
    if base == site {
        return Some(plain(release, Outcome::Kept));
    }
    if base == release {
        let mut merge = plain(site, Outcome::Kept);
        merge.space_lines = space_lines(&b.body, &s.body, dialect);
        return Some(merge);
    }
    if site == release {
        return Some(plain(release, Outcome::Already));
    }
    let encoding = merged_encoding(b.encoding, s.encoding, r.encoding);
    let merged = merge_bodies(&b.body, &s.body, &r.body, dialect, options);
    let bytes = Text::encode(merged.bytes, encoding)?;
    Some(TextMerge {
        bytes,
        edits: merged.edits,
        decisions: merged.decisions,
        space_lines: merged.space_lines,
        space_follows_release: merged.space_follows_release,
        by_lines: false,
    })
}

/// The encoding is form: the release's.
fn merged_encoding(base: Encoding, site: Encoding, release: Encoding) -> Encoding {
    // A file is plain UTF-8 also when it merely has no letter beyond ASCII: then the site's letters decide.
    if release == Encoding::Utf8 && base == Encoding::Utf8 && site == Encoding::SingleByte {
        return Encoding::SingleByte;
    }
    release
}

fn space_lines(base: &[u8], site: &[u8], dialect: &Dialect) -> usize {
    let (b, s) = (split_lines(base), split_lines(site));
    let edits = line_edits(base, site, dialect.blanks);
    crate::diff::kept_pairs(&edits, b.len()).filter(|(i, j)| b[*i].content != s[*j].content).count()
}

fn merge_bodies(
    base: &[u8],
    site: &[u8],
    release: &[u8],
    dialect: &Dialect,
    options: &MergeOptions,
) -> MergedLines {
    let once = |base: &[u8], site: &[u8], release: &[u8]| match dialect.blanks {
        Blanks::IndentIsMeaning => merge_indented([base, site, release], dialect, options),
        _ => merge_enclosed([base, site, release], dialect, options),
    };
    let merged = once(base, site, release);
    if options.trust != Trust::Strict {
        let versions = [base, site, release];
        let best = |versions: [&[u8]; 3]| {
            let [base, site, release] = versions;
            best_of(once(base, site, release), versions, dialect, options)
        };
        let with_parts_apart = |merged: MergedLines, versions: [&[u8]; 3]| {
            merged_with_parts_apart(&merged, versions, dialect, options, best).unwrap_or(merged)
        };
        if merged.space_follows_release
            && let Some(site) = in_the_bases_form(versions, dialect, options)
        {
            let converted = [base, &site, release];
            let plain = with_parts_apart(best(converted), converted);
            if is_better(&plain, &merged) {
                return MergedLines { space_lines: merged.space_lines, space_follows_release: true, ..plain };
            }
        }
        return with_parts_apart(best_of(merged, versions, dialect, options), versions);
    }
    if !merged.decisions.is_empty() {
        return merged;
    }
    // Strictly, what is settled is settled from either side: else chance lined the files up.
    let mirrored = once(base, release, site);
    if mirrored.decisions.is_empty() && mirrored.bytes == merged.bytes {
        return merged;
    }
    let all: Vec<_> = (0..merged.edits.len()).map(|k| (k, Reason::Doubtful)).collect();
    Versions::new([base, site, release], dialect, options).merge(&all)
}

/// Improves on a merge where another way leaves less to a person.
fn best_of(merged: MergedLines, versions: [&[u8]; 3], dialect: &Dialect, options: &MergeOptions) -> MergedLines {
    let best = second_opinion(&merged, versions, dialect, options).unwrap_or(merged);
    widened(best, versions, dialect, options)
}
