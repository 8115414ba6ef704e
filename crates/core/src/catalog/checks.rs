//! What a catalog comes to: counts of its messages, and translations that a program would trip over.

use std::collections::HashMap;

use super::update::shown;
use super::{Catalog, Message, lost_placeholders};

/// What a program would trip over in a translation.
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize)]
pub struct Misfit {
    /// The line, from 1.
    pub line: usize,
    /// The message's id.
    pub id: String,
    /// What does not fit.
    pub what: String,
}

/// Counts of a catalog.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, serde::Serialize)]
pub struct Stats {
    /// All messages but the header and obsolete ones.
    pub messages: usize,
    /// Translated, and sure.
    pub translated: usize,
    /// Marked as unsure.
    pub fuzzy: usize,
    /// Without a translation, or with one only in part.
    pub empty: usize,
    /// No more in use.
    pub obsolete: usize,
    /// Worded otherwise than in the base, or not in it; nothing where there is no base.
    pub own: Option<usize>,
}

/// Counts a catalog, and what the site worded otherwise than its base.
pub fn stats(catalog: &Catalog, base: Option<&Catalog>) -> Stats {
    let mut stats = Stats { own: base.map(|_| 0), ..Stats::default() };
    let before: HashMap<_, &Message> =
        base.iter().flat_map(|b| &b.messages).filter(|m| !m.obsolete).map(|m| (m.key(), m)).collect();
    for message in catalog.messages.iter().filter(|m| !m.is_header()) {
        if message.obsolete {
            stats.obsolete += 1;
            continue;
        }
        stats.messages += 1;
        match (message.is_fuzzy(), message.is_translated()) {
            (true, _) => stats.fuzzy += 1,
            (false, true) => stats.translated += 1,
            (false, false) => stats.empty += 1,
        }
        let spoken = message.texts.iter().any(|t| !t.is_empty());
        let own = before.get(&message.key()).map_or(spoken, |b| b.texts != message.texts);
        stats.own = stats.own.map(|count| count + usize::from(own));
    }
    stats
}

/// Checks translations against their messages: placeholders, line ends and blanks at the ends, and as many plural
/// forms as the language has.
pub fn misfits(catalog: &Catalog) -> Vec<Misfit> {
    let forms = catalog.plural_rule().map(|rule| rule.forms);
    let mut out = Vec::new();
    for message in catalog.messages.iter().filter(|m| !m.obsolete && !m.is_header() && !m.is_fuzzy()) {
        let mut find = |what: String| out.push(Misfit { line: message.line, id: shown(&message.id), what });
        if let (Some(_), Some(forms)) = (&message.plural, forms)
            && message.texts.len() != forms
        {
            find(format!("it has {} of the {forms} plural forms", message.texts.len()));
        }
        for (k, text) in message.texts.iter().enumerate().filter(|(_, t)| !t.is_empty()) {
            let of = |id: &[u8]| lost_placeholders(id, text);
            // A form may leave the number out where it stands for one number alone.
            let (lost, only) = match &message.plural {
                None => of(&message.id),
                Some(_) if k == 0 => (Vec::new(), of(&message.id).1),
                Some(plural) => of(plural),
            };
            if !lost.is_empty() {
                find(format!("the translation lacks {}", lost.join(", ")));
            }
            let known = message.plural.as_ref().map(|p| of(p).1);
            let only: Vec<String> =
                only.into_iter().filter(|p| known.as_ref().is_none_or(|known| known.contains(p))).collect();
            if !only.is_empty() {
                find(format!("only the translation has {}", only.join(", ")));
            }
            for (end, begins) in [("begins", true), ("ends", false)] {
                let blanks = |text: &[u8]| -> Vec<u8> {
                    let blank = |b: &&u8| b.is_ascii_whitespace();
                    match begins {
                        true => text.iter().take_while(blank).copied().collect(),
                        false => text.iter().rev().take_while(blank).copied().collect(),
                    }
                };
                let (of_id, of_text) = (blanks(&message.id), blanks(text));
                let lines = |blanks: &[u8]| blanks.contains(&b'\n');
                if lines(&of_id) != lines(&of_text) {
                    find(format!("of message and translation, one {end} with a line end"));
                } else if of_id.is_empty() != of_text.is_empty() {
                    find(format!("of message and translation, one {end} with a blank"));
                }
            }
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    const HEAD: &str = "msgid \"\"\nmsgstr \"\"\n\"Plural-Forms: nplurals=2; plural=n != 1;\\n\"\n";

    #[test]
    fn what_programs_trip_over_is_named() {
        let text = format!(
            "{HEAD}\nmsgid \"%s of {{name}}\\n\"\nmsgstr \"von {{nom}}\"\n\nmsgid \"%d\"\nmsgid_plural \"%d s\"\nmsgstr[0] \"one\"\n\n#, fuzzy\nmsgid \"%s\"\nmsgstr \"x\"\n\nmsgid \" a\"\nmsgstr \"a\"\n"
        );
        let found = misfits(&Catalog::parse(text.as_bytes()).unwrap());
        let list: Vec<(usize, &str)> = found.iter().map(|m| (m.line, m.what.as_str())).collect();
        assert_eq!(
            list,
            [
                (5, "the translation lacks %s, {name}"),
                (5, "only the translation has {nom}"),
                (5, "of message and translation, one ends with a line end"),
                (8, "it has 1 of the 2 plural forms"),
                (16, "of message and translation, one begins with a blank"),
            ]
        );
        let catalog = Catalog::parse(text.as_bytes()).unwrap();
        let stats = stats(&catalog, Some(&Catalog::parse(HEAD.as_bytes()).unwrap()));
        assert_eq!((stats.messages, stats.translated, stats.fuzzy, stats.own), (4, 3, 1, Some(4)));
    }
}
