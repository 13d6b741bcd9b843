//! Collections of two copies that meet: what each has put into a list, a set or a map is there afterwards.

use std::sync::Arc;

use keblin_model::model::Scope;
use keblin_model::{Keep, Kind};

use super::breach::{Breach, BreachCode};
use super::moves::some_of;
use super::names::{name_of, written};
use super::show::{continued, script};
use crate::rehearse::Rehearsal;
use crate::snapshot::Schema;

/// Returns the collections that lose an entry, each with its rehearsal.
pub(super) fn lost_at_meetings(schema: &Arc<Schema>, from: Option<&Rehearsal>) -> Vec<Breach> {
    let mut breaches = Vec::new();
    let kept = schema.fields.iter().filter(|field| {
        field.scope == Scope::Profile && field.durable && field.kind.has_items() && field.feed.is_none()
    });
    for field in kept {
        let Some(items) = &field.items else { continue };
        let Some(name) = name_of(schema, field.cells.start) else { continue };
        let of = if field.kind == Kind::Map { items.key.unwrap_or(Kind::Text) } else { items.of };
        let both = some_of(schema, of, 2).into_iter().filter_map(|value| written(&value)).collect::<Vec<_>>();
        let value = some_of(schema, items.of, 2).first().and_then(written).unwrap_or_default();
        let [ours, theirs] = both.as_slice() else { continue };
        let put = |what: &str| match field.kind {
            Kind::Map => format!("put {name} {what} {value}"),
            _ => format!("put {name} {what}"),
        };
        let quoted =
            |what: &str| if what.starts_with('"') { what.to_string() } else { format!("\"{what}\"") };
        for lost in [theirs, ours] {
            let asked = if of.is_number() { lost.clone() } else { quoted(lost) };
            let lines = [
                "save".to_string(),
                "far launch".to_string(),
                format!("far {}", put(theirs)),
                "far quit".to_string(),
                put(ours),
                "sync from far".to_string(),
                "save".to_string(),
                format!("expect {asked} in {name}"),
            ];
            let Some(rehearsal) = continued(schema, from, &lines) else { continue };
            let last = rehearsal.lines().last().map_or(0, |line| line.number);
            let Some(failure) = rehearsal.run().failure.filter(|failure| failure.line == last) else {
                continue;
            };
            let rule = if field.keep == Keep::Latest { "; `keep = \"union\"` keeps both" } else { "" };
            breaches.push(Breach {
                code: BreachCode::MeetingLoses,
                about: name.clone(),
                message: format!("two copies of the game meet, and `{name}` has lost {lost}{rule}"),
                script: script(from, &lines),
                failure: failure.kind.to_string(),
                trace: Vec::new(),
            });
            break;
        }
    }
    breaches
}
