//! Merging three versions of a text file: encodings, the easy cases, and the checks on what the walk gives.

use std::collections::HashMap;
use std::ops::Range;

use super::align::{From, Repeated, Side, Weak, align, line_edits};
use super::enclosed::merge_enclosed;
use super::fewest::tries_for;
use super::hints::add_hints;
use super::lines::{Context, MergedLines, merge_lines};
use super::recut::form_keys;
use super::reformed::in_the_bases_form;
use super::second::{is_better, second_opinion};
use super::structure::merge_indented;
use super::sums::Sums;
use super::widened::widened;
use super::{Dialect, EditFate, MergeOptions, Outcome, Reason, TextMerge, Trust};
use crate::diff::Interner;
use crate::text::key::Blanks;
use crate::text::{Encoding, Line, Text, split_lines};

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
    let once = |base, site, release| match dialect.blanks {
        Blanks::IndentIsMeaning => merge_indented([base, site, release], dialect, options),
        _ => merge_enclosed([base, site, release], dialect, options),
    };
    let merged = once(base, site, release);
    if options.trust != Trust::Strict {
        let versions = [base, site, release];
        if merged.space_follows_release
            && let Some(site) = in_the_bases_form(versions, dialect, options)
        {
            let plain = best_of(once(base, &site, release), [base, &site, release], dialect, options);
            if is_better(&plain, &merged) {
                return MergedLines { space_lines: merged.space_lines, space_follows_release: true, ..plain };
            }
        }
        return best_of(merged, versions, dialect, options);
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
    merge_checked(base, site, release, dialect, options, &all)
}

/// Improves on a merge where another way leaves less to a person.
fn best_of(merged: MergedLines, versions: [&[u8]; 3], dialect: &Dialect, options: &MergeOptions) -> MergedLines {
    let best = second_opinion(&merged, versions, dialect, options).unwrap_or(merged);
    widened(best, versions, dialect, options)
}

/// Merges and checks the result; the site edits in `asked` are questions from the start.
pub(crate) fn merge_checked(
    base: &[u8],
    site: &[u8],
    release: &[u8],
    dialect: &Dialect,
    options: &MergeOptions,
    asked: &[(usize, Reason)],
) -> MergedLines {
    let mut interner = Interner::new();
    let b = Side::new(base, dialect.blanks, &mut interner);
    let mut later = |body| Side::later(body, &b, dialect.blanks, &mut interner);
    let (s, r) = (later(site), later(release));
    let weak = Weak::of(&[&b, &s, &r]);
    let context = Context {
        dialect,
        options,
        weak: &weak,
        from: From::Front,
        asked,
        paired: &[],
        nested: None,
        follow_moves: true,
    };
    let mut asked = asked.to_vec();
    let mut merged = merge_lines(&b, &s, &r, context);
    if !options.doubted.is_empty() {
        let is_doubted = |k: &usize| options.doubted.iter().any(|lines| meet(lines, &merged.edits[*k].base));
        asked.extend((0..merged.edits.len()).filter(is_doubted).map(|k| (k, Reason::Doubtful)));
        merged = merge_lines(&b, &s, &r, Context { asked: &asked, ..context });
    }
    if asked.len() == merged.edits.len() {
        return merged;
    }

    // The doubt check: lined up from the other end, does any change land elsewhere?
    let one_way = align(&b, &r, &weak, From::Front) == align(&b, &r, &weak, From::Back);
    if options.trust != Trust::Bold && !one_way {
        let other = merge_lines(&b, &s, &r, Context { from: From::Back, ..context });
        if other.bytes != merged.bytes {
            let mut doubted = doubtful(&merged, &other, &Landmarks::of(&b, &r, &weak));
            if !doubted.is_empty() && dialect.strings && dialect.blanks == Blanks::AreForm {
                // A landmark that the release only wrote in another form is one.
                let [b, r] = blind_to_form([&b, &r], dialect);
                let weak = Weak::of(&[&b, &r]);
                let landmarks = Landmarks::of(&b, &r, &weak);
                doubted.retain(|(k, _)| {
                    let edit = &merged.edits[*k];
                    !landmarks.confirm(&edit.base, edit.release.start)
                });
            }
            if !doubted.is_empty() {
                asked.extend(doubted);
                merged = merge_lines(&b, &s, &r, Context { asked: &asked, ..context });
            }
        }
    }

    // The count checks: words and brackets add up, or as few of the edits as are in the way are asked about.
    let sums = Sums::of([&b, &s, &r], [base, site, release], dialect);
    if !sums.add_up(&merged) {
        // What is tried with more questions is tried roughly.
        let tries = if context.asked.is_empty() { tries_for([base, site, release]) / 2 } else { 0 };
        merged = sums.mended(merged, options.trust, tries, |more, trust| {
            let options = MergeOptions { trust, ..options.clone() };
            let more = more.iter().map(|k| (*k, Reason::Unbalanced));
            let asked: Vec<_> = asked.iter().copied().chain(more).collect();
            merge_lines(&b, &s, &r, Context { options: &options, asked: &asked, ..context })
        });
    }
    add_hints(&mut merged, [&b, &s, &r], &weak, dialect);
    merged
}

