//! Every family that reads the ledger, in a real browser: built from the shelf, its sentence and a
//! drawer changed, stage and open page following, an event sent, the right drawing seen.

use crate::kit::PICTURE;
use crate::kit::bench::Bench;
use crate::kit::browser::Browser;
use crate::kit::db::Database;
use crate::kit::program::Program;
use crate::kit::sender::{Sender, tip};
use crate::kit::until;
use actix_web::{App, HttpResponse, HttpServer, web};
use fantoccini::Locator;
use fantoccini::actions::{InputSource, MOUSE_BUTTON_LEFT, MouseActions, PointerAction};
use serde_json::{Value, json};

#[tokio::test(flavor = "multi_thread")]
async fn a_goal_climbs_its_ladder_and_celebrates_once() {
    let bench = Bench::from("ladder").await;
    bench.says("rungs", "Tea break: 10\nNight train: 20").await;
    bench.browser.shows(".stage-tried .goal-ladder", "Night train").await;
    bench.not_yet_on_air(".goal-ladder", "Night train£20").await;
    bench.says("period", "all_time").await;
    bench.says("only", "people").await;
    bench.says("people", "brass_whistle").await;
    bench.sets("colour", "fill", "#3355aa").await;
    bench.put_on_air().await;
    bench.coloured("fill", "#3355aa").await;
    bench.on_air(".goal-ladder", "Night train£20").await;
    bench.browser.to(&bench.page).await;
    // A canvas comes and goes; what matters is that it came, once.
    bench
        .browser
        .run(
            "window.celebrations = 0; new MutationObserver((all) => all.forEach((one) => one.addedNodes.forEach((node) =>
            { if (node.className === 'celebration') window.celebrations += 1; }))).observe(document.body, {childList: true});",
        )
        .await;
    bench.browser.to(&bench.bench).await;
    let before = bench.browser.text(".sentence-now").await;
    assert!(before.contains("£0 of £10"), "{before}");
    bench.happens("tip", json!({"actor": {"name": "brass_whistle"}, "amount": "12", "currency": "GBP"})).await;
    bench.on_air(".rung.is-lit", "Tea break").await;
    bench.on_air(".goal-value", "£12").await;
    bench.happens("tip", json!({"actor": {"name": "brass_whistle"}, "amount": "1", "currency": "GBP"})).await;
    bench.on_air(".goal-value", "£13").await;
    bench.browser.to(&bench.page).await;
    assert_eq!(bench.browser.run("return window.celebrations").await, json!(1), "one celebration for one rung");
    bench.browser.close().await;
}

