//! The one place where the time is asked.

use chrono::{SubsecRound, TimeDelta, Utc};
use std::sync::{Mutex, PoisonError};
use std::time::Duration;
use tally_core::time::{Instant, after};

/// Tells the time.
pub trait Clock: Send + Sync + 'static {
    /// Now, in whole microseconds, as the ledger keeps it.
    fn now(&self) -> Instant;

    /// How many times as fast as the machine's own clock it goes.
    fn speed(&self) -> u32 {
        1
    }

    /// How far the machine's clock has jumped away from this one, where it has and nobody has said what to do about it.
    fn jumped(&self) -> Option<TimeDelta> {
        None
    }

    /// Goes by the machine's clock again, wherever that stands now.
    fn follow_machine(&self) {}

    /// What the machine's own clock says, which others go by.
    fn machine(&self) -> Instant {
        self.now()
    }

    /// How long to wait until an instant; no time at all if it has passed.
    fn wait(&self, until: Instant) -> Duration {
        (until - self.now()).to_std().unwrap_or_default() / self.speed().max(1)
    }
}

/// The machine's own clock.
#[derive(Debug, Clone, Copy, Default)]
pub struct SystemClock;

impl Clock for SystemClock {
    fn now(&self) -> Instant {
        Utc::now().trunc_subsecs(6)
    }
}

/// A step of the machine's clock that is larger is a jump.
const JUMP: TimeDelta = TimeDelta::seconds(30);

/// The clock of the record. It follows the machine's, which is set a little now and then; but where that jumps (somebody sets
/// it, or it finds out late what time it is), this one goes on as before until somebody says otherwise: a subathon must not lose
/// an hour because a battery was empty.
///
/// What runs beside it is the time since the machine was started, sleep included, which nobody sets.
pub struct SteadyClock {
    anchor: Mutex<Anchor>,
    machine: fn() -> Instant,
    running: fn() -> Duration,
}

/// What this clock said when the machine had run for so long.
#[derive(Clone, Copy)]
struct Anchor {
    running: Duration,
    said: Instant,
    jumped: Option<TimeDelta>,
}

/// How long the machine has run.
fn since_boot() -> Duration {
    let time = rustix::time::clock_gettime(rustix::time::ClockId::Boottime);
    Duration::new(u64::try_from(time.tv_sec).unwrap_or_default(), u32::try_from(time.tv_nsec).unwrap_or_default())
}

impl SteadyClock {
    /// The machine's clock; where that stands before the moment at which we were there last, it has jumped back, and this one
    /// goes on from that moment.
    #[must_use]
    pub fn after(last: Option<Instant>) -> Self {
        Self::of(|| SystemClock.now(), since_boot, last)
    }

    fn of(machine: fn() -> Instant, running: fn() -> Duration, last: Option<Instant>) -> Self {
        let now = machine();
        let said = last.filter(|last| *last - now > JUMP).unwrap_or(now);
        Self { anchor: Mutex::new(Anchor { running: running(), said, jumped: None }), machine, running }
    }

    /// Looks at both clocks.
    fn look(&self) -> Anchor {
        let mut anchor = self.anchor.lock().unwrap_or_else(PoisonError::into_inner);
        let (machine, running) = ((self.machine)(), (self.running)());
        let gone = TimeDelta::from_std(running.saturating_sub(anchor.running)).unwrap_or(TimeDelta::MAX);
        let own = after(anchor.said, gone).trunc_subsecs(6);
        let off = machine - own;
        let jumped = off.abs() > JUMP;
        if jumped && anchor.jumped.is_none() {
            tracing::warn!(
                seconds = off.num_seconds(),
                "the machine's clock has jumped; the record goes on by the time before"
            );
        }
        *anchor = Anchor { running, said: if jumped { own } else { machine }, jumped: jumped.then_some(off) };
        *anchor
    }
}

impl Clock for SteadyClock {
    fn now(&self) -> Instant {
        self.look().said
    }

    fn jumped(&self) -> Option<TimeDelta> {
        self.look().jumped
    }

    fn follow_machine(&self) {
        let mut anchor = self.anchor.lock().unwrap_or_else(PoisonError::into_inner);
        *anchor = Anchor { running: (self.running)(), said: (self.machine)(), jumped: None };
    }

    fn machine(&self) -> Instant {
        (self.machine)()
    }
}

/// The clock of a rehearsal: it begins at an instant and goes so many times as fast. Setting the machine's clock does not
/// touch it.
#[derive(Debug, Clone, Copy)]
pub(crate) struct RehearsalClock {
    from: Instant,
    began: std::time::Instant,
    speed: u32,
}

impl RehearsalClock {
    pub(crate) fn new(from: Instant, speed: u32) -> Self {
        Self { from, began: std::time::Instant::now(), speed: speed.max(1) }
    }
}

impl Clock for RehearsalClock {
    fn now(&self) -> Instant {
        let gone = self.began.elapsed().saturating_mul(self.speed);
        after(self.from, TimeDelta::from_std(gone).unwrap_or(TimeDelta::MAX)).trunc_subsecs(6)
    }

    fn speed(&self) -> u32 {
        self.speed
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::sync::atomic::{AtomicI64, Ordering};

    /// What the two clocks under the test's clock say, in seconds. One test alone turns them.
    static MACHINE: AtomicI64 = AtomicI64::new(0);
    static RUNNING: AtomicI64 = AtomicI64::new(0);

    fn at(seconds: i64) -> Instant {
        after(Instant::UNIX_EPOCH, TimeDelta::seconds(seconds))
    }

    fn pass(seconds: i64) {
        MACHINE.fetch_add(seconds, Ordering::Relaxed);
        RUNNING.fetch_add(seconds, Ordering::Relaxed);
    }

    #[test]
    fn a_jump_of_the_machines_clock_moves_nothing_until_somebody_says_so() {
        let machine = || at(MACHINE.load(Ordering::Relaxed));
        let running = || Duration::from_secs(RUNNING.load(Ordering::Relaxed).unsigned_abs());
        pass(1_000_000);
        let clock = SteadyClock::of(machine, running, None);
        pass(10);
        assert_eq!((clock.now(), clock.jumped()), (at(1_000_010), None));
        // Set right by a little, as time servers do.
        MACHINE.fetch_add(2, Ordering::Relaxed);
        assert_eq!((clock.now(), clock.jumped()), (at(1_000_012), None));
        // An hour ahead, and back.
        MACHINE.fetch_add(3_600, Ordering::Relaxed);
        pass(60);
        assert_eq!((clock.now(), clock.jumped()), (at(1_000_072), Some(TimeDelta::hours(1))));
        MACHINE.fetch_sub(3_600, Ordering::Relaxed);
        assert_eq!((clock.now(), clock.jumped()), (at(1_000_072), None));
        // Forty days ahead, and somebody says that this is right.
        MACHINE.fetch_add(40 * 86_400, Ordering::Relaxed);
        assert_eq!(clock.now(), at(1_000_072));
        clock.follow_machine();
        assert_eq!((clock.now(), clock.jumped()), (at(1_000_072 + 40 * 86_400), None));
        // Started again with a machine whose clock was set back meanwhile.
        MACHINE.fetch_sub(86_400, Ordering::Relaxed);
        let last = at(1_000_072 + 40 * 86_400);
        let clock = SteadyClock::of(machine, running, Some(last));
        assert_eq!((clock.now(), clock.jumped()), (last, Some(TimeDelta::days(-1))));
    }
}
