//! Merges with known results, one per cause of needless questions.

use daxle_core::merge::{Dialect, Leave, MergeOptions, Outcome, Reason, Step, Trust, merge_text};
use daxle_core::text::key::Blanks;

use crate::{PAGE, SCRIPT, STYLE, TREE, merge, text};

#[track_caller]
fn gives(dialect: &Dialect, [base, site, release]: [&str; 3], expected: &str) {
    let merged = merge(dialect, base, site, release);
    assert_eq!(text(&merged), expected);
    assert!(merged.decisions.is_empty(), "{:?}", merged.decisions);
}

#[track_caller]
fn asks(dialect: &Dialect, [base, site, release]: [&str; 3], reason: Reason) {
    let merged = merge(dialect, base, site, release);
    assert_eq!(merged.decisions.iter().map(|d| d.reason).collect::<Vec<_>>(), [reason], "{}", text(&merged));
    assert!(text(&merged).contains("<<<<<<< site\n"), "{}", text(&merged));
}

#[test]
fn touching_is_not_overlapping() {
    let base = "color: red;\nmargin: 1px;\npadding: 2px;\n";
    gives(
        &STYLE,
        [base, &base.replace("red", "blue"), &base.replace("margin: 1px", "margin: 4px")],
        "color: blue;\nmargin: 4px;\npadding: 2px;\n",
    );
    gives(
        &STYLE,
        [base, &base.replace("margin", "order: 3;\nmargin"), &base.replace("margin: 1px", "margin: 4px")],
        "color: red;\norder: 3;\nmargin: 4px;\npadding: 2px;\n",
    );
}

#[test]
fn the_place_beside_a_rewritten_line_is_open() {
    let base = "<p>start of it</p>\n<p>something old here</p>\n<p>end of it</p>\n";
    let site = base.replace("<p>end", "<i>own line of ours</i>\n<p>end");
    let release = base.replace("<p>something old here</p>", "{% for x in list %}\n{{ x.name }}\n{% endfor %}");
    asks(&PAGE, [base, &site, &release], Reason::PlaceOpen);
}

#[test]
fn words_within_a_line() {
    gives(
        &PAGE,
        [
            "<a class=\"btn big\" href=\"/x\">Visit the mill</a>\n",
            "<a class=\"btn big own\" href=\"/x\">Visit our mill</a>\n",
            "<a class=\"btn big\" href=\"/y\">Visit the mill</a>\n",
        ],
        "<a class=\"btn big own\" href=\"/y\">Visit our mill</a>\n",
    );
    asks(&PAGE, ["<p>Just</p>\n", "<p>Only</p>\n", "<p>Just now</p>\n"], Reason::BothChanged);
    asks(&STYLE, ["a { color: red; }\n", "a { color: blue; }\n", "a { color: pink; }\n"], Reason::BothChanged);
}

#[test]
fn the_release_reindented_the_file() {
    let base = "<ul>\n  <li>one item</li>\n  <li>two items</li>\n</ul>\n";
    let site = base.replace("two items", "two mills").replace("</ul>", "  <li>three mills</li>\n</ul>");
    let release = "<ul>\r\n\t<li>one item</li>\r\n\t<li>two items</li>\r\n</ul>\r\n";
    gives(
        &PAGE,
        [base, &site, release],
        "<ul>\r\n\t<li>one item</li>\r\n\t<li>two mills</li>\r\n\t<li>three mills</li>\r\n</ul>\r\n",
    );
}

#[test]
fn the_site_reformatted_the_file() {
    let base = "a {\n  color: red;\n  top: 0;\n}\nb {\n  left: 1px;\n}\n";
    let site = base.replace("  ", "\t").replace('\n', "\r\n").replace("left: 1px", "left: 9px");
    let release = base.replace("top: 0", "top: 5px");
    gives(&STYLE, [base, &site, &release], "a {\n  color: red;\n  top: 5px;\n}\nb {\n  left: 9px;\n}\n");
    let merged = merge(&STYLE, base, &site, &release);
    assert!(merged.space_follows_release);
    assert_eq!(merged.edits.len(), 1, "white space is no change");
}

#[test]
fn what_the_site_changed_in_a_reformatted_file_is_merged_as_in_any_other() {
    let act = |name: &str| format!("function {name}(one) {{\n  const {name}ed = one;\n  return done(one);\n}}\n\n");
    let base = ["open", "load", "view", "fold"].map(act).concat();
    let own = |text: &str| text.replacen("return done", "return our", 2).replacen("return our", "return done", 1);
    let release = ["open", "load"].map(act).concat();
    for form in ["\n\t", "\n    "] {
        gives(&STYLE, [&base, &own(&base).replace("\n  ", form), &release], &own(&release));
    }
}

#[test]
fn a_change_is_told_from_the_block_that_went_behind_it() {
    let act = |name: &str| format!("function {name}(one) {{\n  const {name}ed = one;\n  return done(one);\n}}\n\n");
    let base = ["open", "load", "view"].map(act).concat();
    let site = ["open", "load"].map(act).concat();
    let at = site.rfind("return done").unwrap();
    let site = format!("{}return our{}", &site[..at], &site[at + "return done".len()..]);
    let merged = merge(&STYLE, &base, &site, &base);
    assert_eq!(merged.edits.iter().map(|edit| edit.base.len()).collect::<Vec<_>>(), [1, 5]);
    let release = base.replace("loaded = one", "loaded = two");
    gives(&STYLE, [&base, &site, &release], &site.replace("loaded = one", "loaded = two"));
}

#[test]
fn a_question_at_the_end_of_a_file_has_its_lines() {
    let rule = |name: &str| format!(".{name} {{\n  top: 0;\n}}\n\n");
    let (base, site) = (rule("hall") + &rule("mill"), rule("hall"));
    let release = base.replace(".mill", ".wheel").trim_end().to_string();
    let options = MergeOptions { leave: Leave::Site, ..MergeOptions::default() };
    let [base, site, release] = [&base, &site, &release].map(|text| text.as_bytes());
    let merged = merge_text(base, site, release, &STYLE, &options).unwrap();
    let lines = merged.bytes.split_inclusive(|byte| *byte == b'\n').count();
    assert!(merged.decisions.iter().all(|asked| asked.result.end <= lines), "{:?}", merged.decisions);
}

#[test]
fn a_wrap_indents_what_the_release_changed_inside() {
    let base = "<main>\n  <h1>Title of it</h1>\n  <p>Some text here</p>\n</main>\n";
    let site =
        "<main>\n  <div class=\"own\">\n    <h1>Title of it</h1>\n    <p>Some text here</p>\n  </div>\n</main>\n";
    let release = base.replace("<p>Some text here</p>", "<p>Some new text here</p>");
    gives(&PAGE, [base, site, &release], &site.replace("Some text", "Some new text"));
    let added = base.replace("  <p>Some", "  <hr class=\"new rule\">\n  <p>Some");
    gives(&PAGE, [base, site, &added], &site.replace("    <p>Some", "    <hr class=\"new rule\">\n    <p>Some"));
}

#[test]
fn the_release_wrapped_attributes_over_lines() {
    let base = "<div>\n<img src=\"a.png\" alt=\"The mill\" width=\"20\">\n</div>\n";
    let site = base.replace("The mill", "Our mill at dusk");
    let release = "<div>\n<img\n  src=\"a.png\"\n  alt=\"The mill\"\n  width=\"20\"\n>\n</div>\n";
    gives(&PAGE, [base, &site, release], &release.replace("The mill", "Our mill at dusk"));
}

#[test]
fn where_indentation_is_meaning_it_is_kept() {
    let tree = Dialect { blanks: Blanks::IndentIsMeaning, markers: true, ..Dialect::default() };
    let base = "menu:\n  first: one\n  second: two\nother: x\n";
    let site = base.replace("  second: two", "  second: own");
    gives(
        &tree,
        [base, &site, "menu:\n    first: one\n    second: two\nother: y\n"],
        "menu:\n    first: one\n    second: own\nother: y\n",
    );
}

#[test]
fn a_moved_block_is_followed() {
    let block = "function wheel(item) {\n  const turns = item.turns + 1;\n  return turns * 20;\n}\n";
    let rest = "function pond(a) {\n  return a.level;\n}\nfunction sluice(b) {\n  return b.open ? b.gates : 0;\n}\nconst last = pond(sluice);\nstart(last, pond, sluice);\n";
    let base = format!("{block}{rest}");
    let site = base.replace("turns * 20", "turns * 25");
    let release = format!("{rest}{block}");
    let merged = merge(&SCRIPT, &base, &site, &release);
    assert_eq!(text(&merged), release.replace("turns * 20", "turns * 25"));
    assert_eq!(merged.edits[0].outcome, Outcome::Moved);
    assert_eq!(merged.edits[0].step, Some(Step::Moved));
    // A deletion follows too: the block must not come back.
    let without = rest.to_string();
    assert!(!text(&merge(&SCRIPT, &base, &without, &release)).contains("wheel"));
    // And the release's change follows the site's move.
    gives(&SCRIPT, [&base, &release, &site], &release.replace("turns * 20", "turns * 25"));
}

#[test]
fn both_wrote_at_one_spot() {
    let base = "a {\n  top: 0;\n}\n";
    gives(
        &STYLE,
        [base, &format!("{base}\n.own {{\n  left: 1px;\n}}\n"), &format!("{base}\n.new {{\n  left: 2px;\n}}\n")],
        &format!("{base}\n.new {{\n  left: 2px;\n}}\n\n.own {{\n  left: 1px;\n}}\n"),
    );
    let list = "<ul>\n<li>first thing</li>\n</ul>\n";
    asks(
        &PAGE,
        [
            list,
            &list.replace("</ul>", "<li>our thing</li>\n</ul>"),
            &list.replace("</ul>", "<li>their part</li>\n</ul>"),
        ],
        Reason::BothInserted,
    );
}

#[test]
fn a_snippet_stays_at_the_end_of_the_head() {
    let base = "<head>\n<title>{{ t }}</title>\n</head>\n<body>\n</body>\n";
    let snippet = "<script src=\"https://count.example/c.js\" async></script>\n";
    let site = base.replace("</head>", &format!("{snippet}</head>"));
    let release = base
        .replace("<title>{{ t }}</title>", "<title>{{ page.title }} - {{ t }}</title>")
        .replace("</head>", "<link rel=\"icon\" href=\"/i.svg\">\n</head>");
    gives(&PAGE, [base, &site, &release], &release.replace("</head>", &format!("{snippet}</head>")));
}

#[test]
fn deletions() {
    let base = "one one\ntwo two\nthree three\nfour four\nfive five\n";
    gives(&PAGE, [base, &base.replace("three three\n", ""), "one one\nfive five\n"], "one one\nfive five\n");
    asks(&PAGE, [base, &base.replace("three three", "three own"), "one one\nfive five\n"], Reason::ReleaseDeleted);
    asks(
        &PAGE,
        [base, "one one\nfive five\n", &base.replace("three three", "three new three")],
        Reason::SiteDeleted,
    );
}

#[test]
fn a_closer_deleted_by_both_in_a_reindented_file_is_not_deleted_twice() {
    let base = "function f() {\n  if (a) {\n    if (b) {\n      call(one);\n    }\n  }\n}\n";
    // The site takes out the inner condition, the release the outer one.
    let site = "function f() {\n  if (a) {\n    call(one);\n  }\n}\n";
    let release = "function f() {\n  if (b) {\n    call(one);\n  }\n}\n";
    let merged = merge(&SCRIPT, base, site, release);
    let opens = text(&merged).matches('{').count();
    assert!(!merged.decisions.is_empty() || opens == text(&merged).matches('}').count(), "{}", text(&merged));
}

#[test]
fn twins_are_not_mistaken() {
    let twin = |name: &str| format!(".{name} {{\n  color: red;\n  margin: 0;\n}}\n");
    let base = [twin("a1a"), twin("b2b"), twin("c3c")].concat();
    let site = base.replacen(".b2b {\n  color: red", ".b2b {\n  color: navy", 1);
    // The release moves the second twin to the end.
    let release = [twin("a1a"), twin("c3c"), twin("b2b")].concat();
    let merged = merge(&STYLE, &base, &site, &release);
    assert!(
        !merged.decisions.is_empty()
            || text(&merged) == release.replacen(".b2b {\n  color: red", ".b2b {\n  color: navy", 1),
        "{}",
        text(&merged)
    );
}

