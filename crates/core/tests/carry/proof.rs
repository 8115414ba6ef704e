//! Accounts against results, right and with seeded faults.

use daxle_core::carry::{CarryOptions, Evidence, Finding, FindingKind, Since, verify};
use daxle_core::theme::MemoryTree;
use proptest::prelude::*;

use crate::{Carried, Files, run, theme};

/// Verifies a result after something happened to it; the account believes that it was written so.
pub(crate) fn check(
    base: &Files,
    site: &Files,
    release: &Files,
    mut carried: Carried,
    path: &str,
    fault: impl Fn(&str) -> String,
) -> Vec<Finding> {
    let text = carried.files[path].clone();
    let broken = fault(&text);
    for file in carried.account.files.iter_mut().filter(|f| f.path == path) {
        file.digest = Some(daxle_core::theme::Digest::of(broken.as_bytes()).hex());
    }
    carried.files.insert(path.to_string(), broken);
    let tree = |f: &Files| MemoryTree::new(f.clone());
    let (base, site, release) = (tree(base), tree(site), tree(release));
    let result = MemoryTree::new(carried.files);
    let evidence = Evidence { base: &base, site: &site, release: &release, result: &result };
    verify(&carried.account, &evidence).expect("a proof in memory").findings
}

fn twins() -> String {
    (0..6).map(|n| format!(".box-{n} {{\n  color: red;\n  margin: {n}px;\n}}\n\n")).collect()
}

/// The site colours the third box, the release gives all boxes a border and a new one.
fn case() -> (Files, Files, Files) {
    let base = twins();
    let site = base.replace(".box-2 {\n  color: red;", ".box-2 {\n  color: teal;");
    let release =
        base.replace("  margin: 4px;", "  border: 0;\n  margin: 4px;") + ".box-new {\n  float: left;\n}\n";
    (theme(&[("a.css", &base)]), theme(&[("a.css", &site)]), theme(&[("a.css", &release)]))
}

fn kinds(fault: impl Fn(&str) -> String) -> Vec<FindingKind> {
    let (base, site, release) = case();
    let out = run(&base, &site, &release, CarryOptions::default());
    assert_eq!(out.account.totals.open, 0);
    check(&base, &site, &release, out, "a.css", fault).into_iter().map(|f| f.kind).collect()
}

#[test]
fn a_right_result_is_proved() {
    assert_eq!(kinds(str::to_string), []);
}

#[test]
fn a_key_that_one_side_renamed_holds_what_the_other_set() {
    let base = "page:\n  made: 'Made %s'\n  more: 'Read on'\n  seen: 'Seen %s'\n";
    let (renamed, set) = (base.replace("made:", "made_on:"), base.replace("Made", "Made on"));
    for (site, release) in [(&renamed, &set), (&set, &renamed)] {
        let [base, site, release] =
            [base, site.as_str(), release.as_str()].map(|text| theme(&[("words.yml", text)]));
        let found = |fault: fn(&str) -> String| {
            let out = run(&base, &site, &release, CarryOptions::default());
            assert_eq!(
                (out.account.totals.open, out.files["words.yml"].as_str().contains("made_on: 'Made on")),
                (0, true)
            );
            check(&base, &site, &release, out, "words.yml", fault)
        };
        assert_eq!(found(str::to_string), []);
        assert_ne!(found(|text| text.replace("Made on", "Made")), []);
    }
}

#[test]
fn a_dropped_change_is_found() {
    assert!(kinds(|t| t.replace("teal", "red")).contains(&FindingKind::ChangeMissing));
}

#[test]
fn a_change_in_the_wrong_twin_is_found() {
    let found = kinds(|t| t.replace("teal", "red").replace(".box-4 {\n  color: red", ".box-4 {\n  color: teal"));
    assert!(found.contains(&FindingKind::ChangeMisplaced), "{found:?}");
}

#[test]
fn a_change_made_twice_is_found() {
    let found = kinds(|t| t.replace("  color: teal;\n", "  color: teal;\n  color: teal;\n"));
    assert!(found.contains(&FindingKind::WordsTooMany), "{found:?}");
}

