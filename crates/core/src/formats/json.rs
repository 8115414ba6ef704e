//! JSON (RFC 8259), with comments and trailing commas as many tools allow: merging by key.
//!
//! The three versions are compared as values, and the site's changes are worked into the release's text: where
//! the site changed nothing the release's bytes stand, order, indentation, comments and literals included. Arrays
//! of objects merge by an identity key, arrays of unique scalars as ordered sets; other arrays that both changed
//! are one value.

use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};
use std::ops::Range;

use super::homes::{Home, Keys, Known, Path, Plan, names_that_stay, plan};
use super::keyed::{KeyChange, KeyedMerge, Refit, Rules, converted};
use super::tree::Node as Tree;
use crate::merge::{Outcome, Reason, Step};

/// A parsed value with its place in the text.
#[derive(Debug, Clone)]
struct Node {
    /// The value.
    span: Range<usize>,
    /// Where its member begins: at the key, if it has one.
    from: usize,
    value: Value,
}

#[derive(Debug, Clone)]
enum Value {
    Object(Vec<Member>),
    Array(Vec<Member>),
    /// String, number or word, as written.
    Scalar,
}

/// A member of an object or an item of an array, with the text around it.
#[derive(Debug, Clone)]
struct Member {
    /// The key, decoded; empty for items of an array.
    key: String,
    /// From the end of what came before to the start of the member: blanks and comments.
    before: Range<usize>,
    /// Key and value.
    body: Range<usize>,
    /// From the value to its comma.
    after_value: Range<usize>,
    /// From the comma to the end of the line: a comment that belongs to this member.
    after_comma: Range<usize>,
    node: Node,
}

/// Nesting beyond this is refused.
const DEEPEST: usize = 500;

struct Parser<'a> {
    text: &'a [u8],
    at: usize,
}

impl<'a> Parser<'a> {
    fn document(text: &'a [u8]) -> Option<Node> {
        let mut parser = Parser { text, at: 0 };
        parser.blanks()?;
        let node = parser.value(0)?;
        parser.blanks()?;
        (parser.at == text.len()).then_some(node)
    }

    /// Skips blanks and comments.
    fn blanks(&mut self) -> Option<()> {
        loop {
            let rest = &self.text[self.at..];
            if rest.first().is_some_and(u8::is_ascii_whitespace) {
                self.at += 1;
            } else if rest.starts_with(b"//") {
                self.at += rest.iter().position(|b| *b == b'\n').unwrap_or(rest.len());
            } else if rest.starts_with(b"/*") {
                self.at += 2 + rest[2..].windows(2).position(|w| w == b"*/")? + 2;
            } else {
                return Some(());
            }
        }
    }

    /// Skips to the end of the line, over blanks and a comment only.
    fn rest_of_line(&mut self) -> Range<usize> {
        let start = self.at;
        let mut at = start;
        while matches!(self.text.get(at), Some(b' ' | b'\t')) {
            at += 1;
        }
        let rest = &self.text[at..];
        if rest.starts_with(b"//") {
            at += rest.iter().position(|b| matches!(b, b'\n' | b'\r')).unwrap_or(rest.len());
        } else if !matches!(rest.first(), Some(b'\n' | b'\r')) {
            return start..start;
        }
        self.at = at;
        start..at
    }

    fn value(&mut self, depth: usize) -> Option<Node> {
        if depth > DEEPEST {
            return None;
        }
        let start = self.at;
        let value = match self.text.get(self.at)? {
            b'{' => Value::Object(self.members(b'}', depth)?),
            b'[' => Value::Array(self.members(b']', depth)?),
            b'"' => {
                self.string()?;
                Value::Scalar
            }
            _ => {
                let word = |b: &u8| b.is_ascii_alphanumeric() || matches!(b, b'-' | b'+' | b'.');
                let len = self.text[self.at..].iter().take_while(|b| word(b)).count();
                self.at += len;
                let text = std::str::from_utf8(&self.text[start..self.at]).ok()?;
                let known = matches!(text, "true" | "false" | "null") || text.parse::<f64>().is_ok();
                if len == 0 || !known {
                    return None;
                }
                Value::Scalar
            }
        };
        Some(Node { span: start..self.at, from: start, value })
    }

    fn string(&mut self) -> Option<String> {
        let start = self.at;
        self.at += 1;
        loop {
            match self.text.get(self.at)? {
                b'"' => break,
                b'\\' => self.at += 2,
                0..0x20 => return None,
                _ => self.at += 1,
            }
        }
        self.at += 1;
        Some(decoded(&self.text[start..self.at]))
    }

