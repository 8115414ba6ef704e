//! Who a theme is: title, short name, version, parent.

use std::collections::BTreeMap;

use super::{IdentityFormat, IdentityReader, Layout, Tree, Version};

/// What a theme says of itself. All of it can be missing: such a theme goes by its folder's name.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Identity {
    /// The title that people see.
    pub title: Option<String>,
    /// The short name; themes are matched by it.
    pub name: Option<String>,
    /// The version as written.
    pub version: Option<String>,
    /// Short name of the parent, for a child theme.
    pub parent: Option<String>,
    /// Lowest version of the parent.
    pub parent_version: Option<String>,
    /// Companions (or the theme, for a companion) that it goes with, and their lowest versions.
    pub requires: BTreeMap<String, String>,
    /// The file that said so.
    pub file: Option<String>,
}

impl Identity {
    /// Returns the version, read leniently.
    pub fn semver(&self) -> Option<Version> {
        Version::parse(self.version.as_deref()?)
    }
}

/// Reads a theme's identity as the layout says; without a rule from `themecard.toml`, or from the labelled
/// lines in the first comment of a stylesheet at the root, or from a settings file there that has both a name
/// and a version.
pub fn read_identity(tree: &dyn Tree, layout: &Layout) -> Identity {
    for reader in &layout.identity {
        if let Some(identity) = read_with(tree, reader) {
            return identity;
        }
    }
    if !layout.identity.is_empty() {
        return Identity::default();
    }
    find_reader(tree).map(|(_, identity)| identity).unwrap_or_default()
}

/// Finds out where a theme says who it is, by trying; and what it says.
pub fn find_reader(tree: &dyn Tree) -> Option<(IdentityReader, Identity)> {
    let tried = |reader: IdentityReader| read_with(tree, &reader).map(|identity| (reader, identity));
    tried(own_card()).or_else(|| {
        let candidates = tree.entries().iter().filter(|e| !e.path.contains('/') && e.size < 1 << 20 && !e.binary);
        candidates
            .filter_map(|e| tried(guess(&e.path)?))
            .find(|(_, i)| i.semver().is_some() && (i.name.is_some() || i.title.is_some()))
    })
}

/// The reader of our own plain layout: `themecard.toml`.
pub fn own_card() -> IdentityReader {
    keys("themecard.toml", IdentityFormat::Toml, ["title", "name", "version", "parent", "parent_version"])
}

fn keys(file: &str, format: IdentityFormat, names: [&str; 5]) -> IdentityReader {
    let [title, name, version, parent, parent_version] = names.map(|n| Some(n.to_string()));
    let requires = Some("requires".to_string());
    IdentityReader { file: file.to_string(), format, title, name, version, parent, parent_version, requires }
}

/// A reader to try on a file at the root of a theme without rules.
fn guess(path: &str) -> Option<IdentityReader> {
    let extension = path.rsplit_once('.')?.1;
    let format = match extension {
        "css" => {
            let labels = ["* name", "short name", "version", "parent", "parent version"];
            return Some(keys(path, IdentityFormat::Comment, labels));
        }
        "json" => IdentityFormat::Json,
        "toml" => IdentityFormat::Toml,
        "yaml" | "yml" => IdentityFormat::Yaml,
        _ => return None,
    };
    Some(keys(path, format, ["title", "name", "version", "parent", "parent_version"]))
}

/// Looks a key or label up.
type Lookup<'t> = Box<dyn Fn(&str) -> Option<String> + 't>;

fn read_with(tree: &dyn Tree, reader: &IdentityReader) -> Option<Identity> {
    let bytes = tree.read_path(&reader.file)?;
    let text = String::from_utf8_lossy(&bytes);
    let text = text.trim_start_matches('\u{feff}');
    let document: Option<serde_json::Value> = match reader.format {
        IdentityFormat::Toml => Some(serde_json::to_value(toml::from_str::<toml::Table>(text).ok()?).ok()?),
        IdentityFormat::Json => Some(serde_json::from_str(text).ok()?),
        _ => None,
    };
    let requires =
        document.as_ref().zip(reader.requires.as_deref()).map(|(d, key)| table(d, key)).unwrap_or_default();
    let get: Lookup<'_> = match reader.format {
        IdentityFormat::Toml | IdentityFormat::Json => {
            Box::new(move |key| document.as_ref().and_then(|d| dotted(d, key)))
        }
        IdentityFormat::Yaml => Box::new(move |key| at_top_of_yaml(text, key)),
        IdentityFormat::Comment => {
            let comment = first_comment(text)?;
            Box::new(move |key| labelled(comment.lines(), key))
        }
    };
    let read = |key: &Option<String>| key.as_deref().and_then(&get);
    Some(Identity {
        title: read(&reader.title),
        name: read(&reader.name),
        version: read(&reader.version),
        parent: read(&reader.parent),
        parent_version: read(&reader.parent_version),
        requires,
        file: Some(reader.file.clone()),
    })
}

