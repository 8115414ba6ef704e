//! A verification as text.

use std::fmt::Write;
use std::path::Path;

use daxle_core::carry::Proof;

use super::{count, decisions_list, style, totals_line};
use crate::console::harmless;

pub(crate) fn text(proof: &Proof, dir: &Path) -> String {
    let (t, g, e, f) = (style::TITLE, style::GOOD, style::ERROR, style::FAINT);
    let mut out = String::new();
    let _ = writeln!(
        out,
        "{t}Verified{t:#} {}: {} looked up in {}\n",
        dir.display(),
        count(proof.changes, "change"),
        count(proof.files, "file"),
    );
    if proof.newly_settled > 0 {
        let _ = writeln!(
            out,
            "  {} taken since by editing; the account follows",
            count(proof.newly_settled, "decision")
        );
    }
    if proof.findings.is_empty() {
        let _ = writeln!(out, "  {g}every change is accounted for{g:#}, and nothing of the release is lost");
    }
    for finding in &proof.findings {
        let place = finding.line.map(|l| format!(":{l}")).unwrap_or_default();
        let path = if finding.path.is_empty() { "(the account)".to_string() } else { harmless(&finding.path) };
        let id = finding.change.as_deref().map(|c| format!("  {f}{c}{f:#}")).unwrap_or_default();
        let _ = writeln!(out, "  {e}found{e:#} {path}{place}  {}{id}", harmless(&finding.means));
        let _ = writeln!(out, "        {f}to mend it: {}{f:#}", harmless(&finding.mend));
    }
    let open = decisions_list(&proof.account);
    if !open.is_empty() {
        let _ = writeln!(out, "\n{t}Still open{t:#}\n{}", open.trim_end_matches('\n'));
    }
    let _ = writeln!(out, "\n{}", totals_line(&proof.account.totals));
    out
}
