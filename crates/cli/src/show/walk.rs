//! The walk-through: the site's areas whose files came out other than before, to be looked at on staging.

use std::fmt::Write;

use daxle_core::carry::account::Account;

use super::style;
use crate::console::harmless;

/// The areas to walk through; nothing where the layout names none, or none changed.
pub(crate) fn text(account: &Account, title: &str) -> String {
    let (t, f) = (style::TITLE, style::FAINT);
    let mut out = String::new();
    if account.walk.is_empty() {
        return out;
    }
    let _ = writeln!(out, "\n{t}{title}{t:#}");
    for area in &account.walk {
        let pages = area.pages.iter().map(|p| harmless(p)).collect::<Vec<_>>().join(", ");
        let _ = writeln!(out, "  {}  {pages}", harmless(&area.name));
        for reason in &area.why {
            let _ = writeln!(out, "      {f}{}: {}{f:#}", harmless(&reason.path), reason.words());
        }
    }
    out
}
