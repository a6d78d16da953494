//! The ledger: what came in, newest first; finding lines, opening one, and writing by hand.

pub mod export;
pub mod line;
pub mod manual;
mod wanted;

use crate::app::App;
use crate::draw::since;
use crate::error::WebError;
use crate::rooms::drawn::drawn;
use crate::rooms::frame::Frame;
use crate::security::session::Owner;
use actix_web::{HttpResponse, web};
use askama::Template;
use std::collections::BTreeMap;
use tally_core::channel::Channel;
use tally_core::language::unit::Unit;
use tally_core::record::entry::{Body, Entry};
use tally_core::record::happening::Happening;
use tally_core::record::ids::{FeedId, Seq, WidgetId};
use tally_core::time::Instant;
use wanted::{Wanted, Where, kinds};

/// How many lines stand on a page.
const LINES: usize = 100;

/// A line as it stands on the page.
struct Line {
    seq: u64,
    when: String,
    words: String,
    message: Option<String>,
    from: String,
    /// Of what happened on the channel: whether it counts.
    standing: Option<Standing>,
    /// Of a reading: of which level, through what, and what it stood at.
    reading: Option<(String, i64)>,
}

/// What stands in one row: a line, or a run of readings of one level.
enum Shown {
    One(Line),
    Run(Readings),
}

/// Readings of one level after each other, the newest first.
struct Readings {
    level: String,
    lowest: String,
    highest: String,
    newest: String,
    lines: Vec<Line>,
}

/// A run is folded from so many readings on.
const LEAST_RUN: usize = 3;

/// Folds runs of readings of one level.
fn folded(lines: Vec<Line>) -> Vec<Shown> {
    let mut runs: Vec<Vec<Line>> = Vec::new();
    for line in lines {
        let goes_on = |run: &&mut Vec<Line>| {
            let last = run.last().and_then(|last| Some((&last.reading.as_ref()?.0, &last.from)));
            last.is_some() && last == line.reading.as_ref().map(|(level, _)| (level, &line.from))
        };
        match runs.last_mut().filter(goes_on) {
            Some(run) => run.push(line),
            None => runs.push(vec![line]),
        }
    }
    let fold = |run: Vec<Line>| {
        let values: Vec<i64> = run.iter().filter_map(|line| Some(line.reading.as_ref()?.1)).collect();
        let level = run.first().and_then(|line| Some(line.reading.as_ref()?.0.clone()));
        match (level, values.iter().min(), values.iter().max()) {
            (Some(level), Some(lowest), Some(highest)) if run.len() >= LEAST_RUN => {
                let shown = |value: i64| Unit::Things.show(value);
                let newest = shown(values[0]);
                vec![Shown::Run(Readings {
                    level,
                    lowest: shown(*lowest),
                    highest: shown(*highest),
                    newest,
                    lines: run,
                })]
            }
            _ => run.into_iter().map(Shown::One).collect(),
        }
    };
    runs.into_iter().flat_map(fold).collect()
}

/// Whether a line counts.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Standing {
    Counts,
    Voided,
    Withdrawn,
}

#[derive(Template)]
#[template(path = "rooms/ledger_lines.html")]
struct Lines {
    rows: Vec<Shown>,
    /// The query of the next page, if there is one.
    older: Option<String>,
    refused: Option<String>,
}

#[derive(Template)]
#[template(path = "rooms/ledger.html")]
struct Page {
    frame: Frame,
    lines: Lines,
    wanted: Wanted,
    query: String,
    kinds: Vec<(&'static str, &'static str)>,
    feeds: Vec<(u32, String)>,
    hand: manual::Form,
}

/// The channel's feeds by number, and by hand.
async fn feeds(app: &App, owner: &Owner) -> Result<BTreeMap<u32, String>, WebError> {
    let feeds = app.engine.store().feeds(owner.channel.id).await?;
    Ok(feeds.into_iter().map(|feed| (feed.id, feed.name)).collect())
}

async fn lines(app: &App, owner: &Owner, wanted: &Wanted) -> Result<Lines, WebError> {
    let (asked, store) = (wanted.clone(), app.engine.store());
    let before = wanted.before.map(Seq);
    let found = owner
        .channel
        .ask(move |channel, _| {
            asked.place(channel.settings()).map(|place| match place {
                Where::Ledger(kind) => Err(kind),
                Where::Book(search) => Ok(channel.book().search(&search, before, LINES)),
            })
        })
        .await?;
    let entries = match found {
        Err(WebError::Refused(why)) => {
            return Ok(Lines { rows: Vec::new(), older: None, refused: Some(why) });
        }
        Err(error) => return Err(error),
        Ok(Ok(places)) => store.entries_at(owner.channel.id, places).await?,
        Ok(Err(kind)) => {
            let most = i64::try_from(LINES).unwrap_or(i64::MAX);
            store.entries_before(owner.channel.id, kind, before, most).await?
        }
    };
    let last = entries.last().map(|entry| entry.seq.0).filter(|_| entries.len() == LINES);
    let rows = folded(describe(app, owner, entries).await?);
    Ok(Lines { rows, older: last.map(|last| wanted.query(Some(last))), refused: None })
}

