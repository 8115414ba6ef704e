//! White space and line ends: form, not content.
//!
//! Lines are lined up blind to white space; here is decided how they are written. The release's form wins,
//! unless only the site changed it on purpose: a block that the site wrapped and so indented deeper keeps its
//! depth, whatever the release has put there since.

use std::borrow::Cow;
use std::collections::BTreeSet;
use std::ops::Range;

use super::align::{Side, units_differ};
use super::ops::{Link, Ops};
use crate::text::{Form, Indent, IndentUnit, Line};

/// What was reformatted as a whole.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Reformatted {
    site_unit: bool,
    release_unit: bool,
    release_trimmed: bool,
    site: bool,
    /// What base, site and release indent by.
    units: [IndentUnit; 3],
}

/// What a side put before each line that it wrapped.
struct Wrap {
    indent: Vec<u8>,
    /// As how many levels it counts: as one where it is none of the file's unit.
    levels: usize,
}

/// How the three versions are written, compared.
pub(crate) struct Forms {
    pub(crate) base: Form,
    pub(crate) site: Form,
    pub(crate) release: Form,
    /// The site indents by another unit than the base.
    pub(crate) site_unit_changed: bool,
    /// The release indents by another unit than the base.
    release_unit_changed: bool,
    /// The site reformatted the file as a whole: its white space is not a change.
    pub(crate) site_reformatted: bool,
    /// The release took the blanks at the ends of lines out.
    release_trimmed: bool,
    /// How the site indented all lines that it wrapped.
    wrap: Option<Wrap>,
    /// Base lines that both indented by as much, each for a wrap of its own: they stand deeper by the sum.
    wrapped_by_both: BTreeSet<usize>,
}

/// The lines that a side kept, blank ones left out.
fn kept_lines<'s, 'a>(
    base: &'s Side<'a>,
    side: &'s Side<'a>,
    ops: &'s Ops,
) -> impl Iterator<Item = (&'s Line<'a>, &'s Line<'a>)> {
    ops.links.iter().enumerate().filter_map(|(i, link)| match *link {
        Link::Kept(j) if !base.lines[i].is_blank() => Some((&base.lines[i], &side.lines[j])),
        _ => None,
    })
}

/// Tells whether a line goes on with a comment, aligned with its opening and not indented by the file's unit.
fn is_aligned(line: &Line<'_>) -> bool {
    line.trimmed().starts_with(b"*") && line.indent().len() % 2 == 1
}

/// Tells whether most of the indented lines that a side kept are indented otherwise.
fn mostly_reindented(base: &Side<'_>, side: &Side<'_>, ops: &Ops) -> bool {
    let (mut indented, mut changed) = (0usize, 0usize);
    for (b, s) in kept_lines(base, side, ops).filter(|(b, _)| !is_aligned(b)) {
        if !b.indent().is_empty() || !s.indent().is_empty() {
            indented += 1;
            changed += usize::from(b.indent() != s.indent());
        }
    }
    changed * 2 > indented
}

/// By what a side indented some lines deeper, and all others that it indented otherwise likewise: it wrapped them. Where
/// it indented most lines so, that tells only if some were not indented before: else it may have converted the file.
fn wrapped_by<'s>(base: &'s Side<'_>, side: &'s Side<'_>, ops: &'s Ops) -> Option<&'s [u8]> {
    let mut by = None;
    let (mut outermost, mut lines) = (false, 0);
    for (b, s) in kept_lines(base, side, ops).map(|(b, s)| (b.indent(), s.indent())).filter(|(b, s)| b != s) {
        let added = s.strip_suffix(b)?;
        if *by.get_or_insert(added) != added {
            return None;
        }
        outermost |= b.is_empty();
        lines += 1;
    }
    let is_wrap = |by: &&[u8]| outermost || lines > 1 && by.len() > 1 && !mostly_reindented(base, side, ops);
    by.filter(is_wrap)
}

/// Tells whether a side indents the file by another unit. A conversion leaves lines alone that are not indented.
fn is_converted(base: &Side<'_>, side: &Side<'_>, ops: &Ops) -> bool {
    units_differ(&base.form, &side.form)
        && mostly_reindented(base, side, ops)
        && wrapped_by(base, side, ops).is_none()
}

