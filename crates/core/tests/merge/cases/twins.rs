//! Lines that have their like: which of them is meant, or that it is asked.

use daxle_core::merge::{Dialect, Insertions, Outcome, Reason, Step};

use super::{asks, gives};
use crate::{PAGE, SCRIPT, STYLE, TREE, merge, text};

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
fn what_both_did_counts_once_in_an_edit_that_did_more() {
    let rule = |own: &str, shade: &str| format!(".a {{\n  left: 2px;\n{own}  color: pick({shade});\n}}\n");
    let (sizes, new) = ("  width: 2px;\n  height: 40px;\n", "\"black\", $tint: 95");
    gives(&STYLE, [&rule(sizes, "\"grey\""), &rule("", new), &rule(sizes, new)], &rule("", new));

    // So does what both took out.
    let code = |imports: &str| format!("import wind\n\n{imports}import mill\n\nstart()\n");
    let (one, two, new) =
        ("from mill.names import Name\n", "from mill.stones import Stone\n", "from times import Name\n");
    let release = code(two).replace("import mill\n", &format!("import mill\n{new}"));
    let expected = release.replace(two, "");
    gives(&TREE, [&code(&[one, two].concat()), &code(""), &release], &expected);
}

#[test]
fn what_both_put_in_in_two_rules_is_meant_twice() {
    let rules =
        |a: &str, b: &str, c: &str| format!(".a {{\n  top: 0;\n{a}}}\n.b {{\n  top: 1;\n{b}  left: 0;\n{c}}}\n");
    let own = "  color: red;\n  margin: 0;\n  padding: 0;\n";
    gives(&STYLE, [&rules("", "", ""), &rules(own, "", ""), &rules("", "", own)], &rules(own, "", own));
    asks(&STYLE, [&rules("", "", ""), &rules("", own, ""), &rules("", "", own)], Reason::PutTwice);
}

