//! Commands: giving them, bringing them to their devices, and what becomes of
//! them.
//!
//! The open ones are kept in memory beside the database, so that a device's
//! request costs no look-up and time-outs are seen each second.

use crate::app::App;
use crate::declared;
use crate::live::Hub;
use crate::mqtt::command_message;
use crate::problem::Problem;
use crate::{clock, translate};
use lantern_api as api;
use lantern_core::command::{Answer, Declaration, Stage};
use lantern_core::{DeviceId, Moment, Value};
use lantern_store::{Command, Device, NewCommand, Store, StoreError};
use rocket::http::Status;
use std::collections::{BTreeMap, HashMap};
use std::sync::{Mutex, PoisonError};
use std::time::Duration;
use tokio::sync::Notify;

/// Commands of one device that may wait.
const MAX_OPEN: usize = 100;

/// The commands that are not over.
#[derive(Default)]
pub(crate) struct Commands {
    open: Mutex<HashMap<i64, Command>>,
    /// Numbers of commands whose devices have taken them.
    taken: Mutex<Vec<i64>>,
    signal: Notify,
    /// Told when a command begins to wait.
    given: Notify,
}

fn lock<T>(mutex: &Mutex<T>) -> std::sync::MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

/// A command as it is shown.
pub(crate) fn shown(command: &Command) -> api::Command {
    let time = |at: Option<Moment>| at.map(|at| at.to_string());
    api::Command {
        id: command.id,
        name: command.name.clone(),
        arguments: serde_json::from_str(&command.arguments).unwrap_or_default(),
        given_by: command.given_by.clone(),
        given_at: command.given_at.to_string(),
        stage: translate::stage(command.stage),
        delivered_at: time(command.delivered_at),
        ended_at: time(command.ended_at),
        answer: command.answer.clone(),
        expires_at: time(command.expires_at),
    }
}

fn for_device(command: &Command) -> api::CommandForDevice {
    api::CommandForDevice {
        id: command.id,
        name: command.name.clone(),
        arguments: serde_json::from_str(&command.arguments).unwrap_or_default(),
    }
}

impl Commands {
    /// Reads what was open when the service last ran.
    pub(crate) async fn load(store: &Store) -> Result<Self, StoreError> {
        let commands = Self::default();
        let open = store.open_commands().await?;
        *lock(&commands.open) = open.into_iter().map(|command| (command.id, command)).collect();
        Ok(commands)
    }

    /// Gives a command. It is on its way when this returns.
    pub(crate) async fn give(
        &self,
        app: &App,
        device: &Device,
        name: &str,
        given: &BTreeMap<String, Value>,
        by: &str,
    ) -> Result<api::Command, Problem> {
        let declaration = declaration(device, name)?;
        let arguments = declaration.accept(given).map_err(|error| Problem::invalid("arguments", error))?;
        if self.of_device(device.id).len() >= MAX_OPEN {
            return Err(Problem::invalid(
                "name",
                format_args!("{MAX_OPEN} commands wait for `{}` already; withdraw some", device.code),
            ));
        }
        let now = clock::now();
        let arguments: BTreeMap<String, api::Value> =
            arguments.into_iter().map(|(name, value)| (name, translate::value(value))).collect();
        let new = NewCommand {
            device: device.id,
            name: &declaration.name,
            arguments: &serde_json::to_string(&arguments).unwrap_or_default(),
            given_by: by,
            expires_at: (!declaration.is_standing).then(|| now.plus_seconds(declaration.timeout_s)),
            timeout_s: declaration.timeout_s,
        };
        if declaration.is_standing {
            let earlier = self.of_device(device.id);
            for old in earlier.iter().filter(|old| old.name == name && old.stage == Stage::Waiting) {
                self.advance(app, old.id, Stage::Replaced, "", now).await?;
            }
        }
        let command = app.store.add_command(new, now).await?;
        lock(&self.open).insert(command.id, command.clone());
        let command = shown(&command);
        tell(&app.hub, device, &command);
        self.given.notify_waiters();
        if let Some(server) = app.outward.server() {
            let site = app.plans.site_code(&app.store, device.site).await?;
            server.publish(device.site, command_message(&site, &device.code, &command)).await;
        }
        Ok(command)
    }

