//! Comparing sequences, by the shape of the input. `cargo bench -p daxle-core --bench diff`

use daxle_core::diff::diff;
use divan::{Bencher, black_box};

fn main() {
    divan::main();
}

/// `new` is `old` with one line in 50 changed.
fn similar(lines: u32) -> (Vec<u32>, Vec<u32>) {
    let old: Vec<u32> = (0..lines).collect();
    let new = old.iter().map(|k| if k % 50 == 7 { k + lines } else { *k }).collect();
    (old, new)
}

fn noise(lines: u32, seed: u32, kinds: u32) -> Vec<u32> {
    let mut state = seed;
    (0..lines)
        .map(|_| {
            state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            (state >> 8) % kinds
        })
        .collect()
}

fn bench(bencher: Bencher<'_, '_>, (old, new): (Vec<u32>, Vec<u32>)) {
    bencher.bench_local(|| diff(black_box(&old), black_box(&new), |_| false));
}

#[divan::bench]
fn similar_10k(bencher: Bencher<'_, '_>) {
    bench(bencher, similar(10_000));
}

#[divan::bench]
fn unrelated_100k_distinct(bencher: Bencher<'_, '_>) {
    bench(bencher, ((0..100_000).collect(), (100_000..200_000).collect()));
}

#[divan::bench(sample_count = 10)]
fn unrelated_100k_of_few_kinds(bencher: Bencher<'_, '_>) {
    bench(bencher, (noise(100_000, 1, 40), noise(100_000, 2, 40)));
}

#[divan::bench]
fn equal_lines_100k(bencher: Bencher<'_, '_>) {
    bench(bencher, (vec![0; 100_000], vec![0; 99_000]));
}

#[divan::bench]
fn reversed_20k(bencher: Bencher<'_, '_>) {
    bench(bencher, ((0..20_000).collect(), (0..20_000).rev().collect()));
}

#[divan::bench]
fn alternating_10k(bencher: Bencher<'_, '_>) {
    bench(bencher, ((0..20_000).map(|k| k % 2).collect(), (0..20_000).map(|k| (k / 2) % 2).collect()));
}
