//! What went wrong, to which file, why, and what to do.

use std::fmt;
use std::path::Path;

/// An error for a person: what was being done to which file, why it failed, and a way out.
#[derive(Debug, thiserror::Error)]
pub struct Trouble {
    what: String,
    why: Option<String>,
    hint: Option<String>,
}

impl Trouble {
    /// Says what could not be done.
    pub fn new(what: impl Into<String>) -> Self {
        Trouble { what: what.into(), why: None, hint: None }
    }

    /// Says what could not be done to a file because of an operating system's error.
    pub fn io(doing: &str, path: &Path, error: &std::io::Error) -> Self {
        let trouble = Trouble::new(format!("could not {doing} {}", path.display())).why(plain(error));
        match error.kind() {
            std::io::ErrorKind::PermissionDenied => trouble.hint("check who may read and write there"),
            std::io::ErrorKind::StorageFull | std::io::ErrorKind::QuotaExceeded => {
                trouble.hint("free some space on that disk, or name a place on another one; nothing was changed")
            }
            _ => trouble,
        }
    }

    /// Adds why.
    #[must_use]
    pub fn why(mut self, why: impl Into<String>) -> Self {
        self.why = Some(why.into());
        self
    }

    /// Adds a way out.
    #[must_use]
    pub fn hint(mut self, hint: impl Into<String>) -> Self {
        self.hint = Some(hint.into());
        self
    }

    /// Returns the way out.
    pub fn hinted(&self) -> Option<&str> {
        self.hint.as_deref()
    }
}

impl fmt::Display for Trouble {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.what)?;
        if let Some(why) = &self.why {
            write!(f, ": {why}")?;
        }
        Ok(())
    }
}

/// An operating system's error without its number.
fn plain(error: &std::io::Error) -> String {
    let text = error.to_string();
    text.split(" (os error").next().unwrap_or(&text).to_lowercase()
}
