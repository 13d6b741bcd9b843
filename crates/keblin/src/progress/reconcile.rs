//! Two saves of one game meet, and nothing that either of them earned is lost: records, facts, unlocks, sums, and the
//! records of the run that gives way. A pure function: the keeper, tools and games with a cloud of their own use it.
//! `docs/reconcile.md` has the rules.

use std::cmp::Ordering;
use std::sync::Arc;

use keblin_model::keep::meet_all;
use keblin_model::model::{FeedAt, FieldDef};
use keblin_model::{Keep, Model};
use thiserror::Error;

use super::Engine;
use super::history::{Joined, joined};
use super::meeting::{By, Meeting, has_same_run};
use super::parts::Part;
use super::place::RunEnd;
use crate::snapshot::history::Written;
use crate::snapshot::{Carried, Snapshot};

pub use super::history::{MachineId, Share, Writers, WrittenValue};
pub use super::meeting::Side;
pub use super::met::{Kept, Met};
pub use super::parts::Differing;

/// What two saves have together. [`Reconciled::account`] says how each value was decided.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Reconciled<'s> {
    /// The values of both.
    pub snapshot: Snapshot,
    /// Which one counts where no rule decides.
    pub later: Side,
    /// Whose run is kept.
    pub run: Side,
    /// Whether the other one's run ended as replaced. Its records were offered first.
    pub run_ended: bool,
    pub(super) ours: &'s Snapshot,
    pub(super) theirs: &'s Snapshot,
    /// The save whose run ended, with the records of that run.
    pub(super) ended: Option<Snapshot>,
}

/// Two snapshots cannot meet.
#[derive(Clone, PartialEq, Eq, Error)]
#[error(
    "expected saves opened with the same declaration, but found one of {ours}, and one of {theirs}; open both with \
     the same `Schema`"
)]
#[non_exhaustive]
pub struct NotTheSameGame {
    /// Our game and version.
    pub ours: String,
    /// Their game and version.
    pub theirs: String,
}

keblin_model::debug_as_display!(NotTheSameGame);

/// Merges two saves of one game, and can give an account of it.
///
/// - A save says who wrote what. Sums and counts are what each machine has added, each once; of two plain values the one
///   counts that was written later, or by somebody who had seen the other one.
/// - Records, facts of levels and unlocks are merged by their keep rules.
/// - The run is kept as a whole. What the other one would have given to records at its end is not lost.
/// - Values that this schema does not know are kept.
/// - Bounds are applied once, at the end.
///
/// Progress in memory does not say who wrote what, and neither does a save from before saves did: of such two, the greater
/// amounts count, and the plain values and the run of the later one.
///
/// It does not matter which save is `ours`, how often they are merged, or in which order three of them are. One exception:
/// if two of three saves are in the same run, and one of them is merged with the third first, the records of that run count
/// as if it had ended there.
///
/// ```
/// use keblin::{Field, Keeper, Progress, Schema, reconcile::reconcile, verify::verify};
/// # use std::sync::Arc;
/// # let text = "game = 'otter'\nversion = 1\n[fields]\n\
/// #     shells = { type = 'int', scope = 'profile', keep = 'sum' }\n\
/// #     best = { type = 'int', scope = 'profile', keep = 'highest' }\n";
/// # let schema = Arc::new(Schema::parse("progress.toml", text)?.schema);
/// let (shells, best): (Field<i64>, Field<Option<i64>>) = (schema.field("shells")?, schema.field("best")?);
/// // The game keeps the bytes itself, and a number for each machine.
/// let play = |bytes: Option<&[u8]>, machine: u64, more: i64| {
///     let mut game = Keeper::from_bytes(&schema, bytes)?.on_machine(machine);
///     game.add(shells, more);
///     game.submit(best, more);
///     game.save_now()?;
///     Ok::<_, Box<dyn std::error::Error>>(game.take_due(1_700_000_000_000)?.expect("it is due").bytes)
/// };
/// let before = play(None, 1, 20)?;
/// let (laptop, desktop) = (play(Some(&before), 1, 3)?, play(Some(&before), 2, 5)?);
/// let (ours, theirs) = (verify(&laptop, &schema)?, verify(&desktop, &schema)?);
/// let both = reconcile(ours.snapshot(), theirs.snapshot())?;
/// assert_eq!(both.account()[0].to_string(), "shells: ours 23, theirs 25 -> 28 (both)");
/// assert_eq!(Progress::restored(both.snapshot).get(best), Some(20));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
///
/// # Errors
/// [`NotTheSameGame`] if they belong to different games, or were opened with different declarations.
pub fn reconcile<'s>(ours: &'s Snapshot, theirs: &'s Snapshot) -> Result<Reconciled<'s>, NotTheSameGame> {
    if !ours.schema.is_same(&theirs.schema) {
        let name = |schema: &Model| format!("{}, version {}", schema.game, schema.version);
        return Err(NotTheSameGame { ours: name(&ours.schema), theirs: name(&theirs.schema) });
    }
    Ok(merged(ours, theirs))
}

