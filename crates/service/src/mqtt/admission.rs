//! Who is admitted, and what is said of it in the contact log.

use super::Door;
use crate::app::App;
use crate::contacts::Attempt;
use crate::intake::{Credential, check_key, known_key};
use crate::problem::Problem;
use lantern_api::{ContactDetails, Outcome, RefusedValue, Remark};
use lantern_core::{Moment, SiteId};
use lantern_mqtt::codec::{Reason, Version};
use lantern_mqtt::{Farewell, Hello, Host, Peer, Refused};
use lantern_store::{Caller, KeyOwner};
use std::sync::Arc;

/// An admitted client.
pub(crate) struct Client {
    /// The hash of its key.
    pub(super) hash: [u8; 32],
    pub(super) key: i64,
    pub(super) site: SiteId,
    pub(super) site_code: Arc<str>,
    /// The device whose key it is.
    pub(super) device: Option<lantern_core::DeviceId>,
    pub(super) device_code: Option<String>,
    /// What a sender with a site's key calls its device.
    pub(super) user_name: Option<String>,
    pub(super) client_id: String,
    pub(super) protocol: &'static str,
    pub(super) from: String,
}

impl Client {
    pub(super) const fn caller(&self) -> Caller {
        match self.device {
            Some(device) => Caller::Device(self.site, device),
            None => Caller::Site(self.site),
        }
    }
}

/// A problem as MQTT says it.
pub(super) fn refused(problem: &Problem) -> Refused {
    let reason = match problem.status.code {
        401 | 403 => Reason::NotAuthorized,
        429 | 503 => Reason::QuotaExceeded,
        413 if problem.code == "allowance-exceeded" => Reason::QuotaExceeded,
        404 => Reason::TopicNameInvalid,
        _ => Reason::PayloadFormatInvalid,
    };
    let text = format!("{}: {} {}", problem.code, problem.detail, problem.remedy);
    Refused { reason, text, is_passing: problem.retry_after.is_some() }
}

/// Finds the owner of the key a client brings.
pub(super) async fn admit(app: &App, hello: &Hello<'_>, now: Moment) -> Result<Client, Refused> {
    let mut caller = Caller::Unknown;
    let mut device_code = None;
    let result = find(app, hello, now, &mut caller, &mut device_code).await;
    let mut details = details(hello.peer);
    match &result {
        Ok(_) => {
            let version = if hello.version == Version::V5 { "5.0" } else { "3.1.1" };
            let detail = format!("Connected with MQTT {version} as client `{}`.", shown_id(hello.client_id));
            details.remarks = vec![Remark { code: "connected".to_owned(), detail }];
        }
        Err(problem) => {
            details.outcome = Outcome::Refused;
            details.refused_count = 1;
            details.refused = vec![RefusedValue {
                name: String::new(),
                code: problem.code.to_owned(),
                detail: problem.detail.clone(),
                remedy: problem.remedy.clone().into_owned(),
            }];
        }
    }
    app.contacts.note(Attempt { caller, device: device_code, at: now, details, payload: None });
    result.map_err(|problem| {
        let reason = match problem.status.code {
            401 => Reason::BadUserNameOrPassword,
            403 => Reason::NotAuthorized,
            _ => Reason::ServerUnavailable,
        };
        Refused { reason, ..refused(&problem) }
    })
}

fn shown_id(id: &str) -> &str {
    if id.is_empty() { "(one the service chose)" } else { &id[..id.floor_char_boundary(80)] }
}

fn details(peer: &Peer) -> ContactDetails {
    ContactDetails {
        protocol: peer.protocol.to_owned(),
        from: peer.from.clone(),
        times: 1,
        outcome: Outcome::Kept,
        ..ContactDetails::default()
    }
}

