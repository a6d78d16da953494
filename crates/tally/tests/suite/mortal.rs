//! A whole program whose channels' tasks end when they are told to, in a process of its own. The hostile
//! corner starts it; the program that is shipped has no such door.

use crate::kit::hostile::{AT, DATABASE, FATE};
use std::net::TcpListener;
use std::path::PathBuf;
use std::sync::Arc;
use tally_core::Instant;
use tally_engine::{Clock, Engine, SystemClock};
use tally_feeds::outside::Outside;
use tally_store::Store;
use tally_web::{App, Config, Drawer, Proxies};

/// Ends whichever task of an engine asks for the time while a file is there; each file ends one.
struct Fate(PathBuf);

impl Clock for Fate {
    fn now(&self) -> Instant {
        // The web's handlers ask too; they run on threads that are called otherwise.
        let in_engine = std::thread::current().name().is_some_and(|name| name.starts_with("tokio"));
        assert!(!in_engine || std::fs::remove_file(&self.0).is_err(), "a fault that nobody has found yet");
        SystemClock.now()
    }
}

#[tokio::test(flavor = "multi_thread")]
#[ignore = "the hostile corner runs it as a program"]
async fn run() {
    let told = |name: &str| std::env::var(name).unwrap();
    let store = Store::open(&told(DATABASE), 4).unwrap();
    let engine = Engine::new(store, Arc::new(Drawer), Arc::new(Fate(told(FATE).into())));
    let listener = TcpListener::bind(told(AT)).unwrap();
    let config = Config {
        base_url: format!("http://{}", told(AT)),
        feed_rate: 1_000,
        outside: Outside { allow_private: false },
        proxies: Proxies::default(),
    };
    tally_web::run(listener, App::new(engine, config, &[0; 64])).unwrap().await.unwrap();
}
