//! A merge to the letter: every byte counts, and changes are done where they are.
//!
//! Lining lines up blind to white space finds what was only indented anew. Where little stands between the changes of
//! the two sides (closers, blank lines, a few equal ones), it can also take a line for its like, or leave a choice. If
//! every byte counts and the changes of the two sides still do not touch, they can be done as they are, with no
//! cleverness at all; where it is sure, too, which lines of the release are those of the base, that is what was meant.
//! Lines that both changed are merged by themselves. Where that leaves a question, where the changes touch otherwise, or
//! it is not sure, it asks; `second` weighs those questions against others.

use std::collections::{HashMap, HashSet};
use std::ops::Range;

use super::align::{From, Homes, Repeated, Side, Weak, align, line_edits};
use super::checked::{Landmarks, Versions};
use super::choices::open_choices;
use super::hints::add_hints;
use super::lines::{MergedLines, lines_of};
use super::out::{Out, Source};
use super::{Dialect, EditFate, MergeOptions, Outcome, Reason, Step, TextDecision};
use crate::diff::{Edit, Interner, kept_pairs};
use crate::text::key::{Blanks, line_key};
use crate::text::{Line, LineEnd, split_lines};

/// How many lines of the base may stand between insertions that may be the same.
const NEAR: usize = 10;
/// Lines that both changed are merged by themselves if they are no more than so many, of no more bytes.
const SMALL: usize = 200;
const SMALL_BYTES: usize = 1 << 16;

/// Three versions lined up by every byte.
pub(super) struct Literal<'a> {
    texts: [&'a [u8]; 3],
    base: Side<'a>,
    site: Side<'a>,
    release: Side<'a>,
    weak: Weak,
    site_edits: Vec<Edit>,
    release_edits: Vec<Edit>,
}

/// A stretch of the base in which one side changed something, or both did.
pub(super) struct Stretch {
    base: Range<usize>,
    /// Which edits of the site.
    site: Range<usize>,
    /// Which edits of the release.
    release: Range<usize>,
    taken: Taken,
    /// What both changed, merged by itself, where that is taken.
    merged: Option<MergedLines>,
}

/// What is taken in a stretch.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Taken {
    /// What the site has, alone.
    Site,
    /// What the release has.
    Release,
    /// What both have alike.
    Both,
    /// Both sides' changes.
    Merged,
    /// A person is asked.
    Asked(Reason),
}

impl Stretch {
    fn take_in(&mut self, next: Stretch) {
        self.base.end = self.base.end.max(next.base.end);
        self.site.end = next.site.end;
        self.release.end = next.release.end;
    }

    fn is_asked(&self) -> bool {
        matches!(self.taken, Taken::Asked(_))
    }

    /// Tells whether both sides changed something here.
    pub(super) fn is_of_both(&self) -> bool {
        !self.site.is_empty() && !self.release.is_empty()
    }
}

/// Makes questions of the changes of the site that are part of some edits and are done; tells whether there were any.
pub(super) fn ask_about<'e>(stretches: &mut [Stretch], edits: impl Iterator<Item = &'e EditFate>) -> bool {
    let mut asked = false;
    for edit in edits {
        let from = stretches.partition_point(|stretch| stretch.base.end < edit.base.start);
        let touched = stretches[from..].iter_mut().take_while(|stretch| stretch.base.start <= edit.base.end);
        for stretch in touched.filter(|stretch| matches!(stretch.taken, Taken::Site | Taken::Merged)) {
            stretch.taken = Taken::Asked(Reason::Doubtful);
            asked = true;
        }
    }
    asked
}

