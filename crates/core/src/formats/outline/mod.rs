//! Settings that are written line by line (YAML, TOML, INI): merging by key.
//!
//! A reader turns a text into an [`Outline`]: its keys with the lines they stand on, comments with the key that
//! they precede. The site's changes are found by comparing outlines, and worked into the release's bytes; order,
//! indentation, comments and literals stay the release's where the site did not change them.

use std::collections::{BTreeMap, HashSet};

use super::flow::Flow;
use super::homes::{Plan, names_that_stay, plan};
use super::keyed::{KeyedMerge, Refit, Rules};
use crate::merge::Outcome;

mod item;
mod merger;

pub(crate) use item::{Body, Item, Outline, by_names};
use item::{is_comment, solid};
use merger::{Merger, in_order};

/// A format that is written line by line.
#[derive(Clone, Copy)]
pub(crate) struct Reader {
    /// Reads a text into an outline; `None` where it is malformed or has what an outline cannot hold.
    pub(crate) read: fn(&[u8], &Rules) -> Option<Outline>,
    /// What is written within brackets, where the format knows that.
    pub(crate) flow: Option<Flow>,
}

/// Where the line begins that a position is in.
pub(crate) fn line_start(text: &[u8], at: usize) -> usize {
    text[..at].iter().rposition(|b| *b == b'\n').map_or(0, |p| p + 1)
}

/// Where the line ends that a position is in: before its line end, and behind it.
pub(crate) fn line_end(text: &[u8], at: usize) -> (usize, usize) {
    match text[at..].iter().position(|b| *b == b'\n') {
        Some(n) => {
            let cr = n > 0 && text[at + n - 1] == b'\r';
            (at + n - usize::from(cr), at + n + 1)
        }
        None => (text.len(), text.len()),
    }
}

/// Merges three versions of a document by key; `None` where one cannot be read, or a change cannot be worked into
/// the release's lines.
pub(crate) fn merge(reader: Reader, base: &[u8], site: &[u8], release: &[u8], rules: &Rules) -> Option<KeyedMerge> {
    let read = |text: &[u8]| (reader.read)(text, rules);
    let [mut b, mut s, r] = [read(base)?, read(site)?, read(release)?];
    let mut plan =
        if b.body.lost_in(&r.body) { plan(&b.keys(), &s.keys(), &r.keys(), rules.bold) } else { Plan::default() };
    plan.homes.retain(|home| {
        let mut moved = [b.clone(), s.clone()];
        let all = moved.iter_mut().all(|outline| outline.rehome(home));
        if all {
            [b, s] = moved;
        }
        all
    });
    let mut stay = BTreeMap::new();
    if b.body.lost_in(&s.body) || b.body.lost_in(&r.body) {
        stay = names_that_stay(&b.keys_by_name(), &s.keys_by_name(), &r.keys_by_name());
        b.forget(&stay);
    }
    let before: HashSet<&[u8]> = b.comments(base).into_iter().collect();
    let mut own_comments = s.comments(site);
    // One alone may have been taken out by hand, if nothing else tells of a tool.
    let by_tool = before.len() > 1 || !in_order(&b.body, &s.body);
    let comments_are_form = !before.is_empty() && own_comments.is_empty() && by_tool;
    own_comments.retain(|comment| !before.contains(comment));
    let mut merger = Merger {
        base,
        site,
        release,
        refit: Refit::new(site, release),
        comments_are_form,
        rules,
        flow: reader.flow,
        homes: plan.homes.into_iter().map(|h| h.to).collect(),
        hints: plan.hints,
        stay,
        renamed: false,
        comments_left: false,
        unnamed: Vec::new(),
        splices: Vec::new(),
        changes: Vec::new(),
    };
    merger.document(&b, &s, &r).ok()?;
    let bytes = merger.spliced();
    // The text must hold what was decided, or it is not to be trusted.
    let mut result = read(&bytes)?;
    merger.unnamed.iter().for_each(|list| list.name_again(&mut result));
    let there: HashSet<&[u8]> = result.comments(&bytes).into_iter().collect();
    if own_comments.iter().any(|comment| !there.contains(comment)) {
        return None;
    }
    let (results, sites) = (result.by_pointer(), s.by_pointer());
    let mut changes = Vec::new();
    for (pointer, mut change) in merger.changes {
        let pointer: Vec<&str> = pointer.iter().map(String::as_str).collect();
        let found = results.get(&pointer).copied();
        let lead_only = change.pointer.is_empty();
        // A key that is alone on one side was told with its comments.
        let starts_before = |i: &&Item| change.site.as_ref().is_some_and(|span| span.start < i.start);
        let with_comments = sites.get(&pointer).filter(|i| starts_before(i)).is_some();
        change.result = found.map(|i| match (lead_only, with_comments) {
            (true, _) => i.lead.clone(),
            (_, true) => i.lead.start..i.end,
            _ => i.start..i.value.end,
        });
        let arrived = matches!(change.outcome, Outcome::Kept | Outcome::Fitted) && !lead_only;
        // What was merged within a value is neither side's.
        if arrived && change.step.is_none() {
            let wanted = sites.get(&pointer).map(|i| i.body.canonical());
            if found.map(|i| i.body.canonical()) != wanted {
                return None;
            }
        }
        changes.push(change);
    }
    Some(KeyedMerge { bytes, changes, rewritten: comments_are_form, renamed: merger.renamed })
}

