//! The merge one level finer: words, marks, strings and whole tags as items.
//!
//! Two edits are both done when they sit in different slots: an item that both kept and that divides (a word, a
//! comma, an assignment) stands between them, or one of them is inside a tag that the other does not touch. Whatever is
//! closer is one value, and a value that both changed is a question. No token comes out that neither side wrote.
//!
//! * [`mod@items`]: what a text is cut into
//! * [`edits`]: what a side changed
//! * [`plan`]: which changes are done, in which order
//! * [`mod@write`]: the result, in the release's form

mod edits;
mod items;
mod plan;
mod write;

use std::ops::Range;

use super::Dialect;
use super::slots::Slots;
use crate::diff::{Edit, Interner, kept_pairs};
use crate::text::{Spelling, both, of_each};
use edits::token_edits;
pub(super) use items::{Item, Sort, items, key_in_any_form, string_end};
use plan::combine;
use write::write;
pub(super) use write::{Written, WrittenLine};

/// Numbers what items are compared by.
fn number<'a>(items: &[Item<'a>], interner: &mut Interner<'a>, dialect: &Dialect) -> Vec<u32> {
    (0..items.len()).map(|at| interner.number(key_in_any_form(items, at, dialect))).collect()
}

/// One version of a text.
pub(super) struct Version<'a> {
    pub(super) items: Vec<Item<'a>>,
    keys: Vec<u32>,
}

impl<'a> Version<'a> {
    /// The text of a single item.
    fn only(&self, range: &Range<usize>) -> Option<&'a [u8]> {
        (range.len() == 1).then(|| self.items[range.start].text)
    }
}

/// Cuts three versions into items, numbered alike.
fn versions<'a>(texts: [&'a [u8]; 3], dialect: &Dialect) -> [Version<'a>; 3] {
    let mut interner = Interner::new();
    of_each(texts, |text| items(text, dialect)).map(|items| {
        let keys = number(&items, &mut interner, dialect);
        Version { items, keys }
    })
}

/// Merges quoted texts by their words, in the release's quotes, and those in backquotes by their expressions or
/// declarations.
fn merge_strings(base: &[u8], site: &[u8], release: &[u8]) -> Option<Vec<u8>> {
    if [base, site, release].iter().all(|text| text.starts_with(b"`")) {
        return merge_expressions(base, site, release).or_else(|| merge_styles([base, site, release]));
    }
    let quoted = |text: &&[u8]| text.len() >= 2 && matches!(text[0], b'"' | b'\'') && text.ends_with(&text[..1]);
    let [b, s, r] = [base, site, release].map(|text| Some(text).filter(quoted).map(|t| &t[1..t.len() - 1]));
    let (merged, quote) = (merge_prose(b?, s?, r?)?, &release[..1]);
    // The site's words may hold what ends the text in other quotes than its own.
    let safe = site.starts_with(quote) || !merged.contains(&quote[0]);
    safe.then(|| [quote, &merged, quote].concat())
}

/// Items from which on both sides are compared with the base at the same time.
const LARGE: usize = 1 << 14;
/// Which share of the base's words both sides must have kept for a merge of several lines to be sensible.
const KEPT_SHARE: f32 = 0.5;

/// How many items a line that was kept together may have become for each that was kept.
const TOGETHER: usize = 3;

/// Merges three versions of a short text by its words; `None` where it cannot be sure.
///
/// The result is written in the release's form.
pub(crate) fn merge_tokens(base: &[u8], site: &[u8], release: &[u8], dialect: &Dialect) -> Option<Vec<u8>> {
    let [base, site, release] = versions([base, site, release], dialect);
    let slots = Slots::of(&base, dialect);
    merge_items(&base, &site, &release, &slots, dialect, false).map(|merged| merged.text)
}

/// Merges three versions of a stretch of several lines by its words; `None` where it cannot be sure, and where a side
/// did not keep most of the base's words.
pub(super) fn merge_stretch(base: &[u8], site: &[u8], release: &[u8], dialect: &Dialect) -> Option<Written> {
    let [base, site, release] = versions([base, site, release], dialect);
    let slots = Slots::of(&base, dialect);
    merge_items(&base, &site, &release, &slots, dialect, true)
}

/// Tells whether one side changed a value that the other wrote in another spelling: a release that a formatter went
/// over says nothing new with it, but both changed the same word.
pub(crate) fn respells_what_changed(base: &[u8], site: &[u8], release: &[u8], dialect: &Dialect) -> bool {
    let [base, site, release] = versions([base, site, release], dialect);
    let edits = [&site, &release].map(|side| token_edits(&base, side, dialect));
    both_wrote(&base, [&site, &release], [&edits[0], &edits[1]], dialect)
}