#[test]
fn a_line_taken_out_that_passes_for_gone_is_found() {
    let base = "use strict;\n\nload('legacy-shim');\n\nstart();\nrun();\n";
    let (site, release) = (base.replace("load('legacy-shim');\n", ""), base.replace("run();", "run(1);"));
    let (base, site, release) = (theme(&[("a.js", base)]), theme(&[("a.js", &site)]), theme(&[("a.js", &release)]));
    let missing = |fault: fn(&str) -> String| {
        let mut out = run(&base, &site, &release, CarryOptions::default());
        out.account.changes[0].outcome = daxle_core::merge::Outcome::Already;
        let found = check(&base, &site, &release, out, "a.js", fault);
        found.iter().filter(|f| f.kind == FindingKind::ChangeMissing).map(|f| f.line).collect::<Vec<_>>()
    };
    assert_eq!(missing(|t| t.replace("start()", "load('legacy-shim');\n\nstart()")), [Some(4)]);
    assert_eq!(missing(str::to_string), [], "it is gone");
}

#[test]
fn a_lost_vendor_change_is_found() {
    assert!(kinds(|t| t.replace("  border: 0;\n", "")).contains(&FindingKind::ReleaseMissing));
    assert!(kinds(|t| t.replace("}\n\n.box-new", ".box-new")).contains(&FindingKind::Unbalanced));
}

#[test]
fn faults_in_a_list_whose_items_nothing_names_are_found() {
    let of = |items: &str| theme(&[("s.json", &format!("{{\"l\": [{items}]}}\n"))]);
    let (base, site) = (of("[1, \"one\"], [2, \"two\"]"), of("[1, \"our\"], [2, \"two\"], [7, \"own\"]"));
    let release = of("[1, \"one\"], [3, \"three\"], [2, \"two\", \"more\"]");
    let kinds = |fault: fn(&str) -> String| -> Vec<FindingKind> {
        let out = run(&base, &site, &release, CarryOptions::default());
        check(&base, &site, &release, out, "s.json", fault).into_iter().map(|f| f.kind).collect()
    };
    assert_eq!(kinds(str::to_string), []);
    for (put, instead) in [("\"our\"", "\"one\""), (", [7, \"own\"]", ""), ("\"three\"", "4"), (", \"more\"", "")] {
        let out = run(&base, &site, &release, CarryOptions::default());
        assert!(out.files["s.json"].contains(put), "{}", out.files["s.json"]);
        let found = check(&base, &site, &release, out, "s.json", |text| text.replace(put, instead));
        assert_eq!(found.len(), 1, "{put}: {found:?}");
    }
}

#[test]
fn a_wrong_value_in_settings_is_found() {
    let base = theme(&[("s.json", "{\n  \"a\": 1,\n  \"b\": {\"c\": \"x\"},\n  \"d\": 4\n}\n")]);
    let site = theme(&[("s.json", "{\n  \"a\": 9,\n  \"b\": {\"c\": \"x\"},\n  \"d\": 4\n}\n")]);
    let release = theme(&[("s.json", "{\n  \"a\": 1,\n  \"b\": {\"c\": \"y\"},\n  \"d\": 4,\n  \"e\": 5\n}\n")]);
    let found = |fault: fn(&str) -> String| -> Vec<FindingKind> {
        let out = run(&base, &site, &release, CarryOptions::default());
        check(&base, &site, &release, out, "s.json", fault).into_iter().map(|f| f.kind).collect()
    };
    assert_eq!(found(|t| t.to_string()), []);
    assert_eq!(found(|t| t.replace('9', "1")), [FindingKind::ChangeMissing]);
    assert_eq!(found(|t| t.replace("\"y\"", "\"x\"")), [FindingKind::ReleaseMissing]);
    assert_eq!(found(|t| t.replace("5", "7")), [FindingKind::ReleaseMissing]);
    assert_eq!(found(|t| t.replace("\"d\": 4,", "")), [FindingKind::ReleaseMissing]);
    assert!(found(|t| t.replace("{\"c\"", "{{\"c\"")).contains(&FindingKind::NotWellFormed));
}

