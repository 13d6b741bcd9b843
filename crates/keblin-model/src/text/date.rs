//! Calendar days and instants. They are given by the game and never read from a clock here.

use std::fmt;
use std::str::FromStr;
use std::time::{Duration, SystemTime, UNIX_EPOCH};

use toml_datetime::{Datetime, Offset};

use super::calendar;

/// A calendar day, from the year 1 to 9999, without a time of day or a time zone: for streaks, daily challenges and the
/// dates of records. The game says which day it is for the player.
///
/// Written as in RFC 3339: `2026-11-29`.
///
/// ```
/// use keblin_model::Date;
///
/// let monday = Date::new(2026, 11, 30).unwrap();
/// let before: Date = "2026-11-29".parse()?;
/// assert_eq!(monday.days_since(before), 1);
/// assert_eq!(monday.plus_days(2).unwrap().to_string(), "2026-12-02");
/// # Ok::<(), keblin_model::date::DateFault>(())
/// ```
#[derive(Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Date(i32);

/// A point in time, the same everywhere, in whole milliseconds: from the year 1 to 9999. The game gives it, such as
/// `SystemTime::now().into()`; it is not a [`std::time::Instant`], which means nothing after the program ends.
///
/// Written as in RFC 3339, in UTC: `2026-11-29T10:14:08Z`, `2026-11-29T10:14:08.25Z`. Any offset is read.
///
/// ```
/// use keblin_model::{Instant, Time};
///
/// let start: Instant = "2026-11-29T11:14:08+01:00".parse()?;
/// assert_eq!(start.to_string(), "2026-11-29T10:14:08Z");
/// let end = start.plus(Time::from_millis(1500)).unwrap();
/// assert_eq!(end.since(start), Time::from_millis(1500));
/// # Ok::<(), keblin_model::date::DateFault>(())
/// ```
#[derive(Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Instant(i64);

/// A text that is not a day or an instant.
#[derive(Clone, PartialEq, Eq)]
#[non_exhaustive]
pub struct DateFault {
    /// The text.
    pub found: String,
    /// What was expected.
    pub expected: &'static str,
}

crate::debug_as_display!(DateFault);

impl fmt::Display for DateFault {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "expected {}, but found `{}`", self.expected, self.found)
    }
}

impl std::error::Error for DateFault {}

const DAY: &str = "a day such as `2026-11-29`";
const INSTANT: &str = "an instant such as `2026-11-29T10:14:08Z`";

const MILLIS_PER_DAY: i64 = 86_400_000;

impl Date {
    /// 1970-01-01, from which days are counted.
    pub const EPOCH: Date = Date(0);

    /// Returns a day; `None` if the calendar does not have it.
    #[must_use]
    pub fn new(year: u16, month: u8, day: u8) -> Option<Date> {
        calendar::days_of(year, month, day).and_then(Date::from_days)
    }

    /// Returns the day a number of days after 1970-01-01; `None` outside the years 1 to 9999.
    #[must_use]
    pub fn from_days(days: i64) -> Option<Date> {
        calendar::day_at(days).and_then(|_| i32::try_from(days).ok()).map(Date)
    }

    fn calendar(self) -> (u16, u8, u8) {
        calendar::day_at(self.days()).unwrap_or((1970, 1, 1))
    }

    /// Returns the number of days after 1970-01-01, negative before it.
    #[must_use]
    pub fn days(self) -> i64 {
        self.0.into()
    }

    /// Returns how many days it is after another day, negative if it is before it.
    #[must_use]
    pub fn days_since(self, other: Date) -> i64 {
        self.days() - other.days()
    }

    /// Returns the day a number of days later; `None` outside the years 1 to 9999.
    #[must_use]
    pub fn plus_days(self, days: i64) -> Option<Date> {
        Date::from_days(self.days().checked_add(days)?)
    }

    /// Returns the year.
    #[must_use]
    pub fn year(self) -> u16 {
        self.calendar().0
    }

    /// Returns the month, from 1.
    #[must_use]
    pub fn month(self) -> u8 {
        self.calendar().1
    }

    /// Returns the day of the month, from 1.
    #[must_use]
    pub fn day(self) -> u8 {
        self.calendar().2
    }
}

impl fmt::Display for Date {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let (year, month, day) = self.calendar();
        f.pad(&format!("{year:04}-{month:02}-{day:02}"))
    }
}

