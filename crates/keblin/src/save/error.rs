//! Why bytes are not a save, or not one of this game: section, byte offset, and what was expected and found there.

use std::fmt::{self, Write};

use keblin_schema::shown::Shown;

use super::code::SaveCode;
use keblin_schema::{Name, Value};

/// Why bytes could not be read as a save of a game.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct ReadError {
    /// The section it is about: `header`, `profile`, `run`, `picture`, `state`, or `file` for what lies between them.
    pub section: String,
    /// Where, in bytes from the start of the file.
    pub offset: usize,
    /// What is wrong.
    pub fault: Fault,
}

/// What is wrong with some bytes.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Fault {
    /// There are no bytes.
    Empty,
    /// The bytes do not begin as a save does: another kind of file, or damage at its very start.
    NotASave,
    /// More bytes than a save may have.
    TooLarge {
        /// How many there are.
        bytes: usize,
        /// How many there may be.
        most: usize,
    },
    /// The file ends where more was expected.
    Cut {
        /// What was expected.
        expected: String,
    },
    /// The bytes have changed since they were written.
    Digest,
    /// Something else stands where something was expected.
    Unexpected {
        /// What was expected.
        expected: String,
        /// What was found.
        found: String,
    },
    /// Bytes behind the last whole state.
    Trailing {
        /// How many.
        bytes: usize,
    },
    /// The file holds an older save than the copy before it.
    OlderThanCopy {
        /// The number of the save in the file.
        file: u64,
        /// That of the copy.
        copy: u64,
    },
    /// There is no file, and there is a copy before it.
    Missing,
    /// The file is from before something was erased, and the copy before it from after.
    ErasedSince {
        /// The number of the save in the file.
        file: u64,
        /// That of the copy.
        copy: u64,
    },
    /// The operating system cannot read the file.
    Unreadable {
        /// Why.
        why: String,
    },
    /// The end of a state is not what its beginning says.
    Foot,
    /// Arrays and maps too deep inside each other.
    TooDeep {
        /// How deep they may be.
        most: usize,
    },
    /// The search for an earlier state was given up: the file is made so that it would not end.
    SearchedTooLong {
        /// How many times over the file was looked through.
        passes: usize,
    },
    /// Something that a later version of this library wrote and that must be understood.
    LaterKeblin {
        /// What it is.
        what: String,
    },
    /// Written in a format that this library does not know: a newer one, or the draft before format 1.
    NewerFormat {
        /// The format of the file.
        found: u32,
        /// The newest format known.
        known: u32,
    },
    /// A save of another game.
    OtherGame {
        /// The game the save is of.
        found: String,
        /// The game that asked.
        expected: Name,
    },
    /// Written by a newer version of the game.
    NewerVersion {
        /// The schema version of the save.
        found: u32,
        /// The schema version of the game.
        known: u32,
    },
    /// Written by an older version of the game, from which no step leads on.
    OlderVersion {
        /// The schema version of the save.
        found: u32,
        /// The schema version of the game.
        known: u32,
    },
    /// Written by an older version of the game, and a step from it cannot be done.
    Step(Box<StepFault>),
}

impl ReadError {
    pub(crate) fn new(section: &str, offset: usize, fault: Fault) -> ReadError {
        ReadError { section: section.to_string(), offset, fault }
    }

    /// Whether the bytes are a whole save that is only not for this game: to be left untouched, not to be mended.
    #[must_use]
    pub fn is_refusal(&self) -> bool {
        matches!(
            self.fault,
            Fault::NewerFormat { .. }
                | Fault::LaterKeblin { .. }
                | Fault::OtherGame { .. }
                | Fault::NewerVersion { .. }
                | Fault::OlderVersion { .. }
                | Fault::Step(_)
        )
    }
}

