//! Tries the merge on real sources: `cargo run --release -p daxle-core --example trial -- DIR [KIND] [--show N]
//! [--asked N] [--dump FOLDER] [--plain]`.
//!
//! DIR holds folders of versions (see `tools/fetch-themes`). From each pair of neighbouring versions of a file
//! cases with a known answer are made: `colliding` changes a word that the vendor changed,
//! `lines` and `words` deal the vendor's change out to site and release, `beside`
//! and `inline` give each side one of two changes on neighbouring lines or in one line, `planted` plants a site edit and carries it over the vendor's change, `reformatted` lets one side reformat,
//! `moved` moves a block. Prints how many came out right, how many were asked, and the wrong ones; with `--plain`, what
//! `diff3 -m` makes of the same cases, and how many lines each leaves between markers where both ask.

#![expect(clippy::print_stdout, clippy::disallowed_methods, reason = "a tool for the terminal")]

use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};

use daxle_core::catalog::similarity;
use daxle_core::diff::{Edit, Interner, diff};
use daxle_core::formats::merge_file;
use daxle_core::merge::{MergeOptions, line_edits};
use daxle_core::text::key::Blanks;
use daxle_core::text::token::tokens;
use daxle_core::theme::{Kind, dialect_of, kind_of};

struct Dice(u64);

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
struct Case {
    base: String,
    site: String,
    release: String,
    answer: String,
}

#[derive(Default)]
struct Tally {
    right: usize,
    asked: usize,
    /// Right but for white space.
    spaced: usize,
    wrong: usize,
    plain: Plain,
}

/// How a plain merge of lines fares.
#[derive(Default)]
struct Plain {
    right: usize,
    asked: usize,
    wrong: usize,
    /// Lines between markers where both ask: ours, and the plain merge's.
    ours: usize,
    theirs: usize,
}

/// Merges with `diff3 -m`; `None` where it is not there.
fn plain_merge(case: &Case) -> Option<String> {
    let folder = std::env::temp_dir().join(format!("trial-{}", std::process::id()));
    fs::create_dir_all(&folder).ok()?;
    for (name, text) in [("base", &case.base), ("site", &case.site), ("release", &case.release)] {
        fs::write(folder.join(name), text).ok()?;
    }
    let names = ["site", "base", "release"].map(|name| folder.join(name));
    let output = std::process::Command::new("diff3").arg("-m").args(names).output().ok()?;
    Some(String::from_utf8_lossy(&output.stdout).into_owned())
}

/// The lines between conflict markers.
fn marked(text: &str) -> usize {
    let mut open = false;
    let mut count = 0;
    for line in text.lines() {
        let marker = ["<<<<<<< ", "||||||| ", ">>>>>>> "].iter().any(|m| line.starts_with(m)) || line == "=======";
        open |= line.starts_with("<<<<<<< ");
        count += usize::from(open && !marker);
        open &= !line.starts_with(">>>>>>> ");
    }
    count
}

