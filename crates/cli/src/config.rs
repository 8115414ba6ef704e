//! The site's `daxle.toml`.

use std::path::{Path, PathBuf};

use daxle_core::theme::Layout;
use daxle_files::{Stock, Trouble};

use crate::args::Global;

/// The name of the configuration file.
pub(crate) const NAME: &str = "daxle.toml";

/// What a site's configuration says, and where it stands.
pub(crate) struct Config {
    pub(crate) layout: Layout,
    /// The folder of the configuration file, where there is one.
    pub(crate) folder: Option<PathBuf>,
    stock: Option<PathBuf>,
}

/// Reads the configuration from the given file, or from the nearest `daxle.toml` upwards from here; without one, the
/// layout is empty.
pub(crate) fn read(global: &Global) -> Result<Config, Trouble> {
    read_at(global, nearest(Path::new(".")))
}

/// The same for a command on a result: without a `daxle.toml` upwards from here, the nearest upwards from there counts.
pub(crate) fn read_for(global: &Global, result: &Path) -> Result<Config, Trouble> {
    read_at(global, nearest(Path::new(".")).or_else(|| nearest(result)))
}

fn read_at(global: &Global, nearest: Option<PathBuf>) -> Result<Config, Trouble> {
    let path = global.config.clone().or(nearest);
    let Some(path) = path else {
        return Ok(Config { layout: Layout::default(), folder: None, stock: global.stock.clone() });
    };
    let text = std::fs::read_to_string(&path).map_err(|e| {
        Trouble::io("read", &path, &e).hint("name the site's configuration with --config, or leave it out")
    })?;
    tracing::info!("layout from {}", path.display());
    let layout = Layout::parse(&text).map_err(|e| {
        Trouble::new(format!("{} has a mistake", path.display())).why(e.to_string()).hint("mend it there")
    })?;
    let folder = path.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new(".")).to_path_buf();
    let stock = global.stock.clone().or_else(|| layout.stock.as_ref().map(|s| folder.join(s)));
    Ok(Config { layout, folder: Some(folder), stock })
}

impl Config {
    /// Opens the stock: as the option or the configuration says, else in the user's data folder.
    pub(crate) fn stock(&self) -> Result<Stock, Trouble> {
        let dir = self.stock.clone().or_else(|| dirs::data_dir().map(|d| d.join("daxle").join("stock")));
        let dir = dir.ok_or_else(|| {
            Trouble::new("this user has no data folder for a stock").hint("name a folder with --stock")
        })?;
        Stock::open(&dir)
    }
}

fn nearest(from: &Path) -> Option<PathBuf> {
    let from = from.canonicalize().ok()?;
    from.ancestors().map(|folder| folder.join(NAME)).find(|path| path.is_file())
}
