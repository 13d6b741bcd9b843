//! Durations: kept in whole nanoseconds, read and written the way people write them.

use std::fmt;
use std::ops::{Add, AddAssign, Neg, Sub, SubAssign};
use std::str::FromStr;
use std::time::Duration;

/// A duration in whole nanoseconds, signed: about ±292 years.
///
/// Written as numbers with units, largest first: `90s`, `1m32.4s`, `2h`, `250ms`, `-5ms`, `0s`. Units are `h`, `m`,
/// `s`, `ms`, `us`, `ns`; a number may have a fraction. Sums and differences are clamped to the range.
///
/// ```
/// use keblin_model::Time;
/// use std::time::Duration;
///
/// let best: Time = "1m32.4s".parse()?;
/// assert_eq!((best - Time::from(Duration::from_secs(90))).to_string(), "2.4s");
/// assert_eq!(Duration::try_from(best).ok(), Some(Duration::from_millis(92_400)));
/// # Ok::<(), keblin_model::time::TimeFault>(())
/// ```
#[derive(Clone, Copy, Default, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Time(i64);

crate::debug_as_display!(Time);

const NANOS_PER_SECOND: i64 = 1_000_000_000;

/// Units with their nanoseconds; longer spellings first, so that `ms` is not read as `m`.
const UNITS: [(&str, i64); 6] = [
    ("ms", 1_000_000),
    ("us", 1_000),
    ("ns", 1),
    ("h", 3600 * NANOS_PER_SECOND),
    ("m", 60 * NANOS_PER_SECOND),
    ("s", NANOS_PER_SECOND),
];

impl Time {
    /// Zero.
    pub const ZERO: Time = Time(0);

    /// Returns a time from whole nanoseconds.
    #[must_use]
    pub const fn from_nanos(nanos: i64) -> Time {
        Time(nanos)
    }

    /// Returns a time from whole milliseconds, clamped to the range.
    #[must_use]
    pub const fn from_millis(millis: i64) -> Time {
        Time(millis.saturating_mul(1_000_000))
    }

    /// Returns the time in whole nanoseconds.
    #[must_use]
    pub const fn as_nanos(self) -> i64 {
        self.0
    }

    /// Returns the time in whole milliseconds, rounded towards zero.
    #[must_use]
    pub const fn as_millis(self) -> i64 {
        self.0 / 1_000_000
    }

    /// Returns the sum, clamped to the range.
    #[must_use]
    pub const fn saturating_add(self, other: Time) -> Time {
        Time(self.0.saturating_add(other.0))
    }
}

impl Add for Time {
    type Output = Time;

    fn add(self, other: Time) -> Time {
        self.saturating_add(other)
    }
}

impl Sub for Time {
    type Output = Time;

    fn sub(self, other: Time) -> Time {
        Time(self.0.saturating_sub(other.0))
    }
}

impl Neg for Time {
    type Output = Time;

    fn neg(self) -> Time {
        Time(self.0.saturating_neg())
    }
}

impl AddAssign for Time {
    fn add_assign(&mut self, other: Time) {
        *self = *self + other;
    }
}

impl SubAssign for Time {
    fn sub_assign(&mut self, other: Time) {
        *self = *self - other;
    }
}

/// Returns an error for a negative time, because a `Duration` cannot be negative.
impl TryFrom<Time> for Duration {
    type Error = std::num::TryFromIntError;

    fn try_from(time: Time) -> Result<Duration, std::num::TryFromIntError> {
        u64::try_from(time.0).map(Duration::from_nanos)
    }
}

/// Clamps to the longest time.
impl From<Duration> for Time {
    fn from(duration: Duration) -> Time {
        Time(i64::try_from(duration.as_nanos()).unwrap_or(i64::MAX))
    }
}

impl fmt::Display for Time {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let nanos = self.0.unsigned_abs();
        let second = NANOS_PER_SECOND.unsigned_abs();
        let mut text = String::from(if self.0 < 0 { "-" } else { "" });
        if nanos != 0 && nanos < second {
            let (unit, size) = match nanos {
                n if n >= 1_000_000 => ("ms", 1_000_000),
                n if n >= 1_000 => ("us", 1_000),
                _ => ("ns", 1),
            };
            text += &decimal(nanos / size, nanos % size, size);
            text += unit;
            return f.pad(&text);
        }
        let (hours, minutes) = (nanos / (3600 * second), nanos / (60 * second) % 60);
        let (seconds, rest) = (nanos / second % 60, nanos % second);
        if hours > 0 {
            text += &format!("{hours}h");
        }
        if minutes > 0 {
            text += &format!("{minutes}m");
        }
        if seconds > 0 || rest > 0 || nanos == 0 {
            text += &decimal(seconds, rest, second);
            text += "s";
        }
        f.pad(&text)
    }
}

/// Returns `whole` and `rest` of a unit of `size` smaller ones as a decimal number without trailing zeros.
fn decimal(whole: u64, rest: u64, size: u64) -> String {
    if rest == 0 {
        return whole.to_string();
    }
    let digits = size.to_string().len() - 1;
    format!("{whole}.{rest:0digits$}").trim_end_matches('0').to_string()
}

/// Why a text is not a time.
#[derive(Clone, PartialEq, Eq)]
pub struct TimeFault(String);

crate::debug_as_display!(TimeFault);

impl fmt::Display for TimeFault {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "expected a time such as 90s, 1m32.4s or 250ms, but found {}", self.0)
    }
}

impl std::error::Error for TimeFault {}

impl FromStr for Time {
    type Err = TimeFault;

    fn from_str(text: &str) -> Result<Time, TimeFault> {
        let fault = || TimeFault(format!("{text:?}"));
        let (negative, mut rest) = match text.strip_prefix('-') {
            Some(rest) => (true, rest),
            None => (false, text),
        };
        if rest.is_empty() {
            return Err(fault());
        }
        let mut total: i128 = 0;
        while !rest.is_empty() {
            let digits = rest.find(|c: char| !c.is_ascii_digit() && c != '.').ok_or_else(fault)?;
            let (number, behind) = rest.split_at(digits);
            let (size, behind) = UNITS
                .iter()
                .find_map(|(unit, size)| behind.strip_prefix(unit).map(|behind| (*size, behind)))
                .ok_or_else(fault)?;
            total = total.checked_add(scaled(number, size).ok_or_else(fault)?).ok_or_else(fault)?;
            rest = behind;
        }
        let signed = if negative { -total } else { total };
        i64::try_from(signed).map(Time).map_err(|_| TimeFault(format!("{text:?}, which is too long")))
    }
}

/// Returns a decimal number times a unit, in nanoseconds; `None` if it is not a number or finer than a nanosecond.
fn scaled(number: &str, size: i64) -> Option<i128> {
    let (whole, fraction) = number.split_once('.').unwrap_or((number, ""));
    if fraction.len() > 12 || (number.contains('.') && fraction.is_empty()) {
        return None;
    }
    let ten_to = 10_i128.checked_pow(u32::try_from(fraction.len()).ok()?)?;
    let digits: i128 = format!("{whole}{fraction}").parse().ok()?;
    let scaled = digits.checked_mul(i128::from(size))?;
    (!whole.is_empty() && scaled % ten_to == 0).then(|| scaled / ten_to)
}
