//! Counting what opens and closes, before trusting a result.
//!
//! Edits done once each change the counts additively: result = site + release - base. A closer that was deleted
//! twice, or a block that went in twice, breaks the sum. The counts need no grammar and are blind to strings
//! and comments alike on all sides, so they compare even where they are wrong in absolute terms.

use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::hash::BuildHasher;

use foldhash::fast::FixedState;

use crate::text::Spelling;
use crate::text::token::{Tokens, tokens};

/// By how much each kind of opener outnumbers its closer in a text.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Balance {
    counts: BTreeMap<Vec<u8>, i64>,
}

/// Elements that need no closing tag.
const VOID: [&[u8]; 14] = [
    b"area", b"base", b"br", b"col", b"embed", b"hr", b"img", b"input", b"link", b"meta", b"param", b"source",
    b"track", b"wbr",
];

/// Counts brackets, and tags and template blocks where the text is markup.
pub fn balance(text: &[u8], markup: bool) -> Balance {
    let mut counts: BTreeMap<Vec<u8>, i64> = BTreeMap::new();
    each_bracket(text, markup, |_, kind, n| {
        if let Some(count) = counts.get_mut(kind) {
            *count += n;
        } else {
            counts.insert(kind.to_vec(), n);
        }
    });
    counts.retain(|_, n| *n != 0);
    Balance { counts }
}

/// Finds which brackets, tags and template blocks of a text open and close one another, each kind by itself: the places
/// in bytes of opener and closer. What is never closed, or was never opened, is left out.
pub(crate) fn bracket_pairs(text: &[u8], markup: bool) -> Vec<(usize, usize)> {
    let mut open: HashMap<Vec<u8>, Vec<usize>> = HashMap::new();
    let mut pairs = Vec::new();
    each_bracket(text, markup, |at, kind, n| {
        if !open.contains_key(kind) {
            open.insert(kind.to_vec(), Vec::new());
        }
        let Some(openers) = open.get_mut(kind) else { return };
        for _ in 0..n.unsigned_abs() {
            if n > 0 {
                openers.push(at);
            } else if let Some(opener) = openers.pop() {
                pairs.push((opener, at));
            }
        }
    });
    pairs
}

/// Tells whether the brackets of a text close one another in order, whatever their kind.
pub(crate) fn nests(text: &[u8]) -> bool {
    unpaired(text) == 0
}

/// Counts the brackets of a text that close none of their kind, or are not closed, in order.
pub(crate) fn unpaired(text: &[u8]) -> u64 {
    let mut open = Vec::new();
    let mut astray = 0;
    each_bracket(text, false, |_, kind, n| {
        let kind = kind.first().copied();
        for _ in 0..n.unsigned_abs() {
            if n > 0 {
                open.push(kind);
            } else if open.last() == Some(&kind) {
                open.pop();
            } else {
                astray += 1;
            }
        }
    });
    astray + open.len() as u64
}

/// Tells whether the tags and template blocks of a text close one another in order, of the kinds that are meant.
pub(crate) fn tags_nest(text: &[u8], is_meant: impl Fn(&[u8]) -> bool) -> bool {
    let mut open: Vec<Vec<u8>> = Vec::new();
    let mut nest = true;
    each_bracket(text, true, |_, kind, n| {
        if is_bracket(kind) || !is_meant(kind) {
            return;
        }
        for _ in 0..n.unsigned_abs() {
            if n > 0 { open.push(kind.to_vec()) } else { nest &= open.pop().is_some_and(|last| last == kind) }
        }
    });
    nest && open.is_empty()
}

/// Tells a bracket from a tag or a template block.
fn is_bracket(kind: &[u8]) -> bool {
    matches!(kind, b"{" | b"(" | b"[" | b"<!--")
}

