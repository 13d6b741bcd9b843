//! Levels as a table: whether each is open, why not, its stars, attempts and deaths.

use std::io;

use comfy_table::CellAlignment;
use keblin::progress::{Asks, Standing};
use keblin::{Difficulty, Progress, Schema};

use super::{Console, Tone, cell, plain};

impl Console<'_> {
    /// Prints the levels in order, on one difficulty.
    pub(crate) fn levels(&mut self, progress: &Progress, difficulty: Option<Difficulty>) -> io::Result<()> {
        let schema = progress.schema();
        let mut table = self.new_table();
        table.set_header(["", "stars", "tries", "deaths", ""].map(|head| cell(Tone::Quiet, head)));
        for card in progress.level_cards(difficulty) {
            let Some(level) = schema.levels.get(card.level.index()) else { continue };
            let state = match (card.open, card.facts.finished, card.current) {
                (false, ..) => cell(Tone::Quiet, &format!("locked: {}", missing(schema, &card.lock))),
                (true, _, true) => cell(Tone::Name, "under way"),
                (true, true, _) => cell(Tone::Good, "finished"),
                (true, false, _) => plain("open"),
            };
            let stars = "★".repeat(card.facts.stars.into())
                + &"☆".repeat(level.stars.saturating_sub(card.facts.stars).into());
            let count = |count: u64| if count == 0 { "-".to_string() } else { count.to_string() };
            table.add_row([
                plain(&level.title),
                cell(Tone::Doubtful, &stars),
                plain(count(card.facts.attempts)).set_alignment(CellAlignment::Right),
                plain(count(card.facts.deaths)).set_alignment(CellAlignment::Right),
                state,
            ]);
        }
        self.table(&table)
    }
}

/// What a player has to do before something opens, part by part. The table is about one difficulty, so the text does
/// not repeat it.
pub(crate) fn missing(schema: &Schema, parts: &[Standing]) -> String {
    let missing = parts.iter().filter(|part| !part.met).map(|part| match &part.asks {
        Asks::Finish { level, .. } => {
            let title = schema.levels.get(level.index()).map_or("?", |level| level.title.as_str());
            format!("finish {title} first")
        }
        Asks::Unlock(unlock) => {
            let title = schema.unlocks.get(unlock.index()).map_or("?", |unlock| unlock.title.as_str());
            format!("unlock {title} first")
        }
        _ => part.text(schema),
    });
    missing.collect::<Vec<_>>().join(", ")
}
