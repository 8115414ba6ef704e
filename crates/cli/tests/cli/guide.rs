//! The guide's own commands, run in their order on the demo.

use std::process::Command;

use crate::env::Env;

const GUIDE: &str = include_str!("../../../../docs/guide.md");

#[test]
fn every_command_of_the_guide_does_what_it_says() {
    let env = Env::new();
    env.run("demo mill").ends(0);
    let env = env.within("mill");
    let program = assert_cmd::cargo::cargo_bin("daxle");
    let paths = std::env::join_paths(
        std::iter::once(program.parent().unwrap().to_path_buf())
            .chain(std::env::split_paths(&std::env::var_os("PATH").unwrap_or_default())),
    );
    let blocks = GUIDE.split("```sh\n").skip(1).map(|b| b.split("```").next().unwrap());
    let lines: Vec<&str> = blocks.flat_map(str::lines).map(|l| l.split(" #").next().unwrap().trim()).collect();
    assert!(lines.len() >= 12, "{lines:?}");
    for line in lines {
        let out = Command::new("sh")
            .args(["-c", line])
            .current_dir(env.path(""))
            .env("PATH", paths.as_ref().unwrap())
            .output()
            .unwrap();
        let code = out.status.code().unwrap();
        // What is open is said by 1; the settled decisions make the rest end well.
        let open = ["forecast", "carry", "settle"].iter().any(|c| line.starts_with(&format!("daxle {c}")));
        assert!(code == 0 || (code == 1 && open), "{line}\n{}", String::from_utf8_lossy(&out.stderr));
    }
    let proved = env.json("verify carried");
    assert_eq!((&proved["proved"], &proved["totals"]["open"]), (&true.into(), &0.into()));
    assert!(env.path("lanternfold.zip").is_file() && env.path("report.html").is_file());
}

#[test]
fn every_picture_and_page_that_is_named_is_there() {
    let root = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
    for (page, folder) in [("README.md", ""), ("docs/guide.md", "docs/"), ("docs/merging.md", "docs/")] {
        let text = std::fs::read_to_string(root.join(page)).unwrap();
        for link in text.split("](").skip(1).filter_map(|l| l.split(')').next()) {
            if !link.starts_with("http") && !link.starts_with('#') {
                let path = root.join(folder).join(link.split('#').next().unwrap());
                assert!(path.exists(), "{page} names {link}");
            }
        }
    }
}

/// Every command by its way to say what is wrong: one screen, the way out, exit code 2, nothing written.
#[test]
fn every_new_command_says_what_is_wrong_with_its_input() {
    let env = Env::new();
    env.theme("site", &[("a.txt", "1\n")]);
    env.write("broken.account.json", b"{");
    env.theme("broken", &[("a.txt", "1\n")]);
    let before = env.tree("");
    for (args, wanted) in [
        ("settle nothing", "there is no result at nothing"),
        ("settle site", "site.account.json"),
        ("settle broken", "is no account"),
        ("report site --out page.html", "site.account.json"),
        ("pack nothing --out x.zip", "daxle carry --out"),
        ("place site --at site", "site.account.json"),
        ("rollback --at nothing", "--at"),
        ("rollback --at site", "nothing to go back to"),
        ("sweep --at site --remove x", "there is no copy x"),
        ("separate --base nothing --site site --into out --as changes", "nothing"),
        ("child new --parent nothing --name x", "--parent"),
        ("child repoint nothing --to site", "is no folder"),
        ("child repoint site --to site", "names no parent"),
    ] {
        let ran = env.run(args).ends(2);
        assert!(ran.err.contains(wanted) && ran.out.is_empty(), "{args}\n{}", ran.err);
        assert!(ran.err.lines().count() <= 6, "{args}\n{}", ran.err);
    }
    let left: Vec<_> = env.tree("").into_iter().filter(|(p, _)| !p.contains(".backups/")).collect();
    assert_eq!(left, before);
}
