//! The JSON Schema of a game's saves: what `import` accepts, with the bounds and lengths of the declaration. Other
//! programs can check an edited save with it before it is imported.

use keblin_model::kind::Kind;
use keblin_model::model::{Bound, FieldDef, Items, Limits};
use keblin_model::name::MAX_NAME_CHARS;
use keblin_model::{Model, Value};
use serde_json::{Map as Object, Value as Json, json};

use super::{JSON_FORMAT, RAW};
use crate::grammar::listed::{self, FactOf, Leaf, Map, Node};
use crate::snapshot::{AT_CHECKPOINT, MAX_TITLE_CHARS, Schema, Stay};

/// The pattern of bytes as hex digits.
const HEX: &str = "^([0-9a-f]{2})*$";

/// The pattern of a time: parts such as `1h`, `2m`, `32.4s`.
const TIME: &str = "^-?([0-9]+(\\.[0-9]+)?(h|m|s|ms|us|ns))+$";

/// Returns the JSON Schema (draft 2020-12) of the saves of a game, as [`export`](super::export) writes them.
#[must_use]
pub fn json_schema(schema: &Schema) -> Json {
    let rules = Rules { model: schema };
    let count = json!({ "type": "integer", "minimum": 0 });
    let save = fixed([
        ("number", count.clone()),
        ("created_unix_ms", count.clone()),
        ("saved_at_unix_ms", count.clone()),
        ("erasures", count),
        ("cause", json!({ "type": "string" })),
        ("edited", json!({ "type": "boolean" })),
        ("continues", json!({ "type": "array", "items": { "type": "string", "pattern": "^[0-9a-f]{64}$" } })),
    ]);
    let picture = fixed([("media_type", json!({ "type": "string" })), ("bytes", hex())]);
    let named_bytes = json!({ "type": "object", "additionalProperties": hex() });
    // An area, and its copies: as it was at the last checkpoint, and when the level was entered.
    let most = MAX_NAME_CHARS + AT_CHECKPOINT.len();
    let id = json!({ "pattern": "^(entry\\.|checkpoint\\.)?[a-z][a-z0-9_]*$", "maxLength": most });
    let areas = json!({ "type": "object", "propertyNames": id, "additionalProperties": hex() });
    let mut top = fixed([
        ("json_format", json!({ "const": JSON_FORMAT })),
        ("game", json!({ "const": schema.game.as_str() })),
        ("version", json!({ "const": schema.version })),
        ("save", save),
        ("areas", areas),
        ("picture", or_null(picture)),
        ("unknown", named_bytes.clone()),
        ("originals", named_bytes),
        ("title", json!({ "type": "string", "maxLength": MAX_TITLE_CHARS })),
        ("history", hex()),
    ]);
    let slot = listed::slot(schema);
    if let Some(properties) = top.get_mut("properties").and_then(Json::as_object_mut) {
        properties.extend(slot.iter().map(|listed| (listed.name.clone(), rules.map(&listed.map))));
    }
    if let Some(top) = top.as_object_mut() {
        let needed = slot.iter().filter(|listed| listed.needed).map(|listed| listed.name.as_str());
        let needed: Vec<&str> =
            ["json_format", "game", "version", "save"].into_iter().chain(needed).collect();
        top.insert("required".into(), json!(needed));
        top.insert("$schema".into(), json!("https://json-schema.org/draft/2020-12/schema"));
        top.insert("title".into(), json!(format!("A save of {}, version {}", schema.game, schema.version)));
        let raw = fixed([(RAW, hex())]);
        top.insert("$defs".into(), json!({ "unknown": raw }));
    }
    top
}

struct Rules<'s> {
    model: &'s Model,
}

