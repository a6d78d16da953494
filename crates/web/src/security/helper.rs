//! Who holds a helper's pass. A handler that takes a [`Helper`] is open to nobody else, and learns from it what the pass
//! allows.

use crate::app::App;
use crate::error::{PassOver, WebError};
use crate::heavy::Whose;
use actix_session::{Session, SessionExt};
use actix_web::dev::Payload;
use actix_web::{FromRequest, HttpRequest, web};
use std::collections::BTreeSet;
use std::future::{Future, pending};
use std::pin::Pin;
use tally_core::record::ids::WidgetId;
use tally_engine::ChannelHandle;
use tally_store::StoreError;
use tally_store::passes::{Admitted, Pass};

/// Where a session keeps what its device shows.
const DEVICE: &str = "device";

/// A helper, on a device that has opened a pass which holds.
pub struct Helper {
    /// The pass.
    pub pass: Pass,
    /// Its channel.
    pub channel: ChannelHandle,
    /// What pages send back with whatever changes something.
    pub csrf: String,
    device: String,
    app: web::Data<App>,
}

impl Helper {
    /// For whom their pages are drawn.
    #[must_use]
    pub fn whose(&self) -> Whose {
        Whose::Helper(self.pass.id)
    }
}

/// The device of a session that has opened a pass.
pub fn device(session: &Session) -> Option<String> {
    session.get::<String>(DEVICE).ok().flatten()
}

/// Opens a pass on the device of this session. One that has opened it already has it still.
///
/// # Errors
/// The pass does not hold, or is open on as many devices as it allows.
pub async fn open(app: &App, session: &Session, pass: &Pass) -> Result<(), WebError> {
    let now = app.engine.now();
    over(pass, now)?;
    if let Ok(Some(device)) = session.get::<String>(DEVICE) {
        match app.engine.store().pass_of_device(device.clone()).await {
            Ok(known) if known.id == pass.id => return Ok(()),
            // A device holds one pass at a time.
            Ok(_) => app.engine.store().close_pass(device).await?,
            Err(StoreError::NotFound) => {}
            Err(error) => return Err(error.into()),
        }
    }
    let device = super::tokens::token(&mut rand::rng());
    match app.engine.store().open_pass(pass.id, device.clone(), now).await? {
        Admitted::Yes => session.insert(DEVICE, device).map_err(|error| WebError::Inside(error.to_string())),
        Admitted::UsedUp => Err(PassOver::NoMoreDevices.into()),
    }
}

/// The pass that this session's device has opened, whether it holds or not.
///
/// # Errors
/// There is none, or the database is away.
async fn opened(app: &App, session: &Session) -> Result<(String, Pass), WebError> {
    let device: String = session.get(DEVICE).ok().flatten().ok_or(PassOver::None)?;
    match app.engine.store().pass_of_device(device.clone()).await {
        Ok(pass) => Ok((device, pass)),
        Err(StoreError::NotFound) => Err(PassOver::None.into()),
        Err(error) => Err(error.into()),
    }
}

fn over(pass: &Pass, now: tally_core::time::Instant) -> Result<(), PassOver> {
    match pass {
        pass if pass.holds(now) => Ok(()),
        Pass { revoked: Some(_), .. } => Err(PassOver::Revoked),
        _ => Err(PassOver::Ended),
    }
}

impl Helper {
    /// Gives the pass back.
    ///
    /// # Errors
    /// The database is away.
    pub async fn give_back(self, session: &Session) -> Result<(), WebError> {
        session.remove(DEVICE);
        Ok(self.app.engine.store().close_pass(self.device).await?)
    }

    /// Whether the pass still holds, and this device's place with it.
    pub async fn holds(&self) -> bool {
        let known = self.app.engine.store().pass_of_device(self.device.clone()).await;
        known.is_ok_and(|pass| pass.holds(self.app.engine.now()))
    }

    /// Waits until the pass ends by itself.
    pub async fn ended(&self) {
        match self.pass.wanted.ends {
            Some(end) => tokio::time::sleep((end - self.app.engine.now()).to_std().unwrap_or_default()).await,
            None => pending().await,
        }
    }

    /// The widgets that the pass allows.
    ///
    /// # Errors
    /// The channel is being let go.
    pub async fn allowed(&self) -> Result<BTreeSet<WidgetId>, WebError> {
        let grant = self.pass.wanted.grant.clone();
        Ok(self.channel.ask(move |channel, _| channel.granted(&grant).into_iter().map(|(id, _)| id).collect()).await?)
    }
}

impl FromRequest for Helper {
    type Error = WebError;
    type Future = Pin<Box<dyn Future<Output = Result<Self, WebError>>>>;

    fn from_request(request: &HttpRequest, _: &mut Payload) -> Self::Future {
        let session = request.get_session();
        let app = request.app_data::<web::Data<App>>().cloned();
        Box::pin(async move {
            let app = app.ok_or_else(|| WebError::Inside("no application".into()))?;
            let (device, pass) = opened(&app, &session).await?;
            over(&pass, app.engine.now())?;
            let channel = app.engine.channel(pass.channel).await?;
            Ok(Self { pass, channel, csrf: super::csrf::token(&session), device, app })
        })
    }
}
