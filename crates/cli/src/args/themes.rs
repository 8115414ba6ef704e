//! Releases in stock, and child themes.

use std::path::PathBuf;

use clap::{Args, Subcommand};

use super::Bounds;

/// Keep untouched releases, and find out which one a copy came from
#[derive(Debug, Args)]
pub(crate) struct StockArgs {
    #[command(subcommand)]
    pub(crate) what: StockCommand,
}

#[derive(Debug, Subcommand)]
pub(crate) enum StockCommand {
    /// Add releases: vendor packages as they come, or folders
    Add {
        /// Packages or folders
        #[arg(required = true, value_name = "FILE")]
        files: Vec<PathBuf>,
        /// Short name, for a theme that bears none
        #[arg(long)]
        name: Option<String>,
        /// Version, for a theme that bears none
        #[arg(long)]
        version: Option<String>,
        /// Where in the package the theme is; without it all themes in it are added
        #[arg(long, value_name = "PATH")]
        inside: Option<String>,
        #[command(flatten)]
        bounds: Bounds,
    },
    /// List the releases
    List,
    /// Show one theme's releases, or one release with its files
    Show {
        /// NAME, or NAME@VERSION
        release: String,
    },
    /// Rank the releases by how much of a site's copy they explain
    Match {
        /// The site's copy
        site: PathBuf,
        /// Show so many releases
        #[arg(long, value_name = "N", default_value_t = 10)]
        top: usize,
        #[command(flatten)]
        bounds: Bounds,
    },
    /// Take releases out
    Remove {
        /// NAME@VERSION
        #[arg(required = true, value_name = "NAME@VERSION")]
        releases: Vec<String>,
    },
}

/// Look after a child theme
#[derive(Debug, Args)]
pub(crate) struct ChildArgs {
    #[command(subcommand)]
    pub(crate) what: ChildCommand,
}

#[derive(Debug, Subcommand)]
pub(crate) enum ChildCommand {
    /// Begin a child theme
    ///
    /// Asks on a terminal for title, description and author where they were not given.
    New(Box<NewChildArgs>),
    /// Follow a parent that was renamed
    ///
    /// Shows every place where the child names its parent, and changes them when told.
    Repoint {
        /// The child theme's folder
        child: PathBuf,
        /// The parent's new release: a folder, an archive, or a short name with releases in stock
        #[arg(long, value_name = "NEW")]
        to: PathBuf,
        /// Change without asking
        #[arg(long, short)]
        yes: bool,
        #[command(flatten)]
        bounds: Bounds,
    },
    /// List every override with the release its text comes from, and what it needs
    ///
    /// The release is found by comparing with every release in stock, whatever the stamp says.
    Overrides {
        /// The child theme
        child: PathBuf,
        /// Compare with these releases [default: the newest in stock]
        #[arg(long, value_name = "VERSION")]
        release: Vec<PathBuf>,
        #[command(flatten)]
        bounds: Bounds,
    },
}

/// What a new child theme is made of.
#[derive(Debug, Args)]
pub(crate) struct NewChildArgs {
    /// The parent: a folder, an archive, or NAME@VERSION in stock
    #[arg(long, value_name = "THEME")]
    pub(crate) parent: PathBuf,
    /// Short name of the child: its folder's name
    #[arg(long)]
    pub(crate) name: String,
    /// Title that people see
    #[arg(long)]
    pub(crate) title: Option<String>,
    /// What it is
    #[arg(long)]
    pub(crate) description: Option<String>,
    /// Who made it
    #[arg(long)]
    pub(crate) author: Option<String>,
    /// The author's address
    #[arg(long, value_name = "URL")]
    pub(crate) author_address: Option<String>,
    /// The theme's address
    #[arg(long, value_name = "URL")]
    pub(crate) address: Option<String>,
    /// Its version
    #[arg(long, default_value = "1.0.0")]
    pub(crate) version: String,
    /// The licence: a name, or a file with its text
    #[arg(long, value_name = "NAME|FILE")]
    pub(crate) licence: Option<String>,
    /// A preview picture
    #[arg(long, value_name = "FILE")]
    pub(crate) preview: Option<PathBuf>,
    /// A credit for the footer
    #[arg(long, value_name = "TEXT")]
    pub(crate) credit: Option<String>,
    /// Where the credit leads
    #[arg(long, value_name = "URL", requires = "credit")]
    pub(crate) credit_link: Option<String>,
    /// A file with first style rules
    #[arg(long, value_name = "FILE")]
    pub(crate) styles: Option<PathBuf>,
    /// Folder that the child's folder goes into [default: the current one]
    #[arg(long, value_name = "DIR", conflicts_with = "zip")]
    pub(crate) into: Option<PathBuf>,
    /// Write a ZIP in place of a folder
    #[arg(long, value_name = "FILE")]
    pub(crate) zip: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) bounds: Bounds,
}
