//! Following changes into other files.
//!
//! A vendor moves a block of a page into a part of its own, splits a file, or joins two. The block is then deleted
//! in one file and added in another. A site change in it would be a question although its home is plain to see;
//! worse, lines that the site deleted would pass for deleted by both, and come back where they are now. So this does
//! not wait for a question: wherever lines around a site change are gone from a file, they are looked up among all
//! lines that the release added ([`homes`]). Where enough of them stand together in one place, in order, and in no
//! other, that is their home, and the stretch is merged there as a small file of its own.

mod chains;
mod homes;

use std::collections::{HashMap, HashSet};
use std::ops::Range;

use rayon::prelude::*;

use self::chains::{AROUND, Chain, Claim};
use self::homes::Additions;
use super::account::Decision;
use super::file::Triple;
use super::run::Inputs;
use crate::changes::{ChangeId, FileChange, What};
use crate::diff::Edit;
use crate::diff::sketch::WordBag;
use crate::merge::{
    Dialect, MergeOptions, Outcome, TextMerge, balance, changed_lines, line_edits, merge_text, tear,
};
use crate::text::key::{Blanks, is_weak};
use crate::text::{Form, Indent, Line, LineEnd, Text, joined, split_lines};
use crate::theme::{ReadError, dialect_of};

/// Lines of a text, and what is to stand there.
pub(crate) type Spot = (Range<usize>, Vec<u8>);

/// Changes that found their home in another file.
pub(crate) struct Follow {
    /// The file (index of its triple) that the changes were in.
    pub(crate) from: usize,
    /// What the site changed there, with the base's lines to put in its place.
    pub(crate) site: Vec<Spot>,
    /// The site's lines of each.
    pub(crate) added: Vec<Vec<u8>>,
    /// The file (index of its triple) that has the stretch now.
    pub(crate) to: usize,
    /// Lines of the release's file there, and what they become.
    pub(crate) window: Spot,
    /// The changes that went along.
    pub(crate) changes: Vec<ChangeId>,
    /// The lines that are not the release's and say something.
    brought: Vec<Vec<u8>>,
    /// What is to be asked about them where another stretch has the place already.
    doubts: Vec<Doubt>,
}

impl Follow {
    /// Tells whether its home has all lines that it brings, and none of them in a question's text of the release: they
    /// would go with the answer. `home` is the text of the file there.
    pub(crate) fn has_arrived(&self, home: &[u8], decisions: &[Decision]) -> bool {
        let brought: HashSet<&[u8]> = self.brought.iter().map(|line| line.trim_ascii()).collect();
        let home = body(home).unwrap_or_default();
        let there: HashSet<&[u8]> = split_lines(&home).iter().map(Line::trimmed).collect();
        let asked = decisions.iter().any(|decision| {
            let text = decision.release.bytes().unwrap_or_default();
            split_lines(&text).iter().any(|line| brought.contains(line.trimmed()))
        });
        !asked && brought.is_subset(&there)
    }

    /// What is to be asked when it does not go along.
    pub(crate) fn into_doubts(self) -> Vec<Doubt> {
        self.doubts
    }
}

/// Lines that the site deleted, and that the release seems to have in another file now: nothing tells for sure.
pub(crate) struct Doubt {
    /// The file (index of its triple) that they were in.
    pub(crate) from: usize,
    pub(crate) change: ChangeId,
    /// The file (index of its triple) that seems to have them, and where.
    pub(crate) to: usize,
    pub(crate) lines: Range<usize>,
    /// Their text there.
    pub(crate) text: Vec<u8>,
}

/// What was found in other files.
#[derive(Default)]
pub(crate) struct Found {
    pub(crate) follows: Vec<Follow>,
    pub(crate) doubts: Vec<Doubt>,
    pub(crate) contested: Vec<Contested>,
}

/// A change at lines that became others where they were, while another file has them as they are: to which of the two
/// it belongs is to be asked.
pub(crate) struct Contested {
    /// The file (index of its triple) that the change is in.
    pub(crate) from: usize,
    pub(crate) change: ChangeId,
    /// Its lines in the base.
    pub(crate) lines: Range<usize>,
    /// The path of the file that has the lines as they are, and the first of them there.
    pub(crate) path: String,
    pub(crate) line: usize,
}

/// So many lines that another file has of one, and it is a part of it.
const MUCH: usize = 5;
/// Lines with so many words are no chance.
const MANY_WORDS: usize = 3;
/// Longer files are not looked through.
const SIZE_LIMIT: u64 = 4 << 20;

