//! Signing in, roles, form tokens, headers.

use crate::house::{Answer, house, house_with, posted};
use axum::body::Body;
use axum::http::{Method, Request};
use newtfern_store::people::Role;
use newtfern_web::{Settings, hash_password};
use time::{Duration, OffsetDateTime};

const PAGES: [&str; 24] = [
    "/",
    "/lens/estate",
    "/lens/design",
    "/lens/place",
    "/lens/load",
    "/lens/echo",
    "/lens/weigh",
    "/lens/consent",
    "/lens/brand",
    "/lens/hand_over",
    "/lens/watch",
    "/worklist",
    "/rounds",
    "/clients",
    "/clients/1",
    "/clients/1/tokens.json",
    "/sites/new",
    "/sites/import",
    "/sites/export.csv",
    "/sites/1",
    "/sites/1/settings",
    "/sites/1/design",
    "/sites/1/place",
    "/settings",
];

const FORMS: [&str; 20] = [
    "/bulk",
    "/rounds/1/cancel",
    "/rounds/1/again",
    "/clients",
    "/clients/1",
    "/sites/new",
    "/sites/look",
    "/sites/1/settings",
    "/sites/1/remove",
    "/sites/1/design",
    "/sites/1/design/numbers",
    "/sites/1/place/push",
    "/sites/1/place/back",
    "/sites/1/act",
    "/handovers/1/link",
    "/handovers/1/withdraw",
    "/house-style",
    "/settings",
    "/settings/supplier",
    "/settings/people",
];

#[tokio::test]
async fn every_page_opens_for_a_viewer_and_none_for_a_stranger() {
    let house = house().await;
    let client = house.client("Wendle Tide Mill").await;
    house.site(client, 1).await;
    let viewer = house.person(Role::Viewer).await;
    for path in PAGES.into_iter().chain(["/audit", "/house-style"]) {
        let answer = viewer.get(path).await;
        assert!(
            answer.status.is_success() || path == "/",
            "{path}: {}",
            answer.text()
        );
        if path != "/" {
            assert_eq!(
                house.stranger().get(path).await.leads(),
                "/sign-in",
                "{path}"
            );
        }
    }
    for path in [
        "/events",
        "/rounds/1",
        "/handovers/1",
        "/handovers/1/pdf",
        "/blobs/ab/x.png",
    ] {
        assert_eq!(
            house.stranger().get(path).await.leads(),
            "/sign-in",
            "{path}"
        );
    }
}

#[tokio::test]
async fn no_form_changes_anything_for_viewers_strangers_or_with_a_wrong_token() {
    let house = house().await;
    let client = house.client("Wendle Tide Mill").await;
    house.site(client, 1).await;
    let (viewer, technician) = (
        house.person(Role::Viewer).await,
        house.person(Role::Technician).await,
    );
    let mut forged = technician.clone();
    forged.csrf = viewer.csrf.clone();
    let before = house.count("select count(*) from audit").await;
    for path in FORMS.into_iter().chain(["/settings/role"]) {
        viewer
            .post(path, &[])
            .await
            .is(403)
            .has("You may look, not change");
        forged
            .post(path, &[])
            .await
            .is(403)
            .has("from another sign-in");
        assert_eq!(
            house.stranger().post(path, &[]).await.leads(),
            "/sign-in",
            "{path}"
        );
    }
    for path in ["/clients/1/logo", "/sites/import"] {
        viewer.upload(path, "logo", b"<svg></svg>").await.is(403);
        forged.upload(path, "logo", b"<svg></svg>").await.is(403);
    }
    assert_eq!(house.count("select count(*) from audit").await, before);
    assert_eq!(house.count("select count(*) from rounds").await, 0);
}

#[tokio::test]
async fn a_session_ends_when_it_runs_out_or_is_closed() {
    let house = house().await;
    let viewer = house.person(Role::Viewer).await;
    viewer.get("/worklist").await.is(200);
    let late = house
        .app
        .store
        .open_session(viewer.id, OffsetDateTime::now_utc() - Duration::seconds(1))
        .await
        .unwrap();
    let mut expired = viewer.clone();
    expired.cookie = Some(format!("newtfern={late}"));
    assert_eq!(expired.get("/worklist").await.leads(), "/sign-in");
    // Without the form's token somebody else could sign people out.
    let mut forged = viewer.clone();
    forged.csrf = "guess".into();
    forged.post("/sign-out", &[]).await.is(303);
    viewer.get("/worklist").await.is(200);
    let out = viewer.post("/sign-out", &[]).await;
    assert!(out.header("set-cookie").contains("Max-Age=0"));
    assert_eq!(viewer.get("/worklist").await.leads(), "/sign-in");
    // Only hashes are kept: the table holds no token that could be used.
    assert_eq!(
        house
            .count("select count(*) from sessions where length(token_hash) <> 32")
            .await,
        0
    );
}

