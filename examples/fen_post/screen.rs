//! What the player sees. Every sign is a character of its own, so that colour is never the only one.

use keblin::Phase;
use keblin::progress::{Asks, Standing};
use ratatui::Frame;
use ratatui::layout::{Constraint, Layout, Rect};
use ratatui::style::{Color, Modifier, Style};
use ratatui::text::{Line, Span};
use ratatui::widgets::{Block as Frames, Paragraph, Wrap};

use crate::fen_post::{self, Game, fields, unlocks};
use crate::game::{Block, Choice, FenPost, Playing, Question, Screen};
use crate::route::{HEIGHT, Route, WIDTH};

/// The smallest window.
const SMALLEST: (u16, u16) = (80, 24);

/// How many lines the debug display has.
const OVERLAY: u16 = 17;

const QUIET: Style = Style::new().fg(Color::DarkGray);
const MARKED: Style = Style::new().fg(Color::Yellow).add_modifier(Modifier::BOLD);
const GOOD: Style = Style::new().fg(Color::Green);
const BAD: Style = Style::new().fg(Color::Red);

/// Draws a frame.
pub(crate) fn draw(frame: &mut Frame<'_>, game: &FenPost) {
    let area = frame.area();
    if area.width < SMALLEST.0 || area.height < SMALLEST.1 {
        let (wide, high) = SMALLEST;
        let text = format!(
            "Please make the window at least {wide} by {high}; it is {} by {}.",
            area.width, area.height
        );
        frame.render_widget(Paragraph::new(text).wrap(Wrap { trim: true }), area);
        return;
    }
    let [top, middle, bottom, keys] = Layout::vertical([
        Constraint::Length(2),
        Constraint::Fill(1),
        Constraint::Length(3),
        Constraint::Length(1),
    ])
    .areas(area);
    frame.render_widget(Line::styled(" The Fen Post", MARKED), top);
    let (lines, help) = match &game.state {
        Ok(playing) => {
            let messages = playing.messages.iter().map(|message| Line::raw(format!(" {message}")));
            frame.render_widget(Paragraph::new(messages.collect::<Vec<_>>()), bottom);
            playing_lines(playing)
        }
        Err(block) => blocked(block),
    };
    frame.render_widget(Paragraph::new(lines).wrap(Wrap { trim: false }), middle);
    frame.render_widget(Line::styled(format!(" {help}"), QUIET), keys);
    if let Ok(playing) = &game.state
        && playing.shows_overlay
    {
        overlay(frame, playing, middle);
    }
}

/// Why nobody can play yet, with the choices.
fn blocked(block: &Block) -> (Vec<Line<'static>>, &'static str) {
    match block {
        Block::InUse => (
            vec![
                Line::raw(" The Fen Post is already played in another window."),
                Line::raw(" Only one of them can save, so that neither takes letters from the other."),
            ],
            "Enter: try again   l: look at the saved game, without saving   q: quit",
        ),
        Block::Damaged(ruin) => {
            let mut lines = vec![Line::styled(" The saved game is damaged:", BAD)];
            let faults = ruin.faults().iter().map(|(path, fault)| {
                Line::raw(format!("   {}: {fault}", path.file_name().unwrap_or_default().to_string_lossy()))
            });
            lines.extend(faults);
            lines.push(Line::raw(""));
            lines.push(Line::raw(match ruin.offer() {
                Some(head) => {
                    format!(" An earlier save was found: number {}, saved at {}.", head.number, head.cause)
                }
                None => " No earlier save was found.".to_string(),
            }));
            lines.push(Line::raw(
                " The damaged files are set aside, whatever you choose; nothing is deleted.",
            ));
            (lines, "e: continue with the earlier save   n: begin anew   q: quit, and change nothing")
        }
        Block::Failed(why) => (vec![Line::styled(format!(" {why}"), BAD)], "q: quit"),
    }
}

