//! All matches: those that are played, and those of the past. Each as a drawn sheet to take along, as CSV (RFC 4180) with
//! every press, and as JSON; and where a new one is begun, by its sport and its sides.

use crate::app::App;
use crate::csv_file::{self, CsvFile};
use crate::error::WebError;
use crate::markup::{attachment, html};
use crate::rooms::frame::Frame;
use crate::rooms::sign_in::{go_to, refusal};
use crate::security::session::Owner;
use crate::security::tokens;
use actix_web::http::header::ContentType;
use actix_web::{HttpResponse, web};
use askama::Template;
use serde::Deserialize;
use serde_json::{Value, json};
use tally_core::channel::Channel;
use tally_core::record::acts::board::{Side, Sport};
use tally_core::record::ids::WidgetId;
use tally_core::time::Instant;
use tally_core::widgets::scoreboard::standing::{Phase, Standing};
use tally_core::widgets::scoreboard::teams::{of_name, remembered};
use tally_core::widgets::scoreboard::{COLOURS, Played};
use tally_core::widgets::{Definition, Piece};

/// How many matches the room tells of.
const MOST: usize = 100;
/// How many sides a sheet draws.
const SIDES: usize = 50;
/// Height of a side's line on a sheet.
const ROW: usize = 44;
/// Width of a part's column, and of the score.
const COLUMN: usize = 56;

/// A match.
struct MatchRow {
    widget: WidgetId,
    title: String,
    played: Played,
    standing: Standing,
    began: String,
}

impl MatchRow {
    fn of(channel: &Channel, widget: WidgetId, title: &str, mut played: Played, now: Instant) -> Self {
        if played.game.phase() == Phase::Running {
            played.game.advance(&played.rules, now);
        }
        let standing = played.game.standing(&played.rules);
        let local = channel.settings().calendar.local(played.began);
        let began = local.format("%a %-d %b %Y, %H:%M").to_string();
        Self { widget, title: title.to_owned(), played, standing, began }
    }

    fn sport(&self) -> &'static str {
        self.played.rules.sport.words().0
    }

    /// The place of the winner among the sides.
    fn won_by(&self) -> Option<usize> {
        self.played.game.ended()?.winner.map(usize::from)
    }

    fn winner(&self) -> Option<&Side> {
        self.played.sides.get(self.won_by()?)
    }

    /// `won by Heron Yard`, `being played`.
    fn state(&self) -> String {
        match (self.played.game.phase(), self.winner()) {
            (Phase::Finished, Some(side)) => format!("won by {}", side.name),
            (Phase::Finished, None) => "a draw".into(),
            (Phase::Before, _) => "not begun".into(),
            _ => "being played".into(),
        }
    }

    fn score(&self, side: usize) -> &str {
        self.standing.scores.get(side).map_or("", String::as_str)
    }

    /// The sheet to take along.
    fn sheet(&self) -> String {
        let columns = &self.standing.columns;
        let parts = columns.len().min(8);
        let from = columns.len().saturating_sub(parts);
        let line = |(place, side): (usize, &Side)| Line {
            y: 92 + place * ROW,
            name: side.name.clone(),
            colour: side.colour.clone(),
            cells: columns[from..]
                .iter()
                .enumerate()
                .map(|(at, column)| Cell {
                    x: 720 - 24 - COLUMN - (parts - at) * COLUMN + COLUMN / 2,
                    text: column.cells.get(place).cloned().unwrap_or_default(),
                    won: column.won.map(usize::from) == Some(place),
                })
                .collect(),
            score: self.score(place).to_owned(),
            won: self.won_by() == Some(place),
        };
        let sides = self.played.sides.iter().take(SIDES).enumerate().map(line);
        let heads = columns[from..].iter().enumerate();
        let head = |(at, column): (usize, &tally_core::widgets::scoreboard::standing::Column)| Cell {
            x: 720 - 24 - COLUMN - (parts - at) * COLUMN + COLUMN / 2,
            text: column.head.chars().take(7).collect(),
            won: false,
        };
        html(&Sheet {
            title: &self.title,
            sport: self.sport(),
            heads: heads.map(head).collect(),
            sides: sides.collect(),
            below: format!("{} · {} · {} presses", self.began, self.state(), self.played.acts.len()),
            height: 92 + self.played.sides.len().min(SIDES) * ROW + 40,
        })
    }
}