#[test]
fn already_there() {
    let base = "<p>teh mill</p>\n<p>other</p>\n";
    let fixed = base.replace("teh", "the");
    let release = fixed.replace("other", "others and more");
    let merged = merge(&PAGE, base, &fixed, &release);
    assert_eq!(text(&merged), release);
    assert_eq!(merged.edits[0].outcome, Outcome::Already);
}

#[test]
fn what_both_put_in_at_two_places_does_not_come_twice() {
    let base = ".head {\n  order: 1;\n}\n\n.foot {\n  order: 9;\n}\n";
    let (own, more) = (".own {\n  color: red;\n}\n", "\n.more {\n  color: blue;\n}\n");
    let site = base.replace("\n\n.foot", &format!("\n{own}\n.foot"));
    let release = base.replace("\n\n.foot", &format!("\n\n{own}{more}\n.foot"));
    gives(&STYLE, [base, &site, &release], &release);
    let merged = merge(&STYLE, base, &site, &release);
    assert_eq!((merged.edits[0].outcome, merged.edits[0].step), (Outcome::Already, Some(Step::Contains)));
    asks(&STYLE, [base, &release, &site], Reason::PutTwice);

    let base = "setup();\n\nfunction first() {\n  go(1);\n}\n\nfunction last() {\n  go(9);\n}\n";
    let own = "function own() {\n  go(5);\n}\n\n";
    let (site, release) = (
        base.replace("function first", &format!("{own}function first")),
        base.replace("function last", &format!("{own}function last")),
    );
    gives(&SCRIPT, [base, &site, &release], &release);
    asks(&SCRIPT, [base, &site, &release.replace("go(5)", "go(6)")], Reason::PutTwice);
    let local = |text: &str, at: &str| text.replace(at, &format!("{at}\n  let own = {};", at.len()));
    let both = |text: &str| local(&local(text, "first() {"), "last() {");
    gives(&SCRIPT, [base, &local(base, "first() {"), &local(base, "last() {")], &both(base));
}

#[test]
fn a_function_of_another_block_is_another_function() {
    let module = |name: &str, text: &str| {
        format!("add(\"{name}\", (function (exports) {{\n\nopen_{name}(exports);\n{text}\n}}));\n\n")
    };
    let helper = "\nfunction kind(item) { return typeof item; }\n";
    let bundle = |mill: &str, pond: &str| module("mill", mill) + &module("pond", pond);
    let (base, site, release) = (bundle("", ""), bundle(helper, ""), bundle("", helper));
    gives(&SCRIPT, [&base, &site, &release], &bundle(helper, helper));
}

#[test]
fn what_closes_a_question_far_below_is_asked_about_with_it() {
    let rules = (0..12).fold(String::new(), |text, k| format!("{text}  .tide-{k} {{\n    top: {k}px;\n  }}\n"));
    let block = |opens: &str, closes: &str| format!("{opens} {{\n{rules}{closes}\n\n.foot {{\n  top: 0;\n}}\n");
    let (base, site) = (block(".panel.left", "}"), block(".panel.own", "}"));
    let release = block("@layer wide {\n.board > .start", "}\n}");
    let merged = merge(&STYLE, &base, &site, &release);
    let reasons: Vec<Reason> = merged.decisions.iter().map(|asked| asked.reason).collect();
    assert_eq!(reasons, [Reason::BothChanged, Reason::Paired], "{}", text(&merged));
    assert_eq!(merged.decisions[1].release_text, b"}\n");
}

#[test]
fn what_comes_to_stand_in_other_brackets_is_asked_about() {
    let site = "draw(\n  'svg',\n  path('d', {\n    \"own\": true,\n    fill: 'none',\n    d: 'm12.11 15.39-3.88 3.88a2.52 2.52 0 0 1-3.5 0 2.47 2.47 0 0 1 0-3.5l3.88-3.88a1 1',\n  })\n);\n";
    let base = site.replace("    \"own\": true,\n", "");
    let release = "draw(\n  'svg',\n  path('d', { fill: 'none', d: iconPath })\n);\n";
    asks(&SCRIPT, [&base, site, release], Reason::Doubtful);
    // The release wrote all lines otherwise, and lone braces stand everywhere.
    let plain = "each(list, function(item) {\n    if (item.codes) {\n        item.codes = item.codes.map(function(code) {\n            return {\n                code: code || item\n            };\n        });\n    }\n});\n";
    let own = plain.replace("        });\n", "        });\n        own(4);\n");
    let formatted = "each(list, (item) => {\n  if (item.codes) {\n    item.codes = item.codes.map(code => {\n      return {\n        code: code || item\n      }\n    })\n  }\n})\n";
    let merged = merge(&SCRIPT, plain, &own, formatted);
    let result = formatted.replace("    })\n", "    })\n    own(4);\n");
    assert!(!merged.decisions.is_empty() || text(&merged) == result, "{}", text(&merged));
    // A statement is no member of an object that the release put in place of those beside it.
    let plain = "show(list) {\n  const button = page.make('button');\n  button.set('type', 'button');\n  button.set('controls', list.id);\n  list.each(copy);\n}\n";
    let own = plain.replace("  button.set('controls'", "  own(list);\n  button.set('controls'");
    let object = "show(list) {\n  const button = make('button', {\n    type: 'button',\n    'controls': list.id\n  });\n  list.each(copy);\n}\n";
    let merged = merge(&SCRIPT, plain, &own, object);
    assert!(!merged.decisions.is_empty(), "{}", text(&merged));
    // In brackets that the release put around the block, it is where it was.
    let (plain, own) = ("run([\n  one,\n  two,\n]);\n", "run([\n  one,\n  own,\n  two,\n]);\n");
    let wrapped = "run({\n  list: [\n    one,\n    two,\n  ],\n});\n";
    gives(&SCRIPT, [plain, own, wrapped], "run({\n  list: [\n    one,\n    own,\n    two,\n  ],\n});\n");
    // Behind a piece of code that the release left open, a page does not go on.
    let page = "<main>\n</main>\n\n<?php do_action( 'after_form', $form ); ?>\n";
    let added = format!("{page}<div class=\"own\"></div>\n");
    let left_open = "<main>\n</main>\n\n<?php\ndo_action( 'after_form', $form );\n";
    asks(&PAGE, [page, &added, left_open], Reason::Doubtful);
    let code = |text: &str| format!("<?php\nrun();\n?>\n{text}");
    asks(&SCRIPT, [&code(page), &code(&added), &code(left_open)], Reason::Doubtful);
}

#[test]
fn what_is_left_without_its_block_is_asked_about() {
    let base = "one = 1\n\n\nclass Mill:\n    name = 'mill'\n    title = 'Mill'\n";
    let site = "one = 1\n# own\nown = 4\n";
    let release = format!("{base}    gate = 'shut'\n");
    asks(&TREE, [base, site, &release], Reason::Doubtful);
    let base = "from mill import tide, Weir\n\nnames = [tide.__name__,\n         Weir.__name__]\n";
    let site = base.replace("Weir._", "'own',\n         Weir._");
    let release = "from mill import Weir, tide\n\nnames = ['tide', 'Weir']\n";
    asks(&TREE, [base, &site, release], Reason::Doubtful);
}

#[test]
fn what_the_release_put_into_a_wrapped_block_is_as_deep_as_the_block() {
    let base = "one = 1\n\nclass Mill:\n    tide = 'low'\n\n\nclass Weir:\n    tide = 'high'\n\nlast = 2\n";
    let site = "one = 1\n\nif own:\n  class Mill:\n      tide = 'low'\n\n\n  class Weir:\n      tide = 'high'\n\nlast = 2\n";
    let release = base.replace("'low'\n", "'low'\n    gate = 'shut'\n");
    let result = site.replace("'low'\n", "'low'\n      gate = 'shut'\n");
    gives(&TREE, [base, site, &release], &result);
}

#[test]
fn a_question_in_a_gap_leaves_the_rest_alone() {
    let base =
        "<p class=\"one\">first thing to say</p>\n<div>\n  <i>third thing there</i>\n  <i>third thing there</i>\n";
    let site = "</div>\n<p class=\"one\">first thing to say</p>\n<p>second thing to say</p>\n";
    let release = "  <i>third thing there</i>\n<p class=\"one\">first thing to say</p>\n<p class=\"one\">first thing to say</p>\n<p>second thing to say</p>\n";
    let merged = merge(&PAGE, base, site, release);
    for line in ["</div>", "<p class=\"one\">first", "<p>second thing"] {
        assert!(text(&merged).contains(line), "{line} in\n{}", text(&merged));
    }
    assert!(
        merged
            .edits
            .iter()
            .all(|e| e.outcome != Outcome::Open || merged.decisions.iter().any(|d| !d.edits.is_empty()))
    );
}

#[test]
fn line_ends_and_final_newlines_are_form() {
    // Only one side has an opinion on the end of the file.
    gives(&PAGE, ["one a\ntwo b\n", "one a\ntwo b", "one c\ntwo b\n"], "one c\ntwo b");
    gives(&PAGE, ["one a\ntwo b", "one own\ntwo b", "one a\ntwo b\n"], "one own\ntwo b\n");
    // The site's editor wrote other line ends: the release's stay.
    gives(
        &PAGE,
        ["one a\ntwo b\nthree c\n", "one a\r\ntwo own\r\nthree c\r\n", "one z\ntwo b\nthree c\n"],
        "one z\ntwo own\nthree c\n",
    );
    // A file with both sorts keeps each line's own.
    gives(
        &PAGE,
        [
            "one a\r\ntwo b\nthree c\r\nfour d\n",
            "one own\r\ntwo b\nthree c\r\nfour d\n",
            "one a\r\ntwo b\nthree c\r\nfour new\n",
        ],
        "one own\r\ntwo b\nthree c\r\nfour new\n",
    );
}

#[test]
fn keep_blanks_keeps_the_sites_white_space() {
    let base = "a {\n  color: red;\n  top: 0;\n}\nb {\n  left: 1px;\n}\n";
    let site = base.replace("  ", "\t");
    let release = base.replace("top: 0", "top: 5px");
    let options = MergeOptions { keep_blanks: true, ..MergeOptions::default() };
    let kept = merge_text(base.as_bytes(), site.as_bytes(), release.as_bytes(), &STYLE, &options).unwrap();
    assert!(text(&kept).contains("\tcolor: red;") && text(&kept).contains("top: 5px"), "{}", text(&kept));
    assert_eq!(text(&merge(&STYLE, base, &site, &release)), release);
}

#[test]
fn a_lone_white_space_change_of_the_site_stays() {
    let base = "one a\n  two b\nthree c\nfour d\nfive e\nsix f\nseven g\n";
    let site = base.replace("  two", "      two");
    gives(&PAGE, [base, &site, &base.replace("six f", "six new")], &site.replace("six f", "six new"));
}

#[test]
fn trust_says_how_much_is_done() {
    let base = "<ul>\n<li>first thing</li>\n</ul>\n";
    let (site, release) =
        (base.replace("</ul>", "<li>our thing</li>\n</ul>"), base.replace("</ul>", "<li>their part</li>\n</ul>"));
    let open = |trust: Trust| {
        let options = MergeOptions { trust, ..MergeOptions::default() };
        merge_text(base.as_bytes(), site.as_bytes(), release.as_bytes(), &PAGE, &options).unwrap().decisions.len()
    };
    assert_eq!((open(Trust::Strict), open(Trust::Normal), open(Trust::Bold)), (1, 1, 0));
    let touching = ["color: red;\nmargin: 1px;\n", "color: blue;\nmargin: 1px;\n", "color: red;\nmargin: 4px;\n"];
    let strict = MergeOptions { trust: Trust::Strict, ..MergeOptions::default() };
    let [b, s, r] = touching.map(str::as_bytes);
    assert_eq!(merge_text(b, s, r, &STYLE, &strict).unwrap().decisions.len(), 1);
    gives(&STYLE, touching, "color: blue;\nmargin: 4px;\n");
}

#[test]
fn what_stands_at_an_open_spot_is_chosen() {
    let [b, s, r] = ["top: 1px;\n", "top: 2px;\n", "top: 3px;\n"].map(str::as_bytes);
    let standing = |leave: Leave| {
        let options = MergeOptions { leave, ..MergeOptions::default() };
        let merged = merge_text(b, s, r, &STYLE, &options).unwrap();
        assert_eq!(merged.decisions.len(), 1);
        String::from_utf8(merged.bytes).unwrap()
    };
    assert_eq!((standing(Leave::Site).as_str(), standing(Leave::Release).as_str()), ("top: 2px;\n", "top: 3px;\n"));
    assert_eq!(
        standing(Leave::Markers),
        "<<<<<<< site\ntop: 2px;\n||||||| base\ntop: 1px;\n=======\ntop: 3px;\n>>>>>>> release\n"
    );
}