impl<'a> Literal<'a> {
    pub(super) fn of(texts: [&'a [u8]; 3]) -> Self {
        let mut interner = Interner::new();
        let mut side = |body| Side::new(body, Blanks::AreContent, &mut interner);
        let [base, site, release] = texts.map(&mut side);
        let weak = Weak::of(&[&base, &site, &release]);
        let site_edits = align(&base, &site, &weak, From::Front);
        let release_edits = align(&base, &release, &weak, From::Front);
        Literal { texts, base, site, release, weak, site_edits, release_edits }
    }

    /// The stretches that the sides changed, in order. A question is where changes touch, unless both made the same, and
    /// where both may have put in the same nearby.
    pub(super) fn stretches(&self, dialect: &Dialect) -> Vec<Stretch> {
        let mut out: Vec<Stretch> = Vec::new();
        let (mut s, mut r) = (0, 0);
        loop {
            let by_site = match (self.site_edits.get(s), self.release_edits.get(r)) {
                (None, None) => break,
                (Some(own), Some(new)) => (own.old.start, own.old.end) <= (new.old.start, new.old.end),
                (own, _) => own.is_some(),
            };
            let (site, release) = if by_site { (s..s + 1, r..r) } else { (s..s, r..r + 1) };
            (s, r) = (site.end, release.end);
            let edit = if by_site { &self.site_edits[site.start] } else { &self.release_edits[release.start] };
            let taken = if by_site { Taken::Site } else { Taken::Release };
            let next = Stretch { base: edit.old.clone(), site, release, taken, merged: None };
            match out.last_mut() {
                Some(last) if self.touch(last, &next) => last.take_in(next),
                _ => out.push(next),
            }
        }
        for stretch in out.iter_mut().filter(|stretch| stretch.is_of_both()) {
            stretch.taken = match self.is_same(stretch) {
                true => Taken::Both,
                false if self.is_form(stretch, dialect) => Taken::Release,
                false => Taken::Asked(self.reason(stretch)),
            };
        }
        self.join_alike(out)
    }

    /// Merges by itself what both changed, but for lines of the base whose counterparts are in doubt.
    pub(super) fn merge_each(
        &self,
        stretches: &mut [Stretch],
        dialect: &Dialect,
        options: &MergeOptions,
        in_doubt: impl Fn(&Range<usize>) -> bool,
    ) {
        let both_changed = |s: &&mut Stretch| s.taken == Taken::Asked(Reason::BothChanged) && !in_doubt(&s.base);
        for stretch in stretches.iter_mut().filter(both_changed) {
            stretch.merged = self.merged_alone(stretch, dialect, options);
            stretch.taken = stretch.merged.as_ref().map_or(stretch.taken, |_| Taken::Merged);
        }
    }

    /// Merges a stretch by itself; `None` where that leaves a question.
    fn merged_alone(&self, stretch: &Stretch, dialect: &Dialect, options: &MergeOptions) -> Option<MergedLines> {
        let [site, release] = self.lines_of_sides(stretch);
        let lengths = [stretch.base.len(), site.len(), release.len()];
        let by_lines = lengths[0] == lengths[1] && lengths[0] == lengths[2];
        if lengths.into_iter().any(|lines| lines > SMALL) || !by_lines && dialect.blanks == Blanks::IndentIsMeaning
        {
            return None;
        }
        let texts = [(&self.base, &stretch.base), (&self.site, &site), (&self.release, &release)];
        let [base, site, release] = texts.map(|(side, lines)| lines_of(side, lines));
        if base.len() + site.len() + release.len() > SMALL_BYTES {
            return None;
        }
        let merged = Versions::new([&base, &site, &release], dialect, options).merge(&[]);
        let is_plain =
            |edit: &EditFate| matches!(edit.step, None | Some(Step::Neighbour | Step::Words | Step::Space));
        (merged.decisions.is_empty() && merged.edits.iter().all(is_plain)).then_some(merged)
    }

    /// The lines of both sides in a stretch.
    fn lines_of_sides(&self, stretch: &Stretch) -> [Range<usize>; 2] {
        let lines = |edits: &[Edit], own: &Range<usize>| {
            let (first, last) = (&edits[own.start], &edits[own.end - 1]);
            first.new.start - (first.old.start - stretch.base.start)..last.new.end + stretch.base.end - last.old.end
        };
        [lines(&self.site_edits, &stretch.site), lines(&self.release_edits, &stretch.release)]
    }

    /// Makes questions of what the site took out where the release put it in elsewhere, or only at another level: taken
    /// out of its old place alone it would be back. Known is a line that stands once in the base.
    pub(super) fn ask_about_moved(&self, stretches: &mut [Stretch]) {
        let mut times: HashMap<&[u8], usize> = HashMap::new();
        for line in &self.base.lines {
            *times.entry(line.trimmed()).or_default() += 1;
        }
        let put = |edit: &Edit| self.release.lines[edit.new.clone()].iter().map(Line::trimmed);
        let moved: HashSet<&[u8]> =
            self.release_edits.iter().flat_map(put).filter(|line| times.get(line) == Some(&1)).collect();
        let is_gone = |edit: &Edit| {
            let own: HashSet<&[u8]> = self.site.lines[edit.new.clone()].iter().map(Line::trimmed).collect();
            let old = self.base.lines[edit.old.clone()].iter().filter(|line| !line.is_blank());
            old.map(Line::trimmed).any(|line| moved.contains(line) && !own.contains(line))
        };
        for stretch in stretches.iter_mut().filter(|stretch| !stretch.is_asked() && !stretch.site.is_empty()) {
            if self.site_edits[stretch.site.clone()].iter().any(is_gone) {
                stretch.taken = Taken::Asked(Reason::SiteDeleted);
            }
        }
    }

    /// Tells whether the site changed nothing in a stretch but the white space in its lines, and that is form.
    fn is_form(&self, stretch: &Stretch, dialect: &Dialect) -> bool {
        let key = |side: &Side<'_>, at: usize| line_key(&side.lines[at], Blanks::AreForm, &side.form).into_owned();
        let as_before = |edit: &Edit| {
            let mut lines = edit.old.clone().zip(edit.new.clone());
            edit.old.len() == edit.new.len() && lines.all(|(old, new)| key(&self.base, old) == key(&self.site, new))
        };
        dialect.blanks == Blanks::AreForm && self.site_edits[stretch.site.clone()].iter().all(as_before)
    }

    /// Tells whether an edit touches what the other side did before: no kept line stands between, or none but closers
    /// where both are about nothing else.
    fn touch(&self, before: &Stretch, next: &Stretch) -> bool {
        let by_site = |edits: &Range<usize>| edits.clone().next_back().map(|k| (&self.site_edits[k], &self.site));
        let by_release =
            |edits: &Range<usize>| edits.clone().next_back().map(|k| (&self.release_edits[k], &self.release));
        let pair = match next.site.is_empty() {
            true => by_site(&before.site).zip(by_release(&next.release)),
            false => by_release(&before.release).zip(by_site(&next.site)),
        };
        let Some(((last, side), (edit, other))) = pair else { return false };
        let weak = |keys: &[u32]| keys.iter().all(|key| self.weak.is(*key));
        let closers = |edit: &Edit, side: &Side<'_>| {
            weak(&self.base.keys[edit.old.clone()]) && weak(&side.keys[edit.new.clone()])
        };
        let (from, to) = (last.old.end, edit.old.start);
        from >= to || closers(last, side) && closers(edit, other) && weak(&self.base.keys[from..to])
    }

