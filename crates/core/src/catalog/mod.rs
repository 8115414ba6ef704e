//! Gettext catalogs as a whole: read, brought up to a template, compiled, and checked.
//!
//! The merge of a carry works on bytes (`formats`); this is for the commands that need to know what a message says.
//! Sources: GNU gettext manual, "The Format of PO Files", "The Format of GNU MO Files", "Plural forms".

mod placeholder;
mod po;

pub use placeholder::{lost_placeholders, placeholders};
pub use po::{Catalog, Fault, Message};