impl Fault {
    /// What it is, without its particulars.
    #[must_use]
    pub fn code(&self) -> SaveCode {
        match self {
            Fault::Empty => SaveCode::Empty,
            Fault::NotASave => SaveCode::NotASave,
            Fault::TooLarge { .. } => SaveCode::TooLarge,
            Fault::Cut { .. } => SaveCode::Cut,
            Fault::Digest => SaveCode::Digest,
            Fault::Unexpected { .. } => SaveCode::Unexpected,
            Fault::Trailing { .. } => SaveCode::Trailing,
            Fault::OlderThanCopy { .. } => SaveCode::OlderThanCopy,
            Fault::Missing => SaveCode::Missing,
            Fault::ErasedSince { .. } => SaveCode::ErasedSince,
            Fault::Unreadable { .. } => SaveCode::Unreadable,
            Fault::Foot => SaveCode::Foot,
            Fault::TooDeep { .. } => SaveCode::TooDeep,
            Fault::SearchedTooLong { .. } => SaveCode::SearchedTooLong,
            Fault::LaterKeblin { .. } => SaveCode::LaterKeblin,
            Fault::NewerFormat { found, known } if found < known => SaveCode::DraftFormat,
            Fault::NewerFormat { .. } => SaveCode::NewerFormat,
            Fault::OtherGame { .. } => SaveCode::OtherGame,
            Fault::NewerVersion { .. } => SaveCode::NewerVersion,
            Fault::OlderVersion { .. } => SaveCode::OlderVersion,
            Fault::Step(step) if step.needs_game => SaveCode::NeedsGame,
            Fault::Step(_) => SaveCode::StepFailed,
        }
    }
}

impl fmt::Display for ReadError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}, byte {}: {}", Shown(&self.section), self.offset, self.fault)
    }
}

impl fmt::Display for Fault {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        // What was found may be anything: what would act on a terminal is escaped.
        let mut said = String::new();
        self.say(&mut said)?;
        write!(f, "{}", Shown(&said))
    }
}

impl Fault {
    fn say(&self, f: &mut String) -> fmt::Result {
        match self {
            Fault::Empty => write!(f, "the file is empty"),
            Fault::NotASave => write!(f, "this is no save of ours, or its first bytes are damaged"),
            Fault::TooLarge { bytes, most } => {
                write!(f, "a save has at most {most} bytes, but found {bytes}")
            }
            Fault::Cut { expected } => write!(f, "expected {expected}, but the file ends here"),
            Fault::Digest => {
                write!(f, "the bytes have changed since they were saved: their digest does not hold")
            }
            Fault::Unexpected { expected, found } => write!(f, "expected {expected}, but found {found}"),
            Fault::Trailing { bytes } => write!(f, "{bytes} bytes behind the last whole state"),
            Fault::OlderThanCopy { file, copy } => {
                write!(f, "the file holds save {file}, and the copy before it the later save {copy}")
            }
            Fault::Missing => write!(f, "the file is missing, and its backup is there"),
            Fault::ErasedSince { file, copy } => {
                write!(
                    f,
                    "the file holds save {file} from before something was erased; the backup holds save {copy}"
                )
            }
            Fault::Unreadable { why } => write!(f, "the file cannot be read: {why}"),
            Fault::Foot => {
                write!(f, "the state's foot does not match the state: its end was not written with it")
            }
            Fault::TooDeep { most } => write!(f, "arrays and maps more than {most} deep inside each other"),
            Fault::SearchedTooLong { passes } => {
                write!(f, "no whole state was found in {passes} passes over the file")
            }
            Fault::LaterKeblin { what } => {
                write!(
                    f,
                    "written by a later Keblin: {what} must be understood and is not; use the newer game"
                )
            }
            Fault::NewerFormat { found, known } if found < known => {
                write!(f, "written in format {found}, a draft that is no longer read")
            }
            Fault::NewerFormat { found, known } => {
                write!(f, "written in format {found}, and this library knows formats up to {known}")
            }
            Fault::OtherGame { found, expected } => {
                write!(f, "a save of the game {found:?}, not of {:?}", expected.as_str())
            }
            Fault::NewerVersion { found, known } => {
                write!(
                    f,
                    "saved by version {found} of the game, and this is version {known}: use the newer game"
                )
            }
            Fault::OlderVersion { found, known } => {
                write!(
                    f,
                    "saved by version {found} of the game, and no step leads from it to version {known}"
                )
            }
            Fault::Step(fault) => write!(f, "{fault}"),
        }
    }
}

impl std::error::Error for ReadError {}

/// Why a step from an earlier version of the game could not be done. The save is as it was.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct StepFault {
    /// The version that the step leads to.
    pub to: u32,
    /// Where: ids with dots between, as `best_crossing.reedgate.neap`.
    pub place: String,
    /// The value of before.
    pub value: Value,
    /// Why, as a sentence without a full stop.
    pub why: String,
    /// Whether all that is missing is code of the game's own, which this program does not have.
    pub needs_game: bool,
}

impl fmt::Display for StepFault {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let StepFault { to, place, value, why, needs_game } = self;
        match needs_game {
            true => {
                write!(f, "in the step to version {to} the game's own code makes {place}: {}", Shown(why))
            }
            false => write!(f, "the step to version {to} cannot be done: {place}, {value}: {}", Shown(why)),
        }
    }
}

impl std::error::Error for StepFault {}
