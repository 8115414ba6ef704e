//! How a site's files are laid out, as its `daxle.toml` says.
//!
//! Daxle knows no platform. What a theme's files are, where its identity stands and which pages its files make
//! are rules in the site's own configuration; without one, kinds come from extensions and content, and the
//! identity from a `themecard.toml`.

use globset::{GlobBuilder, GlobMatcher};
use serde::Deserialize;

use super::Kind;

/// The rules of a site's layout.
#[derive(Debug, Clone, Default)]
pub struct Layout {
    kinds: Vec<(GlobMatcher, Kind)>,
    /// Where a theme says who it is; empty means `themecard.toml`, and what can be found out without it.
    pub identity: Vec<IdentityReader>,
    /// Where a child's overrides stand; empty means under the vendor's own paths.
    pub overrides: Vec<OverrideMapping>,
    /// What a stamp looks like: a line with `{version}` in it.
    pub stamp: Option<String>,
    /// Areas of the site, for the walk-through.
    pub walk: Vec<WalkArea>,
    /// Where the stock of releases is.
    pub stock: Option<String>,
    /// What a child theme can do to its parent's files.
    pub child: ChildRules,
    /// What lies in the live theme and is no part of it: uploads, caches.
    owned: Vec<GlobMatcher>,
    settings: SettingsTable,
    settings_files: Vec<GlobMatcher>,
}

/// What becomes of settings that the site left alone and the release changed.
#[derive(Debug, Clone, Copy, Deserialize, PartialEq, Eq)]
#[serde(rename_all = "snake_case")]
enum Unchanged {
    Follow,
    Hold,
}

#[derive(Debug, Clone, Deserialize, Default)]
#[serde(deny_unknown_fields, default)]
struct SettingsTable {
    unchanged: Option<Unchanged>,
    identity: Vec<String>,
    files: Vec<SettingsFiles>,
}

/// The same for some files.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
struct SettingsFiles {
    path: toml::Spanned<String>,
    unchanged: Option<Unchanged>,
    #[serde(default)]
    identity: Vec<String>,
    allowed: Option<String>,
}

/// How a settings file is merged.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct SettingsLayout {
    /// Values that the site left alone stay as they were.
    pub hold: bool,
    /// Keys that tell items apart.
    pub identity: Vec<String>,
    /// The file in the release that says which values there may be: a JSON Schema, or the defaults.
    pub allowed: Option<String>,
}

/// What a child theme can do, and what a new one is made of.
#[derive(Debug, Clone, Deserialize, PartialEq, Eq)]
#[serde(deny_unknown_fields, default)]
pub struct ChildRules {
    /// Kinds whose files in the child take the place of the parent's.
    pub replaces: Vec<Kind>,
    /// Kinds whose files in the child are added to the parent's: rules, keys, entries.
    pub adds: Vec<Kind>,
    /// The style sheet of a new child; `{name}` is its short name.
    pub style: String,
    /// How that one builds on the parent's, with `{parent}` and `{name}`; nothing where the platform sees to it.
    pub style_head: Option<String>,
    /// An empty code file of a new child, where it needs one.
    pub code: Option<String>,
    /// What stands in it, with `{parent}` and `{name}`.
    pub code_head: String,
    /// The preview picture, without its extension.
    pub preview: String,
    /// The part with the footer credit.
    pub footer: String,
    /// More files in which the parent's short name stands in paths, as globs.
    pub names_parent: Vec<String>,
}

impl Default for ChildRules {
    fn default() -> Self {
        use Kind::{Catalog, Document, Font, Other, Picture, Script, Settings, Style, Template};
        ChildRules {
            replaces: vec![Template, Script, Picture, Font, Document, Other],
            adds: vec![Style, Settings, Catalog],
            style: "style.css".into(),
            style_head: None,
            code: None,
            code_head: String::new(),
            preview: "preview".into(),
            footer: "parts/footer-credit.html".into(),
            names_parent: Vec::new(),
        }
    }
}

/// Where overrides of a theme or companion stand in a child theme.
#[derive(Debug, Clone, Deserialize, PartialEq, Eq)]
#[serde(deny_unknown_fields)]
pub struct OverrideMapping {
    /// The path in the child, with `{path}` for the vendor's.
    pub path: String,
    /// Short name of the companion that is overridden; without one, the parent.
    pub of: Option<String>,
}

impl OverrideMapping {
    /// Returns the vendor's path for a path in the child, if it is mapped.
    pub fn vendor_path<'p>(&self, path: &'p str) -> Option<&'p str> {
        let (before, after) = self.path.split_once("{path}")?;
        path.strip_prefix(before)?.strip_suffix(after).filter(|p| !p.is_empty())
    }

    /// Returns the path in the child for a vendor's path.
    pub fn child_path(&self, vendor_path: &str) -> String {
        self.path.replacen("{path}", vendor_path, 1)
    }
}