/// Tells of each bracket, tag and template block where it stands (in bytes), of which kind it is, and how many it opens
/// (closes, where negative).
pub(crate) fn each_bracket(text: &[u8], markup: bool, mut found: impl FnMut(usize, &[u8], i64)) {
    let mut list = tokens(text);
    let mut end = 0;
    while let Some(token) = list.next() {
        let at = end + token.lead.len();
        end = at + token.text.len();
        let mut add = |kind: &[u8], n: i64| found(at, kind, n);
        let braces = |brace: u8| token.text.iter().filter(|b| **b == brace).count() as i64;
        match token.text {
            b"{" => add(b"{", 1),
            b"}" => add(b"{", -1),
            b"{{" | b"{%" | b"{{-" | b"{%-" => {
                add(b"{", braces(b'{'));
                if let Some(word) = block_word(list.clone()) {
                    count_block(word, &mut add);
                }
            }
            b"{{{" => add(b"{", 3),
            b"}}" | b"%}" | b"-}}" | b"-%}" | b"}}}" => add(b"{", -braces(b'}')),
            b"(" => add(b"(", 1),
            b")" => add(b"(", -1),
            b"[" => add(b"[", 1),
            b"]" => add(b"[", -1),
            b"<!--" => add(b"<!--", 1),
            b"-->" => add(b"<!--", -1),
            b"<" if markup => {
                if let Some(name) = tag_name(&list).filter(|name| name[0].is_ascii_alphabetic()) {
                    let name = name.to_ascii_lowercase();
                    if !VOID.contains(&name.as_slice()) && !self_closes(list.clone()) {
                        add(&[b"<", name.as_slice()].concat(), 1);
                    }
                }
            }
            b"</" if markup => {
                if let Some(name) = tag_name(&list) {
                    add(&[b"<", name.to_ascii_lowercase().as_slice()].concat(), -1);
                }
            }
            _ => {}
        }
    }
}

/// Returns the token that follows a tag's opening bracket at once.
fn tag_name<'a>(rest: &Tokens<'a>) -> Option<&'a [u8]> {
    rest.clone().next().filter(|next| next.lead.is_empty() && !next.text.is_empty()).map(|next| next.text)
}

/// Returns the word that leads a template tag, of the tokens after its opening bracket.
fn block_word<'a>(mut rest: Tokens<'a>) -> Option<&'a [u8]> {
    let word = rest.find(|t| !matches!(t.text, b"#" | b"-" | b"~"))?.text;
    // `{{/name}}` closes what `{{#name}}` opened: counted by `count_block` through the slash.
    if word == b"/" { rest.next().map(|_| word) } else { Some(word) }
}

/// Counts template blocks by their words: `if … endif`, `{{#name}} … {{/name}}`.
fn count_block(word: &[u8], add: &mut impl FnMut(&[u8], i64)) {
    const OPENERS: [&[u8]; 8] = [b"if", b"for", b"foreach", b"while", b"unless", b"block", b"with", b"each"];
    if OPENERS.contains(&word) {
        add(b"{%", 1);
    } else if let Some(rest) = word.strip_prefix(b"#") {
        if !rest.is_empty() {
            add(b"{{#", 1);
        }
    } else if word == b"/" {
        add(b"{{#", -1);
    } else if word.strip_prefix(b"end").is_some_and(|rest| rest.is_empty() || OPENERS.contains(&rest)) {
        add(b"{%", -1);
    }
}

/// Tells whether a tag ends in `/>`, by the tokens after its opening bracket.
fn self_closes(rest: Tokens<'_>) -> bool {
    rest.take(200).find(|t| matches!(t.text, b">" | b"/>" | b"</")).is_some_and(|t| t.text == b"/>")
}

/// How many levels a line closes before it opens any, as a negative number, and how many it opens on the whole.
pub(crate) fn depth_of(line: &[u8], markup: bool) -> (i64, i64) {
    let remark = remark_step(line);
    let closes = matches!(line.first(), Some(b'}' | b')' | b']')) || line.starts_with(b"</") || closes_block(line);
    let net = balance(line, markup).net() + remark;
    (net.min(-i64::from(closes || remark < 0)), net)
}

