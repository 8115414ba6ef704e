//! What a release allows as values of its settings: a JSON Schema beside them (json-schema.org; types, choices and
//! ranges), a list of fields with their types and choices, or the file of its defaults.

use serde_json::{Map, Value};

use super::tree;

/// What values there may be.
#[derive(Debug, Clone, PartialEq)]
pub(crate) enum Allowed {
    Schema(Value),
    /// By field: its type, choices and range.
    Fields(Map<String, Value>),
    Defaults(Value),
}

impl Allowed {
    /// Reads a file in a format that settings are written in; `None` where it cannot be read.
    pub(crate) fn read(path: &str, bytes: &[u8]) -> Option<Self> {
        let value = tree::read(path, bytes)?.to_json();
        if value.get("properties").is_some() || value.get("$schema").is_some() {
            return Some(Allowed::Schema(value));
        }
        let mut fields = Map::new();
        collect_fields(&value, 0, &mut fields);
        Some(if fields.is_empty() { Allowed::Defaults(value) } else { Allowed::Fields(fields) })
    }

    /// Says why the value at a path is not allowed any more; `None` where it is, or nothing is said of it.
    pub(crate) fn refuses(&self, path: &[String], value: &Value) -> Option<String> {
        match self {
            Allowed::Schema(root) => {
                let mut schema = root;
                for name in path {
                    schema = resolved(root, schema);
                    let member = schema.get("properties").and_then(|p| p.get(name));
                    schema =
                        member.or_else(|| schema.get("additionalProperties")).or_else(|| schema.get("items"))?;
                    if *schema == Value::Bool(false) {
                        return Some("the release has no such setting".into());
                    }
                }
                ruled_out(resolved(root, schema), value)
            }
            Allowed::Fields(fields) => ruled_out(fields.get(path.last()?)?, value),
            Allowed::Defaults(root) => {
                let default = path.iter().try_fold(root, |at, name| at.get(name))?;
                let (wanted, got) = (sort(default), sort(value));
                let differs = wanted != got && !default.is_null() && !value.is_null();
                differs.then(|| format!("the release's default is {wanted}, this is {got}"))
            }
        }
    }
}

/// Fields anywhere in a list of settings: objects with an id and a type.
fn collect_fields(value: &Value, depth: usize, out: &mut Map<String, Value>) {
    if depth > 20 {
        return;
    }
    match value {
        Value::Object(map) => {
            let id = ["id", "key", "slug", "name"].iter().find_map(|k| map.get(*k)?.as_str());
            if let (Some(id), true) = (id, map.get("type").is_some_and(Value::is_string)) {
                out.insert(id.to_string(), value.clone());
            }
            map.values().for_each(|v| collect_fields(v, depth + 1, out));
        }
        Value::Array(list) => list.iter().for_each(|v| collect_fields(v, depth + 1, out)),
        _ => {}
    }
}

/// Follows a reference within the schema.
fn resolved<'s>(root: &'s Value, schema: &'s Value) -> &'s Value {
    let pointer = schema.get("$ref").and_then(Value::as_str).and_then(|r| r.strip_prefix('#'));
    pointer.and_then(|p| root.pointer(p)).unwrap_or(schema)
}

fn sort(value: &Value) -> &'static str {
    match value {
        Value::Null => "null",
        Value::Bool(_) => "a switch",
        Value::Number(_) => "a number",
        Value::String(_) => "a text",
        Value::Array(_) => "a list",
        Value::Object(_) => "a table",
    }
}

