//! Opening what the user named, and noticing when it does not fit together.

use std::cell::RefCell;
use std::path::{Path, PathBuf};

use daxle_core::carry::account::{Theme, Themes};
use daxle_core::theme::changelog::{self, Notes};
use daxle_core::theme::{Identity, IdentityReader, Jump, Layout, MemoryTree, Tree, Version, find_reader, own_card};
use daxle_files::{OpenOptions, Opened, Trouble, archive_kind, open_theme};

use crate::args::{Bounds, Sources};
use crate::changesets;
use crate::config::Config;
use crate::console::Console;
use crate::exports::{self, Export};
use crate::stock::{self, Place};

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

    pub(crate) fn identity(&self) -> Identity {
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
#[derive(Clone, Copy)]
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
    let site = paths[0];
    Ok(site.file_name().map(|n| n.to_string_lossy().into_owned()))
}

/// Base and site, opened, and where the base was found.
pub(crate) struct Pair {
    pub(crate) base: Source,
    pub(crate) site: Source,
    pub(crate) base_at: PathBuf,
    /// Exported settings that stand in for files of the site's.
    pub(crate) exports: Vec<Export>,
}

/// The site's theme, opened; the others are found by what it says of itself.
pub(crate) struct Site<'a> {
    sources: &'a Sources,
    config: &'a Config,
    single: Option<String>,
    pub(crate) site: Source,
    pub(crate) exports: Vec<Export>,
    /// The base that a change set is made on.
    made_from: Option<Place>,
    /// What is to be told of that change set.
    said: Vec<String>,
}

impl<'a> Site<'a> {
    /// Opens the site's theme. `others` are the other paths that were given.
    pub(crate) fn open(sources: &'a Sources, others: &[&Path], config: &'a Config) -> Result<Self, Trouble> {
        let mut paths = vec![sources.site.as_path()];
        paths.extend(sources.base.as_deref());
        paths.extend(others);
        let single = single_name(&paths)?;
        if single.is_some() && sources.base.is_none() {
            return Err(Trouble::new("a single file has no release of its own in stock")
                .hint("name the file that it came from with --base"));
        }
        let opening =
            Opening { layout: &config.layout, bounds: &sources.bounds, inside: sources.inside.as_deref() };
        let mut made_from = None;
        let said = RefCell::new(Vec::new());
        let site = if changesets::is_one(&sources.site) {
            let given = sources.base.clone().or_else(|| changesets::made_from(&sources.site).map(PathBuf::from));
            let given = given.ok_or_else(|| {
                Trouble::new(format!("{} says changes, but not of which release", sources.site.display()))
                    .hint("name the base that they were made from with --base")
            })?;
            let place = stock::locate(&given, sources.inside.as_deref(), None, config)?;
            let opening = Opening { inside: place.inside.as_deref(), ..opening };
            let Source::Theme(base) = opening.open(&place.path, None, None)? else {
                return Err(Trouble::new(format!("{} is no theme", given.display())));
            };
            made_from = Some(place);
            let say = |text: &str| said.borrow_mut().push(text.to_string());
            Source::Theme(Box::new(changesets::open(&sources.site, &base.tree, &config.layout, &say)?))
        } else {
            opening.open(&sources.site, None, single.as_deref())?
        };
        if let Source::Theme(opened) = &site
            && opened.inside.as_deref() != sources.inside.as_deref().map(|inside| inside.trim_matches('/'))
        {
            said.borrow_mut().extend(left_out(&sources.site, opened));
        }
        let (site, exports) = exports::exchange(site, &sources.settings, &config.layout)?;
        Ok(Site { sources, config, single, site, exports, made_from, said: said.into_inner() })
    }

    pub(crate) fn identity(&self) -> Identity {
        self.site.identity()
    }

    /// Where the base is: as given, or found in stock.
    fn base(&self, console: &Console) -> Result<Place, Trouble> {
        self.said.iter().for_each(|text| console.warn(text));
        if let Some(place) = &self.made_from {
            return Ok(Place { path: place.path.clone(), inside: place.inside.clone() });
        }
        match &self.sources.base {
            Some(given) => self.place(given),
            None => stock::find_base(self.site.tree(), &self.site.identity(), self.config, console),
        }
    }

    pub(crate) fn place(&self, given: &Path) -> Result<Place, Trouble> {
        let identity = self.site.identity();
        stock::locate(given, self.sources.inside.as_deref(), identity.name.as_deref(), self.config)
    }

    pub(crate) fn open_at(&self, place: &Place) -> Result<Source, Trouble> {
        let opening =
            Opening { layout: &self.config.layout, bounds: &self.sources.bounds, inside: place.inside.as_deref() };
        opening.open(&place.path, Some(self.site.tree()), self.single.as_deref())
    }

    /// Opens the base, and checks that the two are one theme.
    pub(crate) fn with_base(self, console: &Console) -> Result<Pair, Trouble> {
        let place = self.base(console)?;
        let base = self.open_at(&place)?;
        same_name(self.sources, &[("base", &base), ("site", &self.site)])?;
        Ok(Pair { base, site: self.site, base_at: place.path, exports: self.exports })
    }

