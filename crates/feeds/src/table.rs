//! History from a file: CSV (RFC 4180) whose columns are matched to what we keep, or NDJSON of
//! CloudEvents. Every line is read or refused on its own, with its number and the reason.

use crate::cloudevents::{self, Mode};
use crate::words::{self, Words};
use chrono::{DateTime, NaiveDateTime, SubsecRound, TimeDelta, Utc};
use csv::{ByteRecord, ReaderBuilder, StringRecord, Trim};
use sha2::{Digest, Sha256};
use std::collections::{BTreeMap, HashMap};
use tally_core::record::entry::{Incoming, Origin};
use tally_core::record::happening::Kind;
use tally_core::time::Instant;
use tally_core::time::calendar::Calendar;

/// Most bytes of a file.
pub const MOST_BYTES: usize = 96 * 1024 * 1024;
/// Most columns of a table.
pub const MOST_COLUMNS: usize = 200;
/// Most lines of a file.
pub const MOST_LINES: u64 = 1_000_000;
/// How many rows are shown before the columns are matched.
const SAMPLE: usize = 4;
/// Most bytes of a cell or a line.
const MOST_CELL: usize = 64 * 1024;

/// What a column can be.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Field {
    /// When it happened.
    Time,
    /// Which kind it is.
    Kind,
    /// What identifies the line in the other program.
    Key,
    /// Who.
    Name,
    /// The platform's identifier for them.
    Id,
    /// A decimal amount.
    Amount,
    /// A code of ISO 4217.
    Currency,
    /// 1 to 3.
    Tier,
    /// Months of a subscription.
    Months,
    /// Points, viewers, gifts, things.
    Number,
    /// Reward, thing, level, signal.
    What,
    /// What was said with it.
    Message,
    /// Who paid for a subscription.
    GivenBy,
}

impl Field {
    /// All of them with their key, their words, and by which headings they are guessed.
    pub const ALL: [(Self, &'static str, &'static str, &'static [&'static str]); 13] = [
        (
            Self::Time,
            "time",
            "when it happened",
            &["time", "date", "datetime", "timestamp", "happened", "when", "created"],
        ),
        (Self::Kind, "kind", "which kind it is", &["kind", "type", "event"]),
        (
            Self::Key,
            "key",
            "what identifies the line",
            &["source_id", "transaction", "reference", "uid", "uuid", "key"],
        ),
        (
            Self::Name,
            "name",
            "who did it",
            &["name", "user", "username", "supporter", "from", "who", "donor", "displayname"],
        ),
        (Self::Id, "id", "their identifier", &["id", "userid", "accountid"]),
        (Self::Amount, "amount", "the amount", &["amount", "value", "sum", "total", "gross"]),
        (Self::Currency, "currency", "the currency", &["currency", "curr"]),
        (Self::Tier, "tier", "the tier", &["tier", "level", "plan"]),
        (Self::Months, "months", "for how many months", &["months", "month", "streak"]),
        (Self::Number, "number", "how many", &["number", "count", "points", "viewers", "quantity", "qty"]),
        (Self::What, "what", "what it is about", &["what", "item", "reward", "product"]),
        (Self::Message, "message", "what they said", &["message", "comment", "note", "text"]),
        (Self::GivenBy, "given_by", "who paid for it", &["givenby", "giver", "giftedby"]),
    ];

    /// The field of a key.
    #[must_use]
    pub fn of_key(key: &str) -> Option<Self> {
        Self::ALL.iter().find(|(_, own, ..)| *own == key).map(|(field, ..)| *field)
    }
}

/// What a table looks like before its columns are matched.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Look {
    /// The headings.
    pub headings: Vec<String>,
    /// The first rows.
    pub sample: Vec<Vec<String>>,
    delimiter: u8,
}

/// Which column is what.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Matching {
    /// The place of the column of each field.
    pub columns: BTreeMap<Field, usize>,
    /// Of which kind all lines are, where no column says it.
    pub kind: Option<Kind>,
    /// The currency of all amounts, where no column says it.
    pub currency: String,
}