/// Base, site and release of settings in a format, and what of their text is the site's and the release's.
#[test]
fn a_wrong_value_in_lines_of_settings_is_found() {
    type Write = fn(&str, &str, &str) -> String;
    let yaml: Write = |a, c, more| format!("# head\na: {a}\nb:\n  c: {c}\nd: [4, 5]\n{more}");
    let toml: Write = |a, c, more| format!("a = \"{a}\"\n\n[b]\nc = \"{c}\"\nd = 4\n{more}");
    let ini: Write = |a, c, more| format!("a = {a}\n[b]\nc = {c}\nd = 4\n{more}");
    let cases = [("s.yaml", yaml, "e: late\n"), ("s.toml", toml, "e = \"late\"\n"), ("s.ini", ini, "e = late\n")];
    for (path, write, more) in cases {
        let [base, site, release] =
            [write("old", "old", ""), write("ours", "old", ""), write("old", "theirs", more)]
                .map(|text| theme(&[(path, &text)]));
        let found = |from: &str, to: &str| -> Vec<FindingKind> {
            let out = run(&base, &site, &release, CarryOptions::default());
            assert_eq!(out.account.totals.open, 0, "{path}");
            check(&base, &site, &release, out, path, |t| t.replace(from, to)).into_iter().map(|f| f.kind).collect()
        };
        assert_eq!(found("", ""), [], "{path}");
        assert_eq!(found("ours", "old"), [FindingKind::ChangeMissing], "{path}");
        assert_eq!(found("theirs", "old"), [FindingKind::ReleaseMissing], "{path}");
        assert_eq!(found(more, ""), [FindingKind::ReleaseMissing], "{path}");
    }
}

/// The proof reads a file that only a tool could have written so, and still finds the values.
#[test]
fn a_rewritten_settings_file_is_proved_by_its_values() {
    let base = theme(&[("s.yml", "# what it is\nb: 'two'\na: \"one\"\nlist:\n  - x\n  - y\n")]);
    let site = theme(&[("s.yml", "a: one\nb: ours\nlist: [x, y]\nown: 1\n")]);
    let release = theme(&[("s.yml", "# what it is\nb: 'two'\na: \"uno\"\nlist:\n  - x\n  - y\n  - z\n")]);
    let out = || run(&base, &site, &release, CarryOptions::default());
    assert_eq!(out().account.totals.open, 0, "{:?}", out().account.decisions);
    let found = |from: &str, to: &str| check(&base, &site, &release, out(), "s.yml", |t| t.replace(from, to));
    assert!(found("", "").is_empty());
    assert!(out().files["s.yml"].starts_with("# what it is\n"), "{}", out().files["s.yml"]);
    for (from, to) in [("ours", "two"), ("uno", "one"), ("own: 1\n", ""), ("  - z\n", "")] {
        assert!(!found(from, to).is_empty(), "{from}");
    }
}

#[test]
fn a_lost_translation_is_found() {
    let po = |a: &str, b: &str| {
        format!(
            "msgid \"\"\nmsgstr \"Language: pl\\n\"\n\nmsgid \"A\"\nmsgstr \"{a}\"\n\nmsgid \"B\"\nmsgstr \"{b}\"\n"
        )
    };
    let (base, site, release) = (
        theme(&[("pl.po", &po("a", "b"))]),
        theme(&[("pl.po", &po("own", "b"))]),
        theme(&[("pl.po", &po("a", "new"))]),
    );
    let found = |fault: fn(&str) -> String| -> Vec<FindingKind> {
        let out = run(&base, &site, &release, CarryOptions::default());
        check(&base, &site, &release, out, "pl.po", fault).into_iter().map(|f| f.kind).collect()
    };
    assert_eq!(found(|t| t.to_string()), []);
    assert_eq!(found(|t| t.replace("own", "a")), [FindingKind::ChangeMissing]);
    assert_eq!(found(|t| t.replace("new", "b")), [FindingKind::ReleaseMissing]);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]

    /// What the merge gives, the proof accepts: they share no code, so each checks the other.
    #[test]
    fn merge_and_proof_agree(edits in proptest::collection::vec((0..24usize, 0..3u8, any::<bool>()), 1..8)) {
        let lines: Vec<String> = (0..24).map(|n| format!("<p class=\"k{n}\">paragraph number {n} of the page</p>")).collect();
        let (mut site, mut release) = (lines.clone(), lines.clone());
        for (k, (at, what, on_site)) in edits.iter().enumerate() {
            let side = if *on_site { &mut site } else { &mut release };
            let at = at % side.len();
            match what {
                0 => side[at] = side[at].replace("number", &format!("word{k}")),
                1 => side.insert(at, format!("<i>inserted line {k} of somebody</i>")),
                _ => { side.remove(at); }
            }
        }
        let file = |lines: &[String]| -> Files { vec![("a.html".to_string(), lines.join("\n") + "\n")] };
        let (base, site, release) = (file(&lines), file(&site), file(&release));
        let out = run(&base, &site, &release, CarryOptions::default());
        let found = check(&base, &site, &release, out, "a.html", str::to_string);
        prop_assert!(found.is_empty(), "{:?}", found);
    }
}

