//! The program as a client of a running one: `tally press "Derailments" +1`, `tally watch "Turntable motor"`. So a script, or a box
//! with buttons, can run the show. It asks for nothing that another program could not ask for: see `/api/v1/openapi.json`.

use clap::{Parser, Subcommand};
use futures_util::StreamExt;
use reqwest::{Client, Method, RequestBuilder, Response, StatusCode};
use serde_json::{Value, json};

/// The words with which the command line begins where the program is a client.
const WORDS: [&str; 7] = ["list", "press", "watch", "air", "cover", "cues", "fire"];

/// Runs the show from the command line.
#[derive(Debug, Parser)]
#[command(name = "tally")]
pub struct Options {
    /// Where Eager Tally is reached.
    #[arg(long, env = "TALLY_URL", default_value = "http://127.0.0.1:8420", global = true)]
    url: String,
    /// A token, made in the room Account; better given as TALLY_TOKEN, since others may see what is typed here.
    #[arg(long, env = "TALLY_TOKEN", default_value = "", hide_env_values = true, global = true)]
    token: String,
    #[command(subcommand)]
    what: What,
}

#[derive(Debug, Subcommand)]
enum What {
    /// Lists widgets, with what they show.
    List,
    /// Presses a lever of a widget: `press "Derailments" +1`, `press "First train" start`, `press Derby score 2 --side 1`.
    Press {
        /// Its name, or its number.
        widget: String,
        /// The action; or a number with its sign, to add or take away.
        #[arg(allow_hyphen_values = true)]
        action: String,
        /// The number with it.
        #[arg(allow_hyphen_values = true)]
        value: Option<i64>,
        /// The text with it.
        #[arg(long)]
        text: Option<String>,
        /// The side of a board, from 1.
        #[arg(long)]
        side: Option<u8>,
    },
    /// Tells what widgets show, and again whenever that changes.
    Watch {
        /// Only these, by name or number.
        widgets: Vec<String>,
    },
    /// Goes on air, or off.
    Air {
        /// on or off
        #[arg(value_parser = on_or_off, action = clap::ArgAction::Set)]
        on: bool,
    },
    /// Hides everything on air, or brings it back.
    Cover {
        /// on or off
        #[arg(value_parser = on_or_off, action = clap::ArgAction::Set)]
        on: bool,
    },
    /// Lists cues.
    Cues,
    /// Fires a cue.
    Fire {
        /// Its name, or its number.
        cue: String,
    },
}

fn on_or_off(text: &str) -> Result<bool, String> {
    match text {
        "on" => Ok(true),
        "off" => Ok(false),
        _ => Err("say on or off".into()),
    }
}

