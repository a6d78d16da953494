//! Work that takes a core for a while: hashing passwords, decoding what people send, drawing rooms.
//!
//! It runs on a few threads of its own that give way to all others, so that only so much of it happens at once whoever leaves
//! meanwhile, that sockets and deliveries are answered whatever is drawn, and that what it has allocated is used again: memory given
//! back by many threads stays with each. Those for whom it is done have their turns one after the other.

use std::collections::{BTreeMap, VecDeque};
use std::panic::AssertUnwindSafe;
use std::sync::{Arc, Condvar, LazyLock, Mutex, MutexGuard, PoisonError};
use tally_core::record::ids::ChannelId;
use tokio::sync::oneshot;

/// Where everything is decoded that people send, one file after the other: decoding one may take 150 MB.
pub static DECODERS: LazyLock<Heavy> = LazyLock::new(|| Heavy::new(1, Most { of_one: 12, in_all: 12 }));

/// Where rooms and pages are drawn: half of the cores stay free for everything else.
pub static ROOMS: LazyLock<Heavy> = LazyLock::new(|| {
    let cores = std::thread::available_parallelism().map_or(1, std::num::NonZero::get);
    Heavy::new((cores / 2).max(1), Most { of_one: 32, in_all: 4_096 })
});

/// For whom something is done. Each has turns of their own.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Whose {
    /// Somebody signed in.
    Person(u32),
    /// A helper, by their pass.
    Helper(u32),
    /// Pages and programs that follow a channel.
    Channel(ChannelId),
    /// Whoever sends a file or a password.
    Anybody,
}

impl Whose {
    /// Whether it is one person, who needs only so much at a time; of what follows a channel there are thousands.
    fn is_somebody(self) -> bool {
        matches!(self, Self::Person(_) | Self::Helper(_))
    }
}

type Job = Box<dyn FnOnce() + Send>;

/// Why work was not done.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub enum HeavyError {
    /// Too much waits already.
    #[error("too much of this waits already; try again in a moment")]
    Busy,
    /// It came to an end that it must not come to.
    #[error("it could not be done")]
    Failed,
}

/// A few threads and a bounded queue before them.
pub struct Heavy {
    queue: Arc<Queue>,
    most: Most,
}

/// How much may wait.
#[derive(Debug, Clone, Copy)]
pub struct Most {
    /// For one person.
    pub of_one: usize,
    /// For all.
    pub in_all: usize,
}

#[derive(Default)]
struct Queue {
    waiting: Mutex<Waiting>,
    comes: Condvar,
}

/// What waits, by whom it is for, and whose turn is next.
#[derive(Default)]
struct Waiting {
    of: BTreeMap<Whose, VecDeque<Job>>,
    turns: VecDeque<Whose>,
    in_all: usize,
}

impl Waiting {
    fn push(&mut self, whose: Whose, job: Job, most: Most) -> bool {
        let own = self.of.get(&whose).map_or(0, VecDeque::len);
        if self.in_all >= most.in_all || whose.is_somebody() && own >= most.of_one {
            return false;
        }
        self.in_all = self.in_all.saturating_add(1);
        let own = self.of.entry(whose).or_default();
        if own.is_empty() {
            self.turns.push_back(whose);
        }
        own.push_back(job);
        true
    }

    fn next(&mut self) -> Option<Job> {
        let whose = self.turns.pop_front()?;
        let own = self.of.get_mut(&whose)?;
        let job = own.pop_front();
        self.in_all = self.in_all.saturating_sub(1);
        if own.is_empty() {
            self.of.remove(&whose);
        } else {
            self.turns.push_back(whose);
        }
        job
    }
}

impl Heavy {
    /// So many threads, before which so much may wait.
    #[must_use]
    pub fn new(threads: usize, most: Most) -> Self {
        let queue = Arc::<Queue>::default();
        for _ in 0..threads {
            let queue = Arc::clone(&queue);
            std::thread::spawn(move || work(&queue));
        }
        Self { queue, most }
    }

