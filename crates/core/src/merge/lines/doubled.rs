//! What both sides put in, at two places of a file: if both were done, it would come twice.

use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};
use std::ops::Range;

use super::Walk;
use crate::diff::sketch::WordBag;
use crate::merge::Insertions;
use crate::merge::align::Side;
use crate::merge::balance::depth_of;
use crate::merge::gaps::Union;
use crate::merge::members::member_name;
use crate::merge::ops::{Link, Op, OpKind, Ops};
use crate::text::key::is_weak;

/// From so many new lines on, the same put in at two places is hardly chance.
const TELLING: usize = 3;
/// A line with so many words that both put in is hardly chance, with no more than so many lines of the base between.
const MANY_WORDS: usize = 3;
const NEARBY: usize = 6;
/// With so many lines between, blank or deleted, two places are not near to each other any more.
const FAR: usize = 200;
/// So many places of a line or a name are looked at.
const PLACES: usize = 8;

/// The site's insertions that the release put in at another place too, by the number of the operation.
#[derive(Default)]
pub(super) struct Doubled {
    /// These lines of the release say it all.
    pub(super) already: BTreeMap<usize, Range<usize>>,
    /// Whether it is to come twice is a question; the release has it at this line.
    pub(super) asked: BTreeMap<usize, usize>,
}

/// How what the two sides put in is related.
enum Twice {
    /// These lines of the release say it all.
    Already(Range<usize>),
    /// The same, or another of the same name, is at this line of the release.
    At(usize),
}

/// A name that is declared, and where.
#[derive(Clone, Copy, PartialEq, Eq, Hash)]
struct Member<'a> {
    name: &'a [u8],
    /// The first line of the block that it is declared in, by indentation.
    block: Option<u32>,
    /// The line of the base that opens the innermost bracket around it.
    scope: Option<usize>,
}

/// What the base has of lines and names.
struct Known<'a> {
    lines: HashSet<u32>,
    names: HashSet<&'a [u8]>,
    /// Names are declared.
    has_members: bool,
    /// Which line opens the innermost bracket around each gap, where brackets tell what belongs together.
    scopes: Option<Vec<Option<usize>>>,
}

/// Which line of a side opened the innermost bracket around each of its gaps.
fn scopes(side: &Side<'_>, markup: bool) -> Vec<Option<usize>> {
    let mut open: Vec<usize> = Vec::new();
    let mut scopes = vec![None];
    for (k, line) in side.lines.iter().enumerate() {
        let (dip, net) = depth_of(line.trimmed(), markup);
        open.truncate(open.len().saturating_sub(dip.unsigned_abs() as usize));
        open.extend((0..net - dip).map(|_| k));
        scopes.push(open.last().copied());
    }
    scopes
}

/// What one operation put in.
struct PutIn<'a> {
    op: usize,
    /// It is one line that became another.
    changed: bool,
    base: Range<usize>,
    /// The line of the base that opens the innermost bracket around it, where brackets tell.
    scope: Option<usize>,
    /// Its lines that are not blank, and their keys.
    lines: Vec<usize>,
    keys: Vec<u32>,
    /// Those that say something that the base does not have, by key: the first of each.
    new: BTreeMap<u32, usize>,
    /// How many lines those are, with all their repeats.
    new_lines: usize,
    /// The members that it declares.
    members: Vec<Member<'a>>,
}

impl PutIn<'_> {
    /// The new lines that `other` has as well: here and there.
    fn common(&self, other: &Self) -> Vec<(usize, usize)> {
        // By the shorter one: a long one may be compared with very many.
        let in_both = |a: &Self, b: &Self| -> Vec<(usize, usize)> {
            a.new.iter().filter_map(|(key, line)| Some((*line, *b.new.get(key)?))).collect()
        };
        if self.new.len() <= other.new.len() {
            return in_both(self, other);
        }
        in_both(other, self).into_iter().map(|(there, here)| (here, there)).collect()
    }

    /// The lines of this that are, one after the other, those of `other`.
    fn part_like(&self, other: &Self) -> Option<Range<usize>> {
        let at = self.keys.windows(other.keys.len()).position(|keys| keys == other.keys)?;
        Some(self.lines[at]..self.lines[at + other.keys.len() - 1] + 1)
    }
}