/// A finger is down on the bar while the answer to an earlier edit draws the bar anew.
#[tokio::test(flavor = "multi_thread")]
async fn a_press_counts_though_an_answer_comes_between_down_and_up() {
    let bench = Bench::from("top-five").await;
    bench.says("most", "3").await;
    let button = bench.browser.client.find(Locator::Css("#bar [data-bench-key=p]")).await.unwrap();
    let mouse = |then: MouseActions| bench.browser.client.perform_actions(then);
    let over = PointerAction::MoveToElement { element: button, duration: None, x: 0., y: 0. };
    mouse(MouseActions::new("finger".into()).then(over).then(PointerAction::Down { button: MOUSE_BUTTON_LEFT }))
        .await
        .unwrap();
    let edit = "document.querySelector('#bar').dataset.old = 1;
        const field = document.querySelector(\"[data-part='most'] [name=text]\");
        field.value = '4'; field.form.requestSubmit();";
    bench.browser.run(edit).await;
    bench.browser.shows_one("#bar:not([data-old])").await;
    bench.browser.shows("#bar", "Undo: changed").await;
    mouse(MouseActions::new("finger".into()).then(PointerAction::Up { button: MOUSE_BUTTON_LEFT })).await.unwrap();
    bench.browser.shows("#bar", "Undo: put it on air").await;
    bench.browser.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_total_counts_on_from_where_it_is_told_to_start() {
    let bench = Bench::from("follower-count").await;
    bench.says("1.start", "5000").await;
    bench.browser.shows(".stage-tried .total-value", "5,").await;
    bench.says("1.only", "people").await;
    bench.says("1.people", "dusty_bogie_2").await;
    bench.browser.shows(".stage-tried .total-value", "5,000").await;
    bench.sets("text", "font", "oswald").await;
    bench.put_on_air().await;
    bench.on_air(".total-value", "5,000").await;
    bench.coloured("font", "\"Oswald\", \"Noto Sans\", sans-serif").await;
    bench.happens("follow", json!({"actor": {"name": "dusty_bogie_2"}})).await;
    bench.on_air(".total-value", "5,001").await;
    // Numbers as another language writes them.
    bench.sets("text", "language", "de").await;
    bench.put_on_air().await;
    bench.on_air(".total-value", "5.001").await;
    bench.browser.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_label_names_the_latest_in_its_own_words() {
    let bench = Bench::from("latest-follow").await;
    bench.browser.click("[data-part=template] .part-shown").await;
    bench.browser.fill("[data-part=template] textarea", "welcome {{ nmae }}").await;
    bench.browser.shows("[data-part=template] .template-says", "line 1, column 12: there is no value called").await;
    bench.browser.fill("[data-part=template] textarea", "welcome *").await;
    bench.browser.click("[data-part=template] [data-chip=name]").await;
    bench.browser.keys("*").await;
    bench.browser.shows("[data-part=template] .template-says", "welcome pinecone_ade").await;
    bench.browser.keys("\u{e007}").await;
    bench.browser.shows(".stage-tried .label-text", "welcome").await;
    bench.not_yet_on_air(".label-text", "welcome").await;
    bench.sets("colour", "background", "#204020").await;
    bench.browser.shows(".warning", "hard to read on its plate").await;
    bench.put_on_air().await;
    bench.coloured("background", "#204020").await;
    bench.happens("follow", json!({"actor": {"name": "<b>Zażółć</b> *🚂*"}})).await;
    bench.on_air(".label-text", "welcome <b>Zażółć</b> *🚂*").await;
    // Changes made faster than they are answered are all taken, and a press right behind them means them too.
    let at_once = "const set = (key, value) => {
            const field = document.querySelector(`[data-control=${key}] [name=text]`);
            field.value = value;
            field.dispatchEvent(new Event('change', {bubbles: true}));
        };
        set('text_colour', '#fedcba');
        set('background', '#654321');
        set('border_colour', '#123456');
        document.body.dispatchEvent(new KeyboardEvent('keydown', {key: 'p', bubbles: true}));";
    bench.browser.run(at_once).await;
    for (token, value) in [("text_colour", "#fedcba"), ("background", "#654321"), ("border_colour", "#123456")] {
        bench.coloured(token, value).await;
    }
    bench.browser.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_carousel_shows_its_labels_in_turn() {
    let bench = Bench::from("in-turn").await;
    bench.says("1.title", "Newest face").await;
    bench.browser.shows(".stage-tried .air-title", "Newest face").await;
    bench.says("1.more", "add").await;
    bench.says("2.seconds", "2").await;
    bench.sets("spacing", "padding", "120").await;
    bench.put_on_air().await;
    bench.on_air(".label-one:nth-child(2) .air-title", "Latest tip").await;
    bench.coloured("padding", "120").await;
    bench.happens("follow", json!({"actor": {"name": "oatcake_jo"}})).await;
    bench.on_air(".label-one:nth-child(1) .label-text", "oatcake_jo").await;
    bench.browser.to(&bench.page).await;
    // Exactly one has its turn, and after some seconds it is another.
    let turn = "const all = [...document.querySelectorAll('.label-one')]; const has = all.filter((one) => one.classList.contains('has-turn')); return has.length === 1 ? all.indexOf(has[0]) : -1";
    let first = bench.browser.run(turn).await;
    assert_ne!(first, json!(-1));
    until("another has its turn", || async { (bench.browser.run(turn).await != first).then_some(()) }).await;
    bench.browser.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn an_event_list_folds_a_burst_and_tells_each_kind_its_own_way() {
    let bench = Bench::from("just-now").await;
    bench.says("most", "3").await;
    bench.browser.click("[data-drawer=kinds]").await;
    bench.browser.click("[data-kind=tip] summary").await;
    bench.browser.fill("[data-control='line:tip:template'] textarea", "{{ name }} gave *{{ amount }}*!").await;
    bench.browser.keys("\u{e007}").await;
    bench.browser.shows(".kind:nth-child(4) .kind-more summary", "Changed").await;
    let colour = "const field = document.querySelector(\"[data-control='kind:tip:background'] [name=text]\"); field.value = '#ffe0e0'; field.dispatchEvent(new Event('change', {bubbles: true}));";
    bench.browser.run(colour).await;
    bench
        .shows_after(
            "return document.querySelector(\"[data-control='kind:tip:background']\")?.classList.contains('is-own') ?? false",
        )
        .await;
    bench.put_on_air().await;
    bench.happens("gift", json!({"actor": {"name": "lamplit_sam"}, "tier": 1, "count": 20})).await;
    for number in 0..20 {
        let sub =
            json!({"actor": {"name": format!("passenger_{number}")}, "tier": 1, "gifted_by": {"name": "lamplit_sam"}});
        bench.happens("sub", sub).await;
    }
    bench.on_air(".entry:nth-child(1)", "lamplit_sam gave 20 subscriptions").await;
    bench.browser.to(&bench.page).await;
    assert!(!bench.browser.text(".list-lines").await.contains("passenger_"), "one line for the whole burst");
    bench.browser.to(&bench.bench).await;
    bench.happens("tip", json!({"actor": {"name": "ninepins"}, "amount": "12.50", "currency": "EUR"})).await;
    bench.on_air(".entry:nth-child(1)", "ninepins gave €12.50!").await;
    bench.browser.to(&bench.page).await;
    let plate = "return getComputedStyle(document.querySelector('.entry.of-tip')).backgroundColor";
    let plate = bench.browser.run(plate).await;
    assert!(plate.as_str().unwrap().contains("1 0.878431 0.878431"), "the kind's own plate, not {plate}");
    assert_eq!(bench.browser.run("return document.querySelectorAll('.entry:not(.leaves)').length").await, json!(3));
    bench.browser.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_ticker_runs_without_end_and_takes_in_what_happens() {
    let bench = Bench::from("tape").await;
    bench.says("texts", "Tea at eight").await;
    bench.browser.shows(".stage-tried .tape-copy", "Tea at eight").await;
    bench.sets("motion", "scroll_speed", "9").await;
    bench.put_on_air().await;
    bench.on_air(".tape-copy", "Tea at eight").await;
    bench.coloured("scroll_speed", "9").await;
    bench.happens("raid", json!({"actor": {"name": "heron_yard"}, "viewers": 42})).await;
    bench.on_air(".tape-copy", "heron_yard came with 42 viewers").await;
    bench.browser.to(&bench.page).await;
    let whole =
        "const tape = document.querySelector('.tape'); const room = document.querySelector('.tape-window').clientWidth;
        return tape.scrollWidth >= room + tape.firstElementChild.offsetWidth && tape.getAnimations().length === 1";
    assert_eq!(bench.browser.run(whole).await, json!(true), "it is long enough to be seamless, and runs once");
    bench.browser.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_leaderboard_lets_ranks_trade_places() {
    let bench = Bench::from("top-five").await;
    bench.says("period", "today").await;
    bench.says("most", "3").await;
    bench.browser.shows("#bar", "not on air yet").await;
    bench.sets("spacing", "gap", "60").await;
    bench.put_on_air().await;
    bench.coloured("gap", "60").await;
    let tip = |name: &str, amount: &str| json!({"actor": {"name": name}, "amount": amount, "currency": "GBP"});
    bench.happens("tip", tip("kestrel_oak", "9000")).await;
    bench.on_air(".leaderboard-row:nth-child(1)", "1kestrel_oak£9,0").await;
    bench.happens("tip", tip("semaphore_sue", "9500")).await;
    bench.on_air(".leaderboard-row:nth-child(1)", "1semaphore_sue£9,5").await;
    bench.on_air(".leaderboard-row:nth-child(2)", "2kestrel_oak£9,0").await;
    bench
        .happens("tip", json!({"actor": {"name": "x", "anonymous": true}, "amount": "99999", "currency": "GBP"}))
        .await;
    bench.happens("tip", tip("kestrel_oak", "1000")).await;
    bench.on_air(".leaderboard-row:nth-child(1)", "1kestrel_oak£10,").await;
    bench.browser.close().await;
}

/// Serves a picture, and the address at which.
fn pictures() -> String {
    let listener = std::net::TcpListener::bind("127.0.0.1:0").unwrap();
    let at = listener.local_addr().unwrap();
    let server = HttpServer::new(|| {
        let picture = async || HttpResponse::Ok().content_type("image/png").body(PICTURE);
        App::new().route("/face.png", web::get().to(picture))
    });
    tokio::spawn(server.workers(1).listen(listener).unwrap().run());
    format!("http://{at}")
}

#[tokio::test(flavor = "multi_thread")]
async fn a_crowd_wall_draws_a_face_for_everybody() {
    let bench = Bench::from("new-followers").await;
    bench.says("rows", "2").await;
    bench.says("columns", "3").await;
    bench.shows_after("return document.querySelectorAll('.stage-tried .face').length === 6").await;
    bench.sets("colour", "border_colour", "#aa0044").await;
    bench.put_on_air().await;
    bench.coloured("border_colour", "#aa0044").await;
    bench.happens("follow", json!({"actor": {"name": "gauge_one"}})).await;
    bench.on_air(".wall-place:nth-child(1)", "gauge_one").await;

    // Who has a picture is seen on it; where it cannot be had, the drawn face stands.
    let pictures = pictures();
    for (name, file) in [("gauge_two", "face.png"), ("gauge_three", "missing.png")] {
        let actor = json!({"name": name, "avatar": format!("{pictures}/{file}")});
        bench.happens("follow", json!({"actor": actor})).await;
        bench.on_air(".wall-place:nth-child(1)", name).await;
    }
    bench.browser.to(&bench.page).await;
    bench
        .shows_after(
            "return [...document.querySelectorAll('.face-picture')]
                .map((one) => `${one.closest('li').innerText.trim()} ${one.naturalWidth}`).join() === 'gauge_two 160'",
        )
        .await;
    assert_eq!(
        bench.browser.run("return document.querySelectorAll('.wall-place:not(.leaves) .face').length").await,
        json!(6)
    );
    bench.browser.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn chat_lines_show_what_is_said_but_not_what_is_hidden() {
    let bench = Bench::from("chat").await;
    bench.says("people", "tallow_wren").await;
    bench.says("words", "sham").await;
    bench.sets("text", "font_size", "80").await;
    bench.put_on_air().await;
    bench.coloured("font_size", "80").await;
    let say = async |name: &str, text: &str| bench.program.say(name, "follower", text).await;
    until("the chat is heard", || async {
        say("tallow_wren", "never shown").await;
        say("ninepins", "what a sham").await;
        say("quietferry", "see https://example.org now").await;
        bench.browser.to(&bench.page).await;
        bench.browser.text(".list-lines").await.contains("quietferrysee (link) now").then_some(())
    })
    .await;
    let shown = bench.browser.text(".list-lines").await;
    assert!(!shown.contains("never shown") && !shown.contains("sham"), "{shown}");
    bench.browser.close().await;
}

/// Whether every text of a drawing is inside its box: what does not fit is cut off by a box that lies
/// within, never painted outside.
const INSIDE: &str = "
    const air = document.querySelector('.air');
    const outer = air.getBoundingClientRect();
    const whole = outer.left >= -1 && outer.top >= -1 && outer.right <= innerWidth + 1 && outer.bottom <= innerHeight + 1;
    const cuts = (one) => { const style = getComputedStyle(one); return style.overflowX !== 'visible' || style.overflowY !== 'visible'; };
    const wrong = [];
    const texts = document.createTreeWalker(air, NodeFilter.SHOW_TEXT);
    for (let text = texts.nextNode(); text; text = texts.nextNode()) {
        if (!text.data.trim()) continue;
        const range = document.createRange();
        range.selectNodeContents(text);
        let box = range.getBoundingClientRect();
        const hidden = (one) => one && one !== air && (getComputedStyle(one).opacity === '0' || hidden(one.parentElement));
        if (hidden(text.parentElement) || text.parentElement.closest('[data-turn]:not(.has-turn)')) continue;
        let seen = {left: box.left, right: box.right, top: box.top, bottom: box.bottom};
        for (let one = text.parentElement; one && one !== air; one = one.parentElement) {
            if (!cuts(one)) continue;
            const edge = one.getBoundingClientRect();
            seen = {left: Math.max(seen.left, edge.left), right: Math.min(seen.right, edge.right), top: Math.max(seen.top, edge.top), bottom: Math.min(seen.bottom, edge.bottom)};
        }
        if (seen.right <= seen.left || seen.bottom <= seen.top) continue;
        if (seen.left < outer.left - 1.5 || seen.right > outer.right + 1.5 || seen.top < outer.top - 1.5 || seen.bottom > outer.bottom + 1.5) wrong.push(text.data.slice(0, 40) + JSON.stringify([seen, outer]));
    }
    const marked = air.querySelector('script, img:not(.board-flag), iframe, b b') !== null;
    return JSON.stringify({whole, marked, wrong});";

#[tokio::test(flavor = "multi_thread")]
async fn no_text_leaves_its_box_for_the_hardest_names() {
    let database = Database::new();
    let program = Program::in_its_world(&database.url);
    let names = [
        "W".repeat(400),
        "<script>alert(1)</script><img src=x onerror=alert(2)>".to_owned(),
        "Z\u{351}\u{343}\u{352}\u{300}\u{301}\u{302}\u{303}a\u{346}\u{34a}\u{30b}\u{30c}\u{30d}l\u{301}\u{302}\u{33f}g\u{316}\u{317}\u{318}\u{323}o".repeat(9),
        "zero\u{200b}\u{200d}\u{feff}width\u{200b}".repeat(12),
        "محطة القطار الكبيرة جدا ".repeat(10).trim().to_owned(),
        "👩‍👩‍👧‍👦🏳️‍🌈🚂".repeat(20),
        "supercalifragilistic_駅長_Стрелочник_Ευγενία_".repeat(6),
    ];
    let (tips, platform) = (Sender::of(&program.demo()["feeds"][0]), Sender::of(&program.demo()["feeds"][1]));
    for (number, name) in names.iter().enumerate() {
        let actor = json!({"id": format!("hard-{number}"), "name": name});
        let event = |kind: &str, data: Value| json!({"specversion": "1.0", "id": format!("{kind}-{number}"), "source": "/hard", "type": format!("tally.{kind}"), "data": data});
        platform.deliver(&event("follow", json!({"actor": actor}))).await;
        platform.deliver(&event("sub", json!({"actor": actor, "tier": 1, "message": name}))).await;
        let amount = "9999999999.99";
        tips.deliver(&event("tip", json!({"actor": actor, "amount": amount, "currency": "GBP", "message": name})))
            .await;
    }
    let browser = Browser::open().await;
    browser.tab("about:blank").await;
    browser.sign_in(&program.base, &program.demo()).await;
    let owner = crate::kit::owner::Owner::of(&program).await;
    let demo = program.demo();
    let mut looked = 0;
    for widget in demo["widgets"].as_array().unwrap() {
        let (id, family) = (&widget["id"], widget["family"].as_str().unwrap());
        let page = owner.page(&format!("/widgets/{id}/looks")).await;
        let variants: Vec<&str> =
            page.split("name=\"variant\" value=\"").skip(1).filter_map(|rest| rest.split('"').next()).collect();
        assert!(variants.len() >= 10, "{family}: {variants:?}");
        // Every shape once, with the looks by turns.
        for (number, variant) in variants.iter().enumerate().filter(|(number, _)| number % 5 == (number / 5) % 5) {
            owner.done(&format!("/widgets/{id}/look"), &[("variant", variant)]).await;
            let _ = owner.post(&format!("/widgets/{id}/put-on-air"), &[]).await;
            browser.go(widget["page_url"].as_str().unwrap()).await;
            let (look, shape) = variant.split_once(' ').unwrap();
            browser.shows_one(&format!(".air.look-{look}.shape-{shape}")).await;
            for (width, height) in [(300, 200), (1_800, 500), (420, 900)] {
                browser.size(width, height).await;
                let said = browser.run(INSIDE).await;
                let said: Value = serde_json::from_str(said.as_str().unwrap()).unwrap();
                assert_eq!(
                    said,
                    json!({"whole": true, "marked": false, "wrong": []}),
                    "{family} {variant} {width}x{height} ({number})"
                );
                looked += 1;
            }
        }
    }
    assert!(looked > 100, "{looked} drawings");
    browser.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn who_asks_for_less_motion_sees_none() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let browser = Browser::open().await;
    let goal = program.widget("Turntable motor");
    browser.tab(goal["page_url"].as_str().unwrap()).await;
    let watch =
        "window.moved = []; new MutationObserver((all) => all.forEach((one) => { window.changedAt = performance.now(); one.addedNodes.forEach((node) => {
        if (node.classList?.contains('celebration') || node.classList?.contains('digit')) moved.push(node.className);
    }); })).observe(document.body, {childList: true, characterData: true, subtree: true});";
    let calm = |value: &str| json!({"features": [{"name": "prefers-reduced-motion", "value": value}]});
    let sender = Sender::of(&program.demo()["feeds"][0]);

    browser.devtools("Emulation.setEmulatedMedia", calm("reduce")).await;
    browser.shows(".goal-value", "£212.50").await;
    browser.run(watch).await;
    sender.deliver(&tip("200")).await;
    browser.shows(".goal-value", "£412.50").await;
    assert_eq!(browser.run("return moved").await, json!([]));
    let running = "return document.getAnimations().filter((one) => one.playState === 'running').length";
    assert_eq!(browser.run(running).await, json!(0));

    browser.devtools("Emulation.setEmulatedMedia", calm("no-preference")).await;
    // What changes in the wake of another change is a burst, in which nothing rolls.
    let rested = || async { browser.run("return performance.now() - changedAt > 200").await.as_bool()?.then_some(()) };
    until("the page has rested", rested).await;
    sender.deliver(&tip("20")).await;
    browser.shows(".goal-value", "£432.50").await;
    assert_eq!(browser.run("return moved.includes('digit')").await, json!(true), "else digits roll");
    browser.close().await;
}
