//! What can happen next: the events of the engine, writes of the values that matter, and what the game says that a
//! player can do. Each is a line of a rehearsal, or a few.

use std::collections::BTreeSet;

use keblin_model::model::FieldDef;
use keblin_model::program::Fact;
use keblin_model::survival::Row;
use keblin_model::{Keep, Kind, Model, Value};

use super::around::{Around, around, step_of};
use super::cone::Cone;
use super::names::{name_of, written};
use super::player::{Part, PlayerMove, written_by};
use crate::progress::Phase;
use crate::rehearse::{Step, parsed};
use crate::snapshot::Schema;

/// What a move is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum MoveKind {
    Begin,
    /// A run begins in place of another one.
    Replace,
    Resume,
    Enter,
    Reach,
    Die,
    Respawn,
    Retry,
    Finish,
    Leave,
    EndRun,
    Buy,
    /// A named reset.
    Reset,
    Tick,
    /// The game is quit and opened again.
    Reopen,
    /// A write to a field.
    Write(usize),
    /// Something that the game says a player can do.
    Player,
    /// Another copy of the game has put its save in place of this one's.
    Meet,
}

/// A move: one or more lines of a rehearsal.
#[derive(Clone, Debug)]
pub(super) struct Move {
    pub(super) kind: MoveKind,
    /// What a person calls it, if the lines do not say it.
    pub(super) name: Option<String>,
    pub(super) lines: Vec<String>,
    pub(super) parts: Vec<Part>,
}

impl MoveKind {
    /// Returns the row of the survival table that it is, for a state before and after it.
    pub(super) fn row(self, before: Phase, after: Phase) -> Option<Row> {
        Some(match self {
            MoveKind::Reach => Row::Checkpoint,
            MoveKind::Die if after == Phase::Over && before != Phase::Over => Row::LastDeath,
            MoveKind::Die => Row::Death,
            MoveKind::Retry => Row::Retry,
            MoveKind::Enter => Row::Enter,
            MoveKind::Leave => Row::Leave,
            MoveKind::Finish => Row::Finish,
            MoveKind::EndRun => Row::RunEnd,
            MoveKind::Begin | MoveKind::Replace => Row::NewRun,
            MoveKind::Reopen => Row::Reopen,
            _ => return None,
        })
    }
}

impl Move {
    fn parse(schema: &Schema, kind: MoveKind, line: String) -> Option<Move> {
        let step = parsed(schema, &line, 0).ok()?;
        Some(Move { kind, name: None, lines: vec![line], parts: vec![Part::Step(step)] })
    }

    /// Returns whether it may take away what was reached: an erasure, or a run that is given up for another one.
    pub(super) fn gives_up(&self) -> bool {
        matches!(self.kind, MoveKind::Reset | MoveKind::Replace)
    }

    /// Returns what people call it: its name, or its lines.
    pub(super) fn text(&self) -> String {
        self.name.clone().unwrap_or_else(|| self.lines.join(", "))
    }

    /// Returns whether it is a death, or what comes after one: it may not add lives.
    pub(super) fn is_a_try(&self) -> bool {
        use Step::{Die, Reach, Respawn, Retry};
        self.parts.iter().any(|part| matches!(part, Part::Step(Die | Respawn | Retry | Reach(_))))
    }

    /// Returns whether it writes a field.
    pub(super) fn writes(&self, field: usize) -> bool {
        self.kind == MoveKind::Write(field) || written_by(&self.parts).any(|written| written == field)
    }

    /// Returns whether a run may end or begin with it.
    pub(super) fn is_of_runs(&self) -> bool {
        matches!(self.kind, MoveKind::Begin | MoveKind::Replace | MoveKind::EndRun | MoveKind::Reset)
    }
}

/// Collects the moves of a question.
pub(super) struct Collecting<'m> {
    schema: &'m Schema,
    cone: &'m Cone,
    around: &'m Around,
    moves: Vec<Move>,
}

