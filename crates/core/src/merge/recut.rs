//! Lines that a side only cut at other places: a rule written out over several lines, arguments that a formatter put on
//! lines of their own.
//!
//! To a comparison of lines all of it is rewritten. By their words the lines of both versions are lined up again, and
//! where both begin a new line between the same two words, the edit is cut.

use std::collections::HashMap;
use std::ops::Range;

use super::align::{Side, Weak};
use crate::diff::{Edit, Interner, diff, kept_pairs};
use crate::text::Line;
use crate::text::token::{TokenKind, tokens};

/// So many tokens further up the beginning of a line is looked for.
const SLIDE: usize = 8;

/// A part of an edit.
pub(crate) struct Part {
    pub(crate) edit: Edit,
    pub(crate) cut: Cut,
}

/// How the lines of both versions go together.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Cut {
    /// That is still to be told.
    Unknown,
    /// They are the same, cut at other places.
    Elsewhere,
    /// So they are, behind others that were put in.
    WithOthers,
}

impl Part {
    pub(crate) fn whole(edit: &Edit) -> Self {
        Part { edit: edit.clone(), cut: Cut::Unknown }
    }
}

/// How often each line stands among those of an edit.
struct Counted<'k> {
    keys: &'k [u32],
    times: HashMap<u32, u32>,
}

impl<'k> Counted<'k> {
    fn of(keys: &'k [u32], lines: &Range<usize>) -> Self {
        let mut times = HashMap::new();
        keys[lines.clone()].iter().for_each(|key| *times.entry(*key).or_default() += 1);
        Counted { keys, times }
    }

    /// Tells whether one of some lines says something, and stands once.
    fn tells(&self, lines: &Range<usize>, weak: &Weak) -> bool {
        self.keys[lines.clone()].iter().any(|key| !weak.is(*key) && self.times.get(key) == Some(&1))
    }
}

/// Cuts an edit at the stretches that are only cut into other lines. Without any it is one part.
pub(crate) fn recut(base: &Side<'_>, side: &Side<'_>, edit: &Edit, weak: &Weak) -> Vec<Part> {
    if edit.old.len().min(edit.new.len()) == 0 || edit.old.len().max(edit.new.len()) == 1 {
        return vec![Part::whole(edit)];
    }
    let whole = edit;
    let (in_base, in_side) = (Counted::of(&base.keys, &whole.old), Counted::of(&side.keys, &whole.new));
    let mut parts: Vec<Part> = Vec::new();
    for edit in common_cuts(base, side, edit) {
        // A line that says little, or of which there are several, may be another's counterpart.
        let known = in_base.tells(&edit.old, weak) && in_side.tells(&edit.new, weak);
        let cut = if known && is_form(base, side, &edit) { Cut::Elsewhere } else { Cut::Unknown };
        match parts.last_mut() {
            // What was put in before a stretch stands in the same gap, and is done with it.
            Some(last) if last.cut == cut && cut == Cut::Unknown || last.edit.old.is_empty() => {
                (last.edit.old.end, last.edit.new.end) = (edit.old.end, edit.new.end);
                last.cut = if cut == Cut::Elsewhere { Cut::WithOthers } else { cut };
            }
            _ => parts.push(Part { edit, cut }),
        }
    }
    if parts.iter().any(|part| part.cut != Cut::Unknown) { parts } else { vec![Part::whole(whole)] }
}

