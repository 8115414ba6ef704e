//! Settling decisions: an answer changes the account, and says what is to be written.
//!
//! An open spot with markers is found by its three contents, so that it may have wandered since. A value that stands
//! in a file that holds no markers is exchanged where it stands; where that cannot be done in the file's own form,
//! the file is merged again from inputs in which the answer is no question any more.

pub mod memory;
mod rework;

use std::ops::Range;

use crate::carry::account::{
    Account, Answer, Blob, Decision, FileRecord, Lines, Source, Stands, State, Take, Totals,
};
use crate::carry::markers::{blocks, same_lines};
use crate::carry::well_formed;
use crate::formats::is_by_key;
use crate::merge::{Outcome, Reason, Step};
use crate::text::{Line, LineEnd, Text, joined, split_lines};
use crate::theme::{Digest, ReadError, find_stamp, with_stamp};

/// One of the four versions of a file.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Side {
    /// The release that the site started from.
    Base,
    /// The site's copy.
    Site,
    /// The new release.
    Release,
    /// What came out.
    Result,
}

/// What becomes of a file of the result.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Put {
    /// These bytes are in it.
    Bytes(Vec<u8>),
    /// It is a side's file, with that one's permissions.
    Copy(Side, String),
    /// It is not in the result.
    Nothing,
}

/// An answer that cannot be taken.
#[derive(Debug, thiserror::Error)]
pub enum Refused {
    /// No decision has this id.
    #[error("no decision has the id {0}")]
    Unknown(String),
    /// The answer does not fit the question.
    #[error("{path}: {why}")]
    Unfit {
        /// The file.
        path: String,
        /// Why it does not fit.
        why: &'static str,
    },
    /// A file could not be read.
    #[error(transparent)]
    Read(#[from] ReadError),
}

/// Reads a file of a side; `None` where there is no such file.
pub type Reader<'a> = &'a dyn Fn(Side, &str) -> Result<Option<Vec<u8>>, ReadError>;

/// What settling needs to know beside the account.
pub struct Settling<'a> {
    /// Reads the files of the four versions.
    pub read: Reader<'a>,
    /// The layout's stamp pattern.
    pub stamp: Option<&'a str>,
}

/// What an answer does: files by path, in the order in which they are to be put.
pub type Puts = Vec<(String, Put)>;

