//! The markup of every room, by a conformance checker. It runs on Node, so `./check` says in
//! `TALLY_MARKUP_CHECKER` where it is, and says so where there is none.

use crate::kit::db::Database;
use crate::kit::owner::Owner;
use crate::kit::program::Program;
use std::path::Path;
use std::process::Command;
use tempfile::TempDir;

#[tokio::test(flavor = "multi_thread")]
async fn every_room_is_conforming_markup() {
    let Ok(checker) = std::env::var("TALLY_MARKUP_CHECKER") else { return };
    let database = Database::new();
    let program = Program::start(&database.url);
    let mut owner = Owner::of(&program).await;
    let folder = TempDir::with_prefix("tally-").unwrap();
    let keep = |name: &str, page: String| {
        std::fs::write(folder.path().join(format!("{}.html", name.replace('/', "_"))), page).unwrap();
    };
    owner.done("/feeds", &[("kind", "any_webhook"), ("name", "Odd tips")]).await;
    owner.done("/feeds/3/rules/edit", &[("part", "new")]).await;
    let rooms = "/desk /rehearsals /widgets /widgets/1/looks /feeds /feeds/3/rules /ledger /channel /shows /account \
        /polls /matches /helpers /overlays /overlays/1 /files /cues /chat /looks /looks/1?on=2 /widgets/23/score /pass";
    let (link, _) = owner.pass("Bram", &[("desk", "yes"), ("devices", "1")]).await;
    keep("door", owner.page(&format!("/p/{link}")).await);
    let opened = owner.post(&format!("/p/{link}"), &[]).await;
    owner.keep_cookie(&opened);
    let benches = (1..=11).map(|id| format!("/widgets/{id}"));
    for room in rooms.split(' ').map(str::to_owned).chain(benches) {
        keep(&room, owner.page(&room).await);
    }
    let client = reqwest::Client::new();
    let page = async |url: String| client.get(url).send().await.unwrap().text().await.unwrap();
    keep("sign-in", page(format!("{}/sign-in", program.base)).await);
    keep("join", page(format!("{}/join", program.base)).await);
    keep("nowhere", page(format!("{}/nowhere", program.base)).await);
    keep("air", page(program.widget("Turntable motor")["page_url"].as_str().unwrap().to_owned()).await);
    let database = Database::new();
    let empty = Program::with(&database.url, &[]);
    keep("first-visit", page(empty.first_visit.clone().unwrap()).await);
    let settings = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../tools/browser/check/htmlvalidate.json");
    let checked = Command::new(checker).arg("--config").arg(settings).arg(folder.path()).output().unwrap();
    assert!(checked.status.success(), "{}", String::from_utf8_lossy(&checked.stdout));
}
