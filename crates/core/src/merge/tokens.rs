//! The merge one level finer: words, marks, strings and whole tags as items.
//!
//! Two edits are both done when they sit in different slots: an item that both kept and that divides (a word, a
//! comma, an assignment) stands between them, or one of them is inside a tag that the other does not touch. Whatever is closer is one value,
//! and a value that both changed is a question. No token comes out that neither side wrote.

use std::borrow::Cow;
use std::collections::HashSet;
use std::ops::Range;

use super::Dialect;
use super::lists::{First, beside_entry, ends_list, goes_on_in_next_line, in_order, is_separator};
use super::slots::Slots;
use super::tags::{self, Tag, merge_tags, tag_end, template_end};
use crate::diff::{Edit, Interner, diff, kept_pairs};
use crate::text::token::{TokenKind, tokens};

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Sort {
    /// A word, number or string.
    Word,
    /// Punctuation.
    Mark,
    /// A whole tag with its attributes.
    Tag,
    /// An address without quotes.
    Address,
}

/// A word, a mark, a string or a tag of a text.
#[derive(Debug, Clone, Copy)]
pub(super) struct Item<'a> {
    pub(super) lead: &'a [u8],
    pub(super) text: &'a [u8],
    pub(super) sort: Sort,
    /// Stands in a remark, where that is known.
    pub(super) remark: Option<Remark>,
}

/// A remark.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Remark {
    /// `// …`: goes on to the end of its line.
    Line,
    /// `/* … */`
    Block,
}

impl Item<'_> {
    pub(super) fn solid(&self) -> bool {
        self.sort != Sort::Mark
    }

    /// Ends a declaration, so that what follows is another value.
    pub(super) fn separates(&self) -> bool {
        matches!(self.text, b";" | b"{" | b"}")
    }

    /// Stands between two slots: something with content, or punctuation that structures (an argument's comma, an
    /// assignment). A dot, a dash or a quote may be inside of one value.
    pub(super) fn divides(&self, dialect: &Dialect) -> bool {
        if dialect.declarations {
            return self.separates();
        }
        self.solid()
            || matches!(
                self.text,
                b"," | b";"
                    | b"="
                    | b"=>"
                    | b"("
                    | b")"
                    | b"["
                    | b"]"
                    | b"{"
                    | b"}"
                    | b"{{"
                    | b"}}"
                    | b"{%"
                    | b"%}"
                    | b"|"
                    | b"&"
                    | b"?"
                    | b":"
            )
    }
}

/// Cuts a text into items.
pub(super) fn items<'a>(text: &'a [u8], dialect: &Dialect) -> Vec<Item<'a>> {
    let mut out: Vec<Item<'a>> = Vec::with_capacity(text.len() / 2 + 1);
    let (mut flat, mut i) = (0, 0);
    let mut unclosed = false;
    while i < text.len() {
        let special = match text[i] {
            b'<' if dialect.markup => tag_end(text, i).map(|end| (end, Sort::Tag)),
            b'"' | b'\'' | b'`' if dialect.strings => string_end(text, i).map(|end| (end, Sort::Word)),
            _ if dialect.strings && dialect.declarations && text[..i].ends_with(b"url(") => {
                address_end(text, i).map(|end| (end, Sort::Address))
            }
            // A remark may hold a single quote or two.
            b'/' if dialect.strings
                && !text[..i].ends_with(b":")
                && !(unclosed && text[i..].starts_with(b"/*")) =>
            {
                let end = remark_end(text, i);
                unclosed |= end.is_none() && text[i..].starts_with(b"/*");
                i = end.unwrap_or(i + 1);
                continue;
            }
            _ => None,
        };
        let Some((end, sort)) = special else {
            let template = dialect.markup && !text[i..].starts_with(b"<!--");
            i = template_end(text, i).filter(|_| template).unwrap_or(i + 1);
            continue;
        };
        let lead = push_tokens(&mut out, &text[flat..i]);
        out.push(Item { lead, text: &text[i..end], sort, remark: None });
        (flat, i) = (end, end);
    }
    let lead = push_tokens(&mut out, &text[flat..]);
    if !lead.is_empty() {
        out.push(Item { lead, text: b"", sort: Sort::Mark, remark: None });
    }
    if dialect.strings {
        find_remarks(&mut out);
    }
    out
}

