//! Settings that are written line by line (YAML, TOML, INI): merging by key.
//!
//! A reader turns a text into an [`Outline`]: its keys with the lines they stand on, comments with the key that
//! they precede. The site's changes are found by comparing outlines, and worked into the release's bytes; order,
//! indentation, comments and literals stay the release's where the site did not change them.

use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};
use std::ops::Range;

use super::flow::Flow;
use super::homes::{Home, Keys, Known, Path, Plan, names_that_stay, plan};
use super::keyed::{KeyChange, KeyedMerge, Refit, Rules, converted};
use crate::merge::{Dialect, Insertions, MergeOptions, Outcome, Reason, Step, merge_text};

/// A key with its value, or an item of a list, and the lines around it. All ranges are in bytes.
#[derive(Debug, Clone)]
pub(crate) struct Item {
    /// What tells it apart from its siblings: the key, or a list item's identity or value.
    pub(crate) name: String,
    /// The lines of comments and blanks before it.
    pub(crate) lead: Range<usize>,
    /// Where its key, dash or header begins.
    pub(crate) start: usize,
    /// What stands behind the key, with the blanks before it.
    pub(crate) value: Range<usize>,
    /// The rest of its line: of the last one behind a plain value, of the first one over nested items.
    pub(crate) after: Range<usize>,
    /// Behind its last line.
    pub(crate) end: usize,
    /// It begins behind a dash on that dash's line.
    pub(crate) inline: bool,
    pub(crate) body: Body,
}

/// What an item holds.
#[derive(Debug, Clone)]
pub(crate) enum Body {
    /// A value without items of its own, in a form that compares.
    Leaf(String),
    /// Keys in any order.
    Map(Vec<Item>),
    /// Items in order.
    List(Vec<Item>),
}

/// A document's items, and the lines behind them.
#[derive(Debug, Clone)]
pub(crate) struct Outline {
    pub(crate) body: Body,
    pub(crate) tail: Range<usize>,
}

/// A format that is written line by line.
#[derive(Clone, Copy)]
pub(crate) struct Reader {
    /// Reads a text into an outline; `None` where it is malformed or has what an outline cannot hold.
    pub(crate) read: fn(&[u8], &Rules) -> Option<Outline>,
    /// What is written within brackets, where the format knows that.
    pub(crate) flow: Option<Flow>,
}

impl Body {
    pub(crate) fn items(&self) -> &[Item] {
        match self {
            Body::Leaf(_) => &[],
            Body::Map(items) | Body::List(items) => items,
        }
    }

    /// The value in a form that compares: order of keys, comments and way of writing left out.
    pub(crate) fn canonical(&self) -> String {
        match self {
            Body::Leaf(text) => text.clone(),
            Body::Map(items) => {
                let mut list: Vec<String> =
                    items.iter().map(|i| format!("{:?}:{}", i.name, i.body.canonical())).collect();
                list.sort();
                format!("{{{}}}", list.join(","))
            }
            Body::List(items) => {
                format!("[{}]", items.iter().map(|i| i.body.canonical()).collect::<Vec<_>>().join(","))
            }
        }
    }

    /// The name of a list item with this body: its identity key, or its value.
    pub(crate) fn item_name(&self, rules: &Rules) -> String {
        let identity = rules.identity().find_map(|key| self.items().iter().find(|i| i.name == key));
        match (self, identity) {
            (Body::Map(_), Some(item)) => format!("{}={}", item.name, item.body.canonical()),
            _ => self.canonical(),
        }
    }

    /// Tells whether another body lacks a key of this one.
    fn lost_in(&self, other: &Body) -> bool {
        let (Body::Map(before), Body::Map(after)) = (self, other) else { return false };
        let after = by_name(after);
        before.iter().any(|i| after.get(i.name.as_str()).is_none_or(|r| i.body.lost_in(&r.body)))
    }

    fn names_are_unique(&self) -> bool {
        let mut seen = HashSet::new();
        let own = matches!(self, Body::List(_)) || self.items().iter().all(|i| seen.insert(i.name.as_str()));
        own && self.items().iter().all(|i| i.body.names_are_unique())
    }
}

impl Outline {
    /// Tells whether every key stands once among its siblings.
    pub(crate) fn names_are_unique(&self) -> bool {
        self.body.names_are_unique()
    }

    /// The keys by their paths; what is in a list has none.
    fn keys(&self) -> Keys {
        fn walk(body: &Body, path: &mut Path, out: &mut Keys) {
            let Body::Map(items) = body else { return };
            let mut before = None;
            for item in items {
                path.push(item.name.clone());
                let table = matches!(item.body, Body::Map(_));
                out.insert(path.clone(), Known { value: item.body.canonical(), table, before });
                walk(&item.body, path, out);
                path.pop();
                before = Some(item.name.clone());
            }
        }
        let mut out = Keys::new();
        walk(&self.body, &mut Vec::new(), &mut out);
        out
    }

