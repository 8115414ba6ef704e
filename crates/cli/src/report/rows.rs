//! Tables of lines side by side.

use std::fmt::Write;
use std::ops::Range;

use daxle_core::carry::account::Blob;
use daxle_core::changes::{Cell, Part, Row, beside};

use super::escaped;
use crate::show::size_words;

/// Unchanged stretches longer than this are folded.
const SAME: usize = 8;
/// Rows of one table; what is beyond is only counted.
const ROWS: usize = 120;
/// Characters of one line.
const WIDE: usize = 600;

/// Two texts side by side: each with the number of its first line, from 0, and the lines that are meant.
pub(super) fn beside_table(
    title: &str,
    heads: [&str; 2],
    (old, old_from, old_own): (&str, usize, Range<usize>),
    (new, new_from, new_own): (&str, usize, Range<usize>),
) -> String {
    let rows = beside(old.as_bytes(), new.as_bytes());
    let mut out = format!(
        "<table><caption>{title}</caption><thead><tr><th class=\"n\"></th><th>{}</th><th class=\"n\"></th><th>{}</th></tr></thead><tbody>\n",
        heads[0], heads[1]
    );
    let own = |row: &Row| {
        row.old.as_ref().is_some_and(|c| old_own.contains(&(c.line + old_from)))
            || row.new.as_ref().is_some_and(|c| new_own.contains(&(c.line + new_from)))
    };
    let mut at = 0;
    let mut written = 0;
    while at < rows.len() && written < ROWS {
        let same = rows[at..].iter().take_while(|r| r.same && !own(r)).count();
        if same > SAME {
            let _ = writeln!(
                out,
                "<tr class=\"fold\"><td class=\"n\"><td colspan=\"3\">{same} lines that are the same</td></tr>"
            );
            at += same;
            continue;
        }
        let row = &rows[at];
        let class = match (row.same, own(row)) {
            (true, true) => " class=\"same own\"",
            (true, false) => " class=\"same\"",
            (false, true) => " class=\"own\"",
            (false, false) => "",
        };
        let numbered = old_from + new_from > 0 || !old_own.is_empty() || !new_own.is_empty();
        let _ = writeln!(
            out,
            "<tr{class}>{}{}</tr>",
            cell(row.old.as_ref(), "old", "del", old_from, numbered),
            cell(row.new.as_ref(), "new", "ins", new_from, numbered)
        );
        (at, written) = (at + 1, written + 1);
    }
    if at < rows.len() {
        let _ = writeln!(
            out,
            "<tr class=\"fold\"><td class=\"n\"><td colspan=\"3\">{} more lines</td></tr>",
            rows.len() - at
        );
    }
    out + "</tbody></table>\n"
}

fn cell(cell: Option<&Cell>, side: &str, tag: &str, from: usize, numbered: bool) -> String {
    let Some(cell) = cell else { return format!("<td class=\"n\"><td class=\"{side}\">") };
    let number = if numbered { (cell.line + from + 1).to_string() } else { String::new() };
    format!("<td class=\"n\">{number}<td class=\"{side}\">{}", parts(&cell.parts, tag))
}

/// A line, with what the other side does not have in a tag.
fn parts(parts: &[Part], tag: &str) -> String {
    let mut out = String::new();
    let mut room = WIDE;
    for part in parts {
        let text: String = String::from_utf8_lossy(&part.text).chars().take(room).collect();
        room -= text.chars().count();
        let text = escaped(&text);
        if part.differs && !text.trim().is_empty() {
            let _ = write!(out, "<{tag}>{text}</{tag}>");
        } else {
            out += &text;
        }
        if room == 0 {
            out.push('…');
            break;
        }
    }
    out
}

