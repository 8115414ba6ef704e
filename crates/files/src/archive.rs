//! Unpacking archives into a folder, within bounds.

use std::fs::{self, File};
use std::io::{self, Read, Write};
use std::path::Path;

use flate2::read::GzDecoder;

use crate::folder::make_link;
use crate::safe::{Guard, link_fault};
use crate::{Limits, LinkRule, Trouble};

/// The archives that are read.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ArchiveKind {
    /// ZIP (APPNOTE.TXT).
    Zip,
    /// A TAR compressed with gzip.
    TarGz,
}

/// Tells whether a file is an archive, by its first bytes.
pub fn archive_kind(path: &Path) -> Option<ArchiveKind> {
    let mut head = [0; 4];
    let n = File::open(path).ok()?.read(&mut head).ok()?;
    let named = |ends: &[&str]| {
        let name = path.file_name().map(|n| n.to_string_lossy().to_ascii_lowercase()).unwrap_or_default();
        ends.iter().any(|e| name.ends_with(e))
    };
    match &head[..n] {
        [b'P', b'K', 3 | 5 | 7, _] => Some(ArchiveKind::Zip),
        [0x1F, 0x8B, ..] => Some(ArchiveKind::TarGz),
        // Damaged at the front, but meant as one: the reader will say what is wrong.
        _ if named(&[".zip"]) => Some(ArchiveKind::Zip),
        _ if named(&[".tar.gz", ".tgz"]) => Some(ArchiveKind::TarGz),
        _ => None,
    }
}

/// Unpacks an archive into a folder that exists; returns how many bytes came out.
pub(crate) fn unpack(
    archive: &Path,
    kind: ArchiveKind,
    into: &Path,
    links: LinkRule,
    limits: Limits,
) -> Result<u64, Trouble> {
    let mut guard = Guard::new(archive, limits);
    let mut kept = Vec::new();
    match kind {
        ArchiveKind::Zip => unzip(archive, into, links, &mut guard, &mut kept)?,
        ArchiveKind::TarGz => untar(archive, into, links, &mut guard, &mut kept)?,
    }
    // Only now, so that nothing was written through a link.
    for Link { name, target } in kept {
        if let Some(why) = link_fault(&name, &target) {
            return Err(refuse_link(archive, &format!("{name:?} is a link to {target:?}: {why}")));
        }
        let at = into.join(&name);
        let made = at.parent().map_or(Ok(()), fs::create_dir_all).and_then(|()| make_link(&target, &at));
        made.map_err(|e| Trouble::io("unpack into", &at, &e))?;
    }
    Ok(guard.unpacked())
}

/// A link that is to be kept.
struct Link {
    name: String,
    target: String,
}

/// Longer targets are no names of files.
const TARGET: u64 = 4096;

/// Unpacks an archive that Daxle packed itself.
pub(crate) fn unpack_folder(archive: &Path) -> Result<tempfile::TempDir, Trouble> {
    let dir = tempfile::tempdir().map_err(|e| Trouble::io("make a folder in", &std::env::temp_dir(), &e))?;
    unpack(archive, ArchiveKind::Zip, dir.path(), LinkRule::Refuse, Limits::default())?;
    Ok(dir)
}

fn damaged(archive: &Path, why: impl Into<String>) -> Trouble {
    Trouble::new(format!("could not unpack {}", archive.display()))
        .why(why)
        .hint("the file may have been cut off: download it again and compare its size")
}

fn refuse_link(archive: &Path, why: &str) -> Trouble {
    Trouble::new(format!("could not unpack {}", archive.display()))
        .why(why)
        .hint("keep links that stay in the theme with --links keep, or leave them out with --links skip")
}

fn unzip(
    archive: &Path,
    into: &Path,
    links: LinkRule,
    guard: &mut Guard<'_>,
    kept: &mut Vec<Link>,
) -> Result<(), Trouble> {
    let file = File::open(archive).map_err(|e| Trouble::io("open", archive, &e))?;
    let mut zip = zip::ZipArchive::new(io::BufReader::new(file))
        .map_err(|e| damaged(archive, format!("it is no whole ZIP archive ({e})")))?;
    for k in 0..zip.len() {
        let mut entry = match zip.by_index(k) {
            Ok(entry) => entry,
            Err(zip::result::ZipError::UnsupportedArchive(why)) if why.contains("assword") => {
                return Err(Trouble::new(format!("could not unpack {}", archive.display()))
                    .why("it is encrypted")
                    .hint("unpack it with its password first, and name the folder"));
            }
            Err(e) => return Err(damaged(archive, e.to_string())),
        };
        let name = String::from_utf8(entry.name_raw().to_vec())
            .unwrap_or_else(|e| String::from_utf8_lossy(e.as_bytes()).into_owned());
        let mode = entry.unix_mode();
        if mode.is_some_and(|m| m & 0o170_000 == 0o120_000) {
            match links {
                LinkRule::Refuse => return Err(refuse_link(archive, &format!("{name:?} is a link"))),
                LinkRule::Skip => {}
                LinkRule::Keep => {
                    guard.admit(&name)?;
                    let mut target = String::new();
                    entry
                        .take(TARGET)
                        .read_to_string(&mut target)
                        .map_err(|e| damaged(archive, format!("the link {name:?} cannot be read ({e})")))?;
                    kept.push(Link { name, target });
                }
            }
            continue;
        }
        if name.ends_with('/') {
            continue;
        }
        guard.admit(&name)?;
        write_entry(archive, &mut entry, &into.join(&name), mode, guard)?;
    }
    Ok(())
}

