//! The pages of a site: the look at all of them kept, and page rules shown while they are typed.

use crate::checks::one;
use crate::rules_beside::Beside;
use crate::{ActError, Acts, Result, Subject};
use jiff::Timestamp;
use newtfern_core::chain::Expect;
use newtfern_core::family::pages;
use newtfern_core::pages::beside::contradictions;
use newtfern_core::pages::{PageCopy, PageKind, PageRules, Pattern};
use newtfern_core::site_check::SiteDiagnosis;
use newtfern_core::survey::pages_seen;
use newtfern_heavy::heavy;
use newtfern_store::checks::NewCheck;
use newtfern_store::queue::Job;
use url::Url;

/// Pages of the inventory that rules are shown against.
const MOST_SHOWN: i64 = 5_000;
/// Pages that are named of one pattern.
const MOST_NAMED: usize = 5;

/// One pattern against the inventory.
#[derive(Debug, Clone)]
pub struct RuleShown {
    /// As it was typed.
    pub pattern: String,
    /// It says where the widget must not be.
    pub without: bool,
    /// Pages that it takes.
    pub takes: usize,
    /// Those that it decides about.
    pub decides: usize,
    /// The first of them.
    pub named: Vec<String>,
}

/// Page rules against the inventory.
#[derive(Debug, Clone)]
pub struct RulesShown {
    /// Each pattern.
    pub rules: Vec<RuleShown>,
    /// Pages that must have the widget.
    pub with: usize,
    /// Pages that must not.
    pub without: usize,
    /// Pages that no pattern names.
    pub unnamed: usize,
    /// There are more pages than were looked through.
    pub more: bool,
}

impl Acts {
    /// Ends a look at all pages of a site: judged, stored, its inventory brought up to date.
    ///
    /// # Errors
    /// [`ActError::TakenOver`], or where it cannot be stored; then nothing of it is kept.
    pub async fn finish_pages(
        &self,
        job: &Job,
        subject: &Subject,
        at: Timestamp,
        mut told: SiteDiagnosis,
        copies: &[PageCopy],
        beside: &Beside,
    ) -> Result<()> {
        let inventory = heavy(|| pages_seen(copies.iter())).await;
        let known: Vec<(Url, PageKind)> = told
            .pages
            .iter()
            .filter_map(|p| Some((Url::parse(&p.url).ok()?, p.kind)))
            .collect();
        let elsewhere = contradictions(&subject.rules, &beside.rules, &known);
        let missed = beside.not_looked_at.iter().cloned();
        told.diagnosis.not_looked_at.extend(missed);
        let assessed = pages::assess(&told, &subject.rules, elsewhere);
        let outcome = assessed.summary.clone();
        let check = NewCheck {
            outcome: outcome.clone(),
            root: told.diagnosis.root,
            ..one(job, subject, at, assessed, Vec::new())
        };
        let mut tx = self.store.begin().await?;
        tx.keep_pages(job.site_id, at, &inventory).await?;
        tx.keep_check(&check).await?;
        if !tx.finish_job(job, &outcome).await? {
            return Err(ActError::TakenOver);
        }
        Ok(tx.commit().await?)
    }

    /// How many pages of the inventory each pattern takes, and which, while rules are typed.
    ///
    /// # Errors
    /// [`ActError::Bad`] where a pattern is none.
    pub async fn show_rules(&self, site: i64, on: &str, not_on: &str) -> Result<RulesShown> {
        let list = |text: &str| PageRules::list(text).map_err(|e| ActError::Bad(e.to_string()));
        let rules = PageRules::of(list(on)?, list(not_on)?);
        let rows = self.store.inventory(site, MOST_SHOWN + 1).await?;
        let more = rows.len() as i64 > MOST_SHOWN;
        let pages: Vec<(Url, PageKind)> = rows
            .into_iter()
            .take(MOST_SHOWN as usize)
            .filter_map(|(url, kind)| Some((Url::parse(&url).ok()?, kind)))
            .collect();
        Ok(heavy(|| shown(&rules, &pages, more)).await)
    }
}

fn shown(rules: &PageRules, pages: &[(Url, PageKind)], more: bool) -> RulesShown {
    let expects = |(url, kind): &&(Url, PageKind)| rules.expects(url, *kind) == Expect::Present;
    let with = pages.iter().filter(expects).count();
    let decided = |(url, kind): &(Url, PageKind)| rules.decided_by(url, *kind);
    let of = |pattern: &Pattern, without: bool| {
        let takes = pages.iter().filter(|(u, k)| pattern.takes(u, *k));
        let own = |p: &&(Url, PageKind)| decided(p).is_some_and(|d| std::ptr::eq(d, pattern));
        let mine: Vec<&(Url, PageKind)> = pages.iter().filter(own).collect();
        RuleShown {
            pattern: pattern.text().to_string(),
            without,
            takes: takes.count(),
            decides: mine.len(),
            named: mine
                .iter()
                .take(MOST_NAMED)
                .map(|(u, _)| u.path().to_string())
                .collect(),
        }
    };
    let on = rules.on.iter().map(|p| of(p, false));
    RulesShown {
        rules: on.chain(rules.not_on.iter().map(|p| of(p, true))).collect(),
        with,
        without: pages.len() - with,
        unnamed: pages.iter().filter(|p| decided(p).is_none()).count(),
        more,
    }
}
