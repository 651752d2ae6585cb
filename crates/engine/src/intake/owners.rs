//! Whose a delivery is: the owner of the key, and the devices it speaks for.

use super::{Intake, Line};
use crate::changes::Change;
use crate::keys;
use crate::plans::{DevicePlan, Plans};
use crate::problem::Problem;
use crate::window::open_window;
use lantern_api::DeviceSection;
use lantern_core::decode::{Decoded, Raw};
use lantern_core::{DeviceId, DeviceState, Moment, Refusal, RefusalCode, SiteId, code};
use lantern_store::{Caller, Device, KeyOwner, KindId, NewDevice, StoreError};
use std::sync::Arc;

/// Devices that one carrier may carry before no more join.
const MAX_CARRIED: u64 = 1_000;
/// Devices that may wait on one site.
const MAX_WAITING: usize = 100;
/// How often a waiting device is taken to report, until someone says it.
const WAITING_INTERVAL_S: f64 = 60.0;

/// A part of a delivery and the device it is of.
pub(super) struct Part<'a> {
    pub(super) plan: Arc<DevicePlan>,
    pub(super) decoded: Decoded<'a>,
}

/// Notes whose a key is, and gives its device unless it is the site's.
pub(super) async fn note(plans: &Plans, owner: &KeyOwner, line: &mut Line) -> Result<Option<Arc<DevicePlan>>, Problem> {
    let Some(device) = owner.device else {
        line.caller = Caller::Site(owner.site);
        return Ok(None);
    };
    line.caller = Caller::Device(owner.site, device);
    let plan = plans.device(device).await?;
    line.device = Some(plan.code.clone());
    Ok(Some(plan))
}

/// Finds the owner of a key, with its device unless it is the site's, and checks that it
/// may send.
pub(super) async fn owner(
    plans: &Plans,
    hash: [u8; 32],
    line: &mut Line,
    now: Moment,
) -> Result<(KeyOwner, Option<Arc<DevicePlan>>), Problem> {
    let owner = keys::known(plans, &hash).await?;
    let own = note(plans, &owner, line).await?;
    keys::check(&owner, now)?;
    keys::check_send(&owner)?;
    Ok((owner, own))
}

/// The device that an address names: the sender's own, one it carries, or with a
/// site's key one that came by it.
pub(super) async fn target(
    intake: &Intake,
    owner: &KeyOwner,
    own: Option<&Arc<DevicePlan>>,
    name: &str,
    line: &mut Line,
    now: Moment,
) -> Result<Found, Problem> {
    let found = match own {
        Some(plan) => carried(intake, plan, name, now).await?,
        None => Box::pin(known_or_waiting(intake, owner.site, name, None, now)).await?,
    };
    if let Ok(plan) = &found {
        line.caller = Caller::Device(owner.site, plan.device);
        line.device = Some(plan.code.clone());
    }
    Ok(found)
}