    /// Tells whether both sides did the same in a stretch.
    fn is_same(&self, stretch: &Stretch) -> bool {
        let [own] = &self.site_edits[stretch.site.clone()] else { return false };
        let [new] = &self.release_edits[stretch.release.clone()] else { return false };
        own.old == new.old && self.site.keys[own.new.clone()] == self.release.keys[new.new.clone()]
    }

    fn reason(&self, stretch: &Stretch) -> Reason {
        let (own, new) = (&self.site_edits[stretch.site.clone()], &self.release_edits[stretch.release.clone()]);
        let inserts = |edits: &[Edit]| edits.iter().all(|edit| edit.old.is_empty());
        let deletes = |edits: &[Edit]| edits.iter().all(|edit| edit.new.is_empty());
        match (inserts(own), inserts(new)) {
            (true, true) => Reason::BothInserted,
            _ if deletes(new) => Reason::ReleaseDeleted,
            _ if deletes(own) => Reason::SiteDeleted,
            (false, false) => Reason::BothChanged,
            _ => Reason::PlaceOpen,
        }
    }

    /// Makes one question of a change of the site and those of the release nearby that put in the same.
    fn join_alike(&self, stretches: Vec<Stretch>) -> Vec<Stretch> {
        let telling = |side: &Side<'a>, edit: &Edit| -> Vec<&'a [u8]> {
            let lines = edit.new.clone().filter(|at| !self.weak.is(side.keys[*at]));
            lines.map(|at| side.lines[at].trimmed()).collect()
        };
        // The last stretch that each goes together with.
        let mut until: Vec<usize> = (0..stretches.len()).collect();
        for (k, stretch) in stretches.iter().enumerate().filter(|(_, stretch)| stretch.taken == Taken::Site) {
            let lines = telling(&self.site, &self.site_edits[stretch.site.start]);
            let is_near = |at: &usize| {
                let other = &stretches[*at].base;
                other.start <= stretch.base.end + NEAR && stretch.base.start <= other.end + NEAR
            };
            let (above, below) = ((0..k).rev().take_while(is_near), (k + 1..stretches.len()).take_while(is_near));
            let mut missing: HashSet<&[u8]> = lines.iter().copied().collect();
            let own = missing.clone();
            let (mut first, mut last) = (k, k);
            for at in above.chain(below) {
                let put =
                    stretches[at].release.clone().flat_map(|r| telling(&self.release, &self.release_edits[r]));
                for line in put.filter(|line| own.contains(line)) {
                    missing.remove(line);
                    (first, last) = (first.min(at), last.max(at));
                }
            }
            if own.is_empty() || !missing.is_empty() {
                continue;
            }
            until[first] = until[first].max(last);
        }
        let mut out: Vec<Stretch> = Vec::new();
        let mut joined = 0;
        for (k, stretch) in stretches.into_iter().enumerate() {
            match out.last_mut().filter(|_| k > 0 && k <= joined) {
                Some(last) => {
                    last.take_in(stretch);
                    if !last.is_asked() {
                        last.taken = Taken::Asked(Reason::PutTwice);
                    }
                }
                None => out.push(stretch),
            }
            joined = joined.max(until[k]);
        }
        out
    }