impl Settling<'_> {
    /// Answers a decision. An answer that it had is taken back first. Open ones that go with it get the same answer,
    /// if that is no text.
    ///
    /// # Errors
    ///
    /// When there is no such decision, the answer does not fit it, or a file cannot be read; the account is as it was
    /// then.
    pub fn settle(&self, account: &mut Account, id: &str, answer: Answer) -> Result<Puts, Refused> {
        let mut work = account.clone();
        let k = position(&work, id)?;
        let mut puts = Puts::new();
        if work.decisions[k].state == State::Settled {
            puts = self.open_again(&mut work, k, &puts)?;
        }
        let more = self.answer(&mut work, k, answer.clone(), &puts)?;
        put_after(&mut puts, more);
        for other in together(&work, k) {
            if answer.take == Take::Text || work.decisions[other].state != State::Open {
                continue;
            }
            // One that this answer does not fit stays open.
            let mut further = work.clone();
            if let Ok(more) = self.answer(&mut further, other, answer.clone(), &puts) {
                work = further;
                put_after(&mut puts, more);
            }
        }
        *account = work;
        Ok(puts)
    }

    /// Takes an answer back, and the same answer to those that go with it: the spots are open again, as they were.
    ///
    /// # Errors
    ///
    /// As for [`Settling::settle`].
    pub fn reopen(&self, account: &mut Account, id: &str) -> Result<Puts, Refused> {
        let mut work = account.clone();
        let k = position(&work, id)?;
        if work.decisions[k].state != State::Settled {
            return Err(unfit(&work.decisions[k].path, "the decision has no answer to take back"));
        }
        let taken = |account: &Account, k: usize| account.decisions[k].answer.as_ref().map(|a| a.take);
        let answer = taken(&work, k).filter(|take| *take != Take::Text);
        let mut puts = self.open_again(&mut work, k, &Puts::new())?;
        for other in together(&work, k) {
            if answer.is_none() || taken(&work, other) != answer {
                continue;
            }
            // One that was edited since stays settled.
            let mut further = work.clone();
            if let Ok(more) = self.open_again(&mut further, other, &puts) {
                work = further;
                put_after(&mut puts, more);
            }
        }
        *account = work;
        Ok(puts)
    }

    fn answer(&self, account: &mut Account, k: usize, mut answer: Answer, before: &Puts) -> Result<Puts, Refused> {
        let decision = account.decisions[k].clone();
        if answer.take == Take::Text && answer.text.is_none() {
            return Err(unfit(&decision.path, "an answer of its own needs a text"));
        }
        if decision.reason == Reason::BothRenamed {
            return self.name(account, k, answer);
        }
        let Some(at) = decision.result else { return self.whole(account, k, answer) };
        let current = self.current(&decision.path, before)?;
        let (text, encoding) = decode(&decision.path, &current)?;
        let by_lines = decision.stands == Stands::Markers || rework::is_by_lines(self, account, &decision.path)?;
        let new = if by_lines {
            let lines = split_lines(&text);
            let at = spot(&lines, &decision)
                .ok_or_else(|| unfit(&decision.path, "the open spot is not in the file any more: edit it there"))?;
            let wanted = content(&decision, &answer)?;
            answer.before = Some(Blob::of(&joined(&lines[at.clone()])));
            let (new, count) = spliced(&lines, &at, &wanted);
            shift(account, &decision.path, &at, count);
            account.decisions[k].result = Some(Lines { line: at.start + 1, count });
            new
        } else {
            let new = match rework::exchanged(&text, at, &decision, &answer) {
                Some(new) => new,
                None => rework::merged_again(self, account, k, &answer, &current)?,
            };
            rework::remap(account, &decision.path, &text, &new);
            rework::found_again(account, k, answer.take, &new);
            rework::made_sure(account, k, true, new)
        };
        let bytes = encode(&decision.path, new, encoding)?;
        let kind = self.kind(account, &decision.path);
        if well_formed(&decision.path, kind, &current).is_none()
            && is_by_key(&decision.path)
            && well_formed(&decision.path, kind, &bytes).is_some()
        {
            return Err(unfit(&decision.path, "with this answer the file would not be well-formed"));
        }
        record(account, k, answer);
        let bytes = self.stamped(account, &decision.path, bytes)?;
        if let Some(file) = file_mut(account, &decision.path) {
            file.digest = Some(Digest::of(&bytes).hex());
            file.from = Source::Merged;
        }
        Ok(vec![(decision.path, Put::Bytes(bytes))])
    }

    /// The text of a file of the result, as it is after what is to be put already.
    fn current(&self, path: &str, before: &Puts) -> Result<Vec<u8>, Refused> {
        let put = before.iter().find(|(p, _)| p == path).map(|(_, put)| put);
        let bytes = match put {
            Some(Put::Bytes(bytes)) => Some(bytes.clone()),
            Some(Put::Copy(side, path)) => (self.read)(*side, path)?,
            Some(Put::Nothing) => None,
            None => (self.read)(Side::Result, path)?,
        };
        bytes.ok_or_else(|| unfit(path, "the file is not in the result any more"))
    }

    fn kind(&self, account: &Account, path: &str) -> crate::theme::Kind {
        account.files.iter().find(|f| f.path == path).map_or(crate::theme::Kind::Other, |f| f.kind)
    }

    /// A question about the whole file.
    fn whole(&self, account: &mut Account, k: usize, mut answer: Answer) -> Result<Puts, Refused> {
        let decision = account.decisions[k].clone();
        let path = decision.path.clone();
        let (put, from) = match answer.take {
            Take::Site => (self.side(account, &path, Side::Site)?, Source::Site),
            Take::Release => (self.side(account, &path, Side::Release)?, Source::Release),
            Take::Text => (Put::Bytes(answer.text.clone().unwrap_or_default().into_bytes()), Source::Merged),
            Take::Both | Take::BothSiteFirst => {
                return Err(unfit(&path, "a whole file is the site's, the release's, or one that you write"));
            }
        };
        if decision.stands == Stands::Markers {
            answer.before = (self.read)(Side::Result, &path)?.map(|bytes| Blob::of(&bytes));
        }
        record(account, k, answer);
        let from = if put == Put::Nothing { Source::Nowhere } else { from };
        self.noted(account, &path, &put, from)?;
        Ok(vec![(path, put)])
    }

    /// A side's file, under the name that it has there.
    fn side(&self, account: &Account, path: &str, side: Side) -> Result<Put, Refused> {
        let file = account.files.iter().find(|f| f.path == path);
        let other = match side {
            Side::Site => file.and_then(|f| f.site_path.clone()),
            _ => file.and_then(|f| f.release_path.clone()),
        };
        let name = other.unwrap_or_else(|| path.to_string());
        Ok(if (self.read)(side, &name)?.is_some() { Put::Copy(side, name) } else { Put::Nothing })
    }

    /// Enters into the account what a file has become.
    fn noted(&self, account: &mut Account, path: &str, put: &Put, from: Source) -> Result<(), Refused> {
        let digest = match put {
            Put::Bytes(bytes) => Some(Digest::of(bytes).hex()),
            Put::Copy(side, name) => (self.read)(*side, name)?.map(|bytes| Digest::of(&bytes).hex()),
            Put::Nothing => None,
        };
        if let Some(file) = file_mut(account, path) {
            (file.from, file.digest) = (from, digest);
        }
        Ok(())
    }

    /// A question about the name of a file.
    fn name(&self, account: &mut Account, k: usize, answer: Answer) -> Result<Puts, Refused> {
        let decision = account.decisions[k].clone();
        let text = |blob: &Blob| blob.bytes().and_then(|b| String::from_utf8(b).ok()).unwrap_or_default();
        let to = match answer.take {
            Take::Site => text(&decision.site),
            Take::Release => text(&decision.release),
            _ => return Err(unfit(&decision.path, "a file has one name: take the site's or the release's")),
        };
        record(account, k, answer);
        self.renamed(account, &decision.path, &to)
    }

    /// Gives a file of the result another name.
    fn renamed(&self, account: &mut Account, from: &str, to: &str) -> Result<Puts, Refused> {
        if from == to {
            return Ok(Puts::new());
        }
        // A file that is out of the result can come back.
        let is_known = account.files.iter().any(|f| f.path == to);
        if is_known || (self.read)(Side::Result, to)?.is_some() {
            return Err(unfit(
                to,
                "there is another file of this name: take the release's name, and rename it by hand if need be",
            ));
        }
        let bytes = (self.read)(Side::Result, from)?.ok_or_else(|| unfit(from, "the file is not in the result"))?;
        if let Some(file) = file_mut(account, from) {
            for other in [&mut file.base_path, &mut file.site_path, &mut file.release_path] {
                *other = Some(other.clone().unwrap_or_else(|| from.to_string())).filter(|p| p != to);
            }
            file.path = to.to_string();
        }
        for decision in account.decisions.iter_mut().filter(|d| d.path == from) {
            decision.path = to.to_string();
        }
        for change in account.changes.iter_mut().filter(|c| c.result_path.as_deref() == Some(from)) {
            change.result_path = Some(to.to_string());
        }
        Ok(vec![(to.to_string(), Put::Bytes(bytes)), (from.to_string(), Put::Nothing)])
    }

    /// A file in which nothing is open any more gets the release's stamp.
    fn stamped(&self, account: &mut Account, path: &str, bytes: Vec<u8>) -> Result<Vec<u8>, Refused> {
        if account.decisions.iter().any(|d| d.path == path && d.state == State::Open) {
            return Ok(bytes);
        }
        let waiting = |c: &&mut crate::carry::account::ChangeRecord| {
            c.step == Some(Step::Stamp) && c.outcome == Outcome::Kept && c.result_path.as_deref() == Some(path)
        };
        let change = account.changes.iter_mut().find(waiting);
        let child = account.child.as_ref().and_then(|c| c.overrides.iter().find(|o| o.path == path));
        let version = match (&change, child) {
            (_, Some(child)) if child.stamp.is_some() => Some(child.current.clone()),
            (Some(_), _) => {
                let file = account.files.iter().find(|f| f.path == path);
                let name = file.and_then(|f| f.release_path.clone()).unwrap_or_else(|| path.to_string());
                let release = (self.read)(Side::Release, &name)?.unwrap_or_default();
                find_stamp(&release, self.stamp).map(|s| s.version)
            }
            _ => None,
        };
        let (Some(version), Some(found)) = (version, find_stamp(&bytes, self.stamp)) else { return Ok(bytes) };
        if let Some(change) = change {
            change.outcome = Outcome::Fitted;
            account.totals = Totals::of(&account.changes);
        }
        Ok(with_stamp(&bytes, &found, &version))
    }

    /// Opens a settled spot again.
    fn open_again(&self, account: &mut Account, k: usize, before: &Puts) -> Result<Puts, Refused> {
        let decision = account.decisions[k].clone();
        let path = decision.path.clone();
        let stood = decision.answer.as_ref().and_then(|a| a.before.clone()).and_then(|b| b.bytes());
        let reopen = |account: &mut Account| {
            account.decisions[k].state = State::Open;
            account.decisions[k].answer = None;
            for change in account.changes.iter_mut().filter(|c| c.decision.as_ref() == Some(&decision.id)) {
                change.outcome = Outcome::Open;
            }
            account.totals = Totals::of(&account.changes);
        };
        if decision.reason == Reason::BothRenamed {
            let name = decision.release.bytes().and_then(|b| String::from_utf8(b).ok()).unwrap_or_default();
            reopen(account);
            return self.renamed(account, &path, &name);
        }
        let Some(at) = decision.result else {
            let (put, from) = match (decision.stands, stood) {
                (Stands::Markers, Some(bytes)) => (Put::Bytes(bytes), Source::Merged),
                (Stands::Release, _) => (self.side(account, &path, Side::Release)?, Source::Release),
                _ => (self.side(account, &path, Side::Site)?, Source::Site),
            };
            reopen(account);
            let from = if put == Put::Nothing { Source::Nowhere } else { from };
            self.noted(account, &path, &put, from)?;
            return Ok(vec![(path, put)]);
        };
        let current = self.current(&path, before)?;
        let (text, encoding) = decode(&path, &current)?;
        let new = match (decision.stands, stood) {
            (_, Some(stood)) => {
                let lines = split_lines(&text);
                let at = at.range();
                let answer = decision.answer.as_ref().map(|a| content(&decision, a)).transpose()?;
                if at.end > lines.len() || !answer.is_some_and(|a| same_lines(&lines[at.clone()], &a)) {
                    return Err(unfit(&path, "the spot was edited since: edit it there"));
                }
                let (new, count) = spliced(&lines, &at, &stood);
                shift(account, &path, &at, count);
                account.decisions[k].result = Some(Lines { line: at.start + 1, count });
                new
            }
            _ => {
                let side = if decision.stands == Stands::Release { Take::Release } else { Take::Site };
                let new = rework::merged_again(self, account, k, &Answer::take(side), &current)?;
                rework::remap(account, &path, &text, &new);
                rework::found_again(account, k, side, &new);
                rework::made_sure(account, k, false, new)
            }
        };
        reopen(account);
        let bytes = encode(&path, new, encoding)?;
        if let Some(file) = file_mut(account, &path) {
            file.digest = Some(Digest::of(&bytes).hex());
        }
        Ok(vec![(path, Put::Bytes(bytes))])
    }
}

