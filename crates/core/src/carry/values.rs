//! The values of settings and catalogs by their paths, for the proof: read with parsers that the merge does not
//! use, where there is one.

use std::collections::BTreeMap;

use saphyr_parser::{Event, Parser, ScalarStyle};
use serde_json::{Map, Value};

use crate::text::{Text, split_lines};

/// The values of a file by their paths; `None` for files that have none, or cannot be read. Items with an identity
/// go by it, other lists are one value.
pub(super) fn keyed_values(path: &str, bytes: &[u8]) -> Option<BTreeMap<String, String>> {
    let mut text = Text::decode(bytes)?;
    // Line ends within a value are the file's, whatever they are.
    if text.body.contains(&b'\r') {
        let lines = split_lines(&text.body).into_iter().flat_map(|line| [line.content, b"\n"]);
        text.body = lines.collect::<Vec<_>>().concat().into();
    }
    let extension = path.rsplit_once('.').map(|(_, e)| e.to_ascii_lowercase())?;
    let value: Value = match extension.as_str() {
        "po" => return catalog_values(&text.body),
        "json" | "jsonc" => serde_json::from_str(&without_comments(std::str::from_utf8(&text.body).ok()?)).ok()?,
        "toml" => toml::from_str(std::str::from_utf8(&text.body).ok()?).ok()?,
        "yaml" | "yml" => yaml(std::str::from_utf8(&text.body).ok()?)?,
        "ini" | "cfg" | "conf" | "properties" => ini(std::str::from_utf8(&text.body).ok()?)?,
        _ => return None,
    };
    let mut out = BTreeMap::new();
    walk(&value, String::new(), &mut out);
    Some(out)
}

fn walk(value: &Value, path: String, out: &mut BTreeMap<String, String>) {
    let name = |item: &Value| ["id", "key", "slug", "name"].iter().find_map(|k| item.get(k)).map(Value::to_string);
    match value {
        Value::Object(members) if !members.is_empty() => {
            for (key, value) in members {
                walk(value, format!("{path}\0{key}"), out);
            }
        }
        Value::Array(items) if !items.is_empty() && items.iter().all(|i| name(i).is_some()) => {
            for item in items {
                walk(item, format!("{path}\0{}", name(item).unwrap_or_default()), out);
            }
        }
        Value::Number(number) => {
            let text = number.as_f64().map_or(number.to_string(), |n| n.to_string());
            out.insert(path, text);
        }
        other => {
            out.insert(path, other.to_string());
        }
    }
}

/// JSON without the comments and last commas that many tools allow, each value on the line that it stood on.
pub(super) fn without_comments(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    let mut rest = text;
    while let Some(first) = rest.chars().next() {
        let end = match first {
            '"' => string_end(rest),
            '/' if rest.starts_with("//") => rest.find('\n').unwrap_or(rest.len()),
            '/' if rest.starts_with("/*") => rest.find("*/").map_or(rest.len(), |at| at + 2),
            _ => first.len_utf8(),
        };
        if first == '/' && end > 1 {
            out.push(' ');
            out.extend(rest[..end].chars().filter(|c| *c == '\n'));
        } else {
            if matches!(first, ']' | '}') && out.trim_end().ends_with(',') {
                out.replace_range(out.trim_end().len() - 1..out.trim_end().len(), " ");
            }
            out.push_str(&rest[..end]);
        }
        rest = &rest[end..];
    }
    out
}

/// Where a string in quotes ends that a text begins with.
fn string_end(text: &str) -> usize {
    let mut escaped = false;
    let closes = |(_, c): &(usize, char)| {
        let is_end = *c == '"' && !escaped;
        escaped = *c == '\\' && !escaped;
        is_end
    };
    text.char_indices().skip(1).find(closes).map_or(text.len(), |(at, _)| at + 1)
}

/// Reads a YAML document of plain keys; anchors, aliases and tags go unseen.
fn yaml(text: &str) -> Option<Value> {
    fn node<'a>(events: &mut impl Iterator<Item = Event<'a>>, first: Event<'a>, depth: usize) -> Option<Value> {
        if depth > 200 {
            return None;
        }
        Some(match first {
            Event::Scalar(text, ScalarStyle::Plain, ..) => match text.parse::<f64>() {
                Ok(number) if number.is_finite() => Value::from(number),
                _ => Value::from(text),
            },
            Event::Scalar(text, ..) => Value::from(text),
            Event::Alias(id) => Value::from(format!("*{id}")),
            Event::SequenceStart(..) => {
                let mut items = Vec::new();
                loop {
                    match events.next()? {
                        Event::SequenceEnd => break Value::Array(items),
                        event => items.push(node(events, event, depth + 1)?),
                    }
                }
            }
            Event::MappingStart(..) => {
                let mut members = Map::new();
                loop {
                    match events.next()? {
                        Event::MappingEnd => break Value::Object(members),
                        Event::Scalar(key, ..) => {
                            let event = events.next()?;
                            members.insert(key.into_owned(), node(events, event, depth + 1)?);
                        }
                        _ => return None,
                    }
                }
            }
            _ => return None,
        })
    }
    if crate::formats::yaml::fault(text).is_some() {
        return None;
    }
    let mut events = Parser::new_from_str(text).map_while(Result::ok).map(|(event, _)| event);
    events.find(|e| matches!(e, Event::DocumentStart(_)))?;
    let first = events.next()?;
    let value = node(&mut events, first, 0)?;
    (!events.any(|e| matches!(e, Event::DocumentStart(_)))).then_some(value)
}

