//! Members of a script and entries of a list: named, and in no order.

use super::Dialect;
use super::balance::depth_of;
use crate::text::Line;
use crate::text::token::tokens;

/// Named members (functions, classes, constants, imports) with different names.
pub(super) fn members(site: &[Line<'_>], release: &[Line<'_>]) -> bool {
    let (Some(site), Some(release)) = (names(site, member_name), names(release, member_name)) else {
        return false;
    };
    !site.is_empty() && !release.is_empty() && !site.iter().any(|n| release.contains(n))
}

/// Reads the name of the member that a line begins, in the languages that themes are scripted in.
pub(crate) fn member_name(text: &[u8]) -> Option<&[u8]> {
    const MODIFIERS: [&[u8]; 12] = [
        b"export",
        b"default",
        b"async",
        b"public",
        b"private",
        b"protected",
        b"static",
        b"final",
        b"abstract",
        b"readonly",
        b"declare",
        b"pub",
    ];
    const OPENERS: [&[u8]; 16] = [
        b"function",
        b"class",
        b"interface",
        b"trait",
        b"enum",
        b"const",
        b"let",
        b"var",
        b"def",
        b"type",
        b"struct",
        b"fn",
        b"define",
        b"namespace",
        b"module",
        b"sub",
    ];
    const CONTROL: [&[u8]; 12] = [
        b"if",
        b"for",
        b"foreach",
        b"while",
        b"switch",
        b"catch",
        b"with",
        b"elseif",
        b"return",
        b"function",
        b"def",
        b"do",
    ];
    const WHOLE_LINE: [&[u8]; 6] = [b"import", b"use", b"require", b"require_once", b"include", b"from"];
    let mut words = tokens(text).map(|t| t.text).skip_while(|w| MODIFIERS.contains(w) || *w == b"@");
    let first = words.next()?;
    if WHOLE_LINE.contains(&first) && matches!(text.last(), Some(b';' | b'\'' | b'"' | b')')) {
        return Some(text);
    }
    if first.first().is_some_and(|b| b.is_ascii_alphabetic()) && !CONTROL.contains(&first) && is_method(text) {
        return Some(first);
    }
    if OPENERS.contains(&first) {
        return words.find(|w| w.first().is_some_and(|b| b.is_ascii_alphabetic() || matches!(b, b'_' | b'$')));
    }
    None
}

/// Tells whether a line begins a method by its name and arguments alone: `open(page) {`.
fn is_method(text: &[u8]) -> bool {
    let name = text.iter().take_while(|b| b.is_ascii_alphanumeric() || matches!(b, b'_' | b'$')).count();
    let Some(head) = text.strip_suffix(b"{").map(<[u8]>::trim_ascii_end) else { return false };
    let arguments = head.get(name..).unwrap_or(b"");
    let mut depth = 0;
    let closes_at = arguments.iter().position(|byte| {
        depth += i32::from(*byte == b'(') - i32::from(*byte == b')');
        depth == 0
    });
    arguments.starts_with(b"(") && closes_at.is_some_and(|at| at + 1 == arguments.len())
}

/// What may stand in a list in any order.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum List {
    /// Names, and values by name.
    Named,
    /// Values by name.
    Keyed,
    /// Values by key, where an arrow says so.
    Array,
}

