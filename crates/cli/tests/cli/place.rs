//! Packing, placing, going back and sweeping; and what an interruption leaves.

use std::fs;
use std::process::{Command, Stdio};
use std::time::Duration;

use crate::env::{CARRY, Env, small};

/// A carried theme, and the site's copy as it lies live, with uploads of its own.
fn live() -> Env {
    let env = small();
    env.write("daxle.toml", b"[live]\nowned = ['uploads/**', 'cache/**']\n");
    env.run(CARRY).ends(0);
    for (path, bytes) in env.tree("site") {
        env.write(&format!("www/theme/{path}"), &bytes);
    }
    env.write("www/theme/uploads/2026/a.jpg", b"\0photo");
    env
}

fn themes(env: &Env) -> Vec<(String, Vec<u8>)> {
    env.tree("www/theme").into_iter().filter(|(p, _)| !p.starts_with("uploads")).collect()
}

#[test]
fn a_result_is_placed_and_taken_back_step_by_step() {
    let env = live();
    let (old, new) = (env.tree("site"), env.tree("out"));
    let dry = env.run("place out --at www/theme --dry-run").ends(0);
    assert!(dry.out.contains("Would place"), "{}", dry.out);
    assert_eq!(themes(&env), old);
    assert!(!env.path("www/.theme.backups").exists(), "a trial run leaves nothing");

    let done = env.run("place out --at www/theme").ends(0);
    assert!(done.out.contains("rollback --at"), "{}", done.out);
    assert_eq!(themes(&env), new);
    assert_eq!(env.read("www/theme/uploads/2026/a.jpg"), "\0photo");
    let again = env.run("place out --at www/theme").ends(0);
    assert!(again.err.contains("live at") && again.err.contains("already"), "{}", again.err);

    // A later upload stays through a rollback; a second rollback goes one further.
    env.write("out2/style.css", b"second\n");
    fs::copy(env.path("out.account.json"), env.path("out2.account.json")).unwrap();
    env.run("place out2 --at www/theme --anyway").ends(0);
    env.write("www/theme/uploads/late.txt", b"late");
    env.run("rollback --at www/theme").ends(0);
    assert_eq!(themes(&env), new);
    env.run("rollback --at www/theme").ends(0);
    assert_eq!(themes(&env), old);
    assert_eq!(env.read("www/theme/uploads/late.txt"), "late");
    let end = env.run("rollback --at www/theme").ends(2);
    assert!(end.err.contains("nothing to go back to") && end.err.contains("--to"), "{}", end.err);

    // What was live is kept too, until it is swept.
    let copies = env.json("sweep --at www/theme");
    let copies = copies["copies"].as_array().unwrap();
    assert_eq!(copies.len(), 4);
    let newest = copies[0]["name"].as_str().unwrap();
    env.run(&format!("rollback --at www/theme --to {newest}")).ends(0);
    assert_eq!(themes(&env), new);
    let swept = env.run("sweep --at www/theme --keep 1").ends(0);
    assert!(swept.out.contains("Removed"), "{}", swept.out);
    assert_eq!(env.json("sweep --at www/theme")["copies"].as_array().unwrap().len(), 1);
    let journal = env.read("www/.theme.backups/journal.jsonl");
    assert!(journal.lines().all(|l| serde_json::from_str::<serde_json::Value>(l).is_ok()));
}

#[test]
fn nothing_is_placed_over_edits_or_open_decisions() {
    let env = live();
    env.write("www/theme/style.css", b"edited since\n");
    env.write("www/theme/extra.txt", b"new\n");
    fs::remove_file(env.path("www/theme/own.txt")).unwrap();
    let before = env.tree("www/theme");
    let refused = env.run("place out --at www/theme").ends(2);
    for wanted in ["changed  style.css", "added    extra.txt", "removed  own.txt", "carry again"] {
        assert!(refused.err.contains(wanted), "{wanted}\n{}", refused.err);
    }
    let told = env.json("place out --at www/theme --dry-run");
    assert_eq!(told["drift"].as_array().unwrap().len(), 3);
    assert_eq!(env.tree("www/theme"), before);

    let env = live();
    env.write("out/style.css", b"<<<<<<< site\n");
    let broken = env.run("place out --at www/theme").ends(2);
    assert!(broken.err.contains("verify finds"), "{}", broken.err);
    let missing = env.run("place out --at www/none").ends(2);
    assert!(missing.err.contains("--at"), "{}", missing.err);
    let inside = env.run("place out --at out").ends(2);
    assert!(inside.err.contains("overlap"), "{}", inside.err);
}

#[test]
fn the_old_copy_can_be_an_archive() {
    let env = live();
    let old = env.tree("www/theme");
    env.run("place out --at www/theme --backup-to kept/old.zip").ends(0);
    assert!(env.path("kept/old.zip").is_file());
    env.run("rollback --at www/theme").ends(0);
    assert_eq!(env.tree("www/theme"), old);
    let taken = env.run("place out --at www/theme --backup-to kept/old.zip").ends(2);
    assert!(taken.err.contains("is there already"), "{}", taken.err);
}

#[cfg(unix)]
#[test]
fn permissions_are_kept() {
    use std::os::unix::fs::PermissionsExt;
    let env = live();
    let mode = |path: &str| fs::metadata(env.path(path)).unwrap().permissions().mode() & 0o777;
    fs::set_permissions(env.path("www/theme/page.html"), fs::Permissions::from_mode(0o640)).unwrap();
    fs::set_permissions(env.path("www/theme"), fs::Permissions::from_mode(0o750)).unwrap();
    env.run("place out --at www/theme").ends(0);
    assert_eq!((mode("www/theme/page.html"), mode("www/theme"), mode("www/theme/img")), (0o640, 0o750, 0o755));
}

