//! Where the release put keys that it renamed, or moved into another section.

use std::collections::{BTreeMap, BTreeSet};

/// The names that lead to a key.
pub(crate) type Path = Vec<String>;

/// What stands at a key.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Known {
    /// The value in a form that compares.
    pub(crate) value: String,
    /// It holds keys of its own.
    pub(crate) table: bool,
    /// The key before it, beside it.
    pub(crate) before: Option<String>,
}

/// The keys of a document by their paths.
pub(crate) type Keys = BTreeMap<Path, Known>;

/// A key that found its new place.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Home {
    pub(crate) from: Path,
    pub(crate) to: Path,
}

/// Where the site's values of dropped keys go, and what may be worth a look.
#[derive(Debug, Default)]
pub(crate) struct Plan {
    pub(crate) homes: Vec<Home>,
    /// By path of a dropped key: which key may have taken its place, and why.
    pub(crate) hints: BTreeMap<Path, String>,
}

/// A place that a key may have gone to.
struct Candidate<'a> {
    path: &'a Path,
    /// Nothing but a new name or place explains it.
    certain: bool,
    points: i32,
    reasons: Vec<&'static str>,
}

/// Words that alike names must share more of than this, from 0 to 1.
const ALIKE: f64 = 0.65;

/// Finds new places for keys that the site changed and the release dropped. A place is sure where it is the only one
/// with the old value, or with the old name and value; with `bold`, also where it is merely the likeliest.
pub(crate) fn plan(base: &Keys, site: &Keys, release: &Keys, bold: bool) -> Plan {
    let new: Vec<&Path> = release.keys().filter(|path| !base.contains_key(*path)).collect();
    let mut plan = Plan::default();
    if new.is_empty() {
        return plan;
    }
    let gone = base.keys().filter(|path| {
        !release.contains_key(*path) && (path.len() == 1 || release.contains_key(&path[..path.len() - 1]))
    });
    let mut queue: Vec<&Path> = gone.collect();
    queue.reverse();
    while let Some(path) = queue.pop() {
        let changed = site.get(path).is_some_and(|s| s.value != base[path].value);
        if !changed {
            continue;
        }
        let mut candidates: Vec<Candidate<'_>> =
            new.iter().map(|to| candidate(base, release, path, to)).filter(|c| c.points >= 2).collect();
        candidates.sort_by_key(|c| (!c.certain, -c.points));
        let best_is_alone = candidates.len() < 2 || candidates[1].points < candidates[0].points;
        let sure: Vec<&Candidate<'_>> = candidates.iter().filter(|c| c.certain).collect();
        match (&sure[..], candidates.first()) {
            ([one], _) => plan.homes.push(Home { from: path.clone(), to: one.path.clone() }),
            (_, Some(best)) if bold && best_is_alone && best.points >= 3 => {
                plan.homes.push(Home { from: path.clone(), to: best.path.clone() });
            }
            (_, Some(best)) => {
                let name = best.path.join(".");
                plan.hints.insert(path.clone(), format!("the release has {name}: {}", best.reasons.join(", ")));
            }
            (_, None) if base[path].table => {
                let below = |p: &&Path| p.len() == path.len() + 1 && p.starts_with(path);
                let mut children: Vec<&Path> = base
                    .range(path.clone()..)
                    .map(|(p, _)| p)
                    .take_while(|p| p.starts_with(path))
                    .filter(below)
                    .collect();
                children.reverse();
                queue.extend(children);
            }
            _ => {}
        }
    }
    // Two for one place: a person has to choose.
    let mut taken: BTreeMap<&Path, usize> = BTreeMap::new();
    plan.homes.iter().for_each(|h| *taken.entry(&h.to).or_default() += 1);
    let contested: BTreeSet<Path> = taken.into_iter().filter(|(_, n)| *n > 1).map(|(p, _)| p.clone()).collect();
    plan.homes.retain(|h| !contested.contains(&h.to));
    plan
}

/// Names that lists in the base have to forget, by the paths of the lists: where a list orders the keys of a table beside
/// it, and one side dropped a key that the other changed, the key stays until somebody decides. Then the list's merge has
/// to take its name for one that is new.
pub(crate) fn names_that_stay(base: &Keys, site: &Keys, release: &Keys) -> BTreeMap<Path, BTreeSet<String>> {
    let stays = |path: &Path, before: &Known| match (site.get(path), release.get(path)) {
        (Some(kept), None) | (None, Some(kept)) => kept.value != before.value,
        _ => false,
    };
    let mut out: BTreeMap<Path, BTreeSet<String>> = BTreeMap::new();
    for (path, _) in base.iter().filter(|(path, before)| path.len() >= 2 && stays(path, before)) {
        let (table, container) = (&path[..path.len() - 1], &path[..path.len() - 2]);
        let beside = base.range(container.to_vec()..).take_while(|(p, _)| p.starts_with(container));
        for (list, known) in beside.filter(|(p, _)| p.len() == table.len() && p[..] != *table) {
            // A list of words in a form that compares is one of JSON.
            let Ok(names) = serde_json::from_str::<Vec<String>>(&known.value) else { continue };
            let key = |name: &String| base.contains_key(&[table, std::slice::from_ref(name)].concat());
            if names.contains(&path[path.len() - 1]) && names.iter().all(key) {
                out.entry(list.clone()).or_default().insert(path[path.len() - 1].clone());
            }
        }
    }
    out
}

