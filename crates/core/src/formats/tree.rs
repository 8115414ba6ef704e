//! Settings as trees of values in the file's own literals: what differs, and a file that holds just that.

use saphyr_parser::{Event, Parser, ScalarStyle};
use serde_json::{Map, Value, json};

use crate::text::Text;

/// A tree of values. Leaves are literals, as the format writes them.
#[derive(Debug, Clone, PartialEq)]
pub(crate) enum Node {
    Leaf { literal: String, value: Value },
    Map(Vec<(String, Node)>),
    List(Vec<Node>),
}

/// The formats that can be read and written here.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Format {
    Json,
    Toml,
    Yaml,
    Ini,
}

fn format_of(path: &str) -> Option<Format> {
    match path.rsplit_once('.')?.1.to_ascii_lowercase().as_str() {
        "json" | "jsonc" => Some(Format::Json),
        "toml" => Some(Format::Toml),
        "yaml" | "yml" => Some(Format::Yaml),
        "ini" | "cfg" | "conf" => Some(Format::Ini),
        _ => None,
    }
}

/// Reads settings; `None` where they are in no format that can be written here, or cannot be read.
pub(crate) fn read(path: &str, bytes: &[u8]) -> Option<Node> {
    let text = Text::decode(bytes)?;
    let text = std::str::from_utf8(&text.body).ok()?;
    match format_of(path)? {
        Format::Json => super::json::tree(text.as_bytes()),
        Format::Toml => Some(of_toml(&toml::Value::Table(toml::from_str(text).ok()?))),
        Format::Yaml => of_yaml(text),
        Format::Ini => of_ini(text),
    }
}

fn of_toml(value: &toml::Value) -> Node {
    match value {
        toml::Value::Table(map) => Node::Map(map.iter().map(|(k, v)| (k.clone(), of_toml(v))).collect()),
        toml::Value::Array(list) => Node::List(list.iter().map(of_toml).collect()),
        toml::Value::Datetime(time) => {
            Node::Leaf { literal: time.to_string(), value: Value::from(time.to_string()) }
        }
        leaf => Node::Leaf {
            literal: leaf.to_string(),
            value: serde_json::to_value(leaf).unwrap_or_else(|_| Value::from(leaf.to_string())),
        },
    }
}

/// Reads one YAML document without anchors, tags, and keys that are no scalars or stand twice.
fn of_yaml(text: &str) -> Option<Node> {
    fn node<'a>(events: &mut impl Iterator<Item = Event<'a>>, first: Event<'a>, depth: usize) -> Option<Node> {
        if depth > 200 {
            return None;
        }
        Some(match first {
            Event::Scalar(_, _, anchor, ref tag) if anchor != 0 || tag.is_some() => return None,
            Event::Scalar(text, ScalarStyle::Plain, ..) => {
                let value = serde_json::from_str(&text).unwrap_or_else(|_| Value::from(text.as_ref()));
                Node::Leaf { literal: text.into_owned(), value }
            }
            Event::Scalar(text, ..) => {
                Node::Leaf { literal: Value::from(text.as_ref()).to_string(), value: Value::from(text.as_ref()) }
            }
            Event::SequenceStart(0, None) => {
                let mut items = Vec::new();
                loop {
                    match events.next()? {
                        Event::SequenceEnd => break Node::List(items),
                        event => items.push(node(events, event, depth + 1)?),
                    }
                }
            }
            Event::MappingStart(0, None) => {
                let mut members = Vec::new();
                let mut seen = std::collections::HashSet::new();
                loop {
                    match events.next()? {
                        Event::MappingEnd => break Node::Map(members),
                        Event::Scalar(key, _, 0, None) if seen.insert(key.to_string()) => {
                            let event = events.next()?;
                            members.push((key.into_owned(), node(events, event, depth + 1)?));
                        }
                        _ => return None,
                    }
                }
            }
            _ => return None,
        })
    }
    let events: Result<Vec<_>, _> = Parser::new_from_str(text).collect();
    let mut events = events.ok()?.into_iter().map(|(event, _)| event);
    events.find(|e| matches!(e, Event::DocumentStart(_)))?;
    let first = events.next()?;
    let tree = node(&mut events, first, 0)?;
    (!events.any(|e| matches!(e, Event::DocumentStart(_)))).then_some(tree)
}

