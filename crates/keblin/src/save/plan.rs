//! How the saves of a schema are written: the tapes of its sections, made once.

use std::sync::Arc;

use keblin_schema::kind::Kind;
use keblin_schema::model::FieldDef;
use keblin_schema::{Model, Schema};

use super::fingerprint::Fingerprint;
use super::grammar::{self, Map};
use super::layout::{DEVICE, PROFILE, RUN};
use super::map::encoded;
use super::tape::{self, ByPath, Tape};
use super::values::{NO_SHAPE, ShapeOrder};

/// What is made of a schema for its saves.
#[derive(Debug)]
pub(super) struct Plan {
    pub(super) fingerprint: Fingerprint,
    pub(super) profile: Body,
    pub(super) run: Body,
    pub(super) device: Body,
    /// By shape of the schema.
    shapes: Vec<ShapeOrder>,
}

/// What a section holds.
#[derive(Debug)]
pub(super) struct Body {
    pub(super) map: Map,
    pub(super) tape: Tape,
}

impl Plan {
    /// The plan of a schema.
    pub(super) fn of(schema: &Schema) -> Arc<Plan> {
        schema.derived(|schema| Plan::carrying(schema, &ByPath::new()))
    }

    /// A plan with what is carried along besides what the schema knows.
    pub(super) fn carrying(model: &Model, carried: &ByPath) -> Plan {
        let body = |map: Map, name| Body { tape: Tape::of(&map, &[name], carried), map };
        Plan {
            fingerprint: Fingerprint::of(model),
            profile: body(grammar::profile(model), PROFILE),
            run: body(grammar::run(model), RUN),
            device: body(grammar::device(model), DEVICE),
            shapes: model
                .shapes
                .iter()
                .map(|shape| {
                    let members = shape.members.iter().enumerate();
                    let mut members: Vec<_> =
                        members.map(|(index, member)| (tape::text(member.name.as_str()), index)).collect();
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
