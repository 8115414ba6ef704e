//! Lines that a side only spelled in another way: strings in other quotes, a comma behind the last item.
//!
//! To a comparison of lines those are gone and others came, and what is left to line the files up by are brackets and
//! lines that stand many times. So where a formatter went over a file, it is lined up by what its lines say in any
//! spelling; those that are not the same to the letter are edits still, each a line for a line.

use std::borrow::Cow;
use std::collections::{HashMap, HashSet};

use super::align::{Side, Weak};
use crate::diff::{Edit, Interner, kept_pairs};
use crate::text::Line;
use crate::text::key::{Blanks, is_weak};

/// Fewer lines in another spelling are found by those around them.
const RESPELLED: usize = 3;

/// Returns the edits by what the lines say in any spelling, if some that differ to the letter by `edits` say the same.
/// `diff` compares two versions by given keys.
pub(super) fn in_any_spelling(
    [old, new]: [&Side<'_>; 2],
    edits: &[Edit],
    diff: impl Fn([&Side<'_>; 2], &Weak) -> Vec<Edit>,
) -> Option<Vec<Edit>> {
    if old.blanks == Blanks::AreContent || !has_respelled([old, new], edits) {
        return None;
    }
    let mut interner = Interner::new();
    let mut keys =
        |side: &Side<'_>| side.lines.iter().map(|line| interner.number(Cow::Owned(side.spelled(line)))).collect();
    let (plain_old, plain_new) = (old.with_keys(keys(old)), new.with_keys(keys(new)));
    let weak = Weak::of(&[&plain_old, &plain_new]);
    let found = diff([&plain_old, &plain_new], &weak);
    let is_telling = |(i, _): &(usize, usize)| !weak.is(plain_old.keys[*i]);
    let kept = |edits: &[Edit]| kept_pairs(edits, old.keys.len()).filter(is_telling).collect::<HashMap<_, _>>();
    let in_other_pairs = kept(&found);
    if !kept(edits).into_iter().any(|(i, j)| in_other_pairs.get(&i).is_some_and(|other| *other != j)) {
        return None;
    }
    let changed = kept_pairs(&found, old.keys.len())
        .filter(|(i, j)| old.keys[*i] != new.keys[*j])
        .map(|(i, j)| Edit { old: i..i + 1, new: j..j + 1 });
    let mut all: Vec<Edit> = changed.chain(found.iter().cloned()).collect();
    all.sort_unstable_by_key(|edit| (edit.old.start, edit.new.start, edit.old.end));
    all.dedup_by(|next, edit| {
        let touches = edit.old.end == next.old.start && edit.new.end == next.new.start;
        if touches {
            (edit.old.end, edit.new.end) = (next.old.end, next.new.end);
        }
        touches
    });
    Some(all)
}

/// Tells whether among the lines of edits some say the same in another spelling.
fn has_respelled([old, new]: [&Side<'_>; 2], edits: &[Edit]) -> bool {
    let telling = |line: &&Line<'_>| !is_weak(line.trimmed());
    let gone = edits.iter().flat_map(|edit| &old.lines[edit.old.clone()]).filter(telling);
    let gone: HashSet<Vec<u8>> = gone.map(|line| old.spelled(line)).collect();
    let came = edits.iter().flat_map(|edit| &new.lines[edit.new.clone()]).filter(telling);
    !gone.is_empty() && came.filter(|line| gone.contains(&new.spelled(line))).nth(RESPELLED - 1).is_some()
}

impl Side<'_> {
    /// What a line says in any spelling: without blanks but those that mean something, with strings in double quotes, and
    /// without what it ends with where that may go.
    fn spelled(&self, line: &Line<'_>) -> Vec<u8> {
        let text = line.trimmed();
        let text = text.strip_suffix(b",").or(text.strip_suffix(b";")).unwrap_or(text);
        let plain = |byte: &u8| if *byte == b'\'' { b'"' } else { *byte };
        let indent = match self.blanks {
            Blanks::IndentIsMeaning => {
                let indent = self.form.measure(line.indent());
                [vec![b'\t'; indent.levels], vec![b' '; indent.rest]].concat()
            }
            _ => Vec::new(),
        };
        indent.into_iter().chain(text.iter().filter(|byte| !byte.is_ascii_whitespace()).map(plain)).collect()
    }
}
