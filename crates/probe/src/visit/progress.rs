//! What a visit notes on its way from stage to stage.

use super::tab::Tab;
use newtfern_model::profile::Supplier;
use newtfern_standards::observation::{Launcher, Look, NotCheckedReason};
use std::time::Duration;

impl Tab {
    /// The document came whole.
    pub(super) fn document_arrived(&self) -> bool {
        self.with(|s| s.document_done && s.seen.page.status.is_some())
    }

    /// The document's answer began to come.
    pub(super) fn has_answer(&self) -> bool {
        self.with(|s| s.seen.page.status.is_some())
    }

    /// The launcher was seen at some time.
    pub(super) fn was_shown(&self) -> bool {
        self.with(|s| s.launcher_ms.is_some())
    }

    /// Alive; by the launcher where the profile has no sign.
    pub(super) fn is_alive_or(&self, supplier: &Supplier) -> bool {
        match supplier.alive.script.trim() {
            "" => self.was_shown(),
            _ => self.is_alive(),
        }
    }

    /// The visit begins to move, scroll and press a key: what comes from now on may come of that,
    /// though the page has not yet been given all of it.
    pub(super) fn note_nudge(&self) {
        self.with(|s| {
            s.nudged_ms = Some(s.now_ms());
            s.seen.alive.nudged = true;
        });
    }

    /// The sign is true now; when it became so was missed.
    pub(super) fn note_alive_now(&self) {
        self.with(|s| {
            let now = s.now_ms();
            s.alive_ms.get_or_insert(now);
            s.seen.alive.after_interaction = s.nudged_ms.is_some();
        });
    }

    /// The widget was waited for to the end, or came.
    pub(super) fn note_start(&self) {
        self.with(|s| {
            let until_ms = s.now_ms();
            let look = |came: Option<f64>| match came {
                Some(at_ms) => Look::Seen { at_ms },
                None => Look::NotThere { until_ms },
            };
            s.seen.looks.alive = look(s.alive_ms);
            s.seen.looks.launcher = look(s.launcher_ms);
        });
    }

    /// The launcher as it was read, with what was seen of it before.
    pub(super) fn note_launcher(&self, launcher: Launcher) {
        self.with(|s| {
            let lost_ms = s.seen.launcher.take().and_then(|l| l.lost_ms);
            let visible =
                launcher.present && launcher.hidden_by.is_none() && launcher.rect.area() > 0.0;
            let now = s.now_ms();
            s.shown |= visible;
            // What is there in the end was there, whenever it came.
            if visible && s.launcher_ms.is_none() {
                s.launcher_ms = Some(now);
                s.seen.looks.launcher = Look::Seen { at_ms: now };
            }
            s.seen.launcher = Some(Launcher {
                lost_ms: lost_ms.filter(|_| !visible),
                ..launcher
            });
        });
    }

    /// The profile does not say how to work the launcher.
    pub(super) fn close_looks_of_operation(&self) {
        let why = NotCheckedReason::NoEntry;
        self.mark(|o| {
            o.looks.opening = Look::NotLooked { why };
            o.looks.closing = Look::NotLooked { why };
            o.looks.keyboard = Look::NotLooked { why };
        });
    }

    /// Waits until the launcher has been there for so long, or is gone.
    pub(super) async fn watch_on(&self, stay_ms: u64) {
        let came = self.with(|s| s.launcher_ms.unwrap_or_else(|| s.now_ms()));
        let left = stay_ms as f64 - self.spent_ms(came);
        if left > 0.0 {
            let left = Duration::from_secs_f64(left / 1000.0);
            self.wait_until(left, |s| s.over).await;
        }
    }
}
