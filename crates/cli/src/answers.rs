//! Answers to decisions, kept beside the site for the next carry.

use std::path::{Path, PathBuf};

use daxle_core::carry::settle::memory::Memory;
use daxle_files::{Trouble, write_file};

use crate::args::MemoryArgs;
use crate::config::Config;

/// The name of the file.
const NAME: &str = "daxle-decisions.toml";

/// What is remembered, and where.
pub(crate) struct Answers {
    pub(crate) path: PathBuf,
    pub(crate) memory: Memory,
}

impl Answers {
    /// Reads what is remembered: where the user says, else beside the configuration or the site's folder. Nothing yet
    /// is no error.
    pub(crate) fn read(args: &MemoryArgs, config: &Config, site: &Path) -> Result<Self, Trouble> {
        let beside = || site.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new(".")).to_path_buf();
        let default = || config.folder.clone().unwrap_or_else(beside).join(NAME);
        let path = args.decisions.clone().unwrap_or_else(default);
        let memory = match std::fs::read_to_string(&path) {
            Ok(text) => parse(&path, &text)?,
            Err(e) if e.kind() == std::io::ErrorKind::NotFound => Memory::default(),
            Err(e) => return Err(Trouble::io("read the answers", &path, &e)),
        };
        Ok(Answers { path, memory })
    }

    /// Writes what is remembered.
    pub(crate) fn save(&self) -> Result<(), Trouble> {
        write_file(&self.path, self.memory.to_toml().as_bytes())
    }
}

/// Reads answers that somebody wrote into a file.
pub(crate) fn given(path: &Path) -> Result<Memory, Trouble> {
    let text = std::fs::read_to_string(path).map_err(|e| Trouble::io("read the answers", path, &e))?;
    parse(path, &text)
}

fn parse(path: &Path, text: &str) -> Result<Memory, Trouble> {
    Memory::parse(text).map_err(|e| {
        Trouble::new(format!("{} has a mistake", path.display())).why(e.to_string()).hint("mend it there")
    })
}
