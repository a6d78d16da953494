//! What a poll asks: reading it, and reading votes.

use crate::language::text::{self, plain};
use crate::record::acts::poll::Ballot;

/// Most letters of a question.
pub const MOST_QUESTION: usize = 160;
/// Most letters of an option.
pub const MOST_OPTION: usize = 60;
/// How many options a poll has.
pub const OPTIONS: std::ops::RangeInclusive<usize> = 2..=8;

/// The digit zero of each script whose digits follow each other (Unicode 16.0, general category Nd), as far as they
/// are written with in chats. Full-width digits are usual ones already, see [`plain`].
const ZEROS: [char; 22] =
    ['0', '٠', '۰', '߀', '०', '০', '੦', '૦', '୦', '௦', '౦', '೦', '൦', '෦', '๐', '໐', '༠', '၀', '០', '᠐', '᭐', '꩐'];

/// The number that a text is, in the digits of whatever script.
fn number(text: &str) -> Option<usize> {
    let mut value: usize = 0;
    let mut letters = text.chars().peekable();
    letters.peek()?;
    for letter in letters {
        let digit = ZEROS.iter().find_map(|zero| {
            let digit = u32::from(letter).checked_sub(u32::from(*zero))?;
            (digit < 10).then_some(digit as usize)
        })?;
        value = value.checked_mul(10)?.checked_add(digit)?;
    }
    Some(value)
}

/// The letter by which an option can be chosen, counted from 0: A, B, C.
#[must_use]
pub fn letter(index: usize) -> char {
    ('A'..='Z').nth(index).unwrap_or('?')
}

impl Ballot {
    /// The option that a line of chat votes for, counted from 0: exactly its text, its number or its letter. Where a
    /// number or a letter is also an option's text, the text wins.
    #[must_use]
    pub fn read(&self, said: &str) -> Option<u8> {
        // What is longer than any option, however it is written, need not be looked at.
        if said.len() > MOST_OPTION.saturating_mul(8) {
            return None;
        }
        let said = plain(said);
        let by_text = self.options.iter().position(|option| plain(option) == said);
        let by_number = || number(&said).and_then(|number| number.checked_sub(1));
        let by_letter = || (0..self.options.len()).find(|index| said == letter(*index).to_lowercase().to_string());
        let index = by_text.or_else(by_number).or_else(by_letter)?;
        u8::try_from(index).ok().filter(|_| index < self.options.len())
    }
}

/// Why a question or its options were refused; a sentence that says what to change.
pub type Wrong = String;

/// Reads options, and says what is wrong with them.
///
/// # Errors
/// Too few or too many, one too long, or two that a vote could not tell apart.
pub fn options<'a>(all: impl Iterator<Item = &'a str>) -> Result<Vec<String>, Wrong> {
    let all: Vec<&str> = all.map(str::trim).filter(|option| !option.is_empty()).collect();
    if !OPTIONS.contains(&all.len()) {
        return Err(format!("A poll takes {} to {} options, not {}.", OPTIONS.start(), OPTIONS.end(), all.len()));
    }
    let mut read: Vec<String> = Vec::new();
    for option in all {
        let option = text::name(option).map_err(|error| format!("The option “{option}” {error}."))?;
        if option.chars().count() > MOST_OPTION {
            return Err(format!("The option “{option}” is longer than {MOST_OPTION} letters."));
        }
        if let Some(other) = read.iter().find(|other| plain(other) == plain(&option)) {
            return Err(format!(
                "Nobody could tell “{other}” and “{option}” apart in chat; name one of them otherwise."
            ));
        }
        read.push(option);
    }
    Ok(read)
}

/// Reads a question.
///
/// # Errors
/// Too long, or characters that cannot be shown.
pub fn question(asked: &str) -> Result<String, Wrong> {
    if asked.trim().is_empty() {
        return Ok(String::new());
    }
    let asked = text::name(asked).map_err(|error| format!("The question {error}."))?;
    if asked.chars().count() > MOST_QUESTION {
        return Err(format!("The question is longer than {MOST_QUESTION} letters."));
    }
    Ok(asked)
}

/// Takes a poll apart that was written in one line: `Which livery? Green / Black / Maroon`, or two options alone. What
/// stands before the last question mark is the question; options are parted by slashes or bars.
///
/// # Errors
/// See [`question`] and [`options`].
pub fn line(text: &str) -> Result<(String, Vec<String>), Wrong> {
    let text = text.replace('？', "?").replace('｜', "|").replace('／', "/");
    let (asked, rest) = match text.rsplit_once('?') {
        Some((asked, rest)) => (format!("{}?", asked.trim()), rest),
        None => (String::new(), text.as_str()),
    };
    let by = if rest.contains('|') { '|' } else { '/' };
    let options = options(rest.split(by))?;
    let asked = question(&asked)?;
    if asked.is_empty() && options.len() > 2 {
        return Err(
            "What is asked? Write the question with its question mark, then the options with / between them.".into()
        );
    }
    Ok((asked, options))
}

