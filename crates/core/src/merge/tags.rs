//! Tags of markup: attributes as a set by name, classes as a set that keeps order, declarations by property.

use super::tokens::merge_prose;

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

/// Brackets of template languages inside tags, with their closers.
const INNER: [(&[u8], &[u8]); 5] = [(b"{{", b"}}"), (b"{%", b"%}"), (b"{#", b"#}"), (b"<?", b"?>"), (b"<%", b"%>")];

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

/// Returns the end of a quoted value that begins at `i`; template tags within may hold the same quotes.
fn quoted_end(text: &[u8], i: usize) -> Option<usize> {
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
            tag.pieces.push(Piece {
                lead,
                text: &inner[start..end],
                name: &inner[start..name_end],
                value: value.map(|v| &inner[v..end]),
            });
            at = end;
        }
    }

    /// Tells whether each piece has a name of its own.
    fn is_set(&self) -> bool {
        let mut names: Vec<Vec<u8>> = self.pieces.iter().map(|p| p.name.to_ascii_lowercase()).collect();
        names.sort_unstable();
        names.windows(2).all(|w| w[0] != w[1])
    }

    fn find(&self, name: &[u8]) -> Option<&Piece<'a>> {
        self.pieces.iter().find(|p| p.name.eq_ignore_ascii_case(name))
    }
}

/// Returns the end of the piece at `i`, the end of its name, and the start of its value.
fn piece_end(text: &[u8], i: usize) -> Option<(usize, usize, Option<usize>)> {
    if let Some(end) = template_end(text, i) {
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
    let (base, site, release) = (Tag::parse(base)?, Tag::parse(site)?, Tag::parse(release)?);
    if !base.is_set() || !site.is_set() || !release.is_set() {
        return None;
    }
    let name = pick(base.name, site.name, release.name)?;
    let end = pick(base.end, site.end, release.end)?;
    let wrapped = release.pieces.iter().any(|p| p.lead.contains(&b'\n'));
    let mut out = [b"<", name].concat();
    // What the site added, by the piece it follows on the site.
    let added: Vec<(Option<&[u8]>, &Piece<'_>)> = site
        .pieces
        .iter()
        .enumerate()
        .filter(|(_, p)| base.find(p.name).is_none() && release.find(p.name).is_none())
        .map(|(k, p)| (k.checked_sub(1).map(|k| site.pieces[k].name), p))
        .collect();
    let lead_of = |piece: &Piece<'_>| -> Vec<u8> {
        match (wrapped, piece.lead.contains(&b'\n')) {
            (true, _) => release
                .pieces
                .iter()
                .rev()
                .find(|p| p.lead.contains(&b'\n'))
                .map_or(piece.lead, |p| p.lead)
                .to_vec(),
            (false, true) => b" ".to_vec(),
            (false, false) => piece.lead.to_vec(),
        }
    };
    let mut placed = vec![false; added.len()];
    let mut follow = |out: &mut Vec<u8>, after: Option<&[u8]>| {
        let mut after: Option<Vec<u8>> = after.map(<[u8]>::to_vec);
        for (k, (previous, piece)) in added.iter().enumerate() {
            let here = match (&after, previous) {
                (None, None) => true,
                (Some(a), Some(p)) => a.eq_ignore_ascii_case(p),
                _ => false,
            };
            if here && !placed[k] {
                placed[k] = true;
                out.extend(lead_of(piece));
                out.extend_from_slice(piece.text);
                after = Some(piece.name.to_vec());
            }
        }
    };
    follow(&mut out, None);
    for piece in &release.pieces {
        let (b, s) = (base.find(piece.name), site.find(piece.name));
        let text: Option<Vec<u8>> = match (b, s) {
            (Some(b), Some(s)) => Some(merge_piece(b, s, piece)?),
            // The site took out what the release kept; if the release changed it, ask.
            (Some(b), None) => {
                if !same(b.text, piece.text) {
                    return None;
                }
                None
            }
            // Both added an attribute of this name.
            (None, Some(s)) => {
                if !same(s.text, piece.text) {
                    return None;
                }
                Some(piece.text.to_vec())
            }
            (None, None) => Some(piece.text.to_vec()),
        };
        if let Some(text) = text {
            out.extend_from_slice(piece.lead);
            out.extend(text);
        }
        follow(&mut out, Some(piece.name));
    }
    // What the release took out and the site changed is a question.
    for piece in &base.pieces {
        if release.find(piece.name).is_none() && site.find(piece.name).is_some_and(|s| !same(s.text, piece.text)) {
            return None;
        }
    }
    for (k, (_, piece)) in added.iter().enumerate() {
        if !placed[k] {
            out.extend(lead_of(piece));
            out.extend_from_slice(piece.text);
        }
    }
    out.extend_from_slice(release.end_lead);
    out.extend_from_slice(end);
    Some(out)
}

/// Compares blind to the width of blanks.
fn same(a: &[u8], b: &[u8]) -> bool {
    let words = |t: &[u8]| -> Vec<Vec<u8>> {
        t.split(u8::is_ascii_whitespace).filter(|w| !w.is_empty()).map(<[u8]>::to_vec).collect()
    };
    a == b || words(a) == words(b)
}

fn pick<'a>(base: &'a [u8], site: &'a [u8], release: &'a [u8]) -> Option<&'a [u8]> {
    if site == base || site == release {
        Some(release)
    } else if release == base {
        Some(site)
    } else {
        None
    }
}

