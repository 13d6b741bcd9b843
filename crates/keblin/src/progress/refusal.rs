//! Refusals: what was asked, in which phase, and why it was not done. A refusal changes nothing.

use std::fmt;

use keblin_schema::limits::Unfit;
use keblin_schema::{Name, Value};

use super::phase::{EventName, Phase};

/// Something that was asked and not done. Nothing has changed.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Refused {
    /// What was asked.
    pub event: EventName,
    /// In which phase.
    pub phase: Phase,
    /// Why it was not done.
    pub why: Box<Why>,
}

/// Why something was not done.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Why {
    /// The phase does not allow it.
    Phase,
    /// There is no run to go on with.
    NoRun,
    /// No level was left half-way.
    NoVisit,
    /// A run is under way, and replacing it was not said.
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
    /// The checkpoint stands in another level.
    OtherLevel {
        /// The checkpoint.
        checkpoint: Name,
        /// The level it stands in.
        of: Name,
    },
    /// A value outside its bounds, where clamping would invent a result.
    OutOfBounds {
        /// The field.
        field: Name,
        /// Its place, where it has one value for each of something: `reedgate, neap`.
        place: String,
        /// The value offered.
        value: Value,
        /// The least it may be.
        min: Option<Value>,
        /// The most it may be.
        max: Option<Value>,
    },
    /// A rating that the level does not have.
    Stars {
        /// The level; `None` in a game without levels.
        level: Option<Name>,
        /// The difficulty, where one is chosen.
        difficulty: Option<Name>,
        /// The rating offered.
        stars: i64,
        /// The most it may be.
        max: u8,
    },
    /// A rating of a level whose stars are given by its rules, so that the game has none to give.
    StarsByRules {
        /// The level; `None` in a game without levels.
        level: Option<Name>,
        /// The difficulty, where one is chosen.
        difficulty: Option<Name>,
        /// The rating offered.
        stars: i64,
    },
    /// A value of another kind, too long, with too many items, or with something in it out of bounds.
    DoesNotFit {
        /// The field.
        field: Name,
        /// What of it does not fit.
        unfit: Unfit,
    },
    /// A number that is infinite or none at all.
    NotFinite {
        /// The field.
        field: Name,
    },
    /// Something was to be taken from a field that only gains.
    OnlyGains {
        /// The field.
        field: Name,
    },
    /// There is nothing at this position or under this key.
    NotThere {
        /// The field.
        field: Name,
        /// What was asked for.
        what: String,
    },
    /// More was to be spent than is there.
    NotEnough {
        /// The field.
        field: Name,
        /// What was to be spent.
        asked: Value,
        /// What is there.
        held: Value,
        /// The least that must stay.
        min: Option<Value>,
    },
    /// Less than nothing was to be spent.
    SpendsLessThanNothing {
        /// The field.
        field: Name,
        /// What was to be spent.
        asked: Value,
    },
    /// There is no value to add to.
    Unset {
        /// The field.
        field: Name,
    },
    /// A value that a fact cannot have, or a value for what is derived from others.
    Unfit {
        /// What was to have it.
        what: &'static str,
        /// The value offered.
        value: Value,
    },
    /// The player has not said yes.
    NotConfirmed {
        /// What would go.
        would: Vec<String>,
    },
}

impl fmt::Display for Refused {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Refused { event, phase, .. } = self;
        match self.why.as_ref() {
            Why::Phase => {
                write!(f, "`{event}` is refused in phase {phase}; possible now: ")?;
                let possible: Vec<_> = EventName::possible_in(*phase).map(EventName::as_str).collect();
                f.write_str(&possible.join(", "))
            }
            Why::NoRun => write!(f, "`{event}` is refused: no run is waiting; begin one"),
            Why::NoVisit => write!(f, "`{event}` is refused: no level was left half-way; enter one"),
            Why::RunUnderWay => {
                write!(f, "`{event}` is refused: a run is under way; ask the player, then begin replacing it")
            }
            Why::Locked { level, missing } => write!(f, "{level} is locked: {}", missing.join("; ")),
            Why::SameLevel { level } => {
                write!(f, "`{event}` is refused: {level} is being played already; retry it, or leave first")
            }
            Why::OtherLevel { checkpoint, of } => {
                write!(f, "`{event}` is refused: checkpoint {checkpoint} stands in {of}, not in this level")
            }
            Why::OutOfBounds { field, place, value, min, max } => {
                let at = if place.is_empty() { "" } else { " at " };
                write!(f, "{field}{at}{place}: {value} is refused: ")?;
                match (min, max) {
                    (Some(min), Some(max)) => write!(f, "it is from {min} to {max}"),
                    (Some(min), None) => write!(f, "it is at least {min}"),
                    (None, Some(max)) => write!(f, "it is at most {max}"),
                    (None, None) => write!(f, "it has no bounds"),
                }
            }
            Why::Stars { level, difficulty, stars, max } => {
                write!(f, "stars{}: {stars} is refused: it is from 0 to {max}", place(level, difficulty))
            }
            Why::StarsByRules { level, difficulty, stars } => {
                let place = place(level, difficulty);
                write!(
                    f,
                    "stars{place}: {stars} is refused: they are given by the level's rules; finish without stars"
                )
            }
            Why::DoesNotFit { field, unfit } => write!(f, "{field}: refused: {unfit}"),
            Why::NotFinite { field } => write!(f, "{field}: refused: the number is not finite"),
            Why::OnlyGains { field } => write!(f, "{field}: taking is refused: it only gains"),
            Why::NotThere { field, what } => write!(f, "{field}: refused: it has no {what}"),
            Why::NotEnough { field, asked, held, min } => {
                write!(f, "{field}: spending {asked} of {held} is refused")?;
                min.as_ref().map_or(Ok(()), |min| write!(f, ": at least {min} must stay"))
            }
            Why::SpendsLessThanNothing { field, asked } => {
                write!(f, "{field}: spending {asked} is refused: spend at least 0, or add")
            }
            Why::Unset { field } => write!(f, "{field}: adding is refused: it is unset; set it first"),
            Why::NotConfirmed { would } if would.is_empty() => {
                write!(f, "`{event}` is refused without a yes; nothing would go")
            }
            Why::NotConfirmed { would } => {
                write!(f, "`{event}` is refused without a yes; it would take: {}", would.join("; "))
            }
            Why::Unfit { what, value } => write!(f, "{what} cannot be {value}"),
        }
    }
}

/// ` at LEVEL on DIFFICULTY`, as far as there are any.
fn place(level: &Option<Name>, difficulty: &Option<Name>) -> String {
    let level = level.as_ref().map(|level| format!(" at {level}"));
    let difficulty = difficulty.as_ref().map(|difficulty| format!(" on {difficulty}"));
    level.into_iter().chain(difficulty).collect()
}

impl std::error::Error for Refused {}
