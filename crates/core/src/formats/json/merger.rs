//! Working the site's changes into the release's text, value by value.

use std::borrow::Cow;
use std::collections::{BTreeMap, HashMap, HashSet};

use super::document::{Doc, Member, Node, Parser, Value, comments_arrived};
use crate::formats::keyed::{KeyChange, Refit, Rules, converted};
use crate::formats::lists::{Names, Replaced};
use crate::formats::matched::{self, Told};
use crate::merge::{Dialect, MergeOptions, Outcome, Reason, Step, merge_text};

pub(super) struct Merger<'a> {
    pub(super) base: Doc<'a>,
    pub(super) site: Doc<'a>,
    pub(super) release: Doc<'a>,
    pub(super) refit: Refit,
    pub(super) rules: &'a Rules,
    /// Pointers of keys that the release renamed or moved.
    pub(super) homes: Vec<String>,
    /// By pointer of a dropped key: what may have taken its place.
    pub(super) hints: HashMap<String, String>,
    pub(super) changes: Vec<KeyChange>,
    /// Both sides gave a key another name: lines and words decide.
    pub(super) beyond: bool,
    /// The site seems to have renamed what the release changed.
    pub(super) renamed: bool,
}

fn by_name(names: &[String]) -> HashMap<&str, usize> {
    names.iter().enumerate().map(|(k, n)| (n.as_str(), k)).collect()
}

impl<'a> Merger<'a> {
    fn note(
        &mut self,
        pointer: &str,
        nodes: (Option<&Node>, Option<&Node>, Option<&Node>),
        outcome: Outcome,
        step: Option<Step>,
        reason: Option<Reason>,
    ) {
        // With its key, so that a person sees what it is about; a section that was made up has no text.
        let span = |n: Option<&Node>| n.filter(|n| n.span.end > 0).map(|n| n.from..n.span.end);
        let moved = |home: &String| {
            pointer.strip_prefix(home.as_str()).is_some_and(|r| r.is_empty() || r.starts_with('\0'))
        };
        let (outcome, step) = match outcome {
            Outcome::Kept if self.homes.iter().any(moved) => (Outcome::Fitted, Some(Step::RenamedKey)),
            _ => (outcome, step),
        };
        let hint = self.hints.get(pointer).filter(|_| reason == Some(Reason::KeyGone)).cloned();
        self.changes.push(KeyChange {
            pointer: pointer.to_string(),
            base: span(nodes.0),
            site: span(nodes.1),
            release: span(nodes.2),
            result: None,
            outcome,
            step,
            reason,
            hint,
        });
    }

    fn same(&self, a: (Doc<'_>, &Node), b: (Doc<'_>, &Node)) -> bool {
        // What was made up has no text.
        (a.1.span.end > 0 && b.1.span.end > 0 && a.0.raw(a.1) == b.0.raw(b.1))
            || a.0.canonical(a.1) == b.0.canonical(b.1)
    }