fn dotted(value: &serde_json::Value, key: &str) -> Option<String> {
    match key.split('.').try_fold(value, |v, part| v.get(part))? {
        serde_json::Value::String(text) => Some(text.clone()),
        serde_json::Value::Number(number) => Some(number.to_string()),
        _ => None,
    }
}

/// Reads a table of names and versions.
fn table(value: &serde_json::Value, key: &str) -> BTreeMap<String, String> {
    let found = key.split('.').try_fold(value, |v, part| v.get(part)).and_then(serde_json::Value::as_object);
    let pairs = found.into_iter().flatten();
    pairs.filter_map(|(name, version)| Some((name.clone(), version.as_str()?.to_string()))).collect()
}

/// Reads `label: value` from the first line that has the label; `* name` is any label that ends so.
fn labelled<'a>(lines: impl Iterator<Item = &'a str>, label: &str) -> Option<String> {
    let mut lines = lines;
    lines.find_map(|line| {
        let line = line.trim_start_matches([' ', '\t', '*', '/', '#', '-', '<', '!']);
        let (found, value) = line.split_once(':')?;
        let value = value.trim().trim_end_matches("*/").trim().trim_matches(['"', '\'']);
        let found = found.trim().to_ascii_lowercase();
        let fits = match label.strip_prefix("* ") {
            Some(end) => found.ends_with(end),
            None => found == label.to_ascii_lowercase(),
        };
        (fits && !value.is_empty()).then(|| value.to_string())
    })
}

/// Reads the value of a key that is in no other.
fn at_top_of_yaml(text: &str, key: &str) -> Option<String> {
    text.lines().find_map(|line| {
        let value = line.strip_prefix(key)?.strip_prefix(':')?.trim();
        let quote = value.chars().next().filter(|first| matches!(first, '"' | '\''));
        let plain = match quote {
            Some(quote) => value[1..].split(quote).next()?,
            None => value.split(" #").next()?.trim_end(),
        };
        (!plain.is_empty() && !plain.starts_with('#')).then(|| plain.to_string())
    })
}

/// Returns the first comment of a file, in any of the usual styles, if the file begins with one.
fn first_comment(text: &str) -> Option<&str> {
    let text = text.trim_start();
    let text = text.strip_prefix("<?php").map_or(text, str::trim_start);
    for (open, close) in [("/*", "*/"), ("<!--", "-->"), ("{#", "#}"), ("{{!", "}}")] {
        if let Some(rest) = text.strip_prefix(open) {
            return rest.split(close).next();
        }
    }
    for mark in ["//", "#"] {
        if text.starts_with(mark) {
            let end =
                text.lines().take_while(|l| l.trim_start().starts_with(mark)).map(|l| l.len() + 1).sum::<usize>();
            return text.get(..end.min(text.len()));
        }
    }
    None
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::theme::MemoryTree;

    fn read(path: &str, text: &str, layout: &str) -> Identity {
        read_identity(&MemoryTree::new([(path, text)]), &Layout::parse(layout).unwrap())
    }

    #[test]
    fn the_card_is_read_without_a_rule() {
        let found = read("themecard.toml", "title = 'A B'\nname = 'ab'\nversion = '2.6.1'\n", "");
        assert_eq!((found.title.as_deref(), found.name.as_deref()), (Some("A B"), Some("ab")));
        assert_eq!(found.semver(), Version::parse("2.6.1"));
        assert_eq!(read("readme.txt", "nothing", ""), Identity::default());
        let yaml = "# name: no\nparts:\n  name: inner\nname: ab # the short one\nversion: '2.6.1' # or so\n";
        let found = read("theme.yml", yaml, "");
        assert_eq!((found.name.as_deref(), found.version.as_deref()), (Some("ab"), Some("2.6.1")));
        // Settings of that name say nothing of the theme.
        assert_eq!(read("_config.yml", "name: shop\nversion: true # shown below\n", ""), Identity::default());
    }

    #[test]
    fn a_labelled_line_in_the_first_comment() {
        let rule = "[layout.identity]\nfile='main.css'\nformat='comment'\ntitle='Title'\nversion='Release'\n";
        let found = read("main.css", "/*\n * Title: Lamp\n * Release: 1.2 \n */\nTitle: no\n", rule);
        assert_eq!((found.title.as_deref(), found.version.as_deref()), (Some("Lamp"), Some("1.2")));
    }
}
