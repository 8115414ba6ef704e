//! Comparing the values of settings and translations, whatever their form.

use std::collections::{BTreeMap, BTreeSet, HashSet};

use super::{FindingKind, Proof};
use crate::carry::account::{Account, Blob, ChangeRecord, FileRecord, Take};
use crate::carry::lists::{is_list, unaccounted, words_in};
use crate::carry::values::keyed_values;
use crate::catalog::Catalog;
use crate::merge::Step;
use crate::text::split_lines;

/// The values of base, site, release and result by their paths.
pub(super) type Versions = [BTreeMap<String, String>; 4];

impl Proof {
    /// Each value of a settings file is the one that the two sides' changes make it.
    pub(super) fn values(&mut self, file: &FileRecord, values: &Versions) {
        let [base, site, release, result] = values;
        let written = self
            .account
            .decisions
            .iter()
            .any(|d| d.path == file.path && d.answer.as_ref().is_some_and(|a| a.take == Take::Text));
        // A value of another type says the same when only its quotes differ.
        let plain = |v: Option<&String>| v.map(|v| v.trim_matches('"').to_string());
        let held: HashSet<String> =
            self.account.defaults.iter().filter(|d| d.held && d.path == file.path).map(|d| d.key.clone()).collect();
        let retyped = self
            .account
            .changes
            .iter()
            .any(|c| c.step == Some(Step::Retyped) && c.result_path.as_deref() == Some(file.path.as_str()));
        let asked = AskedKeys::of(&self.account, &file.path);
        // What changes from other files brought, and what went to others.
        let site_path = file.site_path.as_deref().unwrap_or(&file.path);
        let is_here = |c: &ChangeRecord| c.result_path.as_deref() == Some(&file.path);
        let across = |is_from: bool, is_to: bool| -> HashSet<String> {
            let is_it = |c: &&ChangeRecord| (c.path == site_path, is_here(c)) == (is_from, is_to);
            let all = self.account.changes.iter().filter(is_it).filter(|c| c.result_path.is_some());
            all.filter_map(|c| c.added.as_ref()?.bytes()).flat_map(|text| words_of(&text)).collect()
        };
        let (brought, went) = (across(false, true), across(true, false));
        let paths: BTreeSet<&String> = values.iter().flat_map(BTreeMap::keys).collect();
        for path in paths {
            let (b, s, r, x) = (base.get(path), site.get(path), release.get(path), result.get(path));
            let shown = path.replace('\0', ".");
            let is_held = held.contains(shown.trim_start_matches('.'));
            // Of a list that is the site's as well, what the release did to other items may have been held.
            let held_items = is_held && is_list(x) && unaccounted([b, s, r, x], true).is_empty();
            if is_held && x == s || held_items || (retyped && plain(x) == plain(s)) {
                continue;
            }
            let show =
                |v: Option<&String>| v.map_or("nothing".to_string(), |v| format!("`{}`", v.replace('\n', " | ")));
            // What one side emptied and the other added to is no value of its own.
            let empty = |v: Option<&String>| v.is_some_and(|v| v == "{}" || v == "[]");
            let inner = if path.is_empty() { String::new() } else { format!("{path}\0") };
            let filled = x.is_none()
                && (empty(s) || empty(r))
                && result.range(inner.clone()..).any(|(p, _)| p.starts_with(&inner));
            // What both emptied is looked at key by key.
            if filled || empty(x) {
                continue;
            }
            let is_asked =
                || asked.allow(path, r.is_none()) || (b.is_none() && asked.names(path)) || asked.has(path, [s, r]);
            if (x == s || x == r) && is_asked() {
                continue;
            }
            // A renamed key holds the value that the other side set under the old one.
            let set_by = |side: &BTreeMap<String, String>| {
                let is_it =
                    |(p, v): (&String, &String)| Some(v) == x && base.get(p) != Some(v) && !result.contains_key(p);
                side.iter().any(is_it)
            };
            // Nor is one lost that a side renamed, if it holds there what the other made of it.
            let is_renamed = || {
                let holds =
                    |set: Option<&String>, by: &BTreeMap<String, String>, other: &BTreeMap<String, String>| {
                        let is_it = |(p, v): (&String, &String)| {
                            Some(v) == set && !by.contains_key(p) && !base.contains_key(p) && other.contains_key(p)
                        };
                        result.iter().any(is_it)
                    };
                x.is_none() && (holds(s, site, release) || holds(r, release, site))
            };
            let words = |value: Option<&String>| value.map_or(HashSet::new(), |value| words_of(value.as_bytes()));
            let is_brought = || {
                let (of_result, of_release) = (words(x), words(r));
                let mut own = of_result.difference(&of_release).peekable();
                own.peek().is_some() && own.all(|word| brought.contains(word))
            };
            let is_told = || asked.tell(&unaccounted([b, s, r, x], false));
            if s == b && x != r && !set_by(site) && !is_brought() && !(is_list(x) && is_told()) {
                let means = format!("{shown} is {}, the release has {}", show(x), show(r));
                self.find(FindingKind::ReleaseMissing, &file.path, None, &means, "take the release's value");
            } else if s != b && r == b && x != s && !set_by(release) {
                let means = format!("{shown} is {}, the site set {}", show(x), show(s));
                self.find(FindingKind::ChangeMissing, &file.path, None, &means, "put the site's value back");
            } else if s != b
                && r.is_some()
                && x != s
                && x != r
                && !is_list(s)
                && !is_of_forms(x, [s, r])
                && !is_of_lines(x, [s, r])
                && !written
            {
                let means = format!("{shown} is {}: neither the site's nor the release's value", show(x));
                self.find(FindingKind::WordsTooMany, &file.path, None, &means, "take one side's value");
            } else if s != b
                && r != b
                && s != r
                && !written
                && !(r.is_none() && words(s).difference(&words(b)).all(|word| went.contains(word)))
                && !is_asked()
                && !is_told()
                && !is_renamed()
                && !unaccounted([b, s, r, x], false).is_empty()
            {
                let means = format!("{shown} is {}, both set it, and nobody was asked", show(x));
                let kind = if x == s { FindingKind::ReleaseMissing } else { FindingKind::ChangeMissing };
                self.find(kind, &file.path, None, &means, "compare the file with site and release");
            }
        }
    }
}