/// Reads `key = value` lines in sections, each value on one line; nothing where a key stands twice.
fn of_ini(text: &str) -> Option<Node> {
    let mut root: Vec<(String, Node)> = Vec::new();
    let mut section: Option<usize> = None;
    for line in text.lines() {
        let words = line.trim();
        if words.is_empty() || words.starts_with(['#', ';', '!']) {
            continue;
        }
        if line.starts_with([' ', '\t']) {
            return None;
        }
        if let Some(name) = words.strip_prefix('[').and_then(|w| w.strip_suffix(']')) {
            section = Some(root.len());
            root.push((name.to_string(), Node::Map(Vec::new())));
            continue;
        }
        let (key, value) = words.split_once('=')?;
        let leaf = Node::Leaf { literal: value.trim().to_string(), value: Value::from(value.trim()) };
        let entry = (key.trim().to_string(), leaf);
        match section.map(|k| &mut root[k].1) {
            Some(Node::Map(list)) => list.push(entry),
            _ => root.push(entry),
        }
    }
    let twice = |list: &[(String, Node)]| {
        let mut seen = std::collections::HashSet::new();
        list.iter().any(|(key, _)| !seen.insert(key.clone()))
    };
    let within = |node: &Node| matches!(node, Node::Map(list) if twice(list));
    let unique = !twice(&root) && !root.iter().any(|(_, node)| within(node));
    unique.then_some(Node::Map(root))
}

impl Node {
    pub(crate) fn to_json(&self) -> Value {
        match self {
            Node::Leaf { value, .. } => value.clone(),
            Node::Map(list) => {
                Value::Object(list.iter().map(|(k, v)| (k.clone(), v.to_json())).collect::<Map<_, _>>())
            }
            Node::List(list) => Value::Array(list.iter().map(Node::to_json).collect()),
        }
    }

    /// Puts a value at a path, with the tables that lead there.
    pub(crate) fn set(&mut self, path: &[String], new: Node) {
        let Some((name, rest)) = path.split_first() else {
            *self = new;
            return;
        };
        let Node::Map(list) = self else { return };
        let k = list.iter().position(|(k, _)| k == name).unwrap_or_else(|| {
            list.push((name.clone(), Node::Map(Vec::new())));
            list.len() - 1
        });
        list[k].1.set(rest, new);
    }

    pub(crate) fn get(&self, key: &str) -> Option<&Node> {
        match self {
            Node::Map(list) => list.iter().find(|(k, _)| k == key).map(|(_, v)| v),
            _ => None,
        }
    }

    /// Equal in value, whatever the order of keys.
    pub(crate) fn same(&self, other: &Node) -> bool {
        match (self, other) {
            (Node::Map(a), Node::Map(b)) => {
                a.len() == b.len() && a.iter().all(|(k, v)| other.get(k).is_some_and(|o| v.same(o)))
            }
            (Node::List(a), Node::List(b)) => a.len() == b.len() && a.iter().zip(b).all(|(a, b)| a.same(b)),
            (Node::Leaf { literal: a, .. }, Node::Leaf { literal: b, .. }) => a == b,
            _ => false,
        }
    }
}

/// What the site has otherwise: added and changed keys, tables within tables. `None` where nothing differs.
///
/// # Errors
///
/// The key that the site took out, which no addition can express.
pub(crate) fn difference(base: &Node, site: &Node, at: &str) -> Result<Option<Node>, String> {
    let (Node::Map(b), Node::Map(s)) = (base, site) else {
        return Ok((!base.same(site)).then(|| site.clone()));
    };
    if let Some((gone, _)) = b.iter().find(|(k, _)| site.get(k).is_none()) {
        return Err(format!("{at}{gone}"));
    }
    let mut out = Vec::new();
    for (key, value) in s {
        match base.get(key) {
            None => out.push((key.clone(), value.clone())),
            Some(old) => {
                if let Some(inner) = difference(old, value, &format!("{at}{key}."))? {
                    out.push((key.clone(), inner));
                }
            }
        }
    }
    Ok((!out.is_empty()).then_some(Node::Map(out)))
}

/// Lays a child's settings over a parent's: tables key by key, all else whole.
pub(crate) fn laid_over(parent: &Node, child: &Node) -> Node {
    let (Node::Map(p), Node::Map(c)) = (parent, child) else { return child.clone() };
    let mut out: Vec<(String, Node)> =
        p.iter().map(|(k, v)| (k.clone(), child.get(k).map_or_else(|| v.clone(), |c| laid_over(v, c)))).collect();
    out.extend(c.iter().filter(|(k, _)| parent.get(k).is_none()).cloned());
    Node::Map(out)
}

/// Tells whether the format of a path can be read and written here.
pub(crate) fn is_known(path: &str) -> bool {
    format_of(path).is_some()
}

/// Tells whether two paths have one format.
pub(crate) fn same_format(a: &str, b: &str) -> bool {
    format_of(a) == format_of(b)
}

