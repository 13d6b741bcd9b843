//! The values around which something changes: what conditions compare with, bounds, prices, defaults. Values are tried
//! just below, at and just above each, and two values between the same ones are taken as one.

use std::cmp::Ordering;
use std::collections::{BTreeMap, BTreeSet};
use std::hash::{Hash, Hasher};

use keblin_model::model::{Bound, FieldDef};
use keblin_model::program::{Program, Read};
use keblin_model::value::Float;
use keblin_model::{Date, Instant, Keep, Kind, Model, Time, Value};

use super::cone::Cone;

/// The most values of a list of ids that are tried.
const MAX_IDS: usize = 8;

/// The largest number of items that are put into a field.
const MAX_INSIDE: i64 = 4;

/// The values of one question around which something changes.
#[derive(Clone, Debug, Default)]
pub(super) struct Around {
    /// By field, in order.
    fields: BTreeMap<usize, BTreeSet<Value>>,
    /// Fields that change by steps, such as lives: all values up to the largest of them are told apart.
    stepwise: BTreeSet<usize>,
    /// By field with items: numbers that its entries, or how many they are, are compared with.
    inside: BTreeMap<usize, BTreeSet<i64>>,
    /// Something is compared with a value that no move can give, so that nothing is proven.
    pub(super) leaves_out: bool,
    pub(super) stars: BTreeSet<i64>,
    counts: BTreeSet<i64>,
    played: BTreeSet<i64>,
}

impl Around {
    pub(super) fn of(model: &Model, cone: &Cone, stepwise: &BTreeSet<usize>) -> Around {
        let mut around = Around { stepwise: stepwise.clone(), ..Around::default() };
        around.stepwise.extend(model.lives.as_ref().map(|lives| lives.field));
        for program in programs(model, cone) {
            around.note(model, program);
        }
        for index in &cone.fields {
            if let Some(field) = model.fields.get(*index) {
                let bounds = [&field.min, &field.max].into_iter().flatten().filter_map(Bound::fixed);
                around.add(*index, bounds.chain([&field.default]).cloned());
            }
        }
        for unlock in cone.unlocks.iter().filter_map(|index| model.unlocks.get(*index)) {
            for (field, price) in &unlock.costs {
                around.add(*field, [price.clone()]);
            }
        }
        around.share(model, cone);
        for index in &cone.fields {
            around.fill_up(model, *index);
        }
        around
    }

    fn add(&mut self, field: usize, values: impl IntoIterator<Item = Value>) {
        let values = values.into_iter().filter(|value| *value != Value::Unset);
        self.fields.entry(field).or_default().extend(values);
    }

    fn note(&mut self, model: &Model, program: &Program) {
        use keblin_model::program::Fact;
        for compared in program.compared() {
            let number = compared.with.number();
            match compared.read {
                Read::Cells(cells) => {
                    for index in cells.filter_map(|cell| model.field_of_cell(cell)) {
                        let Some(field) = model.fields.get(index) else { continue };
                        match (as_kind(field.kind, &compared.with), number) {
                            (Some(value), _) => self.add(index, [value]),
                            (None, Some(number)) if field.kind.has_items() => {
                                // It may be how many items there are.
                                self.leaves_out |= number > MAX_INSIDE;
                                self.inside.entry(index).or_default().insert(number);
                            }
                            (None, _) => self.leaves_out |= is_left_out(field.kind, &compared.with),
                        }
                    }
                }
                Read::Fact { fact: Fact::Stars, .. } => self.stars.extend(number),
                Read::Fact { fact: Fact::Attempts | Fact::Deaths, .. } => self.counts.extend(number),
                Read::Played => self.played.extend(number),
                _ => {}
            }
        }
    }

    /// A bound and what it follows, and a record and its source, have the same values around them.
    fn share(&mut self, model: &Model, cone: &Cone) {
        for index in &cone.fields {
            let Some(field) = model.fields.get(*index) else { continue };
            let follows = [&field.min, &field.max].into_iter().flatten().filter_map(|bound| match bound {
                Bound::Follows(program) => Some(program),
                _ => None,
            });
            let reads = follows.flat_map(|program| program.reads());
            let read =
                reads.filter_map(|read| if let Read::Cells(cells) = read { Some(cells) } else { None });
            let others = read.flat_map(|cells| cells.clone().filter_map(|cell| model.field_of_cell(cell)));
            for other in others.chain(field.feed.as_ref().map(|feed| feed.from)).collect::<Vec<_>>() {
                let [here, there] =
                    [index, &other].map(|field| self.fields.get(field).cloned().unwrap_or_default());
                self.add(*index, there);
                self.add(other, here);
            }
        }
    }