    fn members(&mut self, close: u8, depth: usize) -> Option<Vec<Member>> {
        let mut out: Vec<Member> = Vec::new();
        self.at += 1;
        let mut before_from = self.at;
        loop {
            self.blanks()?;
            if self.text.get(self.at) == Some(&close) {
                self.at += 1;
                return Some(out);
            }
            let body_from = self.at;
            let key = if close == b'}' {
                let key = (self.text.get(self.at) == Some(&b'"')).then(|| self.string())??;
                self.blanks()?;
                (self.text.get(self.at) == Some(&b':')).then_some(())?;
                self.at += 1;
                self.blanks()?;
                key
            } else {
                String::new()
            };
            let mut node = self.value(depth + 1)?;
            node.from = body_from;
            let value_end = self.at;
            self.blanks()?;
            let comma = self.text.get(self.at) == Some(&b',');
            let (after_value, after_comma) = if comma {
                let after_value = value_end..self.at;
                self.at += 1;
                (after_value, self.rest_of_line())
            } else {
                (self.text.get(self.at) == Some(&close)).then_some(())?;
                // Without a comma a comment on the line stands where it would stand behind one.
                self.at = value_end;
                (value_end..value_end, self.rest_of_line())
            };
            out.push(Member {
                key,
                before: before_from..body_from,
                body: body_from..value_end,
                after_value,
                after_comma,
                node,
            });
            before_from = self.at;
        }
    }
}

/// Decodes a JSON string; escapes that stand for no character stay as they are written.
fn decoded(literal: &[u8]) -> String {
    serde_json::from_slice(literal).unwrap_or_else(|_| String::from_utf8_lossy(literal).into_owned())
}

/// Reads a document into a tree of values with their literals; `None` where it is malformed or repeats a key.
pub(crate) fn tree(text: &[u8]) -> Option<Tree> {
    fn of(node: &Node, text: &[u8]) -> Tree {
        match &node.value {
            Value::Object(members) => {
                Tree::Map(members.iter().map(|m| (m.key.clone(), of(&m.node, text))).collect())
            }
            Value::Array(items) => Tree::List(items.iter().map(|m| of(&m.node, text)).collect()),
            Value::Scalar => {
                let raw = &text[node.span.clone()];
                let literal = String::from_utf8_lossy(raw).into_owned();
                let value =
                    serde_json::from_slice(raw).unwrap_or_else(|_| serde_json::Value::from(literal.as_str()));
                Tree::Leaf { literal, value }
            }
        }
    }
    let node = Parser::document(text)?;
    unique_keys(&node).then(|| of(&node, text))
}

/// A version of the document.
#[derive(Clone, Copy)]
struct Doc<'a> {
    text: &'a [u8],
}

impl<'a> Doc<'a> {
    fn raw(&self, node: &Node) -> &'a [u8] {
        &self.text[node.span.clone()]
    }

    /// A value in a form that compares: blanks, comments, order of keys and way of writing left out.
    fn canonical(&self, node: &Node) -> String {
        match &node.value {
            Value::Scalar => {
                let raw = self.raw(node);
                if raw.first() == Some(&b'"') {
                    return format!("{:?}", decoded(raw));
                }
                let text = String::from_utf8_lossy(raw).into_owned();
                // `1.0` and `1` are one number, as long as a float holds it exactly.
                match text.parse::<f64>() {
                    Ok(number) if number.abs() < 9e15 => format!("{number}"),
                    _ => text,
                }
            }
            Value::Array(items) => {
                format!("[{}]", items.iter().map(|i| self.canonical(&i.node)).collect::<Vec<_>>().join(","))
            }
            Value::Object(members) => {
                let mut list: Vec<String> =
                    members.iter().map(|m| format!("{:?}:{}", m.key, self.canonical(&m.node))).collect();
                list.sort();
                format!("{{{}}}", list.join(","))
            }
        }
    }

    /// The leading blanks of the line that a position is in.
    fn indent_at(&self, at: usize) -> &'a [u8] {
        let start = self.text[..at].iter().rposition(|b| matches!(b, b'\n' | b'\r')).map_or(0, |p| p + 1);
        let width = self.text[start..].iter().take_while(|b| matches!(b, b' ' | b'\t')).count();
        &self.text[start..start + width]
    }
}

struct Merger<'a> {
    base: Doc<'a>,
    site: Doc<'a>,
    release: Doc<'a>,
    refit: Refit,
    rules: &'a Rules,
    /// Pointers of keys that the release renamed or moved.
    homes: Vec<String>,
    /// By pointer of a dropped key: what may have taken its place.
    hints: HashMap<String, String>,
    changes: Vec<KeyChange>,
}

/// The keys of a document.
fn keys(doc: Doc<'_>, root: &Node) -> Keys {
    fn walk(doc: Doc<'_>, node: &Node, path: &mut Path, out: &mut Keys) {
        let Value::Object(members) = &node.value else { return };
        let mut before = None;
        for member in members {
            path.push(member.key.clone());
            let table = matches!(member.node.value, Value::Object(_));
            out.insert(path.clone(), Known { value: doc.canonical(&member.node), table, before });
            walk(doc, &member.node, path, out);
            path.pop();
            before = Some(member.key.clone());
        }
    }
    let mut out = Keys::new();
    walk(doc, root, &mut Vec::new(), &mut out);
    out
}

