//! The survival table, tried: each event happens to a value of each field, on a keeper with files in memory, and the value
//! afterwards is compared with what the table says.

use std::sync::Arc;
use std::time::Duration;

use keblin_model::model::{At, Axis, CheckpointLasts, FieldDef};
use keblin_model::names::Asked;
use keblin_model::survival::{Fate, Row, fate};
use keblin_model::value::keep::meet;
use keblin_model::{Keep, Name, Value};

use super::proof_of_kinds::of_kinds;
use crate::migrate::another_value;
use crate::progress::Erase;
use crate::rehearse::{Rehearsal, Step};
use crate::snapshot::Schema;

/// A cell of the survival table, and whether the engine does what it says.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Proven {
    /// The field, or the kind of objects.
    pub field: Name,
    /// The event.
    pub row: Row,
    /// What the table says.
    pub fate: Fate,
    /// What happened.
    pub result: Proof,
}

/// What happened to a value.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Proof {
    /// What the table says.
    Holds,
    /// Something else.
    Differs {
        /// What the table says.
        expected: Value,
        /// What it is.
        found: Value,
    },
    /// The event cannot happen in this game, or not to this field.
    NotTried {
        /// Why, in a few words.
        why: String,
    },
}

/// Tries every cell of the survival table.
#[must_use]
pub fn survival_proof(schema: &Arc<Schema>) -> Vec<Proven> {
    let mut all = Vec::new();
    for (index, field) in schema.fields.iter().enumerate() {
        for row in Row::ALL {
            let result = Trial::of(schema, index, field, *row)
                .map_or_else(|why| Proof::NotTried { why }, |trial| trial.run());
            all.push(Proven {
                field: field.name.clone(),
                row: *row,
                fate: fate(schema, field, *row),
                result,
            });
        }
    }
    all.extend(of_kinds(schema));
    all
}

/// One event, and one value before it.
struct Trial<'t> {
    schema: &'t Arc<Schema>,
    index: usize,
    field: &'t FieldDef,
    row: Row,
    at: At,
    /// The values on arrival in the level, at the checkpoint, and at the event.
    values: [Value; 3],
    is_lives: bool,
}