/// Three contents beside each other; the outer ones with what the middle one does not have marked.
pub(super) fn three_columns(sides: [(&str, &Blob); 3]) -> String {
    let text = |blob: &Blob| blob.bytes().map(|b| String::from_utf8_lossy(&b).into_owned());
    let middle = text(sides[1].1).unwrap_or_default();
    let column = |k: usize| -> Vec<String> {
        let blob = sides[k].1;
        let words = match blob {
            Blob::Missing { .. } => return vec!["<em>no such file</em>".into()],
            Blob::File { size, .. } => return vec![format!("<em>a file of {}</em>", size_words(*size))],
            blob => text(blob).unwrap_or_default(),
        };
        if words.is_empty() {
            return vec!["<em>nothing</em>".into()];
        }
        let rows: Vec<Row> = match k {
            1 => beside(middle.as_bytes(), text(sides[0].1).unwrap_or_default().as_bytes()),
            _ => beside(middle.as_bytes(), words.as_bytes()),
        };
        let lines = rows.iter().filter_map(|r| if k == 1 { r.old.as_ref() } else { r.new.as_ref() });
        let tag = if k == 1 { "del" } else { "ins" };
        lines.map(|c| parts(&c.parts, tag)).collect()
    };
    let columns = [column(0), column(1), column(2)];
    let mut out = String::from("<table><thead><tr>");
    for (title, _) in &sides {
        let _ = write!(out, "<th>{}</th>", escaped(title));
    }
    out += "</tr></thead><tbody>\n";
    let longest = columns.iter().map(Vec::len).max().unwrap_or(0);
    for k in 0..longest.min(ROWS) {
        out += "<tr>";
        for column in &columns {
            let _ = write!(out, "<td>{}</td>", column.get(k).map_or("", String::as_str));
        }
        out += "</tr>\n";
    }
    if longest > ROWS {
        let _ = writeln!(out, "<tr class=\"fold\"><td colspan=\"3\">{} more lines</td></tr>", longest - ROWS);
    }
    out + "</tbody></table>\n"
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn unchanged_stretches_fold_but_never_the_change_itself() {
        let lines = |from: usize, to: usize| (from..to).map(|k| format!("line {k}\n")).collect::<String>();
        let (old, new) = (lines(0, 40), lines(0, 40).replace("line 30\n", "line thirty\n"));
        let table = beside_table("T", ["a", "b"], (&old, 0, 0..0), (&new, 0, 0..0));
        assert!(table.contains("30 lines that are the same") && table.contains("9 lines that are the same"));
        assert_eq!(table.matches("<tr>").count(), 2, "the head and the line that differs: {table}");
        assert!(table.contains("<del>30</del>") && table.contains("<ins>thirty</ins>"));
        // What is meant stands open, whether it differs or not.
        let same = beside_table("T", ["a", "b"], (&old, 100, 110..112), (&old, 200, 0..0));
        assert_eq!(same.matches("class=\"same own\"").count(), 2);
        assert!(same.contains("<td class=\"n\">111") && same.contains("<td class=\"n\">211"));
    }

    #[test]
    fn what_is_long_is_cut_and_counted() {
        let many: String = (0..500).map(|k| format!("{k}\n")).collect();
        let table = beside_table("T", ["a", "b"], ("", 0, 0..0), (&many, 0, 0..0));
        assert!(table.contains("380 more lines"));
        let wide = "x".repeat(5000);
        let table = beside_table("T", ["a", "b"], ("", 0, 0..0), (&wide, 0, 0..0));
        assert!(table.contains('…') && table.len() < 1500);
    }

    #[test]
    fn sides_that_are_no_text_are_told_in_words() {
        let (text, missing) = (Blob::of(b"<b>one</b>\n"), Blob::Missing { missing: true });
        let file = Blob::File { size: 2048, digest: String::new() };
        let table = three_columns([("site", &text), ("base", &missing), ("release", &file)]);
        assert!(table.contains("&lt;b&gt;") && table.contains("no such file") && table.contains("2.0 KiB"));
        let empty = Blob::of(b"");
        assert!(three_columns([("a", &empty), ("b", &text), ("c", &text)]).contains("<em>nothing</em>"));
    }
}
