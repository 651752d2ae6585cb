//! Whose a delivery is: the owner of the key, and the devices it speaks for.

use super::{Delivery, Draft, Part};
use crate::app::App;
use crate::plans::DevicePlan;
use crate::problem::Problem;
use crate::setting_up;
use lantern_api::DeviceSection;
use lantern_core::decode::{Decoded, Raw};
use lantern_core::{DeviceId, Moment, Refusal, RefusalCode, SiteId, code};
use lantern_store::{Caller, Device, DeviceState, KeyOwner, KindId, NewDevice, StoreError};
use rocket::http::Status;
use std::sync::Arc;

/// Devices that may wait on one site.
const MAX_WAITING: usize = 100;
/// How often a waiting device is taken to report, until someone says it.
const WAITING_INTERVAL_S: f64 = 60.0;

/// Finds the owner of a key and checks that it may send.
pub(super) async fn owner(app: &App, hash: [u8; 32], draft: &mut Draft, now: Moment) -> Result<KeyOwner, Problem> {
    let owner = known(app, &hash).await?;
    draft.caller = owner.device.map_or(Caller::Site(owner.site), |device| Caller::Device(owner.site, device));
    if let Some(device) = owner.device {
        draft.device = Some(app.plans.device(&app.store, device).await?.code.clone());
    }
    check(&owner, now)?;
    if !owner.grants.send {
        return Err(not_granted("This key is not for sending.", "Use a key that is granted `send`."));
    }
    Ok(owner)
}

/// The owner of a key.
pub(crate) async fn known(app: &App, hash: &[u8; 32]) -> Result<KeyOwner, Problem> {
    match app.plans.key_owner(&app.store, hash).await {
        Ok(owner) => Ok(owner),
        Err(StoreError::NotFound) => Err(Problem::new(
            Status::Unauthorized,
            "unknown-key",
            "Unknown key",
            "No device has this key.",
            "Check the key for missing characters, or issue a new one for the device.",
        )),
        Err(other) => Err(other.into()),
    }
}

/// A key that is good, but not for this.
pub(crate) fn not_granted(detail: impl Into<String>, remedy: &'static str) -> Problem {
    Problem::new(Status::Forbidden, "not-granted", "Not granted", detail, remedy)
}

/// Checks that a key can still be used.
pub(crate) fn check(owner: &KeyOwner, now: Moment) -> Result<(), Problem> {
    let forbidden = |code, title, detail: &str, remedy: &'static str| {
        Err(Problem::new(Status::Forbidden, code, title, detail, remedy))
    };
    if owner.revoked {
        let remedy = "Issue a new key for the device and put it into the sender.";
        return forbidden("revoked-key", "Revoked key", "This key was revoked.", remedy);
    }
    if owner.expires_at.is_some_and(|end| end <= now) {
        let remedy = "Issue a new key, or replace the old one before it ends next time.";
        return forbidden("expired-key", "Expired key", "The time of this key is over.", remedy);
    }
    Ok(())
}

/// The device that an address names: the sender's own, one it carries, or with a
/// site's key one that came by it.
pub(super) async fn target(
    app: &App,
    owner: &KeyOwner,
    own: Option<&Arc<DevicePlan>>,
    name: &str,
    draft: &mut Draft,
    now: Moment,
) -> Result<Found, Problem> {
    let found = match own {
        Some(plan) => carried(app, plan, name, now).await?,
        None => known_or_waiting(app, owner.site, name, None, now).await?,
    };
    if let Ok(plan) = &found {
        draft.caller = Caller::Device(owner.site, plan.device);
        draft.device = Some(plan.code.clone());
    }
    Ok(found)
}

/// Splits a delivery into the parts of its devices. What speaks for a device
/// that its sender does not carry is refused; unknown devices begin to wait.
pub(super) async fn parts<'a>(
    app: &App,
    owner: &KeyOwner,
    own: Option<Arc<DevicePlan>>,
    mut decoded: Decoded<'a>,
    from: &str,
    draft: &mut Draft,
    now: Moment,
) -> Result<(Vec<Part<'a>>, Vec<Refusal>), Problem> {
    let named = if own.is_none() { take_name(&mut decoded) } else { None };
    let mut parts = Vec::new();
    let mut refused = Vec::new();
    for (identity, mut part) in decoded.by_device() {
        let identity = identity.or_else(|| named.clone());
        let found = match (&own, identity) {
            (Some(plan), None) => Ok(plan.clone()),
            (Some(plan), Some(identity)) => carried(app, plan, &identity, now).await?,
            (None, Some(identity)) => known_or_waiting(app, owner.site, &identity, None, now).await?,
            // The site's key and no name: the address tells one sender from another.
            (None, None) => known_or_waiting(app, owner.site, &format!("sender at {from}"), None, now).await?,
        };
        match found {
            Ok(plan) => parts.push(Part { plan, decoded: part }),
            Err(refusal) => {
                refused.append(&mut part.refused);
                refused.push(refusal);
            }
        }
    }
    if own.is_none()
        && let [part] = parts.as_slice()
    {
        draft.caller = Caller::Device(owner.site, part.plan.device);
        draft.device = Some(part.plan.code.clone());
    }
    Ok((parts, refused))
}

/// The name a sender with a site's key gives its device: `device` beside the
/// values, or the base name of a SenML pack.
fn take_name(decoded: &mut Decoded<'_>) -> Option<String> {
    let place = decoded.items.iter().position(|item| item.name == "device");
    let said = place.map(|place| match decoded.items.remove(place).value {
        Raw::Text(text) => text.into_owned(),
        Raw::Number(number) => number.to_string(),
        Raw::Flag(flag) => flag.to_string(),
    });
    decoded.items.retain(|item| item.name != "device");
    said.or_else(|| decoded.sender.clone())
        .map(|name| name.trim().chars().take(200).collect())
        .filter(|n: &String| !n.is_empty())
}

