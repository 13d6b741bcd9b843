//! How the values of many saves are spread: the least, the most, and what lies between, in little memory.

use hdrhistogram::Histogram;
use keblin::{Kind, Value};

/// How exact a value in the middle is: two digits.
const DIGITS: u8 = 2;

/// What the whole numbers of a spread stand for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Unit {
    /// Themselves.
    Whole,
    /// Times in milliseconds.
    Milliseconds,
    /// Thousandths of a number.
    Thousandths,
}

impl Unit {
    /// Returns the unit for values of a type; `None` if they are not numbers.
    pub(super) fn of(kind: Kind) -> Option<Unit> {
        match kind {
            Kind::Int => Some(Unit::Whole),
            Kind::Time => Some(Unit::Milliseconds),
            Kind::Float => Some(Unit::Thousandths),
            _ => None,
        }
    }

    /// Returns a number of this unit without its unit: times in milliseconds.
    pub(super) fn plain(self, number: i64) -> String {
        if self == Unit::Milliseconds { number.to_string() } else { self.text(number) }
    }

    /// Returns a number of this unit as people read it.
    pub(crate) fn text(self, number: i64) -> String {
        match self {
            Unit::Whole => number.to_string(),
            Unit::Milliseconds => keblin::Time::from_millis(number).to_string(),
            Unit::Thousandths => format!("{}", number as f64 / 1000.0),
        }
    }
}

/// The spread of some numbers.
pub(crate) struct Spread {
    pub(crate) unit: Unit,
    least: i64,
    most: i64,
    /// The numbers below zero, without their sign, and the others. Most have none, and most are small.
    below: Option<Histogram<u32>>,
    above: Option<Histogram<u32>>,
}

/// What is known of the numbers.
pub(crate) struct Known {
    pub(crate) count: u64,
    pub(crate) least: i64,
    /// A tenth of the numbers is below it.
    pub(crate) low: i64,
    pub(crate) median: i64,
    /// A tenth of the numbers is above it.
    pub(crate) high: i64,
    pub(crate) most: i64,
}

impl Spread {
    pub(super) fn new(unit: Unit) -> Spread {
        Spread { unit, least: i64::MAX, most: i64::MIN, below: None, above: None }
    }

    /// Adds a value, if it is a number.
    pub(super) fn add_value(&mut self, value: &Value) {
        match value {
            Value::Int(number) => self.add(*number),
            Value::Time(time) => self.add(time.as_nanos() / 1_000_000),
            #[expect(clippy::cast_possible_truncation, reason = "numbers too large become the largest")]
            Value::Float(number) => self.add((number.get() * 1000.0).round() as i64),
            _ => {}
        }
    }

    fn add(&mut self, number: i64) {
        (self.least, self.most) = (self.least.min(number), self.most.max(number));
        let side = if number < 0 { &mut self.below } else { &mut self.above };
        if side.is_none() {
            *side = Histogram::new(DIGITS).ok();
        }
        // A histogram that grows by itself takes every number.
        side.iter_mut().for_each(|side| _ = side.record(number.unsigned_abs()));
    }

    pub(super) fn merge(&mut self, other: &Spread) {
        (self.least, self.most) = (self.least.min(other.least), self.most.max(other.most));
        for (to, from) in [(&mut self.below, &other.below), (&mut self.above, &other.above)] {
            let Some(from) = from else { continue };
            match to {
                Some(to) => _ = to.add(from),
                None => *to = Some(from.clone()),
            }
        }
    }

    /// Returns how many numbers there are.
    pub(crate) fn len(&self) -> u64 {
        self.below.iter().chain(&self.above).map(Histogram::len).sum()
    }

    /// Returns what is known of the numbers; `None` if there are none.
    pub(crate) fn known(&self) -> Option<Known> {
        let count = self.len();
        (count > 0).then(|| Known {
            count,
            least: self.least,
            low: self.at(count.div_ceil(10)),
            median: self.at(count.div_ceil(2)),
            high: self.at((9 * count).div_ceil(10)),
            most: self.most,
        })
    }

    /// Returns the number at a place, from 1 for the least.
    fn at(&self, place: u64) -> i64 {
        let below = self.below.as_ref().map_or(0, Histogram::len);
        let number = |of: &Option<Histogram<u32>>, place: u64| {
            let of = of.as_ref();
            of.map_or(0, |of| {
                #[expect(clippy::cast_precision_loss, reason = "a share need not be exact")]
                let share = place as f64 / of.len() as f64;
                i64::try_from(of.value_at_quantile(share)).unwrap_or(i64::MAX)
            })
        };
        let found = match place <= below {
            true => -number(&self.below, below + 1 - place),
            false => number(&self.above, place - below),
        };
        found.clamp(self.least, self.most)
    }

    /// Returns how many numbers are in each of some equal parts between the least and the most.
    pub(crate) fn parts(&self, parts: u32) -> Vec<u64> {
        let (least, most) = (i128::from(self.least), i128::from(self.most));
        let part = ((most - least + 1) / i128::from(parts)).max(1);
        let mut counts = vec![0; usize::try_from(parts).unwrap_or(0)];
        let mut note = |number: i128, count: u64| {
            let at = usize::try_from((number - least).max(0) / part).unwrap_or(0).min(counts.len() - 1);
            counts.get_mut(at).into_iter().for_each(|held| *held += count);
        };
        for (side, sign) in [(&self.below, -1), (&self.above, 1)] {
            for found in side.iter().flat_map(Histogram::iter_recorded) {
                note(sign * i128::from(found.value_iterated_to()), found.count_since_last_iteration());
            }
        }
        counts
    }
}