/// The values below a key, by their paths from there.
fn below<'k>(keys: &'k Keys, path: &Path) -> BTreeSet<(&'k [String], &'k str)> {
    let inner = keys.range(path.clone()..).take_while(|(p, _)| p.starts_with(path));
    inner.filter(|(_, k)| !k.table).map(|(p, k)| (&p[path.len()..], k.value.as_str())).collect()
}

fn candidate<'p>(base: &Keys, release: &Keys, from: &Path, to: &'p Path) -> Candidate<'p> {
    let mut found = Candidate { path: to, certain: false, points: 0, reasons: Vec::new() };
    let (old, new) = (&base[from], &release[to]);
    let (Some(old_name), Some(new_name)) = (from.last(), to.last()) else { return found };
    if old.table != new.table {
        return found;
    }
    let mut add = |points: i32, reason: &'static str| {
        found.points += points;
        found.reasons.push(reason);
    };
    let same_value = old.value == new.value;
    let telling = if old.table { old.value.len() > 4 } else { old.value.len() >= 8 };
    let same_name = old_name == new_name;
    let mut certain = same_value && (telling || same_name);
    if same_value {
        add(if telling { 4 } else { 1 }, "same value");
    } else if old.table {
        let (before, after) = (below(base, from), below(release, to));
        let shared = before.intersection(&after).count();
        if shared >= 2 && 10 * shared >= 6 * before.len() {
            certain = true;
            add(4, "most of its values");
        }
    }
    if same_name {
        add(2, "same name");
    } else if alike(old_name, new_name) {
        add(2, "similar name");
    }
    let beside = from[..from.len() - 1] == to[..to.len() - 1];
    if beside && old.before.is_some() && old.before == new.before {
        add(1, "same neighbours");
    }
    found.certain = certain;
    found
}

fn alike(a: &str, b: &str) -> bool {
    let plain = |text: &str| text.to_lowercase().replace(['_', '-', ' '], "");
    let (a, b) = (plain(a), plain(b));
    let holds = a.len().min(b.len()) >= 4 && (a.contains(&b) || b.contains(&a));
    holds || strsim::normalized_damerau_levenshtein(&a, &b) >= ALIKE
}

#[cfg(test)]
mod tests {
    use super::*;

    fn keys(list: &[(&str, &str)]) -> Keys {
        let mut out = Keys::new();
        let mut before: Option<String> = None;
        for (path, value) in list {
            let path: Path = path.split('.').map(String::from).collect();
            for depth in 1..path.len() {
                out.entry(path[..depth].to_vec()).or_insert(Known {
                    value: String::new(),
                    table: true,
                    before: None,
                });
            }
            let name = path.last().cloned();
            out.insert(path, Known { value: (*value).to_string(), table: false, before: before.take() });
            before = name;
        }
        // A table's value is what is in it.
        let tables: Vec<Path> = out.iter().filter(|(_, k)| k.table).map(|(p, _)| p.clone()).collect();
        for path in tables {
            let value = format!("{:?}", below(&out, &path));
            out.get_mut(&path).unwrap().value = value;
        }
        out
    }

    fn homes(base: &[(&str, &str)], site: &[(&str, &str)], release: &[(&str, &str)], bold: bool) -> Vec<String> {
        let plan = plan(&keys(base), &keys(site), &keys(release), bold);
        plan.homes.iter().map(|h| format!("{} to {}", h.from.join("."), h.to.join("."))).collect()
    }

    #[test]
    fn a_renamed_section_takes_its_keys_along() {
        let base = [("head.colour", "red"), ("head.height", "40"), ("head.sticky", "yes")];
        let site = [("head.colour", "own"), ("head.height", "40"), ("head.sticky", "yes")];
        let release = [("header.colour", "red"), ("header.height", "60"), ("header.sticky", "yes")];
        assert_eq!(homes(&base, &site, &release, false), ["head to header"]);
    }

    #[test]
    fn a_key_goes_where_its_name_and_value_went() {
        let site = [("logo", "40"), ("a", "1")];
        assert_eq!(
            homes(&[("logo", "20"), ("a", "1")], &site, &[("brand.logo", "20"), ("a", "1")], false),
            ["logo to brand.logo"]
        );
        let two = [("brand.logo", "20"), ("foot.logo", "20"), ("a", "1")];
        assert_eq!(homes(&[("logo", "20"), ("a", "1")], &site, &two, false), [""; 0], "two places: ask");
    }

    #[test]
    fn what_is_merely_likely_is_a_hint() {
        let (base, site) = ([("a", "1"), ("link_colour", "#00f")], [("a", "1"), ("link_colour", "#0f0")]);
        let release = [("a", "1"), ("links_colour", "#009")];
        assert_eq!(homes(&base, &site, &release, false), [""; 0]);
        let found = plan(&keys(&base), &keys(&site), &keys(&release), false);
        assert_eq!(
            found.hints.values().next().unwrap(),
            "the release has links_colour: similar name, same neighbours"
        );
        assert_eq!(homes(&base, &site, &release, true), ["link_colour to links_colour"]);
    }
}
