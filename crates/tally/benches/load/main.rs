//! The load bench: how fast, beside bare baselines run in the same minutes on the same machine.
//!
//! Nothing is asserted here, since machines are noisy. It prints a table and, run whole, writes
//! `docs/bench.md`. `./bench ingest`, `./bench dense`, `./bench dom`, `./bench pages`, `./bench overlays`, `./bench clocks`, `./bench audience`, `./bench boards`,
//! `./bench passes`, `./bench fold`, `./bench luck`, `./bench cues`, `./bench record`, `./bench wiring` and `./bench show` run one part each; `./bench
//! soak`, `./bench dense-soak`, `./bench ten-million` and `./bench smoke` run only when they are named.

#![allow(clippy::unwrap_used, clippy::expect_used, missing_docs)]

#[path = "../../tests/suite/kit/mod.rs"]
mod kit;

mod audience;
mod bare;
mod boards;
mod clocks;
mod compare;
mod cues;
mod dense;
mod dom;
mod fold;
mod ingest;
mod luck;
mod overlays;
mod pages;
mod passes;
mod record;
mod report;
mod show;
mod smoke;
mod soak;
mod wiring;

use report::Report;

fn main() {
    let arguments: Vec<String> = std::env::args().skip(1).filter(|one| one != "--bench").collect();
    if arguments.first().is_some_and(|one| one == bare::ARGUMENT) {
        return bare::serve();
    }
    if let [compare, program, parts @ ..] = arguments.as_slice()
        && compare == "compare"
    {
        return compare::by_turns(program.as_ref(), parts);
    }
    let wanted = |part: &str| arguments.is_empty() || arguments.iter().any(|one| one == part);
    let runtime = tokio::runtime::Builder::new_multi_thread().worker_threads(2).enable_all().build().unwrap();
    runtime.block_on(async {
        let mut report = Report::default();
        if wanted("ingest") {
            ingest::measure(&mut report).await;
        }
        if wanted("dense") {
            dense::measure(&mut report).await;
        }
        if wanted("dom") {
            dom::measure(&mut report).await;
        }
        if wanted("pages") {
            pages::measure(&mut report).await;
        }
        if wanted("overlays") {
            overlays::measure(&mut report).await;
        }
        if wanted("clocks") {
            clocks::measure(&mut report).await;
        }
        if wanted("audience") {
            audience::measure(&mut report).await;
        }
        if wanted("boards") {
            boards::measure(&mut report).await;
        }
        if wanted("passes") {
            passes::measure(&mut report).await;
        }
        if wanted("fold") {
            fold::measure(&mut report);
        }
        if wanted("luck") {
            luck::measure(&mut report);
            dense::edits(&mut report).await;
        }
        if wanted("cues") {
            cues::measure(&mut report).await;
        }
        if wanted("record") {
            record::measure(&mut report).await;
        }
        if wanted("wiring") {
            wiring::measure(&mut report).await;
        }
        if wanted("show") {
            show::measure(&mut report).await;
        }
        // These take long, or count and do not measure: they run when they are named.
        if arguments.iter().any(|one| one == "soak") {
            soak::measure(&mut report).await;
        }
        if arguments.iter().any(|one| one == "ten-million") {
            fold::ten_million(&mut report);
            record::ten_million(&mut report).await;
        }
        if arguments.iter().any(|one| one == "dense-soak") {
            dense::soak(&mut report).await;
        }
        if arguments.iter().any(|one| one == "smoke") {
            smoke::measure(&mut report).await;
        }
        report.print();
        if arguments.is_empty() {
            report.write();
        }
    });
}
