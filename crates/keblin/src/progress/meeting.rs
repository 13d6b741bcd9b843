//! How the values of two saves meet: the one place for copies of a game, data that arrives late, pins and tools.

use keblin_model::keep::meet_all;
use keblin_model::model::{Again, FieldDef, Scope};
use keblin_model::{Keep, Model, Value};

use crate::snapshot::{LevelFacts, Snapshot, State};

/// One of two saves that meet.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Side {
    /// The first one: what the game holds.
    Ours,
    /// The second one.
    Theirs,
}

/// How a value is decided.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum By {
    /// It is the one of this side.
    Side(Side),
    /// By the keep rule of its field.
    Rule,
    /// What each side has added since the base is added together.
    Gain,
}

/// Two states, and what both had before they diverged.
#[derive(Clone, Copy)]
pub(super) struct Meeting<'m> {
    pub(super) schema: &'m Model,
    pub(super) ours: &'m State,
    pub(super) theirs: &'m State,
    pub(super) base: Option<&'m State>,
    /// Whose run it is.
    pub(super) run: Side,
}

impl Meeting<'_> {
    /// Returns the state of both; `decide` is asked for every value, and for every table of best values.
    pub(super) fn state(&self, decide: impl Fn(&FieldDef, usize) -> By) -> State {
        let Meeting { schema, ours, theirs, base, run } = *self;
        let mut met = match run {
            Side::Ours => ours.clone(),
            Side::Theirs => {
                let (told, run) = (theirs.told.clone(), theirs.run.clone());
                State { told, run, difficulty: theirs.difficulty, ..ours.clone() }
            }
        };
        for field in &schema.fields {
            for first in field.cells.clone().step_by(field.places) {
                let table = first..first + field.places;
                let rule = match decide(field, first) {
                    By::Side(Side::Ours) => continue,
                    By::Side(Side::Theirs) => None,
                    By::Rule => Some(field.keep),
                    By::Gain => Some(Keep::Sum),
                };
                let [ours, theirs] = [ours, theirs].map(|state| state.cells.get(table.clone()));
                let (Some(ours), Some(theirs)) = (ours, theirs) else { continue };
                let base = base.and_then(|base| base.cells.get(table.clone()));
                let Some(held) = met.cells.get_mut(table.clone()) else { continue };
                match rule {
                    None => held.clone_from_slice(theirs),
                    // Two that are equal may still have gained apart.
                    Some(_) if ours == theirs && base.is_none_or(|base| base == ours) => {}
                    Some(rule) => held.clone_from_slice(&meet_all(rule, ours, theirs, base)),
                }
            }
        }
        for (index, (facts, theirs)) in met.facts.iter_mut().zip(&theirs.facts).enumerate() {
            let base = base.map(|base| base.facts.get(index).copied().unwrap_or_default());
            *facts = of_both(*facts, *theirs, base);
        }
        met.furthest = ours.furthest.max(theirs.furthest);
        met.made = ours.made.max(theirs.made);
        met.played = match base {
            Some(base) => ours.played + (theirs.played - base.played),
            None => ours.played.max(theirs.played),
        };
        for (opened, theirs) in met.opened.iter_mut().zip(&theirs.opened) {
            *opened |= *theirs;
        }
        for (latched, theirs) in met.latched.iter_mut().zip(&theirs.latched) {
            *latched |= *theirs;
        }
        let told = met.told.iter_mut().zip(&schema.moments).zip(ours.told.iter().zip(&theirs.told));
        for ((told, moment), (ours, theirs)) in told {
            if moment.again == Again::Profile {
                *told = *ours || *theirs;
            }
        }
        met
    }
}

/// Returns whether two states are in the same run with the same values.
pub(super) fn has_same_run(schema: &Model, one: &State, other: &State) -> bool {
    let [cells, others] = [one, other].map(|state| state.cells.get(..schema.copied_cells));
    one.run == other.run && one.difficulty == other.difficulty && cells == others
}

/// Returns the facts of a level in both: finished stays, the better rating stays, and counts meet like sums.
fn of_both(ours: LevelFacts, theirs: LevelFacts, base: Option<LevelFacts>) -> LevelFacts {
    let count = |of: fn(&LevelFacts) -> u64| match &base {
        Some(base) => of(&ours).saturating_add(of(&theirs).saturating_sub(of(base))),
        None => of(&ours).max(of(&theirs)),
    };
    LevelFacts {
        finished: ours.finished || theirs.finished,
        stars: ours.stars.max(theirs.stars),
        collected: ours.collected | theirs.collected,
        attempts: count(|facts| facts.attempts),
        deaths: count(|facts| facts.deaths),
    }
}

/// Returns a snapshot with settings of two programs: one that was not changed here since `before` is as the other program
/// has written it.
pub(crate) fn with_settings_of_both(ours: &Snapshot, theirs: &[Value], before: Option<&[Value]>) -> Snapshot {
    let before = before.map(|before| ours.clone().with_device_values(before));
    let other = ours.clone().with_device_values(theirs);
    let meeting = Meeting {
        schema: &ours.schema,
        ours: &ours.state,
        theirs: &other.state,
        base: before.as_ref().map(|before| &before.state),
        run: Side::Ours,
    };
    let state = meeting.state(|field, first| match (field.scope, field.keep) {
        (Scope::Device, Keep::Latest) => {
            let table = |state: &State| state.cells.get(first..first + field.places).map(<[Value]>::to_vec);
            let is_as_before =
                before.as_ref().is_some_and(|before| table(&before.state) == table(&ours.state));
            By::Side(if is_as_before { Side::Theirs } else { Side::Ours })
        }
        (Scope::Device, _) => By::Rule,
        _ => By::Side(Side::Ours),
    });
    Snapshot { state, ..ours.clone() }
}
