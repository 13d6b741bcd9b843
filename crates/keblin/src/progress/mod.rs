//! How progress changes: events in, outcomes out.
//!
//! A pure, deterministic, cloneable state machine. It knows no clock, file or thread: time comes in through
//! [`tick`](crate::Progress::tick), saves go out as [`Snapshot`](crate::Snapshot)s. Every event asks the table in
//! [`phase`](crate::progress::phase) first; a refused event changes nothing and says what is possible instead.

/// Phases, events, and the table that says which event does what in which phase.
pub mod phase;

/// Refusals: what was asked and not done, and why.
pub mod refusal;

/// Where events lead.
pub(crate) mod place;

/// Notices: one-shot messages to the game.
pub mod notice;

/// The journal: which event changed which value last, and why.
pub mod journal;

/// Runs: begin, resume, end.
mod run;

/// Visits: enter, retry, finish, leave, and the passing of time.
mod visit;

/// Checkpoints and deaths.
mod death;

/// The one place where values and facts change.
mod put;

/// Values: reading and writing them.
mod fields;

/// Records: best values and what feeds them.
mod records;

/// Levels: their facts, their ratings, their order.
mod levels;

/// Rules: whether levels are open and unlocks given, and why not.
mod rules;

/// Moments: conditions that are told once when they turn true.
mod moments;

/// Bounds, also those that follow from other values.
mod bounds;

/// Lists, sets and maps.
pub mod items;

/// How the parts of a rule stand.
mod standing;

/// What conditions and tools ask by name.
mod asked;

/// Erasing, with the player's yes.
pub(crate) mod erase;

/// When the game wants to be saved.
mod due;

/// Signals: what a game evaluates every frame.
mod signals;

/// Changes that happen whole or not at all.
mod whole;

/// Events as values.
mod event;

/// Data that arrives while the game runs.
mod arrive;

/// Areas of the world: bytes that are kept with the run.
mod areas;

/// Looking at progress: every value, a debug display, coverage.
mod look;

/// Putting a made-up state in place.
mod suppose;

/// What is played, and who has it.
mod play;

/// Values by a field of the game.
mod values;

/// What calls take for a field.
mod typed;

/// What events answer, in a game's names.
mod outcomes;

pub use death::{Death, Reached};
pub use erase::{Erase, Erased};
pub use event::{Event, Outcome};
pub use fields::Change;
pub use levels::LevelCard;
pub use look::{Covered, Held, OverlayLine};
pub use notice::{Arrival, AsideReason, NewRecord, Notice};
pub use phase::Phase;
pub use place::{Place, RunEnd};
pub(crate) use play::sealed;
pub use play::{Alone, Holder, Lent, Play, Progress, ProgressOf};
pub use refusal::{Refused, Why};
pub use run::{Begun, ResumePoint, Resumed, RunOver};
pub use signals::{Fed, Signal};
pub use standing::{Asks, Standing};
pub(crate) use typed::Write;
pub use typed::{FieldOf, Game, ListOf, MapOf, SetOf, UnsettableOf, WholeField};
pub use values::Amount;
pub use visit::{Entered, Finished, Next, StarHeld};

use std::collections::VecDeque;
use std::sync::Arc;

use keblin_schema::Value;
use keblin_schema::model::{Again, At, OnReset, Resume};

use crate::snapshot::{Areas, Carried, Run, Schema, Snapshot, State, Stay, Visit};
use arrive::Waiting;
use due::Due;
use journal::{Cause, Entry, Journal};
use look::Coverage;
use phase::{Answer, EventName};
use put::Origin;
use rules::Rules;
use signals::Signals;

/// How many notices wait to be taken, at most.
pub const MAX_NOTICES: usize = 4096;

/// The state machine below [`Play`], in the names of no game.
///
/// Cloning gives an independent one with the same values; its journal starts empty.
#[derive(Clone, Debug)]
#[doc(hidden)]
pub struct Engine {
    schema: Arc<Schema>,
    state: State,
    carried: Arc<Carried>,
    areas: Arc<Areas>,
    stage: Stage,
    notices: VecDeque<Notice>,
    /// How many notices were dropped since they were last taken.
    dropped: u64,
    journal: Journal,
    rules: Rules,
    /// Values that wait for the event that would reset them.
    supposed: Vec<(usize, Value)>,
    due: Due,
    signals: Signals,
    /// Whether clocks stand still.
    paused: bool,
    /// The part of a nanosecond that ticks in seconds have left over.
    rest_nanos: f64,
    waiting: Option<Waiting>,
    /// The values as they were last written to a file.
    written: Option<Vec<Value>>,
    overlay: bool,
    coverage: Option<Coverage>,
    strict: bool,
    revision: u64,
}

/// What of the phase the saved state does not say: whether a player is in the run it holds.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Stage {
    Title,
    Running,
    Over,
}

impl Engine {
    pub(crate) fn new(schema: impl Into<Arc<Schema>>) -> Engine {
        let schema = schema.into();
        let state = State::first(&schema);
        Engine::at_title(schema, state, Arc::default(), Notice::FirstRun)
    }

