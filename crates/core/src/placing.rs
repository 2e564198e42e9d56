//! Placing a snippet through a platform's interface: the code that goes into a slot, what the slot
//! holds after it, and the proof over the whole page that all slots of the site make together.
//! "Proven" is said of exactly the text that is pushed, and only where nothing of the same supplier
//! is left in beside it.

use crate::placement::{Inspector, Piece, PieceState};
use crate::platform::{FitError, Fitted, Slot, Takes, fit};
use crate::profile::{ConsentManager, Position, Supplier};
use crate::slot_text::{self, Pushed};
use url::Url;

/// What one slot of the site holds.
#[derive(Debug, Clone)]
pub struct Held<'a> {
    /// The slot.
    pub slot: &'a Slot,
    /// Its text today.
    pub text: String,
}

/// A site whose slots are known.
pub struct Placing<'a> {
    /// Whose widget.
    pub supplier: &'a Supplier,
    /// The key that belongs here.
    pub key: &'a str,
    /// The consent manager that holds scripts back, if the site has one.
    pub consent: Option<&'a ConsentManager>,
    /// All slots that could be read.
    pub slots: Vec<Held<'a>>,
}

/// Why nothing is pushed.
#[derive(Debug, thiserror::Error)]
pub enum PlacingError {
    /// The slot does not take the code.
    #[error(transparent)]
    Fit(#[from] FitError),
    /// The text that results does not parse; why.
    #[error("the slot {0} could not be read, so nothing can be said of what it would hold")]
    Unread(String),
    /// The widget would be there twice; where.
    #[error(
        "the site already has this widget, in {0}; pushing would place it twice: take the other one out first, or check the key"
    )]
    Twice(String),
    /// An open comment or element would swallow the code; which.
    #[error(
        "what the slot holds would swallow the code: a comment or an element in it is not closed, or an old copy is cut off; close it or take it out first ({0})"
    )]
    Swallowed(String),
    /// The code is not in the slot any more.
    #[error("the slot no longer holds what was pushed")]
    Gone,
}

/// What a push would do.
#[derive(Debug, Clone)]
pub struct Push {
    /// The code that goes in, and what the slot makes of it.
    pub fitted: Fitted,
    /// What the slot would hold.
    pub after: Pushed,
    /// Old pieces of the same supplier that would stay, by slot; empty where the push is proven.
    pub leftovers: Vec<String>,
}

impl Push {
    /// The page that results holds the snippet once, with its key, and nothing else of the supplier.
    pub fn is_proven(&self) -> bool {
        self.leftovers.is_empty()
    }
}

impl<'a> Placing<'a> {
    /// The code for a slot, gated by the consent manager where the slot takes markup.
    ///
    /// # Errors
    /// Where the code would not survive the slot.
    pub fn code(&self, slot: &Slot) -> Result<Fitted, FitError> {
        fit(self.supplier, self.key, slot, self.consent)
    }

    /// What pushing into a slot would do. `ours` is what we put there before, newest first.
    ///
    /// # Errors
    /// [`PlacingError`], where it would do harm.
    pub fn push(&self, slot: &Slot, ours: &[&str]) -> Result<Push, PlacingError> {
        let fitted = self.code(slot)?;
        let held = self.slots.iter().find(|h| h.slot.id == slot.id);
        let held = held.ok_or_else(|| PlacingError::Unread(slot.name.clone()))?;
        let after = self.after(slot, &held.text, &fitted.code, ours);
        let good_before = self.good(&self.page(None));
        let page = self.page(Some((slot, &after.text)));
        let pieces = self.pieces(&page);
        let good = pieces.iter().filter(|p| self.is_good(p)).count();
        if good == 0 {
            let seen: Vec<String> = pieces.iter().map(|p| p.excerpt.clone()).collect();
            return Err(PlacingError::Swallowed(seen.join("; ")));
        }
        if after.changed && good > good_before && self.times(&pieces) > 1 {
            return Err(PlacingError::Twice(self.where_good()));
        }
        let wrong = pieces
            .iter()
            .filter(|p| !self.is_good(p) && p.state != PieceState::Mentioned);
        Ok(Push {
            leftovers: wrong.map(|p| p.excerpt.clone()).collect(),
            fitted,
            after,
        })
    }

