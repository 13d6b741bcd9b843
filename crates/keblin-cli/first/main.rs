//! A first game with progress that persists. Run it twice: the second run knows the best score of the first.

use std::time::Duration;

use keblin::SaveDir;

// Makes a name of everything in progress.toml. A misspelt one does not compile.
keblin::schema!(game, "progress.toml");
use game::{Keeper, Notice, checkpoints, fields, levels};

fn main() -> Result<(), Box<dyn std::error::Error>> {
    // While you develop, saves that no longer fit the declaration are set aside. Take that call out before you release.
    let saves = SaveDir::at("saves").while_developing();
    // A missing save is a first run. An error means that a save is there and cannot be opened: show it to the player.
    let mut game = Keeper::open(&saves.slot("player")?)?;

    // Your title screen. `resume` continues a waiting run; `begin` refuses to replace one, and `begin_replacing` does it.
    println!("best score so far: {:?}", game.get(fields::BEST_SCORE).option());
    for card in game.level_cards(None) {
        println!("{}: {}", card.level.title(), if card.open { "open" } else { "locked" });
    }
    game.begin_replacing(None);
    game.enter(levels::MEADOW)?;

    // Your frame loop: call an event where it happens, and `tick` at the end of each frame. What is due is saved by a
    // thread of its own.
    for frame in 0..60 {
        match frame {
            10 | 30 | 50 => {
                game.add(fields::SCORE, 50);
            }
            20 => {
                game.reach(checkpoints::meadow::BRIDGE)?;
            }
            40 => {
                game.die();
                game.respawn()?;
            }
            59 => {
                game.finish()?;
            }
            _ => {}
        }
        for notice in game.drain_notices() {
            match notice {
                Notice::LifeLost { left, .. } => println!("a life lost, left: {left:?}"),
                Notice::NewRecord(_) | Notice::Opened { .. } => println!("{}", notice.text(game::schema())),
                _ => {}
            }
        }
        game.tick(Duration::from_millis(16));
    }

    game.close()?; // saves what is not saved yet, and reports an error
    Ok(())
}