#[test]
fn a_question_is_as_small_as_it_can_be() {
    let base: String = (0..12).map(|n| format!("property-{n}: {n}px;\n")).collect();
    let site = base.replace(": 5px", ": 55px").replace(": 6px", ": 66px");
    let release = base.replace(": 4px", ": 44px").replace(": 6px", ": 67px").replace(": 7px", ": 77px");
    let merged = merge(&STYLE, &base, &site, &release);
    assert_eq!(merged.decisions.len(), 1);
    let decision = &merged.decisions[0];
    assert_eq!((decision.base.len(), decision.site.len(), decision.release.len()), (1, 1, 1), "{}", text(&merged));
    assert!(text(&merged).contains("property-5: 55px;\n<<<<<<< site\nproperty-6: 66px;"), "{}", text(&merged));
    assert!(text(&merged).contains("property-4: 44px;") && text(&merged).contains("property-7: 77px;"));
}

#[test]
fn the_last_rule_wins_stays_so() {
    // A rule that the site appended and one that the release appended for the same selector: both, the site's last.
    let base = "p {\n  top: 0;\n}\n";
    let merged =
        merge(&STYLE, base, &format!("{base}p {{\n  left: 1px;\n}}\n"), &format!("{base}p {{\n  left: 2px;\n}}\n"));
    let (theirs, ours) = (text(&merged).find("left: 2px"), text(&merged).find("left: 1px"));
    assert!(merged.decisions.is_empty() && theirs < ours, "{}", text(&merged));
}

#[test]
fn imports_and_functions_are_a_set() {
    let base = "import one from './one.js';\n\nexport function first(a) {\n  return a;\n}\n";
    let site = base.replace("one.js';\n", "one.js';\nimport own from './own.js';\n");
    let release = base.replace("one.js';\n", "one.js';\nimport two from './two.js';\n");
    gives(
        &SCRIPT,
        [base, &site, &release],
        &release.replace("two.js';\n", "two.js';\nimport own from './own.js';\n"),
    );
    asks(
        &SCRIPT,
        [
            base,
            &base.replace("return a;", "call(1);\n  return a;"),
            &base.replace("return a;", "other(2);\n  return a;"),
        ],
        Reason::BothInserted,
    );
}

#[test]
fn entries_of_a_list_are_a_set() {
    let list = |entries: &str| format!("const own = {{\n  one: 1,\n{entries}}};\ngo(own);\n");
    let all = |entries: [&str; 3]| entries.map(list);
    let [base, site, release] = all(["", "  own: 2,\n", "  two: {\n    deep: 3,\n  },\n"]);
    gives(&SCRIPT, [&base, &site, &release], &list("  two: {\n    deep: 3,\n  },\n  own: 2,\n"));
    let [_, site, release] = all(["", "  own: 2,\n", "  // What two is for\n  two: 3,\n"]);
    gives(&SCRIPT, [&base, &site, &release], &list("  own: 2,\n  // What two is for\n  two: 3,\n"));
    let [_, site, release] = all(["", "  own: 2,\n", "  own: 3,\n"]);
    asks(&SCRIPT, [&base, &site, &release], Reason::BothInserted);
    let call = |more: &str| format!("go(\n  one,\n{more});\nstay();\n");
    asks(&SCRIPT, [&call(""), &call("  own,\n"), &call("  two,\n")], Reason::BothInserted);
    let last = |value: &str, more: &str| format!("const own = {{\n  one: {value}{more}\n}};\n");
    let own = last("1", ",\n  own: 2");
    gives(&SCRIPT, [&last("1", ""), &own, &last("7", "")], &last("7", ",\n  own: 2"));
    gives(&SCRIPT, [&last("1", ""), &own, &last("1", ",\n  two: 3")], &last("1", ",\n  two: 3,\n  own: 2"));
}

#[test]
fn what_both_add_to_a_rule_stands_side_by_side() {
    let rule = |more: &str| format!(".a {{\n  left: 2px;\n{more}}}\n");
    let versions = [rule(""), rule("  own: 3;\n"), rule("  new: 3;\n")];
    gives(&STYLE, versions.each_ref().map(String::as_str), &rule("  new: 3;\n  own: 3;\n"));
    // By its name the last declaration is known, though the new one has as many words of it.
    let last = |value: &str, more: &str| format!(".a {{\n  left: 2px;\n  top: {value};\n{more}}}\n");
    let versions = [last("0", ""), last("0", "  own: 1;\n"), last("1px", "  right: 0;\n")];
    gives(&STYLE, versions.each_ref().map(String::as_str), &last("1px", "  right: 0;\n  own: 1;\n"));
    let open = |more: &str| format!(".a {{\n  left: 2px{more}\n}}\n");
    let versions = [open(""), open(";\n  own: 1px"), open(";\n  new: 1px")];
    gives(&STYLE, versions.each_ref().map(String::as_str), &open(";\n  new: 1px;\n  own: 1px"));
    let versions = [open(""), open(";\n  own: 1px"), open(";\n  new: 1px\n")];
    asks(&STYLE, versions.each_ref().map(String::as_str), Reason::BothInserted);
    let selectors = |more: &str| format!(".a{more} {{\n  left: 2px;\n}}\n");
    let versions = [selectors(""), selectors(",\n.own"), selectors(",\n.b,\n.c")];
    gives(&STYLE, versions.each_ref().map(String::as_str), &selectors(",\n.b,\n.c,\n.own"));
    let versions = [selectors(""), selectors(",\n.own"), selectors(":hover")];
    gives(&STYLE, versions.each_ref().map(String::as_str), &selectors(":hover,\n.own"));
}

#[test]
fn attributes_on_lines_of_their_own_are_a_set() {
    let tag = |class: &str, more: &str| format!("<a\n  href=\"x\"\n  class=\"{class}\"\n{more}>\n  go\n</a>\n");
    let base = tag("a", "");
    let (own, new) = ("  target=\"_blank\"\n", "  rel=\"me\"\n");
    gives(&PAGE, [&base, &tag("a own", own), &tag("a b", "")], &tag("a b own", own));
    gives(&PAGE, [&base, &tag("a own", own), &tag("a b", new)], &tag("a b own", &[new, own].concat()));
    let other = |text: &str| text.replace("\"x\"", "\"y\"");
    let merged = merge(&PAGE, &base, &tag("own", own), &other(&tag("b", new)));
    assert_eq!(merged.decisions.len(), 2, "small questions: {}", text(&merged));
}

#[test]
fn attributes_over_several_lines() {
    let base = "<input\n  type=\"text\"\n  name=\"q\"\n  value=\"\"\n>\n<p>after it all</p>\n";
    let site = base.replace("  value=\"\"\n", "  value=\"\"\n  placeholder=\"Search the mill\"\n");
    let release = base.replace("type=\"text\"", "type=\"search\"");
    gives(
        &PAGE,
        [base, &site, &release],
        &release.replace("  value=\"\"\n", "  value=\"\"\n  placeholder=\"Search the mill\"\n"),
    );
    // The release joined them on one line.
    let joined = "<input type=\"text\" name=\"q\" value=\"\">\n<p>after it all</p>\n";
    gives(
        &PAGE,
        [base, &site, joined],
        &joined.replace("value=\"\"", "value=\"\" placeholder=\"Search the mill\""),
    );
}

#[test]
fn a_deleted_line_beside_a_changed_one() {
    let base = "color: red;\nmargin: 1px;\npadding: 2px;\n";
    gives(
        &STYLE,
        [base, &base.replace("margin: 1px;\n", ""), &base.replace("red", "pink")],
        "color: pink;\npadding: 2px;\n",
    );
    gives(
        &STYLE,
        [base, &base.replace("red", "teal"), &base.replace("margin: 1px;\n", "")],
        "color: teal;\npadding: 2px;\n",
    );
}

#[test]
fn a_line_that_says_all_leads_on_to_nothing() {
    let kind = daxle_core::theme::Kind::Style;
    let sass = daxle_core::theme::dialect_of("a.sass", kind, b"a\n  b: c\n");
    let (gone, rest) = ("$ink: black\n$paper: white\n", "$rim: 1rem\n\n.box\n  margin: $rim\n");
    let whole = format!("{gone}{rest}");
    let used = "@use \"units\"\n@import \"mixins\"\n\n";
    gives(&sass, [&whole, rest, &format!("{used}{whole}")], &format!("{used}{rest}"));
}

#[test]
fn other_encodings_are_carried() {
    let utf16 = |t: &str| -> Vec<u8> {
        [0xFEFFu16].into_iter().chain(t.encode_utf16()).flat_map(u16::to_le_bytes).collect()
    };
    let (b, s, r) = ("żółw\ndwa\ntrzy\n", "żółw\nwłasne\ntrzy\n", "żółw\ndwa\ntrzy nowe\n");
    let merged = merge_text(&utf16(b), &utf16(s), &utf16(r), &PAGE, &MergeOptions::default()).unwrap();
    assert_eq!(merged.bytes, utf16("żółw\nwłasne\ntrzy nowe\n"));
    // A single-byte encoding is carried through untouched.
    let [b, s, r] =
        [&b"caf\xE9\ntwo b\nthree c\n"[..], b"caf\xE9s\ntwo b\nthree c\n", b"caf\xE9\ntwo b\nthree d\n"];
    let merged = merge_text(b, s, r, &PAGE, &MergeOptions::default()).unwrap();
    assert_eq!(merged.bytes, b"caf\xE9s\ntwo b\nthree d\n");
    assert!(merge_text(b"a\0", b"b", b"c", &PAGE, &MergeOptions::default()).is_none(), "binary");
}

#[test]
fn every_edit_says_where_it_stands() {
    let base: String = (0..10).map(|n| format!("line number {n}\n")).collect();
    let site = base.replace("number 3\n", "own 3\n").replace("number 8\n", "number 8\nown line\n");
    let release = format!("new first\n{}", base.replace("number 5\n", ""));
    let merged = merge(&PAGE, &base, &site, &release);
    let lines: Vec<&str> = text(&merged).lines().collect();
    let standing: Vec<&str> = merged.edits.iter().map(|e| lines[e.result.start]).collect();
    assert_eq!(standing, ["line own 3", "own line"]);
}

#[test]
fn insertions_on_both_sides_of_a_blank_line_or_a_closer_are_apart() {
    let base = "class Mill {\n  open() {\n    this.count = 1;\n  }\n\n  close() {\n  }\n}\n";
    let site = base.replace("  close", "  grind() {\n    return 2;\n  }\n\n  close");
    let release = base.replace("    this.count = 1;\n", "    this.count = 1;\n    this.sails = 4;\n");
    let both = release.replace("  close", "  grind() {\n    return 2;\n  }\n\n  close");
    gives(&SCRIPT, [base, &site, &release], &both);
    gives(&SCRIPT, [base, &release, &site], &both);
    let base = "{% if a %}\n<p>first of all</p>\n{% endif %}\n</div>\n";
    let site = base.replace("</div>", "<i>own mark</i>\n</div>");
    let release = base.replace("{% if a %}\n", "{% if b %}\n<hr>\n{% endif %}\n{% if a %}\n");
    gives(&PAGE, [base, &site, &release], &release.replace("</div>", "<i>own mark</i>\n</div>"));
}

#[test]
fn a_blank_line_tells_which_of_two_insertions_is_whose() {
    let base = "start();\n\n// Then the wheel.\nturn();\n";
    let site = base.replace("// Then", "oil();\n// Then");
    let release = base.replace("// Then", "if (wind > 9) {\n  brake();\n}\n\n// Then");
    gives(&SCRIPT, [base, &site, &release], &release.replace("// Then", "oil();\n// Then"));
    gives(&SCRIPT, [base, &release, &site], &release.replace("// Then", "oil();\n// Then"));
    asks(&SCRIPT, [base, &site, &base.replace("// Then", "rest();\n// Then")], Reason::BothInserted);
}

#[test]
fn as_many_lines_as_before_that_name_the_same_are_the_same_lines() {
    let shade = |kind: &str| format!("  background: {kind}-gradient(center, white 0%, #f7f2d3 100%);\n");
    let shades: String = ["-moz", "-webkit", "-ms"].map(shade).concat();
    let base = format!("a {{\n  background: #f7f2d3;\n{shades}}}\n");
    let site = base.replacen("100%);\n", "100%); /* own */\n", 1);
    let later = |text: &str| text.replace("#f7f2d3", "rgb(247, 242, 211)").replace("white", "rgb(255, 255, 255)");
    gives(&STYLE, [&base, &site, &later(&base)], &later(&site));
}

