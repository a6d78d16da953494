//! Templates as text, and files to take along.

use actix_web::http::header::{ContentDisposition, DispositionParam, DispositionType};
use askama::Template;

/// A template as text. Ours write to memory only, so a failure is a fault of the template, which
/// shows as an empty place and a line in the log rather than as a broken page.
pub fn html(template: &impl Template) -> String {
    template.render().unwrap_or_else(|error| {
        tracing::error!(%error, "a template failed");
        String::new()
    })
}

/// Bytes as hexadecimal digits.
pub fn hex(bytes: &[u8]) -> String {
    bytes.iter().map(|byte| format!("{byte:02x}")).collect()
}

/// Lets a browser keep an answer as a file of that name.
pub fn attachment(name: impl Into<String>) -> ContentDisposition {
    ContentDisposition {
        disposition: DispositionType::Attachment,
        parameters: vec![DispositionParam::Filename(name.into())],
    }
}
