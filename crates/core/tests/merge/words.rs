//! Merges within a line, as tables: what is done, and what is asked.

use daxle_core::merge::Dialect;

use crate::{PAGE, SCRIPT, STYLE, merge, text};

/// Base, site, release, and what must come out; nothing where a person must be asked.
type Row = [&'static str; 4];

#[track_caller]
fn check(dialect: &Dialect, rows: &[Row]) {
    for [base, site, release, expected] in rows {
        for (first, second) in [(site, release), (release, site)] {
            let merged = merge(dialect, &format!("{base}\n"), &format!("{first}\n"), &format!("{second}\n"));
            if expected.is_empty() {
                assert_eq!(merged.decisions.len(), 1, "{base} | {first} | {second} gives {}", text(&merged));
            } else {
                assert!(merged.decisions.is_empty(), "{base} | {first} | {second} is asked");
                assert_eq!(text(&merged).trim_end(), *expected, "{base} | {first} | {second}");
            }
        }
    }
}

#[test]
fn attributes_and_text() {
    check(
        &PAGE,
        &[
            [
                "<img src=\"a.png\" alt=\"The mill\">",
                "<img src=\"b.png\" alt=\"The mill\">",
                "<img src=\"a.png\" alt=\"Our mill\">",
                "<img src=\"b.png\" alt=\"Our mill\">",
            ],
            [
                "<h1 class=\"big\">Welcome to all</h1>",
                "<h1 class=\"big own\">Welcome to all</h1>",
                "<h1 class=\"big\">Welcome to everybody</h1>",
                "<h1 class=\"big own\">Welcome to everybody</h1>",
            ],
            [
                "<p style=\"top: 0; left: 1px\">Words here</p>",
                "<p style=\"top: 5px; left: 1px\">Words here</p>",
                "<p style=\"top: 0; left: 2px\">Words here</p>",
                "<p style=\"top: 5px; left: 2px\">Words here</p>",
            ],
            [
                "<a href=\"/x\" class=\"n\"><i class=\"icon\"></i> Shop</a>",
                "<a href=\"/x\" class=\"n\"><i class=\"icon own\"></i> Shop</a>",
                "<a href=\"/y\" class=\"n\"><i class=\"icon\"></i> Shop</a>",
                "<a href=\"/y\" class=\"n\"><i class=\"icon own\"></i> Shop</a>",
            ],
            [
                "<input name=\"q\" required>",
                "<input name=\"q\">",
                "<input name=\"q\" required autofocus>",
                "<input name=\"q\" autofocus>",
            ],
            ["<a href=\"/x\">Shop</a>", "<a href=\"/y\">Shop</a>", "<a href=\"/z\">Shop</a>", ""],
            ["<h2>Our news</h2>", "<h2>The news</h2>", "<h2>All the news</h2>", ""],
            [
                "<b title=\"one two three\">x</b>",
                "<b title=\"own two three\">x</b>",
                "<b title=\"one two new\">x</b>",
                "<b title=\"own two new\">x</b>",
            ],
            [
                "<a href=\"/one/two/three\">x</a>",
                "<a href=\"/own/two/three\">x</a>",
                "<a href=\"/one/two/new\">x</a>",
                "",
            ],
        ],
    );
}

#[test]
fn template_tags() {
    check(
        &PAGE,
        &[
            [
                "<p>{{ page.title }} by {{ page.author }}</p>",
                "<p>{{ page.heading }} by {{ page.author }}</p>",
                "<p>{{ page.title }} by {{ page.author.name }}</p>",
                "<p>{{ page.heading }} by {{ page.author.name }}</p>",
            ],
            [
                "{% for item in news.latest(3) %}",
                "{% for entry in news.latest(3) %}",
                "{% for item in news.latest(5) %}",
                "{% for entry in news.latest(5) %}",
            ],
            ["{{ price|money }}", "{{ price|euro }}", "{{ price|pounds }}", ""],
        ],
    );
}

#[test]
fn declarations_are_one_value_each() {
    check(
        &STYLE,
        &[
            [
                ".a { color: red; top: 0; left: 1px; }",
                ".a { color: teal; top: 0; left: 1px; }",
                ".a { color: red; top: 0; left: 2px; }",
                ".a { color: teal; top: 0; left: 2px; }",
            ],
            [
                "@media (min-width: 40em) { .a { top: 0; } }",
                "@media (min-width: 40em) { .a { top: 1px; } }",
                "@media (min-width: 48em) { .a { top: 0; } }",
                "@media (min-width: 48em) { .a { top: 1px; } }",
            ],
            ["margin: 1px 2px 3px 4px;", "margin: 9px 2px 3px 4px;", "margin: 1px 2px 3px 8px;", ""],
            ["color: rgba(0, 0, 0, .5);", "color: rgba(9, 0, 0, .5);", "color: rgba(0, 0, 0, .8);", ""],
        ],
    );
}

#[test]
fn arguments_and_strings() {
    check(
        &SCRIPT,
        &[
            [
                "const open = start(first, second, third);",
                "const open = start(own, second, third);",
                "const open = start(first, second, fourth);",
                "const open = start(own, second, fourth);",
            ],
            [
                "if (menu && menu.open) { close(menu); }",
                "if (menu && menu.ready) { close(menu); }",
                "if (menu && menu.open) { hide(menu); }",
                "if (menu && menu.ready) { hide(menu); }",
            ],
            [
                "say('good day to all');",
                "say('good night to all');",
                "say('good day to you');",
                "say('good night to you');",
            ],
            ["say('good day');", "say('good night');", "say('bad day');", ""],
            ["const count = 3;", "const count = 4;", "const count = 5;", ""],
        ],
    );
}

#[test]
fn whole_tags_side_by_side() {
    check(
        &PAGE,
        &[
            [
                "<li class=\"a\"><a href=\"/x\">Go</a></li>",
                "<li class=\"a own\"><a href=\"/x\">Go</a></li>",
                "<li class=\"a\"><a href=\"/y\">Go</a></li>",
                "<li class=\"a own\"><a href=\"/y\">Go</a></li>",
            ],
            [
                "<br><hr class=\"thin\"><p>Text of it</p>",
                "<br><hr class=\"thick\"><p>Text of it</p>",
                "<br><hr class=\"thin\"><p>Text of all</p>",
                "<br><hr class=\"thick\"><p>Text of all</p>",
            ],
        ],
    );
}
