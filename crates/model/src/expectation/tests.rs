use super::*;
use crate::design::Field;

/// The file of the public contract, whole.
const WHOLE: &str = r##"
address = "https://www.kites.example/"
country = "GB"
languages = ["en", "cy"]
time_zone = "Europe/London"
consent = "example-banner"
platform = "plugin-cms"

[[widget]]
supplier = "example"
key = "ab12cd34"
on = ["/**"]
not_on = ["/legal/**", "/imprint"]
viewports = ["desktop", "phone"]
delay_s = 0
start = "closed"
form = "launcher"
outside_hours = "message"
[[widget.hours]]
days = ["mon", "tue", "wed", "thu", "fri"]
from = "09:00"
to = "17:30"
[[widget.closed]]
on = "2026-12-25"
[[widget.channel]]
kind = "phone"
target = "tel:+441632960123"
[widget.design]
launcher_colour = "#0b7285"
corner = "bottom-right"
offset_side_px = 20
offset_bottom_px = 20
[widget.texts.en]
title = "Kite workshop"
greeting = "Hello! How can we help?"
notice = "Before you write, please read how we use your data."
notice_link = "https://www.kites.example/privacy"
prompt = "Questions about sizes?"
prompt_after_s = 5
away = "Leave us a message."
"##;

#[test]
fn the_contracts_file_is_read_and_comes_back_the_same() {
    let read = Expectation::read(WHOLE).unwrap();
    let widget = &read.widgets[0];
    assert_eq!(read.consent_id(), Some("example-banner"));
    assert_eq!(widget.hours[0].to.minutes(), 17 * 60 + 30);
    assert_eq!(widget.texts["en"].prompt_after_s, Some(5.0));
    assert_eq!(widget.design.number(Field::OffsetX), Some(20.0));
    assert_eq!(widget.channels[0].kind, ChannelKind::Phone);
    let written = read.write();
    assert_eq!(Expectation::read(&written).unwrap(), read, "{written}");
    // What is as usual needs no line.
    assert!(
        !written.contains("viewports") && !written.contains("on = [\"/**\"]"),
        "{written}"
    );
}

#[test]
fn a_site_needs_its_address_only() {
    let none = Expectation::read("address = 'https://www.kites.example/'").unwrap();
    assert!(none.widgets.is_empty() && none.consent_id().is_none());
    assert_eq!(none.write(), "address = \"https://www.kites.example/\"\n");
    assert_eq!(Expectation::read(&none.write()).unwrap(), none);
    let bare = format!("{}[[widget]]\nsupplier = 'example'\n", none.write());
    let bare = Expectation::read(&bare).unwrap();
    assert_eq!(bare.widgets[0], Widget::of("example", ""));
    assert_eq!(bare.widgets[0].wanted_key(), None);
}

#[test]
fn every_mistake_is_told_at_its_place() {
    for (from, to, told) in [
        (
            "country =",
            "contry =",
            "line 3: \u{201c}contry\u{201d} is not a field here; the nearest is \
            \u{201c}country\u{201d}",
        ),
        (
            "not_on =",
            "noton =",
            "the nearest is \u{201c}not_on\u{201d}",
        ),
        ("away =", "awey =", "the nearest is \u{201c}away\u{201d}"),
        (
            "corner =",
            "corners =",
            "the nearest is \u{201c}corner\u{201d}",
        ),
        (
            "\"https://www.kites.example/\"\ncountry",
            "\"ftp://x\"\ncountry",
            "address: ",
        ),
        (
            "\"GB\"",
            "\"UK\"",
            "country: \u{201c}UK\u{201d} is not a country code",
        ),
        (
            "\"cy\"",
            "\"welsh language\"",
            "languages: \u{201c}welsh language\u{201d}",
        ),
        ("Europe/London", "Europe/Londonium", "time_zone: "),
        ("\"/imprint\"", "\"imprint\"", "begins with no slash"),
        ("\"phone\"]", "\"tablet\"]", "tablet"),
        ("delay_s = 0", "delay_s = -1", "widget 1, delay_s"),
        ("\"17:30\"", "\"5 pm\"", "is not a time of day"),
        ("\"17:30\"", "\"09:00\"", "from and to are the same"),
        ("2026-12-25", "2026-02-30", "is not a day"),
        ("#0b7285", "#0b728", "widget 1, design.launcher_colour"),
        ("bottom-right", "lower-right", "widget 1, design.corner"),
        (
            "https://www.kites.example/privacy",
            "privacy",
            "widget 1, texts.en.notice_link",
        ),
        ("texts.en", "texts.e", "widget 1, texts"),
        (
            "tel:+441632960123",
            " ",
            "line 27: the target of a channel is empty",
        ),
        ("tel:+441632960123", "01632 960123", "line 27: "),
    ] {
        let text = WHOLE.replacen(from, to, 1);
        assert_ne!(text, WHOLE, "{from}");
        let error = Expectation::read(&text).unwrap_err().to_string();
        assert!(error.contains(told), "{to}: {error}");
    }
}

#[test]
fn a_shift_may_run_over_midnight_or_to_its_end() {
    let with = |from: &str, to: &str| {
        let text = WHOLE.replacen("09:00", from, 1).replacen("17:30", to, 1);
        Expectation::read(&text)
    };
    assert!(with("22:00", "06:00").is_ok() && with("00:00", "24:00").is_ok());
    assert!(with("9:00", "17:00").is_ok(), "as people write it");
    assert!(with("24:00", "06:00").is_err() && with("9:0", "17:00").is_err());
}