fn merge_piece(base: &Piece<'_>, site: &Piece<'_>, release: &Piece<'_>) -> Option<Vec<u8>> {
    if same(site.text, base.text) || same(site.text, release.text) {
        return Some(release.text.to_vec());
    }
    if same(release.text, base.text) {
        return Some(site.text.to_vec());
    }
    let (b, s, r) = (base.value?, site.value?, release.value?);
    let quote = *r.first().filter(|q| matches!(q, b'"' | b'\''))?;
    let inner = |v: &[u8]| -> Option<Vec<u8>> { Some(v.strip_prefix(&[quote])?.strip_suffix(&[quote])?.to_vec()) };
    let (b, s, r) = (inner(b)?, inner(s)?, inner(r)?);
    let merged = if release.name.eq_ignore_ascii_case(b"class") || release.name.eq_ignore_ascii_case(b"rel") {
        merge_words(&b, &s, &r)?
    } else if release.name.eq_ignore_ascii_case(b"style") {
        merge_declarations(&b, &s, &r)?
    } else {
        merge_prose(&b, &s, &r)?
    };
    let value_at = release.text.len() - release.value?.len();
    Some([&release.text[..value_at], &[quote], &merged, &[quote]].concat())
}

/// Cuts a class list into words; a template tag is one word with what it touches.
fn words(text: &[u8]) -> Option<Vec<&[u8]>> {
    let mut out = Vec::new();
    let mut at = blanks(text, 0);
    while at < text.len() {
        let start = at;
        while at < text.len() && !text[at].is_ascii_whitespace() {
            at = template_end(text, at).unwrap_or(at + 1);
        }
        out.push(&text[start..at]);
        at = blanks(text, at);
    }
    let mut sorted = out.clone();
    sorted.sort_unstable();
    sorted.windows(2).all(|w| w[0] != w[1]).then_some(out)
}

/// Merges class lists as sets that keep the release's order. `None` where both put another class in the
/// place of the same one, or a class stands twice.
pub(crate) fn merge_words(base: &[u8], site: &[u8], release: &[u8]) -> Option<Vec<u8>> {
    let (base, site, release) = (words(base)?, words(site)?, words(release)?);
    let gone = |from: &[&[u8]]| base.iter().filter(|w| !from.contains(w)).count();
    let new = |from: &[&[u8]]| from.iter().filter(|w| !base.contains(w)).count();
    // A class swapped for another by both: one value with two new names.
    let swapped = base.iter().enumerate().any(|(k, w)| {
        !site.contains(w)
            && !release.contains(w)
            && new(&site) > 0
            && new(&release) > 0
            && replaced(&base, &site, k) != replaced(&base, &release, k)
    });
    if swapped && gone(&site) > 0 && gone(&release) > 0 {
        return None;
    }
    let mut out: Vec<&[u8]> = release.iter().filter(|w| site.contains(w) || !base.contains(w)).copied().collect();
    for (k, word) in site.iter().enumerate() {
        if base.contains(word) || out.contains(word) {
            continue;
        }
        // After the word it follows on the site; after what the release put there, too.
        let at = site[..k].iter().rev().find_map(|p| out.iter().position(|w| w == p)).map_or(0, |p| p + 1);
        let at = at + out[at..].iter().take_while(|w| !base.contains(w) && !site.contains(w)).count();
        out.insert(at, word);
    }
    Some(out.join(&b' '))
}

