//! What comes after the declared part of a step: the game's own code, bounds that follow other values, and a check
//! that every value fits its field.

use std::sync::Arc;

use keblin_model::Value;
use keblin_model::model::Scope;
use keblin_model::versions::step::FieldStep;

use super::fates::fates;
use super::places::{Kept, Places};
use super::{AccountEntry, Became, StepFault};
use crate::progress::Engine;
use crate::snapshot::{PastVersion, Snapshot};

/// Runs the game's own code.
pub(super) fn by_code(
    past: &PastVersion,
    before: &Snapshot,
    snapshot: &mut Snapshot,
    kept: Kept,
    entries: &mut Vec<AccountEntry>,
) -> Result<(), StepFault> {
    let now = Arc::clone(&snapshot.schema);
    let mut steps = now.fields.iter().zip(&past.step.fields);
    let left = steps.find(|(field, step)| kept.has(field) && **step == FieldStep::ByCode);
    if left.is_none() && kept == Kept::OnDevice {
        return Ok(());
    }
    let fault = |why: String, needs_game: bool| StepFault {
        to: now.version,
        place: left.map_or_else(|| now.game.to_string(), |(field, _)| field.name.to_string()),
        value: Value::Unset,
        why,
        needs_game,
    };
    let Some(code) = past.code() else {
        return match left {
            Some(_) => Err(fault("open the save in the game".to_string(), true)),
            None => Ok(()),
        };
    };
    let held = snapshot.state.clone();
    code(before, snapshot).map_err(|why| fault(why, false))?;
    for field in now.fields.iter().filter(|field| field.with.is_some()) {
        for cell in snapshot.state.cells.get_mut(field.cells.clone()).into_iter().flatten() {
            *cell = now.as_best(field, std::mem::replace(cell, Value::Unset));
        }
    }
    for field in now.fields.iter().filter(|field| kept.has(field)) {
        for cell in field.cells.clone() {
            let (Some(was), Some(is)) = (held.cells.get(cell), snapshot.state.cells.get(cell)) else {
                continue;
            };
            if was != is {
                let (place, now_is) = (Places::text(&now, field, cell), is.clone());
                let fate = match *was == field.default {
                    true => Became::Filled { now: now_is },
                    false => Became::Changed { before: was.clone(), now: now_is },
                };
                entries.push(AccountEntry { to: now.version, place, was: None, fate });
            }
        }
    }
    for (index, (was, is)) in held.facts.iter().zip(&snapshot.state.facts).enumerate() {
        for (fact, fate) in fates(was, is) {
            let place = format!("{}.{fact}", Places::facts_text(&now, index));
            entries.push(AccountEntry { to: now.version, place, was: None, fate });
        }
    }
    Ok(())
}

/// Clamps every value to its bounds, as opening does, so that the account reports it.
pub(super) fn hold_bounds(snapshot: &mut Snapshot, entries: &mut Vec<AccountEntry>) {
    let schema = Arc::clone(&snapshot.schema);
    if schema.following.is_empty() {
        return;
    }
    let mut view = Engine::view(snapshot);
    view.clamp_all();
    let held = view.snapshot().state.cells;
    for field in schema.fields.iter().filter(|field| field.durable && field.scope != Scope::Device) {
        for cell in field.cells.clone() {
            let (Some(was), Some(is)) = (snapshot.state.cells.get_mut(cell), held.get(cell)) else {
                continue;
            };
            if was == is {
                continue;
            }
            let place = Places::text(&schema, field, cell);
            let fate = Became::Clamped { before: was.clone(), now: is.clone() };
            was.clone_from(is);
            let told = entries.iter_mut().find(|entry| entry.to == schema.version && entry.place == place);
            match told {
                Some(entry) => entry.fate = fate,
                None => entries.push(AccountEntry { to: schema.version, place, was: None, fate }),
            }
        }
    }
}

/// Checks that every value fits its field.
pub(super) fn fits(snapshot: &Snapshot) -> Result<(), StepFault> {
    let schema = &snapshot.schema;
    for field in &schema.fields {
        for cell in field.cells.clone() {
            let Some(value) = snapshot.state.cells.get(cell) else { continue };
            schema.fit(field, value).map_err(|unfit| StepFault {
                to: schema.version,
                place: Places::text(schema, field, cell),
                value: value.clone(),
                why: unfit.to_string(),
                needs_game: false,
            })?;
        }
    }
    Ok(())
}