/// Returns what two saves hold together by their histories. If neither has one, by the rules of what is kept.
pub(crate) fn merged<'s>(ours: &'s Snapshot, theirs: &'s Snapshot) -> Reconciled<'s> {
    let tops = [ours, theirs].map(|of| of.history.as_ref().map_or(Written::UNKNOWN, |history| history.top));
    let later = match tops {
        [Written::UNKNOWN, Written::UNKNOWN] => {
            return merged_by_rules(ours, theirs, later(ours, theirs));
        }
        [one, other] if one > other => Side::Ours,
        [one, other] if one < other => Side::Theirs,
        _ => later(ours, theirs),
    };
    let side = |side: Side| if side == Side::Ours { ours } else { theirs };
    let Joined { mut snapshot, run, is_one_alone } = joined(ours, theirs, later);
    let later = if is_one_alone { run } else { later };
    if !is_one_alone {
        let earlier = if later == Side::Ours { theirs } else { ours };
        snapshot.carried = carried(side(later), earlier, side(run));
    }
    snapshot.saved = side(later).saved;
    if may_be_out_of_bounds(&ours.schema) {
        hold_bounds(&mut snapshot);
    }
    let losing = if run == Side::Ours { theirs } else { ours };
    let run_of = |of: &Snapshot| of.history.as_ref().map_or(Written::UNKNOWN, |history| history.run);
    let run_ended = losing.state.run.is_some() && run_of(ours) != run_of(theirs);
    Reconciled { snapshot, later, run, run_ended, ours, theirs, ended: None }
}

/// Merges two saves that do not say who wrote what; the caller says which one is later. Its run is kept, and the other one ends
/// as replaced.
fn merged_by_rules<'s>(ours: &'s Snapshot, theirs: &'s Snapshot, later: Side) -> Reconciled<'s> {
    let schema = &ours.schema;
    let losing = if later == Side::Ours { theirs } else { ours };
    let gives_way = losing.state.run.is_some() && !has_same_run(schema, &ours.state, &theirs.state);
    let ended = (gives_way && has_records_of_runs(schema)).then(|| ended(losing));
    let (one, other) = match (later, &ended) {
        (Side::Ours, Some(ended)) => (ours, ended),
        (Side::Theirs, Some(ended)) => (ended, theirs),
        _ => (ours, theirs),
    };
    let meeting = Meeting { schema, ours: &one.state, theirs: &other.state, base: None, run: later };
    let state = meeting.state(|field, _| match field.scope {
        scope if scope.is_of_run() => By::Side(later),
        _ if field.keep == Keep::Latest => By::Side(later),
        _ => By::Rule,
    });
    let kept = if later == Side::Ours { ours } else { theirs };
    let mut snapshot = Snapshot {
        carried: carried(kept, losing, kept),
        areas: Arc::clone(&kept.areas),
        picture: kept.picture.clone(),
        title: kept.title.clone(),
        saved: kept.saved,
        ..Snapshot::of_state(schema, state)
    };
    if may_be_out_of_bounds(schema) {
        hold_bounds(&mut snapshot);
    }
    Reconciled { snapshot, later, run: later, run_ended: gives_way, ours, theirs, ended }
}