fn position(account: &Account, id: &str) -> Result<usize, Refused> {
    account.decisions.iter().position(|d| d.id == id).ok_or_else(|| Refused::Unknown(id.to_string()))
}

/// The decisions that a decision goes with, and those that go with it, whatever the number of steps.
pub fn together(account: &Account, k: usize) -> Vec<usize> {
    let decisions = &account.decisions;
    let mut found = vec![k];
    let mut at = 0;
    while let Some(this) = found.get(at).map(|k| &decisions[*k]) {
        at += 1;
        let goes_with = |a: &Decision, b: &Decision| a.with.as_ref() == Some(&b.id);
        let beside = (0..decisions.len()).filter(|other| {
            let other = &decisions[*other];
            other.path == this.path && (goes_with(other, this) || goes_with(this, other))
        });
        let more: Vec<usize> = beside.filter(|other| !found.contains(other)).collect();
        found.extend(more);
    }
    found.split_off(1)
}

/// Adds what is to be put after what was to be put before.
pub fn put_after(puts: &mut Puts, more: Puts) {
    puts.retain(|(path, _)| !more.iter().any(|(p, _)| p == path));
    puts.extend(more);
}

fn unfit(path: &str, why: &'static str) -> Refused {
    Refused::Unfit { path: path.to_string(), why }
}

