//! Going on air and off by itself: by a schedule or by the owner's first words in chat, and the question that the desk asks
//! before anything but a hand ends a show.

use super::Channel;
use crate::book::chat::{ChatLine, Role};
use crate::record::acts::ShowAct;
use crate::record::entry::Body;
use crate::record::refusal::Refusal;
use crate::time::{Instant, after};
use chrono::TimeDelta;
use serde::{Deserialize, Serialize};

/// Who a schedule's lines are by.
const SCHEDULE: &str = "the schedule";
/// For so long after a show the owner's words in chat begin no other: they may be a goodbye.
const GOODBYE: TimeDelta = TimeDelta::hours(1);

/// Longest time for which the desk asks, in seconds.
const MOST_ASK_S: u16 = 600;

/// A show that stands in a schedule.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Planned {
    /// When it begins.
    pub from: Instant,
    /// When it ends.
    pub to: Instant,
    /// What it is called there.
    pub title: String,
}

/// What a calendar says.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct Schedule {
    /// The shows of the weeks to come, by when they begin.
    pub plan: Vec<Planned>,
    /// The first entries that are none, and why, in words.
    pub left_out: Vec<String>,
    /// How many more there are.
    pub more_left_out: usize,
}

/// How a channel goes on air and off by itself.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct AirRules {
    /// For so many seconds the desk asks before a show ends by itself; none ends it at once.
    pub ask_s: u16,
    /// Whether the owner's first words in chat begin a show.
    pub by_chat: bool,
    /// The shows to come.
    #[serde(flatten)]
    pub schedule: Schedule,
    /// From when on the schedule holds: what should have begun before did not.
    pub since: Option<Instant>,
}

impl Default for AirRules {
    fn default() -> Self {
        Self { ask_s: 60, by_chat: false, schedule: Schedule::default(), since: None }
    }
}

/// What somebody does to that.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum AirEdit {
    /// How it is asked, and whether words in chat begin a show.
    Ways {
        /// See [`AirRules::ask_s`].
        ask_s: u16,
        /// See [`AirRules::by_chat`].
        by_chat: bool,
    },
    /// Another schedule, which holds from now on; none where it is empty.
    Schedule(Schedule),
    /// The same schedule, laid out for other weeks or read anew.
    Plan(Schedule),
}

impl AirRules {
    /// What they are after something was done to them.
    #[must_use]
    pub fn edited(&self, edit: AirEdit, now: Instant) -> Self {
        match edit {
            AirEdit::Ways { ask_s, by_chat } => Self { ask_s: ask_s.min(MOST_ASK_S), by_chat, ..self.clone() },
            AirEdit::Schedule(schedule) => Self { schedule, since: Some(now), ..self.clone() },
            AirEdit::Plan(schedule) => Self { schedule, ..self.clone() },
        }
    }

    /// The shows of the schedule that it still has to do with.
    fn planned(&self) -> impl Iterator<Item = &Planned> {
        self.schedule.plan.iter().filter(|show| self.since.is_none_or(|since| since <= show.from))
    }
}

impl Channel {
    /// How the channel goes on air and off by itself.
    #[must_use]
    pub fn air_rules(&self) -> &AirRules {
        &self.air_rules
    }

    /// Takes note of other rules.
    pub fn set_air_rules(&mut self, rules: AirRules) {
        self.air_rules = rules;
    }

    /// Decides that a show ends by itself: at once, or when nobody has stayed on air for a while.
    ///
    /// # Errors
    /// The channel is off air, or it is asked already.
    pub fn decide_ending(&self, by: &str, now: Instant) -> Result<Body, Refusal> {
        let ask = TimeDelta::seconds(self.air_rules.ask_s.into());
        let act = if ask.is_zero() { ShowAct::End } else { ShowAct::Ending { at: after(now, ask) } };
        self.decide_show(act, by, now)
    }