async fn describe(app: &App, owner: &Owner, entries: Vec<Entry>) -> Result<Vec<Line>, WebError> {
    let feeds = feeds(app, owner).await?;
    let describe =
        move |channel: &Channel, now| entries.into_iter().map(|entry| line_of(channel, &feeds, &entry, now)).collect();
    Ok(owner.channel.ask(describe).await?)
}

fn line_of(channel: &Channel, feeds: &BTreeMap<u32, String>, entry: &Entry, now: Instant) -> Line {
    let title = |id: WidgetId| channel.widget(id).map_or("a widget", |piece| piece.title()).to_owned();
    let fact = match &entry.body {
        Body::Happening(_) => channel.book().find(entry.happened_at, entry.seq),
        _ => None,
    };
    // A happening reads as it stands now, whatever it said at first.
    let present = fact.map(|fact| channel.book().happening(fact));
    let words = present.as_ref().map_or_else(|| entry.body.words(), |present| present.words());
    let standing = fact.map(|fact| match fact {
        fact if fact.voided() => Standing::Voided,
        fact if channel.book().is_withdrawn(FeedId(fact.feed)) => Standing::Withdrawn,
        _ => Standing::Counts,
    });
    Line {
        seq: entry.seq.0,
        when: since(&channel.settings().calendar, entry.happened_at, now),
        words: entry.body.widget().map_or(words.clone(), |id| format!("{}: {words}", title(id))),
        message: present.and_then(|present| present.message().map(str::to_owned)),
        from: match entry.feed.and_then(|feed| feeds.get(&feed.0)) {
            Some(feed) => feed.clone(),
            None if entry.origin.source == "rates" => "exchange rates".into(),
            None => "by hand".into(),
        },
        standing,
        reading: match &entry.body {
            Body::Happening(Happening::Gauge { name, value }) => Some((name.clone(), *value)),
            _ => None,
        },
    }
}

/// `GET /ledger`
pub async fn page(app: web::Data<App>, owner: Owner, wanted: web::Query<Wanted>) -> Result<HttpResponse, WebError> {
    let mut feeds: Vec<(u32, String)> = feeds(&app, &owner).await?.into_iter().collect();
    feeds.push((0, "by hand".into()));
    let page = Page {
        frame: Frame::new(&app, &owner, "/ledger").await?,
        lines: lines(&app, &owner, &wanted).await?,
        query: wanted.query(None),
        wanted: wanted.into_inner(),
        kinds: kinds(),
        feeds,
        hand: manual::form(&owner).await?,
    };
    drawn(owner.whose(), page).await
}

/// `GET /ledger/lines`: the lines alone, for a page that follows what comes in.
pub async fn head(app: web::Data<App>, owner: Owner, wanted: web::Query<Wanted>) -> Result<HttpResponse, WebError> {
    drawn(owner.whose(), lines(&app, &owner, &wanted).await?).await
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn readings_of_one_level_after_each_other_become_one_row_and_nothing_else_does() {
        let line = |seq: u64, reading: Option<(&str, i64)>| Line {
            seq,
            when: String::new(),
            words: String::new(),
            message: None,
            from: "Numbers".into(),
            standing: None,
            reading: reading.map(|(level, value)| (level.to_owned(), value)),
        };
        let rows = folded(vec![
            line(9, Some(("viewers", 213))),
            line(8, Some(("viewers", 1_201))),
            line(7, Some(("viewers", 233))),
            line(6, None),
            line(5, Some(("viewers", 1))),
            line(4, Some(("followers", 2))),
            line(3, Some(("followers", 3))),
        ]);
        let told: Vec<String> = rows
            .iter()
            .map(|row| match row {
                Shown::One(line) => line.seq.to_string(),
                Shown::Run(run) => {
                    format!("{} {} {} {} {}", run.level, run.lines.len(), run.lowest, run.highest, run.newest)
                }
            })
            .collect();
        assert_eq!(told, ["viewers 3 213 1,201 213", "6", "5", "4", "3"]);
    }
}
