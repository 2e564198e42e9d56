//! What Brindle's console holds for a client's key.

use crate::estate::{CLIENTS, Fault as F, fault_of_key};
use serde_json::{Value, json};

/// The settings of a key with its texts in a visitor's language.
pub fn settings_in(key: &str, language: &str) -> Option<Value> {
    let mut settings = settings_of_key(key)?;
    if language == "cy" {
        settings["greeting"] = "Helo! Sut allwn ni helpu?".into();
        settings["prompt"] = "Unrhyw gwestiynau?".into();
        settings["notice_text"] = "Cyn ysgrifennu, darllenwch sut rydym yn trin eich data.".into();
    }
    if language == "he" {
        settings["greeting"] = "שלום! איך אפשר לעזור?".into();
    }
    Some(settings)
}

/// Returns the settings that the supplier's console has for a key: the design as it was entered
/// there.
pub fn settings_of_key(key: &str) -> Option<Value> {
    let slug = key.split_once("-live")?.0;
    let client = CLIENTS.iter().find(|c| c.slug == slug)?;
    let fault = fault_of_key(key);
    let off = fault == Some(F::OffBrand);
    Some(json!({
        "title": client.name,
        "greeting": "Hello! How can we help?",
        "button_colour": if off { "#d98c2b" } else { client.primary },
        "icon_colour": "#ffffff",
        "header_colour": client.primary,
        "header_text": "#ffffff",
        "corner": if off { "bottom-left" } else { "bottom-right" },
        "offset_x": 20,
        "offset_y": 20,
        // Empty: as on desktops.
        "phone_size": "",
        "phone_offset_x": "",
        "phone_offset_y": "",
        "prompt": "Any questions?",
        "prompt_delay_s": 5,
        "notice_text": "Before you write, please read how we treat your data.",
        "notice_link": "/privacy",
        "answer_colour": "#eee9df",
        "answer_words": "#222222",
        "mark": "shown",
        "presence": if fault == Some(F::Away) { "away" } else { "online" },
        "pages_off": if fault == Some(F::Ruled) { vec!["/terms"] } else { vec![] },
        "hide_on_phone": fault == Some(F::Phone),
    }))
}