/// Finds homes in other files for site changes at lines that the release took out of theirs. `touched` names the
/// files (indices of triples) with site changes.
pub(crate) fn follow(
    inputs: &Inputs<'_>,
    options: &MergeOptions,
    triples: &[Triple],
    touched: &[(usize, &FileChange)],
) -> Result<Found, ReadError> {
    let origins = touched
        .par_iter()
        .map(|(k, touched)| Origin::read(inputs, triples, *k, touched))
        .collect::<Result<Vec<_>, ReadError>>()?;
    let origins: Vec<Origin<'_>> = origins.into_iter().flatten().collect();
    let mut out = Found::default();
    if origins.is_empty() {
        return Ok(out);
    }
    let wanted =
        origins.iter().flat_map(|origin| origin.lost_lines().into_iter().map(|(_, line)| homes::hash(line)));
    let additions = Additions::collect(inputs, triples, &wanted.collect())?;
    let found: Vec<Found> = origins.par_iter().map(|origin| origin.follow(&additions, options)).collect();
    let meet = |a: &Range<usize>, b: &Range<usize>| a.start < b.end && b.start < a.end;
    // What both added under one name is asked about as a whole.
    let both_added = |to: usize| triples[to].base.is_none() && triples[to].site.is_some();
    for Found { follows, doubts, contested } in found {
        for follow in follows {
            if both_added(follow.to)
                || out.follows.iter().any(|f| f.to == follow.to && meet(&f.window.0, &follow.window.0))
            {
                out.doubts.extend(follow.doubts);
            } else {
                out.follows.push(follow);
            }
        }
        out.doubts.extend(doubts);
        out.contested.extend(contested);
    }
    for origin in &origins {
        let goes = |follow: &Follow| follow.from == origin.triple;
        let went = out.follows.iter().filter(|follow| goes(follow)).flat_map(|follow| follow.site.clone());
        if !origin.leaves_the_others(went.collect()) {
            let stay = out.follows.extract_if(.., |follow| goes(follow));
            out.doubts.extend(stay.flat_map(|follow| follow.doubts));
        }
    }
    Ok(out)
}

/// A file with site changes at lines that the release took out of it.
struct Origin<'c> {
    triple: usize,
    path: String,
    touched: &'c FileChange,
    dialect: Dialect,
    base: Vec<u8>,
    site: Vec<u8>,
    /// What the site changed at lines that are lost.
    edits: Vec<Edit>,
    /// The lines of the base that the release's file does not have.
    lost: Vec<Range<usize>>,
    /// Those of them that became other lines there, near a site change.
    changed: Vec<usize>,
    /// The release has no such file.
    gone: bool,
}

impl<'c> Origin<'c> {
    /// Reads a file; `None` where the release took no lines at a site change.
    fn read(
        inputs: &Inputs<'_>,
        triples: &[Triple],
        k: usize,
        touched: &'c FileChange,
    ) -> Result<Option<Self>, ReadError> {
        let Triple { base: Some(b), site: Some(s), release } = triples[k] else { return Ok(None) };
        let entry = &inputs.base.entries()[b];
        let released = release.map(|r| inputs.release.entries()[r].digest);
        let same = released.is_some_and(|r| r == entry.digest || r == inputs.site.entries()[s].digest);
        let edited = touched.changes.iter().any(|c| c.what == What::Edited);
        if same || !edited || entry.binary || entry.size > SIZE_LIMIT {
            return Ok(None);
        }
        let (Some(base), Some(site)) = (body(&inputs.base.read(b)?), body(&inputs.site.read(s)?)) else {
            return Ok(None);
        };
        let dialect = dialect_of(&inputs.site.entries()[s].path, touched.kind, &site);
        let mut edits = line_edits(&base, &site, dialect.blanks);
        let (lost, changed): (Vec<Range<usize>>, _) = match release.map(|r| inputs.release.read(r)).transpose()? {
            Some(release) => {
                let Some(release) = body(&release) else { return Ok(None) };
                let near_site = |theirs: &Edit| {
                    let next = edits.partition_point(|edit| edit.old.end + AROUND < theirs.old.start);
                    edits.get(next).is_some_and(|edit| edit.old.start <= theirs.old.end + AROUND)
                };
                let (theirs, changed) = changed_lines(&base, &release, dialect.blanks, near_site);
                let (site, release) = (split_lines(&site), split_lines(&release));
                // What the release put there as well has its place.
                let is_done = |edit: &Edit| {
                    let next = theirs.partition_point(|e| e.old.start < edit.old.start);
                    let alike = |e: &&Edit| e.old == edit.old && release[e.new.clone()] == site[edit.new.clone()];
                    !edit.new.is_empty() && theirs.get(next).filter(alike).is_some()
                };
                edits.retain(|edit| !is_done(edit));
                (theirs.into_iter().map(|e| e.old).collect(), changed)
            }
            None => (std::iter::once(0..split_lines(&base).len()).collect(), Vec::new()),
        };
        edits.retain(|edit| is_lost(&lost, &edit.old));
        let (path, gone) = (entry.path.clone(), release.is_none());
        let origin = Origin { triple: k, path, touched, dialect, base, site, edits, lost, changed, gone };
        Ok((!origin.edits.is_empty()).then_some(origin))
    }

