//! Change sets, overlays and child themes, made by the program and given back to it.

use std::process::Command;

use crate::env::Env;

const SOURCES: &str = "--base packages/lanternfold-2.6.1.zip --site site/lanternfold";
const RELEASE: &str = "--release packages/lanternfold-3.0.0.zip";

fn demo() -> Env {
    let env = Env::new();
    env.run("demo d").ends(0);
    env.within("d")
}

#[test]
fn every_form_of_the_demo_is_proved_and_carried_alike() {
    let env = demo();
    let carried = env.tree("carried");
    for form in ["changes", "overlay", "child"] {
        env.run(&format!("separate {SOURCES} --into {form} --as {form}")).ends(0);
        let proved = env.run(&format!("verify {form}")).ends(0);
        assert!(proved.out.contains("come to the site"), "{}", proved.out);
    }
    for form in ["changes", "overlay"] {
        let sources = format!("--base packages/lanternfold-2.6.1.zip --changes {form}");
        env.run(&format!("carry {sources} {RELEASE} --out from-{form}")).ends(1);
        assert_eq!(env.tree(&format!("from-{form}")), carried);
        env.run(&format!("verify from-{form}")).ends(1);
        let survey = env.json(&format!("survey {sources}"));
        assert_eq!(survey["changes"].as_array().unwrap().len(), 48);
    }
    let style = env.read("child/assets/css/theme.css");
    assert!(style.contains("--accent: #1f5f6b") && style.lines().count() < 40, "{style}");
    // Without the base named, it is the one that the change set was made from, out of the stock.
    env.run("stock add packages/lanternfold-2.6.1.zip packages/lanternfold-2.7.0.zip").ends(0);
    env.run("survey --changes changes").ends(0);
    let other = env.run("survey --changes changes --base 2.7.0").ends(2);
    assert!(other.err.contains("made from Lanternfold 2.6.1"), "{}", other.err);
    let again = env.run(&format!("separate {SOURCES} --into child --as child")).ends(2);
    assert!(again.err.contains("not empty"), "{}", again.err);
}

#[test]
fn any_patch_program_applies_the_edits() {
    let env = demo();
    env.run(&format!("separate {SOURCES} --into changes --as changes")).ends(0);
    env.run("stock add packages/lanternfold-2.6.1.zip").ends(0);
    // A site without changes is the base.
    env.run("separate --base packages/lanternfold-2.6.1.zip --site packages/lanternfold-2.6.1.zip --into none --as overlay")
        .ends(0);
    let zip = std::fs::File::open(env.path("packages/lanternfold-2.6.1.zip")).unwrap();
    let mut zip = zip::ZipArchive::new(zip).unwrap();
    let mut inner = Vec::new();
    let name = zip.file_names().map(|n| n.unwrap().into_owned()).find(|n| n.ends_with("/lanternfold.zip")).unwrap();
    std::io::Read::read_to_end(&mut zip.by_name(&name).unwrap(), &mut inner).unwrap();
    zip::ZipArchive::new(std::io::Cursor::new(inner)).unwrap().extract(env.path("theme")).unwrap();
    let patch = Command::new("patch")
        .args(["-s", "-p1", "-i", "../../changes/edits.diff"])
        .current_dir(env.path("theme/lanternfold"))
        .status();
    let Ok(status) = patch else {
        crate::env::skipped("there is no patch program here");
        return;
    };
    assert!(status.success());
    for (path, bytes) in env.tree("changes/files") {
        env.write(&format!("theme/lanternfold/{path}"), &bytes);
    }
    assert_eq!(env.tree("theme/lanternfold"), env.tree("site/lanternfold"));
}

#[test]
fn a_child_that_lacks_something_is_no_proof() {
    let env = demo();
    env.run(&format!("separate {SOURCES} --into child --as child --name mill")).ends(0);
    assert!(env.read("child/themecard.toml").contains("parent = \"lanternfold\""));
    std::fs::remove_file(env.path("child/parts/footer.html")).unwrap();
    let settings = env.read("child/settings/defaults.json").replace("520", "521");
    env.write("child/settings/defaults.json", settings.as_bytes());
    let told = env.json("verify child");
    let found: Vec<&str> =
        told["findings"].as_array().unwrap().iter().map(|f| f["path"].as_str().unwrap()).collect();
    assert_eq!((found, &told["proved"]), (vec!["parts/footer.html", "settings/defaults.json"], &false.into()));
    let wrong = env.run(&format!("separate {SOURCES} --into x --as child --name ../x")).ends(2);
    assert!(wrong.err.contains("no name for a child theme"), "{}", wrong.err);
}

