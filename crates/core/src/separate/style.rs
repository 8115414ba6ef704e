//! Style sheets as rules: what each selector is given in the end, and a sheet that holds just what the site has
//! otherwise (CSS Syntax Module Level 3, "Parsing"; CSS Cascading and Inheritance, "Cascade Sorting Order").

use std::collections::{BTreeMap, BTreeSet};
use std::ops::Range;

/// A rule or statement of a style sheet.
#[derive(Debug, Clone)]
struct Rule {
    /// The at-rules that it stands in, outermost first.
    at: Vec<String>,
    /// The selector, or what stands before the block of an at-rule, in one form of blanks.
    prelude: String,
    body: Body,
    /// From its first comment to its end.
    span: Range<usize>,
}

#[derive(Debug, Clone)]
enum Body {
    /// Declarations.
    Style(Vec<Declaration>),
    /// A block that is one thing: a font face, key frames, nested rules.
    Block(String),
    /// `@import …;`
    Statement,
}

#[derive(Debug, Clone)]
struct Declaration {
    name: String,
    value: String,
    important: bool,
    span: Range<usize>,
}

/// At-rules whose blocks hold rules.
const GROUPS: [&str; 7] = ["@media", "@supports", "@layer", "@container", "@scope", "@document", "@starting-style"];

/// The place of a declaration: at-rules, selector, property.
type Key = (Vec<String>, String, String);

/// What a declaration comes to: its values in order, and whether they are important.
type Given = (Vec<String>, bool);

/// What a site's sheet comes to beside the base's.
#[derive(Debug, Default)]
pub(super) struct Split {
    /// The sheet for the child; empty where nothing is needed.
    pub(super) child: String,
    /// The base's sheet without what the site took out, where it took anything out.
    pub(super) base: Option<Vec<u8>>,
    /// What a child cannot express, in words.
    pub(super) unsaid: Vec<String>,
    /// What is worth a look.
    pub(super) remarks: Vec<String>,
}

