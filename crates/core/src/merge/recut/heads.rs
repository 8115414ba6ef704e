//! Rules and tags that were cut at other places and changed: they are known by what they begin with.

use std::collections::HashMap;

use crate::diff::Edit;
use crate::merge::Dialect;
use crate::merge::align::Side;
use crate::merge::balance::balance;
use crate::merge::tags::tag_end;
use crate::text::token::tokens;
use crate::text::{Line, joined};

/// What lines begin with: the words of a rule's selectors, or the name of a tag.
type Head<'h> = Vec<&'h [u8]>;

/// Tells of each stretch whether it is one rule or tag in both versions, cut at other places, and the only one that begins
/// so.
pub(super) fn known_by_heads(sides: [&Side<'_>; 2], stretches: &[Edit], dialect: &Dialect) -> Vec<bool> {
    if !dialect.declarations && !dialect.markup {
        return vec![false; stretches.len()];
    }
    let lines = |edit: &Edit| [&sides[0].lines[edit.old.clone()], &sides[1].lines[edit.new.clone()]];
    let heads: Vec<[Option<Head<'_>>; 2]> =
        stretches.iter().map(|edit| lines(edit).map(|lines| head(lines, dialect))).collect();
    let mut times: [HashMap<&Head<'_>, usize>; 2] = [HashMap::new(), HashMap::new()];
    for pair in &heads {
        for (times, head) in times.iter_mut().zip(pair) {
            head.iter().for_each(|head| *times.entry(head).or_default() += 1);
        }
    }
    let is_known = |(edit, heads): (&Edit, &[Option<Head<'_>>; 2])| {
        let [Some(old), Some(new)] = heads else { return false };
        let (fewer, more) = (edit.old.len().min(edit.new.len()), edit.old.len().max(edit.new.len()));
        let is_cut = more > 1 && (fewer == 1 || dialect.declarations);
        let closes_alike = || {
            let [before, after] = lines(edit).map(|lines| balance(&joined(lines), dialect.markup));
            before == after
        };
        is_cut && old == new && times.iter().all(|times| times[old] == 1) && closes_alike()
    };
    stretches.iter().zip(&heads).map(is_known).collect()
}

fn head<'a>(lines: &[Line<'a>], dialect: &Dialect) -> Option<Head<'a>> {
    if dialect.declarations { selectors(lines) } else { tag_name(lines) }
}

/// The words of the selectors that lines begin with, if they are a rule.
fn selectors<'a>(lines: &[Line<'a>]) -> Option<Head<'a>> {
    let mut head = Vec::new();
    for token in lines.iter().flat_map(|line| tokens(line.content)).filter(|token| !token.text.is_empty()) {
        match token.text {
            b"{" => return Some(head).filter(|head| !head.is_empty()),
            b"}" | b";" => return None,
            text => head.push(text),
        }
    }
    None
}

/// The name of the tag that lines begin with, if it ends in the last of them.
fn tag_name<'a>(lines: &[Line<'a>]) -> Option<Head<'a>> {
    let first = lines.first()?.trimmed();
    let name = first.strip_prefix(b"<")?;
    let name = &name[..name.iter().take_while(|byte| byte.is_ascii_alphanumeric() || **byte == b'-').count()];
    let text = joined(lines);
    let end = tag_end(&text, text.len() - text.trim_ascii_start().len())?;
    text[end..].trim_ascii_end().iter().all(|byte| *byte != b'\n').then(|| vec![name])
}
