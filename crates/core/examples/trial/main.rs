//! Tries the merge on real sources: `cargo run --release -p daxle-core --example trial -- DIR [CASE] [--show N]
//! [--asked N] [--dump FOLDER] [--plain] [--seeds N]`.
//!
//! DIR holds folders of versions (see `tools/fetch-themes`). From each pair of neighbouring versions of a file
//! cases with a known answer are made (see [`cases::MAKERS`]), merged, and compared; from each pair of versions of a
//! theme, cases of whole folders (see [`folders::MAKERS`]). Prints how many came out right, how many were asked, and
//! the wrong ones; with `--plain`, what `diff3 -m` makes of the same cases of files, and how many lines each leaves
//! between markers where both ask.

#![expect(clippy::print_stdout, clippy::disallowed_methods, reason = "a tool for the terminal")]

mod cases;
mod folders;
mod plain;
mod sources;

use std::collections::BTreeMap;
use std::fs;
use std::path::Path;

use daxle_core::formats::merge_file;
use daxle_core::merge::{MergeOptions, TextMerge};
use daxle_core::theme::Kind;
use rayon::prelude::*;

use cases::{Case, Dice, Language, MAKERS};
use plain::{marked, plain_merge};
use sources::Pair;

/// How a merge came out.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Verdict {
    Right,
    Asked,
    /// Right but for white space.
    Spaced,
    Wrong,
}

/// One case that was tried.
struct Tried {
    name: &'static str,
    kind: Kind,
    /// The file and the seed, to find it again.
    label: String,
    case: Case,
    merged: TextMerge,
    verdict: Verdict,
    /// The plain merge's verdict and the lines that it left between markers.
    plain: Option<(Verdict, usize)>,
}

#[derive(Default)]
struct Tally {
    right: usize,
    asked: usize,
    spaced: usize,
    wrong: usize,
}

impl Tally {
    fn add(&mut self, verdict: Verdict) {
        *match verdict {
            Verdict::Right => &mut self.right,
            Verdict::Asked => &mut self.asked,
            Verdict::Spaced => &mut self.spaced,
            Verdict::Wrong => &mut self.wrong,
        } += 1;
    }

    fn share_right(&self) -> f64 {
        100.0 * self.right as f64 / (self.right + self.asked + self.spaced + self.wrong).max(1) as f64
    }
}

/// What was asked for on the command line.
struct Wanted {
    only: Option<String>,
    seeds: u64,
    show: usize,
    show_asked: usize,
    dump: Option<String>,
    plain: bool,
}

fn main() {
    let args: Vec<String> = std::env::args().skip(1).collect();
    let dir = args.first().expect("a folder of themes");
    let value = |name: &str| args.iter().position(|a| a == name).and_then(|k| args.get(k + 1)).cloned();
    let number = |name: &str| value(name).and_then(|n| n.parse().ok());
    let wanted = Wanted {
        only: args.get(1).filter(|a| !a.starts_with("--")).cloned(),
        seeds: number("--seeds").unwrap_or(4),
        show: number("--show").unwrap_or(0) as usize,
        show_asked: number("--asked").unwrap_or(0) as usize,
        dump: value("--dump"),
        plain: args.iter().any(|a| a == "--plain"),
    };
    let pairs = sources::pairs(Path::new(dir));
    let tried: Vec<Tried> = pairs.par_iter().flat_map_iter(|pair| try_pair(pair, &wanted)).collect();
    show_failures(&tried, &wanted);
    if !tried.is_empty() {
        print_table(&tried);
    }
    try_folders(&pairs, &wanted);
}