/// Reads `key = value` lines in sections. Lines that go on with the value above count to it. `None` where there are
/// lines of another kind.
fn ini(text: &str) -> Option<Value> {
    let mut root = Map::new();
    let mut section = String::new();
    let mut last: Option<String> = None;
    for line in text.lines().filter(|l| !l.trim().is_empty() && !l.trim_start().starts_with(['#', ';', '!'])) {
        if let Some(name) = line.trim().strip_prefix('[') {
            section = name.split(']').next()?.trim().to_string();
            last = None;
            continue;
        }
        let indented = line.starts_with([' ', '\t']);
        if let (true, Some(key)) = (indented, &last)
            && let Some(Value::String(value)) = root.get_mut(key)
        {
            value.push('\n');
            value.push_str(line.trim());
            continue;
        }
        let (key, value) = line.split_once(['=', ':'])?;
        let key = format!("{section}\0{}", key.trim());
        root.insert(key.clone(), Value::from(value.trim()));
        last = Some(key);
    }
    Some(Value::Object(root))
}

/// The translations of a catalog by context and id, each plural form on a line; the header and obsolete entries left out.
/// `None` where the text is no catalog.
fn catalog_values(text: &[u8]) -> Option<BTreeMap<String, String>> {
    let text = std::str::from_utf8(text).ok()?;
    let mut out = BTreeMap::new();
    let (mut key, mut value, mut in_value, mut in_plural) = (String::new(), String::new(), false, false);
    let mut close = |key: &mut String, value: &mut String| {
        if !key.is_empty() && key != "msgid" {
            // An empty plural form at the end says as little as none.
            out.insert(std::mem::take(key), value.trim_end_matches('\n').to_string());
        }
        key.clear();
        value.clear();
    };
    for line in text.lines().map(str::trim).filter(|l| !l.starts_with('#')) {
        let Some((word, string)) = line.split_once('"') else {
            if line.is_empty() {
                continue;
            }
            return None;
        };
        let string = string.strip_suffix('"')?;
        let word = word.trim();
        let is_form = || word.strip_prefix("msgstr[").is_some_and(|number| number.ends_with(']'));
        if !["", "msgctxt", "msgid", "msgid_plural", "msgstr"].contains(&word) && !is_form() {
            return None;
        }
        if word.starts_with("msgctxt") || (word == "msgid" && (in_value || !key.starts_with("msgctxt"))) {
            close(&mut key, &mut value);
        }
        if !word.is_empty() {
            (in_value, in_plural) = (word.starts_with("msgstr"), word == "msgid_plural");
            match in_value {
                true if word != "msgstr" && word != "msgstr[0]" => value.push('\n'),
                true => {}
                false if in_plural => {}
                false => key.push_str(word),
            }
        }
        match in_value {
            true => value.push_str(string),
            false if in_plural => {}
            false => key.push_str(string),
        }
    }
    close(&mut key, &mut value);
    Some(out)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_same_values_read_alike_in_every_format() {
        let of = |path: &str, text: &str| keyed_values(path, text.as_bytes()).unwrap();
        let json = of("a.json", "{\"a\": {\"b\": 1, \"c\": \"x\"}, \"l\": [{\"id\": \"q\", \"v\": 2}]}");
        assert_eq!(of("a.yml", "a:\n  c: 'x' # note\n  b: 1\nl:\n- id: q\n  v: 2\n"), json);
        assert_eq!(of("a.toml", "[[l]]\nv = 2\nid = \"q\"\n[a]\nb = 1\nc = \"x\"\n"), json);
        let remarks = "{\"a\": {// ]\n\"b\": 1, \"c\": \"x\",}, /* } */ \"l\": [{\"id\": \"q\", \"v\": 2},\n]}";
        assert_eq!(of("a.jsonc", remarks), json);
        assert_eq!(of("a.json", "{\"a\": \"// \\\" /* \"}")["\0a"], "\"// \\\" /* \"");
        let forms = "msgid \"a\"\nmsgid_plural \"as\"\nmsgstr[0] \"\"\n\"x\"\nmsgstr[1] \"y\"\n\nmsgid \"b\"\nmsgstr \"z\"\n";
        assert_eq!(
            of("a.po", forms),
            [("msgida", "x\ny"), ("msgidb", "z")].map(|(k, v)| (k.into(), v.into())).into()
        );
        let left_out = forms.replace("msgstr[1] \"y\"\n", "");
        assert_eq!(of("a.po", &forms.replace("\"y\"", "\"\"")), of("a.po", &left_out));
        assert_eq!(of("a.ini", "[a]\nb = 1\n  2\n;c\n")["\0a\0b"], "\"1\\n2\"");
        for (path, text) in [("a.yaml", "a: ["), ("a.css", "a {}"), ("a.po", "msgid \"a\"\nmsgtext \"b\"\n")] {
            assert!(keyed_values(path, text.as_bytes()).is_none(), "{path}");
        }
    }
}
