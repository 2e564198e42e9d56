//! The acts by subject: one handle each.

use crate::Acts;
use newtfern_store::{Care, Queue, Reads};

newtfern_store::handles! {
    Acts as acts;
    /// Signs people in and out, changes them, their passwords and second factors.
    people -> PeopleActs;
    /// Changes clients, their sheets and designs.
    clients -> ClientActs;
    /// Hands over: sheets, diaries, instructions for others.
    handing -> HandingActs;
    /// Adds, changes and removes sites.
    sites -> SiteActs;
    /// Imports files of sites.
    imports -> ImportActs;
    /// Changes profiles of suppliers, platforms and consent managers.
    profiles -> ProfileActs;
    /// Keeps secrets and says where each may go.
    tokens -> TokenActs;
    /// Keeps results of checks.
    checks -> CheckActs;
    /// Starts and cancels rounds.
    rounds -> RoundActs;
    /// Changes settings of the house.
    settings -> SettingActs;
    /// Publishes and removes code on sites.
    placing -> PlacingActs;
    /// Writes designs and rules at suppliers.
    consoles -> ConsoleActs;
    /// Settles writes that broke off.
    writes -> WriteActs;
}

impl Acts {
    /// The database, for reading.
    pub fn reads(&self) -> Reads<'_> {
        self.store.reads()
    }

    /// The jobs, for workers.
    pub fn queue(&self) -> Queue<'_> {
        self.store.queue()
    }

    /// Returns the work that the clock asks for.
    pub fn care(&self) -> Care<'_> {
        self.store.care()
    }
}
