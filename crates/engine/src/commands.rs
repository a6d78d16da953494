//! What people and feeds do to the record, each as one [`Command`].

use crate::error::EngineError;
use crate::handle::ChannelHandle;
use crate::orders::{Command, Pressed};
use chrono::NaiveDate;
use std::collections::{BTreeMap, BTreeSet};
use tally_core::channel::{Appear, Channel, Correcting, Press};
use tally_core::money::rates::Table;
use tally_core::overlay::Overlay;
use tally_core::record::acts::ShowAct;
use tally_core::record::entry::{Body, Entry, Origin};
use tally_core::record::happening::Happening;
use tally_core::record::ids::{FeedId, Seq};
use tally_core::record::refusal::Refusal;
use tally_core::time::Instant;
use tally_core::widgets::Action;
use tally_store::rows::{Namespace, origin_key};

/// So many pieces are named where they are shown together; more are counted.
const MOST_NAMED: usize = 6;

/// How many days' rates go into one line of the ledger; more would not fit.
const DAYS_A_LINE: usize = 60;

/// Who does something, and the mark by which a second try is known.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct By {
    /// Who, as shown.
    pub name: String,
    /// Unique to this command, so that one sent twice counts once.
    pub id: String,
}

pub(crate) fn command(
    source: &str,
    id: String,
    decide: impl FnOnce(&Channel, Instant) -> Result<Body, Refusal> + Send + 'static,
) -> Command {
    let origin = Origin { source: source.to_owned(), id };
    Command { origin, happened_at: None, decide: Box::new(decide), is_asked: None }
}

impl Pressed {
    /// What it comes to is decided in the channel's turn.
    pub(crate) fn command(self) -> Command {
        let Self { widget, action, value, text, side, pressed_at, by, source, id } = self;
        let asked = action.clone();
        let command = command(&source, id, move |channel, now| {
            let action = Action { name: &action, value, text: text.as_deref(), side };
            channel.decide(&Press { widget, action, by: &by }, pressed_at.unwrap_or(now))
        });
        let is_asked = move |body: &Body| body.answers(widget, &asked, value);
        Command { happened_at: pressed_at, ..command.asking(is_asked) }
    }
}

impl Command {
    /// The same, known again when it is tried a second time.
    pub(crate) fn asking(self, is_asked: impl Fn(&Body) -> bool + Send + Sync + 'static) -> Self {
        Self { is_asked: Some(Box::new(is_asked)), ..self }
    }
}

/// Shows pieces of an overlay, or hides them.
pub(crate) fn appear(
    (overlay, layout): (u32, Overlay),
    pieces: BTreeSet<u32>,
    shown: bool,
    source: &str,
    By { name, id }: By,
) -> Command {
    let decide = move |channel: &Channel, _| {
        let names = pieces.iter().map(|piece| channel.piece_words(&layout, *piece));
        let about = match pieces.len() {
            many if many > MOST_NAMED => format!("{many} pieces"),
            _ => names.collect::<Vec<_>>().join(", "),
        };
        let asked = Appear { overlay, layout: &layout, pieces: &pieces, about: &about, shown };
        channel.decide_appear(&asked, &name)
    };
    let is_asked = move |body: &Body| matches!(body, Body::Appear { overlay: own, shown: is, .. } if *own == overlay && *is == shown);
    command(source, id, decide).asking(is_asked)
}

/// Puts the channel on air, or takes it off, without a hand that means it: then the desk asks first.
pub(crate) fn air(on: bool, source: &str, By { name, id }: By) -> Command {
    let decide = move |channel: &Channel, now| match on {
        true => channel.decide_show(ShowAct::Begin, &name, now),
        false => channel.decide_ending(&name, now),
    };
    let asked = if on { ShowAct::Begin } else { ShowAct::End };
    command(source, id, decide).asking(move |body| matches!(body, Body::Show { act, .. } if act.answers(&asked)))
}

impl ChannelHandle {
    /// Operates a widget.
    ///
    /// # Errors
    /// See [`ChannelHandle::record`]; so for all of these.
    pub async fn press(&self, press: Pressed) -> Result<Seq, EngineError> {
        self.record(press.command()).await
    }

    /// Voids a line, lets it count again, or lets it say something else.
    ///
    /// # Errors
    /// There is no such line, or see [`ChannelHandle::record`].
    pub async fn correct(
        &self,
        line: Entry,
        wish: Correcting,
        by: By,
        reason: Option<String>,
    ) -> Result<Seq, EngineError> {
        let seq = line.seq;
        let command = command("ledger", by.id, move |channel, _| channel.correct(&line, &wish, &by.name, reason));
        self.record(command.asking(move |body| matches!(body, Body::Correct { target, .. } if *target == seq))).await
    }

