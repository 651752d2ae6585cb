//! The service behind the MQTT server.

use super::admission::{self, Client, note_farewell, refused, words};
use super::place::{self, Place};
use super::standing;
use crate::app::App;
use crate::clock;
use crate::intake::{self, Body, Credential, Delivery, Said, Target, check_key, known_key, not_granted};
use crate::problem::Problem;
use lantern_core::state::StateChange;
use lantern_core::{Moment, SiteId};
use lantern_mqtt::codec::Reason;
use lantern_mqtt::{Farewell, Filter, Hello, Host, Message, QoS, Refused};
use lantern_store::KeyOwner;
use std::sync::Arc;

/// How long a sender is slowed down before its allowance is a reason to refuse.
const PATIENCE_S: u64 = 10;

/// Where clients come in.
pub(crate) struct Door(Arc<App>);

impl Door {
    pub(crate) const fn new(app: Arc<App>) -> Self {
        Self(app)
    }

    pub(super) fn app(&self) -> &App {
        &self.0
    }

    /// The owner of a client's key as it is now: it may have been revoked since.
    async fn owner(&self, client: &Client) -> Result<KeyOwner, Problem> {
        let owner = known_key(&self.0, &client.hash).await?;
        check_key(&owner, clock::now())?;
        Ok(owner)
    }

    async fn receive(
        &self,
        client: &Client,
        message: &Message,
        arrived: Moment,
        route: intake::Route<'_>,
    ) -> Result<(), Problem> {
        let app = &self.0;
        let own = app.plans.own_topics(&app.store, client.site).await?;
        let (target, is_aside) = match place::find(&client.site_code, &message.topic, client.device, &own) {
            Place::In(target) => (target, false),
            Place::Own(device, target) => (self.own_target(client, device, target).await?, false),
            Place::Elsewhere => (elsewhere(client, message), true),
            Place::Done { device, command } => {
                return self.answered(client, message, &device, &command, arrived, route).await;
            }
            Place::Do { device, command } => return self.commanded(client, message, &device, &command).await,
            Place::Reserved => {
                return Err(not_granted(
                    format!("On `{}` only the service publishes.", message.topic),
                    "Publish readings on SITE/DEVICE/in, or on a topic of your own.",
                ));
            }
        };
        if message.payload.is_empty() && is_aside {
            let owner = self.owner(client).await?;
            may_send(&owner)?;
            return Ok(app.store.keep(route()).await?);
        }
        let delivery = Delivery {
            credential: Ok(Credential::Hash(client.hash)),
            target,
            topic: Some(&message.topic),
            is_aside,
            patience_s: PATIENCE_S,
            body: Ok(Body { bytes: message.payload.to_vec(), sent: message.payload.len(), remark: None }),
            said: Said::from_header(message.carried.content_type.as_deref()),
            query: "",
            protocol: client.protocol,
            from: client.from.clone(),
        };
        intake::take_with(app, delivery, arrived, route).await.map(drop)
    }

    /// The target of a message on a topic that a device was told is its own.
    async fn own_target(
        &self,
        client: &Client,
        device: lantern_core::DeviceId,
        target: Target,
    ) -> Result<Target, Problem> {
        let plan = self.0.plans.device(&self.0.store, device).await?;
        // Whether the sender may speak for it is seen when it is looked up.
        let is_its = client.device == Some(device);
        let name = match target.device {
            Some(name) if is_its => Some(name),
            _ if is_its => None,
            _ => Some(plan.code.clone()),
        };
        Ok(Target { device: name, ..target })
    }

    async fn answered(
        &self,
        client: &Client,
        message: &Message,
        device: &str,
        command: &str,
        arrived: Moment,
        route: intake::Route<'_>,
    ) -> Result<(), Problem> {
        let owner = self.owner(client).await?;
        may_send(&owner)?;
        let device =
            self.0.store.device(client.site, device).await.map_err(|e| Problem::missing(e, "device", device))?;
        if client.device != Some(device.id) && (client.device.is_none() || device.carrier != client.device) {
            return Err(not_granted(
                format!("This key does not speak for `{}`.", device.code),
                "Answer with the device's own key, or with that of the device that carries it.",
            ));
        }
        self.0.heard.note(device.id, arrived, &self.0.hub);
        self.0.store.keep(route()).await?;
        self.0.commands.answered(&self.0, &device, command, &message.payload, arrived).await?;
        Ok(())
    }

