//! Placeholders in messages: what a translation must not lose.

use std::collections::BTreeMap;

/// Returns the placeholders of a text, each with how often it stands: `%s`, `%1$d`, `%(name)s`, `{name}`,
/// `{{ name }}`, `${name}`. Doubled signs (`%%`) stand for themselves.
pub fn placeholders(text: &[u8]) -> BTreeMap<Vec<u8>, usize> {
    let mut out: BTreeMap<Vec<u8>, usize> = BTreeMap::new();
    let mut at = 0;
    while at < text.len() {
        let rest = &text[at..];
        let length = match rest[0] {
            b'%' => printf(rest),
            b'{' => braces(rest),
            _ => None,
        };
        match length {
            Some(length) => {
                // Blanks within braces are form.
                let found: Vec<u8> = rest[..length].iter().copied().filter(|b| !b.is_ascii_whitespace()).collect();
                if found != b"%%" {
                    *out.entry(found).or_default() += 1;
                }
                at += length;
            }
            None => at += 1,
        }
    }
    out
}

/// The length of a conversion such as `%s`, `%-5.2f`, `%1$s`, `%(name)s`.
fn printf(text: &[u8]) -> Option<usize> {
    let mut at = 1;
    if text.get(at) == Some(&b'%') {
        return Some(2);
    }
    if text.get(at) == Some(&b'(') {
        let end = text.iter().position(|b| *b == b')')?;
        if !text[at + 1..end].iter().all(|b| b.is_ascii_alphanumeric() || *b == b'_') {
            return None;
        }
        at = end + 1;
    }
    let digits = |at: usize| text[at..].iter().take_while(|b| b.is_ascii_digit()).count();
    let numbered = digits(at);
    if numbered > 0 && text.get(at + numbered) == Some(&b'$') {
        at += numbered + 1;
    }
    at += text[at..].iter().take_while(|b| matches!(b, b'-' | b'+' | b'0' | b'#' | b'\'')).count();
    at += digits(at);
    if text.get(at) == Some(&b'.') {
        at += 1;
        at += digits(at);
    }
    at += text[at..].iter().take_while(|b| matches!(b, b'l' | b'h' | b'z')).count();
    // A sign of percent before a word is none: a blank is no flag here.
    let kind = text.get(at)?;
    b"sdiufFeEgGxXocpr@".contains(kind).then_some(at + 1)
}

/// The length of `{name}` or `{{ name }}`.
fn braces(text: &[u8]) -> Option<usize> {
    let double = text.get(1) == Some(&b'{');
    let open = if double { 2 } else { 1 };
    let end = open + text[open..].iter().position(|b| *b == b'}')?;
    let name = text[open..end].trim_ascii();
    let plain = !name.is_empty()
        && name.len() <= 60
        && name.iter().all(|b| b.is_ascii_alphanumeric() || b"_.-:|[]'\" ".contains(b));
    let closed = !double || text.get(end + 1) == Some(&b'}');
    (plain && closed).then_some(end + if double { 2 } else { 1 })
}

/// Returns the placeholders of a message that a translation does not have, and those that only it has.
pub fn lost_placeholders(id: &[u8], text: &[u8]) -> (Vec<String>, Vec<String>) {
    let (wanted, got) = (placeholders(id), placeholders(text));
    let missing = |a: &BTreeMap<Vec<u8>, usize>, b: &BTreeMap<Vec<u8>, usize>| {
        let lacks = a.keys().filter(|k| !b.contains_key(*k));
        lacks.map(|k| String::from_utf8_lossy(k).into_owned()).collect()
    };
    (missing(&wanted, &got), missing(&got, &wanted))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn placeholders_of_all_sorts_are_seen() {
        let of = |text: &str| {
            placeholders(text.as_bytes()).into_keys().map(|k| String::from_utf8(k).unwrap()).collect::<Vec<_>>()
        };
        assert_eq!(of("%s of %1$d, %(name)s, %5.2f%%"), ["%(name)s", "%1$d", "%5.2f", "%s"]);
        assert_eq!(of("{name} {{ site.title }} {0}"), ["{0}", "{name}", "{{site.title}}"]);
        assert!(of("100% sure, {not a thing; at all}, {}").is_empty());
        assert_eq!(lost_placeholders(b"%s in %s", b"in").0, ["%s"]);
        assert_eq!(lost_placeholders(b"a", b"{b}").1, ["{b}"]);
    }
}
