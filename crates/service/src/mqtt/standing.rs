//! What stands on topics without having been published: last values, lamps and
//! commands that wait.

use super::admitted::Admitted;
use super::messages::{command_message, now_payloads, own_message};
use lantern_core::lamp::Lamp;
use lantern_core::{DeviceId, DeviceState};
use lantern_engine::{Engine, Problem};
use lantern_mqtt::{Filter, Message, matches};
use lantern_store::Device;
use std::collections::HashMap;

/// Devices looked through for one subscription.
const PAGE: u32 = 200;
/// Messages sent for one subscription.
const MAX_MESSAGES: usize = 10_000;

/// Whether a filter is below the topics of a device that the client speaks for.
pub(super) async fn is_own(client: &Admitted, filter: &Filter) -> bool {
    let mut levels = filter.pattern().split('/');
    let (Some(site), Some(code), Some(own)) = (levels.next(), levels.next(), client.device) else { return false };
    if site != &*client.site_code {
        return false;
    }
    if client.device_code.as_deref() == Some(code) {
        return true;
    }
    client.engine.store.device(client.site, code).await.is_ok_and(|device| device.carrier == Some(own))
}

/// All messages that stand on topics matching a filter.
pub(super) async fn messages(client: &Admitted, filter: &Filter) -> Result<Vec<Message>, Problem> {
    let (engine, site) = (&*client.engine, &client.site_code);
    let pattern = filter.pattern();
    let mut levels = pattern.split('/');
    let (first, second) = (levels.next().unwrap_or_default(), levels.next());
    if first != &**site && first != "+" && first != "#" {
        return Ok(Vec::new());
    }
    let mut messages = Vec::new();
    let add = |messages: &mut Vec<Message>, topic: String, payload: String| {
        if matches(pattern, &topic) {
            messages.push(own_message(topic, payload));
        }
    };
    let lamps: HashMap<DeviceId, Lamp> = engine
        .lamps
        .all()
        .into_iter()
        .filter(|one| one.site == client.site)
        .map(|one| (one.device, one.lamp))
        .collect();
    let lamp_topic = format!("{site}/lamp");
    if matches(pattern, &lamp_topic) {
        let lamp = Lamp::worst(lamps.values().copied().chain([engine.lamps.of_service(client.site)]));
        add(&mut messages, lamp_topic, lamp.as_str().to_owned());
    }
    let only = second.filter(|code| !matches!(*code, "+" | "#" | "lamp"));
    let mut after = String::new();
    loop {
        let devices = match only {
            Some(code) => engine.store.device(client.site, code).await.map(|device| vec![device]).unwrap_or_default(),
            None => engine.store.devices(client.site, &after, PAGE).await?,
        };
        let Some(last) = devices.last() else { return Ok(messages) };
        after.clone_from(&last.code);
        for device in devices.iter().filter(|device| device.state != DeviceState::Waiting) {
            let base = format!("{site}/{}", device.code);
            // One in trial is not among them.
            let lamp = lamps.get(&device.id).copied().unwrap_or_else(|| engine.lamps.device(device).0);
            add(&mut messages, format!("{base}/lamp"), lamp.as_str().to_owned());
            for command in engine.commands.standing(device.id) {
                let message = command_message(site, &device.code, &command);
                if matches(pattern, &message.topic) {
                    messages.push(Message { retain: true, ..message });
                }
            }
            for (topic, payload) in values(engine, &base, pattern, device).await? {
                add(&mut messages, topic, payload);
            }
            if messages.len() >= MAX_MESSAGES {
                return Ok(messages);
            }
        }
        if only.is_some() {
            return Ok(messages);
        }
    }
}

/// The last values of a device, on the topics that match.
async fn values(engine: &Engine, base: &str, pattern: &str, device: &Device) -> Result<Vec<(String, String)>, Problem> {
    let plan = engine.plans.device(device.id).await?;
    let mut found = Vec::new();
    for (id, shown) in plan.signals.iter().filter(|(_, shown)| shown.is_declared) {
        let topic = format!("{base}/now/{}", shown.code);
        if !matches(pattern, &topic) && !matches(pattern, &format!("{topic}/value")) {
            continue;
        }
        let readings = engine.latest.readings(*id).await?;
        if let Some((at, value)) = readings.last() {
            found.extend(now_payloads(&topic, shown, *at, value));
        }
    }
    Ok(found)
}
