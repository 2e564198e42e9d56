//! Placing a snippet through a platform's interface: the code that goes into a slot, what the slot
//! holds after it, and the proof over the whole page that all slots of the site make together.
//! "Proven" is said of exactly the texts that are pushed, and only where nothing of the same supplier
//! is left in beside the code.

mod mend;
mod spans;

pub use mend::{Mend, SlotChange, Told};
pub use spans::{Found, Span};

use crate::placement::{Inspector, Piece, PieceState};
use crate::platform::{FitError, Fitted, Slot, Takes, fit, proof_page};
use crate::profile::{ConsentManager, Position, Supplier};

/// What one slot of the site holds.
#[derive(Debug, Clone)]
pub struct Held<'a> {
    /// The slot.
    pub slot: &'a Slot,
    /// Its text today.
    pub text: String,
}

impl Held<'_> {
    /// What it would hold.
    fn then<'b>(&'b self, changes: &'b [SlotChange]) -> &'b str {
        let changed = changes.iter().find(|c| c.slot == self.slot.id);
        changed.map_or(self.text.as_str(), |c| c.after.as_str())
    }
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

impl<'a> Placing<'a> {
    /// The code for a slot, gated by the consent manager where the slot takes markup.
    ///
    /// # Errors
    /// Where the code would not survive the slot.
    pub fn code(&self, slot: &Slot) -> Result<Fitted, FitError> {
        fit(self.supplier, self.key, slot, self.consent)
    }

    /// A page with what all slots make of their texts, some of which would be others.
    fn page(&self, changes: &[SlotChange]) -> String {
        let (mut head, mut body) = (String::new(), String::new());
        for held in &self.slots {
            let made = becomes(self.supplier, held.slot, held.then(changes));
            match held.slot.position {
                Position::Head => head.push_str(&made),
                Position::BodyEnd => body.push_str(&made),
            }
        }
        proof_page(&head, &body)
    }

    fn pieces(&self, page: &str) -> Vec<Piece> {
        Inspector::new(self.supplier, self.consent).pieces_apart(page)
    }

    /// Runs, or waits for consent as it should, and with the right key.
    fn is_good(&self, piece: &Piece) -> bool {
        let state = matches!(piece.state, PieceState::Live | PieceState::ConsentHeld(_))
            // Script text that makes the element is seen as a mention of the loader.
            || (piece.state == PieceState::Mentioned && piece.excerpt.contains(self.key));
        state && piece.key.key().is_none_or(|k| k == self.key)
    }

    /// How often the whole snippet is there: a snippet may be of several pieces.
    fn times(&self, pieces: &[Piece]) -> usize {
        let shape = crate::placement::Shape::of(self.supplier);
        let of_one = (shape.externals + shape.inlines).max(1);
        let good = pieces.iter().filter(|p| self.is_good(p)).count();
        good.div_ceil(of_one)
    }

    /// A slot with this text brings the right code.
    fn brings(&self, slot: &Slot, text: &str) -> bool {
        let made = becomes(self.supplier, slot, text);
        let pieces = self.pieces(&format!("<body>{made}"));
        pieces.iter().any(|p| self.is_good(p))
    }

