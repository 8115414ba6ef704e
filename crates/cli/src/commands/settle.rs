//! `daxle settle`: answers to what a carry left open.

use std::collections::{BTreeSet, HashMap};
use std::io::IsTerminal;

use daxle_core::carry::account::{Answer, Decision, State, Take};
use daxle_core::carry::settle::memory::key;
use daxle_core::carry::settle::{Put, Puts, Refused, Settling, Side, put_after};
use daxle_core::theme::ReadError;
use daxle_files::Trouble;
use globset::{GlobBuilder, GlobMatcher};

use super::Ended;
use crate::answers::{self, Answers};
use crate::args::{Format, Global, SettleArgs, TakeSide};
use crate::carried::Carried;
use crate::config::{self, Config};
use crate::console::{Console, Failure};
use crate::screen;
use crate::show::{self, wire};

pub(crate) fn run(args: &SettleArgs, global: &Global, console: &Console) -> Result<Ended, Failure> {
    let config = config::read_for(global, &args.carried.dir)?;
    let carried = Carried::open(&args.carried, &config)?;
    let site =
        carried.account_path.with_file_name("x").parent().map(|p| p.join(&carried.account.themes.site.source));
    let answers = Answers::read(&args.memory, &config, &site.unwrap_or_default())?;
    let mut settler = Settler { carried, answers, config: &config };
    let chosen = Chosen::of(args, &settler.carried.account.decisions)?;
    let asked = args.take.is_some() || args.text.is_some() || args.text_from.is_some();
    let screen = !asked && args.answers.is_none() && !args.reopen && !args.list;
    if screen && global.format == Format::Text && std::io::stdin().is_terminal() && std::io::stdout().is_terminal()
    {
        screen::run(&mut settler)?;
        console.result(&show::settle::summary(&settler.carried.account))?;
        return Ok(Ended::open_if(settler.carried.account.totals.open > 0));
    }
    let mut wanted: Vec<(String, Option<Answer>)> = Vec::new();
    if let Some(file) = &args.answers {
        wanted = from_file(file, &settler.carried.account.decisions, &chosen)?;
    } else if asked || args.reopen {
        if args.path.is_empty() && args.id.is_empty() && !args.all {
            return Err(Trouble::new("which decisions?")
                .hint("name them with --id or --path, or take them all with --all")
                .into());
        }
        if (args.text.is_some() || args.text_from.is_some()) && args.id.is_empty() {
            return Err(Trouble::new("a text answers one decision").hint("name it with --id").into());
        }
        let answer = if args.reopen { None } else { Some(answer(args)?) };
        let state = if args.reopen { State::Settled } else { State::Open };
        // A decision that is named by its id may be answered anew.
        let fits = |d: &&Decision| chosen.has(d) && (d.state == state || (!args.reopen && !args.id.is_empty()));
        let ids = settler.carried.account.decisions.iter().filter(fits).map(|d| d.id.clone());
        wanted = ids.map(|id| (id, answer.clone())).collect();
        if wanted.is_empty() {
            console.say(if args.reopen { "none of these has an answer" } else { "none of these is open" });
        }
    }
    let Given { answered, refused } = settler.all(&wanted)?;
    if let ([(_, why)], [_]) = (&refused[..], &wanted[..]) {
        return Err(Trouble::new(why.to_string()).hint("the file is as it was").into());
    }
    for (id, why) in &refused {
        console.warn(&format!("{id} is still open: {why}"));
    }
    let account = &settler.carried.account;
    let shown = |d: &&Decision| (args.all || d.state == State::Open) && (!args.list || chosen.has(d));
    if global.format == Format::Json {
        let list: Vec<&Decision> = account.decisions.iter().filter(shown).collect();
        console.json(&wire::Decisions::new(account.totals, list, answered))?;
    } else {
        console.result(&show::settle::text(account, shown, answered, args.reopen))?;
    }
    Ok(Ended::open_if(account.totals.open > 0))
}

/// What became of answers.
pub(crate) struct Given {
    /// How many decisions were settled, or opened again.
    pub(crate) answered: usize,
    /// The answers that were refused.
    pub(crate) refused: Vec<(String, Refused)>,
}

/// Gives answers: into the result, the account and the memory.
pub(crate) struct Settler<'a> {
    pub(crate) carried: Carried<'a>,
    pub(crate) answers: Answers,
    pub(crate) config: &'a Config,
}

