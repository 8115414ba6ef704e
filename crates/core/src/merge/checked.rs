//! Merging three versions of a text under the checks on what the walk gives.

use std::cell::OnceCell;
use std::collections::HashMap;
use std::ops::Range;

use super::align::{Repeated, Side, Weak};
use super::fewest::tries_for;
use super::hints::add_hints;
use super::lines::{Context, LinedUp, MergedLines, merge_lined_up};
use super::recut::form_keys;
use super::sums::Sums;
use super::{Dialect, MergeOptions, Outcome, Reason, Trust};
use crate::diff::Interner;
use crate::text::key::Blanks;
use crate::text::{Line, split_lines};

/// Places so near to each other may be one, where the lines around them are the same.
const NEAR: usize = 12;

/// Three versions of a text, lined up once, to be merged with as many sets of questions as are tried.
pub(crate) struct Versions<'a> {
    texts: [&'a [u8]; 3],
    sides: [Side<'a>; 3],
    weak: Weak,
    dialect: &'a Dialect,
    options: &'a MergeOptions,
    from_the_front: OnceCell<LinedUp>,
    /// `None` where that lines up the release as from the front.
    from_the_back: OnceCell<Option<LinedUp>>,
}

impl<'a> Versions<'a> {
    /// Base, site and release.
    pub(crate) fn new(texts: [&'a [u8]; 3], dialect: &'a Dialect, options: &'a MergeOptions) -> Self {
        let [base, site, release] = texts;
        let mut interner = Interner::new();
        let base = Side::new(base, dialect.blanks, &mut interner);
        let mut later = |text| Side::later(text, &base, dialect.blanks, &mut interner);
        let (site, release) = (later(site), later(release));
        let sides = [base, site, release];
        let weak = Weak::of(&sides.each_ref());
        let (from_the_front, from_the_back) = (OnceCell::new(), OnceCell::new());
        Versions { texts, sides, weak, dialect, options, from_the_front, from_the_back }
    }

    fn context<'c>(&'c self, options: &'c MergeOptions, asked: &'c [(usize, Reason)]) -> Context<'c> {
        let Versions { dialect, weak, .. } = self;
        Context { dialect, options, weak, asked, paired: &[], nested: None, follow_moves: true }
    }

    fn lined_up(&self) -> &LinedUp {
        let context = self.context(self.options, &[]);
        self.from_the_front.get_or_init(|| LinedUp::new(self.sides.each_ref(), context))
    }

    /// Merges, lined up from the front.
    fn walk(&self, asked: &[(usize, Reason)]) -> MergedLines {
        let context = self.context(self.options, asked);
        merge_lined_up(self.sides.each_ref(), self.lined_up(), context)
    }

    /// Merges, lined up from the back; `None` where that is no other way.
    fn walk_from_the_back(&self, asked: &[(usize, Reason)]) -> Option<MergedLines> {
        let context = self.context(self.options, asked);
        let lined_up =
            self.from_the_back.get_or_init(|| self.lined_up().the_other_way(self.sides.each_ref(), context));
        Some(merge_lined_up(self.sides.each_ref(), lined_up.as_ref()?, context))
    }

    /// Merges plainly, whatever the options trust.
    fn walk_strictly(&self, asked: &[(usize, Reason)]) -> MergedLines {
        let options = MergeOptions { trust: Trust::Strict, ..self.options.clone() };
        let context = self.context(&options, asked);
        merge_lined_up(self.sides.each_ref(), &LinedUp::new(self.sides.each_ref(), context), context)
    }

    /// Merges and checks the result; the site edits in `at_first` are questions from the start.
    pub(crate) fn merge(&self, at_first: &[(usize, Reason)]) -> MergedLines {
        let Versions { dialect, options, weak, .. } = self;
        let [b, s, r] = self.sides.each_ref();
        let mut asked = at_first.to_vec();
        let mut merged = self.walk(&asked);
        if !options.doubted.is_empty() {
            let is_doubted = |k: &usize| options.doubted.iter().any(|lines| meet(lines, &merged.edits[*k].base));
            asked.extend((0..merged.edits.len()).filter(is_doubted).map(|k| (k, Reason::Doubtful)));
            merged = self.walk(&asked);
        }
        if asked.len() == merged.edits.len() {
            return merged;
        }

        // The doubt check: lined up from the other end, does any change land elsewhere?
        if options.trust != Trust::Bold
            && let Some(other) = self.walk_from_the_back(at_first).filter(|other| other.bytes != merged.bytes)
        {
            let mut doubted = doubtful(&merged, &other, &Landmarks::of(b, r, weak));
            if !doubted.is_empty() && dialect.strings && dialect.blanks == Blanks::AreForm {
                // A landmark that the release only wrote in another form is one.
                let [b, r] = blind_to_form([b, r], dialect);
                let weak = Weak::of(&[&b, &r]);
                let landmarks = Landmarks::of(&b, &r, &weak);
                doubted.retain(|(k, _)| {
                    let edit = &merged.edits[*k];
                    !landmarks.confirm(&edit.base, edit.release.start)
                });
            }
            if !doubted.is_empty() {
                asked.extend(doubted);
                merged = self.walk(&asked);
            }
        }

        // The count checks: words and brackets add up, or as few of the edits as are in the way are asked about.
        let sums = Sums::of([b, s, r], self.texts, dialect);
        if !sums.add_up(&merged) {
            // What is tried with more questions is tried roughly.
            let tries = if at_first.is_empty() { tries_for(self.texts) / 2 } else { 0 };
            merged = sums.mended(merged, options.trust, tries, |more, trust| {
                let more = more.iter().map(|k| (*k, Reason::Unbalanced));
                let asked: Vec<_> = asked.iter().copied().chain(more).collect();
                if trust == options.trust { self.walk(&asked) } else { self.walk_strictly(&asked) }
            });
        }
        add_hints(&mut merged, [b, s, r], weak, dialect);
        merged
    }
}

/// Base and release, in which lines are the same that are only written in another form.
fn blind_to_form<'a>(sides: [&Side<'a>; 2], dialect: &Dialect) -> [Side<'a>; 2] {
    let mut interner = Interner::new();
    sides.map(|side| side.with_keys(form_keys(side, dialect, &mut interner)))
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

/// The site edits that land at another place of the release when the files are lined up from the other end: far away,
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
        .filter(|(_, (a, b))| {
            a.release.start.abs_diff(b.release.start) > NEAR
                || surroundings(&here, &a.result) != surroundings(&there, &b.result)
        })
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
