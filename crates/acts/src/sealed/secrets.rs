//! Tokens of sites and accounts: stored sealed, and opened only for where they may go.

use crate::handles::TokenActs;
use crate::sealed::token_origins::{TokenHolder, TokenState, console_addresses, held, pin_token};
use crate::sealed::tokens;
use crate::{ActError, Actor, Result, record};
use newtfern_store::Tx;
use newtfern_store::access::people::Role;
use newtfern_store::estate::sites::Site;
use newtfern_store::sealed::client_tokens::TokenKind;
use serde_json::json;
use url::Url;

impl TokenActs<'_> {
    /// The token of a site's platform interface, where it may be sent: its own, or that of the
    /// client's account.
    ///
    /// # Errors
    /// Where it cannot be opened.
    pub async fn site_token(self, site: i64) -> Result<Option<String>> {
        let Some(site) = self.acts.store.sites().site(site).await? else {
            return Ok(None);
        };
        Ok(self.site_token_state(&site).await?.ready())
    }

    /// Returns what is known of the token of a site's platform interface.
    pub(crate) async fn site_token_state(self, site: &Site) -> Result<TokenState> {
        let goes_to = self.site_addresses(site.fields()).await?;
        let sealed = self.acts.store.sites().site_token(site.id).await?;
        let own = TokenHolder::Site(site.id);
        let own = self.token_state(own, sealed, &goes_to).await?;
        let Some(platform) = site.platform_id.as_deref() else {
            return Ok(own);
        };
        if own != TokenState::Missing || goes_to.is_empty() {
            return Ok(own);
        }
        // Entered once for all sites of the client's account with the platform.
        self.client_token_state(site.client_id, TokenKind::Platform, platform, &goes_to)
            .await
    }

    /// The opened token of a client's account with a supplier: its own, or the house's.
    ///
    /// # Errors
    /// [`crate::ActError::Bad`] where it must not be sent to where the profile's console is.
    pub async fn account_token(self, client: i64, supplier: &str) -> Result<Option<String>> {
        let goes_to = self.consoles_of(supplier).await?;
        let own = self
            .client_token_state(client, TokenKind::Supplier, supplier, &goes_to)
            .await?;
        let state = match own {
            TokenState::Missing => self.supplier_token_state(supplier, &goes_to).await?,
            own => own,
        };
        if let TokenState::Held(origins) = &state {
            let then = "confirm it on the client\u{2019}s page or at the supplier\u{2019}s profile";
            return Err(held(&format!("The token for {supplier}"), origins, then));
        }
        Ok(state.ready())
    }

    /// The opened token of the house's own account with a supplier, where it may be sent.
    ///
    /// # Errors
    /// Where it cannot be opened.
    pub async fn supplier_token(self, id: &str) -> Result<Option<String>> {
        let goes_to = self.consoles_of(id).await?;
        Ok(self.supplier_token_state(id, &goes_to).await?.ready())
    }

    /// Addresses of a supplier's console.
    pub(crate) async fn consoles_of(self, id: &str) -> Result<Vec<Url>> {
        let profile = self.acts.store.profiles().supplier(id).await?;
        Ok(profile.as_ref().map(console_addresses).unwrap_or_default())
    }

    pub(crate) async fn supplier_token_state(
        self,
        id: &str,
        goes_to: &[Url],
    ) -> Result<TokenState> {
        let sealed = self.acts.store.profiles().supplier_token(id).await?;
        self.token_state(TokenHolder::Supplier(id), sealed, goes_to)
            .await
    }

    /// Keeps the token of a site's platform interface.
    ///
    /// # Errors
    /// Where it cannot be sealed.
    pub async fn set_site_token(self, actor: &Actor, site: i64, token: &str) -> Result<()> {
        actor.may(Role::Technician)?;
        let token = tokens::one_line(token)?;
        let row = self.acts.store.sites().site(site).await?;
        let row = row.ok_or(ActError::NotFound("site"))?;
        let goes_to = self.site_addresses(row.fields()).await?;
        let mut tx = self.acts.store.begin().await?;
        self.keep_site_token(&mut tx, actor, site, (token, &goes_to))
            .await?;
        record(
            &mut tx,
            actor,
            "changed a token",
            &format!("site {site}"),
            json!({}),
        )
        .await?;
        Ok(tx.commit().await?)
    }

    /// Seals the token of a site's platform interface and keeps it, with the addresses to which it
    /// goes.
    pub(crate) async fn keep_site_token(
        self,
        tx: &mut Tx,
        actor: &Actor,
        site: i64,
        (token, goes_to): (&str, &[Url]),
    ) -> Result<()> {
        let holder = TokenHolder::Site(site);
        let sealed = self.acts.sealer.seal(&holder.place(), token)?;
        tx.set_site_token(site, &sealed).await?;
        pin_token(tx, holder, goes_to, &actor.name).await
    }

    /// Keeps the token of a client's account with a platform or a supplier, or lets it go.
    ///
    /// # Errors
    /// [`ActError::Bad`] where it is no token or there is no such profile.
    pub async fn set_client_token(
        self,
        actor: &Actor,
        client: i64,
        kind: TokenKind,
        profile: &str,
        token: Option<&str>,
    ) -> Result<()> {
        actor.may(Role::Technician)?;
        let row = self.acts.store.clients().client(client).await?;
        let row = row.ok_or(ActError::NotFound("client"))?;
        let choices = self.acts.sites().choices().await?;
        let known = match kind {
            TokenKind::Platform => choices.platforms.iter().any(|p| p == profile),
            TokenKind::Supplier => choices.suppliers.iter().any(|s| s.id == profile),
        };
        if !known {
            return Err(ActError::Bad(
                "Choose the platform or supplier for this token.".into(),
            ));
        }
        let holder = TokenHolder::Client {
            client,
            kind,
            profile,
        };
        let sealed = match token {
            Some(text) => {
                let text = tokens::one_line(text)?;
                Some(self.acts.sealer.seal(&holder.place(), text)?)
            }
            None => None,
        };
        let goes_to = self.confirmed_by_typing(actor, holder).await?;
        let mut tx = self.acts.store.begin().await?;
        tx.set_client_token(client, kind, profile, sealed.as_deref())
            .await?;
        match token {
            Some(_) => pin_token(&mut tx, holder, &goes_to, &actor.name).await?,
            None => tx.forget_token_origins(&holder.place()).await?,
        }
        let act = match token {
            Some(_) => "changed a token",
            None => "removed a token",
        };
        let detail = json!({"kind": kind.key(), "profile": profile});
        record(&mut tx, actor, act, &row.name, detail).await?;
        Ok(tx.commit().await?)
    }

    /// Returns what is known of the token of a client's account.
    pub(crate) async fn client_token_state(
        self,
        client: i64,
        kind: TokenKind,
        profile: &str,
        goes_to: &[Url],
    ) -> Result<TokenState> {
        let sealed = self
            .acts
            .store
            .clients()
            .client_token(client, kind, profile)
            .await?;
        let holder = TokenHolder::Client {
            client,
            kind,
            profile,
        };
        self.token_state(holder, sealed, goes_to).await
    }
}
