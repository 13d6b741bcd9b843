//! Calendar days and instants.

use std::time::{Duration, UNIX_EPOCH};

use keblin_schema::{Date, Instant, Model, Time};
use proptest::prelude::*;

use crate::long::tries;

#[test]
fn a_day_of_the_calendar_is_the_day_of_another_calendar() {
    // A step that meets every day of the month, of the week and of the leap years, or every single day.
    let step = tries(11, 1);
    const EPOCH: i32 = 2_440_588;
    let mut day = Date::new(1, 1, 1).unwrap();
    let last = Date::new(9999, 12, 31).unwrap();
    loop {
        let theirs = time::Date::from_julian_day(EPOCH + i32::try_from(day.days()).unwrap()).unwrap();
        let (year, month, of_month) = theirs.to_calendar_date();
        let ours = (i32::from(day.year()), day.month(), day.day());
        assert_eq!(ours, (year, u8::from(month), of_month), "{} days", day.days());
        assert_eq!(Date::new(day.year(), day.month(), day.day()), Some(day));
        if day == last {
            break;
        }
        day = day.plus_days(step).unwrap_or(last);
    }
    for days in [-719_163, 2_932_897, i64::MIN, i64::MAX] {
        assert_eq!(Date::from_days(days), None, "{days}");
    }
}

#[test]
fn a_day_is_read_and_shown_as_in_the_standard() {
    for (text, days) in [
        ("1970-01-01", 0),
        ("1969-12-31", -1),
        ("2000-02-29", 11_016),
        ("2026-11-29", 20_786),
        ("0001-01-01", -719_162),
        ("9999-12-31", 2_932_896),
    ] {
        let day: Date = text.parse().unwrap();
        assert_eq!((day.days(), day.to_string().as_str()), (days, text));
        assert_eq!(Date::from_days(days), Some(day));
    }
    for text in [
        "2026-02-30",
        "1900-02-29",
        "26-11-29",
        "2026-11-29T00:00:00Z",
        "2026-13-01",
        "0000-01-01",
        "",
        "11/29/2026",
    ] {
        let told = text.parse::<Date>().unwrap_err().to_string();
        assert_eq!(told, format!("expected a day such as `2026-11-29`, but found `{text}`"));
    }
    assert_eq!(Date::new(2026, 2, 29), None);
    assert_eq!(Date::new(2028, 2, 28).and_then(|day| day.plus_days(1)), Date::new(2028, 2, 29));
    assert_eq!(Date::new(9999, 12, 31).and_then(|day| day.plus_days(1)), None);
}

#[test]
fn an_instant_is_shown_in_utc_and_read_with_any_offset() {
    for (text, shown) in [
        ("2026-11-29T10:14:08Z", "2026-11-29T10:14:08Z"),
        ("2026-11-29T11:14:08+01:00", "2026-11-29T10:14:08Z"),
        ("2026-11-29t10:14:08.2509999z", "2026-11-29T10:14:08.25Z"),
        ("1969-12-31T23:59:59.999Z", "1969-12-31T23:59:59.999Z"),
    ] {
        assert_eq!(text.parse::<Instant>().unwrap().to_string(), shown);
    }
    for text in ["2026-11-29", "2026-11-29T10:14", "2026-11-29T25:00:00Z", "9999-12-31T23:59:59-01:00", "now"]
    {
        let told = text.parse::<Instant>().unwrap_err().to_string();
        assert_eq!(told, format!("expected an instant such as `2026-11-29T10:14:08Z`, but found `{text}`"));
    }
    let half = Instant::from(UNIX_EPOCH + Duration::from_millis(1500));
    assert_eq!((half.unix_ms(), half.date()), (1500, Date::EPOCH));
    let before = Instant::from(UNIX_EPOCH - Duration::from_micros(1500));
    assert_eq!((before.unix_ms(), before.date().to_string().as_str()), (-2, "1969-12-31"));
    assert_eq!(half.since(before), Time::from_millis(1502));
    assert_eq!(Instant::from_unix_ms(i64::MAX), None);
}

proptest! {
    #[test]
    fn every_day_and_instant_is_read_back_from_how_it_is_shown(days in -719_162_i64..=2_932_896, ms in 0_i64..86_400_000) {
        let day = Date::from_days(days).unwrap();
        prop_assert_eq!(day.to_string().parse::<Date>().unwrap(), day);
        prop_assert_eq!(Date::new(day.year(), day.month(), day.day()), Some(day));
        let instant = Instant::from_unix_ms(days * 86_400_000 + ms).unwrap();
        prop_assert_eq!(instant.to_string().parse::<Instant>().unwrap(), instant);
        prop_assert_eq!(instant.date(), day);
    }

    #[test]
    fn no_text_makes_them_panic(text in ".{0,40}") {
        let _ = (text.parse::<Date>(), text.parse::<Instant>());
    }
}

