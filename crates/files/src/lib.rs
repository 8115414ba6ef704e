//! Themes on disk: folders, archives, vendor packages, and results that are built aside and moved into place.
//!
//! * [`open_theme`] takes a folder, a `.zip`, a `.tar.gz` or a vendor's whole package and finds the theme in it
//! * [`FolderTree`] is a theme in a folder, as the core sees it
//! * [`Building`] takes the files of a result and puts them in place in one step
//! * [`Live`] is a theme where the site runs: put in place in one step, with a way back
//! * [`Stock`] keeps untouched releases, with what is needed to compare them without unpacking
//! * [`write_zip`] packs files deterministically
//!
//! Archives and themes are hostile input: see [`Limits`] and the module `safe`.

mod archive;
mod building;
mod folder;
mod live;
mod open;
mod safe;
mod stock;
mod trouble;
mod zipper;

pub use archive::{ArchiveKind, archive_kind};
pub use building::{Building, Edit, edit_files, read_under, write_file};
pub use folder::{FolderTree, LinkRule};
pub use live::{Deed, JournalEntry, Live, OldCopy, Origin, Placed, Stage, copy_theme};
pub use open::{OpenOptions, Opened, open_all, open_theme};
pub use safe::{Limits, is_inside};
pub use stock::{Added, Release, Stock};
pub use trouble::Trouble;
pub use zipper::{ZipEntry, write_zip};
