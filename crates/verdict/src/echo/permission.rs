//! Whether a test talk may be had: each costs the client one, and rings the phones of those who
//! answer.

use newtfern_model::expectation::Hours;

/// Reason why no test chat may be made now: each costs the client a chat and rings the phones of
/// those who answer.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum NoTest {
    /// The month's are used up.
    #[error(
        "the limit of {budget} test chats a month is used up: {made} were made this month in \
        {client}\u{2019}s account with {supplier}. Raise the limit in Settings, or test next month"
    )]
    Budget {
        /// Number of test chats this month.
        made: i64,
        /// Number of test chats allowed.
        budget: u32,
        /// Client whose account it is.
        client: String,
        /// Supplier of the account.
        supplier: String,
    },
    /// Nobody is there to answer.
    #[error(
        "chat is not staffed now ({hours}), and a test would disturb people: send it within the \
        hours"
    )]
    Quiet {
        /// The hours, in words.
        hours: String,
    },
}

/// May a test talk be had now? `staffed` is nothing where the site has no hours. Outside them a
/// message can be left where the supplier's profile says how: that rings nowhere.
///
/// # Errors
/// [`NoTest`], with the reason.
pub fn may_test(
    (client, supplier): (&str, &str),
    (made, budget): (i64, u32),
    staffed: Option<bool>,
    can_leave: bool,
    hours: &[Hours],
) -> Result<(), NoTest> {
    if staffed == Some(false) && !can_leave {
        let hours: Vec<String> = hours.iter().map(Hours::to_string).collect();
        return Err(NoTest::Quiet {
            hours: hours.join("; "),
        });
    }
    if made >= i64::from(budget) {
        return Err(NoTest::Budget {
            made,
            budget,
            client: client.into(),
            supplier: supplier.into(),
        });
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_test_waits_for_hours_and_for_the_next_month() {
        let may = |made, staffed| may_test(("Kites", "Brindle"), (made, 10), staffed, false, &[]);
        assert_eq!(may(9, None), Ok(()));
        assert_eq!(may(9, Some(true)), Ok(()));
        let used = may(10, Some(true)).unwrap_err().to_string();
        assert!(used.contains("10 were made this month in Kites"), "{used}");
        let quiet = may(0, Some(false)).unwrap_err().to_string();
        assert!(quiet.contains("chat is not staffed now"), "{quiet}");
        let left = may_test(("Kites", "Brindle"), (0, 10), Some(false), true, &[]);
        assert_eq!(left, Ok(()), "a left message rings nowhere");
    }
}