    /// Makes questions of the changes of the site of which it is not known to which lines of the release they belong: no
    /// landmark says so, and there is another way to line them up or the lines are look-alikes.
    pub(super) fn ask_about_unsure(&self, stretches: &mut [Stretch], dialect: &Dialect) {
        let kept = self.kept(&self.release_edits);
        let from_the_end = self.kept(&align(&self.base, &self.release, &self.weak, From::Back));
        let homes = Homes::of(&self.base, &self.release, &Repeated::of(&[&self.base, &self.site, &self.release]));
        let landmarks = Landmarks::of(&self.base, &self.release, &self.weak);
        let lined_up =
            |line: usize| kept.get(line).copied().flatten().filter(|_| !self.weak.is(self.base.keys[line]));
        let mistaken =
            |line: usize| Some(homes.is_mistaken(&self.base, &self.release, &self.weak, (line, lined_up(line)?)));
        let of_another_rule =
            |line: usize| Some(homes.is_of_another_rule(&self.base, &self.release, (line, lined_up(line)?)));
        let sides = [&self.site, &self.release];
        let open = open_choices(&self.base, sides, [&self.site_edits, &self.release_edits], &self.weak);
        let sure = |edit: &Edit| {
            let above = edit.old.start.checked_sub(1);
            let below = edit.old.end;
            if landmarks.confirm(&edit.old, above.and_then(|line| kept[line]).map_or(0, |at| at + 1)) {
                return !Homes::changed_at_look_alikes(&edit.old, of_another_rule);
            }
            let one_way = (above.into_iter().chain(edit.old.clone()).chain([below]))
                .all(|line| kept.get(line) == from_the_end.get(line));
            one_way && !Homes::changed_at_look_alikes(&edit.old, mistaken)
        };
        for stretch in stretches.iter_mut().filter(|s| matches!(s.taken, Taken::Site | Taken::Merged)) {
            let edits = stretch.site.clone();
            if open[edits.clone()].contains(&true) || !self.site_edits[edits].iter().all(sure) {
                let form = self.is_form(stretch, dialect);
                stretch.taken = if form { Taken::Release } else { Taken::Asked(Reason::Doubtful) };
            }
        }
    }

