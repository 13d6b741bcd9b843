//! What persists: fields with their bounds, records with where their values come from, kinds of objects. With a save,
//! each with the player's value.

use keblin::model::{FieldDef, MemberDef, Scope};
use keblin::{Progress, Schema, Value};
use maud::{Markup, html};

use super::words::{safe, table};
use crate::out::{of_scope, shortened};

pub(super) fn fields(schema: &Schema, progress: Option<&Progress>) -> Markup {
    let values = progress.map(|_| "value");
    let heads: Vec<&str> =
        ["field", "type"].into_iter().chain(values).chain(["default", "bounds", "about"]).collect();
    let columns = heads.len().to_string();
    let rows = html! {
        @for &scope in Scope::ALL {
            @for (group, fields) in schema.by_group(|field| field.scope == scope) {
                tbody {
                    tr.group { th scope="rowgroup" colspan=(columns) { (safe(of_scope(scope, group))) } }
                    @for field in fields { (row(schema, field, progress)) }
                }
            }
        }
    };
    table("Fields", &heads, &rows)
}

fn row(schema: &Schema, field: &FieldDef, progress: Option<&Progress>) -> Markup {
    let axes: Vec<String> = field.per.iter().map(|axis| schema.axis_name(*axis).to_string()).collect();
    html! {
        tr id={ "field-" (field.name) } {
            th scope="row" { (field.name) }
            td {
                (field.holds())
                @if !axes.is_empty() { ", one for each " (axes.join(" and ")) }
                @if !field.durable { ", not saved" }
                @if field.counts_playing { ", runs in play" }
            }
            @if let Some(progress) = progress { td.value { (value(progress, field)) } }
            td { @if field.may_be_unset() { "unset" } @else { (safe(shortened(field.default.to_string()))) } }
            td { (bounds(field)) }
            td {
                @if let Some(about) = &field.about { (safe(about)) " " }
                @if field.keep != keblin::Keep::Latest { (kept(schema, field)) }
            }
        }
    }
}

/// Which value stays, and where values come from.
fn kept(schema: &Schema, field: &FieldDef) -> Markup {
    let from = field.feed.as_ref().and_then(|feed| Some((schema.fields.get(feed.from)?, &feed.at)));
    html! {
        span.keep {
            "keeps: " (field.keep.as_str())
            @if field.places > 1 { ", the best " (field.places) }
            @if let Some((from, at)) = from {
                ", from " a href={ "#field-" (from.name) } { (from.name) }
                " at " (at.iter().map(|at| at.as_str()).collect::<Vec<_>>().join(", "))
            }
        }
    }
}

fn bounds(field: &FieldDef) -> String {
    let number = match (&field.min, &field.max) {
        (None, None) => String::new(),
        (Some(min), None) => format!("at least {min}"),
        (None, Some(max)) => format!("at most {max}"),
        (Some(min), Some(max)) => format!("{min} to {max}"),
    };
    let length = field.max_len.map(|most| format!("at most {most} long"));
    let items = field.items.as_ref().map(|items| items.max_items);
    let items = items.map(|most| format!("at most {most} items"));
    let all = [Some(number).filter(|number| !number.is_empty()), length, items];
    safe(all.into_iter().flatten().collect::<Vec<_>>().join(", "))
}

/// The player's value; of a field with many, those that are not the default.
fn value(progress: &Progress, field: &FieldDef) -> Markup {
    let schema = progress.schema();
    let place =
        |cell| schema.cell_owner(cell).map(|(_, at)| schema.place_text(&field.per, at)).unwrap_or_default();
    let held = field.cells.clone().map(|cell| (cell, progress.value_at(cell)));
    let held: Vec<(usize, &Value)> = held.filter(|(_, value)| **value != field.default).collect();
    if held.is_empty() {
        return html! { span.same { "default" } };
    }
    html! {
        @if field.cells.len() == 1 {
            @for (_, value) in held { strong { (safe(shortened(value.to_string()))) } }
        } @else {
            ul.values {
                @for (cell, value) in held {
                    li { (safe(place(cell))) ": " strong { (safe(shortened(value.to_string()))) } }
                }
            }
        }
    }
}

/// The kinds of objects in the world, and the areas.
pub(super) fn world(schema: &Schema) -> Markup {
    let rows = html! {
        @for kind in &schema.object_kinds {
            tbody {
                tr.group {
                    th scope="rowgroup" colspan="4" {
                        (kind.name) @if let Some(about) = &kind.about { span.about { " – " (safe(about)) } }
                    }
                }
                @for field in &kind.fields {
                    tr { th scope="row" { (field.name) } td { (field.kind) } td { (safe(field.default.to_string())) } td { (about(field)) } }
                }
            }
        }
    };
    let named = schema.areas.named();
    html! {
        (table("Kinds of objects", &["field", "type", "default", "about"], &rows))
        p {
            (crate::out::counted(schema.areas.len(), "area")) " of the world"
            @if !named.is_empty() {
                ": " (named.iter().map(|area| safe(&area.title)).collect::<Vec<_>>().join(", "))
            } "."
        }
    }
}

fn about(field: &MemberDef) -> String {
    safe(field.about.as_deref().unwrap_or_default())
}
