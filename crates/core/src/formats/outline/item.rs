//! What a text in lines holds: keys and items of lists, with the lines they stand on.

use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};
use std::ops::Range;

use crate::formats::flow::remarks;
use crate::formats::homes::{Home, Keys, Known, Path};
use crate::formats::keyed::Rules;

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

    /// What it holds, part by part, in a form that compares, without what names an item of a list.
    pub(super) fn parts(&self, rules: &Rules) -> Vec<String> {
        match self {
            Body::Map(items) => {
                let rest = items.iter().filter(|item| rules.identity().all(|key| key != item.name));
                rest.map(|item| format!("{:?}:{}", item.name, item.body.canonical())).collect()
            }
            _ => vec![self.canonical()],
        }
    }

    /// Tells whether another body lacks a key of this one.
    pub(super) fn lost_in(&self, other: &Body) -> bool {
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
    pub(super) fn keys(&self) -> Keys {
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
    pub(super) fn keys_by_name(&self) -> Keys {
        self.keys().into_iter().map(|(path, known)| (by_names(&path), known)).collect()
    }

    /// Takes names out of a list, so that it compares as one that never had them.
    pub(super) fn forget(&mut self, names: &BTreeMap<Path, BTreeSet<String>>) {
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
    pub(super) fn rehome(&mut self, home: &Home) -> bool {
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

    /// The body that names lead to.
    pub(super) fn body_at(&mut self, path: &[String]) -> Option<&mut Body> {
        path.iter().try_fold(&mut self.body, |body, name| match body {
            Body::Leaf(_) => None,
            Body::Map(items) | Body::List(items) => {
                items.iter_mut().find(|item| item.name == *name).map(|item| &mut item.body)
            }
        })
    }

    /// All items by the names that lead to them.
    pub(super) fn by_pointer(&self) -> HashMap<Vec<&str>, &Item> {
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
    pub(super) fn comments<'t>(&self, text: &'t [u8]) -> Vec<&'t [u8]> {
        let mut out: Vec<&[u8]> = self.body.items().iter().flat_map(|item| item.comments(text)).collect();
        out.extend(solid(&text[self.tail.clone()]));
        out
    }
}

impl Item {
    /// The comments before, within and behind it.
    pub(super) fn comments<'t>(&self, text: &'t [u8]) -> Vec<&'t [u8]> {
        let mut out = solid(&text[self.lead.clone()]);
        out.extend(self.comments_of_value(text));
        out.extend(self.comment_behind(text));
        out
    }

    /// The comments within its value.
    pub(super) fn comments_of_value<'t>(&self, text: &'t [u8]) -> Vec<&'t [u8]> {
        match self.body {
            Body::Leaf(_) => remarks(text[self.value.clone()].trim_ascii()),
            _ => self.body.items().iter().flat_map(|item| item.comments(text)).collect(),
        }
    }

    /// The comment on the rest of its line.
    pub(super) fn comment_behind<'t>(&self, text: &'t [u8]) -> Option<&'t [u8]> {
        Some(text[self.after.clone()].trim_ascii()).filter(|after| is_comment(after))
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

pub(super) fn is_comment(after: &[u8]) -> bool {
    matches!(after.trim_ascii().first(), Some(b'#' | b';' | b'!'))
}

/// The lines of a stretch that are not blank, without their indentation.
pub(super) fn solid(text: &[u8]) -> Vec<&[u8]> {
    text.split(|b| matches!(b, b'\n' | b'\r')).map(<[u8]>::trim_ascii).filter(|l| !l.is_empty()).collect()
}

/// Items by their names.
pub(super) fn by_name(items: &[Item]) -> HashMap<&str, &Item> {
    items.iter().map(|i| (i.name.as_str(), i)).collect()
}
