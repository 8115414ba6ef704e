//! The walk over the base that does both sides' operations.
//!
//! * [`lined_up`]: what is known of the three versions before
//! * [`regions`]: how the operations meet, and which stretches are questions
//! * [`beside`]: what of it does not stand side by side
//! * [`doubled`]: what both put in, at two places
//! * [`followed`]: stretches that one side moved and the other changed
//! * [`wrapped_tags`]: questions within a tag that is wrapped over several lines
//! * [`questions`]: what becomes of such a stretch
//! * [`paired`]: what is asked about for what it opens or closes
//! * [`written`]: lines as they are written in the result

mod beside;
mod doubled;
mod followed;
mod lined_up;
mod paired;
mod questions;
mod regions;
mod wrapped_tags;
mod written;

use std::cell::OnceCell;
use std::collections::{BTreeMap, HashSet};
use std::ops::Range;

use super::align::{Side, Weak};
use super::gaps::Union;
use super::ops::{Link, MovedKeys, Op, OpKind, Ops};
use super::out::{Out, Source};
use super::space::{Forms, Reformatted};
use super::{Dialect, EditFate, MergeOptions, Outcome, Reason, Step, TextDecision, Trust};
use crate::diff::Edit;
use crate::text::{Line, LineEnd};
use doubled::Doubled;
use followed::Replaced;
pub(crate) use lined_up::LinedUp;
pub(crate) use paired::Closing;
use paired::{Asked, BracketPairs, Paired};
use regions::Region;

/// What a merge of lines works under.
#[derive(Clone, Copy)]
pub(crate) struct Context<'c> {
    pub(crate) dialect: &'c Dialect,
    pub(crate) options: &'c MergeOptions,
    pub(crate) weak: &'c Weak,
    /// Site edits that are to be asked about, with the reason.
    pub(crate) asked: &'c [(usize, Reason)],
    /// Operations that are to be asked about for what they open or close.
    pub(crate) paired: &'c [Paired],
    /// Stretches that one side moved are followed.
    pub(crate) follow_moves: bool,
    /// The merge is of a stretch inside of a larger merge: how that one's sides are written.
    pub(crate) nested: Option<Reformatted>,
}

/// The result of merging lines.
#[derive(Default)]
pub(crate) struct MergedLines {
    pub(crate) bytes: Vec<u8>,
    /// Where each line of the result comes from.
    pub(crate) sources: Vec<Source>,
    pub(crate) edits: Vec<EditFate>,
    pub(crate) decisions: Vec<TextDecision>,
    /// Where the release changed nothing but how the lines are written.
    pub(crate) formed: Vec<Formed>,
    /// What both sides did.
    pub(crate) shared: Vec<Shared>,
    pub(crate) space_lines: usize,
    pub(crate) space_follows_release: bool,
}

/// A stretch in which one side changed nothing but how the lines are written: the lines of the versions and the result.
pub(crate) struct Formed {
    pub(crate) base: Range<usize>,
    pub(crate) site: Range<usize>,
    pub(crate) release: Range<usize>,
    pub(crate) result: Range<usize>,
}

/// What an edit of the site and one of the release did alike: lines of the base, and those of the site in their place. What
/// one of them moved is none, though both took it out.
#[derive(Clone)]
pub(crate) struct Shared {
    pub(crate) edit: usize,
    pub(crate) base: Range<usize>,
    pub(crate) site: Range<usize>,
}

/// Merges three versions, line by line.
pub(crate) fn merge_lines(
    base: &Side<'_>,
    site: &Side<'_>,
    release: &Side<'_>,
    context: Context<'_>,
) -> MergedLines {
    let sides = [base, site, release];
    merge_lined_up(sides, &LinedUp::new(sides, context), context)
}

