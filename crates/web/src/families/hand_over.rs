//! Handing over: the sheets, their links and the client's yes.

use super::SectionData;
use super::view::{PlaceToAct, View};
use crate::view::moment;
use askama::Template;
use newtfern_acts::store::handing::handovers::Handover;

/// View of the family in lists and on the bench.
pub const VIEW: View = View {
    body: |known, _| section(known),
    place: Some(PlaceToAct {
        link: |_| "#hand_over".into(),
        words: "Show sheets",
        beside_job: false,
    }),
    ..View::PLAIN
};

struct Sheet {
    id: i64,
    made: String,
    has_pdf: bool,
    words: String,
}

#[derive(Template)]
#[template(path = "family/hand_over.html")]
struct Section<'a> {
    sheets: Vec<Sheet>,
    csrf: &'a str,
    may_change: bool,
}

fn words(h: &Handover) -> String {
    if h.accepted_at.is_some() {
        format!("confirmed by {}", h.accepted_by)
    } else if h.withdrawn_at.is_some() {
        "link withdrawn".into()
    } else {
        format!("link until {}", moment(h.expires_at))
    }
}

fn section(known: &SectionData) -> askama::Result<String> {
    let sheet = |h: &Handover| Sheet {
        id: h.id,
        made: moment(h.created_at),
        has_pdf: h.pdf.is_some(),
        words: words(h),
    };
    Section {
        sheets: known.handovers.iter().map(sheet).collect(),
        csrf: known.csrf,
        may_change: known.may_change,
    }
    .render()
}