    /// The same with headers taken apart: `[a.b]` is the key `b` of `a`.
    fn keys_by_name(&self) -> Keys {
        self.keys().into_iter().map(|(path, known)| (by_names(&path), known)).collect()
    }

    /// Takes names out of a list, so that it compares as one that never had them.
    fn forget(&mut self, names: &BTreeMap<Path, BTreeSet<String>>) {
        fn walk(body: &mut Body, at: &mut Path, names: &BTreeMap<Path, BTreeSet<String>>) {
            let Body::Map(items) = body else { return };
            for item in items {
                at.push(item.name.clone());
                if let Some(names) = names.get(&by_names(at)) {
                    let named = |canonical: &str| {
                        serde_json::from_str(canonical).is_ok_and(|name: String| names.contains(&name))
                    };
                    match &mut item.body {
                        Body::List(list) => list.retain(|i| !named(&i.body.canonical())),
                        Body::Leaf(text) => text.push_str(" without names"),
                        Body::Map(_) => {}
                    }
                }
                walk(&mut item.body, at, names);
                at.pop();
            }
        }
        walk(&mut self.body, &mut Vec::new(), names);
    }

    /// Moves a key to where the release has it; whether it could.
    fn rehome(&mut self, home: &Home) -> bool {
        fn taken(body: &mut Body, path: &[String]) -> Option<Item> {
            let ((name, rest), Body::Map(items)) = (path.split_first()?, body) else { return None };
            let k = items.iter().position(|i| i.name == *name)?;
            if rest.is_empty() { Some(items.remove(k)) } else { taken(&mut items[k].body, rest) }
        }
        fn fits(body: &Body, path: &[String]) -> bool {
            let Body::Map(items) = body else { return false };
            let Some((name, rest)) = path.split_first() else { return true };
            items.iter().find(|i| i.name == *name).is_none_or(|i| !rest.is_empty() && fits(&i.body, rest))
        }
        fn put(body: &mut Body, path: &[String], mut item: Item) {
            let (Some((name, rest)), Body::Map(items)) = (path.split_first(), body) else { return };
            if rest.is_empty() {
                item.name.clone_from(name);
                items.push(item);
                return;
            }
            let k = items.iter().position(|i| i.name == *name).unwrap_or_else(|| {
                // A section that only the release has so far: no text stands behind it.
                items.push(Item {
                    name: name.clone(),
                    lead: 0..0,
                    start: 0,
                    value: 0..0,
                    after: 0..0,
                    end: 0,
                    inline: false,
                    body: Body::Map(Vec::new()),
                });
                items.len() - 1
            });
            put(&mut items[k].body, rest, item);
        }
        if !fits(&self.body, &home.to) {
            return false;
        }
        if let Some(item) = taken(&mut self.body, &home.from) {
            put(&mut self.body, &home.to, item);
        }
        true
    }

    /// All items by the names that lead to them.
    fn by_pointer(&self) -> HashMap<Vec<&str>, &Item> {
        fn walk<'o>(body: &'o Body, path: &mut Vec<&'o str>, out: &mut HashMap<Vec<&'o str>, &'o Item>) {
            for item in body.items() {
                path.push(&item.name);
                out.entry(path.clone()).or_insert(item);
                walk(&item.body, path, out);
                path.pop();
            }
        }
        let mut out = HashMap::new();
        walk(&self.body, &mut Vec::new(), &mut out);
        out
    }

    /// The comments in the text, without the blanks around them.
    fn comments<'t>(&self, text: &'t [u8]) -> Vec<&'t [u8]> {
        let mut out: Vec<&[u8]> = self.body.items().iter().flat_map(|item| item.comments(text)).collect();
        out.extend(solid(&text[self.tail.clone()]));
        out
    }
}

impl Item {
    /// The comments before, within and behind it.
    fn comments<'t>(&self, text: &'t [u8]) -> Vec<&'t [u8]> {
        let mut out = solid(&text[self.lead.clone()]);
        out.extend(self.body.items().iter().flat_map(|item| item.comments(text)));
        out.extend(Some(text[self.after.clone()].trim_ascii()).filter(|after| is_comment(after)));
        out
    }
}

/// A path with the names of headers in place of the headers.
pub(crate) fn by_names(path: &[String]) -> Path {
    let names = path.iter().flat_map(|name| match name.strip_prefix('[').and_then(|n| n.strip_suffix(']')) {
        Some(header) => header.split('.').map(String::from).collect(),
        None => vec![name.clone()],
    });
    names.collect()
}

fn is_comment(after: &[u8]) -> bool {
    matches!(after.trim_ascii().first(), Some(b'#' | b';' | b'!'))
}

/// The lines of a stretch that are not blank, without their indentation.
fn solid(text: &[u8]) -> Vec<&[u8]> {
    text.split(|b| matches!(b, b'\n' | b'\r')).map(<[u8]>::trim_ascii).filter(|l| !l.is_empty()).collect()
}

/// Where the line begins that a position is in.
pub(crate) fn line_start(text: &[u8], at: usize) -> usize {
    text[..at].iter().rposition(|b| *b == b'\n').map_or(0, |p| p + 1)
}

