//! What widgets tell to programs, held to the published schemas.

use crate::kit::browser::Browser;
use crate::kit::db::Database;
use crate::kit::owner::Owner;
use crate::kit::program::Program;
use crate::kit::until;
use serde_json::Value;

/// What is wrong with a value by a schema, in the words of JSON Schema (draft 2020-12) that ours use: type, const,
/// enum, properties, required, additionalProperties and items.
fn faults(value: &Value, schema: &Value, place: &str) -> Vec<String> {
    let mut all = Vec::new();
    let is = |kind: &str| match kind {
        "string" => value.is_string(),
        "integer" => value.is_i64() || value.is_u64(),
        "number" => value.is_number(),
        "boolean" => value.is_boolean(),
        "object" => value.is_object(),
        "array" => value.is_array(),
        "null" => value.is_null(),
        other => panic!("a schema says {other}"),
    };
    let fits = match &schema["type"] {
        Value::Null => true,
        Value::String(kind) => is(kind),
        Value::Array(kinds) => kinds.iter().any(|kind| is(kind.as_str().unwrap())),
        other => panic!("{other}"),
    };
    if !fits {
        return vec![format!("{place} is {value}, which is no {}", schema["type"])];
    }
    if !schema["const"].is_null() && schema["const"] != *value {
        all.push(format!("{place} is {value}, not {}", schema["const"]));
    }
    if let Some(offered) = schema["enum"].as_array().filter(|offered| !offered.contains(value)) {
        all.push(format!("{place} is {value}, which is none of {offered:?}"));
    }
    if let (Some(object), Some(known)) = (value.as_object(), schema["properties"].as_object()) {
        for name in schema["required"].as_array().unwrap() {
            if !object.contains_key(name.as_str().unwrap()) {
                all.push(format!("{place} has no {name}"));
            }
        }
        for (name, inner) in object {
            match known.get(name) {
                Some(schema) => all.extend(faults(inner, schema, &format!("{place}/{name}"))),
                None if schema["additionalProperties"] == false => all.push(format!("{place} has an unknown {name}")),
                None => {}
            }
        }
    }
    for (number, inner) in value.as_array().into_iter().flatten().enumerate() {
        all.extend(faults(inner, &schema["items"], &format!("{place}/{number}")));
    }
    all
}

