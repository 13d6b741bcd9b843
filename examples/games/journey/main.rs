//! Saltroad, a role-playing game: three slots with titles, fires to rest at, a bag, things to wear, three hundred things to
//! see, and a new journey with what was learnt. Run it with `cargo run --example journey`.

#![expect(clippy::print_stdout, clippy::disallowed_methods, reason = "a program prints and copies saves")]

use std::error::Error;
use std::path::Path;
use std::time::{Duration, SystemTime};

use keblin::progress::{Death, Erase};
use keblin::{Instant, SaveDir};

keblin::schema!(saltroad, "../../examples/games/journey/progress.toml");
use saltroad::lists::{Items, Places, Quests, Seen};
use saltroad::shapes::Charm;
use saltroad::{Keeper, checkpoints, fields, levels, resets, unlocks};

fn main() -> Result<(), Box<dyn Error>> {
    // Two players of version 1 install this version, and a third one begins.
    let folder = tempfile::tempdir()?;
    let old = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../examples/games/journey/frozen/saves");
    for (save, slot) in [("ansa_at_the_ford", "one"), ("ilve_at_the_harbour", "two")] {
        std::fs::copy(old.join(format!("{save}.keblin")), folder.path().join(format!("{slot}.keblin")))?;
    }
    let saves = SaveDir::at(folder.path());
    let mut game = Keeper::open(&saves.slot("three")?)?;
    game.set_title("The winter of the three bells")?;
    game.set(fields::NAME, "Runa".to_string());
    walk(&mut game)?;
    game.close()?;
    slots(&saves)?;

    let mut game = Keeper::open(&saves.slot("two")?)?;
    println!("Ilve wears {:?} in her hand", game.get(fields::WORN.at(Places::Hand)));
    game.resume()?;
    begin_again(&mut game)?;
    game.close()?;
    Ok(())
}

/// Rests at a fire, dies in another area, and is back at the fire.
fn walk(game: &mut Keeper) -> Result<(), Box<dyn Error>> {
    game.begin(None)?;
    game.set(fields::SET_OUT, Instant::from(SystemTime::UNIX_EPOCH).date());
    game.enter(levels::INN)?;
    game.change_entry(fields::BAG, Items::Bread, |count| *count += 12);
    game.put_entry(fields::BAG, Items::Cloak, 1);
    game.set(fields::WORN.at(Places::Back), Items::Cloak);
    game.insert(fields::KNOWN, Seen::InnKeeper);
    game.reach(checkpoints::inn::HEARTH)?;
    game.pin_titled("before_the_ford", "Before the ford")?;

    game.push(fields::CHARMS, Charm { made_of: Some(Items::Salt), ..Charm::default() });
    game.change_item(fields::CHARMS, 0, |charm| {
        charm.marks.push("three bells".to_string());
        charm.bead.clear = true;
        charm.helps.insert(Quests::ThreeBells, 9);
    });
    for charm in game.get(fields::CHARMS) {
        let bead = charm.bead.colour;
        println!("a charm with a {bead} bead and {:?}, which helps {:?}", charm.marks, charm.helps);
    }

    game.enter(levels::FORD)?;
    game.tick(Duration::from_secs(600));
    game.change_entry(fields::BAG, Items::Bread, |count| *count -= 5);
    game.change_entry(fields::QUEST, Quests::ThreeBells, |step| *step += 1);
    println!("bread in the bag: {:?}", game.entry(fields::BAG, Items::Bread));
    if let Some(Death::LifeLost { place, .. }) = game.die() {
        println!("she wakes in {} at {}", name(place.level), place.checkpoint.map_or("", |fire| fire.id()));
    }
    game.respawn()?;
    println!("bread in the bag: {:?}", game.entry(fields::BAG, Items::Bread));
    Ok(())
}

fn name(level: Option<keblin::Level<saltroad::Game>>) -> &'static str {
    level.map_or("nowhere", |level| level.id())
}

/// What a screen of slots shows: nothing is opened for it.
fn slots(saves: &SaveDir) -> Result<(), Box<dyn Error>> {
    let schema = saltroad::schema();
    for entry in saves.list()? {
        let summary = entry.head?.state.summary;
        // A save of version 1 does not have a summary of its fields.
        let who = summary.field(schema, fields::NAME).unwrap_or_else(|| "somebody".to_string());
        let coins =
            summary.field(schema, fields::COINS).map_or(String::new(), |coins| format!(", {coins} coins"));
        let title = summary.title.as_deref().unwrap_or("untitled");
        println!("{}: {who}{coins}, {} played, {title}", entry.name, summary.played);
    }
    for pin in saves.slot("three")?.pins()? {
        println!("pin {}: {}", pin.name, pin.head?.state.summary.title.unwrap_or_default());
    }
    Ok(())
}

/// Ends the journey, and begins a new one with what was learnt.
fn begin_again(game: &mut Keeper) -> Result<(), Box<dyn Error>> {
    game.end_run()?;
    let what = Erase::Reset(resets::NEW_JOURNEY);
    let goes = game.erase(&what, false).map_or_else(|refused| refused.to_string(), |_| String::new());
    println!("the player is asked: {goes}");
    game.erase(&what, true)?;
    game.add(fields::JOURNEYS, 1);
    println!(
        "she knows {} things, and the old road is {}",
        game.get(fields::LORE).len(),
        match game.is_unlocked(unlocks::OLD_ROAD) {
            true => "open",
            false => "shut",
        }
    );
    game.begin(None)?;
    Ok(())
}
