//! What a proof looks for beside the changes: references to files that are gone, placeholders that translations lost,
//! overrides that were not merged, tags that do not close. What was so before is told apart from what the carry did.

use std::collections::{BTreeMap, HashMap, HashSet};

use super::account::{Account, FileRecord, Source};
use super::proof::{Evidence, Finding, FindingKind, Since};
use super::words::says_the_same;
use crate::catalog::{Catalog, lost_placeholders};
use crate::child::State;
use crate::text::{Text, split_lines};
use crate::theme::{Kind, ReadError, Tree};

/// Runs all checks.
pub(super) fn check(account: &Account, evidence: &Evidence<'_>) -> Result<Vec<Finding>, ReadError> {
    let mut out = Vec::new();
    references(account, evidence, &mut out)?;
    for file in &account.files {
        let read = |tree: &dyn Tree, other: &Option<String>| text_of(tree, other.as_deref().unwrap_or(&file.path));
        let Some(result) = text_of(evidence.result, &file.path) else { continue };
        let (site, release) = (read(evidence.site, &file.site_path), read(evidence.release, &file.release_path));
        match file.kind {
            Kind::Catalog => placeholders(file, &result, site.as_deref(), release.as_deref(), &mut out),
            Kind::Template => {
                let base = read(evidence.base, &file.base_path);
                tags(file, &result, [base.as_deref(), site.as_deref(), release.as_deref()], &mut out);
            }
            _ => {}
        }
    }
    compiled(account, evidence, &mut out)?;
    for stale in account.child.iter().flat_map(|c| &c.overrides) {
        let unmerged = matches!(stale.state, State::Stale | State::StampedNotMerged) && stale.vendor_lines > 0;
        let as_it_was = account.files.iter().any(|f| f.path == stale.path && f.from == Source::Site);
        let asked = account.decisions.iter().any(|d| d.path == stale.path);
        if unmerged && as_it_was && !asked {
            out.push(Finding {
                kind: FindingKind::OverrideStale,
                path: stale.path.clone(),
                line: None,
                change: None,
                since: Since::Carry,
                means: format!("the override was made from an older {} and is not merged", stale.vendor_path),
                mend: "carry it again with that release in stock".into(),
            });
        }
    }
    Ok(out)
}

fn text_of(tree: &dyn Tree, path: &str) -> Option<Vec<u8>> {
    let index = tree.find(path)?;
    let entry = &tree.entries()[index];
    if entry.binary || entry.size > 4 << 20 {
        return None;
    }
    Text::decode(&tree.read(index).ok()?).map(|t| t.body.into_owned())
}

/// Files that a text names between quotes or brackets, with the line.
fn named(text: &[u8]) -> Vec<(usize, &[u8])> {
    let mut out = Vec::new();
    for (k, line) in split_lines(text).iter().enumerate() {
        // A minified line names what it names; it is cut at every mark like any other.
        for word in line.content.split(|b| b"\"'()<>=, \t`".contains(b)) {
            let word = word.split(|b| *b == b'?' || *b == b'#').next().unwrap_or(word);
            if word.len() < 256 && word.iter().rev().take(8).any(|b| *b == b'.') && !word.ends_with(b".") {
                out.push((k, word));
            }
        }
    }
    out
}

/// A path as it is meant from a folder, without `.` and `..`; nothing where it leads out.
fn resolved(folder: &str, path: &str) -> Option<String> {
    let mut parts: Vec<&str> = folder.split('/').filter(|p| !p.is_empty()).collect();
    for part in path.split('/') {
        match part {
            "" | "." => {}
            ".." => _ = parts.pop()?,
            part => parts.push(part),
        }
    }
    Some(parts.join("/"))
}

