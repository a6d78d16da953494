//! What can be done to polls from the desk, through the API, and by a helper in chat.

use super::ballot;
use super::held::Outcome;
use super::{Poll, State, view};
use crate::count::Scope;
use crate::count::published::Published;
use crate::language::text::{cut, plain};
use crate::record::acts::PollAct;
use crate::record::acts::poll::{Which, name};
use crate::record::ids::Seq;
use crate::record::refusal::Refusal;
use crate::time::Instant;
use crate::widgets::{Action, Lever};

/// By how much one press extends a poll, in seconds.
const EXTEND_S: i64 = 30;
/// The most by which a press extends one.
const MOST_EXTEND_S: i64 = 24 * 3_600;
/// How many saved polls have a lever of their own.
const WITH_LEVERS: usize = 6;
/// How many letters of a question stand on a lever.
const ON_LEVER: usize = 30;
/// What could be asked, as an example.
const EXAMPLE: &str = "Which livery? Green / Black";

fn saved(poll: &Poll, number: i64) -> Result<&super::Saved, Refusal> {
    let index = usize::try_from(number).ok().and_then(|number| number.checked_sub(1));
    index.and_then(|index| poll.saved.get(index)).ok_or_else(|| match poll.saved.len() {
        0 => Refusal::WrongValue("no poll is saved yet; send a text such as “Which livery? Green / Black”".into()),
        most => Refusal::WrongValue(format!("“open” takes the number of a saved poll, 1 to {most}")),
    })
}

fn open(poll: &Poll, state: &State, action: &Action<'_>, scope: &Scope<'_>) -> Result<PollAct, Refusal> {
    if state.open(scope.now).is_some() {
        return Err(Refusal::NotNow("a poll is open already; close it first"));
    }
    let text = action.text.map(str::trim).filter(|text| !text.is_empty());
    let (question, options) = match (text, action.value) {
        (Some(text), _) => ballot::line(text).map_err(Refusal::WrongValue)?,
        (None, number) => {
            let one = saved(poll, number.unwrap_or(1))?;
            (one.question.clone(), one.options.clone())
        }
    };
    Ok(PollAct::Open(poll.ballot(question, options)))
}

/// What a helper writes after the word: a command, the number or the beginning of a saved poll, or a new poll.
fn ask(poll: &Poll, state: &State, action: &Action<'_>, scope: &Scope<'_>) -> Result<PollAct, Refusal> {
    let said = plain(action.text.unwrap_or_default());
    let press =
        |name: &str, value: Option<i64>| decide(poll, state, &Action { name, value, text: None, side: None }, scope);
    match said.as_str() {
        "" => Err(Refusal::WrongValue(format!("write what is asked, such as “{EXAMPLE}”"))),
        "close" | "cancel" | "extend" | "recall" | "hide" => press(&said, None),
        text => {
            let number: Option<i64> = text.parse().ok();
            let named = || {
                poll.saved.iter().position(|one| plain(&one.question).starts_with(text)).map(|at| at.saturating_add(1))
            };
            let number = number.or_else(|| named().and_then(|at| i64::try_from(at).ok()));
            match number {
                Some(number) => press("open", Some(number)),
                None => open(poll, state, action, scope),
            }
        }
    }
}

/// The newest result, of whichever place.
fn last_result(state: &State, scope: &Scope<'_>) -> Option<Outcome> {
    let here = state.outcomes_here(scope).filter(|one| !one.cancelled);
    let elsewhere = state.outcomes_elsewhere(scope.book, super::NEWEST_ELSEWHERE).into_iter();
    let over = here.take(1).chain(elsewhere.filter(|one| !one.cancelled));
    over.filter(|one| one.over_at(scope.now).is_some()).max_by_key(|one| one.end)
}

/// The tie that somebody could decide.
pub(super) fn tie(state: &State, scope: &Scope<'_>) -> Option<Outcome> {
    last_result(state, scope).filter(Outcome::is_tied)
}

/// What a wheel has drawn to settle the tie, once it has come to rest.
pub(super) fn settled(state: &State, scope: &Scope<'_>) -> Option<(Instant, PollAct)> {
    let drawn = scope.published.values().find_map(|told| match told {
        Published::Drawn { poll, option, at } if *at <= scope.now => {
            let tie = tie(state, scope).filter(|tie| tie.which == *poll)?;
            let leading = tie.leading();
            let found =
                leading.into_iter().find(|index| tie.options.get(*index).is_some_and(|one| one.text == *option));
            Some((*at, tie.which, u8::try_from(found?).ok()?))
        }
        _ => None,
    });
    drawn.map(|(at, poll, option)| (at, PollAct::Decide { poll, option, by_wheel: true }))
}