/// A poll in one line, as [`line`] takes it apart.
#[must_use]
pub fn written<'a>(question: &str, options: impl IntoIterator<Item = &'a str>) -> String {
    let options: Vec<&str> = options.into_iter().collect();
    let by = if options.iter().any(|option| option.contains('/')) { " | " } else { " / " };
    // What stands before the last question mark is the question.
    let mark = if question.is_empty() || question.ends_with('?') { "" } else { "?" };
    format!("{question}{mark} {}", options.join(by)).trim().to_owned()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn ballot(options: &[&str]) -> Ballot {
        Ballot {
            question: "Which livery?".into(),
            options: options.iter().map(|one| (*one).to_owned()).collect(),
            seconds: None,
            last_counts: true,
            subscriber_weight: 1,
            votes_per_unit: 0,
        }
    }

    #[test]
    fn a_vote_is_exactly_an_options_number_letter_or_text() {
        let livery = ballot(&["Green", "Black", "Lined maroon"]);
        let cases = [
            ("1", Some(0)),
            (" ２ ", Some(1)),
            ("٣", Some(2)),
            ("२", Some(1)),
            ("GREEN", Some(0)),
            ("lined   MAROON", Some(2)),
            ("Ｂｌａｃｋ", Some(1)),
            ("c", Some(2)),
            ("b\u{200b}", Some(1)),
            ("0", None),
            ("4", None),
            ("d", None),
            ("1 please", None),
            ("green!", None),
            ("", None),
            ("99999999999999999999999", None),
        ];
        for (said, option) in cases {
            assert_eq!(livery.read(said), option, "{said:?}");
        }
    }

    #[test]
    fn where_a_number_or_a_letter_is_an_options_text_the_text_wins() {
        let years = ballot(&["2", "3", "b", "green and 1"]);
        assert_eq!(
            ["1", "2", "3", "4", "a", "b", "green and 1"].map(|said| years.read(said)),
            [Some(0), Some(0), Some(1), Some(3), Some(0), Some(2), Some(3)]
        );
    }

    #[test]
    fn a_poll_in_one_line() {
        let words = |all: &[&str]| all.iter().map(|one| (*one).to_owned()).collect::<Vec<_>>();
        assert_eq!(line("Which livery? Green / Black"), Ok(("Which livery?".into(), words(&["Green", "Black"]))));
        assert_eq!(line("1/2 or more? 1/2 | 3/4"), Ok(("1/2 or more?".into(), words(&["1/2", "3/4"]))));
        assert_eq!(line("tea/coffee"), Ok((String::new(), words(&["tea", "coffee"]))));
        assert!(line("tea/coffee/milk").unwrap_err().contains("question mark"));
        assert!(line("Well? yes").unwrap_err().contains("2 to 8 options, not 1"));
        assert!(line("Well? yes / ＹＥＳ").unwrap_err().contains("apart"));
        assert!(line(&format!("Well? yes / {}", "x".repeat(61))).unwrap_err().contains("longer than 60"));
        assert!(line(&format!("{}? a / b", "x".repeat(161))).unwrap_err().contains("longer than 160"));
    }

    proptest! {
        #[test]
        fn no_line_of_chat_makes_a_vote_or_a_poll_panic(said in ".*") {
            prop_assert!(ballot(&["Green", "Black"]).read(&said).is_none_or(|option| option < 2));
            let _ = line(&said);
        }

        #[test]
        fn a_line_is_written_as_it_was_read(said in "([a-z ]{1,12}[?])?[a-c/| ]{3,20}") {
            if let Ok((question, options)) = line(&said) {
                let again = written(&question, options.iter().map(String::as_str));
                prop_assert_eq!(line(&again), Ok((question, options)));
            }
        }

        #[test]
        fn every_option_is_chosen_by_its_text(options in prop::collection::vec("[a-zA-Z0-9 ]{1,12}", 2..9)) {
            if let Ok(read) = super::options(options.iter().map(String::as_str)) {
                let ballot = Ballot { options: read.clone(), ..ballot(&[]) };
                for (index, option) in read.iter().enumerate() {
                    prop_assert_eq!(ballot.read(option), u8::try_from(index).ok());
                }
            }
        }
    }
}