fn ruled_out(rule: &Value, value: &Value) -> Option<String> {
    let is = |name: &str| match name {
        "string" => Some(value.is_string()),
        "boolean" => Some(value.is_boolean()),
        "number" => Some(value.is_number()),
        "integer" => Some(value.is_i64() || value.is_u64() || value.as_f64().is_some_and(|n| n.fract() == 0.0)),
        "array" => Some(value.is_array()),
        "object" => Some(value.is_object()),
        "null" => Some(value.is_null()),
        _ => None,
    };
    let types: Vec<&str> = match rule.get("type") {
        Some(Value::String(name)) => vec![name],
        Some(Value::Array(list)) => list.iter().filter_map(Value::as_str).collect(),
        _ => Vec::new(),
    };
    let known: Vec<bool> = types.iter().filter_map(|t| is(t)).collect();
    if !known.is_empty() && known.len() == types.len() && !known.contains(&true) {
        return Some(format!("the release wants {}, this is {}", types.join(" or "), sort(value)));
    }
    let choices = ["enum", "options", "choices"].iter().find_map(|k| rule.get(*k)?.as_array());
    let choices = choices.map(|list| -> Vec<&Value> {
        list.iter().map(|c| ["value", "id"].iter().find_map(|k| c.get(*k)).unwrap_or(c)).collect()
    });
    if let Some(choices) = choices
        && !choices.is_empty()
        && !choices.contains(&value)
    {
        let list: Vec<String> = choices.iter().map(ToString::to_string).collect();
        return Some(format!("the release allows {}", list.join(", ")));
    }
    let number = |keys: [&str; 2]| keys.iter().find_map(|k| rule.get(*k)?.as_f64());
    if let Some(n) = value.as_f64() {
        if let Some(least) = number(["minimum", "min"]).filter(|least| n < *least) {
            return Some(format!("the release allows no less than {least}"));
        }
        if let Some(most) = number(["maximum", "max"]).filter(|most| n > *most) {
            return Some(format!("the release allows no more than {most}"));
        }
    }
    if let Some(text) = value.as_str()
        && let Some(most) = rule.get("maxLength").and_then(Value::as_u64)
        && text.chars().count() as u64 > most
    {
        return Some(format!("the release allows {most} letters"));
    }
    None
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    fn refused(file: &Value, path: &str, value: Value) -> Option<String> {
        let path: Vec<String> = path.split('.').map(String::from).collect();
        Allowed::read("a.json", file.to_string().as_bytes()).unwrap().refuses(&path, &value)
    }

    #[test]
    fn a_schema_says_what_there_may_be() {
        let schema = json!({"properties": {"menu": {"$ref": "#/$defs/menu"}}, "$defs": {"menu": {"properties": {
            "side": {"enum": ["left", "right"]}, "width": {"type": "integer", "maximum": 400}}, "additionalProperties": false}}});
        let of = |path, value| refused(&schema, path, value);
        assert_eq!(of("menu.side", json!("top")).unwrap(), "the release allows \"left\", \"right\"");
        assert_eq!(of("menu.width", json!(500)).unwrap(), "the release allows no more than 400");
        assert_eq!(of("menu.width", json!("wide")).unwrap(), "the release wants integer, this is a text");
        assert_eq!(of("menu.depth", json!(1)).unwrap(), "the release has no such setting");
        assert_eq!(of("menu.width", json!(20)), None);
        assert_eq!(of("other.thing", json!(20)), None, "nothing is said of it");
    }

    #[test]
    fn fields_and_defaults_say_it_too() {
        let fields = json!({"sections": [{"settings": [{"id": "columns", "type": "range", "min": 1, "max": 4},
            {"id": "look", "type": "select", "options": [{"value": "card", "label": "Card"}, {"value": "row"}]}]}]});
        assert!(refused(&fields, "home.columns", json!(6)).is_some());
        assert_eq!(refused(&fields, "home.look", json!("list")).unwrap(), "the release allows \"card\", \"row\"");
        assert_eq!(refused(&fields, "home.look", json!("row")), None);
        let defaults = json!({"menu": {"open": true}});
        assert_eq!(
            refused(&defaults, "menu.open", json!("no")).unwrap(),
            "the release's default is a switch, this is a text"
        );
        assert_eq!(refused(&defaults, "menu.open", json!(false)), None);
    }
}
