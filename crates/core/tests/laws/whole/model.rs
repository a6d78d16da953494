//! The channel as the rules tell it (docs of the rules: clocks 8, subathon 9, polls 10, wheel 11, cues 14), in the plainest way:
//! whole numbers of milliseconds since the beginning, lists, and everything counted anew whenever it is asked for. Nothing of
//! the core is used here.

use std::collections::BTreeMap;

pub const CLOCK_MS: i64 = 61_000;
pub const TURN_MS: i64 = 7_000;
pub const REST_MS: i64 = 2_000;
pub const POLL_MS: i64 = 41_000;
pub const BOOST_MS: i64 = 90_000;
pub const BREAK_MS: (i64, i64) = (180_000, 300_000);
/// A line of chat that was sent in time counts, though it comes so late.
const LATE_VOTE_MS: i64 = 2_000;
/// What a pound adds, and a follow.
const POUND_MS: i64 = 60_000;
const FOLLOW_MS: i64 = 10_000;

/// What is different from case to case.
#[derive(Debug, Clone)]
pub struct Setup {
    /// Which of the five cues are on.
    pub on: [bool; 5],
    /// How many seconds the second step of each waits.
    pub waits: [i64; 5],
    /// Pounds of a tip that sets the first cue off.
    pub least: i64,
    /// To what the counter has to come for the fifth.
    pub threshold: i64,
    pub subathon_ms: i64,
    pub has_break: bool,
}

/// What is pressed: by a hand, or by a step of a cue.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Press {
    Count(i64),
    ClockStart,
    ClockPause,
    ClockReset,
    ClockAdd(i64),
    Spin,
    PollOpen,
    PollClose,
    SubStart,
    SubPause,
    SubAdd(i64),
    SubBoost,
    SubEndBoosts,
}