fn file_mut<'a>(account: &'a mut Account, path: &str) -> Option<&'a mut FileRecord> {
    account.files.iter_mut().find(|f| f.path == path)
}

fn decode(path: &str, bytes: &[u8]) -> Result<(Vec<u8>, crate::text::Encoding), Refused> {
    let text = Text::decode(bytes).ok_or_else(|| unfit(path, "the file is no text any more"))?;
    Ok((text.body.into_owned(), text.encoding))
}

fn encode(path: &str, body: Vec<u8>, encoding: crate::text::Encoding) -> Result<Vec<u8>, Refused> {
    Text::encode(body, encoding).ok_or_else(|| unfit(path, "the answer cannot be written in the file's encoding"))
}

/// Enters an answer into the account: the decision is settled, and its changes have their outcome.
fn record(account: &mut Account, k: usize, answer: Answer) {
    let decision = &mut account.decisions[k];
    decision.state = State::Settled;
    let same = |blob: &Blob| {
        answer
            .text
            .as_ref()
            .is_some_and(|t| blob.bytes().is_some_and(|b| b.trim_ascii() == t.as_bytes().trim_ascii()))
    };
    let outcome = match answer.take {
        Take::Release => Outcome::Dropped,
        Take::Text if same(&decision.release) => Outcome::Dropped,
        Take::Text if !same(&decision.site) => Outcome::Fitted,
        _ => Outcome::Kept,
    };
    let id = decision.id.clone();
    decision.answer = Some(answer);
    for change in account.changes.iter_mut().filter(|c| c.decision.as_ref() == Some(&id)) {
        change.outcome = outcome;
    }
    account.totals = Totals::of(&account.changes);
}