/// References to files that the site or the base had, and the result has not.
fn references(account: &Account, evidence: &Evidence<'_>, out: &mut Vec<Finding>) -> Result<(), ReadError> {
    let mut gone: HashSet<&str> = HashSet::new();
    for tree in [evidence.site, evidence.base] {
        gone.extend(tree.entries().iter().map(|e| e.path.as_str()).filter(|p| evidence.result.find(p).is_none()));
    }
    if gone.is_empty() {
        return Ok(());
    }
    let ends: HashSet<&str> = gone.iter().map(|p| p.rsplit('/').next().unwrap_or(p)).collect();
    let records: HashMap<&str, &FileRecord> = account.files.iter().map(|f| (f.path.as_str(), f)).collect();
    for (index, entry) in evidence.result.entries().iter().enumerate() {
        let kind = crate::theme::kind_of(&entry.path, b"");
        if entry.binary || entry.size > 4 << 20 || matches!(kind, Kind::Document | Kind::Catalog) {
            continue;
        }
        let bytes = evidence.result.read(index)?;
        let folder = entry.path.rsplit_once('/').map_or("", |(f, _)| f);
        let mut seen = HashSet::new();
        for (line, word) in named(&bytes) {
            let Ok(word) = std::str::from_utf8(word) else { continue };
            if !ends.contains(word.rsplit('/').next().unwrap_or(word)) {
                continue;
            }
            let lost = [resolved(folder, word), resolved("", word)].into_iter().flatten();
            let Some(lost) = lost.into_iter().find(|p| gone.contains(p.as_str())) else { continue };
            // Includes are often named from a folder that only the platform knows: any file that ends so will do.
            let mut tail = word;
            while let Some(rest) = ["../", "./", "/"].iter().find_map(|up| tail.strip_prefix(up)) {
                tail = rest;
            }
            let tail = format!("/{tail}");
            let elsewhere = evidence.result.entries().iter().any(|e| e.path.ends_with(&tail));
            if elsewhere || !seen.insert(lost.clone()) {
                continue;
            }
            let side = |tree: &dyn Tree, other: Option<&str>| {
                text_of(tree, other.unwrap_or(&entry.path))
                    .is_some_and(|t| t.windows(word.len()).any(|w| w == word.as_bytes()))
            };
            let record = records.get(entry.path.as_str());
            let release = side(evidence.release, record.and_then(|r| r.release_path.as_deref()));
            let there_before = evidence.site.find(&lost).is_none();
            let since = match (release, there_before) {
                (true, _) => Since::Release,
                (false, true) => Since::Site,
                (false, false) => Since::Carry,
            };
            let to = account.vendor.iter().find(|v| v.path == lost).and_then(|v| v.to.as_deref());
            out.push(Finding {
                kind: FindingKind::ReferenceLost,
                path: entry.path.clone(),
                line: Some(line + 1),
                change: None,
                since,
                means: format!("it names {lost}, which is not in the result"),
                mend: match to {
                    Some(to) => format!("the release renamed it: name {to}"),
                    None => "name what took its place, or put the file back".into(),
                },
            });
        }
    }
    Ok(())
}

/// Compiled catalogs say what the catalogs beside them say.
fn compiled(account: &Account, evidence: &Evidence<'_>, out: &mut Vec<Finding>) -> Result<(), ReadError> {
    let stale = |tree: &dyn Tree, path: &str, stem: &str| -> Result<bool, ReadError> {
        let source = tree.find(&format!("{stem}.po"));
        let (Some(compiled), Some(source)) = (tree.find(path), source) else { return Ok(false) };
        Ok(says_the_same(&tree.read(compiled)?, &tree.read(source)?) == Some(false))
    };
    for entry in evidence.result.entries() {
        let Some(stem) = entry.path.strip_suffix(".mo") else { continue };
        let twins = [entry.path.clone(), format!("{stem}.po")];
        let touched = account.files.iter().any(|f| twins.contains(&f.path));
        if !touched || !stale(evidence.result, &entry.path, stem)? {
            continue;
        }
        let since = if stale(evidence.site, &entry.path, stem)? {
            Since::Site
        } else if stale(evidence.release, &entry.path, stem)? {
            Since::Release
        } else {
            Since::Carry
        };
        out.push(Finding {
            kind: FindingKind::CompiledStale,
            path: entry.path.clone(),
            line: None,
            change: None,
            since,
            means: format!("it says otherwise than {stem}.po"),
            mend: format!("compile it: daxle catalog compile {stem}.po"),
        });
    }
    Ok(())
}

/// A translation: context, id and text.
type Translation = (Option<Vec<u8>>, Vec<u8>, Vec<u8>);