    /// What is due of going on air and off by itself: a line for the ledger, and when it happened.
    pub(super) fn air_due(&self, now: Instant) -> Option<(Instant, Body)> {
        let shows = self.book.shows();
        if let Some((at, by)) = shows.ending() {
            return (at <= now).then(|| (at, Body::Show { by: by.to_owned(), act: ShowAct::End }));
        }
        match shows.on_air() {
            None => {
                let begins = |show: &&Planned| show.from <= now && now < show.to && shows.is_unsaid_since(show.from);
                let show = self.air_rules.planned().find(begins)?;
                Some((show.from, Body::Show { by: SCHEDULE.into(), act: ShowAct::Begin }))
            }
            Some(on_air) => {
                let goes_on = |at: Instant| self.air_rules.planned().any(|show| show.from <= at && at < show.to);
                let ends = |show: &&Planned| {
                    let passed = on_air.from < show.to && show.to <= now;
                    passed && shows.is_unsaid_since(show.to) && !goes_on(show.to)
                };
                self.air_rules.planned().find(ends)?;
                // Asked now, though it may have been due while the server was away: somebody must be able to answer.
                Some((now, self.decide_ending(SCHEDULE, now).ok()?))
            }
        }
    }

    /// When something may be due next of that.
    #[must_use]
    pub fn air_next(&self, now: Instant) -> Option<Instant> {
        let ending = self.book.shows().ending().map(|(at, _)| at);
        let planned = self.air_rules.planned().flat_map(|show| [show.from, show.to]).filter(|at| *at > now);
        planned.chain(ending).min()
    }

