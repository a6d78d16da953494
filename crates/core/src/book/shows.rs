//! Shows: from going on air to going off air.

use crate::record::acts::ShowAct;
use crate::record::ids::Seq;
use crate::record::refusal::Refusal;
use crate::time::calendar::Span;
use crate::time::{Instant, after};
use serde::{Deserialize, Serialize};

/// One show.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Show {
    /// The line with which it began; what it is known by.
    pub seq: Seq,
    /// When it began.
    pub from: Instant,
    /// When it ended; none while it is on air.
    pub to: Option<Instant>,
}

impl Show {
    /// Its stretch of time.
    #[must_use]
    pub fn span(&self) -> Span {
        Span { from: Some(self.from), to: self.to }
    }

    fn overlaps(&self, other: &Self) -> bool {
        self.to.is_none_or(|to| to > other.from) && other.to.is_none_or(|to| to > self.from)
    }
}

/// All shows, by when they began.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Shows {
    list: Vec<Show>,
    /// When the one on air ends by itself, and who asked for that, unless somebody stays on air.
    #[serde(default)]
    ending: Option<(Instant, String)>,
    /// When somebody, or something, last said that the channel goes on air, off, or stays there.
    #[serde(default)]
    said: Option<Instant>,
}

impl Shows {
    /// All shows, oldest first.
    #[must_use]
    pub fn all(&self) -> &[Show] {
        &self.list
    }

    /// The show on air.
    #[must_use]
    pub fn on_air(&self) -> Option<&Show> {
        self.list.last().filter(|show| show.to.is_none())
    }

    /// When the show on air ends by itself, and who asked for that, unless somebody stays on air.
    #[must_use]
    pub fn ending(&self) -> Option<(Instant, &str)> {
        self.ending.as_ref().map(|(at, by)| (*at, by.as_str()))
    }

    /// Whether nobody has said since an instant that the channel goes on air, off, or stays there.
    #[must_use]
    pub fn is_unsaid_since(&self, at: Instant) -> bool {
        self.said.is_none_or(|said| said < at)
    }

    /// What *this show* means at an instant: the one on air, or the last there was.
    #[must_use]
    pub fn this(&self, now: Instant) -> Option<&Show> {
        self.list.iter().rev().find(|show| show.from <= now)
    }

    fn find(&self, seq: Seq) -> Option<usize> {
        self.list.iter().position(|show| show.seq == seq)
    }

    /// Whether an act makes sense now.
    ///
    /// # Errors
    /// What to do instead.
    pub fn check(&self, act: &ShowAct, now: Instant) -> Result<(), Refusal> {
        let known = |show: Seq| self.find(show).ok_or(Refusal::NotNow("there is no such show"));
        match act {
            ShowAct::Begin if self.on_air().is_some() => Err(Refusal::SoAlready("the channel is on air already")),
            ShowAct::End if self.on_air().is_none() => Err(Refusal::SoAlready("the channel is off air already")),
            ShowAct::Ending { .. } if self.on_air().is_none() => {
                Err(Refusal::SoAlready("the channel is off air already"))
            }
            ShowAct::Ending { .. } if self.ending.is_some() => {
                Err(Refusal::SoAlready("it is asked already whether to go off air"))
            }
            ShowAct::Stay if self.ending.is_none() => Err(Refusal::SoAlready("nothing is about to end the show")),
            ShowAct::Begin | ShowAct::End | ShowAct::Ending { .. } | ShowAct::Stay => Ok(()),
            ShowAct::Strike { show } => known(*show).map(drop),
            ShowAct::Trim { show, from, to } => {
                let place = known(*show)?;
                if to.is_some_and(|to| to <= *from) {
                    return Err(Refusal::NotNow("a show must end after it began; set a later end"));
                }
                if *from > now || to.is_some_and(|to| to > now) {
                    return Err(Refusal::NotNow("a show cannot begin or end in the future; set an earlier time"));
                }
                if to.is_none() && place.saturating_add(1) < self.list.len() {
                    return Err(Refusal::NotNow("a later show has begun since, so this one needs an end"));
                }
                let trimmed = Show { seq: *show, from: *from, to: *to };
                if self.list.iter().any(|other| other.seq != *show && other.overlaps(&trimmed)) {
                    return Err(Refusal::NotNow("these times run into another show; shows cannot overlap"));
                }
                Ok(())
            }
        }
    }

