//! Changing rules as they are being written, from what the page sends.

use serde::Deserialize;
use serde_json::Value;
use std::collections::BTreeMap;
use tally_core::record::happening::Kind;
use tally_feeds::mapping::fields::{self, Field};
use tally_feeds::mapping::{MOST_RULES, Rules, guess};
use tally_store::mapping::{Blank, Condition, Reading, Rule, Source, Test};

/// What is sent for one change.
#[derive(Debug, Clone, Default, Deserialize)]
#[serde(default)]
pub struct Edit {
    /// Which rule, from 0.
    pub rule: usize,
    /// What of it: `event`, `field`, `when`, `each`, `remove`, `earlier`, `seen`, or `new` for one more.
    pub part: String,
    /// The key of a field, or of an event.
    pub key: String,
    /// Which condition, from 0; one more, if there are not so many.
    pub place: usize,
    /// A JSON Pointer from the top of the message.
    pub pointer: String,
    /// A JSON Pointer from the item.
    pub item: String,
    /// A text that is always the same.
    pub always: String,
    /// How a value is read, or what must be so.
    pub reading: String,
    /// Words for tiers, or what a value must be.
    pub text: String,
    /// Whether the place was pressed in a message, so that how it is read follows from what stands there.
    pub picked: String,
    /// Which message lies open.
    pub open: Option<u64>,
}

/// Does a change to rules. `message` is what lies open.
///
/// # Errors
/// What to change; a sentence. The rules are as they were then.
pub fn edited(rules: &[Rule], edit: &Edit, message: Option<&Value>) -> Result<Vec<Rule>, String> {
    let mut rules = rules.to_vec();
    if edit.part == "new" {
        if rules.len() >= MOST_RULES {
            return Err(format!("A feed has at most {MOST_RULES} rules."));
        }
        let blank = || Rule { event: Kind::Tip, when: vec![], each: None, fields: BTreeMap::new(), guessed: false };
        rules.push(message.map_or_else(blank, guess::rule));
        return Ok(rules);
    }
    let gone = "That rule is not there any more; look at the rules as they are now.";
    let rule = rules.get_mut(edit.rule).ok_or(gone)?;
    match edit.part.as_str() {
        "event" => event(rule, &edit.key, message)?,
        "field" => field(rule, edit, message)?,
        "when" => when(rule, edit, message)?,
        "each" => each(rule, &edit.pointer),
        "seen" => {}
        "remove" => {
            rules.remove(edit.rule);
            return Ok(rules);
        }
        "earlier" => {
            if edit.rule > 0 {
                rules.swap(edit.rule, edit.rule - 1);
            }
            return Ok(rules);
        }
        _ => return Err("That cannot be changed.".into()),
    }
    // Whoever changes one thing about a guess has looked at it.
    rule.guessed = false;
    Rules::ready(&rules).map_err(|error| error.why)?;
    Ok(rules)
}

/// Another event. What it has in common with the present one stays; the rest is guessed anew.
fn event(rule: &mut Rule, key: &str, message: Option<&Value>) -> Result<(), String> {
    let kind = Kind::of_key(key).filter(|kind| Kind::SENT.contains(kind)).ok_or("Choose an event from the list.")?;
    rule.event = kind;
    rule.fields.retain(|key, _| fields::find(kind, key).is_some());
    if let Some(message) = message {
        guess::fill(rule, message);
    }
    Ok(())
}

/// A place in the message, as the rule's list sees it.
fn source(rule: &Rule, edit: &Edit) -> Option<Source> {
    if !edit.item.trim().is_empty() {
        return Some(Source::Item(edit.item.trim().to_owned()));
    }
    if !edit.always.trim().is_empty() {
        return Some(Source::Always(edit.always.trim().to_owned()));
    }
    let pointer = edit.pointer.trim();
    Some(pointer).filter(|pointer| !pointer.is_empty()).map(|pointer| within(rule.each.as_deref(), pointer))
}

/// What stands in an item of the list is meant of each item.
fn within(each: Option<&str>, pointer: &str) -> Source {
    let inside = each.and_then(|each| pointer.strip_prefix(each)).and_then(|rest| rest.strip_prefix('/'));
    let number = |text: &str| !text.is_empty() && text.bytes().all(|byte| byte.is_ascii_digit());
    match inside.map(|inside| inside.split_once('/').unwrap_or((inside, ""))) {
        Some((place, "")) if number(place) => Source::Item(String::new()),
        Some((place, rest)) if number(place) => Source::Item(format!("/{rest}")),
        _ => Source::At(pointer.to_owned()),
    }
}

