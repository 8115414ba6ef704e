//! Matching a copy of 1,000 files against 30 releases, and judging 300 overrides against 10.
//! `cargo bench -p daxle-core --bench stock`

use daxle_core::child::{Vendor, overrides};
use daxle_core::stock::{Print, rank};
use daxle_core::theme::{Layout, MemoryTree};

fn main() {
    divan::main();
}

/// A release of which each version changed a line in one file of twenty.
fn release(version: usize, files: usize, edited: bool) -> Print {
    let tree = MemoryTree::new((0..files).map(|f| {
        let text: String = (0..80)
            .map(|l| {
                let since = (1..=version).rev().find(|v| (f + v) % 20 == 0 && l == v % 80).unwrap_or(0);
                format!("<p class=\"l{l}\">line {l} of {f} since {since}</p>\n")
            })
            .collect();
        let own = if edited && f % 2 == 0 { "<p>the site's own</p>\n" } else { "" };
        (format!("parts/part-{f}.html"), format!("{{# lamp {version}.0 #}}\n{text}{own}"))
    }));
    Print::of(&tree, &Layout::default()).expect("a print")
}

#[divan::bench]
fn match_1000_files_30_releases(bencher: divan::Bencher<'_, '_>) {
    let prints: Vec<Print> = (0..30).map(|v| release(v, 1000, false)).collect();
    let site = release(17, 1000, true);
    let list: Vec<&Print> = prints.iter().collect();
    bencher.bench(|| {
        let fits = rank(&site, &list);
        assert_eq!(fits[0].release, 17);
        fits
    });
}

#[divan::bench]
fn judge_300_overrides_10_releases(bencher: divan::Bencher<'_, '_>) {
    let prints: Vec<Print> = (0..10).map(|v| release(v, 1000, false)).collect();
    let child = release(4, 300, true);
    let names: Vec<String> = (0..10).map(|v| format!("{v}.0")).collect();
    let releases = names.iter().map(String::as_str).zip(&prints).collect();
    let vendors = [Vendor { name: "lamp", releases, current: 9, companion: false }];
    let layout = Layout::default();
    bencher.bench(|| overrides(&child, None, &vendors, &layout).expect("overrides").len());
}
