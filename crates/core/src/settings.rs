//! Settings by themselves: what a site set otherwise than its vendor's defaults, and carrying that to another file.

use serde::Serialize;
use serde_json::{Map, Value};

use crate::formats::allowed::Allowed;
use crate::formats::rewritten;
use crate::formats::tree::{self, Node};

/// A setting that differs from the vendor's.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Difference {
    /// Where it is (JSON Pointer, RFC 6901).
    pub pointer: String,
    /// The vendor's value, as it is written; nothing where the site added it.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub before: Option<String>,
    /// The site's value; nothing where it took it out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub after: Option<String>,
}

/// What a site set otherwise in one file.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Differences {
    /// The settings, in the site's order; those that it took out come last.
    pub settings: Vec<Difference>,
    /// The same as one document that replaces what it names (JSON Merge Patch, RFC 7396). A setting that the site set
    /// to null cannot be said so: it would be taken out.
    pub merge_patch: Value,
    /// The same as single operations (JSON Patch, RFC 6902).
    pub json_patch: Vec<Value>,
}

/// Lists what a site set otherwise than the vendor. `None` where one cannot be read as settings; `path` tells the
/// format.
///
/// ```
/// use daxle_core::settings::differences;
///
/// let found = differences("s.toml", b"[menu]\nopen = true\n", b"[menu]\nopen = false\n").unwrap();
/// assert_eq!(found.settings[0].pointer, "/menu/open");
/// assert_eq!(found.merge_patch.to_string(), r#"{"menu":{"open":false}}"#);
/// ```
pub fn differences(path: &str, base: &[u8], site: &[u8]) -> Option<Differences> {
    let (base, site) = (tree::read(path, base)?, tree::read(path, site)?);
    let mut settings = Vec::new();
    list("", Some(&base), Some(&site), &mut settings);
    let (old, new) = (base.to_json(), site.to_json());
    let mut json_patch = Vec::new();
    tree::json_patch(&old, &new, "", &mut json_patch);
    Some(Differences { settings, merge_patch: merge_patch(&old, &new), json_patch })
}

fn escaped(key: &str) -> String {
    key.replace('~', "~0").replace('/', "~1")
}

/// Lists every plain value or list that differs.
fn list(at: &str, base: Option<&Node>, site: Option<&Node>, out: &mut Vec<Difference>) {
    if let (Some(b), Some(s)) = (base, site)
        && b.same(s)
    {
        return;
    }
    if let (Some(Node::List(b)), Some(Node::List(s))) = (base, site)
        && b.len() == s.len()
        && b.iter().chain(s).all(|item| matches!(item, Node::Map(_)))
    {
        for (k, (b, s)) in b.iter().zip(s).enumerate() {
            list(&format!("{at}/{k}"), Some(b), Some(s), out);
        }
        return;
    }
    let members = |node: Option<&Node>| match node {
        Some(Node::Map(list)) => Some(list.clone()),
        _ => None,
    };
    let (b, s) = (members(base), members(site));
    if b.is_none() && base.is_some() || s.is_none() && site.is_some() {
        let written = |node: Option<&Node>| node.map(written);
        out.push(Difference { pointer: at.to_string(), before: written(base), after: written(site) });
        return;
    }
    let (b, s) = (b.unwrap_or_default(), s.unwrap_or_default());
    let find = |list: &[(String, Node)], key: &str| list.iter().find(|(k, _)| k == key).map(|(_, v)| v.clone());
    for (key, value) in &s {
        list_one(at, key, find(&b, key).as_ref(), Some(value), out);
    }
    for (key, value) in b.iter().filter(|(k, _)| find(&s, k).is_none()) {
        list_one(at, key, Some(value), None, out);
    }
    if s.is_empty() && b.is_empty() {
        let sort = |node: Option<&Node>| node.map(|_| "{}".to_string());
        out.push(Difference { pointer: at.to_string(), before: sort(base), after: sort(site) });
    }
}

