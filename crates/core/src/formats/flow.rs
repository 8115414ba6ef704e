//! Lists and tables written within brackets (YAML's flow style, TOML's arrays and inline tables): three versions of one
//! merged item by item, in the release's writing.

use std::collections::{BTreeSet, HashSet};
use std::ops::Range;

use super::lists::Names;
use super::matched::{self, Told};

/// How a format writes within brackets.
#[derive(Clone, Copy)]
pub(crate) struct Flow {
    /// The sign between key and value.
    pub(crate) sign: u8,
    /// A value in a form that compares.
    pub(crate) canonical: fn(&str) -> Option<String>,
}

/// An item, or a key with its value.
struct Part<'a> {
    /// What tells it apart: its value, or its key.
    name: String,
    /// From its first letter to its last.
    span: Range<usize>,
    value: &'a [u8],
}

struct Parts<'a> {
    text: &'a [u8],
    list: Vec<Part<'a>>,
}

/// Nesting beyond this is refused.
const DEEPEST: usize = 50;

impl Flow {
    /// Merges three versions of a value that all are lists, or all are tables. `None` where both sides changed the same
    /// item, or the items of a list cannot be told apart.
    /// The base's list is read without what it is to have forgotten.
    pub(crate) fn merge(
        self,
        base: &[u8],
        site: &[u8],
        release: &[u8],
        forgotten: &BTreeSet<String>,
    ) -> Option<Vec<u8>> {
        self.merge_at(base.trim_ascii(), site.trim_ascii(), release.trim_ascii(), forgotten, 0)
    }

