//! A verification as text.

use std::fmt::Write;
use std::path::Path;

use daxle_core::carry::{Finding, Proof, Since};

use super::{count, decisions_list, style, totals_line};
use crate::console::harmless;

pub(crate) fn text(proof: &Proof, dir: &Path) -> String {
    let (t, g) = (style::TITLE, style::GOOD);
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
    if proof.new_findings().next().is_none() {
        let _ = writeln!(out, "  {g}every change is accounted for{g:#}, and nothing of the release is lost");
    }
    for finding in proof.new_findings() {
        out += &entry(finding);
    }
    let before: Vec<&Finding> = proof.findings.iter().filter(|f| f.since != Since::Carry).collect();
    if !before.is_empty() {
        let _ = writeln!(out, "\n{t}Not of this carry's making{t:#}");
        before.iter().for_each(|finding| out += &entry(finding));
    }
    let open = decisions_list(&proof.account);
    if !open.is_empty() {
        let _ = writeln!(out, "\n{t}Still open{t:#}\n{}", open.trim_end_matches('\n'));
    }
    let _ = writeln!(out, "\n{}", totals_line(&proof.account.totals));
    out
}

fn entry(finding: &Finding) -> String {
    let (e, f, w) = (style::ERROR, style::FAINT, style::WARNING);
    let place = finding.line.map(|l| format!(":{l}")).unwrap_or_default();
    let path = if finding.path.is_empty() { "(the account)".to_string() } else { harmless(&finding.path) };
    let id = finding.change.as_deref().map(|c| format!("  {f}{c}{f:#}")).unwrap_or_default();
    let word = match finding.since {
        Since::Carry => format!("{e}found{e:#}"),
        Since::Site => format!("{w}the site had it already{w:#}"),
        Since::Release => format!("{w}the release came with it{w:#}"),
    };
    let means = harmless(&finding.means);
    format!("  {word} {path}{place}  {means}{id}\n        {f}to mend it: {}{f:#}\n", harmless(&finding.mend))
}