/// Enters remembered answers into an account of which no files were written, as a forecast's.
pub fn foretell(account: &mut Account, memory: &memory::Memory) {
    for k in 0..account.decisions.len() {
        if account.decisions[k].state == State::Open
            && let Some(answer) = memory.recall(&account.decisions[k])
        {
            let others = if answer.take == Take::Text { Vec::new() } else { together(account, k) };
            for other in others {
                if account.decisions[other].state == State::Open {
                    record(account, other, answer.clone());
                }
            }
            record(account, k, answer);
        }
    }
}

/// The text that an answer puts at an open spot.
///
/// # Errors
///
/// When a side is not known as text.
pub(crate) fn content(decision: &Decision, answer: &Answer) -> Result<Vec<u8>, Refused> {
    let side = |blob: &Blob| match blob {
        Blob::Missing { .. } => Ok(Vec::new()),
        blob => blob.bytes().ok_or_else(|| unfit(&decision.path, "the two sides are no text")),
    };
    let ended = |mut text: Vec<u8>| {
        if !text.is_empty() && !text.ends_with(b"\n") && !text.ends_with(b"\r") {
            text.push(b'\n');
        }
        text
    };
    let (site, release) = (side(&decision.site)?, side(&decision.release)?);
    Ok(match answer.take {
        Take::Site => site,
        Take::Release => release,
        Take::Both if site == release => site,
        Take::BothSiteFirst if site == release => site,
        Take::Both => [ended(release), site].concat(),
        Take::BothSiteFirst => [ended(site), release].concat(),
        Take::Text => answer.text.clone().unwrap_or_default().into_bytes(),
    })
}

