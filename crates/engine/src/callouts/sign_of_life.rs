//! A signal to an address of choice for as long as all is well.

use super::Callouts;
use std::time::Duration;

/// A signal that was not taken is sent again after so long.
const AGAIN: Duration = Duration::from_secs(15);

impl Callouts {
    /// Sends the signal, for ever; never, if none is wanted. It is sent only while the database answers.
    pub(super) async fn show_life(&self) {
        let Some((post, sign)) = self.post.get().and_then(|post| Some((post, post.sign_of_life.as_ref()?))) else {
            return std::future::pending().await;
        };
        loop {
            let pause = match self.store.has_people().await {
                Err(_) => AGAIN,
                Ok(_) => match post.sender.knock(&sign.address).await {
                    Ok(()) => Duration::from_secs_f64(sign.every_s),
                    Err(error) => {
                        tracing::warn!(%error, "the sign of life was not taken");
                        AGAIN.min(Duration::from_secs_f64(sign.every_s))
                    }
                },
            };
            tokio::time::sleep(pause).await;
        }
    }
}