/// Tells whether a side lacks a key of the base.
fn lost(base: &Node, side: &Node) -> bool {
    let (Value::Object(before), Value::Object(after)) = (&base.value, &side.value) else { return false };
    let after: HashMap<&str, &Node> = after.iter().map(|m| (m.key.as_str(), &m.node)).collect();
    before.iter().any(|m| after.get(m.key.as_str()).is_none_or(|r| lost(&m.node, r)))
}

/// Moves a key to where the release has it; whether it could.
fn rehome(root: &mut Node, home: &Home) -> bool {
    fn members(node: &mut Node) -> Option<&mut Vec<Member>> {
        match &mut node.value {
            Value::Object(members) => Some(members),
            _ => None,
        }
    }
    fn taken(node: &mut Node, path: &[String]) -> Option<Member> {
        let (name, rest) = path.split_first()?;
        let list = members(node)?;
        let k = list.iter().position(|m| m.key == *name)?;
        if rest.is_empty() { Some(list.remove(k)) } else { taken(&mut list[k].node, rest) }
    }
    fn fits(node: &Node, path: &[String]) -> bool {
        let Value::Object(list) = &node.value else { return false };
        let Some((name, rest)) = path.split_first() else { return true };
        list.iter().find(|m| m.key == *name).is_none_or(|m| !rest.is_empty() && fits(&m.node, rest))
    }
    fn put(node: &mut Node, path: &[String], mut member: Member) {
        let (Some((name, rest)), Some(list)) = (path.split_first(), members(node)) else { return };
        if rest.is_empty() {
            member.key.clone_from(name);
            list.push(member);
            return;
        }
        let k = list.iter().position(|m| m.key == *name).unwrap_or_else(|| {
            // A section that only the release has so far: no text stands behind it.
            let node = Node { span: 0..0, from: 0, value: Value::Object(Vec::new()) };
            list.push(Member {
                key: name.clone(),
                before: 0..0,
                body: 0..0,
                after_value: 0..0,
                after_comma: 0..0,
                node,
            });
            list.len() - 1
        });
        put(&mut list[k].node, rest, member);
    }
    if !fits(root, &home.to) {
        return false;
    }
    if let Some(member) = taken(root, &home.from) {
        put(root, &home.to, member);
    }
    true
}

/// Takes names out of a list, so that it compares as one that never had them.
fn forget(root: &mut Node, list: &[String], names: &BTreeSet<String>, text: &[u8]) {
    match (list.split_first(), &mut root.value) {
        (Some((name, rest)), Value::Object(members)) => {
            let member = members.iter_mut().find(|m| m.key == *name);
            member.into_iter().for_each(|m| forget(&mut m.node, rest, names, text));
        }
        (None, Value::Array(items)) => {
            items.retain(|item| !names.contains(&decoded(&text[item.node.span.clone()])));
            // No text stands behind it any more.
            root.span = 0..0;
        }
        _ => {}
    }
}

fn pointer_of(path: &[String]) -> String {
    path.iter().map(|name| format!("\0{name}")).collect()
}

/// Merges three versions of a JSON document; `None` where one of them cannot be read or repeats a key.
pub(crate) fn merge(base: &[u8], site: &[u8], release: &[u8], rules: &Rules) -> Option<KeyedMerge> {
    let mut nodes = [Parser::document(base)?, Parser::document(site)?, Parser::document(release)?];
    if !nodes.iter().all(unique_keys) {
        return None;
    }
    let docs = [base, site, release].map(|text| Doc { text });
    let of = |k: usize| keys(docs[k], &nodes[k]);
    let mut plan =
        if lost(&nodes[0], &nodes[2]) { plan(&of(0), &of(1), &of(2), rules.bold) } else { Plan::default() };
    plan.homes.retain(|home| {
        let mut moved = [nodes[0].clone(), nodes[1].clone()];
        let all = moved.iter_mut().all(|node| rehome(node, home));
        if all {
            let [base, site] = moved;
            (nodes[0], nodes[1]) = (base, site);
        }
        all
    });
    if lost(&nodes[0], &nodes[1]) || lost(&nodes[0], &nodes[2]) {
        let of = |k: usize| keys(docs[k], &nodes[k]);
        let stay = names_that_stay(&of(0), &of(1), &of(2));
        stay.iter().for_each(|(list, names)| forget(&mut nodes[0], list, names, base));
    }
    let mut merger = Merger {
        base: docs[0],
        site: docs[1],
        release: docs[2],
        refit: Refit::new(site, release),
        rules,
        homes: plan.homes.iter().map(|h| pointer_of(&h.to)).collect(),
        hints: plan.hints.into_iter().map(|(path, hint)| (pointer_of(&path), hint)).collect(),
        changes: Vec::new(),
    };
    let root = merger.value("", Some(&nodes[0]), &nodes[1], &nodes[2]).into_owned();
    let span = &nodes[2].span;
    let text = [&release[..span.start], &root, &release[span.end..]].concat();
    // The text must hold what was decided, or it is not to be trusted.
    let result = Parser::document(&text)?;
    if !comments_arrived(base, site, &text) {
        return None;
    }
    let places = by_pointer(&result);
    for change in &mut merger.changes {
        // What is within an array is where the array is.
        let mut pointer = change.pointer.as_str();
        while !pointer.is_empty() && !places.contains_key(pointer) {
            pointer = &pointer[..pointer.rfind('\0').unwrap_or(0)];
        }
        change.result = places.get(pointer).cloned();
    }
    Some(KeyedMerge { bytes: text, changes: merger.changes, rewritten: false })
}

