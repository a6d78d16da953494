//! What widgets tell to programs, held to the published schemas.

use crate::kit::db::Database;
use crate::kit::program::Program;
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
