//! Answers to decisions: nothing is open after them, the proof agrees, and taking them back gives what was there.

use std::cell::RefCell;
use std::collections::BTreeMap;

use daxle_core::carry::account::{Account, Answer, State, Take};
use daxle_core::carry::settle::memory::Memory;
use daxle_core::carry::settle::{Put, Puts, Refused, Settling, Side, foretell};
use daxle_core::carry::{CarryOptions, Evidence, Proof, verify};
use daxle_core::merge::{Leave, Outcome, Reason};
use daxle_core::theme::{MemoryTree, ReadError, Tree};
use proptest::prelude::*;

use crate::{Files, run, theme};

/// A carry whose decisions are answered in memory.
pub(crate) struct Desk {
    trees: [MemoryTree; 3],
    pub(crate) files: RefCell<BTreeMap<String, Vec<u8>>>,
    pub(crate) account: Account,
}

impl Desk {
    pub(crate) fn new(base: &Files, site: &Files, release: &Files, leave: Leave) -> Self {
        let out = run(base, site, release, CarryOptions { leave, ..CarryOptions::default() });
        let files = out.files.into_iter().map(|(p, t)| (p, t.into_bytes())).collect();
        let trees = [base, site, release].map(|f| MemoryTree::new(f.clone()));
        Desk { trees, files: RefCell::new(files), account: out.account }
    }

    fn read(&self, side: Side, path: &str) -> Result<Option<Vec<u8>>, ReadError> {
        let tree = match side {
            Side::Result => return Ok(self.files.borrow().get(path).cloned()),
            Side::Base => &self.trees[0],
            Side::Site => &self.trees[1],
            Side::Release => &self.trees[2],
        };
        Ok(tree.read_path(path))
    }

