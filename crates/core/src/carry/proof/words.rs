//! Counting words, and looking each change up in the neighbourhood it belongs to.

use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};
use std::ops::Range;

use super::{FindingKind, Proof};
use crate::carry::account::{Blob, ChangeRecord, Decision, FileRecord, State};
use crate::carry::markers::{Block, blocks};
use crate::changes::What;
use crate::merge::{Outcome, Step};
use crate::text::token::{Token, TokenKind, tokens};
use crate::text::{Line, Spelling, joined, split_lines};
use crate::theme::dialect_of;

/// Lines of the site, and the base's that stand for them.
type Spot = (Range<usize>, Range<usize>);

/// Lines, and the text in their place.
type Answered = (Range<usize>, Vec<u8>);

/// So many lines at most are left out at the end of a question, as both sides have them.
const COMMON: usize = 20;
/// Of how many copies of a line the surroundings are looked at.
const COPIES: usize = 100;

impl Proof {
    /// Counts words, and looks every site change up in its neighbourhood.
    pub(super) fn words(
        &mut self,
        file: &FileRecord,
        base: &[u8],
        site: &[u8],
        release: &[u8],
        result: &[u8],
        recorded: bool,
    ) {
        let site_path = file.site_path.as_deref().unwrap_or(&file.path);
        let edited: Vec<&ChangeRecord> = self.account.changes.iter().filter(|c| c.what == What::Edited).collect();
        let own = |c: &ChangeRecord| c.path == site_path;
        let here = |c: &ChangeRecord| c.result_path.as_deref() == Some(&file.path);
        // Changes that came from other files, and changes that went to others.
        let came: Vec<&ChangeRecord> = edited.iter().copied().filter(|c| here(c) && !own(c)).collect();
        let changes: Vec<ChangeRecord> = edited.iter().copied().filter(|c| own(c)).cloned().collect();
        let texts = |blob: fn(&ChangeRecord) -> &Option<Blob>| -> Vec<u8> {
            came.iter().filter_map(|c| blob(c).as_ref().and_then(Blob::bytes)).flatten().collect()
        };
        // A file that is not done keeps the site's stamp: there too the release's counts.
        let stamped = |c: &ChangeRecord| c.step == Some(Step::Stamp);
        let spelling = dialect_of(&file.path, file.kind, release).spelling();
        // A change of form may have come out in the release's form, or be gone with what the release took out.
        let is_form = |c: &ChangeRecord| {
            let text = |blob: &Option<Blob>| blob.as_ref().and_then(Blob::bytes).unwrap_or_default();
            matches!(c.step, Some(Step::ReleaseForm | Step::Form | Step::Words))
                && same_but_form(&text(&c.removed), &text(&c.added), spelling)
        };
        let result = &changes
            .iter()
            .filter(|c| stamped(c) && c.outcome == Outcome::Kept)
            .filter_map(|c| Some((c.result?.range(), c.release?.range())))
            .fold(result.to_vec(), |result, (at, from)| exchanged(&result, &at, release, &from));
        let base = &[base, b"\n", &texts(|c| &c.removed)].concat();
        let site = &[site, b"\n", &texts(|c| &c.added)].concat();
        let (base_lines, site_lines, result_lines) = (split_lines(base), split_lines(site), split_lines(result));
        // What was in the release already, and what is open, is taken out of the site's account; at an open spot
        // the release's text stands for the result's.
        let lines = |c: &ChangeRecord| Some((c.site?.range(), c.base?.range()));
        let elsewhere = |c: &ChangeRecord| {
            c.outcome == Outcome::Already || stamped(c) || is_form(c) || (c.outcome != Outcome::Open && !here(c))
        };
        let open: Vec<Decision> = self
            .account
            .decisions
            .iter()
            .filter(|d| d.path == file.path && d.state != State::Edited)
            .cloned()
            .collect();
        self.answers(file, &result_lines, recorded);
        let mut decided: Vec<Spot> =
            open.iter().filter_map(|d| Some((d.site_lines?.range(), d.base_lines?.range()))).collect();
        decided.sort_by_key(|(site, base)| (site.start, base.start));
        // What both have at the ends of a change is left out of its question: it may be counted on either side.
        let mut whole: Vec<Spot> =
            decided.iter().map(|spot| with_common_end(spot, &site_lines, &base_lines)).collect();
        // Where the question is put beside the change (a line that was doubled), the change itself is open too.
        let mut others: Vec<Spot> = Vec::new();
        let ids: HashSet<&str> = open.iter().map(|d| d.id.as_str()).collect();
        let asked = |c: &ChangeRecord| c.decision.as_ref().is_some_and(|id| ids.contains(id.as_str()));
        for change in changes.iter().filter(|c| asked(c) || elsewhere(c)) {
            let Some(lines) = lines(change) else { continue };
            match met(&decided, &lines) {
                Some(k) if asked(change) => {
                    let (site, base) = &mut whole[k];
                    *site = site.start.min(lines.0.start)..site.end.max(lines.0.end);
                    *base = base.start.min(lines.1.start)..base.end.max(lines.1.end);
                }
                Some(_) => {}
                None => others.push(lines),
            }
        }
        let without =
            |spots: Vec<Spot>| reverted(&base_lines, &site_lines, spots.into_iter().chain(others.clone()));
        let (effective, less) = (without(decided), without(whole));
        let (found, _) = blocks(&result_lines);
        let plain =
            if recorded { settled_for_release(&result_lines, &open) } else { resolved(&result_lines, &found) };
        let counts = [base, &effective, release, &plain].map(|text| Words::of(text, spelling));
        if recorded {
            let [out, put] = done_by_both([base, &effective, release]);
            self.count(file, &counts, [&less, &out, &put].map(|text| Words::of(text, spelling)), &changes);
        }
        let plain_lines = split_lines(&plain);
        let already: Vec<&ChangeRecord> =
            changes.iter().filter(|c| c.outcome == Outcome::Already && here(c)).collect();
        if !already.is_empty() {
            self.gone(file, &already, &base_lines, &plain_lines);
        }
        let carried = |c: &&ChangeRecord| matches!(c.outcome, Outcome::Kept | Outcome::Fitted | Outcome::Moved);
        let answered = |c: &ChangeRecord| {
            c.decision.as_ref().is_some_and(|id| open.iter().any(|d| d.id == *id && d.state == State::Settled))
        };
        let wanted = |c: &&ChangeRecord| here(c) && !answered(c) && !is_form(c);
        let looked_up: Vec<ChangeRecord> = changes.iter().filter(carried).filter(wanted).cloned().collect();
        for change in &looked_up {
            self.look_up(file, change, [&base_lines, &site_lines, &plain_lines], &counts);
        }
        let bracket = |text: &[u8]| brackets(text);
        let (b, s, r, x) = (bracket(base), bracket(&effective), bracket(release), bracket(&plain));
        if b == s && b == r && x != b {
            self.find(
                FindingKind::Unbalanced,
                &file.path,
                None,
                "brackets balance in all three versions, but not in the result",
                "look at the fitted changes in this file",
            );
        }
    }

