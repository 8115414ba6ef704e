//! Cases of one file, with their known answers, made from two versions of it.

use daxle_core::catalog::similarity;
use daxle_core::diff::{Edit, Interner, diff};
use daxle_core::merge::line_edits;
use daxle_core::text::key::Blanks;
use daxle_core::text::token::tokens;
use daxle_core::theme::{Kind, dialect_of};

/// A seeded source of chance.
pub(crate) struct Dice(pub(crate) u64);

impl Dice {
    fn roll(&mut self, sides: usize) -> usize {
        self.0 = self.0.wrapping_add(0x9E37_79B9_7F4A_7C15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xBF58_476D_1CE4_E5B9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94D0_49BB_1331_11EB);
        ((z ^ (z >> 31)) % sides.max(1) as u64) as usize
    }
}

/// A case with its known answer; an empty one where a person must be asked.
pub(crate) struct Case {
    pub(crate) base: String,
    pub(crate) site: String,
    pub(crate) release: String,
    pub(crate) answer: String,
}

impl Case {
    /// Base, site and release.
    pub(crate) fn inputs(&self) -> [&str; 3] {
        [&self.base, &self.site, &self.release]
    }
}

/// Makes a case from two versions of a file; `None` where they do not lend themselves to it.
pub(crate) type Maker = fn(&mut Dice, &str, &str, Kind) -> Option<Case>;

/// The kinds of cases, by name.
pub(crate) const MAKERS: [(&str, Maker); 8] = [
    ("colliding", colliding),
    ("lines", lines),
    ("words", words),
    ("beside", beside),
    ("inline", inline),
    ("planted", planted),
    ("reformatted", reformatted),
    ("moved", moved),
];

fn apply(old: &[&str], new: &[&str], edits: &[Edit], mine: impl Fn(usize) -> bool) -> String {
    let mut out: Vec<&str> = Vec::new();
    let mut at = 0;
    for (k, edit) in edits.iter().enumerate() {
        out.extend(&old[at..edit.old.start]);
        out.extend(if mine(k) { &new[edit.new.clone()] } else { &old[edit.old.clone()] });
        at = edit.old.end;
    }
    out.extend(&old[at..]);
    out.concat()
}

fn split(text: &str) -> Vec<&str> {
    text.split_inclusive('\n').collect()
}

/// The vendor's changes, line by line where the lines are counterparts.
fn edits_of(old: &str, new: &str) -> Vec<Edit> {
    let (o, n) = (split(old), split(new));
    let counterparts = |e: &Edit| {
        let mut pairs = o[e.old.clone()].iter().zip(&n[e.new.clone()]);
        e.old.len() == e.new.len() && pairs.all(|(a, b)| similarity(a.as_bytes(), b.as_bytes()) >= 0.5)
    };
    line_edits(old.as_bytes(), new.as_bytes(), Blanks::AreContent)
        .into_iter()
        .flat_map(|e| {
            if counterparts(&e) {
                e.old.zip(e.new).map(|(i, j)| Edit { old: i..i + 1, new: j..j + 1 }).collect()
            } else {
                vec![e]
            }
        })
        .collect()
}

fn lines(dice: &mut Dice, old: &str, new: &str, _kind: Kind) -> Option<Case> {
    let (o, n) = (split(old), split(new));
    let edits = edits_of(old, new);
    if edits.len() < 2 {
        return None;
    }
    let sites: Vec<bool> = edits.iter().map(|_| dice.roll(2) == 0).collect();
    Some(Case {
        base: old.into(),
        site: apply(&o, &n, &edits, |k| sites[k]),
        release: apply(&o, &n, &edits, |k| !sites[k]),
        answer: new.into(),
    })
}

/// Two changes with at most two lines between them, one for each side.
fn beside(dice: &mut Dice, old: &str, new: &str, _kind: Kind) -> Option<Case> {
    let edits = edits_of(old, new);
    let near: Vec<usize> = (1..edits.len()).filter(|k| edits[*k].old.start - edits[*k - 1].old.end <= 2).collect();
    two_of(dice, &split(old), &split(new), &edits, &near)
}