    fn with(&mut self, act: impl Fn(&Settling<'_>, &mut Account) -> Result<Puts, Refused>) -> Result<(), Refused> {
        let mut account = self.account.clone();
        let puts = act(&Settling { read: &|side, path| self.read(side, path), stamp: None }, &mut account)?;
        for (path, put) in puts {
            let bytes = match put {
                Put::Bytes(bytes) => Some(bytes),
                Put::Copy(side, name) => self.read(side, &name).unwrap(),
                Put::Nothing => None,
            };
            match bytes {
                Some(bytes) => _ = self.files.borrow_mut().insert(path, bytes),
                None => _ = self.files.borrow_mut().remove(&path),
            }
        }
        self.account = account;
        Ok(())
    }

    pub(crate) fn settle(&mut self, id: &str, answer: &Answer) -> Result<(), Refused> {
        self.with(|settling, account| settling.settle(account, id, answer.clone()))
    }

    pub(crate) fn ids(&self) -> Vec<String> {
        self.account.decisions.iter().map(|d| d.id.clone()).collect()
    }

    pub(crate) fn text(&self, path: &str) -> String {
        String::from_utf8(self.files.borrow()[path].clone()).unwrap()
    }

    pub(crate) fn proof(&self) -> Proof {
        let result = MemoryTree::new(self.files.borrow().clone());
        let [base, site, release] = &self.trees;
        verify(&self.account, &Evidence { base, site, release, result: &result }).unwrap()
    }

    #[track_caller]
    pub(crate) fn proved(&self) {
        let proof = self.proof();
        assert_eq!(proof.findings, [], "{:#?}\n{:#?}", self.account, self.files.borrow());
        assert_eq!(proof.account, self.account, "the proof has nothing to add");
    }
}

fn one(path: &str, [base, site, release]: [&str; 3]) -> Desk {
    let file = |text: &str| theme(&[(path, text)]);
    Desk::new(&file(base), &file(site), &file(release), Leave::Markers)
}

const CSS: [&str; 3] = [
    "a {\n  top: 0;\n}\n\nb {\n  left: 0;\n}\n",
    "a {\n  top: 1px;\n}\n\nb {\n  left: 1px;\n}\n",
    "/* new */\na {\n  top: 2px;\n}\n\nb {\n  left: 2px;\n}\n",
];

#[test]
fn each_answer_puts_its_side_in() {
    for (take, wanted, outcome) in [
        (Take::Site, "  top: 1px;\n", Outcome::Kept),
        (Take::Release, "  top: 2px;\n", Outcome::Dropped),
        (Take::Both, "  top: 2px;\n  top: 1px;\n", Outcome::Kept),
        (Take::BothSiteFirst, "  top: 1px;\n  top: 2px;\n", Outcome::Kept),
    ] {
        let mut desk = one("a.css", CSS);
        let ids = desk.ids();
        // The second first, so that the first moves it.
        desk.settle(&ids[1], &Answer::text("  left: 9px;\n")).unwrap();
        desk.settle(&ids[0], &Answer::take(take)).unwrap();
        assert_eq!(desk.text("a.css"), format!("/* new */\na {{\n{wanted}}}\n\nb {{\n  left: 9px;\n}}\n"));
        assert_eq!(desk.account.changes[0].outcome, outcome);
        desk.proved();
        // Another answer takes the place of the first.
        desk.settle(&ids[1], &Answer::take(Take::Site)).unwrap();
        assert!(desk.text("a.css").ends_with("b {\n  left: 1px;\n}\n"));
        desk.proved();
    }
}

#[test]
fn a_side_is_taken_in_all_that_goes_together() {
    let rules = (0..12).fold(String::new(), |text, k| format!("{text}  .tide-{k} {{\n    top: {k}px;\n  }}\n"));
    let block = |opens: &str, closes: &str| format!("{opens} {{\n{rules}{closes}\n\n.foot {{\n  top: 0;\n}}\n");
    let (base, site) = (block(".panel.left", "}"), block(".panel.own", "}"));
    let release = block("@layer wide {\n.board > .start", "}\n}");
    for (first, take, wanted) in [(0, Take::Site, &site), (1, Take::Release, &release)] {
        let mut desk = one("a.css", [&base, &site, &release]);
        let (ids, before) = (desk.ids(), desk.text("a.css"));
        assert_eq!(desk.account.decisions[1].with.as_ref(), Some(&ids[0]));
        desk.settle(&ids[first], &Answer::take(take)).unwrap();
        assert_eq!(desk.text("a.css"), *wanted);
        desk.proved();
        // A lone brace has no answer of its own that could be remembered.
        let mut memory = Memory::default();
        desk.account.decisions.iter().for_each(|d| memory.remember(d, d.answer.as_ref().unwrap()));
        let mut forecast = one("a.css", [&base, &site, &release]).account;
        foretell(&mut forecast, &memory);
        assert_eq!((memory.iter().count(), forecast.totals.open), (1, 0));
        desk.with(|settling, account| settling.reopen(account, &ids[first])).unwrap();
        assert_eq!(desk.text("a.css"), before);
        // What somebody wrote says nothing of the other end, and an answer that is there stays.
        desk.settle(&ids[1], &Answer::text("}\n")).unwrap();
        assert_eq!(desk.account.decisions[0].state, State::Open);
        desk.settle(&ids[0], &Answer::take(take)).unwrap();
        assert_eq!(desk.account.decisions[1].answer.as_ref().unwrap().take, Take::Text);
    }
}

#[test]
fn a_spot_is_found_wherever_it_wandered_and_what_is_gone_is_said() {
    let mut desk = one("a.css", CSS);
    let ids = desk.ids();
    let edited = format!("/* by hand */\n\n{}", desk.text("a.css"));
    desk.files.borrow_mut().insert("a.css".into(), edited.into_bytes());
    desk.settle(&ids[0], &Answer::take(Take::Site)).unwrap();
    assert!(desk.text("a.css").starts_with("/* by hand */\n\n/* new */\na {\n  top: 1px;\n}\n"));
    desk.files.borrow_mut().insert("a.css".into(), b"nothing left\n".to_vec());
    let refused = desk.settle(&ids[1], &Answer::take(Take::Site)).unwrap_err();
    assert!(refused.to_string().contains("not in the file any more"), "{refused}");
    assert_eq!(desk.account.decisions[1].state, State::Open);
    assert!(matches!(desk.settle("nope", &Answer::take(Take::Site)), Err(Refused::Unknown(_))));
}

#[test]
fn line_ends_and_the_missing_last_one_are_the_files() {
    let crlf = CSS.map(|t| t.replace('\n', "\r\n").trim_end().to_string());
    let mut desk = one("a.css", [&crlf[0], &crlf[1], &crlf[2]]);
    for id in desk.ids() {
        desk.settle(&id, &Answer::take(Take::Release)).unwrap();
    }
    assert_eq!(desk.text("a.css"), crlf[2]);
}

#[test]
fn lines_behind_a_last_one_without_an_end_are_lines_of_their_own() {
    let base = "first line of all\n\n\nsecond line here\nthird line there\n";
    let of = |text: &str| theme(&[("a.txt", text)]);
    let (site, release) = (base.replace("second", "our second"), "first line of all");
    let mut desk = Desk::new(&of(base), &of(&site), &of(release), Leave::Release);
    let [id] = &desk.ids()[..] else { panic!("{:?}", desk.account.decisions) };
    desk.settle(id, &Answer::take(Take::Site)).unwrap();
    assert!(desk.text("a.txt").starts_with("first line of all\nour second line here"), "{}", desk.text("a.txt"));
    assert!(desk.proof().findings.is_empty());
    desk.with(|settling, account| settling.reopen(account, id)).unwrap();
    assert_eq!(desk.text("a.txt"), release);
}

#[test]
fn a_value_is_written_in_the_files_own_form() {
    let base = "{\n  \"a\": 1,\n  \"gone\": true,\n  \"list\": {\"x\": 1}\n}\n";
    let site = "{\n  \"a\": 2,\n  \"gone\": false,\n  \"list\": {\"x\": [1,\n 2]}\n}\n";
    let release = "{\n    \"new\": 0,\n    \"a\": 3,\n    \"list\": {\n        \"x\": \"y\"\n    }\n}\n";
    let mut desk = one("s.json", [base, site, release]);
    for id in desk.ids() {
        desk.settle(&id, &Answer::take(Take::Release)).unwrap();
        desk.proved();
    }
    assert_eq!(desk.text("s.json"), release);
    let refused = desk.settle(&desk.ids()[0], &Answer::take(Take::Both)).unwrap_err();
    assert!(refused.to_string().contains("a value is one thing"), "{refused}");
    let broken = desk.settle(&desk.ids()[0], &Answer::text("\"a\": ")).unwrap_err();
    assert!(broken.to_string().contains("well-formed"), "{broken}");
    desk.settle(&desk.ids()[0], &Answer::text("\"a\": 77")).unwrap();
    assert_eq!(desk.text("s.json"), release.replace("\"a\": 3", "\"a\": 77"));
    desk.proved();
}

#[test]
fn a_settled_wording_is_sure_and_a_reopened_one_is_not() {
    let catalog = |text: &str| format!("msgid \"a\"\nmsgstr \"{text}\"\n\nmsgid \"b\"\nmsgstr \"{text}\"\n");
    let mut desk = one("pl.po", ["old", "ours", "theirs"].map(catalog).each_ref().map(String::as_str));
    let before = desk.text("pl.po");
    assert_eq!(before.matches("#, fuzzy\n").count(), 2, "{before}");
    let ids = desk.ids();
    desk.settle(&ids[0], &Answer::take(Take::Site)).unwrap();
    assert_eq!(desk.text("pl.po"), before.replacen("#, fuzzy\n", "", 1));
    desk.proved();
    desk.settle(&ids[1], &Answer::take(Take::Release)).unwrap();
    assert!(!desk.text("pl.po").contains("fuzzy"));
    desk.proved();
    for id in ids {
        desk.with(|settling, account| settling.reopen(account, &id)).unwrap();
    }
    assert_eq!(desk.text("pl.po"), before);
}

#[test]
fn a_wording_of_a_message_that_the_release_counts_is_settled_like_any() {
    let entry = |rest: &str| format!("msgid \"\"\nmsgstr \"\"\n\"Language: pl\\n\"\n\nmsgid \"a\"\n{rest}");
    let one_for_all = |text: &str| entry(&format!("msgstr \"{text}\"\n"));
    let counted = |text: &str| entry(&format!("msgid_plural \"as\"\nmsgstr[0] \"{text}\"\nmsgstr[1] \"many\"\n"));
    for [base, own, release] in [
        [one_for_all("old"), one_for_all("ours"), counted("old")],
        [counted("old"), counted("ours"), one_for_all("old")],
    ] {
        let expected = |text: &str| release.replace("old", text);
        let mut desk = one("pl.po", [&base, &own, &release].map(String::as_str));
        let (before, id) = (desk.text("pl.po"), desk.ids()[0].clone());
        for (answer, text) in [(Answer::take(Take::Release), "old"), (Answer::take(Take::Site), "ours")] {
            desk.settle(&id, &answer).unwrap();
            assert_eq!(desk.text("pl.po"), expected(text));
            desk.proved();
        }
        desk.with(|settling, account| settling.reopen(account, &id)).unwrap();
        assert_eq!(desk.text("pl.po"), before);
    }
}

#[test]
fn whole_files_come_from_a_side_or_go() {
    let base = theme(&[("a.html", "one\n"), ("b.html", "two\n")]);
    let site = theme(&[("a.html", "one of ours\n")]);
    let release = theme(&[("b.html", "two of theirs\n")]);
    let mut desk = Desk::new(&base, &site, &release, Leave::Markers);
    let ids = desk.ids();
    assert_eq!(ids.len(), 2);
    for (take, paths) in [(Take::Site, vec!["a.html"]), (Take::Release, vec!["b.html"])] {
        for id in &ids {
            desk.settle(id, &Answer::take(take)).unwrap();
        }
        assert_eq!(desk.files.borrow().keys().collect::<Vec<_>>(), paths);
        desk.proved();
    }
    assert!(desk.settle(&ids[0], &Answer::take(Take::Both)).is_err());
}

#[test]
fn the_same_three_contents_get_the_same_answer_elsewhere() {
    let first = one("a.css", CSS);
    let mut memory = Memory::default();
    memory.remember(&first.account.decisions[0], &Answer::take(Take::Site));
    let other = one("other/name.css", CSS);
    let answers: Vec<bool> = other.account.decisions.iter().map(|d| memory.recall(d).is_some()).collect();
    assert_eq!(answers, [true, false]);
    assert!(memory.recall(&other.account.decisions[0]).unwrap().remembered);
    assert!(memory.forget(&other.account.decisions[0]) && memory.is_empty());
}

/// Themes with settings, styles and pages in which the sides collide often.
pub(crate) fn themes() -> impl Strategy<Value = [Files; 3]> {
    let values = proptest::collection::vec(0..4u8, 6);
    let side = (values, any::<bool>(), any::<bool>(), 0..3u8);
    [side.clone(), side.clone(), side].prop_map(|sides| {
        sides.map(|(values, page, extra, own)| {
            let json: Vec<String> = values
                .iter()
                .enumerate()
                .filter(|(_, v)| **v > 0)
                .map(|(k, v)| format!("  \"k{k}\": {v}"))
                .collect();
            let css: String =
                values.iter().enumerate().map(|(k, v)| format!(".k{k} {{\n  top: {k}{v}px;\n}}\n\n")).collect();
            let yaml: String = values.iter().enumerate().map(|(k, v)| format!("k{k}: {v}\n")).collect();
            let mut files = vec![
                ("s.json".to_string(), format!("{{\n{}\n}}\n", json.join(",\n"))),
                ("s.yaml".to_string(), yaml),
                ("a.css".to_string(), css),
            ];
            if page {
                files.push(("page.html".into(), format!("<p>text {}</p>\n", values[0])));
            }
            if extra {
                files.push((format!("own-{own}.txt"), format!("{own} {}\n", values[1])));
            }
            files
        })
    })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]

