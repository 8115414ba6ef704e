//! What within a text is one value, and what stands between two.

use std::ops::Range;

use super::Dialect;
use super::tokens::{Item, Version};
use crate::diff::Edit;

/// Where in the base one slot ends and another begins.
pub(super) struct Slots {
    /// Per item: whether it stands between two slots.
    divides: Vec<bool>,
    /// Per item: the part of a declaration's value that it belongs to.
    parts: Vec<Option<Part>>,
    /// Per item: the name of the innermost call whose arguments it is among.
    callers: Vec<Option<usize>>,
}

/// One of the blank-separated parts of a declaration's value: the width of a border, its style, its colour.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
struct Part {
    place: usize,
    sort: PartSort,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum PartSort {
    Measure,
    Colour,
    Call,
    Keyword,
}

impl PartSort {
    fn of(items: &[Item<'_>]) -> Self {
        let digit = |item: Option<&Item<'_>>| item.is_some_and(|i| i.text.first().is_some_and(u8::is_ascii_digit));
        match items.first().map_or(&b""[..], |item| item.text) {
            b"#" => PartSort::Colour,
            text if text.starts_with(b"#") => PartSort::Colour,
            b"-" | b"+" | b"." if digit(items.get(1)) => PartSort::Measure,
            _ if digit(items.first()) => PartSort::Measure,
            _ if items.iter().any(|item| item.text == b"(") => PartSort::Call,
            _ => PartSort::Keyword,
        }
    }
}

impl Slots {
    pub(super) fn of(base: &Version<'_>, dialect: &Dialect) -> Self {
        let items = &base.items;
        let mut slots = Self::plain(items.iter().map(|item| item.divides(dialect)).collect());
        if dialect.declarations {
            slots.read_declarations(items);
        }
        slots
    }

    fn plain(divides: Vec<bool>) -> Self {
        let len = divides.len();
        Slots { divides, parts: vec![None; len], callers: vec![None; len] }
    }

