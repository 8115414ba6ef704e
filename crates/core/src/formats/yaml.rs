//! YAML 1.2 (yaml.org): block mappings and sequences by key and item; what is in flow style is one value.

use std::ops::Range;

use saphyr_parser::{Event, Parser, ScalarStyle, Span, Tag};

use super::flow::Flow;
use super::keyed::Rules;
use super::outline::{Body, Item, Outline, Reader, line_end, line_start};

/// Nesting beyond this is refused.
const DEEPEST: usize = 200;

/// An event and where it is, in bytes.
type Placed<'a> = (Event<'a>, Range<usize>);

/// YAML.
pub(crate) const READER: Reader = Reader { read, flow: Some(Flow { sign: b':', canonical: value_of }) };

/// A value in flow style, in a form that compares.
fn value_of(text: &str) -> Option<String> {
    let events = events(text)?;
    let at = events.iter().position(|(e, _)| matches!(e, Event::DocumentStart(_)))? + 1;
    let mut reader = Yaml { text: text.as_bytes(), events, at, rules: &Rules::default() };
    Some(reader.flow(0)?.0)
}

/// Reads a file into an outline; `None` where it is malformed, or has what an outline cannot hold: keys that are no
/// plain words, tabs before keys, kept blank lines behind a block. Of several documents each is a key.
fn read(text: &[u8], rules: &Rules) -> Option<Outline> {
    let text = std::str::from_utf8(text).ok()?;
    if text.contains("\n...") {
        return None;
    }
    let events = events(text)?;
    let starts = events.iter().enumerate().filter_map(|(k, (event, place))| match event {
        Event::DocumentStart(explicit) => Some((k, *explicit, place.start)),
        _ => None,
    });
    let starts: Vec<(usize, bool, usize)> = starts.collect();
    let mut reader = Yaml { text: text.as_bytes(), events, at: 0, rules };
    if let [(start, explicit, place)] = starts[..] {
        let lead = if explicit { line_end(reader.text, place.max(text.find("---")?)).1 } else { 0 };
        reader.at = start + 1;
        let (body, end, _) = reader.node(lead, 0)?;
        if body.items().is_empty() {
            return None;
        }
        let tail = line_end(reader.text, end.saturating_sub(1)).1..text.len();
        let outline = Outline { body, tail };
        return outline.names_are_unique().then_some(outline);
    }
    let mut documents: Vec<Item> = Vec::new();
    for (k, (start, explicit, place)) in starts.into_iter().enumerate() {
        let before = documents.last().map_or(0, |d| d.end);
        let mark = if explicit { place } else { before };
        if explicit && !text[mark..].starts_with("---") {
            return None;
        }
        let (line_stop, next) = if explicit { line_end(reader.text, mark) } else { (mark, mark) };
        reader.at = start + 1;
        let (body, end, first) = reader.node(next, 0)?;
        if body.items().is_empty() {
            return None;
        }
        let opening = if explicit { mark + 3 } else { first };
        documents.push(Item {
            name: format!("document {}", k + 1),
            lead: before..mark,
            start: if explicit { mark } else { first },
            value: opening..end,
            after: opening..line_stop.max(opening),
            end: line_end(reader.text, end.saturating_sub(1)).1,
            inline: false,
            body,
        });
    }
    let tail = documents.last()?.end..text.len();
    let outline = Outline { body: Body::Map(documents), tail };
    outline.names_are_unique().then_some(outline)
}

/// Says what is wrong with a document: the line, from 1, and what; `None` where it is well-formed.
pub(crate) fn fault(text: &str) -> Option<(usize, String)> {
    if nested_too_deep(text) {
        return Some((1, "nested too deep".into()));
    }
    let error = Parser::new_from_str(text).find_map(Result::err)?;
    Some((error.marker().line(), format!("{}, at column {}", error.info(), error.marker().col() + 1)))
}

/// The scanner keeps one level for each bracket and each step of indentation.
fn nested_too_deep(text: &str) -> bool {
    let mut depth = 0usize;
    let flow = text.bytes().any(|b| {
        match b {
            b'[' | b'{' => depth += 1,
            b']' | b'}' => depth = depth.saturating_sub(1),
            _ => {}
        }
        depth > DEEPEST
    });
    flow || text.lines().any(|l| {
        l.bytes().take_while(|b| matches!(b, b' ' | b'-' | b'?')).filter(|b| matches!(b, b'-' | b'?')).count()
            > DEEPEST
            || l.bytes().take_while(|b| *b == b' ').count() > 10 * DEEPEST
    })
}

fn events(text: &str) -> Option<Vec<Placed<'_>>> {
    if nested_too_deep(text) {
        return None;
    }
    // Places are counted in characters.
    let starts: Vec<usize> = text.char_indices().map(|(k, _)| k).chain([text.len()]).collect();
    let byte = |k: usize| starts.get(k).copied().unwrap_or(text.len());
    let place = |span: Span| byte(span.start.index())..byte(span.end.index());
    Parser::new_from_str(text).map(|e| e.ok().map(|(event, span)| (event, place(span)))).collect()
}