#[test]
fn one_line_for_one_line_has_a_place_beside_an_insertion() {
    let base = "export default {\n  progress,\n  overview,\n  fragments,\n};\n";
    let site = base.replace("overview", "mills");
    let release = base.replace("  overview,\n", "  overview,\n  keyboard,\n");
    gives(&SCRIPT, [base, &site, &release], &release.replace("overview", "mills"));
}

#[test]
fn a_closer_that_stands_once_is_known() {
    let base = "<script>\n  load(one);\n</script>\n";
    let release = base.replace("load(one)", "load(one, two)");
    gives(&PAGE, [base, &base.replace("</script>\n", ""), &release], "<script>\n  load(one, two);\n");
}

#[test]
fn a_deleted_line_that_the_release_moved_is_not_brought_back() {
    let twin = "\n.far {\n  color: red;\n  flex-grow: 1;\n}\n";
    let base = format!(".near {{\n  flex-basis: 100%;\n  flex-grow: 1;\n  top: 0;\n}}\n{twin}");
    let site = base.replacen("  flex-grow: 1;\n", "", 1);
    let release =
        base.replacen("  flex-basis: 100%;\n  flex-grow: 1;\n", "  flex-grow: 1;\n  flex-basis: 100%;\n", 1);
    gives(&STYLE, [&base, &site, &release], &site);
    // Far away, where it stands once in each version, it is asked about.
    let lines: String = (0..50).map(|n| format!("line of the number {n}\n")).collect();
    let base = format!("the one line\n{lines}");
    asks(&PAGE, [&base, &lines, &format!("{lines}the one line\n")], Reason::SiteDeleted);
}

#[test]
fn an_insertion_goes_along_with_the_block_that_it_is_written_against() {
    let (wheel, sails) =
        ("// The wheel\nwheel.turn();\nwheel.stop();\n", "// The sails\nsails.set();\nsails.furl();\n");
    let base = format!("start();\n\n{wheel}\n{sails}\nend();\n");
    let release = format!("start();\n\n{sails}\n{wheel}\nend();\n");
    for block in [wheel, sails] {
        let own = |text: &str| text.replace(block, &format!("own();\n{block}"));
        gives(&SCRIPT, [&base, &own(&base), &release], &own(&release));
    }
}

#[test]
fn a_look_alike_in_another_block_is_not_the_line() {
    let base = "details {\n  border: 0px;\n  summary {\n    border: 0;\n    p {\n      margin: 0;\n    }\n  }\n  \
                shadow: none;\n\n  // The box\n  summary {\n    display: flex;\n    top: 0;\n  }\n}\n";
    let release = "details {\n  border: 0;\n\n  shadow: none;\n\n  // The box\n  summary {\n    border: 0;\n    \
                   display: flex;\n    top: 0;\n\n    p {\n      margin: 0;\n    }\n  }\n}\n";
    let site = base.replace("    border: 0;\n", "");
    asks(&STYLE, [base, &site, release], Reason::Doubtful);
}

#[test]
fn a_twin_beyond_a_landmark_is_another_line() {
    let block = "if (mill.turns(1)) {\n  if (wind.blows(2)) {\n    grind();\n  }\n}\n";
    let (own, new) = (block.replace("blows(2)", "blows(3)"), block.replace("turns(1)", "turns(4)"));
    let both = own.replace("turns(1)", "turns(4)");
    for [before, behind] in [["", block], [block, ""]] {
        let with = |block: &str| format!("{before}rest(wheel);\n{block}stop(wheel);\n{behind}");
        gives(&SCRIPT, [&with(block), &with(&own), &with(&new)], &with(&both));
    }
}

#[test]
fn a_small_change_in_a_long_stretch_is_a_small_question() {
    let base = "start(first);\nend(first);\n";
    let long: String = (0..30).map(|n| format!("step({n}, wheel);\n")).collect();
    let release = base.replace("end", &format!("{long}end"));
    let site = base.replace("end", "oil(mill);\nend");
    let merged = merge(&SCRIPT, base, &site, &release);
    assert_eq!(merged.decisions.len(), 1);
    let question = "<<<<<<< site\noil(mill);\n||||||| base\n=======\n>>>>>>> release 2.0.0\n";
    assert_eq!(text(&merged), format!("start(first);\n{long}{question}end(first);\n"));
}

#[test]
fn classes_and_attributes_stand_where_each_side_put_them() {
    let tag = |attributes: &str| format!("<a {attributes}>x</a>\n");
    gives(
        &PAGE,
        [
            &tag("class=\"callout note wide\" data-at=\"1\" href=\"/\""),
            &tag("class=\"own note wide\" data-at=\"1\" href=\"/own\""),
            &tag("class=\"callout alert wide\" data-new-at=\"1\" href=\"/\""),
        ],
        &tag("class=\"own alert wide\" data-new-at=\"1\" href=\"/own\""),
    );
    let list =
        |first: &str, last: &str| tag(&format!("class=\"{first}{{% if x %}} on{{% else %}} {last}{{% endif %}}\""));
    gives(&PAGE, [&list("box", "off"), &list("box", "own"), &list("tile", "off")], &list("tile", "own"));
}

#[test]
fn what_the_release_puts_at_the_edge_of_a_wrap_stays_outside() {
    let base = "<ul>\n  <li>first thing</li>\n  <li>second thing</li>\n</ul>\n";
    let site = "<ul>\n  {% if open %}\n    <li>first thing</li>\n    <li>second thing</li>\n  {% endif %}\n</ul>\n";
    let release = base.replace("</ul>", "  <li>third thing</li>\n</ul>").replace("first", "very first");
    let wrapped =
        site.replace("first", "very first").replace("{% endif %}\n", "{% endif %}\n  <li>third thing</li>\n");
    gives(&PAGE, [base, site, &release], &wrapped);
}

#[test]
fn what_is_written_behind_the_end_stays_behind_it() {
    let base = "one(first);\ntwo(second);\n";
    let site = format!("{base}\nown(last);\n");
    let release = "(function () {\n  one(first);\n  two(second);\n  three(third);\n})();\n";
    gives(&SCRIPT, [base, &site, release], &format!("{release}\nown(last);\n"));
    let rules = ".a {\n  color: red;\n}\n.b {\n  top: 0;\n}\n";
    let own = "\n.own {\n  color: teal;\n}\n";
    gives(
        &STYLE,
        [rules, &format!("{rules}{own}"), ".a{color:red}.b{top:0}\n"],
        &format!(".a{{color:red}}.b{{top:0}}\n{own}"),
    );
}

#[test]
fn a_blank_line_sets_an_insertion_apart_from_what_the_other_side_replaced() {
    let base = "start(it);\nold(first);\nold(second);\nend(it);\n";
    let site = base.replace("old(first);\nold(second);\n", "own(mill);\n");
    let release = base.replace("end(it)", "\ncheck(all);\n\nend(it)");
    gives(&SCRIPT, [base, &site, &release], &release.replace("old(first);\nold(second);\n", "own(mill);\n"));
    let beside = base.replace("end(it)", "check(all);\nend(it)");
    asks(&SCRIPT, [base, &beside, &site], Reason::PlaceOpen);
}

#[test]
fn what_the_release_put_beside_lines_that_the_site_replaced_stands_there() {
    let base = "start(it);\nold(first);\nold(second);\nend(it);\n";
    let replaced = |text: &str| text.replace("old(first);\nold(second);\n", "own(mill);\n");
    let release = base.replace("end(it)", "check(all);\nend(it)").replace("old(first)", "make();\nold(first)");
    gives(&SCRIPT, [base, &replaced(base), &release], &replaced(&release));
    // Half of something may go on within what is gone.
    asks(&SCRIPT, [base, &replaced(base), &base.replace("end(it)", "all);\nend(it)")], Reason::PlaceOpen);
    // It is as deep as the site has the other side.
    let wrapped = "start(it);\nif (own) {\n  own(mill);\n  end(it);\n}\n";
    let (deep, new) = (base.replace("end(it)", "then(it);\nend(it)"), "  own(mill);\n  check(all);\n  then(it);");
    let wrapped = wrapped.replace("  end(it);", "  then(it);\n  end(it);");
    let release = deep.replace("then(it)", "check(all);\nthen(it)");
    gives(&SCRIPT, [&deep, &wrapped, &release], &wrapped.replace("  own(mill);\n  then(it);", new));
}

#[test]
fn what_the_sides_rewrote_side_by_side_stands_side_by_side() {
    let base = "start(it);\nold(first);\nold(second);\nlast(a, b);\nlast(c, d);\nend(it);\n";
    let site = |text: &str| text.replace("old(first);\nold(second);\n", "own(mill);\n");
    let release = base.replace("last(a, b);\nlast(c, d);\n", "for (each in them) {\n  check(each);\n}\n");
    gives(&SCRIPT, [base, &site(base), &release], &site(&release));
}

#[test]
fn blanks_at_the_ends_of_lines_go_where_the_release_took_them_out() {
    let base = "<p>one</p> \n<p>two</p> \n<p>three</p> \n<p>four</p> \n";
    let site = base.replace("<p>two</p> ", "<p>own</p> ").replace("<p>four", "<i>more</i> \n<p>four");
    let release = base.replace(" \n", "\n");
    gives(&PAGE, [base, &site, &release], &site.replace(" \n", "\n"));
}

#[test]
fn a_line_of_another_block_is_not_the_line() {
    let rule = |name: &str, lines: &str| format!(".{name} {{\n{lines}}}\n");
    let base = rule("left", "  float: left;\n  margin-left: 1em;\n")
        + &rule("right", "  float: right;\n  margin-right: 1em;\n");
    let site = base.replace("margin-left: 1em;", "margin-left: 1em; /* own */");
    let release = rule("left", "  float: left;\n  margin-right: 1em;\n")
        + &rule("right", "  float: right;\n  margin-left: 1em;\n");
    let merged = merge(&STYLE, &base, &site, &release);
    assert!(!text(&merged).contains("float: right;\n  margin-left: 1em; /* own */"), "{}", text(&merged));
}

#[test]
fn which_of_two_twins_side_by_side_moved_there_is_a_question() {
    let end = "    @media screen and (prefers-reduced-motion: reduce) {\n      animation: none;\n    }\n  }\n}\n";
    let rule = |name: &str| format!("@mixin {name} {{\n  svg {{\n    animation-name: {name}-stroke;\n\n{end}");
    let base = format!("{}\n{}", rule("start"), rule("stop"));
    let above = base.strip_suffix(end).unwrap();
    let site = format!("{above}{}", end.replace("reduced-motion", "own-motion"));
    let release = above.trim_end().replace(end, &format!("{end}\n{end}")) + "\n";
    asks(&STYLE, [&base, &site, &release], Reason::ReleaseDeleted);
}

#[test]
fn a_line_that_was_changed_in_place_did_not_move_to_its_new_copy() {
    let base = "setup(all);\n\neach(size in sizes) {\n  print(size);\n}\n\nfinish(all);\n";
    let site = base.replace("each(size in sizes) {", "each(size in sizes) { // own");
    let release = format!(
        "build(x) {{\n  each(size in sizes) {{\n    keep(size);\n  }}\n}}\n\n{}",
        base.replace("each(size in sizes)", "each(size in styles)")
    );
    let merged = merge(&SCRIPT, base, &site, &release);
    assert!(!text(&merged).contains("each(size in sizes) { // own\n    keep"), "{}", text(&merged));
}

#[test]
fn a_wrap_is_followed_where_indentation_is_meaning() {
    let base = "main\n  h1 title\n  p first text\n  p last text\nfooter\n  p end\n";
    let site = "main\n  .own\n    h1 title\n    p first text\n    p last text\nfooter\n  p end\n";
    let release = "main\n  h1 title\n  p first text\n  ul\n    li new item\n  p last text\nfooter\n  p end\n";
    let merged = merge(&TREE, base, site, release);
    assert_eq!(text(&merged), site.replace("    p last", "    ul\n      li new item\n    p last"));
    assert!(merged.decisions.is_empty());
    // The survey's changes are told, not those of the blind alignment.
    assert_eq!(
        merged.edits.len(),
        daxle_core::merge::line_edits(base.as_bytes(), site.as_bytes(), TREE.blanks).len()
    );
}