impl<'a> Walk<'a, '_> {
    /// Finds what both sides put in at two places: with nothing between them but lines that are blank or that a side
    /// deleted; in the same several lines that the base does not have, not in two rules or blocks of code; or as members of
    /// one name, which the base does not have, in the same block. A line that became another is put in, too: it may have
    /// been kept by the other side.
    pub(super) fn doubled(&self) -> Doubled {
        let insertions = self.context.dialect.insertions;
        let known = Known {
            lines: self.base.keys.iter().copied().collect(),
            names: self.base.lines.iter().filter_map(|line| member_name(line.trimmed())).collect(),
            has_members: insertions == Insertions::Members,
            scopes: matches!(insertions, Insertions::Members | Insertions::Cascade)
                .then(|| scopes(self.base, self.context.dialect.markup)),
        };
        let release = self.put_in(self.release, self.release_ops, &self.release_absorbed, &known);
        let mut by_line: HashMap<u32, Vec<usize>> = HashMap::new();
        let mut by_member: HashMap<Member<'_>, Vec<usize>> = HashMap::new();
        for (at, put) in release.iter().enumerate() {
            for key in put.new.keys() {
                by_line.entry(*key).or_default().push(at);
            }
            for member in &put.members {
                by_member.entry(*member).or_default().push(at);
            }
        }
        // What is the same at the same spot is settled there.
        let settled = |put: &PutIn<'_>| {
            self.twins.contains_key(&put.op) || matches!(self.unions.get(&put.base.start), Some(Union::Release(_)))
        };
        let merged = |put: &PutIn<'_>| put.changed && self.same_lines.contains_key(&put.base.start);
        let is_asked = |put: &PutIn<'_>| !settled(put) && !merged(put);
        let mut doubled = Doubled::default();
        for put in self.put_in(self.site, self.site_ops, &self.site_absorbed, &known) {
            if !is_asked(&put) {
                continue;
            }
            let lines = put.new.keys().filter_map(|key| by_line.get(key));
            let members = put.members.iter().filter_map(|member| by_member.get(member));
            let places: BTreeSet<&usize> =
                lines.chain(members).filter(|places| places.len() <= PLACES).flatten().collect();
            let twice: Vec<Twice> = places.into_iter().filter_map(|at| self.twice(&put, &release[*at])).collect();
            match &twice[..] {
                [] => {}
                [Twice::Already(lines)] => {
                    doubled.already.insert(put.op, lines.clone());
                }
                [Twice::Already(Range { start: line, .. }) | Twice::At(line), ..] => {
                    doubled.asked.insert(put.op, *line);
                }
            }
        }
        doubled
    }

    /// What the operations of a side put in that the base does not have.
    fn put_in(&self, side: &Side<'a>, ops: &Ops, absorbed: &[bool], known: &Known<'_>) -> Vec<PutIn<'a>> {
        let puts = |op: &Op| op.kind != OpKind::Delete && !absorbed[op.edit];
        let is_new = |key: &u32| !known.lines.contains(key) && !self.context.weak.is(*key);
        let scope_of = |gap: usize| known.scopes.as_ref().and_then(|scopes| scopes[gap]);
        let member = |line: usize, gap: usize| {
            let scope = scope_of(gap);
            let text = side.lines[line].trimmed();
            let name = member_name(text).filter(|name| !known.names.contains(name))?;
            let block = side.block(line);
            // What a function has for itself, another may have as well.
            let local = [b"const ".as_slice(), b"let ", b"var "].iter().any(|word| text.starts_with(word));
            (block.is_none() || !local).then_some(Member { name, block, scope })
        };
        let put = |(k, op): (usize, &Op)| {
            let lines: Vec<usize> = op.side.clone().filter(|line| !side.lines[*line].is_blank()).collect();
            let keys: Vec<u32> = lines.iter().map(|line| side.keys[*line]).collect();
            let all_new = || keys.iter().copied().zip(lines.iter().copied()).filter(|(key, _)| is_new(key));
            let (new, new_lines) = (all_new().rev().collect(), all_new().count());
            let declaring = lines.iter().filter(|_| known.has_members);
            let members = declaring.filter_map(|line| member(*line, op.base.start)).collect();
            let changed = op.kind == OpKind::Change;
            PutIn {
                op: k,
                changed,
                base: op.base.clone(),
                scope: scope_of(op.base.start),
                lines,
                keys,
                new,
                new_lines,
                members,
            }
        };
        ops.ops.iter().enumerate().filter(|(_, op)| puts(op)).map(put).filter(|put| !put.new.is_empty()).collect()
    }

    /// Tells whether what the site put in would come twice with what the release put in at another place.
    fn twice(&self, site: &PutIn<'a>, release: &PutIn<'a>) -> Option<Twice> {
        let (first, second) = if release.base.end <= site.base.start { (release, site) } else { (site, release) };
        let changed = site.changed || release.changed;
        let site_rewrites = self.site_op(site.op).kind == OpKind::Rewrite;
        let rewrites = site_rewrites || self.release_op(release.op).kind == OpKind::Rewrite;
        let (from, to) = (first.base.end, second.base.start);
        let touching = from == to;
        if from > to || touching && !changed && !rewrites {
            return None;
        }
        let between = &self.base.lines[from..to];
        let is_gone = |at: usize| [self.site_ops, self.release_ops].iter().any(|ops| ops.links[at] == Link::Gone);
        let near = to - from <= FAR && (from..to).all(|at| self.base.lines[at].is_blank() || is_gone(at));
        // Closers may be taken for others of their kind.
        let close = between.iter().all(|line| is_weak(line.trimmed()));
        let at = Twice::At(release.lines[0]);
        let of_one_name = || site.members.iter().any(|member| release.members.contains(member));
        let same_scope = site.scope == release.scope;
        let common = site.common(release);
        // A line or two of long blocks may be alike by chance.
        let share_of = |lines: usize| !common.is_empty() && common.len() * 2 >= lines;
        let few_between = same_scope && between.len() <= NEARBY;
        let tells = || common.iter().any(|lines| self.is_no_chance(*lines, close, few_between));
        let (fewer, more) = (site.new_lines.min(release.new_lines), site.new_lines.max(release.new_lines));
        if changed || site_rewrites || touching && rewrites {
            return (share_of(more) && (near || close && tells()) || of_one_name()).then_some(at);
        }
        // Members of one block stand in no order; those of another are others.
        let free = |member: &Member<'_>| member.block.is_none() && release.members.contains(member);
        let anywhere = !site.members.is_empty() && site.members.iter().all(free);
        let (part, whole) = (release.part_like(site), site.part_like(release));
        match part {
            Some(lines) if near || anywhere => Some(Twice::Already(lines)),
            Some(_) if whole.is_some() && site.new_lines >= TELLING && same_scope => Some(at),
            None if whole.is_some() && near => Some(at),
            _ => (share_of(fewer) && tells() || of_one_name()).then_some(at),
        }
    }

    /// Tells whether a line that both put in is hardly the same by chance: it says much, in one block with few lines between
    /// or close together, or it opens a block there.
    fn is_no_chance(&self, (site, release): (usize, usize), close: bool, few_between: bool) -> bool {
        let text = self.site.lines[site].trimmed();
        let in_one_block = || few_between && self.site.block(site) == self.release.block(release);
        (close || in_one_block()) && WordBag::of(text).word_count() >= MANY_WORDS
            || close && depth_of(text, self.context.dialect.markup).1 > 0
    }
}