#[test]
fn a_reference_to_a_file_that_is_gone_is_found_and_whose_it_is() {
    let page = |extra: &str| format!("<p>one</p>\n{extra}<p>two</p>\n<img src=\"img/old.png?v=1\">\n");
    let css = "a { background: url('../img/old.png'); }\n";
    let base = theme(&[("page.html", &page("")), ("css/a.css", css), ("img/old.png", "one\n")]);
    let site = theme(&[
        ("page.html", &page("<link href=\"/img/old.png\">\n")),
        ("css/a.css", css),
        ("img/old.png", "one\n"),
        ("own.html", "{% include \"img/old.png\" %}\n"),
    ]);
    let release = theme(&[("page.html", "<p>one</p>\n<p>two</p>\n<p>3</p>\n"), ("css/a.css", css)]);
    let out = run(&base, &site, &release, CarryOptions::default());
    let found = check(&base, &site, &release, out, "page.html", str::to_string);
    let lost: Vec<(&str, Since)> =
        found.iter().filter(|f| f.kind == FindingKind::ReferenceLost).map(|f| (f.path.as_str(), f.since)).collect();
    assert_eq!(lost, [("css/a.css", Since::Release), ("own.html", Since::Carry), ("page.html", Since::Carry)]);
}

#[test]
fn a_lost_placeholder_an_open_tag_and_a_broken_style_are_found() {
    let po = |text: &str, note: &str| format!("{note}msgid \"%s of {{total}}\"\nmsgstr \"{text}\"\n");
    let html = |a: &str, b: &str| format!("<div>\n<p>{a}</p>\n<b>text</b>\n<p>{b}</p>\n</div>\n");
    let css = |a: u8, b: u8| format!("a {{\n  top: {a}px;\n}}\n\n\nb {{\n  left: {b}px;\n}}\n");
    let make = |a: &str, b: &str, note: &str| {
        let n = |s: &str| s.len() as u8;
        theme(&[
            ("de.po", &po(if a == "aa" { "%s von {total}!" } else { "%s von {total}" }, note)),
            ("page.html", &html(a, b)),
            ("a.css", &css(n(a), n(b))),
        ])
    };
    let (base, site, release) = (make("a", "b", ""), make("aa", "b", ""), make("a", "bbb", "# new\n"));
    let kinds = |path: &str, fault: &dyn Fn(&str) -> String| -> Vec<FindingKind> {
        let out = run(&base, &site, &release, CarryOptions::default());
        check(&base, &site, &release, out, path, fault).into_iter().map(|f| f.kind).collect()
    };
    assert_eq!(kinds("de.po", &str::to_string), []);
    assert!(kinds("de.po", &|t| t.replace("%s von", "von")).contains(&FindingKind::PlaceholderLost));
    assert!(kinds("de.po", &|t| t.replace("!\"", "!")).contains(&FindingKind::NotWellFormed));
    assert!(kinds("page.html", &|t| t.replace("</b>", "<b>")).contains(&FindingKind::Unbalanced));
    assert!(kinds("a.css", &|t| t.replacen("}\n", "}}\n", 1)).contains(&FindingKind::NotWellFormed));
}