#[test]
fn what_both_sides_wrapped_stands_deeper_by_both() {
    let base = "def f\n  x = one\n  y = two\n  z = three\nend of it\n";
    let site = "def f\n  if own\n    x = one\n    y = two\n    z = three\nend of it\n";
    let release = "def f\n  x = one\n  try\n    y = two\n  except e\n    y = zero\n  z = three\nend of it\n";
    let both = "def f\n  if own\n    x = one\n    try\n      y = two\n    except e\n      y = zero\n    z = three\nend of it\n";
    gives(&TREE, [base, site, release], both);
    let page = "<main>\n  <h1>Title of it</h1>\n  <ul>\n    <li>one thing</li>\n  </ul>\n</main>\n";
    let own = "<main>\n  <div>\n    <h1>Title of it</h1>\n    <ul>\n      <li>one thing</li>\n    </ul>\n  </div>\n</main>\n";
    let deeper = |text: &str| text.replace("<li>", "  <li>");
    gives(&PAGE, [page, own, &deeper(page)], &deeper(own));
    // Both indented the very same: it is one change.
    gives(&PAGE, [page, &deeper(page), &deeper(page)], &deeper(page));
}

#[test]
fn what_the_release_puts_above_a_wrap_by_indentation_stays_outside() {
    let base = "import one\nimport two\nimport three\n\nrun()\n";
    let site = "import one\nif own\n  import two\n  import three\n\nrun()\n";
    let release = base.replace("import two", "import new\nimport two");
    gives(&TREE, [base, site, &release], &site.replace("if own", "import new\nif own"));
}

#[test]
fn a_block_within_a_wrap_goes_on_at_its_end() {
    let base = "def f\n  if a\n    one()\n  last()\n";
    let site = "def f\n  if own\n    if a\n      one()\n  last()\n";
    let release = base.replace("    one()\n", "    one()\n    two()\n  also()\n");
    gives(&TREE, [base, site, &release], &site.replace("one()\n", "one()\n      two()\n  also()\n"));
    let far = site.replace("    if a\n      one", "      if a\n        one");
    gives(&TREE, [base, &far, &release], &far.replace("one()\n", "one()\n        two()\n  also()\n"));
}

#[test]
fn a_line_that_stands_once_settles_which_of_two_places_is_meant() {
    let block = |condition: &str, line: &str| format!("{{% if {condition} %}}\n  {line}\n{{% endif %}}\n");
    let last = block("provider", "{% include provider %}");
    let base = block("old", "{% set provider = one %}") + &block("extra", "{% set provider = two %}") + &last;
    let site = base.replace("{% if provider %}\n  {% include provider %}\n", "<b>own</b>\n");
    let consent = "\n  {% if consent %}\n    <i>yes</i>\n  {% else %}\n    <i>no</i>\n  {% endif %}\n";
    let release =
        block("extra", "{% set provider = two %}") + &last.replace("{% endif", &format!("{consent}{{% endif"));
    let expected = release.replace("{% if provider %}\n  {% include provider %}\n", "<b>own</b>\n");
    gives(&PAGE, [&base, &site, &release], &expected);
}

#[test]
fn a_remark_is_not_cut_in_two() {
    let remark = |text: &str| format!("/**\n * {text}\n */\n");
    let base = remark("Focus styles") + &remark("Position");
    let site = base.replace(" * Focus styles\n", " * Focus styles\n * Own remark\n");
    let release = remark("Focus styles") + &remark("Rings") + &remark("Position");
    gives(&STYLE, [&base, &site, &release], &release.replace("styles\n", "styles\n * Own remark\n"));
}

#[test]
fn what_the_site_indents_by_a_unit_of_its_own_stays_indented() {
    let part = |n: u8| format!("function part{n}(list) {{\n    let sum = {n};\n    return sum + {n};\n}}\n\n");
    let base: String = (1..4).map(part).collect();
    let own = |margin: &str| format!("{margin}if (own) {{\n{margin}  call('tide');\n{margin}}}\n");
    let site = base.replace("    return sum + 2;", &format!("{}    return sum + 2;", own("    ")));
    let deeper =
        |text: &str| text.lines().map(|l| if l.is_empty() { "\n".into() } else { format!("  {l}\n") }).collect();
    let inner: String = deeper(&base);
    let release = format!("wrap(() => {{\n{inner}}});\n");
    let expected = release.replace("      return sum + 2;", &format!("{}      return sum + 2;", own("      ")));
    gives(&SCRIPT, [&base, &site, &release], &expected);
}

#[test]
fn a_line_taken_out_stays_out_where_the_release_wrapped_it() {
    let base = "import one\n\nimport two\n\n\nclass M(two.M)\n  x = 1\n";
    let site = base.replace("import two\n", "");
    let release = "if new\n  import two\n\n\n  class M(two.M)\n    x = 1\n";
    gives(&TREE, [base, &site, release], &release.replace("  import two\n", ""));
}

#[test]
fn a_line_that_would_come_to_stand_in_another_block_is_a_question() {
    let base = "first\n  one\nsecond\n  two\nthird\n  three\n";
    let site = base.replace("second\n", "");
    let release = base.replace("second\n", "new\n  other\nsecond\n");
    asks(&TREE, [base, &site, &release], Reason::Doubtful);
}

#[test]
fn a_block_whose_first_line_the_site_took_out_goes_on() {
    let base = "import one\nimport two\n\ndef find(text)\n  query = text\n  if query\n    run(query)\n";
    let site = base.replace("def find(text)\n", "");
    // What the release puts into it goes with the lines that are left, wherever these stand.
    let release = base.replace("  if query\n", "  log(query)\n  if query\n");
    gives(&TREE, [base, &site, &release], &release.replace("def find(text)\n", ""));
    let other = release.replace("import two", "# no two here");
    gives(&TREE, [base, &site, &other], &other.replace("def find(text)\n", ""));
    // In a block that the site does not have they would mean something else.
    asks(&TREE, [base, &site, &release.replace("import two", "def new()\n  return 1")], Reason::Doubtful);
}

#[test]
fn what_the_release_dropped_comes_with_a_hint() {
    let base = ".a {\n  top: 0;\n}\n.ribbon {\n  color: red;\n  margin: 0;\n}\n.b {\n  top: 1px;\n}\n";
    let site = base.replace("color: red", "color: teal");
    let release = ".a {\n  top: 0;\n}\n.b {\n  top: 1px;\n}\n";
    let merged = merge(&STYLE, base, &site, release);
    assert_eq!(merged.decisions[0].reason, Reason::ReleaseDeleted);
    assert_eq!(
        merged.decisions[0].hint.as_deref(),
        Some("to keep it, put it in a rule of your own at the end: .ribbon { color: teal; }")
    );
    let base = "<p>start</p>\n<p>opening hours of the mill</p>\n<p>end</p>\n";
    let site = base.replace("hours of", "hours and days of");
    let release = "<p>start</p>\n<p>end</p>\n<h2>Other</h2>\n<div>all the opening hours of our mill</div>\n";
    let merged = merge(&PAGE, base, &site, release);
    let hint = merged.decisions[0].hint.as_deref().unwrap_or_default();
    assert!(hint.contains("line 4: <div>all the opening hours of our mill</div>"), "{hint}");
}

#[test]
fn an_empty_last_line_is_no_line_where_indentation_is_meaning() {
    let base = "a\n  one\n  two\n";
    for (site, release) in [
        ("x\n  a\n    one\n    two\n\n  ", "a\n  one\n  new\n  two"),
        ("x\n  a\n    one\n    two\n ", "a\n  one\n  new\n  two\n\n"),
    ] {
        let merged = merge(&TREE, base, site, release);
        assert!(text(&merged).contains("new"), "{}", text(&merged));
    }
    // Nor does it stand in a block of the base.
    let merged = merge(&TREE, "    .last\n\n", "\n    display", "   \r .last\n\n");
    assert!(text(&merged).contains("display"), "{}", text(&merged));
}

#[test]
fn blanks_between_the_words_of_a_changed_line_are_the_releases() {
    let base = "$one = 1;\n$container   = mod( 'type' );\n$two = 2;\n";
    let site = base.replace("mod( 'type' );", "mod( 'type' ); // own");
    let release = base.replace("$container   =", "$container =");
    let merged = merge(&SCRIPT, base, &site, &release);
    assert_eq!(text(&merged), release.replace("mod( 'type' );", "mod( 'type' ); // own"));
}

#[test]
fn a_block_of_another_unit_does_not_change_what_a_level_is() {
    let base = "class Gate:\n    def open(self):\n        lift()\n        wait()\n";
    let site =
        base.replace("        lift()\n", "        if storm:\n          ring()\n          warn()\n        lift()\n");
    let release = base
        .replace("    ", "")
        .replace("class Gate:\n", "")
        .replace("lift()", "    lift()")
        .replace("wait()", "    wait()");
    let merged = merge(&TREE, base, &site, &release);
    let expected = "def open(self):\n    if storm:\n      ring()\n      warn()\n    lift()\n    wait()\n";
    assert_eq!(text(&merged), expected);
}

#[test]
fn a_deleted_line_that_a_rewritten_file_has_elsewhere_is_asked_about() {
    let base: String = "mixin count(name)\n  span= name\n#remarks\n".to_string()
        + &(0..6).map(|n| format!("  .part-{n}\n    span= 'part {n}'\n")).collect::<String>();
    let site = base.replace("#remarks\n", "");
    let release =
        (0..14).map(|n| format!("mixin piece{n}()\n  .piece\n    +icon('bell-{n}')\n")).collect::<String>()
            + "//- all of it\n#remarks\n  +piece0()\n  +piece13()\n";
    let merged = merge(&TREE, &base, &site, &release);
    assert!(merged.edits.iter().all(|e| e.outcome == Outcome::Open), "{:?}\n{}", merged.edits, text(&merged));
}

#[test]
fn aligned_comment_lines_tell_nothing_about_indentation() {
    let comment: String = (0..9).map(|n| format!(" * remark {n}\n")).collect();
    let base = format!("/**\n{comment} */\n.a {{\n  top: 0;\n  left: 0;\n}}\n");
    let site = base.replace("  top: 0", "    top: 1px").replace("  left", "    left");
    let release = base.replace("left: 0;\n", "left: 0;\n  right: 0;\n");
    let merged = merge(&STYLE, &base, &site, &release);
    assert_eq!(text(&merged), release.replace("top: 0", "top: 1px"));
}

#[test]
fn a_conversion_shows_which_units_it_was_between() {
    // Most steps in the base are of four blanks, in the site of eight: each level became two tabs, or four blanks more.
    let base = "<p>\n    <a>The mill</a>\n</p>\n{% if one %}\n    <img\n        alt=\"The wheel\"\n    />\n{% endif %}\n<ul>\n  <li>first</li>\n</ul>\n";
    let release = base.replace("The wheel", "The old wheel");
    for (from, to) in [("  ", "\t"), ("  ", "    ")] {
        let site = base.replace(from, to).replace("first", "our first");
        gives(&PAGE, [base, &site, &release], &release.replace("first", "our first"));
    }
}

#[test]
fn the_line_that_closes_a_wrap_stands_at_the_indentation_of_its_opening() {
    let base = "<body>\n    <div>\n        <div>\n            <p>Text of the mill</p>\n        </div>\n    </div>\n</body>\n";
    let site = "<body>\n    <div>\n        <div>\n            <b>\n                <p>Text of the mill</p>\n            </b>\n        </div>\n    </div>\n</body>\n".replace("<b>", "<div class=\"own\">").replace("</b>", "</div>");
    let release = base.replacen("<div>", "<main>", 1).replace("    </div>\n</body>", "    </main>\n</body>");
    let wrapped = site.replacen("<div>", "<main>", 1).replace("    </div>\n</body>", "    </main>\n</body>");
    gives(&PAGE, [base, &site, &release], &wrapped);
}

#[test]
fn of_a_line_that_the_release_has_twice_the_one_in_its_company_is_meant() {
    let rest = "import clock\n\nstart(clock)\nwind(clock)\n";
    let base = format!("use strict mode\n\nimport wheel, pond\n\n{rest}");
    let site = base.replace("mode\n", "mode\nuse own mode\n");
    let before = "use strict mode\n\nimport gears\n\nturn(gears)\n\ngrind(gears)\n\nstop(gears)\n\n";
    let release = format!("{before}use strict mode\nimport wheel, pond, race\n{rest}");
    asks(&SCRIPT, [&base, &site, &release], Reason::Doubtful);
}

