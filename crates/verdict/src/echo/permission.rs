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

/// A client's account with a supplier, and the test chats of this month that are asked of it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct AccountTests {
    /// Client whose account it is.
    pub client: String,
    /// Supplier of the account.
    pub supplier: String,
    /// Test chats that were made this month.
    pub made: i64,
    /// Sites whose test is asked for, in their order.
    pub asked: Vec<i64>,
    /// Those of them that the month's limit leaves room for.
    pub fits: Vec<i64>,
}

impl AccountTests {
    /// Takes as many of the sites as the limit leaves room for, the first ones.
    pub fn within(mut self, budget: u32) -> AccountTests {
        let left = usize::try_from(i64::from(budget) - self.made).unwrap_or_default();
        self.fits = self.asked.iter().copied().take(left).collect();
        self
    }

    /// Returns how many of the sites must wait.
    pub fn left_out(&self) -> usize {
        self.asked.len() - self.fits.len()
    }
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

    #[test]
    fn a_round_takes_what_the_months_limit_leaves_room_for() {
        let account = |made| AccountTests {
            client: "Lenn Kite Workshop".into(),
            supplier: "Example Chat".into(),
            made,
            asked: vec![3, 5, 8],
            fits: Vec::new(),
        };
        let taken = |made| account(made).within(4).fits;
        assert_eq!((taken(0), taken(2)), (vec![3, 5, 8], vec![3, 5]));
        assert_eq!((taken(4), taken(9)), (vec![], vec![]));
        assert_eq!(account(3).within(4).left_out(), 2);
    }
}
