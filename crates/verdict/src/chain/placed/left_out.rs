//! A page that asks for more than a visit keeps: whether the loader was among the rest is not
//! known, so nothing may be told of its absence.

use crate::chain::answer::Answer;
use crate::chain::facts::Facts;
use newtfern_standards::observation::{LeftOut, NotCheckedReason};

/// Judges whether more requests were made than a visit keeps.
pub fn judge(c: &Facts) -> Answer {
    let left_out = c.seen.left_out.contains(&LeftOut::Requests);
    if !left_out || c.loader_requests().next().is_some() {
        return Answer::Holds;
    }
    let kept = c.seen.requests.len();
    let what = format!("the requests of the page after the first {kept}");
    Answer::cannot_tell(what, NotCheckedReason::TooMuch)
}

#[cfg(test)]
mod tests {
    use crate::chain::testing::{GOOD, loaded, page, root, undecided, with};
    use newtfern_model::code::Code;
    use newtfern_standards::observation::{LeftOut, NotCheckedReason};

    #[test]
    fn absence_is_not_told_of_a_page_whose_requests_were_not_all_kept() {
        for body in ["<p>hello</p>".to_string(), format!("<!-- {GOOD} -->")] {
            assert!(root(page(&body)).is_some(), "{body}");
            let much = with(page(&body), |o| o.left_out.push(LeftOut::Requests));
            undecided(much, NotCheckedReason::TooMuch.words());
        }
    }

    #[test]
    fn silence_is_not_told_where_errors_or_answers_were_not_all_kept() {
        assert_eq!(root(loaded()), Some(Code::StartedSilent));
        for left_out in [
            LeftOut::Requests,
            LeftOut::Answers,
            LeftOut::Errors,
            LeftOut::Sockets,
            LeftOut::Violations,
        ] {
            let much = with(loaded(), |o| o.left_out.push(left_out));
            undecided(much, NotCheckedReason::TooMuch.words());
        }
        // Console lines explain; they do not decide.
        let lines = with(loaded(), |o| o.left_out.push(LeftOut::Lines));
        assert_eq!(root(lines), Some(Code::StartedSilent));
    }
}
