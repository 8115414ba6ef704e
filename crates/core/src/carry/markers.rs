//! Reading conflict markers back: where the blocks of a file are, and which lines of markers belong to none.

use std::ops::Range;

use crate::text::{Line, split_lines};

pub(crate) const OPEN: &[u8] = b"<<<<<<< site";
pub(crate) const BASE: &[u8] = b"||||||| base";
pub(crate) const MIDDLE: &[u8] = b"=======";
pub(crate) const CLOSE: &[u8] = b">>>>>>> release";

/// A conflict block in a file: its lines, and the lines of its three parts.
pub(crate) struct Block {
    pub(crate) all: Range<usize>,
    pub(crate) site: Range<usize>,
    pub(crate) base: Range<usize>,
    pub(crate) release: Range<usize>,
}

/// Reads the conflict blocks of a file, and the lines of markers that belong to none.
pub(crate) fn blocks(lines: &[Line<'_>]) -> (Vec<Block>, Vec<usize>) {
    let (mut out, mut stray) = (Vec::new(), Vec::new());
    let find = |from: usize, mark: &[u8]| {
        (from..lines.len()).take_while(|k| lines[*k].content != OPEN).find(|k| {
            let line = lines[*k].content;
            if mark == CLOSE { line.starts_with(mark) } else { line == mark }
        })
    };
    let mut k = 0;
    while k < lines.len() {
        let line = lines[k].content;
        if line == OPEN
            && let Some(base) = find(k + 1, BASE)
            && let Some(middle) = find(base + 1, MIDDLE)
            && let Some(close) = find(middle + 1, CLOSE)
        {
            out.push(Block {
                all: k..close + 1,
                site: k + 1..base,
                base: base + 1..middle,
                release: middle + 1..close,
            });
            k = close + 1;
            continue;
        }
        if line == OPEN || line == BASE || line.starts_with(CLOSE) {
            stray.push(k);
        }
        k += 1;
    }
    (out, stray)
}

/// Lines compared blind to their ends and blanks at both ends.
pub(crate) fn same_lines(a: &[Line<'_>], b: &[u8]) -> bool {
    let b = split_lines(b);
    a.len() == b.len() && a.iter().zip(&b).all(|(x, y)| x.trimmed() == y.trimmed())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn whole_blocks_are_read_and_stray_marks_told() {
        let text = "a\n<<<<<<< site\ns\n||||||| base\nb\n=======\nr\n>>>>>>> release 2.0\nc\n<<<<<<< site\nx\n||||||| base\n";
        let lines = split_lines(text.as_bytes());
        let (found, stray) = blocks(&lines);
        assert_eq!(found.len(), 1);
        let block = &found[0];
        assert_eq!((block.all.clone(), block.site.clone()), (1..8, 2..3));
        assert_eq!((block.base.clone(), block.release.clone()), (4..5, 6..7));
        assert_eq!(stray, [9, 11]);
        // A line of equal signs alone is content.
        assert!(blocks(&split_lines(b"Title\n=======\n")).1.is_empty());
        assert!(same_lines(&lines[2..3], b"  s \r\n") && !same_lines(&lines[2..3], b"s\nt\n"));
    }
}
