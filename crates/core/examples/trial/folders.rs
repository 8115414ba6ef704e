//! Cases of whole folders: a file gets another name, or a part of it goes into another file.

use std::collections::{BTreeMap, HashSet};
use std::path::Path;
use std::sync::Mutex;
use std::{fs, io};

use daxle_core::carry::account::Account;
use daxle_core::carry::{CarryOptions, Content, Inputs, Sink, carry};
use daxle_core::changes::unified::unified;
use daxle_core::merge::line_edits;
use daxle_core::text::key::Blanks;
use daxle_core::theme::{Kind, Layout, MemoryTree, ReadError, Tree};

use super::cases::{Case, Dice, Language, planted, split};
use super::sources::Pair;

/// Files in a folder, at most: the one that is edited and its neighbours.
pub(crate) const MOST: usize = 24;

/// The files of a theme, by path.
type Folder = BTreeMap<String, String>;

/// A case of three folders, with the folder that must come out.
pub(crate) struct FolderCase {
    pub(crate) base: Folder,
    pub(crate) site: Folder,
    pub(crate) release: Folder,
    pub(crate) answer: Folder,
}

/// What a carry made of a case.
pub(crate) struct Carried {
    pub(crate) account: Account,
    pub(crate) files: Folder,
}

/// What the release (or the site) did with the file that the site edited.
type Maker = fn(&mut Dice, &str, &Case, &mut FolderCase) -> Option<()>;

/// The kinds of cases, by name.
pub(crate) const MAKERS: [(&str, Maker); 6] = [
    ("renamed", renamed),
    ("site-renamed", site_renamed),
    ("split", split_up),
    ("joined", joined),
    ("into-new", into_new),
    ("into-old", into_old),
];

/// Makes a case around one of the files that changed between two versions of a theme.
pub(crate) fn make(dice: &mut Dice, maker: Maker, all: &[&Pair], k: usize) -> Option<FolderCase> {
    let Pair { path, old, new, .. } = all[k];
    let language = Language::of(path, old);
    if !matches!(language.kind, Kind::Template | Kind::Style | Kind::Script | Kind::Code) {
        return None;
    }
    let edit = planted::any(dice, old, new, language)?;
    let folder = |text: fn(&Pair) -> &String| -> Folder {
        all.iter().map(|pair| (pair.path.clone(), text(pair).clone())).collect()
    };
    let (base, release) = (folder(|pair| &pair.old), folder(|pair| &pair.new));
    let (mut site, mut answer) = (base.clone(), release.clone());
    site.insert(path.clone(), edit.site.clone());
    answer.insert(path.clone(), edit.answer.clone());
    let mut case = FolderCase { base, site, release, answer };
    for other in all.iter().filter(|other| other.path != *path) {
        around_it(dice, &other.path, !twins(new, &other.new), &mut case);
    }
    maker(dice, path, &edit, &mut case)?;
    Some(case)
}

/// What a release does to its other files: one goes, one is new, one gets another name.
fn around_it(dice: &mut Dice, path: &str, may_be_new: bool, case: &mut FolderCase) {
    let to = other_path(dice, path);
    match dice.roll(6) {
        0 => [&mut case.release, &mut case.answer].map(|folder| folder.remove(path).is_some()),
        1 if may_be_new => [&mut case.base, &mut case.site].map(|folder| folder.remove(path).is_some()),
        2 => [&mut case.release, &mut case.answer].map(|folder| rename(folder, path, &to).is_some()),
        _ => return,
    };
}

/// Tells whether two files have so much in common that one may pass for the other.
fn twins(a: &str, b: &str) -> bool {
    let lines: HashSet<&str> = a.lines().map(str::trim).filter(|line| line.len() > 5).collect();
    let both = b.lines().map(str::trim).filter(|line| lines.contains(line)).count();
    both * 4 > lines.len().min(b.lines().count())
}