    /// The text of a slot after a push.
    fn after(&self, slot: &Slot, held: &str, code: &str, ours: &[&str]) -> Pushed {
        // A field for a key holds one key and nothing of others.
        if matches!(slot.takes, Takes::Key | Takes::Address | Takes::Switch) {
            return Pushed {
                text: code.to_string(),
                changed: held.trim() != code,
            };
        }
        let ours = ours.iter().find(|o| held.contains(o.trim_end()));
        slot_text::push(held, code, ours.copied())
    }

    /// A page with what all slots make of their texts; one slot may hold another text.
    fn page(&self, instead: Option<(&Slot, &str)>) -> String {
        let (mut head, mut body) = (String::new(), String::new());
        for held in &self.slots {
            let text = match instead {
                Some((slot, text)) if slot.id == held.slot.id => text,
                _ => held.text.as_str(),
            };
            let made = becomes(self.supplier, held.slot, text);
            match held.slot.position {
                Position::Head => head.push_str(&made),
                Position::BodyEnd => body.push_str(&made),
            }
        }
        format!(
            "<!doctype html>\n<html><head><title>x</title>\n{head}\n</head><body><p>x</p>\n{body}\n</body></html>"
        )
    }

    fn pieces(&self, page: &str) -> Vec<Piece> {
        let address = Url::parse("https://proof.invalid/").expect("constant address");
        Inspector::new(self.supplier, self.consent).pieces(page, &address)
    }

    /// Runs, or waits for consent as it should, and with the right key.
    fn is_good(&self, piece: &Piece) -> bool {
        let state = matches!(piece.state, PieceState::Live | PieceState::ConsentHeld(_))
            // Script text that makes the element is seen as a mention of the loader.
            || (piece.state == PieceState::Mentioned && piece.excerpt.contains(self.key));
        state && piece.key.key().is_none_or(|k| k == self.key)
    }

    fn good(&self, page: &str) -> usize {
        let pieces = self.pieces(page);
        pieces.iter().filter(|p| self.is_good(p)).count()
    }

    /// How often the whole snippet is there: a snippet may be of several pieces.
    fn times(&self, pieces: &[Piece]) -> usize {
        let shape = crate::placement::Shape::of(self.supplier);
        let of_one = (shape.externals + shape.inlines).max(1);
        let good = pieces.iter().filter(|p| self.is_good(p)).count();
        good.div_ceil(of_one)
    }

    fn where_good(&self) -> String {
        let has = |h: &&Held| {
            let made = becomes(self.supplier, h.slot, &h.text);
            self.good(&format!("<body>{made}")) > 0
        };
        let names = self.slots.iter().filter(has).map(|h| h.slot.name.clone());
        names.collect::<Vec<_>>().join(", ")
    }
}

/// What a slot makes of its text in the page.
fn becomes(supplier: &Supplier, slot: &Slot, text: &str) -> String {
    let plain = text.trim();
    if plain.is_empty() {
        return String::new();
    }
    match slot.takes {
        Takes::Markup | Takes::Snippet => format!("{text}\n"),
        Takes::ScriptText => format!("<script>\n{text}\n</script>\n"),
        Takes::Key | Takes::Switch => format!("{}\n", supplier.snippet_for(plain)),
        Takes::Address => format!(
            "<script src=\"{}\" async></script>\n",
            plain.replace('&', "&amp;")
        ),
    }
}

