//! What a site's widget is meant to do beyond its design: when it is staffed, what it does outside
//! that, after which delay it comes, where its channels lead, what it says in further languages.

use crate::handles::SiteActs;
use crate::site::versions;
use crate::{ActError, Actor, Result, record};
use jiff::civil::Date;
use newtfern_heavy::within;
use newtfern_model::calendar::{CalendarError, Holidays, holidays};
use newtfern_model::expectation::{
    Channel, ClosedDay, ConsentException, Expectation, Hours, IntendedField, Opens, OutsideHours,
    TextSet, Widget,
};
use newtfern_store::access::people::Role;
use newtfern_store::estate::sites::Site;
use serde_json::json;
use std::collections::BTreeMap;
use std::time::Duration;

/// Expectation of a widget as its form stores it.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Intended {
    pub hours: Vec<Hours>,
    pub closed: Vec<ClosedDay>,
    pub outside_hours: OutsideHours,
    pub opens: Opens,
    /// None: nobody asked for any.
    pub delay_s: Option<f64>,
    pub channels: Vec<Channel>,
    /// Exception to the consent rules that the client agreed to; it holds for the whole site.
    pub consent_exception: Option<ConsentException>,
    /// Texts of the site's languages but the first, whose texts are the design's.
    pub texts: BTreeMap<String, TextSet>,
}

impl Intended {
    /// Returns the form's part of a site's widget; the texts of the first language are left out.
    pub fn of(file: &Expectation, widget: &Widget) -> Intended {
        let mut texts = widget.texts.clone();
        if let Some(first) = file.languages.first() {
            texts.remove(first);
        }
        Intended {
            consent_exception: file.consent_exception.clone(),
            hours: widget.hours.clone(),
            closed: widget.closed.clone(),
            outside_hours: widget.outside_hours,
            opens: widget.opens,
            delay_s: widget.delay_s,
            channels: widget.channels.clone(),
            texts,
        }
    }

    /// Each part in words, always all of them in one order.
    pub fn in_words(&self) -> Vec<(&'static str, String)> {
        let mut widget = Widget::of("", "");
        self.clone().into(&mut widget);
        let of_widget = IntendedField::ALL.iter();
        let mut out: Vec<(&'static str, String)> =
            of_widget.map(|f| (f.label(), f.get(&widget))).collect();
        let exception = self.consent_exception.as_ref();
        let exception = exception.map(ConsentException::words).unwrap_or_default();
        out.push(("Exception to the consent rules", exception));
        let texts = json!(self.texts).to_string();
        out.push(("Texts of further languages", texts));
        out
    }

    fn into(self, widget: &mut Widget) {
        widget.hours = self.hours;
        widget.closed = self.closed;
        widget.outside_hours = self.outside_hours;
        widget.opens = self.opens;
        widget.delay_s = self.delay_s;
        widget.channels = self.channels;
        widget.texts = self.texts;
    }
}

/// The rules of a calendar file are followed for no longer.
const FOLLOWING: Duration = Duration::from_secs(5);
/// Holidays of a calendar are taken for this many years.
const YEARS: i16 = 2;

impl SiteActs<'_> {
    /// A site's expectation with its first widget; it has one where a supplier is chosen.
    async fn with_widget(self, id: i64) -> Result<(Site, Expectation)> {
        let site = self.acts.store.sites().site(id).await?;
        let site = site.ok_or(ActError::NotFound("site"))?;
        let file = self.expectation_of(&site).await?;
        if file.widgets.is_empty() {
            let why = "No supplier is chosen for this site: choose one in its settings first.";
            return Err(ActError::Bad(why.into()));
        }
        Ok((site, file))
    }

    /// Keeps what is meant, where it makes sense as a whole. The site's last look is judged again
    /// by it.
    ///
    /// # Errors
    /// [`ActError::Bad`], with the field that is wrong.
    pub async fn change_intended(
        self,
        actor: &Actor,
        id: i64,
        meant: Intended,
        made_from: Option<&str>,
    ) -> Result<()> {
        let act = "changed what is intended";
        self.change_file(actor, id, act, made_from, |file| {
            let first_language = file.languages.first().cloned();
            file.consent_exception.clone_from(&meant.consent_exception);
            if let Some(first) = file.widgets.first_mut() {
                let own = first_language.and_then(|l| Some((l.clone(), first.texts.remove(&l)?)));
                meant.into(first);
                first.texts.extend(own);
            }
            Ok(())
        })
        .await
    }

    /// Changes what a site's file says beyond its fields, where it makes sense as a whole.
    ///
    /// # Errors
    /// [`ActError::Bad`], with what is wrong.
    pub(super) async fn change_file(
        self,
        actor: &Actor,
        id: i64,
        act: &str,
        made_from: Option<&str>,
        change: impl FnOnce(&mut Expectation) -> Result<()>,
    ) -> Result<()> {
        actor.may(Role::Technician)?;
        let (site, mut file) = self.with_widget(id).await?;
        let before = file.write();
        change(&mut file)?;
        let after = file.write();
        Expectation::read(&after).map_err(|e| ActError::Bad(format!("{e}.")))?;
        if before == after {
            return Ok(());
        }
        let mut tx = self.acts.store.begin().await?;
        let now = tx.sites_for_change(&[id]).await?.pop();
        let now = now.ok_or(ActError::NotFound("site"))?;
        // What was read above is what is kept, and it is what the form was made from.
        versions::same(Some(&versions::version_of(&site.beyond)), &now.beyond)?;
        versions::same(made_from, &now.beyond)?;
        tx.set_beyond(id, &after).await?;
        let detail = json!({"before": before, "after": after});
        record(&mut tx, actor, act, &site.url, detail).await?;
        self.acts.checks().after_change(&mut tx, &[id]).await?;
        tx.commit().await?;
        self.acts.clients().judge_looks(actor, &[id]).await
    }

    /// Adds the whole days of an iCalendar file to those on which nobody is there.
    ///
    /// # Errors
    /// [`ActError::Bad`], where the file brings nothing; then nothing is changed.
    pub async fn import_holidays(self, actor: &Actor, id: i64, file: &str) -> Result<Holidays> {
        actor.may(Role::Technician)?;
        let (_, expected) = self.with_widget(id).await?;
        let now = self.acts.store.now().await?;
        let from: Date = now.to_zoned(jiff::tz::TimeZone::UTC).date();
        let until = from.saturating_add(jiff::Span::new().years(YEARS));
        let file = file.to_string();
        let read = within(FOLLOWING, move |stop| {
            holidays(&file, from, until, &|| stop.may_go_on())
        });
        let read = read.await.unwrap_or(Err(CalendarError::Slow));
        let read = read.map_err(|e| {
            let why = e.to_string();
            ActError::Bad(format!("{}{}.", why[..1].to_uppercase(), &why[1..]))
        })?;
        let first = &expected.widgets[0];
        let mut meant = Intended::of(&expected, first);
        meant.closed.extend(read.days.iter().cloned());
        meant.closed.sort_by_key(|c| c.on);
        meant.closed.dedup();
        self.change_intended(actor, id, meant, None).await?;
        Ok(read)
    }
}