fn by_name(names: &[String]) -> HashMap<&str, usize> {
    names.iter().enumerate().map(|(k, n)| (n.as_str(), k)).collect()
}

/// The comments of a document, without the blanks around them.
fn comments(text: &[u8]) -> Vec<&[u8]> {
    let mut out = Vec::new();
    let mut at = 0;
    while at < text.len() {
        let rest = &text[at..];
        let len = if rest[0] == b'"' {
            let mut parser = Parser { text, at };
            if parser.string().is_some() { parser.at - at } else { 1 }
        } else if rest.starts_with(b"//") {
            rest.iter().position(|b| matches!(b, b'\n' | b'\r')).unwrap_or(rest.len())
        } else if rest.starts_with(b"/*") {
            rest.windows(2).skip(2).position(|w| w == b"*/").map_or(rest.len(), |p| p + 4)
        } else {
            at += 1;
            continue;
        };
        if rest[0] == b'/' {
            out.push(rest[..len].trim_ascii());
        }
        at += len;
    }
    out
}

/// Tells whether every comment that the site wrote is in the result.
fn comments_arrived(base: &[u8], site: &[u8], result: &[u8]) -> bool {
    let (before, there): (HashSet<&[u8]>, HashSet<&[u8]>) =
        (comments(base).into_iter().collect(), comments(result).into_iter().collect());
    comments(site).iter().all(|c| before.contains(c) || there.contains(c))
}

fn unique_keys(node: &Node) -> bool {
    match &node.value {
        Value::Scalar => true,
        Value::Array(items) => items.iter().all(|i| unique_keys(&i.node)),
        Value::Object(members) => {
            let mut seen = HashSet::new();
            members.iter().all(|m| seen.insert(m.key.as_str()) && unique_keys(&m.node))
        }
    }
}

/// All members of objects by their pointers: keys, each behind a NUL. Items of arrays have none.
fn by_pointer(node: &Node) -> HashMap<String, Range<usize>> {
    fn walk(node: &Node, pointer: &str, out: &mut HashMap<String, Range<usize>>) {
        if let Value::Object(members) = &node.value {
            for member in members {
                let pointer = format!("{pointer}\0{}", member.key);
                walk(&member.node, &pointer, out);
                out.insert(pointer, member.node.from..member.node.span.end);
            }
        }
    }
    let mut out = HashMap::from([(String::new(), node.from..node.span.end)]);
    walk(node, "", &mut out);
    out
}

impl<'a> Merger<'a> {
    fn note(
        &mut self,
        pointer: &str,
        nodes: (Option<&Node>, Option<&Node>, Option<&Node>),
        outcome: Outcome,
        step: Option<Step>,
        reason: Option<Reason>,
    ) {
        // With its key, so that a person sees what it is about; a section that was made up has no text.
        let span = |n: Option<&Node>| n.filter(|n| n.span.end > 0).map(|n| n.from..n.span.end);
        let moved = |home: &String| {
            pointer.strip_prefix(home.as_str()).is_some_and(|r| r.is_empty() || r.starts_with('\0'))
        };
        let (outcome, step) = match outcome {
            Outcome::Kept if self.homes.iter().any(moved) => (Outcome::Fitted, Some(Step::RenamedKey)),
            _ => (outcome, step),
        };
        let hint = self.hints.get(pointer).filter(|_| reason == Some(Reason::KeyGone)).cloned();
        self.changes.push(KeyChange {
            pointer: pointer.to_string(),
            base: span(nodes.0),
            site: span(nodes.1),
            release: span(nodes.2),
            result: None,
            outcome,
            step,
            reason,
            hint,
        });
    }

    fn same(&self, a: (Doc<'_>, &Node), b: (Doc<'_>, &Node)) -> bool {
        // What was made up has no text.
        (a.1.span.end > 0 && b.1.span.end > 0 && a.0.raw(a.1) == b.0.raw(b.1))
            || a.0.canonical(a.1) == b.0.canonical(b.1)
    }

