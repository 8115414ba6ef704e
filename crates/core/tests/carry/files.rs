//! Pairing, renames, deletions, additions, collisions.

use daxle_core::carry::CarryOptions;
use daxle_core::carry::account::{Source, Stands};
use daxle_core::merge::{Leave, Outcome, Reason, Step};

use crate::{carried, run, theme};

fn long(word: &str) -> String {
    (0..16).map(|n| format!("<p>{word} paragraph number {n}</p>\n")).collect()
}

#[test]
fn untouched_files_follow_the_release_also_out_of_the_theme() {
    let out = carried(
        &[("a.html", "old\n"), ("gone.html", "x\n")],
        &[("a.html", "old\n"), ("gone.html", "x\n")],
        &[("a.html", "new\n"), ("added.html", "y\n")],
    );
    assert_eq!(out.paths(), ["a.html", "added.html"]);
    assert_eq!(out.account.totals.changes, 0);
    assert!(out.account.files.is_empty(), "the account names only what the site touched");
}

#[test]
fn a_site_file_stays_and_a_deleted_one_stays_away() {
    let out = carried(
        &[("a.html", "x\n"), ("b.html", "y\n")],
        &[("a.html", "x\n"), ("own.css", "z\n")],
        &[("a.html", "x\n"), ("b.html", "y\n")],
    );
    assert_eq!(out.paths(), ["a.html", "own.css"]);
    assert_eq!(out.outcomes(), [("b.html", Outcome::Kept), ("own.css", Outcome::Kept)]);
}

#[test]
fn deleted_here_and_changed_there_is_asked_both_ways() {
    let base = [("a.html", "one line here\n"), ("b.html", "one line there\n")];
    let site = [("b.html", "one own line there\n")];
    let release = [("a.html", "one new line here\n")];
    let out = carried(&base, &site, &release);
    assert_eq!(out.outcomes(), [("a.html", Outcome::Open), ("b.html", Outcome::Open)]);
    let reasons: Vec<Reason> = out.account.decisions.iter().map(|d| d.reason).collect();
    assert_eq!(reasons, [Reason::SiteDeleted, Reason::ReleaseDeleted]);
    assert_eq!(out.paths(), ["a.html", "b.html"], "nothing is lost while it is open");
    assert_eq!(out.account.decisions[1].site.bytes().unwrap(), b"one own line there\n");
    for (leave, left) in [(Leave::Site, vec!["b.html"]), (Leave::Release, vec!["a.html"])] {
        let options = CarryOptions { leave, ..CarryOptions::default() };
        assert_eq!(run(&theme(&base), &theme(&site), &theme(&release), options).paths(), left);
    }
}

#[test]
fn both_deleted_is_already_there() {
    let out = carried(&[("a.html", "x\n"), ("k.html", "k\n")], &[("k.html", "k\n")], &[("k.html", "k\n")]);
    assert_eq!(out.outcomes(), [("a.html", Outcome::Already)]);
}

#[test]
fn the_release_renamed_what_the_site_edited() {
    let (base, new) = (long("old"), long("old").replace("number 9<", "number nine<"));
    let site = base.replace("number 2<", "number two<");
    let out = carried(&[("a/list.html", &base)], &[("a/list.html", &site)], &[("a/collection.html", &new)]);
    assert_eq!(out.paths(), ["a/collection.html"]);
    assert_eq!(out.files["a/collection.html"], new.replace("number 2<", "number two<"));
    let change = &out.account.changes[0];
    assert_eq!((change.outcome, change.step), (Outcome::Moved, Some(Step::Renamed)));
    assert_eq!(out.account.vendor[0].to.as_deref(), Some("a/collection.html"));
}

#[test]
fn the_site_renamed_what_the_release_changed() {
    let base = long("old");
    let new = base.replace("number 9<", "number nine<");
    let out = carried(&[("list.html", &base)], &[("mine.html", &base)], &[("list.html", &new)]);
    assert_eq!(out.files["mine.html"], new);
    assert_eq!(out.outcomes(), [("mine.html", Outcome::Kept)]);
}

#[test]
fn renamed_apart_is_asked() {
    let base = long("old");
    let out = carried(&[("list.html", &base)], &[("mine.html", &base)], &[("theirs.html", &base)]);
    assert_eq!(out.outcomes(), [("mine.html", Outcome::Open)]);
    assert_eq!(out.files.len(), 1);
}

#[test]
fn a_name_that_the_release_gave_to_another_file() {
    // The site adds `news.html`; the release renames another file to that name.
    let base = long("old");
    let out = carried(
        &[("list.html", &base)],
        &[("list.html", &base), ("news.html", "own page\n")],
        &[("news.html", &base)],
    );
    assert_eq!(out.account.totals.open, 1, "{:?}", out.outcomes());
    assert!(out.files["news.html"].contains("own page"));
    // The site renames a file to the name of a new one of the release.
    let out = carried(
        &[("list.html", &base)],
        &[("news.html", &base)],
        &[("list.html", &base), ("news.html", "their page\n")],
    );
    assert_eq!(out.outcomes(), [("news.html", Outcome::Open)]);
    assert_eq!(out.paths(), ["list.html", "news.html"]);
}

#[test]
fn both_added_a_file_of_one_name() {
    let same = carried(&[], &[("x.css", "a { top: 0; }\n")], &[("x.css", "a { top: 0; }\n")]);
    assert_eq!(same.outcomes(), [("x.css", Outcome::Already)]);
    let apart = carried(&[], &[("x.css", "a { top: 0; }\n")], &[("x.css", "b { top: 9px; }\n")]);
    assert_eq!(apart.account.decisions[0].reason, Reason::BothAdded);
    let text = &apart.files["x.css"];
    assert!(
        text.contains("<<<<<<< site") && text.contains("a { top: 0; }") && text.contains("b { top: 9px; }"),
        "{text}"
    );
}

