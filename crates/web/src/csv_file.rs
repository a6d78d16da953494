//! Tables to take along, as CSV (RFC 4180).

use crate::error::WebError;
use tally_core::time::Instant;

/// A table that is being written.
pub struct CsvFile {
    rows: csv::Writer<Vec<u8>>,
}

impl Default for CsvFile {
    fn default() -> Self {
        Self { rows: csv::WriterBuilder::new().terminator(csv::Terminator::CRLF).from_writer(Vec::new()) }
    }
}

impl CsvFile {
    /// Adds a row.
    ///
    /// # Errors
    /// It has another number of cells than the first one.
    pub fn row(&mut self, cells: impl IntoIterator<Item = String>) -> Result<(), WebError> {
        self.rows.write_record(cells.into_iter().map(safe)).map_err(|error| WebError::Inside(error.to_string()))
    }

    /// What has been written.
    ///
    /// # Errors
    /// It could not be written to the end.
    pub fn bytes(self) -> Result<Vec<u8>, WebError> {
        self.rows.into_inner().map_err(|error| WebError::Inside(error.to_string()))
    }
}

/// A cell that begins like a formula must not become one in somebody's spreadsheet.
fn safe(cell: String) -> String {
    let risky =
        cell.starts_with(['=', '@', '\t', '\r']) || (cell.starts_with(['+', '-']) && cell.parse::<f64>().is_err());
    if risky { format!("'{cell}") } else { cell }
}

/// An instant in a cell (RFC 3339).
pub fn time(at: Instant) -> String {
    at.to_rfc3339_opts(chrono::SecondsFormat::Secs, true)
}

/// Yes or no in a cell.
pub fn yes(is: bool) -> String {
    if is { "yes" } else { "no" }.to_owned()
}
