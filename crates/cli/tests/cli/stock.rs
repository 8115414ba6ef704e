//! Releases in stock, and finding the one that a copy came from.

use crate::env::Env;

const PAGE: &str = "<h1>Title</h1>\n<p>One text</p>\n<p>Two texts</p>\n<p>Three texts</p>\n";

fn card(name: &str, version: &str) -> String {
    format!("title = \"Lamp\"\nname = \"{name}\"\nversion = \"{version}\"\n")
}

/// Three releases that differ in a line each, in stock, and a site made from the second.
fn stocked() -> Env {
    let env = Env::new();
    for (version, text) in [("1.0", "One text"), ("1.1", "One more text"), ("2.0", "Quite another text")] {
        let folder = format!("lamp-{version}");
        env.theme(
            &folder,
            &[("themecard.toml", &card("lamp", version)), ("page.html", &PAGE.replace("One text", text))],
        );
        env.run(&format!("stock add {folder} --stock s")).ends(0);
    }
    let own = PAGE.replace("One text", "One more text").replace("Three", "3");
    env.theme("site", &[("themecard.toml", &card("lamp", "2.0")), ("page.html", &own)]);
    env
}

#[test]
fn releases_are_kept_listed_shown_and_removed() {
    let env = stocked();
    let list = env.json("stock list --stock s");
    let versions: Vec<&str> =
        list["releases"].as_array().unwrap().iter().map(|r| r["version"].as_str().unwrap()).collect();
    assert_eq!(versions, ["1.0", "1.1", "2.0"]);
    assert!(env.run("stock add lamp-1.0 --stock s").ends(0).out.contains("known"));
    env.write("lamp-1.0/page.html", b"changed");
    let ran = env.run("stock add lamp-1.0 --stock s").ends(1);
    assert!(ran.out.contains("differs") && ran.out.contains("stock remove lamp@1.0"), "{}", ran.out);
    let shown = env.json("stock show lamp@1.1 --stock s");
    assert_eq!(shown["files"][0]["path"], "page.html");
    env.run("stock remove lamp@1.1 --stock s").ends(0);
    assert!(env.run("stock show lamp@1.1 --stock s").ends(2).err.contains("in stock are lamp@1.0, lamp@2.0"));
    // The package of what is left is still there, that of what went is not.
    assert_eq!(env.tree("s/archives").len(), 2);
}

#[test]
fn the_base_is_found_whatever_the_copy_claims() {
    let env = stocked();
    let found = env.json("stock match site --stock s");
    assert_eq!(found["ranked"][0]["version"], "1.1");
    assert!(found["claim"].as_str().unwrap().contains("says it is 2.0"), "{found}");
    let ran = env.run("carry --site site --release 2.0 --out out --stock s").ends(0);
    assert!(ran.err.contains("base: lamp@1.1") && ran.err.contains("those of lamp@1.1"), "{}", ran.err);
    assert_eq!(env.read("out/page.html"), PAGE.replace("One text", "Quite another text").replace("Three", "3"));
    env.run("verify out").ends(0);
    assert!(env.run("survey --base 1.0 --site site --stock s").ends(0).out.starts_with("Lamp 1.0"));
    let ran = env.run("carry --site site --release 9.9 --out o2 --stock s").ends(2);
    assert!(ran.err.contains("no 9.9 of lamp in stock") && ran.err.contains("lamp@2.0"), "{}", ran.err);
    env.theme("other", &[("themecard.toml", &card("lamp", "1.0")), ("page.html", "nothing\nlike\nit\n")]);
    assert!(env.run("survey --site other --stock s").ends(0).err.contains("base: lamp@"), "its card is there");
    env.theme("alien", &[("x.html", "nothing\nlike\nit\n")]);
    assert!(env.run("survey --site alien --stock s").ends(2).err.contains("no release in stock explains"));
}

#[test]
fn a_theme_without_a_card_is_kept_under_a_given_name() {
    let env = Env::new();
    env.theme("plain", &[("page.html", PAGE)]);
    let ran = env.run("stock add plain --stock s").ends(2);
    assert!(ran.err.contains("does not say its name") && ran.err.contains("--name"), "{}", ran.err);
    env.run("stock add plain --stock s --name plain --version 3").ends(0);
    assert!(env.run("survey --base plain@3 --site plain --stock s").ends(0).out.contains("0 changes"));
    assert!(env.run("stock add plain --stock s --name a/b --version 3").ends(2).err.contains("short name"));
}