    /// A client gives a command: it is recorded, and goes out as the service's own
    /// message.
    async fn commanded(&self, client: &Client, message: &Message, device: &str, command: &str) -> Result<(), Problem> {
        let owner = self.owner(client).await?;
        if !owner.grants.command {
            return Err(not_granted("This key does not give commands.", "Use a key that is granted `command`."));
        }
        let device =
            self.0.store.device(client.site, device).await.map_err(|e| Problem::missing(e, "device", device))?;
        let by = match &client.device_code {
            Some(code) => format!("key of {code}"),
            None => format!("key of the site, number {}", client.key),
        };
        self.0.commands.give_payload(&self.0, &device, command, &message.payload, &by).await.map(drop)
    }
}

fn may_send(owner: &KeyOwner) -> Result<(), Problem> {
    if owner.grants.send {
        Ok(())
    } else {
        Err(not_granted("This key is not for sending.", "Use a key that is granted `send`."))
    }
}

/// What a message that is meant for others is to the device that sends it: a bare
/// value waits under the name of its topic.
fn elsewhere(client: &Client, message: &Message) -> Target {
    let signal = place::is_bare(&message.payload).then(|| place::name_of(&message.topic)).filter(|n| !n.is_empty());
    let device = match client.device {
        Some(_) => None,
        None => Some(client.user_name.clone().unwrap_or_else(|| client.client_id.clone())).filter(|n| !n.is_empty()),
    };
    Target { device, signal, at: None }
}

impl Host for Door {
    type Client = Client;

    fn now(&self) -> Moment {
        clock::now()
    }

    async fn admit(&self, hello: Hello<'_>) -> Result<Client, Refused> {
        admission::admit(&self.0, &hello, clock::now()).await
    }

    fn site(&self, client: &Client) -> SiteId {
        client.site
    }

    fn principal(&self, client: &Client) -> Arc<[u8]> {
        client.hash.into()
    }

    async fn recall(&self, _site: SiteId, principal: &[u8]) -> Option<Client> {
        admission::recall(self, principal).await
    }

    async fn take(
        &self,
        client: &Client,
        message: &Message,
        arrived: Moment,
        route: &mut (dyn FnMut() -> Vec<StateChange> + Send),
    ) -> Result<(), Refused> {
        self.receive(client, message, arrived, route).await.map_err(|problem| refused(&problem))
    }

    async fn may_subscribe(&self, client: &Client, filter: &Filter) -> Result<(), Refused> {
        let allowed = async {
            let owner = self.owner(client).await?;
            if owner.grants.read || standing::is_own(&self.0, client, filter).await? {
                return Ok(());
            }
            Err(not_granted(
                format!("This key may not subscribe to `{}`.", filter.written),
                "A key with `send` may subscribe below SITE/DEVICE of its own device; use one that is granted `read`.",
            ))
        };
        allowed.await.map_err(|problem: Problem| Refused { reason: Reason::NotAuthorized, ..refused(&problem) })
    }

    async fn standing(&self, client: &Client, filter: &Filter) -> Vec<Message> {
        match standing::messages(&self.0, client, filter).await {
            Ok(messages) => messages,
            Err(problem) => {
                tracing::warn!(detail = %problem.detail, "what stands on topics could not be read");
                Vec::new()
            }
        }
    }

    async fn keep(&self, changes: Vec<StateChange>) -> Result<(), Refused> {
        self.0.store.keep(changes).await.map_err(|error| {
            let problem = Problem::from(error);
            Refused { reason: Reason::ServerBusy, ..refused(&problem) }
        })
    }

    fn connected(&self, client: &Client) {
        if let Some(device) = client.device {
            self.0.heard.connected(device, client.protocol, &client.from, clock::now(), &self.0.hub);
        }
    }

    fn disconnected(&self, client: &Client, how: &Farewell) {
        let how = words(how);
        let now = clock::now();
        if let Some(device) = client.device {
            self.0.heard.disconnected(device, &how, now, &self.0.hub);
        }
        note_farewell(&self.0, client, &how, now);
    }

    fn taken(&self, token: i64) {
        self.0.commands.taken(token);
    }
}

/// A message of the service's that stays on its topic.
pub(super) fn own_message(topic: String, payload: String) -> Message {
    Message { qos: QoS::AtLeastOnce, retain: true, ..Message::own(topic, payload) }
}
