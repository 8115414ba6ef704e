//! Finding every difference that a site made.

use std::collections::HashMap;
use std::ops::Range;

use rayon::prelude::*;

use super::snippet::{around, is_font_use, is_snippet};
use super::{Change, ChangeId, Origin, What};
use crate::diff::Edit;
use crate::merge::line_edits;
use crate::text::{Text, split_lines};
use crate::theme::{Kind, Layout, Pair, ReadError, Tree, dialect_of, pair};

/// A file that the site touched, with its changes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FileChange {
    /// Path in the site theme (in the base, for a deleted file).
    pub path: String,
    /// Path in the base, where it has one.
    pub base_path: Option<String>,
    /// What the file is.
    pub kind: Kind,
    /// The changes in it, in file order.
    pub changes: Vec<Change>,
}

/// Everything that a site changed.
#[derive(Debug, Clone, Default)]
pub struct Survey {
    /// The touched files, by path.
    pub files: Vec<FileChange>,
    /// How many files the site left as the vendor shipped them.
    pub untouched: usize,
}

impl Survey {
    /// Returns all changes, file by file.
    pub fn changes(&self) -> impl Iterator<Item = &Change> {
        self.files.iter().flat_map(|f| &f.changes)
    }
}

/// Lists every difference between a base and a site theme.
///
/// # Errors
///
/// When a file cannot be read.
pub fn survey(base: &dyn Tree, site: &dyn Tree, layout: &Layout) -> Result<Survey, ReadError> {
    survey_pairs(base, site, layout, &pair(base, site)?)
}

/// Lists every difference between a base and a site theme whose files are paired already.
pub(crate) fn survey_pairs(
    base: &dyn Tree,
    site: &dyn Tree,
    layout: &Layout,
    pairs: &[Pair],
) -> Result<Survey, ReadError> {
    let files: Vec<Option<FileChange>> =
        pairs.par_iter().map(|p| file_change(base, site, layout, p)).collect::<Result<_, _>>()?;
    let untouched = files.iter().filter(|f| f.is_none()).count();
    let mut files: Vec<FileChange> = files.into_iter().flatten().collect();
    files.sort_by(|a, b| a.path.cmp(&b.path));
    Ok(Survey { files, untouched })
}

/// Lists what a site changed in one file; `None` where it changed nothing.
pub(crate) fn file_change(
    base: &dyn Tree,
    site: &dyn Tree,
    layout: &Layout,
    pair: &Pair,
) -> Result<Option<FileChange>, ReadError> {
    let (old, new) = (pair.old.map(|k| &base.entries()[k]), pair.new.map(|k| &site.entries()[k]));
    let (tree, index) = match (pair.old, pair.new) {
        (_, Some(k)) => (site, k),
        (Some(k), None) => (base, k),
        (None, None) => return Ok(None),
    };
    if !pair.renamed && old.zip(new).is_some_and(|(a, b)| a.digest == b.digest) {
        return Ok(None);
    }
    let entry = &tree.entries()[index];
    let bytes = if entry.binary { Vec::new() } else { tree.read(index)? };
    let kind = layout.kind(&entry.path, &bytes);
    let whole = |what: What, origin: Origin, seed: &[u8], from: Option<String>| Change {
        id: ChangeId::new(&entry.path, what, from.as_deref().unwrap_or("").as_bytes(), seed, 0),
        path: entry.path.clone(),
        kind,
        what,
        origin,
        base: None,
        site: None,
        removed: Vec::new(),
        added: Vec::new(),
        from,
        size: entry.size,
    };
    let mut changes = Vec::new();
    match (old, new) {
        (Some(_), None) => changes.push(whole(What::Deleted, Origin::Hand, b"", None)),
        (None, Some(new)) => {
            let origin = if kind == Kind::Font { Origin::Font } else { Origin::AddedFile };
            changes.push(whole(What::Added, origin, &new.digest.0, None));
        }
        (Some(old), Some(new)) => {
            if pair.renamed {
                changes.push(whole(What::Renamed, Origin::Hand, b"", Some(old.path.clone())));
            }
            if old.digest != new.digest {
                let texts = !old.binary && !new.binary;
                let before = match (texts, pair.old) {
                    (true, Some(k)) => Some(base.read(k)?),
                    _ => None,
                };
                match before.and_then(|before| text_changes(&entry.path, kind, &before, &bytes)) {
                    Some(edits) => changes.extend(edits),
                    None => changes.push(whole(What::Replaced, Origin::Hand, &new.digest.0, None)),
                }
            }
        }
        (None, None) => {}
    }
    Ok(Some(FileChange { path: entry.path.clone(), base_path: old.map(|e| e.path.clone()), kind, changes }))
}

