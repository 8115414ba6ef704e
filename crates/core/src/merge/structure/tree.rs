//! The blocks of a text in which indentation is meaning.

use std::collections::HashSet;

use crate::text::split_lines;

/// One version's lines: which line opens the block that each stands in.
pub(super) struct Tree {
    pub(super) parents: Vec<Option<usize>>,
    /// Lines that end a block and stand at the level of none that is open.
    pub(super) ragged: HashSet<usize>,
    /// Tabs and spaces both indent.
    pub(super) mixed: bool,
}

impl Tree {
    pub(super) fn of(text: &[u8]) -> Self {
        Tree::with(text, Vec::new())
    }

    /// The tree of a text; `statements` tells which line each goes on with, if it does.
    pub(super) fn with(text: &[u8], statements: Vec<Option<usize>>) -> Self {
        let lines = split_lines(text);
        let mut parents = vec![None; lines.len()];
        let (mut tabs, mut spaces) = (false, false);
        let mut ragged = HashSet::new();
        // The open blocks: how far their first lines are indented, and which those are.
        let mut open: Vec<(usize, usize)> = Vec::new();
        for (at, line) in lines.iter().enumerate().filter(|(_, line)| !line.is_blank()) {
            let indent = line.indent();
            tabs |= indent.contains(&b'\t');
            spaces |= indent.starts_with(b"  ");
            if let Some(first) = statements.get(at).copied().flatten() {
                parents[at] = parents[first];
                continue;
            }
            let width = line.width();
            let mut level = None;
            while open.last().is_some_and(|(outer, _)| *outer >= width) {
                level = open.pop().map(|(level, _)| level);
            }
            if level.is_some_and(|level| level != width) {
                ragged.insert(at);
            }
            parents[at] = open.last().map(|(_, parent)| *parent);
            open.push((width, at));
        }
        Tree { parents, ragged, mixed: tabs && spaces }
    }

    /// Which lines open a block.
    pub(super) fn opens(&self) -> Vec<bool> {
        let mut opens = vec![false; self.parents.len()];
        self.parents.iter().flatten().for_each(|line| opens[*line] = true);
        opens
    }

    /// The blocks around a line, the innermost first. A last line that is empty and has no end is no line of the text,
    /// and in none.
    pub(super) fn around(&self, line: usize) -> impl Iterator<Item = usize> {
        let parent = |line: usize| self.parents.get(line).copied().flatten();
        std::iter::successors(parent(line), move |at| parent(*at))
    }
}
