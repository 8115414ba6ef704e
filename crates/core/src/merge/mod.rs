//! Three versions of one text: what each side did to the base, and both worked into one result.
//!
//! The merge thinks in operations on base items, not in chunks against chunks: every base line was kept,
//! changed or deleted by either side, and every gap between base lines had lines inserted by either side.
//! Operations of the two sides that do not clash are both done; what clashes is looked at more finely (words
//! within a line, attributes of a tag), and what clashes there is a question for a person.
//!
//! * [`align`]: which line of a side is which line of the base, blind to white space
//! * [`ops`]: edits broken into operations; which operations clash
//! * [`recut`]: lines that were only cut at other places
//! * [`lines`]: the walk over the base that does both sides' operations
//! * [`gaps`]: what happens when both sides inserted at one spot
//! * [`members`], [`cascade`]: members of a script, entries of a list, and rules and declarations of a style sheet
//! * [`tokens`]: the same table one level finer
//! * [`slots`]: what within a text is one value
//! * [`statements`]: many statements on one line, each merged as a line
//! * [`lists`]: entries that the sides put into a list on one line
//! * [`tags`], [`inline_style`]: attributes, classes, the declarations of a `style` attribute
//! * [`moves`]: following a stretch that one side moved
//! * [`space`]: white space and line ends, which are form and not content
//! * [`structure`]: where indentation is meaning, and blocks are held together by it alone
//! * [`hints`]: what may be the answer to a question
//! * [`enclosed`], [`islands`], [`placed`]: what each line of a result stands in, whichever side is taken
//! * [`second`]: a second opinion, where a merge to the letter ([`literal`]) leaves less to ask
//! * [`widened`]: questions whose answers would tear the text, widened until either side holds together
//! * [`balance`], [`brackets`], [`sums`]: counting words, brackets and tags before trusting a result
//! * [`fewest`]: as few questions as mend what such a check finds
//!
//! Sources: Khanna, Kunal and Pierce, "A Formal Investigation of Diff3" (FSTTCS 2007) for stable and unstable
//! stretches; the rest is laid out in the module docs.

mod align;
mod apart;
mod balance;
mod brackets;
mod cascade;
mod checked;
mod choices;
mod enclosed;
mod fewest;
mod gaps;
mod hints;
mod inline_style;
mod islands;
mod lines;
mod lists;
mod literal;
mod members;
mod moves;
mod ops;
mod out;
mod placed;
mod recut;
mod reformed;
mod respelled;

mod second;
mod slots;
mod space;
mod statements;
mod structure;
mod sums;
mod tags;
mod text;
mod tokens;
mod widened;

pub use align::line_edits;
pub use balance::{Balance, balance};
pub(crate) use ops::{ALIKE, changed_lines};
pub(crate) use structure::tear;
pub use text::merge_text;

use std::fmt;
use std::ops::Range;

use crate::text::Spelling;
use crate::text::key::Blanks;

/// How much the merge may take upon itself.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Default, serde::Serialize, serde::Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Trust {
    /// Only what a line merge with clean separation would do.
    Strict,
    /// What is determined by the words on both sides.
    #[default]
    Normal,
    /// Also what is merely likely: sibling insertions at one spot, look-alike moves, and one side's value where the
    /// other only spelled it anew.
    Bold,
}

/// What stands at an open spot in the result.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, serde::Serialize, serde::Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Leave {
    /// Three-part conflict markers, where the format can hold them; else the site's side.
    #[default]
    Markers,
    /// The site's side.
    Site,
    /// The release's side.
    Release,
}

/// What a merge needs to know about the language of a text.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Dialect {
    /// What white space means.
    pub blanks: Blanks,
    /// What is allowed when both sides insert at one spot.
    pub insertions: Insertions,
    /// Tags with attributes occur.
    pub markup: bool,
    /// Quoted strings are values: never merged within.
    pub strings: bool,
    /// A declaration (`name: value;`) is one slot.
    pub declarations: bool,
    /// Conflict markers may be written into the text.
    pub markers: bool,
    /// What one side changed is changed, although the other wrote the same value in another spelling. `merge_text` sets
    /// this by what its options trust.
    pub respelled: bool,
}

impl Dialect {
    /// Which words have several spellings: the values of styles, and numbers where code is all there is.
    pub fn spelling(&self) -> Spelling {
        match self.insertions {
            Insertions::Cascade => Spelling::Values,
            Insertions::Members if self.strings => Spelling::Numbers,
            _ => Spelling::One,
        }
    }
}

/// What two insertions at one spot are to each other, by language.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Insertions {
    /// Nothing is known: ask, except at the end of the file.
    #[default]
    Unknown,
    /// Rules in cascade order: the release's first, then the site's.
    Cascade,
    /// Named members: a set, in any order.
    Members,
    /// Elements of a page.
    Elements,
}

