//! Writing the merged items: in the release's form, with no two words run together and no code in a remark.

use std::collections::HashSet;
use std::ops::Range;

use super::items::{Item, Remark, Sort, in_quotes, without_quotes};
use super::plan::Plan;
use super::{Version, is_tag_change};
use crate::diff::{Edit, kept_pairs};
use crate::merge::Dialect;
use crate::merge::lists::is_separator;
use crate::merge::out::Source;
use crate::merge::tags::merge_tags;

/// A text that was merged by words.
pub(in crate::merge) struct Written {
    pub(in crate::merge) text: Vec<u8>,
    pub(in crate::merge) lines: Vec<WrittenLine>,
}

/// A line of a text that was merged by words. The lines of the versions count from the first of theirs.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(in crate::merge) struct WrittenLine {
    /// The lines of the base that it stands for, or between which the release put it; none where the site put it in.
    pub(in crate::merge) place: Option<Range<usize>>,
    /// The lines of the versions that begin as it does.
    pub(in crate::merge) source: Source,
}

/// Writes what a plan takes of three versions; `None` where the parts do not fit each other.
pub(super) fn write<'a>(
    [base, site, release]: [&Version<'a>; 3],
    [site_edits, release_edits]: [&[Edit]; 2],
    plan: &[Plan],
    dialect: &Dialect,
) -> Option<Written> {
    let link = |edits: &[Edit]| -> Vec<Option<usize>> {
        let mut links = vec![None; base.items.len()];
        for (i, j) in kept_pairs(edits, base.items.len()) {
            links[i] = Some(j);
        }
        links
    };
    let (site_links, release_links) = (link(site_edits), link(release_edits));
    let mut out = Writer::among([base, site, release]);
    let mut at = 0;
    // Where the release put something in last.
    let mut at_put = None;
    for step in plan.iter().map(Some).chain([None]) {
        let until = match step {
            Some(Plan::Site(s)) | Some(Plan::Merged(_, s, _)) => site_edits[*s].old.start,
            Some(Plan::Release(r)) => release_edits[*r].old.start,
            None => base.items.len(),
        };
        for i in at..until {
            let (b, s, r) = (base.items[i], site.items[site_links[i]?], release.items[release_links[i]?]);
            // What a side made a remark of is one.
            let remark = if s.remark == b.remark { r.remark } else { s.remark };
            let item = Item { remark, ..*spelled(&b, &s, &r)? };
            out.stands = Stands { place: Some(i..i + 1), items: [Some(i), site_links[i], release_links[i]] };
            out.push(lead(b.lead, s.lead, r.lead), &item)?;
        }
        at = at.max(until);
        match step {
            Some(Plan::Release(r)) => {
                let edit = &release_edits[*r];
                for (k, item) in release.items[edit.new.clone()].iter().enumerate() {
                    let replaced = (k == 0).then(|| edit.old.clone().next()).flatten();
                    let before = edit.old.start.saturating_sub(1);
                    out.stands = Stands {
                        place: Some(before..edit.old.end + 1),
                        items: [replaced, replaced.and_then(|i| site_links[i]), Some(edit.new.start + k)],
                    };
                    let of_site = replaced.and_then(|i| Some((i, site.items[site_links[i]?].lead)));
                    out.push(of_site.map_or(item.lead, |(i, own)| lead(base.items[i].lead, own, item.lead)), item)?;
                }
                at = at.max(edit.old.end);
                at_put = edit.old.is_empty().then_some(edit.old.start);
            }
            Some(Plan::Site(s)) => {
                let edit = &site_edits[*s];
                for (k, item) in site.items[edit.new.clone()].iter().enumerate() {
                    let replaced = (k == 0).then(|| edit.old.clone().next()).flatten();
                    out.stands = Stands {
                        place: replaced.map(|i| i..i + 1),
                        items: [replaced, Some(edit.new.start + k), replaced.and_then(|i| release_links[i])],
                    };
                    let lead = match replaced {
                        Some(i) => lead(base.items[i].lead, item.lead, release.items[release_links[i]?].lead),
                        // Behind what the release put first there: as the site has what follows.
                        None if k == 0 && at_put == Some(edit.old.start) && goes_alone(item) => {
                            site.items.get(edit.new.end).map_or(item.lead, |next| next.lead)
                        }
                        None => item.lead,
                    };
                    // The release kept the tag, perhaps wrapped over lines: its form stays.
                    let refit = is_tag_change(base, site, edit)
                        .then(|| {
                            let kept = release.items[release_links[edit.old.start]?];
                            merge_tags(base.items[edit.old.start].text, item.text, kept.text)
                        })
                        .flatten();
                    // A string in place of another stands in the quotes that the release has anew.
                    let requoted = || {
                        let (old, kept) = (base.items[replaced?], release.items[release_links[replaced?]?]);
                        let quote = *kept.text.first().filter(|quote| old.text.first() != Some(quote))?;
                        match quote {
                            b'"' | b'\'' => in_quotes(item, quote, dialect),
                            _ => (kept.sort == Sort::Address).then(|| without_quotes(item))?,
                        }
                    };
                    match refit.or_else(requoted) {
                        Some(text) => out.push_merged(lead, item, &text)?,
                        None => out.push(lead, item)?,
                    }
                }
                at = at.max(edit.old.end);
            }
            Some(Plan::Merged(text, s, r)) => {
                let (se, re) = (&site_edits[*s], &release_edits[*r]);
                let (b, si, ri) = (base.items[se.old.start], site.items[se.new.start], release.items[re.new.start]);
                out.stands = Stands {
                    place: Some(se.old.start..se.old.start + 1),
                    items: [se.old.start, se.new.start, re.new.start].map(Some),
                };
                out.push_merged(lead(b.lead, si.lead, ri.lead), &ri, text)?;
                at = at.max(se.old.end);
            }
            None => {}
        }
    }
    Some(out.finish([base, site, release]))
}