/// Finds what stands in remarks `// …` and `/* … */`.
fn find_remarks(items: &mut [Item<'_>]) {
    let mut within: Option<Remark> = None;
    // The last item of a block; none is looked for any more behind one that is left open.
    let mut end = Some(0);
    for k in 0..items.len() {
        let pair = |k: usize, marks: [&[u8]; 2]| {
            let next = items.get(k + 1).is_some_and(|next| next.text == marks[1] && next.lead.is_empty());
            next && items[k].text == marks[0]
        };
        let address = || items[k].lead.is_empty() && k > 0 && items[k - 1].text.ends_with(b":");
        within = match within {
            Some(Remark::Line) if !items[k].lead.contains(&b'\n') => within,
            Some(Remark::Block) if end.is_some_and(|end| k <= end) => within,
            _ if pair(k, [b"/", b"/"]) && !address() => Some(Remark::Line),
            _ if end.is_some() && pair(k, [b"/", b"*"]) => {
                end = (k + 2..items.len()).find(|k| pair(*k, [b"*", b"/"])).map(|k| k + 1);
                end.map(|_| Remark::Block)
            }
            _ => None,
        };
        items[k].remark = within;
    }
}

/// Adds plain tokens and returns the blanks left over at the end.
fn push_tokens<'a>(out: &mut Vec<Item<'a>>, text: &'a [u8]) -> &'a [u8] {
    for token in tokens(text) {
        if token.text.is_empty() {
            return token.lead;
        }
        let sort = if token.kind == TokenKind::Word { Sort::Word } else { Sort::Mark };
        out.push(Item { lead: token.lead, text: token.text, sort, remark: None });
    }
    &text[text.len()..]
}

/// Returns the end of a remark `// …` or `/* … */` that begins at `i`.
fn remark_end(text: &[u8], i: usize) -> Option<usize> {
    let rest = &text[i..];
    if rest.starts_with(b"//") {
        return Some(i + rest.iter().position(|b| *b == b'\n').unwrap_or(rest.len()));
    }
    let end = rest.starts_with(b"/*").then(|| rest.windows(2).skip(2).position(|w| w == b"*/"))?;
    end.map(|at| i + at + 4)
}

/// Returns the end of a quoted string on one line.
fn string_end(text: &[u8], i: usize) -> Option<usize> {
    let quote = text[i];
    let mut at = i + 1;
    while at < text.len() {
        match text[at] {
            b'\\' => at += 2,
            b'\n' | b'\r' => return None,
            byte if byte == quote => return Some(at + 1),
            _ => at += 1,
        }
    }
    None
}

/// Returns the end of an address without quotes that begins at `i`, behind `url(` (CSS Values and Units 3, section 3.4).
fn address_end(text: &[u8], i: usize) -> Option<usize> {
    let apart = |byte: &u8| byte.is_ascii_whitespace() || b"()\"'\\#{}$@;".contains(byte);
    let len = text[i..].iter().position(apart).filter(|len| *len > 0)?;
    (text[i + len] == b')').then_some(i + len)
}

fn number<'a>(items: &[Item<'a>], interner: &mut Interner<'a>, dialect: &Dialect) -> Vec<u32> {
    (0..items.len()).map(|at| interner.number(key_in_any_form(items, at, dialect))).collect()
}

/// What one of some items is compared by: the same for a string in either quotes, where it is the same string, for the
/// key of a value with quotes or without, and for a number or colour in any spelling.
pub(super) fn key_in_any_form<'a>(items: &[Item<'a>], at: usize, dialect: &Dialect) -> Cow<'a, [u8]> {
    let item = &items[at];
    match item.sort {
        Sort::Word if quoted_key(items, at, dialect) => item.text[1..item.text.len() - 1].into(),
        Sort::Word => in_double_quotes(item, dialect).unwrap_or_else(|| dialect.spelling().plain(item.text)),
        Sort::Address => [b"\"", item.text, b"\""].concat().into(),
        _ => item_key(item),
    }
}

/// Tells whether a string is the key of a value in braces, and would be the same key without its quotes.
fn quoted_key(items: &[Item<'_>], at: usize, dialect: &Dialect) -> bool {
    let text = items[at].text;
    let quoted = text.len() > 2 && matches!(text[0], b'"' | b'\'') && text.ends_with(&text[..1]);
    let is_name = || {
        let inner = &text[1..text.len() - 1];
        !inner[0].is_ascii_digit() && inner.iter().all(|b| b.is_ascii_alphanumeric() || *b == b'_')
    };
    let in_list = || at.checked_sub(1).is_none_or(|before| matches!(items[before].text, b"{" | b","));
    let keyed = || items.get(at + 1).is_some_and(|next| next.text == b":");
    dialect.strings && !dialect.declarations && quoted && keyed() && in_list() && is_name()
}

/// A string in single quotes as it is in double quotes, where that is the same.
fn in_double_quotes<'a>(item: &Item<'a>, dialect: &Dialect) -> Option<Cow<'a, [u8]>> {
    item.text.starts_with(b"'").then(|| in_quotes(item, b'"', dialect))?.map(Cow::Owned)
}

/// The address in a quoted string, where it needs no quotes.
fn without_quotes(item: &Item<'_>) -> Option<Vec<u8>> {
    let closed = [&item.text[1..item.text.len().checked_sub(1).filter(|end| *end > 0)?], b")"].concat();
    let quoted = matches!(item.text.first(), Some(b'"' | b'\''));
    (quoted && address_end(&closed, 0)? + 1 == closed.len()).then(|| closed[..closed.len() - 1].to_vec())
}