    fn merge_at(
        self,
        base: &[u8],
        site: &[u8],
        release: &[u8],
        forgotten: &BTreeSet<String>,
        depth: usize,
    ) -> Option<Vec<u8>> {
        let [mut b, mut s, mut r] = [self.parts(base)?, self.parts(site)?, self.parts(release)?];
        b.list.retain(|p| !serde_json::from_str(&p.name).is_ok_and(|name: String| forgotten.contains(&name)));
        let table = release[0] == b'{';
        if depth > DEEPEST || base[0] != site[0] || site[0] != release[0] {
            return None;
        }
        let plain = |p: &Part<'_>| !matches!(p.value.first(), Some(b'[' | b'{'));
        if !table && ![&b, &s, &r].into_iter().all(|parts| parts.list.iter().all(plain)) {
            let [of_base, of_site, of_release] = [&b, &s, &r].map(|parts| self.told(parts));
            let names = matched::names([&of_base, &of_site, &of_release])?;
            for (parts, names) in [&mut b, &mut s, &mut r].into_iter().zip(names) {
                parts.list.iter_mut().zip(names).for_each(|(part, name)| part.name = name);
            }
        }
        let unique = |parts: &Parts<'_>| {
            parts.list.iter().map(|p| &p.name).collect::<HashSet<_>>().len() == parts.list.len()
        };
        if ![&b, &s, &r].into_iter().all(unique) {
            return None;
        }
        let order = |a: &Parts<'_>, b: &Parts<'_>| -> Vec<String> {
            let there: HashSet<&String> = b.list.iter().map(|p| &p.name).collect();
            a.list.iter().map(|p| p.name.clone()).filter(|n| there.contains(n)).collect()
        };
        let versions = [&b, &s, &r];
        let names = Names::new(versions.map(|parts| parts.list.iter().map(|p| p.name.as_str()).collect()));
        let parts = |of: usize, k: usize| vec![String::from_utf8_lossy(versions[of].list[k].value).into_owned()];
        let asked =
            if table { names.renamed_by_both(parts) } else { order(&b, &s) != order(&s, &b) || names.collide() };
        if asked {
            return None;
        }
        let in_place = names.in_place();
        // The text of each part of the release; nothing for one that goes.
        let mut texts: Vec<Option<Vec<u8>>> = Vec::new();
        for part in &r.list {
            let text = release[part.span.clone()].to_vec();
            texts.push(match (b.find(&part.name), s.find(&part.name)) {
                (None, None) => Some(text),
                (Some(before), None) if self.same(before.value, part.value)? => None,
                (Some(_), None) => return None,
                (before, Some(own)) => {
                    let start = part.span.end - part.value.len() - part.span.start;
                    let value = self.value(before.map(|p| p.value), own.value, part.value, depth)?;
                    Some([&text[..start], &value].concat())
                }
            });
        }
        // What only the site has follows what it follows there.
        let mut own: Vec<(Option<usize>, Vec<u8>)> = Vec::new();
        let mut anchor = None;
        for (at, part) in s.list.iter().enumerate() {
            if let Some(k) = in_place.get(&at) {
                anchor = Some(*k);
            }
            match (r.position(&part.name), b.find(&part.name)) {
                (Some(k), _) => anchor = Some(k),
                (None, None) => own.push((anchor, site[part.span.clone()].to_vec())),
                (None, Some(before)) if self.same(before.value, part.value)? => {}
                (None, Some(_)) => return None,
            }
        }
        Some(r.write(&texts, &own))
    }

    /// The items of a list, as they compare.
    fn told(self, list: &Parts<'_>) -> Vec<Told> {
        let told = |item: &Part<'_>| {
            let keys = self.parts(item.value).filter(|_| item.value.starts_with(b"{"));
            let said = |key: &Part<'_>| {
                let value = String::from_utf8_lossy(key.value).into_owned();
                format!("{:?}:{}", key.name, (self.canonical)(&value).unwrap_or(value))
            };
            let parts = keys.map_or(vec![item.name.clone()], |keys| keys.list.iter().map(said).collect());
            Told { value: item.name.clone(), parts }
        };
        list.list.iter().map(told).collect()
    }

    fn value(self, base: Option<&[u8]>, site: &[u8], release: &[u8], depth: usize) -> Option<Vec<u8>> {
        let same = |a: &[u8], b: &[u8]| self.same(a, b);
        if base.map_or(Some(false), |b| same(b, site))? || same(site, release)? {
            return Some(release.to_vec());
        }
        let base = base?;
        if same(base, release)? {
            return (!site.contains(&b'\n')).then(|| site.to_vec());
        }
        self.merge_at(base, site, release, &BTreeSet::new(), depth + 1)
    }

    /// What three versions of a value come to, their comments left out. `None` as [`Flow::merge`].
    pub(crate) fn merge_bare(self, [base, site, release]: [&[u8]; 3]) -> Option<Vec<u8>> {
        let [base, site, release] = [base, site, release].map(without_remarks);
        match (self.same(&base, &site)?, self.same(&base, &release)?) {
            (true, _) => Some(release),
            (_, true) => Some(site),
            _ => self.merge(&base, &site, &release, &BTreeSet::new()),
        }
    }

    /// Tells whether two values are one, however they are written; `None` where one cannot be read.
    pub(crate) fn same(self, a: &[u8], b: &[u8]) -> Option<bool> {
        let canonical = |text| (self.canonical)(std::str::from_utf8(text).ok()?);
        if a == b { Some(true) } else { Some(canonical(a)? == canonical(b)?) }
    }

    /// Splits what is within brackets at its commas; `None` where it has comments, or is no list or table.
    fn parts(self, text: &[u8]) -> Option<Parts<'_>> {
        let close = match text.first()? {
            b'[' => b']',
            b'{' => b'}',
            _ => return None,
        };
        if text.len() < 2 || *text.last()? != close {
            return None;
        }
        let mut list = Vec::new();
        let mut depth = 0usize;
        let mut start = 1;
        let mut sign = None;
        let mut at = 1;
        while at < text.len() {
            let byte = text[at];
            match byte {
                b'"' | b'\'' => at += quoted(&text[at..])?,
                b'[' | b'{' => depth += 1,
                b'#' => return None,
                b']' | b'}' if depth > 0 => depth -= 1,
                b',' | b']' | b'}' if depth == 0 => {
                    let part = text[start..at].trim_ascii();
                    if !part.is_empty() {
                        let from = start + text[start..at].iter().take_while(|b| b.is_ascii_whitespace()).count();
                        list.push(self.part(text, from..from + part.len(), sign, close)?);
                    } else if byte == b',' {
                        return None;
                    }
                    if byte != b',' && at + 1 != text.len() {
                        return None;
                    }
                    (start, sign) = (at + 1, None);
                }
                // In YAML a colon within a word is a letter.
                b if b == self.sign && depth == 0 && sign.is_none() => {
                    let behind = text.get(at + 1);
                    if b != b':'
                        || behind.is_none_or(|b| b.is_ascii_whitespace() || matches!(b, b'"' | b'\'' | b'[' | b'{'))
                    {
                        sign = Some(at);
                    }
                }
                _ => {}
            }
            at += 1;
        }
        (depth == 0).then_some(Parts { text, list })
    }

    fn part<'a>(self, text: &'a [u8], span: Range<usize>, sign: Option<usize>, close: u8) -> Option<Part<'a>> {
        let canonical = |text: &[u8]| (self.canonical)(std::str::from_utf8(text).ok()?);
        if close == b']' {
            let value = &text[span.clone()];
            return Some(Part { name: canonical(value)?, span, value });
        }
        let sign = sign?;
        let key = String::from_utf8_lossy(text[span.start..sign].trim_ascii());
        let name = key.trim_matches(['"', '\'']).to_string();
        let value = text[sign + 1..span.end].trim_ascii();
        (!value.is_empty()).then_some(Part { name, span, value })
    }
}