    #[test]
    fn answers_settle_and_going_back_is_exact([base, site, release] in themes(), pick in 0..3usize, left in 0..3usize) {
        let leave = [Leave::Markers, Leave::Site, Leave::Release][left];
        let mut desk = Desk::new(&base, &site, &release, leave);
        let before = (desk.account.clone(), desk.files.borrow().clone());
        let ids = desk.ids();
        for (k, id) in ids.iter().enumerate() {
            let take = [Take::Site, Take::Release][(k + pick) % 2];
            desk.settle(id, &Answer::take(if pick == 2 { Take::Release } else { take })).unwrap();
        }
        prop_assert_eq!(desk.account.totals.open, 0);
        prop_assert!(desk.account.totals.adds_up());
        desk.proved();
        for id in ids.iter().rev() {
            desk.with(|settling, account| settling.reopen(account, id)).unwrap();
        }
        prop_assert_eq!(&*desk.files.borrow(), &before.1);
        prop_assert_eq!(&desk.account.totals, &before.0.totals);
    }
}

#[test]
fn a_file_that_both_renamed_takes_the_name_that_is_chosen() {
    let text = (0..12).map(|k| format!("<p>paragraph number {k}</p>\n")).collect::<String>();
    let (base, site) = (theme(&[("list.html", &text)]), theme(&[("news.html", &text)]));
    let release = theme(&[("list.html", &text), ("news.html", "another page\n")]);
    let mut desk = Desk::new(&base, &site, &release, Leave::Markers);
    let ids = desk.ids();
    assert_eq!(ids.len(), 1);
    let taken = desk.settle(&ids[0], &Answer::take(Take::Site)).unwrap_err();
    assert!(taken.to_string().contains("another file of this name"), "{taken}");
    desk.settle(&ids[0], &Answer::take(Take::Release)).unwrap();
    assert_eq!(desk.account.totals.open, 0);
    desk.proved();

    // Nor one that the site deleted, as that can come back.
    let base = theme(&[("list.html", &text), ("page.html", "another page\n")]);
    let release = theme(&[("list.html", &text), ("news.html", "another page\n")]);
    let mut desk = Desk::new(&base, &site, &release, Leave::Site);
    let before = desk.files.borrow().clone();
    for id in desk.ids() {
        let taken = desk.settle(&id, &Answer::take(Take::Site));
        let of_the_name = desk.account.decisions.iter().any(|d| d.id == id && d.reason == Reason::BothRenamed);
        assert_eq!(taken.is_err(), of_the_name);
    }
    assert_eq!(*desk.files.borrow(), before);

    let base = theme(&[("list.html", &text)]);
    let release = theme(&[("items.html", &text)]);
    let mut desk = Desk::new(&base, &site, &release, Leave::Markers);
    if let [id] = &desk.ids()[..] {
        let before = desk.files.borrow().clone();
        desk.settle(id, &Answer::take(Take::Site)).unwrap();
        assert_eq!(desk.files.borrow().keys().collect::<Vec<_>>(), ["news.html"]);
        desk.with(|settling, account| settling.reopen(account, id)).unwrap();
        assert_eq!(*desk.files.borrow(), before);
    }
}

