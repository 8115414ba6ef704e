//! A new child theme, and following a parent that was renamed.

use std::collections::BTreeMap;

use crate::text::split_lines;
use crate::theme::{IdentityFormat, IdentityReader, Kind, Layout, Tree};

/// What a new child theme is to be.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct NewChild {
    /// Short name: the folder's name.
    pub name: String,
    /// Title that people see.
    pub title: String,
    /// What it is.
    pub description: Option<String>,
    /// Who made it.
    pub author: Option<String>,
    /// The author's address.
    pub author_address: Option<String>,
    /// The theme's address.
    pub address: Option<String>,
    /// Version.
    pub version: String,
    /// Name of the licence.
    pub licence: Option<String>,
    /// The licence's text, and the preview picture with its extension.
    pub licence_text: Option<Vec<u8>>,
    /// The preview picture with its extension.
    pub preview: Option<(String, Vec<u8>)>,
    /// A credit for the footer, and where it leads.
    pub credit: Option<(String, Option<String>)>,
    /// First style rules.
    pub styles: Option<String>,
    /// The parent's short name.
    pub parent: String,
    /// The parent's version.
    pub parent_version: Option<String>,
}

/// Why a word is no short name of a theme; `None` where it is one.
pub fn name_fault(name: &str) -> Option<&'static str> {
    let reserved = ["con", "prn", "aux", "nul"];
    if name.is_empty() {
        return Some("it is empty");
    }
    if !name.bytes().all(|b| b.is_ascii_alphanumeric() || b == b'-' || b == b'_' || b == b'.') {
        return Some("a folder's name has letters a to z, digits, - and _ only");
    }
    if name.starts_with(['.', '-']) || name.ends_with('.') {
        return Some("it begins or ends with a mark that folders cannot have there");
    }
    if name.len() > 100 || reserved.contains(&name.to_ascii_lowercase().as_str()) {
        return Some("some systems cannot have a folder of this name");
    }
    None
}

/// Makes the files of a new child theme. `reader` says where the parent's identity stands.
pub fn new_child(child: &NewChild, reader: &IdentityReader, layout: &Layout) -> BTreeMap<String, Vec<u8>> {
    let rules = &layout.child;
    let filled = |text: &str| {
        let text = text.replace("{name}", &child.name).replace("{parent}", &child.parent);
        text.replace("{title}", &child.title)
    };
    let mut files: BTreeMap<String, Vec<u8>> = BTreeMap::new();
    let mut put = |path: String, text: String| files.entry(path).or_default().extend_from_slice(text.as_bytes());
    put(reader.file.clone(), card(child, reader));
    let mut style = String::new();
    if let Some(head) = &rules.style_head {
        style += &format!("{}\n\n", filled(head));
    }
    style += &format!("/* The rules of {} begin here; those of {} come before. */\n", child.title, child.parent);
    if let Some(rules) = &child.styles {
        style += &format!("\n{}\n", rules.trim_end());
    }
    put(filled(&rules.style), style);
    if let Some(code) = &rules.code {
        put(filled(code), filled(&rules.code_head));
    }
    if let Some((text, link)) = &child.credit {
        let text = escaped(text);
        let line = match link {
            Some(link) => format!("<p class=\"credit\"><a href=\"{}\">{text}</a></p>\n", escaped(link)),
            None => format!("<p class=\"credit\">{text}</p>\n"),
        };
        put(filled(&rules.footer), line);
    }
    if let Some(text) = &child.licence_text {
        files.insert("LICENCE.txt".into(), text.clone());
    }
    if let Some((extension, bytes)) = &child.preview {
        files.insert(format!("{}.{extension}", filled(&rules.preview)), bytes.clone());
    }
    files
}

fn escaped(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;").replace('"', "&quot;")
}

