//! A whole theme of 5,000 files: `daxle carry` against plain copying of the release, as whole processes.
//! `cargo bench -p daxle --bench carry`
//!
//! With `DAXLE_BENCH_MIB=500` pictures of that many MiB are added to each theme.

use std::fs;
use std::path::Path;
use std::process::Command;
use std::time::{Duration, Instant};

const FILES: usize = 5_000;
const ROUNDS: usize = 7;

fn main() {
    let dir = tempfile::tempdir().expect("a temporary folder");
    let mib: usize = std::env::var("DAXLE_BENCH_MIB").ok().and_then(|m| m.parse().ok()).unwrap_or(0);
    for theme in ["base", "site", "release"] {
        write_theme(&dir.path().join(theme), theme, mib);
    }
    let mut ratios = Vec::new();
    for round in 0..=ROUNDS {
        let carried = carry(dir.path());
        let copied = copy(dir.path());
        // The first round warms the caches.
        if round > 0 {
            ratios.push(carried.as_secs_f64() / copied.as_secs_f64());
            report(&format!("round {round}: carry {carried:.0?}, copy {copied:.0?}"));
        }
    }
    ratios.sort_by(f64::total_cmp);
    report(&format!(
        "carry of {FILES} files takes {:.2} times as long as copying the release (median)",
        ratios[ROUNDS / 2]
    ));
}

#[expect(clippy::print_stdout, reason = "a benchmark reports to the terminal")]
fn report(text: &str) {
    println!("{text}");
}

/// A theme of many small files; the site changed one in 20, the release one in 4.
fn write_theme(dir: &Path, theme: &str, mib: usize) {
    for k in 0..FILES {
        let mut text: String =
            (0..60).map(|l| format!("<p class=\"line-{l}\">paragraph {l} of page {k}</p>\n")).collect();
        if theme == "site" && k % 20 == 0 {
            text = text.replace("paragraph 10 ", "our paragraph 10 ");
        }
        if theme == "release" && k % 4 == 0 {
            text = text.replace("paragraph 40 ", "new paragraph 40 ");
        }
        let path = dir.join(format!("part-{}/page-{k}.html", k / 100));
        fs::create_dir_all(path.parent().expect("a parent")).expect("a folder");
        fs::write(path, text).expect("a file");
    }
    for k in 0..mib {
        let picture: Vec<u8> = (0..1 << 20).map(|i| ((i * 31 + k * 7) % 251) as u8 & 0xFE).collect();
        fs::write(dir.join(format!("picture-{k}.png")), picture).expect("a file");
    }
}

fn carry(dir: &Path) -> Duration {
    let out = dir.join("out");
    let start = Instant::now();
    let status = Command::new(env!("CARGO_BIN_EXE_daxle"))
        .args(["carry", "--quiet", "--base", "base", "--site", "site", "--release", "release", "--out", "out"])
        .current_dir(dir)
        .output()
        .expect("to run")
        .status;
    let took = start.elapsed();
    assert!(status.success(), "the carry failed");
    fs::remove_dir_all(out).expect("to remove");
    took
}

fn copy(dir: &Path) -> Duration {
    let start = Instant::now();
    let status = Command::new("cp").args(["-r", "release", "copy"]).current_dir(dir).status().expect("to run");
    let took = start.elapsed();
    assert!(status.success(), "the copy failed");
    fs::remove_dir_all(dir.join("copy")).expect("to remove");
    took
}
