//! What a side changed, item by item.

use std::ops::Range;

use super::{Item, Sort, Version};
use crate::diff::{Edit, Interner, diff, join_replacements, kept_pairs};
use crate::merge::Dialect;
use crate::merge::tags::Tag;

/// So many ways to slide what was put in are looked at for one that closes what it opens.
const SLID: usize = 50;

/// Edits from the base's items to a side's: islands of bare punctuation joined, changed tags one by one.
pub(super) fn token_edits(base: &Version<'_>, side: &Version<'_>, dialect: &Dialect) -> Vec<Edit> {
    let size = base.keys.iter().chain(&side.keys).max().map_or(0, |m| *m as usize + 1);
    let mut weak = vec![false; size];
    for (item, key) in base.items.iter().zip(&base.keys).chain(side.items.iter().zip(&side.keys)) {
        weak[*key as usize] = !item.solid();
    }
    let mut edits = diff(&base.keys, &side.keys, |k| weak[k as usize]);
    join_replacements(&mut edits, &base.keys, &side.keys);
    slide_to_starts(&mut edits, base, side);
    let mut joined: Vec<Edit> = Vec::with_capacity(edits.len());
    for edit in edits {
        if let Some(last) = joined.last_mut()
            && !base.items[last.old.end..edit.old.start].iter().any(|i| i.solid() || i.divides(dialect))
        {
            last.old.end = edit.old.end;
            last.new.end = edit.new.end;
        } else {
            joined.push(edit);
        }
    }
    joined.into_iter().flat_map(|edit| split_at_tags(base, side, edit)).collect()
}

/// Slides what was put in, or taken out, to where it is whole lines, or else whole statements, or else closes what it
/// opens. The first words of one are often those of the next as well, and then as good as another's to the comparison.
fn slide_to_starts(edits: &mut [Edit], base: &Version<'_>, side: &Version<'_>) {
    let starts_line = |version: &Version<'_>, at: usize| {
        at == 0 || version.items.get(at).is_none_or(|item| item.lead.contains(&b'\n'))
    };
    let starts_statement =
        |version: &Version<'_>, at: usize| starts_line(version, at) || version.items[at - 1].text == b";";
    // Nothing is slid over the edit before.
    let mut from = 0;
    for edit in edits {
        let (version, group) = match (edit.old.is_empty(), edit.new.is_empty()) {
            (true, _) => (side, &edit.new),
            (_, true) => (base, &edit.old),
            _ => {
                from = edit.old.end;
                continue;
            }
        };
        let slides = |up: &usize| *up == 0 || version.keys[group.start - up] == version.keys[group.end - up];
        let is_whole = |up: &usize, starts: &dyn Fn(&Version<'_>, usize) -> bool| {
            starts(version, group.end - up)
                && starts(base, edit.old.start - up)
                && starts(side, edit.new.start - up)
        };
        let ways = || (0..=edit.old.start - from).take_while(slides);
        // Most cannot be slid at all.
        if ways().nth(1).is_none() {
            from = edit.old.end;
            continue;
        }
        let lines = ways().find(|up| is_whole(up, &starts_line));
        let statements = || ways().find(|up| is_whole(up, &starts_statement));
        let nested = || ways().take(SLID).find(|up| nests(&version.items[group.start - up..group.end - up]));
        if let Some(up) = lines.or_else(statements).or_else(nested) {
            *edit =
                Edit { old: edit.old.start - up..edit.old.end - up, new: edit.new.start - up..edit.new.end - up };
        }
        from = edit.old.end;
    }
}

/// Tells whether items close the brackets that they open, and no others.
fn nests(items: &[Item<'_>]) -> bool {
    let mut open = 0i64;
    items.iter().all(|item| {
        open += match item.text {
            b"(" | b"[" | b"{" => 1,
            b")" | b"]" | b"}" => -1,
            _ => 0,
        };
        open >= 0
    }) && open == 0
}

/// Splits an edit so that a tag which became another tag of the same name is an edit of its own.
fn split_at_tags(base: &Version<'_>, side: &Version<'_>, edit: Edit) -> Vec<Edit> {
    let shapes =
        |v: &Version<'_>, range: Range<usize>| -> Vec<Option<Vec<u8>>> {
            v.items[range]
                .iter()
                .map(|i| {
                    if i.sort == Sort::Tag { Tag::parse(i.text).map(|t| t.name.to_ascii_lowercase()) } else { None }
                })
                .collect()
        };
    let (old, new) = (shapes(base, edit.old.clone()), shapes(side, edit.new.clone()));
    if old.iter().flatten().next().is_none() || new.iter().flatten().next().is_none() {
        return vec![edit];
    }
    let mut interner = Interner::new();
    let mut number = |shapes: &[Option<Vec<u8>>], tag: u8| -> Vec<u32> {
        shapes
            .iter()
            .enumerate()
            .map(|(k, shape)| {
                // What is no tag pairs with nothing.
                let own = || format!("{tag} {k}").into_bytes();
                interner.number(shape.as_ref().map_or_else(own, |n| [b"<", n.as_slice()].concat()).into())
            })
            .collect()
    };
    let (old_shapes, new_shapes) = (number(&old, 0), number(&new, 1));
    let edits = diff(&old_shapes, &new_shapes, |_| false);
    let pairs: Vec<(usize, usize)> =
        kept_pairs(&edits, old.len()).map(|(i, j)| (edit.old.start + i, edit.new.start + j)).collect();
    if pairs.iter().any(|pair| gave_away(base, side, &edit.new, *pair)) {
        return vec![edit];
    }
    let mut out = Vec::new();
    let (mut i, mut j) = (edit.old.start, edit.new.start);
    for (to_i, to_j) in pairs.into_iter().chain([(edit.old.end, edit.new.end)]) {
        if i < to_i || j < to_j {
            out.push(Edit { old: i..to_i, new: j..to_j });
        }
        if to_i < edit.old.end && to_j < edit.new.end {
            if base.keys[to_i] != side.keys[to_j] {
                out.push(Edit { old: to_i..to_i + 1, new: to_j..to_j + 1 });
            }
            (i, j) = (to_i + 1, to_j + 1);
        }
    }
    out
}

/// Tells whether what a tag said of itself is said by another of the new ones: either may be the one that it became.
fn gave_away(base: &Version<'_>, side: &Version<'_>, new: &Range<usize>, (i, j): (usize, usize)) -> bool {
    let said = |item: &Item<'_>| Tag::parse(item.text).map(|tag| item.text[tag.name.len() + 1..].to_vec());
    let Some(before) = said(&base.items[i]).filter(|text| text.len() > 1) else { return false };
    let says = |k: usize| said(&side.items[k]).as_ref() == Some(&before);
    !says(j) && new.clone().any(says)
}
