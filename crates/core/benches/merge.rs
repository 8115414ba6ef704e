//! Merging texts, by the shape of the input. `cargo bench -p daxle-core --bench merge`

use daxle_core::merge::{Dialect, Insertions, MergeOptions, merge_text};
use divan::{Bencher, black_box};

fn main() {
    divan::main();
}

const STYLE: Dialect = Dialect {
    blanks: daxle_core::text::key::Blanks::AreForm,
    insertions: Insertions::Cascade,
    markup: false,
    strings: true,
    declarations: true,
    markers: true,
    respelled: false,
};

/// Templates in which indentation is meaning.
const TREE: Dialect = Dialect {
    blanks: daxle_core::text::key::Blanks::IndentIsMeaning,
    insertions: Insertions::Unknown,
    strings: false,
    declarations: false,
    ..STYLE
};

fn bench(bencher: Bencher<'_, '_>, base: &str, site: &str, release: &str) {
    bench_as(bencher, &STYLE, [base, site, release]);
}

fn bench_as(bencher: Bencher<'_, '_>, dialect: &Dialect, [base, site, release]: [&str; 3]) {
    let options = MergeOptions::default();
    bencher.bench_local(|| {
        merge_text(black_box(base).as_bytes(), site.as_bytes(), release.as_bytes(), dialect, &options)
    });
}

/// A stylesheet of `rules` rules of five lines; every `nth` rule has `change` made to it.
fn sheet(rules: usize, nth: usize, change: &str) -> String {
    (0..rules)
        .map(|k| {
            let extra = if nth > 0 && k % nth == nth / 2 { change } else { "" };
            format!(".rule-{k} {{\n  color: #{k:06x};{extra}\n  margin: {k}px;\n}}\n\n")
        })
        .collect()
}

#[divan::bench]
fn sheet_5k_lines_200_changes_each(bencher: Bencher<'_, '_>) {
    let release = sheet(1000, 5, "").replace("margin: 1", "margin: 2");
    bench(bencher, &sheet(1000, 0, ""), &sheet(1000, 5, "\n  top: 0;"), &release);
}

#[divan::bench(sample_count = 5)]
fn distinct_100k_all_changed(bencher: Bencher<'_, '_>) {
    let text = |word: &str| (0..100_000).map(|k| format!("{word} line {k}\n")).collect::<String>();
    bench(bencher, &text("base"), &text("site"), &text("release"));
}

#[divan::bench(sample_count = 5)]
fn equal_lines_100k(bencher: Bencher<'_, '_>) {
    let text = |n: usize| "the same line\n".repeat(n);
    bench(bencher, &text(100_000), &text(99_000), &text(100_500));
}

#[divan::bench(sample_count = 5)]
fn alternating_10k(bencher: Bencher<'_, '_>) {
    let text = |n: usize| "left line\nright line\n".repeat(n);
    bench(bencher, &text(10_000), &text(9_990), &text(10_005));
}

#[divan::bench(sample_count = 5)]
fn each_side_changed_every_other_of_100k(bencher: Bencher<'_, '_>) {
    let text = |own: usize| {
        (0..100_000).map(|k| format!("key-{k}: {}\n", k + usize::from(k % 2 == own))).collect::<String>()
    };
    bench(bencher, &text(2), &text(0), &text(1));
}

#[divan::bench(sample_count = 5)]
fn one_line_of_2_mib(bencher: Bencher<'_, '_>) {
    let text = |change: &str, at: usize| -> String {
        (0..70_000).map(|k| if k == at { format!("f{k}({change});") } else { format!("f{k}(a,b,{k});") }).collect()
    };
    bench(bencher, &text("", usize::MAX), &text("own", 100), &text("new", 60_000));
}

/// Blocks of five lines; the site changes one line in each `nth` block, the release indents all of them deeper.
fn wrapped_blocks(bencher: Bencher<'_, '_>, blocks: usize, nth: usize) {
    let text = |own: bool, margin: &str| -> String {
        let block = |k: usize| {
            let class = if own && k.is_multiple_of(nth) { "own" } else { "plain" };
            format!(
                "{margin}section.{class}\n{margin}  h2 title {k}\n{margin}  p\n{margin}    | text {k}\n{margin}    | more\n"
            )
        };
        (0..blocks).map(block).collect()
    };
    let release = format!("main\n{}", text(false, "  "));
    bench_as(bencher, &TREE, [&text(false, ""), &text(true, ""), &release]);
}

#[divan::bench(sample_count = 5)]
fn indentation_as_meaning_10k_lines_wrapped(bencher: Bencher<'_, '_>) {
    wrapped_blocks(bencher, 2_000, 40);
}

/// So many edits in so many lines that they are not looked up one by one: all are questions.
#[divan::bench(sample_count = 5)]
fn indentation_as_meaning_100k_lines_past_the_cap(bencher: Bencher<'_, '_>) {
    wrapped_blocks(bencher, 20_000, 2);
}

/// Lines that stand at no level whatever is asked: the site indents with tabs in between what it changed, and how few
/// of its changes can be asked about is tried.
#[divan::bench(sample_count = 5)]
fn indentation_as_meaning_5k_lines_astray(bencher: Bencher<'_, '_>) {
    let text = |own: bool, new: bool| -> String {
        let block = |k: usize| {
            let (class, margin) = if own && k % 20 == 7 { ("own", "\t") } else { ("plain", "  ") };
            let title = if new && k % 10 == 7 { "new" } else { "title" };
            format!("section.{class}\n{margin}h2 {title} {k}\n{margin}p\n{margin}{margin}| text {k}\n")
        };
        (0..1_250).map(block).collect()
    };
    bench_as(bencher, &TREE, [&text(false, false), &text(true, false), &text(false, true)]);
}
