//! A game's own struct, tied to fields: no level copies a value by hand, and a level that ignores a value is
//! reported.

#![expect(clippy::print_stdout, reason = "an example prints")]

use keblin::Carry;

keblin::schema!(lamplighter, "carry.toml");
use lamplighter::{Progress, checkpoints, levels};

/// What the game moves and draws. Its members are plain Rust values.
#[derive(Debug, Default, Carry)]
#[carry(lamplighter)]
struct Walker {
    oil: i32,
    #[carry(field = lamps_lit)]
    lit: u16,
    /// Only for this moment: it is part of the struct, and never saved.
    #[carry(skip)]
    seconds_idle: f32,
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let mut game = Progress::new();
    game.watch_coverage();

    // The walker has the declared values from the start: a zero of `Default` never replaces the player's value.
    let mut walker = game.carry(Walker::default());
    game.with(&mut walker).begin(None)?;
    println!("begun: oil {}, lit {}", walker.oil, walker.lit);

    game.with(&mut walker).enter(levels::QUAY)?;
    (walker.oil, walker.lit) = (walker.oil - 12, walker.lit + 3);
    game.with(&mut walker).reach(checkpoints::quay::STEPS)?;
    (walker.oil, walker.lit) = (walker.oil - 20, walker.lit + 4);
    println!("at the end of the quay: oil {}, lit {}", walker.oil, walker.lit);

    // The death resets values as declared, and the walker has them at once.
    game.with(&mut walker).die();
    println!("after a fall: oil {}, lit {}", walker.oil, walker.lit);
    game.with(&mut walker).respawn()?;
    game.with(&mut walker).finish_with_stars(0)?;

    game.with(&mut walker).enter(levels::MARKET)?;
    walker.oil -= 90;
    walker.seconds_idle = 3.5;
    // A can cannot hold less than nothing: the walker has the clamped value.
    game.with(&mut walker).finish_with_stars(0)?;
    println!("at the market: oil {}, idle for {} s", walker.oil, walker.seconds_idle);

    // The matches were carried through both levels, but no level read or changed them.
    for covered in game.coverage() {
        let (level, never) = (covered.level.id(), covered.never_changed);
        println!(
            "{level} never changes {}",
            never.iter().map(|name| name.as_str()).collect::<Vec<_>>().join(", ")
        );
    }
    Ok(())
}
