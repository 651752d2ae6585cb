//! Who is admitted, and what is said of it in the contact log.

use super::admitted::Admitted;
use super::refusal::turned_away;
use lantern_api::{ContactDetails, Outcome, Remark};
use lantern_core::Moment;
use lantern_engine::contacts::Attempt;
use lantern_engine::intake::Credential;
use lantern_engine::problem::Class;
use lantern_engine::{Engine, Problem, clock, keys, secret};
use lantern_mqtt::codec::Version;
use lantern_mqtt::{Farewell, Hello, Refused};
use lantern_store::Caller;
use std::sync::Arc;

/// Who a client is, as far as that was found out.
struct Found {
    caller: Caller,
    device_code: Option<String>,
}

/// Finds the owner of the key a client brings.
pub(super) async fn admit(engine: &Arc<Engine>, hello: &Hello<'_>) -> Result<Admitted, Refused> {
    let now = clock::now();
    let mut found = Found { caller: Caller::Unknown, device_code: None };
    let result = find(engine, hello, now, &mut found).await;
    let mut details = details(&hello.peer.from.to_string(), hello.peer.protocol);
    match &result {
        Ok(_) => {
            let version = if hello.version == Version::V5 { "5.0" } else { "3.1.1" };
            let detail = format!("Connected with MQTT {version} as client `{}`.", shown_id(hello.client_id));
            details.remarks = vec![Remark { code: "connected".to_owned(), detail }];
        }
        Err(problem) => {
            details.outcome = Outcome::Refused;
            details.refused_count = 1;
            details.refused = vec![problem.as_refused_value()];
        }
    }
    let Found { caller, device_code: device } = found;
    engine.contacts.note(Attempt { caller, device, at: now, details, payload: None });
    result.map_err(|problem| turned_away(&problem))
}

fn shown_id(id: &str) -> &str {
    if id.is_empty() { "(one the service chose)" } else { &id[..id.floor_char_boundary(80)] }
}

fn details(from: &str, protocol: &str) -> ContactDetails {
    ContactDetails {
        protocol: protocol.to_owned(),
        from: from.to_owned(),
        times: 1,
        outcome: Outcome::Kept,
        ..ContactDetails::default()
    }
}

async fn find(engine: &Arc<Engine>, hello: &Hello<'_>, now: Moment, found: &mut Found) -> Result<Admitted, Problem> {
    let hash = credential(hello)?.hash();
    let owner = keys::known(&engine.plans, &hash).await?;
    found.caller = owner.device.map_or(Caller::Site(owner.site), |device| Caller::Device(owner.site, device));
    if let Some(device) = owner.device {
        found.device_code = Some(engine.plans.device(device).await?.code.clone());
    }
    keys::check(&owner, now)?;
    let user = hello.user_name.filter(|user| !user.is_empty());
    if let (Some(code), Some(user)) = (found.device_code.as_deref(), user)
        && code != user
    {
        return Err(Problem::new(
            Class::NotKnown,
            "wrong-user",
            "Wrong user name",
            format!("The key belongs to `{code}`, but the user name is `{}`.", &user[..user.floor_char_boundary(80)]),
            "Use the device's code as user name, or none; or its own key.",
        ));
    }
    engine.heard.note_key(owner.id, now, &hello.peer.from.to_string());
    Ok(Admitted {
        engine: engine.clone(),
        hash,
        key: owner.id,
        lineage: owner.lineage,
        site: owner.site,
        site_code: engine.plans.site_code(owner.site).await?,
        device: owner.device,
        device_code: found.device_code.clone(),
        user_name: user.map(str::to_owned),
        client_id: hello.client_id.to_owned(),
        protocol: hello.peer.protocol,
        from: hello.peer.from.to_string(),
    })
}

fn credential<'a>(hello: &'a Hello<'_>) -> Result<Credential<'a>, Problem> {
    let no_key = || {
        Problem::new(
            Class::NotKnown,
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
        (_, Some(certificate)) => Ok(Credential::Hash(secret::hash_certificate(certificate))),
        _ => Err(no_key()),
    }
}

/// The owner of a session that is away, by the hash of its key.
pub(super) async fn recall(engine: &Arc<Engine>, credential: &[u8]) -> Option<Admitted> {
    let hash: [u8; 32] = credential.try_into().ok()?;
    let owner = keys::known(&engine.plans, &hash).await.ok()?;
    keys::check(&owner, clock::now()).ok()?;
    let device_code = match owner.device {
        Some(device) => Some(engine.plans.device(device).await.ok()?.code.clone()),
        None => None,
    };
    Some(Admitted {
        engine: engine.clone(),
        hash,
        key: owner.id,
        lineage: owner.lineage,
        site: owner.site,
        site_code: engine.plans.site_code(owner.site).await.ok()?,
        device: owner.device,
        device_code,
        user_name: None,
        client_id: String::new(),
        protocol: "MQTT, last will",
        from: "its last will".to_owned(),
    })
}

/// Notes in the contact log that a client has gone.
pub(super) fn note_farewell(client: &Admitted, how: &str, now: Moment) {
    let mut details = details(&client.from, client.protocol);
    details.remarks = vec![Remark { code: "disconnected".to_owned(), detail: format!("Disconnected: {how}.") }];
    client.engine.contacts.note(Attempt {
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
