//! Child themes: the state of their overrides, and carrying them.

use crate::env::Env;

/// The demo site, with all releases in its stock.
fn demo() -> Env {
    let env = Env::new();
    env.run("demo d").ends(0);
    let env = env.within("d");
    let packages =
        ["lanternfold-2.6.1", "lanternfold-2.7.0", "lanternfold-3.0.0", "pennygate-1.4", "pennygate-2.0"];
    let list = packages.map(|p| format!("packages/{p}.zip")).join(" ");
    env.run(&format!("stock add {list}")).ends(0);
    env
}

#[test]
fn every_override_of_the_demo_is_judged_by_its_text() {
    let env = demo();
    let found = env.json("child overrides site/tidemill");
    let rows: Vec<(&str, &str, &str)> = found["overrides"]
        .as_array()
        .unwrap()
        .iter()
        .map(|o| {
            let from = o["from"].as_array().unwrap().last().and_then(|v| v.as_str()).unwrap_or("");
            (o["path"].as_str().unwrap(), o["state"].as_str().unwrap(), from)
        })
        .collect();
    assert_eq!(
        rows,
        [
            ("parts/prices.html", "stamped_not_merged", "2.7.0"),
            ("custom/tickets/ticket.html", "stale", "1.4"),
            ("templates/article.html", "stale", "2.7.0"),
            ("custom/tickets/mail/confirm.html", "orphaned", "1.4"),
            ("parts/notice.html", "orphaned", "2.7.0"),
            ("parts/pager.html", "needless", "3.0.0"),
            ("templates/not-found.html", "current", "3.0.0"),
        ]
    );
    let ran = env.run("child overrides site/tidemill --release 2.7.0 --release pennygate@1.4").ends(1);
    assert!(ran.out.contains("current              parts/prices.html"), "{}", ran.out);
    assert!(env.run("child overrides site/lanternfold").ends(2).err.contains("names no parent"));
}

#[test]
fn a_child_is_carried_with_the_base_that_each_override_came_from() {
    let env = demo();
    let ran =
        env.run("carry --site site/tidemill --release 3.0.0 --release pennygate@2.0 --out out --prune").ends(1);
    assert!(ran.err.contains("update in this order: lanternfold@3.0.0 and pennygate@2.0"), "{}", ran.err);
    // Merged, and stamped as merged; open, and not stamped; moved with its vendor file; left out.
    let prices = env.read("out/parts/prices.html");
    assert!(prices.starts_with("{# lanternfold 3.0.0 #}") && prices.contains("id=\"prices\""), "{prices}");
    assert!(env.read("out/parts/notice.html").starts_with("{# lanternfold 2.6.1 #}"));
    assert!(env.read("out/custom/tickets/mail/confirmation.html").starts_with("{# pennygate 2.0 #}"));
    assert!(
        !env.path("out/parts/pager.html").exists() && !env.path("out/custom/tickets/mail/confirm.html").exists()
    );
    assert_eq!(env.read("out/assets/css/tidemill.css"), env.read("site/tidemill/assets/css/tidemill.css"));
    let ran = env.run("verify out").ends(1);
    assert!(ran.out.contains("every change is accounted for"), "{}", ran.out);
    // The proof notices when an override loses the site's edit.
    env.write(
        "out/templates/article.html",
        env.read("out/templates/article.html").replace("article-kind", "x").as_bytes(),
    );
    assert!(
        env.json("verify out")["findings"]
            .as_array()
            .unwrap()
            .iter()
            .any(|f| f["path"] == "templates/article.html")
    );
    let ran =
        env.run("carry --site site/tidemill --release pennygate@1.4 --release lanternfold@3.0.0 --out o2").ends(1);
    assert!(ran.err.contains("lanternfold@3.0.0 needs pennygate 2.0 or newer"), "{}", ran.err);
}

