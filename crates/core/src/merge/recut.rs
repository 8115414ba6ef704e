//! Lines that a side only cut at other places: a rule written out over several lines, arguments that a formatter put on
//! lines of their own.
//!
//! To a comparison of lines all of it is rewritten. By their tokens the lines of both versions are lined up again, and
//! where both begin a new line between the same two tokens, the edit is cut. What was changed as well may be known by what
//! it begins with ([`heads`]).

mod heads;

use std::borrow::Cow;
use std::collections::HashMap;
use std::ops::Range;

use self::heads::known_by_heads;
use super::Dialect;
use super::align::{Side, Weak};
use super::tokens::{Item, Sort, items, key_in_any_form};
use crate::diff::{Edit, Interner, diff, kept_pairs};
use crate::text::key::Blanks;
use crate::text::token::{TokenKind, tokens};
use crate::text::{Line, joined};

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
    /// They are one rule or tag, cut at other places and changed.
    Changed,
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

/// Cuts an edit at the stretches that are only cut into other lines. Without any, or where indentation is meaning, it is
/// one part.
pub(crate) fn recut(base: &Side<'_>, side: &Side<'_>, edit: &Edit, weak: &Weak, dialect: &Dialect) -> Vec<Part> {
    let lines = (edit.old.len(), edit.new.len());
    if lines.0.min(lines.1) == 0 || lines.0.max(lines.1) == 1 || dialect.blanks != Blanks::AreForm {
        return vec![Part::whole(edit)];
    }
    let whole = edit;
    let (in_base, in_side) = (Counted::of(&base.keys, &whole.old), Counted::of(&side.keys, &whole.new));
    let mut parts: Vec<Part> = Vec::new();
    let cuts = common_cuts(base, side, edit);
    let same: Vec<bool> = cuts
        .iter()
        .map(|Edit { old, new }| {
            let [old, new] = with_closers([(&base.lines, old.clone()), (&side.lines, new.clone())]);
            same_but_form(old, new, dialect)
        })
        .collect();
    // A line that says little, or of which there are several, may be another's counterpart; but not where it stands
    // between two that are known.
    let mut known: Vec<bool> = cuts
        .iter()
        .zip(&same)
        .map(|(edit, same)| *same && in_base.tells(&edit.old, weak) && in_side.tells(&edit.new, weak))
        .collect();
    let mut from = 0;
    for run in same.chunk_by(|a, b| a == b) {
        let of_run = &mut known[from..from + run.len()];
        if let (Some(first), Some(last)) = (of_run.iter().position(|k| *k), of_run.iter().rposition(|k| *k)) {
            of_run[first..=last].fill(true);
        }
        from += run.len();
    }
    let changed = known_by_heads([base, side], &cuts, dialect);
    for (k, edit) in cuts.into_iter().enumerate() {
        let cut = match (known[k], changed[k]) {
            (true, _) => Cut::Elsewhere,
            (false, true) => Cut::Changed,
            (false, false) => Cut::Unknown,
        };
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

/// Lines of two versions, with the line behind where both have a closer there: it tells whether a comma is the last of a
/// list.
pub(crate) fn with_closers<'l, 'a>(stretches: [(&'l [Line<'a>], Range<usize>); 2]) -> [&'l [Line<'a>]; 2] {
    let closes = |(lines, range): &(&[Line<'_>], Range<usize>)| {
        let first = lines.get(range.end).and_then(|line| line.trimmed().first());
        first.is_some_and(|b| b"})]".contains(b))
    };
    let behind = usize::from(stretches.iter().all(closes));
    stretches.map(|(lines, range)| &lines[range.start..range.end + behind])
}

/// What each line of a side is compared by where its form counts for nothing: see [`same_but_form`].
pub(crate) fn form_keys(side: &Side<'_>, dialect: &Dialect, interner: &mut Interner<'_>) -> Vec<u32> {
    let key = |line: &Line<'_>| -> Vec<u8> {
        let items = items(line.content, dialect);
        let mut written = written(&items, dialect);
        written.pop_if(|(_, text)| dialect.strings && text.as_ref() == b",");
        written.iter().flat_map(|(parted, text)| [&[u8::from(*parted)], text.as_ref()].concat()).collect()
    };
    side.lines.iter().map(|line| interner.number(key(line).into())).collect()
}

