//! Why bytes are not a save of this game: section, byte offset, and what was expected and found there.

use std::fmt::{self, Write};

use keblin_model::shown::Shown;

use super::code::SaveCode;
use keblin_model::{Name, Value};

/// Why bytes could not be read as a save of a game.
#[derive(Clone, PartialEq, Eq)]
#[non_exhaustive]
pub struct ReadError {
    /// The section: `header`, `profile`, `run`, `picture`, `state`, or `file` for what is between them.
    pub section: String,
    /// The offset, in bytes from the start of the file.
    pub offset: usize,
    /// What is wrong.
    pub fault: Fault,
}

keblin_model::debug_as_display!(ReadError);

/// What is wrong with some bytes.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Fault {
    /// There are no bytes.
    Empty,
    /// The bytes do not start like a save: another kind of file, or damage at the start.
    NotASave,
    /// More bytes than a save may have.
    TooLarge {
        /// How many bytes there are.
        bytes: usize,
        /// The largest size of a save in bytes.
        most: usize,
    },
    /// The file ends where more was expected.
    Cut {
        /// What was expected.
        expected: String,
    },
    /// The bytes have changed since they were written.
    Digest,
    /// Something other than the expected item was found.
    Unexpected {
        /// What was expected.
        expected: String,
        /// What was found.
        found: String,
    },
    /// Unexpected bytes after the last intact state.
    Trailing {
        /// How many.
        bytes: usize,
    },
    /// The file holds an older save than the backup.
    OlderThanCopy {
        /// The number of the save in the file.
        file: u64,
        /// The number of the save in the backup.
        copy: u64,
    },
    /// The file is missing, but there is a backup.
    Missing,
    /// The file is from before an erasure, and the backup from after it.
    ErasedSince {
        /// The number of the save in the file.
        file: u64,
        /// The number of the save in the backup.
        copy: u64,
    },
    /// The operating system cannot read the file.
    Unreadable {
        /// Why.
        why: String,
    },
    /// The foot of a state does not match its start.
    Foot,
    /// Arrays and maps are nested too deep.
    TooDeep {
        /// The deepest nesting allowed.
        most: usize,
    },
    /// The search for an earlier state was given up: the file is made to keep it busy forever.
    SearchedTooLong {
        /// How many passes over the file were made.
        passes: usize,
    },
    /// A mandatory part that a later version of this library wrote.
    LaterKeblin {
        /// What it is.
        what: String,
    },
    /// A format that this library does not read: a newer one, or the draft before format 1.
    NewerFormat {
        /// The format of the file.
        found: u32,
        /// The newest format known.
        known: u32,
    },
    /// A save of another game.
    OtherGame {
        /// The game of the save.
        found: String,
        /// The expected game.
        expected: Name,
    },
    /// Written by a newer version of the game.
    NewerVersion {
        /// The schema version of the save.
        found: u32,
        /// The schema version of the game.
        known: u32,
    },
    /// Written by an older version of the game, from which there is no step.
    OlderVersion {
        /// The schema version of the save.
        found: u32,
        /// The schema version of the game.
        known: u32,
    },
    /// Written by another declaration of the same version, before a type was changed: its values do not fit.
    Redeclared {
        /// The version of both.
        version: u32,
        /// What does not fit, place by place; at most [`MAX_CHANGES`] of them.
        changes: Vec<String>,
        /// How many more there are.
        more: usize,
    },
    /// Written by an older version of the game, and a step failed.
    Step(Box<StepFault>),
}

/// How many places a message lists at which a save does not fit the declaration.
pub const MAX_CHANGES: usize = 8;

impl ReadError {
    pub(crate) fn new(section: &str, offset: usize, fault: Fault) -> ReadError {
        ReadError { section: section.to_string(), offset, fault }
    }

    /// Returns whether the bytes are an intact save that is not for this game: to be left untouched, not repaired.
    #[must_use]
    pub fn is_refusal(&self) -> bool {
        matches!(
            self.fault,
            Fault::NewerFormat { .. }
                | Fault::LaterKeblin { .. }
                | Fault::OtherGame { .. }
                | Fault::NewerVersion { .. }
                | Fault::OlderVersion { .. }
                | Fault::Redeclared { .. }
                | Fault::Step(_)
        )
    }
}