fn common_divisor(a: usize, b: usize) -> usize {
    if b == 0 { a } else { common_divisor(b, a % b) }
}

/// So many lines tell how the indentation of a whole file was converted.
const CONVERTED: usize = 2000;

/// Returns the units by which most lines that a side kept have as many levels there as in the base: what each version
/// alone tells of its unit may be off by a factor. `base_units` are those that the base's may be.
fn converted_units(
    base: &Side<'_>,
    side: &Side<'_>,
    ops: &Ops,
    base_units: &[IndentUnit],
) -> (IndentUnit, IndentUnit) {
    let indents: Vec<(&[u8], &[u8])> = kept_lines(base, side, ops)
        .filter(|(b, s)| !(is_aligned(b) || b.indent().is_empty() && s.indent().is_empty()))
        .map(|(b, s)| (b.indent(), s.indent()))
        .take(CONVERTED)
        .collect();
    let fit = |(ours, theirs): (IndentUnit, IndentUnit)| {
        let (ours, theirs) = (Form { unit: ours, ..base.form }, Form { unit: theirs, ..side.form });
        indents.iter().filter(|(b, s)| ours.measure(b) == theirs.measure(s)).count()
    };
    let mut best = (base_units[0], side.form.unit);
    let mut most = fit(best);
    // A unit of which fewer lines are a multiple is none that the file is written in: the lines were wrapped as well.
    let multiples = |unit: IndentUnit| {
        let form = Form { unit, ..side.form };
        side.lines.iter().filter(|line| form.measure(line.indent()).rest == 0).count()
    };
    let told = multiples(side.form.unit);
    let side_units: Vec<_> =
        units_like(side.form.unit).into_iter().filter(|unit| multiples(*unit) >= told).collect();
    for pair in base_units.iter().flat_map(|ours| side_units.iter().map(|theirs| (*ours, *theirs))) {
        let lines = fit(pair);
        if lines > most {
            (best, most) = (pair, lines);
        }
    }
    best
}

/// The units that a file may have that seems to have one: the likely one first.
fn units_like(unit: IndentUnit) -> Vec<IndentUnit> {
    match unit {
        IndentUnit::Tab => vec![unit],
        IndentUnit::Spaces(_) => std::iter::once(unit).chain((1..=8).map(IndentUnit::Spaces)).collect(),
    }
}

/// The stretches of lines that were shifted by the same number of levels, and not by none.
fn runs(shifts: impl Iterator<Item = isize>) -> Vec<Range<usize>> {
    let mut out: Vec<Range<usize>> = Vec::new();
    let mut last = 0;
    for (at, shift) in shifts.enumerate() {
        match out.last_mut() {
            Some(run) if shift != 0 && shift == last => run.end = at + 1,
            _ if shift != 0 => out.push(at..at + 1),
            _ => {}
        }
        last = shift;
    }
    out
}

/// Tells whether a side took out most of the blanks that the base has at the ends of lines.
fn mostly_trimmed(base: &Side<'_>, side: &Side<'_>, ops: &Ops) -> bool {
    let (mut trailing, mut trimmed) = (0usize, 0usize);
    for (_, s) in kept_lines(base, side, ops).filter(|(b, _)| b.content != b.content.trim_ascii_end()) {
        trailing += 1;
        trimmed += usize::from(s.content.ends_with(s.trimmed()));
    }
    trimmed * 5 > trailing * 4
}