struct Yaml<'a> {
    text: &'a [u8],
    events: Vec<Placed<'a>>,
    at: usize,
    rules: &'a Rules,
}

impl Yaml<'_> {
    /// Reads the node at hand. `lead` is where the lines before its first item begin. Returns its body, where it
    /// ends, and where it begins.
    fn node(&mut self, lead: usize, depth: usize) -> Option<(Body, usize, usize)> {
        if depth > DEEPEST {
            return None;
        }
        let (event, place) = self.events.get(self.at)?;
        let (event, place) = (event.clone(), place.clone());
        self.at += 1;
        let first = self.text.get(self.behind_marks(place.start)).copied();
        match event {
            Event::Scalar(text, style, anchor, tag) => {
                let end = self.scalar_end(&place, style)?;
                let marks = marks(anchor, tag.as_deref());
                Some((Body::Leaf(marks + &scalar(&text, style)), end, place.start))
            }
            Event::Alias(_) => {
                let name = String::from_utf8_lossy(&self.text[place.clone()]).into_owned();
                Some((Body::Leaf(name), place.end, place.start))
            }
            Event::MappingStart(0, None) if first != Some(b'{') => {
                let (items, end) = self.mapping(lead, depth)?;
                Some((Body::Map(items), end, place.start))
            }
            Event::SequenceStart(0, None) if first != Some(b'[') => {
                let (items, end) = self.sequence(lead, depth)?;
                Some((Body::List(items), end, place.start))
            }
            Event::MappingStart(anchor, tag) | Event::SequenceStart(anchor, tag) => {
                if !matches!(first, Some(b'{' | b'[')) {
                    // A block with an anchor or a tag is one value.
                    return None;
                }
                let start = place.start;
                self.at -= 1;
                let (body, end) = self.flow(depth)?;
                Some((Body::Leaf(marks(anchor, tag.as_deref()) + &body), end, start))
            }
            _ => None,
        }
    }

    /// Where a node begins behind its anchor and tag.
    fn behind_marks(&self, mut at: usize) -> usize {
        while matches!(self.text.get(at), Some(b'&' | b'!')) {
            at += self.text[at..].iter().take_while(|b| !b.is_ascii_whitespace()).count();
            at += self.text[at..].iter().take_while(|b| b.is_ascii_whitespace()).count();
        }
        at
    }

    /// Reads a collection in flow style as one value.
    fn flow(&mut self, depth: usize) -> Option<(String, usize)> {
        let (event, place) = self.events.get(self.at)?.clone();
        self.at += 1;
        if depth > DEEPEST {
            return None;
        }
        match event {
            Event::Scalar(text, style, anchor, tag) => {
                Some((marks(anchor, tag.as_deref()) + &scalar(&text, style), place.end))
            }
            Event::Alias(_) => Some((String::from_utf8_lossy(&self.text[place.clone()]).into_owned(), place.end)),
            Event::MappingStart(..) => {
                let mut pairs = Vec::new();
                while !matches!(self.events.get(self.at)?.0, Event::MappingEnd) {
                    let (key, _) = self.flow(depth + 1)?;
                    let (value, _) = self.flow(depth + 1)?;
                    pairs.push(format!("{key}:{value}"));
                }
                pairs.sort();
                self.at += 1;
                Some((format!("{{{}}}", pairs.join(",")), self.closing(self.at - 1)))
            }
            Event::SequenceStart(..) => {
                let mut items = Vec::new();
                while !matches!(self.events.get(self.at)?.0, Event::SequenceEnd) {
                    items.push(self.flow(depth + 1)?.0);
                }
                self.at += 1;
                Some((format!("[{}]", items.join(",")), self.closing(self.at - 1)))
            }
            _ => None,
        }
    }

    /// Behind the bracket that an event closes. The scanner's own end may lie behind a comment.
    fn closing(&self, event: usize) -> usize {
        let place = &self.events[event].1;
        let bracket = matches!(self.text.get(place.start), Some(b']' | b'}'));
        if bracket { place.start + 1 } else { place.end }
    }

    /// Where a scalar ends: block scalars without the line ends behind them. The scanner's own end may lie behind a
    /// comment.
    fn scalar_end(&self, place: &Range<usize>, style: ScalarStyle) -> Option<usize> {
        let raw = &self.text[place.clone()];
        let quoted = match style {
            ScalarStyle::SingleQuoted => closing_quote(raw, b'\'', None),
            ScalarStyle::DoubleQuoted => closing_quote(raw, b'"', Some(b'\\')),
            _ => Some(raw.trim_ascii_end().len()),
        };
        quoted.map(|len| place.start + len)
    }

    fn mapping(&mut self, mut lead: usize, depth: usize) -> Option<(Vec<Item>, usize)> {
        let mut items: Vec<Item> = Vec::new();
        let mut end = lead;
        while !matches!(self.events.get(self.at)?.0, Event::MappingEnd) {
            let (Event::Scalar(key, _, 0, None), place) = self.events.get(self.at)?.clone() else { return None };
            self.at += 1;
            let start = place.start;
            let line = line_start(self.text, start);
            let inline = !self.text[line..start].iter().all(|b| *b == b' ');
            if inline && !items.is_empty() {
                return None;
            }
            // The colon behind the key.
            let key_end = place.start + self.text[place.clone()].trim_ascii_end().len();
            let blanks = self.text[key_end..].iter().take_while(|b| matches!(b, b' ' | b'\t')).count();
            let colon = key_end + blanks;
            if self.text.get(colon) != Some(&b':') || self.text[start] == b'?' {
                return None;
            }
            let item = self.item(key.into_owned(), lead..line.max(lead), start, colon + 1, inline, depth)?;
            (lead, end) = (item.end, item.value.end);
            items.push(item);
        }
        self.at += 1;
        Some((items, end))
    }

    fn sequence(&mut self, mut lead: usize, depth: usize) -> Option<(Vec<Item>, usize)> {
        let mut items: Vec<Item> = Vec::new();
        let mut end = lead;
        while !matches!(self.events.get(self.at)?.0, Event::SequenceEnd) {
            let child = self.events.get(self.at)?.1.start;
            let blanks = self.text[..child].iter().rev().take_while(|b| **b == b' ').count();
            let dash = (child - blanks).checked_sub(1).filter(|d| self.text[*d] == b'-')?;
            let line = line_start(self.text, dash);
            let inline = !self.text[line..dash].iter().all(|b| *b == b' ');
            if inline && !items.is_empty() {
                return None;
            }
            let mut item = self.item(String::new(), lead..line.max(lead), dash, dash + 1, inline, depth)?;
            item.name = item.body.item_name(self.rules);
            (lead, end) = (item.end, item.value.end);
            items.push(item);
        }
        self.at += 1;
        Some((items, end))
    }

    /// Reads what stands behind a key's colon or a dash.
    fn item(
        &mut self,
        name: String,
        lead: Range<usize>,
        start: usize,
        from: usize,
        inline: bool,
        depth: usize,
    ) -> Option<Item> {
        let (line_stop, next) = line_end(self.text, from);
        // An empty value has its place wherever the scanner noticed it.
        let empty =
            matches!(&self.events.get(self.at)?.0, Event::Scalar(t, ScalarStyle::Plain, 0, None) if t.is_empty());
        if empty {
            self.at += 1;
            let body = Body::Leaf("null".into());
            return Some(Item {
                name,
                lead,
                start,
                value: from..from,
                after: from..line_stop,
                end: next,
                inline,
                body,
            });
        }
        let (body, value_end, body_start) = self.node(next, depth + 1)?;
        // Blank lines behind `|+` are part of the value.
        let header = self.text[from..body_start.max(from)].trim_ascii_start();
        if matches!(header.first(), Some(b'|' | b'>')) && line_of(header).contains(&b'+') {
            return None;
        }
        let value = from..value_end;
        if matches!(body, Body::Leaf(_)) {
            let (stop, end) = line_end(self.text, value_end);
            return Some(Item { name, lead, start, after: value_end..stop, end, value, inline, body });
        }
        // What stands on the header's line behind the colon is a comment, or the first item behind a dash.
        let after = if body_start < line_stop { from..from } else { from..line_stop };
        let end = line_end(self.text, value_end).1;
        Some(Item { name, lead, start, after, end, value, inline, body })
    }
}

