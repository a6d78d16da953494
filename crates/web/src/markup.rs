//! Templates as text.

use askama::Template;

/// A template as text. Ours write to memory only, so a failure is a fault of the template, which
/// shows as an empty place and a line in the log rather than as a broken page.
pub fn html(template: &impl Template) -> String {
    template.render().unwrap_or_else(|error| {
        tracing::error!(%error, "a template failed");
        String::new()
    })
}