    /// Does something in its turn: who asks for much waits behind nobody but themselves. Nothing is begun for somebody who has
    /// left.
    ///
    /// # Errors
    /// Too much waits, or it failed.
    pub async fn run<T: Send + 'static>(
        &self,
        whose: Whose,
        work: impl FnOnce() -> T + Send + 'static,
    ) -> Result<T, HeavyError> {
        let (reply, answer) = oneshot::channel();
        let job = move || {
            if !reply.is_closed() {
                let _ = reply.send(work());
            }
        };
        if !lock(&self.queue).push(whose, Box::new(job), self.most) {
            return Err(HeavyError::Busy);
        }
        self.queue.comes.notify_one();
        answer.await.map_err(|_| HeavyError::Failed)
    }
}

fn lock(queue: &Queue) -> MutexGuard<'_, Waiting> {
    // No job is done while it is held.
    queue.waiting.lock().unwrap_or_else(PoisonError::into_inner)
}

/// How much these threads give way to others; see sched(7).
const NICE: i32 = 10;

fn work(queue: &Queue) {
    // Of this thread alone, on Linux. Where it is not granted, it is only less polite.
    let _ = rustix::process::nice(NICE);
    loop {
        let waiting = queue.comes.wait_while(lock(queue), |waiting| waiting.turns.is_empty());
        let Some(job) = waiting.unwrap_or_else(PoisonError::into_inner).next() else { continue };
        // Whoever asked is told by the reply being dropped.
        let _ = std::panic::catch_unwind(AssertUnwindSafe(job));
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[tokio::test]
    async fn only_so_much_waits_and_a_fault_is_contained() {
        let heavy = Heavy::new(1, Most { of_one: 1, in_all: 1 });
        let (go, wait) = std::sync::mpsc::channel::<()>();
        let (begun, first) = std::sync::mpsc::channel::<()>();
        let hold = move || {
            begun.send(()).unwrap();
            wait.recv().unwrap();
        };
        let held = heavy.run(Whose::Anybody, hold);
        let (held, refused) = tokio::join!(held, async {
            tokio::task::spawn_blocking(move || first.recv().unwrap()).await.unwrap();
            // One is being done, one waits, and there is no room for another.
            let waits = heavy.run(Whose::Anybody, || 1);
            let full = async {
                let refused = heavy.run(Whose::Anybody, || 2).await;
                go.send(()).unwrap();
                refused
            };
            let (waited, refused) = tokio::join!(waits, full);
            assert_eq!(waited, Ok(1));
            refused
        });
        assert_eq!((held, refused), (Ok(()), Err(HeavyError::Busy)));
        assert_eq!(heavy.run(Whose::Anybody, || -> u8 { panic!("a fault") }).await, Err(HeavyError::Failed));
        assert_eq!(heavy.run(Whose::Anybody, || 3).await, Ok(3));
    }

    #[tokio::test]
    async fn whoever_asks_for_much_keeps_nobody_else_waiting() {
        let heavy = Heavy::new(1, Most { of_one: 2, in_all: 8 });
        let (go, wait) = std::sync::mpsc::channel::<()>();
        let order = Arc::new(Mutex::new(Vec::new()));
        let note = |name: &'static str| {
            let order = Arc::clone(&order);
            move || order.lock().unwrap().push(name)
        };
        let (begun, first) = std::sync::mpsc::channel::<()>();
        let held = heavy.run(Whose::Person(1), move || {
            begun.send(()).unwrap();
            wait.recv().unwrap();
        });
        let rest = async {
            tokio::task::spawn_blocking(move || first.recv().unwrap()).await.unwrap();
            let much = ["one", "two", "three"].map(|name| heavy.run(Whose::Person(1), note(name)));
            let other = heavy.run(Whose::Helper(1), note("other"));
            let go = async { go.send(()).unwrap() };
            let (much, other, ()) = tokio::join!(futures_util::future::join_all(much), other, go);
            assert_eq!((much, other), (vec![Ok(()), Ok(()), Err(HeavyError::Busy)], Ok(())));
        };
        let (held, ()) = tokio::join!(held, rest);
        assert_eq!(held, Ok(()));
        assert_eq!(*order.lock().unwrap(), ["one", "other", "two"]);
    }
}