/// The comments in a value that is written within brackets, each to the end of its line.
pub(crate) fn remarks(value: &[u8]) -> Vec<&[u8]> {
    remarks_at(value).into_iter().map(|at| value[at].trim_ascii()).collect()
}

fn remarks_at(value: &[u8]) -> Vec<Range<usize>> {
    let mut out = Vec::new();
    if !matches!(value.first(), Some(b'[' | b'{')) {
        return out;
    }
    let mut at = 1;
    while at < value.len() {
        let rest = &value[at..];
        at += match rest[0] {
            quote @ (b'"' | b'\'') if rest.starts_with(&[quote; 3]) => {
                rest[3..].windows(3).position(|w| w == [quote; 3]).map_or(3, |inside| inside + 6)
            }
            b'"' | b'\'' => quoted(rest).map_or(1, |closing| closing + 1),
            // Within a word it is a letter.
            b'#' if !value[at - 1].is_ascii_alphanumeric() => {
                let len = rest.iter().position(|b| matches!(b, b'\n' | b'\r')).unwrap_or(rest.len());
                out.push(at..at + len);
                len
            }
            _ => 1,
        };
    }
    out
}

/// A value that is written within brackets, without its comments.
fn without_remarks(value: &[u8]) -> Vec<u8> {
    let mut out = Vec::with_capacity(value.len());
    let mut from = 0;
    for remark in remarks_at(value) {
        out.extend_from_slice(&value[from..remark.start]);
        from = remark.end;
    }
    out.extend_from_slice(&value[from..]);
    out
}

/// How far it is to the closing quote.
fn quoted(text: &[u8]) -> Option<usize> {
    let quote = text[0];
    // Quotes of three hold lines; they are left alone.
    if text.starts_with(&[quote; 3]) {
        return None;
    }
    let mut at = 1;
    loop {
        match *text.get(at)? {
            b'\\' if quote == b'"' => at += 2,
            byte if byte == quote => return Some(at),
            _ => at += 1,
        }
    }
}