/// What the card says, under the layout's keys.
fn card(child: &NewChild, reader: &IdentityReader) -> String {
    let plain = |key: &str| Some(key.to_string());
    let label = |key: &str, label: &str| {
        Some(if reader.format == IdentityFormat::Comment { label } else { key }.to_string())
    };
    let fields: Vec<(Option<String>, Option<&str>)> = vec![
        (reader.title.clone().or_else(|| plain("title")), Some(&child.title)),
        (reader.name.clone(), Some(&child.name)),
        (reader.version.clone().or_else(|| plain("version")), Some(&child.version)),
        (reader.parent.clone().or_else(|| plain("parent")), Some(&child.parent)),
        (reader.parent_version.clone(), child.parent_version.as_deref()),
        (label("description", "Description"), child.description.as_deref()),
        (label("author", "Author"), child.author.as_deref()),
        (label("author_address", "Author address"), child.author_address.as_deref()),
        (label("address", "Address"), child.address.as_deref()),
        (label("licence", "Licence"), child.licence.as_deref()),
    ];
    let given = fields.into_iter().filter_map(|(key, value)| Some((key?, value?.replace(['\n', '\r'], " "))));
    let quoted = |value: &str| serde_json::Value::from(value).to_string();
    match reader.format {
        IdentityFormat::Toml => given.map(|(key, value)| format!("{key} = {}\n", quoted(&value))).collect(),
        IdentityFormat::Yaml => {
            let plain = |value: &str| value.contains('"') && !value.contains('\'');
            let written = |value: &str| if plain(value) { format!("'{value}'") } else { quoted(value) };
            given.map(|(key, value)| format!("{key}: {}\n", written(&value))).collect()
        }
        IdentityFormat::Comment => {
            // A label may be looked for behind a star; what closes the comment may not stand in it.
            let line = |(key, value): (String, String)| {
                format!("{}: {}\n", key.trim_start_matches(['*', ' ']), value.replace("*/", ""))
            };
            let lines: String = given.map(line).collect();
            format!("/*\n{lines}*/\n\n")
        }
        IdentityFormat::Json => {
            let mut root = serde_json::Value::Object(serde_json::Map::new());
            for (key, value) in given {
                let mut at = &mut root;
                for part in key.split('.') {
                    let serde_json::Value::Object(map) = at else { break };
                    at = map.entry(part).or_insert_with(|| serde_json::Value::Object(serde_json::Map::new()));
                }
                *at = value.into();
            }
            serde_json::to_string_pretty(&root).unwrap_or_default() + "\n"
        }
    }
}

/// A place where a child theme names its parent.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Naming {
    /// The file.
    pub path: String,
    /// The line, from 0.
    pub line: usize,
    /// The line as it is.
    pub before: String,
    /// The line as it will be.
    pub after: String,
}

/// Finds every place where a child theme names its parent: on its card, in the paths of its styles, and in the files
/// that the layout lists. Returns the places, and the files with the new name in them.
pub fn repoint(
    child: &dyn Tree,
    reader: &IdentityReader,
    old: &str,
    new: &str,
    layout: &Layout,
) -> (Vec<Naming>, BTreeMap<String, Vec<u8>>) {
    let listed = globset(&layout.child.names_parent);
    let (mut places, mut files) = (Vec::new(), BTreeMap::new());
    for (k, entry) in child.entries().iter().enumerate().filter(|(_, e)| !e.binary && e.size < 16 << 20) {
        let card = entry.path == reader.file;
        let in_paths = layout.kind(&entry.path, b"") == Kind::Style || listed.is_match(&entry.path);
        if !card && !in_paths {
            continue;
        }
        let Ok(bytes) = child.read(k) else { continue };
        let mut out = Vec::with_capacity(bytes.len());
        let mut any = false;
        for (number, line) in split_lines(&bytes).iter().enumerate() {
            let text = String::from_utf8_lossy(line.content);
            let mut now = text.to_string();
            if card && let Some(changed) = on_card(&text, reader.parent.as_deref().unwrap_or("parent"), old, new) {
                now = changed;
            }
            if in_paths {
                now = in_path(&now, old, new);
            }
            if now == text || std::str::from_utf8(line.content).is_err() {
                out.extend_from_slice(line.content);
            } else {
                any = true;
                out.extend_from_slice(now.as_bytes());
                let before = text.trim().to_string();
                places.push(Naming {
                    path: entry.path.clone(),
                    line: number,
                    before,
                    after: now.trim().to_string(),
                });
            }
            out.extend_from_slice(line.end.bytes());
        }
        if any {
            files.insert(entry.path.clone(), out);
        }
    }
    (places, files)
}

fn globset(list: &[String]) -> globset::GlobSet {
    let mut set = globset::GlobSetBuilder::new();
    for glob in list.iter().filter_map(|g| globset::GlobBuilder::new(g).literal_separator(true).build().ok()) {
        set.add(glob);
    }
    set.build().unwrap_or_default()
}

