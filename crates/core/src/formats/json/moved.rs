//! Keys that the release has elsewhere, and names that a list of the base is to have no more.

use std::collections::{BTreeSet, HashMap};

use super::document::{Doc, Member, Node, Value, decoded};
use crate::formats::homes::{Home, Keys, Known, Path};

/// The keys of a document.
pub(super) fn keys(doc: Doc<'_>, root: &Node) -> Keys {
    fn walk(doc: Doc<'_>, node: &Node, path: &mut Path, out: &mut Keys) {
        let Value::Object(members) = &node.value else { return };
        let mut before = None;
        for member in members {
            path.push(member.key.clone());
            let table = matches!(member.node.value, Value::Object(_));
            out.insert(path.clone(), Known { value: doc.canonical(&member.node), table, before });
            walk(doc, &member.node, path, out);
            path.pop();
            before = Some(member.key.clone());
        }
    }
    let mut out = Keys::new();
    walk(doc, root, &mut Vec::new(), &mut out);
    out
}

/// Tells whether a side lacks a key of the base.
pub(super) fn lost(base: &Node, side: &Node) -> bool {
    let (Value::Object(before), Value::Object(after)) = (&base.value, &side.value) else { return false };
    let after: HashMap<&str, &Node> = after.iter().map(|m| (m.key.as_str(), &m.node)).collect();
    before.iter().any(|m| after.get(m.key.as_str()).is_none_or(|r| lost(&m.node, r)))
}

/// Moves a key to where the release has it; whether it could.
pub(super) fn rehome(root: &mut Node, home: &Home) -> bool {
    fn members(node: &mut Node) -> Option<&mut Vec<Member>> {
        match &mut node.value {
            Value::Object(members) => Some(members),
            _ => None,
        }
    }
    fn taken(node: &mut Node, path: &[String]) -> Option<Member> {
        let (name, rest) = path.split_first()?;
        let list = members(node)?;
        let k = list.iter().position(|m| m.key == *name)?;
        if rest.is_empty() { Some(list.remove(k)) } else { taken(&mut list[k].node, rest) }
    }
    fn fits(node: &Node, path: &[String]) -> bool {
        let Value::Object(list) = &node.value else { return false };
        let Some((name, rest)) = path.split_first() else { return true };
        list.iter().find(|m| m.key == *name).is_none_or(|m| !rest.is_empty() && fits(&m.node, rest))
    }
    fn put(node: &mut Node, path: &[String], mut member: Member) {
        let (Some((name, rest)), Some(list)) = (path.split_first(), members(node)) else { return };
        if rest.is_empty() {
            member.key.clone_from(name);
            list.push(member);
            return;
        }
        let k = list.iter().position(|m| m.key == *name).unwrap_or_else(|| {
            // A section that only the release has so far: no text stands behind it.
            let node = Node { span: 0..0, from: 0, value: Value::Object(Vec::new()) };
            list.push(Member {
                key: name.clone(),
                before: 0..0,
                body: 0..0,
                after_value: 0..0,
                after_comma: 0..0,
                node,
            });
            list.len() - 1
        });
        put(&mut list[k].node, rest, member);
    }
    if !fits(root, &home.to) {
        return false;
    }
    if let Some(member) = taken(root, &home.from) {
        put(root, &home.to, member);
    }
    true
}

/// Takes names out of a list, so that it compares as one that never had them.
pub(super) fn forget(root: &mut Node, list: &[String], names: &BTreeSet<String>, text: &[u8]) {
    match (list.split_first(), &mut root.value) {
        (Some((name, rest)), Value::Object(members)) => {
            let member = members.iter_mut().find(|m| m.key == *name);
            member.into_iter().for_each(|m| forget(&mut m.node, rest, names, text));
        }
        (None, Value::Array(items)) => {
            items.retain(|item| !names.contains(&decoded(&text[item.node.span.clone()])));
            // No text stands behind it any more.
            root.span = 0..0;
        }
        _ => {}
    }
}

pub(super) fn pointer_of(path: &[String]) -> String {
    path.iter().map(|name| format!("\0{name}")).collect()
}
