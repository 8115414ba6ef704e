//! The full-screen view of decisions: what is shown and what keys do is in [`model`], how it looks in [`draw`].

mod draw;
mod model;

use std::io::Write;
use std::process::Command;

use daxle_core::carry::account::Answer;
use daxle_core::carry::settle::Side;
use daxle_files::Trouble;
use ratatui::DefaultTerminal;
use ratatui::crossterm::event::{self, Event, KeyEventKind};

use self::model::{Action, Model, Sheet};
use crate::commands::settle::Settler;
use crate::console::Failure;

/// Shows the decisions until the user leaves. Every answer is saved at once.
pub(crate) fn run(settler: &mut Settler<'_>) -> Result<(), Failure> {
    let mut terminal = ratatui::try_init()?;
    let done = show(settler, &mut terminal);
    ratatui::try_restore()?;
    done
}

fn show(settler: &mut Settler<'_>, terminal: &mut DefaultTerminal) -> Result<(), Failure> {
    let mut model = Model::new(&settler.carried.account);
    loop {
        let sheet = sheet(settler, &model);
        terminal.draw(|frame| draw::draw(frame, &mut model, &settler.carried.account, &sheet))?;
        let Event::Key(key) = event::read()? else { continue };
        if key.kind == KeyEventKind::Release {
            continue;
        }
        match model.key(key.code, key.modifiers, &settler.carried.account) {
            Action::None => {}
            Action::Leave => return Ok(()),
            Action::Answer(id, answer) => give(settler, &mut model, &id, Some(answer))?,
            Action::Reopen(id) => give(settler, &mut model, &id, None)?,
            Action::Edit(id) => {
                ratatui::try_restore()?;
                let text = edit(settler, &id);
                *terminal = ratatui::try_init()?;
                terminal.clear()?;
                match text {
                    Ok(Some(text)) => give(settler, &mut model, &id, Some(Answer::text(text)))?,
                    Ok(None) => model.say("nothing was changed"),
                    Err(trouble) => model.say(trouble.to_string()),
                }
            }
        }
    }
}

fn give(settler: &mut Settler<'_>, model: &mut Model, id: &str, answer: Option<Answer>) -> Result<(), Failure> {
    let given = settler.all(&[(id.to_string(), answer.clone())])?;
    match given.refused.first() {
        Some((_, why)) => model.say(why.to_string()),
        None => model.answered(id, answer.as_ref(), given.answered - 1, &settler.carried.account),
    }
    Ok(())
}

/// The result around the spot at hand, as it is now.
fn sheet(settler: &Settler<'_>, model: &Model) -> Sheet {
    let account = &settler.carried.account;
    let Some((path, lines)) = model.place(account) else { return Sheet::default() };
    match settler.carried.read(Side::Result, path) {
        Ok(Some(bytes)) => Sheet::of(&bytes, lines),
        Ok(None) => Sheet::note("(the file is not in the result)"),
        Err(error) => Sheet::note(&error.to_string()),
    }
}

/// Opens what stands at a spot in the user's editor; `None` where nothing was changed.
fn edit(settler: &Settler<'_>, id: &str) -> Result<Option<String>, Trouble> {
    let account = &settler.carried.account;
    let Some(decision) = account.decisions.iter().find(|d| d.id == id) else { return Ok(None) };
    let editor = ["VISUAL", "EDITOR"].iter().find_map(std::env::var_os).unwrap_or_else(|| "vi".into());
    let text = model::draft(decision).ok_or_else(|| Trouble::new("this file is no text: take a side"))?;
    let extension = decision.path.rsplit_once('.').map_or(String::new(), |(_, e)| format!(".{e}"));
    let failed = |e: &std::io::Error| Trouble::io("write", &std::env::temp_dir(), e);
    let mut file =
        tempfile::Builder::new().prefix("daxle-").suffix(&extension).tempfile().map_err(|e| failed(&e))?;
    file.write_all(text.as_bytes()).map_err(|e| failed(&e))?;
    // An editor may be given with options.
    let words = editor.to_string_lossy().into_owned();
    let mut words = words.split_whitespace();
    let program = words.next().unwrap_or("vi");
    let status = Command::new(program).args(words).arg(file.path()).status();
    let status = status.map_err(|e| {
        Trouble::new(format!("could not start the editor {program}")).why(e.to_string()).hint("set EDITOR")
    })?;
    if !status.success() {
        return Ok(None);
    }
    let new = std::fs::read_to_string(file.path()).map_err(|e| Trouble::io("read", file.path(), &e))?;
    if model::has_markers(&new) {
        return Err(Trouble::new("there are still markers in the text; it was not taken"));
    }
    Ok((new != text).then_some(new))
}
