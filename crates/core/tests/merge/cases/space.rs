//! White space, line ends, wraps and other form: the release's, and no question.

use daxle_core::merge::{Dialect, MergeOptions, Outcome, Reason, Step, Trust, merge_text};
use daxle_core::text::key::Blanks;

use super::{asks, gives};
use crate::{PAGE, SCRIPT, STYLE, TREE, merge, text};

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
fn what_the_release_put_into_a_wrapped_block_is_as_deep_as_the_block() {
    let base = "one = 1\n\nclass Mill:\n    tide = 'low'\n\n\nclass Weir:\n    tide = 'high'\n\nlast = 2\n";
    let site = "one = 1\n\nif own:\n  class Mill:\n      tide = 'low'\n\n\n  class Weir:\n      tide = 'high'\n\nlast = 2\n";
    let release = base.replace("'low'\n", "'low'\n    gate = 'shut'\n");
    let result = site.replace("'low'\n", "'low'\n      gate = 'shut'\n");
    gives(&TREE, [base, site, &release], &result);
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
fn what_the_release_puts_at_the_edge_of_a_wrap_stays_outside() {
    let base = "<ul>\n  <li>first thing</li>\n  <li>second thing</li>\n</ul>\n";
    let site = "<ul>\n  {% if open %}\n    <li>first thing</li>\n    <li>second thing</li>\n  {% endif %}\n</ul>\n";
    let release = base.replace("</ul>", "  <li>third thing</li>\n</ul>").replace("first", "very first");
    let wrapped =
        site.replace("first", "very first").replace("{% endif %}\n", "{% endif %}\n  <li>third thing</li>\n");
    gives(&PAGE, [base, site, &release], &wrapped);
}

#[test]
fn blanks_at_the_ends_of_lines_go_where_the_release_took_them_out() {
    let base = "<p>one</p> \n<p>two</p> \n<p>three</p> \n<p>four</p> \n";
    let site = base.replace("<p>two</p> ", "<p>own</p> ").replace("<p>four", "<i>more</i> \n<p>four");
    let release = base.replace(" \n", "\n");
    gives(&PAGE, [base, &site, &release], &site.replace(" \n", "\n"));
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
fn a_wrap_is_written_in_the_unit_that_the_release_converted_to() {
    let base = "q:before {\n\tcontent: '';\n}\n\n:focus {\n\toutline: 0;\n}\n\nbody {\n\tmargin: 0;\n}\n";
    let spaces = |text: &str| text.replace('\t', "    ");
    let own = "@media print {\n\tq:before {\n\t\tcontent: '';\n\t}\n\n\t:focus {\n\t\toutline: 0;\n\t}\n}\n\nbody {\n\tmargin: 0;\n}\n";
    gives(&STYLE, [base, own, &spaces(base)], &spaces(own));
}

#[test]
fn what_is_put_beside_lines_that_kept_their_tabs_has_tabs_as_well() {
    let part = |n: usize| format!("\t<div>\n\t\t<p>part {n} of all</p>\n\t</div>\n");
    let parts: String = (0..6).map(part).collect();
    let kept = "\t<nav>\n\t\t<a>\n\t\t\thome\n\t\t</a>\n\t</nav>\n";
    let base = format!("<main>\n{parts}{kept}</main>\n");
    let release = format!("<main>\n{}{kept}</main>\n", parts.replace('\t', "    "));
    let own = |text: &str| text.replace("\t\t</a>", "\t\t<b>\n\t\t\town\n\t\t</b>\n\t\t</a>");
    gives(&PAGE, [&base, &own(&base), &release], &own(&release));
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
fn a_rule_or_tag_that_was_cut_at_other_places_and_changed_is_known_by_what_it_begins_with() {
    let rules = ".mill {\n  color: red;\n  top: 0;\n}\n.hall {\n  color: red;\n  top: 0;\n}\n";
    let joined = ".mill { color: pink; top: 0; }\n.hall { color: tan; top: 0; }\n";
    let own = rules.replacen("top: 0", "top: 9px", 1);
    gives(&STYLE, [rules, &own, joined], &joined.replacen("top: 0", "top: 9px", 1));
    let first = "/* Made by hand */\n.old {\n  left: 0;\n}\n";
    gives(&STYLE, [&format!("{first}{rules}"), &format!("{first}{own}"), joined], &joined.replacen("0", "9px", 1));
    let page = |tag: &str| format!("<p>Sign in here</p>\n{tag}\n  <b>x</b>\n</form>\n");
    let class = "class=\"card body wide low far\"";
    let own = class.replace("card", "own card");
    gives(
        &PAGE,
        [
            &page(&format!("<form method=\"post\" {class}>")),
            &page(&format!("<form method=\"post\" {own}>")),
            &page(&format!("<form\n  id=\"sign\"\n  method=\"post\"\n  {class}>")),
        ],
        &page(&format!("<form\n  id=\"sign\"\n  method=\"post\"\n  {own}>")),
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
    three(["0 .5em", "0px .5em", "0 2em"], "0px 2em");
    three(["url(a.png) top", "url(own.png) top", "url('a.png') top"], "url('own.png') top");
    three(["url('a.png') top", "url('own.png') top", "url(a.png) top"], "url(own.png) top");
    let rules = |colour: &str| format!("a {{\n  color: {colour};\n  top: 0;\n}}\nb {{\n  left: 0;\n}}\n");
    let release = rules("#ffffff");
    gives(&STYLE, [&rules("#FFF"), &rules("#FFF").replace("  color: #FFF;\n", ""), &release], &{
        release.replace("  color: #ffffff;\n", "")
    });
}

#[test]
fn a_value_that_the_other_side_spelled_anew_is_asked_about_unless_trust_is_bold() {
    let rule = |value: &str| format!("a {{\n  margin: {value};\n}}\n");
    let bold = MergeOptions { trust: Trust::Bold, ..MergeOptions::default() };
    let open = |[base, site, release]: [&str; 3]| {
        let merged = merge_text(base.as_bytes(), site.as_bytes(), release.as_bytes(), &STYLE, &bold);
        merged.expect("text").decisions.len()
    };
    for three in [[".5em", ".7em", "0.5em"], ["0.5em", ".5em", "2em"], ["#FFF", "#222", "#ffffff"]] {
        let [base, site, release] = three.map(rule);
        asks(&STYLE, [&base, &site, &release], Reason::BothChanged);
        let hint = merge(&STYLE, &base, &site, &release).decisions.remove(0).hint;
        assert_eq!(hint.is_some_and(|hint| hint.contains("another spelling")), three[2] != "2em");
        assert_eq!(open([&base, &site, &release]), 0, "{three:?}");
    }
    asks(&STYLE, [&rule("0s"), &rule("4s"), &rule("0")], Reason::BothChanged);
    asks(&SCRIPT, ["f(.5);\n", "f(.7);\n", "f(0.5);\n"], Reason::BothChanged);
    asks(&SCRIPT, ["f(1.10);\n", "f(2.10);\n", "f(1.1);\n"], Reason::BothChanged);
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
fn a_line_that_stands_once_is_in_no_other_block_for_being_indented_otherwise() {
    let base = "a {\n\tsrc:\n\t\turl(one),\n\t\t/* two */\n\t\turl(two);\n}\n";
    let site = base.replace("\t\t/* two */\n", "");
    // The release indents all but the remark.
    let release = "a {\n    src:\n    url(one),\n\t\t/* two */\n    url(two);\n}\n";
    gives(&STYLE, [base, &site, release], &release.replace("\t\t/* two */\n", ""));
}

#[test]
fn what_the_release_reflowed_within_a_wrap_is_as_deep_as_the_wrap() {
    let base = "run(\n    mill,\n    sail)\nstand(old, still,\n      here)\ngo(home)\n";
    let wrapped = |text: &str| text.replace("stand(", "    stand(").replace("      here", "          here");
    let site = wrapped(base).replace("    stand(", "if own:\n    stand(");
    let reflowed = "stand(\n    old, still, here\n)\n";
    let release = base.replace("stand(old, still,\n      here)\n", reflowed);
    let deeper = "if own:\n    stand(\n        old, still, here\n    )\n";
    let result = base.replace("stand(old, still,\n      here)\n", deeper);
    gives(&TREE, [base, &site, &release], &result);
    let [site, result] = [&site, &result].map(|text| text.replace("here", "there"));
    gives(&TREE, [base, &site, &release], &result);
}

#[test]
fn a_release_that_wrapped_and_converted_the_file_does_not_show_what_its_unit_was() {
    let base =
        "{% block mill %}\n<h4>Old</h4>\n<p class=\"a\">\n  The sails of\n  the mill turn\n</p>\n{% end %}\n";
    let site = format!("<main>\n  {}\n</main>\n", base.trim_end().replace('\n', "\n  "));
    let release = "{% block mill %}\n<div>\n    <h3>New</h3>\n</div>\n<div>\n    <div>\n        <p class=\"b\">\n            \
                   The sails of\n            the mill turn\n        </p>\n    </div>\n</div>\n{% end %}\n";
    let deeper = release.trim_end().replace('\n', "\n    ");
    gives(&PAGE, [base, &site, release], &format!("<main>\n    {deeper}\n</main>\n"));
}

#[test]
fn what_the_release_puts_into_a_wrap_is_as_deep_where_indentation_is_meaning() {
    let gate = "    gate = mill.Part(\n        Gate,\n        name=_(\"Gate of the mill\"),\n    )\n";
    let base = format!("class Mill:\n{gate}\n    def turn(self):\n        pass\n");
    let own = |text: &str| {
        let (front, wrapped) = text.split_once("    gate").unwrap();
        let deeper = format!("    gate{wrapped}").replace("\n    ", "\n        ");
        format!("{front}    if own:\n    {deeper}")
    };
    let release = base.replace("Gate,\n", "Gate,\n        size=4,\n");
    gives(&TREE, [&base, &own(&base), &release], &own(&release));
}

#[test]
fn what_the_release_puts_into_a_wrap_is_as_deep_whatever_the_unit() {
    let base = "<body>\n        <h1>Mill</h1>\n        <p>one</p>\n        <p>two</p>\n        <p>three</p>\n\
                \x20       <p>four</p>\n        <p>five</p>\n</body>\n";
    let own = |text: &str| {
        let (front, rest) = text.split_once("        <p>one").unwrap();
        let (wrapped, back) = rest.split_once("        <p>four").unwrap();
        let deeper = format!("            <p>one{}", wrapped.trim_end().replace('\n', "\n    "));
        format!("{front}        <div>\n{deeper}\n        </div>\n        <p>four{back}")
    };
    let release = base.replace("<p>two</p>\n", "<p>2</p>\n        <p>more</p>\n        <hr>\n");
    gives(&PAGE, [base, &own(base), &release], &own(&release));
}
