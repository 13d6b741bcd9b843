//! How progress changes: events in, results out.
//!
//! A pure, deterministic, cloneable state machine. It does not use a clock, file or thread: time comes in through
//! [`tick`](crate::Progress::tick), saves go out as [`Snapshot`](crate::Snapshot)s. Every event checks the table in
//! [`phase`](crate::progress::phase) first; a refused event changes nothing and says what is possible instead.

/// Phases, events, and the table that says which event does what in which phase.
pub mod phase;

/// Refusals: why a call was refused, and what is possible instead.
pub mod refusal;

/// Places that events lead to.
pub(crate) mod place;

/// Notices: one-shot messages to the game.
pub mod notice;

/// The journal: which event last changed each value, and why.
pub mod journal;

/// Runs: begin, resume, end.
mod run;

/// Visits: enter, retry, finish, leave, and the passing of time.
mod visit;

/// Checkpoints and deaths.
mod death;

/// Save points: checkpoints that last as long as the run.
mod save_point;

/// The one place where values and facts change.
mod put;

/// Reading and writing values.
mod fields;

/// Records: best values and what feeds them.
mod records;

/// Refused value calls, for the game's logger.
mod reported;

/// Levels: their facts, their ratings, their order.
mod levels;

/// Unlocks that are bought.
mod buy;

/// Chapters: what a map of the world shows of each.
mod chapters;

/// Invariants.
mod invariants;

/// Rules: whether levels are open and unlocks unlocked, and why not.
mod rules;

/// Moments: conditions that are reported once when they become true.
mod moments;

/// Bounds, including those that follow other values.
mod bounds;

/// Lists, sets and maps.
pub mod items;

/// Changing a value in place, and looking up one item or entry.
mod changing;

/// The parts of a rule, and whether each is met.
mod standing;

/// Values by name, for conditions and tools.
mod asked;

/// Erasing, after confirmation.
pub(crate) mod erase;

/// Named resets.
mod reset;

/// When a save is due.
mod due;

/// Signals: conditions that a game evaluates every frame.
mod signals;

/// Several changes, all or none.
mod whole;

/// Events as values.
mod event;

/// Data that arrives while the game is running.
mod arrive;

/// Who wrote what, and merging by it.
pub(crate) mod history;

/// How the values of two saves meet.
pub(crate) mod meeting;

/// What two saves of one game have together, with an account.
pub mod reconcile;

/// The account of two saves that met.
mod met;

/// What a snapshot has, part by part.
mod parts;

/// Areas of the world: bytes that are kept with the run.
mod areas;

/// Objects of the world, which stay as the player left them.
mod world;

/// What events do to them.
mod world_back;

/// Looking at progress: every value, a debug display, coverage.
mod look;

/// Made-up states, for tests.
mod suppose;

/// Copies of an engine, for exploring.
#[cfg(feature = "testing")]
mod copied;

/// Progress with its calls, and its holders.
mod play;

/// Values by typed fields.
mod values;

/// Types that calls take for a field.
mod typed;

/// Results of events, with a game's names.
mod outcomes;

pub use buy::Bought;
pub use chapters::ChapterCard;
pub use death::{Death, Reached};
pub use erase::{Erase, Erased};
pub use event::{Event, Outcome};
pub use fields::Change;
pub use levels::LevelCard;
pub use look::{Covered, Held, OverlayLine};
pub use notice::{Arrival, AsideReason, Beaten, NewRecord, Notice};
pub use phase::Phase;
pub use place::{Place, RunEnd};
pub(crate) use play::sealed;
pub use play::{Alone, Holder, Lent, Play, Progress, ProgressOf};
pub use refusal::{Refused, Why};
pub use run::{Begun, ResumePoint, Resumed, RunOver};
pub use signals::{Fed, Signal};
pub use standing::{Asks, Standing};
pub(crate) use typed::Write;
pub use typed::{CollectionOf, FieldOf, Game, ListOf, MapOf, RecordOf, SetOf, UnsettableOf, WholeField};
pub use values::{Amount, Ordered};
pub use visit::{Entered, Finished, Next, StarHeld};

use std::collections::VecDeque;
use std::fmt;
use std::sync::Arc;

use keblin_model::Value;
use keblin_model::model::{Again, At, OnReset, Resume};

use crate::broken::Broken;
use crate::snapshot::{Areas, Carried, Run, Schema, Snapshot, State, Stay, Visit};
use arrive::Waiting;
use due::Due;
use journal::{Cause, Entry, Journal};
use look::Coverage;
use put::Origin;
use reported::Reported;
use rules::Rules;
use signals::Signals;

