//! The site against the vendor, or ahead of it: edits of what goes, what the vendor does as well, snippets, and files on
//! one line.

use std::collections::HashSet;

use daxle_core::catalog::similarity;
use daxle_core::diff::Edit;
use daxle_core::merge::{balance, line_edits};
use daxle_core::text::key::Blanks;
use daxle_core::theme::Kind;

use super::dealt::{apply, edits_of};
use super::{Case, Dice, Language, longest_word, planted, split};

/// A word of a line that the vendor took out, or a line of which the vendor changed words: to be asked.
pub(super) fn against(dice: &mut Dice, old: &str, new: &str, _language: Language) -> Option<Case> {
    let (o, n) = (split(old), split(new));
    let there: HashSet<&str> = n.iter().map(|line| line.trim()).collect();
    let edits = line_edits(old.as_bytes(), new.as_bytes(), Blanks::AreForm);
    let by_word = dice.roll(2) == 0;
    let mut found: Vec<(usize, String)> = Vec::new();
    for edit in &edits {
        for i in edit.old.clone().filter(|i| !there.contains(o.get(*i).map_or("", |line| line.trim()))) {
            let line = *o.get(i)?;
            let Some(word) = longest_word(line) else { continue };
            let alike = |j: usize| n.get(j).is_some_and(|l| similarity(line.as_bytes(), l.as_bytes()) >= 0.3);
            let is_gone = edit.new.is_empty() && n.iter().all(|l| similarity(line.as_bytes(), l.as_bytes()) < 0.5);
            if by_word && is_gone {
                found.push((i, line.replacen(&word, "ownword", 1)));
            } else if !by_word && edit.old.len() == 1 && edit.new.len() == 1 && alike(edit.new.start) {
                found.push((i, String::new()));
            }
        }
    }
    let (at, put) = found.get(dice.roll(found.len()))?.clone();
    let site = [&o[..at].concat(), &put, &o[at + 1..].concat()].map(String::as_str).concat();
    Some(Case { base: old.into(), site, release: new.into(), answer: String::new() })
}

/// The site took some of the vendor's changes before, and has an edit of its own.
pub(super) fn ahead(dice: &mut Dice, old: &str, new: &str, language: Language) -> Option<Case> {
    let own = planted::any(dice, old, new, language)?;
    let edits = edits_of(&own.site, &own.answer);
    let (o, n) = (split(&own.site), split(&own.answer));
    // Of what moved nobody takes one half.
    let lines = |pick: &dyn Fn(&Edit) -> Vec<usize>, of: &[&str]| -> HashSet<String> {
        edits.iter().flat_map(pick).map(|at| of[at].trim().to_owned()).filter(|line| line.len() > 5).collect()
    };
    let (gone, put) = (lines(&|e| e.old.clone().collect(), &o), lines(&|e| e.new.clone().collect(), &n));
    let moved = |e: &Edit| {
        o[e.old.clone()].iter().any(|line| put.contains(line.trim()))
            || n[e.new.clone()].iter().any(|line| gone.contains(line.trim()))
    };
    let taken: Vec<bool> = edits.iter().map(|edit| dice.roll(3) == 0 && !moved(edit)).collect();
    let site = apply(&o, &n, &edits, |k| taken[k]);
    // Nor half of a block.
    let is_whole = |text: &str| balance(text.as_bytes(), language.kind == Kind::Template);
    let whole = is_whole(&site) == is_whole(&own.site) && is_whole(&own.site) == is_whole(&own.answer);
    (whole && taken.contains(&true)).then_some(Case { site, ..own })
}

/// A snippet before the end of the head or the body, or at its beginning.
pub(super) fn snippet(dice: &mut Dice, old: &str, new: &str, language: Language) -> Option<Case> {
    if language.kind != Kind::Template {
        return None;
    }
    let edge = ["</head>", "</body>", "<body"][dice.roll(3)];
    let snippets = ["<script src=\"own.js\"></script>\n", "<!-- own -->\n<script>\n  own('tide');\n</script>\n"];
    let snippet = snippets[dice.roll(2)];
    let put = |text: &str| {
        let lines = split(text);
        let mut at = (0..lines.len()).filter(|k| lines[*k].trim_start().starts_with(edge));
        let (at, None) = (at.next()?, at.next()) else { return None };
        if edge == "<body" && !lines[at].trim_end().ends_with('>') {
            return None;
        }
        let at = at + usize::from(edge == "<body");
        Some([&lines[..at].concat(), snippet, &lines[at..].concat()].concat())
    };
    Some(Case { base: old.into(), site: put(old)?, release: new.into(), answer: put(new)? })
}

/// A word in a file that is written on one line.
pub(super) fn oneline(dice: &mut Dice, old: &str, new: &str, language: Language) -> Option<Case> {
    if !matches!(language.kind, Kind::Style | Kind::Script) || language.by_indent {
        return None;
    }
    let case = planted::word(dice, old, new, language)?;
    let is_remark = |line: &&str| line.starts_with("//") || line.starts_with("/*") || line.starts_with('*');
    let written = |text: &String| {
        text.lines().map(str::trim).filter(|line| !is_remark(line)).collect::<Vec<_>>().join(" ") + "\n"
    };
    let texts = [&case.base, &case.site, &case.release, &case.answer].map(written);
    // A remark behind a line would go on to the end.
    if texts[0] == texts[1] || texts.iter().any(|text| text.contains("// ")) {
        return None;
    }
    let [base, site, release, answer] = texts;
    Some(Case { base, site, release, answer })
}