#[test]
fn closers_that_both_put_there_are_the_same_only_as_deep() {
    let base = "<main>\n  <div>\n    <p>text of it</p>\n  </div>\n</main>\n";
    let [inner, outer] = ["    </div>\n  </div>", "  </div>\n</div>"].map(|end| base.replace("  </div>", end));
    asks(&PAGE, [base, &inner, &outer], Reason::Doubtful);
    gives(&PAGE, [base, &inner, &inner], &inner);
}

#[test]
fn closers_of_another_depth_are_not_taken_for_one_another() {
    // Blind to white space there are two ways to line this up, as short as each other.
    let rule = "{{#unless last}}\n<hr class=\"thin\">\n";
    let base = format!("\t<div>\n\t\t<p>text</p>\n\t</div>\n</div>\n{rule}{{{{/unless}}}}\n{{{{/unless}}}}\n");
    let own = "\t</div>\n\t{{#unless last}}\n\t<hr class=\"thin\">\n\t{{/unless}}\n";
    let put = |text: &str| text.replace("\t</div>\n", own).replace("{{/unless}}\n{{/unless}}", "{{/unless}}");
    let release = base.replace(rule, "");
    gives(&PAGE, [&base, &put(&base), &release], &put(&release));
}

#[test]
fn where_no_changes_touch_to_the_letter_there_is_no_doubt() {
    let base = "\nclass FilterError(ValueError):\n    pass\n";
    let put = |text: &str| text.replacen("    pass\n", "    \"\"\"An own remark.\"\"\"\n    pass\n", 1);
    let more = "\n\nclass FormatError(ValueError):\n    \"\"\"An unknown format.\"\"\"\n\n    pass\n";
    let release = format!("{}{more}", base.trim_start());
    let merged = merge(&TREE, base, &put(base), &release);
    assert_eq!((text(&merged), merged.decisions.len()), (&*put(&release), 0));
    assert_eq!((merged.edits[0].result.clone(), merged.edits[0].release.clone()), (1..2, 1..1));
    // What the release put in nearby, too, does not come twice.
    let release = release.replacen("    pass\n", "    pass\n    \"\"\"An own remark.\"\"\"\n", 1);
    asks(&TREE, [base, &put(base), &release], Reason::Doubtful);
}

#[test]
fn a_closing_tag_that_stands_once_is_the_same_where_the_release_moved_it() {
    let base = "{% if a %}\n<aside id=\"menu\">\n  <b>one item</b>\n{% endif %}\n</aside>\n";
    let site = base.replace("</aside>\n", "");
    let release = base.replace("{% endif %}\n</aside>\n", "</aside>\n{% endif %}\n");
    asks(&PAGE, [base, &site, &release], Reason::SiteDeleted);
}

#[test]
fn which_of_several_twins_the_release_took_out_is_a_question_where_the_site_changed_one() {
    let twin = "<div>\n  <img src=\"a.png\">\n</div>\n\n";
    let base = format!("<h1>title</h1>\n{}<p>end of it</p>\n", twin.repeat(3));
    let changed = twin.replace("a.png", "own.png");
    let site = format!("<h1>title</h1>\n{}{changed}<p>end of it</p>\n", twin.repeat(2));
    let release = base.replacen(twin, "", 1);
    asks(&PAGE, [&base, &site, &release], Reason::ReleaseDeleted);
}

#[test]
fn what_is_written_against_a_paragraph_that_the_release_took_out_is_asked_about() {
    let base = "<h1>title</h1>\n\n<p>first text</p>\n<p>more of it</p>\n\n<p>end of it</p>\n";
    let gone = base.replace("<p>first text</p>\n<p>more of it</p>\n\n", "");
    let above = base.replace("<p>first", "<b>own</b>\n<p>first");
    asks(&PAGE, [base, &above, &gone], Reason::ReleaseDeleted);
    asks(
        &PAGE,
        [base, &base.replace("more of it</p>", "more of it</p>\n<b>own</b>"), &gone],
        Reason::ReleaseDeleted,
    );
    // With a blank line between them it has a place of its own.
    let apart = base.replace("<p>first", "<b>own</b>\n\n<p>first");
    gives(&PAGE, [base, &apart, &gone], &gone.replace("<p>end", "<b>own</b>\n\n<p>end"));
}

#[test]
fn what_is_appended_is_asked_about_where_the_release_moved_the_end_away() {
    let (border, link) =
        ("  border-color: silver;\n\n  hr {\n    top: 0;\n  }\n", "  .link {\n    color: teal;\n  }\n}\n");
    let base = format!(".list {{\n  color: navy;\n{border}\n{link}");
    let site = format!("{base}{border}\n{link}").replace("teal", "pink");
    let release = format!(".list {{\n  color: navy;\n{link}{border}");
    let merged = merge(&STYLE, &base, &site, &release);
    assert_eq!(merged.edits[0].outcome, Outcome::Kept);
    asks(&STYLE, [&base, &site, &release], Reason::Doubtful);
}

#[test]
fn a_wrap_is_written_in_the_unit_that_the_release_converted_to() {
    let base = "q:before {\n\tcontent: '';\n}\n\n:focus {\n\toutline: 0;\n}\n\nbody {\n\tmargin: 0;\n}\n";
    let spaces = |text: &str| text.replace('\t', "    ");
    let own = "@media print {\n\tq:before {\n\t\tcontent: '';\n\t}\n\n\t:focus {\n\t\toutline: 0;\n\t}\n}\n\nbody {\n\tmargin: 0;\n}\n";
    gives(&STYLE, [base, own, &spaces(base)], &spaces(own));
}

#[test]
fn a_wrap_is_written_as_the_site_indents_where_the_release_kept_its_unit() {
    let base = "<h1>Title</h1>\n<p>one thing</p>\n<ul>\n  <li>two</li>\n  <li>and more</li>\n</ul>\n";
    let wrap = |text: &str, by: &str| {
        let deeper: String = text.lines().skip(1).map(|line| format!("{by}{line}\n")).collect();
        format!("<h1>Title</h1>\n<div class=\"own\">\n{deeper}</div>\n")
    };
    let release = base.replace("one thing", "one new thing");
    gives(&PAGE, [base, &wrap(base, "\t"), &release], &wrap(&release, "\t"));
    // Columns that are no level of the file are one where it is converted.
    let converted = release.replace("  <li>", "    <li>");
    gives(&PAGE, [base, &wrap(base, " "), &converted], &wrap(&converted, "    "));
}

#[test]
fn a_wrap_of_all_lines_is_no_conversion() {
    let base = "<form id=\"find\">\n    <input name=\"q\">\n    <b>go and find</b>\n</form>\n";
    let deeper: String = base.lines().map(|line| format!("  {line}\n")).collect();
    let site = format!("<div class=\"own\">\n{deeper}</div>\n");
    let changed = |text: &str| text.replace("name=\"q\"", "name=\"query\"");
    gives(&PAGE, [base, &site, &changed(base)], &changed(&site));
}

#[test]
fn the_end_of_a_wrap_stands_as_deep_as_its_beginning() {
    let base =
        ".a {\n  --top: url(\"top\");\n  --left: url(\"left\"); }\n  .b .a {\n    top: 1px;\n    left: 0; }\n";
    let wrap = |text: &str| {
        text.replace("  --top: url(\"top\");\n", "  @media print {\n      --top: url(\"top\");\n  }\n")
    };
    let release = base.replace("; }", ";\n}").replace("  .b .a", ".b .a").replace("    left", "  left");
    gives(&STYLE, [base, &wrap(base), &release], &wrap(&release));
}

#[test]
fn a_snippet_stays_at_the_end_of_the_head_where_what_stood_above_it_moved_into_the_body() {
    let theme = "{% if colors %}\n<style>\n  {{ colors.of_the_site }}\n</style>\n{% endif %}\n";
    let page = |head: &str, body: &str| {
        format!(
            "<head>\n<title>{{{{ title }}}}</title>\n{head}</head>\n\n<body>\n{body}<p>end of it</p>\n</body>\n"
        )
    };
    let snippet = "<script>count();</script>\n";
    let site = page(&format!("{theme}{snippet}"), "");
    gives(&PAGE, [&page(theme, ""), &site, &page("", theme)], &page(snippet, theme));
}

#[test]
fn blanks_at_the_end_of_a_line_that_both_changed_stay() {
    let line = |a: &str, b: &str, end: &str| format!("# top\n\nsome {a} of the {b}{end}\nmore\n");
    let base = line("text", "mill", "  ");
    gives(&PAGE, [&base, &line("own", "mill", "  "), &line("text", "works", "  ")], &line("own", "works", "  "));
    gives(
        &PAGE,
        [&line("text", "mill", ""), &line("own", "mill", "  "), &line("text", "works", "")],
        &line("own", "works", "  "),
    );
}

#[test]
fn a_tag_whose_attributes_the_release_gave_to_another_is_asked_about() {
    let page = |tag: &str, end: &str| format!("<i>x</i>\n{tag}\n  some text\n{end}\n");
    let base = page("<p class=\"note\">", "</p>");
    let release = page("<div class=\"note\"><p>", "</p></div>");
    asks(&PAGE, [&base, &base.replace("note", "own note"), &release], Reason::BothChanged);
}

#[test]
fn an_insertion_above_a_blank_line_has_its_place_where_the_lines_above_stand() {
    let page = |own: &str, more: &str| {
        format!(
            "<form>\n\n<input name=\"next\">\n<input name=\"lang\">\n{own}\n<b class=\"a{more}\">\n{more}{{{{ name }}}}\n</b>\n</form>\n"
        )
    };
    let (own, new) = ("<input name=\"own\">\n", "{% for x in all %}\n{{ x }}\n{% endfor %}\n\n");
    let release = page("", new).replace(&format!("a{new}"), "a b");
    let expected = page(own, new).replace(&format!("a{new}"), "a b");
    gives(&PAGE, [&page("", ""), &page(own, ""), &release], &expected);
}

#[test]
fn what_stands_in_no_order_is_put_beside_lines_that_the_other_side_replaced() {
    let rule = |lines: &str| format!("a {{\n  flex: none;\n{lines}}}\n");
    let base = rule("  width: 30px;\n  order: 1;\n");
    let own = "  outline: 3px solid teal;\n";
    let release = rule("  width: 30px;\n  order: 1;\n  background: silver;\n");
    gives(&STYLE, [&base, &rule(own), &release], &rule(&format!("{own}  background: silver;\n")));
    asks(&STYLE, [&base, &rule(own), &release.replace("background", "outline")], Reason::PlaceOpen);
    let apart = base.replace("  width", "\n  width");
    gives(&STYLE, [&base, &rule(own), &apart], &rule(&format!("\n{own}")));
}

#[test]
fn a_line_that_has_all_words_of_another_is_its_later_form_whatever_stands_beside() {
    let page = |lines: &[&str]| {
        format!(
            "<head>\n{}</head>\n",
            lines
                .iter()
                .map(|name| format!("<link href=\"{{{{ base }}}}/css/{name}.css\" rel=\"stylesheet\">\n"))
                .collect::<String>()
        )
    };
    let base = page(&["base", "mill"]);
    let own = |text: &str, name: &str| {
        text.replace(
            &format!("<link href=\"{{{{ base }}}}/css/{name}"),
            &format!("<link own href=\"{{{{ base }}}}/css/{name}"),
        )
    };
    let release = page(&["boot-own.min", "base.min", "mill.min"]);
    gives(&PAGE, [&base, &own(&base, "base"), &release], &own(&release, "base"));
}

/// A script as it was, and as a formatter writes it.
const PLAIN: &str = "import { one, two } from \"x\";\n\nconst start = () => { open(\"page\"); close(); };\nrun({ speed: 1, loop: true });\nstop();\n";
const FORMATTED: &str = "import { one, two } from 'x'\n\nconst start = () => {\n  open('page')\n  close()\n}\nrun({\n  speed: 1,\n  loop: true,\n})\nstop()\n";