    /// The lines that the release's file does not have any more, with their places.
    fn lost_lines(&self) -> Vec<(usize, &[u8])> {
        let lines = split_lines(&self.base);
        self.lost.iter().flat_map(Range::clone).map(|i| (i, lines[i].trimmed())).collect()
    }

    fn follow(&self, additions: &Additions, options: &MergeOptions) -> Found {
        let (base, site) = (split_lines(&self.base), split_lines(&self.site));
        let lost = self.lost_lines();
        let chains = additions.chains(&self.path, &base, &lost);
        let own_file = additions.files.iter().position(|added| added.triple == self.triple);
        let homes = Homes::of(additions, &chains, &lost);
        let mut homeless: Vec<&Edit> = self.edits.iter().collect();
        let mut out = Found::default();
        let elsewhere: Vec<&Chain> = chains
            .iter()
            .filter(|chain| additions.files[chain.file].triple != self.triple && !chain.is_kept)
            .filter(|chain| chain.is_telling(&base))
            .collect();
        let has = |wanted: Claim, chain: &Chain, stretch: &Range<usize>, edit: &Edit| {
            self.is_inside(&edit.old, stretch, &base)
                && chain.claim(&edit.old, &lost, &chains, own_file, &self.changed) == wanted
        };
        for chain in &elsewhere {
            if homeless.is_empty() {
                break;
            }
            let home = &additions.files[chain.file];
            let window_lines = homes.lines(chain);
            let (stretch, window) = chain.reach(&base, window_lines, self.put_there(home));
            let at_home = |edit: &&Edit| has(Claim::Clear, chain, &stretch, edit);
            let mut edits: Vec<&Edit> = homeless.iter().copied().filter(at_home).collect();
            let Some(merged) =
                self.merged(&base, &site, &stretch, &mut edits, &window_lines[window.clone()], options)
            else {
                continue;
            };
            let before = joined(window_lines);
            let Some(after) = replace_lines(&before, &mut [(window.clone(), merged.bytes.clone())]) else {
                continue;
            };
            // Nor does a file come that has nothing in it.
            let torn = self.is_by_level() && tears(&before, &after);
            if torn || after.trim_ascii().is_empty() {
                continue;
            }
            let changes = edits.iter().map(|edit| self.change(edit)).collect::<Option<Vec<ChangeId>>>();
            let Some(changes) = changes else { continue };
            homeless.retain(|edit| !edits.contains(edit));
            let doubts = edits.iter().filter_map(|edit| self.doubt(edit, &base, &homes)).collect();
            let there: HashSet<&[u8]> = window_lines[window.clone()].iter().map(Line::trimmed).collect();
            let is_new = |line: &Line<'_>| !is_weak(line.trimmed()) && !there.contains(line.trimmed());
            let new_lines = split_lines(&merged.bytes).into_iter().filter(is_new);
            let brought = new_lines.map(|line| line.content.to_vec()).collect();
            out.follows.push(Follow {
                brought,
                from: self.triple,
                site: edits.iter().map(|edit| (edit.new.clone(), joined(&base[edit.old.clone()]))).collect(),
                added: edits.iter().map(|edit| joined(&site[edit.new.clone()])).collect(),
                to: home.triple,
                window: (window, merged.bytes),
                changes,
                doubts,
            });
        }
        let contested = |edit: &&Edit| {
            elsewhere.iter().find_map(|chain| {
                let added = self.put_there(&additions.files[chain.file]);
                let (stretch, window) = chain.reach(&base, homes.lines(chain), added);
                let change = self.change(edit).filter(|_| has(Claim::Contested, chain, &stretch, edit))?;
                let (lines, path) = (edit.old.clone(), additions.files[chain.file].path.clone());
                Some(Contested { from: self.triple, change, lines, path, line: window.start })
            })
        };
        out.contested = homeless.iter().filter_map(contested).collect();
        out.doubts = homeless.iter().filter_map(|edit| self.doubt(edit, &base, &homes)).collect();
        out
    }

