//! All polls that were held, here or elsewhere: with their counts, as a table, as a drawing to take along, as CSV
//! (RFC 4180) and as JSON; to be opened again, and to be kept for later.

use crate::app::App;
use crate::csv_file::{self, CsvFile};
use crate::error::{WebError, sentence};
use crate::markup::{attachment, html};
use crate::rooms::drawn::drawn;
use crate::rooms::frame::Frame;
use crate::rooms::sign_in::{go_to, refusal};
use crate::security::session::Owner;
use actix_web::{HttpResponse, web};
use askama::Template;
use serde::Deserialize;
use serde_json::{Value, json};
use tally_core::channel::Channel;
use tally_core::record::acts::poll::Which;
use tally_core::record::ids::WidgetId;
use tally_core::time::Instant;
use tally_core::time::words::digits;
use tally_core::widgets::Piece;
use tally_core::widgets::poll::{Outcome, Tallied, written};
use tally_engine::{EngineError, Shaping};

/// How many polls of a widget are told in the room.
const MOST: usize = 100;

/// One poll.
struct PollRow {
    widget: WidgetId,
    title: String,
    outcome: Outcome,
    opened: String,
    lasted: String,
    state: &'static str,
    /// Whether it is over, so that somebody may have won.
    over: bool,
}

impl PollRow {
    /// The line that opened it, if it was held here.
    fn line(&self) -> Option<u64> {
        match self.outcome.which {
            Which::Here(seq) => Some(seq.0),
            Which::Elsewhere(_) => None,
        }
    }

    /// What it is known by in an address.
    fn key(&self) -> String {
        key(&self.outcome.which)
    }

    /// The question; of two options alone, those.
    fn name(&self) -> String {
        if self.outcome.question.is_empty() { self.written() } else { self.outcome.question.clone() }
    }

    /// The poll in one line, as it is typed.
    fn written(&self) -> String {
        written(self.outcome.question.trim(), self.outcome.options.iter().map(|one| one.text.as_str()))
    }

    /// A drawing to take along.
    fn chart(&self) -> String {
        let rows = self.rows();
        let most = rows.iter().map(|row| row.weighted).max().unwrap_or(0).max(1);
        let height = 64 + rows.len() * BAR + 36;
        let bars = rows.into_iter().enumerate().map(|(index, row)| Bar {
            y: 64 + index * BAR,
            figure: format!("{} % · {}", row.percent, row.weighted),
            length: (row.weighted.saturating_mul(LONGEST) / most).max(2),
            text: row.text,
            won: row.won,
        });
        let asked = self.outcome.question.as_str();
        let question = if asked.is_empty() { "A duel" } else { asked };
        let below = format!("{} · {} votes", self.opened, self.outcome.total());
        html(&Chart { question, below, bars: bars.collect(), height })
    }

    fn rows(&self) -> Vec<Row> {
        let winner = self.outcome.winner().filter(|_| self.over);
        let row = |(index, (one, percent)): (usize, (&Tallied, u8))| Row {
            text: one.text.clone(),
            votes: one.votes,
            weighted: one.weighted,
            by_tips: one.by_tips,
            percent,
            won: winner == Some(index),
        };
        self.outcome.options.iter().zip(self.outcome.percentages()).enumerate().map(row).collect()
    }
}

struct Row {
    text: String,
    votes: u64,
    weighted: u64,
    by_tips: u64,
    percent: u8,
    won: bool,
}

#[derive(Template)]
#[template(path = "rooms/polls.html")]
struct Page {
    frame: Frame,
    polls: Vec<PollRow>,
}

/// A poll as bars, on a slip of paper of its own.
#[derive(Template)]
#[template(path = "rooms/poll_chart.html")]
struct Chart<'a> {
    question: &'a str,
    below: String,
    bars: Vec<Bar>,
    height: usize,
}

struct Bar {
    y: usize,
    text: String,
    figure: String,
    length: u64,
    won: bool,
}

/// Height of a bar with its words.
const BAR: usize = 46;
/// How long the longest bar is.
const LONGEST: u64 = 560;

fn key(which: &Which) -> String {
    match which {
        Which::Here(seq) => format!("line-{seq}"),
        Which::Elsewhere(id) => format!("poll-{id}"),
    }
}

/// Minutes and seconds, `0:06`.
fn clock(length: chrono::TimeDelta) -> String {
    let digits = digits(length);
    if digits.contains(':') { digits } else { format!("0:{digits:0>2}") }
}

