//! A task that ends when it should not is loaded anew: its channel goes on, and what ended it is told.

use super::{Task, names};
use crate::context::Context;
use crate::error::EngineError;
use crate::hub::Hub;
use crate::orders::Order;
use futures_util::FutureExt;
use futures_util::future::BoxFuture;
use std::any::Any;
use std::collections::BTreeMap;
use std::panic::AssertUnwindSafe;
use std::sync::Arc;
use std::time::Duration;
use tally_core::channel::Channel;
use tally_core::record::ids::{ChannelId, WidgetId};
use tally_core::widgets::Setup;
use tally_store::accounts::ChannelRecord;
use tally_store::feeds::Feed;
use tokio::sync::mpsc;

/// The first wait before a channel is loaded anew once more; each is twice the one before.
const FIRST_WAIT: Duration = Duration::from_millis(250);
const LONGEST_WAIT: Duration = Duration::from_secs(30);

/// A channel as the store has it.
pub(super) struct Loaded {
    pub channel: Channel,
    pub record: ChannelRecord,
    pub tokens: BTreeMap<WidgetId, String>,
    pub drafts: Vec<(WidgetId, Setup)>,
    pub feeds: Vec<Feed>,
}

impl Loaded {
    pub(super) async fn of(context: &Context, id: ChannelId) -> Result<Self, EngineError> {
        let record = context.store.channel(id).await?;
        let mut widgets = context.store.widgets(id).await?;
        let tokens = widgets.iter().map(|one| (one.id, one.page_token.clone())).collect();
        widgets.retain(|one| !one.archived);
        let drafts = widgets.iter().filter_map(|one| Some((one.id, one.draft.clone()?))).collect();
        let pieces = widgets.into_iter().map(|one| (one.id, one.setup.unfolded()));
        let empty = Channel::new(record.settings.clone(), pieces);
        let mut channel = match context.store.snapshot(id).await? {
            Some((snapshot, pages)) => empty.resume(snapshot, pages).unwrap_or(empty),
            None => empty,
        };
        let feeds = context.store.feeds(id).await?;
        channel.set_feeds(names(&feeds));
        channel.set_desk(record.desk.clone());
        channel.set_looks(record.looks.clone());
        channel.set_cues(record.cues.clone());
        channel.set_air_rules(context.store.air_rules(id).await?);
        channel.set_bot(context.store.bot(id).await?, context.clock.now(), super::bot::lot);
        Ok(Self { channel, record, tokens, drafts, feeds })
    }
}

/// Keeps a channel going. Whoever waits for an answer when its task ends is told that it is away for a
/// moment, and its pages keep their last picture.
pub(super) async fn supervise(mut task: Task) {
    let mut wait = Duration::ZERO;
    loop {
        let begun = tokio::time::Instant::now();
        // What may be left half done is thrown away with the task: everything durable is in the ledger.
        let Err(why) = AssertUnwindSafe(task.run()).catch_unwind().await else { return };
        let Task { context, id, hub, mut waiting, doing, .. } = task;
        tracing::error!(channel = %id, doing, why = reason(&*why), "a channel's task has ended; it is loaded anew");
        context.health.mark_down(id);
        if begun.elapsed() > LONGEST_WAIT {
            wait = Duration::ZERO;
        }
        task = loop {
            let until = tokio::time::Instant::now() + wait;
            wait = (wait * 2).clamp(FIRST_WAIT, LONGEST_WAIT);
            // Nobody waits in vain: what is asked meanwhile is answered by being dropped.
            while let Ok(order) = tokio::time::timeout_at(until, waiting.recv()).await {
                if order.is_none() {
                    return;
                }
            }
            match begin(&context, id, &hub).await {
                Ok(task) => break Task { waiting, ..task },
                Err(error) => tracing::warn!(%error, channel = %id, "a channel could not be loaded anew"),
            }
        };
        context.health.mark_up(id);
    }
}

/// Sets a rehearsal of a channel going, as it was copied for that. It goes on as long as it can: one that ends when it
/// should not is over.
pub(crate) fn rehearse(
    context: Context,
    id: ChannelId,
    hub: Arc<Hub>,
    waiting: mpsc::Receiver<Order>,
    channel: Channel,
) -> BoxFuture<'static, Result<(), EngineError>> {
    async move {
        let record = context.store.channel(id).await?;
        let widgets = context.store.widgets(id).await?;
        let tokens = widgets.into_iter().map(|one| (one.id, one.page_token)).collect();
        // The channel's feeds bring nothing here.
        let loaded = Loaded { channel, record, tokens, drafts: Vec::new(), feeds: Vec::new() };
        let runtime = context.runtime.clone();
        let mut task = Task::new(context, id, hub, loaded);
        task.begin_with(Vec::new()).await?;
        task.waiting = waiting;
        runtime.spawn(async move {
            if let Err(why) = AssertUnwindSafe(task.run()).catch_unwind().await {
                let (doing, why) = (&task.doing, reason(&*why));
                tracing::error!(channel = %id, doing, why, "a rehearsal has ended when it should not");
            }
        });
        Ok(())
    }
    .boxed()
}

/// Makes a task. Should that fail in a way that it must not, it is told, and the channel is away.
pub(super) async fn begin(context: &Context, id: ChannelId, hub: &Arc<Hub>) -> Result<Task, EngineError> {
    let begun = Task::begin(context.clone(), id, Arc::clone(hub));
    AssertUnwindSafe(begun).catch_unwind().await.unwrap_or_else(|why| {
        tracing::error!(channel = %id, why = reason(&*why), "a channel cannot be loaded");
        context.health.mark_down(id);
        Err(EngineError::Away)
    })
}

fn reason(why: &(dyn Any + Send)) -> &str {
    let text = why.downcast_ref::<&str>().copied();
    text.or_else(|| why.downcast_ref::<String>().map(String::as_str)).unwrap_or("it cannot be told")
}