/// Splits a site's style sheet into what is in the base and what a child has to say. `None` where a sheet cannot be
/// read, or the two together would not come to the same; then the file is one thing.
pub(super) fn split(base: &str, site: &str, explain: bool) -> Option<Split> {
    let (before, after) = (read(base)?, read(site)?);
    let statements = |rules: &[Rule]| -> Vec<String> {
        let of = rules.iter().filter(|r| matches!(r.body, Body::Statement));
        of.map(|r| format!("{:?} {}", r.at, r.prelude)).collect()
    };
    if statements(&before) != statements(&after) {
        return None;
    }
    let (given_before, given_after) = (given(&before), given(&after));
    let mut out = Split::default();
    // What the site took out is taken out of the base.
    let gone: BTreeSet<&Key> = given_before.keys().filter(|k| !given_after.contains_key(*k)).collect();
    let blocks = |rules: &[Rule]| -> Vec<(Vec<String>, String, String)> {
        let of = rules.iter().filter_map(|r| match &r.body {
            Body::Block(text) => Some((r.at.clone(), r.prelude.clone(), text.clone())),
            _ => None,
        });
        of.collect()
    };
    let (blocks_before, blocks_after) = (blocks(&before), blocks(&after));
    // Key frames of one name give way to later ones; other blocks stand beside each other.
    let replaced = |block: &(Vec<String>, String, String)| {
        block.1.to_ascii_lowercase().contains("keyframes")
            && blocks_after.iter().any(|b| (&b.0, &b.1) == (&block.0, &block.1))
    };
    let mut cuts: Vec<Range<usize>> = Vec::new();
    for rule in &before {
        match &rule.body {
            Body::Style(list) => {
                let out_of =
                    |d: &&Declaration| gone.contains(&(rule.at.clone(), rule.prelude.clone(), d.name.clone()));
                let lost: Vec<&Declaration> = list.iter().filter(out_of).collect();
                if lost.is_empty() {
                    continue;
                }
                if lost.len() == list.len() {
                    cuts.push(rule.span.clone());
                    out.unsaid.push(format!("the rule {} was taken out", rule.prelude));
                } else {
                    cuts.extend(lost.iter().map(|d| d.span.clone()));
                    let names: Vec<&str> = lost.iter().map(|d| d.name.as_str()).collect();
                    out.unsaid.push(format!("{} was taken out of {}", names.join(", "), rule.prelude));
                }
            }
            Body::Block(text) => {
                let block = (rule.at.clone(), rule.prelude.clone(), text.clone());
                if !blocks_after.contains(&block) && !replaced(&block) {
                    cuts.push(rule.span.clone());
                    out.unsaid.push(format!("{} was taken out or changed", rule.prelude));
                }
            }
            Body::Statement => {}
        }
    }
    if !cuts.is_empty() {
        out.base = Some(without(base, &cuts).into_bytes());
    }
    // A shorthand that comes later takes what is part of it along, and the other way round.
    let mut said: BTreeSet<&Key> =
        given_after.iter().filter(|(k, v)| given_before.get(*k) != Some(v)).map(|(k, _)| k).collect();
    let near: Vec<&Key> = given_after
        .keys()
        .filter(|k| said.iter().any(|c| (&c.0, &c.1) == (&k.0, &k.1) && related(&c.2, &k.2)))
        .collect();
    said.extend(near);
    // What the site put in or changed, in the site's order.
    let mut written: Vec<(&Rule, String)> = Vec::new();
    for (k, rule) in after.iter().enumerate() {
        match &rule.body {
            Body::Style(list) => {
                let key = |d: &Declaration| (rule.at.clone(), rule.prelude.clone(), d.name.clone());
                let changed = |d: &&Declaration| {
                    let key = key(d);
                    said.contains(&key) && decides(&after, k, &key)
                };
                let changed: Vec<&Declaration> = list.iter().filter(changed).collect();
                if changed.is_empty() {
                    continue;
                }
                let new = changed.len() == list.len() && !list.iter().any(|d| given_before.contains_key(&key(d)));
                let text = if new {
                    site[rule.span.clone()].trim().to_string()
                } else {
                    let mut text = format!("{} {{\n", rule.prelude);
                    for declaration in &changed {
                        let was = given_before.get(&key(declaration));
                        if explain
                            && let Some((values, _)) = was.filter(|w| given_after.get(&key(declaration)) != Some(w))
                        {
                            let was = values.join(", ").replace("*/", "");
                            text += &format!("  /* was {was} */\n");
                        }
                        let important = if declaration.important { " !important" } else { "" };
                        text += &format!("  {}: {}{important};\n", declaration.name, declaration.value);
                    }
                    text + "}"
                };
                for declaration in &changed {
                    if let Some(other) = overtaken(&after[k + 1..], &before, rule, declaration) {
                        let name = &declaration.name;
                        out.remarks.push(format!(
                            "{name} of {} stands after {other} now: look at elements that both fit",
                            rule.prelude
                        ));
                    }
                }
                written.push((rule, text));
            }
            Body::Block(text) => {
                let block = (rule.at.clone(), rule.prelude.clone(), text.clone());
                let before_count = blocks_before.iter().filter(|b| **b == block).count();
                if before_count == 0 {
                    written.push((rule, site[rule.span.clone()].trim().to_string()));
                }
            }
            Body::Statement => {}
        }
    }
    out.child = grouped(&written);
    let kept = out.base.as_deref().map_or(base, |b| std::str::from_utf8(b).unwrap_or(base));
    let both = if out.child.is_empty() { kept.to_string() } else { format!("{kept}\n{}", out.child) };
    same(&both, site)?.then_some(out)
}

