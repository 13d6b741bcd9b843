//! From declarations to a schema: every name resolved, every rule that spans two places held. Takes what `parse` gives,
//! adds to the findings, and gives the schema if enough of it stands.

/// What the keys of one field mean together.
mod field;

/// Lives and records: rules between fields.
mod rules;

/// Bounds that follow from other values.
mod bounds;

/// Locks, stars, unlocks and moments: compiled, and whether a player can ever reach them.
pub(crate) mod conditions;

/// Whether what is progress is ever saved.
mod saving;

/// Which fields something names.
mod named;

/// What a player can ever reach.
pub(crate) mod reach;

use crate::finding::{Code, Finding};
use crate::model::{Axis, Index, Positions, Schema, Scope};
use crate::name::Name;
use crate::parse::{Declarations, MomentDecl};

/// The most cells a layout may have.
const MAX_CELLS: usize = 1 << 20;

/// The most levels, difficulties, lists, or checkpoints of one level or items of one list.
const MAX_IN_LIST: usize = 16_384;

/// The schema, and a hint for every field that the declaration names nowhere else.
pub(crate) fn resolve(
    declared: Declarations,
    found: &mut Vec<Finding>,
) -> Option<(Schema, Vec<(usize, Finding)>)> {
    let fields = declared.fields.iter().map(|field| field::resolve(field, &declared, found)).collect();
    let mut schema = Schema {
        // Where one of them is missing there is a complaint already, and the rest is checked all the same.
        game: declared.game.as_ref().map_or_else(Name::placeholder, |game| game.value.clone()),
        version: declared.version.unwrap_or(1),
        level_facts_per_difficulty: declared.level_facts_per.is_some(),
        resume: declared.resume,
        after_last: declared.after_last,
        fields,
        moments: declared.moments.iter().map(MomentDecl::def).collect(),
        stars_by: declared.stars_by,
        ..declared.names.clone()
    };
    schema.index = Index {
        fields: Positions::of(schema.fields.iter().map(|field| &field.name)),
        levels: Positions::of(schema.levels.iter().map(|level| &level.name)),
        unlocks: Positions::of(schema.unlocks.iter().map(|unlock| &unlock.name)),
    };
    if let Some(facts_per) = &declared.level_facts_per
        && schema.difficulties.is_empty()
    {
        let message = "facts cannot be kept apart for each difficulty: no difficulties are declared";
        let finding = Finding::error(Code::UnknownName, facts_per.span.clone(), message);
        found.push(finding.instead("declare them: `difficulties = [\"easy\", \"hard\"]`"));
    }
    rules::feeds(&declared, &mut schema, found);
    rules::lives(&declared, &mut schema, found);
    saving::saving(&declared, &mut schema, found);
    let fits = lists_fit(&declared, found) && lay_out(&declared, &mut schema, found);
    if fits {
        // Conditions are compiled against the layout.
        bounds::compile(&declared, &mut schema, found);
        conditions::compile(&declared, &mut schema, found);
    }
    if declared.broken_syntax {
        found.retain(|finding| finding.code != Code::UnknownName);
    }
    schema.tag = tag(&schema);
    let unnamed = named::unnamed(&declared, &schema);
    fits.then_some((schema, unnamed))
}

fn lists_fit(declared: &Declarations, found: &mut Vec<Finding>) -> bool {
    let checkpoints = declared.levels.iter().map(|level| ("checkpoints", level.checkpoints.get(MAX_IN_LIST)));
    let items = declared.lists.iter().map(|list| ("items", list.items.get(MAX_IN_LIST)));
    let whole = [
        ("levels", declared.levels.get(MAX_IN_LIST).map(|level| &level.name)),
        ("difficulties", declared.difficulties.get(MAX_IN_LIST)),
        ("lists", declared.lists.get(MAX_IN_LIST).map(|list| &list.name)),
    ];
    let mut fit = true;
    for (what, excess) in checkpoints.chain(items).chain(whole) {
        if let Some(excess) = excess {
            let message = format!("at most {MAX_IN_LIST} {what} can be declared, and this is one more");
            found.push(Finding::error(Code::OutOfRange, excess.span.clone(), message));
            fit = false;
        }
    }
    fit
}

/// Gives every value its cell: level scope first, then run, profile and device, each in declared order, so that what the
/// copies hold is one range from the start.
fn lay_out(declared: &Declarations, schema: &mut Schema, found: &mut Vec<Finding>) -> bool {
    let places = |schema: &Schema, per: &[Axis]| {
        per.iter().try_fold(1_usize, |places, axis| places.checked_mul(schema.axis_len(*axis)))
    };
    for scope in Scope::ALL {
        for index in 0..schema.fields.len() {
            let Some(field) = schema.fields.get(index).filter(|field| field.scope == scope) else { continue };
            let count = places(schema, &field.per).and_then(|count| count.checked_mul(field.places));
            let end = count.and_then(|count| schema.cell_count.checked_add(count));
            let Some(end) = end.filter(|end| *end <= MAX_CELLS) else {
                let span = declared.fields.get(index).map_or(0..0, |field| field.name.span.clone());
                let message = format!("with this field there are more than {MAX_CELLS} values");
                found.push(Finding::error(Code::OutOfRange, span, message));
                return false;
            };
            if let Some(field) = schema.fields.get_mut(index) {
                field.cells = schema.cell_count..end;
            }
            schema.cell_count = end;
            schema.owners.resize(end, u32::try_from(index).unwrap_or(u32::MAX));
        }
        match scope {
            Scope::Run => schema.copied_cells = schema.cell_count,
            Scope::Profile => schema.saved_cells = schema.cell_count,
            _ => {}
        }
    }
    let clocks = schema.fields.iter().filter(|field| field.counts_playing);
    schema.clock_cells = clocks.map(|field| field.cells.start).collect();
    true
}

/// A number by which handles of two schemas are told apart: 32-bit FNV-1a over everything the schema says.
fn tag(schema: &Schema) -> u32 {
    let everything = format!("{schema:?}");
    everything.bytes().fold(0x811C_9DC5, |hash, byte| (hash ^ u32::from(byte)).wrapping_mul(0x0100_0193))
}
