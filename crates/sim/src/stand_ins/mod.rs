//! Stand-ins for the servers that callouts go to: a mail server, a gateway for text messages and a receiver of
//! webhooks. They keep what they get, and can be told to behave badly.
//!
//! | address | does |
//! |---|---|
//! | `POST /text` | takes a text message |
//! | `POST /hook` | takes a webhook |
//! | `GET /alive` | takes a sign of life |
//! | `GET /kept` | shows what came, as JSON |
//! | `PUT /manners` | how they behave from now on, such as `{"mail": "busy"}` |

mod http;
mod kept;
mod mail;

use anyhow::{Context, Result};
use clap::Args;
use kept::Kept;
use std::net::{Ipv4Addr, SocketAddr};
use std::sync::Arc;
use tokio::net::TcpListener;

#[derive(Args)]
pub(crate) struct StandIns {
    /// Port for mail (SMTP); 0 takes a free one
    #[arg(long, value_name = "PORT", default_value_t = 0)]
    mail: u16,
    /// Port for text messages and webhooks (HTTP); 0 takes a free one
    #[arg(long, value_name = "PORT", default_value_t = 0)]
    http: u16,
}

impl StandIns {
    /// Runs them until they are stopped.
    pub(crate) async fn run(self) -> Result<()> {
        let running = start(self.mail, self.http).await?;
        println!("mail {}\nhttp http://{}", running.mail, running.http);
        tokio::signal::ctrl_c().await?;
        Ok(())
    }
}

/// Where they listen.
#[derive(Clone, Copy)]
pub(crate) struct Running {
    pub(crate) mail: SocketAddr,
    pub(crate) http: SocketAddr,
}

/// Starts them; they go on for as long as the program.
pub(crate) async fn start(mail: u16, http: u16) -> Result<Running> {
    let kept = Arc::<Kept>::default();
    let listen = async |port: u16, what: &str| {
        let address = SocketAddr::from((Ipv4Addr::LOCALHOST, port));
        TcpListener::bind(address).await.with_context(|| format!("cannot listen on {address} for {what}"))
    };
    let (mail, http) = (listen(mail, "mail").await?, listen(http, "text messages").await?);
    let running = Running { mail: mail.local_addr()?, http: http.local_addr()? };
    tokio::spawn(mail::serve(mail, kept.clone()));
    tokio::spawn(http::serve(http, kept));
    Ok(running)
}
