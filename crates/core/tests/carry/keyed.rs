//! Settings by key and catalogs by entry: differences dealt out to the two sides come together again, whatever a
//! tool did to the site's file.

use daxle_core::formats::merge_file;
use daxle_core::merge::{MergeOptions, Reason, TextMerge};
use daxle_core::theme::Kind;
use proptest::prelude::*;
use serde_json::{Map, Value};

fn merge(path: &str, kind: Kind, base: &str, site: &str, release: &str) -> TextMerge {
    merge_file(path, kind, base.as_bytes(), site.as_bytes(), release.as_bytes(), &MergeOptions::default())
        .expect("text")
}

/// Settings in sections; `changed` says which key of which section has another value.
fn settings(changed: &[(usize, usize)], extra: &[usize]) -> Value {
    let mut root = Map::new();
    for s in 0..5 {
        let mut section = Map::new();
        for k in 0..4 {
            let value = if changed.contains(&(s, k)) { format!("new {s} {k}") } else { format!("old {s} {k}") };
            section.insert(format!("key_{k}"), Value::from(value));
        }
        if extra.contains(&s) {
            section.insert(format!("extra_{s}"), Value::from(s));
        }
        root.insert(format!("section_{s}"), Value::Object(section));
    }
    Value::Object(root)
}

fn keys() -> impl Strategy<Value = Vec<(usize, usize)>> {
    proptest::collection::vec((0..5usize, 0..4usize), 0..10)
}

const NONSENSE: &str = "([ab:=\\[\\]{}#,'\"|>&* -]{0,6}\n){0,5}";

#[derive(Clone, Copy, PartialEq)]
enum Format {
    Yaml,
    Toml,
    Ini,
}

impl Format {
    fn path(self) -> &'static str {
        match self {
            Format::Yaml => "s.yaml",
            Format::Toml => "s.toml",
            Format::Ini => "s.ini",
        }
    }
}

/// How a settings file is written.
#[derive(Clone, Copy)]
struct Style {
    format: Format,
    comments: bool,
    wide: bool,
    quotes: bool,
    backwards: bool,
}

impl Style {
    /// Five sections of four keys, some of them changed, some sections with one more key at their end.
    fn write(self, changed: &[(usize, usize)], extra: &[(&str, usize)]) -> String {
        let mut sections: Vec<String> = (0..5)
            .map(|s| {
                let mut keys: Vec<String> = (0..4)
                    .map(|k| {
                        let sort = if changed.contains(&(s, k)) { "new" } else { "old" };
                        let comment = if self.comments {
                            format!("{}# about {s} {k}\n", self.indent())
                        } else {
                            String::new()
                        };
                        comment + &self.pair(&format!("key_{k}"), &format!("{sort} {s} {k}"))
                    })
                    .collect();
                keys.extend(
                    extra
                        .iter()
                        .filter(|(_, at)| *at == s)
                        .map(|(name, at)| self.pair(&format!("{name}_{at}"), "more")),
                );
                if self.backwards {
                    keys.reverse();
                }
                let header = match self.format {
                    Format::Yaml => format!("section_{s}:\n"),
                    _ => format!("[section_{s}]\n"),
                };
                header + &keys.concat()
            })
            .collect();
        if self.backwards {
            sections.reverse();
        }
        sections.join("\n")
    }

    fn indent(self) -> &'static str {
        match (self.format, self.wide) {
            (Format::Yaml, false) => "  ",
            (Format::Yaml, true) => "    ",
            _ => "",
        }
    }

    fn pair(self, key: &str, value: &str) -> String {
        let quote = match (self.format, self.quotes) {
            (Format::Ini, _) | (Format::Yaml, false) => "",
            (Format::Yaml, true) => "'",
            (Format::Toml, false) => "'",
            (Format::Toml, true) => "\"",
        };
        let sign = if self.format == Format::Yaml { ":" } else { " =" };
        format!("{}{key}{sign} {quote}{value}{quote}\n", self.indent())
    }
}

