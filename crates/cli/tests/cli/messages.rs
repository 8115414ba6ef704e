//! What a user sees when something is wrong: what was being done, to which file, why, and what to do.

use crate::env::{CARRY, Env, small};

/// The error fits one screen, names the file and a way out, and nothing was written.
#[track_caller]
fn refused(env: &Env, args: &str, parts: &[&str]) {
    let ran = env.run(args).ends(2);
    assert!(ran.out.is_empty() && ran.err.starts_with("error: ") && ran.err.contains("\nhint: "), "{}", ran.err);
    assert!(ran.err.lines().count() <= 6, "{}", ran.err);
    for part in parts {
        assert!(ran.err.contains(part), "{part:?} in\n{}", ran.err);
    }
    assert!(!env.path("out").exists(), "something was written");
}

#[test]
fn paths_that_do_not_fit() {
    let env = small();
    refused(&env, &CARRY.replace("--base base", "--base bsae"), &["bsae", "did you mean", "base?"]);
    refused(
        &env,
        &CARRY.replace("--base base", "--base base/style.css"),
        &["style.css is a file, but", "three single files"],
    );
    std::fs::create_dir(env.path("empty")).unwrap();
    refused(&env, &CARRY.replace("--release release", "--release empty"), &["empty holds no files"]);
    refused(&env, &CARRY.replace("--out out", "--out site/out"), &["site/out", "the site overlap"]);
    refused(&env, &CARRY.replace("--out out", "--out out --account out/a.json"), &["inside the result"]);
    refused(&env, "verify nowhere", &["nowhere", "--out"]);
}

#[cfg(unix)]
#[test]
fn files_that_cannot_be_read() {
    use std::os::unix::fs::PermissionsExt;
    let env = small();
    let path = env.path("site/style.css");
    std::fs::set_permissions(&path, std::fs::Permissions::from_mode(0o000)).unwrap();
    // A superuser reads everything; then there is nothing to see here.
    if std::fs::read(&path).is_err() {
        refused(&env, CARRY, &["site/style.css", "permission denied"]);
    }
}

/// A limit on file sizes stands in for a disk that fills up in the middle of the work.
#[cfg(target_os = "linux")]
#[test]
fn a_full_disk_leaves_nothing_behind() {
    let env = small();
    env.write("release/big.css", vec![b'a'; 300 << 10]);
    let run =
        format!("trap '' XFSZ; ulimit -f 100; exec {} {CARRY}", assert_cmd::cargo::cargo_bin!("daxle").display());
    let output = std::process::Command::new("bash").args(["-c", &run]).current_dir(env.path("")).output().unwrap();
    let err = String::from_utf8(output.stderr).unwrap();
    assert_eq!(output.status.code(), Some(2), "{err}");
    assert!(err.starts_with("error: could not") && err.contains("big.css") && err.contains("hint: "), "{err}");
    let names: Vec<_> = std::fs::read_dir(env.path("")).unwrap().map(|e| e.unwrap().file_name()).collect();
    assert!(names.iter().all(|n| ["base", "site", "release"].iter().any(|k| n == k)), "{names:?}");
}

#[test]
fn themes_that_do_not_fit_together() {
    let env = small();
    let card = |name: &str, version: &str| format!("name = \"{name}\"\nversion = \"{version}\"\n");
    env.theme("base", &[("themecard.toml", &card("lamp", "2.0"))]);
    env.theme("site", &[("themecard.toml", &card("lamp", "2.0"))]);
    env.theme("release", &[("themecard.toml", &card("lantern", "1.0"))]);
    refused(&env, CARRY, &["the site is the theme \"lamp\", but the release is \"lantern\"", "--rename-ok"]);
    let ran = env.run(&format!("{CARRY} --rename-ok")).ends(0);
    assert!(
        ran.err.contains("the release (1.0) is older than the base (2.0): are the two swapped?"),
        "{}",
        ran.err
    );
    let ran = env.run("forecast --base base --site site --release base");
    assert!(ran.err.contains("identical to the base"), "{}", ran.err);
}

#[test]
fn mistakes_in_the_configuration() {
    let env = small();
    env.write("daxle.toml", b"[layout.kinds]\n\"*.x\" = \"pictures\"\n");
    refused(&env, CARRY, &["daxle.toml", "line 2, column 2", "picture"]);
}

#[test]
fn accounts_that_are_none() {
    let env = small();
    env.run(CARRY).ends(0);
    env.write("out.account.json", b"{\"format\": \"daxle-account\", \"format_version\": 99}");
    assert!(env.run("verify out").ends(2).err.contains("newer Daxle"));
    env.write("out.account.json", b"{ half");
    assert!(env.run("verify out").ends(2).err.contains("is no account"));
}

#[test]
fn options_are_suggested() {
    let env = Env::new();
    let ran = env.run("survey --base x --sit y").ends(2);
    assert!(ran.err.contains("--site"), "{}", ran.err);
}

