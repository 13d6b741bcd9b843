//! Events in a game's names. Each call is that of the same name of [`Progress`](crate::Progress).

use keblin_schema::condition::names::Asked;
use keblin_schema::typed::FieldType;
use keblin_schema::{Checkpoint, Difficulty, Field, Game, Level, OfGame, Unlock, Value};

use super::values::Write;
use super::{FieldOf, HasProgress, Of, UnsettableOf, WholeField};
use crate::progress::{
    Amount, Begun, Covered, Death, Entered, Erase, Erased, Event, Fed, Finished, LevelCard, Outcome, Place,
    Reached, Refused, ResumePoint, Resumed, RunOver, Signal, Standing,
};
use crate::snapshot::LevelFacts;

impl<G: Game, P: HasProgress> Of<G, P> {
    /// Begins a run, as [`Progress::begin`](crate::Progress::begin).
    ///
    /// # Errors
    /// As [`Progress::begin`](crate::Progress::begin).
    pub fn begin(&mut self, difficulty: Option<Difficulty<G>>) -> Result<Begun<G>, Refused> {
        self.progress_mut().begin(difficulty.map(Difficulty::of_any)).map(OfGame::of_game)
    }

    /// Begins a run, in place of one that may be under way, as [`Progress::begin_replacing`](crate::Progress::begin_replacing).
    pub fn begin_replacing(&mut self, difficulty: Option<Difficulty<G>>) -> Begun<G> {
        self.progress_mut().begin_replacing(difficulty.map(Difficulty::of_any)).of_game()
    }

    /// What can be gone on with, as [`Progress::resume_point`](crate::Progress::resume_point).
    #[must_use]
    pub fn resume_point(&self) -> Option<ResumePoint<G>> {
        self.progress().resume_point().of_game()
    }

    /// Goes on with the run that waits, as [`Progress::resume`](crate::Progress::resume).
    ///
    /// # Errors
    /// As [`Progress::resume`](crate::Progress::resume).
    pub fn resume(&mut self) -> Result<Resumed<G>, Refused> {
        self.progress_mut().resume().map(OfGame::of_game)
    }

    /// Ends the run, as [`Progress::end_run`](crate::Progress::end_run).
    ///
    /// # Errors
    /// As [`Progress::end_run`](crate::Progress::end_run).
    pub fn end_run(&mut self) -> Result<Option<RunOver<G>>, Refused> {
        self.progress_mut().end_run().map(OfGame::of_game)
    }

    /// Enters a level, as [`Progress::enter`](crate::Progress::enter).
    ///
    /// # Errors
    /// As [`Progress::enter`](crate::Progress::enter).
    pub fn enter(&mut self, level: Level<G>) -> Result<Entered<G>, Refused> {
        self.progress_mut().enter(level.of_any()).map(OfGame::of_game)
    }

    /// Tries the level again, as [`Progress::retry`](crate::Progress::retry).
    ///
    /// # Errors
    /// As [`Progress::retry`](crate::Progress::retry).
    pub fn retry(&mut self) -> Result<Entered<G>, Refused> {
        self.progress_mut().retry().map(OfGame::of_game)
    }

    /// Reaches a checkpoint, as [`Progress::reach`](crate::Progress::reach).
    ///
    /// # Errors
    /// As [`Progress::reach`](crate::Progress::reach).
    pub fn reach(&mut self, checkpoint: Checkpoint<G>) -> Result<Reached, Refused> {
        self.progress_mut().reach(checkpoint.of_any())
    }

    /// A death, as [`Progress::die`](crate::Progress::die).
    pub fn die(&mut self) -> Option<Death<G>> {
        self.progress_mut().die().of_game()
    }

    /// The player is back, as [`Progress::respawn`](crate::Progress::respawn).
    ///
    /// # Errors
    /// As [`Progress::respawn`](crate::Progress::respawn).
    pub fn respawn(&mut self) -> Result<Place<G>, Refused> {
        self.progress_mut().respawn().map(OfGame::of_game)
    }

    /// Finishes the level, as [`Progress::finish`](crate::Progress::finish).
    ///
    /// # Errors
    /// As [`Progress::finish`](crate::Progress::finish).
    pub fn finish(&mut self) -> Result<Option<Finished<G>>, Refused> {
        self.progress_mut().finish().map(OfGame::of_game)
    }

    /// Finishes the level with stars that the game gives, as [`Progress::finish_with_stars`](crate::Progress::finish_with_stars).
    ///
    /// # Errors
    /// As [`Progress::finish_with_stars`](crate::Progress::finish_with_stars).
    pub fn finish_with_stars(&mut self, stars: i64) -> Result<Option<Finished<G>>, Refused> {
        self.progress_mut().finish_with_stars(stars).map(OfGame::of_game)
    }