/// Why something could not be done; the text says what to do.
#[derive(Debug, thiserror::Error)]
pub enum ClientError {
    /// Nobody there.
    #[error("{0} cannot be reached; give its address with --url")]
    Away(String),
    /// It was refused.
    #[error("{0}")]
    Refused(String),
    /// None is called so.
    #[error("there is no {0} called “{1}”; there are: {2}")]
    Unknown(&'static str, String, String),
    /// Several have that name.
    #[error("several have the name of the {0} “{1}”: {2}; give the number instead")]
    Several(&'static str, String, String),
}

/// What is asked of a running program, if anything is.
#[must_use]
pub fn asked() -> Option<Options> {
    let first = std::env::args().nth(1)?;
    WORDS.contains(&first.as_str()).then(Options::parse)
}

struct Api {
    client: Client,
    url: String,
    token: String,
}

impl Api {
    fn request(&self, method: Method, path: &str) -> RequestBuilder {
        let url = format!("{}/api/v1{path}", self.url.trim_end_matches('/'));
        self.client.request(method, url).bearer_auth(&self.token)
    }

    async fn send(&self, request: RequestBuilder) -> Result<Response, ClientError> {
        let answer = request.send().await.map_err(|_| ClientError::Away(self.url.clone()))?;
        let status = answer.status();
        if status.is_success() {
            return Ok(answer);
        }
        let problem: Value = answer.json().await.unwrap_or_default();
        let detail = problem["detail"].as_str().map_or_else(|| status.to_string(), str::to_owned);
        let token = status == StatusCode::UNAUTHORIZED;
        Err(ClientError::Refused(if token { "set TALLY_TOKEN to a token of the room Account".into() } else { detail }))
    }

    async fn json(&self, request: RequestBuilder) -> Result<Value, ClientError> {
        let answer = self.send(request).await?;
        answer.json().await.map_err(|_| ClientError::Refused("the answer cannot be read; is this Eager Tally?".into()))
    }

    async fn get(&self, path: &str) -> Result<Value, ClientError> {
        self.json(self.request(Method::GET, path)).await
    }

    async fn post(&self, path: &str, body: Value) -> Result<Value, ClientError> {
        self.json(self.request(Method::POST, path).json(&body)).await
    }
}

/// Of some things the one that is called so, or has that number.
fn one<'a>(all: &'a Value, key: &str, what: &'static str, wanted: &str) -> Result<&'a Value, ClientError> {
    let all = all.as_array().map_or(&[][..], Vec::as_slice);
    let named = |one: &&Value| {
        let name = one[key].as_str().unwrap_or_default();
        name.to_lowercase() == wanted.to_lowercase() || one["id"].as_u64().is_some_and(|id| wanted.parse() == Ok(id))
    };
    let mut found = all.iter().filter(named);
    let one = found.next().ok_or_else(|| {
        let names: Vec<&str> = all.iter().filter_map(|one| one[key].as_str()).collect();
        ClientError::Unknown(what, wanted.to_owned(), names.join(", "))
    })?;
    // A number names one thing; a name may be that of several, and nobody wants the wrong one pressed.
    let more: Vec<&Value> = found.collect();
    if more.is_empty() {
        return Ok(one);
    }
    let numbered = |one: &&Value| format!("{} (number {})", one[key].as_str().unwrap_or_default(), one["id"]);
    let all: Vec<String> = std::iter::once(one).chain(more).map(|one| numbered(&one)).collect();
    Err(ClientError::Several(what, wanted.to_owned(), all.join(", ")))
}

/// What a word after a widget means: `+1` adds, `-1` takes away.
fn action(word: &str, value: Option<i64>) -> (String, Option<i64>) {
    let signed = |sign: char| word.strip_prefix(sign).and_then(|digits| digits.parse::<i64>().ok());
    match (signed('+'), signed('-')) {
        (Some(more), _) => ("add".into(), Some(more)),
        (_, Some(less)) => ("subtract".into(), Some(less)),
        _ => (word.to_owned(), value),
    }
}

fn line(widget: &Value) -> String {
    format!("{}: {}", widget["title"].as_str().unwrap_or_default(), widget["text"].as_str().unwrap_or_default())
}

/// Tells what widgets show, for as long as the server does.
async fn watch(api: &Api, wanted: &[String]) -> Result<(), ClientError> {
    let list = api.get("/widgets").await?;
    let ids = wanted.iter().map(|name| one(&list["widgets"], "title", "widget", name).map(|one| one["id"].clone()));
    let ids = ids.collect::<Result<Vec<_>, _>>()?;
    let mut chunks = api.send(api.request(Method::GET, "/stream")).await?.bytes_stream();
    let mut heard = Vec::new();
    while let Some(Ok(chunk)) = chunks.next().await {
        heard.extend_from_slice(&chunk);
        while let Some(end) = heard.windows(2).position(|two| two == b"\n\n") {
            let event: Vec<u8> = heard.drain(..end + 2).collect();
            let event = String::from_utf8_lossy(&event);
            let field = |name: &str| event.lines().find_map(|line| line.strip_prefix(name));
            let data = field("data: ").filter(|_| field("event: ") == Some("widget"));
            let Some(widget) = data.and_then(|data| serde_json::from_str::<Value>(data).ok()) else { continue };
            if ids.is_empty() || ids.contains(&widget["id"]) {
                println!("{}", line(&widget));
            }
        }
    }
    Err(ClientError::Away(api.url.clone()))
}

/// Does what is asked.
///
/// # Errors
/// See [`ClientError`].
pub async fn run(options: Options) -> Result<(), ClientError> {
    let Options { url, token, what } = options;
    let api = Api { client: Client::new(), url, token };
    match what {
        What::List => {
            for widget in api.get("/widgets").await?["widgets"].as_array().map_or(&[][..], Vec::as_slice) {
                println!("{}", line(widget));
            }
        }
        What::Press { widget, action: word, value, text, side } => {
            let list = api.get("/widgets").await?;
            let id = one(&list["widgets"], "title", "widget", &widget)?["id"].clone();
            let (action, value) = action(&word, value);
            let mut body = json!({});
            for (key, with) in [("value", json!(value)), ("text", json!(text)), ("side", json!(side))] {
                if !with.is_null() {
                    body[key] = with;
                }
            }
            println!("{}", line(&api.post(&format!("/widgets/{id}/actions/{action}"), body).await?));
        }
        What::Watch { widgets } => watch(&api, &widgets).await?,
        What::Air { on } => drop(api.post("/show", json!({"on_air": on})).await?),
        What::Cover { on } => drop(api.post("/cover", json!({"covered": on})).await?),
        What::Cues => {
            for cue in api.get("/cues").await?["cues"].as_array().map_or(&[][..], Vec::as_slice) {
                let on = if cue["on"] == true { "on" } else { "off" };
                println!("{}: {on}", cue["name"].as_str().unwrap_or_default());
            }
        }
        What::Fire { cue } => {
            let list = api.get("/cues").await?;
            let id = one(&list["cues"], "name", "cue", &cue)?["id"].clone();
            drop(api.post(&format!("/cues/{id}/fire"), json!({})).await?);
        }
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn words_of_the_command_line_mean_actions() {
        assert_eq!(action("+3", None), ("add".into(), Some(3)));
        assert_eq!(action("-3", None), ("subtract".into(), Some(3)));
        assert_eq!(action("score", Some(2)), ("score".into(), Some(2)));
        assert_eq!(action("+", None), ("+".into(), None), "no number, no sum");
        let options = Options::try_parse_from(["tally", "press", "Derailments", "-1", "--url", "http://a.example"]);
        assert!(matches!(options.unwrap().what, What::Press { action, .. } if action == "-1"));
        assert!(Options::try_parse_from(["tally", "air", "maybe"]).is_err());
        let all = json!([{"id": 3, "title": "Cups of tea"}, {"id": 4, "title": "Derailments"}]);
        for name in ["cups of TEA", "3"] {
            assert_eq!(one(&all, "title", "widget", name).unwrap()["id"], 3);
        }
        let told = one(&all, "title", "widget", "Coffee").unwrap_err().to_string();
        assert_eq!(told, "there is no widget called “Coffee”; there are: Cups of tea, Derailments");
    }

    #[test]
    fn a_name_that_several_have_is_refused_and_a_number_is_not() {
        let all = json!([{"id": 1, "title": "Tea"}, {"id": 2, "title": "tea"}, {"id": 3, "title": "Coal"}]);
        assert_eq!(one(&all, "title", "widget", "coal").unwrap()["id"], 3);
        assert_eq!(one(&all, "title", "widget", "2").unwrap()["id"], 2);
        let told = one(&all, "title", "widget", "Tea").unwrap_err().to_string();
        assert!(told.contains("Tea (number 1), tea (number 2)"), "{told}");
        assert!(one(&all, "title", "widget", "Milk").is_err());
    }
}