const CALENDAR: &str = r#"
    game = "calendar"
    version = 1
    [fields]
    today = { type = "date", scope = "device", default = 2026-11-29 }
    last = { type = "date", scope = "profile", default = "2026-11-28" }
    never = { type = "date", scope = "profile" }
    now = { type = "instant", scope = "device", default = 2026-11-29T10:00:00Z }
    began = { type = "instant", scope = "profile", default = "2026-11-28T22:00:00.5Z" }
    days = { type = "list", of = "date", max_items = 3, scope = "profile", default = ["2026-11-01"] }
"#;

fn model() -> Model {
    match keblin_schema::parse("progress.toml", CALENDAR) {
        Ok(parsed) => Model::clone(&parsed.declaration),
        Err(findings) => panic!("{findings}"),
    }
}

/// All values at their defaults.
struct First(Model);

impl keblin_schema::condition::Facts for First {
    fn cell(&self, cell: usize) -> &keblin_schema::Value {
        &self.0.cell_owner(cell).unwrap().0.default
    }
    fn fact(&self, _: usize, _: keblin_schema::program::Fact) -> i64 {
        0
    }
    fn word(&self, _: keblin_schema::condition::Word) -> Option<&str> {
        None
    }
    fn unlocked(&self, _: usize) -> bool {
        false
    }
    fn played_nanos(&self) -> i64 {
        0
    }
}

#[test]
fn rules_say_how_far_apart_they_are() {
    let first = First(model());
    for (source, value) in [
        ("today - last", "1"),
        ("last - today", "-1"),
        ("today + 3", "2026-12-02"),
        ("today - 29", "2026-10-31"),
        ("today - date('2026-01-01')", "332"),
        ("now - began", "11h59m59.5s"),
        ("began + duration('90m')", "2026-11-28T23:30:00.5Z"),
        ("now - duration('1ms')", "2026-11-29T09:59:59.999Z"),
        ("today > last && now > began", "true"),
        ("today == date('2026-11-29')", "true"),
        ("now < timestamp('2026-11-29T11:00:00+01:00')", "false"),
        ("greatest(today, last)", "2026-11-29"),
        ("date('2026-11-01') in days", "true"),
        ("never == null", "true"),
        ("never != null && today - never < 2", "false"),
        ("now - began < duration('12h')", "true"),
    ] {
        let (program, kind) = keblin_schema::condition::compile_any(&first.0, source)
            .unwrap_or_else(|error| panic!("{source}: {error:?}"));
        let found = program.outcome(&first, 0, kind).map_or("error".to_string(), |value| value.to_string());
        assert_eq!(found, value, "{source}");
    }
    for (source, expected) in [
        ("today + last", "expected a whole number of days, but found a day"),
        ("today - now", "expected a day or a whole number of days, but found an instant"),
        ("now + 1", "expected a time, but found a whole number"),
        ("3 - today", "expected a number or a time, but found a day"),
        ("-today", "expected a number or a time, but found a day"),
        ("today * 2", "expected a number or a time, but found a day"),
        ("date('2026-11-31')", "expected a day such as `2026-11-29`, but found `2026-11-31`"),
        ("timestamp(now)", "expected a literal text such as '2026-11-29T10:14:08Z'"),
        ("dat('2026-11-29') == today", "did you mean `date`?"),
    ] {
        let error = keblin_schema::condition::compile_any(&first.0, source).map(|_| ()).unwrap_err();
        let told = format!("{} {}", error.message, error.instead.unwrap_or_default());
        assert!(told.contains(expected), "{source}: {told}");
    }
}

#[test]
fn a_mistake_in_a_declared_day_has_its_place() {
    let told = |from: &str, to: &str| {
        keblin_schema::parse("progress.toml", &CALENDAR.replacen(from, to, 1))
            .map(|_| ())
            .unwrap_err()
            .to_string()
    };
    let found = told("2026-11-28\"", "2026-11-31\"");
    assert!(found.contains("progress.toml:6:58: error: expected a day such as `2026-11-29`"), "{found}");
    let found = told("default = 2026-11-29T10:00:00Z", "default = 2026-11-29");
    assert!(found.contains("expected an instant such as"), "{found}");
    let found = told("scope = \"profile\" }", "scope = \"profile\", keep = \"sum\" }");
    assert!(found.contains("a date cannot be summed up"), "{found}");
    assert_eq!(model().field_named("never").unwrap().1.default, keblin_schema::Value::Unset);
}
