//! Finding the theme in what the user named: a folder, an archive, or a vendor's whole package.

use std::collections::HashSet;
use std::fs;
use std::path::{Path, PathBuf};

use daxle_core::theme::{Identity, Kind, Layout, MemoryTree, Tree, changelog, kind_of, read_identity};
use tempfile::TempDir;
use walkdir::WalkDir;

use crate::archive::{archive_kind, unpack};
use crate::{FolderTree, Limits, LinkRule, Trouble};

/// How a source is opened.
#[derive(Debug, Clone, Default)]
pub struct OpenOptions<'a> {
    /// Where in the source the theme is, if the user said.
    pub inside: Option<&'a str>,
    /// What is done with links.
    pub links: LinkRule,
    /// Bounds.
    pub limits: Limits,
    /// Paths of another theme of the same family: the level of folders at which most of them are is meant, and of several
    /// themes in a package the one that has most of them.
    pub like: Option<&'a [String]>,
}

/// An opened theme.
#[derive(Debug)]
pub struct Opened {
    /// Its files.
    pub tree: FolderTree,
    /// What it says of itself.
    pub identity: Identity,
    /// Where in the source it was found, if not at the top.
    pub inside: Option<String>,
    /// What lies beside it in the source, and is not looked at; folders end in `/`.
    pub beside: Vec<String>,
    /// The folder's or archive's name, for a theme that says nothing of itself.
    pub folder_name: String,
    /// The vendor's change log, from the theme or the package around it.
    pub changelog: Option<String>,
    /// Unpacked archives; removed when this goes.
    _unpacked: Vec<TempDir>,
}

impl Opened {
    /// Keeps a temporary folder for as long as the theme is open.
    pub fn hold(&mut self, folder: TempDir) {
        self._unpacked.push(folder);
    }
}

/// A place in a source where a theme may be.
#[derive(Debug, Clone)]
struct Place {
    /// As `--inside` takes it; empty for the top.
    name: String,
    folder: PathBuf,
    identity: Identity,
}

/// Opens a theme.
///
/// # Errors
///
/// When the source is missing, damaged, or refused by the rules; when no theme is in it; or when several are
/// and none is clearly meant.
pub fn open_theme(source: &Path, layout: &Layout, options: &OpenOptions<'_>) -> Result<Opened, Trouble> {
    let metadata = fs::metadata(source).map_err(|e| missing(source, &e))?;
    let mut search = Search { layout, options, unpacked: Vec::new(), bytes: 0, passed: None };
    let top = if metadata.is_dir() {
        source.to_path_buf()
    } else if let Some(kind) = archive_kind(source) {
        search.unpacked(source, kind)?
    } else {
        return Err(Trouble::new(format!("{} is neither a folder nor an archive", source.display()))
            .hint("name a folder, a .zip or a .tar.gz; for single files give a file for each of the three"));
    };
    let place = search.choose(source, &top, metadata.is_dir())?;
    let tree = FolderTree::read(&place.folder, options.links, options.limits)?;
    if tree.entries().is_empty() {
        return Err(Trouble::new(format!("{} holds no files", source.display()))
            .hint("is it the right folder? An empty theme cannot be compared"));
    }
    let log = [&tree as &dyn Tree].into_iter().find_map(|t| changelog::find(t).and_then(|k| t.read(k).ok()));
    let log = log.or_else(|| package_log(&top, &place.folder));
    let identity = read_identity(&tree, layout);
    let folder_name = if place.folder == top {
        let name = source.file_name().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default();
        let ends = [".tar.gz", ".tgz", ".zip"];
        ends.iter().find_map(|e| name.strip_suffix(e)).unwrap_or(&name).to_string()
    } else {
        place.folder.file_name().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default()
    };
    // Whoever opens it without the others of its family would go down further.
    let at_top = place.folder == top && see_through(&top, String::new()).1 != top;
    Ok(Opened {
        tree,
        identity,
        beside: lying_beside(&top, &place.name),
        inside: (!place.name.is_empty()).then_some(place.name).or(at_top.then(|| ".".to_string())),
        folder_name,
        changelog: log.map(|b| String::from_utf8_lossy(&b).into_owned()),
        _unpacked: search.unpacked,
    })
}

