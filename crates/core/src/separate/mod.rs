//! Taking the site's changes out of the vendor's theme, into a form that lives on its own: a change set, or a child
//! theme with what it cannot express beside it.

pub mod changeset;
pub mod child;
mod patch;
mod style;

pub use patch::{FilePatch, PatchError, apply, parse};
