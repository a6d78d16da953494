//! Who is signed in. A handler that takes an [`Owner`] needs one; its signature says so.

use crate::app::App;
use crate::error::WebError;
use crate::heavy::Whose;
use crate::security::access::Pass;
use crate::security::reach::Reach;
use actix_session::{Session, SessionExt};
use actix_web::dev::Payload;
use actix_web::http::Method;
use actix_web::{FromRequest, HttpRequest, web};
use std::future::Future;
use std::pin::Pin;
use tally_core::record::ids::ChannelId;
use tally_core::time::Instant;
use tally_engine::{By, ChannelHandle};
use tally_store::StoreError;
use tally_store::accounts::User;

const USER: &str = "user";
const EPOCH: &str = "epoch";
const SINCE: &str = "since";
/// Under this address the desk runs the rehearsal and not the show.
const REHEARSAL: &str = "/rehearsal/";
/// A session ends after so many days, whatever the browser does with its cookie.
const DAYS: i64 = 30;

/// The owner of a channel, signed in.
pub struct Owner {
    /// Which.
    pub user: u32,
    /// The count of endings of their sessions at which this one began.
    epoch: u32,
    /// Their name.
    pub name: String,
    /// Their channel; at the addresses of the rehearsal, the channel as it is rehearsed.
    pub channel: ChannelHandle,
    /// Whether that is a rehearsal.
    pub rehearses: bool,
    /// Where they reach us.
    pub reach: Reach,
    /// What pages send back with whatever changes something.
    pub csrf: String,
}

impl Owner {
    /// For whom their rooms are drawn.
    #[must_use]
    pub fn whose(&self) -> Whose {
        Whose::Person(self.user)
    }

    /// By what they were let in.
    #[must_use]
    pub fn pass(&self) -> Pass {
        Pass::Session { user: self.user, epoch: self.epoch }
    }

    /// The owner, doing something once.
    #[must_use]
    pub fn by(&self) -> By {
        By { name: self.name.clone(), id: super::tokens::token(&mut rand::rng()) }
    }
}

/// Signs somebody in, under a new session.
///
/// # Errors
/// The session cannot be kept.
pub fn sign_in(session: &Session, user: &User, now: Instant) -> Result<(), WebError> {
    session.renew();
    super::csrf::renew(session);
    let kept = session
        .insert(USER, user.id)
        .and_then(|()| session.insert(EPOCH, user.session_epoch))
        .and_then(|()| session.insert(SINCE, now.timestamp()));
    kept.map_err(|error| WebError::Inside(error.to_string()))
}

/// Who a session belongs to, for counting alone: whoever is signed in, or has opened a pass.
pub fn person(session: &Session) -> Option<String> {
    let user = session.get::<u32>(USER).ok().flatten().map(|user| format!("user {user}"));
    user.or_else(|| super::helper::device(session))
}

/// Signs out.
pub fn sign_out(session: &Session) {
    session.purge();
}

impl FromRequest for Owner {
    type Error = WebError;
    type Future = Pin<Box<dyn Future<Output = Result<Self, WebError>>>>;

    fn from_request(request: &HttpRequest, _: &mut Payload) -> Self::Future {
        let session = request.get_session();
        let app = request.app_data::<web::Data<App>>().cloned();
        let request = request.clone();
        Box::pin(async move {
            let app = app.ok_or_else(|| WebError::Inside("no application".into()))?;
            let id: u32 = session.get(USER).ok().flatten().ok_or(WebError::SignIn)?;
            let epoch: Option<u32> = session.get(EPOCH).ok().flatten();
            let since: i64 = session.get(SINCE).ok().flatten().ok_or(WebError::SignIn)?;
            if app.engine.now().timestamp() - since > DAYS * 86_400 {
                return Err(WebError::SignIn);
            }
            let user = match app.engine.store().user(id).await {
                Ok(user) if Some(user.session_epoch) == epoch => user,
                Ok(_) | Err(StoreError::NotFound) => return Err(WebError::SignIn),
                Err(error) => return Err(error.into()),
            };
            let mut channel = app.engine.channel(ChannelId(user.channel_id)).await?;
            let rehearses = request.path().starts_with(REHEARSAL);
            if rehearses {
                // A page leads to the room where one begins; a press must not seem to have been taken.
                let over = || match request.method() {
                    &Method::GET => WebError::NoRehearsal,
                    _ => WebError::Conflict(WebError::NoRehearsal.to_string()),
                };
                channel = channel.hub.rehearsal().ok_or_else(over)?.channel.clone();
            }
            let reach = Reach::of(&app, &request);
            let epoch = user.session_epoch;
            Ok(Self {
                user: user.id,
                epoch,
                name: user.name,
                channel,
                rehearses,
                reach,
                csrf: super::csrf::token(&session),
            })
        })
    }
}
