//! `placed.wrong-key`: a key that belongs to another site. The supplier's word that it does not
//! know the key comes by the profile's refusals.

use crate::chain::answer::Answer;
use crate::chain::evidence::lines;
use crate::chain::facts::Facts;
use newtfern_model::code::Code;
use newtfern_model::finding::{Evidence, Finding};
use newtfern_model::placement::{Piece, PieceState};

/// The key that the page has, with where it stands; nothing where the expected one is among them.
fn other_key(c: &Facts, expected: &str) -> Option<(Vec<Evidence>, String)> {
    let keyed: Vec<(&Piece, &str)> = c.live().filter_map(|p| Some((p, p.key.key()?))).collect();
    if let Some((piece, key)) = keyed.first() {
        let known = keyed.iter().any(|(_, k)| *k == expected);
        return (!known).then(|| (lines([*piece]), key.to_string()));
    }
    let in_request = c.loader_requests().find_map(|r| {
        let key = c.case.supplier.key_in(&r.url)?;
        Some((r.url.clone(), key))
    });
    let at_end = || {
        let live = |p: &&Piece| p.state == PieceState::Live;
        let mut pieces = c.final_pieces().iter().filter(live);
        pieces.find_map(|p| Some((p.excerpt.clone(), p.key.key()?.to_string())))
    };
    let (place, key) = in_request.or_else(at_end)?;
    (key != expected).then(|| (vec![Evidence::fact(place)], key))
}

/// Judges whether the snippet has another client's key.
pub fn judge(c: &Facts) -> Answer {
    let Some(expected) = c.case.key else {
        return Answer::Holds;
    };
    let Some((evidence, seen)) = other_key(c, expected) else {
        return Answer::Holds;
    };
    let said = if seen.trim() == expected {
        "The key has blanks around it".to_string()
    } else {
        format!("The page has the key {seen} and should have {expected}")
    };
    Finding::broken(
        Code::PlacedWrongKey,
        format!("{said}."),
        format!("Where the snippet is placed, put in the key {expected}."),
    )
    .with_all(evidence)
    .into()
}

#[cfg(test)]
mod tests {
    use crate::chain::testing::{GOOD, healthy, html, page, root, script, told, with};
    use newtfern_model::code::Code;

    fn key(text: &str) -> newtfern_standards::observation::Observation {
        with(healthy(), |o| {
            o.page.html = html(&GOOD.replace("abcd-1234", text))
        })
    }

    #[test]
    fn another_key_and_blanks_around_it_are_told() {
        let other = told(key("zzzz-9999"));
        assert_eq!(other.code, Code::PlacedWrongKey);
        assert!(other.remedy.contains("abcd-1234"), "{}", other.remedy);
        assert!(told(key("abcd-1234 ")).summary.contains("blanks"));
    }

    #[test]
    fn a_key_that_only_the_final_document_shows_counts() {
        let late = with(page(""), |o| {
            let l = "https://cdn.example.test/l.js";
            o.requests.push(script(l, Some(200), None));
            o.final_html = html(&GOOD.replace("abcd-1234", "zzzz-9999"));
        });
        assert_eq!(root(late), Some(Code::PlacedWrongKey));
    }

    #[test]
    fn the_expected_key_is_right() {
        assert_eq!(root(healthy()), None);
    }
}
