//! The usual words on the buttons of consent banners, by language: used inside a banner that a
//! profile recognises, where it does not say which control means what. Common practice; lower case.

/// Meaning of a control.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Meaning {
    /// The control agrees to everything.
    Accept,
    /// Refuses what can be refused.
    Refuse,
    /// Opens the next layer.
    More,
}

/// Language (BCP 47), what agrees, what refuses, what opens the next layer.
type Row = (
    &'static str,
    &'static [&'static str],
    &'static [&'static str],
    &'static [&'static str],
);

#[rustfmt::skip]
const WORDS: &[Row] = &[
    ("en", &["accept all", "accept", "allow all", "i agree", "agree"],
        &["reject all", "refuse all", "decline all", "reject", "refuse", "decline",
        "only necessary", "necessary only", "only what is needed"],
        &["manage choices", "manage", "settings", "more options", "preferences", "customise",
        "choose"]),
    ("de", &["alle akzeptieren", "alle annehmen", "akzeptieren", "zustimmen", "einverstanden"],
        &["alle ablehnen", "ablehnen", "nur notwendige", "nur erforderliche"],
        &["einstellungen", "auswahl", "mehr optionen", "anpassen"]),
    ("fr", &["tout accepter", "accepter", "j'accepte", "j\u{2019}accepte"],
        &["tout refuser", "refuser", "continuer sans accepter"],
        &["param\u{e9}trer", "personnaliser", "g\u{e9}rer", "plus d'options"]),
    ("nl", &["alles accepteren", "alles toestaan", "accepteren", "akkoord"],
        &["alles weigeren", "alles afwijzen", "weigeren", "alleen noodzakelijk"],
        &["instellingen", "voorkeuren", "aanpassen"]),
    ("es", &["aceptar todo", "aceptar todas", "aceptar"],
        &["rechazar todo", "rechazar todas", "rechazar", "solo necesarias"],
        &["configurar", "ajustes", "preferencias"]),
    ("ca", &["accepta-ho tot", "accepta"], &["rebutja-ho tot", "rebutja"], &["configura"]),
    ("it", &["accetta tutto", "accetta tutti", "accetta"],
        &["rifiuta tutto", "rifiuta tutti", "rifiuta", "solo necessari"],
        &["personalizza", "impostazioni", "gestisci"]),
    ("pt", &["aceitar tudo", "aceitar todos", "aceitar"],
        &["rejeitar tudo", "rejeitar todos", "recusar", "rejeitar"],
        &["defini\u{e7}\u{f5}es", "prefer\u{ea}ncias", "gerir"]),
    ("da", &["accepter alle", "tillad alle", "accepter"],
        &["afvis alle", "afvis", "kun n\u{f8}dvendige"], &["indstillinger", "tilpas"]),
    ("nb", &["godta alle", "aksepter alle", "godta"],
        &["avvis alle", "avvis", "kun n\u{f8}dvendige"], &["innstillinger", "tilpass"]),
    ("sv", &["acceptera alla", "godk\u{e4}nn alla", "godk\u{e4}nn", "acceptera"],
        &["avvisa alla", "neka alla", "avvisa", "endast n\u{f6}dv\u{e4}ndiga"],
        &["inst\u{e4}llningar", "anpassa"]),
    ("fi", &["hyv\u{e4}ksy kaikki", "hyv\u{e4}ksy"],
        &["hylk\u{e4}\u{e4} kaikki", "hylk\u{e4}\u{e4}",
        "vain v\u{e4}ltt\u{e4}m\u{e4}tt\u{f6}m\u{e4}t"], &["asetukset", "muokkaa"]),
    ("pl", &["zaakceptuj wszystkie", "akceptuj\u{119} wszystkie", "akceptuj\u{119}",
        "zgadzam si\u{119}"],
        &["odrzu\u{107} wszystkie", "odrzu\u{107}", "tylko niezb\u{119}dne"],
        &["ustawienia", "dostosuj"]),
    ("cs", &["p\u{159}ijmout v\u{161}e", "souhlas\u{ed}m"],
        &["odm\u{ed}tnout v\u{161}e", "odm\u{ed}tnout"], &["nastaven\u{ed}"]),
    ("sk", &["prija\u{165} v\u{161}etko", "s\u{fa}hlas\u{ed}m"],
        &["odmietnu\u{165} v\u{161}etko", "odmietnu\u{165}"], &["nastavenia"]),
    ("hu", &["\u{f6}sszes elfogad\u{e1}sa", "elfogadom"],
        &["\u{f6}sszes elutas\u{ed}t\u{e1}sa", "elutas\u{ed}tom"], &["be\u{e1}ll\u{ed}t\u{e1}sok"]),
    ("ro", &["accept\u{103} toate", "accept"], &["respinge toate", "refuz"], &["set\u{103}ri"]),
    ("el", &["\u{3b1}\u{3c0}\u{3bf}\u{3b4}\u{3bf}\u{3c7}\u{3ae} \u{3cc}\u{3bb}\u{3c9}\u{3bd}",
        "\u{3b1}\u{3c0}\u{3bf}\u{3b4}\u{3bf}\u{3c7}\u{3ae}"],
        &["\u{3b1}\u{3c0}\u{3cc}\u{3c1}\u{3c1}\u{3b9}\u{3c8}\u{3b7} \u{3cc}\u{3bb}\u{3c9}\u{3bd}",
        "\u{3b1}\u{3c0}\u{3cc}\u{3c1}\u{3c1}\u{3b9}\u{3c8}\u{3b7}"],
        &["\u{3c1}\u{3c5}\u{3b8}\u{3bc}\u{3af}\u{3c3}\u{3b5}\u{3b9}\u{3c2}"]),
    ("tr", &["t\u{fc}m\u{fc}n\u{fc} kabul et", "kabul et"],
        &["t\u{fc}m\u{fc}n\u{fc} reddet", "reddet"], &["ayarlar"]),
    ("cy", &["derbyn pob un", "derbyn y cyfan", "derbyn"], &["gwrthod pob un", "gwrthod"],
        &["gosodiadau"]),
    ("ga", &["glac le gach ceann", "glac"], &["di\u{fa}ltaigh do gach ceann", "di\u{fa}ltaigh"],
        &["socruithe"]),
];

impl Meaning {
    /// The words of all languages.
    pub fn words(self) -> impl Iterator<Item = &'static str> {
        let of = move |row: &Row| match self {
            Meaning::Accept => row.1,
            Meaning::Refuse => row.2,
            Meaning::More => row.3,
        };
        WORDS.iter().flat_map(move |row| of(row).iter().copied())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::collections::BTreeSet;

    #[test]
    fn no_word_means_two_things() {
        let set = |m: Meaning| m.words().collect::<BTreeSet<_>>();
        let (accept, refuse, more) = (
            set(Meaning::Accept),
            set(Meaning::Refuse),
            set(Meaning::More),
        );
        assert!(accept.is_disjoint(&refuse));
        assert!(accept.is_disjoint(&more) && refuse.is_disjoint(&more));
        let all = accept.iter().chain(&refuse).chain(&more);
        assert!(all.into_iter().all(|w| w.to_lowercase() == *w));
    }

    #[test]
    fn every_language_is_a_tag_and_has_all_three() {
        for (tag, accept, refuse, more) in WORDS {
            assert!(oxilangtag::LanguageTag::parse(*tag).is_ok());
            assert!(
                !accept.is_empty() && !refuse.is_empty() && !more.is_empty(),
                "{tag}"
            );
        }
    }
}
