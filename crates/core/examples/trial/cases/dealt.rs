//! The vendor's change dealt out to the two sides.

use daxle_core::catalog::similarity;
use daxle_core::diff::{Edit, Interner, diff};
use daxle_core::merge::line_edits;
use daxle_core::text::key::Blanks;
use daxle_core::text::split_lines;
use daxle_core::text::token::tokens;

use super::{Case, Dice, Language, split};

pub(super) fn apply(old: &[&str], new: &[&str], edits: &[Edit], mine: impl Fn(usize) -> bool) -> String {
    let mut out: Vec<&str> = Vec::new();
    let mut at = 0;
    for (k, edit) in edits.iter().enumerate() {
        out.extend(&old[at..edit.old.start]);
        out.extend(if mine(k) { &new[edit.new.clone()] } else { &old[edit.old.clone()] });
        at = edit.old.end;
    }
    out.extend(&old[at..]);
    out.concat()
}

/// The vendor's changes, line by line where the lines are counterparts.
pub(super) fn edits_of(old: &str, new: &str) -> Vec<Edit> {
    let (o, n) = (split(old), split(new));
    // A file with line ends of its own kind is cut otherwise by the merge.
    if [(&o, old), (&n, new)].iter().any(|(lines, text)| lines.len() != split_lines(text.as_bytes()).len()) {
        return Vec::new();
    }
    let counterparts = |e: &Edit| {
        let mut pairs = o[e.old.clone()].iter().zip(&n[e.new.clone()]);
        e.old.len() == e.new.len() && pairs.all(|(a, b)| similarity(a.as_bytes(), b.as_bytes()) >= 0.5)
    };
    line_edits(old.as_bytes(), new.as_bytes(), Blanks::AreContent)
        .into_iter()
        .flat_map(|e| {
            if counterparts(&e) {
                e.old.zip(e.new).map(|(i, j)| Edit { old: i..i + 1, new: j..j + 1 }).collect()
            } else {
                vec![e]
            }
        })
        .collect()
}

pub(super) fn lines(dice: &mut Dice, old: &str, new: &str, _language: Language) -> Option<Case> {
    let (o, n) = (split(old), split(new));
    let edits = edits_of(old, new);
    if edits.len() < 2 {
        return None;
    }
    let sites: Vec<bool> = edits.iter().map(|_| dice.roll(2) == 0).collect();
    Some(Case {
        base: old.into(),
        site: apply(&o, &n, &edits, |k| sites[k]),
        release: apply(&o, &n, &edits, |k| !sites[k]),
        answer: new.into(),
    })
}

/// Two changes with at most two lines between them, one for each side.
pub(super) fn beside(dice: &mut Dice, old: &str, new: &str, _language: Language) -> Option<Case> {
    let edits = edits_of(old, new);
    let near: Vec<usize> = (1..edits.len()).filter(|k| edits[*k].old.start - edits[*k - 1].old.end <= 2).collect();
    two_of(dice, &split(old), &split(new), &edits, &near)
}

/// Two changes within a line, one for each side.
pub(super) fn inline(dice: &mut Dice, old: &str, new: &str, _language: Language) -> Option<Case> {
    let (o, n) = (split(old), split(new));
    let mut found = Vec::new();
    for edit in edits_of(old, new).iter().filter(|e| e.old.len() == 1 && e.new.len() == 1) {
        let (was, is) = (o[edit.old.start], n[edit.new.start]);
        if similarity(was.as_bytes(), is.as_bytes()) < 0.5 {
            continue;
        }
        let (o, n, edits) = word_edits(was, is)?;
        // What stands between is kept by both, and more than a mark.
        let telling = |t: &&str| t.chars().any(char::is_alphanumeric) || *t == ",";
        let near: Vec<usize> = (1..edits.len())
            .filter(|k| o[edits[k - 1].old.end..edits[*k].old.start].iter().any(telling))
            .filter(|k| [k - 1, *k].iter().all(|k| n[edits[*k].new.clone()].iter().any(telling)))
            .collect();
        found.extend((!near.is_empty()).then_some((edit.old.start, o, n, edits, near)));
    }
    if found.is_empty() {
        return None;
    }
    let (at, old_words, new_words, edits, near) = found.swap_remove(dice.roll(found.len()));
    let line = two_of(dice, &old_words, &new_words, &edits, &near)?;
    let within = |line: String| [&o[..at].concat(), &line[..], &o[at + 1..].concat()].concat();
    Some(Case {
        base: old.into(),
        site: within(line.site),
        release: within(line.release),
        answer: within(line.answer),
    })
}