fn rows(channel: &Channel, now: Instant) -> Vec<PollRow> {
    let scope = channel.scope(now);
    let mut all: Vec<PollRow> = Vec::new();
    let mut elsewhere = Vec::new();
    for (id, piece) in channel.widgets() {
        let Piece::Poll(folded) = piece else { continue };
        let of = |outcome: Outcome| {
            let opened = scope.settings.calendar.local(outcome.opened_at).format("%a %-d %b %Y, %H:%M").to_string();
            let over = outcome.over_at(now);
            let state = match (outcome.cancelled, over, outcome.is_tied()) {
                (true, ..) => "called off",
                (_, None, _) => "open",
                (_, _, true) => "a tie",
                _ => "closed",
            };
            let lasted = clock(over.unwrap_or(now) - outcome.opened_at);
            PollRow {
                widget: id,
                title: piece.title().to_owned(),
                outcome,
                opened,
                lasted,
                state,
                over: over.is_some(),
            }
        };
        all.extend(folded.state.outcomes_here(&scope).take(MOST).map(of));
        // Several widgets may show a poll that is held elsewhere; here it stands once.
        for outcome in folded.state.outcomes_elsewhere(scope.book, MOST) {
            if folded.definition.elsewhere && !elsewhere.contains(&outcome.which) {
                elsewhere.push(outcome.which.clone());
                all.push(of(outcome));
            }
        }
    }
    all.sort_by_key(|one| std::cmp::Reverse(one.outcome.opened_at));
    all
}

/// `GET /polls`
pub async fn page(app: web::Data<App>, owner: Owner) -> Result<HttpResponse, WebError> {
    let polls = owner.channel.ask(rows).await?;
    let page = Page { frame: Frame::new(&app, &owner, "/polls").await?, polls };
    drawn(owner.whose(), page).await
}

/// `GET /polls/{widget}/chart.svg?which=line-12`
pub async fn svg(owner: Owner, widget: web::Path<u32>, wanted: web::Query<Wanted>) -> Result<HttpResponse, WebError> {
    let widget = WidgetId(*widget);
    let polls = owner.channel.ask(rows).await?;
    let found = polls.into_iter().find(|one| one.widget == widget && one.key() == wanted.which);
    let found = found.ok_or(WebError::NotFound)?;
    Ok(HttpResponse::Ok().content_type("image/svg+xml").insert_header(attachment("poll.svg")).body(found.chart()))
}

/// Which poll.
#[derive(Deserialize)]
pub struct Wanted {
    which: String,
}

/// `GET /polls.csv` and `.json`: each option of each poll.
pub async fn export(owner: Owner, form: web::Path<String>) -> Result<HttpResponse, WebError> {
    let polls = owner.channel.ask(rows).await?;
    match form.as_str() {
        "csv" => {
            let file = csv_of(&polls)?;
            Ok(HttpResponse::Ok()
                .content_type("text/csv; charset=utf-8")
                .insert_header(attachment("polls.csv"))
                .body(file))
        }
        "json" => {
            let all: Vec<Value> = polls.iter().map(json_of).collect();
            Ok(HttpResponse::Ok().insert_header(attachment("polls.json")).json(json!({ "polls": all })))
        }
        _ => Err(WebError::NotFound),
    }
}

fn json_of(told: &PollRow) -> Value {
    let option = |row: Row| {
        json!({
            "text": row.text, "votes": row.votes, "weighted": row.weighted, "by_tips": row.by_tips,
            "percent": row.percent, "won": row.won,
        })
    };
    json!({
        "widget": told.title,
        "which": told.outcome.which,
        "question": told.outcome.question,
        "opened_at": told.outcome.opened_at,
        "closes_at": told.outcome.end,
        "state": told.state,
        "options": told.rows().into_iter().map(option).collect::<Vec<_>>(),
    })
}

fn csv_of(polls: &[PollRow]) -> Result<Vec<u8>, WebError> {
    let mut file = CsvFile::default();
    let head =
        ["widget", "poll", "question", "opened", "state", "option", "votes", "weighted", "by tips", "percent", "won"];
    file.row(head.map(str::to_owned))?;
    for told in polls {
        for row in told.rows() {
            file.row([
                told.title.clone(),
                told.key(),
                told.outcome.question.clone(),
                csv_file::time(told.outcome.opened_at),
                told.state.to_owned(),
                row.text,
                row.votes.to_string(),
                row.weighted.to_string(),
                row.by_tips.to_string(),
                row.percent.to_string(),
                csv_file::yes(row.won),
            ])?;
        }
    }
    file.bytes()
}

/// A poll to be kept.
#[derive(Deserialize)]
pub struct Kept {
    text: String,
}

/// `POST /polls/{widget}/save`: keeps a poll among the saved ones of a widget. If nothing else is tried on the stage, it
/// can be opened at once.
pub async fn save(owner: Owner, widget: web::Path<u32>, kept: web::Form<Kept>) -> Result<HttpResponse, WebError> {
    let widget = WidgetId(*widget);
    let tried = owner.channel.ask(move |channel, _| channel.draft(widget).is_some()).await?;
    let edit = Shaping::Edit { key: "save".into(), text: kept.into_inner().text };
    match owner.channel.shape(widget, edit).await {
        Ok(()) => {}
        Err(EngineError::Refused(error)) => return Ok(refusal(&sentence(&error.to_string()))),
        Err(error) => return Err(error.into()),
    }
    let still = owner.channel.ask(move |channel, _| channel.draft(widget).is_some()).await?;
    if still && !tried {
        owner.channel.shape(widget, Shaping::PutOnAir).await?;
    }
    Ok(go_to(&format!("/widgets/{widget}")))
}
