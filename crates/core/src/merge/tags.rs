//! Tags of markup: attributes as a set by name, classes as a set that keeps order.

use std::collections::BTreeMap;

use super::Dialect;
use super::inline_style::merge_declarations;
use super::tokens::{merge_prose, merge_tokens};

/// One attribute (or other piece) of a tag.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Piece<'a> {
    /// Blanks before it.
    pub(crate) lead: &'a [u8],
    /// The whole piece as written: `class="a b"`, `hidden`, `{{ attributes }}`.
    pub(crate) text: &'a [u8],
    /// The attribute's name; for other pieces their whole text.
    pub(crate) name: &'a [u8],
    /// The value with its quotes, if there is one.
    pub(crate) value: Option<&'a [u8]>,
    /// What it is known by in the other versions: its name in lower case, and more where that stands several times.
    pub(crate) key: Vec<u8>,
}

impl<'a> Piece<'a> {
    pub(super) fn new(lead: &'a [u8], text: &'a [u8], name: &'a [u8], value: Option<&'a [u8]>) -> Self {
        Piece { lead, text, name, value, key: name.to_ascii_lowercase() }
    }
}

/// A tag cut into its name, its pieces and its end.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Tag<'a> {
    pub(crate) name: &'a [u8],
    pub(crate) pieces: Vec<Piece<'a>>,
    /// Blanks before the closing `>` or `/>`.
    pub(crate) end_lead: &'a [u8],
    pub(crate) end: &'a [u8],
}

/// Brackets of template languages, also inside tags, with their closers: in some languages, comments.
pub(crate) const INNER: [(&[u8], &[u8]); 7] = [
    (b"<!--", b"-->"),
    (b"{{{", b"}}}"),
    (b"{{", b"}}"),
    (b"{%", b"%}"),
    (b"{#", b"#}"),
    (b"<?", b"?>"),
    (b"<%", b"%>"),
];

/// Returns the end of a template tag that begins at `i`.
pub(crate) fn template_end(text: &[u8], i: usize) -> Option<usize> {
    let (open, close) = INNER.iter().find(|(open, _)| text[i..].starts_with(open))?;
    let from = i + open.len();
    let at = text[from..].windows(close.len()).position(|w| w == *close)?;
    Some(from + at + close.len())
}

fn blanks(text: &[u8], mut i: usize) -> usize {
    while text.get(i).is_some_and(u8::is_ascii_whitespace) {
        i += 1;
    }
    i
}

/// Returns where the tag that begins at `i` (at its `<`) ends, behind its `>`; `None` if no whole tag is there.
pub(crate) fn tag_end(text: &[u8], i: usize) -> Option<usize> {
    if text.get(i) != Some(&b'<') || !text.get(i + 1)?.is_ascii_alphabetic() {
        return None;
    }
    let mut at = i + 1;
    while at < text.len() {
        if let Some(end) = template_end(text, at) {
            at = end;
            continue;
        }
        match text[at] {
            b'>' => return Some(at + 1),
            b'<' => return None,
            b'"' | b'\'' => at = quoted_end(text, at)?,
            _ => at += 1,
        }
    }
    None
}

/// A whole tag with its values in double quotes, where that is the same; `None` where they are already.
pub(super) fn in_double_quotes(tag: &[u8]) -> Option<Vec<u8>> {
    let mut out: Option<Vec<u8>> = None;
    let mut at = 0;
    while at < tag.len() {
        let end = match tag[at] {
            b'"' | b'\'' => quoted_end(tag, at)?,
            _ => template_end(tag, at).unwrap_or(at + 1),
        };
        if tag[at] == b'\'' && !tag[at..end].contains(&b'"') {
            let out = out.get_or_insert_with(|| tag.to_vec());
            (out[at], out[end - 1]) = (b'"', b'"');
        }
        at = end;
    }
    out
}

/// Returns the end of a quoted value that begins at `i`; template tags within may hold the same quotes.
pub(super) fn quoted_end(text: &[u8], i: usize) -> Option<usize> {
    let quote = text[i];
    let mut at = i + 1;
    while at < text.len() {
        if let Some(end) = template_end(text, at) {
            at = end;
        } else if text[at] == quote {
            return Some(at + 1);
        } else {
            at += 1;
        }
    }
    None
}

