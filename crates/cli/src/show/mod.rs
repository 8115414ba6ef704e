//! The ways to show what came out: text for people, JSON for programs.

pub(crate) mod carry;
pub(crate) mod catalog;
pub(crate) mod child;
pub(crate) mod forecast;
pub(crate) mod place;
pub(crate) mod separate;
pub(crate) mod settings;
pub(crate) mod settle;
pub(crate) mod stock;
pub(crate) mod survey;
pub(crate) mod verify;
pub(crate) mod walk;
pub(crate) mod wire;

use std::fmt::Write;

use daxle_core::carry::account::{Account, Answer, Blob, Decision, Lines, State, Take, Totals};
use daxle_core::merge::Outcome;

use crate::console::{Console, harmless};

/// Styles by meaning.
pub(crate) mod style {
    use anstyle::{AnsiColor, Style};

    pub(crate) const ERROR: Style = AnsiColor::Red.on_default().bold();
    pub(crate) const WARNING: Style = AnsiColor::Yellow.on_default().bold();
    pub(crate) const HINT: Style = AnsiColor::Cyan.on_default().bold();
    pub(crate) const TITLE: Style = Style::new().bold();
    pub(crate) const FAINT: Style = Style::new().dimmed();
    pub(crate) const GOOD: Style = AnsiColor::Green.on_default();
    pub(crate) const LOOK: Style = AnsiColor::Cyan.on_default();
    pub(crate) const NOTE: Style = Style::new().italic();
    pub(crate) const OPEN: Style = AnsiColor::Magenta.on_default().bold();
}

/// The style of an outcome; the word always stands beside the colour.
fn outcome_style(outcome: Outcome) -> anstyle::Style {
    match outcome {
        Outcome::Kept | Outcome::Already => style::GOOD,
        Outcome::Fitted | Outcome::Moved => style::LOOK,
        Outcome::Open => style::OPEN,
        Outcome::Dropped => style::FAINT,
    }
}

/// `3 files`, `1 file`.
pub(crate) fn count(n: usize, what: &str) -> String {
    if n == 1 { format!("1 {what}") } else { format!("{n} {what}s") }
}

/// The outcomes that came up, with their counts.
fn totals_line(totals: &Totals) -> String {
    let mut out = String::new();
    for outcome in Outcome::ALL {
        let n = totals.get(outcome);
        if n > 0 {
            let s = outcome_style(outcome);
            let gap = if out.is_empty() { "" } else { "  " };
            // Writing to a string cannot fail.
            let _ = write!(out, "{gap}{s}{outcome} {n}{s:#}");
        }
    }
    if out.is_empty() { "no changes".into() } else { out }
}

/// The table of files with what became of the changes in each; files where all was simply kept are one line.
fn files_table(account: &Account) -> String {
    let files = daxle_core::carry::account::by_file(&account.changes);
    let plain = files.values().filter(|t| t.kept == t.changes).count();
    let telling: Vec<_> = files.iter().filter(|(_, t)| t.kept != t.changes).collect();
    let width = telling.iter().map(|(p, _)| p.chars().count()).max().unwrap_or(0).clamp(20, 60);
    let mut out = String::new();
    for (path, totals) in telling {
        let _ = writeln!(out, "  {:<width$}  {}", harmless(path), totals_line(totals));
    }
    if plain > 0 {
        let (changes, f) =
            (files.values().filter(|t| t.kept == t.changes).map(|t| t.changes).sum::<usize>(), style::FAINT);
        let _ = writeln!(
            out,
            "  {f}{}, {} in all, kept as they were{f:#}",
            count(plain, "more file"),
            count(changes, "change")
        );
    }
    out
}

/// The changes that were fitted or moved, with what was done.
fn steps_list(account: &Account) -> String {
    let mut out = String::new();
    for change in &account.changes {
        let Some(step) = change.step.filter(|_| matches!(change.outcome, Outcome::Fitted | Outcome::Moved)) else {
            continue;
        };
        let path = harmless(change.result_path.as_deref().unwrap_or(&change.path));
        let place = place(change.result);
        let (s, f) = (outcome_style(change.outcome), style::FAINT);
        let _ = writeln!(
            out,
            "  {s}{:<7}{s:#} {path}{place}  {}  {f}{}{f:#}",
            change.outcome.word(),
            step.reason(),
            change.id
        );
    }
    out
}