impl Fault {
    /// Returns the code, without details.
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
            Fault::Redeclared { .. } => SaveCode::Redeclared,
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
        // What was found may be anything, so control characters are escaped.
        let mut said = String::new();
        self.say(&mut said)?;
        write!(f, "{}", Shown(&said))
    }
}

impl Fault {
    fn say(&self, f: &mut String) -> fmt::Result {
        match self {
            Fault::Empty => write!(f, "the file is empty"),
            Fault::NotASave => write!(f, "not a Keblin save, or its header is damaged"),
            Fault::TooLarge { bytes, most } => {
                write!(f, "expected a save of at most {most} bytes, but found {bytes}")
            }
            Fault::Cut { expected } => write!(f, "expected {expected}, but the file ends here"),
            Fault::Digest => {
                write!(f, "the bytes have changed since they were saved: their digest does not match")
            }
            Fault::Unexpected { expected, found } => write!(f, "expected {expected}, but found {found}"),
            Fault::Trailing { bytes } => write!(f, "{bytes} unexpected bytes after the last intact state"),
            Fault::OlderThanCopy { file, copy } => {
                write!(f, "the file holds save {file}, but the backup holds the later save {copy}")
            }
            Fault::Missing => write!(f, "the file is missing, but there is a backup"),
            Fault::ErasedSince { file, copy } => {
                write!(f, "the file holds save {file} from before an erasure; the backup holds save {copy}")
            }
            Fault::Unreadable { why } => write!(f, "the file cannot be read: {why}"),
            Fault::Foot => {
                write!(f, "the state's foot does not match the state: its end was not written with it")
            }
            Fault::TooDeep { most } => write!(f, "arrays and maps more than {most} deep inside each other"),
            Fault::SearchedTooLong { passes } => {
                write!(f, "gave up after {passes} passes: no intact state found")
            }
            Fault::LaterKeblin { what } => {
                write!(
                    f,
                    "written by a later Keblin: {what} is required but not supported by this version; update the game"
                )
            }
            Fault::NewerFormat { found, known } if found < known => {
                write!(f, "written in format {found}, a draft that is no longer read")
            }
            Fault::NewerFormat { found, known } => {
                write!(f, "written in format {found}, but this library reads formats up to {known}")
            }
            Fault::OtherGame { found, expected } => {
                write!(f, "expected a save of the game {:?}, but found one of {found:?}", expected.as_str())
            }
            Fault::NewerVersion { found, known } => {
                write!(
                    f,
                    "saved by version {found} of the game, but this is version {known}; update the game"
                )
            }
            Fault::OlderVersion { found, known } => {
                write!(f, "saved by version {found} of the game, which cannot be migrated to version {known}")
            }
            Fault::Redeclared { version, changes, more } => {
                write!(
                    f,
                    "the declaration has changed since this save, but its version is still {version}: {}",
                    changes.join("; ")
                )?;
                if *more > 0 {
                    write!(f, "; and {more} more")?;
                }
                write!(
                    f,
                    ". While you develop, set the save aside: `keblin verify --set-aside`, or \
                     `SaveDir::while_developing`. If players have such saves, freeze the old declaration, raise the \
                     version and write a step"
                )
            }
            Fault::Step(fault) => write!(f, "{fault}"),
        }
    }
}

impl std::error::Error for ReadError {}

/// Why a step from an earlier version of the game failed. The save is untouched.
#[derive(Clone, PartialEq, Eq)]
#[non_exhaustive]
pub struct StepFault {
    /// The version that the step leads to.
    pub to: u32,
    /// The place: ids with dots between, such as `best_crossing.reedgate.neap`.
    pub place: String,
    /// The old value.
    pub value: Value,
    /// Why, as a sentence without a full stop.
    pub why: String,
    /// Whether only the game's own code is missing, which this program does not have.
    pub needs_game: bool,
}

keblin_model::debug_as_display!(StepFault);

impl fmt::Display for StepFault {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let StepFault { to, place, value, why, needs_game } = self;
        match needs_game {
            true => {
                write!(f, "in the step to version {to}, {place} needs the game's own code: {}", Shown(why))
            }
            false => write!(f, "the step to version {to} failed: {place}, {value}: {}", Shown(why)),
        }
    }
}

impl std::error::Error for StepFault {}
