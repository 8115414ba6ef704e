//! `daxle note`: why the site made a change.

use daxle_core::changes::{Change, survey};
use daxle_files::Trouble;

use super::Ended;
use crate::args::{Format, Global, NoteArgs};
use crate::config;
use crate::console::{Console, Failure, harmless};
use crate::notes::Notes;
use crate::show::{count, style};
use crate::themes::Site;

pub(crate) fn run(args: &NoteArgs, global: &Global, console: &Console) -> Result<Ended, Failure> {
    let config = config::read(global)?;
    let mut notes = Notes::read(&config, &args.sources.site)?;
    if args.list {
        return list(&notes, global, console);
    }
    let pair = Site::open(&args.sources, &[], &config)?.with_base(console)?;
    let found = survey(pair.base.tree(), pair.site.tree(), &config.layout)?;
    // With --path the one word that is left is the reason.
    let (id, why) = match (&args.path, &args.change, &args.why) {
        (Some(_), Some(why), None) => (None, why),
        (Some(_), ..) => {
            return Err(Trouble::new("an id and --path name different things")
                .hint("give one of them, then the reason")
                .into());
        }
        (None, id, why) => (
            id.as_ref(),
            why.as_ref().ok_or_else(|| {
                Trouble::new("the reason is missing")
                    .hint("daxle note ID \"why\", or daxle note --path PATH \"why\"")
            })?,
        ),
    };
    let fits = |c: &&Change| match (&args.path, id) {
        (Some(path), _) => c.path == *path,
        (None, Some(id)) => c.id.0.starts_with(id.as_str()),
        (None, None) => false,
    };
    let changes: Vec<&Change> = found.changes().filter(fits).collect();
    let wanted = args.path.as_ref().or(id).cloned().unwrap_or_default();
    if changes.is_empty() {
        return Err(Trouble::new(format!("the site has no change {wanted}"))
            .hint("`daxle survey` lists the changes with their ids")
            .into());
    }
    if args.path.is_none() && changes.len() > 1 {
        let ids: Vec<String> = changes.iter().map(|c| format!("{} in {}", c.id, c.path)).collect();
        return Err(Trouble::new(format!("{wanted} begins the ids of {}", count(changes.len(), "change")))
            .hint(format!("give more of it: {}", ids.join(", ")))
            .into());
    }
    for change in &changes {
        notes.set(change, why);
    }
    notes.save()?;
    console.say(&format!("{} noted in {}", count(changes.len(), "change"), notes.path().display()));
    Ok(Ended::Clean)
}

fn list(notes: &Notes, global: &Global, console: &Console) -> Result<Ended, Failure> {
    let list = notes.list();
    if global.format == Format::Json {
        let list: Vec<_> = list
            .iter()
            .map(|n| serde_json::json!({"changes": n.ids, "path": n.path, "about": n.about, "why": n.why}))
            .collect();
        console.json(&serde_json::json!({"format": "daxle-notes", "format_version": 1, "notes": list}))?;
        return Ok(Ended::Clean);
    }
    let (t, f) = (style::TITLE, style::FAINT);
    let mut out = String::new();
    for note in &list {
        let id = note.ids.first().map_or("", String::as_str);
        out += &format!(
            "{f}{id}{f:#}  {t}{}{t:#}  {}\n            {}\n",
            harmless(&note.path),
            harmless(&note.why),
            harmless(&note.about)
        );
    }
    if list.is_empty() {
        out = format!("no notes in {}\n", notes.path().display());
    }
    console.result(&out)?;
    Ok(Ended::Clean)
}
