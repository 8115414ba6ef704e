//! What must hold for any three texts.

use daxle_core::merge::{Dialect, EditFate, Leave, MergeOptions, Outcome, Step, Trust, merge_text};
use proptest::prelude::*;

use crate::sources::{Dice, edited, page, restructured, script, style, tree};
use crate::{PAGE, SCRIPT, STYLE, TREE, merge, text};

type Maker = fn(u64) -> String;

fn all_dialects() -> [(Dialect, Maker); 5] {
    [(PAGE, page), (STYLE, style), (SCRIPT, script), (TREE, tree), (Dialect::default(), page)]
}

fn check_laws(dialect: &Dialect, base: &str, site: &str, release: &str) {
    assert_eq!(text(&merge(dialect, base, base, release)), release, "a site without changes gives the release");
    assert_eq!(text(&merge(dialect, base, site, base)), site, "a release without changes gives the site");
    assert_eq!(text(&merge(dialect, base, site, site)), site, "the same on both sides is that");
    let merged = merge(dialect, base, site, release);
    let again = merge(dialect, base, site, release);
    assert_eq!(merged.bytes, again.bytes, "same input, same bytes");
    let open = merged.edits.iter().filter(|e| e.outcome == Outcome::Open).count();
    assert_eq!(
        open > 0,
        !merged.decisions.is_empty(),
        "an open change hangs on a decision:\n{base}---\n{site}---\n{release}"
    );
    let lines = text(&merged).lines().count();
    assert!(merged.edits.iter().all(|e| e.result.end <= lines + 1), "places lie within the result");
}

#[test]
fn laws_hold_on_theme_files() {
    for seed in 0..150 {
        for (dialect, make) in all_dialects() {
            let base = make(seed);
            let mut dice = Dice::new(seed);
            let (site, release) = (edited(&mut dice, &base, 3, "own"), edited(&mut dice, &base, 4, "new"));
            check_laws(&dialect, &base, &site, &release);
        }
    }
}

/// Every text over a small alphabet of telling lines, up to a length.
fn small_texts(longest: usize) -> Vec<String> {
    let mut all = vec![String::new()];
    let mut last = all.clone();
    for _ in 0..longest {
        last = last
            .iter()
            .flat_map(|t| ["alpha one", "beta two", "gamma three"].map(|l| format!("{t}{l}\n")))
            .collect();
        all.extend(last.clone());
    }
    all
}

#[test]
fn laws_hold_on_every_small_text() {
    let texts = small_texts(3);
    for base in &texts {
        for site in &texts {
            for release in &texts {
                check_laws(&Dialect::default(), base, site, release);
            }
        }
    }
}

/// The release wraps some lines, indents them, and makes changes of its own; the site took out a line that stands once.
#[test]
fn what_the_site_took_out_stays_out_where_the_release_wrapped_it() {
    for seed in 0..400 {
        for (dialect, make) in all_dialects() {
            let base = make(seed);
            let mut dice = Dice::new(seed);
            let lines: Vec<&str> = base.lines().collect();
            let once = |line: &str| lines.iter().filter(|l| l.trim() == line.trim()).count() == 1;
            let out = dice.roll(lines.len());
            if lines[out].trim().len() < 4 || !once(lines[out]) {
                continue;
            }
            let without = |k: usize| [&lines[..k], &lines[k + 1..]].concat().join("\n") + "\n";
            let from = dice.roll(out + 1);
            let to = out + 1 + dice.roll(lines.len() - out);
            let deeper: Vec<String> = lines[from..to].iter().map(|l| format!("    {l}")).collect();
            let wrapped =
                [&lines[..from].join("\n"), "wrapper", &deeper.join("\n"), &lines[to..].join("\n")].join("\n");
            let release = edited(&mut dice, &wrapped, 3, "new");
            let merged = merge(&dialect, &base, &without(out), &release);
            let stands = |text: &str| text.lines().any(|l| l.trim() == lines[out].trim());
            let lost = merged.decisions.is_empty() && stands(&release) && stands(text(&merged));
            assert!(!lost, "seed {seed}, line {out}:\n{base}---\n{release}---\n{}", text(&merged));
        }
    }
}

