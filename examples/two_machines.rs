//! Two machines: a laptop and a desktop continue the same save, both offline. Then a sync program copies one file over
//! the other, and the game opens with what both have earned.

#![expect(
    clippy::print_stdout,
    clippy::disallowed_methods,
    reason = "a program prints, and plays a sync program"
)]

use std::fs;
use std::path::Path;

use keblin::SaveDir;
use keblin::reconcile::reconcile;
use keblin::verify::verify;

keblin::schema!(otter, "two_machines.toml");
use otter::{Keeper, fields, levels};

type Failed = Box<dyn std::error::Error>;

/// Opens the game on a machine, plays a run, and closes it.
fn play(machine: &Path, fish: i64, stars: i64) -> Result<Keeper, Failed> {
    let mut game = Keeper::open(&SaveDir::at(machine).slot("otter")?)?;
    game.begin_replacing(None);
    game.enter(levels::BROOK)?;
    game.add(fields::FISH, fish);
    game.add(fields::FISH_IN_ALL, fish);
    game.finish_with_stars(stars)?;
    game.end_run()?;
    Ok(game)
}

fn main() -> Result<(), Failed> {
    let folder = tempfile::tempdir()?;
    let [laptop, desktop] = ["laptop", "desktop"].map(|machine| folder.path().join(machine));
    let [on_laptop, on_desktop] = [&laptop, &desktop].map(|machine| machine.join("otter.keblin"));

    // The first run, and the sync program copies the save to the other machine.
    play(&laptop, 9, 1)?.close()?;
    fs::create_dir_all(&desktop)?;
    fs::copy(&on_laptop, &on_desktop)?;

    // Both play, and neither is online. The laptop's game is still running.
    let mut game = play(&desktop, 4, 2)?;
    game.set(fields::HAT, "straw".into());
    game.close()?;
    let mut game = play(&laptop, 12, 3)?;
    game.save_now()?;

    // What would become of each value. A game with a cloud of its own asks the same.
    let (ours, theirs) = (fs::read(&on_laptop)?, fs::read(&on_desktop)?);
    let [ours, theirs] = [verify(&ours, otter::schema())?, verify(&theirs, otter::schema())?];
    let both = reconcile(ours.snapshot(), theirs.snapshot())?;
    for line in both.account() {
        println!("{line}");
    }

    // The laptop is online again, and the sync program puts the desktop's file in place of its own. The next save
    // notices, and merges the two. If the game were closed, opening it would do the same.
    fs::copy(&on_desktop, &on_laptop)?;
    game.drain_notices().for_each(drop);
    game.save_now()?;
    for notice in game.drain_notices() {
        println!("notice: {}", notice.word());
    }
    println!("best catches: {:?}", game.table(fields::BEST_CATCH).collect::<Vec<_>>());
    println!("fish in all: {}, hat: {}", game.get(fields::FISH_IN_ALL), game.get(fields::HAT));
    game.close()?;
    Ok(())
}
