//! Fuzzing without a special toolchain: mutated texts go through the diff, the merge of every language, every parser and
//! whole carries, and the laws are checked on what comes out.
//!
//! `cargo run --release -p daxle-core --example fuzz -- SECONDS [SEED] [FOLDER WITH SEED FILES]`
//!
//! A panic, a broken law or a case (some twenty merges) that takes more than eight seconds ends the run, with the case
//! written to a folder.

#![expect(clippy::disallowed_methods, reason = "a tool takes arguments, files and time")]

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

use daxle_core::carry::account::Theme;
use daxle_core::carry::settle::memory::Memory;
use daxle_core::carry::{CarryOptions, Inputs, Nowhere, carry, well_formed};
use daxle_core::catalog::{ByteOrder, Catalog, PluralRule, compile, read_mo, update};
use daxle_core::changes::survey;
use daxle_core::diff::{Edit, Interner, diff};
use daxle_core::formats::{CatalogSides, merge_file, sync_catalog};
use daxle_core::merge::{MergeOptions, SettingsRules, Trust};
use daxle_core::separate::changeset::{ChangeSet, Part, separate};
use daxle_core::separate::child::{self, Piece};
use daxle_core::separate::parse;
use daxle_core::settings::{SettingsFile, differences, move_settings};
use daxle_core::theme::{Kind, Layout, MemoryTree, Tree, find_stamp, kind_of};

/// A small generator of numbers: SplitMix64 (Steele, Lea, Flood 2014).
struct Random(u64);

impl Random {
    fn next(&mut self) -> u64 {
        self.0 = self.0.wrapping_add(0x9E37_79B9_7F4A_7C15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xBF58_476D_1CE4_E5B9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94D0_49BB_1331_11EB);
        z ^ (z >> 31)
    }

    fn below(&mut self, n: usize) -> usize {
        (self.next() % n.max(1) as u64) as usize
    }
}

const PATHS: [&str; 18] = [
    "a.html",
    "a.css",
    "a.scss",
    "a.js",
    "a.json",
    "a.po",
    "a.pot",
    "a.yaml",
    "a.toml",
    "a.ini",
    "a.md",
    "a.txt",
    "a.sass",
    "a.py",
    "a.php",
    "a.xml",
    "a.svg",
    "a.properties",
];

/// Pieces that parsers trip over.
const PIECES: [&str; 34] = [
    "\n",
    "\r\n",
    "\r",
    "\t",
    "    ",
    "{",
    "}",
    "[",
    "]",
    "(",
    ")",
    "\"",
    "'",
    "\\",
    "<",
    ">",
    "</",
    "/*",
    "*/",
    "<!--",
    "-->",
    "{{",
    "}}",
    "{%",
    "%}",
    "#",
    ":",
    "=",
    "- ",
    ",",
    "msgid \"",
    "msgstr[0] \"",
    "\u{feff}",
    "é",
];

fn main() {
    let mut args = std::env::args().skip(1);
    let seconds: u64 = args.next().and_then(|a| a.parse().ok()).unwrap_or(60);
    let seed: u64 = args.next().and_then(|a| a.parse().ok()).unwrap_or(1);
    let folder = args.next().map_or_else(|| PathBuf::from("demo"), PathBuf::from);
    let mut seeds = Vec::new();
    collect(&folder, &mut seeds);
    assert!(!seeds.is_empty(), "no seed files in {}", folder.display());
    let mut random = Random(seed);
    let (start, mut cases) = (Instant::now(), 0u64);
    while start.elapsed() < Duration::from_secs(seconds) {
        let path = PATHS[random.below(PATHS.len())];
        let texts = three(&mut random, &seeds, path);
        let dump = Dump { path, texts: &texts };
        let timed = || {
            let began = Instant::now();
            check(path, &texts);
            began.elapsed()
        };
        // A slow case is slow twice; once is the machine.
        let slow = Duration::from_secs(8);
        let took = timed();
        assert!(took < slow || timed() < slow, "a case took {took:?}");
        std::mem::forget(dump);
        cases += 1;
    }
    report(&format!("{cases} cases in {seconds} s, seed {seed}: no panic, no broken law, none slow"));
}

