//! What survives what, as a table: every event that treats fields differently.

use keblin::Schema;
use keblin::model::{FieldDef, Scope};
use keblin::survival::{Fate, Row, fate, fate_of_kind, is_override, is_set_by_kind};
use maud::{Markup, html};

use super::words::{safe, table};
use crate::cmd::survival::{COLUMNS, notes, says};
use crate::out::of_scope;

pub(super) fn survival(schema: &Schema) -> Markup {
    let heads: Vec<&str> = std::iter::once("field").chain(COLUMNS.iter().map(|(head, _)| *head)).collect();
    let columns = heads.len().to_string();
    let rows = html! {
        @for &scope in Scope::ALL {
            @for (group, fields) in schema.by_group(|field| field.scope == scope) {
                tbody {
                    tr.group { th scope="rowgroup" colspan=(columns) { (safe(of_scope(scope, group))) } }
                    @for field in fields { (row(schema, field)) }
                }
            }
        }
        @if !schema.object_kinds.is_empty() {
            tbody {
                tr.group { th scope="rowgroup" colspan=(columns) { "objects of the world" } }
                @for kind in &schema.object_kinds {
                    tr {
                        th scope="row" { (kind.name) }
                        @for (_, event) in COLUMNS {
                            (cell(fate_of_kind(schema, kind, event), is_set_by_kind(schema, kind, event), false))
                        }
                    }
                }
            }
        }
    };
    html! {
        (table("What survives what", &heads, &rows))
        ul.notes { @for note in notes(schema) { li { (note) } } }
    }
}

fn row(schema: &Schema, field: &FieldDef) -> Markup {
    let lives = schema.lives.as_ref().and_then(|lives| schema.fields.get(lives.field));
    let is_lives = lives.is_some_and(|lives| lives.name == field.name);
    html! {
        tr {
            th scope="row" title=[field.about.as_deref().map(safe)] { a href={ "#field-" (field.name) } { (field.name) } }
            @for (_, event) in COLUMNS {
                @let is_set = is_override(schema, field, event) || says(field, event);
                (cell(fate(schema, field, event), is_set, is_lives && event == Row::Death))
            }
        }
    }
}

fn cell(fate: Fate, is_set: bool, costs_one: bool) -> Markup {
    let (word, class, why) = match fate {
        Fate::Stays if costs_one => ("loses 1", "changes", "A death costs one."),
        Fate::Stays => ("stays", "same", "The value does not change."),
        Fate::Copied => ("stays", "same", "The value does not change, and a copy is taken to come back to."),
        Fate::Readable => ("readable", "same", "The value can be read until the next level or run begins."),
        Fate::Checkpoint => {
            ("checkpoint", "back", "The value at the last checkpoint, or on arrival if there was none.")
        }
        Fate::Entry => ("entry", "back", "The value on arrival in the level."),
        _ => (fate.as_str(), "changes", "The declared default."),
    };
    html! { td class=(class) title=(why) { (word) @if is_set { abbr title="set by the field" { "*" } } } }
}