/// A string in other quotes, where that is the same.
fn in_quotes(item: &Item<'_>, quote: u8, dialect: &Dialect) -> Option<Vec<u8>> {
    if item.sort == Sort::Address {
        return Some([&[quote], item.text, &[quote]].concat());
    }
    let own = *item.text.first().filter(|byte| matches!(byte, b'"' | b'\'') && item.text.len() > 1)?;
    let inner = item.text[1..].strip_suffix(&[own]).filter(|_| item.sort == Sort::Word)?;
    let differs = |byte: &u8| matches!(byte, b'"' | b'\'' | b'{') || *byte == b'\\' && !dialect.declarations;
    let name = |pair: &[u8]| pair[0] == b'$' && (pair[1].is_ascii_alphabetic() || pair[1] == b'_');
    let stays = !inner.iter().any(differs) && !inner.windows(2).any(name);
    stays.then(|| [&[quote], inner, &[quote]].concat())
}

/// Tags compare blind to the width of blanks within them, and to which quotes their values are in.
fn item_key<'a>(item: &Item<'a>) -> Cow<'a, [u8]> {
    if item.sort != Sort::Tag || !item.text.iter().any(u8::is_ascii_whitespace) {
        return Cow::Borrowed(item.text);
    }
    let requoted = tags::in_double_quotes(item.text);
    let text = requoted.as_deref().unwrap_or(item.text);
    let mut key = Vec::with_capacity(text.len());
    for word in text.split(u8::is_ascii_whitespace).filter(|w| !w.is_empty()) {
        if !key.is_empty() {
            key.push(b' ');
        }
        key.extend_from_slice(word);
    }
    // `<a >` is `<a>`.
    if key.ends_with(b" >") {
        key.truncate(key.len() - 2);
        key.push(b'>');
    }
    Cow::Owned(key)
}

pub(super) struct Version<'a> {
    pub(super) items: Vec<Item<'a>>,
    keys: Vec<u32>,
}

impl<'a> Version<'a> {
    /// The text of a single item.
    fn only(&self, range: &Range<usize>) -> Option<&'a [u8]> {
        (range.len() == 1).then(|| self.items[range.start].text)
    }
}

/// Cuts three versions into items, numbered alike.
fn versions<'a>(texts: [&'a [u8]; 3], dialect: &Dialect) -> [Version<'a>; 3] {
    let mut interner = Interner::new();
    texts.map(|text| {
        let items = items(text, dialect);
        let keys = number(&items, &mut interner, dialect);
        Version { items, keys }
    })
}

/// Merges quoted texts by their words, in the release's quotes, and those in backquotes by their expressions.
fn merge_strings(base: &[u8], site: &[u8], release: &[u8]) -> Option<Vec<u8>> {
    if [base, site, release].iter().all(|text| text.starts_with(b"`")) {
        return merge_expressions(base, site, release);
    }
    let quoted = |text: &&[u8]| text.len() >= 2 && matches!(text[0], b'"' | b'\'') && text.ends_with(&text[..1]);
    let [b, s, r] = [base, site, release].map(|text| Some(text).filter(quoted).map(|t| &t[1..t.len() - 1]));
    let (merged, quote) = (merge_prose(b?, s?, r?)?, &release[..1]);
    // The site's words may hold what ends the text in other quotes than its own.
    let safe = site.starts_with(quote) || !merged.contains(&quote[0]);
    safe.then(|| [quote, &merged, quote].concat())
}

/// Which share of the base's words both sides must have kept for a merge of several lines to be sensible.
const KEPT_SHARE: f32 = 0.5;

/// Merges three versions of a short text by its words; `None` where it cannot be sure.
///
/// The result is written in the release's form. `whole_lines` is set when the text is a stretch of several
/// lines rather than one line's versions: then both sides must have kept most of the base's words.
pub(crate) fn merge_tokens(
    base: &[u8],
    site: &[u8],
    release: &[u8],
    dialect: &Dialect,
    whole_lines: bool,
) -> Option<Vec<u8>> {
    let [base, site, release] = versions([base, site, release], dialect);
    let slots = Slots::of(&base, dialect);
    merge_items(&base, &site, &release, &slots, dialect, whole_lines)
}

/// Merges three versions of a text within quotes by its words, where it is one: several words, and no address.
/// A word or a comma that both kept must stand between the edits.
pub(crate) fn merge_prose(base: &[u8], site: &[u8], release: &[u8]) -> Option<Vec<u8>> {
    let is_text = |t: &&[u8]| t.trim_ascii().contains(&b' ') && !t.windows(3).any(|w| w == b"://");
    if ![base, site, release].iter().all(is_text) {
        return None;
    }
    let dialect = Dialect::default();
    let [base, site, release] = versions([base, site, release], &dialect);
    merge_items(&base, &site, &release, &Slots::of_text(&base), &dialect, false)
}

/// Merges three versions of a text in backquotes of which both sides changed nothing but expressions.
fn merge_expressions(base: &[u8], site: &[u8], release: &[u8]) -> Option<Vec<u8>> {
    let dialect = Dialect::default();
    let [base, site, release] = versions([base, site, release], &dialect);
    let [site_edits, release_edits] = [&site, &release].map(|side| token_edits(&base, side, &dialect));
    let slots = Slots::of_expressions(&base, &[&site_edits, &release_edits])?;
    merge_items(&base, &site, &release, &slots, &dialect, false)
}

