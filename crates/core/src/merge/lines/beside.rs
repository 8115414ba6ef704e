//! What the sides did side by side, and what of it does not stand so.

use std::collections::HashSet;

use super::Walk;
use crate::merge::Dialect;
use crate::merge::align::Side;
use crate::merge::members::member_name;
use crate::merge::ops::{Op, OpKind, named};
use crate::text::Line;
use crate::text::token::{TokenKind, tokens};

impl Walk<'_, '_> {
    /// Tells whether what the sides did side by side does not stand so: one goes on with what the other took out or ended,
    /// or both put in the same, or something of one name.
    pub(super) fn at_odds(&self, site: &Op, release: &Op) -> bool {
        let (own, new) = ((site, self.site), (release, self.release));
        let puts = |op: &Op| matches!(op.kind, OpKind::Insert | OpKind::Rewrite) && !op.form;
        let beside = puts(site) && puts(release) && (site.kind, release.kind) != (OpKind::Insert, OpKind::Insert);
        self.goes_on(own, new)
            || self.goes_on(new, own)
            || self.leads_on(own, release)
            || self.leads_on(new, site)
            || beside && self.put_alike(site, release)
    }

    /// Tells whether what the release put in hangs on lines that the site replaced: it stands in a block that they open,
    /// or speaks of what the site has nowhere since.
    pub(super) fn hangs_on(&self, put: &Op, replaced: &Op) -> bool {
        let lines = || put.side.clone().filter(|at| !self.release.lines[*at].is_blank());
        let is_of_replaced =
            |at: usize| replaced.base.clone().any(|line| self.release_ops.links[line].line() == Some(at));
        if lines().next().is_some_and(|at| self.release.blocks(at).next().is_some_and(is_of_replaced)) {
            return true;
        }
        if !is_code(self.context.dialect) {
            return false;
        }
        let site = self.site_words.get_or_init(|| words(&self.site.lines).collect());
        let gone: HashSet<_> =
            words(&self.base.lines[replaced.base.clone()]).filter(|word| !site.contains(word)).collect();
        words(&self.release.lines[put.side.clone()]).any(|word| gone.contains(word))
    }

    /// Tells whether both sides put in some line that tells something, or something of one name.
    fn put_alike(&self, site: &Op, release: &Op) -> bool {
        let keys: HashSet<u32> = self.site.keys[site.side.clone()].iter().copied().collect();
        let known: HashSet<_> = names(&self.site.lines[site.side.clone()]).collect();
        let same = |key: &u32| keys.contains(key) && !self.context.weak.is(*key);
        self.release.keys[release.side.clone()].iter().any(same)
            || names(&self.release.lines[release.side.clone()]).any(|name| known.contains(name))
    }

    /// Tells whether one side put in what goes on with the line above, and the other took that out or ended it: `else`
    /// behind an `if`, the next of a list behind a comma.
    fn goes_on(&self, (put, own): (&Op, &Side<'_>), (other, side): (&Op, &Side<'_>)) -> bool {
        if matches!(put.kind, OpKind::Change | OpKind::Delete)
            || other.kind == OpKind::Insert
            || other.base.end != put.base.start
        {
            return false;
        }
        let Some(first) = own.lines[put.side.clone()].iter().find(|line| !line.is_blank()) else { return false };
        let statement = |line: &Line<'_>| goes_on_with_statement(line.trimmed(), self.context.dialect);
        let went_on = self.base.lines[put.base.clone()].first().is_some_and(statement);
        if other.kind != OpKind::Change && !went_on && statement(first) {
            return true;
        }
        let ends = |line: Option<&Line<'_>>, mark: &[u8]| line.is_some_and(|line| line.trimmed().ends_with(mark));
        let (above, now) = (other.base.end.checked_sub(1), other.side.end.checked_sub(1));
        let [before, after] = [(self.base, above), (side, now)].map(|(side, at)| at.map(|at| &side.lines[at]));
        other.kind != OpKind::Delete && ends(before, b",") && ends(after, b";")
    }