    /// The slot that brings the right code already.
    pub fn home(&self) -> Option<&'a Slot> {
        let mut slots = self.slots.iter();
        slots.find(|h| self.brings(h.slot, &h.text)).map(|h| h.slot)
    }

    fn where_good(&self, changes: &[SlotChange]) -> String {
        let has = |h: &&Held| self.brings(h.slot, h.then(changes));
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
    use crate::profile::tests::{SAMPLE, sample};

    fn slot(id: &str, takes: Takes) -> Slot {
        Slot {
            id: id.into(),
            name: format!("the {id}"),
            ..crate::platform::tests::slot(takes)
        }
    }

    /// A push into the first slot of a site whose slots hold these texts.
    fn push(
        texts: &[(Takes, &str)],
        consent: Option<&ConsentManager>,
    ) -> Result<Mend, PlacingError> {
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
        placing.mend(&slots[0])
    }

    /// What the first slot holds after it.
    fn first(mend: &Mend) -> &str {
        &mend
            .changes
            .iter()
            .find(|c| c.slot == "slot 0")
            .unwrap()
            .after
    }

    const COUNTER: &str = "<!-- counter -->\n<script src=\"/count.js\" defer></script>\n";

    #[test]
    fn a_push_into_a_clean_site_is_proven_in_every_kind_of_slot() {
        for takes in [Takes::Markup, Takes::Key, Takes::ScriptText] {
            let push = push(&[(takes, ""), (Takes::Markup, COUNTER)], None).unwrap();
            assert!(
                push.is_proven() && push.changes.len() == 1,
                "{takes:?}: {push:?}"
            );
        }
    }

    #[test]
    fn what_is_gated_is_proven_as_it_is_pushed() {
        let manager = consent().unwrap();
        let push = push(&[(Takes::Markup, "")], Some(&manager)).unwrap();
        assert!(
            first(&push).contains("type=\"text/plain\" data-wait"),
            "{push:?}"
        );
        assert!(push.is_proven());
    }

    /// Every damage of a copy is replaced in its place, told for what it is, and what others put there
    /// stays to the byte.
    #[test]
    fn every_damaged_copy_is_replaced_and_others_code_stays() {
        for (old, told) in [
            (
                format!("<p>{}</p>", GOOD.replace('<', "&lt;").replace('>', "&gt;")),
                Found::AsText,
            ),
            (
                format!(
                    "<div>\n{}\n</div>",
                    GOOD.replace('<', "&amp;lt;").replace('>', "&amp;gt;")
                ),
                Found::AsText,
            ),
            (GOOD.replace('"', "\u{201d}"), Found::Quotes),
            (
                format!("<!-- off for the holidays\n{GOOD}\n-->"),
                Found::Comment,
            ),
            (format!("<script>\n{GOOD}\n</script>"), Found::DoubleWrapped),
            (GOOD.replace("abcd-1234", "abcd-9999"), Found::Code),
            (
                GOOD.trim_end_matches("></script>")
                    .trim_end_matches('"')
                    .to_string(),
                Found::CutOff,
            ),
        ] {
            let held = format!("{COUNTER}{old}\n<p>ours</p>\n");
            let mend = push(&[(Takes::Markup, &held)], None).unwrap();
            assert!(mend.is_proven(), "{old}: {mend:?}");
            assert_eq!(
                first(&mend),
                format!("{COUNTER}{GOOD}\n<p>ours</p>\n"),
                "{old}"
            );
            assert_eq!(mend.told.len(), 1, "{old}: {mend:?}");
            assert!(
                mend.told[0].what.starts_with(told.words()),
                "{:?}",
                mend.told
            );
        }
    }

    #[test]
    fn second_copies_go_from_every_slot_and_an_extension_is_told_with_its_switch() {
        let twice = format!("{COUNTER}{GOOD}\n{GOOD}\n");
        let gone = format!("<!-- {GOOD} -->\nrest\n");
        let mend = push(
            &[
                (Takes::Markup, &twice),
                (Takes::Markup, &gone),
                (Takes::Key, "abcd-1234"),
                (Takes::ScriptText, &format!("var a = 1;\n{GOOD}")),
            ],
            None,
        )
        .unwrap();
        assert!(mend.is_proven(), "{mend:?}");
        let after: Vec<&str> = mend.changes.iter().map(|c| c.after.as_str()).collect();
        assert_eq!(after[..3], [&format!("{COUNTER}{GOOD}\n"), "rest\n", ""]);
        assert_eq!(after[3].trim(), "var a = 1;");
        assert_eq!(mend.told.len(), 4, "{:?}", mend.told);
        assert!(
            mend.told[2].what.contains("show switch"),
            "{:?}",
            mend.told[2]
        );
    }

    /// Somebody else's broken tag swallows what stands behind it: taking ours out of it would only let it
    /// swallow more, so it stays. The page has the other copy once.
    #[test]
    fn what_a_broken_tag_of_others_swallows_stays() {
        let held = format!("{GOOD}<script src={GOOD}cdn.example.test");
        let mend = push(&[(Takes::Markup, &held)], None).unwrap();
        assert!(mend.changes.is_empty(), "{mend:?}");
        // In front of ours: nothing is pushed that would be swallowed.
        let open = push(&[(Takes::Markup, "<script src=\n")], None);
        assert!(matches!(open, Err(PlacingError::Swallowed(_))), "{open:?}");
    }

    /// A script of somebody else's that brings the widget among other things is not ours to cut.
    #[test]
    fn what_only_mentions_the_supplier_stays() {
        let others = "<script>var list = [\"https://cdn.example.test/l.js\", \"https://other.test/a.js\"]; go(list);</script>\n";
        let mend = push(&[(Takes::Markup, ""), (Takes::Markup, others)], None).unwrap();
        assert_eq!(mend.changes.len(), 1, "{mend:?}");
        // In a comment with others' markup only our part goes.
        let shared = format!("<!-- old: {GOOD}<script src=/count.js></script> -->\n");
        let mend = push(&[(Takes::Markup, ""), (Takes::Markup, &shared)], None).unwrap();
        let after = &mend
            .changes
            .iter()
            .find(|c| c.slot == "slot 1")
            .unwrap()
            .after;
        assert_eq!(after, "<!-- old: <script src=/count.js></script> -->\n");
    }

    /// One supplier is replaced by another: the old code goes from every slot, the new one stands once.
    #[test]
    fn another_suppliers_code_goes_only_where_it_is_wanted() {
        let other = SAMPLE
            .replace("\"example\"", "\"wattle\"")
            .replace("Example", "Wattle")
            .replace("cdn.example.test", "cdn.wattle.test");
        let other = Supplier::from_toml(&other).unwrap();
        let old = GOOD.replace("cdn.example.test", "cdn.wattle.test");
        let supplier = sample();
        let (a, b) = (slot("slot 0", Takes::Markup), slot("slot 1", Takes::Markup));
        let placing = Placing {
            supplier: &supplier,
            key: "abcd-1234",
            consent: None,
            slots: vec![
                Held {
                    slot: &a,
                    text: format!("{COUNTER}{old}\n"),
                },
                Held {
                    slot: &b,
                    text: format!("<!-- {old} -->\nrest\n"),
                },
            ],
        };
        let others = std::slice::from_ref(&other);
        assert_eq!(placing.others(others), [other.name.as_str()]);
        let kept = placing.mend(&a).unwrap();
        assert!(
            first(&kept).contains("cdn.wattle.test"),
            "nothing of others goes unasked"
        );
        let swapped = placing.swap(&a, others).unwrap();
        let after: Vec<&str> = swapped.changes.iter().map(|c| c.after.as_str()).collect();
        assert_eq!(after, [&format!("{COUNTER}{GOOD}\n"), "rest\n"]);
        assert_eq!(swapped.changes[0].before, format!("{COUNTER}{old}\n"));
        assert!(
            swapped.is_proven() && swapped.told.len() == 3,
            "{:?}",
            swapped.told
        );
    }

    #[test]
    fn a_slot_that_swallows_is_refused() {
        let open = push(&[(Takes::Markup, "<!-- off for now")], None).unwrap_err();
        assert!(matches!(open, PlacingError::Swallowed(_)), "{open}");
    }

    #[test]
    fn pushing_twice_is_once() {
        for takes in [Takes::Markup, Takes::ScriptText, Takes::Key] {
            let once = push(&[(takes, "")], None).unwrap();
            let twice = push(&[(takes, first(&once))], None).unwrap();
            assert!(
                twice.changes.is_empty() && twice.is_proven(),
                "{takes:?}: {twice:?}"
            );
        }
        // With another key in script text, the form is found all the same.
        let old = push(&[(Takes::ScriptText, "")], None).unwrap();
        let old = first(&old).replace("abcd-1234", "abcd-9999");
        let mend = push(&[(Takes::ScriptText, &format!("var a = 1;\n{old}"))], None).unwrap();
        assert!(first(&mend).starts_with("var a = 1;\n") && !first(&mend).contains("9999"));
        assert!(mend.is_proven());
    }

    #[test]
    fn taking_off_leaves_nothing_of_the_supplier() {
        let supplier = sample();
        let (a, b) = (slot("a", Takes::Markup), slot("b", Takes::Key));
        let placing = Placing {
            supplier: &supplier,
            key: "abcd-1234",
            consent: None,
            slots: vec![
                Held {
                    slot: &a,
                    text: format!("{COUNTER}{GOOD}\n"),
                },
                Held {
                    slot: &b,
                    text: "abcd-1234".into(),
                },
            ],
        };
        let (changes, told, left) = placing.clear();
        let after: Vec<&str> = changes.iter().map(|c| c.after.as_str()).collect();
        assert_eq!((after, told.len(), left.len()), (vec![COUNTER, ""], 2, 0));
    }

    proptest::proptest! {
        /// Whatever stands in a slot, others' text stays in its order and nothing panics.
        #[test]
        fn any_text_is_answered(parts in proptest::collection::vec(proptest::sample::select(vec![
            "<!--", "-->", "<script>", "</script>", "&lt;script", "&lt;/script&gt;", "<p>", "</p>", "x\n", "\u{201d}\u{e9}",
            "<script async src=\"https://cdn.example.test/l.js\" data-key=\"abcd-1234\"></script>", "cdn.example.test", "<script src=",
        ]), 0..12)) {
            let held = parts.concat();
            if let Ok(mend) = push(&[(Takes::Markup, &held)], None)
                && let Some(change) = mend.changes.first()
            {
                // A second push has nothing to do.
                let again = push(&[(Takes::Markup, &change.after)], None);
                proptest::prop_assert!(again.is_err() || again.unwrap().changes.is_empty(), "{held} -> {}", change.after);
            }
        }
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
