//! The standard words of each kind in each language.

use crate::language::Language;
use crate::record::happening::Kind;

/// The standard template of a kind.
pub(super) fn standard(language: Language, kind: Kind) -> &'static str {
    let by_language = |templates: [&'static str; 7]| templates[language as usize];
    match kind {
        Kind::Follow | Kind::Gauge | Kind::Stat | Kind::Signal | Kind::Adjust | Kind::Command | Kind::Poll => {
            by_language([
                "*{{ name }}* follows",
                "*{{ name }}* folgt",
                "*{{ name }}* suit la chaîne",
                "*{{ name }}* sigue el canal",
                "*{{ name }}* obserwuje",
                "*{{ name }}* segue o canal",
                "*{{ name }}*さんがフォロー",
            ])
        }
        Kind::Sub => by_language([
            "{% if giver %}*{{ name }}* has a subscription from {{ giver }}{% else %}*{{ name }}* subscribed{% if months > 1 %}, {{ months }} months{% endif %}{% endif %}",
            "{% if giver %}*{{ name }}* hat ein Abo von {{ giver }}{% else %}*{{ name }}* hat abonniert{% if months > 1 %}, {{ months }} Monate{% endif %}{% endif %}",
            "{% if giver %}*{{ name }}* a reçu un abonnement de {{ giver }}{% else %}*{{ name }}* s’est abonné{% if months > 1 %}, {{ months }} mois{% endif %}{% endif %}",
            "{% if giver %}*{{ name }}* tiene una suscripción de {{ giver }}{% else %}*{{ name }}* se suscribió{% if months > 1 %}, {{ months }} meses{% endif %}{% endif %}",
            "{% if giver %}*{{ name }}* ma subskrypcję od {{ giver }}{% else %}*{{ name }}* subskrybuje{% if months > 1 %}, {{ months }} {{ months|plural('miesiąc', 'miesiące', 'miesięcy') }}{% endif %}{% endif %}",
            "{% if giver %}*{{ name }}* ganhou uma assinatura de {{ giver }}{% else %}*{{ name }}* assinou{% if months > 1 %}, {{ months }} meses{% endif %}{% endif %}",
            "{% if giver %}{{ giver }}さんから*{{ name }}*さんへサブスク{% else %}*{{ name }}*さんがサブスク{% if months > 1 %}、{{ months }}か月{% endif %}{% endif %}",
        ]),
        Kind::Gift => by_language([
            "*{{ name }}* gave *{{ amount }}* {{ count|plural('subscription', 'subscriptions') }}",
            "*{{ name }}* hat *{{ amount }}* {{ count|plural('Abo', 'Abos') }} verschenkt",
            "*{{ name }}* a offert *{{ amount }}* {{ count|plural('abonnement', 'abonnements') }}",
            "*{{ name }}* regaló *{{ amount }}* {{ count|plural('suscripción', 'suscripciones') }}",
            "*{{ name }}* daje *{{ amount }}* {{ count|plural('subskrypcję', 'subskrypcje', 'subskrypcji') }}",
            "*{{ name }}* deu *{{ amount }}* {{ count|plural('assinatura', 'assinaturas') }}",
            "*{{ name }}*さんが*{{ amount }}*件のサブスクをギフト",
        ]),
        Kind::Tip => by_language([
            "*{{ name }}* tipped *{{ amount }}*",
            "*{{ name }}* gibt *{{ amount }}*",
            "*{{ name }}* donne *{{ amount }}*",
            "*{{ name }}* da *{{ amount }}*",
            "*{{ name }}* wpłaca *{{ amount }}*",
            "*{{ name }}* deu *{{ amount }}*",
            "*{{ name }}*さんから*{{ amount }}*",
        ]),
        Kind::Cheer => by_language([
            "*{{ name }}* cheered *{{ amount }}*",
            "*{{ name }}* jubelt mit *{{ amount }}*",
            "*{{ name }}* acclame avec *{{ amount }}*",
            "*{{ name }}* anima con *{{ amount }}*",
            "*{{ name }}* dopinguje za *{{ amount }}*",
            "*{{ name }}* torce com *{{ amount }}*",
            "*{{ name }}*さんが*{{ amount }}*ポイントで応援",
        ]),
        Kind::Raid => by_language([
            "*{{ name }}* came with *{{ amount }}* {{ viewers|plural('viewer', 'viewers') }}",
            "*{{ name }}* kommt mit *{{ amount }}*",
            "*{{ name }}* arrive à *{{ amount }}*",
            "*{{ name }}* llega con *{{ amount }}*",
            "*{{ name }}* przybywa w *{{ amount }}*",
            "*{{ name }}* chegou com *{{ amount }}*",
            "*{{ name }}*さんが*{{ amount }}*人と到着",
        ]),
        Kind::Reward => by_language([
            "*{{ name }}* claimed {{ item }}",
            "*{{ name }}* löst {{ item }} ein",
            "*{{ name }}* demande {{ item }}",
            "*{{ name }}* canjeó {{ item }}",
            "*{{ name }}* odbiera {{ item }}",
            "*{{ name }}* resgatou {{ item }}",
            "*{{ name }}*さんが{{ item }}と交換",
        ]),
        Kind::Purchase => by_language([
            "*{{ name }}* bought {{ item }}",
            "*{{ name }}* kauft {{ item }}",
            "*{{ name }}* achète {{ item }}",
            "*{{ name }}* compró {{ item }}",
            "*{{ name }}* kupuje {{ item }}",
            "*{{ name }}* comprou {{ item }}",
            "*{{ name }}*さんが{{ item }}を購入",
        ]),
    }
}

/// The word for a kind.
pub(super) fn kind(language: Language, kind: Kind) -> &'static str {
    let by_language = |words: [&'static str; 7]| words[language as usize];
    match kind {
        Kind::Follow => by_language(["follow", "neu dabei", "suivi", "seguidor", "obserwacja", "seguidor", "フォロー"]),
        Kind::Sub => {
            by_language(["subscription", "Abo", "abonnement", "suscripción", "subskrypcja", "assinatura", "サブスク"])
        }
        Kind::Gift => by_language(["gift", "Geschenk", "cadeau", "regalo", "prezent", "presente", "ギフト"]),
        Kind::Tip => by_language(["tip", "Trinkgeld", "don", "propina", "napiwek", "gorjeta", "チップ"]),
        Kind::Cheer => by_language(["cheer", "Jubel", "acclamation", "ánimo", "doping", "torcida", "応援"]),
        Kind::Raid => by_language(["raid", "Überfall", "raid", "visita", "najazd", "visita", "レイド"]),
        Kind::Reward => {
            by_language(["reward", "Belohnung", "récompense", "recompensa", "nagroda", "recompensa", "特典"])
        }
        Kind::Purchase => by_language(["purchase", "Kauf", "achat", "compra", "zakup", "compra", "購入"]),
        Kind::Gauge | Kind::Stat | Kind::Signal | Kind::Adjust | Kind::Command | Kind::Poll => kind.key(),
    }
}