fn list_one(at: &str, key: &str, base: Option<&Node>, site: Option<&Node>, out: &mut Vec<Difference>) {
    list(&format!("{at}/{}", escaped(key)), base, site, out);
}

/// A value on one line, as its format writes it.
fn written(node: &Node) -> String {
    match node {
        Node::Leaf { literal, .. } => literal.clone(),
        other => other.to_json().to_string(),
    }
}

/// What makes one document of another (RFC 7396).
fn merge_patch(old: &Value, new: &Value) -> Value {
    let (Value::Object(a), Value::Object(b)) = (old, new) else { return new.clone() };
    let mut out = Map::new();
    for (key, value) in b {
        match a.get(key) {
            Some(before) if before == value => {}
            Some(before) => _ = out.insert(key.clone(), merge_patch(before, value)),
            None => _ = out.insert(key.clone(), value.clone()),
        }
    }
    for key in a.keys().filter(|k| !b.contains_key(*k)) {
        out.insert(key.clone(), Value::Null);
    }
    Value::Object(out)
}

/// One setting that was carried to another file, or was not.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Carried {
    /// Where it is (JSON Pointer, RFC 6901).
    pub pointer: String,
    /// The value.
    pub value: String,
    /// What became of it.
    #[serde(flatten)]
    pub fate: Fate,
}

/// What became of a setting that was to be carried.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[serde(tag = "fate", rename_all = "snake_case")]
pub enum Fate {
    /// It is new there.
    Added,
    /// It took the place of another value.
    Replaced {
        /// That value.
        before: String,
    },
    /// The file has it already.
    Already,
    /// It does not fit, and was left out.
    Unfit {
        /// Why.
        why: String,
    },
}

/// A file with settings of another.
#[derive(Debug, Clone, PartialEq)]
pub struct Moved {
    /// The file, in its own writing.
    pub bytes: Vec<u8>,
    /// Every setting that was to be carried.
    pub settings: Vec<Carried>,
}

/// A settings file and the path that tells its format.
#[derive(Debug, Clone, Copy)]
pub struct SettingsFile<'a> {
    /// The path.
    pub path: &'a str,
    /// Its bytes.
    pub bytes: &'a [u8],
}

/// Why settings cannot be carried.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum MoveFault {
    /// A file cannot be read as settings: which.
    #[error("it is no settings file that can be read")]
    Unreadable(String),
    /// The target's format cannot hold a value, or its writing cannot be kept.
    #[error("the values cannot be worked into its lines")]
    Unwritable,
}

/// Carries the settings of one file into another: those that differ from `base`, or all. What has another type there,
/// or is not allowed by `allowed` (a schema, or the defaults), is left out and listed.
///
/// # Errors
///
/// When a file cannot be read, or the target cannot be written.
pub fn move_settings(
    from: SettingsFile<'_>,
    base: Option<SettingsFile<'_>>,
    to: SettingsFile<'_>,
    allowed: Option<SettingsFile<'_>>,
) -> Result<Moved, MoveFault> {
    let read = |file: SettingsFile<'_>| {
        tree::read(file.path, file.bytes).ok_or_else(|| MoveFault::Unreadable(file.path.to_string()))
    };
    let empty = Node::Map(Vec::new());
    let (own, before) = (read(from)?, base.map(read).transpose()?.unwrap_or(empty));
    // An empty file is one without settings.
    let blank = to.bytes.iter().all(u8::is_ascii_whitespace);
    let there = if blank { Node::Map(Vec::new()) } else { read(to)? };
    let allowed = allowed
        .map(|file| {
            Allowed::read(file.path, file.bytes).ok_or_else(|| MoveFault::Unreadable(file.path.to_string()))
        })
        .transpose()?;
    let mut work = Work { allowed, to: there.clone(), settings: Vec::new() };
    work.carry(&mut Vec::new(), Some(&before), &own);
    let alike = tree::same_format(from.path, to.path);
    let changed = !work.to.same(&there);
    let text = tree::write_into(to.path, &work.to, alike).ok_or(MoveFault::Unwritable)?;
    let bytes = match (changed, blank) {
        (false, _) => to.bytes.to_vec(),
        (true, true) => text.into_bytes(),
        (true, false) => rewritten(to.path, to.bytes, text.as_bytes()).ok_or(MoveFault::Unwritable)?,
    };
    // What was written must be what was meant.
    let again = tree::read(to.path, &bytes).map(|n| n.to_json());
    if changed && again != Some(work.to.to_json()) {
        return Err(MoveFault::Unwritable);
    }
    Ok(Moved { bytes, settings: work.settings })
}

