//! What can be typed. Help, man pages and completions all come from here.

use std::path::PathBuf;

use clap::{Args, Parser, Subcommand, ValueEnum};
use daxle_files::{Limits, LinkRule};

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

/// List every change that the site made
///
/// Compares the site's copy with the release it started from, file by file. Each change gets an id that depends
/// only on its path and content.
#[derive(Debug, Args)]
pub(crate) struct SurveyArgs {
    #[command(flatten)]
    pub(crate) sources: Sources,
    /// Print the changes themselves, as unified diffs
    #[arg(long)]
    pub(crate) show: bool,
    /// List only what the site changed after a carry, by its account
    #[arg(long, value_name = "ACCOUNT", conflicts_with = "base")]
    pub(crate) since: Option<PathBuf>,
}

/// Take the site's changes out of the vendor's theme, into a form that lives on its own
///
/// A change set holds unified diffs that any patch program applies to the base, and added files. An overlay holds the
/// files that differ. A child theme holds overrides, and only the rules, keys and entries that the site changed; what a
/// child cannot express is left as a change set beside it. `daxle verify DIR` proves any of the three.
#[derive(Debug, Args)]
pub(crate) struct SeparateArgs {
    #[command(flatten)]
    pub(crate) sources: Sources,
    /// Folder to write into; it must be new or empty
    #[arg(long, value_name = "DIR")]
    pub(crate) into: PathBuf,
    /// The form
    #[arg(long = "as", value_name = "FORM")]
    pub(crate) form: SeparateForm,
    /// Short name of the child theme [default: that of the parent, with -child]
    #[arg(long, value_name = "NAME")]
    pub(crate) name: Option<String>,
    /// Say in the child's styles what each value was
    #[arg(long)]
    pub(crate) explain: bool,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum SeparateForm {
    /// A change set
    Changes,
    /// The files that differ
    Overlay,
    /// A child theme
    Child,
}

/// Tell what a new release would do to the site's changes, and write nothing
#[derive(Debug, Args)]
pub(crate) struct ForecastArgs {
    #[command(flatten)]
    pub(crate) sources: Sources,
    #[command(flatten)]
    pub(crate) release: ReleaseSource,
    #[command(flatten)]
    pub(crate) merging: Merging,
}

/// Carry the site's changes into a new release
///
/// The result is the new release with the site's changes in it. Beside it stands the account: what became of
/// every change. Base, site and release may be folders, .zip or .tar.gz archives, a vendor's whole package, or
/// three single files.
#[derive(Debug, Args)]
pub(crate) struct CarryArgs {
    #[command(flatten)]
    pub(crate) sources: Sources,
    /// The vendor's new release: a path, or a version in stock; for a child theme also NAME@VERSION, of companions too
    #[arg(long, value_name = "NEW", required = true)]
    pub(crate) release: Vec<PathBuf>,
    /// Carry this child theme along with the edited parent
    #[arg(long, value_name = "CHILD", hide_short_help = true)]
    pub(crate) child: Vec<PathBuf>,
    /// Leave out overrides of a child theme that equal a vendor's file
    #[arg(long, hide_short_help = true)]
    pub(crate) prune: bool,
    /// Step through releases in stock on the way: V1,V2, or `auto` for the way that asks least
    #[arg(long, value_name = "VERSIONS", value_delimiter = ',', hide_short_help = true)]
    pub(crate) through: Vec<String>,
    #[command(flatten)]
    pub(crate) merging: Merging,
    /// Folder for the result (a file, for three single files)
    #[arg(long, value_name = "DIR")]
    pub(crate) out: PathBuf,
    /// File for the account [default: DIR.account.json]
    #[arg(long, value_name = "FILE")]
    pub(crate) account: Option<PathBuf>,
    /// Swap an older result for the new one, in one step
    #[arg(long)]
    pub(crate) replace: bool,
    #[command(flatten)]
    pub(crate) memory: MemoryArgs,
    /// Ask everything, whatever was answered before
    #[arg(long, hide_short_help = true)]
    pub(crate) ask_again: bool,
}

/// Prove that every change is accounted for
///
/// Looks every change up in the result, independently of how the merge arrived there, and follows decisions that
/// were taken by editing the files.
#[derive(Debug, Args)]
pub(crate) struct VerifyArgs {
    #[command(flatten)]
    pub(crate) carried: CarriedArgs,
}

/// Write one page that shows every change, old and new side by side
///
/// The page is one file that loads nothing: it opens from disk, and can be sent to a client.
#[derive(Debug, Args)]
pub(crate) struct ReportArgs {
    #[command(flatten)]
    pub(crate) carried: CarriedArgs,
    /// File for the page
    #[arg(long, value_name = "HTML")]
    pub(crate) out: PathBuf,
    /// Write over an older page
    #[arg(long)]
    pub(crate) replace: bool,
}

/// Pack the result of a carry into a ZIP for upload
///
/// The top folder is named as the theme. The same result gives the same bytes.
#[derive(Debug, Args)]
pub(crate) struct PackArgs {
    #[command(flatten)]
    pub(crate) carried: CarriedArgs,
    /// File for the archive
    #[arg(long, value_name = "ZIP")]
    pub(crate) out: PathBuf,
    /// Write over an older archive
    #[arg(long)]
    pub(crate) replace: bool,
    /// Pack although decisions are open
    #[arg(long)]
    pub(crate) anyway: bool,
}

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