fn line_of(text: &[u8]) -> &[u8] {
    &text[..text.iter().position(|b| *b == b'\n').unwrap_or(text.len())]
}

/// How long a quoted scalar is. A quote is escaped by `escape` before it, or by standing twice.
fn closing_quote(raw: &[u8], quote: u8, escape: Option<u8>) -> Option<usize> {
    let mut at = 1;
    loop {
        let byte = *raw.get(at)?;
        if Some(byte) == escape || (escape.is_none() && byte == quote && raw.get(at + 1) == Some(&quote)) {
            at += 2;
        } else if byte == quote {
            return Some(at + 1);
        } else {
            at += 1;
        }
    }
}

fn marks(anchor: usize, tag: Option<&Tag>) -> String {
    let anchor = if anchor > 0 { "& " } else { "" };
    match tag {
        Some(tag) => format!("{anchor}{tag} "),
        None => anchor.to_string(),
    }
}

/// A scalar in a form that compares. A plain word that some version of YAML reads as a boolean, a number or nothing
/// keeps its spelling; other words are the same with and without quotes.
fn scalar(text: &str, style: ScalarStyle) -> String {
    const SPECIAL: [&str; 11] = ["", "~", "null", "true", "false", "yes", "no", "on", "off", "y", "n"];
    let special = || {
        let first = text.as_bytes().first();
        SPECIAL.contains(&text.to_ascii_lowercase().as_str())
            || first.is_some_and(|b| b.is_ascii_digit() || matches!(b, b'-' | b'+' | b'.'))
    };
    if style == ScalarStyle::Plain && special() {
        return match text.parse::<f64>() {
            Ok(number) if number.abs() < 9e15 && number.is_finite() => format!("{number}"),
            _ => text.to_string(),
        };
    }
    format!("{text:?}")
}