/// A whole file that cannot be taken; the text says what to change.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{0}")]
pub struct FileError(String);

/// A line and what it says, or why it was refused.
pub type Row = (u64, Result<Incoming, String>);

/// The text of a file without the mark with which some programs begin theirs.
///
/// # Errors
/// Too large, or another encoding than UTF-8.
pub fn text(bytes: &[u8]) -> Result<&str, FileError> {
    if bytes.len() > MOST_BYTES {
        return Err(FileError(format!("The file is larger than {} MB; split it.", MOST_BYTES / 1024 / 1024)));
    }
    let text = std::str::from_utf8(bytes).map_err(|error| {
        let before = bytes.get(..error.valid_up_to()).unwrap_or_default();
        let line = before.iter().filter(|byte| **byte == b'\n').count() + 1;
        FileError(format!("Line {line} is not UTF-8. Save the file again as “CSV UTF-8”."))
    })?;
    Ok(text.trim_start_matches('\u{feff}'))
}

/// Whether a text is NDJSON rather than a table.
#[must_use]
pub fn is_ndjson(text: &str) -> bool {
    text.trim_start().starts_with('{')
}

/// Looks at the head of a table.
///
/// # Errors
/// No headings, or too many columns.
pub fn look(text: &str) -> Result<Look, FileError> {
    let head = text.lines().next().unwrap_or_default();
    if head.len() > MOST_CELL {
        return Err(FileError(format!(
            "The first line is longer than {MOST_CELL} bytes; is this a table with headings?"
        )));
    }
    // Whichever divides the headings into the most.
    let delimiter =
        [b',', b';', b'\t'].into_iter().max_by_key(|delimiter| head.bytes().filter(|b| b == delimiter).count());
    let delimiter = delimiter.unwrap_or(b',');
    let mut reader = reader(text, delimiter);
    let headings: Vec<String> =
        reader.headers().map_err(|error| FileError(unreadable(&error)))?.iter().map(str::to_owned).collect();
    if headings.iter().all(|heading| heading.trim().is_empty()) {
        return Err(FileError("The first line must hold the headings of the columns; this one is empty.".into()));
    }
    if headings.len() > MOST_COLUMNS {
        return Err(FileError(format!("The table has {} columns; at most {MOST_COLUMNS} are taken.", headings.len())));
    }
    let short = |record: StringRecord| record.iter().map(|cell| cell.chars().take(60).collect()).collect();
    let sample = reader.records().take(SAMPLE).filter_map(Result::ok).map(short).collect();
    Ok(Look { headings, sample, delimiter })
}

fn reader(text: &str, delimiter: u8) -> csv::Reader<&[u8]> {
    ReaderBuilder::new().delimiter(delimiter).flexible(true).trim(Trim::All).from_reader(text.as_bytes())
}

fn unreadable(error: &csv::Error) -> String {
    format!("it cannot be read as CSV ({error})")
}

/// Which column is probably what, by the headings.
#[must_use]
pub fn guess(look: &Look) -> Matching {
    let plain = |text: &str| text.to_lowercase().chars().filter(|c| c.is_alphanumeric()).collect::<String>();
    let headings: Vec<String> = look.headings.iter().map(|heading| plain(heading)).collect();
    let mut columns = BTreeMap::new();
    for (field, _, _, names) in Field::ALL {
        let place = names.iter().find_map(|name| headings.iter().position(|heading| *heading == plain(name)));
        if let Some(place) = place.filter(|place| !columns.values().any(|taken| taken == place)) {
            columns.insert(field, place);
        }
    }
    Matching { columns, kind: None, currency: String::new() }
}

