//! What a widget shows: numbers and words, no markup.

use crate::widgets::carousel::CarouselView;
use crate::widgets::chat_lines::ChatLinesView;
use crate::widgets::clock::ClockView;
use crate::widgets::counter::CounterView;
use crate::widgets::crowd_wall::CrowdWallView;
use crate::widgets::event_list::EventListView;
use crate::widgets::goal::GoalView;
use crate::widgets::label::LabelView;
use crate::widgets::leaderboard::LeaderboardView;
use crate::widgets::poll::PollView;
use crate::widgets::scoreboard::BoardView;
use crate::widgets::subathon::SubathonView;
use crate::widgets::ticker::TickerView;
use crate::widgets::total::TotalView;
use crate::widgets::tracker::TrackerView;
use crate::widgets::wheel::WheelView;
use serde::Serialize;

/// The view of one widget, by family. Its JSON is what `/read/{token}.json` gives to programs.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[serde(tag = "family", rename_all = "snake_case")]
pub enum View {
    /// A goal.
    Goal(GoalView),
    /// A total.
    Total(TotalView),
    /// A label.
    Label(LabelView),
    /// A carousel.
    Carousel(CarouselView),
    /// An event list.
    EventList(EventListView),
    /// A ticker.
    Ticker(TickerView),
    /// A leaderboard.
    Leaderboard(LeaderboardView),
    /// A crowd wall.
    CrowdWall(CrowdWallView),
    /// Chat lines.
    ChatLines(ChatLinesView),
    /// A counter.
    Counter(CounterView),
    /// A clock.
    Clock(ClockView),
    /// A subathon clock.
    Subathon(Box<SubathonView>),
    /// A poll.
    Poll(PollView),
    /// A wheel.
    Wheel(Box<WheelView>),
    /// A scoreboard.
    Scoreboard(Box<BoardView>),
    /// A game tracker.
    Tracker(TrackerView),
}

impl View {
    /// The text that the widget shows, nothing else.
    #[must_use]
    pub fn text(&self) -> String {
        match self {
            Self::Goal(view) => view.text(),
            Self::Total(view) => view.text(),
            Self::Label(view) => view.text(),
            Self::Carousel(view) => view.text(),
            Self::EventList(view) => view.text(),
            Self::Ticker(view) => view.text(),
            Self::Leaderboard(view) => view.text(),
            Self::CrowdWall(view) => view.text(),
            Self::ChatLines(view) => view.text(),
            Self::Counter(view) => view.text(),
            Self::Clock(view) => view.text(),
            Self::Subathon(view) => view.text(),
            Self::Poll(view) => view.text(),
            Self::Wheel(view) => view.text(),
            Self::Scoreboard(view) => view.text(),
            Self::Tracker(view) => view.text(),
        }
    }

    /// The widget's name.
    #[must_use]
    pub fn title(&self) -> &str {
        match self {
            Self::Goal(view) => &view.first.title,
            Self::Total(view) => &view.title,
            Self::Label(view) => &view.title,
            Self::Carousel(view) => &view.title,
            Self::EventList(view) => &view.title,
            Self::Ticker(view) => &view.title,
            Self::Leaderboard(view) => &view.title,
            Self::CrowdWall(view) => &view.title,
            Self::ChatLines(view) => &view.title,
            Self::Counter(view) => &view.first.title,
            Self::Clock(view) => &view.title,
            Self::Subathon(view) => &view.title,
            Self::Poll(view) => &view.title,
            Self::Wheel(view) => &view.title,
            Self::Scoreboard(view) => &view.title,
            Self::Tracker(view) => &view.title,
        }
    }
}