#[test]
fn a_carried_child_over_the_release_is_the_carried_site() {
    let env = Env::new();
    let card = |name: &str, version: &str| format!("title = 'T'\nname = '{name}'\nversion = '{version}'\n");
    let page = |class: &str, words: &str| {
        format!("<div class=\"{class}\">\n  <h1>Title</h1>\n  <p>{words}</p>\n  <hr>\n</div>\n")
    };
    let css = |a: &str, b: &str| {
        (0..30)
            .map(|k| {
                format!(
                    ".r{k} {{\n  top: {}px;\n}}\n\n",
                    if k == 3 {
                        a
                    } else if k == 20 {
                        b
                    } else {
                        "0"
                    }
                )
            })
            .collect::<String>()
    };
    for (folder, version, a, b, class, words) in [
        ("base", "1.0", "0", "0", "one", "Words"),
        ("site", "1.0", "7", "0", "one", "Words of ours"),
        ("release", "2.0", "0", "9", "one two", "Words"),
    ] {
        let (page, css, card) = (page(class, words), css(a, b), card("t", version));
        env.theme(
            folder,
            &[("page.html", page.as_str()), ("main.css", css.as_str()), ("themecard.toml", card.as_str())],
        );
    }
    env.run("stock add base release --stock stock").ends(0);
    env.run("carry --base base --site site --release release --out direct").ends(0);
    env.run("separate --base base --site site --into kid --as child --name kid").ends(0);
    env.run("carry --site kid --release t@2.0 --out carried-kid --stock stock").ends(0);
    assert_eq!(env.read("carried-kid/page.html"), env.read("direct/page.html"));
    let style = env.read("carried-kid/main.css");
    assert_eq!(style, ".r3 {\n  top: 7px;\n}\n", "only what the site changed");
    assert!(
        env.read("direct/main.css").contains(".r3 {\n  top: 7px;\n}")
            && env.read("direct/main.css").contains("top: 9px")
    );
}

#[test]
fn a_new_child_is_written_whole_or_not_at_all() {
    let env = demo();
    env.write("rules.css", b"a { top: 0 }\n");
    env.write("shot.png", b"\x89PNG\0");
    let options = "--description Words --author Us --author-address https://us.example --credit Us&co --credit-link https://us.example \
                   --styles rules.css --preview shot.png --licence MIT";
    let ran = env
        .run(&format!(
            "child new --parent packages/lanternfold-3.0.0.zip --name mill --title Mill {options} --into kids"
        ))
        .ends(0);
    assert!(ran.err.contains("its folder is lanternfold"), "{}", ran.err);
    let files: Vec<String> = env.tree("kids/mill").into_iter().map(|(p, _)| p).collect();
    assert_eq!(files, ["parts/footer-credit.html", "preview.png", "style.css", "themecard.toml"]);
    let card = env.read("kids/mill/themecard.toml");
    for part in [
        "title = \"Mill\"",
        "parent = \"lanternfold\"",
        "parent_version = \"3.0.0\"",
        "author = \"Us\"",
        "licence = \"MIT\"",
    ] {
        assert!(card.contains(part), "{card}");
    }
    assert!(env.read("kids/mill/parts/footer-credit.html").contains("Us&amp;co"));
    let before = env.tree("kids");
    assert!(
        env.run("child new --parent packages/lanternfold-3.0.0.zip --name mill --into kids")
            .ends(2)
            .err
            .contains("there already")
    );
    assert!(env.run("child new --parent none.zip --name mill --into kids").ends(2).err.contains("no parent"));
    assert!(
        env.run("child new --parent packages/lanternfold-3.0.0.zip --name a/b --into kids")
            .ends(2)
            .err
            .contains("no name")
    );
    assert_eq!(env.tree("kids"), before);
    env.run("child new --parent site/lanternfold --name mill --zip mill.zip").ends(0);
    let zip = zip::ZipArchive::new(std::fs::File::open(env.path("mill.zip")).unwrap()).unwrap();
    assert!(zip.file_names().all(|n| n.unwrap().starts_with("mill/")));
}

