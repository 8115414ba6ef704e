//! The stock: untouched vendor releases on disk, with an index.
//!
//! ```text
//! stock/
//!   index.json          what is there
//!   archives/           packages as they came, named by the digest of their bytes
//!   prints/             for each release its files: digests, stamps, a number for every line
//!   .lock               held while the stock is changed
//! ```

use std::collections::{BTreeMap, BTreeSet};
use std::fs::{self, File};
use std::path::{Path, PathBuf};

use daxle_core::stock::{FilePrint, Print};
use daxle_core::theme::{Digest, Layout, Tree, Version};
use serde::{Deserialize, Serialize};

use crate::{FolderTree, OpenOptions, Opened, Trouble, ZipEntry, open_all, write_file, write_zip};

const FORMAT: &str = "daxle-stock";
const FORMAT_VERSION: u32 = 1;

/// A release in stock.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Release {
    /// Short name.
    pub name: String,
    /// Version as written.
    pub version: String,
    /// The title that people see.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub title: Option<String>,
    /// Short name of the parent, for a vendor's child theme.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub parent: Option<String>,
    /// What it goes with: short names and lowest versions.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub requires: BTreeMap<String, String>,
    /// Name of the package as it was added.
    pub source: String,
    /// The kept package, below `archives`.
    pub archive: String,
    /// Where in the package the theme is.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub inside: Option<String>,
    /// How many files it has.
    pub files: usize,
    /// Their size together, in bytes.
    pub bytes: u64,
    /// Digest of all paths and contents.
    pub digest: String,
}

impl Release {
    /// Returns name and version as they are typed.
    pub fn label(&self) -> String {
        format!("{}@{}", self.name, self.version)
    }

    fn order(&self) -> (String, Option<Version>, String) {
        (self.name.clone(), Version::parse(&self.version), self.version.clone())
    }
}

/// What became of a theme that was to be added.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[serde(tag = "outcome", rename_all = "snake_case")]
pub enum Added {
    /// It is in stock now.
    New {
        /// The release.
        release: Release,
    },
    /// It was there already.
    Known {
        /// The release.
        release: Release,
    },
    /// The same version is there with other content; nothing was changed.
    Differs {
        /// The release that was to be added.
        release: Release,
        /// Name of the package that the kept one came from.
        kept: String,
    },
}

#[derive(Serialize, Deserialize)]
struct Index {
    format: String,
    format_version: u32,
    releases: Vec<Release>,
}

/// One line of a print on disk.
#[derive(Serialize, Deserialize)]
struct PrintedFile {
    path: String,
    digest: String,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    stamp: Option<String>,
    /// How many numbers of the list of lines are this file's.
    lines: usize,
}

/// A customizer's untouched releases.
#[derive(Debug)]
pub struct Stock {
    dir: PathBuf,
    releases: Vec<Release>,
}

impl Stock {
    /// Opens a stock; one that does not exist is empty.
    ///
    /// # Errors
    ///
    /// When the index is damaged or was written by a newer Daxle.
    pub fn open(dir: &Path) -> Result<Self, Trouble> {
        let path = dir.join("index.json");
        let text = match fs::read(&path) {
            Ok(text) => text,
            Err(e) if e.kind() == std::io::ErrorKind::NotFound => {
                return Ok(Stock { dir: dir.to_path_buf(), releases: Vec::new() });
            }
            Err(e) => return Err(Trouble::io("read the stock's index", &path, &e)),
        };
        #[derive(Deserialize)]
        struct Head {
            format: String,
            format_version: u32,
        }
        let damaged = |e: serde_json::Error| {
            Trouble::new(format!("the stock's index {} is damaged", path.display()))
                .why(e.to_string())
                .hint("the packages are whole, in archives: move index.json away and add them again")
        };
        let head: Head = serde_json::from_slice(&text).map_err(damaged)?;
        if head.format != FORMAT || head.format_version > FORMAT_VERSION {
            return Err(Trouble::new(format!("the stock {} was written by a newer Daxle", dir.display()))
                .why(format!("its format is {} {}", head.format, head.format_version))
                .hint("use that Daxle, or name another stock with --stock"));
        }
        let index: Index = serde_json::from_slice(&text).map_err(damaged)?;
        Ok(Stock { dir: dir.to_path_buf(), releases: index.releases })
    }

    /// Returns where it is.
    pub fn dir(&self) -> &Path {
        &self.dir
    }

    /// Returns the releases, by name, then oldest first.
    pub fn releases(&self) -> &[Release] {
        &self.releases
    }

