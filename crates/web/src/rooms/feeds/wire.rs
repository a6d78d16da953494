//! Wiring a feed of each kind.

use crate::app::App;
use crate::error::{WebError, sentence};
use crate::rooms::sign_in::{go_to, refreshed, refusal};
use crate::security::session::Owner;
use crate::security::tokens;
use actix_web::{HttpResponse, web};
use serde::Deserialize;
use std::collections::BTreeMap;
use tally_core::language::text;
use tally_feeds::irc::is_one_line;
use tally_feeds::{outside, poll, run};
use tally_store::feeds::{Chat, Feed, FeedChange, Poll, Wiring};
use tally_store::mapping::{List, Mapping, Stream, Webhook};

/// Most feeds of one channel; each may cost a connection.
const MOST_FEEDS: usize = 60;

/// What is typed in. Which fields matter depends on the kind.
#[derive(Clone, Default, Deserialize)]
#[serde(default)]
pub struct Typed {
    pub(super) kind: String,
    pub(super) name: String,
    pub(super) host: String,
    pub(super) port: String,
    pub(super) tls: String,
    pub(super) nick: String,
    pub(super) password: String,
    pub(super) room: String,
    pub(super) certificate: String,
    pub(super) url: String,
    pub(super) every: String,
    pub(super) levels: String,
    pub(super) headers: String,
    pub(super) first: String,
    pub(super) items: String,
    pub(super) next: String,
}

/// What stands in a form in place of a header's value, which may be a secret.
const KEPT: &str = "•••";

impl Typed {
    /// What stands in the fields of a new feed of a kind.
    pub(super) fn standard(kind: &str) -> Self {
        let typed = Self { kind: kind.into(), ..Self::default() };
        match kind {
            "chat" => Self { name: "Chat".into(), port: "6697".into(), tls: "yes".into(), ..typed },
            "poll" => Self { name: "Numbers".into(), every: "30".into(), ..typed },
            "rates" => Self { name: "Exchange rates".into(), ..typed },
            "list" => Self { every: "30".into(), ..typed },
            _ => typed,
        }
    }

    /// What stands in the fields of a feed that is wired; none for what came from a file.
    pub(super) fn of(feed: &Feed) -> Option<Self> {
        let typed = Self { kind: feed.wiring.kind().into(), name: feed.name.clone(), ..Self::default() };
        Some(match &feed.wiring {
            Wiring::Webhook { .. } | Wiring::AnyWebhook(_) => typed,
            Wiring::Stream(stream) => {
                Self { url: stream.url.clone(), headers: names(&stream.headers), first: stream.first.clone(), ..typed }
            }
            Wiring::List(list) => Self {
                url: list.url.clone(),
                headers: names(&list.headers),
                every: list.every.to_string(),
                items: list.items.clone(),
                next: list.next.clone(),
                ..typed
            },
            Wiring::Chat(chat) => Self {
                host: chat.host.clone(),
                port: chat.port.to_string(),
                tls: if chat.tls { "yes".into() } else { String::new() },
                nick: chat.nick.clone(),
                password: chat.password.clone(),
                room: chat.room.clone(),
                certificate: chat.certificate.clone(),
                ..typed
            },
            Wiring::Poll(poll) => Self {
                url: poll.url.clone(),
                every: poll.every.to_string(),
                levels: poll.levels.iter().map(|(name, pointer)| format!("{name} {pointer}\n")).collect(),
                ..typed
            },
            Wiring::Rates { url } => Self { url: url.clone(), ..typed },
            Wiring::Import { .. } => return None,
        })
    }
}

/// `POST /feeds/{id}/edit`: another name, or wired otherwise. Its kind stays.
pub async fn edit(
    app: web::Data<App>,
    owner: Owner,
    id: web::Path<u32>,
    typed: web::Form<Typed>,
) -> Result<HttpResponse, WebError> {
    let store = app.engine.store();
    let feed = store.feed(owner.channel.id, *id).await?;
    let typed = Typed { kind: feed.wiring.kind().into(), ..typed.into_inner() };
    let read = || Ok::<_, String>((name(&typed.name)?, wiring(&typed, app.config.outside)?));
    let (name, mut wiring) = match read() {
        Ok(read) => read,
        Err(why) => return Ok(refusal(&why)),
    };
    match (&mut wiring, feed.wiring) {
        (Wiring::Webhook { expand_gifts }, Wiring::Webhook { expand_gifts: present }) => *expand_gifts = present,
        (Wiring::AnyWebhook(new), Wiring::AnyWebhook(present)) => *new = present,
        (Wiring::Stream(new), Wiring::Stream(present)) => keep(&mut new.headers, &present.headers),
        (Wiring::List(new), Wiring::List(present)) => keep(&mut new.headers, &present.headers),
        // A password is not sent back to the page; an empty field keeps it.
        (Wiring::Chat(new), Wiring::Chat(present)) if new.password.is_empty() => new.password = present.password,
        _ => {}
    }
    store.change_feed(owner.channel.id, *id, FeedChange::Edit { name, wiring }).await?;
    app.engine.feeds_changed(owner.channel.id).await?;
    Ok(refreshed())
}

