//! The real program, with the demo in it.

use super::until;
use serde_json::Value;
use std::ffi::OsString;
use std::io::{BufRead, BufReader};
use std::process::{Child, Command, Stdio};
use tempfile::TempDir;

/// In the environment, another program than the one that was built with the tests: `./bench compare` drives one.
pub const PROGRAM: &str = "TALLY_PROGRAM";

/// A running program and the folder in which it keeps its things.
pub struct Program {
    pub base: String,
    pub tip_jar: Option<String>,
    /// The address of the first visit, where nobody owns the server yet.
    pub first_visit: Option<String>,
    pub folder: TempDir,
    database: String,
    options: Vec<String>,
    child: Child,
}

impl Program {
    /// With the demo of this month, listening wherever there is room.
    pub fn start(database: &str) -> Self {
        Self::with(database, &["--demo", "--demo-days", "0"])
    }

    /// The same with the made-up world around it, and feeds wired to that.
    pub fn in_its_world(database: &str) -> Self {
        let world = ["--standins", "127.0.0.1:0", "--allow-private-addresses"];
        Self::with(database, &[&["--demo", "--demo-days", "0"], &world[..]].concat())
    }

    /// With these options, and with words in its environment.
    pub fn in_an_environment(database: &str, options: &[&str], envs: &[(&str, OsString)]) -> Self {
        let folder = TempDir::with_prefix("tally-").unwrap();
        let options: Vec<String> = options.iter().map(|one| (*one).to_owned()).collect();
        let Spawned { child, base, first_visit, tip_jar } =
            spawn_in(database, &folder, &options, "127.0.0.1:0", true, envs);
        Self { base, tip_jar, first_visit, folder, database: database.into(), options, child }
    }

    /// With these options.
    pub fn with(database: &str, options: &[&str]) -> Self {
        let folder = TempDir::with_prefix("tally-").unwrap();
        let options: Vec<String> = options.iter().map(|one| (*one).to_owned()).collect();
        let Spawned { child, base, first_visit, tip_jar } = spawn(database, &folder, &options, "127.0.0.1:0", true);
        Self { base, tip_jar, first_visit, folder, database: database.into(), options, child }
    }

    /// What the program has written about its demo.
    pub fn demo(&self) -> Value {
        let text = std::fs::read_to_string(self.folder.path().join("demo.json")).unwrap();
        serde_json::from_str(&text).unwrap()
    }

    /// kill -9.
    pub fn kill(&mut self) {
        self.child.kill().unwrap();
        self.child.wait().unwrap();
    }

    /// Asks it to stop, and waits until it has.
    pub fn stop(&mut self) {
        let asked = Command::new("kill").args(["-TERM", &self.child.id().to_string()]).status().unwrap();
        assert!(asked.success());
        let status = self.child.wait().unwrap();
        assert!(status.success(), "a stop is no failure");
    }

    /// Starts it again at the same address.
    pub fn again(&mut self) {
        let at = self.base.trim_start_matches("http://").to_owned();
        let spawned = spawn(&self.database, &self.folder, &self.options, &at, false);
        assert_eq!(spawned.base, self.base);
        (self.child, self.tip_jar) = (spawned.child, spawned.tip_jar);
    }

    /// Its process.
    pub fn id(&self) -> u32 {
        self.child.id()
    }

    /// The most memory that it has ever held, in MiB.
    pub fn most_memory(&self) -> u64 {
        most_memory(self.id())
    }

    /// Asks it to stop, and says how long that took.
    pub fn stopped_within(&mut self) -> std::time::Duration {
        let began = std::time::Instant::now();
        self.stop();
        began.elapsed()
    }

    /// The demo's widget of that name.
    pub fn widget(&self, name: &str) -> Value {
        let demo = self.demo();
        let found = demo["widgets"].as_array().unwrap().iter().find(|one| one["name"] == name).cloned();
        found.unwrap_or_else(|| panic!("the demo has no widget {name}"))
    }