    /// Gives a command whose arguments came as a payload: a JSON object, or the one
    /// argument's value as it stands.
    pub(crate) async fn give_payload(
        &self,
        app: &App,
        device: &Device,
        name: &str,
        payload: &[u8],
        by: &str,
    ) -> Result<api::Command, Problem> {
        let declaration = declaration(device, name)?;
        let text = String::from_utf8_lossy(payload);
        let object: Option<BTreeMap<String, api::Value>> = serde_json::from_str(text.trim()).ok();
        let given = match (object, declaration.arguments.as_slice()) {
            (Some(object), _) => object.into_iter().map(|(name, value)| (name, translate::from_value(value))).collect(),
            (None, []) => BTreeMap::new(),
            (None, [only]) => BTreeMap::from([(only.name.clone(), Value::Text(text.trim().to_owned()))]),
            (None, _) => {
                let detail = format!("send a JSON object; the command takes {}", declaration.takes());
                return Err(Problem::invalid("arguments", detail));
            }
        };
        self.give(app, device, name, &given, by).await
    }

    fn of_device(&self, device: DeviceId) -> Vec<Command> {
        let mut commands: Vec<Command> =
            lock(&self.open).values().filter(|command| command.device == device).cloned().collect();
        commands.sort_by_key(|command| command.id);
        commands
    }

    /// What waits for a device that has just subscribed. One it had and has not
    /// taken comes again, under the same number.
    pub(crate) fn standing(&self, device: DeviceId) -> Vec<api::Command> {
        let waiting = self.of_device(device).into_iter().filter(|command| command.stage == Stage::Waiting);
        waiting.map(|command| shown(&command)).collect()
    }

    /// Whether anything waits for a device.
    pub(crate) fn has_waiting(&self, device: DeviceId) -> bool {
        lock(&self.open).values().any(|command| command.device == device && command.stage == Stage::Waiting)
    }

    /// Hands out what waits for a device that asks by HTTP.
    pub(crate) async fn collect(&self, app: &App, device: DeviceId) -> Result<Vec<api::CommandForDevice>, Problem> {
        let mut handed = Vec::new();
        for command in self.of_device(device).into_iter().filter(|command| command.stage == Stage::Waiting) {
            if let Some(command) = self.advance(app, command.id, Stage::Delivered, "", clock::now()).await? {
                handed.push(for_device(&command));
            }
        }
        Ok(handed)
    }

    /// The same, waiting some time for one.
    pub(crate) async fn wait(
        &self,
        app: &App,
        device: DeviceId,
        wait: Duration,
    ) -> Result<Vec<api::CommandForDevice>, Problem> {
        let end = tokio::time::Instant::now() + wait;
        loop {
            let given = self.given.notified();
            let handed = self.collect(app, device).await?;
            if !handed.is_empty() || tokio::time::timeout_at(end, given).await.is_err() {
                return Ok(handed);
            }
        }
    }

    /// A device's answer over MQTT. Without a number it is to the last command of
    /// the name.
    pub(crate) async fn answered(
        &self,
        app: &App,
        device: &Device,
        name: &str,
        payload: &[u8],
        now: Moment,
    ) -> Result<(), Problem> {
        let answer = Answer::read(payload);
        let open = self.of_device(device.id);
        let of_name = || open.iter().rev().find(|command| command.name == name).map(|command| command.id);
        match answer.id.or_else(of_name) {
            Some(id) => self.end(app, device, id, &answer, now).await,
            // An answer to nothing is for those who listen.
            None => Ok(()),
        }
    }

