//! Rules and tags that were cut at other places and changed: they are known by what they begin with.

use std::collections::HashMap;

use super::lines_text;
use crate::diff::Edit;
use crate::merge::Dialect;
use crate::merge::align::Side;
use crate::merge::balance::balance;
use crate::merge::tags::tag_end;
use crate::text::Line;
use crate::text::token::tokens;

/// What lines begin with: the words of a rule's selectors, or the name of a tag.
type Head<'h> = Vec<&'h [u8]>;

/// What the stretches of an edit begin with.
pub(super) struct Heads<'h> {
    /// Those with which a stretch begins in both versions.
    of_both: HashMap<Edit, Head<'h>>,
    /// How often each is there, in the old version and in the new.
    times: [HashMap<Head<'h>, usize>; 2],
}

impl<'h> Heads<'h> {
    /// Finds the heads of `stretches` of both versions.
    pub(super) fn of(sides: [&Side<'h>; 2], stretches: &[Edit], dialect: &Dialect) -> Self {
        let mut heads = Heads { of_both: HashMap::new(), times: [HashMap::new(), HashMap::new()] };
        if !dialect.declarations && !dialect.markup {
            return heads;
        }
        for edit in stretches {
            let lines = [&sides[0].lines[edit.old.clone()], &sides[1].lines[edit.new.clone()]];
            let found = lines.map(|lines| head(lines, dialect));
            for (times, head) in heads.times.iter_mut().zip(&found) {
                head.iter().for_each(|head| *times.entry(head.clone()).or_default() += 1);
            }
            let (fewer, more) = (edit.old.len().min(edit.new.len()), edit.old.len().max(edit.new.len()));
            if let [Some(old), Some(new)] = found
                && old == new
                && more > 1
                && (fewer == 1 || dialect.declarations)
                && balance(&lines_text(lines[0]), dialect.markup) == balance(&lines_text(lines[1]), dialect.markup)
            {
                heads.of_both.insert(edit.clone(), old);
            }
        }
        heads
    }

    /// Tells whether a stretch is one rule or tag in both versions, and the only one that begins so.
    pub(super) fn tell(&self, stretch: &Edit) -> bool {
        let head = self.of_both.get(stretch);
        head.is_some_and(|head| self.times.iter().all(|times| times.get(head) == Some(&1)))
    }
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
    let text = lines_text(lines);
    let end = tag_end(&text, text.len() - text.trim_ascii_start().len())?;
    text[end..].trim_ascii_end().iter().all(|byte| *byte != b'\n').then(|| vec![name])
}
