//! Blocks whose first line the site took out, while it left what stood in them.
//!
//! What stood in such a block, and what the release put there since, stands then in whatever block is above it. That
//! cannot be told from the parents of the single lines. So the first lines are put back, for the look at where each
//! line stands, where the lines that lost them come to stand where the site has them.

use std::collections::{BTreeMap, HashMap, HashSet};

use super::tree::Tree;
use crate::diff::kept_pairs;
use crate::merge::align::line_edits;
use crate::merge::out::Source;
use crate::merge::placed::Placed;
use crate::text::key::Blanks;
use crate::text::split_lines;

/// The first line of a block that the site took out.
struct Head {
    /// In the base and in the release.
    base: usize,
    release: usize,
    /// Before which line of the site it stood.
    site: usize,
    /// The line of the site in whose block the lines stand now that stood in its own.
    parent: Option<usize>,
}

/// Returns the result and the site with the first lines of blocks put back that the site took out; none where there
/// are none, or where what stood in such a block comes to stand in another than in the site.
pub(super) fn put_back(result: &Placed, [base, site, release]: [&[u8]; 3]) -> Option<(Placed, Vec<u8>)> {
    let (base_tree, release_tree) = (Tree::of(base), Tree::of(release));
    let heads = heads([base, site, release], &base_tree)?;
    let [base_lines, site_lines, release_lines] = [base, site, release].map(split_lines);
    let result_lines = split_lines(&result.bytes);
    let tree = Tree::of(&result.bytes);

    let opens = |tree: &Tree| -> HashSet<usize> { tree.parents.iter().flatten().copied().collect() };
    let (base_opens, release_opens) = (opens(&base_tree), opens(&release_tree));
    let site_base: HashMap<usize, usize> =
        kept_pairs(&line_edits(base, site, Blanks::IndentIsMeaning), base_lines.len())
            .map(|(b, s)| (s, b))
            .collect();
    // A line that opened no block before has none now: what stands beneath it is where no block is.
    let opens_none_in_site = |line: Option<usize>| {
        line.is_none_or(|line| site_base.get(&line).is_some_and(|line| !base_opens.contains(line)))
    };
    let opens_none = |at: Option<usize>| {
        at.is_none_or(|at| result.sources[at].release.is_some_and(|line| !release_opens.contains(&line)))
    };
    // Where the heads stand in the result: before which line.
    let mut places: BTreeMap<usize, Vec<&Head>> = BTreeMap::new();
    for head in &heads {
        let within = |at: &usize| {
            let line = result.sources[*at].release;
            line.is_some_and(|line| release_tree.parents[line] == Some(head.release))
        };
        let mut lines = (0..result_lines.len()).filter(within).peekable();
        places.entry(*lines.peek()?).or_default().push(head);
        let as_in_site = |at: usize| {
            let parent = tree.parents[at];
            let same = parent.map(|at| result.sources[at].site) == head.parent.map(Some);
            same || opens_none_in_site(head.parent) && opens_none(parent)
        };
        if !lines.all(as_in_site) {
            return None;
        }
    }

    let shifted = |line: usize| line + heads.iter().filter(|head| head.site <= line).count();
    let mut placed =
        Placed { bytes: Vec::new(), sources: Vec::new(), asked: Vec::new(), lines: Vec::new(), spots: Vec::new() };
    let mut spots = result.spots.iter().peekable();
    for (at, line) in result_lines.iter().enumerate() {
        while spots.next_if(|spot| **spot <= at).is_some() {
            placed.spots.push(placed.lines.len());
        }
        for head in places.get(&at).into_iter().flatten() {
            placed.bytes.extend([release_lines[head.release].content, b"\n"].concat());
            let own = heads.iter().take_while(|other| other.base < head.base).count() + head.site;
            placed.sources.push(Source { base: Some(head.base), site: Some(own), release: Some(head.release) });
            placed.asked.push(false);
            placed.lines.push(result.lines[at]);
        }
        placed.bytes.extend([line.content, b"\n"].concat());
        let source = result.sources[at];
        placed.sources.push(Source { site: source.site.map(shifted), ..source });
        placed.asked.push(result.asked[at]);
        placed.lines.push(result.lines[at]);
    }
    let mut with_heads = Vec::new();
    for (at, line) in site_lines.iter().enumerate() {
        for head in heads.iter().filter(|head| head.site == at) {
            with_heads.extend([base_lines[head.base].content, b"\n"].concat());
        }
        with_heads.extend([line.content, b"\n"].concat());
    }
    Some((placed, with_heads))
}

/// The first lines that the site took out of blocks that it kept lines of, in order; none where there are none, or
/// where one is gone from the release, or the lines of one stand in several blocks now.
fn heads([base, site, release]: [&[u8]; 3], tree: &Tree) -> Option<Vec<Head>> {
    let edits = line_edits(base, site, Blanks::IndentIsMeaning);
    let count = tree.parents.len();
    let in_site: HashMap<usize, usize> = kept_pairs(&edits, count).collect();
    let in_release: HashMap<usize, usize> =
        kept_pairs(&line_edits(base, release, Blanks::IndentIsMeaning), count).collect();
    let site_tree = Tree::of(site);
    let mut heads: BTreeMap<usize, Head> = BTreeMap::new();
    for (line, own) in (0..count).filter_map(|line| Some((line, *in_site.get(&line)?))) {
        let Some(head) = tree.parents[line].filter(|head| !in_site.contains_key(head)) else { continue };
        let parent = site_tree.parents[own];
        let edit = edits.iter().find(|edit| edit.old.contains(&head)).filter(|edit| edit.new.is_empty())?;
        let new = Head { base: head, release: *in_release.get(&head)?, site: edit.new.start, parent };
        if heads.entry(head).or_insert(new).parent != parent {
            return None;
        }
    }
    (!heads.is_empty()).then(|| heads.into_values().collect())
}
