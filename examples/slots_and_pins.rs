//! Several slots, automatic saving, pins, and a second view of a slot that is being played.

#![expect(
    clippy::print_stdout,
    clippy::disallowed_methods,
    reason = "a program prints and reads its arguments"
)]

use std::sync::Arc;
use std::time::Duration;

use keblin::{Field, Keeper, Notice, SaveDir, Schema};

const FRAME: Duration = Duration::from_millis(16);

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let schema = Schema::parse("slots_and_pins.toml", include_str!("slots_and_pins.toml"))?.schema;
    let schema = Arc::new(schema);
    let causeway = schema.level("causeway")?;
    let stone = schema.checkpoint(causeway, "stone")?;
    let oil: Field<i64> = schema.field("oil")?;
    let most_oil: Field<Option<i64>> = schema.field("most_oil")?;
    let folder = std::env::args_os().nth(1).map_or("marsh_lamp_saves".into(), std::path::PathBuf::from);
    let saves = SaveDir::at(folder);

    // One keeper per slot. It is the game's progress, and it saves itself.
    let slot = saves.slot("anke")?;
    let mut game = Keeper::open(&slot, &schema)?;
    game.begin_replacing(None);
    game.enter(causeway)?;
    game.add(oil, -15);
    game.reach(stone)?; // `autosave` names checkpoints: a save is due
    game.tick(FRAME); // ends the frame; a thread writes the save

    // The player pins this state, and returns to it when the lamp is empty.
    game.pin("at_the_stone")?;
    game.add(oil, -40);
    println!("oil {} of the lamp, and the pins are:", game.get(oil));
    for pin in game.pins()? {
        let saved = pin.head?.state;
        println!("  {}, {}", pin.name, saved.summary.level.unwrap_or_default());
    }
    game.back_to("at_the_stone", true)?;
    println!("back at the stone: oil {}", game.get(oil));

    // A second copy of the game, or another window, can look at the slot without harm.
    let second = saves.slot("anke")?;
    match Keeper::open(&second, &schema) {
        Err(error) => {
            println!("the second copy: {}", error.to_string().split(':').next().unwrap_or_default())
        }
        Ok(_) => println!("the second copy has the slot"),
    }
    println!("but it can look: oil {}", Keeper::view(&second, &schema)?.get(oil));

    game.end_run()?;
    for notice in game.drain_notices() {
        if let Notice::NewRecord(_) | Notice::NotWritten { .. } = notice {
            println!("{}", notice.text(&schema));
        }
    }
    // The one moment to wait, and to say so if the disk refuses.
    game.close()?;

    // Another player's slot is separate, until it is copied.
    let other = Keeper::open(&saves.slot("jorid")?, &schema)?;
    println!("jorid: {:?}", other.get(most_oil));
    drop(other);
    for entry in saves.list()? {
        let saved = entry.head?.state;
        println!("slot {}, saved because of {}", entry.name, saved.cause);
    }
    Ok(())
}
