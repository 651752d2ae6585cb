//! Commands: giving them, bringing them to their devices, and what becomes of
//! them.

mod open;

pub(crate) use open::OpenCommands;

use crate::clock;
use crate::declared;
use crate::documents;
use crate::problem::{Class, Problem};
use crate::publish::Publisher;
use lantern_api as api;
use lantern_core::command::{Answer, Declaration, Stage};
use lantern_core::state::StateChange;
use lantern_core::{CommandId, DeviceId, Moment, Value};
use lantern_store::{Command, Device, NewCommand, Store, StoreError};
use std::collections::BTreeMap;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;
use tokio::sync::Notify;

/// Commands of one device that may wait.
const MAX_OPEN: usize = 100;

/// Gives commands and follows what becomes of them.
pub struct Commands {
    store: Arc<Store>,
    publisher: Arc<Publisher>,
    open: Arc<OpenCommands>,
    /// Commands whose devices have taken them.
    taken: Mutex<Vec<CommandId>>,
    has_taken: Notify,
    /// Told when a command begins to wait.
    given: Notify,
}

/// A command as it is shown.
#[must_use]
pub fn shown(command: &Command) -> api::Command {
    let time = |at: Option<Moment>| at.map(|at| at.to_string());
    api::Command {
        id: command.id.0,
        name: command.name.clone(),
        arguments: arguments(command),
        given_by: command.given_by.clone(),
        given_at: command.given_at.to_string(),
        stage: command.stage,
        delivered_at: time(command.delivered_at),
        ended_at: time(command.ended_at),
        answer: command.answer.clone(),
        expires_at: time(command.expires_at),
    }
}

fn for_device(command: &Command) -> Result<api::CommandForDevice, Problem> {
    Ok(api::CommandForDevice {
        id: command.id.0,
        name: command.name.clone(),
        // A device is never told to do something with other arguments than were given.
        arguments: documents::read(&command.arguments)?,
    })
}

/// The arguments of a command; for one that is damaged, what is wrong with it.
fn arguments(command: &Command) -> BTreeMap<String, Value> {
    documents::read(&command.arguments).unwrap_or_else(|damaged: documents::Damaged| {
        BTreeMap::from([("damaged".to_owned(), Value::Text(damaged.to_string()))])
    })
}

impl Commands {
    pub(crate) fn new(store: Arc<Store>, publisher: Arc<Publisher>, open: Arc<OpenCommands>) -> Self {
        Self { store, publisher, open, taken: Mutex::default(), has_taken: Notify::new(), given: Notify::new() }
    }

    /// Gives a command. It is on its way when this returns.
    ///
    /// # Errors
    /// A [`Problem`]; nothing has changed then.
    pub async fn give(
        &self,
        device: &Device,
        name: &str,
        given: &BTreeMap<String, Value>,
        by: &str,
    ) -> Result<api::Command, Problem> {
        self.give_with(device, name, given, by, &[]).await
    }

    async fn give_with(
        &self,
        device: &Device,
        name: &str,
        given: &BTreeMap<String, Value>,
        by: &str,
        changes: &[StateChange],
    ) -> Result<api::Command, Problem> {
        let declaration = declaration(device, name)?;
        let arguments = declaration.accept(given).map_err(|error| Problem::invalid("arguments", error))?;
        if self.open.of_device(device.id).len() >= MAX_OPEN {
            return Err(Problem::invalid(
                "name",
                format_args!("{MAX_OPEN} commands wait for `{}` already; withdraw some", device.code),
            ));
        }
        let now = clock::now();
        let new = NewCommand {
            device: device.id,
            name: &declaration.name,
            arguments: &documents::write(&arguments)?,
            given_by: by,
            expires_at: (!declaration.is_standing).then(|| now.plus_seconds(declaration.timeout_s)),
            timeout_s: declaration.timeout_s,
        };
        if declaration.is_standing {
            let earlier = self.open.of_device(device.id);
            for old in earlier.iter().filter(|old| old.name == name && old.stage == Stage::Waiting) {
                self.advance(old.id, Stage::Replaced, "", now).await?;
            }
        }
        let command = self.store.add_command(new, changes, now).await?;
        self.open.put(&command);
        let command = shown(&command);
        self.publisher.stage(device, &command);
        self.given.notify_waiters();
        self.publisher.command(device, &command).await;
        Ok(command)
    }

    /// Gives a command whose arguments came as a payload: a JSON object, or the one
    /// argument's value as it stands. The changes become durable with it: both or none.
    ///
    /// # Errors
    /// A [`Problem`]; nothing has changed then.
    pub async fn give_payload(
        &self,
        device: &Device,
        name: &str,
        payload: &[u8],
        by: &str,
        changes: &[StateChange],
    ) -> Result<api::Command, Problem> {
        let declaration = declaration(device, name)?;
        let text = String::from_utf8_lossy(payload);
        let object: Option<BTreeMap<String, Value>> = serde_json::from_str(text.trim()).ok();
        let given = match (object, declaration.arguments.as_slice()) {
            (Some(object), _) => object,
            (None, []) => BTreeMap::new(),
            (None, [only]) => BTreeMap::from([(only.name.clone(), Value::Text(text.trim().to_owned()))]),
            (None, _) => {
                let detail = format!("send a JSON object; the command takes {}", declaration.takes());
                return Err(Problem::invalid("arguments", detail));
            }
        };
        self.give_with(device, name, &given, by, changes).await
    }

    /// What waits for a device that has just subscribed. One it had and has not
    /// taken comes again, under the same number.
    pub fn standing(&self, device: DeviceId) -> Vec<api::Command> {
        let waiting = self.open.of_device(device).into_iter().filter(|command| command.stage == Stage::Waiting);
        waiting.map(|command| shown(&command)).collect()
    }

