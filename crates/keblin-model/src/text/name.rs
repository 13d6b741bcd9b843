//! Ids. Takes a text, returns a `Name` or what is wrong with it; also finds the known id that was probably meant.
//! This module decides which ids of one list clash; the parser collects the lists.

use crate::order::sort_by;
use std::borrow::Borrow;
use std::fmt;
use std::str::FromStr;
use std::sync::Arc;

/// The longest id, in characters.
pub const MAX_NAME_CHARS: usize = 48;

/// An id: `[a-z][a-z0-9_]*`, at most [`MAX_NAME_CHARS`] characters, not reserved. Cheap to clone.
#[derive(Clone, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Name(Arc<str>);

/// Why a text is not an id.
#[derive(Clone, PartialEq, Eq)]
#[non_exhaustive]
pub enum NameFault {
    /// The text is empty.
    Empty,
    /// The text is longer than [`MAX_NAME_CHARS`] characters.
    TooLong {
        /// Its length in characters.
        chars: usize,
    },
    /// A character that an id may not have at this position.
    Character {
        /// The character found.
        found: char,
        /// Its position, counted in characters from 1.
        position: usize,
    },
    /// The word is reserved.
    Reserved {
        /// What reserves it.
        owner: &'static str,
    },
}

crate::debug_as_display!(NameFault);

/// Words that would not be usable as names in the game's code.
const RUST_WORDS: &[&str] = &[
    "abstract", "as", "async", "await", "become", "box", "break", "const", "continue", "crate", "do", "dyn",
    "else", "enum", "extern", "false", "final", "fn", "for", "gen", "if", "impl", "in", "let", "loop",
    "macro", "match", "mod", "move", "mut", "override", "priv", "pub", "ref", "return", "self", "static",
    "struct", "super", "trait", "true", "try", "type", "typeof", "unsafe", "unsized", "use", "virtual",
    "where", "while", "yield",
];

/// Words that the condition language reserves.
const CONDITION_WORDS: &[&str] = &["function", "import", "namespace", "null", "package", "var", "void"];

/// Names that conditions give to what the engine keeps.
const ENGINE_WORDS: &[&str] = &[
    "all",
    "any",
    "attempts",
    "chapters",
    "checkpoint",
    "deaths",
    "difficulty",
    "duration",
    "finished",
    "furthest",
    "greatest",
    "least",
    "level",
    "levels",
    "phase",
    "played",
    "previous",
    "size",
    "stars",
    "this",
    "totals",
    "unlocked",
];

/// Names that some systems give to devices, so that no file can have them.
const DEVICE_WORDS: &[&str] = &["aux", "con", "nul", "prn"];

impl Name {
    /// Checks a text and makes it an id.
    ///
    /// # Errors
    /// [`NameFault`] for the first mistake from the left; a reserved word is reported only if the text is otherwise
    /// an id.
    pub fn new(text: &str) -> Result<Name, NameFault> {
        Name::unless(text, &[IN_RUST, IN_CONDITIONS, IN_THE_ENGINE, FOR_DEVICES])
    }

    /// Checks a text and makes it the id of an item of a list or of a member of a shape. Conditions read those only
    /// after the name of a field, so that they may have the name of something that the engine keeps, such as `level`.
    ///
    /// # Errors
    /// As [`Name::new`].
    pub fn of_part(text: &str) -> Result<Name, NameFault> {
        Name::unless(text, &[IN_RUST, IN_CONDITIONS, FOR_PARTS, FOR_DEVICES])
    }

    /// Checks a text and makes it the id of a slot or a pin. It is the name of a file and of nothing else, so that only
    /// the names of devices are reserved.
    ///
    /// # Errors
    /// As [`Name::new`].
    pub fn of_file(text: &str) -> Result<Name, NameFault> {
        Name::unless(text, &[FOR_DEVICES])
    }