    /// What a widget shows, as text.
    pub async fn text(&self, widget: &Value) -> String {
        let url = widget["read_url"].as_str().unwrap().replace(".json", ".txt");
        reqwest::get(url).await.unwrap().error_for_status().unwrap().text().await.unwrap()
    }

    /// Somebody says a line in the made-up world's chat.
    pub async fn say(&self, name: &str, badges: &str, text: &str) {
        let world = self.tip_jar.as_deref().unwrap();
        let fields = [("name", name), ("badges", badges), ("text", text)];
        let body = url::form_urlencoded::Serializer::new(String::new()).extend_pairs(fields).finish();
        let form = reqwest::Client::new().post(format!("{world}/world/chat"));
        form.header("content-type", "application/x-www-form-urlencoded").body(body).send().await.unwrap();
    }

    /// Operates a widget through the API, with a body such as `{"value": 5}`; gives what it shows then.
    pub async fn act(&self, widget: &Value, action: &str, body: Value) -> Value {
        let url = format!("{}/api/v1/widgets/{}/actions/{action}", self.base, widget["id"]);
        let token = self.demo()["api_token"].as_str().unwrap().to_owned();
        let sent = reqwest::Client::new().post(url).bearer_auth(token).json(&body).send().await.unwrap();
        sent.json().await.unwrap()
    }

    /// What a widget tells other programs.
    pub async fn read(&self, widget: &Value) -> Value {
        let url = widget["read_url"].as_str().unwrap();
        reqwest::get(url).await.unwrap().error_for_status().unwrap().json().await.unwrap()
    }

    /// Waits until a widget shows a text.
    pub async fn shows(&self, widget: &Value, expected: &str) {
        until(&format!("{} shows {expected}", widget["name"]), || async {
            (self.text(widget).await == expected).then_some(())
        })
        .await;
    }
}

struct Spawned {
    child: Child,
    base: String,
    first_visit: Option<String>,
    tip_jar: Option<String>,
}

fn spawn(database: &str, folder: &TempDir, options: &[String], listen: &str, first: bool) -> Spawned {
    spawn_in(database, folder, options, listen, first, &[])
}

fn spawn_in(
    database: &str,
    folder: &TempDir,
    options: &[String],
    listen: &str,
    first: bool,
    envs: &[(&str, OsString)],
) -> Spawned {
    let program = std::env::var_os(PROGRAM).unwrap_or_else(|| env!("CARGO_BIN_EXE_tally").into());
    let mut child = Command::new(program)
        .args(["--listen", listen, "--database", database])
        .arg("--data")
        .arg(folder.path())
        .args(options)
        .envs(envs.iter().cloned())
        .stdout(Stdio::piped())
        .spawn()
        .unwrap();
    let mut lines = BufReader::new(child.stdout.take().unwrap()).lines();
    let mut line = |what: &str| {
        let line = lines.next().unwrap_or_else(|| panic!("the program ended before it said {what}")).unwrap();
        line.strip_prefix(what).unwrap_or_else(|| panic!("{what} expected, not {line}")).to_owned()
    };
    let base = line("Eager Tally: ");
    let is_empty = first && !options.iter().any(|one| one == "--demo");
    let first_visit = is_empty.then(|| line("First visit: "));
    let tip_jar = options.iter().any(|one| one == "--standins").then(|| {
        let jar = line("Tip jar (stand-in): ");
        line("Chat, numbers, rates, a game and scripted shows (stand-ins): ");
        jar
    });
    Spawned { child, base, first_visit, tip_jar }
}

/// The most memory that a process has ever held, in MiB.
pub fn most_memory(process: u32) -> u64 {
    let status = std::fs::read_to_string(format!("/proc/{process}/status")).unwrap();
    let line = status.lines().find_map(|line| line.strip_prefix("VmHWM:")).unwrap();
    line.trim().trim_end_matches("kB").trim().parse::<u64>().unwrap() / 1024
}

impl Drop for Program {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

/// Waits until the program answers that it is ready.
pub async fn ready(base: &str) {
    until("the program is ready", || async {
        reqwest::get(format!("{base}/readyz")).await.ok().filter(|answer| answer.status().is_success()).map(drop)
    })
    .await;
}
