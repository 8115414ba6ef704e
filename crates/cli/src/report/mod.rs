//! The report: one page that opens from disk and loads nothing, for a customizer to show a client.
//!
//! Everything that comes from a theme is escaped, and a content security policy lets nothing run but the page's own
//! script, by its digest.

mod rows;

use std::fmt::Write;

use daxle_core::carry::Proof;
use daxle_core::carry::account::{
    Account, Blob, ChangeRecord, Decision, Lines, Source, Stands, State, Totals, base64,
};
use daxle_core::carry::settle::Side;
use daxle_core::changes::What;
use daxle_core::merge::Outcome;
use daxle_core::text::{Text, split_lines};
use daxle_core::theme::{Digest, Kind, ReadError};
use sha2::{Digest as _, Sha256};

use self::rows::{beside_table, three_columns};
use crate::console::harmless;
use crate::show::{answer_words, are, count, size_words};

const STYLE: &str = include_str!("page.css");
const SCRIPT: &str = include_str!("page.js");

/// Lines around a change.
const AROUND: usize = 3;
/// Pictures are shown up to this size, and all of them together up to the other.
const PICTURE: usize = 64 << 10;
const PICTURES: usize = 1 << 20;

/// Reads a file of a side.
pub(crate) type Reader<'a> = &'a dyn Fn(Side, &str) -> Result<Option<Vec<u8>>, ReadError>;

/// Makes text safe to stand in a page, also between quotes.
pub(crate) fn escaped(text: &str) -> String {
    let mut out = String::with_capacity(text.len() + 8);
    for c in harmless(text).chars() {
        match c {
            '&' => out.push_str("&amp;"),
            '<' => out.push_str("&lt;"),
            '>' => out.push_str("&gt;"),
            '"' => out.push_str("&quot;"),
            '\'' => out.push_str("&#39;"),
            c => out.push(c),
        }
    }
    out
}

/// Writes the page.
pub(crate) fn page(account: &Account, proof: &Proof, read: Reader<'_>) -> Result<String, ReadError> {
    let mut page = Page { account, read, pictures: 0, out: String::new() };
    page.head();
    page.summary(proof);
    page.filters();
    page.decisions();
    page.changes()?;
    page.walk();
    page.vendor_notes();
    page.foot();
    Ok(page.out)
}

fn digest(text: &str) -> String {
    format!("sha256-{}", base64(&Sha256::digest(text.as_bytes())))
}

struct Page<'a> {
    account: &'a Account,
    read: Reader<'a>,
    /// Bytes of pictures in the page so far.
    pictures: usize,
    out: String,
}

/// Writing to a string cannot fail.
macro_rules! put {
    ($page:expr, $($arg:tt)*) => { let _ = writeln!($page.out, $($arg)*); };
}