    /// Where the release has each line of the base.
    fn kept(&self, edits: &[Edit]) -> Vec<Option<usize>> {
        let mut kept = vec![None; self.base.lines.len()];
        kept_pairs(edits, kept.len()).for_each(|(line, at)| kept[line] = Some(at));
        kept
    }

    /// Does the changes of both sides and leaves the questions open. The fates are those of the site's edits as a survey
    /// tells them; `None` where it tells of none at all.
    pub(super) fn merged(
        &self,
        stretches: &[Stretch],
        dialect: &Dialect,
        options: &MergeOptions,
    ) -> Option<MergedLines> {
        let mut writer = Writer::of(self, dialect, options);
        for stretch in stretches {
            writer.keep(stretch.base.start);
            writer.write(stretch);
        }
        writer.keep(self.base.lines.len());
        writer.finish()
    }
}

/// The result as it grows.
struct Writer<'l, 'a> {
    literal: &'l Literal<'a>,
    dialect: &'l Dialect,
    options: &'l MergeOptions,
    out: Out,
    /// Where the result has each line of the site, or would.
    in_result: Vec<usize>,
    /// Where the release has each line of the base, or would.
    in_release: Vec<usize>,
    /// How far base and release are read.
    base: usize,
    release: usize,
    decisions: Vec<TextDecision>,
    /// What of the site both sides did, or was merged by itself with what the release did.
    joint: Vec<(Range<usize>, Outcome, Option<Step>)>,
}

impl<'l, 'a> Writer<'l, 'a> {
    fn of(literal: &'l Literal<'a>, dialect: &'l Dialect, options: &'l MergeOptions) -> Self {
        Writer {
            literal,
            dialect,
            options,
            out: Out::new(literal.release.form.line_end),
            in_result: Vec::new(),
            in_release: Vec::new(),
            base: 0,
            release: 0,
            decisions: Vec::new(),
            joint: Vec::new(),
        }
    }

    /// Writes the lines before one of the base, which all have, as the release has them.
    fn keep(&mut self, until: usize) {
        while self.base < until {
            let line = self.literal.release.lines[self.release];
            let source =
                Source { base: Some(self.base), site: Some(self.in_result.len()), release: Some(self.release) };
            self.in_result.push(self.out.lines());
            self.in_release.push(self.release);
            self.out.line(line.content, line.end, source);
            (self.base, self.release) = (self.base + 1, self.release + 1);
        }
    }

