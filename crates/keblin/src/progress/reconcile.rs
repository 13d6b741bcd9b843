//! Two saves of one game meet, and nothing that either of them earned is lost: records, facts, unlocks, sums, and the
//! records of the run that gives way. A pure function: the keeper, tools and games with a cloud of their own use it.
//! `docs/reconcile.md` has the rules.

use std::cmp::Ordering;
use std::sync::Arc;

use keblin_model::keep::meet_all;
use keblin_model::model::{Feed, FeedAt, FieldDef, Scope};
use keblin_model::{Keep, Model, Value};
use thiserror::Error;

use super::Engine;
use super::history::{Joined, joined};
use super::meeting::{By, Meeting, has_same_run};
use super::parts::Part;
use super::place::RunEnd;
use crate::snapshot::history::Written;
use crate::snapshot::{Carried, Snapshot, State};

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
    pub(super) base: Option<&'s Snapshot>,
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

/// Returns what two saves of one game have together, and can give an account of it. `base` is a save that both continue, if it is
/// known.
///
/// - Fields with a keep rule, facts of levels, unlocks and time played meet by their rules. With `base`, sums and
///   counts are what both added to it.
/// - Fields without one, and the run as a whole, are those of the side that has changed them since `base`. If both
///   have, or there is no `base`, they are those of the later save: by the clock, then by number, then by digest. A
///   snapshot that was never saved is later than one that was.
/// - The run that gives way ends as replaced: its records are offered first.
/// - Values that this schema does not know are kept.
/// - Bounds are applied once, at the end.
///
/// A snapshot does not know what was erased. If one of two saves is from before an erasure in the other, take only the
/// other: [`Lineage::has_erased_since`](crate::save::Lineage::has_erased_since) says so. A keeper does this itself.
///
/// Without `base` it does not matter which save is `ours`, how often they meet, or in which order three of them do.
///
/// ```
/// use keblin::{Field, Progress, Schema, reconcile::reconcile};
/// # use std::sync::Arc;
/// # let text = "game = 'otter'\nversion = 1\n[fields]\n\
/// #     shells = { type = 'int', scope = 'profile', keep = 'sum' }\n\
/// #     best = { type = 'int', scope = 'profile', keep = 'highest' }\n";
/// # let schema = Arc::new(Schema::parse("progress.toml", text)?.schema);
/// let (shells, best): (Field<i64>, Field<Option<i64>>) = (schema.field("shells")?, schema.field("best")?);
/// let mut laptop = Progress::new(Arc::clone(&schema));
/// laptop.add(shells, 20);
/// let before = laptop.snapshot();
/// let mut desktop = Progress::restored(before.clone());
/// laptop.add(shells, 3);
/// laptop.submit(best, 9);
/// desktop.add(shells, 5);
/// let (ours, theirs) = (laptop.snapshot(), desktop.snapshot());
/// let both = reconcile(&ours, &theirs, Some(&before))?;
/// assert_eq!(both.account()[0].to_string(), "shells: ours 23, theirs 25, before 20 -> 28 (both)");
/// let game = Progress::restored(both.snapshot);
/// assert_eq!(game.get(shells), 28);
/// assert_eq!(game.get(best), Some(9));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
///
/// # Errors
/// [`NotTheSameGame`] if they belong to different games, or were opened with different declarations.
pub fn reconcile<'s>(
    ours: &'s Snapshot,
    theirs: &'s Snapshot,
    base: Option<&'s Snapshot>,
) -> Result<Reconciled<'s>, NotTheSameGame> {
    for other in [Some(theirs), base].into_iter().flatten() {
        if !ours.schema.is_same(&other.schema) {
            let name = |schema: &Model| format!("{}, version {}", schema.game, schema.version);
            return Err(NotTheSameGame { ours: name(&ours.schema), theirs: name(&other.schema) });
        }
    }
    match base {
        None => Ok(merged(ours, theirs)),
        base => Ok(meet(ours, theirs, base, later(ours, theirs), Playing::Nobody)),
    }
}

/// Returns what two saves hold together by their histories. If neither has one, by the rules of what is kept.
pub(crate) fn merged<'s>(ours: &'s Snapshot, theirs: &'s Snapshot) -> Reconciled<'s> {
    let tops = [ours, theirs].map(|of| of.history.as_ref().map_or(Written::UNKNOWN, |history| history.top));
    let later = match tops {
        [Written::UNKNOWN, Written::UNKNOWN] => {
            return meet(ours, theirs, None, later(ours, theirs), Playing::Nobody);
        }
        [one, other] if one > other => Side::Ours,
        [one, other] if one < other => Side::Theirs,
        _ => later(ours, theirs),
    };
    let side = |side: Side| if side == Side::Ours { ours } else { theirs };
    let Joined { mut snapshot, run } = joined(ours, theirs, later);
    let earlier = if later == Side::Ours { theirs } else { ours };
    snapshot.carried = carried(side(later), earlier, side(run));
    snapshot.saved = side(later).saved;
    if may_be_out_of_bounds(&ours.schema) {
        hold_bounds(&mut snapshot);
    }
    let losing = if run == Side::Ours { theirs } else { ours };
    let run_of = |of: &Snapshot| of.history.as_ref().map_or(Written::UNKNOWN, |history| history.run);
    let run_ended = losing.state.run.is_some() && run_of(ours) != run_of(theirs);
    Reconciled { snapshot, later, run, run_ended, ours, theirs, base: None, ended: None }
}

