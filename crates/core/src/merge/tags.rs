//! Tags of markup: attributes as a set by name, classes as a set that keeps order.

mod classes;
mod code_tags;
mod list_edits;
mod tag;

use super::Dialect;
use super::inline_style::merge_declarations;
use super::tokens::{merge_prose, merge_tokens};
use classes::merge_words;
pub(super) use code_tags::block_step;
pub(crate) use code_tags::{INNER, template_end};
use list_edits::ListEdits;
pub(crate) use tag::{Piece, Tag, tag_end};
pub(super) use tag::{in_double_quotes, quoted_end};

/// Lists with more entries, and tags with more attributes, are asked about: each entry is looked for in the others.
const LONGEST: usize = 1000;

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
        let finer = || merge_tokens(b, s, r, &Dialect::default()).filter(|_| blocks);
        merge_words(b, s, r).or_else(finer)?
    } else if release.name.eq_ignore_ascii_case(b"style") {
        let styles = Dialect { declarations: true, ..Dialect::default() };
        merge_declarations(b, s, r).or_else(|| merge_tokens(b, s, r, &styles))?
    } else {
        merge_prose(b, s, r)?
    };
    in_quotes(&merged)
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
}
