//! What is the streamer's own in a drawing: parts that look different, CSS, fonts, and a page that draws in place of us and
//! reaches nothing else.

use crate::kit::browser::Browser;
use crate::kit::db::Database;
use crate::kit::owner::Owner;
use crate::kit::program::Program;
use crate::kit::until;
use fantoccini::Locator;
use serde_json::Value;
use std::io::Read;
use std::net::TcpListener;
use std::time::Duration;

const FONT: &[u8] = include_bytes!("../../../web/assets/fonts/lobster-latin-400-normal.woff2");

/// A widget of the demo: the number in its address in the rooms.
async fn number(owner: &Owner, title: &str) -> u32 {
    let shelf = owner.page("/widgets").await;
    let row = shelf.split("class=\"shelf-row").find(|row| row.contains(title)).unwrap();
    row.split("href=\"/widgets/").nth(1).unwrap().split('"').next().unwrap().parse().unwrap()
}

/// Says several things of a widget, and puts them on air.
async fn says(owner: &Owner, id: u32, said: &[(&str, &str)]) {
    for (key, text) in said {
        owner.done(&format!("/widgets/{id}/edit"), &[("key", key), ("text", text)]).await;
    }
    owner.done(&format!("/widgets/{id}/put-on-air"), &[]).await;
}

/// Waits until a property of the first element that fits is so.
async fn becomes(browser: &Browser, css: &str, property: &str, wanted: &str) {
    let script = format!(
        "const one = document.querySelector('{css}'); return one ? getComputedStyle(one).getPropertyValue('{property}') : ''"
    );
    until(&format!("{property} of {css} is {wanted}"), || async {
        browser.run(&script).await.as_str().is_some_and(|is| is.contains(wanted)).then_some(())
    })
    .await;
}

/// Adds a file, and gives the word by which it is chosen.
async fn file(owner: &Owner, name: &str, bytes: impl Into<Vec<u8>>) -> String {
    let sent = owner.send(&format!("/files?name={name}"), "application/octet-stream", bytes.into()).await;
    assert!(sent.status().is_success(), "{name}");
    let page = owner.page("/files").await;
    format!("own-{}", page.split("href=\"/clips/").nth(1).unwrap().split(['"', '/']).next().unwrap())
}