    fn unless(text: &str, taken: &[Reserved]) -> Result<Name, NameFault> {
        for (at, found) in text.chars().enumerate() {
            let fits = found.is_ascii_lowercase() || (at > 0 && (found.is_ascii_digit() || found == '_'));
            if !fits {
                return Err(NameFault::Character { found, position: at + 1 });
            }
        }
        match text.len() {
            0 => return Err(NameFault::Empty),
            chars if chars > MAX_NAME_CHARS => return Err(NameFault::TooLong { chars }),
            _ => {}
        }
        match taken.iter().find_map(|(owner, is_taken)| is_taken(text).then_some(*owner)) {
            Some(owner) => Err(NameFault::Reserved { owner }),
            None => Ok(Name(Arc::from(text))),
        }
    }

    /// Returns the id as text.
    #[must_use]
    pub fn as_str(&self) -> &str {
        &self.0
    }

    /// Returns the id as shared text, without a copy.
    #[must_use]
    pub fn shared(&self) -> Arc<str> {
        Arc::clone(&self.0)
    }
}

impl Name {
    /// Returns a placeholder for a name that is not known yet.
    #[must_use]
    pub fn placeholder() -> Name {
        Name(Arc::from("unnamed"))
    }

    /// An id that was one when the game was compiled.
    pub(crate) fn checked_before(id: Arc<str>) -> Name {
        Name(id)
    }
}

/// Who reserves words, and which.
type Reserved = (&'static str, fn(&str) -> bool);

const IN_RUST: Reserved = ("Rust", |text| RUST_WORDS.contains(&text));
const IN_CONDITIONS: Reserved = ("the condition language", |text| CONDITION_WORDS.contains(&text));
const IN_THE_ENGINE: Reserved = ("the progress engine", |text| ENGINE_WORDS.contains(&text));
/// All items or any of them: the words that follow the name of a field.
const FOR_PARTS: Reserved = ("the progress engine", |text| ["all", "any"].contains(&text));
const FOR_DEVICES: Reserved = ("file systems, for a device", |text| {
    let numbered = |stem: &str| {
        text.strip_prefix(stem)
            .is_some_and(|rest| rest.len() == 1 && rest.bytes().all(|b| b.is_ascii_digit()))
    };
    DEVICE_WORDS.contains(&text) || numbered("com") || numbered("lpt")
});

impl FromStr for Name {
    type Err = NameFault;

    fn from_str(text: &str) -> Result<Name, NameFault> {
        Name::new(text)
    }
}

impl fmt::Display for Name {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(&self.0)
    }
}

impl fmt::Debug for Name {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "`{}`", self.0)
    }
}

impl Borrow<str> for Name {
    fn borrow(&self) -> &str {
        &self.0
    }
}

impl AsRef<str> for Name {
    fn as_ref(&self) -> &str {
        &self.0
    }
}

impl fmt::Display for NameFault {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            NameFault::Empty => write!(f, "an id has at least one letter"),
            NameFault::TooLong { chars } => {
                write!(f, "an id has at most {MAX_NAME_CHARS} characters, but this one has {chars}")
            }
            NameFault::Character { found, position: 1 } => {
                write!(f, "an id starts with a letter a-z, but found {found:?}")
            }
            NameFault::Character { found, position } => {
                write!(f, "an id has only a-z, 0-9 and _, but found {found:?} at character {position}")
            }
            NameFault::Reserved { owner } => write!(f, "this word is reserved by {owner}"),
        }
    }
}

impl std::error::Error for NameFault {}

/// Returns the id that an invalid text was probably meant to be: lower case, `_` for other characters, a `_` after a
/// reserved word. `None` if nothing is left.
#[must_use]
pub fn repaired(text: &str) -> Option<String> {
    let mut id = String::new();
    for c in text.trim().chars().flat_map(char::to_lowercase) {
        let fits = c.is_ascii_lowercase() || (!id.is_empty() && c.is_ascii_digit());
        if fits {
            id.push(c);
        } else if !id.is_empty() && !id.ends_with('_') {
            id.push('_');
        }
    }
    id.truncate(MAX_NAME_CHARS);
    if matches!(Name::new(&id), Err(NameFault::Reserved { .. })) {
        id.push('_');
    } else if id.ends_with('_') {
        id.pop();
    }
    if id.is_empty() && text.starts_with(|c: char| c.is_ascii_digit()) {
        return repaired(&format!("n{text}"));
    }
    Name::new(&id).ok().map(|_| id)
}