/// Opens every theme in a source: all that have an identity, or the one that is there without.
///
/// # Errors
///
/// As [`open_theme`].
pub fn open_all(source: &Path, layout: &Layout, options: &OpenOptions<'_>) -> Result<Vec<Opened>, Trouble> {
    let is_folder = fs::metadata(source).map_err(|e| missing(source, &e))?.is_dir();
    let mut search = Search { layout, options, unpacked: Vec::new(), bytes: 0, passed: None };
    let top = match archive_kind(source) {
        Some(kind) if !is_folder => search.unpacked(source, kind)?,
        _ => source.to_path_buf(),
    };
    let (name, folder) = see_through(&top, String::new());
    let root = search.place(name, folder);
    let mut places = Vec::new();
    if root.identity.file.is_some() {
        places.push(root);
    } else {
        search.collect(&root.folder, &root.name, 0, false, &mut places)?;
        places.retain(|p| p.identity.file.is_some());
    }
    drop(search);
    if places.is_empty() {
        return Ok(vec![open_theme(source, layout, options)?]);
    }
    // Each is opened on its own, by the way that will open it again.
    let open = |place: &Place| {
        let inside = (!place.name.is_empty()).then_some(place.name.as_str());
        open_theme(source, layout, &OpenOptions { inside, ..*options })
    };
    places.iter().map(open).collect()
}

/// A path that is not there, with the nearest name that is.
fn missing(source: &Path, error: &std::io::Error) -> Trouble {
    let trouble = Trouble::io("open", source, error);
    if error.kind() != std::io::ErrorKind::NotFound {
        return trouble;
    }
    let parent = source.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let name = source.file_name().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default();
    let near = fs::read_dir(parent).ok().and_then(|list| {
        list.filter_map(Result::ok)
            .map(|e| e.file_name().to_string_lossy().into_owned())
            .map(|n| (strsim::damerau_levenshtein(&n.to_lowercase(), &name.to_lowercase()), n))
            .filter(|(far, n)| *far <= 1 + n.len() / 4)
            .min()
    });
    match near {
        Some((_, near)) => trouble.hint(format!("did you mean {}?", parent.join(near).display())),
        None if !parent.exists() => trouble.hint(format!("there is no folder {} either", parent.display())),
        None => trouble.hint("check the path"),
    }
}

struct Search<'a> {
    layout: &'a Layout,
    options: &'a OpenOptions<'a>,
    unpacked: Vec<TempDir>,
    /// How many bytes were unpacked so far.
    bytes: u64,
    /// Why an archive within the source was passed by: told when no theme is found without it.
    passed: Option<Trouble>,
}

