//! Bodies of answers, as the protocol gives them.

use crate::ProbeError;
use crate::visit::collector::text;
use serde_json::Value;

/// A body as text: the browser has decoded text already; what it takes for bytes comes in base64.
pub(super) fn body_text(answer: &Value) -> String {
    let body = text(answer, "body");
    if answer["base64Encoded"].as_bool().unwrap_or(false) {
        let bytes = decode(&body).unwrap_or_default();
        crate::decoding::text_of(&bytes, None)
    } else {
        body
    }
}

/// Returns the bytes of a Base64 text.
///
/// # Errors
/// Where the text is none.
pub fn decode(text: &str) -> Result<Vec<u8>, ProbeError> {
    use base64::Engine;
    base64::engine::general_purpose::STANDARD
        .decode(text)
        .map_err(|e| ProbeError::Command {
            method: "base64".into(),
            message: e.to_string(),
        })
}
