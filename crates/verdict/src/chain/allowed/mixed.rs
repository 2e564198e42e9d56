//! `allowed.mixed`: an http resource on an https page (W3C Mixed Content).

use crate::chain::answer::Answer;
use crate::chain::evidence::request;
use crate::chain::facts::Facts;
use newtfern_model::code::Code;
use newtfern_model::finding::Finding;
use newtfern_standards::observation::{FailureKind, Request};

/// Judges whether secure pages load it insecurely.
pub fn judge(c: &Facts) -> Answer {
    let mixed = |r: &&Request| {
        let kind = r.failure.as_ref().map(|f| f.kind);
        kind == Some(FailureKind::Mixed)
    };
    let Some(refused) = c.widget_requests().find(mixed).filter(|_| !c.alive) else {
        return Answer::Holds;
    };
    Finding::broken(
        Code::AllowedMixed,
        "The page is https and the widget's file is asked for by http, which browsers refuse.",
        "In the snippet, write the loader's address with https.",
    )
    .with(request(refused))
    .into()
}

#[cfg(test)]
mod tests {
    use crate::chain::testing::{GOOD, healthy, loader, page, root, with};
    use newtfern_model::code::Code;
    use newtfern_standards::observation::FailureKind;

    #[test]
    fn a_refused_http_loader_is_told_and_one_of_somebody_else_is_not() {
        let mixed = loader(None, Some(FailureKind::Mixed));
        let ours = with(page(GOOD), |o| o.requests.push(mixed.clone()));
        assert_eq!(root(ours), Some(Code::AllowedMixed));
        let theirs = with(page(GOOD), |o| {
            o.requests.push(mixed.clone());
            o.requests[0].url = "http://ads.example/x.js".into();
        });
        assert_ne!(root(theirs), Some(Code::AllowedMixed));
        assert_eq!(root(with(healthy(), |o| o.requests.push(mixed))), None);
    }
}