/// The line of the card that names the parent.
fn on_card(line: &str, key: &str, old: &str, new: &str) -> Option<String> {
    let key = key.rsplit('.').next().unwrap_or(key).trim_start_matches(['*', ' ']);
    let at = line.find([':', '='])?;
    let name = line[..at].trim_matches([' ', '\t', '"', '\'', '*', '#', '/', ';']);
    if !name.eq_ignore_ascii_case(key) {
        return None;
    }
    let value = &line[at + 1..];
    let words = value.trim();
    let bare = match words.chars().next().filter(|c| matches!(c, '"' | '\'')) {
        Some(quote) => words[1..].split(quote).next().unwrap_or(""),
        // What follows a blank and a hash is a comment.
        None => words.split(" #").next().unwrap_or(words).trim_end_matches([',', ' ']),
    };
    (bare == old).then(|| format!("{}{}", &line[..=at], value.replacen(old, new, 1)))
}

/// A line with the parent's name changed where it is a folder in a path.
fn in_path(line: &str, old: &str, new: &str) -> String {
    let mut out = String::new();
    let mut rest = line;
    while let Some(at) = rest.find(old) {
        let before = rest[..at].chars().next_back().or(out.chars().next_back());
        let after = rest[at + old.len()..].chars().next();
        let folder = after == Some('/') && before.is_none_or(|c| matches!(c, '/' | '"' | '\'' | '(' | ' ' | '='));
        out += &rest[..at];
        out += if folder { new } else { old };
        rest = &rest[at + old.len()..];
    }
    out + rest
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::theme::{MemoryTree, find_reader, read_identity};

    fn child() -> NewChild {
        NewChild {
            name: "mill".into(),
            title: "The \"Old\" Mill".into(),
            version: "1.0".into(),
            parent: "lantern".into(),
            credit: Some(("Made <by> us".into(), Some("https://us.example/".into()))),
            styles: Some("a { top: 0 }".into()),
            ..NewChild::default()
        }
    }

    #[test]
    fn every_form_of_card_reads_back() {
        for (file, format) in [
            ("themecard.toml", IdentityFormat::Toml),
            ("card.json", IdentityFormat::Json),
            ("card.yaml", IdentityFormat::Yaml),
            ("style.css", IdentityFormat::Comment),
        ] {
            let word = match format {
                IdentityFormat::Toml => "toml",
                IdentityFormat::Json => "json",
                IdentityFormat::Yaml => "yaml",
                IdentityFormat::Comment => "comment",
            };
            let layout = format!(
                "[layout.identity]\nfile = '{file}'\nformat = '{word}'\ntitle = 'title'\nname = 'name'\nversion = 'version'\nparent = 'parent'\n"
            );
            let layout = Layout::parse(&layout).unwrap();
            let files = new_child(&child(), &layout.identity[0], &layout);
            let identity = read_identity(&MemoryTree::new(files.clone()), &layout);
            assert_eq!(
                (identity.name.as_deref(), identity.parent.as_deref()),
                (Some("mill"), Some("lantern")),
                "{file}"
            );
            assert_eq!(identity.title.as_deref(), Some("The \"Old\" Mill"), "{file}");
            let style = String::from_utf8(files["style.css"].clone()).unwrap();
            assert!(style.contains("begin here") && style.ends_with("a { top: 0 }\n"), "{style}");
            assert!(String::from_utf8_lossy(&files["parts/footer-credit.html"]).contains("Made &lt;by&gt; us"));
        }
    }

    #[test]
    fn a_renamed_parent_is_followed_where_it_is_named() {
        let tree = MemoryTree::new([
            ("themecard.toml", "name = \"lantern-child\"\nversion = \"1\"\nparent = \"lantern\" # the parent\n"),
            ("css/a.css", "@import url(../../lantern/a.css);\n.lantern { top: 0 } /* lanterns/ */\n"),
            ("page.html", "lantern/x\n"),
        ]);
        let (reader, _) = find_reader(&tree).unwrap();
        let (places, files) = repoint(&tree, &reader, "lantern", "lamp", &Layout::default());
        let lines: Vec<(&str, usize)> = places.iter().map(|p| (p.path.as_str(), p.line)).collect();
        assert_eq!(lines, [("css/a.css", 0), ("themecard.toml", 2)]);
        assert!(String::from_utf8_lossy(&files["themecard.toml"]).contains("parent = \"lamp\" # the parent"));
        assert!(String::from_utf8_lossy(&files["css/a.css"]).contains("../../lamp/a.css"));
    }

    #[test]
    fn names_of_folders() {
        assert!(name_fault("tide-mill_2").is_none());
        for wrong in ["", "a b", "../x", "a/b", ".hidden", "con", "żółw"] {
            assert!(name_fault(wrong).is_some(), "{wrong}");
        }
    }
}
