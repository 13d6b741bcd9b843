//! Checkpoints and lives: each field says what a death does to it, and a signal that stays on takes one life.

#![expect(clippy::print_stdout, reason = "a program prints")]

use keblin::progress::Signal;
use keblin::{Field, Notice, Progress, Schema};

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let text = include_str!("checkpoints_and_lives.toml");
    let schema = Schema::parse("checkpoints_and_lives.toml", text)?.schema;
    let (breath, fish): (Field<i64>, Field<i64>) = (schema.field("breath")?, schema.field("fish")?);
    let brook = schema.level("brook")?;
    let log = schema.checkpoint(brook, "log")?;

    let mut game = Progress::new(schema);
    game.begin(None)?;
    game.enter(brook)?;
    game.add(breath, -3);
    // The otter rests on the log for half a second. The game feeds that every frame, and needs no flag of its own.
    for _ in 0..30 {
        game.feed(Signal::Reach(log), true)?;
        game.tick_secs(1.0 / 60.0);
    }
    game.add(breath, -6);
    game.add(fish, 2);
    println!("before: breath {}, fish {}", game.get(breath), game.get(fish));

    // The pike holds on for a second, and so does the signal.
    for _ in 0..60 {
        game.feed(Signal::Death, true)?;
        game.tick_secs(1.0 / 60.0);
    }
    let place = game.respawn()?;
    println!("back at {}: breath {}, fish {}", place.text(game.schema()), game.get(breath), game.get(fish));

    let schema = game.schema().clone();
    for notice in game.drain_notices() {
        if matches!(notice, Notice::CheckpointReached(_) | Notice::LifeLost { .. }) {
            println!("{}", notice.text(&schema));
        }
    }
    let last: Vec<String> =
        game.journal().map(|entry| entry.text(&schema)).filter(|text| text.contains("breath")).collect();
    println!("{}", last.join("\n"));
    Ok(())
}
