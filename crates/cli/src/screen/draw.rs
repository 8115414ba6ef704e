//! How the screen looks. Marks never rest on colour alone: what differs is underlined, what is chosen has an arrow.

use daxle_core::carry::account::{Account, Blob, Decision, State};
use daxle_core::changes::{Part, beside};
use ratatui::Frame;
use ratatui::layout::{Constraint, Layout, Rect};
use ratatui::style::{Color, Modifier, Style, Stylize};
use ratatui::text::{Line, Span};
use ratatui::widgets::{Block, Borders, Clear, Paragraph, Wrap};
use unicode_width::UnicodeWidthStr;

use super::model::{Item, Model, Overlay, Sheet, text};
use crate::console::harmless;
use crate::show::answer_words;

const KEYS: [(&str, &str); 13] = [
    ("s", "site"),
    ("r", "release"),
    ("b", "both"),
    ("B", "both, site first"),
    ("e", "edit"),
    ("u", "undo"),
    ("space", "skip"),
    ("n/p", "next/previous"),
    ("/", "search"),
    ("a", "all"),
    ("v", "vendor's notes"),
    ("?", "help"),
    ("q", "leave"),
];

const HELP: &str = "\
s        take the site's side
r        take the release's side
b        take both, the release's first
B        take both, the site's first
e        write it yourself, in $EDITOR
u        take the answer at hand back, or the last one
space    skip to the next open decision
n p ↓ ↑  next, previous; Home and End: first, last
PgDn PgUp  scroll the sides
/        search in paths and sides; N: again
a        list everything that was settled, fitted or moved
v        what the vendor says of the release
q        leave; every answer is saved already

Any key closes this.";

/// Draws the screen.
pub(crate) fn draw(frame: &mut Frame<'_>, model: &mut Model, account: &Account, sheet: &Sheet) {
    let keys = key_lines(frame.area().width);
    let list = (model.items.len().clamp(1, 7) as u16).min(frame.area().height / 5);
    let columns = columns(model, account);
    // The sides take what they need, and leave the result at least as much.
    let rest = frame.area().height.saturating_sub(4 + list + keys.len() as u16);
    let inner = usize::from((frame.area().width / columns.len().max(1) as u16).saturating_sub(2)).max(1);
    let longest = columns.iter().map(|c| height(&c.1, inner)).max().unwrap_or(0);
    let wanted = (longest.min(usize::from(rest)) as u16 + 2).clamp(rest.min(5), rest.div_ceil(2).max(rest.min(5)));
    let [head, entries, about, sides, result, message, foot] = Layout::vertical([
        Constraint::Length(1),
        Constraint::Length(list),
        Constraint::Length(2),
        Constraint::Length(wanted),
        Constraint::Fill(1),
        Constraint::Length(1),
        Constraint::Length(keys.len() as u16),
    ])
    .areas(frame.area());
    let bold = Style::new().add_modifier(Modifier::BOLD);
    let open = account.decisions.iter().filter(|d| d.state == State::Open).count();
    let title = format!(
        "Daxle settle  {} into {}  {open} open, {} settled",
        harmless(&account.themes.base.label()),
        harmless(&account.themes.release.label()),
        account.decisions.len() - open
    );
    frame.render_widget(Paragraph::new(Line::styled(title, bold)), head);
    draw_list(frame, model, account, entries);
    frame.render_widget(about_lines(model, account), about);
    draw_sides(frame, model, columns, sides);
    draw_result(frame, sheet, result);
    let said = match (&model.typing, &model.message) {
        (Some(typed), _) => Line::from(format!("search: {typed}▏")),
        (None, Some(message)) => Line::styled(harmless(message), bold),
        (None, None) => Line::default(),
    };
    frame.render_widget(Paragraph::new(said), message);
    frame.render_widget(Paragraph::new(keys), foot);
    match model.sheet {
        Some(Overlay::Help) => draw_over(frame, " keys ", HELP),
        Some(Overlay::Vendor) => draw_over(frame, " the vendor's notes ", &vendor_notes(account)),
        None => {}
    }
}

/// The keys, on as many lines as the width needs.
fn key_lines(width: u16) -> Vec<Line<'static>> {
    let mut lines = vec![Line::default()];
    for (key, what) in KEYS {
        let size = key.width() + what.width() + 3;
        if lines.last().is_some_and(|l| l.width() + size > usize::from(width)) {
            lines.push(Line::default());
        }
        if let Some(line) = lines.last_mut() {
            line.push_span(key.bold().reversed());
            line.push_span(format!(" {what}  "));
        }
    }
    lines
}