/// Tells whether an item is no part of what stands before it: a separator is, and a remark about it.
fn goes_alone(item: &Item<'_>) -> bool {
    !is_separator(item) && item.remark.is_none()
}

/// How an item that both kept is written: as the release has it, unless only the site wrote it in another form; `None`
/// where both did, each in its own. The blanks of tags are the release's.
fn spelled<'v, 'a>(base: &Item<'a>, site: &'v Item<'a>, release: &'v Item<'a>) -> Option<&'v Item<'a>> {
    let same = |a: &Item<'a>, b: &Item<'a>| {
        let words = |item: &Item<'a>| item.text.split(u8::is_ascii_whitespace).filter(|w| !w.is_empty());
        a.text == b.text || base.sort == Sort::Tag && words(a).eq(words(b))
    };
    if same(site, base) || same(site, release) {
        return Some(release);
    }
    same(release, base).then_some(site)
}

/// Which blanks stand before an item that both kept: the release's, unless only the site changed them.
fn lead<'a>(base: &'a [u8], site: &'a [u8], release: &'a [u8]) -> &'a [u8] {
    if site == base {
        release
    } else if release == base || (site.is_empty() != base.is_empty() && release.is_empty() == base.is_empty()) {
        site
    } else {
        release
    }
}

/// What an item of the result stands for.
#[derive(Debug, Clone, Default)]
struct Stands {
    /// The base's items that it stands for, or between which the release put it; none where the site put it in.
    place: Option<Range<usize>>,
    /// The item of base, site and release that it is.
    items: [Option<usize>; 3],
}

#[derive(Default)]
struct Writer<'a> {
    bytes: Vec<u8>,
    /// What is written next.
    stands: Stands,
    /// The first item of each line so far, how many lines into it that line is, and how many it has.
    lines: Vec<(Stands, usize, usize)>,
    /// The last item, if it is a word.
    word: Option<&'a [u8]>,
    /// The line has a remark that goes on to its end.
    remark: bool,
    /// Words that stand side by side in a version, with nothing between.
    side_by_side: HashSet<(&'a [u8], &'a [u8])>,
}

