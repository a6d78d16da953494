//! A poll that the made-up platform holds itself: opened, voted in and closed on the world's page. Each word about it
//! tells its whole standing, as `tally.poll`.

use crate::Wirings;
use crate::delivery;
use crate::world::World;
use actix_web::http::header;
use actix_web::{HttpResponse, rt, web};
use chrono::{DateTime, TimeDelta, Utc};
use serde::Deserialize;
use serde_json::{Value, json};

/// For how long it is open, in seconds.
const OPEN_S: i64 = 90;
/// What it asks, in turn.
const ASKED: [(&str, &[&str]); 2] = [
    ("Who drives the night train?", &["Odile", "Bram", "The cat"]),
    ("Which siding next?", &["North yard", "Coal road", "Harbour", "Goods shed"]),
];

/// A poll of the platform.
#[derive(Debug, Clone)]
pub struct Poll {
    /// Its number.
    pub number: usize,
    /// How many votes each option has.
    pub votes: Vec<u32>,
    /// When it was opened.
    pub opened_at: DateTime<Utc>,
    /// `open`, `closed` or `cancelled`.
    pub state: &'static str,
}

impl Poll {
    fn opened(number: usize) -> Self {
        let (_, options) = ASKED[number % ASKED.len()];
        Self { number, votes: vec![0; options.len()], opened_at: Utc::now(), state: "open" }
    }

    /// What it asks.
    #[must_use]
    pub fn question(&self) -> &'static str {
        ASKED[self.number % ASKED.len()].0
    }

    /// The event that tells how it stands.
    #[must_use]
    pub fn event(&self, now: DateTime<Utc>) -> Value {
        let (question, options) = ASKED[self.number % ASKED.len()];
        let options: Vec<Value> =
            options.iter().zip(&self.votes).map(|(text, votes)| json!({"text": text, "votes": votes})).collect();
        json!({
            "specversion": "1.0",
            "id": format!("poll-{}-{}", self.number, now.timestamp_micros()),
            "source": "/stand-in/platform",
            "type": "tally.poll",
            "time": now.to_rfc3339(),
            "data": {
                "poll": format!("platform-{}", self.number),
                "question": question,
                "options": options,
                "opened_at": self.opened_at.to_rfc3339(),
                "closes_at": (self.opened_at + TimeDelta::seconds(OPEN_S)).to_rfc3339(),
                "state": self.state,
            },
        })
    }
}

/// What is done with it.
#[derive(Deserialize)]
pub struct Handle {
    what: String,
}

/// `POST /world/poll`: opens a poll, lets twenty viewers vote in it, closes it, or calls it off.
pub async fn turn(world: web::Data<World>, wirings: web::Data<Wirings>, handle: web::Form<Handle>) -> HttpResponse {
    let mut told = None;
    world.change(|seen| {
        if handle.what == "open" {
            seen.poll = Some(Poll::opened(seen.poll.as_ref().map_or(0, |poll| poll.number + 1)));
        } else if let Some(poll) = seen.poll.as_mut().filter(|poll| poll.state == "open") {
            match handle.what.as_str() {
                "vote" => {
                    // The first has most friends.
                    let twenty = if poll.votes.len() == 3 { [10, 6, 4, 0] } else { [9, 6, 3, 2] };
                    for (votes, more) in poll.votes.iter_mut().zip(twenty) {
                        *votes += more;
                    }
                }
                "close" => poll.state = "closed",
                _ => poll.state = "cancelled",
            }
        }
        told = seen.poll.as_ref().map(|poll| poll.event(Utc::now()));
    });
    if let Some(event) = told {
        rt::spawn(async move { delivery::batch(&wirings.platform, &[event]).await });
    }
    HttpResponse::SeeOther().insert_header((header::LOCATION, "/world")).finish()
}
