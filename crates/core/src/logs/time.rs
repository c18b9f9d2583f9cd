//! When a log line was written, as far as its beginning tells: dates and times of day in the notations that logs use.

use std::sync::LazyLock;

use regex::{Captures, Regex};

/// Bytes of a line in which its time is looked for.
const WITHIN: usize = 64;
const DAY: f64 = 86_400.0;
const MONTHS: [&str; 12] = ["jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec"];

/// The notations, the most telling first. A day before a month, where a month before a day could be meant too.
static NOTATIONS: LazyLock<Vec<Regex>> = LazyLock::new(|| {
    let time = r"(?<h>\d{1,2}):(?<mi>\d{2})(?::(?<s>\d{2})(?:[.,:](?<f>\d{1,9}))?)?";
    let notations = [
        format!(r"(?<y>\d{{4}})[-/.](?<mo>\d{{1,2}})[-/.](?<d>\d{{1,2}})[T _-]+{time}"),
        format!(r"\b(?<d>\d{{1,2}})[./-](?<mo>\d{{1,2}})[./-](?<y>\d{{4}}),?[T _-]+{time}"),
        format!(r"\b(?<d>\d{{1,2}})[ -]?(?<mon>[A-Za-z]{{3}})[ -]?(?<y>\d{{4}})[T _:-]+{time}"),
        format!(r"\b(?<mon>[A-Za-z]{{3}})[ -](?<d>\d{{1,2}}),?[ -]+(?:(?<y>\d{{4}})[ ,]+)?{time}"),
        format!(r"(?:^|[^\d:.]){time}(?:[^\d]|$)"),
        r"^\[?(?<h>[01]\d|2[0-3])(?<mi>[0-5]\d)(?<s>[0-5]\d)[\] ]".to_owned(),
        r"^\[?(?<h>[01]?\d|2[0-3])h(?<mi>[0-5]\d)(?:m?(?<s>[0-5]\d)s?)?[\] ]".to_owned(),
        r"^\[? *(?<up>\d{1,7}\.\d{1,6})[\] ]".to_owned(),
    ];
    notations.iter().map(|text| Regex::new(text).expect("a pattern that is written here")).collect()
});

/// When a line was written.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct LogTime {
    /// Days since 1970, where a date is told.
    pub day: Option<i64>,
    /// Seconds since midnight; since the start of the program, where only that is told.
    pub second: f64,
}

impl LogTime {
    /// Reads the time at the beginning of a line.
    pub fn of(line: &str) -> Option<Self> {
        let mut end = line.len().min(WITHIN);
        while !line.is_char_boundary(end) {
            end -= 1;
        }
        NOTATIONS.iter().find_map(|notation| read(&notation.captures(&line[..end])?))
    }

    /// A moment that somebody typed: a date, a date and a time, or a time of day.
    pub fn typed(text: &str) -> Option<Self> {
        let text = text.trim();
        let is_time = |text: &str| text.chars().next().is_some_and(|first| first.is_ascii_digit());
        let whole_day = || Self::of(&format!("{text} 00:00:00")).filter(|stamp| stamp.day.is_some());
        if is_time(text) { Self::of(text).or_else(whole_day) } else { None }
    }

    /// Seconds from another time to this one. Times without a date are taken as of one day, or past one midnight.
    pub fn seconds_since(self, earlier: Self) -> f64 {
        let seconds = self.second - earlier.second;
        match (earlier.day, self.day) {
            (Some(from), Some(to)) => seconds + (to - from) as f64 * DAY,
            _ if seconds < -DAY / 2.0 => seconds + DAY,
            _ => seconds,
        }
    }

    /// Whether it is not before another one, by the date where both tell it.
    pub fn is_from(self, earliest: Self) -> bool {
        match (self.day, earliest.day) {
            (Some(own), Some(wanted)) if own != wanted => own > wanted,
            _ => self.second >= earliest.second,
        }
    }

    /// The date, where one is told: 2026-11-27.
    pub fn date(self) -> Option<String> {
        let days = i32::try_from(self.day?).ok()?;
        let date = jiff::civil::date(1970, 1, 1).checked_add(jiff::Span::new().try_days(days).ok()?).ok()?;
        Some(date.to_string())
    }

