//! What the screen shows and what keys do; no terminal in here.

use daxle_core::carry::account::{Account, Answer, Blob, Decision, Lines, Stands, State, Take};
use daxle_core::merge::Outcome;
use daxle_core::text::split_lines;
use ratatui::crossterm::event::{KeyCode, KeyModifiers};

/// One entry of the list: an index into the account.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Item {
    /// A decision.
    Decision(usize),
    /// A change that was fitted or moved, for a look.
    Change(usize),
}

/// What a key asks for.
#[derive(Debug, Clone, PartialEq)]
pub(crate) enum Action {
    None,
    Leave,
    Answer(String, Answer),
    Reopen(String),
    Edit(String),
}

/// What lies over the screen until the next key.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Overlay {
    Help,
    Vendor,
}

/// The state of the screen.
pub(crate) struct Model {
    pub(crate) items: Vec<Item>,
    pub(crate) at: usize,
    /// Rows that the sides are scrolled by.
    pub(crate) scroll: usize,
    /// Everything is listed: settled decisions, and what was fitted or moved.
    pub(crate) everything: bool,
    pub(crate) sheet: Option<Overlay>,
    /// What is being searched for, while it is typed.
    pub(crate) typing: Option<String>,
    search: String,
    pub(crate) message: Option<String>,
    /// Ids in the order in which they were answered here.
    given: Vec<String>,
}

impl Model {
    /// Begins at the first open decision.
    pub(crate) fn new(account: &Account) -> Self {
        let mut model = Model {
            items: Vec::new(),
            at: 0,
            scroll: 0,
            everything: false,
            sheet: None,
            typing: None,
            search: String::new(),
            message: None,
            given: Vec::new(),
        };
        model.list(account);
        model.at = model.items.iter().position(|i| model.is_open(*i, account)).unwrap_or(0);
        model
    }

    fn list(&mut self, account: &Account) {
        self.items = (0..account.decisions.len()).map(Item::Decision).collect();
        if self.everything {
            let look = |k: &usize| matches!(account.changes[*k].outcome, Outcome::Fitted | Outcome::Moved);
            self.items.extend((0..account.changes.len()).filter(look).map(Item::Change));
        }
        self.at = self.at.min(self.items.len().saturating_sub(1));
    }

    fn is_open(&self, item: Item, account: &Account) -> bool {
        matches!(item, Item::Decision(k) if account.decisions[k].state == State::Open)
    }

    /// The decision at hand.
    pub(crate) fn decision<'a>(&self, account: &'a Account) -> Option<&'a Decision> {
        match self.items.get(self.at)? {
            Item::Decision(k) => account.decisions.get(*k),
            Item::Change(_) => None,
        }
    }

    /// File and lines of the result that the item at hand is about.
    pub(crate) fn place<'a>(&self, account: &'a Account) -> Option<(&'a str, Option<Lines>)> {
        match self.items.get(self.at)? {
            Item::Decision(k) => account.decisions.get(*k).map(|d| (d.path.as_str(), d.result)),
            Item::Change(k) => {
                account.changes.get(*k).map(|c| (c.result_path.as_deref().unwrap_or(&c.path), c.result))
            }
        }
    }

    pub(crate) fn say(&mut self, message: impl Into<String>) {
        self.message = Some(message.into());
    }

    /// An answer was taken, and by so many that go with the decision: on to the next open decision.
    pub(crate) fn answered(&mut self, id: &str, answer: Option<&Answer>, with: usize, account: &Account) {
        let with = if with > 0 { format!(", and {with} with it") } else { String::new() };
        match answer {
            Some(answer) => {
                self.given.push(id.to_string());
                self.message = Some(format!("{id}{with}: {}", crate::show::answer_words(answer)));
                self.next_open(account);
            }
            None => {
                self.given.retain(|given| given != id);
                self.message = Some(format!("{id}{with}: open again"));
                self.go(account.decisions.iter().position(|d| d.id == id).unwrap_or(self.at));
            }
        }
    }

    fn go(&mut self, at: usize) {
        self.at = at.min(self.items.len().saturating_sub(1));
        self.scroll = 0;
    }

    fn next_open(&mut self, account: &Account) {
        let n = self.items.len();
        let next = (1..=n).map(|k| (self.at + k) % n).find(|k| self.is_open(self.items[*k], account));
        match next {
            Some(next) => self.go(next),
            None => self.message = Some("nothing is open any more; q leaves".into()),
        }
    }

    /// Takes a key.
    pub(crate) fn key(&mut self, key: KeyCode, modifiers: KeyModifiers, account: &Account) -> Action {
        self.message = None;
        if self.typing.is_some() {
            self.type_search(key, account);
            return Action::None;
        }
        if self.sheet.take().is_some() {
            return Action::None;
        }
        if key == KeyCode::Char('c') && modifiers.contains(KeyModifiers::CONTROL) {
            return Action::Leave;
        }
        match key {
            KeyCode::Char('q') | KeyCode::Esc => return Action::Leave,
            KeyCode::Char('?') | KeyCode::F(1) => self.sheet = Some(Overlay::Help),
            KeyCode::Char('v') => self.sheet = Some(Overlay::Vendor),
            KeyCode::Char('n') | KeyCode::Down => self.go(self.at + 1),
            KeyCode::Char('p') | KeyCode::Up => self.go(self.at.saturating_sub(1)),
            KeyCode::Char(' ') => self.next_open(account),
            KeyCode::Home => self.go(0),
            KeyCode::End => self.go(usize::MAX),
            KeyCode::PageDown => self.scroll += 5,
            KeyCode::PageUp => self.scroll = self.scroll.saturating_sub(5),
            KeyCode::Char('a') => {
                self.everything = !self.everything;
                self.list(account);
            }
            KeyCode::Char('/') => self.typing = Some(String::new()),
            KeyCode::Char('N') => self.find_next(account),
            KeyCode::Char('u') => return self.undo(account),
            KeyCode::Char(letter) => return self.answer(letter, account),
            _ => {}
        }
        Action::None
    }

    fn answer(&mut self, letter: char, account: &Account) -> Action {
        let Some(decision) = self.decision(account) else {
            if matches!(letter, 's' | 'r' | 'b' | 'B' | 'e') {
                self.say("this is done already: it is here for a look");
            }
            return Action::None;
        };
        let take = match letter {
            's' => Take::Site,
            'r' => Take::Release,
            'b' => Take::Both,
            'B' => Take::BothSiteFirst,
            'e' => return Action::Edit(decision.id.clone()),
            _ => return Action::None,
        };
        if decision.state == State::Edited {
            self.say("this was settled by editing the file");
            return Action::None;
        }
        Action::Answer(decision.id.clone(), Answer::take(take))
    }

    /// Takes back the answer at hand, or the last one that was given here.
    fn undo(&mut self, account: &Account) -> Action {
        let here = self.decision(account).filter(|d| d.state == State::Settled).map(|d| d.id.clone());
        match here.or_else(|| self.given.last().cloned()) {
            Some(id) => Action::Reopen(id),
            None => {
                self.say("there is no answer to take back");
                Action::None
            }
        }
    }

    fn type_search(&mut self, key: KeyCode, account: &Account) {
        let Some(typed) = &mut self.typing else { return };
        match key {
            KeyCode::Char(letter) => typed.push(letter),
            KeyCode::Backspace => _ = typed.pop(),
            KeyCode::Esc => self.typing = None,
            KeyCode::Enter => {
                self.search = self.typing.take().unwrap_or_default();
                self.find_next(account);
            }
            _ => {}
        }
    }

    fn find_next(&mut self, account: &Account) {
        let wanted = self.search.to_lowercase();
        let n = self.items.len();
        let found = (1..=n).map(|k| (self.at + k) % n).find(|k| match self.items[*k] {
            Item::Decision(d) => {
                let decision = &account.decisions[d];
                let sides = [&decision.base, &decision.site, &decision.release];
                decision.path.to_lowercase().contains(&wanted)
                    || sides.into_iter().any(|b| text(b).to_lowercase().contains(&wanted))
            }
            Item::Change(c) => {
                let change = &account.changes[c];
                change.path.to_lowercase().contains(&wanted)
                    || change.added.iter().any(|b| text(b).to_lowercase().contains(&wanted))
            }
        });
        match found {
            Some(at) => self.go(at),
            None => self.message = Some(format!("{wanted:?} is not here")),
        }
    }
}

