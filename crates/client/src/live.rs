//! The live stream of a site.

use crate::server::Server;
use anyhow::Result;
use futures::StreamExt;
use std::sync::Arc;
use std::time::Duration;
use tokio::sync::mpsc;

/// Between two attempts to get the stream back.
const PATIENCE: Duration = Duration::from_secs(2);

/// The live stream: reads events, comes back after a lost connection.
pub(crate) struct Live {
    server: Arc<Server>,
    site: String,
    last_id: Option<String>,
    body: Option<futures::stream::BoxStream<'static, reqwest::Result<Vec<u8>>>>,
    buffer: Vec<u8>,
}

impl Live {
    /// Opens the stream and lets its events come through a channel, so that
    /// waiting for them can be given up without harm.
    pub(crate) async fn open(server: Arc<Server>) -> Result<mpsc::Receiver<(String, String)>> {
        let site = server.site_code().await?;
        let mut live = Self { server, site, last_id: None, body: None, buffer: Vec::new() };
        live.connect().await?;
        let (sender, receiver) = mpsc::channel(16);
        tokio::spawn(async move { while sender.send(live.next().await).await.is_ok() {} });
        Ok(receiver)
    }

    async fn connect(&mut self) -> Result<()> {
        let query = [("site", self.site.clone())];
        let response = self.server.stream("live", &query, self.last_id.as_deref()).await?;
        self.buffer.clear();
        self.body = Some(response.bytes_stream().map(|chunk| chunk.map(|bytes| bytes.to_vec())).boxed());
        Ok(())
    }

    /// The next event: its name and data.
    async fn next(&mut self) -> (String, String) {
        loop {
            if let Some(end) = self.buffer.windows(2).position(|pair| pair == b"\n\n") {
                let block: Vec<u8> = self.buffer.drain(..end + 2).collect();
                if let Some(event) = self.parse(&String::from_utf8_lossy(&block)) {
                    return event;
                }
                continue;
            }
            let chunk = match &mut self.body {
                Some(body) => body.next().await,
                None => None,
            };
            match chunk {
                Some(Ok(bytes)) => self.buffer.extend(bytes),
                _ => {
                    tokio::time::sleep(PATIENCE).await;
                    self.body = None;
                    // The service may be restarting: keep trying until told to end.
                    let _ = self.connect().await;
                }
            }
        }
    }

    fn parse(&mut self, block: &str) -> Option<(String, String)> {
        let (mut name, mut data) = (String::new(), String::new());
        for line in block.lines() {
            match line.split_once(':') {
                Some(("event", value)) => name = value.trim().to_owned(),
                Some(("data", value)) => data.push_str(value.trim()),
                Some(("id", value)) => self.last_id = Some(value.trim().to_owned()),
                _ => {}
            }
        }
        (!name.is_empty()).then_some((name, data))
    }
}
