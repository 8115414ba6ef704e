//! No word of either side is lost: wherever in a file of settings it stands, and whatever becomes of the files of a
//! theme.

use daxle_core::carry::account::{Account, Answer, Blob, Decision, Take};
use daxle_core::carry::{CarryOptions, FindingKind, Since};
use daxle_core::formats::merge_file;
use daxle_core::merge::{Leave, MergeOptions, TextDecision, TextMerge};
use daxle_core::theme::Kind;
use proptest::prelude::*;

use crate::settle::Desk;
use crate::{Files, run};

/// One file of each format, with every sort of line.
const FILES: [(&str, &str); 5] = [
    (
        "s.yaml",
        "# head\n# of file\n\ntop: one\nname: 'said so' # beside\n\n# about list\nlist:\n  - first\n  # within\n  - second # end\n\nnested:\n  # above\n  alpha: red\n  beta:\n    gamma: blue\n    delta: |\n      many lines\n      of text\n    flow: [left, right]\n    map: {inner: low, outer: high}\n\nitems:\n  - id: north\n    text: cold\n  # item\n  - id: south\n    text: warm\n\nmenu:\n  - title: upper\n    to: high\n    way: over\n  # between\n  - title: lower\n    to: deep\n    way: under\n\n# tail\n",
    ),
    (
        "s.toml",
        "# head\n# of file\n\ntop = \"one\"\nname = 'said so' # beside\n\n# about list\nlist = [\n  \"first\",\n  # within\n  \"second\", # end\n]\n\n# section\n[nested]\n# above\nalpha = \"red\"\n\n[deeper] # behind\ngamma = \"blue\"\ndelta = \"\"\"\nmany lines\nof text\n\"\"\"\nflow = [\"left\", \"right\"]\nmap = {inner = \"low\", outer = \"high\"}\nmenu = [\n  {title = \"upper\", to = \"top\", way = \"over\"},\n  # between\n  {title = \"lower\", to = \"deep\", way = \"under\"},\n]\n\n[[items]]\nid = \"north\"\ntext = \"cold\"\n\n# item\n[[items]]\nid = \"south\"\ntext = \"warm\"\n\n# tail\n",
    ),
    (
        "s.ini",
        "; head\n; of file\n\ntop = one\nname = said so\n\n; section\n[nested]\n; above\nalpha = red\ngamma = blue\n\n# other\n[items]\nnorth = cold\n# item\nsouth = warm\n; tail\n",
    ),
    (
        "s.json",
        "{\n  \"top\": \"one\",\n  \"name\": \"said so\",\n  \"list\": [\n    \"first\",\n    \"second\"\n  ],\n  \"nested\": {\n    \"alpha\": \"red\",\n    \"beta\": {\n      \"gamma\": \"blue\",\n      \"flow\": [\"left\", \"right\"],\n      \"map\": {\"inner\": \"low\", \"outer\": \"high\"}\n    }\n  },\n  \"items\": [\n    {\n      \"id\": \"north\",\n      \"text\": \"cold\"\n    },\n    {\n      \"id\": \"south\",\n      \"text\": \"warm\"\n    }\n  ],\n  \"menu\": [\n    {\n      \"title\": \"upper\",\n      \"to\": \"top\",\n      \"way\": \"over\"\n    },\n    {\"title\": \"lower\", \"to\": \"deep\", \"way\": \"under\"}\n  ]\n}\n",
    ),
    (
        "s.jsonc",
        "// head\n/* of file */\n{\n  // about top\n  \"top\": \"one\", // beside\n  /* before name */ \"name\": \"said so\",\n  \"list\": [\n    // within\n    \"first\", // end\n    \"second\"\n    // last\n  ],\n\n  // about nested\n  \"nested\": {\n    \"alpha\": /* odd */ \"red\",\n    \"beta\": {\n      \"gamma\": \"blue\",\n      \"flow\": [\"left\", /* mid */ \"right\"],\n      \"map\": {\"inner\": \"low\", \"outer\": \"high\"}\n    }\n    // bottom\n  }\n}\n// tail\n",
    ),
];

/// The text with letters put into some of its words; and those letters.
fn with_words(text: &str, at: &[usize], word: &str) -> (String, Vec<String>) {
    with_words_where(text, at, word, |_, _| true)
}

