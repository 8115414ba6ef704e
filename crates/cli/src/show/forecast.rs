//! A forecast as text.

use std::fmt::Write;

use daxle_core::carry::account::Account;

use super::{
    count, decisions_list, defaults_list, files_table, jump_words, notes_list, part, remarks_list, remembered_list,
    style, totals_line,
};
use crate::console::harmless;

pub(crate) fn text(account: &Account) -> String {
    let (t, f) = (style::TITLE, style::FAINT);
    let themes = &account.themes;
    let mut out = String::new();
    let _ = writeln!(
        out,
        "{t}Forecast{t:#}: {} in the site's copy of {}, carried into {}{}\n",
        count(account.totals.changes, "change"),
        harmless(&themes.base.label()),
        harmless(&themes.release.label()),
        jump_words(account),
    );
    out += &files_table(account);
    let _ = writeln!(out, "\n  {}", totals_line(&account.totals));
    if !account.vendor.is_empty() {
        let _ = writeln!(out, "\n{t}Under the site's changes the vendor{t:#}");
        for change in &account.vendor {
            let what = match &change.to {
                Some(to) => format!("renamed {} to {}", harmless(&change.path), harmless(to)),
                None => format!("removed {}", harmless(&change.path)),
            };
            let _ = writeln!(out, "  {what}");
        }
    }
    out += &part("A carry would ask", &decisions_list(account));
    out += &part("Remembered", &remembered_list(account));
    out += &part("Notes", &notes_list(account));
    out += &part("New defaults that the site follows", &defaults_list(account, false));
    out += &part("Defaults held at what they were", &defaults_list(account, true));
    out += &part("To know", &remarks_list(account));
    if !account.notes.is_empty() {
        let _ = writeln!(out, "\n{t}The vendor's notes{t:#}");
        for notes in &account.notes {
            let _ = writeln!(out, "  {t}{}{t:#}", harmless(&notes.version));
            for line in notes.text.lines() {
                let _ = writeln!(out, "    {f}{}{f:#}", harmless(line));
            }
        }
    }
    out
}
