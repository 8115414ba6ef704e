//! TOML 1.0 (toml.io), by its keys, tables and arrays of tables.

use std::ops::Range;

use toml_edit::{Document, Item as Node, Table, Value};

use super::flow::Flow;
use super::keyed::Rules;
use super::outline::{Body, Item, Outline, Reader, line_end, line_start};

/// A key or a header, by its place in the text.
enum Mark {
    /// A key: its path below its header, its value.
    Key { path: Vec<String>, value: Range<usize>, body: String },
    /// A header: its name, with the brackets.
    Header(String),
}

/// TOML.
pub(crate) const READER: Reader = Reader { read, flow: Some(Flow { sign: b'=', canonical: value_of }) };

/// A value in a form that compares.
fn value_of(text: &str) -> Option<String> {
    text.parse::<Value>().ok().map(|v| canonical(&v))
}

/// Reads a document into an outline; `None` where it is malformed, or holds an array of tables that have nothing
/// to tell them apart.
fn read(text: &[u8], rules: &Rules) -> Option<Outline> {
    let text = std::str::from_utf8(text).ok()?;
    let document = Document::parse(text).ok()?;
    let mut marks: Vec<(usize, Mark)> = Vec::new();
    table(document.as_table(), &[], &[], rules, &mut marks)?;
    marks.sort_by_key(|(at, _)| *at);
    let text = text.as_bytes();

    let mut root: Vec<Item> = Vec::new();
    let mut lead = 0;
    let mut in_section = false;
    for (start, mark) in marks {
        let line = line_start(text, start);
        let indented = line + text[line..].iter().take_while(|b| matches!(b, b' ' | b'\t')).count();
        let item = |name: String, value: Range<usize>, body: Body| {
            let (line_stop, end) = line_end(text, value.end);
            Item {
                name,
                lead: lead..line,
                start: indented,
                after: value.end..line_stop,
                end,
                value,
                inline: false,
                body,
            }
        };
        let new = match mark {
            Mark::Header(name) => {
                let close = start + text[start..].iter().position(|b| *b == b']')?;
                let close = close + text[close..].iter().take_while(|b| **b == b']').count();
                in_section = true;
                item(name, close..close, Body::Map(Vec::new()))
            }
            Mark::Key { path, value, body } => {
                let sign = indented + text[indented..value.start].iter().rposition(|b| *b == b'=')?;
                let key = item(path.join("."), sign + 1..value.end, Body::Leaf(body));
                lead = key.end;
                match root.last_mut().filter(|_| in_section) {
                    Some(section) => {
                        (section.value.end, section.end) = (key.value.end, key.end);
                        if let Body::Map(items) = &mut section.body {
                            items.push(key);
                        }
                    }
                    None => root.push(key),
                }
                continue;
            }
        };
        lead = new.end;
        root.push(new);
    }
    let outline = Outline { body: Body::Map(root), tail: lead..text.len() };
    outline.names_are_unique().then_some(outline)
}

/// Lists the keys and headers of a table. `name` is that of its header, `path` what its keys have before them.
fn table(
    node: &Table,
    name: &[String],
    path: &[String],
    rules: &Rules,
    out: &mut Vec<(usize, Mark)>,
) -> Option<()> {
    if !node.is_implicit()
        && !node.is_dotted()
        && !name.is_empty()
        && let Some(span) = node.span()
    {
        out.push((span.start, Mark::Header(format!("[{}]", name.join(".")))));
    }
    for (key, item) in node.iter() {
        let below = |list: &[String]| -> Vec<String> { list.iter().cloned().chain([key.to_string()]).collect() };
        match item {
            Node::None => {}
            Node::Value(found) => value(&below(path), found, out)?,
            Node::Table(found) if found.is_dotted() => table(found, name, &below(path), rules, out)?,
            Node::Table(found) => table(found, &below(name), &[], rules, out)?,
            Node::ArrayOfTables(list) => {
                for entry in list.iter() {
                    // By place they would merge silently wrong.
                    let identity = rules.identity().find_map(|key| Some((key, entry.get(key)?.as_value()?)));
                    let (key, identity) = identity?;
                    let mut name = below(name);
                    let last = name.last_mut()?;
                    last.push_str(&format!("[{key}={}]", canonical(identity)));
                    table(entry, &name, &[], rules, out)?;
                }
            }
        }
    }
    Some(())
}

fn value(path: &[String], found: &Value, out: &mut Vec<(usize, Mark)>) -> Option<()> {
    if let Value::InlineTable(table) = found
        && table.is_dotted()
    {
        for (key, found) in table.iter() {
            let path: Vec<String> = path.iter().cloned().chain([key.to_string()]).collect();
            value(&path, found, out)?;
        }
        return Some(());
    }
    let span = found.span()?;
    out.push((span.start, Mark::Key { path: path.to_vec(), value: span, body: canonical(found) }));
    Some(())
}

/// A value in a form that compares: blanks, comments, line ends and way of quoting left out.
fn canonical(value: &Value) -> String {
    match value {
        // Line ends within a text are the file's.
        Value::String(text) => format!("{:?}", text.value().replace("\r\n", "\n")),
        Value::Integer(number) => number.value().to_string(),
        Value::Float(number) => format!("{:?}f", number.value()),
        Value::Boolean(flag) => flag.value().to_string(),
        Value::Datetime(time) => time.value().to_string(),
        Value::Array(list) => format!("[{}]", list.iter().map(canonical).collect::<Vec<_>>().join(",")),
        Value::InlineTable(table) => {
            let mut keys: Vec<String> = table.iter().map(|(k, v)| format!("{k:?}:{}", canonical(v))).collect();
            keys.sort();
            format!("{{{}}}", keys.join(","))
        }
    }
}