fn merge_items(
    base: &Version<'_>,
    site: &Version<'_>,
    release: &Version<'_>,
    slots: &Slots,
    dialect: &Dialect,
    whole_lines: bool,
) -> Option<Vec<u8>> {
    let site_edits = token_edits(base, site, dialect);
    let release_edits = token_edits(base, release, dialect);
    if whole_lines && (!mostly_kept(base, site, &site_edits) || !mostly_kept(base, release, &release_edits)) {
        return None;
    }
    let plan = combine(base, site, release, &site_edits, &release_edits, slots, dialect)?;
    write([base, site, release], [&site_edits, &release_edits], &plan, dialect)
}

/// A tag that became another tag counts as kept: its attributes are looked at one by one.
fn mostly_kept(base: &Version<'_>, side: &Version<'_>, edits: &[Edit]) -> bool {
    let solid = |range: Range<usize>| base.items[range].iter().filter(|i| i.solid()).count();
    let replaced = edits.iter().filter(|e| !is_tag_change(base, side, e));
    let gone: usize = replaced.map(|e| solid(e.old.clone())).sum();
    let all = solid(0..base.items.len());
    all > 0 && (all - gone) as f32 >= all as f32 * KEPT_SHARE
}

/// Tells whether an edit turns one tag into another.
fn is_tag_change(base: &Version<'_>, side: &Version<'_>, edit: &Edit) -> bool {
    let tag = |v: &Version<'_>, range: &Range<usize>| range.len() == 1 && v.items[range.start].sort == Sort::Tag;
    tag(base, &edit.old) && tag(side, &edit.new)
}

/// Edits from the base's items to a side's: islands of bare punctuation joined, changed tags one by one.
fn token_edits(base: &Version<'_>, side: &Version<'_>, dialect: &Dialect) -> Vec<Edit> {
    let size = base.keys.iter().chain(&side.keys).max().map_or(0, |m| *m as usize + 1);
    let mut weak = vec![false; size];
    for (item, key) in base.items.iter().zip(&base.keys).chain(side.items.iter().zip(&side.keys)) {
        weak[*key as usize] = !item.solid();
    }
    let edits = diff(&base.keys, &side.keys, |k| weak[k as usize]);
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

/// Tells whether an edit turns one end of a bracketed list into that of another sort: `array(` into `[`, `)` into `]`.
/// What stands within the brackets is no part of it.
fn swaps_brackets(old: &[Item<'_>], new: &[Item<'_>]) -> bool {
    let (Some((before, others)), Some((after, put))) = (old.split_last(), new.split_last()) else { return false };
    let both_among = |brackets: [&[u8]; 3]| [before, after].iter().all(|item| brackets.contains(&item.text));
    let opens = both_among([b"(", b"[", b"{"]) && others.len().max(put.len()) <= 1;
    let closes = both_among([b")", b"]", b"}"]) && others.iter().chain(put).all(|item| item.text == b",");
    before.text != after.text && (opens || closes)
}

/// What is done at one edit of the site or the release.
enum Plan {
    /// Take the release's edit `r`; the site made the same, or none.
    Release(usize),
    /// Take the site's edit `s`.
    Site(usize),
    /// A tag or a quoted text that both changed, merged; the site's edit and the release's.
    Merged(Vec<u8>, usize, usize),
}

fn combine(
    base: &Version<'_>,
    site: &Version<'_>,
    release: &Version<'_>,
    site_edits: &[Edit],
    release_edits: &[Edit],
    slots: &Slots,
    dialect: &Dialect,
) -> Option<Vec<Plan>> {
    let mut plan = Vec::with_capacity(site_edits.len() + release_edits.len());
    let is_tag = |e: &Edit, v: &Version<'_>| is_tag_change(base, v, e);
    let (mut s, mut r) = (0, 0);
    // The last edit done: what the other side did next must be clear of it.
    let mut last: Option<Done<'_>> = None;
    while s < site_edits.len() || r < release_edits.len() {
        let (se, re) = (site_edits.get(s), release_edits.get(r));
        if let (Some(se), Some(re)) = (se, re) {
            if se.old == re.old && site.keys[se.new.clone()] == release.keys[re.new.clone()] {
                plan.push(Plan::Release(r));
                (s, r) = (s + 1, r + 1);
                last = None;
                continue;
            }
            if se.old == re.old && is_tag(se, site) && is_tag(re, release) {
                let [b, st, rt] = [
                    base.items[se.old.start].text,
                    site.items[se.new.start].text,
                    release.items[re.new.start].text,
                ];
                plan.push(Plan::Merged(merge_tags(b, st, rt)?, s, r));
                (s, r) = (s + 1, r + 1);
                last = None;
                continue;
            }
        }
        if let (Some(se), Some(re)) = (se, re)
            && se.old == re.old
            && let (Some(b), Some(st), Some(rt)) = (base.only(&se.old), site.only(&se.new), release.only(&re.new))
            && let Some(text) = merge_strings(b, st, rt)
        {
            plan.push(Plan::Merged(text, s, r));
            (s, r) = (s + 1, r + 1);
            last = None;
            continue;
        }
        if let (Some(se), Some(re)) = (se, re)
            && se.old == re.old
            && se.old.is_empty()
            && let put = [&site.items[se.new.clone()], &release.items[re.new.clone()]]
            && let Some(first) = in_order(&base.items, se.old.start, put, dialect)
        {
            let (own, new) = (Plan::Site(s), Plan::Release(r));
            plan.extend(if first == First::Site { [own, new] } else { [new, own] });
            (s, r) = (s + 1, r + 1);
            last = None;
            continue;
        }
        let sites_turn = match (se, re) {
            (Some(se), Some(re)) => (se.old.start, se.old.end) <= (re.old.start, re.old.end),
            (Some(_), None) => true,
            _ => false,
        };
        let (edit, version) = if sites_turn { (&site_edits[s], site) } else { (&release_edits[r], release) };
        let apart = version.items[edit.new.clone()].iter().skip(1).any(|item| !item.lead.is_empty());
        let done = Done {
            old: edit.old.clone(),
            new: &version.items[edit.new.clone()],
            by_site: sites_turn,
            tag: is_tag(edit, version),
            brackets: swaps_brackets(&base.items[edit.old.clone()], &version.items[edit.new.clone()]),
            one_part: !edit.new.is_empty() && !apart,
        };
        let clear =
            |before: &Done<'_>| done.clear_of(before, slots) || done.parted_from(before, &base.items, dialect);
        if last.as_ref().is_some_and(|before| before.by_site != done.by_site && !clear(before)) {
            return None;
        }
        plan.push(if sites_turn { Plan::Site(s) } else { Plan::Release(r) });
        last = Some(done);
        if sites_turn { s += 1 } else { r += 1 }
    }
    Some(plan)
}

/// An edit that is done.
struct Done<'v> {
    old: Range<usize>,
    /// What stands there since.
    new: &'v [Item<'v>],
    by_site: bool,
    /// Turns one tag into another.
    tag: bool,
    /// Turns the brackets around a list into others.
    brackets: bool,
    /// Puts one part of a value, no more, in place of what was there.
    one_part: bool,
}

