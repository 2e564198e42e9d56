//! The supplier's console: the message looked for, answered, and tidied up.

use super::steps::{EchoOrder, STEP_MS, poll, stop};
use crate::ProbeError;
use crate::http::Http;
use crate::pace::Timer;
use crate::visit::{Tab, details};
use newtfern_model::profile::EchoSteps;
use newtfern_verdict::brand::talk::TalkLooks;
use newtfern_verdict::echo::{Answers, CleanUp, EchoResult, StopReason, TEST_FILE};
use serde_json::{Value, json};
use std::time::{Duration, Instant};
use url::Url;

/// The console as it is asked about one message.
pub(super) struct Console<'a> {
    pub http: &'a Http,
    pub request: &'a EchoOrder<'a>,
    pub steps: &'a EchoSteps,
    /// Instant at which the message was sent.
    pub sent: Instant,
}

impl Console<'_> {
    fn since(&self) -> Option<f64> {
        Some(self.sent.elapsed().as_secs_f64() * 1000.0)
    }

    fn address(&self, template: &str, talk: &str) -> Option<Url> {
        let values = [("key", self.request.key), ("conversation", talk)];
        newtfern_standards::address_template::fill(template, None, &values).ok()
    }

    /// The message as the console has it, waited for, and what it names; nothing where it did not
    /// come, with the reason.
    pub async fn message(&self, seen: &mut EchoResult) -> Option<Value> {
        let Some(read) = self.address(&self.steps.console_read, "") else {
            let why = "the profile's console addresses are no addresses";
            stop(seen, StopReason::NoSteps, why);
            return None;
        };
        let message = self.looked_for(&read, seen).await?;
        seen.at_console_ms = self.since();
        let page = message["page"].as_str().unwrap_or_default();
        seen.page_at_console = page.chars().take(2_000).collect();
        let language = message["language"].as_str().unwrap_or_default();
        seen.language_at_console = language.chars().take(40).collect();
        if seen.file.is_some() {
            seen.file = Some(message["file"].as_str() == Some(TEST_FILE));
        }
        Some(message)
    }

    async fn looked_for(&self, read: &Url, seen: &mut EchoResult) -> Option<Value> {
        let timer = Timer::ms(STEP_MS);
        let mut trouble = None;
        while !timer.is_over() {
            match self.http.json("GET", read, None, self.request.token).await {
                Ok((200, list)) => {
                    trouble = None;
                    let mut messages = list["messages"].as_array().into_iter().flatten();
                    if let Some(message) = messages.find(|m| m["text"] == self.request.message) {
                        return Some(message.clone());
                    }
                }
                Ok((status, _)) => {
                    trouble = Some(format!("the console answers with status {status}"));
                }
                Err(f) => trouble = Some(format!("the console cannot be reached: {}", f.text)),
            }
            tokio::time::sleep(Duration::from_millis(100)).await;
        }
        if let Some(trouble) = trouble {
            stop(seen, StopReason::Console, &trouble);
        }
        None
    }

    /// Answers at the console, and looks for the answers in the widget.
    pub async fn answer(
        &self,
        tab: &Tab,
        message: &Value,
        seen: &mut EchoResult,
    ) -> Result<(), ProbeError> {
        let Some(answer_to) = self.address(&self.steps.console_answer, "") else {
            let why = "the profile's console addresses are no addresses";
            stop(seen, StopReason::NoSteps, why);
            return Ok(());
        };
        let answers = self.request.answers;
        for text in answers {
            let body = json!({"conversation": message["conversation"], "text": text});
            let post = self
                .http
                .json("POST", &answer_to, Some(&body), self.request.token);
            let refused = match post.await {
                Ok((200..=299, _)) => None,
                Ok((status, _)) => Some(format!(
                    "the console refused the answer with status {status}"
                )),
                Err(failure) => Some(failure.text),
            };
            if let Some(why) = refused {
                stop(seen, StopReason::Console, &why);
                return Ok(());
            }
            seen.answered_ms = seen.answered_ms.or(self.since());
        }
        let shown = || async {
            let found = tab.find(&self.steps.answers).await?;
            Ok::<_, ProbeError>(found.map(|f| f.text).unwrap_or_default())
        };
        if let Some(first) = answers.first()
            && poll(|| async { Ok(shown().await?.contains(first)) }).await?
        {
            seen.answer_seen_ms = self.since();
            poll(|| async { Ok(answers_in(&shown().await?, answers).seen == answers.len()) })
                .await?;
        }
        seen.answers = Some(answers_in(&shown().await?, answers));
        seen.looks = Some(TalkLooks {
            bubbles: details::bubbles(tab, self.request.supplier).await?,
            parts: details::parts(tab, self.request.supplier).await?,
        });
        Ok(())
    }

    /// Closes the talk and removes its contact, and looks whether that is so; nothing where the
    /// profile does not say how.
    pub async fn tidy(&self, message: &Value) -> Option<CleanUp> {
        let talk = match &message["conversation"] {
            Value::String(text) => text.clone(),
            other => other.to_string(),
        };
        let token = self.request.token;
        let tidy = self.address(&self.steps.console_tidy, &talk)?;
        match self.http.json("DELETE", &tidy, None, token).await {
            Ok((200..=299, _)) => {}
            _ => return Some(CleanUp::Left),
        }
        let Some(proof) = self.address(&self.steps.console_talk, &talk) else {
            return Some(CleanUp::Asked);
        };
        Some(match self.http.json("GET", &proof, None, token).await {
            // A talk that is gone altogether is closed, and its contact with it.
            Ok((404 | 410, _)) => CleanUp::Proven,
            Ok((200, told)) if told["closed"] == true && told["contact"].is_null() => {
                CleanUp::Proven
            }
            Ok((200, _)) => CleanUp::Left,
            _ => CleanUp::Asked,
        })
    }
}

/// Returns which of the answers stand in the widget's words, and whether in their order.
fn answers_in(shown: &str, answers: &[String]) -> Answers {
    let places: Vec<usize> = answers.iter().filter_map(|a| shown.find(a)).collect();
    Answers {
        given: answers.len(),
        seen: places.len(),
        in_order: places.is_sorted(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn answers_are_counted_and_their_order_told() {
        let answers = ["first (no. 1)".to_string(), "second (no. 1)".to_string()];
        let of = |shown| answers_in(shown, &answers);
        let all = of("Hello first (no. 1) second (no. 1)");
        assert_eq!((all.given, all.seen, all.in_order), (2, 2, true));
        assert!(!of("second (no. 1) first (no. 1)").in_order);
        assert_eq!(of("second (no. 1)").seen, 1);
    }
}
