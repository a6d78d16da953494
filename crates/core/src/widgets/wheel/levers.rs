//! What can be done to wheels from the desk and through the API.

use super::{MOST_QUEUED, Source, State, Wheel};
use crate::count::Scope;
use crate::count::published::Published;
use crate::language::text::cut;
use crate::record::acts::WheelAct;
use crate::record::acts::poll::Which;
use crate::record::acts::wheel::Slice;
use crate::record::ids::WidgetId;
use crate::record::refusal::Refusal;
use crate::widgets::{Action, Lever};

/// How many letters of a name stand on a lever.
const ON_LEVER: usize = 24;

/// A tie that could be settled: of which widget's poll, and its options.
struct Tie {
    widget: WidgetId,
    poll: Which,
    options: Vec<Slice>,
}

fn ties(scope: &Scope<'_>) -> Vec<Tie> {
    let tie = |(widget, told): (&WidgetId, &Published)| match told {
        Published::Poll { poll, options, tied, .. } if tied.len() > 1 => {
            let slice = |index: &usize| options.get(*index).map(|(text, _)| Slice { text: text.clone(), weight: 1 });
            Some(Tie { widget: *widget, poll: poll.clone(), options: tied.iter().filter_map(slice).collect() })
        }
        _ => None,
    };
    // One that a wheel has settled, though the poll has not heard of it yet, is no tie any more.
    let settled = |tie: &Tie| {
        scope.published.values().any(|told| matches!(told, Published::Drawn { poll, .. } if *poll == tie.poll))
    };
    scope.published.iter().filter_map(tie).filter(|tie| !settled(tie)).collect()
}

/// What the desk has to be told of: a tie that waits for a wheel.
pub(super) fn tie_words(scope: &Scope<'_>) -> Option<String> {
    let tie = ties(scope).into_iter().next()?;
    let options: Vec<String> = tie.options.into_iter().map(|one| one.text).collect();
    Some(format!("It can settle the tie of {}", options.join(" and ")))
}

fn is_busy(wheel: &Wheel, state: &State, scope: &Scope<'_>) -> bool {
    state.rests_until(wheel).is_some_and(|until| scope.now < until)
}

pub(super) fn decide(
    wheel: &Wheel,
    state: &State,
    action: &Action<'_>,
    scope: &Scope<'_>,
) -> Result<WheelAct, Refusal> {
    let sealing = Refusal::NotNow("the next spin is still being sealed; press again in a moment");
    let of_pot = || match wheel.source {
        Source::Pot => Ok(()),
        _ => Err(Refusal::NotNow("this wheel draws from no pot; change that in its sentence first")),
    };
    Ok(match action.name {
        "spin" => {
            let slices = wheel.slices(state, scope);
            if slices.is_empty() {
                return Err(Refusal::NotNow(match wheel.source {
                    Source::List => "nothing is left to be drawn; put back what was drawn, or add slices",
                    Source::Pot => "nobody is in the pot yet",
                    Source::Poll(_) => "nobody has voted in that poll yet",
                }));
            }
            if is_busy(wheel, state, scope) || !state.queue.is_empty() {
                if state.queue.len() >= MOST_QUEUED {
                    return Err(Refusal::NotNow("many spins wait already; let them turn first"));
                }
                return Ok(WheelAct::Queue);
            }
            wheel.spin(state, slices, None, None, scope).ok_or(sealing)?
        }
        "settle" => {
            let ties = ties(scope);
            let wanted = |tie: &Tie| action.value.is_none_or(|value| value == i64::from(tie.widget.0));
            let tie = ties.into_iter().find(wanted).ok_or(Refusal::NotNow("no poll is tied"))?;
            if is_busy(wheel, state, scope) {
                return Err(Refusal::NotNow("the wheel is turning; settle the tie when it has come to rest"));
            }
            wheel.spin(state, tie.options, Some(tie.poll), None, scope).ok_or(sealing)?
        }
        "unqueue" if !state.queue.is_empty() => WheelAct::Unqueue,
        "unqueue" => return Err(Refusal::NotNow("no spin waits")),
        "open_pot" => {
            of_pot()?;
            if state.pot.open_since.is_some() {
                return Err(Refusal::NotNow("viewers enter already"));
            }
            WheelAct::OpenPot
        }
        "close_pot" => {
            of_pot()?;
            state.pot.open_since.map(|_| WheelAct::ClosePot).ok_or(Refusal::NotNow("the pot is closed already"))?
        }
        "empty_pot" => of_pot().map(|()| WheelAct::EmptyPot)?,
        "put_back" => {
            let last = state.last().filter(|last| state.taken.contains_key(&last.text));
            let text = action.text.map(str::to_owned).or_else(|| last.map(|last| last.text.clone()));
            match text.filter(|text| state.taken.contains_key(text)) {
                Some(text) => WheelAct::PutBack { text },
                None => return Err(Refusal::NotNow("nothing that was drawn is out")),
            }
        }
        "put_all_back" if !state.taken.is_empty() => WheelAct::PutAllBack,
        "put_all_back" => return Err(Refusal::NotNow("nothing that was drawn is out")),
        other => {
            let known = "spin, settle, unqueue, open_pot, close_pot, empty_pot, put_back, put_all_back";
            return Err(Refusal::NoSuchAction(other.into(), known.into()));
        }
    })
}

pub(super) fn levers(wheel: &Wheel, state: &State, scope: &Scope<'_>) -> Vec<Lever> {
    let slices = wheel.slices(state, scope);
    let busy = is_busy(wheel, state, scope);
    let spin = match (busy, state.last()) {
        (true, _) => "One more after this",
        (_, Some(_)) => "Spin again",
        _ => "Spin",
    };
    let mut levers: Vec<Lever> = Vec::new();
    for tie in ties(scope) {
        let words = tie.options.iter().map(|one| cut(&one.text, ON_LEVER)).collect::<Vec<_>>().join(" or ");
        levers.push(Lever::new("settle", format!("Settle {words}"), !busy).valued(tie.widget.0.into()));
    }
    levers.push(Lever::new("spin", spin, !slices.is_empty()).main());
    if wheel.source == Source::Pot {
        levers.push(match state.pot.open_since {
            None => Lever::new("open_pot", "Let viewers enter", true),
            Some(_) => Lever::new("close_pot", "Close the pot", true),
        });
        levers.push(Lever::new("empty_pot", "Empty the pot", true).asking(true));
    }
    if let Some(last) = state.last().filter(|last| state.taken.contains_key(&last.text) && scope.now >= last.ends()) {
        levers.push(Lever::new("put_back", format!("Put “{}” back", cut(&last.text, ON_LEVER)), true));
    }
    if state.taken.len() > 1 {
        levers.push(Lever::new("put_all_back", "Put all back", true));
    }
    if !state.queue.is_empty() {
        levers.push(Lever::new("unqueue", format!("Forget {} waiting", state.queue.len()), true));
    }
    levers
}