impl<'a> Tag<'a> {
    /// Cuts a whole tag, `<name …>`.
    pub(crate) fn parse(text: &'a [u8]) -> Option<Self> {
        let inner = text.strip_prefix(b"<")?.strip_suffix(b">")?;
        let name_len =
            inner.iter().take_while(|b| b.is_ascii_alphanumeric() || matches!(b, b'-' | b':' | b'_')).count();
        let mut tag = Tag { name: &inner[..name_len], pieces: Vec::new(), end_lead: b"", end: b">" };
        let mut at = name_len;
        loop {
            let start = blanks(inner, at);
            let lead = &inner[at..start];
            if start == inner.len() || &inner[start..] == b"/" {
                tag.end_lead = lead;
                tag.end = &text[1 + start..];
                return Some(tag);
            }
            let (end, name_end, value) = piece_end(inner, start)?;
            let (text, name) = (&inner[start..end], &inner[start..name_end]);
            tag.pieces.push(Piece::new(lead, text, name, value.map(|v| &inner[v..end])));
            at = end;
        }
    }

    /// Tells whether each piece has a key of its own.
    pub(super) fn is_set(&self) -> bool {
        let mut keys: Vec<&[u8]> = self.pieces.iter().map(|p| p.key.as_slice()).collect();
        keys.sort_unstable();
        keys.len() <= LONGEST && keys.windows(2).all(|w| w[0] != w[1])
    }

    fn find(&self, key: &[u8]) -> Option<&Piece<'a>> {
        self.pieces.iter().find(|p| p.key == key)
    }

    /// Names each piece by the template block that it stands in, too.
    fn name_by_block(&mut self) {
        let mut open: Vec<Vec<u8>> = Vec::new();
        for piece in &mut self.pieces {
            let is_template = template_end(piece.text, 0) == Some(piece.text.len());
            let step = if is_template { block_step(piece.text) } else { 0 };
            let block = open.last().cloned().unwrap_or_default();
            piece.key = [block.as_slice(), b"\0", &piece.key].concat();
            if step > 0 {
                open.push(piece.key.clone());
            } else if step < 0 {
                open.pop();
            } else if is_template && is_else(piece.text) && open.pop().is_some() {
                open.push(piece.key.clone());
            }
        }
    }

    /// Numbers the pieces of one key.
    fn number(&mut self) {
        let mut seen: BTreeMap<Vec<u8>, u32> = BTreeMap::new();
        for piece in &mut self.pieces {
            let count = seen.entry(piece.key.clone()).or_default();
            piece.key.extend(count.to_be_bytes());
            *count += 1;
        }
    }

    /// How often each key stands here.
    fn counts(&self) -> BTreeMap<&[u8], usize> {
        let mut counts = BTreeMap::new();
        self.pieces.iter().for_each(|piece| *counts.entry(piece.key.as_slice()).or_default() += 1);
        counts
    }
}

