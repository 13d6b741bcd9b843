//! Finished levels that an update of the game has shut: a rule asks for more than before, or a level was put in.

use keblin_model::Level;
use keblin_model::model::At;

use super::finding::SaveFinding;
use super::relations::place;
use crate::progress::Engine;
use crate::save::SaveCode;
use crate::snapshot::{Schema, Snapshot};

/// Returns a warning for each finished level that could be entered before an update and cannot be entered now. `before`
/// and `now` are the same save, opened by the earlier declaration and by this one.
#[must_use]
pub fn shut_levels(before: &Snapshot, now: &Snapshot) -> Vec<SaveFinding> {
    let schema = &now.schema;
    if schema.levels.iter().all(|level| level.lock.is_none()) {
        return Vec::new();
    }
    let (then, engine) = (Engine::view(before), Engine::view(now));
    let mut found = Vec::new();
    for (index, _) in now.state.facts.iter().enumerate().filter(|(_, facts)| facts.finished) {
        let at = schema.fact_place(index);
        let Some(level) = at.level.and_then(|level| schema.level_at(level)) else { continue };
        let difficulty = at.difficulty.and_then(|index| schema.difficulty_at(index));
        if engine.is_open(level, difficulty) || !was_open(&then, schema, level, at) {
            continue;
        }
        let parts = engine.why_locked(level, difficulty);
        let missing: Vec<String> =
            parts.iter().filter(|part| !part.met).map(|part| part.text(schema)).collect();
        let message = format!(
            "the level is finished, but its rule shuts it now: {}; `latch = true` keeps it open",
            missing.join(", ")
        );
        found.push(SaveFinding::warning(SaveCode::FinishedShut, place(schema, "finished", at), message));
    }
    found
}

/// Returns whether a level could be entered before; one that had another name could.
fn was_open(then: &Engine, now: &Schema, level: Level, at: At) -> bool {
    let before = then.schema();
    let name = now.levels.get(level.index()).map(|level| level.name.as_str());
    let Some(was) = name.and_then(|name| before.level(name).ok()) else { return true };
    let difficulty = at.difficulty.and_then(|at| now.difficulties.get(at));
    then.is_open(was, difficulty.and_then(|id| before.difficulty(id.as_str()).ok()))
}