/// Tells whether one of two properties sets the other too (CSS Cascade, "Shorthand Properties").
fn related(a: &str, b: &str) -> bool {
    let part_of = |whole: &str, part: &str| part.strip_prefix(whole).is_some_and(|rest| rest.starts_with('-'));
    let line = |x: &str, y: &str| x == "font" && y == "line-height";
    let custom = a.starts_with("--") || b.starts_with("--");
    a != b
        && !custom
        && (part_of(a, b)
            || part_of(b, a)
            || (a.starts_with("border-") && b.starts_with("border-"))
            || line(a, b)
            || line(b, a)
            || a == "all"
            || b == "all")
}

/// Tells whether two sheets give every selector the same; `None` where one cannot be read.
pub(super) fn same(a: &str, b: &str) -> Option<bool> {
    let (a, b) = (read(a)?, read(b)?);
    let rest = |rules: &[Rule]| -> BTreeSet<String> {
        let text = |r: &Rule| match &r.body {
            Body::Block(text) => Some(format!("{:?} {} {text}", r.at, r.prelude)),
            Body::Statement => Some(format!("{:?} {}", r.at, r.prelude)),
            Body::Style(_) => None,
        };
        // Of key frames with one name the last count.
        let mut last: BTreeMap<String, String> = BTreeMap::new();
        for (k, rule) in rules.iter().enumerate() {
            if let Some(text) = text(rule) {
                let frames = rule.prelude.to_ascii_lowercase().contains("keyframes");
                let key = if frames { format!("{:?} {}", rule.at, rule.prelude) } else { format!("{k}") };
                last.insert(key, text);
            }
        }
        last.into_values().collect()
    };
    Some(given(&a) == given(&b) && rest(&a) == rest(&b))
}

/// What every selector is given in the end, property by property.
fn given(rules: &[Rule]) -> BTreeMap<Key, Given> {
    let mut out: BTreeMap<Key, Given> = BTreeMap::new();
    for rule in rules {
        let Body::Style(list) = &rule.body else { continue };
        let mut here: BTreeMap<&str, Given> = BTreeMap::new();
        for declaration in list {
            let (values, important) = here.entry(&declaration.name).or_default();
            if *important && !declaration.important {
                continue;
            }
            if declaration.important && !*important {
                values.clear();
            }
            values.push(declaration.value.clone());
            *important = declaration.important;
        }
        for (name, (values, important)) in here {
            let key = (rule.at.clone(), rule.prelude.clone(), name.to_string());
            if out.get(&key).is_none_or(|(_, before)| important || !before) {
                out.insert(key, (values, important));
            }
        }
    }
    out
}

/// Tells whether a rule is the one that decides a key.
fn decides(rules: &[Rule], k: usize, key: &Key) -> bool {
    let sets = |rule: &Rule| -> Option<bool> {
        let Body::Style(list) = &rule.body else { return None };
        if (&rule.at, &rule.prelude) != (&key.0, &key.1) {
            return None;
        }
        list.iter().filter(|d| d.name == key.2).map(|d| d.important).max()
    };
    let Some(mine) = sets(&rules[k]) else { return false };
    let later = rules[k + 1..].iter().filter_map(sets).any(|other| other >= mine);
    let earlier = rules[..k].iter().filter_map(sets).any(|other| other && !mine);
    !later && !earlier
}

/// A later rule of the site's that the base has too, as specific, for the same property: in the child the changed rule
/// comes after it.
fn overtaken(later: &[Rule], base: &[Rule], rule: &Rule, declaration: &Declaration) -> Option<String> {
    let weight = specificity(&rule.prelude);
    let found = later.iter().find(|other| {
        other.prelude != rule.prelude
            && matches!(&other.body, Body::Style(list) if list.iter().any(|d| d.name == declaration.name))
            && specificity(&other.prelude) == weight
            && base.iter().any(|b| (&b.at, &b.prelude) == (&other.at, &other.prelude))
    });
    found.map(|other| other.prelude.clone())
}