/// Tells whether two stretches are the same but for how they are written: blanks and line ends where they mean nothing,
/// and in scripts and styles the quotes of a string or key that is the same in others or without, the spelling of values,
/// semicolons, a comma at the end of a list, and the brackets around the one argument of an arrow function.
pub(crate) fn same_but_form(a: &[Line<'_>], b: &[Line<'_>], dialect: &Dialect) -> bool {
    // No form changes a name that a text begins with.
    if let [Some(a), Some(b)] = [a, b].map(first_name)
        && a != b
    {
        return false;
    }
    // Of long ones, the beginnings tell mostly. How lines are read depends on those behind them, but not on those far off.
    if a.len().min(b.len()) > 2 * BEGINNING {
        let [a, b] = [a, b].map(|lines| joined(&lines[..BEGINNING]));
        let [a, b] = [&a, &b].map(|text| items(text, dialect));
        let (a, b) = (written(&a, dialect), written(&b, dialect));
        let known = a.len().min(b.len()) / 4;
        if a[..known] != b[..known] {
            return false;
        }
    }
    let (a, b) = (joined(a), joined(b));
    let [a, b] = [&a, &b].map(|text| items(text, dialect));
    let (a, b) = (written(&a, dialect), written(&b, dialect));
    !a.is_empty() && a == b
}

/// The name that the first line begins with, if it does.
fn first_name<'a>(lines: &[Line<'a>]) -> Option<&'a [u8]> {
    let text = lines.first()?.trimmed();
    let name = text.iter().position(|byte| !byte.is_ascii_alphanumeric()).map_or(text, |end| &text[..end]);
    text.first().is_some_and(u8::is_ascii_alphabetic).then_some(name)
}

/// So many lines of a stretch are compared first.
const BEGINNING: usize = 64;

/// What a text is compared by: its items, each with whether a blank before it means something.
fn written<'a>(items: &'a [Item<'a>], dialect: &Dialect) -> Vec<(bool, Cow<'a, [u8]>)> {
    let closes = |item: &Item<'_>| matches!(item.text.first(), Some(b'}' | b')' | b']'));
    let mut out = Vec::with_capacity(items.len());
    let mut before = None;
    for (k, item) in items.iter().enumerate() {
        let last = item.text == b"," && items.get(k + 1).is_some_and(closes);
        let arrow =
            dialect.strings && (around_one_argument(items, k) || k > 1 && around_one_argument(items, k - 2));
        if item.text.is_empty() || arrow || dialect.strings && (item.text == b";" || last) {
            continue;
        }
        // The colon of a declaration, and not of a state: `top : 0` as against `a :hover`.
        let of_value = item.text == b":" && items.get(k + 1).is_some_and(|next| !next.lead.is_empty());
        let parted =
            !item.lead.is_empty() && !of_value && before.is_some_and(|before| parts(before, item, dialect));
        out.push((parted, key_in_any_form(items, k, dialect)));
        before = Some(item);
    }
    out
}