    fn write(&mut self, stretch: &Stretch) {
        let Literal { base, site, release, site_edits, release_edits, .. } = self.literal;
        let old = stretch.base.clone();
        let count = |edits: &[Edit]| {
            let put: usize = edits.iter().map(|edit| edit.new.len()).sum();
            old.len() + put - edits.iter().map(|edit| edit.old.len()).sum::<usize>()
        };
        let own = self.in_result.len()..self.in_result.len() + count(&site_edits[stretch.site.clone()]);
        let new = self.release..self.release + count(&release_edits[stretch.release.clone()]);
        self.in_release.extend(old.clone().map(|line| (new.start + line - old.start).min(new.end)));
        (self.base, self.release) = (old.end, new.end);
        let from = self.out.lines();
        if let Taken::Asked(reason) = stretch.taken {
            let [base_text, site_text, release_text] =
                [lines_of(base, &old), lines_of(site, &own), lines_of(release, &new)];
            let result = self.out.question([&base_text, &site_text, &release_text], self.dialect, self.options);
            self.in_result.extend(own.clone().map(|_| from));
            self.decisions.push(TextDecision {
                reason,
                base: old,
                site: own,
                release: new,
                result,
                edits: Vec::new(),
                with: Vec::new(),
                base_text,
                site_text,
                release_text,
                hint: None,
            });
        } else if stretch.taken == Taken::Site {
            for at in own {
                self.in_result.push(self.out.lines());
                self.out.line(site.lines[at].content, release.form.line_end, Source::of_site(at));
            }
        } else if let Some(merged) = stretch.merged.as_ref().filter(|_| stretch.taken == Taken::Merged) {
            let starts = [old.start, own.start, new.start];
            for (line, source) in split_lines(&merged.bytes).iter().zip(&merged.sources) {
                self.out.line(line.content, LineEnd::None, source.shifted(starts));
            }
            let of_site = |line: usize| merged.sources.iter().position(|source| source.site == Some(line));
            self.in_result.extend((0..own.len()).map(|line| from + of_site(line).unwrap_or(0)));
            let step = merged.edits.iter().find_map(|edit| edit.step);
            let outcome = merged.edits.iter().map(|edit| edit.outcome).max_by_key(|outcome| outcome.gravity());
            self.joint.push((own, outcome.unwrap_or(Outcome::Fitted), step));
        } else {
            let same = stretch.taken == Taken::Both;
            for (k, at) in new.enumerate() {
                let source = Source { site: same.then_some(own.start + k), ..Source::of_release(at) };
                self.out.line(release.lines[at].content, release.lines[at].end, source);
            }
            self.in_result.extend(own.clone().map(|line| from + if same { line - own.start } else { 0 }));
            self.joint.extend(same.then_some((own, Outcome::Already, None)));
        }
    }