    /// Merges a value that site and release both have; returns its text.
    pub(super) fn value(
        &mut self,
        pointer: &str,
        base: Option<&Node>,
        site: &Node,
        release: &Node,
    ) -> Cow<'a, [u8]> {
        let (b, s, r) = (self.base, self.site, self.release);
        let kept = Cow::Borrowed(r.raw(release));
        let nodes = (base, Some(site), Some(release));
        let site_same = base.is_some_and(|n| self.same((b, n), (s, site)));
        if site_same && (!self.rules.hold || self.same((s, site), (r, release))) {
            return kept;
        }
        if !site_same && self.same((s, site), (r, release)) {
            self.note(pointer, nodes, Outcome::Already, None, None);
            return kept;
        }
        if let (Value::Object(sm), Value::Object(rm)) = (&site.value, &release.value) {
            let none = Vec::new();
            let bm = match base.map(|n| &n.value) {
                Some(Value::Object(members)) => members,
                _ => &none,
            };
            let keys = |list: &[Member]| list.iter().map(|member| member.key.clone()).collect();
            return Cow::Owned(self.members(pointer, (bm, sm, rm), [keys(bm), keys(sm), keys(rm)], release));
        }
        if site_same {
            // Held at what it was.
            return Cow::Owned(self.refit(site, release.span.start));
        }
        let release_same = base.is_some_and(|n| self.same((b, n), (r, release)));
        let remarked = release_same && base.is_some_and(|base| !self.remarks_arrived(base, release, s.raw(site)));
        if let (Some(Value::Array(bi)), Value::Array(si), Value::Array(ri)) =
            (base.map(|n| &n.value), &site.value, &release.value)
            && (!release_same || remarked)
            && let Some(names) = self.item_names(bi, si, ri)
        {
            let before = self.changes.len();
            let text = self.members(pointer, (bi, si, ri), names, release);
            if self.changes.len() > before && base.is_some_and(|base| self.remarks_arrived(base, release, &text)) {
                return Cow::Owned(text);
            }
            self.changes.truncate(before);
        }
        if remarked && let Some(text) = base.and_then(|base| self.by_lines(base, site, release)) {
            self.note(pointer, nodes, Outcome::Kept, Some(Step::ByKey), None);
            return Cow::Owned(text);
        }
        let fitted = Cow::Owned(self.refit(site, release.span.start));
        if release_same && !remarked {
            self.note(pointer, nodes, Outcome::Kept, None, None);
            return fitted;
        }
        let sort = |n: &Node, d: Doc<'_>| match &n.value {
            Value::Object(_) => 0,
            Value::Array(_) => 1,
            Value::Scalar => 2 + u8::from(d.raw(n).first() == Some(&b'"')),
        };
        if base.is_none_or(|n| sort(n, b) == sort(release, r)) {
            self.note(pointer, nodes, Outcome::Open, None, Some(Reason::BothChanged));
            return fitted;
        }
        let literal = |d: Doc<'_>, n: &Node| String::from_utf8_lossy(d.raw(n)).into_owned();
        match converted(&literal(s, site), &literal(r, release)) {
            Some(text) if self.rules.bold => {
                self.note(pointer, nodes, Outcome::Fitted, Some(Step::Retyped), None);
                Cow::Owned(text.into_bytes())
            }
            text => {
                self.note(pointer, nodes, Outcome::Open, None, Some(Reason::Retyped));
                if let Some(last) = self.changes.last_mut() {
                    last.hint = text.map(|t| format!("as the type that the release has: {t}"));
                }
                fitted
            }
        }
    }

    /// Tells whether every comment that the release put into a value is in a text.
    fn remarks_arrived(&self, base: &Node, release: &Node, text: &[u8]) -> bool {
        comments_arrived(self.base.raw(base), self.release.raw(release), text)
    }

    /// The site's value with the comments of the release, where merging by lines gives just that.
    fn by_lines(&self, base: &Node, site: &Node, release: &Node) -> Option<Vec<u8>> {
        let [b, s, r] = [self.base.raw(base), self.site.raw(site), self.release.raw(release)];
        let merged = merge_text(b, s, r, &Dialect::default(), &MergeOptions::default())?;
        let text = Doc { text: &merged.bytes };
        let is_right = merged.decisions.is_empty()
            && text.canonical(&Parser::document(&merged.bytes)?) == self.site.canonical(site)
            && self.remarks_arrived(base, release, &merged.bytes);
        is_right.then_some(merged.bytes)
    }

    /// The names of the items of three arrays: their identity or, for scalars, their value, where each has one of its
    /// own; else what tells which is which. `None` where they cannot be told apart, or the site gave those it kept
    /// another order.
    fn item_names(&self, base: &[Member], site: &[Member], release: &[Member]) -> Option<[Vec<String>; 3]> {
        let lists = [(self.base, base), (self.site, site), (self.release, release)];
        let all = || base.iter().chain(site).chain(release);
        let scalars = all().all(|m| matches!(m.node.value, Value::Scalar));
        let objects = all().all(|m| match &m.node.value {
            Value::Object(members) => members.iter().any(|m| self.rules.identity().any(|key| key == m.key)),
            _ => false,
        });
        let names = if scalars || objects {
            let names = lists.map(|(doc, list)| list.iter().map(|m| self.item_name(doc, m)).collect::<Vec<_>>());
            are_distinct(&names).then_some(names)?
        } else {
            let told = lists.map(|(doc, list)| list.iter().map(|m| told(doc, &m.node)).collect::<Vec<_>>());
            matched::names([&told[0], &told[1], &told[2]])?
        };
        let common = |from: &[String], of: &[String]| -> Vec<String> {
            let of: HashSet<&String> = of.iter().collect();
            from.iter().filter(|n| of.contains(n)).cloned().collect()
        };
        let is_sure = common(&names[0], &names[1]) == common(&names[1], &names[0])
            && Names::of(names.each_ref().map(Vec::as_slice)).replaced().is_some();
        is_sure.then_some(names)
    }

    /// An item's name: its identity, or its value.
    fn item_name(&self, doc: Doc<'_>, item: &Member) -> String {
        if let Value::Object(members) = &item.node.value
            && let Some(found) = self.rules.identity().find_map(|key| members.iter().find(|m| m.key == key))
        {
            return format!("{}={}", found.key, doc.canonical(&found.node));
        }
        doc.canonical(&item.node)
    }

    /// Merges the members of an object, or the items of an array, in the release's order and form. What tells them
    /// apart is told of each version.
    fn members(
        &mut self,
        pointer: &str,
        (base, site, release): (&[Member], &[Member], &[Member]),
        [mut bn, mut sn, rn]: [Vec<String>; 3],
        whole: &Node,
    ) -> Vec<u8> {
        let object = matches!(whole.value, Value::Object(_));
        let versions = [(self.base, base), (self.site, site), (self.release, release)];
        let parts = |of: usize, k: usize| parts(versions[of].0, &versions[of].1[k].node);
        // An item that both sides changed has one name in all three.
        let names = Names::of([&bn, &sn, &rn]);
        self.beyond |= object && names.renamed_by_both(parts);
        let changed = if object { None } else { names.replaced() };
        let mut all = base.iter().chain(site).chain(release).map(|m| &m.node.value);
        let are_values = !object && all.all(|v| matches!(v, Value::Scalar));
        let in_place = if object { HashMap::new() } else { names.in_place() };
        // So has one of which a side changed the value, and the other a comment.
        let around = |of: usize, k: usize| {
            let (doc, list) = versions[of];
            &doc.text[list[k].before.start..list[k].after_comma.end]
        };
        let commented = |[b, s, r]: &[usize; 3]| {
            let is_as_before = |of: usize, k: usize| comments_arrived(around(0, *b), around(of, k), b"");
            !is_as_before(1, *s) || !is_as_before(2, *r)
        };
        let mut alike = if are_values { names.replaced_by_either() } else { Vec::new() };
        alike.retain(commented);
        for Replaced { base, site, release } in changed.into_iter().flatten() {
            if let Some(release) = release {
                bn[base].clone_from(&rn[release]);
                site.into_iter().for_each(|site| sn[site].clone_from(&rn[release]));
            } else if let Some(site) = site {
                bn[base].clone_from(&sn[site]);
            }
        }
        for [base, site, release] in alike {
            bn[base].clone_from(&rn[release]);
            sn[site].clone_from(&rn[release]);
        }
        let [bases, sites, releases] = [&bn, &sn, &rn].map(|list| by_name(list));
        let at = |list: &HashMap<&str, usize>, name: &String| list.get(name.as_str()).copied();
        let mut taken_out = Vec::new();
        let mut kept: Vec<Option<Vec<u8>>> = Vec::new();
        for (k, name) in rn.iter().enumerate() {
            let child = format!("{pointer}\0{}", if object { name.as_str() } else { "" });
            let (b, s) = (at(&bases, name), at(&sites, name));
            let text: Option<Vec<u8>> = match (b, s) {
                (_, Some(s)) => {
                    let base = b.map(|b| &base[b].node);
                    Some(self.value(&child, base, &site[s].node, &release[k].node).into_owned())
                }
                (Some(b), None) => {
                    let nodes = (Some(&base[b].node), None, Some(&release[k].node));
                    let [before, now] = [(self.base, &base[b]), (self.release, &release[k])]
                        .map(|(doc, member)| &doc.text[member.before.start..member.after_comma.end]);
                    if self.same((self.base, &base[b].node), (self.release, &release[k].node))
                        && comments_arrived(before, now, b"")
                    {
                        self.note(&child, nodes, Outcome::Kept, None, None);
                        None
                    } else {
                        taken_out.push(name.clone());
                        self.note(&child, nodes, Outcome::Open, None, Some(Reason::SiteDeleted));
                        Some(self.release.raw(&release[k].node).to_vec())
                    }
                }
                (None, None) => Some(self.release.raw(&release[k].node).to_vec()),
            };
            kept.push(text);
        }
        self.renamed |= !taken_out.is_empty() && Names::of([&bn, &sn, &rn]).renamed_by_site(&taken_out, parts);
        // The site's own go after what they follow on the site.
        let mut own: BTreeMap<Option<usize>, Vec<usize>> = BTreeMap::new();
        let mut anchor = None;
        for (k, name) in sn.iter().enumerate() {
            if let Some(r) = at(&releases, name) {
                anchor = Some(r);
                continue;
            }
            let child = format!("{pointer}\0{}", if object { name.as_str() } else { "" });
            let b = at(&bases, name);
            let nodes = (b.map(|b| &base[b].node), Some(&site[k].node), None);
            match b {
                // The release dropped it, and the site had left it alone.
                Some(b) if self.same((self.base, &base[b].node), (self.site, &site[k].node)) => continue,
                Some(_) => self.note(&child, nodes, Outcome::Open, None, Some(Reason::KeyGone)),
                None => self.note(&child, nodes, Outcome::Kept, None, None),
            }
            anchor = in_place.get(&k).copied().or(anchor);
            own.entry(anchor).or_default().push(k);
        }
        for (b, name) in bn.iter().enumerate() {
            if at(&sites, name).is_none() && at(&releases, name).is_none() {
                let child = format!("{pointer}\0{}", if object { name.as_str() } else { "" });
                self.note(
                    &child,
                    (Some(&base[b].node), None, None),
                    Outcome::Already,
                    Some(Step::BothDeleted),
                    None,
                );
            }
        }
        let mut pieces: Vec<Piece> = own.remove(&None).unwrap_or_default().into_iter().map(Piece::Site).collect();
        for (k, text) in kept.into_iter().enumerate() {
            pieces.extend(text.map(|text| Piece::Release(k, text)));
            pieces.extend(own.remove(&Some(k)).unwrap_or_default().into_iter().map(Piece::Site));
        }
        self.write(site, release, whole, &pieces)
    }

    /// A value of the site, indented as the release is at a place.
    fn refit(&self, node: &Node, at: usize) -> Vec<u8> {
        let raw = self.site.raw(node);
        if !raw.contains(&b'\n') {
            return raw.to_vec();
        }
        let (from, to) = (self.site.indent_at(node.span.start), self.release.indent_at(at));
        self.refit.write(raw, from, to)
    }

    /// Writes the members with the release's text around them.
    fn write(&self, site: &[Member], release: &[Member], whole: &Node, pieces: &[Piece]) -> Vec<u8> {
        let text = self.release.text;
        let (open, close) = (text[whole.span.start], text[whole.span.end - 1]);
        let last = release.last();
        let closing = &text[last.map_or(whole.span.start + 1, |m| m.after_comma.end)..whole.span.end - 1];
        let trailing_comma = last.is_some_and(|m| text[m.body.end..m.after_comma.start].contains(&b','));
        let mut out = vec![open];
        if pieces.is_empty() {
            out.push(close);
            return out;
        }
        let end: &[u8] = if text.windows(2).any(|w| w == b"\r\n") { b"\r\n" } else { b"\n" };
        let unit = crate::formats::keyed::unit(text);
        let own_indent = self.release.indent_at(whole.span.start);
        // Blanks before a new member: as before its siblings; in an empty object, one level deeper.
        let before: Vec<u8> = match release.first() {
            Some(first) => {
                let blanks = &text[first.before.clone()];
                match blanks.iter().rposition(|b| *b == b'\n') {
                    Some(at) => [end, &blanks[at + 1..]].concat(),
                    None if release.len() > 1 => b" ".to_vec(),
                    None => blanks.to_vec(),
                }
            }
            None => [end, own_indent, &unit].concat(),
        };
        for (k, piece) in pieces.iter().enumerate() {
            let comma = k + 1 < pieces.len() || trailing_comma;
            match piece {
                Piece::Release(r, value) => {
                    let member = &release[*r];
                    // The first member keeps its own blanks; one that became the first takes the first's.
                    out.extend_from_slice(&text[member.before.clone()]);
                    out.extend_from_slice(&text[member.body.start..member.node.span.start]);
                    out.extend_from_slice(value);
                    out.extend_from_slice(&text[member.after_value.clone()]);
                    if comma {
                        out.push(b',');
                    }
                    out.extend_from_slice(&text[member.after_comma.clone()]);
                }
                Piece::Site(s) => {
                    let member = &site[*s];
                    if k > 0 || before.contains(&b'\n') || !release.is_empty() {
                        let inline_first = k == 0 && !before.contains(&b'\n');
                        let lead =
                            if inline_first { release.first().map(|m| &text[m.before.clone()]) } else { None };
                        let inline = k > 0 && !before.contains(&b'\n');
                        out.extend_from_slice(if inline { b" " } else { lead.unwrap_or(&before) });
                    }
                    let from = self.site.indent_at(member.body.start);
                    let to: Vec<u8> = before.iter().copied().filter(|b| matches!(b, b' ' | b'\t')).collect();
                    let raw = &self.site.text[member.body.clone()];
                    let raw = self.refit.write(raw, from, &to);
                    out.extend_from_slice(&raw);
                    if comma {
                        out.push(b',');
                    }
                }
            }
        }
        if release.is_empty() {
            out.extend_from_slice(end);
            out.extend_from_slice(own_indent);
        } else {
            out.extend_from_slice(closing);
        }
        out.push(close);
        out
    }
}

/// What a value says, part by part.
fn parts(doc: Doc<'_>, node: &Node) -> Vec<String> {
    match &node.value {
        Value::Object(members) => {
            members.iter().map(|m| format!("{:?}:{}", m.key, doc.canonical(&m.node))).collect()
        }
        _ => vec![doc.canonical(node)],
    }
}

fn told(doc: Doc<'_>, node: &Node) -> Told {
    Told { value: doc.canonical(node), parts: parts(doc, node) }
}

fn are_distinct(names: &[Vec<String>; 3]) -> bool {
    names.iter().all(|list| list.iter().collect::<HashSet<_>>().len() == list.len())
}

/// A member of the result.
enum Piece {
    /// The release's, with this text for its value.
    Release(usize, Vec<u8>),
    /// The site's.
    Site(usize),
}