/// Tells by the edits of both sides whether one of them changed a value that the other wrote in another spelling.
fn both_wrote(base: &Version<'_>, sides: [&Version<'_>; 2], edits: [&[Edit]; 2], dialect: &Dialect) -> bool {
    let spelling = dialect.spelling();
    if dialect.respelled || spelling == Spelling::One {
        return false;
    }
    let respells = |side: &Version<'_>, own: &[Edit], others: &[Edit]| {
        let mut changed = others.iter().filter(|edit| !edit.new.is_empty()).peekable();
        kept_pairs(own, base.items.len()).any(|(i, j)| {
            let (old, new) = (base.items[i].text, side.items[j].text);
            while changed.next_if(|edit| edit.old.end <= i).is_some() {}
            let is_changed = changed.peek().is_some_and(|edit| edit.old.contains(&i));
            is_changed && old != new && spelling.plain(old) == spelling.plain(new)
        })
    };
    respells(sides[0], edits[0], edits[1]) || respells(sides[1], edits[1], edits[0])
}

/// Merges three versions of a text within quotes by its words, where it is one: several words, and no address.
/// A word or a comma that both kept must stand between the edits.
pub(crate) fn merge_prose(base: &[u8], site: &[u8], release: &[u8]) -> Option<Vec<u8>> {
    let is_text = |t: &&[u8]| t.trim_ascii().contains(&b' ') && !t.windows(3).any(|w| w == b"://");
    if ![base, site, release].iter().all(is_text) {
        return None;
    }
    let dialect = Dialect::default();
    let [base, site, release] = versions([base, site, release], &dialect);
    merge_items(&base, &site, &release, &Slots::of_text(&base), &dialect, false).map(|merged| merged.text)
}

/// Merges three versions of a text in backquotes of which both sides changed nothing but expressions.
fn merge_expressions(base: &[u8], site: &[u8], release: &[u8]) -> Option<Vec<u8>> {
    let dialect = Dialect::default();
    let [base, site, release] = versions([base, site, release], &dialect);
    let [site_edits, release_edits] = [&site, &release].map(|side| token_edits(&base, side, &dialect));
    let slots = Slots::of_expressions(&base, &[&site_edits, &release_edits])?;
    merge_items(&base, &site, &release, &slots, &dialect, false).map(|merged| merged.text)
}

/// Merges three versions of a text in backquotes by their declarations, where that is what they look like.
fn merge_styles(texts: [&[u8]; 3]) -> Option<Vec<u8>> {
    let are_declarations = |text: &[u8]| text.contains(&b';') && text.contains(&b':') && !text.contains(&b'<');
    if !texts.into_iter().all(are_declarations) {
        return None;
    }
    let dialect = Dialect { declarations: true, ..Dialect::default() };
    let [base, site, release] = versions(texts, &dialect);
    merge_items(&base, &site, &release, &Slots::of(&base, &dialect), &dialect, false).map(|merged| merged.text)
}

fn merge_items(
    base: &Version<'_>,
    site: &Version<'_>,
    release: &Version<'_>,
    slots: &Slots,
    dialect: &Dialect,
    whole_lines: bool,
) -> Option<Written> {
    let is_large = base.items.len() > LARGE;
    let (site_edits, release_edits) =
        both(is_large, || token_edits(base, site, dialect), || token_edits(base, release, dialect));
    if whole_lines && (!mostly_kept(base, site, &site_edits) || !mostly_kept(base, release, &release_edits)) {
        return None;
    }
    if whole_lines
        && !(keeps_lines_of(base, [site, release], [&site_edits, &release_edits])
            && keeps_lines_of(base, [release, site], [&release_edits, &site_edits]))
    {
        return None;
    }
    if both_wrote(base, [site, release], [&site_edits, &release_edits], dialect) {
        return None;
    }
    let plan = combine(base, site, release, &site_edits, &release_edits, slots, dialect)?;
    write([base, site, release], [&site_edits, &release_edits], &plan, dialect)
}

/// A tag that became another tag counts as kept: its attributes are looked at one by one.
fn mostly_kept(base: &Version<'_>, side: &Version<'_>, edits: &[Edit]) -> bool {
    let solid = |range: Range<usize>| base.items[range].iter().filter(|i| i.solid()).count();
    let replaced = edits.iter().filter(|e| !is_tag_change(base, side, e));
    let gone: usize = replaced.map(|e| solid(e.old.clone())).sum();
    let all = solid(0..base.items.len());
    all > 0 && (all - gone) as f32 >= all as f32 * KEPT_SHARE
}