/// The same, for words that fit; they are told by the text and the place of their last letter.
fn with_words_where(
    text: &str,
    at: &[usize],
    word: &str,
    fits: impl Fn(&str, usize) -> bool,
) -> (String, Vec<String>) {
    let is_word = |k: usize| text.as_bytes().get(k).is_some_and(u8::is_ascii_alphabetic);
    let ends = (1..text.len()).filter(|k| is_word(*k) && !is_word(*k + 1));
    let inside: Vec<usize> = ends.filter(|k| fits(text, *k)).collect();
    let mut places: Vec<usize> = at.iter().map(|at| inside[at % inside.len()]).collect();
    places.sort_unstable();
    places.dedup();
    let words: Vec<String> = (0..places.len()).map(|n| format!("{word}{}x", char::from(b'a' + n as u8))).collect();
    let mut result = text.to_string();
    for (place, word) in places.iter().zip(&words).rev() {
        result.insert_str(*place, word);
    }
    (result, words)
}

/// Tells whether a word in a file of settings is no name of a key, a section or an item.
fn is_value(text: &str, last: usize) -> bool {
    let (before, behind) = (&text[..=last], text[last + 1..].trim_start_matches(['"', '\'']));
    let line = before.rsplit('\n').next().unwrap_or_default().trim_start_matches([' ', '-', '"']);
    !behind.starts_with([':', '='])
        && !behind.starts_with(" =")
        && !line.starts_with('[')
        && !line.starts_with("id")
}

/// The paragraph `at` taken out, or none.
fn without(text: &str, at: usize) -> String {
    let paragraphs: Vec<&str> = text.split("\n\n").collect();
    let kept: Vec<&str> = paragraphs.iter().enumerate().filter(|(k, _)| *k != at).map(|(_, p)| *p).collect();
    kept.join("\n\n")
}

proptest! {
    #[test]
    fn no_word_of_settings_is_lost(file in 0..FILES.len(), site in places(), release in places(), dropped in 0..24usize, wide in any::<bool>()) {
        let (path, base) = FILES[file];
        let (site, own) = with_words(base, &site, "own");
        let (release, new) = with_words(base, &release, "new");
        let release = if path.starts_with("s.json") { release } else { without(&release, dropped) };
        let release = if wide { release.replace("\n  ", "\n    ") } else { release };
        let merged = merged(path, base, &site, &release);
        let result = String::from_utf8_lossy(&merged.bytes).into_owned();
        let asked = |of: fn(&TextDecision) -> &Vec<u8>| -> String {
            merged.decisions.iter().map(|d| String::from_utf8_lossy(of(d)).into_owned()).collect()
        };
        let (mine, theirs) = (asked(|d| &d.site_text), asked(|d| &d.release_text));
        for word in &own {
            prop_assert!(result.contains(word) || mine.contains(word), "{word} of the site\n{site}---\n{release}---\n{result}");
        }
        for word in new.iter().filter(|word| release.contains(*word)) {
            prop_assert!(result.contains(word) || theirs.contains(word), "{word} of the release\n{site}---\n{release}---\n{result}");
        }
    }

    /// A word on each side, and one that both changed.
    #[test]
    fn a_word_that_both_changed_is_asked_about(file in 0..FILES.len(), at in 0..500usize, mine in 0..500usize, theirs in 0..500usize, wide in any::<bool>()) {
        let (path, base) = FILES[file];
        let (base, _) = with_words(base, &[at], "was");
        let (site, _) = with_words(&base.replace("wasax", "ownax"), &[mine], "my");
        let (release, _) = with_words(&base.replace("wasax", "newax"), &[theirs], "their");
        let release = if wide { release.replace("\n  ", "\n    ") } else { release };
        let merged = merged(path, &base, &site, &release);
        let result = String::from_utf8_lossy(&merged.bytes).into_owned();
        prop_assert!(!merged.decisions.is_empty(), "{site}---\n{release}---\n{result}");
    }
}

fn places() -> impl Strategy<Value = Vec<usize>> {
    proptest::collection::vec(0..500usize, 0..5)
}

