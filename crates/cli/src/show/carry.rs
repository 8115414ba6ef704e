//! The outcome of a carry as text.

use std::fmt::Write;
use std::path::Path;

use daxle_core::carry::account::Account;

use super::{
    count, decisions_list, defaults_list, files_table, jump_words, notes_list, part, remarks_list, remembered_list,
    steps_list, style, totals_line,
};
use crate::console::harmless;

pub(crate) fn text(account: &Account, out_path: &Path, account_path: &Path) -> String {
    let t = style::TITLE;
    let themes = &account.themes;
    let mut out = String::new();
    let from = match &account.child {
        Some(_) => format!("of {} into {}", harmless(&themes.site.label()), harmless(&themes.release.label())),
        None => format!(
            "of the site from {} into {}",
            harmless(&themes.base.label()),
            harmless(&themes.release.label())
        ),
    };
    let changes = count(account.totals.changes, "change");
    let _ = writeln!(out, "{t}Carried{t:#} {changes} {from}{}\n", jump_words(account));
    out += &files_table(account);
    out += &part("Worth a look", &steps_list(account));
    out += &part("Open decisions", &decisions_list(account));
    out += &part("Remembered", &remembered_list(account));
    out += &part("Notes", &notes_list(account));
    out += super::walk::text(account, "To walk through before it goes live").as_str();
    out += &part("New defaults that the site follows", &defaults_list(account, false));
    out += &part("Defaults held at what they were", &defaults_list(account, true));
    out += &part("To know", &remarks_list(account));
    let _ = writeln!(out, "\n{}", totals_line(&account.totals));
    let _ = writeln!(out, "result   {}\naccount  {}", out_path.display(), account_path.display());
    out
}