#[test]
fn a_damaged_stock_is_named_and_a_newer_one_left_alone() {
    let env = stocked();
    let index = env.read("s/index.json");
    env.write("s/index.json", &index.as_bytes()[..index.len() / 2]);
    let ran = env.run("stock list --stock s").ends(2);
    assert!(ran.err.contains("index.json is damaged") && ran.err.contains("add them again"), "{}", ran.err);
    env.write("s/index.json", index.replace("\"format_version\": 1", "\"format_version\": 99").as_bytes());
    assert!(env.run("stock list --stock s").ends(2).err.contains("newer Daxle"));
    env.write("s/index.json", index.as_bytes());
    let lines = env.tree("s/prints").into_iter().find(|(n, _)| n.ends_with(".lines")).unwrap().0;
    env.write(&format!("s/prints/{lines}"), b"xx");
    assert!(env.run("stock match site --stock s").ends(2).err.contains("is damaged"));
}

#[test]
fn two_daxles_may_add_at_once() {
    let env = Env::new();
    let versions: Vec<String> = (0..6).map(|n| format!("{n}.0")).collect();
    for version in &versions {
        env.theme(&format!("v{version}"), &[("themecard.toml", &card("lamp", version)), ("page.html", version)]);
    }
    std::thread::scope(|scope| {
        for version in &versions {
            let env = &env;
            scope.spawn(move || env.run(&format!("stock add v{version} --stock s")).ends(0));
        }
    });
    assert_eq!(env.json("stock list --stock s")["releases"].as_array().unwrap().len(), versions.len());
}

#[test]
fn the_notes_stay_with_their_changes() {
    let env = stocked();
    let site = "--site site --stock s --base 1.1";
    let changes = env.json(&format!("survey {site}"));
    let id =
        changes["changes"].as_array().unwrap().iter().find(|c| c["path"] == "page.html").unwrap()["id"].clone();
    let id = id.as_str().unwrap();
    env.run(&format!("note {} numbered {site}", &id[..4])).ends(0);
    assert!(env.read("daxle-notes.toml").contains("why = \"numbered\""));
    assert!(env.run(&format!("survey {site}")).ends(0).out.contains("note: numbered"));
    env.run("carry --site site --base 1.1 --release 2.0 --out out --stock s").ends(0);
    assert!(env.read("out.account.json").contains("\"note\": \"numbered\""));
    // In the carried theme the change has the release's lines around it, and still its note.
    assert!(env.run("survey --site out --base 2.0 --stock s").ends(0).out.contains("note: numbered"));
    assert!(env.run(&format!("note zzzz x {site}")).ends(2).err.contains("no change zzzz"));
    assert!(env.run(&format!("note --path page.html again {site}")).ends(0).err.contains("1 change noted"));
    env.run(&format!("note {id} --path page.html x {site}")).ends(2);
    assert_eq!(env.json(&format!("note --list {site}"))["notes"][0]["why"], "again");
}

#[test]
fn what_the_site_changed_after_a_carry() {
    let env = stocked();
    env.run("carry --site site --base 1.1 --release 2.0 --out out --stock s").ends(0);
    env.theme("live", &[]);
    for (path, bytes) in env.tree("out") {
        env.write(&format!("live/{path}"), &bytes);
    }
    assert!(env.run("survey --since out.account.json --site live").ends(0).out.contains("made 0 changes"));
    env.write("live/own.css", b"p {}\n");
    let ran = env.run("survey --since out.account.json --site live").ends(0);
    assert!(ran.out.contains("made 1 change") && ran.out.contains("own.css"), "{}", ran.out);
    assert!(env.run("survey --since gone.account.json --site live").ends(2).err.contains("no account"));
}

#[test]
fn a_carry_steps_through_releases_where_that_asks_less() {
    let env = Env::new();
    // The vendor took the site's words up, and altered them later.
    let texts = [("1.0", "One text"), ("1.1", "Our own text"), ("2.0", "Their later text")];
    for (version, text) in texts {
        let folder = format!("lamp-{version}");
        env.theme(
            &folder,
            &[("themecard.toml", &card("lamp", version)), ("page.html", &PAGE.replace("One text", text))],
        );
        env.run(&format!("stock add {folder} --stock s")).ends(0);
    }
    env.theme(
        "site",
        &[("themecard.toml", &card("lamp", "1.0")), ("page.html", &PAGE.replace("One text", "Our own text"))],
    );
    let carry = "carry --site site --base 1.0 --release 2.0 --stock s";
    env.run(&format!("{carry} --out direct")).ends(1);
    let ran = env.run(&format!("{carry} --out auto --through auto")).ends(0);
    assert!(ran.err.contains("going through 1.1: 0 decisions open, 1 fewer than"), "{}", ran.err);
    assert_eq!(env.read("auto/page.html"), PAGE.replace("One text", "Their later text"));
    env.run("verify auto").ends(0);
    env.run(&format!("{carry} --out named --through 1.1")).ends(0);
    assert_eq!(env.tree("named"), env.tree("auto"));
    assert!(env.run(&format!("{carry} --out x --through 1.5")).ends(2).err.contains("no 1.5 of lamp in stock"));
}
