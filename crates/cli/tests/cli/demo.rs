//! The sample site's fixed, honest outcome.

use crate::env::Env;

#[test]
fn the_demo_runs_the_whole_path() {
    let env = Env::new();
    let ran = env.run("demo here").ends(0);
    for part in [
        "48 changes in 26 files",
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
    insta::assert_compact_json_snapshot!(account["totals"], @r#"{"changes": 48, "kept": 22, "fitted": 12, "moved": 4, "already": 2, "open": 8, "dropped": 0}"#);
    let open: Vec<String> = account["decisions"]
        .as_array()
        .unwrap()
        .iter()
        .map(|d| format!("{} {}", d["path"].as_str().unwrap(), d["reason"].as_str().unwrap()))
        .collect();
    insta::assert_snapshot!(open.join("\n"), @r"
    assets/css/theme.css both_changed
    assets/css/theme.css release_deleted
    languages/pl.po key_gone
    parts/footer.html both_changed
    parts/notice.html release_deleted
    settings/defaults.json retyped
    settings/defaults.json both_changed
    settings/defaults.json key_gone
    ");
    let script = env.read("d/carried/assets/js/share.js");
    assert!(script.contains("const pause = 9000;"), "the joined file took the change along: {script}");
    let part = env.read("d/carried/parts/way.html");
    assert!(
        part.contains("\n  {{ settings.address.postcode }}"),
        "what the site put into a part is kept up: {part}"
    );
    let menu = env.read("d/carried/settings/defaults.json");
    assert!(
        menu.contains("\"Press and pictures\"") && menu.contains("\"/volunteers\""),
        "items have no names: {menu}"
    );
    let line = env.read("d/carried/assets/css/columns.min.css");
    assert!(line.contains("gap:var(--gap)") && line.contains("font-size:1rem"), "all on one line: {line}");
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

#[test]
fn the_whole_way_from_carry_to_live_and_back() {
    let env = Env::new();
    env.run("demo d").ends(0);
    let env = env.within("d");
    let (before, refused) = (env.tree("site/lanternfold"), env.run("place carried --at site/lanternfold"));
    assert!(refused.ends(2).err.contains("8 changes are open"));
    assert!(env.run("pack carried --out up.zip").ends(2).err.contains("open"));

    env.run("settle carried --answers answers.toml").ends(0);
    let verified = env.json("verify carried");
    assert_eq!((&verified["proved"], &verified["totals"]["open"]), (&true.into(), &0.into()));
    env.run("report carried --out report.html").ends(0);
    env.run("pack carried --out up.zip").ends(0);

    let placed = env.run("place carried --at site/lanternfold").ends(0);
    assert!(placed.out.contains("To walk through"), "{}", placed.out);
    assert_eq!(env.tree("site/lanternfold"), env.tree("carried"));
    env.run("rollback --at site/lanternfold").ends(0);
    assert_eq!(env.tree("site/lanternfold"), before);

    // What was answered is not asked again.
    let again = "carry --base packages/lanternfold-2.6.1.zip --site site/lanternfold --release packages/lanternfold-3.0.0.zip";
    env.run(&format!("{again} --out again")).ends(0);
    assert_eq!(env.tree("again"), env.tree("carried"));
}
