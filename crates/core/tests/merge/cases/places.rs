//! Changes beside and within each other, and where what is put in stands.

use daxle_core::merge::{Outcome, Reason};

use super::{asks, gives};
use crate::{PAGE, SCRIPT, STYLE, merge, text};

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
fn one_of_a_chain_goes_while_another_comes_above_it() {
    let chain = |links: &[&str]| format!("let page = {}\n  'end';\n", links.join(""));
    let (head, hall, mill, fair) = ("'head' +\n", "  'hall' +\n", "  'mill' +\n", "  'fair' +\n");
    gives(
        &SCRIPT,
        [&chain(&[head, hall]), &chain(&[head]), &chain(&[head, mill, fair, hall])],
        &chain(&[head, mill, fair]),
    );
    let hung = |lines: &str| format!("open();\n{lines}shut();\n");
    asks(&SCRIPT, [&hung("if (day)\n"), &hung(""), &hung("if (fair)\nif (day)\n")], Reason::SiteDeleted);
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
    // Written out, the last rule is no new one that has a name of the site's in it.
    let (base, written) = (
        "#hall{top:0;}\n#mill{top:0;color:red;}\n",
        "/* all */\n#hall {\n  top: 0;\n}\n#mill {\n  top: 0;\n  color: red;\n}\n",
    );
    let release = format!("{written}.sail #mill {{\n  top: 5px;\n}}\n");
    gives(&STYLE, [base, &format!("{base}{own}"), &release], &format!("{release}{own}"));
}