    /// Merges a value that site and release both have; returns its text.
    fn value(&mut self, pointer: &str, base: Option<&Node>, site: &Node, release: &Node) -> Cow<'a, [u8]> {
        let (b, s, r) = (self.base, self.site, self.release);
        let kept = Cow::Borrowed(r.raw(release));
        let nodes = (base, Some(site), Some(release));
        let site_same = base.is_some_and(|n| self.same((b, n), (s, site)));
        if site_same && (!self.rules.hold || self.same((s, site), (r, release))) {
            return kept;
        }
        if !site_same && self.same((s, site), (r, release)) {
            self.note(pointer, nodes, Outcome::Already, None, None);
            return kept;
        }
        if let (Value::Object(sm), Value::Object(rm)) = (&site.value, &release.value) {
            let none = Vec::new();
            let bm = match base.map(|n| &n.value) {
                Some(Value::Object(members)) => members,
                _ => &none,
            };
            return Cow::Owned(self.members(pointer, bm, sm, rm, release));
        }
        if site_same {
            // Held at what it was.
            return Cow::Owned(self.refit(site, release.span.start));
        }
        let release_same = base.is_some_and(|n| self.same((b, n), (r, release)));
        if let (Some(Value::Array(bi)), Value::Array(si), Value::Array(ri)) =
            (base.map(|n| &n.value), &site.value, &release.value)
            && !release_same
            && self.have_names(bi, si, ri)
        {
            let before = self.changes.len();
            let text = self.members(pointer, bi, si, ri, release);
            if self.changes.len() > before {
                return Cow::Owned(text);
            }
        }
        let fitted = Cow::Owned(self.refit(site, release.span.start));
        if release_same {
            self.note(pointer, nodes, Outcome::Kept, None, None);
            return fitted;
        }
        let sort = |n: &Node, d: Doc<'_>| match &n.value {
            Value::Object(_) => 0,
            Value::Array(_) => 1,
            Value::Scalar => 2 + u8::from(d.raw(n).first() == Some(&b'"')),
        };
        if base.is_none_or(|n| sort(n, b) == sort(release, r)) {
            self.note(pointer, nodes, Outcome::Open, None, Some(Reason::BothChanged));
            return fitted;
        }
        let literal = |d: Doc<'_>, n: &Node| String::from_utf8_lossy(d.raw(n)).into_owned();
        match converted(&literal(s, site), &literal(r, release)) {
            Some(text) if self.rules.bold => {
                self.note(pointer, nodes, Outcome::Fitted, Some(Step::Retyped), None);
                Cow::Owned(text.into_bytes())
            }
            text => {
                self.note(pointer, nodes, Outcome::Open, None, Some(Reason::Retyped));
                if let Some(last) = self.changes.last_mut() {
                    last.hint = text.map(|t| format!("as the type that the release has: {t}"));
                }
                fitted
            }
        }
    }

    /// Tells whether the items of three arrays have names of their own (an identity key, or being scalars that
    /// stand once each), and the site left those it kept in order.
    fn have_names(&self, base: &[Member], site: &[Member], release: &[Member]) -> bool {
        let lists = [(self.base, base), (self.site, site), (self.release, release)];
        let all = || base.iter().chain(site).chain(release);
        let scalars = all().all(|m| matches!(m.node.value, Value::Scalar));
        let objects = all().all(|m| match &m.node.value {
            Value::Object(members) => members.iter().any(|m| self.rules.identity().any(|key| key == m.key)),
            _ => false,
        });
        if !scalars && !objects {
            return false;
        }
        let names = lists.map(|(doc, list)| list.iter().map(|m| self.item_name(doc, m)).collect::<Vec<_>>());
        let distinct = |list: &Vec<String>| list.iter().collect::<HashSet<_>>().len() == list.len();
        let common = |from: &[String], of: &[String]| -> Vec<String> {
            let of: HashSet<&String> = of.iter().collect();
            from.iter().filter(|n| of.contains(n)).cloned().collect()
        };
        names.iter().all(distinct) && common(&names[0], &names[1]) == common(&names[1], &names[0])
    }

    /// An item's name: its identity, or its value.
    fn item_name(&self, doc: Doc<'_>, item: &Member) -> String {
        if let Value::Object(members) = &item.node.value
            && let Some(found) = self.rules.identity().find_map(|key| members.iter().find(|m| m.key == key))
        {
            return format!("{}={}", found.key, doc.canonical(&found.node));
        }
        doc.canonical(&item.node)
    }

    /// Merges the members of an object, or the items of an array, in the release's order and form.
    fn members(
        &mut self,
        pointer: &str,
        base: &[Member],
        site: &[Member],
        release: &[Member],
        whole: &Node,
    ) -> Vec<u8> {
        let object = matches!(whole.value, Value::Object(_));
        let names = |doc: Doc<'a>, list: &[Member]| -> Vec<String> {
            list.iter().map(|m| if object { m.key.clone() } else { self.item_name(doc, m) }).collect()
        };
        let (bn, sn, rn) = (names(self.base, base), names(self.site, site), names(self.release, release));
        let [bases, sites, releases] = [&bn, &sn, &rn].map(|list| by_name(list));
        let at = |list: &HashMap<&str, usize>, name: &String| list.get(name.as_str()).copied();
        let mut kept: Vec<(usize, Vec<u8>)> = Vec::new();
        for (k, name) in rn.iter().enumerate() {
            let child = format!("{pointer}\0{}", if object { name.as_str() } else { "" });
            let (b, s) = (at(&bases, name), at(&sites, name));
            let text: Option<Vec<u8>> = match (b, s) {
                (_, Some(s)) => {
                    let base = b.map(|b| &base[b].node);
                    Some(self.value(&child, base, &site[s].node, &release[k].node).into_owned())
                }
                (Some(b), None) => {
                    let nodes = (Some(&base[b].node), None, Some(&release[k].node));
                    if self.same((self.base, &base[b].node), (self.release, &release[k].node)) {
                        self.note(&child, nodes, Outcome::Kept, None, None);
                        None
                    } else {
                        self.note(&child, nodes, Outcome::Open, None, Some(Reason::SiteDeleted));
                        Some(self.release.raw(&release[k].node).to_vec())
                    }
                }
                (None, None) => Some(self.release.raw(&release[k].node).to_vec()),
            };
            if let Some(text) = text {
                kept.push((k, text));
            }
        }
        // The site's own go after what they follow on the site.
        let mut own: BTreeMap<Option<usize>, Vec<usize>> = BTreeMap::new();
        let mut anchor = None;
        for (k, name) in sn.iter().enumerate() {
            if let Some(r) = at(&releases, name) {
                anchor = Some(r);
                continue;
            }
            let child = format!("{pointer}\0{}", if object { name.as_str() } else { "" });
            let b = at(&bases, name);
            let nodes = (b.map(|b| &base[b].node), Some(&site[k].node), None);
            match b {
                // The release dropped it, and the site had left it alone.
                Some(b) if self.same((self.base, &base[b].node), (self.site, &site[k].node)) => continue,
                Some(_) => self.note(&child, nodes, Outcome::Open, None, Some(Reason::KeyGone)),
                None => self.note(&child, nodes, Outcome::Kept, None, None),
            }
            own.entry(anchor).or_default().push(k);
        }
        for (b, name) in bn.iter().enumerate() {
            if at(&sites, name).is_none() && at(&releases, name).is_none() {
                let child = format!("{pointer}\0{}", if object { name.as_str() } else { "" });
                self.note(
                    &child,
                    (Some(&base[b].node), None, None),
                    Outcome::Already,
                    Some(Step::BothDeleted),
                    None,
                );
            }
        }
        let mut pieces: Vec<Piece> = own.remove(&None).unwrap_or_default().into_iter().map(Piece::Site).collect();
        for (k, text) in kept {
            pieces.push(Piece::Release(k, text));
            pieces.extend(own.remove(&Some(k)).unwrap_or_default().into_iter().map(Piece::Site));
        }
        self.write(site, release, whole, &pieces)
    }

    /// A value of the site, indented as the release is at a place.
    fn refit(&self, node: &Node, at: usize) -> Vec<u8> {
        let raw = self.site.raw(node);
        if !raw.contains(&b'\n') {
            return raw.to_vec();
        }
        let (from, to) = (self.site.indent_at(node.span.start), self.release.indent_at(at));
        self.refit.write(raw, from, to)
    }

    /// Writes the members with the release's text around them.
    fn write(&self, site: &[Member], release: &[Member], whole: &Node, pieces: &[Piece]) -> Vec<u8> {
        let text = self.release.text;
        let (open, close) = (text[whole.span.start], text[whole.span.end - 1]);
        let last = release.last();
        let closing = &text[last.map_or(whole.span.start + 1, |m| m.after_comma.end)..whole.span.end - 1];
        let trailing_comma = last.is_some_and(|m| text[m.body.end..m.after_comma.start].contains(&b','));
        let mut out = vec![open];
        if pieces.is_empty() {
            out.push(close);
            return out;
        }
        let end: &[u8] = if text.windows(2).any(|w| w == b"\r\n") { b"\r\n" } else { b"\n" };
        let unit = super::keyed::unit(text);
        let own_indent = self.release.indent_at(whole.span.start);
        // Blanks before a new member: as before its siblings; in an empty object, one level deeper.
        let before: Vec<u8> = match release.first() {
            Some(first) => {
                let blanks = &text[first.before.clone()];
                match blanks.iter().rposition(|b| *b == b'\n') {
                    Some(at) => [end, &blanks[at + 1..]].concat(),
                    None if release.len() > 1 => b" ".to_vec(),
                    None => blanks.to_vec(),
                }
            }
            None => [end, own_indent, &unit].concat(),
        };
        for (k, piece) in pieces.iter().enumerate() {
            let comma = k + 1 < pieces.len() || trailing_comma;
            match piece {
                Piece::Release(r, value) => {
                    let member = &release[*r];
                    // The first member keeps its own blanks; one that became the first takes the first's.
                    out.extend_from_slice(&text[member.before.clone()]);
                    out.extend_from_slice(&text[member.body.start..member.node.span.start]);
                    out.extend_from_slice(value);
                    out.extend_from_slice(&text[member.after_value.clone()]);
                    if comma {
                        out.push(b',');
                    }
                    out.extend_from_slice(&text[member.after_comma.clone()]);
                }
                Piece::Site(s) => {
                    let member = &site[*s];
                    if k > 0 || before.contains(&b'\n') || !release.is_empty() {
                        let inline_first = k == 0 && !before.contains(&b'\n');
                        let lead =
                            if inline_first { release.first().map(|m| &text[m.before.clone()]) } else { None };
                        let inline = k > 0 && !before.contains(&b'\n');
                        out.extend_from_slice(if inline { b" " } else { lead.unwrap_or(&before) });
                    }
                    let from = self.site.indent_at(member.body.start);
                    let to: Vec<u8> = before.iter().copied().filter(|b| matches!(b, b' ' | b'\t')).collect();
                    let raw = &self.site.text[member.body.clone()];
                    let raw = self.refit.write(raw, from, &to);
                    out.extend_from_slice(&raw);
                    if comma {
                        out.push(b',');
                    }
                }
            }
        }
        if release.is_empty() {
            out.extend_from_slice(end);
            out.extend_from_slice(own_indent);
        } else {
            out.extend_from_slice(closing);
        }
        out.push(close);
        out
    }
}

