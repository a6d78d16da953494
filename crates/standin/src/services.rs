//! Three made-up services that know nothing of us, each with a shape of its own: *Buffer Box* takes tips and
//! calls an address with a sealed message; *Branchline* tells over a WebSocket who comes aboard; the *Ticket
//! Office* sells things, calls with a form, and keeps a list of its orders.

use crate::tip_jar::html;
use actix_web::http::header;
use actix_web::web::{Data, Form, Payload, Query};
use actix_web::{HttpRequest, HttpResponse, rt};
use actix_ws::Message;
use askama::Template;
use chrono::Utc;
use futures_util::StreamExt;
use hmac::{Hmac, Mac};
use serde::Deserialize;
use serde_json::{Value, json};
use sha2::Sha256;
use std::sync::{Mutex, MutexGuard, PoisonError};
use std::time::Duration;
use tokio::sync::broadcast;

/// What Branchline wants to be told before it tells anything.
pub const TICKET: &str = "saltmarsh-halt";
/// Orders on a page of the Ticket Office's list.
const A_PAGE: usize = 5;
/// How many orders are kept.
const MOST_ORDERS: usize = 500;
/// Runs that may wait for a slow reader.
const RUNS: usize = 4_096;

/// Where a service calls, and what it seals with.
#[derive(Debug, Clone, Default, Deserialize)]
pub struct Calls {
    /// The address; empty for nowhere.
    pub url: String,
    /// The key of the seal; empty for none.
    #[serde(default)]
    pub key: String,
}

#[derive(Default)]
struct State {
    box_calls: Calls,
    office_calls: Calls,
    orders: Vec<Value>,
    told: String,
    numbers: u64,
}

/// The three services.
pub struct Services {
    state: Mutex<State>,
    runs: broadcast::Sender<String>,
}

impl Default for Services {
    fn default() -> Self {
        Self { state: Mutex::default(), runs: broadcast::Sender::new(RUNS) }
    }
}

impl Services {
    /// Services that call these addresses.
    #[must_use]
    pub fn calling(box_calls: Calls) -> Self {
        let services = Self::default();
        services.lock().box_calls = box_calls;
        services
    }

    fn lock(&self) -> MutexGuard<'_, State> {
        // What is inside is whole at every step.
        self.state.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn number(&self) -> u64 {
        let mut state = self.lock();
        state.numbers += 1;
        state.numbers
    }

    fn told(&self, words: String) {
        self.lock().told = words;
    }
}

#[derive(Template)]
#[template(path = "services.html")]
struct Page {
    box_calls: Calls,
    office_calls: Calls,
    told: String,
    ticket: &'static str,
    orders: usize,
}

/// `GET /services`
pub async fn show(services: Data<Services>) -> HttpResponse {
    let state = services.lock();
    let page = Page {
        box_calls: state.box_calls.clone(),
        office_calls: state.office_calls.clone(),
        told: state.told.clone(),
        ticket: TICKET,
        orders: state.orders.len(),
    };
    drop(state);
    html(&page)
}

fn back() -> HttpResponse {
    HttpResponse::SeeOther().insert_header((header::LOCATION, "/services")).finish()
}

/// `POST /services/buffer-box/calls`
pub async fn point_box(services: Data<Services>, calls: Form<Calls>) -> HttpResponse {
    services.lock().box_calls = calls.into_inner();
    back()
}

/// `POST /services/ticket-office/calls`
pub async fn point_office(services: Data<Services>, calls: Form<Calls>) -> HttpResponse {
    services.lock().office_calls = calls.into_inner();
    back()
}

/// Somebody fills the box.
#[derive(Debug, Deserialize)]
pub struct Filled {
    by: String,
    pennies: i64,
    #[serde(default)]
    card: String,
}

/// `POST /services/buffer-box`: a call with a seal, `x-buffer-seal: seal:` and the HMAC-SHA256 of the body in
/// hexadecimal digits.
pub async fn fill(services: Data<Services>, filled: Form<Filled>) -> HttpResponse {
    let number = services.number();
    let veiled = filled.by.trim().is_empty();
    let message = json!({
        "what": "box.filled",
        "slip": format!("bb-{:05}", number),
        "filled": {
            "by": {"called": if veiled { Value::Null } else { json!(filled.by.trim()) }, "veiled": veiled},
            "pennies": filled.pennies, "coinage": "GBP", "card": filled.card,
        },
        "stamped": Utc::now().timestamp_millis(),
    });
    let calls = services.lock().box_calls.clone();
    let told = call(&calls, "application/json", message.to_string()).await;
    services.told(format!("Buffer Box: {told}"));
    back()
}

async fn call(calls: &Calls, content_type: &str, body: String) -> String {
    if calls.url.is_empty() {
        return "nobody is called".into();
    }
    let mut request =
        reqwest::Client::new().post(&calls.url).timeout(Duration::from_secs(10)).header("content-type", content_type);
    if let Ok(mut seal) = Hmac::<Sha256>::new_from_slice(calls.key.as_bytes())
        && !calls.key.is_empty()
    {
        seal.update(body.as_bytes());
        let seal: String = seal.finalize().into_bytes().iter().map(|byte| format!("{byte:02x}")).collect();
        request = request.header("x-buffer-seal", format!("seal:{seal}"));
    }
    match request.body(body).send().await {
        Ok(answer) => format!("answered {}", answer.status()),
        Err(_) => "no answer".into(),
    }
}