/// Reads a table line by line.
pub fn read<'a>(
    text: &'a str,
    look: &'a Look,
    matching: &'a Matching,
    calendar: &'a Calendar,
    now: Instant,
) -> impl Iterator<Item = Row> + 'a {
    let mut seen: HashMap<[u8; 16], u32> = HashMap::new();
    let mut records = reader(text, look.delimiter).into_byte_records();
    std::iter::from_fn(move || {
        let record = records.next()?;
        let line = record.as_ref().ok().and_then(ByteRecord::position).map_or(0, csv::Position::line);
        let read = record.map_err(|error| unreadable(&error)).and_then(|record| {
            let record = StringRecord::from_byte_record(record).map_err(|_| "it is not UTF-8".to_owned())?;
            one(&record, look, matching, calendar, now, &mut seen)
        });
        Some((line, read))
    })
    .take(usize::try_from(MOST_LINES).unwrap_or(usize::MAX))
}

fn one(
    record: &StringRecord,
    look: &Look,
    matching: &Matching,
    calendar: &Calendar,
    now: Instant,
    seen: &mut HashMap<[u8; 16], u32>,
) -> Result<Incoming, String> {
    if record.len() > look.headings.len() {
        return Err(format!("it has {} cells, but there are {} headings", record.len(), look.headings.len()));
    }
    if record.iter().any(|cell| cell.len() > MOST_CELL) {
        return Err(format!("a cell is longer than {MOST_CELL} bytes"));
    }
    let cell = |field: Field| matching.columns.get(&field).and_then(|place| record.get(*place)).unwrap_or_default();
    let kind = match matching.kind {
        Some(kind) => kind,
        None => {
            let said = cell(Field::Kind).trim().to_lowercase();
            let key = said.strip_prefix("tally.").unwrap_or(&said).to_owned();
            Kind::of_key(&key)
                .filter(|kind| Kind::SENT.contains(kind))
                .ok_or_else(|| format!("“{}” is no kind; use {}", short(&said), kinds()))?
        }
    };
    let currency = cell(Field::Currency);
    let words = Words {
        name: cell(Field::Name),
        id: cell(Field::Id),
        amount: cell(Field::Amount),
        currency: if currency.is_empty() { &matching.currency } else { currency },
        tier: cell(Field::Tier),
        months: cell(Field::Months),
        number: cell(Field::Number),
        what: cell(Field::What),
        message: cell(Field::Message),
        given_by: cell(Field::GivenBy),
    };
    let happened_at = time(cell(Field::Time), calendar, now)?;
    let happening = words::happening(kind, &words).map_err(|problem| problem.detail)?;
    let id = match cell(Field::Key) {
        "" => fingerprint(record, seen),
        key if key.chars().count() > 200 => return Err("what identifies it is longer than 200 characters".into()),
        key => key.to_owned(),
    };
    Ok(Incoming { origin: Origin { source: "import".into(), id }, happened_at: Some(happened_at), happening })
}

fn kinds() -> String {
    Kind::SENT.map(Kind::key).join(", ")
}

fn short(text: &str) -> String {
    text.chars().take(40).collect()
}

/// What stands for a line that nothing identifies: its cells, and which of several such it is. The
/// same file again gives the same, so that nothing is taken twice.
fn fingerprint(record: &StringRecord, seen: &mut HashMap<[u8; 16], u32>) -> String {
    let mut hash = Sha256::new();
    for cell in record {
        hash.update(cell.as_bytes());
        hash.update([0]);
    }
    let mut key = [0; 16];
    key.copy_from_slice(&hash.finalize()[..16]);
    let number = seen.entry(key).or_insert(0);
    *number += 1;
    key.iter().fold(format!("{number}-"), |id, byte| format!("{id}{byte:02x}"))
}

