//! How much a visit keeps in all, beside its documents: what comes beyond that is left out, and the
//! observation says so.

use super::Collector;
use newtfern_standards::observation::LeftOut;
use serde::Serialize;

/// Bytes of JSON that a visit may have, without its documents.
pub const MOST_VISIT: usize = 2_000_000;

/// Bytes of a visit that may come while the page loads. The rest is for what is read at the end,
/// each of it bounded by itself: the launcher, fixed elements, the panel's text.
const MOST_COMING: usize = MOST_VISIT - 300_000;

/// A request gets more when it is answered: status, times, sizes.
pub const ANSWER_BYTES: usize = 150;

impl Collector {
    /// Returns whether there is room for one more item of a list; if not, that is noted.
    pub(in crate::visit) fn room<T: Serialize>(&mut self, what: LeftOut, item: &T) -> bool {
        let bytes = serde_json::to_vec(item).map_or(usize::MAX, |json| json.len());
        self.room_for(what, bytes)
    }

    /// Returns whether there is room for one more item of a list that has `len` and may have
    /// `most`.
    pub(in crate::visit) fn room_in<T: Serialize>(
        &mut self,
        what: LeftOut,
        (len, most): (usize, usize),
        item: &T,
    ) -> bool {
        if len >= most {
            self.leave_out(what);
            return false;
        }
        self.room(what, item)
    }

    /// Returns whether there is room for so many bytes more; if not, that is noted.
    pub(in crate::visit) fn room_for(&mut self, what: LeftOut, bytes: usize) -> bool {
        let kept = self.kept.saturating_add(bytes);
        if kept > MOST_COMING {
            self.leave_out(what);
            return false;
        }
        self.kept = kept;
        true
    }

    /// A text that an answer brings; empty where there is no room for it.
    pub(in crate::visit) fn fit(&mut self, text: String) -> String {
        match self.room(LeftOut::Answers, &text) {
            true => text,
            false => String::new(),
        }
    }

    /// Notes that a list is not whole.
    pub(in crate::visit) fn leave_out(&mut self, what: LeftOut) {
        if !self.seen.left_out.contains(&what) {
            self.seen.left_out.push(what);
        }
    }
}
