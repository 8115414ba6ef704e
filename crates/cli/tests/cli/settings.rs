//! Settings: shown, moved to another file, held, and exported ones in place of the theme's.

use crate::env::Env;

const SOURCES: &str = "--base packages/lanternfold-2.6.1.zip --site site/lanternfold";

fn demo() -> Env {
    let env = Env::new();
    env.run("demo d").ends(0);
    env.within("d")
}

#[test]
fn what_differs_is_shown_as_table_and_patches() {
    let env = demo();
    let table = env.run(&format!("settings show {SOURCES}")).ends(0);
    assert!(table.out.contains("/archive/per_page  20        50"), "{}", table.out);
    let patch = env.json(&format!("settings show {SOURCES} --as merge-patch"));
    assert_eq!(patch["settings/layout.toml"]["archive"]["per_page"], 50);
    let operations = env.json(&format!("settings show {SOURCES} --as json-patch"));
    assert_eq!(operations["settings/layout.toml"][0]["op"], "replace");
    assert_eq!(env.json(&format!("settings show {SOURCES}"))["files"][0]["settings"][0]["pointer"], "/hero/title");
}

#[test]
fn settings_move_into_a_childs_file() {
    let env = demo();
    let parent = "site/lanternfold/settings/defaults.json";
    let child = "site/tidemill/settings/overrides.json";
    env.write("old.json", "{\"hero\": {\"title\": \"Welcome\", \"height\": 480}}");
    let refused = env.run(&format!("settings move --from {parent} --to {child}")).ends(2);
    assert!(refused.err.contains("--replace"), "{}", refused.err);
    env.write("allowed.json", "{\"hero\": {\"title\": \"\", \"height\": \"30rem\"}}");
    let moved = env
        .run(&format!(
            "settings move --from {parent} --base old.json --to {child} --allowed allowed.json --replace"
        ))
        .ends(1);
    assert!(moved.out.contains("left out") && moved.out.contains("/hero/height"), "{}", moved.out);
    let text = env.read(child);
    assert!(text.contains("\"count\": 5") && text.contains("The Tide Mill") && !text.contains("tides"), "{text}");
    env.write("broken.yaml", "a: 1\nb: [1\n");
    let broken = env.run(&format!("settings move --from broken.yaml --to {child} --replace")).ends(2);
    assert!(broken.err.contains("broken.yaml") && broken.err.contains("line 3"), "{}", broken.err);
    let broken = env.run(&format!("survey {SOURCES} --settings settings/defaults.json=broken.yaml")).ends(2);
    assert!(broken.err.contains("broken.yaml: line 3"), "{}", broken.err);
    // A file that is not there yet is begun, in the format of its name.
    env.run(&format!("settings move --from {parent} --base old.json --to new.toml --allowed allowed.json")).ends(1);
    assert!(env.read("new.toml").contains("title = \"The Tide Mill\""));
}

#[test]
fn an_export_of_the_running_site_stands_in_for_the_file() {
    let env = demo();
    env.write("export.yaml", "hero:\n  title: From the database\ncolors:\n  accent: '#1f5f6b'\n");
    let sources = format!("{SOURCES} --settings settings/defaults.json=export.yaml");
    env.run(&format!("carry {sources} --release packages/lanternfold-3.0.0.zip --out new")).ends(1);
    assert!(env.read("new/settings/defaults.json").contains("From the database"));
    let proof = env.json("verify new");
    assert_eq!(proof["proved"], true, "{}", proof["findings"]);
    // The file that is meant can be told by its keys.
    let survey = env.json(&format!("survey {SOURCES} --settings export.yaml"));
    assert!(survey["changes"].as_array().unwrap().iter().any(|c| c.to_string().contains("From the database")));
    env.write("other.json", "{\"nothing\": {\"known\": 1}}");
    let unclear = env.run(&format!("survey {SOURCES} --settings other.json")).ends(2);
    assert!(unclear.err.contains("PATH=FILE"), "{}", unclear.err);
}

#[test]
fn defaults_are_held_where_the_configuration_says_so() {
    let env = demo();
    let config = env.read("daxle.toml") + "\n[settings]\nunchanged = \"hold\"\n";
    env.write("daxle.toml", &config);
    let carried = env.run(&format!("carry {SOURCES} --release packages/lanternfold-3.0.0.zip --out new")).ends(1);
    assert!(
        carried.out.contains("Defaults held at what they were")
            && carried.out.contains("images.quality  80 then 82")
    );
    assert!(carried.out.contains("foot_links  help then volunteers"), "an item of a list: {}", carried.out);
    assert!(env.read("new/settings/layout.toml").contains("quality = 80"));
    let proof = env.json("verify new");
    assert!(proof["findings"].as_array().unwrap().iter().all(|f| f["since"] != "carry"), "{}", proof["findings"]);
}