/// Splits a delivery into the parts of its devices. What speaks for a device
/// that its sender does not carry is refused; unknown devices begin to wait.
pub(super) async fn parts<'a>(
    intake: &Intake,
    owner: &KeyOwner,
    own: Option<Arc<DevicePlan>>,
    mut decoded: Decoded<'a>,
    line: &mut Line,
    now: Moment,
) -> Result<(Vec<Part<'a>>, Vec<Refusal>), Problem> {
    let named = if own.is_none() { take_name(&mut decoded) } else { None };
    let mut parts = Vec::new();
    let mut refused = Vec::new();
    for (identity, mut part) in decoded.by_device() {
        let identity = identity.or_else(|| named.clone());
        let found = match (&own, identity) {
            (Some(plan), None) => Ok(plan.clone()),
            (Some(plan), Some(identity)) => carried(intake, plan, &identity, now).await?,
            (None, Some(identity)) => Box::pin(known_or_waiting(intake, owner.site, &identity, None, now)).await?,
            // The site's key and no name: the address tells one sender from another.
            (None, None) => {
                let sender = format!("sender at {}", line.details.from);
                Box::pin(known_or_waiting(intake, owner.site, &sender, None, now)).await?
            }
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
        line.caller = Caller::Device(owner.site, part.plan.device);
        line.device = Some(part.plan.code.clone());
    }
    Ok((parts, refused))
}

/// The name a sender with a site's key gives its device: `device` beside the
/// values, or the base name of a SenML pack.
fn take_name(decoded: &mut Decoded<'_>) -> Option<String> {
    let place = decoded.items.iter().position(|item| item.name == "device");
    let said = place.and_then(|place| match decoded.items.remove(place).value {
        Raw::Text(text) => Some(text.into_owned()),
        Raw::Number(number) => Some(number.to_string()),
        Raw::Flag(flag) => Some(flag.to_string()),
        Raw::List(_) | Raw::Position(_) => None,
    });
    decoded.items.retain(|item| item.name != "device");
    said.or_else(|| decoded.sender.clone())
        .map(|name| name.trim().chars().take(200).collect())
        .filter(|n: &String| !n.is_empty())
}

type Found = Result<Arc<DevicePlan>, Refusal>;

/// A device that another one carries.
async fn carried(intake: &Intake, carrier: &Arc<DevicePlan>, identity: &str, now: Moment) -> Result<Found, Problem> {
    if identity == carrier.code {
        return Ok(Ok(carrier.clone()));
    }
    Box::pin(known_or_waiting(intake, carrier.site, identity, Some(carrier), now)).await
}

/// Its future is large and most deliveries do without, so it is boxed where it is used.
async fn known_or_waiting(
    intake: &Intake,
    site: SiteId,
    identity: &str,
    carrier: Option<&Arc<DevicePlan>>,
    now: Moment,
) -> Result<Found, Problem> {
    let identity: String = identity.chars().take(200).collect();
    let proposed = code::propose(&identity);
    match intake.plans.called(site, identity.clone(), &proposed).await {
        // With a site's key only those that came by it: declared devices have keys
        // of their own, which must not be got round.
        Ok(device)
            if match carrier {
                Some(carrier) => device.carrier == Some(carrier.device),
                None => device.identity.as_deref() == Some(identity.as_str()),
            } =>
        {
            return Ok(Ok(intake.plans.device(device.device).await?));
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
        && let Some(kind) = joining(intake, carrier, now).await?
    {
        if intake.store.count_carried(carrier.device).await? >= MAX_CARRIED {
            let detail =
                format!("`{identity}` does not join: `{}` carries {MAX_CARRIED} devices already.", carrier.code);
            return Ok(Err(Refusal::of(RefusalCode::TooManyDevices, &identity, detail)));
        }
        let base = if proposed.is_empty() { "device" } else { &proposed };
        let device = Box::pin(join(intake, carrier, &identity, base, kind, now)).await?;
        return Ok(Ok(intake.plans.device(device.id).await?));
    }
    let waiting = intake.store.waiting_devices(site, DeviceId(0), MAX_WAITING as u32 + 1).await?;
    if waiting.len() >= MAX_WAITING {
        let detail =
            format!("`{identity}` is not declared, and {MAX_WAITING} devices are waiting on this site already.");
        return Ok(Err(Refusal::of(RefusalCode::TooManyDevices, &identity, detail)));
    }
    let base = if proposed.is_empty() { "device".to_owned() } else { proposed };
    let device = Box::pin(add_waiting(intake, site, &identity, &base, carrier, now)).await?;
    Box::pin(intake.changes.carry(Change::Waiting(Box::new(device.clone())))).await;
    Ok(Ok(intake.plans.device(device.id).await?))
}

/// Whether a carrier admits new devices, and of which kind they are then.
async fn joining(intake: &Intake, carrier: &DevicePlan, now: Moment) -> Result<Option<Option<KindId>>, Problem> {
    let device = intake.store.device_by_id(carrier.device).await?;
    Ok(open_window(&device, now).map(|(_, kind)| kind))
}

/// Makes a device that has joined: in trial, with what its kind says.
async fn join(
    intake: &Intake,
    carrier: &Arc<DevicePlan>,
    identity: &str,
    base: &str,
    kind: Option<KindId>,
    now: Moment,
) -> Result<Device, Problem> {
    let waiting = add_waiting(intake, carrier.site, identity, base, Some(carrier), now).await?;
    let site = intake.store.site_by_id(carrier.site).await?;
    let section = DeviceSection {
        code: waiting.code.clone(),
        name: waiting.name.clone(),
        kind: match kind {
            Some(kind) => Some(intake.store.kind_code(kind).await?),
            None => None,
        },
        carrier: Some(carrier.code.clone()),
        identity: Some(identity.to_owned()),
        ..DeviceSection::default()
    };
    let device = intake.set_up.admit(&site, &waiting, &section, &carrier.code).await?;
    tracing::info!(device = %device.code, carrier = %carrier.code, "joined");
    Ok(device)
}

/// Makes a waiting device under the first code that is free.
async fn add_waiting(
    intake: &Intake,
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
        match intake.store.add_device(site, new, now).await {
            Err(StoreError::Taken) => {
                // Another request of the same sender may have made it just now.
                if let Ok(device) = intake.store.device_called(site, identity, "").await {
                    return Ok(device);
                }
            }
            other => return Ok(other?),
        }
    }
    Err(Problem::storage())
}