fn untar(
    archive: &Path,
    into: &Path,
    links: LinkRule,
    guard: &mut Guard<'_>,
    kept: &mut Vec<Link>,
) -> Result<(), Trouble> {
    let file = File::open(archive).map_err(|e| Trouble::io("open", archive, &e))?;
    let mut tar = tar::Archive::new(GzDecoder::new(io::BufReader::new(file)));
    let wrong = |e: io::Error| damaged(archive, format!("it is no whole TAR.GZ archive ({e})"));
    for entry in tar.entries().map_err(wrong)? {
        let mut entry = entry.map_err(wrong)?;
        let kind = entry.header().entry_type();
        let path = entry.path_bytes().into_owned();
        let name = String::from_utf8(path)
            .map_err(|e| damaged(archive, format!("a name in it is not UTF-8 ({})", e.utf8_error())))?;
        let name = name.strip_prefix("./").unwrap_or(&name).to_string();
        if kind.is_dir() || kind.is_pax_global_extensions() || kind.is_pax_local_extensions() {
            continue;
        }
        if kind.is_symlink() || kind.is_hard_link() {
            match links {
                LinkRule::Refuse => return Err(refuse_link(archive, &format!("{name:?} is a link"))),
                LinkRule::Skip => {}
                // A hard link is another name of a file: no link that a theme could carry.
                LinkRule::Keep if kind.is_hard_link() => {
                    return Err(refuse_link(archive, &format!("{name:?} is a hard link")));
                }
                LinkRule::Keep => {
                    guard.admit(&name)?;
                    let target = entry.link_name_bytes().and_then(|t| String::from_utf8(t.into_owned()).ok());
                    let target =
                        target.ok_or_else(|| damaged(archive, format!("the link {name:?} cannot be read")))?;
                    kept.push(Link { name, target });
                }
            }
            continue;
        }
        if !kind.is_file() {
            return Err(Trouble::new(format!("could not unpack {}", archive.display()))
                .why(format!("{name:?} is neither a file nor a folder"))
                .hint("the archive may be made to do harm: get it again from the vendor"));
        }
        guard.admit(&name)?;
        let mode = entry.header().mode().ok();
        write_entry(archive, &mut entry, &into.join(&name), mode, guard)?;
    }
    Ok(())
}

fn write_entry(
    archive: &Path,
    from: &mut dyn Read,
    to: &Path,
    mode: Option<u32>,
    guard: &mut Guard<'_>,
) -> Result<(), Trouble> {
    let failed = |e: io::Error| match e.kind() {
        io::ErrorKind::InvalidData
        | io::ErrorKind::InvalidInput
        | io::ErrorKind::UnexpectedEof
        | io::ErrorKind::Other => damaged(archive, e.to_string()),
        _ => Trouble::io("unpack into", to, &e),
    };
    if let Some(parent) = to.parent() {
        fs::create_dir_all(parent).map_err(failed)?;
    }
    let mut file = File::create_new(to).map_err(failed)?;
    // One byte more than there is room for, so that too much is noticed without being written.
    let copied = io::copy(&mut from.take(guard.room().saturating_add(1)), &mut file).map_err(failed)?;
    guard.took(copied)?;
    file.flush().map_err(failed)?;
    set_mode(to, mode).map_err(failed)
}

#[cfg(unix)]
fn set_mode(path: &Path, mode: Option<u32>) -> io::Result<()> {
    use std::os::unix::fs::PermissionsExt;
    let Some(mode) = mode else { return Ok(()) };
    // Readable by its owner whatever the archive says; no set-id bits.
    fs::set_permissions(path, fs::Permissions::from_mode(mode & 0o777 | 0o600))
}

#[cfg(not(unix))]
fn set_mode(_path: &Path, _mode: Option<u32>) -> io::Result<()> {
    Ok(())
}
