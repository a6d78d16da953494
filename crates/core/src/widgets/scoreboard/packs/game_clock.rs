//! The clock of a match: it runs down to the end of a period, or up from its beginning.

use crate::record::refusal::Refusal;
use crate::time::face::Direction;
use crate::widgets::Lever;
use crate::widgets::scoreboard::standing::Dial;
use serde::{Deserialize, Serialize};

/// The last minute, in which some sports show tenths.
pub const LAST_MINUTE: i64 = 60_000;

/// A clock.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct GameClock {
    /// What it shows: milliseconds left, or gone by.
    pub ms: i64,
    /// Whether it runs.
    pub running: bool,
}

impl GameClock {
    /// Runs down; gives for how long it did.
    pub fn down(&mut self, ms: i64) -> i64 {
        if !self.running {
            return 0;
        }
        let ran = ms.clamp(0, self.ms.max(0));
        self.ms = self.ms.saturating_sub(ran);
        self.running = self.ms > 0;
        ran
    }

    /// Runs up.
    pub fn up(&mut self, ms: i64) {
        if self.running {
            self.ms = self.ms.saturating_add(ms.max(0));
        }
    }

    /// Sets it going.
    ///
    /// # Errors
    /// It runs already.
    pub fn start(&mut self) -> Result<(), Refusal> {
        if self.running {
            return Err(Refusal::NotNow("the clock runs already"));
        }
        self.running = true;
        Ok(())
    }

    /// The same for one that runs down.
    ///
    /// # Errors
    /// It runs already, or has run down.
    pub fn start_down(&mut self) -> Result<(), Refusal> {
        if self.ms <= 0 {
            return Err(Refusal::NotNow("the period has run down; end it, or put the clock right"));
        }
        self.start()
    }

    /// Stands it still.
    ///
    /// # Errors
    /// It stands already.
    pub fn stop(&mut self) -> Result<(), Refusal> {
        if !self.running {
            return Err(Refusal::NotNow("the clock stands already"));
        }
        self.running = false;
        Ok(())
    }

    /// Puts it right.
    ///
    /// # Errors
    /// Below zero, or above what a period has.
    pub fn put(&mut self, ms: i64, most: i64) -> Result<(), Refusal> {
        if ms < 0 {
            return Err(Refusal::NotNow("a clock cannot show less than 0:00"));
        }
        if ms > most {
            return Err(Refusal::NotNow("a period is not that long; see its length in the rules"));
        }
        self.ms = ms;
        Ok(())
    }

    /// How it is shown.
    #[must_use]
    pub fn dial(&self, direction: Direction, tenths_under: i64) -> Dial {
        Dial { ms: self.ms, direction, running: self.running, tenths_under }
    }

    /// What can be done to it.
    #[must_use]
    pub fn levers(&self) -> Vec<Lever> {
        let run = if self.running { ("clock_stop", "Stop the clock") } else { ("clock_start", "Run the clock") };
        vec![
            Lever::new(run.0, run.1, true).main(),
            Lever::new("clock_set", "Put the clock right", true).typed("9:41").rare(),
        ]
    }
}