#[tokio::test(flavor = "multi_thread")]
async fn parts_css_and_fonts_of_ones_own_are_on_air_and_taken_back() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let (base, owner) = (program.base.clone(), Owner::of(&program).await);
    let id = number(&owner, "Just now").await;
    let browser = Browser::open().await;
    browser.go(program.widget("Just now")["page_url"].as_str().unwrap()).await;
    browser.shows_one(".entry").await;

    let font = file(&owner, "Hand.woff2", FONT).await;
    let said = [
        ("part:name:font", "pixel"),
        ("part:name:move_down", "-20"),
        ("part:icon:visibility", "hidden"),
        ("part:line:background", "#102030"),
        ("part:title:font", font.as_str()),
        ("entry_motion", "unfold"),
        ("shadow_colour", "#ff0000"),
        ("order", "left"),
    ];
    says(&owner, id, &said).await;
    becomes(&browser, ".part-name", "font-family", "Press Start 2P").await;
    becomes(&browser, ".part-name", "translate", "px").await;
    becomes(&browser, ".part-icon", "display", "none").await;
    becomes(&browser, ".part-line", "background-color", "0.0627").await;
    becomes(&browser, ".part-words", "font-family", "Bricolage").await;
    becomes(&browser, ".list-lines", "flex-direction", "row").await;
    becomes(&browser, ".air", "--shadow-colour", "#ff0000").await;
    let loaded = format!("return [...document.fonts].some(f => f.family === 'font-{font}' && f.status === 'loaded')");
    until("the font is there", || async { (browser.run(&loaded).await == true).then_some(()) }).await;
    assert!(owner.page("/files").await.contains("Used by “Just now”"));

    // CSS that is wrong is told with its place, and what was typed stands there still.
    let wrong = "& { color: red }\n.part-words { background: url(https://a.example/x) }";
    let told = owner.refused(&format!("/widgets/{id}/edit"), &[("key", "css"), ("text", wrong)]).await;
    assert!(told.contains("wrong in line 2, column 27: nothing can be loaded from elsewhere"), "{told}");
    assert!(told.contains("a.example/x"), "nothing typed is lost");
    says(
        &owner,
        id,
        &[("css", "& { outline: 3px solid red } .part-words { letter-spacing: 9px } body { display: none }")],
    )
    .await;
    becomes(&browser, ".part-words", "letter-spacing", "9px").await;
    becomes(&browser, ".air", "outline-style", "solid").await;
    becomes(&browser, "body", "display", "block").await;

    // Whatever it says of its place, it covers nothing but its own box.
    let over =
        "& { position: fixed !important; inset: 0; width: 100vw !important; height: 100vh !important; z-index: 9999 }";
    says(&owner, id, &[("css", over)]).await;
    browser.sign_in(&base, &program.demo()).await;
    browser.go(&format!("{base}/widgets/{id}")).await;
    becomes(&browser, ".stage-real .air", "position", "fixed").await;
    let covered = "return ['.edge', '.sentence', '.strip', '.stage-tools'].map((css) => {
        const box = document.querySelector(css).getBoundingClientRect();
        return document.elementFromPoint(box.left + box.width / 2, box.top + 12).closest('.air') !== null })";
    assert_eq!(browser.run(covered).await, serde_json::json!([false, false, false, false]));
    says(&owner, id, &[("css", ".part-words { letter-spacing: 9px }")]).await;

    // In the rooms as on air; the bench offers what is different, and puts it back by one press.
    browser.go(&format!("{base}/widgets/{id}")).await;
    browser.shows(".drawer-changes", "Name").await;
    browser.run("const part = document.getElementById('part-of'); part.value = 'name'; part.dispatchEvent(new Event('change', {bubbles: true}))").await;
    browser.shows_one("[data-control=\"part:name:font_size\"]").await;
    assert_eq!(browser.run("return document.querySelector('[data-control^=\"kind:\"]')").await, Value::Null);
    browser.click(".drawer-changes [hx-vals*=\"part:name:all\"]").await;
    until("the name is as it was", || async {
        let chips = browser.text(".drawer-changes").await;
        (!chips.contains("Name") && chips.contains("Icon")).then_some(())
    })
    .await;
    assert_eq!(browser.run("return document.getElementById('part-of').value").await, "name", "it stays where it was");
    browser.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn an_overlay_has_a_style_of_its_own_and_undo_takes_it_back() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let (base, owner) = (program.base.clone(), Owner::of(&program).await);
    let browser = Browser::open().await;
    browser.sign_in(&base, &program.demo()).await;
    let told = owner.refused("/overlays/1/style", &[("css", ".piece { opacity: 0.5")]).await;
    assert!(told.contains("line 1, column 8: this brace is never closed"), "{told}");
    browser.go(&format!("{base}/overlays/1")).await;
    browser.click(".layout-style summary").await;
    browser.fill("#layout-css", ".piece { letter-spacing: 7px }").await;
    browser.click(".layout-style .press").await;
    becomes(&browser, ".overlay .piece", "letter-spacing", "7px").await;
    browser.click("[data-turn=back]").await;
    becomes(&browser, ".overlay .piece", "letter-spacing", "normal").await;
    browser.click("[data-turn=forth]").await;
    becomes(&browser, ".overlay .piece", "letter-spacing", "7px").await;
    browser.click("[data-air]").await;
    let list = owner.page("/overlays").await;
    let token = list.split("/o/").nth(1).unwrap().split('"').next().unwrap().to_owned();
    browser.go(&format!("{base}/o/{token}")).await;
    becomes(&browser, ".overlay .piece", "letter-spacing", "7px").await;
    browser.close().await;
}

/// A page that tries to reach out in every way it can think of, and does more once its widget has another title.
const PAGE: &str = r#"<!doctype html><meta charset="utf-8"><p id="seen"></p><script>
const elsewhere = 'http://127.0.0.1:PORT';
const tried = {};
const attempt = async (name, how) => {
  try { tried[name] = String(await how()); } catch { tried[name] = 'refused'; }
};
const loads = (one) => new Promise((well, badly) => { one.onload = one.onopen = () => well('reached'); one.onerror = badly; });
addEventListener('message', ({ data: { view } }) => {
  document.getElementById('seen').textContent = `${view.title}: ${view.text}`;
  if (view.title === 'Away') location.href = elsewhere + '/away';
  if (view.title === 'For ever') for (;;);
});
(async () => {
  await attempt('parent', () => parent.document.title);
  await attempt('top', () => { top.location.href = elsewhere; });
  await attempt('window', () => open(elsewhere).closed);
  await attempt('local storage', () => localStorage.length);
  await attempt('cookie', () => document.cookie);
  await attempt('database', () => new Promise((well, badly) => { const o = indexedDB.open('a'); o.onsuccess = () => well('opened'); o.onerror = badly; }));
  await attempt('own server', () => fetch('/healthz').then((r) => r.status));
  await attempt('elsewhere', () => fetch(elsewhere, { mode: 'no-cors' }).then(() => 'reached'));
  await attempt('socket', () => loads(new WebSocket(elsewhere.replace('http', 'ws'))));
  await attempt('events', () => loads(new EventSource(elsewhere)));
  await attempt('picture', () => { const one = new Image(); one.src = elsewhere + '/picture'; return loads(one); });
  await attempt('script', () => { const one = document.createElement('script'); one.src = elsewhere + '/script'; document.body.append(one); return loads(one); });
  await attempt('style', () => { const one = document.createElement('link'); one.rel = 'stylesheet'; one.href = elsewhere + '/style'; document.body.append(one); return loads(one); });
  await attempt('worker', () => new Promise((well, badly) => { const one = new Worker('data:text/javascript,postMessage(1)'); one.onmessage = () => well('ran'); one.onerror = badly; }));
  await attempt('eval', () => eval('1 + 1'));
  document.body.dataset.tried = JSON.stringify(tried);
})();
parent.postMessage('tally:ready', '*');
</script>"#;

