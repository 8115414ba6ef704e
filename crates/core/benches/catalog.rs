//! Catalogs: merging three versions, bringing one up to a template, and reading and compiling it.

use daxle_core::catalog::{ByteOrder, Catalog, compile, update};
use daxle_core::formats::merge_file;
use daxle_core::merge::MergeOptions;
use daxle_core::theme::Kind;

fn main() {
    divan::main();
}

const WORDS: [&str; 24] = [
    "opening", "hours", "exhibit", "mill", "wheel", "ticket", "visit", "read", "more", "about", "archive",
    "search", "letter", "guided", "tour", "school", "member", "price", "family", "child", "summer", "water",
    "garden", "photo",
];

/// A catalog of so many messages; every `reworded`th differs by a word from that of another version.
fn catalog(messages: usize, version: usize, translated: bool) -> Catalog {
    let mut text = String::from("msgid \"\"\nmsgstr \"Plural-Forms: nplurals=2; plural=n != 1;\\n\"\n");
    for k in 0..messages {
        let word = |n: usize| WORDS[(k * 7 + n * (k / 24 + 5)) % 24];
        let extra = if k % 10 == 3 { format!(" now {version}") } else { String::new() };
        let id = format!("{} {} {} {} no {k}{extra}", word(0), word(1), word(2), word(3));
        let translation = if translated { format!("T {id}") } else { String::new() };
        text += &format!("\n#: parts/p{}.html:{version}\nmsgid \"{id}\"\nmsgstr \"{translation}\"\n", k % 90);
    }
    Catalog::parse(text.as_bytes()).unwrap()
}

#[divan::bench(sample_count = 10)]
fn update_10000_to_a_template_of_10000(bencher: divan::Bencher<'_, '_>) {
    let (mine, template) = (catalog(10_000, 1, true), catalog(10_000, 2, false));
    bencher.bench(|| update(&mine, &template, &|_| false).unwrap().reworded.len());
}

#[divan::bench(sample_count = 10)]
fn update_10000_strangers(bencher: divan::Bencher<'_, '_>) {
    let mine = catalog(10_000, 1, true);
    let other = String::from_utf8(catalog(10_000, 2, false).text().to_vec()).unwrap();
    let template = Catalog::parse(other.replace(" no ", " nr 7").as_bytes()).unwrap();
    bencher.bench(|| update(&mine, &template, &|_| false).unwrap().reworded.len());
}

#[divan::bench(sample_count = 10)]
fn read_and_compile_10000(bencher: divan::Bencher<'_, '_>) {
    let text = catalog(10_000, 1, true).text().to_vec();
    bencher.bench(|| compile(&Catalog::parse(&text).unwrap(), ByteOrder::Little).unwrap().len());
}

#[divan::bench(sample_count = 10)]
fn merge_10000_with_changes_in_every_seventh(bencher: divan::Bencher<'_, '_>) {
    let text = |version: usize| String::from_utf8(catalog(10_000, version, true).text().to_vec()).unwrap();
    let (base, release) = (text(1), text(2));
    let reworded = |(k, line): (usize, &str)| match k % 28 == 1 && line.starts_with("msgstr \"T") {
        true => line.replace("T ", "Own "),
        false => line.to_string(),
    };
    let site: Vec<String> = base.lines().enumerate().map(reworded).collect();
    let site = site.join("\n") + "\n";
    let versions = [&base, &site, &release].map(|text| text.as_bytes());
    bencher.bench(|| {
        let [base, site, release] = versions;
        let merged = merge_file("de.po", Kind::Catalog, base, site, release, &MergeOptions::default()).unwrap();
        merged.decisions.len()
    });
}
