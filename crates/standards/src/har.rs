//! One visit as an HTTP archive (HAR 1.2, the W3C Web Performance Working Group's draft), for tools
//! that draw requests over time. What a visit does not record is -1 or empty, as the format wants
//! it.

use crate::observation::{Observation, Request};
use serde_json::{Value, json};

/// The archive of one visit.
pub fn of(seen: &Observation, version: &str) -> Value {
    let began = if seen.at.is_empty() {
        "1970-01-01T00:00:00Z"
    } else {
        &seen.at
    };
    let title = format!(
        "{} ({}, {})",
        seen.url,
        seen.condition.viewport.word(),
        seen.condition.consent.word()
    );
    let entries: Vec<Value> = seen.requests.iter().map(|r| entry(r, began)).collect();
    json!({"log": {
        "version": "1.2",
        "creator": {"name": "newtfern", "version": version},
        "browser": {"name": "Chromium", "version": seen.browser},
        "pages": [{
            "startedDateTime": began,
            "id": "page_1",
            "title": title,
            "pageTimings": {
                "onContentLoad": seen.metrics.dcl_ms.unwrap_or(-1.0),
                "onLoad": seen.metrics.load_ms.unwrap_or(-1.0),
            },
        }],
        "entries": entries,
    }})
}

fn entry(r: &Request, began: &str) -> Value {
    let took = r.end_ms.map_or(-1.0, |end| (end - r.start_ms).max(0.0));
    let query: Vec<Value> = url::Url::parse(&r.url)
        .map(|u| {
            u.query_pairs()
                .map(|(n, v)| json!({"name": n, "value": v}))
                .collect()
        })
        .unwrap_or_default();
    let headers: Vec<Value> = r
        .headers
        .iter()
        .map(|(n, v)| json!({"name": n, "value": v}))
        .collect();
    let mut content = json!({"size": -1, "mimeType": r.mime});
    if let Some(body) = &r.body {
        content["text"] = json!(body);
        content["size"] = json!(body.len());
    }
    let failure = r
        .failure
        .as_ref()
        .map(|f| f.text.clone())
        .unwrap_or_default();
    json!({
        "pageref": "page_1",
        "startedDateTime": later(began, r.start_ms),
        "time": took.max(0.0),
        "request": {
            "method": if r.method.is_empty() { "GET" } else { &r.method },
            "url": r.url,
            "httpVersion": "",
            "cookies": [],
            "headers": [],
            "queryString": query,
            "headersSize": -1,
            "bodySize": -1,
        },
        "response": {
            "status": r.status.unwrap_or(0),
            "statusText": failure,
            "httpVersion": "",
            "cookies": [],
            "headers": headers,
            "content": content,
            "redirectURL": r.redirected_to.clone().unwrap_or_default(),
            "headersSize": -1,
            "bodySize": r.bytes,
        },
        "cache": {},
        "timings": {"send": 0, "wait": took.max(0.0), "receive": 0},
        "comment": r.kind.word(),
    })
}

/// RFC 3339, so many ms after another.
fn later(began: &str, ms: f64) -> String {
    let Ok(at) = began.parse::<jiff::Timestamp>() else {
        return began.to_string();
    };
    let ms = if ms.is_finite() {
        ms.clamp(-1e12, 1e12)
    } else {
        0.0
    };
    let after = jiff::SignedDuration::from_micros((ms * 1000.0) as i64);
    at.checked_add(after)
        .map_or_else(|_| began.to_string(), |t| t.to_string())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::observation::{FailureKind, NetFailure};

    #[test]
    fn requests_stand_at_their_times_with_what_became_of_them() {
        let had = Request {
            url: "https://cdn.example.test/l.js".into(),
            method: "GET".into(),
            status: Some(200),
            start_ms: 1_500.0,
            end_ms: Some(1_750.5),
            ..Request::default()
        };
        let failed = Request {
            url: "https://cdn.example.test/x?a=1&b=%20".into(),
            start_ms: f64::NAN,
            failure: Some(NetFailure {
                kind: FailureKind::Refused,
                text: "net::ERR_CONNECTION_REFUSED".into(),
            }),
            ..Request::default()
        };
        let seen = Observation {
            at: "2026-11-26T10:00:00Z".into(),
            requests: vec![had, failed],
            ..Observation::default()
        };
        let har = of(&seen, "0.1.0");
        let entries = har["log"]["entries"].as_array().unwrap();
        assert_eq!(entries[0]["startedDateTime"], "2026-11-26T10:00:01.5Z");
        assert_eq!(entries[0]["time"], 250.5);
        assert_eq!(entries[1]["response"]["status"], 0);
        assert_eq!(
            entries[1]["response"]["statusText"],
            "net::ERR_CONNECTION_REFUSED"
        );
        assert_eq!(entries[1]["request"]["queryString"][1]["value"], " ");
        assert_eq!(entries[1]["startedDateTime"], "2026-11-26T10:00:00Z");
    }
}
