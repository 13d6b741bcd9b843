//! Whether the values of a save fit together and match the schema: bounds, facts of levels, the run and its lives.

use std::cell::OnceCell;
use std::cmp::Ordering;

use keblin_model::model::{At, Axis, Bound, Extent, FeedAt, FieldDef, Scope};
use keblin_model::program::Fact;
use keblin_model::{Severity, Value};

use super::finding::SaveFinding;
use crate::progress::Engine;
use crate::progress::history::unfitting;
use crate::progress::place::FACT_AXES;
use crate::save::SaveCode;
use crate::save::decode::Decoded;
use crate::save::glance::Glance;
use crate::save::missing::Missing;
use crate::snapshot::{LevelFacts, Schema, Snapshot, State};

pub(super) fn findings(decoded: &Decoded) -> Vec<SaveFinding> {
    let mut found = of_values(&decoded.snapshot);
    found.extend(decoded.missing.iter().map(missing));
    let carried = &decoded.snapshot.carried;
    let hint = |place, message| SaveFinding {
        severity: Severity::Hint,
        ..SaveFinding::warning(SaveCode::CarriedAlong, place, message)
    };
    found.extend(carried.names().map(|place| hint(place, "unknown to this schema; preserved on save")));
    let schema = &decoded.snapshot.schema;
    // Ids, and numbers beyond a bound, are reported already.
    let is_reported = |field: &FieldDef, place: &String| {
        let has_id = |missing: &Missing| matches!(missing, Missing::Kept { place, .. } if *place == field.name.as_str());
        let is_there =
            |finding: &SaveFinding| finding.code == SaveCode::OutOfBounds && finding.place == *place;
        decoded.missing.iter().any(has_id) || found.iter().any(is_there)
    };
    let values = carried.values.keys().filter_map(|cell| schema.cell_owner(*cell));
    let places = values.map(|(field, at)| (field, field_place(schema, field, at)));
    let places: Vec<String> =
        places.filter(|(field, place)| !is_reported(field, place)).map(|(_, place)| place).collect();
    let in_part = "this schema knows only a part of it; the rest is preserved on save";
    found.extend(places.into_iter().map(|place| hint(place, in_part)));
    found
}

/// Checks the values against each other and the schema.
pub(super) fn of_values(snapshot: &Snapshot) -> Vec<SaveFinding> {
    let Snapshot { schema, state, .. } = snapshot;
    let mut found = Vec::new();
    bounds(snapshot, &mut found);
    stars(schema, &state.facts, &mut found);
    records(schema, &state.facts, held(schema, state), &mut found);
    lives(schema, state, &mut found);
    invariants(snapshot, &mut found);
    found.extend(super::world::findings(snapshot));
    let differs = |(place, message)| SaveFinding::warning(SaveCode::HistoryDiffers, place, message);
    found.extend(unfitting(snapshot).into_iter().map(differs));
    found
}

/// Returns the place of a fact in a save.
pub(super) fn place(schema: &Schema, name: &str, at: At) -> String {
    let ids = schema.place_ids(&FACT_AXES, at).map(AsRef::as_ref);
    ["profile"].into_iter().chain(ids).chain([name]).collect::<Vec<_>>().join(".")
}

/// Returns the place of a field's value in a save.
fn field_place(schema: &Schema, field: &FieldDef, at: At) -> String {
    let section = if field.scope == Scope::Profile { "profile" } else { "run" };
    let ids = schema.place_ids(&field.per, at).map(AsRef::as_ref);
    [section].into_iter().chain(ids).chain([field.name.as_str()]).collect::<Vec<_>>().join(".")
}