proptest! {
    /// Every value changed by one side, or by both alike, arrives; keys that only one side added, too. The site's
    /// file may have been rewritten by a tool: sorted, on one line.
    #[test]
    fn dealt_settings_come_together_again(mine in keys(), theirs in keys(), tight in any::<bool>(), a in 0..5usize, b in 0..5usize) {
        let pretty = |v: &Value| serde_json::to_string_pretty(v).unwrap() + "\n";
        let (base, release) = (settings(&[], &[]), settings(&theirs, &[b]));
        let site = settings(&mine, &[a]);
        let site_text = if tight { site.to_string() } else { pretty(&site) };
        let merged = merge("s.json", Kind::Settings, &pretty(&base), &site_text, &pretty(&release));
        let both: Vec<_> = mine.iter().chain(&theirs).copied().collect();
        let mut expected = settings(&both, &[a, b]);
        expected.sort_all_objects();
        let mut got: Value = serde_json::from_slice(&merged.bytes).unwrap();
        got.sort_all_objects();
        prop_assert_eq!(got, expected);
        prop_assert!(merged.decisions.is_empty());
        // Lines that no edit of the site touches are the release's, byte for byte.
        let release_text = pretty(&release);
        let result = String::from_utf8(merged.bytes).unwrap();
        let untouched = release_text.lines().filter(|l| !l.contains("old") && l.contains("new")).count();
        let still = release_text.lines().filter(|l| l.contains("new") && result.contains(l.trim_end_matches(','))).count();
        prop_assert_eq!(still, untouched);
    }

    #[test]
    fn dealt_catalogs_come_together_again(mine in proptest::collection::btree_set(0..12usize, 0..6), theirs in proptest::collection::btree_set(0..12usize, 0..6), shuffled in any::<bool>()) {
        let catalog = |own: &dyn Fn(usize) -> String, reference: &str, backwards: bool| -> String {
            let mut entries: Vec<String> = (0..12)
                .map(|n| format!("\n#: {reference}:{n}\nmsgid \"message {n}\"\nmsgstr \"{}\"\n", own(n)))
                .collect();
            if backwards {
                entries.reverse();
            }
            format!("msgid \"\"\nmsgstr \"\"\n\"Language: pl\\n\"\n{}", entries.concat())
        };
        let old = |n: usize| format!("text {n}");
        let base = catalog(&old, "a.html", false);
        let site = catalog(&|n| if mine.contains(&n) { format!("own {n}") } else { old(n) }, "a.html", false);
        let release = catalog(&|n| if theirs.contains(&n) { format!("new {n}") } else { old(n) }, "b.html", shuffled);
        let merged = merge("pl.po", Kind::Catalog, &base, &site, &release);
        let text = String::from_utf8(merged.bytes.clone()).unwrap();
        for n in 0..12 {
            let wanted = match (mine.contains(&n), theirs.contains(&n)) {
                (true, _) => format!("own {n}"),
                (false, true) => format!("new {n}"),
                (false, false) => old(n),
            };
            let expected = format!("msgid \"message {n}\"\nmsgstr \"{wanted}\"\n");
            prop_assert!(text.contains(&expected), "{}\n{}", expected, text);
        }
        prop_assert_eq!(merged.decisions.len(), mine.intersection(&theirs).count());
        prop_assert!(!text.contains("a.html"), "references are the release's");
    }

    /// The same for formats of lines: what comes out is the release's text, byte for byte, with the site's values.
    #[test]
    fn dealt_lines_of_settings_come_together_again(mine in keys(), theirs in keys(), a in 0..5usize, b in 0..5usize, rewritten in any::<bool>(), wide in any::<bool>()) {
        let mine: Vec<_> = mine.into_iter().filter(|k| !theirs.contains(k)).collect();
        let both: Vec<_> = mine.iter().chain(&theirs).copied().collect();
        for format in [Format::Yaml, Format::Toml, Format::Ini] {
            let vendor = Style { format, comments: true, wide, quotes: true, backwards: false };
            let own = if rewritten { Style { comments: false, wide: !wide, quotes: false, backwards: true, ..vendor } } else { vendor };
            let base = vendor.write(&[], &[]);
            let site = own.write(&mine, &[("own", a)]);
            let release = vendor.write(&theirs, &[("new", b)]);
            let merged = merge(format.path(), Kind::Settings, &base, &site, &release);
            let text = String::from_utf8(merged.bytes).unwrap();
            prop_assert!(merged.decisions.is_empty(), "{}\n{}\n{:?}", site, text, merged.decisions);
            // A new key stands behind the one that it followed on the site; which of two comes first is open.
            let orders = [[("own", a), ("new", b)], [("new", b), ("own", a)]].map(|extra| vendor.write(&both, &extra));
            // A literal is written as on the side that it comes from.
            let bare = |t: &str| t.replace(['\'', '"'], "").lines().map(str::to_string).collect::<Vec<_>>();
            let mut sorted = [bare(&text), bare(&orders[0])];
            for list in &mut sorted { list.sort(); }
            if rewritten {
                prop_assert_eq!(&sorted[0], &sorted[1], "{}\n{}", site, text);
            } else {
                prop_assert!(orders.contains(&text), "{}\n{}", orders[0], text);
            }
        }
    }

    #[test]
    fn lines_of_nonsense_do_no_harm(base in NONSENSE, site in NONSENSE, release in NONSENSE) {
        for path in ["s.yml", "s.toml", "s.ini"] {
            merge(path, Kind::Settings, &base, &site, &release);
            prop_assert_eq!(merge(path, Kind::Settings, &base, &base, &release).bytes, release.as_bytes());
        }
    }

    #[test]
    fn nothing_panics_on_nonsense(base in "[{}\\[\\]\":,a1 \\n/*\\\\]{0,40}", site in "[{}\\[\\]\":,a1 \\n]{0,40}", release in "[{}\\[\\]\":,a1 \\n]{0,40}") {
        merge("s.json", Kind::Settings, &base, &site, &release);
        let po = |t: &str| t.replace('{', "msgid \"").replace('}', "\"\n").replace('[', "msgstr \"").replace(']', "\"\n\n");
        merge("x.po", Kind::Catalog, &po(&base), &po(&site), &po(&release));
    }
}