impl Done<'_> {
    /// Tells whether two edits of different sides sit in different slots.
    fn clear_of(&self, before: &Done<'_>, slots: &Slots) -> bool {
        let parts = self.one_part && before.one_part && slots.other_parts(&before.old, &self.old);
        let is_frame = |done: &Done<'_>| done.tag || done.brackets;
        before.old.end <= self.old.start
            && (is_frame(self) || is_frame(before) || parts || slots.divided(&before.old, &self.old))
    }

    /// Tells whether two edits of different sides are an entry that was changed and others put beside it.
    fn parted_from(&self, before: &Done<'_>, base: &[Item<'_>], dialect: &Dialect) -> bool {
        let beside = |put: &Done<'_>, other: &Done<'_>| {
            put.old.is_empty()
                && !other.old.is_empty()
                && beside_entry(base, (put.old.start, put.new), (&other.old, other.new), dialect)
        };
        let next_selector = dialect.declarations
            && goes_on_in_next_line(base, &self.old, self.new)
            && !before.new.iter().any(|item| item.separates() || is_separator(item));
        let ends = self.new.is_empty() && ends_list(base, &self.old) && before.old.end == self.old.start;
        let ends = ends && before.new.last().is_some_and(|item| !is_separator(item));
        before.old.end <= self.old.start && (next_selector || ends || beside(self, before) || beside(before, self))
    }
}

