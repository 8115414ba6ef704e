//! Merging the header of a catalog field by field.

use std::ops::Range;

use super::change;
use super::entry::{Entry, Side};
use crate::catalog::PluralRule;
use crate::formats::keyed::KeyChange;
use crate::merge::{Outcome, Reason};
use crate::text::split_lines;

/// A field of a header.
pub(super) struct Field {
    name: Vec<u8>,
    /// How many fields of the same name stand before it. A header should have none; a broken one may.
    turn: usize,
    /// As it is written, escapes and all, without the quotes of its lines.
    value: Vec<u8>,
    /// Its lines, from the first quote to the line end.
    pub(super) span: Range<usize>,
}

/// Fields that say in what letters the file is written: the release's.
const LETTERS: [&[u8]; 3] = [b"MIME-Version", b"Content-Type", b"Content-Transfer-Encoding"];
/// Fields that name a tool: the release's, where both sides changed them.
const TOOLS: [&[u8]; 2] = [b"X-Generator", b"Generated-By"];

/// The fields of a header, in order.
pub(super) fn fields(text: &[u8], header: &Entry) -> Vec<Field> {
    let mut out: Vec<Field> = Vec::new();
    let mut open: Option<(Vec<u8>, usize)> = None;
    let mut at = header.translations().start;
    for line in split_lines(&text[header.translations()]) {
        let quote = line.content.iter().position(|byte| *byte == b'"');
        let start = at + quote.unwrap_or(0);
        at += line.content.len() + line.end.bytes().len();
        let said = quote.and_then(|quote| line.content[quote + 1..].trim_ascii_end().strip_suffix(b"\""));
        let Some(said) = said.filter(|said| !said.is_empty()) else { continue };
        let (text, _) = open.get_or_insert((Vec::new(), start));
        text.extend_from_slice(said);
        let Some((text, start)) = open.take_if(|(text, _)| text.ends_with(b"\\n")) else { continue };
        if let Some(colon) = text.iter().position(|byte| *byte == b':') {
            let value = text[colon + 1..text.len() - 2].trim_ascii().to_vec();
            let name = text[..colon].to_vec();
            let turn = out.iter().filter(|field| field.name == name).count();
            out.push(Field { name, turn, value, span: start..at });
        }
    }
    out
}

impl Field {
    /// The same field among those of another version: of its name, the one whose turn it is.
    fn among<'f>(&self, fields: &'f [Field]) -> Option<&'f Field> {
        fields.iter().find(|field| field.name == self.name && field.turn == self.turn)
    }
}

/// The rule by which the language of a header counts.
pub(super) fn plural_rule(fields: &[Field]) -> Option<PluralRule> {
    let field = fields.iter().find(|field| field.name == b"Plural-Forms")?;
    PluralRule::parse(std::str::from_utf8(&field.value).ok()?)
}

/// What tells a field from other parts of a catalog, as a text.
pub(super) fn pointer(header: &Entry, field: &Field) -> String {
    let name = String::from_utf8_lossy(&field.name);
    let turn = if field.turn == 0 { String::new() } else { format!(" {}", field.turn + 1) };
    format!("{}\0{name}{turn}", header.pointer())
}

