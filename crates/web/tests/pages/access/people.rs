//! Signing in, roles, form tokens, headers.

use crate::forms::{ADMINISTRATION, FORMS};
use crate::house::{Answer, house, house_with, posted};
use axum::body::Body;
use axum::http::{Method, Request};
use jiff::{SignedDuration, Timestamp};
use newtfern_acts::hash_password;
use newtfern_store::access::people::Role;
use newtfern_web::Settings;

const PAGES: [&str; 36] = [
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
    "/line-up",
    "/sites/1/test",
    "/suppliers-by-weight",
    "/sites/1/design.tokens.json",
    "/sites/1/hours.ics",
    "/sites/1/place",
    "/sites/1/pages",
    "/profiles",
    "/profiles/supplier/brindle",
    "/profiles/new?kind=platform",
    "/profiles/from-snippet",
    "/settings",
    "/people",
    "/account",
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
            // After the sign-in, the page that was asked for.
            let to: String = url::form_urlencoded::byte_serialize(path.as_bytes()).collect();
            let wanted = format!("/sign-in?to={to}");
            assert_eq!(house.stranger().get(path).await.leads(), wanted, "{path}");
        }
    }
    for path in [
        "/events",
        "/rounds/1",
        "/handovers/1",
        "/handovers/1/pdf",
        "/blobs/ab/x.png",
    ] {
        let leads = house.stranger().get(path).await.leads().to_string();
        assert!(leads.starts_with("/sign-in?to="), "{path}: {leads}");
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
    for path in FORMS.into_iter().chain(ADMINISTRATION) {
        viewer
            .post(path, &[])
            .await
            .is(403)
            .has("Your role allows viewing only");
        forged
            .post(path, &[])
            .await
            .is(403)
            .has("from an earlier sign-in");
        // What was typed is not lost over a session that ended meanwhile.
        house
            .stranger()
            .post(path, &[("contact", "Typed with care")])
            .await
            .is(401)
            .has("You were signed out")
            .has("Typed with care")
            .lacks("csrf\" value=\"0");
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
        .session(viewer.id, Timestamp::now() - SignedDuration::from_secs(1))
        .await;
    let mut expired = viewer.clone();
    expired.cookie = Some(format!("newtfern={late}"));
    assert_eq!(
        expired.get("/worklist").await.leads(),
        "/sign-in?to=%2Fworklist"
    );
    // Without the form's token somebody else could sign people out.
    let mut forged = viewer.clone();
    forged.csrf = "guess".into();
    let refused = forged.post("/sign-out", &[]).await;
    refused.is(403);
    assert_eq!(refused.header("set-cookie"), "", "nothing is half done");
    viewer.get("/worklist").await.is(200);
    let out = viewer.post("/sign-out", &[]).await;
    assert!(out.header("set-cookie").contains("Max-Age=0"));
    assert_eq!(
        viewer.get("/worklist").await.leads(),
        "/sign-in?to=%2Fworklist"
    );
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
    // One story: each part stands on what the one before left behind.
    let house = house().await;
    let hash = hash_password("fern and sallow");
    house
        .add_person(
            "ada@fenwick.example",
            "Ada Fenwick",
            Role::Technician,
            &hash,
        )
        .await;
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

    // Some in a row cost nothing; then each waits twice as long. Who signed in begins anew.
    for _ in 0..6 {
        try_with("ada@fenwick.example", "guess").await.is(401);
    }
    // The right password is not tried any more either, for a second; another account still is.
    try_with("ada@fenwick.example", "fern and sallow")
        .await
        .is(429)
        .has("Too many attempts. Wait 1 second,");
    try_with("eve@fenwick.example", "guess").await.is(401);
    // The browser from which she signed in is not kept out by others' attempts.
    let mut known = stranger.clone();
    let cookies = right.headers("set-cookie");
    let browser = cookies.iter().find(|c| c.starts_with("newtfern-browser="));
    let browser = browser.expect("a cookie for the browser");
    assert!(browser.contains("SameSite=Strict") && browser.contains("HttpOnly"));
    known.cookie = browser.split(';').next().map(str::to_string);
    let fields = [
        ("email", "ada@fenwick.example"),
        ("password", "fern and sallow"),
    ];
    assert_eq!(
        known.post("/sign-in", &fields).await.leads(),
        "/lens/estate"
    );
    // Failed attempts stand in the trail, with the address they came from.
    let failed = "select count(*) from audit where act = 'failed to sign in' and detail ? 'from'";
    assert_eq!(house.count(failed).await, 9);
}

/// RFC 5321 bounds an address; a form of megabytes, or with NUL, is answered and not looked up.
#[tokio::test]
async fn addresses_of_any_length_cost_nothing() {
    let house = house().await;
    let stranger = house.stranger();
    let long = "x".repeat(12_000);
    for (email, password) in [
        (long.as_str(), "x"),
        ("a\0b@x", "x\0"),
        ("a@b", long.as_str()),
    ] {
        stranger
            .post("/sign-in", &[("email", email), ("password", password)])
            .await
            .is(401);
    }
    let huge = "x".repeat(40_000);
    stranger.post("/sign-in", &[("email", &huge)]).await.is(413);
    assert!(house.app.tries.kept() <= 4);
    let most = "select max(length(subject))::bigint from audit";
    assert_eq!(house.count(most).await, 254);
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
        .add_person(
            "ada@fenwick.example",
            "Ada",
            Role::Viewer,
            &hash_password("fern and sallow"),
        )
        .await;
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
        answer.header("set-cookie").starts_with("__Host-newtfern=")
            && answer.header("set-cookie").contains("; Secure"),
        "{}",
        answer.header("set-cookie")
    );
}

