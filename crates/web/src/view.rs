//! What every page shows around its content, and small wording helpers.

use crate::draw::frond;
use crate::error::PageResult;
use crate::session::Reader;
use crate::state::App;
use axum::response::Redirect;
use jiff::Timestamp;
use newtfern_acts::store::access::people::Role;
use newtfern_acts::store::estate::sites::StandingRow;
use newtfern_verdict::family::{Family, Standing};
use std::collections::HashMap;

/// The frame of a page: the Trail with its counts, the person, the round under way.
pub struct Frame {
    pub title: String,
    pub trail: Vec<Stop>,
    pub person: String,
    pub role: &'static str,
    pub csrf: String,
    pub may_change: bool,
    pub is_administrator: bool,
    pub round: Option<Running>,
    /// Key of the side page that is open.
    pub side: &'static str,
}

pub struct Stop {
    pub key: &'static str,
    pub label: &'static str,
    pub waiting: i64,
    pub failing: i64,
    pub current: bool,
}

pub struct Running {
    pub id: i64,
    pub percent: i64,
    pub over: i64,
    pub total: i64,
}

/// Number of sites that stand so: of all, and in each family.
type Counts = HashMap<(Option<Family>, Standing), i64>;

fn stop(counts: &Counts, family: Option<Family>, lens: &str) -> Stop {
    let of = |state| counts.get(&(family, state)).copied().unwrap_or(0);
    let key = family.map_or("estate", Family::key);
    Stop {
        key,
        label: family.map_or("Estate", Family::label),
        waiting: of(Standing::NotYet) + of(Standing::Undecided) + of(Standing::Stale),
        failing: of(Standing::Failing),
        current: lens == key,
    }
}

impl Frame {
    /// `lens` is the current stop; empty for side pages.
    pub async fn new(
        app: &App,
        reader: &Reader,
        title: &str,
        lens: &str,
        side: &'static str,
    ) -> PageResult<Frame> {
        let counts = app.reads().sites().counts().await?;
        // The estate counts sites by their worst family; the others by their own.
        let families = std::iter::once(None).chain(Family::ALL.map(Some));
        let trail = families.map(|f| stop(&counts, f, lens)).collect();
        let round = app.reads().rounds().active_round().await?.map(|r| Running {
            id: r.id,
            percent: r.percent(),
            over: r.total - r.waiting - r.running,
            total: r.total,
        });
        let role = reader.0.person.role();
        Ok(Frame {
            title: title.to_string(),
            trail,
            person: reader.0.person.name.clone(),
            role: role.word(),
            csrf: reader.0.csrf.clone(),
            may_change: role >= Role::Technician,
            is_administrator: role == Role::Administrator,
            round,
            side,
        })
    }
}

/// Returns the frond drawing of a site's standings.
pub fn frond_of(standings: &[StandingRow]) -> String {
    let pairs: Vec<_> = standings.iter().map(|s| (s.family, s.state)).collect();
    frond::svg(&pairs)
}

/// "4 min ago", "yesterday", or the date.
pub fn ago(at: impl Into<Timestamp>) -> String {
    let at = at.into();
    let s = Timestamp::now().duration_since(at).as_secs();
    match s {
        i64::MIN..60 => "just now".into(),
        60..3600 => format!("{} min ago", s / 60),
        3600..86_400 => format!("{} h ago", s / 3600),
        86_400..172_800 => "yesterday".into(),
        172_800..2_592_000 => format!("{} days ago", s / 86_400),
        _ => date(at),
    }
}

/// A day, in UTC.
pub fn date(at: impl Into<Timestamp>) -> String {
    at.into().strftime("%-d %B %Y").to_string()
}

/// A minute, in UTC and so marked.
pub fn moment(at: impl Into<Timestamp>) -> String {
    at.into().strftime("%-d %B %Y, %H:%M UTC").to_string()
}

/// Pages of a long list.
pub struct Pager {
    pub page: i64,
    pub pages: i64,
    pub total: i64,
    pub from: i64,
    pub to: i64,
    /// The query without `page`, ready to append to.
    pub query: String,
    /// A page past the last was asked for, as after rows were removed.
    beyond: bool,
}

pub const PAGE_SIZE: i64 = 50;

impl Pager {
    pub fn new(asked: i64, total: i64, query: &[(&str, &str)]) -> Pager {
        let pages = (total + PAGE_SIZE - 1).max(1) / PAGE_SIZE;
        let pages = pages.max(1);
        let page = asked.clamp(1, pages);
        let mut q = url::form_urlencoded::Serializer::new(String::new());
        for (name, value) in query.iter().filter(|(_, v)| !v.is_empty()) {
            q.append_pair(name, value);
        }
        let text = q.finish();
        let from = if total == 0 {
            0
        } else {
            (page - 1) * PAGE_SIZE + 1
        };
        let query = if text.is_empty() {
            String::new()
        } else {
            format!("{text}&")
        };
        Pager {
            page,
            pages,
            total,
            from,
            to: (page * PAGE_SIZE).min(total),
            query,
            beyond: asked > pages,
        }
    }

    /// Back to the last page, where one past it was asked for.
    pub fn back(&self, path: &str) -> Option<Redirect> {
        self.beyond
            .then(|| Redirect::to(&format!("{path}?{}page={}", self.query, self.page)))
    }

    pub fn offset(page: i64) -> i64 {
        (page.clamp(1, 100_000) - 1) * PAGE_SIZE
    }
}

/// The address without its scheme, for reading.
pub fn short(url: &str) -> String {
    url.trim_start_matches("https://")
        .trim_start_matches("http://")
        .trim_end_matches('/')
        .to_string()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn pages_are_counted_and_bounded() {
        let p = Pager::new(9, 101, &[("q", "a b"), ("state", "")]);
        assert_eq!(
            (p.page, p.pages, p.from, p.to, p.query.as_str()),
            (3, 3, 101, 101, "q=a+b&")
        );
        let none = Pager::new(0, 0, &[]);
        assert_eq!((none.page, none.pages, none.from, none.to), (1, 1, 0, 0));
    }
}