fn field(rule: &mut Rule, edit: &Edit, message: Option<&Value>) -> Result<(), String> {
    let field = fields::find(rule.event, &edit.key).ok_or("That event has no such field.")?;
    let Some(from) = source(rule, edit) else {
        rule.fields.remove(field.key);
        return Ok(());
    };
    let picked = || guess::reading_at(field, &edit.pointer, message?.pointer(&edit.pointer)?);
    let present = rule.fields.get(field.key).map(|blank| blank.reading.clone());
    let reading = match (&from, edit.picked.is_empty()) {
        (Source::Always(_), _) => Reading::Plain,
        (_, false) => picked().or(present).unwrap_or_default(),
        (_, true) => reading(field, &edit.reading, &edit.text)?,
    };
    rule.fields.insert(field.key.into(), Blank { from, reading });
    Ok(())
}

fn reading(field: &Field, key: &str, text: &str) -> Result<Reading, String> {
    Ok(match key {
        "hundredths" => Reading::Hundredths,
        "with_sign" => Reading::WithSign,
        "seconds" => Reading::Seconds,
        "milliseconds" => Reading::Milliseconds,
        "local" => Reading::Local,
        "tiers" => {
            let tier = |line: &str| {
                let (word, tier) = line.rsplit_once([':', '=', ' '])?;
                let tier = tier.trim().parse::<u8>().ok().filter(|tier| (1..=3).contains(tier))?;
                let word = word.trim_end_matches([':', '=']).trim();
                (!word.is_empty()).then(|| (word.to_owned(), tier))
            };
            let lines = text.split(['\n', ',']).map(str::trim).filter(|line| !line.is_empty());
            let words: Option<BTreeMap<String, u8>> = lines.map(tier).collect();
            let words = words.filter(|words| !words.is_empty() && words.len() <= 30);
            Reading::Tiers(
                words.ok_or_else(|| format!("Write a word and its {} on each line, such as: Driver 3", field.title))?,
            )
        }
        _ => Reading::Plain,
    })
}

fn when(rule: &mut Rule, edit: &Edit, message: Option<&Value>) -> Result<(), String> {
    if edit.reading == "remove" {
        if edit.place < rule.when.len() {
            rule.when.remove(edit.place);
        }
        return Ok(());
    }
    let of = source(rule, &Edit { always: String::new(), ..edit.clone() })
        .ok_or("Press a value in the message, or write where it stands, to say of what this must be so.")?;
    let test = if edit.picked.is_empty() {
        let words =
            || edit.text.split(',').map(|word| word.trim().to_owned()).filter(|word| !word.is_empty()).collect();
        match edit.reading.as_str() {
            "one_of" => Test::OneOf(words()),
            "present" => Test::Present(true),
            "absent" => Test::Present(false),
            "matches" => Test::Matches(edit.text.clone()),
            _ => Test::Is(edit.text.clone()),
        }
    } else {
        match message.and_then(|message| message.pointer(&edit.pointer)) {
            Some(Value::String(text)) => Test::Is(text.clone()),
            Some(value @ (Value::Number(_) | Value::Bool(_))) => Test::Is(value.to_string()),
            _ => Test::Present(true),
        }
    };
    let condition = Condition { of, test };
    match rule.when.get_mut(edit.place) {
        Some(present) => *present = condition,
        None => rule.when.push(condition),
    }
    Ok(())
}