/// The words that stand where base word `k` stood.
fn replaced<'a>(base: &[&[u8]], side: &[&'a [u8]], k: usize) -> Vec<&'a [u8]> {
    let from = base[..k].iter().rev().find_map(|w| side.iter().position(|s| s == w)).map_or(0, |p| p + 1);
    side[from..].iter().take_while(|w| !base.contains(w)).copied().collect()
}

/// Merges inline declarations by property, in the release's order.
fn merge_declarations(base: &[u8], site: &[u8], release: &[u8]) -> Option<Vec<u8>> {
    type Declarations = Vec<(Vec<u8>, Vec<u8>)>;
    let parse = |text: &[u8]| -> Option<Declarations> {
        if text.contains(&b'{') {
            return None;
        }
        let list: Declarations = text
            .split(|b| *b == b';')
            .map(<[u8]>::trim_ascii)
            .filter(|d| !d.is_empty())
            .map(|d| {
                let colon = d.iter().position(|b| *b == b':')?;
                Some((d[..colon].trim_ascii().to_ascii_lowercase(), d[colon + 1..].trim_ascii().to_vec()))
            })
            .collect::<Option<_>>()?;
        let mut names: Vec<_> = list.iter().map(|d| &d.0).collect();
        names.sort_unstable();
        names.windows(2).all(|w| w[0] != w[1]).then_some(list)
    };
    let (base, site, release) = (parse(base)?, parse(site)?, parse(release)?);
    let get = |list: &Declarations, name: &[u8]| list.iter().find(|d| d.0 == name).map(|d| d.1.clone());
    let mut out: Vec<Vec<u8>> = Vec::new();
    let names = release.iter().chain(&site).map(|d| d.0.clone());
    let mut done: Vec<Vec<u8>> = Vec::new();
    for name in names {
        if done.contains(&name) {
            continue;
        }
        let (b, s, r) = (get(&base, &name), get(&site, &name), get(&release, &name));
        let value = if s == b || s == r {
            r
        } else if r == b {
            s
        } else {
            return None;
        };
        if let Some(value) = value {
            out.push([name.as_slice(), b": ", &value].concat());
        }
        done.push(name);
    }
    Some(out.join(b"; ".as_slice()))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn merge(base: &str, site: &str, release: &str) -> Option<String> {
        merge_tags(base.as_bytes(), site.as_bytes(), release.as_bytes()).map(|t| String::from_utf8(t).unwrap())
    }

    #[test]
    fn attributes_are_a_set_by_name() {
        assert_eq!(
            merge("<a href=\"/\">", "<a href=\"/\" target=\"_blank\">", "<a href=\"/\" rel=\"me\">").unwrap(),
            "<a href=\"/\" target=\"_blank\" rel=\"me\">"
        );
        assert_eq!(merge("<i a=\"1\">", "<i a=\"2\">", "<i a=\"1\" b>").unwrap(), "<i a=\"2\" b>");
        assert_eq!(merge("<i a=\"1\">", "<i a=\"2\">", "<i a=\"3\">"), None);
        assert_eq!(merge("<i a=\"1\" b>", "<i b>", "<i a=\"3\" b>"), None, "deleted here, changed there");
        assert_eq!(merge("<i a b>", "<i b>", "<i a b c>").unwrap(), "<i b c>");
    }

    #[test]
    fn classes_are_a_set_that_keeps_order() {
        let words = |b: &str, s: &str, r: &str| {
            merge_words(b.as_bytes(), s.as_bytes(), r.as_bytes()).map(|w| String::from_utf8(w).unwrap())
        };
        assert_eq!(words("a b", "a b site", "a b rel").unwrap(), "a b rel site");
        assert_eq!(words("a b", "b", "a b c").unwrap(), "b c");
        assert_eq!(words("a b", "a x", "a y"), None, "one class, two new names");
        assert_eq!(words("a {{ c d }}", "a {{ c d }} x", "{{ c d }}").unwrap(), "{{ c d }} x");
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
        assert_eq!(tag_end(b"<a href=\"x", 0), None);
    }

    #[test]
    fn inline_declarations_merge_by_property() {
        assert_eq!(
            merge("<p style=\"a: 1; b: 2\">", "<p style=\"a: 9; b: 2\">", "<p style=\"a: 1; b: 3\">").unwrap(),
            "<p style=\"a: 9; b: 3\">"
        );
    }
}