/// The site's own notes on its changes, where it gave any.
fn notes_list(account: &Account) -> String {
    let noted = account.changes.iter().filter_map(|c| Some((c, c.note.as_deref()?)));
    noted
        .map(|(c, note)| {
            let (s, f, n) = (outcome_style(c.outcome), style::FAINT, style::NOTE);
            let path = harmless(c.result_path.as_deref().unwrap_or(&c.path));
            let place = place(c.result);
            let outcome = c.outcome.word();
            format!("  {s}{outcome:<7}{s:#} {path}{place}  {n}{}{n:#}  {f}{}{f:#}\n", harmless(note), c.id)
        })
        .collect()
}

/// Things to know, one line each.
/// Settings that the site left alone and the release changed.
fn defaults_list(account: &Account, held: bool) -> String {
    const SHOWN: usize = 10;
    let f = style::FAINT;
    let list: Vec<_> = account.defaults.iter().filter(|d| d.held == held).collect();
    let value = |text: &str| {
        let cut: String = text.chars().take(40).collect();
        harmless(&if cut.len() < text.len() { cut + "…" } else { cut })
    };
    let mut out = String::new();
    for d in list.iter().take(SHOWN) {
        let (path, key) = (harmless(&d.path), harmless(&d.key));
        let _ = writeln!(out, "  {path}  {key}  {} {f}then{f:#} {}", value(&d.before), value(&d.after));
    }
    if list.len() > SHOWN {
        let _ = writeln!(out, "  {f}… and {} more, in the account{f:#}", list.len() - SHOWN);
    }
    out
}

fn remarks_list(account: &Account) -> String {
    account.remarks.iter().map(|r| format!("  {}: {}\n", harmless(&r.path), harmless(&r.text))).collect()
}

/// A part with its title, if there is anything in it.
fn part(title: &str, text: &str) -> String {
    let t = style::TITLE;
    if text.is_empty() { String::new() } else { format!("\n{t}{title}{t:#}\n{}\n", text.trim_end_matches('\n')) }
}

/// The open decisions, each with file, line, reason and the first words of both sides.
fn decisions_list(account: &Account) -> String {
    let open = account.decisions.iter().filter(|d| d.state == State::Open);
    open.enumerate().map(|(k, decision)| decision_entry(k + 1, decision)).collect()
}

/// The decisions that were settled by answers of an earlier carry.
fn remembered_list(account: &Account) -> String {
    let remembered =
        account.decisions.iter().filter_map(|d| Some((d, d.answer.as_ref().filter(|a| a.remembered)?)));
    let f = style::FAINT;
    let line = |(d, answer): (&Decision, &Answer)| {
        format!(
            "  {}{}  {}, as answered before  {f}{}{f:#}\n",
            harmless(&d.path),
            place(d.result),
            answer_words(answer),
            d.id
        )
    };
    remembered.map(line).collect()
}

/// An answer in a few words.
pub(crate) fn answer_words(answer: &Answer) -> &'static str {
    match answer.take {
        Take::Site => "the site's",
        Take::Release => "the release's",
        Take::Both => "both, the release's first",
        Take::BothSiteFirst => "both, the site's first",
        Take::Text => "a text of its own",
    }
}