/// Somebody comes aboard.
#[derive(Debug, Deserialize)]
pub struct Aboard {
    rider: String,
    what: String,
    #[serde(default)]
    party: String,
}

/// `POST /services/branchline`: one run with what has happened, after an empty one.
pub async fn aboard(services: Data<Services>, aboard: Form<Aboard>) -> HttpResponse {
    let (run, pass) = (services.number(), services.number());
    let rider = aboard.rider.trim();
    let car = match aboard.what.as_str() {
        "season" => json!(["season", {"pass": pass, "rider": rider, "class": "first", "trips": 14}]),
        "excursion" => {
            let party: u32 = aboard.party.trim().parse().unwrap_or(20);
            json!(["excursion", {"pass": pass, "rider": rider, "party": party}])
        }
        _ => json!(["boarded", {"pass": pass, "rider": rider}]),
    };
    services.told(format!("Branchline: told {} readers", services.runs.receiver_count()));
    let _ = services.runs.send(json!({"run": run, "cars": []}).to_string());
    let _ = services.runs.send(json!({"run": run, "cars": [car]}).to_string());
    back()
}

/// `GET /branchline/line`: the WebSocket. The first message must be `{"ticket": "saltmarsh-halt"}`.
pub async fn line(
    services: Data<Services>,
    request: HttpRequest,
    payload: Payload,
) -> Result<HttpResponse, actix_web::Error> {
    let (answer, mut session, mut messages) = actix_ws::handle(&request, payload)?;
    let mut runs = services.runs.subscribe();
    rt::spawn(async move {
        let mut admitted = false;
        loop {
            tokio::select! {
                message = messages.next() => match message {
                    Some(Ok(Message::Text(text))) if !admitted => {
                        let said: Value = serde_json::from_str(&text).unwrap_or_default();
                        admitted = said["ticket"] == TICKET;
                        if !admitted {
                            let _ = session.close(None).await;
                            return;
                        }
                    }
                    Some(Ok(Message::Ping(bytes))) => { let _ = session.pong(&bytes).await; }
                    Some(Ok(Message::Close(_)) | Err(_)) | None => return,
                    Some(Ok(_)) => {}
                },
                run = runs.recv() => {
                    if let (true, Ok(run)) = (admitted, run)
                        && session.text(run).await.is_err()
                    {
                        return;
                    }
                }
            }
        }
    });
    Ok(answer)
}

/// Somebody buys something.
#[derive(Debug, Deserialize)]
pub struct Bought {
    customer: String,
    thing: String,
    pieces: u32,
    paid: String,
}

/// `POST /services/ticket-office`: an order, called with a form and put on the list.
pub async fn buy(services: Data<Services>, bought: Form<Bought>) -> HttpResponse {
    let number = services.number();
    let placed = Utc::now().format("%Y-%m-%d %H:%M:%S").to_string();
    let (order, bought) = (format!("TO-{number:04}"), bought.into_inner());
    let fields = [
        ("order", order.clone()),
        ("customer", bought.customer.trim().to_owned()),
        ("thing", bought.thing.trim().to_owned()),
        ("pieces", bought.pieces.to_string()),
        ("paid", bought.paid.trim().to_owned()),
        ("placed", placed.clone()),
    ];
    let body = form_fields(&fields);
    let calls = {
        let mut state = services.lock();
        let listed: serde_json::Map<String, Value> =
            fields.iter().map(|(key, value)| ((*key).to_owned(), json!(value))).collect();
        state.orders.push(Value::Object(listed));
        let surplus = state.orders.len().saturating_sub(MOST_ORDERS);
        state.orders.drain(..surplus);
        state.office_calls.clone()
    };
    let told = call(&calls, "application/x-www-form-urlencoded", body).await;
    services.told(format!("Ticket Office: {order}, {told}"));
    back()
}

fn form_fields(fields: &[(&str, String)]) -> String {
    let escaped = |text: &str| -> String {
        let one = |byte: u8| match byte {
            b' ' => "+".to_owned(),
            byte if byte.is_ascii_alphanumeric() => char::from(byte).to_string(),
            byte => format!("%{byte:02X}"),
        };
        text.bytes().map(one).collect()
    };
    fields.iter().map(|(key, value)| format!("{key}={}", escaped(value))).collect::<Vec<_>>().join("&")
}

/// Which page of the list.
#[derive(Debug, Deserialize)]
pub struct Before {
    before: Option<usize>,
}

/// `GET /ticket-office/orders.json`: the newest orders, with the address of the older ones.
pub async fn orders(services: Data<Services>, before: Query<Before>) -> HttpResponse {
    let state = services.lock();
    let end = before.before.unwrap_or(state.orders.len()).min(state.orders.len());
    let begin = end.saturating_sub(A_PAGE);
    let page: Vec<&Value> = state.orders[begin..end].iter().rev().collect();
    let older = (begin > 0).then(|| format!("/ticket-office/orders.json?before={begin}"));
    HttpResponse::Ok().json(json!({"orders": page, "older": older}))
}