/// Translations that lack a placeholder of their message.
fn placeholders(
    file: &FileRecord,
    result: &[u8],
    site: Option<&[u8]>,
    release: Option<&[u8]>,
    out: &mut Vec<Finding>,
) {
    let faults = |text: Option<&[u8]>| -> HashMap<Translation, (usize, Vec<String>)> {
        let Some(catalog) = text.and_then(|t| Catalog::parse(t).ok()) else { return HashMap::new() };
        let mut found = HashMap::new();
        for message in catalog.messages.iter().filter(|m| !m.is_header() && !m.is_fuzzy() && !m.obsolete) {
            for text in message.texts.iter().filter(|t| !t.is_empty()) {
                let of_id = lost_placeholders(&message.id, text).0;
                // A singular may leave its number out.
                let of_plural = message.plural.as_ref().map(|p| lost_placeholders(p, text).0);
                let lost = of_plural.map_or(of_id.clone(), |p| if p.len() < of_id.len() { p } else { of_id });
                let number_left_out = message.plural.is_some() && text == &message.texts[0];
                if !lost.is_empty() && !number_left_out {
                    let key = (message.context.clone(), message.id.clone(), text.clone());
                    found.insert(key, (message.line, lost));
                }
            }
        }
        found
    };
    let (in_site, in_release) = (faults(site), faults(release));
    let mut list: Vec<_> = faults(Some(result)).into_iter().collect();
    list.sort_by_key(|(_, (line, _))| *line);
    for (key, (line, lost)) in list {
        let since = if in_site.contains_key(&key) {
            Since::Site
        } else if in_release.contains_key(&key) {
            Since::Release
        } else {
            Since::Carry
        };
        out.push(Finding {
            kind: FindingKind::PlaceholderLost,
            path: file.path.clone(),
            line: Some(line),
            change: None,
            since,
            means: format!("the translation has lost {}", lost.join(", ")),
            mend: "put it where the translation needs it".into(),
        });
    }
}

/// Elements without an end tag (HTML, "Void elements").
const VOID: [&str; 14] =
    ["area", "base", "br", "col", "embed", "hr", "img", "input", "link", "meta", "param", "source", "track", "wbr"];

/// How far each element is from being closed: start tags less end tags.
fn open_tags(text: &[u8]) -> BTreeMap<String, i64> {
    let mut out: BTreeMap<String, i64> = BTreeMap::new();
    let mut at = 0;
    while let Some(k) = text[at..].iter().position(|b| *b == b'<') {
        let rest = &text[at + k + 1..];
        at += k + 1;
        if let Some(comment) = rest.strip_prefix(b"!--") {
            at += 3 + comment.windows(3).position(|w| w == b"-->").unwrap_or(comment.len());
            continue;
        }
        let (rest, step) = match rest.strip_prefix(b"/") {
            Some(rest) => (rest, -1),
            None => (rest, 1),
        };
        let length = rest.iter().take_while(|b| b.is_ascii_alphanumeric() || **b == b'-').count();
        if length == 0 || !rest[0].is_ascii_alphabetic() {
            continue;
        }
        let name = String::from_utf8_lossy(&rest[..length]).to_ascii_lowercase();
        let end = rest.iter().position(|b| *b == b'>').unwrap_or(rest.len());
        let closed = end > 0 && rest.get(end - 1) == Some(&b'/');
        let none = VOID.contains(&name.as_str()) || (step == 1 && closed);
        if !none {
            *out.entry(name).or_default() += step;
        }
    }
    out.retain(|_, n| *n != 0);
    out
}

/// Tags close in the result as well as in all three versions.
fn tags(file: &FileRecord, result: &[u8], [base, site, release]: [Option<&[u8]>; 3], out: &mut Vec<Finding>) {
    let (Some(base), Some(site), Some(release)) = (base, site, release) else { return };
    if file.from != Source::Merged || result.windows(12).any(|w| w == b"<<<<<<< site") {
        return;
    }
    let all = [base, site, release].map(open_tags);
    let now = open_tags(result);
    if all[0] == all[1] && all[0] == all[2] && now != all[0] {
        let names: HashSet<&String> = now.keys().chain(all[0].keys()).collect();
        let mut apart: Vec<&str> =
            names.into_iter().filter(|n| now.get(*n) != all[0].get(*n)).map(String::as_str).collect();
        apart.sort_unstable();
        out.push(Finding {
            kind: FindingKind::Unbalanced,
            path: file.path.clone(),
            line: None,
            change: None,
            since: Since::Carry,
            means: format!("tags close in all three versions, but not in the result: {}", apart.join(", ")),
            mend: "look at the fitted changes in this file".into(),
        });
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn tags_are_counted_as_they_open_and_close() {
        let open = |text: &str| open_tags(text.as_bytes()).into_iter().collect::<Vec<_>>();
        assert_eq!(open("<div><p>a<br></p><img src=x/><x-y/></div><!-- <div> -->"), []);
        assert_eq!(open("<DIV><a href='x'>{% if a < b %}"), [("a".into(), 1), ("div".into(), 1)]);
        assert_eq!(open("</li>"), [("li".into(), -1)]);
    }

    #[test]
    fn paths_are_resolved_from_where_they_are_named() {
        assert_eq!(resolved("assets/css", "../img/./a.png").unwrap(), "assets/img/a.png");
        assert_eq!(resolved("", "../a"), None);
    }
}