/// The most notices that wait to be taken.
pub const MAX_NOTICES: usize = 4096;

/// The state machine inside [`Play`], without a game's names.
///
/// A clone is independent and has the same values; its journal starts empty.
#[derive(Clone)]
#[doc(hidden)]
pub struct Engine {
    schema: Arc<Schema>,
    state: State,
    carried: Arc<Carried>,
    areas: Arc<Areas>,
    world: world::World,
    /// The title of the slot, as people write it.
    title: Option<Arc<str>>,
    stage: Stage,
    notices: VecDeque<Notice>,
    /// How many notices were dropped since the last [`Play::drain_notices`].
    dropped: u64,
    journal: Journal,
    rules: Rules,
    /// Values that wait for the event that would reset them.
    supposed: Vec<(usize, Value)>,
    due: Due,
    signals: Signals,
    /// Whether the clocks are paused.
    paused: bool,
    /// The part of a nanosecond that ticks in seconds have left.
    rest_nanos: f64,
    waiting: Option<Waiting>,
    /// The values of the last save.
    written: Option<Vec<Value>>,
    overlay: bool,
    coverage: Option<Coverage>,
    strict: bool,
    /// How many runs were begun.
    runs_begun: u64,
    /// Only the settings of the device can be written: no slot is open.
    only_settings: bool,
    reported: Reported,
    revision: u64,
}

/// Short, because it would fill pages: the game, the version and the phase.
impl fmt::Debug for Engine {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "Progress({}, version {}, {:?})", self.schema.game, self.schema.version, self.phase())
    }
}

/// What the saved state does not say about the phase: whether a player is in its run.
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

    /// Returns an engine in which only settings can be written, with the values of device scope.
    pub(crate) fn of_settings(schema: &Arc<Schema>, values: &[Value]) -> Engine {
        let first = Engine::new(Arc::clone(schema)).snapshot().with_device_values(values);
        Engine { only_settings: true, ..Engine::restored(first) }
    }

    pub(crate) fn restored(snapshot: Snapshot) -> Engine {
        let Snapshot { schema, mut state, carried, areas, title, .. } = snapshot;
        state.forget_undurable(&schema);
        if Broken::ReloadForgets.is() {
            state.cells = State::first_cells(&schema);
        }
        let mut progress = Engine::at_title(schema, state, carried, Notice::Restored);
        (progress.areas, progress.title) = (areas, title);
        let resume = progress.schema.resume;
        match progress.visit().map(|visit| visit.stay) {
            Some(Stay::Playing | Stay::Down | Stay::Left) if resume == Resume::Checkpoint => {
                let place = progress.place();
                progress.put_back_after_death(&Cause::Death(place));
            }
            _ => {}
        }
        progress.clamp_all();
        // Resetting and clamping are part of opening; the journal starts with what the player does.
        progress.journal = Journal::default();
        progress.written_as_they_are();
        progress.note_rules();
        progress
    }

    /// Returns the values of a snapshot unchanged, for viewing.
    pub(crate) fn view(snapshot: &Snapshot) -> Engine {
        let Snapshot { schema, state, carried, areas, title, .. } = snapshot.clone();
        let progress = Engine::at_title(schema, state, carried, Notice::Restored);
        Engine { areas, title, ..progress }
    }

    /// Resets values by `on_death` from the entry copy, for a saved checkpoint that no longer exists.
    pub(crate) fn put_back_to_level_start(&mut self) {
        let place = self.current_place();
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
            world: world::World::default(),
            title: None,
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
            runs_begun: 0,
            only_settings: false,
            reported: Reported::default(),
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
        let (carried, areas, title) =
            (Arc::clone(&self.carried), Arc::clone(&self.areas), self.title.clone());
        let runs_begun = self.runs_begun;
        Snapshot { carried, areas, title, runs_begun, ..Snapshot::of_state(&self.schema, state) }
    }

    pub(crate) fn schema(&self) -> &Arc<Schema> {
        &self.schema
    }

    /// Returns the values and facts as they are.
    #[cfg(feature = "testing")]
    pub(crate) fn state(&self) -> &State {
        &self.state
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

    /// Counts a change.
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

    /// Returns the current place: the level of the visit, and the difficulty of the run or the one last chosen.
    fn here(&self) -> At {
        let difficulty = self.run().map_or(self.state.difficulty, |run| run.difficulty);
        At::level(self.visit().and_then(|visit| visit.level), difficulty)
    }
}
