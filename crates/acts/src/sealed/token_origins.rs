//! Where tokens may go. A token is sent to the origins (scheme, host, port) that were confirmed for
//! it and to no other: addresses come from forms, files and profiles, and whoever can write one
//! could have the token sent to a host of theirs.

use crate::handles::TokenActs;
use crate::{ActError, Actor, Result, record};
use newtfern_model::platform::{Interface, Platform};
use newtfern_model::profile::Supplier;
use newtfern_model::site::SiteFields;
use newtfern_standards::address::is_unencrypted;
use newtfern_standards::address_template;
use newtfern_store::Tx;
use newtfern_store::access::people::Role;
use newtfern_store::estate::lists::Filter;
use newtfern_store::estate::sites::Site;
use newtfern_store::sealed::client_tokens::TokenKind;
use serde_json::json;
use std::collections::BTreeSet;
use url::Url;

/// Holder of a token.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum TokenHolder<'a> {
    /// Token of one site's platform.
    Site(i64),
    /// Token of a client's account with a platform or a supplier.
    Client {
        client: i64,
        kind: TokenKind,
        profile: &'a str,
    },
    /// Token of the agency's own account with a supplier.
    Supplier(&'a str),
}

/// Stands for the address of any site (RFC 2606: it leads nowhere).
const ANY_SITE: &str = "https://any-site.invalid";

impl TokenHolder<'_> {
    /// The row for which the token is sealed.
    pub(crate) fn place(self) -> String {
        match self {
            TokenHolder::Site(id) => format!("site {id} token"),
            TokenHolder::Client {
                client,
                kind,
                profile,
            } => format!("client {client} {} {profile} token", kind.key()),
            TokenHolder::Supplier(id) => format!("supplier {id} token"),
        }
    }
}

/// State of a token before it is sent.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum TokenState {
    /// No token is stored.
    Missing,
    /// The token is stored and must not go to these origins: nobody confirmed them, or they are
    /// unencrypted.
    Held(Vec<String>),
    /// The token may be sent.
    Ready(String),
}

impl TokenState {
    /// The token, where it may be sent.
    pub fn ready(self) -> Option<String> {
        match self {
            TokenState::Ready(token) => Some(token),
            TokenState::Missing | TokenState::Held(_) => None,
        }
    }
}

/// Returns the words that say why a token is not sent. `whose` names its holder.
pub(crate) fn held(whose: &str, origins: &[String], then: &str) -> ActError {
    ActError::Bad(format!(
        "{whose} is not sent to {} because no administrator has confirmed that address: {then}.",
        origins.join(", ")
    ))
}

/// An origin to which a token would be sent.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TokenOrigin {
    /// Scheme, host and port.
    pub origin: String,
    /// Whether an administrator confirmed this origin.
    pub is_confirmed: bool,
}

fn origins(addresses: &[Url]) -> BTreeSet<String> {
    let of = |url: &Url| url.origin().ascii_serialization();
    addresses.iter().map(of).collect()
}

/// Addresses to which the token of a platform's interface goes for a site.
pub(crate) fn platform_addresses(platform: &Platform, url: &Url, tag_set: &str) -> Vec<Url> {
    let mut out = Vec::new();
    if let Some(interface) = &platform.interface {
        let templates = [Some(&interface.read), Some(&interface.write)];
        let templates = templates.into_iter().chain([interface.publish.as_ref()]);
        out.extend(
            templates
                .flatten()
                .filter_map(|t| Interface::fill(t, url, "slot")),
        );
    }
    if let Some(sets) = &platform.sets {
        let named = [("set", tag_set)];
        let templates = [&sets.read, &sets.write, &sets.publish];
        let fill = |t: &String| address_template::fill(t, Some(url), &named).ok();
        out.extend(templates.into_iter().flatten().filter_map(fill));
    }
    out
}

/// Addresses to which the token of a supplier's console goes.
pub(crate) fn console_addresses(supplier: &Supplier) -> Vec<Url> {
    let mut templates: Vec<&String> = Vec::new();
    if let Some(echo) = &supplier.echo {
        templates.extend([&echo.console_read, &echo.console_answer]);
        templates.extend([&echo.console_tidy, &echo.console_talk]);
    }
    if let Some(console) = &supplier.console {
        templates.extend(
            [Some(&console.read), console.write.as_ref()]
                .into_iter()
                .flatten(),
        );
    }
    // Nothing is filled into a host, so any values lead to the origin.
    let host = |t: &String| {
        let begin = t.find("://")? + 3;
        let end = t[begin..]
            .find(['/', '?', '#'])
            .map_or(t.len(), |at| begin + at);
        Url::parse(&t[..end]).ok()
    };
    templates.into_iter().filter_map(host).collect()
}

/// Keeps where a token that was just typed goes, in place of what was confirmed before.
pub(crate) async fn pin_token(
    tx: &mut Tx,
    holder: TokenHolder<'_>,
    goes_to: &[Url],
    who: &str,
) -> Result<()> {
    let place = holder.place();
    tx.forget_token_origins(&place).await?;
    for origin in origins(goes_to) {
        tx.confirm_token_origin(&place, &origin, who).await?;
    }
    Ok(())
}