impl Search<'_> {
    fn unpacked(&mut self, archive: &Path, kind: crate::ArchiveKind) -> Result<PathBuf, Trouble> {
        let folder = tempfile::Builder::new()
            .prefix("daxle-")
            .tempdir()
            .map_err(|e| Trouble::io("make a folder in", &std::env::temp_dir(), &e))?;
        // All archives of one source share its bounds.
        let limits = &self.options.limits;
        let limits = Limits { bytes: limits.bytes.saturating_sub(self.bytes), ..*limits };
        self.bytes += unpack(archive, kind, folder.path(), self.options.links, limits)?;
        let path = folder.path().to_path_buf();
        self.unpacked.push(folder);
        Ok(path)
    }

    /// Finds the place that is meant.
    fn choose(&mut self, source: &Path, top: &Path, is_folder: bool) -> Result<Place, Trouble> {
        if let Some(inside) = self.options.inside {
            let mut places = Vec::new();
            self.collect(top, "", 0, true, &mut places)?;
            let wanted = inside.trim_matches('/');
            if let Some(place) = places.iter().find(|p| p.name == wanted) {
                return Ok(place.clone());
            }
            if top.join(wanted).is_dir() && !wanted.split('/').any(|p| p == "..") {
                return Ok(self.place(wanted.to_string(), top.join(wanted)));
            }
            return Err(self.passed.take().unwrap_or_else(|| {
                Trouble::new(format!("{} has no theme inside at {inside}", source.display()))
                    .hint(format!("there is: {}", listed(&places)))
            }));
        }
        let (name, folder) = self.level(top);
        let root = self.place(name, folder);
        if root.identity.file.is_some() || (is_folder && !looks_like_package(&root.folder)) {
            return Ok(root);
        }
        let mut places = Vec::new();
        self.collect(&root.folder, &root.name, 0, false, &mut places)?;
        let familiar = self.options.like.is_some_and(|like| shared(&root.folder, like) > 0);
        if let Some(trouble) = self.passed.take()
            && !familiar
            && places.iter().all(|p| p.identity.file.is_none())
        {
            return Err(trouble);
        }
        let named: Vec<Place> = places.iter().filter(|p| p.identity.file.is_some()).cloned().collect();
        let mut candidates = if named.is_empty() { places } else { named };
        if candidates.iter().all(|p| p.identity.file.is_none()) {
            candidates.insert(0, root.clone());
        }
        // A folder that says nothing of itself, and has more in it than the archives that lie in it: they may be
        // what comes with a theme.
        let packed = candidates.iter().all(|p| p.identity.file.is_some() && !p.folder.starts_with(&root.folder));
        let filled = is_folder && packed && {
            let most = candidates.iter().map(|p| sources_in(&p.folder)).max().unwrap_or(0);
            sources_in(&root.folder) > most
        };
        if filled {
            candidates.insert(0, root.clone());
        }
        if candidates.len() == 1 {
            return Ok(candidates.remove(0));
        }
        if let Some(like) = self.options.like {
            let mut scored: Vec<(usize, usize)> =
                candidates.iter().enumerate().map(|(k, p)| (shared(&p.folder, like), k)).collect();
            scored.sort_by(|a, b| b.0.cmp(&a.0).then(a.1.cmp(&b.1)));
            // The site has most of its parent's paths, and few of a child's.
            if scored[0].0 > 0 && scored[0].0 * 2 > scored[1].0 * 3 {
                return Ok(candidates.swap_remove(scored[0].1));
            }
        }
        if filled {
            return Ok(root);
        }
        // Without anything to compare with: the one theme that is no child of another.
        let mut parents = candidates.iter().filter(|p| p.identity.file.is_some() && p.identity.parent.is_none());
        if let (Some(only), None) = (parents.next(), parents.next()) {
            return Ok(only.clone());
        }
        if candidates.iter().all(|p| p.identity.file.is_none()) {
            let inner: Vec<&Place> = candidates.iter().skip(1).collect();
            if let [only] = inner[..]
                && looks_like_package(&root.folder)
                && sources_in(&only.folder) >= sources_beside(&root.folder, &only.folder)
            {
                return Ok(only.clone());
            }
            return Ok(root);
        }
        Err(Trouble::new(format!("{} holds several themes", source.display()))
            .why(listed(&candidates))
            .hint(format!("say which one with --inside, for example --inside {}", candidates[0].name)))
    }

    /// The folder that a theme begins at: below folders that hold nothing but one folder, and where another of its family
    /// has its files under the same paths, if there is one.
    fn level(&self, top: &Path) -> (String, PathBuf) {
        let (name, folder) = see_through(top, String::new());
        let Some(like) = self.options.like else { return (name, folder) };
        let levels = folder.ancestors().take_while(|p| p.starts_with(top)).map(|p| (shared(p, like), p));
        let (_, level) = levels.reduce(|a, b| if b.0 > a.0 { b } else { a }).unwrap_or((0, &folder));
        let name = level.strip_prefix(top).map(|p| p.to_string_lossy().into_owned()).unwrap_or_default();
        (name, level.to_path_buf())
    }

    fn place(&self, name: String, folder: PathBuf) -> Place {
        let identity = shallow_identity(&folder, self.layout);
        Place { name, folder, identity }
    }

    /// Collects the places below a folder: folders with an identity, and what is in archives.
    fn collect(
        &mut self,
        folder: &Path,
        name: &str,
        depth: usize,
        all: bool,
        out: &mut Vec<Place>,
    ) -> Result<(), Trouble> {
        let mut archives = Vec::new();
        let mut inside: HashSet<PathBuf> = HashSet::new();
        let walk = WalkDir::new(folder).max_depth(4).sort_by_file_name().into_iter().filter_map(Result::ok);
        for item in walk {
            let path = item.path();
            if path.ancestors().skip(1).any(|a| inside.contains(a)) && !all {
                continue;
            }
            let below = |p: &Path| {
                let inner = p.strip_prefix(folder).map(|p| p.to_string_lossy().into_owned()).unwrap_or_default();
                join(name, &inner)
            };
            if item.file_type().is_dir() {
                let identity = shallow_identity(path, self.layout);
                // A library's own package file deep in a theme is no theme.
                let certain = identity.file.as_deref().is_some_and(|f| !f.ends_with(".json") || item.depth() == 0);
                if certain {
                    inside.insert(path.to_path_buf());
                    out.push(Place { name: below(path), folder: path.to_path_buf(), identity });
                }
            } else if item.file_type().is_file()
                && let Some(kind) = archive_kind(path)
                && fs::metadata(path).is_ok_and(|m| m.len() > 0)
            {
                archives.push((below(path), path.to_path_buf(), kind));
            }
        }
        for (archive, path, kind) in archives {
            if depth + 1 >= self.options.limits.nesting {
                let nesting = self.options.limits.nesting;
                self.passed.get_or_insert_with(|| {
                    Trouble::new(format!("the archive {archive} was not looked into"))
                        .why(format!("it lies in more than {nesting} archives, one in another"))
                        .hint("unpack it and name the theme, or raise the limit with --max-nesting")
                });
                break;
            }
            let top = match self.unpacked(&path, kind) {
                Ok(top) => top,
                Err(trouble) => {
                    self.passed.get_or_insert(trouble);
                    continue;
                }
            };
            let (_, inner) = see_through(&top, String::new());
            // What was unpacked beside its archive may have been changed since.
            if let Some(beside) = path.parent().and_then(|parent| unpacked_beside(parent, &inner)) {
                if !out.iter().any(|p| beside.starts_with(&p.folder)) {
                    let below = beside.strip_prefix(folder).map(|p| p.to_string_lossy().into_owned());
                    out.push(self.place(join(name, &below.unwrap_or_default()), beside));
                }
                continue;
            }
            let before = out.len();
            self.collect(&inner, &archive, depth + 1, all, out)?;
            if out.len() == before {
                out.push(self.place(archive, inner));
            }
        }
        Ok(())
    }
}

