//! How many sites take each value from the house style.

use crate::Result;
use crate::handles::ClientActs;
use newtfern_model::design::{Field, Layer};
use std::collections::HashMap;

/// Sites that take a value from the house style.
#[derive(Debug, Default)]
pub struct Reach {
    /// Number of sites in all.
    pub sites: i64,
    /// Sites whose own layer or client says otherwise, by field.
    otherwise: HashMap<Field, i64>,
}

impl Reach {
    /// Sites that take this value from the house style.
    pub fn of(&self, field: Field) -> i64 {
        self.sites - self.otherwise.get(&field).copied().unwrap_or_default()
    }
}

impl ClientActs<'_> {
    /// Counts the sites that a change of the house style reaches.
    pub async fn reach_of_house_style(self) -> Result<Reach> {
        let layers = self.acts.store.sites().layers().await?;
        let mut clients: Vec<i64> = layers.iter().map(|(client, _)| *client).collect();
        clients.sort_unstable();
        clients.dedup();
        let sheets = self.acts.store.clients().sheets_of(&clients).await?;
        let brands: HashMap<i64, Layer> = sheets.iter().map(|(id, s)| (*id, s.layer())).collect();
        let mut out = Reach {
            sites: layers.len() as i64,
            ..Reach::default()
        };
        for (client, own) in &layers {
            let brand = brands.get(client);
            let says = |f: &&Field| own.contains_key(f) || brand.is_some_and(|b| b.contains_key(f));
            for field in Field::ALL.iter().filter(says) {
                *out.otherwise.entry(*field).or_default() += 1;
            }
        }
        Ok(out)
    }
}
