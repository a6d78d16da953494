//! The one connection of an overlay's page, for all its widgets.

use crate::app::App;
use crate::live::{self, Showing, cover, reload};
use crate::overlay::{mark, stage};
use actix_web::web::{Data, Payload};
use actix_web::{HttpRequest, HttpResponse};
use bytestring::ByteString;
use serde_json::json;
use std::collections::BTreeSet;
use std::sync::Arc;
use std::time::Duration;
use tally_core::overlay::{Overlay, Report, advice};
use tally_core::record::ids::WidgetId;
use tally_engine::{ChannelHandle, OpenPage, PageGuard, Rehearsing};
use tally_store::StoreError;
use tally_store::overlays::OverlayRecord;
use tokio::sync::broadcast::error::RecvError;
use tokio::sync::{broadcast, watch};

/// A layout with everything that stands on it. Thousands may be open, so a page keeps no more of it than it needs.
struct Laid {
    drawings: broadcast::Receiver<(WidgetId, ByteString)>,
    layouts: watch::Receiver<()>,
    covers: watch::Receiver<bool>,
    reloads: watch::Receiver<u64>,
    sounds: broadcast::Receiver<(u32, ByteString)>,
    /// The rehearsal that runs, if one does: some overlays show it.
    rehearsals: watch::Receiver<Option<Arc<Rehearsing>>>,
    rehearses: bool,
    /// The channel that it shows: the rehearsal, where that is seen on this overlay.
    channel: ChannelHandle,
    app: Data<App>,
    token: String,
    overlay: u32,
    /// The board on air, without its pieces.
    board: Overlay,
    /// The widgets that stand on it.
    widgets: BTreeSet<WidgetId>,
    /// The mark of the stage with which the page was loaded, until that was looked at.
    have: Option<String>,
    /// How the page was seen last.
    report: Option<Report>,
    /// Whether it must be looked up what is on air now: at first, when the layout has changed, and when the page has missed
    /// something. It stays so until that is answered, since the question may be
    /// cut short by something else that happens on the connection.
    in_doubt: bool,
    open: PageGuard,
    /// Counts it among the pages of the rehearsal that it shows.
    rehearsed: Option<PageGuard>,
}

impl Laid {
    /// What stands on it now, or nothing where the page was loaded with just that; none where its address was withdrawn.
    async fn look_up(&mut self) -> Option<Vec<ByteString>> {
        loop {
            match self.app.engine.store().overlay_by_token(self.token.clone()).await {
                Ok(record) => {
                    let mark = mark(&self.channel, &record).await.ok()?;
                    let has_it = self.have.take().is_some_and(|have| have == mark);
                    let stage =
                        if has_it { None } else { Some(stage(&self.app, &self.channel, &record, &mark).await.ok()?) };
                    self.widgets = record.air.widgets().collect();
                    self.rehearsed.as_mut().unwrap_or(&mut self.open).shows(&self.widgets);
                    self.board = Overlay { pieces: Vec::new(), css: String::new(), ..record.air };
                    // Whether its window is right depends on the layout too.
                    self.report.into_iter().for_each(|report| self.tell(report));
                    let message = |stage: ByteString| json!({"parts": {"overlay": &*stage}}).to_string().into();
                    return Some(stage.into_iter().map(message).collect());
                }
                Err(StoreError::NotFound) => return None,
                // The picture stays as it is until the database answers.
                Err(_) => tokio::time::sleep(Duration::from_secs(1)).await,
            }
        }
    }
}

impl Laid {
    fn tell(&self, report: Report) {
        let (overlay, name) = (self.overlay, self.board.name.clone());
        let advice = advice(&self.board, &report);
        self.open.tells(OpenPage { overlay, name, report, advice });
    }
}

impl Showing for Laid {
    fn seen(&mut self, report: Report) {
        self.report = Some(report);
        self.tell(report);
    }

    fn present(&mut self) -> Vec<ByteString> {
        // The stage follows at once: it is looked up after drawings are listened for, so that none is missed.
        self.in_doubt = true;
        vec![cover(&mut self.covers)]
    }

    async fn next(&mut self) -> Option<Vec<ByteString>> {
        loop {
            if self.in_doubt {
                let staged = self.look_up().await?;
                self.in_doubt = false;
                return Some(staged);
            }
            tokio::select! {
                biased;
                changed = self.layouts.changed() => {
                    changed.ok()?;
                    self.in_doubt = true;
                }
                changed = self.covers.changed() => return changed.ok().map(|()| vec![cover(&mut self.covers)]),
                asked = self.reloads.changed() => return asked.ok().map(|()| vec![reload()]),
                changed = self.rehearsals.changed() => {
                    changed.ok()?;
                    let running = self.rehearsals.borrow_and_update().clone();
                    let rehearses = running.is_some_and(|running| running.shows_on(self.overlay));
                    // The page connects anew, and is shown the other one.
                    if rehearses != self.rehearses {
                        return Some(vec![json!({"again": true}).to_string().into()]);
                    }
                }
                played = self.sounds.recv() => match played {
                    Ok((overlay, message)) if overlay == self.overlay => return Some(vec![message]),
                    // A sound that came too late is not played.
                    Ok(_) | Err(RecvError::Lagged(_)) => {}
                    Err(RecvError::Closed) => return None,
                },
                drawing = self.drawings.recv() => match drawing {
                    Ok((id, message)) if self.widgets.contains(&id) => return Some(vec![message]),
                    Ok(_) => {}
                    Err(RecvError::Lagged(_)) => self.in_doubt = true,
                    Err(RecvError::Closed) => return None,
                },
            }
        }
    }
}

/// An overlay, and what it shows.
pub struct OnAir {
    /// Its channel.
    pub real: ChannelHandle,
    /// The same; or the rehearsal that runs, where the overlay shows that.
    pub shown: ChannelHandle,
    pub record: OverlayRecord,
}

/// An overlay's page.
pub fn connect(
    request: &HttpRequest,
    payload: Payload,
    OnAir { real, shown, record }: OnAir,
    app: Data<App>,
    have: Option<String>,
) -> Result<HttpResponse, actix_web::Error> {
    // What is arranged and who has it open is the channel's own; what is shown may be rehearsed.
    let hub = Arc::clone(&real.hub);
    let rehearses = !Arc::ptr_eq(&hub, &shown.hub);
    let laid = Laid {
        drawings: shown.hub.drawings(),
        layouts: hub.overlays_watch(),
        covers: shown.hub.cover_watch(),
        reloads: hub.reloads_watch(),
        sounds: shown.hub.sounds(),
        rehearsals: hub.rehearsal_watch(),
        rehearses,
        rehearsed: rehearses.then(|| shown.hub.page_opened()),
        channel: shown.clone(),
        app,
        token: record.token,
        overlay: record.id,
        board: record.air,
        widgets: BTreeSet::new(),
        have,
        report: None,
        in_doubt: true,
        open: hub.page_opened(),
    };
    live::open(request, payload, laid, shown)
}
