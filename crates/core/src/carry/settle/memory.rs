//! Answers that are remembered: the same three contents, in any file, get the same answer.
//!
//! The file is TOML with one line for each answer, sorted by key, so that two of them merge line by line.

use std::collections::BTreeMap;

use crate::carry::account::{Answer, Decision, Take};

/// Remembered answers, by key.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Memory {
    answers: BTreeMap<String, Remembered>,
}

/// One remembered answer.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Remembered {
    /// Which side it takes.
    pub take: Take,
    /// The text, where somebody wrote one.
    pub text: Option<String>,
    /// What it was about, for a reader of the file.
    pub about: String,
}

/// The answers could not be read.
#[derive(Debug, thiserror::Error, PartialEq, Eq)]
#[error("line {line}: {message}")]
pub struct MemoryError {
    /// Line, from 1.
    pub line: usize,
    /// What is wrong there.
    pub message: String,
}

const HEAD: &str = "\
# Answers that this site gave to decisions, one line each; the same three contents get the same answer again.
# Kept by `daxle settle`; a line that is taken out is forgotten.

[answers]
";

/// Returns the key of a decision: it depends on the three contents alone.
pub fn key(decision: &Decision) -> String {
    let mut hasher = blake3::Hasher::new();
    for blob in [&decision.base, &decision.site, &decision.release] {
        hasher.update(serde_json::to_string(blob).unwrap_or_default().as_bytes());
        hasher.update(b"\n");
    }
    hasher.finalize().to_hex()[..20].to_string()
}

impl Memory {
    /// Reads answers: `"key" = "site"`, or `"key" = { take = "text", text = "…", about = "…" }`. The keys may be those
    /// of a memory, ids of decisions, or globs of paths.
    ///
    /// # Errors
    ///
    /// When the text is no TOML, or holds anything else; with the line.
    pub fn parse(text: &str) -> Result<Self, MemoryError> {
        let line = |offset: usize| text[..offset.min(text.len())].matches('\n').count() + 1;
        let table: toml::Table = toml::from_str(text).map_err(|e| MemoryError {
            line: line(e.span().map_or(0, |s| s.start)),
            message: e.message().trim_end().replace('\n', ", "),
        })?;
        let at = |key: &str| line(text.find(&format!("\"{key}\"")).or_else(|| text.find(key)).unwrap_or(0));
        let mut memory = Memory::default();
        for (name, value) in &table {
            let Some(answers) = value.as_table().filter(|_| name == "answers") else {
                return Err(MemoryError { line: at(name), message: "there may be an [answers] table only".into() });
            };
            for (key, value) in answers {
                let remembered = read(value).map_err(|message| MemoryError { line: at(key), message })?;
                memory.answers.insert(key.clone(), remembered);
            }
        }
        Ok(memory)
    }

    /// Returns the answers, by key.
    pub fn iter(&self) -> impl Iterator<Item = (&str, &Remembered)> {
        self.answers.iter().map(|(key, answer)| (key.as_str(), answer))
    }

    /// Tells whether nothing is remembered.
    pub fn is_empty(&self) -> bool {
        self.answers.is_empty()
    }

    /// Returns the answer that was once given to the same three contents. A decision that goes with another gets that
    /// one's: a lone brace is everywhere.
    pub fn recall(&self, decision: &Decision) -> Option<Answer> {
        if decision.with.is_some() {
            return None;
        }
        let found = self.answers.get(&key(decision))?;
        Some(Answer { text: found.text.clone(), remembered: true, ..Answer::take(found.take) })
    }

    /// Remembers an answer, but for a decision that goes with another.
    pub fn remember(&mut self, decision: &Decision, answer: &Answer) {
        if decision.with.is_some() {
            return;
        }
        let about = format!("{}: {}", decision.path, decision.reason.words());
        let remembered = Remembered { take: answer.take, text: answer.text.clone(), about };
        self.answers.insert(key(decision), remembered);
    }