/// Ids, classes and elements of a selector's weightiest part, roughly (Selectors Level 4, "Calculating a selector's
/// specificity").
fn specificity(selector: &str) -> (usize, usize, usize) {
    let of = |part: &str| {
        let count = |marks: &[char]| part.matches(marks).count();
        let pseudo_elements = part.matches("::").count();
        let elements =
            part.split([' ', '>', '+', '~']).filter(|w| w.starts_with(|c: char| c.is_ascii_alphabetic())).count();
        (
            count(&['#']),
            count(&['.', '[']) + part.matches(':').count() - 2 * pseudo_elements,
            elements + pseudo_elements,
        )
    };
    selector.split(',').map(of).max().unwrap_or_default()
}

/// Writes rules, those in the same at-rules together.
fn grouped(written: &[(&Rule, String)]) -> String {
    let mut out = String::new();
    let mut open: &[String] = &[];
    let close = |out: &mut String, open: &[String]| {
        for depth in (0..open.len()).rev() {
            *out += &format!("{}}}\n", "  ".repeat(depth));
        }
    };
    for (rule, text) in written {
        if rule.at != open {
            close(&mut out, open);
            if !out.is_empty() {
                out.push('\n');
            }
            for (depth, at) in rule.at.iter().enumerate() {
                out += &format!("{}{at} {{\n", "  ".repeat(depth));
            }
            open = &rule.at;
        } else if !out.is_empty() {
            out.push('\n');
        }
        let indent = "  ".repeat(open.len());
        for line in text.lines() {
            let line =
                if open.is_empty() { line } else { line.trim_start_matches(|c| c == ' ' && text.contains('\n')) };
            let inner =
                if !open.is_empty() && !line.ends_with(['{', '}']) && text.contains('{') { "  " } else { "" };
            out += &if line.is_empty() { "\n".to_string() } else { format!("{indent}{inner}{line}\n") };
        }
    }
    close(&mut out, open);
    out
}

/// A text without some stretches; a line that only held such goes whole.
fn without(text: &str, cuts: &[Range<usize>]) -> String {
    let mut out = String::new();
    let mut at = 0;
    for cut in cuts {
        let line = text[..cut.start].rfind('\n').map_or(0, |k| k + 1);
        let end = text[cut.end..].find('\n').map_or(text.len(), |k| cut.end + k + 1);
        let alone = text[line..cut.start].trim().is_empty() && text[cut.end..end].trim().is_empty();
        let (from, to) = if alone { (line.max(at), end) } else { (cut.start.max(at), cut.end) };
        out += &text[at..from];
        at = to.max(at);
    }
    out + &text[at..]
}

/// Reads a sheet; `None` where its brackets do not close.
fn read(text: &str) -> Option<Vec<Rule>> {
    let mut reader = Reader { text, at: 0, rules: Vec::new() };
    reader.list(&mut Vec::new(), 0)?;
    (reader.at == text.len()).then_some(reader.rules)
}

struct Reader<'a> {
    text: &'a str,
    at: usize,
    rules: Vec<Rule>,
}