impl TokenActs<'_> {
    /// The token, as far as it may be sent to these addresses.
    pub(crate) async fn token_state(
        self,
        holder: TokenHolder<'_>,
        sealed: Option<Vec<u8>>,
        goes_to: &[Url],
    ) -> Result<TokenState> {
        let place = holder.place();
        let Some(token) = self.acts.open_secret(&place, sealed)? else {
            return Ok(TokenState::Missing);
        };
        let confirmed = self.acts.store.clients().token_origins(&place).await?;
        let mut held = origins(goes_to);
        held.retain(|origin| !confirmed.contains(origin));
        match held.is_empty() {
            true => Ok(TokenState::Ready(token)),
            false => Ok(TokenState::Held(held.into_iter().collect())),
        }
    }

    /// Addresses to which a site's own token goes; its own, where its platform is not known yet.
    pub(crate) async fn site_addresses(self, fields: &SiteFields) -> Result<Vec<Url>> {
        let platform = self.acts.store.profiles().platform_of(fields).await?;
        let Some(url) = fields.address() else {
            return Ok(Vec::new());
        };
        Ok(match platform {
            Some(p) => platform_addresses(&p, &url, &fields.tag_set),
            None => vec![url],
        })
    }

    /// Addresses to which the token of a client's account goes, over all its sites.
    async fn account_addresses(
        self,
        client: i64,
        kind: TokenKind,
        profile: &str,
    ) -> Result<Vec<Url>> {
        if kind == TokenKind::Supplier {
            return self.consoles_of(profile).await;
        }
        let Some(platform) = self.acts.store.profiles().platform(profile).await? else {
            return Ok(Vec::new());
        };
        let filter = Filter {
            client: Some(client),
            ..Filter::default()
        };
        let (sites, _) = self.acts.store.lists().page(&filter, 0, i64::MAX).await?;
        let uses = |s: &&Site| {
            let ids = [&s.platform_id, &s.tag_manager_id];
            ids.into_iter().flatten().any(|id| id == profile)
        };
        // Hosts that the profile itself names, whichever site it is.
        let any_site = Url::parse(ANY_SITE).into_iter();
        let any = any_site.flat_map(|url| platform_addresses(&platform, &url, "set"));
        let named = any.filter(|url| !url.as_str().starts_with(ANY_SITE));
        let sites = sites.iter().filter(uses);
        let of_sites = sites.filter_map(|s| Some((s.address().ok()?, s)));
        let of_sites = of_sites.flat_map(|(at, s)| platform_addresses(&platform, &at, &s.tag_set));
        Ok(named.chain(of_sites).collect())
    }

    async fn addresses_of(self, holder: TokenHolder<'_>) -> Result<Vec<Url>> {
        match holder {
            TokenHolder::Site(id) => {
                let site = self
                    .acts
                    .store
                    .sites()
                    .site(id)
                    .await?
                    .ok_or(ActError::NotFound("site"))?;
                self.site_addresses(site.fields()).await
            }
            TokenHolder::Client {
                client,
                kind,
                profile,
            } => self.account_addresses(client, kind, profile).await,
            TokenHolder::Supplier(id) => self.consoles_of(id).await,
        }
    }

    /// Returns the origins that a token would go to now, and which of them somebody confirmed.
    pub async fn token_goes_to(self, holder: TokenHolder<'_>) -> Result<Vec<TokenOrigin>> {
        let confirmed = self
            .acts
            .store
            .clients()
            .token_origins(&holder.place())
            .await?;
        let all = origins(&self.addresses_of(holder).await?);
        Ok(all
            .into_iter()
            .map(|origin| TokenOrigin {
                is_confirmed: confirmed.contains(&origin),
                origin,
            })
            .collect())
    }

    /// Returns the origins that typing an account's token confirms: those that the client's sites
    /// and profiles name now.
    pub(crate) async fn confirmed_by_typing(
        self,
        actor: &Actor,
        holder: TokenHolder<'_>,
    ) -> Result<Vec<Url>> {
        let mut goes_to = match actor.role >= Role::Administrator {
            true => self.addresses_of(holder).await?,
            false => Vec::new(),
        };
        // Whoever listens on the way could use it: that is confirmed by itself.
        goes_to.retain(|url| !is_unencrypted(url));
        Ok(goes_to)
    }

    /// Confirms that a token may be sent to an origin that a site or a profile names.
    ///
    /// # Errors
    /// [`ActError::Bad`] where nothing names it; [`ActError::Forbidden`] for all but
    /// administrators.
    pub async fn confirm_token_origin(
        self,
        actor: &Actor,
        holder: TokenHolder<'_>,
        origin: &str,
    ) -> Result<()> {
        actor.may(Role::Administrator)?;
        if !origins(&self.addresses_of(holder).await?).contains(origin) {
            return Err(ActError::Bad(format!(
                "Nothing was confirmed: the token no longer goes to {origin}."
            )));
        }
        if Url::parse(origin).is_ok_and(|url| is_unencrypted(&url)) {
            return Err(ActError::Unencrypted(origin.to_string()));
        }
        let place = holder.place();
        let mut tx = self.acts.store.begin().await?;
        tx.confirm_token_origin(&place, origin, &actor.name).await?;
        let detail = json!({"origin": origin});
        record(
            &mut tx,
            actor,
            "confirmed where a token goes",
            &place,
            detail,
        )
        .await?;
        Ok(tx.commit().await?)
    }
}
