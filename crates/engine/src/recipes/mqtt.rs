//! What an MQTT client has to be set to.

use super::{KEY, Place, Variable, comment, json_object, json_pairs, recipe};
use lantern_api::Recipe;

/// The settings, one a line; nothing where no MQTT is spoken.
pub(super) fn settings(
    name: &str,
    (site, device): (&str, &str),
    variables: &[Variable<'_>],
    place: &Place,
) -> Option<Recipe> {
    let (scheme, rest) = place.mqtt.as_deref()?.split_once("://")?;
    let (host, port) = rest.rsplit_once(':')?;
    let tls = if scheme == "mqtts" { "yes" } else { "no" };
    let first = variables.first()?;
    let text = format!(
        "# {}: settings for any client of MQTT 3.1.1 or 5.0.\n\
         address   = {scheme}://{device}:{KEY}@{rest}\n\
         host      = {host}\nport      = {port}\ntls       = {tls}\n\
         client id = {device}\nuser name = {device}\npassword  = {KEY}\nqos       = 1\n\n\
         # All values in one message, with a reading in place of each ${{name}}.\n\
         topic     = {site}/{device}/in\npayload   = {{{}}}\nsuch as   = {}\n\n\
         # Or one signal alone, its bare value.\n\
         topic     = {site}/{device}/in/{}\npayload   = ${{{}}}\n\n\
         # Commands come on {site}/{device}/do/COMMAND, answers go to {site}/{device}/done/COMMAND.\n",
        comment(name),
        json_pairs(variables),
        json_object(variables),
        first.sample.code,
        first.name,
    );
    Some(recipe("mqtt", "MQTT settings", "Put these into the sender's MQTT client.", "mqtt.txt", text))
}