type Found = Result<Arc<DevicePlan>, Refusal>;

/// A device that another one carries.
async fn carried(app: &App, carrier: &Arc<DevicePlan>, identity: &str, now: Moment) -> Result<Found, Problem> {
    if identity == carrier.code {
        return Ok(Ok(carrier.clone()));
    }
    known_or_waiting(app, carrier.site, identity, Some(carrier), now).await
}

async fn known_or_waiting(
    app: &App,
    site: SiteId,
    identity: &str,
    carrier: Option<&Arc<DevicePlan>>,
    now: Moment,
) -> Result<Found, Problem> {
    let identity: String = identity.chars().take(200).collect();
    let proposed = code::propose(&identity);
    match app.store.device_called(site, &identity, &proposed).await {
        // With a site's key only those that came by it: declared devices have keys
        // of their own, which must not be got round.
        Ok(device)
            if match carrier {
                Some(carrier) => device.carrier == Some(carrier.device),
                None => device.identity.as_deref() == Some(identity.as_str()),
            } =>
        {
            return Ok(Ok(app.plans.device(&app.store, device.id).await?));
        }
        Ok(device) => {
            let by = carrier.map_or("this sender", |c| c.code.as_str());
            let detail = format!("The payload speaks for `{}`, which is not carried by `{by}`.", device.code);
            return Ok(Err(Refusal::of(RefusalCode::NotCarried, &device.code, detail)));
        }
        Err(StoreError::NotFound) => {}
        Err(other) => return Err(other.into()),
    }
    if let Some(carrier) = carrier
        && let Some(kind) = joining(app, carrier, now).await?
    {
        let base = if proposed.is_empty() { "device" } else { &proposed };
        let device = join(app, carrier, &identity, base, kind, now).await?;
        return Ok(Ok(app.plans.device(&app.store, device.id).await?));
    }
    let waiting = app.store.waiting_devices(site, DeviceId(0), MAX_WAITING as u32 + 1).await?;
    if waiting.len() >= MAX_WAITING {
        let detail =
            format!("`{identity}` is not declared, and {MAX_WAITING} devices are waiting on this site already.");
        return Ok(Err(Refusal::of(RefusalCode::TooManyDevices, &identity, detail)));
    }
    let base = if proposed.is_empty() { "device".to_owned() } else { proposed };
    let device = add_waiting(app, site, &identity, &base, carrier, now).await?;
    app.heard.watch(&device, now);
    app.hub.change(site, "arrival", Some(&device.code));
    Ok(Ok(app.plans.device(&app.store, device.id).await?))
}

/// Whether a carrier admits new devices, and of which kind they are then.
async fn joining(app: &App, carrier: &DevicePlan, now: Moment) -> Result<Option<Option<KindId>>, Problem> {
    let device = app.store.device_by_id(carrier.device).await?;
    Ok(device.joining.filter(|(until, _)| *until > now).map(|(_, kind)| kind))
}

/// Makes a device that has joined: in trial, with what its kind says.
async fn join(
    app: &App,
    carrier: &Arc<DevicePlan>,
    identity: &str,
    base: &str,
    kind: Option<KindId>,
    now: Moment,
) -> Result<Device, Problem> {
    let waiting = add_waiting(app, carrier.site, identity, base, Some(carrier), now).await?;
    let site = app.store.site_by_id(carrier.site).await?;
    let section = DeviceSection {
        code: waiting.code.clone(),
        name: waiting.name.clone(),
        kind: match kind {
            Some(kind) => Some(app.store.kind_code(kind).await?),
            None => None,
        },
        carrier: Some(carrier.code.clone()),
        identity: Some(identity.to_owned()),
        ..DeviceSection::default()
    };
    let wanted = setting_up::Wanted::check(app, &site, &section).await?;
    app.store.set_device_state(waiting.id, DeviceState::Trial, now).await?;
    let device = wanted.make(app, &site, Some(&waiting)).await?;
    wanted.give_meanings(app, &site, &device, &carrier.code).await?;
    tracing::info!(device = %device.code, carrier = %carrier.code, "joined");
    Ok(device)
}

/// Makes a waiting device under the first code that is free.
async fn add_waiting(
    app: &App,
    site: SiteId,
    identity: &str,
    base: &str,
    carrier: Option<&Arc<DevicePlan>>,
    now: Moment,
) -> Result<Device, Problem> {
    for number in 1..1_000 {
        let code = if number == 1 { base.to_owned() } else { format!("{}-{number}", &base[..base.len().min(58)]) };
        let new = NewDevice {
            code: &code,
            name: identity,
            interval_s: WAITING_INTERVAL_S,
            state: DeviceState::Waiting,
            carrier: carrier.map(|c| c.device),
            identity: Some(identity),
            ..NewDevice::default()
        };
        match app.store.add_device(site, new, now).await {
            Err(StoreError::Taken) => {
                // Another request of the same sender may have made it just now.
                if let Ok(device) = app.store.device_called(site, identity, "").await {
                    return Ok(device);
                }
            }
            other => return Ok(other?),
        }
    }
    Err(Problem::storage())
}

impl Delivery<'_> {
    /// A delivery without a key.
    pub(crate) fn no_key() -> Problem {
        Problem::new(
            Status::Unauthorized,
            "no-key",
            "No key",
            "The request carries no key.",
            "Send the device's key as `Authorization: Bearer KEY`, or in the address: /in/KEY.",
        )
    }
}
