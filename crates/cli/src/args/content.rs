//! Settings and catalogs.

use std::path::PathBuf;

use clap::{Args, Subcommand, ValueEnum};

use super::{Bounds, Sources};

/// Look after settings
#[derive(Debug, Args)]
pub(crate) struct SettingsArgs {
    #[command(subcommand)]
    pub(crate) what: SettingsCommand,
}

#[derive(Debug, Subcommand)]
pub(crate) enum SettingsCommand {
    /// List the values that differ from the vendor's defaults
    Show(ShowSettingsArgs),
    /// Carry the settings of one file into another, such as a child theme's
    ///
    /// The other file keeps its own writing. What has another type there, or is not allowed, is left out and listed.
    Move(MoveArgs),
}

/// What is shown of settings.
#[derive(Debug, Args)]
pub(crate) struct ShowSettingsArgs {
    #[command(flatten)]
    pub(crate) sources: Sources,
    /// The form
    #[arg(long = "as", value_name = "FORM", default_value = "table")]
    pub(crate) form: ShowAs,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum ShowAs {
    /// A table
    Table,
    /// JSON Merge Patch (RFC 7396)
    MergePatch,
    /// JSON Patch (RFC 6902)
    JsonPatch,
}

/// What is carried where.
#[derive(Debug, Args)]
pub(crate) struct MoveArgs {
    /// The settings file to take from
    #[arg(long, value_name = "FILE")]
    pub(crate) from: PathBuf,
    /// The vendor's file that it started from: only what differs is carried [default: everything is]
    #[arg(long, value_name = "OLD")]
    pub(crate) base: Option<PathBuf>,
    /// The settings file to carry into
    #[arg(long, value_name = "FILE")]
    pub(crate) to: PathBuf,
    /// What may be set there: a JSON Schema, or a file of defaults
    #[arg(long, value_name = "FILE")]
    pub(crate) allowed: Option<PathBuf>,
    /// File for the result [default: the file that is carried into]
    #[arg(long, value_name = "FILE")]
    pub(crate) out: Option<PathBuf>,
    /// Write over a file that is there
    #[arg(long)]
    pub(crate) replace: bool,
}

/// Look after translations (gettext PO, POT and MO)
#[derive(Debug, Args)]
pub(crate) struct CatalogArgs {
    #[command(subcommand)]
    pub(crate) what: CatalogCommand,
}

#[derive(Debug, Subcommand)]
pub(crate) enum CatalogCommand {
    /// Bring a site's catalog up to a release, message by message
    ///
    /// The site's wording wins where the site changed it, the vendor's where only the vendor did. With a template, new
    /// messages come in empty, reworded ones with the nearest old translation marked as fuzzy, and what is gone
    /// becomes obsolete.
    Sync(SyncArgs),
    /// Compile a catalog to MO
    Compile {
        /// The catalog
        file: PathBuf,
        /// File for the compiled catalog [default: beside it, as .mo]
        #[arg(long, value_name = "MO")]
        out: Option<PathBuf>,
        /// Write over an older one
        #[arg(long)]
        replace: bool,
    },
    /// Count what is translated, fuzzy, empty and the site's own, per language
    Stats {
        /// Catalogs, or themes with catalogs in them
        #[arg(required = true)]
        paths: Vec<PathBuf>,
        /// The catalog or theme that the site started from, to tell the site's own wording
        #[arg(long, value_name = "OLD")]
        base: Option<PathBuf>,
        #[command(flatten)]
        bounds: Bounds,
    },
}

/// The catalogs that are brought together.
#[derive(Debug, Args)]
#[command(group = clap::ArgGroup::new("new").args(["release", "pot"]).required(true).multiple(true))]
pub(crate) struct SyncArgs {
    /// The site's catalog
    #[arg(long, value_name = "MINE")]
    pub(crate) site: PathBuf,
    /// The vendor's catalog that the site started from
    #[arg(long, value_name = "OLD")]
    pub(crate) base: Option<PathBuf>,
    /// The new release's catalog
    #[arg(long, value_name = "NEW")]
    pub(crate) release: Option<PathBuf>,
    /// The new release's template
    #[arg(long = "template", value_name = "POT")]
    pub(crate) pot: Option<PathBuf>,
    /// File for the result [default: stdout]
    #[arg(long, value_name = "PO")]
    pub(crate) out: Option<PathBuf>,
    /// Write over an older result
    #[arg(long)]
    pub(crate) replace: bool,
}
