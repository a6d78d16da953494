//! The program's rooms in the test's own process, by a clock of the test's own.

use std::net::TcpListener;
use std::sync::Arc;
use std::sync::atomic::{AtomicI64, Ordering};
use tally_core::time::Instant;
use tally_engine::{Clock, Engine, SystemClock};
use tally_feeds::outside::Outside;
use tally_store::Store;
use tally_web::{App, Config, Drawer, Proxies};

/// A clock that is set back and forth.
#[derive(Default)]
pub struct Stepping(AtomicI64);

impl Stepping {
    /// From now on it is so many seconds ahead of the machine's.
    pub fn set(&self, seconds: i64) {
        self.0.store(seconds, Ordering::Relaxed);
    }
}

impl Clock for Stepping {
    fn now(&self) -> Instant {
        SystemClock.now() + chrono::TimeDelta::seconds(self.0.load(Ordering::Relaxed))
    }
}

/// The channels of a database that the real program has filled.
pub fn engine(database: &str, clock: Arc<dyn Clock>) -> Engine {
    Engine::new(Store::open(database, 4).unwrap(), Arc::new(Drawer), clock)
}

/// Serves them at an address such as `http://127.0.0.1:8420`.
pub fn serve(engine: Engine, base: &str) -> actix_web::dev::Server {
    let listener = TcpListener::bind(base.trim_start_matches("http://")).unwrap();
    let config = Config {
        base_url: base.to_owned(),
        base_url_stated: false,
        house_url: None,
        // Nothing is kept there: no widget of a test has a text file unless it says so.
        text_folder: std::env::temp_dir().join("tally-texts"),
        upload_folder: std::env::temp_dir().join(format!("tally-uploads-{}", std::process::id())),
        least_free: 0,
        feed_rate: 1_000,
        outside: Outside { allow_private: false },
        proxies: Proxies::default(),
    };
    tally_web::run(listener, App::new(engine, config, &[0; 64])).unwrap()
}
