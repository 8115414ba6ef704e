//! Settings written line by line, case by case: YAML, TOML and INI.

use daxle_core::formats::merge_file;
use daxle_core::merge::{MergeOptions, Outcome, TextMerge, Trust};
use daxle_core::theme::Kind;

/// One case: what the three versions are, and what comes out.
struct Case {
    what: &'static str,
    asked: bool,
    base: &'static str,
    site: &'static str,
    release: &'static str,
    result: &'static str,
}

fn merge(path: &str, base: &str, site: &str, release: &str) -> TextMerge {
    let bytes = [base, site, release].map(str::as_bytes);
    merge_file(path, Kind::Settings, bytes[0], bytes[1], bytes[2], &MergeOptions::default()).expect("text")
}

#[track_caller]
fn hold(path: &str, cases: &[Case]) {
    for case in cases {
        let merged = merge(path, case.base, case.site, case.release);
        assert_eq!(String::from_utf8_lossy(&merged.bytes), case.result, "{}", case.what);
        assert_eq!(!merged.decisions.is_empty(), case.asked, "{}: {:?}", case.what, merged.decisions);
        // Nothing that a side did alone is ever undone.
        let alone = merge(path, case.base, case.base, case.release);
        assert_eq!(alone.bytes, case.release.as_bytes(), "{}", case.what);
        let alone = merge(path, case.base, case.site, case.base);
        assert_eq!(alone.bytes, case.site.as_bytes(), "{}", case.what);
    }
}

#[test]
fn yaml() {
    hold(
        "s.yaml",
        &[
            Case {
                what: "a comment of the site's at a key that the release took away",
                asked: true,
                base: "a: 1\nright:\n  back: B\n  fwd: F\nkill: x\n",
                site: "a: 1\nright:\n  back: B\n  # ours\n  fwd: F\nkill: x\n",
                release: "a: 2\nkill: x\nmore: 1\n",
                result: "a: 2\nright:\n  back: B\n  # ours\n  fwd: F\nkill: x\nmore: 1\n",
            },
            Case {
                what: "neighbouring keys",
                asked: false,
                base: "a: 1\nb: 2\nc: 3\n",
                site: "a: 1\nb: 9\nc: 3\n",
                release: "a: 5\nb: 2\nc: 6\n",
                result: "a: 5\nb: 9\nc: 6\n",
            },
            Case {
                what: "one value, changed by both",
                asked: true,
                base: "colour: red\n",
                site: "colour: teal\n",
                release: "colour: blue\n",
                result: "colour: teal\n",
            },
            Case {
                what: "a key that moved with its section, changed by the site",
                asked: false,
                base: "menu:\n  open: no\nfoot:\n  text: old words\n  size: 3\n",
                site: "menu:\n  open: no\nfoot:\n  text: our words\n  size: 3\n",
                release: "foot:\n  size: 3\n  text: old words\nhead: new\nmenu:\n  open: no\n",
                result: "foot:\n  size: 3\n  text: our words\nhead: new\nmenu:\n  open: no\n",
            },
            Case {
                what: "two items at one spot of a list",
                asked: false,
                base: "menu:\n  - home\n  - news\n",
                site: "menu:\n  - home\n  - shop\n  - news\n",
                release: "menu:\n  - home\n  - blog\n  - news\n",
                result: "menu:\n  - home\n  - shop\n  - blog\n  - news\n",
            },
            Case {
                what: "items by their identity, whose first key stands behind the dash",
                asked: false,
                base: "l:\n- id: a\n  v: 1\n- id: b\n  v: 2\n",
                site: "l:\n- id: a\n  v: 1\n- id: b\n  v: 7\n",
                release: "l:\n- id: c\n  v: 0\n- id: b\n  v: 2\n  w: 3\n- id: a\n  v: 1\n",
                result: "l:\n- id: c\n  v: 0\n- id: b\n  v: 7\n  w: 3\n- id: a\n  v: 1\n",
            },
            Case {
                what: "a renamed key with a telling value",
                asked: false,
                base: "lead: A house with a story\nn: 1\n",
                site: "lead: A mill by the tide\nn: 1\n",
                release: "intro: A house with a story\nn: 1\n",
                result: "intro: A mill by the tide\nn: 1\n",
            },
            Case {
                what: "line ends are the release's",
                asked: false,
                base: "a: 1\nb: 2\n",
                site: "a: 1\nb: 3\nown: x\n",
                release: "a: 4\r\nb: 2\r\n",
                result: "a: 4\r\nb: 3\r\nown: x\r\n",
            },
            Case {
                what: "an anchor and its alias stay",
                asked: false,
                base: "a: &x 1\nb: *x\nc: 2\n",
                site: "a: &x 1\nb: *x\nc: 3\n",
                release: "a: &x 5\nb: *x\nc: 2\n",
                result: "a: &x 5\nb: *x\nc: 3\n",
            },
        ],
    );
}