/// Base, site, release, and what must come out; whether a person is asked stands first.
#[test]
fn settings_as_tables() {
    let rows: [(bool, [&str; 4]); 9] = [
        (
            false,
            [
                "{\"a\": 1, \"b\": 2}",
                "{\"a\": 1, \"b\": 3}",
                "{\"b\": 2, \"a\": 1, \"c\": 4}",
                "{\"b\": 3, \"a\": 1, \"c\": 4}",
            ],
        ),
        (false, ["{\"a\": 1, \"b\": 2}", "{\"a\": 1}", "{\"a\": 5, \"b\": 2}", "{\"a\": 5}"]),
        (false, ["{\"l\": [1, 2]}", "{\"l\": [1, 2, 9]}", "{\"l\": [0, 1, 2]}", "{\"l\": [0, 1, 2, 9]}"]),
        (false, ["{\"l\": [1, 2, 3]}", "{\"l\": [1, 3]}", "{\"l\": [1, 2, 3, 4]}", "{\"l\": [1, 3, 4]}"]),
        (false, ["{\"n\": 1.0}", "{\"n\": 1}", "{\"n\": 1.0, \"m\": 64}", "{\"n\": 1.0, \"m\": 64}"]),
        (
            false,
            [
                "{\"s\": \"\\u00e9\"}",
                "{\"s\": \"é\", \"t\": 1}",
                "{\"s\": \"\\u00e9\"  }",
                "{\"s\": \"\\u00e9\", \"t\": 1  }",
            ],
        ),
        (true, ["{\"a\": 1}", "{\"a\": 2}", "{\"a\": \"x\"}", "{\"a\": 2}"]),
        (true, ["{\"a\": 1, \"b\": 2}", "{\"a\": 1}", "{\"a\": 1, \"b\": 3}", "{\"a\": 1, \"b\": 3}"]),
        (true, ["{\"a\": [1, [2]]}", "{\"a\": [1, [3]]}", "{\"a\": [1, [4]]}", "{\"a\": [1, [3]]}"]),
    ];
    for (asked, [base, site, release, expected]) in rows {
        let merged = merge("s.json", Kind::Settings, base, site, release);
        assert_eq!(String::from_utf8_lossy(&merged.bytes), expected, "{base} | {site} | {release}");
        assert_eq!(!merged.decisions.is_empty(), asked, "{base} | {site} | {release}");
    }
}

