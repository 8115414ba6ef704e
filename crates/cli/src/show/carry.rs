//! The outcome of a carry as text.

use std::fmt::Write;
use std::path::Path;

use daxle_core::carry::account::Account;

use super::{count, decisions_list, files_table, jump_words, steps_list, style, totals_line};
use crate::console::harmless;

pub(crate) fn text(account: &Account, out_path: &Path, account_path: &Path) -> String {
    let t = style::TITLE;
    let themes = &account.themes;
    let mut out = String::new();
    let _ = writeln!(
        out,
        "{t}Carried{t:#} {} of the site from {} into {}{}\n",
        count(account.totals.changes, "change"),
        harmless(&themes.base.label()),
        harmless(&themes.release.label()),
        jump_words(account),
    );
    out += &files_table(account);
    let steps = steps_list(account);
    if !steps.is_empty() {
        let _ = writeln!(out, "\n{t}Worth a look{t:#}\n{}", steps.trim_end_matches('\n'));
    }
    let open = decisions_list(account);
    if !open.is_empty() {
        let _ = writeln!(out, "\n{t}Open decisions{t:#}\n{}", open.trim_end_matches('\n'));
    }
    for remark in &account.remarks {
        let _ = writeln!(out, "\n  {}: {}", harmless(&remark.path), harmless(&remark.text));
    }
    let _ = writeln!(out, "\n{}", totals_line(&account.totals));
    let _ = writeln!(out, "result   {}\naccount  {}", out_path.display(), account_path.display());
    out
}
