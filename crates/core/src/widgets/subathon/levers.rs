//! What can be done to a subathon from the desk.

use super::Subathon;
use super::clockwork::Phase;
use super::compute::{State, ms};
use crate::count::Scope;
use crate::record::acts::SubathonAct;
use crate::record::acts::subathon::factor_words;
use crate::record::refusal::Refusal;
use crate::sentence::MOST_SECONDS;
use crate::time::words::digits;
use crate::widgets::{Action, Lever};
use chrono::TimeDelta;

/// With how many seconds a clock that was over goes on, where nobody says otherwise.
const GO_ON_S: i64 = 600;
/// How long a break is that nobody planned, in seconds.
const BREAK_S: i64 = 600;

fn seconds(action: &Action<'_>, otherwise: i64) -> Result<i64, Refusal> {
    let seconds = action.value.unwrap_or(otherwise);
    if (1..=MOST_SECONDS).contains(&seconds) {
        return Ok(seconds.saturating_mul(1_000));
    }
    Err(Refusal::WrongValue(format!("“{}” takes seconds between 1 and {MOST_SECONDS}, such as 300", action.name)))
}

pub(super) fn decide(
    subathon: &Subathon,
    state: &State,
    action: &Action<'_>,
    scope: &Scope<'_>,
) -> Result<SubathonAct, Refusal> {
    let (clock, now) = (subathon.seen(state, scope), ms(scope.now));
    let over = clock.has_run_out();
    let not_over = || match over {
        true => Err(Refusal::NotNow("the clock has run out; let it go on with some time instead")),
        false => Ok(()),
    };
    Ok(match action.name {
        "start" => match clock.phase {
            Phase::Ready | Phase::Paused { .. } => SubathonAct::Start,
            Phase::Running => return Err(Refusal::NotNow("the clock is running already")),
            _ => return not_over().map(|()| SubathonAct::Start),
        },
        "pause" if clock.phase == Phase::Running => SubathonAct::Pause,
        "pause" => return Err(Refusal::NotNow("the clock is not running, so it cannot be paused")),
        "add" | "subtract" => {
            not_over()?;
            let step =
                seconds(&Action { value: action.value.map(i64::saturating_abs), ..action.clone() }, subathon.step_s)?;
            let takes = (action.name == "subtract") != action.value.is_some_and(|value| value < 0);
            SubathonAct::Add { ms: if takes { step.saturating_neg() } else { step } }
        }
        "boost" => {
            not_over()?;
            SubathonAct::Boost { factor: subathon.boost, ms: seconds(action, subathon.boost_s)? }
        }
        "end_boosts" if state.sum.boosts_at(now).next().is_some() => SubathonAct::EndBoosts,
        "end_boosts" => return Err(Refusal::NotNow("no boost by hand is under way")),
        "break" => match clock.phase {
            Phase::Running => {
                let plan = subathon.plan(scope);
                let ahead = clock.not_begun(&plan).filter(|one| one.ends() > now);
                match ahead.min_by_key(|one| one.at).filter(|_| action.value.is_none()) {
                    Some(next) => SubathonAct::Break { planned: Some(next.id), ms: next.ms, by_itself: false },
                    None => SubathonAct::Break { planned: None, ms: seconds(action, BREAK_S)?, by_itself: false },
                }
            }
            _ => return Err(Refusal::NotNow("the clock is not running, so no break can begin")),
        },
        "go_on" if over || clock.is_in_doubt() => SubathonAct::GoOn { ms: seconds(action, GO_ON_S)? },
        "go_on" => return Err(Refusal::NotNow("the clock is not over; add time to it instead")),
        "over" if clock.is_in_doubt() => SubathonAct::Over,
        "over" => return Err(Refusal::NotNow("no correction has left the clock without time")),
        "reset" => SubathonAct::Reset,
        other => {
            let known = "start, pause, add, subtract, boost, end_boosts, break, go_on, over, reset, undo";
            return Err(Refusal::NoSuchAction(other.into(), known.into()));
        }
    })
}

pub(super) fn levers(subathon: &Subathon, state: &State, scope: &Scope<'_>) -> Vec<Lever> {
    let (clock, now) = (subathon.seen(state, scope), ms(scope.now));
    let length = |seconds: i64| digits(TimeDelta::seconds(seconds));
    let reset = Lever::new("reset", "Reset", true).asking(clock.phase != Phase::Ready);
    let undo = Lever::new("undo", "Undo", state.acts().newest_of(SubathonAct::is_by_hand).is_some());
    let go_on = || Lever::new("go_on", format!("Go on with {}", length(GO_ON_S)), true).main();
    if clock.is_in_doubt() {
        return vec![Lever::new("over", "It is over", true), go_on(), reset, undo];
    }
    if clock.has_run_out() {
        return vec![go_on(), reset, undo];
    }
    let first = match clock.phase {
        Phase::Running => Lever::new("pause", "Pause", true).main(),
        Phase::Paused { until: Some(_) } => Lever::new("start", "End break", true).main(),
        _ => Lever::new("start", "Start", true).main(),
    };
    let boosted = state.sum.boosts_at(now).next().is_some();
    let boost = if boosted {
        Lever::new("end_boosts", "End boost", true)
    } else {
        let words = format!("×{} for {}", factor_words(subathon.boost), length(subathon.boost_s));
        Lever::new("boost", words, true)
    };
    let step = length(subathon.step_s);
    vec![
        first,
        Lever::new("add", format!("+{step}"), true),
        boost,
        Lever::new("break", "Break now", clock.phase == Phase::Running),
        Lever::new("subtract", format!("−{step}"), true),
        reset,
        undo,
    ]
}