/// Carries a case, in memory.
pub(crate) fn carried(case: &FolderCase) -> Option<Carried> {
    #[derive(Default)]
    struct Collect(Mutex<BTreeMap<String, Content>>);
    impl Sink for Collect {
        fn put(&self, path: &str, content: &Content) -> Result<(), ReadError> {
            self.0.lock().expect("no panic").insert(path.to_string(), content.clone());
            Ok(())
        }
        fn put_aside(&self, _path: &str, _content: &Content) -> Result<(), ReadError> {
            Ok(())
        }
    }
    let tree = |folder: &Folder| MemoryTree::new(folder.clone());
    let (base, site, release) = (tree(&case.base), tree(&case.site), tree(&case.release));
    let layout = Layout::default();
    let inputs = Inputs::new([&base, &site, &release], &layout);
    let sink = Collect::default();
    let account = carry(&inputs, &CarryOptions::default(), &sink).ok()?;
    let text = |content: Content| -> Option<String> {
        let bytes = match content {
            Content::Release(k) => release.read(k).ok()?,
            Content::Site(k) => site.read(k).ok()?,
            Content::Merged(bytes, _) => bytes,
        };
        Some(String::from_utf8_lossy(&bytes).into_owned())
    };
    let files = sink.0.into_inner().ok()?.into_iter().map(|(path, content)| Some((path, text(content)?)));
    Some(Carried { account, files: files.collect::<Option<_>>()? })
}

/// What there is to see of a case that did not come out right.
pub(crate) fn shown(case: &FolderCase, carried: &Carried) -> String {
    let mut out = String::new();
    for decision in &carried.account.decisions {
        out += &format!("? {} {:?}\n", decision.path, decision.reason);
    }
    for (title, a, b) in [
        ("site", &case.base, &case.site),
        ("release", &case.release, &case.answer),
        ("answer to result", &case.answer, &carried.files),
    ] {
        let paths: std::collections::BTreeSet<&String> = a.keys().chain(b.keys()).collect();
        for path in paths.into_iter().filter(|p| a.get(*p) != b.get(*p)) {
            let text = |folder: &Folder| folder.get(path).cloned().unwrap_or_default();
            let unified = unified(path, path, text(a).as_bytes(), text(b).as_bytes());
            out += &format!("--- {title}\n{}", String::from_utf8_lossy(&unified));
        }
    }
    out
}

/// Writes the folders of a case into one.
pub(crate) fn dump(case: &FolderCase, carried: &Carried, dir: &Path) -> io::Result<()> {
    let FolderCase { base, site, release, answer } = case;
    let all =
        [("base", base), ("site", site), ("release", release), ("answer", answer), ("result", &carried.files)];
    for (name, folder) in all {
        for (path, text) in folder {
            let path = dir.join(name).join(path);
            fs::create_dir_all(path.parent().unwrap_or(dir))?;
            fs::write(path, text)?;
        }
    }
    Ok(())
}

/// Another path for a file: another folder and, every second time, another name.
fn other_path(dice: &mut Dice, path: &str) -> String {
    let (folder, name) = path.rsplit_once('/').unwrap_or(("", path));
    let name = if dice.roll(2) == 0 { name.to_string() } else { format!("new-{name}") };
    if folder.is_empty() { format!("shared/{name}") } else { format!("{folder}/shared/{name}") }
}

fn rename(folder: &mut Folder, from: &str, to: &str) -> Option<()> {
    let text = folder.remove(from)?;
    folder.insert(to.to_string(), text).is_none().then_some(())
}

fn renamed(dice: &mut Dice, path: &str, _edit: &Case, case: &mut FolderCase) -> Option<()> {
    let to = other_path(dice, path);
    rename(&mut case.release, path, &to)?;
    rename(&mut case.answer, path, &to)
}

fn site_renamed(dice: &mut Dice, path: &str, _edit: &Case, case: &mut FolderCase) -> Option<()> {
    let to = other_path(dice, path);
    rename(&mut case.site, path, &to)?;
    rename(&mut case.answer, path, &to)
}

/// The second half of the file goes into a file of its own.
fn split_up(dice: &mut Dice, path: &str, edit: &Case, case: &mut FolderCase) -> Option<()> {
    let lines = split(&edit.release);
    let cut = edge(dice, &lines)?;
    let to = other_path(dice, path);
    cut_out(path, edit, cut..lines.len(), case, |part| Some((to.clone(), part.to_string())))
}

/// The file is put at the end of another.
fn joined(dice: &mut Dice, path: &str, edit: &Case, case: &mut FolderCase) -> Option<()> {
    let home = sibling(dice, path, case)?;
    for (folder, text) in [(&mut case.release, &edit.release), (&mut case.answer, &edit.answer)] {
        folder.remove(path)?;
        folder.get_mut(&home)?.push_str(&format!("\n{text}"));
    }
    Some(())
}