fn bounds(snapshot: &Snapshot, found: &mut Vec<SaveFinding>) {
    let Snapshot { schema, state, .. } = snapshot;
    // Bounds that follow other values need complete progress; most games have few of them, or none.
    let view = OnceCell::new();
    for field in &schema.fields {
        for cell in field.cells.clone() {
            let Some(value) = state.cells.get(cell) else { continue };
            let place = || {
                let at = schema.cell_owner(cell).map(|(_, at)| at).unwrap_or_default();
                field_place(schema, field, at)
            };
            if let Err(unfit) = schema.fit(field, value) {
                let message = format!("{unfit}; it is preserved unchanged");
                found.push(SaveFinding::warning(SaveCode::DoesNotFit, place(), message));
                continue;
            }
            let outside = |bound: &Option<Bound>, side| match bound {
                None => None,
                Some(Bound::Fixed(bound)) => (value.order(bound) == Some(side)).then(|| bound.clone()),
                following => {
                    let view = view.get_or_init(|| Engine::view(snapshot));
                    view.bound(following, field).filter(|bound| value.order(bound) == Some(side))
                }
            };
            let (below, above) =
                (outside(&field.min, Ordering::Less), outside(&field.max, Ordering::Greater));
            let (side, bound) = match (below, above) {
                (Some(min), _) => ("below min", min),
                (None, Some(max)) => ("above max", max),
                (None, None) => continue,
            };
            let message = match snapshot.carried.values.contains_key(&cell) {
                false => format!("{value} is {side} {bound}; opening clamps it"),
                // Another build, with wider bounds, has saved it.
                true => format!(
                    "{value} is {side} {bound}; the game gets {bound}, and the save keeps {value} until it changes"
                ),
            };
            found.push(SaveFinding::warning(SaveCode::OutOfBounds, place(), message));
        }
    }
}

fn invariants(snapshot: &Snapshot, found: &mut Vec<SaveFinding>) {
    let schema = &snapshot.schema;
    if schema.invariants.is_empty() {
        return;
    }
    for name in Engine::view(snapshot).broken_invariants() {
        let invariant = schema.invariants.iter().find(|invariant| invariant.name == *name);
        let rule =
            invariant.and_then(|invariant| invariant.holds.as_ref()).map_or("", |rule| rule.program.source());
        let message = format!("the invariant is broken: `{rule}` is not true");
        found.push(SaveFinding::warning(SaveCode::InvariantBroken, format!("invariants.{name}"), message));
    }
}

/// Returns whether a save that was only glanced at does not have any findings.
pub(super) fn is_plain(schema: &Schema, glance: &Glance, state: &State) -> bool {
    // An invariant and the objects of the world need the values, which a glance does not make.
    if !schema.invariants.is_empty() || !schema.object_kinds.is_empty() {
        return false;
    }
    let mut found = Vec::new();
    stars(schema, &state.facts, &mut found);
    records(schema, &state.facts, glance.held.iter().copied(), &mut found);
    found.is_empty() && !(state.run.is_some() && glance.without_lives)
}

/// Checks that stars belong to finished levels, and are not too many.
fn stars(schema: &Schema, facts: &[LevelFacts], found: &mut Vec<SaveFinding>) {
    let difficulties = if schema.level_facts_per_difficulty { schema.difficulties.len() } else { 1 };
    for (level, def) in schema.levels.iter().enumerate() {
        for difficulty in 0..difficulties {
            let facts = facts.get(schema.fact_index(level, difficulty)).copied().unwrap_or_default();
            let at = At::level(Some(level), schema.level_facts_per_difficulty.then_some(difficulty));
            if facts.stars > def.stars {
                let message = format!("{} stars, but the level has at most {}", facts.stars, def.stars);
                found.push(SaveFinding::warning(SaveCode::TooManyStars, place(schema, "stars", at), message));
            }
            let index = schema.fact_index(level, difficulty);
            let is_reset =
                || a_reset_unfinishes(schema, index, |extent| !extent.has_fact(index, Fact::Stars));
            if facts.stars > 0 && !facts.finished && !is_reset() {
                let message = "the level has stars, but was never finished";
                found.push(SaveFinding::warning(
                    SaveCode::StarsUnfinished,
                    place(schema, "stars", at),
                    message,
                ));
            }
        }
    }
}

