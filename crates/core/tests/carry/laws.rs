//! What must hold for any three themes.

use daxle_core::carry::CarryOptions;
use daxle_core::carry::account::Totals;
use daxle_core::merge::Outcome;
use proptest::prelude::*;

use crate::{Files, run};

/// Small themes whose files have much in common, so that all cases come up: edits, moves, renames, collisions.
pub(crate) fn files() -> impl Strategy<Value = Files> {
    let line = prop_oneof![
        Just("<p class=\"one\">first thing to say</p>"),
        Just("<p>second thing to say</p>"),
        Just("<div>"),
        Just("</div>"),
        Just(""),
        Just("  <i>third thing there</i>"),
        Just("<b>something own here</b>"),
    ];
    let text =
        proptest::collection::vec(line, 0..9).prop_map(|l| l.iter().map(|l| format!("{l}\n")).collect::<String>());
    let path = prop_oneof![Just("a.html"), Just("b.html"), Just("parts/c.html"), Just("d.css"), Just("B.html")];
    proptest::collection::btree_map(path.prop_map(String::from), text, 0..5).prop_map(|m| m.into_iter().collect())
}

fn plain(files: &Files) -> Vec<(String, String)> {
    let mut list = files.clone();
    list.sort();
    list
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]

    #[test]
    fn laws_hold_on_themes(base in files(), site in files(), release in files()) {
        let options = CarryOptions::default();
        let result = |b: &Files, s: &Files, r: &Files| -> Vec<(String, String)> {
            run(b, s, r, options).files.into_iter().collect()
        };
        prop_assert_eq!(result(&base, &base, &release), plain(&release), "no site changes: the release");
        prop_assert_eq!(result(&base, &site, &base), plain(&site), "no vendor changes: the site");
        let both = run(&base, &release, &release, options);
        prop_assert_eq!(both.files.into_iter().collect::<Vec<_>>(), plain(&release), "the same on both sides");
        prop_assert_eq!(both.account.totals.open, 0);
    }

    #[test]
    fn every_change_has_one_outcome_and_every_question_its_changes(base in files(), site in files(), release in files()) {
        let out = run(&base, &site, &release, CarryOptions::default());
        prop_assert_eq!(out.account.totals, Totals::of(&out.account.changes));
        for change in &out.account.changes {
            prop_assert_eq!(change.outcome == Outcome::Open, change.decision.is_some(), "{:?}", change);
        }
        for decision in &out.account.decisions {
            prop_assert!(!decision.changes.is_empty(), "{:?}", decision);
            let known = decision.changes.iter().all(|id| out.account.changes.iter().any(|c| c.id == *id));
            prop_assert!(known);
        }
        let mut ids: Vec<_> = out.account.changes.iter().map(|c| &c.id).collect();
        ids.sort();
        prop_assert!(ids.windows(2).all(|w| w[0] != w[1]), "ids are unique");
    }
}