/// Tells whether the second side kept half of each line within which the first put something in, and kept it together:
/// else it may be another line. A tag that became another counts as kept.
fn keeps_lines_of(base: &Version<'_>, [side, other]: [&Version<'_>; 2], [edits, others]: [&[Edit]; 2]) -> bool {
    let breaks = |item: &Item<'_>| item.lead.contains(&b'\n');
    let begins = |at: usize| at == 0 || base.items.get(at).is_none_or(breaks);
    let mut starts: Vec<usize> = (0..base.items.len()).filter(|at| begins(*at)).collect();
    starts.push(base.items.len());
    let line_of = |at: usize| starts.partition_point(|start| *start <= at).saturating_sub(1);
    let mut kept = vec![None; base.items.len()];
    kept_pairs(others, base.items.len()).for_each(|(i, j)| kept[i] = Some(j));
    for edit in others.iter().filter(|edit| is_tag_change(base, other, edit)) {
        kept[edit.old.start] = Some(edit.new.start);
    }
    let within_a_line = |edit: &&Edit| {
        let own_line = || breaks(&side.items[edit.new.start]) && begins(edit.old.start);
        edit.old.is_empty() && edit.old.start > 0 && !own_line()
    };
    edits.iter().filter(within_a_line).all(|edit| {
        let line = line_of(edit.old.start - 1);
        let line = &kept[starts[line]..starts[line + 1]];
        let there: Vec<usize> = line.iter().flatten().copied().collect();
        let spread = there.first().zip(there.last()).map_or(0, |(first, last)| last + 1 - first);
        line.len() <= there.len() * 2 && spread <= there.len() * TOGETHER
    })
}