/// Lets all of base, site, release and result call by the new name what one side renamed, and the result has by that
/// name: a group that the side has no more and the other still has, where the side has a new one beside it with at least
/// half of the same values.
pub(super) fn follow_names(values: &mut Versions) {
    for (side, other) in [(1, 2), (2, 1)] {
        let names = new_names([0, side, other, 3].map(|k| &values[k]));
        for version in [0, other] {
            for (old, new) in &names {
                for (rest, value) in within(&values[version], old) {
                    values[version].remove(&format!("{old}{rest}"));
                    values[version].insert(format!("{new}{rest}"), value);
                }
            }
        }
    }
}

/// The groups to which a side gave another name: the old ones and the new. The versions are the base, the side, the
/// other side, the result.
fn new_names(versions: [&BTreeMap<String, String>; 4]) -> Vec<(String, String)> {
    let [of_base, of_side, of_other, of_result] = versions.map(groups);
    let parent = |name: &str| name.rfind('\0').map(|at| name[..at].to_string()).unwrap_or_default();
    let is_new =
        |name: &&String| !of_base.contains(*name) && !of_other.contains(*name) && of_result.contains(*name);
    let mut new: BTreeMap<String, Vec<&String>> = BTreeMap::new();
    of_side.iter().filter(is_new).for_each(|name| new.entry(parent(name)).or_default().push(name));
    let is_gone =
        |name: &&String| of_other.contains(*name) && !of_side.contains(*name) && !of_result.contains(*name);
    let mut renamed = Vec::new();
    for old in of_base.iter().filter(is_gone) {
        let was = within(versions[0], old);
        let is_it = |new: &&&String| {
            let own = within(versions[1], new);
            2 * own.intersection(&was).count() >= own.len().max(was.len())
        };
        let found = new.get(&parent(old)).and_then(|new| new.iter().find(is_it));
        renamed.extend(found.map(|new| (old.clone(), (*new).clone())));
    }
    renamed
}

