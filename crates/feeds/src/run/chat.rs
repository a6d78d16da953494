//! Reading along in a chat: IRC over TCP or TLS, kept alive, connected anew by whoever runs it.

use super::Line;
use super::dial::{self, Wire};
use super::speak::{Echoes, Pace, Speaking, fitting, next_to_say};
use crate::irc::{MOST_BYTES, Message};
use crate::outside::Outside;
use base64::Engine as _;
use base64::prelude::BASE64_STANDARD;
use std::pin::pin;
use std::time::Duration;
use tally_core::book::chat::{ChatLine, Role};
use tally_core::language::text;
use tally_engine::Report;
use tally_store::feeds::Chat;
use tokio::io::{AsyncBufRead, AsyncBufReadExt, AsyncWrite, AsyncWriteExt, BufReader};
use tokio::sync::mpsc;
use tokio::time::{Instant, timeout, timeout_at};

/// How long connecting and signing on may take.
const PATIENCE: Duration = Duration::from_secs(20);
/// After so long without a word we ask whether anybody is there.
const QUIET: Duration = Duration::from_secs(60);
/// Lines are handed on together, at the latest after this long.
const TOGETHER: Duration = Duration::from_millis(40);
/// How often it is told at most that lines were left out.
const TELLS_EVERY: Duration = Duration::from_secs(2);
/// And at most so many.
const MOST_TOGETHER: usize = 500;

/// What is heard while reading along.
enum Heard {
    /// The room has let us in.
    Joined,
    /// Somebody has said something.
    Said(Vec<ChatLine>),
}

/// Reads along until that fails; gives the reason.
pub(super) async fn run(line: &Line, chat: &Chat) -> String {
    let (mut left_out, mut told) = (0, Instant::now());
    let (hand, mut heard) = mpsc::channel(4);
    let out = Speaking { line, pace: Pace::new(Instant::now()) };
    let mut reading = pin!(read_along(chat, line.outside, || line.engine.now(), hand, Some(out)));
    loop {
        let one = tokio::select! {
            biased;
            Some(one) = heard.recv() => one,
            why = &mut reading => return why,
        };
        match one {
            Heard::Joined => line.report(Report::Connected).await,
            Heard::Said(lines) => {
                match line.channel.chat(line.feed, lines).await {
                    Ok(shed) => left_out += shed,
                    Err(error) => return error.to_string(),
                }
                if left_out > 0 && told.elapsed() > TELLS_EVERY {
                    let why = format!("chat was faster than it can be followed; {left_out} lines were left out");
                    line.report(Report::Trouble(why)).await;
                    (left_out, told) = (0, Instant::now());
                }
            }
        }
    }
}

/// Joins a room as it is being wired, listens for a moment, and leaves again.
///
/// # Errors
/// What would go wrong, in words.
pub async fn listen(
    chat: &Chat,
    outside: Outside,
    now: impl Fn() -> tally_core::time::Instant,
    most: Duration,
) -> Result<Vec<ChatLine>, String> {
    let (hand, mut heard) = mpsc::channel(4);
    let mut reading = pin!(read_along(chat, outside, now, hand, None));
    let (mut joined, mut lines) = (None, Vec::new());
    loop {
        let until = joined.unwrap_or_else(Instant::now) + if joined.is_some() { most } else { PATIENCE };
        let one = tokio::select! {
            biased;
            one = timeout_at(until, heard.recv()) => one,
            why = &mut reading => return if joined.is_some() { Ok(lines) } else { Err(why) },
        };
        match one {
            Ok(Some(Heard::Joined)) => joined = Some(Instant::now()),
            Ok(Some(Heard::Said(more))) => lines.extend(more),
            Ok(None) | Err(_) if joined.is_some() => return Ok(lines),
            Ok(None) | Err(_) => return Err("the chat server did not let us in in time".into()),
        }
    }
}

/// Reads along until that fails; gives the reason.
async fn read_along(
    chat: &Chat,
    outside: Outside,
    now: impl Fn() -> tally_core::time::Instant,
    hand: mpsc::Sender<Heard>,
    out: Option<Speaking<'_>>,
) -> String {
    match dial::connect(outside, &chat.host, chat.port, chat.tls, &chat.certificate).await {
        Ok(stream) => match session(chat, stream, now, hand, out).await {
            Ok(()) => "the chat server closed the line".into(),
            Err(why) => why,
        },
        Err(why) => why,
    }
}