    /// Hides everything on air, or brings it back.
    ///
    /// # Errors
    /// See [`ChannelHandle::record`].
    pub async fn cover(&self, covered: bool, by: By) -> Result<Seq, EngineError> {
        let command = command("cover", by.id, move |channel, _| channel.decide_cover(covered, &by.name));
        let is_asked = move |body: &Body| matches!(body, Body::Cover { covered: own, .. } if *own == covered);
        self.record(command.asking(is_asked)).await
    }

    /// Shows pieces of an overlay, or hides them.
    ///
    /// # Errors
    /// See [`ChannelHandle::record`].
    pub async fn appear(
        &self,
        overlay: (u32, Overlay),
        pieces: BTreeSet<u32>,
        shown: bool,
        by: By,
    ) -> Result<Seq, EngineError> {
        self.record(appear(overlay, pieces, shown, "overlay", by)).await
    }

    /// Says something about shows.
    ///
    /// # Errors
    /// See [`ChannelHandle::record`].
    pub async fn show(&self, act: ShowAct, by: By) -> Result<Seq, EngineError> {
        let command = command("show", by.id, move |channel, now| channel.decide_show(act, &by.name, now));
        let is_asked = move |body: &Body| matches!(body, Body::Show { act: own, .. } if own.answers(&act));
        self.record(command.asking(is_asked)).await
    }

    /// Says something about a show of the past.
    ///
    /// # Errors
    /// See [`ChannelHandle::record`].
    pub async fn show_at(&self, act: ShowAct, at: Instant, by: By) -> Result<Seq, EngineError> {
        let command = command("show", by.id, move |channel, _| channel.decide_show(act, &by.name, at));
        self.record(Command { happened_at: Some(at), ..command }).await
    }

    /// Undoes an import, or puts it back.
    ///
    /// # Errors
    /// See [`ChannelHandle::record`].
    pub async fn withdraw(&self, feed: FeedId, name: String, withdrawn: bool, by: By) -> Result<Seq, EngineError> {
        let decide = move |channel: &Channel, _| channel.decide_withdraw(feed, &name, &by.name, withdrawn);
        self.record(command("ledger", by.id, decide)).await
    }

    /// Lets one name count as another, or as itself again.
    ///
    /// # Errors
    /// See [`ChannelHandle::record`].
    pub async fn merge(&self, from: String, into: Option<String>, by: By) -> Result<Seq, EngineError> {
        let decide = move |channel: &Channel, _| channel.decide_merge(&from, into.as_deref(), &by.name);
        self.record(command("ledger", by.id, decide)).await
    }

    /// Writes down a happening by hand. Who did it stands in the source.
    ///
    /// # Errors
    /// See [`ChannelHandle::record`].
    pub async fn by_hand(
        &self,
        happening: Happening,
        happened_at: Option<Instant>,
        by: By,
    ) -> Result<Seq, EngineError> {
        let asked = happening.clone();
        let command = command(&format!("by hand/{}", by.name), by.id, |_, _| Ok(Body::Happening(happening)));
        let is_asked = move |body: &Body| matches!(body, Body::Happening(own) if *own == asked);
        self.record(Command { happened_at, ..command.asking(is_asked) }).await
    }

    /// Takes reference rates by day. What is known already changes nothing.
    ///
    /// # Errors
    /// See [`ChannelHandle::record`].
    pub async fn rates(&self, days: BTreeMap<NaiveDate, Table>) -> Result<(), EngineError> {
        let days: Vec<(NaiveDate, Table)> = days.into_iter().collect();
        for days in days.chunks(DAYS_A_LINE) {
            let told: String = days.iter().map(|(day, table)| format!("{day}{table:?}")).collect();
            let digest = origin_key(Namespace::Own, &Origin { source: "rates".into(), id: told });
            let id = digest.iter().fold(String::new(), |id, byte| format!("{id}{byte:02x}"));
            let days = days.iter().cloned().collect();
            match self.record(command("rates", id, move |channel, _| channel.decide_rates(days))).await {
                Ok(_) | Err(EngineError::Refused(Refusal::NothingNew)) => {}
                Err(error) => return Err(error),
            }
        }
        Ok(())
    }
}