/// Two changes within a line, one for each side.
fn inline(dice: &mut Dice, old: &str, new: &str, _kind: Kind) -> Option<Case> {
    let (o, n) = (split(old), split(new));
    let mut found = Vec::new();
    for edit in edits_of(old, new).iter().filter(|e| e.old.len() == 1 && e.new.len() == 1) {
        let (was, is) = (o[edit.old.start], n[edit.new.start]);
        if similarity(was.as_bytes(), is.as_bytes()) < 0.5 {
            continue;
        }
        let (o, n, edits) = word_edits(was, is)?;
        // What stands between is kept by both, and more than a mark.
        let telling = |t: &&str| t.chars().any(char::is_alphanumeric) || *t == ",";
        let near: Vec<usize> = (1..edits.len())
            .filter(|k| o[edits[k - 1].old.end..edits[*k].old.start].iter().any(telling))
            .filter(|k| [k - 1, *k].iter().all(|k| n[edits[*k].new.clone()].iter().any(telling)))
            .collect();
        found.extend((!near.is_empty()).then_some((edit.old.start, o, n, edits, near)));
    }
    if found.is_empty() {
        return None;
    }
    let (at, old_words, new_words, edits, near) = found.swap_remove(dice.roll(found.len()));
    let line = two_of(dice, &old_words, &new_words, &edits, &near)?;
    let within = |line: String| [&o[..at].concat(), &line[..], &o[at + 1..].concat()].concat();
    Some(Case {
        base: old.into(),
        site: within(line.site),
        release: within(line.release),
        answer: within(line.answer),
    })
}

/// Deals out one of the neighbouring pairs of changes, named by their second.
fn two_of(dice: &mut Dice, o: &[&str], n: &[&str], edits: &[Edit], near: &[usize]) -> Option<Case> {
    if near.is_empty() {
        return None;
    }
    let second = near[dice.roll(near.len())];
    let [a, b] = if dice.roll(2) == 0 { [second - 1, second] } else { [second, second - 1] };
    Some(Case {
        base: o.concat(),
        site: apply(o, n, edits, |k| k == a),
        release: apply(o, n, edits, |k| k == b),
        answer: apply(o, n, edits, |k| k == a || k == b),
    })
}

fn words(dice: &mut Dice, old: &str, new: &str, _kind: Kind) -> Option<Case> {
    let (o, n, small) = word_edits(old, new)?;
    if small.len() < 2 || small.len() > 60 {
        return None;
    }
    let sites: Vec<bool> = small.iter().map(|_| dice.roll(2) == 0).collect();
    Some(Case {
        base: old.into(),
        site: apply(&o, &n, &small, |k| sites[k]),
        release: apply(&o, &n, &small, |k| !sites[k]),
        answer: apply(&o, &n, &small, |_| true),
    })
}

/// Small changes between two texts, a word here, a word there, and the texts in tokens.
fn word_edits<'t>(old: &'t str, new: &'t str) -> Option<(Vec<&'t str>, Vec<&'t str>, Vec<Edit>)> {
    fn toks(t: &str) -> Vec<&str> {
        let mut out = Vec::new();
        for token in tokens(t.as_bytes()) {
            for part in [token.lead, token.text] {
                if !part.is_empty() {
                    out.push(std::str::from_utf8(part).unwrap_or(""));
                }
            }
        }
        out
    }
    let (o, n) = (toks(old), toks(new));
    if o.concat() != old || n.concat() != new {
        return None;
    }
    let mut interner = Interner::new();
    let a: Vec<u32> = o.iter().map(|t| interner.number(t.as_bytes().into())).collect();
    let b: Vec<u32> = n.iter().map(|t| interner.number(t.as_bytes().into())).collect();
    let small = diff(&a, &b, |_| false)
        .into_iter()
        .filter(|e| e.old.len() <= 3 && e.new.len() <= 3 && !e.old.is_empty() && !e.new.is_empty())
        .filter(|e| !o[e.old.clone()].iter().chain(&n[e.new.clone()]).any(|t| t.trim().is_empty()))
        .collect();
    Some((o, n, small))
}

