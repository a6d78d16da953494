//! Where drawings are made of what channels publish: on a few threads of their own, by turns of the channels. Of whatever is to be
//! drawn the newest alone waits, so that what waits is bounded by what a channel has.

use crate::draw::Draw;
use crate::hub::Hub;
use std::collections::{BTreeMap, VecDeque};
use std::panic::AssertUnwindSafe;
use std::sync::mpsc::{Receiver, Sender, channel};
use std::sync::{Arc, LazyLock, Mutex, PoisonError};
use tally_core::record::ids::WidgetId;

/// What a drawing is of.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Of {
    /// A widget, for pages on air, the desk and helpers.
    Widget(WidgetId),
    /// A widget as it is rehearsed at its bench.
    Rehearsed(WidgetId),
    /// The signal strip and the paper roll.
    Pulse,
    /// The newest lines of chat.
    Chat,
}

/// Makes a drawing and publishes it.
type Job = Box<dyn FnOnce(&dyn Draw, &Hub) + Send>;

/// What is to be drawn of one channel, in the order in which it was first asked for.
#[derive(Default)]
pub(crate) struct ToDraw {
    order: VecDeque<Of>,
    jobs: BTreeMap<Of, Job>,
    /// Whether a thread has it, or will have it.
    has_its_turn: bool,
}

impl ToDraw {
    /// Takes a drawing in place of an older one of the same. True if a turn has to be asked for.
    fn put(&mut self, of: Of, job: Job) -> bool {
        if self.jobs.insert(of, job).is_none() {
            self.order.push_back(of);
        }
        !std::mem::replace(&mut self.has_its_turn, true)
    }

    fn next(&mut self) -> Option<(Of, Job)> {
        let of = self.order.pop_front()?;
        Some((of, self.jobs.remove(&of)?))
    }

    /// The turn is over. True if another has to be asked for.
    fn done(&mut self) -> bool {
        self.has_its_turn = !self.order.is_empty();
        self.has_its_turn
    }
}

/// A channel's turn to have one thing drawn. No two threads draw for one channel, so what is published later is newer.
struct Turn {
    hub: Arc<Hub>,
    draw: Arc<dyn Draw>,
}

/// Where turns are asked for: half of the cores draw, the others stay free for everything else.
static TURNS: LazyLock<Sender<Turn>> = LazyLock::new(|| {
    let (turns, waiting) = channel();
    let waiting = Arc::new(Mutex::new(waiting));
    let cores = std::thread::available_parallelism().map_or(1, std::num::NonZero::get);
    for _ in 0..(cores / 2).max(1) {
        let waiting = Arc::clone(&waiting);
        std::thread::spawn(move || work(&waiting));
    }
    turns
});

fn work(waiting: &Mutex<Receiver<Turn>>) {
    loop {
        // Nothing is drawn while it is held.
        let next = waiting.lock().unwrap_or_else(PoisonError::into_inner).recv();
        let Ok(turn) = next else { return };
        let next = turn.hub.to_draw().next();
        if let Some((of, job)) = next {
            // One that cannot be drawn keeps its last picture, and the others go on.
            let drawn = std::panic::catch_unwind(AssertUnwindSafe(|| job(&*turn.draw, &turn.hub)));
            if drawn.is_err() {
                tracing::error!(?of, "something could not be drawn");
            }
        }
        if turn.hub.to_draw().done() {
            let _ = TURNS.send(turn);
        }
    }
}

/// Submits drawings.
#[derive(Clone)]
pub(crate) struct Drawers {
    draw: Arc<dyn Draw>,
}

impl Drawers {
    pub(crate) fn new(draw: Arc<dyn Draw>) -> Self {
        Self { draw }
    }

    /// Has something drawn and published soon, in place of what waits of the same.
    pub(crate) fn submit(&self, hub: &Arc<Hub>, of: Of, job: impl FnOnce(&dyn Draw, &Hub) + Send + 'static) {
        if hub.to_draw().put(of, Box::new(job)) {
            // The threads live as long as the program.
            let _ = TURNS.send(Turn { hub: Arc::clone(hub), draw: Arc::clone(&self.draw) });
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_newest_of_each_is_drawn_in_the_order_of_the_first() {
        let (told, drawn) = channel();
        let mut waits = ToDraw::default();
        let job = |number: u32| -> Job {
            let told = told.clone();
            Box::new(move |_, _| told.send(number).unwrap())
        };
        let [one, other] = [1, 2].map(|id| Of::Widget(WidgetId(id)));
        assert!(waits.put(other, job(1)));
        assert!(!waits.put(one, job(2)));
        assert!(!waits.put(other, job(3)));
        let mut order = Vec::new();
        while let Some((of, _)) = waits.next() {
            order.push(of);
        }
        assert_eq!(order, [other, one]);
        assert!(!waits.done());
        assert!(waits.put(one, job(4)));
        drop((waits, told));
        assert_eq!(drawn.iter().count(), 0);
    }
}
