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
    /// Areas of the site, for the walk-through.
    pub walk: Vec<WalkArea>,
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
}

#[derive(Deserialize, Default)]
#[serde(deny_unknown_fields, default)]
struct LayoutTable {
    kinds: toml::Table,
    identity: Option<toml::Spanned<OneOrMany>>,
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
            .map_err(|e| at(e.span().map_or(0, |s| s.start), e.message().trim_end().to_string()))?;
        let mut kinds = Vec::new();
        for (glob, kind) in &document.layout.kinds {
            let offset = text.find(glob.as_str()).unwrap_or(0);
            let matcher = GlobBuilder::new(glob)
                .literal_separator(true)
                .build()
                .map_err(|e| at(offset, format!("`{glob}` is no glob: {}", e.kind())))?
                .compile_matcher();
            let kind = kind.as_str().and_then(Kind::from_word).ok_or_else(|| {
                let words: Vec<_> = Kind::ALL.iter().map(|k| k.word()).collect();
                at(offset, format!("{kind} is no kind; kinds are {}", words.join(", ")))
            })?;
            kinds.push((matcher, kind));
        }
        let identity = match document.layout.identity.map(toml::Spanned::into_inner) {
            None => Vec::new(),
            Some(OneOrMany::One(reader)) => vec![*reader],
            Some(OneOrMany::Many(readers)) => readers,
        };
        Ok(Layout { kinds, identity, walk: document.walk })
    }

    /// Tells what a file is: by the layout's globs (the last that fits), else by name and content.
    pub fn kind(&self, path: &str, head: &[u8]) -> Kind {
        let ruled = self.kinds.iter().rev().find(|(glob, _)| glob.is_match(path)).map(|(_, kind)| *kind);
        ruled.unwrap_or_else(|| super::kind_of(path, head))
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
    fn one_or_many_identity_readers() {
        let one =
            "[layout.identity]\nfile = 'style.css'\nformat = 'comment'\ntitle = 'Theme'\nversion = 'Version'\n";
        assert_eq!(Layout::parse(one).unwrap().identity[0].format, IdentityFormat::Comment);
    }
}