#[test]
fn what_a_formatter_did_to_the_release_is_no_question() {
    let changed = |from: &str, to: &str| PLAIN.replace(from, to);
    let formatted = |from: &str, to: &str| FORMATTED.replace(from, to);
    let release = &formatted("  loop", "  delay: 5,\n  loop");
    gives(&SCRIPT, [PLAIN, &changed("speed: 1", "speed: 9"), release], &release.replace("speed: 1", "speed: 9"));
    gives(&SCRIPT, [PLAIN, &changed("\"page\"", "\"own\""), FORMATTED], &formatted("'page'", "'own'"));
    gives(&SCRIPT, [PLAIN, &changed("stop();\n", ""), FORMATTED], &formatted("stop()\n", ""));
    let merged = merge(&SCRIPT, PLAIN, &changed("stop();\n", ""), FORMATTED);
    assert_eq!((merged.edits[0].outcome, merged.edits[0].step), (Outcome::Fitted, Some(Step::Form)));
    gives(&SCRIPT, [PLAIN, &changed("run(", "own();\nrun("), FORMATTED], &formatted("run(", "own();\nrun("));
    gives(
        &SCRIPT,
        [PLAIN, &changed("two }", "two, own }"), &formatted("{ one, two }", "{\n  one,\n  two,\n  new,\n}")],
        &formatted("{ one, two }", "{\n  one,\n  two, own,\n  new,\n}"),
    );
}

#[test]
fn keys_arrows_and_closers_that_a_formatter_wrote_anew_are_known() {
    let old = "run({\n  \"speed\": \"$\",\n  each: item => item.count\n})\nopen(\n  page\n)\nclose()\n";
    let new = "run({\n    speed: '$',\n    each: (item) => item.count,\n});\nopen(page);\nclose();\n";
    let [wide, joined] = ["open(\n    page,\n);\n", "open(page);\n"];
    let release = &new.replace(joined, wide);
    for (own, line) in [("  \"speed\": \"$\",\n", "    speed: '$',\n"), ("close()\n", "close();\n")] {
        gives(&SCRIPT, [old, &old.replace(own, ""), release], &release.replace(line, ""));
    }
    gives(
        &SCRIPT,
        [old, &old.replace("close", "// own\nclose"), release],
        &release.replace("close", "// own\nclose"),
    );
    gives(
        &SCRIPT,
        [old, &old.replace("item.count", "item.own"), release],
        &release.replace("item.count", "item.own"),
    );
    let rule = |top: &str| format!("a {{\n  color: red;\n{top}}}\nb {{\n  left: 0;\n}}\n");
    gives(&STYLE, [&rule("  top : 5px;\n"), &rule(""), &rule("\ttop: 5px;\n")], &rule(""));
}

#[test]
fn the_last_entry_of_a_list_goes_with_the_comma_that_a_formatter_put_there() {
    let list = |entries: &str| format!("const mill = {{\n  width: \"four\",\n{entries}}};\nrun();\n");
    gives(
        &SCRIPT,
        [
            &list("  height: 'bold'\n").replace("\"four\",", "'four',"),
            &list("").replace("\"four\",", "'four'"),
            &list("  height: \"bold\",\n"),
        ],
        &list("").replace("\"four\",", "\"four\""),
    );
}

#[test]
fn what_a_formatter_did_to_the_site_follows_the_release() {
    let release = PLAIN.replace("speed: 1", "speed: 2");
    let site = FORMATTED.replace("loop: true", "loop: false");
    let merged = merge(&SCRIPT, PLAIN, &site, &release);
    assert!(merged.decisions.is_empty(), "{:?}", merged.decisions);
    assert!(text(&merged).contains("speed: 2") && text(&merged).contains("loop: false"), "{}", text(&merged));
}

#[test]
fn what_the_site_wrote_in_another_form_is_not_passed_over() {
    let fixed = |text: &str| format!("a {{\n{text}}}\n");
    let (base, site) = (fixed("  color: red\n  top: 0;\n"), fixed("  color: red;\n  top: 0;\n"));
    asks(&STYLE, [&base, &site, &fixed("  margin: 0;\n")], Reason::ReleaseDeleted);
    let call = |name: &str| format!("open();\n$title = {name};\nclose();\n");
    asks(&SCRIPT, [&call("'$name'"), &call("\"$name\""), &call("lookup('$name')")], Reason::BothChanged);
    asks(&SCRIPT, [&call("'$name'"), &call("\"$name\""), "open();\nclose();\n"], Reason::ReleaseDeleted);
}

#[test]
fn another_spelling_of_a_value_is_no_change_of_it() {
    let rule = |values: &str| format!("a {{\n  margin: {values};\n}}\n");
    let three = |[base, site, release]: [&str; 3], wanted: &str| {
        gives(&STYLE, [&rule(base), &rule(site), &rule(release)], &rule(wanted));
    };
    three(["1px 2px 0em #FFF", "9px 2px 0em #FFF", "1px 2px 0 #fff"], "9px 2px 0 #fff");
    three(["rgba(0,0,0,.50)", "rgba(9,0,0,.50)", "rgba(0, 0, 0, 0.5)"], "rgba(9, 0, 0, 0.5)");
    three([".5em", ".7em", "0.5em"], ".7em");
    three(["0 .5em", "0px .5em", "0 2em"], "0px 2em");
    three(["url(a.png) top", "url(own.png) top", "url('a.png') top"], "url('own.png') top");
    three(["url('a.png') top", "url('own.png') top", "url(a.png) top"], "url(own.png) top");
    asks(&STYLE, [&rule("0s"), &rule("4s"), &rule("0")], Reason::BothChanged);
    gives(&SCRIPT, ["f(.5);\n", "f(.7);\n", "f(0.5);\n"], "f(.7);\n");
    asks(&SCRIPT, ["f(1.10);\n", "f(2.10);\n", "f(1.1);\n"], Reason::BothChanged);
    let rules = |colour: &str| format!("a {{\n  color: {colour};\n  top: 0;\n}}\nb {{\n  left: 0;\n}}\n");
    let release = rules("#ffffff");
    gives(&STYLE, [&rules("#FFF"), &rules("#FFF").replace("  color: #FFF;\n", ""), &release], &{
        release.replace("  color: #ffffff;\n", "")
    });
}

#[test]
fn attributes_in_other_quotes_and_lists_in_other_brackets_are_the_same() {
    let tag = |class: &str| format!("<main>\n<div class={class} id=mill>\n</main>\n");
    gives(&PAGE, [&tag("'a'"), &tag("'a own'"), &tag("\"a\"")], &tag("\"a own\""));
    gives(&PAGE, [&tag("a"), &tag("own"), &tag("\"a\"")], &tag("\"own\""));
    gives(&PAGE, [&tag("'a'"), "<main>\n</main>\n", &tag("\"a\"")], "<main>\n</main>\n");
    asks(&PAGE, [&tag("'a'"), &tag("'own'"), &tag("\"b\"")], Reason::BothChanged);
    let long = |entries: &str| format!("$list = array( 'x' => 1, {entries});\n");
    let short = |entries: &str| format!("$list = [ 'x' => 1, {entries}];\n");
    for (site, wanted) in [("'y' => 3 ", "'y' => 3 "), ("'y' => 2, 'own' => 4 ", "'y' => 2, 'own' => 4 ")] {
        gives(&SCRIPT, [&long("'y' => 2 "), &long(site), &short("'y' => 2 ")], &short(wanted));
    }
    let first = |open: &str, close: &str, first: &str| format!("$list = {open} {first}, 2 {close};\n");
    gives(
        &SCRIPT,
        [&first("array(", ")", "1"), &first("array(", ")", "9"), &first("[", "]", "1")],
        &first("[", "]", "9"),
    );
}

#[test]
fn what_the_editor_of_a_site_wrote_anew_all_over_is_gone_with_what_the_release_took_out() {
    let rules = |colour: &str, size: &str| {
        (0..6).map(|k| format!(".r{k} {{\n  color: {colour};\n  width: {k}{size};\n}}\n")).collect::<String>()
    };
    let (base, site) = (rules("#FFF", ".50em"), rules("#fff", ".5em"));
    let without = |text: &str| text.replacen("  color: #FFF;\n", "", 1);
    let merged = merge(&STYLE, &base, &site, &without(&base));
    assert_eq!(text(&merged), site.replacen("  color: #fff;\n", "", 1));
    let own = site.replacen("#fff", "red", 1);
    asks(&STYLE, [&base, &own, &without(&base)], Reason::ReleaseDeleted);
}

#[test]
fn a_question_goes_on_to_where_both_sides_have_closed_what_they_opened() {
    let page = |text: &str| format!("<main>\n{text}\n  <ul id=\"posts\">\n    <li>x</li>\n  </ul>\n</main>\n");
    let crumbs =
        |word: &str| page(&format!("  <ol class=\"crumbs\">\n    <li>home of {word} mill</li>\n\n  </ol>\n"));
    let release = page("  {% include 'crumbs' %}\n\n  <p>deleted</p>\n");
    let merged = merge(&PAGE, &crumbs("the"), &crumbs("our"), &release);
    let [asked] = &merged.decisions[..] else { panic!("{:?}", merged.decisions) };
    let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
    assert_eq!(text(&asked.site_text), "  <ol class=\"crumbs\">\n    <li>home of our mill</li>\n\n  </ol>\n");
    assert_eq!(text(&asked.release_text), "  {% include 'crumbs' %}\n\n  <p>deleted</p>\n");
}

#[test]
fn what_goes_on_with_a_statement_is_not_left_behind_without_it() {
    let base = "run(a);\nif (one == null) { one = ''; }\nvar two = $el.val();\n";
    let site = base.replace("if (one == null) { one = ''; }\n", "");
    let release = base.replace("var two", "else if (many(one)) {\n  one = join(one);\n}\nvar two");
    asks(&SCRIPT, [base, &site, &release], Reason::SiteDeleted);
    // The next of a value's parts, where the release ended the value before it.
    let font =
        |rest: &str| format!("@font-face {{\n  font-family: 'Mill';\n  src: {rest}\n  font-style: normal;\n}}\n");
    let base = font("url('a.woff') format('woff'),\n    url('a.ttf') format('truetype');");
    let site = font(
        "url('a.woff') format('woff'),\n    url('own.svg') format('svg'),\n    url('a.ttf') format('truetype');",
    );
    let merged = merge(&STYLE, &base, &site, &font("url('a.woff') format('woff');"));
    assert!(!merged.decisions.is_empty(), "{}", text(&merged));
}

#[test]
fn what_a_side_put_in_does_not_come_to_stand_in_a_remark() {
    let rules = "body{font-size:20px;color:#212529}p{line-height:1.5;margin:30px 0}h1{font-weight:800}";
    let site = format!("@media (min-width: 770px) {{\n  color: red;\n  {rules}\n}}\n");
    let release = format!("/*!\n * The mill theme\n * 5.0\n */{rules}\n");
    let merged = merge(&STYLE, &format!("{rules}\n"), &site, &release);
    assert!(!merged.decisions.is_empty(), "{}", text(&merged));
}

#[test]
fn a_line_that_opened_a_block_has_one_in_the_result() {
    let base = "def name(size)\n  return join(\n    choose(letters, size)\n  )\n\n\nlast\n";
    let site = base.replace(
        "  return join(\n    choose(letters, size)\n",
        "  if own\n    return join(\n        choose(letters, size)\n",
    );
    let release = base.replace("join(\n    choose(letters, size)\n  )", "join(choose(letters, size))");
    let merged = merge(&TREE, base, &site, &release);
    let lost = text(&merged).contains("  if own\n  return");
    assert!(!lost && (!merged.decisions.is_empty() || text(&merged).contains("    return")), "{}", text(&merged));
}

#[test]
fn questions_give_way_to_fewer_ones_of_a_merge_to_the_letter() {
    let base = "// mill 1\nfunction one() {\n  start();\n}\n\nfunction two() {\n  run(0);\n  run(1);\n  run(2);\n  run(3);\n}\n";
    let site = base.replace("mill 1", "mill own").replace("  run(1);\n", "").replace("  run(3);\n", "");
    // A release that is torn: its brackets cannot tell where the lines belong, but these stand where they stood.
    let release = base.replace("mill 1", "mill 2").replace("start();\n}\n", "start();\n}\n}\n");
    let release = release.replace("two() {\n", "two() {\n}\n");
    let merged = merge(&SCRIPT, base, &site, &release);
    let [asked] = &merged.decisions[..] else { panic!("{:?}", merged.decisions) };
    assert_eq!((asked.reason, asked.base.clone()), (Reason::BothChanged, 0..1));
    assert!(text(&merged).ends_with("function two() {\n}\n  run(0);\n  run(2);\n}\n"), "{}", text(&merged));
}