    /// A number that is compared with nothing still has to change.
    fn fill_up(&mut self, model: &Model, index: usize) {
        let Some(field) = model.fields.get(index) else { return };
        let held = self.fields.entry(index).or_default();
        if held.len() < 2 && field.kind.is_number() {
            let first = held.first().cloned().or_else(|| as_kind(field.kind, &Value::Int(0)));
            let one = step_of(field.kind);
            let more = first.as_ref().and_then(|first| first.plus(&one)).map(|(more, _)| more);
            held.extend(first);
            held.extend(more);
        }
    }

    /// Returns the values to try for a field, in order.
    pub(super) fn to_try(&self, model: &Model, index: usize) -> Vec<Value> {
        let Some(field) = model.fields.get(index) else { return Vec::new() };
        let held = self.fields.get(&index).cloned().unwrap_or_default();
        let tried: BTreeSet<Value> = match field.kind {
            Kind::Bool => [Value::Bool(false), Value::Bool(true)].into(),
            Kind::Id(ids) => {
                let texts: Vec<String> = model.id_texts(ids).take(MAX_IDS).collect();
                texts.iter().filter_map(|text| model.id_value(ids, text)).collect()
            }
            kind if kind.is_ordered() => held
                .iter()
                .flat_map(|value| [nearby(value, true), Some(value.clone()), nearby(value, false)])
                .flatten()
                .collect(),
            _ => held,
        };
        tried.into_iter().filter(|value| can_hold(field, value)).collect()
    }

    /// Returns the numbers to put into a field with items, and how many items to put at the most.
    pub(super) fn inside(&self, field: usize) -> (Vec<i64>, usize) {
        let held = self.inside.get(&field).into_iter().flatten();
        let tried: BTreeSet<i64> = held.flat_map(|number| around(*number)).collect();
        let few = tried.iter().filter(|number| **number <= MAX_INSIDE + 1).max();
        let most = few.and_then(|most| usize::try_from(*most).ok()).unwrap_or(0);
        (tried.into_iter().collect(), most.max(2))
    }

    /// Returns how values of a field are told apart.
    pub(super) fn apart(&self, field: usize) -> Apart {
        let around = self.fields.get(&field).into_iter().flatten().cloned().collect();
        Apart { around, stepwise: self.stepwise.contains(&field) }
    }

    /// Hashes a number of attempts or deaths as far as it is told apart: it grows by one, so all up to the largest.
    pub(super) fn tell_count(&self, count: u64, into: &mut impl Hasher) {
        let most = self.counts.last().copied().unwrap_or(0);
        i64::try_from(count).unwrap_or(i64::MAX).min(most.saturating_add(1)).hash(into);
    }

    pub(super) fn tell_played(&self, played: Time, into: &mut impl Hasher) {
        self.played.range(..=played.as_nanos()).count().hash(into);
    }

    /// Returns the times to let pass: as long as each time that something is compared with.
    pub(super) fn times(&self, model: &Model, cone: &Cone) -> BTreeSet<Time> {
        let clocks = cone.fields.iter().filter(|index| {
            model.fields.get(**index).is_some_and(|field| field.counts_playing && field.kind == Kind::Time)
        });
        let held = clocks.filter_map(|index| self.fields.get(index)).flatten();
        let times = held.filter_map(|value| if let Value::Time(time) = value { Some(*time) } else { None });
        let played = self.played.iter().map(|nanos| Time::from_nanos(*nanos));
        times.chain(played).filter(|time| *time > Time::ZERO).collect()
    }
}

/// How values of one field are told apart.
#[derive(Debug)]
pub(super) struct Apart {
    /// In order.
    around: Vec<Value>,
    /// Whether all values up to the largest are told apart.
    stepwise: bool,
}

impl Apart {
    /// Hashes a value as far as it is told apart. The first byte says how many follow, so that no two rows of values have the
    /// same bytes.
    pub(super) fn tell(&self, value: &Value, into: &mut impl Hasher) {
        match value.alone() {
            Value::Unset => into.write_u8(0),
            Value::Bool(yes) => into.write_u8(1 + u8::from(*yes)),
            number if is_number(number) && !self.counts(number) => {
                let below = self.around.partition_point(|other| other < number);
                let place = 2 * below + usize::from(self.around.get(below) == Some(number));
                into.write_u8(3);
                into.write_usize(place);
            }
            Value::Int(number) => {
                into.write_u8(4);
                into.write_i64(*number);
            }
            _ => {
                into.write_u8(5);
                value.hash(into);
            }
        }
    }

    /// Whether it is a number that is told apart from each other one.
    fn counts(&self, number: &Value) -> bool {
        self.stepwise && self.around.last().is_some_and(|last| number <= last)
    }
}