/// Makes the cases of whole folders, carries them, and prints how they came out.
fn try_folders(pairs: &[Pair], wanted: &Wanted) {
    let mut themes: BTreeMap<&str, Vec<&Pair>> = BTreeMap::new();
    for pair in pairs {
        themes.entry(&pair.versions).or_default().push(pair);
    }
    let jobs: Vec<(&Vec<&Pair>, usize)> =
        themes.values().flat_map(|all| (0..all.len()).map(move |k| (all, k))).collect();
    let tried: Vec<(&'static str, Verdict, String)> =
        jobs.par_iter().flat_map_iter(|(all, k)| try_folder(all, *k, wanted)).collect();
    let mut tallies: BTreeMap<&str, Tally> = BTreeMap::new();
    for (name, verdict, shown) in &tried {
        let tally = tallies.entry(name).or_default();
        tally.add(*verdict);
        let most =
            if *verdict == Verdict::Asked { (tally.asked, wanted.show_asked) } else { (tally.wrong, wanted.show) };
        if *verdict != Verdict::Right && most.0 <= most.1 {
            println!("=== {name} {verdict:?} {shown}");
        }
    }
    for (name, tally) in &tallies {
        let Tally { right, asked, spaced, wrong } = tally;
        println!(
            "{name:<12} {:<9} {right:>7} {asked:>7} {spaced:>7} {wrong:>6}  {:.1} %",
            "folders",
            tally.share_right()
        );
    }
}

/// The cases of one file of a theme: their kinds, how they came out, and what there is to see.
fn try_folder(all: &[&Pair], k: usize, wanted: &Wanted) -> Vec<(&'static str, Verdict, String)> {
    let mut out = Vec::new();
    for (name, maker) in folders::MAKERS {
        if wanted.only.as_ref().is_some_and(|only| only != name && only != "folders") {
            continue;
        }
        for seed in 0..wanted.seeds {
            let mut dice = Dice(seed.wrapping_mul(77) ^ k as u64 ^ (all[k].old.len() as u64 * 31));
            let start = k.saturating_sub(folders::MOST / 2);
            let some = &all[start..all.len().min(start + folders::MOST)];
            let Some(case) = folders::make(&mut dice, maker, some, k - start) else { continue };
            let Some(carried) = folders::carried(&case) else { continue };
            let verdict = match carried.account.decisions.is_empty() {
                false => Verdict::Asked,
                true if carried.files == case.answer => Verdict::Right,
                true => Verdict::Wrong,
            };
            if let Some(dir) = wanted.dump.as_ref().filter(|_| verdict == Verdict::Wrong) {
                let name = format!("{name}-{}-{}-{seed}", all[k].versions, all[k].path).replace(['/', ' '], "_");
                let _ = folders::dump(&case, &carried, &Path::new(dir).join(name));
            }
            out.push((
                name,
                verdict,
                format!("{} {} seed {seed}\n{}", all[k].versions, all[k].path, folders::shown(&case, &carried)),
            ));
        }
    }
    out
}

/// Makes the cases of two versions of a file and merges them.
fn try_pair(pair: &Pair, wanted: &Wanted) -> Vec<Tried> {
    let Pair { path, old, new, .. } = pair;
    let language = Language::of(path, old);
    let kind = language.kind;
    let tried = [Kind::Template, Kind::Style, Kind::Script, Kind::Code, Kind::Settings, Kind::Catalog];
    if !tried.contains(&kind) {
        return Vec::new();
    }
    let mut out = Vec::new();
    for seed in 0..wanted.seeds {
        let mut dice = Dice(seed.wrapping_mul(77) ^ path.len() as u64 ^ (old.len() as u64 * 31));
        for (name, make) in MAKERS {
            if wanted.only.as_ref().is_some_and(|only| only != name) {
                continue;
            }
            let Some(case) = make(&mut dice, old, new, language) else { continue };
            if case.site == case.base || case.release == case.base {
                continue;
            }
            let is_json = path.ends_with(".json");
            if kind == Kind::Settings && is_json && case.inputs().iter().any(|t| json(t).is_none()) {
                continue;
            }
            let [b, s, r] = case.inputs().map(str::as_bytes);
            let Some(merged) = merge_file(path, kind, b, s, r, &MergeOptions::default()) else { continue };
            let text = String::from_utf8_lossy(&merged.bytes);
            let verdict = judge(&case, &text, merged.decisions.is_empty(), kind);
            let plain = wanted.plain.then(|| plain_merge(&case)).flatten().map(|text| {
                let lines = marked(&text);
                (judge(&case, &text, lines == 0, kind), lines)
            });
            out.push(Tried { name, kind, label: format!("{path} seed {seed}"), case, merged, verdict, plain });
        }
    }
    out
}

fn judge(case: &Case, text: &str, settled: bool, kind: Kind) -> Verdict {
    let bare = |text: &str| text.split_whitespace().collect::<String>();
    match settled {
        false if case.answer.is_empty() => Verdict::Right,
        false => Verdict::Asked,
        true if same(text, &case.answer, kind) => Verdict::Right,
        true if bare(text) == bare(&case.answer) => Verdict::Spaced,
        true => Verdict::Wrong,
    }
}

fn json(text: &str) -> Option<serde_json::Value> {
    serde_json::from_str(text).ok()
}

fn same(a: &str, b: &str, kind: Kind) -> bool {
    a.trim_end() == b.trim_end()
        || kind == Kind::Catalog && messages_of(a) == messages_of(b)
        || kind == Kind::Settings && json(a).is_some_and(|x| json(b) == Some(x))
}

/// The messages of a catalog without comments, header and order.
fn messages_of(catalog: &str) -> Vec<String> {
    let blocks = catalog.split("\n\n").map(|b| {
        let lines: Vec<&str> = b.lines().filter(|l| !l.starts_with('#')).collect();
        lines.concat().replace("\"\"", "")
    });
    let mut out: Vec<String> = blocks.filter(|b| !b.is_empty() && !b.starts_with("msgid msgstr")).collect();
    out.sort();
    out
}

fn show_failures(tried: &[Tried], wanted: &Wanted) {
    let mut shown: BTreeMap<(&str, bool), usize> = BTreeMap::new();
    for one in tried.iter().filter(|t| t.verdict != Verdict::Right) {
        let asked = one.verdict == Verdict::Asked;
        let n = shown.entry((one.name, asked)).or_default();
        *n += 1;
        if *n > if asked { wanted.show_asked } else { wanted.show } {
            continue;
        }
        print_case(one);
        if let Some(dir) = &wanted.dump {
            let stem = format!("{dir}/{}-{:?}-{n}", one.name, one.verdict);
            let [base, site, release] = one.case.inputs();
            let parts = [("base", base), ("site", site), ("release", release), ("answer", &one.case.answer)];
            for (part, text) in parts {
                let path = one.label.split(' ').next().unwrap_or("txt");
                let _ = fs::write(format!("{stem}.{part}.{}", path.rsplit('.').next().unwrap_or("txt")), text);
            }
        }
    }
}

fn print_case(one: &Tried) {
    let got = String::from_utf8_lossy(&one.merged.bytes);
    let plain = one
        .plain
        .map(|(verdict, lines)| format!(" {} lines marked, in a plain merge {lines} ({verdict:?})", marked(&got)));
    println!("=== {} {:?} {}{}", one.name, one.verdict, one.label, plain.unwrap_or_default());
    let reasons: Vec<String> = one.merged.decisions.iter().map(|d| format!("{:?}", d.reason)).collect();
    println!("{}", reasons.join(", "));
    let show = |title: &str, a: &str, b: &str| {
        let unified = daxle_core::changes::unified::unified("a", "b", a.as_bytes(), b.as_bytes());
        print!("--- {title}\n{}", String::from_utf8_lossy(&unified));
    };
    show("site", &one.case.base, &one.case.site);
    show("release", &one.case.base, &one.case.release);
    if one.verdict != Verdict::Asked {
        show("answer to result", &one.case.answer, &got);
        return;
    }
    let lines: Vec<&str> = got.lines().collect();
    for (k, _) in lines.iter().enumerate().filter(|(_, l)| l.starts_with("<<<<<<< ")) {
        let end = (k..lines.len()).find(|e| lines[*e].starts_with(">>>>>>> ")).unwrap_or(k);
        println!("--- question\n{}", lines[k..=end].join("\n"));
    }
}

fn print_table(tried: &[Tried]) {
    let mut tallies: BTreeMap<(&str, Kind), (Tally, Tally)> = BTreeMap::new();
    // Lines between markers where both ask: ours, and the plain merge's.
    let mut lines: BTreeMap<(&str, Kind), (usize, usize)> = BTreeMap::new();
    for one in tried {
        let key = (one.name, one.kind);
        let (ours, plain) = tallies.entry(key).or_default();
        ours.add(one.verdict);
        let Some((verdict, marked_lines)) = one.plain else { continue };
        plain.add(verdict);
        if marked_lines > 0 && !one.merged.decisions.is_empty() {
            let entry = lines.entry(key).or_default();
            entry.0 += marked(&String::from_utf8_lossy(&one.merged.bytes));
            entry.1 += marked_lines;
        }
    }
    println!("{:<12} {:<9} {:>7} {:>7} {:>7} {:>6}  right", "case", "kind", "right", "asked", "spaced", "wrong");
    let row = |name: &str, kind: Kind, t: &Tally| {
        let (kind, share) = (kind.word(), t.share_right());
        let Tally { right, asked, spaced, wrong } = t;
        print!("{name:<12} {kind:<9} {right:>7} {asked:>7} {spaced:>7} {wrong:>6}  {share:.1} %");
    };
    for ((name, kind), (ours, plain)) in &tallies {
        row(name, *kind, ours);
        println!();
        if plain.right + plain.asked + plain.wrong > 0 {
            row("  plain", *kind, plain);
            let (ours, theirs) = lines.get(&(*name, *kind)).copied().unwrap_or_default();
            println!(", marked lines where both ask: {ours} of {theirs}");
        }
    }
    let mut whole: BTreeMap<&str, (Tally, Tally)> = BTreeMap::new();
    for one in tried {
        let (ours, plain) = whole.entry(one.name).or_default();
        ours.add(one.verdict);
        one.plain.iter().for_each(|(verdict, _)| plain.add(*verdict));
    }
    println!();
    for (name, (ours, plain)) in &whole {
        let Tally { right, asked, spaced, wrong } = ours;
        print!("{name:<12} {:<9} {right:>7} {asked:>7} {spaced:>7} {wrong:>6}  {:.1} %", "all", ours.share_right());
        println!(
            "{}",
            if plain.right > 0 { format!(" (plain {:.1} %)", plain.share_right()) } else { String::new() }
        );
    }
}
