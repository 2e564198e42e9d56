//! Many sites at once: a few statements for thousands of rows.

use crate::text::{clean, json_of};
use crate::{Result, Store, Tx, doing, unique};
use newtfern_core::design::Layer;
use newtfern_core::family::Family;
use newtfern_core::intake::Kept;
use newtfern_core::site::{SiteField, SiteFields};
use serde_json::Value;
use std::collections::HashMap;

/// A site to add.
#[derive(Debug)]
pub struct NewSite<'a> {
    /// Whose.
    pub client: i64,
    /// Its fields.
    pub fields: &'a SiteFields,
    /// Its own values.
    pub layer: &'a Layer,
    /// The file it came from.
    pub beyond: &'a str,
}

impl Tx {
    /// Adds sites, each with a standing in each family; gives their numbers by address.
    ///
    /// # Errors
    /// [`StoreError::Taken`](crate::StoreError::Taken) where one of the addresses is there.
    pub async fn add_sites(&mut self, new: &[NewSite<'_>]) -> Result<HashMap<String, i64>> {
        let rows: Vec<Value> = new.iter().map(|n| json_of(n.fields)).collect();
        let clients: Vec<i64> = new.iter().map(|n| n.client).collect();
        let layers: Vec<Value> = new.iter().map(|n| json_of(n.layer)).collect();
        let beyond: Vec<String> = new.iter().map(|n| clean(n.beyond)).collect();
        let names: Vec<&str> = SiteField::ALL.iter().map(|f| f.column()).collect();
        let names = names.join(", ");
        let sql = format!(
            "insert into sites (client_id, adjustments, beyond, {names}) \
            select n.client, n.layer, n.beyond, {names} \
            from unnest($1::bigint[], $2::jsonb[], $3::text[], $4::jsonb[]) as n(client, layer, beyond, fields), \
            jsonb_to_record(n.fields) as r({}) returning id, url",
            SiteField::ALL
                .iter()
                .map(|f| match f {
                    SiteField::Budget => format!("{} double precision", f.column()),
                    f => format!("{} text", f.column()),
                })
                .collect::<Vec<_>>()
                .join(", ")
        );
        let added: Vec<(i64, String)> = sqlx::query_as(sqlx::AssertSqlSafe(sql))
            .bind(clients)
            .bind(layers)
            .bind(beyond)
            .bind(rows)
            .fetch_all(&mut *self.inner)
            .await
            .map_err(unique(
                "a site with one of these addresses",
                "",
                "adding sites",
            ))?;
        let ids: Vec<i64> = added.iter().map(|(id, _)| *id).collect();
        let families: Vec<&str> = Family::ALL.iter().map(|f| f.key()).collect();
        sqlx::query(
            "insert into standings (site_id, family) \
            select s, f from unnest($1::bigint[]) as s, unnest($2::text[]) as f",
        )
        .bind(&ids)
        .bind(families)
        .execute(&mut *self.inner)
        .await
        .map_err(doing("adding sites"))?;
        sqlx::query(
            "insert into pages (site_id, url) select id, url from sites where id = any($1)",
        )
        .bind(&ids)
        .execute(&mut *self.inner)
        .await
        .map_err(doing("adding sites"))?;
        Ok(added.into_iter().map(|(id, url)| (url, id)).collect())
    }

    /// Moves sites to a client.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn move_sites(&mut self, sites: &[i64], client: i64) -> Result<()> {
        sqlx::query("update sites set client_id = $2 where id = any($1)")
            .bind(sites)
            .bind(client)
            .execute(&mut *self.inner)
            .await
            .map(|_| ())
            .map_err(doing("moving sites"))
    }
}

impl Store {
    /// Sites with some addresses, by address.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn kept_at(&self, urls: &[String]) -> Result<HashMap<String, Kept>> {
        let sql = format!(
            "select {} from sites s join clients c on c.id = s.client_id where s.url = any($1)",
            crate::sites::columns()
        );
        let rows: Vec<crate::sites::Site> = sqlx::query_as(sqlx::AssertSqlSafe(sql))
            .bind(urls)
            .fetch_all(&self.pool)
            .await
            .map_err(doing("looking up sites"))?;
        let kept = |s: crate::sites::Site| {
            let kept = Kept {
                id: s.id,
                client: s.client_name.clone(),
                fields: s.fields().clone(),
                beyond: s.beyond.clone(),
            };
            (s.url.clone(), kept)
        };
        Ok(rows.into_iter().map(kept).collect())
    }
}