impl Parts<'_> {
    fn find(&self, name: &str) -> Option<&Part<'_>> {
        self.list.iter().find(|p| p.name == name)
    }

    fn position(&self, name: &str) -> Option<usize> {
        self.list.iter().position(|p| p.name == name)
    }

    /// The text with other words for its parts, some gone and some new.
    fn write(&self, texts: &[Option<Vec<u8>>], own: &[(Option<usize>, Vec<u8>)]) -> Vec<u8> {
        let (first, last) = (self.list.first(), self.list.last());
        let head = &self.text[..first.map_or(1, |p| p.span.start)];
        let tail = &self.text[last.map_or(1, |p| p.span.end)..];
        let comma: &[u8] = match &self.list[..] {
            [one, two, ..] => &self.text[one.span.end..two.span.start],
            _ => b", ",
        };
        // Each part with what stood between it and the one before.
        let mut parts: Vec<(&[u8], &[u8])> = Vec::new();
        let new = |anchor: Option<usize>| {
            own.iter().filter(move |(a, _)| *a == anchor).map(|(_, text)| (comma, &text[..]))
        };
        parts.extend(new(None));
        for (k, text) in texts.iter().enumerate() {
            if let Some(text) = text {
                let between = match k.checked_sub(1) {
                    Some(before) => &self.text[self.list[before].span.end..self.list[k].span.start],
                    None => comma,
                };
                parts.push((between, text));
            }
            parts.extend(new(Some(k)));
        }
        let mut out = head.to_vec();
        for (k, (between, text)) in parts.iter().enumerate() {
            if k > 0 {
                out.extend_from_slice(between);
            }
            out.extend_from_slice(text);
        }
        out.extend_from_slice(tail);
        out
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn merged(sign: u8, base: &str, site: &str, release: &str) -> Option<String> {
        let canonical = |text: &str| Some(text.trim_matches(['"', '\'']).replace(' ', ""));
        let merged =
            Flow { sign, canonical }.merge(base.as_bytes(), site.as_bytes(), release.as_bytes(), &BTreeSet::new());
        merged.map(|m| String::from_utf8(m).unwrap())
    }

    #[test]
    fn lists_merge_as_ordered_sets_in_the_releases_writing() {
        let of = |b, s, r| merged(b':', b, s, r).unwrap();
        assert_eq!(of("[a, b, c]", "[a, c, own]", "[ 'a', b, c, d ]"), "[ 'a', c, own, d ]");
        assert_eq!(of("[a]", "[own, a]", "[\n  a,\n  b,\n]"), "[\n  own,\n  a,\n  b,\n]");
        assert_eq!(of("[]", "[x]", "[y]"), "[x, y]");
        assert_eq!(of("[a]", "[]", "[a, b]"), "[b]");
        assert_eq!(merged(b':', "[a, b]", "[b, a]", "[a, b, c]"), None, "the site's order is a will of its own");
        assert_eq!(merged(b':', "[a, a]", "[a]", "[a, b]"), None);
        assert_eq!(merged(b':', "[a]", "[b] # why", "[c]"), None);
    }

    #[test]
    fn tables_merge_by_key() {
        let of = |b, s, r| merged(b'=', b, s, r);
        assert_eq!(
            of("{ a = 1, b = [1, 2] }", "{ b = [1, 2, 3], a = 1 }", "{ a = 5, b = [0, 1, 2], c = 'x=y' }").unwrap(),
            "{ a = 5, b = [0, 1, 2, 3], c = 'x=y' }"
        );
        assert_eq!(of("{ a = 1 }", "{ a = 2 }", "{ a = 3 }"), None);
        assert_eq!(of("{ a = 1, b = 2 }", "{ a = 1 }", "{ a = 3, b = 2 }").unwrap(), "{ a = 3 }");
        assert_eq!(
            merged(b':', "{u: http://a, v: 1}", "{u: http://b, v: 1}", "{u: http://a, v: 2}").unwrap(),
            "{u: http://b, v: 2}"
        );
    }

    #[test]
    fn remarks_are_told_from_what_is_quoted() {
        let value = b"[ # one\n  '#no', \"\\\"#no\", a#no, #two\r\n  \"\"\"#no\n#no\"\"\" # three\n]";
        assert_eq!(remarks(value), [&b"# one"[..], b"#two", b"# three"]);
        assert_eq!(without_remarks(b"[1, # one\n2]"), b"[1, \n2]");
        assert!(remarks(b"text # of a plain value").is_empty());
    }
}