#[test]
fn a_value_that_went_and_came_back_is_found_again() {
    let base = "[theme]\ninherit = basic\nstyle = a.css\n\n[options]\na = 1\n";
    let site = base.replace("inherit = basic\n", "");
    let mut desk = one("theme.conf", [base, &site, &base.replace("basic", "basic-ng")]);
    let id = desk.ids()[0].clone();
    let before = desk.account.decisions[0].result;
    for take in [Take::Site, Take::Release, Take::Site] {
        desk.settle(&id, &Answer::take(take)).unwrap();
        assert_eq!(desk.text("theme.conf").contains("basic-ng"), take == Take::Release);
        desk.proved();
        desk.with(|settling, account| settling.reopen(account, &id)).unwrap();
        assert_eq!(desk.account.decisions[0].result, before);
    }
}

#[test]
fn what_both_call_otherwise_is_one_question_and_either_answer_is_proved() {
    for (path, base) in [
        ("list.yaml", "l:\n  - one\n  - the_second\n  - three\n"),
        ("flow.yaml", "l: [one, the_second, three]\n"),
        ("list.json", "{\"l\": [\n  \"one\",\n  \"the_second\",\n  \"three\"\n]}\n"),
        ("list.toml", "l = [\n  \"one\",\n  \"the_second\",\n  \"three\"\n]\n"),
        ("named.json", "{\"l\": [{\"id\": \"a\", \"v\": 1}, {\"id\": \"the_second\", \"v\": 2}]}\n"),
        ("named.yaml", "- id: a\n  v: 1\n- id: the_second\n  v: 2\n"),
        ("named.toml", "[[i]]\nid = \"a\"\nv = 1\n\n[[i]]\nid = \"the_second\"\nv = 2\n"),
        ("keys.yaml", "l:\n  one: 1\n  the_second: 2\n  three: 3\n"),
        ("keys.json", "{\n  \"one\": 1,\n  \"the_second\": 2,\n  \"three\": 3\n}\n"),
        ("keys.toml", "[l]\none = 1\nthe_second = 2\nthree = 3\n"),
        ("flow.toml", "l = { one = 1, the_second = 2 }\n"),
        ("section.ini", "[a]\none = 1\n\n[the_second]\nv = 2\n"),
    ] {
        let (site, release) = (base.replace("second", "secown"), base.replace("second", "secnew"));
        for (take, wanted) in [(Take::Site, &site), (Take::Release, &release)] {
            let mut desk = one(path, [base, &site, &release]);
            let ids = desk.ids();
            assert_eq!(ids.len(), 1, "{path}");
            desk.proved();
            desk.settle(&ids[0], &Answer::take(take)).unwrap();
            assert_eq!(desk.text(path), *wanted);
            desk.proved();
        }
    }
}

