//! Unpacking archives into a folder, within bounds.

use std::fs::{self, File};
use std::io::{self, Read, Write};
use std::path::Path;

use flate2::read::GzDecoder;

use crate::safe::Guard;
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

/// Unpacks an archive into a folder that exists.
pub(crate) fn unpack(
    archive: &Path,
    kind: ArchiveKind,
    into: &Path,
    links: LinkRule,
    limits: Limits,
) -> Result<(), Trouble> {
    let mut guard = Guard::new(archive, limits);
    match kind {
        ArchiveKind::Zip => unzip(archive, into, links, &mut guard),
        ArchiveKind::TarGz => untar(archive, into, links, &mut guard),
    }
}

fn damaged(archive: &Path, why: impl Into<String>) -> Trouble {
    Trouble::new(format!("could not unpack {}", archive.display()))
        .why(why)
        .hint("the file may have been cut off: download it again and compare its size")
}

fn refuse_link(archive: &Path, name: &str) -> Trouble {
    Trouble::new(format!("could not unpack {}", archive.display()))
        .why(format!("{name:?} is a link"))
        .hint("leave links out with --links skip")
}

fn unzip(archive: &Path, into: &Path, links: LinkRule, guard: &mut Guard<'_>) -> Result<(), Trouble> {
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
            if links == LinkRule::Refuse {
                return Err(refuse_link(archive, &name));
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

fn untar(archive: &Path, into: &Path, links: LinkRule, guard: &mut Guard<'_>) -> Result<(), Trouble> {
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
            if links == LinkRule::Refuse {
                return Err(refuse_link(archive, &name));
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