/// How a merge is to be done.
#[derive(Debug, Clone, Default)]
pub struct MergeOptions {
    /// How much may be done without asking.
    pub trust: Trust,
    /// What stands at an open spot.
    pub leave: Leave,
    /// Keep the site's white-space changes even where it reformatted the whole file.
    pub keep_blanks: bool,
    /// The release's version, for the marker's label.
    pub release_label: String,
    /// How settings are merged by key.
    pub settings: SettingsRules,
    /// Lines of the base whose changes by the site are questions, whatever comes out: what else is known speaks against
    /// doing them here. Merges by key know no lines.
    pub doubted: Vec<Range<usize>>,
}

/// How settings are merged by key.
#[derive(Debug, Clone, Default, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
#[serde(default)]
pub struct SettingsRules {
    /// Values that the site never changed stay at the base's, where the release has others.
    pub hold: bool,
    /// Keys that tell the items of a list apart, before `id`, `key`, `slug` and `name`.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub identity: Vec<String>,
    /// What the release allows as values, with the path that it came from: a JSON Schema, or its defaults.
    #[serde(skip)]
    pub allowed: Option<(String, Vec<u8>)>,
}

/// What became of a site change.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, serde::Serialize, serde::Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Outcome {
    /// It stands as it was.
    Kept,
    /// It was fitted to changed surroundings.
    Fitted,
    /// It was carried to where its surroundings moved.
    Moved,
    /// The release has it already.
    Already,
    /// A person must decide.
    Open,
    /// It was dropped by a recorded decision.
    Dropped,
}

impl Outcome {
    /// All outcomes, in the order in which they are shown.
    pub const ALL: [Outcome; 6] =
        [Outcome::Kept, Outcome::Fitted, Outcome::Moved, Outcome::Already, Outcome::Open, Outcome::Dropped];

    /// How much it asks of a person: where parts of a change came out differently, the gravest stands.
    pub(crate) fn gravity(self) -> u8 {
        match self {
            Outcome::Already => 0,
            Outcome::Kept => 1,
            Outcome::Fitted => 2,
            Outcome::Moved => 3,
            Outcome::Dropped => 4,
            Outcome::Open => 5,
        }
    }

    /// Returns the word for the outcome.
    pub fn word(self) -> &'static str {
        match self {
            Outcome::Kept => "kept",
            Outcome::Fitted => "fitted",
            Outcome::Moved => "moved",
            Outcome::Already => "already",
            Outcome::Open => "open",
            Outcome::Dropped => "dropped",
        }
    }
}

impl fmt::Display for Outcome {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(self.word())
    }
}

/// An automatic step beyond plain lines, so that a person can look at just those.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, serde::Serialize, serde::Deserialize)]
#[serde(rename_all = "snake_case")]
#[non_exhaustive]
pub enum Step {
    /// Beside a line that the release changed; their words do not touch.
    Neighbour,
    /// Merged word by word within a line or tag that the release changed too.
    Words,
    /// Re-indented or given other line ends, as the release is written.
    Space,
    /// The release changed nothing here but how the lines are written; what the site did is done.
    Form,
    /// Both sides inserted at one spot; the release's lines come first.
    BothInserted,
    /// Both sides inserted at one spot, and one insertion contains the other.
    Contains,
    /// Both sides deleted here.
    BothDeleted,
    /// Carried behind the opening of head or body, or before its end.
    Snippet,
    /// The release moved the stretch; the change was made at its new place.
    Moved,
    /// The site moved the stretch; the release's change was made at its new place.
    SiteMoved,
    /// The release moved the stretch into another file.
    MovedAcross,
    /// The release renamed the file.
    Renamed,
    /// The site reformatted the file; the release's form stays.
    ReleaseForm,
    /// Merged by key or entry of the file's own format.
    ByKey,
    /// The value went to the key's new name in the release.
    RenamedKey,
    /// The value was written as the type that the release has.
    Retyped,
    /// A language that only the site has was brought up to the release's template.
    Template,
    /// Compiled from the catalog beside it.
    Compiled,
    /// A version stamp: the release's, as nothing in the file is open.
    Stamp,
}

impl Step {
    /// Returns what was done, as the end of "the change was …".
    pub fn reason(self) -> &'static str {
        match self {
            Step::Neighbour => "next to a line that the release changed",
            Step::Words => "merged word by word",
            Step::Space => "re-indented as the release is written",
            Step::Form => "the release only wrote it in another form",
            Step::BothInserted => "both inserted here: release first, then site",
            Step::Contains => "both inserted here, one contains the other",
            Step::BothDeleted => "both deleted here",
            Step::Snippet => "snippet kept at its place in the page",
            Step::Moved => "followed to where the release moved the stretch",
            Step::SiteMoved => "the release's change followed the site's move",
            Step::MovedAcross => "followed into another file",
            Step::Renamed => "followed the renamed file",
            Step::ReleaseForm => "form only: as the release is written",
            Step::ByKey => "merged by key",
            Step::RenamedKey => "the release renamed the key",
            Step::Retyped => "written as the type that the release has",
            Step::Template => "brought up to the release's template",
            Step::Compiled => "compiled from the catalog beside it",
            Step::Stamp => "version stamp: the release's",
        }
    }
}

