//! The rules for hostile archives and folders.
//!
//! No path may leave its root, no two entries may be one file on some system, sizes and counts are bounded, and
//! nothing is ever executed.

use std::collections::HashMap;
use std::path::Path;

use unicode_normalization::UnicodeNormalization;

use crate::Trouble;

/// Bounds on what is read from an archive or a folder.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Limits {
    /// Most files in one theme.
    pub files: usize,
    /// Most bytes unpacked from one source.
    pub bytes: u64,
    /// How deep archives may lie in archives.
    pub nesting: usize,
}

impl Default for Limits {
    fn default() -> Self {
        Limits { files: 100_000, bytes: 8 << 30, nesting: 3 }
    }
}

/// Why a name in an archive is refused.
fn fault(name: &str) -> Option<&'static str> {
    let bytes = name.as_bytes();
    if name.is_empty() {
        return Some("it is empty");
    }
    if name.starts_with('/') || name.starts_with('\\') {
        return Some("it is absolute");
    }
    if bytes.len() >= 2 && bytes[0].is_ascii_alphabetic() && bytes[1] == b':' {
        return Some("it names a drive");
    }
    if name.contains('\\') {
        return Some("it has a backslash, which some systems take for a folder");
    }
    if name.chars().any(|c| c.is_control()) {
        return Some("it has control characters");
    }
    let body = name.strip_suffix('/').unwrap_or(name);
    if body.split('/').any(|part| part == "..") {
        return Some("it leads out of the archive");
    }
    if body.split('/').any(|part| part.is_empty() || part == ".") {
        return Some("it has empty parts");
    }
    if name.len() > 4096 || body.split('/').any(|part| part.len() > 255) {
        return Some("it is too long");
    }
    None
}

/// Tells whether a path, as an account names it, stays in the theme.
pub fn is_inside(path: &str) -> bool {
    let drive = path.as_bytes().get(1) == Some(&b':');
    !path.is_empty() && !path.starts_with(['/', '\\']) && !drive && path.split('/').all(|part| part != "..")
}

/// Why a link at `path` that leads to `target` is refused.
///
/// Only a target that climbs first and then goes down can be told to stay in the theme: behind a folder's name,
/// which may itself be a link, `..` may lead anywhere.
pub(crate) fn link_fault(path: &str, target: &str) -> Option<&'static str> {
    let parts: Vec<&str> = target.strip_suffix('/').unwrap_or(target).split('/').collect();
    let climbs = parts.iter().take_while(|p| **p == "..").count();
    let down = parts[climbs..].join("/");
    if climbs > path.matches('/').count() {
        return Some("that is outside of the theme");
    }
    if down.is_empty() && climbs > 0 { None } else { fault(&down) }
}

/// Checks names as they come, and keeps count.
#[derive(Debug)]
pub(crate) struct Guard<'a> {
    archive: &'a Path,
    limits: Limits,
    seen: HashMap<String, String>,
    bytes: u64,
}

impl<'a> Guard<'a> {
    pub(crate) fn new(archive: &'a Path, limits: Limits) -> Self {
        Guard { archive, limits, seen: HashMap::new(), bytes: 0 }
    }

    /// Admits a file's name, or says why not.
    pub(crate) fn admit(&mut self, name: &str) -> Result<(), Trouble> {
        let refuse = |why: String| {
            Trouble::new(format!("could not unpack {}", self.archive.display()))
                .why(why)
                .hint("the archive may be made to do harm: get it again from the vendor")
        };
        if let Some(why) = fault(name) {
            return Err(refuse(format!("the name {name:?} is refused, {why}")));
        }
        let form: String = name.nfc().flat_map(char::to_lowercase).collect();
        if let Some(other) = self.seen.insert(form, name.to_string()) {
            let how =
                if other == name { "stands twice".to_string() } else { format!("is {other:?} on some systems") };
            return Err(refuse(format!("the name {name:?} {how}")));
        }
        if self.seen.len() > self.limits.files {
            return Err(Trouble::new(format!("could not unpack {}", self.archive.display()))
                .why(format!("it holds more than {} files", self.limits.files))
                .hint("raise the limit with --max-files"));
        }
        Ok(())
    }

    /// Returns how many bytes were unpacked.
    pub(crate) fn unpacked(&self) -> u64 {
        self.bytes
    }

    /// Returns how many bytes may still be unpacked.
    pub(crate) fn room(&self) -> u64 {
        self.limits.bytes - self.bytes
    }

    /// Takes down unpacked bytes.
    pub(crate) fn took(&mut self, bytes: u64) -> Result<(), Trouble> {
        self.bytes = self.bytes.saturating_add(bytes);
        if self.bytes > self.limits.bytes {
            return Err(Trouble::new(format!("could not unpack {}", self.archive.display()))
                .why(format!("it unpacks to more than {} MiB", self.limits.bytes >> 20))
                .hint("raise the limit with --max-unpacked"));
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_that_lead_out_are_refused() {
        for name in ["/etc/x", "../x", "a/../../x", "c:x", "a\\b", "a//b", "./a", "a\nb", ""] {
            assert!(fault(name).is_some(), "{name:?}");
        }
        for name in ["a/b.css", "..a/b", "a/", "żółw.html"] {
            assert_eq!(fault(name), None, "{name:?}");
        }
    }

    #[test]
    fn links_stay_inside() {
        for (path, target) in [("a", "b"), ("x/y/a", "../../b/c.css"), ("x/a", ".."), ("x/a", "y/")] {
            assert_eq!(link_fault(path, target), None, "{path} to {target}");
        }
        for (path, target) in
            [("a", "/etc/passwd"), ("a", "../b"), ("x/a", "../../b"), ("x/a", "y/../z"), ("a", ""), ("a", "c:x")]
        {
            assert!(link_fault(path, target).is_some(), "{path} to {target}");
        }
    }

    #[test]
    fn names_that_collide_somewhere_are_refused() {
        let mut guard = Guard::new(Path::new("x.zip"), Limits::default());
        guard.admit("Logo.png").unwrap();
        assert!(guard.admit("logo.png").unwrap_err().to_string().contains("Logo.png"));
        guard.admit("caf\u{e9}").unwrap();
        assert!(guard.admit("cafe\u{301}").is_err(), "another Unicode form");
        let mut tight = Guard::new(Path::new("x.zip"), Limits { files: 1, bytes: 10, nesting: 1 });
        tight.admit("a").unwrap();
        assert!(tight.admit("b").is_err());
        assert!(tight.took(11).is_err());
    }
}
