//! `daxle demo`: the sample site, and the whole path on it.

use std::path::{Path, PathBuf};

use daxle_core::theme::Version;
use daxle_files::{Trouble, ZipEntry, write_file, write_zip};
use include_dir::{Dir, DirEntry, include_dir};

use super::Ended;
use crate::args::{
    Bounds, CarriedArgs, CarryArgs, DemoArgs, ForecastArgs, Global, LeaveSide, Links, MemoryArgs, Merging,
    ReleaseSource, Sources, SurveyArgs, TrustLevel, VerifyArgs,
};
use crate::console::{Console, Failure};
use crate::show::style;

/// The demo scenario, as it stands in the repository.
static DATA: Dir<'_> = include_dir!("$CARGO_MANIFEST_DIR/../../demo");

/// The themes that the vendor ships in packages: short name and versions.
const PACKAGES: [(&str, &[&str]); 2] =
    [("lanternfold", &["2.6.1", "2.7.0", "3.0.0"]), ("pennygate", &["1.4", "2.0"])];

pub(crate) fn run(args: DemoArgs, global: &Global, console: &Console) -> Result<Ended, Failure> {
    let dir = place(args.dir.as_deref())?;
    write_scenario(&dir)?;
    std::env::set_current_dir(&dir).map_err(|e| Trouble::io("enter", &dir, &e))?;

    let sources = Sources {
        settings: Vec::new(),
        base: Some("packages/lanternfold-2.6.1.zip".into()),
        site: "site/lanternfold".into(),
        inside: None,
        rename_ok: false,
        bounds: Bounds { links: Links::Refuse, max_files: 100_000, max_unpacked: 8192, max_nesting: 3 },
    };
    let release = ReleaseSource { release: "packages/lanternfold-3.0.0.zip".into() };
    let merging = Merging { trust: TrustLevel::Normal, leave: LeaveSide::Markers, keep_blanks: false };
    let common = "--base packages/lanternfold-2.6.1.zip --site site/lanternfold";
    let new = "--release packages/lanternfold-3.0.0.zip";

    console.say(&format!("The demo site is in {}\n", dir.display()));
    let step = |command: &str| {
        let t = style::TITLE;
        console.say(&format!("{t}$ daxle {command}{t:#}"));
    };
    step(&format!("survey {common}"));
    super::survey::run(&SurveyArgs { sources: sources.clone(), show: false, since: None }, global, console)?;
    console.say("");
    step(&format!("forecast {common} {new}"));
    let forecast = ForecastArgs { sources: sources.clone(), release: release.clone(), merging: merging.clone() };
    super::forecast::run(&forecast, global, console)?;
    console.say("");
    step(&format!("carry {common} {new} --out carried"));
    let bounds = sources.bounds.clone();
    let carry = CarryArgs {
        sources,
        release: vec![release.release],
        child: Vec::new(),
        prune: false,
        through: Vec::new(),
        merging,
        out: "carried".into(),
        account: None,
        replace: false,
        memory: MemoryArgs::default(),
        ask_again: false,
    };
    super::carry::run(&carry, global, console)?;
    console.say("");
    step("verify carried");
    let verify = VerifyArgs {
        carried: CarriedArgs {
            dir: "carried".into(),
            account: None,
            base: None,
            site: None,
            release: None,
            bounds,
        },
    };
    let ended = super::verify::run(&verify, global, console)?;
    console.say(&format!(
        "\nThe new release with the site's changes lies in {}\n\
         Try next, in {}:\n  \
         daxle settle carried, on a terminal one by one, or with --answers answers.toml all at once\n  \
         daxle report carried --out report.html\n  \
         daxle place carried --at site/lanternfold, and daxle rollback --at site/lanternfold\n  \
         daxle survey {common} --show\n  \
         daxle stock add packages/*.zip, then daxle child overrides site/tidemill\n  \
         daxle carry {common} {new} --out strict --trust strict",
        dir.join("carried").display(),
        dir.display(),
    ));
    // Open decisions are what the demo is there to show.
    let _ = ended;
    Ok(Ended::Clean)
}

