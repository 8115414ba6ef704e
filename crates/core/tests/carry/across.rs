//! Changes that follow a stretch into another file.

use daxle_core::carry::CarryOptions;
use daxle_core::carry::account::{Answer, Take};
use daxle_core::merge::{Leave, Outcome, Reason, Step, Trust};

use crate::proof::check;
use crate::settle::Desk;
use crate::{Files, carried, run, theme};

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
fn a_change_does_not_go_into_a_file_that_both_added() {
    let (edited, less) =
        (BLOCK.replace("the friends", "our friends"), BLOCK.replace("    <li>the friends of the mill</li>\n", ""));
    for (own, word) in [(edited, "our friends"), (less, "")] {
        let out = carried(
            &[("home.html", &page(BLOCK))],
            &[("home.html", &page(&own)), ("part.html", "<p>a part of the site's own</p>\n")],
            &[("home.html", &page("")), ("part.html", BLOCK)],
        );
        assert_eq!(out.outcomes(), [("home.html", Outcome::Open), ("part.html", Outcome::Open)]);
        assert!(out.files["home.html"].contains(word));
        assert_eq!(out.files["part.html"].matches("<<<<<<<").count(), 1, "no question stands within another");
    }
}

#[test]
fn no_file_comes_that_has_nothing_in_it() {
    let out = carried(
        &[("home.html", &page(BLOCK))],
        &[("home.html", &page(""))],
        &[("home.html", &page("{% include 'part.html' %}\n")), ("part.html", BLOCK)],
    );
    assert_eq!(out.outcomes(), [("home.html", Outcome::Open)]);
    assert!(out.files["part.html"].contains("friends of the mill"));
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
fn a_line_deleted_in_a_stretch_that_goes_is_not_deleted_by_both() {
    // The release's file has none of the lines any more, so a merge of this file alone has nothing to ask.
    let own = BLOCK.replace("    <li>the friends of the mill</li>\n", "");
    let moved = BLOCK.replace("<h2>With the", "<h2 class=\"new\">With the");
    for home in [("part.html", ""), ("page.html", "<p>there already</p>\n")] {
        let before = [("home.html", page(BLOCK)), (home.0, home.1.to_string())];
        let kept = usize::from(!home.1.is_empty()) + 1;
        let of =
            |block: &str, part: &str| vec![("home.html".into(), page(block)), (home.0.into(), part.to_string())];
        let base: Files = before[..kept].iter().map(|(p, t)| (p.to_string(), t.clone())).collect();
        let site: Files = base.iter().map(|(p, t)| (p.clone(), t.replace(BLOCK, &own))).collect();
        let out = run(&base, &site, &of("", &format!("{}{moved}", home.1)), CarryOptions::default());
        assert_eq!(out.account.totals.moved, 1, "{:?}", out.outcomes());
        assert_eq!(
            out.files[home.0],
            format!("{}{}", home.1, moved.replace("    <li>the friends of the mill</li>\n", ""))
        );
    }
}

#[test]
fn one_end_of_a_wrap_does_not_go_without_the_other() {
    let moved = format!("<p>The house has many friends</p>\n<p>They are named here</p>\n{BLOCK}");
    let own = moved.replace("<p>They", "<div class=\"own\">\n<p>They");
    let out = carried(
        &[("home.html", &page(&moved))],
        &[("home.html", &page(&own).replace("</main>", "</div>\n</main>"))],
        &[("home.html", &page("{% include 'part.html' %}\n")), ("part.html", &moved)],
    );
    assert_eq!(out.files["part.html"], moved);
    assert_eq!(out.account.totals.open, 2, "{:?}", out.outcomes());
}

#[test]
fn a_line_does_not_leave_the_block_that_the_site_put_around_it() {
    let import = "from mill.parts import nodes\n";
    let stop = "\n\ndef stop(wheel, brake):\n    brake.pull(nodes.of(wheel))\n    return wheel.rest()\n";
    let tools = |import: &str, rest: &str| {
        format!("import os\n{import}import mill.wheel\n\n\ndef turn(wheel):\n    return wheel.turn()\n{rest}")
    };
    let out = carried(
        &[("tools.py", &tools(&format!("\n{import}"), stop))],
        &[("tools.py", &tools(&format!("if own:\n\n  {import}"), stop))],
        &[("tools.py", &tools("\n", "")), ("stops.py", &format!("{import}{stop}"))],
    );
    assert_eq!(out.files["stops.py"], format!("{import}{stop}"));
    assert!(out.account.totals.open > 0, "{:?}", out.outcomes());
}

#[test]
fn a_deleted_line_that_may_stand_in_another_file_is_asked_about_there() {
    let (base, site) = (page(BLOCK), page(&BLOCK.replace("    <li>the friends of the mill</li>\n", "")));
    // Two files have it: nobody can tell which is meant.
    let part = |n: usize| {
        format!("<p>part {n}</p>\n<ul class=\"supporter-list\">\n  <li>the friends of the mill</li>\n</ul>\n")
    };
    let (base, site) = (theme(&[("home.html", &base)]), theme(&[("home.html", &site)]));
    let release = theme(&[("home.html", &page("")), ("a.html", &part(1)), ("b.html", &part(2))]);
    let out = run(&base, &site, &release, CarryOptions::default());
    let decision = &out.account.decisions[0];
    assert_eq!((decision.path.as_str(), decision.reason), ("a.html", Reason::SiteDeleted));
    assert_eq!(out.account.changes[0].decision.as_ref(), Some(&decision.id));
    let lines = decision.result.unwrap().range();
    let asked: Vec<&str> = out.files["a.html"].lines().collect();
    assert_eq!((asked[lines.start], asked[lines.end - 1]), ("<<<<<<< site", ">>>>>>> release 2.0"));
    // The answer is carried out where the lines are.
    let mut desk = Desk::new(&base, &site, &release, Leave::Markers);
    desk.settle(&decision.id, &Answer::take(Take::Site)).unwrap();
    assert_eq!(desk.text("a.html"), part(1).replace("  <li>the friends of the mill</li>\n", ""));
    assert_eq!(desk.account.totals.open, 0);
    let found = check(&base, &site, &release, out, "a.html", str::to_string);
    assert!(found.is_empty(), "{found:?}");
}

#[test]
fn two_files_that_claim_one_place_lose_nothing() {
    // Both pages had the block; the release keeps it once, in a part.
    let own = BLOCK.replace("    <li>the friends of the mill</li>\n", "");
    let pages = |block: &str, other: &str| theme(&[("home.html", &page(block)), ("house.html", &page(other))]);
    let release = [pages("", ""), theme(&[("part.html", BLOCK)])].concat();
    // Both deleted the same line: that is done once.
    let out = run(&pages(BLOCK, BLOCK), &pages(&own, &own), &release, CarryOptions::default());
    assert_eq!((out.account.totals.open, out.files["part.html"].as_str()), (0, own.as_str()));
    // One changed another line: the deletion is asked about.
    let other = BLOCK.replace("the town council", "our town council");
    let out = run(&pages(BLOCK, BLOCK), &pages(&other, &own), &release, CarryOptions::default());
    assert_eq!(out.outcomes(), [("home.html", Outcome::Moved), ("house.html", Outcome::Open)]);
    assert_eq!(out.account.decisions[0].path, "part.html");
    assert!(out.files["part.html"].contains("our town council"));
}

#[test]
fn a_doubt_stays_open_where_another_change_of_the_file_moved() {
    // What is asked about stands in a file that is worked out before the one that the lines were in.
    let list = "<ul class=\"tide-table\">\n  <li>high water at the sluice gate</li>\n</ul>\n";
    let home = |block: &str, list: &str| page(&format!("{block}<hr>\n{list}"));
    let own = BLOCK.replace("the town council", "our town council");
    let cut = list.replace("  <li>high water at the sluice gate</li>\n", "");
    let with = |part: &str| format!("<p>there already</p>\n{part}");
    let files =
        |home: String, part: &str| theme(&[("a.html", &with(part)), ("b.html", &with(part)), ("home.html", &home)]);
    let release = [files(home("", ""), list), theme(&[("part.html", BLOCK)])].concat();
    let site = files(home(&own, &cut), "");
    let out = run(&files(home(BLOCK, list), ""), &site, &release, CarryOptions::default());
    let outcomes: Vec<Outcome> = out.outcomes().iter().map(|(_, outcome)| *outcome).collect();
    assert_eq!(outcomes, [Outcome::Moved, Outcome::Open], "{:?}", out.account.decisions);
    assert_eq!((out.account.decisions.len(), out.files["part.html"].as_str()), (1, own.as_str()));
}

#[test]
fn a_file_that_was_reworked_into_another_takes_its_changes_along() {
    let rule = |name: &str, color: &str| format!(".{name} {{\n  color: {color};\n  order: {};\n}}\n", name.len());
    let old: String =
        ["gate", "ticket", "queue", "turnstile", "cloakroom", "counter"].map(|n| rule(n, "navy")).concat();
    let new: String =
        ["gate", "ticket", "sluice", "queue", "millrace", "wheelhouse", "turnstile", "cloakroom", "counter"]
            .map(|n| rule(n, if n == "queue" { "teal" } else { "navy" }))
            .concat();
    let main = "body {\n  margin: 0;\n}\n";
    let own = |text: &str| text.replace(".turnstile {\n", ".turnstile {\n  gap: 3px;\n");
    let out = carried(
        &[("main.css", main), ("gate.css", &old)],
        &[("main.css", main), ("gate.css", &own(&old))],
        &[("main.css", &format!("{main}{new}"))],
    );
    assert_eq!(out.files["main.css"], own(&format!("{main}{new}")));
    assert_eq!(out.account.totals.moved, 1, "{:?}", out.outcomes());
}

#[test]
fn where_much_of_a_file_went_its_changes_go_though_little_is_left_beside_them() {
    let sign = |n: usize, text: &str| format!("<li id=\"sign-{n}\">\n  <b>{text} number {n}</b>\n</li>\n");
    let signs = |text: &str, range: std::ops::Range<usize>| -> String { range.map(|n| sign(n, text)).collect() };
    let list = |title: &str, middle: &str| {
        format!(
            "<h2 class=\"{title}\">Signs of the house</h2>\n{}{middle}{}",
            signs("Sign of a hall", 1..9),
            signs("Sign of a gate", 20..29)
        )
    };
    let old = list("list", &signs("Notice", 9..20));
    // Of the lines beside the change most were reworked, and another file has as many of them.
    let new =
        list("list wide", &(signs("Reworked notice", 9..14) + &sign(14, "Notice") + &signs("Remark", 15..20)));
    let own =
        |text: &str, id: &str| text.replace(id, &format!("{id} lang=\"en\"")).replace("<h2", "<h2 id=\"own\"");
    let (home, other) = ("<h1>Home</h1>\n<p>welcome to it</p>\n", "<h1>Other</h1>\n");
    let out = carried(
        &[("home.html", home), ("other.html", other), ("signs.html", &old)],
        &[("home.html", home), ("other.html", other), ("signs.html", &own(&old, "id=\"sign-14\""))],
        &[("home.html", &format!("{home}{new}")), ("other.html", &format!("{other}{}", sign(14, "Notice")))],
    );
    assert!(out.account.decisions.is_empty(), "{:?}", out.account.decisions);
    // Its first line goes along, though it has another form there.
    assert_eq!(out.files["home.html"], format!("{home}{}", own(&new, "id=\"sign-14\"")));
}

#[test]
fn a_deleted_line_that_stands_in_a_file_that_was_another_is_asked_about() {
    // The part of the cut file is what another file became, too: nobody knows whose lines these are.
    let cut = halls(0..9);
    let own = cut.replace("  <h2>Hall number 6</h2>\n", "");
    let out = carried(
        &[("mill/halls.html", &cut), ("barn/halls.html", &halls(4..9))],
        &[("mill/halls.html", &own), ("barn/halls.html", &halls(4..9))],
        &[("mill/halls.html", &halls(0..4)), ("mill/shared/halls.html", &halls(4..9))],
    );
    assert_eq!((out.account.totals.open, out.account.totals.already), (1, 0), "{:?}", out.outcomes());
    assert_eq!(out.account.decisions[0].path, "mill/shared/halls.html");
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
fn a_block_of_which_the_release_made_two_in_its_new_file_is_a_question() {
    let cleaner = |name: &str, filter: &str| {
        format!(
            "{name}_CLEANER = Cleaner(\n    tags=ALLOWED_TAGS,\n    mails=MAIL_PATTERN,\n    calls=[{filter}_links],\n)\n"
        )
    };
    let halls = halls(0..9);
    let base = format!("{}{halls}", cleaner("PAGE", "page"));
    let own = base.replace("[page_links]", "[page_links, own]");
    let release = format!("{}{}{halls}", cleaner("PAGE", "safe"), cleaner("FULL", "full"));
    let out = carried(&[("a.py", &base)], &[("a.py", &own)], &[("b.py", &format!("import page\n{release}"))]);
    assert_eq!(out.account.totals.open, 1, "{:?}", out.outcomes());
    let one = format!("import page\n{}{halls}", cleaner("PAGE", "safe"));
    let out = carried(&[("a.py", &base)], &[("a.py", &own)], &[("b.py", &one)]);
    assert_eq!(out.files["b.py"], one.replace("safe_links", "safe_links, own"));
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
fn of_a_file_that_is_gone_only_the_changes_without_a_home_are_asked() {
    let page = |name: &str| -> String { (0..8).map(|n| format!("<p>{name} hall {n} of the mill</p>\n")).collect() };
    let (kept, gone) = (page("upper"), page("middle") + &page("lower"));
    let whole = format!("{kept}{gone}");
    let own = whole.replace("upper hall 4", "our hall 4").replace("lower hall 4", "our own hall 4");
    let before = "<p>something else</p>\n";
    let part = format!("{before}{kept}");
    let of = |whole: &str| theme(&[("halls.html", whole), ("parts.html", before)]);
    let (base, site, release) = (of(&whole), of(&own), theme(&[("parts.html", &part)]));
    let out = run(&base, &site, &release, CarryOptions::default());
    assert_eq!(out.files["parts.html"], part.replace("upper hall 4", "our hall 4"));
    let told: Vec<_> = out.account.changes.iter().map(|c| (c.outcome, c.result_path.as_deref())).collect();
    let moved = (Outcome::Moved, Some("parts.html"));
    assert_eq!(told, [moved, (Outcome::Open, Some("halls.html"))]);
    let [asked] = &out.account.decisions[..] else { panic!("{:?}", out.account.decisions) };
    assert_eq!((asked.result, asked.changes.len()), (None, 1));
    let found = check(&base, &site, &release, out, "parts.html", str::to_string);
    assert!(found.is_empty(), "{found:?}");
}

#[test]
fn a_change_does_not_go_into_what_is_a_question_at_its_home() {
    // Whoever takes the site's side there would throw it away unseen.
    let own = BLOCK.replace("the friends of the mill", "our friends of the mill");
    let part = |text: &str| format!("<header>\n{text}</header>\n");
    let of = |block: &str, text: &str| theme(&[("home.html", &page(block)), ("part.html", &part(text))]);
    let (base, site) = (of(BLOCK, "<p>the first greeting</p>\n"), of(&own, "<p>our own welcome</p>\n"));
    let out = run(&base, &site, &of("", BLOCK), CarryOptions::default());
    let asked: Vec<&str> = out.account.decisions.iter().map(|d| d.path.as_str()).collect();
    assert_eq!(asked, ["home.html", "part.html"], "{:?}", out.outcomes());
    assert!(out.files["home.html"].contains("our friends of the mill"));
    assert!(!out.files["part.html"].contains("our friends of the mill"));
}

#[test]
fn a_question_names_the_lines_of_the_file_that_the_site_has() {
    // Above the line that both sides changed, the site put two lines into a block that is a part of its own now.
    let own = BLOCK.replace("    <li>the town", "    <li>us</li>\n    <li>others</li>\n    <li>the town");
    let foot = |text: &str| format!("<footer>{text}</footer>\n");
    let (base, site, release) = (
        theme(&[("home.html", &(page(BLOCK) + &foot("one mill")))]),
        theme(&[("home.html", &(page(&own) + &foot("our mill")))]),
        theme(&[("home.html", &(page("{% include 'part.html' %}\n") + &foot("two mill"))), ("part.html", BLOCK)]),
    );
    let out = run(&base, &site, &release, CarryOptions::default());
    assert_eq!(out.files["part.html"], own);
    let [asked] = &out.account.decisions[..] else { panic!("{:?}", out.account.decisions) };
    let text = asked.site.bytes().unwrap();
    let lines = asked.site_lines.unwrap().range();
    let named: String = site[0].1.split_inclusive('\n').skip(lines.start).take(lines.len()).collect();
    assert_eq!(named.as_bytes(), text);
    assert!(check(&base, &site, &release, out, "home.html", str::to_string).is_empty());
}

/// A page of many halls, and where it is cut in two.
fn halls(range: std::ops::Range<usize>) -> String {
    range
        .map(|n| {
            format!("<section>\n  <h2>Hall number {n}</h2>\n  <p>guests may enter by gate {n}</p>\n</section>\n")
        })
        .collect()
}

#[test]
fn a_closing_line_deleted_at_the_end_of_a_split_file_does_not_come_back() {
    // Lone closing lines tell nothing of where they stand; what stands before them does.
    let whole = |part: &str| format!("{part}</body>\n");
    let out = carried(
        &[("halls.html", &whole(&halls(0..9)))],
        &[("halls.html", &halls(0..9))],
        &[("halls.html", &halls(0..4)), ("shared/other-halls.html", &whole(&halls(4..9)))],
    );
    assert_eq!(out.files["shared/other-halls.html"], halls(4..9), "{:?}", out.outcomes());
    // Nor where the release took out the blank lines behind them, and changed what is before.
    let (base, own) = (whole(&halls(0..9)) + "\n\n", halls(0..9) + "\n\n");
    let other = whole(&(halls(4..9) + "<p>open all day</p>\n"));
    let release = [("halls.html", &*halls(0..4)), ("shared/other-halls.html", &other)];
    let out = carried(&[("halls.html", &base)], &[("halls.html", &own)], &release);
    assert_eq!((out.account.totals.open, out.account.totals.already), (1, 0), "{:?}", out.outcomes());
}

#[test]
fn of_like_homes_the_new_file_named_after_the_old_one_is_meant() {
    // Parts of other pages have the very same lines.
    let own = halls(0..9).replace("gate 6", "gate six");
    let release: Vec<(String, String)> = ["mill/shared/halls-end.html", "barn/end.html", "dyke/end.html"]
        .map(|path| (path.to_string(), halls(4..9)))
        .into_iter()
        .chain([("mill/halls.html".to_string(), halls(0..4))])
        .collect();
    let release: Vec<(&str, &str)> = release.iter().map(|(path, text)| (&path[..], &text[..])).collect();
    let out = carried(&[("mill/halls.html", &halls(0..9))], &[("mill/halls.html", &own)], &release);
    assert!(out.account.decisions.is_empty(), "{:?}", out.outcomes());
    assert_eq!(out.files["mill/shared/halls-end.html"], halls(4..9).replace("gate 6", "gate six"));
    assert_eq!(out.files["barn/end.html"], halls(4..9));
}

#[test]
fn a_part_named_after_a_page_speaks_against_other_homes_though_it_was_another_file() {
    let whole = format!("<main>\n{}", halls(0..9));
    let own = whole.replace("gate 6", "gate six");
    let barn = halls(4..9).replace("gate 8", "door 8");
    let every = format!("<h1>All of them</h1>\n{}", halls(4..9));
    let out = carried(
        &[("mill/halls.html", &whole), ("barn/end.html", &barn)],
        &[("mill/halls.html", &own), ("barn/end.html", &barn)],
        &[
            ("mill/halls.html", &format!("<main>\n{}", halls(0..4))),
            ("mill/shared/halls-end.html", &barn),
            ("every.html", &every),
        ],
    );
    assert_eq!((out.account.totals.open, &out.files["every.html"]), (1, &every), "{:?}", out.outcomes());
}

#[test]
fn a_line_deleted_in_a_small_part_that_went_elsewhere_is_not_deleted_by_both() {
    let block = |config: &str| {
        format!(
            "{{% block body %}}\n  <div\n    id=\"search\"\n    data-search='{{{{ {config} }}}}'\n  >\n  </div>\n{{% endblock body %}}\n"
        )
    };
    let page = |block: &str| format!("{{% extends 'page.html' %}}\n{{% set title = 'Halls' %}}\n{block}");
    let own = block("halls()").replace("    id=\"search\"\n", "");
    let other = ("barn/gates.html", &*block("gates()"));
    let out = carried(
        &[("halls.html", &page(&block("halls()"))), other],
        &[("halls.html", &page(&own)), other],
        &[("halls.html", &page("")), ("shared/other.html", &block("halls(of = 'mill')"))],
    );
    assert_eq!((out.account.totals.open, out.account.totals.already), (1, 0), "{:?}", out.outcomes());
}

#[test]
fn lines_that_changed_in_their_place_are_not_sought_elsewhere() {
    let words = |list: &[(&str, &str)]| -> String {
        list.iter().map(|(key, word)| format!("label \"{key} of the old mill\" = \"{word}\"\n")).collect()
    };
    let base = words(&[("gate", ""), ("hall", ""), ("tide", ""), ("weir", "")]);
    let site = base.replace("\"tide of the old mill\" = \"\"", "\"tide of the old mill\" = \"\" ; own");
    let release = words(&[("gate", "Tor"), ("hall", "Saal"), ("tide", "Flut"), ("weir", "Wehr")]);
    let out = carried(
        &[("words/de.inc", &base)],
        &[("words/de.inc", &site)],
        &[("words/de.inc", &release), ("words/fr.inc", &base)],
    );
    assert_eq!(out.files["words/fr.inc"], base, "another language's words are another matter");
}

#[test]
fn a_block_whose_every_line_went_takes_its_changes_along_whatever_is_in_its_place() {
    let hall = |n: usize| {
        format!(
            "<h2>The hall number {n}</h2>\n<p class=\"hall\">Built in 17{n}</p>\n<p>Open on day {n} of each week</p>\n<p>Ask at desk {n} for keys</p>\n"
        )
    };
    let new_hall = "<h2>The hall number 4</h2>\n<p class=\"hall\">Built in 1704</p>\n<ul id=\"gears\">\n</ul>\n";
    let page = |block: &str| format!("<main>\n{}\n{block}\n{}</main>\n", hall(1), hall(9));
    let own = hall(3).replace("</h2>\n", "</h2>\n<p>Our own line</p>\n");
    let out = carried(
        &[("halls.html", &page(&hall(3)))],
        &[("halls.html", &page(&own))],
        &[("halls.html", &page(new_hall)), ("parts/hall.html", &hall(3))],
    );
    assert_eq!(out.files["parts/hall.html"], own);
    assert_eq!(out.files["halls.html"], page(new_hall));
}

#[test]
fn a_name_alone_does_not_outweigh_the_file_that_has_far_more() {
    let end = halls(18..20).replace("gate", "door");
    let (all, like) = (halls(0..20), halls(16..20) + "<h1>The doors of the mill</h1>\n");
    let out = carried(
        &[("parts/old-halls.html", &all), ("parts/end.html", &end)],
        &[("parts/old-halls.html", &all.replace("gate 17", "gate seventeen")), ("parts/end.html", &end)],
        &[("parts/halls.html", &like), ("parts/end.html", &format!("{end}{}", halls(0..18)))],
    );
    assert_eq!(out.files["parts/halls.html"], like);
    assert_eq!(out.files["parts/end.html"].contains("gate seventeen"), out.account.totals.open == 0);
}

#[test]
fn the_second_of_two_like_ends_in_a_joined_file_is_the_joined_ones() {
    let end = "<footer>\n  <p>open from noon to dusk</p>\n  <p>closed while it storms</p>\n</footer>\n";
    let (first, second) = (format!("{}{end}", halls(0..5)), format!("{}{end}", halls(20..25)));
    // All else of the first file was rewritten: its end lines up with the second's.
    let release = format!("<h1>All halls</h1>\n{end}{second}");
    let own = second.replace("dusk", "midnight");
    let out = carried(
        &[("a.html", &first), ("b.html", &second)],
        &[("a.html", &first), ("b.html", &own)],
        &[("a.html", &release)],
    );
    assert!(out.account.decisions.is_empty(), "{:?}", out.outcomes());
    assert_eq!(out.files["a.html"], format!("<h1>All halls</h1>\n{end}{own}"));
}

#[test]
fn a_change_between_its_old_lines_elsewhere_and_like_ones_in_their_place_is_asked_about() {
    let list = |what: &str| {
        format!(
            "<?\n  var {what} = find('{what}', name);\n  if (!global && {what} && {what}.length) {{\n?>\n  <h3>{what} of it</h3>\n  <?= part('list', {what}) ?>\n<? }} ?>\n"
        )
    };
    let page = |block: &str| format!("<main>\n{block}</main>\n");
    let own = list("mills").replace("!global", "!own");
    let out = carried(
        &[("home.html", &page(&list("mills")))],
        &[("home.html", &page(&own))],
        &[("home.html", &page(&list("gates"))), ("parts/list.html", &list("mills"))],
    );
    let decision = &out.account.decisions[0];
    assert_eq!((decision.path.as_str(), decision.reason), ("home.html", Reason::Doubtful));
    let suggestion = decision.suggestion.as_deref().unwrap_or_default();
    assert!(suggestion.starts_with("parts/list.html has the lines of before"), "{suggestion}");
}

#[test]
fn of_like_homes_the_one_in_the_same_language_is_meant() {
    let rule = |n: usize| format!(".hall-{n} {{\n  order: {n};\n  grid-area: hall{n};\n}}\n\n");
    let rules = |range: std::ops::Range<usize>| range.map(rule).collect::<String>();
    let own = rules(0..12).replace("order: 3;", "order: 30;");
    let joined = |halls: &str| format!(".door {{ top: 0; }}\n{halls}");
    // A sheet that the other was compiled to has its lines too, and its name.
    let compiled = rules(2..6) + &rules(20..26);
    let out = carried(
        &[("halls.scss", &rules(0..12)), ("doors.scss", &joined(""))],
        &[("halls.scss", &own), ("doors.scss", &joined(""))],
        &[("halls.css", &compiled), ("doors.scss", &joined(&rules(0..12)))],
    );
    assert_eq!(out.files["doors.scss"], joined(&own), "{:?}", out.outcomes());
    assert_eq!(out.files["halls.css"], compiled);
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

#[test]
fn what_goes_elsewhere_leaves_the_other_changes_as_they_were_told() {
    // Without the last change the others would line up otherwise.
    let (third, first, own) =
        ("  <i>third thing</i>\n", "<p>first thing to say</p>\n", "<b>something own here</b>\n");
    let base = format!("{third}{third}{first}{own}{third}\n{third}");
    let moved = format!("{third}<p>second thing to say</p>\n{third}{third}{third}");
    let out = carried(
        &[("a.html", &base)],
        &[("a.html", &format!("{first}{first}{own}"))],
        &[("a.html", ""), ("b.html", &moved)],
    );
    for change in &out.account.changes {
        assert_eq!(change.outcome == Outcome::Open, change.decision.is_some(), "{change:?}");
    }
}