/// Tells whether an item opens the brackets around the one argument of an arrow function: `(x) =>` is `x =>`.
fn around_one_argument(items: &[Item<'_>], k: usize) -> bool {
    let text = |k: usize| items.get(k).map(|item| item.text);
    let called = k > 0 && items[k].lead.is_empty() && items[k - 1].sort == Sort::Word;
    text(k) == Some(b"(")
        && items.get(k + 1).is_some_and(|item| item.sort == Sort::Word)
        && text(k + 2) == Some(b")")
        && text(k + 3) == Some(b"=>")
        && !called
}

/// Tells whether a blank between two items means something: in a style sheet, one between two selectors, or around a
/// sign.
fn parts(before: &Item<'_>, item: &Item<'_>, dialect: &Dialect) -> bool {
    let ends = before.sort == Sort::Word || matches!(before.text, b")" | b"]" | b"*" | b"&" | b"%");
    let joins =
        matches!(item.text.first(), Some(b'.' | b'#' | b':' | b'[' | b'*' | b'&' | b'(' | b'-' | b'+' | b'%'));
    dialect.declarations && (ends && joins || matches!(before.text, b"-" | b"+"))
}

/// Cuts an edit wherever both versions begin a line between the same two tokens. Lines without any go with those before.
fn common_cuts(base: &Side<'_>, side: &Side<'_>, edit: &Edit) -> Vec<Edit> {
    let mut interner = Interner::new();
    let mut weak = Vec::new();
    let (old, old_ends) = told(&base.lines[edit.old.clone()], &mut interner, &mut weak);
    let (new, new_ends) = told(&side.lines[edit.new.clone()], &mut interner, &mut weak);
    let mut edits: Vec<Edit> = Vec::new();
    for edit in diff(&old, &new, |symbol| weak[symbol as usize]) {
        let up = above(&edit, (&old, &old_ends), (&new, &new_ends)).unwrap_or(0);
        let slid =
            Edit { old: edit.old.start - up..edit.old.end - up, new: edit.new.start - up..edit.new.end - up };
        let is_alike =
            |a: &Edit| a.old.is_empty() == slid.old.is_empty() && a.new.is_empty() == slid.new.is_empty();
        match edits.last_mut() {
            Some(last) if last.old.end == slid.old.start && is_alike(last) => {
                (last.old.end, last.new.end) = (slid.old.end, slid.new.end);
            }
            Some(last) if last.old.end >= slid.old.start => edits.push(edit),
            _ => edits.push(slid),
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
    (lines.checked_sub(1).map_or(0, |last| ends[last]) == tokens).then_some(lines)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::merge::Insertions;
    use crate::text::split_lines;

    const STYLE: Dialect = Dialect {
        blanks: Blanks::AreForm,
        insertions: Insertions::Cascade,
        markup: false,
        strings: true,
        declarations: true,
        markers: true,
        respelled: false,
    };

    fn cuts(old: &str, new: &str) -> Vec<(Range<usize>, Range<usize>, Cut)> {
        let mut interner = Interner::new();
        let mut side = |text| Side::new(str::as_bytes(text), Blanks::AreForm, &mut interner);
        let (old, new) = (side(old), side(new));
        let weak = Weak::of(&[&old, &new]);
        let edit = Edit { old: 0..old.lines.len(), new: 0..new.lines.len() };
        recut(&old, &new, &edit, &weak, &STYLE)
            .into_iter()
            .map(|part| (part.edit.old, part.edit.new, part.cut))
            .collect()
    }

    #[test]
    fn rules_written_out_are_known_one_by_one() {
        let old = ".menu{color:red;top:0}\n.page{left:0}\n";
        let new = ".menu {\n  color: red;\n  top: 0;\n}\n.page {\n  left: 0;\n}\n";
        assert_eq!(cuts(old, new), [(0..1, 0..4, Cut::Elsewhere), (1..2, 4..7, Cut::Elsewhere)]);
        let more = new.replace(".page", ".new {\n}\n.page");
        assert_eq!(cuts(old, &more), [(0..1, 0..4, Cut::Elsewhere), (1..2, 4..9, Cut::WithOthers)]);
        assert_eq!(
            cuts(old, &new.replace("page", "hall").replace("left: 0", "left: 1px"))[1],
            (1..2, 4..7, Cut::Unknown)
        );
        let fewer = ".gone {\n  top: 1px;\n}\n.page { left: 0; }\n";
        assert_eq!(
            cuts(fewer, ".page {\n  left: 0;\n}\n"),
            [(0..3, 0..0, Cut::Unknown), (3..4, 0..3, Cut::Elsewhere)]
        );
        assert_eq!(cuts(old, &new.replace("red", "tan"))[0], (0..1, 0..4, Cut::Changed));
        assert_eq!(cuts("}\n}\nx\n", "} }\nx\ny\n"), [(0..3, 0..3, Cut::Unknown)], "lone brackets tell nothing");
    }

    #[test]
    fn what_means_something_is_no_form() {
        let same = |dialect: &Dialect, a: &str, b: &str| {
            same_but_form(&split_lines(a.as_bytes()), &split_lines(b.as_bytes()), dialect)
        };
        let script = Dialect { declarations: false, ..STYLE };
        assert!(same(&script, "f('a', {\n  b: 1,\n});\n", "f(\"a\", { b: 1 })\n"));
        assert!(!same(&script, "f('$a');\n", "f(\"$a\");\n"), "one is filled in");
        assert!(!same(&script, "f(' a');\n", "f('a');\n"), "a blank within a string");
        assert!(!same(&script, "f('say \"a\"');\n", "f(\"say 'a'\");\n"), "quotes within quotes");
        assert!(!same(&script, "a b\n", "ab\n"));
        assert!(same(&STYLE, ".a .b{top:-1px;color:#fff}\n", ".a .b {\n  top: -1px;\n  color: #fff;\n}\n"));
        for other in [".a.b {\n", ".a, .b {\n", ".a :b {\n"] {
            assert!(!same(&STYLE, ".a .b {\n", other), "{other}");
        }
        let page = Dialect { markup: true, strings: false, ..script };
        assert!(!same(&page, "<p>a \"b\"; c</p>\n", "<p>a 'b' c</p>\n"), "a text");
    }
}
