//! What happens when things are killed: nothing acknowledged is lost, nothing counts twice.

use crate::kit::db::{Database, Server};
use crate::kit::page::Page;
use crate::kit::program::{Program, ready};
use crate::kit::sender::{Sender, tip_as};
use crate::kit::until;
use diesel::prelude::*;
use serde_json::Value;
use std::collections::BTreeSet;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::time::Duration;
use tally_store::schema::entries;

/// Sends tips of a pound until told to stop; each is sent again until it is acknowledged.
struct Load {
    acknowledged: Arc<AtomicUsize>,
    stop: Arc<AtomicBool>,
    tasks: Vec<tokio::task::JoinHandle<Vec<String>>>,
}

impl Load {
    fn start(sender: &Sender, senders: usize) -> Self {
        let (acknowledged, stop) = (Arc::new(AtomicUsize::new(0)), Arc::new(AtomicBool::new(false)));
        let tasks = (0..senders)
            .map(|task| {
                let (sender, acknowledged, stop) = (sender.clone(), acknowledged.clone(), stop.clone());
                tokio::spawn(async move {
                    let mut done = Vec::new();
                    let mut number = 0;
                    while !stop.load(Ordering::Relaxed) {
                        let id = format!("load-{task}-{number}");
                        loop {
                            match sender.send(&tip_as(&id, "1")).await {
                                Ok(answer) if answer.status() == 200 => break,
                                Ok(answer) if answer.status() == 503 => {
                                    assert!(answer.headers().contains_key("retry-after"));
                                }
                                Ok(answer) => panic!("{} {}", answer.status(), answer.text().await.unwrap()),
                                Err(_) => {}
                            }
                            tokio::time::sleep(Duration::from_millis(30)).await;
                        }
                        acknowledged.fetch_add(1, Ordering::Relaxed);
                        done.push(id);
                        number += 1;
                    }
                    done
                })
            })
            .collect();
        Self { acknowledged, stop, tasks }
    }

    async fn reaches(&self, count: usize) {
        until(&format!("{count} are acknowledged"), || async {
            (self.acknowledged.load(Ordering::Relaxed) >= count).then_some(())
        })
        .await;
    }

    /// All ids acknowledged, each once.
    async fn end(self) -> BTreeSet<String> {
        self.stop.store(true, Ordering::Relaxed);
        let mut all = BTreeSet::new();
        for task in self.tasks {
            all.extend(task.await.unwrap());
        }
        all
    }
}

/// The ids of the load as they stand in the ledger.
fn recorded(conn: &mut MysqlConnection) -> Vec<String> {
    entries::table
        .filter(entries::source.eq("/test"))
        .select(entries::source_id)
        .order(entries::seq)
        .load(conn)
        .unwrap()
}

/// What the goal shows in pence, from the ledger's first entry on.
async fn pence(program: &Program) -> u64 {
    let url = program.widget("Turntable motor")["read_url"].as_str().unwrap().to_owned();
    let value: Value = reqwest::get(url).await.unwrap().json().await.unwrap();
    value["value_units"].as_u64().unwrap()
}

#[tokio::test(flavor = "multi_thread")]
async fn kill_9_under_load_loses_nothing_and_counts_nothing_twice() {
    let database = Database::new();
    let mut program = Program::start(&database.url);
    let sender = Sender::of(&program.demo()["feeds"][0]);
    let load = Load::start(&sender, 12);
    for round in 1..=3 {
        load.reaches(round * 150).await;
        program.kill();
        program.again();
        ready(&program.base).await;
    }
    load.reaches(600).await;
    let acknowledged = load.end().await;
    let recorded = recorded(&mut database.connect());
    let once: BTreeSet<String> = recorded.iter().cloned().collect();
    assert_eq!(once.len(), recorded.len(), "nothing stands there twice");
    assert_eq!(once, acknowledged, "everything acknowledged stands there, and nothing else");
    assert_eq!(pence(&program).await, 21_250 + 100 * acknowledged.len() as u64);
    // And once more from the snapshot of an orderly stop.
    program.stop();
    program.again();
    assert_eq!(pence(&program).await, 21_250 + 100 * acknowledged.len() as u64);
}

#[tokio::test(flavor = "multi_thread")]
async fn while_mariadb_is_dead_senders_wait_and_pages_keep_their_picture() {
    let mut server = Server::start();
    let database = Database::on(&server.url());
    let program = Program::start(&database.url);
    let sender = Sender::of(&program.demo()["feeds"][0]);
    let goal = program.widget("Turntable motor");
    let mut page = Page::open(goal["page_url"].as_str().unwrap()).await;
    page.drawn("£212.50").await;
    let load = Load::start(&sender, 6);
    load.reaches(100).await;
    server.kill();

    until("senders are told to wait", || async {
        let answer = sender.send(&tip_as("extra", "1")).await.ok()?;
        (answer.status() == 503 && answer.headers().contains_key("retry-after")).then_some(())
    })
    .await;
    let ready = reqwest::get(format!("{}/readyz", program.base)).await.unwrap();
    assert_eq!(ready.status(), 503);
    // The page's connection holds, and what it shows can still be read.
    page.say(r#"{"ask": 1.5}"#).await;
    loop {
        let message = page.next().await.expect("the connection holds");
        if message["ask"] == 1.5 {
            break;
        }
        assert!(message.get("gone").is_none());
    }
    assert!(program.text(&goal).await.contains(" of £350"));

    server.again();
    let before = load.acknowledged.load(Ordering::Relaxed);
    load.reaches(before + 50).await;
    let mut acknowledged = load.end().await;
    sender.deliver(&tip_as("extra", "1")).await;
    acknowledged.insert("extra".into());
    let recorded = recorded(&mut database.connect());
    let once: BTreeSet<String> = recorded.iter().cloned().collect();
    assert_eq!(once.len(), recorded.len());
    assert_eq!(once, acknowledged);
    assert_eq!(pence(&program).await, 21_250 + 100 * acknowledged.len() as u64);
    let mut words = tally_core::money::group(acknowledged.len() as u64 + 212);
    words.insert(0, '£');
    page.drawn(&words).await;
}
