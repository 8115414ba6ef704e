//! Reading a document: its values with their places in the text.

use std::collections::{HashMap, HashSet};
use std::ops::Range;

use crate::formats::tree::Node as Tree;

/// A parsed value with its place in the text.
#[derive(Debug, Clone)]
pub(super) struct Node {
    /// The value.
    pub(super) span: Range<usize>,
    /// Where its member begins: at the key, if it has one.
    pub(super) from: usize,
    pub(super) value: Value,
}

#[derive(Debug, Clone)]
pub(super) enum Value {
    Object(Vec<Member>),
    Array(Vec<Member>),
    /// String, number or word, as written.
    Scalar,
}

/// A member of an object or an item of an array, with the text around it.
#[derive(Debug, Clone)]
pub(super) struct Member {
    /// The key, decoded; empty for items of an array.
    pub(super) key: String,
    /// From the end of what came before to the start of the member: blanks and comments.
    pub(super) before: Range<usize>,
    /// Key and value.
    pub(super) body: Range<usize>,
    /// From the value to its comma.
    pub(super) after_value: Range<usize>,
    /// From the comma to the end of the line: a comment that belongs to this member.
    pub(super) after_comma: Range<usize>,
    pub(super) node: Node,
}

/// Nesting beyond this is refused.
const DEEPEST: usize = 500;

pub(super) struct Parser<'a> {
    pub(super) text: &'a [u8],
    pub(super) at: usize,
}

impl<'a> Parser<'a> {
    pub(super) fn document(text: &'a [u8]) -> Option<Node> {
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

    pub(super) fn string(&mut self) -> Option<String> {
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
pub(super) fn decoded(literal: &[u8]) -> String {
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
pub(super) struct Doc<'a> {
    pub(super) text: &'a [u8],
}

impl<'a> Doc<'a> {
    pub(super) fn raw(&self, node: &Node) -> &'a [u8] {
        &self.text[node.span.clone()]
    }

    /// A value in a form that compares: blanks, comments, order of keys and way of writing left out.
    pub(super) fn canonical(&self, node: &Node) -> String {
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
    pub(super) fn indent_at(&self, at: usize) -> &'a [u8] {
        let start = self.text[..at].iter().rposition(|b| matches!(b, b'\n' | b'\r')).map_or(0, |p| p + 1);
        let width = self.text[start..].iter().take_while(|b| matches!(b, b' ' | b'\t')).count();
        &self.text[start..start + width]
    }
}

pub(super) fn unique_keys(node: &Node) -> bool {
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
pub(super) fn by_pointer(node: &Node) -> HashMap<String, Range<usize>> {
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

/// The comments of a document, without the blanks around them.
pub(super) fn comments(text: &[u8]) -> Vec<&[u8]> {
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

/// Tells whether every comment that a side wrote, and that is not in the base, is in the result.
pub(super) fn comments_arrived(base: &[u8], side: &[u8], result: &[u8]) -> bool {
    let of_side = comments(side);
    if of_side.is_empty() {
        return true;
    }
    let there: HashSet<&[u8]> = comments(base).into_iter().chain(comments(result)).collect();
    of_side.iter().all(|comment| there.contains(comment))
}

/// Tells whether every comment that both sides have is in the result.
pub(super) fn comments_stayed(site: &[u8], release: &[u8], result: &[u8]) -> bool {
    let of_site: HashSet<&[u8]> = comments(site).into_iter().collect();
    if of_site.is_empty() {
        return true;
    }
    let there: HashSet<&[u8]> = comments(result).into_iter().collect();
    comments(release).iter().all(|comment| !of_site.contains(comment) || there.contains(comment))
}
