//! Reading PO files. What is not changed is written back byte for byte.

use std::ops::Range;

use super::Charset;

/// A catalog. Its texts are UTF-8, whatever its charset.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Catalog {
    /// The text that it was read from.
    text: Vec<u8>,
    /// The messages, in order, the header among them.
    pub messages: Vec<Message>,
    /// The charset that it is written in.
    pub charset: Charset,
}

/// A message. Its texts have their escapes resolved.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Message {
    /// Comment lines before it, as they are: translators' notes, `#.` extracted, `#:` references, `#,` flags, `#|` the
    /// previous message.
    pub comments: Vec<Vec<u8>>,
    /// It is commented out (`#~`).
    pub obsolete: bool,
    /// The context; an empty one differs from none.
    pub context: Option<Vec<u8>>,
    /// The message id.
    pub id: Vec<u8>,
    /// The plural's id.
    pub plural: Option<Vec<u8>>,
    /// The translation, or one for each plural form.
    pub texts: Vec<Vec<u8>>,
    /// The line of its first string, from 1.
    pub line: usize,
    /// Where it stands in the text; nothing for one that was made.
    pub(crate) span: Option<Range<usize>>,
    /// The lines of its context and id.
    pub(crate) head: Range<usize>,
    /// The lines of each translation.
    pub(crate) forms: Vec<Range<usize>>,
}

/// Context and id.
pub(super) type Key<'m> = (Option<&'m [u8]>, &'m [u8]);

/// A catalog cannot be read.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("line {line}, column {column}: {what}")]
pub struct Fault {
    /// Line, from 1.
    pub line: usize,
    /// Column of the first word on it, from 1.
    pub column: usize,
    /// What is wrong there.
    pub what: String,
}

impl Message {
    /// Tells whether this is the header: no context, an empty id.
    pub fn is_header(&self) -> bool {
        self.context.is_none() && self.id.is_empty() && !self.obsolete
    }

    /// Tells whether the translation is marked as unsure.
    pub fn is_fuzzy(&self) -> bool {
        self.flags().iter().any(|f| f == b"fuzzy")
    }

    /// Tells whether every form has a text.
    pub fn is_translated(&self) -> bool {
        !self.texts.is_empty() && self.texts.iter().all(|t| !t.is_empty())
    }

    /// The flags, such as `fuzzy` and `c-format`.
    pub fn flags(&self) -> Vec<Vec<u8>> {
        let lines = self.comments.iter().filter_map(|c| c.strip_prefix(b"#,"));
        lines
            .flat_map(|l| l.split(|b| *b == b',').map(|f| f.trim_ascii().to_vec()))
            .filter(|f| !f.is_empty())
            .collect()
    }

    /// What tells messages apart: context and id.
    pub fn key(&self) -> Key<'_> {
        (self.context.as_deref(), &self.id)
    }
}

impl Catalog {
    /// Reads a catalog.
    ///
    /// # Errors
    ///
    /// When a line is no part of a catalog, or a message stands twice; with the line.
    pub fn parse(bytes: &[u8]) -> Result<Self, Fault> {
        let decoded = Charset::of_header(bytes).and_then(|charset| Some((charset.decode(bytes)?, charset)));
        // What is no text of its charset is read as it is.
        let (text, charset) = decoded.unwrap_or_else(|| (bytes.to_vec(), Charset::default()));
        Self::of_text(text, charset)
    }

    /// Reads a catalog from a text that is UTF-8 already, whatever its header says.
    pub(crate) fn of_text(text: Vec<u8>, charset: Charset) -> Result<Self, Fault> {
        let mut reader = Reader::new(&text);
        let mut messages: Vec<Message> = Vec::new();
        while let Some(message) = reader.message()? {
            messages.push(message);
        }
        let mut seen = std::collections::HashMap::new();
        for message in messages.iter().filter(|m| !m.obsolete) {
            if let Some(first) = seen.insert(message.key(), message.line) {
                let what = format!("the message stands at line {first} already");
                return Err(Fault { line: message.line, column: 1, what });
            }
        }
        Ok(Catalog { text, messages, charset })
    }