/// A word that the vendor changed within a line, changed by the site as well: to be asked.
fn colliding(dice: &mut Dice, old: &str, new: &str, _kind: Kind) -> Option<Case> {
    let (o, n) = (split(old), split(new));
    let mut found = Vec::new();
    for edit in edits_of(old, new).iter().filter(|e| e.old.len() == 1 && e.new.len() == 1) {
        let (was, is) = (o[edit.old.start], n[edit.new.start]);
        let stays = n.iter().any(|line| line.trim() == was.trim());
        if stays || similarity(was.as_bytes(), is.as_bytes()) < 0.5 {
            continue;
        }
        let (words, other, small) = word_edits(was, is)?;
        let told = |w: &&str| w.chars().any(char::is_alphanumeric);
        let both = |e: &&Edit| words[e.old.clone()].iter().all(told) && other[e.new.clone()].iter().all(told);
        for edit_of_word in small.iter().filter(|e| e.old.len() == 1).filter(both) {
            let own =
                [&words[..edit_of_word.old.start], &["ownword"], &words[edit_of_word.old.end..]].concat().concat();
            found.push((edit.old.start, own));
        }
    }
    if found.is_empty() {
        return None;
    }
    let (at, own) = found.swap_remove(dice.roll(found.len()));
    let site = [&o[..at], &[own.as_str()], &o[at + 1..]].concat().concat();
    Some(Case { base: old.into(), site, release: new.into(), answer: String::new() })
}

/// A site edit of a line that both versions have once, made to both.
fn plant(dice: &mut Dice, old: &str, new: &str, kind: Kind) -> Option<(String, String)> {
    let (mut o, mut n): (Vec<String>, Vec<String>) =
        (split(old).iter().map(|s| s.to_string()).collect(), split(new).iter().map(|s| s.to_string()).collect());
    // A twin that is only indented otherwise may be the one that the line became.
    let once = |list: &[String], line: &str| list.iter().filter(|l| l.trim() == line.trim()).count() == 1;
    let edits = line_edits(old.as_bytes(), new.as_bytes(), Blanks::AreContent);
    let near: Vec<usize> = (0..o.len())
        .filter(|i| edits.iter().any(|e| e.old.start.abs_diff(*i) <= 2 || e.old.end.abs_diff(*i) <= 2))
        .filter(|i| o[*i].trim().len() >= 6 && once(&o, &o[*i]) && once(&n, &o[*i]))
        .collect();
    if near.is_empty() {
        return None;
    }
    let at = near[dice.roll(near.len())];
    let line = o[at].clone();
    let to = n.iter().position(|l| *l == line)?;
    let indent: String = line.chars().take_while(|c| c.is_whitespace() && *c != '\n').collect();
    let extra = match kind {
        Kind::Style => format!("{indent}outline: 3px solid teal;\n"),
        Kind::Template => format!("{indent}<span class=\"own-mark\">tide</span>\n"),
        _ => format!("{indent}ownCall('tide');\n"),
    };
    match dice.roll(3) {
        0 => {
            // A word becomes another.
            let word = tokens(line.as_bytes())
                .iter()
                .map(|t| String::from_utf8_lossy(t.text).into_owned())
                .filter(|w| w.len() > 3 && w.chars().all(char::is_alphanumeric))
                .max_by_key(String::len)?;
            let changed = line.replacen(&word, "ownword", 1);
            o[at] = changed.clone();
            n[to] = changed;
        }
        1 => {
            o.remove(at);
            n.remove(to);
        }
        _ => {
            // Before the line; its other neighbour must be there too, or the place would be open.
            let other = at.checked_sub(1).map(|k| o[k].clone());
            if to.checked_sub(1).map(|k| n[k].clone()) != other {
                return None;
            }
            o.insert(at, extra.clone());
            n.insert(to, extra);
        }
    }
    Some((o.concat(), n.concat()))
}