impl Page<'_> {
    fn head(&mut self) {
        let themes = &self.account.themes;
        let title = escaped(&format!("{} into {}", themes.base.label(), themes.release.label()));
        // The same carry has the same key: ticks on the walk-through stay.
        let ids: String = self.account.changes.iter().map(|c| c.id.0.as_str()).collect();
        let key = &Digest::of(format!("{title}{ids}").as_bytes()).hex()[..12];
        put!(self, "<!doctype html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">");
        put!(
            self,
            "<meta http-equiv=\"Content-Security-Policy\" content=\"default-src 'none'; style-src '{}'; \
             script-src '{}'; img-src data:; base-uri 'none'; form-action 'none'\">",
            digest(STYLE),
            digest(SCRIPT)
        );
        put!(self, "<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">");
        put!(self, "<meta name=\"referrer\" content=\"no-referrer\">\n<title>{title}</title>");
        put!(self, "<style>{STYLE}</style>\n</head>\n<body data-key=\"daxle-{key}\">");
    }

    fn summary(&mut self, proof: &Proof) {
        let account = self.account;
        let (themes, totals) = (&account.themes, account.totals);
        put!(self, "<header>\n<h1>{}</h1>", escaped(&themes.release.label()));
        put!(
            self,
            "<p>{} of this site, made on {}, brought into the new release.</p>",
            count(totals.changes, "change"),
            escaped(&themes.base.label())
        );
        let done = totals.changes - totals.open;
        let words = match (totals.open, proof.new_findings().count()) {
            (0, 0) => "All of them are accounted for, and nothing of the release is lost.".to_string(),
            (open, 0) => format!(
                "{done} are settled; {} open and {} a decision.",
                are(open, "change"),
                if open == 1 { "needs" } else { "need" }
            ),
            (_, found) => format!("The proof found {}: see <code>daxle verify</code>.", count(found, "fault")),
        };
        put!(self, "<p>{words}</p>");
        self.chart(totals);
        put!(self, "</header>\n<main>");
    }

    /// One bar, a part for each outcome; what the parts are stands in words below.
    fn chart(&mut self, totals: Totals) {
        if totals.changes == 0 {
            return;
        }
        put!(
            self,
            "<svg class=\"bar\" viewBox=\"0 0 1000 26\" preserveAspectRatio=\"none\" role=\"img\" aria-label=\"Outcomes of the changes\">"
        );
        let mut x = 0.0;
        for outcome in Outcome::ALL {
            let n = totals.get(outcome);
            if n > 0 {
                let width = 1000.0 * n as f64 / totals.changes as f64;
                let word = outcome.word();
                put!(
                    self,
                    "<rect class=\"f-{word}\" x=\"{x:.1}\" y=\"0\" width=\"{:.1}\" height=\"26\"><title>{n} {word}</title></rect>",
                    (width - 3.0).max(1.0)
                );
                x += width;
            }
        }
        put!(self, "</svg>\n<ul class=\"legend\">");
        for outcome in Outcome::ALL {
            let n = totals.get(outcome);
            if n > 0 {
                put!(
                    self,
                    "<li><b class=\"t-{0}\">{n} {0}</b> <span class=\"soft\">{1}</span></li>",
                    outcome.word(),
                    meaning(outcome)
                );
            }
        }
        put!(self, "</ul>");
    }

    fn filters(&mut self) {
        put!(self, "<div class=\"filters\" role=\"search\">");
        put!(
            self,
            "<input id=\"search\" type=\"search\" placeholder=\"Search paths and text\" aria-label=\"Search paths and text\">"
        );
        put!(self, "<select id=\"kind\" aria-label=\"Kind of file\"><option value=\"\">All kinds</option>");
        for kind in Kind::ALL {
            if self.account.changes.iter().any(|c| c.kind == kind) {
                put!(self, "<option>{}</option>", kind.word());
            }
        }
        put!(self, "</select>");
        for outcome in Outcome::ALL.into_iter().filter(|o| self.account.totals.get(*o) > 0) {
            let word = outcome.word();
            put!(
                self,
                "<button type=\"button\" class=\"t-{word}\" data-filter=\"{word}\" aria-pressed=\"true\">{word}</button>"
            );
        }
        put!(self, "<span id=\"shown\" class=\"soft\" role=\"status\"></span>\n</div>");
    }

    /// Open decisions come first, then those that were settled.
    fn decisions(&mut self) {
        for (open, title) in [(true, "To decide"), (false, "Decided")] {
            let list: Vec<&Decision> =
                self.account.decisions.iter().filter(|d| (d.state == State::Open) == open).collect();
            if list.is_empty() {
                continue;
            }
            put!(self, "<section class=\"group\">\n<h2>{title}</h2>");
            for decision in list {
                self.decision(decision);
            }
            put!(self, "</section>");
        }
    }

    fn decision(&mut self, decision: &Decision) {
        let kind = self.account.files.iter().find(|f| f.path == decision.path).map_or(Kind::Other, |f| f.kind);
        let open = decision.state == State::Open;
        let (badge, class) = if open { ("open", "open") } else { ("settled", "settled") };
        // Settled ones are filtered with what became of their changes.
        let outcome = self.account.changes.iter().find(|c| c.decision.as_ref() == Some(&decision.id));
        let outcome = outcome.map_or("open", |c| c.outcome.word());
        put!(
            self,
            "<details class=\"card\" id=\"d-{}\" data-outcome=\"{outcome}\" data-kind=\"{}\"{}>",
            escaped(&decision.id),
            kind.word(),
            if open { " open" } else { "" }
        );
        put!(
            self,
            "<summary><span class=\"badge t-{class}\">{badge}</span><span class=\"path\">{}{}</span><span>{}</span></summary>\n<div class=\"body\">",
            escaped(&decision.path),
            place(decision.result),
            decision.reason.words()
        );
        match (&decision.answer, decision.state) {
            (Some(answer), _) => {
                let again = if answer.remembered { ", as answered before" } else { "" };
                put!(self, "<p>Answer: {}{again}.</p>", answer_words(answer));
            }
            (None, State::Edited) => {
                put!(self, "<p>Settled by editing the file.</p>");
            }
            (None, _) => {
                let stands = match decision.stands {
                    Stands::Markers => "all three stand there between markers",
                    Stands::Site => "the site's stands there",
                    Stands::Release => "the release's stands there",
                };
                put!(self, "<p class=\"soft\">Until it is decided, {stands}.</p>");
            }
        }
        if let Some(suggestion) = &decision.suggestion {
            put!(self, "<p>{}</p>", escaped(suggestion));
        }
        if let Some(with) = decision.with.as_deref().map(escaped) {
            put!(self, "<p>It goes with <a href=\"#d-{with}\">{with}</a>: a side taken there is taken here.</p>");
        }
        let release = format!("New release {}", self.account.themes.release.version.as_deref().unwrap_or(""));
        self.out += &three_columns([
            ("This site", &decision.site),
            ("Before, by the vendor", &decision.base),
            (release.trim(), &decision.release),
        ]);
        self.links(decision.changes.iter().map(|id| id.0.as_str()));
        put!(self, "</div>\n</details>");
    }

    fn links<'i>(&mut self, ids: impl Iterator<Item = &'i str>) {
        let links: Vec<String> = ids.map(|id| format!("<a href=\"#c-{0}\">{0}</a>", escaped(id))).collect();
        if !links.is_empty() {
            put!(self, "<p class=\"soft\">Changes: {}</p>", links.join(", "));
        }
    }

    fn changes(&mut self) -> Result<(), ReadError> {
        let mut files: Vec<(&str, Vec<&ChangeRecord>)> = Vec::new();
        for change in &self.account.changes {
            let path = change.result_path.as_deref().unwrap_or(&change.path);
            match files.iter_mut().find(|(p, _)| *p == path) {
                Some((_, list)) => list.push(change),
                None => files.push((path, vec![change])),
            }
        }
        put!(self, "<h2>Every change</h2>");
        for (path, list) in files {
            put!(self, "<section class=\"group\">");
            let sides = Sides::read(self.read, path, &list)?;
            for change in list {
                self.change(change, path, &sides);
            }
            put!(self, "</section>");
        }
        Ok(())
    }

    fn change(&mut self, change: &ChangeRecord, path: &str, sides: &Sides) {
        let outcome = change.outcome.word();
        put!(
            self,
            "<details class=\"card\" id=\"c-{}\" data-outcome=\"{outcome}\" data-kind=\"{}\">",
            escaped(&change.id.0),
            change.kind.word()
        );
        let step = change.step.map_or(String::new(), |s| format!("<span>{}</span>", s.reason()));
        let what = if change.what == What::Edited { "" } else { change.what.word() };
        put!(
            self,
            "<summary><span class=\"badge t-{outcome}\">{outcome}</span><span class=\"path\">{}{}</span><span>{what}</span>{step}<span class=\"soft\">{}</span></summary>\n<div class=\"body\">",
            escaped(path),
            place(change.result),
            change.kind.word()
        );
        if let Some(note) = &change.note {
            put!(self, "<p class=\"note\">{}</p>", escaped(note));
        }
        if change.path != path {
            put!(self, "<p class=\"soft\">In the site it was in {}.</p>", escaped(&change.path));
        }
        if change.outcome == Outcome::Already {
            put!(
                self,
                "<p class=\"soft\">The vendor has made the same change since; nothing is left to carry.</p>"
            );
        }
        if let Some(decision) = &change.decision {
            put!(self, "<p><a href=\"#d-{0}\">Its decision</a></p>", escaped(decision));
        }
        let old = window(sides.site.as_deref(), change.site);
        let new = window(sides.result.as_deref(), change.result);
        match (change.what, old, new) {
            (What::Edited, Some(old), new) => {
                if let (Some(removed), Some(added)) = (&change.removed, &change.added) {
                    let (removed, added) = (text(removed), text(added));
                    if !removed.is_empty() && change.outcome != Outcome::Open {
                        let title = "What the site had changed";
                        self.out += &beside_table(
                            title,
                            ["The vendor's", "The site's"],
                            (&removed, 0, 0..0),
                            (&added, 0, 0..0),
                        );
                    }
                }
                match new {
                    Some(new) => {
                        let titles = ["The site until now", "With the new release"];
                        self.out += &beside_table("Old and new", titles, old.shown(), new.shown());
                    }
                    None => {
                        let (text, from, own) = old.shown();
                        let empty = ("", 0, 0..0);
                        self.out +=
                            &beside_table("Old", ["The site until now", "In the result"], (text, from, own), empty);
                    }
                }
            }
            _ => self.file(change, sides),
        }
        put!(self, "</div>\n</details>");
    }

    /// A change of a whole file.
    fn file(&mut self, change: &ChangeRecord, sides: &Sides) {
        if change.kind == Kind::Picture {
            let mut any = false;
            for (title, bytes) in
                [("The site until now", &sides.site_bytes), ("With the new release", &sides.result_bytes)]
            {
                let Some(bytes) =
                    bytes.as_ref().filter(|b| b.len() <= PICTURE && self.pictures + b.len() <= PICTURES)
                else {
                    continue;
                };
                let Some(kind) = picture(&change.path) else { continue };
                self.pictures += bytes.len();
                any = true;
                put!(
                    self,
                    "<figure><img alt=\"{title}\" src=\"data:{kind};base64,{}\"><figcaption>{title}</figcaption></figure>",
                    base64(bytes)
                );
            }
            if any {
                return;
            }
        }
        match (&sides.site, &sides.result) {
            (None, Some(_)) if change.what == What::Deleted => {
                put!(self, "<p>The site had taken this file out.</p>");
            }
            (Some(old), Some(new)) if old != new => {
                let (old, new) = (lossy(old), lossy(new));
                let titles = ["The site until now", "With the new release"];
                self.out += &beside_table("Old and new", titles, (&old, 0, 0..0), (&new, 0, 0..0));
            }
            (Some(_), Some(_)) => {
                put!(self, "<p>The file is in the result as the site has it.</p>");
            }
            _ => {
                let size = sides.site_bytes.as_ref().map_or(0, Vec::len);
                let stands = match self.account.files.iter().find(|f| Some(&f.path) == change.result_path.as_ref())
                {
                    Some(file) if file.from == Source::Site => "The file is in the result as the site has it",
                    Some(file) if file.from == Source::Release => "The release's file is in the result",
                    _ => "A file of the site",
                };
                put!(self, "<p>{stands} ({}).</p>", size_words(size as u64));
            }
        }
    }

    fn walk(&mut self) {
        if self.account.walk.is_empty() {
            return;
        }
        put!(self, "<section class=\"walk\">\n<h2>To walk through before it goes live</h2>\n<ul>");
        for area in &self.account.walk {
            let pages = area.pages.iter().map(|p| escaped(p)).collect::<Vec<_>>().join(", ");
            let name = escaped(&area.name);
            put!(
                self,
                "<li><label><input type=\"checkbox\" value=\"{name}\"><b>{name}</b></label> <span class=\"soft\">{pages}</span>"
            );
            let why: Vec<String> =
                area.why.iter().map(|w| format!("{}: {}", escaped(&w.path), w.words())).collect();
            put!(self, "<br><span class=\"soft\">{}</span></li>", why.join("<br>"));
        }
        put!(self, "</ul>\n</section>");
    }

    fn vendor_notes(&mut self) {
        if self.account.notes.is_empty() {
            return;
        }
        put!(self, "<section>\n<h2>What the vendor says of it</h2>");
        for notes in &self.account.notes {
            put!(self, "<h3>{}</h3>\n<pre>{}</pre>", escaped(&notes.version), escaped(&notes.text));
        }
        put!(self, "</section>");
    }

    fn foot(&mut self) {
        put!(
            self,
            "</main>\n<footer>\n<p>Made with Daxle. <kbd>j</kbd> <kbd>k</kbd> next and previous change, <kbd>/</kbd> search; the address with a change's id leads to it.</p>\n</footer>"
        );
        put!(self, "<script>{SCRIPT}</script>\n</body>\n</html>");
    }
}

