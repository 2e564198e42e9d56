//! Questions to a page: in the world of our own, which its scripts cannot reach, or in the page's
//! own where the profile's words mean something. A page that answers nothing until its limit is
//! asked once more, by the debugger, which script holds it.

use super::scripts::WORLD;
use super::tab::Tab;
use crate::ProbeError;
use crate::visit::body::body_text;
use newtfern_standards::observation::{BlockingScript, Look};
use serde_json::{Value, json};
use std::time::Duration;

/// A frame of another site does not hold up the visit.
const FRAME_MS: u64 = 2_000;

impl Tab {
    /// A command to the page, answered within what the page may still take.
    ///
    /// # Errors
    /// Where it does not answer, or refuses.
    pub async fn call(&self, method: &str, params: Value) -> Result<Value, ProbeError> {
        let ms = self.patience_ms();
        let answer = self.cdp.call(&self.session, method, params, ms).await;
        if matches!(answer, Err(ProbeError::Silent { .. })) {
            self.name_holder(ms).await;
        }
        answer
    }

    /// Evaluates in our own world, with `nf` at hand; gives the value as JSON.
    ///
    /// # Errors
    /// Where the page does not answer, or moved on.
    pub async fn evaluate(&self, expression: &str) -> Result<Value, ProbeError> {
        let answer = self.evaluate_raw(expression, true).await?;
        Ok(answer["value"].clone())
    }

    /// The first answer that can be used: the page's own, then those of its frames. A frame that
    /// does not answer has none.
    ///
    /// # Errors
    /// Where the page itself does not answer.
    pub async fn first_answer<T>(
        &self,
        expression: &str,
        used: impl Fn(Value) -> Option<T>,
    ) -> Result<Option<T>, ProbeError> {
        if let Some(answer) = used(self.evaluate(expression).await?) {
            return Ok(Some(answer));
        }
        for session in self.child_sessions() {
            let answer = self.evaluate_in(&session, expression).await.ok();
            if let Some(answer) = answer.and_then(&used) {
                return Ok(Some(answer));
            }
        }
        Ok(None)
    }

    /// The remote object itself; by value, or as a handle.
    pub(super) async fn evaluate_raw(
        &self,
        expression: &str,
        by_value: bool,
    ) -> Result<Value, ProbeError> {
        let world = self.world(&self.session.clone()).await?;
        let mut asked =
            json!({"expression": expression, "returnByValue": by_value, "silent": true});
        merge(&mut asked, world);
        let answer = self.call("Runtime.evaluate", asked).await?;
        result(answer)
    }

    /// Evaluates in the page's own world: for the profile's expressions only.
    ///
    /// # Errors
    /// Where the page does not answer, or the expression throws.
    pub async fn ask_page(&self, expression: &str) -> Result<Value, ProbeError> {
        let asked = json!({"expression": expression, "returnByValue": true, "silent": true});
        let answer = self.call("Runtime.evaluate", asked).await?;
        Ok(result(answer)?["value"].clone())
    }

    /// Evaluates in a frame of another site, in our own world.
    ///
    /// # Errors
    /// Where the frame does not answer.
    pub async fn evaluate_in(&self, session: &str, expression: &str) -> Result<Value, ProbeError> {
        if session == self.session {
            return self.evaluate(expression).await;
        }
        let mut asked = json!({"expression": expression, "returnByValue": true, "silent": true});
        merge(&mut asked, self.world(session).await?);
        let answer = self
            .cdp
            .call(session, "Runtime.evaluate", asked, FRAME_MS)
            .await?;
        Ok(result(answer)?["value"].clone())
    }

    /// The parameter that names our world in a session's root document.
    async fn world(&self, session: &str) -> Result<Value, ProbeError> {
        if let Some(id) = self.with(|s| s.world_of(session)) {
            return Ok(json!({"uniqueContextId": id}));
        }
        // Between two documents, or before the first: made by hand, without the tools.
        let frame = self.with(|s| s.root_frame(session));
        let made = json!({"frameId": frame, "worldName": WORLD});
        let ms = self.patience_ms();
        let answer = self
            .cdp
            .call(session, "Page.createIsolatedWorld", made, ms)
            .await?;
        Ok(json!({"contextId": answer["executionContextId"]}))
    }

    /// Finds out which script holds the page's thread: the page answers nothing itself, but the
    /// debugger can stop it.
    async fn name_holder(&self, silent_ms: u64) {
        self.with(|s| s.held_at = None);
        self.cdp.send(&self.session, "Debugger.pause", json!({}));
        let paused = self
            .wait_until(Duration::from_secs(2), |s| s.held_at.is_some())
            .await;
        if !paused {
            return;
        }
        self.with(|s| {
            let (url, function, line) = s.held_at.clone().unwrap_or_default();
            s.seen.held_by = Some(BlockingScript {
                url,
                function,
                line,
                silent_ms: silent_ms as f64,
            });
        });
    }

    /// Reads the delivered document's bytes.
    ///
    /// # Errors
    /// Never: a document that cannot be read is noted as not looked at.
    pub async fn fetch_document(&self) {
        let (session, id) = self.with(|s| (s.document_session.clone(), s.document_id.clone()));
        let asked = json!({"requestId": id});
        let ms = self.patience_ms();
        let body = self
            .cdp
            .call(&session, "Network.getResponseBody", asked, ms)
            .await;
        let Ok(body) = body else { return };
        let mut html = body_text(&body);
        let most = newtfern_standards::html::MOST_BYTES.min(2_000_000);
        let cut = html.len() > most;
        html.truncate(html.floor_char_boundary(most));
        self.with(|s| {
            let at_ms = s.document_ms.unwrap_or_else(|| s.now_ms());
            s.seen.page.html = html;
            s.seen.page.html_cut = cut;
            s.seen.looks.document = Look::Seen { at_ms };
        });
    }
}

fn merge(into: &mut Value, from: Value) {
    if let (Some(into), Value::Object(from)) = (into.as_object_mut(), from) {
        into.extend(from);
    }
}

fn result(answer: Value) -> Result<Value, ProbeError> {
    let thrown = &answer["exceptionDetails"];
    if thrown.is_null() {
        return Ok(answer["result"].clone());
    }
    let message = thrown["exception"]["description"]
        .as_str()
        .unwrap_or("the page threw");
    Err(ProbeError::Command {
        method: "Runtime.evaluate".into(),
        message: message.chars().take(500).collect(),
    })
}
