//! The calendar: which day a number of days is. Its own few lines, because a crate for it costs every game five crates.

/// From the first day of a year that divides by 400 to the next such day.
const DAYS_OF_400_YEARS: i64 = 146_097;
/// From 0000-03-01 to 1970-01-01.
const BEFORE_1970: i64 = 719_468;

/// Returns the number of days after 1970-01-01; `None` if the calendar does not have the day, or outside the years 1 to
/// 9999.
pub(super) fn days_of(year: u16, month: u8, day: u8) -> Option<i64> {
    if !(1..=9999).contains(&year) || !(1..=12).contains(&month) || !(1..=days_in(year, month)).contains(&day)
    {
        return None;
    }
    // Years that begin in March, so that the leap day is the last of a year.
    let before_march = month <= 2;
    let year = i64::from(year) - i64::from(before_march);
    let month = i64::from(month) + if before_march { 9 } else { -3 };
    let (era, of_era) = (year.div_euclid(400), year.rem_euclid(400));
    let of_year = days_before(month) + i64::from(day) - 1;
    Some(era * DAYS_OF_400_YEARS + days_before_year(of_era) + of_year - BEFORE_1970)
}

/// Returns year, month and day; `None` outside the years 1 to 9999.
pub(super) fn day_at(days: i64) -> Option<(u16, u8, u8)> {
    let days = days.checked_add(BEFORE_1970)?;
    let (era, of_era) = (days.div_euclid(DAYS_OF_400_YEARS), days.rem_euclid(DAYS_OF_400_YEARS));
    // A guess that is right, or a year late in the last day of a leap year.
    let mut year = (of_era - of_era / 1460 + of_era / 36_524 - of_era / 146_096) / 365;
    if days_before_year(year) > of_era {
        year -= 1;
    }
    let of_year = of_era - days_before_year(year);
    let month = (5 * of_year + 2) / 153;
    let day = of_year - days_before(month) + 1;
    let before_march = month >= 10;
    let year = u16::try_from(era * 400 + year + i64::from(before_march)).ok()?;
    let month = u8::try_from(if before_march { month - 9 } else { month + 3 }).ok()?;
    (1..=9999).contains(&year).then_some((year, month, u8::try_from(day).ok()?))
}

/// Returns the days before a month, counted from March as 0: the months have 31, 30, 31, 30, 31 days again and again.
fn days_before(month: i64) -> i64 {
    (153 * month + 2) / 5
}

/// Returns the days before a year of 400.
fn days_before_year(year: i64) -> i64 {
    365 * year + year / 4 - year / 100
}

fn days_in(year: u16, month: u8) -> u8 {
    let leap = year.is_multiple_of(4) && (!year.is_multiple_of(100) || year.is_multiple_of(400));
    match month {
        2 if leap => 29,
        2 => 28,
        4 | 6 | 9 | 11 => 30,
        _ => 31,
    }
}
