//! Subathon clocks: a show around one, which writes what is due as the engine does.

mod cases;
mod laws;
mod pauses;
mod spoken;
mod undone;

use crate::common::settings;
use crate::life::piece;
use chrono::TimeDelta;
use tally_core::channel::{Channel, Correcting, Press};
use tally_core::money::{Currency, Money};
use tally_core::record::entry::{Body, Draft, Entry, Origin};
use tally_core::record::happening::{Actor, Happening};
use tally_core::record::ids::{Seq, WidgetId};
use tally_core::record::refusal::Refusal;
use tally_core::time::Instant;
use tally_core::widgets::subathon::{Computed, PhaseWord, SubathonView, Why};
use tally_core::widgets::view::View;
use tally_core::widgets::{Action, Definition, Notable, Piece};

const CLOCK: WidgetId = WidgetId(1);

/// A Saturday evening before the clocks go back.
fn begin() -> Instant {
    "2026-10-24T18:00:00Z".parse().unwrap()
}

fn somebody(name: &str) -> Actor {
    Actor { id: None, name: name.into(), avatar: None, anonymous: false }
}

fn tip(name: &str, minor: i64) -> Happening {
    let amount = Money { minor, currency: Currency::parse("GBP").unwrap() };
    Happening::Tip { actor: somebody(name), amount, message: None }
}

/// A channel with one subathon, an hour long if nothing else is said.
struct Show {
    channel: Channel,
    entries: Vec<Entry>,
    now: Instant,
}

impl Show {
    fn of(edits: &[(&str, &str)]) -> Self {
        let piece = piece("subathon", &[&[("length", "1:00:00")], edits].concat());
        Self { channel: Channel::new(settings(), [(CLOCK, piece)]), entries: Vec::new(), now: begin() }
    }

    fn started(edits: &[(&str, &str)]) -> Self {
        let mut show = Self::of(edits);
        show.press("start");
        show
    }

    fn append(&mut self, source: &str, happened_at: Instant, body: Body) -> Seq {
        let seq = self.channel.last_seq().next();
        let origin = Origin { source: source.into(), id: seq.to_string() };
        let entry = Draft { origin, feed: None, happened_at, arrived_at: self.now, body }.at(seq);
        self.channel.apply(&entry);
        self.entries.push(entry);
        seq
    }

    /// Writes what is due, as the engine does before anything else.
    fn settle(&mut self) {
        while let Some((at, body)) = self.channel.due(self.now) {
            self.append("clock", at, body);
        }
    }

    /// Notes what bears on the clock, as the engine does.
    fn notes(&mut self, what: Notable) {
        if what == Notable::Changed {
            self.settle();
        }
        for body in self.channel.noting(None, what, self.now) {
            self.append("clock", self.now, body);
        }
        self.settle();
    }

    fn wait(&mut self, seconds: i64) -> &mut Self {
        self.now += TimeDelta::seconds(seconds);
        self
    }

    fn happens(&mut self, happening: Happening) -> Seq {
        self.happened(happening, self.now)
    }

    fn happened(&mut self, happening: Happening, at: Instant) -> Seq {
        self.settle();
        self.append("feed", at, Body::Happening(happening))
    }

    fn presses(&mut self, name: &str, value: Option<i64>) -> Result<Seq, Refusal> {
        self.settle();
        let press = Press { widget: CLOCK, action: Action { name, value, text: None, side: None }, by: "odile" };
        let body = self.channel.decide(&press, self.now)?;
        Ok(self.append("desk", self.now, body))
    }

    fn press(&mut self, name: &str) -> Seq {
        self.presses(name, None).unwrap()
    }

    fn corrects(&mut self, line: Seq, wish: &Correcting) -> Result<Seq, Refusal> {
        self.settle();
        let entry = self.entries.iter().find(|entry| entry.seq == line).unwrap();
        let body = self.channel.correct(entry, wish, "odile", None)?;
        Ok(self.append("desk", self.now, body))
    }

    /// Takes a press back.
    fn undoes(&mut self, act: Seq) {
        self.settle();
        let body = Body::Void { widget: CLOCK, target: act, by: "odile".into() };
        self.append("desk", self.now, body);
    }

    /// Puts another setup on air.
    fn edits(&mut self, edits: &[(&str, &str)]) {
        self.notes(Notable::Changed);
        let mut piece = self.piece().clone();
        for (key, text) in edits {
            piece = piece.edited(key, text, &self.channel.scope(self.now)).unwrap().0;
        }
        let setup = self.piece().succeeded_by(piece.setup(), self.now);
        let (piece, _) = self.piece().with(setup);
        self.channel.put(CLOCK, piece);
        // It holds from the next millisecond on.
        self.now += TimeDelta::milliseconds(1);
    }

    fn refusal(&self, key: &str, text: &str) -> String {
        self.piece().edited(key, text, &self.channel.scope(self.now)).unwrap_err().to_string()
    }

    fn piece(&self) -> &Piece {
        self.channel.widget(CLOCK).unwrap()
    }

    fn view(&self) -> SubathonView {
        self.view_at(self.now)
    }

    fn view_at(&self, now: Instant) -> SubathonView {
        match self.channel.view(CLOCK, now).unwrap() {
            View::Subathon(view) => *view,
            other => panic!("{other:?}"),
        }
    }

    fn shown(&self) -> String {
        self.view().shown
    }

    fn phase(&self) -> PhaseWord {
        self.view().phase
    }

    fn computed(&self) -> Computed {
        match self.piece() {
            Piece::Subathon(folded) => folded.state.computed().clone(),
            other => panic!("{other:?}"),
        }
    }

    fn length_ms(&self) -> i64 {
        match self.piece().definition() {
            Definition::Subathon(subathon) => subathon.seconds * 1_000,
            other => panic!("{other:?}"),
        }
    }
}

fn why(show: &Show) -> Vec<(i64, Option<Why>)> {
    show.computed().lines.iter().map(|line| (line.given / 1_000, line.why)).collect()
}