impl<'a> Writer<'a> {
    fn among(versions: [&Version<'a>; 3]) -> Self {
        let pairs = versions.into_iter().flat_map(|version| version.items.windows(2));
        let side_by_side = pairs
            .filter(|pair| pair.iter().all(|item| item.sort == Sort::Word) && pair[1].lead.is_empty())
            .map(|pair| (pair[0].text, pair[1].text))
            .collect();
        Writer { side_by_side, ..Writer::default() }
    }

    /// Adds an item; `None` where two words would run together into one that nobody wrote, and where code would get into
    /// a remark or a remark into the code.
    fn push(&mut self, lead: &[u8], item: &Item<'a>) -> Option<()> {
        self.enter(lead, item)?;
        let quoted = item.text.first() == Some(&b'"');
        if let Some(before) = self.word
            && lead.is_empty()
            && item.sort == Sort::Word
            && !quoted
            && !self.side_by_side.contains(&(before, item.text))
        {
            return None;
        }
        self.add(lead, item.text);
        self.word = (item.sort == Sort::Word).then_some(item.text);
        Some(())
    }

    /// Goes on to where an item stands, if it may stand there.
    fn enter(&mut self, lead: &[u8], item: &Item<'_>) -> Option<()> {
        let within = self.remark && !lead.contains(&b'\n');
        self.remark = within || item.remark == Some(Remark::Line) && matches!(item.text.first(), Some(b'/' | b'#'));
        let fits = match item.remark {
            Some(Remark::Line) => self.remark,
            Some(Remark::Block) => true,
            None => !self.remark || item.text.is_empty(),
        };
        fits.then_some(())
    }

    /// Adds an item in another form, or merged of several.
    fn push_merged(&mut self, lead: &[u8], item: &Item<'_>, text: &[u8]) -> Option<()> {
        self.enter(lead, item)?;
        self.add(lead, text);
        self.word = None;
        Some(())
    }

    fn add(&mut self, lead: &[u8], text: &[u8]) {
        let (begun, within) = (breaks(lead) + usize::from(self.lines.is_empty()), breaks(text));
        // The lines before the one that it stands in are blank, and stand for none.
        self.lines.extend(std::iter::repeat_n((Stands::default(), 0, 0), begun.saturating_sub(1)));
        self.lines.extend((usize::from(begun == 0)..=within).map(|line| (self.stands.clone(), line, within)));
        self.bytes.extend_from_slice(lead);
        self.bytes.extend_from_slice(text);
    }

    fn finish(self, versions: [&Version<'_>; 3]) -> Written {
        let spans = versions.map(spans);
        let line = |(stands, into, within): (Stands, usize, usize)| {
            let begun = |version: usize| {
                let item = stands.items[version]?;
                let lines = spans[version].get(item)?;
                let begins = into > 0 || item == 0 || breaks(versions[version].items[item].lead) > 0;
                (begins && lines.len() == within + 1).then_some(lines.start + into)
            };
            let source = Source { base: begun(0), site: begun(1), release: begun(2) };
            let place = stands.place.and_then(|items| {
                let (first, last) = (spans[0].get(items.start)?, spans[0].get(items.end - 1).or(spans[0].last())?);
                let at = (first.start + into).min(first.end - 1);
                Some(if items.len() == 1 { at..at + 1 } else { first.end - 1..last.start + 1 })
            });
            WrittenLine { place, source }
        };
        Written { text: self.bytes, lines: self.lines.into_iter().map(line).collect() }
    }
}

fn breaks(text: &[u8]) -> usize {
    text.iter().filter(|byte| **byte == b'\n').count()
}

/// The lines that each item of a text stands on.
fn spans(version: &Version<'_>) -> Vec<Range<usize>> {
    let mut line = 0;
    let span = |item: &Item<'_>| {
        let first = line + breaks(item.lead);
        line = first + breaks(item.text);
        first..line + 1
    };
    version.items.iter().map(span).collect()
}