#[test]
fn a_group_of_settings_that_is_asked_as_a_whole_may_be_either_sides() {
    let text = |widget: &str| format!("[menu]\ndepth = 2\n{widget}");
    let widget = |more: &str| text(&format!("\n[widget]\nfollow = \"Follow\"\nlinks = \"Links\"\n{more}"));
    let yaml = |more: &str| format!("menu:\n  depth: 2\nwidget:\n  follow: Follow\n  links: Links\n{more}");
    let cases = [
        (
            "gone.yml",
            "menu: 2\nwidget:\n  follow: F\n  feed: E\n".into(),
            "menu: 2\nwidget:\n  follow: F\n  # ours\n  feed: E\n".into(),
            "menu: 2\nwidget:\n  follow: G\n".into(),
        ),
        (
            "retyped.yml",
            "lost:\n  title: gone\n  button: back\n".into(),
            "lost:\n  title: gone\n  own: back\n".into(),
            "lost: gone\n".into(),
        ),
        ("names.toml", widget(""), text(""), widget("feed = \"Feed\"\n")),
        ("names.yml", yaml(""), "menu:\n  depth: 2\n".into(), yaml("  feed: Feed\n")),
        (
            "names.json",
            r#"{"menu": 1, "widget": {"follow": "Follow"}}"#.into(),
            r#"{"menu": 1}"#.into(),
            r#"{"menu": 1, "widget": {"follow": "Follow", "feed": "Feed"}}"#.into(),
        ),
    ];
    for (path, base, site, release) in cases {
        let [base, site, release] = [base, site, release].map(|text: String| theme(&[(path, &text)]));
        let out = run(&base, &site, &release, CarryOptions::default());
        assert_eq!(out.account.totals.open, 1, "{path} {:?}", out.outcomes());
        let found = check(&base, &site, &release, out, path, str::to_string);
        assert!(found.is_empty(), "{path} {found:?}");
    }
}

#[test]
fn what_stands_in_a_list_that_is_asked_about_is_no_finding() {
    let base = "jobs:\n  build:\n    mills:\n      - 12\n      - 14\n      # - 16 from Sail 5 on\n    steps:\n      - name: Load\n        \
                run: load all\n\n      - name: Turn\n        run: turn\n";
    let renamed = base.replace("- name: Turn", "- name: Test\n        run: test all\n\n      - name: Build");
    let newer = base.replace("- 12\n      - 14\n      # - 16 from Sail 5 on", "- 20");
    for (old, own, release) in [("run: turn", "run: own", &renamed), ("Sail 5", "Sail own", &newer)] {
        let [base, site, release] =
            [base, &base.replace(old, own), release].map(|text| theme(&[("build.yml", text)]));
        let out = run(&base, &site, &release, CarryOptions::default());
        assert_eq!(out.account.totals.open, 1);
        assert_eq!(check(&base, &site, &release, out, "build.yml", str::to_string), []);
    }
}

#[test]
fn a_change_taken_through_a_formatters_work_is_no_finding() {
    let base = "fetch('tide');\nget('bold')\nhome();\n";
    let site = "fetch('tide', 'own');\nhome();\n";
    let release = "fetch(\"tide\");\nget(\"bold\");\nhome();\nkeep();\n";
    let [base, site, release] = [base, site, release].map(|text| theme(&[("mill.js", text)]));
    let out = run(&base, &site, &release, CarryOptions::default());
    assert_eq!(out.files["mill.js"], "fetch(\"tide\", 'own');\nhome();\nkeep();\n");
    let again = run(&base, &site, &release, CarryOptions::default());
    assert!(check(&base, &site, &release, out, "mill.js", str::to_string).is_empty());
    let found = check(&base, &site, &release, again, "mill.js", |text| text.replace(", 'own'", ""));
    assert!(found.iter().any(|f| f.kind == FindingKind::ChangeMissing), "{found:?}");
}

