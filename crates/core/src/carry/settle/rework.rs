//! Answers in files that hold no markers: the value is exchanged where it stands, or the file merged again.

use std::collections::HashSet;

use super::{Refused, Settling, Side, unfit};
use crate::carry::account::{Account, Answer, Blob, Decision, FileRecord, Lines, Stands, State, Take};
use crate::catalog::{self, Catalog, Message, with_missing};
use crate::formats::answered::{Answered, Moved, Value, bytes_of, worked_in};
use crate::formats::{is_by_key, merge_file};
use crate::merge::{Leave, MergeOptions};
use crate::text::{Text, split_lines};
use crate::theme::Digest;

fn text_of(blob: &Blob) -> Vec<u8> {
    blob.bytes().unwrap_or_default()
}

/// The text that takes a value's place; `None` where an answer takes the value away.
fn wanted(decision: &Decision, answer: &Answer) -> Option<Vec<u8>> {
    let text = match answer.take {
        Take::Site => text_of(&decision.site),
        Take::Release => text_of(&decision.release),
        Take::Text => answer.text.clone().unwrap_or_default().into_bytes(),
        Take::Both | Take::BothSiteFirst => return None,
    };
    Some(text).filter(|t| !t.is_empty())
}

/// Exchanges what stands at an open spot, where it is one line of its own words, and so is what takes its place.
pub(super) fn exchanged(text: &[u8], at: Lines, decision: &Decision, answer: &Answer) -> Option<Vec<u8>> {
    let stands = text_of(if decision.stands == Stands::Release { &decision.release } else { &decision.site });
    let new = wanted(decision, answer)?;
    let one_line = |t: &[u8]| split_lines(t).len() == 1;
    if !one_line(&stands) || !one_line(&new) {
        return None;
    }
    let (stands, new) = (stands.trim_ascii_end(), new.trim_ascii_end());
    let span = bytes_of(text, &at.range())?;
    let mut found = text[span.clone()].windows(stands.len()).enumerate().filter(|(_, w)| *w == stands);
    let (first, _) = found.next()?;
    if found.next().is_some() {
        return None;
    }
    let start = span.start + first;
    Some([&text[..start], new, &text[start + stands.len()..]].concat())
}

/// Tells whether the questions of a file are about its lines: it is none with keys, or had to be merged by lines.
pub(super) fn is_by_lines(settling: &Settling<'_>, account: &Account, path: &str) -> Result<bool, Refused> {
    let file = account.files.iter().find(|f| f.path == path).filter(|_| is_by_key(path));
    let Some(file) = file else { return Ok(true) };
    let [base, site, release] = versions(settling, file)?;
    let merged = merge_file(path, file.kind, &base, &site, &release, &options(account, file));
    Ok(merged.is_some_and(|merged| merged.by_lines))
}

/// A file of base, site and release, by the names that it has there; nothing for one that has none.
fn versions(settling: &Settling<'_>, file: &FileRecord) -> Result<[Vec<u8>; 3], Refused> {
    let read = |side: Side, name: &Option<String>| -> Result<Vec<u8>, Refused> {
        Ok((settling.read)(side, name.as_deref().unwrap_or(&file.path))?.unwrap_or_default())
    };
    Ok([
        read(Side::Base, &file.base_path)?,
        read(Side::Site, &file.site_path)?,
        read(Side::Release, &file.release_path)?,
    ])
}

/// How the files of an account are merged again.
fn options(account: &Account, file: &FileRecord) -> MergeOptions {
    MergeOptions {
        trust: account.options.trust,
        leave: Leave::Site,
        keep_blanks: account.options.keep_blanks,
        release_label: account.themes.release.version.clone().unwrap_or_default(),
        settings: file.settings.clone().unwrap_or_default(),
        ..MergeOptions::default()
    }
}

