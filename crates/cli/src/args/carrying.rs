//! From a site to its changes, and with them into a release.

use std::path::PathBuf;

use clap::{Args, ValueEnum};

use super::{CarriedArgs, MemoryArgs, Merging, ReleaseSource, Sources};

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
