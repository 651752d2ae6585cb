//! The tasks beside requests. None of them ends by itself: one that does, has died, and the
//! service without it would only look as if it worked.

use crate::ServeError;
use lantern_api::HealthPart;
use lantern_engine::Task;
use lantern_engine::health::Probe;
use std::collections::HashMap;
use tokio::task::{Id, JoinSet};

/// Runs tasks and sees when one ends.
#[derive(Default)]
pub(crate) struct Supervisor {
    tasks: JoinSet<()>,
    names: HashMap<Id, &'static str>,
}

impl Supervisor {
    /// Starts a task.
    pub(crate) fn start(&mut self, task: Task) {
        let handle = self.tasks.spawn(task.work);
        self.names.insert(handle.id(), task.name);
    }

    /// How the tasks are doing: when one of them ends, the service does.
    pub(crate) fn health(&self) -> Probe {
        let count = self.tasks.len();
        Box::new(move |_| HealthPart {
            name: "tasks".to_owned(),
            is_well: true,
            detail: format!("{count} run beside the requests; if one of them ends, the service ends."),
        })
    }

    /// Waits until a task ends, and says which and how.
    pub(crate) async fn first_end(&mut self) -> ServeError {
        let (id, why) = match self.tasks.join_next_with_id().await {
            Some(Ok((id, ()))) => (id, "it returned".to_owned()),
            Some(Err(error)) => (error.id(), describe(error)),
            // Without tasks there is nothing to wait for.
            None => std::future::pending().await,
        };
        ServeError::TaskEnded { name: self.names.get(&id).copied().unwrap_or("something"), why }
    }

    /// Ends all tasks.
    pub(crate) async fn stop(mut self) {
        self.tasks.shutdown().await;
    }
}

fn describe(error: tokio::task::JoinError) -> String {
    let text = error.to_string();
    match error.try_into_panic() {
        Ok(panic) => {
            let said = panic.downcast_ref::<&str>().map(|text| (*text).to_owned());
            let said = said.or_else(|| panic.downcast_ref::<String>().cloned());
            format!("it panicked: {}", said.unwrap_or_else(|| "without a word".to_owned()))
        }
        Err(_) => text,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn with(name: &'static str, work: impl Future<Output = ()> + Send + 'static) -> Supervisor {
        let mut supervisor = Supervisor::default();
        supervisor.start(Task::new("the live stream", std::future::pending()));
        supervisor.start(Task::new(name, work));
        supervisor
    }

    #[tokio::test]
    async fn a_task_that_dies_is_named_with_its_reason() {
        let mut panicking = with("presence", async { panic!("no clock") });
        let text = panicking.first_end().await.to_string();
        assert!(text.contains("the task for presence ended (it panicked: no clock)"), "{text}");
        let mut returning = with("jobs", async {});
        let text = returning.first_end().await.to_string();
        assert!(text.contains("the task for jobs ended (it returned)"), "{text}");
        returning.stop().await;
    }

    #[tokio::test]
    async fn nothing_ends_while_all_goes_on() {
        let mut all_well = with("jobs", std::future::pending());
        tokio::select! {
            biased;
            error = all_well.first_end() => panic!("{error}"),
            () = tokio::task::yield_now() => {}
        }
        all_well.stop().await;
    }
}