/// Sees to it that each piece of three versions of a tag has a key of its own; says `false` where they cannot be told
/// apart: one that stands several times must do so in all.
fn tell_apart(tags: &mut [Tag<'_>; 3]) -> bool {
    let sets = |tags: &[Tag<'_>; 3]| tags.iter().all(Tag::is_set);
    if sets(tags) {
        return true;
    }
    tags.iter_mut().for_each(Tag::name_by_block);
    if sets(tags) {
        return true;
    }
    let counts = tags.each_ref().map(Tag::counts);
    let several = counts.iter().flatten().filter(|(_, count)| **count > 1).map(|(key, _)| key);
    let alike = several.into_iter().all(|key| counts.iter().all(|of| of.get(key) == counts[0].get(key)));
    if alike {
        tags.iter_mut().for_each(Tag::number);
    }
    alike && sets(tags)
}

/// Returns the end of the piece at `i`, the end of its name, and the start of its value.
fn piece_end(text: &[u8], i: usize) -> Option<(usize, usize, Option<usize>)> {
    // `{{ name }}="value"` is an attribute whose name is put in; any other template tag stands for itself.
    if let Some(end) = template_end(text, i).filter(|end| text.get(*end) != Some(&b'=')) {
        return Some((end, end, None));
    }
    let mut at = i;
    while at < text.len() && !text[at].is_ascii_whitespace() && text[at] != b'=' {
        at = match text[at] {
            b'"' | b'\'' => quoted_end(text, at)?,
            _ => template_end(text, at).unwrap_or(at + 1),
        };
    }
    let name_end = at;
    let equals = blanks(text, at);
    if text.get(equals) != Some(&b'=') || name_end == i {
        return (name_end > i).then_some((name_end, name_end, None));
    }
    let value = blanks(text, equals + 1);
    let mut end = value;
    match text.get(value) {
        Some(b'"' | b'\'') => end = quoted_end(text, value)?,
        _ => {
            while end < text.len() && !text[end].is_ascii_whitespace() {
                end = template_end(text, end).unwrap_or(end + 1);
            }
        }
    }
    Some((end, name_end, Some(value)))
}

/// Merges three versions of one tag, in the release's form; `None` where both changed the same attribute.
pub(crate) fn merge_tags(base: &[u8], site: &[u8], release: &[u8]) -> Option<Vec<u8>> {
    let mut tags = [Tag::parse(base)?, Tag::parse(site)?, Tag::parse(release)?];
    if !tell_apart(&mut tags) {
        return None;
    }
    let [base, site, release] = tags;
    let name = pick(base.name, site.name, release.name)?;
    let end = pick(base.end, site.end, release.end)?;
    let mut out = [b"<", name].concat();
    for (lead, text) in merge_pieces(&base, &site, &release)? {
        out.extend_from_slice(lead);
        out.extend(text);
    }
    out.extend_from_slice(release.end_lead);
    out.extend_from_slice(end);
    Some(out)
}

/// Merges the pieces of three versions of a tag: each with the blanks before it, in the order in which they stand.
pub(super) fn merge_pieces<'a>(
    base: &Tag<'_>,
    site: &Tag<'a>,
    release: &Tag<'a>,
) -> Option<Vec<(&'a [u8], Vec<u8>)>> {
    let order = piece_order(base, site, release)?;
    let wrapped = release.pieces.iter().rev().find(|p| p.lead.contains(&b'\n')).map(|p| p.lead);
    let mut out = Vec::new();
    for place in order {
        let (lead, text) = match place {
            Placed::Release(k) => {
                let piece = &release.pieces[k];
                (piece.lead, merged_piece(base.find(&piece.key), site.find(&piece.key), piece)?)
            }
            Placed::Site(k) => {
                let piece = &site.pieces[k];
                let own: &[u8] = if piece.lead.contains(&b'\n') { b" " } else { piece.lead };
                (wrapped.unwrap_or(own), Some(piece.text.to_vec()))
            }
        };
        out.extend(text.map(|text| (lead, text)));
    }
    // What the release took out and the site changed is a question.
    for piece in &base.pieces {
        if release.find(&piece.key).is_none()
            && site.find(&piece.key).is_some_and(|s| !same(s.text, piece.text) && !same_value(s, piece))
        {
            return None;
        }
    }
    Some(out)
}

/// A piece of the merged tag: one of the release's, or one that only the site has.
enum Placed {
    Release(usize),
    Site(usize),
}

/// In which order the pieces of the merged tag stand: each side's own where it put them. `None` where both put others in
/// the place of the same one.
fn piece_order(base: &Tag<'_>, site: &Tag<'_>, release: &Tag<'_>) -> Option<Vec<Placed>> {
    let names = |tag: &Tag<'_>| -> Vec<Vec<u8>> { tag.pieces.iter().map(|p| p.key.clone()).collect() };
    let (in_base, in_site, in_release) = (names(base), names(site), names(release));
    let is_own = |k: &usize| !in_base.contains(&in_site[*k]) && !in_release.contains(&in_site[*k]);
    let edits = (ListEdits::of(&in_base, &in_site), ListEdits::of(&in_base, &in_release));
    let (Some(own), Some(new)) = edits else {
        // Someone changed the order: the release's, and what is the site's own behind what it follows there.
        let mut out: Vec<Placed> = (0..in_release.len()).map(Placed::Release).collect();
        for k in (0..in_site.len()).filter(is_own) {
            let follows = |placed: &Placed| match placed {
                Placed::Release(r) => k > 0 && in_release[*r] == in_site[k - 1],
                Placed::Site(s) => *s + 1 == k,
            };
            let at = if k == 0 { Some(0) } else { out.iter().position(follows).map(|at| at + 1) };
            out.insert(at.unwrap_or(out.len()), Placed::Site(k));
        }
        return Some(out);
    };
    if own.swaps_against(&new, &in_site, &in_release) {
        return None;
    }
    let mut out = Vec::new();
    for gap in 0..=in_base.len() {
        let of_site = own.put[gap].iter().copied().filter(is_own).map(Placed::Site);
        let of_release = new.put[gap].iter().copied().map(Placed::Release);
        if own.goes_before(&new, gap) {
            out.extend(of_site.chain(of_release));
        } else {
            out.extend(of_release.chain(of_site));
        }
        let kept = in_base.get(gap).and_then(|name| in_release.iter().position(|n| n == name));
        out.extend(kept.map(Placed::Release));
    }
    Some(out)
}

/// The text of a piece that the release has; nothing where the site took it out.
fn merged_piece(
    base: Option<&Piece<'_>>,
    site: Option<&Piece<'_>>,
    release: &Piece<'_>,
) -> Option<Option<Vec<u8>>> {
    match (base, site) {
        (Some(b), Some(s)) => Some(Some(merge_piece(b, s, release)?)),
        // If the release changed what the site took out, ask; and if both added it with other values.
        (Some(b), None) => (same(b.text, release.text) || same_value(b, release)).then_some(None),
        (None, Some(s)) => {
            (same(s.text, release.text) || same_value(s, release)).then(|| Some(release.text.to_vec()))
        }
        (None, None) => Some(Some(release.text.to_vec())),
    }
}

/// Compares blind to the width of blanks.
fn same(a: &[u8], b: &[u8]) -> bool {
    let words = |t: &[u8]| -> Vec<Vec<u8>> {
        t.split(u8::is_ascii_whitespace).filter(|w| !w.is_empty()).map(<[u8]>::to_vec).collect()
    };
    a == b || words(a) == words(b)
}

pub(super) fn pick<'a>(base: &'a [u8], site: &'a [u8], release: &'a [u8]) -> Option<&'a [u8]> {
    if site == base || site == release {
        Some(release)
    } else if release == base {
        Some(site)
    } else {
        None
    }
}

