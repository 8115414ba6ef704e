//! Onto the live site, and back.

use std::path::PathBuf;

use clap::Args;

use super::CarriedArgs;

/// Put the result of a carry where the site runs, in one step and with a way back
///
/// Refuses while decisions are open, when verify finds anything, and when the live theme is no longer the copy that the
/// carry started from. The old copy is kept beside the live folder, in .NAME.backups, with a journal.
#[derive(Debug, Args)]
pub(crate) struct PlaceArgs {
    #[command(flatten)]
    pub(crate) carried: CarriedArgs,
    /// The folder of the theme on the site
    #[arg(long, value_name = "LIVE")]
    pub(crate) at: PathBuf,
    /// Keep the old copy in this archive, in place of a folder
    #[arg(long, value_name = "ZIP")]
    pub(crate) backup_to: Option<PathBuf>,
    /// Place although something speaks against it
    #[arg(long)]
    pub(crate) anyway: bool,
    /// Tell what would happen, and change nothing
    #[arg(long)]
    pub(crate) dry_run: bool,
}

/// Go back to the copy of the theme that was live before
///
/// Again, it goes back one further. What is live now is kept as well.
#[derive(Debug, Args)]
pub(crate) struct RollbackArgs {
    /// The folder of the theme on the site
    #[arg(long, value_name = "LIVE")]
    pub(crate) at: PathBuf,
    /// Go back to this copy, as `daxle sweep` lists them
    #[arg(long, value_name = "COPY")]
    pub(crate) to: Option<String>,
    /// Tell what would happen, and change nothing
    #[arg(long)]
    pub(crate) dry_run: bool,
}

/// List old copies of the live theme, and remove them when told
#[derive(Debug, Args)]
pub(crate) struct SweepArgs {
    /// The folder of the theme on the site
    #[arg(long, value_name = "LIVE")]
    pub(crate) at: PathBuf,
    /// Remove these copies
    #[arg(long, value_name = "COPY")]
    pub(crate) remove: Vec<String>,
    /// Remove all copies but so many of the newest
    #[arg(long, value_name = "N", conflicts_with = "remove")]
    pub(crate) keep: Option<usize>,
    /// Tell what would happen, and change nothing
    #[arg(long)]
    pub(crate) dry_run: bool,
}
