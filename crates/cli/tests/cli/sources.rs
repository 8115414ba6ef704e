//! Folders, archives, packages, and hostile ones.

use std::io::Write;

use zip::write::SimpleFileOptions;

use crate::env::{CARRY, Env, small};

fn zip(files: &[(&str, &[u8])]) -> Vec<u8> {
    let mut out = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    for (name, bytes) in files {
        out.start_file(*name, SimpleFileOptions::default()).unwrap();
        out.write_all(bytes).unwrap();
    }
    out.finish().unwrap().into_inner()
}

/// A TAR.GZ with names written as they are, which the library itself would refuse.
fn tar_gz(files: &[(&str, &[u8], tar::EntryType)]) -> Vec<u8> {
    let mut out = tar::Builder::new(flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::fast()));
    for (name, bytes, kind) in files {
        let mut header = tar::Header::new_gnu();
        header.as_mut_bytes()[..name.len()].copy_from_slice(name.as_bytes());
        header.set_size(bytes.len() as u64);
        header.set_mode(0o644);
        header.set_entry_type(*kind);
        header.set_cksum();
        out.append(&header, *bytes).unwrap();
    }
    out.into_inner().unwrap().finish().unwrap()
}

fn release_zip(env: &Env, prefix: &str) -> Vec<u8> {
    let files: Vec<(String, Vec<u8>)> =
        env.tree("release").into_iter().map(|(n, b)| (format!("{prefix}{n}"), b)).collect();
    zip(&files.iter().map(|(n, b)| (n.as_str(), b.as_slice())).collect::<Vec<_>>())
}

#[test]
fn every_form_of_a_release_gives_the_same_result() {
    let env = small();
    env.run(CARRY).ends(0);
    let expected = env.tree("out");
    env.write("plain.zip", release_zip(&env, ""));
    env.write("topped.zip", release_zip(&env, "theme-2.0/"));
    let inner = release_zip(&env, "theme/");
    env.write("package.zip", zip(&[("pkg/docs/readme.txt", b"read me"), ("pkg/theme.zip", &inner)]));
    let entries: Vec<(String, Vec<u8>)> = env.tree("release");
    let entries: Vec<_> =
        entries.iter().map(|(n, b)| (n.as_str(), b.as_slice(), tar::EntryType::Regular)).collect();
    env.write("theme.tar.gz", tar_gz(&entries));
    for source in ["plain.zip", "topped.zip", "package.zip", "theme.tar.gz"] {
        env.run(
            &CARRY
                .replace("--release release", &format!("--release {source}"))
                .replace("--out out", &format!("--out {}", source.split('.').next().unwrap())),
        )
        .ends(0);
        assert_eq!(env.tree(source.split('.').next().unwrap()), expected, "{source}");
    }
}

#[test]
fn of_several_themes_in_a_package_one_is_named_or_meant() {
    let env = Env::new();
    let card = |name: &str| format!("title = \"{name}\"\nname = \"{name}\"\nversion = \"1.0\"\n");
    let inner = |name: &str, files: &[(&str, &[u8])]| {
        let card = card(name);
        let mut all: Vec<(&str, &[u8])> = vec![("themecard.toml", card.as_bytes())];
        all.extend(files);
        zip(&all)
    };
    let (one, two) = (inner("one", &[("a.css", b"a")]), inner("two", &[("b.css", b"b")]));
    env.write("both.zip", zip(&[("one.zip", &one), ("two.zip", &two)]));
    env.theme("site", &[("other.css", "x")]);
    let ran = env.run("survey --base both.zip --site site").ends(2);
    assert!(
        ran.err.contains("several themes: one.zip (one), two.zip (two)") && ran.err.contains("--inside"),
        "{}",
        ran.err
    );
    env.run("survey --base both.zip --site site --inside two.zip").ends(0);
    // The site's paths tell which is meant.
    env.theme("site2", &[("b.css", "changed"), ("themecard.toml", &card("two"))]);
    assert!(env.run("survey --base both.zip --site site2").ends(0).out.starts_with("two 1.0"));
}

#[test]
fn what_lies_beside_the_sites_theme_is_named() {
    let env = small();
    env.write("whole/old.zip", zip(&[("readme.txt", b"old")]));
    env.write("whole/own-fonts/own.woff2", b"wOF2");
    let card = "title = \"Mill\"\nname = \"mill\"\nversion = \"1.0\"\n";
    env.theme("whole/mill", &[("a.css", "b {}\n"), ("themecard.toml", card)]);
    env.theme("base", &[("a.css", "a {}\n"), ("themecard.toml", card)]);
    let ran = env.run("survey --base base --site whole").ends(0);
    let told = "the theme in whole is at mill; not looked at beside it: old.zip, own-fonts/";
    assert!(ran.err.contains(told) && ran.err.contains("--inside ."), "{}", ran.err);
    // What is named is a place in another source.
    assert!(env.run("survey --base base --site whole --inside theme.zip").ends(0).err.contains(told));
    for args in ["--site whole/mill", "--site whole --inside mill/"] {
        assert!(!env.run(&format!("survey --base base {args}")).ends(0).err.contains("not looked at"), "{args}");
    }
    assert!(env.run("survey --base base --site whole --inside .").ends(0).out.contains("own-fonts/own.woff2"));
}