    /// Opens base and release, and says what is odd about the three.
    pub(crate) fn with_release(self, release: &Path, console: &Console) -> Result<Three, Trouble> {
        let (base_at, release_at) = (self.base(console)?, self.place(release)?);
        let (base, new) = rayon::join(|| self.open_at(&base_at), || self.open_at(&release_at));
        let (base, new) = (base?, new?);
        same_name(self.sources, &[("base", &base), ("site", &self.site), ("release", &new)])?;
        let (from, to) = (base.identity().semver(), new.identity().semver());
        if let (Some(from), Some(to)) = (from, to)
            && from.jump_to(&to) == Jump::Back
        {
            console.warn(&format!("the release ({to}) is older than the base ({from}): are the two swapped?"));
        }
        if base.tree().entries() == new.tree().entries() {
            console.warn("the release is identical to the base: there is nothing to carry into");
        }
        Ok(Three {
            pair: Pair { base, site: self.site, base_at: base_at.path, exports: self.exports },
            release: new,
            release_at: release_at.path,
        })
    }
}

/// Base, site and release, opened.
pub(crate) struct Three {
    pub(crate) pair: Pair,
    pub(crate) release: Source,
    pub(crate) release_at: PathBuf,
}

/// So many names of what was left out are said.
const NAMES: usize = 5;

/// Says what lies beside the theme in the site's folder or archive, where something does.
fn left_out(source: &Path, opened: &Opened) -> Option<String> {
    let inside = opened.inside.as_ref().filter(|_| !opened.beside.is_empty())?;
    let mut names = opened.beside.iter().take(NAMES).cloned().collect::<Vec<_>>().join(", ");
    if let more @ 1.. = opened.beside.len().saturating_sub(NAMES) {
        names.push_str(&format!(" and {more} more"));
    }
    let source = source.display();
    Some(format!(
        "the theme in {source} is at {inside}; not looked at beside it: {names} (--inside . takes all of it)"
    ))
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

impl Three {
    /// Opens the releases to step through on the way: those that were named, or for `auto` all in stock between base
    /// and release.
    pub(crate) fn stops(
        &self,
        named: &[String],
        sources: &Sources,
        config: &Config,
    ) -> Result<Vec<(String, Source, PathBuf)>, Trouble> {
        let Source::Theme(site) = &self.pair.site else {
            return Err(Trouble::new("a single file has no releases to step through"));
        };
        let name = site.identity.name.as_deref();
        let labels: Vec<String> = if named == ["auto"] {
            let (from, to) = (self.pair.base.identity().semver(), self.release.identity().semver());
            let between = |r: &&daxle_files::Release| {
                let version = Version::parse(&r.version);
                version > from && version < to
            };
            let stock = config.stock()?;
            stock.of(name.unwrap_or_default()).filter(between).map(daxle_files::Release::label).collect()
        } else {
            named.to_vec()
        };
        let open = |label: &String| {
            let place = stock::locate(Path::new(label), None, name, config)?;
            let inside = place.inside.as_deref();
            let opening = Opening { layout: &config.layout, bounds: &sources.bounds, inside };
            let source = opening.open(&place.path, Some(self.pair.site.tree()), None)?;
            let version = source.identity().version.unwrap_or_else(|| label.clone());
            Ok((version, source, place.path))
        };
        labels.iter().map(open).collect()
    }

    /// Describes the three themes, with sources as an account beside `out` names them.
    pub(crate) fn describe(&self, site_at: &Path, out: Option<&Path>) -> Themes {
        let name = |path: &Path| match out {
            Some(out) => relative(path, out),
            None => path.display().to_string(),
        };
        Themes {
            base: self.pair.base.describe(name(&self.pair.base_at)),
            site: self.pair.site.describe(name(site_at)),
            release: self.release.describe(name(&self.release_at)),
        }
    }

    /// The vendor's notes between base and release.
    pub(crate) fn vendor_notes(&self) -> Vec<Notes> {
        let Source::Theme(opened) = &self.release else { return Vec::new() };
        let (Some(from), Some(to)) = (self.pair.base.identity().semver(), opened.identity.semver()) else {
            return Vec::new();
        };
        opened.changelog.as_deref().map(|log| changelog::between(log, &from, &to)).unwrap_or_default()
    }
}

/// Names `path` as seen from the folder of `file`, so that the two can be moved together; in full where they
/// have nothing in common.
pub(crate) fn relative(path: &Path, file: &Path) -> String {
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

/// Where a theme says who it is: as the layout or its own files show, else on a card of our own plain layout.
pub(crate) fn reader_of(tree: &dyn Tree, layout: &Layout) -> IdentityReader {
    let ruled = layout.identity.iter().find(|r| tree.find(&r.file).is_some()).or(layout.identity.first()).cloned();
    ruled.or_else(|| find_reader(tree).map(|(reader, _)| reader)).unwrap_or_else(own_card)
}
