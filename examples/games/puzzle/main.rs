//! Kiln, 120 puzzles in five workshops: a world map, a level select, a puzzle with a way that branches, and an update of
//! the game. Run it with `cargo run --example puzzle`.

#![expect(clippy::print_stdout, clippy::disallowed_methods, reason = "a program prints and copies a save")]

use std::error::Error;
use std::path::Path;
use std::time::Duration;

use keblin::{Level, SaveDir};

keblin::schema!(kiln, "../../examples/games/puzzle/progress.toml");
use kiln::{Keeper, constants, difficulties, fields, levels, unlocks};

fn main() -> Result<(), Box<dyn Error>> {
    // A player of version 1 installs this version.
    let folder = tempfile::tempdir()?;
    let old = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../examples/games/puzzle/frozen/saves");
    std::fs::copy(old.join("in_the_clay_pit.keblin"), folder.path().join("wren.keblin"))?;
    let mut game = Keeper::open(&SaveDir::at(folder.path()).slot("wren")?)?;
    game.resume()?;
    println!("resumed {} after an update", levels_name(&game));

    play(&mut game, levels::CLAY_07, 80)?;
    play(&mut game, levels::CLAY_07, 38)?;
    play(&mut game, levels::CLAY_10, 52)?;
    game.submit(fields::SHARDS.at(levels::CLAY_10), 3);
    world_map(&game);
    level_select(&game);
    for (unlock, title) in [(unlocks::SHELF, "a shelf"), (unlocks::MASTER, "master")] {
        for part in game.why_not_unlocked(unlock).iter().filter(|part| !part.met) {
            println!("{title}: {} of {}", part.held, part.needed);
        }
    }
    game.close()?;
    Ok(())
}

fn levels_name(game: &Keeper) -> &'static str {
    game.level().map_or("nothing", |level| level.id())
}

/// Plays a puzzle in some moves, and says what came of it.
fn play(game: &mut Keeper, level: Level<kiln::Game>, moves: i64) -> Result<(), Box<dyn Error>> {
    game.enter(level)?;
    game.set(fields::MOVES, moves);
    game.tick(Duration::from_secs(50));
    let Some(done) = game.finish()? else { return Ok(()) };
    println!("{level}: {moves} moves, par {}, {} of 3 stars", constants::PAR.at(level), done.stars);
    for way in &done.all_next {
        println!("  then {}{}", way.level, if way.open { "" } else { ", locked" });
    }
    Ok(())
}

/// A world map: what is done in each workshop, and why one is shut.
fn world_map(game: &Keeper) {
    let schema = kiln::schema();
    for card in game.chapter_cards(Some(difficulties::RAW)) {
        let title = card.chapter.title();
        let missing: Vec<String> = card.missing().map(|part| part.text(schema)).collect();
        let shut = if missing.is_empty() { String::new() } else { format!("; shut: {}", missing.join(", ")) };
        println!(
            "{title}: {} of {} finished, {} of {} stars{shut}",
            card.finished, card.levels, card.stars, card.stars_of
        );
    }
}

/// A level select: the puzzles that can be played now.
fn level_select(game: &Keeper) {
    let cards = game.level_cards(None);
    let open = cards.iter().filter(|card| card.open && !card.facts.finished);
    for card in open {
        let place = card.place.map_or("a secret".to_string(), |place| place.to_string());
        println!("{}: {place}", card.level.title());
    }
}