#[expect(clippy::print_stdout, reason = "a tool reports to the terminal")]
fn report(text: &str) {
    println!("{text}");
}

/// Writes the case out when a check panics.
struct Dump<'a> {
    path: &'a str,
    texts: &'a [Vec<u8>; 3],
}

impl Drop for Dump<'_> {
    fn drop(&mut self) {
        let folder = std::env::temp_dir().join("daxle-fuzz");
        let _ = std::fs::create_dir_all(&folder);
        for (text, side) in self.texts.iter().zip(["base", "site", "release"]) {
            let _ = std::fs::write(folder.join(format!("{side}-{}", self.path)), text);
        }
        report(&format!("the case is in {}", folder.display()));
    }
}

fn collect(folder: &Path, out: &mut Vec<Vec<u8>>) {
    for entry in std::fs::read_dir(folder).into_iter().flatten().filter_map(Result::ok) {
        let path = entry.path();
        if path.is_dir() {
            collect(&path, out);
        } else if let Ok(bytes) = std::fs::read(&path)
            && bytes.len() < 20_000
        {
            out.push(bytes);
        }
    }
    out.sort();
    out.dedup();
}

/// A base from a seed, and two versions of it; sometimes quite other texts.
fn three(random: &mut Random, seeds: &[Vec<u8>], path: &str) -> [Vec<u8>; 3] {
    let extension = path.rsplit('.').next().unwrap_or_default();
    let fitting: Vec<&Vec<u8>> = seeds.iter().filter(|s| fits(extension, s)).collect();
    let pick = |random: &mut Random| {
        if fitting.is_empty() || random.below(8) == 0 {
            seeds[random.below(seeds.len())].clone()
        } else {
            fitting[random.below(fitting.len())].clone()
        }
    };
    let base = pick(random);
    let version = |random: &mut Random| {
        let mut text = if random.below(20) == 0 { pick(random) } else { base.clone() };
        for _ in 0..random.below(6) {
            mutate(random, &mut text);
        }
        text
    };
    let (site, release) = (version(random), version(random));
    let mut base = base;
    if random.below(10) == 0 {
        mutate(random, &mut base);
    }
    [base, site, release]
}

fn fits(extension: &str, text: &[u8]) -> bool {
    let head = String::from_utf8_lossy(&text[..text.len().min(400)]).into_owned();
    match extension {
        "html" | "xml" | "svg" | "php" => head.contains('<'),
        "css" | "scss" | "sass" => head.contains('{') && head.contains(';'),
        "json" => head.trim_start().starts_with('{'),
        "po" | "pot" => head.contains("msgid"),
        "toml" | "ini" | "properties" => head.contains(" = "),
        "yaml" => head.contains(": "),
        _ => true,
    }
}

fn mutate(random: &mut Random, text: &mut Vec<u8>) {
    let lines: Vec<usize> = std::iter::once(0)
        .chain(text.iter().enumerate().filter(|(_, b)| **b == b'\n').map(|(k, _)| k + 1))
        .collect();
    let line = |random: &mut Random| lines[random.below(lines.len())].min(text.len());
    let (a, b) = (line(random), line(random));
    let (from, to) = (a.min(b), a.max(b));
    let to = to.min(from + 600);
    match random.below(10) {
        0 => drop(text.drain(from..to)),
        1 => {
            let copy = text[from..to].to_vec();
            let at = line(random);
            text.splice(at..at, copy);
        }
        2 => {
            let moved: Vec<u8> = text.drain(from..to).collect();
            let at = random.below(text.len() + 1);
            text.splice(at..at, moved);
        }
        3..=6 => {
            let piece = PIECES[random.below(PIECES.len())].as_bytes();
            let at = random.below(text.len() + 1);
            let end = (at + random.below(4)).min(text.len());
            text.splice(at..end, piece.iter().copied());
        }
        7 => {
            let at = random.below(text.len() + 1);
            let word = format!("word{}", random.below(50));
            text.splice(at..at, word.bytes());
        }
        8 => *text = String::from_utf8_lossy(text).replace('\n', "\r\n").into_bytes(),
        _ => {
            if !text.is_empty() {
                let at = random.below(text.len());
                text[at] = random.next() as u8;
            }
        }
    }
}