/// Returns 1 for a line that begins a remark `/* …` and does not end it, -1 for one that ends what another began.
fn remark_step(line: &[u8]) -> i64 {
    let has = |mark: &[u8]| line.windows(2).any(|w| w == mark);
    i64::from(line.starts_with(b"/*") && !has(b"*/")) - i64::from(line.ends_with(b"*/") && !has(b"/*"))
}

/// Tells whether a template tag at the start of a line ends or divides a block (`{% endif %}`, `<% } %>`, `{{/if}}`).
fn closes_block(line: &[u8]) -> bool {
    let Some(open) = [b"{{".as_slice(), b"{%", b"<%", b"<?", b"{"].into_iter().find(|o| line.starts_with(o)) else {
        return false;
    };
    let word = line[open.len()..].strip_prefix(b"php").unwrap_or(&line[open.len()..]);
    let lead = word.iter().take_while(|b| b.is_ascii_whitespace() || b"-~_#=".contains(b)).count();
    [b"end".as_slice(), b"else", b"elif", b"}", b"/"].iter().any(|end| word[lead..].starts_with(end))
}

/// Tells whether lines close nothing that they did not open, by the depths of each.
pub(crate) fn never_below(depths: &[(i64, i64)]) -> bool {
    let mut depth = 0;
    depths.iter().all(|(dip, net)| {
        let low = depth + dip;
        depth += net;
        low >= 0
    })
}

impl Balance {
    /// Tells whether as many of a kind are closed as are opened.
    pub(crate) fn is_even(&self, kind: &[u8]) -> bool {
        !self.counts.contains_key(kind)
    }

    /// How many more are opened than closed, of all kinds.
    pub(crate) fn net(&self) -> i64 {
        self.counts.values().sum()
    }

    /// Tells whether a text closes as much as all of some others do, where they agree on it.
    pub(crate) fn closes_like(&self, others: &[Balance; 3]) -> bool {
        self.distance_from(others) == 0
    }

    /// Counts what a text opens or closes more than all of some others do, where they agree on it.
    pub(crate) fn distance_from(&self, others: &[Balance; 3]) -> u64 {
        let kinds: BTreeSet<_> = others.iter().chain([self]).flat_map(|balance| balance.counts.keys()).collect();
        let distance = |kind: &Vec<u8>| {
            let of = |balance: &Balance| balance.counts.get(kind).copied().unwrap_or(0);
            let [a, b, c] = others.each_ref().map(of);
            if a == b && b == c { of(self).abs_diff(a) } else { 0 }
        };
        kinds.into_iter().map(distance).sum()
    }

    /// Adds what a text opens and closes so many times.
    pub(crate) fn add(&mut self, other: &Balance, times: i64) {
        for (kind, n) in &other.counts {
            *self.counts.entry(kind.clone()).or_default() += n * times;
        }
    }

    /// Tells whether a result's counts can come from doing both sides' edits once each.
    ///
    /// Where only one side changed a count, the result must have that side's; where both changed it differently,
    /// the sum of the two changes; where both changed it alike, the change once.
    pub fn follows(result: &Balance, base: &Balance, site: &Balance, release: &Balance) -> bool {
        result.each_kind_is(base, site, release, |got, b, s, r| got == if s == r { r } else { s + r - b })
    }

    /// Tells the same where changes that both made alike may be two.
    pub(crate) fn may_follow(&self, base: &Balance, site: &Balance, release: &Balance) -> bool {
        self.each_kind_is(base, site, release, |got, b, s, r| got == s + r - b || s == r && got == r)
    }

    fn each_kind_is(
        &self,
        base: &Balance,
        site: &Balance,
        release: &Balance,
        fits: impl Fn(i64, i64, i64, i64) -> bool,
    ) -> bool {
        let keys = [self, base, site, release].map(|b| b.counts.keys());
        keys.into_iter().flatten().all(|key| {
            let get = |b: &Balance| b.counts.get(key).copied().unwrap_or(0);
            fits(get(self), get(base), get(site), get(release))
        })
    }
}

