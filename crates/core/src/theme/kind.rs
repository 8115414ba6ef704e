//! What a file is, and what the merge needs to know of its language.

use std::fmt;

use crate::merge::{Dialect, Insertions};
use crate::text::key::Blanks;

/// What a file is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, serde::Serialize, serde::Deserialize)]
#[serde(rename_all = "snake_case")]
#[non_exhaustive]
pub enum Kind {
    /// A page or part of one, with template tags.
    Template,
    /// A stylesheet.
    Style,
    /// A script that runs in the browser.
    Script,
    /// Program code that runs on the server.
    Code,
    /// Settings by key.
    Settings,
    /// Translations.
    Catalog,
    /// A font.
    Font,
    /// A picture.
    Picture,
    /// Text for people.
    Document,
    /// Anything else.
    Other,
}

impl Kind {
    /// All kinds, in the order in which they are shown.
    pub const ALL: [Kind; 10] = [
        Kind::Template,
        Kind::Style,
        Kind::Script,
        Kind::Code,
        Kind::Settings,
        Kind::Catalog,
        Kind::Font,
        Kind::Picture,
        Kind::Document,
        Kind::Other,
    ];

    /// Returns the word for the kind.
    pub fn word(self) -> &'static str {
        match self {
            Kind::Template => "template",
            Kind::Style => "style",
            Kind::Script => "script",
            Kind::Code => "code",
            Kind::Settings => "settings",
            Kind::Catalog => "catalog",
            Kind::Font => "font",
            Kind::Picture => "picture",
            Kind::Document => "document",
            Kind::Other => "other",
        }
    }

    /// Reads the word for a kind.
    pub fn from_word(word: &str) -> Option<Kind> {
        Kind::ALL.into_iter().find(|k| k.word() == word)
    }
}

impl fmt::Display for Kind {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(self.word())
    }
}

/// Kinds by file extension: the one table to extend for a new language.
const EXTENSIONS: [(&str, Kind); 88] = {
    use Kind::{Catalog, Code, Document, Font, Other, Picture, Script, Settings, Style, Template};
    [
        ("html", Template),
        ("htm", Template),
        ("xhtml", Template),
        ("tpl", Template),
        ("tmpl", Template),
        ("hbs", Template),
        ("mustache", Template),
        ("ejs", Template),
        ("erb", Template),
        ("j2", Template),
        ("jinja", Template),
        ("jinja2", Template),
        ("njk", Template),
        ("twig", Template),
        ("liquid", Template),
        ("latte", Template),
        ("phtml", Template),
        ("pug", Template),
        ("jade", Template),
        ("haml", Template),
        ("slim", Template),
        ("vue", Template),
        ("svelte", Template),
        ("astro", Template),
        ("gohtml", Template),
        ("ftl", Template),
        ("jsp", Template),
        ("cshtml", Template),
        ("css", Style),
        ("scss", Style),
        ("less", Style),
        ("sass", Style),
        ("styl", Style),
        ("pcss", Style),
        ("js", Script),
        ("mjs", Script),
        ("cjs", Script),
        ("ts", Script),
        ("tsx", Script),
        ("jsx", Script),
        ("coffee", Script),
        ("php", Code),
        ("inc", Code),
        ("py", Code),
        ("rb", Code),
        ("lua", Code),
        ("pl", Code),
        ("java", Code),
        ("go", Code),
        ("rs", Code),
        ("cs", Code),
        ("sh", Code),
        ("json", Settings),
        ("jsonc", Settings),
        ("json5", Settings),
        ("yaml", Settings),
        ("yml", Settings),
        ("toml", Settings),
        ("ini", Settings),
        ("cfg", Settings),
        ("conf", Settings),
        ("properties", Settings),
        ("po", Catalog),
        ("pot", Catalog),
        ("mo", Catalog),
        ("woff", Font),
        ("woff2", Font),
        ("ttf", Font),
        ("otf", Font),
        ("eot", Font),
        ("png", Picture),
        ("jpg", Picture),
        ("jpeg", Picture),
        ("gif", Picture),
        ("webp", Picture),
        ("avif", Picture),
        ("svg", Picture),
        ("ico", Picture),
        ("bmp", Picture),
        ("md", Document),
        ("markdown", Document),
        ("txt", Document),
        ("rst", Document),
        ("adoc", Document),
        ("pdf", Document),
        ("rtf", Document),
        ("xml", Other),
        ("map", Other),
    ]
};

