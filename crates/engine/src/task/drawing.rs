//! From the state to the board: what has changed is drawn once and hung up.

use super::{PULSE_IDLE, Task};
use crate::draw::{Drawn, Pulse, PulseFeed, Shown};
use tally_core::Instant;
use tally_core::channel::RollLine;
use tally_core::ids::{FeedId, WidgetId};

impl Task {
    /// Draws whatever has changed and whose turn it is.
    pub(super) fn draw(&mut self) {
        let tick = tokio::time::Instant::now();
        let ready = self.pace.take(tick);
        if !ready.is_empty() {
            let now = self.inner.clock.now();
            let plates = self.channel.plates(now);
            for id in ready {
                if let Some(drawn) = self.drawn(id, plates.get(&id).copied(), now) {
                    let token = self.tokens.get(&id).map_or("", String::as_str);
                    self.board.hang(id, token, drawn);
                }
            }
        }
        if self.pulse_due.is_some_and(|due| due <= tick) || self.pulse_drawn + PULSE_IDLE <= tick {
            self.pulse_due = None;
            self.pulse_drawn = tick;
            self.draw_pulse();
        }
    }

    fn drawn(&self, id: WidgetId, plate: Option<usize>, now: Instant) -> Option<Drawn> {
        let piece = self.channel.widget(id)?;
        let (view, levers) = (piece.view(self.channel.settings(), now), piece.levers(now));
        let shown = Shown { id, plate, seq: self.channel.last_seq(), view: &view, levers: &levers, now };
        Some(self.inner.draw.widget(&shown))
    }

    fn draw_pulse(&self) {
        let feeds: Vec<PulseFeed> = self
            .feeds
            .iter()
            .map(|feed| PulseFeed { name: feed.name.clone(), last: self.channel.pulse(FeedId(feed.id)) })
            .collect();
        let title = |id| self.channel.widget(id).map(|piece| piece.title().to_owned());
        let roll: Vec<(RollLine, Option<String>)> =
            self.channel.roll().map(|line| (line.clone(), line.widget.and_then(title))).collect();
        let pulse = Pulse {
            feeds: &feeds,
            roll: &roll,
            pages: self.board.pages(),
            calendar: self.channel.settings().calendar,
            now: self.inner.clock.now(),
        };
        self.board.hang_pulse(self.inner.draw.pulse(&pulse));
    }
}
