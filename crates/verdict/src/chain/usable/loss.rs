//! Which looks at the use of the widget cost nothing when they were not made.

use newtfern_standards::observation::NotCheckedReason;

/// Returns whether what was not looked at is no loss: the profile does not say how, or the widget
/// opens in a window of its own.
pub(super) fn is_no_loss(why: NotCheckedReason) -> bool {
    matches!(why, NotCheckedReason::NoEntry | NotCheckedReason::OwnWindow)
}