    /// A catalog of messages that no text stands behind.
    pub(super) fn made(messages: Vec<Message>, charset: Charset) -> Self {
        Catalog { text: Vec::new(), messages, charset }
    }

    /// The header's text.
    pub fn header(&self) -> Option<&Message> {
        self.messages.iter().find(|m| m.is_header())
    }

    /// A field of the header, such as `Plural-Forms`.
    pub fn field(&self, name: &str) -> Option<String> {
        let header = self.header()?.texts.first()?;
        let text = String::from_utf8_lossy(header).into_owned();
        text.lines().find_map(|line| {
            let (key, value) = line.split_once(':')?;
            key.trim().eq_ignore_ascii_case(name).then(|| value.trim().to_string())
        })
    }

    /// The text of a message as it was read; nothing for one that was made.
    pub fn source_of(&self, message: &Message) -> Option<&[u8]> {
        self.text.get(message.span.clone()?)
    }

    /// The line end of the text.
    pub fn line_end(&self) -> &'static [u8] {
        let first = self.text.iter().position(|b| *b == b'\n');
        if first.is_some_and(|k| k > 0 && self.text[k - 1] == b'\r') { b"\r\n" } else { b"\n" }
    }

    /// The text that the catalog was read from, in UTF-8.
    pub fn text(&self) -> &[u8] {
        &self.text
    }

    /// The rule by which its language counts; `None` where the header has none that can be read.
    pub fn plural_rule(&self) -> Option<super::PluralRule> {
        super::PluralRule::parse(&self.field("Plural-Forms")?)
    }
}

/// A line of the text: where it is, and what it says without blanks around.
struct Row<'a> {
    span: Range<usize>,
    words: &'a [u8],
}

struct Reader<'a> {
    text: &'a [u8],
    rows: Vec<Row<'a>>,
    at: usize,
}

impl<'a> Reader<'a> {
    fn new(text: &'a [u8]) -> Self {
        let mut rows = Vec::new();
        let mut at = 0;
        for line in text.split_inclusive(|b| *b == b'\n') {
            let words = line.trim_ascii();
            let words = if at == 0 { words.strip_prefix(b"\xEF\xBB\xBF").unwrap_or(words) } else { words };
            rows.push(Row { span: at..at + line.len(), words });
            at += line.len();
        }
        Reader { text, rows, at: 0 }
    }

    fn fault(&self, row: usize, what: impl Into<String>) -> Fault {
        let line = self.rows.get(row).map_or(&b""[..], |r| &self.text[r.span.clone()]);
        let column = 1 + line.iter().take_while(|b| matches!(b, b' ' | b'\t')).count();
        Fault { line: row + 1, column, what: what.into() }
    }

    /// The words of a line without the mark of what is commented out, and whether it had one.
    fn words(&self, row: usize) -> Option<(&'a [u8], bool)> {
        let words = self.rows.get(row)?.words;
        // `#~|` is the previous message of one that is commented out: a comment.
        match words.strip_prefix(b"#~") {
            Some(rest) if rest.first() != Some(&b'|') => Some((rest.trim_ascii(), true)),
            _ => Some((words, false)),
        }
    }