    /// Whether anything waits for a device.
    pub fn has_waiting(&self, device: DeviceId) -> bool {
        self.open.has_waiting(device)
    }

    /// Hands out what waits for a device that asks by HTTP.
    ///
    /// # Errors
    /// A [`Problem`]; nothing has changed then.
    pub async fn collect(&self, device: DeviceId) -> Result<Vec<api::CommandForDevice>, Problem> {
        let mut handed = Vec::new();
        for command in self.open.of_device(device).into_iter().filter(|command| command.stage == Stage::Waiting) {
            if let Some(command) = self.advance(command.id, Stage::Delivered, "", clock::now()).await? {
                handed.push(for_device(&command)?);
            }
        }
        Ok(handed)
    }

    /// The same, waiting some time for one.
    ///
    /// # Errors
    /// A [`Problem`]; nothing has changed then.
    pub async fn wait(&self, device: DeviceId, wait: Duration) -> Result<Vec<api::CommandForDevice>, Problem> {
        let end = tokio::time::Instant::now() + wait;
        loop {
            let given = self.given.notified();
            let handed = self.collect(device).await?;
            if !handed.is_empty() || tokio::time::timeout_at(end, given).await.is_err() {
                return Ok(handed);
            }
        }
    }

    /// A device's answer over MQTT. Without a number it is to the last command of
    /// the name.
    ///
    /// # Errors
    /// A [`Problem`]; nothing has changed then.
    pub async fn answered(&self, device: &Device, name: &str, payload: &[u8], now: Moment) -> Result<(), Problem> {
        let answer = Answer::read(payload);
        let open = self.open.of_device(device.id);
        let of_name = || open.iter().rev().find(|command| command.name == name).map(|command| command.id);
        match answer.id.map(CommandId).or_else(of_name) {
            Some(id) => self.end(device, id, &answer, now).await,
            // An answer to nothing is for those who listen.
            None => Ok(()),
        }
    }

    /// A device's answer to one command.
    ///
    /// # Errors
    /// A [`Problem`]; nothing has changed then.
    pub async fn end(&self, device: &Device, id: CommandId, answer: &Answer, now: Moment) -> Result<(), Problem> {
        if self.open.get(id).is_none_or(|command| command.device != device.id) {
            return Err(Problem::new(
                Class::Missing,
                "not-found",
                "Not found",
                format!("No command {id} of `{}` waits for an answer.", device.code),
                "Answer with the number the command came with, within its time-out.",
            ));
        }
        let stage = if answer.is_done { Stage::Done } else { Stage::Refused };
        self.advance(id, stage, &answer.text, now).await.map(drop)
    }

    /// Takes a command back.
    ///
    /// # Errors
    /// A [`Problem`]; nothing has changed then.
    pub async fn withdraw(&self, id: CommandId) -> Result<Option<api::Command>, Problem> {
        Ok(self.advance(id, Stage::Withdrawn, "", clock::now()).await?.map(|command| shown(&command)))
    }

    /// A device has taken the message with a command.
    pub fn taken(&self, token: i64) {
        self.taken.lock().unwrap_or_else(PoisonError::into_inner).push(CommandId(token));
        self.has_taken.notify_one();
    }

    async fn advance(
        &self,
        id: CommandId,
        stage: Stage,
        answer: &str,
        now: Moment,
    ) -> Result<Option<Command>, Problem> {
        let command = match self.store.advance_command(id, stage, answer, now).await {
            Ok(command) => command,
            Err(StoreError::NotFound) => {
                self.open.remove(id);
                return Ok(None);
            }
            Err(other) => return Err(other.into()),
        };
        self.open.put(&command);
        if let Ok(device) = self.store.device_by_id(command.device).await {
            self.publisher.stage(&device, &shown(&command));
        }
        Ok(Some(command))
    }

    /// Notes what was taken, and what has waited too long, at the latest in a second.
    pub(crate) async fn tend(&self) {
        let _ = tokio::time::timeout(Duration::from_secs(1), self.has_taken.notified()).await;
        self.look().await;
    }

    /// Notes at once what was taken, and what has waited too long.
    pub async fn look(&self) {
        let now = clock::now();
        let taken = std::mem::take(&mut *self.taken.lock().unwrap_or_else(PoisonError::into_inner));
        for id in taken {
            let is_waiting = self.open.get(id).is_some_and(|command| command.stage == Stage::Waiting);
            if is_waiting {
                self.note(id, Stage::Delivered, now).await;
            }
        }
        for (id, stage) in self.open.overdue(clock::steady()) {
            self.note(id, stage, now).await;
        }
    }

    async fn note(&self, id: CommandId, stage: Stage, now: Moment) {
        if let Err(problem) = self.advance(id, stage, "", now).await {
            tracing::warn!(detail = %problem.detail, "the stage of a command was not written");
        }
    }
}

fn declaration(device: &Device, name: &str) -> Result<Declaration, Problem> {
    let kept = device.commands.as_deref();
    let known = declared::commands(kept)?;
    declared::command(kept, name)?.ok_or_else(|| {
        let known: Vec<String> = known.into_iter().map(|command| command.name).collect();
        let known = if known.is_empty() { "none".to_owned() } else { known.join(", ") };
        Problem::new(
            Class::Missing,
            "unknown-command",
            "Unknown command",
            format!(
                "`{}` has no command `{}`; it has {known}.",
                device.code,
                name.chars().take(80).collect::<String>()
            ),
            "Declare the command on the device or its kind, or give one that is declared.",
        )
    })
}
