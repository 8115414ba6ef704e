//! Edits as sites make them, planted in one version and carried over the vendor's change to the next.

use std::collections::HashMap;

use daxle_core::merge::{balance, line_edits};
use daxle_core::text::key::Blanks;
use daxle_core::theme::Kind;

use super::{Case, Dice, Language, indent, longest_word, split};

/// Two versions of a file in lines, and the lines that both have once and in the same order.
pub(super) struct Ground<'t> {
    old: Vec<&'t str>,
    new: Vec<&'t str>,
    /// Per line of the old version, its place in the new one, where both have it once.
    place: Vec<Option<usize>>,
    /// The lines with a place, near a change of the vendor.
    near: Vec<usize>,
    language: Language,
}

impl<'t> Ground<'t> {
    pub(super) fn new(old: &'t str, new: &'t str, language: Language) -> Option<Self> {
        let edits = line_edits(old.as_bytes(), new.as_bytes(), Blanks::AreContent);
        // A lone carriage return ends a line, too, but not one of these.
        let as_told = |text: &str| daxle_core::text::split_lines(text.as_bytes()).len() == split(text).len();
        if !as_told(old) || !as_told(new) {
            return None;
        }
        let (old, new) = (split(old), split(new));
        // A twin that is only indented otherwise may be the one that the line became.
        let [in_old, in_new] = [&old, &new].map(|list| times(list));
        let once = |times: &HashMap<&str, usize>, line: &str| times.get(line.trim()) == Some(&1);
        let mut place: Vec<Option<usize>> = vec![None; old.len()];
        for (i, j) in daxle_core::diff::kept_pairs(&edits, old.len()) {
            let telling = old[i].trim().len() >= 6 && old[i] == new[j];
            place[i] = (telling && once(&in_old, old[i]) && once(&in_new, old[i])).then_some(j);
        }
        let beside = |i: &usize| edits.iter().any(|e| e.old.start <= i + 2 && *i <= e.old.end + 1);
        let near: Vec<usize> = (0..old.len()).filter(|i| place[*i].is_some()).filter(beside).collect();
        (!near.is_empty()).then_some(Ground { old, new, place, near, language })
    }

    fn pick(&self, dice: &mut Dice) -> (usize, usize) {
        let at = self.near[dice.roll(self.near.len())];
        (at, self.place[at].unwrap_or(0))
    }

    /// How many lines from `at` on, at most `most`, follow upon each other in both versions.
    fn run(&self, at: usize, most: usize) -> usize {
        let to = self.place[at].unwrap_or(0);
        (0..most).take_while(|k| self.place.get(at + k).copied().flatten() == Some(to + k)).count()
    }

    /// The case in which some lines of both versions are replaced.
    fn case(&self, old: (usize, usize), new: (usize, usize), put: [&[String]; 2]) -> Case {
        let [site, answer] =
            [(&self.old, old, put[0]), (&self.new, new, put[1])].map(|(lines, (from, len), put)| {
                [lines[..from].concat(), put.concat(), lines[from + len..].concat()].concat()
            });
        Case { base: self.old.concat(), site, release: self.new.concat(), answer }
    }

    /// Lines that a site would add, indented like a line.
    fn own_lines(&self, dice: &mut Dice, like: &str) -> Vec<String> {
        let lead = indent(like);
        let inner = if lead.contains('\t') { "\t" } else { "  " };
        let Language { kind, by_indent, .. } = self.language;
        let lines: &[&str] = match (kind, dice.roll(2)) {
            (Kind::Style, 0) if by_indent && lead.is_empty() => &[".own-mark", "\tcolor: teal"],
            (Kind::Style, _) if by_indent && lead.is_empty() => &["// own", ".own-mark", "\tcolor: teal"],
            (Kind::Style, _) if by_indent => &["outline: 3px solid teal"],
            (Kind::Template, 0) if by_indent => &["span.own-mark tide"],
            (Kind::Template, _) if by_indent => &["div.own-mark", "\tb tide"],
            (Kind::Settings, 0) if by_indent => &["own_mark: tide"],
            (Kind::Settings, _) if by_indent => &["own_mark:", "\tinner: tide"],
            (Kind::Settings, _) => &["own_mark = \"tide\""],
            (_, 0) if by_indent => &["own_call('tide')"],
            (_, _) if by_indent => &["if own_mark:", "\town_call('tide')"],
            (Kind::Style, 0) if lead.is_empty() => &[".own-mark {", "\tcolor: teal;", "}"],
            (Kind::Style, _) if lead.is_empty() => &["/* own */", ".own-mark { color: teal; }"],
            (Kind::Style, 0) => &["outline: 3px solid teal;"],
            (Kind::Style, _) => &["outline: 3px solid teal;", "scroll-margin: 9px;"],
            (Kind::Template, 0) => &["<span class=\"own-mark\">tide</span>"],
            (Kind::Template, _) => &["<div class=\"own-mark\">", "\t<b>tide</b>", "</div>"],
            (_, 0) => &["ownCall('tide');"],
            (_, _) => &["if (ownMark) {", "\townCall('tide');", "}"],
        };
        lines.iter().map(|line| format!("{lead}{}\n", line.replace('\t', inner))).collect()
    }
}

