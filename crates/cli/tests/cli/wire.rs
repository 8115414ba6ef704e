//! The JSON that programs read, read back with every field named: a field that is added or renamed without the
//! format's document fails here.

use serde::Deserialize;

use crate::env::{CARRY, Env, small};

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[expect(dead_code, reason = "reading them is the test")]
struct Theme {
    source: String,
    inside: Option<String>,
    title: Option<String>,
    name: Option<String>,
    version: Option<String>,
    files: usize,
    #[serde(default)]
    settings: Vec<StandIn>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[expect(dead_code, reason = "reading them is the test")]
struct StandIn {
    path: String,
    source: String,
}

#[derive(Debug, Deserialize, PartialEq, Clone, Copy)]
#[serde(deny_unknown_fields)]
struct Lines {
    line: usize,
    count: usize,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct Totals {
    changes: usize,
    kept: usize,
    fitted: usize,
    moved: usize,
    already: usize,
    open: usize,
    dropped: usize,
}

impl Totals {
    fn sum(&self) -> usize {
        self.kept + self.fitted + self.moved + self.already + self.open + self.dropped
    }
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[expect(dead_code, reason = "reading them is the test")]
struct Change {
    id: String,
    path: String,
    kind: String,
    what: String,
    origin: String,
    outcome: String,
    step: Option<String>,
    note: Option<String>,
    base_path: Option<String>,
    result_path: Option<String>,
    base: Option<Lines>,
    site: Option<Lines>,
    release: Option<Lines>,
    result: Option<Lines>,
    removed: Option<serde_json::Value>,
    added: Option<serde_json::Value>,
    decision: Option<String>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[expect(dead_code, reason = "reading them is the test")]
struct Decision {
    id: String,
    path: String,
    reason: String,
    state: String,
    stands: String,
    result: Option<Lines>,
    base_lines: Option<Lines>,
    site_lines: Option<Lines>,
    base: serde_json::Value,
    site: serde_json::Value,
    release: serde_json::Value,
    changes: Vec<String>,
    suggestion: Option<String>,
    answer: Option<Answer>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[expect(dead_code, reason = "reading them is the test")]
struct Answer {
    take: String,
    text: Option<String>,
    remembered: bool,
    before: Option<serde_json::Value>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[expect(dead_code, reason = "reading them is the test")]
struct Options {
    trust: String,
    leave: String,
    keep_blanks: bool,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[expect(dead_code, reason = "reading them is the test")]
struct Decisions {
    format: String,
    format_version: u32,
    answered: usize,
    totals: Totals,
    decisions: Vec<Decision>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[expect(dead_code, reason = "reading them is the test")]
struct File {
    path: String,
    base_path: Option<String>,
    site_path: Option<String>,
    release_path: Option<String>,
    kind: String,
    from: String,
    digest: Option<String>,
    site_digest: Option<String>,
    settings: Option<serde_json::Value>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[expect(dead_code, reason = "reading them is the test")]
struct Vendor {
    path: String,
    to: Option<String>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[expect(dead_code, reason = "reading them is the test")]
struct Notes {
    version: String,
    text: String,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[expect(dead_code, reason = "reading them is the test")]
struct Remark {
    path: String,
    text: String,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[expect(dead_code, reason = "reading them is the test")]
struct Themes {
    base: Theme,
    site: Theme,
    release: Theme,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[expect(dead_code, reason = "reading them is the test")]
struct Account {
    format: String,
    format_version: u32,
    themes: Themes,
    jump: Option<String>,
    totals: Totals,
    changes: Vec<Change>,
    decisions: Vec<Decision>,
    files: Vec<File>,
    vendor: Vec<Vendor>,
    notes: Vec<Notes>,
    remarks: Vec<Remark>,
    #[serde(default)]
    defaults: Vec<DefaultRecord>,
    #[serde(default)]
    followed: Vec<Followed>,
    walk: Vec<Area>,
    options: Options,
    child: Option<Child>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[expect(dead_code, reason = "reading them is the test")]
struct Area {
    name: String,
    pages: Vec<String>,
    why: Vec<Why>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[expect(dead_code, reason = "reading them is the test")]
struct Why {
    path: String,
    what: String,
    fitted: usize,
    open: usize,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct Child {
    overrides: Vec<Override>,
    #[serde(default)]
    pruned: Vec<String>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[expect(dead_code, reason = "reading them is the test")]
struct Survey {
    format: String,
    format_version: u32,
    base: Theme,
    site: Theme,
    changed_files: usize,
    untouched_files: usize,
    changes: Vec<SurveyChange>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[expect(dead_code, reason = "reading them is the test")]
struct SurveyChange {
    id: String,
    path: String,
    kind: String,
    what: String,
    origin: String,
    base_path: Option<String>,
    base: Option<Lines>,
    site: Option<Lines>,
    removed: Option<serde_json::Value>,
    added: Option<serde_json::Value>,
    size: Option<u64>,
    note: Option<String>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[expect(dead_code, reason = "reading them is the test")]
struct Forecast {
    format: String,
    format_version: u32,
    base: Theme,
    site: Theme,
    release: Theme,
    jump: Option<String>,
    totals: Totals,
    files: Vec<ForecastFile>,
    decisions: Vec<Decision>,
    vendor: Vec<Vendor>,
    notes: Vec<Notes>,
    #[serde(default)]
    defaults: Vec<DefaultRecord>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[expect(dead_code, reason = "reading them is the test")]
struct DefaultRecord {
    path: String,
    key: String,
    before: String,
    after: String,
    held: bool,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[expect(dead_code, reason = "reading them is the test")]
struct Followed {
    path: String,
    to: String,
    release: Lines,
    removed: serde_json::Value,
    added: serde_json::Value,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[expect(dead_code, reason = "reading them is the test")]
struct ForecastFile {
    path: String,
    totals: Totals,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct Verification {
    format: String,
    format_version: u32,
    proved: bool,
    changes: usize,
    files: usize,
    newly_settled: usize,
    totals: Totals,
    findings: Vec<Finding>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[expect(dead_code, reason = "reading them is the test")]
struct Finding {
    kind: String,
    path: String,
    line: Option<usize>,
    change: Option<String>,
    since: String,
    means: String,
    mend: String,
}

const SOURCES: &str = "--base d/packages/lanternfold-2.6.1.zip --site d/site/lanternfold";
const RELEASE: &str = "--release d/packages/lanternfold-3.0.0.zip";

fn demo() -> Env {
    let env = Env::new();
    env.run("demo d").ends(0);
    env
}

#[track_caller]
fn read<T: serde::de::DeserializeOwned>(value: serde_json::Value) -> T {
    serde_json::from_value(value).unwrap_or_else(|e| panic!("{e}"))
}

#[test]
fn the_account_reads_back_and_hangs_together() {
    let env = demo();
    let account: Account = read(serde_json::from_str(&env.read("d/carried.account.json")).unwrap());
    assert_eq!((account.format.as_str(), account.format_version), ("daxle-account", 1));
    assert_eq!(account.totals.sum(), account.totals.changes);
    for decision in &account.decisions {
        for id in &decision.changes {
            let change = account.changes.iter().find(|c| c.id == *id).expect("a known change");
            assert!(change.decision.is_some() && change.outcome == "open", "{change:?}");
        }
    }
    let followed: Vec<_> = account.followed.iter().map(|f| (f.path.as_str(), f.to.as_str())).collect();
    assert_eq!(followed, [("templates/visit.html", "parts/way.html")]);
    // A program can go from a change to its text in the result.
    let kept = account.changes.iter().find(|c| c.path == "templates/base.html").unwrap();
    let lines = kept.result.unwrap();
    let result = env.read(&format!("d/carried/{}", kept.result_path.as_ref().unwrap()));
    let standing: Vec<&str> = result.lines().skip(lines.line - 1).take(lines.count).collect();
    assert_eq!(standing.join("\n") + "\n", kept.added.as_ref().unwrap()["text"].as_str().unwrap());
}

#[test]
fn survey_and_forecast_read_back() {
    let env = demo();
    let survey: Survey = read(env.json(&format!("survey {SOURCES}")));
    assert_eq!((survey.format.as_str(), survey.changes.len(), survey.changed_files), ("daxle-survey", 48, 26));
    assert_eq!(survey.base.inside.as_deref(), Some("lanternfold-2.6.1/lanternfold.zip"));
    let forecast: Forecast = read(env.json(&format!("forecast {SOURCES} {RELEASE}")));
    assert_eq!((forecast.format.as_str(), forecast.totals.sum()), ("daxle-forecast", 48));
    let ids: Vec<&String> = survey.changes.iter().map(|c| &c.id).collect();
    assert!(forecast.decisions.iter().flat_map(|d| &d.changes).all(|id| ids.contains(&id)), "one change, one id");
    assert!(!env.path("d/out").exists() && forecast.vendor.len() == 3 && forecast.notes.len() == 2);
}

#[test]
fn a_verification_reads_back() {
    let env = demo();
    let proved: Verification = read(env.json("verify d/carried"));
    assert_eq!((proved.format.as_str(), proved.format_version), ("daxle-verification", 1));
    assert!(proved.proved && proved.findings.is_empty() && proved.newly_settled == 0);
    assert_eq!((proved.changes, proved.totals.sum(), proved.files), (48, 48, 34));
}

#[test]
fn a_forecast_tells_what_the_carry_then_does() {
    let env = small();
    let forecast: Forecast = read(env.json(&CARRY.replace("carry", "forecast").replace(" --out out", "")));
    let account: Account = read(env.json(CARRY));
    assert_eq!(format!("{:?}", forecast.totals), format!("{:?}", account.totals));
    assert_eq!(forecast.files.len(), account.files.len());
}

#[test]
fn survey_shows_diffs_that_lead_from_base_to_site() {
    let env = small();
    let ran = env.run("survey --base base --site site --show").ends(0);
    for part in [
        "--- base/style.css\n+++ site/style.css\n",
        "-  color: red;\n+  color: teal;\n",
        "--- /dev/null\n+++ site/own.txt\n",
    ] {
        assert!(ran.out.contains(part), "{part}\n{}", ran.out);
    }
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[expect(dead_code, reason = "reading them is the test")]
struct Release {
    name: String,
    version: String,
    title: Option<String>,
    parent: Option<String>,
    #[serde(default)]
    requires: std::collections::BTreeMap<String, String>,
    source: String,
    archive: String,
    inside: Option<String>,
    files: usize,
    bytes: u64,
    digest: String,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[expect(dead_code, reason = "reading them is the test")]
struct Stocked {
    format: String,
    format_version: u32,
    releases: Vec<Release>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[expect(dead_code, reason = "reading them is the test")]
struct AddedOne {
    outcome: String,
    release: Release,
    kept: Option<String>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[expect(dead_code, reason = "reading them is the test")]
struct Added {
    format: String,
    format_version: u32,
    added: Vec<AddedOne>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[expect(dead_code, reason = "reading them is the test")]
struct Ranked {
    name: String,
    version: String,
    identical: usize,
    similar: usize,
    missing: usize,
    own: usize,
    differing: usize,
    explained: f32,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[expect(dead_code, reason = "reading them is the test")]
struct Matched {
    format: String,
    format_version: u32,
    files: usize,
    claim: Option<String>,
    ranked: Vec<Ranked>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[expect(dead_code, reason = "reading them is the test")]
struct Override {
    path: String,
    vendor: String,
    vendor_path: String,
    stamp: Option<String>,
    from: Vec<String>,
    state: String,
    vendor_lines: usize,
    site_lines: usize,
    now: Option<String>,
    current: String,
    needs_work: Option<bool>,
    to_do: Option<String>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[expect(dead_code, reason = "reading them is the test")]
struct Overrides {
    format: String,
    format_version: u32,
    child: Theme,
    current: Vec<String>,
    overrides: Vec<Override>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[expect(dead_code, reason = "reading them is the test")]
struct SiteNote {
    changes: Vec<String>,
    path: String,
    about: String,
    why: String,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[expect(dead_code, reason = "reading them is the test")]
struct SiteNotes {
    format: String,
    format_version: u32,
    notes: Vec<SiteNote>,
}

#[test]
fn the_stock_reads_back() {
    let env = demo().within("d");
    let added: Added = read(env.json("stock add packages/lanternfold-2.6.1.zip packages/lanternfold-3.0.0.zip"));
    let outcomes: Vec<&str> = added.added.iter().map(|a| a.outcome.as_str()).collect();
    assert_eq!(outcomes, ["new", "new", "known", "new"], "the sample child is in both packages");
    let list: Stocked = read(env.json("stock list"));
    assert_eq!((list.format.as_str(), list.releases.len()), ("daxle-stock", 3));
    let theme = list.releases.iter().find(|r| r.version == "3.0.0").unwrap();
    assert_eq!(theme.inside.as_deref(), Some("lanternfold-3.0.0/lanternfold.zip"));
    assert_eq!(theme.requires["pennygate"], "2.0");
    // The package is kept byte for byte.
    let kept = std::fs::read(env.path("stock/archives").join(&theme.archive)).unwrap();
    assert_eq!(kept, std::fs::read(env.path("packages/lanternfold-3.0.0.zip")).unwrap());
    let matched: Matched = read(env.json("stock match site/lanternfold"));
    assert_eq!((matched.ranked[0].version.as_str(), matched.claim), ("2.6.1", None));
    assert!(matched.ranked[0].differing < matched.ranked[1].differing);
}

#[test]
fn overrides_and_notes_read_back() {
    let env = demo().within("d");
    for package in ["lanternfold-2.6.1", "lanternfold-2.7.0", "lanternfold-3.0.0", "pennygate-1.4", "pennygate-2.0"]
    {
        env.run(&format!("stock add packages/{package}.zip")).ends(0);
    }
    let found: Overrides = read(env.json("child overrides site/tidemill"));
    assert_eq!(found.current, ["lanternfold@3.0.0", "pennygate@2.0"]);
    let work: Vec<bool> = found.overrides.iter().map(|o| o.needs_work == Some(true) && o.to_do.is_some()).collect();
    assert_eq!(work, [true, true, true, true, true, true, false], "what needs work comes first");
    let renamed = found.overrides.iter().find(|o| o.now.is_some()).unwrap();
    assert_eq!(renamed.now.as_deref(), Some("mail/confirmation.html"));
    env.run("note --path assets/js/menu.js slower --site site/lanternfold").ends(0);
    let notes: SiteNotes = read(env.json("note --list --site site/lanternfold"));
    assert_eq!((notes.notes[0].path.as_str(), notes.notes[0].why.as_str()), ("assets/js/menu.js", "slower"));
    let survey: Survey = read(env.json("survey --site site/lanternfold"));
    assert!(survey.changes.iter().any(|c| c.note.as_deref() == Some("slower")));
    // The account of a child theme says what its base was put together from.
    let account: Account = read(env.json("carry --site site/tidemill --release 3.0.0 --out child --prune"));
    let child = account.child.expect("a record of the overrides");
    assert_eq!((child.overrides.len(), child.pruned.as_slice()), (7, &["parts/pager.html".to_string()][..]));
}

#[test]
fn decisions_read_back() {
    let env = demo();
    let listed: Decisions = read(env.json("settle d/carried --list"));
    assert_eq!((listed.decisions.len(), listed.answered, listed.totals.open), (8, 0, 8));
    let settled: Decisions = read(env.json("settle d/carried --take site --path parts/*.html"));
    assert_eq!((settled.format.as_str(), settled.answered, settled.totals.open), ("daxle-decisions", 2, 6));
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct Reported {
    format: String,
    format_version: u32,
    page: String,
    bytes: u64,
    totals: Totals,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct Packed {
    format: String,
    format_version: u32,
    archive: String,
    name: String,
    files: usize,
    bytes: u64,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct Placement {
    format: String,
    format_version: u32,
    what: String,
    dry_run: bool,
    at: String,
    done: bool,
    #[serde(default)]
    against: Vec<String>,
    drift: Vec<Drifted>,
    kept: Option<String>,
    owned: usize,
    owner_lost: usize,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct Drifted {
    path: String,
    what: String,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct Copies {
    format: String,
    format_version: u32,
    at: String,
    dry_run: bool,
    removed: Vec<OldCopy>,
    copies: Vec<OldCopy>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct OldCopy {
    name: String,
    path: String,
    next: bool,
    bytes: u64,
    replaced_by: Option<String>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[expect(dead_code, reason = "reading them is the test")]
struct JournalLine {
    what: String,
    state: String,
    copy: String,
    at: String,
    who: Option<String>,
    from: Option<String>,
    archive: Option<String>,
    mark: Option<u64>,
}

#[test]
fn what_is_delivered_reads_back() {
    let env = small();
    env.run(CARRY).ends(0);
    let report: Reported = read(env.json("report out --out page.html"));
    assert_eq!(
        (report.format.as_str(), report.format_version, report.page.as_str()),
        ("daxle-report", 1, "page.html")
    );
    assert_eq!((report.bytes, report.totals.open), (env.read("page.html").len() as u64, 0));
    let packed: Packed = read(env.json("pack out --out up.zip"));
    assert_eq!((packed.format.as_str(), packed.format_version, packed.files), ("daxle-packed", 1, 4));
    assert_eq!((packed.archive.as_str(), packed.name.as_str()), ("up.zip", "release"));
    assert_eq!(packed.bytes, std::fs::metadata(env.path("up.zip")).unwrap().len());

    for (path, bytes) in env.tree("site") {
        env.write(&format!("live/{path}"), &bytes);
    }
    env.write("live/page.html", b"edited\n");
    let refused: Placement = read(env.json("place out --at live --dry-run"));
    assert_eq!(
        (refused.format.as_str(), refused.format_version, refused.what.as_str()),
        ("daxle-placement", 1, "place")
    );
    assert!(refused.dry_run && !refused.done && refused.against.len() == 1 && refused.kept.is_none());
    assert_eq!((refused.drift[0].path.as_str(), refused.drift[0].what.as_str()), ("page.html", "changed"));
    let placed: Placement = read(env.json("place out --at live --anyway"));
    assert!(placed.done && placed.at.ends_with("/live") && (placed.owned, placed.owner_lost) == (0, 0));
    let copies: Copies = read(env.json("sweep --at live"));
    assert_eq!((copies.format.as_str(), copies.format_version, copies.copies.len()), ("daxle-copies", 1, 1));
    let copy = &copies.copies[0];
    assert!(copy.next && copy.bytes > 0 && Some(&copy.path) == placed.kept.as_ref() && copies.at == placed.at);
    assert_eq!(copy.replaced_by.as_deref(), Some("out"));
    let swept: Copies = read(env.json(&format!("sweep --at live --remove {}", copy.name)));
    assert_eq!((swept.removed.len(), swept.copies.len(), swept.dry_run), (1, 0, false));
    let journal = env.read(".live.backups/journal.jsonl");
    let lines: Vec<JournalLine> = journal.lines().map(|l| serde_json::from_str(l).unwrap()).collect();
    let states: Vec<(&str, &str)> = lines.iter().map(|l| (l.what.as_str(), l.state.as_str())).collect();
    assert_eq!(states, [("place", "begun"), ("place", "done"), ("sweep", "done")]);
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[expect(dead_code, reason = "reading them is the test")]
struct Separation {
    format: String,
    format_version: u32,
    form: String,
    base: Theme,
    site: Theme,
    own: Vec<String>,
    unsaid: Vec<Said>,
    remarks: Vec<Said>,
    files: usize,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[expect(dead_code, reason = "reading them is the test")]
struct Said {
    path: String,
    what: String,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[expect(dead_code, reason = "reading them is the test")]
struct SetIndex {
    format: String,
    format_version: u32,
    base: Theme,
    site: Theme,
    changes: Vec<SetChange>,
    files: Vec<SetFile>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[expect(dead_code, reason = "reading them is the test")]
struct SetChange {
    id: String,
    path: String,
    kind: String,
    what: String,
    origin: String,
    note: Option<String>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[expect(dead_code, reason = "reading them is the test")]
struct SetFile {
    path: String,
    stored: String,
    base_digest: Option<String>,
    site_digest: Option<String>,
}

#[test]
fn separations_read_back() {
    let env = demo();
    let child: Separation = read(env.json(&format!("separate {SOURCES} --into d/child --as child")));
    assert_eq!((child.format.as_str(), child.form.as_str()), ("daxle-separation", "child"));
    assert_eq!((child.own.as_slice(), child.unsaid.len()), (&["themecard.toml".to_string()][..], 2));
    read::<Separation>(env.json(&format!("separate {SOURCES} --into d/changes --as changes")));
    let index: SetIndex = serde_json::from_str(&env.read("d/changes/changes.json")).unwrap();
    assert_eq!((index.format.as_str(), index.changes.len()), ("daxle-changes", 48));
    let kinds: std::collections::BTreeSet<&str> = index.files.iter().map(|f| f.stored.as_str()).collect();
    assert_eq!(kinds.into_iter().collect::<Vec<_>>(), ["deleted", "diff", "file"]);
    let patch: Vec<serde_json::Value> =
        serde_json::from_str(&env.read("d/changes/settings/settings/layout.toml.patch.json")).unwrap();
    assert_eq!(patch, [serde_json::json!({"op": "replace", "path": "/archive/per_page", "value": 50})]);
    let words = env.read("d/changes/words/languages/pl.po");
    assert!(words.contains("Wieści z młyna") && words.matches("msgid").count() == 4, "{words}");
    let proof = env.json("verify d/changes");
    assert_eq!((&proof["format"], &proof["proved"]), (&"daxle-separation-proof".into(), &true.into()));
}
