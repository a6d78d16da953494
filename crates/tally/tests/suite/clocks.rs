//! Clocks and the subathon clock as they are seen: pages, desk and phone desk beside the core, over a restart and a cut
//! connection; faces written by pages as the core writes them; and keys alone.

use crate::kit::browser::Browser;
use crate::kit::db::Database;
use crate::kit::hostile::Line;
use crate::kit::inside::{self, Stepping};
use crate::kit::owner::Owner;
use crate::kit::page::Page;
use crate::kit::program::Program;
use crate::kit::until;
use serde_json::{Value, json};
use std::sync::Arc;
use std::time::Duration;
use tally_core::record::entry::{Incoming, Origin};
use tally_core::record::happening::{Actor, Happening};
use tally_core::record::ids::{ChannelId, FeedId, WidgetId};
use tally_core::time::face::{Direction, Face, Units};
use tally_core::widgets::view::View;
use tally_engine::{ChannelHandle, Clock, Engine};
use tokio::task::JoinHandle;

const MARATHON: &str = "Thirty-hour build-through";

/// The program's rooms in this process, over a demo that the real one has made, by a clock of the test's own.
struct Inside {
    program: Program,
    database: Database,
    clock: Arc<Stepping>,
    engine: Engine,
    channel: ChannelHandle,
    server: actix_web::dev::ServerHandle,
    serving: JoinHandle<std::io::Result<()>>,
}

impl Inside {
    async fn start() -> Self {
        let database = Database::new();
        let mut program = Program::start(&database.url);
        program.stop();
        let clock = Arc::new(Stepping::default());
        let (engine, channel, server, serving) = Self::serve(&database, &program, &clock).await;
        Self { program, database, clock, engine, channel, server, serving }
    }

    async fn serve(
        database: &Database,
        program: &Program,
        clock: &Arc<Stepping>,
    ) -> (Engine, ChannelHandle, actix_web::dev::ServerHandle, JoinHandle<std::io::Result<()>>) {
        let engine = inside::engine(&database.url, Arc::clone(clock) as Arc<dyn Clock>);
        engine.be_present().await.unwrap();
        let channel = engine.channel(ChannelId(1)).await.unwrap();
        let server = inside::serve(engine.clone(), &program.base);
        (engine, channel, server.handle(), tokio::spawn(server))
    }

    /// Down, and up again at the same address.
    async fn restart(&mut self) {
        self.down().await;
        self.up().await;
    }

    async fn down(&mut self) {
        self.server.stop(false).await;
        let _ = (&mut self.serving).await;
        self.engine.stop().await;
    }

    async fn up(&mut self) {
        (self.engine, self.channel, self.server, self.serving) =
            Self::serve(&self.database, &self.program, &self.clock).await;
    }

    fn id(&self, name: &str) -> WidgetId {
        WidgetId(u32::try_from(self.program.widget(name)["id"].as_u64().unwrap()).unwrap())
    }

    /// The demo plans a break for the next midnight; none may fall into a test, whatever the time of day.
    async fn plan_no_breaks(&self, widget: WidgetId) {
        let owner = Owner::of(&self.program).await;
        owner.done(&format!("/widgets/{}/edit", widget.0), &[("key", "breaks"), ("text", "")]).await;
        owner.done(&format!("/widgets/{}/put-on-air", widget.0), &[]).await;
    }

    async fn view(&self, widget: WidgetId) -> View {
        self.channel.ask(move |channel, now| channel.view(widget, now)).await.unwrap().unwrap()
    }

    async fn tip(&self, id: &str, minor: i64) {
        let actor = Actor { id: None, name: "pinecone_ade".into(), avatar: None, anonymous: false };
        let amount = tally_core::money::Money { minor, currency: tally_core::money::Currency::parse("GBP").unwrap() };
        let origin = Origin { source: "/script".into(), id: id.into() };
        let happening = Happening::Tip { actor, amount, message: None };
        self.channel.ingest(FeedId(1), vec![Incoming { origin, happened_at: None, happening }]).await.unwrap();
    }