/// One decision: file, line, reason, and the first words of its sides.
fn decision_entry(number: usize, decision: &Decision) -> String {
    let mut out = String::new();
    let place = place(decision.result);
    let (o, f, g) = (style::OPEN, style::FAINT, style::GOOD);
    let _ = writeln!(
        out,
        "  {o}{number}.{o:#} {}{place}  {}  {f}{}{f:#}",
        harmless(&decision.path),
        decision.reason.words(),
        decision.id
    );
    match (&decision.answer, decision.state) {
        (Some(answer), State::Settled) => {
            let again = if answer.remembered { ", as answered before" } else { "" };
            let _ = writeln!(out, "     {g}settled:{g:#} {}{again}", answer_words(answer));
        }
        (_, State::Edited) => {
            let _ = writeln!(out, "     {g}settled{g:#} by editing the file");
        }
        _ => {}
    }
    if let Some(suggestion) = &decision.suggestion {
        let _ = writeln!(out, "     {f}{}{f:#}", harmless(suggestion));
    }
    if let (Some(with), State::Open) = (&decision.with, decision.state) {
        let _ = writeln!(out, "     {f}goes with {with}: a side taken there is taken here{f:#}");
    }
    for (side, blob) in sides(decision) {
        for (n, line) in glimpse(blob).into_iter().enumerate() {
            let name = if n == 0 { side } else { "" };
            let _ = writeln!(out, "     {f}{name:<8}{f:#}│ {}", harmless(&line));
        }
    }
    out
}

/// `:12`, or nothing where no line of the result is meant.
fn place(lines: Option<Lines>) -> String {
    lines.filter(|l| l.count > 0).map(|l| format!(":{}", l.line)).unwrap_or_default()
}

fn sides(decision: &Decision) -> [(&'static str, &Blob); 3] {
    [("base", &decision.base), ("site", &decision.site), ("release", &decision.release)]
}

/// The first lines of a side.
fn glimpse(blob: &Blob) -> Vec<String> {
    const LINES: usize = 3;
    match blob {
        Blob::Missing { .. } => vec!["(no such file)".into()],
        Blob::File { size, .. } => vec![format!("(file of {})", size_words(*size))],
        Blob::Text { .. } | Blob::Bytes { .. } => {
            let bytes = blob.bytes().unwrap_or_default();
            let text = String::from_utf8_lossy(&bytes);
            let lines: Vec<&str> = text.lines().collect();
            if lines.is_empty() {
                return vec!["(nothing)".into()];
            }
            let mut out: Vec<String> = lines.iter().take(LINES).map(|l| clip(l, 90)).collect();
            if lines.len() > LINES {
                out.push(format!("… {}", count(lines.len() - LINES, "more line")));
            }
            out
        }
    }
}

/// Cuts a line to a width.
fn clip(line: &str, width: usize) -> String {
    if line.chars().count() <= width {
        return line.to_string();
    }
    line.chars().take(width - 1).chain(['…']).collect()
}

/// `1 change is`, `2 changes are`.
pub(crate) fn are(n: usize, what: &str) -> String {
    format!("{} {}", count(n, what), if n == 1 { "is" } else { "are" })
}

/// A size in words.
pub(crate) fn size_words(bytes: u64) -> String {
    match bytes {
        0..1024 => format!("{bytes} bytes"),
        1024..1_048_576 => format!("{:.1} KiB", bytes as f64 / 1024.0),
        _ => format!("{:.1} MiB", bytes as f64 / 1_048_576.0),
    }
}

/// Text of a theme, made harmless when it goes to a terminal; left alone in a pipe.
pub(crate) fn shown_bytes(bytes: &[u8], console: &Console) -> Vec<u8> {
    if console.is_terminal() { harmless(&String::from_utf8_lossy(bytes)).into_bytes() } else { bytes.to_vec() }
}

/// `a major step`, or nothing where the versions are unknown.
fn jump_words(account: &Account) -> String {
    use daxle_core::theme::Jump;
    match account.jump {
        Some(Jump::Major) => ", a major step".into(),
        Some(Jump::Minor) => ", a minor step".into(),
        Some(Jump::Patch) => ", a patch".into(),
        Some(Jump::None) => ", the same version".into(),
        Some(Jump::Back) => ", a step back".into(),
        None => String::new(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn long_sides_are_cut() {
        let blob = Blob::of("a\nb\nc\nd\ne\n".as_bytes());
        assert_eq!(glimpse(&blob), ["a", "b", "c", "… 2 more lines"]);
        assert_eq!(clip("abcdef", 4), "abc…");
    }
}