impl<'t> Trial<'t> {
    fn of(schema: &'t Arc<Schema>, index: usize, field: &'t FieldDef, row: Row) -> Result<Trial<'t>, String> {
        let mut at = At::level(Some(first_level(schema)), Some(0));
        let lists = field.per.iter().filter(|axis| matches!(axis, Axis::List(_))).count();
        at.items.iter_mut().take(lists).for_each(|item| *item = Some(0));
        let better = matches!(field.keep, Keep::Lowest);
        let counts = if better { [3, 2, 1] } else { [1, 2, 3] };
        let values = counts.map(|count| another_value(schema, field, count));
        let is_lives = schema.lives.as_ref().is_some_and(|lives| lives.field == index);
        let trial = Trial { schema, index, field, row, at, values, is_lives };
        match trial.obstacle() {
            Some(why) => Err(why.to_string()),
            None => Ok(trial),
        }
    }

    /// Why the event cannot happen.
    fn obstacle(&self) -> Option<&'static str> {
        let schema = self.schema;
        let has_checkpoint =
            schema.levels.get(first_level(schema)).is_some_and(|level| !level.checkpoints.is_empty());
        let lives = schema.lives.as_ref().and_then(|lives| schema.fields.get(lives.field));
        let most = lives.and_then(|lives| lives.max.as_ref()?.fixed()?.number());
        match self.row {
            Row::Checkpoint if !has_checkpoint => Some("the first level does not have a checkpoint"),
            Row::LastDeath if lives.is_none() => Some("the game does not count lives"),
            Row::Death if most == Some(1) => Some("every death is the last one"),
            Row::DeathElsewhere if schema.checkpoint_lasts != CheckpointLasts::Run => {
                Some("checkpoints last as long as a level")
            }
            Row::DeathElsewhere if !has_checkpoint || second_level(schema).is_none() => {
                Some("only one level is open at first")
            }
            Row::Enter | Row::Leave if schema.levels.is_empty() => Some("the game does not have levels"),
            _ => None,
        }
    }

    fn suppose(&self, value: &Value) -> (String, Step) {
        let asked = Asked::Field { field: self.index, at: self.at };
        (format!("suppose {} = {value}", self.field.name), Step::Suppose(asked, value.clone()))
    }

    /// Sets the lives, so that a death is the last one or is not.
    fn lives(&self, left: i64) -> Option<(String, Step)> {
        let field = self.schema.lives.as_ref()?.field;
        let asked = Asked::Field { field, at: At::default() };
        Some((format!("suppose lives = {left}"), Step::Suppose(asked, Value::Int(left))))
    }

    fn steps(&self) -> Vec<(String, Step)> {
        let schema = self.schema;
        let step = |text: &str, step: Step| (text.to_string(), step);
        let [entry, checkpoint, last] = &self.values;
        let begin = step("begin", Step::Begin { difficulty: None, replacing: false });
        // A game without levels is in its only one as soon as a run begins.
        let mut steps = match schema.levels.is_empty() {
            true => vec![self.suppose(entry), begin],
            false => vec![begin, self.suppose(entry)],
        };
        let level = schema.level_at(first_level(schema));
        steps.extend(level.map(|level| step("enter", Step::Enter(level))));
        let reached = schema.levels.get(first_level(schema)).and_then(|level| level.checkpoints.first());
        let reach = reached.map(|name| step("reach", Step::Reach(name.to_string())));
        if let Some(reach) = &reach {
            steps.extend([self.suppose(checkpoint), reach.clone()]);
        }
        if self.row == Row::DeathElsewhere {
            let other = second_level(schema).and_then(|index| schema.level_at(index));
            steps.push(step("leave", Step::Leave));
            steps.extend(other.map(|other| step("enter", Step::Enter(other))));
        }
        let lives =
            if self.is_lives { None } else { self.lives(if self.row == Row::LastDeath { 1 } else { 2 }) };
        let dies = matches!(self.row, Row::Death | Row::DeathElsewhere | Row::LastDeath);
        steps.extend(lives.filter(|_| dies));
        // The last life of the lives themselves.
        let is_last = self.is_lives && self.row == Row::LastDeath;
        steps.push(self.suppose(if is_last { &Value::Int(1) } else { last }));
        steps.extend(happens(schema, self.row));
        steps
    }

    fn run(&self) -> Proof {
        let rehearsal = Rehearsal::of_steps(self.schema, self.steps());
        let Some(engine) = rehearsal.played_to_its_end() else {
            let why = rehearsal
                .run()
                .failure
                .map_or("the game is closed".to_string(), |failure| failure.kind.to_string());
            return Proof::NotTried { why };
        };
        let found = match self.schema.cell(self.field, self.at) {
            Some(cell) => engine.value_at(cell).clone(),
            None => {
                return Proof::NotTried { why: "it does not have a value in the first level".to_string() };
            }
        };
        let expected = self.expected();
        let takes_feed = self.field.feed.is_some()
            && matches!(self.row, Row::Finish | Row::RunEnd | Row::NewRun | Row::LastDeath);
        // What is fed may be better than what was there.
        let is_fed = takes_feed
            && (self.field.keep == Keep::Balance
                || meet(self.field.keep, found.alone(), expected.alone()).is_none());
        match found == expected || is_fed {
            true => Proof::Holds,
            false => Proof::Differs { expected, found },
        }
    }

    fn expected(&self) -> Value {
        let [entry, checkpoint, last] = &self.values;
        let has_checkpoint = self
            .schema
            .levels
            .get(first_level(self.schema))
            .is_some_and(|level| !level.checkpoints.is_empty());
        let one_less = |value: &Value| match value.number() {
            Some(lives) => Value::Int((lives - 1).max(0)),
            None => value.clone(),
        };
        match (self.row, fate(self.schema, self.field, self.row)) {
            (Row::LastDeath, _) if self.is_lives => Value::Int(0),
            (Row::Death | Row::DeathElsewhere, _) if self.is_lives => one_less(last),
            (_, Fate::Copied | Fate::Stays | Fate::Readable) => last.clone(),
            (_, Fate::Checkpoint) if has_checkpoint => checkpoint.clone(),
            (_, Fate::Checkpoint | Fate::Entry) => entry.clone(),
            _ => self.field.default.clone(),
        }
    }
}

/// Returns the steps of an event, in the first level.
pub(super) fn happens(schema: &Schema, row: Row) -> Vec<(String, Step)> {
    let step = |text: &str, step: Step| (text.to_string(), step);
    let level = first_level(schema);
    let enter = schema.level_at(level).map(|level| step("enter", Step::Enter(level)));
    let checkpoint = schema.levels.get(level).and_then(|level| level.checkpoints.first());
    match row {
        Row::Checkpoint => {
            checkpoint.map(|name| step("reach", Step::Reach(name.to_string()))).into_iter().collect()
        }
        Row::Death | Row::DeathElsewhere | Row::LastDeath => vec![step("die", Step::Die)],
        Row::Retry => vec![step("retry", Step::Retry)],
        Row::Enter => [step("leave", Step::Leave)].into_iter().chain(enter).collect(),
        Row::Leave => vec![step("leave", Step::Leave), step("resume", Step::Resume)],
        Row::Finish => vec![step("finish", Step::Finish(None))],
        Row::RunEnd => vec![step("end_run", Step::EndRun)],
        Row::NewRun => vec![step("begin replacing", Step::Begin { difficulty: None, replacing: true })],
        Row::Reopen => {
            let launch = step("launch", Step::Launch(Duration::ZERO));
            vec![step("quit", Step::Quit), launch, step("resume", Step::Resume)]
        }
        Row::Erase => vec![step("erase profile yes", Step::Erase(Erase::Profile, true))],
        _ => Vec::new(),
    }
}

/// The first level that is open from the start, one with a checkpoint if there is one.
pub(super) fn first_level(schema: &Schema) -> usize {
    let open = || schema.levels.iter().enumerate().filter(|(_, level)| level.lock.is_none());
    let with = open().find(|(_, level)| !level.checkpoints.is_empty());
    with.or_else(|| open().next()).map_or(0, |(index, _)| index)
}

fn second_level(schema: &Schema) -> Option<usize> {
    let open = schema.levels.iter().enumerate().filter(|(_, level)| level.lock.is_none());
    open.map(|(index, _)| index).find(|index| *index != first_level(schema))
}