    fn finish(mut self) -> Option<MergedLines> {
        let Literal { base, site, release, weak, .. } = self.literal;
        self.in_result.push(self.out.lines());
        self.in_release.push(self.release);
        let place = |places: &[usize], lines: &Range<usize>| {
            places[lines.start]..lines.clone().next_back().map_or(places[lines.start], |last| places[last] + 1)
        };
        let touches = |a: &Range<usize>, b: &Range<usize>| a.start <= b.end && b.start <= a.end;
        let told = line_edits(self.literal.texts[0], self.literal.texts[1], self.dialect.blanks);
        let mut edits: Vec<EditFate> = Vec::new();
        for (k, Edit { old, new }) in told.into_iter().enumerate() {
            let from = self.decisions.partition_point(|asked| asked.base.end < old.start);
            let mut near = self.decisions[from..].iter_mut().take_while(|asked| asked.base.start <= old.end);
            let asked = near.find(|asked| touches(&asked.site, &new));
            let (release, result, outcome, step) = match asked {
                Some(asked) => {
                    asked.edits.push(k);
                    (asked.release.clone(), asked.result.clone(), Outcome::Open, None)
                }
                None => {
                    let at = self.joint.partition_point(|(lines, ..)| lines.end < new.end);
                    let joint = self.joint.get(at).filter(|(lines, ..)| touches(lines, &new));
                    let (outcome, step) =
                        joint.map_or((Outcome::Kept, None), |(_, outcome, step)| (*outcome, *step));
                    (place(&self.in_release, &old), place(&self.in_result, &new), outcome, step)
                }
            };
            edits.push(EditFate { base: old, site: new, release, result, outcome, step });
        }
        // Lined up in other ways, a change may have slid along: then it is the nearest one.
        for asked in self.decisions.iter_mut().filter(|asked| asked.edits.is_empty()) {
            let distance = |fate: &EditFate| {
                let (own, other) = (&asked.site, &fate.site);
                own.start.saturating_sub(other.end).max(other.start.saturating_sub(own.end))
            };
            let nearest = (0..edits.len()).min_by_key(|k| distance(&edits[*k]))?;
            asked.edits.push(nearest);
            let (release, result) = (asked.release.clone(), asked.result.clone());
            edits[nearest] = EditFate { release, result, outcome: Outcome::Open, ..edits[nearest].clone() };
        }
        let [of_base, of_site, of_release] = [base, site, release].map(|side| side.form.final_newline);
        let (bytes, sources) = self.out.finish(if of_site == of_base { of_release } else { of_site });
        let mut merged = MergedLines { bytes, sources, edits, decisions: self.decisions, ..MergedLines::default() };
        add_hints(&mut merged, [base, site, release], weak, self.dialect);
        Some(merged)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const BASE: &str = "one\ntwo\nthree\nfour\nfive\nsix\nseven\neight\n";

    /// The merge of two versions of [`BASE`]: the result, and the base's lines in each question.
    fn merged(site: &str, release: &str) -> (String, Vec<(Reason, Range<usize>)>) {
        let literal = Literal::of([BASE, site, release].map(str::as_bytes));
        let (dialect, options) = (Dialect { markers: true, ..Dialect::default() }, MergeOptions::default());
        let mut stretches = literal.stretches(&dialect);
        literal.merge_each(&mut stretches, &dialect, &options, |_| false);
        let merged = literal.merged(&stretches, &dialect, &options).expect("edits are told");
        let asked = merged.decisions.iter().map(|asked| (asked.reason, asked.base.clone())).collect();
        (String::from_utf8_lossy(&merged.bytes).into_owned(), asked)
    }

    #[test]
    fn a_question_leaves_the_other_changes_done() {
        let (site, release) = (BASE.replace("two", "own").replace("seven", "7"), BASE.replace("two", "new"));
        let (result, asked) = merged(&site, &release.replace("five\n", ""));
        assert_eq!(asked, [(Reason::BothChanged, 1..2)]);
        let question = "<<<<<<< site\nown\n||||||| base\ntwo\n=======\nnew\n>>>>>>> release\n";
        assert_eq!(result, format!("one\n{question}three\nfour\nsix\n7\neight\n"));
    }

    #[test]
    fn lines_that_both_changed_are_merged_by_themselves() {
        let (site, release) = (BASE.replace("two", "own two"), BASE.replace("two\nthree", "two new\n3"));
        assert_eq!(merged(&site, &release), (release.replace("two", "own two"), Vec::new()));
        let (site, release) = (BASE.replace("three", "own"), BASE.replace("two", "2").replace("four\n", ""));
        assert_eq!(merged(&site, &release), (release.replace("three", "own"), Vec::new()));
    }

    #[test]
    fn the_same_change_is_done_once() {
        let site = BASE.replace("two", "2").replace("six", "own");
        let (result, asked) = merged(&site, &BASE.replace("two", "2"));
        assert_eq!((&*result, asked.len()), (&*site, 0));
    }

    #[test]
    fn what_both_put_in_nearby_is_one_question() {
        let (site, release) = (BASE.replace("two\n", "two\nput in\n"), BASE.replace("five\n", "five\nput in\n"));
        assert_eq!(merged(&site, &release).1, [(Reason::PutTwice, 2..5)]);
    }

    #[test]
    fn only_white_space_of_the_site_follows_the_release() {
        let (site, release) = (BASE.replace("two", "  two"), BASE.replace("two", "    2"));
        assert_eq!(merged(&site.replace("six", "own"), &release).0, release.replace("six", "own"));
        // Words that were one are no longer: that is more than form.
        assert_eq!(merged(&BASE.replace("two", "t wo"), &release).1, [(Reason::BothChanged, 1..2)]);
    }
}
