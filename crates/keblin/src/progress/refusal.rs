//! Refusals: what was called, in which phase, and why it was refused. A refusal changes nothing.

use std::fmt;

use keblin_model::limits::Unfit;
use keblin_model::{Name, Value};

use super::phase::{Answer, EventName, Phase};
use super::{Engine, Stage};
use crate::snapshot::Stay;

/// The error of a refused call. Nothing has changed. Match on `why` to react; its text is for logs and developers.
#[derive(Clone, PartialEq, Eq)]
#[non_exhaustive]
pub struct Refused {
    /// The event or write.
    pub event: EventName,
    /// The phase at the time.
    pub phase: Phase,
    /// Why it was refused.
    pub why: Box<Why>,
}

keblin_model::debug_as_display!(Refused);

/// Why a call was refused.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Why {
    /// The phase does not allow it.
    Phase {
        /// What the game can call now, except writes, ticks, erasing and loading.
        possible: Vec<EventName>,
    },
    /// There is no run to resume.
    NoRun,
    /// No level was left half-way.
    NoVisit,
    /// A run is in progress, and the call does not replace it.
    RunUnderWay,
    /// The level is locked.
    Locked {
        /// The level.
        level: Name,
        /// What is missing, part by part.
        missing: Vec<String>,
    },
    /// The level is being played already.
    SameLevel {
        /// The level.
        level: Name,
    },
    /// The checkpoint belongs to another level.
    OtherLevel {
        /// The checkpoint.
        checkpoint: Name,
        /// Its level.
        of: Name,
    },
    /// A value outside its bounds, where clamping would invent a result.
    OutOfBounds {
        /// The field.
        field: Name,
        /// Its place, if it has axes: `reedgate, neap`.
        place: String,
        /// The value offered.
        value: Value,
        /// The lower bound.
        min: Option<Value>,
        /// The upper bound.
        max: Option<Value>,
    },
    /// A rating that the level does not have.
    Stars {
        /// The level; `None` in a game without levels.
        level: Option<Name>,
        /// The difficulty, if one is chosen.
        difficulty: Option<Name>,
        /// The rating offered.
        stars: i64,
        /// The largest rating.
        max: u8,
    },
    /// A rating for a level whose stars are decided by its rules.
    StarsByRules {
        /// The level; `None` in a game without levels.
        level: Option<Name>,
        /// The difficulty, if one is chosen.
        difficulty: Option<Name>,
        /// The rating offered.
        stars: i64,
    },
    /// A value of another type, too long, with too many items, or with an element out of bounds.
    DoesNotFit {
        /// The field.
        field: Name,
        /// What does not fit.
        unfit: Unfit,
    },
    /// A number that is infinite or NaN.
    NotFinite {
        /// The field.
        field: Name,
    },
    /// Something of a slot, where only settings are open.
    OnlySettings {
        /// The field or the event.
        what: String,
    },
    /// A value cannot be taken from a field that only grows.
    OnlyGains {
        /// The field.
        field: Name,
    },
    /// There is no item at this position or for this key.
    NotThere {
        /// The field.
        field: Name,
        /// The position or key.
        what: String,
    },
    /// More was to be spent than there is.
    NotEnough {
        /// The field.
        field: Name,
        /// The amount.
        asked: Value,
        /// The current value.
        held: Value,
        /// The lower bound.
        min: Option<Value>,
    },
    /// The unlock does not have a price.
    NotForSale {
        /// The unlock.
        unlock: Name,
    },
    /// The rule of an unlock or its price is not met.
    CannotBuy {
        /// The unlock.
        unlock: Name,
        /// The parts that are not met, as people read them.
        missing: Vec<String>,
    },
    /// A negative amount was to be spent.
    SpendsLessThanNothing {
        /// The field.
        field: Name,
        /// The amount.
        asked: Value,
    },
    /// The field is unset, so there is nothing to add to or to change.
    Unset {
        /// The field.
        field: Name,
    },
    /// A value that a fact cannot have, or a value for something derived.
    Unfit {
        /// What the value was for.
        what: &'static str,
        /// The value offered.
        value: Value,
    },
    /// Erasing it could do nothing: it is derived from something else.
    NotErasable {
        /// What it is.
        what: &'static str,
        /// What to erase instead.
        instead: &'static str,
    },
    /// The player has not confirmed.
    NotConfirmed {
        /// What would be erased or replaced.
        would: Vec<String>,
    },
}

