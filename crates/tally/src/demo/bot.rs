//! What the demo says in chat: two answers, and notices that wait to be switched on.

use tally_core::book::chat::Role;
use tally_core::bot::{Bot, Command, Notice, Notices, Order};

/// It names widgets of the demo.
pub(super) fn bot() -> Bot {
    let command = |word: &str, answer: &str, about: &str| Command {
        word: word.to_owned(),
        on: true,
        who: Role::Viewer,
        rest_s: 5,
        rest_each_s: 30,
        answer: answer.to_owned(),
        about: about.to_owned(),
    };
    let notice = |text: &str| Notice { text: text.to_owned(), on: true };
    Bot {
        commands: (1..)
            .zip([
                command(
                    "!tea",
                    "{{ name }}, that makes {{ 'Cups of tea'|widget }} cups so far.",
                    "How many cups of tea it has been",
                ),
                command(
                    "!motor",
                    "The turntable motor: {{ 'Turntable motor'|widget }}.",
                    "How far the turntable motor has come",
                ),
            ])
            .collect(),
        notices: Notices {
            order: Order::Shuffled,
            all: (1..)
                .zip([
                    notice("Say !motor to hear how far the turntable motor has come."),
                    notice("The first train leaves when Bram has found the points."),
                    notice("Enamel mugs are on the shelf again; they dispatch on Mondays."),
                ])
                .collect(),
            ..Notices::default()
        },
        ..Bot::default()
    }
}