/// A value without its quotes. That of an attribute without quotes ends where a blank is.
fn unquoted(value: &[u8]) -> &[u8] {
    let quote = value.first().filter(|byte| matches!(byte, b'"' | b'\''));
    quote.and_then(|quote| value[1..].strip_suffix(&[*quote])).unwrap_or(value)
}

/// Tells whether two attributes say the same, in whatever quotes.
fn same_value(a: &Piece<'_>, b: &Piece<'_>) -> bool {
    let told = a.value.map(unquoted);
    told.is_some() && told == b.value.map(unquoted)
}

fn merge_piece(base: &Piece<'_>, site: &Piece<'_>, release: &Piece<'_>) -> Option<Vec<u8>> {
    if same(site.text, base.text) || same(site.text, release.text) {
        return Some(release.text.to_vec());
    }
    if same(release.text, base.text) {
        return Some(site.text.to_vec());
    }
    let [b, s, r] = [base.value?, site.value?, release.value?].map(unquoted);
    // In the release's quotes; words that stood in others may hold what ends the text there.
    let quote = release.value?.first().copied().filter(|byte| matches!(byte, b'"' | b'\''));
    let fits = |piece: &Piece<'_>| {
        let value = piece.value.unwrap_or_default();
        quote.is_some_and(|quote| value.first() == Some(&quote) || !value.contains(&quote))
    };
    let in_quotes = |value: &[u8]| {
        let value_at = release.text.len() - release.value?.len();
        Some([&release.text[..value_at], &[quote?], value, &[quote?]].concat())
    };
    if same_value(base, release) {
        return if fits(site) { in_quotes(s) } else { Some(site.text.to_vec()) };
    }
    if same_value(base, site) {
        return Some(release.text.to_vec());
    }
    if !fits(base) || !fits(site) {
        return None;
    }
    let merged = if release.name.eq_ignore_ascii_case(b"class") || release.name.eq_ignore_ascii_case(b"rel") {
        let blocks = [b, s, r].iter().all(|text| (0..text.len()).any(|at| template_end(text, at).is_some()));
        // Within a template block of a class list, by words: the tags of the block stand between.
        let finer = || merge_tokens(b, s, r, &Dialect::default(), false).filter(|_| blocks);
        merge_words(b, s, r).or_else(finer)?
    } else if release.name.eq_ignore_ascii_case(b"style") {
        let styles = Dialect { declarations: true, ..Dialect::default() };
        merge_declarations(b, s, r).or_else(|| merge_tokens(b, s, r, &styles, false))?
    } else {
        merge_prose(b, s, r)?
    };
    in_quotes(&merged)
}