    /// Returns the releases of one theme, oldest first.
    pub fn of<'s>(&'s self, name: &'s str) -> impl DoubleEndedIterator<Item = &'s Release> {
        self.releases.iter().filter(move |r| r.name == name)
    }

    /// Returns where a release's package is kept.
    pub fn archive(&self, release: &Release) -> PathBuf {
        self.dir.join("archives").join(&release.archive)
    }

    /// Reads what is known of a release's files.
    ///
    /// # Errors
    ///
    /// When that is missing or damaged.
    pub fn print(&self, release: &Release) -> Result<Print, Trouble> {
        let path = self.print_path(release, "json");
        let damaged = |why: String| {
            Trouble::new(format!("the stock's record of {} is damaged", release.label()))
                .why(why)
                .hint("remove the release and add its package again")
        };
        let read = |path: &Path| fs::read(path).map_err(|e| damaged(format!("{}: {e}", path.display())));
        let list: Vec<PrintedFile> = serde_json::from_slice(&read(&path)?).map_err(|e| damaged(e.to_string()))?;
        let numbers = read(&self.print_path(release, "lines"))?;
        let mut numbers = numbers.chunks_exact(4).map(|c| u32::from_le_bytes([c[0], c[1], c[2], c[3]]));
        let mut files = Vec::with_capacity(list.len());
        for file in list {
            let lines: Vec<u32> = numbers.by_ref().take(file.lines).collect();
            let digest = Digest::from_hex(&file.digest).filter(|_| lines.len() == file.lines);
            let digest = digest.ok_or_else(|| damaged(format!("the entry for {} is broken", file.path)))?;
            files.push(FilePrint { path: file.path, digest, stamp: file.stamp, lines });
        }
        Ok(Print { files })
    }

    fn print_path(&self, release: &Release, extension: &str) -> PathBuf {
        self.dir.join("prints").join(format!("{}.{extension}", &release.digest[..32.min(release.digest.len())]))
    }

    /// Adds every theme in a package or folder. `name` and `version` are for a theme that bears none.
    ///
    /// # Errors
    ///
    /// When the source cannot be opened, or a theme in it says no name or version and none is given.
    pub fn add(
        &mut self,
        source: &Path,
        layout: &Layout,
        options: &OpenOptions<'_>,
        name: Option<&str>,
        version: Option<&str>,
    ) -> Result<Vec<Added>, Trouble> {
        let opened = open_all(source, layout, options)?;
        let bytes = if source.is_dir() {
            write_zip(packed(&opened[0].tree)?)?
        } else {
            fs::read(source).map_err(|e| Trouble::io("read", source, &e))?
        };
        let lower = source.to_string_lossy().to_ascii_lowercase();
        let tar = !source.is_dir() && (lower.ends_with(".tar.gz") || lower.ends_with(".tgz"));
        let archive = format!("{}.{}", &Digest::of(&bytes).hex()[..32], if tar { "tar.gz" } else { "zip" });
        let mut found = Vec::new();
        for theme in &opened {
            found.push((self.describe(source, theme, &archive, name, version)?, theme));
        }
        let _lock = self.lock()?;
        // Somebody else may have added something since.
        self.releases = Stock::open(&self.dir)?.releases;
        let mut out = Vec::new();
        let mut kept = false;
        for (release, theme) in found {
            let twin = self.releases.iter().find(|r| r.name == release.name && r.version == release.version);
            if let Some(twin) = twin {
                let same = twin.digest == release.digest;
                let kept = twin.source.clone();
                out.push(if same { Added::Known { release } } else { Added::Differs { release, kept } });
                continue;
            }
            if !kept {
                write_file(&self.dir.join("archives").join(&archive), &bytes)?;
                kept = true;
            }
            self.write_print(&release, &Print::of(&theme.tree, layout).map_err(unreadable)?)?;
            self.releases.push(release.clone());
            out.push(Added::New { release });
        }
        self.save()?;
        Ok(out)
    }

