//! The frame loop of docs/tour.md, played without a window.

#![expect(clippy::print_stdout, clippy::disallowed_methods, reason = "an example prints and needs a folder")]

use std::time::Duration;

use keblin::progress::Signal;
use keblin::{Carried, Carry, Refused, SaveDir};

keblin::schema!(fen_walk, "tour.toml");
use fen_walk::{Keeper, Notice, checkpoints, fields, levels};

/// What the game's own code sees in one frame.
#[derive(Default)]
struct Seen {
    fell: bool,
    at_stone: bool,
    at_goal: bool,
    picked_up: u32,
    elapsed: Duration,
}

// The frame of docs/tour.md begins here.
#[derive(Default, Carry)]
#[carry(fen_walk)]
struct Walker {
    letters: u32,
    lanterns: u8,
}

fn frame(game: &mut Keeper, walker: &mut Carried<Walker>, seen: &Seen) -> Result<(), Refused> {
    walker.letters += seen.picked_up; // the game's own code changes its own struct
    {
        let mut game = game.with(walker);
        game.feed(Signal::Reach(checkpoints::causeway::STONE), seen.at_stone)?;
        game.feed(Signal::Death, seen.fell)?; // true for any number of frames: one death
        game.feed(Signal::Finish, seen.at_goal)?;
    } // here the struct has the values that the events left
    for notice in game.drain_notices() {
        match notice {
            Notice::LifeLost { left, .. } => println!("splash! {} lanterns left", left.unwrap_or(0)),
            Notice::CheckpointReached(checkpoints::causeway::STONE) => println!("rest at the stone"),
            Notice::Finished { level: Some(level), stars } => {
                println!("{} finished with {stars} stars", level.id())
            }
            Notice::NewRecord(record) => {
                if let Some(beaten) = record.of(fields::MOST_LETTERS) {
                    println!("most letters ever: {}", beaten.now);
                }
            }
            Notice::NotWritten { message } => println!("{message}"),
            _ => {}
        }
    }
    game.tick(seen.elapsed); // ends the frame; a due save goes to the writer thread
    Ok(())
}

fn menu(game: &Keeper) {
    for card in game.level_cards(None) {
        let missing: Vec<String> = card.missing().map(|part| part.text(fen_walk::schema())).collect();
        match card.open {
            true => println!("{}: {} stars", card.level.id(), card.facts.stars),
            false => println!("{}: {}", card.level.id(), missing.join(", ")),
        }
    }
}
// It ends here.

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let folder = std::env::args_os().nth(1).map_or("fen_walk_saves".into(), std::path::PathBuf::from);
    let mut game = Keeper::open(&SaveDir::at(folder).slot("walker")?)?;
    let mut walker = game.carry(Walker::default());
    menu(&game);
    game.with(&mut walker).begin_replacing(None);
    game.with(&mut walker).enter(levels::CAUSEWAY)?;
    for number in 0..240 {
        let seen = Seen {
            picked_up: u32::from(matches!(number, 10 | 20 | 60 | 150)),
            at_stone: (30..40).contains(&number),
            fell: (70..115).contains(&number),
            at_goal: number > 200,
            elapsed: Duration::from_micros(16_667),
        };
        frame(&mut game, &mut walker, &seen)?;
        if number == 120 {
            game.with(&mut walker).respawn()?;
        }
    }
    menu(&game);
    game.close()?;
    Ok(())
}