/// Returns all moves of a question, in a fixed order. What a player can do is not written in other ways.
pub(super) fn moves(schema: &Schema, cone: &Cone, around: &Around, player: &[PlayerMove]) -> Vec<Move> {
    let mut collecting = Collecting { schema, cone, around, moves: Vec::new() };
    collecting.of_runs();
    collecting.of_levels();
    let by_player: BTreeSet<usize> = player.iter().flat_map(PlayerMove::fields).collect();
    for unlock in cone.unlocks.iter().filter_map(|index| schema.unlocks.get(*index)) {
        if !unlock.costs.is_empty() && !player.iter().any(|one| one.buys(schema, &unlock.name)) {
            collecting.line(MoveKind::Buy, format!("buy {}", unlock.name));
        }
    }
    for index in cone.fields.iter().filter(|index| !by_player.contains(*index)) {
        collecting.writes(*index);
    }
    for time in around.times(schema, cone) {
        collecting.line(MoveKind::Tick, format!("tick {time}"));
    }
    let matters = |one: &&PlayerMove| {
        let opens = one.buys_any(schema, &cone.unlocks);
        opens || one.fields().any(|field| cone.fields.contains(&field)) || one.is_an_event()
    };
    for one in player.iter().filter(matters) {
        let (name, lines, parts) = (Some(one.name.clone()), one.lines.clone(), one.parts.clone());
        collecting.moves.push(Move { kind: MoveKind::Player, name, lines, parts });
    }
    for reset in &schema.resets {
        collecting.line(MoveKind::Reset, format!("erase reset {} yes", reset.name));
    }
    let lines = ["quit", "launch"].map(str::to_string).to_vec();
    collecting.moves.push(Move { kind: MoveKind::Reopen, name: None, lines, parts: vec![Part::Reopen] });
    collecting.moves
}

