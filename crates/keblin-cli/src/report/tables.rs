//! The figures of many saves as data: JSON, and one table for a spreadsheet.

use keblin::Schema;
use serde_json::{Map, Value as Json, json};

use super::figures::{AGES_DAYS, Figures, OfLevel};
use super::spread::{Spread, Unit};

/// How the table for a spreadsheet begins.
pub(crate) const CSV_HEAD: &str = "of,id,difficulty,figure,number";

/// Returns the figures as JSON.
pub(crate) fn as_json(schema: &Schema, figures: &Figures) -> Json {
    let levels = |levels: &[OfLevel]| {
        let entries = schema.levels.iter().zip(levels).map(|(level, of)| {
            let figures = json!({
                "reached": of.reached,
                "finished": of.finished,
                "stopped": of.stopped,
                "attempts": of.attempts,
                "deaths": of.deaths,
                "stars": of.stars,
            });
            (level.name.to_string(), figures)
        });
        Json::Object(entries.collect())
    };
    let by_difficulty = match figures.levels.as_slice() {
        [one] if !schema.level_facts_per_difficulty => levels(one),
        lists => {
            let named = schema.difficulties.iter().map(ToString::to_string);
            Json::Object(named.zip(lists.iter().map(|list| levels(list))).collect())
        }
    };
    let unlocks = schema.unlocks.iter().map(|unlock| unlock.name.to_string());
    let unlocks: Map<_, _> = unlocks.zip(figures.unlocks.iter().map(|count| Json::from(*count))).collect();
    let records = figures.records.iter().map(|of| (of.name.clone(), spread(&of.spread)));
    let ages = AGES_DAYS.iter().map(|days| Json::from(*days)).chain([Json::Null]);
    let ages = ages.zip(figures.ages).map(|(days, saves)| json!({ "below_days": days, "saves": saves }));
    json!({
        "saves": figures.saves,
        "unopened": figures.unopened,
        "versions": figures.versions,
        "findings": figures.findings,
        "ages": ages.collect::<Vec<_>>(),
        "played": spread(&figures.played),
        "levels": by_difficulty,
        "unlocks": unlocks,
        "records": Json::Object(records.collect()),
    })
}

fn spread(spread: &Spread) -> Json {
    let unit = match spread.unit {
        Unit::Whole => "whole",
        Unit::Milliseconds => "ms",
        Unit::Thousandths => "thousandths",
    };
    spread.known().map_or(Json::Null, |known| {
        json!({
            "unit": unit,
            "saves": known.count,
            "least": known.least,
            "tenth": known.low,
            "median": known.median,
            "nine_tenths": known.high,
            "most": known.most,
        })
    })
}

/// Returns the figures as one table with a row for each: what it is of, its id, the difficulty, which figure, and the
/// number.
pub(crate) fn as_csv(schema: &Schema, figures: &Figures) -> Result<Vec<u8>, csv::Error> {
    let mut table = csv::Writer::from_writer(Vec::new());
    table.write_record(CSV_HEAD.split(','))?;
    let mut row = |of: &str, id: &str, difficulty: &str, figure: &str, number: String| {
        table.write_record([of, id, difficulty, figure, &number])
    };
    row("saves", "", "", "opened", figures.saves.to_string())?;
    for (code, count) in &figures.unopened {
        row("saves", code, "", "unopened", count.to_string())?;
    }
    for (version, count) in &figures.versions {
        row("version", &version.to_string(), "", "saves", count.to_string())?;
    }
    for (code, count) in &figures.findings {
        row("finding", code, "", "saves", count.to_string())?;
    }
    for (list, levels) in figures.levels.iter().enumerate() {
        let difficulty = schema.difficulties.get(list).filter(|_| schema.level_facts_per_difficulty);
        let difficulty = difficulty.map_or("", |name| name.as_str());
        for (level, of) in schema.levels.iter().zip(levels) {
            let id = level.name.as_str();
            let counts = [("reached", of.reached), ("finished", of.finished), ("stopped", of.stopped)];
            for (figure, count) in counts {
                row("level", id, difficulty, figure, count.to_string())?;
            }
            for (figure, count) in [("attempts", of.attempts), ("deaths", of.deaths)] {
                row("level", id, difficulty, figure, count.to_string())?;
            }
            for (stars, count) in of.stars.iter().enumerate().filter(|_| level.stars > 0) {
                row("level", id, difficulty, &format!("stars_{stars}"), count.to_string())?;
            }
        }
    }
    for (unlock, count) in schema.unlocks.iter().zip(&figures.unlocks) {
        row("unlock", unlock.name.as_str(), "", "saves", count.to_string())?;
    }
    let named = figures.records.iter().map(|of| ("record", of.name.as_str(), &of.spread));
    for (of, id, spread) in named.chain([("saves", "played", &figures.played)]) {
        let Some(known) = spread.known() else { continue };
        row(of, id, "", "saves", known.count.to_string())?;
        for (figure, number) in [
            ("least", known.least),
            ("tenth", known.low),
            ("median", known.median),
            ("nine_tenths", known.high),
            ("most", known.most),
        ] {
            row(of, id, "", figure, spread.unit.plain(number))?;
        }
    }
    table.into_inner().map_err(|error| csv::Error::from(error.into_error()))
}
