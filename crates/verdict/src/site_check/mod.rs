//! The verdict over the pages of a site: what should be by the expectation, what a browser saw on
//! some of them and what HTTP alone told of the others.

mod case;
mod cell;
mod consent;
mod diagnosis;
mod form;
mod intended;
mod languages;
mod looks;
mod outcome;
mod texts;
mod widget;

use case::of_all;
pub use case::{SiteCase, SitePage, Subject, WidgetCase, WidgetVisits, rivals, subjects};
pub use consent::{ConsentCellReport, ConsentReport};
pub use diagnosis::{ChainReport, Coverage, PageContent, PageRow, SiteDiagnosis};

/// Judges a site: its chains, and all that is asked of its widgets on the address given.
pub fn judge(case: &SiteCase) -> SiteDiagnosis {
    let ChainReport {
        mut diagnosis,
        pages,
        coverage,
    } = chains(case);
    SiteDiagnosis {
        consent: consent::told(case).beside(&mut diagnosis.verdict),
        texts: of_all(case, WidgetCase::texts).beside(&mut diagnosis.verdict),
        looks: {
            let form = of_all(case, WidgetCase::form).beside(&mut diagnosis.verdict);
            let details = of_all(case, WidgetCase::details).beside(&mut diagnosis.verdict);
            let looks = of_all(case, WidgetCase::looks).beside(&mut diagnosis.verdict);
            form.into_iter().chain(details).chain(looks).collect()
        },
        coverage,
        pages,
        diagnosis,
    }
}

/// Judges whether the widgets of a site come up where they should.
pub fn chains(case: &SiteCase) -> ChainReport {
    outcome::told(case, &cell::all(case))
}

#[cfg(test)]
pub(crate) mod testing;
#[cfg(test)]
mod tests;
