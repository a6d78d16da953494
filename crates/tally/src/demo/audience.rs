//! What the audience of Saltmarsh Halt decides: *Which livery for engine No. 7?*, voted in the last show.

use super::{DemoError, OWNER};
use chrono::TimeDelta;
use tally_core::record::acts::poll::{Ballot, Vote, Voter};
use tally_core::record::acts::wheel::Bytes32;
use tally_core::record::acts::{Act, PollAct, WheelAct};
use tally_core::record::entry::{Body, Draft, Incoming, Origin};
use tally_core::record::happening::{Choice, Happening, PollState, Standing};
use tally_core::record::ids::{FeedId, Seq, WidgetId};
use tally_core::record::settings::Settings;
use tally_core::sentence::EditError;
use tally_core::time::Instant;
use tally_core::widgets::wheel::commitment;
use tally_core::widgets::{Definition, Piece, Setup};
use tally_engine::{ChannelHandle, EngineError};
use tally_store::Store;

/// The poll's name, by which it is found again.
pub(super) const POLL: &str = "The platform decides";
/// The wheel's name.
pub(super) const WHEEL: &str = "Forfeits";
/// How many viewers have voted for each livery.
const VOTES: [u32; 3] = [41, 30, 19];

/// The poll, a duel beside it, and a wheel of forfeits.
pub(super) fn widgets(settings: &Settings) -> Result<Vec<Setup>, EditError> {
    let saved = "Which livery for engine No. 7? Green / Black / Lined maroon\n\
        Whistle at every bridge? Yes / No\n\
        tea / coffee";
    let poll: &[(&str, &str)] = &[("title", POLL), ("saved", saved), ("weight", "2"), ("word", "!ask")];
    let duel: &[(&str, &str)] = &[
        ("title", "Tea or coffee"),
        ("saved", "tea / coffee"),
        ("length", "1:00"),
        ("elsewhere", "not"),
        ("shape", "coupling"),
        ("look", "lamp"),
    ];
    let nothing = tally_core::channel::Channel::new(settings.clone(), []);
    let edited = |family: &str, edits: &[(&str, &str)]| {
        let standard = Definition::standard(family, settings).map(Definition::unfolded);
        standard.map(|mut piece| {
            for (key, text) in edits {
                (piece, _) = piece.edited(key, text, &nothing.scope(Instant::UNIX_EPOCH))?;
            }
            Ok(piece.setup())
        })
    };
    let forfeits: &[(&str, &str)] = &[
        ("title", WHEEL),
        (
            "slices",
            "Sing the timetable: 3\nTea without milk: 4\nBlow the whistle: 5\nDrive backwards: 2\n\
                Read out the fares: 3\nA viewer drives: 1",
        ),
        ("turn", "7"),
    ];
    let all = [("poll", poll), ("poll", duel), ("wheel", forfeits)];
    all.into_iter().filter_map(|(family, edits)| edited(family, edits)).collect()
}

fn line(number: u64, at: Instant, widget: WidgetId, by: &str, act: PollAct) -> Draft {
    let origin = Origin { source: "/demo/audience".into(), id: number.to_string() };
    let body = Body::Act { widget, by: by.into(), act: Act::Poll(act) };
    Draft { origin, feed: None, happened_at: at, arrived_at: at, body }
}

/// The votes of the last show: some at once, most while people make up their minds.
fn votes(at: Instant) -> Vec<Vote> {
    let mut all = Vec::new();
    let mut voter = 0_u32;
    for (option, many) in (0_u8..).zip(VOTES) {
        for number in 0..many {
            voter += 1;
            let mut bytes = [0; 12];
            bytes[..4].copy_from_slice(&voter.wrapping_mul(2_654_435_761).to_be_bytes());
            bytes[4..8].copy_from_slice(&voter.to_be_bytes());
            let sent = Vote::sent(at) + i64::from(number * 97 % 80) * 1_000 + i64::from(option) * 400;
            all.push(Vote { voter: Voter::of(bytes), option, at: sent, subscriber: number % 5 == 0 });
        }
    }
    all
}

