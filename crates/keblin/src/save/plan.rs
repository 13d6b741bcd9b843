//! In which order the bytes of a save name what a schema keeps: every map of every section, made once for a schema.

use std::sync::Arc;

use keblin_schema::Schema;
use keblin_schema::kind::Kind;
use keblin_schema::model::{Again, Axis, FieldDef, Scope};

use super::fingerprint::Fingerprint;
use super::layout::{PROFILE, RUN};
use super::map::encoded;
use super::tape::{FactOf, MapOut, Part, Tape, key_bytes};
use super::values::{NO_SHAPE, ShapeOrder};
use crate::snapshot::Carried;

/// The tapes of a schema.
#[derive(Debug)]
pub(super) struct Plan {
    pub(super) fingerprint: Fingerprint,
    pub(super) profile: Tape,
    /// The section of the run.
    pub(super) run: Tape,
    /// The run inside it, where there is one.
    pub(super) inside_run: Tape,
    /// The visit inside the run, where there is one.
    pub(super) visit: Tape,
    /// A copy of the values of level and run scope inside the visit.
    pub(super) copy: Tape,
    /// The section of a device file.
    pub(super) device: Tape,
    /// By shape of the schema.
    shapes: Vec<ShapeOrder>,
}

impl Plan {
    /// The plan of a schema.
    pub(super) fn of(schema: &Schema) -> Arc<Plan> {
        schema.derived(|schema| Plan::carrying(schema, &Carried::default()))
    }

    /// A plan with what is carried along besides what the schema knows.
    pub(super) fn carrying(schema: &Schema, carried: &Carried) -> Plan {
        let copied = [Scope::Level, Scope::Run];
        let nothing = Carried::default();
        Plan {
            fingerprint: Fingerprint::of(schema),
            profile: profile(schema, carried),
            run: run(schema, carried),
            inside_run: inside_run(schema, carried),
            visit: visit(),
            copy: fields(schema, MapOut::at(&[], &nothing), &copied),
            device: fields(schema, MapOut::at(&[], &nothing), &[Scope::Device]),
            shapes: schema
                .shapes
                .iter()
                .map(|shape| {
                    let members = shape.members.iter().enumerate();
                    let mut members: Vec<_> =
                        members.map(|(index, member)| (key_bytes(member.name.as_str()), index)).collect();
                    members.sort();
                    ShapeOrder { head: encoded(|out| out.map(members.len() as u64).map(drop)), members }
                })
                .collect(),
        }
    }

    /// The order of the members of the shape that a field's values are or hold.
    pub(super) fn order(&self, field: &FieldDef) -> &ShapeOrder {
        let of = field.items.as_ref().map_or(field.kind, |items| items.of);
        let Kind::Shape(shape) = of else { return &NO_SHAPE };
        self.shapes.get(usize::from(shape)).unwrap_or(&NO_SHAPE)
    }
}

fn profile(schema: &Schema, carried: &Carried) -> Tape {
    let mut map = MapOut::at(&[PROFILE], carried);
    map.gap("furthest", Part::Furthest);
    map.gap("difficulty", Part::Difficulty);
    map.gap("played", Part::Played);
    map.put("fields", fields(schema, map.inside("fields"), &[Scope::Profile]));
    let mut unlocked = map.inside("unlocked");
    for (index, unlock) in schema.unlocks.iter().enumerate() {
        unlocked.gap(unlock.name.as_str(), Part::Latched(index));
    }
    map.put("unlocked", unlocked.tape());
    map.put("told", told(schema, map.inside("told"), &[Again::Profile]));
    map.put("levels", levels(schema, map.inside("levels")));
    map.tape()
}

fn run(schema: &Schema, carried: &Carried) -> Tape {
    let mut map = MapOut::at(&[RUN], carried);
    map.put("fields", fields(schema, map.inside("fields"), &[Scope::Level, Scope::Run]));
    map.gap("run", Part::Run);
    map.tape()
}

fn inside_run(schema: &Schema, carried: &Carried) -> Tape {
    let mut map = MapOut::at(&[RUN, "run"], carried);
    map.gap("difficulty", Part::RunDifficulty);
    map.put("told", told(schema, map.inside("told"), &[Again::Level, Again::Run]));
    map.gap("visit", Part::Visit);
    map.tape()
}

fn visit() -> Tape {
    let nothing = Carried::default();
    let mut map = MapOut::at(&[], &nothing);
    map.gap("level", Part::Level);
    map.gap("checkpoint", Part::Checkpoint);
    map.gap("stay", Part::Stay);
    map.gap("entry", Part::Entry);
    map.gap("at_checkpoint", Part::AtCheckpoint);
    map.tape()
}

/// Which moments were told, of those that are told once in something.
fn told(schema: &Schema, mut map: MapOut<'_>, once_in: &[Again]) -> Tape {
    for (index, moment) in schema.moments.iter().enumerate() {
        if once_in.contains(&moment.again) {
            map.gap(moment.name.as_str(), Part::Told(index));
        }
    }
    map.tape()
}

/// The values of all fields of some scopes: plain, or nested by the ids of their axes.
fn fields(schema: &Schema, mut map: MapOut<'_>, scopes: &[Scope]) -> Tape {
    for field in schema.fields.iter().filter(|field| field.durable && scopes.contains(&field.scope)) {
        let name = field.name.as_str();
        map.put(name, nested(schema, field, map.inside(name), &field.per, field.cells.start));
    }
    map.tape()
}

/// The values of one field below some of its axes, from a cell on.
fn nested(schema: &Schema, field: &FieldDef, mut map: MapOut<'_>, axes: &[Axis], first: usize) -> Tape {
    let Some((axis, inner)) = axes.split_first() else {
        return Tape::gap(match field.places {
            1 => Part::Cell(first),
            places => Part::Table { first, places },
        });
    };
    let stride = inner.iter().map(|axis| schema.axis_len(*axis)).product::<usize>() * field.places;
    for (index, id) in schema.axis_ids(*axis).enumerate() {
        let inside = map.inside(id.as_str());
        map.put(id.as_str(), nested(schema, field, inside, inner, first + index * stride));
    }
    map.tape()
}

/// The facts of every level, nested by difficulty where they are kept apart.
fn levels(schema: &Schema, mut map: MapOut<'_>) -> Tape {
    for (index, level) in schema.levels.iter().enumerate() {
        let mut level_map = map.inside(level.name.as_str());
        let tape = if schema.level_facts_per_difficulty {
            for (difficulty, id) in schema.difficulties.iter().enumerate() {
                let inside = level_map.inside(id.as_str());
                level_map.put(id.as_str(), facts(inside, schema.fact_index(index, difficulty)));
            }
            level_map.tape()
        } else {
            facts(level_map, schema.fact_index(index, 0))
        };
        map.put(level.name.as_str(), tape);
    }
    map.tape()
}

fn facts(mut map: MapOut<'_>, index: usize) -> Tape {
    for (name, fact) in FactOf::ALL {
        map.gap(name, Part::Fact(fact, index));
    }
    map.tape()
}
