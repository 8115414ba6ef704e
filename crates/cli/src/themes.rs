//! Opening what the user named, and noticing when it does not fit together.

use std::path::{Path, PathBuf};

use daxle_core::carry::account::{Theme, Themes};
use daxle_core::theme::changelog::{self, Notes};
use daxle_core::theme::{Identity, Jump, Layout, MemoryTree, Tree};
use daxle_files::{OpenOptions, Opened, Trouble, archive_kind, open_theme};

use crate::args::{Bounds, Sources};
use crate::console::Console;

/// One of the themes, opened.
pub(crate) enum Source {
    /// A theme.
    Theme(Box<Opened>),
    /// A single file.
    File(MemoryTree),
}

impl Source {
    pub(crate) fn tree(&self) -> &dyn Tree {
        match self {
            Source::Theme(opened) => &opened.tree,
            Source::File(tree) => tree,
        }
    }

    fn identity(&self) -> Identity {
        match self {
            Source::Theme(opened) => opened.identity.clone(),
            Source::File(_) => Identity::default(),
        }
    }

    fn inside(&self) -> Option<String> {
        match self {
            Source::Theme(opened) => opened.inside.clone(),
            Source::File(_) => None,
        }
    }

    /// Describes the theme for an account; `source` as it is to be written there.
    pub(crate) fn describe(&self, source: String) -> Theme {
        let mut identity = self.identity();
        if let (Source::Theme(opened), None) = (self, &identity.name) {
            identity.name = Some(opened.folder_name.clone());
        }
        Theme::new(source, self.inside(), &identity, self.tree().entries().len())
    }
}

/// The themes of one command.
pub(crate) struct Opening<'a> {
    pub(crate) layout: &'a Layout,
    pub(crate) bounds: &'a Bounds,
    pub(crate) inside: Option<&'a str>,
}

impl Opening<'_> {
    fn options<'o>(&'o self, like: Option<&'o [String]>) -> OpenOptions<'o> {
        OpenOptions { inside: self.inside, links: self.bounds.link_rule(), limits: self.bounds.limits(), like }
    }

    /// Opens one theme. `like` is another theme of the family, `single` the name that single files go by.
    pub(crate) fn open(
        &self,
        path: &Path,
        like: Option<&dyn Tree>,
        single: Option<&str>,
    ) -> Result<Source, Trouble> {
        if let Some(name) = single {
            let bytes = std::fs::read(path).map_err(|e| Trouble::io("read", path, &e))?;
            return Ok(Source::File(MemoryTree::new([(name.to_string(), bytes)])));
        }
        let like: Option<Vec<String>> = like.map(|t| t.entries().iter().map(|e| e.path.clone()).collect());
        let mut options = self.options(like.as_deref());
        // What is inside is said of packages; a plain folder has nothing to choose from.
        if path.is_dir() {
            options.inside = options.inside.filter(|i| path.join(i).exists());
        }
        open_theme(path, self.layout, &options).map(|o| Source::Theme(Box::new(o)))
    }
}

/// Returns the name that three single files go by: the site file's name; `None` when the inputs are themes.
pub(crate) fn single_name(paths: &[&Path]) -> Result<Option<String>, Trouble> {
    let single = |p: &&&Path| p.is_file() && archive_kind(p).is_none();
    let files: Vec<&&Path> = paths.iter().filter(single).collect();
    if files.is_empty() {
        return Ok(None);
    }
    if let Some(theme) = paths.iter().find(|p| !single(p) && p.exists()) {
        return Err(Trouble::new(format!("{} is a file, but {} is a theme", files[0].display(), theme.display()))
            .hint("give three themes (folders or archives), or three single files"));
    }
    let site = paths[1];
    Ok(site.file_name().map(|n| n.to_string_lossy().into_owned()))
}

/// Base and site, opened.
pub(crate) struct Pair {
    pub(crate) base: Source,
    pub(crate) site: Source,
}

