//! Answers to what a carry left open: by option, from a file, remembered, taken back.

use crate::env::{CARRY, Env};

/// Two collisions in one file, one in settings.
fn collided() -> Env {
    let env = Env::new();
    let css =
        |a: u8, b: u8| format!("a {{\n  top: {a}px;\n}}\n\n/* between the two */\n\nb {{\n  left: {b}px;\n}}\n");
    for (folder, a, json) in [("base", 1, "1"), ("site", 2, "2"), ("release", 3, "3")] {
        let json = format!("{{\n  \"width\": {json}\n}}\n");
        env.theme(folder, &[("a.css", css(a, a + 3).as_str()), ("s.json", json.as_str())]);
    }
    env.run(CARRY).ends(1);
    env
}

#[test]
fn answers_by_option_are_written_remembered_and_taken_back() {
    let env = collided();
    let before = env.tree("out");
    let refused = env.run("settle out --take site").ends(2);
    assert!(refused.err.contains("--all"), "{}", refused.err);
    let ran = env.run("settle out --take both --path *.css").ends(1);
    assert!(ran.out.contains("2 decisions settled") && ran.out.contains("s.json:2"), "{}", ran.out);
    assert!(env.read("out/a.css").starts_with("a {\n  top: 3px;\n  top: 2px;\n}\n"));
    let value = env.run("settle out --take both --path s.json").ends(2);
    assert!(value.err.contains("a value is one thing"), "{}", value.err);
    env.run("settle out --take site --all").ends(0);
    env.run("verify out").ends(0);

    // The next carry asks nothing of this again, also in a file of another name.
    for folder in ["base", "site", "release"] {
        std::fs::rename(env.path(&format!("{folder}/a.css")), env.path(&format!("{folder}/main.css"))).unwrap();
    }
    let again = env.run("carry --base base --site site --release release --out again").ends(0);
    assert!(again.out.contains("Remembered") && again.out.contains("as answered before"), "{}", again.out);
    assert_eq!(env.read("again/main.css"), env.read("out/a.css"));
    env.run("carry --base base --site site --release release --out anew --ask-again").ends(1);
    env.run("verify again").ends(0);

    env.run("settle out --reopen --all").ends(1);
    assert_eq!(env.tree("out"), before);
    assert!(!env.read("daxle-decisions.toml").contains("take ="), "what is taken back is forgotten");
}

#[test]
fn answers_come_from_a_file_by_id_or_path() {
    let env = collided();
    let id = env.json("settle out --list")["decisions"][1]["id"].as_str().unwrap().to_string();
    let answers = format!(
        "[answers]\n\"{id}\" = {{ take = \"text\", text = \"  left: 9px;\\n\" }}\n\"*.css\" = \"release\"\n"
    );
    env.write("answers.toml", answers.as_bytes());
    env.run("settle out --answers answers.toml").ends(1);
    let text = env.read("out/a.css");
    assert!(text.contains("top: 3px") && text.contains("left: 9px") && !text.contains("<<<"), "{text}");
    env.run(&format!("settle out --id {id} --take site")).ends(1);
    assert!(env.read("out/a.css").contains("left: 5px"));
    env.write("answers.toml", b"[answers]\n\"x\" = \"mine\"\n");
    let wrong = env.run("settle out --answers answers.toml").ends(2);
    assert!(wrong.err.contains("answers.toml") && wrong.err.contains("line 2"), "{}", wrong.err);
    let unknown = env.run("settle out --id zzz --take site").ends(2);
    assert!(unknown.err.contains("--list"), "{}", unknown.err);
}

#[test]
fn an_account_cannot_reach_out_of_the_theme() {
    let env = collided();
    let account = env.read("out.account.json").replace("\"path\": \"a.css\"", "\"path\": \"../evil.css\"");
    env.write("out.account.json", account.as_bytes());
    let ran = env.run("settle out --take site --all").ends(2);
    assert!(ran.err.contains("../evil.css"), "{}", ran.err);
}

#[test]
fn a_single_file_is_settled_in_place() {
    let env = Env::new();
    for (name, n) in [("old.css", 1), ("mine.css", 2), ("new.css", 3)] {
        env.write(name, format!("a {{\n  top: {n}px;\n}}\n").as_bytes());
    }
    env.run("carry --base old.css --site mine.css --release new.css --out out.css").ends(1);
    env.run("settle out.css --all --take both_site_first").ends(2);
    env.run("settle out.css --all --take both-site-first").ends(0);
    assert_eq!(env.read("out.css"), "a {\n  top: 2px;\n  top: 3px;\n}\n");
    env.run("verify out.css").ends(0);
    env.run("settle out.css --reopen --all").ends(1);
    env.run("settle out.css --all --text none").ends(2);
    env.write("own.txt", b"  top: 9px;\n");
    let id = env.json("settle out.css --list")["decisions"][0]["id"].as_str().unwrap().to_string();
    env.run(&format!("settle out.css --id {} --text-from own.txt", &id[..5])).ends(0);
    assert_eq!(env.read("out.css"), "a {\n  top: 9px;\n}\n");
}

#[test]
fn binaries_come_from_the_side_that_is_taken() {
    let env = Env::new();
    for (folder, bytes) in [("base", "\0one"), ("site", "\0two"), ("release", "\0three")] {
        env.theme(folder, &[("img/logo.png", bytes), ("page.html", "<p>x</p>\n")]);
    }
    env.run(CARRY).ends(1);
    assert_eq!(
        (env.read("out/img/logo.png"), env.read("out.aside/img/logo.png")),
        ("\0two".into(), "\0three".into())
    );
    for (side, text) in [("release", "\0three"), ("site", "\0two")] {
        env.run(&format!("settle out --path img/* --id d --take {side}")).ends(0);
        assert_eq!(env.read("out/img/logo.png"), text);
        env.run("verify out").ends(0);
    }
    assert!(env.run("settle out --all --take both --id d").ends(2).err.contains("--all"));
}

#[test]
fn answers_stand_beside_the_configuration_or_where_the_user_says() {
    let env = collided();
    env.write("daxle.toml", b"");
    env.run("settle out --take site --path a.css --decisions memory/own.toml").ends(1);
    assert!(!env.path("daxle-decisions.toml").exists());
    assert_eq!(env.read("memory/own.toml").matches("take = \"site\"").count(), 2);
    let again = "carry --base base --site site --release release --out again";
    assert!(env.run(again).ends(1).out.contains("open 3"));
    assert!(env.run(&format!("{again} --replace --decisions memory/own.toml")).ends(1).out.contains("open 1"));
    // A line that is taken out is forgotten; a broken file is named.
    let lines: Vec<String> = env.read("memory/own.toml").lines().map(String::from).collect();
    env.write("memory/own.toml", (lines[..lines.len() - 1].join("\n") + "\n").as_bytes());
    assert!(env.run(&format!("{again} --replace --decisions memory/own.toml")).ends(1).out.contains("open 2"));
    env.write("memory/own.toml", b"[answers]\nx = 1\n");
    let broken = env.run(&format!("{again} --replace --decisions memory/own.toml")).ends(2);
    assert!(broken.err.contains("own.toml") && broken.err.contains("line 2"), "{}", broken.err);
}
