//! A first program: an otter fishes, dies, finishes a level, and the save is still there tomorrow. Run it twice.

#![expect(
    clippy::print_stdout,
    clippy::disallowed_methods,
    reason = "a program prints and reads its arguments"
)]

use std::sync::Arc;

use keblin::{Field, Keeper, Notice, SaveDir, Schema};

fn main() -> Result<(), Box<dyn std::error::Error>> {
    // What persists is declared once, in quickstart.toml. A wrong name or type ends here and says what was meant.
    let schema = Arc::new(Schema::parse("quickstart.toml", include_str!("quickstart.toml"))?.schema);
    let brook = schema.level("brook")?;
    let weir = schema.level("weir")?;
    let log = schema.checkpoint(brook, "log")?;
    let fish: Field<i64> = schema.field("fish")?;
    let best_catch: Field<Option<i64>> = schema.field("best_catch")?;

    // No save yet is a first run, not an error; and "never" is None, not 0.
    let folder = std::env::args_os().nth(1).map_or(std::env::temp_dir().join("otter_brook"), Into::into);
    let mut game = Keeper::open(&SaveDir::at(folder).slot("otter")?, &schema)?;
    println!("best catch so far: {:?}", game.get(best_catch));

    game.begin_replacing(None);
    if let Err(refused) = game.enter(weir) {
        println!("{refused}");
    }
    game.enter(brook)?;
    game.add(fish, 3);
    game.reach(log)?; // three fish are safe now
    game.add(fish, 2);
    game.die(); // and these two are lost
    game.respawn()?;
    game.add(fish, 1);
    game.finish_with_stars(2)?; // the better of two ratings is kept
    game.end_run()?; // every way a run can end feeds the best catch

    // Redraw from what happened; nothing has to be polled.
    for notice in game.drain_notices() {
        if let Notice::LifeLost { .. } | Notice::NewRecord(_) | Notice::Opened { .. } = notice {
            println!("{}", notice.text(&schema));
        }
    }
    // In a game's loop, `game.tick(elapsed)` ends each frame and saves what is due without being waited for.
    println!("caught {} fish", game.get(fish));
    if let Some(saved) = game.close()? {
        println!("save {} is {} bytes", saved.number, saved.len_bytes);
    }
    Ok(())
}
