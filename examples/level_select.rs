//! A level-select screen: which levels are open, why not, how many stars, and what a finish has opened. The screen
//! and the door use the same rules, so they cannot disagree.

#![expect(
    clippy::print_stdout,
    clippy::indexing_slicing,
    reason = "a program prints; the card's level is there"
)]

use keblin::{Field, Progress, Schema};

/// Everything that a level-select screen needs is on the cards.
fn draw(game: &Progress) {
    let schema = game.schema();
    for card in game.level_cards(None) {
        let level = &schema.levels[card.level.index()];
        let stars = "*".repeat(card.facts.stars.into());
        let missing = card.lock.iter().filter(|part| !part.met).map(|part| part.text(schema));
        let state = match (card.open, card.facts.finished) {
            (true, true) => "finished".to_string(),
            (true, false) => "open".to_string(),
            (false, _) => missing.collect::<Vec<_>>().join("; "),
        };
        println!("  {:14} {stars:4} {state}", level.title);
    }
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let schema = Schema::parse("level_select.toml", include_str!("level_select.toml"))?.schema;
    let (brook, weir, pond) = (schema.level("brook")?, schema.level("weir")?, schema.level("mill_pond")?);
    let fish: Field<i64> = schema.field("fish")?;
    let mut game = Progress::new(schema);
    game.begin(None)?;
    draw(&game);

    // Rules decide the brook's stars, with the values at the finish.
    game.enter(brook)?;
    game.add(fish, 3);
    let finished = game.finish()?;
    for star in finished.iter().flat_map(|finished| &finished.star_rules).filter(|star| !star.held) {
        let why: Vec<String> = star.parts.iter().map(|part| part.text(game.schema())).collect();
        println!("a star is missing: {}", why.join("; "));
    }
    // The door gives the same answer as the screen, and says why.
    if let Err(refused) = game.enter(pond) {
        println!("{refused}");
    }
    game.enter(weir)?;
    game.finish_with_stars(2)?; // here the game decides the stars
    let news: Vec<_> =
        game.drain_notices().filter(|it| ["opened", "unlocked"].contains(&it.word())).collect();
    for notice in news {
        println!("{}", notice.text(game.schema()));
    }
    draw(&game);
    Ok(())
}