/// Any of the small edits.
pub(crate) fn any(dice: &mut Dice, old: &str, new: &str, language: Language) -> Option<Case> {
    let makers = [word, line, block, copy, attribute];
    makers[dice.roll(makers.len())](dice, old, new, language)
}

/// How often each line is there, but for the blanks around it.
fn times<'t>(lines: &[&'t str]) -> HashMap<&'t str, usize> {
    let mut times = HashMap::new();
    for line in lines {
        *times.entry(line.trim()).or_default() += 1;
    }
    times
}

/// A handful of edits in one file, one after the other, each with words of its own.
pub(super) fn several(dice: &mut Dice, old: &str, new: &str, language: Language) -> Option<Case> {
    let makers = [word, line, block, wrap, comment, copy, attribute, form];
    let mut out: Option<Case> = None;
    for letter in ["a", "b", "c", "d", "e", "f"] {
        let (site, answer) = out.as_ref().map_or((old, new), |case| (&case.site, &case.answer));
        let maker = makers[dice.roll(makers.len())];
        let Some(next) = maker(dice, site, answer, language) else { continue };
        let marked = |text: &str| {
            ["ownword", "own-mark", "ownMark", "own_mark", "ownCall", "own_call", "own-wrap"]
                .iter()
                .fold(text.to_owned(), |text, word| {
                    text.replace(word, &word.replacen("own", &format!("own{letter}"), 1))
                })
        };
        out = Some(Case {
            base: old.into(),
            site: marked(&next.site),
            release: new.into(),
            answer: marked(&next.answer),
        });
    }
    out
}

/// Quotes become the other sort, a semicolon at the end goes, or a sign within the line.
pub(super) fn form(dice: &mut Dice, old: &str, new: &str, language: Language) -> Option<Case> {
    let ground = Ground::new(old, new, language)?;
    let (at, to) = ground.pick(dice);
    let line = ground.old[at];
    let changed = [match dice.roll(4) {
        0 => line.replace('\'', "\""),
        1 => line.replace('"', "'"),
        2 => line.replacen(";\n", "\n", 1),
        _ => line.replacen([',', ':'], "", 1),
    }];
    (changed[0] != line).then(|| ground.case((at, 1), (to, 1), [&changed, &changed]))
}

/// A word becomes another.
pub(super) fn word(dice: &mut Dice, old: &str, new: &str, language: Language) -> Option<Case> {
    let ground = Ground::new(old, new, language)?;
    let (at, to) = ground.pick(dice);
    let line = ground.old[at];
    let changed = [line.replacen(&longest_word(line)?, "ownword", 1)];
    Some(ground.case((at, 1), (to, 1), [&changed, &changed]))
}

/// A line is inserted or taken out.
pub(super) fn line(dice: &mut Dice, old: &str, new: &str, language: Language) -> Option<Case> {
    let ground = Ground::new(old, new, language)?;
    let (at, to) = ground.pick(dice);
    if dice.roll(2) == 0 {
        return Some(ground.case((at, 1), (to, 1), [&[], &[]]));
    }
    // The other neighbour must be there too, or the place would be open.
    if at == 0 || to == 0 || ground.old[at - 1] != ground.new[to - 1] {
        return None;
    }
    let own = ground.own_lines(dice, ground.old[at]);
    Some(ground.case((at, 0), (to, 0), [&own, &own]))
}

/// A few lines are taken out, or replaced by others.
pub(super) fn block(dice: &mut Dice, old: &str, new: &str, language: Language) -> Option<Case> {
    let ground = Ground::new(old, new, language)?;
    let (at, to) = ground.pick(dice);
    let run = ground.run(at, 2 + dice.roll(3));
    if run < 2 {
        return None;
    }
    let put = if dice.roll(2) == 0 { Vec::new() } else { ground.own_lines(dice, ground.old[at]) };
    Some(ground.case((at, run), (to, run), [&put, &put]))
}

