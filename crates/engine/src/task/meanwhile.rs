//! While the database is waited for, the channel goes on: it draws, answers whoever looks, and hears chat.
//! Only what changes the record has to wait.

use super::Task;
use crate::orders::Order;
use std::future::Future;
use std::pin::pin;

/// So many orders may wait for the database before whoever gives them has to.
const DEFERRED: usize = 4_096;

impl Task {
    /// Waits for something that the database does.
    pub(super) async fn meanwhile<T>(&mut self, work: impl Future<Output = T>) -> T {
        let mut work = pin!(work);
        let mut open = true;
        loop {
            let wake = self.wake_at();
            tokio::select! {
                biased;
                done = &mut work => return done,
                order = self.waiting.recv(), if open && self.deferred.len() < DEFERRED => match order {
                    Some(order) if order.only_looks() => self.look(order),
                    Some(order) => self.deferred.push_back(order),
                    None => open = false,
                },
                () = tokio::time::sleep_until(wake) => {}
            }
            self.ring_alarms();
            self.publish_changed();
        }
    }

    /// Does what changes nothing in the record.
    pub(super) fn look(&mut self, order: Order) {
        match order {
            Order::Report { feed, report } => {
                self.hearing.report(feed, report, self.context.clock.now());
                self.pulse_soon();
            }
            Order::Chat { feed, lines, place } => {
                self.hear_chat(feed, lines);
                drop(place);
            }
            Order::Feeds(feeds) => {
                self.channel.set_feeds(super::names(&feeds));
                self.feeds = feeds;
                self.pulse_soon();
            }
            Order::Pages => self.pulse_soon(),
            Order::Ask(question) => {
                let now = self.context.clock.now();
                self.channel.turn(now);
                question(&self.channel, &self.hearing, now);
            }
            // Everything else is no looking.
            _ => {}
        }
    }
}