/// Returns the lower-case extension of a path, or nothing.
pub(crate) fn extension(path: &str) -> String {
    let name = path.rsplit('/').next().unwrap_or(path);
    name.rsplit_once('.').map_or(String::new(), |(_, e)| e.to_ascii_lowercase())
}

/// Tells what a file is, by its extension, and where that does not tell, by the front of its content.
pub fn kind_of(path: &str, head: &[u8]) -> Kind {
    let extension = extension(path);
    let known = EXTENSIONS.iter().find(|(e, _)| *e == extension).map(|(_, k)| *k);
    let text = head.trim_ascii_start();
    match known {
        // Server code with more page than code in it is a template.
        Some(Kind::Code) if extension == "php" && looks_like_page(head) => Kind::Template,
        Some(kind) => kind,
        None if text.starts_with(b"<!") || text.starts_with(b"<html") || looks_like_page(head) => Kind::Template,
        None if text.starts_with(b"#!") || text.starts_with(b"<?") => Kind::Code,
        None => Kind::Other,
    }
}

fn looks_like_page(head: &[u8]) -> bool {
    let closers = head.windows(2).filter(|w| *w == b"</").count();
    let lines = head.iter().filter(|b| **b == b'\n').count();
    closers >= 2 && closers * 8 >= lines
}

/// Tells whether blocks are held together by braces, in a language that may have them.
fn has_braces(head: &[u8]) -> bool {
    let lines = || head.split(|b| *b == b'\n').map(<[u8]>::trim_ascii);
    let (opening, closing) =
        (lines().filter(|l| l.ends_with(b"{")).count(), lines().filter(|l| *l == b"}").count());
    opening > 0 && closing > 0 && (opening + closing) * 8 >= lines().filter(|l| !l.is_empty()).count()
}

/// Returns what the merge needs to know of a file's language.
pub fn dialect_of(path: &str, kind: Kind, head: &[u8]) -> Dialect {
    let extension = extension(path);
    let indented = matches!(
        extension.as_str(),
        "yaml" | "yml" | "sass" | "styl" | "pug" | "jade" | "haml" | "slim" | "py" | "coffee"
    ) && !(extension == "styl" && has_braces(head));
    let plain = Dialect {
        blanks: if indented { Blanks::IndentIsMeaning } else { Blanks::AreForm },
        insertions: Insertions::Unknown,
        markup: false,
        strings: false,
        declarations: false,
        markers: true,
        respelled: false,
    };
    match kind {
        Kind::Template => Dialect { insertions: Insertions::Elements, markup: !indented, ..plain },
        Kind::Style => Dialect { insertions: Insertions::Cascade, strings: true, declarations: !indented, ..plain },
        Kind::Script => Dialect { insertions: Insertions::Members, strings: true, ..plain },
        Kind::Code => {
            let markup = looks_like_page(head);
            Dialect { insertions: Insertions::Members, strings: !markup, markup, ..plain }
        }
        Kind::Settings | Kind::Catalog => Dialect { strings: true, declarations: false, markers: false, ..plain },
        Kind::Picture | Kind::Other if matches!(extension.as_str(), "svg" | "xml") => {
            Dialect { markup: true, insertions: Insertions::Elements, ..plain }
        }
        _ => plain,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn kinds_come_from_the_name_then_the_content() {
        assert_eq!(kind_of("a/page.HTML", b""), Kind::Template);
        assert_eq!(kind_of("inc/setup.php", b"<?php\nfunction f() {\n}\n"), Kind::Code);
        assert_eq!(kind_of("page.php", b"<?php head(); ?>\n<div>\n<p>x</p>\n</div>\n"), Kind::Template);
        assert_eq!(kind_of("LICENSE", b"Permission is granted"), Kind::Other);
        assert_eq!(kind_of("parts/header", b"<!doctype html>"), Kind::Template);
    }

    #[test]
    fn indentation_is_meaning_where_it_is() {
        assert_eq!(dialect_of("a.yml", Kind::Settings, b"").blanks, Blanks::IndentIsMeaning);
        assert_eq!(dialect_of("a.css", Kind::Style, b"").blanks, Blanks::AreForm);
        assert_eq!(dialect_of("a.styl", Kind::Style, b"a\n  b c\n").blanks, Blanks::IndentIsMeaning);
        assert_eq!(dialect_of("a.styl", Kind::Style, b"a {\n  b: c;\n}\n").blanks, Blanks::AreForm);
        assert!(!dialect_of("a.json", Kind::Settings, b"").markers);
    }
}