/// Writes settings in the format of a path; literals of another format are written anew.
pub(crate) fn write_into(path: &str, node: &Node, same_format: bool) -> Option<String> {
    if same_format {
        return write(path, node);
    }
    let format = format_of(path)?;
    fn anew(node: &Node, format: Format) -> Node {
        match node {
            Node::Map(list) => Node::Map(list.iter().map(|(k, v)| (k.clone(), anew(v, format))).collect()),
            Node::List(list) => Node::List(list.iter().map(|v| anew(v, format)).collect()),
            Node::Leaf { value, .. } => {
                let literal = match (format, value) {
                    (Format::Ini, Value::String(text)) => text.clone(),
                    _ => value.to_string(),
                };
                Node::Leaf { literal, value: value.clone() }
            }
        }
    }
    write(path, &anew(node, format))
}

/// Writes settings in the format of a path.
pub(crate) fn write(path: &str, node: &Node) -> Option<String> {
    Some(match format_of(path)? {
        Format::Json => {
            let mut out = String::new();
            write_json(node, 0, &mut out);
            out + "\n"
        }
        Format::Toml => {
            let mut out = String::new();
            write_toml(node, "", &mut out)?;
            out
        }
        Format::Yaml => {
            let mut out = String::new();
            write_yaml(node, 0, &mut out);
            out
        }
        Format::Ini => {
            let Node::Map(list) = node else { return None };
            let mut out = String::new();
            for (key, value) in list.iter().filter(|(_, v)| matches!(v, Node::Leaf { .. })) {
                let Node::Leaf { literal, .. } = value else { continue };
                out += &format!("{key} = {literal}\n");
            }
            for (name, inner) in list {
                let Node::Map(inner) = inner else { continue };
                out += &format!("{}[{name}]\n", if out.is_empty() { "" } else { "\n" });
                for (key, value) in inner {
                    let Node::Leaf { literal, .. } = value else { return None };
                    out += &format!("{key} = {literal}\n");
                }
            }
            out
        }
    })
}

fn write_json(node: &Node, depth: usize, out: &mut String) {
    let (inner, outer) = ("  ".repeat(depth + 1), "  ".repeat(depth));
    match node {
        Node::Leaf { literal, .. } => *out += literal,
        Node::Map(list) if list.is_empty() => *out += "{}",
        Node::List(list) if list.is_empty() => *out += "[]",
        Node::Map(list) => {
            for (k, (key, value)) in list.iter().enumerate() {
                *out += &format!("{}\n{inner}{}: ", if k == 0 { "{" } else { "," }, Value::from(key.as_str()));
                write_json(value, depth + 1, out);
            }
            *out += &format!("\n{outer}}}");
        }
        Node::List(list) => {
            for (k, value) in list.iter().enumerate() {
                *out += &format!("{}\n{inner}", if k == 0 { "[" } else { "," });
                write_json(value, depth + 1, out);
            }
            *out += &format!("\n{outer}]");
        }
    }
}