fn draw_list(frame: &mut Frame<'_>, model: &Model, account: &Account, area: Rect) {
    let height = usize::from(area.height);
    let first = (model.at + 1).saturating_sub(height.div_ceil(2)).min(model.items.len().saturating_sub(height));
    let mut lines = Vec::new();
    for (k, item) in model.items.iter().enumerate().skip(first).take(height) {
        let arrow = if k == model.at { "▶ " } else { "  " };
        let (mark, path, what) = match item {
            Item::Decision(d) => {
                let decision = &account.decisions[*d];
                let answer = decision.answer.as_ref().map(answer_words);
                match (decision.state, answer) {
                    (State::Open, _) => ("open   ", decision.path.as_str(), decision.reason.words()),
                    (_, Some(words)) => ("settled", decision.path.as_str(), words),
                    (_, None) => ("edited ", decision.path.as_str(), "in the file"),
                }
            }
            Item::Change(c) => {
                let change = &account.changes[*c];
                let path = change.result_path.as_deref().unwrap_or(&change.path);
                let step = change.step.map_or("", |s| s.reason());
                (if change.outcome.word() == "moved" { "moved  " } else { "fitted " }, path, step)
            }
        };
        let line = Line::from(vec![
            Span::raw(arrow),
            Span::styled(mark, mark_style(mark)),
            Span::raw(format!("  {}  ", harmless(path))),
            Span::raw(what).add_modifier(Modifier::DIM),
        ]);
        lines.push(if k == model.at { line.add_modifier(Modifier::BOLD) } else { line });
    }
    if model.items.is_empty() {
        lines.push(Line::from("The carry left nothing open. Press a to see what was fitted or moved, q to leave."));
    }
    frame.render_widget(Paragraph::new(lines), area);
}

fn mark_style(mark: &str) -> Style {
    match mark.trim_end() {
        "open" => Style::new().fg(Color::Yellow),
        "settled" | "edited" => Style::new().fg(Color::Green),
        _ => Style::new().fg(Color::Cyan),
    }
}

/// The reason, the suggestion and the notes.
fn about_lines(model: &Model, account: &Account) -> Paragraph<'static> {
    let mut words = Vec::new();
    match model.items.get(model.at) {
        Some(Item::Decision(k)) => {
            let decision = &account.decisions[*k];
            let line = decision.result.map(|l| format!(":{}", l.line)).unwrap_or_default();
            words.push(format!("{}{line}  {}", harmless(&decision.path), decision.reason.words()));
            words.extend(decision.suggestion.as_deref().map(harmless));
            words.extend(decision.with.as_ref().map(|id| format!("goes with {id}: a side is taken in both")));
            let notes = account.changes.iter().filter(|c| c.decision.as_ref() == Some(&decision.id));
            words.extend(notes.filter_map(|c| c.note.as_ref()).map(|n| format!("note: {}", harmless(n))));
        }
        Some(Item::Change(k)) => {
            let change = &account.changes[*k];
            words.push(format!("{}  {}", harmless(&change.path), change.step.map_or("", |s| s.reason())));
            words.extend(change.note.as_ref().map(|n| format!("note: {}", harmless(n))));
        }
        None => {}
    }
    Paragraph::new(words.join(" · ")).wrap(Wrap { trim: true })
}

/// A side with its title.
type Column = (&'static str, Vec<Line<'static>>);

/// The three sides, each with the words marked in which it differs from the base.
fn columns(model: &Model, account: &Account) -> Vec<Column> {
    match model.items.get(model.at) {
        None => Vec::new(),
        Some(Item::Decision(k)) => {
            let Decision { site, base, release, .. } = &account.decisions[*k];
            let is_text = |blob: &&Blob| blob.bytes().is_some();
            let [site_text, base_text, release_text] = [site, base, release].map(text);
            // What is no text is told in words, and those differ in nothing.
            let column = |blob: &Blob, text: &str, lines: fn(&str, &str) -> Vec<Line<'static>>, other: &str| {
                if is_text(&blob) { lines(other, text) } else { vec![Line::from(text.to_string())] }
            };
            let of_base = if is_text(&base) { base_text.as_str() } else { "" };
            let of_site = if is_text(&site) { site_text.as_str() } else { "" };
            vec![
                ("site", column(site, &site_text, side_lines, of_base)),
                ("base", column(base, &base_text, |site, base| base_lines(base, site), of_site)),
                ("release", column(release, &release_text, side_lines, of_base)),
            ]
        }
        Some(Item::Change(k)) => {
            let change = &account.changes[*k];
            let side = |blob: &Option<Blob>| blob.as_ref().map(text).unwrap_or_default();
            let (added, removed) = (side(&change.added), side(&change.removed));
            vec![("the site put in", side_lines(&removed, &added)), ("in place of", base_lines(&removed, &added))]
        }
    }
}