/// Tells whether an edit turns one tag into another.
fn is_tag_change(base: &Version<'_>, side: &Version<'_>, edit: &Edit) -> bool {
    let tag = |v: &Version<'_>, range: &Range<usize>| range.len() == 1 && v.items[range.start].sort == Sort::Tag;
    tag(base, &edit.old) && tag(side, &edit.new)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn merge(dialect: &Dialect, base: &str, site: &str, release: &str) -> Option<String> {
        merge_tokens(base.as_bytes(), site.as_bytes(), release.as_bytes(), dialect)
            .map(|t| String::from_utf8(t).unwrap())
    }

    const PAGE: Dialect = Dialect {
        markup: true,
        blanks: crate::text::key::Blanks::AreForm,
        insertions: super::super::Insertions::Elements,
        strings: false,
        declarations: false,
        markers: true,
        respelled: false,
    };

    #[test]
    fn styles_in_backquotes_merge_by_declaration() {
        let script = Dialect { strings: true, ..Dialect::default() };
        let (base, own, new) = ("a`x: 1; y: 2 3;`", "a`x: 9; y: 2 3;`", "a`x: 1; y: 2 4;`");
        assert_eq!(merge(&script, base, own, new).unwrap(), "a`x: 9; y: 2 4;`");
        assert_eq!(merge(&script, base, new, &base.replace("2 3", "5 3")), None);
        let page = |text: &str| text.replace("a`", "a`<i>");
        assert_eq!(merge(&script, &page(base), &page(own), &page(new)), None);
    }

    #[test]
    fn edits_with_a_kept_word_between_are_both_done() {
        assert_eq!(
            merge(&PAGE, "the quick brown fox", "the fast brown fox", "the quick brown dog").unwrap(),
            "the fast brown dog"
        );
    }

    #[test]
    fn whole_lines_that_one_side_put_in_are_whole_lines() {
        let code = Dialect { strings: true, ..Dialect::default() };
        let act = |sort: &str, name: &str| format!("@on(save, of={sort})\ndef {name}():\n    run({name})\n");
        let (base, new) = (act("Mill", "turn"), act("Sail", "turn").replace("turn", "set"));
        let site = base.replace("save", "own, save");
        let merged = merge(&code, &base, &site, &format!("{new}{base}"));
        assert_eq!(merged, Some(format!("{new}{site}")));
        let (base, new) =
            ("use { mill, sail } from 'a'; go();", "use { hub } from 'b'; use { mill, vane } from 'a'; go();");
        let merged = merge(&code, base, &base.replace("use", "own"), new);
        assert!(merged.is_none(), "a whole statement came before the word, not the word and half of one behind it");
        let chain = "to(str .drop(/a/, 'b') .drop(/c/, 'd'))";
        let (own, new) =
            (chain.replacen("drop", "own", 1), chain.replace(" .drop(/a/", " .drop(/n/, 'e') .drop(/a/"));
        assert_ne!(merge(&code, chain, &own, &new), Some(new.replacen("drop", "own", 1)));
    }

    #[test]
    fn each_line_of_a_merged_stretch_tells_where_it_comes_from() {
        let code = Dialect { strings: true, ..Dialect::default() };
        let (base, site, release) =
            (b"to(mill,\n  sail)\n\nrest\n", b"own\nto(mill,\n  vane)\n\nrest\n", b"to(\n  mill, sail)\n\nrest\n");
        let merged = merge_stretch(base, site, release, &code).unwrap();
        assert_eq!(merged.text, b"own\nto(\n  mill, vane)\n\nrest\n");
        let told =
            |line: &WrittenLine| (line.place.clone(), line.source.base, line.source.site, line.source.release);
        let of_site = (None, None, Some(0), None);
        let (cut, blank) = ((Some(0..1), None, None, Some(1)), (None, None, None, None));
        assert_eq!(
            merged.lines.iter().take(5).map(told).collect::<Vec<_>>(),
            [of_site, (Some(0..1), Some(0), Some(1), Some(0)), cut, blank, (Some(3..4), Some(3), Some(4), Some(3))]
        );
    }

    #[test]
    fn a_remark_at_the_end_of_a_line_is_no_part_of_what_it_says() {
        let code = Dialect { strings: true, ..Dialect::default() };
        assert_eq!(merge(&code, "x = one", "x = one  # own", "x = two").unwrap(), "x = two  # own");
        let (own, new) = ("& td, /* own */\n& th", "& td,\n& > th");
        assert_eq!(merge(&code, "& td,\n& th", own, new).unwrap(), "& td, /* own */\n& > th");
        assert_eq!(merge(&code, "td,\nth", "td, /* own */\nth", "& td,\n& th").unwrap(), "& td, /* own */\n& th");
        let (own, new) = ("to(a[1], # own\n   b)", "to([*a[1], *c],\n   b)");
        assert_eq!(merge(&code, "to(a[1],\n   b)", own, new).unwrap(), "to([*a[1], *c], # own\n   b)");
        assert_eq!(merge(&code, "x = one", "x = one  # own", "x = one  # new"), None);
        // What is added to a remark is part of what that says.
        assert_eq!(merge(&code, "x = one # just", "x = one # just now", "x = one # only"), None);
    }

    #[test]
    fn what_is_put_into_a_line_does_not_go_into_another() {
        let script = Dialect { strings: true, ..Dialect::default() };
        let whole = |base: &str, site: &str, release: &str| {
            let merged = merge_stretch(base.as_bytes(), site.as_bytes(), release.as_bytes(), &script);
            merged.map(|merged| String::from_utf8(merged.text).unwrap())
        };
        let base = "same: true,\ninside: {\n  'sails': {\n    form: /(^|[^n])s(?:w+|o[^o]+)/,\n";
        let site = base.replace(")/,", ")/, // own");
        let grown = base.replace("same", "equal");
        assert_eq!(whole(base, &site, &grown), Some(site.replace("same", "equal")));
        let other = "same: true\n},\n'names': [\n  {\n    form: /(b(?:begins|ends|stands|goes|comes)s+)[A-Z]w*/,\n";
        assert_eq!(whole(base, &site, other), None);
        // Nor into one that has its words here and there.
        let (base, site) = ("  return this;\n", "  return this; // own\n");
        let spread = "  if (sack) {\n    return this.mill(wind, sail)\n  }\n  return still;\n";
        assert_eq!(whole(base, site, spread), None);
        assert_eq!(
            whole(base, site, "  return this\n    .turn();\n").as_deref(),
            Some("  return this\n    .turn(); // own\n")
        );
    }

    #[test]
    fn one_value_changed_by_both_is_asked() {
        assert_eq!(merge(&PAGE, "Just", "Only", "Just now"), None);
        assert_eq!(merge(&PAGE, "a b", "x b", "y b"), None);
        let style = Dialect { declarations: true, ..Dialect::default() };
        assert_eq!(merge(&style, "margin: 1px 2px 3px;", "margin: 9px 2px 3px;", "margin: 1px 2px 8px;"), None);
        assert_eq!(merge(&style, "a: 1; b: 2;", "a: 9; b: 2;", "a: 1; b: 8;").unwrap(), "a: 9; b: 8;");
        assert_eq!(merge(&style, "rgb(1, 2, 3);", "rgb(9, 2, 3);", "rgb(1, 2, 8);"), None);
        let font = |weight: &str, show: &str| format!("font-weight:{weight};display:{show};src:url(a.svg#a)");
        let merged = merge(&style, &font("normal", "auto"), &font("normal", "block"), &font("400", "auto"));
        assert_eq!(merged, Some(font("400", "block")), "`svg#a` are two words side by side everywhere");
        let call = |r: &str, b: &str| format!("@return rgb(hex({r}), hex($g), hex({b}));");
        assert_eq!(
            merge(&style, &call("$r", "$b"), &call("$x", "$b"), &call("$r", "$y")).unwrap(),
            call("$x", "$y")
        );
        let (own, new) = ("a: var(--#{$own}b);", "--#{$p}b: c;");
        assert_eq!(merge(&style, "a: var(--#{$p}b);", own, new), None, "an interpolation is within a value");
        let border = |width: &str, style: &str, colour: &str| format!("border: {width} {style} {colour};");
        assert_eq!(
            merge(
                &style,
                &border("1px", "solid", "red"),
                &border("2px", "solid", "red"),
                &border("1px", "solid", "teal")
            ),
            Some(border("2px", "solid", "teal"))
        );
        assert_eq!(merge(&style, "a: 1px solid;", "a: 2px solid;", "a: 1px dashed;"), None);
        assert_eq!(merge(&style, "a: 1px solid red;", "a: 1px 2px solid red;", "a: 1px solid teal;"), None);
        let layers = merge(&style, "f: top 1s, left 2s;", "f: top 3s, left 2s;", "f: top 1s, left 4s, all 5s;");
        assert_eq!(layers.unwrap(), "f: top 3s, left 4s, all 5s;");
    }

    #[test]
    fn code_and_remarks_stay_apart_where_lines_were_joined() {
        let code = Dialect { strings: true, ..Dialect::default() };
        let page = Dialect { markup: true, ..Dialect::default() };
        let (base, joined) = ("}\ncatch (e) {\n  stop(e);\n}", "} catch (e) {\n  stop(e);\n}");
        assert_eq!(merge(&code, base, "}\n// own\ncatch (e) {\n  stop(e);\n}", joined), None);
        assert_eq!(merge(&code, base, "}\n/* own */\ncatch (e) {\n  stop(e);\n}", joined).as_deref(), {
            Some("}\n/* own */ catch (e) {\n  stop(e);\n}")
        });
        let (base, split) = ("a(); // see b", "a();\n// see b");
        assert_eq!(merge(&code, base, "a(1); // see b", split).as_deref(), Some("a(1);\n// see b"));
        assert_eq!(merge(&code, "x = 1; // b\ny", "x = 1; // c\ny", "x = 2;\n// b\ny").as_deref(), {
            Some("x = 2;\n// c\ny")
        });
        let (base, joined) = ("f(a,\n  b,\n  c)", "f(\n  a, b, c,\n)");
        for (dialect, remark) in [(&code, "# own"), (&code, "#own"), (&page, "// own")] {
            assert_eq!(merge(dialect, base, &base.replace("b,", &format!("b, {remark}")), joined), None);
        }
        let (base, joined) = ("<?php\n$a = b();\n$c = d(); ?>", "<?php $a = b(); $c = d(); ?>");
        assert_eq!(merge(&page, base, &base.replace("b();", "b(); # own"), joined), None);
        let text = base.replace("b()", "'# 1'");
        assert!(merge(&page, &text, &text.replace("d()", "own()"), &text.replace("\n", " ")).is_some());
        let base = "a(\"#1\", 2) # see b";
        let [own, new] = [base.replace('2', "3"), base.replace("see", "not")];
        assert_eq!(merge(&code, base, &own, &new), Some(own.replace("see", "not")));
    }

    #[test]
    fn conditions_arguments_and_remarks_of_styles_are_slots() {
        let style = Dialect { declarations: true, strings: true, ..Dialect::default() };
        let merged = |b: &str, s: &str, r: &str| merge(&style, b, s, r);
        let media = |least: &str, most: &str| format!("@media (min-width: {least}) and (max-width: {most}) {{");
        assert_eq!(
            merged(&media("1px", "2px"), &media("3px", "2px"), &media("1px", "4px")),
            Some(media("3px", "4px"))
        );
        let call = |name: &str, a: &str, b: &str| format!("a: {name}({a}, {b});");
        let (base, own) = (call("mix", "$a", "$b"), call("mix", "$x", "$b"));
        assert_eq!(merged(&base, &own, &call("mix", "$a", "$y")), Some(call("mix", "$x", "$y")));
        assert_eq!(
            merged(&base, &call("blend", "$a", "$b"), &call("mix", "$a", "$y")),
            None,
            "a name and its argument"
        );
        let remark = |a: &str, b: &str| format!("a: b; // it's {a} and that's {b}");
        assert_eq!(merged(&remark("x1", "y1"), &remark("x2", "y1"), &remark("x1", "y2")), Some(remark("x2", "y2")));
        let goes_on = |a: &str, b: &str| format!(" * Drop it {a} inside {b} (mills).");
        let [base, own, new] = [goes_on("when", "`a`"), goes_on("on", "`a`"), goes_on("when", "links")];
        assert_eq!(merged(&base, &own, &new), Some(goes_on("on", "links")));
        assert_eq!(merged("* html .a .b {", "* html .x .b {", "* html .a .y {"), None);
        assert_eq!(merged("a: b; /* old */", "a: c; /* old */", "a: b; /* new */").unwrap(), "a: c; /* new */");
    }

    #[test]
    fn a_tag_and_its_text_are_different_slots() {
        assert_eq!(
            merge(&PAGE, "<p>Old</p>", "<p class=\"s\">Old</p>", "<p>New</p>").unwrap(),
            "<p class=\"s\">New</p>"
        );
        assert_eq!(
            merge(
                &PAGE,
                "<a href=\"/\" class=\"x\"><b>t</b></a>",
                "<a href=\"/s\" class=\"x\"><b>t</b></a>",
                "<a href=\"/\" class=\"x r\"><b id=\"i\">t</b></a>"
            )
            .unwrap(),
            "<a href=\"/s\" class=\"x r\"><b id=\"i\">t</b></a>"
        );
    }

    #[test]
    fn the_words_of_an_attribute_are_a_text() {
        let meta = |words: &str| format!("<meta name=\"viewport\" content=\"{words}\">");
        let merged = merge(
            &PAGE,
            &meta("width=device-width, initial-scale=1"),
            &meta("width=device-width, initial-scale=2"),
            &meta("width=640, initial-scale=1"),
        );
        assert_eq!(merged.unwrap(), meta("width=640, initial-scale=2"));
    }

    #[test]
    fn the_release_may_have_wrapped_the_line() {
        assert_eq!(
            merge(
                &PAGE,
                "<i a=\"1\" b=\"2\">t</i>",
                "<i a=\"1\" b=\"3\">t</i>",
                "<i\n  a=\"1\"\n  b=\"2\"\n>t</i>"
            )
            .unwrap(),
            "<i\n  a=\"1\"\n  b=\"3\"\n>t</i>"
        );
    }

    #[test]
    fn strings_are_one_value_but_for_the_words_of_a_text() {
        let code = Dialect { strings: true, ..Dialect::default() };
        assert_eq!(merge(&code, "f(\"a/b/c\")", "f(\"x/b/c\")", "f(\"a/b/y\")"), None);
        assert_eq!(merge(&code, "f('0 0 24 24 9')", "f('1 0 24 24 9')", "f('0 0 24 24 8')"), None);
        let (old, own, new) = ("f(\"Visit the old mill\")", "f(\"See the old mill\")", "f('Visit the old mills')");
        assert_eq!(merge(&code, old, own, new).unwrap(), "f('See the old mills')");
        assert_eq!(merge(&code, old, "f(\"It's the old mill\")", new), None, "the release's quotes would end it");
        assert_eq!(merge(&code, old, "f(\"Visit the new mill\")", "f(\"Visit the old mills\")"), None);
        let path =
            |host: &str, name: &str, end: &str| format!("f(`https://{host}/${{{name}}}/${{version}}/{end}`)");
        assert_eq!(
            merge(&code, &path("${a}", "b", "c"), &path("${a}", "own", "c"), &path("${new}", "b", "c")),
            Some(path("${new}", "own", "c"))
        );
        assert_eq!(merge(&code, &path("a", "b", "c"), &path("a", "own", "c"), &path("a", "b", "new")), None);
        assert_eq!(merge(&code, "f(a, b, c)", "f(x, b, c)", "f(a, b, c, d)").unwrap(), "f(x, b, c, d)");
    }
}