#[test]
fn what_both_put_in_is_there_once_and_its_loss_is_found() {
    let list = |lines: &str| format!("skip = [\n    \"mill.example\",\n{lines}]\nlast = 1\n");
    let (old, new) =
        ("    # Fails at night\n    \"pond.example/.*\",\n", "    # Slow\n    \"sluice.example/.*\",\n");
    let [base, site, release] = [old, new, &[old, new].concat()].map(|lines| theme(&[("a.py", &list(lines))]));
    let found = |fault: &dyn Fn(&str) -> String| {
        let out = run(&base, &site, &release, CarryOptions::default());
        assert_eq!(out.files["a.py"], list(new));
        let findings = check(&base, &site, &release, out, "a.py", fault);
        findings.into_iter().map(|f| f.kind).collect::<Vec<_>>()
    };
    assert_eq!(found(&str::to_string), []);
    assert!(found(&|text| text.replace(new, "")).contains(&FindingKind::ChangeMissing));
    assert!(found(&|text| text.replace(new, &new.repeat(3))).contains(&FindingKind::WordsTooMany));
}

#[test]
fn words_that_a_line_had_before_may_go_with_the_release() {
    // The file has another name now, so that is what the account tells of the change.
    let page = |line: &str| format!("<main>\n  <h1>The mill</h1>\n  {line}\n  <p>flour and bread</p>\n</main>\n");
    let line = |call: &str, length: u32| page(&format!("<%- cut({call}(post.text), {{length: {length}}}) %>"));
    let (base, site) = (theme(&[("home.ejs", &line("strip", 128))]), theme(&[("home.ejs", &line("own", 128))]));
    let release = theme(&[("pages/home.ejs", &line("strip", 96))]);
    let out = run(&base, &site, &release, CarryOptions::default());
    assert_eq!(out.files["pages/home.ejs"], line("own", 96));
    let found = check(&base, &site, &release, out, "pages/home.ejs", str::to_string);
    assert!(found.is_empty(), "{found:?}");
}

#[test]
fn a_change_below_its_own_line_is_not_misplaced_whatever_its_twins_stand_among() {
    let class = |name: &str, from: &str| {
        format!(
            "class {name}Widget:\n    def __init__(self, attrs={from}):\n        super().__init__(attrs or CLASSES)\n\n\n"
        )
    };
    let own = |name: &str| {
        format!(
            "class {name}Picker:\n    {name} = \"{name} of the page\"\n    rows = {name}s()\n    top = {name}_top()\n\n\n"
        )
    };
    let (text, number) = (class("Text", "None"), class("Number", "None"));
    let range = "class RangeWidget:\n    pass\n\n\n".to_string();
    let of = |parts: &[&str]| theme(&[("widgets.py", &parts.concat())]);
    let (base, site) = (of(&[&text, &number, &range]), of(&[&text, &class("Number", "OWN"), &range]));
    let release = of(&[&text, &range, &own("color"), &number, &own("shade")]);
    let out = run(&base, &site, &release, CarryOptions::default());
    assert!(out.files["widgets.py"].contains(&class("Number", "OWN")), "{:?}", out.outcomes());
    let found = check(&base, &site, &release, out, "widgets.py", str::to_string);
    assert!(found.is_empty(), "{found:?}");
}

#[test]
fn a_line_that_the_release_took_out_of_a_moved_block_is_not_missing() {
    let head = "$mill-top: 1px;\n$mill-left: 2px;\n\n";
    let tabs = "$tabs-border: $grey;\n$tabs-hover: $grey;\n$tabs-active: $dark;\n$tabs-link: $grey;\n\n";
    let rest = "$sluice-top: 1px;\n$sluice-left: 2px;\n$sluice-right: 3px;\n\n$foot-top: 4px;\n";
    let of = |parts: &[&str]| theme(&[("own.scss", &parts.concat())]);
    let (base, site) = (of(&[head, rest, tabs]), of(&[head, tabs, rest]));
    let fewer = tabs.replace("$tabs-active: $dark;\n", "");
    let out = run(&base, &site, &of(&[head, rest, &fewer]), CarryOptions::default());
    assert_eq!(out.files["own.scss"], [head, &fewer, rest].concat());
    let found = check(&base, &site, &of(&[head, rest, &fewer]), out, "own.scss", str::to_string);
    assert!(found.is_empty(), "{found:?}");
}
