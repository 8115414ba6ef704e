//! Results, accounts, single files, swapping.

use crate::env::{CARRY, Env, small};

#[test]
fn the_result_is_the_release_with_the_sites_changes() {
    let env = small();
    let ran = env.run(CARRY).ends(0);
    assert!(ran.out.contains("Carried 2 changes"), "{}", ran.out);
    assert_eq!(env.read("out/style.css"), "a {\n  color: teal;\n}\n\nb {\n  top: 1px;\n}\n");
    assert_eq!(env.read("out/own.txt"), "ours\n");
    assert!(env.read("out/page.html").contains("More text"));
    let names: Vec<String> = env.tree("out").into_iter().map(|(n, _)| n).collect();
    assert_eq!(names, ["img/a.bin", "own.txt", "page.html", "style.css"], "nothing of Daxle inside");
}

#[test]
fn the_account_tells_every_change_and_adds_up() {
    let env = small();
    let account = env.json(CARRY);
    let written: serde_json::Value = serde_json::from_str(&env.read("out.account.json")).unwrap();
    assert_eq!(account, written);
    let changes = account["changes"].as_array().unwrap();
    let style = changes.iter().find(|c| c["path"] == "style.css").unwrap();
    assert_eq!(style["outcome"], "kept");
    assert_eq!(style["added"]["text"], "  color: teal;\n");
    assert_eq!(style["result"], serde_json::json!({"line": 2, "count": 1}));
    assert_eq!(account["totals"]["changes"], changes.len());
}

#[test]
fn a_decision_holds_all_three_contents_and_ends_with_1() {
    let env = small();
    env.write("release/style.css", b"a {\n  color: blue;\n}\n\nb {\n  top: 1px;\n}\n");
    let ran = env.run(CARRY).ends(1);
    assert!(ran.out.contains("style.css:2  both changed the same words"), "{}", ran.out);
    let text = env.read("out/style.css");
    assert!(
        text.contains(
            "<<<<<<< site\n  color: teal;\n||||||| base\n  color: red;\n=======\n  color: blue;\n>>>>>>> release\n"
        ),
        "{text}"
    );
    let account: serde_json::Value = serde_json::from_str(&env.read("out.account.json")).unwrap();
    let decision = &account["decisions"][0];
    assert_eq!(
        (&decision["site"]["text"], &decision["release"]["text"]),
        (&"  color: teal;\n".into(), &"  color: blue;\n".into())
    );
    for (side, color) in [("site", "teal"), ("release", "blue")] {
        env.run(&format!("{CARRY} --replace --leave {side}")).ends(1);
        assert!(env.read("out/style.css").starts_with(&format!("a {{\n  color: {color};\n}}\n")));
    }
}

#[test]
fn files_that_both_replaced_are_both_kept() {
    let env = small();
    env.write("site/img/a.bin", b"\0site's");
    env.run(CARRY).ends(1);
    assert_eq!(env.read("out/img/a.bin"), "\0site's");
    assert_eq!(env.read("out.aside/img/a.bin"), "\0two");
}

#[test]
fn a_result_is_swapped_only_when_told() {
    let env = small();
    env.run(CARRY).ends(0);
    env.write("out/mine.txt", b"edited");
    let before = env.tree("out");
    let ran = env.run(CARRY).ends(2);
    assert!(ran.err.contains("not empty") && ran.err.contains("--replace"), "{}", ran.err);
    assert_eq!(env.tree("out"), before);
    env.run(&format!("{CARRY} --replace")).ends(0);
    assert!(!env.path("out/mine.txt").exists());
    let left = std::fs::read_dir(env.path(""))
        .unwrap()
        .filter(|e| e.as_ref().unwrap().file_name().to_string_lossy().contains("daxle-part"));
    assert_eq!(left.count(), 0, "nothing half-done is left");
}

#[test]
fn what_an_interrupted_run_left_is_cleared() {
    let env = small();
    env.write(".out.daxle-part-999999999/x", b"half");
    env.run(CARRY).ends(0);
    assert!(!env.path(".out.daxle-part-999999999").exists());
}

#[test]
fn three_single_files() {
    let env = Env::new();
    env.write("old.css", b"a { top: 0; }\nb { top: 0; }\nc { top: 0; }\n");
    env.write("mine.css", b"a { top: 9px; }\nb { top: 0; }\nc { top: 0; }\n");
    env.write("new.css", b"a { top: 0; }\nb { top: 0; }\nc { top: 7px; }\n");
    env.run("carry --base old.css --site mine.css --release new.css --out merged.css").ends(0);
    assert_eq!(env.read("merged.css"), "a { top: 9px; }\nb { top: 0; }\nc { top: 7px; }\n");
    env.run("verify merged.css").ends(0);
    assert!(
        env.run("carry --base old.css --site mine.css --release new.css --out merged.css")
            .ends(2)
            .err
            .contains("there already")
    );
}

#[test]
fn renames_on_both_sides_are_followed() {
    let env = Env::new();
    let text: String = (0..12).map(|n| format!("<p>paragraph number {n}</p>\n")).collect();
    env.theme("base", &[("a.html", &text), ("b.html", &text.replace("paragraph", "sentence"))]);
    env.theme(
        "site",
        &[
            ("a.html", &text.replace("number 3<", "number three<")),
            ("c.html", &text.replace("paragraph", "sentence")),
        ],
    );
    let b = text.replace("paragraph", "sentence").replace("number 9<", "number nine<");
    env.theme("release", &[("pages/a.html", &text.replace("number 8<", "number eight<")), ("b.html", &b)]);
    let account = env.json(CARRY);
    assert_eq!(account["totals"]["open"], 0, "{account:#}");
    let moved = env.read("out/pages/a.html");
    assert!(moved.contains("number three<") && moved.contains("number eight<"));
    assert_eq!(env.read("out/c.html"), b, "the site's name, the release's text");
    env.run("verify out").ends(0);
}

#[test]
fn the_output_does_not_depend_on_threads() {
    let env = Env::new();
    env.run("demo d").ends(0);
    let args = "--base d/packages/lanternfold-2.6.1.zip --site d/site/lanternfold --release d/packages/lanternfold-3.0.0.zip";
    let one = env.run(&format!("carry {args} --out one --threads 1"));
    let many = env.run(&format!("carry {args} --out many --threads 8"));
    assert_eq!(env.tree("one"), env.tree("many"));
    assert_eq!(one.out.replace("one", "many"), many.out.replace("one", "many"));
    assert_eq!(env.read("one.account.json"), env.read("many.account.json"));
}

#[cfg(unix)]
#[test]
fn file_modes_are_kept() {
    use std::os::unix::fs::PermissionsExt;
    let env = small();
    std::fs::set_permissions(env.path("release/style.css"), std::fs::Permissions::from_mode(0o755)).unwrap();
    env.run(CARRY).ends(0);
    let mode = |p: &str| std::fs::metadata(env.path(p)).unwrap().permissions().mode() & 0o777;
    assert_eq!(mode("out/style.css"), 0o755, "a merged file has the release's mode");
}