/// Where a theme says who it is.
#[derive(Debug, Clone, Deserialize, PartialEq, Eq)]
#[serde(deny_unknown_fields)]
pub struct IdentityReader {
    /// The file, from the theme's root.
    pub file: String,
    /// How it is read.
    pub format: IdentityFormat,
    /// Key or label of the title.
    pub title: Option<String>,
    /// Key or label of the short name (the folder's name).
    pub name: Option<String>,
    /// Key or label of the version.
    pub version: Option<String>,
    /// Key or label of the parent's short name.
    pub parent: Option<String>,
    /// Key or label of the lowest parent version.
    pub parent_version: Option<String>,
    /// Key of a table of required companions and their lowest versions (TOML and JSON).
    pub requires: Option<String>,
}

/// How an identity file is read.
#[derive(Debug, Clone, Copy, Deserialize, PartialEq, Eq)]
#[serde(rename_all = "snake_case")]
pub enum IdentityFormat {
    /// Dotted keys of a TOML file.
    Toml,
    /// Dotted keys of a JSON file.
    Json,
    /// Top-level keys of a YAML file.
    Yaml,
    /// Labelled lines (`Label: value`) in the first comment.
    Comment,
}

/// An area of the site and the files that make it.
#[derive(Debug, Clone, Deserialize, PartialEq, Eq)]
#[serde(deny_unknown_fields)]
pub struct WalkArea {
    /// What people call it.
    pub name: String,
    /// Files that make it, as globs.
    pub files: Vec<String>,
    /// Pages to look at.
    #[serde(default)]
    pub pages: Vec<String>,
}

/// The configuration could not be read.
#[derive(Debug, thiserror::Error, PartialEq, Eq)]
#[error("line {line}, column {column}: {message}")]
pub struct LayoutError {
    /// Line, from 1.
    pub line: usize,
    /// Column, from 1.
    pub column: usize,
    /// What is wrong there.
    pub message: String,
}

#[derive(Deserialize, Default)]
#[serde(deny_unknown_fields, default)]
struct Document {
    layout: LayoutTable,
    walk: Vec<WalkArea>,
    stock: StockTable,
    live: LiveTable,
    settings: SettingsTable,
}

#[derive(Deserialize, Default)]
#[serde(deny_unknown_fields, default)]
struct LiveTable {
    owned: Vec<toml::Spanned<String>>,
}

#[derive(Deserialize, Default)]
#[serde(deny_unknown_fields, default)]
struct StockTable {
    path: Option<String>,
}

#[derive(Deserialize, Default)]
#[serde(deny_unknown_fields, default)]
struct LayoutTable {
    kinds: toml::Table,
    identity: Option<toml::Spanned<OneOrMany>>,
    overrides: Vec<toml::Spanned<OverrideMapping>>,
    stamp: Option<toml::Spanned<String>>,
    child: ChildRules,
}

#[derive(Deserialize)]
#[serde(untagged)]
enum OneOrMany {
    One(Box<IdentityReader>),
    Many(Vec<IdentityReader>),
}

impl Layout {
    /// Reads the rules from the text of a `daxle.toml`.
    ///
    /// ```
    /// use daxle_core::theme::{Kind, Layout};
    ///
    /// let layout = Layout::parse("[layout.kinds]\n'parts/*.txt' = 'template'\n").unwrap();
    /// assert_eq!(layout.kind("parts/head.txt", b""), Kind::Template);
    /// ```
    ///
    /// # Errors
    ///
    /// When the text is no TOML, or has an unknown key or value; with line and column.
    pub fn parse(text: &str) -> Result<Self, LayoutError> {
        let at = |offset: usize, message: String| {
            let before = &text[..offset.min(text.len())];
            let line = before.matches('\n').count() + 1;
            let column = before.chars().rev().take_while(|c| *c != '\n').count() + 1;
            LayoutError { line, column, message }
        };
        let document: Document = toml::from_str(text)
            .map_err(|e| at(e.span().map_or(0, |s| s.start), with_nearest(e.message().trim_end())))?;
        let mut kinds = Vec::new();
        let matcher = |glob: &str, offset: usize| {
            let built = GlobBuilder::new(glob).literal_separator(true).build();
            let built = built.map_err(|e| at(offset, format!("`{glob}` is no glob: {}", e.kind())))?;
            Ok::<GlobMatcher, LayoutError>(built.compile_matcher())
        };
        for (glob, kind) in &document.layout.kinds {
            let offset = text.find(glob.as_str()).unwrap_or(0);
            let matcher = matcher(glob, offset)?;
            let kind = kind.as_str().and_then(Kind::from_word).ok_or_else(|| {
                let words: Vec<_> = Kind::ALL.iter().map(|k| k.word()).collect();
                at(offset, format!("{kind} is no kind; kinds are {}", words.join(", ")))
            })?;
            kinds.push((matcher, kind));
        }
        let mut overrides = Vec::new();
        for mapping in document.layout.overrides {
            let offset = mapping.span().start;
            let mapping = mapping.into_inner();
            if mapping.path.matches("{path}").count() != 1 {
                return Err(at(offset, format!("`{}` must have {{path}} in it once", mapping.path)));
            }
            overrides.push(mapping);
        }
        if let Some(stamp) = &document.layout.stamp
            && stamp.get_ref().matches("{version}").count() != 1
        {
            return Err(at(stamp.span().start, format!("`{}` must have {{version}} in it once", stamp.get_ref())));
        }
        let identity = match document.layout.identity.map(toml::Spanned::into_inner) {
            None => Vec::new(),
            Some(OneOrMany::One(reader)) => vec![*reader],
            Some(OneOrMany::Many(readers)) => readers,
        };
        let stamp = document.layout.stamp.map(toml::Spanned::into_inner);
        let owned = document.live.owned.iter().map(|g| matcher(g.get_ref(), g.span().start));
        let owned = owned.collect::<Result<_, _>>()?;
        let files = document.settings.files.iter().map(|f| matcher(f.path.get_ref(), f.path.span().start));
        let settings_files = files.collect::<Result<_, _>>()?;
        for area in &document.walk {
            for glob in &area.files {
                matcher(glob, text.find(glob.as_str()).unwrap_or(0))?;
            }
        }
        Ok(Layout {
            kinds,
            identity,
            overrides,
            stamp,
            walk: document.walk,
            stock: document.stock.path,
            child: document.layout.child,
            owned,
            settings: document.settings,
            settings_files,
        })
    }