#[test]
fn parent_and_child_are_carried_together() {
    let env = demo();
    let sources = "--site site/lanternfold --child site/tidemill --release 3.0.0";
    env.run(&format!("carry {sources} --out both")).ends(1);
    env.run("carry --site site/lanternfold --release 3.0.0 --out parent").ends(1);
    env.run("carry --site site/tidemill --release 3.0.0 --out child").ends(1);
    assert_eq!(env.tree("both/lanternfold"), env.tree("parent"));
    assert_eq!(env.tree("both/tidemill"), env.tree("child"));
    let ran = env.run("carry --site site/lanternfold --child site/lanternfold --release 3.0.0 --out none").ends(2);
    assert!(ran.err.contains("names no parent") && !env.path("none").exists(), "nothing was written: {}", ran.err);
    assert!(env.run("verify both/tidemill").ends(1).out.contains("every change is accounted for"));
}

#[test]
fn a_chain_of_three_themes() {
    let env = Env::new();
    let card = |name: &str, version: &str, parent: &str| {
        let parent = if parent.is_empty() { String::new() } else { format!("parent = \"{parent}\"\n") };
        format!("name = \"{name}\"\nversion = \"{version}\"\n{parent}")
    };
    let text = "one\ntwo\nthree\nfour\nfive\nsix\n";
    let add = |folder: &str, files: &[(&str, &str)]| {
        env.theme(folder, files);
        env.run(&format!("stock add {folder} --stock s")).ends(0);
    };
    add("root-1", &[("themecard.toml", &card("root", "1", "")), ("a.txt", text), ("deep/b.txt", text)]);
    add(
        "root-2",
        &[("themecard.toml", &card("root", "2", "")), ("a.txt", text), ("deep/b.txt", &text.replace("two", "2"))],
    );
    add("mid-1", &[("themecard.toml", &card("mid", "1", "root")), ("a.txt", &text.replace("six", "6"))]);
    add(
        "mid-2",
        &[("themecard.toml", &card("mid", "2", "root")), ("a.txt", &text.replace("six", "6").replace("one", "1"))],
    );
    let own = text.replace("four", "4");
    env.theme(
        "site",
        &[("themecard.toml", &card("mine", "1", "mid")), ("a.txt", &own.replace("six", "6")), ("deep/b.txt", &own)],
    );
    let found = env.json("child overrides site --stock s");
    let rows = found["overrides"].as_array().unwrap();
    assert_eq!((rows[0]["vendor"].as_str(), rows[1]["vendor"].as_str()), (Some("mid"), Some("root")));
    env.run("carry --site site --release mid@2 --release root@2 --out out --stock s").ends(0);
    assert_eq!(env.read("out/a.txt"), own.replace("six", "6").replace("one", "1"));
    assert_eq!(env.read("out/deep/b.txt"), own.replace("two", "2"));
}

#[test]
fn parents_that_lead_nowhere_are_named() {
    let env = Env::new();
    let theme = |name: &str, parent: &str| {
        let card = format!("name = \"{name}\"\nversion = \"1\"\nparent = \"{parent}\"\n");
        env.theme(name, &[("themecard.toml", &card), ("a.txt", "x\n")]);
    };
    theme("own", "own");
    assert!(env.run("child overrides own --stock s").ends(2).err.contains("names itself"));
    theme("round", "about");
    theme("about", "round");
    env.run("stock add about --stock s").ends(0);
    env.run("stock add round --stock s").ends(0);
    theme("site", "round");
    assert!(env.run("child overrides site --stock s").ends(2).err.contains("round > about > round"));
    theme("lost", "aboud");
    assert!(env.run("child overrides lost --stock s").ends(2).err.contains("did you mean about?"));
}

