//! The made-up outside world: what its page drives and its servers tell.

use crate::chat::Said;
use crate::polls::Poll;
use rand::rngs::StdRng;
use rand::{Rng, SeedableRng};
use std::collections::BTreeMap;
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Mutex, MutexGuard, PoisonError};
use tally_feeds::script::people;
use tokio::sync::broadcast;

/// Lines of chat that may wait for a slow reader.
const CHAT: usize = 4_096;
/// The engines of the puzzle game Yardmaster.
pub const ENGINES: [&str; 3] = ["No. 7", "Heron", "Copper"];

/// How the platform's numbers answer.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum Trouble {
    /// As they should.
    #[default]
    None,
    /// With 503.
    Down,
    /// For ever.
    Endless,
    /// With something that is no JSON.
    Nonsense,
}

/// What can be seen of the world.
#[derive(Debug, Clone)]
pub struct Seen {
    /// Viewers now.
    pub viewers: i64,
    /// Followers in all.
    pub followers: i64,
    /// How the numbers answer.
    pub trouble: Trouble,
    /// Deliveries of each engine since the game was last reset.
    pub deliveries: BTreeMap<&'static str, i64>,
    /// Chat lines a minute that chatters say by themselves.
    pub chatter: u32,
    /// Lines of chat said so far.
    pub said: u64,
    /// The script that plays: its title, what was played, and of how much.
    pub playing: Option<(String, usize, usize)>,
    /// The platform's own poll, if it has held one.
    pub poll: Option<Poll>,
}

/// See the module.
pub struct World {
    seen: Mutex<Seen>,
    random: Mutex<StdRng>,
    turns: AtomicU64,
    chat: broadcast::Sender<Said>,
}

fn lock<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    // What is inside is whole at every step.
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

impl World {
    /// A world from a seed.
    #[must_use]
    pub fn new(seed: u64) -> Self {
        let seen = Seen {
            viewers: 212,
            followers: 4_218,
            trouble: Trouble::None,
            deliveries: ENGINES.into_iter().map(|engine| (engine, 0)).collect(),
            chatter: 12,
            said: 0,
            playing: None,
            poll: None,
        };
        Self {
            seen: Mutex::new(seen),
            random: Mutex::new(StdRng::seed_from_u64(seed)),
            turns: AtomicU64::new(0),
            chat: broadcast::Sender::new(CHAT),
        }
    }

    /// What can be seen now.
    pub fn seen(&self) -> Seen {
        lock(&self.seen).clone()
    }

    /// Changes something.
    pub fn change(&self, change: impl FnOnce(&mut Seen)) {
        change(&mut lock(&self.seen));
    }

    /// Says a line in chat.
    pub fn say(&self, said: Said) {
        self.change(|seen| seen.said += 1);
        // Nobody reading along is no fault.
        let _ = self.chat.send(said);
    }

    /// What is said from now on.
    pub fn listen(&self) -> broadcast::Receiver<Said> {
        self.chat.subscribe()
    }

    /// Somebody says something.
    pub fn chatter(&self) {
        let (name, text) = {
            let mut random = lock(&self.random);
            (people::name(&mut *random), people::saying(&mut *random, false))
        };
        self.say(Said::now(name, text));
    }

    /// Viewers come and go.
    pub fn drift(&self) {
        let step = lock(&self.random).random_range(-6..=6);
        self.change(|seen| seen.viewers = (seen.viewers + step).clamp(3, 5_000));
    }

    /// An event was sent: some change the platform's numbers.
    pub fn noticed(&self, kind: &str) {
        match kind {
            "follow" => self.change(|seen| seen.followers += 1),
            "raid" => self.change(|seen| seen.viewers += 90),
            _ => {}
        }
    }

    /// Begins to play something else, and gives the number by which that is known.
    pub fn next_turn(&self, title: Option<&str>) -> u64 {
        self.change(|seen| seen.playing = title.map(|title| (title.to_owned(), 0, 0)));
        self.turns.fetch_add(1, Ordering::SeqCst) + 1
    }

    /// What is being played.
    pub fn turn(&self) -> u64 {
        self.turns.load(Ordering::SeqCst)
    }

    /// How far a script has come.
    pub fn progress(&self, done: usize, total: usize) {
        self.change(|seen| {
            if let Some((_, at, of)) = &mut seen.playing {
                (*at, *of) = (done, total);
            }
        });
    }

    /// A script has come to its end.
    pub fn finished(&self, turn: u64) {
        if self.turn() == turn {
            self.change(|seen| seen.playing = None);
        }
    }
}