/// Lists the changes between two versions of a text file; `None` where one is binary.
///
/// Lines that differ in white space only are one change of their own, at the end.
pub fn text_changes(path: &str, kind: Kind, base: &[u8], site: &[u8]) -> Option<Vec<Change>> {
    let (b, s) = (Text::decode(base)?, Text::decode(site)?);
    let dialect = dialect_of(path, kind, site);
    let edits = line_edits(&b.body, &s.body, dialect.blanks);
    let (base_lines, site_lines) = (split_lines(&b.body), split_lines(&s.body));
    let join = |lines: &[crate::text::Line<'_>], range: &Range<usize>| -> Vec<u8> {
        lines[range.clone()].iter().flat_map(|l| [l.content, l.end.bytes()].concat()).collect()
    };
    let mut seen: HashMap<(Vec<u8>, Vec<u8>), usize> = HashMap::new();
    let mut changes: Vec<Change> = edits
        .iter()
        .map(|Edit { old, new }| {
            let (removed, added) = (join(&base_lines, old), join(&site_lines, new));
            let nth = seen.entry((removed.clone(), added.clone())).or_default();
            let id = ChangeId::new(path, What::Edited, &removed, &added, *nth);
            *nth += 1;
            let (before, after) = around(&site_lines, new);
            let origin = if dialect.markup && is_snippet(&added, before, after) {
                Origin::Snippet
            } else if is_font_use(&added) {
                Origin::Font
            } else {
                Origin::Hand
            };
            Change {
                id,
                path: path.to_string(),
                kind,
                what: What::Edited,
                origin,
                base: Some(old.clone()),
                site: Some(new.clone()),
                removed,
                added,
                from: None,
                size: 0,
            }
        })
        .collect();
    let blank_only = blank_changes(&base_lines, &site_lines, &edits);
    if b.encoding != s.encoding || blank_only > 0 || (changes.is_empty() && base != site) {
        changes.push(Change {
            id: ChangeId::new(path, What::Whitespace, b"", &[], 0),
            path: path.to_string(),
            kind,
            what: What::Whitespace,
            origin: Origin::Hand,
            base: None,
            site: None,
            removed: Vec::new(),
            added: Vec::new(),
            from: None,
            size: blank_only as u64,
        });
    }
    Some(changes)
}

/// Counts kept lines whose bytes differ.
fn blank_changes(base: &[crate::text::Line<'_>], site: &[crate::text::Line<'_>], edits: &[Edit]) -> usize {
    crate::diff::kept_pairs(edits, base.len()).filter(|(i, j)| base[*i] != site[*j]).count()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::theme::MemoryTree;

    const PAGE: &str = "<html>\n<head>\n<title>x y z</title>\n</head>\n<body>\n<p>one two</p>\n</body>\n</html>\n";

    fn surveyed(base: &[(&str, &str)], site: &[(&str, &str)]) -> Vec<(String, What, Origin)> {
        let (base, site) = (MemoryTree::new(base.to_vec()), MemoryTree::new(site.to_vec()));
        let found = survey(&base, &site, &Layout::default()).unwrap();
        found.changes().map(|c| (c.path.clone(), c.what, c.origin)).collect()
    }

    #[test]
    fn every_sort_of_change_is_found() {
        let tracked = PAGE.replace("</head>", "<script src=\"https://c.example/x.js\"></script>\n</head>");
        let blank = "a {\n\tcolor: red;\n}\n";
        let found = surveyed(
            &[
                ("a.html", PAGE),
                ("b.css", "a {\n  color: red;\n}\n"),
                ("c.png", "\0one"),
                ("old.html", PAGE),
                ("x.txt", "gone"),
            ],
            &[("a.html", &tracked), ("b.css", blank), ("c.png", "\0two"), ("f.woff2", "\0f"), ("new.html", PAGE)],
        );
        let path = |p: &str| p.to_string();
        assert_eq!(
            found,
            [
                (path("a.html"), What::Edited, Origin::Snippet),
                (path("b.css"), What::Whitespace, Origin::Hand),
                (path("c.png"), What::Replaced, Origin::Hand),
                (path("f.woff2"), What::Added, Origin::Font),
                (path("new.html"), What::Renamed, Origin::Hand),
                (path("x.txt"), What::Deleted, Origin::Hand),
            ]
        );
    }

    #[test]
    fn ids_depend_on_path_and_content_only() {
        let changes = |base: &str, site: &str| -> Vec<String> {
            let list = text_changes("a.html", Kind::Template, base.as_bytes(), site.as_bytes()).unwrap();
            list.into_iter().map(|c| c.id.0).collect()
        };
        let one = changes(PAGE, &PAGE.replace("one two", "one three"));
        let lower = format!("<!-- first -->\n<!-- second -->\n{PAGE}");
        let two = changes(&lower, &lower.replace("one two", "one three"));
        assert_eq!(one, two, "line numbers do not matter");
        let twice = changes("a1a\nb1b\nc1c\n", "new\na1a\nb1b\nnew\nc1c\n");
        assert_ne!(twice[0], twice[1], "equal changes are told apart");
    }
}