/// Another list, or none. Values that stand in its items follow it.
fn each(rule: &mut Rule, pointer: &str) {
    let each = Some(pointer.trim()).filter(|pointer| !pointer.is_empty()).map(str::to_owned);
    let old = rule.each.take();
    let moved = |from: &Source| match (from, &old, &each) {
        // Without a list, the first item is meant.
        (Source::Item(rest), Some(old), None) => Source::At(format!("{old}/0{rest}")),
        (Source::At(pointer), _, Some(new)) => within(Some(new), pointer),
        _ => from.clone(),
    };
    rule.fields.values_mut().for_each(|blank| blank.from = moved(&blank.from));
    rule.when.iter_mut().for_each(|condition| condition.of = moved(&condition.of));
    rule.each = each;
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;
    use serde_json::json;

    fn message() -> Value {
        json!({"body": {"kind": "sale", "who": "bram", "sum": "£5", "at": 1_795_548_600, "rows": [{"n": 1}, {"n": 2}]}})
    }

    fn done(rules: &[Rule], edit: &Edit) -> Vec<Rule> {
        edited(rules, edit, Some(&message())).unwrap()
    }

    fn pick(part: &str, key: &str, pointer: &str) -> Edit {
        Edit { part: part.into(), key: key.into(), pointer: pointer.into(), picked: "yes".into(), ..Edit::default() }
    }

    #[test]
    fn a_rule_is_written_by_pressing() {
        let mut rules = edited(&[], &Edit { part: "new".into(), ..Edit::default() }, None).unwrap();
        for (part, key, pointer) in [
            ("when", "", "/body/kind"),
            ("field", "name", "/body/who"),
            ("field", "amount", "/body/sum"),
            ("field", "time", "/body/at"),
        ] {
            rules = done(&rules, &pick(part, key, pointer));
        }
        assert_eq!(rules[0].when[0].test, Test::Is("sale".into()));
        assert_eq!(rules[0].fields["amount"].reading, Reading::WithSign, "as what stands there is written");
        assert_eq!(rules[0].fields["time"].reading, Reading::Seconds);
        let left_out = Edit { part: "field".into(), key: "time".into(), ..Edit::default() };
        assert!(!done(&rules, &left_out)[0].fields.contains_key("time"));
        let constant = Edit { part: "field".into(), key: "currency".into(), always: "GBP".into(), ..Edit::default() };
        assert_eq!(done(&rules, &constant)[0].fields["currency"].from, Source::Always("GBP".into()));
        let other = Edit { part: "event".into(), key: "follow".into(), ..Edit::default() };
        let follow = done(&rules, &other);
        assert_eq!(follow[0].fields.keys().collect::<Vec<_>>(), ["name", "time"], "what both have stays");
    }

    #[test]
    fn what_stands_in_a_list_is_meant_of_each_item() {
        let rules = edited(&[], &Edit { part: "new".into(), ..Edit::default() }, None).unwrap();
        let rules = done(&rules, &pick("field", "name", "/body/rows/1/n"));
        let rules = done(&rules, &pick("each", "", "/body/rows"));
        assert_eq!(rules[0].fields["name"].from, Source::Item("/n".into()));
        let rules = done(&rules, &pick("field", "id", "/body/rows/0/n"));
        assert_eq!(rules[0].fields["id"].from, Source::Item("/n".into()));
        let rules = done(&rules, &pick("each", "", ""));
        assert_eq!(rules[0].fields["id"].from, Source::At("/body/rows/0/n".into()));
        let two = done(&rules, &Edit { part: "new".into(), ..Edit::default() });
        let swapped = done(&two, &Edit { part: "earlier".into(), rule: 1, ..Edit::default() });
        assert_eq!((&swapped[0], &swapped[1]), (&two[1], &two[0]));
        assert_eq!(done(&two, &Edit { part: "remove".into(), rule: 1, ..Edit::default() }), rules);
    }

    #[test]
    fn what_cannot_be_is_refused_and_nothing_changes() {
        let rules = edited(&[], &Edit { part: "new".into(), ..Edit::default() }, None).unwrap();
        let refused = |edit: &Edit| edited(&rules, edit, None).unwrap_err();
        let field = |key: &str| Edit { part: "field".into(), key: key.into(), ..Edit::default() };
        assert!(refused(&Edit { pointer: "who".into(), ..field("name") }).contains("beginning with a slash"));
        assert!(refused(&Edit { item: "/n".into(), ..field("name") }).contains("no list"));
        assert!(refused(&field("colour")).contains("no such field"));
        assert!(
            refused(&Edit { part: "event".into(), key: "adjust".into(), ..Edit::default() }).contains("from the list")
        );
        assert!(refused(&Edit { part: "when".into(), ..Edit::default() }).contains("Press a value"));
        assert!(refused(&Edit { rule: 4, ..field("name") }).contains("not there any more"));
        let pattern = Edit {
            part: "when".into(),
            pointer: "/body".into(),
            reading: "matches".into(),
            text: "(".into(),
            ..Edit::default()
        };
        assert!(refused(&pattern).contains("not well-formed"));
        let mut sub = rules.clone();
        sub[0].event = Kind::Sub;
        let tiers =
            Edit { pointer: "/body/t".into(), reading: "tiers".into(), text: "Driver three".into(), ..field("tier") };
        assert!(edited(&sub, &tiers, None).unwrap_err().contains("such as: Driver 3"));
    }
}
