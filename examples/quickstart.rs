//! A first program: an otter fishes, dies, finishes a level, and the save is still there tomorrow. Run it twice.

#![expect(
    clippy::print_stdout,
    clippy::disallowed_methods,
    reason = "a program prints and reads its arguments"
)]

use keblin::SaveDir;

// quickstart.toml declares what persists, and the compiler checks its names: a wrong one does not compile.
keblin::schema!(otter, "quickstart.toml");
use otter::{Keeper, Notice, checkpoints, fields, levels};

fn main() -> Result<(), Box<dyn std::error::Error>> {
    // A missing save is a first run, not an error; and "never" is None, not 0.
    let folder = std::env::args_os().nth(1).map_or("otter_saves".into(), std::path::PathBuf::from);
    let mut game = Keeper::open(&SaveDir::at(folder).slot("otter")?)?;
    println!("best catch so far: {:?}", game.get(fields::BEST_CATCH));

    game.begin_replacing(None);
    if let Err(refused) = game.enter(levels::WEIR) {
        println!("{refused}");
    }
    game.enter(levels::BROOK)?;
    game.add(fields::FISH, 3);
    game.reach(checkpoints::brook::LOG)?; // three fish are safe
    game.add(fields::FISH, 2);
    game.die(); // the other two are lost
    game.respawn()?;
    game.add(fields::FISH, 1);
    game.finish_with_stars(2)?; // the better of two ratings is kept
    game.end_run()?; // however a run ends, the best catch counts

    // Redraw from the notices instead of polling.
    for notice in game.drain_notices() {
        if let Notice::LifeLost { .. } | Notice::NewRecord(_) | Notice::Opened { .. } = notice {
            println!("{}", notice.text(otter::schema()));
        }
    }
    // In a game's loop, `game.tick(elapsed)` ends each frame, and a background thread saves what is due.
    println!("caught {} fish", game.get(fields::FISH));
    if let Some(saved) = game.close()? {
        println!("save {} is {} bytes", saved.number, saved.len_bytes);
    }
    Ok(())
}
