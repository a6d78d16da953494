//! Work that takes a core and much memory for a while: hashing passwords, decoding what people send.
//!
//! It runs on a few threads of its own, so that only so much of it happens at once whoever leaves meanwhile,
//! and so that what it has allocated is used again: memory given back by many threads stays with each.

use std::panic::AssertUnwindSafe;
use std::sync::mpsc::{Receiver, SyncSender, sync_channel};
use std::sync::{Arc, LazyLock, Mutex, PoisonError};
use tokio::sync::oneshot;

/// Where everything is decoded that people send, one file after the other: decoding one may take 150 MB.
pub static DECODERS: LazyLock<Heavy> = LazyLock::new(|| Heavy::new(1, 12));

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
    queue: SyncSender<Job>,
}

impl Heavy {
    /// So many threads, before which so much may wait.
    #[must_use]
    pub fn new(threads: usize, waiting: usize) -> Self {
        let (queue, jobs) = sync_channel::<Job>(waiting);
        let jobs = Arc::new(Mutex::new(jobs));
        for _ in 0..threads {
            let jobs = Arc::clone(&jobs);
            std::thread::spawn(move || work(&jobs));
        }
        Self { queue }
    }

    /// Does something in its turn. Nothing is begun for somebody who has left.
    ///
    /// # Errors
    /// Too much waits, or it failed.
    pub async fn run<T: Send + 'static>(&self, work: impl FnOnce() -> T + Send + 'static) -> Result<T, HeavyError> {
        let (reply, answer) = oneshot::channel();
        let job = move || {
            if !reply.is_closed() {
                let _ = reply.send(work());
            }
        };
        self.queue.try_send(Box::new(job)).map_err(|_| HeavyError::Busy)?;
        answer.await.map_err(|_| HeavyError::Failed)
    }
}

fn work(jobs: &Mutex<Receiver<Job>>) {
    loop {
        // One waits with the lock, the others for it; it is free while a job is done.
        let next = jobs.lock().unwrap_or_else(PoisonError::into_inner).recv();
        let Ok(job) = next else { return };
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
}