fn join(name: &str, inner: &str) -> String {
    match (name.is_empty(), inner.is_empty()) {
        (true, _) => inner.to_string(),
        (_, true) => name.to_string(),
        _ => format!("{name}/{inner}"),
    }
}

fn listed(places: &[Place]) -> String {
    let show = |p: &Place| {
        let name = if p.name.is_empty() { "(the top)" } else { &p.name };
        match p.identity.title.as_deref().or(p.identity.name.as_deref()) {
            Some(title) => format!("{name} ({title})"),
            None => name.to_string(),
        }
    };
    places.iter().map(show).collect::<Vec<_>>().join(", ")
}

/// The templates, styles and scripts below a folder, counted.
fn sources_in(folder: &Path) -> usize {
    let paths = WalkDir::new(folder).into_iter().filter_map(Result::ok).filter(|e| e.file_type().is_file());
    let kinds = paths.map(|e| kind_of(&e.path().to_string_lossy(), b""));
    kinds.filter(|kind| matches!(kind, Kind::Template | Kind::Style | Kind::Script | Kind::Code)).count()
}

/// As many of them as a folder has beside a place, which may lie within it.
fn sources_beside(folder: &Path, place: &Path) -> usize {
    let within = if place.starts_with(folder) { sources_in(place) } else { 0 };
    sources_in(folder) - within
}

/// The folder in which most of an archive's files lie as well, beside the archive.
fn unpacked_beside(parent: &Path, archive: &Path) -> Option<PathBuf> {
    let files = |e: walkdir::DirEntry| e.path().strip_prefix(archive).ok().map(Path::to_path_buf);
    let inner: Vec<PathBuf> = WalkDir::new(archive)
        .into_iter()
        .filter_map(Result::ok)
        .filter(|e| e.file_type().is_file())
        .filter_map(files)
        .collect();
    let folders = WalkDir::new(parent).max_depth(1).sort_by_file_name().into_iter().filter_map(Result::ok);
    folders
        .filter(|e| e.file_type().is_dir())
        .map(walkdir::DirEntry::into_path)
        .find(|folder| inner.iter().filter(|p| folder.join(p).is_file()).count() * 2 > inner.len())
}