#[test]
fn a_picture_that_both_replaced_is_kept_twice() {
    let out = carried(&[("a.png", "\0one")], &[("a.png", "\0two")], &[("a.png", "\0three")]);
    assert_eq!(out.account.decisions[0].reason, Reason::BothReplaced);
    assert_eq!((out.files["a.png"].as_str(), out.aside["a.png"].as_str()), ("\0two", "\0three"));
    assert_eq!(out.account.decisions[0].stands, Stands::Site);
    assert_eq!(out.account.files[0].from, Source::Site);
}

#[test]
fn broken_settings_are_merged_as_text_with_a_remark() {
    let out = carried(
        &[("s.json", "{\n\"a\": 1,,\n\"b\": 2\n}\n")],
        &[("s.json", "{\n\"a\": 1,,\n\"b\": 3\n}\n")],
        &[("s.json", "{\n\"c\": 0,\n\"a\": 1,,\n\"b\": 2\n}\n")],
    );
    assert!(out.files["s.json"].contains("\"b\": 3") && out.files["s.json"].contains("\"c\": 0"));
    assert!(out.account.remarks[0].text.contains("line 2"), "{:?}", out.account.remarks);
}

#[test]
fn names_that_differ_in_case_only_are_remarked() {
    let out = carried(
        &[],
        &[("Logo.svg", "<svg>ours is here</svg>\n")],
        &[("logo.svg", "<svg>quite another one</svg>\n")],
    );
    assert!(out.account.remarks.iter().any(|r| r.text.contains("in case only")), "{:?}", out.account.remarks);
}

#[test]
fn a_byte_order_mark_is_form() {
    let base = "one\ntwo\nthree\nfour\n";
    let out = carried(
        &[("a.txt", base)],
        &[("a.txt", &base.replace("two", "2"))],
        &[("a.txt", &format!("\u{feff}{}", base.replace("four", "4")))],
    );
    assert_eq!(out.files["a.txt"], "\u{feff}one\n2\nthree\n4\n", "a byte order mark is the release's form");
}

#[test]
fn a_version_stamp_is_never_a_question() {
    let page = |version: &str, words: &str| {
        format!("{{# lamp {version} #}}\n<h1>Title</h1>\n<p>{words}</p>\n<p>end</p>\n")
    };
    let run = |site: &str, release: &str| {
        let [base, site, release] = [&page("1.0", "text"), site, release].map(|t| super::theme(&[("a.html", t)]));
        let run = || super::run(&base, &site, &release, Default::default());
        let found = super::proof::check(&base, &site, &release, run(), "a.html", str::to_string);
        assert!(found.is_empty(), "{found:?}");
        run()
    };
    // `carried` names the versions 1.0 and 2.0.
    let all = run(&page("1.0-own", "text").replace("end", "our end"), &page("2.0", "text"));
    assert_eq!(all.files["a.html"], page("2.0", "text").replace("end", "our end"));
    assert_eq!(all.account.totals.open, 0);
    assert!(all.account.changes.iter().any(|c| c.step == Some(daxle_core::merge::Step::Stamp)));
    // A file with an open spot keeps the site's stamp.
    let all = run(&page("1.0-own", "our words"), &page("2.0", "their words"));
    assert!(all.files["a.html"].starts_with("{# lamp 1.0-own #}"), "{}", all.files["a.html"]);
    assert_eq!(all.account.totals.open, 1);
    // A version of something else is the site's word like any other.
    let other = |version: &str| page("1.0", "text").replace("lamp 1.0", &format!("needs {version}"));
    let all = carried(&[("a.html", &other("7.1"))], &[("a.html", &other("7.2"))], &[("a.html", &other("8.0"))]);
    assert_eq!(all.account.totals.open, 1);
}

#[test]
fn a_minified_twin_is_to_be_rebuilt() {
    let css = "a {\n  top: 0;\n}\n\nb {\n  top: 1px;\n}\n";
    let (min, own) = ("a{top:0}b{top:1px}", css.replace("top: 0", "top: 9px"));
    let all = carried(
        &[("s.css", css), ("s.min.css", min), ("t.css", css), ("t.min.css", min)],
        &[("s.css", &own), ("s.min.css", min), ("t.css", css), ("t.min.css", min)],
        &[
            ("s.css", &css.replace("1px", "2px")),
            ("s.min.css", "a{top:0}b{top:2px}"),
            ("t.css", css),
            ("t.min.css", min),
        ],
    );
    let remarks: Vec<&str> = all.account.remarks.iter().map(|r| r.path.as_str()).collect();
    assert_eq!(remarks, ["s.min.css"]);
    assert!(all.account.remarks[0].text.contains("rebuild it"));
}

#[test]
fn a_rule_that_the_release_removed_comes_with_a_suggestion() {
    let rule = |name: &str, body: &str| format!(".{name} {{\n  {body};\n  margin: 0;\n}}\n\n");
    let css = |rules: &[String]| rules.concat();
    let (one, two, three) = (rule("one", "top: 0"), rule("two", "top: 1px"), rule("three", "top: 2px"));
    let all = carried(
        &[("s.css", &css(&[one.clone(), two, three.clone()]))],
        &[("s.css", &css(&[one.clone(), rule("two", "top: 7px"), three.clone()]))],
        &[("s.css", &css(&[one, three]))],
    );
    let decision = &all.account.decisions[0];
    assert_eq!(all.account.decisions.len(), 1);
    assert!(
        decision
            .suggestion
            .as_ref()
            .is_some_and(|s| s.contains("a rule of your own at the end: .two { top: 7px; }")),
        "{decision:?}"
    );
}