    /// Whether a line of chat puts the channel on air.
    pub(super) fn begins_by(&self, line: &ChatLine, now: Instant) -> bool {
        let shows = self.book.shows();
        let said_goodbye = shows.all().last().and_then(|show| show.to).is_some_and(|to| now < after(to, GOODBYE));
        self.air_rules.by_chat && line.role == Role::Owner && shows.on_air().is_none() && !said_goodbye
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::fixtures::settings;
    use crate::record::entry::{Draft, Origin};
    use crate::record::ids::FeedId;

    fn at(text: &str) -> Instant {
        format!("2026-11-27T{text}Z").parse().unwrap()
    }

    fn planned(from: &str, to: &str) -> Planned {
        Planned { from: at(from), to: at(to), title: "Friday".into() }
    }

    fn channel(plan: Vec<Planned>) -> Channel {
        let mut channel = Channel::new(settings(), []);
        let schedule = Schedule { plan, ..Schedule::default() };
        channel.set_air_rules(AirRules { schedule, since: Some(at("12:00:00")), ..AirRules::default() });
        channel
    }

    fn write(channel: &mut Channel, when: Instant, body: Body) {
        let seq = channel.last_seq().next();
        let origin = Origin { source: "test".into(), id: seq.to_string() };
        channel.apply(&Draft { origin, feed: None, happened_at: when, arrived_at: when, body }.at(seq));
    }

    /// Writes whatever is due by an instant, and names it: when, and which act.
    fn due(channel: &mut Channel, now: Instant) -> Vec<(Instant, ShowAct)> {
        let mut all = Vec::new();
        while let Some((when, body)) = channel.due(now) {
            let Body::Show { act, .. } = &body else { panic!("{body:?}") };
            all.push((when, *act));
            write(channel, when, body);
        }
        all
    }

    fn by_hand(channel: &mut Channel, act: ShowAct, when: Instant) {
        let body = channel.decide_show(act, "odile", when).unwrap();
        write(channel, when, body);
    }

    #[test]
    fn a_planned_show_begins_at_its_time_and_asks_before_it_ends() {
        let mut channel = channel(vec![planned("11:00:00", "13:00:00"), planned("19:00:00", "22:00:00")]);
        assert_eq!(due(&mut channel, at("12:30:00")), [], "it should have begun before the schedule was there");
        assert_eq!(channel.air_next(at("12:30:00")), Some(at("19:00:00")));
        assert_eq!(due(&mut channel, at("19:00:05")), [(at("19:00:00"), ShowAct::Begin)]);
        let ending = ShowAct::Ending { at: at("22:01:00") };
        assert_eq!(due(&mut channel, at("22:00:00")), [(at("22:00:00"), ending)]);
        assert_eq!(channel.air_next(at("22:00:00")), Some(at("22:01:00")));
        assert_eq!(due(&mut channel, at("22:00:59")), []);
        assert_eq!(due(&mut channel, at("22:01:30")), [(at("22:01:00"), ShowAct::End)]);
        assert_eq!(due(&mut channel, at("23:00:00")), [], "that was all");
    }

    #[test]
    fn a_hand_has_the_last_word() {
        let plan = vec![planned("19:00:00", "20:00:00"), planned("20:00:00", "22:00:00")];
        // Begun before by hand: nothing begins, one goes on in the next, and whoever stays is not asked again.
        let mut early = channel(plan.clone());
        by_hand(&mut early, ShowAct::Begin, at("18:30:00"));
        assert_eq!(due(&mut early, at("21:00:00")), []);
        assert_eq!(due(&mut early, at("22:00:00")).len(), 1);
        by_hand(&mut early, ShowAct::Begin, at("22:00:10"));
        assert_eq!(early.book().shows().all().len(), 1, "going on air meanwhile is staying there");
        assert_eq!(due(&mut early, at("23:00:00")), []);
        assert!(early.book().shows().on_air().is_some());
        // Ended by hand in between: it does not begin again before the next one.
        let mut over = channel(plan);
        due(&mut over, at("19:00:00"));
        by_hand(&mut over, ShowAct::End, at("19:30:00"));
        assert_eq!(due(&mut over, at("19:45:00")), []);
        assert_eq!(due(&mut over, at("20:00:00")), [(at("20:00:00"), ShowAct::Begin)]);
    }

    #[test]
    fn a_server_that_was_away_asks_when_it_is_back() {
        let mut channel = channel(vec![planned("19:00:00", "22:00:00")]);
        assert_eq!(due(&mut channel, at("19:20:00")), [(at("19:00:00"), ShowAct::Begin)]);
        let asked = ShowAct::Ending { at: at("23:31:00") };
        assert_eq!(due(&mut channel, at("23:30:00")), [(at("23:30:00"), asked)]);
        let mut missed = self::channel(vec![planned("19:00:00", "22:00:00")]);
        assert_eq!(due(&mut missed, at("22:30:00")), [], "a show that was missed whole was none");
    }

    #[test]
    fn the_owners_first_words_begin_a_show_and_a_goodbye_does_not() {
        let mut channel = Channel::new(settings(), []);
        channel.set_air_rules(AirRules { by_chat: true, ask_s: 0, ..AirRules::default() });
        let said = |channel: &mut Channel, role, when: &str| {
            let line = ChatLine {
                at: at(when),
                name: "odile".into(),
                id: None,
                role,
                subscriber: role == Role::Subscriber,
                text: "evening!".into(),
            };
            channel.hear(FeedId(1), vec![line], at(when)).begins
        };
        assert_eq!(said(&mut channel, Role::Helper, "18:59:00"), None);
        assert_eq!(said(&mut channel, Role::Owner, "19:00:00"), Some("odile".into()));
        by_hand(&mut channel, ShowAct::Begin, at("19:00:00"));
        assert_eq!(said(&mut channel, Role::Owner, "19:01:00"), None);
        let ended = channel.decide_ending("a cue", at("21:00:00")).unwrap();
        assert_eq!(ended, Body::Show { by: "a cue".into(), act: ShowAct::End }, "nothing is asked here");
        write(&mut channel, at("21:00:00"), ended);
        assert_eq!(said(&mut channel, Role::Owner, "21:05:00"), None);
        assert_eq!(said(&mut channel, Role::Owner, "22:00:00"), Some("odile".into()));
    }
}