impl Forms {
    pub(crate) fn new(
        base: &Side<'_>,
        site: &Side<'_>,
        release: &Side<'_>,
        site_ops: &Ops,
        release_ops: &Ops,
        keep_blanks: bool,
        whole: Option<Reformatted>,
    ) -> Self {
        let mut forms = Forms {
            base: base.form,
            site: site.form,
            release: release.form,
            site_unit_changed: is_converted(base, site, site_ops),
            release_unit_changed: is_converted(base, release, release_ops),
            site_reformatted: false,
            release_trimmed: mostly_trimmed(base, release, release_ops),
            wrap: None,
            wrapped_by_both: BTreeSet::new(),
        };
        if let Some(whole) = whole {
            // A stretch of a file is written as the whole is.
            forms.site_unit_changed = whole.site_unit;
            forms.release_unit_changed = whole.release_unit;
            forms.site_reformatted = whole.site;
            forms.release_trimmed = whole.release_trimmed;
            [forms.base.unit, forms.site.unit, forms.release.unit] = whole.units;
            return forms.with_both_wrapped(base, (site, site_ops), (release, release_ops));
        }
        let mut base_units = units_like(base.form.unit);
        if forms.site_unit_changed {
            (forms.base.unit, forms.site.unit) = converted_units(base, site, site_ops, &base_units);
            base_units = vec![forms.base.unit];
        }
        if forms.release_unit_changed {
            (forms.base.unit, forms.release.unit) = converted_units(base, release, release_ops, &base_units);
        }
        forms.share_units();
        let wrap = wrapped_by(base, site, site_ops);
        if !forms.site_unit_changed && !forms.release_unit_changed {
            forms.measure_wraps([wrap, wrapped_by(base, release, release_ops)]);
        }
        if let Some(indent) = wrap.filter(|_| !forms.site_unit_changed) {
            let levels = forms.base.measure(indent).levels.max(1);
            forms.wrap = Some(Wrap { indent: indent.to_vec(), levels });
        }
        forms.site_reformatted =
            !keep_blanks && (forms.site_unit_changed || forms.mostly_respaced(kept_lines(base, site, site_ops)));
        forms.with_both_wrapped(base, (site, site_ops), (release, release_ops))
    }

    /// Finds the base lines that both sides indented by as much where they did not do the same: the stretches that
    /// they indented are not the same, and one begins behind lines that its side put there, as a wrap does.
    fn with_both_wrapped(
        mut self,
        base: &Side<'_>,
        (site, site_ops): (&Side<'_>, &Ops),
        (release, release_ops): (&Side<'_>, &Ops),
    ) -> Self {
        let kept = |i: usize| match (site_ops.links[i], release_ops.links[i]) {
            (Link::Kept(s), Link::Kept(r)) if !base.lines[i].is_blank() => Some((i, s, r)),
            _ => None,
        };
        let lines: Vec<(usize, usize, usize)> = (0..base.lines.len()).filter_map(kept).collect();
        let shifts: Vec<(isize, isize)> = lines
            .iter()
            .map(|&(i, s, r)| {
                let line = &base.lines[i];
                (self.site_shift(line, &site.lines[s]), self.release_shift(line, &release.lines[r]))
            })
            .collect();
        if shifts.iter().all(|(s, r)| *s <= 0 || s != r) {
            return self;
        }
        let of_site = runs(shifts.iter().map(|(s, _)| *s));
        let of_release = runs(shifts.iter().map(|(_, r)| *r));
        let wraps = |side: &Side<'_>, ops: &Ops, run: &Range<usize>| {
            ops.puts_above(&base.lines, &side.lines, lines[run.start].0)
        };
        for s in &of_site {
            let from = of_release.partition_point(|r| r.end <= s.start);
            for r in of_release[from..].iter().take_while(|r| r.start < s.end) {
                let alike = shifts[s.start].0 == shifts[r.start].1;
                if s != r && alike && (wraps(site, site_ops, s) || wraps(release, release_ops, r)) {
                    let both = s.start.max(r.start)..s.end.min(r.end);
                    self.wrapped_by_both.extend(both.map(|k| lines[k].0));
                }
            }
        }
        self
    }

    /// Versions that did not change the unit are measured in one and the same, whatever each tells of itself.
    fn share_units(&mut self) {
        let mut same = vec![&mut self.base];
        if !self.site_unit_changed {
            same.push(&mut self.site);
        }
        if !self.release_unit_changed {
            same.push(&mut self.release);
        }
        let unit = same.iter().find(|form| form.unit_known).map_or(same[0].unit, |form| form.unit);
        same.into_iter().for_each(|form| form.unit = unit);
    }

    /// Where a side wrapped lines by so many columns, no matter the unit, levels are as small as that takes.
    fn measure_wraps(&mut self, wrapped_by: [Option<&[u8]>; 2]) {
        for columns in wrapped_by.into_iter().flatten().filter(|by| !by.contains(&b'\t')).map(<[u8]>::len) {
            for form in [&mut self.base, &mut self.site, &mut self.release] {
                if let IndentUnit::Spaces(unit) = form.unit {
                    form.unit = IndentUnit::Spaces(common_divisor(unit, columns));
                }
            }
        }
    }

    /// Tells whether a side spaced most of the lines that a tool would space otherwise: the indented ones and those
    /// with blanks at their end.
    fn mostly_respaced<'l, 'a: 'l>(&self, kept: impl Iterator<Item = (&'l Line<'a>, &'l Line<'a>)>) -> bool {
        let (mut spaced, mut changed) = (0usize, 0usize);
        for (b, s) in kept.filter(|(b, _)| !is_aligned(b)) {
            spaced += usize::from(b.trimmed() != b.content || s.trimmed() != s.content);
            changed += usize::from(b.content != s.content && self.site_shift(b, s) == 0);
        }
        changed * 5 > spaced * 4
    }

