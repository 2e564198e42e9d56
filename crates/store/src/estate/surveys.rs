//! What is on a site already, and the inventory of its pages.

use crate::access::audit::like;
use crate::error::corrupt;
use crate::handles::SiteRows;
use crate::text::{clean, json_of};
use crate::{Result, StoreError, Tx, doing};
use jiff::Timestamp;
use jiff_sqlx::ToSqlx;
use newtfern_model::pages::PageKind;
use newtfern_model::survey::{PageSeen, Survey};
use url::Url;

/// A page of the inventory.
#[derive(Debug, Clone, sqlx::FromRow)]
pub struct PageRow {
    /// Address of the page.
    pub url: String,
    /// Purpose of the page.
    #[sqlx(try_from = "String")]
    pub kind: PageKind,
    /// Evidence for the kind.
    pub kind_by: String,
    /// Template that the page is made from.
    pub template: String,
    /// Title of the page.
    pub title: String,
    /// Language of the page.
    pub language: String,
    /// Status of the last answer.
    pub status: Option<i32>,
    /// Reason why it could not be had; empty where it was.
    pub lost: String,
    /// Time at which a survey saw it last.
    pub seen_at: Option<jiff_sqlx::Timestamp>,
}

/// The last survey of a site.
#[derive(Debug, Clone)]
pub struct LastSurvey {
    /// Result of the survey.
    pub seen: Survey,
    /// Time of the survey.
    pub at: Timestamp,
}

impl SiteRows<'_> {
    /// The last survey of a site.
    ///
    /// # Errors
    /// Where the stored value is of a shape that is not read.
    pub async fn survey(self, site: i64) -> Result<Option<LastSurvey>> {
        let found: Option<(serde_json::Value, jiff_sqlx::Timestamp)> =
            sqlx::query_as("select seen, at from surveys where site_id = $1")
                .bind(site)
                .fetch_optional(&self.store.pool)
                .await
                .map_err(doing("reading a survey"))?;
        let Some((seen, at)) = found else {
            return Ok(None);
        };
        let seen = serde_json::from_value(seen).map_err(|e| StoreError::Corrupt {
            what: "survey",
            why: e.to_string(),
        })?;
        Ok(Some(LastSurvey {
            seen,
            at: at.into(),
        }))
    }

    /// Addresses of the inventory with their kinds, so many at most: what page rules are shown
    /// against.
    pub async fn inventory(self, site: i64, most: i64) -> Result<Vec<(Url, PageKind)>> {
        let rows: Vec<(String, String)> =
            sqlx::query_as("select url, kind from pages where site_id = $1 order by url limit $2")
                .bind(site)
                .bind(most)
                .fetch_all(&self.store.pool)
                .await
                .map_err(doing("reading the inventory"))?;
        let read = |(url, kind): (String, String)| {
            let url = Url::parse(&url).map_err(|e| corrupt("address of a page", e))?;
            let kind = PageKind::try_from(kind).map_err(|e| corrupt("kind of page", e))?;
            Ok((url, kind))
        };
        rows.into_iter().map(read).collect()
    }

    /// Pages of a site, those of the last survey first, in its order; of one kind, if one is given.
    pub async fn pages_found(
        self,
        site: i64,
        kind: Option<PageKind>,
        q: &str,
        offset: i64,
        limit: i64,
    ) -> Result<(Vec<PageRow>, i64)> {
        let kind = kind.map(PageKind::word);
        let q = like(q);
        let rows = sqlx::query_as(
            "select url, kind, kind_by, template, title, language, status, lost, \
            seen_at from pages \
            where site_id = $1 and ($2::text is null or kind = $2) and (url ilike $3 or \
            title ilike $3) \
            order by seen_at desc nulls last, place nulls last, id offset $4 limit $5",
        )
        .bind(site)
        .bind(kind)
        .bind(&q)
        .bind(offset)
        .bind(limit)
        .fetch_all(&self.store.pool)
        .await
        .map_err(doing("listing pages"))?;
        let total = sqlx::query_scalar(
            "select count(*) from pages \
            where site_id = $1 and ($2::text is null or kind = $2) and (url ilike $3 or \
            title ilike $3)",
        )
        .bind(site)
        .bind(kind)
        .bind(&q)
        .fetch_one(&self.store.pool)
        .await
        .map_err(doing("counting pages"))?;
        Ok((rows, total))
    }
}

impl Tx {
    /// Keeps a survey in place of the one before, and its pages in the inventory.
    pub async fn keep_survey(&mut self, site: i64, at: Timestamp, survey: &Survey) -> Result<()> {
        sqlx::query(
            "insert into surveys (site_id, seen, at) values ($1, $2, $3) \
            on conflict (site_id) do update set seen = $2, at = $3",
        )
        .bind(site)
        .bind(json_of(survey))
        .bind(at.to_sqlx())
        .execute(&mut *self.inner)
        .await
        .map_err(doing("keeping a survey"))?;
        self.keep_pages(site, at, &survey.pages).await
    }

    /// Brings the inventory of a site's pages up to date; a page that was not found again stays.
    pub async fn keep_pages(&mut self, site: i64, at: Timestamp, pages: &[PageSeen]) -> Result<()> {
        for (place, page) in pages.iter().enumerate() {
            sqlx::query(include_str!("../sql/keep_page.sql"))
                .bind(site)
                .bind(clean(&page.url))
                .bind(page.kind.word())
                .bind(clean(&page.kind_by))
                .bind(clean(&page.template))
                .bind(page.found.word())
                .bind(clean(&page.title))
                .bind(clean(page.language.as_deref().unwrap_or_default()))
                .bind(page.status.map(i32::from))
                .bind(clean(page.lost.as_deref().unwrap_or_default()))
                .bind(place as i32)
                .bind(at.to_sqlx())
                .execute(&mut *self.inner)
                .await
                .map_err(doing("keeping a page"))?;
        }
        Ok(())
    }
}