/// Reads one line, however long it is on the wire, up to a bound. None at the end.
async fn read_line(reader: &mut (impl AsyncBufRead + Unpin), line: &mut Vec<u8>) -> Result<Option<()>, String> {
    // Whatever was read of a line before a deadline stays in `line` and is gone on with.
    loop {
        let chunk = reader.fill_buf().await.map_err(|error| format!("the line broke off: {error}"))?;
        if chunk.is_empty() {
            return Ok(None);
        }
        let end = chunk.iter().position(|byte| *byte == b'\n');
        let take = end.map_or(chunk.len(), |end| end + 1);
        line.extend_from_slice(&chunk[..take]);
        reader.consume(take);
        if line.len() > MOST_BYTES {
            return Err("the chat server sent a line that is longer than IRC allows".into());
        }
        if end.is_some() {
            return Ok(Some(()));
        }
    }
}

/// How far signing on has come.
#[derive(PartialEq)]
enum Stage {
    Asking,
    Requested,
    Authenticating,
    Signing,
    Joined,
}

async fn session(
    chat: &Chat,
    stream: Box<dyn Wire>,
    now: impl Fn() -> tally_core::time::Instant,
    hand: mpsc::Sender<Heard>,
    mut out: Option<Speaking<'_>>,
) -> Result<(), String> {
    let gone = |_| "nobody listens any more".to_owned();
    let (read, mut write) = tokio::io::split(stream);
    let mut reader = BufReader::with_capacity(32 * 1024, read);
    let mut nick = chat.nick.clone();
    let mut stage = Stage::Asking;
    let mut waiting: Vec<ChatLine> = Vec::new();
    let mut hand_on: Option<Instant> = None;
    let mut heard = Instant::now();
    let mut asked = false;
    let signing_on = Instant::now() + PATIENCE;
    let mut buffer = Vec::new();
    // What is to be said is listened for as soon as it can be said.
    let (mut to_say, mut echoes) = (None, Echoes::default());
    say(&mut write, "CAP LS 302").await?;
    loop {
        let quiet = if stage == Stage::Joined { heard + QUIET } else { signing_on };
        let deadline = hand_on.map_or(quiet, |at| at.min(quiet));
        let read = tokio::select! {
            biased;
            read = timeout_at(deadline, read_line(&mut reader, &mut buffer)) => read,
            text = next_to_say(&mut out, &mut to_say) => {
                let text = fitting(&text, chat);
                say(&mut write, &format!("PRIVMSG {} :{text}", chat.room)).await?;
                echoes.said(text, Instant::now());
                continue;
            }
        };
        match read {
            Ok(Ok(Some(()))) => {
                (heard, asked) = (Instant::now(), false);
                let bytes = std::mem::take(&mut buffer);
                let text = String::from_utf8_lossy(&bytes);
                if let Some(message) = Message::read(&text) {
                    let is_echo = message.command == "PRIVMSG"
                        && message.from.eq_ignore_ascii_case(&nick)
                        && message.params.last().is_some_and(|text| echoes.are(text));
                    if is_echo {
                        continue;
                    }
                    if let Some(said) = said(&message, chat, now()) {
                        waiting.push(said);
                        hand_on.get_or_insert(Instant::now() + TOGETHER);
                    } else {
                        for answer in answer(&message, chat, &mut nick, &mut stage)? {
                            say(&mut write, &answer).await?;
                        }
                        if let (Some(out), "404") = (&out, message.command) {
                            let why = "the chat server lets us read along but not speak; give it a name and a password";
                            out.line.report(Report::Trouble(why.into())).await;
                        }
                        if message.command == "366" {
                            to_say = out.as_ref().map(|out| out.line.channel.hub.to_say());
                            hand.send(Heard::Joined).await.map_err(gone)?;
                        }
                    }
                }
            }
            Ok(Ok(None)) => return Ok(()),
            Ok(Err(why)) => return Err(why),
            Err(_) if stage != Stage::Joined && Instant::now() >= signing_on => {
                return Err("the chat server did not let us in in time".into());
            }
            Err(_) if Instant::now() >= heard + QUIET => {
                if asked {
                    return Err("the chat server has fallen silent".into());
                }
                say(&mut write, "PING :still-there").await?;
                (heard, asked) = (Instant::now(), true);
            }
            Err(_) => {}
        }
        if waiting.len() >= MOST_TOGETHER || hand_on.is_some_and(|at| at <= Instant::now()) {
            hand_on = None;
            hand.send(Heard::Said(std::mem::take(&mut waiting))).await.map_err(gone)?;
        }
    }
}

async fn say(write: &mut (impl AsyncWrite + Unpin), text: &str) -> Result<(), String> {
    let line = format!("{text}\r\n");
    timeout(PATIENCE, write.write_all(line.as_bytes()))
        .await
        .map_err(|_| "the chat server takes nothing".to_owned())?
        .map_err(|error| format!("the line broke off: {error}"))
}

