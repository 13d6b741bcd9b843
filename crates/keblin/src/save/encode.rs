//! A snapshot to the bodies of its sections. The mirror of `decode`: what is put under a key here is read under it
//! there.

use keblin_schema::model::{Again, Axis, FieldDef, Schema, Scope};
use keblin_schema::{Name, Value};

use super::layout::{DEVICE, PROFILE, RUN};
use super::map::{MapOut, encoded};
use super::values;
use crate::snapshot::{Carried, LevelFacts, Snapshot, State, Visit};

/// Name and body of the only section of a device file: the values of device scope.
pub(super) fn device(snapshot: &Snapshot) -> Vec<(&'static str, Vec<u8>)> {
    let Snapshot { schema, state, .. } = snapshot;
    let nothing = Carried::new();
    let map = MapOut::at(&[], &nothing);
    vec![(DEVICE, fields(schema, map, &state.cells, &[Scope::Device]))]
}

/// Every section's name and body, in the order of the file of a slot.
pub(super) fn sections(snapshot: &Snapshot) -> Vec<(&'static str, Vec<u8>)> {
    vec![(PROFILE, profile(snapshot)), (RUN, run(snapshot))]
}

fn profile(snapshot: &Snapshot) -> Vec<u8> {
    let Snapshot { schema, state, carried } = snapshot;
    let mut map = MapOut::at(&[PROFILE], carried);
    let furthest = state.furthest.and_then(|index| schema.levels.get(index));
    map.put_id("furthest", furthest.map(|level| level.name.as_str()));
    map.put_id("difficulty", difficulty(schema, state.difficulty));
    map.put_value("played", &Value::Time(state.played));
    let fields = fields(schema, map.inside("fields"), &state.cells, &[Scope::Profile]);
    map.put("fields", fields);
    let mut unlocked = map.inside("unlocked");
    for (unlock, latched) in schema.unlocks.iter().zip(&state.latched) {
        unlocked.put_value(unlock.name.as_str(), &Value::Bool(*latched));
    }
    map.put("unlocked", unlocked.bytes());
    let told = told(snapshot, map.inside("told"), &[Again::Profile]);
    map.put("told", told);
    let levels = levels(schema, state, map.inside("levels"));
    map.put("levels", levels);
    map.bytes()
}

fn run(snapshot: &Snapshot) -> Vec<u8> {
    let Snapshot { schema, state, carried } = snapshot;
    let mut map = MapOut::at(&[RUN], carried);
    let fields = fields(schema, map.inside("fields"), &state.cells, &[Scope::Level, Scope::Run]);
    map.put("fields", fields);
    let run = state.run.as_ref().map(|run| {
        let mut map = map.inside("run");
        map.put_id("difficulty", difficulty(schema, run.difficulty));
        let told = told(snapshot, map.inside("told"), &[Again::Level, Again::Run]);
        map.put("told", told);
        map.put("visit", run.visit.as_ref().map_or_else(null, |visit| self::visit(schema, visit)));
        map.bytes()
    });
    map.put("run", run.unwrap_or_else(null));
    map.bytes()
}

fn visit(schema: &Schema, visit: &Visit) -> Vec<u8> {
    let nothing = Carried::new();
    let mut map = MapOut::at(&[], &nothing);
    let level = visit.level.and_then(|index| schema.levels.get(index));
    let checkpoint = visit.checkpoint.and_then(|index| level?.checkpoints.get(index));
    map.put_id("level", level.map(|level| level.name.as_str()));
    map.put_id("checkpoint", checkpoint.map(Name::as_str));
    map.put_id("stay", Some(visit.stay.as_str()));
    let copy = |cells: &[Value]| {
        if cells.is_empty() && schema.copied_cells > 0 {
            return null();
        }
        fields(schema, MapOut::at(&[], &nothing), cells, &[Scope::Level, Scope::Run])
    };
    map.put("entry", copy(&visit.entry));
    map.put("at_checkpoint", visit.at_checkpoint.as_deref().map_or_else(null, copy));
    map.bytes()
}

