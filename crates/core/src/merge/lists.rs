//! Entries that the sides put into a list on one line: names in braces, declarations, arguments.
//!
//! Where order says nothing, what both put in stands side by side; and what one put in stands beside an entry that the
//! other changed, for a separator of its own parts the two.

use std::ops::Range;

use super::Dialect;
use super::tokens::{Item, Sort};

/// So many items back the bracket is looked for that a list stands in.
const FAR: usize = 400;

/// On which side of its entries an insertion has their separators.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Separated {
    /// `, own`: what follows is the next separator, or the end of the list.
    Before,
    /// `own, `: what stands before is a separator, or the start of the list.
    Behind,
}

/// Whole entries that a side put into a list.
struct Entries<'i, 'a> {
    separator: &'a [u8],
    separated: Separated,
    list: Vec<&'i [Item<'a>]>,
    /// A separator more stands behind them, at the end of the list.
    trailing: bool,
}

/// What a list stands in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Within {
    Braces,
    Brackets,
    /// Nothing: it is all of the text.
    Text,
}

pub(super) fn is_separator(item: &Item<'_>) -> bool {
    matches!(item.text, b"," | b";")
}

fn depth(item: &Item<'_>) -> i64 {
    match item.text {
        b"(" | b"[" | b"{" => 1,
        b")" | b"]" | b"}" => -1,
        _ => 0,
    }
}