#[test]
fn what_one_put_in_place_of_a_line_and_the_other_beside_it_does_not_come_twice() {
    let page = |lines: &str| format!("open();\n\n{lines}\nstart();\n");
    let (old, own, new) = ("import signals\n", "import ours\n", "from signals import Namespace, NamedSignal\n");
    let site = page(&[own, new].concat());
    let release = page(&[old, new].concat());
    let merged = merge(&SCRIPT, &page(old), &site, &release);
    assert_eq!(text(&merged), site);
    assert_eq!((merged.edits[0].outcome, merged.edits[0].step), (Outcome::Fitted, Some(Step::Contains)));
    gives(&SCRIPT, [&page(old), &release, &site], &site);
    // What became of the other lines is not told.
    let rewritten = page(&["one(wheel);\ntwo(stone);\n", new].concat());
    asks(&SCRIPT, [&page(old), &rewritten, &release], Reason::PutTwice);

    // Also in place of all of them.
    let code = |imports: &str| format!("# mills\n{imports}from sails import Cloth\nfrom sails import Wind\n");
    let old = "from grain.sacks import Sack\nfrom mill import stone\nfrom mill.names import NameMaker\n";
    let new = "from times import now\n";
    let code_by_indent = Dialect { insertions: Insertions::Members, strings: true, ..TREE };
    gives(&code_by_indent, [&code(old), &code(new), &code(&[new, old].concat())], &code(new));

    // Brackets in what both put in count once.
    let labels = |first: &str, more: &str| format!("own = {{\n  all: fn {{\n    {first}\n{more}  }}\n}};\n");
    let (old, own, more) = ("return 'mill';", "turn 'mill';", "  },\n  one: fn {\n    return 'wheel';\n");
    gives(&SCRIPT, [&labels(old, ""), &labels(own, more), &labels(old, more)], &labels(own, more));

    // Closing lines between are taken for others of their kind.
    let rule = |lines: &str| format!(".tip {{\n  top: 0;\n{lines}}}\n.end {{\n  left: 0;\n}}\n");
    let put = ".tip p {\n  margin: 0;\n";
    let site = rule(&format!("  color: red;\n}}\n{put}"));
    let release = rule("").replace(".end", &format!("{put}}}\n.end"));
    asks(&STYLE, [&rule(""), &site, &release], Reason::PutTwice);

    // A line that two longer blocks have may be alike by chance.
    let code = |a: &str, b: &str| format!("one();\n{a}two();\nthree();\n{b}four();\n");
    let block = |name: &str| {
        format!(
            "try {{\n  {name}(1, 2);\n  {name}(3, 4);\n  {name}(5, 6);\n  {name}(7, 8);\n}} catch (any error) {{\n}}\n"
        )
    };
    let (own, new) = (block("own"), block("fresh"));
    gives(&SCRIPT, [&code("", ""), &code(&own, ""), &code("", &new)], &code(&own, &new));
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
fn a_tag_whose_attributes_the_release_gave_to_another_is_asked_about() {
    let page = |tag: &str, end: &str| format!("<i>x</i>\n{tag}\n  some text\n{end}\n");
    let base = page("<p class=\"note\">", "</p>");
    let release = page("<div class=\"note\"><p>", "</p></div>");
    asks(&PAGE, [&base, &base.replace("note", "own note"), &release], Reason::BothChanged);
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
    // One of another name with nearly the same words.
    let base = rule("label:focus", "  border-color: var(--mill-label-border-color-error-focus);\n  margin: 0;\n");
    let site = base.replace("focus);", "focus); /* own */");
    let release = rule("button", "  color: var(--mill-button-text-color-error-focus);\n");
    asks(&STYLE, [&base, &site, &release], Reason::BothChanged);
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

#[test]
fn one_line_in_place_of_one_may_be_another_than_the_one_that_is_more_like_it() {
    let base = "  if (part.target) {\n    const url = place(part);\n    const wrap = part.tag === '@code' ? '`' : '';\n    \
                md.push(url\n      ? `${(0, mill_1.link)(`${wrap}${part.text}${wrap}`, this.relative(url))}`\n      : \
                part.text);\n  }\n  else {\n    md.push(part.text);\n  }\n  break;\n}\ndefault:\n";
    let site = base.replace("    md.push(part.text);", "    md.push(part.text); // own");
    let release = "md.push(part.text);\n  if (part.target) {\n    const url = place(part);\n    if (url) {\n      \
                   if (part.tag === '@code') {\n        md.push(`${link(ticks(part.text), this.relative(url))}`);\n      \
                   }\n      else {\n        md.push(`${link(whole(part.text), this.relative(url))}`);\n      }\n    \
                   }\n    else {\n      md.push(whole(part.text));\n    }\n  }\n  else {\n    \
                   md.push(whole(part.text));\n  }\n  break;\n}\ndefault:\n  md.push(`{${part.tag} ${part.text}}`);\n";
    let trailing = |text: &str| text.replace('\n', " \n");
    let result = release
        .trim_end()
        .replace("  else {\n    md.push(whole(part.text));", "  else {\n    md.push(whole(part.text)); // own");
    gives(&SCRIPT, [&trailing(base), &trailing(&site), release], &(result + "\n"));
    // Where the release wrapped all of it, too, nothing tells which of the two it is.
    let wrapped = format!("for (part of all) {{\n  {}\n}}\n", release.trim_end().replace('\n', "\n  "));
    asks(&SCRIPT, [base, &site, &wrapped], Reason::Doubtful);
}

#[test]
fn twins_are_told_apart_by_what_stands_in_them_in_other_quotes() {
    let step = |kind: &str, lines: &[&str]| format!("    gates.{kind}(\n{}    ),\n", lines.concat());
    let mill = "        mill='tide',\n";
    let sluice = step("Drop", &[mill, "        name='sluice',\n"]);
    let renamed = |name: &str| {
        step("Rename", &[mill, &format!("        old='{name}_new',\n"), &format!("        new='{name}',\n")])
    };
    let renamed = renamed("wheel") + &renamed("sluice");
    let steps = |wheel: &str| format!("steps = [\n{wheel}{sluice}{renamed}]\n");
    let last = |text: &str| text.replace("    ),\n]", "    )\n]");
    let base = last(&steps(&step("Drop", &[mill, "        name='wheel'\n"])));
    let release = steps("    gates.Drop(mill='tide', name='wheel'),\n").replace('\'', "\"");
    let own = |text: &str, quote: &str| {
        let line = format!("new={quote}wheel{quote},");
        text.replace(&line, &format!("{line}  # own"))
    };
    gives(&TREE, [&base, &own(&base, "'"), &release], &own(&release, "\""));
}

#[test]
fn what_is_put_before_its_like_is_whole_also_where_nothing_is_indented() {
    let rows = [
        (
            &SCRIPT,
            "import {",
            "own {",
            "import {\nvane\n} from 'b';\n",
            "go();\nimport {\nmill\n} from 'a';\nstop();\n",
        ),
        (&PAGE, "<li>\nmill", "<li id=\"own\">\nmill", "<li>\nvane\n</li>\n", "<ul>\n<li>\nmill\n</li>\n</ul>\n"),
        (
            &PAGE,
            "{% if on %}\nmill",
            "{% if own %}\nmill",
            "{% if on %}\nvane\n{% endif %}\n",
            "<p>\n{% if on %}\nmill\n{% endif %}\n</p>\n",
        ),
    ];
    for (dialect, old, own, new, base) in rows {
        let release = base.replace(old, &format!("{new}{old}"));
        let of_site = |text: &str| text.replace(old, own);
        gives(
            dialect,
            [base, &of_site(base), &release],
            &release.replace(&format!("{new}{old}"), &format!("{new}{own}")),
        );
    }
}
