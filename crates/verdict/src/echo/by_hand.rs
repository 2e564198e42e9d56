//! A test that a person makes, where the supplier's console has no interface: Newtfern writes the
//! message, and the person ticks what they saw.

use super::{EchoResult, StopReason};
use crate::echo::seen::ByHand;

/// Answers in the form of a test by hand.
#[derive(Debug, Clone, Default)]
pub struct Ticks {
    /// Whether it could be sent.
    pub sent: bool,
    /// Whether it was at the console.
    pub arrived: bool,
    /// Whether it was answered there.
    pub answered: bool,
    /// The answer was in the widget.
    pub answer_seen: bool,
    /// The talk was closed and its contact removed.
    pub tidied: bool,
    /// The page that the console names, where one was given.
    pub page: String,
    /// Note in their own words.
    pub note: String,
}

impl Ticks {
    /// The first tick that cannot be without one before it.
    ///
    /// # Errors
    /// In words for the person.
    pub fn sound(&self) -> Result<(), &'static str> {
        match self {
            t if t.arrived && !t.sent => {
                Err("A message cannot arrive without being sent. Tick that you sent it too.")
            }
            t if t.answered && !t.arrived => {
                Err("A message cannot be answered before it arrives. Tick that it arrived too.")
            }
            t if t.answer_seen && !t.answered => {
                Err("An answer cannot appear before you give it. Tick that you answered too.")
            }
            _ => Ok(()),
        }
    }

    /// Returns the ticks as a test's result. A message that arrived and was not answered says
    /// nothing of the way back: that test is not at its end.
    pub fn seen(self, url: &str, text: &str, by: &str) -> EchoResult {
        let open = self.arrived && !self.answered;
        EchoResult {
            url: url.into(),
            text: text.into(),
            sent: self.sent,
            page_at_console: self.page,
            stopped_by: open.then_some(StopReason::Deadline),
            stopped: match open {
                true => "it was not answered in the console, so the way back was not tested",
                false => "",
            }
            .into(),
            tidied: (self.arrived && self.tidied).then_some(super::CleanUp::Asked),
            by_hand: Some(ByHand {
                by: by.into(),
                arrived: self.arrived,
                answer_seen: self.answer_seen,
                note: self.note,
            }),
            ..EchoResult::default()
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::echo::judge;
    use crate::family::{Standing, echo::assess};
    use newtfern_model::code::Code;
    use newtfern_model::design::Design;

    fn ticks(n: usize) -> Ticks {
        Ticks {
            sent: n > 0,
            arrived: n > 1,
            answered: n > 2,
            answer_seen: n > 3,
            ..Ticks::default()
        }
    }

    #[test]
    fn each_tick_that_is_missing_has_its_verdict() {
        let seen = |n| ticks(n).seen("https://kites.example/", "Hello (no. 7)", "Ann");
        let code = |n| judge(&seen(n)).first().map(|f| f.code);
        assert_eq!(code(0), Some(Code::EchoNotSent));
        assert_eq!(code(1), Some(Code::EchoNotArrived));
        assert_eq!(code(3), Some(Code::EchoNoAnswer));
        assert_eq!(code(4), None);
        // Not answered at the console: the widget is not to blame.
        assert_eq!(
            assess(&seen(2), &Design { values: Vec::new() }).standing,
            Standing::Undecided
        );
        let whole = assess(&seen(4), &Design { values: Vec::new() });
        assert_eq!(whole.standing, Standing::Passing);
        assert_eq!(
            whole.summary,
            "Message and answer arrived in a manual test (Ann)."
        );
    }

    #[test]
    fn ticks_that_contradict_each_other_are_refused() {
        let jumped = Ticks {
            sent: true,
            answered: true,
            ..Ticks::default()
        };
        assert!(jumped.sound().unwrap_err().contains("Tick that it arrived"));
        assert_eq!(ticks(4).sound(), Ok(()));
    }
}