impl Rules<'_> {
    fn map(&self, map: &Map) -> Json {
        let properties: Object<String, Json> =
            map.entries.iter().map(|(key, node)| (key.clone(), self.node(node))).collect();
        let required: Vec<&str> = map.entries.iter().take(map.needed).map(|(key, _)| key.as_str()).collect();
        let others = if map.keeps_unknown { json!({ "$ref": "#/$defs/unknown" }) } else { json!(false) };
        json!({ "type": "object", "properties": properties, "required": required, "additionalProperties": others })
    }

    fn node(&self, node: &Node) -> Json {
        match node {
            Node::Leaf(leaf) => self.leaf(*leaf),
            Node::Map(map) => self.map(map),
            Node::Branch(_, map) => or_null(self.map(map)),
        }
    }

    fn leaf(&self, leaf: Leaf) -> Json {
        let model = self.model;
        match leaf {
            Leaf::Cell(cell) => model.field_at(cell).map_or(json!(true), |field| self.field(field)),
            Leaf::Table { first, places } => {
                let field = model.field_at(first);
                let of = field.map_or(json!(true), |field| self.best(field));
                json!({ "type": "array", "maxItems": places, "items": of })
            }
            Leaf::Fact(FactOf::Finished, _)
            | Leaf::Star { .. }
            | Leaf::Latched(_)
            | Leaf::Opened(_)
            | Leaf::Told(_) => {
                json!({ "type": "boolean" })
            }
            Leaf::Fact(FactOf::Stars, index) => {
                let level = model.fact_place(index).level.and_then(|level| model.levels.get(level));
                json!({ "type": "integer", "minimum": 0, "maximum": level.map_or(0, |level| level.stars) })
            }
            Leaf::Fact(..) | Leaf::Made => json!({ "type": "integer", "minimum": 0 }),
            Leaf::Played | Leaf::EntryAt | Leaf::CheckpointAt => json!({ "type": "string", "pattern": TIME }),
            Leaf::Stay => json!({ "enum": Stay::ALL.iter().map(|stay| stay.as_str()).collect::<Vec<_>>() }),
            // A build with more levels may have saved another id, which is kept.
            Leaf::Furthest | Leaf::Difficulty | Leaf::RunDifficulty | Leaf::Level | Leaf::Checkpoint => {
                json!({ "type": ["string", "null"] })
            }
        }
    }

    fn field(&self, field: &FieldDef) -> Json {
        let of = self.best(field);
        let mut of = if field.may_be_unset() { or_null(of) } else { of };
        if let (Some(about), Some(rule)) = (&field.about, of.as_object_mut()) {
            rule.insert("description".into(), json!(about));
        }
        of
    }

    /// Returns the rule of a value, with what goes with it.
    fn best(&self, field: &FieldDef) -> Json {
        let of = self.of(field);
        match &field.with {
            Some(with) => fixed([("value", of), ("with", self.shape(with.shape))]),
            None => of,
        }
    }

    fn of(&self, field: &FieldDef) -> Json {
        let fixed = |bound: &Option<Bound>| bound.as_ref().and_then(Bound::fixed).cloned();
        match &field.items {
            Some(items) => self.items(field.kind, items),
            None => self.one(field.kind, (fixed(&field.min), fixed(&field.max), field.max_len)),
        }
    }

    /// Returns the rule of a list, set or map.
    fn items(&self, kind: Kind, items: &Items) -> Json {
        let Limits { min, max, max_len, .. } = &items.limits;
        let of = self.one(items.of, (min.clone(), max.clone(), *max_len));
        let most = items.max_items;
        match kind {
            Kind::List => json!({ "type": "array", "maxItems": most, "items": of }),
            Kind::Set => json!({ "type": "array", "maxItems": most, "uniqueItems": true, "items": of }),
            _ => json!({
                "type": "object",
                "maxProperties": most,
                "propertyNames": self.key(items.key.unwrap_or(Kind::Text)),
                "additionalProperties": of,
            }),
        }
    }

    /// Returns the rule of a value without items.
    fn one(&self, kind: Kind, limits: (Option<Value>, Option<Value>, Option<usize>)) -> Json {
        if let Kind::Shape(shape) = kind { self.shape(shape) } else { self.scalar(kind, limits) }
    }

    fn shape(&self, shape: u16) -> Json {
        let members = self.model.shapes.get(usize::from(shape)).map_or(&[][..], |shape| &shape.members);
        let properties = members.iter().map(|member| {
            let of = match &member.items {
                Some(items) => self.items(member.kind, items),
                None => {
                    let Limits { min, max, max_len, .. } = &member.limits;
                    self.one(member.kind, (min.clone(), max.clone(), *max_len))
                }
            };
            let of = if member.default == Value::Unset { or_null(of) } else { of };
            (member.name.to_string(), of)
        });
        let properties: Object<String, Json> = properties.collect();
        json!({ "type": "object", "properties": properties, "additionalProperties": false })
    }

    /// Returns the rule of a key of a map, which is text in JSON.
    fn key(&self, kind: Kind) -> Json {
        match kind {
            Kind::Int => json!({ "pattern": "^-?[0-9]+$" }),
            Kind::Bool => json!({ "enum": ["true", "false"] }),
            kind => self.scalar(kind, (None, None, None)),
        }
    }

    fn scalar(&self, kind: Kind, (min, max, len): (Option<Value>, Option<Value>, Option<usize>)) -> Json {
        let numbers = |count: usize| json!({ "type": "array", "minItems": count, "maxItems": count, "items": { "type": "number" } });
        let mut rule = match kind {
            Kind::Bool => json!({ "type": "boolean" }),
            Kind::Int => json!({ "type": "integer", "minimum": i64::MIN, "maximum": i64::MAX }),
            Kind::Float => json!({ "type": "number" }),
            Kind::Time => json!({ "type": "string", "pattern": TIME }),
            Kind::Date => json!({ "type": "string", "format": "date" }),
            Kind::Instant => json!({ "type": "string", "format": "date-time" }),
            Kind::Text => json!({ "type": "string" }),
            Kind::Bytes => hex(),
            Kind::Id(ids) => json!({ "enum": self.model.id_texts(ids).collect::<Vec<_>>() }),
            Kind::Vec2 => numbers(2),
            Kind::Vec3 => numbers(3),
            Kind::Quat => numbers(4),
            Kind::Opaque => fixed([
                ("version", json!({ "type": "integer", "minimum": 0, "maximum": u32::MAX })),
                ("bytes", hex()),
            ]),
            _ => json!(true),
        };
        let Some(rules) = rule.as_object_mut() else { return rule };
        for (word, bound) in [("minimum", min), ("maximum", max)] {
            let bound = match bound {
                Some(Value::Int(number)) => json!(number),
                Some(Value::Float(number)) => json!(number.get()),
                _ => continue,
            };
            rules.insert(word.into(), bound);
        }
        match (kind, len) {
            (Kind::Text, Some(len)) => drop(rules.insert("maxLength".into(), json!(len))),
            (Kind::Bytes, Some(len)) => drop(rules.insert("maxLength".into(), json!(2 * len))),
            _ => {}
        }
        rule
    }
}

fn hex() -> Json {
    json!({ "type": "string", "pattern": HEX })
}

fn or_null(rule: Json) -> Json {
    json!({ "anyOf": [rule, { "type": "null" }] })
}

/// Returns the rule of an object with exactly these keys.
fn fixed<const N: usize>(properties: [(&str, Json); N]) -> Json {
    let required: Vec<&str> = properties.iter().map(|(key, _)| *key).collect();
    let properties: Object<String, Json> =
        properties.iter().map(|(key, rule)| (key.to_string(), rule.clone())).collect();
    json!({ "type": "object", "properties": properties, "required": required, "additionalProperties": false })
}
