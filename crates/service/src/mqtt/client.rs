//! A client of the MQTT server: what it may do, and what its messages mean.

use super::admission::{note_farewell, words};
use super::admitted::Admitted;
use super::holder;
use super::place::{self, Place};
use super::refusal::{not_subscribed, refused};
use super::standing;
use futures::future::BoxFuture;
use lantern_core::state::StateChange;
use lantern_core::{DeviceId, Moment, SiteId};
use lantern_engine::intake::{self, Body, Credential, Delivery, Said, Target};
use lantern_engine::{Engine, Problem, clock, find, keys};
use lantern_mqtt::{Client, Farewell, Filter, Holder, Message, Prepared, Refused};
use lantern_store::{Device, KeyOwner};
use std::sync::Arc;

/// How long a sender is slowed down before its allowance is a reason to refuse, in seconds.
const PATIENCE_S: u64 = 10;

/// What a message comes to.
enum Meant {
    /// Readings.
    Delivery(intake::Prepared),
    /// Nothing but what others get of it.
    Message,
    /// A device's answer to a command.
    Answer { device: Device, command: String, payload: Vec<u8>, arrived: Moment },
    /// A command to be given: the service says it, not this message.
    Command { device: Device, command: String, payload: Vec<u8>, by: String },
}

/// A message that was understood.
struct Understood {
    engine: Arc<Engine>,
    meant: Meant,
}

impl Admitted {
    /// The owner of its key as it is now: it may have been revoked since.
    async fn owner(&self) -> Result<KeyOwner, Problem> {
        let owner = keys::known(&self.engine.plans, &self.hash).await?;
        keys::check(&owner, clock::now())?;
        Ok(owner)
    }

    /// As [`Self::owner`], counting a request that is no delivery: intake counts those.
    async fn counted(&self) -> Result<KeyOwner, Problem> {
        self.engine.intake.count(self.key, PATIENCE_S).await?;
        self.owner().await
    }

    async fn understand(&self, message: &Message, arrived: Moment) -> Result<Meant, Problem> {
        let own = self.engine.plans.own_topics(self.site).await?;
        let (target, is_aside) = match place::find(&self.site_code, &message.topic, self.device, &own) {
            Place::In(target) => (target, false),
            Place::Own(device, target) => (self.own_target(device, target).await?, false),
            Place::Elsewhere => (self.elsewhere(message), true),
            Place::Done { device, command } => return self.answer(message, &device, command, arrived).await,
            Place::Do { device, command } => return self.give(message, &device, &command).await,
            Place::Reserved => {
                return Err(Problem::not_granted(
                    format!("On `{}` only the service publishes.", message.topic),
                    "Publish readings on SITE/DEVICE/in, or on a topic of your own.",
                ));
            }
        };
        if message.payload.is_empty() && is_aside {
            keys::check_send(&self.counted().await?)?;
            return Ok(Meant::Message);
        }
        let delivery = Delivery {
            credential: Ok(Credential::Hash(self.hash)),
            target,
            topic: Some(&message.topic),
            is_aside,
            patience_s: PATIENCE_S,
            body: Ok(Body { bytes: message.payload.to_vec(), sent: message.payload.len(), remark: None }),
            said: Said::from_header(message.carried.content_type.as_deref()),
            query: "",
            protocol: self.protocol,
            from: self.from.clone(),
        };
        Ok(Meant::Delivery(self.engine.intake.prepare(delivery, arrived).await?))
    }

    /// The target of a message on a topic that a device was told is its own.
    async fn own_target(&self, device: DeviceId, target: Target) -> Result<Target, Problem> {
        let plan = self.engine.plans.device(device).await?;
        // Whether the sender may speak for it is seen when it is looked up.
        let is_its = self.device == Some(device);
        let name = match target.device {
            Some(name) if is_its => Some(name),
            _ if is_its => None,
            _ => Some(plan.code.clone()),
        };
        Ok(Target { device: name, ..target })
    }

    /// What a message that is meant for others is to the device that sends it: a bare
    /// value waits under the name of its topic.
    fn elsewhere(&self, message: &Message) -> Target {
        let signal = place::is_bare(&message.payload).then(|| place::name_of(&message.topic)).filter(|n| !n.is_empty());
        let device = match self.device {
            Some(_) => None,
            None => Some(self.user_name.clone().unwrap_or_else(|| self.client_id.clone())).filter(|n| !n.is_empty()),
        };
        Target { device, signal, at: None }
    }