#[test]
fn hostile_archives_are_refused_whole() {
    let env = small();
    let link = tar_gz(&[("a.css", b"", tar::EntryType::Symlink)]);
    let cases: [(&str, Vec<u8>, &str); 7] = [
        ("up.zip", zip(&[("../evil.txt", b"x")]), "leads out"),
        ("absolute.zip", zip(&[("/etc/evil", b"x")]), "absolute"),
        ("drive.zip", zip(&[("c:evil", b"x")]), "drive"),
        ("case.zip", zip(&[("a.css", b"x"), ("A.css", b"y")]), "on some systems"),
        ("link.tar.gz", link, "is a link"),
        ("up.tar.gz", tar_gz(&[("a/../../evil", b"x", tar::EntryType::Regular)]), "leads out"),
        ("fifo.tar.gz", tar_gz(&[("pipe", b"", tar::EntryType::Fifo)]), "neither a file nor a folder"),
    ];
    for (name, bytes, why) in cases {
        env.write(name, &bytes);
        let ran = env.run(&CARRY.replace("--release release", &format!("--release {name}"))).ends(2);
        assert!(ran.err.contains(why) && ran.err.contains(name), "{name}: {}", ran.err);
        assert!(!env.path("out").exists() && !env.path("evil.txt").exists() && !env.path("evil").exists());
    }
    let bomb = zip(&[("big.css", &vec![b' '; 3 << 20])]);
    env.write("bomb.zip", &bomb);
    let args = CARRY.replace("--release release", "--release bomb.zip --max-unpacked 1");
    assert!(env.run(&args).ends(2).err.contains("--max-unpacked"));
    let args = CARRY.replace("--release release", "--release release --max-files 2");
    assert!(env.run(&args).ends(2).err.contains("--max-files"));
}

#[test]
fn damaged_archives_are_named() {
    let env = small();
    let whole = release_zip(&env, "");
    env.write("cut.zip", &whole[..whole.len() / 2]);
    let ran = env.run(&CARRY.replace("--release release", "--release cut.zip")).ends(2);
    assert!(ran.err.contains("cut.zip") && ran.err.contains("download it again"), "{}", ran.err);
    // The flag for encryption, set by hand in the local and the central header.
    let mut locked = zip(&[("a.css", b"secret")]);
    locked[6] |= 1;
    let central = locked.windows(4).position(|w| w == b"PK\x01\x02").unwrap();
    locked[central + 8] |= 1;
    env.write("locked.zip", &locked);
    let ran = env.run(&CARRY.replace("--release release", "--release locked.zip")).ends(2);
    assert!(ran.err.contains("encrypted") && ran.err.contains("password"), "{}", ran.err);
}

#[test]
fn archives_lie_in_archives_only_so_deep() {
    let env = small();
    let mut package = release_zip(&env, "theme/");
    for name in ["a.zip", "b.zip", "c.zip"] {
        package = zip(&[(name, &package), ("readme.txt", b"see inside")]);
    }
    env.write("deep.zip", &package);
    let args = CARRY.replace("--release release", "--release deep.zip");
    let ran = env.run(&args).ends(2);
    assert!(ran.err.contains("c.zip/b.zip/a.zip") || ran.err.contains("a.zip was not looked into"), "{}", ran.err);
    assert!(ran.err.contains("--max-nesting") && !env.path("out").exists(), "{}", ran.err);
    env.run(&format!("{args} --max-nesting 4")).ends(0);
    // All archives of a source share one bound.
    let padded = zip(&[("big.css", &vec![b' '; 700 << 10]), ("theme.zip", &release_zip(&env, "theme/"))]);
    env.write("padded.zip", zip(&[("one.zip", &padded), ("two.zip", &padded)]));
    let args = CARRY.replace("--release release", "--release padded.zip --max-unpacked 1");
    assert!(env.run(&args).ends(2).err.contains("--max-unpacked"));
}

#[cfg(unix)]
#[test]
fn links_follow_the_rule() {
    use std::os::unix::fs::symlink;
    let env = small();
    symlink("style.css", env.path("site/link.css")).unwrap();
    assert!(env.run(CARRY).ends(2).err.contains("--links keep"));
    env.run(&format!("{CARRY} --links skip")).ends(0);
    assert!(!env.path("out/link.css").exists());
    env.run(&format!("{CARRY} --replace --links keep")).ends(0);
    let target = std::fs::read_link(env.path("out/link.css")).unwrap();
    assert_eq!(target.to_str(), Some("style.css"));
    env.run("verify out --links keep").ends(0);
    // A link that may lead anywhere is refused, in a folder and in an archive.
    symlink("../base/style.css", env.path("site/away.css")).unwrap();
    let ran = env.run(&format!("{CARRY} --replace --links keep")).ends(2);
    assert!(ran.err.contains("away.css") && ran.err.contains("outside of the theme"), "{}", ran.err);
    std::fs::remove_file(env.path("site/away.css")).unwrap();
    let archive = |target: &str| {
        let mut out = tar::Builder::new(flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::fast()));
        for (name, bytes) in env.tree("release") {
            let mut header = tar::Header::new_gnu();
            header.set_size(bytes.len() as u64);
            header.set_mode(0o644);
            out.append_data(&mut header, &name, bytes.as_slice()).unwrap();
        }
        let mut header = tar::Header::new_gnu();
        header.set_entry_type(tar::EntryType::Symlink);
        header.set_size(0);
        out.append_link(&mut header, "img/also.css", target).unwrap();
        out.into_inner().unwrap().finish().unwrap()
    };
    let args = format!("{CARRY} --replace --links keep").replace("--release release", "--release linked.tar.gz");
    env.write("linked.tar.gz", archive("../style.css"));
    env.run(&args).ends(0);
    assert_eq!(env.read("out/img/also.css"), env.read("out/style.css"));
    for target in ["../../style.css", "/etc/passwd", "x/../../y"] {
        env.write("linked.tar.gz", archive(target));
        assert!(env.run(&args).ends(2).err.contains("is a link to"), "{target}");
    }
}
