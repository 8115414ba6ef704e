//! One table from kind to merger, with text as the fallback.
//!
//! A new file language is a module here and a line in [`merge_file`].

pub(crate) mod allowed;
pub(crate) mod answered;
mod flow;
mod homes;
mod ini;
mod json;
mod keyed;
mod lists;
mod matched;
mod outline;
mod po;
mod sync;
mod toml;
pub(crate) mod tree;
pub(crate) mod yaml;

pub use sync::{CatalogSides, Collision, Side, SyncFault, Synced, sync_catalog};

use std::borrow::Cow;

use allowed::Allowed;
use answered::{Answered, Moved, Value, worked_in};
use keyed::{KeyedMerge, Rules};

use crate::catalog::Charset;
use crate::merge::{Leave, MergeOptions, Outcome, Reason, TextDecision, TextMerge, Trust, line_edits, merge_text};
use crate::text::{Encoding, Text};
use crate::theme::{Kind, dialect_of};

/// Merges three versions of a text by key; `None` where one of them cannot be read.
type Merger = fn(&[u8], &[u8], &[u8], &Rules) -> Option<KeyedMerge>;

/// How a format merges by key.
#[derive(Clone, Copy)]
enum ByKey {
    /// By a merger of its own.
    Own(Merger),
    /// Message by message, in the charset that the header names.
    Catalog,
    /// Line by line where that proves right by key, else by outlines.
    Outline(outline::Reader),
}

/// The formats that merge by key, by file extension.
const BY_KEY: [(&str, ByKey); 11] = [
    ("json", ByKey::Own(json::merge)),
    ("jsonc", ByKey::Own(json::merge)),
    ("po", ByKey::Catalog),
    ("pot", ByKey::Catalog),
    ("yaml", ByKey::Outline(yaml::READER)),
    ("yml", ByKey::Outline(yaml::READER)),
    ("toml", ByKey::Outline(toml::READER)),
    ("ini", ByKey::Outline(ini::READER)),
    ("cfg", ByKey::Outline(ini::READER)),
    ("conf", ByKey::Outline(ini::READER)),
    ("properties", ByKey::Outline(ini::READER)),
];

/// Merges three versions of a file by its kind.
///
/// Returns `None` where the file can only be taken whole: it is binary, or cannot be written in its encoding.
pub fn merge_file(
    path: &str,
    kind: Kind,
    base: &[u8],
    site: &[u8],
    release: &[u8],
    options: &MergeOptions,
) -> Option<TextMerge> {
    let dialect = dialect_of(path, kind, site);
    let rules = &options.settings;
    let plain = (base == site && !rules.hold) || (base == release && rules.allowed.is_none()) || site == release;
    let by_key = by_key(path).filter(|_| !plain && options.trust != Trust::Strict);
    if let Some(by_key) = by_key
        && let Some(merged) = merge_by_key(path, by_key, [base, site, release], &dialect, options)
    {
        return Some(merged);
    }
    let merged = merge_text(base, site, release, &dialect, options)?;
    Some(TextMerge { by_lines: by_key.is_some(), ..merged })
}

/// Tells whether a file of this name is merged by key: at an open spot one side's value stands then.
pub fn is_by_key(path: &str) -> bool {
    by_key(path).is_some()
}

/// Tells whether a file of this name holds settings by key.
pub(crate) fn is_settings(path: &str) -> bool {
    by_key(path).is_some_and(|by_key| !matches!(by_key, ByKey::Catalog))
}

fn by_key(path: &str) -> Option<ByKey> {
    let extension = path.rsplit_once('.').map_or("", |(_, e)| e);
    BY_KEY.iter().find(|(e, _)| e.eq_ignore_ascii_case(extension)).map(|(_, merge)| *merge)
}

fn merge_by_key(
    path: &str,
    by_key: ByKey,
    [base, site, release]: [&[u8]; 3],
    dialect: &crate::merge::Dialect,
    options: &MergeOptions,
) -> Option<TextMerge> {
    let (b, s, r) = (body(by_key, base)?, body(by_key, site)?, body(by_key, release)?);
    let rules = Rules::new(options);
    let merged = match by_key {
        ByKey::Own(merge) => merge(&b.body, &s.body, &r.body, &rules)?,
        ByKey::Catalog => po::merge(&b.body, &s.body, &r.body)?,
        ByKey::Outline(reader) => {
            let merged = outline::merge(reader, &b.body, &s.body, &r.body, &rules)?;
            // Lines carry comments and blanks too; they do, wherever the keys prove them right.
            if !merged.rewritten
                && merged.changes.iter().all(|c| c.reason.is_none())
                && let Some(by_line) = merge_text(base, site, release, dialect, options)
                // A comment that both touched is no key's, but a question all the same.
                && by_line.decisions.iter().all(is_about_comments)
                && let Some(text) = Text::decode(&by_line.bytes)
                && outline::same_values(reader, &text.body, &merged.bytes)
                && options.settings.allowed.is_none()
            {
                return Some(by_line);
            }
            merged
        }
    };
    // By lines a key with another name is an edit of a word.
    if merged.renamed
        && options.settings.allowed.is_none()
        && let Some(by_line) = merge_text(base, site, release, dialect, options)
        && by_line.decisions.is_empty()
        && body(by_key, &by_line.bytes).is_some_and(|text| tree::read(path, &text.body).is_some())
    {
        return Some(by_line);
    }
    let mut merged = merged;
    if let Some((from, bytes)) = &options.settings.allowed
        && let Some(allowed) = Allowed::read(from, bytes)
    {
        refuse(path, &mut merged, &allowed);
    }
    let edits = line_edits(&b.body, &s.body, dialect.blanks);
    let mut merged = merged.into_text(edits, &b.body, &s.body, &r.body);
    if options.leave == Leave::Release && !merged.decisions.is_empty() {
        merged = for_release(by_key, merged, [&b.body, &s.body, &r.body], &rules)?;
    }
    merged.bytes = match r.form {
        Written::Text(encoding) => Text::encode(merged.bytes, encoding)?,
        Written::Charset(charset) => charset.encode(&merged.bytes)?,
    };
    Some(merged)
}

