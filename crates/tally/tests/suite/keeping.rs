//! What `./start` keeps going: the database and the application, whichever of them falls.

use crate::kit::sender::{Sender, tip_as};
use crate::kit::until;
use serde_json::Value;
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};
use tempfile::TempDir;

/// A start of its own, in a folder of its own.
struct Start {
    folder: TempDir,
    base: String,
    child: Child,
}

impl Start {
    async fn new() -> Self {
        let folder = TempDir::with_prefix("tally-").unwrap();
        let free = || std::net::TcpListener::bind("127.0.0.1:0").unwrap().local_addr().unwrap().port();
        let (port, database) = (free(), free());
        let child = Command::new(Path::new(env!("CARGO_MANIFEST_DIR")).join("../../start"))
            .args(["--port", &port.to_string(), "--no-standins", "--program", env!("CARGO_BIN_EXE_tally"), "--data"])
            .arg(folder.path())
            .env("TALLY_DB_PORT", database.to_string())
            .stdout(Stdio::null())
            .spawn()
            .unwrap();
        let start = Self { folder, base: format!("http://127.0.0.1:{port}"), child };
        crate::kit::program::ready(&start.base).await;
        start
    }

    fn demo(&self) -> Value {
        serde_json::from_str(&std::fs::read_to_string(self.folder.path().join("demo.json")).unwrap()).unwrap()
    }

    async fn motor(&self) -> Option<String> {
        let demo = self.demo();
        let widget = demo["widgets"].as_array().unwrap().iter().find(|one| one["name"] == "Turntable motor").unwrap();
        let url = widget["read_url"].as_str().unwrap().replace(".json", ".txt");
        reqwest::get(url).await.ok()?.text().await.ok()
    }

    fn signal(signal: &str, process: &str) {
        assert!(Command::new("kill").args([signal, process.trim()]).status().unwrap().success());
    }
}

impl Drop for Start {
    /// As Ctrl-C does, so that the database ends with it.
    fn drop(&mut self) {
        let _ = Command::new("kill").args(["-TERM", &self.child.id().to_string()]).status();
        let _ = self.child.wait();
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn whatever_falls_is_started_again_and_nothing_acknowledged_is_lost() {
    let start = Start::new().await;
    let sender = Sender::of(&start.demo()["feeds"][0]);
    let mut acknowledged = 0;
    let before = start.motor().await.unwrap();
    // `£424.50 of £350 (121%)`: what the demo's own audience has brought, before and behind the point.
    let had = before.trim_start_matches('£').split(" of").next().unwrap();
    let (pounds, pence) =
        had.split_once('.').map_or((had, String::new()), |(pounds, pence)| (pounds, format!(".{pence}")));
    let pounds: u32 = pounds.parse().unwrap();
    for (round, what) in ["database", "application"].into_iter().enumerate() {
        if what == "database" {
            let process = std::fs::read_to_string(start.folder.path().join("db/mariadb.pid")).unwrap();
            Start::signal("-KILL", &process);
        } else {
            let of_start = Command::new("pgrep").args(["-P", &start.child.id().to_string(), "tally"]).output().unwrap();
            Start::signal("-KILL", &String::from_utf8(of_start.stdout).unwrap());
        }
        let fell = Instant::now();
        // Whoever sends meanwhile tries again until it is taken, as a sender does.
        for tip in 0..5 {
            let event = tip_as(&format!("{round} {tip}"), "1");
            until("it is taken", || async {
                let answer = tokio::time::timeout(Duration::from_secs(8), sender.send(&event)).await.ok()?.ok()?;
                (answer.status() == 200).then_some(())
            })
            .await;
            acknowledged += 1;
        }
        assert!(fell.elapsed() < Duration::from_secs(10), "the {what} took {:?}", fell.elapsed());
        let expected = format!("£{}{pence} of £350", pounds + acknowledged);
        let shown = start.motor().await.unwrap();
        assert!(shown.starts_with(&expected), "{before}, then {acknowledged} tips, but {shown}");
    }
}
