//! Lists of classes: sets that keep order.

use super::LONGEST;
use super::code_tags::{block_step, template_end};
use super::list_edits::ListEdits;
use super::tag::blanks;

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

/// Merges class lists as sets that keep order: what a side put in place of an entry stands in its place, and where
/// both added, the release's comes first, but at the start the site's. `None` where both put another class in the place
/// of the same one, or a class stands twice.
pub(super) fn merge_words(base: &[u8], site: &[u8], release: &[u8]) -> Option<Vec<u8>> {
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
}