/// Some lines are wrapped and indented, with whatever the vendor has between them by now.
pub(super) fn wrap(dice: &mut Dice, old: &str, new: &str, language: Language) -> Option<Case> {
    let ground = Ground::new(old, new, language)?;
    let (at, to) = ground.pick(dice);
    let end = (at..old.len().min(at + 12)).rev().find(|k| ground.place.get(*k).copied().flatten().is_some())?;
    let new_end = ground.place[end]?;
    let (was, is) = (&ground.old[at..=end], ground.new.get(to..=new_end)?);
    let whole =
        |lines: &[&str]| balance(lines.concat().as_bytes(), language.kind == Kind::Template) == Default::default();
    let level = |lines: &[&str]| {
        lines.iter().filter(|l| !l.trim().is_empty()).all(|l| indent(l).starts_with(indent(lines[0])))
    };
    if was.len() < 2 || is.len() > 30 || ![was, is].iter().all(|lines| whole(lines) && level(lines)) {
        return None;
    }
    // Where indentation is meaning, a block ends where the next line stands no deeper than its first.
    let cut = |lines: &[&str], end: usize| {
        let next = lines[end + 1..].iter().find(|l| !l.trim().is_empty());
        next.is_some_and(|next| indent(next).len() > indent(was[0]).len())
    };
    if language.by_indent && (cut(&ground.old, end) || cut(&ground.new, new_end)) {
        return None;
    }
    let (opener, closer) = match (language.kind, language.by_indent) {
        (Kind::Template, false) => ("<div class=\"own-wrap\">", Some("</div>")),
        (Kind::Template, true) => ("div.own-wrap", None),
        (Kind::Style, false) => ("@media print {", Some("}")),
        (Kind::Style, true) => ("@media print", None),
        (_, false) => ("if (ownMark) {", Some("}")),
        (_, true) => ("if own_mark:", None),
    };
    let lead = indent(was[0]);
    let unit = if old.contains("\n\t") {
        "\t"
    } else if old.contains("\n  ") && !old.contains("\n    ") {
        "  "
    } else {
        "    "
    };
    let wrapped = |lines: &[&str]| -> Vec<String> {
        let inner = lines.iter().map(|l| if l.trim().is_empty() { (*l).to_owned() } else { format!("{unit}{l}") });
        let end = |text: &str| format!("{lead}{text}\n");
        std::iter::once(end(opener)).chain(inner).chain(closer.map(end)).collect()
    };
    Some(ground.case((at, was.len()), (to, is.len()), [&wrapped(was), &wrapped(is)]))
}

/// A line is commented out.
pub(super) fn comment(dice: &mut Dice, old: &str, new: &str, language: Language) -> Option<Case> {
    let ground = Ground::new(old, new, language)?;
    let (at, to) = ground.pick(dice);
    let line = ground.old[at];
    if line.contains("--") || line.contains("*/") {
        return None;
    }
    let (lead, text) = (indent(line), line.trim());
    let commented = [match language.kind {
        Kind::Template if !language.by_indent => format!("{lead}<!-- {text} -->\n"),
        Kind::Style => format!("{lead}/* {text} */\n"),
        _ if language.hash_remarks => format!("{lead}# {text}\n"),
        _ => format!("{lead}// {text}\n"),
    }];
    Some(ground.case((at, 1), (to, 1), [&commented, &commented]))
}

/// A line is copied below itself, and a word of the copy changed.
pub(super) fn copy(dice: &mut Dice, old: &str, new: &str, language: Language) -> Option<Case> {
    let ground = Ground::new(old, new, language)?;
    let (at, to) = ground.pick(dice);
    // The next line must be there too, or the place would be open.
    if at + 1 >= ground.old.len() || to + 1 >= ground.new.len() || ground.old[at + 1] != ground.new[to + 1] {
        return None;
    }
    let line = ground.old[at];
    let own = [line.replacen(&longest_word(line)?, "ownword", 1)];
    Some(ground.case((at + 1, 0), (to + 1, 0), [&own, &own]))
}