#[test]
fn init_proposes_what_is_there() {
    let env = demo();
    let config = env.read("daxle.toml");
    std::fs::remove_file(env.path("daxle.toml")).unwrap();
    env.run("init --site site/lanternfold --child site/tidemill --stock stock").ends(0);
    let proposed = env.read("daxle.toml");
    for line in [
        "path = \"custom/tickets/{path}\"",
        "of = \"pennygate\"",
        "stamp = \"{# {name} {version} #}\"",
        "path = \"stock\"",
    ] {
        assert!(proposed.contains(line), "{proposed}");
    }
    // It does for the commands what the demo's own does.
    let found = env.json("child overrides site/tidemill");
    env.write("daxle.toml", config.as_bytes());
    assert_eq!(env.json("child overrides site/tidemill"), found);
    assert!(env.run("init --site site/lanternfold").ends(2).err.contains("is there already"));
    env.write("daxle.toml", b"[layout]\nkindz = 1\n");
    let ran = env.run("stock list").ends(2);
    assert!(ran.err.contains("line 2, column 1") && ran.err.contains("did you mean `kinds`?"), "{}", ran.err);
}

#[test]
fn a_childs_carry_depends_on_nothing_but_its_inputs() {
    let env = demo();
    let carry = "carry --site site/tidemill --release 3.0.0";
    env.run(&format!("{carry} --out one --threads 1")).ends(1);
    env.run(&format!("{carry} --out many --threads 4")).ends(1);
    assert_eq!(env.tree("one"), env.tree("many"));
    // The same again in its place, in one step; and nothing is left beside it.
    assert!(env.run(&format!("{carry} --out one")).ends(2).err.contains("--replace"));
    env.run(&format!("{carry} --out one --replace")).ends(1);
    assert_eq!(env.tree("one"), env.tree("many"));
    let beside =
        std::fs::read_dir(env.path("")).unwrap().map(|e| e.unwrap().file_name().to_string_lossy().into_owned());
    assert!(beside.into_iter().all(|name| !name.starts_with('.')));
    // The proof finds the stock where it is now.
    std::fs::rename(env.path("stock"), env.path("elsewhere")).unwrap();
    assert!(env.run("verify one").ends(2).err.contains("in stock"), "without the stock nothing can be proved");
    assert!(env.run("verify one --stock elsewhere").ends(1).out.contains("every change is accounted for"));
}

#[test]
fn a_settled_override_gets_its_stamp() {
    let env = demo();
    env.run("carry --site site/tidemill --release 3.0.0 --release pennygate@2.0 --out out").ends(1);
    assert!(env.read("out/parts/notice.html").starts_with("{# lanternfold 2.6.1 #}"));
    let open = env.json("settle out --list");
    let here: Vec<&str> = open["decisions"]
        .as_array()
        .unwrap()
        .iter()
        .filter(|d| d["path"] != "parts/notice.html")
        .map(|d| d["path"].as_str().unwrap())
        .collect();
    env.run("settle out --all --take site").ends(0);
    for path in here {
        let text = env.read(&format!("out/{path}"));
        let first = text.lines().next().unwrap();
        assert!(
            !text.contains("<<<<<<<") && !first.contains("2.6.1") && !first.contains("2.7.0"),
            "{path}: {first}"
        );
    }
    let proved = env.run("verify out").ends(0);
    assert!(proved.out.contains("every change is accounted for"), "{}", proved.out);
}

#[test]
fn a_parent_that_is_nowhere_is_pointed_out() {
    let env = Env::new();
    let card = "title = 'C'\nname = 'c'\nversion = '1'\nparent = 'gone'\n";
    for (folder, text) in [("base", "a\n"), ("site", "b\n"), ("release", "c\n")] {
        env.theme(folder, &[("themecard.toml", card), ("x/page.html", text)]);
    }
    env.run("carry --base base --site site --release release --out out --stock none").ends(1);
    let told = env.json("verify out --stock none");
    let kinds: Vec<(&str, &str)> = told["findings"]
        .as_array()
        .unwrap()
        .iter()
        .map(|f| (f["kind"].as_str().unwrap(), f["since"].as_str().unwrap()))
        .collect();
    assert_eq!(kinds, [("parent_missing", "site")]);
    env.theme("gone", &[("themecard.toml", "title = 'G'\nname = 'gone'\nversion = '1'\n")]);
    assert!(env.json("verify out --stock none")["findings"].as_array().unwrap().is_empty());
}