    /// Reads the next message; nothing at the end. Comments that belong to no message are left where they are.
    fn message(&mut self) -> Result<Option<Message>, Fault> {
        let mut message = Message::default();
        let mut start = None;
        loop {
            let Some((words, obsolete)) = self.words(self.at) else { return Ok(None) };
            if words.is_empty() {
                (message.comments, start) = (Vec::new(), None);
            } else if !obsolete && words[0] == b'#' {
                start.get_or_insert(self.at);
                message.comments.push(words.to_vec());
            } else {
                message.obsolete = obsolete;
                break;
            }
            self.at += 1;
        }
        let first = self.at;
        let start = start.unwrap_or(first);
        message.line = first + 1;
        let (mut id, mut forms) = (None, Vec::new());
        message.head = self.rows[first].span.start..self.rows[first].span.start;
        while let Some((words, obsolete)) = self.words(self.at) {
            let begins = |word: &[u8]| {
                words.strip_prefix(word).filter(|r| !r.first().is_some_and(u8::is_ascii_alphanumeric))
            };
            if obsolete != message.obsolete || words.is_empty() || words[0] == b'#' {
                break;
            }
            let row = self.at;
            if let Some(rest) = words.strip_prefix(b"msgid_plural") {
                message.plural = Some(self.string(rest, message.obsolete)?);
            } else if let Some(rest) = begins(b"msgid") {
                if id.is_some() {
                    break;
                }
                id = Some(self.string(rest, message.obsolete)?);
            } else if let Some(rest) = begins(b"msgctxt") {
                if id.is_some() {
                    break;
                }
                message.context = Some(self.string(rest, message.obsolete)?);
            } else if let Some(rest) = words.strip_prefix(b"msgstr") {
                let rest = match rest.trim_ascii_start().strip_prefix(b"[") {
                    None => rest,
                    Some(inner) => {
                        let end = inner.iter().position(|b| *b == b']');
                        let number =
                            end.and_then(|e| std::str::from_utf8(&inner[..e]).ok()?.trim().parse::<usize>().ok());
                        if number != Some(forms.len()) {
                            return Err(self.fault(row, format!("here msgstr[{}] is due", forms.len())));
                        }
                        &inner[end.map_or(0, |e| e + 1)..]
                    }
                };
                forms.push(self.string(rest, message.obsolete)?);
                let lines = self.rows[row].span.start..self.rows[self.at - 1].span.end;
                message.head.end = message.forms.first().map_or(lines.start, |f: &Range<usize>| f.start);
                message.forms.push(lines);
            } else {
                return Err(self.fault(row, "neither a comment nor a part of a message"));
            }
        }
        message.id = id.ok_or_else(|| self.fault(first, "a message without msgid"))?;
        if forms.is_empty() {
            return Err(self.fault(first, "a message without msgstr"));
        }
        if forms.len() > 1 && message.plural.is_none() {
            return Err(self.fault(first, "several msgstr, but no msgid_plural"));
        }
        message.texts = forms;
        message.span = Some(self.rows[start].span.start..self.rows[self.at - 1].span.end);
        Ok(Some(message))
    }

    /// Reads a string that begins on this line and goes on over the next.
    fn string(&mut self, first: &'a [u8], obsolete: bool) -> Result<Vec<u8>, Fault> {
        let mut out = Vec::new();
        unescape(first, &mut out).map_err(|what| self.fault(self.at, what))?;
        self.at += 1;
        while let Some((words, mark)) = self.words(self.at)
            && words.first() == Some(&b'"')
            && mark == obsolete
        {
            unescape(words, &mut out).map_err(|what| self.fault(self.at, what))?;
            self.at += 1;
        }
        Ok(out)
    }
}