    fn describe(
        &self,
        source: &Path,
        theme: &Opened,
        archive: &str,
        name: Option<&str>,
        version: Option<&str>,
    ) -> Result<Release, Trouble> {
        let identity = &theme.identity;
        let missing = |what: &str, option: &str| {
            let place = theme.inside.as_deref().map(|i| format!(" (at {i})")).unwrap_or_default();
            Trouble::new(format!("the theme in {}{place} does not say its {what}", source.display())).hint(format!(
                "give it with {option}, or teach Daxle where it stands: [layout.identity] in daxle.toml"
            ))
        };
        let named = identity.name.as_deref().or(name).or(identity.title.as_deref());
        let name = named.ok_or_else(|| missing("name", "--name"))?.to_string();
        let version =
            identity.version.as_deref().or(version).ok_or_else(|| missing("version", "--version"))?.to_string();
        if name.is_empty() || name.chars().any(|c| c.is_control() || matches!(c, '/' | '\\' | '@')) {
            return Err(Trouble::new(format!("{name:?} cannot be a theme's short name"))
                .hint("a short name is a folder's name, without @"));
        }
        let mut all = Vec::new();
        for entry in theme.tree.entries() {
            all.extend_from_slice(entry.path.as_bytes());
            all.push(0);
            all.extend_from_slice(&entry.digest.0);
        }
        Ok(Release {
            name,
            version,
            title: identity.title.clone(),
            parent: identity.parent.clone(),
            requires: identity.requires.clone(),
            source: source.file_name().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default(),
            archive: archive.to_string(),
            inside: if source.is_dir() { None } else { theme.inside.clone() },
            files: theme.tree.entries().len(),
            bytes: theme.tree.entries().iter().map(|e| e.size).sum(),
            digest: Digest::of(&all).hex(),
        })
    }

    fn write_print(&self, release: &Release, print: &Print) -> Result<(), Trouble> {
        let list: Vec<PrintedFile> = print
            .files
            .iter()
            .map(|f| PrintedFile {
                path: f.path.clone(),
                digest: f.digest.hex(),
                stamp: f.stamp.clone(),
                lines: f.lines.len(),
            })
            .collect();
        let numbers: Vec<u8> = print.files.iter().flat_map(|f| &f.lines).flat_map(|n| n.to_le_bytes()).collect();
        let text =
            serde_json::to_vec(&list).map_err(|e| Trouble::new("could not write the index").why(e.to_string()))?;
        write_file(&self.print_path(release, "json"), &text)?;
        write_file(&self.print_path(release, "lines"), &numbers)
    }

    /// Takes releases out of stock, and packages that hold none any more.
    ///
    /// # Errors
    ///
    /// When the stock cannot be written.
    pub fn remove(&mut self, labels: &BTreeSet<String>) -> Result<Vec<Release>, Trouble> {
        let _lock = self.lock()?;
        self.releases = Stock::open(&self.dir)?.releases;
        let (gone, stay): (Vec<Release>, Vec<Release>) =
            self.releases.drain(..).partition(|r| labels.contains(&r.label()));
        self.releases = stay;
        self.save()?;
        for release in &gone {
            // What is left behind is no harm: the index no longer names it.
            if !self.releases.iter().any(|r| r.digest == release.digest) {
                let _ = fs::remove_file(self.print_path(release, "json"));
                let _ = fs::remove_file(self.print_path(release, "lines"));
            }
            if !self.releases.iter().any(|r| r.archive == release.archive) {
                let _ = fs::remove_file(self.archive(release));
            }
        }
        Ok(gone)
    }

    fn save(&mut self) -> Result<(), Trouble> {
        self.releases.sort_by_key(Release::order);
        let index =
            Index { format: FORMAT.into(), format_version: FORMAT_VERSION, releases: self.releases.clone() };
        let mut text = serde_json::to_vec_pretty(&index)
            .map_err(|e| Trouble::new("could not write the index").why(e.to_string()))?;
        text.push(b'\n');
        write_file(&self.dir.join("index.json"), &text)
    }

    /// Waits until no other Daxle changes the stock. The lock goes with the file.
    fn lock(&self) -> Result<File, Trouble> {
        fs::create_dir_all(&self.dir).map_err(|e| Trouble::io("make the stock", &self.dir, &e))?;
        let path = self.dir.join(".lock");
        let file = File::options().create(true).truncate(false).write(true).open(&path);
        let file = file.map_err(|e| Trouble::io("open", &path, &e))?;
        file.lock().map_err(|e| Trouble::io("lock", &path, &e))?;
        Ok(file)
    }
}

fn unreadable(error: daxle_core::theme::ReadError) -> Trouble {
    Trouble::new(error.to_string())
}

/// A folder's files, to be kept as an archive.
fn packed(tree: &FolderTree) -> Result<Vec<ZipEntry>, Trouble> {
    let entry = |(k, e): (usize, &daxle_core::theme::Entry)| {
        let bytes = tree.read(k).map_err(unreadable)?;
        Ok(ZipEntry { path: e.path.clone(), bytes, executable: false })
    };
    tree.entries().iter().enumerate().map(entry).collect()
}