impl fmt::Display for Refused {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Refused { event, phase, .. } = self;
        match self.why.as_ref() {
            Why::Phase { possible } => {
                let possible: Vec<_> = possible.iter().map(|event| event.as_str()).collect();
                write!(f, "`{event}` refused in phase {phase}; possible now: {}", possible.join(", "))
            }
            Why::NoRun => write!(f, "`{event}` refused: there is no run to resume; begin one"),
            Why::NoVisit => write!(f, "`{event}` refused: no level was left half-way; enter one"),
            Why::RunUnderWay => {
                write!(
                    f,
                    "`{event}` refused: a run is already in progress; after confirming with the player call `begin_replacing`"
                )
            }
            Why::NotForSale { unlock } => {
                write!(f, "{unlock} cannot be bought: its declaration does not have `costs`")
            }
            Why::CannotBuy { unlock, missing } => {
                write!(f, "{unlock} cannot be bought: {}", missing.join("; "))
            }
            Why::Locked { level, missing } => write!(f, "{level} is locked: {}", missing.join("; ")),
            Why::SameLevel { level } => {
                write!(f, "`{event}` refused: {level} is already being played; retry it, or leave it first")
            }
            Why::OtherLevel { checkpoint, of } => {
                write!(f, "`{event}` refused: checkpoint {checkpoint} belongs to {of}, not to this level")
            }
            Why::OutOfBounds { field, place, value, min, max } => {
                let at = if place.is_empty() { "" } else { " at " };
                write!(f, "{field}{at}{place}: {value} refused: ")?;
                match (min, max) {
                    (Some(min), Some(max)) => write!(f, "expected {min} to {max}"),
                    (Some(min), None) => write!(f, "expected at least {min}"),
                    (None, Some(max)) => write!(f, "expected at most {max}"),
                    (None, None) => write!(f, "out of bounds"),
                }
            }
            Why::Stars { level, difficulty, stars, max } => {
                write!(f, "stars{}: {stars} refused: expected 0 to {max}", place(level, difficulty))
            }
            Why::StarsByRules { level, difficulty, stars } => {
                let place = place(level, difficulty);
                write!(
                    f,
                    "stars{place}: {stars} refused: the level's rules decide them; finish without stars"
                )
            }
            Why::DoesNotFit { field, unfit } => write!(f, "{field}: refused: {unfit}"),
            Why::NotFinite { field } => write!(f, "{field}: refused: the number is not finite"),
            Why::OnlySettings { what } => {
                write!(f, "{what}: refused: it belongs to a slot, and only settings are open; open the slot")
            }
            Why::OnlyGains { field } => {
                write!(f, "{field}: cannot be reduced: `keep = \"sum\"`/`\"union\"` fields only grow")
            }
            Why::NotThere { field, what } => write!(f, "{field}: refused: {what} not found"),
            Why::NotEnough { field, asked, held, min } => {
                write!(f, "{field}: cannot spend {asked} of {held}")?;
                min.as_ref().map_or(Ok(()), |min| write!(f, ": at least {min} must remain"))
            }
            Why::SpendsLessThanNothing { field, asked } => {
                write!(f, "{field}: cannot spend {asked}: expected at least 0; to add, call `add`")
            }
            Why::Unset { field } => write!(f, "{field} is unset: set it first"),
            Why::NotConfirmed { would } if would.is_empty() => {
                write!(f, "`{event}` needs confirmation (`yes = true`); it would erase nothing")
            }
            Why::NotConfirmed { would } => {
                write!(f, "`{event}` needs confirmation (`yes = true`); it would erase: {}", would.join("; "))
            }
            Why::NotErasable { what, instead } => write!(f, "{what} cannot be erased; {instead}"),
            Why::Unfit { what, value } => write!(f, "{what} cannot be {value}"),
        }
    }
}

/// Returns ` at LEVEL on DIFFICULTY`, each if there is one.
fn place(level: &Option<Name>, difficulty: &Option<Name>) -> String {
    let level = level.as_ref().map(|level| format!(" at {level}"));
    let difficulty = difficulty.as_ref().map(|difficulty| format!(" on {difficulty}"));
    level.into_iter().chain(difficulty).collect()
}

impl std::error::Error for Refused {}

impl Engine {
    /// Checks an event against the phase; a refusal is an error.
    pub(super) fn ask(&self, event: EventName) -> Result<Answer, Refused> {
        match event.answer(self.phase()) {
            _ if self.only_settings && event != EventName::WriteProfile => {
                Err(self.refusal(event, Why::OnlySettings { what: event.to_string() }))
            }
            Answer::Refused => Err(self.not_now(event)),
            answer => Ok(answer),
        }
    }

    pub(super) fn refusal(&self, event: EventName, why: Why) -> Refused {
        Refused { event, phase: self.phase(), why: Box::new(why) }
    }

    /// Returns the refusal of an event that the phase does not allow.
    pub(super) fn not_now(&self, event: EventName) -> Refused {
        let is_possible = |other: &EventName| match other {
            EventName::Begin => !self.has_run(),
            EventName::Resume if self.stage == Stage::Title => self.state.run.is_some(),
            EventName::Resume | EventName::Retry if self.phase() == Phase::Map => {
                self.visit().is_some_and(|visit| visit.stay == Stay::Left)
            }
            EventName::Finish => self.phase() == Phase::Playing,
            EventName::Reach => self
                .visit()
                .and_then(|visit| self.schema.levels.get(visit.level?))
                .is_some_and(|level| !level.checkpoints.is_empty()),
            EventName::EndRun => self.state.run.is_some(),
            _ => true,
        };
        let possible = EventName::possible_in(self.phase()).filter(is_possible).collect();
        self.refusal(event, Why::Phase { possible })
    }
}