/// Returns whether the end of a run can beat a record.
fn has_records_of_runs(schema: &Model) -> bool {
    let feeds = schema.fields.iter().filter_map(|field| field.feed.as_ref());
    feeds.into_iter().any(|feed| feed.at.contains(&FeedAt::RunEnd))
}

/// Returns a save after its run was replaced, so that the records of that run count. What they open is found when the
/// save is opened. An equal value in a table may be the same run: it does not count twice. A sum takes nothing, because the
/// same run may go on in the other save.
fn ended(save: &Snapshot) -> Snapshot {
    let schema = &save.schema;
    let mut engine = Engine::restored(save.clone());
    let tables: Vec<&FieldDef> = schema.fields.iter().filter(|field| field.keep.is_record()).collect();
    tables.iter().flat_map(|field| field.cells.clone()).for_each(|cell| engine.unset(cell));
    engine.end(RunEnd::Replaced);
    let mut state = engine.snapshot().state;
    for field in tables {
        for first in field.cells.clone().step_by(field.places) {
            let table = first..first + field.places;
            let offered = state.cells.get_mut(table.clone()).unwrap_or_default();
            let held = save.state.cells.get(table).unwrap_or_default();
            let both = meet_all(field.keep, held, offered, None);
            offered.clone_from_slice(&both);
        }
    }
    for field in schema.fields.iter().filter(|field| field.keep.is_amount()) {
        for cell in field.cells.clone() {
            let before = save.state.cells.get(cell).cloned();
            state.cells.get_mut(cell).zip(before).into_iter().for_each(|(cell, before)| *cell = before);
        }
    }
    state.latched.clone_from(&save.state.latched);
    state.opened.clone_from(&save.state.opened);
    for (told, before) in state.told.iter_mut().zip(&save.state.told) {
        *told &= *before;
    }
    Snapshot { state, ..save.clone() }
}

/// Returns the unknown values of both; where both have one, that of the later save.
fn carried(later: &Snapshot, earlier: &Snapshot, run: &Snapshot) -> Arc<Carried> {
    if *later.carried == Carried::default() && later.carried == earlier.carried {
        return Arc::default();
    }
    let mut carried = Carried::clone(&later.carried);
    carried.join(&earlier.carried);
    carried.with_run_of(&run.schema, Some(&run.carried));
    Arc::new(carried)
}

/// Returns whether values of two saves can be out of bounds together although each was within them: an amount, or a value
/// with a bound that follows another.
fn may_be_out_of_bounds(schema: &Model) -> bool {
    let is_bound_amount =
        |field: &FieldDef| field.keep.is_amount() && (field.min.is_some() || field.max.is_some());
    !schema.following.is_empty() || schema.fields.iter().any(is_bound_amount)
}

fn hold_bounds(snapshot: &mut Snapshot) {
    let mut view = Engine::view(snapshot);
    view.clamp_all();
    snapshot.state.cells = view.snapshot().state.cells;
}

/// Returns which of two snapshots is later: the order is total, so that it does not matter which one is asked first.
fn later(ours: &Snapshot, theirs: &Snapshot) -> Side {
    // One that was never saved is what a game holds at the moment.
    let unsaved = |snapshot: &Snapshot| snapshot.saved.is_none();
    let order = unsaved(ours).cmp(&unsaved(theirs)).then(ours.saved.cmp(&theirs.saved));
    match order.then_with(|| by_content(ours, theirs)) {
        Ordering::Less => Side::Theirs,
        _ => Side::Ours,
    }
}

/// Orders two snapshots that were saved at the same moment, or never, by the first value that differs and that one of
/// them gives up: so the result of a meeting has the place of the one whose values it has.
fn by_content(ours: &Snapshot, theirs: &Snapshot) -> Ordering {
    let is_whole = |part: &Part| part.is_plain(&ours.schema) || part.is_of_run(&ours.schema);
    let differ = Part::that_differ(ours, theirs).into_iter().find(is_whole);
    let text = |of: &Snapshot| differ.as_ref().map(|part| format!("{:?}", part.value(of)));
    text(ours).cmp(&text(theirs))
}
