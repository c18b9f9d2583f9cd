use super::*;
use kanon_app::looks::KeptMemory;
use rstest::rstest;

const DAY: i64 = 86_400;

fn look(day: i64, starts: &[(Option<f64>, bool)]) -> HealthLook {
    let start = |(seconds, came_up): &(Option<f64>, bool)| KeptStart {
        day: Some("2026-11-27".to_owned()),
        at: Some("18:05:00".to_owned()),
        seconds: *seconds,
        came_up: *came_up,
    };
    HealthLook {
        at: 1_795_000_000 + day * DAY,
        starts: starts.iter().map(start).collect(),
        memory: Some(KeptMemory { most: (day + 1) as f64 * 1e9, percent: false }),
        out_of_memory: 0,
        lag_lines: 3,
        worst_lag: Some(1.5),
        crashes: 0,
        mods: Vec::new(),
        over_time: vec![("18:00".to_owned(), 1), ("19:00".to_owned(), 2)],
    }
}

/// The heights of the bars of a chart, in user units.
fn heights(drawing: &str) -> Vec<f64> {
    let number = |text: &str, name: &str| -> Option<f64> {
        text.split(&format!("{name}=\"")).nth(1)?.split('"').next()?.parse().ok()
    };
    drawing.split("<rect").skip(1).filter_map(|rect| number(rect, "height")).collect()
}

#[test]
fn a_start_that_never_came_up_is_seen_and_told() {
    let charts = of_health(&[look(0, &[(Some(40.0), true), (Some(20.0), true), (None, false)])]).expect("charts");
    let starts = &charts[0];
    assert!(starts.told.contains("3 starts, of which 1 never came up"), "{}", starts.told);
    let heights = heights(&starts.drawing);
    assert_eq!(heights.len(), 3);
    assert!(heights[2] > heights[0] && heights[0] > heights[1] * 1.8, "{heights:?}");
    assert!(starts.drawing.contains("var(--care)") && starts.drawing.contains("11-27 18:05"));
    assert_eq!(charts[1].told, "3 lines in all, at worst 1.5 s.");
}

#[test]
fn what_goes_on_over_days_is_a_course_and_one_day_is_none() {
    let one = of_health(&[look(0, &[(Some(40.0), true)])]).expect("charts");
    assert!(one.iter().all(|chart| !chart.title.contains("day by day")));
    let days: Vec<HealthLook> = (0..6).map(|day| look(day, &[(Some(40.0 + day as f64), true)])).collect();
    let several = of_health(&days).expect("charts");
    let titles: Vec<&str> = several.iter().map(|chart| chart.title.as_str()).collect();
    assert!(titles.iter().filter(|title| title.contains("day by day")).count() == 3, "{titles:?}");
    let memory = several.iter().find(|chart| chart.title.contains("memory")).expect("a chart of memory");
    assert_eq!(memory.drawing.matches("<circle").count(), 6);
    assert!(memory.told.starts_with("From 953.67 MiB to 5.59 GiB"), "{}", memory.told);
}

#[rstest]
#[case::a_script("<script>\"&")]
#[case::plain("Seconds")]
fn a_chart_takes_the_pages_colours_and_no_markup(#[case] title: &str) {
    let bar = |value: f64, is_bad: bool| Bar { label: "a".to_owned(), value, is_bad };
    let drawing = bars(title, "s", &[bar(1.0, false), bar(2.0, true)]).expect("drawn");
    assert!(drawing.starts_with("<svg class=\"chart\" role=\"img\"") && !drawing.contains("<script>"), "{drawing}");
    for own in ["#010101", "#020202", "#030303", "#040404"] {
        assert!(!drawing.contains(own), "{own} is no colour of the page: {drawing}");
    }
    assert!(bars(title, "s", &[]).is_ok() && course(title, "s", &[]).expect("nothing").is_empty());
}

#[rstest]
#[case(0.0, "s", "0 s")]
#[case(2.5, "s", "2.5 s")]
#[case(3.0, "", "3")]
#[case(1_073_741_824.0, "B", "1.00 GiB")]
fn scales_are_told_short(#[case] value: f64, #[case] unit: &str, #[case] told: &str) {
    assert_eq!(scale(value, unit), told);
}