fn write<'a>(
    [base, site, release]: [&Version<'a>; 3],
    [site_edits, release_edits]: [&[Edit]; 2],
    plan: &[Plan],
    dialect: &Dialect,
) -> Option<Vec<u8>> {
    let link = |edits: &[Edit]| -> Vec<Option<usize>> {
        let mut links = vec![None; base.items.len()];
        for (i, j) in kept_pairs(edits, base.items.len()) {
            links[i] = Some(j);
        }
        links
    };
    let (site_links, release_links) = (link(site_edits), link(release_edits));
    let mut out = Writer::among([base, site, release]);
    let mut at = 0;
    // Where the release put something in last.
    let mut at_put = None;
    for step in plan.iter().map(Some).chain([None]) {
        let until = match step {
            Some(Plan::Site(s)) | Some(Plan::Merged(_, s, _)) => site_edits[*s].old.start,
            Some(Plan::Release(r)) => release_edits[*r].old.start,
            None => base.items.len(),
        };
        for i in at..until {
            let (b, s, r) = (base.items[i], site.items[site_links[i]?], release.items[release_links[i]?]);
            // What a side made a remark of is one.
            let remark = if s.remark == b.remark { r.remark } else { s.remark };
            let item = Item { remark, ..*spelled(&b, &s, &r)? };
            out.push(lead(b.lead, s.lead, r.lead), &item)?;
        }
        at = at.max(until);
        match step {
            Some(Plan::Release(r)) => {
                let edit = &release_edits[*r];
                for (k, item) in release.items[edit.new.clone()].iter().enumerate() {
                    let replaced = (k == 0).then(|| edit.old.clone().next()).flatten();
                    let of_site = replaced.and_then(|i| Some((i, site.items[site_links[i]?].lead)));
                    out.push(of_site.map_or(item.lead, |(i, own)| lead(base.items[i].lead, own, item.lead)), item)?;
                }
                at = at.max(edit.old.end);
                at_put = edit.old.is_empty().then_some(edit.old.start);
            }
            Some(Plan::Site(s)) => {
                let edit = &site_edits[*s];
                for (k, item) in site.items[edit.new.clone()].iter().enumerate() {
                    let replaced = (k == 0).then(|| edit.old.clone().next()).flatten();
                    let lead = match replaced {
                        Some(i) => lead(base.items[i].lead, item.lead, release.items[release_links[i]?].lead),
                        // Behind what the release put first there: as the site has what follows.
                        None if k == 0 && at_put == Some(edit.old.start) && !is_separator(item) => {
                            site.items.get(edit.new.end).map_or(item.lead, |next| next.lead)
                        }
                        None => item.lead,
                    };
                    // The release kept the tag, perhaps wrapped over lines: its form stays.
                    let refit = is_tag_change(base, site, edit)
                        .then(|| {
                            let kept = release.items[release_links[edit.old.start]?];
                            merge_tags(base.items[edit.old.start].text, item.text, kept.text)
                        })
                        .flatten();
                    // A string in place of another stands in the quotes that the release has anew.
                    let requoted = || {
                        let (old, kept) = (base.items[replaced?], release.items[release_links[replaced?]?]);
                        let quote = *kept.text.first().filter(|quote| old.text.first() != Some(quote))?;
                        match quote {
                            b'"' | b'\'' => in_quotes(item, quote, dialect),
                            _ => (kept.sort == Sort::Address).then(|| without_quotes(item))?,
                        }
                    };
                    match refit.or_else(requoted) {
                        Some(text) => out.push_merged(lead, item, &text)?,
                        None => out.push(lead, item)?,
                    }
                }
                at = at.max(edit.old.end);
            }
            Some(Plan::Merged(text, s, r)) => {
                let (se, re) = (&site_edits[*s], &release_edits[*r]);
                let (b, si, ri) = (base.items[se.old.start], site.items[se.new.start], release.items[re.new.start]);
                out.push_merged(lead(b.lead, si.lead, ri.lead), &ri, text)?;
                at = at.max(se.old.end);
            }
            None => {}
        }
    }
    Some(out.bytes)
}

/// How an item that both kept is written: as the release has it, unless only the site wrote it in another form; `None`
/// where both did, each in its own. The blanks of tags are the release's.
fn spelled<'v, 'a>(base: &Item<'a>, site: &'v Item<'a>, release: &'v Item<'a>) -> Option<&'v Item<'a>> {
    let same = |a: &Item<'a>, b: &Item<'a>| {
        let words = |item: &Item<'a>| item.text.split(u8::is_ascii_whitespace).filter(|w| !w.is_empty());
        a.text == b.text || base.sort == Sort::Tag && words(a).eq(words(b))
    };
    if same(site, base) || same(site, release) {
        return Some(release);
    }
    same(release, base).then_some(site)
}

/// Which blanks stand before an item that both kept: the release's, unless only the site changed them.
fn lead<'a>(base: &'a [u8], site: &'a [u8], release: &'a [u8]) -> &'a [u8] {
    if site == base {
        release
    } else if release == base || (site.is_empty() != base.is_empty() && release.is_empty() == base.is_empty()) {
        site
    } else {
        release
    }
}

#[derive(Default)]
struct Writer<'a> {
    bytes: Vec<u8>,
    /// The last item, if it is a word.
    word: Option<&'a [u8]>,
    /// The line has a remark that goes on to its end.
    remark: bool,
    /// Words that stand side by side in a version, with nothing between.
    side_by_side: HashSet<(&'a [u8], &'a [u8])>,
}