/// What an outcome means to a client.
fn meaning(outcome: Outcome) -> &'static str {
    match outcome {
        Outcome::Kept => "as they were",
        Outcome::Fitted => "adapted to what the vendor changed around them",
        Outcome::Moved => "followed to where the vendor moved their place",
        Outcome::Already => "in the new release anyway",
        Outcome::Open => "wait for a decision",
        Outcome::Dropped => "given up by a decision",
    }
}

fn place(lines: Option<Lines>) -> String {
    lines.filter(|l| l.count > 0).map(|l| format!(":{}", l.line)).unwrap_or_default()
}

fn text(blob: &Blob) -> String {
    lossy(&blob.bytes().unwrap_or_default())
}

fn lossy(bytes: &[u8]) -> String {
    String::from_utf8_lossy(bytes).into_owned()
}

/// The kind of a picture that browsers show.
fn picture(path: &str) -> Option<&'static str> {
    match path.rsplit_once('.')?.1.to_ascii_lowercase().as_str() {
        "png" => Some("image/png"),
        "jpg" | "jpeg" => Some("image/jpeg"),
        "gif" => Some("image/gif"),
        "webp" => Some("image/webp"),
        "svg" => Some("image/svg+xml"),
        "ico" => Some("image/x-icon"),
        _ => None,
    }
}