    /// The release's text without the changes that were made where the site has their lines.
    pub(super) fn without_followed(&self, file: &FileRecord, release: &[u8]) -> Vec<u8> {
        let lines = split_lines(release);
        let went = self.account.followed.iter().filter(|f| f.path == file.path);
        let mut spots: Vec<Answered> = went
            .filter_map(|f| Some((f.release.range(), f.removed.bytes()?, f.added.bytes()?)))
            .filter(|(at, _, added)| lines.get(at.clone()).is_some_and(|now| joined(now) == *added))
            .map(|(at, removed, _)| (at, removed))
            .collect();
        with(&lines, &mut spots)
    }

    /// The release's changes that were made in a file of the site's own stand in it.
    pub(super) fn look_up_followed(&mut self, file: &FileRecord, site: &[u8], result: &[u8], recorded: bool) {
        let came = self.account.followed.iter().filter(|f| f.to == file.path);
        let (base, release): (Vec<Vec<u8>>, Vec<Vec<u8>>) =
            came.filter_map(|f| Some((f.removed.bytes()?, f.added.bytes()?))).unzip();
        if !base.is_empty() && recorded {
            let spelling = dialect_of(&file.path, file.kind, site).spelling();
            let texts = [&base.concat(), site, &release.concat(), result];
            let counts = texts.map(|text| Words::of(text, spelling));
            self.count(file, &counts, [site, b"", b""].map(|text| Words::of(text, spelling)), &[]);
        }
    }

