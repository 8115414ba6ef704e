//! Changes that follow a stretch into another file.

use daxle_core::carry::CarryOptions;
use daxle_core::merge::{Outcome, Step, Trust};

use crate::{carried, run, theme};

const BLOCK: &str = "<section class=\"supporters\">\n  <h2>With the support of many</h2>\n  <ul class=\"supporter-list\">\n    <li>the town council of old</li>\n    <li>the friends of the mill</li>\n  </ul>\n</section>\n";

fn page(block: &str) -> String {
    format!("<main>\n  <h1>The house of the mill</h1>\n  <p>Text about the house</p>\n{block}</main>\n")
}

#[test]
fn a_block_that_moved_into_a_new_part_takes_the_change_along() {
    let own = BLOCK.replace("the friends of the mill", "our friends of the mill");
    let part = format!("<!-- part -->\n{BLOCK}");
    let out = carried(
        &[("home.html", &page(BLOCK))],
        &[("home.html", &page(&own))],
        &[("home.html", &page("{% include 'part.html' %}\n")), ("part.html", &part)],
    );
    assert_eq!(out.files["part.html"], part.replace("the friends of the mill", "our friends of the mill"));
    assert_eq!(out.files["home.html"], page("{% include 'part.html' %}\n"));
    let change = &out.account.changes[0];
    assert_eq!((change.outcome, change.step), (Outcome::Moved, Some(Step::MovedAcross)));
    assert_eq!(change.result_path.as_deref(), Some("part.html"));
}

#[test]
fn a_deleted_line_follows_too() {
    let own = BLOCK.replace("    <li>the friends of the mill</li>\n", "");
    let out = carried(
        &[("home.html", &page(BLOCK))],
        &[("home.html", &page(&own))],
        &[("home.html", &page("{% include 'part.html' %}\n")), ("part.html", BLOCK)],
    );
    assert_eq!(out.files["part.html"], own);
}

#[test]
fn two_homes_are_a_question() {
    let own = BLOCK.replace("the friends of the mill", "our friends of the mill");
    let out = carried(
        &[("home.html", &page(BLOCK))],
        &[("home.html", &page(&own))],
        &[
            ("home.html", &page("{% include 'x' %}\n")),
            ("a.html", &format!("<i>one</i>\n{BLOCK}")),
            ("b.html", &format!("<b>two</b>\n{BLOCK}")),
        ],
    );
    assert_eq!(out.account.totals.open, 1);
    assert!(out.files["home.html"].contains("our friends of the mill"), "shown where it was");
}

#[test]
fn a_split_file_takes_its_changes_to_their_parts() {
    let rule = |name: &str| -> String {
        (0..8).map(|n| format!(".{name}-{n} {{\n  order: {n};\n  flex: {n}{n};\n}}\n")).collect()
    };
    let (head, foot) = (rule("head"), rule("foot"));
    let whole = format!("{head}{foot}");
    let own = whole
        .replace("  flex: 33;\n}\n.head-4", "  flex: 99;\n}\n.head-4")
        .replace(".foot-6 {\n  order: 6", ".foot-6 {\n  order: -6");
    let options = CarryOptions::default();
    let out = run(
        &theme(&[("all.css", &whole)]),
        &theme(&[("all.css", &own)]),
        &theme(&[("head.css", &head), ("foot.css", &foot)]),
        options,
    );
    let joined = format!("{}{}", out.files.get("head.css").unwrap(), out.files.get("foot.css").unwrap());
    assert_eq!(joined, own, "{:?}", out.outcomes());
    assert_eq!(out.account.totals.moved, 2);
}

#[test]
fn strict_trust_follows_nothing() {
    let own = BLOCK.replace("the friends of the mill", "our friends of the mill");
    let out = run(
        &theme(&[("home.html", &page(BLOCK))]),
        &theme(&[("home.html", &page(&own))]),
        &theme(&[("home.html", &page("{% include 'part.html' %}\n")), ("part.html", BLOCK)]),
        CarryOptions { trust: Trust::Strict, ..CarryOptions::default() },
    );
    assert_eq!((out.account.totals.open, out.files["part.html"].as_str()), (1, BLOCK));
}