/// Where the line ends that a position is in: before its line end, and behind it.
pub(crate) fn line_end(text: &[u8], at: usize) -> (usize, usize) {
    match text[at..].iter().position(|b| *b == b'\n') {
        Some(n) => {
            let cr = n > 0 && text[at + n - 1] == b'\r';
            (at + n - usize::from(cr), at + n + 1)
        }
        None => (text.len(), text.len()),
    }
}

fn indent_at(text: &[u8], at: usize) -> &[u8] {
    let start = line_start(text, at);
    let width = text[start..].iter().take_while(|b| matches!(b, b' ' | b'\t')).count();
    &text[start..start + width]
}

/// A change of the release's text: these bytes in place of those.
struct Splice {
    at: Range<usize>,
    bytes: Vec<u8>,
}

struct Merger<'a> {
    base: &'a [u8],
    site: &'a [u8],
    release: &'a [u8],
    /// How the site's lines are written in the release.
    refit: Refit,
    /// The site's file lost all its comments to a tool: they are form then.
    comments_are_form: bool,
    rules: &'a Rules,
    flow: Option<Flow>,
    /// Where keys are that the release renamed or moved.
    homes: Vec<Path>,
    /// By path of a dropped key: what may have taken its place.
    hints: BTreeMap<Path, String>,
    /// Names that lists in the base forget, as their keys stay.
    stay: BTreeMap<Path, BTreeSet<String>>,
    splices: Vec<Splice>,
    changes: Vec<(Vec<String>, KeyChange)>,
}

/// What a change cannot be worked into the release's lines for; then lines and words decide.
struct Beyond;

/// Merges three versions of a document by key; `None` where one cannot be read, or a change cannot be worked into
/// the release's lines.
pub(crate) fn merge(reader: Reader, base: &[u8], site: &[u8], release: &[u8], rules: &Rules) -> Option<KeyedMerge> {
    let read = |text: &[u8]| (reader.read)(text, rules);
    let [mut b, mut s, r] = [read(base)?, read(site)?, read(release)?];
    let mut plan =
        if b.body.lost_in(&r.body) { plan(&b.keys(), &s.keys(), &r.keys(), rules.bold) } else { Plan::default() };
    plan.homes.retain(|home| {
        let mut moved = [b.clone(), s.clone()];
        let all = moved.iter_mut().all(|outline| outline.rehome(home));
        if all {
            [b, s] = moved;
        }
        all
    });
    let mut stay = BTreeMap::new();
    if b.body.lost_in(&s.body) || b.body.lost_in(&r.body) {
        stay = names_that_stay(&b.keys_by_name(), &s.keys_by_name(), &r.keys_by_name());
        b.forget(&stay);
    }
    let before: HashSet<&[u8]> = b.comments(base).into_iter().collect();
    let mut own_comments = s.comments(site);
    let comments_are_form = !before.is_empty() && own_comments.is_empty();
    own_comments.retain(|comment| !before.contains(comment));
    let mut merger = Merger {
        base,
        site,
        release,
        refit: Refit::new(site, release),
        comments_are_form,
        rules,
        flow: reader.flow,
        homes: plan.homes.into_iter().map(|h| h.to).collect(),
        hints: plan.hints,
        stay,
        splices: Vec::new(),
        changes: Vec::new(),
    };
    merger.document(&b, &s, &r).ok()?;
    let bytes = merger.spliced();
    // The text must hold what was decided, or it is not to be trusted.
    let result = read(&bytes)?;
    let there: HashSet<&[u8]> = result.comments(&bytes).into_iter().collect();
    if own_comments.iter().any(|comment| !there.contains(comment)) {
        return None;
    }
    let (results, sites) = (result.by_pointer(), s.by_pointer());
    let mut changes = Vec::new();
    for (pointer, mut change) in merger.changes {
        let pointer: Vec<&str> = pointer.iter().map(String::as_str).collect();
        let found = results.get(&pointer).copied();
        let lead_only = change.pointer.is_empty();
        // A key that is alone on one side was told with its comments.
        let starts_before = |i: &&Item| change.site.as_ref().is_some_and(|span| span.start < i.start);
        let with_comments = sites.get(&pointer).filter(|i| starts_before(i)).is_some();
        change.result = found.map(|i| match (lead_only, with_comments) {
            (true, _) => i.lead.clone(),
            (_, true) => i.lead.start..i.end,
            _ => i.start..i.value.end,
        });
        let arrived = matches!(change.outcome, Outcome::Kept | Outcome::Fitted) && !lead_only;
        // What was merged within a value is neither side's.
        if arrived && change.step.is_none() {
            let wanted = sites.get(&pointer).map(|i| i.body.canonical());
            if found.map(|i| i.body.canonical()) != wanted {
                return None;
            }
        }
        changes.push(change);
    }
    Some(KeyedMerge { bytes, changes, rewritten: comments_are_form })
}