/// How many rows some lines take when they are wrapped.
fn height(lines: &[Line<'_>], width: usize) -> usize {
    lines.iter().map(|l| l.width().div_ceil(width).max(1)).sum()
}

fn draw_sides(frame: &mut Frame<'_>, model: &mut Model, columns: Vec<Column>, area: Rect) {
    let areas = Layout::horizontal(vec![Constraint::Fill(1); columns.len()]).split(area);
    // Scrolling ends where the longest side does.
    let room = usize::from(area.height.saturating_sub(2));
    let inner = usize::from((area.width / columns.len().max(1) as u16).saturating_sub(2)).max(1);
    let longest = columns.iter().map(|c| height(&c.1, inner)).max().unwrap_or(0);
    model.scroll = model.scroll.min(longest.saturating_sub(room));
    for (k, (name, lines)) in columns.into_iter().enumerate() {
        let more = height(&lines, inner).saturating_sub(model.scroll + room);
        let title = if more > 0 { format!(" {name}  ↓ {more} more ") } else { format!(" {name} ") };
        let block = Block::new().borders(Borders::ALL).title(title);
        let text = Paragraph::new(lines).wrap(Wrap { trim: false }).block(block);
        frame.render_widget(text.scroll((model.scroll as u16, 0)), areas[k]);
    }
}

/// A side's lines; what the base does not have is underlined.
fn side_lines(base: &str, side: &str) -> Vec<Line<'static>> {
    let rows = beside(base.as_bytes(), side.as_bytes());
    rows.iter().filter_map(|r| r.new.as_ref()).map(|c| marked(&c.parts, Color::Green)).collect()
}

/// The base's lines; what the site does not have any more is underlined.
fn base_lines(base: &str, site: &str) -> Vec<Line<'static>> {
    let rows = beside(base.as_bytes(), site.as_bytes());
    rows.iter().filter_map(|r| r.old.as_ref()).map(|c| marked(&c.parts, Color::Red)).collect()
}

fn marked(parts: &[Part], color: Color) -> Line<'static> {
    let span = |part: &Part| {
        let text = untabbed(&String::from_utf8_lossy(&part.text));
        let style = Style::new().fg(color).add_modifier(Modifier::UNDERLINED);
        if part.differs { Span::styled(text, style) } else { Span::raw(text) }
    };
    Line::from(parts.iter().map(span).collect::<Vec<_>>())
}

/// Tabs as blanks, and nothing that could play with the terminal.
fn untabbed(text: &str) -> String {
    harmless(text).replace('\t', "    ")
}

fn draw_result(frame: &mut Frame<'_>, sheet: &Sheet, area: Rect) {
    let width = sheet.lines.last().map_or(1, |(k, ..)| k.to_string().len());
    let line = |(number, text, here): &(usize, String, bool)| {
        let bar = if *here { "┃ " } else { "  " };
        let number = if *number == 0 { String::new() } else { format!("{number:>width$} ") };
        let text = Span::raw(untabbed(text));
        Line::from(vec![
            Span::styled(number, Style::new().add_modifier(Modifier::DIM)),
            Span::styled(bar, Style::new().fg(Color::Yellow)),
            if *here { text } else { text.add_modifier(Modifier::DIM) },
        ])
    };
    let lines: Vec<Line<'_>> = sheet.lines.iter().map(line).collect();
    let block = Block::new().borders(Borders::ALL).title(" the result now ");
    frame.render_widget(Paragraph::new(lines).wrap(Wrap { trim: false }).block(block), area);
}

/// What the vendor says of the versions between.
fn vendor_notes(account: &Account) -> String {
    let notes = account.notes.iter().map(|n| format!("{}\n{}\n", harmless(&n.version), harmless(&n.text)));
    let text = notes.collect::<Vec<_>>().join("\n");
    if text.is_empty() { "The release came without notes that could be read.".into() } else { text }
}

