//! Will this work when I go live?

use crate::draw::since;
use tally_core::Instant;
use tally_core::channel::Channel;
use tally_core::ids::{FeedId, WidgetId};
use tally_core::view::View;
use tally_store::feeds::Feed;

/// A lamp and a sentence.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Readiness {
    /// Shape of the lamp: `full`, `half` or `hollow`.
    pub lamp: &'static str,
    /// What it means.
    pub words: String,
}

/// The readiness of a widget, from what feeds there are and what has come through them.
pub fn of(channel: &Channel, id: WidgetId, feeds: &[Feed], now: Instant) -> Option<Readiness> {
    let piece = channel.widget(id)?;
    let Some(kind) = piece.counts() else {
        return Some(Readiness { lamp: "full", words: "Ready. You operate it from the desk.".into() });
    };
    let counted = match channel.view(id, now) {
        Some(View::Goal(view)) => view.last_counted_at,
        _ => None,
    };
    let plural = kind.plural();
    let calendar = &channel.settings().calendar;
    let newest =
        feeds.iter().filter_map(|feed| Some((channel.pulse(FeedId(feed.id))?, feed))).max_by_key(|(at, _)| *at);
    let (lamp, words) = match (counted, newest) {
        (Some(at), _) => {
            ("full", format!("Ready. The last of the {plural} counted came {}.", at_words(calendar, at, now)))
        }
        (None, _) if feeds.is_empty() => {
            ("hollow", format!("It counts {plural}, and no feed is wired that could bring any. Wire one in Feeds."))
        }
        (None, None) => {
            ("hollow", format!("It counts {plural}. A feed is wired, but nothing has come through it yet."))
        }
        (None, Some((at, feed))) => (
            "half",
            format!(
                "{} last brought something {}, but no {plural} that count here.",
                feed.name,
                at_words(calendar, at, now)
            ),
        ),
    };
    Some(Readiness { lamp, words })
}

fn at_words(calendar: &tally_core::calendar::Calendar, at: Instant, now: Instant) -> String {
    let words = since(calendar, at, now);
    if words.contains(',') { format!("on {words}") } else { format!("at {words}") }
}
