//! Counts that must not grow: questions to the database for a room, bytes of a room and of an overlay's page, facts that a drawing
//! goes through. No time is measured, so a busy machine fails nothing; allocations of an event are held by the laws of the core.

use crate::dense::rooms;
use crate::fold;
use crate::kit::db::{Database, Server};
use crate::kit::owner::Owner;
use crate::kit::program::Program;
use crate::overlays::lay_out;
use crate::report::Report;
use diesel::prelude::*;
use diesel::sql_types::{Text, VarChar};
use flate2::Compression;
use flate2::write::GzEncoder;
use std::io::Write;

/// Most questions for one room, kilobytes of one room and of a page with thirty widgets, made small as they are sent, and facts for
/// one drawing.
const MOST_QUESTIONS: u64 = 26;
const MOST_ROOM_KB: usize = 40;
const MOST_PAGE_KB: usize = 16;
const MOST_FACTS: u64 = 60;
/// How often a room is loaded: what goes on beside it asks too, so the least counts.
const LOADS: usize = 4;

#[derive(QueryableByName)]
struct Status {
    #[diesel(sql_type = VarChar, column_name = "Variable_name")]
    _name: String,
    #[diesel(sql_type = Text, column_name = "Value")]
    value: String,
}

/// How many questions the server was asked so far.
fn asked(conn: &mut MysqlConnection) -> u64 {
    let status: Vec<Status> = diesel::sql_query("SHOW GLOBAL STATUS LIKE 'Com_select'").load(conn).unwrap();
    status.iter().map(|one| one.value.parse::<u64>().unwrap()).sum()
}

/// Kilobytes of a text as it is sent.
fn kilobytes(text: &str) -> usize {
    let mut small = GzEncoder::new(Vec::new(), Compression::fast());
    small.write_all(text.as_bytes()).unwrap();
    small.finish().unwrap().len().div_ceil(1_024)
}

pub async fn measure(report: &mut Report) {
    let server = Server::start();
    let database = Database::on(&server.url());
    let program = Program::start(&database.url);
    let owner = Owner::of(&program).await;
    let mut conn = database.connect();
    let mut over = Vec::new();
    let mut hold = |what: String, is: u64, most: u64| {
        if is > most {
            over.push(format!("{what}: {is}, at most {most}"));
        }
    };
    for (name, address) in rooms(&program, &owner).await {
        let (mut least, mut size) = (u64::MAX, 0);
        for _ in 0..LOADS {
            let before = asked(&mut conn);
            size = kilobytes(&owner.page(&address).await);
            least = least.min(asked(&mut conn) - before);
        }
        report.add(
            &format!("{name}: questions to the database"),
            least.to_string(),
            format!("{size} KB"),
            &format!("≤ {MOST_QUESTIONS}, ≤ {MOST_ROOM_KB} KB"),
        );
        hold(format!("questions for {name}"), least, MOST_QUESTIONS);
        hold(format!("kilobytes of {name}"), size as u64, MOST_ROOM_KB as u64);
    }
    let (_, url) = lay_out(&program, &owner, "Thirty", 30).await;
    let page = reqwest::get(&url).await.unwrap().text().await.unwrap();
    let size = kilobytes(&page);
    report.add(
        "a page with thirty widgets, without scripts and styles",
        format!("{size} KB"),
        String::new(),
        &format!("≤ {MOST_PAGE_KB} KB"),
    );
    hold("kilobytes of a page with thirty widgets".into(), size as u64, MOST_PAGE_KB as u64);
    let facts = fold::most_facts_of_a_drawing();
    report.add(
        "facts that a drawing goes through, the most of 100 widgets",
        facts.to_string(),
        "after 20,000 entries, once all were shown".into(),
        &format!("≤ {MOST_FACTS}"),
    );
    hold("facts of a drawing".into(), facts, MOST_FACTS);
    assert!(over.is_empty(), "{over:#?}");
}