/// Which moments were told, of those that are told once in something.
fn told(snapshot: &Snapshot, mut map: MapOut<'_>, once_in: &[Again]) -> Vec<u8> {
    let moments = snapshot.schema.moments.iter().zip(&snapshot.state.told);
    for (moment, told) in moments.filter(|(moment, _)| once_in.contains(&moment.again)) {
        map.put_value(moment.name.as_str(), &Value::Bool(*told));
    }
    map.bytes()
}

fn null() -> Vec<u8> {
    encoded(|out| out.null().map(drop))
}

fn difficulty(schema: &Schema, index: Option<usize>) -> Option<&str> {
    index.and_then(|index| schema.difficulties.get(index)).map(Name::as_str)
}

/// The values of all fields of some scopes: plain, or nested by the ids of their axes.
fn fields(schema: &Schema, mut map: MapOut<'_>, cells: &[Value], scopes: &[Scope]) -> Vec<u8> {
    for field in schema.fields.iter().filter(|field| field.durable && scopes.contains(&field.scope)) {
        let name = field.name.as_str();
        let bytes = nested(schema, field, map.inside(name), &field.per, cells, field.cells.start);
        map.put(name, bytes.unwrap_or_else(|| one(field, cells, field.cells.start)));
    }
    map.bytes()
}

/// One value of a field, or its table of best values: an array without the places that nothing took.
fn one(field: &FieldDef, cells: &[Value], first: usize) -> Vec<u8> {
    let held = |cell: usize| cells.get(cell).unwrap_or(&field.default);
    if field.places == 1 {
        return encoded(|out| values::write(out, held(first)));
    }
    let table = (first..first + field.places).map(held).take_while(|value| **value != Value::Unset);
    encoded(|out| values::write(out, &Value::List(table.cloned().collect())))
}

/// The values of one field below some of its axes, from a cell on; `None` below the last axis.
fn nested(
    schema: &Schema,
    field: &FieldDef,
    mut map: MapOut<'_>,
    axes: &[Axis],
    cells: &[Value],
    first: usize,
) -> Option<Vec<u8>> {
    let (axis, inner) = axes.split_first()?;
    let stride = inner.iter().map(|axis| schema.axis_len(*axis)).product::<usize>() * field.places;
    for (index, id) in schema.axis_ids(*axis).enumerate() {
        let cell = first + index * stride;
        let bytes = nested(schema, field, map.inside(id.as_str()), inner, cells, cell);
        map.put(id.as_str(), bytes.unwrap_or_else(|| one(field, cells, cell)));
    }
    Some(map.bytes())
}

/// The facts of every level, nested by difficulty where they are kept apart.
fn levels(schema: &Schema, state: &State, mut map: MapOut<'_>) -> Vec<u8> {
    for (index, level) in schema.levels.iter().enumerate() {
        let facts_at =
            |difficulty| state.facts.get(schema.fact_index(index, difficulty)).copied().unwrap_or_default();
        let mut level_map = map.inside(level.name.as_str());
        if schema.level_facts_per_difficulty {
            for (difficulty, id) in schema.difficulties.iter().enumerate() {
                let bytes = facts(level_map.inside(id.as_str()), facts_at(difficulty));
                level_map.put(id.as_str(), bytes);
            }
            map.put(level.name.as_str(), level_map.bytes());
        } else {
            map.put(level.name.as_str(), facts(level_map, facts_at(0)));
        }
    }
    map.bytes()
}

fn facts(mut map: MapOut<'_>, facts: LevelFacts) -> Vec<u8> {
    let count = |count: u64| encoded(|out| out.u64(count).map(drop));
    map.put_value("finished", &Value::Bool(facts.finished));
    map.put("stars", count(u64::from(facts.stars)));
    map.put("collected", count(facts.collected));
    map.put("attempts", count(facts.attempts));
    map.put("deaths", count(facts.deaths));
    map.bytes()
}
