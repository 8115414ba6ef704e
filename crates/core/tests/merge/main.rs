//! The laws of merging, over every small input and over generated theme files.
//!
//! * `laws`: what must hold for any three texts
//! * `dealt`: a difference dealt out to the two sides must come together again, or be asked about
//! * `words`: merges within a line, as tables
//! * `cases`: merges with known results, one per cause of needless questions, by what they are about

mod cases;
mod dealt;
mod laws;
mod sources;
mod words;

use daxle_core::merge::{Dialect, Insertions, MergeOptions, TextMerge, merge_text};

/// Templates.
pub(crate) const PAGE: Dialect = Dialect {
    blanks: daxle_core::text::key::Blanks::AreForm,
    insertions: Insertions::Elements,
    markup: true,
    strings: false,
    declarations: false,
    markers: true,
    respelled: false,
};
/// Stylesheets.
pub(crate) const STYLE: Dialect =
    Dialect { insertions: Insertions::Cascade, markup: false, strings: true, declarations: true, ..PAGE };
/// Scripts.
pub(crate) const SCRIPT: Dialect =
    Dialect { insertions: Insertions::Members, markup: false, strings: true, declarations: false, ..PAGE };

/// Templates in which indentation is meaning.
pub(crate) const TREE: Dialect = Dialect {
    insertions: Insertions::Unknown,
    markup: false,
    blanks: daxle_core::text::key::Blanks::IndentIsMeaning,
    ..PAGE
};

/// Merges with the default options.
pub(crate) fn merge(dialect: &Dialect, base: &str, site: &str, release: &str) -> TextMerge {
    let options = MergeOptions { release_label: "2.0.0".into(), ..MergeOptions::default() };
    merge_text(base.as_bytes(), site.as_bytes(), release.as_bytes(), dialect, &options).expect("text")
}

/// The merged text.
pub(crate) fn text(merge: &TextMerge) -> &str {
    std::str::from_utf8(&merge.bytes).expect("UTF-8 in, UTF-8 out")
}
