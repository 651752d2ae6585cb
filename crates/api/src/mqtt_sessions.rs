//! Sessions of clients that speak MQTT.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// The session of a client that speaks MQTT.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct MqttSession {
    /// Client id.
    pub client: String,
    /// The device whose key opened it.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub device: Option<String>,
    /// Number of the site's key that opened it, or of the first of those that were replaced by it.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub key: Option<i64>,
    /// Whether its client is connected.
    pub connected: bool,
    /// Whether it outlives the connection.
    pub kept: bool,
    /// When it ends if its client does not come back.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub ends_at: Option<String>,
    /// Subscriptions.
    pub subscriptions: u64,
    /// Messages that wait for it.
    pub waiting: u64,
    /// Bytes of them.
    pub waiting_bytes: u64,
    /// Messages given up since the service started, because more waited than may.
    pub given_up: u64,
}