#[test]
fn an_archive_for_upload_is_the_same_every_time() {
    let env = small();
    env.write("release/themecard.toml", b"title = 'Small'\nname = 'small-theme'\nversion = '2.0'\n");
    env.run(CARRY).ends(0);
    env.run("pack out --out a.zip").ends(0);
    env.run("pack out --out b.zip").ends(0);
    assert_eq!(fs::read(env.path("a.zip")).unwrap(), fs::read(env.path("b.zip")).unwrap());
    let zip = zip::ZipArchive::new(fs::File::open(env.path("a.zip")).unwrap()).unwrap();
    let mut names: Vec<String> = zip.file_names().map(|n| n.unwrap().into_owned()).collect();
    names.sort();
    let wanted: Vec<String> = env.tree("out").into_iter().map(|(p, _)| format!("small-theme/{p}")).collect();
    assert_eq!(names, wanted);
    assert!(env.run("pack out --out a.zip").ends(2).err.contains("--replace"));
}

/// Runs the program and kills it after a while; tells whether it had ended by itself.
fn killed(env: &Env, args: &str, after: Duration) -> bool {
    let mut child = Command::new(assert_cmd::cargo::cargo_bin("daxle"))
        .args(args.split_whitespace())
        .current_dir(env.path(""))
        .stdout(Stdio::null())
        .stderr(Stdio::null())
        .spawn()
        .expect("to run");
    std::thread::sleep(after);
    let ended = child.try_wait().expect("to ask").is_some();
    let _ = child.kill();
    child.wait().expect("to end");
    ended
}

/// A theme of many files that all say which version they are of.
fn many(env: &Env, folder: &str, version: &str) {
    for k in 0..150 {
        env.write(&format!("{folder}/part{}/file{k}.txt", k % 7), format!("{version} of {k}\n").as_bytes());
    }
}

#[test]
fn a_kill_at_any_time_leaves_one_whole_theme() {
    let env = Env::new();
    many(&env, "base", "old");
    many(&env, "site", "old");
    many(&env, "release", "new");
    env.run(CARRY).ends(0);
    many(&env, "www/theme", "old");
    let whole = || {
        let tree = env.tree("www/theme");
        assert_eq!(tree.len(), 150);
        let version = |bytes: &[u8]| bytes[..3].to_vec();
        let first = version(&tree[0].1);
        assert!(tree.iter().all(|(_, bytes)| version(bytes) == first), "half of one and half of the other");
        String::from_utf8(first).unwrap()
    };
    let mut seen = std::collections::BTreeSet::new();
    let mut delay = Duration::from_micros(500);
    for round in 0..160 {
        let ended = if whole() == "old" {
            killed(&env, "place out --at www/theme", delay)
        } else {
            killed(&env, "rollback --at www/theme", delay)
        };
        seen.insert(whole());
        // From a start that is too short for anything to one in which all is done, and again.
        delay = if ended { Duration::from_micros(500 + round * 13) } else { delay.mul_f64(1.15) };
    }
    assert_eq!(seen.len(), 2, "both are reached");
    // The next command goes on from whatever was left.
    if whole() == "old" {
        env.run("place out --at www/theme").ends(0);
    }
    assert_eq!(whole(), "new");
    env.run("rollback --at www/theme").ends(0);
    assert_eq!(whole(), "old");
    let left: Vec<_> = fs::read_dir(env.path("www/.theme.backups"))
        .unwrap()
        .map(|e| e.unwrap().file_name().into_string().unwrap())
        .filter(|n| n.starts_with("next-"))
        .collect();
    assert!(left.is_empty(), "{left:?}");
}

#[test]
fn a_kill_leaves_a_carry_and_its_answers_whole() {
    let env = Env::new();
    let text = |a: &str| (0..40).map(|k| format!(".r{k} {{\n  top: {a}{k}px;\n}}\n\n")).collect::<String>();
    for (folder, a) in [("base", "1"), ("site", "2"), ("release", "3")] {
        env.theme(folder, &[("a.css", text(a).as_str()), ("b.css", text(a).as_str())]);
    }
    env.run(CARRY).ends(1);
    let first = env.tree("out");
    let mut delay = Duration::from_micros(500);
    for _ in 0..60 {
        let ended = killed(&env, &format!("{CARRY} --replace --ask-again"), delay);
        assert_eq!(env.tree("out"), first, "the old result or the new one, which is the same");
        delay = if ended { Duration::from_micros(700) } else { delay.mul_f64(1.2) };
    }
    env.run(&format!("{CARRY} --replace --ask-again")).ends(1);
    for _ in 0..25 {
        let ended = killed(&env, "settle out --all --take site", delay);
        for (path, bytes) in env.tree("out") {
            let text = String::from_utf8(bytes).unwrap();
            let markers = text.matches("<<<<<<< site").count();
            assert!(markers == 0 || markers == 40, "{path} is half settled: {markers}");
        }
        if ended {
            break;
        }
        delay = delay.mul_f64(1.3);
    }
    env.run("settle out --all --take site");
    let ran = env.run("verify out").ends(0);
    assert!(ran.out.contains("every change is accounted for"), "{}", ran.out);
}
