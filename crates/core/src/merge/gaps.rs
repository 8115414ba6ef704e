//! What happens when both sides inserted at one spot.

use super::balance::{depth_of, never_below};
use super::cascade::{Ends, cascade, independent};
use super::lists::First;
use super::members::{entries, is_comment, members};
use super::{Dialect, Insertions, Step, Trust, balance};
use crate::text::key::is_weak;
use crate::text::{Line, joined};

/// The two insertions and where they stand.
pub(crate) struct Gap<'a> {
    pub(crate) site: &'a [Line<'a>],
    pub(crate) site_keys: &'a [u32],
    pub(crate) release: &'a [Line<'a>],
    pub(crate) release_keys: &'a [u32],
    /// What the site put there opens a block of the lines below.
    pub(crate) site_opens: bool,
    /// What the release put there does.
    pub(crate) release_opens: bool,
    /// On both sides the line before the gap ends with a comma.
    pub(crate) both_go_on: bool,
    /// The bracket that the gap is in, as far as can be seen.
    pub(crate) within: Option<u8>,
    /// The base line before and after the gap.
    pub(crate) before: Option<&'a Line<'a>>,
    pub(crate) after: Option<&'a Line<'a>>,
}

/// What comes out.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Union {
    /// The release's insertion says it all.
    Release(Step),
    /// The site's insertion says it all.
    Site(Step),
    /// The release's lines, then the site's.
    Both(Step),
    /// The site's lines, then the release's.
    SiteFirst(Step),
    /// The release's lines, a mark behind its last (a comma in place of a bracket that opens a rule), then the site's.
    Listed(Step, u8),
    /// The order, or what is meant, is open.
    Ask,
}

impl Union {
    fn in_order(first: First, step: Step) -> Self {
        match first {
            First::Site => Union::SiteFirst(step),
            First::Release => Union::Both(step),
        }
    }
}

