//! Catalogs: brought up to a release, compiled and counted, and what other programs make of them.

use std::process::Command;

use crate::env::Env;

const OLD: &str = "stock-of/lanternfold-2.6.1/languages";
const NEW: &str = "stock-of/lanternfold-3.0.0/languages";

/// The vendor's catalogs and the site's, side by side.
fn catalogs() -> Env {
    let env = Env::new();
    for (from, to) in [
        ("vendor/lanternfold-2.6.1", "stock-of/lanternfold-2.6.1"),
        ("vendor/lanternfold-3.0.0", "stock-of/lanternfold-3.0.0"),
        ("site/lanternfold", "site"),
    ] {
        for language in ["pl.po", "cy.po", "de.po", "lanternfold.pot"] {
            let demo = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demo");
            let text = std::fs::read_to_string(format!("{demo}/{from}/languages/{language}")).unwrap();
            env.write(&format!("{to}/languages/{language}"), &text);
        }
    }
    env
}

/// Runs a program of GNU gettext; nothing where it is not installed.
fn gettext(program: &str, args: &[&str]) -> Option<std::process::Output> {
    let found = Command::new(program).args(args).output().ok();
    if found.is_none() {
        crate::env::skipped(&format!("{program} is not installed: what it says is not tested"));
    }
    found
}

fn accepts(env: &Env, path: &str) -> Option<bool> {
    let out = env.path("checked.mo");
    let args = ["--check", "-o", out.to_str().unwrap(), env.path(path).to_str().unwrap()].map(String::from);
    gettext("msgfmt", &args.each_ref().map(String::as_str)).map(|o| o.status.success())
}

#[test]
fn every_language_of_the_demo_is_brought_up_to_the_release() {
    let env = catalogs();
    for language in ["pl", "cy", "de"] {
        let sides =
            format!("--base {OLD}/{language}.po --site site/languages/{language}.po --release {NEW}/{language}.po");
        env.run(&format!("catalog sync {sides} --template {NEW}/lanternfold.pot --out {language}.po"));
        let text = env.read(&format!("{language}.po"));
        assert!(text.contains("msgid \"Good to know\""), "new in the release");
        assert_ne!(accepts(&env, &format!("{language}.po")), Some(false), "{language}");
    }
    let text = env.read("pl.po");
    assert!(text.contains("Wieści z młyna") && text.contains("Grobla jest przejezdna"), "the site's own words");
    // Without the vendor's catalog: new messages are empty, the reworded one is marked.
    env.run(&format!("catalog sync --site site/languages/pl.po --template {NEW}/lanternfold.pot --out alone.po"))
        .ends(0);
    let alone = env.read("alone.po");
    assert!(
        alone.contains(
            "#, fuzzy\n#| msgid \"Please book two weeks ahead.\"\nmsgid \"Please book three weeks ahead.\""
        )
    );
    assert_ne!(accepts(&env, "alone.po"), Some(false));
    let report = env.json(&format!("catalog sync --site site/languages/pl.po --template {NEW}/lanternfold.pot"));
    assert!(report["reworded"][0]["similarity"].as_f64().unwrap() > 0.6 && report["catalog"].is_string());
}

#[test]
fn what_is_compiled_says_what_other_programs_compile() {
    let env = catalogs();
    env.run("catalog compile site/languages/pl.po").ends(0);
    let again = env.run("catalog compile site/languages/pl.po").ends(2);
    assert!(again.err.contains("--replace"), "{}", again.err);
    accepts(&env, "site/languages/pl.po");
    let path = |name: &str| env.path(name).display().to_string();
    let (ours, theirs) = (path("site/languages/pl.mo"), path("checked.mo"));
    if let (Some(ours), Some(theirs)) = (gettext("msgunfmt", &[&ours]), gettext("msgunfmt", &[&theirs])) {
        assert_eq!(String::from_utf8_lossy(&ours.stdout), String::from_utf8_lossy(&theirs.stdout));
        assert!(ours.stdout.len() > 1000);
    }
}

