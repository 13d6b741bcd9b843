//! A game's own struct, tied to fields: no level copies a value by hand, and what takes no part in a level is named.

#![expect(clippy::print_stdout, reason = "an example prints")]

use keblin::Carry;

keblin::schema!(lamplighter, "carry.toml");
use lamplighter::{Progress, checkpoints, levels};

/// What the game moves and draws. Its members are plain values of Rust.
#[derive(Debug, Default, Carry)]
#[carry(lamplighter)]
struct Walker {
    oil: i32,
    #[carry(field = lamps_lit)]
    lit: u16,
    /// Of this moment alone: it goes with the struct, and into no save.
    #[carry(skip)]
    seconds_idle: f32,
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let mut game = Progress::new();
    game.watch_coverage();

    // The walker has what the declaration says from the start: a zero that Rust made is no value of the player's.
    let mut walker = game.carry(Walker::default());
    game.with(&mut walker).begin(None)?;
    println!("begun: oil {}, lit {}", walker.oil, walker.lit);

    game.with(&mut walker).enter(levels::QUAY)?;
    (walker.oil, walker.lit) = (walker.oil - 12, walker.lit + 3);
    game.with(&mut walker).reach(checkpoints::quay::STEPS)?;
    (walker.oil, walker.lit) = (walker.oil - 20, walker.lit + 4);
    println!("at the end of the quay: oil {}, lit {}", walker.oil, walker.lit);

    // The death puts back what its declaration says, and the walker has it at once.
    game.with(&mut walker).die();
    println!("after a fall: oil {}, lit {}", walker.oil, walker.lit);
    game.with(&mut walker).respawn()?;
    game.with(&mut walker).finish_with_stars(0)?;

    game.with(&mut walker).enter(levels::MARKET)?;
    walker.oil -= 90;
    walker.seconds_idle = 3.5;
    // A can holds no less than nothing: the walker has what the declaration allows.
    game.with(&mut walker).finish_with_stars(0)?;
    println!("at the market: oil {}, idle for {} s", walker.oil, walker.seconds_idle);

    // The matches are carried through both levels, and neither ever looked at them.
    for covered in game.coverage() {
        let (level, never) = (covered.level.id(), covered.never_handed_over);
        println!(
            "{level} never changes {}",
            never.iter().map(|name| name.as_str()).collect::<Vec<_>>().join(", ")
        );
    }
    Ok(())
}
