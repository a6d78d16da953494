//! Files of one's own: taken in and made clean, shown where they are used, replaced in their place, and hostile ones
//! refused.

use crate::kit::db::Database;
use crate::kit::owner::Owner;
use crate::kit::program::Program;
use reqwest::Response;
use serde_json::json;

const PICTURE: &[u8] = include_bytes!("files/face.png");

/// The addresses of the files, the newest first.
async fn files(owner: &Owner) -> Vec<String> {
    let page = owner.page("/files").await;
    page.split("href=\"/clips/").skip(1).map(|rest| rest.split('"').next().unwrap().to_owned()).collect()
}

async fn upload(owner: &Owner, path: &str, name: &str, bytes: impl Into<Vec<u8>>) -> Response {
    owner.send(&format!("{path}?name={name}"), "application/octet-stream", bytes.into()).await
}

/// A picture whose head says that it is larger than it is.
fn boasting() -> Vec<u8> {
    let mut bytes = PICTURE.to_vec();
    bytes[16..24].copy_from_slice(&[0, 1, 0x86, 0xA0, 0, 1, 0x86, 0xA0]);
    bytes
}

#[tokio::test(flavor = "multi_thread")]
async fn files_are_taken_in_shown_replaced_and_kept_while_something_shows_them() {
    let database = Database::new();
    let program = Program::with(&database.url, &["--demo", "--demo-days", "0"]);
    let owner = Owner::of(&program).await;
    let get = async |token: &str| reqwest::get(format!("{}/clips/{token}", program.base)).await.unwrap();

    for (name, bytes, why) in [
        ("a.png", boasting(), "no picture that can be read"),
        ("a.gif", b"GIF89a and nothing behind it".to_vec(), "no picture that can be read"),
        ("a.webp", b"RIFF\x10\0\0\0WEBPVP8 ".to_vec(), "no picture that can be read"),
        ("a.svg", b"<svg xmlns='http://www.w3.org/2000/svg'><g>".to_vec(), "no SVG drawing that can be read"),
        ("a.svg", "<svg>".repeat(9_000).into_bytes(), "no SVG drawing that can be read"),
        ("a.ttf", b"\0\x01\0\0 no font".to_vec(), "no font that can be read"),
        ("a.woff2", b"wOF2 and nothing behind it".to_vec(), "no font that can be read"),
        ("a.html", b"<!doctype html>\xff\xfe".to_vec(), "no page"),
        ("a.html", "<p>".repeat(100_000).into_bytes(), "more than 256 KB"),
        ("huge.png", [PICTURE, &vec![0; 9 << 20]].concat(), "larger than 8 MB"),
    ] {
        let refused = upload(&owner, "/files", name, bytes).await;
        assert_eq!(refused.status(), 422, "{name}");
        let told = refused.text().await.unwrap();
        assert!(told.contains(why), "{name}: {told}");
    }
    assert!(files(&owner).await.is_empty(), "nothing of that is kept");

    // A drawing loses what runs and what loads, and stands in no origin.
    let drawing = "<svg xmlns='http://www.w3.org/2000/svg' viewBox='0 0 9 9' onload='alert(1)'><script>alert(2)</script>\
        <image href='https://a.example/x.png'/><path d='M1 1h7v7z'/></svg>";
    assert!(upload(&owner, "/files", "mark.svg", drawing).await.status().is_success());
    let token = files(&owner).await.remove(0);
    let served = get(&token).await;
    assert_eq!(served.headers()["content-type"], "image/svg+xml");
    assert!(served.headers()["content-security-policy"].to_str().unwrap().contains("sandbox"));
    let text = served.text().await.unwrap();
    assert!(text.contains("M1 1h7v7z") && !text.contains("alert") && !text.contains("a.example"), "{text}");

    // A picture stays as large as it is, made anew; whoever keeps it asks whether it is still the same.
    assert!(upload(&owner, "/files", "face.png", PICTURE).await.status().is_success());
    let face = files(&owner).await.remove(0);
    let first = get(&face).await;
    let mark = first.headers()["etag"].to_str().unwrap().to_owned();
    let bytes = first.bytes().await.unwrap();
    assert_ne!(bytes, PICTURE);
    assert_eq!(bytes[16..24], PICTURE[16..24], "its width and height");
    let asked = reqwest::Client::new().get(format!("{}/clips/{face}", program.base)).header("if-none-match", &mark);
    assert_eq!(asked.send().await.unwrap().status(), 304);

    // On an overlay it is used, and cannot be removed; another picture can take its place, a sound cannot.
    let frame = json!({"x": 10, "y": 10, "width": 200, "height": 200});
    let add = json!({"step": 1, "edit": {"add": {"what": {"picture": face}, "frame": frame}}});
    let step = owner.send("/overlays/1/edit", "application/json", add.to_string()).await;
    assert_eq!(step.status(), 200);
    assert!(owner.page("/files").await.contains("Used by “Main picture”"));
    assert!(owner.refused(&format!("/clips/{face}/remove"), &[]).await.contains("“Main picture” shows it"));
    let replace = format!("/files/{face}/replace");
    let refused = upload(&owner, &replace, "a.wav", b"RIFF\x24\0\0\0WAVEfmt ".to_vec()).await;
    assert_eq!(refused.status(), 422);
    assert!(upload(&owner, &replace, "mark.svg", drawing).await.status().is_success());
    let now = get(&face).await;
    assert_eq!(now.headers()["content-type"], "image/svg+xml", "at the same address");
    assert_ne!(now.headers()["etag"], mark);
    assert_eq!(files(&owner).await.len(), 2);

    // Undone, nothing shows it any more.
    owner.send("/overlays/1/turn", "application/json", json!({"step": 2, "back": true}).to_string()).await;
    owner.done(&format!("/clips/{face}/remove"), &[]).await;
    assert_eq!(get(&face).await.status(), 404);
    assert_eq!(upload(&owner, &replace, "a.png", PICTURE).await.status(), 404);
}