struct Cell {
    x: usize,
    text: String,
    won: bool,
}

struct Line {
    y: usize,
    name: String,
    colour: String,
    cells: Vec<Cell>,
    score: String,
    won: bool,
}

/// A match on a slip of paper of its own.
#[derive(Template)]
#[template(path = "rooms/match_sheet.html")]
struct Sheet<'a> {
    title: &'a str,
    sport: &'a str,
    heads: Vec<Cell>,
    sides: Vec<Line>,
    below: String,
    height: usize,
}

#[derive(Template)]
#[template(path = "rooms/matches.html")]
struct Page {
    frame: Frame,
    matches: Vec<MatchRow>,
    sports: &'static [Sport],
    colours: [&'static str; 8],
    /// Who has played before.
    teams: Vec<Side>,
}

fn rows(channel: &Channel, now: Instant) -> Vec<MatchRow> {
    let mut all: Vec<MatchRow> = Vec::new();
    for (id, piece) in channel.widgets() {
        let Piece::Scoreboard(folded) = piece else { continue };
        let matches = folded.state.matches(&folded.definition);
        all.extend(matches.into_iter().map(|played| MatchRow::of(channel, id, piece.title(), played, now)));
    }
    all.sort_by_key(|one| std::cmp::Reverse(one.played.began));
    all
}

/// Everybody who has played before, on boards that are kept, and on those in the archive.
async fn teams(app: &App, owner: &Owner) -> Result<Vec<Side>, WebError> {
    let played = owner.channel.ask(rows).await?.into_iter().flat_map(|one| one.played.sides);
    let records = app.engine.store().widgets(owner.channel.id).await?;
    let set_up = records.into_iter().rev().filter_map(|record| match record.setup.unfolded() {
        Piece::Scoreboard(folded) => Some(folded.definition.sides),
        _ => None,
    });
    Ok(remembered(set_up.flatten().chain(played)))
}

/// `GET /matches`
pub async fn page(app: web::Data<App>, owner: Owner) -> Result<HttpResponse, WebError> {
    let mut matches = owner.channel.ask(rows).await?;
    matches.truncate(MOST);
    let frame = Frame::new(&app, &owner, "/matches").await?;
    let teams = teams(&app, &owner).await?;
    let page = Page { frame, matches, sports: &Sport::ALL, colours: COLOURS, teams };
    Ok(HttpResponse::Ok().insert_header(ContentType::html()).body(html(&page)))
}

/// `GET /matches/{widget}/{line}.csv`, `.json` and `.svg`
pub async fn export(owner: Owner, path: web::Path<(u32, u64, String)>) -> Result<HttpResponse, WebError> {
    let (widget, line, form) = path.into_inner();
    let all = owner.channel.ask(rows).await?;
    let found = all.into_iter().find(|one| one.widget.0 == widget && one.played.seq.0 == line);
    let found = found.ok_or(WebError::NotFound)?;
    match form.as_str() {
        "csv" => Ok(HttpResponse::Ok()
            .content_type("text/csv; charset=utf-8")
            .insert_header(attachment("match.csv"))
            .body(csv_of(&found)?)),
        "json" => Ok(HttpResponse::Ok().insert_header(attachment("match.json")).json(json_of(&found))),
        "svg" => Ok(HttpResponse::Ok()
            .content_type("image/svg+xml")
            .insert_header(attachment("match.svg"))
            .body(found.sheet())),
        _ => Err(WebError::NotFound),
    }
}

fn json_of(told: &MatchRow) -> Value {
    let name = |side: u8| told.played.sides.get(usize::from(side)).map_or("?", |side| side.name.as_str()).to_owned();
    let side = |(place, side): (usize, &Side)| {
        let parts = told.standing.columns.iter().map(|column| column.cells.get(place));
        json!({
            "name": side.name, "short": side.short, "colour": side.colour, "score": told.score(place),
            "points": told.standing.points.get(place), "parts": parts.collect::<Vec<_>>(),
        })
    };
    let act = |act: &tally_core::widgets::scoreboard::Pressed| {
        json!({
            "line": act.line.seq, "at": act.line.at, "by": act.line.by, "words": act.play.words(name),
            "act": act.play, "counts": act.fits, "scores": act.scores,
        })
    };
    json!({
        "board": told.title,
        "sport": told.played.rules.sport.key(),
        "rules": told.played.rules,
        "began_at": told.played.began,
        "phase": told.played.game.phase(),
        "winner": told.winner().map(|side| side.name.as_str()),
        "parts": told.standing.columns.iter().map(|column| column.head.as_str()).collect::<Vec<_>>(),
        "sides": told.played.sides.iter().enumerate().map(side).collect::<Vec<_>>(),
        "acts": told.played.acts.iter().map(act).collect::<Vec<_>>(),
    })
}

fn csv_of(told: &MatchRow) -> Result<Vec<u8>, WebError> {
    let name = |side: u8| told.played.sides.get(usize::from(side)).map_or("?", |side| side.name.as_str()).to_owned();
    let mut file = CsvFile::default();
    let head = ["line", "time", "by", "act", "counts"].map(str::to_owned);
    file.row(head.into_iter().chain(told.played.sides.iter().map(|side| side.name.clone())))?;
    for act in &told.played.acts {
        let cells = [
            act.line.seq.to_string(),
            csv_file::time(act.line.at),
            act.line.by.clone(),
            act.play.words(name),
            csv_file::yes(act.fits),
        ];
        file.row(cells.into_iter().chain(act.scores.iter().cloned()))?;
    }
    file.bytes()
}

/// A match that is to be begun.
#[derive(Deserialize)]
pub struct New {
    sport: String,
    first: String,
    second: String,
    first_colour: String,
    second_colour: String,
    #[serde(default)]
    more: String,
}

impl New {
    /// The parts of a board's sentence. Teams that are known bring their short names and pictures, and their colours
    /// where no other one was chosen.
    fn edits(self, teams: &[Side]) -> Vec<(String, String)> {
        let title = format!("{} against {}", self.first.trim(), self.second.trim());
        // Eighty letters is the most that a title takes.
        let mut edits = vec![("title".into(), title.chars().take(80).collect()), ("sport".into(), self.sport)];
        let more: Vec<&str> = self.more.lines().map(str::trim).filter(|line| !line.is_empty()).collect();
        if !more.is_empty() {
            edits.push(("sides".into(), format!("{}\n{}\n{}", self.first, self.second, more.join("\n"))));
        }
        let chosen = [(self.first.as_str(), Some(&self.first_colour)), (&self.second, Some(&self.second_colour))];
        let sides = chosen.into_iter().chain(more.into_iter().map(|name| (name, None)));
        for (place, (name, colour)) in sides.enumerate() {
            let number = place + 1;
            let mut edit = |part: &str, text: String| edits.push((format!("{number}.{part}"), text));
            let known = of_name(teams, name);
            if let Some(team) = known {
                edit("short", team.short.clone());
                edit("flag", team.picture.word());
            }
            let standard = COLOURS.get(place).copied();
            let chosen = colour.filter(|colour| Some(colour.as_str()) != standard);
            if let Some(colour) = chosen.or(known.map(|team| &team.colour)) {
                edit("colour", colour.clone());
            }
            if place < 2 {
                edit("name", name.to_owned());
            }
        }
        edits
    }
}

/// `POST /matches`: a board with its sport and its sides, and on to its bench.
pub async fn create(app: web::Data<App>, owner: Owner, form: web::Form<New>) -> Result<HttpResponse, WebError> {
    let edits = form.into_inner().edits(&teams(&app, &owner).await?);
    let setup = owner
        .channel
        .ask(move |channel, now| {
            let standard = Definition::standard("scoreboard", channel.settings())?;
            let scope = channel.scope(now);
            let edited = edits.iter().try_fold(standard.unfolded(), |piece, (key, text)| {
                piece.edited(key, text, &scope).map(|(piece, _)| piece)
            });
            Some(edited.map(|piece| piece.setup()))
        })
        .await?;
    match setup.ok_or(WebError::NotFound)? {
        Ok(setup) => {
            let id = owner.channel.create(setup, tokens::token(&mut rand::rng())).await?;
            Ok(go_to(&format!("/widgets/{id}")))
        }
        Err(error) => Ok(refusal(&format!("{error}."))),
    }
}