#[test]
fn what_a_carry_left_out_is_not_taken_out_by_hand() {
    let own =
        theme(&[("a.html", "one\nour own\nthree\n"), ("b.css", "b {\n  top: 1px;\n}\n\nown {\n  top: 0;\n}\n")]);
    let base =
        theme(&[("a.html", "one\ntwo\nthree\n"), ("b.css", "b {\n  top: 1px;\n}\n\nown {\n  top: 5px;\n}\n")]);
    let desk = Desk::new(&base, &own, &theme(&[("b.css", "b {\n  top: 1px;\n}\n")]), Leave::Release);
    assert_eq!(desk.account.totals.open, 2);
    desk.proved();
    // Nor is a question about lines that were left out answered by an edit elsewhere.
    desk.files.borrow_mut().insert("b.css".into(), b"b {\n  top: 2px;\n}\n".to_vec());
    let result = MemoryTree::new(desk.files.borrow().clone());
    let [base, site, release] = &desk.trees;
    let proof = verify(&desk.account, &Evidence { base, site, release, result: &result }).unwrap();
    assert_eq!(proof.account.totals.open, 2);
}

#[test]
fn the_stamp_follows_the_last_answer() {
    let text =
        |stamp: &str, n: u8| format!("/* theme {stamp} */\na {{\n  top: {n}px;\n}}\n\nb {{\n  left: {n}px;\n}}\n");
    let file = |stamp: &str, n: u8| theme(&[("a.css", text(stamp, n).as_str())]);
    // The site stamped the file with a version between the two.
    let mut desk = Desk::new(&file("1.0", 1), &file("1.5", 2), &file("2.0", 3), Leave::Markers);
    assert!(desk.text("a.css").starts_with("/* theme 1.5 */"), "{}", desk.text("a.css"));
    let ids = desk.ids();
    for (k, id) in ids.iter().enumerate() {
        desk.settle(id, &Answer::take(Take::Site)).unwrap();
        let stamp = if k + 1 == ids.len() { "2.0" } else { "1.5" };
        assert!(desk.text("a.css").starts_with(&format!("/* theme {stamp} */")), "{}", desk.text("a.css"));
    }
    desk.proved();
}
