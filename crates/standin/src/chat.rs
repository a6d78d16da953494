//! A small chat server that speaks IRC (RFC 2812) with message tags and server time (IRCv3), to
//! which simulated chatters and real IRC clients talk alike.

use crate::world::World;
use chrono::{DateTime, Utc};
use std::sync::Arc;
use tally_feeds::irc::Message;
use tokio::io::{AsyncBufReadExt, AsyncWriteExt, BufReader};
use tokio::net::{TcpListener, TcpStream};
use tokio::sync::broadcast::error::RecvError;

/// The only room there is.
pub const ROOM: &str = "#saltmarsh";
const SERVER: &str = "chat.stand-in";

/// A line of chat.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Said {
    /// Who.
    pub name: String,
    /// What.
    pub text: String,
    /// When.
    pub at: DateTime<Utc>,
    /// What they are to the channel, by their badges.
    pub badges: &'static str,
}

/// What people can be to the channel. Whoever says nothing else follows it.
pub const BADGES: [&str; 4] = ["follower", "subscriber,follower", "helper,subscriber", "owner"];

impl Said {
    /// A line of somebody who follows the channel, said now.
    #[must_use]
    pub fn now(name: impl Into<String>, text: impl Into<String>) -> Self {
        Self { name: name.into(), text: text.into(), at: Utc::now(), badges: BADGES[0] }
    }

    /// As a line of IRC. What could begin another line, or another tag, is taken out or escaped.
    fn line(&self, tags: bool) -> String {
        let one_line = |text: &str| text.replace(['\r', '\n', '\0'], " ");
        let nick: String = self.name.chars().filter(|c| c.is_ascii_alphanumeric() || *c == '_').take(30).collect();
        let nick = if nick.is_empty() { "viewer".to_owned() } else { nick };
        let prefix = if tags {
            let name = one_line(&self.name).replace('\\', "\\\\").replace(';', "\\:").replace(' ', "\\s");
            let badges = self.badges;
            let time = self.at.to_rfc3339_opts(chrono::SecondsFormat::Millis, true);
            format!("@badges={badges};display-name={name};time={time};user-id=v-{nick} ")
        } else {
            String::new()
        };
        format!("{prefix}:{nick}!{nick}@viewers PRIVMSG {ROOM} :{}\r\n", one_line(&self.text))
    }
}

/// Serves until dropped.
pub async fn serve(listener: TcpListener, world: Arc<World>) {
    loop {
        match listener.accept().await {
            Ok((stream, _)) => {
                let world = Arc::clone(&world);
                tokio::spawn(async move {
                    // A client that goes away is no fault.
                    let _ = client(stream, &world).await;
                });
            }
            Err(error) => {
                tracing::warn!(%error, "the chat stand-in could not take a connection");
                tokio::time::sleep(std::time::Duration::from_millis(200)).await;
            }
        }
    }
}

/// Who is connected.
#[derive(Default)]
struct Guest {
    nick: String,
    user: bool,
    /// Capabilities are being agreed on, so welcome waits.
    agreeing: bool,
    tags: bool,
    welcome: bool,
    joined: bool,
}

async fn client(stream: TcpStream, world: &World) -> std::io::Result<()> {
    stream.set_nodelay(true)?;
    let (read, mut write) = stream.into_split();
    let mut lines = BufReader::new(read).lines();
    let mut guest = Guest::default();
    let mut chat = world.listen();
    loop {
        tokio::select! {
            line = lines.next_line() => {
                let Some(line) = line? else { return Ok(()) };
                let Some(message) = Message::read(&line) else { continue };
                let (answer, leave) = guest.hear(&message, world);
                write.write_all(answer.as_bytes()).await?;
                if leave {
                    return Ok(());
                }
            }
            said = chat.recv() => match said {
                Ok(said) if guest.joined => write.write_all(said.line(guest.tags).as_bytes()).await?,
                Ok(_) | Err(RecvError::Lagged(_)) => {}
                Err(RecvError::Closed) => return Ok(()),
            },
        }
    }
}

impl Guest {
    /// What to answer, and whether that is the end.
    fn hear(&mut self, message: &Message<'_>, world: &World) -> (String, bool) {
        let nick = if self.nick.is_empty() { "*" } else { &self.nick };
        let last = message.params.last().copied().unwrap_or_default();
        let mut answer = match (message.command, message.params.first().copied()) {
            ("CAP", Some("LS")) => {
                self.agreeing = true;
                format!(":{SERVER} CAP {nick} LS :message-tags server-time sasl=PLAIN\r\n")
            }
            ("CAP", Some("REQ")) => {
                self.agreeing = true;
                self.tags |= last.split(' ').any(|one| one == "message-tags");
                format!(":{SERVER} CAP {nick} ACK :{last}\r\n")
            }
            ("CAP", Some("END")) => {
                self.agreeing = false;
                String::new()
            }
            ("AUTHENTICATE", Some("PLAIN")) => "AUTHENTICATE +\r\n".into(),
            // Whoever knows some password is let in; this is a stand-in.
            ("AUTHENTICATE", Some(_)) => format!(":{SERVER} 903 {nick} :You are known\r\n"),
            ("NICK", Some(wanted)) => {
                self.nick = wanted.chars().filter(|c| !c.is_control()).take(30).collect();
                String::new()
            }
            ("USER", _) => {
                self.user = true;
                String::new()
            }
            ("PING", _) => format!(":{SERVER} PONG {SERVER} :{last}\r\n"),
            ("JOIN", Some(room)) if room.eq_ignore_ascii_case(ROOM) => {
                self.joined = true;
                format!(
                    ":{nick}!{nick}@viewers JOIN {ROOM}\r\n:{SERVER} 353 {nick} = {ROOM} :{nick}\r\n:{SERVER} 366 {nick} {ROOM} :End\r\n"
                )
            }
            ("JOIN", Some(room)) => {
                let room: String = room.chars().filter(|c| !c.is_control()).take(50).collect();
                format!(":{SERVER} 403 {nick} {room} :No such room; there is {ROOM}\r\n")
            }
            ("PRIVMSG", Some(_)) => {
                world.say(Said::now(self.nick.clone(), last));
                String::new()
            }
            ("QUIT", _) => return ("ERROR :Goodbye\r\n".to_owned(), true),
            _ => String::new(),
        };
        if !self.welcome && self.user && !self.agreeing && !self.nick.is_empty() {
            self.welcome = true;
            answer += &format!(":{SERVER} 001 {} :Welcome to the stand-in chat\r\n", self.nick);
        }
        (answer, false)
    }
}
