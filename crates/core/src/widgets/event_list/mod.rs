//! Event lists: what has just happened, line by line.
//!
//! A line lives for a while or for ever; after a quiet time the whole list hides until something
//! happens again. Bursts fold, see [`crate::lines`].

mod sentence;
#[cfg(test)]
mod tests;

use super::{Cued, Family, NoActs};
use crate::count::explain::{Slip, of_several};
use crate::count::recent::{Burst, Recent};
use crate::count::{Count, Scope};
use crate::lines::{Line, LineFormat};
use crate::look::tokens::{ENTERING, FADING, LINES, PLATE, SIGNS, TEXT, TITLED};
use crate::look::{self, Shape};
use crate::money::conversion::Conversion;
use crate::record::happening::Kind;
use crate::record::settings::Settings;
use crate::sentence::{EditError, Part};
use crate::time::calendar::Period;
use crate::time::{Instant, after};
use crate::widgets::view::View;
use chrono::TimeDelta;
use serde::{Deserialize, Serialize};

/// Most lines that a list shows.
pub const MOST: u32 = 50;

/// What a list tells of.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct EventList {
    /// Its name, also on the picture.
    pub title: String,
    /// Which kinds, in which words.
    #[serde(alias = "telling")]
    pub format: LineFormat,
    /// From which period.
    pub period: Period,
    /// Most lines, up to [`MOST`].
    pub most: u32,
    /// The newest stands last, as in a log.
    pub newest_last: bool,
    /// Lines stand beside each other and not below each other.
    #[serde(default)]
    pub sideways: bool,
    /// Entries of the same supporter and kind within so many seconds become one line; 0 for none.
    pub fold: u32,
    /// So many seconds a line lives; 0 for ever.
    pub life: u32,
    /// After so many seconds without a new line all are hidden; 0 for never.
    pub quiet: u32,
    /// From this place on, lines grow paler; 0 for none.
    pub fade_from: u32,
    /// What stands there while nothing has happened.
    pub placeholder: String,
}

/// What a list shows.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct EventListView {
    /// Its name.
    pub title: String,
    /// In the order in which they stand.
    pub lines: Vec<Line>,
    /// How many there is room for.
    pub most: u32,
    /// Whether the newest stands last.
    pub newest_last: bool,
    /// Whether lines stand beside each other.
    pub sideways: bool,
    /// From this place, counted from the newest, lines grow paler; 0 for none.
    pub fade_from: u32,
    /// What stands there while there is no line.
    pub placeholder: String,
}

impl EventListView {
    /// The lines, each on a line of its own.
    #[must_use]
    pub fn text(&self) -> String {
        if self.lines.is_empty() {
            return self.placeholder.clone();
        }
        self.lines.iter().map(Line::text).collect::<Vec<_>>().join("\n")
    }
}

fn seconds(seconds: u32) -> TimeDelta {
    TimeDelta::seconds(i64::from(seconds))
}

impl EventList {
    fn recent(&self) -> Recent {
        self.format.recent(self.period, self.fold, self.most)
    }

    fn alive(&self, scope: &Scope<'_>) -> Vec<Burst> {
        let mut told = scope.recent(&self.recent());
        let newest = told.last().map(Burst::at);
        if self.quiet > 0 && newest.is_some_and(|at| after(at, seconds(self.quiet)) <= scope.now) {
            return Vec::new();
        }
        if self.life > 0 {
            told.retain(|told| after(told.at(), seconds(self.life)) > scope.now);
        }
        told
    }

    /// Lines, oldest first, as they stand.
    fn of_lines(&self, mut lines: Vec<Line>) -> EventListView {
        if !self.newest_last {
            lines.reverse();
        }
        EventListView {
            title: self.title.clone(),
            lines,
            most: self.most,
            newest_last: self.newest_last,
            sideways: self.sideways,
            fade_from: self.fade_from,
            placeholder: self.placeholder.clone(),
        }
    }
}