    async fn stop(self) {
        self.server.stop(false).await;
        self.engine.stop().await;
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn pages_write_faces_as_the_core_does() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let browser = Browser::open().await;
    browser.go(program.widget("First train leaves in")["page_url"].as_str().unwrap()).await;
    browser.shows_one(".air.clock").await;
    let mut lengths: Vec<i64> = (0..2_000).map(|step| step * step * 37 % 400_000_000).collect();
    lengths
        .extend([0, 1, 99, 100, 999, 1_000, 9_950, 10_000, 59_000, 59_001, 60_000, 3_599_001, 86_399_999, 86_400_000]);
    for (units, tenths) in Units::ALL.into_iter().flat_map(|units| [(units, 0), (units, 10_000), (units, 3_600_000)]) {
        for direction in [Direction::Down, Direction::Up] {
            let face = Face { units, direction, tenths_under: tenths };
            let ours: Vec<String> = lengths.iter().map(|ms| face.write(*ms)).collect();
            let script = format!(
                "return JSON.stringify({}.map((ms) => tallyClock.write(ms, '{}', {tenths}, {})))",
                json!(lengths),
                units.key(),
                direction == Direction::Down
            );
            let theirs = browser.run(&script).await;
            let theirs: Vec<String> = serde_json::from_str(theirs.as_str().unwrap()).unwrap();
            assert_eq!(theirs, ours, "{face:?}");
        }
    }
    for text in
        ["{{ days }} d {{ hh }}:{{ mm }}", "{{minutes}} min {{ ss }}", "{{ hours }} h {{ seconds }}", "{{ seconds }}"]
    {
        for direction in [Direction::Down, Direction::Up] {
            let ours: Vec<String> = lengths.iter().map(|ms| Face::plain(direction).fill(text, *ms)).collect();
            let down = direction == Direction::Down;
            let script =
                format!("return JSON.stringify({}.map((ms) => tallyClock.fill({text:?}, ms, {down})))", json!(lengths));
            let theirs = browser.run(&script).await;
            assert_eq!(serde_json::from_str::<Vec<String>>(theirs.as_str().unwrap()).unwrap(), ours, "{text}");
        }
    }
    browser.close().await;
}

/// Ten minutes of a script at sixty times its speed, over a cut connection and a restart.
#[tokio::test(flavor = "multi_thread")]
async fn a_subathon_shows_everywhere_what_the_core_reckons() {
    let mut inside = Inside::start().await;
    let id = inside.id(MARATHON);
    inside.plan_no_breaks(id).await;
    let base = inside.program.base.clone();
    let line = Line::to(base.trim_start_matches("http://"));
    let page_url = inside.program.widget(MARATHON)["page_url"]
        .as_str()
        .unwrap()
        .replace(base.trim_start_matches("http://"), &line.at);
    let (page, desk, phone) = (Browser::open().await, Browser::open().await, Browser::open().await);
    page.go(&page_url).await;
    page.shows_one(".subathon.is-running").await;
    phone.size(390, 844).await;
    for browser in [&desk, &phone] {
        browser.sign_in(&base, &inside.program.demo()).await;
        browser.go(&format!("{base}/desk")).await;
        browser.live().await;
    }
    let View::Subathon(before) = inside.view(id).await else { panic!() };
    let clock = Arc::clone(&inside.clock);
    let hurry = tokio::spawn(async move {
        let began = std::time::Instant::now();
        loop {
            tokio::time::sleep(Duration::from_millis(50)).await;
            clock.set(i64::try_from(began.elapsed().as_millis() * 59 / 1_000).unwrap());
        }
    });
    for minute in 0..10 {
        tokio::time::sleep(Duration::from_secs(1)).await;
        match minute {
            // The fourth plate's row of keys: 5 minutes more, and a boost.
            1 => desk.keys("x").await,
            2 => desk.keys("c").await,
            // The page is cut off, and comes back by itself.
            4 => line.cut(),
            6 => {
                inside.restart().await;
                desk.live().await;
            }
            8 => phone.click(&format!("[data-press=subtract][data-widget=\"{}\"]", id.0)).await,
            _ => {}
        }
        inside.tip(&format!("minute {minute}"), 150).await;
    }
    until("the press from the phone is there", || async {
        let View::Subathon(view) = inside.view(id).await else { panic!() };
        (view.taken_ms > before.taken_ms).then_some(())
    })
    .await;
    desk.keys("z").await;
    until("it is paused", || async {
        let View::Subathon(view) = inside.view(id).await else { panic!() };
        view.ends_at.is_none().then_some(())
    })
    .await;
    hurry.abort();
    let View::Subathon(after) = inside.view(id).await else { panic!() };
    // Ten tips of £1.50 at 40 s a pound; those after the boost count twice. Five minutes were added and taken.
    let tips = (after.added_ms - before.added_ms) - (after.taken_ms - before.taken_ms);
    assert!((600_000..=1_200_000).contains(&tips) && tips % 60_000 == 0, "{tips}");
    assert_eq!(after.left_ms - before.left_ms, tips - (after.ran_ms - before.ran_ms));
    let ran = after.ran_ms - before.ran_ms;
    assert!(ran > 9 * 60_000, "it ran for ten minutes and more: {ran}");
    let plate = format!("[data-live=\"d{}\"] .plate-value", id.0);
    for (browser, css) in [(&page, ".clock-face"), (&desk, plate.as_str()), (&phone, plate.as_str())] {
        browser.shows(css, &after.shown).await;
    }
    // A reset asks once, in its place, and does not take the keys.
    let reset = format!("[data-press=reset][data-widget=\"{}\"]", id.0);
    desk.click(&reset).await;
    desk.shows(&reset, "Sure? Press again").await;
    desk.keys("2").await;
    desk.shows(".plate:nth-of-type(1) .plate-value", "1").await;
    desk.shows(&plate, &after.shown).await;
    desk.click(&reset).await;
    desk.click(&reset).await;
    desk.shows(&plate, "10:00:00").await;
    page.shows(".clock-face", "10:00:00").await;
    for browser in [page, desk, phone] {
        browser.close().await;
    }
    inside.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_clock_to_a_moment_is_seen_turning_to_done_and_hiding_and_is_set_up_by_keys() {
    let inside = Inside::start().await;
    let id = inside.id("First train at 19:30");
    let base = &inside.program.base;
    let bench = Browser::open().await;
    bench.sign_in(base, &inside.program.demo()).await;
    bench.go(&format!("{base}/widgets/{}", id.0)).await;
    bench.live().await;
    // By keys alone: to the part, into it, out of it, and on air.
    until("the part has the focus", || async {
        bench.keys("\u{e004}").await;
        let held = bench.run("return document.activeElement?.closest('[data-part]')?.dataset.part ?? ''").await;
        (held == "hide_after").then_some(())
    })
    .await;
    bench.keys("\u{e007}").await;
    bench.keys("30\u{e007}").await;
    bench.shows("[data-part=hide_after] .part-shown", "30").await;
    bench.run("document.activeElement.blur()").await;
    bench.keys("p").await;
    until("it is on air", || async {
        let hides = inside
            .channel
            .ask(move |channel, _| channel.widget(id).unwrap().setup() == channel.staged(id).unwrap().setup());
        hides.await.unwrap().then_some(())
    })
    .await;

    let View::Clock(view) = inside.view(id).await else { panic!() };
    let tally_core::widgets::clock::Anchor::Ends { at } = view.anchor else { panic!("{view:?}") };
    let away = (at - inside.engine.now()).num_seconds();
    let page = Browser::open().await;
    inside.clock.set(away - 20);
    page.go(inside.program.widget("First train at 19:30")["page_url"].as_str().unwrap()).await;
    page.shows_one(".clock.is-running.is-last-minute").await;
    // Time is asked of the server, so the page goes by its clock.
    inside.clock.set(away + 1);
    let _ = inside.view(id).await;
    page.shows(".clock.is-done .clock-face", "All aboard").await;
    inside.clock.set(away + 32);
    let _ = inside.view(id).await;
    page.shows_one(".clock.is-running").await;
    // A week lies between this train and the next.
    let View::Clock(next) = inside.view(id).await else { panic!() };
    assert!(next.ms > 6 * 86_400_000, "{next:?}");
    // One that comes once is done and hides.
    let owner = Owner::of(&inside.program).await;
    let soon = inside.engine.now() + chrono::TimeDelta::minutes(2);
    let local = inside.channel.ask(move |channel, _| channel.settings().calendar.local(soon)).await.unwrap();
    let moment = local.format("%Y-%m-%dT%H:%M").to_string();
    for (key, text) in [("every", "once"), ("moment", moment.as_str())] {
        owner.done(&format!("/widgets/{}/edit", id.0), &[("key", key), ("text", text)]).await;
    }
    owner.done(&format!("/widgets/{}/put-on-air", id.0), &[]).await;
    page.shows_one(".clock.is-running").await;
    inside.clock.set(away + 32 + 125);
    let _ = inside.view(id).await;
    page.shows(".clock.is-done .clock-face", "All aboard").await;
    inside.clock.set(away + 32 + 200);
    let _ = inside.view(id).await;
    page.shows_one(".clock.is-away").await;
    for browser in [bench, page] {
        browser.close().await;
    }
    inside.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn an_hour_without_a_server_is_told_and_the_clock_ran_on_or_stood_still() {
    let mut inside = Inside::start().await;
    let id = inside.id(MARATHON);
    let owner = Owner::of(&inside.program).await;
    let subathon = async |inside: &Inside| match inside.view(id).await {
        View::Subathon(view) => view,
        other => panic!("{other:?}"),
    };
    inside.plan_no_breaks(id).await;
    let mut hours = 0;
    for (setting, ran) in [("runs", true), ("stands", false)] {
        owner.done(&format!("/widgets/{}/edit", id.0), &[("key", "while_away"), ("text", setting)]).await;
        let _ = owner.post(&format!("/widgets/{}/put-on-air", id.0), &[]).await;
        let before = subathon(&inside).await;
        // It was last seen now; it is back an hour later.
        inside.engine.be_present().await.unwrap();
        inside.down().await;
        hours += 1;
        inside.clock.set(hours * 3_600);
        inside.up().await;
        let after = subathon(&inside).await;
        let passed = before.left_ms - after.left_ms;
        let expected = if ran { 3_600_000 } else { 0 };
        assert!((expected..expected + 60_000).contains(&passed), "{setting}: {passed}");
        let told = if ran { "it ran on" } else { "it stood still" };
        let ledger = owner.page("/ledger").await;
        assert!(ledger.contains("noted that the server was away for 1:00:") && ledger.contains(told), "{ledger}");
    }
    inside.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn all_sounds_are_turned_off_and_on_at_the_desk() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let owner = Owner::of(&program).await;
    let widget = program.widget("First train leaves in");
    let edit = format!("/widgets/{}/edit", widget["id"]);
    owner.done(&edit, &[("key", "done_sound"), ("text", "gong")]).await;
    owner.done(&format!("/widgets/{}/put-on-air", widget["id"]), &[]).await;
    let mut page = Page::open(widget["page_url"].as_str().unwrap()).await;
    let loud = page.drawn("data-done-sound=\\\"gong\\\"").await.to_string();
    assert!(loud.contains("data-volume=\\\"60\\\""), "{loud}");
    let _ = owner.post("/desk/sounds", &[("muted", "true")]).await;
    page.drawn("data-volume=\\\"0\\\"").await;
    assert!(owner.page("/desk").await.contains(">Muted<"));
    let _ = owner.post("/desk/sounds", &[("muted", "false")]).await;
    page.drawn("data-volume=\\\"60\\\"").await;
}

#[tokio::test(flavor = "multi_thread")]
async fn whatever_the_desk_presses_works_for_programs_too() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let token = program.demo()["api_token"].as_str().unwrap().to_owned();
    let client = reqwest::Client::new();
    let api = |path: String| format!("{}/api/v1/widgets/{path}", program.base);
    for name in [MARATHON, "Round the yard", "First train leaves in", "Derailments"] {
        let id = &program.widget(name)["id"];
        let mut pressed = std::collections::BTreeSet::new();
        // Levers that are there only in another state come up on the way.
        for _ in 0..4 {
            let one: Value =
                client.get(api(id.to_string())).bearer_auth(&token).send().await.unwrap().json().await.unwrap();
            for lever in one["actions"].as_array().unwrap().iter().filter(|lever| lever["ready"] == true) {
                let (action, value) = (lever["action"].as_str().unwrap(), &lever["value"]);
                let url = api(format!("{id}/actions/{action}"));
                let press = client.post(url).bearer_auth(&token).json(&json!({"value": value}));
                let answer = press.send().await.unwrap();
                let status = answer.status();
                let said: Value = answer.json().await.unwrap();
                // What an earlier press of this round has made senseless says why.
                assert!(status == 200 || (status == 409 && said["detail"].is_string()), "{name} {action}: {said}");
                if status == 200 {
                    pressed.insert(action.to_owned());
                }
            }
        }
        assert!(pressed.len() >= 4, "{name}: {pressed:?}");
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn a_word_in_chat_adds_time_and_is_a_line_of_the_ledger() {
    let database = Database::new();
    let program = Program::in_its_world(&database.url);
    let (marathon, owner) = (program.widget(MARATHON), Owner::of(&program).await);
    let by = async |name: &str| {
        let newest = program.read(&marathon).await["newest"].clone();
        newest.as_array().unwrap().iter().filter(|one| one["name"] == name).count()
    };
    let added = |name: &'static str| {
        let (program, by) = (&program, &by);
        async move || {
            // The chat may take a while to connect; said again and again, a word is heard once.
            program.say(name, "follower", "!COAL for the big one").await;
            (by(name).await == 1).then_some(())
        }
    };
    until("a word adds time", added("tallow_wren")).await;
    for _ in 0..5 {
        program.say("tallow_wren", "follower", "!coal").await;
    }
    until("another adds too", added("quietferry")).await;
    assert_eq!(by("tallow_wren").await, 1);
    let ledger = owner.page("/ledger?kind=command").await;
    assert_eq!(ledger.matches("tallow_wren says !coal").count(), 1);
}
