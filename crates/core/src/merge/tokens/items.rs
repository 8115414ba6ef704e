//! Cutting a text into words, marks, strings and whole tags, and what these are compared by.

use std::borrow::Cow;

use crate::merge::tags::{self, tag_end, template_end};
use crate::merge::{Dialect, Insertions};
use crate::text::token::{TokenKind, tokens};

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(in crate::merge) enum Sort {
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
pub(in crate::merge) struct Item<'a> {
    pub(in crate::merge) lead: &'a [u8],
    pub(in crate::merge) text: &'a [u8],
    pub(in crate::merge) sort: Sort,
    /// Stands in a remark, where that is known.
    pub(in crate::merge) remark: Option<Remark>,
}

/// A remark.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(in crate::merge) enum Remark {
    /// `// …` or `# …`: goes on to the end of its line.
    Line,
    /// `/* … */`
    Block,
}

impl Item<'_> {
    pub(in crate::merge) fn solid(&self) -> bool {
        self.sort != Sort::Mark
    }

    /// Ends a declaration, so that what follows is another value.
    pub(in crate::merge) fn separates(&self) -> bool {
        matches!(self.text, b";" | b"{" | b"}")
    }

    /// Stands between two slots: something with content, or punctuation that structures (an argument's comma, an
    /// assignment). A dot, a dash or a quote may be inside of one value.
    pub(in crate::merge) fn divides(&self, dialect: &Dialect) -> bool {
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
pub(in crate::merge) fn items<'a>(text: &'a [u8], dialect: &Dialect) -> Vec<Item<'a>> {
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
            let template = dialect.markup && matches!(text[i], b'<' | b'{') && !text[i..].starts_with(b"<!--");
            i = template.then(|| template_end(text, i)).flatten().unwrap_or(i + 1);
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
    find_remarks(&mut out, dialect);
    out
}

/// Finds what stands in remarks `// …`, `/* … */` and, in code, settings and the code of pages, `# …`.
fn find_remarks(items: &mut [Item<'_>], dialect: &Dialect) {
    let has_hash = dialect.strings && dialect.insertions != Insertions::Cascade;
    let mut within: Option<Remark> = None;
    // The last item of a block; none is looked for any more behind one that is left open.
    let mut end = Some(0);
    for k in 0..items.len() {
        let pair = |k: usize, marks: [&[u8]; 2]| {
            let next = items.get(k + 1).is_some_and(|next| next.text == marks[1] && next.lead.is_empty());
            next && items[k].text == marks[0]
        };
        let address = || items[k].lead.is_empty() && k > 0 && items[k - 1].text.ends_with(b":");
        let hash = || {
            let word = items[k].text.len() > 1 || items.get(k + 1).is_none_or(|next| !next.lead.is_empty());
            // In a page it stands alone, at the start of a line or behind a statement.
            let in_page = || {
                let ends = |item: &Item<'_>| item.text.ends_with(b"php") || matches!(item.text, b";" | b"{" | b"}");
                let behind = k == 0 || items[k].lead.contains(&b'\n') || ends(&items[k - 1]);
                items[k].text == b"#" && behind
            };
            let known = has_hash || dialect.markup && in_page();
            known && items[k].text.starts_with(b"#") && word && (k == 0 || !items[k].lead.is_empty())
        };
        within = match within {
            Some(Remark::Line) if !items[k].lead.contains(&b'\n') => within,
            Some(Remark::Block) if end.is_some_and(|end| k <= end) => within,
            _ if hash() || pair(k, [b"/", b"/"]) && !address() => Some(Remark::Line),
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
pub(in crate::merge) fn string_end(text: &[u8], i: usize) -> Option<usize> {
    let quote = text[i];
    let mut at = i + 1;
    while at < text.len() {
        match text[at] {
            b'\\' => at += if text.get(at + 1..at + 3) == Some(b"\r\n") { 3 } else { 2 },
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

/// What one of some items is compared by: the same for a string in either quotes, where it is the same string, for the
/// key of a value with quotes or without, and for a number or colour in any spelling.
pub(in crate::merge) fn key_in_any_form<'a>(items: &[Item<'a>], at: usize, dialect: &Dialect) -> Cow<'a, [u8]> {
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
pub(super) fn without_quotes(item: &Item<'_>) -> Option<Vec<u8>> {
    let closed = [&item.text[1..item.text.len().checked_sub(1).filter(|end| *end > 0)?], b")"].concat();
    let quoted = matches!(item.text.first(), Some(b'"' | b'\''));
    (quoted && address_end(&closed, 0)? + 1 == closed.len()).then(|| closed[..closed.len() - 1].to_vec())
}

/// A string in other quotes, where that is the same.
pub(super) fn in_quotes(item: &Item<'_>, quote: u8, dialect: &Dialect) -> Option<Vec<u8>> {
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