    /// What a merge of a part of the file must know.
    pub(crate) fn reformatted(&self) -> Reformatted {
        Reformatted {
            site_unit: self.site_unit_changed,
            release_unit: self.release_unit_changed,
            release_trimmed: self.release_trimmed,
            site: self.site_reformatted,
            units: [self.base.unit, self.site.unit, self.release.unit],
        }
    }

    /// By how many levels the site indents a line deeper than the base did.
    pub(crate) fn site_shift(&self, base: &Line<'_>, site: &Line<'_>) -> isize {
        let wraps = |wrap: &&Wrap| site.indent().strip_suffix(base.indent()) == Some(&wrap.indent);
        if let Some(wrap) = self.wrap.as_ref().filter(wraps) {
            return wrap.levels as isize;
        }
        self.shift(base, (&self.site, self.site_unit_changed), site)
    }

    /// By how many levels the release does.
    pub(crate) fn release_shift(&self, base: &Line<'_>, release: &Line<'_>) -> isize {
        self.shift(base, (&self.release, self.release_unit_changed), release)
    }

    fn shift(&self, base: &Line<'_>, (form, unit_changed): (&Form, bool), line: &Line<'_>) -> isize {
        let (b, own) = (self.base.measure(base.indent()), form.measure(line.indent()));
        // In another unit alignment (a comment's ` * `, a line of spaces among tabs) may look like a level.
        let aligned = b.rest != own.rest || unit_changed && self.base.write(b) != base.indent();
        if aligned { 0 } else { own.levels as isize - b.levels as isize }
    }

    /// Tells whether white space that only the site changed follows the release.
    pub(crate) fn follows_release(&self) -> bool {
        self.site_reformatted
    }