impl Collecting<'_> {
    fn line(&mut self, kind: MoveKind, line: String) {
        self.moves.extend(Move::parse(self.schema, kind, line));
    }

    fn of_runs(&mut self) {
        let all: Vec<String> = match self.cone.knows_difficulty(self.schema) {
            true => self.schema.difficulties.iter().map(|difficulty| format!("begin {difficulty}")).collect(),
            false => vec!["begin".to_string()],
        };
        for line in all {
            self.line(MoveKind::Begin, line.clone());
            self.line(MoveKind::Replace, format!("{line} replacing"));
        }
        self.line(MoveKind::Resume, "resume".to_string());
        self.line(MoveKind::EndRun, "end_run".to_string());
    }

    fn of_levels(&mut self) {
        let schema = self.schema;
        for level in self.levels().iter().filter_map(|index| schema.levels.get(*index)) {
            self.line(MoveKind::Enter, format!("enter {}", level.name));
        }
        for line in self.finishes() {
            self.line(MoveKind::Finish, line);
        }
        self.line(MoveKind::Leave, "leave".to_string());
        // These change nothing but what lasts as long as a run, and counts.
        let is_told = self.cone.has_values_of_a_run(schema) || self.cone.reads_checkpoint;
        if is_told {
            let mut names = BTreeSet::new();
            let levels = self.levels();
            for level in levels.iter().filter_map(|index| schema.levels.get(*index)) {
                names.extend(level.checkpoints.iter().map(ToString::to_string));
            }
            names.into_iter().for_each(|name| self.line(MoveKind::Reach, format!("reach {name}")));
        }
        if is_told || self.cone.has_fact(Fact::Deaths) || self.cone.has_fact(Fact::Attempts) {
            self.line(MoveKind::Die, "die".to_string());
            self.line(MoveKind::Respawn, "respawn".to_string());
            self.line(MoveKind::Retry, "retry".to_string());
        }
    }

    /// Returns the levels to enter: those that matter, or else the first one that is open from the start.
    fn levels(&self) -> BTreeSet<usize> {
        if !self.cone.levels.is_empty() {
            return self.cone.levels.clone();
        }
        let all = self.schema.levels.iter().enumerate();
        all.filter(|(_, level)| level.lock.is_none()).map(|(index, _)| index).take(1).collect()
    }

    /// The ratings around which something changes, and the lowest and highest.
    fn finishes(&self) -> Vec<String> {
        let levels = self.levels();
        let rated = levels.iter().filter_map(|index| self.schema.levels.get(*index));
        let rated: Vec<_> = rated.filter(|level| level.stars > 0 && level.star_rules.is_empty()).collect();
        let most = rated.iter().map(|level| i64::from(level.stars)).max();
        let mut lines = Vec::new();
        if most.is_none() || rated.len() < levels.len() {
            lines.push("finish".to_string());
        }
        let Some(most) = most else { return lines };
        let all: BTreeSet<i64> = match self.cone.has_fact(Fact::Stars) {
            true => {
                let tried = self.around.stars.iter().flat_map(|stars| around(*stars));
                let each = rated.iter().map(|level| i64::from(level.stars));
                tried.filter(|stars| (0..=most).contains(stars)).chain([0]).chain(each).collect()
            }
            // Every level has one.
            false => BTreeSet::from([1]),
        };
        lines.extend(all.iter().map(|stars| format!("finish stars {stars}")));
        lines
    }

    /// Adds a write for each value to try in each place of a field.
    fn writes(&mut self, index: usize) {
        let schema = self.schema;
        let Some(field) = schema.fields.get(index) else { return };
        let is_lives = schema.lives.as_ref().is_some_and(|lives| lives.field == index);
        // Clocks run, lives are lost, and what is fed is not written.
        if field.counts_playing || is_lives || field.feed.is_some() {
            return;
        }
        for cell in field.cells.clone().step_by(field.places.max(1)) {
            let Some(name) = name_of(schema, cell) else { continue };
            for line in self.lines_of(index, field, &name) {
                self.line(MoveKind::Write(index), line);
            }
        }
    }

    fn lines_of(&self, index: usize, field: &FieldDef, name: &str) -> Vec<String> {
        let tried = self.around.to_try(self.schema, index);
        match (field.kind, field.keep) {
            (Kind::List | Kind::Set | Kind::Map, _) => self.items_of(index, field, name),
            (_, Keep::Sum) => {
                // From nothing to just below and at each value, and one more.
                let amounts: BTreeSet<Value> = tried.into_iter().filter(is_positive).collect();
                let all = amounts.into_iter().chain([step_of(field.kind)]).collect::<BTreeSet<Value>>();
                all.iter().filter_map(written).map(|amount| format!("add {name} {amount}")).collect()
            }
            (_, keep) => {
                let word = if keep.is_record() { "submit" } else { "set" };
                let values = tried.iter().filter_map(written);
                values.map(|value| format!("{word} {name} {value}")).collect()
            }
        }
    }

    /// Puts the first ids, or two items of the type.
    fn items_of(&self, index: usize, field: &FieldDef, name: &str) -> Vec<String> {
        let Some(items) = &field.items else { return Vec::new() };
        let (numbers, most) = self.around.inside(index);
        // What conditions name, and some more.
        let some = |kind: Kind| {
            let named =
                self.around.to_try(self.schema, index).into_iter().filter_map(|named| match (kind, &named) {
                    (Kind::Id(ids), Value::Text(text)) => self.schema.id_value(ids, text),
                    (Kind::Text, Value::Text(_)) => Some(named),
                    _ => None,
                });
            let mut all: Vec<Value> = named.collect();
            for more in some_of(self.schema, kind, most) {
                if all.len() < most && !all.contains(&more) {
                    all.push(more);
                }
            }
            all.iter().filter_map(written).collect::<Vec<_>>().into_iter()
        };
        let takes = |what: String| (field.keep != Keep::Union).then(|| format!("take {name} {what}"));
        match (field.kind, items.key) {
            (Kind::Map, Some(key)) => {
                let of: Vec<String> = match items.of {
                    Kind::Int if !numbers.is_empty() => numbers.iter().map(ToString::to_string).collect(),
                    kind => some(kind).take(1).collect(),
                };
                let puts = |key: String| {
                    let puts = of.iter().map(|value| format!("put {name} {key} {value}")).collect::<Vec<_>>();
                    puts.into_iter().chain(takes(key))
                };
                some(key).flat_map(puts).collect()
            }
            (Kind::Set, _) => some(items.of)
                .flat_map(|item| [Some(format!("put {name} {item}")), takes(item)])
                .flatten()
                .collect(),
            _ => some(items.of)
                .map(|item| format!("put {name} {item}"))
                .take(1)
                .chain([format!("take {name} 0")])
                .collect(),
        }
    }
}

fn is_positive(value: &Value) -> bool {
    !value.is_negative() && value.number() != Some(0)
}

/// Returns some values of a type, for the contents of collections: numbers only two.
pub(super) fn some_of(model: &Model, kind: Kind, most: usize) -> Vec<Value> {
    match kind {
        Kind::Bool => vec![Value::Bool(true)],
        Kind::Text => ["a", "b", "c", "d", "e"].into_iter().take(most).map(Value::text).collect(),
        Kind::Id(ids) => {
            let texts: Vec<String> = model.id_texts(ids).take(most).collect();
            texts.iter().filter_map(|text| model.id_value(ids, text)).collect()
        }
        kind if kind.is_number() => {
            let one = step_of(kind);
            let two = one.plus(&one).map(|(two, _)| two);
            [Some(one), two].into_iter().flatten().collect()
        }
        _ => Vec::new(),
    }
}