/// Fetch Metadata (W3C) where the browser sends it, Origin (RFC 6454) where it does not.
#[tokio::test]
async fn requests_from_other_sites_are_refused_before_anything_is_read() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let client = house.client("Lenn Kite Workshop").await;
    let site = house.site(client, 1).await;
    let form = format!("csrf={}&kind=check&site={site}", technician.csrf);
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
        "public, max-age=86400"
    );
}

/// Assets are found by the address that the page names, kept permanently, compressed, and answered
/// without a body where the browser has them.
#[tokio::test]
async fn assets_are_kept_by_their_fingerprint() {
    let house = house().await;
    let stranger = house.stranger();
    let page = stranger.get("/sign-in").await.text();
    let at = page.find("/assets/newtfern.").expect("a style sheet");
    let path = page[at..].split('"').next().unwrap().to_string();
    let plain = stranger.get(&path).await;
    assert_eq!(
        plain.header("cache-control"),
        "public, max-age=31536000, immutable"
    );
    let with = |name: &'static str, value: String| {
        let mut request = Request::get(&path).body(Body::empty()).unwrap();
        request.headers_mut().insert(name, value.parse().unwrap());
        stranger.send(request)
    };
    newtfern_web::assets::prepare();
    let small = with("accept-encoding", "gzip, br".into()).await;
    assert_eq!(small.header("content-encoding"), "br");
    assert!(small.bytes.len() * 2 < plain.bytes.len());
    let again = with("if-none-match", plain.header("etag").into()).await;
    assert_eq!((again.status.as_u16(), again.bytes.len()), (304, 0));
}

/// What goes wrong is told inside the application, with its navigation.
#[tokio::test]
async fn errors_keep_the_frame_for_those_who_are_signed_in() {
    let house = house().await;
    let viewer = house.person(Role::Viewer).await;
    viewer
        .get("/sites/999")
        .await
        .is(404)
        .has("This site does not exist")
        .has("aria-label=\"Steps of the job\"");
    house
        .stranger()
        .get("/no/such/page")
        .await
        .is(404)
        .lacks("aria-label=\"Steps of the job\"");
}

#[tokio::test]
async fn health_answers_without_a_sign_in_and_says_when_the_database_is_gone() {
    let house = house().await;
    assert_eq!(house.stranger().get("/health").await.is(200).text(), "ok");
    house.store().pool.close().await;
    house
        .stranger()
        .get("/health")
        .await
        .is(500)
        .has("Internal error")
        .lacks("pool");
}

/// What no handler sees is refused in our words too, inside the frame.
#[tokio::test]
async fn bad_addresses_of_our_own_have_pages_of_our_own() {
    let house = house().await;
    let viewer = house.person(Role::Viewer).await;
    for (path, status, words) in [
        ("/nothing", 404, "This page does not exist"),
        ("/sites/abc", 400, "This address is not valid"),
        (
            "/rounds/99999999999999999999",
            400,
            "This address is not valid",
        ),
        ("/lens/load?page=x", 400, "This address is not valid"),
        ("/lens/nothing", 404, "This lens does not exist"),
        ("/clients/4711", 404, "This client does not exist"),
    ] {
        let answer = viewer.get(path).await;
        answer.is(status).has(words).has("<main").has("Clients");
    }
    let answer = viewer.post("/worklist", &[]).await;
    answer.is(405).has("does not accept this kind of request");
    assert!(answer.header("allow").contains("GET"));
    let much = "x".repeat(7 << 20);
    let answer = viewer.post("/clients", &[("name", &much)]).await;
    answer.is(422).has("The form is too large").has("<main");
}
