//! Style rules and declarations that both sides put into one gap.

use super::Dialect;
use crate::text::Line;
use crate::text::key::Blanks;

/// How the lines of a side end.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Ends {
    /// With a rule, or a declaration and its mark.
    Whole,
    /// With a declaration that has no mark behind it.
    Open,
}

/// Tells whether rules or declarations of both sides may stand one after the other, and how the release's end; `None`
/// where they may not: a property that both set is one value. `last` says that they are the last ones of their rule.
pub(super) fn cascade(site: &[Line<'_>], release: &[Line<'_>], last: bool, dialect: &Dialect) -> Option<Ends> {
    let indented = dialect.blanks == Blanks::IndentIsMeaning;
    let own = properties(site, indented);
    if properties(release, indented).iter().any(|property| own.contains(property)) {
        return None;
    }
    match (ends(site)?, ends(release)?) {
        _ if indented => (outermost(site)? == outermost(release)?).then_some(Ends::Whole),
        (Ends::Whole, Ends::Whole) => Some(Ends::Whole),
        (_, of_release) => last.then_some(of_release),
    }
}

/// Tells whether lines of both are nothing but declarations of one rule, none of which bears on a property that another
/// sets (`border-top` does on `border`).
pub(super) fn independent(lines: &[Line<'_>], with: &[Line<'_>], dialect: &Dialect) -> bool {
    let indented = dialect.blanks == Blanks::IndentIsMeaning;
    let Some((own, others)) = declared(lines, indented).zip(declared(with, indented)) else { return false };
    let part_of = |a: &[u8], b: &[u8]| b.strip_prefix(a).is_some_and(|rest| rest.is_empty() || rest[0] == b'-');
    own.indent == others.indent
        && !own.properties.iter().any(|a| others.properties.iter().any(|b| part_of(a, b) || part_of(b, a)))
}

/// Declarations, and how they are indented.
struct Declared<'a> {
    properties: Vec<&'a [u8]>,
    indent: &'a [u8],
}

/// Reads lines that are nothing but declarations, each on its own.
fn declared<'a>(lines: &[Line<'a>], indented: bool) -> Option<Declared<'a>> {
    let solid: Vec<&Line<'a>> = lines.iter().filter(|line| !line.is_blank()).collect();
    let indent = solid.first()?.indent();
    let properties = solid.into_iter().map(|line| {
        let text = line.trimmed();
        let ends = indented || text.ends_with(b";");
        property(text, indented).filter(|_| ends && !text.contains(&b'{') && line.indent() == indent)
    });
    Some(Declared { properties: properties.collect::<Option<_>>()?, indent })
}

/// The indentation of lines of which none stands further out than the first: they go on in one block.
fn outermost<'a>(lines: &[Line<'a>]) -> Option<&'a [u8]> {
    let mut solid = lines.iter().filter(|line| !line.is_blank()).map(Line::indent);
    let first = solid.next()?;
    solid.all(|indent| indent.starts_with(first)).then_some(first)
}

fn ends(lines: &[Line<'_>]) -> Option<Ends> {
    let text = lines.iter().rev().map(Line::trimmed).find(|text| !text.is_empty())?;
    let whole = matches!(text.last(), Some(b';' | b'}' | b',')) || text.ends_with(b"*/");
    let remark = text.windows(2).any(|mark| mark == b"//");
    match whole {
        true => Some(Ends::Whole),
        false => (!remark && text.last() != Some(&b'{')).then_some(Ends::Open),
    }
}

/// The properties that lines set at their outermost level.
fn properties<'a>(lines: &[Line<'a>], indented: bool) -> Vec<&'a [u8]> {
    let outermost = lines.iter().filter(|line| !line.is_blank()).map(|line| line.indent().len()).min();
    let mut depth = 0i64;
    let mut out = Vec::new();
    for line in lines.iter().filter(|line| !line.is_blank()) {
        let outer = if indented { Some(line.indent().len()) == outermost } else { depth == 0 };
        out.extend(property(line.trimmed(), indented).filter(|_| outer));
        depth += line.content.iter().map(|b| i64::from(*b == b'{') - i64::from(*b == b'}')).sum::<i64>();
    }
    out
}

/// The property that a declaration sets.
fn property(text: &[u8], indented: bool) -> Option<&[u8]> {
    let end = text.iter().position(|b| *b == b':' || indented && b.is_ascii_whitespace());
    let name = text[..end.or(indented.then_some(text.len()))?].trim_ascii();
    let plain = name.iter().all(|b| b.is_ascii_alphanumeric() || matches!(b, b'-' | b'_' | b'$' | b'@'));
    (plain && !text.ends_with(b"{") && !text.ends_with(b",")).then_some(name)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::text::split_lines;

    fn both(site: &str, release: &str, last: bool, blanks: Blanks) -> Option<Ends> {
        let dialect = Dialect { blanks, declarations: true, ..Dialect::default() };
        cascade(&split_lines(site.as_bytes()), &split_lines(release.as_bytes()), last, &dialect)
    }

    #[test]
    fn one_property_is_one_value() {
        let both = |site, release, last| both(site, release, last, Blanks::AreForm);
        assert_eq!(both("own: 1;\n", ".b { a: 1; }\n", false), Some(Ends::Whole));
        assert_eq!(both("a: 1;\n", "b: 2;\na: 3;\n", false), None);
        assert_eq!(both("own: 1\n", "a: 2\n", false), None);
        assert_eq!(both("own: 1\n", "a: 2\n", true), Some(Ends::Open));
        assert_eq!(both("own: 1\n", "a: 2;\n", true), Some(Ends::Whole));
        assert_eq!(both("own: 1\n", "a: 2 // last\n", true), None, "no place for a mark");
        assert_eq!(both("a: 1\n", "a: 2\n", true), None);
    }

    #[test]
    fn where_indentation_is_meaning_a_declaration_needs_no_mark() {
        let both = |site, release| both(site, release, false, Blanks::IndentIsMeaning);
        assert_eq!(both("  own 1\n", "  a 2\n  &:hover\n    own 3\n"), Some(Ends::Whole));
        assert_eq!(both("  own: 1\n", "  own: 2\n"), None);
        assert_eq!(both("    own: 1\n  &:hover\n    b: 2\n", "    a: 1\n"), None, "it goes on further out");
        assert_eq!(both("  own: 1\n", "    a: 1\n"), None, "another block");
    }

    #[test]
    fn declarations_that_bear_on_one_another_stand_in_order() {
        let lines = |text: &'static str| split_lines(text.as_bytes());
        let dialect = Dialect { declarations: true, ..Dialect::default() };
        let in_any_order = |a, b| independent(&lines(a), &lines(b), &dialect);
        assert!(in_any_order("  top: 1px;\n  color: red;\n", "  border-top: 0;\n"));
        assert!(!in_any_order("  border: 0;\n", "  border-top: 0;\n"), "a part of it");
        assert!(!in_any_order("  top: 1px;\n", "  .a { color: red; }\n"), "a rule");
        assert!(!in_any_order("  top: 1px;\n", "    left: 0;\n"), "another rule's");
    }
}
