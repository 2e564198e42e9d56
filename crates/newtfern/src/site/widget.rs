//! All visits to one page for one widget. Whoever checks a site makes them here: the command line
//! and the workers.

use super::pictures;
use super::tools::SiteTools;
use anyhow::Result;
use newtfern_model::expectation::Widget;
use newtfern_probe::check::{self, Evidence};
use newtfern_standards::observation::ConsentAct;
use newtfern_verdict::visits::{
    CheckOrder, PageChoice, further_on_phones, further_states, in_language, in_other_manners,
    languages_of, own_language, prompt_of,
};

/// Order of the visits of one page for one widget.
pub struct WidgetOrder<'a> {
    /// Page, supplier, screens. Language, prompt and delay follow from the widget.
    pub check: CheckOrder<'a>,
    /// Expectation of the widget; none where no widget is wanted.
    pub widget: Option<&'a Widget>,
    /// Languages of the site.
    pub languages: &'a [String],
    /// Consent states that are visited.
    pub states: &'a [ConsentAct],
    /// Beyond the chain: further states, languages and manners.
    pub further: bool,
    /// Other manners of visiting: enlarged, and for a second time.
    pub manners: bool,
    /// The link of the widget's notice is followed.
    pub notice: bool,
}

impl<'a> WidgetOrder<'a> {
    /// The widget whose languages are visited: a page that we found is looked at in no language of
    /// its own.
    fn spoken(&self) -> Option<&'a Widget> {
        let asked = self.check.asked == PageChoice::ByPerson;
        self.widget.filter(|_| asked)
    }

    /// The check's own language; empty for the browser's.
    pub fn language(&self) -> &'a str {
        own_language(self.languages, self.spoken())
    }
}

/// Makes the visits of one widget.
///
/// # Errors
/// Where no browser can be had.
pub async fn look(ways: &SiteTools<'_>, order: &WidgetOrder<'_>) -> Result<Evidence> {
    let spoken = languages_of(order.languages, order.spoken());
    let check = CheckOrder {
        delay_ms: order
            .widget
            .and_then(|w| w.delay_s)
            .map_or(0, |s| (s * 1000.0) as u64),
        locale: order.language(),
        prompt: prompt_of(order.spoken(), order.language()),
        ..order.check
    };
    let mut evidence = check::run(ways.pool, ways.http, &check).await?;
    if order.further {
        let mut plans = further_states(&check, order.states);
        plans.extend(further_on_phones(&check, order.states, &evidence.visits));
        for language in spoken.iter().skip(1) {
            plans.extend(in_language(&CheckOrder {
                locale: language,
                prompt: prompt_of(order.widget, language),
                ..check
            }));
        }
        if order.manners {
            plans.extend(in_other_manners(&check));
        }
        check::further(ways.pool, ways.http, plans, &mut evidence).await?;
    }
    if order.notice {
        check::privacy_page(ways.http, &mut evidence).await;
    }
    if let Some(widget) = order.spoken() {
        let design = widget.design.resolved();
        pictures::hash(ways.http, check.url, &design, &mut evidence.visits).await;
    }
    Ok(evidence)
}
