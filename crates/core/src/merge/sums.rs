//! Whether words and brackets of a result add up: what each side did was done once, and no more.

use std::collections::BTreeSet;
use std::ops::Range;

use super::align::Side;
use super::balance::{Balance, WordCount, balance};
use super::fewest::fewest;
use super::lines::{Closing, MergedLines};
use super::{Dialect, EditFate, Outcome, Reason, Trust};
use crate::text::{joined, of_each, split_lines};

/// The words and brackets of three versions.
pub(super) struct Sums<'a> {
    sides: [&'a Side<'a>; 3],
    dialect: &'a Dialect,
    words: [WordCount; 3],
    closing: Closing,
}

/// How what both sides did alike counts in an edit that did more than that.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Alike {
    /// As a change of each, of which one may do.
    IsOfEach,
    /// As a change of the release.
    IsOfBoth,
}

impl Alike {
    /// The ways to count it in a merge: one must add up.
    fn all(merged: &MergedLines) -> impl Iterator<Item = Alike> {
        let differ = !merged.shared.is_empty();
        [Alike::IsOfEach].into_iter().chain(differ.then_some(Alike::IsOfBoth))
    }
}

impl<'a> Sums<'a> {
    /// Counts three versions, given as lines and as a whole.
    pub(super) fn of(sides: [&'a Side<'a>; 3], texts: [&'a [u8]; 3], dialect: &'a Dialect) -> Self {
        let words = of_each(texts, |text| WordCount::of(text, dialect.spelling()));
        Sums { sides, dialect, words, closing: Closing::of(texts, dialect.markup) }
    }

    /// Tells whether a result can come from doing both sides' edits once each, apart from what is asked about.
    pub(super) fn add_up(&self, merged: &MergedLines) -> bool {
        let closes = if merged.decisions.is_empty() {
            let [base, site, release] = &self.closing.counts;
            Balance::follows(&balance(&merged.bytes, self.dialect.markup), base, site, release)
                && self.closing.is_in_order(&merged.bytes)
        } else {
            self.closing.answers_close(merged)
        };
        let [base, site, release] = &self.words;
        let result = WordCount::of(&merged.bytes, self.dialect.spelling());
        let follows = |alike: Alike| {
            let counts = [result.clone(), site.clone()];
            let [result, site] = self.apart_from_questions(merged, alike, counts, WordCount::add);
            WordCount::follows(&result, base, &site, release)
        };
        closes && Alike::all(merged).any(follows)
    }

    /// Tells whether also the brackets add up that are in no question.
    fn brackets_add_up(&self, merged: &MergedLines) -> bool {
        let [base, site, release] = &self.closing.counts;
        let markup = self.dialect.markup;
        let add = |sum: &mut Balance, text: &[u8], times| sum.add(&balance(text, markup), times);
        let result = balance(&merged.bytes, markup);
        Alike::all(merged).any(|alike| {
            let [result, site] = self.apart_from_questions(merged, alike, [result.clone(), site.clone()], add);
            result.may_follow(base, &site, release)
        })
    }

    /// The counts of a result and of its site as if each question were none: an open spot counts as the release's side,
    /// and the site's edits there do not count.
    fn apart_from_questions<C>(
        &self,
        merged: &MergedLines,
        alike: Alike,
        [mut result, mut effective]: [C; 2],
        add: impl Fn(&mut C, &[u8], i64),
    ) -> [C; 2] {
        let [base, site, release] = self.sides;
        let lines = split_lines(&merged.bytes);
        let standing = |at: &Range<usize>| joined(&lines[at.start.min(lines.len())..at.end.min(lines.len())]);
        let instead = |count: &mut C, old: &[u8], new: &[u8]| {
            add(count, old, -1);
            add(count, new, 1);
        };
        // What the site put in and the release has already counts as the release's.
        let has_already = |e: &&EditFate| e.outcome == Outcome::Already && e.step.is_none() && !e.site.is_empty();
        let mut undone: Vec<&EditFate> = merged.edits.iter().filter(has_already).collect();
        // So does a stretch that the release only wrote in another form.
        for formed in &merged.formed {
            instead(&mut result, &standing(&formed.result), &text_of(release, &formed.release));
            instead(&mut effective, &text_of(site, &formed.site), &text_of(base, &formed.base));
        }
        for open in &merged.decisions {
            instead(&mut result, &standing(&open.result), &open.release_text);
            instead(&mut effective, &open.site_text, &open.base_text);
            // The place asked about may be another than that of the edit: where a line went that the site deleted.
            let elsewhere = |e: &&EditFate| e.base.end < open.base.start || open.base.end < e.base.start;
            if open.reason != Reason::Paired {
                undone.extend(open.edits.iter().filter_map(|e| merged.edits.get(*e)).filter(elsewhere));
            }
        }
        // And what both did in an edit that did more.
        let in_more = |edit: &EditFate| edit.outcome != Outcome::Open && !has_already(&edit);
        let shared =
            merged.shared.iter().filter(|shared| alike == Alike::IsOfBoth && in_more(&merged.edits[shared.edit]));
        for shared in shared {
            instead(&mut effective, &text_of(site, &shared.site), &text_of(base, &shared.base));
        }
        for edit in undone {
            instead(&mut effective, &text_of(site, &edit.site), &text_of(base, &edit.base));
        }
        [result, effective]
    }

    /// Mends a merge that does not add up. `ask` merges anew with more edits as questions, at a trust; to find how few
    /// are needed it is called `tries` times at most.
    pub(super) fn mended(
        &self,
        merged: MergedLines,
        trust: Trust,
        tries: usize,
        ask: impl Fn(&BTreeSet<usize>, Trust) -> MergedLines,
    ) -> MergedLines {
        let open = |merged: &MergedLines| -> BTreeSet<usize> {
            (0..merged.edits.len()).filter(|k| merged.edits[*k].outcome == Outcome::Open).collect()
        };
        let known = open(&merged);
        let roughly = self.roughly_mended(merged, trust, &ask);
        if trust == Trust::Strict {
            return roughly;
        }
        let questions = roughly.decisions.len();
        let asked = open(&roughly).difference(&known).copied().collect();
        fewest((roughly, asked), &BTreeSet::new(), tries, |edits| {
            let merged = ask(edits, trust);
            let fewer = merged.decisions.len() < questions;
            (fewer && self.add_up(&merged) && self.brackets_add_up(&merged)).then_some(merged)
        })
    }

    /// Merges plainly, or asks about all edits that may be in the way.
    fn roughly_mended(
        &self,
        mut merged: MergedLines,
        trust: Trust,
        ask: impl Fn(&BTreeSet<usize>, Trust) -> MergedLines,
    ) -> MergedLines {
        let mut plainly = ask(&BTreeSet::new(), Trust::Strict);
        if self.add_up(&plainly) {
            // What was a question before is one for its own reason.
            let was_settled = merged.decisions.is_empty();
            for decision in plainly.decisions.iter_mut().filter(|_| was_settled) {
                decision.reason = Reason::Unbalanced;
            }
            return plainly;
        }
        let [base, site, _] = self.sides;
        let closes_else = |e: &EditFate| {
            let [old, new] = [text_of(base, &e.base), text_of(site, &e.site)];
            balance(&old, self.dialect.markup) != balance(&new, self.dialect.markup)
        };
        let unbalanced = |e: &EditFate| closes_else(e) || e.step.is_some();
        let all = |_: &EditFate| true;
        for asked_about in [&unbalanced as &dyn Fn(&EditFate) -> bool, &all] {
            let more = (0..merged.edits.len()).filter(|k| asked_about(&merged.edits[*k])).collect();
            merged = ask(&more, trust);
            if self.add_up(&merged) {
                break;
            }
        }
        merged
    }
}

/// The text of some lines of a side.
fn text_of(side: &Side<'_>, lines: &Range<usize>) -> Vec<u8> {
    joined(&side.lines[lines.clone()])
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::diff::Interner;
    use crate::merge::TextDecision;
    use crate::text::Line;
    use crate::text::key::Blanks;

    const TEXTS: [&[u8]; 3] = [b"a\nb\nc\nd\n", b"own(a)\nown(b)\nown(c)\nown(d)\n", b"a\nb\nc\nd\nnew\n"];

    /// The merge of [`TEXTS`], with some edits as questions, by a merger that loses the third edit.
    fn merged(asked: &BTreeSet<usize>) -> MergedLines {
        let [base, site, release] = TEXTS.map(split_lines);
        let mut merged = MergedLines::default();
        for (k, line) in release.iter().enumerate() {
            let lines = k..k + 1;
            let text = |lines: &[Line<'_>]| lines.get(k).map_or(Vec::new(), |line| joined(&[*line]));
            let own = k < 4 && k != 2 && !asked.contains(&k);
            merged.bytes.extend(if own { text(&site) } else { joined(&[*line]) });
            let outcome = if asked.contains(&k) { Outcome::Open } else { Outcome::Kept };
            let [of_base, of_site, of_release, result] = [(); 4].map(|()| lines.clone());
            if outcome == Outcome::Open {
                merged.decisions.push(TextDecision {
                    reason: Reason::Unbalanced,
                    base: of_base.clone(),
                    site: of_site.clone(),
                    release: of_release.clone(),
                    result: result.clone(),
                    edits: vec![k],
                    with: Vec::new(),
                    base_text: text(&base),
                    site_text: text(&site),
                    release_text: text(&release),
                    hint: None,
                });
            }
            if k < 4 {
                merged.edits.push(EditFate {
                    base: of_base,
                    site: of_site,
                    release: of_release,
                    result,
                    outcome,
                    step: None,
                });
            }
        }
        merged
    }

    #[test]
    fn only_the_edit_that_was_lost_is_asked_about() {
        let mut interner = Interner::new();
        let sides = TEXTS.map(|text| Side::new(text, Blanks::AreForm, &mut interner));
        let [base, site, release] = &sides;
        let dialect = Dialect::default();
        let sums = Sums::of([base, site, release], TEXTS, &dialect);
        let (sound, lost) = (merged(&BTreeSet::from([2])), merged(&BTreeSet::new()));
        assert!(sums.add_up(&sound) && !sums.add_up(&lost));
        // Merged plainly, all are questions.
        let all: BTreeSet<usize> = (0..4).collect();
        let ask = |more: &BTreeSet<usize>, trust| merged(if trust == Trust::Strict { &all } else { more });
        let asked = |trust| sums.mended(merged(&BTreeSet::new()), trust, 32, ask).decisions;
        let [question] = &asked(Trust::Normal)[..] else { panic!("{:?}", asked(Trust::Normal)) };
        assert_eq!(question.edits, [2]);
        assert_eq!(asked(Trust::Strict).len(), 4);
    }

    #[test]
    fn tags_close_in_order_where_they_do_in_all_versions() {
        let adds_up = |texts: [&str; 3], result: &str| {
            let mut interner = Interner::new();
            let texts = texts.map(str::as_bytes);
            let sides = texts.map(|text| Side::new(text, Blanks::AreForm, &mut interner));
            let dialect = Dialect { markup: true, ..Dialect::default() };
            let merged = MergedLines { bytes: result.into(), ..MergedLines::default() };
            Sums::of(sides.each_ref(), texts, &dialect).add_up(&merged)
        };
        let page = |own: &str| format!("<ul>\n<li>old\n<pre>\n{own}</pre>\n</ul>\n");
        let base = page("sails\n");
        let site = page("<div>\nsails\n</div>\n");
        let release = base.replace("old", "new");
        let astray = release.replace("sails\n</pre>", "<div>\nsails\n</pre>\n</div>");
        let versions = [base.as_str(), &site, &release];
        // An item of a list need not be closed.
        assert!(adds_up(versions, &site.replace("old", "new")) && !adds_up(versions, &astray));
        // A version that does not close in order itself is no measure.
        let torn = [&base, &site, &release].map(|text| format!("<b><i></b></i>\n{text}"));
        assert!(adds_up(torn.each_ref().map(String::as_str), &format!("<b><i></b></i>\n{astray}")));
    }
}
