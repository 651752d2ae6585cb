//! How a connection begins: CONNECT, admission, the session, CONNACK.

use super::Server;
use super::arriving::Arriving;
use super::outbox::Outbox;
use super::work::Worker;
use super::writing::LAST_WORDS;
use crate::broker::Opened;
use crate::codec::{Connect, Fault, Incoming, Outgoing, Reason, Version, Welcome, Writer};
use crate::connection::{check, welcome};
use crate::host::{Hello, Peer, Refused};
use bytes::BytesMut;
use lantern_core::Moment;
use std::sync::Arc;
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
    let welcome = welcome(reason, Some(text), false, None);
    let mut out = BytesMut::new();
    Writer::new(version, u32::MAX, 0, true).write(&Outgoing::Welcome(Box::new(welcome)), Moment::EPOCH, &mut out);
    let _ = timeout(LAST_WORDS, async {
        to.write_all(&out).await?;
        to.shutdown().await
    })
    .await;
}

/// Admits a client and opens its session.
pub(super) async fn open(
    server: &Arc<Server>,
    connect: &Connect,
    peer: &Peer,
) -> Result<(Worker, Arc<Outbox>), Refused> {
    check(connect)?;
    let refuse = |reason, text: &str| Refused { reason, text: text.to_owned(), is_passing: false };
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
    let assigned = connect.client_id.is_empty().then(|| server.broker().assign(now));
    let client_id: Arc<str> = assigned.clone().unwrap_or_else(|| connect.client_id.as_str().into());
    let opened = server.broker().open(site, &client_id, &client.holder(), connect, now);
    let Opened { link, is_present, session_expiry_s, changes, wills } =
        opened.map_err(|(reason, text)| refuse(reason, &text))?;
    if let Err(refused) = server.keep(changes).await {
        server.broker().abandon(link, is_present);
        return Err(refused);
    }
    for will in wills {
        server.publish_will(will).await;
    }
    let welcome = Welcome { session_expiry_s, ..welcome(Reason::Success, None, is_present, assigned) };
    let outbox = server.connect(link);
    let attached = server.broker().attach(link, connect, welcome, now);
    let Some(outcome) = attached else {
        server.disconnect(link);
        return Err(refuse(Reason::SessionTakenOver, "Another connection with the same client id was faster."));
    };
    let _ = server.keep(outcome.changes).await;
    server.redeem(outcome.tickets).await;
    client.connected();
    Ok((Worker { server: server.clone(), client, client_id, link }, outbox))
}