/// Lets the poll be held in the last show, which began at an instant.
pub(super) async fn decide(channel: &ChannelHandle, widget: WidgetId, show: Instant) -> Result<(), EngineError> {
    let opened = show + TimeDelta::minutes(48);
    let ballot = Ballot {
        question: "Which livery for engine No. 7?".into(),
        options: ["Green", "Black", "Lined maroon"].map(str::to_owned).into(),
        seconds: Some(120),
        last_counts: true,
        subscriber_weight: 2,
        votes_per_unit: 0,
    };
    let open = line(0, opened, widget, OWNER, PollAct::Open(ballot));
    let poll: Seq = channel.ingest_as_it_was(vec![open]).await?.last_seq;
    let votes = PollAct::Votes { poll, votes: votes(opened) };
    // It closes by itself, as its opening says.
    channel.ingest_as_it_was(vec![line(1, opened + TimeDelta::seconds(90), widget, "the audience", votes)]).await?;
    Ok(())
}

/// Lets the platform hold a poll of its own in the last show.
pub(super) async fn elsewhere(channel: &ChannelHandle, feed: FeedId, show: Instant) -> Result<(), EngineError> {
    let opened_at = show + TimeDelta::minutes(20);
    let told = |number: i64, votes: [u32; 3], state: PollState| {
        let options = ["Odile", "Bram", "The cat"].into_iter().zip(votes);
        let standing = Standing {
            poll: "platform-evening".into(),
            question: "Who drives the night train?".into(),
            options: options.map(|(text, votes)| Choice { text: text.into(), votes }).collect(),
            opened_at,
            closes_at: Some(opened_at + TimeDelta::seconds(90)),
            state,
        };
        let origin = Origin { source: "/stand-in/platform".into(), id: format!("poll-0-demo-{number}") };
        let happened_at = Some(opened_at + TimeDelta::seconds(number * 30));
        Incoming { origin, happened_at, happening: Happening::Poll(standing) }
    };
    let words = vec![
        told(0, [0, 0, 0], PollState::Open),
        told(1, [21, 18, 30], PollState::Open),
        told(2, [40, 31, 62], PollState::Open),
        told(3, [52, 38, 79], PollState::Closed),
    ];
    channel.ingest(feed, words).await.map(drop)
}

/// Lets the wheel be spun in the last show, which began at an instant: sealed, spun, and to be checked by anybody.
pub(super) async fn spin(
    channel: &ChannelHandle,
    store: &Store,
    widget: WidgetId,
    show: Instant,
) -> Result<(), DemoError> {
    let (seed, at) = (Bytes32(rand::random()), show + TimeDelta::minutes(61));
    let promise = commitment(seed);
    let setup = channel.ask(move |channel, _| channel.widget(widget).map(Piece::definition)).await?;
    let Some(Definition::Wheel(wheel)) = setup else { return Ok(()) };
    let act = |number: u64, at: Instant, by: &str, act: WheelAct| {
        let origin = Origin { source: "/demo/wheel".into(), id: number.to_string() };
        let body = Body::Act { widget, by: by.into(), act: Act::Wheel(act) };
        Draft { origin, feed: None, happened_at: at, arrived_at: at, body }
    };
    store.keep_seed(widget, promise, seed).await?;
    let spin =
        WheelAct::Spin { seed, slices: wheel.slices, turn_ms: 7_000, after: wheel.after, tie: None, asked: None };
    let lines = vec![
        act(0, at - TimeDelta::minutes(20), "the wheel", WheelAct::Commit { commitment: promise }),
        act(1, at, OWNER, spin),
    ];
    let spun = channel.ingest_as_it_was(lines).await?.last_seq;
    Ok(store.seed_is_out(promise, Some(spun)).await?)
}
