//! Clocks and moments: real time in frames of any length, and conditions that are reported once when they become
//! true, however far a value jumps past them. A bound that follows another value takes effect in the same event.

#![expect(clippy::print_stdout, reason = "a program prints")]

use keblin::{Field, Notice, Progress, Schema, Time};

/// What a game does with its notices; this one prints the moments.
fn told(game: &mut Progress, what: &str) {
    let schema = game.schema().clone();
    let moments = game.drain_notices().filter(|notice| matches!(notice, Notice::Moment(_)));
    let moments: Vec<String> = moments.map(|notice| notice.text(&schema)).collect();
    println!("{what}: {}", if moments.is_empty() { "nothing".to_string() } else { moments.join(", ") });
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let schema = Schema::parse("clocks_and_moments.toml", include_str!("clocks_and_moments.toml"))?.schema;
    let int = |id: &str| schema.field::<i64>(id);
    let (fish, warmth, cold) = (int("fish")?, int("warmth")?, int("cold")?);
    let clock: Field<Time> = schema.field("clock")?;
    let brook = schema.level("brook")?;

    let mut game = Progress::new(schema);
    game.begin(None)?;
    game.enter(brook)?;
    game.add(fish, 7);
    told(&mut game, "seven fish");
    game.add(fish, 8);
    told(&mut game, "eight more, past ten");
    game.add(fish, -10);
    game.add(fish, 10);
    told(&mut game, "down and up again");

    game.add(cold, 6);
    println!("the cold takes 6: warmth {} of {}", game.get(warmth), 8 - game.get(cold));
    told(&mut game, "and so");

    // Sixty frames of a sixtieth of a second are one second, to the nanosecond; a loading screen does not count.
    (0..60).for_each(|_| game.tick_secs(1.0 / 60.0));
    game.pause(true);
    game.tick_secs(30.0);
    game.pause(false);
    told(&mut game, "after a second");
    game.tick_secs(1.5);
    println!("the clock shows {}", game.get(clock));
    told(&mut game, "past two seconds");
    Ok(())
}
