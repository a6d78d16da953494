//! Looks of one's own: derived, edited with effect on air, by day and by night, tried on an overlay and taken back, and taken
//! along as files.

use crate::kit::browser::Browser;
use crate::kit::db::Database;
use crate::kit::owner::Owner;
use crate::kit::program::Program;
use crate::kit::until;
use serde_json::{Value, json};

/// The value of a custom property of the first widget on a page.
async fn property_of(browser: &Browser, css: &str, property: &str) -> String {
    let script = format!(
        "const air = document.querySelector('{css} .air') ?? document.querySelector('{css}.air'); \
         return air ? getComputedStyle(air).getPropertyValue('{property}').trim() : ''"
    );
    browser.run(&script).await.as_str().unwrap_or_default().to_owned()
}

async fn becomes(browser: &Browser, css: &str, property: &str, wanted: &str) {
    until(&format!("{css} has {property} {wanted}"), || async {
        (property_of(browser, css, property).await == wanted).then_some(())
    })
    .await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_look_is_derived_edited_on_air_used_by_an_overlay_and_taken_back() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let (base, owner) = (program.base.clone(), Owner::of(&program).await);
    let browser = Browser::open().await;
    browser.sign_in(&base, &program.demo()).await;
    let last = async || program.read(&program.widget("Turntable motor")).await["seq"].clone();
    let before = last().await;

    browser.go(&format!("{base}/looks")).await;
    browser.shows(".looks", "Harbour").await;
    assert_eq!(browser.run("return document.querySelector('.look-row').children.length").await, 6);
    browser.fill(".look-new [name=name]", "Quay").await;
    browser.run("document.querySelector('.look-new [name=from]').value = 'own:1'").await;
    browser.click(".look-new .press-main").await;
    browser.shows(".look-head h1", "Quay").await;

    // Tried on an overlay, nothing is on air; used there, all of its widgets are.
    let list = owner.page("/overlays").await;
    let token = list.split("/o/").nth(1).unwrap().split('"').next().unwrap().to_owned();
    let air = Browser::open().await;
    air.go(&format!("{base}/o/{token}")).await;
    air.shows(".piece", "Turntable motor").await;
    let was = property_of(&air, ".piece", "--fill").await;
    browser
        .run("const on = document.getElementById('look-on'); on.value = '1'; on.dispatchEvent(new Event('change'))")
        .await;
    browser.shows(".look-apply", "Only tried here").await;
    becomes(&browser, ".look-stage", "--fill", "#1f5c78").await;
    assert_eq!(property_of(&air, ".piece", "--fill").await, was);
    browser.click(".look-apply .press").await;
    browser.shows(".look-apply", "use it, on air").await;
    becomes(&air, ".piece", "--fill", "#1f5c78").await;
    assert_eq!(last().await, before, "a look writes nothing into the record");

    // An edit is on air at once; by night it is another one.
    let set = async |token: &str, value: &str| {
        let script = format!(
            "const field = document.querySelector('[data-token={token}]'); field.value = '{value}'; \
             field.dispatchEvent(new Event('change', {{bubbles: true}}))"
        );
        browser.run(&script).await;
    };
    set("fill", "#a83e26").await;
    becomes(&air, ".piece", "--fill", "#a83e26").await;
    browser.click("[data-half=true]").await;
    browser.shows(".look-drawers", "different by night").await;
    set("fill", "#ffc247").await;
    until("it is kept", || async {
        let file = owner.page("/looks/2/file").await;
        file.contains("#ffc247").then_some(())
    })
    .await;
    assert_eq!(property_of(&air, ".piece", "--fill").await, "#a83e26", "it is day");
    owner.done("/looks/night", &[("night", "true")]).await;
    becomes(&air, ".piece", "--fill", "#ffc247").await;
    owner.done("/looks/night", &[("night", "false")]).await;
    becomes(&air, ".piece", "--fill", "#a83e26").await;

    // What one of them says otherwise is listed, and put back with one press.
    owner.done("/widgets/1/edit", &[("key", "fill"), ("text", "#000000")]).await;
    let _ = owner.post("/widgets/1/put-on-air", &[]).await;
    browser.go(&format!("{base}/looks/2?on=1")).await;
    browser.shows(".look-users", "Fill").await;
    browser.click(".look-users .press").await;
    until("nothing is its own any more", || async {
        (!browser.text(".look-users").await.is_empty() && !browser.text(".look-users").await.contains("Fill"))
            .then_some(())
    })
    .await;

    // Taken back, the widgets look as they did.
    owner.done("/widgets/1/take-back", &[]).await;
    owner.done("/widgets/1/take-back", &[]).await;
    owner.done("/widgets/1/take-back", &[]).await;
    owner.done("/widgets/1/take-back", &[]).await;
    browser.go(&format!("{base}/looks/2?on=1")).await;
    browser.click(".look-apply .press").await;
    browser.shows(".look-apply", "Only tried here").await;
    becomes(&air, ".piece", "--fill", &was).await;
    for browser in [browser, air] {
        browser.close().await;
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn looks_go_out_as_design_tokens_and_come_back_as_they_were() {
    let database = Database::new();
    let program = Program::with(&database.url, &["--demo", "--demo-days", "0"]);
    let owner = Owner::of(&program).await;
    let file = async |id: u32| -> Value { owner.get(&format!("/looks/{id}/file")).await.json().await.unwrap() };
    let send = async |body: String| owner.send("/looks/import?name=a.tokens.json", "application/json", body).await;

    let mut first = file(1).await;
    assert_eq!(first["day"]["fill"]["$value"]["hex"], "#1f5c78");
    assert_eq!(first["day"]["fill"]["$type"], "color");
    first["space"] = json!({"small": {"$type": "dimension", "$value": {"value": 4, "unit": "px"}}});
    let read = send(first.to_string()).await;
    assert_eq!(read.headers()["hx-redirect"], "/looks/2");
    first["$extensions"]["org.eager-tally"]["name"] = json!("Harbour 2");
    assert_eq!(file(2).await, first, "with what means nothing to widgets");

    for (body, why) in [
        ("{".to_owned(), "is no JSON"),
        ("[]".into(), "The file: it must be an object"),
        (
            json!({"day": {"fill": {"$value": "{day.track}"}, "track": {"$value": "{day.fill}"}}}).to_string(),
            "round in a circle",
        ),
        (json!({"day": {"fill": {"$value": "red"}}}).to_string(), "must be a colour"),
        ("[".repeat(100_000), "is no JSON"),
    ] {
        let refused = send(body).await;
        assert_eq!(refused.status(), 422, "{why}");
        let told = refused.text().await.unwrap();
        assert!(told.contains(why), "{why}: {told}");
    }
    let heavy = send(format!("{{\"a\": \"{}\"}}", "x".repeat(2 * 1024 * 1024))).await;
    assert_eq!(heavy.status(), 422);
    assert!(heavy.text().await.unwrap().contains("larger than 1 MB"));
    for (form, why) in [
        ([("name", "Harbour"), ("from", "linen")], "Another look has this name"),
        ([("name", ""), ("from", "linen")], "The name"),
        ([("name", "Mist"), ("from", "own:77")], "no such look to derive from"),
    ] {
        let told = owner.refused("/looks", &form).await;
        assert!(told.contains(why), "{told}");
    }
    // A widget takes no look that there is not.
    let told = owner.post("/widgets/1/edit", &[("key", "look"), ("text", "own:77")]).await.text().await.unwrap();
    assert!(told.contains("no such look"), "{told}");
}