#[tokio::test(flavor = "multi_thread")]
async fn a_page_of_ones_own_draws_what_it_is_told_and_reaches_nothing_else() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let owner = Owner::of(&program).await;
    let id = number(&owner, "Cups of tea").await;
    let elsewhere = TcpListener::bind("127.0.0.1:0").unwrap();
    elsewhere.set_nonblocking(true).unwrap();
    let html = PAGE.replace("PORT", &elsewhere.local_addr().unwrap().port().to_string());
    let page = file(&owner, "drawing.html", html).await;
    says(&owner, id, &[("own_drawing", &page)]).await;

    let browser = Browser::open().await;
    let cups = program.widget("Cups of tea");
    browser.go(cups["page_url"].as_str().unwrap()).await;
    let inside = async || {
        let frame = browser.client.wait().for_element(Locator::Css(".own-drawing")).await.unwrap();
        frame.enter_frame().await.unwrap();
    };
    let outside = async || browser.client.clone().enter_parent_frame().await.unwrap();
    inside().await;
    browser.shows("#seen", "Cups of tea: 0").await;
    let tried = until("all was tried", || async {
        let tried = browser.run("return document.body.dataset.tried").await;
        tried.as_str().map(|tried| serde_json::from_str::<Value>(tried).unwrap())
    })
    .await;
    let tried = tried.as_object().unwrap();
    assert_eq!(tried.len(), 15);
    for (what, how) in tried {
        assert_eq!(how, "refused", "{what}");
    }

    // It follows what the widget shows, and stays the same page while it does.
    browser.run("window.stays = true").await;
    program.act(&cups, "add", serde_json::json!({"value": 3})).await;
    browser.shows("#seen", "Cups of tea: 3").await;
    assert_eq!(browser.run("return window.stays").await, true);

    // Where it goes away, it gets nowhere; where it never ends, the page around it goes on.
    outside().await;
    browser.run("document.addEventListener('securitypolicyviolation', (event) => (window.refused = event.violatedDirective))").await;
    says(&owner, id, &[("title", "Away")]).await;
    until("it was refused to leave", || async {
        (browser.run("return window.refused").await == "frame-src").then_some(())
    })
    .await;
    // A browser may open a line ahead of asking whether it may go there; nothing is ever said on it.
    while let Ok((mut line, _)) = elsewhere.accept() {
        let mut sent = Vec::new();
        line.set_nonblocking(false).unwrap();
        line.set_read_timeout(Some(Duration::from_secs(2))).unwrap();
        let _ = line.read_to_end(&mut sent);
        assert!(sent.is_empty(), "{}", String::from_utf8_lossy(&sent));
    }
    // Opened by itself it stands in a frame all the same.
    browser.go(&format!("{}/clips/{}", program.base, page.trim_start_matches("own-"))).await;
    assert!(browser.client.current_url().await.unwrap().path().ends_with("/page"));
    inside().await;
    browser.shows_one("body[data-tried]").await;
    browser.close().await;

    let browser = Browser::open().await;
    says(&owner, id, &[("title", "Here again")]).await;
    browser.go(cups["page_url"].as_str().unwrap()).await;
    browser.shows_one(".own-drawing").await;
    // Only now: a page whose frame never ends while it is loaded never counts as loaded.
    says(&owner, id, &[("title", "For ever")]).await;
    browser.shows_one(".own-drawing[data-view*='For ever']").await;
    says(&owner, id, &[("own_drawing", "")]).await;
    browser.shows(".air-title", "For ever").await;
    browser.close().await;
}