/// A time with its zone, or local time as the channel reckons it, or seconds of Unix time.
fn time(text: &str, calendar: &Calendar, now: Instant) -> Result<Instant, String> {
    let text = text.trim();
    let forms = ["%Y-%m-%d %H:%M:%S%.f", "%Y-%m-%dT%H:%M:%S%.f", "%Y-%m-%d %H:%M", "%Y-%m-%dT%H:%M"];
    let zoned = || DateTime::parse_from_rfc3339(text).ok().map(|at| at.with_timezone(&Utc));
    let local =
        || forms.iter().find_map(|form| NaiveDateTime::parse_from_str(text, form).ok()).map(|at| calendar.instant(at));
    let day = || text.parse::<chrono::NaiveDate>().ok().map(|day| calendar.instant(day.and_time(calendar.day_start)));
    let unix = || {
        let digits = (9..=11).contains(&text.len()) && text.bytes().all(|byte| byte.is_ascii_digit());
        DateTime::from_timestamp(text.parse().ok().filter(|_| digits)?, 0)
    };
    let at = zoned().or_else(local).or_else(day).or_else(unix).ok_or_else(|| {
        format!("“{}” is no time; write 2026-11-24 19:30 in your own time, or 2026-11-24T19:30:00Z", short(text))
    })?;
    if at > now + TimeDelta::hours(24) {
        return Err(format!("“{}” lies more than 24 hours in the future", short(text)));
    }
    if at < DateTime::UNIX_EPOCH {
        return Err(format!("“{}” lies before 1970", short(text)));
    }
    Ok(at.trunc_subsecs(6))
}

