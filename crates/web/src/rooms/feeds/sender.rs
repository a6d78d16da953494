//! Who may send to a webhook of any shape, and how it is answered.

use crate::app::App;
use crate::error::WebError;
use crate::rooms::sign_in::{refreshed, refusal};
use crate::security::session::Owner;
use actix_web::{HttpResponse, web};
use serde::Deserialize;
use tally_feeds::irc::is_one_line;
use tally_store::feeds::{FeedChange, Wiring};
use tally_store::mapping::{Digest, Encoding, Hmac, Sender, Stamp, TokenPlace, Webhook};

/// What is typed in. Which fields matter depends on the kind.
#[derive(Debug, Clone, Default, Deserialize)]
#[serde(default)]
pub struct Typed {
    pub(super) kind: String,
    pub(super) place: String,
    pub(super) name: String,
    pub(super) user: String,
    pub(super) header: String,
    pub(super) prefix: String,
    pub(super) digest: String,
    pub(super) encoding: String,
    pub(super) stamp: String,
    pub(super) separator: String,
    pub(super) tolerance: String,
    pub(super) secret: String,
    pub(super) status: String,
    pub(super) answer: String,
    pub(super) challenge: String,
    /// Whether there is a secret already; it is never sent to the page.
    #[serde(skip)]
    pub(super) has_secret: bool,
}

impl Typed {
    /// What stands in the form of a webhook of any shape.
    pub(super) fn of(wiring: &Wiring) -> Option<Self> {
        let Wiring::AnyWebhook(webhook) = wiring else { return None };
        let typed = Self {
            kind: "address".into(),
            place: "header".into(),
            digest: "sha256".into(),
            encoding: "hex".into(),
            tolerance: "300".into(),
            status: webhook.status.to_string(),
            answer: webhook.answer.clone(),
            challenge: webhook.challenge.clone(),
            ..Self::default()
        };
        Some(match &webhook.sender {
            Sender::Address => typed,
            Sender::Signed => Self { kind: "signed".into(), ..typed },
            Sender::Basic { user, .. } => Self { kind: "basic".into(), user: user.clone(), has_secret: true, ..typed },
            Sender::Token { place, name, .. } => {
                let place = match place {
                    TokenPlace::Header => "header",
                    TokenPlace::Query => "query",
                    TokenPlace::Field => "field",
                };
                Self { kind: "token".into(), place: place.into(), name: name.clone(), has_secret: true, ..typed }
            }
            Sender::Hmac(hmac) => {
                let digest = match hmac.digest {
                    Digest::Sha1 => "sha1",
                    Digest::Sha256 => "sha256",
                    Digest::Sha512 => "sha512",
                };
                let encoding = if hmac.encoding == Encoding::Hex { "hex" } else { "base64" };
                let stamp = hmac.timestamp.clone().unwrap_or_else(|| Stamp { tolerance_s: 300, ..Stamp::default() });
                Self {
                    kind: "hmac".into(),
                    header: hmac.header.clone(),
                    prefix: hmac.prefix.clone(),
                    digest: digest.into(),
                    encoding: encoding.into(),
                    stamp: stamp.header,
                    separator: stamp.separator,
                    tolerance: stamp.tolerance_s.to_string(),
                    has_secret: true,
                    ..typed
                }
            }
        })
    }
}

/// `POST /feeds/{id}/sender`
pub async fn save(
    app: web::Data<App>,
    owner: Owner,
    id: web::Path<u32>,
    typed: web::Form<Typed>,
) -> Result<HttpResponse, WebError> {
    let feed = app.engine.store().feed(owner.channel.id, *id).await?;
    let Wiring::AnyWebhook(present) = feed.wiring else { return Err(WebError::NotFound) };
    let new = match webhook(&typed, present) {
        Ok(new) => new,
        Err(why) => return Ok(refusal(&why)),
    };
    app.engine.store().change_feed(owner.channel.id, *id, FeedChange::Answer(Box::new(new))).await?;
    app.engine.feeds_changed(owner.channel.id).await?;
    Ok(refreshed())
}

/// The secret that is in force.
fn present_secret(sender: &Sender) -> &str {
    match sender {
        Sender::Address | Sender::Signed => "",
        Sender::Token { token, .. } => token,
        Sender::Basic { password, .. } => password,
        Sender::Hmac(hmac) => &hmac.secret,
    }
}