fn check(path: &str, [base, site, release]: &[Vec<u8>; 3]) {
    let kind = kind_of(path, site);
    check_diff(base, site);
    let merge = |b: &[u8], s: &[u8], r: &[u8]| merge_file(path, kind, b, s, r, &MergeOptions::default());
    if let Some(merged) = merge(base, site, release) {
        let again = merge(base, site, release).expect("the same again");
        assert_eq!(again.bytes, merged.bytes, "not deterministic");
        let valid = |text: &[u8]| well_formed(path, Kind::Settings, text).is_none();
        let settings = kind == Kind::Settings && merged.decisions.is_empty();
        if settings && [base, site, release].iter().all(|t| valid(t)) && !valid(&merged.bytes) {
            // Lines may give this; then the carry asks.
            assert!(!path.ends_with(".json"), "by key it cannot be malformed");
        }
    }
    for (b, s, r, expected) in [(base, base, release, release), (base, site, base, site), (base, site, site, site)]
    {
        if let Some(merged) = merge(b, s, r) {
            assert_eq!(&merged.bytes, expected, "a law is broken");
            assert!(merged.decisions.is_empty());
        }
    }
    find_stamp(site, None);
    find_stamp(site, Some("{# {name} {version} #}"));
    check_carry(path, base, site, release);
    check_separate(path, base, site);
    check_words(base, site, release);
    check_settings(path, kind, base, site, release);
    // Nonsense is an error, never a panic.
    let _ = parse(site);
    let _ = Memory::parse(&String::from_utf8_lossy(site));
}

/// Catalogs come up to a release in one step, and say compiled what they say.
fn check_words(base: &[u8], site: &[u8], release: &[u8]) {
    let _ = PluralRule::parse(&String::from_utf8_lossy(site));
    let _ = read_mo(site);
    let _ = read_mo(&[&b"\xde\x12\x04\x95\0\0\0\0"[..], site].concat());
    let _ = sync_catalog(CatalogSides { site, base: Some(base), release: Some(release), pot: Some(release) });
    let (Ok(mine), Ok(pot)) = (Catalog::parse(site), Catalog::parse(release)) else { return };
    if let Some(once) = update(&mine, &pot, &|_| false) {
        let first = Catalog::parse(&once.bytes).expect("what was updated is a catalog");
        let twice = update(&first, &pot, &|_| false).expect("the letters are the same");
        let texts = |bytes: &[u8]| {
            Catalog::parse(bytes)
                .expect("a catalog")
                .messages
                .iter()
                .map(|m| (m.id.clone(), m.texts.clone()))
                .collect::<Vec<_>>()
        };
        assert_eq!(texts(&twice.bytes), texts(&once.bytes), "an update of what is up to date changes it");
    }
    if let Some(compiled) = compile(&mine, ByteOrder::Big) {
        let back = read_mo(&compiled).expect("what was compiled is read");
        assert_eq!(compile(&back, ByteOrder::Big).as_deref(), Some(&compiled[..]), "it says something else");
    }
}

/// Patches lead from base to site, and what is moved stays readable.
fn check_settings(path: &str, kind: Kind, base: &[u8], site: &[u8], release: &[u8]) {
    for (hold, trust) in [(true, Trust::Normal), (true, Trust::Bold), (false, Trust::Bold)] {
        let settings = SettingsRules { hold, ..SettingsRules::default() };
        let options = MergeOptions { trust, settings, ..MergeOptions::default() };
        if let Some(merged) = merge_file(path, kind, base, site, release, &options)
            && path.ends_with(".json")
            && [base, site, release].iter().all(|t| well_formed(path, kind, t).is_none())
        {
            assert_eq!(well_formed(path, kind, &merged.bytes), None, "it is not well-formed");
        }
    }
    if let Some(found) = differences(path, base, site) {
        assert_eq!(found.settings.is_empty(), found.json_patch.is_empty(), "{:?}", found.settings);
    }
    let file = |bytes| SettingsFile { path, bytes };
    if let Ok(moved) = move_settings(file(site), Some(file(base)), file(release), None) {
        let _ = move_settings(file(site), Some(file(base)), file(&moved.bytes), None).expect("it is still read");
    }
}