/// `POST /feeds`
pub async fn create(app: web::Data<App>, owner: Owner, typed: web::Form<Typed>) -> Result<HttpResponse, WebError> {
    let read = || Ok::<_, String>((name(&typed.name)?, wiring(&typed, app.config.outside)?));
    let (name, wiring) = match read() {
        Ok(read) => read,
        Err(why) => return Ok(refusal(&why)),
    };
    let feeds = app.engine.store().feeds(owner.channel.id).await?;
    if feeds.iter().filter(|feed| !feed.removed).count() >= MOST_FEEDS {
        return Ok(refusal("There are as many feeds as one channel may have; remove one that is not needed."));
    }
    let (token, secret) = (tokens::token(&mut rand::rng()), tokens::webhook_secret(&mut rand::rng()));
    let has_rules = wiring.mapping().is_some();
    let feed = app.engine.store().create_feed(owner.channel.id, name, wiring, token, secret).await?;
    app.engine.feeds_changed(owner.channel.id).await?;
    // Where rules are needed, making them is the next step.
    Ok(if has_rules { go_to(&format!("/feeds/{}/rules", feed.id)) } else { refreshed() })
}

/// Headers with their values kept back.
fn names(headers: &[(String, String)]) -> String {
    headers.iter().map(|(name, _)| format!("{name}: {KEPT}\n")).collect()
}

/// Values that were kept back stay as they are.
fn keep(new: &mut [(String, String)], present: &[(String, String)]) {
    for (name, value) in new.iter_mut().filter(|(_, value)| value == KEPT) {
        if let Some((_, kept)) = present.iter().find(|(own, _)| own == name) {
            value.clone_from(kept);
        }
    }
}

fn name(typed: &str) -> Result<String, String> {
    match text::name(typed) {
        Ok(name) if name.chars().count() <= 80 => Ok(name),
        Ok(_) => Err("The name is longer than 80 characters.".into()),
        Err(error) => Err(format!("The name {error}.")),
    }
}

pub(super) fn wiring(typed: &Typed, outside: outside::Outside) -> Result<Wiring, String> {
    let address = |url: &str| outside::address(url, outside).map(String::from).map_err(|error| format!("{error}."));
    Ok(match typed.kind.as_str() {
        "webhook" => Wiring::Webhook { expand_gifts: false },
        "chat" => Wiring::Chat(chat(typed)?),
        "poll" => Wiring::Poll(Poll {
            url: address(&typed.url)?,
            every: every(&typed.every)?,
            levels: levels(&typed.levels)?,
        }),
        "rates" => Wiring::Rates { url: address(&typed.url)? },
        "any_webhook" => Wiring::AnyWebhook(Webhook::default()),
        "stream" => Wiring::Stream(Stream {
            url: run::stream_address(&typed.url, outside).map(String::from).map_err(|why| sentence(&why))?,
            headers: headers(&typed.headers)?,
            first: match typed.first.trim() {
                first if first.len() <= 4_000 => first.to_owned(),
                _ => return Err("The first message has at most 4,000 bytes.".into()),
            },
            mapping: Mapping::default(),
        }),
        "list" => Wiring::List(List {
            url: address(&typed.url)?,
            headers: headers(&typed.headers)?,
            every: every(&typed.every)?,
            items: place("list", &typed.items)?,
            next: place("next page", &typed.next)?,
            mapping: Mapping::default(),
        }),
        _ => return Err("Choose a kind of feed from the list.".into()),
    })
}

fn place(what: &str, typed: &str) -> Result<String, String> {
    poll::pointer(typed).map_err(|why| format!("Where the {what} stands {why}."))
}

/// One header a line: its name, a colon, its value.
fn headers(typed: &str) -> Result<Vec<(String, String)>, String> {
    let header = |line: &str| {
        let wrong = || {
            format!(
                "“{}” must be a name, a colon and a value, such as: X-Token: abc",
                line.chars().take(40).collect::<String>()
            )
        };
        let (name, value) = line.split_once(':').ok_or_else(wrong)?;
        let (name, value) = (name.trim(), value.trim());
        let named = !name.is_empty() && name.bytes().all(|byte| byte.is_ascii_alphanumeric() || b"-_".contains(&byte));
        let fits = named && value.len() <= 2_000 && (value.is_ascii() || value == KEPT) && is_one_line(value);
        if fits { Ok((name.to_owned(), value.to_owned())) } else { Err(wrong()) }
    };
    let headers: Vec<_> =
        typed.lines().map(str::trim).filter(|line| !line.is_empty()).map(header).collect::<Result<_, _>>()?;
    if headers.len() > 20 { Err("Send at most 20 headers along.".into()) } else { Ok(headers) }
}