impl Reader<'_> {
    fn bytes(&self) -> &[u8] {
        self.text.as_bytes()
    }

    /// Reads rules up to the end of the block that they stand in.
    fn list(&mut self, at: &mut Vec<String>, depth: usize) -> Option<()> {
        if depth > 40 {
            return None;
        }
        loop {
            let mut start = None;
            // Comments right before a rule belong to it; a blank line parts them from it.
            loop {
                let from = self.at;
                while self.bytes().get(self.at).is_some_and(u8::is_ascii_whitespace) {
                    self.at += 1;
                }
                if self.text[from..self.at].matches('\n').count() > 1 {
                    start = None;
                }
                if !self.text[self.at..].starts_with("/*") {
                    break;
                }
                start.get_or_insert(self.at);
                self.at += 2 + self.text[self.at + 2..].find("*/")? + 2;
            }
            match self.bytes().get(self.at) {
                None => return (depth == 0).then_some(()),
                Some(b'}') => return (depth > 0).then_some(()),
                Some(_) => {}
            }
            let own = self.at;
            let end = self.until(b"{;}")?;
            let prelude = plain(&self.text[own..end]);
            let start = start.unwrap_or(own);
            match self.bytes().get(end) {
                Some(b'{') => {
                    self.at = end + 1;
                    let word = prelude.split([' ', '(']).next().unwrap_or("").to_ascii_lowercase();
                    if GROUPS.contains(&word.as_str()) {
                        at.push(prelude);
                        self.list(at, depth + 1)?;
                        at.pop();
                        self.at += 1;
                    } else {
                        let body = self.block(&word)?;
                        let span = start..self.at;
                        self.rules.push(Rule { at: at.clone(), prelude, body, span });
                    }
                }
                _ => {
                    // A statement ends with its semicolon, or with the text.
                    self.at = (end + 1).min(self.text.len());
                    let span = start..self.at;
                    self.rules.push(Rule { at: at.clone(), prelude, body: Body::Statement, span });
                    if self.bytes().get(end) == Some(&b'}') {
                        return None;
                    }
                }
            }
        }
    }

    /// Where one of some marks stands next, outside of comments, strings and brackets; the end of the text, if nowhere.
    fn until(&self, marks: &[u8]) -> Option<usize> {
        let bytes = self.bytes();
        let (mut k, mut depth) = (self.at, 0usize);
        while k < bytes.len() {
            match bytes[k] {
                b'\\' => k += 1,
                b'/' if bytes.get(k + 1) == Some(&b'*') => k += 2 + self.text[k + 2..].find("*/")? + 1,
                quote @ (b'"' | b'\'') => {
                    k += 1;
                    while k < bytes.len() && bytes[k] != quote {
                        k += if bytes[k] == b'\\' { 2 } else { 1 };
                    }
                }
                b'(' | b'[' => depth += 1,
                b')' | b']' => depth = depth.checked_sub(1)?,
                mark if depth == 0 && marks.contains(&mark) => return Some(k),
                _ => {}
            }
            k += 1;
        }
        Some(bytes.len())
    }

    /// Reads a block up to behind its bracket: declarations, or one thing.
    fn block(&mut self, word: &str) -> Option<Body> {
        let from = self.at;
        let mut list = Vec::new();
        let mut opaque = word.starts_with('@');
        loop {
            while self.bytes().get(self.at).is_some_and(u8::is_ascii_whitespace) {
                self.at += 1;
            }
            if self.text[self.at..].starts_with("/*") {
                self.at += 2 + self.text[self.at + 2..].find("*/")? + 2;
                continue;
            }
            let start = self.at;
            let end = self.until(b"{;}")?;
            match self.bytes().get(end)? {
                b'{' => {
                    // Nested rules: the block is one thing.
                    opaque = true;
                    self.at = end + 1;
                    self.block("@")?;
                    continue;
                }
                mark => {
                    let closes = *mark == b'}';
                    let words = &self.text[start..end];
                    if !words.trim().is_empty() {
                        let (name, value) = words.split_once(':')?;
                        let value = plain(value);
                        let bare = value.strip_suffix("!important").or_else(|| value.strip_suffix("! important"));
                        list.push(Declaration {
                            name: plain(name),
                            important: bare.is_some(),
                            value: bare.unwrap_or(&value).trim().to_string(),
                            span: start..if closes { end } else { end + 1 },
                        });
                    }
                    self.at = end + 1;
                    if closes {
                        break;
                    }
                }
            }
        }
        Some(if opaque { Body::Block(plain(&self.text[from..self.at - 1])) } else { Body::Style(list) })
    }
}

