//! Work that takes a core for a while: hashing passwords, decoding what people send, drawing rooms.
//!
//! It runs on a few threads of its own, so that only so much of it happens at once whoever leaves meanwhile, that sockets and
//! deliveries are answered whatever is drawn, and that what it has allocated is used again: memory given back by many threads
//! stays with each. Those for whom it is done have their turns one after the other.

use std::collections::{BTreeMap, VecDeque};
use std::panic::AssertUnwindSafe;
use std::sync::{Arc, Condvar, LazyLock, Mutex, MutexGuard, PoisonError};
use tokio::sync::oneshot;

/// Where everything is decoded that people send, one file after the other: decoding one may take 150 MB.
pub static DECODERS: LazyLock<Heavy> = LazyLock::new(|| Heavy::new(1, 12));

/// Where rooms are drawn: half of the cores stay free for everything else.
pub static ROOMS: LazyLock<Heavy> = LazyLock::new(|| {
    let cores = std::thread::available_parallelism().map_or(1, std::num::NonZero::get);
    Heavy::new((cores / 2).max(1), 32)
});

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
    /// How much may wait for each of those for whom it is done.
    most: usize,
}

#[derive(Default)]
struct Queue {
    waiting: Mutex<Waiting>,
    comes: Condvar,
}

/// What waits, by whom it is for, and whose turn is next.
#[derive(Default)]
struct Waiting {
    of: BTreeMap<u32, VecDeque<Job>>,
    turns: VecDeque<u32>,
}

impl Waiting {
    fn push(&mut self, whose: u32, job: Job, most: usize) -> bool {
        let own = self.of.entry(whose).or_default();
        if own.len() >= most {
            return false;
        }
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
        if own.is_empty() {
            self.of.remove(&whose);
        } else {
            self.turns.push_back(whose);
        }
        job
    }
}

impl Heavy {
    /// So many threads, before which so much may wait for each of those for whom it is done.
    #[must_use]
    pub fn new(threads: usize, most: usize) -> Self {
        let queue = Arc::<Queue>::default();
        for _ in 0..threads {
            let queue = Arc::clone(&queue);
            std::thread::spawn(move || work(&queue));
        }
        Self { queue, most }
    }

    /// Does something in its turn. Nothing is begun for somebody who has left.
    ///
    /// # Errors
    /// Too much waits, or it failed.
    pub async fn run<T: Send + 'static>(&self, work: impl FnOnce() -> T + Send + 'static) -> Result<T, HeavyError> {
        self.run_for(0, work).await
    }

    /// The same for somebody: who asks for much waits behind nobody but themselves.
    ///
    /// # Errors
    /// Too much waits for them, or it failed.
    pub async fn run_for<T: Send + 'static>(
        &self,
        whose: u32,
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

fn work(queue: &Queue) {
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
        let heavy = Heavy::new(1, 1);
        let (go, wait) = std::sync::mpsc::channel::<()>();
        let (begun, first) = std::sync::mpsc::channel::<()>();
        let hold = move || {
            begun.send(()).unwrap();
            wait.recv().unwrap();
        };
        let held = heavy.run(hold);
        let (held, refused) = tokio::join!(held, async {
            tokio::task::spawn_blocking(move || first.recv().unwrap()).await.unwrap();
            // One is being done, one waits, and there is no room for another.
            let waits = heavy.run(|| 1);
            let full = async {
                let refused = heavy.run(|| 2).await;
                go.send(()).unwrap();
                refused
            };
            let (waited, refused) = tokio::join!(waits, full);
            assert_eq!(waited, Ok(1));
            refused
        });
        assert_eq!((held, refused), (Ok(()), Err(HeavyError::Busy)));
        assert_eq!(heavy.run(|| -> u8 { panic!("a fault") }).await, Err(HeavyError::Failed));
        assert_eq!(heavy.run(|| 3).await, Ok(3));
    }

    #[tokio::test]
    async fn whoever_asks_for_much_keeps_nobody_else_waiting() {
        let heavy = Heavy::new(1, 8);
        let (go, wait) = std::sync::mpsc::channel::<()>();
        let order = Arc::new(Mutex::new(Vec::new()));
        let note = |name: &'static str| {
            let order = Arc::clone(&order);
            move || order.lock().unwrap().push(name)
        };
        let (begun, first) = std::sync::mpsc::channel::<()>();
        let held = heavy.run_for(1, move || {
            begun.send(()).unwrap();
            wait.recv().unwrap();
        });
        let rest = async {
            tokio::task::spawn_blocking(move || first.recv().unwrap()).await.unwrap();
            let much = [heavy.run_for(1, note("one")), heavy.run_for(1, note("two"))];
            let other = heavy.run_for(2, note("other"));
            let go = async { go.send(()).unwrap() };
            let (much, other, ()) = tokio::join!(futures_util::future::join_all(much), other, go);
            assert!(much.into_iter().all(|one| one.is_ok()) && other.is_ok());
        };
        let (held, ()) = tokio::join!(held, rest);
        assert_eq!(held, Ok(()));
        assert_eq!(*order.lock().unwrap(), ["one", "other", "two"]);
    }
}