/// Merges a file again with all answers in it, the given one for decision `k` among them. `bytes` are what it is now.
pub(super) fn merged_again(
    settling: &Settling<'_>,
    account: &Account,
    k: usize,
    answer: &Answer,
    bytes: &[u8],
) -> Result<Vec<u8>, Refused> {
    let path = &account.decisions[k].path;
    let by_hand = || unfit(path, "this answer cannot be worked into the file: edit it there, then run verify");
    let file = account.files.iter().find(|f| f.path == *path).ok_or_else(by_hand)?;
    if file.digest.as_deref() != Some(Digest::of(bytes).hex().as_str()) {
        return Err(unfit(path, "the file was edited since: edit it there, then run verify"));
    }
    let body = |bytes: Vec<u8>| Text::decode(&bytes).map(|t| t.body.into_owned()).ok_or_else(by_hand);
    let [base, site, release] = versions(settling, file)?;
    let (base, site, release) = (body(base)?, body(site)?, body(release)?);
    // What stands at the other spots, or was answered there, stays.
    let mut given: Vec<(&Decision, [Vec<u8>; 3], Answer)> = Vec::new();
    let questions = account.decisions.iter().enumerate().filter(|(_, d)| d.path == *path && d.result.is_some());
    for (n, decision) in questions {
        let stands = if decision.stands == Stands::Release { Take::Release } else { Take::Site };
        let answer = match &decision.answer {
            _ if n == k => answer.clone(),
            Some(given) if decision.state == State::Settled => given.clone(),
            _ => Answer::take(stands),
        };
        if matches!(answer.take, Take::Both | Take::BothSiteFirst) {
            return Err(unfit(path, "a value is one thing: take a side, or write one"));
        }
        let sides = [&decision.base, &decision.site, &decision.release].map(text_of);
        given.push((decision, sides, answer));
    }
    let answers = given.iter().map(|(decision, [base, site, release], answer)| Answered {
        base_lines: decision.base_lines.map_or(0..0, |l| l.range()),
        site_lines: decision.site_lines.map_or(0..0, |l| l.range()),
        base,
        site,
        release,
        answer: match (&answer.take, &answer.text) {
            (Take::Text, Some(text)) => Value::Text(text.as_bytes()),
            (Take::Site, _) => Value::Site,
            _ => Value::Release,
        },
    });
    let catalogs = [&base, &site, &release].map(|text| Catalog::parse(text).ok());
    let [base, site] = worked_in(&base, &site, answers.collect()).ok_or_else(by_hand)?;
    let merged =
        merge_file(path, file.kind, &base, &site, &release, &options(account, file)).ok_or_else(by_hand)?;
    let mut body = Text::decode(&merged.bytes).map(|t| t.body.into_owned()).ok_or_else(by_hand)?;
    if path.ends_with(".po") {
        body = with_the_templates(body, bytes, catalogs);
    }
    let stands = match account.decisions[k].stands {
        Stands::Release => Take::Release,
        _ => Take::Site,
    };
    let current = Text::decode(bytes).map(|t| t.body.into_owned());
    if Some(&body) == current.as_ref() && answer.take != stands {
        return Err(by_hand());
    }
    Ok(body)
}

/// Adds the messages to a merged catalog that came with the release's template, which none of the three catalogs has.
fn with_the_templates(body: Vec<u8>, current: &[u8], versions: [Option<Catalog>; 3]) -> Vec<u8> {
    let ([Some(base), Some(site), Some(release)], Ok(mut added), Ok(merged)) =
        (versions, Catalog::parse(current), Catalog::parse(&body))
    else {
        return body;
    };
    let known: HashSet<_> = [&base, &site, &release].iter().flat_map(|c| &c.messages).map(Message::key).collect();
    added.messages.retain(|m| !known.contains(&m.key()));
    with_missing(&merged, &added).map_or(body, |updated| updated.bytes)
}

/// Takes the mark of what is unsure off the wordings that were settled: all but decision `k`, or with it.
pub(super) fn made_sure(account: &mut Account, k: usize, settled: bool, text: Vec<u8>) -> Vec<u8> {
    let path = account.decisions[k].path.clone();
    if !path.ends_with(".po") {
        return text;
    }
    let sure = account.decisions.iter().enumerate().filter(|(n, d)| {
        let decided = if *n == k { settled } else { d.state == State::Settled };
        d.path == path && decided
    });
    let lines: Vec<usize> =
        sure.filter_map(|(_, d)| d.result).filter(|at| at.count > 0).map(|at| at.range().start).collect();
    let new = catalog::made_sure(&text, &lines);
    remap(account, &path, &text, &new);
    new
}

/// Lets the lines that the account names follow from one text of a file to the next.
pub(super) fn remap(account: &mut Account, path: &str, old: &[u8], new: &[u8]) {
    let moved = Moved::between(old, new);
    let follow = |lines: &mut Lines| *lines = Lines::from(&moved.lines(&lines.range()));
    let decisions = account.decisions.iter_mut().filter(|d| d.path == path).filter_map(|d| d.result.as_mut());
    let changes = account.changes.iter_mut().filter(|c| c.result_path.as_deref() == Some(path));
    decisions.chain(changes.filter_map(|c| c.result.as_mut())).for_each(follow);
}

/// Finds a value that came back: where the account has no lines for it, those in which it stands now, nearest to where it
/// stood.
pub(super) fn found_again(account: &mut Account, k: usize, take: Take, new: &[u8]) {
    let decision = &account.decisions[k];
    let unit = match take {
        Take::Release => text_of(&decision.release),
        _ => text_of(&decision.site),
    };
    let (Some(at), Some(first)) = (decision.result, split_lines(&unit).first().map(|l| l.trimmed().to_vec()))
    else {
        return;
    };
    if at.count > 0 || first.is_empty() {
        return;
    }
    let lines = split_lines(new);
    let holds = |k: &usize| lines[*k].content.windows(first.len()).any(|w| w == first);
    let nearest = (0..lines.len()).filter(holds).min_by_key(|k| (k + 1).abs_diff(at.line));
    if let Some(line) = nearest {
        let count = split_lines(&unit).len().min(lines.len() - line);
        account.decisions[k].result = Some(Lines { line: line + 1, count });
    }
}
