//! Records: the engine keeps the best value, so nobody writes the comparison, and a worse replay changes nothing.

#![expect(clippy::print_stdout, reason = "a program prints")]

use std::time::Duration;

use keblin::{Difficulty, Field, FieldPer, Level, Progress, Schema, Time};

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let schema = Schema::parse("records.toml", include_str!("records.toml"))?.schema;
    let fish: Field<i64> = schema.field("fish")?;
    let best: Field<Option<i64>> = schema.field("best_catch")?;
    let fastest: FieldPer<Option<Time>, (Level, Difficulty)> = schema.field_per("fastest")?;
    let (brook, weir) = (schema.level("brook")?, schema.level("weir")?);
    let (calm, flood) = (schema.difficulty("calm")?, schema.difficulty("flood")?);

    let mut game = Progress::new(schema);
    println!("before: best {:?}, brook {:?}", game.get(best), game.get(fastest.at((brook, calm))));
    for (caught, seconds) in [(4, 30), (9, 45), (4, 21), (6, 30)] {
        game.begin_replacing(Some(calm));
        game.enter(brook)?;
        game.add(fish, caught);
        game.tick(Duration::from_secs(seconds));
        if let Some(finished) = game.finish()? {
            let told: Vec<String> =
                finished.records.iter().map(|record| record.text(game.schema())).collect();
            println!(
                "{caught} fish in {seconds}s: {}",
                if told.is_empty() { "no record".into() } else { told.join("; ") }
            );
        }
        game.end_run()?;
    }
    println!("the best runs: {:?}", game.table(best).collect::<Vec<_>>());
    println!("brook, calm: {}", game.get(fastest.at((brook, calm))));
    println!(
        "brook, flood: {}; weir, calm: {}",
        game.get(fastest.at((brook, flood))),
        game.get(fastest.at((weir, calm)))
    );

    // The game submits a time that it measured itself; an impossible one is refused, with the reason.
    let change = game.submit(fastest.at((weir, flood)), Time::ZERO);
    println!("{}", change.refused.map_or("accepted".to_string(), |refused| refused.to_string()));
    Ok(())
}