#[test]
fn toml() {
    hold(
        "s.toml",
        &[
            Case {
                what: "a comment of the site's at a key that the release took away",
                asked: true,
                base: "a = 1\n[right]\nback = 2\n\n[kill]\nx = 1\n",
                site: "a = 1\n# ours\n[right]\nback = 2 # 3\n\n[kill]\nx = 1\n",
                release: "a = 2\n[kill]\nx = 1\n",
                result: "a = 2\n# ours\n[right]\nback = 2 # 3\n[kill]\nx = 1\n",
            },
            Case {
                what: "a new key of each side in one table",
                asked: false,
                base: "[a]\nx = 1\n",
                site: "[a]\nx = 1\nown = 2\n",
                release: "[a]\nx = 1\nnew = 3\n",
                result: "[a]\nx = 1\nnew = 3\nown = 2\n",
            },
            Case {
                what: "tables in another order, one value changed in one that moved",
                asked: false,
                base: "[a]\nx = 1\n\n[b]\ny = 2\n",
                site: "[a]\nx = 1\n\n[b]\ny = 5\n",
                release: "[b]\ny = 2\n\n[a]\nx = 0\n",
                result: "[b]\ny = 5\n\n[a]\nx = 0\n",
            },
            Case {
                what: "the type of a value changed under the site's",
                asked: true,
                base: "n = 1\n",
                site: "n = 2\n",
                release: "n = \"one\"\n",
                result: "n = 2\n",
            },
            Case {
                what: "tables of an array by their names",
                asked: false,
                base: "[[p]]\nname = \"a\"\nv = 1\n\n[[p]]\nname = \"b\"\nv = 2\n",
                site: "[[p]]\nname = \"a\"\nv = 1\n\n[[p]]\nname = \"b\"\nv = 9\n",
                release: "[[p]]\nname = \"b\"\nv = 2\n\n[[p]]\nname = \"a\"\nv = 0\n",
                result: "[[p]]\nname = \"b\"\nv = 9\n\n[[p]]\nname = \"a\"\nv = 0\n",
            },
            Case {
                what: "a literal is kept as it is written",
                asked: false,
                base: "big = 1_000\nd = 1979-05-27\nt = 'x'\n",
                site: "big = 1_000\nd = 1979-05-27\nt = '''y'''\n",
                release: "big = 0x3E8\nd = 1979-05-28\nt = 'x'\n",
                result: "big = 0x3E8\nd = 1979-05-28\nt = '''y'''\n",
            },
        ],
    );
}