/// Reads NDJSON of CloudEvents line by line. Empty lines are passed over.
pub fn ndjson(text: &str, now: Instant) -> impl Iterator<Item = Row> + '_ {
    let lines = (1..).zip(text.lines()).filter(|(_, line)| !line.trim().is_empty());
    lines.take(usize::try_from(MOST_LINES).unwrap_or(usize::MAX)).map(move |(number, line)| {
        if line.len() > MOST_CELL {
            return (number, Err(format!("it is longer than {MOST_CELL} bytes")));
        }
        let read = cloudevents::parse(Mode::Structured, &[], line.as_bytes(), now);
        let one = read.map_err(|problem| problem.detail).and_then(|mut events| {
            let event = events.pop().ok_or_else(|| "it holds no event".to_owned())?;
            if event.happened_at.is_none() {
                return Err("it does not say when it happened; add a time".into());
            }
            Ok(event)
        });
        (number, one)
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use chrono::NaiveTime;
    use proptest::prelude::*;

    fn calendar() -> Calendar {
        let day_start = NaiveTime::from_hms_opt(5, 0, 0).unwrap();
        Calendar { zone: chrono_tz::Tz::Europe__London, week_start: chrono::Weekday::Mon, day_start }
    }

    fn now() -> Instant {
        "2026-11-24T19:00:00Z".parse().unwrap()
    }

    fn rows(text: &str, change: impl FnOnce(&mut Matching)) -> Vec<Row> {
        let look = look(text).unwrap();
        let mut matching = guess(&look);
        change(&mut matching);
        read(text, &look, &matching, &calendar(), now()).collect()
    }

    #[test]
    fn a_table_is_matched_by_its_headings_and_read_line_by_line() {
        let text = "Date;User;Amount;Currency;Comment\n2026-07-01 20:00;pinecone_ade;12.50;GBP;\"for the; turntable\"\n\
            2026-07-01 20:01;;7;eur;\n2026-07-01 20:02;ninepins;3.505;GBP;x\nyesterday;ninepins;3;GBP;x\n";
        let rows = rows(text, |matching| matching.kind = Some(Kind::Tip));
        let words: Vec<_> =
            rows.iter().map(|(line, row)| (*line, row.as_ref().map(|one| one.happening.words()))).collect();
        assert_eq!(words[0], (2, Ok("pinecone_ade tipped £12.50".into())));
        assert_eq!(words[1], (3, Ok("Somebody tipped €7".into())));
        assert!(matches!(&words[2], (4, Err(why)) if why.contains("more decimals than GBP")), "{words:?}");
        assert!(matches!(&words[3], (5, Err(why)) if why.contains("is no time")), "{words:?}");
        let first = rows[0].1.as_ref().unwrap();
        assert_eq!(first.happened_at, Some("2026-07-01T19:00:00Z".parse().unwrap()), "in London's summer time");
        assert_eq!(first.happening.message(), Some("for the; turntable"));
    }

    #[test]
    fn kinds_can_stand_in_a_column_and_names_of_all_scripts_in_cells() {
        let text = "\u{feff}kind,name,time,tier,months,number,giver\nsub,駅長ミケ,1785000000,3,14,,\n\
            tally.gift,żółta,2026-07-01,1,,20,\nsub,σ,2026-07-01,,,,żółta\nraid,x,2026-07-01,,,many,\nwave,x,2026-07-01,,,,\n";
        let rows = rows(super::text(text.as_bytes()).unwrap(), |_| {});
        let words: Vec<String> =
            rows.into_iter().map(|(_, row)| row.map_or_else(|why| why, |one| one.happening.words())).collect();
        assert_eq!(words[0], "駅長ミケ subscribed, tier 3");
        assert_eq!(words[1], "żółta gave 20 subscriptions, tier 1");
        assert_eq!(words[2], "σ was given a subscription by żółta, tier 1");
        assert!(words[3].contains("viewers must be a whole number"), "{}", words[3]);
        assert!(words[4].starts_with("“wave” is no kind; use follow"), "{}", words[4]);
    }

    #[test]
    fn the_same_file_again_is_the_same_and_two_alike_lines_are_two() {
        let text = "name,time,amount,currency\nade,2026-07-01,5,GBP\nade,2026-07-01,5,GBP\n";
        let ids = || -> Vec<String> {
            let rows = rows(text, |matching| matching.kind = Some(Kind::Tip));
            rows.into_iter().map(|(_, row)| row.unwrap().origin.id).collect()
        };
        assert_eq!(ids(), ids());
        assert_ne!(ids()[0], ids()[1]);
    }

    #[test]
    fn files_that_cannot_be_taken_say_why() {
        let refused = |bytes: &[u8]| text(bytes).and_then(look).unwrap_err().to_string();
        assert!(refused(b"name,amount\nzo\xeb,5\n").starts_with("Line 2 is not UTF-8"));
        assert!(refused(b"\xff\xfen\0a\0").starts_with("Line 1 is not UTF-8"));
        assert!(refused(b"\n\n").contains("headings"));
        let wide = "a,".repeat(1_000_000);
        assert!(refused(wide.as_bytes()).contains("longer than"));
        let columns = "a,".repeat(300);
        assert!(refused(columns.as_bytes()).contains("at most 200"));
        let ragged = rows("a,b\n1,2,3\n", |matching| matching.kind = Some(Kind::Follow));
        assert_eq!(ragged[0].1, Err("it has 3 cells, but there are 2 headings".into()));
    }

    #[test]
    fn ndjson_is_read_line_by_line() {
        let good = r#"{"specversion":"1.0","id":"1","source":"/x","type":"tally.follow","time":"2026-07-01T19:00:00Z","data":{"actor":{"name":"ade"}}}"#;
        let text = format!("{good}\n\n{{}}\n{}\n", good.replace(r#""time":"2026-07-01T19:00:00Z","#, ""));
        assert!(is_ndjson(&text));
        let rows: Vec<Row> = ndjson(&text, now()).collect();
        assert_eq!(
            rows.iter().map(|(line, row)| (*line, row.is_ok())).collect::<Vec<_>>(),
            [(1, true), (3, false), (4, false)]
        );
    }

    proptest! {
        #[test]
        fn no_file_makes_it_panic(bytes in prop::collection::vec(any::<u8>(), 0..300), table in "[a-z,;\"\n0-9.-]*") {
            for bytes in [bytes.as_slice(), table.as_bytes()] {
                let Ok(text) = text(bytes) else { continue };
                ndjson(text, now()).for_each(drop);
                let Ok(look) = look(text) else { continue };
                let matching = Matching { kind: Some(Kind::Tip), ..guess(&look) };
                read(text, &look, &matching, &calendar(), now()).for_each(drop);
            }
        }
    }
}