fn draw_over(frame: &mut Frame<'_>, title: &'static str, text: &str) {
    let area = frame.area();
    let lines = text.lines().count() as u16 + 2;
    let (width, height) = (70.min(area.width), lines.min(area.height));
    let inner = Rect::new((area.width - width) / 2, (area.height - height) / 2, width, height);
    frame.render_widget(Clear, inner);
    let block = Block::new().borders(Borders::ALL).title(title);
    frame.render_widget(Paragraph::new(text.to_string()).wrap(Wrap { trim: false }).block(block), inner);
}

#[cfg(test)]
mod tests {
    use daxle_core::carry::account::{Answer, Take};
    use ratatui::Terminal;
    use ratatui::backend::TestBackend;
    use ratatui::crossterm::event::{KeyCode, KeyModifiers};

    use super::*;
    use crate::screen::model::Action;

    fn account() -> Account {
        let decision = |id: &str, state: &str| {
            serde_json::json!({
                "id": id, "path": "a.css", "reason": "both_changed", "state": state, "stands": "markers",
                "result": {"line": 2, "count": 7}, "changes": [],
                "base": {"text": "\ttop: 0;\n"}, "site": {"text": "\ttop: 日本;\n"}, "release": {"text": "\ttop: 2px;\n"},
            })
        };
        let theme = serde_json::json!({"source": "x", "title": "T", "version": "1.0", "files": 1, "name": null});
        serde_json::from_value(serde_json::json!({
            "format": "daxle-account", "format_version": 1, "jump": null,
            "themes": {"base": theme, "site": theme, "release": theme},
            "totals": {"changes": 0, "kept": 0, "fitted": 0, "moved": 0, "already": 0, "open": 0, "dropped": 0},
            "changes": [], "files": [], "vendor": [],
            "decisions": [decision("d1", "edited"), decision("d2", "open"), decision("d3", "open")],
        }))
        .unwrap()
    }

    fn shown(model: &mut Model, account: &Account, width: u16, height: u16) -> String {
        let mut terminal = Terminal::new(TestBackend::new(width, height)).unwrap();
        let sheet = Sheet::of(b"a {\n<<<<<<< site\n\ttop: 1px;\n", account.decisions[1].result);
        terminal.draw(|frame| draw(frame, model, account, &sheet)).unwrap();
        let buffer = terminal.backend().buffer();
        let row = |y| (0..width).map(|x| buffer[(x, y)].symbol()).collect::<String>() + "\n";
        (0..height).map(row).collect()
    }

    #[test]
    fn all_that_matters_fits_a_small_screen() {
        let account = account();
        for (width, height) in [(80, 24), (158, 47), (200, 60)] {
            let text = shown(&mut Model::new(&account), &account, width, height);
            for wanted in
                ["2 open, 1 settled", "▶ open", "top: 2px", "日 本", "the result now", "<<<<<<<", "leave", "help"]
            {
                assert!(text.contains(wanted), "{wanted} at {width}x{height}\n{text}");
            }
        }
        // Nothing of it fails on a screen that is too small for anything.
        shown(&mut Model::new(&account), &account, 20, 6);
    }

    #[test]
    fn keys_ask_for_answers_and_walk() {
        let mut account = account();
        let mut model = Model::new(&account);
        let key = |model: &mut Model, account: &Account, key: char| {
            model.key(KeyCode::Char(key), KeyModifiers::NONE, account)
        };
        assert_eq!(model.at, 1, "it begins at the first open one");
        let action = key(&mut model, &account, 'r');
        assert_eq!(action, Action::Answer("d2".into(), Answer::take(Take::Release)));
        account.decisions[1].state = State::Settled;
        model.answered("d2", Some(&Answer::take(Take::Release)), 0, &account);
        assert_eq!(model.at, 2, "on to the next");
        assert_eq!(key(&mut model, &account, 'u'), Action::Reopen("d2".into()));
        assert_eq!(key(&mut model, &account, 'e'), Action::Edit("d3".into()));
        key(&mut model, &account, '/');
        for letter in "nothing like it".chars() {
            key(&mut model, &account, letter);
        }
        model.key(KeyCode::Enter, KeyModifiers::NONE, &account);
        assert!(shown(&mut model, &account, 80, 24).contains("is not here"));
        assert_eq!(key(&mut model, &account, '?'), Action::None);
        assert!(shown(&mut model, &account, 80, 24).contains("Any key closes this"));
        key(&mut model, &account, 'q');
        assert_eq!(key(&mut model, &account, 'q'), Action::Leave);
    }
}
