//! What is asked about, and how small the question is.

use daxle_core::merge::{Dialect, Leave, MergeOptions, Outcome, Reason, Trust, merge_text};

use super::{asks, asks_about, gives};
use crate::{PAGE, SCRIPT, STYLE, TREE, merge, text};

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
fn a_question_holds_all_lines_that_the_change_is_about() {
    let steps: String = (0..60).map(|k| format!("  step{k}(part{k}, {k});\n")).collect();
    let base = "top(mill);\nturn(sails, wind);\nstop(sails, brake);\nend(mill);\n";
    let site = "top(mill);\nown_grind(flour);\nend(mill);\n";
    let release = base.replace("stop(sails, brake)", &format!("{steps}stop(sails, new_brake)"));
    let merged = merge(&SCRIPT, base, site, &release);
    // Its own lines in place of both, or the release's: none of those may stay behind.
    let asked = String::from_utf8_lossy(&merged.decisions[0].release_text);
    assert!(asked.starts_with("turn(sails") && asked.ends_with("new_brake);\n"), "{}", text(&merged));
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
    // In brackets deeper than its own, which are gone, it may be in quite another block; written around the same one, not.
    let rest = "  &__button {\n    width: 100%;\n    margin: 0;\n";
    let place = |kind: &str| format!("left: 0;\n  position: {kind};\n  right: 0;\n  top: 0;\n");
    let gone =
        format!(".page {{\n  margin: 0;\n}}\n.hide {{\n  background: red;\n  {}{rest}  }}\n}}\n", place("fixed"));
    let own = gone.replace("fixed;\n", "fixed;\n  own: fixed;\n");
    let other = place("absolute");
    let release = format!(
        ".page {{\n  margin: 0;\n}}\n.shown {{\n  color: blue;\n{rest}    &::before {{\n  content: '';\n  {other}  }}\n  }}\n}}\n"
    );
    asks(&STYLE, [&gone, &own, &release], Reason::Doubtful);
    let (plain, wrapped) = (
        "(function ($) {\n  begin();\n  turn();\n})(page);\n",
        "(function (run) {\n  run(page);\n}(function ($) {\n  begin();\n  turn();\n}));\n",
    );
    let own = |text: &str| text.replace("  turn", "  own();\n  turn");
    gives(&SCRIPT, [plain, &own(plain), wrapped], &own(wrapped));
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
fn a_remark_is_not_cut_in_two() {
    let remark = |text: &str| format!("/**\n * {text}\n */\n");
    let base = remark("Focus styles") + &remark("Position");
    let site = base.replace(" * Focus styles\n", " * Focus styles\n * Own remark\n");
    let release = remark("Focus styles") + &remark("Rings") + &remark("Position");
    gives(&STYLE, [&base, &site, &release], &release.replace("styles\n", "styles\n * Own remark\n"));
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
    asks(&TREE, [base, &put(base), &release], Reason::PutTwice);
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
    // Both put that in, and the site took the rest out.
    gives(&SCRIPT, [base, &site, &base.replace("if (a)", "own(mill);\nif (a)")], &site);
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
fn what_all_three_have_at_the_ends_of_a_question_is_none_of_it() {
    let base = [
        "{% load mills %}\n\n{% if not small %}\n    {% if sails or sacks or grain %}\n",
        "        <div class=\"mill tall\">\n            {% include \"mill/sails.html\" %}\n\n",
        "            {% include \"mill/sacks.html\" %}\n        </div>\n    {% endif %}\n{% endif %}\n",
    ]
    .concat();
    let site = base.replace("\n{% endif %}", "\n{% own_end %}");
    let release = [
        "{% if sails or meal %}\n    <div id=\"mill\" class=\"mill tall\">\n",
        "        {% include \"mill/sails.html\" %}\n    </div>\n{% endif %}\n",
    ]
    .concat();
    let merged = merge(&PAGE, &base, &site, &release);
    let [asked] = &merged.decisions[..] else { panic!("{}", text(&merged)) };
    let texts = [&asked.base_text, &asked.site_text, &asked.release_text].map(|text| String::from_utf8_lossy(text));
    assert_eq!(texts, ["{% endif %}\n", "{% own_end %}\n", ""], "{}", text(&merged));
}
