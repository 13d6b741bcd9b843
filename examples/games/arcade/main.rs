//! Gannet, a game without levels: a table of ten with initials and days, a daily dive with a streak, statistics, and keys
//! that the player chooses. Run it with `cargo run --example arcade`.

#![expect(clippy::print_stdout, clippy::disallowed_methods, reason = "a program prints and copies a save")]

use std::error::Error;
use std::path::Path;
use std::time::Duration;

use keblin::progress::Death;
use keblin::{Date, SaveDir};

keblin::schema!(gannet, "../../examples/games/arcade/progress.toml");
use gannet::lists::{Actions, Fish};
use gannet::{Keeper, Notice, Settings, fields, shapes};

fn main() -> Result<(), Box<dyn Error>> {
    // A player of version 1 installs this version.
    let folder = tempfile::tempdir()?;
    let old = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../examples/games/arcade/frozen/saves");
    std::fs::copy(old.join("kit_at_the_table.keblin"), folder.path().join("cabinet.keblin"))?;
    let saves = SaveDir::at(folder.path());
    // The options of the title screen, before a slot is opened.
    let mut options = Settings::open(&saves);
    options.put_entry(fields::KEYS, Actions::Dive, "space".to_string());
    options.save()?;
    let mut game = Keeper::open(&saves.slot("cabinet")?)?;

    // The game asks the platform for the player's day, not Keblin.
    for (day, score) in [("2026-02-27", 310), ("2026-02-28", 9000), ("2026-03-01", 450), ("2026-03-04", 20)] {
        let today: Date = day.parse()?;
        game.set(fields::TODAY, today);
        daily_dive(&mut game, today, score)?;
    }
    table(&game);
    println!(
        "{} dives in {} runs, {} flown; herring landed: {}",
        game.get(fields::ALL_DIVES),
        game.get(fields::RUNS),
        game.get(fields::ALL_FLOWN),
        game.get(fields::LANDED.at(Fish::Herring))
    );
    for action in [Actions::Dive, Actions::Brake] {
        println!("{action:?}: {}", game.entry(fields::KEYS, action).unwrap_or("the game's own key"));
    }
    game.close()?;
    Ok(())
}

/// One run that counts for the day: three wings, and a streak that goes on if the last one was yesterday.
fn daily_dive(game: &mut Keeper, today: Date, score: i64) -> Result<(), Box<dyn Error>> {
    game.begin_replacing(None);
    game.tick(Duration::from_secs(75));
    game.add(fields::SCORE, score);
    game.add(fields::DIVES, 9);
    game.change_entry(fields::CAUGHT, Fish::Herring, |count| *count += 6);
    game.add(fields::LANDED.at(Fish::Herring), 6);
    while let Some(Death::LifeLost { .. }) = game.die() {
        game.respawn()?;
    }
    game.add(fields::RUNS, 1);

    let goes_on = game.get(fields::LAST_DAILY).is_some_and(|last| today.days_since(last) == 1);
    let streak = if goes_on { game.get(fields::STREAK) + 1 } else { 1 };
    game.submit(fields::LONGEST_STREAK, streak);
    game.set(fields::STREAK, streak);
    game.set(fields::LAST_DAILY, today);
    let entry = shapes::Entry { initials: "KIT".to_string(), on: Some(today), dives: 9 };
    game.submit_with(fields::DAILY, score, entry);
    game.submit(fields::FIRST_FLIGHT, today);
    println!("{today}: {score}, {streak} days in a row");
    for notice in game.drain_notices() {
        if let Notice::NewRecord(record) | Notice::Placed(record) = notice
            && let Some(taken) = record.of(fields::TABLE)
        {
            println!("{} takes place {} of the table", taken.now, record.place);
        }
    }
    Ok(())
}

fn table(game: &Keeper) {
    for (place, (score, entry)) in (1..).zip(game.table_with::<shapes::Entry, _>(fields::TABLE)) {
        let day = entry.on.map_or("long ago".to_string(), |day| day.to_string());
        println!("{place:>2}. {score:>5}  {}  {day}", entry.initials);
    }
}