/// Base and release, in which lines are the same that are only written in another form.
fn blind_to_form<'a>(sides: [&Side<'a>; 2], dialect: &Dialect) -> [Side<'a>; 2] {
    let mut interner = Interner::new();
    sides.map(|side| Side {
        lines: side.lines.clone(),
        keys: form_keys(side, dialect, &mut interner),
        form: side.form,
    })
}

/// Tells whether two ranges share a line, or are one and the same gap.
fn meet(a: &Range<usize>, b: &Range<usize>) -> bool {
    a == b || a.start < b.end && b.start < a.end
}

/// Telling lines that stand once in the base and once in the release.
pub(crate) struct Landmarks<'a> {
    base: &'a Side<'a>,
    release: &'a Side<'a>,
    /// Where the release has each.
    at: HashMap<u32, usize>,
    /// The key of blank lines.
    blank: Option<u32>,
}

impl<'a> Landmarks<'a> {
    pub(crate) fn of(base: &'a Side<'a>, release: &'a Side<'a>, weak: &Weak) -> Self {
        let repeated = Repeated::of(&[base, release]);
        let marks = |key: &u32| !weak.is(*key) && !repeated.has(*key);
        let at =
            release.keys.iter().enumerate().filter(|(_, key)| marks(key)).map(|(at, key)| (*key, at)).collect();
        let blank = base.lines.iter().position(Line::is_blank).map(|at| base.keys[at]);
        Landmarks { base, release, at, blank }
    }

    /// Tells whether a site edit was done where a landmark says that it belongs: its lines and one beside them, or for an
    /// insertion the lines around it, stand in the release as they do in the base, and one of them is a landmark. One
    /// line alone may have been changed in its place, and stand elsewhere anew, unless its block is a landmark too.
    /// `old` are the lines of the base, `at` is where they begin in the release.
    pub(crate) fn confirm(&self, old: &Range<usize>, at: usize) -> bool {
        let above = old.start.saturating_sub(1);
        let place = (old.start, at);
        if old.is_empty() {
            // Beside a blank line a line further away tells.
            return self.stands(above..old.end + 1, place)
                || self.stands(above.saturating_sub(1)..old.end + 1, place)
                || self.stands(above..old.end + 2, place);
        }
        old.len() > 1 && self.stands(old.clone(), place)
            || self.stands(above..old.end, place)
            || self.stands(old.start..old.end + 1, place)
            || self.has_lines(old.clone(), place) && self.in_its_block(place)
    }

    /// Tells whether some lines of the base, at least two that are not blank, stand in the release around an edit's
    /// place (in base and release), with a landmark among them.
    fn stands(&self, known: Range<usize>, place: (usize, usize)) -> bool {
        let solid = self.base.keys.get(known.clone()).into_iter().flatten().filter(|key| Some(**key) != self.blank);
        solid.count() > 1 && self.has_lines(known, place)
    }

    /// Tells whether some lines of the base stand in the release around an edit's place, with a landmark among them.
    fn has_lines(&self, known: Range<usize>, (from, to): (usize, usize)) -> bool {
        let Some(lines) = self.base.keys.get(known.clone()) else { return false };
        let Some(start) = to.checked_sub(from - known.start) else { return false };
        let landmark = |(k, key): (usize, &u32)| self.at.get(key) == Some(&(start + k));
        self.release.keys.get(start..start + lines.len()) == Some(lines) && lines.iter().enumerate().any(landmark)
    }

    /// Tells whether the block around an edit has the same first line on both sides, and no other block has it.
    fn in_its_block(&self, (from, to): (usize, usize)) -> bool {
        let block = self.base.block(from);
        block.is_some_and(|key| self.at.contains_key(&key)) && block == self.release.block(to)
    }
}

/// The site edits that land at another place of the release when the files are lined up from the other end:
/// among other lines, or as a question.
fn doubtful(merged: &MergedLines, other: &MergedLines, landmarks: &Landmarks<'_>) -> Vec<(usize, Reason)> {
    let (here, there) = (split_lines(&merged.bytes), split_lines(&other.bytes));
    merged
        .edits
        .iter()
        .zip(&other.edits)
        .enumerate()
        .filter(|(_, (a, b))| a.outcome != Outcome::Open && (a.release != b.release || b.outcome == Outcome::Open))
        .filter(|(_, (a, _))| !landmarks.confirm(&a.base, a.release.start))
        .filter(|(_, (a, b))| surroundings(&here, &a.result) != surroundings(&there, &b.result))
        .map(|(k, _)| (k, Reason::Doubtful))
        .collect()
}

/// The lines of a stretch and the nearest ones around it, blank ones left out.
fn surroundings<'a>(lines: &[Line<'a>], at: &Range<usize>) -> Vec<&'a [u8]> {
    let (start, end) = (at.start.min(lines.len()), at.end.min(lines.len()));
    let solid = |l: &&Line<'a>| !l.is_blank();
    let before = lines[..start].iter().rev().filter(solid).take(3);
    let after = lines[end..].iter().filter(solid).take(3);
    before.chain(lines[start..end].iter().filter(solid)).chain(after).map(Line::trimmed).collect()
}
