//! How the saves of a schema are written: the templates of its sections, made once.

use std::sync::OnceLock;

use keblin_model::Model;
use keblin_model::kind::{Holds, Kind};
use keblin_model::model::FieldDef;
use keblin_model::order::sort_by;

use super::listed::{self, Listed, Map};
use super::names::Names;
use super::template::{self, ByPath, Template};
use super::{DEVICE, encoded};

/// What is prepared from a schema for its saves.
#[derive(Debug)]
pub(crate) struct Plan {
    /// The sections of a slot, in the order of the file.
    pub(crate) slot: Vec<Body>,
    pub(crate) device: Body,
    /// For each shape of the schema.
    shapes: Vec<ShapeOrder>,
    /// The names of what has a history of its own, made when they are first needed.
    names: OnceLock<Names>,
}

/// How the map of a shape is written.
#[derive(Clone, Debug)]
pub(crate) struct ShapeOrder {
    /// The head of the map.
    pub(crate) head: Vec<u8>,
    /// The members in the order of their encoded names.
    pub(crate) members: Vec<MemberOrder>,
}

/// How a member of a shape is written.
#[derive(Clone, Debug)]
pub(crate) struct MemberOrder {
    /// Its encoded name.
    pub(crate) key: Vec<u8>,
    /// Its declared position.
    pub(crate) index: usize,
    /// The order of the shape that it is or contains.
    pub(crate) inside: ShapeOrder,
}

impl ShapeOrder {
    /// Returns the order of the shape that a value is or contains.
    fn of(model: &Model, holds: Holds) -> ShapeOrder {
        let Kind::Shape(shape) = holds.of.unwrap_or(holds.kind) else { return NO_SHAPE.clone() };
        let declared = model.shapes.get(usize::from(shape)).map_or(&[][..], |shape| &shape.members);
        let members = declared.iter().enumerate().map(|(index, member)| MemberOrder {
            key: template::text(member.name.as_str()),
            index,
            inside: ShapeOrder::of(model, member.holds()),
        });
        let mut members: Vec<MemberOrder> = members.collect();
        sort_by(&mut members, |one, other| one.key.cmp(&other.key));
        ShapeOrder { head: encoded(|out| out.map(members.len() as u64).map(drop)), members }
    }
}

/// For values without a shape.
pub(crate) static NO_SHAPE: ShapeOrder = ShapeOrder { head: Vec::new(), members: Vec::new() };

/// The contents of a section.
#[derive(Debug)]
pub(crate) struct Body {
    pub(crate) name: String,
    /// Whether every save has it.
    pub(crate) needed: bool,
    pub(crate) map: Map,
    pub(crate) template: Template,
}

impl Plan {
    /// Returns a plan that also writes unknown values that are kept.
    pub(crate) fn carrying(model: &Model, carried: &ByPath) -> Plan {
        let body = |Listed { name, needed, map }| Body {
            template: Template::of(&map, &[&name], carried),
            name,
            needed,
            map,
        };
        let device = Listed { name: DEVICE.to_string(), needed: true, map: listed::device(model) };
        Plan {
            slot: listed::slot(model).into_iter().map(body).collect(),
            device: body(device),
            names: OnceLock::new(),
            shapes: (0_u16..)
                .zip(&model.shapes)
                .map(|(index, _)| ShapeOrder::of(model, Kind::Shape(index).into()))
                .collect(),
        }
    }

    /// Returns the names of what has a history of its own, of the schema of this plan.
    pub(crate) fn names(&self, model: &Model) -> &Names {
        self.names.get_or_init(|| Names::of(model))
    }

    /// Returns the contents of a section of a slot, by its name.
    pub(crate) fn section(&self, name: &str) -> Option<&Body> {
        self.slot.iter().find(|body| body.name == name)
    }

    /// Returns how long a new file is about, in bytes.
    pub(crate) fn about(&self) -> usize {
        self.slot.iter().map(|body| body.template.about()).sum()
    }

    /// Returns the member order of the shape that a field's values are or contain.
    pub(crate) fn order(&self, field: &FieldDef) -> &ShapeOrder {
        let with = field.with.as_ref().map(|with| Kind::Shape(with.shape));
        let of = with.unwrap_or(field.items.as_ref().map_or(field.kind, |items| items.of));
        let Kind::Shape(shape) = of else { return &NO_SHAPE };
        self.shapes.get(usize::from(shape)).unwrap_or(&NO_SHAPE)
    }
}
