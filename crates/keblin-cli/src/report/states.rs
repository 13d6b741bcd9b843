//! How far a player is: the state of every level and unlock.

use keblin::{Difficulty, Progress};

use super::graph::Thing;
use super::words::safe;
use crate::out::levels::missing;

/// What a level or an unlock is to a player.
pub(super) enum State {
    /// A level that was finished, with its stars and the most there are.
    Finished { stars: u8, of: u8 },
    /// A level that is being played, or was left half-way.
    Current,
    /// A level that can be entered.
    Open,
    /// An unlock that the player has.
    Unlocked,
    /// Not yet, and what is missing.
    Locked { missing: String },
}

impl State {
    /// Returns a sign for it, so that colour is never the only one.
    pub(super) fn mark(&self) -> &'static str {
        match self {
            State::Finished { .. } | State::Unlocked => "✓",
            State::Current => "▶",
            State::Open => "○",
            State::Locked { .. } => "✕",
        }
    }

    /// Returns the name of its style.
    pub(super) fn class(&self) -> &'static str {
        match self {
            State::Finished { .. } | State::Unlocked => "done",
            State::Current => "current",
            State::Open => "open",
            State::Locked { .. } => "locked",
        }
    }

    /// Returns it in words.
    pub(super) fn text(&self) -> String {
        match self {
            State::Finished { .. } => "finished".to_string(),
            State::Current => "under way".to_string(),
            State::Open => "open".to_string(),
            State::Unlocked => "unlocked".to_string(),
            State::Locked { missing } => format!("locked: {}", safe(missing)),
        }
    }

    /// Returns its stars, if it has a rating.
    pub(super) fn stars(&self) -> Option<String> {
        match self {
            State::Finished { stars, of } if *of > 0 => Some(stars_of(*stars, *of)),
            _ => None,
        }
    }
}

/// `★★☆`
pub(super) fn stars_of(stars: u8, of: u8) -> String {
    "★".repeat(stars.into()) + &"☆".repeat(of.saturating_sub(stars).into())
}

/// The states of all levels and unlocks, on one difficulty.
pub(super) struct States {
    levels: Vec<State>,
    unlocks: Vec<State>,
}

impl States {
    pub(super) fn of_player(progress: &Progress, difficulty: Option<Difficulty>) -> States {
        let schema = progress.schema();
        let cards = progress.level_cards(difficulty);
        let levels = cards.iter().zip(&schema.levels).map(|(card, level)| match card {
            card if !card.open && !card.facts.finished => {
                State::Locked { missing: missing(schema, &card.lock) }
            }
            card if card.current => State::Current,
            card if card.facts.finished => State::Finished { stars: card.facts.stars, of: level.stars },
            _ => State::Open,
        });
        let unlocks = (0..schema.unlocks.len()).filter_map(|index| schema.unlock_at(index));
        let unlocks = unlocks.map(|unlock| match progress.is_unlocked(unlock) {
            true => State::Unlocked,
            false => State::Locked { missing: missing(schema, &progress.why_not_unlocked(unlock)) },
        });
        States { levels: levels.collect(), unlocks: unlocks.collect() }
    }

    /// Returns the state of a level or an unlock.
    pub(super) fn of(&self, thing: Thing) -> Option<&State> {
        match thing {
            Thing::Level(level) => self.levels.get(level),
            Thing::Unlock(unlock) => self.unlocks.get(unlock),
        }
    }
}