/// The content of a side as text.
pub(crate) fn text(blob: &Blob) -> String {
    match blob {
        Blob::Missing { .. } => "(no such file)".into(),
        Blob::File { size, .. } => format!("(file of {})", crate::show::size_words(*size)),
        blob => String::from_utf8_lossy(&blob.bytes().unwrap_or_default()).into_owned(),
    }
}

/// What an editor is opened with: the three sides between markers, or the side that stands.
pub(crate) fn draft(decision: &Decision) -> Option<String> {
    let side = |blob: &Blob| match blob {
        Blob::Missing { .. } => Some(String::new()),
        blob => String::from_utf8(blob.bytes()?).ok(),
    };
    let (base, site, release) = (side(&decision.base)?, side(&decision.site)?, side(&decision.release)?);
    let ended =
        |text: &str| if text.is_empty() || text.ends_with('\n') { text.into() } else { format!("{text}\n") };
    Some(match (decision.stands, decision.result) {
        (Stands::Markers, _) => format!(
            "<<<<<<< site\n{}||||||| base\n{}=======\n{}>>>>>>> release\n",
            ended(&site),
            ended(&base),
            ended(&release)
        ),
        (Stands::Site, _) => site,
        (Stands::Release, _) => release,
    })
}

pub(crate) fn has_markers(text: &str) -> bool {
    text.lines().any(|l| l == "<<<<<<< site" || l == "||||||| base" || l.starts_with(">>>>>>> release"))
}

/// The result around a spot.
#[derive(Debug, Default)]
pub(crate) struct Sheet {
    /// Line numbers from 1, the text, and whether the line belongs to the spot.
    pub(crate) lines: Vec<(usize, String, bool)>,
}

/// Lines that are shown around a spot.
const AROUND: usize = 4;

impl Sheet {
    pub(crate) fn of(bytes: &[u8], spot: Option<Lines>) -> Self {
        let lines = split_lines(bytes);
        let spot = spot.map_or(0..0, |l| l.range());
        let from = spot.start.saturating_sub(AROUND);
        let rows = lines.iter().enumerate().skip(from).take(spot.len() + 200);
        let row = |(k, line): (usize, &daxle_core::text::Line<'_>)| {
            (k + 1, String::from_utf8_lossy(line.content).into_owned(), spot.contains(&k))
        };
        Sheet { lines: rows.map(row).collect() }
    }

    pub(crate) fn note(text: &str) -> Self {
        Sheet { lines: vec![(0, text.to_string(), false)] }
    }
}
