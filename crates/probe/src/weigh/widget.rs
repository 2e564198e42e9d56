//! What of a load belongs to the widget: by host, by frame, and by who asked for it.

use newtfern_model::placement::{Form, Inspector, PieceState};
use newtfern_model::profile::Supplier;
use newtfern_standards::observation::{Observation, RequestKind};
use newtfern_verdict::weigh::attribution::WidgetScripts;
use newtfern_verdict::weigh::owners::{self, Shares};
use std::collections::HashSet;
use std::ops::Range;
use url::Url;

/// One of the widget's requests.
struct WidgetRequest {
    /// Position among all requests of the load.
    at: usize,
    kind: RequestKind,
    bytes: u64,
}

/// Cost of a stretch of a load on the wire.
#[derive(Default)]
pub struct Bill {
    pub bytes: u64,
    pub requests: u32,
    pub shares: Shares,
}

/// The widget in one load.
pub struct Widget {
    pub ours: WidgetScripts,
    pub sockets: u32,
    asked: Vec<WidgetRequest>,
}

impl Widget {
    pub fn of(supplier: &Supplier, seen: &Observation) -> Widget {
        let owned = |address: &str| supplier.owns(address);
        let mut addresses: HashSet<String> = HashSet::new();
        let mut asked = Vec::new();
        // Requests are in order, so whatever pulled one in has been seen before it.
        for (at, r) in seen.requests.iter().enumerate() {
            let pulled = r
                .initiator
                .stack
                .iter()
                .chain([&r.initiator.url])
                .any(|u| owned(u) || addresses.contains(u));
            if owned(&r.url) || owned(&r.document) || pulled {
                // What the browser had already did not go over the wire.
                if !r.from_cache {
                    asked.push(WidgetRequest {
                        at,
                        kind: r.kind,
                        bytes: r.bytes,
                    });
                }
                if !owned(&r.url) && r.url != seen.page.final_url {
                    addresses.insert(r.url.clone());
                }
            }
        }
        let inline_lines = Url::parse(&seen.page.final_url)
            .map(|page| {
                Inspector::new(supplier, None)
                    .pieces(&seen.page.html, &page)
                    .into_iter()
                    .filter(|p| {
                        p.form == Form::Inline
                            && matches!(p.state, PieceState::Live | PieceState::Mentioned)
                    })
                    .map(|p| (p.line, p.last_line))
                    .collect()
            })
            .unwrap_or_default();
        Widget {
            ours: WidgetScripts {
                hosts: supplier.hosts().map(str::to_string).collect(),
                addresses,
                page: seen.page.final_url.clone(),
                inline_lines,
            },
            asked,
            sockets: seen.sockets.iter().filter(|s| owned(&s.url)).count() as u32,
        }
    }

    /// Returns the cost of the requests at these positions.
    pub fn bill(&self, places: Range<usize>) -> Bill {
        let mut bill = Bill::default();
        for r in self.asked.iter().filter(|r| places.contains(&r.at)) {
            bill.bytes += r.bytes;
            bill.requests += 1;
            owners::add(&mut bill.shares, r.kind, r.bytes);
        }
        bill
    }
}