/// How a format writes tables on one line.
struct Inline {
    key: fn(&str) -> String,
    sign: &'static str,
    braces: [&'static str; 2],
}

const TOML: Inline = Inline { key: toml_key, sign: " = ", braces: ["{ ", " }"] };
const YAML: Inline = Inline { key: yaml_key, sign: ": ", braces: ["{", "}"] };

/// A value on one line.
fn inline(node: &Node, form: &Inline) -> String {
    let joined = |parts: Vec<String>| parts.join(", ");
    match node {
        Node::Leaf { literal, .. } => literal.clone(),
        Node::List(list) => format!("[{}]", joined(list.iter().map(|v| inline(v, form)).collect())),
        Node::Map(map) => {
            let member = |(k, v): &(String, Node)| format!("{}{}{}", (form.key)(k), form.sign, inline(v, form));
            let [open, close] = form.braces;
            format!("{open}{}{close}", joined(map.iter().map(member).collect()))
        }
    }
}

fn toml_key(key: &str) -> String {
    let bare = !key.is_empty() && key.bytes().all(|b| b.is_ascii_alphanumeric() || b == b'_' || b == b'-');
    if bare { key.to_string() } else { Value::from(key).to_string() }
}

fn write_toml(node: &Node, at: &str, out: &mut String) -> Option<()> {
    let Node::Map(list) = node else { return None };
    let (tables, plain): (Vec<_>, Vec<_>) = list.iter().partition(|(_, v)| matches!(v, Node::Map(_)));
    if !plain.is_empty() && !at.is_empty() {
        *out += &format!("{}[{at}]\n", if out.is_empty() { "" } else { "\n" });
    }
    for (key, value) in plain {
        *out += &format!("{} = {}\n", toml_key(key), inline(value, &TOML));
    }
    for (key, value) in tables {
        let inner = if at.is_empty() { toml_key(key) } else { format!("{at}.{}", toml_key(key)) };
        write_toml(value, &inner, out)?;
    }
    Some(())
}

fn write_yaml(node: &Node, depth: usize, out: &mut String) {
    let Node::Map(list) = node else {
        *out += &inline(node, &YAML);
        return;
    };
    for (key, value) in list {
        let indent = "  ".repeat(depth);
        match value {
            Node::Map(inner) if !inner.is_empty() => {
                *out += &format!("{indent}{}:\n", yaml_key(key));
                write_yaml(value, depth + 1, out);
            }
            Node::List(items) if !items.is_empty() => {
                *out += &format!("{indent}{}:\n", yaml_key(key));
                for item in items {
                    // Plain words may hold what ends them within brackets; on a line of their own they do not.
                    *out += &format!("{indent}  - {}\n", inline(item, &YAML));
                }
            }
            value => *out += &format!("{indent}{}: {}\n", yaml_key(key), inline(value, &YAML)),
        }
    }
}

fn yaml_key(key: &str) -> String {
    let plain = key.bytes().all(|b| b.is_ascii_alphanumeric() || b"_-./".contains(&b)) && !key.is_empty();
    if plain && !key.starts_with(['-', '.']) { key.to_string() } else { Value::from(key).to_string() }
}

/// Lists the operations that lead from one value to another (JSON Patch, RFC 6902).
pub(crate) fn json_patch(old: &Value, new: &Value, at: &str, out: &mut Vec<Value>) {
    let escape = |key: &str| key.replace('~', "~0").replace('/', "~1");
    match (old, new) {
        (Value::Object(a), Value::Object(b)) => {
            for key in a.keys().filter(|k| !b.contains_key(*k)) {
                out.push(json!({"op": "remove", "path": format!("{at}/{}", escape(key))}));
            }
            for (key, value) in b {
                let path = format!("{at}/{}", escape(key));
                match a.get(key) {
                    None => out.push(json!({"op": "add", "path": path, "value": value})),
                    Some(before) => json_patch(before, value, &path, out),
                }
            }
        }
        _ if old != new => out.push(json!({"op": "replace", "path": at, "value": new})),
        _ => {}
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_differs_laid_over_the_base_is_the_site() {
        let cases = [
            (
                "s.json",
                "{\"a\": {\"x\": 1, \"y\": [1]}, \"b\": 2}",
                "{\"b\": 2, \"a\": {\"x\": 5, \"y\": [1, 2], \"z\": null}}",
            ),
            (
                "s.toml",
                "a = 1\n[t]\nx = 'y'\nd = 2024-01-01\n[t.u]\nk = [1]\n",
                "a = 2\n[t]\nx = 'y'\nd = 2025-01-01\n[t.u]\nk = [{ q = 'r' }]\n\"new key\" = 1.50\n",
            ),
            (
                "s.yaml",
                "a: yes\nb:\n  c: 'x'\n  d: [1, 2]\n",
                "a: no\nb:\n  c: \"it's: here\"\n  d: [1, 2]\n  e:\n    - {f: g}\n",
            ),
            ("s.ini", "top = 1\n[a]\nx = 1\ny = 2\n", "top = 2\n[a]\nx = 1\ny = 3 ; no\n[b]\nz = 1\n"),
        ];
        for (path, base, site) in cases {
            let (base, site) = (read(path, base.as_bytes()).unwrap(), read(path, site.as_bytes()).unwrap());
            let only = difference(&base, &site, "").unwrap().unwrap();
            let text = write(path, &only).unwrap();
            let again = read(path, text.as_bytes()).unwrap_or_else(|| panic!("{path}\n{text}"));
            assert!(laid_over(&base, &again).same(&site), "{path}\n{text}");
            assert!(difference(&site, &site, "").unwrap().is_none());
        }
    }

    #[test]
    fn what_was_taken_out_is_named() {
        let of = |text: &str| read("s.json", text.as_bytes()).unwrap();
        assert_eq!(difference(&of("{\"a\": {\"b\": 1}}"), &of("{\"a\": {}}"), "").unwrap_err(), "a.b");
        let mut patch = Vec::new();
        json_patch(&json!({"a/b": 1, "c": [1]}), &json!({"c": [2], "d": 1}), "", &mut patch);
        let ops: Vec<String> =
            patch.iter().map(|o| format!("{} {}", o["op"], o["path"]).replace('"', "")).collect();
        assert_eq!(ops, ["remove /a~1b", "replace /c", "add /d"]);
    }
}
