//! What a player can do, as the game says it in `moves.txt`: `buy the lamp: needs coppers >= 80; spend coppers 80; set
//! has_lamp true`.

use std::collections::BTreeSet;

use keblin_model::Name;
use keblin_model::names::Asked;
use keblin_schema::source::Source;
use keblin_schema::{Code, Finding, Findings};

use crate::progress::Engine;
use crate::rehearse::{Expectation, Step, bad, parsed};
use crate::snapshot::Schema;

/// The word before a condition.
const NEEDS: &str = "needs";

/// Something that a player can do: conditions, and steps that all happen or none.
#[derive(Clone, Debug)]
pub struct PlayerMove {
    pub(super) name: String,
    pub(super) lines: Vec<String>,
    pub(super) parts: Vec<Part>,
}

/// A part of a move.
#[derive(Clone, Debug)]
pub(super) enum Part {
    /// The move is possible only then.
    Needs(Box<Expectation>),
    Step(Step),
    /// The game is quit and opened again.
    Reopen,
}

/// Reads what a player can do: one move a line, `NAME: PART; PART`. A part is `needs CONDITION` or a step of a rehearsal
/// that is an event.
///
/// # Errors
/// All [`Findings`], each with its place: a line without a name, a part that is not an event, a name that the schema does
/// not declare.
pub fn player_moves(name: &str, text: &str, schema: &Schema) -> Result<Vec<PlayerMove>, Findings> {
    let (mut moves, mut found) = (Vec::<PlayerMove>::new(), Vec::new());
    let mut start = 0;
    for line in text.split('\n') {
        let content = crate::rehearse::without_comment(line);
        if !content.trim().is_empty() {
            match one(schema, content, start) {
                Ok(one) if moves.iter().any(|other| other.name == one.name) => {
                    let message = format!("`{}` is the name of another move", one.name);
                    let finding =
                        Finding::error(Code::SameId, start..start + content.trim_end().len(), message);
                    found.push(finding.instead("give it another name"));
                }
                Ok(one) => moves.push(one),
                Err(findings) => found.extend(findings),
            }
        }
        start += line.len() + 1;
    }
    match found.is_empty() {
        true => Ok(moves),
        false => Err(Findings::new(Source::new(name, text), found)),
    }
}

fn one(schema: &Schema, line: &str, start: usize) -> Result<PlayerMove, Vec<Finding>> {
    let Some((name, rest)) = line.split_once(':').filter(|(name, _)| !name.trim().is_empty()) else {
        let finding = bad(start..start + line.trim_end().len(), "expected the name of a move, and `:`");
        return Err(vec![finding.instead("write `buy the lamp: needs coppers >= 80; spend coppers 80`")]);
    };
    let (mut lines, mut parts, mut found) = (Vec::new(), Vec::new(), Vec::new());
    let mut at = start + name.len() + 1;
    for text in outside_of_texts(rest) {
        let trimmed = text.trim();
        let place = at + (text.len() - text.trim_start().len());
        at += text.len() + 1;
        match part(schema, trimmed, place) {
            Ok(part) => {
                if matches!(part, Part::Step(_)) {
                    lines.push(trimmed.to_string());
                }
                parts.push(part);
            }
            Err(finding) => found.push(finding),
        }
    }
    if found.is_empty() && lines.is_empty() {
        let span = start..start + line.trim_end().len();
        found.push(
            bad(span, "this move does not change anything").instead("add a step, such as `add coppers 10`"),
        );
    }
    let name = name.trim().to_string();
    if found.is_empty() { Ok(PlayerMove { name, lines, parts }) } else { Err(found) }
}

/// Returns what is between the `;` that are not inside a text.
fn outside_of_texts(line: &str) -> impl Iterator<Item = &str> {
    let mut quote = None;
    line.split(move |c| {
        match (quote, c) {
            (None, '"' | '\'') => quote = Some(c),
            (Some(open), c) if open == c => quote = None,
            _ => {}
        }
        quote.is_none() && c == ';'
    })
}

