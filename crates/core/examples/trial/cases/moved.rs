//! A block that moved within its file.

use super::{Case, Dice, Language, longest_word, split};

pub(super) fn moved(dice: &mut Dice, old: &str, _new: &str, _language: Language) -> Option<Case> {
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
    // Any telling line of the block.
    let k = (0..block.len()).filter(|k| block[*k].trim().len() >= 8).max_by_key(|k| block[*k].len())?;
    let word = longest_word(block[k])?;
    let line = block[k].replacen(&word, "ownword", 1);
    let edited = [&block[..k], &[&line], &block[k + 1..]].concat().concat();
    let mut site = base.clone();
    site[from] = vec![edited];
    let mut release = base.clone();
    let taken = release.remove(from);
    release.insert(to.min(release.len()), taken);
    let mut answer = site.clone();
    let taken = answer.remove(from);
    answer.insert(to.min(answer.len()), taken);
    Some(Case { base: join(&base), site: join(&site), release: join(&release), answer: join(&answer) })
}