impl Gap<'_> {
    /// Decides by the rules of the dialect.
    pub(crate) fn unite(&self, dialect: &Dialect, trust: Trust) -> Union {
        let (s, r) = (self.site_keys, self.release_keys);
        // Lone braces stand in every block: that does not make one insertion a part of the other.
        let telling = |lines: &[Line<'_>]| blank(lines) || lines.iter().any(|l| !is_weak(l.trimmed()));
        if s == r || telling(self.site) && contains((self.release, r), (self.site, s)) {
            return Union::Release(Step::Contains);
        }
        if telling(self.release) && contains((self.site, s), (self.release, r)) {
            return Union::Site(Step::Contains);
        }
        if blank(self.site) || blank(self.release) {
            // A blank line is form, and says nothing against the other's lines. The end of a wrap stands against these.
            let closes =
                trust != Trust::Strict && blank(self.release) && edge(self.site, dialect) == Some(Edge::Closes);
            let first = if closes { First::Site } else { First::Release };
            return Union::in_order(first, Step::BothInserted);
        }
        if trust == Trust::Strict {
            return Union::Ask;
        }
        let head = s.iter().zip(r).take_while(|(a, b)| a == b).count();
        let tail = s[head..].iter().rev().zip(r[head..].iter().rev()).take_while(|(a, b)| a == b).count();
        // A common head or tail with words in it means that the two wrote the same thing differently; common
        // braces and blank lines mean nothing.
        let shared = self.site[..head].iter().chain(&self.site[s.len() - tail..]);
        if shared.into_iter().any(|l| !is_weak(l.trimmed())) {
            return Union::Ask;
        }
        if self.adds_selectors(dialect) {
            return Union::Listed(Step::BothInserted, b',');
        }
        let site_whole = whole(self.site, dialect);
        if (self.site_opens && !self.release_opens || !site_whole) && whole(self.release, dialect) {
            return self.beside_wrap(dialect);
        }
        // Behind all that the release has, whatever it closes there.
        let at_end = self.after.is_none() && self.before.is_some();
        if !site_whole || !(at_end || whole(self.release, dialect)) {
            return Union::Ask;
        }
        if let Some(first) = self.at_page_edge().filter(|_| dialect.markup) {
            return Union::in_order(first, Step::Snippet);
        }
        let allowed = match dialect.insertions {
            _ if at_end => true,
            Insertions::Cascade => match cascade(self.site, self.release, self.before_closer(b"}"), dialect) {
                Some(Ends::Whole) => true,
                Some(Ends::Open) if self.can_go_on() => return Union::Listed(Step::BothInserted, b';'),
                Some(Ends::Open) => return Union::Ask,
                None => false,
            },
            Insertions::Members => members(self.site, self.release),
            Insertions::Elements if loads(self.site) && loads(self.release) => true,
            Insertions::Elements | Insertions::Unknown => trust == Trust::Bold,
        };
        if let Some(union) = self.of_entries(dialect) {
            return union;
        }
        let first = if allowed { Some(First::Release) } else { self.first() };
        first.map_or(Union::Ask, |first| Union::in_order(first, Step::BothInserted))
    }

    /// A mark can be put behind the last line of the release.
    fn can_go_on(&self) -> bool {
        self.release.last().is_some_and(|line| !line.is_blank())
    }

    /// The line below the gap begins with one of these brackets.
    fn before_closer(&self, closers: &[u8]) -> bool {
        self.after.and_then(|line| line.trimmed().first()).is_some_and(|first| closers.contains(first))
    }

    /// Both put entries into a list that stand in no order.
    fn of_entries(&self, dialect: &Dialect) -> Option<Union> {
        // An entry with a remark above it begins a paragraph: what has none goes on with the one before.
        let remark = |lines: &[Line<'_>]| {
            lines.iter().map(Line::trimmed).find(|text| !text.is_empty()).is_some_and(is_comment)
        };
        let goes_on = !remark(self.site) && remark(self.release);
        match entries(self.site, self.release, self.within, dialect)? {
            [true, true] if goes_on => Some(Union::SiteFirst(Step::BothInserted)),
            [true, true] | [false, true] => Some(Union::Both(Step::BothInserted)),
            [true, false] => Some(Union::SiteFirst(Step::BothInserted)),
            [false, false] if self.can_go_on() && self.before_closer(b"}])") => {
                Some(Union::Listed(Step::BothInserted, b','))
            }
            [false, false] => None,
        }
    }

    /// Tells whether both added selectors to a rule, behind what was its last.
    fn adds_selectors(&self, dialect: &Dialect) -> bool {
        let selectors = |lines: &[Line<'_>]| {
            let (last, others) = lines.split_last()?;
            let listed = others.iter().all(|line| line.trimmed().ends_with(b","));
            (listed && last.trimmed().ends_with(b"{")).then(|| {
                lines
                    .iter()
                    .map(|line| line.trimmed()[..line.trimmed().len() - 1].trim_ascii_end().to_vec())
                    .collect()
            })
        };
        let (site, release): (Option<Vec<Vec<u8>>>, _) = (selectors(self.site), selectors(self.release));
        let (Some(site), Some(release)) = (site, release) else { return false };
        dialect.declarations
            && self.both_go_on
            && self.before.is_some_and(|line| line.trimmed().ends_with(b"{"))
            && !site.iter().any(|selector| release.contains(selector))
    }

    /// The site wrapped the lines on one side of the gap: its opener stands against the line below, its closer against
    /// the line above, and what the release put at the edge stays outside, unless it is one paragraph and blank lines tell
    /// otherwise.
    fn beside_wrap(&self, dialect: &Dialect) -> Union {
        let outside = match edge(self.site, dialect) {
            Some(Edge::Opens) => First::Release,
            Some(Edge::Closes) => First::Site,
            None if self.site_opens => First::Release,
            None => return Union::Ask,
        };
        let paragraphs = self.release.split(Line::is_blank).filter(|lines| !lines.is_empty()).count();
        Union::in_order(self.first().filter(|_| paragraphs == 1).unwrap_or(outside), Step::BothInserted)
    }

    /// Which insertion stands first, where blank lines tell: one is written against the line before or after the
    /// gap, and the other ends or begins with a blank line on that side.
    fn first(&self) -> Option<First> {
        let solid = |line: Option<&Line<'_>>| line.is_some_and(|l| !l.is_blank());
        let against = |lines: &[Line<'_>]| {
            (solid(self.before) && solid(lines.first()), solid(lines.last()) && solid(self.after))
        };
        let ((site_above, site_below), (release_above, release_below)) =
            (against(self.site), against(self.release));
        let apart = |line: Option<&Line<'_>>| line.is_some_and(Line::is_blank);
        let site_first = release_below && apart(self.site.last()) || site_above && apart(self.release.first());
        let release_first = site_below && apart(self.release.last()) || release_above && apart(self.site.first());
        match (site_first, release_first) {
            (true, false) => Some(First::Site),
            (false, true) => Some(First::Release),
            _ => None,
        }
    }

    /// Which insertion stands first before the end of head or body, or after the opening of body, where snippets go: the
    /// site's is against the edge.
    fn at_page_edge(&self) -> Option<First> {
        let lower = |l: &Line<'_>| l.trimmed().to_ascii_lowercase();
        let ends = |l: Vec<u8>| l.starts_with(b"</head") || l.starts_with(b"</body");
        let begins = |l: Vec<u8>| l.starts_with(b"<body") && l.ends_with(b">");
        match (self.before.map(lower).is_some_and(begins), self.after.map(lower).is_some_and(ends)) {
            (_, true) => Some(First::Release),
            (true, false) => Some(First::Site),
            (false, false) => None,
        }
    }
}