/// Tells whether all lines of a question are comments, or blank.
fn is_about_comments(decision: &TextDecision) -> bool {
    let texts = [&decision.base_text, &decision.site_text, &decision.release_text];
    texts.into_iter().all(|text| outline::is_of_comments(text))
}

/// A file's text in UTF-8, and how it is written.
struct Body<'a> {
    body: Cow<'a, [u8]>,
    form: Written,
}

#[derive(Clone, Copy)]
enum Written {
    Text(Encoding),
    Charset(Charset),
}

/// Decodes a file; `None` where its letters are not known.
fn body(by_key: ByKey, bytes: &[u8]) -> Option<Body<'_>> {
    if let ByKey::Catalog = by_key {
        let charset = Charset::of_header(bytes)?;
        if !charset.is_utf8() {
            return Some(Body { body: charset.decode(bytes)?.into(), form: Written::Charset(charset) });
        }
    }
    let text = Text::decode(bytes)?;
    let known = text.encoding != Encoding::SingleByte;
    known.then_some(Body { body: text.body, form: Written::Text(text.encoding) })
}

/// Works values into a file's own writing: `text` with everything that `wanted` says otherwise. `None` where the format
/// is not merged by key, or one cannot be read.
pub(crate) fn rewritten(path: &str, text: &[u8], wanted: &[u8]) -> Option<Vec<u8>> {
    let by_key = by_key(path)?;
    let (old, new) = (body(by_key, text)?, body(by_key, wanted)?);
    let rules = Rules::default();
    let merged = match by_key {
        ByKey::Own(merge) => merge(&old.body, &new.body, &old.body, &rules)?,
        ByKey::Catalog => po::merge(&old.body, &new.body, &old.body)?,
        ByKey::Outline(reader) => outline::merge(reader, &old.body, &new.body, &old.body, &rules)?,
    };
    match old.form {
        Written::Text(encoding) => Text::encode(merged.bytes, encoding),
        Written::Charset(charset) => charset.encode(&merged.bytes),
    }
}

/// Asks about the site's values that the release does not allow.
fn refuse(path: &str, merged: &mut KeyedMerge, allowed: &Allowed) {
    let Some(root) = tree::read(path, &merged.bytes).map(|n| n.to_json()) else { return };
    for change in merged.changes.iter_mut().filter(|c| matches!(c.outcome, Outcome::Kept | Outcome::Fitted)) {
        let names: Vec<String> = change.pointer.split('\0').filter(|n| !n.is_empty()).map(String::from).collect();
        // Section headers are tables within tables; items of lists are not looked up.
        let names = outline::by_names(&names);
        let Some(value) = names.iter().try_fold(&root, |at, name| at.get(name)) else { continue };
        // What the site added as a table is looked at value by value.
        let mut queue = vec![(names, value)];
        while let Some((names, value)) = queue.pop() {
            if let (serde_json::Value::Object(map), true) = (value, change.site.is_some()) {
                queue.extend(map.iter().map(|(k, v)| ([&names[..], std::slice::from_ref(k)].concat(), v)));
            }
            if let Some(why) = allowed.refuses(&names, value) {
                (change.outcome, change.reason) = (Outcome::Open, Some(Reason::Retyped));
                change.hint = Some(format!("{}: {why}", names.join(".")));
            }
        }
    }
}

