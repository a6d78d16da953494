//! The *Thirty-hour build-through*: a subathon in its ninth hour, with a boost behind it and a break ahead; and the
//! clocks that Odile and Bram keep beside it.

use super::OWNER;
use chrono::{Days, NaiveTime, TimeDelta};
use tally_core::channel::Channel;
use tally_core::money::Money;
use tally_core::record::acts::{Act, SubathonAct};
use tally_core::record::entry::{Body, Draft, Origin};
use tally_core::record::happening::{Actor, Happening, Tier};
use tally_core::record::ids::{FeedId, WidgetId};
use tally_core::record::settings::Settings;
use tally_core::sentence::EditError;
use tally_core::time::Instant;
use tally_core::widgets::{Definition, Piece, Setup};
use tally_feeds::script::people::REGULARS;

/// For how long it has been going.
const GOING_S: i64 = 8 * 3_600 + 20 * 60;
/// How many of those who watch have added something.
const ADDITIONS: i64 = 64;

fn edited(mut piece: Piece, edits: &[(&str, &str)], channel: &Channel, now: Instant) -> Result<Setup, EditError> {
    for (key, text) in edits {
        (piece, _) = piece.edited(key, text, &channel.scope(now))?;
    }
    Ok(piece.setup())
}

/// The subathon and the clocks; `derailments` is the counter since whose last press one of them counts.
pub(super) fn widgets(settings: &Settings, now: Instant, derailments: WidgetId) -> Result<Vec<Setup>, EditError> {
    let local = |at: Instant| settings.calendar.local(at).format("%Y-%m-%d %H:%M").to_string();
    let break_ahead = format!("{} 20:00", local(now + TimeDelta::minutes(75)));
    let dinner = settings.calendar.local(now).date() + Days::new(1);
    let breaks = format!("{break_ahead}\n{} 45:00", dinner.and_time(NaiveTime::MIN).format("%Y-%m-%d %H:%M"));
    let standard = |family: &str| Definition::standard(family, settings).map(Definition::unfolded);
    // Clocks look at the channel's counters by name.
    let counter = standard("counter").map(|piece| (derailments, piece));
    let channel = Channel::new(settings.clone(), counter);
    let build_through: &[(&str, &str)] = &[
        ("title", "Thirty-hour build-through"),
        ("length", "10:00:00"),
        ("total", "30:00:00"),
        ("most", "12:00:00"),
        ("rate.time.tip", "40"),
        ("rate.does.renewal1", "adds"),
        ("rate.time.renewal1", "1:30"),
        ("rate.worth.sub1", "4"),
        ("rate.worth.sub2", "8"),
        ("rate.worth.sub3", "20"),
        ("rate.worth.points", "0.80"),
        ("rate.does.raid_viewer", "adds"),
        ("rate.time.raid_viewer", "2"),
        ("rate.reward", "Ten more minutes"),
        ("rate.time.reward:Ten more minutes", "10:00"),
        ("rate.command", "!coal"),
        ("rate.time.command:!coal", "5"),
        ("breaks", &breaks),
        ("over_text", "Thirty hours. Good night!"),
        ("units", "auto"),
        ("look", "enamel"),
    ];
    let friday: &[(&str, &str)] = &[
        ("title", "First train at 19:30"),
        ("kind", "to"),
        ("done_text", "All aboard"),
        ("shape", "flaps"),
        ("look", "lamp"),
    ];
    let since_counter = format!("counter:{derailments}");
    let since: &[(&str, &str)] = &[
        ("title", "Since the last derailment"),
        ("kind", "since"),
        ("since", &since_counter),
        ("units", "days"),
        ("shape", "strip"),
    ];
    let laps: &[(&str, &str)] =
        &[("title", "Round the yard"), ("kind", "up"), ("tenths", "10:00"), ("shape", "ring"), ("look", "linen")];
    let all = [("subathon", build_through), ("clock", friday), ("clock", since), ("clock", laps)];
    let made = all.into_iter().filter_map(|(family, edits)| Some(edited(standard(family)?, edits, &channel, now)));
    made.collect()
}

fn somebody(number: i64) -> Actor {
    let place = usize::try_from(number.rem_euclid(10)).unwrap_or(0);
    Actor { id: None, name: REGULARS[place].into(), avatar: None, anonymous: false }
}

/// What was added, in turn: mostly tips and subscriptions, now and then something else.
fn addition(number: i64, settings: &Settings) -> Happening {
    let actor = somebody(number * 7 + number / 3);
    let tier = |number: i64| Tier::try_from(if number % 9 == 4 { 2 } else { 1 }).unwrap_or_default();
    match number % 8 {
        0 | 3 | 6 => {
            let minor = [300, 500, 1_250, 200, 2_000, 750][usize::try_from(number % 6).unwrap_or(0)];
            Happening::Tip { actor, amount: Money { minor, currency: settings.currency }, message: None }
        }
        1 | 4 => Happening::Sub { actor, tier: tier(number), months: None, message: None, gifted_by: None },
        2 => {
            let months = Some(u32::try_from(number % 11 + 2).unwrap_or(2));
            Happening::Sub { actor, tier: Tier::default(), months, message: None, gifted_by: None }
        }
        5 => Happening::Cheer { actor, points: u32::try_from(number % 5 * 100 + 100).unwrap_or(100), message: None },
        _ => Happening::Reward { actor, reward: "Ten more minutes".into(), cost: Some(5_000), input: None },
    }
}

/// Its lines as they came: started, paused for a break, boosted, and added to by the audience if `with_audience`.
pub(super) fn lines(
    widget: WidgetId,
    feed: FeedId,
    settings: &Settings,
    now: Instant,
    with_audience: bool,
) -> Vec<Draft> {
    let began = now - TimeDelta::seconds(GOING_S);
    let at = |seconds: i64| began + TimeDelta::seconds(seconds);
    let act = |seconds: i64, by: &str, act: SubathonAct| {
        let body = Body::Act { widget, by: by.into(), act: Act::Subathon(act) };
        (at(seconds), None, body)
    };
    let tea = 20 * 60 * 1_000;
    let mut all = vec![
        act(0, OWNER, SubathonAct::Start),
        act(4 * 3_600, OWNER, SubathonAct::Break { planned: None, ms: tea, by_itself: false }),
        act(4 * 3_600 + 20 * 60, "the clock", SubathonAct::BreakEnds),
        act(5 * 3_600 + 900, "bram", SubathonAct::Boost { factor: 2_000, ms: 1_800_000 }),
        act(6 * 3_600, "bram", SubathonAct::Add { ms: 300_000 }),
    ];
    if with_audience {
        for number in 0..ADDITIONS {
            // Never quite regular: some hours are livelier than others.
            let seconds = (number * GOING_S) / ADDITIONS + (number * number * 37) % 280;
            all.push((at(seconds), Some(feed), Body::Happening(addition(number, settings))));
        }
    }
    all.sort_by_key(|(at, ..)| *at);
    let draft = |(number, (at, feed, body)): (usize, (Instant, Option<FeedId>, Body))| Draft {
        origin: Origin { source: "/demo/marathon".into(), id: number.to_string() },
        feed,
        happened_at: at,
        arrived_at: at,
        body,
    };
    all.into_iter().enumerate().map(draft).collect()
}