/// Tells whether all lines of a text are comments, or blank.
pub(crate) fn is_of_comments(text: &[u8]) -> bool {
    solid(text).into_iter().all(is_comment)
}

/// Tells whether two texts hold the same values.
pub(crate) fn same_values(reader: Reader, a: &[u8], b: &[u8]) -> bool {
    let values = |text| (reader.read)(text, &Rules::default()).map(|o| o.body.canonical());
    values(a).is_some_and(|v| Some(v) == values(b))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::formats::{ini, toml, yaml};

    fn merged(reader: Reader, base: &str, site: &str, release: &str) -> (String, Vec<Outcome>) {
        let merge = merge(reader, base.as_bytes(), site.as_bytes(), release.as_bytes(), &Rules::default())
            .expect("an outline");
        (String::from_utf8(merge.bytes).unwrap(), merge.changes.iter().map(|c| c.outcome).collect())
    }

    #[test]
    fn yaml_takes_the_sites_values_into_the_releases_lines() {
        let base =
            "# Head\n\na: 1 # one\nnav:\n  - Home\n  - News\ndeep:\n  x: \"old\"\n  y: |\n    text\n    more\n";
        let site = "a: 1\nown:\n    - {b: 2}\ndeep:\n    y: |\n        ours\n        more\n    x: new\nnav: \n    - Home\n    - News\n    - Shop\n";
        let release = "# Head\n\na: 1 # one\n# counted\nn: 5\nnav:\n- Home\n- Blog\n- News\ndeep:\n  x: 'old'   # kept\n  y: |\n    text\n    more\n  z:\n";
        let (text, outcomes) = merged(yaml::READER, base, site, release);
        assert_eq!(
            text,
            "# Head\n\na: 1 # one\nown:\n  - {b: 2}\n# counted\nn: 5\nnav:\n- Home\n- Blog\n- News\n- Shop\ndeep:\n  x: new   # kept\n  y: |\n    ours\n    more\n  z:\n"
        );
        assert_eq!(outcomes, [Outcome::Kept; 4]);
    }

    #[test]
    fn lists_that_order_a_table_stay_true_to_it() {
        let base = "of:\n  a:\n    v: 1\n  b:\n    v: 1\norder:\n  - a\n  - b\n";
        let site = "of:\n  a:\n    v: 1\n  b:\n    v: 9\norder:\n  - a\n  - b\n";
        let release = "of:\n  a:\n    v: 1\n  c:\n    v: 2\norder:\n  - c\n  - a\n";
        let (text, outcomes) = merged(yaml::READER, base, site, release);
        assert_eq!(text, "of:\n  a:\n    v: 1\n  b:\n    v: 9\n  c:\n    v: 2\norder:\n  - c\n  - a\n  - b\n");
        assert_eq!(outcomes, [Outcome::Open, Outcome::Kept]);
        let base = "order = ['a', 'b']\n[of.a]\nv = 1\n[of.b]\nv = 1\n";
        let site = "order = ['a', 'b']\n[of.a]\nv = 1\n[of.b]\nv = 9\n";
        let (text, _) =
            merged(toml::READER, base, site, "order = [ \"c\", \"a\" ]\n[of.a]\nv = 1\n[of.c]\nv = 2\n");
        assert_eq!(text, "order = [ \"c\", \"a\", 'b' ]\n[of.a]\nv = 1\n[of.b]\nv = 9\n[of.c]\nv = 2\n");
        let (text, _) = merged(
            yaml::READER,
            "o: [a, b]\nt: {}\nof:\n  a: 1\n  b: 2\n",
            "o: [a]\nt: {}\nof:\n  a: 1\n",
            "o: [a, b]\nt: {}\nof:\n  a: 1\n  b: 5",
        );
        assert_eq!(text, "o: [a, b]\nt: {}\nof:\n  a: 1\n  b: 5");
    }

    #[test]
    fn comments_that_all_went_are_form_but_one_alone_was_taken_out() {
        let gone = |comment: &str| -> (String, Vec<Outcome>) {
            let base = format!("# first\na: 1\n{comment}b: 2\n");
            merged(yaml::READER, &base, "a: 1\nb: 3\n", &base.replace("a: 1", "a: 5"))
        };
        assert_eq!(gone("# second\n"), ("# first\na: 5\n# second\nb: 3\n".into(), vec![Outcome::Kept]));
        assert_eq!(gone(""), ("a: 5\nb: 3\n".into(), vec![Outcome::Kept; 2]));
    }

    #[test]
    fn comments_go_with_the_key_behind_them() {
        let base = "# first\na: 1\n# wide: 3\nb: 2\n";
        let site = "# first\na: 1\nwide: 4\n# ours\nb: 2\n";
        let release = "# first\na: 0\n# wide: 3\nb: 2\n# new\nc: 3\n";
        let (text, _) = merged(yaml::READER, base, site, release);
        assert_eq!(text, "# first\na: 0\nwide: 4\n# ours\nb: 2\n# new\nc: 3\n");
    }

    #[test]
    fn toml_keys_stay_before_the_first_header() {
        let base = "title = \"x\"\n\n[menu]\nopen = false # at start\n\n[[item]]\nname = \"a\"\nsize = 1\n";
        let site = "title = \"x\"\nown = 1\n\n[[item]]\nname = \"a\"\nsize = 1\n\n[[item]]\nname = \"mine\"\nsize = 3\n\n[menu]\nopen = true\n";
        let release = "title = 'x'\nlang = \"cy\"\n\n[menu]\nopen = false # at start\ndepth = 2\n\n[[item]]\nname = \"a\"\nsize = 2\n";
        let (text, outcomes) = merged(toml::READER, base, site, release);
        assert_eq!(
            text,
            "title = 'x'\nown = 1\nlang = \"cy\"\n\n[menu]\nopen = true # at start\ndepth = 2\n\n[[item]]\nname = \"a\"\nsize = 2\n\n[[item]]\nname = \"mine\"\nsize = 3\n"
        );
        assert_eq!(outcomes, [Outcome::Kept; 3]);
        assert!(read(toml::READER, b"[[x]]\nv = 1\n[[x]]\nv = 2\n").is_none(), "nothing tells the tables apart");
    }

    #[test]
    fn ini_values_go_on_and_sections_move() {
        let base = "[b]\nx = 1\nlist =\n  one\n  two\n\n[a]\ny = 2\n";
        let site = "[b]\nx=1\nlist =\n  one\n  ours\n\n[a]\ny = 2\nz: 3\n";
        let release = "[a]\ny = 4\n\n; the rest\n[b]\nlist =\n  one\n  two\nx = 1\n";
        let (text, outcomes) = merged(ini::READER, base, site, release);
        assert_eq!(text, "[a]\ny = 4\nz: 3\n\n; the rest\n[b]\nlist =\n  one\n  ours\nx = 1\n");
        assert_eq!(outcomes, [Outcome::Kept; 2]);
    }

    #[test]
    fn what_both_changed_is_asked_and_what_the_site_removed_goes() {
        let (text, outcomes) =
            merged(yaml::READER, "a: 1\nb: 2\nc: 3\nd: 4\n", "a: 8\nd: 5\n", "a: 9\nb: 2\nc: 0\n");
        assert_eq!(text, "a: 8\nd: 5\nc: 0\n");
        assert_eq!(outcomes, [Outcome::Open, Outcome::Kept, Outcome::Open, Outcome::Open]);
    }

    fn read(reader: Reader, text: &[u8]) -> Option<Outline> {
        (reader.read)(text, &Rules::default())
    }

    #[test]
    fn what_an_outline_cannot_hold_is_left_to_lines() {
        for text in ["a: 1\na: 2\n", "? x\n: y\n", "a: |+\n  x\n\nb: 1\n", "a: [1\n", "x: &n\n  a: 1\n"] {
            assert!(read(yaml::READER, text.as_bytes()).is_none(), "{text}");
        }
        assert!(read(yaml::READER, &b"[".repeat(20_000)).is_none());
        assert!(read(yaml::READER, &b"- ".repeat(20_000)).is_none());
        assert!(read(toml::READER, b"a = 1\na = 2\n").is_none() && read(ini::READER, b"[a\nb = 1\n").is_none());
        assert!(read(yaml::READER, b"a: *x\nb: &y 1\n").is_none(), "an alias of nothing");
    }
}
