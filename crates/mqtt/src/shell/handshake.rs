//! How a connection begins: CONNECT, admission, the session, CONNACK.

use super::Server;
use super::arriving::Arriving;
use super::connection::{LAST_WORDS, RECEIVE_MAXIMUM};
use super::jobs::Context;
use crate::broker::Opened;
use crate::codec::{ALIASES, Connect, Fault, Incoming, Outgoing, Reason, Version, Welcome, Writer};
use crate::host::{Hello, Peer, Refused};
use crate::outbox::Outbox;
use bytes::BytesMut;
use lantern_core::Moment;
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};
use tokio::io::{AsyncRead, AsyncWrite, AsyncWriteExt};
use tokio::time::timeout;

/// The CONNECT a connection begins with; the fault if it is not right, nothing if the
/// connection ended.
pub(super) async fn first<R: AsyncRead + Unpin>(arriving: &mut Arriving<R>) -> Result<Box<Connect>, Option<Fault>> {
    loop {
        while !arriving.is_empty() {
            match arriving.packet().map_err(Some)? {
                Some(Incoming::Connect(connect)) => return Ok(connect),
                Some(_) => return Err(None),
                None => {}
            }
        }
        arriving.more().await.map_err(|_| None)?;
    }
}

/// Says no to a CONNECT. In 3.1.1 some reasons have no code: then it just ends.
pub(super) async fn turn_away<W: AsyncWrite + Unpin>(to: &mut W, version: Version, reason: Reason, text: String) {
    let welcome = Welcome {
        reason,
        text: Some(text),
        session_present: false,
        assigned: None,
        keep_alive_s: None,
        session_expiry_s: None,
        receive_maximum: RECEIVE_MAXIMUM,
        alias_maximum: ALIASES,
    };
    let mut out = BytesMut::new();
    Writer::new(version, u32::MAX, 0, true).write(&Outgoing::Welcome(Box::new(welcome)), Moment::EPOCH, &mut out);
    let _ = timeout(LAST_WORDS, async {
        to.write_all(&out).await?;
        to.shutdown().await
    })
    .await;
}

/// An admitted client with its session.
pub(super) struct Admitted {
    pub(super) context: Context,
    pub(super) outbox: Arc<Outbox>,
    pub(super) keep_alive_s: u16,
}

/// Client ids the server has given since it started.
static ASSIGNED: AtomicU64 = AtomicU64::new(0);

fn assign(now: Moment) -> Arc<str> {
    let number = ASSIGNED.fetch_add(1, Ordering::Relaxed);
    format!("assigned-{:x}-{number:x}", now.as_micros()).into()
}

/// Admits a client and opens its session.
pub(super) async fn open(server: &Arc<Server>, connect: &Connect, peer: &Peer) -> Result<Admitted, Refused> {
    let refuse = |reason, text: &str| Refused { reason, text: text.to_owned(), is_passing: false };
    if connect.has_method {
        let text = "No authentication method is offered; send the key as password.";
        return Err(refuse(Reason::BadAuthenticationMethod, text));
    }
    if connect.client_id.is_empty() && connect.version == Version::V3 && !connect.clean_start {
        let text = "A session that is kept needs a client id.";
        return Err(refuse(Reason::ClientIdentifierNotValid, text));
    }
    if connect.client_id.len() > 256 {
        return Err(refuse(Reason::ClientIdentifierNotValid, "A client id has at most 256 bytes."));
    }
    let hello = Hello {
        version: connect.version,
        client_id: &connect.client_id,
        user_name: connect.user_name.as_deref(),
        password: connect.password.as_deref(),
        peer,
        will_topic: connect.will.as_ref().map(|will| will.topic.as_str()),
    };
    let client = server.host.admit(hello).await?;
    let site = client.site();
    let now = server.host.now();
    let assigned = connect.client_id.is_empty().then(|| assign(now));
    let client_id: Arc<str> = assigned.clone().unwrap_or_else(|| connect.client_id.as_str().into());
    let principal = client.principal();
    if !server.broker().has_room(site, &client_id) {
        return Err(refuse(Reason::QuotaExceeded, "The site has as many sessions as it may."));
    }
    let Opened { link, is_present, changes, wills } = server.broker().open(site, &client_id, &principal, connect, now);
    if let Err(refused) = server.keep(changes).await {
        server.broker().abandon(link, is_present);
        return Err(refused);
    }
    for will in wills {
        server.publish_will(will).await;
    }
    let welcome = Welcome {
        reason: Reason::Success,
        text: None,
        session_present: is_present,
        assigned,
        keep_alive_s: None,
        session_expiry_s: None,
        receive_maximum: RECEIVE_MAXIMUM,
        alias_maximum: ALIASES,
    };
    let outbox = Arc::new(Outbox::default());
    let attached = server.broker().attach(link, connect, welcome, &outbox, now);
    let Some(outcome) = attached else {
        return Err(refuse(Reason::SessionTakenOver, "Another connection with the same client id was faster."));
    };
    let _ = server.keep(outcome.changes).await;
    server.redeem(outcome.tickets).await;
    client.connected();
    let context = Context { server: server.clone(), client, client_id, link, version: connect.version };
    Ok(Admitted { context, outbox, keep_alive_s: connect.keep_alive_s })
}
