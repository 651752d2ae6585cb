//! The service behind the MQTT server.

use super::admission;
use super::refusal::not_kept;
use futures::future::BoxFuture;
use lantern_core::state::StateChange;
use lantern_core::{Moment, SiteId};
use lantern_engine::{Engine, Problem, clock};
use lantern_mqtt::{Client, Hello, Host, Refused};
use std::sync::Arc;

/// The engine, as the MQTT server sees it.
pub(super) struct EngineHost(pub(super) Arc<Engine>);

impl Host for EngineHost {
    fn now(&self) -> Moment {
        clock::now()
    }

    fn admit<'a>(&'a self, hello: Hello<'a>) -> BoxFuture<'a, Result<Arc<dyn Client>, Refused>> {
        Box::pin(async move {
            let client = admission::admit(&self.0, &hello).await?;
            Ok(Arc::new(client) as Arc<dyn Client>)
        })
    }

    fn believed_now(&self) -> BoxFuture<'_, Option<Moment>> {
        Box::pin(self.0.trusted.now())
    }

    fn recall<'a>(&'a self, _: SiteId, credential: &'a [u8]) -> BoxFuture<'a, Option<Arc<dyn Client>>> {
        Box::pin(async move {
            let client = admission::recall(&self.0, credential).await?;
            Some(Arc::new(client) as Arc<dyn Client>)
        })
    }

    fn keep(&self, changes: Vec<StateChange>) -> BoxFuture<'_, Result<(), Refused>> {
        Box::pin(async move { self.0.store.keep(changes).await.map_err(|error| not_kept(&Problem::from(error))) })
    }

    fn taken(&self, token: i64) {
        self.0.commands.taken(token);
    }
}