    /// Tells whether indentation holds the blocks of the file together.
    fn is_by_level(&self) -> bool {
        self.dialect.blanks == Blanks::IndentIsMeaning
    }

    /// Tells whether the other changes of the file are the ones that the survey told, once some went elsewhere: without
    /// these its lines may line up otherwise, and nobody could say what became of which change. Nor does one end of a wrap
    /// go without the other.
    fn leaves_the_others(&self, mut went: Vec<Spot>) -> bool {
        if went.is_empty() {
            return true;
        }
        let Some(without) = replace_lines(&self.site, &mut went) else { return false };
        let [before, whole, rest] =
            [&self.base, &self.site, &without].map(|text| balance(text, self.dialect.markup));
        if whole == before && rest != before || self.is_by_level() && tears(&self.site, &without) {
            return false;
        }
        let edits = |site: &[u8]| -> Vec<(Edit, Vec<u8>)> {
            let lines = split_lines(site);
            let edits = line_edits(&self.base, site, self.dialect.blanks);
            edits.into_iter().map(|edit| (edit.clone(), joined(&lines[edit.new]))).collect()
        };
        let mut told = edits(&self.site);
        told.retain(|(edit, _)| went.iter().all(|(lines, _)| *lines != edit.new));
        let found = edits(&without);
        told.len() == found.len() && told.iter().zip(&found).all(|(a, b)| (&a.0.old, &a.1) == (&b.0.old, &b.1))
    }

