//! What wheels say on the picture by themselves, in each language.

use crate::language::Language;

/// How to enter: with the word in place of the `#`.
pub(super) fn enter(language: Language, word: &str) -> String {
    let words = match language {
        Language::En => "Say # to be in it",
        Language::De => "Schreib # und sei dabei",
        Language::Fr => "Écris # pour participer",
        Language::Es => "Escribe # para participar",
        Language::Pl => "Napisz #, aby wziąć udział",
        Language::PtBr => "Escreva # para participar",
        Language::Ja => "#と送信して参加",
    };
    words.replace('#', word)
}

/// That the next spin is sealed; the digits of the seal follow.
pub(super) fn sealed(language: Language) -> &'static str {
    match language {
        Language::En => "sealed",
        Language::De => "versiegelt",
        Language::Fr => "scellé",
        Language::Es => "sellado",
        Language::Pl => "pieczęć",
        Language::PtBr => "lacrado",
        Language::Ja => "封印",
    }
}