    /// Tells whether one side put in what the line below goes on with, and the other took that out or replaced it.
    fn leads_on(&self, (put, own): (&Op, &Side<'_>), other: &Op) -> bool {
        if matches!(put.kind, OpKind::Change | OpKind::Delete)
            || !matches!(other.kind, OpKind::Delete | OpKind::Rewrite)
            || put.base.end != other.base.start
        {
            return false;
        }
        let leads = |lines: &[Line<'_>]| {
            let last = lines.iter().rev().find(|line| !line.is_blank())?;
            leads_on(last.trimmed(), self.context.dialect)
        };
        let Some(lead) = leads(&own.lines[put.side.clone()]) else { return false };
        // What was taken out may have led on likewise: the chain is whole.
        let as_before = other.kind == OpKind::Delete
            && lead != Lead::Condition
            && leads(&self.base.lines[other.base.clone()]) == Some(lead);
        !as_before && leads(&self.base.lines[put.base.clone()]).is_none()
    }
}

/// By what a line leads on to the one below.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Lead {
    /// An annotation is for what stands below.
    Annotation,
    /// What stands below hangs on the line.
    Condition,
    /// The line ends so, and a value or a list of selectors goes on.
    Open(&'static [u8]),
}

fn is_code(dialect: &Dialect) -> bool {
    dialect.strings && !dialect.markup && !dialect.declarations
}

/// The letters that a line begins with.
fn first_word(line: &[u8]) -> &[u8] {
    &line[..line.iter().take_while(|byte| byte.is_ascii_alphabetic()).count()]
}

/// Tells whether a line of code, or of a style with conditions, goes on with the statement above it.
fn goes_on_with_statement(line: &[u8], dialect: &Dialect) -> bool {
    const WORDS: [&[u8]; 9] =
        [b"else", b"elif", b"elseif", b"elsif", b"catch", b"except", b"finally", b"rescue", b"ensure"];
    let goes_on = |text: &[u8]| WORDS.contains(&first_word(text));
    let chained = line.starts_with(b".") && !line.starts_with(b"..");
    let of_style = dialect.declarations && line.strip_prefix(b"@").is_some_and(goes_on);
    of_style || is_code(dialect) && (goes_on(line) || chained)
}

/// By what the line below goes on with a line of code or of selectors, if it does: what an annotation is for, what hangs
/// on a condition, the rest of a value.
fn leads_on(line: &[u8], dialect: &Dialect) -> Option<Lead> {
    const WORDS: [&[u8]; 3] = [b"if", b"for", b"while"];
    // In languages of styles these say all on their own line.
    const WHOLE: [&[u8]; 6] = [b"import", b"use", b"forward", b"charset", b"include", b"extend"];
    const ENDS: [&[u8]; 7] = [b"=", b"=>", b"+", b"?", b"&&", b"||", b"\\"];
    if dialect.declarations && line.ends_with(b",") {
        return Some(Lead::Open(b","));
    }
    if !is_code(dialect) {
        return None;
    }
    if line == b"else" || line.ends_with(b")") && WORDS.contains(&first_word(line)) {
        return Some(Lead::Condition);
    }
    if line.strip_prefix(b"@").is_some_and(|rest| !WHOLE.contains(&first_word(rest))) {
        return Some(Lead::Annotation);
    }
    ENDS.iter().find(|end| line.ends_with(end)).map(|end| Lead::Open(end))
}

/// The words of lines.
fn words<'l>(lines: &[Line<'l>]) -> impl Iterator<Item = &'l [u8]> {
    lines.iter().flat_map(|line| tokens(line.content)).filter(|t| t.kind == TokenKind::Word).map(|t| t.text)
}

/// What lines give a value to, or are the first lines of.
fn names<'l>(lines: &'l [Line<'_>]) -> impl Iterator<Item = &'l [u8]> {
    lines.iter().flat_map(|line| [named(line.trimmed()), member_name(line.trimmed())]).flatten()
}
