//! What can be typed. Help, man pages and completions all come from here.

mod carrying;
mod content;
mod placing;
mod settling;
mod shared;
mod themes;

use std::path::PathBuf;

use clap::{Args, Parser, Subcommand, ValueEnum};

pub(crate) use carrying::{
    CarryArgs, ForecastArgs, PackArgs, ReportArgs, SeparateArgs, SeparateForm, SurveyArgs, VerifyArgs,
};
pub(crate) use content::{
    CatalogArgs, CatalogCommand, MoveArgs, SettingsArgs, SettingsCommand, ShowAs, ShowSettingsArgs, SyncArgs,
};
pub(crate) use placing::{PlaceArgs, RollbackArgs, SweepArgs};
pub(crate) use settling::{CarriedArgs, MemoryArgs, SettleArgs, TakeSide};
pub(crate) use shared::{Bounds, LeaveSide, Links, Merging, ReleaseSource, Sources, TrustLevel};
pub(crate) use themes::{ChildArgs, ChildCommand, NewChildArgs, StockArgs, StockCommand};

const AFTER: &str = "\
Exit codes:
  0  done, and nothing is open
  1  done, but decisions are open or a check found something
  2  could not do it; nothing was written

Start with `daxle demo`: it writes a sample site and runs the whole path on it.";

/// Carry a site's theme changes into the vendor's next release
#[derive(Debug, Parser)]
#[command(name = "daxle", version, about, after_help = AFTER, max_term_width = 100)]
pub(crate) struct Cli {
    #[command(flatten)]
    pub(crate) global: Global,
    #[command(subcommand)]
    pub(crate) command: Command,
}

/// Options of every command.
#[derive(Debug, Clone, Args)]
#[command(next_help_heading = "Everywhere")]
pub(crate) struct Global {
    /// Write the result as text or as JSON
    #[arg(long, global = true, value_name = "FORMAT", default_value = "text")]
    pub(crate) format: Format,
    /// Use colours
    #[arg(long, global = true, value_name = "WHEN", default_value = "auto")]
    pub(crate) color: When,
    /// Say nothing but results and errors
    #[arg(long, short, global = true)]
    pub(crate) quiet: bool,
    /// Tell what is being done (can be repeated)
    #[arg(long, short, global = true, action = clap::ArgAction::Count)]
    pub(crate) verbose: u8,
    /// Work with so many threads [default: one per processor]
    #[arg(long, global = true, value_name = "N", value_parser = clap::value_parser!(usize))]
    pub(crate) threads: Option<usize>,
    /// Read the layout from this file [default: the nearest daxle.toml upwards]
    #[arg(long, global = true, value_name = "FILE")]
    pub(crate) config: Option<PathBuf>,
    /// Where the stock of releases is [default: as daxle.toml says, else in the user's data folder]
    #[arg(long, global = true, value_name = "DIR", hide_short_help = true)]
    pub(crate) stock: Option<PathBuf>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum Format {
    Text,
    Json,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum When {
    Auto,
    Always,
    Never,
}

#[derive(Debug, Subcommand)]
pub(crate) enum Command {
    Demo(DemoArgs),
    Survey(SurveyArgs),
    Separate(SeparateArgs),
    Forecast(ForecastArgs),
    Carry(CarryArgs),
    Settle(SettleArgs),
    Verify(VerifyArgs),
    Report(ReportArgs),
    Pack(PackArgs),
    Place(PlaceArgs),
    Rollback(RollbackArgs),
    Sweep(SweepArgs),
    Stock(StockArgs),
    Child(ChildArgs),
    Settings(SettingsArgs),
    Catalog(CatalogArgs),
    Note(NoteArgs),
    Init(InitArgs),
    Generate(GenerateArgs),
}

/// Write a sample site and run the whole path on it
#[derive(Debug, Args)]
pub(crate) struct DemoArgs {
    /// Folder to write into; it must be empty or new [default: a temporary one]
    pub(crate) dir: Option<PathBuf>,
}

/// Say why the site made a change
///
/// The reason is kept beside the site, in daxle-notes.toml, and shown wherever the change is.
#[derive(Debug, Args)]
pub(crate) struct NoteArgs {
    /// Id of the change, or its beginning
    #[arg(required_unless_present = "list")]
    pub(crate) change: Option<String>,
    /// The reason; an empty one takes the note away
    pub(crate) why: Option<String>,
    /// All changes in this file, in place of an id: --path PATH "why"
    #[arg(long, value_name = "PATH")]
    pub(crate) path: Option<String>,
    /// List the notes
    #[arg(long)]
    pub(crate) list: bool,
    #[command(flatten)]
    pub(crate) sources: Sources,
}

/// Look at the themes and propose a daxle.toml
#[derive(Debug, Args)]
pub(crate) struct InitArgs {
    /// The site's copy of the theme
    #[arg(long)]
    pub(crate) site: Option<PathBuf>,
    /// A child theme of it
    #[arg(long)]
    pub(crate) child: Option<PathBuf>,
    /// Where to write [default: ./daxle.toml]
    #[arg(long, value_name = "FILE")]
    pub(crate) out: Option<PathBuf>,
    /// Write without asking
    #[arg(long, short)]
    pub(crate) yes: bool,
    #[command(flatten)]
    pub(crate) bounds: Bounds,
}

/// Write man pages or shell completions
#[derive(Debug, Args)]
pub(crate) struct GenerateArgs {
    #[command(subcommand)]
    pub(crate) what: Generate,
}

#[derive(Debug, Subcommand)]
pub(crate) enum Generate {
    /// Write a man page for every command
    Man {
        /// Folder to write into
        #[arg(long, value_name = "DIR")]
        into: PathBuf,
    },
    /// Print completions for a shell
    Completions {
        /// The shell
        shell: clap_complete::Shell,
    },
}
