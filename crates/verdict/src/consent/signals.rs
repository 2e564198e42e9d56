//! What a widget did in one visit.

use newtfern_model::profile::Supplier;
use newtfern_model::region::Signal;
use newtfern_standards::observation::{ConsentAct, Observation, StorageKind, StoredItem};
use url::Url;

/// Signals of the supplier with the time they were seen.
pub(super) fn signals(
    supplier: &Supplier,
    seen: &Observation,
    signal: Signal,
) -> Vec<(String, f64)> {
    let owned = |address: &str| supplier.owns(address);
    let mut out = of_kind(supplier, seen, signal, owned);
    // Our own click asks for a talk, as a visitor does: what comes of it is no act of the widget's.
    let granted = seen.condition.consent == ConsentAct::Granted;
    let clicked = seen.operation.as_ref().and_then(|o| o.clicked_ms);
    if let Some(clicked_ms) = clicked.filter(|_| !granted) {
        out.retain(|(_, at_ms)| *at_ms < clicked_ms);
    }
    out
}

fn of_kind(
    supplier: &Supplier,
    seen: &Observation,
    signal: Signal,
    owned: impl Fn(&str) -> bool,
) -> Vec<(String, f64)> {
    match signal {
        Signal::Requests => {
            let requests = seen.requests.iter().map(|r| (&r.url, r.start_ms));
            let sockets = seen.sockets.iter().map(|s| (&s.url, s.at_ms));
            let all = requests.chain(sockets).filter(|(url, _)| owned(url));
            all.map(|(url, at)| (url.clone(), at)).collect()
        }
        Signal::Frames => {
            let frames = seen.frames.iter().filter(|f| owned(&f.url));
            frames.map(|f| (f.url.clone(), f.at_ms)).collect()
        }
        Signal::Cookies | Signal::Storage => {
            let kept = seen.stored.iter().filter(|s| {
                (s.kind == StorageKind::Cookie) == (signal == Signal::Cookies)
                    && is_ours(supplier, s)
            });
            kept.map(|s| (format!("{} ({})", s.name, s.place), s.at_ms))
                .collect()
        }
    }
}

/// Returns whether an item is the supplier's, by its name or by the host that keeps it.
pub(crate) fn is_ours(supplier: &Supplier, s: &StoredItem) -> bool {
    let place = s.place.trim_start_matches('.');
    let host = Url::parse(place)
        .ok()
        .and_then(|u| u.host_str().map(str::to_string));
    let host = host.unwrap_or_else(|| place.to_string());
    supplier.consent.storage.iter().any(|n| n == &s.name) || supplier.owns_host(&host)
}