/// Tells whether what the two sides put into a list are entries by key, or names in braces, none of them in both; and
/// of either side, the site's first, whether a comma stands behind its last one. `within` is the bracket that the list is
/// in.
pub(super) fn entries(
    site: &[Line<'_>],
    release: &[Line<'_>],
    within: Option<u8>,
    dialect: &Dialect,
) -> Option<[bool; 2]> {
    let list = match within? {
        // The braces of a style sheet hold declarations, and its parentheses maps.
        b'{' if dialect.declarations => return None,
        b'{' => List::Named,
        b'(' if dialect.declarations => List::Keyed,
        _ => List::Array,
    };
    let mut all = Vec::new();
    let mut ends = [false; 2];
    for (side, end) in [site, release].into_iter().zip(&mut ends) {
        let solid = |line: &&Line<'_>| !line.is_blank() && !is_comment(line.trimmed());
        let last = side.iter().rposition(|line| solid(&line))?;
        // A comma parts each from the next.
        let mut depth = 0;
        for (k, line) in side.iter().enumerate().filter(|(_, line)| solid(line)) {
            depth += depth_of(line.trimmed(), false).1;
            let parted = depth > 0 || line.trimmed().ends_with(b",");
            // Where one is to be put behind the last, no remark may stand there, and it is no statement.
            let bare = ![b"//".as_slice(), b"/*", b"#", b";"].iter().any(|mark| has(line.trimmed(), mark));
            if !parted && (k < last || !bare) {
                return None;
            }
            *end = parted;
        }
        all.extend(names(side, |text| entry_name(text, list))?);
    }
    let said = all.len();
    all.sort_unstable();
    all.dedup();
    (said > 1 && all.len() == said).then_some(ends)
}

fn has(text: &[u8], mark: &[u8]) -> bool {
    text.windows(mark.len()).any(|part| part == mark)
}

/// Reads the key of the entry that a line begins, without quotes: `key: …`, `'key' => …`, or in braces a name alone.
fn entry_name(text: &[u8], list: List) -> Option<&[u8]> {
    let len = match text.first()? {
        quote @ (b'"' | b'\'') => text[1..].iter().position(|byte| byte == quote)? + 2,
        _ => text.iter().take_while(|b| b.is_ascii_alphanumeric() || matches!(b, b'_' | b'$' | b'-')).count(),
    };
    let (name, rest) = text.split_at(len);
    let rest = rest.trim_ascii_start();
    let colon = rest.starts_with(b":") && !rest.starts_with(b"::");
    let keyed = rest.starts_with(b"=>") || colon && list != List::Array;
    let quoted = matches!(name.first(), Some(b'"' | b'\''));
    let alone = list == List::Named && matches!(rest, b"" | b",") && !quoted;
    let bare = if quoted { &name[1..len - 1] } else { name };
    (len > 0 && (keyed || alone)).then_some(bare)
}

/// Returns the lines' names at the outermost level, by a function that reads one from a line.
fn names<'a>(lines: &'a [Line<'a>], name: impl Fn(&'a [u8]) -> Option<&'a [u8]>) -> Option<Vec<&'a [u8]>> {
    let mut depth = 0i64;
    let mut out = Vec::new();
    for line in lines {
        let text = line.trimmed();
        if depth == 0 && !text.is_empty() && !is_comment(text) {
            if let Some(found) = name(text) {
                out.push(found);
            } else if !text.starts_with(b"}") && !text.starts_with(b")") && !text.starts_with(b"]") {
                return None;
            }
        }
        for byte in text {
            match byte {
                b'{' | b'(' | b'[' => depth += 1,
                b'}' | b')' | b']' => depth -= 1,
                _ => {}
            }
        }
    }
    Some(out)
}

pub(super) fn is_comment(text: &[u8]) -> bool {
    [b"/*".as_slice(), b"*", b"//", b"#!", b"<!--"].iter().any(|c| text.starts_with(c))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::text::split_lines;

    fn together(site: &str, release: &str, within: u8) -> Option<[bool; 2]> {
        in_language(site, release, within, false)
    }

    fn in_language(site: &str, release: &str, within: u8, declarations: bool) -> Option<[bool; 2]> {
        let dialect = Dialect { declarations, ..Dialect::default() };
        entries(&split_lines(site.as_bytes()), &split_lines(release.as_bytes()), Some(within), &dialect)
    }

    #[test]
    fn entries_by_key_stand_in_no_order() {
        assert_eq!(together("own: 1,\n", "b: {\n  x: 1,\n},\n", b'{'), Some([true, true]));
        assert_eq!(together("'own' => 1,\n", "'b' => array(\n  2\n)\n", b'('), Some([true, false]));
        assert_eq!(together("own,\n", "b,\nc\n", b'{'), Some([true, false]));
        assert_eq!(together("own: 1,\n", "own: 2,\n", b'{'), None, "one key");
        assert_eq!(together("own: 1,\n", "'own': 2,\n", b'{'), None, "one key, in quotes");
        assert_eq!(together("own,\n", "b,\n", b'('), None, "arguments stand in order");
        assert_eq!(together("own: 1\nc: 2,\n", "b: 3,\n", b'{'), None, "no comma between");
        assert_eq!(together("own: 1;\n", "b: 3;\n", b'{'), None, "statements");
        assert_eq!(in_language("own: 1\n", "b: 3\n", b'{', true), None, "declarations");
        assert_eq!(in_language("'own': 1px\n", "b: 3px\n", b'(', true), Some([false, false]), "a map");
        assert_eq!(together("go();\n", "b: 3,\n", b'{'), None);
        assert_eq!(together("own: 1 // last\n", "b: 3\n", b'{'), None, "no place for a comma");
    }

    #[test]
    fn methods_have_names() {
        assert_eq!(member_name(b"open(page, { deep }) {"), Some(b"open".as_slice()));
        assert_eq!(member_name(b"if (page) {"), None);
        assert_eq!(member_name(b"each(pages, (page) => {"), None);
    }
}
