//! A difference between two versions, dealt out to site and release, must come together again or be asked
//! about: never anything else.

use daxle_core::diff::Edit;
use daxle_core::merge::{Dialect, Outcome, line_edits};
use daxle_core::text::key::Blanks;

use crate::sources::{Dice, edited, page, script, style, tree};
use crate::{PAGE, SCRIPT, STYLE, TREE, merge, text};

/// Applies some of the edits that lead from `old` to `new`.
fn apply(old: &[&str], new: &[&str], edits: &[Edit], mine: impl Fn(usize) -> bool) -> String {
    let mut out: Vec<&str> = Vec::new();
    let mut at = 0;
    for (k, edit) in edits.iter().enumerate() {
        out.extend(&old[at..edit.old.start]);
        out.extend(if mine(k) { &new[edit.new.clone()] } else { &old[edit.old.clone()] });
        at = edit.old.end;
    }
    out.extend(&old[at..]);
    out.join("\n") + "\n"
}

/// Cuts line edits of equal length into one-line edits, so that neighbours go to different sides.
fn finely(edits: Vec<Edit>) -> Vec<Edit> {
    edits
        .into_iter()
        .flat_map(|e| {
            if e.old.len() == e.new.len() {
                e.old.zip(e.new).map(|(i, j)| Edit { old: i..i + 1, new: j..j + 1 }).collect()
            } else {
                vec![e]
            }
        })
        .collect()
}

struct Tally {
    right: usize,
    asked: usize,
}

fn deal(seeds: std::ops::Range<u64>, dialect: &Dialect, make: fn(u64) -> String) -> Tally {
    let mut tally = Tally { right: 0, asked: 0 };
    for seed in seeds {
        let first = make(seed);
        let mut dice = Dice::new(seed ^ 0x5EED);
        let second = edited(&mut dice, &first, 6, "new");
        let (old, new): (Vec<&str>, Vec<&str>) = (first.lines().collect(), second.lines().collect());
        let edits = finely(line_edits(first.as_bytes(), second.as_bytes(), Blanks::AreContent));
        let sites: Vec<bool> = edits.iter().map(|_| dice.roll(2) == 0).collect();
        let site = apply(&old, &new, &edits, |k| sites[k]);
        let release = apply(&old, &new, &edits, |k| !sites[k]);
        let merged = merge(dialect, &first, &site, &release);
        if merged.decisions.is_empty() {
            assert_eq!(text(&merged), second, "seed {seed}\nsite:\n{site}\nrelease:\n{release}");
            tally.right += 1;
        } else {
            tally.asked += 1;
        }
    }
    tally
}

fn check(seeds: std::ops::Range<u64>) {
    for (dialect, make) in [(PAGE, page as fn(u64) -> String), (STYLE, style), (SCRIPT, script)] {
        let tally = deal(seeds.clone(), &dialect, make);
        let share = tally.right * 100 / (tally.right + tally.asked);
        assert!(share >= 90, "asked in {} of {} cases", tally.asked, tally.right + tally.asked);
    }
}

#[test]
fn dealt_differences_come_together_again() {
    check(0..400);
}

#[test]
#[ignore = "nightly size: many seeds"]
fn dealt_differences_come_together_again_many_seeds() {
    check(1_000..40_000);
}

/// Site edits planted in a version and carried over a release that changed elsewhere stand in the result, and
/// taking them out again gives the release.
#[test]
fn planted_edits_stand_in_the_result() {
    for seed in 0..400 {
        let base = page(seed);
        let mut dice = Dice::new(seed);
        let release = edited(&mut dice, &base, 5, "new");
        let lines: Vec<&str> = base.lines().collect();
        let at = 1 + dice.roll(lines.len() - 1);
        let planted = "    <aside data-planted=\"yes\">Tide times of the mill</aside>";
        let mut site = lines.clone();
        site.insert(at, planted);
        let merged = merge(&PAGE, &base, &(site.join("\n") + "\n"), &release);
        if merged.edits[0].outcome == Outcome::Open {
            continue;
        }
        let without: Vec<&str> = text(&merged).lines().filter(|l| !l.contains("data-planted")).collect();
        assert_eq!(text(&merged).lines().count(), without.len() + 1, "seed {seed}");
        assert_eq!(without.join("\n") + "\n", release, "seed {seed}");
    }
}

/// A wrap around a block of the base stands around the same block of the release, with what the release put into it;
/// taken out again it leaves the release.
#[test]
fn a_planted_wrap_holds_what_the_release_has_there() {
    let mut settled = 0;
    for seed in 0..400 {
        let base = tree(seed);
        let mut dice = Dice::new(seed);
        let release = edited(&mut dice, &base, 3, "new");
        let lines: Vec<&str> = base.lines().collect();
        let sections: Vec<usize> = (0..lines.len()).filter(|k| lines[*k].starts_with("  section")).collect();
        let at = sections[dice.roll(sections.len())];
        let end = (at + 1..lines.len()).find(|k| lines[*k].is_empty()).unwrap_or(lines.len());
        let deeper = lines[at..end].iter().map(|line| format!("  {line}"));
        let head = lines[..at].iter().map(ToString::to_string);
        let tail = lines[end..].iter().map(ToString::to_string);
        let site: Vec<String> = head.chain(["  .planted".to_string()]).chain(deeper).chain(tail).collect();
        let merged = merge(&TREE, &base, &(site.join("\n") + "\n"), &release);
        if !merged.decisions.is_empty() {
            continue;
        }
        settled += 1;
        let mut within = false;
        let mut out = String::new();
        for line in text(&merged).lines().filter(|line| !line.is_empty()) {
            let planted = line == "  .planted";
            within = planted || within && line.starts_with("    ");
            if !planted {
                out += line.strip_prefix("  ").filter(|_| within).unwrap_or(line);
                out += "\n";
            }
        }
        let bare: String = release.lines().filter(|l| !l.is_empty()).map(|l| l.to_string() + "\n").collect();
        assert_eq!(out, bare, "seed {seed}\nrelease:\n{release}\nresult:\n{}", text(&merged));
    }
    assert!(settled >= 300, "{settled} of 400 settled");
}