/// Puts the release's values in place of the site's at the open spots of a merge by key.
fn for_release(
    by_key: ByKey,
    merged: TextMerge,
    [base, site, release]: [&[u8]; 3],
    rules: &Rules,
) -> Option<TextMerge> {
    let answers = merged.decisions.iter().map(|d| Answered {
        base_lines: d.base.clone(),
        site_lines: d.site.clone(),
        base: &d.base_text,
        site: &d.site_text,
        release: &d.release_text,
        answer: Value::Release,
    });
    let [base, site] = worked_in(base, site, answers.collect())?;
    let again = match by_key {
        ByKey::Own(merge) => merge(&base, &site, release, rules)?,
        ByKey::Catalog => po::merge(&base, &site, release)?,
        ByKey::Outline(reader) => outline::merge(reader, &base, &site, release, rules)?,
    };
    let moved = Moved::between(&merged.bytes, &again.bytes);
    let mut out = TextMerge { bytes: again.bytes, ..merged };
    let spots = out.decisions.iter_mut().map(|d| &mut d.result);
    spots.chain(out.edits.iter_mut().map(|e| &mut e.result)).for_each(|lines| *lines = moved.lines(lines));
    Some(out)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// What is parsed and written again without a change is the same bytes.
    fn comes_back(path: &str, text: &str) {
        let again = rewritten(path, text.as_bytes(), text.as_bytes());
        assert_eq!(again.map(|a| String::from_utf8_lossy(&a).into_owned()), Some(text.to_string()), "{path}");
    }

    #[test]
    fn nasty_files_come_back_byte_for_byte() {
        comes_back(
            "a.json",
            "\u{feff}{\r\n\t\"a\" : 1.0e3, // one\r\n\t\"b\":[ 1,2 , ],\"c\":\"\\ud800\",\r\n}  /* end */",
        );
        comes_back("a.json", "[9007199254740993, 1.0, -0, [], {}, \"\\u00e9\"]");
        comes_back(
            "a.yaml",
            "# head\r\na:   1 # one\r\nb: &x [1,\r\n  2]\r\nc: *x\r\nd: |\r\n   kept\r\n\r\ne:\r\n- k: v\r\n\r\n  l: yes\r\n- no\r\nf: 'it''s'",
        );
        comes_back("a.yaml", "---\na: 1\n---\n# two\nb: {c: d}\n");
        comes_back(
            "a.toml",
            "a.b = 1 # one\n\n[x] # head\n'q.r' = \"\"\"\nlong\n\"\"\"\n[[i]]\nname = 'a'\nl = [\n 1, # c\n]\n\n[[i]]\nname = 'b'\nt = { u = 1_000 }",
        );
        comes_back("a.ini", "; head\ntop=1\n[ s ] ; c\nk : v\n  goes on\n\n  and on\n! note\nempty =\n");
        comes_back(
            "a.po",
            "# a\n\nmsgid \"\"\nmsgstr \"\"\n\"X: y\\n\"\n\n#. x\n#: a:1\n#, fuzzy, c-format\n#| msgid \"o\"\nmsgctxt \"\"\nmsgid \"\\x41\"\n  \"b\"\nmsgid_plural \"p\"\nmsgstr[0] \"1\"\nmsgstr[1] \"\"\n#~ msgid \"gone\"\n#~ msgstr \"weg\"",
        );
        let latin = b"msgid \"\"\nmsgstr \"Content-Type: text/plain; charset=ISO-8859-2\\n\"\n\nmsgid \"a\"\nmsgstr \"\xb1\"\n";
        assert_eq!(rewritten("a.po", latin, latin).unwrap(), latin);
    }

    proptest! {
        #[test]
        fn generated_files_come_back_byte_for_byte(
            keys in proptest::collection::btree_set("[a-z]{1,6}", 1..6),
            values in proptest::collection::vec("(1|-2\\.50|true|\"w x\"|\"\\\\u00e9\"|\\[1, 2\\])", 6),
            gaps in proptest::collection::vec("( |  |\t)", 6),
            end in "(\n|\r\n)", comments in any::<bool>(), last in any::<bool>()
        ) {
            let pairs: Vec<(&String, &String, &String)> =
                keys.iter().zip(&values).zip(&gaps).map(|((k, v), g)| (k, v, g)).collect();
            let note = |sign: &str| if comments { format!(" {sign} why") } else { String::new() };
            let finish = |text: String| if last { text + &end } else { text };
            let json: Vec<String> = pairs.iter().map(|(k, v, g)| format!("{g}\"{k}\":{g}{v}")).collect();
            comes_back("a.json", &finish(format!("{{{end}{}{}{end}}}", json.join(&format!(",{}{end}", note("//"))), note("//"))));
            let lines = |sign: &str, blank: bool| -> String {
                let line = |(k, v, g): &(&String, &String, &String)| {
                    let gap = if blank { g.as_str() } else { " " };
                    format!("{k}{sign}{gap}{v}{}", note("#"))
                };
                finish(pairs.iter().map(line).collect::<Vec<_>>().join(&end))
            };
            comes_back("a.toml", &lines(" =", true));
            comes_back("a.yaml", &lines(":", false));
            comes_back("a.ini", &lines(" =", true));
            let po: Vec<String> = pairs
                .iter()
                .map(|(k, v, g)| format!("#:{g}{k}:1{end}msgid \"{k}\"{end}msgstr{g}\"{}\"", v.replace(['"', '\\'], "")))
                .collect();
            comes_back("a.po", &finish(po.join(&format!("{end}{end}"))));
        }
    }
}
