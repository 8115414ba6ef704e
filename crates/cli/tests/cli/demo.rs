//! The sample site's fixed, honest outcome.

use crate::env::Env;

#[test]
fn the_demo_runs_the_whole_path() {
    let env = Env::new();
    let ran = env.run("demo here").ends(0);
    for part in [
        "39 changes in 22 files",
        "third-party snippet",
        "Forecast",
        "Carried",
        "Verified",
        "every change is accounted for",
    ] {
        assert!(ran.out.contains(part), "{part}\n{}", ran.out);
    }
    assert!(ran.err.contains("Try next"));
    assert_eq!(env.run("demo here").ends(2).err.lines().count(), 2, "never over something");
}

/// What comes out of the demo's carry, and which questions are left. A better merge changes these numbers, on
/// purpose and with its reason in the change log.
#[test]
fn the_demo_has_its_known_outcome() {
    let env = Env::new();
    env.run("demo d").ends(0);
    let account: serde_json::Value = serde_json::from_str(&env.read("d/carried.account.json")).unwrap();
    insta::assert_compact_json_snapshot!(account["totals"], @r#"{"changes": 39, "kept": 16, "fitted": 11, "moved": 3, "already": 2, "open": 7, "dropped": 0}"#);
    let open: Vec<String> = account["decisions"]
        .as_array()
        .unwrap()
        .iter()
        .map(|d| format!("{} {}", d["path"].as_str().unwrap(), d["reason"].as_str().unwrap()))
        .collect();
    insta::assert_snapshot!(open.join("\n"), @r"
    assets/css/theme.css both_changed
    languages/pl.po key_gone
    parts/footer.html both_changed
    parts/notice.html release_deleted
    settings/defaults.json retyped
    settings/defaults.json both_changed
    settings/defaults.json key_gone
    ");
    assert_eq!(account["jump"], "major");
    assert_eq!(account["notes"].as_array().unwrap().len(), 2, "the vendor's notes for 3.0.0 and 2.7.0");
}

#[test]
fn the_demo_in_strict_trust_asks_more() {
    let env = Env::new();
    env.run("demo d").ends(0);
    let common = "--base d/packages/lanternfold-2.6.1.zip --site d/site/lanternfold --release d/packages/lanternfold-3.0.0.zip";
    let open =
        |trust: &str| env.json(&format!("forecast {common} --trust {trust}"))["totals"]["open"].as_u64().unwrap();
    assert!(open("strict") > open("normal"));
}