/// Checks that records of a finish belong to finished levels; `held` are the cells with axes that are set.
fn records(
    schema: &Schema,
    facts: &[LevelFacts],
    held: impl Iterator<Item = usize>,
    found: &mut Vec<SaveFinding>,
) {
    let difficulties = if schema.level_facts_per_difficulty { schema.difficulties.len() } else { 1 };
    for cell in held {
        let Some((field, at)) = schema.cell_owner(cell) else { continue };
        let at_finish = field.feed.as_ref().is_some_and(|feed| feed.at.contains(&FeedAt::Finish));
        let Some(level) = at.level.filter(|_| at_finish && field.per.contains(&Axis::Level)) else {
            continue;
        };
        // A record for all difficulties together is valid if the level was finished on any of them.
        let mut on = at.difficulty.map_or(0..difficulties, |one| one..one + 1);
        let finished = |one| facts.get(schema.fact_index(level, one)).is_some_and(|facts| facts.finished);
        let index = schema.fact_index(level, at.difficulty.unwrap_or(0));
        let is_reset = || a_reset_unfinishes(schema, index, |extent| !extent.has_cell(cell));
        if !on.any(finished) && !is_reset() {
            let place = field_place(schema, field, at);
            let message = "a record of a finish, but the level was never finished";
            found.push(SaveFinding::warning(SaveCode::RecordUnfinished, place, message));
        }
    }
}

/// Returns whether a reset makes a level unfinished, by the position of its facts, and keeps something of it.
fn a_reset_unfinishes(schema: &Schema, index: usize, keeps: impl Fn(&Extent) -> bool) -> bool {
    let mut extents = schema.resets.iter().map(|reset| schema.extent(reset));
    extents.any(|extent| extent.has_fact(index, Fact::Finished) && keeps(&extent))
}

/// Returns the cells with axes whose value is not the default.
fn held<'s>(schema: &'s Schema, state: &'s State) -> impl Iterator<Item = usize> + 's {
    let fields = schema.fields.iter().filter(|field| !field.per.is_empty());
    let changed = |field: &FieldDef, cell: &usize| state.cells.get(*cell) != Some(&field.default);
    fields.flat_map(move |field| field.cells.clone().filter(move |cell| changed(field, cell)))
}

fn lives(schema: &Schema, state: &State, found: &mut Vec<SaveFinding>) {
    let field = schema.lives.as_ref().and_then(|lives| schema.fields.get(lives.field));
    let Some(field) = field.filter(|_| state.run.is_some()) else { return };
    if state.cells.get(field.cells.start).and_then(Value::number) == Some(0) {
        let place = format!("run.{}", field.name);
        found.push(SaveFinding::warning(
            SaveCode::RunWithoutLives,
            place,
            "a run to continue, but no life left",
        ));
    }
}

fn missing(missing: &Missing) -> SaveFinding {
    match missing {
        Missing::Level(level) => SaveFinding::warning(
            SaveCode::LevelGone,
            "run.run.visit.level",
            format!("level `{level}` is no longer declared; the player is on the map"),
        ),
        Missing::Kept { place, id } => SaveFinding::warning(
            SaveCode::IdKept,
            place.clone(),
            format!("`{id}` is not declared in this version of the game; it is preserved in the save"),
        ),
        Missing::SavePoint(place) => SaveFinding::warning(
            SaveCode::CheckpointGone,
            "run.run.save_point",
            format!(
                "`{place}`, the save point, was removed from the game; a death leads to the start of the level"
            ),
        ),
        Missing::Checkpoint { level, checkpoint } => SaveFinding::warning(
            SaveCode::CheckpointGone,
            "run.run.visit.checkpoint",
            format!(
                "checkpoint `{checkpoint}` of {level} is no longer declared; the player is at the level's start"
            ),
        ),
    }
}