/// A tag gets an attribute or a class, a declaration another number; on a line that the vendor may have changed
/// elsewhere.
pub(super) fn attribute(dice: &mut Dice, old: &str, new: &str, language: Language) -> Option<Case> {
    let edits = line_edits(old.as_bytes(), new.as_bytes(), Blanks::AreContent);
    let (o, n) = (split(old), split(new));
    let changed: Vec<(usize, usize)> = edits
        .iter()
        .filter(|e| e.old.len() == e.new.len())
        .flat_map(|e| e.old.clone().zip(e.new.clone()))
        .filter(|(i, j)| daxle_core::catalog::similarity(o[*i].as_bytes(), n[*j].as_bytes()) >= 0.6)
        .collect();
    if changed.is_empty() {
        return None;
    }
    let (at, to) = changed[dice.roll(changed.len())];
    let (was, is) = match language.kind {
        Kind::Template if dice.roll(2) == 0 => added_attribute(o[at], n[to])?,
        Kind::Template => added_class(o[at], n[to])?,
        _ => added_comment(o[at], n[to], language)?,
    };
    let with = |lines: &[&str], at: usize, line: &str| [&lines[..at], &[line], &lines[at + 1..]].concat().concat();
    Some(Case { base: old.into(), site: with(&o, at, &was), release: new.into(), answer: with(&n, to, &is) })
}

/// The only opening tag of a line gets an attribute of its own as its first.
fn added_attribute(was: &str, is: &str) -> Option<(String, String)> {
    let name = |line: &str| -> Option<String> {
        let mut tags =
            line.match_indices('<').filter(|(k, _)| line[k + 1..].starts_with(|c: char| c.is_ascii_lowercase()));
        let (at, _) = tags.next().filter(|_| tags.next().is_none())?;
        let name: String = line[at + 1..].chars().take_while(char::is_ascii_alphanumeric).collect();
        line[at + 1 + name.len()..].starts_with(' ').then_some(name)
    };
    let tag = name(was)?;
    if name(is)? != tag {
        return None;
    }
    let add = |line: &str| line.replacen(&format!("<{tag} "), &format!("<{tag} data-own=\"tide\" "), 1);
    Some((add(was), add(is)))
}

/// The only class list of a line gets a class of its own in front.
fn added_class(was: &str, is: &str) -> Option<(String, String)> {
    let once = |line: &str| line.matches(" class=\"").count() == 1;
    let add = |line: &str| line.replacen(" class=\"", " class=\"own-mark ", 1);
    (once(was) && once(is)).then(|| (add(was), add(is)))
}

/// A remark at the end of a line.
fn added_comment(was: &str, is: &str, language: Language) -> Option<(String, String)> {
    let remark = match language.kind {
        Kind::Style => " /* own */",
        _ if language.hash_remarks => "  # own",
        _ => " // own",
    };
    let plain = |line: &str| {
        ["//", "/*", "# "].iter().all(|mark| !line.contains(mark)) && line.trim_end().ends_with([';', '{', ','])
    };
    let add = |line: &str| format!("{}{remark}\n", line.trim_end());
    (plain(was) && plain(is)).then(|| (add(was), add(is)))
}

/// Rules, calls or elements at the end of the file, where the vendor may have added some too; snippets before the end
/// of head or body.
pub(super) fn end(dice: &mut Dice, old: &str, new: &str, language: Language) -> Option<Case> {
    let edge = ["</head>", "</body>"][dice.roll(2)];
    let at_edge = |text: &str| text.rfind(edge).filter(|_| text.matches(edge).count() == 1);
    if let (Some(a), Some(b)) = (at_edge(old), at_edge(new)) {
        let own = "<script>ownCount('tide');</script>\n";
        let line_start = |text: &str, at: usize| text[..at].rfind('\n').map_or(0, |k| k + 1);
        let put = |text: &str, at: usize| {
            let at = line_start(text, at);
            format!("{}{own}{}", &text[..at], &text[at..])
        };
        let alone = |text: &str, at: usize| text[line_start(text, at)..at].trim().is_empty();
        return (alone(old, a) && alone(new, b)).then(|| Case {
            base: old.into(),
            site: put(old, a),
            release: new.into(),
            answer: put(new, b),
        });
    }
    let own = match language.kind {
        Kind::Style if old.lines().all(|l| !l.contains("{{")) && old.trim_end().ends_with('}') => {
            "\n.own-mark {\n  color: teal;\n}\n"
        }
        Kind::Script if new.trim_end().ends_with([';', '}']) && old.trim_end().ends_with([';', '}']) => {
            "\nownCall('tide');\n"
        }
        _ => return None,
    };
    Some(Case { base: old.into(), site: format!("{old}{own}"), release: new.into(), answer: format!("{new}{own}") })
}
