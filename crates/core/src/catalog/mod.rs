//! Gettext catalogs as a whole: read, brought up to a template, compiled, and checked.
//!
//! The merge of a carry works on bytes (`formats`); this is for the commands that need to know what a message says.
//! Sources: GNU gettext manual, "The Format of PO Files", "The Format of GNU MO Files", "Plural forms".

mod charset;
mod checks;
mod mo;
mod nearest;
mod placeholder;
mod plural;
mod po;
mod update;
mod write;

pub use charset::Charset;
pub use checks::{Misfit, Stats, misfits, stats};
pub use mo::{ByteOrder, MoFault, compile, read as read_mo};
pub use nearest::{Nearest, similarity};
pub use placeholder::{lost_placeholders, placeholders};
pub use plural::PluralRule;
pub use po::{Catalog, Fault, Message};
pub use update::{Reworded, Updated, update, with_missing};
pub(crate) use update::{changed_words, made_sure};
pub use write::write;
