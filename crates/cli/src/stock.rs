//! Releases in stock, by what the user typed; and the release that a copy came from.

use std::path::{Path, PathBuf};

use daxle_core::stock::{Fit, Print, rank};
use daxle_core::theme::{Identity, Tree, Version};
use daxle_files::{Release, Stock, Trouble};

use crate::config::Config;
use crate::console::Console;
use crate::show::count;

/// Where a theme is to be opened.
#[derive(Debug, Clone)]
pub(crate) struct Place {
    pub(crate) path: PathBuf,
    pub(crate) inside: Option<String>,
}

impl Place {
    pub(crate) fn of(stock: &Stock, release: &Release) -> Place {
        Place { path: stock.archive(release), inside: release.inside.clone() }
    }
}

/// Splits `NAME@VERSION` or `VERSION`; `None` for what can only be a path.
pub(crate) fn label(given: &Path) -> Option<(Option<&str>, &str)> {
    let text = given.to_str()?;
    if given.exists() || text.contains(['/', '\\']) {
        return None;
    }
    let (name, version) = match text.rsplit_once('@') {
        Some((name, version)) => (Some(name), version),
        None => (None, text),
    };
    let number = version.trim_start_matches(['v', 'V']).starts_with(|c: char| c.is_ascii_digit());
    (number && Version::parse(version).is_some()).then_some((name, version))
}

/// Finds what was typed for a theme: a path as it is, a version in stock. `like` is the short name of the theme that
/// is meant when none is typed.
pub(crate) fn locate(
    given: &Path,
    inside: Option<&str>,
    like: Option<&str>,
    config: &Config,
) -> Result<Place, Trouble> {
    let Some((name, version)) = label(given) else {
        return Ok(Place { path: given.to_path_buf(), inside: inside.map(String::from) });
    };
    let stock = config.stock()?;
    let release = find(&stock, name, version, like)?;
    Ok(Place::of(&stock, release))
}

/// Finds a release in stock.
pub(crate) fn find<'s>(
    stock: &'s Stock,
    name: Option<&str>,
    version: &str,
    like: Option<&str>,
) -> Result<&'s Release, Trouble> {
    let wanted = Version::parse(version);
    let fits = |r: &&Release| r.version == version || Version::parse(&r.version) == wanted;
    let known = like.filter(|like| stock.of(like).next().is_some());
    let name = name.or(known);
    let found: Vec<&Release> =
        stock.releases().iter().filter(|r| name.is_none_or(|n| r.name == n)).filter(fits).collect();
    match found[..] {
        [one] => Ok(one),
        [] => {
            let of = name.map(|n| format!(" of {n}")).unwrap_or_default();
            let there: Vec<String> =
                stock.releases().iter().filter(|r| name.is_none_or(|n| r.name == n)).map(Release::label).collect();
            let trouble = Trouble::new(format!("there is no {version}{of} in stock, and no file of that name"));
            Err(if there.is_empty() {
                trouble.hint(format!(
                    "add its package with `daxle stock add FILE` (the stock is {})",
                    stock.dir().display()
                ))
            } else {
                trouble.hint(format!("in stock are {}; add others with `daxle stock add FILE`", there.join(", ")))
            })
        }
        _ => {
            let labels: Vec<String> = found.iter().map(|r| r.label()).collect();
            Err(Trouble::new(format!("several themes in stock have a version {version}"))
                .hint(format!("say which one: {}", labels.join(", "))))
        }
    }
}

/// How the releases in stock fit a copy, best first.
pub(crate) struct Match {
    pub(crate) ranked: Vec<(Release, Fit)>,
    /// Files in the copy.
    pub(crate) files: usize,
}

/// Ranks the releases in stock: those of the copy's own name, or all where it says none.
pub(crate) fn ranked(
    stock: &Stock,
    site: &dyn Tree,
    identity: &Identity,
    config: &Config,
) -> Result<Match, Trouble> {
    let named = identity.name.as_deref().filter(|n| stock.of(n).next().is_some());
    let releases: Vec<&Release> = stock.releases().iter().filter(|r| named.is_none_or(|n| r.name == n)).collect();
    if releases.is_empty() {
        return Err(Trouble::new(format!("the stock {} is empty", stock.dir().display()))
            .hint("add the vendor's packages with `daxle stock add FILE`"));
    }
    let prints = releases.iter().map(|r| stock.print(r)).collect::<Result<Vec<Print>, Trouble>>()?;
    let own = Print::of(site, &config.layout).map_err(|e| Trouble::new(e.to_string()))?;
    let fits = rank(&own, &prints.iter().collect::<Vec<_>>());
    let ranked = fits.into_iter().map(|f| (releases[f.release].clone(), f)).collect();
    Ok(Match { ranked, files: own.files.len() })
}

/// A release that explains less than this of a copy is not its base.
const EXPLAINS: f32 = 0.3;

/// Finds the release that a site's copy came from, and says so.
pub(crate) fn find_base(
    site: &dyn Tree,
    identity: &Identity,
    config: &Config,
    console: &Console,
) -> Result<Place, Trouble> {
    if let Some(parent) = &identity.parent {
        return Err(Trouble::new(format!("this is a child theme of {parent}: it has no one release that it came from"))
            .hint("`daxle child overrides` shows what each override came from, and `daxle carry` merges them; or name a base with --base"));
    }
    let stock = config.stock()?;
    let found = ranked(&stock, site, identity, config)?;
    let (release, fit) = &found.ranked[0];
    if fit.explained < EXPLAINS {
        return Err(Trouble::new("no release in stock explains this copy")
            .why(format!("the nearest, {}, has {:.0} % of its lines", release.label(), fit.explained * 100.0))
            .hint("add the release it came from with `daxle stock add`, or name it with --base"));
    }
    console.say(&format!("base: {}, {}", release.label(), margin(&found)));
    if let Some(warning) = claim(&found, identity) {
        console.warn(&warning);
    }
    Ok(Place::of(&stock, release))
}

/// How sure the match is, in words.
pub(crate) fn margin(found: &Match) -> String {
    let (_, best) = &found.ranked[0];
    let explained = format!("explains {:.1} % of the copy", best.explained * 100.0);
    match found.ranked.get(1) {
        None => format!("{explained}; the only release of it in stock"),
        Some((second, fit)) if fit.differing == best.differing => {
            format!("{explained}; so does {}, no file tells them apart", second.label())
        }
        Some((second, fit)) => format!(
            "{explained}; the next, {}, differs in {} more",
            second.label(),
            count(fit.differing - best.differing, "line")
        ),
    }
}

/// The warning when a copy claims another version than its files show.
pub(crate) fn claim(found: &Match, identity: &Identity) -> Option<String> {
    let (release, _) = &found.ranked[0];
    let claimed = identity.version.as_deref()?;
    (Version::parse(claimed) != Version::parse(&release.version))
        .then(|| format!("the copy says it is {claimed}, but its files are those of {}", release.label()))
}
