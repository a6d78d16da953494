//! Files: everything of the streamer's own that widgets and overlays show or sound, in one place.

use crate::app::App;
use crate::clips::{MOST_IN_ALL, Users};
use crate::error::WebError;
use crate::rooms::drawn::drawn;
use crate::rooms::frame::Frame;
use crate::security::session::Owner;
use actix_web::{HttpResponse, web};
use askama::Template;
use tally_core::look::Sort;
use tally_store::clips::Clip;

/// A file with what shows it.
struct Row {
    clip: Clip,
    size: String,
    users: Vec<String>,
}

impl Row {
    fn sort(&self) -> &'static str {
        match self.clip.sort {
            Sort::Picture => "Picture",
            Sort::Video => "Video",
            Sort::Sound => "Sound",
            Sort::Font => "Font",
            Sort::Page => "Page that draws",
        }
    }

    fn seconds(&self) -> Option<String> {
        (self.clip.milliseconds > 0).then(|| format!("{:.1} s", f64::from(self.clip.milliseconds) / 1_000.0))
    }
}

#[derive(Template)]
#[template(path = "rooms/files.html")]
struct Page {
    frame: Frame,
    files: Vec<Row>,
    /// How much of the room for files is taken, and how much there is.
    used: String,
    most: String,
    /// In hundredths.
    share: u64,
}

/// A number of bytes as it is read.
fn size(bytes: u64) -> String {
    let kilobytes = bytes.div_ceil(1_024);
    if kilobytes < 1_024 {
        return format!("{kilobytes} KB");
    }
    format!("{}.{} MB", kilobytes / 1_024, kilobytes % 1_024 * 10 / 1_024)
}

/// `GET /files`
pub async fn page(app: web::Data<App>, owner: Owner) -> Result<HttpResponse, WebError> {
    let clips = app.engine.store().clips(owner.channel.id).await?;
    let users = Users::of(&app, &owner).await?;
    let used: u64 = clips.iter().map(|clip| u64::from(clip.size)).sum();
    let row = |clip: Clip| Row { size: size(clip.size.into()), users: users.of_file(&clip.token), clip };
    let page = Page {
        frame: Frame::new(&app, &owner, "/files").await?,
        files: clips.into_iter().rev().map(row).collect(),
        used: size(used),
        most: size(MOST_IN_ALL),
        share: (used * 100).div_ceil(MOST_IN_ALL),
    };
    drawn(owner.whose(), page).await
}

#[cfg(test)]
mod tests {
    use super::size;

    #[test]
    fn sizes_are_read_in_the_unit_that_suits_them() {
        assert_eq!([0, 1, 2_048, 1_048_575].map(size), ["0 KB", "1 KB", "2 KB", "1.0 MB"]);
        assert_eq!([1_572_864, MOST].map(size), ["1.5 MB", "200.0 MB"]);
    }

    const MOST: u64 = super::MOST_IN_ALL;
}