    /// Forgets the answer to a decision; tells whether there was one.
    pub fn forget(&mut self, decision: &Decision) -> bool {
        self.answers.remove(&key(decision)).is_some()
    }

    /// Writes the answers, one line each, sorted by key.
    pub fn to_toml(&self) -> String {
        let quoted = |text: &str| toml_edit::Value::from(text).to_string();
        // One line each: a basic string, whatever is in it.
        let line = |text: &str| serde_json::to_string(text).unwrap_or_default().replace('\u{7f}', "\\u007f");
        let mut out = HEAD.to_string();
        for (key, answer) in &self.answers {
            let text = answer.text.as_ref().map(|t| format!(", text = {}", line(t))).unwrap_or_default();
            let (take, about) = (answer.take.word(), line(&answer.about));
            out += &format!("{} = {{ take = \"{take}\"{text}, about = {about} }}\n", quoted(key));
        }
        out
    }
}

fn read(value: &toml::Value) -> Result<Remembered, String> {
    let word = |word: &str| {
        let words: Vec<&str> = Take::ALL.iter().map(|t| t.word()).collect();
        let found = Take::ALL.into_iter().find(|t| t.word() == word);
        found.ok_or_else(|| format!("`{word}` is no answer; answers are {}", words.join(", ")))
    };
    match value {
        toml::Value::String(side) => {
            let take = word(side)?;
            if take == Take::Text {
                return Err("the answer `text` needs a text: { take = \"text\", text = \"…\" }".into());
            }
            Ok(Remembered { take, text: None, about: String::new() })
        }
        toml::Value::Table(table) => {
            let known = ["take", "text", "about"];
            if let Some(other) = table.keys().find(|k| !known.contains(&k.as_str())) {
                return Err(format!("`{other}` is not known; known are take, text, about"));
            }
            let get = |key: &str| table.get(key).and_then(toml::Value::as_str).map(String::from);
            let text = get("text");
            let take =
                word(&get("take").unwrap_or_else(|| if text.is_some() { "text".into() } else { String::new() }))?;
            if (take == Take::Text) != text.is_some() {
                return Err("a text goes with take = \"text\", and the other way round".into());
            }
            Ok(Remembered { take, text, about: get("about").unwrap_or_default() })
        }
        _ => Err("an answer is a word, or a table with take and text".into()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::carry::account::Blob;
    use proptest::prelude::*;

    #[test]
    fn mistakes_are_named_with_their_line() {
        let error = Memory::parse("[answers]\n\"a\" = \"site\"\n\"b\" = \"mine\"\n").unwrap_err();
        assert!(error.line == 3 && error.message.contains("mine"), "{error}");
        assert_eq!(Memory::parse("answers = 1\n").unwrap_err().line, 1);
        assert!(Memory::parse("[answers]\nx = { take = \"site\", text = \"y\" }\n").is_err());
    }

    fn decision(site: &str) -> Decision {
        let json = serde_json::json!({
            "id": "d1", "path": "a.css", "reason": "both_changed", "state": "open", "stands": "markers",
            "base": Blob::of(b"b"), "site": Blob::of(site.as_bytes()), "release": Blob::of(b"r"), "changes": [],
        });
        serde_json::from_value(json).unwrap()
    }

    proptest! {
        #[test]
        fn what_is_written_is_read_again(texts in proptest::collection::vec("\\PC{0,12}|[\"\\\\\n\t\r\u{7f}]{0,6}", 0..6)) {
            let mut memory = Memory::default();
            for (k, text) in texts.iter().enumerate() {
                let decision = decision(&format!("{k}"));
                memory.remember(&decision, &Answer::text(text.clone()));
                prop_assert_eq!(memory.recall(&decision).unwrap().text, Some(text.clone()));
            }
            let written = memory.to_toml();
            prop_assert_eq!(written.lines().count(), HEAD.lines().count() + texts.len());
            prop_assert_eq!(Memory::parse(&written).unwrap(), memory);
        }
    }
}
