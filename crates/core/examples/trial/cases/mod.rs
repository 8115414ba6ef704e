//! Cases of one file, with their known answers, made from two versions of it.

mod dealt;
mod moved;
mod opposed;
pub(crate) mod planted;
mod recut;
mod reformatted;

use daxle_core::text::key::Blanks;
use daxle_core::text::token::tokens;
use daxle_core::theme::{Kind, dialect_of, kind_of};

/// A seeded source of chance.
pub(crate) struct Dice(pub(crate) u64);

impl Dice {
    /// A number below `sides`.
    pub(crate) fn roll(&mut self, sides: usize) -> usize {
        self.0 = self.0.wrapping_add(0x9E37_79B9_7F4A_7C15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xBF58_476D_1CE4_E5B9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94D0_49BB_1331_11EB);
        ((z ^ (z >> 31)) % sides.max(1) as u64) as usize
    }
}

/// A case with its known answer; an empty one where a person must be asked.
pub(crate) struct Case {
    pub(crate) base: String,
    pub(crate) site: String,
    pub(crate) release: String,
    pub(crate) answer: String,
}

impl Case {
    /// Base, site and release.
    pub(crate) fn inputs(&self) -> [&str; 3] {
        [&self.base, &self.site, &self.release]
    }
}

/// What a file is written in.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Language {
    pub(crate) kind: Kind,
    /// Indentation is meaning.
    by_indent: bool,
    /// A remark begins with a number sign.
    hash_remarks: bool,
}

impl Language {
    pub(crate) fn of(path: &str, text: &str) -> Self {
        let kind = kind_of(path, text.as_bytes());
        let by_indent = dialect_of(path, kind, text.as_bytes()).blanks == Blanks::IndentIsMeaning;
        Language { kind, by_indent, hash_remarks: [".py", ".coffee"].iter().any(|end| path.ends_with(end)) }
    }
}

/// Makes a case from two versions of a file; `None` where they do not lend themselves to it.
pub(crate) type Maker = fn(&mut Dice, &str, &str, Language) -> Option<Case>;

/// The kinds of cases, by name.
pub(crate) const MAKERS: [(&str, Maker); 22] = [
    // A word that the vendor changed within a line, changed by the site as well: to be asked.
    ("colliding", dealt::colliding),
    // The vendor's change dealt out to site and release, by lines or by words.
    ("lines", dealt::lines),
    ("words", dealt::words),
    // Each side has one of two changes on neighbouring lines, or in one line.
    ("beside", dealt::beside),
    ("inline", dealt::inline),
    // A site edit carried over the vendor's change, by what it does.
    ("word", planted::word),
    ("line", planted::line),
    ("block", planted::block),
    ("wrap", planted::wrap),
    ("comment", planted::comment),
    ("copy", planted::copy),
    ("attribute", planted::attribute),
    ("end", planted::end),
    ("form", planted::form),
    // Six such edits in one file.
    ("several", planted::several),
    // A planted edit, and one side written in another form.
    ("reformatted", reformatted::reformatted),
    // A block moved within the file, with an edit in it.
    ("moved", moved::moved),
    // A planted edit, and a release whose lines were cut at other places.
    ("recut", recut::recut),
    // A word of what the vendor took out, or a line taken out that the vendor changed: to be asked.
    ("against", opposed::against),
    // Some of the vendor's changes, and an edit.
    ("ahead", opposed::ahead),
    // A snippet at an edge of the head or the body.
    ("snippet", opposed::snippet),
    // A word in a file on one line.
    ("oneline", opposed::oneline),
];

pub(crate) fn split(text: &str) -> Vec<&str> {
    text.split_inclusive('\n').collect()
}

fn indent(line: &str) -> &str {
    &line[..line.len() - line.trim_start_matches([' ', '\t']).len()]
}

/// The longest word of a line, if it has more than three letters.
fn longest_word(line: &str) -> Option<String> {
    let words = tokens(line.as_bytes()).map(|t| String::from_utf8_lossy(t.text).into_owned());
    words.filter(|w| w.len() > 3 && w.chars().all(char::is_alphanumeric)).max_by_key(String::len)
}
