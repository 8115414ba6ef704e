//! Carrying a theme of 400 files of which the release moved the second half of each into another file, by whether the
//! site changed something there. `cargo bench -p daxle-core --bench across`

use std::collections::BTreeMap;

use daxle_core::carry::{CarryOptions, Inputs, Nowhere, carry};
use daxle_core::theme::{Layout, MemoryTree};
use divan::Bencher;

fn main() {
    divan::main();
}

const FILES: usize = 400;

/// Lines `from` to `to` of a page; where `own`, the site changed two of them.
fn page(file: usize, from: usize, to: usize, own: bool) -> String {
    let line = |l: usize| {
        let class = if own && matches!(l, 20 | 60) { "own" } else { "line" };
        format!("<p class=\"{class}\">paragraph {l} of page {file}</p>\n")
    };
    (from..to).map(line).collect()
}

fn theme(own: bool) -> MemoryTree {
    let files = (0..FILES).map(|k| (format!("pages/page-{k}.html"), page(k, 0, 80, own)));
    MemoryTree::new(files.collect::<BTreeMap<String, String>>())
}

fn split() -> MemoryTree {
    let first = (0..FILES).map(|k| (format!("pages/page-{k}.html"), page(k, 0, 40, false)));
    let second = (0..FILES).map(|k| (format!("parts/part-{k}.html"), page(k, 40, 80, false)));
    MemoryTree::new(first.chain(second).collect::<BTreeMap<String, String>>())
}

fn bench(bencher: Bencher<'_, '_>, own: bool) {
    let (base, site, release) = (theme(false), theme(own), split());
    let layout = Layout::default();
    let inputs = Inputs::new([&base, &site, &release], &layout);
    bencher.bench_local(|| carry(&inputs, &CarryOptions::default(), &Nowhere).expect("a carry in memory"));
}

#[divan::bench(sample_count = 5)]
fn split_files_untouched(bencher: Bencher<'_, '_>) {
    bench(bencher, false);
}

#[divan::bench(sample_count = 5)]
fn split_files_with_800_changes(bencher: Bencher<'_, '_>) {
    bench(bencher, true);
}