    pub(crate) fn restored(snapshot: Snapshot) -> Engine {
        let Snapshot { schema, mut state, carried, areas, .. } = snapshot;
        state.forget_undurable(&schema);
        let mut progress = Engine::at_title(schema, state, carried, Notice::Restored);
        progress.areas = areas;
        let resume = progress.schema.resume;
        match progress.visit().map(|visit| visit.stay) {
            Some(Stay::Playing | Stay::Down | Stay::Left) if resume == Resume::Checkpoint => {
                let place = progress.place();
                progress.put_back(|field| field.survival.on_death.into(), &Cause::Death(place));
            }
            _ => {}
        }
        progress.clamp_all();
        // Putting back and clamping belong to opening; the journal begins with what the player does.
        progress.journal = Journal::default();
        progress.written_as_they_are();
        progress.note_rules();
        progress
    }

    /// The values of a snapshot as they are, to be looked at and not played.
    pub(crate) fn view(snapshot: &Snapshot) -> Engine {
        let Snapshot { schema, state, carried, areas, .. } = snapshot.clone();
        let progress = Engine::at_title(schema, state, carried, Notice::Restored);
        Engine { areas, ..progress }
    }

    /// Puts values back by `on_death` from the entry copy, for a saved checkpoint that is no longer there.
    pub(crate) fn put_back_to_level_start(&mut self) {
        let place = self.place();
        self.put_back(|field| field.survival.on_death.into(), &Cause::Death(place));
        self.journal = Journal::default();
        self.note_rules();
    }

    fn at_title(schema: Arc<Schema>, state: State, carried: Arc<Carried>, notice: Notice) -> Engine {
        let mut progress = Engine {
            schema,
            state,
            carried,
            areas: Arc::default(),
            stage: Stage::Title,
            notices: VecDeque::from([notice]),
            dropped: 0,
            journal: Journal::default(),
            rules: Rules::default(),
            supposed: Vec::new(),
            due: Due::default(),
            signals: Signals::default(),
            paused: false,
            rest_nanos: 0.0,
            waiting: None,
            written: None,
            overlay: false,
            coverage: None,
            strict: false,
            revision: 0,
        };
        progress.note_rules();
        progress
    }

    pub(crate) fn snapshot(&self) -> Snapshot {
        let mut state = self.state.clone();
        if self.stage == Stage::Over {
            state.run = None;
            let of_run = |again| matches!(again, Again::Level | Again::Run);
            let told = self.schema.moments.iter().zip(&mut state.told);
            told.filter(|(moment, _)| of_run(moment.again)).for_each(|(_, told)| *told = false);
            let ended = self.schema.fields.iter().filter(|field| field.scope.is_of_run());
            for field in ended.filter(|field| field.survival.on_new_run == OnReset::Default) {
                state.cells.get_mut(field.cells.clone()).into_iter().flatten().for_each(|cell| {
                    *cell = field.default.clone();
                });
            }
        }
        let (schema, carried) = (Arc::clone(&self.schema), Arc::clone(&self.carried));
        Snapshot { schema, state, carried, picture: None, areas: Arc::clone(&self.areas) }
    }

    pub(crate) fn schema(&self) -> &Arc<Schema> {
        &self.schema
    }

    pub(crate) fn phase(&self) -> Phase {
        match self.stage {
            Stage::Title => Phase::Title,
            Stage::Over => Phase::Over,
            Stage::Running => match self.visit().map(|visit| visit.stay) {
                Some(Stay::Playing) => Phase::Playing,
                Some(Stay::Down) => Phase::Down,
                Some(Stay::Left | Stay::Finished) | None => Phase::Map,
            },
        }
    }

    pub(crate) fn revision(&self) -> u64 {
        self.revision
    }

    /// Something has changed.
    #[inline]
    fn changed(&mut self) {
        self.revision += 1;
    }

    pub(crate) fn drain_notices(&mut self) -> impl Iterator<Item = Notice> {
        let dropped = std::mem::take(&mut self.dropped);
        let dropped = (dropped > 0).then_some(Notice::Dropped { count: dropped });
        dropped.into_iter().chain(self.notices.drain(..))
    }

    pub(crate) fn journal(&self) -> impl DoubleEndedIterator<Item = &Entry> {
        self.journal.entries()
    }

    pub(crate) fn tell(&mut self, notice: Notice) {
        self.changed();
        let notice = self.hold_back(notice);
        if self.notices.len() >= MAX_NOTICES {
            self.notices.pop_front();
            self.dropped += 1;
        }
        self.notices.extend(notice);
    }

    fn run(&self) -> Option<&Run> {
        self.state.run.as_ref()
    }

    fn visit(&self) -> Option<&Visit> {
        self.run()?.visit.as_ref()
    }

    fn visit_mut(&mut self) -> Option<&mut Visit> {
        self.changed();
        self.state.run.as_mut()?.visit.as_mut()
    }

    /// What a phase answers to an event, a refusal as the error.
    fn ask(&self, event: EventName) -> Result<Answer, Refused> {
        match event.answer(self.phase()) {
            Answer::Refused => Err(self.refusal(event, Why::Phase)),
            answer => Ok(answer),
        }
    }

    fn refusal(&self, event: EventName, why: Why) -> Refused {
        Refused { event, phase: self.phase(), why: Box::new(why) }
    }

    /// The place in question: the level of the visit and the difficulty of the run, or the one last chosen.
    fn here(&self) -> At {
        let difficulty = self.run().map_or(self.state.difficulty, |run| run.difficulty);
        At::level(self.visit().and_then(|visit| visit.level), difficulty)
    }
}