/// Site and result of one file: the bytes, and the text where they are.
struct Sides {
    site_bytes: Option<Vec<u8>>,
    result_bytes: Option<Vec<u8>>,
    site: Option<Vec<u8>>,
    result: Option<Vec<u8>>,
}

impl Sides {
    fn read(read: Reader<'_>, path: &str, changes: &[&ChangeRecord]) -> Result<Self, ReadError> {
        let in_site = changes.first().map_or(path, |c| c.path.as_str());
        let (site_bytes, result_bytes) = (read(Side::Site, in_site)?, read(Side::Result, path)?);
        let decode = |bytes: &Option<Vec<u8>>| {
            let bytes = bytes.as_ref().filter(|b| b.len() <= 4 << 20)?;
            Text::decode(bytes).map(|t| t.body.into_owned())
        };
        let (site, result) = (decode(&site_bytes), decode(&result_bytes));
        Ok(Sides { site_bytes, result_bytes, site, result })
    }
}

/// Some lines of a text with those around them.
struct Window {
    text: String,
    from: usize,
    own: std::ops::Range<usize>,
}

impl Window {
    /// Text, number of the first line, and the lines that are meant.
    fn shown(&self) -> (&str, usize, std::ops::Range<usize>) {
        (&self.text, self.from, self.own.clone())
    }
}

