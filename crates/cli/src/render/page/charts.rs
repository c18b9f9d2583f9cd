//! Charts as SVG that takes the colours of the page around it.

use kanon_app::looks::{HealthLook, KeptStart};
use kanon_app::overview::{Overview, RehearsalRow};
use plotters::coord::Shift;
use plotters::coord::types::RangedCoordf64;
use plotters::prelude::*;

use crate::env::time_of_day;
use crate::failure::Failure;
use crate::render::{self, escaped};

/// The size of a chart, in user units.
const SIZE: (u32, u32) = (560, 210);
/// So many seconds are many days.
const LONG: f64 = 3.0 * 86_400.0;
/// Colours that the page's own take the place of.
const INK: RGBColor = RGBColor(1, 1, 1);
const MARK: RGBColor = RGBColor(2, 2, 2);
const CARE: RGBColor = RGBColor(3, 3, 3);
const LINE: RGBColor = RGBColor(4, 4, 4);
const SWAPS: [(&str, &str); 4] =
    [("#010101", "var(--soft)"), ("#020202", "var(--mark)"), ("#030303", "var(--care)"), ("#040404", "var(--line)")];

/// A chart and what it tells, for those who don't see it.
pub struct Chart {
    /// What it is of.
    pub title: String,
    /// As SVG.
    pub drawing: String,
    /// The same in a sentence.
    pub told: String,
}

/// One bar.
struct Bar {
    label: String,
    value: f64,
    /// Whether it is drawn as trouble.
    is_bad: bool,
}

fn failed(error: impl std::fmt::Display) -> Failure {
    Failure::plain(format!("a chart could not be drawn: {error}"))
}

/// A chart that is being drawn.
type Drawn<'a, 'b> = ChartContext<'a, SVGBackend<'b>, Cartesian2d<RangedCoordf64, RangedCoordf64>>;

/// What stands at the axes of a chart.
struct Axes<'x> {
    /// From where to where, from left to right, and from below to above.
    x: std::ops::Range<f64>,
    y: std::ops::Range<f64>,
    /// How many words below it at most, and how they are found; as many at its left, where there is a scale.
    words: (usize, &'x dyn Fn(&f64) -> String),
    unit: Option<&'x str>,
    /// The room at the left, in user units.
    left: u32,
}