/// Deals out one of the neighbouring pairs of changes, named by their second.
fn two_of(dice: &mut Dice, o: &[&str], n: &[&str], edits: &[Edit], near: &[usize]) -> Option<Case> {
    if near.is_empty() {
        return None;
    }
    let second = near[dice.roll(near.len())];
    let [a, b] = if dice.roll(2) == 0 { [second - 1, second] } else { [second, second - 1] };
    Some(Case {
        base: o.concat(),
        site: apply(o, n, edits, |k| k == a),
        release: apply(o, n, edits, |k| k == b),
        answer: apply(o, n, edits, |k| k == a || k == b),
    })
}

pub(super) fn words(dice: &mut Dice, old: &str, new: &str, _language: Language) -> Option<Case> {
    let (o, n, small) = word_edits(old, new)?;
    if small.len() < 2 || small.len() > 60 {
        return None;
    }
    let sites: Vec<bool> = small.iter().map(|_| dice.roll(2) == 0).collect();
    Some(Case {
        base: old.into(),
        site: apply(&o, &n, &small, |k| sites[k]),
        release: apply(&o, &n, &small, |k| !sites[k]),
        answer: apply(&o, &n, &small, |_| true),
    })
}

/// Small changes between two texts, a word here, a word there, and the texts in tokens.
fn word_edits<'t>(old: &'t str, new: &'t str) -> Option<(Vec<&'t str>, Vec<&'t str>, Vec<Edit>)> {
    fn toks(t: &str) -> Vec<&str> {
        let mut out = Vec::new();
        for token in tokens(t.as_bytes()) {
            for part in [token.lead, token.text] {
                if !part.is_empty() {
                    out.push(std::str::from_utf8(part).unwrap_or(""));
                }
            }
        }
        out
    }
    let (o, n) = (toks(old), toks(new));
    if o.concat() != old || n.concat() != new {
        return None;
    }
    let mut interner = Interner::new();
    let a: Vec<u32> = o.iter().map(|t| interner.number(t.as_bytes().into())).collect();
    let b: Vec<u32> = n.iter().map(|t| interner.number(t.as_bytes().into())).collect();
    let small = diff(&a, &b, |_| false)
        .into_iter()
        .filter(|e| e.old.len() <= 3 && e.new.len() <= 3 && !e.old.is_empty() && !e.new.is_empty())
        .filter(|e| !o[e.old.clone()].iter().chain(&n[e.new.clone()]).any(|t| t.trim().is_empty()))
        .collect();
    Some((o, n, small))
}

/// A word that the vendor changed within a line, changed by the site as well: to be asked.
pub(super) fn colliding(dice: &mut Dice, old: &str, new: &str, _language: Language) -> Option<Case> {
    let (o, n) = (split(old), split(new));
    let mut found = Vec::new();
    for edit in edits_of(old, new).iter().filter(|e| e.old.len() == 1 && e.new.len() == 1) {
        let (was, is) = (o[edit.old.start], n[edit.new.start]);
        let stays = n.iter().any(|line| line.trim() == was.trim());
        if stays || similarity(was.as_bytes(), is.as_bytes()) < 0.5 {
            continue;
        }
        let (words, other, small) = word_edits(was, is)?;
        let told = |w: &&str| w.chars().any(char::is_alphanumeric);
        let both = |e: &&Edit| words[e.old.clone()].iter().all(told) && other[e.new.clone()].iter().all(told);
        for edit_of_word in small.iter().filter(|e| e.old.len() == 1).filter(both) {
            let own =
                [&words[..edit_of_word.old.start], &["ownword"], &words[edit_of_word.old.end..]].concat().concat();
            found.push((edit.old.start, own));
        }
    }
    if found.is_empty() {
        return None;
    }
    let (at, own) = found.swap_remove(dice.roll(found.len()));
    let site = [&o[..at], &[own.as_str()], &o[at + 1..]].concat().concat();
    Some(Case { base: old.into(), site, release: new.into(), answer: String::new() })
}