fn playing_lines(playing: &Playing) -> (Vec<Line<'static>>, &'static str) {
    match &playing.screen {
        Screen::Title(at) => (title(playing, *at), "up, down: choose   Enter: take it   d: debug   q: quit"),
        Screen::Ask(Question::Replace(_)) => {
            (vec![Line::raw(" A run waits. A new one replaces it. Begin anew?")], "y: yes   n: no")
        }
        Screen::Ask(Question::Erase) => (
            vec![
                Line::styled(" This erases everything: the run, the stamps, the best crossings.", BAD),
                Line::raw(" The volume of the horn stays. Erase it?"),
            ],
            "y: yes, erase it   n: no",
        ),
        Screen::Settings => {
            let volume = playing.kept.game.get(fields::HORN_VOLUME);
            let bar = "#".repeat(usize::try_from(volume).unwrap_or(0));
            let line = format!("  The horn: {bar:.<10} {volume} of 10");
            (vec![Line::raw(line)], "left, right: quieter, louder   Esc: back")
        }
        Screen::Map(at) => (map(playing, *at), "up, down: choose   Enter: set out   d: debug   Esc: title"),
        Screen::Route(route) => {
            (water(playing, route), "arrows: row   space: cut, crank   d: debug   Esc: map")
        }
    }
}

fn title(playing: &Playing, at: usize) -> Vec<Line<'static>> {
    let game = &playing.kept.game;
    let words = |choice: &Choice| match choice {
        Choice::Continue => "Continue".to_string(),
        Choice::New(tide) => format!("New run at {} tide", tide.id()),
        Choice::Settings => "Settings".to_string(),
        Choice::Erase => "Erase everything".to_string(),
        Choice::Quit => "Quit".to_string(),
    };
    let choices = playing.choices();
    let mut lines: Vec<Line<'_>> = choices
        .iter()
        .enumerate()
        .map(|(index, choice)| match index == at {
            true => Line::styled(format!(" > {}", words(choice)), MARKED),
            false => Line::raw(format!("   {}", words(choice))),
        })
        .collect();
    lines.push(Line::raw(""));
    let best = game.get(fields::BEST_LETTERS).map_or("none yet".to_string(), |letters| letters.to_string());
    lines.push(Line::raw(format!(" Most letters in a run: {best}")));
    for unlock in unlocks::ALL {
        let mark =
            if game.is_unlocked(*unlock) { Span::styled("[x]", GOOD) } else { Span::styled("[ ]", QUIET) };
        lines.push(Line::from(vec![Span::raw(" "), mark, Span::raw(format!(" {}", unlock.title()))]));
    }
    if playing.is_looking {
        lines.push(Line::styled(" You are looking: nothing is saved.", BAD));
    }
    lines
}

fn map(playing: &Playing, at: usize) -> Vec<Line<'static>> {
    let game = &playing.kept.game;
    let tide = game.difficulty().map_or("", |tide| tide.id());
    let letters = game.get(fields::LETTERS);
    let head = format!(
        " Routes at {tide} tide   boats {}   oil {}   letters {letters}",
        game.get(fields::BOATS),
        game.get(fields::OIL)
    );
    let mut lines = vec![Line::raw(head), Line::raw("")];
    for (index, card) in playing.cards().iter().enumerate() {
        let stars = usize::from(card.facts.stars);
        let stamps = "*".repeat(stars) + &".".repeat(3_usize.saturating_sub(stars));
        let best =
            game.difficulty().and_then(|tide| game.get(fields::BEST_CROSSING.at(card.level, tide)).option());
        let best = best.map_or(String::new(), |time| time.to_string());
        let state = match (card.open, card.current, card.facts.finished) {
            (false, ..) => {
                let missing: Vec<String> = card.missing().map(lacks).collect();
                format!("locked: {}", missing.join(", "))
            }
            (true, true, _) => "you are half-way".to_string(),
            (true, false, true) => "finished".to_string(),
            (true, false, false) => "open".to_string(),
        };
        let style = match (index == at, card.open) {
            (true, _) => MARKED,
            (false, true) => Style::new(),
            (false, false) => QUIET,
        };
        let mark = if index == at { ">" } else { " " };
        let line = format!(" {mark} {:<13} [{stamps}] {best:>10}  {state}", card.level.title());
        lines.push(Line::styled(line, style));
    }
    lines
}

