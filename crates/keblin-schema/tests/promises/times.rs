//! Times, as people write them.

use std::time::Duration;

use keblin_schema::{Name, Time};
use proptest::prelude::*;

#[test]
fn a_time_is_read_and_shown_as_people_write_it() {
    for (written, nanos, shown) in [
        ("0s", 0, "0s"),
        ("90s", 90_000_000_000, "1m30s"),
        ("92400ms", 92_400_000_000, "1m32.4s"),
        ("1m32.4s", 92_400_000_000, "1m32.4s"),
        ("2h", 7_200_000_000_000, "2h"),
        ("1h0.5s", 3_600_500_000_000, "1h0.5s"),
        ("-5ms", -5_000_000, "-5ms"),
        ("0.25ms", 250_000, "250us"),
        ("1500us", 1_500_000, "1.5ms"),
        ("7ns", 7, "7ns"),
        ("61s", 61_000_000_000, "1m1s"),
    ] {
        let time: Time = written.parse().unwrap();
        assert_eq!((time.as_nanos(), time.to_string().as_str()), (nanos, shown), "{written}");
    }
}

#[test]
fn what_is_no_time_is_refused_with_an_example() {
    for text in
        ["", "-", "s", "90", "1.s", ".5s", "1..5s", "90 s", "1x", "five seconds", "0.1ns", "s90", "--5s"]
    {
        let message = text.parse::<Time>().unwrap_err().to_string();
        assert_eq!(message, format!("expected a time such as 90s, 1m32.4s or 250ms, but found {text:?}"));
    }
    assert!("999999999h".parse::<Time>().unwrap_err().to_string().ends_with("which is too long"));
}

#[test]
fn times_add_subtract_and_are_durations() {
    let (long, short) = (Time::from_millis(1500), Time::from_millis(-400));
    assert_eq!([long + short, long - short, -short].map(Time::as_millis), [1100, 1900, 400]);
    let mut time = long;
    time += short;
    time -= long;
    assert_eq!(time, short);
    let (most, least) = (Time::from_nanos(i64::MAX), Time::from_nanos(i64::MIN));
    assert_eq!((most + long, least - long, -least), (most, least, most));
    assert_eq!(Duration::try_from(long), Ok(Duration::from_millis(1500)));
    assert!(Duration::try_from(short).is_err());
    assert_eq!("reedgate".parse::<Name>().unwrap().as_str(), "reedgate");
    assert!("Reed Gate".parse::<Name>().is_err());
}

proptest! {
    #[test]
    fn every_time_is_read_back_from_how_it_is_shown(nanos: i64) {
        let time = Time::from_nanos(nanos);
        prop_assert_eq!(time.to_string().parse(), Ok(time));
    }

    #[test]
    fn no_text_makes_the_parser_panic(text in "[-0-9.hmsun]{0,40}") {
        let _ = text.parse::<Time>();
    }
}
