//! The commands that are not over, kept in memory beside the database, so that a device's
//! request costs no look-up and time-outs are seen each second.

use crate::clock;
use lantern_core::command::Stage;
use lantern_core::{CommandId, DeviceId, Moment, Steady};
use lantern_store::{Command, Store, StoreError};
use std::collections::HashMap;
use std::sync::{Mutex, MutexGuard, PoisonError};

/// The commands that are not over.
#[derive(Default)]
pub(crate) struct OpenCommands {
    open: Mutex<HashMap<CommandId, Open>>,
}

/// A command, and when it is overdue by a clock that cannot leap; one that stands never is.
struct Open {
    command: Command,
    overdue: Option<Steady>,
}

impl Open {
    /// What is left of its time is at most its time-out, whatever the clock says it was given at.
    fn new(command: Command, now: Moment, steady: Steady) -> Self {
        let end = match command.stage {
            Stage::Waiting => command.expires_at,
            Stage::Delivered => command.delivered_at.map(|at| at.plus_seconds(command.timeout_s)),
            _ => None,
        };
        let left_s = end.map(|end| end.seconds_since(now).clamp(0.0, command.timeout_s));
        Self { command, overdue: left_s.map(|left_s| steady.plus_seconds(left_s)) }
    }
}

impl OpenCommands {
    /// Reads what was open when the service last ran.
    pub(crate) async fn load(store: &Store) -> Result<Self, StoreError> {
        let open = store.open_commands().await?;
        let (now, steady) = (clock::now(), clock::steady());
        let open = open.into_iter().map(|command| (command.id, Open::new(command, now, steady)));
        Ok(Self { open: Mutex::new(open.collect()) })
    }

    fn lock(&self) -> MutexGuard<'_, HashMap<CommandId, Open>> {
        self.open.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// A command is at this stage now.
    pub(crate) fn put(&self, command: &Command) {
        if command.stage.is_over() {
            self.lock().remove(&command.id);
        } else {
            let open = Open::new(command.clone(), clock::now(), clock::steady());
            self.lock().insert(command.id, open);
        }
    }

    /// A command is not there any more.
    pub(super) fn remove(&self, id: CommandId) {
        self.lock().remove(&id);
    }

    /// Forgets removed devices.
    pub(crate) fn forget(&self, devices: &[DeviceId]) {
        self.lock().retain(|_, open| !devices.contains(&open.command.device));
    }

    /// A command, if it is open.
    pub(super) fn get(&self, id: CommandId) -> Option<Command> {
        self.lock().get(&id).map(|open| open.command.clone())
    }

    /// Those of a device, in the order they were given.
    pub(super) fn of_device(&self, device: DeviceId) -> Vec<Command> {
        let mut commands: Vec<Command> = self
            .lock()
            .values()
            .map(|open| &open.command)
            .filter(|command| command.device == device)
            .cloned()
            .collect();
        commands.sort_by_key(|command| command.id);
        commands
    }

    /// Whether anything waits for a device.
    pub(super) fn has_waiting(&self, device: DeviceId) -> bool {
        let waits = |command: &Command| command.device == device && command.stage == Stage::Waiting;
        self.lock().values().any(|open| waits(&open.command))
    }

    /// Those that nothing was heard of for too long, and what becomes of them.
    pub(super) fn overdue(&self, now: Steady) -> Vec<(CommandId, Stage)> {
        let overdue = |Open { command, overdue }: &Open| {
            overdue.filter(|end| *end <= now)?;
            let stage = if command.stage == Stage::Waiting { Stage::Uncollected } else { Stage::Unanswered };
            Some((command.id, stage))
        };
        self.lock().values().filter_map(overdue).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn command(id: i64, device: i64, stage: Stage) -> Command {
        let at = clock::now();
        Command {
            id: CommandId(id),
            device: DeviceId(device),
            name: "heater".to_owned(),
            arguments: "{}".to_owned(),
            given_by: "ann".to_owned(),
            given_at: at,
            stage,
            delivered_at: (stage == Stage::Delivered).then_some(at),
            ended_at: None,
            answer: String::new(),
            expires_at: (stage == Stage::Waiting).then(|| at.plus_seconds(60.0)),
            timeout_s: if stage == Stage::Delivered { 30.0 } else { 60.0 },
        }
    }

    #[test]
    fn what_is_over_is_open_no_longer() {
        let open = OpenCommands::default();
        for (id, device) in [(3, 1), (1, 1), (2, 2)] {
            open.put(&command(id, device, Stage::Waiting));
        }
        let of_device = |device| open.of_device(DeviceId(device)).iter().map(|c| c.id.0).collect::<Vec<_>>();
        assert_eq!((of_device(1), of_device(2)), (vec![1, 3], vec![2]));
        open.put(&command(1, 1, Stage::Done));
        assert_eq!(of_device(1), [3]);
        assert!(open.has_waiting(DeviceId(1)) && open.get(CommandId(1)).is_none());
        open.forget(&[DeviceId(1)]);
        assert!(!open.has_waiting(DeviceId(1)) && open.has_waiting(DeviceId(2)));
    }

    #[test]
    fn commands_do_not_wait_for_ever() {
        let open = OpenCommands::default();
        open.put(&command(1, 1, Stage::Waiting));
        open.put(&command(2, 1, Stage::Delivered));
        let now = clock::steady();
        let at = |seconds| {
            let mut overdue = open.overdue(now.plus_seconds(seconds));
            overdue.sort_by_key(|(id, _)| *id);
            overdue.into_iter().map(|(id, stage)| (id.0, stage)).collect::<Vec<_>>()
        };
        assert!(at(29.0).is_empty());
        assert_eq!(at(30.0), [(2, Stage::Unanswered)]);
        assert_eq!(at(60.0), [(1, Stage::Uncollected), (2, Stage::Unanswered)]);
    }
}