    /// Tells whether a path of the live theme is the site's own: an upload, a cache.
    pub fn is_owned(&self, path: &str) -> bool {
        self.owned.iter().any(|glob| glob.is_match(path))
    }

    /// Tells how a settings file is merged: the last rule whose glob fits counts, before what is said for all.
    pub fn settings(&self, path: &str) -> SettingsLayout {
        let fits: Vec<&SettingsFiles> = self
            .settings
            .files
            .iter()
            .zip(&self.settings_files)
            .filter(|(_, g)| g.is_match(path))
            .map(|(f, _)| f)
            .collect();
        let last = fits.iter().rev();
        let unchanged = last.clone().find_map(|f| f.unchanged).or(self.settings.unchanged);
        SettingsLayout {
            hold: unchanged == Some(Unchanged::Hold),
            identity: last.clone().flat_map(|f| &f.identity).chain(&self.settings.identity).cloned().collect(),
            allowed: last.clone().find_map(|f| f.allowed.clone()),
        }
    }

    /// Tells what a file is: by the layout's globs (the last that fits), else by name and content.
    pub fn kind(&self, path: &str, head: &[u8]) -> Kind {
        let ruled = self.kinds.iter().rev().find(|(glob, _)| glob.is_match(path)).map(|(_, kind)| *kind);
        ruled.unwrap_or_else(|| super::kind_of(path, head))
    }
}

/// Adds the nearest known key to the message about an unknown one.
fn with_nearest(message: &str) -> String {
    let mut words = message.split('`').skip(1).step_by(2);
    let unknown = words.next().filter(|_| message.starts_with("unknown field"));
    let nearest = unknown.and_then(|unknown| {
        let far = |known: &&str| strsim::damerau_levenshtein(known, unknown);
        words.min_by_key(far).filter(|known| far(known) <= 1 + unknown.len() / 3)
    });
    match nearest {
        Some(nearest) => format!("{message}; did you mean `{nearest}`?"),
        None => message.to_string(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn mistakes_are_named_with_their_place() {
        let error = Layout::parse("[layout]\nkindz = 1\n").unwrap_err();
        assert_eq!((error.line, error.column), (2, 1));
        assert!(error.message.contains("kindz") && error.message.contains("kinds"), "{}", error.message);
        let error = Layout::parse("[layout.kinds]\n\"*.x\" = \"picturez\"\n").unwrap_err();
        assert!(error.message.contains("picturez") && error.line == 2, "{error}");
    }

    #[test]
    fn an_unknown_key_has_a_nearest_one() {
        let message = |text: &str| Layout::parse(text).unwrap_err().message;
        assert!(message("[layot]\n").contains("did you mean `layout`"), "{}", message("[layot]\n"));
        assert!(message("[stock]\npth = 'x'\n").contains("did you mean `path`"));
        assert!(!message("[zebra]\n").contains("did you mean"));
        assert!(message("[[layout.overrides]]\npath = 'x'\n").contains("{path}"));
        assert!(message("[layout]\nstamp = 'x'\n").contains("{version}"));
    }

    #[test]
    fn settings_have_rules_by_path() {
        let text = "[settings]\nunchanged = 'hold'\nidentity = ['ref']\n[[settings.files]]\npath = 'config/*.json'\nunchanged = 'follow'\nallowed = 'config/schema.json'\n";
        let layout = Layout::parse(text).unwrap();
        assert!(layout.settings("a.json").hold && layout.settings("a.json").identity == ["ref"]);
        let ruled = layout.settings("config/a.json");
        assert!(!ruled.hold && ruled.allowed.unwrap() == "config/schema.json");
        assert!(Layout::parse("[settings]\nunchanged = 'never'\n").unwrap_err().message.contains("follow"));
    }

    #[test]
    fn one_or_many_identity_readers() {
        let one =
            "[layout.identity]\nfile = 'style.css'\nformat = 'comment'\ntitle = 'Theme'\nversion = 'Version'\n";
        assert_eq!(Layout::parse(one).unwrap().identity[0].format, IdentityFormat::Comment);
    }
}