pub(super) fn decide(poll: &Poll, state: &State, action: &Action<'_>, scope: &Scope<'_>) -> Result<PollAct, Refusal> {
    let is_open = || state.open(scope.now).ok_or(Refusal::NotNow("no poll is open here"));
    Ok(match action.name {
        "open" => open(poll, state, action, scope)?,
        "ask" => ask(poll, state, action, scope)?,
        "again" => {
            let seq = action.value.and_then(|value| u64::try_from(value).ok()).map(Seq);
            let old = seq.and_then(|seq| state.held(seq));
            let old = old.ok_or_else(|| Refusal::WrongValue("“again” takes the line that opened a poll".into()))?;
            if state.open(scope.now).is_some() {
                return Err(Refusal::NotNow("a poll is open already; close it first"));
            }
            PollAct::Open(poll.ballot(old.ballot.question.clone(), old.ballot.options.clone()))
        }
        "extend" => {
            is_open()?;
            let seconds = action.value.unwrap_or(EXTEND_S);
            if !(1..=MOST_EXTEND_S).contains(&seconds) {
                return Err(Refusal::WrongValue(format!("“extend” takes seconds between 1 and {MOST_EXTEND_S}")));
            }
            PollAct::Extend { seconds }
        }
        "close" => is_open().map(|_| PollAct::Close)?,
        "cancel" => is_open().map(|_| PollAct::Cancel)?,
        "recall" => {
            let asked = match (action.value, action.text) {
                (Some(seq), _) => Some(Which::Here(Seq(u64::try_from(seq).unwrap_or(0)))),
                (None, Some(id)) => Some(Which::Elsewhere(id.to_owned())),
                (None, None) => last_result(state, scope).map(|one| one.which),
            };
            let outcome = asked.and_then(|which| state.outcome(&which, scope));
            match outcome.filter(|one| one.over_at(scope.now).is_some() && !one.cancelled) {
                Some(outcome) => PollAct::Recall { poll: outcome.which },
                None => return Err(Refusal::NotNow("there is no such result to be shown again")),
            }
        }
        "hide" if view::on_show(poll, state, scope).is_some_and(|(one, _)| !one.is_open(scope.now)) => PollAct::Hide,
        "hide" => return Err(Refusal::NotNow("no result is on the picture")),
        "decide" => {
            let outcome = tie(state, scope).ok_or(Refusal::NotNow("the newest result is no tie"))?;
            let index =
                action.value.and_then(|value| usize::try_from(value).ok()).and_then(|value| value.checked_sub(1));
            let leading = outcome.leading();
            match index.filter(|index| leading.contains(index)).and_then(|index| u8::try_from(index).ok()) {
                Some(option) => PollAct::Decide { poll: outcome.which, option, by_wheel: false },
                None => {
                    let tied: Vec<String> = leading.iter().map(|index| index.saturating_add(1).to_string()).collect();
                    return Err(Refusal::WrongValue(format!(
                        "“decide” takes the number of an option that is tied: {}",
                        tied.join(" or ")
                    )));
                }
            }
        }
        other => {
            let known = "open, ask, again, extend, close, cancel, recall, hide, decide";
            return Err(Refusal::NoSuchAction(other.into(), known.into()));
        }
    })
}

pub(super) fn levers(poll: &Poll, state: &State, scope: &Scope<'_>) -> Vec<Lever> {
    if state.open(scope.now).is_some() {
        return vec![
            Lever::new("close", "Close", true).main(),
            Lever::new("extend", format!("+{EXTEND_S} s"), true),
            Lever::new("cancel", "Call it off", true).asking(true),
        ];
    }
    let mut levers = Vec::new();
    if let Some(tie) = tie(state, scope) {
        for index in tie.leading() {
            let text = tie.options.get(index).map_or("", |one| one.text.as_str());
            let value = i64::try_from(index).unwrap_or(0).saturating_add(1);
            levers.push(Lever::new("decide", format!("{} wins", cut(text, ON_LEVER)), true).valued(value));
        }
    }
    for (value, one) in (1..).zip(poll.saved.iter().take(WITH_LEVERS)) {
        let name = name(&one.question, one.options.iter().map(String::as_str));
        let lever = Lever::new("open", format!("Ask “{}”", cut(&name, ON_LEVER)), true).valued(value);
        levers.push(if value == 1 { lever.main() } else { lever });
    }
    let ask = Lever::new("open", "Ask", true).typed(EXAMPLE);
    levers.push(if poll.saved.is_empty() { ask.main() } else { ask });
    if view::on_show(poll, state, scope).is_some_and(|(one, _)| !one.is_open(scope.now)) {
        levers.push(Lever::new("hide", "Hide result", true));
    } else {
        levers.push(Lever::new("recall", "Show last result", last_result(state, scope).is_some()));
    }
    levers
}