fn window(text: Option<&[u8]>, lines: Option<Lines>) -> Option<Window> {
    let (all, own) = (split_lines(text?), lines?.range());
    let from = own.start.min(all.len()).saturating_sub(AROUND);
    let to = (own.end + AROUND).min(all.len()).max(from);
    let text = all[from..to].iter().map(|l| lossy(l.content) + "\n").collect();
    Some(Window { text, from, own })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn nothing_of_a_theme_can_be_markup() {
        let evil = "<a href='x' title=\"y\">&amp;\u{202e}\u{1b}";
        let safe = escaped(evil);
        assert!(!safe.contains(['<', '>', '\'', '"', '\u{202e}', '\u{1b}']), "{safe}");
        assert_eq!(escaped("żółw & co"), "żółw &amp; co");
    }

    #[test]
    fn the_window_has_the_lines_around_and_their_numbers() {
        let text: String = (1..=20).map(|k| format!("{k}\n")).collect();
        let of = |line, count| window(Some(text.as_bytes()), Some(Lines { line, count })).unwrap();
        let middle = of(10, 2);
        assert_eq!((middle.from, middle.text.as_str()), (6, "7\n8\n9\n10\n11\n12\n13\n14\n"));
        assert_eq!(middle.own, 9..11);
        assert_eq!((of(1, 1).from, of(1, 1).text.lines().count()), (0, 4));
        assert_eq!(of(20, 1).text.lines().count(), 4);
        assert_eq!(of(90, 5).text, "18\n19\n20\n", "an account of another file breaks nothing");
        assert!(window(None, Some(Lines { line: 1, count: 1 })).is_none());
    }

    #[test]
    fn the_policy_names_the_pages_own_parts() {
        // The digest of RFC 6234's first example, in base64.
        assert_eq!(digest("abc"), "sha256-ungWv48Bz+pBQUDeXa4iI7ADYaOWF3qctBD/YfIAFa0=");
        assert_eq!(picture("a/B.SVG"), Some("image/svg+xml"));
        assert_eq!(picture("a.html"), None);
    }
}
