//! Merges with known results, one per cause of needless questions.

mod places;
mod questions;
mod space;
mod twins;

use daxle_core::merge::{Dialect, Reason};

use crate::{merge, text};

#[track_caller]
pub(super) fn gives(dialect: &Dialect, [base, site, release]: [&str; 3], expected: &str) {
    let merged = merge(dialect, base, site, release);
    assert_eq!(text(&merged), expected);
    assert!(merged.decisions.is_empty(), "{:?}", merged.decisions);
}

#[track_caller]
pub(super) fn asks(dialect: &Dialect, [base, site, release]: [&str; 3], reason: Reason) {
    let merged = merge(dialect, base, site, release);
    assert_eq!(merged.decisions.iter().map(|d| d.reason).collect::<Vec<_>>(), [reason], "{}", text(&merged));
    assert!(text(&merged).contains("<<<<<<< site\n"), "{}", text(&merged));
}

/// Asks one question, whose sides are the whole lines that a `⟦site|base|release⟧` stands for in a text.
#[track_caller]
pub(super) fn asks_about(dialect: &Dialect, versions: [&str; 3], expected: &str) {
    let merged = merge(dialect, versions[0], versions[1], versions[2]);
    let [decision] = &merged.decisions[..] else { panic!("{}", text(&merged)) };
    let sides =
        [&decision.site_text, &decision.base_text, &decision.release_text].map(|t| String::from_utf8_lossy(t));
    let lines: Vec<&str> = text(&merged).split_inclusive('\n').collect();
    let [before, behind] =
        [&lines[..decision.result.start], &lines[decision.result.end..]].map(|part| part.concat());
    assert_eq!(format!("{before}⟦{}⟧{behind}", sides.join("|")), expected);
}