/// Opens base and site, and checks that they are one theme.
pub(crate) fn open_pair(sources: &Sources, layout: &Layout) -> Result<Pair, Trouble> {
    let single = single_name(&[&sources.base, &sources.site])?;
    let opening = Opening { layout, bounds: &sources.bounds, inside: sources.inside.as_deref() };
    let site = opening.open(&sources.site, None, single.as_deref())?;
    let base = opening.open(&sources.base, Some(site.tree()), single.as_deref())?;
    let pair = Pair { base, site };
    same_name(sources, &[("base", &pair.base), ("site", &pair.site)])?;
    Ok(pair)
}

/// Opens base, site and release, and says what is odd about the three.
pub(crate) fn open_three(
    sources: &Sources,
    release: &Path,
    layout: &Layout,
    console: &Console,
) -> Result<(Pair, Source), Trouble> {
    let single = single_name(&[&sources.base, &sources.site, release])?;
    let opening = Opening { layout, bounds: &sources.bounds, inside: sources.inside.as_deref() };
    let site = opening.open(&sources.site, None, single.as_deref())?;
    let like_site = |path: &Path| opening.open(path, Some(site.tree()), single.as_deref());
    let (base, new) = rayon::join(|| like_site(&sources.base), || like_site(release));
    let (pair, new) = (Pair { base: base?, site }, new?);
    same_name(sources, &[("base", &pair.base), ("site", &pair.site), ("release", &new)])?;
    let (base, next) = (pair.base.identity(), new.identity());
    if let (Some(from), Some(to)) = (base.semver(), next.semver())
        && from.jump_to(&to) == Jump::Back
    {
        console.warn(&format!("the release ({to}) is older than the base ({from}): are the two swapped?"));
    }
    if pair.base.tree().entries() == new.tree().entries() {
        console.warn("the release is identical to the base: there is nothing to carry into");
    }
    Ok((pair, new))
}

/// Themes with different short names are most likely a mistake.
fn same_name(sources: &Sources, themes: &[(&str, &Source)]) -> Result<(), Trouble> {
    if sources.rename_ok {
        return Ok(());
    }
    let named: Vec<(&str, String)> =
        themes.iter().filter_map(|(role, s)| s.identity().name.map(|n| (*role, n))).collect();
    match named.windows(2).find(|w| w[0].1 != w[1].1) {
        None => Ok(()),
        Some(pair) => {
            let (a, b) = (&pair[0], &pair[1]);
            Err(Trouble::new(format!("the {} is the theme {:?}, but the {} is {:?}", a.0, a.1, b.0, b.1))
                .hint("check the paths; if the vendor renamed the theme, go on with --rename-ok"))
        }
    }
}

/// Describes the three themes, with sources as an account beside `out` names them.
pub(crate) fn describe(sources: &Sources, release: &Path, pair: &Pair, new: &Source, out: Option<&Path>) -> Themes {
    let name = |path: &Path| match out {
        Some(out) => relative(path, out),
        None => path.display().to_string(),
    };
    Themes {
        base: pair.base.describe(name(&sources.base)),
        site: pair.site.describe(name(&sources.site)),
        release: new.describe(name(release)),
    }
}

/// Names `path` as seen from the folder of `file`, so that the two can be moved together; in full where they
/// have nothing in common.
fn relative(path: &Path, file: &Path) -> String {
    let absolute = |path: &Path| path.canonicalize().or_else(|_| std::path::absolute(path));
    let folder = file.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let (Ok(path), Ok(folder)) = (absolute(path), absolute(folder)) else {
        return path.display().to_string();
    };
    let common = path.components().zip(folder.components()).take_while(|(a, b)| a == b).count();
    if common <= 1 {
        return path.display().to_string();
    }
    let up = folder.components().count() - common;
    let steps = std::iter::repeat_n(PathBuf::from(".."), up);
    let down = path.components().skip(common).map(|c| PathBuf::from(c.as_os_str()));
    steps.chain(down).collect::<PathBuf>().display().to_string()
}

/// The vendor's notes between base and release.
pub(crate) fn vendor_notes(pair: &Pair, release: &Source) -> Vec<Notes> {
    let Source::Theme(opened) = release else { return Vec::new() };
    let (Some(from), Some(to)) = (pair.base.identity().semver(), opened.identity.semver()) else {
        return Vec::new();
    };
    opened.changelog.as_deref().map(|log| changelog::between(log, &from, &to)).unwrap_or_default()
}