type Items = Vec<[&'static str; 3]>;

/// A menu whose items nothing names, in a format: each item is a title, an address and a target.
fn menu(path: &str, items: &[[&str; 3]]) -> String {
    let written: Vec<String> = items
        .iter()
        .map(|[title, to, target]| match path {
            "s.yaml" => format!("  - title: {title}\n    to: /{to}\n    target: {target}\n"),
            "s.toml" => format!("  {{ title = \"{title}\", to = \"/{to}\", target = \"{target}\" }},\n"),
            _ => format!("    {{\"title\": \"{title}\", \"to\": \"/{to}\", \"target\": \"{target}\"}}"),
        })
        .collect();
    match path {
        "s.yaml" => format!("menu:\n{}end: 1\n", written.concat()),
        "s.toml" => format!("menu = [\n{}]\nend = 1\n", written.concat()),
        _ => format!("{{\n  \"menu\": [\n{}\n  ],\n  \"end\": 1\n}}\n", written.join(",\n")),
    }
}

#[test]
fn items_that_nothing_names_are_told_by_most_of_what_they_say() {
    let (home, news, shop) = (["Home", "", "self"], ["News", "news", "self"], ["Shop", "shop", "blank"]);
    let base = [home, news, shop];
    let cases: [(&str, bool, Items, Items, Items); 7] = [
        (
            "each changed another, and the release put one in",
            false,
            vec![home, ["Our news", "news", "self"], shop],
            vec![["Start", "", "self"], ["Tours", "tours", "top"], news, shop],
            vec![["Start", "", "self"], ["Tours", "tours", "top"], ["Our news", "news", "self"], shop],
        ),
        (
            "both changed one, each another part of it",
            false,
            vec![home, ["Our news", "news", "self"], shop],
            vec![home, ["News", "news", "blank"], shop],
            vec![home, ["Our news", "news", "blank"], shop],
        ),
        (
            "both put one in, and the site took one out",
            false,
            vec![home, shop, ["Mill", "mill", "self"]],
            vec![home, news, ["Stay", "stay", "top"], shop],
            vec![home, ["Stay", "stay", "top"], shop, ["Mill", "mill", "self"]],
        ),
        (
            "the site put another in the place of one, and the release put one in before it",
            false,
            vec![home, ["Stay", "stay", "top"], shop],
            vec![home, ["Mill", "mill", "none"], news, shop],
            vec![home, ["Mill", "mill", "none"], ["Stay", "stay", "top"], shop],
        ),
        (
            "one part, changed by both",
            true,
            vec![home, ["Our news", "news", "self"], shop],
            vec![home, ["Fresh news", "news", "self"], shop],
            vec![home, ["Our news", "news", "self"], shop],
        ),
        (
            "the site took out what the release changed",
            true,
            vec![home, shop],
            vec![home, ["News", "new", "self"], shop],
            vec![home, ["News", "new", "self"], shop],
        ),
        (
            "another order is a will of its own",
            true,
            vec![news, home, shop],
            vec![home, news, ["Shops", "shop", "blank"]],
            vec![news, home, shop],
        ),
    ];
    for path in ["s.json", "s.yaml", "s.toml"] {
        for (what, asked, site, release, result) in &cases {
            let [base, site, release] = [&base[..], site, release].map(|items| menu(path, items));
            let merged = merge(path, &base, &site, &release);
            assert_eq!(!merged.decisions.is_empty(), *asked, "{path}, {what}: {:?}", merged.decisions);
            if !asked || path != "s.toml" {
                assert_eq!(String::from_utf8_lossy(&merged.bytes), menu(path, result), "{path}, {what}");
            }
        }
    }
}

#[test]
fn ini() {
    hold(
        "s.ini",
        &[
            Case {
                what: "a comment of the site's at a key that the release took away",
                asked: true,
                base: "[right]\nback = B\nfwd = F\n",
                site: "[right]\nback = B\n; ours\nfwd = F\n",
                release: "[right]\nback = C\n",
                result: "[right]\nback = C\n; ours\nfwd = F\n",
            },
            Case {
                what: "neighbouring keys and another order",
                asked: false,
                base: "[a]\nx = 1\ny = 2\nz = 3\n",
                site: "[a]\nx = 1\ny = 5\nz = 3\n",
                release: "[a]\nz = 4\ny = 2\nx = 1\n",
                result: "[a]\nz = 4\ny = 5\nx = 1\n",
            },
            Case {
                what: "a section of each side",
                asked: false,
                base: "[a]\nx = 1\n",
                site: "[a]\nx = 1\n\n[own]\nk = v\n",
                release: "[a]\nx = 1\n\n[new]\nk = w\n",
                result: "[a]\nx = 1\n\n[new]\nk = w\n\n[own]\nk = v\n",
            },
            Case {
                what: "a key that the release dropped and the site changed",
                asked: true,
                base: "[a]\nx = 1\ny = 2\n",
                site: "[a]\nx = 1\ny = 3\n",
                release: "[a]\nx = 1\n",
                result: "[a]\nx = 1\ny = 3\n",
            },
            Case {
                what: "a key that the site dropped",
                asked: false,
                base: "; head\n[a]\nx = 1\n; about y\ny = 2\n",
                site: "; head\n[a]\nx = 1\n",
                release: "; head\n[a]\nx = 5\n; about y\ny = 2\n",
                result: "; head\n[a]\nx = 5\n",
            },
        ],
    );
}

#[test]
fn a_file_that_a_tool_rewrote_costs_no_question() {
    let base = "# Colours\naccent: \"#8a4b1f\"\n\n# Sizes, in steps\nsizes:\n    small: 1\n    large: 4\n";
    let site = "sizes:\n  large: 4\n  small: 2\naccent: '#8a4b1f'\n";
    let release =
        "# Colours\naccent: \"#7d4216\"\n\n# Sizes, in steps\nsizes:\n    small: 1\n    large: 5\n    huge: 8\n";
    let merged = merge("s.yml", base, site, release);
    let expected = release.replace("small: 1", "small: 2");
    assert_eq!(String::from_utf8(merged.bytes).unwrap(), expected);
    assert!(merged.decisions.is_empty());
    assert!(merged.edits.iter().all(|e| matches!(e.outcome, Outcome::Kept | Outcome::Fitted)));
}

#[test]
fn comments_of_the_sites_arrive_whatever_the_way() {
    let (base, release) = ("a: 1\nb: 2\nc: 3\n", "c: 3\nb: 4\na: 1\n");
    let site = "# why a is one\na: 1 # indeed\nb: 2\nc: 5\n# the end\n";
    let merged = merge("s.yaml", base, site, release);
    let text = String::from_utf8(merged.bytes).unwrap();
    for comment in ["# why a is one\na: 1 # indeed\n", "# the end\n", "c: 5\n", "b: 4\n"] {
        assert!(text.contains(comment), "{text}");
    }
}

#[test]
fn strict_trust_goes_by_lines_only() {
    let options = MergeOptions { trust: Trust::Strict, ..MergeOptions::default() };
    let merged =
        merge_file("s.ini", Kind::Settings, b"x = 1\ny = 2\n", b"x = 3\ny = 2\n", b"x = 1\ny = 4\n", &options)
            .unwrap();
    assert_eq!(merged.decisions.len(), 1, "touching lines are one question");
}

#[test]
fn what_cannot_be_read_is_merged_as_text() {
    for (path, base) in
        [("s.yaml", "a: [1\nb: 2\nc: 3\n"), ("s.toml", "a = = 1\nb = 2\nc = 3\n"), ("s.ini", "[a\nb = 2\nc = 3\n")]
    {
        let (site, release) = (base.replace('3', "4"), format!("# new\n{base}"));
        let merged = merge(path, base, &site, &release);
        assert_eq!(String::from_utf8(merged.bytes).unwrap(), format!("# new\n{site}"), "{path}");
    }
}