    async fn answer(
        &self,
        message: &Message,
        device: &str,
        command: String,
        arrived: Moment,
    ) -> Result<Meant, Problem> {
        keys::check_send(&self.counted().await?)?;
        let device = self.device_called(device).await?;
        if self.device != Some(device.id) && (self.device.is_none() || device.carrier != self.device) {
            return Err(Problem::not_granted(
                format!("This key does not speak for `{}`.", device.code),
                "Answer with the device's own key, or with that of the device that carries it.",
            ));
        }
        self.engine.heard.note(device.id, arrived);
        Ok(Meant::Answer { device, command, payload: message.payload.to_vec(), arrived })
    }

    /// A client gives a command: it will be recorded, and go out as the service's own
    /// message.
    async fn give(&self, message: &Message, device: &str, command: &str) -> Result<Meant, Problem> {
        if !self.counted().await?.grants.command {
            return Err(Problem::not_granted(
                "This key does not give commands.",
                "Use a key that is granted `command`.",
            ));
        }
        let device = self.device_called(device).await?;
        let by = match &self.device_code {
            Some(code) => format!("key of {code}"),
            None => format!("key of the site, number {}", self.key),
        };
        Ok(Meant::Command { device, command: command.to_owned(), payload: message.payload.to_vec(), by })
    }

    async fn device_called(&self, code: &str) -> Result<Device, Problem> {
        let store = &self.engine.store;
        find::device(store, &store.site_by_id(self.site).await?, code).await
    }
}

impl Client for Admitted {
    fn site(&self) -> SiteId {
        self.site
    }

    fn holder(&self) -> Holder {
        holder::of(self.lineage, self.hash)
    }

    fn prepare<'a>(
        &'a self,
        message: &'a Message,
        arrived: Moment,
    ) -> BoxFuture<'a, Result<Box<dyn Prepared>, Refused>> {
        Box::pin(async move {
            match self.understand(message, arrived).await {
                Ok(meant) => Ok(Box::new(Understood { engine: self.engine.clone(), meant }) as Box<dyn Prepared>),
                Err(problem) => Err(refused(&problem)),
            }
        })
    }

    fn may_subscribe<'a>(&'a self, filter: &'a Filter) -> BoxFuture<'a, Result<(), Refused>> {
        Box::pin(async move {
            let allowed = async {
                if self.counted().await?.grants.read || standing::is_own(self, filter).await {
                    return Ok(());
                }
                Err(Problem::not_granted(
                    format!("This key may not subscribe to `{}`.", filter.written),
                    "A key with `send` may subscribe below SITE/DEVICE of its own device; use one that is granted `read`.",
                ))
            };
            allowed.await.map_err(|problem: Problem| not_subscribed(&problem))
        })
    }

    fn standing<'a>(&'a self, filter: &'a Filter) -> BoxFuture<'a, Vec<Message>> {
        Box::pin(async move {
            standing::messages(self, filter).await.unwrap_or_else(|problem| {
                tracing::warn!(%problem, "what stands on topics could not be read");
                Vec::new()
            })
        })
    }

    fn connected(&self) {
        if let Some(device) = self.device {
            self.engine.heard.connected(device, self.protocol, &self.from, clock::now());
        }
    }

    fn disconnected(&self, how: &Farewell) {
        let how = words(how);
        let now = clock::now();
        if let Some(device) = self.device {
            self.engine.heard.disconnected(device, &how, now);
        }
        note_farewell(self, &how, now);
    }
}

impl Prepared for Understood {
    fn is_passed_on(&self) -> bool {
        !matches!(self.meant, Meant::Command { .. })
    }

    fn commit(self: Box<Self>, changes: Vec<StateChange>) -> BoxFuture<'static, Result<(), Refused>> {
        Box::pin(async move { self.keep(changes).await.map_err(|problem| refused(&problem)) })
    }
}

impl Understood {
    async fn keep(self, changes: Vec<StateChange>) -> Result<(), Problem> {
        let Self { engine, meant } = self;
        match meant {
            Meant::Delivery(prepared) => engine.intake.commit(prepared, changes).await.map(drop),
            Meant::Message => Ok(engine.store.keep(changes).await?),
            Meant::Answer { device, command, payload, arrived } => {
                engine.store.keep(changes).await?;
                Box::pin(engine.commands.answered(&device, &command, &payload, arrived)).await
            }
            Meant::Command { device, command, payload, by } => {
                Box::pin(engine.commands.give_payload(&device, &command, &payload, &by, &changes)).await.map(drop)
            }
        }
    }
}
