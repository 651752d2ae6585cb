//! What a topic means.
//!
//! | topic | |
//! |---|---|
//! | `SITE/DEVICE/in` | a payload of the device |
//! | `SITE/DEVICE/in/SIGNAL` | the bare value of one signal |
//! | `SITE/DEVICE/now/SIGNAL` | the last value as JSON; `…/value` as it stands |
//! | `SITE/DEVICE/lamp`, `SITE/lamp` | the lamp in a word |
//! | `SITE/DEVICE/do/COMMAND` | a command to the device |
//! | `SITE/DEVICE/done/COMMAND` | its answer |

use lantern_core::DeviceId;
use lantern_engine::intake::Target;
use lantern_engine::plans::OwnTopics;

/// What a message on a topic is.
#[derive(Debug, PartialEq, Eq)]
pub(super) enum Place {
    /// Readings of a device.
    In(Target),
    /// Readings, on a topic that is a device's own.
    Own(DeviceId, Target),
    /// A command.
    Do { device: String, command: String },
    /// The answer to a command.
    Done { device: String, command: String },
    /// Something only the service says.
    Reserved,
    /// Something between others.
    Elsewhere,
}

/// Finds out what a topic is to its site.
pub(super) fn find(site: &str, topic: &str, sender: Option<DeviceId>, own: &OwnTopics) -> Place {
    let levels: Vec<&str> = topic.split('/').collect();
    if let [first, rest @ ..] = levels.as_slice()
        && *first == site
    {
        let owned = |text: &&str| (*text).to_owned();
        match rest {
            [device, "in"] => return Place::In(Target { device: Some(owned(device)), ..Target::default() }),
            [device, "in", signal] => {
                return Place::In(Target { device: Some(owned(device)), signal: Some(owned(signal)), at: None });
            }
            [device, "do", command] => return Place::Do { device: owned(device), command: owned(command) },
            [device, "done", command] => return Place::Done { device: owned(device), command: owned(command) },
            ["lamp"] | [_, "lamp" | "now" | "do" | "done", ..] => return Place::Reserved,
            _ => {}
        }
    }
    own.find(topic, sender).map_or(Place::Elsewhere, |(device, said)| {
        let owned = |text: Option<&str>| text.map(str::to_owned);
        Place::Own(device, Target { device: owned(said.device), signal: owned(said.signal), at: owned(said.at) })
    })
}

/// The name under which a bare value waits that was published elsewhere: its
/// topic, as far as a name can hold it.
pub(super) fn name_of(topic: &str) -> String {
    let fits = |c: char| c.is_ascii_alphanumeric() || matches!(c, '-' | '_' | '.');
    let name: String = topic.replace('/', ".").chars().map(|c| if fits(c) { c } else { '-' }).collect();
    let from = name.len().saturating_sub(lantern_core::code::MAX_LENGTH);
    name[from..].trim_matches('.').to_owned()
}

/// Whether a payload is one value and nothing else.
pub(super) fn is_bare(payload: &[u8]) -> bool {
    std::str::from_utf8(payload).is_ok_and(|text| {
        let text = text.trim();
        let is_word = |c: char| c.is_alphanumeric() || matches!(c, '.' | '-' | '+' | '_');
        !text.is_empty() && text.len() <= 64 && text.chars().all(is_word)
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn topics_of_a_site_have_their_meanings() {
        let own = OwnTopics::new([(DeviceId(7), "plant/{device}/{signal}")]);
        let target = |device: &str, signal: Option<&str>| Target {
            device: Some(device.to_owned()),
            signal: signal.map(str::to_owned),
            at: None,
        };
        for (topic, expected) in [
            ("marlbeck/tower/in", Place::In(target("tower", None))),
            ("marlbeck/tower/in/level", Place::In(target("tower", Some("level")))),
            ("marlbeck/tower/in/level/x", Place::Elsewhere),
            ("marlbeck/tower/now/level", Place::Reserved),
            ("marlbeck/tower/now/level/value", Place::Reserved),
            ("marlbeck/tower/lamp", Place::Reserved),
            ("marlbeck/lamp", Place::Reserved),
            ("marlbeck/points-7/do/heater", Place::Do { device: "points-7".into(), command: "heater".into() }),
            ("marlbeck/points-7/done/heater", Place::Done { device: "points-7".into(), command: "heater".into() }),
            ("marlbeck/points-7/do", Place::Reserved),
            ("other/tower/in", Place::Elsewhere),
            ("plant/n4/temp", Place::Own(DeviceId(7), target("n4", Some("temp")))),
            ("plant/n4", Place::Elsewhere),
        ] {
            assert_eq!(find("marlbeck", topic, None, &own), expected, "{topic}");
        }
    }

    #[test]
    fn bare_values_get_a_name() {
        assert_eq!(name_of("house/attic/temp é"), "house.attic.temp--");
        assert_eq!(name_of(&"x/".repeat(60)).len(), 63);
        for (payload, expected) in [("21.4", true), (" on\n", true), ("{\"a\":1}", false), ("a=1", false), ("", false)]
        {
            assert_eq!(is_bare(payload.as_bytes()), expected, "{payload}");
        }
    }
}