fn merged(path: &str, base: &str, site: &str, release: &str) -> TextMerge {
    let [base, site, release] = [base, site, release].map(str::as_bytes);
    merge_file(path, Kind::Settings, base, site, release, &MergeOptions::default()).expect("text")
}

/// A theme with files of every kind; files of a kind have much in common.
fn a_theme() -> Files {
    theme_with(|_| "")
}

/// The same; `own` is a word that each file has in all its lines.
fn theme_with(own: impl Fn(usize) -> &'static str) -> Files {
    let mut files: Files = vec![("short.txt".into(), "one\n".into())];
    for n in 0..3 {
        let own = own(n);
        let section = |k: usize| {
            format!(
                "<section class=\"part{n} {own}piece{k}\">\n  <h2>{own}Title {n} of {k}</h2>\n  <p>Words on {own}thing {n} and {k}</p>\n</section>\n\n"
            )
        };
        let rule = |k: usize| format!(".box{n}-{k} {{\n  color: {own}red{k};\n  margin: {k}px {own};\n}}\n\n");
        let act = |k: usize| {
            format!(
                "function act{n}of{k}(one) {{\n  const {own}value = one + {k};\n  return done{n}({own}value);\n}}\n\n"
            )
        };
        files.extend([
            (format!("pages/page{n}.html"), (0..5).map(section).collect()),
            (format!("css/style{n}.css"), (0..5).map(rule).collect()),
            (format!("js/script{n}.js"), (0..5).map(act).collect()),
            (format!("doc/notes{n}.txt"), format!("Note number {n}\nSome words here\nMore words there\n")),
        ]);
    }
    for (path, text) in FILES {
        files.push((format!("set/{path}"), text.to_string()));
    }
    files
}

/// What a side does to a file, and where.
type Deed = (usize, usize);

/// The theme as a side has it after its deeds, one list for each file; and the words that it put in and has.
fn after_deeds(base: &Files, deeds: &[Vec<Deed>], word: &str) -> (Files, Vec<String>) {
    after_deeds_where(base, deeds, word, |_, _| true)
}

/// The same, with letters in words that fit.
fn after_deeds_where(
    base: &Files,
    deeds: &[Vec<Deed>],
    word: &str,
    fits: impl Fn(&str, usize) -> bool,
) -> (Files, Vec<String>) {
    let mut files = Files::new();
    let mut words = Vec::new();
    for (n, ((path, text), deeds)) in base.iter().zip(deeds).enumerate() {
        let (mut path, mut text) = (path.clone(), text.clone());
        let mut gone = false;
        let is_set = path.starts_with("set/");
        let named = |part: &str| path.replace(|c: char| c.is_ascii_digit(), part);
        let (renamed, part, copy) = (named("New"), named("Part"), named("Copy"));
        for &(deed, at) in deeds {
            match deed {
                0 => gone = true,
                1 => path = path.replace("pages/", "views/").replace("css/", "styles/"),
                2 => path.clone_from(&renamed),
                3 => path = path.to_uppercase(),
                4 => text = text.replace("\r", "").replace('\n', "\r\n"),
                5 if !is_set => text = text.replace("\n  ", "\n\t"),
                5 => {}
                6 => text = text.trim_end().to_string(),
                7 => files.push((copy.clone(), text.clone())),
                8 => {
                    if let Some(half) = text[..text.len() / 2].rfind("\n\n") {
                        files.push((part.clone(), text.split_off(half + 2)));
                    }
                }
                _ => {
                    let word = format!("{word}{}", char::from(b'a' + n as u8));
                    let is_free = |text: &str, at: usize| !is_set || fits(text, at);
                    let (said, put) = with_words_where(&text, &[at], &word, is_free);
                    text = said;
                    words.extend(put);
                }
            }
        }
        if !gone {
            files.push((path, text));
        }
    }
    // The first of one name stands.
    let mut names = std::collections::HashSet::new();
    files.retain(|(path, _)| names.insert(path.clone()));
    words.retain(|word| files.iter().any(|(_, text)| text.contains(word)));
    (files, words)
}

fn deeds() -> impl Strategy<Value = Vec<Vec<Deed>>> {
    let deed = (0..20usize, 0..500usize);
    let files = a_theme().len();
    proptest::collection::vec(proptest::collection::vec(deed, 0..3), files..files + 1)
}