/// The names that lead to values within others.
fn groups(values: &BTreeMap<String, String>) -> BTreeSet<String> {
    let above =
        |key: &String| key.match_indices('\0').skip(1).map(|(at, _)| key[..at].to_string()).collect::<Vec<_>>();
    values.keys().flat_map(above).collect()
}

/// The values within a group, by the rest of their paths.
fn within(values: &BTreeMap<String, String>, group: &str) -> BTreeSet<(String, String)> {
    let below = format!("{group}\0");
    let inner = values.range(below.clone()..).take_while(|(key, _)| key.starts_with(&below));
    inner.map(|(key, value)| (key[group.len()..].to_string(), value.clone())).collect()
}

/// The keys that are, or were, questions. Those within a group of values begin with the group's name.
struct AskedKeys {
    keys: HashSet<String>,
    /// Those of them that are groups in one of the versions.
    groups: HashSet<String>,
    /// What a side calls something that the base calls otherwise.
    new: HashSet<String>,
    /// All words of the three versions.
    words: HashSet<String>,
    /// The values of the site and of the release at a key, which may be the end of a path.
    values: HashSet<(String, [Option<String>; 2])>,
}

impl AskedKeys {
    fn of(account: &Account, path: &str) -> Self {
        let read = |text: &Blob| {
            let text = text.bytes().unwrap_or_default();
            let part = text.trim_ascii_end();
            let part = part.strip_suffix(b",").unwrap_or(part);
            let values = keyed_values(path, &text)
                .or_else(|| keyed_values(path, &whole_item(part)?))
                .or_else(|| keyed_values(path, &[b"{", part, b"}"].concat()));
            // What stands in no section of its own may stand in any.
            let bare = |key: &str| key.rfind("\0\0").map_or(key, |at| &key[at + 1..]).to_string();
            let named = |(key, value): (String, String)| (bare(&key), value);
            let values: BTreeMap<_, _> = values.unwrap_or_default().into_iter().map(named).collect();
            // A number may be written otherwise than its value is.
            let told = values.values().flat_map(|value| words_of(value.as_bytes()));
            let words: HashSet<String> = words_of(part).into_iter().chain(told).collect();
            (values, words)
        };
        let (mut keys, mut new, mut of_sides) = (HashSet::new(), HashSet::new(), HashSet::new());
        let mut all = HashSet::new();
        for decision in account.decisions.iter().filter(|d| d.path == path) {
            let versions = [&decision.base, &decision.site, &decision.release].map(read);
            let [before, own, theirs] = versions.each_ref().map(|(values, words)| -> HashSet<String> {
                let keys = values.keys().flat_map(|key| key.split('\0'));
                keys.chain(values.values().map(String::as_str))
                    .map(String::from)
                    .chain(words.iter().cloned())
                    .collect()
            });
            all.extend(versions.iter().flat_map(|(_, words)| words.iter().cloned()));
            new.extend(own.into_iter().chain(theirs).filter(|name| !before.contains(name)));
            let [_, (own, _), (theirs, _)] = &versions;
            let either = own.keys().chain(theirs.keys());
            of_sides.extend(either.map(|key| (key.clone(), [own, theirs].map(|side| side.get(key).cloned()))));
            keys.extend(versions.into_iter().flat_map(|(values, _)| values.into_keys()));
        }
        let above = |key: &String| key.match_indices('\0').skip(1).map(|(at, _)| key[..at].to_string()).collect();
        let groups = keys.iter().flat_map(|key| -> Vec<String> { above(key) }).collect();
        AskedKeys { keys, groups, new, words: all, values: of_sides }
    }