/// The demo's folder: the given one, new or empty, or a temporary one that stays.
fn place(given: Option<&Path>) -> Result<PathBuf, Trouble> {
    let Some(dir) = given else {
        let temporary = tempfile::Builder::new().prefix("daxle-demo-").tempdir();
        return temporary
            .map(tempfile::TempDir::keep)
            .map_err(|e| Trouble::io("make a folder in", &std::env::temp_dir(), &e));
    };
    if std::fs::read_dir(dir).is_ok_and(|mut list| list.next().is_some()) || dir.is_file() {
        return Err(Trouble::new(format!("{} is there already and is not empty", dir.display()))
            .hint("name a new folder for the demo"));
    }
    std::fs::create_dir_all(dir).map_err(|e| Trouble::io("make the folder", dir, &e))?;
    dir.canonicalize().map_err(|e| Trouble::io("open", dir, &e))
}

/// Writes the site, its configuration, and the vendor's packages.
fn write_scenario(dir: &Path) -> Result<(), Trouble> {
    for (path, bytes) in files("site") {
        write_file(&dir.join("site").join(path), bytes)?;
    }
    for name in ["daxle.toml", "answers.toml"] {
        if let Some(file) = DATA.get_file(name) {
            write_file(&dir.join(name), file.contents())?;
        }
    }
    for (name, versions) in PACKAGES {
        for version in versions {
            write_file(&dir.join(format!("packages/{name}-{version}.zip")), &package(name, version)?)?;
        }
    }
    Ok(())
}

/// Packs a release as the vendor does: documentation, licence, change log, a sample child theme, and the theme
/// itself as an archive inside.
fn package(name: &str, version: &str) -> Result<Vec<u8>, Trouble> {
    let entry = |path: String, bytes: &[u8]| ZipEntry { path, bytes: bytes.to_vec(), executable: false };
    let inner = |folder: &str, name: &str| {
        write_zip(files(folder).into_iter().map(|(path, bytes)| entry(format!("{name}/{path}"), bytes)).collect())
    };
    let mut outer =
        vec![entry(format!("{name}-{version}/{name}.zip"), &inner(&format!("vendor/{name}-{version}"), name)?)];
    if name == "lanternfold" {
        let child = inner("package/child-sample", "lanternfold-child")?;
        outer.push(entry(format!("{name}-{version}/lanternfold-child.zip"), &child));
        for (path, bytes) in files("package").into_iter().filter(|(p, _)| !p.starts_with("child-sample")) {
            let bytes = if path == "CHANGELOG.md" { log_up_to(bytes, version) } else { bytes.to_vec() };
            outer.push(entry(format!("{name}-{version}/{path}"), &bytes));
        }
    }
    write_zip(outer)
}

/// The change log as it was when a version came out: without the sections of later ones.
fn log_up_to(log: &[u8], version: &str) -> Vec<u8> {
    let text = String::from_utf8_lossy(log);
    let own = Version::parse(version);
    let mut keep = true;
    let lines = text.split_inclusive('\n').filter(|line| {
        if let Some(heading) = line.strip_prefix("## ") {
            keep = Version::parse(heading.split(' ').next().unwrap_or("")) <= own;
        }
        keep
    });
    lines.collect::<String>().into_bytes()
}

/// The files below a folder of the demo data, with paths from that folder.
fn files(folder: &str) -> Vec<(String, &'static [u8])> {
    fn walk(dir: &'static Dir<'static>, out: &mut Vec<(String, &'static [u8])>) {
        for item in dir.entries() {
            match item {
                DirEntry::Dir(dir) => walk(dir, out),
                DirEntry::File(file) => {
                    out.push((file.path().to_string_lossy().replace('\\', "/"), file.contents()));
                }
            }
        }
    }
    let mut out = Vec::new();
    if let Some(dir) = DATA.get_dir(folder) {
        walk(dir, &mut out);
    }
    for (path, _) in &mut out {
        *path = path[folder.len()..].trim_start_matches('/').to_string();
    }
    out.sort();
    out
}
