//! Makes a model from parsed declarations: resolves every name, and checks every rule that spans two places. Takes
//! what `parse` returns, adds to the findings, and returns the model if there are no errors.

/// How the keys of one field work together.
mod field;

/// Which fields the engine feeds from others.
mod feeds;

/// What goes with the values of a record.
mod with;

/// Lives and costs: rules between fields.
mod rules;

/// Bounds that follow other values.
mod bounds;

/// The place of a part of a condition.
pub(crate) mod place;

/// Locks, stars, unlocks and moments: compiled, and whether a player can ever reach them.
pub(crate) mod conditions;

/// Doubts about stars.
mod stars;

/// Groups of fields.
mod groups;

/// Named resets.
mod resets;

/// What a list of slots shows.
mod summary;

/// Whether progress is ever saved.
mod saving;

/// Which fields are named.
mod named;

/// What a player can ever reach.
pub(crate) mod reach;

/// What keeps something locked for ever
mod shut;

use crate::declare::parse::{Declarations, InvariantDecl, MomentDecl};
use crate::model::{Axis, CheckpointLasts, Index, Model, Scope};
use crate::name::Name;
use crate::text::finding::{Code, Finding};

/// The most cells a layout may have.
const MAX_CELLS: usize = 1 << 20;

/// The most levels, difficulties, lists, checkpoints of one level, or items of one list.
const MAX_IN_LIST: usize = 16_384;

/// Returns the model, and a hint for every field that the declaration names nowhere else.
pub(crate) fn resolve(
    declared: Declarations,
    found: &mut Vec<Finding>,
) -> Option<(Model, Vec<(usize, Finding)>)> {
    let fields = declared.fields.iter().map(|field| field::resolve(field, &declared, found)).collect();
    let mut model = Model {
        // If one of them is missing, an error says so; the rest is still checked.
        game: declared.game.as_ref().map_or_else(Name::placeholder, |game| game.value.clone()),
        version: declared.version.unwrap_or(1),
        level_facts_per_difficulty: declared.level_facts_per.is_some(),
        resume: declared.resume,
        checkpoint_lasts: declared
            .checkpoint_lasts
            .as_ref()
            .map_or(CheckpointLasts::Level, |lasts| lasts.value),
        after_last: declared.after_last,
        fields,
        moments: declared.moments.iter().map(MomentDecl::def).collect(),
        invariants: declared.invariants.iter().map(InvariantDecl::def).collect(),
        stars_by: declared.stars_by,
        ..declared.names.clone()
    };
    model.index = Index::of(&model);
    if let Some(facts_per) = &declared.level_facts_per
        && model.difficulties.is_empty()
    {
        let message = "facts cannot be kept per difficulty: no difficulties are declared";
        let finding = Finding::error(Code::UnknownName, facts_per.span.clone(), message);
        found.push(finding.instead("declare them: `difficulties = [\"easy\", \"hard\"]`"));
    }
    feeds::feeds(&declared, &mut model, found);
    with::with(&declared, &mut model, found);
    if let Some(lasts) =
        declared.checkpoint_lasts.as_ref().filter(|lasts| lasts.value == CheckpointLasts::Run)
        && model.levels.iter().all(|level| level.checkpoints.is_empty())
    {
        let message = "no checkpoint can last: no level declares one";
        let finding = Finding::error(Code::MeaninglessKey, lasts.span.clone(), message);
        found.push(finding.instead("add `checkpoints` to a level, or leave it out"));
    }
    rules::lives(&declared, &mut model, found);
    rules::costs(&declared, &mut model, found);
    saving::saving(&declared, &mut model, found);
    summary::summary(&declared, &mut model, found);
    groups::groups(&declared, &mut model, found);
    model.resets = resets::resolve(&declared, &model, found);
    let fits = lists_fit(&declared, found) && lay_out(&declared, &mut model, found);
    if fits {
        // Conditions are compiled after the layout is made.
        bounds::compile(&declared, &mut model, found);
        conditions::compile(&declared, &mut model, found);
        resets::doubt(&declared, &model, found);
    }
    if declared.broken_syntax {
        found.retain(|finding| finding.code != Code::UnknownName);
    }
    model.tag = keblin_model::tag_of(&model);
    let unnamed = named::unnamed(&declared, &model);
    fits.then_some((model, unnamed))
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

/// Gives every value its cell: level scope first, then run, profile and device, each in declared order. So the values
/// in the copies are one range from the start.
fn lay_out(declared: &Declarations, model: &mut Model, found: &mut Vec<Finding>) -> bool {
    let places = |model: &Model, per: &[Axis]| {
        per.iter().try_fold(1_usize, |places, axis| places.checked_mul(model.axis_len(*axis)))
    };
    for &scope in Scope::ALL {
        for index in 0..model.fields.len() {
            let Some(field) = model.fields.get(index).filter(|field| field.scope == scope) else { continue };
            let count = places(model, &field.per).and_then(|count| count.checked_mul(field.places));
            let end = count.and_then(|count| model.cell_count.checked_add(count));
            let Some(end) = end.filter(|end| *end <= MAX_CELLS) else {
                let span = declared.fields.get(index).map_or(0..0, |field| field.name.span.clone());
                let message = format!("with this field there are more than {MAX_CELLS} values");
                found.push(Finding::error(Code::OutOfRange, span, message));
                return false;
            };
            if let Some(field) = model.fields.get_mut(index) {
                field.cells = model.cell_count..end;
            }
            model.cell_count = end;
            model.owners.resize(end, u32::try_from(index).unwrap_or(u32::MAX));
        }
        match scope {
            Scope::Run => model.copied_cells = model.cell_count,
            Scope::Profile => model.saved_cells = model.cell_count,
            _ => {}
        }
    }
    let clocks = model.fields.iter().filter(|field| field.counts_playing);
    model.clock_cells = clocks.map(|field| field.cells.start).collect();
    true
}