/// The steps of the cues, the second of which waits.
pub const STEPS: [[Press; 2]; 5] = [
    [Press::Count(1), Press::ClockAdd(13)],
    [Press::Count(10), Press::Spin],
    [Press::SubAdd(30), Press::Count(100)],
    [Press::ClockReset, Press::ClockStart],
    [Press::SubAdd(-45), Press::Count(-1)],
];

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Clock {
    Ready(i64),
    Running(i64),
    Paused(i64),
    Done,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Sub {
    Ready,
    Running,
    Paused,
    Break,
    Over,
}

/// Something that bears on the subathon: when it came, when it happened, and what it was.
#[derive(Debug, Clone, Copy)]
enum Bears {
    Start,
    Pause,
    Add(i64),
    Boost,
    EndBoosts,
    /// A line of support, by its number, worth so much without a boost.
    Support(usize, i64),
}

#[derive(Debug, Clone, Copy)]
struct Tip {
    pounds: i64,
    voided: bool,
}

/// A firing, when it was, and how many of its steps are done.
#[derive(Debug, Clone, Copy)]
struct Firing {
    cue: usize,
    at: i64,
    done: usize,
}

pub struct Model {
    setup: Setup,
    pub counter: i64,
    pub clock: Clock,
    /// The end of the turn that is under way or was last.
    turn: Option<i64>,
    has_rested: bool,
    pub queued: usize,
    pub spins: usize,
    /// The newest poll: opened, closed or to be closed, and whether it is closed.
    poll: Option<(i64, i64, bool)>,
    votes: BTreeMap<usize, (i64, usize)>,
    tips: Vec<Tip>,
    bears: Vec<(i64, i64, Bears)>,
    firings: Vec<Firing>,
    pub fired: [usize; 5],
    /// A correction would have ended the subathon in the past: what is to be then, a person says.
    pub in_doubt: bool,
}

impl Model {
    pub fn new(setup: Setup) -> Self {
        Self {
            setup,
            counter: 0,
            clock: Clock::Ready(CLOCK_MS),
            turn: None,
            has_rested: true,
            queued: 0,
            spins: 0,
            poll: None,
            votes: BTreeMap::new(),
            tips: Vec::new(),
            bears: Vec::new(),
            firings: Vec::new(),
            fired: [0; 5],
            in_doubt: false,
        }
    }

    pub fn setup(&self) -> Setup {
        self.setup.clone()
    }

    /// All that comes by itself by an instant, each at its own instant and in their order.
    fn pass(&mut self, now: i64) {
        loop {
            let clock = if let Clock::Running(end) = self.clock { Some(end) } else { None };
            let rests = self.turn.filter(|_| !self.has_rested);
            // One that waited is seen from its beginning: it turns from when it is looked after.
            let waits = self.turn.filter(|end| self.has_rested && self.queued > 0 && end + REST_MS <= now);
            let next = waits.map(|_| now);
            let poll = self.poll.filter(|(.., closed)| !closed).map(|(_, closes, _)| closes);
            let first = [clock, rests, next, poll].into_iter().flatten().min().filter(|at| *at <= now);
            let Some(at) = first else { return };
            if clock == Some(at) {
                self.clock = Clock::Done;
                self.fire(1, at);
            } else if rests == Some(at) {
                self.has_rested = true;
                self.fire(2, at);
            } else if next == Some(at) {
                self.queued -= 1;
                self.spin(at);
            } else {
                self.close_poll(at, now);
            }
        }
    }

    /// What cues do by an instant, all of it at that instant.
    fn run(&mut self, now: i64) {
        loop {
            self.pass(now);
            let waits = self.setup.waits;
            let due = |one: &Firing| one.at + if one.done == 0 { 0 } else { waits[one.cue] * 1_000 };
            let open = (0..self.firings.len()).filter(|index| self.firings[*index].done < 2);
            let next = open.min_by_key(|index| (due(&self.firings[*index]), *index));
            let Some(next) = next.filter(|index| due(&self.firings[*index]) <= now) else { return };
            let Firing { cue, done, .. } = self.firings[next];
            self.firings[next].done += 1;
            self.press(STEPS[cue][done], now);
        }
    }

    fn fire(&mut self, cue: usize, at: i64) {
        if self.setup.on[cue] {
            self.fired[cue] += 1;
            self.firings.push(Firing { cue, at, done: 0 });
        }
    }

    pub fn to(&mut self, now: i64) {
        self.run(now);
    }

    fn spin(&mut self, at: i64) {
        (self.turn, self.has_rested) = (Some(at + TURN_MS), false);
        self.spins += 1;
    }

    /// It is closed at an instant, and that is written now.
    fn close_poll(&mut self, at: i64, now: i64) {
        if let Some((_, closes, closed)) = &mut self.poll {
            (*closes, *closed) = (at, true);
        }
        self.fire(3, now);
    }

    /// A press; whether it is taken.
    pub fn press(&mut self, press: Press, now: i64) -> bool {
        let sub = self.sub(now).0;
        match press {
            Press::Count(by) => {
                let was = self.counter;
                // It has a floor, and stays there.
                self.counter = (self.counter + by).max(0);
                if was < self.setup.threshold && self.setup.threshold <= self.counter {
                    self.fire(4, now);
                }
            }
            Press::ClockStart => match self.clock {
                Clock::Ready(left) | Clock::Paused(left) => self.clock = Clock::Running(now + left),
                _ => return false,
            },
            Press::ClockPause => match self.clock {
                Clock::Running(end) => self.clock = Clock::Paused(end - now),
                _ => return false,
            },
            Press::ClockReset => self.clock = Clock::Ready(CLOCK_MS),
            Press::ClockAdd(seconds) => {
                let by = seconds * 1_000;
                self.clock = match self.clock {
                    Clock::Ready(left) if left + by > 0 => Clock::Ready(left + by),
                    Clock::Paused(left) if left + by > 0 => Clock::Paused(left + by),
                    Clock::Running(end) if end + by > now => Clock::Running(end + by),
                    Clock::Done => return false,
                    _ => {
                        self.clock = Clock::Done;
                        self.fire(1, now);
                        return true;
                    }
                };
            }
            Press::Spin => {
                let busy = self.turn.is_some_and(|end| now < end + REST_MS);
                if busy || self.queued > 0 { self.queued += 1 } else { self.spin(now) }
            }
            Press::PollOpen => {
                if self.poll.is_some_and(|(.., closed)| !closed) {
                    return false;
                }
                self.poll = Some((now, now + POLL_MS, false));
                self.votes.clear();
            }
            Press::PollClose => {
                if self.poll.is_none_or(|(.., closed)| closed) {
                    return false;
                }
                self.close_poll(now, now);
            }
            Press::SubStart if matches!(sub, Sub::Ready | Sub::Paused | Sub::Break) => {
                self.bears.push((now, now, Bears::Start));
            }
            Press::SubPause if sub == Sub::Running => {
                self.bears.push((now, now, Bears::Pause));
            }
            Press::SubBoost if sub != Sub::Over => {
                self.bears.push((now, now, Bears::Boost));
            }
            Press::SubEndBoosts if self.is_boosted(now) => {
                self.bears.push((now, now, Bears::EndBoosts));
            }
            Press::SubAdd(seconds) if sub != Sub::Over => self.bears.push((now, now, Bears::Add(seconds * 1_000))),
            _ => return false,
        }
        true
    }

    pub fn tip(&mut self, pounds: i64, happened: i64, now: i64) {
        self.tips.push(Tip { pounds, voided: false });
        self.bears.push((now, happened, Bears::Support(self.tips.len() - 1, pounds * POUND_MS)));
        if pounds >= self.setup.least {
            self.fire(0, now);
        }
    }

    pub fn follow(&mut self, now: i64) {
        self.bears.push((now, now, Bears::Support(usize::MAX, FOLLOW_MS)));
    }

    pub fn void(&mut self, tip: usize, voided: bool, now: i64) {
        let was = self.counted(now).ended;
        self.tips[tip].voided = voided;
        // By this correction it has ended in the past, or at another moment than it did.
        let is = self.counted(now).ended;
        self.in_doubt |= is.is_some() && is != was;
    }

    pub fn vote(&mut self, viewer: usize, option: usize, sent: i64, now: i64) {
        let Some((opened, closes, closed)) = self.poll else { return };
        let in_time = sent >= opened && sent < closes && (!closed || now <= closes + LATE_VOTE_MS);
        let newer = self.votes.get(&viewer).is_none_or(|(before, _)| *before <= sent);
        if in_time && newer {
            self.votes.insert(viewer, (sent, option));
        }
    }

    /// Votes by option, of the newest poll.
    pub fn votes(&self) -> [usize; 2] {
        [0, 1].map(|option| self.votes.values().filter(|(_, own)| *own == option).count())
    }

    pub fn is_poll_open(&self) -> bool {
        self.poll.is_some_and(|(.., closed)| !closed)
    }

    pub fn goal(&self) -> i64 {
        self.tips.iter().filter(|tip| !tip.voided).map(|tip| tip.pounds).sum()
    }

    pub fn tips(&self) -> usize {
        self.tips.len()
    }

    pub fn is_voided(&self, tip: usize) -> bool {
        self.tips[tip].voided
    }

    /// The stretches in which support counts twice; several multiply.
    fn boosts(&self) -> Vec<(i64, i64)> {
        let mut all: Vec<(i64, i64)> = Vec::new();
        for (at, _, bears) in &self.bears {
            match bears {
                Bears::Boost => all.push((*at, at + BOOST_MS)),
                Bears::EndBoosts => all.iter_mut().for_each(|(_, to)| *to = (*to).min(*at)),
                _ => {}
            }
        }
        all
    }

    fn is_boosted(&self, now: i64) -> bool {
        self.boosts().iter().any(|(from, to)| (*from..*to).contains(&now))
    }

    /// How the subathon stands: counted from its beginning, without what was voided.
    pub fn sub(&self, now: i64) -> (Sub, i64) {
        let run = self.counted(now);
        (run.phase, run.left)
    }

    fn counted(&self, now: i64) -> Run {
        let boosts = self.boosts();
        let factor = |at: i64| 2_i64.pow(boosts.iter().filter(|(from, to)| (*from..*to).contains(&at)).count() as u32);
        let (left, has_break) = (self.setup.subathon_ms, self.setup.has_break);
        let mut run = Run { phase: Sub::Ready, left, at: 0, has_break, ended: None };
        let started = self.bears.iter().find(|(.., bears)| matches!(bears, Bears::Start)).map(|(came, ..)| *came);
        for (came, happened, bears) in &self.bears {
            run.to(*came);
            match bears {
                Bears::Start if run.phase != Sub::Over => run.phase = Sub::Running,
                Bears::Pause if run.phase != Sub::Over => run.phase = Sub::Paused,
                Bears::Add(ms) if run.phase != Sub::Over => run.add(*ms),
                Bears::Support(tip, ms) if !matches!(run.phase, Sub::Ready | Sub::Over) => {
                    // What happened before the start is none of it, whenever it comes.
                    let begun = started.is_some_and(|started| started <= *happened);
                    if begun && !self.tips.get(*tip).is_some_and(|tip| tip.voided) {
                        run.add(ms * factor(*happened));
                    }
                }
                _ => {}
            }
        }
        run.to(now);
        run
    }
}

struct Run {
    phase: Sub,
    left: i64,
    at: i64,
    has_break: bool,
    /// When it came to nothing.
    ended: Option<i64>,
}

impl Run {
    fn add(&mut self, ms: i64) {
        self.left = (self.left + ms).max(0);
        if self.left == 0 && self.phase != Sub::Ready {
            (self.phase, self.ended) = (Sub::Over, Some(self.at));
        }
    }

    /// Runs on, through the break.
    fn to(&mut self, to: i64) {
        let (from, until) = BREAK_MS;
        for stop in [from, until] {
            if self.has_break && self.at < stop && stop <= to {
                self.straight(stop);
                match self.phase {
                    Sub::Running if stop == from => self.phase = Sub::Break,
                    Sub::Break if stop == until => self.phase = Sub::Running,
                    _ => {}
                }
            }
        }
        self.straight(to);
    }

    fn straight(&mut self, to: i64) {
        if self.phase == Sub::Running {
            let runs = to - self.at;
            if self.left <= runs {
                (self.phase, self.ended) = (Sub::Over, Some(self.at + self.left));
                self.left = 0;
            } else {
                self.left -= runs;
            }
        }
        self.at = to;
    }
}
