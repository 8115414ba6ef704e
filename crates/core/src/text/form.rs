//! How a file is written: line ends, indentation, final newline. Properties, not differences to fight over.

use super::{Line, LineEnd};

/// What one level of indentation is in a file.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum IndentUnit {
    /// One tab.
    Tab,
    /// So many spaces (at least one).
    Spaces(usize),
}

impl IndentUnit {
    /// Returns the bytes of `levels` levels of indentation.
    pub fn bytes(self, levels: usize) -> Vec<u8> {
        match self {
            IndentUnit::Tab => vec![b'\t'; levels],
            IndentUnit::Spaces(n) => vec![b' '; n * levels],
        }
    }
}

/// The indentation of one line, measured in its own file's unit.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Indent {
    /// Whole levels.
    pub levels: usize,
    /// Spaces beyond the last whole level (alignment).
    pub rest: usize,
}

/// How a file is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Form {
    /// The most frequent line end; [`LineEnd::Lf`] where a file has none.
    pub line_end: LineEnd,
    /// The indentation unit; two spaces where a file does not tell.
    pub unit: IndentUnit,
    /// Whether the unit was seen often enough in the file to be sure.
    pub unit_known: bool,
    /// Whether the last line has a line end. `true` for an empty file.
    pub final_newline: bool,
}

impl Form {
    /// Reads the form of a file from its lines.
    pub fn of(lines: &[Line<'_>]) -> Self {
        let mut ends = [0usize; 3];
        let mut tabs = 0usize;
        let mut steps = [0usize; 9];
        // How many indented lines are a multiple of each unit deep, but for remarks that go on; and how many there are.
        let mut multiples = [0usize; 9];
        let mut told = 0usize;
        let mut previous = 0usize;
        let mut indented = 0usize;
        for line in lines {
            match line.end {
                LineEnd::Lf => ends[0] += 1,
                LineEnd::CrLf => ends[1] += 1,
                LineEnd::Cr => ends[2] += 1,
                LineEnd::None => {}
            }
            let indent = line.indent();
            if indent.len() == line.content.len() {
                continue;
            }
            if indent.first() == Some(&b'\t') {
                tabs += 1;
            } else {
                indented += usize::from(indent.len() > 1);
                if indent.len() > 1 && line.content[indent.len()] != b'*' {
                    told += 1;
                    (2..=8).for_each(|unit| multiples[unit] += usize::from(indent.len() % unit == 0));
                }
                let step = indent.len().abs_diff(previous);
                // A comment's continuation lines (` * text`) are off by one and tell nothing.
                if (2..=8).contains(&step) {
                    steps[step] += 1;
                }
                previous = indent.len();
            }
        }
        let line_end = if ends[1] > ends[0] && ends[1] >= ends[2] {
            LineEnd::CrLf
        } else if ends[2] > ends[0] {
            LineEnd::Cr
        } else {
            LineEnd::Lf
        };
        let spaces: usize = steps.iter().sum();
        // One indented line tells nothing for sure.
        let (unit, unit_known) = if tabs > spaces {
            (IndentUnit::Tab, tabs > 1)
        } else if spaces > 0 {
            // On a tie the smaller step: the larger ones are several levels closing at once. What only lines are aligned
            // by that go on with the one above is no unit.
            let is_unit = |n: usize| steps[n] > 0 && multiples[n] * 2 >= told;
            let best = (2..=8).max_by_key(|n| (is_unit(*n), steps[*n], std::cmp::Reverse(*n))).unwrap_or(2);
            (IndentUnit::Spaces(best), indented > 1)
        } else {
            (IndentUnit::Spaces(2), false)
        };
        let final_newline = lines.last().is_none_or(|l| l.end != LineEnd::None);
        Form { line_end, unit, unit_known, final_newline }
    }

    /// Measures leading blanks in this file's unit.
    pub fn measure(&self, indent: &[u8]) -> Indent {
        let width = match self.unit {
            IndentUnit::Tab => 4,
            IndentUnit::Spaces(n) => n,
        };
        let tabs = indent.iter().filter(|b| **b == b'\t').count();
        let spaces = indent.len() - tabs;
        match self.unit {
            IndentUnit::Tab => Indent { levels: tabs + spaces / width, rest: spaces % width },
            IndentUnit::Spaces(n) => Indent { levels: tabs + spaces / n, rest: spaces % n },
        }
    }

    /// Writes an indentation in this file's unit.
    pub fn write(&self, indent: Indent) -> Vec<u8> {
        let mut out = self.unit.bytes(indent.levels);
        out.extend(std::iter::repeat_n(b' ', indent.rest));
        out
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::text::split_lines;

    fn form(text: &str) -> Form {
        Form::of(&split_lines(text.as_bytes()))
    }

    #[test]
    fn the_unit_is_the_most_frequent_step() {
        assert_eq!(form("a\n    b\n        c\n    d\n").unit, IndentUnit::Spaces(4));
        assert_eq!(form("a\n\tb\n\t\tc\n").unit, IndentUnit::Tab);
        assert_eq!(form("/**\n * one\n * two\n */\na {\n  b\n}\n").unit, IndentUnit::Spaces(2));
        assert!(!form("a\nb\n").unit_known);
        let remarks = "  /**\n   * one\n   * two\n   * three\n   */\n".repeat(3);
        assert_eq!(form(&format!("a {{\n{remarks}  b\n}}\n")).unit, IndentUnit::Spaces(2));
        let aligned = "run(one,\n            two)\n    ";
        assert_eq!(form(&format!("a:\n    {}b\n", aligned.repeat(3))).unit, IndentUnit::Spaces(4));
    }

    #[test]
    fn an_indentation_is_rewritten_in_another_unit() {
        let (tabs, four) = (form("a\n\tb\n"), form("a\n    b\n"));
        assert_eq!(four.write(tabs.measure(b"\t\t")), b"        ");
        assert_eq!(tabs.write(four.measure(b"      ")), b"\t  ");
    }

    #[test]
    fn the_dominant_line_end_wins() {
        assert_eq!(form("a\r\nb\r\nc\n").line_end, LineEnd::CrLf);
        assert_eq!(form("").line_end, LineEnd::Lf);
        assert!(!form("a\nb").final_newline);
    }
}