#[test]
fn lines_within_a_string_stand_in_no_block() {
    let base = "def names(table):\n    '''\n        Names of a table.\n\n        :param table: the table\n    '''\n    return table.names\n";
    let site =
        base.replace("'''\n        Names", "'''Mine.\n\n        Names").replace("table.names", "table.names + own");
    let release = base.replace("        Names", "    Names").replace("        :param", "    :param");
    let expected =
        release.replace("'''\n    Names", "'''Mine.\n\n    Names").replace("table.names", "table.names + own");
    gives(&TREE, [base, &site, &release], &expected);
}

#[test]
fn a_side_that_holds_no_blocks_together_tells_nothing_of_where_lines_stand() {
    let base = "class Tests:\n\n    def test(self):\n\n        enter()\n        new()\n\n        paths = [\n            'a',\n        ]\n\n        for path in paths:\n            found(path)\n";
    let site = "class Tests:\n    @folder()\n    def test(self):\n        with folder:\n            new()\n\n    def test(self):\n\n            for path in paths:\n                found(path)\n";
    let release =
        base.replace("    def test(self):\n", "            paths = [\n                'a',\n            ]\n");
    let merged = merge(&TREE, base, site, &release);
    assert_eq!(merged.decisions.len(), 1, "{}", text(&merged));
    assert!(
        text(&merged)
            .ends_with("\n    def test(self):\n\n            for path in paths:\n                found(path)\n")
    );
}

#[test]
fn what_belongs_to_replaced_lines_or_stands_in_their_place_already_is_asked_about() {
    let base = "start(it);\nif (a) {\n  old(first);\n}\nfoo(1, 2);\nfoo(3, 4);\nend(it);\n";
    let site = base.replace("if (a) {\n  old(first);\n}\n", "own(mill);\n");
    let goes_on = base.replace("foo(1, 2);\nfoo(3, 4);\n", "else {\n  check(all);\n}\n");
    asks(&SCRIPT, [base, &site, &goes_on], Reason::BothChanged);
    asks(&SCRIPT, [base, &site, &base.replace("if (a)", "if (many)\nif (a)")], Reason::PlaceOpen);
    asks(&SCRIPT, [base, &site, &base.replace("if (a)", "own(mill);\nif (a)")], Reason::PlaceOpen);
    let base = "import a\n\ndef one(x):\n    return x\n\ndef two(y):\n    return y\n";
    let release = base.replace("def one", "@cached\ndef one");
    let code = Dialect { strings: true, ..TREE };
    let one = "def one(x):\n    return x\n";
    asks(&code, [base, &base.replace(one, "size = 1\n"), &release], Reason::PlaceOpen);
    // What stands in a block whose first line is gone, and what speaks of a name that is.
    asks(
        &code,
        [base, &base.replace(one, "size = 1\n"), &base.replace("x\n", "x\n    last()\n")],
        Reason::PlaceOpen,
    );
    let base = "start(it);\nold(first, 1);\nold(second, 2);\nend(it);\n";
    let site = base.replace("old(first, 1);\nold(second, 2);\n", "{\n  mill(own);\n}\n");
    asks(&SCRIPT, [base, &site, &base.replace("end", "check(second);\nend")], Reason::PlaceOpen);
    gives(&SCRIPT, [base, &site, &base.replace("end", "check(it);\nend")], &site.replace("end", "check(it);\nend"));
    let base = "import a\n\ndef one(x):\n    return x\n\ndef two(y):\n    return y\n";
    asks(&code, [base, &base.replace(&format!("{one}\n"), ""), &release], Reason::SiteDeleted);
}

/// Asks one question, whose sides are the whole lines that a `⟦site|base|release⟧` stands for in a text.
#[track_caller]
fn asks_about(dialect: &Dialect, versions: [&str; 3], expected: &str) {
    let merged = merge(dialect, versions[0], versions[1], versions[2]);
    let [decision] = &merged.decisions[..] else { panic!("{}", text(&merged)) };
    let sides =
        [&decision.site_text, &decision.base_text, &decision.release_text].map(|t| String::from_utf8_lossy(t));
    let lines: Vec<&str> = text(&merged).split_inclusive('\n').collect();
    let [before, behind] =
        [&lines[..decision.result.start], &lines[decision.result.end..]].map(|part| part.concat());
    assert_eq!(format!("{before}⟦{}⟧{behind}", sides.join("|")), expected);
}

#[test]
fn a_question_whose_answer_would_tear_the_text_is_about_the_lines_around_it_too() {
    let code = Dialect { strings: true, ..TREE };
    // What a handler is for is gone.
    let whole = "try:\n    a = read()\nexcept Missing:\n    pass\n";
    let (own, alone) = (whole.replace("pass", "a = 4"), "a = read()\n");
    let file = |part: &str| format!("import os\n\n{part}\nend = 1\n");
    let asked = file(&format!("⟦{own}|{whole}|{alone}⟧"));
    asks_about(&code, [&file(whole), &file(&own), &file(alone)], &asked);
    // A first line is not put beside the one that took its place.
    let whole = "    def __init__(self, sails=4, height=20, wheel=None, brake=False, **all):\n";
    let own = whole.replace("brake=False", "brake=own.BRAKE");
    let names = ["sails", "height", "wheel", "brake", "miller", "helper", "grain", "flour", "stone", "rye"];
    let wrapped = format!(
        "    def __init__(\n        self,\n{}    ):\n",
        names.map(|n| format!("        {n}: Any,\n")).concat()
    );
    let file = |part: &str| format!("class Mill:\n    wind = 3\n\n{part}        self.sails = sails\n");
    let asked = file(&format!("⟦{own}|{whole}|{wrapped}⟧"));
    asks_about(&code, [&file(whole), &file(&own), &file(&wrapped)], &asked);
    // Nor is anything put between a decorator and what it is for.
    let (whole, new) = ("    register(turn, \"mill\")\n", "    @registered\n    @named(\"mill\")\n");
    let file = |part: &str| format!("class Mill:\n{part}    def turn(self):\n        self.go()\n");
    let own = format!("{whole}    speed = 4\n");
    asks_about(&code, [&file(whole), &file(&own), &file(new)], &file(&format!("⟦{own}|{whole}|{new}⟧")));
    // Nor does a statement come to stand among the members of a value.
    let make = |kind: &str| {
        format!("    this.it = make('b');\n    this.it.set('{kind}', 'b');\n    this.it.set('class', show);\n")
    };
    let new = "    this.it = create('b', {\n      type: 'b',\n      class: 'all',\n      at: 1\n    });\n";
    let file = |part: &str| {
        format!("class Mill {{\n  init() {{\n{part}    this.icon = make('i');\n    this.icon.add(up);\n  }}\n}}\n")
    };
    let (whole, own) = (make("type"), make("own"));
    asks_about(&SCRIPT, [&file(&whole), &file(&own), &file(new)], &file(&format!("⟦{own}|{whole}|{new}⟧")));
}

#[test]
fn a_line_of_which_the_release_has_two_is_asked_about() {
    let code = |head: &str| format!("{head}\n\nfunction grind() {{\n  go();\n}}\n");
    let (base, site) = (code("const version = '1';"), code("const version = '1'; // own"));
    for below in ["const version = '2';", "const version = '3';"] {
        let release = code(&format!("const version = '2';\n\nexport {{ version }};\n// map\n\n{below}"));
        asks(&SCRIPT, [&base, &site, &release], Reason::Doubtful);
    }
    let release = code("const version = '2';\n\nexport { version };\n\nconst size = '2';");
    let expected = release.replacen("'2';", "'2'; // own", 1);
    gives(&SCRIPT, [&base, &site, &release], &expected);
}

#[test]
fn a_declaration_of_another_rule_is_no_counterpart() {
    let rule = |name: &str, body: &str| format!(".{name} {{\n{body}}}\n");
    let label = rule("label", "  color: white;\n  padding: 5px;\n  border: 1px solid;\n");
    let site = label.replace("5px;\n", "5px;\n  own: 5px;\n");
    let others =
        [rule("link", "  color: inherit;\n"), rule("button", "  width: 28px;\n  padding: 0;\n  outline: none;\n")];
    // The rule is gone, or is still there without what the site's declaration stood between.
    for own in [String::new(), rule("label", "  margin: 0;\n")] {
        let release = format!("{own}\n{}", others.join("\n"));
        asks(&STYLE, [&label, &site, &release], Reason::PlaceOpen);
    }
}

#[test]
fn a_declaration_follows_into_another_rule_only_where_its_own_was_divided() {
    let base = ".label {\n  color: white;\n  padding: 5px;\n  border: 1px solid;\n}\n";
    let release = |selector: &str| {
        let body = "  padding: 5px;\n  border: 1px solid;\n";
        format!(".label {{\n  color: white;\n}}\n\n{selector} {{\n{body}}}\n")
    };
    let changes: [fn(&str) -> String; 2] =
        [|text| text.replace("solid", "dashed"), |text| text.replace("5px;\n", "5px;\n  own: 5px;\n")];
    for change in changes {
        asks(&STYLE, [base, &change(base), &release(".button")], Reason::Doubtful);
        let divided = release(".label, .button");
        gives(&STYLE, [base, &change(base), &divided], &change(&divided));
    }
}

#[test]
fn which_of_two_equal_neighbours_came_or_went_is_asked_about() {
    let card = "<div class=\"card\">\n  <b>More</b>\n</div>\n";
    let (own, two) = (card.replace("More", "Our own"), card.repeat(2));
    asks(&PAGE, [&two, &format!("{own}{card}"), card], Reason::Doubtful);
    asks(&PAGE, [card, &own, &two], Reason::Doubtful);
    // What is beside both is beside the one that is left.
    gives(&PAGE, [&two, &format!("<p>own</p>\n{two}"), card], &format!("<p>own</p>\n{card}"));
}

#[test]
fn a_rule_that_went_into_a_new_block_is_asked_about_where_another_for_the_same_stands_in_its_place() {
    let rules = |b: &str| format!(".a {{ order: 1; }}\n{b}.c {{ order: 3; }}\n");
    let base = rules(".b { order: 2; }\n");
    let site = base.replace("order: 2", "order: 7");
    let printed = "@media print {\n  .b { order: 2; }\n}\n";
    asks(&STYLE, [&base, &site, &rules(&format!("{printed}.b {{ color: red; }}\n"))], Reason::Doubtful);
    gives(&STYLE, [&base, &site, &rules(printed)], &rules(printed).replace("order: 2", "order: 7"));
}

#[test]
fn a_line_that_stands_once_is_in_no_other_block_for_being_indented_otherwise() {
    let base = "a {\n\tsrc:\n\t\turl(one),\n\t\t/* two */\n\t\turl(two);\n}\n";
    let site = base.replace("\t\t/* two */\n", "");
    // The release indents all but the remark.
    let release = "a {\n    src:\n    url(one),\n\t\t/* two */\n    url(two);\n}\n";
    gives(&STYLE, [base, &site, release], &release.replace("\t\t/* two */\n", ""));
}

#[test]
fn which_of_several_new_blocks_an_old_one_became_is_asked_about() {
    let fade = |name: &str, at: usize| {
        let half = format!("  50% {{\n    left: {at}rem;\n    opacity: 0;\n  }}\n");
        format!("@keyframes {name} {{\n  from {{\n    opacity: 0;\n  }}\n{half}  to {{\n    left: 1px;\n  }}\n}}\n")
    };
    let base = fade("fade", 1);
    let site = base.replacen("    opacity", "    own: 1;\n    opacity", 1);
    let one = fade("fade-in", 2);
    asks(&STYLE, [&base, &site, &format!("{one}{}", fade("fade-out", 3))], Reason::Doubtful);
    gives(&STYLE, [&base, &site, &one], &one.replacen("    opacity", "    own: 1;\n    opacity", 1));
}

#[test]
fn a_change_in_what_the_release_has_twice_far_apart_is_asked_about() {
    let head = |year: u16, own: &str| {
        format!(
            "/*\n * The mill, {year}\n *\n * This is under the licence\n{own} * in the file beside it.\n */\n\n'use strict';\n\n"
        )
    };
    let body = |name: &str| (0..14).map(|k| format!("turn('{name}', {k});\n")).collect::<String>();
    let release = [
        &head(2026, ""),
        "load('a');\n",
        &body("sluice"),
        "\n",
        &head(2026, ""),
        "load('b');\nload('a');\n",
        &body("wheel"),
    ]
    .concat();
    let version = |own: &str| [&head(2023, own), "load('a');\n", &body("wheel")].concat();
    asks(&SCRIPT, [&version(""), &version(" * our own\n"), &release], Reason::Doubtful);
}