    /// Each word stands as often as the changes of both sides add up to; `less` are the site's words without what a
    /// question left out of a change, `out` and `put` those of the lines that both sides took out and put in, which are gone
    /// and stand once.
    fn count(
        &mut self,
        file: &FileRecord,
        [base, site, release, result]: &[Words<'_>; 4],
        [less, out, put]: [Words<'_>; 3],
        changes: &[ChangeRecord],
    ) {
        // Where lines were merged by words or only their form changed, quotes and separators are the release's: as many
        // as its lines have. Of a file with another name the account does not tell.
        let by_form = changes.iter().any(|c| matches!(c.step, Some(Step::Form | Step::Words | Step::Renamed)));
        let all =
            [base, site, release, result].into_iter().flat_map(|words| words.times.keys().map(|word| &**word));
        let words: BTreeSet<&[u8]> = all.filter(|word| !by_form || !of_form(word)).collect();
        let (mut few, mut many): (Vec<String>, Vec<String>) = (Vec::new(), Vec::new());
        for word in words {
            let (b, r, x) = (base.times(word), release.times(word), result.times(word));
            let bounds = |s: i64| {
                let (ds, dr) = (s - b, r - b);
                let sum = b + ds + dr;
                // Where both sides did the like, it may have been the same.
                let alike = ds.signum() == dr.signum();
                let once = if alike { b + if ds.abs() > dr.abs() { ds } else { dr } } else { sum };
                (once.min(sum - put.times(word)), once.max(sum + out.times(word)))
            };
            let (all, some) = (bounds(site.times(word)), bounds(less.times(word)));
            let (low, high) = (all.0.min(some.0), all.1.max(some.1));
            if low <= x && x <= high {
                continue;
            }
            let shown = String::from_utf8_lossy(word).into_owned();
            if x < low { few.push(shown) } else { many.push(shown) }
        }
        let list = |words: &[String]| {
            let mut text = words.iter().take(6).map(|w| format!("`{w}`")).collect::<Vec<_>>().join(", ");
            if words.len() > 6 {
                text += ", …";
            }
            text
        };
        if !few.is_empty() {
            let of_site = changes.iter().find(|c| {
                let added = c.added.as_ref().and_then(Blob::bytes).unwrap_or_default();
                let added = Words::of(&added, base.spelling);
                few.iter().any(|w| w.bytes().any(|b| b.is_ascii_alphanumeric()) && added.has(w.as_bytes()))
            });
            let (kind, means) = match of_site {
                Some(_) => (FindingKind::ChangeMissing, "words that the site put in are missing"),
                None => (
                    FindingKind::ReleaseMissing,
                    "words of the release are missing, and no site change took them out",
                ),
            };
            self.find(
                kind,
                &file.path,
                None,
                &format!("{means}: {}", list(&few)),
                "compare the file with site and release",
            );
            if let (Some(change), Some(last)) = (of_site, self.findings.last_mut()) {
                last.change = Some(change.id.to_string());
            }
        }
        if !many.is_empty() {
            self.find(
                FindingKind::WordsTooMany,
                &file.path,
                None,
                &format!("words stand more often than both sides put them there: {}", list(&many)),
                "look for a change that was made twice, or text that should have gone",
            );
        }
    }

    /// What the site took out, and passes for taken out by the release too, does not stand in the result beside the lines
    /// that it stood beside.
    fn gone(&mut self, file: &FileRecord, already: &[&ChangeRecord], base: &[Line<'_>], result: &[Line<'_>]) {
        let telling = |l: &&Line<'_>| l.trimmed().iter().filter(|b| b.is_ascii_alphanumeric()).count() >= 4;
        let beside = |lines: &[Line<'_>], k: usize| -> [Vec<u8>; 2] {
            let text = |l: Option<&Line<'_>>| l.map_or(Vec::new(), |l| l.trimmed().to_vec());
            let before = lines[..k].iter().rev().find(telling);
            [text(before), text(lines[k + 1..].iter().find(telling))]
        };
        let mut in_base: HashMap<&[u8], usize> = HashMap::new();
        for line in base {
            *in_base.entry(line.trimmed()).or_default() += 1;
        }
        let mut in_result: HashMap<&[u8], Vec<usize>> = HashMap::new();
        for (k, line) in result.iter().enumerate() {
            in_result.entry(line.trimmed()).or_default().push(k);
        }
        for change in already {
            let Some(at) = change.base.map(|l| l.range()).filter(|r| r.end <= base.len()) else { continue };
            let added = change.added.as_ref().and_then(Blob::bytes).unwrap_or_default();
            let added: HashSet<Vec<u8>> = split_lines(&added).iter().map(|l| l.trimmed().to_vec()).collect();
            let stands = |k: usize| {
                let line = base[k].trimmed();
                let copies = in_result.get(line).filter(|copies| copies.len() >= in_base[line])?;
                let [before, after] = beside(base, k);
                let same_place = |j: &&usize| {
                    let [b, a] = beside(result, **j);
                    !before.is_empty() && b == before || !after.is_empty() && a == after
                };
                copies.iter().take(COPIES).find(same_place).copied()
            };
            let taken_out = |k: &usize| telling(&&base[*k]) && !added.contains(base[*k].trimmed());
            if let Some(found) = at.filter(taken_out).find_map(stands) {
                let means = "the site took this line out, and it stands here still";
                self.find(
                    FindingKind::ChangeMissing,
                    &file.path,
                    Some(found + 1),
                    means,
                    "take the line out again",
                );
                if let Some(last) = self.findings.last_mut() {
                    last.change = Some(change.id.to_string());
                }
            }
        }
    }

    /// A change's words stand in the result, in the neighbourhood they belong to.
    fn look_up(
        &mut self,
        file: &FileRecord,
        change: &ChangeRecord,
        [base, site, result]: [&[Line<'_>]; 3],
        [in_base, in_site, in_release, in_result]: &[Words<'_>; 4],
    ) {
        let Some(at) = change.site.map(|l| l.range()).filter(|r| r.end <= site.len()) else { return };
        let added: Vec<&Line<'_>> = site[at.clone()].iter().filter(|l| !l.is_blank()).collect();
        // A version stamp is the release's; only the words say so.
        if added.is_empty() || change.step == Some(Step::Stamp) {
            return;
        }
        let removed = change.removed.as_ref().and_then(Blob::bytes).unwrap_or_default();
        let had: HashSet<&[u8]> = tokens(&removed).map(|t| t.text).collect();
        // A word of a line that the site only moved may be one that the release took out.
        let gone = |word: &[u8], line: &Line<'_>| {
            let plain = in_base.spelling.plain(word);
            !in_release.has(word)
                && in_site.times(&plain) <= in_base.times(&plain)
                && base.iter().any(|old| old.trimmed() == line.trimmed())
        };
        let is_missing = |t: &Token<'_>, line: &Line<'_>| {
            t.kind == TokenKind::Word && !had.contains(t.text) && !in_result.has(t.text) && !gone(t.text, line)
        };
        let missing = added.iter().find_map(|line| tokens(line.content).find(|t| is_missing(t, line)));
        let word = missing.map(|t| String::from_utf8_lossy(t.text).into_owned());
        let report = |proof: &mut Proof, kind, line, means: &str, mend: &str| {
            proof.find(kind, &file.path, line, means, mend);
            if let Some(last) = proof.findings.last_mut() {
                last.change = Some(change.id.to_string());
            }
        };
        if let Some(word) = word.filter(|_| change.step != Some(Step::Words)) {
            report(
                self,
                FindingKind::ChangeMissing,
                None,
                &format!("`{word}`, which the site put in, is missing"),
                "put the change back",
            );
            return;
        }
        // The place: where most of the site's neighbouring lines stand around the change.
        let around = |lines: &[Line<'_>], range: &Range<usize>| -> Vec<(bool, Vec<u8>)> {
            let telling = |l: &&Line<'_>| l.trimmed().iter().filter(|b| b.is_ascii_alphanumeric()).count() >= 4;
            let before = lines[..range.start.min(lines.len())].iter().rev().filter(telling).take(4);
            let after = lines[range.end.min(lines.len())..].iter().filter(telling).take(4);
            let (before, after) = (before.map(|l| (true, l)), after.map(|l| (false, l)));
            before.chain(after).map(|(before, l)| (before, l.trimmed().to_vec())).collect()
        };
        let wanted = around(site, &at);
        let first = added[0].trimmed();
        // Merged by words it is another line, and one like it may be another change's.
        if change.step == Some(Step::Words) && site.iter().filter(|l| l.trimmed() == first).count() > 1 {
            return;
        }
        let places: Vec<usize> = (0..result.len()).filter(|k| result[*k].trimmed() == first).collect();
        let score = |k: usize| {
            let here = around(result, &(k..(k + at.len()).min(result.len())));
            wanted.iter().filter(|w| here.contains(w)).count()
        };
        let Some(best) = places.iter().map(|k| (score(*k), *k)).max() else { return };
        // An unchanged twin of what the site replaced, in the very surroundings, says it went to the wrong one.
        let removed_lines = split_lines(&removed);
        // A lone closing line is everywhere.
        let words = |l: &Line<'_>| tokens(l.content).filter(|t| t.kind == TokenKind::Word).count();
        let telling = removed_lines.iter().find(|l| !l.is_blank()).filter(|l| words(l) > 1);
        let twin = telling.and_then(|l| {
            (0..result.len())
                .filter(|k| result[*k].trimmed() == l.trimmed() && l.trimmed() != first)
                .map(|k| (score(k), k))
                .max()
        });
        // Below the very line that it stands below on the site, where there is one such line, it is at its place.
        let above = |lines: &[Line<'_>], at: usize| at.checked_sub(1).map(|k| lines[k].trimmed().to_vec());
        let owner = above(site, at.start).filter(|line| above(result, best.1).as_ref() == Some(line));
        let is_one = |line: Vec<u8>| !line.is_empty() && result.iter().filter(|l| l.trimmed() == line).count() == 1;
        let at_home = owner.is_some_and(is_one);
        let misplaced = |(s, _): &(usize, usize)| *s > best.0 && *s * 2 >= wanted.len() && !at_home;
        if let Some((_, line)) = twin.filter(misplaced) {
            report(
                self,
                FindingKind::ChangeMisplaced,
                Some(best.1 + 1),
                &format!("the change stands here, but its surroundings are at line {}", line + 1),
                "move the change to where its surroundings are",
            );
        }
    }
}

/// A text with some lines of another in place of its own.
fn exchanged(text: &[u8], at: &Range<usize>, other: &[u8], from: &Range<usize>) -> Vec<u8> {
    let (lines, others) = (split_lines(text), split_lines(other));
    if at.end > lines.len() || from.end > others.len() {
        return text.to_vec();
    }
    [joined(&lines[..at.start]), joined(&others[from.clone()]), joined(&lines[at.end..])].concat()
}

/// Finds the spot, of several in order, that some lines of the site or the base lie in.
fn met(spots: &[Spot], lines: &Spot) -> Option<usize> {
    let meet = |a: &Range<usize>, b: &Range<usize>| a.start < b.end && b.start < a.end;
    let first = spots.partition_point(|(site, base)| site.end <= lines.0.start && base.end <= lines.1.start);
    let near = spots[first..].iter().take_while(|(s, b)| s.start < lines.0.end || b.start < lines.1.end);
    near.enumerate().find(|(_, (s, b))| meet(s, &lines.0) || meet(b, &lines.1)).map(|(k, _)| first + k)
}

/// A spot with the lines behind it that the site has as the base has them at the spot's end.
fn with_common_end((site, base): &Spot, site_lines: &[Line<'_>], base_lines: &[Line<'_>]) -> Spot {
    let (Some(behind), Some(lines)) = (site_lines.get(site.end..), base_lines.get(base.clone())) else {
        return (site.clone(), base.clone());
    };
    let is_common = |count: &usize| {
        let pairs = behind[..*count].iter().zip(&lines[lines.len() - count..]);
        pairs.into_iter().all(|(a, b)| a.trimmed() == b.trimmed())
    };
    let common = (0..=behind.len().min(lines.len()).min(COMMON)).rev().find(is_common).unwrap_or(0);
    (site.start..site.end + common, base.clone())
}

/// The site's text with the base's in place of some spots.
fn reverted(base: &[Line<'_>], site: &[Line<'_>], spots: impl Iterator<Item = Spot>) -> Vec<u8> {
    let mut spots: Vec<Spot> = spots.filter(|(s, b)| s.end <= site.len() && b.end <= base.len()).collect();
    spots.sort_by_key(|(s, b)| (s.start, b.start));
    let mut out = Vec::new();
    let mut at = 0;
    for (s, b) in spots {
        out.extend(joined(&site[at.min(s.start)..s.start]));
        out.extend(joined(&base[b]));
        at = at.max(s.end);
    }
    out.extend(joined(&site[at..]));
    out
}

/// The result with the release's side at every open spot, by the lines that the account names.
fn settled_for_release(lines: &[Line<'_>], open: &[Decision]) -> Vec<u8> {
    let mut spots: Vec<Answered> = open
        .iter()
        .filter_map(|d| Some((d.result?.range(), d.release.bytes()?)))
        .filter(|(r, _)| r.end <= lines.len())
        .collect();
    with(lines, &mut spots)
}

/// A text with others in place of some of its lines.
fn with(lines: &[Line<'_>], spots: &mut [Answered]) -> Vec<u8> {
    spots.sort_by_key(|(r, _)| r.start);
    let mut out = Vec::new();
    let mut at = 0;
    for (range, text) in spots {
        out.extend(joined(&lines[at.min(range.start)..range.start]));
        out.extend(joined(&split_lines(text)));
        at = at.max(range.end);
    }
    out.extend(joined(&lines[at..]));
    out
}

/// The result with the release's side in place of every conflict block.
fn resolved(lines: &[Line<'_>], blocks: &[Block]) -> Vec<u8> {
    let mut out = Vec::new();
    let mut at = 0;
    for block in blocks {
        out.extend(joined(&lines[at..block.all.start]));
        out.extend(joined(&lines[block.release.clone()]));
        at = block.all.end;
    }
    out.extend(joined(&lines[at..]));
    out
}

/// Quotes and separators, which formatters set and leave out.
fn of_form(word: &[u8]) -> bool {
    matches!(word, b"\"" | b"'" | b";" | b",")
}

/// Tells whether two texts have the same words in the same order, but for quotes and separators.
fn same_but_form(a: &[u8], b: &[u8], spelling: Spelling) -> bool {
    let words = |text| tokens(text).map(|token| spelling.plain(token.text)).filter(|word| !of_form(word));
    words(a).eq(words(b))
}

/// How often each word stands in a text, in whatever spelling.
struct Words<'t> {
    spelling: Spelling,
    times: HashMap<Cow<'t, [u8]>, i64>,
}

impl<'t> Words<'t> {
    fn of(text: &'t [u8], spelling: Spelling) -> Self {
        let mut times = HashMap::new();
        for token in tokens(text).filter(|token| !token.text.is_empty()) {
            *times.entry(spelling.plain(token.text)).or_default() += 1;
        }
        Words { spelling, times }
    }

    fn has(&self, word: &[u8]) -> bool {
        self.times.contains_key(&self.spelling.plain(word))
    }

    /// How often a word stands there that is spelled plainly.
    fn times(&self, word: &[u8]) -> i64 {
        self.times.get(word).copied().unwrap_or(0)
    }
}

/// The lines that both sides took out of the base, and those that both put in, as often as both did.
fn done_by_both([base, site, release]: [&[u8]; 3]) -> [Vec<u8>; 2] {
    let [base, site, release] = [base, site, release].map(|text| {
        let mut times: BTreeMap<&[u8], usize> = BTreeMap::new();
        split_lines(text).iter().for_each(|line| *times.entry(line.content).or_default() += 1);
        times
    });
    let times = |side: &BTreeMap<&[u8], usize>, line: &[u8]| side.get(line).copied().unwrap_or(0);
    let repeated = |line: &[u8], times: usize| [line, b"\n"].concat().repeat(times);
    let out = base.iter().flat_map(|(line, before)| {
        repeated(line, before.saturating_sub(times(&site, line).max(times(&release, line))))
    });
    let put = site
        .iter()
        .flat_map(|(line, own)| repeated(line, times(&release, line).min(*own).saturating_sub(times(&base, line))));
    [out.collect(), put.collect()]
}

/// How far round, square and curly brackets are from balancing.
fn brackets(text: &[u8]) -> [i64; 3] {
    let mut counts = [0i64; 3];
    for byte in text {
        match byte {
            b'(' => counts[0] += 1,
            b')' => counts[0] -= 1,
            b'[' => counts[1] += 1,
            b']' => counts[1] -= 1,
            b'{' => counts[2] += 1,
            b'}' => counts[2] -= 1,
            _ => {}
        }
    }
    counts
}