    /// A device's answer to one command.
    pub(crate) async fn end(
        &self,
        app: &App,
        device: &Device,
        id: i64,
        answer: &Answer,
        now: Moment,
    ) -> Result<(), Problem> {
        if lock(&self.open).get(&id).is_none_or(|command| command.device != device.id) {
            return Err(Problem::new(
                Status::NotFound,
                "not-found",
                "Not found",
                format!("No command {id} of `{}` waits for an answer.", device.code),
                "Answer with the number the command came with, within its time-out.",
            ));
        }
        let stage = if answer.is_done { Stage::Done } else { Stage::Refused };
        self.advance(app, id, stage, &answer.text, now).await.map(drop)
    }

    /// Takes a command back.
    pub(crate) async fn withdraw(&self, app: &App, id: i64) -> Result<Option<api::Command>, Problem> {
        Ok(self.advance(app, id, Stage::Withdrawn, "", clock::now()).await?.map(|command| shown(&command)))
    }

    /// A device has taken the message with a command.
    pub(crate) fn taken(&self, id: i64) {
        lock(&self.taken).push(id);
        self.signal.notify_one();
    }

    async fn advance(
        &self,
        app: &App,
        id: i64,
        stage: Stage,
        answer: &str,
        now: Moment,
    ) -> Result<Option<Command>, Problem> {
        let command = match app.store.advance_command(id, stage, answer, now).await {
            Ok(command) => command,
            Err(StoreError::NotFound) => {
                lock(&self.open).remove(&id);
                return Ok(None);
            }
            Err(other) => return Err(other.into()),
        };
        if stage.is_over() {
            lock(&self.open).remove(&id);
        } else {
            lock(&self.open).insert(id, command.clone());
        }
        if let Ok(device) = app.store.device_by_id(command.device).await {
            tell(&app.hub, &device, &shown(&command));
        }
        Ok(Some(command))
    }

    /// Notes what was taken, and what has waited too long.
    pub(crate) async fn tend(&self, app: &App) {
        let _ = tokio::time::timeout(Duration::from_secs(1), self.signal.notified()).await;
        let now = clock::now();
        let taken = std::mem::take(&mut *lock(&self.taken));
        for id in taken {
            let is_waiting = lock(&self.open).get(&id).is_some_and(|command| command.stage == Stage::Waiting);
            if is_waiting {
                self.note(app, id, Stage::Delivered, now).await;
            }
        }
        let late: Vec<(i64, Stage)> =
            lock(&self.open).values().filter_map(|c| Some((c.id, overdue(c, now)?))).collect();
        for (id, stage) in late {
            self.note(app, id, stage, now).await;
        }
    }

    async fn note(&self, app: &App, id: i64, stage: Stage, now: Moment) {
        if let Err(problem) = self.advance(app, id, stage, "", now).await {
            tracing::warn!(detail = %problem.detail, "the stage of a command was not written");
        }
    }
}

/// What becomes of a command that nothing was heard of for too long.
fn overdue(command: &Command, now: Moment) -> Option<Stage> {
    match command.stage {
        Stage::Waiting => command.expires_at.filter(|end| *end <= now).map(|_| Stage::Uncollected),
        Stage::Delivered => {
            command.delivered_at.filter(|at| now.seconds_since(*at) >= command.timeout_s).map(|_| Stage::Unanswered)
        }
        _ => None,
    }
}

fn declaration(device: &Device, name: &str) -> Result<Declaration, Problem> {
    declared::command(device.commands.as_deref(), name).ok_or_else(|| {
        let known: Vec<String> = declared::commands(device.commands.as_deref()).into_iter().map(|c| c.name).collect();
        let known = if known.is_empty() { "none".to_owned() } else { known.join(", ") };
        Problem::new(
            Status::NotFound,
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

fn tell(hub: &Hub, device: &Device, command: &api::Command) {
    hub.command(device.site, &api::CommandEvent { device: device.code.clone(), command: command.clone() });
}