/// What somebody said in our room.
fn said(message: &Message<'_>, chat: &Chat, now: tally_core::time::Instant) -> Option<ChatLine> {
    let [room, text] = message.params[..] else { return None };
    if message.command != "PRIVMSG" || !room.eq_ignore_ascii_case(&chat.room) {
        return None;
    }
    let clean = |text: &str| text::tamed(text, text::MESSAGE_MOST);
    let badges = message.tags.get("badges").map_or("", String::as_str);
    let role = Role::of_badges(badges);
    // Whoever helps is no subscriber by that.
    let subscriber = badges.split(',').any(|badge| Role::of_badges(badge) == Role::Subscriber);
    let id = message.tags.get("user-id").map(|id| text::tamed(id, text::NAME_MOST)).filter(|id| !id.is_empty());
    Some(ChatLine {
        at: message.at().unwrap_or(now),
        name: clean(message.name()),
        id,
        role,
        subscriber,
        text: clean(text),
    })
}

/// What to answer to a line that nobody said, and how far that brings us.
fn answer(message: &Message<'_>, chat: &Chat, nick: &mut String, stage: &mut Stage) -> Result<Vec<String>, String> {
    let last = message.params.last().copied().unwrap_or_default();
    let sign_on = |nick: &str| vec![format!("NICK {nick}"), format!("USER {nick} 0 * :Eager Tally")];
    Ok(match message.command {
        "PING" => vec![format!("PONG :{last}")],
        "CAP" => match message.params.get(1).copied() {
            Some("LS") if *stage == Stage::Asking => {
                // A list that goes on has a star before its last part.
                if message.params.get(2) == Some(&"*") {
                    return Ok(Vec::new());
                }
                let offered = |name: &str| last.split(' ').any(|one| one.split('=').next() == Some(name));
                let mut wanted: Vec<&str> =
                    ["message-tags", "server-time"].into_iter().filter(|one| offered(one)).collect();
                let sasl = !chat.password.is_empty() && offered("sasl");
                if sasl {
                    wanted.push("sasl");
                }
                *stage = if sasl { Stage::Requested } else { Stage::Signing };
                let mut out = Vec::new();
                if !chat.password.is_empty() && !sasl {
                    out.push(format!("PASS {}", chat.password));
                }
                out.extend(sign_on(nick));
                if !wanted.is_empty() {
                    out.push(format!("CAP REQ :{}", wanted.join(" ")));
                }
                if !sasl {
                    out.push("CAP END".into());
                }
                out
            }
            Some("ACK") if *stage == Stage::Requested && last.split(' ').any(|one| one == "sasl") => {
                *stage = Stage::Authenticating;
                vec!["AUTHENTICATE PLAIN".into()]
            }
            Some("NAK") if *stage == Stage::Requested => {
                return Err("the chat server takes no password this way; leave it empty".into());
            }
            _ => Vec::new(),
        },
        "AUTHENTICATE" if *stage == Stage::Authenticating => {
            let plain = format!("\0{}\0{}", chat.nick, chat.password);
            vec![format!("AUTHENTICATE {}", BASE64_STANDARD.encode(plain))]
        }
        "903" => {
            *stage = Stage::Signing;
            vec!["CAP END".into()]
        }
        "902" | "904" | "905" | "464" => {
            return Err("the chat server refused the name or the password; check both".into());
        }
        // A server that knows no CAP.
        "421" if *stage == Stage::Asking => {
            *stage = Stage::Signing;
            let mut out: Vec<String> = Vec::new();
            if !chat.password.is_empty() {
                out.push(format!("PASS {}", chat.password));
            }
            out.extend(sign_on(nick));
            out
        }
        "433" | "436" => {
            nick.push('_');
            if nick.len() > chat.nick.len() + 5 {
                return Err(format!("the name {} is in use in this chat; choose another", chat.nick));
            }
            vec![format!("NICK {nick}")]
        }
        "432" => {
            return Err(format!(
                "the chat server does not take the name {}; choose another, perhaps a shorter one",
                chat.nick
            ));
        }
        "001" => vec![format!("JOIN {}", chat.room)],
        "366" => {
            *stage = Stage::Joined;
            Vec::new()
        }
        "403" | "405" | "471" | "473" | "474" | "475" | "476" => {
            return Err(format!("the chat server does not let us into {}: {last}", chat.room));
        }
        "ERROR" => return Err(format!("the chat server closed the line: {last}")),
        _ => Vec::new(),
    })
}