fn chat(typed: &Typed) -> Result<Chat, String> {
    let word = |what: &str, text: &str, most: usize| {
        let text = text.trim();
        let fits = !text.is_empty()
            && text.len() <= most
            && is_one_line(text)
            && !text.contains([' ', ','])
            && !text.starts_with(':');
        if fits {
            Ok(text.to_owned())
        } else {
            Err(format!("The {what} must be one word of at most {most} characters."))
        }
    };
    let room = word("room", &typed.room, 100)?;
    let password = typed.password.trim().to_owned();
    if !is_one_line(&password) || password.len() > 300 {
        return Err("The password must be one line of at most 300 characters.".into());
    }
    Ok(Chat {
        host: word("host", &typed.host, 253)?,
        port: typed
            .port
            .trim()
            .parse()
            .ok()
            .filter(|port| *port > 0)
            .ok_or("The port must be a number from 1 to 65535, such as 6697.")?,
        tls: !typed.tls.is_empty(),
        nick: word("name to read along under", &typed.nick, 30)?,
        password,
        room: if room.starts_with(['#', '&']) { room } else { format!("#{room}") },
        certificate: typed.certificate.trim().chars().take(20_000).collect(),
    })
}

fn every(typed: &str) -> Result<u32, String> {
    let seconds = typed.trim().parse().ok().filter(|seconds| (2..=86_400).contains(seconds));
    seconds.ok_or_else(|| "How often must be a number of seconds from 2 to 86400.".into())
}

/// One level a line: its name, then the JSON Pointer of its value.
fn levels(typed: &str) -> Result<BTreeMap<String, String>, String> {
    let mut levels = BTreeMap::new();
    for line in typed.lines().map(str::trim).filter(|line| !line.is_empty()) {
        let (name, pointer) = line.rsplit_once([' ', '\t']).ok_or_else(|| {
            format!("“{line}” must be a name, a blank and a JSON Pointer, such as: viewers /stats/viewers")
        })?;
        let name = text::name(name).map_err(|error| format!("The name of a level {error}."))?;
        let pointer = poll::pointer(pointer).map_err(|why| format!("“{pointer}” {why}."))?;
        levels.insert(name, pointer);
    }
    if levels.is_empty() || levels.len() > 20 {
        return Err(
            "Name at least one level and at most 20, each on a line of its own, such as: viewers /stats/viewers".into(),
        );
    }
    Ok(levels)
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;

    fn refused(typed: &Typed) -> String {
        wiring(typed, outside::Outside::default()).unwrap_err()
    }

    #[test]
    fn wirings_that_cannot_work_are_refused_with_what_to_write() {
        let chat = || Typed {
            kind: "chat".into(),
            host: "irc.example".into(),
            port: "6697".into(),
            nick: "tally".into(),
            room: "saltmarsh".into(),
            ..Typed::default()
        };
        let Wiring::Chat(wired) = wiring(&chat(), outside::Outside::default()).unwrap() else { panic!() };
        assert_eq!((wired.room.as_str(), wired.tls), ("#saltmarsh", false));
        assert!(refused(&Typed { room: "a b".into(), ..chat() }).contains("one word"));
        assert!(refused(&Typed { nick: "x\r\nQUIT".into(), ..chat() }).contains("one word"));
        assert!(refused(&Typed { port: "0".into(), ..chat() }).contains("port"));
        assert!(refused(&Typed { password: "a\nb".into(), ..chat() }).contains("one line"));
        let poll = || Typed {
            kind: "poll".into(),
            url: "https://n.example/".into(),
            every: "30".into(),
            levels: "viewers now /v".into(),
            ..Typed::default()
        };
        let Wiring::Poll(wired) = wiring(&poll(), outside::Outside::default()).unwrap() else { panic!() };
        assert_eq!(wired.levels, [("viewers now".to_owned(), "/v".to_owned())].into());
        assert!(
            refused(&Typed { url: "http://192.168.0.1/".into(), ..poll() }).contains("this machine or its network")
        );
        assert!(refused(&Typed { levels: "viewers".into(), ..poll() }).contains("JSON Pointer"));
        assert!(refused(&Typed { levels: "viewers v".into(), ..poll() }).contains("beginning with a slash"));
        assert!(refused(&Typed { every: "1".into(), ..poll() }).contains("2 to 86400"));
        assert!(refused(&Typed::default()).contains("Choose a kind"));
        let stream = |url: &str, headers: &str| Typed {
            kind: "stream".into(),
            url: url.into(),
            headers: headers.into(),
            ..Typed::default()
        };
        let Wiring::Stream(wired) =
            wiring(&stream("wss://s.example/", "X-Token: a:b\n"), outside::Outside::default()).unwrap()
        else {
            panic!()
        };
        assert_eq!(wired.headers, [("X-Token".to_owned(), "a:b".to_owned())]);
        assert!(refused(&stream("s.example", "")).contains("begins with wss://"));
        assert!(refused(&stream("ws://10.0.0.1/", "")).contains("this machine or its network"));
        assert!(refused(&stream("wss://s.example/", "X Token: a")).contains("a name, a colon and a value"));
        let list = Typed { kind: "list".into(), items: "orders".into(), ..poll() };
        assert!(refused(&list).contains("Where the list stands must be a JSON Pointer"));
    }
}
