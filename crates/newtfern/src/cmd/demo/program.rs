//! The demo as a program that acts.

use anyhow::Result;
use newtfern_acts::{Actor, Acts};
use newtfern_standins::estate::SITES;

pub(super) fn program() -> Actor {
    Actor::program("Newtfern")
}

pub(super) async fn ids_of(
    acts: &Acts,
    port: u16,
    hosts: impl Iterator<Item = &str>,
) -> Result<Vec<i64>> {
    let mut ids = Vec::new();
    for host in hosts {
        if let Some(s) = SITES.iter().find(|s| s.host == host) {
            ids.extend(acts.reads().sites().site_by_url(&s.address(port)).await?);
        }
    }
    Ok(ids)
}