/// Tells whether two texts hold the same values.
pub(crate) fn same_values(reader: Reader, a: &[u8], b: &[u8]) -> bool {
    let values = |text| (reader.read)(text, &Rules::default()).map(|o| o.body.canonical());
    values(a).is_some_and(|v| Some(v) == values(b))
}

impl Merger<'_> {
    fn document(&mut self, b: &Outline, s: &Outline, r: &Outline) -> Result<(), Beyond> {
        if b.body.canonical() != s.body.canonical() && s.body.canonical() != r.body.canonical() {
            match (&b.body, &s.body, &r.body) {
                (Body::Map(bi), Body::Map(si), Body::Map(ri)) => self.items(&[], bi, si, ri, true)?,
                (Body::List(bi), Body::List(si), Body::List(ri)) if have_names(bi, si, ri, self.rules) => {
                    self.items(&[], bi, si, ri, true)?;
                }
                _ => return Err(Beyond),
            }
        } else if let (Body::Map(bi), Body::Map(si), Body::Map(ri)) = (&b.body, &s.body, &r.body) {
            // No value is in question; comments may be.
            self.items(&[], bi, si, ri, true)?;
        }
        self.lines(&[], b.tail.clone(), s.tail.clone(), r.tail.clone())
    }

    fn note(
        &mut self,
        pointer: &[String],
        items: (Option<&Item>, Option<&Item>, Option<&Item>),
        outcome: Outcome,
        step: Option<Step>,
        reason: Option<Reason>,
    ) {
        let span = |i: Option<&Item>| i.map(|i| i.start..i.value.end);
        let whole = |i: Option<&Item>, alone: bool| {
            i.map(|i| if alone { i.lead.start..i.value.end } else { i.start..i.value.end })
        };
        let (b, s, r) = items;
        let moved = self.homes.iter().any(|home| pointer.starts_with(home));
        let (outcome, step) = match outcome {
            Outcome::Kept if moved && step.is_none() => (Outcome::Fitted, Some(Step::RenamedKey)),
            _ => (outcome, step),
        };
        let hint = self.hints.get(pointer).filter(|_| reason == Some(Reason::KeyGone)).cloned();
        let change = KeyChange {
            pointer: pointer.join("\0") + "\0",
            // A key that came or went took its comments along.
            base: whole(b, s.is_none()),
            site: whole(s, b.is_none()),
            release: span(r),
            result: None,
            outcome,
            step,
            reason,
            hint,
        };
        self.changes.push((pointer.to_vec(), change));
    }

    /// Merges the items under one key, in the release's order.
    fn items(
        &mut self,
        pointer: &[String],
        base: &[Item],
        site: &[Item],
        release: &[Item],
        root: bool,
    ) -> Result<(), Beyond> {
        let (bases, sites, releases) = (by_name(base), by_name(site), by_name(release));
        let child = |name: &str| -> Vec<String> { pointer.iter().cloned().chain([name.to_string()]).collect() };
        for r in release {
            let at = child(&r.name);
            match (bases.get(r.name.as_str()).copied(), sites.get(r.name.as_str()).copied()) {
                (b, Some(s)) => {
                    if let Some(b) = b {
                        self.lines(&at, b.lead.clone(), s.lead.clone(), r.lead.clone())?;
                        self.after(b, s, r)?;
                    }
                    self.value(&at, b, s, r)?;
                }
                (Some(b), None) if b.body.canonical() == r.body.canonical() => {
                    self.note(&at, (Some(b), None, Some(r)), Outcome::Kept, None, None);
                    self.delete(b, r)?;
                }
                (Some(b), None) => {
                    self.note(&at, (Some(b), None, Some(r)), Outcome::Open, None, Some(Reason::SiteDeleted));
                }
                (None, None) => {}
            }
        }
        let mut before = None;
        for (k, s) in site.iter().enumerate() {
            if let Some(r) = releases.get(s.name.as_str()).copied() {
                before = Some(r.end);
                continue;
            }
            let at = child(&s.name);
            let b = bases.get(s.name.as_str()).copied();
            let commented = b.is_some_and(|b| self.comments_of_its_own(b, s));
            match b {
                Some(b) if b.body.canonical() == s.body.canonical() && !commented => continue,
                Some(b) => {
                    self.note(&at, (Some(b), Some(s), None), Outcome::Open, None, Some(Reason::KeyGone));
                    if let Some((_, change)) = self.changes.last_mut().filter(|_| commented) {
                        (change.base, change.site) = (Some(b.lead.start..b.end), Some(s.lead.start..s.end));
                    }
                }
                None => self.note(&at, (None, Some(s), None), Outcome::Kept, None, None),
            }
            let after = match before {
                Some(_) => None,
                None => site[k + 1..].iter().find_map(|n| releases.get(n.name.as_str()).copied()),
            };
            let place = self.place(s, release, before, after, root).ok_or(Beyond)?;
            before = Some(place);
            self.insert(s, release, place)?;
        }
        for b in base.iter().filter(|b| {
            sites.get(b.name.as_str()).copied().is_none() && releases.get(b.name.as_str()).copied().is_none()
        }) {
            self.note(&child(&b.name), (Some(b), None, None), Outcome::Already, Some(Step::BothDeleted), None);
        }
        Ok(())
    }

    /// Tells whether the site put comments before, into or behind an item that it has as the base has it.
    fn comments_of_its_own(&self, base: &Item, site: &Item) -> bool {
        let before: HashSet<&[u8]> = base.comments(self.base).into_iter().collect();
        !self.comments_are_form && site.comments(self.site).iter().any(|comment| !before.contains(comment))
    }

    /// Where in the release a new item of the site goes: behind what it follows on the site, else before what
    /// follows it there, else behind the last.
    fn place(
        &self,
        new: &Item,
        release: &[Item],
        before: Option<usize>,
        after: Option<&Item>,
        root: bool,
    ) -> Option<usize> {
        let last = release.last()?.end;
        let mut place = match (before, after) {
            (Some(place), _) => place,
            // The lines before the first item may be the head of the file, and belong there.
            (None, Some(next)) if root && next.start == release[0].start => next.end,
            (None, Some(next)) if next.inline => next.end,
            (None, Some(next)) => next.lead.start,
            (None, None) => last,
        };
        // Where headers part a document, what stands behind one belongs to it.
        let sections = |i: &&Item| matches!(i.body, Body::Map(_)) && self.release[i.start] == b'[';
        if root && let Some(first) = release.iter().find(sections) {
            let bare_end = release.iter().rfind(|i| !sections(i)).map_or(0, |i| i.end);
            place = if self.site[new.start] == b'[' && matches!(new.body, Body::Map(_)) {
                place.max(bare_end)
            } else {
                place.min(first.lead.start.max(bare_end))
            };
        }
        Some(place)
    }

    fn insert(&mut self, new: &Item, siblings: &[Item], place: usize) -> Result<(), Beyond> {
        if new.inline {
            return Err(Beyond);
        }
        let start = line_start(self.site, new.start);
        let from = &self.site[start..new.start];
        let to = match siblings.first() {
            Some(first) if first.inline => vec![b' '; first.start - line_start(self.release, first.start)],
            Some(first) => self.release[line_start(self.release, first.start)..first.start].to_vec(),
            None => return Err(Beyond),
        };
        if !to.iter().chain(from).all(|b| matches!(b, b' ' | b'\t')) {
            return Err(Beyond);
        }
        let raw = &self.site[new.lead.start..new.end];
        let mut bytes = to.clone();
        let width = raw.iter().take_while(|b| matches!(b, b' ' | b'\t')).count();
        // Blank lines come first where the lead has some; then the first line has no indentation to replace.
        let first_blank = matches!(raw.get(width), Some(b'\n' | b'\r'));
        if first_blank {
            bytes.clear();
        }
        bytes.extend(self.refit.write(&raw[width..], from, &to));
        let end = self.refit.line_end();
        if !bytes.ends_with(b"\n") {
            bytes.extend_from_slice(end);
        }
        if place > 0 && self.release[place - 1] != b'\n' {
            while bytes.last().is_some_and(|b| matches!(b, b'\n' | b'\r')) {
                bytes.pop();
            }
            bytes.splice(0..0, end.iter().copied());
        }
        self.splices.push(Splice { at: place..place, bytes });
        Ok(())
    }

    fn delete(&mut self, base: &Item, release: &Item) -> Result<(), Beyond> {
        if release.inline {
            return Err(Beyond);
        }
        let own_comment = solid(&self.base[base.lead.clone()]) == solid(&self.release[release.lead.clone()]);
        let start = if own_comment { release.lead.start } else { line_start(self.release, release.start) };
        self.splices.push(Splice { at: start..release.end, bytes: Vec::new() });
        Ok(())
    }

    /// Merges the comments and blanks before an item; order and blanks are the release's.
    fn lines(&mut self, at: &[String], b: Range<usize>, s: Range<usize>, r: Range<usize>) -> Result<(), Beyond> {
        let (base, site, release) =
            (solid(&self.base[b.clone()]), solid(&self.site[s.clone()]), solid(&self.release[r.clone()]));
        if self.comments_are_form || base == site {
            return Ok(());
        }
        let outcome = if site == release {
            Outcome::Already
        } else {
            let texts = [&self.base[b.clone()], &self.site[s.clone()], &self.release[r.clone()]];
            let dialect = Dialect { insertions: Insertions::Members, ..Dialect::default() };
            let merged =
                merge_text(texts[0], texts[1], texts[2], &dialect, &MergeOptions::default()).ok_or(Beyond)?;
            if !merged.decisions.is_empty() {
                // Comments that only went are no loss.
                let only_less = site.iter().all(|line| base.contains(line));
                return if only_less { Ok(()) } else { Err(Beyond) };
            }
            let mut bytes = merged.bytes;
            if !bytes.is_empty() && !bytes.ends_with(b"\n") {
                if r.end == self.release.len() {
                    if !self.release.ends_with(b"\n") && r.is_empty() {
                        bytes.insert(0, b'\n');
                    }
                } else {
                    bytes.push(b'\n');
                }
            }
            self.splices.push(Splice { at: r.clone(), bytes });
            Outcome::Kept
        };
        self.changes.push((
            at.to_vec(),
            KeyChange {
                pointer: String::new(),
                base: Some(b),
                site: Some(s),
                release: Some(r),
                result: None,
                outcome,
                step: None,
                reason: None,
                hint: None,
            },
        ));
        Ok(())
    }

    /// Merges the comment behind a value.
    fn after(&mut self, b: &Item, s: &Item, r: &Item) -> Result<(), Beyond> {
        let [base, site, release] =
            [(self.base, b), (self.site, s), (self.release, r)].map(|(text, i)| text[i.after.clone()].trim_ascii());
        // A comment that only went is no loss; where the release has another, that one stands.
        if self.comments_are_form || base == site || site == release || (site.is_empty() && base != release) {
            return Ok(());
        }
        if base != release && !release.is_empty() {
            return Err(Beyond);
        }
        self.splices.push(Splice { at: r.after.clone(), bytes: self.site[s.after.clone()].to_vec() });
        Ok(())
    }

    /// Merges a value that site and release both have.
    fn value(&mut self, at: &[String], b: Option<&Item>, s: &Item, r: &Item) -> Result<(), Beyond> {
        let [base, site, release] = [b, Some(s), Some(r)].map(|i| i.map(|i| i.body.canonical()));
        if let (Body::Map(si), Body::Map(ri)) = (&s.body, &r.body) {
            let none = Vec::new();
            let bi = match b.map(|b| &b.body) {
                Some(Body::Map(items)) => items,
                _ => &none,
            };
            // Also where no value differs: comments are within.
            return self.items(at, bi, si, ri, false);
        }
        if base == site {
            // Held at what it was, or the release's.
            return if self.rules.hold && site != release { self.replace(s, r) } else { Ok(()) };
        }
        let items = (b, Some(s), Some(r));
        if site == release {
            self.note(at, items, Outcome::Already, None, None);
            return Ok(());
        }
        if let (Some(Body::List(bi)), Body::List(si), Body::List(ri)) = (b.map(|b| &b.body), &s.body, &r.body)
            && base != release
            && have_names(bi, si, ri, self.rules)
        {
            return self.items(at, bi, si, ri, false);
        }
        if base == release {
            self.note(at, items, Outcome::Kept, None, None);
        } else if let Some(merged) = b.and_then(|b| self.within(at, b, s, r)) {
            self.note(at, items, Outcome::Kept, Some(Step::ByKey), None);
            self.splices.push(merged);
            return Ok(());
        } else {
            let sort = |body: &Body| match body {
                Body::Map(_) => 0,
                Body::List(_) => 1,
                Body::Leaf(text) => 2 + u8::from(text.starts_with('"')),
            };
            let retyped = b.is_some_and(|b| sort(&b.body) != sort(&r.body));
            let literal =
                |text: &[u8], i: &Item| String::from_utf8_lossy(text[i.value.clone()].trim_ascii()).into_owned();
            let as_theirs =
                if retyped { converted(&literal(self.site, s), &literal(self.release, r)) } else { None };
            if let (true, Some(text)) = (self.rules.bold, &as_theirs) {
                self.note(at, items, Outcome::Fitted, Some(Step::Retyped), None);
                self.splices.push(Splice { at: trimmed(self.release, &r.value), bytes: text.clone().into_bytes() });
                return Ok(());
            }
            let reason = if retyped { Reason::Retyped } else { Reason::BothChanged };
            self.note(at, items, Outcome::Open, None, Some(reason));
            if let Some((_, last)) = self.changes.last_mut() {
                last.hint = as_theirs.map(|t| format!("as the type that the release has: {t}"));
            }
        }
        self.replace(s, r)
    }

    /// Merges a value that all three write within brackets, item by item.
    fn within(&self, at: &[String], b: &Item, s: &Item, r: &Item) -> Option<Splice> {
        let flow = self.flow?;
        let forgotten = self.stay.get(&by_names(at)).cloned().unwrap_or_default();
        let part = |text: &'_ [u8], i: &Item| {
            matches!(i.body, Body::Leaf(_)).then(|| text[trimmed(text, &i.value)].to_vec())
        };
        let bytes = flow.merge(&part(self.base, b)?, &part(self.site, s)?, &part(self.release, r)?, &forgotten)?;
        Some(Splice { at: trimmed(self.release, &r.value), bytes })
    }

    /// Puts the site's value in place of the release's.
    fn replace(&mut self, s: &Item, r: &Item) -> Result<(), Beyond> {
        let leaf = |i: &Item| matches!(i.body, Body::Leaf(_));
        let (from, to) = (indent_at(self.site, s.start), indent_at(self.release, r.start));
        let (mut sv, mut rv) = (trimmed(self.site, &s.value), trimmed(self.release, &r.value));
        if !leaf(s) || !leaf(r) {
            // A block takes the place of a value, or a value that of a block.
            if is_comment(&self.release[r.after.clone()]) || is_comment(&self.site[s.after.clone()]) {
                return Err(Beyond);
            }
            (sv, rv) = (s.value.clone(), r.value.clone());
        } else if sv.is_empty() || rv.is_empty() {
            (sv, rv) = (s.value.clone(), r.value.clone());
        }
        let mut bytes = self.refit.write(&self.site[sv], from, to);
        if self.release[r.start] == b'[' && leaf(s) != leaf(r) {
            return Err(Beyond);
        }
        if rv.start == rv.end && bytes.first().is_some_and(|b| !b.is_ascii_whitespace()) {
            bytes.insert(0, b' ');
        }
        self.splices.push(Splice { at: rv, bytes });
        Ok(())
    }

    /// The release's text with everything put in its place.
    fn spliced(&mut self) -> Vec<u8> {
        self.splices.sort_by_key(|s| (s.at.start, s.at.end));
        let mut out = Vec::with_capacity(self.release.len() + 256);
        let mut at = 0;
        for splice in &self.splices {
            out.extend_from_slice(&self.release[at..splice.at.start.max(at)]);
            out.extend_from_slice(&splice.bytes);
            at = at.max(splice.at.end);
        }
        out.extend_from_slice(&self.release[at..]);
        out
    }
}

