//! Merging the comments of an entry: by what they are for.
//!
//! A translator's notes are lines, flags and references are sets; what one side changed of them is done. Where a message
//! stands in the vendor's sources is the release's to say: a site whose tool wrote all references anew did not change
//! them.

use super::entry::{Entry, Side, is_fuzzy_line};

/// What a comment line is for (GNU gettext manual, "The Format of PO Files").
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum Class {
    /// `# `: by translators.
    Note,
    /// `#.`: from the sources.
    Extracted,
    /// `#:`: where the message stands in the sources.
    Reference,
    /// `#,`
    Flag,
    /// `#|`: the message as it was when it was translated.
    Previous,
}

const CLASSES: [Class; 5] = [Class::Note, Class::Extracted, Class::Reference, Class::Flag, Class::Previous];

impl Class {
    fn of(line: &[u8]) -> Self {
        match line.get(1) {
            Some(b'.') => Class::Extracted,
            Some(b':') => Class::Reference,
            Some(b',') => Class::Flag,
            Some(b'|') => Class::Previous,
            _ => Class::Note,
        }
    }

    /// The lines of this class, in order.
    fn lines(self, entry: &Entry) -> Vec<&[u8]> {
        entry.comments.iter().map(Vec::as_slice).filter(|line| Class::of(line) == self).collect()
    }

    /// What the lines of this class say: they as such, or the single flags or references in them. That a translation is
    /// unsure is told by other means.
    fn items(self, entry: &Entry) -> Vec<&[u8]> {
        let said = self.lines(entry).into_iter();
        let apart = |byte: &u8| match self {
            Class::Flag => *byte == b',',
            _ => byte.is_ascii_whitespace(),
        };
        match self {
            Class::Flag | Class::Reference => said
                .flat_map(|line| line[2..].split(apart))
                .map(<[u8]>::trim_ascii)
                .filter(|item| !item.is_empty() && *item != b"fuzzy")
                .collect(),
            _ => said.collect(),
        }
    }
}

/// The notes of an entry's translators.
pub(super) fn notes(entry: &Entry) -> Vec<&[u8]> {
    Class::Note.lines(entry)
}

/// Which comments a tool of the site's wrote anew, in so many entries that nobody did it by hand.
pub(super) struct Rewritten(Vec<Class>);

/// So many entries may have other references by hand,
const BY_HAND: usize = 8;
/// or one in so many.
const SHARE: usize = 4;

impl Rewritten {
    pub(super) fn none() -> Self {
        Rewritten(Vec::new())
    }

    pub(super) fn between(base: &Side<'_>, site: &Side<'_>) -> Self {
        let pairs: Vec<_> = site.entries.iter().filter_map(|s| Some((base.find(s)?, s))).collect();
        let is_rewritten = |class: &Class| {
            let differs = |(b, s): &&(&Entry, &Entry)| class.items(b) != class.items(s);
            pairs.iter().filter(differs).count() > BY_HAND.max(pairs.len() / SHARE)
        };
        Rewritten([Class::Extracted, Class::Reference].into_iter().filter(is_rewritten).collect())
    }
}

/// The comments of an entry, merged.
pub(super) struct Comments {
    pub(super) lines: Vec<Vec<u8>>,
    /// Both sides changed the same; the site's stands.
    pub(super) collided: bool,
}

/// Merges the comments of an entry that the release has; `None` where the site changed none.
pub(super) fn merge(
    base: Option<&Entry>,
    site: &Entry,
    release: &Entry,
    rewritten: &Rewritten,
) -> Option<Comments> {
    let mut changed: Vec<(Class, Vec<Vec<u8>>)> = Vec::new();
    let mut collided = false;
    for class in CLASSES {
        // Of an entry that both put in, only the notes are of the site.
        let is_own = base.is_some() || class == Class::Note;
        let items =
            |entry: &Entry| -> Vec<Vec<u8>> { class.items(entry).into_iter().map(<[u8]>::to_vec).collect() };
        let (b, s, r) = (base.map(items).unwrap_or_default(), items(site), items(release));
        if !is_own
            || s == b
            || s == r
            || rewritten.0.contains(&class)
            || class == Class::Reference && same_files(&b, &s)
        {
            continue;
        }
        let own = || class.lines(site).into_iter().map(<[u8]>::to_vec).collect();
        let merged = match class {
            Class::Previous if r != b => continue,
            _ if r == b => own(),
            _ => match united(&b, &s, &r, class) {
                Some(items) => written(class, items),
                None => {
                    collided = true;
                    own()
                }
            },
        };
        changed.push((class, merged));
    }
    let lines = || in_place(release, &changed);
    (!changed.is_empty()).then(|| Comments { lines: lines(), collided })
}