proptest! {
    #[test]
    fn no_word_of_a_theme_is_lost(mine in deeds(), theirs in deeds(), leave in 0..3usize) {
        let base = a_theme();
        let (site, own) = after_deeds(&base, &mine, "own");
        let (release, new) = after_deeds(&base, &theirs, "new");
        let leave = [Leave::Markers, Leave::Site, Leave::Release][leave];
        let out = run(&base, &site, &release, CarryOptions { leave, ..CarryOptions::default() });
        let results: String = out.files.values().chain(out.aside.values()).cloned().collect();
        for (words, side) in [(own, (|d| &d.site) as fn(&Decision) -> &Blob), (new, |d| &d.release)] {
            let asked: Vec<Vec<u8>> = out.account.decisions.iter().filter_map(|d| side(d).bytes()).map(|b| b.to_vec()).collect();
            let asked = String::from_utf8_lossy(&asked.concat()).into_owned();
            for word in words {
                prop_assert!(results.contains(&word) || asked.contains(&word), "{word}");
            }
        }
    }
}

proptest! {
    #[test]
    fn an_answer_takes_no_word_of_another_place(mine in deeds(), theirs in deeds(), side in any::<bool>(), leave in 0..3usize) {
        let base = a_theme();
        let (site, own) = after_deeds(&base, &mine, "own");
        let (release, new) = after_deeds(&base, &theirs, "new");
        let leave = [Leave::Markers, Leave::Site, Leave::Release][leave];
        let mut desk = Desk::new(&base, &site, &release, leave);
        let of = |account: &Account, side: fn(&Decision) -> &Blob| -> String {
            let asked: Vec<Vec<u8>> = account.decisions.iter().filter_map(|d| side(d).bytes()).map(|b| b.to_vec()).collect();
            String::from_utf8_lossy(&asked.concat()).into_owned()
        };
        let (mine, theirs) = (of(&desk.account, |d| &d.site), of(&desk.account, |d| &d.release));
        let take = if side { Take::Site } else { Take::Release };
        let mut refused = 0;
        for id in desk.ids() {
            refused += usize::from(desk.settle(&id, &Answer::take(take)).is_err());
        }
        let results: String = desk.files.borrow().values().map(|b| String::from_utf8_lossy(b).into_owned()).collect();
        for word in &own {
            let gone = !side && mine.contains(word.as_str());
            prop_assert!(gone || refused > 0 || results.contains(word.as_str()), "{word} {side} {leave:?}");
        }
        for word in &new {
            let gone = side && theirs.contains(word.as_str());
            prop_assert!(gone || refused > 0 || results.contains(word.as_str()), "{word} {side} {leave:?}");
        }
    }
}

proptest! {
    #[test]
    fn the_proof_finds_nothing_wrong(mine in deeds(), theirs in deeds(), leave in 0..3usize, take in any::<bool>()) {
        let base = theme_with(|n| ["north", "south", "west"][n]);
        let (site, _) = after_deeds_where(&base, &mine, "own", is_value);
        let (release, _) = after_deeds_where(&base, &theirs, "new", is_value);
        let leave = [Leave::Markers, Leave::Site, Leave::Release][leave];
        let mut desk = Desk::new(&base, &site, &release, leave);
        let is_proved = |desk: &Desk| {
            let mut proof = desk.proof();
            // A word within a tag tears its element, and half a file of settings may be none.
            proof.findings.retain(|f| f.kind != FindingKind::Unbalanced && f.since == Since::Carry);
            prop_assert!(proof.findings.is_empty(), "{:#?}", proof.findings);
            let told = |account: &Account| account.changes.iter().map(|c| (c.path.clone(), c.outcome)).collect::<Vec<_>>();
            prop_assert_eq!(told(&proof.account), told(&desk.account));
            prop_assert!(proof.account == desk.account, "the proof has something to add");
            Ok(())
        };
        is_proved(&desk)?;
        for id in desk.ids() {
            _ = desk.settle(&id, &Answer::take(if take { Take::Site } else { Take::Release }));
        }
        is_proved(&desk)?;
    }
}