/// Lists with more entries, and tags with more attributes, are asked about: each entry is looked for in the others.
const LONGEST: usize = 1000;

/// One entry of a class list, and the blanks before it.
#[derive(Debug, Clone, Copy)]
struct Entry<'a> {
    lead: &'a [u8],
    text: &'a [u8],
}

/// The blanks are form.
impl PartialEq for Entry<'_> {
    fn eq(&self, other: &Self) -> bool {
        self.text == other.text
    }
}

/// Cuts a class list into entries. A template tag is one entry with what it touches, and so is a template block from
/// its opening to its closing tag. `None` where a block is left open, an entry stands twice, or
/// there are too many.
fn entries(text: &[u8]) -> Option<Vec<Entry<'_>>> {
    let mut out = Vec::new();
    let mut at = 0;
    loop {
        let start = blanks(text, at);
        let lead = &text[at..start];
        at = start;
        let mut depth = 0;
        while at < text.len() && (depth > 0 || !text[at].is_ascii_whitespace()) {
            if let Some(end) = template_end(text, at) {
                depth += block_step(&text[at..end]);
                at = end;
            } else {
                at += 1;
            }
        }
        if depth != 0 {
            return None;
        }
        if at == start {
            break;
        }
        out.push(Entry { lead, text: &text[start..at] });
    }
    let mut sorted: Vec<&[u8]> = out.iter().map(|e| e.text).collect();
    sorted.sort_unstable();
    (out.len() <= LONGEST && sorted.windows(2).all(|w| w[0] != w[1])).then_some(out)
}

/// What stands within a template tag.
fn code_of(tag: &[u8]) -> &[u8] {
    let inner = &tag[2..tag.len() - 2];
    let longer = |open: &[u8], close: &[u8]| inner.strip_prefix(open).and_then(|rest| rest.strip_suffix(close));
    let inner = longer(b"{", b"}").or_else(|| longer(b"--", b"-")).unwrap_or(inner);
    let code = inner.strip_prefix(b"php").unwrap_or(inner).trim_ascii();
    code.strip_prefix(b"-").unwrap_or(code).trim_ascii()
}

/// Tells whether a template tag begins another branch of the block that it stands in.
fn is_else(tag: &[u8]) -> bool {
    let code = code_of(tag);
    let begins = |word: &&[u8]| code.get(..word.len()).is_some_and(|head| head.eq_ignore_ascii_case(word));
    [b"else".as_slice(), b"elif", b"elsif", b"} else"].iter().any(begins)
}

/// Returns 1 for a template tag that opens a block, -1 for one that closes it, and 0 for all others.
pub(super) fn block_step(tag: &[u8]) -> i64 {
    const OPENERS: [&[u8]; 10] =
        [b"if", b"for", b"foreach", b"while", b"unless", b"block", b"with", b"each", b"ifchanged", b"begin"];
    let code = code_of(tag);
    let word_len = code.iter().take_while(|b| b.is_ascii_alphabetic()).count();
    let word = code[..word_len].to_ascii_lowercase();
    if code.starts_with(b"}") || code.starts_with(b"/") || word.starts_with(b"end") {
        return if code.ends_with(b"{") { 0 } else { -1 };
    }
    let opens = match (tag.starts_with(b"<?"), code.first()) {
        // Server code opens a block only where it leaves one open.
        (true, _) => word != b"else" && word != b"elseif" && matches!(code.last(), Some(b':' | b'{')),
        (_, Some(b'#')) => !tag.starts_with(b"{#"),
        _ => OPENERS.contains(&word.as_slice()),
    };
    i64::from(opens)
}

/// What one side did to a list without repetitions, by gaps between the entries of the base.
struct ListEdits {
    /// Per entry of the base: it is still there.
    kept: Vec<bool>,
    /// Per gap: the entries of the side that were put there, those in place of others before those.
    put: Vec<Vec<usize>>,
}