    /// Returns the blanks at the end of a line that both changed.
    pub(crate) fn trail<'a>(&self, base: &Line<'_>, site: &Line<'a>, release: &Line<'a>) -> &'a [u8] {
        let follows = self.release_trimmed || self.site_reformatted || site.trail() == base.trail();
        if follows || release.trail() != base.trail() { release.trail() } else { site.trail() }
    }

    /// Returns a line from the site as it ends in the release's form.
    pub(crate) fn ended<'l>(&self, content: Cow<'l, [u8]>) -> Cow<'l, [u8]> {
        if !self.release_trimmed || content.last().is_none_or(|b| !b.is_ascii_whitespace()) {
            return content;
        }
        match content {
            Cow::Borrowed(line) => Cow::Borrowed(line.trim_ascii_end()),
            Cow::Owned(line) => Cow::Owned(line.trim_ascii_end().to_vec()),
        }
    }

    /// Returns how the `i`-th base line, which both sides kept, is written.
    pub(crate) fn kept_line<'a>(&self, i: usize, [base, site, release]: [&Line<'a>; 3]) -> Cow<'a, [u8]> {
        let (b, s, r) = (base.content, site.content, release.content);
        let shift = self.site_shift(base, site);
        // As deep by chance: for one it is a level more, for the other a larger unit.
        let alike_by_chance = || s == r && s != b && shift != self.release_shift(base, release);
        if self.wrapped_by_both.contains(&i) || alike_by_chance() {
            return self.shifted(release, shift);
        }
        if s == b || s == r {
            return Cow::Borrowed(r);
        }
        if r == b && shift != 0 && self.release_unit_changed && !self.site_unit_changed {
            return self.shifted(release, shift);
        }
        if r == b && (!self.follows_release() || (shift != 0 && !self.site_unit_changed)) {
            return Cow::Borrowed(s);
        }
        if base.is_blank() {
            return Cow::Borrowed(r);
        }
        self.shifted(release, shift)
    }

    /// By how many levels the site indents the `i`-th base line, if not just as the release does.
    pub(crate) fn own_shift(
        &self,
        i: usize,
        base: &Line<'_>,
        site: &Line<'_>,
        release: Option<&Line<'_>>,
    ) -> isize {
        let shift = self.site_shift(base, site);
        let alike =
            release.is_some_and(|line| line.indent() == site.indent() && self.release_shift(base, line) == shift);
        if alike && !self.wrapped_by_both.contains(&i) { 0 } else { shift }
    }

    /// Returns a line of the release, indented deeper by so many levels of the release's unit.
    pub(crate) fn shifted<'a>(&self, line: &Line<'a>, levels: isize) -> Cow<'a, [u8]> {
        if levels == 0 || line.is_blank() {
            return Cow::Borrowed(line.content);
        }
        let indent = line.indent();
        let as_wrapped = |wrap: &&Wrap| !self.release_unit_changed && wrap.levels as isize == levels;
        if let Some(wrap) = self.wrap.as_ref().filter(as_wrapped) {
            return Cow::Owned([wrap.indent.as_slice(), line.content].concat());
        }
        let measured = self.release.measure(indent);
        let wanted = Indent { levels: measured.levels.saturating_add_signed(levels), rest: measured.rest };
        let mut out = self.release.write(wanted);
        out.extend_from_slice(&line.content[indent.len()..]);
        Cow::Owned(out)
    }

    /// From and to which indentation lines of the site are taken, so that all that were not equally deep stay so where the
    /// result's surroundings are less deep than the site's by more than the least deep of the lines is.
    pub(crate) fn with_room(&self, lines: &[Line<'_>], from: Vec<u8>, to: Vec<u8>) -> (Vec<u8>, Vec<u8>) {
        let levels = |line: &&Line<'_>| self.site.measure(line.indent()).levels;
        let Some(least) = lines.iter().filter(|line| !line.is_blank()).min_by_key(levels) else {
            return (from, to);
        };
        let room = levels(&least) + self.release.measure(&to).levels;
        if room < self.site.measure(&from).levels { (least.indent().to_vec(), Vec::new()) } else { (from, to) }
    }

    /// Returns a line of the site as it is written in the result's surroundings: `from` and `to` are the
    /// indentation of one line nearby, on the site and in the result.
    pub(crate) fn fitted<'a>(&self, line: &Line<'a>, from: &[u8], to: &[u8]) -> Cow<'a, [u8]> {
        if line.is_blank() {
            return Cow::Borrowed(line.content);
        }
        let own = line.indent();
        // A line nearby that has the same tabs in both was not converted, whatever else was.
        let is_converted = self.site_unit_changed || self.release_unit_changed;
        if from == to && (!is_converted || from.starts_with(b"\t")) {
            return Cow::Borrowed(line.content);
        }
        let text = &line.content[own.len()..];
        // Behind what the release put before its lines, those that are deeper stay so.
        let put_before = to.ends_with(from) && !self.site_unit_changed && !self.release_unit_changed;
        let indent = if let Some(deeper) = own.strip_prefix(from).filter(|d| d.is_empty() || put_before) {
            [to, deeper].concat()
        } else {
            let (own, from, to) = (self.site.measure(own), self.site.measure(from), self.release.measure(to));
            let levels = (to.levels + own.levels).saturating_sub(from.levels);
            let rest = (to.rest + own.rest).saturating_sub(from.rest);
            self.release.write(Indent { levels, rest })
        };
        if indent == own {
            return Cow::Borrowed(line.content);
        }
        Cow::Owned([indent.as_slice(), text].concat())
    }
}
