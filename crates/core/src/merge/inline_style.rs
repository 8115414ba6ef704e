//! The declarations of a `style` attribute: a set by property that keeps order.

use super::tags::{Piece, Tag, block_step, merge_pieces, pick, quoted_end, template_end};

/// Merges three versions of the value of a `style` attribute, without its quotes, in the release's form. `None` where
/// both changed a declaration, or a version is more than plain declarations.
pub(super) fn merge_declarations(base: &[u8], site: &[u8], release: &[u8]) -> Option<Vec<u8>> {
    let (base, site, release) = (parse(base)?, parse(site)?, parse(release)?);
    let end = pick(base.end, site.end, release.end)?;
    // What stood first may come to stand behind another.
    let between = [&release, &site].iter().find_map(|list| list.pieces.get(1)).map_or(b" ".as_slice(), |p| p.lead);
    let first = release.pieces.first().map_or(b"".as_slice(), |p| p.lead);
    let mut out = Vec::new();
    for (k, (lead, text)) in merge_pieces(&base, &site, &release)?.into_iter().enumerate() {
        if k > 0 {
            out.push(b';');
        }
        out.extend_from_slice(match (k, lead) {
            (0, _) => first,
            (_, b"") => between,
            _ => lead,
        });
        out.extend(text);
    }
    if !out.is_empty() {
        out.extend_from_slice(release.end_lead);
        out.extend_from_slice(end);
    }
    Some(out)
}

/// Cuts a list of declarations, each a piece that is named by its property, without the semicolons between. The end is
/// the last semicolon, if there is one, with what follows.
fn parse(text: &[u8]) -> Option<Tag<'_>> {
    let mut list = Tag { name: b"", pieces: Vec::new(), end_lead: b"", end: b"" };
    let mut at = 0;
    while at < text.len() {
        let end = declaration_end(text, at)?;
        let whole = &text[at..end];
        let trimmed = whole.trim_ascii();
        let lead = &whole[..whole.len() - whole.trim_ascii_start().len()];
        if trimmed.is_empty() {
            // Nothing but blanks may stand behind the last one.
            if end < text.len() || list.pieces.is_empty() {
                return None;
            }
            list.end = &text[at - 1..];
        } else {
            let name = trimmed[..trimmed.iter().position(|b| *b == b':')?].trim_ascii_end();
            let plain = name.iter().all(|b| b.is_ascii_alphanumeric() || matches!(b, b'-' | b'_'));
            if name.is_empty() || !plain {
                return None;
            }
            list.pieces.push(Piece::new(lead, trimmed, name, None));
            if end + 1 == text.len() {
                list.end = &text[end..];
            } else if end == text.len() {
                list.end = &whole[lead.len() + trimmed.len()..];
            }
        }
        at = end + 1;
    }
    list.is_set().then_some(list)
}

/// Where the declaration that begins at `from` ends, before its semicolon. `None` where a bracket or a template block is
/// left open.
fn declaration_end(text: &[u8], from: usize) -> Option<usize> {
    let (mut at, mut brackets, mut blocks) = (from, 0i64, 0i64);
    while at < text.len() {
        if let Some(end) = template_end(text, at) {
            blocks += block_step(&text[at..end]);
            at = end;
            continue;
        }
        match text[at] {
            b'"' | b'\'' => at = quoted_end(text, at)? - 1,
            b'(' => brackets += 1,
            b')' => brackets -= 1,
            b';' if brackets == 0 && blocks == 0 => return Some(at),
            _ => {}
        }
        at += 1;
    }
    (brackets == 0 && blocks == 0).then_some(at)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn merge(base: &str, site: &str, release: &str) -> Option<String> {
        let merged = merge_declarations(base.as_bytes(), site.as_bytes(), release.as_bytes());
        merged.map(|text| String::from_utf8(text).unwrap())
    }

    #[test]
    fn declarations_are_a_set_by_property() {
        let gives = |base: &str, site: &str, release: &str, expected: &str| {
            assert_eq!(merge(base, site, release).as_deref(), Some(expected), "{base} | {site} | {release}");
        };
        gives("a: 1; b: 2", "a: 9; b: 2", "a: 1; b: 3", "a: 9; b: 3");
        gives("a:1;b:2;", "a:9;b:2;", "a:1;b:3;", "a:9;b:3;");
        gives("a:1", "a:1;own:2", "new:3;a:1", "new:3;a:1;own:2");
        gives("a:1", "own:2; a:1", "a:1;", "own:2; a:1;");
        gives("a: 1; b: 2;", "b: 2;", "a: 1; b: 3;", "b: 3;");
        gives("a: 1", "", "a: 1", "");
        assert_eq!(merge("a: 1", "a: 2", "a: 3"), None);
        assert_eq!(merge("a: 1; b: 2", "a: 2; b: 2", "b: 2"), None, "changed here, gone there");
        assert_eq!(merge("a: 1", "a: 1; own: 2", "a: 1; own: 3"), None);
    }

    #[test]
    fn values_may_hold_semicolons_and_template_tags() {
        let style = |picture: &str, colour: &str| format!("background: url({picture}); color: {colour}");
        let (old, new) = ("data:x/y;z,1", "{{ t(\"a;b\") }}");
        assert_eq!(merge(&style(old, "red"), &style(old, "own"), &style(new, "red")), Some(style(new, "own")));
        let block = "{% if x %}a: 1; {% endif %}b: 2";
        assert_eq!(merge(block, &block.replace('2', "3"), &block.replace('1', "4")), None, "no plain list");
    }
}