/// Whichever side is taken in all questions, what comes out closes what it opens.
#[test]
fn every_answer_closes_what_it_opens() {
    let open = |text: &str| text.matches('{').count() as i64 - text.matches('}').count() as i64;
    let mut asked = 0;
    for seed in 0..250 {
        for (dialect, make) in [(STYLE, style as Maker), (SCRIPT, script)] {
            let base = make(seed);
            let mut dice = Dice::new(seed);
            let mut side = |mark: &str, times: usize| {
                let text = edited(&mut dice, &base, 2, mark);
                (0..times).fold(text, |text, _| restructured(&mut dice, &text))
            };
            let (site, release) = (side("own", 1), side("new", 2));
            let merged = merge(&dialect, &base, &site, &release);
            asked += merged.decisions.len();
            for leave in [Leave::Site, Leave::Release] {
                let options = MergeOptions { leave, ..MergeOptions::default() };
                let [base, site, release] = [&base, &site, &release].map(|text| text.as_bytes());
                let answered = merge_text(base, site, release, &dialect, &options).unwrap();
                assert_eq!(open(text(&answered)), 0, "seed {seed}, {leave:?}:\n{}", text(&merged));
            }
        }
    }
    assert!(asked > 100, "{asked}");
}

/// A merge without questions has each line as often as the two sides' changes add up to: nothing was lost and
/// nothing came twice. The slow, obviously right reference.
#[test]
fn nothing_is_lost_on_every_small_text() {
    let texts = small_texts(3);
    let count = |t: &str, line: &str| t.lines().filter(|l| *l == line).count() as i64;
    for base in &texts {
        for site in &texts {
            for release in &texts {
                let merged = merge(&Dialect::default(), base, site, release);
                if !merged.decisions.is_empty() || site == release {
                    continue;
                }
                // What both did alike counts once; the fates say so.
                let alike = |e: &EditFate| e.outcome == Outcome::Already || e.step == Some(Step::Contains);
                if merged.edits.iter().any(alike) {
                    continue;
                }
                for line in ["alpha one", "beta two", "gamma three"] {
                    let (b, s, r) = (count(base, line), count(site, line), count(release, line));
                    let got = count(text(&merged), line);
                    // Both may have deleted the same one; otherwise the changes add up.
                    let right = if s < b && r < b { s + r - b <= got && got <= s.min(r) } else { got == s + r - b };
                    assert!(right, "{line}\nbase\n{base}site\n{site}release\n{release}gives\n{}", text(&merged));
                }
            }
        }
    }
}

/// Cases that once were asked one way round and merged the other.
#[test]
fn swapping_sides_swaps_labels_where_lines_repeat() {
    swapped("cc3", "cc3\ncc3\naa1", "\ncc3");
    swapped("\naa1\ncc3", "\n\ncc3\naa1", "\n\ncc3");
    swapped("\n", "aa1\n\n\nbb2", "\n\nbb2");
}

/// Checks that swapping the sides asks as much and gives the same bytes.
fn swapped(base: &str, site: &str, release: &str) {
    let strict = |s: &str, r: &str| {
        let options = MergeOptions { trust: Trust::Strict, leave: Leave::Markers, ..MergeOptions::default() };
        merge_text(base.as_bytes(), s.as_bytes(), r.as_bytes(), &Dialect::default(), &options).unwrap()
    };
    let (there, back) = (strict(site, release), strict(release, site));
    assert_eq!(there.decisions.is_empty(), back.decisions.is_empty(), "{base:?} {site:?} {release:?}");
    if there.decisions.is_empty() {
        assert_eq!(there.bytes, back.bytes, "{base:?} {site:?} {release:?}");
    }
}

proptest! {
    /// Swapping the sides swaps only the labels, where no rule puts the release first.
    #[test]
    fn swapping_sides_swaps_labels(
        base in "(aa1|bb2|cc3|\n){0,12}", site in "(aa1|bb2|cc3|dd4|\n){0,12}", release in "(aa1|bb2|cc3|ee5|\n){0,12}"
    ) {
        swapped(&base, &site, &release);
    }

    #[test]
    fn any_bytes_are_survived(base in "[^\0]{0,80}", site in "[^\0]{0,80}", release in "[^\0]{0,80}") {
        for dialect in [PAGE, STYLE, SCRIPT] {
            merge(&dialect, &base, &site, &release);
        }
    }
}