    /// The lines added to a file that this one may have been put into as a whole: the release has it no more.
    fn put_there<'h>(&self, home: &'h homes::Added) -> Option<&'h [Range<usize>]> {
        self.gone.then_some(home.added.as_slice())
    }

    /// The survey's id of an edit.
    fn change(&self, edit: &Edit) -> Option<ChangeId> {
        let is_it = |lines: &Option<Range<usize>>, of: &Range<usize>| lines.as_ref() == Some(of);
        let mut all = self.touched.changes.iter().filter(|c| c.what == What::Edited);
        all.find(|c| is_it(&c.base, &edit.old) && is_it(&c.site, &edit.new)).map(|c| c.id.clone())
    }

    /// Tells where lines that the site deleted seem to be, if they do not stand there alone.
    fn doubt(&self, edit: &Edit, base: &[Line<'_>], homes: &Homes<'_>) -> Option<Doubt> {
        if !edit.new.is_empty() {
            return None;
        }
        let Homes { additions, chains, .. } = *homes;
        let elsewhere = |chain: &&Chain| additions.files[chain.file].triple != self.triple;
        // Of a file that has much of what this one lost, each line counts.
        let is_much = |lines: usize| lines >= MUCH || lines >= 2 && lines * 2 >= homes.telling;
        let much = |file: usize| is_much(chains.iter().filter(|c| c.file == file).map(Chain::len).sum());
        let with_it = |chain: &Chain| {
            let lines = chain.lines_of(&edit.old, base, homes.lines(chain))?;
            let words = WordBag::of(&joined(&base[edit.old.clone()])).word_count();
            let tells = words >= MANY_WORDS || chain.is_kin || chain.has_near(&edit.old) || much(chain.file);
            tells.then_some((chain.file, lines))
        };
        let kin_first = chains.iter().filter(|chain| chain.is_kin).chain(chains);
        // Where no chain has the line (there are too many, or its file was another before) it is looked for alone, in a
        // file that has more of what this one lost.
        let alone = || {
            let is_wanted = |i: &usize| !is_weak(base[*i].trimmed()) && is_lost(&self.lost, &(*i..*i + 1));
            let has_more = |file: &usize| homes.lost.get(file).is_some_and(|lines| is_much(*lines));
            let mut all = edit.old.clone().filter(is_wanted).flat_map(|i| additions.places(base[i].trimmed()));
            all.find(|(file, _)| additions.files[*file].triple != self.triple && has_more(file))
                .map(|(file, j)| (*file, *j..*j + 1))
        };
        let (file, lines) = kin_first.filter(elsewhere).find_map(with_it).or_else(alone)?;
        let text = joined(&split_lines(&additions.files[file].body)[lines.clone()]);
        Some(Doubt { from: self.triple, change: self.change(edit)?, to: additions.files[file].triple, lines, text })
    }

    /// Merges a stretch at its home. What is a question there stays where it was: it is taken out of `edits`.
    fn merged(
        &self,
        base: &[Line<'_>],
        site: &[Line<'_>],
        stretch: &Range<usize>,
        edits: &mut Vec<&Edit>,
        window: &[Line<'_>],
        options: &MergeOptions,
    ) -> Option<TextMerge> {
        let (base_text, window_text) = (joined(&base[stretch.clone()]), joined(window));
        while !edits.is_empty() {
            let mut site_text = Vec::new();
            let mut at = stretch.start;
            for edit in edits.iter() {
                site_text.extend(joined(&base[at..edit.old.start]));
                site_text.extend(as_in_base(base, site, edit));
                at = edit.old.end;
            }
            site_text.extend(joined(&base[at..stretch.end]));
            let merged = merge_text(&base_text, &site_text, &window_text, &self.dialect, options)?;
            // What is done there already was never there: its lines may stand just beside.
            let is_open = |k: usize| {
                matches!(merged.edits[k].outcome, Outcome::Open | Outcome::Already)
                    || merged.decisions.iter().any(|d| d.edits.contains(&k))
            };
            let open: Vec<usize> = (0..merged.edits.len()).filter(|k| is_open(*k)).collect();
            if open.is_empty() {
                return merged.decisions.is_empty().then_some(merged);
            }
            if merged.edits.len() != edits.len() {
                return None;
            }
            let mut k = 0..;
            edits.retain(|_| !k.next().is_some_and(|k| open.contains(&k)));
        }
        None
    }

    /// Tells whether an edit lies within a stretch of the base. An insertion at its edge does where a blank line parts
    /// it from what stays, or nothing stays.
    fn is_inside(&self, edit: &Range<usize>, stretch: &Range<usize>, base: &[Line<'_>]) -> bool {
        if !edit.is_empty() {
            return stretch.start <= edit.start && edit.end <= stretch.end;
        }
        let at = edit.start;
        let is_blank = |line: Option<usize>| line.and_then(|k| base.get(k)).map_or(self.gone, Line::is_blank);
        let (before, behind) = (is_blank(at.checked_sub(1)), is_blank(Some(at)));
        stretch.start < at && at < stretch.end
            || at == stretch.start && before && (at == 0 || !behind)
            || at == stretch.end && behind && (at == base.len() || !before)
    }
}

/// Where the lost lines of a file may be.
struct Homes<'a> {
    additions: &'a Additions,
    chains: &'a [Chain],
    /// The lines of the files that the chains lead to.
    bodies: HashMap<usize, Vec<Line<'a>>>,
    /// How many of the lost lines each file may have.
    lost: HashMap<usize, usize>,
    /// How many lost lines say something.
    telling: usize,
}

impl<'a> Homes<'a> {
    fn of(additions: &'a Additions, chains: &'a [Chain], lost: &[(usize, &[u8])]) -> Self {
        let mut bodies = HashMap::new();
        for Chain { file, .. } in chains {
            bodies.entry(*file).or_insert_with(|| split_lines(&additions.files[*file].body));
        }
        let (mut in_file, mut telling) = (HashMap::new(), 0);
        for (_, line) in lost.iter().filter(|(_, line)| !is_weak(line)) {
            telling += 1;
            let files: HashSet<usize> = additions.places(line).map(|(file, _)| *file).collect();
            files.into_iter().for_each(|file| *in_file.entry(file).or_default() += 1);
        }
        Homes { additions, chains, bodies, lost: in_file, telling }
    }

    fn lines(&self, chain: &Chain) -> &[Line<'a>] {
        &self.bodies[&chain.file]
    }
}

/// Tells whether the release took lines of an edit out of the file, or a line at an insertion.
fn is_lost(lost: &[Range<usize>], edit: &Range<usize>) -> bool {
    let next = usize::from(edit.is_empty());
    let wide = edit.start.saturating_sub(next)..edit.end + next;
    let first = lost.partition_point(|lines| lines.end <= wide.start);
    lost[first..].iter().take_while(|lines| lines.start < wide.end).any(|lines| !lines.is_empty())
}

fn body(bytes: &[u8]) -> Option<Vec<u8>> {
    Text::decode(bytes).map(|text| text.body.into_owned())
}

/// Tells whether a text whose blocks hold together by colons and levels does not any more.
fn tears(before: &[u8], after: &[u8]) -> bool {
    tear(before).is_none() && tear(after).is_some()
}

/// The lines that a site put into an edit, indented as they would be in the base: a site that re-indents a file, or a
/// part of it, does so with what it puts there, too. The nearest line that both have tells.
fn as_in_base(base: &[Line<'_>], site: &[Line<'_>], edit: &Edit) -> Vec<u8> {
    let (start, end) = ((edit.old.start, edit.new.start), (edit.old.end, edit.new.end));
    let above = (1..=start.0.min(start.1)).map(|k| (start.0 - k, start.1 - k));
    let below = (end.0..base.len()).zip(end.1..site.len());
    let is_kept = |(i, j): &(usize, usize)| base[*i].trimmed() == site[*j].trimmed();
    let mut kept = above.take_while(is_kept).chain(below.take_while(is_kept)).filter(|(i, _)| !base[*i].is_blank());
    let pair = kept.next().map(|(i, j)| [base[i].indent(), site[j].indent()]);
    let Some([own, theirs]) = pair.filter(|[own, theirs]| own != theirs) else {
        return joined(&site[edit.new.clone()]);
    };
    let (form, written) = (Form::of(base), Form::of(site));
    let indent = |line: &Line<'_>| match line.indent().strip_prefix(theirs) {
        Some(deeper) => [own, &form.write(written.measure(deeper))].concat(),
        None => {
            let (at, is) = (written.measure(theirs).levels, written.measure(line.indent()));
            let levels = (form.measure(own).levels + is.levels).saturating_sub(at);
            form.write(Indent { levels, rest: is.rest })
        }
    };
    let rewritten = |line: &Line<'_>| {
        let indent = if line.is_blank() { Vec::new() } else { indent(line) };
        [&indent, line.content.trim_ascii_start(), line.end.bytes()].concat()
    };
    site[edit.new.clone()].iter().flat_map(rewritten).collect()
}

/// Replaces some lines of a text; the line ends of the text stay, also where they are not all the same, or the last line
/// has none.
pub(crate) fn replace_lines(text: &[u8], spots: &mut [Spot]) -> Option<Vec<u8>> {
    let decoded = Text::decode(text)?;
    let lines = split_lines(&decoded.body);
    let end = crate::text::Form::of(&lines).line_end;
    spots.sort_by_key(|(r, _)| r.start);
    let mut written: Vec<(&[u8], LineEnd)> = Vec::with_capacity(lines.len());
    let mut at = 0;
    for (range, new) in spots.iter() {
        written.extend(lines[at..range.start].iter().map(|line| (line.content, line.end)));
        let ends: HashMap<&[u8], LineEnd> =
            lines[range.clone()].iter().map(|line| (line.content, line.end)).collect();
        let new = split_lines(new).into_iter();
        written.extend(new.map(|line| (line.content, ends.get(line.content).copied().unwrap_or(end))));
        at = range.end;
    }
    written.extend(lines[at..].iter().map(|line| (line.content, line.end)));
    let mut out = Vec::with_capacity(text.len());
    let last = written.len().saturating_sub(1);
    let is_closed = lines.last().is_none_or(|line| line.end != LineEnd::None);
    for (k, (content, own)) in written.into_iter().enumerate() {
        out.extend_from_slice(content);
        let own = match own {
            _ if k == last && !is_closed => LineEnd::None,
            LineEnd::None => end,
            _ => own,
        };
        out.extend_from_slice(own.bytes());
    }
    Text::encode(out, decoded.encoding)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn replaced_lines_end_as_those_of_the_text_do() {
        let replaced = |text: &str, lines: Range<usize>, new: &str| {
            let text = replace_lines(text.as_bytes(), &mut [(lines, new.into())]).expect("text");
            String::from_utf8(text).expect("UTF-8")
        };
        assert_eq!(replaced("a\r\nb\rc\r\n", 0..2, "own\nb\n"), "own\r\nb\rc\r\n");
        assert_eq!(replaced("a\nb", 1..2, "own\nb\n"), "a\nown\nb");
        assert_eq!(replaced("a\nb", 2..2, "own\n"), "a\nb\nown");
        assert_eq!(replaced("a\nb", 0..1, "own"), "own\nb");
    }
}