/// Merges three versions that are lined up.
pub(crate) fn merge_lined_up(sides: [&Side<'_>; 3], lined_up: &LinedUp, context: Context<'_>) -> MergedLines {
    let mut walk = Walk::new(sides, lined_up, context);
    let strict = context.options.trust == Trust::Strict;
    if !strict && context.nested.is_none() && context.follow_moves {
        walk.follow_moves(&lined_up.release_edits);
    }
    walk.run();
    // A moved stretch whose place was settled otherwise never got its turn: then it is no move to follow.
    if context.follow_moves && walk.fates.iter().any(|f| f.outcome.is_none()) {
        return merge_lined_up(sides, lined_up, Context { follow_moves: false, ..context });
    }
    let more = walk.paired();
    let merged = walk.finish();
    let whole = |side: &Side<'_>| lines_of(side, &(0..side.lines.len()));
    let closing = || Closing::of(sides.map(whole).each_ref().map(Vec::as_slice), context.dialect.markup);
    let closes = || lined_up.closing.get_or_init(closing).answers_close(&merged);
    if more.is_empty() || context.paired.is_empty() && closes() {
        return merged;
    }
    let paired = [context.paired, &more].concat();
    merge_lined_up(sides, lined_up, Context { paired: &paired, ..context })
}

/// What is known of a site edit's fate so far.
#[derive(Debug, Clone, Default)]
struct FateNotes {
    outcome: Option<Outcome>,
    step: Option<Step>,
    result: Option<Range<usize>>,
    release: Option<Range<usize>>,
}

struct Walk<'a, 'b> {
    base: &'b Side<'a>,
    site: &'b Side<'a>,
    release: &'b Side<'a>,
    context: Context<'b>,
    site_edits: &'b [Edit],
    site_touched: &'b [bool],
    /// Which edits of the site may be about another block, like the one that they are in.
    open_choices: &'b [bool],
    site_ops: &'b Ops,
    release_ops: &'b Ops,
    forms: &'b Forms,
    site_moved: &'b MovedKeys,
    release_moved: &'b MovedKeys,
    brackets: &'b OnceCell<[BracketPairs; 3]>,
    from_site_moves: Vec<Replaced>,
    from_release_moves: Vec<Replaced>,
    site_absorbed: Vec<bool>,
    release_absorbed: Vec<bool>,
    /// Base lines that both changed, merged by words.
    same_lines: BTreeMap<usize, Vec<u8>>,
    /// Gaps into which both inserted, by rule.
    unions: BTreeMap<usize, Union>,
    /// Site operations that the release did too (by index), with what the release did.
    twins: BTreeMap<usize, usize>,
    doubled: Doubled,
    /// The stretches that were left as questions as a whole, in order.
    asked: Vec<Asked>,
    /// The operations of site and release in stretches where both put the same.
    agreed: Vec<[Vec<usize>; 2]>,
    out: Out,
    /// How lines of the site that open a wrap are indented in the result.
    openers: BTreeMap<usize, Vec<u8>>,
    fates: Vec<FateNotes>,
    decisions: Vec<TextDecision>,
    formed: Vec<Formed>,
    shared: Vec<Shared>,
    /// Which edits of the site changed nothing but how lines are written; none where these are few.
    site_form: OnceCell<Vec<bool>>,
    /// The words of the site's text.
    site_words: OnceCell<HashSet<&'a [u8]>>,
    space_lines: usize,
}

impl<'a, 'b> Walk<'a, 'b> {
    fn new([base, site, release]: [&'b Side<'a>; 3], lined_up: &'b LinedUp, context: Context<'b>) -> Self {
        Walk {
            base,
            site,
            release,
            context,
            site_edits: &lined_up.site_edits,
            site_touched: &lined_up.site_touched,
            open_choices: &lined_up.open_choices,
            site_ops: &lined_up.site_ops,
            release_ops: &lined_up.release_ops,
            forms: &lined_up.forms,
            site_moved: &lined_up.site_moved,
            release_moved: &lined_up.release_moved,
            brackets: &lined_up.brackets,
            from_site_moves: Vec::new(),
            from_release_moves: Vec::new(),
            site_absorbed: vec![false; lined_up.site_edits.len()],
            release_absorbed: vec![false; lined_up.release_edits.len()],
            same_lines: BTreeMap::new(),
            unions: BTreeMap::new(),
            twins: BTreeMap::new(),
            doubled: Doubled::default(),
            asked: Vec::new(),
            agreed: Vec::new(),
            out: Out::new(release.form.line_end),
            openers: BTreeMap::new(),
            fates: vec![FateNotes::default(); lined_up.site_edits.len()],
            decisions: Vec::new(),
            formed: Vec::new(),
            shared: Vec::new(),
            site_form: OnceCell::new(),
            site_words: OnceCell::new(),
            space_lines: 0,
        }
    }

    fn site_op(&self, k: usize) -> &Op {
        &self.site_ops.ops[k]
    }

    fn release_op(&self, k: usize) -> &Op {
        &self.release_ops.ops[k]
    }

    fn run(&mut self) {
        let regions = self.regions();
        let in_region = |ops: &[Op], pick: fn(&Region) -> &Vec<usize>| -> Vec<bool> {
            let mut member = vec![false; ops.len()];
            for region in &regions {
                for k in pick(region) {
                    member[*k] = true;
                }
            }
            member
        };
        let site_member = in_region(&self.site_ops.ops, |r| &r.site);
        let release_member = in_region(&self.release_ops.ops, |r| &r.release);
        let mut regions = regions.into_iter().peekable();
        let (mut s, mut r) = (0, 0);
        let mut g = 0;
        let n = self.base.lines.len();
        loop {
            self.gap(g, &mut s, &mut r, &site_member, &release_member);
            // A question in the gap may stand before one about the lines that follow.
            let here = g;
            while let Some(region) = regions.next_if(|region| region.base.start == here) {
                let limit = regions.peek().map_or(n, |next| next.base.start);
                g = g.max(self.settle_or_ask(&region, limit));
            }
            if g > here {
                while self.site_ops.ops.get(s).is_some_and(|o| o.base.start < g) {
                    s += 1;
                }
                while self.release_ops.ops.get(r).is_some_and(|o| o.base.start < g) {
                    r += 1;
                }
                continue;
            }
            if g == n {
                break;
            }
            self.line(g, &mut s, &mut r);
            g += 1;
        }
        debug_assert!(regions.next().is_none(), "every question has its turn");
    }

    /// Does what the two sides do in a gap: insertions, and rewrites that begin here.
    fn gap(&mut self, g: usize, s: &mut usize, r: &mut usize, site_member: &[bool], release_member: &[bool]) {
        let takes = |ops: &[Op], k: usize| {
            ops.get(k).is_some_and(|o| o.base.start == g && matches!(o.kind, OpKind::Insert | OpKind::Rewrite))
        };
        // Changes and deletions of the lines before are done.
        let done = |ops: &[Op], k: usize| ops.get(k).is_some_and(|o| o.base.start < g && o.base.end <= g);
        while done(&self.site_ops.ops, *s) {
            *s += 1;
        }
        while done(&self.release_ops.ops, *r) {
            *r += 1;
        }
        let mut site = None;
        while takes(&self.site_ops.ops, *s) {
            let op = &self.site_ops.ops[*s];
            if !site_member[*s] && !self.site_absorbed[op.edit] {
                site = Some(*s);
            }
            if op.kind == OpKind::Rewrite {
                break;
            }
            *s += 1;
        }
        let mut release = None;
        while takes(&self.release_ops.ops, *r) {
            let op = &self.release_ops.ops[*r];
            if !release_member[*r] && !self.release_absorbed[op.edit] {
                release = Some(*r);
            }
            if op.kind == OpKind::Rewrite {
                break;
            }
            *r += 1;
        }
        if let Some((s, lines)) = site.and_then(|s| Some((s, self.doubled.already.get(&s)?.clone()))) {
            let here = self.out.lines();
            self.note(self.site_op(s).edit, Outcome::Already, Some(Step::Contains), here..here, lines);
            site = None;
        }
        match (site, release) {
            (None, None) => {}
            (None, Some(r)) => {
                let op = self.release_op(r).clone();
                self.release_lines(&op);
            }
            (Some(s), None) => {
                let op = self.site_op(s).clone();
                self.site_lines(&op, op.side.clone(), g, None);
            }
            (Some(s), Some(r)) => {
                let (site, release) = (self.site_op(s).clone(), self.release_op(r).clone());
                if self.twins.get(&s) == Some(&r) {
                    let from = self.out.lines();
                    self.release_lines(&release);
                    self.note(site.edit, Outcome::Already, None, from..self.out.lines(), release.side);
                    self.shared.push(Shared { edit: site.edit, base: site.base, site: site.side });
                    return;
                }
                match self.unions.remove(&g) {
                    Some(Union::Release(step)) => {
                        let from = self.out.lines();
                        self.release_lines(&release);
                        self.note(site.edit, Outcome::Already, Some(step), from..self.out.lines(), release.side);
                    }
                    Some(Union::Site(step)) => self.site_lines(&site, site.side.clone(), g, Some(step)),
                    Some(Union::Both(step)) => {
                        self.release_lines(&release);
                        self.site_lines(&site, site.side.clone(), g, Some(step));
                    }
                    Some(Union::Listed(step, mark)) => {
                        self.release_lines(&release);
                        self.out.go_on(mark);
                        self.site_lines(&site, site.side.clone(), g, Some(step));
                    }
                    Some(Union::SiteFirst(step)) => {
                        self.site_lines(&site, site.side.clone(), g, Some(step));
                        self.release_lines(&release);
                    }
                    // At the edge of lines that the release replaced: before what stands there now.
                    _ if site.kind == OpKind::Insert && release.kind == OpKind::Rewrite => {
                        self.site_lines(&site, site.side.clone(), g, Some(Step::Neighbour));
                        self.release_lines(&release);
                    }
                    _ => {
                        // Insertions at the two edges of one another's operations: the release's first.
                        self.release_lines(&release);
                        self.site_lines(&site, site.side.clone(), g, Some(Step::Neighbour));
                    }
                }
            }
        }
    }

    /// Does what the two sides do to a base line outside of all regions.
    fn line(&mut self, i: usize, s: &mut usize, r: &mut usize) {
        let at = |ops: &[Op], k: &mut usize| -> Option<usize> {
            while ops.get(*k).is_some_and(|o| o.base.end <= i) {
                *k += 1;
            }
            ops.get(*k).filter(|o| o.base.contains(&i)).map(|_| *k)
        };
        let site_op = at(&self.site_ops.ops, s).filter(|k| !self.site_absorbed[self.site_op(*k).edit]);
        let release_op = at(&self.release_ops.ops, r).filter(|k| !self.release_absorbed[self.release_op(*k).edit]);
        let site_link = self.site_ops.links[i];
        let release_link = self.release_ops.links[i];
        let site_deletes = site_op.is_some_and(|k| self.site_op(k).kind != OpKind::Change);
        let release_deletes = release_op.is_some_and(|k| self.release_op(k).kind != OpKind::Change);
        if let (Some(k), true) = (site_op, site_deletes) {
            let op = self.site_op(k).clone();
            if op.kind == OpKind::Delete {
                let (outcome, step) = if release_deletes {
                    (Outcome::Already, Some(Step::BothDeleted))
                } else if self.site_touched[op.edit] {
                    (Outcome::Fitted, Some(Step::Neighbour))
                } else {
                    (Outcome::Kept, None)
                };
                let here = self.out.lines();
                let release_at = release_link.line().map_or(0..0, |j| j..j + 1);
                self.note(op.edit, outcome, step, here..here, release_at);
                let key = self.base.keys[i];
                if release_deletes && !self.site_moved.has(key) && !self.release_moved.has(key) {
                    self.shared.push(Shared { edit: op.edit, base: i..i + 1, site: op.side });
                }
            }
        }
        if site_deletes || release_deletes || release_link == Link::Gone {
            return;
        }
        let Some(k) = release_link.line() else { return };
        let from = self.out.lines();
        match (site_op, release_op) {
            (None, None) => {
                let Some(j) = site_link.line() else { return };
                let (b, own, line) = (&self.base.lines[i], &self.site.lines[j], &self.release.lines[k]);
                if own.content != b.content {
                    self.space_lines += 1;
                }
                let content = self.forms.kept_line(i, [b, own, line]);
                self.out.line(&content, line.end, Source { base: Some(i), site: Some(j), release: Some(k) });
            }
            (Some(op), None) => {
                let (edit, side) = (self.site_op(op).edit, self.site_op(op).side.clone());
                let j = side.start;
                let line = &self.site.lines[j];
                // The base line is the same line on both sides: its indentation on each is the reference.
                let reference = self.base.lines[i];
                let content = self.forms_fit_changed(line, &reference, &self.release.lines[k]);
                let content = self.forms.ended(self.respaced(content, &reference, &self.release.lines[k]));
                let refitted = content != line.content;
                let source = Source { base: Some(i), site: Some(j), release: Some(k) };
                self.out.line(&content, self.release.lines[k].end, source);
                let touched = self.site_touched[edit];
                let (outcome, step) = match (refitted, touched) {
                    (_, true) => (Outcome::Fitted, Some(Step::Neighbour)),
                    (true, _) => (Outcome::Fitted, Some(Step::Space)),
                    _ => (Outcome::Kept, None),
                };
                self.note(edit, outcome, step, from..self.out.lines(), k..k + 1);
            }
            (None, Some(_)) => {
                let line = self.release.lines[k];
                let shift =
                    site_link.line().map_or(0, |j| self.forms.site_shift(&self.base.lines[i], &self.site.lines[j]));
                let content = self.forms.shifted(&line, shift);
                self.out.line(
                    &content,
                    line.end,
                    Source { base: Some(i), site: site_link.line(), release: Some(k) },
                );
            }
            (Some(op), Some(other)) => {
                let (edit, side) = (self.site_op(op).edit, self.site_op(op).side.start);
                let source = Source { base: Some(i), site: Some(side), release: Some(k) };
                if self.twins.get(&op) == Some(&other) {
                    self.out.line(self.release.lines[k].content, self.release.lines[k].end, source);
                    self.note(edit, Outcome::Already, None, from..self.out.lines(), k..k + 1);
                    self.shared.push(Shared { edit, base: i..i + 1, site: side..side + 1 });
                } else if let Some(line) = self.same_lines.get(&i) {
                    self.out.line(line, self.release.lines[k].end, source);
                    self.note(edit, Outcome::Fitted, Some(Step::Words), from..self.out.lines(), k..k + 1);
                }
            }
        }
    }

    /// Takes down what became of (a part of) a site edit; the gravest outcome stands.
    fn note(
        &mut self,
        edit: usize,
        outcome: Outcome,
        step: Option<Step>,
        result: Range<usize>,
        release: Range<usize>,
    ) {
        let fate = &mut self.fates[edit];
        if fate.outcome.is_none_or(|o| outcome.gravity() >= o.gravity()) {
            fate.outcome = Some(outcome);
            fate.step = step.or(fate.step);
        }
        let join = |old: &Option<Range<usize>>, new: Range<usize>| match old {
            Some(old) => Some(old.start.min(new.start)..old.end.max(new.end)),
            None => Some(new),
        };
        fate.result = join(&fate.result, result);
        fate.release = join(&fate.release, release);
    }

    fn finish(self) -> MergedLines {
        let (b, s, r) = (self.forms.base, self.forms.site, self.forms.release);
        let final_newline = if s.final_newline != b.final_newline { s.final_newline } else { r.final_newline };
        let takes_over = |k: usize| self.site_ops.taken_over.binary_search(&k).is_ok();
        let edits = self
            .site_edits
            .iter()
            .zip(&self.fates)
            .enumerate()
            .map(|(k, (edit, notes))| EditFate {
                base: edit.old.clone(),
                site: edit.new.clone(),
                release: notes.release.clone().unwrap_or(0..0),
                result: notes.result.clone().unwrap_or(0..0),
                // Every operation of every edit was noted; if one ever were not, it must not pass as done.
                outcome: notes.outcome.unwrap_or(Outcome::Open),
                step: if takes_over(k) && notes.outcome != Some(Outcome::Open) {
                    Some(Step::Contains)
                } else {
                    notes.step
                },
            })
            .collect();
        let (bytes, sources) = self.out.finish(final_newline || self.context.nested.is_some());
        MergedLines {
            bytes,
            sources,
            edits,
            decisions: self.decisions,
            formed: self.formed,
            shared: self.shared,
            space_lines: self.space_lines,
            space_follows_release: self.forms.site_reformatted,
        }
    }
}

/// The text of some lines of a side, each with an end.
pub(super) fn lines_of(side: &Side<'_>, lines: &Range<usize>) -> Vec<u8> {
    let end = |line: &Line<'_>| if line.end == LineEnd::None { b"\n".as_slice() } else { line.end.bytes() };
    side.lines[lines.clone()].iter().flat_map(|line| [line.content, end(line)].concat()).collect()
}