/// What its drawing has, in most of its shapes.
const PARTS: &[look::Part] =
    &[look::Part::Title, look::Part::Name, look::Part::Value, look::Part::Words, look::Part::Icon, look::Part::Line];

impl Family for EventList {
    type State = NoActs;
    const KEY: &'static str = "event_list";
    const CUED: Cued = Cued::NOTHING;
    const SHAPES: &'static [Shape] = &[
        Shape {
            key: "stubs",
            words: "Ticket stubs",
            tokens: &[TITLED, SIGNS, TEXT, PLATE, LINES, ENTERING, FADING],
            parts: PARTS,
            size: (560, 420),
        },
        Shape {
            key: "strips",
            words: "Strips",
            tokens: &[TITLED, SIGNS, TEXT, PLATE, LINES, ENTERING, FADING],
            parts: PARTS,
            size: (560, 360),
        },
        Shape {
            key: "lines",
            words: "A sheet of lines",
            tokens: &[TITLED, SIGNS, TEXT, PLATE, LINES, ENTERING, FADING],
            parts: PARTS,
            size: (560, 360),
        },
    ];

    fn standard(_: &Settings) -> Self {
        use Kind::{Cheer, Follow, Gift, Raid, Sub, Tip};
        Self {
            title: "Just now".into(),
            format: LineFormat::of(&[Follow, Sub, Gift, Tip, Cheer, Raid]),
            period: Period::AllTime,
            most: 5,
            newest_last: false,
            sideways: false,
            fold: 60,
            life: 0,
            quiet: 0,
            fade_from: 0,
            placeholder: "All quiet on the line".into(),
        }
    }

    fn title(&self) -> &str {
        &self.title
    }

    fn counts(&self, _: &NoActs, _: &Settings) -> Vec<Count> {
        self.format.counts(self.period)
    }

    fn recents(&self) -> Vec<Recent> {
        vec![self.recent()]
    }

    fn convert(&mut self, by: &Conversion, _: &Settings) {
        self.format.convert(by);
    }

    fn sentence(&self, _: &Scope<'_>) -> Vec<Part> {
        sentence::parts(self)
    }

    fn edit(&mut self, key: &str, text: &str, scope: &Scope<'_>) -> Result<(), EditError> {
        sentence::edit(self, key, text, scope)
    }

    fn line_format(&self) -> Option<&LineFormat> {
        Some(&self.format)
    }

    fn view(&self, _: &NoActs, scope: &Scope<'_>) -> View {
        View::EventList(self.of_lines(self.format.lines(&self.alive(scope), scope)))
    }

    fn sample(&self, scope: &Scope<'_>) -> View {
        let told = self.format.sample(scope);
        let skip = told.len().saturating_sub(self.most as usize);
        View::EventList(self.of_lines(told.iter().skip(skip).map(|told| self.format.line(told, scope)).collect()))
    }

    fn wakes_at(&self, _: &NoActs, scope: &Scope<'_>) -> Option<Instant> {
        // Lines that neither leave nor grow older need not be looked for.
        let changes = self.life > 0 || self.quiet > 0 || self.format.ages();
        let told = if changes { self.alive(scope) } else { Vec::new() };
        let dies = told.iter().filter(|_| self.life > 0).map(|told| after(told.at(), seconds(self.life))).min();
        let hides = told.last().filter(|_| self.quiet > 0).map(|newest| after(newest.at(), seconds(self.quiet)));
        let turns = self.format.wakes_at(self.period, &told, scope);
        dies.into_iter().chain(hides).chain(turns).filter(|at| *at > scope.now).min()
    }

    fn explain(&self, _: &NoActs, scope: &Scope<'_>) -> Slip {
        let shown = self.alive(scope).len();
        of_several(&self.format.counts(self.period), format!("{shown} of at most {}", self.most), scope)
    }
}
