//! Proofs, settled markers, seeded faults.

use crate::env::{CARRY, Env, small};

/// The demo, carried.
fn carried() -> Env {
    let env = Env::new();
    env.run("demo d").ends(0);
    env
}

#[test]
fn settled_markers_are_seen_and_the_account_follows() {
    let env = small();
    env.write("release/style.css", b"a {\n  color: blue;\n}\n\nb {\n  top: 1px;\n}\n");
    env.run(CARRY).ends(1);
    assert!(env.run("verify out").ends(1).out.contains("Still open"));
    env.write("out/style.css", b"a {\n  color: teal;\n}\n\nb {\n  top: 1px;\n}\n");
    let ran = env.run("verify out").ends(0);
    assert!(ran.out.contains("1 decision taken since by editing"), "{}", ran.out);
    let account = || -> serde_json::Value { serde_json::from_str(&env.read("out.account.json")).unwrap() };
    assert_eq!(account()["decisions"][0]["state"], "edited");
    assert_eq!((&account()["totals"]["open"], &account()["totals"]["fitted"]), (&0.into(), &1.into()));
    assert!(!env.run("verify out").ends(0).out.contains("taken since"), "asked and told once");
}

#[test]
fn a_settled_decision_may_drop_the_change() {
    let env = small();
    env.write("release/style.css", b"a {\n  color: blue;\n}\n\nb {\n  top: 1px;\n}\n");
    env.run(CARRY).ends(1);
    env.write("out/style.css", b"a {\n  color: blue;\n}\n\nb {\n  top: 1px;\n}\n");
    env.run("verify out").ends(0);
    let account: serde_json::Value = serde_json::from_str(&env.read("out.account.json")).unwrap();
    assert_eq!(account["totals"]["dropped"], 1);
}

#[test]
fn a_half_removed_marker_is_found() {
    let env = small();
    env.write("release/style.css", b"a {\n  color: blue;\n}\n\nb {\n  top: 1px;\n}\n");
    env.run(CARRY).ends(1);
    let text = env.read("out/style.css").replace("=======\n", "");
    env.write("out/style.css", text.as_bytes());
    let ran = env.run("verify out").ends(1);
    assert!(ran.out.contains("style.css:2  a conflict marker stands here"), "{}", ran.out);
}

/// Seeds one fault in a carried file and makes the account believe that it wrote it so.
#[track_caller]
fn fault(path: &str, change: impl Fn(&str) -> String, expected: &str) {
    let env = carried();
    let text = env.read(&format!("d/carried/{path}"));
    let broken = change(&text);
    assert_ne!(broken, text, "the fault must be one");
    env.write(&format!("d/carried/{path}"), broken.as_bytes());
    let old = blake3::hash(text.as_bytes()).to_hex().to_string();
    let new = blake3::hash(broken.as_bytes()).to_hex().to_string();
    env.write("d/carried.account.json", env.read("d/carried.account.json").replace(&old, &new).as_bytes());
    let found = env.json("verify d/carried");
    let kinds: Vec<&str> =
        found["findings"].as_array().unwrap().iter().map(|f| f["kind"].as_str().unwrap()).collect();
    assert!(kinds.contains(&expected), "{found:#}");
}

#[test]
fn a_dropped_site_change_is_found() {
    fault("templates/base.html", |t| t.replace("  <!-- visitor counting -->\n", ""), "change_missing");
    fault("parts/top.html", |t| t.replace(" fetchpriority=\"high\"", ""), "change_missing");
}

#[test]
fn a_duplicated_change_is_found() {
    fault(
        "templates/visit.html",
        |t| {
            let line = t.lines().find(|l| l.contains("visit-tide")).unwrap();
            t.replace(line, &format!("{line}\n{line}"))
        },
        "words_too_many",
    );
}

#[test]
fn a_lost_release_change_is_found() {
    fault(
        "templates/base.html",
        |t| t.replace("  <meta name=\"color-scheme\" content=\"light dark\">\n", ""),
        "release_missing",
    );
}

#[test]
fn a_change_in_the_wrong_twin_is_found() {
    // The site's rule moves from its selector to a look-alike.
    fault(
        "templates/home.html",
        |t| {
            let line = "  <p class=\"tide\">{{ tides.today.high }} / {{ tides.today.low }}</p>\n";
            let site = "      <time class=\"news-date\" datetime=\"{{ item.date }}\">{{ item.date|day }}</time>\n";
            assert!(t.contains(line) && t.contains(site));
            t.replace(line, "").replacen("</section>\n", &format!("</section>\n{line}"), 2)
        },
        "words_too_many",
    );
}

#[test]
fn files_missing_foreign_and_changed_are_found() {
    let env = carried();
    std::fs::remove_file(env.path("d/carried/assets/fonts/millrace.woff2")).unwrap();
    env.write("d/carried/stray.html", b"?");
    env.write("d/carried/templates/not-found.html", b"changed");
    let found = env.json("verify d/carried");
    let mut kinds: Vec<(&str, &str)> = found["findings"]
        .as_array()
        .unwrap()
        .iter()
        .map(|f| (f["path"].as_str().unwrap(), f["kind"].as_str().unwrap()))
        .collect();
    kinds.sort_unstable();
    assert_eq!(
        kinds,
        [
            ("assets/css/theme.css", "reference_lost"),
            ("assets/fonts/millrace.woff2", "file_missing"),
            ("stray.html", "file_unexpected"),
            ("templates/not-found.html", "file_differs"),
        ]
    );
}

#[test]
fn broken_settings_are_found_with_their_line() {
    let env = carried();
    env.write("d/carried/settings/layout.toml", b"sidebar = \"none\"\n[archive\n");
    let found = env.json("verify d/carried");
    let one = found["findings"].as_array().unwrap().iter().find(|f| f["kind"] == "not_well_formed").unwrap();
    assert_eq!(one["line"], 2);
}