#[tokio::test]
async fn signing_in_tells_nothing_about_who_exists_and_ends_after_many_attempts() {
    let house = house().await;
    let hash = hash_password("fern and sallow");
    house
        .app
        .store
        .add_person(
            "ada@fenwick.example",
            "Ada Fenwick",
            Role::Technician,
            &hash,
        )
        .await
        .unwrap();
    let stranger = house.stranger();
    let try_with = |email: &'static str, password: &'static str| {
        let stranger = stranger.clone();
        async move {
            stranger
                .post("/sign-in", &[("email", email), ("password", password)])
                .await
        }
    };
    let shape = |answer: Answer, email: &str| (answer.status, answer.text().replace(email, "E"));
    let wrong = shape(
        try_with("ada@fenwick.example", "guess").await,
        "ada@fenwick.example",
    );
    let nobody = shape(
        try_with("eve@fenwick.example", "guess").await,
        "eve@fenwick.example",
    );
    assert_eq!(wrong, nobody);
    assert_eq!(wrong.0.as_u16(), 401);

    let right = try_with("  ADA@fenwick.example ", "fern and sallow").await;
    assert_eq!(right.leads(), "/lens/estate");
    let cookie = right.header("set-cookie").to_string();
    assert!(
        cookie.contains("HttpOnly")
            && cookie.contains("SameSite=Lax")
            && !cookie.contains("Secure"),
        "{cookie}"
    );
    let mut signed_in = stranger.clone();
    signed_in.cookie = cookie.split(';').next().map(str::to_string);
    signed_in
        .get("/lens/estate")
        .await
        .is(200)
        .has("Ada Fenwick");

    for _ in 0..8 {
        try_with("ada@fenwick.example", "guess").await.is(401);
    }
    // The right password is not tried any more either; another account still is.
    try_with("ada@fenwick.example", "fern and sallow")
        .await
        .is(429)
        .has("Too many attempts");
    try_with("eve@fenwick.example", "guess").await.is(401);
}

#[tokio::test]
async fn the_cookie_is_secure_where_the_application_is() {
    let house = house_with(Settings {
        public_address: "https://newtfern.test".into(),
        secure_cookies: true,
        ..Settings::default()
    })
    .await;
    house
        .app
        .store
        .add_person(
            "ada@fenwick.example",
            "Ada",
            Role::Viewer,
            &hash_password("fern and sallow"),
        )
        .await
        .unwrap();
    let answer = house
        .stranger()
        .post(
            "/sign-in",
            &[
                ("email", "ada@fenwick.example"),
                ("password", "fern and sallow"),
            ],
        )
        .await;
    assert!(
        answer.header("set-cookie").ends_with("; Secure"),
        "{}",
        answer.header("set-cookie")
    );
}

/// Fetch Metadata (W3C) where the browser sends it, Origin (RFC 6454) where it does not.
#[tokio::test]
async fn requests_from_other_sites_are_refused_before_anything_is_read() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let form = format!("csrf={}&kind=check&site=1", technician.csrf);
    let with = |headers: &[(&'static str, &'static str)]| {
        let mut request = posted("/bulk", form.clone());
        for (name, value) in headers {
            request.headers_mut().insert(*name, value.parse().unwrap());
        }
        technician.send(request)
    };
    for foreign in [
        &[("sec-fetch-site", "cross-site")][..],
        &[("sec-fetch-site", "same-site")],
        &[
            ("origin", "https://elsewhere.example"),
            ("host", "newtfern.test"),
        ],
        &[("origin", "null"), ("host", "newtfern.test")],
        &[
            ("origin", "http://newtfern.test:81"),
            ("host", "newtfern.test"),
        ],
    ] {
        with(foreign).await.is(403).has("came from another site");
    }
    for own in [
        &[("sec-fetch-site", "same-origin")][..],
        &[("sec-fetch-site", "none")],
        &[
            ("origin", "http://newtfern.test"),
            ("host", "newtfern.test"),
        ],
    ] {
        assert_eq!(with(own).await.status.as_u16(), 303);
    }
    let deleted = technician
        .send(
            Request::builder()
                .method(Method::DELETE)
                .uri("/sites/1")
                .body(Body::empty())
                .unwrap(),
        )
        .await;
    assert_eq!(deleted.status.as_u16(), 405);
}

#[tokio::test]
async fn every_answer_carries_the_headers_that_keep_a_browser_safe() {
    let house = house().await;
    let viewer = house.person(Role::Viewer).await;
    let client = house.client("Wendle Tide Mill").await;
    house.site(client, 1).await;
    for path in PAGES.into_iter().chain([
        "/no/such/page",
        "/sign-in",
        "/assets/none.js",
        "/for-client/none",
    ]) {
        let answer = viewer.get(path).await;
        let policy = answer.header("content-security-policy");
        assert!(
            policy.starts_with("default-src 'none'")
                && !policy.contains("unsafe")
                && policy.contains("frame-ancestors 'none'"),
            "{path}: {policy}"
        );
        assert_eq!(answer.header("x-content-type-options"), "nosniff", "{path}");
        assert_eq!(answer.header("x-frame-options"), "DENY", "{path}");
        assert_eq!(answer.header("cache-control"), "no-store", "{path}");
        // Nothing inline, so that the policy holds without exceptions.
        let text = answer.text();
        assert!(
            !text.contains(" style=\"")
                && !text.contains("<script>")
                && !text.contains(" onclick="),
            "{path}"
        );
    }
    assert_eq!(
        house
            .stranger()
            .get("/assets/newtfern.js")
            .await
            .header("cache-control"),
        "public, max-age=3600"
    );
}

#[tokio::test]
async fn health_answers_without_a_sign_in_and_says_when_the_database_is_gone() {
    let house = house().await;
    assert_eq!(house.stranger().get("/health").await.is(200).text(), "ok");
    house.app.store.pool.close().await;
    house
        .stranger()
        .get("/health")
        .await
        .is(500)
        .has("Something failed on our side")
        .lacks("pool");
}