/// What is in a folder, but for what systems leave behind.
fn visible(folder: &Path) -> std::io::Result<Vec<fs::DirEntry>> {
    let is_meant =
        |entry: &fs::DirEntry| !["__MACOSX", ".DS_Store", ".git"].iter().any(|n| entry.file_name() == *n);
    Ok(fs::read_dir(folder)?.filter_map(Result::ok).filter(is_meant).collect())
}

/// What lies in the folders on the way to a place, and is not on it.
fn lying_beside(top: &Path, name: &str) -> Vec<String> {
    let mut folder = top.to_path_buf();
    let mut beside = Vec::new();
    for step in name.split('/').filter(|step| !["", "."].contains(step)) {
        let others = visible(&folder).unwrap_or_default().into_iter().filter(|entry| entry.file_name() != step);
        beside.extend(others.map(|entry| {
            let path = entry.path();
            let end = if path.is_dir() { "/" } else { "" };
            format!("{}{end}", path.strip_prefix(top).unwrap_or(&path).display())
        }));
        folder.push(step);
    }
    beside.sort();
    beside
}

/// Goes down through folders that hold nothing but one folder.
fn see_through(folder: &Path, name: String) -> (String, PathBuf) {
    let (mut folder, mut name) = (folder.to_path_buf(), name);
    for _ in 0..4 {
        let Ok(visible) = visible(&folder) else { break };
        match &visible[..] {
            [only] if only.file_type().is_ok_and(|t| t.is_dir()) => {
                name = join(&name, &only.file_name().to_string_lossy());
                folder = only.path();
            }
            _ => break,
        }
    }
    (name, folder)
}

/// A package holds an archive at its top, or a folder with one.
fn looks_like_package(folder: &Path) -> bool {
    WalkDir::new(folder).max_depth(2).into_iter().filter_map(Result::ok).any(|e| {
        let name = e.file_name().to_string_lossy().to_ascii_lowercase();
        e.file_type().is_file() && [".zip", ".tar.gz", ".tgz"].iter().any(|end| name.ends_with(end))
    })
}

/// Reads the identity from the files right in a folder.
fn shallow_identity(folder: &Path, layout: &Layout) -> Identity {
    let ruled = layout.identity.iter().map(|r| folder.join(&r.file));
    let here = fs::read_dir(folder).into_iter().flatten().filter_map(Result::ok).map(|e| e.path());
    let files = ruled.chain(here.filter(|p| {
        matches!(p.extension().and_then(|e| e.to_str()), Some("css" | "json" | "toml" | "yaml" | "yml"))
    }));
    let small = files.filter(|p| fs::symlink_metadata(p).is_ok_and(|m| m.is_file() && m.len() < 1 << 20));
    let loaded = small.filter_map(|p| {
        let inner = p.strip_prefix(folder).ok()?.to_str()?.to_string();
        Some((inner, fs::read(&p).ok()?))
    });
    read_identity(&MemoryTree::new(loaded), layout)
}

/// Counts the paths of another theme that a folder has.
fn shared(folder: &Path, like: &[String]) -> usize {
    like.iter().filter(|p| folder.join(p).is_file()).count()
}

/// Looks for a change log in the package around a theme.
fn package_log(top: &Path, theme: &Path) -> Option<Vec<u8>> {
    if top == theme {
        return None;
    }
    let known = ["changelog", "changes", "history", "release-notes", "news"];
    let mut found: Vec<PathBuf> = WalkDir::new(top)
        .max_depth(3)
        .sort_by_file_name()
        .into_iter()
        .filter_map(Result::ok)
        .filter(|e| e.file_type().is_file())
        .map(walkdir::DirEntry::into_path)
        .filter(|p| {
            let stem = p.file_stem().map(|s| s.to_string_lossy().to_ascii_lowercase()).unwrap_or_default();
            let end = p.extension().and_then(|e| e.to_str());
            known.contains(&stem.as_str()) && matches!(end, None | Some("md" | "txt" | "rst"))
        })
        .collect();
    found.sort_by_key(|p| p.components().count());
    fs::read(found.first()?).ok()
}
