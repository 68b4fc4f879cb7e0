//! Times of logs, in seconds since 1970.

use jiff::Timestamp;
use jiff::civil::DateTime;
use jiff::tz::TimeZone;

/// RFC 3339, or a date.
pub(crate) fn rfc3339(text: &str) -> Option<i64> {
    plain(text.as_bytes()).or_else(|| pasaporte_read::estate::parse_moment(text).map(Timestamp::as_second))
}

/// The commonest form, `2026-11-20T06:00:00Z` with or without a fraction; anything else is left to a real parser.
fn plain(text: &[u8]) -> Option<i64> {
    let (text, zulu) = text.split_first_chunk::<19>()?;
    let is_plain = match zulu {
        [b'Z'] => true,
        [b'.', fraction @ .., b'Z'] => !fraction.is_empty() && fraction.iter().all(u8::is_ascii_digit),
        _ => false,
    };
    if !is_plain
        || text[4] != b'-'
        || text[7] != b'-'
        || text[10] != b'T'
        || text[13] != b':'
        || text[16] != b':'
    {
        return None;
    }
    let digit = |place: usize| text[place].wrapping_sub(b'0');
    let digits = [0, 1, 2, 3, 5, 6, 8, 9, 11, 12, 14, 15, 17, 18].map(digit);
    if digits.into_iter().any(|digit| digit > 9) {
        return None;
    }
    let pair = |place: usize| i64::from(digits[place]) * 10 + i64::from(digits[place + 1]);
    let (year, month, day) = (pair(0) * 100 + pair(2), pair(4), pair(6));
    let (hour, minute, second) = (pair(8), pair(10), pair(12));
    // The rest, leap seconds and days that are not there among it, is for the parser to judge.
    if !(1970..=2400).contains(&year) || !(1..=12).contains(&month) || !(1..=28).contains(&day) {
        return None;
    }
    if hour > 23 || minute > 59 || second > 59 {
        return None;
    }
    // Days from the civil calendar, months counted from March.
    let (year, month) = if month <= 2 { (year - 1, month + 9) } else { (year, month - 3) };
    let era = year / 400;
    let of_era = year % 400;
    let of_year = (153 * month + 2) / 5 + day - 1;
    let days = era * 146_097 + of_era * 365 + of_era / 4 - of_era / 100 + of_year - 719_468;
    Some(days * 86_400 + hour * 3_600 + minute * 60 + second)
}

/// As access logs have it: `20/Nov/2026:06:00:00 +0100`.
pub(crate) fn common(text: &str) -> Option<i64> {
    const MONTHS: [&str; 12] =
        ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"];
    let (date, rest) = text.split_once(':')?;
    let mut date = date.split('/');
    let (day, month, year) = (date.next()?.parse().ok()?, date.next()?, date.next()?.parse().ok()?);
    let month = MONTHS.iter().position(|name| *name == month)? as i8 + 1;
    let (clock, offset) = rest.split_once(' ')?;
    let mut clock = clock.split(':');
    let mut next = || clock.next()?.parse::<i8>().ok();
    let (hour, minute, second) = (next()?, next()?, next()?);
    let (sign, digits) = match offset.as_bytes() {
        [b'+', digits @ ..] => (1, digits),
        [b'-', digits @ ..] => (-1, digits),
        _ => return None,
    };
    let [a, b, c, d] = digits else { return None };
    let digit = |it: &u8| it.is_ascii_digit().then(|| i64::from(it - b'0'));
    let minutes = (digit(a)? * 10 + digit(b)?) * 60 + digit(c)? * 10 + digit(d)?;
    // A leap second is the one before it.
    let local = DateTime::new(year, month, day, hour, minute, second.min(59), 0).ok()?;
    let utc = TimeZone::UTC.to_timestamp(local).ok()?.as_second();
    Some(utc - sign * minutes * 60)
}

/// Nanoseconds, as OpenTelemetry has them.
pub(crate) fn nanoseconds(nanos: u64) -> Option<i64> {
    i64::try_from(nanos / 1_000_000_000).ok().filter(|seconds| *seconds > 0)
}

/// Milliseconds, as OCSF has them.
pub(crate) fn milliseconds(millis: i64) -> i64 {
    millis.div_euclid(1000)
}

/// The moment of so many seconds.
pub(crate) fn moment(seconds: i64) -> Option<Timestamp> {
    Timestamp::from_second(seconds).ok()
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;
    use rstest::rstest;

    use super::*;

    proptest! {
        #[test]
        fn the_quick_reader_agrees_with_the_real_one(seconds in 0_i64..13_000_000_000, fraction in 0_u32..1000) {
            let text = moment(seconds).unwrap().to_string();
            let with_fraction = text.replace('Z', &format!(".{fraction:03}Z"));
            prop_assert_eq!(rfc3339(&text), Some(seconds));
            prop_assert_eq!(rfc3339(&with_fraction), Some(seconds));
        }
    }

    #[rstest]
    #[case::zone("2026-11-20T07:00:00+01:00", Some(1_795_154_400))]
    #[case::leap("2016-12-31T23:59:60Z", Some(1_483_228_799))]
    #[case::date("2026-11-20", Some(1_795_132_800))]
    #[case::no_day("2026-02-30T00:00:00Z", None)]
    #[case::no_month("2026-13-01T00:00:00Z", None)]
    #[case::no_hour("2026-11-20T24:00:00Z", None)]
    #[case::words("yesterday", None)]
    #[case::empty("", None)]
    fn times(#[case] text: &str, #[case] seconds: Option<i64>) {
        assert_eq!(rfc3339(text), seconds);
    }

    #[rstest]
    #[case::east("20/Nov/2026:07:00:00 +0100", Some(1_795_154_400))]
    #[case::west("20/Nov/2026:00:30:00 -0530", Some(1_795_154_400))]
    #[case::leap("31/Dec/2016:23:59:60 +0000", Some(1_483_228_799))]
    #[case::no_month("20/Nox/2026:07:00:00 +0100", None)]
    #[case::no_offset("20/Nov/2026:07:00:00", None)]
    #[case::short("20/Nov", None)]
    #[case::odd_offset("20/Nov/2026:07:00:00 +01:00", None)]
    fn times_of_access_logs(#[case] text: &str, #[case] seconds: Option<i64>) {
        assert_eq!(common(text), seconds);
    }
}