/// A block goes into a new part.
fn into_new(dice: &mut Dice, path: &str, edit: &Case, case: &mut FolderCase) -> Option<()> {
    let to = other_path(dice, path);
    cut_out(path, edit, around(edit)?, case, |part| Some((to.clone(), outdented(part))))
}

/// A block goes into a file that there is already.
fn into_old(dice: &mut Dice, path: &str, edit: &Case, case: &mut FolderCase) -> Option<()> {
    let home = sibling(dice, path, case)?;
    let text = case.release.remove(&home)?;
    let lines = split(&text);
    let at = edge(dice, &lines)?;
    let (before, after) = (lines[..at].concat(), lines[at..].concat());
    cut_out(path, edit, around(edit)?, case, |part| Some((home.clone(), format!("{before}{part}{after}"))))
}

/// Cuts lines of the release, and what the answer has in their place, out of a file and puts them where `put` says.
fn cut_out(
    path: &str,
    edit: &Case,
    cut: std::ops::Range<usize>,
    case: &mut FolderCase,
    mut put: impl FnMut(&str) -> Option<(String, String)>,
) -> Option<()> {
    let (release, answer) = (split(&edit.release), split(&edit.answer));
    // The edit lies before the cut or in it.
    let kept = release.iter().zip(&answer).take_while(|(a, b)| a == b).count();
    let start = if kept < cut.start { (answer.len() + cut.start).checked_sub(release.len())? } else { cut.start };
    let of_answer = start..(answer.len() + cut.end).checked_sub(release.len())?;
    for (folder, lines, cut) in [(&mut case.release, release, cut), (&mut case.answer, answer, of_answer)] {
        let (to, text) = put(&lines.get(cut.clone())?.concat())?;
        let mark = if cut.end < lines.len() { "{% moved %}\n" } else { "" };
        folder.insert(path.to_string(), [&lines[..cut.start].concat(), mark, &lines[cut.end..].concat()].concat());
        folder.insert(to, text);
    }
    Some(())
}

/// A few lines of the release around the edit, with an edge that the edit does not touch; most of them are the base's
/// as well, in one piece.
fn around(edit: &Case) -> Option<std::ops::Range<usize>> {
    let edits = line_edits(edit.release.as_bytes(), edit.answer.as_bytes(), Blanks::AreContent);
    let lines = split(&edit.release);
    let (first, last) = (edits.first()?.old.start, edits.last()?.old.end);
    let blank = |k: &usize| lines[*k].trim().is_empty();
    let start = (first.saturating_sub(12)..first.saturating_sub(2)).rev().find(blank)? + 1;
    let end = (last + 2..lines.len().min(last + 12)).find(blank)?;
    let base = split(&edit.base);
    let telling: Vec<&str> = lines[start..end].iter().copied().filter(|l| l.trim().len() > 5).collect();
    let known = telling.iter().filter(|l| base.iter().filter(|b| b == l).count() == 1).count();
    (telling.len() >= 3 && known * 10 >= telling.len() * 8).then_some(start..end)
}

/// A line behind a blank one.
fn edge(dice: &mut Dice, lines: &[&str]) -> Option<usize> {
    let edges: Vec<usize> = (3..lines.len().saturating_sub(3)).filter(|k| lines[k - 1].trim().is_empty()).collect();
    (!edges.is_empty()).then(|| edges[dice.roll(edges.len())])
}

/// Another file of the release with the same extension.
fn sibling(dice: &mut Dice, path: &str, case: &FolderCase) -> Option<String> {
    let extension = |path: &str| path.rsplit_once('.').map(|(_, e)| e.to_string());
    let all: Vec<&String> = case.release.keys().filter(|p| *p != path && extension(p) == extension(path)).collect();
    (!all.is_empty()).then(|| all[dice.roll(all.len())].clone())
}

/// Lines without the indentation that they share.
fn outdented(text: &str) -> String {
    let lead = |line: &&str| line.len() - line.trim_start_matches([' ', '\t']).len();
    let lines = split(text);
    let shared = lines.iter().filter(|l| !l.trim().is_empty()).map(lead).min().unwrap_or(0);
    lines.iter().map(|line| line.get(shared..).filter(|_| !line.trim().is_empty()).unwrap_or("\n")).collect()
}
