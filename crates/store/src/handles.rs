//! The database by subject: one handle each.
//!
//! [`Reads`] hands out those that change nothing. The others are handed out by [`Store`] alone,
//! like transactions.

use crate::Store;

/// Declares handles by subject, and the function of their owner that hands out each.
#[macro_export]
macro_rules! handles {
    ($owner:ident as $field:ident; $($(#[$doc:meta])* $name:ident -> $Handle:ident;)*) => {
        $(
            $(#[$doc])*
            #[derive(Clone, Copy)]
            pub struct $Handle<'a> {
                pub(crate) $field: &'a $owner,
            }

            impl $owner {
                $(#[$doc])*
                pub fn $name(&self) -> $Handle<'_> {
                    $Handle { $field: self }
                }
            }
        )*
    };
}

/// Lets [`Reads`] hand out a handle too.
macro_rules! readable {
    ($($name:ident -> $Handle:ident;)*) => {
        impl<'a> Reads<'a> {
            $(
                #[doc = concat!("As [`Store::", stringify!($name), "`].")]
                pub fn $name(self) -> $Handle<'a> {
                    self.0.$name()
                }
            )*
        }
    };
}

handles! {
    Store as store;
    /// Reads people, their sessions and second factors, and the audit trail.
    people -> PeopleRows;
    /// Reads clients with their sheets and tokens.
    clients -> ClientRows;
    /// Reads single sites, their standings, surveys and removals.
    sites -> SiteRows;
    /// Reads lists of sites by a filter.
    lists -> ListRows;
    /// Reads handover sheets, diaries and instructions for others.
    handing -> HandingRows;
    /// Reads profiles of suppliers, platforms and consent managers.
    profiles -> ProfileRows;
    /// Reads settings of the house.
    settings -> SettingRows;
    /// Reads checks, their evidence and tests by hand.
    checks -> CheckRows;
    /// Reads rounds and their jobs.
    rounds -> RoundRows;
    /// Reads what was published, and where.
    writing -> WritingRows;
    /// Takes jobs and visits and gives them back.
    queue -> Queue;
    /// Follows imports from upload to end.
    imports -> ImportRows;
    /// Follows writes that were begun.
    begun -> BegunRows;
    /// Does what the clock asks for.
    care -> Care;
}

/// The database for those who only read.
#[derive(Clone, Copy)]
pub struct Reads<'a>(pub(crate) &'a Store);

readable! {
    people -> PeopleRows;
    clients -> ClientRows;
    sites -> SiteRows;
    lists -> ListRows;
    handing -> HandingRows;
    profiles -> ProfileRows;
    settings -> SettingRows;
    checks -> CheckRows;
    rounds -> RoundRows;
    writing -> WritingRows;
}

impl Store {
    /// The database for those who only read.
    pub fn reads(&self) -> Reads<'_> {
        Reads(self)
    }
}
