//! The vendor's own notes between two versions.

use super::{Tree, Version};

/// The notes of one version.
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
pub struct Notes {
    /// The version as the change log writes it.
    pub version: String,
    /// The text below its heading.
    pub text: String,
}

/// Finds a change log at the root of a tree or in a documentation folder and returns its path.
pub fn find(tree: &dyn Tree) -> Option<usize> {
    let known = |path: &str| {
        let name = path.rsplit('/').next().unwrap_or(path).to_ascii_lowercase();
        let stem = name.split('.').next().unwrap_or(&name);
        matches!(stem, "changelog" | "changes" | "history" | "release-notes" | "releasenotes" | "news")
            && matches!(name.rsplit_once('.').map(|(_, e)| e), None | Some("md" | "txt" | "rst" | "markdown"))
    };
    let entries = tree.entries();
    (0..entries.len())
        .filter(|k| known(&entries[*k].path) && !entries[*k].binary && entries[*k].size < 4 << 20)
        .min_by_key(|k| (entries[*k].path.matches('/').count(), *k))
}

/// Returns the notes of all versions after `from` up to and with `to`, as the change log orders them.
pub fn between(text: &str, from: &Version, to: &Version) -> Vec<Notes> {
    let mut out: Vec<Notes> = Vec::new();
    let mut wanted = false;
    let lines: Vec<&str> = text.lines().collect();
    for (k, line) in lines.iter().enumerate() {
        if let Some((version, words)) = heading(line, lines.get(k + 1).copied().unwrap_or("")) {
            wanted = version > *from && version <= *to;
            if wanted {
                out.push(Notes { version: words, text: String::new() });
            }
        } else if wanted && let Some(last) = out.last_mut() {
            let underline = !line.is_empty() && line.chars().all(|c| c == '-' || c == '=');
            if !(last.text.is_empty() && (line.trim().is_empty() || underline)) {
                last.text.push_str(line);
                last.text.push('\n');
            }
        }
    }
    for notes in &mut out {
        notes.text.truncate(notes.text.trim_end().len());
    }
    out
}

/// Reads a heading that names a version: `## 3.0.0 - 2026-05-01`, `= 2.7 =`, `Version 2.6.1`, `[3.0.0]`.
fn heading(line: &str, next: &str) -> Option<(Version, String)> {
    let marked = line.starts_with('#') || (line.starts_with('=') && line.trim_end().ends_with('='));
    let underlined = next.len() >= 3 && next.chars().all(|c| c == '=' || c == '-');
    let bare = line.trim_start_matches(['#', '=', ' ', '*', '[']);
    let lower = bare.to_ascii_lowercase();
    let labelled = lower.starts_with("version ") || lower.starts_with("release ");
    if !marked && !underlined && !labelled && !line.starts_with('[') {
        return None;
    }
    let words = bare
        .split(|c: char| c.is_whitespace() || matches!(c, ']' | '(' | ')' | '=' | '*' | ':' | ','))
        .filter(|w| !w.is_empty());
    words.filter(|w| w.contains('.') || w.starts_with('v')).find_map(|w| Some((Version::parse(w)?, w.to_string())))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn notes_between_two_versions() {
        let log =
            "# Changes\n\n## 3.0.0 (2026-05-01)\n\n- new\n\n## 2.7.0\n- less\n\nVersion 2.6.1\n-----\n- old\n";
        let v = |t| Version::parse(t).unwrap();
        let notes = between(log, &v("2.6.1"), &v("3.0.0"));
        assert_eq!(
            notes,
            [
                Notes { version: "3.0.0".into(), text: "- new".into() },
                Notes { version: "2.7.0".into(), text: "- less".into() }
            ]
        );
        assert_eq!(between(log, &v("2.0"), &v("2.6.1"))[0].text, "- old");
    }
}