impl ListEdits {
    /// `None` where the side put entries into another order.
    fn of<T: PartialEq>(base: &[T], side: &[T]) -> Option<Self> {
        let homes: Vec<usize> = base.iter().filter_map(|e| side.iter().position(|s| s == e)).collect();
        if homes.windows(2).any(|w| w[0] > w[1]) {
            return None;
        }
        let kept: Vec<bool> = base.iter().map(|e| side.contains(e)).collect();
        let mut put = vec![Vec::new(); base.len() + 1];
        // After the last kept entry, and so in place of those that are gone behind it.
        let mut gap = 0;
        for (k, entry) in side.iter().enumerate() {
            match base.iter().position(|b| b == entry) {
                Some(i) => gap = i + 1,
                None => put[gap].push(k),
            }
        }
        Some(ListEdits { kept, put })
    }

    /// Tells whether what was put into a gap stands in place of the entry behind it.
    fn replaces(&self, gap: usize) -> bool {
        self.kept.get(gap) == Some(&false)
    }

    /// Tells whether what the side put into a gap stands before what the other did: at the start of the list, where the
    /// site puts what is to be first, and before what the other put in the place of the next entry.
    fn goes_before(&self, other: &ListEdits, gap: usize) -> bool {
        let at_start = gap == 0 && !self.kept.is_empty();
        !self.replaces(gap) && (at_start || other.replaces(gap))
    }

    /// The entries that stand in the place of those that are gone around entry `k` of the base.
    fn instead_of<'s, T>(&self, k: usize, side: &'s [T]) -> Vec<&'s T> {
        let gap = (0..=k).rev().take_while(|g| *g == k || !self.kept[*g]).last().unwrap_or(k);
        self.put[gap..=k].iter().flatten().map(|at| &side[*at]).collect()
    }

    /// Tells whether two sides put other entries in the place of the same one.
    fn swaps_against<T: PartialEq>(&self, other: &ListEdits, own: &[T], others: &[T]) -> bool {
        (0..self.kept.len()).filter(|k| !self.kept[*k] && !other.kept[*k]).any(|k| {
            let (here, there) = (self.instead_of(k, own), other.instead_of(k, others));
            !here.is_empty() && !there.is_empty() && here != there
        })
    }
}

/// Merges class lists as sets that keep order: what a side put in place of an entry stands in its place, and where
/// both added, the release's comes first, but at the start the site's. `None` where both put another class in the place of the same one, or a class
/// stands twice.
pub(crate) fn merge_words(base: &[u8], site: &[u8], release: &[u8]) -> Option<Vec<u8>> {
    let tail_from = release.len() - release.iter().rev().take_while(|b| b.is_ascii_whitespace()).count();
    let (base, site, release_list) = (entries(base)?, entries(site)?, entries(release)?);
    let (Some(own), Some(new)) = (ListEdits::of(&base, &site), ListEdits::of(&base, &release_list)) else {
        return merge_reordered(&base, &site, &release_list);
    };
    // A class swapped for another by both: one value with two new names.
    if own.swaps_against(&new, &site, &release_list) {
        return None;
    }
    let mut out: Vec<Entry<'_>> = Vec::new();
    let wrapped = |e: &&Entry<'_>| e.lead.contains(&b'\n');
    let line = release_list.iter().skip(1).rev().find(wrapped).map(|e| e.lead);
    for gap in 0..=base.len() {
        let of_release = new.put[gap].iter().map(|k| release_list[*k]);
        let of_site = own.put[gap].iter().map(|k| site[*k]).filter(|e| !release_list.contains(e));
        // On a line of its own only where both have it so.
        let of_site = of_site.map(|e| Entry { lead: line.filter(|_| wrapped(&&e)).unwrap_or(b" "), ..e });
        if own.goes_before(&new, gap) {
            out.extend(of_site.chain(of_release));
        } else {
            out.extend(of_release.chain(of_site));
        }
        if gap < base.len() && own.kept[gap] && new.kept[gap] {
            out.extend(release_list.iter().find(|e| **e == base[gap]));
        }
    }
    Some(joined(&out, &release[tail_from..]))
}