    /// Feeds a signal, as [`Progress::feed`](crate::Progress::feed).
    ///
    /// # Errors
    /// As [`Progress::feed`](crate::Progress::feed).
    pub fn feed(&mut self, signal: Signal<G>, on: bool) -> Result<Fed<G>, Refused> {
        self.progress_mut().feed(any_signal(signal), on).map(OfGame::of_game)
    }

    /// Applies an event, as [`Progress::apply`](crate::Progress::apply).
    ///
    /// # Errors
    /// As [`Progress::apply`](crate::Progress::apply).
    pub fn apply(&mut self, event: &Event<G>) -> Result<Outcome<G>, Refused> {
        self.progress_mut().apply(&any_event(event)).map(OfGame::of_game)
    }

    /// Erases, if the player has said yes, as [`Progress::erase`](crate::Progress::erase).
    ///
    /// # Errors
    /// As [`Progress::erase`](crate::Progress::erase).
    pub fn erase(&mut self, what: &Erase<G>, yes: bool) -> Result<Vec<Erased>, Refused> {
        self.progress_mut().erase(&any_erase(what), yes)
    }

    /// The level of the visit, as [`Progress::level`](crate::Progress::level).
    #[must_use]
    pub fn level(&self) -> Option<Level<G>> {
        self.progress().level().of_game()
    }

    /// The checkpoint reached last, as [`Progress::checkpoint`](crate::Progress::checkpoint).
    #[must_use]
    pub fn checkpoint(&self) -> Option<Checkpoint<G>> {
        self.progress().checkpoint().of_game()
    }

    /// Where a death comes back to, as [`Progress::place`](crate::Progress::place).
    #[must_use]
    pub fn place(&self) -> Place<G> {
        self.progress().place().of_game()
    }

    /// The difficulty, as [`Progress::difficulty`](crate::Progress::difficulty).
    #[must_use]
    pub fn difficulty(&self) -> Option<Difficulty<G>> {
        self.progress().difficulty().of_game()
    }

    /// The furthest level, as [`Progress::furthest`](crate::Progress::furthest).
    #[must_use]
    pub fn furthest(&self) -> Option<Level<G>> {
        self.progress().furthest().of_game()
    }

    /// The facts of a level, as [`Progress::facts`](crate::Progress::facts).
    #[must_use]
    pub fn facts(&self, level: Level<G>, difficulty: Option<Difficulty<G>>) -> LevelFacts {
        self.progress().facts(level.of_any(), difficulty.map(Difficulty::of_any))
    }

    /// All levels as a level-select screen shows them, as [`Progress::level_cards`](crate::Progress::level_cards).
    #[must_use]
    pub fn level_cards(&self, difficulty: Option<Difficulty<G>>) -> Vec<LevelCard<G>> {
        self.progress().level_cards(difficulty.map(Difficulty::of_any)).of_game()
    }

    /// Whether a level can be entered, as [`Progress::is_open`](crate::Progress::is_open).
    #[must_use]
    pub fn is_open(&self, level: Level<G>, difficulty: Option<Difficulty<G>>) -> bool {
        self.progress().is_open(level.of_any(), difficulty.map(Difficulty::of_any))
    }

    /// Why a level is locked, as [`Progress::why_locked`](crate::Progress::why_locked).
    #[must_use]
    pub fn why_locked(&self, level: Level<G>, difficulty: Option<Difficulty<G>>) -> Vec<Standing<G>> {
        self.progress().why_locked(level.of_any(), difficulty.map(Difficulty::of_any)).of_game()
    }

    /// Whether an unlock is given, as [`Progress::is_unlocked`](crate::Progress::is_unlocked).
    #[must_use]
    pub fn is_unlocked(&self, unlock: Unlock<G>) -> bool {
        self.progress().is_unlocked(unlock.of_any())
    }

    /// Why an unlock is not given, as [`Progress::why_not_unlocked`](crate::Progress::why_not_unlocked).
    #[must_use]
    pub fn why_not_unlocked(&self, unlock: Unlock<G>) -> Vec<Standing<G>> {
        self.progress().why_not_unlocked(unlock.of_any()).of_game()
    }

    /// What never took part in a level, as [`Progress::coverage`](crate::Progress::coverage).
    #[must_use]
    pub fn coverage(&self) -> Vec<Covered<G>> {
        self.progress().coverage().of_game()
    }
}

