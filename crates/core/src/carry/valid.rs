//! Whether a file is well-formed in its own format, as far as that can be told without a platform.

use crate::formats::yaml;
use crate::theme::Kind;

/// Reads a file in its own format and says what is wrong with it, with the line; `None` where it is well-formed
/// or the format is not one that is checked.
pub fn well_formed(path: &str, kind: Kind, bytes: &[u8]) -> Option<(usize, String)> {
    if kind != Kind::Settings {
        return None;
    }
    let text = match std::str::from_utf8(bytes) {
        Ok(text) => text.trim_start_matches('\u{feff}'),
        Err(error) => {
            let line = bytes[..error.valid_up_to()].iter().filter(|b| **b == b'\n').count() + 1;
            return Some((line, "not UTF-8".into()));
        }
    };
    let lower = path.to_ascii_lowercase();
    if lower.ends_with(".json") {
        serde_json::from_str::<serde::de::IgnoredAny>(text).err().map(|e| (e.line(), e.to_string()))
    } else if lower.ends_with(".yaml") || lower.ends_with(".yml") {
        yaml::fault(text)
    } else if lower.ends_with(".toml") {
        toml::from_str::<toml::Table>(text).err().map(|e| {
            let offset = e.span().map_or(0, |s| s.start).min(text.len());
            (text[..offset].matches('\n').count() + 1, e.message().to_string())
        })
    } else {
        None
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn broken_settings_are_told_with_their_line() {
        assert_eq!(well_formed("a.json", Kind::Settings, b"{\n \"a\": 1\n}\n"), None);
        assert_eq!(well_formed("a.json", Kind::Settings, b"{\n \"a\": 1\n \"b\": 2\n}\n").unwrap().0, 3);
        assert_eq!(well_formed("a.toml", Kind::Settings, b"a = 1\nb = = 2\n").unwrap().0, 2);
        assert_eq!(well_formed("a.yml", Kind::Settings, b"a: 1\nb:\n  - c\n"), None);
        assert_eq!(well_formed("a.yml", Kind::Settings, b"a: [1\nb: 2\n").unwrap().0, 2);
        assert_eq!(well_formed("a.css", Kind::Style, b"}"), None);
    }
}
