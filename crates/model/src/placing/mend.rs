//! What a push makes of all slots of a site: wrong, old and second copies go, the right code stands
//! once, in the slot that was chosen. Told piece by piece.

use super::spans::{Span, SpanKind, in_markup, in_script};
use super::{Placing, PlacingError, SlotContent};
use crate::placement::PieceState;
use crate::placing::held::SlotChange;
use crate::platform::{Fitted, Slot, SlotInput};
use crate::profile::{ConsentManager, Supplier};
use newtfern_standards::slot_text;

/// One step of a push.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PlannedChange {
    /// Slot's name on the platform.
    pub slot: String,
    /// Change as a sentence for people.
    pub what: String,
    /// The beginning of the piece, where there is one.
    pub excerpt: String,
}

impl PlannedChange {
    /// Returns the step for a piece of a slot's text.
    fn of(slot: &Slot, what: impl Into<String>, piece: &str) -> PlannedChange {
        PlannedChange {
            slot: slot.name.clone(),
            what: what.into(),
            excerpt: crate::placement::excerpt(piece),
        }
    }
}

/// Changes that a push would make.
#[derive(Debug, Clone)]
pub struct Mend {
    /// The code that goes in, and what the slot makes of it.
    pub fitted: Fitted,
    /// Slots that change; empty where all is right already.
    pub changes: Vec<SlotChange>,
    /// Each thing that is done.
    pub told: Vec<PlannedChange>,
    /// Pieces of the supplier that stay and must be taken out by hand; empty where the push is
    /// proven.
    pub left: Vec<String>,
}

impl Mend {
    /// The page that results holds the snippet once, with its key, and nothing else of the
    /// supplier.
    pub fn is_proven(&self) -> bool {
        self.left.is_empty()
    }
}

/// A slot's text without the code of other suppliers. Whose key a key field holds, nobody can tell.
fn without_others(
    held: &SlotContent,
    others: &[Supplier],
    consent: Option<&ConsentManager>,
    told: &mut Vec<PlannedChange>,
) -> String {
    let mut text = held.text.clone();
    for other in others {
        let now = SlotContent {
            slot: held.slot,
            text: text.clone(),
        };
        let spans = pieces_of(other, consent, &now);
        for span in &spans {
            let what = format!("the code of {} is removed", other.name);
            told.push(PlannedChange::of(held.slot, what, &text[span.at.clone()]));
        }
        text = without(&text, &spans.iter().collect::<Vec<_>>(), None);
    }
    text
}

fn pieces_of(
    supplier: &Supplier,
    consent: Option<&ConsentManager>,
    held: &SlotContent,
) -> Vec<Span> {
    match held.slot.takes {
        SlotInput::Markup | SlotInput::Snippet => in_markup(supplier, consent, &held.text),
        SlotInput::ScriptText => in_script(supplier, consent, &held.text),
        SlotInput::Key | SlotInput::Address | SlotInput::Switch => Vec::new(),
    }
}

fn is_field(slot: &Slot) -> bool {
    matches!(
        slot.takes,
        SlotInput::Key | SlotInput::Address | SlotInput::Switch
    )
}

/// A text without some pieces; a line that is left empty by it goes too. One piece may be replaced.
fn without(text: &str, gone: &[&Span], replaced: Option<(&Span, &str)>) -> String {
    let mut out = String::new();
    let mut at = 0;
    for span in gone {
        out.push_str(&text[at..span.at.start]);
        at = span.at.end;
        if let Some((_, code)) = replaced.filter(|(s, _)| s == span) {
            out.push_str(code);
            continue;
        }
        let line_begins = out.is_empty() || out.ends_with('\n');
        if line_begins && text[at..].starts_with('\n') {
            at += 1;
        }
    }
    out.push_str(&text[at..]);
    out
}