fn main() {
    let args: Vec<String> = std::env::args().skip(1).collect();
    let dir = args.first().expect("a folder of themes");
    let only = args.get(1).filter(|a| !a.starts_with("--"));
    let flag = |name: &str| {
        args.iter().position(|a| a == name).and_then(|k| args.get(k + 1)).and_then(|n| n.parse::<usize>().ok())
    };
    let (show, show_asked) = (flag("--show").unwrap_or(0), flag("--asked").unwrap_or(0));
    let mut tallies: BTreeMap<(&str, Kind), Tally> = BTreeMap::new();
    let mut shown: BTreeMap<(&str, bool), usize> = BTreeMap::new();
    for (path, old, new) in pairs(Path::new(dir)) {
        let kind = kind_of(&path, old.as_bytes());
        let settings = path.ends_with(".json") && kind == Kind::Settings || kind == Kind::Catalog;
        if !settings && !matches!(kind, Kind::Template | Kind::Style | Kind::Script | Kind::Code) {
            continue;
        }
        for seed in 0..4u64 {
            let mut dice = Dice(seed.wrapping_mul(77) ^ path.len() as u64 ^ (old.len() as u64 * 31));
            type Maker = fn(&mut Dice, &str, &str, Kind) -> Option<Case>;
            let makers: [(&str, Maker); 8] = [
                ("colliding", colliding),
                ("lines", lines),
                ("words", words),
                ("beside", beside),
                ("inline", inline),
                ("planted", planted),
                ("reformatted", reformatted),
                ("moved", moved),
            ];
            for (name, make) in makers {
                if only.is_some_and(|o| o != name) {
                    continue;
                }
                let Some(case) = make(&mut dice, &old, &new, kind) else { continue };
                if case.site == case.base || case.release == case.base {
                    continue;
                }
                let options = MergeOptions::default();
                let valid = |t: &str| serde_json::from_str::<serde_json::Value>(t);
                let inputs = [&case.base, &case.site, &case.release];
                if kind == Kind::Settings && (name != "lines" || inputs.iter().any(|t| valid(t).is_err())) {
                    continue;
                }
                let [b, s, r] = inputs.map(|t| t.as_bytes());
                let merged = merge_file(&path, kind, b, s, r, &options);
                let Some(merged) = merged else { continue };
                let tally = tallies.entry((name, kind)).or_default();
                let text = String::from_utf8_lossy(&merged.bytes);
                let same = |a: &str, b: &str| {
                    a.trim_end() == b.trim_end()
                        || kind == Kind::Catalog && words_of(a) == words_of(b)
                        || kind == Kind::Settings && valid(a).ok().is_some_and(|x| valid(b).ok() == Some(x))
                };
                let mut lines_marked = String::new();
                if let Some(plain) = args.iter().any(|a| a == "--plain").then(|| plain_merge(&case)).flatten() {
                    match marked(&plain) {
                        0 if same(&plain, &case.answer) => tally.plain.right += 1,
                        0 => tally.plain.wrong += 1,
                        lines => {
                            *if case.answer.is_empty() {
                                &mut tally.plain.right
                            } else {
                                &mut tally.plain.asked
                            } += 1;
                            if !merged.decisions.is_empty() {
                                tally.plain.ours += marked(&text);
                                tally.plain.theirs += lines;
                                lines_marked = format!(" {} lines marked of {lines}", marked(&text));
                            }
                        }
                    }
                }
                let bare = |text: &str| text.split_whitespace().collect::<String>();
                let (verdict, count) = if !merged.decisions.is_empty() {
                    if case.answer.is_empty() { ("right", &mut tally.right) } else { ("asked", &mut tally.asked) }
                } else if same(&text, &case.answer) {
                    ("right", &mut tally.right)
                } else if bare(&text) == bare(&case.answer) {
                    ("spaced", &mut tally.spaced)
                } else {
                    ("wrong", &mut tally.wrong)
                };
                *count += 1;
                if verdict != "right" {
                    let asked = verdict == "asked";
                    let n = shown.entry((name, asked)).or_default();
                    *n += 1;
                    if *n <= if asked { show_asked } else { show } {
                        println!("=== {name} {} {path} seed {seed}{lines_marked}", verdict.to_uppercase());
                        let reasons: Vec<String> =
                            merged.decisions.iter().map(|d| format!("{:?}", d.reason)).collect();
                        println!("{}", reasons.join(", "));
                        print_case(&case, &text, asked);
                        if let Some(dir) = args.iter().position(|a| a == "--dump").and_then(|k| args.get(k + 1)) {
                            let stem = format!("{dir}/{name}-{verdict}-{n}");
                            for (part, text) in [
                                ("base", &case.base),
                                ("site", &case.site),
                                ("release", &case.release),
                                ("answer", &case.answer),
                            ] {
                                let _ = fs::write(
                                    format!("{stem}.{part}.{}", path.rsplit('.').next().unwrap_or("txt")),
                                    text,
                                );
                            }
                        }
                    }
                }
            }
        }
    }
    println!("{:<12} {:<9} {:>7} {:>7} {:>7} {:>6}  right", "case", "kind", "right", "asked", "spaced", "wrong");
    for ((name, kind), t) in &tallies {
        let all = (t.right + t.asked + t.spaced + t.wrong).max(1);
        println!(
            "{name:<12} {:<9} {:>7} {:>7} {:>7} {:>6}  {:.1} %",
            kind.word(),
            t.right,
            t.asked,
            t.spaced,
            t.wrong,
            100.0 * t.right as f64 / all as f64
        );
        let p = &t.plain;
        if p.right + p.asked + p.wrong > 0 {
            println!(
                "{:<12} {:<9} {:>7} {:>7} {:>7} {:>6}  {:.1} %, marked lines where both ask: {} of {}",
                "  plain",
                kind.word(),
                p.right,
                p.asked,
                "",
                p.wrong,
                100.0 * p.right as f64 / all as f64,
                p.ours,
                p.theirs
            );
        }
    }
}