    /// The time of day, to the second.
    pub fn clock(self) -> String {
        let second = self.second.max(0.0) as u64;
        format!("{:02}:{:02}:{:02}", second / 3600, second / 60 % 60, second % 60)
    }
}

fn read(found: &Captures<'_>) -> Option<LogTime> {
    let number = |name: &str| found.name(name).and_then(|group| group.as_str().parse::<i64>().ok());
    if let Some(up) = found.name("up") {
        return Some(LogTime { day: None, second: up.as_str().parse().ok()? });
    }
    let (hour, minute, second) = (number("h")?, number("mi")?, number("s").unwrap_or(0));
    let fraction = found.name("f").and_then(|part| format!("0.{}", part.as_str()).parse::<f64>().ok()).unwrap_or(0.0);
    if hour > 24 || minute > 59 || second > 60 {
        return None;
    }
    let month = match found.name("mon") {
        Some(word) => {
            let word = word.as_str().to_lowercase();
            Some(i64::try_from(MONTHS.iter().position(|month| *month == word)?).ok()? + 1)
        }
        None => number("mo"),
    };
    let (day_of_month, year) = (number("d"), number("y"));
    let day = match (year, month, day_of_month) {
        // Only a month before the day can be meant.
        (Some(year), Some(month), Some(day)) if month > 12 && day <= 12 => Some(days(year, day, month)),
        (Some(year), Some(month), Some(day)) if (1..=12).contains(&month) && (1..=31).contains(&day) => {
            Some(days(year, month, day))
        }
        (None, ..) => None,
        _ => return None,
    };
    Some(LogTime { day, second: (hour * 3600 + minute * 60 + second) as f64 + fraction })
}

/// Days since 1970 of a date of the Gregorian calendar (Hinnant, "chrono-Compatible Low-Level Date Algorithms").
fn days(year: i64, month: i64, day: i64) -> i64 {
    let year = if month <= 2 { year - 1 } else { year };
    let era = year.div_euclid(400);
    let of_era = year - era * 400;
    let of_year = (153 * ((month + 9) % 12) + 2) / 5 + day - 1;
    era * 146_097 + of_era * 365 + of_era / 4 - of_era / 100 + of_year - 719_468
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("06:12:01 gate: open", None, 22_321.0)]
    #[case("[06:12:01.250] [main/INFO] open", None, 22_321.25)]
    #[case("2026-11-27T06:12:01Z open", Some(20_784), 22_321.0)]
    #[case("[2026-11-27 06:12:01,5] open", Some(20_784), 22_321.5)]
    #[case("27.11.2026 06:12 open", Some(20_784), 22_320.0)]
    #[case("11/27/2026 06:12:01 open", Some(20_784), 22_321.0)]
    #[case("[27Nov2026 06:12:01.250] open", Some(20_784), 22_321.25)]
    #[case("Nov 27 06:12:01 host open", None, 22_321.0)]
    #[case("   12.345 open", None, 12.345)]
    fn times_of_logs(#[case] line: &str, #[case] day: Option<i64>, #[case] second: f64) {
        assert_eq!(LogTime::of(line), Some(LogTime { day, second }));
    }

    #[test]
    fn what_is_no_time_is_none() {
        for line in ["open on port 4100", "v1.20.3 loaded", "27:99:00 x", "", "ratio 3:4", "ü".repeat(50).as_str()] {
            assert_eq!(LogTime::of(line), None, "{line}");
        }
    }

    #[test]
    fn times_are_told_apart() {
        let of = |text: &str| LogTime::typed(text).expect("a time");
        assert_eq!(of("00:00:10").seconds_since(of("23:59:50")), 20.0);
        assert_eq!(of("2026-03-01 00:00").seconds_since(of("2026-02-28 23:59:00")), 60.0);
        assert!(of("2026-11-28 01:00").is_from(of("2026-11-27 23:00")) && !of("09:00").is_from(of("10:00")));
        assert!(of("2026-11-28 01:00").is_from(of("2026-11-28")));
        assert_eq!(of("9:05").clock(), "09:05:00");
    }
}
