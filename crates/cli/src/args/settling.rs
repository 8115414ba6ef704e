//! Answers to open decisions, and results of a carry.

use std::path::PathBuf;

use clap::{Args, ValueEnum};

use super::Bounds;

/// Answer what a carry left open
///
/// On a terminal, and without an answer given, decisions are shown one by one with both sides. Every answer is saved
/// at once, and remembered for the next carry.
#[derive(Debug, Args)]
pub(crate) struct SettleArgs {
    #[command(flatten)]
    pub(crate) carried: CarriedArgs,
    /// Take this side
    #[arg(long, value_name = "SIDE", conflicts_with_all = ["text", "text_from", "answers", "reopen"])]
    pub(crate) take: Option<TakeSide>,
    /// Put this text in
    #[arg(long, value_name = "TEXT", requires = "id", conflicts_with_all = ["text_from", "answers", "reopen"])]
    pub(crate) text: Option<String>,
    /// Put the text of this file in
    #[arg(long, value_name = "FILE", requires = "id", conflicts_with_all = ["answers", "reopen"])]
    pub(crate) text_from: Option<PathBuf>,
    /// Take answers from a file: ids or globs of paths, each with its answer
    #[arg(long, value_name = "FILE", conflicts_with = "reopen")]
    pub(crate) answers: Option<PathBuf>,
    /// Take answers back, and forget them
    #[arg(long)]
    pub(crate) reopen: bool,
    /// Decisions in these files
    #[arg(long, value_name = "GLOB")]
    pub(crate) path: Vec<String>,
    /// These decisions, by their ids or how they begin
    #[arg(long, value_name = "ID")]
    pub(crate) id: Vec<String>,
    /// All decisions
    #[arg(long, conflicts_with_all = ["path", "id"])]
    pub(crate) all: bool,
    /// List the open decisions, with --all also those that are settled
    #[arg(long, conflicts_with_all = ["take", "text", "text_from", "answers", "reopen"])]
    pub(crate) list: bool,
    #[command(flatten)]
    pub(crate) memory: MemoryArgs,
}

/// Where answers are remembered.
#[derive(Debug, Clone, Default, Args)]
pub(crate) struct MemoryArgs {
    /// Where answers are remembered [default: daxle-decisions.toml beside daxle.toml, or beside the site]
    #[arg(long, value_name = "FILE", hide_short_help = true)]
    pub(crate) decisions: Option<PathBuf>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum TakeSide {
    /// What the site has
    Site,
    /// What the release has
    Release,
    /// Both, the release's first
    Both,
    /// Both, the site's first
    BothSiteFirst,
}

/// The result of a carry.
#[derive(Debug, Args)]
pub(crate) struct CarriedArgs {
    /// The result of a carry
    pub(crate) dir: PathBuf,
    /// File of the account [default: DIR.account.json]
    #[arg(long, value_name = "FILE")]
    pub(crate) account: Option<PathBuf>,
    /// Where the base is now, if not where the account says
    #[arg(long, value_name = "PATH", hide_short_help = true)]
    pub(crate) base: Option<PathBuf>,
    /// Where the site theme is now, if not where the account says
    #[arg(long, value_name = "PATH", hide_short_help = true)]
    pub(crate) site: Option<PathBuf>,
    /// Where the release is now, if not where the account says
    #[arg(long, value_name = "PATH", hide_short_help = true)]
    pub(crate) release: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) bounds: Bounds,
}