/// What is taken out of a site gives the site back, as a change set and as a child theme.
fn check_separate(path: &str, base: &[u8], site: &[u8]) {
    let tree = |text: &[u8]| MemoryTree::new([(path, text.to_vec()), ("other.txt", b"x\n".to_vec())]);
    let (base, site, layout) = (tree(base), tree(site), Layout::default());
    let found = survey(&base, &site, &layout).expect("memory does not fail");
    let themes = [Theme::default(), Theme::default()];
    let parts = separate(&base, &site, &found, themes, &Default::default(), &layout).expect("memory does not fail");
    let bytes = |part| match part {
        Part::Bytes(bytes) => bytes,
        Part::SiteFile(k) => site.read(k).expect("memory does not fail"),
    };
    let folder = MemoryTree::new(parts.into_iter().map(|(p, part)| (p, bytes(part))));
    let set = ChangeSet::read(&folder).expect("what was written is read");
    let applied = set.apply(&folder, &base).expect("it fits its own base");
    for (path, bytes) in &applied.files {
        assert_eq!(bytes, &site.read_path(path), "the change set does not give the site back");
    }
    let split = child::separate(&base, &site, &layout, None, true).expect("memory does not fail");
    let mut parent: BTreeMap<String, Vec<u8>> =
        base.entries().iter().filter_map(|e| Some((e.path.clone(), base.read_path(&e.path)?))).collect();
    for (path, bytes) in split.beneath {
        match bytes {
            Some(bytes) => _ = parent.insert(path, bytes),
            None => _ = parent.remove(&path),
        }
    }
    let piece = |piece| match piece {
        Piece::Bytes(bytes) => bytes,
        Piece::SiteFile(k) => site.read(k).expect("memory does not fail"),
    };
    let kid = MemoryTree::new(split.child.into_iter().map(|(p, c)| (p, piece(c))));
    let apart =
        child::differences(&MemoryTree::new(parent), &kid, &site, &layout, &[]).expect("memory does not fail");
    assert!(apart.is_empty(), "parent and child do not come to the site: {apart:?}");
}

fn check_diff(old: &[u8], new: &[u8]) {
    let mut interner = Interner::new();
    let mut lines = |text: &'_ [u8]| -> Vec<u32> {
        text.split(|b| *b == b'\n').map(|l| interner.number(l.to_vec().into())).collect()
    };
    let (old, new) = (lines(old), lines(new));
    let mut out: Vec<u32> = Vec::new();
    let mut at = 0;
    for Edit { old: removed, new: added } in diff(&old, &new, |_| false) {
        out.extend_from_slice(&old[at..removed.start]);
        out.extend_from_slice(&new[added]);
        at = removed.end;
    }
    out.extend_from_slice(&old[at..]);
    assert_eq!(out, new, "the script does not lead from old to new");
}

fn check_carry(path: &str, base: &[u8], site: &[u8], release: &[u8]) {
    let tree = |text: &[u8]| MemoryTree::new([(path, text.to_vec())]);
    let (base, site, release) = (tree(base), tree(site), tree(release));
    let layout = Layout::default();
    let inputs = Inputs::new([&base, &site, &release], &layout);
    let account = carry(&inputs, &CarryOptions::default(), &Nowhere).expect("memory does not fail");
    assert!(account.totals.adds_up(), "{:?}", account.totals);
    let known = |id| account.changes.iter().any(|c| c.id == id);
    assert!(account.decisions.iter().flat_map(|d| d.changes.clone()).all(known), "a decision on nothing");
}