/// Returns a number, and those just below and above it.
pub(super) fn around(number: i64) -> [i64; 3] {
    [number.saturating_sub(1), number, number.saturating_add(1)]
}

/// Returns the conditions of a question.
pub(super) fn programs<'m>(model: &'m Model, cone: &Cone) -> Vec<&'m Program> {
    let mut all = Vec::new();
    for level in cone.levels.iter().filter_map(|index| model.levels.get(*index)) {
        all.extend(level.lock.iter().chain(&level.star_rules).map(|rule| &rule.program));
    }
    let unlocks = cone.unlocks.iter().filter_map(|index| model.unlocks.get(*index));
    all.extend(unlocks.filter_map(|unlock| unlock.when.as_ref()).map(|rule| &rule.program));
    let moments = cone.moments.iter().filter_map(|index| model.moments.get(*index));
    all.extend(moments.filter_map(|moment| moment.when.as_ref()).map(|rule| &rule.program));
    let invariants = cone.invariants.iter().filter_map(|index| model.invariants.get(*index));
    all.extend(invariants.filter_map(|invariant| invariant.holds.as_ref()).map(|rule| &rule.program));
    for field in cone.fields.iter().filter_map(|index| model.fields.get(*index)) {
        for bound in [&field.min, &field.max].into_iter().flatten() {
            if let Bound::Follows(program) = bound {
                all.push(program);
            }
        }
    }
    all
}

fn is_number(value: &Value) -> bool {
    matches!(value, Value::Int(_) | Value::Float(_) | Value::Time(_) | Value::Date(_) | Value::Instant(_))
}

/// Converts a literal of a condition to a value of a field.
fn as_kind(kind: Kind, literal: &Value) -> Option<Value> {
    match (kind, literal) {
        (Kind::Time, Value::Int(nanos)) => Some(Value::Time(Time::from_nanos(*nanos))),
        (Kind::Date, Value::Int(days)) => Date::from_days(*days).map(Value::Date),
        (Kind::Instant, Value::Int(millis)) => Instant::from_unix_ms(*millis).map(Value::Instant),
        (Kind::Int, Value::Int(_)) | (Kind::Float, Value::Float(_)) | (Kind::Text, Value::Text(_)) => {
            Some(literal.clone())
        }
        #[expect(clippy::cast_precision_loss, reason = "a value near it does as well")]
        (Kind::Float, Value::Int(number)) => Value::float(*number as f64),
        (Kind::List | Kind::Set | Kind::Map, Value::Text(_)) => Some(literal.clone()),
        _ => None,
    }
}

/// Returns whether a literal means that the values of a field are not tried: a member of a shape, or a part of a vector.
fn is_left_out(kind: Kind, literal: &Value) -> bool {
    matches!(kind, Kind::Shape(_) | Kind::Vec2 | Kind::Vec3 | Kind::Quat | Kind::Bytes | Kind::Opaque)
        && *literal != Value::Unset
}

/// Returns the step from one value to try to the next.
pub(super) fn step_of(kind: Kind) -> Value {
    match kind {
        Kind::Time => Value::Time(Time::from_millis(1)),
        Kind::Float => Value::Float(Float::new(0.5).unwrap_or_default()),
        _ => Value::Int(1),
    }
}

/// Returns the value just below or above.
fn nearby(value: &Value, below: bool) -> Option<Value> {
    let sign = if below { -1 } else { 1 };
    match value {
        Value::Int(number) => number.checked_add(sign).map(Value::Int),
        Value::Time(time) => {
            time.as_nanos().checked_add(sign * 1_000_000).map(|nanos| Value::Time(Time::from_nanos(nanos)))
        }
        #[expect(clippy::cast_precision_loss, reason = "one or minus one")]
        Value::Float(number) => Value::float(number.get() + sign as f64 * 0.5),
        Value::Date(date) => Date::from_days(date.days() + sign).map(Value::Date),
        Value::Instant(instant) => Instant::from_unix_ms(instant.unix_ms() + sign).map(Value::Instant),
        _ => None,
    }
}

/// Returns whether a value is within the bounds of a field that are fixed.
fn can_hold(field: &FieldDef, value: &Value) -> bool {
    let within = |bound: &Option<Bound>, is: fn(Ordering) -> bool| {
        let fixed = bound.as_ref().and_then(Bound::fixed);
        fixed.and_then(|bound| value.order(bound)).is_none_or(is)
    };
    within(&field.min, Ordering::is_ge)
        && within(&field.max, Ordering::is_le)
        && (field.keep != Keep::Once || *value != Value::Bool(false))
}