/// The release's items with what the site added and without what it took out; `None` where both changed the same.
fn united(base: &[Vec<u8>], site: &[Vec<u8>], release: &[Vec<u8>], class: Class) -> Option<Vec<Vec<u8>>> {
    let without = |items: &[Vec<u8>], others: &[Vec<u8>]| -> Vec<Vec<u8>> {
        items.iter().filter(|item| !others.contains(item)).cloned().collect()
    };
    let (mut gone, mut put) = (without(base, site), without(site, base));
    let (gone_there, put_there) = (without(base, release), without(release, base));
    if class == Class::Reference {
        // What stands on another line is the same still.
        gone.retain(|item| {
            let again = put.iter().position(|other| file(other) == file(item));
            again.map(|at| put.remove(at)).is_none()
        });
        if let ([old], [new]) = (&gone[..], &put[..])
            && let Some(items) = renamed(old, new, release)
        {
            return Some(items);
        }
    }
    if gone.iter().any(|item| gone_there.contains(item)) && put != put_there {
        return None;
    }
    let mut out = without(release, &gone);
    for item in put.iter().filter(|item| !release.contains(item)) {
        let own = site.iter().position(|other| other == item)?;
        // Beside the nearest that stands once: an empty line of a comment tells no place.
        let place = |other: &Vec<u8>| {
            let once = |items: &[Vec<u8>]| items.iter().filter(|o| *o == other).count() == 1;
            out.iter().position(|o| o == other).filter(|_| once(site) && once(&out))
        };
        let above = site[..own].iter().rev().find_map(place).map(|at| at + 1);
        let at = above.or_else(|| site[own + 1..].iter().find_map(place)).unwrap_or(0);
        out.insert(at, item.clone());
    }
    Some(out)
}

/// The release's references where the site wrote another file's name in one of them, whatever line it is on there.
fn renamed(old: &[u8], new: &[u8], release: &[Vec<u8>]) -> Option<Vec<Vec<u8>>> {
    let line = |item: &[u8]| item[file(item).len()..].to_vec();
    let mut same_file = (0..release.len()).filter(|at| file(&release[*at]) == file(old));
    let at = same_file.next().filter(|_| same_file.next().is_none() && line(old) == line(new))?;
    let mut out = release.to_vec();
    out[at] = [file(new), &line(&release[at])].concat();
    Some(out)
}

/// Tells whether references are to the same files, on whatever lines.
fn same_files(a: &[Vec<u8>], b: &[Vec<u8>]) -> bool {
    let files = |items: &[Vec<u8>]| {
        let mut files: Vec<Vec<u8>> = items.iter().map(|item| file(item).to_vec()).collect();
        files.sort_unstable();
        files
    };
    files(a) == files(b)
}

/// A reference without its line.
fn file(reference: &[u8]) -> &[u8] {
    let digits = reference.iter().rev().take_while(|byte| byte.is_ascii_digit()).count();
    let file = &reference[..reference.len() - digits];
    if digits > 0 { file.strip_suffix(b":").unwrap_or(reference) } else { reference }
}

/// Items as the lines of a class.
fn written(class: Class, items: Vec<Vec<u8>>) -> Vec<Vec<u8>> {
    match class {
        Class::Flag | Class::Reference if items.is_empty() => Vec::new(),
        Class::Flag => vec![[b"#, ", items.join(&b", "[..]).as_slice()].concat()],
        Class::Reference => vec![[b"#: ", items.join(&b" "[..]).as_slice()].concat()],
        _ => items,
    }
}

/// The release's comments with those of some classes exchanged, where the release has them.
fn in_place(release: &Entry, changed: &[(Class, Vec<Vec<u8>>)]) -> Vec<Vec<u8>> {
    let mut out: Vec<Vec<u8>> = Vec::new();
    let mut placed: Vec<Class> = Vec::new();
    for line in &release.comments {
        let class = Class::of(line);
        match changed.iter().find(|(of, _)| *of == class) {
            None => out.push(line.clone()),
            Some(_) if placed.contains(&class) => {}
            Some((_, lines)) => {
                out.extend(lines.iter().cloned());
                placed.push(class);
            }
        }
    }
    for (class, lines) in changed.iter().filter(|(class, _)| !placed.contains(class)) {
        let at = out.iter().position(|line| Class::of(line) > *class).unwrap_or(out.len());
        out.splice(at..at, lines.iter().cloned());
    }
    out
}

/// The lines with the mark of an unsure translation, or without. The previous message goes with the mark.
pub(super) fn flagged(lines: &[Vec<u8>], fuzzy: bool) -> Vec<Vec<u8>> {
    let mut out: Vec<Vec<u8>> = Vec::new();
    let mut flagged = false;
    for line in lines.iter().filter(|line| fuzzy || Class::of(line) != Class::Previous) {
        if line.starts_with(b"#,") && is_fuzzy_line(line) != fuzzy && !flagged {
            flagged = fuzzy;
            let flags = line[2..].split(|b| *b == b',').map(<[u8]>::trim_ascii);
            let mut flags: Vec<&[u8]> = flags.filter(|f| *f != b"fuzzy" && !f.is_empty()).collect();
            if fuzzy {
                flags.insert(0, b"fuzzy");
            }
            if !flags.is_empty() {
                out.push([b"#, ".as_slice(), &flags.join(b", ".as_slice())].concat());
            }
            continue;
        }
        flagged |= is_fuzzy_line(line);
        out.push(line.clone());
    }
    if fuzzy && !flagged {
        let at = out.iter().position(|line| Class::of(line) == Class::Previous).unwrap_or(out.len());
        out.insert(at, b"#, fuzzy".to_vec());
    }
    out
}