    /// Tells whether there are some words that are all told in what is, or was, asked.
    fn tell(&self, words: &HashSet<String>) -> bool {
        !words.is_empty() && words.is_subset(&self.words)
    }

    /// Tells whether what is, or was, asked is a name that leads to a value.
    fn names(&self, path: &str) -> bool {
        path.split('\0').any(|name| self.new.contains(name))
    }

    /// Tells whether just these values of site and release are a question, at a key that the path ends with.
    fn has(&self, path: &str, values: [Option<&String>; 2]) -> bool {
        let values = values.map(|value| value.cloned());
        path.match_indices('\0').any(|(at, _)| self.values.contains(&(path[at..].to_string(), values.clone())))
    }

    /// Tells whether a value may be either side's: it is in a group that is a question as a whole, or is a group on one
    /// side, or is a question that the release has no more (`gone`).
    fn allow(&self, path: &str, gone: bool) -> bool {
        // A message of a catalog stands in no group.
        let is_message = !path.contains('\0');
        is_message && gone && self.keys.contains(path)
            || path.match_indices('\0').map(|(at, _)| &path[at..]).any(|key| {
                self.keys.contains(key)
                    && (gone || key == path || key.matches('\0').count() > 1 || self.groups.contains(key))
            })
    }
}

/// The text of a list's item that begins at its dash, as deep as the lines below it tell.
fn whole_item(text: &[u8]) -> Option<Vec<u8>> {
    let below = split_lines(text).into_iter().skip(1).filter(|line| !line.is_blank());
    let depth = below.map(|line| line.indent().len()).min()?;
    text.starts_with(b"- ").then(|| [&b" ".repeat(depth.saturating_sub(2)), text].concat())
}

/// The words of a text, which may be no more than the line that a group begins with.
fn words_of(text: &[u8]) -> HashSet<String> {
    words_in(&String::from_utf8_lossy(text)).collect()
}

/// Takes messages out of a result's values that stand in none of the three catalogs, and say nothing yet that anybody
/// is sure of: they came with the template of the release.
pub(super) fn forget_unsure(result: &[u8], values: &mut Versions) {
    let [base, site, release, values] = values;
    let Ok(catalog) = Catalog::parse(result) else { return };
    let unsure = catalog.messages.iter().filter(|m| !m.obsolete && (m.is_fuzzy() || !m.is_translated()));
    let written = |id: &[u8]| {
        let id = String::from_utf8_lossy(id);
        format!("msgid{}", id.replace('\\', "\\\\").replace('"', "\\\"").replace('\n', "\\n"))
    };
    let unsure: HashSet<String> = unsure.map(|m| written(&m.id)).collect();
    let known = |key: &String| base.contains_key(key) || site.contains_key(key) || release.contains_key(key);
    values.retain(|key, _| known(key) || !key.find("msgid").is_some_and(|at| unsure.contains(&key[at..])));
}

/// The plural forms of a translation, one on each line, are merged one by one.
fn is_of_forms(value: Option<&String>, sides: [Option<&String>; 2]) -> bool {
    let known: HashSet<&str> = sides.into_iter().flatten().flat_map(|forms| forms.split('\n')).collect();
    value.is_some_and(|forms| forms.split('\n').all(|form| known.contains(form)))
}

/// A text of several lines may be merged line by line.
fn is_of_lines(value: Option<&String>, sides: [Option<&String>; 2]) -> bool {
    let lines = |text: &String| text.trim_matches('"').split("\\n").map(String::from).collect::<Vec<_>>();
    let known: HashSet<String> = sides.into_iter().flatten().flat_map(lines).collect();
    value.map(lines).is_some_and(|lines| lines.len() > 1 && lines.iter().all(|line| known.contains(line)))
}