async fn find(
    app: &App,
    hello: &Hello<'_>,
    now: Moment,
    caller: &mut Caller,
    device_code: &mut Option<String>,
) -> Result<Client, Problem> {
    let hash = credential(hello)?.hash();
    let owner: KeyOwner = known_key(app, &hash).await?;
    *caller = owner.device.map_or(Caller::Site(owner.site), |device| Caller::Device(owner.site, device));
    if let Some(device) = owner.device {
        *device_code = Some(app.plans.device(&app.store, device).await?.code.clone());
    }
    check_key(&owner, now)?;
    if let (Some(code), Some(user)) = (device_code.as_deref(), hello.user_name.filter(|user| !user.is_empty()))
        && code != user
    {
        return Err(Problem::new(
            rocket::http::Status::Unauthorized,
            "wrong-user",
            "Wrong user name",
            format!("The key belongs to `{code}`, but the user name is `{}`.", &user[..user.floor_char_boundary(80)]),
            "Use the device's code as user name, or none; or its own key.",
        ));
    }
    let from = &hello.peer.from;
    app.heard.note_key(owner.id, now, from);
    Ok(Client {
        hash,
        key: owner.id,
        site: owner.site,
        site_code: app.plans.site_code(&app.store, owner.site).await?,
        device: owner.device,
        device_code: device_code.clone(),
        user_name: hello.user_name.filter(|user| !user.is_empty()).map(str::to_owned),
        client_id: hello.client_id.to_owned(),
        protocol: hello.peer.protocol,
        from: from.clone(),
    })
}

fn credential<'a>(hello: &'a Hello<'_>) -> Result<Credential<'a>, Problem> {
    let no_key = || {
        Problem::new(
            rocket::http::Status::Unauthorized,
            "no-key",
            "No key",
            "The client sent no key.",
            "Send the device's key as password; the user name is the device's code, or anything.",
        )
    };
    match (hello.password, &hello.peer.certificate) {
        (Some(password), _) if !password.is_empty() => {
            std::str::from_utf8(password).map(|text| Credential::Secret(text.trim())).map_err(|_| no_key())
        }
        (_, Some(certificate)) => Ok(Credential::Hash(crate::auth::hash_certificate(certificate))),
        _ => Err(no_key()),
    }
}

/// The owner of a session that is away, by the hash of its key.
pub(super) async fn recall(door: &Door, principal: &[u8]) -> Option<Client> {
    let hash: [u8; 32] = principal.try_into().ok()?;
    let app = door.app();
    let owner = known_key(app, &hash).await.ok()?;
    check_key(&owner, door.now()).ok()?;
    let device_code = match owner.device {
        Some(device) => Some(app.plans.device(&app.store, device).await.ok()?.code.clone()),
        None => None,
    };
    Some(Client {
        hash,
        key: owner.id,
        site: owner.site,
        site_code: app.plans.site_code(&app.store, owner.site).await.ok()?,
        device: owner.device,
        device_code,
        user_name: None,
        client_id: String::new(),
        protocol: "MQTT, last will",
        from: "its last will".to_owned(),
    })
}

/// Notes in the contact log that a client has gone.
pub(super) fn note_farewell(app: &App, client: &Client, how: &str, now: Moment) {
    let peer = Peer { from: client.from.clone(), protocol: client.protocol, certificate: None };
    let mut details = details(&peer);
    details.remarks = vec![Remark { code: "disconnected".to_owned(), detail: format!("Disconnected: {how}.") }];
    app.contacts.note(Attempt {
        caller: client.caller(),
        device: client.device_code.clone(),
        at: now,
        details,
        payload: None,
    });
}

/// How a connection ended, in words.
pub(super) fn words(farewell: &Farewell) -> String {
    match farewell {
        Farewell::Goodbye => "it said goodbye".to_owned(),
        Farewell::KeepAlive => "its keep-alive was lost".to_owned(),
        Farewell::Broken => "the connection broke".to_owned(),
        Farewell::TakenOver => "another connection took its place".to_owned(),
        Farewell::Closed(text) => format!("closed by the service: {}", text.trim_end_matches('.')),
    }
}
