//! Who acts.

use crate::error::{ActError, Result};
use newtfern_store::access::people::{Person, Role};

/// Person, program or link holder that an act is done for.
#[derive(Debug, Clone)]
pub struct Actor {
    /// Name that people know them by.
    pub name: String,
    /// Mail address; empty for programs and for people without an account. Two people may have one
    /// name.
    pub address: String,
    /// Role that says what they may do.
    pub role: Role,
}

impl Actor {
    /// A program of ours.
    pub fn program(name: &str) -> Actor {
        Actor {
            name: name.to_string(),
            address: String::new(),
            role: Role::Administrator,
        }
    }

    /// Returns the actor for somebody who can sign in.
    pub fn of(person: &Person) -> Actor {
        Actor {
            name: person.name.clone(),
            address: person.email.clone(),
            role: person.role(),
        }
    }

    /// Returns the name that the audit trail shows.
    pub fn in_trail(&self) -> String {
        match self.address.is_empty() {
            true => self.name.clone(),
            false => format!("{} ({})", self.name, self.address),
        }
    }

    pub fn may(&self, least: Role) -> Result<()> {
        has_role(self.role, least)
    }
}

/// Says whether a role may do what asks for at least another.
///
/// # Errors
/// [`ActError::Forbidden`], with what to do.
pub fn has_role(role: Role, least: Role) -> Result<()> {
    if role >= least {
        return Ok(());
    }
    Err(ActError::Forbidden(match least {
        Role::Administrator => "Only an administrator can change this.",
        _ => "Your role allows viewing only. Ask an administrator for the role of technician.",
    }))
}
