//! A save of version 1 opens in version 2 without any code: the compiled names include the frozen version 1 and the
//! step from it, and a missing step does not compile.

#![expect(
    clippy::print_stdout,
    clippy::disallowed_methods,
    reason = "a program prints and reads its arguments"
)]

use std::sync::Arc;

use keblin::{Field, Keeper, SaveDir, Schema};

keblin::schema!(marsh_post, "../../examples/migrate/progress.toml");
use marsh_post::{Notice, fields, levels};

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let folder = std::env::args_os().nth(1).map_or("marsh_post_saves".into(), std::path::PathBuf::from);
    let slot = SaveDir::at(folder).slot("anke")?;
    if !slot.path().exists() {
        play_as_it_was_then(&slot)?;
    }

    let mut game = marsh_post::Keeper::open(&slot)?;
    for notice in game.drain_notices() {
        if let Notice::Migrated(account) = notice {
            println!("{account}");
        }
    }
    println!("letters {}", game.get(fields::LETTERS));
    println!("lamp oil {}", game.get(fields::LAMP_OIL));
    let best = game.get(fields::BEST_WALK.at(levels::HERON_FORD));
    println!("heron ford in {}", best.map_or("no time yet".to_string(), |best| best.to_string()));

    // The first good save is version 2. The save that anke played becomes the backup.
    game.add(fields::LETTERS, 1);
    game.close()?;
    Ok(())
}

/// The game as it was a year ago, which this program no longer is.
fn play_as_it_was_then(slot: &keblin::store::Slot) -> Result<(), Box<dyn std::error::Error>> {
    let then = Schema::parse("frozen/v1.toml", include_str!("migrate/frozen/v1.toml"))?.schema;
    let then = Arc::new(then);
    let (parcels, oil): (Field<i64>, Field<i64>) = (then.field("parcels")?, then.field("lamp_oil")?);
    let ford = then.field_per::<Option<f64>, _>("walk")?.at(then.level("ford")?);
    let mut game = Keeper::open(slot, &then)?;
    game.add(parcels, 31);
    game.set(oil, 75);
    game.submit(ford, 92.4);
    game.close()?;
    Ok(())
}