#[test]
fn languages_are_counted_with_the_sites_own_wording() {
    let env = catalogs();
    for theme in ["site", "stock-of/lanternfold-2.6.1"] {
        env.write(&format!("{theme}/themecard.toml"), "name = \"lanternfold\"\n");
    }
    let table = env.run("catalog stats site --base stock-of/lanternfold-2.6.1").ends(0);
    assert!(table.out.contains("site's own") && table.out.contains("languages/pl.po pl"), "{}", table.out);
    let report = env.json("catalog stats site/languages/pl.po --base stock-of/lanternfold-2.6.1/languages/pl.po");
    assert_eq!(report["catalogs"][0]["own"], 3);
    assert_eq!(report["catalogs"][0]["translated"], 30);
}

#[test]
fn what_both_changed_beside_the_wordings_is_asked_about_and_settled() {
    let text = |who: &str| {
        format!(
            "msgid \"\"\nmsgstr \"\"\n\"Last-Translator: {who}\\n\"\n\"Content-Type: text/plain; charset=UTF-8\\n\"\n\n# of {who}\nmsgid \"A\"\nmsgstr \"a\"\n"
        )
    };
    let versions = [("base", "them"), ("site", "us"), ("release", "them now")];
    for take in ["site", "release"] {
        let env = Env::new();
        for (folder, who) in versions {
            env.write(&format!("{folder}/languages/pl.po"), text(who));
            env.write(&format!("{folder}/style.css"), "a {}\n");
        }
        let sides = versions.map(|(side, _)| format!("--{side} {side}/languages/pl.po")).join(" ");
        let synced = env.run(&format!("catalog sync {sides} --out synced.po")).ends(1);
        for told in ["the header", "Last-Translator: us", "# of them now"] {
            assert!(synced.out.contains(told), "{told}: {}", synced.out);
        }
        let carried = env.run("carry --base base --site site --release release --out out").ends(1);
        assert!(carried.out.contains("open 2"), "{}", carried.out);
        env.run(&format!("settle out --all --take {take}")).ends(0);
        let who = if take == "site" { "us" } else { "them now" };
        assert_eq!(env.read("out/languages/pl.po"), text(who));
        env.run("verify out").ends(0);
    }
}

#[test]
fn an_answer_in_a_catalog_is_compiled_as_well() {
    let env = Env::new();
    for (folder, text) in [("base", "old"), ("site", "ours"), ("release", "theirs")] {
        env.write(&format!("{folder}/languages/pl.po"), format!("msgid \"A\"\nmsgstr \"{text}\"\n"));
        env.write(&format!("{folder}/style.css"), "a {}\n");
        env.run(&format!("catalog compile {folder}/languages/pl.po")).ends(0);
    }
    env.run("carry --base base --site site --release release --out out").ends(1);
    env.run("settle out --all --take release").ends(0);
    let theirs = std::fs::read(env.path("release/languages/pl.mo")).unwrap();
    assert_eq!(std::fs::read(env.path("out/languages/pl.mo")).unwrap(), theirs);
    env.run("verify out").ends(0);
}

#[test]
fn a_broken_catalog_is_named_with_its_line() {
    let env = catalogs();
    env.write("bad.po", "msgid \"a\"\nmsgstr \"b\n");
    for call in ["catalog compile bad.po", "catalog stats bad.po", "catalog sync --site bad.po --template bad.po"] {
        let refused = env.run(call).ends(2);
        assert!(refused.err.contains("bad.po") && refused.err.contains("line 2"), "{}", refused.err);
    }
    assert!(!env.path("bad.mo").exists());
    let alone = env.run("catalog sync --site site/languages/pl.po").ends(2);
    assert!(alone.err.contains("--release <NEW>|--template <POT>"), "{}", alone.err);
}
