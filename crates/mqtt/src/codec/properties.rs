//! Which property belongs where (MQTT 5.0, table 2-4), and what it must be.

use super::fault::Fault;
use crate::message::Carried;
use bytes::Bytes;
use mqtt_protocol_core::mqtt::packet::{Properties, PropertiesParse, Property, PropertyId as Id};

/// Properties of a CONNECT.
pub(super) const CONNECT: &[Id] = &[
    Id::SessionExpiryInterval,
    Id::AuthenticationMethod,
    Id::AuthenticationData,
    Id::RequestProblemInformation,
    Id::RequestResponseInformation,
    Id::ReceiveMaximum,
    Id::TopicAliasMaximum,
    Id::UserProperty,
    Id::MaximumPacketSize,
];
/// Properties of a will.
pub(super) const WILL: &[Id] = &[
    Id::PayloadFormatIndicator,
    Id::MessageExpiryInterval,
    Id::ContentType,
    Id::ResponseTopic,
    Id::CorrelationData,
    Id::WillDelayInterval,
    Id::UserProperty,
];
/// Properties of a PUBLISH from a client; the subscription identifier is for the
/// server to send.
pub(super) const PUBLISH: &[Id] = &[
    Id::PayloadFormatIndicator,
    Id::MessageExpiryInterval,
    Id::ContentType,
    Id::ResponseTopic,
    Id::CorrelationData,
    Id::TopicAlias,
    Id::UserProperty,
];
/// Properties of the four answers about a message.
pub(super) const ACK: &[Id] = &[Id::ReasonString, Id::UserProperty];
/// Properties of a SUBSCRIBE.
pub(super) const SUBSCRIBE: &[Id] = &[Id::SubscriptionIdentifier, Id::UserProperty];
/// Properties of an UNSUBSCRIBE.
pub(super) const UNSUBSCRIBE: &[Id] = &[Id::UserProperty];
/// Properties of a DISCONNECT from a client.
pub(super) const DISCONNECT: &[Id] = &[Id::SessionExpiryInterval, Id::ReasonString, Id::UserProperty];

/// Reads the properties at the start of `data` and says how long they are.
pub(super) fn read(data: &[u8], allowed: &[Id]) -> Result<(Properties, usize), Fault> {
    let (properties, length) = Properties::parse(data)?;
    for (place, property) in properties.iter().enumerate() {
        let id = property.id();
        let is_twice = id != Id::UserProperty && properties[..place].iter().any(|other| other.id() == id);
        if !allowed.contains(&id) || is_twice {
            return Err(Fault::protocol("a property that does not belong there, or twice"));
        }
        check(property)?;
    }
    Ok((properties, length))
}

fn check(property: &Property) -> Result<(), Fault> {
    let is_fine = match property {
        Property::ContentType(text) => no_null(text.val()),
        Property::ResponseTopic(topic) => {
            return crate::check_name(topic.val()).map_err(|_| Fault::protocol("a response topic that is no topic"));
        }
        Property::ReasonString(text) => no_null(text.val()),
        Property::AuthenticationMethod(text) => no_null(text.val()),
        Property::UserProperty(pair) => no_null(pair.key()) && no_null(pair.val()),
        Property::ReceiveMaximum(number) => return positive(number.val().into()),
        Property::MaximumPacketSize(number) => return positive(number.val()),
        Property::SubscriptionIdentifier(number) => return positive(number.val()),
        _ => true,
    };
    if is_fine { Ok(()) } else { Err(Fault::malformed("a string with a null character")) }
}

fn positive(number: u32) -> Result<(), Fault> {
    if number == 0 { Err(Fault::protocol("a property that must not be 0")) } else { Ok(()) }
}

pub(super) fn no_null(text: &str) -> bool {
    !text.contains('\0')
}

/// What a message carries, from its properties.
pub(super) fn carried(properties: &Properties) -> Carried {
    let mut carried = Carried::default();
    for property in properties {
        match property {
            Property::PayloadFormatIndicator(format) => carried.is_text = format.val() == 1,
            Property::ContentType(text) => carried.content_type = Some(text.val().to_owned()),
            Property::ResponseTopic(topic) => carried.response_topic = Some(topic.val().to_owned()),
            Property::CorrelationData(data) => carried.correlation = Some(Bytes::copy_from_slice(data.val())),
            Property::UserProperty(pair) => carried.user.push((pair.key().to_owned(), pair.val().to_owned())),
            _ => {}
        }
    }
    carried
}
