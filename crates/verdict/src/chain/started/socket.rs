//! `started.socket`: its live connection failed (WebSocket, RFC 6455: 101 opens it).

use crate::chain::answer::Answer;
use crate::chain::facts::Facts;
use newtfern_model::code::Code;
use newtfern_model::finding::{Evidence, Finding};
use newtfern_standards::observation::Socket;
use url::Url;

fn failed(s: &Socket) -> bool {
    !s.error.is_empty()
        || s.status.is_some_and(|status| status != 101)
        || (s.closed_ms.is_some() && s.received == 0)
}

/// Judges whether the live connection held.
pub fn judge(c: &Facts) -> Answer {
    if c.up() {
        return Answer::Holds;
    }
    let hosts = &c.case.supplier.alive.socket_hosts;
    let ours = |s: &&Socket| {
        let host = Url::parse(&s.url).ok();
        let host = host.and_then(|u| u.host_str().map(str::to_string));
        host.is_some_and(|h| hosts.iter().any(|x| x.eq_ignore_ascii_case(&h)))
    };
    let mut sockets = c.seen.sockets.iter().filter(ours);
    // One that has not answered yet is the server's delay only where we watched to the end.
    let silent = |s: &Socket| s.status.is_none() && s.error.is_empty();
    let Some(socket) = sockets.find(|s| failed(s) || silent(s)) else {
        return Answer::Holds;
    };
    if silent(socket)
        && let Some(why) = c.cut_off()
    {
        return Answer::cannot_tell("how the live connection ends", why);
    }
    let outcome = match (socket.error.as_str(), socket.status) {
        ("", Some(101)) => "opened, then closed without a message".to_string(),
        ("", Some(status)) => format!("status {status}"),
        ("", None) => "no answer".to_string(),
        (error, _) => error.to_string(),
    };
    let name = &c.case.supplier.name;
    Finding::broken(
        Code::StartedSocket,
        "The widget's live connection failed.",
        format!(
            "Ask {name} whether its live service is down; behind a firewall, allow the connection."
        ),
    )
    .with(Evidence::Request {
        url: socket.url.clone(),
        outcome,
    })
    .into()
}

#[cfg(test)]
mod tests {
    use crate::chain::testing::{healthy, loaded, root, told, undecided, with};
    use newtfern_model::code::Code;
    use newtfern_standards::observation::{Look, NotCheckedReason, Observation, Socket};

    fn socket(change: fn(&mut Socket)) -> Observation {
        with(loaded(), |o| {
            let mut s = Socket {
                url: "wss://live.example.test/s".into(),
                ..Socket::default()
            };
            change(&mut s);
            o.sockets.push(s);
        })
    }

    #[test]
    fn each_way_to_fail_is_told_in_words() {
        let outcome = |change: fn(&mut Socket)| {
            let found = told(socket(change));
            assert_eq!(found.code, Code::StartedSocket);
            found.evidence[0].line()
        };
        let refused = outcome(|s| s.error = "net::ERR_CONNECTION_REFUSED".into());
        assert!(refused.ends_with("net::ERR_CONNECTION_REFUSED"));
        assert!(outcome(|s| s.status = Some(403)).ends_with("status 403"));
        let closed = outcome(|s| (s.status, s.closed_ms) = (Some(101), Some(9.0)));
        assert!(closed.ends_with("closed without a message"));
        assert!(outcome(|_| {}).ends_with("no answer"));
    }

    #[test]
    fn one_that_talks_and_one_of_somebody_else_have_not_failed() {
        let talks = socket(|s| (s.status, s.received) = (Some(101), 2));
        assert_eq!(root(talks), Some(Code::StartedSilent));
        let other = socket(|s| {
            s.url = "wss://other.example/".into();
            s.error = "x".into();
        });
        assert_eq!(root(other), Some(Code::StartedSilent));
        let up = with(healthy(), |o| {
            o.sockets = socket(|s| s.error = "x".into()).sockets
        });
        assert_eq!(root(up), None);
    }

    #[test]
    fn silence_until_our_own_deadline_says_nothing() {
        let cut = with(socket(|_| {}), |o| {
            o.looks.alive = Look::NotLooked {
                why: NotCheckedReason::Deadline,
            };
        });
        undecided(cut, "the visit ran out of time");
    }

    #[test]
    fn one_that_waits_for_talk_or_has_talked_has_not_failed() {
        let open = socket(|s| s.status = Some(101));
        assert_eq!(root(open), Some(Code::StartedSilent));
        let over = socket(|s| {
            (s.status, s.received, s.closed_ms) = (Some(101), 3, Some(9.0));
        });
        assert_eq!(root(over), Some(Code::StartedSilent));
    }
}