#[test]
fn a_renamed_parent_is_followed_when_told() {
    let env = demo();
    env.theme(
        "lamp",
        &[("themecard.toml", "title = 'Lamp'\nname = 'lamp'\nversion = '1.0'\n"), ("parts/prices.html", "x\n")],
    );
    env.run("stock add packages/lanternfold-2.6.1.zip packages/lanternfold-3.0.0.zip packages/pennygate-2.0.zip")
        .ends(0);
    let before = env.tree("site/tidemill");
    let shown = env.run("child repoint site/tidemill --to lamp").ends(1);
    for part in
        ["themecard.toml:4", "parent = \"lamp\"", "../lamp/", "no file for these overrides", "parts/pager.html"]
    {
        assert!(shown.out.contains(part), "{part}\n{}", shown.out);
    }
    assert_eq!(env.tree("site/tidemill"), before, "only shown");
    let done = env.json("child repoint site/tidemill --to lamp --yes");
    assert_eq!((&done["written"], done["places"].as_array().unwrap().len()), (&true.into(), 2));
    assert!(env.read("site/tidemill/themecard.toml").contains("parent = \"lamp\""));
    assert!(env.run("child repoint site/tidemill --to nowhere").ends(2).err.contains("--to"));
}

#[cfg(unix)]
#[test]
fn permissions_and_deletions_come_back_too() {
    use std::os::unix::fs::PermissionsExt;
    let env = Env::new();
    env.theme("base", &[("a.txt", "1\n2\n"), ("gone.txt", "x\n"), ("gone.bin", "\0x"), ("run.sh", "#!/bin/sh\n")]);
    env.theme(
        "site",
        &[("a.txt", "1\n3\n"), ("own/tool.sh", "#!/bin/sh\necho\n"), ("run.sh", "#!/bin/sh\nexit\n")],
    );
    let set =
        |path: &str| std::fs::set_permissions(env.path(path), std::fs::Permissions::from_mode(0o755)).unwrap();
    let executable = |path: &str| std::fs::metadata(env.path(path)).unwrap().permissions().mode() & 0o111 != 0;
    ["base/run.sh", "site/run.sh", "site/own/tool.sh"].into_iter().for_each(set);
    for form in ["changes", "overlay"] {
        env.run(&format!("separate --base base --site site --into {form} --as {form}")).ends(0);
        env.run(&format!("verify {form}")).ends(0);
        // Into the base itself, the site is what comes out.
        let out = format!("out-{form}");
        env.run(&format!("carry --base base --changes {form} --release base --out {out}")).ends(0);
        assert_eq!(env.tree(&out), env.tree("site"));
        assert!(executable(&format!("{out}/own/tool.sh")) && executable(&format!("{out}/run.sh")));
        assert!(!executable(&format!("{out}/a.txt")));
    }
    // A file that is taken out of an overlay is the base's again, and the proof says so.
    std::fs::remove_file(env.path("overlay/a.txt")).unwrap();
    let told = env.json("verify overlay");
    assert_eq!(told["findings"][0]["path"], "a.txt");
    // What a change set says is deleted cannot be outside of the theme.
    env.write(
        "overlay.overlay.json",
        env.read("overlay.overlay.json").replace("gone.txt", "../site/a.txt").as_bytes(),
    );
    let refused = env.run("verify overlay").ends(2);
    assert!(refused.err.contains("leads out of the theme"), "{}", refused.err);
    let broken = env.read("changes/edits.diff").replace("-2", "-9");
    env.write("changes/edits.diff", broken.as_bytes());
    let refused = env.run("carry --base base --changes changes --release base --out none").ends(2);
    assert!(refused.err.contains("edits.diff") && refused.err.contains("line 2 of the base"), "{}", refused.err);
    assert!(!env.path("none").exists());
}
