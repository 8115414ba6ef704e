//! Lines of many statements, as tools write them: merged statement by statement, each as a line of its own, before their
//! words are looked at.

use super::checked::Versions;
use super::tokens::items;
use super::{Dialect, EditFate, MergeOptions, Step, Trust};
use crate::text::key::Blanks;

/// Lines of fewer statements are merged by words alone.
const MANY: usize = 3;
/// Longer ones, in bytes, are not cut.
const LONGEST: usize = 1 << 19;

/// Merges three versions of one line statement by statement; `None` where it has few, where that leaves a question, where
/// a statement moved or, in scripts, both sides changed one, and under strict trust.
pub(super) fn merge_by_statements(
    versions: [&[u8]; 3],
    dialect: &Dialect,
    options: &MergeOptions,
) -> Option<Vec<u8>> {
    let is_code = dialect.declarations || dialect.strings;
    let is_one_line = |text: &&[u8]| text.len() <= LONGEST && !text.iter().any(|byte| b"\r\n".contains(byte));
    let is_meant = is_code && !dialect.markup && dialect.blanks == Blanks::AreForm;
    if options.trust == Trust::Strict || !is_meant || !versions.iter().all(is_one_line) {
        return None;
    }
    let [base, site, release] = versions.map(|text| cut(text, dialect));
    if [&base, &site, &release].iter().any(|text| text.iter().filter(|byte| **byte == b'\n').count() < MANY) {
        return None;
    }
    let of_style = dialect.declarations;
    // Every blank counts: the line is put together again from its pieces.
    let dialect = Dialect { blanks: Blanks::AreContent, ..*dialect };
    let merged = Versions::new([&base, &site, &release], &dialect, options).merge(&[]);
    // In scripts tools give short names anew with each release: words do not tell which statement became which.
    let is_plain = |edit: &EditFate| match edit.step {
        None | Some(Step::Neighbour) => true,
        step => step == Some(Step::Words) && of_style,
    };
    let settled = merged.decisions.is_empty() && merged.edits.iter().all(is_plain);
    settled.then(|| merged.bytes.into_iter().filter(|byte| *byte != b'\n').collect())
}

/// A line with a line end behind each statement and block, and in code behind each entry; but none within round or square
/// brackets.
fn cut(text: &[u8], dialect: &Dialect) -> Vec<u8> {
    let mut out = Vec::with_capacity(text.len() + text.len() / 8);
    let mut open: Vec<u8> = Vec::new();
    for item in items(text, dialect) {
        out.extend_from_slice(item.lead);
        out.extend_from_slice(item.text);
        let within = |open: &[u8]| open.last().is_some_and(|bracket| b"([".contains(bracket));
        match item.text {
            [bracket @ (b'{' | b'(' | b'[')] => open.push(*bracket),
            b"}" | b")" | b"]" => drop(open.pop()),
            _ => {}
        }
        let ends = match item.text {
            b";" | b"{" | b"}" => true,
            b"," => !dialect.declarations && open.last() == Some(&b'{'),
            _ => false,
        };
        if ends && !within(&open) {
            out.push(b'\n');
        }
    }
    if out.last() != Some(&b'\n') {
        out.push(b'\n');
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::theme::{Kind, dialect_of};

    #[test]
    fn lines_are_cut_behind_statements_and_not_within_values() {
        let cut = |text: &str, path: &str, kind: Kind| {
            String::from_utf8(cut(text.as_bytes(), &dialect_of(path, kind, text.as_bytes()))).unwrap()
        };
        assert_eq!(
            cut(".a{top:0;src:url(data:x;y)} .b{c:\";\"}", "a.css", Kind::Style),
            ".a{\ntop:0;\nsrc:url(data:x;y)}\n .b{\nc:\";\"}\n"
        );
        assert_eq!(cut("f({a:1,b:[1,2]},c);g()", "a.js", Kind::Script), "f({\na:1,\nb:[1,2]},c);\ng()\n");
    }

    fn merged(versions: [&str; 3], dialect: &Dialect) -> Option<String> {
        let merged = merge_by_statements(versions.map(str::as_bytes), dialect, &MergeOptions::default());
        merged.map(|text| String::from_utf8(text).unwrap())
    }

    #[test]
    fn names_of_a_script_that_a_tool_gave_anew_tell_nothing() {
        let script = dialect_of("a.js", Kind::Script, b"");
        let base = "!function(){var f=1,g=t.getBody().dir,p=g?' dir='+i(g):'';return p+n}();go();";
        let release = "!function(){var o=1,p=e.getBody().dir,w=p?' dir='+a(p):'';return w+l}();go();";
        assert_eq!(merged([base, &base.replace("p=g", "own=g"), release], &script), None);
        let own = |text: &str| text.replace("go()", "stay()");
        assert_eq!(merged([base, &own(base), release], &script), Some(own(release)));
    }

    #[test]
    fn a_statement_beside_one_that_is_gone_is_changed() {
        let style = dialect_of("a.css", Kind::Style, b"");
        let merge = |versions| merged(versions, &style);
        let base = ".bar li{top:0} .bar li.on a{top:1px;left:0} .bar li small{top:2px} .end{top:3px}";
        let site = base.replace("small", "tiny");
        let release = base.replace(" .bar li.on a{top:1px;left:0}", "");
        assert_eq!(merge([base, &site, &release]), Some(release.replace("small", "tiny")));
        assert_eq!(merge([base, &site, &base.replace("small", "big")]), None);
    }
}
