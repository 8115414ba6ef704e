//! A release whose lines were cut at other places, as a formatter does: tags and calls spread over lines or joined, rules
//! of a style sheet on one line or opened.

use daxle_core::theme::Kind;

use super::{Case, Dice, Language, indent, planted};

/// A tag, rule or call with so many parts is spread, and one with so few joined.
const SPREAD: usize = 2;
const JOINED: usize = 4;

pub(super) fn recut(dice: &mut Dice, old: &str, new: &str, language: Language) -> Option<Case> {
    if old.contains('\r') || new.contains('\r') || language.by_indent {
        return None;
    }
    let case = planted::any(dice, old, new, language)?;
    let cuts: [fn(&str) -> String; 2] = match language.kind {
        Kind::Template => [spread_tags, join_tags],
        Kind::Style => [close_rules, open_rules],
        Kind::Script => [spread_calls, join_calls],
        _ => return None,
    };
    let cut = cuts[dice.roll(2)];
    let (release, answer) = (cut(&case.release), cut(&case.answer));
    // The site's edit has to be cut like the rest, and something has to be.
    let lines = |text: &str| text.lines().count() as isize;
    let grown = lines(&release) - lines(&case.release);
    (grown != 0 && grown == lines(&answer) - lines(&case.answer)).then_some(Case { release, answer, ..case })
}

fn each_line(text: &str, mut write: impl FnMut(&str) -> Option<String>) -> String {
    text.split_inclusive('\n')
        .map(|line| {
            let bare = line.strip_suffix('\n').unwrap_or(line);
            write(bare).map_or_else(|| line.to_owned(), |new| new + &line[bare.len()..])
        })
        .collect()
}

fn deeper(lead: &str) -> String {
    lead.to_owned() + if lead.starts_with('\t') { "\t" } else { "  " }
}

/// The parts of a start tag that begins a text: its name, its attributes, and what is behind them.
fn tag(text: &str) -> Option<(&str, Vec<&str>, &str)> {
    let name = text.strip_prefix('<')?.split([' ', '>', '/']).next().filter(|n| !n.is_empty())?;
    if !name.chars().all(|c| c.is_ascii_alphanumeric() || c == '-') {
        return None;
    }
    let (mut rest, mut attributes) = (&text[name.len() + 1..], Vec::new());
    while let Some(attribute) = rest.strip_prefix(' ') {
        let (label, value) = attribute.split_once("=\"")?;
        if !label.chars().all(|c| c.is_ascii_alphanumeric() || c == '-' || c == ':') {
            break;
        }
        let length = label.len() + 2 + value.find('"')? + 1;
        attributes.push(&attribute[..length]);
        rest = &attribute[length..];
    }
    (rest.starts_with('>') || rest.starts_with("/>")).then_some((name, attributes, rest))
}

fn spread_tags(text: &str) -> String {
    each_line(text, |line| {
        let lead = indent(line);
        let (name, attributes, rest) = tag(&line[lead.len()..])?;
        let next = format!("\n{}", deeper(lead));
        (attributes.len() >= SPREAD).then(|| format!("{lead}<{name}{next}{}{rest}", attributes.join(&next)))
    })
}

/// Joins some lines where the first begins and the last ends as told, with no more than a few between.
fn join(
    text: &str,
    begins: impl Fn(&str) -> bool,
    goes_on: impl Fn(&str) -> bool,
    ends: impl Fn(&str) -> bool,
    write: impl Fn(&[&str]) -> String,
) -> String {
    let lines: Vec<&str> = text.lines().collect();
    let (mut out, mut at) = (String::new(), 0);
    while at < lines.len() {
        let last = (at + 1..lines.len().min(at + JOINED + 2)).find(|k| !goes_on(lines[*k].trim()));
        match last.filter(|k| begins(lines[at].trim()) && ends(lines[*k].trim())) {
            Some(last) => {
                out += &(write(&lines[at..=last]) + "\n");
                at = last + 1;
            }
            None => {
                out += &(lines[at].to_owned() + "\n");
                at += 1;
            }
        }
    }
    if !text.ends_with('\n') {
        out.pop();
    }
    out
}

fn is_attribute(text: &str) -> bool {
    tag(&format!("<x {text}>")).is_some_and(|(_, attributes, _)| attributes.len() == 1)
}

fn join_tags(text: &str) -> String {
    let begins = |line: &str| tag(&format!("{line}>")).is_some();
    let ends = |line: &str| {
        let bare = line.trim_end_matches(['>', '/']);
        bare.len() < line.len() && is_attribute(bare.trim_end())
    };
    join(text, begins, is_attribute, ends, |lines| {
        let rest: Vec<&str> = lines[1..].iter().map(|line| line.trim()).collect();
        format!("{} {}", lines[0].trim_end(), rest.join(" "))
    })
}

fn is_declaration(line: &str) -> bool {
    line.ends_with(';') && line.contains(": ") && !line.contains(['{', '}', '/', '*', '#'])
}

/// Writes rules of few declarations on one line each.
fn close_rules(text: &str) -> String {
    let begins = |line: &str| line.ends_with(" {") && !line.starts_with('@') && !line.contains("/*");
    join(
        text,
        begins,
        is_declaration,
        |line| line == "}",
        |lines| {
            let rest: Vec<&str> = lines[1..].iter().map(|line| line.trim()).collect();
            format!("{} {}", lines[0], rest.join(" "))
        },
    )
}

/// Opens rules that are written on one line.
fn open_rules(text: &str) -> String {
    each_line(text, |line| {
        let lead = indent(line);
        let (selector, body) = line.strip_suffix('}')?.split_once('{')?;
        let declarations: Vec<&str> = body.split_inclusive(';').map(str::trim).filter(|d| !d.is_empty()).collect();
        let next = format!("\n{}", deeper(lead));
        declarations
            .iter()
            .all(|d| is_declaration(d))
            .then(|| format!("{} {{{next}{}\n{lead}}}", selector.trim_end(), declarations.join(&next)))
    })
}

fn is_argument(text: &str) -> bool {
    !text.is_empty() && text.chars().all(|c| c.is_ascii_alphanumeric() || "_.$'\"-".contains(c))
}

fn spread_calls(text: &str) -> String {
    each_line(text, |line| {
        let lead = indent(line);
        let (call, arguments) = line.strip_suffix(");")?.split_once('(')?;
        let arguments: Vec<&str> = arguments.split(", ").collect();
        let next = format!("\n{}", deeper(lead));
        (arguments.len() >= SPREAD && arguments.iter().all(|a| is_argument(a)))
            .then(|| format!("{call}({next}{}\n{lead});", arguments.join(&format!(",{next}"))))
    })
}

fn join_calls(text: &str) -> String {
    let listed = |line: &str| is_argument(line.trim_end_matches(','));
    join(
        text,
        |line| line.ends_with('('),
        listed,
        |line| line == ");",
        |lines| {
            let rest: Vec<&str> = lines[1..lines.len() - 1].iter().map(|line| line.trim()).collect();
            format!("{}{});", lines[0].trim_end(), rest.join(" ").trim_end_matches(','))
        },
    )
}
