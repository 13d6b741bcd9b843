//! Other words that people write for a name, and what to write here.

use super::Part;
use crate::model::Model;
use crate::program::Fact;

/// Returns what to write for a name that stands alone and is not a field.
pub(super) fn alone(model: &Model, word: &str) -> Option<String> {
    let fact = Fact::ALL.iter().find(|fact| fact.as_str() == word);
    match word.to_lowercase().as_str() {
        lower @ ("true" | "false") => Some(format!("write `{lower}`")),
        "nil" | "none" | "null" | "undefined" | "unset" => Some("write `null`".to_string()),
        "not" => Some("write `!` for not".to_string()),
        _ if model.level_named(word).is_some() => Some(format!("write `levels.{word}.finished`")),
        _ if model.chapter_named(word).is_some() => Some(format!("write `chapters.{word}.finished`")),
        _ if model.unlock_named(word).is_some() => Some(format!("write `unlocked.{word}`")),
        _ if model.difficulties.iter().any(|known| known.as_str() == word) => {
            Some(format!("write `difficulty == '{word}'`"))
        }
        _ if matches!(fact, Some(Fact::Stars | Fact::Finished)) => {
            Some(format!("write `totals.{word}`, or `levels.ID.{word}` of one level"))
        }
        _ if fact.is_some() => Some(format!("write `levels.ID.{word}`")),
        _ => None,
    }
}

/// Returns what to write for a name with parts, whose first part has none.
pub(super) fn with_parts(model: &Model, first: &str, rest: &[Part]) -> Option<String> {
    let rest: Vec<&str> = rest.iter().map(|part| part.word.as_str()).collect();
    let rest = rest.join(".");
    let is_field = rest.split('.').next().is_some_and(|word| model.field_named(word).is_some());
    match first {
        _ if model.level_named(first).is_some() => Some(format!("write `levels.{first}.{rest}`")),
        _ if model.chapter_named(first).is_some() => Some(format!("write `chapters.{first}.{rest}`")),
        "unlocks" | "unlock" => Some(format!("write `unlocked.{rest}`")),
        _ if is_field => Some(format!("write `{rest}`: a field is named alone")),
        _ => None,
    }
}

/// Returns the fact of a level that is meant by another word.
pub(super) fn fact(word: &str) -> Option<&'static str> {
    match word {
        "complete" | "completed" | "done" | "cleared" | "beaten" | "won" | "passed" | "finish" => {
            Some("finished")
        }
        "rating" | "star" | "medals" => Some("stars"),
        "tries" | "plays" | "attempt" => Some("attempts"),
        "died" | "death" | "fails" => Some("deaths"),
        _ => None,
    }
}
