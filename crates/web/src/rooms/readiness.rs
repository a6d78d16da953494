//! Will this work when I go live?

use crate::draw::{Lamp, since};
use tally_core::channel::Channel;
use tally_core::count::{Count, What};
use tally_core::overlay::{Overlay, advice};
use tally_core::record::ids::{FeedId, WidgetId};
use tally_core::time::Instant;
use tally_core::time::calendar::Period;
use tally_engine::Hub;
use tally_engine::{Heard, Hearing};
use tally_store::feeds::Feed;
use tally_store::overlays::OverlayRecord;

/// A lamp and a sentence.
pub struct Readiness {
    /// Shape of the lamp: `full`, `half`, `hollow` or `barred`.
    pub lamp: &'static str,
    /// What it means.
    pub words: String,
    /// The feeds that could bring what it counts, and how each fares.
    pub feeds: Vec<Lamp>,
}

/// Where a widget is seen: an overlay on which it stands, and whether that is open as it should be.
pub struct Place {
    /// The overlay.
    pub overlay: u32,
    /// Shape of the lamp.
    pub lamp: &'static str,
    /// What it means.
    pub words: String,
}

/// The overlays on which a widget stands.
pub fn places(hub: &Hub, overlays: &[OverlayRecord], id: WidgetId) -> Vec<Place> {
    let place = |record: &OverlayRecord| {
        let name = &record.layout.name;
        let stands = |layout: &Overlay| layout.widgets().any(|one| one == id);
        let open = hub.open_pages(record.id);
        let advice = open.iter().find_map(|page| advice(&record.air, &page.report));
        let (lamp, words) = match (stands(&record.air), stands(&record.layout)) {
            (false, false) => return None,
            (false, true) => ("hollow", format!("On “{name}”, where it is not put on air yet.")),
            (true, _) if open.is_empty() => ("hollow", format!("On “{name}”, which is open nowhere.")),
            (true, _) => match (advice, open.len()) {
                (Some(advice), _) => ("half", format!("On “{name}”: {advice}.")),
                (None, 1) => ("full", format!("On “{name}”, open in one place.")),
                (None, many) => ("full", format!("On “{name}”, open in {many} places.")),
            },
        };
        Some(Place { overlay: record.id, lamp, words })
    };
    overlays.iter().filter_map(place).collect()
}

/// The readiness of a widget, from what feeds there are and what has come through them.
pub fn of(channel: &Channel, hearing: &Hearing, id: WidgetId, feeds: &[Feed], now: Instant) -> Option<Readiness> {
    let piece = channel.widget(id)?;
    let Some(count) = piece.counts(channel.settings()).into_iter().next() else {
        let words = "Ready. You operate it from the desk.".into();
        return Some(Readiness { lamp: "full", words, feeds: Vec::new() });
    };
    let bring: Vec<(&Feed, Heard)> = feeds
        .iter()
        .filter(|feed| can_bring(feed, &count) && !feed.removed)
        .map(|feed| (feed, hearing.of(feed, channel.pulse(FeedId(feed.id)))))
        .collect();
    let calendar = &channel.settings().calendar;
    let lamps = bring.iter().map(|(feed, heard)| Lamp::of(&feed.name, heard, calendar, now)).collect();
    let (lamp, words) = judge(channel, &count, &bring, now);
    Some(Readiness { lamp, words, feeds: lamps })
}

fn judge(channel: &Channel, count: &Count, bring: &[(&Feed, Heard)], now: Instant) -> (&'static str, String) {
    let (scope, calendar, words) = (channel.scope(now), &channel.settings().calendar, count.words());
    if let Some((feed, why)) = bring.iter().find_map(|(feed, heard)| Some((feed, heard.failing.as_ref()?))) {
        return ("barred", format!("{} fails: {why}", feed.name));
    }
    if let Some(latest) = scope.tally(count).latest {
        let at = at_words(calendar, tally_core::book::instant(latest), now);
        let flows = bring.iter().any(|(_, heard)| !heard.paused);
        return match (flows, bring.is_empty()) {
            (true, _) => ("full", format!("Ready. The last of the {words} counted came {at}.")),
            (false, true) => (
                "half",
                format!("The last of the {words} counted came {at}, and no feed is wired that could bring more."),
            ),
            (false, false) => {
                ("half", format!("The last of the {words} counted came {at}, and what could bring more is paused."))
            }
        };
    }
    if count.period == Period::ThisShow && channel.book().shows().this(now).is_none() {
        let words = "It counts this show, and there has been none yet. Go on air, and it counts from then on.".into();
        return ("half", words);
    }
    if let What::Statistic(name) = &count.what
        && !bring.is_empty()
    {
        return (
            "half",
            format!("It moves only when the game reports, and it has reported no {name} that count here yet."),
        );
    }
    let newest = bring.iter().filter_map(|(feed, heard)| Some((heard.last?, feed))).max_by_key(|(at, _)| *at);
    match newest {
        _ if bring.is_empty() => {
            ("hollow", format!("It counts {words}, and no feed is wired that could bring any. Wire one in Feeds."))
        }
        None if bring.iter().all(|(_, heard)| heard.paused) => {
            ("hollow", format!("It counts {words}, and the feed that could bring them is paused. Resume in Feeds."))
        }
        None => ("hollow", format!("It counts {words}. A feed is wired, but nothing has come through it yet.")),
        Some((at, feed)) => (
            "half",
            format!(
                "{} last brought something {}, but no {words} that count here.",
                feed.name,
                at_words(calendar, at, now)
            ),
        ),
    }
}

/// Whether what a feed of this kind brings can bear on a count at all.
pub fn can_bring(feed: &Feed, count: &Count) -> bool {
    count.kinds() & feed.wiring.brings() != 0
}

fn at_words(calendar: &tally_core::time::calendar::Calendar, at: Instant, now: Instant) -> String {
    let words = since(calendar, at, now);
    if words.contains(',') { format!("on {words}") } else { format!("at {words}") }
}