fn blank(lines: &[Line<'_>]) -> bool {
    lines.iter().all(Line::is_blank)
}

/// Tells whether `part` stands within `whole`, line by line; how many blank lines part them is form.
fn contains(whole: (&[Line<'_>], &[u32]), part: (&[Line<'_>], &[u32])) -> bool {
    let solid = |(lines, keys): (&[Line<'_>], &[u32])| -> Vec<u32> {
        lines.iter().zip(keys).filter(|(line, _)| !line.is_blank()).map(|(_, key)| *key).collect()
    };
    let within = |whole: &[u32], part: &[u32]| !part.is_empty() && whole.windows(part.len()).any(|w| w == part);
    if blank(part.0) { within(whole.1, part.1) } else { within(&solid(whole), &solid(part)) }
}

/// Tells whether lines close all that they open, and nothing else.
pub(crate) fn whole(lines: &[Line<'_>], dialect: &Dialect) -> bool {
    let depths: Vec<(i64, i64)> = lines.iter().map(|l| depth_of(l.trimmed(), dialect.markup)).collect();
    never_below(&depths) && balance(&joined(lines), dialect.markup) == super::Balance::default()
}

/// Tells whether lines and others beside them are of a kind that stands in no order, and none is in both: declarations
/// of one rule, named members, entries of a list. `within` is the bracket that they are in.
pub(crate) fn in_no_order(lines: &[Line<'_>], with: &[Line<'_>], within: Option<u8>, dialect: &Dialect) -> bool {
    match dialect.insertions {
        Insertions::Cascade => independent(lines, with, dialect),
        Insertions::Members if members(lines, with) => whole(lines, dialect) && whole(with, dialect),
        _ => entries(lines, with, within, dialect) == Some([true, true]),
    }
}

/// One end of a wrap.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Edge {
    Opens,
    Closes,
}

/// Tells which end of a wrap lines are: those that open and close nothing else, or close.
pub(crate) fn edge(lines: &[Line<'_>], dialect: &Dialect) -> Option<Edge> {
    let depths: Vec<(i64, i64)> = lines.iter().map(|l| depth_of(l.trimmed(), dialect.markup)).collect();
    let net: i64 = depths.iter().map(|(_, net)| net).sum();
    let backwards: Vec<(i64, i64)> = depths.iter().rev().map(|(dip, net)| (dip - net, -net)).collect();
    if net > 0 && never_below(&depths) {
        Some(Edge::Opens)
    } else if net < 0 && never_below(&backwards) {
        Some(Edge::Closes)
    } else {
        None
    }
}

/// Tells whether lines are nothing but elements that load or say something of the page: as with style rules, what comes
/// later wins.
fn loads(lines: &[Line<'_>]) -> bool {
    const ELEMENTS: [&[u8]; 5] = [b"<link", b"<meta", b"<script", b"<style", b"<!--"];
    let mut depth = 0;
    lines.iter().map(Line::trimmed).filter(|text| !text.is_empty()).all(|text| {
        let before = depth;
        depth += depth_of(text, true).1;
        let lower = text[..text.len().min(7)].to_ascii_lowercase();
        before > 0 || ELEMENTS.iter().any(|element| lower.starts_with(element))
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::diff::Interner;
    use crate::text::split_lines;

    fn unite(site: &'static str, release: &'static str, insertions: Insertions, after: Option<&str>) -> Union {
        unite_between("x", site, release, insertions, after)
    }

    fn unite_between(
        before: &str,
        site: &'static str,
        release: &'static str,
        insertions: Insertions,
        after: Option<&str>,
    ) -> Union {
        let mut interner = Interner::new();
        let (s, r) = (split_lines(site.as_bytes()), split_lines(release.as_bytes()));
        let mut keys = |lines: &[Line<'static>]| -> Vec<u32> {
            lines.iter().map(|l| interner.number(l.trimmed().into())).collect()
        };
        let (sk, rk) = (keys(&s), keys(&r));
        let before = split_lines(before.as_bytes());
        let after = after.map(|a| split_lines(a.as_bytes())[0]);
        let gap = Gap {
            site: &s,
            site_keys: &sk,
            release: &r,
            release_keys: &rk,
            site_opens: false,
            release_opens: false,
            both_go_on: false,
            within: None,
            before: before.first(),
            after: after.as_ref(),
        };
        let dialect = Dialect { insertions, markup: insertions == Insertions::Elements, ..Dialect::default() };
        gap.unite(&dialect, Trust::Normal)
    }

    #[test]
    fn style_rules_stack_but_one_property_is_one_value() {
        let both = unite(".a { x: 1; }\n", ".b { y: 2; }\n", Insertions::Cascade, Some("z"));
        assert!(matches!(both, Union::Both(Step::BothInserted)), "{both:?}");
        assert_eq!(unite("color: red;\n", "color: blue;\n", Insertions::Cascade, Some("z")), Union::Ask);
        assert!(matches!(unite("color: red;\n", "margin: 0;\n", Insertions::Cascade, Some("}")), Union::Both(_)));
    }

    #[test]
    fn members_with_one_name_are_asked() {
        let f = "function f() {\n  return 1;\n}\n";
        assert!(matches!(unite(f, "function g() {\n}\n", Insertions::Members, Some("x")), Union::Both(_)));
        assert_eq!(unite(f, "function f() {\n}\n", Insertions::Members, Some("x")), Union::Ask);
        assert_eq!(unite("go();\n", "stay();\n", Insertions::Members, Some("x")), Union::Ask);
    }

    #[test]
    fn elements_are_asked_but_snippets_go_to_the_page_edge() {
        let (a, b) = ("<i>a</i>\n", "<b>b</b>\n");
        assert_eq!(unite(a, b, Insertions::Elements, Some("<p>")), Union::Ask);
        assert!(matches!(unite(a, b, Insertions::Elements, Some("</head>")), Union::Both(Step::Snippet)));
        let behind_body = unite_between("<body>", a, b, Insertions::Elements, Some("<p>"));
        assert!(matches!(behind_body, Union::SiteFirst(Step::Snippet)));
        assert!(matches!(unite(a, b, Insertions::Elements, None), Union::Both(_)));
        let (own, new) = ("<script>\n  own();\n</script>\n", "<link rel=\"icon\" href=\"x\">\n");
        assert!(matches!(unite(own, new, Insertions::Elements, Some("<p>")), Union::Both(_)));
        assert_eq!(unite(own, b, Insertions::Elements, Some("<p>")), Union::Ask);
    }

    #[test]
    fn a_blank_line_tells_which_stands_first() {
        let unite = |site, release| unite(site, release, Insertions::Unknown, Some("z"));
        assert!(matches!(unite("s\n", "r\n\n"), Union::Both(_)), "the site's stands against z");
        assert!(matches!(unite("s\n\n", "r\n"), Union::SiteFirst(_)), "the release's stands against z");
        assert!(matches!(unite("\ns\n", "r\n"), Union::Both(_)), "the release's stands against x");
        assert_eq!(unite("s\n", "r\n"), Union::Ask);
        assert_eq!(unite("s\n\n", "r\n\n"), Union::Ask);
        assert_eq!(unite("} s {\n", "r\n\n"), Union::Ask, "neither closes what it opens");
    }

    #[test]
    fn what_the_release_put_at_the_edge_of_a_wrap_stays_outside() {
        let unite = |site, release| unite(site, release, Insertions::Unknown, Some("z"));
        assert!(matches!(unite("if (own) {\n", "r\n"), Union::Both(_)));
        assert!(matches!(unite("}\n", "r\n"), Union::SiteFirst(_)));
        assert!(matches!(unite("}\n", "r\n\n"), Union::Both(_)), "the release's stands against x");
        assert!(matches!(unite("}\n", "r\n\nr\n\n"), Union::SiteFirst(_)), "only its first does");
        assert_eq!(unite("} else {\n", "r\n"), Union::Ask);
        assert_eq!(unite("if (own) {\n", "if (new) {\n"), Union::Ask, "both wrapped");
    }

    #[test]
    fn one_insertion_may_contain_the_other() {
        assert_eq!(
            unite("one\ntwo\nthree\n", "two\n", Insertions::Unknown, Some("z")),
            Union::Site(Step::Contains)
        );
        assert_eq!(unite("\n", "b\n", Insertions::Unknown, Some("z")), Union::Both(Step::BothInserted));
        assert_eq!(unite("\n", "b\n\n", Insertions::Unknown, Some("z")), Union::Release(Step::Contains));
        let both = unite("a {\n}\n", "}\n", Insertions::Unknown, None);
        assert_eq!(both, Union::Both(Step::BothInserted), "the brace is another one");
    }
}