/// Resolves a quoted string.
fn unescape(quoted: &[u8], out: &mut Vec<u8>) -> Result<(), &'static str> {
    let quoted = quoted.trim_ascii();
    let inner = quoted.strip_prefix(b"\"").ok_or("here a string in quotes is due")?;
    let mut bytes = inner.iter().copied().peekable();
    while let Some(byte) = bytes.next() {
        match byte {
            b'"' if bytes.peek().is_none() => return Ok(()),
            b'"' => return Err("a quote within a string; write it as \\\""),
            b'\\' => {
                let escaped = bytes.next().ok_or("a string that is not closed")?;
                out.push(match escaped {
                    b'n' => b'\n',
                    b't' => b'\t',
                    b'r' => b'\r',
                    b'a' => 7,
                    b'b' => 8,
                    b'f' => 12,
                    b'v' => 11,
                    b'x' => {
                        let mut value = 0u32;
                        while let Some(digit) = bytes.peek().and_then(|b| (*b as char).to_digit(16)) {
                            value = value << 4 | digit;
                            bytes.next();
                        }
                        (value & 0xFF) as u8
                    }
                    b'0'..=b'7' => {
                        let mut value = u32::from(escaped - b'0');
                        for _ in 0..2 {
                            let Some(digit) = bytes.peek().and_then(|b| (*b as char).to_digit(8)) else { break };
                            value = value << 3 | digit;
                            bytes.next();
                        }
                        (value & 0xFF) as u8
                    }
                    other => other,
                });
            }
            byte => out.push(byte),
        }
    }
    Err("a string that is not closed")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_catalog_is_read_with_all_its_parts() {
        let text = b"msgid \"\"\nmsgstr \"\"\n\"Plural-Forms: nplurals=2; plural=n != 1;\\n\"\n\n# note\n#: a.html:1\n#, fuzzy, c-format\n#| msgid \"old\"\nmsgctxt \"\"\nmsgid \"one \\\"\\x41\\101\\\"\"\nmsgid_plural \"%d\"\nmsgstr[0] \"a\"\nmsgstr[1] \"\"\n\"b\\n\"\n\n#~ msgid \"gone\"\n#~ msgstr \"weg\"\n";
        let catalog = Catalog::parse(text).unwrap();
        assert_eq!(catalog.field("plural-forms").unwrap(), "nplurals=2; plural=n != 1;");
        let message = &catalog.messages[1];
        assert_eq!((message.id.as_slice(), message.context.as_deref()), (&b"one \"AA\""[..], Some(&b""[..])));
        assert_eq!(message.texts, [b"a".to_vec(), b"b\n".to_vec()]);
        assert!(message.is_fuzzy() && message.comments.len() == 4);
        assert!(catalog.source_of(message).unwrap().starts_with(b"# note"));
        assert!(catalog.messages[2].obsolete && catalog.messages[2].texts == [b"weg".to_vec()]);
    }

    #[test]
    fn faults_are_named_with_their_line() {
        let fault = |text: &str| Catalog::parse(text.as_bytes()).unwrap_err();
        assert_eq!(fault("msgid \"a\"\n").line, 1);
        assert_eq!(fault("msgid \"a\"\nmsgstr \"b\n").line, 2);
        assert_eq!(fault("msgid \"a\"\nmsgstr \"b\"\n\nmsgid \"a\"\nmsgstr \"c\"\n").line, 4);
        assert_eq!(fault("<<<<<<< site\n").line, 1);
        assert_eq!(fault("msgid \"a\"\nmsgid_plural \"b\"\nmsgstr[1] \"\"\n").line, 3);
    }
}

#[cfg(test)]
mod laws {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn every_string_is_read_as_it_was_meant(id in "\\PC{1,12}|[\n\t\"\\\\]{1,6}", text in "\\PC{0,12}|[\n\t\"\\\\]{0,6}") {
            let quoted = |s: &str| {
                format!("\"{}\"", s.replace('\\', "\\\\").replace('"', "\\\"").replace('\n', "\\n").replace('\t', "\\t"))
            };
            let source = format!("#: a:1\nmsgid \"\"\n{}\nmsgstr {}\n", quoted(&id), quoted(&text));
            let catalog = Catalog::parse(source.as_bytes()).unwrap();
            let message = &catalog.messages[0];
            prop_assert_eq!(&message.id, id.as_bytes());
            prop_assert_eq!(&message.texts, &[text.clone().into_bytes()]);
            prop_assert_eq!(catalog.source_of(message).unwrap(), source.as_bytes());
            prop_assert_eq!(message.is_translated(), !text.is_empty());
        }

        #[test]
        fn nonsense_is_a_fault_or_a_catalog(text in "(msgid|msgstr|#~|#,|\"|\\\\|a|\n| |\\[0\\]){0,30}") {
            match Catalog::parse(text.as_bytes()) {
                Ok(catalog) => prop_assert!(catalog.messages.iter().all(|m| catalog.source_of(m).is_some())),
                Err(fault) => prop_assert!(fault.line >= 1 && fault.line <= text.lines().count() + 1),
            }
        }
    }
}
