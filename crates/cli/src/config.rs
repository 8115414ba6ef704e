//! The site's `daxle.toml`.

use std::path::{Path, PathBuf};

use daxle_core::theme::Layout;
use daxle_files::Trouble;

/// The name of the configuration file.
const NAME: &str = "daxle.toml";

/// Reads the layout from the given file, or from the nearest `daxle.toml` upwards from here; without one, the
/// layout is empty.
pub(crate) fn layout(given: Option<&Path>) -> Result<Layout, Trouble> {
    let path = match given {
        Some(path) => path.to_path_buf(),
        None => match nearest() {
            Some(path) => path,
            None => return Ok(Layout::default()),
        },
    };
    let text = std::fs::read_to_string(&path).map_err(|e| {
        Trouble::io("read", &path, &e).hint("name the site's configuration with --config, or leave it out")
    })?;
    tracing::info!("layout from {}", path.display());
    Layout::parse(&text).map_err(|e| {
        Trouble::new(format!("{} has a mistake", path.display())).why(e.to_string()).hint("mend it there")
    })
}

fn nearest() -> Option<PathBuf> {
    let here = std::env::current_dir().ok()?;
    here.ancestors().map(|folder| folder.join(NAME)).find(|path| path.is_file())
}