impl Settler<'_> {
    /// Gives answers, or takes them back where there is none, to the named decisions and those that go with them.
    /// Everything is written at the end, each file in one step.
    pub(crate) fn all(&mut self, wanted: &[(String, Option<Answer>)]) -> Result<Given, Failure> {
        let mut pending: Puts = Puts::new();
        let (mut refused, mut answered) = (Vec::new(), BTreeSet::new());
        let mut account = self.carried.account.clone();
        for (id, answer) in wanted {
            let carried = &self.carried;
            let read = |side: Side, path: &str| -> Result<Option<Vec<u8>>, ReadError> {
                match pending.iter().find(|(p, _)| side == Side::Result && p == path).map(|(_, put)| put) {
                    Some(Put::Bytes(bytes)) => Ok(Some(bytes.clone())),
                    Some(Put::Copy(side, name)) => carried.read(*side, name),
                    Some(Put::Nothing) => Ok(None),
                    None => carried.read(side, path),
                }
            };
            let settling = Settling { read: &read, stamp: self.config.layout.stamp.as_deref() };
            // It may have been given already, with one that the decision goes with.
            let take = |answer: &Option<Answer>| answer.as_ref().map(|a| a.take);
            let is_it = |d: &&Decision| d.id == *id && take(&d.answer) == take(answer);
            if answered.contains(id) && account.decisions.iter().any(|d| is_it(&d)) {
                continue;
            }
            let before: Vec<State> = account.decisions.iter().map(|d| d.state).collect();
            let puts = match answer {
                Some(answer) => settling.settle(&mut account, id, answer.clone()),
                None => settling.reopen(&mut account, id),
            };
            match puts {
                Ok(puts) => put_after(&mut pending, puts),
                Err(why) => {
                    refused.push((id.clone(), why));
                    continue;
                }
            }
            for (decision, before) in account.decisions.iter().zip(before) {
                if decision.id != *id && decision.state == before {
                    continue;
                }
                answered.insert(decision.id.clone());
                match answer {
                    Some(answer) => self.answers.memory.remember(decision, answer),
                    None => _ = self.answers.memory.forget(decision),
                }
            }
        }
        if !answered.is_empty() {
            self.carried.account = account;
            self.carried.put(&pending)?;
            self.answers.save()?;
        }
        Ok(Given { answered: answered.len(), refused })
    }
}

/// The decisions that were named.
struct Chosen {
    ids: Vec<String>,
    globs: Vec<GlobMatcher>,
}

impl Chosen {
    fn of(args: &SettleArgs, decisions: &[Decision]) -> Result<Self, Trouble> {
        let mut ids = Vec::new();
        for wanted in &args.id {
            let found: Vec<&Decision> = decisions.iter().filter(|d| d.id.starts_with(wanted.as_str())).collect();
            let exact = found.iter().find(|d| d.id == *wanted);
            match (exact, &found[..]) {
                (Some(one), _) | (None, [one]) => ids.push(one.id.clone()),
                (None, []) => {
                    return Err(Trouble::new(format!("no decision has the id {wanted}"))
                        .hint("`daxle settle DIR --list --all` lists them"));
                }
                (None, several) => {
                    return Err(Trouble::new(format!("{} decisions begin with {wanted}", several.len()))
                        .hint("write more of the id"));
                }
            }
        }
        let globs = args.path.iter().map(|g| glob(g)).collect::<Result<_, _>>()?;
        Ok(Chosen { ids, globs })
    }

    fn has(&self, decision: &Decision) -> bool {
        (self.ids.is_empty() && self.globs.is_empty())
            || self.ids.contains(&decision.id)
            || self.globs.iter().any(|g| g.is_match(&decision.path))
    }
}

fn glob(text: &str) -> Result<GlobMatcher, Trouble> {
    let built = GlobBuilder::new(text).literal_separator(true).build();
    Ok(built.map_err(|e| Trouble::new(format!("`{text}` is no glob")).why(e.kind().to_string()))?.compile_matcher())
}

fn answer(args: &SettleArgs) -> Result<Answer, Trouble> {
    if let Some(file) = &args.text_from {
        let text = std::fs::read_to_string(file).map_err(|e| Trouble::io("read", file, &e))?;
        return Ok(Answer::text(text));
    }
    if let Some(text) = &args.text {
        return Ok(Answer::text(text.clone()));
    }
    Ok(Answer::take(match args.take {
        Some(TakeSide::Site) | None => Take::Site,
        Some(TakeSide::Release) => Take::Release,
        Some(TakeSide::Both) => Take::Both,
        Some(TakeSide::BothSiteFirst) => Take::BothSiteFirst,
    }))
}

/// The answers of a file to the open decisions: by id first, then by the three contents, then by path.
fn from_file(
    file: &std::path::Path,
    decisions: &[Decision],
    chosen: &Chosen,
) -> Result<Vec<(String, Option<Answer>)>, Trouble> {
    let given = answers::given(file)?;
    let mut globs = HashMap::new();
    for (key, _) in given.iter().filter(|(key, _)| key.contains(['*', '/', '.'])) {
        globs.insert(key.to_string(), glob(key)?);
    }
    let mut wanted = Vec::new();
    for decision in decisions.iter().filter(|d| d.state == State::Open && chosen.has(d)) {
        let contents = key(decision);
        let rank = |k: &str| {
            let by_id = k.len() >= 4 && decision.id.starts_with(k);
            let by_path = || globs.get(k).is_some_and(|g| g.is_match(&decision.path));
            if decision.id == k {
                4
            } else if by_id {
                3
            } else if k == contents {
                2
            } else {
                usize::from(by_path())
            }
        };
        let best = given.iter().max_by_key(|(k, _)| rank(k)).filter(|(k, _)| rank(k) > 0);
        if let Some((_, found)) = best {
            wanted
                .push((decision.id.clone(), Some(Answer { text: found.text.clone(), ..Answer::take(found.take) })));
        }
    }
    Ok(wanted)
}
