//! What is kept of levels, unlocks, moments and the run.

use std::time::Duration;

use keblin::Notice;
use keblin::condition::names::Asked;

use super::{EACH, Kind, add, all, enter, facts, int, kind, level, of, set};

pub(super) const KINDS: [Kind; 12] = [
    kind(
        "finished",
        "finished",
        |game, machine| {
            enter(game, level(machine));
            game.finish_with_stars(1).unwrap();
        },
        |game| facts(game, |facts| u64::from(facts.finished)),
        |count| if count == 2 { "[1, 1, 0]" } else { "[1, 1, 1]" }.to_string(),
    ),
    kind(
        "stars",
        "stars",
        |game, machine| {
            enter(game, "brook");
            game.finish_with_stars(of([1, 3, 2], machine)).unwrap();
        },
        |game| facts(game, |facts| u64::from(facts.stars)),
        |_| "[3, 0, 0]".to_string(),
    ),
    Kind {
        game: EACH,
        ..kind(
            "collected",
            "stars that are collected one by one",
            |game, machine| {
                enter(game, "brook");
                add(game, "letters", machine + 1);
                game.finish().unwrap();
            },
            |game| facts(game, |facts| facts.collected),
            |count| if count == 2 { "[3]" } else { "[7]" }.to_string(),
        )
    },
    kind(
        "attempts",
        "attempts",
        |game, machine| {
            enter(game, "brook");
            for _ in 0..machine {
                game.retry().unwrap();
            }
        },
        |game| facts(game, |facts| facts.attempts),
        |count| format!("[{}, 0, 0]", all(count)),
    ),
    kind(
        "deaths",
        "deaths",
        |game, machine| {
            enter(game, "brook");
            for _ in 0..=machine {
                game.die().unwrap();
                game.respawn().unwrap();
            }
        },
        |game| facts(game, |facts| facts.deaths),
        |count| format!("[{}, 0, 0]", all(count)),
    ),
    kind(
        "played",
        "time played",
        |game, machine| {
            enter(game, "brook");
            game.tick(Duration::from_secs(1 + machine.unsigned_abs()));
            game.leave().unwrap();
        },
        |game| game.answer(&Asked::Played).to_string(),
        |count| format!("{}s", all(count)),
    ),
    kind(
        "furthest",
        "the furthest level",
        |game, machine| enter(game, level(machine)),
        |game| {
            game.furthest().map_or("", |level| game.schema().levels[level.index()].name.as_str()).to_string()
        },
        |count| level(count - 1).to_string(),
    ),
    kind(
        "unlock",
        "an unlock that latches",
        |game, machine| {
            [if machine == 1 { 7 } else { 1 }, 8].into_iter().for_each(|note| set(game, "note", note))
        },
        |game| game.is_unlocked(game.schema().unlock("lamp").unwrap()).to_string(),
        |_| "true".to_string(),
    ),
    kind(
        "opened",
        "a level that latches",
        |game, machine| {
            [if machine == 1 { 7 } else { 1 }, 8].into_iter().for_each(|note| set(game, "note", note))
        },
        |game| {
            let cellar = game.schema().level("cellar").unwrap();
            game.level_cards(None).iter().any(|card| card.level == cellar && card.open).to_string()
        },
        |_| "true".to_string(),
    ),
    kind(
        "moment",
        "a moment that is reported once for a profile",
        |game, machine| {
            [if machine == 1 { 7 } else { 1 }, 8].into_iter().for_each(|note| set(game, "note", note))
        },
        |game| {
            drop(game.drain_notices());
            [7, 8].into_iter().for_each(|note| set(game, "note", note));
            format!("again: {}", game.drain_notices().any(|notice| matches!(notice, Notice::Moment(_))))
        },
        |_| "again: false".to_string(),
    ),
    kind(
        "title",
        "the title of the slot",
        |game, machine| game.set_title(level(machine)).unwrap(),
        |game| game.title().unwrap_or_default().to_string(),
        |count| level(count - 1).to_string(),
    ),
    Kind {
        open: Some("10"),
        ..kind(
            "run",
            "the run; of an open game, its own",
            |game, machine| {
                game.begin(None).unwrap();
                set(game, "letters", 10 + machine);
            },
            |game| int(game, "letters"),
            |count| (9 + count).to_string(),
        )
    },
];