/// A member of the result.
enum Piece {
    /// The release's, with this text for its value.
    Release(usize, Vec<u8>),
    /// The site's.
    Site(usize),
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn merged(base: &str, site: &str, release: &str) -> (String, Vec<(String, Outcome)>) {
        let merge = merge(base.as_bytes(), site.as_bytes(), release.as_bytes(), &Rules::default()).unwrap();
        let list = merge.changes.iter().map(|c| (c.pointer.replace('\0', "/"), c.outcome)).collect();
        (String::from_utf8(merge.bytes).unwrap(), list)
    }

    #[test]
    fn values_are_spliced_into_the_releases_text() {
        let base = "{\n  \"a\": 1,\n  \"b\": {\"c\": \"x\"},\n  \"d\": [1, 2]\n}\n";
        let site = "{\"b\":{\"c\":\"own\"},\"a\":1,\"d\":[1,2],\"e\":{\"f\":true}}";
        let release = "{\r\n    // new\r\n    \"a\": 1.50,\r\n    \"b\": { \"c\": \"x\", \"n\": 0 }, // kept\r\n    \"d\": [ 1, 2 ]\r\n}";
        let (text, changes) = merged(base, site, release);
        assert_eq!(
            text,
            "{\r\n    // new\r\n    \"a\": 1.50,\r\n    \"b\": { \"c\": \"own\", \"n\": 0 }, // kept\r\n    \"d\": [ 1, 2 ],\r\n    \"e\":{\"f\":true}\r\n}"
        );
        assert_eq!(changes, [("/b/c".into(), Outcome::Kept), ("/e".into(), Outcome::Kept)]);
    }

