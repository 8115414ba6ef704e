//! Packing files into a ZIP, the same bytes for the same files.

use std::io::{Cursor, Seek, Write};

use zip::write::SimpleFileOptions;
use zip::{CompressionMethod, DateTime, ZipWriter};

use crate::Trouble;

/// A file to be packed.
#[derive(Debug, Clone)]
pub struct ZipEntry {
    /// Path in the archive.
    pub path: String,
    /// The bytes.
    pub bytes: Vec<u8>,
    /// The file may be executed.
    pub executable: bool,
}

/// Packs files into a ZIP: sorted by path, without times, so that the same files give the same bytes.
///
/// # Errors
///
/// When the archive would be larger than the format can hold.
pub fn write_zip(mut entries: Vec<ZipEntry>) -> Result<Vec<u8>, Trouble> {
    entries.sort_by(|a, b| a.path.cmp(&b.path));
    let mut out = Cursor::new(Vec::new());
    pack(&entries, &mut out).map_err(|e| Trouble::new("could not pack the archive").why(e.to_string()))?;
    Ok(out.into_inner())
}

fn pack(entries: &[ZipEntry], out: &mut (impl Write + Seek)) -> zip::result::ZipResult<()> {
    let mut zip = ZipWriter::new(out);
    for entry in entries {
        let options = SimpleFileOptions::default()
            .compression_method(CompressionMethod::Deflated)
            .last_modified_time(DateTime::default())
            .unix_permissions(if entry.executable { 0o755 } else { 0o644 });
        zip.start_file(entry.path.as_str(), options)?;
        zip.write_all(&entry.bytes)?;
    }
    zip.finish()?;
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_same_files_give_the_same_bytes() {
        let entry = |path: &str| ZipEntry { path: path.into(), bytes: path.into(), executable: false };
        let (a, b) =
            (write_zip(vec![entry("a"), entry("b")]).unwrap(), write_zip(vec![entry("b"), entry("a")]).unwrap());
        assert_eq!(a, b);
    }
}
