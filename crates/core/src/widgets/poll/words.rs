//! What polls say on the picture by themselves, in each language.

use crate::language::Language;

/// See the module.
pub(super) struct Words {
    /// How to vote where there are two options, and where there are more; `#` is how many.
    pub how: [&'static str; 2],
    /// What votes are called: one, a few (where the language has such a form), many.
    votes: [&'static str; 3],
    /// Several have most votes.
    pub tie: &'static str,
    /// The wheel has decided between them.
    pub by_wheel: &'static str,
}

pub(super) fn of(language: Language) -> Words {
    let words = |how, votes, tie, by_wheel| Words { how, votes, tie, by_wheel };
    match language {
        Language::En => words(
            ["Say 1 or 2 in chat", "Say 1 to # in chat"],
            ["vote", "votes", "votes"],
            "A tie",
            "Decided by the wheel",
        ),
        Language::De => words(
            ["Schreib 1 oder 2 in den Chat", "Schreib 1 bis # in den Chat"],
            ["Stimme", "Stimmen", "Stimmen"],
            "Gleichstand",
            "Das Rad hat entschieden",
        ),
        Language::Fr => words(
            ["Écris 1 ou 2 dans le chat", "Écris 1 à # dans le chat"],
            ["vote", "votes", "votes"],
            "Égalité",
            "La roue a décidé",
        ),
        Language::Es => words(
            ["Escribe 1 o 2 en el chat", "Escribe del 1 al # en el chat"],
            ["voto", "votos", "votos"],
            "Empate",
            "Lo decidió la ruleta",
        ),
        Language::Pl => words(
            ["Napisz 1 lub 2 na czacie", "Napisz od 1 do # na czacie"],
            ["głos", "głosy", "głosów"],
            "Remis",
            "Zdecydowało koło",
        ),
        Language::PtBr => words(
            ["Escreva 1 ou 2 no chat", "Escreva de 1 a # no chat"],
            ["voto", "votos", "votos"],
            "Empate",
            "A roleta decidiu",
        ),
        Language::Ja => {
            words(["チャットで1か2を送信", "チャットで1〜#を送信"], ["票", "票", "票"], "同点", "ルーレットで決定")
        }
    }
}

impl Words {
    /// How to vote for one of so many.
    pub(super) fn how(&self, options: usize) -> String {
        match options {
            2 => self.how[0].to_owned(),
            most => self.how[1].replace('#', &most.to_string()),
        }
    }

    /// What so many votes are called.
    pub(super) fn votes(&self, many: u64) -> &'static str {
        let few = matches!(many % 10, 2..=4) && !matches!(many % 100, 12..=14);
        match many {
            1 => self.votes[0],
            _ if few => self.votes[1],
            _ => self.votes[2],
        }
    }
}
