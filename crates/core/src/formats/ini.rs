//! INI and `key = value` files: sections, keys, values that continue on indented lines, comments behind `#`, `;`
//! or `!`.

use super::keyed::Rules;
use super::outline::{Body, Item, Outline, Reader, line_end};

/// INI and `key = value` files.
pub(crate) const READER: Reader = Reader { read, flow: None };

/// Reads a file into an outline; `None` where a line is none of the above or a key stands twice.
fn read(text: &[u8], _: &Rules) -> Option<Outline> {
    let mut reader = Ini { text, root: Vec::new(), section: None, lead: 0 };
    let mut at = 0;
    while at < text.len() {
        let (end, next) = line_end(text, at);
        reader.line(at, end, next)?;
        at = next;
    }
    reader.close();
    reader.root.iter_mut().for_each(|item| compare_by_value(text, item));
    let tail = reader.lead..text.len();
    let outline = Outline { body: Body::Map(reader.root), tail };
    outline.names_are_unique().then_some(outline)
}

struct Ini<'a> {
    text: &'a [u8],
    root: Vec<Item>,
    /// The section that is being read; its items so far.
    section: Option<(Item, Vec<Item>)>,
    /// Where the comments before the next key begin.
    lead: usize,
}

impl Ini<'_> {
    fn close(&mut self) {
        if let Some((mut section, items)) = self.section.take() {
            if let Some(last) = items.last() {
                (section.value.end, section.end) = (last.value.end, last.end);
            }
            section.body = Body::Map(items);
            self.root.push(section);
        }
    }

    fn line(&mut self, at: usize, end: usize, next: usize) -> Option<()> {
        let line = &self.text[at..end];
        let trimmed = line.trim_ascii();
        let start = at + line.iter().take_while(|b| b.is_ascii_whitespace()).count();
        match trimmed.first() {
            None | Some(b'#' | b';' | b'!') => return Some(()),
            Some(b'[') => {
                let close = trimmed.iter().position(|b| *b == b']')?;
                let rest = trimmed[close + 1..].trim_ascii();
                if !matches!(rest.first(), None | Some(b'#' | b';')) {
                    return None;
                }
                self.close();
                let name = format!("[{}]", String::from_utf8_lossy(trimmed[1..close].trim_ascii()));
                let header_end = start + close + 1;
                let item = Item {
                    name,
                    lead: self.lead..at,
                    start,
                    value: header_end..header_end,
                    after: header_end..end,
                    end: next,
                    inline: false,
                    body: Body::Map(Vec::new()),
                };
                self.section = Some((item, Vec::new()));
                self.lead = next;
                return Some(());
            }
            Some(_) => {}
        }
        let items = match &mut self.section {
            Some((_, items)) => items,
            None => &mut self.root,
        };
        // A deeper line goes on with the value above it.
        let deeper = |last: &Item| start - at > last.start - super::outline::line_start(self.text, last.start);
        if let Some(last) = items.last_mut().filter(|last| deeper(last)) {
            last.value.end = at + line.trim_ascii_end().len();
            last.after = last.value.end..end;
            last.end = next;
            self.lead = next;
            return Some(());
        }
        let sign = trimmed.iter().position(|b| matches!(b, b'=' | b':'));
        let (key, from) = match sign {
            Some(0) => return None,
            Some(n) => (&trimmed[..n], start + n + 1),
            None => (trimmed, start + trimmed.len()),
        };
        let value = from..(at + line.trim_ascii_end().len()).max(from);
        let item = Item {
            name: String::from_utf8_lossy(key.trim_ascii()).into_owned(),
            lead: self.lead..at,
            start,
            after: value.end..end,
            end: next,
            inline: false,
            // Written when it is known how far the value goes.
            body: Body::Leaf(String::new()),
            value,
        };
        items.push(item);
        self.lead = next;
        Some(())
    }
}

/// Gives the items their values in the form that is compared.
fn compare_by_value(text: &[u8], item: &mut Item) {
    match &mut item.body {
        Body::Map(items) => items.iter_mut().for_each(|item| compare_by_value(text, item)),
        body => *body = Body::Leaf(canonical(&text[item.value.clone()])),
    }
}

/// A value without the blanks around its lines.
fn canonical(value: &[u8]) -> String {
    let text = String::from_utf8_lossy(value);
    let lines: Vec<&str> = text.trim().lines().map(str::trim).collect();
    format!("{:?}", lines.join("\n"))
}