/// Merges class lists of which a side changed the order: in the release's, with what the site added at the end, but
/// first what it put first.
fn merge_reordered<'b>(base: &[Entry<'b>], site: &[Entry<'b>], release: &[Entry<'b>]) -> Option<Vec<u8>> {
    let gone = |from: &[Entry<'_>]| base.iter().any(|e| !from.contains(e));
    let new = |from: &[Entry<'_>]| from.iter().any(|e| !base.contains(e));
    // With one's place open, whose new class stands for which old one is open too.
    if gone(site) && gone(release) && new(site) && new(release) {
        return None;
    }
    let standing = release.iter().filter(|e| site.contains(e) || !base.contains(e)).copied();
    let front = site.iter().position(|e| base.contains(e)).unwrap_or(0);
    let own = |(_, e): &(usize, &Entry<'b>)| !base.contains(e) && !release.contains(e);
    let (first, rest): (Vec<_>, Vec<_>) = site.iter().enumerate().filter(own).partition(|(at, _)| *at < front);
    let put = |(_, e): (usize, &Entry<'b>)| Entry { lead: b" ", ..*e };
    let out: Vec<Entry<'b>> = first.into_iter().map(put).chain(standing).chain(rest.into_iter().map(put)).collect();
    Some(joined(&out, b""))
}

/// Writes entries one after the other, none glued to the one before.
fn joined(entries: &[Entry<'_>], tail: &[u8]) -> Vec<u8> {
    let mut out = Vec::new();
    for (k, entry) in entries.iter().enumerate() {
        let lead: &[u8] = match (k, entry.lead) {
            (0, b" ") => b"",
            (0, lead) => lead,
            (_, b"") => b" ",
            (_, lead) => lead,
        };
        out.extend_from_slice(lead);
        out.extend_from_slice(entry.text);
    }
    out.extend_from_slice(tail);
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    fn merge(base: &str, site: &str, release: &str) -> Option<String> {
        merge_tags(base.as_bytes(), site.as_bytes(), release.as_bytes()).map(|t| String::from_utf8(t).unwrap())
    }

    #[test]
    fn values_stand_in_the_quotes_of_the_release_where_they_may() {
        assert_eq!(merge("<i a='1'>", "<i a='2'>", "<i a=\"1\">").unwrap(), "<i a=\"2\">");
        assert_eq!(merge("<i a='1'>", "<i a='\"'>", "<i a=\"1\">").unwrap(), "<i a='\"'>");
        let tag = |classes: &str| format!("<i class=\"{classes}{{{{ \"x\" }}}}\">");
        assert_eq!(
            merge(&tag("a "), &tag("own a "), &tag("")).unwrap(),
            tag("own "),
            "quotes within template code"
        );
        assert_eq!(merge("<i class='a'>", "<i class='a \"'>", "<i class=\"a b\">"), None);
    }

    #[test]
    fn attributes_are_a_set_by_name() {
        assert_eq!(
            merge("<a href=\"/\">", "<a href=\"/\" target=\"_blank\">", "<a href=\"/\" rel=\"me\">").unwrap(),
            "<a href=\"/\" rel=\"me\" target=\"_blank\">"
        );
        assert_eq!(merge("<i a=\"1\">", "<i a=\"2\">", "<i a=\"1\" b>").unwrap(), "<i a=\"2\" b>");
        assert_eq!(merge("<i a=\"1\">", "<i a=\"2\">", "<i a=\"3\">"), None);
        assert_eq!(merge("<i a=\"1\" b>", "<i b>", "<i a=\"3\" b>"), None, "deleted here, changed there");
        assert_eq!(merge("<i a b>", "<i b>", "<i a b c>").unwrap(), "<i b c>");
        let (own, new) = ("<i a=\"1\" own=\"2\" c>", "<i new=\"1\" b=\"2\" c>");
        assert_eq!(
            merge("<i a=\"1\" b=\"2\" c>", own, new).unwrap(),
            "<i new=\"1\" own=\"2\" c>",
            "each in its place"
        );
        assert_eq!(merge("<i a c>", "<i own c>", "<i new c>"), None, "one attribute, two new names");
        assert_eq!(merge("<i a>", "<i own a>", "<i id a>").unwrap(), "<i own id a>", "both at the start");
        assert_eq!(
            merge("<i a c>", "<i own c>", "<i id a c>").unwrap(),
            "<i id own c>",
            "in the place of the first"
        );
    }

    #[test]
    fn classes_are_a_set_that_keeps_order() {
        let words = |b: &str, s: &str, r: &str| {
            merge_words(b.as_bytes(), s.as_bytes(), r.as_bytes()).map(|w| String::from_utf8(w).unwrap())
        };
        assert_eq!(words("a b", "a b site", "a b rel").unwrap(), "a b rel site");
        assert_eq!(words("a b", "site a b", "rel a b").unwrap(), "site rel a b");
        assert_eq!(words("a b", "b", "a b c").unwrap(), "b c");
        assert_eq!(words("a b", "a x", "a y"), None, "one class, two new names");
        assert_eq!(words("a {{ c d }}", "a {{ c d }} x", "{{ c d }}").unwrap(), "{{ c d }} x");
        assert_eq!(words("a b c", "own a b x c", "b a").unwrap(), "own b a x", "the site's first stands first");
        assert_eq!(words("a b", "x b", "a y").unwrap(), "x y", "each in the place of the one it replaced");
        assert_eq!(words("a", "own a", "a{% if c %} d{% endif %}").unwrap(), "own a{% if c %} d{% endif %}");
        let open = "a {% if c %} d {% endif %} e";
        assert_eq!(
            words(open, &format!("{open} own"), &open.replace(" d ", " f ")).unwrap(),
            "a {% if c %} f {% endif %} e own"
        );
        assert_eq!(
            words("a b", "a b x", "\n  a\n  b\n  c\n").unwrap(),
            "\n  a\n  b\n  c x\n",
            "the release's form"
        );
        let lines = |extra: &str| format!("\n  a\n  b{extra}\n");
        assert_eq!(words(&lines(""), &lines("\n  own"), &lines("\n  c")).unwrap(), lines("\n  c\n  own"));
    }

    #[test]
    fn a_class_list_with_a_template_block_merges_around_its_tags() {
        let list = |a: &str, b: &str| format!("<p class=\"{a}{{% if x %}} b{{% else %}} {b}{{% endif %}}\">");
        assert_eq!(merge(&list("a", "c"), &list("a", "own"), &list("new", "c")), Some(list("new", "own")));
        assert_eq!(merge(&list("a", "c"), &list("a", "own"), &list("a", "new")), None);
    }

    #[test]
    fn pieces_of_one_name_are_told_apart_by_their_block_or_their_number() {
        let branches = |a: &str, b: &str| format!("<p {{% if x %}}id=\"{a}\"{{% else %}}id=\"{b}\"{{% endif %}}>");
        assert_eq!(
            merge(&branches("a", "b"), &branches("own", "b"), &branches("a", "new")),
            Some(branches("own", "new"))
        );
        let blocks =
            |more: &str| format!("<p <!-- IF a -->x<!-- ENDIF a --> <!-- IF b -->y<!-- ENDIF b -->{more}>");
        let new = " <!-- IF c -->z<!-- ENDIF c -->";
        let both = blocks(&format!("{new} own"));
        assert_eq!(merge(&blocks(""), &blocks(" own"), &blocks(new)), Some(both));
        let twice = |more: &str| format!("<a data-open data-open=\"g\" href=\"x\"{more}>");
        let new = twice("").replace("\"x\"", "\"y\"");
        assert_eq!(merge(&twice(""), &twice(" own"), &new), Some(twice(" own").replace("\"x\"", "\"y\"")));
        assert_eq!(merge(&twice(""), &twice(" own"), "<a data-open href=\"x\">"), None, "which of them is gone");
    }

    #[test]
    fn the_result_is_written_as_the_release_is() {
        assert_eq!(
            merge("<a b=\"1\" c=\"2\">", "<a b=\"1\" c=\"3\" d>", "<a\n  b=\"1\"\n  c=\"2\"\n>").unwrap(),
            "<a\n  b=\"1\"\n  c=\"3\"\n  d\n>"
        );
    }

    #[test]
    fn template_tags_may_hold_quotes_and_angles() {
        let tag = b"<a title=\"{{ t(\"x > y\") }}\" {{ rest }}>";
        assert_eq!(tag_end(tag, 0), Some(tag.len()));
        assert_eq!(Tag::parse(tag).unwrap().pieces.len(), 2);
        let tag = b"<a class=\"a\"{{{ if x }}}{{ name }}=\"{{ value }}\"{{{ end }}}>";
        let names: Vec<&[u8]> = Tag::parse(tag).unwrap().pieces.iter().map(|p| p.name).collect();
        assert_eq!(names, [b"class".as_slice(), b"{{{ if x }}}", b"{{ name }}", b"{{{ end }}}"]);
        assert_eq!(tag_end(b"<a href=\"x", 0), None);
    }
}
