//! Many sites at once: a few statements for thousands of rows.

use crate::handles::ImportRows;
use crate::text::{clean, json_of};
use crate::{Result, Tx, doing, unique};
use newtfern_model::design::Layer;
use newtfern_model::intake::ExistingSite;
use newtfern_model::site::{SiteField, SiteFields};
use newtfern_verdict::family::Family;
use serde_json::Value;
use std::collections::HashMap;

/// A site to add.
#[derive(Debug)]
pub struct NewSite<'a> {
    /// Number of the client.
    pub client: i64,
    /// Fields of the new site.
    pub fields: &'a SiteFields,
    /// Values that the site sets for its design.
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
            from unnest($1::bigint[], $2::jsonb[], $3::text[], $4::jsonb[]) as n(client, layer, \
            beyond, fields), \
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

    /// Changes the fields of sites by one statement.
    ///
    /// # Errors
    /// [`StoreError::Taken`](crate::StoreError::Taken) where another site has one of the addresses.
    pub async fn set_sites(&mut self, changed: &[(i64, &SiteFields)]) -> Result<()> {
        let ids: Vec<i64> = changed.iter().map(|(id, _)| *id).collect();
        let rows: Vec<Value> = changed.iter().map(|(_, f)| json_of(*f)).collect();
        let sets: Vec<String> = SiteField::ALL
            .iter()
            .map(|f| format!("{0} = n.{0}", f.column()))
            .collect();
        let sql = format!(
            "update sites s set {} from unnest($1::bigint[], $2::jsonb[]) as u(id, fields), \
            jsonb_populate_record(null::sites, u.fields) n where s.id = u.id",
            sets.join(", ")
        );
        sqlx::query(sqlx::AssertSqlSafe(sql))
            .bind(ids)
            .bind(rows)
            .execute(&mut *self.inner)
            .await
            .map(|_| ())
            .map_err(unique(
                "a site with this address",
                changed.first().map_or("", |(_, f)| &f.url),
                "changing a site",
            ))
    }

    /// Keeps the files that sites came from, by one statement.
    pub async fn set_files(&mut self, files: &[(i64, &str)]) -> Result<()> {
        let ids: Vec<i64> = files.iter().map(|(id, _)| *id).collect();
        let texts: Vec<String> = files.iter().map(|(_, text)| clean(text)).collect();
        sqlx::query(
            "update sites s set beyond = u.text from unnest($1::bigint[], $2::text[]) \
            as u(id, text) \
            where s.id = u.id",
        )
        .bind(ids)
        .bind(texts)
        .execute(&mut *self.inner)
        .await
        .map(|_| ())
        .map_err(doing("keeping the files of sites"))
    }

    /// Sets the own values of sites' designs, by one statement.
    pub async fn set_layers(&mut self, layers: &[(i64, Layer)]) -> Result<()> {
        let ids: Vec<i64> = layers.iter().map(|(id, _)| *id).collect();
        let values: Vec<Value> = layers.iter().map(|(_, layer)| json_of(layer)).collect();
        sqlx::query(
            "update sites s set adjustments = u.layer \
            from unnest($1::bigint[], $2::jsonb[]) as u(id, layer) where s.id = u.id",
        )
        .bind(ids)
        .bind(values)
        .execute(&mut *self.inner)
        .await
        .map(|_| ())
        .map_err(doing("changing designs"))
    }

    /// Moves sites to a client.
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

impl ImportRows<'_> {
    /// Sites with some addresses, by address.
    pub async fn kept_at(self, urls: &[String]) -> Result<HashMap<String, ExistingSite>> {
        let sql = format!(
            "select {} from sites s join clients c on c.id = s.client_id where s.url = any($1)",
            crate::estate::sites::columns()
        );
        let rows: Vec<crate::estate::sites::Site> = sqlx::query_as(sqlx::AssertSqlSafe(sql))
            .bind(urls)
            .fetch_all(&self.store.pool)
            .await
            .map_err(doing("looking up sites"))?;
        let kept = |s: crate::estate::sites::Site| {
            let kept = ExistingSite {
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