impl<'a> Writer<'a> {
    fn among(versions: [&Version<'a>; 3]) -> Self {
        let pairs = versions.into_iter().flat_map(|version| version.items.windows(2));
        let side_by_side = pairs
            .filter(|pair| pair.iter().all(|item| item.sort == Sort::Word) && pair[1].lead.is_empty())
            .map(|pair| (pair[0].text, pair[1].text))
            .collect();
        Writer { side_by_side, ..Writer::default() }
    }

    /// Adds an item; `None` where two words would run together into one that nobody wrote, and where code would get into
    /// a remark or a remark into the code.
    fn push(&mut self, lead: &[u8], item: &Item<'a>) -> Option<()> {
        self.enter(lead, item)?;
        let quoted = item.text.first() == Some(&b'"');
        if let Some(before) = self.word
            && lead.is_empty()
            && item.sort == Sort::Word
            && !quoted
            && !self.side_by_side.contains(&(before, item.text))
        {
            return None;
        }
        self.add(lead, item.text);
        self.word = (item.sort == Sort::Word).then_some(item.text);
        Some(())
    }

    /// Goes on to where an item stands, if it may stand there.
    fn enter(&mut self, lead: &[u8], item: &Item<'_>) -> Option<()> {
        let within = self.remark && !lead.contains(&b'\n');
        self.remark = within || item.remark == Some(Remark::Line) && item.text == b"/";
        let fits = match item.remark {
            Some(Remark::Line) => self.remark,
            Some(Remark::Block) => true,
            None => !self.remark || item.text.is_empty(),
        };
        fits.then_some(())
    }

    /// Adds an item in another form, or merged of several.
    fn push_merged(&mut self, lead: &[u8], item: &Item<'_>, text: &[u8]) -> Option<()> {
        self.enter(lead, item)?;
        self.add(lead, text);
        self.word = None;
        Some(())
    }

    fn add(&mut self, lead: &[u8], text: &[u8]) {
        self.bytes.extend_from_slice(lead);
        self.bytes.extend_from_slice(text);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn merge(dialect: &Dialect, base: &str, site: &str, release: &str) -> Option<String> {
        merge_tokens(base.as_bytes(), site.as_bytes(), release.as_bytes(), dialect, false)
            .map(|t| String::from_utf8(t).unwrap())
    }

    const PAGE: Dialect = Dialect {
        markup: true,
        blanks: crate::text::key::Blanks::AreForm,
        insertions: super::super::Insertions::Elements,
        strings: false,
        declarations: false,
        markers: true,
    };

    #[test]
    fn edits_with_a_kept_word_between_are_both_done() {
        assert_eq!(
            merge(&PAGE, "the quick brown fox", "the fast brown fox", "the quick brown dog").unwrap(),
            "the fast brown dog"
        );
    }

    #[test]
    fn one_value_changed_by_both_is_asked() {
        assert_eq!(merge(&PAGE, "Just", "Only", "Just now"), None);
        assert_eq!(merge(&PAGE, "a b", "x b", "y b"), None);
        let style = Dialect { declarations: true, ..Dialect::default() };
        assert_eq!(merge(&style, "margin: 1px 2px 3px;", "margin: 9px 2px 3px;", "margin: 1px 2px 8px;"), None);
        assert_eq!(merge(&style, "a: 1; b: 2;", "a: 9; b: 2;", "a: 1; b: 8;").unwrap(), "a: 9; b: 8;");
        assert_eq!(merge(&style, "rgb(1, 2, 3);", "rgb(9, 2, 3);", "rgb(1, 2, 8);"), None);
        let font = |weight: &str, show: &str| format!("font-weight:{weight};display:{show};src:url(a.svg#a)");
        let merged = merge(&style, &font("normal", "auto"), &font("normal", "block"), &font("400", "auto"));
        assert_eq!(merged, Some(font("400", "block")), "`svg#a` are two words side by side everywhere");
        let call = |r: &str, b: &str| format!("@return rgb(hex({r}), hex($g), hex({b}));");
        assert_eq!(
            merge(&style, &call("$r", "$b"), &call("$x", "$b"), &call("$r", "$y")).unwrap(),
            call("$x", "$y")
        );
        let (own, new) = ("a: var(--#{$own}b);", "--#{$p}b: c;");
        assert_eq!(merge(&style, "a: var(--#{$p}b);", own, new), None, "an interpolation is within a value");
        let border = |width: &str, style: &str, colour: &str| format!("border: {width} {style} {colour};");
        assert_eq!(
            merge(
                &style,
                &border("1px", "solid", "red"),
                &border("2px", "solid", "red"),
                &border("1px", "solid", "teal")
            ),
            Some(border("2px", "solid", "teal"))
        );
        assert_eq!(merge(&style, "a: 1px solid;", "a: 2px solid;", "a: 1px dashed;"), None);
        assert_eq!(merge(&style, "a: 1px solid red;", "a: 1px 2px solid red;", "a: 1px solid teal;"), None);
        let layers = merge(&style, "f: top 1s, left 2s;", "f: top 3s, left 2s;", "f: top 1s, left 4s, all 5s;");
        assert_eq!(layers.unwrap(), "f: top 3s, left 4s, all 5s;");
    }

    #[test]
    fn code_and_remarks_stay_apart_where_lines_were_joined() {
        let code = Dialect { strings: true, ..Dialect::default() };
        let (base, joined) = ("}\ncatch (e) {\n  stop(e);\n}", "} catch (e) {\n  stop(e);\n}");
        assert_eq!(merge(&code, base, "}\n// own\ncatch (e) {\n  stop(e);\n}", joined), None);
        assert_eq!(merge(&code, base, "}\n/* own */\ncatch (e) {\n  stop(e);\n}", joined).as_deref(), {
            Some("}\n/* own */ catch (e) {\n  stop(e);\n}")
        });
        let (base, split) = ("a(); // see b", "a();\n// see b");
        assert_eq!(merge(&code, base, "a(1); // see b", split).as_deref(), Some("a(1);\n// see b"));
        assert_eq!(merge(&code, "x = 1; // b\ny", "x = 1; // c\ny", "x = 2;\n// b\ny").as_deref(), {
            Some("x = 2;\n// c\ny")
        });
    }

    #[test]
    fn conditions_arguments_and_remarks_of_styles_are_slots() {
        let style = Dialect { declarations: true, strings: true, ..Dialect::default() };
        let merged = |b: &str, s: &str, r: &str| merge(&style, b, s, r);
        let media = |least: &str, most: &str| format!("@media (min-width: {least}) and (max-width: {most}) {{");
        assert_eq!(
            merged(&media("1px", "2px"), &media("3px", "2px"), &media("1px", "4px")),
            Some(media("3px", "4px"))
        );
        let call = |name: &str, a: &str, b: &str| format!("a: {name}({a}, {b});");
        let (base, own) = (call("mix", "$a", "$b"), call("mix", "$x", "$b"));
        assert_eq!(merged(&base, &own, &call("mix", "$a", "$y")), Some(call("mix", "$x", "$y")));
        assert_eq!(
            merged(&base, &call("blend", "$a", "$b"), &call("mix", "$a", "$y")),
            None,
            "a name and its argument"
        );
        let remark = |a: &str, b: &str| format!("a: b; // it's {a} and that's {b}");
        assert_eq!(merged(&remark("x1", "y1"), &remark("x2", "y1"), &remark("x1", "y2")), Some(remark("x2", "y2")));
        assert_eq!(merged("a: b; /* old */", "a: c; /* old */", "a: b; /* new */").unwrap(), "a: c; /* new */");
    }

    #[test]
    fn a_tag_and_its_text_are_different_slots() {
        assert_eq!(
            merge(&PAGE, "<p>Old</p>", "<p class=\"s\">Old</p>", "<p>New</p>").unwrap(),
            "<p class=\"s\">New</p>"
        );
        assert_eq!(
            merge(
                &PAGE,
                "<a href=\"/\" class=\"x\"><b>t</b></a>",
                "<a href=\"/s\" class=\"x\"><b>t</b></a>",
                "<a href=\"/\" class=\"x r\"><b id=\"i\">t</b></a>"
            )
            .unwrap(),
            "<a href=\"/s\" class=\"x r\"><b id=\"i\">t</b></a>"
        );
    }

    #[test]
    fn the_words_of_an_attribute_are_a_text() {
        let meta = |words: &str| format!("<meta name=\"viewport\" content=\"{words}\">");
        let merged = merge(
            &PAGE,
            &meta("width=device-width, initial-scale=1"),
            &meta("width=device-width, initial-scale=2"),
            &meta("width=640, initial-scale=1"),
        );
        assert_eq!(merged.unwrap(), meta("width=640, initial-scale=2"));
    }

    #[test]
    fn the_release_may_have_wrapped_the_line() {
        assert_eq!(
            merge(
                &PAGE,
                "<i a=\"1\" b=\"2\">t</i>",
                "<i a=\"1\" b=\"3\">t</i>",
                "<i\n  a=\"1\"\n  b=\"2\"\n>t</i>"
            )
            .unwrap(),
            "<i\n  a=\"1\"\n  b=\"3\"\n>t</i>"
        );
    }

    #[test]
    fn strings_are_one_value_but_for_the_words_of_a_text() {
        let code = Dialect { strings: true, ..Dialect::default() };
        assert_eq!(merge(&code, "f(\"a/b/c\")", "f(\"x/b/c\")", "f(\"a/b/y\")"), None);
        assert_eq!(merge(&code, "f('0 0 24 24 9')", "f('1 0 24 24 9')", "f('0 0 24 24 8')"), None);
        let (old, own, new) = ("f(\"Visit the old mill\")", "f(\"See the old mill\")", "f('Visit the old mills')");
        assert_eq!(merge(&code, old, own, new).unwrap(), "f('See the old mills')");
        assert_eq!(merge(&code, old, "f(\"It's the old mill\")", new), None, "the release's quotes would end it");
        assert_eq!(merge(&code, old, "f(\"Visit the new mill\")", "f(\"Visit the old mills\")"), None);
        let path =
            |host: &str, name: &str, end: &str| format!("f(`https://{host}/${{{name}}}/${{version}}/{end}`)");
        assert_eq!(
            merge(&code, &path("${a}", "b", "c"), &path("${a}", "own", "c"), &path("${new}", "b", "c")),
            Some(path("${new}", "own", "c"))
        );
        assert_eq!(merge(&code, &path("a", "b", "c"), &path("a", "own", "c"), &path("a", "b", "new")), None);
        assert_eq!(merge(&code, "f(a, b, c)", "f(x, b, c)", "f(a, b, c, d)").unwrap(), "f(x, b, c, d)");
    }
}