fn webhook(typed: &Typed, present: Webhook) -> Result<Webhook, String> {
    let line = |what: &str, text: &str| {
        let text = text.trim();
        if text.chars().count() > 200 || !is_one_line(text) {
            return Err(format!("The {what} must be one line of at most 200 characters."));
        }
        Ok(text.to_owned())
    };
    let header = |what: &str, text: &str| {
        let name = line(what, text)?;
        let fits = !name.is_empty() && name.bytes().all(|byte| byte.is_ascii_alphanumeric() || b"-_".contains(&byte));
        if fits { Ok(name) } else { Err(format!("The {what} must be the name of a header, such as X-Signature.")) }
    };
    let secret = || {
        let typed = typed.secret.trim();
        let secret = if typed.is_empty() { present_secret(&present.sender) } else { typed };
        match secret.chars().count() {
            0 => Err("The token, key or password is missing; copy it from the service.".to_owned()),
            1..=500 => Ok(secret.to_owned()),
            _ => Err("The token, key or password is longer than 500 characters.".to_owned()),
        }
    };
    let sender = match typed.kind.as_str() {
        "address" => Sender::Address,
        "signed" => Sender::Signed,
        "basic" => Sender::Basic { user: line("user name", &typed.user)?, password: secret()? },
        "token" => {
            let place = match typed.place.as_str() {
                "query" => TokenPlace::Query,
                "field" => TokenPlace::Field,
                _ => TokenPlace::Header,
            };
            let name = match place {
                TokenPlace::Header => header("name of the token", &typed.name)?,
                _ => line("name of the token", &typed.name)?,
            };
            if name.is_empty() {
                return Err("The token needs the name under which it comes.".into());
            }
            Sender::Token { place, name, token: secret()? }
        }
        "hmac" => Sender::Hmac(Hmac {
            digest: match typed.digest.as_str() {
                "sha1" => Digest::Sha1,
                "sha512" => Digest::Sha512,
                _ => Digest::Sha256,
            },
            encoding: if typed.encoding == "base64" { Encoding::Base64 } else { Encoding::Hex },
            header: header("header with the signature", &typed.header)?,
            prefix: line("beginning of the signature", &typed.prefix)?,
            secret: secret()?,
            timestamp: if typed.stamp.trim().is_empty() {
                None
            } else {
                let tolerance = typed.tolerance.trim().parse().ok().filter(|seconds| (1..=86_400).contains(seconds));
                Some(Stamp {
                    header: header("header with the timestamp", &typed.stamp)?,
                    separator: line("text between", &typed.separator)?,
                    tolerance_s: tolerance.ok_or("The timestamp may be off by 1 to 86400 seconds.")?,
                })
            },
        }),
        _ => return Err("Choose from the list who may send.".into()),
    };
    let status = typed.status.trim().parse().ok().filter(|status| (200..=299).contains(status));
    let challenge = line("value to echo", &typed.challenge)?;
    if challenge.starts_with('/') {
        tally_feeds::poll::pointer(&challenge).map_err(|why| format!("The value to echo {why}."))?;
    }
    Ok(Webhook {
        sender,
        status: status.ok_or("The status of the answer must be from 200 to 299.")?,
        answer: typed.answer.trim().chars().take(1_000).collect(),
        challenge,
        mapping: present.mapping,
    })
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;

    fn typed(kind: &str) -> Typed {
        let wiring = Wiring::AnyWebhook(Webhook::default());
        Typed { kind: kind.into(), ..Typed::of(&wiring).unwrap() }
    }

    #[test]
    fn what_is_typed_says_who_may_send() {
        let read = |typed: &Typed| webhook(typed, Webhook::default());
        assert!(read(&typed("address")).is_ok_and(|webhook| webhook.sender == Sender::Address));
        let hmac = Typed {
            header: "X-Sig".into(),
            secret: "k".into(),
            stamp: "X-Time".into(),
            separator: ".".into(),
            ..typed("hmac")
        };
        let Sender::Hmac(told) = read(&hmac).unwrap().sender else { panic!() };
        assert_eq!((told.header.as_str(), told.timestamp.unwrap().tolerance_s), ("X-Sig", 300));
        for (typed, said) in [
            (Typed { header: "X Sig".into(), ..hmac.clone() }, "name of a header"),
            (Typed { secret: String::new(), ..hmac.clone() }, "is missing"),
            (Typed { tolerance: "0".into(), ..hmac }, "1 to 86400"),
            (Typed { secret: "k".into(), ..typed("token") }, "name of the token"),
            (Typed { status: "302".into(), ..typed("address") }, "200 to 299"),
            (Typed { challenge: "/~2".repeat(100), ..typed("address") }, "one line"),
            (typed("nobody"), "from the list"),
        ] {
            let why = read(&typed).err().unwrap();
            assert!(why.contains(said), "{why}");
        }
    }

    #[test]
    fn a_secret_is_kept_where_none_is_typed_and_never_shown() {
        let sender = Sender::Basic { user: "shop".into(), password: "hunter2".into() };
        let present = Webhook { sender: sender.clone(), ..Webhook::default() };
        let shown = Typed::of(&Wiring::AnyWebhook(present.clone())).unwrap();
        assert!(shown.secret.is_empty() && shown.has_secret);
        assert!(webhook(&shown, present).is_ok_and(|webhook| webhook.sender == sender));
    }
}