/// Whether a player is in our run, so that it stays as it is, and so do settings.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Playing {
    Ours,
    Nobody,
}

/// Returns what two saves have together; the caller says which one is later.
pub(crate) fn meet<'s>(
    ours: &'s Snapshot,
    theirs: &'s Snapshot,
    base: Option<&'s Snapshot>,
    later: Side,
    playing: Playing,
) -> Reconciled<'s> {
    let schema = &ours.schema;
    let has_same_run = |one: &State, other: &State| has_same_run(schema, one, other);
    let [of_ours, of_theirs] =
        [ours, theirs].map(|side| base.is_some_and(|base| has_same_run(&base.state, &side.state)));
    let run = match (playing, of_ours, of_theirs) {
        (Playing::Ours, ..) => Side::Ours,
        (_, true, false) => Side::Theirs,
        (_, false, true) => Side::Ours,
        _ => later,
    };
    // A run that the other side has continued has not ended.
    let (losing, has_continued) = if run == Side::Ours { (theirs, of_theirs) } else { (ours, of_ours) };
    let gives_way = losing.state.run.is_some() && !has_continued && !has_same_run(&ours.state, &theirs.state);
    let ended = (gives_way && has_records_of_runs(schema)).then(|| ended(losing, base));
    let (one, other) = match (run, &ended) {
        (Side::Ours, Some(ended)) => (ours, ended),
        (Side::Theirs, Some(ended)) => (ended, theirs),
        _ => (ours, theirs),
    };
    let meeting =
        Meeting { schema, ours: &one.state, theirs: &other.state, base: base.map(|base| &base.state), run };
    let state = meeting.state(|field, first| match field.scope {
        scope if scope.is_of_run() => By::Side(run),
        Scope::Device if playing == Playing::Ours => By::Side(Side::Ours),
        _ if field.keep == Keep::Latest => {
            By::Side(meeting.changed_or(later, |state| state.cells.get(first..first + field.places)))
        }
        _ => By::Rule,
    });
    let side = |side: Side| if side == Side::Ours { ours } else { theirs };
    let mut snapshot = Snapshot {
        carried: carried(side(later), if later == Side::Ours { theirs } else { ours }, side(run)),
        areas: Arc::clone(&side(run).areas),
        picture: side(run).picture.clone(),
        title: side(later).title.clone(),
        saved: side(later).saved,
        ..Snapshot::of_state(schema, state)
    };
    if may_be_out_of_bounds(schema) {
        hold_bounds(&mut snapshot);
    }
    Reconciled { snapshot, later, run, run_ended: gives_way, ours, theirs, base, ended }
}

/// Returns whether the end of a run can beat a record.
fn has_records_of_runs(schema: &Model) -> bool {
    let feeds = schema.fields.iter().filter_map(|field| field.feed.as_ref());
    feeds.into_iter().any(|feed| feed.at.contains(&FeedAt::RunEnd))
}

/// Returns a save after its run was replaced, so that the records of that run count. What they open is found when the
/// save is opened. Without a base, an equal value in a table may be the same run: it does not count twice.
///
/// A sum takes what the run has gained since the base, because the same run may go on in the other save. Without a base
/// that is not known, and it takes nothing.
fn ended(save: &Snapshot, base: Option<&Snapshot>) -> Snapshot {
    let (schema, has_base) = (&save.schema, base.is_some());
    let mut engine = Engine::restored(save.clone());
    let tables = schema.fields.iter().filter(|field| field.keep.is_record() && !has_base);
    let tables: Vec<&FieldDef> = tables.collect();
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
    for field in schema.fields.iter().filter(|field| field.keep == Keep::Sum) {
        let Some(feed) = field.feed.as_ref().filter(|feed| feed.at.contains(&FeedAt::RunEnd)) else {
            continue;
        };
        for cell in field.cells.clone() {
            let [before, after] = [&save.state, &state].map(|state| state.cells.get(cell).cloned());
            let sum = before.zip(after).map(|(before, after)| sum_of_ended(base, feed, before, &after));
            state.cells.get_mut(cell).zip(sum).into_iter().for_each(|(cell, sum)| *cell = sum);
        }
    }
    state.latched.clone_from(&save.state.latched);
    state.opened.clone_from(&save.state.opened);
    for (told, before) in state.told.iter_mut().zip(&save.state.told) {
        *told &= *before;
    }
    Snapshot { state, ..save.clone() }
}

/// Returns what a sum holds after the run of a save has ended; `after` has all that the run held.
fn sum_of_ended(base: Option<&Snapshot>, feed: &Feed, before: Value, after: &Value) -> Value {
    let Some(base) = base else { return before };
    let from = base.schema.fields.get(feed.from).map(|from| from.cells.start);
    let counted = base.state.run.as_ref().and_then(|_| base.state.cells.get(from?));
    let gained = counted.map_or(Some(after.clone()), |counted| Some(after.plus(&counted.negated())?.0));
    gained.filter(|gained| gained.order(&before) == Some(Ordering::Greater)).unwrap_or(before)
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

/// Returns whether values of two saves can be out of bounds together although each was within them: a sum, or a value
/// with a bound that follows another.
fn may_be_out_of_bounds(schema: &Model) -> bool {
    let is_bound_sum =
        |field: &FieldDef| field.keep == Keep::Sum && (field.min.is_some() || field.max.is_some());
    !schema.following.is_empty() || schema.fields.iter().any(is_bound_sum)
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