impl Placing<'_> {
    /// The pieces of a slot that are this widget's: those of its siblings are left out.
    fn own_pieces(&self, held: &SlotContent) -> Vec<Span> {
        let mut spans = pieces_of(self.supplier, self.consent, held);
        spans.retain(|s| !self.is_siblings(&held.text[s.at.clone()]));
        spans
    }

    /// Returns the changes of pushing into a slot, over all slots of the site.
    ///
    /// # Errors
    /// [`PlacingError`], where it would do harm.
    pub fn mend(&self, target: &Slot) -> Result<Mend, PlacingError> {
        let fitted = self.code(target)?;
        let Some(held) = self.slots.iter().find(|h| h.slot.id == target.id) else {
            return Err(PlacingError::Unread(target.name.clone()));
        };
        if is_field(target) && self.is_siblings(&held.text) {
            return Err(PlacingError::Taken(target.name.clone()));
        }
        let mut told = Vec::new();
        let mut changes = Vec::new();
        let there = self
            .slots
            .iter()
            .any(|h| h.slot.id == target.id && self.brings(h.slot, &h.text));
        // What is the only copy so far is no second one: it moves.
        let why = match there {
            true => "it adds a second copy".to_string(),
            false => format!("the code goes to {} instead", target.name),
        };
        for held in &self.slots {
            let after = match held.slot.id == target.id {
                true => self.filled(held, &fitted, &mut told),
                false => self.emptied(held, &why, &mut told),
            };
            changes.extend(SlotChange::of(held, after));
        }
        let left = self.proof(&changes)?;
        if fitted.at_manager.is_some() && !changes.is_empty() {
            let what = "its code cannot wait for consent: set the consent manager to block the \
                supplier\u{2019}s hosts first";
            told.push(PlannedChange::of(target, what, ""));
        }
        Ok(Mend {
            fitted,
            changes,
            told,
            left,
        })
    }

    /// Returns the changes of replacing one supplier by another: the code of the others is taken
    /// out of all slots. As [`Placing::mend`] otherwise.
    ///
    /// # Errors
    /// [`PlacingError`], where it would do harm.
    pub fn swap(&self, target: &Slot, others: &[Supplier]) -> Result<Mend, PlacingError> {
        let mut told = Vec::new();
        let cleaned = Placing {
            supplier: self.supplier,
            key: self.key,
            siblings: self.siblings.clone(),
            consent: self.consent,
            slots: self
                .slots
                .iter()
                .map(|h| SlotContent {
                    slot: h.slot,
                    text: without_others(h, others, self.consent, &mut told),
                })
                .collect(),
        };
        let mut out = cleaned.mend(target)?;
        told.append(&mut out.told);
        out.told = told;
        // From what the slots hold to what they would hold, whoever took out what.
        let after = |h: &SlotContent| {
            let changed = out.changes.iter().find(|c| c.slot == h.slot.id);
            let clean = cleaned.slots.iter().find(|c| c.slot.id == h.slot.id);
            let text = changed.map(|c| c.after.clone());
            text.or_else(|| clean.map(|c| c.text.clone()))
                .unwrap_or_default()
        };
        let changes = self.slots.iter();
        out.changes = changes
            .filter_map(|h| SlotChange::of(h, after(h)))
            .collect();
        Ok(out)
    }

    /// Names of other suppliers whose code stands in the slots.
    pub fn others(&self, others: &[Supplier]) -> Vec<String> {
        let there = |o: &&Supplier| {
            self.slots
                .iter()
                .any(|h| !pieces_of(o, self.consent, h).is_empty())
        };
        others
            .iter()
            .filter(there)
            .map(|o| o.name.clone())
            .collect()
    }

    /// Returns the changes of taking the widget off a site: every slot without it.
    pub fn clear(&self) -> (Vec<SlotChange>, Vec<PlannedChange>, Vec<String>) {
        let (mut told, mut changes) = (Vec::new(), Vec::new());
        for held in &self.slots {
            let after = self.emptied(held, "the widget is taken off", &mut told);
            changes.extend(SlotChange::of(held, after));
        }
        let page = self.page(&changes);
        let left = self.pieces(&page).into_iter().map(|p| p.excerpt);
        (changes, told, left.collect())
    }

    /// The chosen slot: its right copy is kept where there is one, the first wrong one is replaced
    /// in its place, others go.
    fn filled(&self, held: &SlotContent, fitted: &Fitted, told: &mut Vec<PlannedChange>) -> String {
        let mut tell =
            |what: &str, piece: &str| told.push(PlannedChange::of(held.slot, what, piece));
        let code = fitted.code.trim_end();
        if is_field(held.slot) {
            if held.text.trim() != code {
                let what = match held.text.trim() {
                    "" => "gets the key",
                    _ => "gets this site's key in place of its present content",
                };
                tell(what, &held.text);
                return fitted.code.clone();
            }
            return held.text.clone();
        }
        let spans = self.own_pieces(held);
        let text = |s: &Span| &held.text[s.at.clone()];
        let right = spans
            .iter()
            .find(|s| s.found == SpanKind::Code && text(s).trim() == code.trim());
        let first = right.or(spans.first());
        let Some(first) = first else {
            tell("gets the code at its end", "");
            return slot_text::push(&held.text, code, None).text;
        };
        let gone: Vec<&Span> = spans
            .iter()
            .filter(|s| right.is_none() || *s != first)
            .collect();
        for span in &gone {
            let piece = text(span);
            match *span == first {
                true => tell(
                    &format!("{} is replaced with the right code", span.found.words()),
                    piece,
                ),
                false => tell(&format!("{} is removed", span.found.words()), piece),
            }
        }
        without(&held.text, &gone, right.is_none().then_some((first, code)))
    }

    /// Another slot: it holds nothing of the supplier afterwards.
    fn emptied(&self, held: &SlotContent, why: &str, told: &mut Vec<PlannedChange>) -> String {
        let mut tell =
            |what: String, piece: &str| told.push(PlannedChange::of(held.slot, what, piece));
        if is_field(held.slot) {
            if held.text.trim().is_empty() || self.is_siblings(&held.text) {
                return held.text.clone();
            }
            let switch = match held.slot.undo.as_str() {
                "" => "also turn off its own display switch".to_string(),
                undo => format!("also by hand: {undo}"),
            };
            tell(format!("is emptied because {why}; {switch}"), &held.text);
            return String::new();
        }
        let spans = self.own_pieces(held);
        for span in &spans {
            tell(
                format!("{} is removed", span.found.words()),
                &held.text[span.at.clone()],
            );
        }
        without(&held.text, &spans.iter().collect::<Vec<_>>(), None)
    }

    /// The page that results, looked through: the right code once; what of the supplier is left
    /// beside it.
    fn proof(&self, changes: &[SlotChange]) -> Result<Vec<String>, PlacingError> {
        let pieces = self.pieces(&self.page(changes));
        let good = pieces.iter().filter(|p| self.is_good(p)).count();
        if good == 0 {
            let seen: Vec<String> = pieces.iter().map(|p| p.excerpt.clone()).collect();
            return Err(PlacingError::Swallowed(seen.join("; ")));
        }
        if self.times(&pieces) > 1 {
            return Err(PlacingError::Twice(self.where_good(changes)));
        }
        let wrong = pieces
            .iter()
            .filter(|p| !self.is_good(p) && p.state != PieceState::Mentioned);
        Ok(wrong.map(|p| p.excerpt.clone()).collect())
    }
}