    #[test]
    fn collisions_are_asked_with_the_sites_value_standing() {
        let (text, changes) = merged("{\"a\": 1, \"k\": 1}", "{\"a\": 2, \"k\": 9}", "{\"a\": 3}");
        assert_eq!(changes, [("/a".into(), Outcome::Open), ("/k".into(), Outcome::Open)]);
        assert_eq!(text, "{\"a\": 2, \"k\": 9}");
    }

    #[test]
    fn items_merge_by_identity_and_scalars_as_a_set() {
        let (text, _) = merged(
            "{\"l\": [{\"id\": 1, \"v\": 1}, {\"id\": 2, \"v\": 2}], \"s\": [\"a\", \"b\"]}",
            "{\"l\": [{\"id\": 1, \"v\": 9}, {\"id\": 2, \"v\": 2}], \"s\": [\"a\", \"own\", \"b\"]}",
            "{\"l\": [{\"id\": 3, \"v\": 3}, {\"id\": 1, \"v\": 1}, {\"id\": 2, \"v\": 5}], \"s\": [\"a\", \"b\", \"c\"]}",
        );
        assert_eq!(
            text,
            "{\"l\": [{\"id\": 3, \"v\": 3}, {\"id\": 1, \"v\": 9}, {\"id\": 2, \"v\": 5}], \"s\": [\"a\", \"own\", \"b\", \"c\"]}"
        );
        let (_, changes) = merged("{\"s\": [1, [2]]}", "{\"s\": [1, [3]]}", "{\"s\": [0, [2]]}");
        assert_eq!(changes, [("/s".into(), Outcome::Open)]);
    }