/// How often each token stands in a text, in whatever spelling and quotes.
#[derive(Debug, Clone)]
pub(crate) struct WordCount {
    spelling: Spelling,
    times: HashMap<u64, i64, FixedState>,
}

impl WordCount {
    pub(crate) fn of(text: &[u8], spelling: Spelling) -> Self {
        let mut count = WordCount { spelling, times: HashMap::default() };
        count.add(text, 1);
        count
    }

    /// Adds the tokens of a text so many times.
    pub(crate) fn add(&mut self, text: &[u8], times: i64) {
        let hasher = FixedState::with_seed(3);
        // Where strings are known as such, none is cut, and quotes may go from what needs none.
        let counts = |word: &[u8]| match word {
            b"\"" | b"'" => self.spelling == Spelling::One,
            _ => !word.is_empty(),
        };
        for token in tokens(text).filter(|token| counts(token.text)) {
            let word = if token.text == b"'" { Cow::Borrowed(&b"\""[..]) } else { self.spelling.plain(token.text) };
            *self.times.entry(hasher.hash_one(word)).or_default() += times;
        }
    }

    /// Tells whether a result can come from doing both sides' edits once each: no token is lost, none comes
    /// twice. Where both sides did the like with a token, it may have been the same.
    pub(crate) fn follows(result: &Self, base: &Self, site: &Self, release: &Self) -> bool {
        let keys = [result, base, site, release].map(|c| c.times.keys());
        keys.into_iter().flatten().all(|key| {
            let get = |c: &Self| c.times.get(key).copied().unwrap_or(0);
            let (got, b, s, r) = (get(result), get(base), get(site), get(release));
            let (ds, dr) = (s - b, r - b);
            let sum = b + ds + dr;
            let once = if ds.signum() == dr.signum() { b + if ds.abs() > dr.abs() { ds } else { dr } } else { sum };
            sum.min(once) <= got && got <= sum.max(once)
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn count(text: &str) -> Balance {
        balance(text.as_bytes(), true)
    }

    #[test]
    fn balanced_texts_count_to_nothing() {
        for text in [
            "<div><br><img src=\"x\"/></div>",
            "a { b: c(1) }",
            "{% if x %}{{ y }}{% endif %}",
            "{{#each a}}{{b}}{{/each}}",
        ] {
            assert_eq!(count(text), Balance::default(), "{text}");
        }
        assert_ne!(count("<div>"), Balance::default());
        assert_ne!(count("{% if x %}"), Balance::default());
    }

    #[test]
    fn brackets_pair_up_kind_by_kind() {
        assert_eq!(bracket_pairs(b"a { b( } )", false), [(2, 7), (5, 9)]);
        assert_eq!(bracket_pairs(b"<p><br><b></b></p> } {", true), [(7, 10), (0, 14)]);
        assert_eq!(bracket_pairs(b"{% if a %}b{% endif %}", true), [(0, 8), (0, 11), (11, 20)]);
    }

    #[test]
    fn a_line_may_open_or_close_a_remark() {
        let depths = |text: &str| text.lines().map(|l| depth_of(l.as_bytes(), false)).collect::<Vec<_>>();
        assert_eq!(
            depths("/**\n * \"src/*.css\"\n */\n/* a */\nf(\"*/*\");"),
            [(0, 1), (0, 0), (-1, -1), (0, 0), (0, 0)]
        );
    }

    #[test]
    fn a_closer_deleted_twice_is_noticed() {
        let (base, less, result) = (count("f { { } } }"), count("f { { } }"), count("f { { }"));
        assert!(!Balance::follows(&result, &base, &less, &less));
        assert!(Balance::follows(&less, &base, &less, &less));
        assert!(Balance::follows(&less, &base, &less, &base));
    }
}