#[test]
fn the_end_of_a_file_is_its_end_whatever_became_of_the_last_line() {
    let (parts, end) = ("  color?: string;\n  size?: string;\n", "} & Frame.Props<Icon>, \"name\"");
    let base = format!("type Icon = make(\"mill\").Part<any, {{\n  'name': string;\n}} & {{\n{parts}{end}>;\n");
    let part = format!("{{\n{parts}  'name'?: string;\n{end} | \"size\"> & {{\n{parts}  'name'?: string;\n{end}>");
    let release = format!(
        "type Icon = make(\"mill/new\").Whole<\"web\", Omit<Omit<{part} & Some<Pick<Omit<{part}>> & Omit<any>;\n"
    );
    let own = "\nown(call);\n";
    gives(&SCRIPT, [&base, &format!("{base}{own}"), &release], &format!("{release}{own}"));
    gives(&SCRIPT, [&base, &release, &format!("{base}{own}")], &format!("{release}{own}"));
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
fn a_snippet_stays_at_the_edges_of_the_page_whatever_became_of_the_lines_there() {
    let page = |head: &str, title: &str, body: &str, class: &str| {
        format!("<html>\n<head>\n{head}</head>\n<body{class}>\n<h1>{title}</h1>\n{body}</body>\n</html>\n")
    };
    let (old_head, old_body) =
        ("<title>Mill</title>\n", "<p>The mill is open.</p>\n<div>\n<p>all day</p>\n</div>\n");
    let head = "<meta name=\"sails\" content=\"4\">\n<link rel=\"icon\" href=\"/mill.svg\">\n";
    let body = "<main class=\"wide\">\n<ul>\n<li>Grind</li>\n</ul>\n<footer>bye</footer>\n</main>\n";
    let put = |text: &str| {
        text.replace("</head>", "<script src=\"own.js\"></script>\n</head>")
            .replace("\n<h1>", "\n<noscript>own</noscript>\n<h1>")
            .replace("</body>", "<!-- own -->\n<script>\n  own();\n</script>\n</body>")
    };
    let base = page(old_head, "Mill", old_body, "");
    let release = page(head, "New Mill", body, "\n class=\"home\"");
    gives(&PAGE, [&base, &put(&base), &release], &put(&release));
    gives(&PAGE, [&base, &release, &put(&base)], &put(&release));

    // A blank line between is form.
    let spaced = put(&base).replace("</script>\n</body>", "</script>\n\n</body>");
    gives(&PAGE, [&base.replace("</body>", "\n</body>"), &spaced, &release], &put(&release));

    // It is as deep as the line in which the tag begins.
    let base_body = "<body>\n<div>\n{{ text }}\n</div>\n</body>\n";
    let open = "  <body class=\"home\"\n    data-sails=\"4\">\n";
    let rest = "    {% include \"top\" %}\n    <main>\n      {{ text }}\n    </main>\n  </body>\n";
    let site = base_body.replace("<div>", "<i>own</i>\n<div>");
    gives(&PAGE, [base_body, &site, &format!("{open}{rest}")], &format!("{open}  <i>own</i>\n{rest}"));
    let base_body = format!("{open}{rest}");
    let site = base_body.replace("  </body>", "<script>\n  own();\n</script>\n  </body>");
    let new = "<body>\n<h1>{{ title }}</h1>\n{{ text }}\n</body>\n";
    let all = new.replace("</body>", "<script>\n  own();\n</script>\n</body>");
    gives(&PAGE, [&base_body, &site, new], &all);

    // What stands alone in a body is put there once.
    let base_body = "<body onload=\"run()\">\n</body>\n";
    let site = base_body.replace("</body>", "<i>own</i>\n</body>");
    let new = "<body>\n<script src=\"run.js\"></script>\n</body>\n";
    gives(&PAGE, [base_body, &site, new], &new.replace("</body>", "<i>own</i>\n</body>"));

    // What else the site did is asked about as ever, in between.
    let site = put(&base).replace("Mill</h1>", "Own Mill</h1>");
    let merged = merge(&PAGE, &base, &site, &release);
    let [asked] = &merged.decisions[..] else { panic!("{}", text(&merged)) };
    let lines: Vec<&str> = text(&merged).lines().collect();
    assert_eq!((lines[asked.result.start], lines[asked.result.end - 1]), ("<<<<<<< site", ">>>>>>> release 2.0.0"));
    assert_eq!(site.lines().nth(asked.site.start), Some("<h1>Own Mill</h1>"));
    for (k, edit) in merged.edits.iter().enumerate() {
        let open = asked.edits.contains(&k);
        assert_eq!(open, edit.outcome == Outcome::Open);
        let [own, result] = [site.lines().collect(), lines.clone()];
        assert!(open || own[edit.site.clone()] == result[edit.result.clone()], "{edit:?}");
    }

    // A page that no longer has the place leaves it to a person.
    let parted = release.replace("</body>\n</html>", "{% include \"foot\" %}");
    asks(&PAGE, [&base, &put(&base), &parted], Reason::PlaceOpen);
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
fn what_is_put_beside_a_replaced_line_does_not_go_into_the_wrap_that_came_with_it() {
    let root = |inner: &str| format!(":root {{\n  --a: 1;\n{inner}  --d: 4;\n}}\n");
    let base = root("  --b: 2;\n  --c: 3;\n");
    let site = ":root {\n  --a: 1;\n  outline: 0;\n  @media print {\n    --c: 3;\n    --d: 4;\n  }\n}\n";
    let merged = merge(&STYLE, &base, site, &root("  --b: 2;\n  --new: 9;\n  --c: 3;\n"));
    let reasons: Vec<Reason> = merged.decisions.iter().map(|decision| decision.reason).collect();
    assert_eq!(reasons, [Reason::PlaceOpen, Reason::Paired]);
}

#[test]
fn the_end_of_a_wrap_stands_against_the_last_wrapped_line() {
    let base = "form label { top: 0; }\nform .glossary { left: 0; }\nform .nail { top: 1px; }\nform .nail i { top: 2px; }\n\
                form .last { left: 9px; }\n";
    let wrap = "@media print {\n\tform .glossary { left: 0; }\n}\n";
    let site = base.replace("form .glossary { left: 0; }\n", wrap);
    // The line behind it is one of two now, after a blank line: which is not told.
    let nails = "form .nail { top: 1px; }\nform .nail i { top: 2px; }\n";
    let release = base.replace(nails, "\nform .nail b { all: 3px; }\nform .nail .u { all: 4px; }\n\n");
    gives(&STYLE, [base, &site, &release], &release.replace("form .glossary { left: 0; }\n", wrap));
}