impl fmt::Debug for Date {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        fmt::Display::fmt(self, f)
    }
}

impl FromStr for Date {
    type Err = DateFault;

    fn from_str(text: &str) -> Result<Date, DateFault> {
        let day = match text.parse() {
            Ok(Datetime { date: Some(date), time: None, offset: None }) => {
                Date::new(date.year, date.month, date.day)
            }
            _ => None,
        };
        day.ok_or_else(|| DateFault { found: text.to_string(), expected: DAY })
    }
}

impl Instant {
    /// The start of 1970, from which milliseconds are counted.
    pub const EPOCH: Instant = Instant(0);

    /// Returns the instant a number of milliseconds after the start of 1970; `None` outside the years 1 to 9999.
    #[must_use]
    pub fn from_unix_ms(millis: i64) -> Option<Instant> {
        Date::from_days(millis.div_euclid(MILLIS_PER_DAY)).map(|_| Instant(millis))
    }

    /// Returns the number of milliseconds after the start of 1970, negative before it.
    #[must_use]
    pub fn unix_ms(self) -> i64 {
        self.0
    }

    /// Returns how long it is after another instant, negative if it is before it. Clamped to the range.
    #[must_use]
    pub fn since(self, other: Instant) -> super::time::Time {
        super::time::Time::from_millis(self.0 - other.0)
    }

    /// Returns the instant a time later, in whole milliseconds; `None` outside the years 1 to 9999.
    #[must_use]
    pub fn plus(self, time: super::time::Time) -> Option<Instant> {
        Instant::from_unix_ms(self.0.checked_add(time.as_nanos() / 1_000_000)?)
    }

    /// Returns its day in UTC. For the player's own day the game asks the platform.
    #[must_use]
    pub fn date(self) -> Date {
        Date::from_days(self.0.div_euclid(MILLIS_PER_DAY)).unwrap_or(Date::EPOCH)
    }
}

/// Rounded down to whole milliseconds, and clamped to the years 1 to 9999.
impl From<SystemTime> for Instant {
    fn from(time: SystemTime) -> Instant {
        let millis = |time: Duration| i64::try_from(time.as_millis()).unwrap_or(i64::MAX);
        let since = match time.duration_since(UNIX_EPOCH) {
            Ok(after) => millis(after),
            Err(before) => -millis(before.duration() + Duration::from_nanos(999_999)),
        };
        let [first, last] = [Date::new(1, 1, 1), Date::new(9999, 12, 31)]
            .map(|day| day.map_or(0, Date::days) * MILLIS_PER_DAY);
        Instant(since.clamp(first, last + MILLIS_PER_DAY - 1))
    }
}

impl fmt::Display for Instant {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let of_day = self.0.rem_euclid(MILLIS_PER_DAY);
        let (seconds, millis) = (of_day / 1000, of_day % 1000);
        let time = format!("{:02}:{:02}:{:02}", seconds / 3600, seconds / 60 % 60, seconds % 60);
        let fraction = if millis == 0 { String::new() } else { format!(".{millis:03}") };
        f.pad(&format!("{}T{time}{}Z", self.date(), fraction.trim_end_matches('0')))
    }
}

impl fmt::Debug for Instant {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        fmt::Display::fmt(self, f)
    }
}

/// Digits beyond milliseconds are dropped.
impl FromStr for Instant {
    type Err = DateFault;

    fn from_str(text: &str) -> Result<Instant, DateFault> {
        let instant = match text.parse() {
            Ok(Datetime { date: Some(date), time: Some(time), offset: Some(offset) }) => {
                let minutes_ahead =
                    if let Offset::Custom { minutes } = offset { i64::from(minutes) } else { 0 };
                let minutes = i64::from(time.hour) * 60 + i64::from(time.minute) - minutes_ahead;
                let seconds = minutes * 60 + i64::from(time.second.unwrap_or(0));
                let of_day = seconds * 1000 + i64::from(time.nanosecond.unwrap_or(0) / 1_000_000);
                let day = Date::new(date.year, date.month, date.day);
                day.and_then(|day| Instant::from_unix_ms(day.days() * MILLIS_PER_DAY + of_day))
            }
            _ => None,
        };
        instant.ok_or_else(|| DateFault { found: text.to_string(), expected: INSTANT })
    }
}
