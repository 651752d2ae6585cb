//! Commands: giving them, and what becomes of them.

use super::body::Body;
use super::{Answer, query};
use crate::auth::{Access, Commander};
use crate::failure::Failure;
use crate::found;
use lantern_api::{Command, NewCommand, Page};
use lantern_core::CommandId;
use lantern_engine::Engine;
use lantern_engine::Problem;
use lantern_engine::commands::shown;
use lantern_engine::problem::Class;
use rocket::http::Status;
use rocket::serde::json::Json;
use rocket::{Route, State, delete, get, post, routes};
use std::sync::Arc;

pub(super) fn routes() -> Vec<Route> {
    routes![list, give, show, withdraw]
}

/// The commands that were given to a device, newest first: the last thousand.
#[utoipa::path(operation_id = "commands_list", context_path = "/api/v1", tag = "commands",
    responses((status = 200, body = Page<Command>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>/commands?<after>&<limit>")]
async fn list(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    device: &str,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<Command>> {
    let limit = query::limit(limit)?;
    let before = query::number("after", after, i64::MAX, 0, i64::MAX)?;
    let (_, device) = found::device(&engine.store, site, device).await?;
    let commands = engine.store.commands(device.id, before, limit + 1).await?;
    Ok(Json(query::page(commands, limit, |command| command.id.to_string(), |command| shown(&command))))
}

/// Give a command.
///
/// It goes out at once over MQTT, or with the answer to the device's next request;
/// what becomes of it comes as live events `command`. A key with `command` may do
/// it too.
#[utoipa::path(operation_id = "commands_give", context_path = "/api/v1", tag = "commands", request_body = NewCommand,
    security(("token" = []), ("session" = []), ("key" = [])),
    responses((status = 201, body = Command), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/devices/<device>/commands", data = "<body>")]
async fn give(
    engine: &State<Arc<Engine>>,
    by: Commander,
    site: &str,
    device: &str,
    body: Body<NewCommand>,
) -> Result<(Status, Json<Command>), Failure> {
    let Body(new) = body;
    let (_, device) = found::device(&engine.store, site, device).await?;
    let command = engine.commands.give(&device, &new.name, &new.arguments, &by.0).await?;
    Ok((Status::Created, Json(command)))
}

/// One command.
#[utoipa::path(operation_id = "commands_show", context_path = "/api/v1", tag = "commands",
    responses((status = 200, body = Command), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>/commands/<id>")]
async fn show(engine: &State<Arc<Engine>>, _access: Access, site: &str, device: &str, id: i64) -> Answer<Command> {
    let (_, device) = found::device(&engine.store, site, device).await?;
    let command = engine.store.command(device.id, CommandId(id)).await;
    Ok(Json(shown(&command.map_err(|e| Problem::missing(e, "command", &id.to_string()))?)))
}

/// Take a command back that is not over.
#[utoipa::path(operation_id = "commands_withdraw", context_path = "/api/v1", tag = "commands",
    security(("token" = []), ("session" = []), ("key" = [])),
    responses((status = 200, body = Command), (status = "default", body = lantern_api::Problem)))]
#[delete("/sites/<site>/devices/<device>/commands/<id>")]
async fn withdraw(engine: &State<Arc<Engine>>, _by: Commander, site: &str, device: &str, id: i64) -> Answer<Command> {
    let (_, device) = found::device(&engine.store, site, device).await?;
    let command = engine.store.command(device.id, CommandId(id)).await;
    let command = command.map_err(|e| Problem::missing(e, "command", &id.to_string()))?;
    match engine.commands.withdraw(command.id).await? {
        Some(withdrawn) => Ok(Json(withdrawn)),
        None => Err(Failure::from(Problem::new(
            Class::Conflict,
            "over",
            "It is over",
            format!("The command is {} already.", command.stage.as_str()),
            "Give another one that undoes it.",
        ))),
    }
}
