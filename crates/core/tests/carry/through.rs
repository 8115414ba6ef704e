//! Stepping through intermediate releases.

use daxle_core::carry::account::{Theme, Themes};
use daxle_core::carry::{CarryOptions, Evidence, Inputs, Stop, best_way, carry_through, verify};
use daxle_core::merge::Outcome;
use daxle_core::theme::{Layout, MemoryTree};
use proptest::prelude::*;

use super::{Carried, Collect, Files, texts_of, theme};

/// Carries through stops; what came out must hold before the proof.
fn through(base: &Files, site: &Files, stops: &[Files], release: &Files) -> (Carried, (Vec<usize>, usize, usize)) {
    let tree = |f: &Files| MemoryTree::new(f.clone());
    let (base, site, release) = (tree(base), tree(site), tree(release));
    let stops: Vec<MemoryTree> = stops.iter().map(tree).collect();
    let named = |version: &str| Theme { version: Some(version.to_string()), ..Theme::default() };
    let layout = Layout::default();
    let inputs = Inputs {
        themes: Themes { base: named("1.0"), site: named("1.0"), release: named("2.0") },
        ..Inputs::new([&base, &site, &release], &layout)
    };
    let list = || stops.iter().map(|tree| Stop { tree, theme: named("1.5") }).collect::<Vec<_>>();
    let sink = Collect::default();
    let account = carry_through(&inputs, &list(), &CarryOptions::default(), &sink).unwrap();
    assert!(account.totals.adds_up(), "{:?}", account.totals);
    let files = texts_of(sink.files, &site, &release);
    let result = MemoryTree::new(files.clone());
    let evidence = Evidence { base: &base, site: &site, release: &release, result: &result };
    let proof = verify(&account, &evidence).unwrap();
    assert!(proof.findings.is_empty(), "{:#?}\n{files:#?}\n{account:#?}", proof.findings);
    let best = best_way(&inputs, &list(), &CarryOptions::default()).unwrap();
    (Carried { account, files, aside: texts_of(sink.aside, &site, &release) }, best)
}

const PAGE: &str = "<header>\n  <h1>Welcome to the house</h1>\n</header>\n<main>\n  <p>First words here</p>\n  <p>Second words here</p>\n</main>\n<footer>\n  <p>The end of it</p>\n</footer>\n";

#[test]
fn a_change_that_the_vendor_took_up_and_then_altered_is_settled_on_the_way() {
    let site = PAGE.replace("Second words here", "Better words here");
    let next = PAGE.replace("Second words here", "Better words here").replace("The end", "This is the end");
    let last = next.replace("Better words here", "Even better words now");
    let [base, site, next, last] = [PAGE, &site, &next, &last].map(|t| theme(&[("a.html", t)]));
    let (direct, best) = through(&base, &site, &[], &last);
    assert_eq!((direct.account.totals.open, best), (1, (vec![], 1, 1)));
    let (stepped, best) = through(&base, &site, &[next], &last);
    assert_eq!(stepped.outcomes(), [("a.html", Outcome::Already)]);
    assert_eq!(stepped.files["a.html"], last[0].1);
    assert_eq!(best, (vec![0], 0, 1));
}

#[test]
fn a_file_with_a_question_waits_for_the_next_release() {
    let site = PAGE.replace("First words", "Our words").replace("The end", "Our end");
    let next = PAGE.replace("First words", "Their words");
    let (base, site) = (
        theme(&[("a.html", PAGE), ("b.html", PAGE)]),
        theme(&[("a.html", &site), ("b.html", &PAGE.replace("Second", "2nd"))]),
    );
    // The stop changes the words that the site changed; the last release has the old ones again.
    let next = theme(&[("a.html", &next), ("b.html", &PAGE.replace("First", "1st"))]);
    let last = theme(&[
        ("a.html", &PAGE.replace("house", "mill")),
        ("c.html", &PAGE.replace("First", "1st").replace("house", "mill")),
    ]);
    let (stepped, _) = through(&base, &site, &[next], &last);
    assert_eq!(stepped.account.totals.open, 0);
    assert_eq!(stepped.files["a.html"], site[0].1.replace("house", "mill"));
    assert_eq!(
        stepped.files["c.html"],
        PAGE.replace("Second", "2nd").replace("First", "1st").replace("house", "mill")
    );
    assert_eq!(stepped.account.changes.len(), 3);
}

fn page(words: &[usize; 12]) -> String {
    words.iter().enumerate().map(|(k, w)| format!("<p>line {k} says word {w} here</p>\n")).collect()
}

proptest! {
    /// Every change is told of once, and the proof holds, whatever the releases on the way did.
    #[test]
    fn steps_lose_nothing(site in any::<[bool; 12]>(), one in any::<[u8; 12]>(), two in any::<[u8; 12]>(), own in any::<bool>()) {
        let change = |from: [usize; 12], by: [u8; 12], word: usize| -> [usize; 12] {
            std::array::from_fn(|k| if by[k].is_multiple_of(4) { word } else { from[k] })
        };
        let base = [0; 12];
        let next = change(base, one, 1);
        let last = change(next, two, 2);
        let mine: [usize; 12] = std::array::from_fn(|k| if site[k] { 7 } else { 0 });
        let with = |text: [usize; 12], extra: bool| {
            let mut files = theme(&[("a.html", &page(&text)), ("same.css", "p { top: 0 }\n")]);
            if extra {
                files.push(("own.txt".into(), "ours\n".into()));
            }
            files
        };
        let (stepped, (_, best, direct)) = through(&with(base, false), &with(mine, own), &[with(next, false)], &with(last, false));
        let (straight, _) = through(&with(base, false), &with(mine, own), &[], &with(last, false));
        let ids = |c: &Carried| c.account.changes.iter().map(|c| c.id.clone()).collect::<std::collections::BTreeSet<_>>();
        prop_assert_eq!(ids(&stepped), ids(&straight));
        prop_assert!(best <= direct);
        if own {
            prop_assert_eq!(&stepped.files["own.txt"], "ours\n");
        }
        for (k, theirs) in last.iter().enumerate() {
            let line = |w: usize| format!("<p>line {k} says word {w} here</p>");
            // The site's word is there, or asked about; never gone.
            if site[k] && *theirs == 0 {
                prop_assert!(stepped.files["a.html"].contains(&line(7)));
            }
        }
    }
}