    /// Finds the slots of style rules: what stands between commas, the conditions of an at-rule, the words of a comment.
    fn read_declarations(&mut self, items: &[Item<'_>]) {
        // The layers of a shadow, the fonts of a family, the selectors of a rule, and arguments; but not the parts of
        // a colour.
        let calls = Calls::of(items);
        for k in calls.commas {
            self.divides[k] = true;
        }
        self.callers = calls.callers;
        self.parts = value_parts(items);
        for at in conditions(items) {
            self.divides[at] = true;
        }
        // An interpolation `#{name}` is within a value.
        for at in interpolations(items) {
            self.divides[at].fill(false);
        }
        for at in comments(items) {
            for k in at {
                self.divides[k] = divides_text(&items[k]);
                (self.parts[k], self.callers[k]) = (None, None);
            }
        }
    }

    /// The slots of a text: its words, and what stands between commas.
    pub(super) fn of_text(base: &Version<'_>) -> Self {
        Self::plain(base.items.iter().map(divides_text).collect())
    }

    /// The slots of a text in backquotes: the expressions within it; `None` where an edit is not wholly in one.
    pub(super) fn of_expressions(base: &Version<'_>, edits: &[&[Edit]]) -> Option<Self> {
        let mut inside = false;
        let within = |(k, item): (usize, &Item<'_>)| {
            let opens = item.text == b"{" && k > 0 && base.items[k - 1].text == b"$";
            inside = (inside || opens) && item.text != b"}";
            inside && !opens
        };
        let within: Vec<bool> = base.items.iter().enumerate().map(within).collect();
        let in_one = |e: &Edit| !e.old.is_empty() && within[e.old.clone()].iter().all(|inside| *inside);
        let all_in_one = edits.iter().copied().flatten().all(in_one);
        all_in_one.then(|| Self::plain(within.iter().map(|inside| !inside).collect()))
    }

    /// Tells whether something that divides stands between two stretches, and neither is the name of a call among
    /// whose arguments the other is.
    pub(super) fn divided(&self, before: &Range<usize>, after: &Range<usize>) -> bool {
        let callers = std::iter::successors(self.callers.get(after.start).copied().flatten(), |k| self.callers[*k]);
        let mut calling = callers.take(NESTED).filter(|k| before.contains(k));
        self.divides[before.end..after.start].contains(&true) && calling.next().is_none()
    }

    /// Tells whether two stretches are parts of a value that say different things, with a part between: the width
    /// of a border and its colour; but not two of its four margins.
    pub(super) fn other_parts(&self, before: &Range<usize>, after: &Range<usize>) -> bool {
        let part = |range: &Range<usize>| {
            let mut parts = self.parts[range.clone()].iter();
            let first = (*parts.next()?)?;
            parts.all(|p| *p == Some(first)).then_some(first)
        };
        let (Some(a), Some(b)) = (part(before), part(after)) else { return false };
        a.place + 1 < b.place && a.sort != b.sort
    }
}

/// Stands between two slots of a text.
fn divides_text(item: &Item<'_>) -> bool {
    let letters = item.text.iter().filter(|b| b.is_ascii_alphabetic() || **b >= 0x80).count();
    letters >= 2 || matches!(item.text, b"," | b";")
}

/// How many calls within one another are looked at.
const NESTED: usize = 32;

/// Calls whose arguments are one value together: a colour, a curve, a place.
const ONE_VALUE: [&[u8]; 30] = [
    b"rgb",
    b"rgba",
    b"hsl",
    b"hsla",
    b"hwb",
    b"lab",
    b"lch",
    b"oklab",
    b"oklch",
    b"color",
    b"cubic-bezier",
    b"steps",
    b"translate",
    b"translate3d",
    b"scale",
    b"scale3d",
    b"rotate",
    b"rotate3d",
    b"skew",
    b"matrix",
    b"matrix3d",
    b"clamp",
    b"min",
    b"max",
    b"minmax",
    b"rect",
    b"inset",
    b"polygon",
    b"circle",
    b"url",
];

/// The calls within a style sheet.
struct Calls {
    /// The commas that stand between two values of their own.
    commas: Vec<usize>,
    /// Per item: the name of the innermost call that it is an argument of.
    callers: Vec<Option<usize>>,
}

impl Calls {
    fn of(items: &[Item<'_>]) -> Self {
        struct Bracket {
            name: Option<usize>,
            commas: Vec<usize>,
            /// Whether each argument so far is a call.
            calls: bool,
            argument_is_call: bool,
        }
        let mut out = Calls { commas: Vec::new(), callers: Vec::with_capacity(items.len()) };
        let mut brackets: Vec<Bracket> = Vec::new();
        for (k, item) in items.iter().enumerate() {
            out.callers.push(brackets.last().and_then(|b| b.name));
            match (item.text, brackets.last_mut()) {
                (b"(", _) => {
                    let name = k.checked_sub(1).filter(|n| item.lead.is_empty() && items[*n].solid());
                    brackets.push(Bracket { name, commas: Vec::new(), calls: true, argument_is_call: false });
                }
                (b")", Some(bracket)) => {
                    let name = bracket.name.map_or(&b""[..], |n| items[n].text);
                    let all_calls = bracket.calls && bracket.argument_is_call;
                    if all_calls || !ONE_VALUE.contains(&name) {
                        out.commas.append(&mut bracket.commas);
                    }
                    brackets.pop();
                    if let Some(outer) = brackets.last_mut() {
                        outer.argument_is_call = true;
                    }
                }
                (b",", Some(bracket)) => {
                    bracket.commas.push(k);
                    bracket.calls &= std::mem::take(&mut bracket.argument_is_call);
                }
                (b",", None) => out.commas.push(k),
                _ => {}
            }
        }
        out
    }
}

/// The words between the conditions of an at-rule: `@media screen and (min-width: 40em)`.
fn conditions(items: &[Item<'_>]) -> Vec<usize> {
    const RULES: [&[u8]; 6] = [b"@media", b"@supports", b"@container", b"@if", b"@while", b"@import"];
    let mut out = Vec::new();
    let mut within = false;
    for (k, item) in items.iter().enumerate() {
        within = (within || RULES.contains(&item.text)) && !item.separates();
        if within && matches!(item.text, b"and" | b"or") {
            out.push(k);
        }
    }
    out
}

/// The comments of a style sheet: `/* … */`, `// …` to the end of the line, and what goes on with one: ` * …`.
fn comments(items: &[Item<'_>]) -> Vec<Range<usize>> {
    let pair = |k: usize, texts: [&[u8]; 2]| {
        let next = items.get(k + 1).filter(|next| next.lead.is_empty());
        items[k].text == texts[0] && next.is_some_and(|next| next.text == texts[1])
    };
    let mut out = Vec::new();
    let mut k = 0;
    // As a selector it would be followed by another or by a block.
    let goes_on = items.first().is_some_and(|first| first.text == b"*")
        && items.get(1).is_some_and(|word| !word.lead.is_empty() && word.solid())
        && !items.iter().any(|item| item.separates() || item.lead.contains(&b'\n') || item.text == b">")
        && items.last().is_some_and(|last| last.text != b",");
    if goes_on {
        out.push(0..items.len());
        k = items.len();
    }
    while k < items.len() {
        let address = k > 0 && items[k - 1].text == b":" && items[k].lead.is_empty();
        let end = if pair(k, [b"/", b"*"]) {
            (k + 2..items.len()).find(|k| pair(*k, [b"*", b"/"])).map_or(items.len(), |k| k + 2)
        } else if pair(k, [b"/", b"/"]) && !address {
            (k + 2..items.len()).find(|k| items[*k].lead.contains(&b'\n')).unwrap_or(items.len())
        } else {
            k += 1;
            continue;
        };
        out.push(k..end);
        k = end;
    }
    out
}

/// The stretches `{name}` behind a `#`.
fn interpolations(items: &[Item<'_>]) -> Vec<Range<usize>> {
    let opens = |k: &usize| items[*k].text == b"{" && *k > 0 && items[*k - 1].text == b"#";
    let close = |k: usize| (k..items.len()).find(|end| items[*end].text == b"}").map(|end| k..end + 1);
    (0..items.len()).filter(opens).filter_map(close).collect()
}

/// To which part of a declaration's value each item belongs.
fn value_parts(items: &[Item<'_>]) -> Vec<Option<Part>> {
    let mut out = vec![None; items.len()];
    let mut k = 0;
    // A value starts behind a colon with a blank: none of a selector.
    while let Some(colon) = (k..items.len()).find(|k| items[*k].text == b":") {
        k = colon + 1;
        if items.get(k).is_none_or(|item| item.lead.is_empty()) {
            continue;
        }
        for place in 0.. {
            let mut depth = 0i64;
            let start = k;
            while k < items.len() && !items[k].separates() {
                if k > start && depth == 0 && !items[k].lead.is_empty() {
                    break;
                }
                depth += i64::from(items[k].text == b"(") - i64::from(items[k].text == b")");
                k += 1;
            }
            if k == start {
                break;
            }
            out[start..k].fill(Some(Part { place, sort: PartSort::of(&items[start..k]) }));
        }
    }
    out
}