/// A group that the site renamed takes what the release did in it; what took the place of an item stands there.
#[test]
fn what_the_site_renamed_is_not_what_it_took_out() {
    let rows = [
        (
            "s.json",
            "{\n  \"menu\": {\n    \"open\": true,\n    \"depth\": 2\n  }\n}\n",
            ("menu", "navigation"),
            ("\"depth\": 2", "\"depth\": 3"),
        ),
        ("s.yaml", "menu:\n  open: true\n  depth: 2\n", ("menu", "navigation"), ("depth: 2", "depth: 3")),
        ("s.toml", "[menu]\nopen = true\ndepth = 2\n", ("menu", "navigation"), ("depth = 2", "depth = 3")),
        ("s.json", "[\n  \"one\",\n  \"two\"\n]\n", ("two", "own"), ("\"one\",", "\"one\",\n  \"new\",")),
        ("s.yaml", "l: [one, two]\n", ("two", "own"), ("one,", "one, new,")),
    ];
    for (path, base, (old, own), (was, now)) in rows {
        let (site, release) = (base.replace(old, own), base.replace(was, now));
        let merged = merge(path, Kind::Settings, base, &site, &release);
        assert_eq!(String::from_utf8_lossy(&merged.bytes), release.replace(old, own));
        assert!(merged.decisions.is_empty(), "{path}");
    }
}

#[test]
fn an_item_keeps_the_comment_of_one_side_and_the_value_of_the_other() {
    for (path, base, new, own) in [
        ("a.yaml", "list:\n  - first\n  - second # end\n", "# our end", "third"),
        ("a.jsonc", "{\n  \"list\": [\"first\", /* end */ \"second\"]\n}\n", "/* our end */", "third"),
    ] {
        let comment = if path == "a.yaml" { "# end" } else { "/* end */" };
        let (valued, commented) = (base.replace("second", own), base.replace(comment, new));
        for (site, release) in [(&valued, &commented), (&commented, &valued)] {
            let merged = merge(path, Kind::Settings, base, site, release);
            assert_eq!(String::from_utf8_lossy(&merged.bytes), valued.replace(comment, new));
            assert!(merged.decisions.is_empty(), "{:?}", merged.decisions);
        }
    }
}

/// Keys have nothing to say about it.
#[test]
fn a_comment_that_the_site_took_out_and_the_release_changed_is_a_question() {
    for (path, mark, rest) in
        [("s.yaml", "#", "a: 1\nb: on\n"), ("s.toml", "#", "a = 1\n"), ("s.ini", ";", "[s]\na = 1\n")]
    {
        let base = format!("{mark} of the mill\n\n{rest}");
        let release = base.replace("mill", "old mill").replace('1', "2");
        let merged = merge(path, Kind::Settings, &base, &format!("\n{rest}"), &release);
        assert_eq!(merged.decisions.iter().map(|d| d.reason).collect::<Vec<_>>(), [Reason::SiteDeleted], "{path}");
        assert_eq!(String::from_utf8_lossy(&merged.bytes), format!("\n{}", rest.replace('1', "2")));
    }
}
