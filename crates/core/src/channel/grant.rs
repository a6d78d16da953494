//! What a helper's pass lets its holder do: the levers of chosen widgets, or the desk's. Never anything that tells of
//! money, and never how something is set up.

use super::Channel;
use crate::record::ids::WidgetId;
use crate::widgets::Piece;
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;

/// A job that can be handed to a helper.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Job {
    /// Keeping the score of a board.
    Score,
    /// Running a poll, or spinning a wheel.
    Poll,
    /// Pressing a counter.
    Counter,
    /// Running a clock.
    Clock,
}

impl Job {
    /// All of them, in the order in which they are offered.
    pub const ALL: [Self; 4] = [Self::Score, Self::Poll, Self::Counter, Self::Clock];

    /// The one that a widget asks for; none where nobody but the owner operates it, or where it tells of money.
    #[must_use]
    pub fn of(piece: &Piece) -> Option<Self> {
        match piece {
            Piece::Scoreboard(_) => Some(Self::Score),
            Piece::Poll(_) | Piece::Wheel(_) => Some(Self::Poll),
            Piece::Counter(_) => Some(Self::Counter),
            Piece::Clock(_) | Piece::Subathon(_) => Some(Self::Clock),
            Piece::Goal(_)
            | Piece::Total(_)
            | Piece::Label(_)
            | Piece::Carousel(_)
            | Piece::EventList(_)
            | Piece::Ticker(_)
            | Piece::Leaderboard(_)
            | Piece::CrowdWall(_)
            | Piece::ChatLines(_)
            | Piece::Tracker(_) => None,
        }
    }

    /// `Keep the score`.
    #[must_use]
    pub fn words(self) -> &'static str {
        match self {
            Self::Score => "Keep the score",
            Self::Poll => "Run polls and wheels",
            Self::Counter => "Press counters",
            Self::Clock => "Run clocks",
        }
    }
}

/// What a pass allows.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Grant {
    /// Whatever stands on the desk at the time, without settings.
    Desk,
    /// These widgets.
    Widgets(BTreeSet<WidgetId>),
}

impl Channel {
    /// The widgets that a pass lets its holder see and operate, in the order of the desk.
    #[must_use]
    pub fn granted(&self, grant: &Grant) -> Vec<(WidgetId, &Piece)> {
        let allowed = |id: &WidgetId, shown: bool| match grant {
            Grant::Desk => shown,
            Grant::Widgets(chosen) => chosen.contains(id),
        };
        let all = self.on_desk().filter(|(id, piece, shown)| Job::of(piece).is_some() && allowed(id, *shown));
        all.map(|(id, piece, _)| (id, piece)).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::channel::Desk;
    use crate::fixtures::settings;
    use crate::widgets::Definition;

    #[test]
    fn a_pass_opens_what_it_names_or_what_stands_on_the_desk_and_never_what_tells_of_money() {
        let one = |key| Definition::standard(key, &settings()).unwrap().unfolded();
        let all = ["counter", "goal", "scoreboard", "clock", "total"];
        let widgets = (1..).map(WidgetId).zip(all.map(one));
        let mut channel = Channel::new(settings(), widgets);
        let granted = |channel: &Channel, grant: &Grant| {
            channel.granted(grant).into_iter().map(|(id, _)| id.0).collect::<Vec<_>>()
        };
        assert_eq!(granted(&channel, &Grant::Desk), [1, 3, 4]);
        let chosen = Grant::Widgets([1, 2, 3, 9].map(WidgetId).into());
        assert_eq!(granted(&channel, &chosen), [1, 3], "a goal is nobody else's, and what is gone is gone");
        // What the owner takes off the desk, a pass for the desk does not show; one for the widget does.
        let hidden = BTreeSet::from([WidgetId(3)]);
        channel.set_desk(Desk { hidden, ..Desk::default() });
        assert_eq!(granted(&channel, &Grant::Desk), [1, 4]);
        assert_eq!(granted(&channel, &chosen), [1, 3]);
    }

    #[test]
    fn a_grant_is_kept_as_it_was_given() {
        for grant in [Grant::Desk, Grant::Widgets([2, 7].map(WidgetId).into())] {
            let kept = serde_json::to_string(&grant).unwrap();
            assert_eq!(serde_json::from_str::<Grant>(&kept).unwrap(), grant);
        }
    }
}