/// Changes of values, for systems that queue what happens. A number that is not finite is refused when it is applied.
impl<G: Game> Event<G> {
    /// [`Progress::set`](crate::Progress::set)
    #[must_use]
    pub fn set<F: FieldOf<G>>(field: F, value: Write<F, G>) -> Event<G> {
        Event::of_value(field, value, Event::Set)
    }

    /// [`Progress::add`](crate::Progress::add)
    #[must_use]
    pub fn add<F: FieldOf<G, Of: Amount>>(field: F, amount: Write<F, G>) -> Event<G> {
        Event::of_value(field, amount, Event::Add)
    }

    /// [`Progress::spend`](crate::Progress::spend)
    #[must_use]
    pub fn spend<F: FieldOf<G, Of: Amount>>(field: F, amount: Write<F, G>) -> Event<G> {
        Event::of_value(field, amount, Event::Spend)
    }

    /// [`Progress::submit`](crate::Progress::submit)
    #[must_use]
    pub fn submit<F>(field: F, value: Write<F, G>) -> Event<G>
    where
        F: FieldOf<G> + UnsettableOf<G, Held: Amount>,
    {
        Event::of_value(field, value, Event::Submit)
    }

    fn of_value<F: FieldOf<G>>(
        field: F,
        value: Write<F, G>,
        event: fn(Field<Value, G>, Value) -> Event<G>,
    ) -> Event<G> {
        let as_value = Field::of_cell(u32::try_from(FieldOf::looked_up(field).cell()).unwrap_or(u32::MAX));
        match F::Of::write(value, G::schema()) {
            Some(value) => event(as_value, value),
            // Adding nothing that is known is refused, and changes nothing.
            None => Event::Add(as_value, Value::Unset),
        }
    }
}

impl<G: Game> Erase<G> {
    /// One value of a field.
    #[must_use]
    pub fn value(field: impl FieldOf<G>) -> Erase<G> {
        let (cell, schema) = (field.looked_up().cell(), G::schema());
        let at = schema.cell_owner(cell).map(|(_, at)| at).unwrap_or_default();
        Erase::Named(Asked::Field { field: schema.field_of_cell(cell).unwrap_or(usize::MAX), at })
    }

    /// A field with all its values.
    #[must_use]
    pub fn field(field: impl WholeField<G>) -> Erase<G> {
        Erase::Field(G::schema().field_of_cell(field.first_cell()).unwrap_or(usize::MAX))
    }
}

fn any_signal<G: Game>(signal: Signal<G>) -> Signal {
    match signal {
        Signal::Death => Signal::Death,
        Signal::Reach(checkpoint) => Signal::Reach(checkpoint.of_any()),
        Signal::Finish => Signal::Finish,
        Signal::Own(name) => Signal::Own(name),
    }
}

fn any_erase<G: Game>(what: &Erase<G>) -> Erase {
    match what {
        Erase::Profile => Erase::Profile,
        Erase::Level(level, difficulty) => Erase::Level(level.of_any(), difficulty.map(Difficulty::of_any)),
        Erase::Named(asked) => Erase::Named(asked.clone()),
        Erase::Field(field) => Erase::Field(*field),
    }
}

fn any_event<G: Game>(event: &Event<G>) -> Event {
    match event {
        Event::Begin { difficulty, replacing } => {
            Event::Begin { difficulty: difficulty.map(Difficulty::of_any), replacing: *replacing }
        }
        Event::Resume => Event::Resume,
        Event::Enter(level) => Event::Enter(level.of_any()),
        Event::Retry => Event::Retry,
        Event::Reach(checkpoint) => Event::Reach(checkpoint.of_any()),
        Event::Die => Event::Die,
        Event::Respawn => Event::Respawn,
        Event::Finish(stars) => Event::Finish(*stars),
        Event::Leave => Event::Leave,
        Event::EndRun => Event::EndRun,
        Event::Tick(elapsed) => Event::Tick(*elapsed),
        Event::Pause(on) => Event::Pause(*on),
        Event::Feed(signal, on) => Event::Feed(any_signal(*signal), *on),
        Event::Set(field, value) => Event::Set(field.looked_up(), value.clone()),
        Event::Add(field, amount) => Event::Add(field.looked_up(), amount.clone()),
        Event::Spend(field, amount) => Event::Spend(field.looked_up(), amount.clone()),
        Event::Submit(field, value) => Event::Submit(field.looked_up(), value.clone()),
        Event::Put(field, place, item) => Event::Put(field.looked_up(), place.clone(), item.clone()),
        Event::Take(field, place) => Event::Take(field.looked_up(), place.clone()),
        Event::Erase(what, yes) => Event::Erase(any_erase(what), *yes),
    }
}
