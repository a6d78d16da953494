//! The course of a subathon as a drawing: what was left at each time, what was added as steps, breaks as bands, and
//! three lines ahead.

use askama::Template;
use tally_core::count::Scope;
use tally_core::time::words::instant_words;
use tally_core::time::{Instant, calendar::Calendar};
use tally_core::widgets::Piece;
use tally_core::widgets::subathon::{Chart, Mark};

const WIDTH: f64 = 720.0;
const HEIGHT: f64 = 236.0;
const LEFT: f64 = 58.0;
const RIGHT: f64 = 12.0;
const TOP: f64 = 14.0;
const FOOT: f64 = 26.0;
const HOUR_MS: i64 = 3_600_000;

/// See the module.
#[derive(Template)]
#[template(path = "rooms/course.html")]
pub struct Course {
    course: String,
    steps: Vec<Step>,
    bands: Vec<Band>,
    ahead: Vec<Ahead>,
    now: f64,
    across: Vec<(f64, String)>,
    up: Vec<(f64, String)>,
    /// What the three lines say.
    ends: Vec<(&'static str, &'static str, String)>,
    /// Who added most.
    supporters: Vec<(String, String)>,
}

struct Step {
    x: f64,
    from: f64,
    to: f64,
    adds: bool,
    words: String,
}

struct Band {
    x: f64,
    width: f64,
    words: String,
    ahead: bool,
}

struct Ahead {
    class: &'static str,
    line: String,
}

/// From instants and lengths to places in the drawing.
struct Scale {
    from: i64,
    to: i64,
    most: i64,
}

#[allow(clippy::cast_precision_loss, reason = "places in a drawing, not figures")]
fn part(of: i64, whole: i64) -> f64 {
    of as f64 / whole.max(1) as f64
}

/// To a tenth: places in a drawing need no more.
fn tidy(place: f64) -> f64 {
    (place * 10.0).round() / 10.0
}

impl Scale {
    fn x(&self, at: i64) -> f64 {
        let at = at.clamp(self.from, self.to);
        tidy(LEFT + part(at - self.from, self.to - self.from) * (WIDTH - LEFT - RIGHT))
    }

    fn y(&self, left: i64) -> f64 {
        tidy(HEIGHT - FOOT - part(left.clamp(0, self.most), self.most) * (HEIGHT - FOOT - TOP))
    }

    fn point(&self, at: i64, left: i64) -> String {
        format!("{},{}", self.x(at), self.y(left))
    }
}

/// Whole hours, or halves and quarters of a short course, so that at most some eight lines stand in it.
fn ticks(span: i64) -> i64 {
    let steps = [HOUR_MS / 4, HOUR_MS / 2, HOUR_MS, 2 * HOUR_MS, 3 * HOUR_MS, 6 * HOUR_MS, 12 * HOUR_MS, 24 * HOUR_MS];
    let wide = steps.into_iter().find(|step| span / step <= 7);
    wide.unwrap_or_else(|| (span / 7 / (24 * HOUR_MS) + 1) * 24 * HOUR_MS)
}

/// The course of a subathon that is going.
pub fn of(piece: &Piece, scope: &Scope<'_>) -> Option<Course> {
    let Piece::Subathon(folded) = piece else { return None };
    let chart = folded.definition.chart(&folded.state, scope)?;
    Some(draw(&chart, scope))
}

fn draw(chart: &Chart, scope: &Scope<'_>) -> Course {
    let calendar = &scope.settings.calendar;
    let forecast = &chart.forecast;
    let ms = |at: Instant| at.timestamp_millis();
    let rest = ms(forecast.at_rest);
    // What would lie ten times as far ahead as everything else is told in words alone.
    let near = rest + 2 * (rest - chart.began).max(HOUR_MS);
    let drawn = |at: Option<Instant>| at.map(ms).filter(|at| *at <= near);
    let (like, latest) = (drawn(forecast.as_last_hour), drawn(forecast.latest));
    let to = [Some(rest), like, latest].into_iter().flatten().max().unwrap_or(rest);
    let highest = chart.steps.iter().map(|step| step.after.max(step.before)).max().unwrap_or(0);
    let scale = Scale {
        from: chart.began,
        to: to.max(chart.now + 1),
        most: highest.max(chart.first).max(chart.left).max(HOUR_MS / 4) * 21 / 20,
    };

    let mut points = vec![scale.point(chart.began, chart.first)];
    for step in &chart.steps {
        points.extend([scale.point(step.at, step.before), scale.point(step.at, step.after)]);
    }
    points.push(scale.point(chart.now, chart.left));
    let ahead = [("is-rest", Some(rest)), ("is-like", like), ("is-latest", latest)];
    let line = |(class, at): (&'static str, Option<i64>)| {
        let line = format!("{} {}", scale.point(chart.now, chart.left), scale.point(at?, 0));
        Some(Ahead { class, line })
    };
    let band = |mark: &Mark| Band {
        x: scale.x(mark.from),
        width: tidy((scale.x(mark.to) - scale.x(mark.from)).max(1.0)),
        words: format!("{}, {}", mark.words, hour(calendar, mark.from)),
        ahead: mark.ahead,
    };
    let steps = chart.steps.iter().filter(|step| step.after != step.before).map(|step| Step {
        x: scale.x(step.at),
        from: scale.y(step.before),
        to: scale.y(step.after),
        adds: step.after > step.before,
        words: format!("{}, {}", step.words(scope), hour(calendar, step.at)),
    });
    let ends = |at: Instant| instant_words(calendar, at);
    let like_words = match (forecast.never, forecast.as_last_hour) {
        (true, None) => "never: as much comes in as time passes".into(),
        (true, Some(at)) => format!("not before its limit, {}", ends(at)),
        (false, Some(at)) => ends(at),
        (false, None) => "too little came in to tell".into(),
    };
    let across_step = ticks(scale.to - scale.from);
    let up_step = ticks(scale.most);
    Course {
        course: points.join(" "),
        steps: steps.collect(),
        bands: chart.pauses.iter().filter(|mark| mark.from < scale.to).map(band).collect(),
        ahead: ahead.into_iter().filter_map(line).collect(),
        now: scale.x(chart.now),
        across: (0..)
            .map(|step| (chart.began / across_step + 1 + step) * across_step)
            .take_while(|at| *at < scale.to)
            .map(|at| (scale.x(at), hour(calendar, at)))
            .collect(),
        up: (1..)
            .map(|step| step * up_step)
            .take_while(|left| *left < scale.most)
            .map(|left| (scale.y(left), hours(left)))
            .collect(),
        supporters: chart.supporters.clone(),
        ends: vec![
            ("is-rest", "If nothing more comes", ends(forecast.at_rest)),
            ("is-like", "As in the last hour", like_words),
            ("is-latest", "Latest possible", forecast.latest.map_or("no limit tells".into(), ends)),
        ],
    }
}

/// `6 h`, `0:45`.
fn hours(ms: i64) -> String {
    if ms % HOUR_MS == 0 { format!("{} h", ms / HOUR_MS) } else { format!("{}:{:02}", ms / HOUR_MS, ms / 60_000 % 60) }
}

fn hour(calendar: &Calendar, ms: i64) -> String {
    let at = tally_core::time::Instant::from_timestamp_millis(ms).unwrap_or_default();
    calendar.local(at).format("%H:%M").to_string()
}