fn planted(dice: &mut Dice, old: &str, new: &str, kind: Kind) -> Option<Case> {
    let (site, answer) = plant(dice, old, new, kind)?;
    Some(Case { base: old.into(), site, release: new.into(), answer })
}

fn reindent(text: &str, crlf: bool) -> String {
    let end = if crlf { "\r\n" } else { "\n" };
    text.lines()
        .map(|l| {
            let body = l.trim_start_matches([' ', '\t']);
            let width = l.len() - body.len();
            let lead = &l[..width];
            let levels = if lead.contains('\t') { lead.matches('\t').count() } else { width.div_ceil(2) };
            if body.is_empty() { end.to_string() } else { format!("{}{body}{end}", "   ".repeat(levels)) }
        })
        .collect()
}

fn reformatted(dice: &mut Dice, old: &str, new: &str, kind: Kind) -> Option<Case> {
    let crlf = dice.roll(2) == 0;
    let (site, answer) = plant(dice, old, new, kind)?;
    if old.contains('\r') || dialect_of("x", kind, b"").blanks != Blanks::AreForm {
        return None;
    }
    if dice.roll(2) == 0 {
        // The release is reformatted.
        Some(Case { base: old.into(), site, release: reindent(new, crlf), answer: reindent(&answer, crlf) })
    } else {
        Some(Case { base: old.into(), site: reindent(&site, crlf), release: new.into(), answer })
    }
}

fn moved(dice: &mut Dice, old: &str, _new: &str, kind: Kind) -> Option<Case> {
    let lines: Vec<&str> = split(old);
    // Blocks between blank lines.
    let mut blocks: Vec<Vec<&str>> = vec![Vec::new()];
    for line in lines {
        if line.trim().is_empty() {
            blocks.push(Vec::new());
        } else if let Some(last) = blocks.last_mut() {
            last.push(line);
        }
    }
    blocks.retain(|b| !b.is_empty());
    if blocks.len() < 4 || !old.ends_with('\n') {
        return None;
    }
    let join = |b: &[Vec<String>]| b.iter().map(|l| l.concat()).collect::<Vec<_>>().join("\n");
    let own = |b: &[Vec<&str>]| -> Vec<Vec<String>> {
        b.iter().map(|l| l.iter().map(|s| s.to_string()).collect()).collect()
    };
    let base = own(&blocks);
    let from = dice.roll(blocks.len());
    let mut to = dice.roll(blocks.len());
    if from == to {
        to = (to + 2) % blocks.len();
    }
    let block = &blocks[from];
    if !(3..=25).contains(&block.len()) {
        return None;
    }
    let text = base[from].concat();
    let edited = plant(dice, &text, &text.replacen('\u{1}', "", 1), kind).or_else(|| {
        // Without a vendor change nearby: any telling line of the block.
        let k = (0..block.len()).filter(|k| block[*k].trim().len() >= 8).max_by_key(|k| block[*k].len())?;
        let word = tokens(block[k].as_bytes())
            .iter()
            .map(|t| String::from_utf8_lossy(t.text).into_owned())
            .filter(|w| w.len() > 3 && w.chars().all(char::is_alphanumeric))
            .max_by_key(String::len)?;
        Some((text.replacen(&word, "ownword", 1), String::new()))
    })?;
    let mut site = base.clone();
    site[from] = vec![edited.0];
    let mut release = base.clone();
    let taken = release.remove(from);
    release.insert(to.min(release.len()), taken);
    let mut answer = site.clone();
    let taken = answer.remove(from);
    answer.insert(to.min(answer.len()), taken);
    Some(Case { base: join(&base), site: join(&site), release: join(&release), answer: join(&answer) })
}