/// What is missing before a route opens.
fn lacks(part: &Standing<Game>) -> String {
    match &part.asks {
        Asks::Finish { level, .. } => format!("deliver to {} first", level.title()),
        _ => part.text(fen_post::schema()),
    }
}

fn water(playing: &Playing, route: &Route) -> Vec<Line<'static>> {
    let game = &playing.kept.game;
    let clock = game.get(fields::ROUTE_CLOCK).as_nanos() / 1_000_000;
    let title = game.level().map_or("", |level| level.title());
    let head = format!(
        " {title}   boats {}   oil {:>2}   satchel {}   letters {}   {:>3}.{} s",
        game.get(fields::BOATS),
        game.get(fields::OIL),
        game.get(fields::SATCHEL).len(),
        game.get(fields::LETTERS),
        clock / 1000,
        clock % 1000 / 100,
    );
    let mut lines = vec![Line::raw(head), Line::raw("")];
    let whirls: Vec<_> = route.whirls(clock).collect();
    let is_dark = game.get(fields::OIL) == 0;
    for row in 0..HEIGHT {
        let cells = (0..WIDTH).map(|column| {
            let far = (column - route.punt.0).abs() > 4 || (row - route.punt.1).abs() > 2;
            if is_dark && far { (' ', Style::new()) } else { sign(playing, route, (column, row), &whirls) }
        });
        let spans = cells.map(|(sign, style)| Span::styled(sign.to_string(), style));
        lines.push(Line::from([vec![Span::raw("  ")], spans.collect()].concat()));
    }
    lines.push(Line::styled(
        "  A punt  = letter  m mooring  o whirlpool  | reeds or gate  i lamp  # bank",
        QUIET,
    ));
    if game.phase() == Phase::Down {
        lines.push(Line::styled("  You fell in!", BAD));
    }
    lines
}

/// The sign of a cell.
fn sign(playing: &Playing, route: &Route, cell: (i32, i32), whirls: &[(i32, i32)]) -> (char, Style) {
    if !route.is_water(cell) {
        return ('#', QUIET);
    }
    let letter = route.letters.iter().position(|letter| *letter == cell);
    if cell == route.punt {
        let is_down = playing.kept.game.phase() == Phase::Down;
        (if is_down { '*' } else { 'A' }, MARKED)
    } else if playing.barrier(route, cell.0).is_some() {
        ('|', GOOD)
    } else if whirls.contains(&cell) {
        ('o', BAD)
    } else if route.moorings.contains(&cell) {
        ('m', Style::new().fg(Color::Cyan))
    } else if letter.is_some_and(|letter| playing.has_letter(route, letter)) {
        ('=', MARKED)
    } else if cell == route.lamp && playing.has_lamp(route) {
        ('i', Style::new().fg(Color::LightYellow))
    } else {
        (if cell.0 == WIDTH - 1 { '>' } else { ' ' }, Style::new())
    }
}

/// Values with their copies, and what last changed, for the developer.
fn overlay(frame: &mut Frame<'_>, playing: &Playing, within: Rect) {
    let game = &playing.kept.game;
    let area = Rect { height: within.height.min(OVERLAY), ..within };
    let changed = game.overlay().into_iter().filter(|line| !line.is_default || line.unsaved);
    let mut lines: Vec<Line<'_>> = changed.map(|line| Line::raw(line.to_string())).collect();
    lines.truncate(usize::from(OVERLAY / 2));
    lines.push(Line::styled("last changes:", QUIET));
    let entries = game.journal().rev().take(6).map(|entry| Line::raw(entry.text(fen_post::schema())));
    lines.extend(entries);
    frame.render_widget(ratatui::widgets::Clear, area);
    frame.render_widget(Paragraph::new(lines).block(Frames::bordered().title(" what Keblin knows ")), area);
}
