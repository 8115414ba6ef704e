//! What a survey finds, and what a proof says of any result.

use std::collections::BTreeMap;

use daxle_core::carry::{CarryOptions, Evidence, verify};
use daxle_core::changes::{Origin, What, survey};
use daxle_core::theme::{Kind, Layout, MemoryTree};

use crate::{Files, run, theme};

fn surveyed(
    base: &[(&str, &str)],
    site: &[(&str, &str)],
    layout: &str,
) -> Vec<(String, Kind, What, Origin, usize, usize)> {
    let tree = |f: &[(&str, &str)]| MemoryTree::new(theme(f));
    let found = survey(&tree(base), &tree(site), &Layout::parse(layout).unwrap()).unwrap();
    let row = |c: &daxle_core::changes::Change| {
        (c.path.clone(), c.kind, c.what, c.origin, c.lines_removed(), c.lines_added())
    };
    found.changes().map(row).collect()
}

const PAGE: &str = "<html>\n<head>\n<title>The mill page</title>\n</head>\n<body class=\"x\">\n<p>Words of the page</p>\n</body>\n</html>\n";

#[test]
fn snippets_are_told_from_edits_at_every_edge_of_a_page() {
    let script = "<script src=\"https://count.example/c.js\"></script>\n";
    for (before, snippet) in [("</head>", true), ("<p>Words", true), ("</body>", true), ("<title>", false)] {
        let expected = if snippet { Origin::Snippet } else { Origin::Hand };
        let own = PAGE.replace(before, &format!("{script}{before}"));
        let found = surveyed(&[("p.html", PAGE)], &[("p.html", &own)], "");
        let head = before == "<title>";
        // Right behind the opening of the head is an edge as well.
        let expected = if head { Origin::Snippet } else { expected };
        assert_eq!(found, [("p.html".into(), Kind::Template, What::Edited, expected, 0, 1)], "{before}");
    }
    let own = PAGE.replace("<p>Words", "<p>More</p>\n<p>Words");
    assert_eq!(surveyed(&[("p.html", PAGE)], &[("p.html", &own)], "")[0].3, Origin::Hand);
}

#[test]
fn fonts_are_marked_as_file_and_as_use() {
    let css = "a {\n  top: 0;\n}\n";
    let own = format!("{css}@font-face {{\n  font-family: x;\n}}\n");
    let found = surveyed(&[("a.css", css)], &[("a.css", &own), ("f/x.woff2", "\0font")], "");
    let marks: Vec<(Kind, Origin)> = found.iter().map(|c| (c.1, c.3)).collect();
    assert_eq!(marks, [(Kind::Style, Origin::Font), (Kind::Font, Origin::Font)]);
}

#[test]
fn the_layout_says_what_a_file_is() {
    let rules = "[layout.kinds]\n'words/*.txt' = 'catalog'\n'**/*.inc' = 'template'\n";
    let found = surveyed(
        &[("words/a.txt", "x\n"), ("a/b.inc", "x\n")],
        &[("words/a.txt", "y\n"), ("a/b.inc", "y\n")],
        rules,
    );
    assert_eq!(found.iter().map(|c| c.1).collect::<Vec<_>>(), [Kind::Template, Kind::Catalog]);
}

#[test]
fn white_space_is_one_change_apart() {
    let css = "a {\n  top: 0;\n  left: 0;\n}\n";
    let own = css.replace("  ", "\t").replace("left: 0", "left: 9px").replace('\n', "\r\n");
    let found = surveyed(&[("a.css", css)], &[("a.css", &own)], "");
    let whats: Vec<What> = found.iter().map(|c| c.2).collect();
    assert_eq!(whats, [What::Edited, What::Whitespace]);
}

#[test]
fn what_both_renamed_and_edited_is_two_changes() {
    let text: String = (0..14).map(|n| format!("<p>paragraph number {n}</p>\n")).collect();
    let own = text.replace("number 4<", "number four<");
    let found = surveyed(&[("old.html", &text)], &[("new.html", &own)], "");
    assert_eq!(found.iter().map(|c| c.2).collect::<Vec<_>>(), [What::Renamed, What::Edited]);
}

/// The proof of results over many forms of change at once, file by file.
#[test]
fn the_proof_accepts_every_sort_of_outcome() {
    let page: String = (0..20).map(|n| format!("<p class=\"k{n}\">paragraph number {n}</p>\n")).collect();
    let with = |pairs: &[(&str, &str)]| pairs.iter().fold(page.clone(), |t, (a, b)| t.replace(a, b));
    let cases: [(&str, String, String); 8] = [
        ("clear.html", with(&[("number 2<", "own 2<")]), with(&[("number 12<", "new 12<")])),
        ("near.html", with(&[("number 2<", "own 2<")]), with(&[("number 3<", "new 3<")])),
        (
            "same.html",
            with(&[("number 2<", "same 2<")]),
            with(&[("number 2<", "same 2<"), ("number 9<", "new 9<")]),
        ),
        ("asked.html", with(&[("number 2<", "own 2<")]), with(&[("number 2<", "new 2<")])),
        ("words.html", with(&[("\"k2\"", "\"k2 own\"")]), with(&[("number 2<", "new 2<")])),
        ("gone.html", with(&[("<p class=\"k5\">paragraph number 5</p>\n", "")]), with(&[("number 9<", "new 9<")])),
        ("form.html", with(&[("number 2<", "own 2<")]), page.replace('\n', "\r\n").replace("<p", "    <p")),
        ("moved.html", with(&[("number 2<", "own 2<")]), {
            let lines: Vec<&str> = page.lines().collect();
            [&lines[6..], &lines[..6]].concat().join("\n") + "\n"
        }),
    ];
    let files = |pick: &dyn Fn(&(&str, String, String)) -> String| -> Files {
        cases.iter().map(|c| (c.0.to_string(), pick(c))).collect()
    };
    let (base, site, release) = (files(&|_| page.clone()), files(&|c| c.1.clone()), files(&|c| c.2.clone()));
    let out = run(&base, &site, &release, CarryOptions::default());
    let outcomes: BTreeMap<&str, String> =
        out.account.changes.iter().map(|c| (c.path.as_str(), c.outcome.to_string())).collect();
    let expected = [
        ("asked.html", "open"),
        ("clear.html", "kept"),
        ("form.html", "fitted"),
        ("gone.html", "kept"),
        ("moved.html", "moved"),
        ("near.html", "fitted"),
        ("same.html", "already"),
        ("words.html", "fitted"),
    ];
    assert_eq!(outcomes, expected.map(|(p, o)| (p, o.to_string())).into_iter().collect());
    let tree = |f: &Files| MemoryTree::new(f.clone());
    let (base, site, release) = (tree(&base), tree(&site), tree(&release));
    let result = MemoryTree::new(out.files);
    let evidence = Evidence { base: &base, site: &site, release: &release, result: &result };
    let proof = verify(&out.account, &evidence).unwrap();
    assert_eq!(proof.findings, []);
    assert_eq!(proof.account, out.account, "nothing was settled by looking");
}