/// What a slot holds once a push is taken back: as before where nobody wrote meanwhile, else only ours
/// is taken out.
///
/// # Errors
/// [`PlacingError::Gone`], where the slot no longer holds what was pushed.
pub fn put_back(held: &str, before: &str, after: &str, ours: &str) -> Result<String, PlacingError> {
    let ours = ours.trim_end();
    if held == after {
        Ok(before.to_string())
    } else if !ours.is_empty() && held.contains(ours) {
        Ok(held.replacen(ours, "", 1))
    } else {
        Err(PlacingError::Gone)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::chain::testing::{GOOD, consent};
    use crate::platform::Scope;
    use crate::profile::tests::sample;

    fn slot(id: &str, takes: Takes) -> Slot {
        Slot {
            id: id.into(),
            name: format!("the {id}"),
            scope: Scope::Site,
            position: Position::BodyEnd,
            takes,
            steps: vec![],
            interface: None,
            does: vec![],
            undo: String::new(),
            paid_plan: false,
            lost_with_theme: false,
            follows_supplier: false,
        }
    }

    /// A push into the first slot of a site whose slots hold these texts.
    fn push(
        texts: &[(Takes, &str)],
        consent: Option<&ConsentManager>,
    ) -> Result<Push, PlacingError> {
        let supplier = sample();
        let slots: Vec<Slot> = texts
            .iter()
            .enumerate()
            .map(|(i, (takes, _))| slot(&format!("slot {i}"), *takes))
            .collect();
        let held = slots.iter().zip(texts).map(|(slot, (_, text))| Held {
            slot,
            text: text.to_string(),
        });
        let placing = Placing {
            supplier: &supplier,
            key: "abcd-1234",
            consent,
            slots: held.collect(),
        };
        placing.push(&slots[0], &[])
    }

    #[test]
    fn a_push_into_a_clean_site_is_proven_in_every_kind_of_slot() {
        for takes in [Takes::Markup, Takes::Key, Takes::ScriptText] {
            let push = push(&[(takes, ""), (Takes::Markup, "<!-- counter -->")], None).unwrap();
            assert!(
                push.is_proven() && push.after.changed,
                "{takes:?}: {push:?}"
            );
        }
    }

    #[test]
    fn what_is_gated_is_proven_as_it_is_pushed() {
        let manager = consent().unwrap();
        let push = push(&[(Takes::Markup, "")], Some(&manager)).unwrap();
        assert!(
            push.after.text.contains("type=\"text/plain\" data-wait"),
            "{}",
            push.after.text
        );
        assert!(push.is_proven());
    }

    #[test]
    fn an_old_piece_that_stays_is_told_and_nothing_is_proven() {
        for old in [
            format!("<p>{}</p>", GOOD.replace('<', "&lt;")),
            GOOD.replace('"', "\u{201d}"),
            format!("<!-- {GOOD} -->"),
        ] {
            let push = push(&[(Takes::Markup, &old)], None).unwrap();
            assert!(!push.is_proven() && push.leftovers.len() == 1, "{old}");
        }
        // In another slot of the site as well.
        let other = push(
            &[
                (Takes::Markup, ""),
                (
                    Takes::Markup,
                    "<!-- data-key=\"abcd-9999\" <script src=https://cdn.example.test/l.js></script> -->",
                ),
            ],
            None,
        );
        assert!(!other.unwrap().is_proven());
    }

    #[test]
    fn a_copy_in_another_slot_and_a_slot_that_swallows_are_refused() {
        let twice = push(&[(Takes::Markup, ""), (Takes::Key, "abcd-1234")], None).unwrap_err();
        assert!(twice.to_string().contains("the slot 1"), "{twice}");
        let open = push(&[(Takes::Markup, "<!-- off for now")], None).unwrap_err();
        assert!(matches!(open, PlacingError::Swallowed(_)), "{open}");
        let cut = "<script async src=\"https://cdn.example.test/l.js\" data-key=\"abcd-12";
        let cut = push(&[(Takes::Markup, cut)], None).unwrap_err();
        assert!(matches!(cut, PlacingError::Swallowed(_)), "{cut}");
    }

    #[test]
    fn pushing_twice_is_once() {
        let once = push(&[(Takes::Markup, "")], None).unwrap();
        let twice = push(&[(Takes::Markup, &once.after.text)], None).unwrap();
        assert!(!twice.after.changed && twice.is_proven());
    }

    #[test]
    fn taking_back_touches_nothing_of_others() {
        assert_eq!(
            put_back("a\nours\n", "a\n", "a\nours\n", "ours\n").unwrap(),
            "a\n"
        );
        assert_eq!(
            put_back("a\nours\nb\n", "a\n", "a\nours\n", "ours\n").unwrap(),
            "a\n\nb\n"
        );
        assert!(put_back("a\n", "a\n", "a\nours\n", "ours\n").is_err());
    }
}