/// A range without the blanks that it begins with.
fn trimmed(text: &[u8], range: &Range<usize>) -> Range<usize> {
    let lead = text[range.clone()].iter().take_while(|b| b.is_ascii_whitespace()).count();
    range.start + lead..range.end
}

/// Tells whether the items of three lists have names of their own, and the site left those it kept in order.
fn have_names(base: &[Item], site: &[Item], release: &[Item], rules: &Rules) -> bool {
    let all = || base.iter().chain(site).chain(release);
    let leaves = all().all(|i| matches!(i.body, Body::Leaf(_)));
    let identified = all().all(|i| match &i.body {
        Body::Map(items) => items.iter().any(|i| rules.identity().any(|key| key == i.name)),
        _ => false,
    });
    let distinct = |list: &[Item]| list.iter().map(|i| &i.name).collect::<HashSet<_>>().len() == list.len();
    let common = |from: &[Item], of: &[Item]| -> Vec<String> {
        let of: HashSet<&String> = of.iter().map(|i| &i.name).collect();
        from.iter().map(|i| &i.name).filter(|n| of.contains(n)).cloned().collect()
    };
    (leaves || identified)
        && [base, site, release].into_iter().all(distinct)
        && common(base, site) == common(site, base)
}

fn by_name(items: &[Item]) -> HashMap<&str, &Item> {
    items.iter().map(|i| (i.name.as_str(), i)).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::formats::{ini, toml, yaml};

    fn merged(reader: Reader, base: &str, site: &str, release: &str) -> (String, Vec<Outcome>) {
        let merge = merge(reader, base.as_bytes(), site.as_bytes(), release.as_bytes(), &Rules::default())
            .expect("an outline");
        (String::from_utf8(merge.bytes).unwrap(), merge.changes.iter().map(|c| c.outcome).collect())
    }

    #[test]
    fn yaml_takes_the_sites_values_into_the_releases_lines() {
        let base =
            "# Head\n\na: 1 # one\nnav:\n  - Home\n  - News\ndeep:\n  x: \"old\"\n  y: |\n    text\n    more\n";
        let site = "a: 1\nown:\n    - {b: 2}\ndeep:\n    y: |\n        ours\n        more\n    x: new\nnav: \n    - Home\n    - News\n    - Shop\n";
        let release = "# Head\n\na: 1 # one\n# counted\nn: 5\nnav:\n- Home\n- Blog\n- News\ndeep:\n  x: 'old'   # kept\n  y: |\n    text\n    more\n  z:\n";
        let (text, outcomes) = merged(yaml::READER, base, site, release);
        assert_eq!(
            text,
            "# Head\n\na: 1 # one\nown:\n  - {b: 2}\n# counted\nn: 5\nnav:\n- Home\n- Blog\n- News\n- Shop\ndeep:\n  x: new   # kept\n  y: |\n    ours\n    more\n  z:\n"
        );
        assert_eq!(outcomes, [Outcome::Kept; 4]);
    }

    #[test]
    fn lists_that_order_a_table_stay_true_to_it() {
        let base = "of:\n  a:\n    v: 1\n  b:\n    v: 1\norder:\n  - a\n  - b\n";
        let site = "of:\n  a:\n    v: 1\n  b:\n    v: 9\norder:\n  - a\n  - b\n";
        let release = "of:\n  a:\n    v: 1\n  c:\n    v: 2\norder:\n  - c\n  - a\n";
        let (text, outcomes) = merged(yaml::READER, base, site, release);
        assert_eq!(text, "of:\n  a:\n    v: 1\n  b:\n    v: 9\n  c:\n    v: 2\norder:\n  - c\n  - a\n  - b\n");
        assert_eq!(outcomes, [Outcome::Open, Outcome::Kept]);
        let base = "order = ['a', 'b']\n[of.a]\nv = 1\n[of.b]\nv = 1\n";
        let site = "order = ['a', 'b']\n[of.a]\nv = 1\n[of.b]\nv = 9\n";
        let (text, _) =
            merged(toml::READER, base, site, "order = [ \"c\", \"a\" ]\n[of.a]\nv = 1\n[of.c]\nv = 2\n");
        assert_eq!(text, "order = [ \"c\", \"a\", 'b' ]\n[of.a]\nv = 1\n[of.b]\nv = 9\n[of.c]\nv = 2\n");
        let (text, _) = merged(
            yaml::READER,
            "o: [a, b]\nt: {}\nof:\n  a: 1\n  b: 2\n",
            "o: [a]\nt: {}\nof:\n  a: 1\n",
            "o: [a, b]\nt: {}\nof:\n  a: 1\n  b: 5",
        );
        assert_eq!(text, "o: [a, b]\nt: {}\nof:\n  a: 1\n  b: 5");
    }

    #[test]
    fn comments_go_with_the_key_behind_them() {
        let base = "# first\na: 1\n# wide: 3\nb: 2\n";
        let site = "# first\na: 1\nwide: 4\n# ours\nb: 2\n";
        let release = "# first\na: 0\n# wide: 3\nb: 2\n# new\nc: 3\n";
        let (text, _) = merged(yaml::READER, base, site, release);
        assert_eq!(text, "# first\na: 0\nwide: 4\n# ours\nb: 2\n# new\nc: 3\n");
    }

    #[test]
    fn toml_keys_stay_before_the_first_header() {
        let base = "title = \"x\"\n\n[menu]\nopen = false # at start\n\n[[item]]\nname = \"a\"\nsize = 1\n";
        let site = "title = \"x\"\nown = 1\n\n[[item]]\nname = \"a\"\nsize = 1\n\n[[item]]\nname = \"mine\"\nsize = 3\n\n[menu]\nopen = true\n";
        let release = "title = 'x'\nlang = \"cy\"\n\n[menu]\nopen = false # at start\ndepth = 2\n\n[[item]]\nname = \"a\"\nsize = 2\n";
        let (text, outcomes) = merged(toml::READER, base, site, release);
        assert_eq!(
            text,
            "title = 'x'\nown = 1\nlang = \"cy\"\n\n[menu]\nopen = true # at start\ndepth = 2\n\n[[item]]\nname = \"a\"\nsize = 2\n\n[[item]]\nname = \"mine\"\nsize = 3\n"
        );
        assert_eq!(outcomes, [Outcome::Kept; 3]);
        assert!(read(toml::READER, b"[[x]]\nv = 1\n[[x]]\nv = 2\n").is_none(), "nothing tells the tables apart");
    }

    #[test]
    fn ini_values_go_on_and_sections_move() {
        let base = "[b]\nx = 1\nlist =\n  one\n  two\n\n[a]\ny = 2\n";
        let site = "[b]\nx=1\nlist =\n  one\n  ours\n\n[a]\ny = 2\nz: 3\n";
        let release = "[a]\ny = 4\n\n; the rest\n[b]\nlist =\n  one\n  two\nx = 1\n";
        let (text, outcomes) = merged(ini::READER, base, site, release);
        assert_eq!(text, "[a]\ny = 4\nz: 3\n\n; the rest\n[b]\nlist =\n  one\n  ours\nx = 1\n");
        assert_eq!(outcomes, [Outcome::Kept; 2]);
    }

    #[test]
    fn what_both_changed_is_asked_and_what_the_site_removed_goes() {
        let (text, outcomes) =
            merged(yaml::READER, "a: 1\nb: 2\nc: 3\nd: 4\n", "a: 8\nd: 5\n", "a: 9\nb: 2\nc: 0\n");
        assert_eq!(text, "a: 8\nd: 5\nc: 0\n");
        assert_eq!(outcomes, [Outcome::Open, Outcome::Kept, Outcome::Open, Outcome::Open]);
    }

    fn read(reader: Reader, text: &[u8]) -> Option<Outline> {
        (reader.read)(text, &Rules::default())
    }

    #[test]
    fn what_an_outline_cannot_hold_is_left_to_lines() {
        for text in ["a: 1\na: 2\n", "? x\n: y\n", "a: |+\n  x\n\nb: 1\n", "a: [1\n", "x: &n\n  a: 1\n"] {
            assert!(read(yaml::READER, text.as_bytes()).is_none(), "{text}");
        }
        assert!(read(yaml::READER, &b"[".repeat(20_000)).is_none());
        assert!(read(yaml::READER, &b"- ".repeat(20_000)).is_none());
        assert!(read(toml::READER, b"a = 1\na = 2\n").is_none() && read(ini::READER, b"[a\nb = 1\n").is_none());
        assert!(read(yaml::READER, b"a: *x\nb: &y 1\n").is_none(), "an alias of nothing");
    }
}
