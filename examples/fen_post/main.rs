//! The Fen Post, to be played in a terminal: `cargo run --example fen_post`. Arrow keys row, the space bar cuts reeds and
//! cranks gates, Esc goes back, and `d` shows what Keblin knows. What persists is in `demo/progress.toml`, and `kept.rs` is
//! all the code for it.

#![expect(
    clippy::disallowed_methods,
    reason = "a game has a clock, and takes its folder from the command line"
)]

mod game;
mod kept;
mod route;
mod screen;
#[cfg(test)]
mod tests;
mod things;
mod water;

use std::time::{Duration, Instant};

use ratatui::crossterm::event::{self, Event, KeyEventKind};

use game::FenPost;

keblin::schema!(fen_post, "../../demo/progress.toml");

/// How long a frame takes.
const FRAME: Duration = Duration::from_millis(33);

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let folder = std::env::args_os().nth(1).map_or("fen_post_saves".into(), std::path::PathBuf::from);
    let mut game = FenPost::new(folder);
    let mut terminal = ratatui::try_init()?;
    let played = play(&mut terminal, &mut game);
    ratatui::try_restore()?;
    played?;
    // The keeper saves by itself when it is dropped; closing it also says whether that worked.
    if let Ok(playing) = game.state
        && !playing.is_looking
    {
        playing.kept.game.close()?;
    }
    Ok(())
}

fn play(terminal: &mut ratatui::DefaultTerminal, game: &mut FenPost) -> std::io::Result<()> {
    let mut last = Instant::now();
    while !game.is_over {
        terminal.draw(|frame| screen::draw(frame, game))?;
        if event::poll(FRAME.saturating_sub(last.elapsed()))?
            && let Event::Key(key) = event::read()?
            && key.kind != KeyEventKind::Release
        {
            game.key(key.code);
        }
        let now = Instant::now();
        if now - last >= FRAME {
            game.frame(now - last);
            last = now;
        }
    }
    Ok(())
}