/// The texts of the three versions with their headers.
pub(super) struct Headers<'s, 'a> {
    pub(super) sides: [&'s Side<'a>; 3],
    pub(super) entries: [&'s Entry; 3],
}

impl Headers<'_, '_> {
    /// The release's fields with what the site changed of them; `None` where it changed none.
    pub(super) fn merge(&self, changes: &mut Vec<KeyChange>) -> Option<Vec<u8>> {
        let [base, site, release] = [0, 1, 2].map(|k| fields(self.sides[k].text, self.entries[k]));
        let [of_base, of_site, of_release] = self.entries;
        let text = self.sides[2].text;
        let mut told = |fields: [Option<&Field>; 3], outcome: Outcome, reason: Option<Reason>| {
            let Some(any) = fields[1].or(fields[2]) else { return };
            let [base, site, release] = fields.map(|field| field.map(|field| field.span.clone()));
            let whole = change(of_site, Some(of_base), Some(of_site), Some(of_release), outcome, reason);
            changes.push(KeyChange { pointer: pointer(of_release, any), base, site, release, ..whole });
        };
        // What stands instead of which bytes of the release's text.
        let mut edits: Vec<(Range<usize>, Vec<u8>)> = Vec::new();
        for (k, own) in site.iter().enumerate().filter(|(_, own)| !LETTERS.contains(&own.name.as_slice())) {
            let (old, new) = (own.among(&base), own.among(&release));
            let is_own = |other: Option<&Field>| other.is_some_and(|other| other.value == own.value);
            if is_own(old) {
                continue;
            }
            if is_own(new) {
                told([old, Some(own), new], Outcome::Already, None);
                continue;
            }
            let alone = old.map(|f| &f.value) == new.map(|f| &f.value);
            if !alone && is_housekeeping(own, new) {
                continue;
            }
            let (outcome, reason) =
                if alone { (Outcome::Kept, None) } else { (Outcome::Open, Some(Reason::BothChanged)) };
            told([old, Some(own), new], outcome, reason);
            let lines = self.sides[2].with_ends(&self.sides[1].text[own.span.clone()]);
            match new {
                Some(new) => edits.push((new.span.clone(), lines)),
                None => {
                    let before = site[..k].iter().rev().find_map(|field| field.among(&release));
                    let at = before.map_or(of_release.translations().end, |field| field.span.end);
                    edits.push((at..at, lines));
                }
            }
        }
        for old in base.iter().filter(|old| old.among(&site).is_none()) {
            let Some(new) = old.among(&release) else { continue };
            if new.value == old.value {
                told([Some(old), None, Some(new)], Outcome::Kept, None);
                edits.push((new.span.clone(), Vec::new()));
            } else if !is_housekeeping(old, Some(new)) && !LETTERS.contains(&old.name.as_slice()) {
                told([Some(old), None, Some(new)], Outcome::Open, Some(Reason::SiteDeleted));
            }
        }
        if edits.is_empty() {
            return None;
        }
        edits.sort_by_key(|(span, _)| (span.start, span.end));
        let mut out = Vec::new();
        let mut at = of_release.translations().start;
        for (span, lines) in edits {
            out.extend_from_slice(&text[at..span.start]);
            // A last line may lack its end.
            if !lines.is_empty() && !out.is_empty() && text[at..span.start].last().is_some_and(|byte| *byte == b'"')
            {
                out.extend_from_slice(self.sides[2].line_end);
            }
            out.extend(lines);
            at = span.end;
        }
        out.extend_from_slice(&text[at..of_release.translations().end]);
        Some(out)
    }
}

/// Tells whether a field that both sides changed is the release's without a question: tools write it whenever they write
/// the file, or both say the same in other words.
fn is_housekeeping(own: &Field, new: Option<&Field>) -> bool {
    let values = || [Some(own), new].into_iter().flatten();
    let counts = |field: &Field| PluralRule::parse(std::str::from_utf8(&field.value).ok()?);
    match own.name.as_slice() {
        b"POT-Creation-Date" | b"PO-Revision-Date" | b"POT-Revision-Date" => values().all(|f| is_date(&f.value)),
        b"Plural-Forms" => match (counts(own), new.and_then(counts)) {
            (Some(own), Some(new)) => own.counts_like(&new),
            _ => false,
        },
        name => TOOLS.contains(&name),
    }
}

/// Tells whether a text can be a date, or stands for one (`YEAR-MO-DA HO:MI+ZONE`): the words in it are short ones in capitals.
fn is_date(text: &[u8]) -> bool {
    let is_short = |word: &[u8]| word.len() <= 4 && word.first().is_none_or(u8::is_ascii_uppercase);
    text.split(|byte| !byte.is_ascii_alphabetic()).all(is_short)
}
