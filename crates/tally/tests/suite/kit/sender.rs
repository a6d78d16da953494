//! Somebody who sends signed events.

use reqwest::{Client, RequestBuilder, Response};
use serde_json::{Value, json};
use std::sync::atomic::{AtomicU64, Ordering};
use tally_feeds::signature;

static NUMBER: AtomicU64 = AtomicU64::new(1);

/// Where to send, and with which secret.
#[derive(Clone)]
pub struct Sender {
    pub client: Client,
    pub url: String,
    pub secret: String,
}

/// A tip in pounds, with an id of its own.
pub fn tip(amount: &str) -> Value {
    tip_as(&format!("tip-{}", NUMBER.fetch_add(1, Ordering::Relaxed)), amount)
}

/// A tip in pounds with a given id.
pub fn tip_as(id: &str, amount: &str) -> Value {
    json!({
        "specversion": "1.0", "id": id, "source": "/test", "type": "tally.tip",
        "data": {"actor": {"id": "7", "name": "pinecone_ade"}, "amount": amount, "currency": "GBP"},
    })
}

/// A tip in pounds by somebody, with an id of its own.
pub fn tip_by(name: &str, amount: &str) -> Value {
    let mut tip = tip(amount);
    tip["data"]["actor"] = json!({"name": name});
    tip
}

impl Sender {
    /// For a feed as the demo's note tells it.
    pub fn of(feed: &Value) -> Self {
        Self {
            client: Client::new(),
            url: feed["url"].as_str().unwrap().to_owned(),
            secret: feed["secret"].as_str().unwrap().to_owned(),
        }
    }

    /// A request with this body, signed at an offset from now, in seconds.
    pub fn signed(&self, content_type: &str, body: impl Into<Vec<u8>>, offset: i64) -> RequestBuilder {
        let body = body.into();
        let id = format!("msg-{}", NUMBER.fetch_add(1, Ordering::Relaxed));
        let now = chrono::Utc::now().timestamp() + offset;
        let signature = signature::sign(&self.secret, &id, now, &body).unwrap();
        self.client
            .post(&self.url)
            .header("content-type", content_type)
            .header("webhook-id", id)
            .header("webhook-timestamp", now.to_string())
            .header("webhook-signature", signature)
            .body(body)
    }

    /// Sends one event in structured mode.
    pub async fn send(&self, event: &Value) -> reqwest::Result<Response> {
        self.signed("application/cloudevents+json", event.to_string(), 0).send().await
    }

    /// Sends one event and takes nothing but success.
    pub async fn deliver(&self, event: &Value) -> Value {
        let answer = self.send(event).await.unwrap();
        assert_eq!(answer.status(), 200, "{}", answer.text().await.unwrap());
        answer.json().await.unwrap()
    }

    /// Sends a batch.
    pub async fn batch(&self, events: &[Value]) -> Response {
        let body = Value::from(events.to_vec()).to_string();
        self.signed("application/cloudevents-batch+json", body, 0).send().await.unwrap()
    }
}