#[test]
fn names_cannot_play_with_the_terminal_and_colour_only_where_wanted() {
    let env = small();
    env.write("site/a\u{1b}[31m.txt", b"x\n");
    let ran = env.run("survey --base base --site site").ends(0);
    assert!(!ran.out.contains('\u{1b}') && ran.out.contains("a\\u{1b}[31m.txt"), "{}", ran.out);
    let ran = env.run("survey --base base --site site --color always").ends(0);
    assert!(ran.out.contains("\u{1b}[1m"), "styles were asked for");
}

#[test]
fn the_help_of_all_commands() {
    let env = Env::new();
    let mut all = String::new();
    for command in ["", "demo", "survey", "forecast", "carry", "verify", "generate"] {
        all += &format!("$ daxle {command} --help\n{}\n", env.run(&format!("{command} --help")).ends(0).out);
    }
    insta::assert_snapshot!("help", all);
    let short = env.run("carry -h").ends(0).out;
    assert!(short.lines().count() <= 42, "-h fits a screen");
}

#[test]
fn man_pages_and_completions_come_from_the_same_definitions() {
    let env = Env::new();
    env.run("generate man --into man").ends(0);
    assert!(env.read("man/daxle-carry.1").contains("keep\\-blanks"));
    assert!(env.run("generate completions bash").ends(0).out.contains("--keep-blanks"));
}

#[test]
fn releases_that_are_not_there() {
    let env = small();
    refused(&env, "survey --base 1.0 --site site --stock s", &["there is no 1.0 in stock", "daxle stock add"]);
    refused(&env, "survey --site site --stock s", &["the stock s is empty", "daxle stock add"]);
    refused(&env, "stock remove lamp@1 --stock s", &["no 1 of lamp in stock"]);
    refused(&env, "stock add gone.zip --stock s", &["gone.zip"]);
    refused(&env, "survey --site site/style.css --stock s", &["a single file", "--base"]);
    assert!(!env.path("s").exists(), "nothing was written");
}

#[test]
fn two_themes_of_one_version_are_told_apart() {
    let env = small();
    for name in ["lamp", "lantern"] {
        env.theme(
            name,
            &[("themecard.toml", &format!("name = \"{name}\"\nversion = \"1.0\"\n")), ("a.css", "a {}\n")],
        );
        env.run(&format!("stock add {name} --stock s")).ends(0);
    }
    refused(&env, "survey --base 1.0 --site site --stock s", &["several themes", "lamp@1.0, lantern@1.0"]);
    env.run("survey --base lantern@1.0 --site site --stock s").ends(0);
}

#[test]
fn what_a_carry_of_a_child_needs() {
    let env = Env::new();
    let card = |name: &str, rest: &str| format!("name = \"{name}\"\nversion = \"1.0\"\n{rest}");
    env.theme("kid", &[("themecard.toml", &card("kid", "parent = \"lamp\"\n")), ("a.css", "a {}\n")]);
    refused(
        &env,
        "carry --site kid --release 2.0 --out out --stock s",
        &["the parent lamp of kid is not in the stock"],
    );
    env.theme("lamp", &[("themecard.toml", &card("lamp", "")), ("a.css", "a {}\n")]);
    env.run("stock add lamp --stock s").ends(0);
    refused(
        &env,
        "carry --site kid --release 2.0 --out out --stock s",
        &["2.0 is no release in stock", "lamp@1.0"],
    );
    refused(&env, "survey --site kid --stock s", &["child theme of lamp", "daxle child overrides"]);
    refused(&env, "carry --site kid --release 1.0 --out kid/out --stock s", &["the child theme overlap"]);
    refused(
        &env,
        "carry --site lamp --base lamp --release 1.0 --release 1.0 --out o --stock s",
        &["--release once"],
    );
    assert!(!env.path("out").exists());
}

#[test]
fn notes_that_do_not_fit() {
    let env = small();
    let site = "--base base --site site";
    refused(&env, &format!("note {site} zz why"), &["no change zz", "daxle survey"]);
    refused(&env, &format!("note {site} zz"), &["the reason is missing"]);
    env.write("daxle-notes.toml", b"[[note]\n");
    refused(&env, &format!("survey {site}"), &["daxle-notes.toml has a mistake"]);
    env.write("daxle-notes.toml", b"other = 1\n");
    refused(&env, &format!("survey {site}"), &["[[note]] tables only"]);
}

#[test]
fn every_mistake_in_the_configuration_has_its_place() {
    let env = small();
    for (text, parts) in [
        ("[layout", ["line 1", "daxle.toml"]),
        ("[layot]\n", ["line 1, column 2", "did you mean `layout`"]),
        ("[[layout.overrides]]\npath = \"x\"\n", ["line 1", "{path}"]),
        ("[[layout.overrides]]\npath = 3\n", ["line 2", "string"]),
        ("[layout]\nstamp = \"v\"\n", ["line 2", "{version}"]),
        ("[layout.identity]\nfile = \"x\"\n", ["line 1", "daxle.toml"]),
        ("[stock]\npaht = \"x\"\n", ["line 2", "did you mean `path`"]),
        ("[[walk]]\nname = \"x\"\n", ["line 1", "files"]),
        ("[layout.kinds]\n\"a[\" = \"style\"\n", ["line 2", "is no glob"]),
    ] {
        env.write("daxle.toml", text.as_bytes());
        refused(&env, "survey --base base --site site", &parts);
    }
}