/// Returns an id without `_`. Two ids of one list that are equal like this cannot be told apart by people.
#[must_use]
pub fn as_people_read(id: &str) -> String {
    id.replace('_', "")
}

/// Returns whether two ids of one list are one letter apart: allowed, but worth a hint. Ids that differ in a digit
/// are intended (`gate_1`, `gate_2`), and short words often differ by one letter.
#[must_use]
pub fn one_letter_apart(a: &str, b: &str) -> bool {
    fn letters(id: &str) -> impl Iterator<Item = u8> {
        id.bytes().filter(|c| !c.is_ascii_digit())
    }
    let is_long = a.len().min(b.len()) >= 5;
    is_long && a.len().abs_diff(b.len()) <= 1 && !letters(a).eq(letters(b)) && distance(a, b) == 1
}

/// Returns the known word that `wrong` was probably meant to be: the nearest one, if at most a third of its letters
/// differ, or one.
#[must_use]
pub fn nearest<'a>(wrong: &str, known: impl IntoIterator<Item = &'a str>) -> Option<&'a str> {
    nearest_of(wrong, &mut known.into_iter())
}

/// Returns the same for words of any kind, compiled once.
fn nearest_of<'a>(wrong: &str, known: &mut dyn Iterator<Item = &'a str>) -> Option<&'a str> {
    let wrong = wrong.to_lowercase();
    let near = |word: &str| (word.chars().count().max(wrong.chars().count()) / 3).max(1);
    let candidates = known.enumerate().map(|(order, word)| (at_least_apart(&wrong, word), order, word));
    let mut candidates: Vec<_> = candidates.filter(|(least, _, word)| *least <= near(word)).collect();
    // Of thousands of similar words, those with nearly the same letters.
    sort_by(&mut candidates, Ord::cmp);
    candidates.truncate(MAX_COMPARED);
    candidates
        .into_iter()
        .map(|(_, order, word)| (distance(&wrong, word), order, word))
        .filter(|(steps, _, word)| *steps <= near(word))
        .min()
        .map(|(_, _, word)| word)
}

/// How many known words are compared letter by letter, at most.
const MAX_COMPARED: usize = 64;

/// Returns a lower bound of the distance of two words, from their letters in any order.
fn at_least_apart(a: &str, b: &str) -> usize {
    if !a.is_ascii() || !b.is_ascii() {
        return 0;
    }
    let mut counts = [0_i32; 64];
    let place = |byte: u8| usize::from(byte % 64);
    for byte in a.bytes() {
        counts.get_mut(place(byte)).into_iter().for_each(|count| *count += 1);
    }
    for byte in b.bytes() {
        counts.get_mut(place(byte)).into_iter().for_each(|count| *count -= 1);
    }
    let over: i32 = counts.iter().filter(|count| **count > 0).sum();
    let under: i32 = counts.iter().filter(|count| **count < 0).sum();
    usize::try_from(over.max(-under)).unwrap_or(0)
}

/// Returns the edit distance. A missing, extra, different or swapped letter counts as one step.
fn distance(a: &str, b: &str) -> usize {
    let b: Vec<char> = b.chars().collect();
    let mut before_last: Vec<usize> = Vec::new();
    let mut last: Vec<usize> = (0..=b.len()).collect();
    let mut previous = None;
    for (row, letter) in a.chars().enumerate() {
        let mut current = vec![row + 1];
        for (column, other) in b.iter().enumerate() {
            let at = |line: &[usize], index: usize| line.get(index).copied().unwrap_or(usize::MAX / 2);
            let mut steps = (at(&last, column) + usize::from(letter != *other))
                .min(at(&last, column + 1) + 1)
                .min(at(&current, column) + 1);
            let neighbour = column.checked_sub(1).and_then(|left| b.get(left));
            if previous == Some(*other) && neighbour == Some(&letter) {
                steps = steps.min(at(&before_last, column - 1) + 1);
            }
            current.push(steps);
        }
        before_last = std::mem::replace(&mut last, current);
        previous = Some(letter);
    }
    last.last().copied().unwrap_or(0)
}