struct Work {
    allowed: Option<Allowed>,
    to: Node,
    settings: Vec<Carried>,
}

impl Work {
    fn carry(&mut self, at: &mut Vec<String>, base: Option<&Node>, own: &Node) {
        if base.is_some_and(|b| b.same(own)) {
            return;
        }
        if let Node::Map(members) = own {
            for (key, value) in members {
                at.push(key.clone());
                let before = base.and_then(|b| b.get(key)).cloned();
                self.carry(at, before.as_ref(), value);
                at.pop();
            }
            return;
        }
        let pointer: String = at.iter().map(|name| format!("/{}", escaped(name))).collect();
        let fate = self.fate(at, own);
        if matches!(fate, Fate::Added | Fate::Replaced { .. }) {
            self.to.set(at, own.clone());
        }
        self.settings.push(Carried { pointer, value: written(own), fate });
    }

    fn fate(&self, at: &[String], own: &Node) -> Fate {
        let unfit = |why: String| Fate::Unfit { why };
        if let Some(why) = self.allowed.as_ref().and_then(|a| a.refuses(at, &own.to_json())) {
            return unfit(why);
        }
        if let Some(Allowed::Defaults(defaults)) = &self.allowed
            && at.iter().try_fold(defaults, |value, name| value.get(name)).is_none()
        {
            return unfit("there is no such setting".into());
        }
        let mut node = &self.to;
        for (depth, name) in at.iter().enumerate() {
            match (node, node.get(name)) {
                (Node::Map(_), Some(inner)) => node = inner,
                (Node::Map(_), None) => return Fate::Added,
                _ => return unfit(format!("{} is no table there", at[..depth].join("."))),
            }
        }
        if node.same(own) || node.to_json() == own.to_json() {
            return Fate::Already;
        }
        let sort = |node: &Node| match node.to_json() {
            Value::Null => "nothing",
            Value::Bool(_) => "a switch",
            Value::Number(_) => "a number",
            Value::String(_) => "a text",
            Value::Array(_) => "a list",
            Value::Object(_) => "a table",
        };
        if sort(node) != sort(own) && sort(node) != "nothing" {
            return unfit(format!("it is {} there, and {} here", sort(node), sort(own)));
        }
        Fate::Replaced { before: written(node) }
    }
}

/// Lays a dump of settings from a running site over its file, in the file's own writing. The dump may be partial, and in
/// another format. `None` where one cannot be read, or the file's writing cannot be kept.
pub fn laid_over(file: SettingsFile<'_>, dump: SettingsFile<'_>) -> Option<Vec<u8>> {
    let (there, dump_tree) = (tree::read(file.path, file.bytes)?, tree::read(dump.path, dump.bytes)?);
    let wanted = tree::laid_over(&there, &dump_tree);
    if wanted.to_json() == there.to_json() {
        return Some(file.bytes.to_vec());
    }
    let text = tree::write_into(file.path, &wanted, tree::same_format(dump.path, file.path))?;
    let bytes = rewritten(file.path, file.bytes, text.as_bytes())?;
    (tree::read(file.path, &bytes)?.to_json() == wanted.to_json()).then_some(bytes)
}