    #[test]
    fn lists_that_order_an_object_stay_true_to_it() {
        let (text, changes) = merged(
            "{\"of\": {\"a\": {\"v\": 1}, \"b\": {\"v\": 1}}, \"order\": [\"a\", \"b\"]}",
            "{\"of\": {\"a\": {\"v\": 1}, \"b\": {\"v\": 9}, \"own\": {}}, \"order\": [\"a\", \"b\", \"own\"]}",
            "{\"of\": {\"a\": {\"v\": 1}, \"c\": {\"v\": 2}}, \"order\": [\"c\", \"a\"]}",
        );
        assert_eq!(
            text,
            "{\"of\": {\"a\": {\"v\": 1}, \"b\": {\"v\": 9}, \"own\": {}, \"c\": {\"v\": 2}}, \"order\": [\"c\", \"a\", \"b\", \"own\"]}"
        );
        assert_eq!(changes.iter().filter(|(_, o)| *o == Outcome::Open).count(), 1, "the release dropped b");
        // Two that stay keep their order, also where they were the last ones, and the other way round.
        let (text, _) = merged(
            "{\"of\": {\"a\": 1, \"b\": 2, \"c\": 3}, \"order\": [\"a\", \"b\", \"c\"]}",
            "{\"of\": {\"a\": 1}, \"order\": [\"a\"]}",
            "{\"of\": {\"a\": 1, \"b\": 5, \"c\": 6}, \"order\": [\"a\", \"b\", \"c\"]}",
        );
        assert_eq!(text, "{\"of\": {\"a\": 1, \"b\": 5, \"c\": 6}, \"order\": [\"a\", \"b\", \"c\"]}");
    }

    #[test]
    fn a_comment_of_the_sites_is_not_dropped() {
        let (base, release) = (b"{\n \"a\": 1 // one\n}", b"{\n \"a\": 2 // one\n}");
        assert!(
            merge(base, b"{\n \"a\": 1 // ours\n}", release, &Rules::default()).is_none(),
            "lines have to decide"
        );
        assert!(merge(base, b"{\"a\":1,\"b\":\"http://x\"}", release, &Rules::default()).is_some());
        assert_eq!(comments(b"/* a */ \"// no\" // b\r\n/* c").len(), 3);
    }

    #[test]
    fn a_renamed_key_takes_the_sites_value_along() {
        let (text, changes) = merged(
            "{\"lead\": \"A house with a story.\"}",
            "{\"lead\": \"Our mill.\"}",
            "{\"intro\": \"A house with a story.\"}",
        );
        assert_eq!(text, "{\"intro\": \"Our mill.\"}");
        assert_eq!(changes, [("/intro".into(), Outcome::Fitted)]);
    }

    #[test]
    fn what_cannot_be_read_is_left_to_text() {
        for bad in ["{\"a\": 1 \"b\": 2}", "{\"a\": 1, \"a\": 2}", "", "{", "[1,]]", &"[".repeat(10_000)] {
            assert!(merge(bad.as_bytes(), b"{}", b"{}", &Rules::default()).is_none(), "{bad:.20}");
        }
        assert!(Parser::document(b"{\"a\": 1, /* c */ \"b\": [1, 2,], } // end").is_some());
    }

    fn document() -> impl Strategy<Value = serde_json::Value> {
        let leaf = prop_oneof![
            (0..4i32).prop_map(serde_json::Value::from),
            "[xy]{0,2}".prop_map(serde_json::Value::from),
            Just(serde_json::Value::Null)
        ];
        leaf.prop_recursive(3, 20, 4, |inner| {
            prop_oneof![
                proptest::collection::vec(inner.clone(), 0..4).prop_map(serde_json::Value::from),
                proptest::collection::btree_map("[abcd]", inner, 0..4)
                    .prop_map(|m| serde_json::Value::Object(m.into_iter().collect()))
            ]
        })
    }

    proptest! {
        /// The laws, in value, and byte for byte where nothing was changed.
        #[test]
        fn laws_hold_on_documents(base in document(), site in document(), release in document()) {
            let pretty = |v: &serde_json::Value| serde_json::to_string_pretty(v).unwrap().into_bytes();
            let tight = |v: &serde_json::Value| v.to_string().into_bytes();
            let (b, s, r) = (pretty(&base), tight(&site), pretty(&release));
            let read = |m: &KeyedMerge| -> serde_json::Value { serde_json::from_slice(&m.bytes).unwrap() };
            prop_assert_eq!(&merge(&b, &b, &r, &Rules::default()).unwrap().bytes, &r);
            prop_assert_eq!(&read(&merge(&b, &s, &b, &Rules::default()).unwrap()), &site);
            prop_assert_eq!(read(&merge(&b, &r, &r, &Rules::default()).unwrap()), release);
            // Whatever comes out is well-formed.
            read(&merge(&b, &s, &r, &Rules::default()).unwrap());
        }
    }
}