/// The messages of a catalog without comments, header and order.
fn words_of(catalog: &str) -> Vec<String> {
    let blocks = catalog.split("\n\n").map(|b| {
        let lines: Vec<&str> = b.lines().filter(|l| !l.starts_with('#')).collect();
        lines.concat().replace("\"\"", "")
    });
    let mut out: Vec<String> = blocks.filter(|b| !b.is_empty() && !b.starts_with("msgid msgstr")).collect();
    out.sort();
    out
}

fn print_case(case: &Case, got: &str, asked: bool) {
    let show = |title: &str, a: &str, b: &str| {
        println!("--- {title}");
        print!(
            "{}",
            String::from_utf8_lossy(&daxle_core::changes::unified::unified("a", "b", a.as_bytes(), b.as_bytes()))
        );
    };
    show("site", &case.base, &case.site);
    show("release", &case.base, &case.release);
    if asked {
        let lines: Vec<&str> = got.lines().collect();
        for (k, _) in lines.iter().enumerate().filter(|(_, l)| l.starts_with("<<<<<<< ")) {
            let end = (k..lines.len()).find(|e| lines[*e].starts_with(">>>>>>> ")).unwrap_or(k);
            println!("--- question\n{}", lines[k..=end].join("\n"));
        }
    } else {
        show("answer to result", &case.answer, got);
    }
}

/// Neighbouring versions of every text file that changed.
fn pairs(dir: &Path) -> Vec<(String, String, String)> {
    let mut out = Vec::new();
    let list = |d: &Path| -> Vec<PathBuf> {
        let mut l: Vec<PathBuf> = fs::read_dir(d).into_iter().flatten().flatten().map(|e| e.path()).collect();
        l.sort();
        l
    };
    for theme in list(dir) {
        let mut versions = list(&theme);
        versions.sort_by_key(|v| {
            let name = v.file_name().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default();
            name.split('.').map(|p| p.parse::<u64>().unwrap_or(0)).collect::<Vec<_>>()
        });
        for pair in versions.windows(2) {
            let mut todo = vec![pair[0].clone()];
            while let Some(at) = todo.pop() {
                if at.is_dir() {
                    todo.extend(list(&at));
                    continue;
                }
                let Ok(inner) = at.strip_prefix(&pair[0]) else { continue };
                let (Ok(old), Ok(new)) = (fs::read_to_string(&at), fs::read_to_string(pair[1].join(inner))) else {
                    continue;
                };
                // Mixed line ends are settled by rule, not by the case's answer.
                let (old, new) = (old.replace("\r\n", "\n"), new.replace("\r\n", "\n"));
                // Nor is a last line without its end dealt out: it would be glued to what comes next.
                let ended = |text: String| if text.ends_with('\n') { text } else { text + "\n" };
                let (old, new) = if old.is_empty() { (old, new) } else { (ended(old), ended(new)) };
                let long = old.lines().any(|l| l.len() > 2000);
                if old != new && old.len() < 200_000 && !long && !old.is_empty() {
                    out.push((inner.display().to_string(), old, new));
                }
            }
        }
    }
    out.sort();
    out
}

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