/// Tells whether both versions have the same there.
fn is_form(base: &Side<'_>, side: &Side<'_>, edit: &Edit) -> bool {
    let (old, new) = (&base.lines[edit.old.clone()], &side.lines[edit.new.clone()]);
    let solid = |lines: &[Line<'_>]| lines.iter().filter(|line| !line.is_blank()).count();
    let counts = (solid(old), solid(new));
    counts.0.min(counts.1) > 0 && same_but_form(old, new)
}

/// Tells whether two stretches are the same but for how they are written: blanks and line ends, quotes of one sort or the
/// other, semicolons, and a comma at the end of a list.
pub(crate) fn same_but_form(a: &[Line<'_>], b: &[Line<'_>]) -> bool {
    let one_sort = plainly_quoted(a) && plainly_quoted(b);
    written(a, one_sort).eq(written(b, one_sort))
}

/// Tells whether no line has quotes of both sorts, and every line has an even number of them.
fn plainly_quoted(lines: &[Line<'_>]) -> bool {
    lines.iter().all(|line| {
        let count = |quote: u8| line.content.iter().filter(|byte| **byte == quote).count();
        let (single, double) = (count(b'\''), count(b'"'));
        single.min(double) == 0 && (single + double).is_multiple_of(2)
    })
}

/// What stretches are compared by; quotes as if there were one sort of them, where that is so.
fn written<'a>(lines: &'a [Line<'a>], one_sort: bool) -> impl Iterator<Item = &'a [u8]> {
    let texts = lines.iter().flat_map(|line| tokens(line.content)).map(|token| token.text);
    let mut texts = texts.filter(|text| !matches!(*text, b"" | b";")).peekable();
    let closes = |next: &&[u8]| matches!(next.first(), Some(b'}' | b')' | b']'));
    std::iter::from_fn(move || {
        let mut text = texts.next()?;
        while text == b"," && texts.peek().is_some_and(closes) {
            text = texts.next()?;
        }
        Some(if text == b"'" && one_sort { b"\"" } else { text })
    })
}

/// Cuts an edit wherever both versions begin a line between the same two tokens. Lines without any go with those before.
fn common_cuts(base: &Side<'_>, side: &Side<'_>, edit: &Edit) -> Vec<Edit> {
    let mut interner = Interner::new();
    let mut weak = Vec::new();
    let (old, old_ends) = told(&base.lines[edit.old.clone()], &mut interner, &mut weak);
    let (new, new_ends) = told(&side.lines[edit.new.clone()], &mut interner, &mut weak);
    let mut edits = diff(&old, &new, |symbol| weak[symbol as usize]);
    let mut from = 0;
    for edit in &mut edits {
        let up = above(edit, (&old, &old_ends), (&new, &new_ends)).filter(|n| edit.old.start - from > *n);
        from = edit.old.end;
        if let Some(n) = up {
            *edit = Edit { old: edit.old.start - n..edit.old.end - n, new: edit.new.start - n..edit.new.end - n };
            from -= n;
        }
    }
    // Which token of the one stands before which of the other.
    let kept = kept_pairs(&edits, old.len()).flat_map(|(i, j)| [(i, j), (i + 1, j + 1)]);
    let mut cuts = Vec::new();
    let mut from = (edit.old.start, edit.new.start);
    for (i, j) in kept {
        let (Some(old_line), Some(new_line)) = (line_at(&old_ends, i), line_at(&new_ends, j)) else { continue };
        let to = (edit.old.start + old_line, edit.new.start + new_line);
        if to.0 >= from.0 && to.1 >= from.1 && to != from {
            cuts.push(Edit { old: from.0..to.0, new: from.1..to.1 });
            from = to;
        }
    }
    if from.0 < edit.old.end || from.1 < edit.new.end {
        cuts.push(Edit { old: from.0..edit.old.end, new: from.1..edit.new.end });
    }
    cuts
}

/// By how many tokens what one version has more begins a line further up, where it can as well be taken from there.
fn above(edit: &Edit, old: (&[u32], &[usize]), new: (&[u32], &[usize])) -> Option<usize> {
    let ((tokens, ends), at) = match (edit.old.is_empty(), edit.new.is_empty()) {
        (true, false) => (new, &edit.new),
        (false, true) => (old, &edit.old),
        _ => return None,
    };
    let room = at.start.min(edit.old.start).min(edit.new.start).min(SLIDE);
    let slides = (1..=room).take_while(|n| tokens[at.start - n] == tokens[at.end - n]).count();
    (0..=slides).find(|n| at.start == *n || line_at(ends, at.start - n).is_some()).filter(|n| *n > 0)
}

/// The tokens of lines that are no separators, numbered, and how many there are up to the end of each line. Takes down of
/// each number whether it is a mark.
fn told<'a>(lines: &[Line<'a>], interner: &mut Interner<'a>, marks: &mut Vec<bool>) -> (Vec<u32>, Vec<usize>) {
    let (mut symbols, mut ends) = (Vec::new(), Vec::with_capacity(lines.len()));
    for line in lines {
        for token in tokens(line.content).filter(|token| !matches!(token.text, b"" | b"," | b";")) {
            let text = if token.text == b"'" { b"\"" } else { token.text };
            let symbol = interner.number(text.into());
            symbols.push(symbol);
            marks.resize(marks.len().max(symbol as usize + 1), token.kind == TokenKind::Mark);
        }
        ends.push(symbols.len());
    }
    (symbols, ends)
}

/// How many lines end where so many tokens are behind, with those that have none; nothing where that is within a line.
fn line_at(ends: &[usize], tokens: usize) -> Option<usize> {
    let lines = ends.partition_point(|end| *end <= tokens);
    (lines > 0 && ends[lines - 1] == tokens).then_some(lines)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::merge::align::Weak;
    use crate::text::key::Blanks;
    use crate::text::split_lines;

    fn cuts(old: &str, new: &str) -> Vec<(Range<usize>, Range<usize>, Cut)> {
        let mut interner = Interner::new();
        let mut side = |text| Side::new(str::as_bytes(text), Blanks::AreForm, &mut interner);
        let (old, new) = (side(old), side(new));
        let weak = Weak::of(&[&old, &new]);
        let edit = Edit { old: 0..old.lines.len(), new: 0..new.lines.len() };
        recut(&old, &new, &edit, &weak).into_iter().map(|part| (part.edit.old, part.edit.new, part.cut)).collect()
    }

    #[test]
    fn rules_written_out_are_known_one_by_one() {
        let old = ".menu{color:red;top:0}\n.page{left:0}\n";
        let new = ".menu {\n  color: red;\n  top: 0;\n}\n.page {\n  left: 0;\n}\n";
        assert_eq!(cuts(old, new), [(0..1, 0..4, Cut::Elsewhere), (1..2, 4..7, Cut::Elsewhere)]);
        let more = new.replace(".page", ".new {\n}\n.page");
        assert_eq!(cuts(old, &more), [(0..1, 0..4, Cut::Elsewhere), (1..2, 4..9, Cut::WithOthers)]);
        assert_eq!(cuts(old, &new.replace("left: 0", "left: 1px"))[1], (1..2, 4..7, Cut::Unknown));
        assert_eq!(cuts("}\n}\nx\n", "} }\nx\ny\n"), [(0..3, 0..3, Cut::Unknown)], "lone brackets tell nothing");
    }

    #[test]
    fn quotes_and_semicolons_are_form_but_commas_between_are_not() {
        let same = |a: &str, b: &str| same_but_form(&split_lines(a.as_bytes()), &split_lines(b.as_bytes()));
        assert!(same("f('a', {\n  b: 1,\n});\n", "f(\"a\", { b: 1 })\n"));
        assert!(!same(".a, .b {\n", ".a .b {\n"));
        assert!(!same("a b\n", "ab\n"));
        assert!(!same("f('a');\n", "f(\"a');\n"), "half of a pair");
        assert!(!same("f('say \"a\"');\n", "f(\"say 'a'\");\n"), "quotes within quotes");
    }
}