fn part(schema: &Schema, text: &str, at: usize) -> Result<Part, Finding> {
    let span = at..at + text.len();
    if text.is_empty() {
        return Err(bad(span, "expected `needs CONDITION` or a step between two `;`"));
    }
    if let Some(condition) = text.strip_prefix(NEEDS).filter(|rest| rest.starts_with(char::is_whitespace)) {
        let before = text.len() - condition.trim_start().len();
        let compiled = Expectation::compile(schema, condition.trim()).map_err(|error| {
            let place = at + before;
            let finding = bad(place + error.span.start..place + error.span.end, error.message);
            error.instead.map_or(finding.clone(), |instead| finding.instead(instead))
        })?;
        return Ok(Part::Needs(Box::new(compiled)));
    }
    let step = parsed(schema, text, at)?;
    match is_event(&step) {
        true => Ok(Part::Step(step)),
        false => {
            let message = "a player cannot do this; only events and writes are moves";
            Err(bad(span, message).instead("leave it out, or write `needs` for a condition"))
        }
    }
}

fn is_event(step: &Step) -> bool {
    use Step::{
        Add, Begin, Buy, Die, EndRun, Enter, Feed, Finish, Leave, Pause, Put, Reach, Respawn, Resume, Retry,
        Set, Spend, Submit, Take, Tick,
    };
    matches!(
        step,
        Set(..)
            | Add(..)
            | Spend(..)
            | Submit(..)
            | Put(..)
            | Take(..)
            | Buy(_)
            | Begin { .. }
            | Resume
            | Enter(_)
            | Tick(..)
            | Reach(_)
            | Die
            | Respawn
            | Retry
            | Finish(_)
            | Leave
            | EndRun
            | Feed(..)
            | Pause(_)
    )
}

impl PlayerMove {
    /// Returns its name.
    #[must_use]
    pub fn name(&self) -> &str {
        &self.name
    }

    fn steps(&self) -> impl Iterator<Item = &Step> {
        self.parts.iter().filter_map(|part| if let Part::Step(step) = part { Some(step) } else { None })
    }

    /// Returns the fields that it writes, as positions in the schema.
    pub(super) fn fields(&self) -> impl Iterator<Item = usize> {
        written_by(&self.parts)
    }

    /// Returns the fields that it changes by some amount, so that every value on the way counts.
    pub(super) fn stepwise(&self) -> impl Iterator<Item = usize> {
        self.steps().filter_map(|step| match step {
            Step::Add(Asked::Field { field, .. }, _) | Step::Spend(Asked::Field { field, .. }, _) => {
                Some(*field)
            }
            _ => None,
        })
    }

    /// Returns whether it buys an unlock.
    pub(super) fn buys(&self, schema: &Schema, name: &Name) -> bool {
        let bought =
            self.steps().filter_map(|step| if let Step::Buy(unlock) = step { Some(*unlock) } else { None });
        bought
            .into_iter()
            .any(|unlock| schema.unlocks.get(unlock.index()).is_some_and(|unlock| unlock.name == *name))
    }

    /// Returns whether it buys one of some unlocks.
    pub(super) fn buys_any(&self, schema: &Schema, unlocks: &BTreeSet<usize>) -> bool {
        unlocks
            .iter()
            .filter_map(|index| schema.unlocks.get(*index))
            .any(|unlock| self.buys(schema, &unlock.name))
    }

    /// Returns whether it does something other than writing values.
    pub(super) fn is_an_event(&self) -> bool {
        use Step::{Add, Buy, Put, Set, Spend, Submit, Take};
        self.steps().any(|step| {
            !matches!(step, Set(..) | Add(..) | Spend(..) | Submit(..) | Put(..) | Take(..) | Buy(_))
        })
    }
}

/// Returns the fields that some parts write, as positions in the schema.
pub(super) fn written_by(parts: &[Part]) -> impl Iterator<Item = usize> {
    let steps = parts.iter().filter_map(|part| if let Part::Step(step) = part { Some(step) } else { None });
    steps.filter_map(|step| match step {
        Step::Set(asked, _)
        | Step::Add(asked, _)
        | Step::Spend(asked, _)
        | Step::Submit(asked, _)
        | Step::Put(asked, ..)
        | Step::Take(asked, _) => match asked {
            Asked::Field { field, .. } => Some(*field),
            _ => None,
        },
        _ => None,
    })
}

impl Part {
    /// Returns whether nothing stands against it.
    pub(super) fn is_met(&self, engine: &Engine) -> bool {
        if let Part::Needs(needs) = self { needs.unmet(engine).is_none() } else { true }
    }
}
