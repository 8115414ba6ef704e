//! Decisions and their answers as text.

use std::fmt::Write;

use daxle_core::carry::account::{Account, Decision, State};

use super::{count, decision_entry, style, totals_line};

/// What was answered, and what is still open.
pub(crate) fn text(account: &Account, shown: impl Fn(&&Decision) -> bool, done: usize, reopened: bool) -> String {
    let t = style::TITLE;
    let mut out = String::new();
    if done > 0 {
        let verb = if reopened { "open again" } else { "settled" };
        let _ = writeln!(out, "{t}{}{t:#} {verb}\n", count(done, "decision"));
    }
    let list: Vec<&Decision> = account.decisions.iter().filter(shown).collect();
    for (k, decision) in list.iter().enumerate() {
        out += &decision_entry(k + 1, decision);
    }
    if list.is_empty() && !account.decisions.iter().any(|d| d.state == State::Open) {
        let g = style::GOOD;
        let _ = writeln!(out, "{g}nothing is open{g:#}");
    }
    let _ = writeln!(out, "\n{}", totals_line(&account.totals));
    out
}

/// Where things stand after a visit to the screen.
pub(crate) fn summary(account: &Account) -> String {
    let settled = account.decisions.iter().filter(|d| d.state != State::Open).count();
    let left = account.decisions.len() - settled;
    format!("{} settled, {} open\n{}\n", settled, left, totals_line(&account.totals))
}