/// Draws axes, and then what a chart is of.
fn charted(
    size: (u32, u32),
    axes: &Axes<'_>,
    series: impl FnOnce(&mut Drawn<'_, '_>, &DrawingArea<SVGBackend<'_>, Shift>) -> Result<(), Failure>,
) -> Result<String, Failure> {
    let mut drawn = String::new();
    {
        let area = SVGBackend::with_string(&mut drawn, size).into_drawing_area();
        let mut chart = ChartBuilder::on(&area)
            .margin(8)
            .margin_right(if axes.unit.is_some() { 8 } else { 40 })
            .set_label_area_size(LabelAreaPosition::Left, axes.left)
            .set_label_area_size(LabelAreaPosition::Bottom, 26)
            .build_cartesian_2d(axes.x.clone(), axes.y.clone())
            .map_err(failed)?;
        let scaled = |value: &f64| axes.unit.map_or_else(String::new, |unit| scale(*value, unit));
        let mut mesh = chart.configure_mesh();
        mesh.disable_x_mesh()
            .bold_line_style(LINE)
            .light_line_style(TRANSPARENT)
            .axis_style(LINE)
            .x_labels(axes.words.0)
            .y_labels(if axes.unit.is_some() { 5 } else { 0 })
            .x_label_formatter(axes.words.1)
            .y_label_formatter(&scaled)
            .label_style(("sans-serif", 12).into_font().color(&INK));
        if axes.unit.is_none() {
            mesh.disable_y_mesh();
        }
        mesh.draw().map_err(failed)?;
        series(&mut chart, &area)?;
        area.present().map_err(failed)?;
    }
    Ok(drawn)
}

/// A little more than the most.
fn above(values: impl Iterator<Item = f64>) -> f64 {
    let most = values.fold(0.0, f64::max);
    if most > 0.0 { most * 1.1 } else { 1.0 }
}

/// A moment below a chart: the day where it spans many, else the time.
fn moment(at: f64, is_long: bool) -> String {
    let told = time_of_day(at as i64);
    let part = if is_long { told.get(..10) } else { told.get(5..16) };
    part.unwrap_or_default().to_owned()
}

/// Bars beside each other; `unit` stands at the scale.
fn bars(title: &str, unit: &str, bars: &[Bar]) -> Result<String, Failure> {
    let top = above(bars.iter().map(|bar| bar.value));
    let word = |at: &f64| {
        let is_of_bar = (at - at.round()).abs() < 0.01 && *at > -0.1;
        let bar = bars.get(at.round().max(0.0) as usize).filter(|_| is_of_bar);
        bar.map_or_else(String::new, |bar| bar.label.clone())
    };
    let (x, y) = (-0.5..bars.len() as f64 - 0.5, 0.0..top);
    let axes = Axes { x, y, words: (bars.len().min(6), &word), unit: Some(unit), left: 52 };
    let gap = if bars.len() > 24 { 0.08 } else { 0.18 };
    let drawn = charted(SIZE, &axes, |chart, _| {
        let each = bars.iter().enumerate().map(|(at, bar)| {
            let colour = if bar.is_bad { CARE } else { MARK };
            // What never came up has no time, and is seen all the same.
            let value = if bar.is_bad && bar.value == 0.0 { top } else { bar.value };
            Rectangle::new([(at as f64 - 0.5 + gap, 0.0), (at as f64 + 0.5 - gap, value)], colour.filled())
        });
        chart.draw_series(each).map(drop).map_err(failed)
    })?;
    Ok(in_page(&drawn, title, SIZE))
}

/// Points over days, joined.
fn course(title: &str, unit: &str, points: &[(i64, f64)]) -> Result<String, Failure> {
    let (Some(first), Some(last)) = (points.first(), points.last()) else { return Ok(String::new()) };
    let (from, to) = (first.0 as f64, (last.0 as f64).max(first.0 as f64 + 3600.0));
    let is_long = to - from > LONG;
    let word = |at: &f64| moment(*at, is_long);
    let y = 0.0..above(points.iter().map(|(_, value)| *value));
    let axes = Axes { x: from..to, y, words: (4, &word), unit: Some(unit), left: 52 };
    let drawn = charted(SIZE, &axes, |chart, _| {
        let placed = || points.iter().map(|(at, value)| (*at as f64, *value));
        chart.draw_series(LineSeries::new(placed(), MARK.stroke_width(2))).map_err(failed)?;
        chart.draw_series(placed().map(|point| Circle::new(point, 3, MARK.filled()))).map(drop).map_err(failed)
    })?;
    Ok(in_page(&drawn, title, SIZE))
}

fn scale(value: f64, unit: &str) -> String {
    match unit {
        "B" => render::size(value.max(0.0) as u64),
        _ if value.fract().abs() < 1e-9 => format!("{value:.0} {unit}").trim_end().to_owned(),
        _ => format!("{value:.1} {unit}").trim_end().to_owned(),
    }
}

/// A drawing that grows and shrinks with its column, in the page's colours.
fn in_page(drawn: &str, title: &str, size: (u32, u32)) -> String {
    let begin = format!("<svg width=\"{}\" height=\"{}\" ", size.0, size.1);
    let mut out =
        drawn.replacen(&begin, &format!("<svg class=\"chart\" role=\"img\" aria-label=\"{}\" ", escaped(title)), 1);
    for (from, to) in SWAPS {
        out = out.replace(&format!("\"{from}\""), &format!("\"{to}\""));
    }
    out
}

/// The charts of a server's health, from the last look at its logs and from those of other days.
pub fn of_health(looks: &[HealthLook]) -> Result<Vec<Chart>, Failure> {
    let Some(last) = looks.last() else { return Ok(Vec::new()) };
    let mut charts = Vec::new();
    if last.starts.len() > 1 {
        let title = "Seconds until it was up, start by start";
        let bar = |start: &KeptStart| Bar {
            label: start_told(start),
            value: start.seconds.unwrap_or(0.0),
            is_bad: !start.came_up,
        };
        let starts: Vec<Bar> = last.starts.iter().map(bar).collect();
        let not_up = last.starts.iter().filter(|start| !start.came_up).count();
        let slowest = last.starts.iter().filter_map(|start| start.seconds).fold(0.0, f64::max);
        let told = match not_up {
            0 => format!("{}, all came up; the slowest took {slowest:.0} s.", starts_told(&last.starts)),
            _ => format!(
                "{}, of which {not_up} never came up (drawn over the whole height); the slowest of the others took {slowest:.0} s.",
                starts_told(&last.starts)
            ),
        };
        charts.push(Chart { title: title.to_owned(), drawing: bars(title, "s", &starts)?, told });
    }
    if last.lag_lines > 0 && !last.over_time.is_empty() {
        let title = "Lines that tell that it fell behind";
        let parts: Vec<Bar> = last
            .over_time
            .iter()
            .map(|(from, lines)| Bar { label: from.clone(), value: *lines as f64, is_bad: true })
            .map(|bar| Bar { is_bad: bar.value > 0.0, ..bar })
            .collect();
        let worst = last.worst_lag.map_or_else(String::new, |seconds| format!(", at worst {seconds:.1} s"));
        let told = format!("{} in all{worst}.", render::count(last.lag_lines as usize, "line"));
        charts.push(Chart { title: title.to_owned(), drawing: bars(title, "", &parts)?, told });
    }
    charts.extend(of_days(looks)?);
    Ok(charts)
}

/// When a start was, as short as it can be.
fn start_told(start: &KeptStart) -> String {
    let at = start.at.as_deref().map_or("", |at| at.get(..5).unwrap_or(at));
    let day = start.day.as_deref().and_then(|day| day.get(5..)).map_or_else(String::new, |day| format!("{day} "));
    format!("{day}{at}")
}

fn starts_told(starts: &[KeptStart]) -> String {
    render::count(starts.len(), "start")
}

/// What can be seen over days alone.
fn of_days(looks: &[HealthLook]) -> Result<Vec<Chart>, Failure> {
    let mut charts = Vec::new();
    let mut add = |title: &str, unit: &str, points: Vec<(i64, f64)>| -> Result<(), Failure> {
        if let (Some(first), Some(last)) = (points.first(), points.last())
            && points.len() > 1
        {
            let told = format!("From {} to {}.", scale(first.1, unit), scale(last.1, unit));
            charts.push(Chart { title: title.to_owned(), drawing: course(title, unit, &points)?, told });
        }
        Ok(())
    };
    let start = |look: &HealthLook| Some((look.at, look.starts.iter().rev().find_map(|start| start.seconds)?));
    add("Seconds until it was up, day by day", "s", looks.iter().filter_map(start).collect())?;
    let memory = |percent: bool| {
        let of = move |look: &HealthLook| Some((look.at, look.memory.filter(|memory| memory.percent == percent)?.most));
        looks.iter().filter_map(of).collect::<Vec<_>>()
    };
    add("The most memory that it used, day by day", "B", memory(false))?;
    add("The most memory that it used, in hundredths", "%", memory(true))?;
    let behind: Vec<(i64, f64)> = looks.iter().map(|look| (look.at, look.lag_lines as f64)).collect();
    if behind.iter().any(|(_, lines)| *lines > 0.0) {
        add("Lines that tell that it fell behind, day by day", "", behind)?;
    }
    Ok(charts)
}

/// Canons, alignments and rehearsals on one line of time: a lane for each.
pub fn time_line(overview: &Overview) -> Result<Option<Chart>, Failure> {
    let mut lanes: Vec<(String, Vec<(i64, bool)>)> = Vec::new();
    let mut add = |name: &str, at: i64, is_bad: bool| match lanes.iter_mut().find(|(lane, _)| lane == name) {
        Some((_, points)) => points.push((at, is_bad)),
        None => lanes.push((name.to_owned(), vec![(at, is_bad)])),
    };
    overview.canons.iter().for_each(|canon| add("canons", canon.sealed, false));
    overview.rehearsals.iter().for_each(|RehearsalRow { at, .. }| add("rehearsals", *at, false));
    for one in &overview.alignments {
        add(&one.install, one.began, !matches!(one.state, "done"));
    }
    let times: Vec<i64> = lanes.iter().flat_map(|(_, points)| points.iter().map(|(at, _)| *at)).collect();
    let (Some(first), Some(last)) = (times.iter().min(), times.iter().max()) else { return Ok(None) };
    const LANES: usize = 24;
    let number = lanes.len();
    lanes.truncate(LANES);
    let told = format!(
        "{}, {} and {}, from {} to {}.{}",
        render::count(overview.canons.len(), "canon"),
        render::count(overview.alignments.len(), "alignment"),
        render::count(overview.rehearsals.len(), "rehearsal"),
        time_of_day(*first),
        time_of_day(*last),
        if number > LANES { " Of many installs the first are drawn." } else { "" }
    );
    let title = "Canons, rehearsals and alignments in time";
    let room = ((last - first) as f64 * 0.03).max(30.0);
    let (from, to) = (*first as f64 - room, *last as f64 + room);
    let size = (SIZE.0 * 2, 40 + 26 * u32::try_from(lanes.len()).unwrap_or(1));
    let is_long = to - from > LONG;
    let word = |at: &f64| moment(*at, is_long);
    let axes = Axes { x: from..to, y: 0.0..lanes.len() as f64, words: (6, &word), unit: None, left: 130 };
    let drawn = charted(size, &axes, |chart, area| {
        for (lane, (name, points)) in lanes.iter().enumerate() {
            let height = lanes.len() as f64 - lane as f64 - 0.5;
            chart.draw_series(LineSeries::new([(from, height), (to, height)], LINE)).map_err(failed)?;
            let place = chart.backend_coord(&(from, height));
            let name = render::cell(name, 17).trim_end().to_owned();
            let style = ("sans-serif", 12).into_font().color(&INK);
            area.draw(&Text::new(name, (6, place.1 - 6), style)).map_err(failed)?;
            let circle = |(at, is_bad): &(i64, bool)| {
                let colour = if *is_bad { CARE } else { MARK };
                Circle::new((*at as f64, height), 5, colour.filled())
            };
            chart.draw_series(points.iter().map(circle)).map_err(failed)?;
        }
        Ok(())
    })?;
    Ok(Some(Chart { title: title.to_owned(), drawing: in_page(&drawn, title, size), told }))
}

#[cfg(test)]
#[path = "../../tests/charts.rs"]
mod tests;
