//! Changes of the release at lines that the site put into files of its own.

use daxle_core::carry::{CarryOptions, FindingKind, Inputs, carry};
use daxle_core::merge::{Outcome, Step, Trust};
use daxle_core::theme::{Layout, MemoryTree};

use crate::proof::check;
use crate::{Collect, Files, run, theme};

const ROOMS: &str = "<section class=\"rooms\">\n  <h2>Rooms of the mill</h2>\n  <p>The room with the view of the wheel</p>\n  <p>The room under the old roof</p>\n  <a href=\"/rooms\">See all of the rooms</a>\n</section>\n";
const INCLUDE: &str = "{% include 'rooms.html' %}\n";

fn page(rooms: &str) -> String {
    let (head, foot) = (
        "<main>\n  <h1>The house of the mill</h1>\n  <p>A word of welcome</p>\n",
        "  <p>Come and stay</p>\n</main>\n",
    );
    [head, rooms, foot].concat()
}

fn mended(text: &str) -> String {
    text.replace("under the old roof", "under the mended roof")
}

/// The site put the rooms into a part; the release changed them, and the page below.
fn case() -> [Files; 3] {
    let part = format!("<!-- our part -->\n{}", ROOMS.replace("<h2>Rooms", "<h2>Our rooms"));
    [
        theme(&[("home.html", &page(ROOMS))]),
        theme(&[("home.html", &page(INCLUDE)), ("rooms.html", &part)]),
        theme(&[("home.html", &mended(&page(ROOMS)).replace("Come and stay", "Come and stay with us"))]),
    ]
}

#[test]
fn what_the_release_changes_in_a_block_goes_where_the_site_put_it() {
    let [base, site, release] = case();
    let out = run(&base, &site, &release, CarryOptions::default());
    assert_eq!(out.files["rooms.html"], mended(&site[1].1));
    assert_eq!(out.files["home.html"], page(INCLUDE).replace("Come and stay", "Come and stay with us"));
    assert_eq!(out.outcomes(), [("home.html", Outcome::Fitted), ("rooms.html", Outcome::Fitted)]);
    assert_eq!(out.account.changes[1].step, Some(Step::SiteMoved));
    let findings = check(&base, &site, &release, out, "rooms.html", str::to_string);
    assert!(findings.is_empty(), "{findings:?}");
}

#[test]
fn the_proof_misses_what_the_release_changed_and_the_part_does_not_have() {
    let [base, site, release] = case();
    let out = run(&base, &site, &release, CarryOptions::default());
    let findings = check(&base, &site, &release, out, "rooms.html", |text| text.replace("mended", "old"));
    let kinds: Vec<FindingKind> = findings.iter().map(|f| f.kind).collect();
    assert!(kinds.contains(&FindingKind::ReleaseMissing), "{findings:?}");
}

#[test]
fn of_a_file_that_the_site_split_each_change_goes_to_its_part() {
    let halls =
        |name: &str| -> String { (0..8).map(|n| format!("<p>{name} hall {n} of the mill</p>\n")).collect() };
    let (upper, lower) = (halls("upper"), halls("lower"));
    let whole = format!("{upper}{lower}");
    let newer =
        whole.replace("upper hall 3", "upper hall 3, painted,").replace("lower hall 5", "lower hall 5, heated,");
    let out = run(
        &theme(&[("halls.html", &whole)]),
        &theme(&[("upper.html", &upper), ("lower.html", &lower)]),
        &theme(&[("halls.html", &newer)]),
        CarryOptions::default(),
    );
    assert_eq!(out.account.totals.open, 0, "{:?}", out.outcomes());
    assert_eq!(out.paths(), ["lower.html", "upper.html"]);
    assert_eq!(format!("{}{}", out.files["upper.html"], out.files["lower.html"]), newer);
}

#[test]
fn what_a_release_put_into_a_page_that_it_indented_anew_is_indented_as_the_part_is() {
    let [base, _, release] = case();
    let anew = |text: &str| text.replace("  ", "\t").replace("<main>\n", "<main>\n\t<div>\n");
    let line = "\t<p>The room by the sluice</p>\n";
    let before = "\t<a href=\"/rooms\">";
    let newer = anew(&release[0].1).replace(before, &format!("{line}{before}"));
    for unit in ["", "  "] {
        let part: String = ROOMS
            .lines()
            .map(|l| format!("{}\n", l.strip_prefix("  ").map_or(l.into(), |l| format!("{unit}{l}"))))
            .collect();
        let site = theme(&[("home.html", &page(INCLUDE)), ("rooms.html", &part)]);
        let out = run(&base, &site, &theme(&[("home.html", &newer)]), CarryOptions::default());
        let expected =
            mended(&part).replace(&format!("{unit}<a"), &format!("{unit}<p>The room by the sluice</p>\n{unit}<a"));
        assert_eq!(out.files["rooms.html"], expected, "{:?}", out.outcomes());
    }
}

#[test]
fn what_a_file_of_another_encoding_cannot_say_stays_a_question() {
    let [base, _, release] = case();
    let release = MemoryTree::new(vec![(release[0].0.clone(), release[0].1.replace("mended", "mended \u{2603}"))]);
    let part = [b"<!-- caf\xe9 -->\n", ROOMS.as_bytes()].concat();
    let site =
        MemoryTree::new(vec![("home.html".to_string(), page(INCLUDE).into_bytes()), ("rooms.html".into(), part)]);
    let (base, layout, sink) = (MemoryTree::new(base), Layout::default(), Collect::default());
    let inputs = Inputs::new([&base, &site, &release], &layout);
    let account = carry(&inputs, &CarryOptions::default(), &sink).unwrap();
    let outcomes: Vec<Outcome> = account.changes.iter().map(|c| c.outcome).collect();
    assert_eq!((outcomes, account.followed), (vec![Outcome::Open, Outcome::Kept], vec![]));
}

#[test]
fn a_copy_a_second_home_and_strict_trust_leave_the_question_where_it_is() {
    let [base, mut site, release] = case();
    let strict = CarryOptions { trust: Trust::Strict, ..CarryOptions::default() };
    let out = run(&base, &site, &release, strict);
    assert_eq!(out.outcomes(), [("home.html", Outcome::Open), ("rooms.html", Outcome::Kept)]);
    site.push(("more.html".into(), site[1].1.clone()));
    let out = run(&base, &site, &release, CarryOptions::default());
    assert!(out.outcomes().contains(&("home.html", Outcome::Open)), "two homes");
    // What the site only copied is its own; the release's change stays where it is.
    let copied = theme(&[("home.html", &page(ROOMS)), ("rooms.html", ROOMS)]);
    let out = run(&base, &copied, &release, CarryOptions::default());
    assert_eq!((out.files["rooms.html"].as_str(), out.files["home.html"].as_str()), (ROOMS, release[0].1.as_str()));
}