    /// Folds an act in. One that makes no sense changes nothing.
    pub(super) fn fold(&mut self, seq: Seq, at: Instant, act: &ShowAct, by: &str) -> bool {
        if self.check(act, at).is_err() {
            return false;
        }
        let on_air = self.on_air().map(|show| show.seq);
        match *act {
            ShowAct::Ending { at } => self.ending = Some((at, by.to_owned())),
            // The record of another show is set right; that says nothing of the one that is about to end.
            ShowAct::Trim { show, .. } | ShowAct::Strike { show } if on_air != Some(show) => {}
            _ => self.ending = None,
        }
        if !matches!(act, ShowAct::Trim { .. } | ShowAct::Strike { .. }) {
            self.said = self.said.max(Some(at));
        }
        match *act {
            ShowAct::Begin => self.list.push(Show { seq, from: at, to: None }),
            ShowAct::End => {
                if let Some(show) = self.list.last_mut() {
                    show.to = Some(at.max(after(show.from, chrono::TimeDelta::microseconds(1))));
                }
            }
            ShowAct::Trim { show, from, to } => {
                if let Some(place) = self.find(show) {
                    self.list[place] = Show { seq: show, from, to };
                }
            }
            ShowAct::Ending { .. } | ShowAct::Stay => {}
            ShowAct::Strike { show } => self.list.retain(|one| one.seq != show),
        }
        self.list.sort_by_key(|show| show.from);
        true
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn at(text: &str) -> Instant {
        format!("2026-11-{text}:00Z").parse().unwrap()
    }

    fn shows() -> Shows {
        let mut shows = Shows::default();
        let acts = [(1, "20T19:00", ShowAct::Begin), (2, "20T22:00", ShowAct::End), (3, "24T19:00", ShowAct::Begin)];
        for (seq, when, act) in acts {
            assert!(shows.fold(Seq(seq), at(when), &act, "odile"));
        }
        shows
    }

    #[test]
    fn off_air_it_is_the_last_show() {
        let mut shows = shows();
        assert_eq!(shows.this(at("19T00:00")), None);
        assert_eq!(shows.this(at("23T00:00")).unwrap().seq, Seq(1));
        assert_eq!(shows.on_air().unwrap().seq, Seq(3));
        assert!(!shows.fold(Seq(4), at("24T20:00"), &ShowAct::Begin, "odile"), "on air already");
        shows.fold(Seq(5), at("24T23:00"), &ShowAct::End, "odile");
        assert_eq!(
            shows.this(at("26T00:00")).unwrap().span(),
            Span { from: Some(at("24T19:00")), to: Some(at("24T23:00")) }
        );
        assert!(shows.check(&ShowAct::End, at("26T00:00")).is_err());
    }

    #[test]
    fn a_forgotten_show_is_trimmed_and_never_into_another() {
        let mut shows = shows();
        let trim = |show, from, to: Option<&str>| ShowAct::Trim { show: Seq(show), from: at(from), to: to.map(at) };
        let now = at("24T21:00");
        assert!(shows.check(&trim(1, "20T18:30", Some("20T21:00")), now).is_ok());
        assert!(shows.check(&trim(1, "20T18:30", Some("24T19:30")), now).is_err(), "runs into the next");
        assert!(shows.check(&trim(1, "20T18:30", None), now).is_err(), "a later one has begun");
        assert!(shows.check(&trim(3, "24T20:00", Some("24T19:00")), now).is_err());
        assert!(shows.check(&trim(3, "24T19:00", Some("24T22:00")), now).is_err(), "not over yet");
        assert!(shows.check(&trim(9, "24T19:00", None), now).is_err());
        assert!(shows.fold(Seq(6), now, &trim(3, "24T19:00", Some("24T20:00")), "odile"));
        assert!(shows.on_air().is_none());
        assert!(shows.fold(Seq(7), now, &ShowAct::Strike { show: Seq(1) }, "odile"));
        assert_eq!(shows.all().len(), 1);
    }

    #[test]
    fn a_show_that_is_to_end_by_itself_ends_unless_somebody_stays() {
        let mut shows = shows();
        let ending = ShowAct::Ending { at: at("24T22:01") };
        assert!(shows.check(&ShowAct::Stay, at("24T22:00")).is_err(), "nothing is asked");
        assert!(shows.fold(Seq(4), at("24T22:00"), &ending, "the schedule"));
        assert_eq!(shows.ending(), Some((at("24T22:01"), "the schedule")));
        assert!(shows.check(&ending, at("24T22:00")).is_err(), "it is asked once");
        assert!(shows.fold(Seq(5), at("24T22:00"), &ShowAct::Stay, "odile"));
        assert_eq!((shows.ending(), shows.on_air().map(|show| show.seq)), (None, Some(Seq(3))));
        assert!(!shows.is_unsaid_since(at("24T22:00")) && shows.is_unsaid_since(at("24T22:01")));
        shows.fold(Seq(6), at("24T23:00"), &ending, "the schedule");
        shows.fold(Seq(7), at("24T23:01"), &ShowAct::End, "the clock");
        assert_eq!((shows.ending(), shows.on_air()), (None, None));
        assert!(shows.check(&ending, at("24T23:02")).is_err(), "off air there is nothing to end");
    }

    #[test]
    fn a_correction_of_another_show_leaves_the_question_as_it_is() {
        let mut shows = shows();
        let asked = Some((at("24T22:01"), "the schedule"));
        let now = at("24T22:00");
        shows.fold(Seq(4), now, &ShowAct::Ending { at: at("24T22:01") }, "the schedule");
        let shorter = ShowAct::Trim { show: Seq(1), from: at("20T19:00"), to: Some(at("20T21:00")) };
        assert!(shows.fold(Seq(5), now, &shorter, "odile"));
        assert_eq!(shows.ending(), asked);
        assert!(shows.fold(Seq(6), now, &ShowAct::Strike { show: Seq(1) }, "odile"));
        assert_eq!(shows.ending(), asked);
        let begun = ShowAct::Trim { show: Seq(3), from: at("24T19:10"), to: None };
        assert!(shows.fold(Seq(7), now, &begun, "odile"), "a hand sets the show on air itself");
        assert_eq!(shows.ending(), None);
    }
}