/// How many of a dump's outermost keys a settings file has, and how many there are: which file a dump is of.
pub fn overlap(file: SettingsFile<'_>, dump: SettingsFile<'_>) -> Option<(usize, usize)> {
    let (Node::Map(file), Node::Map(dump)) =
        (tree::read(file.path, file.bytes)?, tree::read(dump.path, dump.bytes)?)
    else {
        return None;
    };
    let shared = dump.iter().filter(|(key, _)| file.iter().any(|(k, _)| k == key)).count();
    Some((shared, dump.len()))
}

/// Tells whether a file's name says that it holds settings that can be read here.
pub fn is_settings_file(path: &str) -> bool {
    tree::is_known(path)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn file<'a>(path: &'a str, text: &'a str) -> SettingsFile<'a> {
        SettingsFile { path, bytes: text.as_bytes() }
    }

    #[test]
    fn what_differs_is_listed_and_said_as_patches() {
        let found = differences(
            "s.json",
            b"{\"a/b\": 1, \"menu\": {\"open\": true, \"items\": [1]}, \"gone\": \"x\"}",
            b"{\"a/b\": 2.50, \"menu\": {\"open\": true, \"items\": [1, 2], \"own\": {}}}",
        )
        .unwrap();
        let rows: Vec<String> =
            found.settings.iter().map(|d| format!("{} {:?} {:?}", d.pointer, d.before, d.after)).collect();
        assert_eq!(
            rows,
            [
                "/a~1b Some(\"1\") Some(\"2.50\")",
                "/menu/items Some(\"[1]\") Some(\"[1,2]\")",
                "/menu/own None Some(\"{}\")",
                "/gone Some(\"\\\"x\\\"\") None"
            ]
        );
        assert_eq!(
            found.merge_patch.to_string(),
            r#"{"a/b":2.50,"menu":{"items":[1,2],"own":{}},"gone":null}"#.replace("2.50", "2.5")
        );
        assert_eq!(found.json_patch.len(), 4);
    }

    #[test]
    fn settings_move_to_another_scope_in_its_own_writing() {
        let (base, from) = (
            file("p.json", "{\"menu\": {\"open\": true, \"w\": 1}, \"x\": \"a\"}"),
            file("p.json", "{\"menu\": {\"open\": false, \"w\": 1}, \"x\": \"b\", \"n\": 4}"),
        );
        let to = file("c.json", "{\n    // the child's\n    \"x\": 5,\n    \"menu\": {\"tall\": true}\n}\n");
        let moved = move_settings(from, Some(base), to, None).unwrap();
        assert_eq!(
            String::from_utf8(moved.bytes).unwrap(),
            "{\n    // the child's\n    \"x\": 5,\n    \"menu\": {\"tall\": true, \"open\": false},\n    \"n\": 4\n}\n"
        );
        let fates: Vec<&Fate> = moved.settings.iter().map(|s| &s.fate).collect();
        assert_eq!(
            fates,
            [&Fate::Added, &Fate::Unfit { why: "it is a number there, and a text here".into() }, &Fate::Added]
        );
        let known = file("d.json", "{\"menu\": {\"open\": true}}");
        let moved = move_settings(from, Some(base), file("c.yaml", ""), Some(known)).unwrap();
        assert_eq!(String::from_utf8(moved.bytes).unwrap(), "menu:\n  open: false\n");
        assert_eq!(moved.settings.iter().filter(|s| matches!(s.fate, Fate::Unfit { .. })).count(), 2);
    }

    #[test]
    fn a_dump_stands_in_for_the_file() {
        let there = file("s.toml", "# ours\n[menu]\nopen = true # start\nwide = 2\n");
        let dump = file("export.json", "{\"menu\": {\"open\": false}}");
        assert_eq!(laid_over(there, dump).unwrap(), b"# ours\n[menu]\nopen = false # start\nwide = 2\n");
        assert_eq!(overlap(there, dump), Some((1, 1)));
    }
}