/// Where the open spot of a decision is now: the block with its three contents, at best where it was left.
fn spot(lines: &[Line<'_>], decision: &Decision) -> Option<Range<usize>> {
    let standing = match decision.stands {
        Stands::Markers => None,
        Stands::Site => Some(&decision.site),
        Stands::Release => Some(&decision.release),
    };
    if let Some(standing) = standing {
        // A side's lines are nothing that can be told from others: they must be where they were left.
        let at = decision.result?.range();
        return (lines.len() >= at.end && same_lines(&lines[at.clone()], &standing.bytes()?)).then_some(at);
    }
    let parts = [&decision.site, &decision.base, &decision.release].map(|b| b.bytes().unwrap_or_default());
    let (found, _) = blocks(lines);
    let mut fitting = found.iter().filter(|block| {
        same_lines(&lines[block.site.clone()], &parts[0])
            && same_lines(&lines[block.base.clone()], &parts[1])
            && same_lines(&lines[block.release.clone()], &parts[2])
    });
    let left = decision.result.map(|r| r.range().start);
    let first = fitting.clone().find(|block| Some(block.all.start) == left);
    first.or_else(|| fitting.next()).map(|block| block.all.clone())
}

/// Puts a text in place of some lines, with the line ends of the file; returns the new text and how many lines it has
/// there.
fn spliced(lines: &[Line<'_>], at: &Range<usize>, text: &[u8]) -> (Vec<u8>, usize) {
    let end = lines.get(at.start).or(lines.first()).map_or(LineEnd::Lf, |l| l.end);
    let end = if end == LineEnd::None { LineEnd::Lf } else { end };
    let last = at.end.checked_sub(1).and_then(|k| lines.get(k)).map_or(end, |l| l.end);
    let mut out = Vec::new();
    let put = |out: &mut Vec<u8>, line: &Line<'_>| {
        out.extend_from_slice(line.content);
        out.extend_from_slice(line.end.bytes());
    };
    lines[..at.start].iter().for_each(|line| put(&mut out, line));
    let new = split_lines(text);
    // The last line of a file may have no end: it takes one before others, and the last that stays has none again, but
    // for a blank one, which would be none without it.
    if let (LineEnd::None, Some(before)) = (last, lines[..at.start].last()) {
        match new.is_empty() {
            true if !before.content.is_empty() => out.truncate(out.len() - before.end.bytes().len()),
            false if before.end == LineEnd::None => out.extend_from_slice(end.bytes()),
            _ => {}
        }
    }
    for (k, line) in new.iter().enumerate() {
        out.extend_from_slice(line.content);
        let is_last = k + 1 == new.len() && !line.content.is_empty();
        out.extend_from_slice(if is_last { last.bytes() } else { end.bytes() });
    }
    lines[at.end..].iter().for_each(|line| put(&mut out, line));
    (out, new.len())
}

/// Moves the lines that the account names behind a spot that grew or shrank.
fn shift(account: &mut Account, path: &str, at: &Range<usize>, count: usize) {
    let moved = |lines: &mut Lines| {
        let range = lines.range();
        if range.start >= at.end && !(range.start == at.start && at.is_empty()) {
            lines.line = lines.line + count - at.len();
        } else if range.start <= at.start && range.end >= at.end {
            lines.count = lines.count + count - at.len();
        }
    };
    let decisions = account.decisions.iter_mut().filter(|d| d.path == path).filter_map(|d| d.result.as_mut());
    let changes = account.changes.iter_mut().filter(|c| c.result_path.as_deref() == Some(path));
    decisions.chain(changes.filter_map(|c| c.result.as_mut())).for_each(moved);
}