/// A text in one form of blanks, without comments.
fn plain(text: &str) -> String {
    let mut out = String::new();
    let mut rest = text;
    while let Some(at) = rest.find("/*") {
        out += &rest[..at];
        rest = rest[at + 2..].find("*/").map_or("", |end| &rest[at + 2 + end + 2..]);
    }
    out += rest;
    out.split_whitespace().collect::<Vec<_>>().join(" ")
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    const BASE: &str = "@charset \"utf-8\";\n/* head */\na { color: red; top: 0 }\n\n.b, .c {\n  left: 1px;\n  right: 2px !important;\n}\n\n@media (min-width: 40em) {\n  a { color: blue; }\n  .d { margin: 0; }\n}\n";

    #[test]
    fn only_what_the_site_changed_is_in_the_child() {
        let site = BASE.replace("top: 0", "top: 5px").replace("margin: 0", "margin: 1em")
            + "\n/* ours */\n.own {\n  float: left;\n}\n";
        let split = split(BASE, &site, true).unwrap();
        assert_eq!(
            split.child,
            "a {\n  /* was 0 */\n  top: 5px;\n}\n\n@media (min-width: 40em) {\n  .d {\n    /* was 0 */\n    margin: 1em;\n  }\n}\n\n/* ours */\n.own {\n  float: left;\n}\n"
        );
        assert!(split.base.is_none() && split.unsaid.is_empty());
    }

    #[test]
    fn what_a_shorthand_sets_comes_along() {
        let base = "a {\n  margin: 0;\n  margin-top: 1px;\n  color: red;\n}\n";
        let split = split(base, &base.replace("margin: 0", "margin: 5px"), false).unwrap();
        assert_eq!(split.child, "a {\n  margin: 5px;\n  margin-top: 1px;\n}\n");
    }

    #[test]
    fn what_was_taken_out_goes_from_the_base() {
        let site = BASE.replace("  left: 1px;\n", "").replace("  .d { margin: 0; }\n", "");
        let split = split(BASE, &site, false).unwrap();
        assert_eq!(String::from_utf8(split.base.unwrap()).unwrap(), site);
        assert_eq!((split.child.as_str(), split.unsaid.len()), ("", 2));
    }

    #[test]
    fn what_cannot_be_said_after_the_base_is_left_whole() {
        // Important in the base wins over whatever comes after it.
        assert!(split(BASE, &BASE.replace("2px !important", "3px"), false).is_none());
        assert!(split(BASE, &format!("@import 'x';\n{BASE}"), false).is_none());
        assert!(split(BASE, "a {", false).is_none());
        let later = split("a { top: 0 }\nb { top: 1px }\n", "a { top: 9px }\nb { top: 1px }\n", false).unwrap();
        assert!(later.remarks[0].contains("after b"), "{:?}", later.remarks);
    }

    proptest! {
        #[test]
        fn base_and_child_come_to_the_site(
            base in proptest::collection::vec((0..4u8, 0..3u8, 0..4u8, 0..3u8), 0..8),
            site in proptest::collection::vec((0..4u8, 0..3u8, 0..4u8, 0..3u8), 0..8),
        ) {
            let sheet = |rules: &[(u8, u8, u8, u8)]| -> String {
                let rule = |(s, p, v, at): &(u8, u8, u8, u8)| {
                    let important = if *v == 3 { " !important" } else { "" };
                    let rule = format!(".s{s} {{\n  p{p}: {v}px{important};\n  q: {v};\n}}\n");
                    match at { 0 => rule, 1 => format!("@media print {{\n{rule}}}\n"), _ => format!("/* c */\n{rule}\n@keyframes k{s} {{ from {{ top: {v} }} }}\n") }
                };
                rules.iter().map(rule).collect()
            };
            let (base, site) = (sheet(&base), sheet(&site));
            if let Some(split) = split(&base, &site, false) {
                let kept = split.base.map_or(base, |b| String::from_utf8(b).unwrap());
                prop_assert_eq!(same(&format!("{kept}\n{}", split.child), &site), Some(true));
            }
        }
    }
}
