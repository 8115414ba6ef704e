//! One side written in another form.

use super::{Case, Dice, Language, indent, planted};

/// A way to write a file.
#[derive(Clone, Copy)]
enum Form {
    /// So many spaces a level; none: tabs.
    Unit(usize),
    /// One level deeper, within a wrapper.
    Deeper,
    CarriageReturns,
    ByteOrderMark,
    Unended,
    /// Blanks at the ends of lines.
    Trailing,
}

const FORMS: [Form; 8] = [
    Form::Unit(0),
    Form::Unit(2),
    Form::Unit(4),
    Form::Unit(3),
    Form::Deeper,
    Form::CarriageReturns,
    Form::ByteOrderMark,
    Form::Unended,
];

impl Form {
    fn write(self, text: &str, unit: usize) -> String {
        match self {
            Form::Unit(width) => each_line(text, |line| {
                let lead = indent(line);
                let columns: usize = lead.chars().map(|c| if c == '\t' { unit } else { 1 }).sum();
                let level = if width == 0 { "\t".to_owned() } else { " ".repeat(width) };
                format!("{}{}{}", level.repeat(columns / unit), " ".repeat(columns % unit), &line[lead.len()..])
            }),
            Form::Deeper => {
                let lead = if text.contains("\n\t") { "\t".to_owned() } else { " ".repeat(unit) };
                let inner =
                    each_line(text, |line| if line.is_empty() { String::new() } else { format!("{lead}{line}") });
                format!("<wrapping>\n{inner}</wrapping>\n")
            }
            Form::CarriageReturns => text.replace('\n', "\r\n"),
            Form::ByteOrderMark => format!("\u{feff}{text}"),
            Form::Unended => text.trim_end_matches('\n').to_owned(),
            Form::Trailing => each_line(text, |line| format!("{line} ")),
        }
    }
}

fn each_line(text: &str, write: impl Fn(&str) -> String) -> String {
    text.lines().map(|line| write(line) + "\n").collect()
}

/// How many columns a level has: the smallest common indentation.
fn unit_of(text: &str) -> usize {
    let widths: Vec<usize> = text.lines().filter(|l| !l.trim().is_empty()).map(|l| indent(l).len()).collect();
    if text.contains("\n\t") {
        return 4;
    }
    let steps = |unit: usize| widths.iter().filter(|w| **w % unit == 0).count();
    if steps(4) * 20 >= widths.len() * 19 { 4 } else { 2 }
}

pub(super) fn reformatted(dice: &mut Dice, old: &str, new: &str, language: Language) -> Option<Case> {
    if old.contains('\r') {
        return None;
    }
    let case = planted::any(dice, old, new, language)?;
    let unit = unit_of(old);
    let mixed = |text: &str| text.lines().any(|l| indent(l).contains('\t') && indent(l).contains(' '));
    let form = FORMS[dice.roll(FORMS.len())];
    if language.by_indent && matches!(form, Form::Deeper) {
        return None;
    }
    let strip = Form::Trailing;
    if matches!(form, Form::Unit(_)) && (mixed(old) || mixed(new) || unit != unit_of(new)) {
        return None;
    }
    let also_ends = dice.roll(3) == 0 && !matches!(form, Form::CarriageReturns);
    let write = |text: &str| {
        let text = form.write(text, unit);
        if also_ends { Form::CarriageReturns.write(&text, unit) } else { text }
    };
    Some(match dice.roll(5) {
        // The release is reformatted.
        0 | 1 => Case { release: write(&case.release), answer: write(&case.answer), ..case },
        // The vendor strips the blanks at the ends of lines.
        2 if !old.contains(" \n") => {
            Case { base: strip.write(&case.base, unit), site: strip.write(&case.site, unit), ..case }
        }
        // The site is reformatted; a wrapper of its own would be an edit.
        _ if !matches!(form, Form::Deeper | Form::ByteOrderMark | Form::Unended) => {
            Case { site: write(&case.site), ..case }
        }
        _ => Case { release: write(&case.release), answer: write(&case.answer), ..case },
    })
}