/// Where the separators stand that are in no bracket of the items' own; `None` where a bracket is left open.
fn separators(items: &[Item<'_>]) -> Option<Vec<usize>> {
    let (mut open, mut out) = (0, Vec::new());
    for (k, item) in items.iter().enumerate() {
        open += depth(item);
        if open < 0 {
            return None;
        }
        out.extend((open == 0 && is_separator(item)).then_some(k));
    }
    (open == 0).then_some(out)
}

impl<'i, 'a> Entries<'i, 'a> {
    /// Cuts what was put into a gap of the base; `None` where it is no whole entries there.
    fn of(base: &[Item<'_>], gap: usize, put: &'i [Item<'a>], dialect: &Dialect) -> Option<Self> {
        let at = separators(put)?;
        let (first, last) = (*at.first()?, *at.last()?);
        let separator = put[first].text;
        if at.iter().any(|k| put[*k].text != separator) {
            return None;
        }
        // The value of a declaration, and the selectors of a rule, end without a bracket of their own.
        let edge = |item: Option<&Item<'_>>, bracket: i64, mark: &[u8]| {
            item.is_none_or(|item| {
                is_separator(item)
                    || depth(item) == bracket
                    || item.text.is_empty()
                    || dialect.declarations && item.text == mark
            })
        };
        let separated = if first == 0 && edge(base.get(gap), -1, b"{") {
            Separated::Before
        } else if last + 1 == put.len() && edge(gap.checked_sub(1).map(|k| &base[k]), 1, b":") {
            Separated::Behind
        } else {
            return None;
        };
        let trailing = separated == Separated::Before && at.len() > 1 && last + 1 == put.len();
        let inner = match separated {
            Separated::Before => &put[1..put.len() - usize::from(trailing)],
            Separated::Behind => &put[..last],
        };
        let mut list = Vec::new();
        let mut from = 0;
        for end in separators(inner)?.into_iter().chain([inner.len()]) {
            list.push(&inner[from..end]);
            from = end + 1;
        }
        let at_end = base.get(gap).is_none_or(|item| depth(item) < 0);
        let whole = (at_end || !trailing) && list.iter().all(|entry| !entry.is_empty());
        whole.then_some(Entries { separator, separated, list, trailing })
    }
}

/// What the list stands in that a gap is in; `None` where that is too far to see.
fn within(base: &[Item<'_>], gap: usize) -> Option<Within> {
    let mut open = 0;
    for item in base[gap.saturating_sub(FAR)..gap].iter().rev() {
        open += depth(item);
        if open > 0 {
            return Some(if item.text == b"{" { Within::Braces } else { Within::Brackets });
        }
    }
    (gap <= FAR).then_some(Within::Text)
}

/// Which of two insertions into one gap stands first.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum First {
    Site,
    Release,
}

/// Tells in which order what both sides put into one gap of a list stands: entries behind what the other put into the
/// entry there, and of entries that may stand in any order (names or declarations in braces, values by key, the
/// selectors of a rule; none of them in both) the release's first. `None` where it is open.
pub(super) fn in_order(
    base: &[Item<'_>],
    gap: usize,
    [site, release]: [&[Item<'_>]; 2],
    dialect: &Dialect,
) -> Option<First> {
    let at = gap..gap;
    let goes_on = |put: &[Item<'_>], other: &[Item<'_>]| {
        put.first().is_some_and(is_separator) && beside_entry(base, (gap, put), (&at, other), dialect)
    };
    if goes_on(site, release) {
        return Some(First::Release);
    }
    if goes_on(release, site) {
        return Some(First::Site);
    }
    in_any_order(base, gap, [site, release], dialect)
}

fn in_any_order(
    base: &[Item<'_>],
    gap: usize,
    [site, release]: [&[Item<'_>]; 2],
    dialect: &Dialect,
) -> Option<First> {
    let entries = |put| Entries::of(base, gap, put, dialect);
    let (own, new, place) = (entries(site)?, entries(release)?, within(base, gap)?);
    if (own.separator, own.separated) != (new.separator, new.separated) {
        return None;
    }
    // A separator at the end of the list stands behind all.
    let first = match (own.trailing, new.trailing) {
        (true, true) => return None,
        (false, true) => First::Site,
        (_, false) => First::Release,
    };
    let selectors = dialect.declarations
        && own.separator == b","
        && base[gap..].iter().find(|item| item.separates()).is_some_and(|item| item.text == b"{");
    let name = |entry: &[Item<'_>]| match (place, dialect.declarations) {
        _ if selectors => Some(text_of(entry)),
        (Within::Braces, true) if own.separator == b";" => key(entry, &[b":"]),
        (_, true) => None,
        (Within::Braces, false) => {
            let bare = (entry.len() == 1 && entry[0].sort == Sort::Word).then(|| text_of(entry));
            bare.or_else(|| key(entry, &[b":", b"=>", b"=", b"as"]))
        }
        (Within::Brackets, false) => key(entry, &[b"=>"]),
        (Within::Text, false) => key(entry, &[b"="]),
    };
    let names: Option<Vec<Vec<u8>>> = own.list.iter().chain(&new.list).map(|entry| name(entry)).collect();
    let mut names = names?;
    names.sort_unstable();
    names.windows(2).all(|pair| pair[0] != pair[1]).then_some(first)
}

fn text_of(items: &[Item<'_>]) -> Vec<u8> {
    items.iter().map(|item| item.text).collect::<Vec<_>>().join(b" ".as_slice())
}

/// What stands before the mark that a value stands behind, without quotes; of `a as b` the name that it gives.
fn key(entry: &[Item<'_>], marks: &[&[u8]]) -> Option<Vec<u8>> {
    let at = entry.iter().position(|item| marks.contains(&item.text))?;
    let (before, behind) = (&entry[..at], &entry[at + 1..]);
    let plain = before.iter().all(|item| depth(item) == 0 && !is_separator(item));
    let name = text_of(if entry[at].text == b"as" { behind } else { before });
    let quoted = |byte: &u8| matches!(byte, b'"' | b'\'');
    let bare = name.iter().copied().filter(|byte| !quoted(byte)).collect();
    (at > 0 && plain && !behind.is_empty()).then_some(bare)
}

/// Tells whether entries that one side put into a gap stand beside a stretch of the base that the other side changed
/// within its entry, with the separator of theirs between. `changed` is what the other side has in place of `old`.
pub(super) fn beside_entry(
    base: &[Item<'_>],
    (gap, put): (usize, &[Item<'_>]),
    (old, changed): (&Range<usize>, &[Item<'_>]),
    dialect: &Dialect,
) -> bool {
    if base.get(gap).is_none_or(|item| depth(item) < 0) && matches!(put, [mark] if is_separator(mark)) {
        // The end of an entry, where the next stands on a line of its own, or none follows.
        return old.end == gap && changed.last().is_some_and(|item| !is_separator(item));
    }
    let Some(entries) = Entries::of(base, gap, put, dialect) else { return false };
    let touches = match entries.separated {
        Separated::Before => old.end == gap,
        Separated::Behind => old.start == gap,
    };
    let within_entry = |items: &[Item<'_>]| separators(items).is_some_and(|at| at.is_empty());
    let in_list = dialect.declarations || matches!(within(base, gap), Some(Within::Braces | Within::Brackets));
    touches && in_list && !changed.is_empty() && within_entry(&base[old.clone()]) && within_entry(changed)
}

/// Tells whether a stretch is nothing but a separator behind the last entry of a list.
pub(super) fn ends_list(base: &[Item<'_>], at: &Range<usize>) -> bool {
    let closes = base.get(at.end).is_none_or(|item| depth(item) < 0);
    matches!(&base[at.clone()], [mark] if is_separator(mark)) && closes
}

/// Tells whether a side put a comma in place of the bracket at the end of a line: the selectors of a rule go on below.
pub(super) fn goes_on_in_next_line(base: &[Item<'_>], old: &Range<usize>, put: &[Item<'_>]) -> bool {
    let at_end = old.end == base.len() && old.len() == 1;
    at_end && base[old.start].text == b"{" && matches!(put, [mark] if mark.text == b",")
}

#[cfg(test)]
mod tests {
    use crate::merge::tokens::merge_tokens;
    use crate::merge::{Dialect, Insertions};
    use crate::text::key::Blanks;

    fn merge(dialect: &Dialect, [base, site, release]: [&str; 3]) -> Option<String> {
        let merged = merge_tokens(base.as_bytes(), site.as_bytes(), release.as_bytes(), dialect);
        merged.map(|text| String::from_utf8(text).unwrap())
    }

    #[track_caller]
    fn gives(dialect: &Dialect, versions: [&str; 3], expected: &str) {
        assert_eq!(merge(dialect, versions).as_deref(), Some(expected), "{versions:?}");
    }

    const CODE: Dialect = Dialect {
        blanks: Blanks::AreForm,
        insertions: Insertions::Members,
        markup: false,
        strings: true,
        declarations: false,
        markers: true,
        respelled: false,
    };
    const STYLE: Dialect = Dialect { insertions: Insertions::Cascade, declarations: true, ..CODE };

    #[test]
    fn what_stands_in_no_order_stands_side_by_side() {
        gives(
            &CODE,
            ["import { a } from x", "import { a, own } from x", "import { a, b } from x"],
            "import { a, b, own } from x",
        );
        gives(&CODE, ["let {a} = x", "let {own, a} = x", "let {b, a} = x"], "let {b, own, a} = x");
        gives(
            &CODE,
            ["f({ a: 1 })", "f({ a: 1, own: 2 })", "f({ a: 1, b: [3, 4] })"],
            "f({ a: 1, b: [3, 4], own: 2 })",
        );
        gives(
            &CODE,
            ["['a' => 1]", "['a' => 1, 'own' => 2]", "['a' => 1, 'b' => 3]"],
            "['a' => 1, 'b' => 3, 'own' => 2]",
        );
        gives(&STYLE, [".a { b: 1; }", ".a { b: 1; own: 2; }", ".a { b: 1; c: 3; }"], ".a { b: 1; c: 3; own: 2; }");
        gives(&STYLE, [".a { b: 1 }", ".a { b: 1; own: 2 }", ".a { b: 1; c: 3 }"], ".a { b: 1; c: 3; own: 2 }");
        gives(&STYLE, [".a { b: 1 }", ".a, .own { b: 1 }", ".a, .c { b: 1 }"], ".a, .c, .own { b: 1 }");
    }

    #[test]
    fn one_name_and_what_stands_in_order_are_asked() {
        assert_eq!(merge(&CODE, ["f(a)", "f(a, own)", "f(a, b)"]), None);
        assert_eq!(merge(&CODE, ["{ a: 1 }", "{ a: 1, b: 2 }", "{ a: 1, b: 3 }"]), None);
        assert_eq!(merge(&CODE, ["{ a: 1 }", "{ a: 1, 'b': 2 }", "{ a: 1, \"b\": 3 }"]), None);
        assert_eq!(merge(&CODE, ["{ a }", "{ a, own as b }", "{ a, c as b }"]), None, "one name");
        assert_eq!(merge(&STYLE, [".a { b: 1; }", ".a { b: 1; c: 2; }", ".a { b: 1; c: 3; }"]), None);
        assert_eq!(merge(&STYLE, ["font: a;", "font: a, own;", "font: a, b;"]), None);
        assert_eq!(merge(&CODE, ["f(a b)", "f(a, own b)", "f(c b)"]), None, "no whole entry");
        assert_eq!(merge(&CODE, ["say a", "say a, own", "say b"]), None, "no list");
    }

    #[test]
    fn an_entry_stands_beside_one_that_the_other_side_changed() {
        gives(&CODE, ["f(a, b = 1)", "f(a, b = 1, own = 2)", "f(a, b = 5)"], "f(a, b = 5, own = 2)");
        gives(&CODE, ["f(a)", "f(own, a)", "f(b)"], "f(own, b)");
        gives(&CODE, ["{ a }", "{ a, own }", "{ a as b }"], "{ a as b, own }");
        gives(&CODE, ["{ a }", "{ a as own }", "{ a, b }"], "{ a as own, b }");
        gives(&STYLE, ["move: a 1s;", "move: a 1s, own 2s;", "move: a 3s ease;"], "move: a 3s ease, own 2s;");
        assert_eq!(merge(&CODE, ["f(a)", "f(a, own)", "f(b, c)"]), None, "both went on");
        gives(&CODE, ["a: 1", "a: 1,", "a: 2"], "a: 2,");
    }
}