#[tokio::test(flavor = "multi_thread")]
async fn every_familys_values_fit_its_schema_whatever_state_it_is_in() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let demo = program.demo();
    let (client, token) = (reqwest::Client::new(), demo["api_token"].as_str().unwrap());
    let act = async |id: &Value, action: &str| {
        let url = format!("{}/api/v1/widgets/{id}/actions/{action}", program.base);
        drop(client.post(url).bearer_auth(token).send().await.unwrap());
    };
    let mut families = std::collections::BTreeSet::new();
    for widget in demo["widgets"].as_array().unwrap() {
        let family = widget["family"].as_str().unwrap();
        families.insert(family.to_owned());
        let schema = reqwest::get(format!("{}/schemas/views/{family}.json", program.base)).await.unwrap();
        assert_eq!(schema.headers()["content-type"], "application/schema+json");
        let schema: Value = schema.json().await.unwrap();
        for action in ["none", "start", "lap", "boost", "add", "break", "pause", "reset"] {
            act(&widget["id"], action).await;
            let view: Value = reqwest::get(widget["read_url"].as_str().unwrap()).await.unwrap().json().await.unwrap();
            assert_eq!(faults(&view, &schema, family), Vec::<String>::new(), "after {action}: {view}");
        }
    }
    assert_eq!(
        families.len(),
        tally_core::widgets::Definition::FAMILIES.len(),
        "the demo has one of each: {families:?}"
    );
    let void = reqwest::get(format!("{}/schemas/views/abacus.json", program.base)).await.unwrap();
    assert_eq!(void.status(), 404);
    // What is written about values tells of every field.
    let written = include_str!("../../../../docs/values.md");
    for family in families {
        let schema: Value =
            reqwest::get(format!("{}/schemas/views/{family}.json", program.base)).await.unwrap().json().await.unwrap();
        for field in schema["properties"].as_object().unwrap().keys() {
            assert!(written.contains(&format!("| `{field}` |")), "{family}: {field}");
        }
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn every_widget_is_a_picture_that_looks_like_it_and_needs_nothing() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let browser = Browser::open().await;
    for widget in program.demo()["widgets"].as_array().unwrap() {
        let (title, url) = (&widget["title"], widget["read_url"].as_str().unwrap().replace(".json", ".svg"));
        let answer = reqwest::get(&url).await.unwrap();
        assert_eq!(answer.headers()["content-type"], "image/svg+xml", "{title}");
        let text = answer.text().await.unwrap();
        for elsewhere in ["src=\"/", "url(/", "url(\"/", "href=\"http", "@import"] {
            assert!(!text.contains(elsewhere), "{title}: {elsewhere}");
        }
        // Whatever is no XML is shown as a fault, and not as a drawing.
        browser.go(&url).await;
        let drawn = "const air = document.querySelector('.air'); \
            return air && !document.querySelector('parsererror') && air.getBoundingClientRect().width > 40";
        assert_eq!(browser.run(drawn).await, true, "{title}");
    }
    // Its typeface is inside, so it is as wide as on its page.
    let widget = program.widget("Turntable motor");
    let width =
        "return Math.round(document.querySelector('.goal-value').getBoundingClientRect().width / innerWidth * 1000)";
    browser.size(840, 260).await;
    browser.go(&widget["read_url"].as_str().unwrap().replace(".json", ".svg")).await;
    let still = async || {
        browser.run("return document.fonts.status").await == "loaded"
            && browser.run("return document.fonts.size").await != 0
    };
    until("its font is read", || async { still().await.then_some(()) }).await;
    let as_picture = browser.run(width).await.as_i64().unwrap();
    browser.go(widget["page_url"].as_str().unwrap()).await;
    until("the page has its font", || async { still().await.then_some(()) }).await;
    let as_page = browser.run(width).await.as_i64().unwrap();
    assert!((as_picture - as_page).abs() <= 2, "{as_picture} and {as_page} thousandths");
    browser.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_text_file_says_what_the_widget_shows_under_the_name_that_was_chosen() {
    let database = Database::new();
    let mut program = Program::start(&database.url);
    let owner = Owner::of(&program).await;
    let cups = program.widget("Cups of tea");
    let (id, texts) = (cups["id"].clone(), program.folder.path().join("texts"));
    let says = async |name: &str, text: &str| {
        until(&format!("{name} says {text}"), || async {
            (std::fs::read_to_string(texts.join(name)).ok().as_deref() == Some(text)).then_some(())
        })
        .await;
    };
    let refused = owner.refused(&format!("/widgets/{id}/text-file"), &[("name", "{count}.txt")]).await;
    assert!(refused.contains("places for {title} and {number}"), "{refused}");
    let said = owner.done(&format!("/widgets/{id}/text-file"), &[("name", "../{title}.txt")]).await;
    assert!(said.contains("texts"), "{said}");
    says("-Cups of tea.txt", "0").await;
    program.act(&cups, "add", serde_json::json!({"value": 3})).await;
    says("-Cups of tea.txt", "3").await;
    assert!(owner.page(&format!("/widgets/{id}")).await.contains("Kept as"));
    owner.done(&format!("/widgets/{id}/text-file"), &[("name", "cups {number}.txt")]).await;
    says(&format!("cups {id}.txt"), "3").await;
    assert!(!texts.join("-Cups of tea.txt").exists());
    program.stop();
    program.again();
    let owner = Owner::of(&program).await;
    program.act(&program.widget("Cups of tea"), "add", serde_json::json!({"value": 1})).await;
    says(&format!("cups {id}.txt"), "4").await;
    owner.done(&format!("/widgets/{id}/text-file"), &[("name", "")]).await;
    until("the file is gone", || async { (!texts.join(format!("cups {id}.txt")).exists()).then_some(()) }).await;
}