/// Why a person is asked.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, serde::Serialize, serde::Deserialize)]
#[serde(rename_all = "snake_case")]
#[non_exhaustive]
pub enum Reason {
    /// Both changed the same words.
    BothChanged,
    /// The site changed what the release deleted.
    ReleaseDeleted,
    /// The site deleted what the release changed.
    SiteDeleted,
    /// Both inserted at one spot and the order is open.
    BothInserted,
    /// Both put in the same, or members of one name, at two places.
    PutTwice,
    /// It opens what the change in another question closes, or closes what that opens.
    Paired,
    /// The surroundings of an insertion were rewritten, so its place is open.
    PlaceOpen,
    /// Two ways to line the files up disagree about the place.
    Doubtful,
    /// With both changes done the brackets or tags would not balance.
    Unbalanced,
    /// Both replaced the file.
    BothReplaced,
    /// Both added a file of this name.
    BothAdded,
    /// Both gave the file another name, or the site's name is taken in the release.
    BothRenamed,
    /// The result could not be read in its own format.
    NotValid,
    /// The value has another type, or is no longer allowed, in the release.
    Retyped,
    /// The release dropped the key; where the value goes is open.
    KeyGone,
    /// The language counts by another rule in the release.
    PluralRule,
}

impl Reason {
    /// Returns the reason in a few words.
    pub fn words(self) -> &'static str {
        match self {
            Reason::BothChanged => "both changed the same words",
            Reason::ReleaseDeleted => "the site changed what the release deleted",
            Reason::SiteDeleted => "the site deleted what the release changed",
            Reason::BothInserted => "both inserted here, the order is open",
            Reason::PutTwice => "the release put in the same, or another of that name, elsewhere",
            Reason::Paired => "it opens or closes what another question of the file closes or opens",
            Reason::PlaceOpen => "the release rewrote the surroundings, the place is open",
            Reason::Doubtful => "there are two equally good places",
            Reason::Unbalanced => "with both changes, brackets or tags would not balance",
            Reason::BothReplaced => "both replaced the file",
            Reason::BothAdded => "both added a file of this name",
            Reason::BothRenamed => "the site's name for the file does not fit the release",
            Reason::NotValid => "the merged file would not be valid",
            Reason::Retyped => "the release changed the type of the value",
            Reason::KeyGone => "the release dropped what the site changed",
            Reason::PluralRule => "the language's plural rule is another one in the release",
        }
    }
}

/// The fate of one site edit in a merge.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct EditFate {
    /// Lines of the base that the edit replaced.
    pub base: Range<usize>,
    /// Lines of the site that it put there.
    pub site: Range<usize>,
    /// The matching lines of the release.
    pub release: Range<usize>,
    /// Where it stands in the result.
    pub result: Range<usize>,
    /// What became of it.
    pub outcome: Outcome,
    /// What was done beyond plain lines.
    pub step: Option<Step>,
}

/// A question for a person about one stretch of a text.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TextDecision {
    /// Why it is asked.
    pub reason: Reason,
    /// Lines of the base.
    pub base: Range<usize>,
    /// Lines of the site.
    pub site: Range<usize>,
    /// Lines of the release.
    pub release: Range<usize>,
    /// The lines in the result that stand at the open spot, markers included.
    pub result: Range<usize>,
    /// The site edits (indices into [`TextMerge::edits`]) that hang on it.
    pub edits: Vec<usize>,
    /// The site edits of the question that it goes with: what one opens the other closes.
    pub with: Vec<usize>,
    /// The base's text.
    pub base_text: Vec<u8>,
    /// The site's text.
    pub site_text: Vec<u8>,
    /// The release's text.
    pub release_text: Vec<u8>,
    /// What may be the answer.
    pub hint: Option<String>,
}

/// The result of merging three versions of a text.
#[derive(Debug, Clone, Default)]
pub struct TextMerge {
    /// The merged file.
    pub bytes: Vec<u8>,
    /// The fate of every site edit, in file order.
    pub edits: Vec<EditFate>,
    /// What a person must decide, in file order.
    pub decisions: Vec<TextDecision>,
    /// How many lines the site changed in white space only.
    pub space_lines: usize,
    /// Whether those follow the release's form (the site reformatted the file).
    pub space_follows_release: bool,
    /// The format is merged by key, but these files have what it cannot hold: they were merged line by line.
    pub by_lines: bool,
}
