//! The seeds of wheels: made here, kept in the database before their commitment is written into the ledger, and
//! forgotten once the spin stands there.

use super::Task;
use super::said::LATER;
use crate::error::EngineError;
use std::collections::BTreeMap;
use tally_core::channel::Channel;
use tally_core::record::acts::wheel::Bytes32;
use tally_core::record::acts::{Act, WheelAct};
use tally_core::record::entry::Body;
use tally_core::record::ids::{Seq, WidgetId};
use tally_core::time::{Instant, after};
use tally_core::widgets::Piece;
use tally_core::widgets::wheel::commitment;

/// See the module.
#[derive(Default)]
pub(super) struct Seeds {
    /// By commitment: of which wheel, and the seed.
    kept: BTreeMap<Bytes32, (WidgetId, Bytes32)>,
    /// Before when nothing is tried, after a failure.
    from: Option<Instant>,
}

impl Seeds {
    /// As the channel knows them.
    fn by_commitment(&self) -> BTreeMap<Bytes32, Bytes32> {
        self.kept.iter().map(|(commitment, (_, seed))| (*commitment, *seed)).collect()
    }
}

fn sealed(widget: WidgetId, commitment: Bytes32) -> Body {
    Body::Act { widget, by: "the wheel".into(), act: Act::Wheel(WheelAct::Commit { commitment }) }
}

/// The wheels for whose next spin no seed is at hand.
fn unsealed(channel: &Channel, seeds: &BTreeMap<Bytes32, Bytes32>) -> Vec<WidgetId> {
    let wants = |(id, piece): (WidgetId, &Piece)| match piece.promise()? {
        Some(promised) if seeds.contains_key(&promised) => None,
        _ => Some(id),
    };
    channel.widgets().filter_map(wants).collect()
}

/// Seals the wheels of a rehearsal, whose seeds nobody has to keep.
pub(super) fn seal_for_rehearsal(channel: &mut Channel, mut apply: impl FnMut(&mut Channel, Body)) {
    let mut seeds = BTreeMap::new();
    for widget in unsealed(channel, &seeds) {
        let seed = Bytes32(rand::random());
        seeds.insert(commitment(seed), seed);
        apply(channel, sealed(widget, commitment(seed)));
    }
    channel.set_seeds(seeds);
}

impl Task {
    /// Takes up the seeds that were kept when the program ended.
    pub(super) async fn load_seeds(&mut self) -> Result<(), EngineError> {
        let (keep, id) = (self.context.keep.clone(), self.id);
        let kept = self.meanwhile(async move { keep.seeds(id).await }).await?;
        self.seeds.kept = kept.into_iter().map(|(widget, promised, seed)| (promised, (widget, seed))).collect();
        self.channel.set_seeds(self.seeds.by_commitment());
        Ok(())
    }

    /// Sees to it that every wheel has a sealed seed for its next spin, and that no other is kept.
    pub(super) async fn keep_promises(&mut self) {
        let now = self.context.clock.now();
        if self.seeds.from.is_some_and(|from| now < from) {
            return;
        }
        self.seeds.from = None;
        if let Err(error) = self.try_keep_promises().await {
            tracing::warn!(%error, channel = %self.id, "the next spin of a wheel could not be sealed yet");
            self.seeds.from = Some(after(now, LATER));
        }
    }

    async fn try_keep_promises(&mut self) -> Result<(), EngineError> {
        let promised: Vec<(WidgetId, Option<Bytes32>)> =
            self.channel.widgets().filter_map(|(id, piece)| Some((id, piece.promise()?))).collect();
        if promised.is_empty() && self.seeds.kept.is_empty() {
            return Ok(());
        }
        let stands = |kept: &Bytes32| promised.iter().any(|(_, promise)| *promise == Some(*kept));
        let out: Vec<Bytes32> = self.seeds.kept.keys().filter(|kept| !stands(kept)).copied().collect();
        for kept in out {
            let spun: Option<Seq> = self.channel.widgets().find_map(|(_, piece)| match piece {
                Piece::Wheel(folded) => folded.state.spun(kept),
                _ => None,
            });
            let keep = self.context.keep.clone();
            self.meanwhile(async move { keep.seed_is_out(kept, spun).await }).await?;
            self.seeds.kept.remove(&kept);
        }
        for widget in unsealed(&self.channel, &self.seeds.by_commitment()) {
            let (keep, seed) = (self.context.keep.clone(), Bytes32(rand::random()));
            let promise = commitment(seed);
            self.meanwhile(async move { keep.keep_seed(widget, promise, seed).await }).await?;
            self.seeds.kept.insert(promise, (widget, seed));
            self.channel.set_seeds(self.seeds.by_commitment());
            self.write_by_itself(self.context.clock.now(), sealed(widget, promise)).await?;
        }
        Ok(())
    }

    /// When that is tried again.
    pub(super) fn seeds_next(&self) -> Option<Instant> {
        self.seeds.from
    }
}
