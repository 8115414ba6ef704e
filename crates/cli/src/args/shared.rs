//! What several commands take: themes, bounds, and how to merge.

use std::path::PathBuf;

use clap::{Args, ValueEnum};
use daxle_files::{Limits, LinkRule};

/// Base and site.
#[derive(Debug, Clone, Args)]
pub(crate) struct Sources {
    /// The untouched release that the site started from: a path, or a version in stock [default: found in stock]
    #[arg(long, value_name = "OLD")]
    pub(crate) base: Option<PathBuf>,
    /// The site's copy of the theme, or a change set that `daxle separate` made of it
    #[arg(long, visible_alias = "changes", value_name = "SITE")]
    pub(crate) site: PathBuf,
    /// Settings exported from the running site, whole or in part, in place of their file: FILE, or PATH=FILE
    #[arg(long, value_name = "FILE", hide_short_help = true)]
    pub(crate) settings: Vec<String>,
    /// Where in a package the theme is, when several fit
    #[arg(long, value_name = "PATH")]
    pub(crate) inside: Option<String>,
    /// Go on although the themes have different short names
    #[arg(long)]
    pub(crate) rename_ok: bool,
    #[command(flatten)]
    pub(crate) bounds: Bounds,
}

/// The new release.
#[derive(Debug, Clone, Args)]
pub(crate) struct ReleaseSource {
    /// The vendor's new release: a path, or a version in stock
    #[arg(long, value_name = "NEW")]
    pub(crate) release: PathBuf,
}

/// What may be read.
#[derive(Debug, Clone, Args)]
#[command(next_help_heading = "Bounds")]
pub(crate) struct Bounds {
    /// What to do with symbolic links in a theme
    #[arg(long, value_name = "RULE", default_value = "refuse", hide_short_help = true)]
    pub(crate) links: Links,
    /// Most files in one theme
    #[arg(long, value_name = "N", default_value_t = 100_000, hide_short_help = true)]
    pub(crate) max_files: usize,
    /// Most mebibytes unpacked from one archive
    #[arg(long, value_name = "MIB", default_value_t = 8192, hide_short_help = true)]
    pub(crate) max_unpacked: u64,
    /// Most archives that lie one in another
    #[arg(long, value_name = "N", default_value_t = 3, hide_short_help = true)]
    pub(crate) max_nesting: usize,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum Links {
    /// Stop with an error
    Refuse,
    /// Leave them out
    Skip,
    /// Carry those that stay in the theme, as links
    Keep,
}

impl Bounds {
    /// The rule for links, as the files' side has it.
    pub(crate) fn link_rule(&self) -> LinkRule {
        match self.links {
            Links::Refuse => LinkRule::Refuse,
            Links::Skip => LinkRule::Skip,
            Links::Keep => LinkRule::Keep,
        }
    }

    /// The bounds, as the files' side has them.
    pub(crate) fn limits(&self) -> Limits {
        Limits {
            files: self.max_files,
            bytes: self.max_unpacked.saturating_mul(1 << 20),
            nesting: self.max_nesting,
        }
    }
}

/// How the merge goes about it.
#[derive(Debug, Clone, Args)]
#[command(next_help_heading = "Merging")]
pub(crate) struct Merging {
    /// How much to merge without asking
    #[arg(long, value_name = "LEVEL", default_value = "normal")]
    pub(crate) trust: TrustLevel,
    /// What stands at an open spot
    #[arg(long, value_name = "SIDE", default_value = "markers")]
    pub(crate) leave: LeaveSide,
    /// Keep the site's white space where it reformatted whole files
    #[arg(long)]
    pub(crate) keep_blanks: bool,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum TrustLevel {
    /// Only what a plain line merge would do
    Strict,
    /// What the words on both sides determine
    Normal,
    /// Also what is merely likely
    Bold,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum LeaveSide {
    /// Three-part conflict markers, where the format can hold them
    Markers,
    /// The site's side
    Site,
    /// The release's side
    Release,
}
