//! How many sites take each value from the house style.

use crate::{Acts, Result};
use newtfern_core::design::{Field, Layer};
use newtfern_store::lists::Filter;
use std::collections::HashMap;

/// Sites that take a value from the house style.
#[derive(Debug, Default)]
pub struct Reach {
    /// All of them.
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

impl Acts {
    /// Counts them.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn reach_of_house_style(&self) -> Result<Reach> {
        let ids = self.store.site_ids(&Filter::default()).await?;
        let mut brands: HashMap<i64, Layer> = HashMap::new();
        let mut out = Reach::default();
        for (client, own) in self.store.layers().await? {
            if let std::collections::hash_map::Entry::Vacant(place) = brands.entry(client) {
                let sheet = self
                    .store
                    .client(client)
                    .await?
                    .map(|c| c.sheet())
                    .transpose()?;
                place.insert(sheet.map(|s| s.layer()).unwrap_or_default());
            }
            let fields = Field::ALL
                .iter()
                .filter(|f| own.contains_key(f) || brands[&client].contains_key(f));
            for field in fields {
                *out.otherwise.entry(*field).or_default() += 1;
            }
        }
        out.sites = ids.len() as i64;
        Ok(out)
    }
}
